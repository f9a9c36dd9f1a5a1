"""Impedance matrices at places of a network by its conductors: what a fault there sees, with every source shorted."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from scipy.sparse.csgraph import connected_components

from northfell.core.network.linear import Factorised
from northfell.core.network.phases.dependence import Dependence, dependence_of, through
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


class _Reduced:
    """A network over the voltages that are free, with every source shorted."""

    def __init__(self, network: PhaseNetwork) -> None:
        known, n = dict(network.known_v or {}), len(network.names)
        self.dependence = dependence_of(n, network.follows, frozenset(known))
        t = sp.csr_matrix(self.dependence.t)
        self.there = reached(network, self.dependence, known)
        self.floats, _ = floating(network, self.there, known, self.dependence)
        self.y = assembled(network.primitives, n)
        diagonal = np.abs(self.y.diagonal())
        ties = sp.diags(np.where(self.floats, SMALL * np.where(diagonal > 0, diagonal, 1.0), 0.0))
        reduced = sp.csr_matrix(t.T @ (self.y + ties) @ t)
        held = np.isin(self.dependence.free, list(known))
        u = np.flatnonzero(self.there[self.dependence.free] & ~held)
        self.factor, self.rows = Factorised(sp.csc_matrix(reduced[u][:, u]), structurally_symmetric=True), sp.csr_matrix(t[:, u])


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
    seen = _Reduced(network)
    n, rows, there = len(network.names), seen.rows, seen.there
    given = np.zeros((n, len(injections)), complex)
    for k, one in enumerate(injections):
        for node, i in one.items():
            given[node, k] += i if there[node] else 0
    brought = np.asarray(rows @ seen.factor.solve(np.asarray(rows.T @ given))) if injections else given
    found = _by_pattern(seen.factor, rows, places)
    found |= _by_columns(seen.factor, rows, {k: place for k, place in enumerate(places) if k not in found})
    for k, place in enumerate(places):
        dead = ~there[list(place)]
        found[k][dead, :], found[k][:, dead] = np.nan, np.nan
    return Thevenin([found[k] for k in range(len(places))], [brought[list(place)] for place in places], seen.floats)


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


def currents(z_ohm: Complexes, e_v: Complexes, to_earth: bool) -> Complexes:
    """What each shorted conductor gives [A]: Z·I = E − V, V nothing at earth, else the same at all and the currents without a sum.

    Parameters
    ----------
    z_ohm
        (place, conductors, conductors).
    e_v
        (place, conductors, cases).
    """
    if to_earth:
        return np.asarray(np.linalg.solve(z_ohm, e_v))
    places, n, columns = e_v.shape
    whole = np.zeros((places, n + 1, n + 1), complex)
    whole[:, :n, :n], whole[:, :n, n], whole[:, n, :n] = z_ohm, 1, 1
    return np.asarray(np.linalg.solve(whole, np.concatenate([e_v, np.zeros((places, 1, columns))], axis=1))[:, :n])


@dataclass(frozen=True)
class Short:
    """A short circuit of conductors, between each other or to earth."""

    nodes: Sequence[int]
    e_v: Complexes  # (node,) equivalent sources
    to_earth: bool


@dataclass(frozen=True)
class Shorted:
    """What flows in a fault [A]."""

    i_a: Complexes  # (node,) out of each conductor
    through: Mapping[str, Mapping[int, complex]]  # through closed switches, by id and the node of the second terminal, toward that


def shorted(network: PhaseNetwork, shorts: Sequence[Short]) -> list[Shorted | None]:
    """What flows in faults, and through closed switches; None of a fault of which no source reaches some conductor.

    Nothing is told of switches that stand in a loop of their own: how a current divides among them is not known.

    Source
    ------
    Kirchhoff; superposition of the equivalent source at the fault, IEC 60909-0.
    """
    if not network.known_v:
        return [None] * len(shorts)
    seen = _Reduced(network)
    order, looped = seen.dependence.order, _in_loops(seen.dependence, len(network.names))
    second = {(f.element, frozenset((f.node, f.of[0][0]))): f.node for f in network.follows if f.is_switch}
    found: list[Shorted | None] = []
    for one in shorts:
        at = list(one.nodes)
        if not seen.there[at].all():
            found.append(None)
            continue
        volts = np.asarray(seen.rows @ seen.factor.solve(seen.rows[at].T.toarray().astype(complex)))
        i = currents(volts[at][None], one.e_v[None, :, None], one.to_earth)[0, :, 0]
        short_a = np.asarray(seen.y @ (volts @ -i))
        short_a[at] += i
        flowing = through(seen.dependence, short_a)
        of_element: dict[str, dict[int, complex]] = {}
        for f in order:
            if f.is_switch and f.node not in looped:
                toward = second[f.element, frozenset((f.node, f.of[0][0]))]
                of_element.setdefault(f.element, {})[toward] = flowing[f.node] * (1 if toward == f.node else -1)
        found.append(Shorted(i, of_element))
    return found


def _in_loops(dependence: Dependence, n: int) -> set[int]:
    """Nodes that a loop of switches joins."""
    switches = [f for f in (*dependence.order, *dependence.redundant) if f.is_switch]
    ends = np.array([(f.node, f.of[0][0]) for f in switches], np.intp).reshape(-1, 2)
    _, group = connected_components(sp.coo_matrix((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(n, n)), directed=False)
    loops = {int(group[f.node]) for f in dependence.redundant}
    return {k for k in range(n) if int(group[k]) in loops}
