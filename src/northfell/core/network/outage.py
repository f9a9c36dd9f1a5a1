"""One element out of service, or some switches open, from the arrays of the network with them: what does not hang on it is taken over."""

from collections.abc import Collection
from dataclasses import replace
from typing import Any

import numpy as np

from northfell.core.model.elements import Element
from northfell.core.network.compile import GROUPS, NOT_FED, Branches, Compiled, Windings
from northfell.core.network.terminals import Terminals
from northfell.core.network.topology import Topology, components, islands_of

FIELDS = ("r_flow", "r_cold", "r_hot", "x", "g", "b", "ratio", "ratio_main", "x_rated", "rating", "rating_is_a")  # as they stand in NOT_FED


def without_one(net: Compiled, element: Element) -> Compiled | None:
    """The network with a branch or a source out of service, as :func:`compile_network` would make it anew.

    None where all must be looked at: for a bus or a switching device, whose nodes would be others, and where something is held back.
    """
    takes_part = net.topology.live[element.id]
    if net.held_back or not takes_part or not element.TERMINALS or element.joined:
        return None
    kept = np.array([i != element.id for i in net.branches.ids], bool)
    topology = _topology(net, element, kept)
    elements = {**net.elements, element.id: element.model_copy(update={"in_service": False})}
    groups: dict[str, Any] = {}
    for group in GROUPS:
        those = getattr(net, group)
        groups[group] = tuple([e for e in those if e.id != element.id]) if any(e.id == element.id for e in those) else those
    branches = _not_fed(_rows(net.branches, kept), topology)
    after = replace(net, elements=elements, topology=topology, branches=branches, windings=_windings(net, kept, topology), **groups, _found={}, _factors={})
    for group in GROUPS:
        was = getattr(net, group)
        if was is getattr(after, group) and (found := net._found.get(id(was))) is not None:
            after._found[id(was)] = found
    after.__dict__["terminals"] = _terminals(net.terminals, element)
    if np.array_equal(topology.fed_node, net.topology.fed_node):
        after.__dict__["taking_part"] = {i: e for i, e in net.taking_part.items() if i != element.id and e.holder != element.id}
    return after


def with_open(net: Compiled, switches: Collection[str]) -> Compiled | None:
    """The network with some closed switching devices open, as :func:`compile_network` would make it anew.

    None where all must be looked at: where something is held back, or a bus takes its nominal voltage from those that it is switched to.
    """
    if net.held_back or any(net.elements[b].v_nominal_kv is None for b in net.topology.bus_ids):  # type: ignore[attr-defined]
        return None
    elements = dict(net.elements)
    for i in switches:
        elements[i] = elements[i].model_copy(update={"closed": False})
    top, b = net.topology, net.branches
    kept = np.array([i not in switches for i in top.closed_ids], bool)
    node, n_nodes = components(top.closed_from[kept], top.closed_to[kept], len(top.bus_ids))
    feeding = net.bus_of([e for e in (*net.infeeds, *net.machines) if e.feeds])
    island, fed_node = islands_of(node[b.from_bus], node[b.to_bus], node[feeding], n_nodes)
    topology = replace(
        top, node_of_bus=np.where(top.node_of_bus >= 0, node, -1), n_nodes=n_nodes, island_of_node=island, fed_node=fed_node,
        closed_ids=tuple([i for i, stays in zip(top.closed_ids, kept.tolist(), strict=True) if stays]),
        closed_from=top.closed_from[kept], closed_to=top.closed_to[kept], closed_terminals=top.closed_terminals[kept],
    )  # fmt: skip
    windings = _windings(net, np.ones(len(b.ids), bool), topology)
    after = replace(net, elements=elements, topology=topology, branches=_not_fed(b, topology), windings=windings, _found=dict(net._found), _factors={})
    after.__dict__["terminals"] = replace(net.terminals, elements=tuple([elements[e.id] for e in net.terminals.elements]))
    if all(after.topology.fed_bus(i) for i in range(len(top.bus_ids)) if top.fed_bus(i)):
        after.__dict__["taking_part"] = {i: elements[i] for i in net.taking_part}
    return after


def _topology(net: Compiled, element: Element, kept: np.ndarray) -> Topology:
    """The nodes stay; islands and what is fed are found again."""
    top, b = net.topology, net.branches
    live = {**top.live, element.id: False}
    node = top.node_of_bus
    feeding = [e for e in (*net.infeeds, *net.machines) if e.feeds and e.id != element.id]
    island, fed_node = islands_of(node[b.from_bus[kept]], node[b.to_bus[kept]], node[net.bus_of(feeding)], top.n_nodes)
    return replace(top, live=live, island_of_node=island, fed_node=fed_node)


def _rows(branches: Branches, kept: np.ndarray) -> Branches:
    if kept.all():
        return branches
    columns: dict[str, Any] = {name: getattr(branches, name)[kept] for name in ("terminals", "from_bus", "to_bus", *FIELDS)}
    return Branches(ids=tuple([i for i, stays in zip(branches.ids, kept.tolist(), strict=True) if stays]), **columns)


def _not_fed(branches: Branches, topology: Topology) -> Branches:
    """The same with nothing known of those that are not fed now."""
    node = topology.node_of_bus
    dead = ~topology.fed_node[node[branches.from_bus]] if len(branches.ids) else np.zeros(0, bool)
    if not dead.any():
        return branches
    columns: dict[str, Any] = {name: np.where(dead, value, getattr(branches, name)) for name, value in zip(FIELDS, NOT_FED, strict=True)}
    return replace(branches, **columns)


def _windings(net: Compiled, kept: np.ndarray, topology: Topology) -> tuple[Windings, ...]:
    """Those that stay and are fed, with the rows where their branches stand now."""
    at = np.cumsum(kept) - 1
    found = []
    for one in net.windings:
        a, b, c = one.rows
        if kept[a] and topology.fed_node[topology.node_of_bus[net.branches.from_bus[a]]]:
            found.append(replace(one, rows=(int(at[a]), int(at[b]), int(at[c]))))
    return tuple(found)


def _terminals(terminals: Terminals, element: Element) -> Terminals:
    k = terminals.at[element.id]
    count = np.delete(terminals.count, k)
    gone = terminals.element == k
    return Terminals(
        elements=terminals.elements[:k] + terminals.elements[k + 1 :],
        at={i: n - (n > k) for i, n in terminals.at.items() if n != k},
        first=np.cumsum(count) - count,
        count=count,
        bus=terminals.bus[~gone],
        element=np.repeat(np.arange(len(count)), count),
    )
