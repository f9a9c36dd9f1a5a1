"""When a faulted place is cut off from its last source, and by which device.

Each device opens at its own time. The place stays fed as long as some path to a source has no open device on it: of every path the
first device to open counts, of all paths the one that stays longest. This serves boards with one supply, with several, and places on
the line side of their own main, without a special case.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from northfell.core.network import Compiled
from northfell.core.studies.protection.devices import Device


@dataclass(frozen=True)
class Isolation:
    """Time at which the last source is cut off [s], infinite if never; the deciding device and those first met from the place."""

    t_s: float
    device: str | None  # id of the switch that decides
    first_met: tuple[str, ...]  # devices first met on the ways to the sources


class Zones:
    """The parts of a network between its devices: what no device can part. Found once, asked for many faults."""

    def __init__(self, net: Compiled, devices: Mapping[str, Device]) -> None:
        top = net.topology
        closed = list(zip(top.closed_ids, top.closed_from.tolist(), top.closed_to.tolist(), strict=True))
        bare = [(a, b) for closed_id, a, b in closed if closed_id not in devices]
        joined = [*zip(net.branches.from_bus.tolist(), net.branches.to_bus.tolist(), strict=True), *bare]
        n = len(top.bus_ids)
        ends = np.array(joined, np.intp).reshape(-1, 2)
        graph = coo_array((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(n, n))
        _, labels = connected_components(graph, directed=False) if n else (0, np.zeros(0, int))
        self.zone_of_bus: list[int] = labels.tolist()
        self.gates = [(closed_id, self.zone_of_bus[a], self.zone_of_bus[b]) for closed_id, a, b in closed if closed_id in devices]
        self.sources = {self.zone_of_bus[top.bus_index[e.buses[0]]] for e in net.taking_part.values() if e.feeds}

    def isolate(self, bus: int, opens_at_s: Mapping[str, float]) -> Isolation:
        """Cut a bus off from its sources by devices that open at given times.

        Parameters
        ----------
        bus : int
            Where the fault is.
        opens_at_s : mapping of switch id to float
            When each device has opened for this fault; infinite for never.
        """
        zone = self.zone_of_bus[bus]
        first_met = self._first_met(zone)
        if zone in self.sources:
            return Isolation(math.inf, None, first_met)
        # join in the order in which devices would be the last to open: what completes the first path decides
        parent: dict[int, int] = {}

        def find(z: int) -> int:
            while (up := parent.get(z, z)) != z:
                z = up
            return z

        for t, device, a, b in sorted(((opens_at_s.get(d, math.inf), d, a, b) for d, a, b in self.gates), key=lambda gate: -gate[0]):
            parent[find(a)] = find(b)
            if any(find(zone) == find(s) for s in self.sources):
                return Isolation(t, device, first_met)
        return Isolation(0.0, None, first_met)

    def on_a_way(self, bus: int, device: str) -> bool:
        """Whether a device stands on some way from a bus to a source: when it opens then matters to a fault there."""
        parent: dict[int, int] = {}

        def find(z: int) -> int:
            while (up := parent.get(z, z)) != z:
                z = up
            return z

        for d, a, b in self.gates:
            if d != device:
                parent[find(a)] = find(b)
        here, fed = find(self.zone_of_bus[bus]), {find(s) for s in self.sources}
        ends = next(((find(a), find(b)) for d, a, b in self.gates if d == device), None)
        return ends is not None and ((here == ends[0] and ends[1] in fed) or (here == ends[1] and ends[0] in fed))

    def _first_met(self, zone: int) -> tuple[str, ...]:
        """Devices at the edge of a zone with a source somewhere beyond them."""
        links: dict[int, set[int]] = {}
        for _, a, b in self.gates:
            if zone not in (a, b):
                links.setdefault(a, set()).add(b)
                links.setdefault(b, set()).add(a)
        reach = self.sources - {zone}
        stack = list(reach)
        while stack:
            new = links.get(stack.pop(), set()) - reach
            reach = reach | new
            stack.extend(new)
        return tuple(d for d, a, b in self.gates if a != b and zone in (a, b) and (a if b == zone else b) in reach)
