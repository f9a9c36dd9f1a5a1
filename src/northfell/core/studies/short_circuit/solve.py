"""Faults at every bus: the network of one case factorised once, its inverse taken in blocks of right-hand sides."""

import math
from collections.abc import Sequence
from typing import TypeVar

import numpy as np
from numpy.typing import ArrayLike
from scipy.sparse import csc_array

from northfell.core.model.elements import Element, InductionMotor, Inverter, StaticLoad, SynchronousGenerator, SynchronousMotor, motor_mva
from northfell.core.network import Compiled, Factorised, branch_two_ports, fed, node_admittance, with_data
from northfell.core.network.compile import Complexes, Floats, numbers
from northfell.core.network.impedance import delta_of_pairs, feeder_impedance
from northfell.core.network.selected import BLOCK, Inverses
from northfell.core.network.topology import Ints
from northfell.core.studies.short_circuit import equations as eq
from northfell.core.studies.short_circuit.result import CASES, METHOD, CaseNetwork, ShortCircuit
from northfell.core.studies.short_circuit.settings import ShortCircuitSettings

STUDY = "short_circuit"
OneTerminal = TypeVar("OneTerminal", bound=Element)
FC_OVER_F = 0.4  # method (c) for the peak


def run(net: Compiled, settings: ShortCircuitSettings | None = None) -> ShortCircuit:
    """Three-phase faults at every fed bus of a compiled state, maximum and minimum.

    Raises
    ------
    CannotRun
        If data or a supply is missing.
    """
    settings = settings or net.network.settings.of(ShortCircuitSettings)
    net = with_data(net, STUDY)
    alone = _fed_by_inverters_alone(net)
    if alone:
        told = "is fed by inverters alone: {} needs a source with an impedance of its own in the island."
        net = fed(net.holding_back((bus, f"Bus {net.name(net.topology.bus_ids[bus])} {told.format(METHOD)}") for bus in alone), STUDY)
    inverses = Inverses()
    return ShortCircuit(net, settings, {case: _case(net, settings, case, inverses) for case in CASES})


def _case(net: Compiled, settings: ShortCircuitSettings, case: str, inverses: Inverses) -> CaseNetwork:
    z_base = net.v_nominal_kv**2 / net.s_base_mva
    c, c_max = factor_c(settings, net.v_nominal_kv, case), factor_c(settings, net.v_nominal_kv, "max")

    z_branch = _branch_impedance(net, c_max, case)
    ratio = net.branches.ratio_main
    zeros = np.zeros(len(z_branch))
    two_port = branch_two_ports(z_branch.real, z_branch.imag, zeros, zeros, ratio)
    two_port_c = branch_two_ports(z_branch.real, z_branch.imag * FC_OVER_F, zeros, zeros, ratio)

    infeed_bus = net.bus_of(net.infeeds)
    z_infeed = np.array(
        [
            feeder_impedance(c[b], net.v_nominal_kv[b], (e.ik_max_ka if case == "max" else e.ik_min_ka) or math.nan, e.r_over_x or 0.0) / z_base[b]
            for e, b in zip(net.infeeds, infeed_bus, strict=True)
        ],
        complex,
    )
    machines: tuple[SynchronousGenerator | SynchronousMotor, ...] = _fed(net, net.generators)
    motors: tuple[InductionMotor | StaticLoad, ...] = ()
    inverters: tuple[Inverter, ...] = ()
    if case == "max":  # a minimum current may have to do without what draws power or follows the network
        running = tuple(m for m in _fed(net, net.synchronous_motors) if m.runs)
        machines, motors, inverters = (*machines, *running), _fed(net, contributing_motors(net)), _fed(net, net.inverters)
    z_machine, z_machine_peak = _machine_impedance(net, machines, c_max, z_base)
    z_motor = motor_impedances(net, motors)

    nodes = net.topology.node_of_bus
    n = net.topology.n_nodes
    source_node = np.concatenate([nodes[infeed_bus], net.node_of(machines), net.node_of(motors)])
    fed = net.topology.fed_node
    at_f, at_fc = np.concatenate([z_infeed, z_machine, z_motor]), np.concatenate([z_infeed, z_machine_peak, z_motor])
    source_y = np.where(fed[source_node], 1 / at_f, 0)  # what is kept back brings nothing
    source_y_c = np.where(fed[source_node], 1 / (at_fc.real + 1j * FC_OVER_F * at_fc.imag), 0)
    f, t = nodes[net.branches.from_bus], nodes[net.branches.to_bus]
    factor = _factorised(n, two_port, f, t, source_node, source_y, fed)
    z_node = inverses.diagonal(factor, n, np.flatnonzero(fed))
    z_node_c = inverses.diagonal(_factorised(n, two_port_c, f, t, source_node, source_y_c, fed), n, np.flatnonzero(fed))

    def at_bus(of_node: Complexes) -> Complexes:
        return np.where(nodes >= 0, of_node[nodes], np.nan)

    z1 = at_bus(z_node) * z_base
    ik_impedances = np.asarray(eq.initial_current_ka(c, net.v_nominal_kv, z1))
    i_inverter = np.array([(e.ik_over_ir or 0.0) * (e.s_rated_mva or 0.0) * e.count / net.s_base_mva for e in inverters], float)
    added = at_bus(_converters(factor, z_node, net.node_of(inverters), i_inverter).astype(complex)).real * net.i_base_ka()
    r_over_x = np.asarray(eq.r_over_x_equivalent(at_bus(z_node_c), FC_OVER_F))
    kappa = np.asarray(eq.peak_factor(r_over_x))
    return CaseNetwork(
        case=case, c=c, z1_ohm=z1, zc_ohm=at_bus(z_node_c) * z_base, ik_ka=ik_impedances + added, i_converters_ka=added, r_over_x=r_over_x, kappa=kappa,
        ip_ka=np.asarray(eq.peak_current_ka(kappa, ik_impedances)) + np.sqrt(2) * added, factor=factor, two_port=two_port, z_branch_pu=z_branch,
        z_infeed_pu=z_infeed, z_machine_pu=z_machine, z_motor_pu=z_motor, machines=machines, motors=motors, inverters=inverters, i_inverter_pu=i_inverter,
    )  # fmt: skip


