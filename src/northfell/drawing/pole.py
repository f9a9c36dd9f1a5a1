"""The picture of a line's geometry, true to scale: where its wires hang above the ground, or lie in it."""

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

from northfell.drawing.metrics import width
from northfell.drawing.shapes import Circle, Line, Shape, Style, Text, number

SIDE, EDGE, LETTER = 260.0, 24.0, 12.0
CLS = {"kept": "hung", "earthed": "hung earthed", "open": "hung open"}


@dataclass(frozen=True)
class WireMark:
    """One conductor in the picture."""

    name: str
    x_m: float
    y_m: float
    fate: str


def pole(marks: Sequence[WireMark]) -> str:
    """SVG of a geometry: both axes have one scale, the ground is drawn, names stand beside their wires, a bar tells the scale."""
    shapes, (w, h) = pole_shapes(marks, SIDE)
    told = f"Places of {', '.join(m.name for m in marks)}, to scale"
    size = f'viewBox="0 0 {number(w)} {number(h)}" width="{number(w)}" height="{number(h)}"'
    return f'<svg class="pole-to-scale" role="img" aria-label="{escape(told)}" {size}>{"".join(s.svg() for s in shapes)}</svg>'


def pole_shapes(marks: Sequence[WireMark], side: float, above: bool = False) -> tuple[list[Shape], tuple[float, float]]:
    """The same as shapes, its longer side so long, and the size of all; names above their wires where there is little room."""
    xs, ys = [m.x_m for m in marks] or [0.0], [*(m.y_m for m in marks), 0.0]
    wide, high = max(xs) - min(xs), max(ys) - min(ys)
    per_m = side / max(wide, high, 0.2)
    name_w = max((width(m.name, LETTER) for m in marks), default=0.0)
    w, h = max(wide * per_m, 90.0) + 2 * EDGE + name_w + 10, high * per_m + 2 * EDGE + 22

    def at(x: float, y: float) -> tuple[float, float]:
        return EDGE + (x - min(xs)) * per_m, EDGE + (max(ys) - y) * per_m

    ground = at(0, 0)[1]
    shapes: list[Shape] = [Line(((2, ground), (w - 2, ground)), Style("ground"))]
    if max(ys) > 0:
        middle = at((min(xs) + max(xs)) / 2, 0)[0]
        shapes.append(Line(((middle, ground), (middle, EDGE - 10)), Style("pole")))
    taken: list[tuple[float, float, float]] = []
    for m in marks:
        x, y = at(m.x_m, m.y_m)
        shapes.append(Circle(x, y, 4.0, Style(CLS[m.fate])))
        if above:
            shapes.append(Text(x, y - 7, m.name, Style("hung-name"), LETTER, "middle"))
        else:
            shapes.append(Text(x + 8, _free(taken, x, y + 4, m.name), m.name, Style("hung-name"), LETTER))
    return [*shapes, *_scale(per_m, h)], (w, h)


def _scale(per_m: float, h: float) -> list[Shape]:
    """A bar of a round length."""
    metres = next(m for m in (10.0, 5.0, 2.0, 1.0, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01, 0.001) if m * per_m <= 110 or m == 0.001)
    y = h - 8
    bar = Line(((EDGE, y - 4), (EDGE, y), (EDGE + metres * per_m, y), (EDGE + metres * per_m, y - 4)), Style("scale"))
    return [bar, Text(EDGE + metres * per_m + 6, y, f"{metres:g} m", Style("hung-name"), LETTER)]


def _free(taken: list[tuple[float, float, float]], x: float, y: float, name: str) -> float:
    """A height at which a name covers none that stands there already."""
    end = x + 8 + width(name, LETTER)
    while any(abs(y - other) < LETTER and x < stop and end > begin for begin, stop, other in taken):
        y += LETTER
    taken.append((x, end, y))
    return y
