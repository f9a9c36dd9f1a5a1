"""Currents through closed switches, which have no impedance of their own.

Kirchhoff's current law at each bus of a node fixes them where the switches form a tree. Where they form a ring, the current is
taken to divide as between equal small resistances.
"""

import numpy as np
from scipy.sparse import csr_array

from northfell.core.network.compile import Complexes
from northfell.core.network.topology import Ints, Topology

EXACT = 12  # digits after which a share of a current is noise: in a tree it is nothing or all


def switch_currents(topology: Topology, into_bus: Complexes) -> Complexes:
    """Current through each closed switching device, from its first terminal to its second.

    Parameters
    ----------
    topology : Topology
    into_bus : ndarray of complex, shape (bus, case)
        Sum of the currents that all other elements bring into each bus; zero over the buses of one node.

    Returns
    -------
    ndarray of complex, shape (closed switch, case), in the unit of `into_bus`.
    """
    return np.asarray(switch_shares(topology) @ into_bus, complex)


def switch_shares(topology: Topology) -> csr_array:
    """Which share of what comes into each bus flows through each closed switching device (closed switch, bus); kept with the topology."""
    known: csr_array | None = topology.__dict__.get("_switch_shares")
    if known is None:
        known = topology.__dict__["_switch_shares"] = _shares(topology)
    return known


def _shares(topology: Topology) -> csr_array:
    """Potentials of equal small resistances: of each node one bus is the zero, those of as many buses are inverted together."""
    n, a, b = len(topology.bus_ids), topology.closed_from, topology.closed_to
    bus_of_switch = topology.node_of_bus[a]
    buses = np.unique(np.concatenate([a, b]))
    order = buses[np.argsort(topology.node_of_bus[buses], kind="stable")]
    nodes, start, count = np.unique(topology.node_of_bus[order], return_index=True, return_counts=True)
    place = np.zeros(n, np.intp)  # of a bus among those of its node
    place[order] = np.arange(len(order)) - np.repeat(start, count)
    rows, columns, values = list[Ints](), list[Ints](), list[np.ndarray]()
    for m in np.unique(count):
        those = np.flatnonzero(count == m)
        of_node = np.full(topology.n_nodes, -1)
        of_node[nodes[those]] = np.arange(len(those))
        k = np.flatnonzero(of_node[bus_of_switch] >= 0)
        block, p, q = of_node[bus_of_switch[k]], place[a[k]], place[b[k]]
        laplacian = np.zeros((len(those), m, m))
        for row, column, sign in ((p, p, 1), (q, q, 1), (p, q, -1), (q, p, -1)):
            np.add.at(laplacian, (block, row, column), sign)
        potential = np.zeros((len(those), m, m))
        potential[:, 1:, 1:] = np.linalg.inv(laplacian[:, 1:, 1:])
        share = np.round(potential[block, p] - potential[block, q], EXACT)  # (switch, bus of its node)
        at, of = np.nonzero(share)
        rows.append(k[at])
        columns.append(order[start[those[block[at]]] + of])
        values.append(share[at, of])
    if not rows:
        return csr_array((0, n))
    return csr_array((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(len(a), n))
