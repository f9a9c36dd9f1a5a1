"""Newton's method on the power balance in polar form, sparse, with a fixed pattern.

It knows indices, never names: see :mod:`northfell.core.studies.load_flow.solve` for what the indices stand for.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csc_array, csr_array

from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.linear import Factorised, SingularMatrix
from northfell.core.network.topology import Ints

EXPONENTS = np.arange(3.0)  # of voltage: constant power, constant current, constant impedance


@dataclass(frozen=True)
class Outcome:
    """Where the iteration ended."""

    v: Complexes  # (node,)
    converged: bool
    iterations: int
    mismatch_pu: float  # largest
    worst: int  # node of the largest mismatch
    halvings: int  # steps that had to be shortened


def power_drawn(v_abs: Floats, load: Complexes) -> Complexes:
    """Load at each node for a voltage magnitude; `load` has shape (node, exponent)."""
    return (load * v_abs[:, None] ** EXPONENTS).sum(axis=1)


def current_of(y: csr_array, v: Complexes) -> Complexes:
    """Current injected at each node [p.u.]."""
    return np.asarray(y @ v)


class Jacobian:
    """The derivative of the power balance; its pattern and the way into it are found once."""

    def __init__(self, y: csr_array, angle_free: Ints, magnitude_free: Ints) -> None:
        n = y.shape[0]
        self.y, self.n_angle = y, len(angle_free)
        self.size = len(angle_free) + len(magnitude_free)
        self.row = np.repeat(np.arange(n), np.diff(y.indptr))
        self.column = y.indices
        self.diagonal = np.flatnonzero(self.row == self.column)
        of_angle, of_magnitude = np.full(n, -1), np.full(n, -1)
        of_angle[angle_free] = np.arange(len(angle_free))
        of_magnitude[magnitude_free] = len(angle_free) + np.arange(len(magnitude_free))
        self.blocks = []  # which entries of y go into each of the four blocks
        rows, columns = [], []
        for row_of in (of_angle, of_magnitude):
            for column_of in (of_angle, of_magnitude):
                used = np.flatnonzero((row_of[self.row] >= 0) & (column_of[self.column] >= 0))
                self.blocks.append(used)
                rows.append(row_of[self.row[used]])
                columns.append(column_of[self.column[used]])
        all_rows, all_columns = np.concatenate(rows), np.concatenate(columns)
        self.order = np.lexsort((all_rows, all_columns))  # no entry stands twice, so sorting makes it a csc matrix
        self.indices = all_rows[self.order].astype(np.int32)
        self.indptr = np.searchsorted(all_columns[self.order], np.arange(self.size + 1)).astype(np.int32)

    def at(self, v: Complexes, load: Complexes) -> csc_array:
        """The matrix at a voltage."""
        v_abs = np.abs(v)
        direction = v / v_abs
        current = current_of(self.y, v)
        across = v[self.row] * np.conj(self.y.data * v[self.column])
        by_angle = -1j * across
        by_angle[self.diagonal] += 1j * v * np.conj(current)
        by_magnitude = across / v_abs[self.column]
        with np.errstate(divide="ignore", invalid="ignore"):
            slope = (load[:, 1:] * EXPONENTS[1:] * v_abs[:, None] ** (EXPONENTS[1:] - 1)).sum(axis=1)
        by_magnitude[self.diagonal] += direction * np.conj(current) + slope
        pp, pq, qp, qq = self.blocks
        data = np.concatenate([by_angle.real[pp], by_magnitude.real[pq], by_angle.imag[qp], by_magnitude.imag[qq]])
        return csc_array((data[self.order], self.indices, self.indptr), shape=(self.size, self.size))


def newton(
    y: csr_array, generation: Complexes, load: Complexes, v_start: Complexes, angle_free: Ints, magnitude_free: Ints,
    tolerance_pu: float, max_iterations: int,
) -> Outcome:  # fmt: skip
    """Solve the power balance.

    .. math:: S_i = V_i \\sum_j Y_{ij}^* V_j^*, \\qquad S_i = S_{G,i} - \\sum_k S_{L,i,k} |V_i|^k

    Parameters
    ----------
    y : csr_array, shape (node, node)
        Nodal admittance [p.u.], sorted, with a full diagonal.
    generation : ndarray of complex, shape (node,)
        Fixed injections [p.u.]; the reactive part is ignored where the magnitude is held.
    load : ndarray of complex, shape (node, 3)
        Loads drawn at 1 p.u. as constant power, current and impedance [p.u.].
    v_start : ndarray of complex, shape (node,)
        Start, with the held magnitudes and angles in place.
    angle_free, magnitude_free : ndarray of int
        Nodes whose angle, and whose magnitude, is unknown.
    tolerance_pu, max_iterations
        When to take the answer, and when to give up.

    Returns
    -------
    Outcome
        A step that does not lessen the mismatch is halved, up to eight times.
    """
    v = v_start.astype(complex)
    jacobian = Jacobian(y, angle_free, magnitude_free)
    n_angle = len(angle_free)

    def mismatch(v: Complexes) -> Floats:
        s = v * np.conj(current_of(y, v)) - generation + power_drawn(np.abs(v), load)
        return np.concatenate([s.real[angle_free], s.imag[magnitude_free]])

    nodes = np.concatenate([angle_free, magnitude_free])
    error = mismatch(v)
    iterations = halvings = 0
    while (largest := _largest(error)) > tolerance_pu and iterations < max_iterations:
        try:
            step = Factorised(jacobian.at(v, load)).solve(-error)
        except SingularMatrix:
            break
        iterations += 1
        for _ in range(9):
            angle, magnitude = np.angle(v), np.abs(v)
            angle[angle_free] += step[:n_angle]
            magnitude[magnitude_free] += step[n_angle:]
            v_new = magnitude * np.exp(1j * angle)
            error_new = mismatch(v_new)
            if np.all(magnitude > 0.05) and np.linalg.norm(error_new) < np.linalg.norm(error):
                break
            step, halvings = step / 2, halvings + 1
        else:
            break  # no length of this step helps
        v, error = v_new, error_new
    worst = int(nodes[np.argmax(np.abs(error))]) if len(error) else 0
    return Outcome(v, largest <= tolerance_pu, iterations, largest, worst, halvings)


def _largest(error: NDArray) -> float:
    return float(np.max(np.abs(error))) if len(error) else 0.0
