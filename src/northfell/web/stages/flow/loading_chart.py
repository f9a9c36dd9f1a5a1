"""Voltage of the weakest bus over the load that is raised, as shapes."""

import math

from northfell.core.model.settings import Limits
from northfell.core.quantities import figure, fixed
from northfell.core.studies.load_flow.maximum import MaximumLoading
from northfell.drawing.shapes import Circle, Line, Shape, Style, Text
from northfell.web.stages.flow.path_chart import BOTTOM, CURVE, GRID, LEFT, LIMIT, POINT, RIGHT, SMALL, TOP

VALUE = Style(cls="v")


def loading_shapes(found: MaximumLoading, limits: Limits, width: float, height: float) -> list[Shape]:
    """The curve from the load of today (or none, where there is no solution today) past the most. Power drawn in MW, voltage in percent of nominal."""
    curve = [(mw, 100 * v) for _, mw, v in found.curve]
    top_mw = max(mw for mw, _ in curve) * 1.08 or 1.0
    low = min(100 - limits.voltage_breach_pct, *(v for _, v in curve)) - 2
    high = max(100 + limits.voltage_breach_pct, *(v for _, v in curve)) + 2

    def at(mw: float, pct: float) -> tuple[float, float]:
        return LEFT + (width - LEFT - RIGHT) * mw / top_mw, TOP + (height - TOP - BOTTOM) * (high - pct) / (high - low)

    shapes: list[Shape] = []
    for pct, style in ((100.0, GRID), (100 - limits.voltage_breach_pct, LIMIT), (100 + limits.voltage_breach_pct, LIMIT)):
        y = at(0, pct)[1]
        shapes += [Line(((LEFT, y), (width - RIGHT, y)), style), Text(LEFT - 5, y + 3.5, fixed(pct, 0), SMALL, 10, "end", mono=True)]
    shapes.append(Text(LEFT - 5, TOP - 7, "%", SMALL, 10, "end"))
    step = _round_step(top_mw)
    for n in range(int(top_mw / step) + 1):
        x, y = at(n * step, low)
        shapes += [Line(((x, y), (x, y + 4)), GRID), Text(x, y + 15, figure(n * step) if n else "0", SMALL, 10, "middle", mono=True)]
    shapes.append(Text(width - 2, at(0, low)[1] + 15, "MW", SMALL, 10, "end"))
    shapes.append(Line(tuple(at(mw, pct) for mw, pct in curve), CURVE))
    now, most = curve[0], max(curve)
    for told, (mw, pct), dx, dy, anchor in (
        ("today" if found.curve[0][0] > 0 else "no load", now, 0, -8, "start"),
        (f"{figure(most[0])} MW at {fixed(most[1], 1)} %", most, -8, 14, "end"),
    ):
        x, y = at(mw, pct)
        shapes += [Circle(x, y, 2.8, POINT), Text(x + dx, y + dy, told, VALUE, 11, anchor)]
    return shapes


def _round_step(span: float) -> float:
    """A step of 1, 2 or 5 times a power of ten, of which four to nine fit."""
    power = 10 ** math.floor(math.log10(span / 4))
    return float(next(k * power for k in (5, 2, 1) if k * power <= span / 4))
