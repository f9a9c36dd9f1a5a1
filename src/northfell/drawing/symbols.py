"""Our own symbols after IEC 60617, drawn about the origin with the line running downward; ten units are one step of the grid.

Where IEEE 315 draws a thing otherwise, `symbols_ieee` does so. A function returns the shapes and where the terminals stand.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from northfell.core.model.elements import (
    Autotransformer,
    Breaker,
    Cable,
    CapacitorBank,
    Changeover,
    Contactor,
    CurrentTransformer,
    EarthingTransformer,
    Element,
    EquivalentBranch,
    Fuse,
    InductionMotor,
    Infeed,
    Inverter,
    Load,
    ProtectionSignal,
    Rectifier,
    Relay,
    SeriesReactor,
    Shunt,
    ShuntReactor,
    StepRegulator,
    Switch,
    SynchronousGenerator,
    SynchronousMotor,
    ThreeWindingTransformer,
    Transformer,
    Trunking,
    VoltageTransformer,
    ZoneRelay,
)  # fmt: skip
from northfell.core.model.elements import Line as OverheadLine
from northfell.drawing.shapes import Arc, Circle, Line, Picture, Point, Polygon, Rect, Shape, Style, Text

DRAWN = Style(cls="s")  # drawn line
SOLID = Style(cls="f")  # filled with ink
PAPER = Style(cls="s p")  # drawn, filled with the sheet
LETTER = Style(cls="g")


@dataclass(frozen=True)
class Symbol:
    """Shapes about the origin, the places of its terminals in their order, and how far it reaches."""

    shapes: tuple[Shape, ...]
    terminals: tuple[Point, ...]
    half_width: float = 8.0
    top: float = -12.0
    bottom: float = 12.0


def through(shapes: tuple[Shape, ...], reach: float, half_width: float = 8.0) -> Symbol:
    """A symbol in a line that runs through it."""
    return Symbol(shapes, ((0, -reach), (0, reach)), half_width, -reach, reach)


def ending(shapes: tuple[Shape, ...], top: float, half_width: float = 8.0, bottom: float = 12.0) -> Symbol:
    """A symbol at the end of a line."""
    return Symbol(shapes, ((0, top),), half_width, top, bottom)


def moved(shape: Shape, to: Callable[[Point], Point]) -> Shape:
    """A shape with all its points taken elsewhere."""
    if isinstance(shape, Line | Polygon):
        return type(shape)(tuple(to(p) for p in shape.points), shape.style)
    if isinstance(shape, Arc):
        turned = to((1, 0)), to((0, 1)), to((0, 0))
        (ax, ay), (bx, by), (ox, oy) = turned
        mirrored = (ax - ox) * (by - oy) - (ay - oy) * (bx - ox) < 0
        start, end = (to(shape.end), to(shape.start)) if mirrored else (to(shape.start), to(shape.end))
        return Arc(start, end, shape.r, shape.style)
    if isinstance(shape, Rect):
        (x1, y1), (x2, y2) = to((shape.x, shape.y)), to((shape.x + shape.w, shape.y + shape.h))
        return Rect(min(x1, x2), min(y1, y2), abs(x2 - x1), abs(y2 - y1), shape.style, shape.corner)
    x, y = to((shape.x, shape.y))
    if isinstance(shape, Circle):
        return Circle(x, y, shape.r, shape.style)
    if isinstance(shape, Picture):
        return Picture(x, y, shape.w, shape.h, shape.png, shape.style)
    return Text(x, y, shape.text, shape.style, shape.size, shape.anchor, shape.bold, shape.mono)


def shifted(shapes: Sequence[Shape], dx: float, dy: float) -> tuple[Shape, ...]:
    return tuple(moved(shape, lambda p: (p[0] + dx, p[1] + dy)) for shape in shapes)


def line(*points: Point) -> Line:
    return Line(points, DRAWN)


def earth(x: float, y: float) -> tuple[Shape, ...]:
    """The earth symbol with its top at a point."""
    return tuple(line((x - w, y + d), (x + w, y + d)) for w, d in ((6, 0), (4, 3), (1.8, 6)))


def coil(x: float, y: float, turns: int, r: float = 3.0) -> tuple[Shape, ...]:
    """A winding of half circles, downward from a point."""
    return tuple(Arc((x, y + 2 * r * i), (x, y + 2 * r * (i + 1)), r, DRAWN) for i in range(turns))


def wave(x: float, y: float, half: float = 5.0) -> Line:
    """One period of alternating current."""
    steps = [i / 8 for i in range(9)]
    return Line(tuple((x - half + 2 * half * t, y - 1.6 * math.sin(2 * math.pi * t)) for t in steps), DRAWN)


# --- switching


def _contact(closed: bool, head: Sequence[Shape]) -> tuple[Shape, ...]:
    """A switching device: closed, the line runs through; open, the blade stands off. Its head tells the function."""
    at_head = shifted(head, 0, -6)
    if closed:
        return (*at_head, line((0, -12), (0, 12)))
    return (*at_head, line((0, -12), (0, -6)), line((-8.5, -5), (0, 8)), line((0, 8), (0, 12)))


def _breaker(e: Breaker) -> Symbol:
    r = 3.6
    cross = [line((-r, -r), (r, r)), line((-r, r), (r, -r))]
    shapes = _contact(e.closed, cross)
    if e.design == "withdrawable":  # it is plugged in at both ends
        shapes = (*shapes, *(line((-4, y), (0, y + d), (4, y)) for y, d in ((-16.5, 4.5), (16.5, -4.5))))
        return Symbol((*shapes, line((0, -18), (0, -12)), line((0, 12), (0, 18))), ((0, -18), (0, 18)), 8, -18, 18)
    return through(shapes, 12)


def _switch(e: Switch) -> Symbol:
    bar = line((-4, 0), (4, 0))
    heads: dict[str, list[Shape]] = {"disconnector": [bar], "load switch": [Circle(0, 2, 2, PAPER)], "switch-disconnector": [bar, Circle(0, 2.4, 2, PAPER)]}
    return through(_contact(e.closed, heads[e.function]), 12)


def _contactor(e: Contactor) -> Symbol:
    return through(_contact(e.closed, [Arc((0, -3.5), (0, 3.5), 3.5, DRAWN)]), 12)


def _fuse(e: Fuse) -> Symbol:
    if e.closed:
        return through((Rect(-4, -9, 8, 18, PAPER), line((0, -12), (0, 12))), 12)
    return through((line((0, -12), (0, -9)), Rect(-12, -9, 8, 18, PAPER), line((-8, -9), (-8, 9)), line((0, 9), (0, 12))), 12)


def _changeover(e: Changeover) -> Symbol:
    to = {"first": (-10.0, -5.0), "second": (10.0, -5.0), "off": (0.0, -7.0)}[e.position]
    contacts = tuple(shape for x in (-10, 10) for shape in (line((x, -15), (x, -6)), Circle(x, -4.5, 1.8, PAPER)))
    return Symbol((*contacts, line((0, 15), (0, 8)), line((0, 8), to), Circle(0, 8, 1.8, SOLID)), ((0, 15), (-10, -15), (10, -15)), 14, -15, 15)


# --- transformers


def _winding(letter: str, x: float, y: float) -> tuple[Shape, ...]:
    """Delta, star or zig-zag inside a winding's circle."""
    if letter.upper() == "D":
        return (Polygon(((x, y - 4), (x + 3.8, y + 2.6), (x - 3.8, y + 2.6)), DRAWN),)
    if letter.upper() == "Z":
        return (line((x - 3.5, y - 3.5), (x + 1, y - 3.5), (x - 1, y + 3.5), (x + 3.5, y + 3.5)),)
    return tuple(line((x, y), (x + dx, y + dy)) for dx, dy in ((0.0, 4.0), (-3.5, -2.4), (3.5, -2.4)))


