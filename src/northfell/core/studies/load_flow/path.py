"""From a bus back to what holds its voltage: the way of least impedance to the nearest source that holds one."""

import heapq
from dataclasses import dataclass

import numpy as np

from northfell.core.model.elements import Element
from northfell.core.studies.load_flow.solved import Solved


@dataclass(frozen=True)
class Leg:
    """One element on the way, in the direction from the source."""

    element: Element
    from_bus: str
    to_bus: str
    v_from_pu: float
    v_to_pu: float

    @property
    def drop_pct(self) -> float:
        """Fall of the voltage along it, of nominal."""
        return 100 * (self.v_from_pu - self.v_to_pu)


def path_to_source(flow: Solved, bus_id: str) -> list[Leg]:
    """The legs from the nearest source that holds a voltage to a bus; empty where the bus is not fed or holds its voltage itself."""
    holding = _holding(flow)
    ways = _ways(flow)
    best: dict[str, float] = {bus_id: 0.0}
    onward: dict[str, tuple[Element, str]] = {}  # bus -> the element and bus that lead back to the one asked for
    heap = [(0.0, bus_id)]
    while heap:
        far, at = heapq.heappop(heap)
        if far > best[at]:
            continue
        if at in holding:
            return _legs(flow, at, onward)
        for element, other, z in ways.get(at, ()):
            if far + z < best.get(other, float("inf")):
                best[other], onward[other] = far + z, (element, at)
                heapq.heappush(heap, (far + z, other))
    return []


def _legs(flow: Solved, source: str, onward: dict[str, tuple[Element, str]]) -> list[Leg]:
    legs, at = [], source
    while at in onward:
        element, following = onward[at]
        legs.append(Leg(element, at, following, abs(flow.voltage(at)), abs(flow.voltage(following))))
        at = following
    return legs


def _holding(flow: Solved) -> set[str]:
    """Buses at which a source holds the voltage."""
    net = flow.net
    held = {e.bus for e in net.infeeds}
    return held | {flow.bus_held(g) for g in net.machines if g.mode in ("reference", "voltage") and g.id not in flow.at_limit}


SWITCH = 1e-9  # p.u.: a closed switch is no way at all, but one still counts them


def _ways(flow: Solved) -> dict[str, list[tuple[Element, str, float]]]:
    """Fed neighbours of each bus, with the size of the impedance between."""
    net, b, top = flow.net, flow.net.branches, flow.net.topology
    found: dict[str, list[tuple[Element, str, float]]] = {}
    ends = [*zip(b.from_bus.tolist(), b.to_bus.tolist(), strict=True), *zip(top.closed_from.tolist(), top.closed_to.tolist(), strict=True)]
    z_pu = [*np.abs(b.r_flow + 1j * b.x).tolist(), *[SWITCH] * len(top.closed_ids)]
    for element_id, (x, y), z in zip((*b.ids, *top.closed_ids), ends, z_pu, strict=True):
        if top.fed_bus(x) and top.fed_bus(y):
            one, other = top.bus_ids[x], top.bus_ids[y]
            found.setdefault(one, []).append((net.elements[element_id], other, z))
            found.setdefault(other, []).append((net.elements[element_id], one, z))
    return found
