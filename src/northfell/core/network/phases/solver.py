"""The load flow over conductors: one factorisation of all that is linear, currents of what is not; Newton's method where that does not settle."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import splu

from northfell.core.errors import InputRefused
from northfell.core.network.phases.dependence import Dependence, Follows, dependence_of, through
from northfell.core.network.phases.loads import Floats, Load, Loads, Sparse, loads_of
from northfell.core.network.phases.parts import EARTH, Complexes, Ints, Primitive

CURRENTS, NEWTON = "currents", "Newton"
MOST_STEPS, MOST_NEWTON = 100, 40
SETTLED, MISMATCH = 1e-9, 1e-6  # change of a voltage, of its base; current that is missing at a node, of all that flows to it
SMALL = 1e-9  # of its diagonal: what ties a part without a path to earth to its middle
SINGULAR = 1e-11
NONE = np.zeros(0, np.intp)
Flags = NDArray[np.bool_]


@dataclass(frozen=True)
class PhaseNetwork:
    """Conductors as nodes, with what stands between them."""

    names: tuple[tuple[str, str], ...]  # (bus, conductor)
    v_base_v: Floats  # (node,) nominal voltage to earth
    primitives: tuple[Primitive, ...]
    loads: tuple[Load, ...] = ()
    follows: tuple[Follows, ...] = ()
    known_v: Mapping[int, complex] | None = None  # of ideal sources


@dataclass(frozen=True)
class PhaseFlow:
    """Voltages of all conductors; nan of those that nothing feeds."""

    network: PhaseNetwork
    v_v: Complexes
    solved_v: Complexes  # the same with what the others' fields leave on conductors that nothing feeds; 0 where nothing reaches
    method: str
    steps: int
    fed: Flags  # (node,)
    floating: Flags  # (node,) no path to earth: voltages to earth mean nothing there, those between conductors do
    loads: Loads
    dependence: Dependence
    missing_pct: float  # greatest current that is missing at a node, of what flows there

    def currents(self, one: Primitive) -> Complexes:
        """Currents into an element at its places [A]."""
        v = np.where(one.nodes == EARTH, 0, self.solved_v[one.nodes])
        return np.asarray(one.y_s @ v)

    def power(self, one: Primitive) -> Complexes:
        """Power into an element at its places [VA]."""
        v = np.where(one.nodes == EARTH, 0, self.solved_v[one.nodes])
        return np.asarray(v * np.conj(one.y_s @ v))

    @cached_property
    def load_currents(self) -> Complexes:
        """Current of each load [A]."""
        return self.loads.current(np.asarray(self.loads.incidence(len(self.v_v)) @ self.solved_v))

    @cached_property
    def load_power(self) -> Complexes:
        """Power of each load [VA]."""
        across = np.asarray(self.loads.incidence(len(self.v_v)) @ self.solved_v)
        return np.asarray(across * np.conj(self.load_currents))

    @cached_property
    def short_a(self) -> Complexes:
        """What each conductor is short of [A]: what elements and loads take, which sources, switches and ideal regulators bring."""
        taken = np.zeros(len(self.v_v), complex)
        for one in self.network.primitives:
            at = one.nodes != EARTH
            np.add.at(taken, one.nodes[at], self.currents(one)[at])
        drawn: Complexes = np.asarray(self.loads.incidence(len(self.v_v)).T @ self.load_currents)
        return taken + drawn

    @cached_property
    def through(self) -> Mapping[int, complex]:
        """Current through the switch or ideal regulator by which a conductor follows another, toward it [A]."""
        return through(self.dependence, self.short_a)

    @cached_property
    def sources(self) -> Mapping[int, complex]:
        """Current that each ideal source delivers [A]: what its conductor and all that follows it are short of."""
        need = np.asarray(self.dependence.t.T @ self.short_a)
        at = {int(n): k for k, n in enumerate(self.dependence.free)}
        return {n: complex(need[at[n]]) for n in (self.network.known_v or {})}


def solve(network: PhaseNetwork, newton: bool = False) -> PhaseFlow | None:
    """The voltages at which currents balance at every conductor; None where neither way finds them. With `newton` that alone is tried.

    Raises
    ------
    InputRefused
        If there is no source, or ideal regulators and switches contradict each other.
    """
    known = dict(network.known_v or {})
    if not known:
        raise InputRefused("sources", "none", "at least one source of known voltage", where="Network")
    n = len(network.names)
    dependence = dependence_of(n, network.follows, frozenset(known))
    loads = loads_of(network.loads)
    t: Sparse = dependence.t
    m = loads.incidence(n)
    y = assembled(network.primitives, n)
    fed, there = _fed(network, dependence, known), reached(network, dependence, known)
    lost, part = floating(network, there, known, dependence)
    diagonal = np.abs(y.diagonal())
    ties = sp.diags(np.where(lost, SMALL * np.where(diagonal > 0, diagonal, 1.0), 0.0))
    ur = sp.csr_matrix(t.T @ (y + ties + m.T @ sp.diags(loads.y_s) @ m) @ t)
    mr = sp.csr_matrix(m @ t)
    at = {int(k): i for i, k in enumerate(dependence.free)}
    s = np.array([at[k] for k in known], np.intp)
    live = there[dependence.free]
    u_at = np.flatnonzero(live & ~np.isin(np.arange(len(dependence.free)), s))
    v = np.zeros(len(dependence.free), complex)
    v[s] = list(known.values())
    base = network.v_base_v[dependence.free]
    problem = _Problem(ur, mr, loads, u_at, s, v, base, np.where(lost, part, -1)[dependence.free][u_at])
    found = None if newton else problem.by_currents()
    found = found or problem.by_newton()
    if found is None:
        return None
    v, method, steps = found
    whole: Complexes = np.asarray(t @ v)
    return PhaseFlow(network, np.where(fed, whole, np.nan), whole, method, steps, fed, lost, loads, dependence, problem.missing_pct(v))


class _Problem:
    """The reduced network, of which the voltages `u_at` are looked for. Those that float have the number of their part in `floats`, others -1."""

    def __init__(self, y: Sparse, m: Sparse, loads: Loads, u_at: Ints, s: Ints, v: Complexes, base: Floats, floats: Ints) -> None:
        self.y, self.m, self.loads, self.u_at, self.v0, self.base, self.floats = y, m, loads, u_at, v, base, floats
        self.mu: Sparse = sp.csr_matrix(m[:, u_at])
        self.yuu: Sparse = sp.csc_matrix(y[u_at][:, u_at])
        self.of_sources = np.asarray(y[u_at][:, s] @ v[s])

    @cached_property
    def factor(self) -> Any:
        return splu(self.yuu)

    def drawn(self, v: Complexes) -> Complexes:
        """Current of loads beyond their linear part, at the free nodes [A]."""
        across = np.asarray(self.m @ v)
        return np.asarray(self.mu.T @ (self.loads.current(across) - self.loads.y_s * across))

    def no_load(self) -> Complexes:
        """Voltages without what loads draw beyond their impedances: they carry the turns of the transformers."""
        v = self.v0.copy()
        v[self.u_at] = self.factor.solve(-self.of_sources)
        return v

    def by_currents(self) -> tuple[Complexes, str, int] | None:
        try:
            v = self.no_load()
        except RuntimeError:
            return None
        before = np.inf
        for step in range(1, MOST_STEPS + 1):
            new = v.copy()
            new[self.u_at] = self.factor.solve(-self.of_sources - self.drawn(v))
            change = self.size((new - v)[self.u_at])
            v = new
            if not np.isfinite(change) or (step > 25 and change > 0.95 * before):
                return None
            before = change
            if change < SETTLED:
                return (v, CURRENTS, step) if self.missing_pct(v) < 100 * MISMATCH else None
        return None

    def by_newton(self) -> tuple[Complexes, str, int] | None:
        """Newton's method on the currents that are missing, in real and imaginary parts."""
        try:
            v = self.no_load()
        except RuntimeError:
            return None
        for step in range(1, MOST_NEWTON + 1):
            missing = self.missing(v)
            across = np.asarray(self.m @ v)
            a, b = self.loads.tangent(np.where(np.abs(across) > 0, across, 1.0))
            ya = self.yuu + self.mu.T @ sp.diags(a - self.loads.y_s) @ self.mu
            yb = self.mu.T @ sp.diags(b) @ self.mu
            jacobian = sp.bmat([[ya.real + yb.real, -ya.imag + yb.imag], [ya.imag + yb.imag, ya.real - yb.real]], format="csc")
            try:
                d = splu(jacobian).solve(-np.concatenate([missing.real, missing.imag]))
            except RuntimeError:
                return None
            n = len(self.u_at)
            change = d[:n] + 1j * d[n:]
            size = self.size(change)
            if not np.isfinite(size):
                return None
            v = v.copy()
            v[self.u_at] += change * min(1.0, 0.3 / size if size > 0 else 1.0)
            if size < SETTLED:
                return (v, NEWTON, step) if self.missing_pct(v) < 100 * MISMATCH else None
        return None

    def size(self, change: Complexes) -> float:
        """The greatest change of a voltage, of its base; of parts that float by what their voltages change against each other."""
        changed = np.array(change)
        for one in np.unique(self.floats[self.floats >= 0]):
            here = self.floats == one
            changed[here] -= changed[here].mean()
        return float(np.max(np.abs(changed) / self.base[self.u_at], initial=0.0))

    def missing(self, v: Complexes) -> Complexes:
        """Current that is missing at each free node [A]."""
        return np.asarray(self.yuu @ v[self.u_at] + self.of_sources + self.drawn(v))

    def missing_pct(self, v: Complexes) -> float:
        """The greatest of them, of the greatest current of all loads and sources."""
        across = np.asarray(self.m @ v)
        flows = max(float(np.max(np.abs(self.loads.current(across)), initial=0.0)), float(np.max(np.abs(self.of_sources), initial=0.0)) * 1e-3, 1e-9)
        return 100 * float(np.max(np.abs(self.missing(v)), initial=0.0)) / flows


