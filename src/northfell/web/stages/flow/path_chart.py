"""Voltage against the path from the source to a bus, element by element, as shapes."""

from collections.abc import Sequence

from northfell.core.model.elements import Bus, Changeover, Switching
from northfell.core.model.settings import Limits
from northfell.core.quantities import fixed
from northfell.core.studies.load_flow import LoadFlow
from northfell.core.studies.load_flow.path import Leg
from northfell.drawing.metrics import width as width_of
from northfell.drawing.shapes import Circle, Line, Shape, Style, Text

LEFT, RIGHT, TOP, BOTTOM = 40.0, 14.0, 18.0, 26.0
GRID, LIMIT, CURVE, POINT, SMALL = Style(cls="grid"), Style(cls="limit"), Style(cls="profile"), Style(cls="profile-point"), Style(cls="d")


def path_shapes(legs: Sequence[Leg], flow: LoadFlow, limits: Limits, width: float, height: float) -> list[Shape]:
    """The fall of the voltage along the legs; switches, which have none, take no room. Scale in percent of nominal."""
    if not legs:
        return []
    shown = [leg for leg in legs if not isinstance(leg.element, Switching | Changeover)] or list(legs)
    values = [100 * shown[0].v_from_pu, *(100 * leg.v_to_pu for leg in shown)]
    low = min(100 - limits.voltage_breach_pct, *values) - 1
    high = max(100 + limits.voltage_breach_pct, *values) + 1
    step = (width - LEFT - RIGHT) / max(len(shown), 1)

    def at(n: float, pct: float) -> tuple[float, float]:
        return LEFT + step * n, TOP + (height - TOP - BOTTOM) * (high - pct) / (high - low)

    shapes: list[Shape] = []
    for pct, style in ((100.0, GRID), (100 - limits.voltage_breach_pct, LIMIT), (100 + limits.voltage_breach_pct, LIMIT)):
        _, y = at(0, pct)
        shapes += [Line(((LEFT, y), (width - RIGHT, y)), style), Text(LEFT - 5, y + 3.5, fixed(pct, 0), SMALL, 10, "end", mono=True)]
    shapes.append(Text(LEFT - 5, TOP - 7, "%", SMALL, 10, "end"))
    shapes.append(Line(tuple(at(n, v) for n, v in enumerate(values)), CURVE))
    stops = [shown[0].from_bus, *(leg.to_bus for leg in shown)]
    room_from = 0.0
    for n, (bus_id, v) in enumerate(zip(stops, values, strict=True)):
        x, y = at(n, v)
        shapes.append(Circle(x, y, 2.6, POINT))
        bus = flow.net.elements[bus_id]
        half = width_of(bus.name, 10) / 2
        x_name = min(max(x, half), width - half)
        named = not (isinstance(bus, Bus) and bus.bus_kind == "junction")
        if named and x_name - half >= room_from:  # a name that would run into the one before is left out
            shapes.append(Text(x_name, height - 8, bus.name, SMALL, 10, "middle"))
            room_from = x_name + half + 6
    for n, leg in enumerate(shown):
        x, y = at(n + 0.5, (values[n] + values[n + 1]) / 2)
        told = leg.element.name
        if width_of(told, 10) < step - 4:
            shapes.append(Text(x, y - 7, told, SMALL, 10, "middle"))
    x, y = at(len(values) - 1, values[-1])
    below = len(values) > 1 and values[-1] < values[-2]  # clear of the line that leads there
    shapes.append(Text(min(x, width - 2), y + 15 if below else y - 8, f"{fixed(values[-1], 1)} %", Style(cls="v"), 11, "end"))
    return shapes