def star_point(how: str | None, x: float, y: float) -> tuple[Shape, ...]:
    """The earthing of a star point, to the left of its winding: solid, or through a resistor or a reactor."""
    if how in (None, "isolated"):
        return ()
    if how == "solid":
        return (line((x, y), (x - 6, y), (x - 6, y + 5)), *earth(x - 6, y + 5))
    body = (Rect(x - 9, y + 3, 6, 11, PAPER),) if how == "resistor" else coil(x - 6, y + 3, 2, 2.75)
    return (line((x, y), (x - 6, y), (x - 6, y + 3)), *body, line((x - 6, y + 14), (x - 6, y + 17)), *earth(x - 6, y + 17))


def letters_of(vector_group: str | None) -> list[str]:
    """Connection letters of the windings, without those that bring out a star point."""
    return [c for c in (vector_group or "") if c in "DYZdyz"]


def _transformer(e: Transformer) -> Symbol:
    letters = letters_of(e.vector_group)
    marks = (*_winding(letters[0], 0, -8.5), *_winding(letters[1], 0, 8.5)) if len(letters) >= 2 else ()
    points = (*star_point(e.neutral_hv, -11.5, -8), *star_point(e.neutral_lv, -11.5, 8))
    shapes = (Circle(0, -7.5, 11.5, PAPER), Circle(0, 7.5, 11.5, DRAWN), *marks, line((0, -25), (0, -19)), line((0, 19), (0, 25)), *points)
    return through(shapes, 25, 12)


