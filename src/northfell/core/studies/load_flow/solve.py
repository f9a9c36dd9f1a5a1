"""Load flow of one compiled state: who holds what, the start, the solution, and what each element then carries."""

import math
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import breadth_first_order

from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.completeness import missing
from northfell.core.model.network import title_of
from northfell.core.model.parameters import Study
from northfell.core.model.settings import LoadFlowSettings
from northfell.core.network import Compiled, branch_two_ports, node_admittance, switch_currents
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.impedance import feeder_impedance
from northfell.core.network.topology import Ints
from northfell.core.studies.load_flow.injections import exponents, load_power, machine_power, motor_power, motor_share, shunt_power
from northfell.core.studies.load_flow.newton import EXPONENTS, Outcome, newton, power_drawn
from northfell.core.studies.load_flow.result import LoadFlow

STUDY: Study = "load_flow"


@dataclass(frozen=True)
class _Sources:
    """Infeeds and generators as the solution needs them. Infeeds behind an impedance hold the voltage at a node of their own."""

    infeed_node: Ints  # (infeed,) node whose voltage the infeed holds; its own for one behind impedance
    infeed_z: Complexes  # (infeed,) 0 for an ideal one
    machine_node: Ints
    held: dict[int, complex]  # node -> voltage fixed in magnitude and angle
    magnitude: dict[int, float]  # node -> voltage fixed in magnitude
    messages: list[str]


def run(net: Compiled, settings: LoadFlowSettings | None = None) -> LoadFlow:
    """Balanced load flow of a compiled state.

    Raises
    ------
    CannotRun
        If data, a supply or a reference is missing.
    NoSolution
        If the iteration does not converge.
    """
    settings = settings or net.network.settings.load_flow
    if lacking := missing(net.elements, STUDY, net.taking_part()):
        raise CannotRun(STUDY, [str(one) for one in lacking])
    if not net.topology.fed_node.any():
        raise CannotRun(STUDY, ["There is no supply: no infeed and no generator is in service. Put one into service, or add one."])
    sources = _sources(net)
    n = net.topology.n_nodes
    n_all = n + int(np.count_nonzero(sources.infeed_z))
    fed = np.concatenate([net.topology.fed_node, np.ones(n_all - n, bool)])

    two_port = branch_two_ports(net.branches.r_flow, net.branches.x, net.branches.g, net.branches.b, net.branches.ratio)
    f, t = net.topology.node_of_bus[net.branches.from_bus], net.topology.node_of_bus[net.branches.to_bus]
    inner = np.flatnonzero(sources.infeed_z)
    inner_port = branch_two_ports(
        sources.infeed_z[inner].real, sources.infeed_z[inner].imag, np.zeros(len(inner)), np.zeros(len(inner)), np.ones(len(inner), complex)
    )
    shunt = np.zeros(n_all, complex)
    np.add.at(shunt, net.node_of(net.shunts), np.conj(shunt_power(net)))
    ports = np.concatenate([two_port, inner_port])
    ends = np.concatenate([f, sources.infeed_node[inner]]), np.concatenate([t, net.node_of(net.infeeds)[inner]])

    load, generation = _loads(net, n_all), _generation(net, n_all)
    outcome = _solve_fed(n_all, ports, ends, shunt, generation, load, sources, net.branches.ratio, fed, settings, net.s_base_mva)
    if not outcome.converged:
        at = int(np.flatnonzero(fed)[outcome.worst])
        bus = _bus_name(net, at if at < n else int(ends[1][len(two_port) + at - n]))
        tried = "Newton's method from a flat start along the transformers' phase shifts, steps halved where they did not help"
        raise NoSolution(STUDY, tried, outcome.iterations, outcome.mismatch_pu * net.s_base_mva, bus)
    v_node = np.full(n_all, np.nan, complex)
    v_node[fed] = outcome.v
    return _result(net, settings, sources, outcome, v_node, two_port, generation, load)


def _bus_name(net: Compiled, node: int) -> str:
    bus = int(np.flatnonzero(net.topology.node_of_bus == node)[0])
    return net.name(net.topology.bus_ids[bus])


