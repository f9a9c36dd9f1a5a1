"""From solved voltages to what each element carries, and what each source then delivers."""

from typing import Any

import numpy as np

from northfell.core.network import switch_currents
from northfell.core.network.compile import Complexes, Floats
from northfell.core.studies.load_flow.capability import shared
from northfell.core.studies.load_flow.case import Case
from northfell.core.studies.load_flow.injections import machine_power
from northfell.core.studies.load_flow.newton import power_drawn
from northfell.core.studies.load_flow.result import LoadFlow


def carried(case: Case, v_fed: Complexes, messages: tuple[str, ...] = ()) -> LoadFlow:
    """What each element carries at these voltages of the fed nodes. Powers flow from the bus into the element, in p.u."""
    net = case.net
    v_node = case.by_node(v_fed)
    node_of_bus = net.topology.node_of_bus
    v = np.where(node_of_bus >= 0, v_node[node_of_bus], np.nan)  # (bus,)
    ends = np.stack([net.branches.from_bus, net.branches.to_bus], axis=1)
    two_port = case.two_port()
    i_branch = np.einsum("bij,bj->bi", two_port, v[ends])
    s_branch = v[ends] * np.conj(i_branch)

    def v_at(elements: tuple[Any, ...]) -> Complexes:
        return v[net.bus_of(elements)]

    s_load = power_drawn(np.abs(v_at(net.loads)), case.loads_draw)  # nan where not fed
    s_load[case.following.loads] += case.following.load_power(np.abs(v_at(net.loads))[case.following.loads])
    s_motor = power_drawn(np.abs(v_at(net.motors)), case.motors_draw)
    s_shunt = case.shunt * np.abs(v_at(net.shunts)) ** 2
    free = case.given()
    s_infeed, s_machine = _source_power(case, v_node, s_branch, s_load, _surplus(case, free.sizes_at(v_fed)))

    into_bus = np.zeros((len(v), 1), complex)  # currents that elements bring into each bus
    for elements, s in ((net.loads, s_load), (net.motors, s_motor), (net.shunts, s_shunt), (net.infeeds, -s_infeed), (net.machines, -s_machine)):
        if elements:
            at = v_at(elements)
            fed = ~np.isnan(at)
            np.add.at(into_bus[:, 0], net.bus_of(elements)[fed], -np.conj(s[fed] / at[fed]))
    for side in (0, 1):
        np.add.at(into_bus[:, 0], ends[:, side], -np.nan_to_num(i_branch[:, side]))
    i_switch = switch_currents(net.topology, into_bus)[:, 0]
    cut = case.following.cut_mw(np.abs(v_node[case.following.machine_node]), net.s_base_mva)
    held_down = {net.machines[i].id: float(mw) for i, mw in zip(case.following.machines, cut, strict=True) if mw > 1e-9}
    mismatch = np.abs(free.errors(free.left(v_fed, free.sizes_at(v_fed)))).max(initial=0.0)
    limited = {e.id: which for node, which in case.at_limit.items() for e in case.holding(node)}
    ranges = {net.machines[i].id: _mvar(r, net.s_base_mva) for i, r in case.sources.ranges.items()}
    ranges |= {case.sources.reference[node].id: _mvar(r, net.s_base_mva) for node, r in case.sources.reference_range.items()}
    return LoadFlow(
        net=net, settings=case.settings, iterations=case.iterations, mismatch_mva=float(mismatch) * net.s_base_mva, notes=messages,
        v=v, s_branch=s_branch, s_load=s_load, s_motor=s_motor, s_shunt=s_shunt, s_infeed=s_infeed, s_machine=s_machine, i_switch=i_switch,
        ratio=case.ratio.copy(), shunt=case.shunt.copy(), at_limit=limited, held_down=held_down, ranges=ranges,
    )  # fmt: skip


def _mvar(one: tuple[float, float], s_base_mva: float) -> tuple[float, float]:
    return one[0] * s_base_mva, one[1] * s_base_mva


def _surplus(case: Case, sizes: Floats) -> Complexes:
    """What each machine delivers beside its set point by its part in the surplus of its island [p.u.], shape (machine,)."""
    beside = np.zeros(len(case.net.machines), complex)
    shared = case.sources.shared
    for one, surplus in zip(shared, sizes[len(sizes) - len(shared) :], strict=True):  # they stand last
        for i, part in one.part_of_machine.items():
            beside[i] = surplus * part / one.parts
    return beside


def _source_power(case: Case, v_node: Complexes, s_branch: Complexes, s_load: Complexes, surplus: Complexes) -> tuple[Complexes, Complexes]:
    """Power delivered by infeeds and machines: what the node needs is shared among those that hold its voltage."""
    net, sources = case.net, case.sources
    n = net.topology.n_nodes
    needs = np.zeros(n, complex)
    np.add.at(needs, net.node_of(net.loads), s_load)
    np.add.at(needs, net.node_of(net.motors), power_drawn(np.abs(v_node[net.node_of(net.motors)]), case.motors_draw))
    for side, bus in enumerate((net.branches.from_bus, net.branches.to_bus)):
        np.add.at(needs, net.topology.node_of_bus[bus], s_branch[:, side])
    np.add.at(needs, net.node_of(net.shunts), case.shunt * np.abs(v_node[net.node_of(net.shunts)]) ** 2)
    s_machine = np.where(np.isnan(v_node[sources.machine_node]), np.nan, machine_power(net) + surplus)  # an inverter alone delivers nothing
    s_machine[case.following.machines] += case.following.machine_power(np.abs(v_node[case.following.machine_node]))

    v_bus = v_node[net.node_of(net.infeeds)]
    z = np.where(sources.infeed_z == 0, 1, sources.infeed_z)
    s_infeed = np.where(sources.infeed_z == 0, 0, v_bus * np.conj((v_node[sources.infeed_node] - v_bus) / z))
    given = np.zeros(n, complex)
    np.add.at(given, sources.machine_node, np.nan_to_num(s_machine))
    np.add.at(given, net.node_of(net.infeeds), s_infeed)
    rest = needs - given  # at nodes that hold a voltage; nothing elsewhere
    for i, node in enumerate(sources.infeed_node):
        if sources.infeed_z[i] == 0:
            s_infeed[i] = rest[node]
    for i, (g, node) in enumerate(zip(net.machines, sources.machine_node, strict=True)):
        if g.mode == "reference":
            s_machine[i] = rest[node]
    for target in sources.holders:
        for node, sharing in sources.given_at(target).items():
            if case.fed[node]:
                each = [sources.ranges[i] for i in sharing]
                for i, q in zip(sharing, shared(float(rest[node].imag), each), strict=True):
                    s_machine[i] += 1j * q
    return s_infeed, s_machine
