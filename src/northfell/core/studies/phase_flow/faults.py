"""Faults by phase: the least and the greatest current of every kind of fault that the conductors of a bus allow, by its own impedance matrix."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from northfell.core.errors import CannotRun, InputRefused
from northfell.core.model.elements import (
    Bus,
    Compensation,
    Conductor,
    Consumer,
    Element,
    InductionMotor,
    Infeed,
    Inverter,
    Load,
    SynchronousGenerator,
    SynchronousMotor,
    ThreeWindingTransformer,
    Transformer,
)  # fmt: skip
from northfell.core.network import Compiled
from northfell.core.network.impedance import feeder_impedance
from northfell.core.network.lacking import fed
from northfell.core.network.phases import thevenin
from northfell.core.network.phases.parts import Complexes
from northfell.core.studies.phase_flow.gathering import ALPHA_PER_K, Gathering
from northfell.core.studies.phase_flow.places import known, named
from northfell.core.studies.phase_flow.wide import NEXT
from northfell.core.studies.short_circuit import ShortCircuitSettings, transformer_correction, voltage_factor
from northfell.core.tables import Cell, Table, build

CASES: tuple["Which", ...] = ("max", "min")
Which = Literal["max", "min"]
TURN = {"a": 1 + 0j, "b": complex(-0.5, -math.sqrt(3) / 2), "c": complex(-0.5, math.sqrt(3) / 2), "n": 0j, "1": 1 + 0j, "2": -1 + 0j}
EARTH = "earth"
_FAULTS = (
    ("state", "", "State"), ("bus", "", "Bus"), ("fault", "", "Fault"), ("ik_max_ka", "kA", "Greatest"), ("ik_min_ka", "kA", "Least"),
    ("earth_max_ka", "kA", "To earth, greatest"), ("earth_min_ka", "kA", "To earth, least"),
)  # fmt: skip
_IMPEDANCES = (
    ("state", "", "State"), ("bus", "", "Bus"), ("case", "", "Case"), ("row", "", "Row"), ("column", "", "Column"),
    ("r_ohm", "ohm", "R"), ("x_ohm", "ohm", "X"),
)  # fmt: skip


@dataclass
class FaultGathering(Gathering):
    """A state as faults see it: equivalent source at the fault, corrected transformers, no loads, no capacitance (IEC 60909-0)."""

    case: Which = "max"
    uncounted: dict[str, None] = field(default_factory=dict)  # what gives a current too

    def c_of(self, un_kv: float, case: str) -> float:
        settings = self.net.network.settings.of(ShortCircuitSettings)
        return float(voltage_factor(un_kv, case, settings.lv_tolerance_pct))

    def leaves_out(self, e: Element) -> bool:
        if isinstance(e, SynchronousGenerator | Inverter | InductionMotor | SynchronousMotor) or (isinstance(e, Load) and e.motor_part > 0):
            self.uncounted[e.name] = None
        return super().leaves_out(e) or isinstance(e, Consumer | Compensation | SynchronousGenerator | Inverter)

    def hot(self, e: Conductor) -> float:
        if self.case == "max":
            return 1.0
        if e.t_end_degc is None:
            self.told[f"{e.name}: its temperature at the end of a fault is not entered: least currents stand at 20 °C and may be less."] = None
            return 1.0
        return 1 + ALPHA_PER_K * (e.t_end_degc - 20)

    def correction(self, e: Element, x_pu: float) -> float:
        low = e.buses[-1]
        assert isinstance(e, Transformer | ThreeWindingTransformer)
        return float(transformer_correction(self.c_of(self.kv(low), "max"), x_pu))

    def zero_core_pu(self, e: Transformer) -> float | None:
        if e.core is None:
            raise InputRefused("core", None, "how its core is built: without a winding in delta the zero sequence goes by that")
        return super().zero_core_pu(e)

    def without_delta(self, e: ThreeWindingTransformer) -> None:
        raise InputRefused("vector_group", e.vector_group, "one with a winding in delta: without any, earth faults are not computed")

    def core(self, drawn: complex) -> complex:
        return 0j

    def tap_pct(self, e: Transformer | ThreeWindingTransformer) -> float:
        return 0.0  # the main tap

    def _matrices(self, e: Conductor, conductors: str) -> tuple[Complexes, Complexes]:
        z, y = super()._matrices(e, conductors)
        return z, np.zeros_like(y)

    def is_ideal(self, e: Infeed) -> bool:
        return False

    def behind(self, e: Infeed) -> complex:
        kv = self.kv(e.bus)
        return feeder_impedance(self.c_of(kv, self.case), kv, known(e, f"ik_{self.case}_ka"), known(e, "r_over_x"))


@dataclass(frozen=True)
class PhaseFaults:
    """Impedance matrices of the buses of a state, least and greatest."""

    net: Compiled
    conductors: Mapping[str, str]  # by bus, those under voltage
    z_ohm: Mapping[Which, Mapping[str, Complexes]]
    e_v: Mapping[Which, Mapping[str, Complexes]]  # equivalent sources
    floats: Mapping[str, bool]
    messages: tuple[str, ...] = field(default=())

    def faults(self, bus: str) -> Iterator[str]:
        """The faults that the conductors of a bus allow: a, a–b, a–b–earth, a–n, a–b–c."""
        there = self.conductors[bus]
        live = [c for c in there if c != "n"]
        earthed = not self.floats[bus]
        yield from (f"{c}–{EARTH}" for c in live if earthed)
        yield from (f"{c}–n" for c in live if "n" in there)
        pairs = [(c, NEXT[c]) for c in live if NEXT.get(c, "") in live]
        yield from (f"{p}–{q}" for p, q in pairs)
        yield from (f"{p}–{q}–{EARTH}" for p, q in pairs if earthed)
        if len(live) == 3:
            yield "a–b–c"

    def current_ka(self, bus: str, fault: str, case: Which) -> tuple[float, float | None]:
        """The greatest current in a conductor of a fault, and what flows to earth [kA]."""
        there, names = self.conductors[bus], fault.split("–")
        at = [there.index(c) for c in names if c != EARTH]
        i = currents(self.z_ohm[case][bus][np.ix_(at, at)], self.e_v[case][bus][at], names[-1] == EARTH)
        to_earth = abs(i.sum()) / 1000 if names[-1] == EARTH else None
        return float(np.abs(i).max()) / 1000, to_earth

    def tables(self) -> list[Table]:
        return [build("faults", _FAULTS, self._faults()), build("impedances", _IMPEDANCES, self._impedances())]

    def _faults(self) -> Iterator[tuple[Cell, ...]]:
        for bus in self.conductors:
            for fault in self.faults(bus):
                (high, earth_high), (low, earth_low) = (self.current_ka(bus, fault, case) for case in CASES)
                yield self.net.state, self.net.name(bus), fault, high, low, earth_high, earth_low

    def _impedances(self) -> Iterator[tuple[Cell, ...]]:
        for case in CASES:
            for bus, there in self.conductors.items():
                z = self.z_ohm[case][bus]
                for r, row in enumerate(there):
                    for c, column in enumerate(there):
                        if not self.floats[bus]:
                            yield self.net.state, self.net.name(bus), case, row, column, float(z[r, c].real), float(z[r, c].imag)


def currents(z_ohm: Complexes, e_v: Complexes, to_earth: bool) -> Complexes:
    """What each shorted conductor gives [A]: Z·I = E − V, V nothing at earth, else the same at all and the currents without a sum."""
    if to_earth:
        return np.asarray(np.linalg.solve(z_ohm, e_v))
    n = len(e_v)
    whole = np.zeros((n + 1, n + 1), complex)
    whole[:n, :n], whole[:n, n], whole[n, :n] = z_ohm, 1, 1
    return np.asarray(np.linalg.solve(whole, np.append(e_v, 0))[:n])


def phase_faults(net: Compiled) -> PhaseFaults:
    """Faults at all buses of a state.

    Raises
    ------
    CannotRun
        If nothing can be taken, with each element and why.
    """
    net = _takeable(net)
    z: dict[Which, dict[str, Complexes]] = {case: {} for case in CASES}
    e: dict[Which, dict[str, Complexes]] = {case: {} for case in CASES}
    conductors: dict[str, str] = {}
    floats: dict[str, bool] = {}
    told: dict[str, None] = {}
    for case in CASES:
        g = FaultGathering(net, case=case)
        network = g.all().network
        if not g.known:
            raise CannotRun("phase_flow", ["No infeed is in service: by phase only infeeds are counted as sources of a fault."])
        buses = [b for b in net.taking_part.values() if isinstance(b, Bus)]
        found, lost = thevenin(network, [list(g.at(b.id).values()) for b in buses])
        for b, matrix in zip(buses, found, strict=True):
            nodes, c = g.at(b.id), g.c_of(g.kv(b.id), case)
            live = [k for k in range(len(nodes)) if np.isfinite(matrix[k, k])]
            names = [list(nodes)[k] for k in live]
            if names:
                conductors[b.id], floats[b.id] = "".join(names), any(bool(lost[nodes[p]]) for p in names)
                z[case][b.id] = matrix[np.ix_(live, live)]
                e[case][b.id] = np.array([c * g.base[nodes[p]] * TURN[p] for p in names])
        told |= g.told
        if g.uncounted:
            told[f"Not counted by phase: what {named(g.uncounted)} bring to a fault; the greatest currents may be more by that."] = None
    return PhaseFaults(net, conductors, z, e, floats, (*told, *net.held_back_told))


def _takeable(net: Compiled) -> Compiled:
    """The network without the islands in which something cannot be taken in either case."""
    for case in CASES:
        trial = FaultGathering(net, case=case)
        trial.all()
        if trial.refused:
            return _takeable(fed(net.holding_back(trial.refused), "phase_flow"))
    return net
