"""A network of one sequence: series elements between nodes, paths to earth, the factorised admittance matrix. What stands in it, others say."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from scipy.sparse import csc_array

from northfell.core.network.admittance import branch_two_ports, node_admittance
from northfell.core.network.compile import Compiled, Complexes
from northfell.core.network.linear import Factorised
from northfell.core.network.topology import Ints

INSIDE = -1  # a terminal, bus or node that is none: the star point of a transformer, or earth
LOOSE = 1e-6  # admittance to earth [p.u.] of what nothing ties to earth, so that the matrix stays regular


@dataclass(frozen=True)
class Wires:
    """Series elements of one sequence: z stands behind the ratio, which acts at the first end. Per unit."""

    ids: tuple[str, ...]
    terminals: Ints  # (wire, 2) positions of the element's terminals at the two ends; INSIDE at a star point
    buses: Ints  # (wire, 2); INSIDE at a star point
    nodes: Ints  # (wire, 2)
    z: Complexes
    ratio: Complexes

    @property
    def two_ports(self) -> Complexes:
        zeros = np.zeros(len(self.z))
        return branch_two_ports(self.z.real, self.z.imag, zeros, zeros, self.ratio)

    def scaled(self, reactance: float) -> "Wires":
        """The same with every reactance times a factor."""
        return replace(self, z=self.z.real + 1j * reactance * self.z.imag)

    def mirrored(self) -> "Wires":
        """The same in the negative sequence: phase shifts the other way."""
        return replace(self, ratio=np.conj(self.ratio))


@dataclass(frozen=True)
class Paths:
    """Paths to earth, or to the source point of the sequence, each at a bus or at a star point: an infinite impedance is none."""

    ids: tuple[str, ...]
    terminals: Ints  # (path,) position of the element's terminal; INSIDE at a star point
    buses: Ints  # (path,)
    nodes: Ints  # (path,)
    z: Complexes  # (path,) per unit

    def where(self, kept: Any) -> "Paths":
        """Some of them."""
        ids = tuple(i for i, k in zip(self.ids, kept.tolist(), strict=True) if k)
        return Paths(ids, self.terminals[kept], self.buses[kept], self.nodes[kept], self.z[kept])

    def with_more(self, other: "Paths") -> "Paths":
        """These and others."""
        pairs = ((self.terminals, other.terminals), (self.buses, other.buses), (self.nodes, other.nodes))
        terminals, buses, nodes = (np.concatenate(p).astype(np.intp) for p in pairs)
        return Paths(self.ids + other.ids, terminals, buses, nodes, np.concatenate([self.z, other.z]))

    @property
    def y(self) -> Complexes:
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(np.isfinite(self.z), 1 / self.z, 0)


@dataclass(frozen=True)
class SequenceNetwork:
    """One sequence, factorised. The negative sequence with the impedances of the positive one is its transpose."""

    n: int
    wires: Wires
    paths: Paths
    factor: Factorised
    transposed: bool = False

    def columns(self, nodes: Ints) -> Complexes:
        """Columns of the inverse: the voltages at all nodes for one per unit of current into each of some nodes, shape (node, column)."""
        return self._solved(nodes, self.transposed)

    def rows(self, nodes: Ints) -> Complexes:
        """Rows of the inverse, as columns: the voltage at each of some nodes for a current into any node, shape (node, row)."""
        return self._solved(nodes, not self.transposed)

    def _solved(self, nodes: Ints, transposed: bool) -> Complexes:
        rhs = np.zeros((self.n, len(nodes)), complex)
        rhs[nodes, np.arange(len(nodes))] = 1
        return self.factor.solve(rhs, transposed) if len(nodes) else rhs

    def mirrored(self) -> "SequenceNetwork":
        """The negative sequence with the same impedances: phase shifts turn the other way, which transposes the matrix."""
        return replace(self, wires=self.wires.mirrored(), transposed=not self.transposed)


def sequence_network(n: int, wires: Wires, paths: Paths, alive: Any) -> SequenceNetwork:
    """Factorise a network of `n` nodes; what is not `alive` (node,) is cut off by an entry that only keeps the matrix regular."""
    shunt = np.zeros(n, complex)
    np.add.at(shunt, paths.nodes, np.where(alive[paths.nodes], paths.y, 0))
    shunt[~alive] += 1.0
    matrix = node_admittance(n, wires.two_ports, wires.nodes[:, 0], wires.nodes[:, 1], shunt)
    return SequenceNetwork(n, wires, paths, Factorised(csc_array(matrix), structurally_symmetric=True))


def wires_of(rows: Sequence[tuple[str, int, int, int, int, int, int, complex, complex]]) -> Wires:
    """From rows of id, terminals, buses and nodes of both ends, impedance and ratio."""
    if not rows:
        none = np.zeros((0, 2), np.intp)
        return Wires((), none, none, none, np.zeros(0, complex), np.zeros(0, complex))
    ids, ta, tb, ba, bb, na, nb, z, ratio = zip(*rows, strict=True)
    pair = [np.array(p, np.intp).T for p in ((ta, tb), (ba, bb), (na, nb))]
    return Wires(ids, pair[0], pair[1], pair[2], np.array(z, complex), np.array(ratio, complex))


def paths_of(rows: Sequence[tuple[str, int, int, int, complex]]) -> Paths:
    """From rows of id, terminal, bus, node and impedance."""
    ids, terminals, buses, nodes, z = zip(*rows, strict=True) if rows else ((), (), (), (), ())
    return Paths(tuple(ids), np.array(terminals, np.intp), np.array(buses, np.intp), np.array(nodes, np.intp), np.array(z, complex))


def no_load_voltages(net: Compiled, wires: Wires, n: int) -> Complexes:
    """Voltage of each node with nothing connected, relative to the others of its island (node,): ratios and phase shifts along some way from its first node."""
    u = np.zeros(n, complex)
    ways: list[list[tuple[int, complex]]] = [[] for _ in range(n)]
    for (a, b), ratio in zip(wires.nodes.tolist(), wires.ratio.tolist(), strict=True):
        ways[a].append((b, 1 / ratio))
        ways[b].append((a, ratio))
    for start in range(n):
        if u[start]:
            continue
        u[start], open_ = 1.0, [start]
        while open_:
            a = open_.pop()
            for b, factor in ways[a]:
                if not u[b]:
                    u[b] = u[a] * factor
                    open_.append(b)
    return u


def as_phases(sequences: Complexes) -> Complexes:
    """Phase quantities a, b, c from sequences 1, 2, 0 along the last axis; from the first alone where the others are not there."""
    return np.asarray(sequences @ _TO_PHASES[:, : sequences.shape[-1]].T, complex)


_A = np.exp(2j * np.pi / 3)
_TO_PHASES = np.array([[1, 1, 1], [_A**2, _A, 1], [_A, _A**2, 1]])


def phase_matrix(z1: complex, z2: complex, z0: complex) -> Complexes:
    """Impedance matrix between the phases at a place, from those of the sequences there."""
    return np.asarray(_TO_PHASES @ np.diag([z1, z2, z0]) @ np.linalg.inv(_TO_PHASES), complex)
