"""Shapes and their SVG text. Text from users is escaped here, once."""

import math
from base64 import b64encode
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property
from html import escape
from itertools import groupby
from typing import Any

from northfell.drawing.metrics import width

Point = tuple[float, float]


def number(value: float) -> str:
    """A coordinate without needless digits."""
    text = f"{value:.2f}"
    return text[:-3] if text.endswith(".00") else text.rstrip("0")


def _attributes(values: dict[str, str | float]) -> str:
    parts = []
    for key, value in values.items():
        if value is None or value == "":
            continue
        parts.append(f' {key}="{escape(value) if isinstance(value, str) else number(value)}"')
    return "".join(parts)


@dataclass(frozen=True)
class Style:
    """Explicit colours for what leaves the screen; on screen, `cls` names the tokens."""

    cls: str = ""
    fill: str = ""
    stroke: str = ""
    width: float = 0.0

    def attributes(self) -> dict[str, str | float]:
        return {"class": self.cls, "fill": self.fill, "stroke": self.stroke, "stroke-width": self.width or ""}


PLAIN = Style()


@dataclass(frozen=True)
class Line:
    """A stroke through points."""

    points: tuple[Point, ...]
    style: Style = PLAIN

    def svg(self) -> str:
        points = " ".join(f"{number(x)},{number(y)}" for x, y in self.points)
        return f"<polyline{_attributes({'points': points, **self.style.attributes()})}/>"


@dataclass(frozen=True)
class Polygon:
    """A closed shape through points."""

    points: tuple[Point, ...]
    style: Style = PLAIN

    def svg(self) -> str:
        points = " ".join(f"{number(x)},{number(y)}" for x, y in self.points)
        return f"<polygon{_attributes({'points': points, **self.style.attributes()})}/>"


@dataclass(frozen=True)
class Circle:
    """A circle about a point."""

    x: float
    y: float
    r: float
    style: Style = PLAIN

    def svg(self) -> str:
        return f"<circle{_attributes({'cx': self.x, 'cy': self.y, 'r': self.r, **self.style.attributes()})}/>"


@dataclass(frozen=True)
class Rect:
    """A rectangle from its top left corner."""

    x: float
    y: float
    w: float
    h: float
    style: Style = PLAIN
    corner: float = 0.0

    def svg(self) -> str:
        values = {"x": self.x, "y": self.y, "width": self.w, "height": self.h, "rx": self.corner or "", **self.style.attributes()}
        return f"<rect{_attributes(values)}/>"


@dataclass(frozen=True)
class Arc:
    """An arc of a circle from one point to another, at most a half, bulging to the left of the way (y runs downward)."""

    start: Point
    end: Point
    r: float
    style: Style = PLAIN

    def svg(self) -> str:
        (x1, y1), (x2, y2) = self.start, self.end
        d = f"M{number(x1)} {number(y1)}A{number(self.r)} {number(self.r)} 0 0 1 {number(x2)} {number(y2)}"
        return f"<path{_attributes({'d': d, **self.style.attributes()})}/>"

    def curve(self) -> list[Point]:
        """The same arc as Bézier curves: a first point, then three for each curve."""
        (x1, y1), (x2, y2) = self.start, self.end
        half = math.hypot(x2 - x1, y2 - y1) / 2
        r = max(self.r, half)
        away = math.sqrt(r**2 - half**2)
        nx, ny = (y1 - y2) / (2 * half), (x2 - x1) / (2 * half)  # toward the centre
        cx, cy = (x1 + x2) / 2 + nx * away, (y1 + y2) / 2 + ny * away
        begin = math.atan2(y1 - cy, x1 - cx)
        turn = 2 * math.asin(min(half / r, 1.0))
        k = 4 / 3 * math.tan(turn / 8) * r  # in two curves
        points = [self.start]
        for step in (0, 1):
            a, b = begin + turn * step / 2, begin + turn * (step + 1) / 2
            points.append((cx + r * math.cos(a) - k * math.sin(a), cy + r * math.sin(a) + k * math.cos(a)))
            points.append((cx + r * math.cos(b) + k * math.sin(b), cy + r * math.sin(b) - k * math.cos(b)))
            points.append((cx + r * math.cos(b), cy + r * math.sin(b)))
        return points


