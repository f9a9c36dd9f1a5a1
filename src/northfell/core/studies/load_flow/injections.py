"""What loads, motors, generators and inverters ask for before the voltages are known."""

import math

import numpy as np

from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.topology import Ints

CHARACTERISTIC = ("power", "current", "impedance")  # position is the exponent of voltage


def motor_power(net: Compiled) -> Complexes:
    """Power each motor symbol draws [p.u.]: shaft power in use over efficiency, at rated power factor; overexcited, it gives reactive power."""
    p = np.array([(m.p_rated_kw or 0) / 1000 * m.count * m.drawn_factor * net.factor_of(m) / ((m.efficiency_pct or 100) / 100) for m in net.motors])
    sign = np.array([-1.0 if getattr(m, "excitation", "") == "overexcited" else 1.0 for m in net.motors])
    q = np.array([math.tan(math.acos(m.power_factor or 1)) for m in net.motors]) * p * sign
    return np.asarray((p + 1j * q) / net.s_base_mva, complex)


def load_power(net: Compiled) -> Complexes:
    """Power each load draws at nominal voltage [p.u.]."""
    return np.array([((e.p_mw or 0) + 1j * (e.q_mvar or 0)) * e.drawn_factor * net.factor_of(e) / net.s_base_mva for e in net.loads], complex)


def motor_share(net: Compiled) -> Floats:
    """Part of each load that is motors and draws constant power."""
    return np.array([(getattr(e, "motor_share_pct", None) or 0.0) / 100 for e in net.loads], float)


def exponents(net: Compiled) -> Ints:
    """Exponent of voltage in the static part of each load."""
    return np.array([CHARACTERISTIC.index(e.constant) for e in net.loads], np.intp)


def shunt_power(net: Compiled) -> Complexes:
    """Power each shunt draws at nominal voltage [p.u.]."""
    return np.array([e.s_drawn_mva / net.s_base_mva for e in net.shunts], complex)


def machine_power(net: Compiled) -> Complexes:
    """What each generator and inverter delivers by its set points [p.u.]; reactive power 0 where it holds the voltage."""
    s = []
    for g in net.machines:
        scale = net.factor_of(g)
        p = 0.0 if g.mode == "reference" else g.p_set_mw * scale
        q = {"power": g.q_mvar * scale, "power factor": p * math.tan(math.acos(g.power_factor_set))}.get(g.mode, 0.0)
        s.append((p + 1j * q) / net.s_base_mva)
    return np.array(s, complex)
