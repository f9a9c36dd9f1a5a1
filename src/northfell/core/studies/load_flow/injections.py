"""What loads, motors, generators and inverters ask for before the voltages are known."""

import math

import numpy as np

from northfell.core.model.elements import Consumer, Element, InductionMotor, Inverter, SynchronousGenerator, SynchronousMotor
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
    return np.array([((e.p_mw or 0) + 1j * (e.q_mvar or 0)) * e.drawn_factor * net.factor_of(e) / net.s_base_mva for e in net.loads], complex)


def load_shares(net: Compiled) -> Floats:
    """Parts of each load with constant power, current and impedance, shape (load, 3)."""
    return np.array([e.shares for e in net.loads], float).reshape(-1, 3)


def shunt_power(net: Compiled) -> Complexes:
    """Power each shunt draws at nominal voltage with the steps given [p.u.]."""
    return np.array([e.s_drawn_mva / net.s_base_mva for e in net.shunts], complex)


def machine_power(net: Compiled) -> Complexes:
    """What each generator and inverter delivers by its set points [p.u.]; reactive power 0 where it follows from the voltage."""
    s = []
    for g in net.machines:
        scale = net.factor_of(g)
        p = 0.0 if g.mode == "reference" else g.p_set_mw * scale
        q, most = asked_mvar(g, scale), most_mvar(g, p)
        s.append((p + 1j * min(max(q, -most), most)) / net.s_base_mva)
    return np.array(s, complex)


def asked_mvar(g: SynchronousGenerator | Inverter, scale: float) -> float:
    """Reactive power by the set points [Mvar]; 0 where it follows from the voltage."""
    return {"power": g.q_mvar * scale, "power factor": _by_power_factor(g, g.p_set_mw * scale)}.get(g.mode, 0.0)


def most_mvar(g: SynchronousGenerator | Inverter, p_mw: float) -> float:
    """What an inverter that stays within its rated power has left for reactive power, given or taken [Mvar]; infinite for one that need not."""
    if not isinstance(g, Inverter) or g.capability != "by rating" or g.s_rated_mva is None:
        return math.inf
    return within_apparent_power(p_mw, g.s_rated_mva * g.count)


def _by_power_factor(g: SynchronousGenerator | Inverter, p_mw: float) -> float:
    """Reactive power given at a power factor [Mvar]: overexcited it is given, whichever way the active power flows."""
    q = abs(p_mw) * math.tan(math.acos(g.power_factor_set))
    return q if g.excitation_set == "overexcited" else -q


class VoltVar:
    """Inverters whose reactive power follows the voltage, by straight lines between four corners."""

    def __init__(self, net: Compiled) -> None:
        self.machines: Ints = np.array([i for i, g in enumerate(net.machines) if g.mode == "volt-var"], np.intp)
        chosen = [net.machines[i] for i in self.machines]
        self.corners = np.array([[getattr(g, f"vv_v{k}_pu") for k in (1, 2, 3, 4)] for g in chosen], float).reshape(-1, 4)
        self.q_pu = np.array([_most(g) / net.s_base_mva for g in chosen], float)
        self.bound_pu = np.array([most_mvar(g, g.p_set_mw * net.factor_of(g)) / net.s_base_mva for g in chosen], float)
        self.node = net.node_of(net.machines)[self.machines]

    def q(self, v_abs: Floats) -> Floats:
        """Reactive power given at the voltage of each inverter [p.u.]."""
        v1, v2, v3, v4 = self.corners.T
        v = v_abs
        return np.clip(self.q_pu * (np.clip((v2 - v) / (v2 - v1), 0, 1) - np.clip((v - v3) / (v4 - v3), 0, 1)), -self.bound_pu, self.bound_pu)

    def slope(self, v_abs: Floats) -> Floats:
        """Its derivative by the voltage."""
        v1, v2, v3, v4 = self.corners.T
        v = v_abs
        inside = np.abs(self.q(v)) < self.bound_pu
        return -self.q_pu * inside * (((v > v1) & (v < v2)) / (v2 - v1) + ((v > v3) & (v < v4)) / (v4 - v3))


def _most(g: Element) -> float:
    assert isinstance(g, Inverter | SynchronousGenerator)
    return (g.s_rated_mva or 0.0) * getattr(g, "count", 1) * getattr(g, "vv_q_pct", 0.0) / 100
