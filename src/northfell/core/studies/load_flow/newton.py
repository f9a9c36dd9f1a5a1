"""Newton's method on the power balance in polar form, sparse, with a fixed pattern.

It knows indices, never names: see :mod:`northfell.core.studies.load_flow.solve` for what the indices stand for.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csc_array, csr_array

from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.linear import Factorised, SingularMatrix, solve_once
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
    sizes: Floats = field(default_factory=lambda: np.zeros(0))  # (unknown,) of injections that are unknown


def power_drawn(v_abs: Floats, load: Complexes) -> Complexes:
    """Load at each node for a voltage magnitude; `load` has shape (node, exponent)."""
    drawn: Complexes = load[:, 0] + load[:, 1] * v_abs + load[:, 2] * v_abs**2
    return drawn


Followed = Callable[[Floats], tuple[Complexes, Complexes]]  # magnitudes -> power given and its slope, by node


@dataclass(frozen=True)
class Unknown:
    """Injections of unknown size, each in the place of something that is known: a voltage elsewhere, an angle, a voltage on a curve."""

    at: NDArray[np.bool_]  # (node, unknown) where each may enter
    weights: Callable[[Floats], tuple[Complexes, Complexes]]  # magnitudes -> (node, unknown) injected for a size of 1, and its slope

    @classmethod
    def fixed(cls, weights: Complexes) -> "Unknown":
        """Those whose parts do not follow the voltage."""
        return cls(weights != 0, lambda _: (weights, np.zeros_like(weights)))

    def of(self, nodes: Ints) -> "Unknown | None":
        """Those that enter some of the nodes, as these see them."""
        own = self.at[nodes].any(axis=0)
        if not own.any():
            return None

        def weights(v_abs: Floats) -> tuple[Complexes, Complexes]:
            all_v = np.ones(len(self.at))
            all_v[nodes] = v_abs
            w, slope = self.weights(all_v)
            return w[nodes][:, own], slope[nodes][:, own]

        return Unknown(self.at[nodes][:, own], weights)


@dataclass(frozen=True)
class Given:
    """What is injected at the nodes, and what of the voltage is free. All in p.u., by node of the matrix."""

    y: csr_array  # nodal admittance, sorted, with a full diagonal
    generation: Complexes  # fixed injections; the reactive part is ignored where the magnitude is held
    load: Complexes  # (node, exponent) drawn at 1 p.u.
    pattern: "Jacobian"  # of the derivative; kept while the free unknowns stay the same
    follows: Followed | None = None  # power given by what follows the voltage in other ways than the load's exponents
    unknown: Unknown | None = None

    @property
    def angle_free(self) -> Ints:
        return self.pattern.angle_free

    @property
    def magnitude_free(self) -> Ints:
        return self.pattern.magnitude_free

    def asked(self, v: Complexes) -> Complexes:
        """Power that must flow into the network at each node less what is known to be injected there."""
        v_abs = np.abs(v)
        s = v * np.conj(current_of(self.y, v)) - self.generation + power_drawn(v_abs, self.load)
        return s if self.follows is None else s - self.follows(v_abs)[0]

    def left(self, v: Complexes, sizes: Floats) -> Complexes:
        """What is left of the power balance with the unknown injections at these sizes: zero where balanced and nothing is held."""
        s = self.asked(v)
        return s if self.unknown is None else s - self.unknown.weights(np.abs(v))[0] @ sizes

    def errors(self, left: Complexes) -> Floats:
        """Those that must be zero."""
        return np.concatenate([left.real[self.pattern.p_rows], left.imag[self.pattern.q_rows]])

    def sizes_at(self, v: Complexes) -> Floats:
        """The unknown injections at a solution: of each, what its nodes ask for."""
        if self.unknown is None:
            return np.zeros(0)
        asked = self.asked(v)
        w, _ = self.unknown.weights(np.abs(v))
        in_q = np.abs(w.imag).sum(axis=0) > np.abs(w.real).sum(axis=0)
        real, imag = (asked.real[:, None] * (w.real != 0)).sum(axis=0), (asked.imag[:, None] * (w.imag != 0)).sum(axis=0)
        return np.asarray(np.where(in_q, imag, real) / np.where(in_q, w.imag.sum(axis=0), w.real.sum(axis=0)), float)


def current_of(y: csr_array, v: Complexes) -> Complexes:
    """Current injected at each node [p.u.]."""
    return np.asarray(y @ v)


class Jacobian:
    """The derivative of the power balance; its pattern and the way into it are found once for what is unknown.

    Unknown are the free angles and magnitudes, then the sizes of unknown injections; known are as many powers: active in `p_rows`,
    reactive in `q_rows`.
    """

    def __init__(
        self, y: csr_array, angle_free: Ints, magnitude_free: Ints, p_rows: Ints | None = None, q_rows: Ints | None = None,
        unknown_at: NDArray[np.bool_] | None = None,
    ) -> None:  # fmt: skip
        n = y.shape[0]
        self.angle_free, self.magnitude_free = angle_free, magnitude_free
        self.p_rows = angle_free if p_rows is None else p_rows
        self.q_rows = magnitude_free if q_rows is None else q_rows
        self.size = len(self.p_rows) + len(self.q_rows)
        self.row = np.repeat(np.arange(n), np.diff(y.indptr))
        self.column = y.indices
        self.diagonal = np.flatnonzero(self.row == self.column)
        row_of_p, row_of_q = _places(n, self.p_rows, 0), _places(n, self.q_rows, len(self.p_rows))
        of_angle, of_magnitude = _places(n, angle_free, 0), _places(n, magnitude_free, len(angle_free))
        self.blocks = []  # which entries of y go into each of the four blocks
        rows, columns = [], []
        for row_of in (row_of_p, row_of_q):
            for column_of in (of_angle, of_magnitude):
                used = np.flatnonzero((row_of[self.row] >= 0) & (column_of[self.column] >= 0))
                self.blocks.append(used)
                rows.append(row_of[self.row[used]])
                columns.append(column_of[self.column[used]])
        self.entries: list[tuple[Ints, Ints]] = []  # node and unknown of each entry of their columns: active, then reactive
        if unknown_at is not None:
            for row_of in (row_of_p, row_of_q):
                node, k = np.nonzero(unknown_at & (row_of >= 0)[:, None])
                self.entries.append((node, k))
                rows.append(row_of[node])
                columns.append(len(angle_free) + len(magnitude_free) + k)
        all_rows, all_columns = np.concatenate(rows), np.concatenate(columns)
        self.order = np.lexsort((all_rows, all_columns))  # no entry stands twice, so sorting makes it a csc matrix
        self.indices = all_rows[self.order].astype(np.int32)
        self.indptr = np.searchsorted(all_columns[self.order], np.arange(self.size + 1)).astype(np.int32)

    def at(self, v: Complexes, given: Given, sizes: Floats | None = None) -> csc_array:
        """The matrix at a voltage, and at sizes of the unknown injections."""
        load = given.load
        v_abs = np.abs(v)
        direction = v / v_abs
        current = current_of(given.y, v)
        across = v[self.row] * np.conj(given.y.data * v[self.column])
        by_angle = -1j * across
        by_angle[self.diagonal] += 1j * v * np.conj(current)
        by_magnitude = across / v_abs[self.column]
        slope = load[:, 1] + 2 * load[:, 2] * v_abs
        if given.follows is not None:
            slope -= given.follows(v_abs)[1]
        by_size: list[Floats] = []
        if given.unknown is not None:
            w, w_slope = given.unknown.weights(v_abs)
            slope -= w_slope @ (given.sizes_at(v) if sizes is None else sizes)
            (p_node, p_k), (q_node, q_k) = self.entries
            by_size = [-w.real[p_node, p_k], -w.imag[q_node, q_k]]
        by_magnitude[self.diagonal] += direction * np.conj(current) + slope
        pp, pq, qp, qq = self.blocks
        data = np.concatenate([by_angle.real[pp], by_magnitude.real[pq], by_angle.imag[qp], by_magnitude.imag[qq], *by_size])
        return csc_array((data[self.order], self.indices, self.indptr), shape=(self.size, self.size))


def _places(n: int, nodes: Ints, first: int) -> Ints:
    """Place of each node among those, counted from `first`; -1 where it is none of them."""
    place = np.full(n, -1)
    place[nodes] = first + np.arange(len(nodes))
    return place


def newton(given: Given, v_start: Complexes, tolerance_pu: float, max_iterations: int, sizes_start: Floats | None = None) -> Outcome:
    """Solve the power balance.

    .. math:: S_i = V_i \\sum_j Y_{ij}^* V_j^*, \\qquad
        S_i = S_{G,i} - \\sum_k S_{L,i,k} |V_i|^k + S_{F,i}(|V_i|) + \\sum_m w_{i,m}(|V_i|)\\,x_m

    Parameters
    ----------
    given : Given
        Admittances and injections, and which angles and magnitudes are unknown.
    v_start : ndarray of complex, shape (node,)
        Start, with the held magnitudes and angles in place.
    tolerance_pu, max_iterations
        When to take the answer, and when to give up.
    sizes_start : ndarray, shape (unknown,), optional
        Start of the sizes x of the unknown injections; they enter linearly, so nothing is as good.

    Returns
    -------
    Outcome
        A step that does not lessen the mismatch is halved, up to eight times.
    """
    v = v_start.astype(complex)
    jacobian = given.pattern
    n_voltage = len(given.angle_free) + len(given.magnitude_free)
    sizes = np.zeros(0 if given.unknown is None else given.unknown.at.shape[1]) if sizes_start is None else sizes_start
    error = given.errors(given.left(v, sizes))
    iterations = halvings = 0
    while _largest(error) > tolerance_pu and iterations < max_iterations:
        try:
            step = solve_once(jacobian.at(v, given, sizes), -error)
        except SingularMatrix:
            break
        iterations += 1
        for _ in range(9):
            v_new, sizes_new = moved(v, step, given), sizes + step[n_voltage:]
            error_new = given.errors(given.left(v_new, sizes_new))
            if np.all(np.abs(v_new) > LEAST_VOLTAGE) and np.sum(error_new**2) < np.sum(error**2):
                break
            step, halvings = step / 2, halvings + 1
        else:
            break  # no length of this step helps
        v, sizes, error = v_new, sizes_new, error_new
    left = np.zeros(len(v))
    n_p = len(jacobian.p_rows)
    left[jacobian.p_rows] = np.abs(error[:n_p])
    left[jacobian.q_rows] = np.hypot(left[jacobian.q_rows], error[n_p:])
    return Outcome(v, _largest(error) <= tolerance_pu, iterations, left, halvings, sizes=sizes)


LEAST_VOLTAGE = 0.05  # p.u.; below it the equations of constant power have no meaning


def moved(v: Complexes, step: Floats, given: Given) -> Complexes:
    """Voltages after a step of the unknowns: angles first, then magnitudes."""
    n_angle = len(given.angle_free)
    angle, magnitude = np.angle(v), np.abs(v)
    angle[given.angle_free] += step[:n_angle]
    magnitude[given.magnitude_free] += step[n_angle : n_angle + len(given.magnitude_free)]
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
    follows, whole = None, given.follows
    if whole is not None:

        def follows(v_abs: Floats) -> tuple[Complexes, Complexes]:
            s, slope = whole(v_abs)
            return s * part, slope * part

    return replace(given, generation=given.generation * part, load=given.load * part, follows=follows)


class Linearised:
    """The power balance about a solution: what a small change of injections does to the voltages."""

    def __init__(self, given: Given, v: Complexes) -> None:
        self.given, self.v = given, v
        self.factor = Factorised(given.pattern.at(v, given))

    def voltages(self, surplus: Complexes) -> Complexes:
        """Voltages at which a surplus asked at the nodes is made up for, shape (node,)."""
        return moved(self.v, self.factor.solve(-self.given.errors(surplus)), self.given)

    def weights(self, by_angle: Floats, by_magnitude: Floats) -> tuple[Floats, Floats]:
        """How a quantity with these derivatives changes with active and reactive power injected at each node: zero where the node gives way."""
        g = self.given
        n_p, n_voltage = len(g.pattern.p_rows), len(g.angle_free) + len(g.magnitude_free)
        rest = np.zeros(g.pattern.size - n_voltage)  # the quantity does not depend on the sizes of unknown injections by themselves
        answer = self.factor.solve(np.concatenate([by_angle[g.angle_free], by_magnitude[g.magnitude_free], rest]), transposed=True)
        p, q = np.zeros(len(self.v)), np.zeros(len(self.v))
        p[g.pattern.p_rows], q[g.pattern.q_rows] = answer[:n_p], answer[n_p:]
        return p, q


def _largest(error: NDArray[Any]) -> float:
    return float(np.max(np.abs(error))) if len(error) else 0.0
