"""IEC 60909-0: voltage factors, correction factors, which machines and motors take part, power station units."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from northfell.core.model.elements import InductionMotor, Inverter, SynchronousGenerator, Transformer
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats, numbers
from northfell.core.network.impedance import transformer_per_unit
from northfell.core.studies.short_circuit import equations as eq
from northfell.core.studies.short_circuit.given import Converters, Factors, Given, Inside, Sources
from northfell.core.studies.short_circuit.machines import (  # fmt: skip
    Machine,
    Motor,
    converter_currents,
    infeed_impedances,
    machine_mva,
    motor_rating,
    running_motors,
    sin_phi_of,
    those_fed,
)
from northfell.core.studies.short_circuit.settings import ShortCircuitSettings

FC_OVER_F = 0.4  # method (c) for the peak
ALIKE = (0.7, 1.5)  # rated power of a unit transformer over that of its generator


def factor_c(settings: ShortCircuitSettings, un_kv: ArrayLike, case: str) -> Floats:
    """Voltage factor c of each bus: by the standard's table, or the engineer's own."""
    if settings.prefault == "own factors":
        return np.full_like(np.asarray(un_kv, float), settings.c_max if case == "max" else settings.c_min)
    return eq.voltage_factor(un_kv, case, settings.lv_tolerance_pct)


@dataclass(frozen=True)
class PowerStationUnit:
    """A generator with its transformer, taken as one, with its factors."""

    generator: int  # position among the generators that are fed
    row: int  # branch of its transformer
    on_load: bool
    k: float  # KS or KSO
    k_generator: float  # of a fault between the two
    k_transformer: float
    buses: tuple[int, ...]  # behind the transformer

    @property
    def symbol(self) -> str:
        return "KS" if self.on_load else "KSO"


def given(net: Compiled, settings: ShortCircuitSettings, case: str) -> Given:
    """What IEC 60909-0 puts into the networks of one case."""
    c, c_max = factor_c(settings, net.v_nominal_kv, case), factor_c(settings, net.v_nominal_kv, "max")
    generators = those_fed(net, net.generators)
    units = units_of(net, generators, c_max)
    factors = _factors(net, c_max, {u.row: u.k for u in units})
    sources, converters = _sources(net, case, c, c_max, generators, {u.generator: u.k for u in units})
    inside = tuple(_inside(net, c, c_max, u, factors, sources, len(net.infeeds)) for u in units)
    told = tuple(
        f"{generators[u.generator].name} and {net.name(net.branches.ids[u.row])} are taken as one power station unit with {u.symbol} = {u.k:.4g}; "
        "the generator's field “With its transformer” overrules this."
        for u in units
    )
    return Given(case, c, factors, sources, converters, case == "min", inside, told)


def _factors(net: Compiled, c_max: Floats, of_units: dict[int, float]) -> Factors:
    b = net.branches
    k = np.where(~np.isnan(b.x_rated), eq.transformer_correction(c_max[b.to_bus], np.nan_to_num(b.x_rated)), 1.0)
    for row, own in of_units.items():
        k[row] = own
    windings = []
    for w in net.windings:
        ab, ac, bc = eq.transformer_correction(c_max[b.to_bus[list(w.rows)]], np.array(w.x_rated)).tolist()
        windings.append((ab, ac, bc))
    return Factors(k, tuple(windings))


def _sources(
    net: Compiled, case: str, c: Floats, c_max: Floats, generators: Sequence[SynchronousGenerator], of_units: dict[int, float]
) -> tuple[Sources, Converters]:
    machines: tuple[Machine, ...] = tuple(generators)
    motors: tuple[Motor, ...] = ()
    inverters: tuple[Inverter, ...] = ()
    if case == "max":  # a minimum current may have to do without what draws power or follows the network
        machines = (*machines, *(m for m in those_fed(net, net.synchronous_motors) if m.runs))
        motors, inverters = those_fed(net, running_motors(net)), those_fed(net, net.inverters)
    z_infeed = infeed_impedances(net, net.infeeds, case, c)
    z_machine, z2_machine, z_peak = machine_impedances(net, machines, c_max, of_units)
    z_motor = motor_impedances(net, motors)
    bus = np.concatenate([net.bus_of(net.infeeds), net.bus_of(machines), net.bus_of(motors)]).astype(np.intp)
    drives = [isinstance(m, InductionMotor) and m.starter == "regenerative drive" for m in motors]
    fed = net.topology.fed_node[net.topology.node_of_bus[bus]]
    sources = Sources(
        elements=(*net.infeeds, *machines, *motors), bus=bus,
        z=_open(np.concatenate([z_infeed, z_machine, z_motor]), fed), z2=_open(np.concatenate([z_infeed, z2_machine, z_motor]), fed),
        z_peak=_open(np.concatenate([z_infeed, z_peak, z_motor]), fed),
        balanced_only=np.concatenate([np.zeros(len(z_infeed) + len(z_machine), bool), np.array(drives, bool)]),
    )  # fmt: skip
    base = net.s_base_mva
    return sources, Converters(
        inverters, net.bus_of(inverters), converter_currents(inverters, base, "ik_over_ir"), converter_currents(inverters, base, "i2_over_ir")
    )


def _open(z: Complexes, fed: np.ndarray) -> Complexes:
    """What is kept back brings nothing."""
    return np.where(fed, z, complex(math.inf, 0.0))


def machine_impedances(
    net: Compiled, machines: Sequence[Machine], c_max: Floats, of_units: dict[int, float] | None = None
) -> tuple[Complexes, Complexes, Complexes]:
    """Corrected impedances of synchronous machines [p.u.]: positive, negative, and with the fictitious resistance for the peak."""
    bus = net.bus_of(machines)
    z_base = net.v_nominal_kv[bus] ** 2 / net.s_base_mva
    ur, xd2 = numbers(machines, "v_rated_kv"), numbers(machines, "xd2_pct") / 100
    sr = np.array([machine_mva(m) for m in machines], float)
    count = np.array([getattr(m, "count", 1) for m in machines], float)
    p_g = np.array([getattr(m, "p_g_pct", 0.0) for m in machines], float) / 100
    sin_phi = np.array([sin_phi_of(m) for m in machines], float)
    x_ohm = xd2 * ur**2 / sr
    k = eq.generator_correction(net.v_nominal_kv[bus], ur * (1 + p_g), c_max[bus], xd2, sin_phi)
    for position, own in (of_units or {}).items():
        k[position] = own
    k = k / z_base / count
    x2 = x_ohm * np.array([(getattr(m, "x2_pct", None) or m.xd2_pct or math.nan) / (m.xd2_pct or math.nan) for m in machines], float)
    true, fictitious = numbers(machines, "r_stator_ohm"), eq.generator_fictitious_resistance(x_ohm, ur, sr)
    return np.asarray(k * (true + 1j * x_ohm), complex), np.asarray(k * (true + 1j * x2), complex), np.asarray(k * (fictitious + 1j * x_ohm), complex)


def motor_impedances(net: Compiled, motors: Sequence[Motor]) -> Complexes:
    """Impedance of each motor symbol, its identical motors in parallel [p.u.]."""
    un = net.v_nominal_kv[net.bus_of(motors)]
    sr, ur, ilr, ratio = np.array([motor_rating(m) for m in motors], float).reshape(-1, 4).T
    return eq.motor_impedance(np.where(np.isnan(ur), un, ur), sr, ilr, ratio) / (un**2 / net.s_base_mva)


def units_of(net: Compiled, generators: Sequence[SynchronousGenerator], c_max: Floats) -> list[PowerStationUnit]:
    """Generators that stand with their own transformer, as recognised or as told."""
    b, nodes = net.branches, net.topology.node_of_bus
    asked = [g for g in generators if g.unit_connection != "by itself"]
    if not asked:
        return []
    n = net.topology.n_nodes
    at = net.node_of(generators)
    others = {int(x) for x in net.node_of(net.infeeds)} | {int(x) for x in net.node_of(net.inverters)}
    found = []
    for position, g in enumerate(generators):
        rows = np.flatnonzero((nodes[b.to_bus] == at[position]) & ~np.isnan(b.x_rated) & (net.v_nominal_kv[b.from_bus] > net.v_nominal_kv[b.to_bus]))
        if g.unit_connection == "by itself" or len(rows) != 1:
            continue
        row = int(rows[0])
        t = net.elements[b.ids[row]]
        if not isinstance(t, Transformer):
            continue
        rest = np.arange(len(b.ids)) != row
        ends = nodes[b.from_bus][rest], nodes[b.to_bus][rest]
        _, part = connected_components(coo_array((np.ones(rest.sum()), ends), shape=(n, n)), directed=False)
        own = part == part[at[position]]
        with_it = {int(x) for k, x in enumerate(at) if k != position} | others
        if own[nodes[b.from_bus[row]]] or any(own[x] for x in with_it):
            continue
        ratio = (t.s_rated_mva or math.nan) * t.parallel / (g.s_rated_mva or math.nan)
        if g.unit_connection == "as recognised" and not ALIKE[0] <= ratio <= ALIKE[1]:
            continue
        buses = tuple(int(i) for i in np.flatnonzero((nodes >= 0) & own[nodes]))
        found.append(_unit(net, g, position, t, row, buses, c_max))
    return found


def _unit(net: Compiled, g: SynchronousGenerator, position: int, t: Transformer, row: int, buses: tuple[int, ...], c_max: Floats) -> PowerStationUnit:
    hv = int(net.branches.from_bus[row])
    xd2, xt, sin_phi, p_g = (g.xd2_pct or math.nan) / 100, transformer_per_unit(t)[1], sin_phi_of(g), g.p_g_pct / 100
    on_load = t.tap_changer != "off load"
    tr = (t.v_hv_kv or math.nan) / (t.v_lv_kv or math.nan)
    k = eq.unit_correction(float(net.v_nominal_kv[hv]), g.v_rated_kv or math.nan, tr, float(c_max[hv]), xd2, xt, sin_phi, on_load, p_g, t.p_t_pct / 100)
    k_g, k_t = eq.inside_unit_corrections(float(c_max[buses[0]]), xd2, xt, sin_phi, on_load, p_g)
    return PowerStationUnit(position, row, on_load, k, k_g, k_t, buses)


def _inside(net: Compiled, c: Floats, c_max: Floats, u: PowerStationUnit, factors: Factors, sources: Sources, infeeds: int) -> Inside:
    """Faults behind the unit's transformer: factors of their own, and c times the rated voltage of the generator drives them."""
    branch = factors.branch.copy()
    branch[u.row] = u.k_transformer
    at = infeeds + u.generator

    def changed(z: Complexes) -> Complexes:
        z = z.copy()
        z[at] *= u.k_generator / u.k
        return z

    buses = np.array(u.buses, np.intp)
    g = sources.elements[at]
    own = net.topology.node_of_bus[buses] == net.topology.node_of_bus[sources.bus[at]]
    e = c.copy()
    e[buses[own]] = c[buses[own]] * (getattr(g, "v_rated_kv", None) or math.nan) / net.v_nominal_kv[buses[own]]
    changed_sources = replace(sources, z=changed(sources.z), z2=changed(sources.z2), z_peak=changed(sources.z_peak))
    return Inside(buses, e, replace(factors, branch=branch), changed_sources)