def _sources(net: Compiled) -> _Sources:
    """Who holds which voltage, with a reference for every fed island."""
    reasons: list[str] = []
    messages: list[str] = []
    infeed_node, machine_node = net.node_of(net.infeeds).copy(), net.node_of(net.machines)
    bus = net.bus_of(net.infeeds)
    z = np.zeros(len(net.infeeds), complex)
    own = net.topology.n_nodes
    held: dict[int, complex] = {}
    holder: dict[int, str] = {}
    for i, e in enumerate(net.infeeds):
        if e.flow_model == "behind impedance":
            if e.ik_max_ka is None or e.r_over_x is None or math.isnan(net.v_nominal_kv[bus[i]]):
                field = "ik_max_ka" if e.ik_max_ka is None else "r_over_x" if e.r_over_x is None else "v_nominal_kv of its bus"
                reasons.append(f"{title_of(e)}: {field} is empty; flow_model “behind impedance” needs it. Accepted too: flow_model “ideal”.")
                continue
            v_kv = net.v_nominal_kv[bus[i]]
            z[i] = feeder_impedance(1.0, v_kv, e.ik_max_ka, e.r_over_x) * net.s_base_mva / v_kv**2
            infeed_node[i], own = own, own + 1
        node = int(infeed_node[i])
        if node in held:
            reasons.append(_two_references(title_of(e), holder[node]))
        held[node], holder[node] = e.v_set_pu * np.exp(1j * math.radians(e.angle_deg)), title_of(e)
    for g, node in zip(net.machines, machine_node, strict=True):
        if g.mode == "reference":
            if node in held:
                reasons.append(_two_references(title_of(g), holder[node]))
            held[int(node)], holder[int(node)] = complex(g.v_set_pu), title_of(g)
    magnitude: dict[int, float] = {}
    for g, node in zip(net.machines, machine_node, strict=True):
        if g.mode != "voltage":
            continue
        if int(node) in held:
            messages.append(f"{title_of(g)} does not hold the voltage: {holder[int(node)]} does at the same bus. It is taken with 0 Mvar.")
        elif magnitude.setdefault(int(node), g.v_set_pu) != g.v_set_pu:
            reasons.append(f"{title_of(g)}: v_set_pu is {g.v_set_pu:g}, accepted is {magnitude[int(node)]:g} p.u. as held by another at the same bus.")
    reasons += _without_reference(net, {int(infeed_node[i]) for i in range(len(z)) if z[i] == 0} | set(held), infeed_node, z)
    if reasons:
        raise CannotRun(STUDY, reasons)
    messages += _ideal_neighbours(net, infeed_node, z, machine_node)
    return _Sources(infeed_node, z, machine_node, held, magnitude, messages)


def _two_references(one: str, other: str) -> str:
    return (
        f"Two ideal references: {one} and {other} stand on one bus or are joined without impedance. Accepted is one ideal reference: "
        "set flow_model of the other to “behind impedance” (an infeed) or its mode to “power” or “voltage” (a generator), or open the switch between them."
    )


def _without_reference(net: Compiled, held: set[int], infeed_node: Ints, z: Complexes) -> list[str]:
    island = net.topology.island_of_node
    with_reference = {int(island[node]) for node in held if node < net.topology.n_nodes}
    with_reference |= {int(island[node]) for node, zi in zip(net.node_of(net.infeeds), z, strict=True) if zi != 0}
    reasons = []
    for number in np.unique(island[net.topology.fed_node]):
        if int(number) not in with_reference:
            could = [title_of(g) for g, node in zip(net.machines, net.node_of(net.machines), strict=True) if island[node] == number]
            where = _bus_name(net, int(np.flatnonzero(island == number)[0]))
            if could:
                reasons.append(f"No angle reference in the island of bus {where}: accepted is mode “reference” on one of {', '.join(could)}, or an infeed.")
    return reasons


def _ideal_neighbours(net: Compiled, infeed_node: Ints, z: Complexes, machine_node: Ints) -> list[str]:
    """Several ideal references in one island are solved, each holding its voltage, but named."""
    island = net.topology.island_of_node
    ideal: dict[int, list[str]] = {}
    for e, node, zi in zip(net.infeeds, infeed_node, z, strict=True):
        if zi == 0:
            ideal.setdefault(int(island[node]), []).append(title_of(e))
    for g, node in zip(net.machines, machine_node, strict=True):
        if g.mode == "reference":
            ideal.setdefault(int(island[node]), []).append(title_of(g))
    return [
        f"{len(names)} ideal references in one island: {', '.join(names)}. Each holds its voltage and angle, so that power may circulate between "
        "them. Accepted for all but one: flow_model “behind impedance” (an infeed), or mode “voltage” or “power” (a generator)."
        for names in ideal.values()
        if len(names) > 1
    ]


