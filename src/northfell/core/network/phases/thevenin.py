"""Impedance matrices at places of a network by its conductors: what a fault there sees, with every source shorted."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from scipy.sparse.linalg import splu

from northfell.core.network.phases.dependence import dependence_of
from northfell.core.network.phases.parts import Complexes
from northfell.core.network.phases.solver import SMALL, Flags, PhaseNetwork, assembled, floating, reached

AT_ONCE = 64  # right-hand sides in one solve


@dataclass(frozen=True)
class Thevenin:
    """What faults see at places."""

    z_ohm: list[Complexes]  # (place,) of (conductors, conductors); nan of what nothing reaches
    injected_v: list[Complexes]  # (place,) of (conductors, injections): the voltage that each injection brings there
    floating: Flags  # (node,) nothing ties it to earth


def thevenin(network: PhaseNetwork, places: Sequence[Sequence[int]], injections: Sequence[Mapping[int, complex]] = ()) -> Thevenin:
    """Z of each place over its conductors, by columns of Y⁻¹, and what sources of current bring there.

    Parameters
    ----------
    network
        Without loads: sources of voltage are known nodes, and shorted.
    places
        The nodes of each.
    injections
        Currents into nodes [A], of each source of current.

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
    given = np.zeros((n, len(injections)), complex)
    for k, one in enumerate(injections):
        for node, i in one.items():
            given[node, k] += i if there[node] else 0
    brought = np.asarray(rows @ factor.solve(np.asarray(rows.T @ given))) if injections else given
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
    return Thevenin(found, [brought[list(place)] for place in places], lost)
