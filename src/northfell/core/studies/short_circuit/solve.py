"""Faults at every bus: the network of one case factorised once, its inverse taken in blocks of right-hand sides."""

import math

import numpy as np
from scipy.sparse import csc_array

from northfell.core.errors import CannotRun
from northfell.core.model.completeness import missing
from northfell.core.model.parameters import Study
from northfell.core.model.settings import ShortCircuitSettings
from northfell.core.network import Compiled, Factorised, branch_two_ports, node_admittance
from northfell.core.network.compile import Complexes, Floats, numbers
from northfell.core.network.impedance import feeder_impedance
from northfell.core.studies.short_circuit import equations as eq
from northfell.core.studies.short_circuit.result import CASES, CaseNetwork, ShortCircuit

STUDY: Study = "short_circuit"
BLOCK = 256  # right-hand sides at a time: bounds the memory
FC_OVER_F = 0.4  # method (c) for the peak


def run(net: Compiled, settings: ShortCircuitSettings | None = None) -> ShortCircuit:
    """Three-phase faults at every fed bus of a compiled state, maximum and minimum.

    Raises
    ------
    CannotRun
        If data or a supply is missing.
    """
    settings = settings or net.network.settings.short_circuit
    lacking = missing(net.elements, STUDY, net.live())
    if lacking:
        raise CannotRun(STUDY, [str(one) for one in lacking])
    if not net.topology.fed_node.any():
        raise CannotRun(STUDY, ["There is no supply: no infeed and no generator is in service. Put one into service, or add one."])
    return ShortCircuit(net, settings, {case: _case(net, settings, case) for case in CASES})


def _case(net: Compiled, settings: ShortCircuitSettings, case: str) -> CaseNetwork:
    tolerance = settings.lv_tolerance_pct
    z_base = net.v_nominal_kv**2 / net.s_base_mva
    c = eq.voltage_factor(net.v_nominal_kv, case, tolerance)
    c_max = eq.voltage_factor(net.v_nominal_kv, "max", tolerance)

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
    generator_bus = net.bus_of(net.generators)
    z_generator, z_generator_peak = _generator_impedance(net, c_max, z_base)
    motors = net.motors if case == "max" else ()
    z_motor = motor_impedances(net)[: len(motors)]

    nodes = net.topology.node_of_bus
    n = net.topology.n_nodes
    source_node = np.concatenate([nodes[infeed_bus], nodes[generator_bus], net.node_of(motors)])
    source_y = 1 / np.concatenate([z_infeed, z_generator, z_motor])
    at_fc = np.concatenate([z_infeed, z_generator_peak, z_motor])
    source_y_c = 1 / (at_fc.real + 1j * FC_OVER_F * at_fc.imag)

    fed = net.topology.fed_node
    f, t = nodes[net.branches.from_bus], nodes[net.branches.to_bus]
    factor = _factorised(n, two_port, f, t, source_node, source_y, fed)
    z_node = _diagonal(factor, n, fed)
    z_node_c = _diagonal(_factorised(n, two_port_c, f, t, source_node, source_y_c, fed), n, fed)

    def at_bus(of_node: Complexes) -> Complexes:
        return np.where(nodes >= 0, of_node[nodes], np.nan)

    z1 = at_bus(z_node) * z_base
    ik = np.asarray(eq.initial_current_ka(c, net.v_nominal_kv, z1))
    r_over_x = np.asarray(eq.r_over_x_equivalent(at_bus(z_node_c), FC_OVER_F))
    kappa = np.asarray(eq.peak_factor(r_over_x))
    return CaseNetwork(
        case=case, c=c, z1_ohm=z1, zc_ohm=at_bus(z_node_c) * z_base, ik_ka=ik, r_over_x=r_over_x, kappa=kappa,
        ip_ka=np.asarray(eq.peak_current_ka(kappa, ik)), factor=factor, two_port=two_port, z_branch_pu=z_branch,
        z_infeed_pu=z_infeed, z_generator_pu=z_generator, z_motor_pu=z_motor, motors=motors,
    )  # fmt: skip


def _branch_impedance(net: Compiled, c_max: Floats, case: str) -> Complexes:
    """Series impedances: cold or end-of-fault resistance; transformers with their correction factor, formed with c_max in both cases."""
    b = net.branches
    z = (b.r_cold if case == "max" else b.r_hot) + 1j * b.x
    is_transformer = ~np.isnan(b.x_rated)
    k = np.where(is_transformer, eq.transformer_correction(c_max[b.to_bus], np.nan_to_num(b.x_rated)), 1.0)
    return z * k


def _generator_impedance(net: Compiled, c_max: Floats, z_base: Floats) -> tuple[Complexes, Complexes]:
    """Corrected impedances [p.u.]: with the true resistance, and with the fictitious one for the peak."""
    g, bus = net.generators, net.bus_of(net.generators)
    ur, sr, xd2 = numbers(g, "v_rated_kv"), numbers(g, "s_rated_mva"), numbers(g, "xd2_pct") / 100
    sin_phi = np.sqrt(1 - numbers(g, "power_factor_rated") ** 2)
    x_ohm = xd2 * ur**2 / sr
    k = eq.generator_correction(net.v_nominal_kv[bus], ur, c_max[bus], xd2, sin_phi) / z_base[bus]
    true, fictitious = numbers(g, "r_stator_ohm"), eq.generator_fictitious_resistance(x_ohm, ur, sr)
    return np.asarray(k * (true + 1j * x_ohm), complex), np.asarray(k * (fictitious + 1j * x_ohm), complex)


def motor_impedances(net: Compiled) -> Complexes:
    """Impedance of each motor symbol, its identical motors in parallel [p.u.]."""
    m, bus = net.motors, net.bus_of(net.motors)
    sr = numbers(m, "p_rated_kw") / 1000 / (numbers(m, "efficiency_pct") / 100) / numbers(m, "power_factor") * numbers(m, "count")
    z = eq.motor_impedance(numbers(m, "v_rated_kv"), sr, numbers(m, "ilr_over_ir"), numbers(m, "r_over_x"))
    return z / (net.v_nominal_kv[bus] ** 2 / net.s_base_mva)


def _factorised(n: int, two_port: Complexes, f: np.ndarray, t: np.ndarray, node: np.ndarray, y: np.ndarray, fed: np.ndarray) -> Factorised:
    shunt = np.zeros(n, complex)
    np.add.at(shunt, node, y)
    shunt[~fed] += 1.0  # what is not fed has no fault current; the entry only keeps the matrix regular
    return Factorised(csc_array(node_admittance(n, two_port, f, t, shunt)), structurally_symmetric=True)


def _diagonal(factor: Factorised, n: int, fed: np.ndarray) -> Complexes:
    """Diagonal of the impedance matrix; nan where not fed."""
    diagonal = np.full(n, np.nan, complex)
    wanted = np.flatnonzero(fed)
    for start in range(0, len(wanted), BLOCK):
        nodes = wanted[start : start + BLOCK]
        rhs = np.zeros((n, len(nodes)), complex)
        rhs[nodes, np.arange(len(nodes))] = 1
        diagonal[nodes] = factor.solve(rhs)[nodes, np.arange(len(nodes))]
    return diagonal