def _loads(net: Compiled, n: int) -> Complexes:
    load = np.zeros((n, len(EXPONENTS)), complex)
    share = motor_share(net)
    np.add.at(load, (net.node_of(net.loads), exponents(net)), (1 - share) * load_power(net))
    np.add.at(load, (net.node_of(net.loads), np.zeros(len(net.loads), int)), share * load_power(net))
    np.add.at(load, (net.node_of(net.motors), np.zeros(len(net.motors), int)), motor_power(net))
    return load


def _generation(net: Compiled, n: int) -> Complexes:
    generation = np.zeros(n, complex)
    np.add.at(generation, net.node_of(net.machines), machine_power(net))
    return generation


def _solve_fed(
    n_all: int, ports: Complexes, ends: tuple[Ints, Ints], shunt: Complexes, generation: Complexes, load: Complexes, sources: _Sources,
    ratio: Complexes, fed: np.ndarray, settings: LoadFlowSettings, s_base: float,
) -> Outcome:  # fmt: skip
    """The power balance of the fed nodes only; the others have no voltage."""
    number = np.cumsum(fed) - 1
    used = fed[ends[0]]  # a branch lies wholly in a fed island or in none
    f, t = number[ends[0][used]], number[ends[1][used]]
    shift = np.concatenate([np.angle(ratio), np.zeros(len(ports) - len(ratio))])[used]
    y = node_admittance(int(fed.sum()), ports[used], f, t, shunt[fed])
    held = np.array([number[node] for node in sources.held], np.intp)
    v = _start(int(fed.sum()), f, t, shift, held, np.array(list(sources.held.values()), complex))
    pv = np.array([number[node] for node in sources.magnitude], np.intp)
    if len(pv):
        v[pv] = v[pv] / np.abs(v[pv]) * np.array(list(sources.magnitude.values()))
    angle_free = np.setdiff1d(np.arange(len(v)), held)
    magnitude_free = np.setdiff1d(angle_free, pv)
    return newton(y, generation[fed], load[fed], v, angle_free, magnitude_free, settings.tolerance_mva / s_base, settings.max_iterations)


def _start(n: int, f: Ints, t: Ints, shift: Floats, held: Ints, v_held: Complexes) -> Complexes:
    """A flat start: 1 p.u., with the angle of the reference carried along the phase shifts of the transformers."""
    v = np.ones(n, complex)
    if np.any(shift) or np.any(v_held.imag):
        graph = coo_array((np.ones(2 * len(f)), (np.concatenate([f, t]), np.concatenate([t, f]))), shape=(n, n)).tocsr()
        step = {}
        for a, b, angle in zip(f.tolist(), t.tolist(), shift.tolist(), strict=True):
            step[a, b], step[b, a] = -angle, angle
        reached = np.zeros(n, bool)
        for root, v_root in zip(held, v_held, strict=True):
            if reached[root]:
                continue
            order, before = breadth_first_order(graph, root, directed=False)
            angles = {int(root): float(np.angle(v_root))}
            for node in order[1:].tolist():
                angles[node] = angles[int(before[node])] + step[int(before[node]), node]
            v[order] = np.exp(1j * np.array([angles[node] for node in order.tolist()]))
            reached[order] = True
    v[held] = v_held
    return v


