r"""Selected inversion: entries of an inverse from its factors, without solving for every column.

For :math:`A = L U` with symmetric pivoting, :math:`D` the diagonal of :math:`U` and :math:`\tilde U = D^{-1} U`, the inverse obeys

.. math:: Z = D^{-1} L^{-1} + (I - \tilde U) Z, \qquad Z = \tilde U^{-1} D^{-1} + Z (I - L)

so that, from the last column to the first, the entries of :math:`Z` in the pattern of the factors follow from entries of that pattern alone.
Columns at the same depth of the elimination tree do not need each other and are done together.

Source
------
Takahashi, Fagan and Chin, "Formation of a sparse bus impedance matrix and its application to short circuit study", 1973.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from northfell.core.network.linear import Factorised
from northfell.core.network.topology import Ints

Complexes = NDArray[np.complex128]
Listed = tuple[Ints, Ints, Complexes]  # where the entries of each column or row begin, their other index, and their values
BLOCK = 256  # right-hand sides at a time where columns are solved for: bounds the memory
PATTERNS = 8  # kept: positive and zero sequence of a few networks
NEAR = 1e-8  # how near an entry must be to that of a solved column


@dataclass(frozen=True)
class _Batch:
    """Columns of one depth with the same number of entries below the diagonal."""

    columns: Ints  # (column,)
    entries: Ints  # (column, entry) numbers of their entries
    rows: Ints  # (column, entry)
    places: tuple[Ints, Ints]  # (pair,) of the two among the entries of a column
    pairs: Ints  # (column, pair) number of the entry that lies in the column of one of their rows, in the row of another


@dataclass(frozen=True)
class Entries:
    """Entries of an inverse in the pattern of the factors: between any two nodes that an element joins."""

    position: Ints  # (node,) where it stands in the factors
    begins: Ints  # (column + 1,) where those of a column begin in the next three
    keys: Ints  # column·n + row of those below the diagonal, ascending
    below: Complexes  # Z[row, column] of them
    above: Complexes  # Z[column, row]
    diagonal: Complexes  # in the order of the factors

    def at(self, rows: Ints, columns: Ints) -> Complexes:
        """Z[row, column] of pairs of nodes; of a pair outside the pattern the answer means nothing."""
        r, c = self.position[rows], self.position[columns]
        k, _ = self._found(r, c)
        beside = np.where(r > c, self.below[k], self.above[k]) if len(self.keys) else np.zeros(len(r), complex)
        return np.asarray(np.where(r == c, self.diagonal[r], beside), complex)

    def holds(self, rows: Ints, columns: Ints) -> NDArray[np.bool_]:
        """Whether pairs of nodes lie in the pattern."""
        r, c = self.position[rows], self.position[columns]
        return np.asarray((r == c) | self._found(r, c)[1])

    def _found(self, r: Ints, c: Ints) -> tuple[Ints, NDArray[np.bool_]]:
        """Where pairs of places stand among the keys, and whether they do."""
        wanted = np.minimum(r, c) * len(self.position) + np.maximum(r, c)
        k = np.minimum(np.searchsorted(self.keys, wanted), max(len(self.keys) - 1, 0))
        return k, self.keys[k] == wanted if len(self.keys) else np.zeros(len(r), bool)


def diagonal(factor: Factorised, n: int, wanted: Ints) -> Complexes:
    """The diagonal of the inverse at some places, nan elsewhere.

    Where the factors do not have symmetric pivots, or an entry is not that of a solved column, the columns are solved for.
    """
    found = entries(factor, wanted)
    if found is None:
        return _by_columns(factor, n, wanted)
    made = np.full(n, np.nan, complex)
    made[wanted] = found.diagonal[found.position[wanted]]
    return made


def entries(factor: Factorised, wanted: Ints) -> Entries | None:
    """The entries of the inverse between nodes that are joined, of which some nodes are wanted.

    None where the factors do not have symmetric pivots, or an entry in the columns of three of the nodes is not that of the solved column.
    """
    found = _selected(factor.factors) if len(wanted) else None
    if found is None:
        return None
    node_at = np.argsort(found.position)
    tried = wanted[np.unique([0, len(wanted) // 2, int(np.argmax(np.abs(found.diagonal[found.position[wanted]])))])]
    solved = _columns(factor, len(node_at), tried)
    for k, node in enumerate(tried):
        at = found.position[node]
        rows = node_at[np.append(found.keys[found.begins[at] : found.begins[at + 1]] % len(node_at), at)]
        apart = np.abs(found.at(rows, np.full(len(rows), node)) - solved[rows, k])
        if not np.all(apart <= NEAR * np.abs(solved[node, k])):
            return None
    return found


def _selected(lu: Any) -> Entries | None:
    n = lu.shape[0]
    if n == 0 or not np.array_equal(lu.perm_r, lu.perm_c):
        return None
    lower, upper = lu.L.tocsc(), lu.U.tocsr()
    d = upper.diagonal()
    lower.sort_indices()
    upper.sort_indices()
    below, above = _off_diagonal(lower, n), _off_diagonal(upper, n)
    if not (np.array_equal(below[0], above[0]) and np.array_equal(below[1], above[1])):
        below, above = _in_one_pattern(below, above, n)
    batches = _batches_of(below[0].tobytes(), below[1].tobytes(), n)
    if batches is None:
        return None
    low, up = below[2], above[2] / np.repeat(d, np.diff(above[0]))
    of_column, of_row, z = np.zeros(len(low), complex), np.zeros(len(low), complex), np.zeros(n, complex)
    for batch in batches:
        m = batch.rows.shape[1]
        z[batch.columns] = 1 / d[batch.columns]
        if not m:
            continue
        among = np.zeros((len(batch.columns), m, m), complex)
        a, b = batch.places
        among[:, b, a], among[:, a, b] = of_column[batch.pairs], of_row[batch.pairs]
        among[:, np.arange(m), np.arange(m)] = z[batch.rows]
        u = up[batch.entries]
        column = -(among @ low[batch.entries][:, :, None])[:, :, 0]
        of_column[batch.entries], of_row[batch.entries] = column, -(u[:, None, :] @ among)[:, 0]
        z[batch.columns] -= np.sum(u * column, axis=1)
    keys = np.repeat(np.arange(n), np.diff(below[0])) * n + below[1]
    return Entries(lu.perm_c.astype(np.intp), below[0], keys, of_column, of_row, z)


def _in_one_pattern(below: Listed, above: Listed, n: int) -> tuple[Listed, Listed]:
    """Both with all entries that elimination fills in: one that came out as nothing at all may have no place in a factor.

    What stands in a column below its first entry stands in the column of that entry too.
    """
    keys = [np.repeat(np.arange(n), np.diff(begins)) * n + index for begins, index, _ in (below, above)]
    filled: list[set[int]] = [set() for _ in range(n)]
    for key in np.union1d(*keys).tolist():
        filled[key // n].add(key % n)
    for rest in filled:
        if len(rest) > 1:
            first = min(rest)
            filled[first] |= rest - {first}
    every = np.array([j * n + i for j, rest in enumerate(filled) for i in sorted(rest)], np.intp)
    begins = np.concatenate([[0], np.cumsum([len(rest) for rest in filled])]).astype(np.intp)
    values = []
    for own, (_, _, value) in zip(keys, (below, above), strict=True):
        whole = np.zeros(len(every), complex)
        whole[np.searchsorted(every, own)] = value
        values.append(whole)
    return (begins, every % n, values[0]), (begins, every % n, values[1])


@lru_cache(maxsize=PATTERNS)
def _batches_of(begins: bytes, rows: bytes, n: int) -> list[_Batch] | None:
    """What follows from the pattern alone, which an edit of values leaves as it is."""
    return _batches(np.frombuffer(begins, np.intp), np.frombuffer(rows, np.intp), n)


def _off_diagonal(factor: Any, n: int) -> Listed:
    """Beginnings, other index and values of the entries beside the diagonal, by column of L or row of U."""
    of = np.repeat(np.arange(n), np.diff(factor.indptr))
    kept = factor.indices != of
    begins = np.concatenate([[0], np.cumsum(np.bincount(of[kept], minlength=n))]).astype(np.intp)
    return begins, factor.indices[kept].astype(np.intp), factor.data[kept].astype(complex)


def _batches(begins: Ints, rows: Ints, n: int) -> list[_Batch] | None:
    """Columns from the roots of the elimination tree down, those that go together in one; None where the pattern is not closed."""
    count = np.diff(begins)
    parent = np.where(count > 0, rows[np.minimum(begins[:-1], max(len(rows) - 1, 0))] if len(rows) else -1, -1).tolist()
    depth = [0] * n
    for j in range(n - 1, -1, -1):
        if parent[j] >= 0:
            depth[j] = depth[parent[j]] + 1
    keys = np.repeat(np.arange(n), count) * n + rows  # ascending: entries of a column by row
    together = np.array(depth, np.intp) * (n + 1) + count
    order = np.argsort(together, kind="stable")
    made = []
    for columns in np.split(order, np.flatnonzero(np.diff(together[order])) + 1):
        m = int(count[columns[0]])
        entries = begins[columns][:, None] + np.arange(m)
        at = rows[entries] if m else np.zeros((len(columns), 0), np.intp)
        a, b = np.triu_indices(m, 1)
        wanted = at[:, a] * n + at[:, b]
        pairs = np.searchsorted(keys, wanted)
        if pairs.size and (pairs.max() >= len(keys) or not np.array_equal(keys[pairs], wanted)):
            return None
        made.append(_Batch(columns, entries, at, (a, b), pairs))
    return made


def _columns(factor: Factorised, n: int, nodes: Ints) -> Complexes:
    """Columns of the inverse (n, node)."""
    rhs = np.zeros((n, len(nodes)), complex)
    rhs[nodes, np.arange(len(nodes))] = 1
    return factor.solve(rhs)


def _by_columns(factor: Factorised, n: int, wanted: Ints) -> Complexes:
    """The same by solving for the columns, in blocks."""
    diagonal = np.full(n, np.nan, complex)
    for start in range(0, len(wanted), BLOCK):
        nodes = wanted[start : start + BLOCK]
        diagonal[nodes] = _columns(factor, n, nodes)[nodes, np.arange(len(nodes))]
    return diagonal
