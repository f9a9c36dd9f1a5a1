"""Impedance matrices at places of a network by its conductors: what a fault there sees, with every source shorted."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp

from northfell.core.network.linear import Factorised
from northfell.core.network.phases.dependence import dependence_of
from northfell.core.network.phases.loads import Sparse
from northfell.core.network.phases.parts import Complexes
from northfell.core.network.phases.solver import SMALL, Flags, PhaseNetwork, assembled, floating, reached
from northfell.core.network.selected import entries

AT_ONCE = 64  # right-hand sides in one solve


@dataclass(frozen=True)
class Thevenin:
    """What faults see at places."""

    z_ohm: list[Complexes]  # (place,) of (conductors, conductors); nan of what nothing reaches
    injected_v: list[Complexes]  # (place,) of (conductors, injections): the voltage that each injection brings there
    floating: Flags  # (node,) nothing ties it to earth


def thevenin(network: PhaseNetwork, places: Sequence[Sequence[int]], injections: Sequence[Mapping[int, complex]] = ()) -> Thevenin:
    """Z of each place over its conductors, by entries of Y⁻¹, and what sources of current bring there.

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
    factor, rows = Factorised(sp.csc_matrix(reduced[u][:, u]), structurally_symmetric=True), sp.csr_matrix(t[:, u])
    given = np.zeros((n, len(injections)), complex)
    for k, one in enumerate(injections):
        for node, i in one.items():
            given[node, k] += i if there[node] else 0
    brought = np.asarray(rows @ factor.solve(np.asarray(rows.T @ given))) if injections else given
    found = _by_pattern(factor, rows, places)
    found |= _by_columns(factor, rows, {k: place for k, place in enumerate(places) if k not in found})
    for k, place in enumerate(places):
        dead = ~there[list(place)]
        found[k][dead, :], found[k][:, dead] = np.nan, np.nan
    return Thevenin([found[k] for k in range(len(places))], [brought[list(place)] for place in places], lost)


def _by_pattern(factor: Factorised, rows: Sparse, places: Sequence[Sequence[int]]) -> dict[int, Complexes]:
    """Z of the places whose conductors elements join, each of which follows one node alone: from the factors, without solving for columns."""
    single = np.diff(rows.indptr) == 1
    column, value = np.zeros(rows.shape[0], np.intp), np.zeros(rows.shape[0], complex)
    column[single], value[single] = rows.indices[rows.indptr[:-1][single]], rows.data[rows.indptr[:-1][single]]
    able = {k: np.asarray(place, np.intp) for k, place in enumerate(places) if len(place) and single[list(place)].all()}
    known = entries(factor, np.unique(np.concatenate([column[p] for p in able.values()]))) if able else None
    if known is None:
        return {}
    one = np.concatenate([np.repeat(p, len(p)) for p in able.values()])
    other = np.concatenate([np.tile(p, len(p)) for p in able.values()])
    z = known.at(column[one], column[other]) * value[one] * value[other]
    inside, at, found = known.holds(column[one], column[other]), 0, dict[int, Complexes]()
    for k, place in able.items():
        cells = slice(at, at + len(place) ** 2)
        if inside[cells].all():
            found[k] = z[cells].reshape(len(place), len(place)).copy()
        at = cells.stop
    return found


def _by_columns(factor: Factorised, rows: Sparse, places: Mapping[int, Sequence[int]]) -> dict[int, Complexes]:
    """The same by columns of Y⁻¹."""
    found, names = dict[int, Complexes](), list(places)
    for first in range(0, len(names), AT_ONCE):
        group = names[first : first + AT_ONCE]
        x = factor.solve(rows[[i for k in group for i in places[k]]].T.toarray().astype(complex))
        at = 0
        for k in group:
            found[k] = np.asarray(rows[list(places[k])] @ x[:, at : at + len(places[k])])
            at += len(places[k])
    return found