def _autotransformer(e: Autotransformer) -> Symbol:
    points = star_point(e.neutral_lv or e.neutral_hv, -12, 0)
    shapes = (Circle(0, 3, 12, PAPER), Arc((0, -20), (12, 3), 14, DRAWN), line((0, -25), (0, -20)), line((0, 15), (0, 25)), *_winding("y", 0, 3), *points)
    return through(shapes, 25, 14)


def _three_winding(e: ThreeWindingTransformer) -> Symbol:
    letters = letters_of(e.vector_group)
    centres = ((0.0, -8.0), (-10.0, 8.0), (10.0, 8.0))
    marks = tuple(shape for letter, (x, y) in zip(letters, centres, strict=False) for shape in _winding(letter, x, y)) if len(letters) >= 3 else ()
    circles = tuple(Circle(x, y, 11, PAPER if i == 0 else DRAWN) for i, (x, y) in enumerate(centres))
    leads = (line((0, -25), (0, -19)), line((-10, 19), (-10, 25)), line((10, 19), (10, 25)))
    points = (*star_point(e.neutral_hv, -11, -8), *star_point(e.neutral_mv, -21, 8))
    return Symbol((*circles, *marks, *leads, *points), ((0, -25), (-10, 25), (10, 25)), 22, -25, 25)


def _earthing_transformer(e: EarthingTransformer) -> Symbol:
    shapes = (Circle(0, 0, 11, PAPER), *_winding("Z", 0, 0), line((0, -15), (0, -11)), *star_point(e.neutral, -11, 0))
    return ending(shapes, -15, 11, 11)


# --- conductors and reactors


def _cable(e: Cable) -> Symbol:
    ends = (line((-5, -15), (0, -10), (5, -15)), line((-5, 15), (0, 10), (5, 15)))
    return through((line((0, -20), (0, 20)), *ends), 20, 6)


def _line(e: OverheadLine) -> Symbol:
    return through((line((0, -20), (0, 20)), *(line((-4, y + 3), (4, y - 3)) for y in (-4, 4))), 20, 6)


def _trunking(e: Trunking) -> Symbol:
    return through((line((0, -20), (0, -14)), Rect(-3.5, -14, 7, 28, PAPER), line((0, -14), (0, 14)), line((0, 14), (0, 20))), 20, 6)


def _series_reactor(e: SeriesReactor) -> Symbol:
    return through((line((0, -20), (0, -10)), Arc((-10, 0), (0, -10), 10, DRAWN), Arc((0, 10), (-10, 0), 10, DRAWN), *_reactor_rest()), 20, 11)


def _reactor_rest() -> tuple[Shape, ...]:
    return (Arc((0, -10), (10, 0), 10, DRAWN), line((10, 0), (0, 0), (0, 20)))


