"""North-American practice: which impedances stand in the first-cycle, interrupting and 30-cycle networks, and the currents that follow."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from northfell.core.model.elements import InductionMotor, Inverter, SynchronousGenerator
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats, numbers
from northfell.core.network.sequences import sequence_network
from northfell.core.studies.short_circuit import ieee_equations as ie
from northfell.core.studies.short_circuit.case import TO_EARTH, Case, OfType
from northfell.core.studies.short_circuit.given import Converters, Factors, Given, Sources
from northfell.core.studies.short_circuit.machines import (
    Machine,
    Motor,
    converter_currents,
    infeed_impedances,
    machine_mva,
    motor_rating,
    running_motors,
    those_fed,
)
from northfell.core.studies.short_circuit.settings import ShortCircuitSettings

INSTANTS = ("first-cycle", "interrupting", "30-cycle")
NEARLY_NONE = 1e-6  # part of the other one that stands for a resistance or reactance of nothing, in networks of one of them alone
LOCAL = 0.4  # of its terminal-fault current, from which on a generator is near
TRANSIENT = 1.5  # transient over subtransient reactance where it is not given


def driving_pu(settings: ShortCircuitSettings, v_kv: Floats, case: str) -> Floats:
    """Pre-fault voltage: nominal, or the engineer's own factor."""
    own = settings.c_max if case == "max" else settings.c_min
    return np.where(np.isnan(v_kv), np.nan, own if settings.prefault == "own factors" else 1.0)


def given(net: Compiled, settings: ShortCircuitSettings, case: str, instant: str) -> Given:
    """What stands in one of the three networks. The minimum case has the least level of infeeds, no motors, and hot conductors."""
    e = driving_pu(settings, net.v_nominal_kv, case)
    machines: tuple[Machine, ...] = those_fed(net, net.generators)
    motors: tuple[Motor, ...] = ()
    inverters: tuple[Inverter, ...] = ()
    if case == "max":
        if instant != "30-cycle":
            machines = (*machines, *(m for m in those_fed(net, net.synchronous_motors) if m.runs))
            motors = those_fed(net, running_motors(net))
        inverters = those_fed(net, net.inverters)
    z_infeed = infeed_impedances(net, net.infeeds, case, e)
    z_machine, z2_machine = _machines(net, machines, instant)
    z_motor = _motors(net, motors, instant)
    bus = np.concatenate([net.bus_of(net.infeeds), net.bus_of(machines), net.bus_of(motors)]).astype(np.intp)
    fed = net.topology.fed_node[net.topology.node_of_bus[bus]]
    z = np.where(fed, np.concatenate([z_infeed, z_machine, z_motor]), complex(math.inf, 0))
    z2 = np.where(fed, np.concatenate([z_infeed, z2_machine, z_motor]), complex(math.inf, 0))
    sources = Sources((*net.infeeds, *machines, *motors), bus, z, z2, z, np.zeros(len(bus), bool))
    factors = Factors(np.ones(len(net.branches.ids)), tuple((1.0, 1.0, 1.0) for _ in net.windings))
    base = net.s_base_mva
    converters = Converters(
        inverters, net.bus_of(inverters), converter_currents(inverters, base, "ik_over_ir"), converter_currents(inverters, base, "i2_over_ir")
    )
    return Given(case, e, factors, sources, converters, case == "min")


def _machines(net: Compiled, machines: Sequence[Machine], instant: str) -> tuple[Complexes, Complexes]:
    bus = net.bus_of(machines)
    z_base = net.v_nominal_kv[bus] ** 2 / net.s_base_mva
    ur, sr = numbers(machines, "v_rated_kv"), np.array([machine_mva(m) for m in machines], float)
    count = np.array([getattr(m, "count", 1) for m in machines], float)
    x = np.array([machine_reactance(m, instant) for m in machines], float)
    x2 = np.array([(getattr(m, "x2_pct", None) or m.xd2_pct or math.nan) / 100 for m in machines], float)
    multiplier = np.array([1.0 if isinstance(m, SynchronousGenerator) or instant == "first-cycle" else 1.5 for m in machines], float)
    own = ur**2 / sr / z_base / count * multiplier
    r = numbers(machines, "r_stator_ohm") / z_base / count * multiplier
    return np.asarray(r + 1j * x * own, complex), np.asarray(r + 1j * x2 * own, complex)


def machine_reactance(m: Machine, instant: str) -> float:
    """Reactance of a synchronous machine that an instant asks for, on its rating [p.u.]: x″d, 0.75·x′d without damper, x′d after 30 cycles."""
    xd2 = (m.xd2_pct or math.nan) / 100
    xd1 = (getattr(m, "xd1_pct", None) or 100 * TRANSIENT * xd2) / 100
    if instant == "30-cycle":
        return xd1
    return 0.75 * xd1 if getattr(m, "rotor", "") == "salient pole, no damper" else xd2


def _motors(net: Compiled, motors: Sequence[Motor], instant: str) -> Complexes:
    un = net.v_nominal_kv[net.bus_of(motors)]
    sr, ur, ilr, ratio = np.array([motor_rating(m) for m in motors], float).reshape(-1, 4).T
    with np.errstate(invalid="ignore"):
        x = np.array([motor_multiplier(m, instant) for m in motors], float) / ilr * np.where(np.isnan(ur), un, ur) ** 2 / sr / (un**2 / net.s_base_mva)
    return np.array([complex(math.inf, 0) if math.isinf(v) else complex(r * v, v) for v, r in zip(x, ratio, strict=True)], complex)


