"""Admittances of branches and nodes."""

import numpy as np
from scipy.sparse import csr_array

from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.topology import Ints


def branch_two_ports(r: Floats, x: Floats, g: Floats, b: Floats, ratio: Complexes) -> Complexes:
    r"""Admittance two-ports of branches whose ratio acts at the first end.

    .. math::
        Y_{ff} = (y + \tfrac12 y_s)/|t|^2, \quad Y_{ft} = -y/t^*, \quad Y_{tf} = -y/t, \quad Y_{tt} = y + \tfrac12 y_s

    Parameters
    ----------
    r, x, g, b : ndarray, shape (branch,)
        Series impedance and total shunt admittance [p.u.].
    ratio : ndarray of complex, shape (branch,)
        Ratio with its phase shift; 1 for lines and cables.

    Returns
    -------
    ndarray of complex, shape (branch, 2, 2)
    """
    y = 1 / (r + 1j * x)
    half = (g + 1j * b) / 2
    two_port = np.empty((len(y), 2, 2), complex)
    two_port[:, 0, 0] = (y + half) / np.abs(ratio) ** 2
    two_port[:, 0, 1] = -y / np.conj(ratio)
    two_port[:, 1, 0] = -y / ratio
    two_port[:, 1, 1] = y + half
    return two_port


def node_admittance(n: int, two_port: Complexes, f: Ints, t: Ints, shunt: Complexes) -> csr_array:
    """Nodal admittance matrix [p.u.] with a full diagonal, from branch two-ports between nodes `f`, `t` and node shunts."""
    nodes = np.arange(n)
    rows = np.concatenate([f, f, t, t, nodes])
    columns = np.concatenate([f, t, f, t, nodes])
    values = np.concatenate([two_port[:, 0, 0], two_port[:, 0, 1], two_port[:, 1, 0], two_port[:, 1, 1], shunt])
    matrix = csr_array((values, (rows, columns)), shape=(n, n))
    matrix.sum_duplicates()
    return matrix