def _step_regulator(e: StepRegulator) -> Symbol:
    arrow = (line((-13, 11), (13, -11)), line((13, -11), (7, -10)), line((13, -11), (11, -5)))
    return through((line((0, -20), (0, -9)), Circle(0, 0, 9, PAPER), line((0, 9), (0, 20)), *arrow), 20, 14)


def _equivalent(e: EquivalentBranch) -> Symbol:
    return through((Rect(-5, -12, 10, 24, PAPER), line((0, -20), (0, -12)), line((0, 12), (0, 20))), 20, 6)


# --- sources and what draws power


def _infeed(e: Infeed) -> Symbol:
    r = 10.0
    return ending((Rect(-r, -r, 2 * r, 2 * r, PAPER), line((-r, -r), (r, r)), line((-r, r), (r, -r))), -r, 10, r)


def _machine(letter: str, below: tuple[Shape, ...], more: tuple[Shape, ...] = ()) -> Symbol:
    return ending((Circle(0, 0, 12, PAPER), Text(0, 2.6, letter, LETTER, 11, "middle", bold=True), *below, *more), -12, 12)


def _generator(e: SynchronousGenerator) -> Symbol:
    return _machine("G", (wave(0, 6.5),), star_point(e.neutral, -12, 0))


def _motor(e: InductionMotor) -> Symbol:
    """The machine; in a frame where a drive or a soft starter stands before it."""
    bare = _machine("M", (wave(0, 6.5),))
    if "drive" not in e.starter and e.starter != "soft starter":
        return bare
    return ending((Rect(-14, -14, 28, 28, DRAWN), *bare.shapes, line((0, -18), (0, -12))), -18, 14, 14)


def _synchronous_motor(e: SynchronousMotor) -> Symbol:
    return _machine("M", (line((-4.5, 6.5), (4.5, 6.5)),))


def _converter(lower: tuple[Shape, ...], upper: tuple[Shape, ...], more: tuple[Shape, ...] = (), bottom: float = 11.0) -> Symbol:
    return ending((Rect(-11, -11, 22, 22, PAPER), line((-11, 11), (11, -11)), *upper, *lower, *more, line((0, -15), (0, -11))), -15, 11, bottom)


def _inverter(e: Inverter) -> Symbol:
    behind: dict[str, tuple[Shape, ...]] = {
        "solar": (line((-8, 17), (8, 17)), line((-8, 21), (8, 21)), line((0, 11), (0, 17)), *(line((x, 26), (x, 23)) for x in (-5, 0, 5))),
        "battery": (line((0, 11), (0, 16)), line((-7, 16), (7, 16)), line((-4, 19), (4, 19)), line((-7, 22), (7, 22)), line((-4, 25), (4, 25))),
        "other": (),
    }
    return _converter(_direct(5, 5.5), (wave(-5, -5.5, 4),), behind[e.source], 26 if behind[e.source] else 11)


def _direct(x: float, y: float) -> tuple[Shape, ...]:
    return (line((x - 4, y - 1.5), (x + 4, y - 1.5)), *(line((x + d, y + 1.8), (x + d + 2, y + 1.8)) for d in (-4, -1, 2)))


def _rectifier(e: Rectifier) -> Symbol:
    return _converter(_direct(5, 5.5), (wave(-5, -5.5, 4),), (line((0, 11), (0, 15)), Polygon(((-4, 15), (4, 15), (0, 21)), SOLID)), 21)


def _load(e: Load) -> Symbol:
    arrow = Polygon(((-6, -2), (6, -2), (0, 9)), SOLID)
    if e.motor_share_pct:
        return ending((line((0, -10), (0, -2)), arrow, Circle(0, 14, 5, PAPER), Text(0, 16.6, "M", LETTER, 7, "middle", bold=True)), -10, 7, 19)
    return ending((line((0, -10), (0, -2)), arrow), -10, 7, 9)


def _plates() -> tuple[Shape, ...]:
    return (line((-9, -3), (9, -3)), line((-9, 3), (9, 3)))