def factor_c(settings: ShortCircuitSettings, un_kv: ArrayLike, case: str) -> Floats:
    """Voltage factor c of each bus: by the standard's table, or the engineer's own."""
    if settings.prefault == "own factors":
        return np.full_like(np.asarray(un_kv, float), settings.c_max if case == "max" else settings.c_min)
    return eq.voltage_factor(un_kv, case, settings.lv_tolerance_pct)


def _fed_by_inverters_alone(net: Compiled) -> list[int]:
    """A bus of each island that no source with an impedance feeds."""
    island, fed = net.topology.island_of_node, net.topology.fed_node
    with_impedance = {int(i) for group in (net.infeeds, net.generators) for i in island[net.node_of(group)]}
    alone: dict[int, int] = {}
    for bus, node in enumerate(net.topology.node_of_bus):
        if node >= 0 and fed[node] and int(island[node]) not in with_impedance:
            alone.setdefault(int(island[node]), bus)
    return list(alone.values())


def _fed(net: Compiled, elements: Sequence[OneTerminal]) -> tuple[OneTerminal, ...]:
    """Those at buses that are fed: the others bring nothing, and their data need not be there."""
    return tuple(e for e in elements if net.topology.fed_bus(net.topology.bus_index[e.buses[0]]))


def contributing_motors(net: Compiled) -> tuple[InductionMotor | StaticLoad, ...]:
    """Asynchronous motors that bring current into a fault: none behind a drive that cannot return energy; loads with a share of motors."""
    direct = [m for m in net.induction_motors if m.starter != "drive" and m.runs]
    return (*direct, *(e for e in net.loads if getattr(e, "motor_share_pct", None) and e.p_mw is not None and e.drawn_factor > 0))


def _converters(factor: Factorised, z_node: Complexes, at: Ints, i_source: Floats) -> Floats:
    """What converter units add at each node [p.u.], in blocks of units."""
    added = np.zeros(len(z_node))
    for start in range(0, len(at), BLOCK):
        some = slice(start, start + BLOCK)
        rhs = np.zeros((len(z_node), len(at[some])), complex)
        rhs[at[some], np.arange(len(at[some]))] = 1
        fed = np.flatnonzero(np.isfinite(z_node))
        added[fed] += eq.converter_share(factor.solve(rhs)[fed], z_node[fed], i_source[some]).sum(axis=1)
    return added


