"""Currents through closed switches, which have no impedance of their own.

Kirchhoff's current law at each bus of a node fixes them where the switches form a tree. Where they form a ring, the current is
taken to divide as between equal small resistances.
"""

import numpy as np
from scipy.sparse import coo_array, csc_array

from northfell.core.network.compile import Complexes
from northfell.core.network.linear import Factorised
from northfell.core.network.topology import Topology


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
    n, m = len(topology.bus_ids), len(topology.closed_ids)
    if m == 0:
        return np.zeros((0, into_bus.shape[1]), complex)
    a, b = topology.closed_from, topology.closed_to
    # one bus of each node is the zero of potential; buses without switches stand alone
    grounded = np.zeros(n, bool)
    _, first = np.unique(topology.node_of_bus, return_index=True)
    grounded[first] = True
    touched = np.zeros(n, bool)
    touched[a] = touched[b] = True
    grounded |= ~touched
    one = np.ones(m)
    laplacian = coo_array((np.concatenate([one, one, -one, -one]), (np.concatenate([a, b, a, b]), np.concatenate([a, b, b, a]))), shape=(n, n)).tocsr()
    free = np.flatnonzero(~grounded)
    potential = np.zeros((n, into_bus.shape[1]), complex)
    if len(free):
        factor = Factorised(csc_array(laplacian[free][:, free]), structurally_symmetric=True)
        rhs = into_bus[free]
        potential[free] = factor.solve(np.ascontiguousarray(rhs.real)) + 1j * factor.solve(np.ascontiguousarray(rhs.imag))
    return potential[a] - potential[b]
