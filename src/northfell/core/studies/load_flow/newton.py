"""Newton's method on the power balance in polar form, sparse, with a fixed pattern.

It knows indices, never names: see :mod:`northfell.core.studies.load_flow.solve` for what the indices stand for.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

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
    mismatch: Floats  # (node,) size of what is left of the power balance at each node
    halvings: int  # steps that had to be shortened
    reached: float = 1.0  # part of load and generation up to which there is a solution, where that was searched


def power_drawn(v_abs: Floats, load: Complexes) -> Complexes:
    """Load at each node for a voltage magnitude; `load` has shape (node, exponent)."""
    return (load * v_abs[:, None] ** EXPONENTS).sum(axis=1)


@dataclass(frozen=True)
class Given:
    """What is injected at the nodes, and what of the voltage is free. All in p.u., by node of the matrix."""

    y: csr_array  # nodal admittance, sorted, with a full diagonal
    generation: Complexes  # fixed injections; the reactive part is ignored where the magnitude is held
    load: Complexes  # (node, exponent) drawn at 1 p.u.
    pattern: "Jacobian"  # of the derivative; kept while the free unknowns stay the same
    volt_var: Callable[[Floats], tuple[Floats, Floats]] | None = None  # magnitudes -> reactive power given, and its slope, by node

    @property
    def angle_free(self) -> Ints:
        return self.pattern.angle_free

    @property
    def magnitude_free(self) -> Ints:
        return self.pattern.magnitude_free

    def asked(self, v: Complexes) -> Complexes:
        """Power that must flow into the network at each node less what is injected there: zero where balanced."""
        v_abs = np.abs(v)
        s = v * np.conj(current_of(self.y, v)) - self.generation + power_drawn(v_abs, self.load)
        return s if self.volt_var is None else s - 1j * self.volt_var(v_abs)[0]


def current_of(y: csr_array, v: Complexes) -> Complexes:
    """Current injected at each node [p.u.]."""
    return np.asarray(y @ v)


class Jacobian:
    """The derivative of the power balance; its pattern and the way into it are found once for what is unknown."""

    def __init__(self, y: csr_array, angle_free: Ints, magnitude_free: Ints) -> None:
        n = y.shape[0]
        self.angle_free, self.magnitude_free = angle_free, magnitude_free
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

    def at(self, v: Complexes, given: Given) -> csc_array:
        """The matrix at a voltage."""
        load = given.load
        v_abs = np.abs(v)
        direction = v / v_abs
        current = current_of(given.y, v)
        across = v[self.row] * np.conj(given.y.data * v[self.column])
        by_angle = -1j * across
        by_angle[self.diagonal] += 1j * v * np.conj(current)
        by_magnitude = across / v_abs[self.column]
        with np.errstate(divide="ignore", invalid="ignore"):
            slope = (load[:, 1:] * EXPONENTS[1:] * v_abs[:, None] ** (EXPONENTS[1:] - 1)).sum(axis=1)
        by_magnitude[self.diagonal] += direction * np.conj(current) + slope
        if given.volt_var is not None:
            by_magnitude[self.diagonal] -= 1j * given.volt_var(v_abs)[1]
        pp, pq, qp, qq = self.blocks
        data = np.concatenate([by_angle.real[pp], by_magnitude.real[pq], by_angle.imag[qp], by_magnitude.imag[qq]])
        return csc_array((data[self.order], self.indices, self.indptr), shape=(self.size, self.size))


def newton(given: Given, v_start: Complexes, tolerance_pu: float, max_iterations: int) -> Outcome:
    """Solve the power balance.

    .. math:: S_i = V_i \\sum_j Y_{ij}^* V_j^*, \\qquad S_i = S_{G,i} - \\sum_k S_{L,i,k} |V_i|^k

    Parameters
    ----------
    given : Given
        Admittances and injections, and which angles and magnitudes are unknown.
    v_start : ndarray of complex, shape (node,)
        Start, with the held magnitudes and angles in place.
    tolerance_pu, max_iterations
        When to take the answer, and when to give up.

    Returns
    -------
    Outcome
        A step that does not lessen the mismatch is halved, up to eight times.
    """
    v = v_start.astype(complex)
    jacobian = given.pattern
    angle_free, magnitude_free, n_angle = given.angle_free, given.magnitude_free, len(given.angle_free)
    s = given.asked(v)
    error = np.concatenate([s.real[angle_free], s.imag[magnitude_free]])
    iterations = halvings = 0
    while _largest(error) > tolerance_pu and iterations < max_iterations:
        try:
            step = Factorised(jacobian.at(v, given)).solve(-error)
        except SingularMatrix:
            break
        iterations += 1
        for _ in range(9):
            v_new = moved(v, step, given)
            s_new = given.asked(v_new)
            error_new = np.concatenate([s_new.real[angle_free], s_new.imag[magnitude_free]])
            if np.all(np.abs(v_new) > LEAST_VOLTAGE) and np.linalg.norm(error_new) < np.linalg.norm(error):
                break
            step, halvings = step / 2, halvings + 1
        else:
            break  # no length of this step helps
        v, error = v_new, error_new
    left = np.zeros(len(v))
    left[angle_free] = np.abs(error[:n_angle])
    left[magnitude_free] = np.hypot(left[magnitude_free], error[n_angle:])
    return Outcome(v, _largest(error) <= tolerance_pu, iterations, left, halvings)


LEAST_VOLTAGE = 0.05  # p.u.; below it the equations of constant power have no meaning


def moved(v: Complexes, step: Floats, given: Given) -> Complexes:
    """Voltages after a step of the unknowns: angles first, then magnitudes."""
    n_angle = len(given.angle_free)
    angle, magnitude = np.angle(v), np.abs(v)
    angle[given.angle_free] += step[:n_angle]
    magnitude[given.magnitude_free] += step[n_angle:]
    return np.asarray(magnitude * np.exp(1j * angle), complex)


def continued(given: Given, v_start: Complexes, tolerance_pu: float, max_iterations: int) -> Outcome:
    """The second method: load and generation are raised from nothing in steps that shrink where a step fails.

    It stays on the branch of high voltages, and where there is no solution it tells how far there is one.
    """
    part, v, step = 0.0, v_start, 0.5
    iterations = halvings = 0
    best = last = newton(_scaled(given, 0.0), v_start, tolerance_pu, max_iterations)
    if not last.converged:
        return replace(last, reached=0.0)
    v = last.v
    while part < 1 and step > LEAST_PART:
        aim = min(1.0, part + step)
        last = newton(_scaled(given, aim), v, tolerance_pu, max_iterations)
        iterations, halvings = iterations + last.iterations, halvings + last.halvings
        if last.converged:
            part, v, step, best = aim, last.v, step * 1.5, last
        else:
            step /= 2
    shown = best if part >= 1 else replace(newton(given, v, tolerance_pu, max_iterations), converged=False)
    return replace(shown, iterations=iterations, halvings=halvings, reached=part)


LEAST_PART = 1e-4  # of load and generation, at which raising them is given up


def _scaled(given: Given, part: float) -> Given:
    return replace(given, generation=given.generation * part, load=given.load * part)


class Linearised:
    """The power balance about a solution: what a small change of injections does to the voltages."""

    def __init__(self, given: Given, v: Complexes) -> None:
        self.given, self.v = given, v
        self.factor = Factorised(given.pattern.at(v, given))

    def voltages(self, surplus: Complexes) -> Complexes:
        """Voltages at which a surplus asked at the nodes is made up for, shape (node,)."""
        rhs = np.concatenate([surplus.real[self.given.angle_free], surplus.imag[self.given.magnitude_free]])
        return moved(self.v, self.factor.solve(-rhs), self.given)

    def weights(self, by_angle: Floats, by_magnitude: Floats) -> tuple[Floats, Floats]:
        """How a quantity with these derivatives changes with active and reactive power injected at each node: zero where the node gives way."""
        g = self.given
        answer = self.factor.solve(np.concatenate([by_angle[g.angle_free], by_magnitude[g.magnitude_free]]), transposed=True)
        p, q = np.zeros(len(self.v)), np.zeros(len(self.v))
        p[g.angle_free], q[g.magnitude_free] = answer[: len(g.angle_free)], answer[len(g.angle_free) :]
        return p, q


def _largest(error: NDArray) -> float:
    return float(np.max(np.abs(error))) if len(error) else 0.0
