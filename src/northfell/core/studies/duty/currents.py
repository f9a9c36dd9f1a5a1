"""The currents that equipment meets: what flows at a bus, and the part of it that each closed device carries, for faults of every kind that is known."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from northfell.core.model.elements import Element
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes
from northfell.core.studies.short_circuit import FAULT_WORDS, IecCase, IeeeCase, ShortCircuit, as_phases

BLOCK = 128  # faults at a time
CONSIDERED = ("3ph", "lg", "llg")  # of which the one that asks most counts; those to earth where they are known
Step = tuple[str, str, str, float, str, str]  # title, symbol, equation, value, unit, source


@dataclass(frozen=True)
class Meets:
    """What flows at one place for one fault, with what the school makes of it [kA]."""

    bus: int
    fault: str
    ik: float  # initial, or first-cycle
    ip: float
    ib: float  # breaking, or of the interrupting network
    i_dc: float  # at the least time delay; nan in the other school
    ith: float
    x_over_r: float
    x_over_r_late: float


class Currents:
    """Currents of a state at all places."""

    def __init__(self, faults: ShortCircuit, switching: Sequence[Element]) -> None:
        self.faults, self.net, self.case = faults, faults.net, faults.cases["max"]
        self.ieee = isinstance(self.case, IeeeCase)
        self.fed = set(faults.fed_buses())
        self.known = {b: [f for f in CONSIDERED if np.isfinite(self.case.of(f).ik_ka[b])] for b in self.fed}
        self.closed = frozenset(self.net.topology.closed_ids)
        self._through = self._of_devices([e for e in switching if e.id in self.closed])

    def _of_devices(self, devices: Sequence[Element]) -> dict[tuple[str, int, str], tuple[float, float]]:
        """Current through each closed device for faults at its two buses: by element, bus and fault; initial and late [kA]."""
        at: dict[int, list[Element]] = {}
        for e in devices:
            for bus in e.buses:
                index = self.net.topology.bus_index[bus]
                if index in self.fed:
                    at.setdefault(index, []).append(e)
        found: dict[tuple[str, int, str], tuple[float, float]] = {}
        for fault in CONSIDERED:
            buses = [b for b in at if fault in self.known[b]]
            for start in range(0, len(buses), BLOCK):
                some = buses[start : start + BLOCK]
                early = self.case.flows(some, fault)
                late = self.case.interrupting.flows(some, fault) if isinstance(self.case, IeeeCase) else early
                for k, b in enumerate(some):
                    for e in at[b]:
                        first = self.net.terminals.of(e.id).start
                        found[e.id, b, fault] = largest(early.terminals[first, k], fault), largest(late.terminals[first, k], fault)
        return found

    def at_bus(self, bus: int, fault: str, share: float = 1.0, late: float = 1.0) -> Meets:
        """What flows at a bus, or the part of it that a device carries."""
        one = self.case
        ik, ib = float(one.of(fault).ik_ka[bus]) * share, float(one.breaking_ka(fault)[bus])
        ratio = float(one.x_over_r(fault)[bus])
        if isinstance(one, IecCase):  # the decay of a part is not told apart from that of the whole: it is not taken below it
            i_dc, ith, ratio_late, ib = float(one.dc_ka(fault)[bus]) * share, float(one.thermal_ka(fault)[bus]) * share, ratio, min(ib, ik)
        else:
            i_dc, ith, ratio_late, ib = math.nan, math.nan, float(one.interrupting.x_over_r(fault)[bus]), ib * late
        return Meets(bus, fault, ik, float(one.peak_ka(fault)[bus]) * share, ib, i_dc, ith, ratio, ratio_late)

    def through(self, e: Element) -> list[Meets]:
        """What a closed device carries for faults at its two buses, line and load side."""
        found = []
        for b in (self.net.topology.bus_index[bus] for bus in e.buses):
            for fault in self.known.get(b, ()):
                if (e.id, b, fault) in self._through:
                    early, late = self._through[e.id, b, fault]
                    whole, late_whole = float(self.case.of(fault).ik_ka[b]), float(self.case.breaking_ka(fault)[b])
                    found.append(self.at_bus(b, fault, early / whole if whole else 0.0, late / late_whole if late_whole else 0.0))
        return found

    def told(self, m: Meets, symbol: str, value: float) -> Step:
        """Where a current comes from, as a step of a working."""
        name = self.net.name(self.net.topology.bus_ids[m.bus])
        return f"Current, {FAULT_WORDS[m.fault].lower()} fault at {name}", symbol, "by superposition", value, "kA", self.faults.method

    @cached_property
    def f_hz(self) -> int:
        return round(self.net.frequency_hz)


def largest(sequences: Complexes, fault: str) -> float:
    """Current of the phase that carries most."""
    return float(abs(sequences[0])) if fault == "3ph" else float(np.abs(as_phases(sequences)).max())


def fed_places(net: Compiled, e: Element, fed: set[int]) -> bool:
    """Whether a device stands at a bus that is fed."""
    return any(net.topology.bus_index[b] in fed for b in e.buses)
