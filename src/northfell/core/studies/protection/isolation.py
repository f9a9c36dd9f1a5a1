"""When a faulted place is cut off from its last source, and by which device.

Each device opens at its own time. The place stays fed as long as some path to a source has no open device on it: of every path the
first device to open counts, of all paths the one that stays longest. This serves boards with one supply, with several, and places on
the line side of their own main, without a special case.
"""

import heapq
import math
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

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
    """The parts of a network between its devices: what no device can part. Found once, asked for many faults.

    A zone that has no source and hangs on one device alone leads nowhere else: from there the way goes through that device. What is left
    when all such zones are taken off, one after the other, is the core: the sources, and what stands between several of them.
    """

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
        self.gates: list[tuple[str, int, int]] = [(closed_id, self.zone_of_bus[a], self.zone_of_bus[b]) for closed_id, a, b in closed if closed_id in devices]
        self.sources = {self.zone_of_bus[top.bus_index[e.buses[0]]] for e in net.taking_part.values() if e.feeds}
        self._at: dict[int, set[int]] = {}  # zone -> numbers of the gates that lead out of it
        for k, (_, a, b) in enumerate(self.gates):
            if a != b:
                self._at.setdefault(a, set()).add(k)
                self._at.setdefault(b, set()).add(k)
        self.exits = self._without_dead_ends()
        self._first_met: dict[int, tuple[str, ...]] = {}

    def _without_dead_ends(self) -> dict[int, tuple[int, int] | None]:
        """Of each zone outside the core the gate and the zone that it leads to, None where there is none; what is left of `_at` is the core."""
        exits: dict[int, tuple[int, int] | None] = {}
        ends = [zone for zone in {*self.zone_of_bus} if zone not in self.sources and len(self._at.get(zone, ())) < 2]
        while ends:
            zone = ends.pop()
            gate = next(iter(self._at.pop(zone, ())), None)
            if gate is None:
                exits[zone] = None
                continue
            beyond = self._beyond(gate, zone)
            exits[zone] = gate, beyond
            self._at[beyond].discard(gate)
            if beyond not in self.sources and len(self._at[beyond]) == 1:
                ends.append(beyond)
        return exits

    def _beyond(self, gate: int, zone: int) -> int:
        a, b = self.gates[gate][1:]
        return b if a == zone else a

    def _way_into_the_core(self, zone: int) -> tuple[list[int], int | None]:
        """The gates from a zone to the core, and where they lead; None where they lead nowhere."""
        gates: list[int] = []
        while zone in self.exits:
            step = self.exits[zone]
            if step is None:
                return gates, None
            gates.append(step[0])
            zone = step[1]
        return gates, zone

    def devices_of_interest(self, bus: int) -> list[str]:
        """The devices whose opening times decide when a bus is cut off."""
        gates, core = self._way_into_the_core(self.zone_of_bus[bus])
        within = [] if core is None or core in self.sources else sorted({k for gates in self._at.values() for k in gates})
        return [self.gates[k][0] for k in (*gates, *within)]

    def isolate(self, bus: int, opens_at_s: Mapping[str, float]) -> Isolation:
        """Cut a bus off from its sources by devices that open at given times.

        Of every way to a source the first device to open counts, of all ways the one that stays longest: a widest path. Of devices that open
        together the later in the network decides.

        Parameters
        ----------
        bus : int
            Where the fault is.
        opens_at_s : mapping of switch id to float
            When each device has opened for this fault; infinite for never. Only `devices_of_interest` are asked for.
        """
        zone = self.zone_of_bus[bus]
        first_met = self.met_first(zone)
        if zone in self.sources:
            return Isolation(math.inf, None, first_met)

        def stays(gate: int) -> tuple[float, int]:
            return opens_at_s.get(self.gates[gate][0], math.inf), -gate

        gates, core = self._way_into_the_core(zone)
        least = min(map(stays, gates), default=None)
        if core is not None and core not in self.sources:
            through = self._widest(core, stays)
            least = None if through is None else min(one for one in (least, through) if one is not None)
        if core is None or least is None:
            return Isolation(0.0, None, first_met)
        return Isolation(least[0], self.gates[-least[1]][0], first_met)

    def isolate_each(self, bus: int, opens_at_s: Mapping[str, Sequence[float]], faults: int) -> list[Isolation]:
        """The same for many faults at a bus: of some devices when each opens for each of them."""
        zone = self.zone_of_bus[bus]
        gates, core = self._way_into_the_core(zone)
        if not gates or core not in self.sources:
            return [self.isolate(bus, {d: times[n] for d, times in opens_at_s.items()}) for n in range(faults)]
        last = self.gates[max(gates)][0]  # of those that open together the later in the network decides
        ordered = [(d, opens_at_s[d]) for d in (self.gates[k][0] for k in sorted(gates, reverse=True)) if d in opens_at_s]
        first_met, found = self.met_first(zone), []
        for n in range(faults):
            least, decides = math.inf, last
            for d, times in ordered:
                if times[n] < least:
                    least, decides = times[n], d
            found.append(Isolation(least, decides, first_met))
        return found

    def _widest(self, zone: int, stays: Callable[[int], tuple[float, int]]) -> tuple[float, int] | None:
        """Of the ways from a zone of the core to a source, the first device to open on the one that stays longest; None where there is none."""
        heap: list[tuple[float, int, int]] = []  # what stays longest first
        seen = {zone}
        bottleneck: tuple[float, int] | None = None
        at = zone
        while True:
            for gate in self._at.get(at, ()):
                if (other := self._beyond(gate, at)) not in seen:
                    t, number = stays(gate)
                    heapq.heappush(heap, (-t, -number, other))
            while heap and heap[0][2] in seen:
                heapq.heappop(heap)
            if not heap:
                return None
            t, number, at = heapq.heappop(heap)
            seen.add(at)
            reached = -t, -number
            bottleneck = reached if bottleneck is None else min(bottleneck, reached)
            if at in self.sources:
                return bottleneck

    def left_at(self, bus: int, opened: Collection[str]) -> set[int]:
        """The zones that are still joined to a bus once some devices have opened."""
        reached = {self.zone_of_bus[bus]}
        ends = list(reached)
        while ends:
            at = ends.pop()
            beyond = {b if a == at else a for d, a, b in self._gates_at.get(at, ()) if d not in opened} - reached
            reached |= beyond
            ends.extend(beyond)
        return reached

    @cached_property
    def _gates_at(self) -> dict[int, list[tuple[str, int, int]]]:
        found: dict[int, list[tuple[str, int, int]]] = {}
        for gate in self.gates:
            for zone in gate[1:]:
                found.setdefault(zone, []).append(gate)
        return found

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

    def met_first(self, zone: int) -> tuple[str, ...]:
        """Devices at the edge of a zone with a source somewhere beyond them."""
        if zone not in self._first_met:
            step = self.exits.get(zone)
            if step is not None:
                self._first_met[zone] = (self.gates[step[0]][0],) if self._way_into_the_core(zone)[1] is not None else ()
            else:
                self._first_met[zone] = self._edge_of_the_core(zone)
        return self._first_met[zone]

    def _edge_of_the_core(self, zone: int) -> tuple[str, ...]:
        reach = self.sources - {zone}
        stack = list(reach)
        while stack:
            at = stack.pop()
            new = {self._beyond(gate, at) for gate in self._at.get(at, ())} - reach - {zone}
            reach = reach | new
            stack.extend(new)
        return tuple(self.gates[k][0] for k in sorted(self._at.get(zone, ())) if self._beyond(k, zone) in reach)
