"""Our own symbols after IEC 60617, drawn about the origin with the line running downward; ten units are one step of the grid.

Each function returns the shapes and how far above and below the origin the terminals stand.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

from northfell.core.model.elements import (
    Breaker,
    Cable,
    Element,
    EquivalentBranch,
    Fuse,
    InductionMotor,
    Infeed,
    Load,
    Relay,
    Shunt,
    Switch,
    SynchronousGenerator,
    Transformer,
)  # fmt: skip
from northfell.core.model.elements import Line as OverheadLine
from northfell.drawing.shapes import Arc, Circle, Line, Point, Polygon, Rect, Shape, Style, Text

DRAWN = Style(cls="s")  # drawn line
SOLID = Style(cls="f")  # filled with ink
PAPER = Style(cls="s p")  # drawn, filled with the sheet
LETTER = Style(cls="g")


@dataclass(frozen=True)
class Symbol:
    """Shapes about the origin, and the places of its terminals: above, and below for two-terminal elements."""

    shapes: tuple[Shape, ...]
    top: float
    bottom: float = 0.0
    half_width: float = 8.0


def symbol_of(element: Element) -> Symbol:
    """The symbol of an element in its position."""
    for kind, draw in _DRAW.items():
        if isinstance(element, kind):
            return draw(element)
    raise LookupError(element.kind)


def _cross(r: float = 3.6) -> list[Shape]:
    return [Line(((-r, -r), (r, r)), DRAWN), Line(((-r, r), (r, -r)), DRAWN)]


def _contact(closed: bool, head: list[Shape]) -> tuple[Shape, ...]:
    """A switching device: closed, the line runs through; open, the blade stands off."""
    at_head = [_moved(shape, 0, -6) for shape in head]
    if closed:
        return (*at_head, Line(((0, -12), (0, 12)), DRAWN))
    return (*at_head, Line(((0, -12), (0, -6)), DRAWN), Line(((-8.5, -5), (0, 8)), DRAWN), Line(((0, 8), (0, 12)), DRAWN))


def _moved(shape: Shape, dx: float, dy: float) -> Shape:
    return moved(shape, lambda p: (p[0] + dx, p[1] + dy))


def _breaker(e: Breaker) -> Symbol:
    return Symbol(_contact(e.closed, _cross()), -12, 12)


def _switch(e: Switch) -> Symbol:
    return Symbol(_contact(e.closed, [Line(((-4, 0), (4, 0)), DRAWN)]), -12, 12)


def _fuse(e: Fuse) -> Symbol:
    if e.closed:
        return Symbol((Rect(-4, -9, 8, 18, PAPER), Line(((0, -12), (0, 12)), DRAWN)), -12, 12)
    return Symbol((Line(((0, -12), (0, -9)), DRAWN), Rect(-12, -9, 8, 18, PAPER), Line(((-8, -9), (-8, 9)), DRAWN), Line(((0, 9), (0, 12)), DRAWN)), -12, 12)


def _winding(letter: str, y: float) -> tuple[Shape, ...]:
    """Delta, star or zig-zag inside a winding's circle."""
    if letter.upper() == "D":
        return (Polygon(((0, y - 4), (3.8, y + 2.6), (-3.8, y + 2.6)), DRAWN),)
    spokes = [(0.0, 4.0), (-3.5, -2.4), (3.5, -2.4)]
    return tuple(Line(((0, y), (dx, y + dy)), DRAWN) for dx, dy in spokes)


def _transformer(e: Transformer) -> Symbol:
    group = (e.vector_group or "").replace("N", "").replace("n", "")
    marks: tuple[Shape, ...] = ()
    if len(group) >= 2:
        marks = (*_winding(group[0], -8.5), *_winding(group[1], 8.5))
    shapes = (
        Circle(0, -7.5, 11.5, PAPER), Circle(0, 7.5, 11.5, DRAWN), *marks, Line(((0, -25), (0, -19)), DRAWN), Line(((0, 19), (0, 25)), DRAWN),
    )  # fmt: skip
    return Symbol(shapes, -25, 25, 12)


def _cable(e: Cable) -> Symbol:
    ends = (Line(((-5, -15), (0, -10), (5, -15)), DRAWN), Line(((-5, 15), (0, 10), (5, 15)), DRAWN))
    return Symbol((Line(((0, -20), (0, 20)), DRAWN), *ends), -20, 20, 6)


