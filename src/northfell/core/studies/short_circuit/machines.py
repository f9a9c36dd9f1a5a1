"""What both schools read of sources, machines and motors."""

import math
from collections.abc import Sequence
from typing import TypeVar

import numpy as np

from northfell.core.model.elements import Element, InductionMotor, Infeed, Inverter, StaticLoad, SynchronousGenerator, SynchronousMotor, motor_mva
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.impedance import feeder_impedance

Machine = SynchronousGenerator | SynchronousMotor
Motor = InductionMotor | StaticLoad
OneTerminal = TypeVar("OneTerminal", bound=Element)


def those_fed(net: Compiled, elements: Sequence[OneTerminal]) -> tuple[OneTerminal, ...]:
    """Those at buses that are fed: the others bring nothing, and their data need not be there."""
    return tuple(e for e in elements if net.topology.fed_bus(net.topology.bus_index[e.buses[0]]))


def running_motors(net: Compiled) -> tuple[Motor, ...]:
    """Asynchronous motors that bring current into a fault: none behind a drive that cannot return energy; loads with a share of motors."""
    direct = [m for m in net.induction_motors if m.starter != "drive" and m.runs]
    return (*direct, *(e for e in net.loads if getattr(e, "motor_share_pct", None) and e.p_mw is not None and e.drawn_factor > 0))


def infeed_impedances(net: Compiled, infeeds: Sequence[Infeed], case: str, c: Floats) -> Complexes:
    """Impedances of feeders from their fault levels [p.u.]; `c` (bus,) is the voltage behind them."""
    bus = net.bus_of(infeeds)
    z_base = net.v_nominal_kv[bus] ** 2 / net.s_base_mva
    levels = [(e.ik_max_ka if case == "max" else e.ik_min_ka) or math.nan for e in infeeds]
    return np.array(
        [feeder_impedance(c[b], net.v_nominal_kv[b], ik, e.r_over_x or 0.0) / z for e, b, ik, z in zip(infeeds, bus, levels, z_base, strict=True)], complex
    )


def machine_power_factor(m: Machine) -> float:
    value = m.power_factor_rated if isinstance(m, SynchronousGenerator) else m.power_factor
    return math.nan if value is None else value


def sin_phi_of(m: Machine) -> float:
    return math.sqrt(1 - machine_power_factor(m) ** 2)


def machine_mva(m: Machine) -> float:
    """Rated apparent power of one machine [MVA]."""
    value = m.s_rated_mva if isinstance(m, SynchronousGenerator) else motor_mva(m)
    return math.nan if value is None else value


def motor_rating(m: Motor) -> tuple[float, float, float, float]:
    """Rated power [MVA] of all motors of a symbol, rated voltage [kV; nan: the nominal one of its bus], ILR/IrM and RM/XM."""
    if isinstance(m, InductionMotor):
        sr = (motor_mva(m) or math.nan) * m.count
        ilr, ratio = (3.0, 0.10) if m.starter == "regenerative drive" else (m.ilr_over_ir or math.nan, math.nan if m.r_over_x is None else m.r_over_x)
        return sr, m.v_rated_kv or math.nan, ilr, ratio
    s = abs(complex(m.p_mw or 0.0, m.q_mvar or 0.0)) * m.drawn_factor * (getattr(m, "motor_share_pct", None) or 0.0) / 100
    return s, math.nan, getattr(m, "ilr_over_ir", math.nan), getattr(m, "r_over_x", math.nan)


def converter_currents(inverters: Sequence[Inverter], s_base_mva: float, field: str) -> Floats:
    """What full converters bring into a fault [p.u.]: `ik_over_ir` or `i2_over_ir` of their rated current."""
    return np.array([(getattr(e, field) or 0.0) * (e.s_rated_mva or 0.0) * e.count / s_base_mva for e in inverters], float)