def motor_multiplier(m: Motor, instant: str) -> float:
    """Multiplier of the reactance of a motor; a share of motors in a load counts as motors of 50 hp and more, the safe side."""
    if not isinstance(m, InductionMotor):
        return ie.induction_multiplier(50 * ie.HP_KW, 2, instant)
    if m.starter == "regenerative drive":
        return 1.0 if instant == "first-cycle" else math.inf
    return ie.induction_multiplier(m.p_rated_kw or math.nan, m.pole_pairs or 2, instant)


@dataclass
class IeeeCase(Case):
    """The first-cycle network of a case, with the two later ones beside it."""

    instant: str = "first-cycle"
    _ratios: dict[str, Floats] = field(default_factory=dict)

    @cached_property
    def interrupting(self) -> "IeeeCase":
        return self._at("interrupting")

    @cached_property
    def thirty(self) -> "IeeeCase":
        return self._at("30-cycle")

    def _at(self, instant: str) -> "IeeeCase":
        return IeeeCase(self.net, self.settings, given(self.net, self.settings, self.case, instant), self.shared, instant=instant)

    # --- X/R from resistances and reactances, each reduced by itself

    def _alone(self, what: str) -> Complexes:
        """Impedance at every bus of a network of resistances, or of reactances, alone [p.u.]."""
        s = self.given.sources
        return self.diagonal(self.network_of(_alone(s.z, what), replace(self.wires, z=_alone(self.wires.z, what))))

    @cached_property
    def r1_pu(self) -> Floats:
        return np.asarray(self._alone("r").real)

    @cached_property
    def x1_pu(self) -> Floats:
        return np.asarray(self._alone("x").imag)

    @cached_property
    def _zero_alone(self) -> tuple[Floats, Floats]:
        r, x = (self._zero_of(what) for what in ("r", "x"))
        return np.where(self.lacking_zero, np.nan, r.real), np.where(self.lacking_zero, np.nan, x.imag)

    def _zero_of(self, what: str) -> Complexes:
        z = self.zero.network
        paths = replace(z.paths, z=_alone(z.paths.z, what))
        alive = np.concatenate([self.nodes.alive, np.ones(z.n - len(self.nodes.alive), bool)])
        return self.diagonal(sequence_network(z.n, replace(z.wires, z=_alone(z.wires.z, what)), paths, alive))

    def x_over_r(self, fault: str = "3ph") -> Floats:
        """X/R by separate reduction; of faults to earth the sums over the sequences."""
        if fault not in self._ratios:
            r, x = self.r1_pu, self.x1_pu
            if fault in TO_EARTH:
                r0, x0 = self._zero_alone
                r, x = 2 * r + r0, 2 * x + x0
            with np.errstate(invalid="ignore", divide="ignore"):
                self._ratios[fault] = np.asarray(x / r)
        return self._ratios[fault]

    def _of(self, fault: str) -> OfType:
        """By the whole impedance, or by the reactance alone where it is asked for."""
        found = super()._of(fault)
        if self.settings.current == "E/Z" or fault in TO_EARTH:
            return found
        share = np.abs(self.z1_pu) / self.x1_pu
        return replace(found, ik_ka=np.maximum(found.ik_ka, found.ik_ka * share))

    @cached_property
    @np.errstate(invalid="ignore", divide="ignore")
    def nacd(self) -> Floats:
        """Part of the interrupting current that does not decay: all but that of near generators, which bring 0.4 or more of their terminal-fault current.

        Source
        ------
        IEEE C37.010, remote and local contributions.
        """
        one = self.interrupting
        s, nodes = one.given.sources, self.net.topology.node_of_bus
        near = np.zeros(len(nodes))
        for k in (k for k, e in enumerate(s.elements) if isinstance(e, SynchronousGenerator) and np.isfinite(s.z[k])):
            at = nodes[s.bus[[k]]]
            through = np.abs(one.positive.rows(at)[nodes, 0] / one.z1_pu)  # of its current with a fault at its terminals
            brought = np.abs(one.positive.columns(at)[nodes, 0] / s.z[k])  # of the whole current
            near += np.where((nodes >= 0) & (through >= LOCAL), np.nan_to_num(brought), 0)
        return np.asarray(np.where(np.isfinite(one.z1_pu), np.clip(1 - near, 0, 1), np.nan))

    # --- currents at the instants

    def peak_ka(self, fault: str = "3ph") -> Floats:
        """First-cycle crest."""
        return np.asarray(ie.crest_factor(self.x_over_r(fault)) * self.of(fault).ik_ka)

    def total_ka(self, fault: str = "3ph") -> Floats:
        """First-cycle total rms."""
        return np.asarray(ie.rms_factor(self.x_over_r(fault)) * self.of(fault).ik_ka)

    def breaking_ka(self, fault: str = "3ph") -> Floats:
        """Symmetrical current of the interrupting network."""
        return self.interrupting.of(fault).ik_ka

    def steady_ka(self, fault: str = "3ph") -> Floats:
        """Current of the 30-cycle network."""
        return self.thirty.of(fault).ik_ka


def _alone(z: Complexes, what: str) -> Complexes:
    """Resistances or reactances alone; of nothing, a millionth of the other one stands, which keeps the matrix regular and the ratio on the safe side."""
    good = np.isfinite(z)
    r, x = np.where(good, z.real, 0), np.where(good, np.nan_to_num(z.imag), 0)
    kept = np.where(np.abs(r) > NEARLY_NONE * np.abs(x), r, NEARLY_NONE * np.abs(x)) if what == "r" else 1j * np.where(x != 0, x, NEARLY_NONE * r)
    return np.where(good, kept, z)
