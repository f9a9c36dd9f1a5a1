"""Which buses are one electrical node, which nodes hang together, and what is fed.

Closed switching devices make one node of the buses they join; branches join nodes to islands. An island is fed where a source in
service stands in it.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from northfell.core.model.elements import Bus, Changeover, Element, Switching

Ints = NDArray[np.intp]


@dataclass(frozen=True)
class Topology:
    """Connections of a network in one state. A bus out of service has node -1 and takes what hangs on it out of service."""

    bus_ids: tuple[str, ...]
    bus_index: Mapping[str, int]
    node_of_bus: Ints  # (bus,)
    n_nodes: int
    island_of_node: Ints  # (node,)
    fed_node: NDArray[np.bool_]  # (node,)
    closed_ids: tuple[str, ...]  # closed switching devices in service
    closed_from: Ints  # (closed,) bus
    closed_to: Ints  # (closed,) bus
    closed_terminals: Ints  # (closed, 2) positions of the terminals it joins
    live: Mapping[str, bool]  # element id -> in service, as are all its buses

    @cached_property
    def _fed(self) -> list[bool]:
        """By bus; a plain list, since single ones are asked for very often."""
        if not self.n_nodes:
            return [False] * len(self.bus_ids)
        fed: list[bool] = ((self.node_of_bus >= 0) & self.fed_node[self.node_of_bus]).tolist()
        return fed

    def fed_bus(self, bus: int) -> bool:
        return self._fed[bus]

    def without(self, buses: Iterable[int]) -> "Topology":
        """The same connections, with the islands of some buses taken as not fed."""
        islands = {int(self.island_of_node[self.node_of_bus[b]]) for b in buses if self.node_of_bus[b] >= 0}
        return replace(self, fed_node=self.fed_node & ~np.isin(self.island_of_node, list(islands)))

    @cached_property
    def fed_islands(self) -> list[int]:
        return [int(i) for i in np.unique(self.island_of_node[self.fed_node])]


def topology_of(elements: Mapping[str, Element], apart: Collection[str] = ()) -> Topology:
    """Nodes, islands and supply of the elements of one state; those set apart join nothing."""
    bus_ids = tuple(e.id for e in elements.values() if isinstance(e, Bus))
    index = {bus_id: i for i, bus_id in enumerate(bus_ids)}
    bus_up = {bus_id: elements[bus_id].in_service for bus_id in bus_ids}
    live = {e.id: e.in_service and e.id not in apart and all(bus_up[b] for b in e.buses) for e in elements.values()}

    closed = [e for e in elements.values() if e.joined and live[e.id]]
    closed_terminals = np.array([e.joined for e in closed], np.intp).reshape(-1, 2)
    ends = [(e.buses[a], e.buses[b]) for e, (a, b) in zip(closed, closed_terminals.tolist(), strict=True)]
    closed_from, closed_to = _indices(ends, index)
    node, n_nodes = components(closed_from, closed_to, len(bus_ids))

    branches = [e for e in elements.values() if len(e.TERMINALS) > 1 and not isinstance(e, Switching | Changeover) and live[e.id]]
    branch_from, branch_to = _indices([(e.buses[0], other) for e in branches for other in e.buses[1:]], index)
    feeding = np.array([index[e.buses[0]] for e in elements.values() if e.feeds and live[e.id]], np.intp)
    island, fed_node = islands_of(node[branch_from], node[branch_to], node[feeding], n_nodes)
    up = np.array([bus_up[b] for b in bus_ids], bool)
    return Topology(
        bus_ids=bus_ids,
        bus_index=index,
        node_of_bus=np.where(up, node, -1),
        n_nodes=n_nodes,
        island_of_node=island,
        fed_node=fed_node,
        closed_ids=tuple(e.id for e in closed),
        closed_from=closed_from,
        closed_to=closed_to,
        closed_terminals=closed_terminals,
        live=live,
    )


def islands_of(branch_from: Ints, branch_to: Ints, feeding: Ints, n_nodes: int) -> tuple[Ints, NDArray[np.bool_]]:
    """The island of each node, and whether it is fed: from the nodes at the ends of branches, and those of the sources that keep an island up."""
    island, n_islands = components(branch_from, branch_to, n_nodes)
    fed_island = np.zeros(n_islands, bool)
    fed_island[island[feeding]] = True
    return island, fed_island[island]


def same_connections(one: Mapping[str, Element], other: Mapping[str, Element]) -> bool:
    """Whether two versions of a state's elements are connected, in service and fed alike, in the same order: topology and supply are then the same."""
    return len(one) == len(other) and all(a is b or _connects(a) == _connects(b) for a, b in zip(one.values(), other.values(), strict=True))


def _connects(e: Element) -> tuple[object, ...]:
    """What topology and supply depend on of an element."""
    return e.id, type(e), e.buses, e.in_service, e.joined, e.feeds, e.holder


def energised(elements: Mapping[str, Element], topology: Topology) -> dict[str, bool]:
    """Which elements are under voltage: in service with at least one bus fed (an open breaker fed from one side is)."""
    state: dict[str, bool] = {}
    fed = {bus_id: topology.fed_bus(i) for i, bus_id in enumerate(topology.bus_ids)}
    for e in elements.values():
        if isinstance(e, Bus):
            state[e.id] = e.in_service and fed[e.id]
        elif e.TERMINALS:
            state[e.id] = topology.live[e.id] and any(fed[b] for b in e.buses)
    for e in elements.values():  # relays and current transformers follow what they stand at
        if e.holder is not None:
            state[e.id] = e.in_service and state.get(e.holder, False)
    return state


def _indices(ends: Sequence[tuple[str, str]], index: Mapping[str, int]) -> tuple[Ints, Ints]:
    pairs = np.array([(index[a], index[b]) for a, b in ends], np.intp).reshape(-1, 2)
    return pairs[:, 0], pairs[:, 1]


def components(a: Ints, b: Ints, n: int) -> tuple[Ints, int]:
    """Which of so many things hang together by pairs of them, numbered; and how many such groups there are."""
    if n == 0:
        return np.zeros(0, np.intp), 0
    count, labels = connected_components(coo_array((np.ones(len(a)), (a, b)), shape=(n, n)), directed=False)
    return labels.astype(np.intp), int(count)
