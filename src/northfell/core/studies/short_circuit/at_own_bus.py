"""What every element brings into a fault at each of its own buses, at all buses at once: from entries of the inverses, without a solution for each fault."""

from collections.abc import Sequence

import numpy as np

from northfell.core.network import selected, switch_currents
from northfell.core.network.compile import Complexes
from northfell.core.network.selected import Entries
from northfell.core.network.sequences import SequenceNetwork
from northfell.core.network.topology import Ints
from northfell.core.studies.short_circuit.case import Case, replace_nan
from northfell.core.studies.short_circuit.flowing import numbers_of

BLOCK = 128  # faults at a time


def at_own_bus(one: Case, fault: str = "3ph") -> Complexes | None:
    """Currents from the bus into the element with a fault at that bus, at every terminal and by sequence [kA], (terminal, sequence).

    They are those of :meth:`Case.flows`; None where converters or power station units ask for a solution of each fault, or the factors have no
    symmetric pivots.
    """
    if len(one.given.converters.i1) or one.given.inside:
        return None
    net, found = one.net, one.of(fault)
    first = one.positive if fault == "3ph" else one.unbalanced_positive
    networks = (first,) if fault == "3ph" else (first, one.negative, one.zero.network)
    into = np.zeros((len(net.topology.bus_ids), len(networks)), complex)  # what all but switches bring into each bus, its own node faulted
    terminals = np.zeros((len(net.terminals.bus), len(networks)), complex)
    known, raw = replace_nan(found.sequences_pu), replace_nan(found.raw_pu)
    for s, network in enumerate(networks):
        entries = selected.entries(network.factor, one.fed)
        if entries is None:
            return None
        of_node = np.zeros(network.n, complex)  # current of the fault by node: the same at all of its buses
        nodes = net.topology.node_of_bus
        of_node[nodes[nodes >= 0]] = (raw if s == 2 else known)[nodes >= 0, s]
        if s == 2:
            of_node[one.zero.loose] = 0
        _wires(one, network, entries, of_node, terminals[:, s], into[:, s])
        _paths(one, network, entries, of_node, terminals[:, s], into[:, s])
    _switches(one, known[:, : len(networks)], terminals, into)
    return terminals


def at_own_buses(one: Case, buses: Sequence[int], fault: str = "3ph") -> Complexes:
    """The same for faults at some buses, solved one by one where that is asked for; of terminals at others nothing is said."""
    found = at_own_bus(one, fault)
    if found is not None:
        return found
    net, made = one.net, np.zeros((len(one.net.terminals.bus), 1 if fault == "3ph" else 3), complex)
    at: dict[int, list[int]] = {}
    for number, bus in enumerate(net.terminals.bus.tolist()):
        at.setdefault(bus, []).append(number)
    for start in range(0, len(buses), BLOCK):
        some = buses[start : start + BLOCK]
        terminals = one.flows(some, fault).terminals
        for k, bus in enumerate(some):
            made[at.get(bus, [])] = terminals[at.get(bus, []), k]
    return made


def _voltages(network: SequenceNetwork, entries: Entries, at: Ints, faulted: Ints, of_node: Complexes) -> Complexes:
    """Change of voltage at nodes with faults at others, each pair joined by an element [p.u.]."""
    z = entries.at(faulted, at) if network.transposed else entries.at(at, faulted)
    return -z * of_node[faulted]


def _wires(one: Case, network: SequenceNetwork, entries: Entries, of_node: Complexes, terminals: Complexes, into: Complexes) -> None:
    w, two_ports = network.wires, network.wires.two_ports
    for side in (0, 1):
        outside = np.flatnonzero(w.buses[:, side] >= 0)
        own, other, buses = w.nodes[outside, side], w.nodes[outside, 1 - side], w.buses[outside, side]
        v_own, v_other = (_voltages(network, entries, at, own, of_node) for at in (own, other))
        i = two_ports[outside, side, side] * v_own + two_ports[outside, side, 1 - side] * v_other
        _add(one, [w.ids[k] for k in outside], w.terminals[outside, side], buses, i, terminals, into)


def _paths(one: Case, network: SequenceNetwork, entries: Entries, of_node: Complexes, terminals: Complexes, into: Complexes) -> None:
    p = network.paths
    outside = np.flatnonzero(p.buses >= 0)
    nodes = p.nodes[outside]
    i = _voltages(network, entries, nodes, nodes, of_node) * p.y[outside]
    _add(one, [p.ids[k] for k in outside], p.terminals[outside], p.buses[outside], i, terminals, into)


def _add(one: Case, ids: list[str], terminal: Ints, buses: Ints, i_pu: Complexes, terminals: Complexes, into: Complexes) -> None:
    np.add.at(terminals, numbers_of(one.net, ids, terminal), i_pu * one.net.i_base_ka()[buses])
    np.add.at(into, buses, -i_pu)


def _switches(one: Case, i_fault: Complexes, terminals: Complexes, into: Complexes) -> None:
    """Currents through closed switches: in each round one bus of every node is the faulted one."""
    net, top = one.net, one.net.topology
    fed = np.isin(top.node_of_bus, np.flatnonzero(top.fed_node))
    sides = [numbers_of(net, list(top.closed_ids), top.closed_terminals[:, side]) for side in (0, 1)]
    i_base = net.i_base_ka()
    order = np.argsort(top.node_of_bus, kind="stable")
    _, begins, counts = np.unique(top.node_of_bus[order], return_index=True, return_counts=True)
    for k in range(int(counts.max()) if len(top.closed_ids) else 0):
        faulted = order[begins[counts > k] + k]
        drawn = into.copy()
        drawn[faulted] -= i_fault[faulted]
        drawn[~fed] = 0
        i = switch_currents(top, drawn) * i_base[top.closed_from][:, None]
        here = np.zeros(len(top.bus_ids), bool)
        here[faulted] = True
        for side, sign, buses in ((0, 1, top.closed_from), (1, -1, top.closed_to)):
            own = here[buses]
            terminals[sides[side][own]] = sign * i[own]