def _line(e: OverheadLine) -> Symbol:
    ticks = tuple(Line(((-4, y + 3), (4, y - 3)), DRAWN) for y in (-4, 4))
    return Symbol((Line(((0, -20), (0, 20)), DRAWN), *ticks), -20, 20, 6)


def _equivalent(e: EquivalentBranch) -> Symbol:
    return Symbol((Rect(-5, -12, 10, 24, PAPER), Line(((0, -20), (0, -12)), DRAWN), Line(((0, 12), (0, 20)), DRAWN)), -20, 20, 6)


def _infeed(e: Infeed) -> Symbol:
    r = 10.0
    return Symbol((Rect(-r, -r, 2 * r, 2 * r, PAPER), Line(((-r, -r), (r, r)), DRAWN), Line(((-r, r), (r, -r)), DRAWN)), -r, half_width=10)


def _machine(letter: str) -> Symbol:
    wave = tuple((x, 6.5 - 1.6 * math.sin(x / 5 * math.pi)) for x in (-5, -3.75, -2.5, -1.25, 0, 1.25, 2.5, 3.75, 5))
    return Symbol((Circle(0, 0, 12, PAPER), Text(0, 2.6, letter, LETTER, 11, "middle", bold=True), Line(wave, DRAWN)), -12, half_width=12)


def _generator(e: SynchronousGenerator) -> Symbol:
    return _machine("G")


def _motor(e: InductionMotor) -> Symbol:
    return _machine("M")


def _load(e: Load) -> Symbol:
    return Symbol((Line(((0, -10), (0, -2)), DRAWN), Polygon(((-6, -2), (6, -2), (0, 9)), SOLID)), -10, half_width=7)


def _shunt(e: Shunt) -> Symbol:
    earth: tuple[Shape, ...] = tuple(Line(((-w, y), (w, y)), DRAWN) for w, y in ((7, 16), (4.5, 19), (2, 22)))
    if e.q_mvar >= 0:
        plates = (Line(((-9, -3), (9, -3)), DRAWN), Line(((-9, 3), (9, 3)), DRAWN))
        return Symbol((Line(((0, -12), (0, -3)), DRAWN), *plates, Line(((0, 3), (0, 16)), DRAWN), *earth), -12, half_width=9)
    coil = tuple(Arc((0, y), (0, y + 6), 3, DRAWN) for y in (-9, -3, 3))
    return Symbol((Line(((0, -12), (0, -9)), DRAWN), *coil, Line(((0, 9), (0, 16)), DRAWN), *earth), -12, half_width=6)


def _relay(e: Relay) -> Symbol:
    text = "I≫" if e.i_high_a is not None else "I>"
    return Symbol((Rect(-10, -7, 20, 14, PAPER, 1.5), Text(0, 3.4, text, LETTER, 9, "middle", bold=True)), -7, half_width=10)


_DRAW = {
    Breaker: _breaker, Switch: _switch, Fuse: _fuse, Transformer: _transformer, Cable: _cable, OverheadLine: _line, EquivalentBranch: _equivalent,
    Infeed: _infeed, SynchronousGenerator: _generator, InductionMotor: _motor, Load: _load, Shunt: _shunt, Relay: _relay,
}  # fmt: skip


def moved(shape: Shape, to: Callable[[Point], Point]) -> Shape:
    """A shape with all its points taken elsewhere."""
    if isinstance(shape, Line | Polygon):
        return type(shape)(tuple(to(p) for p in shape.points), shape.style)
    if isinstance(shape, Arc):
        return Arc(to(shape.start), to(shape.end), shape.r, shape.style)
    if isinstance(shape, Rect):
        (x1, y1), (x2, y2) = to((shape.x, shape.y)), to((shape.x + shape.w, shape.y + shape.h))
        return Rect(min(x1, x2), min(y1, y2), abs(x2 - x1), abs(y2 - y1), shape.style, shape.corner)
    x, y = to((shape.x, shape.y))
    if isinstance(shape, Circle):
        return Circle(x, y, shape.r, shape.style)
    return Text(x, y, shape.text, shape.style, shape.size, shape.anchor, shape.bold, shape.mono)


class Transform:
    """Turn by quarter turns clockwise, mirror up-down if asked, then shift."""

    def __init__(self, x: float, y: float, turn: int = 0, upside_down: bool = False) -> None:
        self.x, self.y, self.turn, self.flip = x, y, turn % 4, upside_down

    def __call__(self, p: Point) -> Point:
        px, py = (p[0], -p[1]) if self.flip else p
        for _ in range(self.turn):
            px, py = -py, px
        return self.x + px, self.y + py
