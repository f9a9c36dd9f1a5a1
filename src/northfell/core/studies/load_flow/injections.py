"""What loads, motors, generators and inverters ask for before the voltages are known."""

import math
from collections.abc import Callable, Sequence

import numpy as np

from northfell.core.model.by_element import ByElement
from northfell.core.model.elements import Consumer, InductionMotor, Inverter, Load, StaticLoad, SynchronousGenerator, SynchronousMotor
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.topology import Ints
from northfell.core.studies.load_flow.capability import within_apparent_power


def motor_power(net: Compiled) -> Complexes:
    """Power each motor symbol draws [p.u.]: shaft power in use over efficiency, at rated power factor; overexcited, it gives reactive power."""
    return np.array([one_motor(m) * m.count * m.drawn_factor * net.factor_of(m) / net.s_base_mva for m in net.motors], complex)


def one_motor(m: InductionMotor | SynchronousMotor) -> complex:
    """Power that one motor draws at rated shaft power [MVA]."""
    p = (m.p_rated_kw or 0) / 1000 / ((m.efficiency_pct or 100) / 100)
    sign = -1.0 if getattr(m, "excitation", "") == "overexcited" else 1.0
    return complex(p, sign * p * math.tan(math.acos(m.power_factor or 1)))


def asked_mw(e: Consumer) -> float:
    """Active power that a consumer asks for, before the factors of a state [MW]."""
    if isinstance(e, InductionMotor | SynchronousMotor):
        return one_motor(e).real * e.count * e.drawn_factor
    return (getattr(e, "p_mw", None) or 0.0) * e.drawn_factor


def load_power(net: Compiled) -> Complexes:
    """Power each load draws at nominal voltage [p.u.]."""
    return _power_of(net, net.loads)


def _power_of(net: Compiled, loads: Sequence[StaticLoad]) -> Complexes:
    factors = np.array([net.factor_of(e) for e in loads], float)
    return np.asarray(np.array(_DRAWN.each(loads), complex) * factors / net.s_base_mva)


def _drawn(e: StaticLoad) -> complex:
    """Power that a load draws at nominal voltage before the factors of a state [MVA]."""
    return complex(e.p_mw or 0, e.q_mvar or 0) * e.drawn_factor


_DRAWN: ByElement[StaticLoad, complex] = ByElement(_drawn)
_SHARES: ByElement[StaticLoad, tuple[float, ...]] = ByElement(lambda e: (*e.shares[0], *e.shares[1]))


def load_draws(net: Compiled) -> Complexes:
    """Power each load draws at nominal voltage by exponent of the voltage [p.u.], shape (load, 3); what follows other exponents is not in it."""
    shares = np.array(_SHARES.each(net.loads), float).reshape(-1, 2, 3)
    s = load_power(net)[:, None]
    return np.asarray(s.real * shares[:, 0] + 1j * s.imag * shares[:, 1], complex)


def shunt_power(net: Compiled) -> Complexes:
    """Power each shunt draws at nominal voltage with the steps given [p.u.]."""
    return np.array([e.s_drawn_mva / net.s_base_mva for e in net.shunts], complex)


def machine_power(net: Compiled) -> Complexes:
    """What each generator and inverter delivers by its set points [p.u.]; reactive power 0 where a voltage is held, all 0 where it follows one."""
    s = []
    for g in net.machines:
        scale = net.factor_of(g)
        p = 0.0 if g.mode == "reference" or follows_voltage(g) else g.p_set_mw * scale
        q, most = 0.0 if follows_voltage(g) else asked_mvar(g, scale), most_mvar(g, p)
        s.append((p + 1j * min(max(q, -most), most)) / net.s_base_mva)
    return np.array(s, complex)


def follows_voltage(g: SynchronousGenerator | Inverter) -> bool:
    """Whether what it delivers depends on the voltage of its bus by a curve."""
    return isinstance(g, Inverter) and (g.mode == "volt-var" or bounded_by_voltage(g))


