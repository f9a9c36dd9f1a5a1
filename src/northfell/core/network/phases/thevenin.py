"""Impedance matrices at places of a network by its conductors: what a fault there sees, with every source shorted."""

from collections.abc import Sequence

import numpy as np
import scipy.sparse as sp
from scipy.sparse.linalg import splu

from northfell.core.network.phases.dependence import dependence_of
from northfell.core.network.phases.parts import Complexes
from northfell.core.network.phases.solver import SMALL, Flags, PhaseNetwork, assembled, floating, reached

AT_ONCE = 64  # right-hand sides in one solve


def thevenin(network: PhaseNetwork, places: Sequence[Sequence[int]]) -> tuple[list[Complexes], Flags]:
    """Z of each place over its conductors [ohm], by columns of Y⁻¹; and which nodes nothing ties to earth.

    Parameters
    ----------
    network
        Without loads: sources are known nodes, and shorted.
    places
        The nodes of each; one that nothing reaches gives nan.

    Source
    ------
    Kirchhoff; the equivalent voltage source at the fault location, IEC 60909-0.
    """
    known = dict(network.known_v or {})
    n = len(network.names)
    dependence = dependence_of(n, network.follows, frozenset(known))
    t = sp.csr_matrix(dependence.t)
    there = reached(network, dependence, known)
    lost, _ = floating(network, there, known, dependence)
    y = assembled(network.primitives, n)
    diagonal = np.abs(y.diagonal())
    ties = sp.diags(np.where(lost, SMALL * np.where(diagonal > 0, diagonal, 1.0), 0.0))
    reduced = sp.csr_matrix(t.T @ (y + ties) @ t)
    held = np.isin(dependence.free, list(known))
    u = np.flatnonzero(there[dependence.free] & ~held)
    factor = splu(sp.csc_matrix(reduced[u][:, u]))
    rows = sp.csr_matrix(t[:, u])
    found: list[Complexes] = []
    for first in range(0, len(places), AT_ONCE):
        group = places[first : first + AT_ONCE]
        asked = [i for place in group for i in place]
        x = factor.solve(rows[asked].T.toarray().astype(complex))
        at = 0
        for place in group:
            z, dead = np.asarray(rows[list(place)] @ x[:, at : at + len(place)]), ~there[list(place)]
            z[dead, :], z[:, dead] = np.nan, np.nan
            found.append(z)
            at += len(place)
    return found, lost