def assembled(primitives: Sequence[Primitive], n: int) -> Sparse:
    """Admittance matrix over all conductors."""
    rows = np.concatenate([np.repeat(one.nodes, len(one.nodes)) for one in primitives] or [NONE])
    columns = np.concatenate([np.tile(one.nodes, len(one.nodes)) for one in primitives] or [NONE])
    values = np.concatenate([one.y_s.ravel() for one in primitives] or [NONE.astype(complex)])
    kept = (rows != EARTH) & (columns != EARTH)
    return sp.csr_matrix((values[kept], (rows[kept], columns[kept])), shape=(n, n))


def reached(network: PhaseNetwork, dependence: Dependence, known: Mapping[int, complex]) -> Flags:
    """Nodes whose voltage something sets: also the conductor that is dead beside others, in their field."""
    joined: list[tuple[int, int]] = []
    for one in network.primitives:
        at = one.nodes[one.nodes != EARTH][np.abs(one.y_s).sum(0)[one.nodes != EARTH] > 0].tolist()
        joined += [(at[0], n) for n in at[1:]]
    return _with_sources(joined + _joined_beside(network, dependence), network, known)


def _fed(network: PhaseNetwork, dependence: Dependence, known: Mapping[int, complex]) -> Flags:
    """Nodes that metal joins to a source, or windings do; a conductor that is open at its source is not, whatever the others induce in it."""
    joined = [pair for one in network.primitives for pairs in (one.metal, one.coupled) for pair in _not_earth(one.nodes[pairs])]
    return _with_sources(joined + _joined_beside(network, dependence), network, known)