def _result(
    net: Compiled, settings: LoadFlowSettings, sources: _Sources, outcome: Outcome, v_node: Complexes, two_port: Complexes,
    generation: Complexes, load: Complexes,
) -> LoadFlow:  # fmt: skip
    """What each element carries at the solved voltages. Powers flow from the bus into the element, in p.u."""
    node_of_bus = net.topology.node_of_bus
    v = np.where(node_of_bus >= 0, v_node[node_of_bus], np.nan)  # (bus,)
    ends = np.stack([net.branches.from_bus, net.branches.to_bus], axis=1)
    i_branch = np.einsum("bij,bj->bi", two_port, v[ends])
    s_branch = v[ends] * np.conj(i_branch)

    def v_at(elements: tuple) -> Complexes:
        return v[net.bus_of(elements)]

    share = motor_share(net)
    s_load = np.where(np.isnan(v_at(net.loads)), np.nan, load_power(net) * (share + (1 - share) * np.abs(v_at(net.loads)) ** exponents(net)))
    s_motor = np.where(np.isnan(v_at(net.motors)), np.nan, motor_power(net))
    s_shunt = shunt_power(net) * np.abs(v_at(net.shunts)) ** 2
    s_infeed, s_machine = _source_power(net, sources, v_node, s_branch, generation, load)
    messages = list(sources.messages)
    if outcome.halvings:
        messages.append(f"{outcome.halvings} Newton steps had to be shortened.")

    into_bus = np.zeros((len(v), 1), complex)  # currents that elements bring into each bus
    for elements, s in ((net.loads, s_load), (net.motors, s_motor), (net.shunts, s_shunt), (net.infeeds, -s_infeed), (net.machines, -s_machine)):
        if elements:
            fed = ~np.isnan(v_at(elements))
            np.add.at(into_bus[:, 0], net.bus_of(elements)[fed], -np.conj(s[fed] / v_at(elements)[fed]))
    for side in (0, 1):
        np.add.at(into_bus[:, 0], ends[:, side], -np.nan_to_num(i_branch[:, side]))
    i_switch = switch_currents(net.topology, into_bus)[:, 0]
    return LoadFlow(
        net=net, settings=settings, iterations=outcome.iterations, mismatch_mva=outcome.mismatch_pu * net.s_base_mva, notes=tuple(messages),
        v=v, s_branch=s_branch, s_load=s_load, s_motor=s_motor, s_shunt=s_shunt, s_infeed=s_infeed, s_machine=s_machine, i_switch=i_switch,
    )  # fmt: skip


def _source_power(
    net: Compiled, sources: _Sources, v_node: Complexes, s_branch: Complexes, generation: Complexes, load: Complexes
) -> tuple[Complexes, Complexes]:
    """Power delivered by infeeds and generators: what the node needs is shared among those that hold its voltage."""
    n = net.topology.n_nodes
    needs = power_drawn(np.abs(v_node), load)[:n]
    for side, bus in enumerate((net.branches.from_bus, net.branches.to_bus)):
        np.add.at(needs, net.topology.node_of_bus[bus], s_branch[:, side])
    np.add.at(needs, net.node_of(net.shunts), shunt_power(net) * np.abs(v_node[net.node_of(net.shunts)]) ** 2)

    v_bus = v_node[net.node_of(net.infeeds)]
    z = np.where(sources.infeed_z == 0, 1, sources.infeed_z)
    s_infeed = np.where(sources.infeed_z == 0, 0, v_bus * np.conj((v_node[sources.infeed_node] - v_bus) / z))
    given = generation[:n].copy()
    np.add.at(given, net.node_of(net.infeeds), s_infeed)
    rest = needs - given  # at nodes that hold a voltage; nothing elsewhere
    for i, node in enumerate(sources.infeed_node):
        if sources.infeed_z[i] == 0:
            s_infeed[i] = rest[node]
    s_machine = np.where(np.isnan(v_node[sources.machine_node]), np.nan, machine_power(net))  # an inverter alone delivers nothing
    holders: dict[int, list[int]] = {}
    for i, (g, node) in enumerate(zip(net.machines, sources.machine_node, strict=True)):
        if g.mode == "reference":
            s_machine[i] = rest[node]
        elif g.mode == "voltage" and int(node) in sources.magnitude:
            holders.setdefault(int(node), []).append(i)
    for node, sharing in holders.items():
        for i, part in zip(sharing, _shares(net, sharing), strict=True):
            s_machine[i] += 1j * rest[node].imag * part
    return s_infeed, s_machine


def _shares(net: Compiled, sharing: list[int]) -> list[float]:
    """How generators on one bus share its reactive power: by their range where all have one, else equally."""
    spans = [g.q_max_mvar - g.q_min_mvar if g.q_max_mvar is not None and g.q_min_mvar is not None else 0.0 for g in (net.machines[i] for i in sharing)]
    return [s / sum(spans) for s in spans] if all(s > 0 for s in spans) else [1 / len(sharing)] * len(sharing)
