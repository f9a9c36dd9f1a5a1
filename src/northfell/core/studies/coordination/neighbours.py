"""Which device stands before which: for a fault in a zone, those at its edge, and those that should open only if they fail."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from northfell.core.model.elements.consumers import Consumer
from northfell.core.network import Compiled
from northfell.core.studies.protection import Device, Zones


@dataclass(frozen=True)
class Standing:
    """A device that feeds faults in a zone, and those next to it on the ways to the sources."""

    device: str
    zone: int  # in which the faults are
    behind: int  # the zone on its other side
    upstream: tuple[str, ...]
    in_series: bool  # the one before it feeds nothing else: whichever opens, the same loses its supply


class Neighbours:
    """The order of the devices of a state, from its zones."""

    def __init__(self, net: Compiled, devices: Mapping[str, Device]) -> None:
        self.net, self.zones = net, Zones(net, devices)
        self.gates = self.zones.gates
        self.at: dict[int, list[int]] = {}
        for k, (_, a, b) in enumerate(self.gates):
            if a != b:
                self.at.setdefault(a, []).append(k)
                self.at.setdefault(b, []).append(k)
        self.buses: dict[int, list[int]] = {}
        for bus, zone in enumerate(self.zones.zone_of_bus):
            if net.topology.fed_bus(bus) and not net.is_held_back(bus):
                self.buses.setdefault(zone, []).append(bus)
        top = net.topology
        drawing = (e for e in net.taking_part.values() if isinstance(e, Consumer))
        self._drawing = {self.zones.zone_of_bus[top.bus_index[e.buses[0]]] for e in drawing}

    def other(self, gate: int, zone: int) -> int:
        a, b = self.gates[gate][1:]
        return b if a == zone else a

    def _feeding(self, zone: int, without: int | None = None) -> list[int]:
        """The gates of a zone through which a way leads to a source, and not through another zone; in the order of the gates.

        Where a zone hangs on one gate alone there is no need to search.
        """
        if zone in self.zones.exits:
            step = self.zones.exits[zone]
            if step is None or step[1] == without or self.zones.met_first(zone) == ():
                return []
            return [step[0]]
        fed = self._reached({zone} if without is None else {zone, without})
        return [k for k in self.at.get(zone, ()) if self.other(k, zone) in fed]

    def _reached(self, without: Iterable[int]) -> set[int]:
        """The zones that have a way to a source which leads through none of some zones."""
        barred = set(without)
        reached = self.zones.sources - barred
        ends = list(reached)
        while ends:
            zone = ends.pop()
            new = {self.other(k, zone) for k in self.at.get(zone, ())} - reached - barred
            reached |= new
            ends.extend(new)
        return reached

    def way(self, device: str, zone: int) -> int:
        """Which way a current into a zone flows through a device at its edge: 1 from its first terminal to its second, -1 back."""
        return next(1 if self.gates[k][2] == zone else -1 for k in self.at[zone] if self.gates[k][0] == device)

    def standing(self) -> list[Standing]:
        """Every device with each zone that it feeds, in the order of the zones."""
        return [self._stands(gate, zone) for zone in sorted(self.buses) for gate in self._feeding(zone)]

    def _stands(self, gate: int, zone: int) -> Standing:
        behind = self.other(gate, zone)
        above = dict.fromkeys(self.gates[k][0] for k in self._feeding(behind, zone) if self.other(k, behind) != zone)
        alone = len(self.at[behind]) == 2 and behind not in self._drawing and behind not in self.zones.sources
        return Standing(self.gates[gate][0], zone, behind, tuple(above), alone)
