"""The shortest way of every bus from its source, along lines and through everything else that joins."""

import heapq
from dataclasses import dataclass

from northfell.core.model.elements import Conductor, Element, StepRegulator
from northfell.core.network import Compiled
from northfell.core.rules.by_phase import conductors_of


@dataclass(frozen=True)
class Reach:
    """How a bus is reached."""

    distance_m: float
    before: str  # the bus before it; empty at a source
    by: str  # the element between them


def reaches(net: Compiled) -> dict[str, Reach]:
    """By bus the shortest way from a source: lines by their length, all else without one. In a mesh other ways are as real."""
    joining: dict[str, list[tuple[str, float, str]]] = {}
    for e in net.taking_part.values():
        for a, b in _pairs(e, net):
            length = (e.length_m or 0.0) if isinstance(e, Conductor) else 0.0
            joining.setdefault(a, []).append((b, length, e.id))
            joining.setdefault(b, []).append((a, length, e.id))
    heap = [(0.0, e.buses[0], "", "") for e in net.taking_part.values() if e.feeds and e.buses]
    heapq.heapify(heap)
    found: dict[str, Reach] = {}
    while heap:
        distance, bus, before, by = heapq.heappop(heap)
        if bus in found:
            continue
        found[bus] = Reach(distance, before, by)
        for other, length, through in joining.get(bus, ()):
            if other not in found:
                heapq.heappush(heap, (distance + length, other, bus, through))
    return found


def _pairs(e: Element, net: Compiled) -> list[tuple[str, str]]:
    if e.joined is not None:
        return [(e.buses[e.joined[0]], e.buses[e.joined[1]])] if conductors_of(e, net.elements) else []
    if hasattr(e, "closed") or len(e.buses) < 2:
        return []
    return [(e.buses[0], other) for other in e.buses[1:]]


def regulators_before(net: Compiled, ways: dict[str, Reach]) -> dict[str, list[str]]:
    """By regulator those that stand before it on its way, the nearest first."""
    found = {}
    for e in net.taking_part.values():
        if isinstance(e, StepRegulator) and e.from_bus in ways:
            bus, before = e.from_bus, list[str]()
            while ways[bus].before:
                if isinstance(net.elements[ways[bus].by], StepRegulator):
                    before.append(ways[bus].by)
                bus = ways[bus].before
            found[e.id] = before
    return found