def _with_sources(joined: Sequence[tuple[int, int]], network: PhaseNetwork, known: Mapping[int, complex]) -> Flags:
    part = _parts(joined, len(network.names))
    return np.isin(part, list({part[k] for k in known}))


def _not_earth(pairs: Ints) -> list[tuple[int, int]]:
    return [(a, b) for a, b in pairs.tolist() if EARTH not in (a, b)]


def parts_of(network: PhaseNetwork) -> Ints:
    """Number of the part of each node, of those that metal joins, switches, regulators and loads included."""
    dependence = dependence_of(len(network.names), network.follows, frozenset(network.known_v or {}))
    joined = [pair for one in network.primitives for pair in _not_earth(one.nodes[one.metal])]
    return _parts(joined + _joined_beside(network, dependence), len(network.names))


def floating(network: PhaseNetwork, there: Flags, known: Mapping[int, complex], dependence: Dependence) -> tuple[Flags, Ints]:
    """Nodes of parts without a path of metal to earth or a source, where only voltages between conductors are determined; and the part of each node."""
    joined = [pair for one in network.primitives for pair in _not_earth(one.nodes[one.metal])]
    part = _parts(joined + _joined_beside(network, dependence), len(network.names))
    earthed = {part[k] for k in known}
    earthed |= {part[x] for one in network.loads if EARTH in (one.p, one.q) for x in (one.p, one.q) if x != EARTH}
    for one in network.primitives:
        earthed |= _tied(one, part)
    return np.asarray(there & ~np.isin(part, list(earthed))), part


def _joined_beside(network: PhaseNetwork, dependence: Dependence) -> list[tuple[int, int]]:
    """What switches, regulators and loads join."""
    found = [(f.node, k) for f in (*dependence.order, *dependence.redundant) for k, _ in f.of]
    return found + [(x.p, x.q) for x in network.loads if EARTH not in (x.p, x.q)]


def _tied(one: Primitive, part: Ints) -> set[int]:
    """The parts that an element ties to earth: those whose voltages cannot rise together without a current into it."""
    made: set[int] = set()
    scale = float(np.abs(one.y_s).max(initial=0.0))
    parts = np.array([-1 if x == EARTH else part[x] for x in one.nodes])
    for p in set(parts[parts >= 0].tolist()):
        together = (parts == p).astype(float)
        if np.abs(one.y_s @ together).max(initial=0.0) > SINGULAR * scale:
            made.add(p)
    return made


def _parts(joined: Sequence[tuple[int, int]], n: int) -> Ints:
    """Number of the connected part of each node."""
    ends = np.array(joined, np.intp).reshape(-1, 2)
    graph: Sparse = sp.coo_matrix((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(n, n))
    return np.asarray(connected_components(graph, directed=False)[1])
