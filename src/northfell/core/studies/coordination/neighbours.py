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

    def standing(self) -> list[Standing]:
        """Every device with each zone that it feeds, in the order of the zones."""
        found: list[Standing] = []
        for zone in sorted(self.buses):
            fed = self._reached({zone})
            for gate in self.at.get(zone, ()):
                behind = self.other(gate, zone)
                if behind in fed:
                    found.append(self._stands(gate, zone, behind))
        return found

    def _stands(self, gate: int, zone: int, behind: int) -> Standing:
        ways = [k for k in self.at[behind] if self.other(k, behind) != zone]
        fed = self._reached({zone, behind}) if ways else set()
        above = tuple(dict.fromkeys(self.gates[k][0] for k in ways if self.other(k, behind) in fed))
        alone = len(self.at[behind]) == 2 and behind not in self._drawing and behind not in self.zones.sources
        return Standing(self.gates[gate][0], zone, behind, above, alone)