@dataclass(frozen=True)
class Text:
    """A line of text; `size` is its height in the drawing's unit, `anchor` start, middle or end."""

    x: float
    y: float
    text: str
    style: Style = PLAIN
    size: float = 0.0
    anchor: str = "start"
    bold: bool = False
    mono: bool = False

    def svg(self) -> str:
        values: dict[str, str | float] = {"x": self.x, "y": self.y, "font-size": self.size or "", **self.style.attributes()}
        if self.anchor != "start":
            values["text-anchor"] = self.anchor
        if self.bold:
            values["font-weight"] = "700"
        if self.mono:
            values["class"] = f"{self.style.cls} m".strip()
        return f"<text{_attributes(values)}>{escape(self.text)}</text>"


@dataclass(frozen=True)
class Picture:
    """A picture (PNG) from its top left corner."""

    x: float
    y: float
    w: float
    h: float
    png: bytes
    style: Style = PLAIN

    def svg(self) -> str:
        data = f"data:image/png;base64,{b64encode(self.png).decode()}"
        return f"<image{_attributes({'x': self.x, 'y': self.y, 'width': self.w, 'height': self.h, 'href': data})}/>"


Shape = Line | Polygon | Circle | Rect | Arc | Text | Picture


@dataclass
class Group:
    """Shapes of one element, with its classes, its address for the browser and a title for who cannot see it.

    Words stand apart from the symbol, since they can be dragged by themselves. `sheet` names the sheet that a reference leads to.
    """

    shapes: list[Shape] = field(default_factory=list)
    words: list[Shape] = field(default_factory=list)
    cls: str = ""
    element: str = ""
    title: str = ""
    sheet: str = ""
    terminals: tuple[Point, ...] = ()
    bar: tuple[float, float, float] | None = None  # of a bus: x, y and length; a point has none

    def add(self, *shapes: Shape) -> None:
        self.shapes.extend(shapes)

    @cached_property
    def extent(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of all that is drawn."""
        points = [p for shape in (*self.shapes, *self.words) for p in _corners(shape)] or [(0.0, 0.0)]
        xs, ys = [p[0] for p in points], [p[1] for p in points]
        return min(xs), min(ys), max(xs), max(ys)

    @cached_property
    def svg(self) -> str:
        """The content of the group; kept, since a group is drawn once and shown often."""
        words = f'<g class="words">{svg_of(self.words)}</g>' if self.words else ""
        return joined_svg_of(self.shapes) + words


def svg_of(shapes: Iterable[Shape]) -> str:
    return "".join(shape.svg() for shape in shapes)


def joined_svg_of(shapes: Iterable[Shape]) -> str:
    """The same, but strokes of one style that follow each other are one path, so that a large sheet has fewer things to paint."""
    parts = []
    for style, run in groupby(shapes, lambda shape: isinstance(shape, Line) and shape.style):
        alike = list(run)
        parts.append(_path(alike, style) if style and len(alike) > 1 else svg_of(alike))
    return "".join(parts)


def _path(lines: Iterable[Any], style: Style) -> str:
    d = "".join("M" + "L".join(f"{number(x)} {number(y)}" for x, y in line.points) for line in lines)
    return f"<path{_attributes({'d': d, **style.attributes()})}/>"


def _corners(shape: Shape) -> list[Point]:
    if isinstance(shape, Line | Polygon):
        return list(shape.points)
    if isinstance(shape, Rect | Picture):
        return [(shape.x, shape.y), (shape.x + shape.w, shape.y + shape.h)]
    if isinstance(shape, Circle):
        return [(shape.x - shape.r, shape.y - shape.r), (shape.x + shape.r, shape.y + shape.r)]
    if isinstance(shape, Arc):
        return [shape.start, shape.end]
    taken = width(shape.text, shape.size, shape.bold, shape.mono)
    start = shape.x + {"start": 0.0, "middle": -taken / 2, "end": -taken}[shape.anchor]
    return [(start, shape.y - 0.75 * shape.size), (start + taken, shape.y)]