def _capacitor(steps: int) -> Symbol:
    arrow = (line((-10, 9), (10, -9)), Polygon(((10, -9), (5.5, -7.6), (8, -4.6)), SOLID)) if steps > 1 else ()
    return ending((line((0, -12), (0, -3)), *_plates(), *arrow, line((0, 3), (0, 14)), *earth(0, 14)), -12, 10, 22)


def _bank(e: CapacitorBank) -> Symbol:
    return _capacitor(e.steps)


def _reactor_to_earth() -> Symbol:
    return ending((line((0, -12), (0, -9)), *coil(0, -9, 3), line((0, 9), (0, 14)), *earth(0, 14)), -12, 6, 20)


def _shunt_reactor(e: ShuntReactor) -> Symbol:
    return _reactor_to_earth()


def _shunt(e: Shunt) -> Symbol:
    return _capacitor(1) if e.q_mvar >= 0 else _reactor_to_earth()


# --- measuring and protection


def _relay(e: Relay) -> Symbol:
    text = "I≫" if e.i_high_a is not None else "I>"
    return Symbol((Rect(-10, -7, 20, 14, PAPER, 1.5), Text(0, 3.4, text, LETTER, 9, "middle", bold=True)), (), 10, -7, 7)


def _zone_relay(e: ZoneRelay) -> Symbol:
    text = "Id" if e.function == "differential" else "light"
    return Symbol((Rect(-10, -7, 20, 14, PAPER, 1.5), Text(0, 3.2, text, LETTER, 8, "middle", bold=True)), (), 10, -7, 7)


def _protection_signal(e: ProtectionSignal) -> Symbol:
    """An arrow toward the breaker that it acts on, barred where it only makes it wait."""
    shapes = [line((-8, 0), (8, 0)), line((3, -4), (8, 0)), line((3, 4), (8, 0))]
    return Symbol((*shapes, *([line((-3, -5), (-3, 5))] if e.does == "restrains" else [])), (), 8, -5, 5)


def _current_transformer(e: CurrentTransformer) -> Symbol:
    return Symbol((Circle(0, 0, 5.5, Style(cls="s")), line((5.5, 0), (11, 0)), line((7, -3), (7, 3)), line((9, -3), (9, 3))), (), 11, -6, 6)


def _voltage_transformer(e: VoltageTransformer) -> Symbol:
    return ending((Circle(0, -3, 6.5, PAPER), Circle(0, 5, 6.5, DRAWN), line((0, -14), (0, -9.5))), -14, 7, 12)


IEC_60617: dict[type[Element], Callable[..., Symbol]] = {
    Breaker: _breaker, Switch: _switch, Contactor: _contactor, Fuse: _fuse, Changeover: _changeover, Transformer: _transformer,
    Autotransformer: _autotransformer, ThreeWindingTransformer: _three_winding, EarthingTransformer: _earthing_transformer, Cable: _cable,
    OverheadLine: _line, Trunking: _trunking, SeriesReactor: _series_reactor, StepRegulator: _step_regulator, EquivalentBranch: _equivalent, Infeed: _infeed,
    SynchronousGenerator: _generator, Inverter: _inverter, InductionMotor: _motor, SynchronousMotor: _synchronous_motor, Load: _load,
    Rectifier: _rectifier, CapacitorBank: _bank, ShuntReactor: _shunt_reactor, Shunt: _shunt, Relay: _relay, ZoneRelay: _zone_relay,
    ProtectionSignal: _protection_signal, CurrentTransformer: _current_transformer, VoltageTransformer: _voltage_transformer,
}  # fmt: skip


class Transform:
    """Mirror if asked, turn by quarter turns clockwise, then shift."""

    def __init__(self, x: float, y: float, turn: int = 0, upside_down: bool = False, left_right: bool = False) -> None:
        self.x, self.y, self.turn, self.flip, self.mirror = x, y, turn % 4, upside_down, left_right

    def __call__(self, p: Point) -> Point:
        px, py = -p[0] if self.mirror else p[0], -p[1] if self.flip else p[1]
        for _ in range(self.turn):
            px, py = -py, px
        return self.x + px, self.y + py
