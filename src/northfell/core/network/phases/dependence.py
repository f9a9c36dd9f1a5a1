"""Conductors whose voltage follows from that of others without an impedance between: closed poles of switches, ideal regulators.

V = T·U, U the voltages that are free. Power is the same in both, so that currents go by I_U = Tᵀ·I: the network is solved in U. What flows in a
switch or a regulator is what its dependent conductor is short of.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp

from northfell.core.errors import InputRefused
from northfell.core.network.phases.parts import Complexes, Ints


@dataclass(frozen=True)
class Follows:
    """V of a node = Σ factor·V of others, by an element; the first of them is the one of its own phase."""

    element: str
    node: int
    of: tuple[tuple[int, float], ...]

    @property
    def is_switch(self) -> bool:
        return len(self.of) == 1 and self.of[0][1] == 1.0


@dataclass(frozen=True)
class Dependence:
    """The map from the free voltages to all."""

    t: sp.csr_matrix  # (nodes, free)
    free: Ints  # nodes that are free, in the order of U
    order: tuple[Follows, ...]  # from those nearest to the free ones outward
    redundant: tuple[Follows, ...]  # of a loop of switches: what flows in them is not known


def dependence_of(nodes: int, follows: Sequence[Follows], known: frozenset[int]) -> Dependence:
    """Which voltages are free. A closed switch may be turned round, so that a source keeps its own voltage.

    Raises
    ------
    InputRefused
        If an ideal regulator stands in a loop, or in front of a second source.
    """
    by: dict[int, Follows] = {}
    redundant = tuple(f for f in follows if f.is_switch and not _closed(by, f, known))
    for f in follows:
        if not f.is_switch:
            _regulated(by, f, known)
    ordered = _ordered(by, nodes)
    free = np.array([n for n in range(nodes) if n not in by], np.intp)
    return Dependence(_map(ordered, free, nodes), free, tuple(ordered), redundant)


def _root(by: dict[int, Follows], n: int) -> int:
    while n in by:
        n = by[n].of[0][0]
    return n


def _closed(by: dict[int, Follows], f: Follows, known: frozenset[int]) -> bool:
    """Let one side of a closed pole follow the other; whether it joins what was apart."""
    a, b = f.of[0][0], f.node
    ra, rb = _root(by, a), _root(by, b)
    if ra == rb:
        return False
    if rb in known and ra in known:
        raise InputRefused("switch", f.element, "one source on either side of it, or an impedance between two", where=f.element)
    if rb in known:
        a, b = b, a
    _turn(by, b)
    by[b] = Follows(f.element, b, ((a, 1.0),))
    return True


def _regulated(by: dict[int, Follows], f: Follows, known: frozenset[int]) -> None:
    """Let the output of an ideal regulator follow its input."""
    root = _root(by, f.node)
    if root in known or any(_root(by, n) == root for n, _ in f.of):
        raise InputRefused("impedance", 0, "above zero for a regulator that stands in a loop, or behind which another source feeds", where=f.element)
    _turn(by, f.node)
    if f.node in by:
        raise InputRefused("impedance", 0, "above zero for regulators that stand beside each other", where=f.element)
    by[f.node] = f


def _map(ordered: Sequence[Follows], free: Ints, nodes: int) -> sp.csr_matrix:
    """T: each dependent voltage by the free ones."""
    rows: dict[int, dict[int, float]] = {int(n): {k: 1.0} for k, n in enumerate(free)}
    for f in ordered:
        made: dict[int, float] = {}
        for n, factor in f.of:
            for k, value in rows[n].items():
                made[k] = made.get(k, 0.0) + factor * value
        rows[f.node] = made
    entries = [(n, k, v) for n, row in rows.items() for k, v in row.items()]
    i, j, v = (np.array([e[c] for e in entries]) for c in range(3))
    return sp.csr_matrix((v, (i.astype(np.intp), j.astype(np.intp))), shape=(nodes, len(free)))


def _turn(by: dict[int, Follows], node: int) -> None:
    """Turn the chain of switches above a node round, so that it follows nothing; regulators stay as they are."""
    chain = []
    n = node
    while n in by and by[n].is_switch:
        chain.append(by[n])
        n = by[n].of[0][0]
    if n in by:
        return
    for f in chain:
        del by[f.node]
    for f in chain:
        above = f.of[0][0]
        by[above] = Follows(f.element, above, ((f.node, 1.0),))


def _ordered(by: dict[int, Follows], nodes: int) -> list[Follows]:
    """What follows, each after all that it follows."""
    made: list[Follows] = []
    done = {n for n in range(nodes) if n not in by}
    left = dict(by)
    while left:
        ready = [f for f in left.values() if all(n in done for n, _ in f.of)]
        if not ready:
            f = next(iter(left.values()))
            raise InputRefused("impedance", 0, "above zero for a regulator that stands in a loop", where=f.element)
        for f in ready:
            made.append(f)
            done.add(f.node)
            del left[f.node]
    return made


def through(dependence: Dependence, short_a: Complexes) -> dict[int, complex]:
    """The current through what each dependent node follows by, toward it [A], from what every node is short of."""
    need = np.array(short_a, complex)
    found: dict[int, complex] = {}
    for f in reversed(dependence.order):
        found[f.node] = complex(need[f.node])
        for n, factor in f.of:
            need[n] += factor * need[f.node]
    return found