def bounded_by_voltage(g: SynchronousGenerator | Inverter) -> bool:
    """Whether a high voltage bounds its active power."""
    return isinstance(g, Inverter) and g.volt_watt == "on" and g.mode not in ("reference", "voltage")


def asked_mvar(g: SynchronousGenerator | Inverter, scale: float) -> float:
    """Reactive power by the set points [Mvar]; 0 where it follows from the voltage."""
    p = g.p_set_mw * scale
    if g.mode == "power":
        return g.q_mvar * scale
    if g.mode == "power factor":
        return math.copysign(abs(p) * math.tan(math.acos(g.power_factor_set)), 1 if g.excitation_set == "overexcited" else -1)
    if isinstance(g, Inverter) and g.mode == "power factor by power" and g.s_rated_mva is not None:
        return float(_by_power(np.array([corners_by_power(g)]), np.array([p / (g.s_rated_mva * g.count)]))[0]) * abs(p)
    return 0.0


def corners_by_power(g: Inverter) -> tuple[float, float, float, float]:
    """Corners of the curve of power factor by power: power as a part of the rated one, and 1 − cosφ, positive where overexcited."""
    sign = {"overexcited": 1.0, "underexcited": -1.0}
    first, second = sign[g.pfp_excitation_1] * (1 - g.pfp_factor_1), sign[g.pfp_excitation_2] * (1 - g.pfp_factor_2)
    return g.pfp_p1_pct / 100, first, g.pfp_p2_pct / 100, second


def _by_power(corners: Floats, p_part: Floats) -> Floats:
    r"""Reactive over active power, given positive, by a curve of power factor over active power; it holds for power taken as well.

    .. math:: d = d_1 + (d_2 - d_1)\,\frac{|P|/S_r - p_1}{p_2 - p_1}, \qquad Q = \pm|P| \tan\arccos(1 - |d|)
    """
    p1, d1, p2, d2 = corners.T
    d = d1 + (d2 - d1) * np.clip((np.abs(p_part) - p1) / (p2 - p1), 0, 1)
    return np.asarray(np.sign(d) * np.tan(np.arccos(1 - np.abs(d))), float)


def most_mvar(g: SynchronousGenerator | Inverter, p_mw: float) -> float:
    """What an inverter that stays within its rated power has left for reactive power, given or taken [Mvar]; infinite for one that need not."""
    if not isinstance(g, Inverter) or g.capability != "by rating" or g.s_rated_mva is None:
        return math.inf
    return within_apparent_power(p_mw, g.s_rated_mva * g.count)


STEP_PU = 1e-6  # of voltage, for slopes: the curves are straight lines between corners, or powers of the voltage