def decay_of(net: Compiled, sources: Sources, i_over_ir: Complexes | Floats, at: Sequence[int], t_min_s: float) -> Floats:
    """What is left of the current of some machines and motors when the contacts part, (source, fault): μ, and for asynchronous motors μ·q."""
    left = eq.machine_decay(i_over_ir, t_min_s)
    for row, k in enumerate(at):
        e = sources.elements[k]
        if isinstance(e, InductionMotor):
            m = (e.p_rated_kw or math.nan) / 1000 / (e.pole_pairs or 1)
            q = 0.0 if e.starter == "regenerative drive" else float(eq.motor_decay(m, t_min_s))
            left[row] = np.where(np.asarray(i_over_ir)[row] > 2, left[row] * q, 0.0 if e.starter == "regenerative drive" else 1.0)
        elif not isinstance(e, SynchronousGenerator) and not hasattr(e, "xd2_pct"):
            left[row] = np.where(np.asarray(i_over_ir)[row] > 2, left[row] * float(eq.motor_decay(0.05, t_min_s)), 1.0)
    return left


def rated_current_pu(net: Compiled, e: object, bus: int) -> float:
    """Rated current of a machine or motor symbol at its bus [p.u.]."""
    if isinstance(e, InductionMotor) or not hasattr(e, "xd2_pct"):
        sr, ur, _, _ = motor_rating(e)  # type: ignore[arg-type]
    else:
        sr, ur = machine_mva(e) * getattr(e, "count", 1), e.v_rated_kv or math.nan  # type: ignore[arg-type, attr-defined]
    v = float(net.v_nominal_kv[bus])
    return sr / net.s_base_mva * v / (v if math.isnan(ur) else ur)
