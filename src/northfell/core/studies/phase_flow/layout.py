"""Where the buses of a feeder stand in its picture: on their coordinates, or, where they have none, along their ways from the source."""

from collections.abc import Mapping

from northfell.core.model.elements import Bus
from northfell.core.network import Compiled
from northfell.core.studies.phase_flow.tree import Reach

Places = dict[str, tuple[float, float]]
LEAST_M = 120.0  # of a step without length, and between neighbours
BESIDE_M = (30.0, -22.0)


def placed(net: Compiled, ways: Mapping[str, Reach]) -> tuple[Places, str]:
    """East and north of every bus [m], and what is to be known of it.

    With coordinates at any bus, those without stand beside the bus before them; without any at all, each stands at its distance from the
    source to the east, branches below each other.
    """
    buses = {e.id: e for e in net.elements.values() if isinstance(e, Bus)}
    given = {i: (float(e.east_m), float(e.north_m)) for i, e in buses.items() if e.east_m is not None and e.north_m is not None}
    if not given:
        return _along(ways, list(buses)), "No bus has coordinates: places are computed along the ways from the source."
    found, steps = dict(given), dict[str, int]()
    for i in sorted((i for i in buses if i not in given), key=lambda i: ways[i].distance_m if i in ways else 0.0):
        at, n = i, 0
        while at not in found and at in ways and ways[at].before:
            at, n = ways[at].before, n + 1
        x, y = found.get(at, next(iter(given.values())))
        steps[at] = steps.get(at, 0) + 1
        found[i] = (x + BESIDE_M[0] * steps[at], y + BESIDE_M[1] * steps[at])
    missing = len(buses) - len(given)
    return found, f"{missing} of {len(buses)} buses have no coordinates and stand beside the one before them." if missing else ""


def _along(ways: Mapping[str, Reach], buses: list[str]) -> Places:
    children: dict[str, list[str]] = {}
    for i, way in ways.items():
        children.setdefault(way.before, []).append(i)
    found: Places = {}
    row = 0.0
    stack = [(root, 0.0) for root in reversed(children.get("", []))]
    last_at_depth: set[str] = set()
    while stack:
        bus, east = stack.pop()
        if bus in last_at_depth:
            row -= LEAST_M
        found[bus] = (east, row)
        onward = children.get(bus, [])
        for k, other in reversed(list(enumerate(onward))):
            if k:
                last_at_depth.add(other)  # a branch begins a row of its own
            stack.append((other, east + max(ways[other].distance_m - ways[bus].distance_m, LEAST_M)))
    for i in buses:
        if i not in found:
            row -= LEAST_M
            found[i] = (0.0, row)
    return found