class Following:
    """What follows the voltage of its bus in other ways than by whole exponents: inverters by their curves, loads by exponents of their own.

    Volt-var: straight lines between four corners. Volt-watt: the active power is at most a limit that falls between two corners. Power
    factor by power: follows the active power that the limit leaves. An inverter that stays within its rating gives up reactive power.
    """

    def __init__(self, net: Compiled) -> None:
        base = net.s_base_mva
        self.machines: Ints = np.array([i for i, g in enumerate(net.machines) if follows_voltage(g)], np.intp)
        chosen = [g for g in net.machines if isinstance(g, Inverter) and follows_voltage(g)]
        self.machine_node = net.node_of(net.machines)[self.machines]
        self.p_set = np.array([g.p_set_mw * net.factor_of(g) / base for g in chosen], float)
        self.s_rated = np.array([(g.s_rated_mva or 0.0) * g.count / base for g in chosen], float)
        self.within = np.array([math.isfinite(most_mvar(g, 0.0)) for g in chosen], bool)
        self.volt_var = np.array([[g.vv_v1_pu, g.vv_v2_pu, g.vv_v3_pu, g.vv_v4_pu] for g in chosen], float).reshape(-1, 4)
        self.q_most = np.array([g.vv_q_pct / 100 if g.mode == "volt-var" else 0.0 for g in chosen], float) * self.s_rated
        self.volt_watt = np.array([[g.vw_v1_pu, g.vw_v2_pu, g.vw_p_pct / 100] for g in chosen], float).reshape(-1, 3)
        self.bounded = np.array([bounded_by_voltage(g) for g in chosen], bool)
        self.q_set = np.array([asked_mvar(g, net.factor_of(g)) / base if g.mode == "power" else 0.0 for g in chosen], float)
        at_factor = [corners_by_power(g) if g.mode == "power factor by power" else _always(g) for g in chosen]
        self.by_power = np.array(at_factor, float).reshape(-1, 4)
        self.loads: Ints = np.array([i for i, e in enumerate(net.loads) if getattr(e, "characteristic", "") == "by exponents"], np.intp)
        those = [e for e in net.loads if isinstance(e, Load) and e.characteristic == "by exponents"]
        self.load_node = net.node_of(net.loads)[self.loads]
        self.exponents = np.array([[e.exponent_p or 0.0, e.exponent_q or 0.0] for e in those], float).reshape(-1, 2)
        self.load_draws = _power_of(net, those) * np.array([1 - e.motor_part for e in those], float)

    def __bool__(self) -> bool:
        return len(self.machines) + len(self.loads) > 0

    def machine_power(self, v: Floats) -> Complexes:
        """Power given by each of the inverters at the voltage of its bus [p.u.]."""
        w1, w2, least = self.volt_watt.T
        limit = self.s_rated * (1 - (1 - least) * np.clip((v - w1) / (w2 - w1), 0, 1))
        p = np.where(self.bounded, np.minimum(self.p_set, limit), self.p_set)
        v1, v2, v3, v4 = self.volt_var.T
        q = self.q_set + self.q_most * (np.clip((v2 - v) / (v2 - v1), 0, 1) - np.clip((v - v3) / (v4 - v3), 0, 1))
        q = q + np.abs(p) * _by_power(self.by_power, np.divide(p, self.s_rated, out=np.zeros_like(p), where=self.s_rated > 0))
        most = np.where(self.within, np.sqrt(np.maximum(self.s_rated**2 - p**2, 0)), np.inf)
        return np.asarray(p + 1j * np.clip(q, -most, most), complex)

    def load_power(self, v: Floats) -> Complexes:
        """Power drawn by the part of each of the loads that follows its exponents [p.u.]."""
        return by_exponents(self.load_draws, self.exponents, v)

    def cut_mw(self, v: Floats, s_base_mva: float) -> Floats:
        """Active power that the voltage keeps each of the inverters from delivering [MW]."""
        return np.asarray((self.p_set - self.machine_power(v).real) * s_base_mva, float)


def by_exponents(s: Complexes, exponents: Floats, v: Floats) -> Complexes:
    r"""Power drawn at a voltage, P and Q each by its exponent.

    .. math:: P = P_0 (U/U_n)^{n_p}, \qquad Q = Q_0 (U/U_n)^{n_q}
    """
    return np.asarray(s.real * v ** exponents[:, 0] + 1j * s.imag * v ** exponents[:, 1], complex)


def _always(g: Inverter) -> tuple[float, float, float, float]:
    """A fixed power factor as corners of a curve; 1 in the other modes."""
    d = 0.0 if g.mode != "power factor" else (1 - g.power_factor_set) * (1 if g.excitation_set == "overexcited" else -1)
    return 0.0, d, 1.0, d


def with_slope(power: Callable[[Floats], Complexes], v: Floats) -> tuple[Complexes, Complexes]:
    """A power at a voltage, and its derivative by the voltage."""
    return power(v), (power(v + STEP_PU) - power(v - STEP_PU)) / (2 * STEP_PU)
