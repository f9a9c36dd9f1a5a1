"""The currents that equipment meets: what flows at a bus, and the part of it that each closed device carries, for faults of every kind that is known."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from northfell.core.model.elements import Element
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes
from northfell.core.studies.short_circuit import (  # fmt: skip
    FAULT_WORDS,
    IecCase,
    IeeeCase,
    ShortCircuit,
    as_phases,
    at_own_buses,
    direct_current_ka,
    heat_of_direct_part,
    peak_current_ka,
    peak_factor,
)

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
        self._at_all: dict[str, list[list[float]]] = {}  # by fault
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
            asked = [(e.id, b, self.net.terminals.of(e.id).start + e.buses.index(self.net.topology.bus_ids[b])) for b in buses for e in at[b]]
            if not asked:
                continue
            where = [number for _, _, number in asked]
            early = largest(at_own_buses(self.case, buses, fault)[where], fault)
            late = largest(at_own_buses(self.case.interrupting, buses, fault)[where], fault) if isinstance(self.case, IeeeCase) else early
            found |= {(e, b, fault): parts for (e, b, _), parts in zip(asked, zip(early, late, strict=True), strict=True)}
        return found

    def at_bus(self, bus: int, fault: str) -> Meets:
        """What flows at a bus."""
        if fault not in self._at_all:
            self._at_all[fault] = self._columns(fault)
        ik, ip, ib, i_dc, ith, ratio, late = (column[bus] for column in self._at_all[fault])
        return Meets(bus, fault, ik, ip, ib, i_dc, ith, ratio, late)

    def _columns(self, fault: str) -> list[list[float]]:
        """What flows at all buses, in the order of `Meets`."""
        one = self.case
        ik, ib, ip, ratio = one.of(fault).ik_ka, one.breaking_ka(fault), one.peak_ka(fault), one.x_over_r(fault)
        if isinstance(one, IecCase):
            columns = ik, ip, ib, one.dc_ka(fault), one.thermal_ka(fault), ratio, ratio
        else:
            none = np.full(len(ik), math.nan)
            columns = ik, ip, ib, none, none, ratio, one.interrupting.x_over_r(fault)
        return [column.tolist() for column in columns]

    def _part(self, e: Element, whole: Meets, early: float, late: float) -> Meets:
        """The part of it that a device carries: it is not taken to decay faster than the whole, nor than what stands behind it lets it."""
        share = early / whole.ik if whole.ik else 0.0
        if not isinstance(self.case, IecCase):  # multipliers go by X/R at the fault
            return replace(whole, ik=early, ip=whole.ip * share, ib=late)
        peak, later = self._ratios.get((e.id, whole.bus), (math.nan, math.nan))
        most = max(share, 1.0)  # a part brings no more than the whole of what they share
        ip, i_dc, ith = whole.ip * share, whole.i_dc * share, whole.ith * share
        if math.isfinite(peak) and math.isfinite(later):
            settings, f_hz = self.faults.settings, self.net.frequency_hz
            kappa = float(peak_factor(peak))
            ip = max(ip, min(whole.ip * most, float(peak_current_ka(kappa, early))))
            i_dc = max(i_dc, min(whole.i_dc * most, float(direct_current_ka(early, f_hz, settings.t_min_s, later))))
            ith = max(ith, min(whole.ith * most, early * math.sqrt(float(heat_of_direct_part(kappa, f_hz, settings.t_k_s)) + 1)))
        return replace(whole, ik=early, ip=ip, ib=min(whole.ib, early), i_dc=i_dc, ith=ith)

    @cached_property
    def _ratios(self) -> dict[tuple[str, int], tuple[float, float]]:
        """R/X of what each closed device carries into faults at its buses, for the peak and at the least time delay."""
        if not isinstance(self.case, IecCase):
            return {}
        places = list(dict.fromkeys((e, bus) for e, bus, _ in self._through))
        terminals = [self.net.terminals.of(e).start for e, _ in places]
        peak, late = self.case.of_parts([bus for _, bus in places], terminals)
        return dict(zip(places, zip(peak.tolist(), late.tolist(), strict=True), strict=True))

    def through(self, e: Element) -> list[Meets]:
        """What a closed device carries for faults at its two buses, line and load side."""
        buses = (self.net.topology.bus_index[bus] for bus in e.buses)
        return [
            self._part(e, self.at_bus(b, fault), *self._through[e.id, b, fault])
            for b in buses for fault in self.known.get(b, ()) if (e.id, b, fault) in self._through
        ]  # fmt: skip

    def told(self, m: Meets, symbol: str, value: float) -> Step:
        """Where a current comes from, as a step of a working."""
        name = self.net.name(self.net.topology.bus_ids[m.bus])
        return f"Current, {FAULT_WORDS[m.fault].lower()} fault at {name}", symbol, "by superposition", value, "kA", self.faults.method

    @cached_property
    def f_hz(self) -> int:
        return round(self.net.frequency_hz)


def largest(sequences: Complexes, fault: str) -> list[float]:
    """Current of the phase that carries most, of each place (place, sequence)."""
    most: list[float] = (np.abs(sequences[:, 0]) if fault == "3ph" else np.abs(as_phases(sequences)).max(axis=-1)).tolist()
    return most


def fed_places(net: Compiled, e: Element, fed: set[int]) -> bool:
    """Whether a device stands at a bus that is fed."""
    return any(net.topology.bus_index[b] in fed for b in e.buses)
