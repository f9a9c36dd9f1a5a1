"""Symbols that IEEE 315 draws otherwise than IEC 60617; all others are the same in both."""

from collections.abc import Callable

from northfell.core.model.elements import Breaker, CapacitorBank, Contactor, Element, Fuse, SeriesReactor, Shunt, Switch, Transformer  # fmt: skip
from northfell.drawing.shapes import Arc, Line, Rect, Shape, Style
from northfell.drawing.symbols import DRAWN, IEC_60617, PAPER, Symbol, coil, earth, ending, line, star_point, through

FILLED = Style(cls="s f")


def symbol_of(element: Element, standard: str) -> Symbol:
    """The symbol of an element in its position, after the standard that the project chose."""
    table = IEEE_315 if standard == "IEEE 315" else IEC_60617
    return table[type(element)](element)


def _breaker(e: Breaker) -> Symbol:
    """A square, filled while closed; drawn out at both ends if it can be withdrawn."""
    shapes: tuple[Shape, ...] = (line((0, -12), (0, -7)), Rect(-7, -7, 14, 14, FILLED if e.closed else PAPER), line((0, 7), (0, 12)))
    if e.design == "withdrawable":
        ends = tuple(line((-4, y), (0, y + d), (4, y)) for y, d in ((-16.5, 4.5), (16.5, -4.5)))
        return Symbol((*shapes, *ends, line((0, -18), (0, -12)), line((0, 12), (0, 18))), ((0, -18), (0, 18)), 8, -18, 18)
    return through(shapes, 12)


def _switch(e: Switch) -> Symbol:
    blade = line((0, 7), (0, -7)) if e.closed else line((0, 7), (-7, -5))
    load_breaking = () if e.function == "disconnector" else (line((-5, 2), (1, -1)),)
    return through((line((0, -12), (0, -7)), line((-3, -7), (3, -7)), blade, *load_breaking, line((0, 7), (0, 12))), 12)


def _contactor(e: Contactor) -> Symbol:
    """Two parallel contacts; a stroke across them while closed."""
    stroke = (line((-7, 5), (7, -5)),) if e.closed else ()
    return through((line((0, -12), (0, -3)), line((-7, -3), (7, -3)), line((-7, 3), (7, 3)), *stroke, line((0, 3), (0, 12))), 12)


def _fuse(e: Fuse) -> Symbol:
    if e.closed:
        return through((line((0, -12), (0, -9)), Arc((0, -9), (0, 0), 4.5, DRAWN), Arc((0, 9), (0, 0), 4.5, DRAWN), line((0, 9), (0, 12))), 12)
    return IEC_60617[Fuse](e)


def _transformer(e: Transformer) -> Symbol:
    """Two rows of windings side by side across the line."""
    upper = tuple(_across(coil(0, 0, 4, 3.5), -14, -5))
    lower = tuple(_across(coil(0, 0, 4, 3.5), -14, 5, upside_down=True))
    core = (line((-13, -1.5), (13, -1.5)), line((-13, 1.5), (13, 1.5)))
    points = (*star_point(e.neutral_hv, -14, -6), *star_point(e.neutral_lv, -14, 6))
    return through((*upper, *lower, *core, line((0, -25), (0, -9)), line((0, 9), (0, 25)), *points), 25, 15)


def _across(coils: tuple[Shape, ...], x: float, y: float, upside_down: bool = False) -> list[Shape]:
    """Half circles laid along the horizontal, bulging away from the core."""
    laid: list[Shape] = []
    for arc in coils:
        assert isinstance(arc, Arc)
        (_, y1), (_, y2) = arc.start, arc.end
        a, b = (x + y1, y), (x + y2, y)
        laid.append(Arc(b, a, arc.r, arc.style) if upside_down else Arc(a, b, arc.r, arc.style))
    return laid


def _plates(e: CapacitorBank | Shunt) -> Symbol:
    """One plate straight, one bent."""
    if isinstance(e, Shunt) and e.q_mvar < 0:
        return IEC_60617[Shunt](e)
    bent = Line(((-9, 5), (-5, 3.4), (0, 2.8), (5, 3.4), (9, 5)), DRAWN)
    return ending((line((0, -12), (0, -2)), line((-9, -2), (9, -2)), bent, line((0, 2.8), (0, 14)), *earth(0, 14)), -12, 10, 20)


def _series_reactor(e: SeriesReactor) -> Symbol:
    return through((line((0, -20), (0, -12)), *coil(0, -12, 4), line((0, 12), (0, 20))), 20, 6)


IEEE_315: dict[type[Element], Callable[..., Symbol]] = {
    **IEC_60617, Breaker: _breaker, Switch: _switch, Contactor: _contactor, Fuse: _fuse, Transformer: _transformer, CapacitorBank: _plates, Shunt: _plates,
    SeriesReactor: _series_reactor,
}  # fmt: skip