def _branch_impedance(net: Compiled, c_max: Floats, case: str) -> Complexes:
    """Series impedances: cold or end-of-fault resistance; transformers with their correction factor, formed with c_max in both cases."""
    b = net.branches
    z = (b.r_cold if case == "max" else b.r_hot) + 1j * b.x
    is_transformer = ~np.isnan(b.x_rated)
    z *= np.where(is_transformer, eq.transformer_correction(c_max[b.to_bus], np.nan_to_num(b.x_rated)), 1.0)
    for w in net.windings:  # one factor for each pair, then the branches between the terminals
        rows = list(w.rows)
        k = eq.transformer_correction(c_max[b.to_bus[rows]], np.array(w.x_rated))
        ab, ac, bc = (complex(k_i * pair) for k_i, pair in zip(k, w.pairs, strict=True))
        z[rows] = np.array(delta_of_pairs(ab, ac, bc)) * np.array(w.scale)
    return z


def _machine_impedance(
    net: Compiled, machines: Sequence[SynchronousGenerator | SynchronousMotor], c_max: Floats, z_base: Floats
) -> tuple[Complexes, Complexes]:
    """Corrected impedances of synchronous machines [p.u.]: with the true resistance, and with the fictitious one for the peak."""
    bus = net.bus_of(machines)
    ur, xd2 = numbers(machines, "v_rated_kv"), numbers(machines, "xd2_pct") / 100
    sr = np.array([machine_mva(m) for m in machines], float)
    count = np.array([getattr(m, "count", 1) for m in machines], float)
    sin_phi = np.sqrt(1 - np.array([machine_power_factor(m) for m in machines], float) ** 2)
    x_ohm = xd2 * ur**2 / sr
    k = eq.generator_correction(net.v_nominal_kv[bus], ur, c_max[bus], xd2, sin_phi) / z_base[bus] / count
    true, fictitious = numbers(machines, "r_stator_ohm"), eq.generator_fictitious_resistance(x_ohm, ur, sr)
    return np.asarray(k * (true + 1j * x_ohm), complex), np.asarray(k * (fictitious + 1j * x_ohm), complex)


def machine_power_factor(m: SynchronousGenerator | SynchronousMotor) -> float:
    value = m.power_factor_rated if isinstance(m, SynchronousGenerator) else m.power_factor
    return math.nan if value is None else value


def machine_mva(m: SynchronousGenerator | SynchronousMotor) -> float:
    """Rated apparent power of one machine [MVA]."""
    value = m.s_rated_mva if isinstance(m, SynchronousGenerator) else motor_mva(m)
    return math.nan if value is None else value


def motor_rating(m: InductionMotor | StaticLoad) -> tuple[float, float, float, float]:
    """Rated power [MVA] of all motors of a symbol, rated voltage [kV; nan: the nominal one of its bus], ILR/IrM and RM/XM."""
    if isinstance(m, InductionMotor):
        sr = (motor_mva(m) or math.nan) * m.count
        ilr, ratio = (3.0, 0.10) if m.starter == "regenerative drive" else (m.ilr_over_ir or math.nan, math.nan if m.r_over_x is None else m.r_over_x)
        return sr, m.v_rated_kv or math.nan, ilr, ratio
    s = abs(complex(m.p_mw or 0.0, m.q_mvar or 0.0)) * m.drawn_factor * (getattr(m, "motor_share_pct", None) or 0.0) / 100
    return s, math.nan, getattr(m, "ilr_over_ir", math.nan), getattr(m, "r_over_x", math.nan)


def motor_impedances(net: Compiled, motors: Sequence[InductionMotor | StaticLoad]) -> Complexes:
    """Impedance of each motor symbol, its identical motors in parallel [p.u.]."""
    un = net.v_nominal_kv[net.bus_of(motors)]
    sr, ur, ilr, ratio = np.array([motor_rating(m) for m in motors], float).reshape(-1, 4).T
    return eq.motor_impedance(np.where(np.isnan(ur), un, ur), sr, ilr, ratio) / (un**2 / net.s_base_mva)


def _factorised(n: int, two_port: Complexes, f: np.ndarray, t: np.ndarray, node: np.ndarray, y: np.ndarray, fed: np.ndarray) -> Factorised:
    shunt = np.zeros(n, complex)
    np.add.at(shunt, node, y)
    shunt[~fed] += 1.0  # what is not fed has no fault current; the entry only keeps the matrix regular
    return Factorised(csc_array(node_admittance(n, two_port, f, t, shunt)), structurally_symmetric=True)
