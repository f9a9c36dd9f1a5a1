"""Faults by phase: the least and the greatest current of every kind of fault that the conductors of a bus allow, by its own impedance matrix."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from northfell.core.network import Compiled
from northfell.core.network.phases.parts import Complexes
from northfell.core.network.phases.thevenin import currents
from northfell.core.studies.phase_faults.gathering import CASES, Which
from northfell.core.studies.phase_flow import NEXT
from northfell.core.studies.short_circuit import peak_factor
from northfell.core.tables import Cell, Table, build

EARTH = "earth"
KINDS = {"lg": "one conductor", "ll": "two conductors", "llg": "two conductors to earth", "3ph": "three conductors"}
METHOD_B, MOST_KAPPA, MOST_KAPPA_LV = 1.15, 2.0, 1.8  # of the peak factor, IEC 60909-0, method (b)
_FAULTS = (
    ("state", "", "State"), ("bus", "", "Bus"), ("fault", "", "Fault"), ("ik_max_ka", "kA", "Greatest"), ("ik_min_ka", "kA", "Least"),
    ("earth_max_ka", "kA", "To earth, greatest"), ("earth_min_ka", "kA", "To earth, least"), ("ip_max_ka", "kA", "Peak"),
)  # fmt: skip
_IMPEDANCES = (
    ("state", "", "State"), ("bus", "", "Bus"), ("case", "", "Case"), ("row", "", "Row"), ("column", "", "Column"),
    ("r_ohm", "ohm", "R"), ("x_ohm", "ohm", "X"),
)  # fmt: skip


@dataclass(frozen=True)
class Current:
    """What flows in a fault [kA]."""

    ik: float  # in the conductor that carries most
    earth: float | None  # to earth
    ip: float | None  # peak; of the greatest currents alone


@dataclass(frozen=True)
class PhaseFaults:
    """Impedance matrices of the buses of a state, least and greatest, and the currents of all faults that they allow."""

    net: Compiled
    conductors: Mapping[str, str]  # by bus, those under voltage
    z_ohm: Mapping[Which, Mapping[str, Complexes]]
    e_v: Mapping[Which, Mapping[str, Complexes]]  # equivalent sources
    floats: Mapping[str, bool]
    injected_v: Mapping[str, Complexes]  # by bus, what each converter brings there (conductors, converters); of the greatest currents alone
    r_fault_ohm: float = 0.0  # to earth, in the least currents
    messages: tuple[str, ...] = field(default=())

    @property
    def summary(self) -> Mapping[str, Any]:
        most = max(((one.ik, self.net.name(bus), fault) for (bus, fault, case), one in self.found.items() if case == "max"), default=(None, "", ""))
        return {"buses": len(self.conductors), "highest_ka": most[0], "at": most[1], "fault": most[2]}

    def faults(self, bus: str) -> list[str]:
        """The faults that the conductors of a bus allow: a–earth, a–n, a–b, a–b–earth, a–b–c."""
        return _allowed(self.conductors[bus], self.floats[bus])

    def current(self, bus: str, fault: str, case: Which) -> Current:
        """What flows in a fault at a bus."""
        return self.found[bus, fault, case]

    @cached_property
    def found(self) -> Mapping[tuple[str, str, Which], Current]:
        """Every fault at every bus; buses of the same conductors are solved together."""
        alike: dict[tuple[str, bool], list[str]] = {}
        for bus, there in self.conductors.items():
            alike.setdefault((there, self.floats[bus]), []).append(bus)
        found: dict[tuple[str, str, Which], Current] = {}
        for (there, floats), buses in alike.items():
            for fault in _allowed(there, floats):
                for case in CASES:
                    found |= {(bus, fault, case): one for bus, one in zip(buses, self._alike(buses, there, fault, case), strict=True)}
        return found

    def _alike(self, buses: list[str], there: str, fault: str, case: Which) -> list[Current]:
        at = [there.index(c) for c in fault.split("–") if c != EARTH]
        to_earth = fault.endswith(EARTH)
        z = self.with_resistance(np.array([self.z_ohm[case][b][np.ix_(at, at)] for b in buses]), fault, case)
        e = np.array([self.e_v[case][b][at] for b in buses])
        i = currents(z, e[:, :, None], to_earth)[:, :, 0]
        size, earth = np.abs(i), np.abs(i.sum(axis=1))
        if case == "min":  # from a conductor that motors alone feed nothing flows
            return _as_currents(np.nan_to_num(size), np.nan_to_num(earth) if to_earth else None, None)
        more = currents(z, np.array([self.injected_v[b][at] for b in buses]), to_earth)  # each at the angle at which it adds most
        added, earth = np.abs(more).sum(axis=2), earth + np.abs(more.sum(axis=1)).sum(axis=1)
        peak = math.sqrt(2) * (self._peak_factors(buses, z, to_earth) * size.max(axis=1) + added.max(axis=1))
        return _as_currents(size + added, earth if to_earth else None, peak)

    def _peak_factors(self, buses: list[str], z: Complexes, to_earth: bool) -> np.ndarray:
        """By the least R/X of the loops through which the current flows (IEC 60909-0, method (b)), on the safe side."""
        n = z.shape[1]
        loops = [z[:, p, p] for p in range(n)] if to_earth else []
        loops += [z[:, p, p] + z[:, q, q] - z[:, p, q] - z[:, q, p] for p in range(n) for q in range(p)]
        r_over_x = np.min([np.abs(one.real) / np.maximum(np.abs(one.imag), 1e-12) for one in loops], axis=0)
        kv = np.array([self.net.v_nominal_kv[self.net.topology.bus_index[b]] for b in buses])
        return np.minimum(METHOD_B * np.asarray(peak_factor(r_over_x)), np.where(kv > 1, MOST_KAPPA, MOST_KAPPA_LV))

    def with_resistance(self, z_ohm: Complexes, fault: str, case: Which) -> Complexes:
        """Impedances with the resistance through which least currents flow to earth."""
        return z_ohm + self.r_fault_ohm if case == "min" and fault.endswith(EARTH) else z_ohm

    def tables(self) -> list[Table]:
        return [build("faults", _FAULTS, self._faults()), build("impedances", _IMPEDANCES, self._impedances())]

    def _faults(self) -> Iterator[tuple[Cell, ...]]:
        for bus in self.conductors:
            for fault in self.faults(bus):
                high, low = (self.current(bus, fault, case) for case in CASES)
                yield self.net.state, self.net.name(bus), fault, high.ik, low.ik, high.earth, low.earth, high.ip

    def _impedances(self) -> Iterator[tuple[Cell, ...]]:
        for case in CASES:
            for bus, there in self.conductors.items():
                z = self.z_ohm[case][bus]
                for r, row in enumerate(there):
                    for c, column in enumerate(there):
                        if not self.floats[bus] and np.isfinite(z[r, c]):
                            yield self.net.state, self.net.name(bus), case, row, column, float(z[r, c].real), float(z[r, c].imag)


def kind_of(fault: str) -> str:
    """Which of :data:`KINDS` a fault is."""
    ends = fault.split("–")
    if ends[-1] in (EARTH, "n"):
        return "lg" if len(ends) == 2 else "llg"
    return "ll" if len(ends) == 2 else "3ph"


def _allowed(there: str, floats: bool) -> list[str]:
    live = [c for c in there if c != "n"]
    pairs = [(c, NEXT[c]) for c in live if NEXT.get(c, "") in live]
    to_earth = [] if floats else [f"{c}–{EARTH}" for c in live]
    two_to_earth = [] if floats else [f"{p}–{q}–{EARTH}" for p, q in pairs]
    to_neutral = [f"{c}–n" for c in live] if "n" in there else []
    return [*to_earth, *to_neutral, *(f"{p}–{q}" for p, q in pairs), *two_to_earth, *(["a–b–c"] if len(live) == 3 else [])]


def _as_currents(size_a: np.ndarray, earth_a: np.ndarray | None, ip_a: np.ndarray | None) -> list[Current]:
    none = [None] * len(size_a)
    earth = none if earth_a is None else (earth_a / 1000).tolist()
    ip = none if ip_a is None else (ip_a / 1000).tolist()
    return [Current(*one) for one in zip((size_a.max(axis=1) / 1000).tolist(), earth, ip, strict=True)]
