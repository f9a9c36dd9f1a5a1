"""Loads between conductors: P0·Σ share·v^n + jQ0·Σ share·v^n, v = |U|/Un; outside their range of voltage they are impedances."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from northfell.core.network.phases.parts import EARTH, Complexes, Ints

Floats = NDArray[np.float64]
Sparse = Any  # matrices of SciPy, whose types say less than they hold
POWER, CURRENT, IMPEDANCE = ((0.0, 1.0),), ((1.0, 1.0),), ((2.0, 1.0),)  # (exponent, share)


@dataclass(frozen=True)
class Load:
    """One component between two conductors."""

    element: str
    p: int
    q: int  # EARTH for earth
    s_va: complex
    v_nominal_v: float
    active: tuple[tuple[float, float], ...] = POWER
    reactive: tuple[tuple[float, float], ...] = POWER
    v_low: float = 0.0  # of its nominal voltage, below which it is taken as an impedance
    v_high: float = 1e9


@dataclass(frozen=True)
class Loads:
    """All loads as arrays (load,), terms as (load, term)."""

    parts: tuple[Load, ...]
    p: Ints
    q: Ints
    s_va: Complexes
    v_nominal_v: Floats
    exponent_p: Floats
    share_p: Floats
    exponent_q: Floats
    share_q: Floats
    v_low: Floats
    v_high: Floats

    def incidence(self, nodes: int) -> Sparse:
        """(load, node): voltage across each load from those of the nodes."""
        k = np.arange(len(self.parts))
        kept_p, kept_q = self.p != EARTH, self.q != EARTH
        rows, columns = np.concatenate([k[kept_p], k[kept_q]]), np.concatenate([self.p[kept_p], self.q[kept_q]])
        signs = np.concatenate([np.ones(kept_p.sum()), -np.ones(kept_q.sum())])
        return sp.csr_matrix((signs, (rows, columns)), shape=(len(k), nodes))

    def power(self, u_v: Any) -> tuple[Complexes, Complexes]:
        """Power at voltages across the loads [VA], and its derivative by their magnitude [VA/V]."""
        v = np.abs(u_v) / self.v_nominal_v
        v = np.where(v > 0, v, 1.0)  # what is dead draws nothing, whatever stands here
        held = np.clip(v, self.v_low, self.v_high)
        s = self._at(held)
        outside = v != held
        slope = np.where(outside, 2 * s * v / held**2, self._slope(held)) / self.v_nominal_v
        return np.where(outside, s * (v / held) ** 2, s).astype(complex), slope.astype(complex)

    def _at(self, v: Floats) -> Complexes:
        p = (self.share_p * v[:, None] ** self.exponent_p).sum(1)
        q = (self.share_q * v[:, None] ** self.exponent_q).sum(1)
        return np.asarray(self.s_va.real * p + 1j * self.s_va.imag * q)

    def _slope(self, v: Floats) -> Complexes:
        p = (self.share_p * self.exponent_p * v[:, None] ** (self.exponent_p - 1)).sum(1)
        q = (self.share_q * self.exponent_q * v[:, None] ** (self.exponent_q - 1)).sum(1)
        return np.asarray(self.s_va.real * p + 1j * self.s_va.imag * q)

    def current(self, u_v: Any) -> Complexes:
        """Current drawn from p to q [A]: conj(S/U)."""
        s, _ = self.power(u_v)
        with np.errstate(divide="ignore", invalid="ignore"):
            i = np.conj(s / u_v)
        return np.where(np.abs(u_v) > 0, i, 0)

    def tangent(self, u_v: Any) -> tuple[Complexes, Complexes]:
        """A and B of dI = A·dU + B·conj(dU)."""
        s, slope = self.power(u_v)
        a = np.conj(slope) / (2 * np.abs(u_v))
        b = np.conj(slope) * u_v / (2 * np.abs(u_v) * np.conj(u_v)) - np.conj(s) / np.conj(u_v) ** 2
        return a, b

    @property
    def y_s(self) -> Complexes:
        """The admittance of the parts of constant impedance: what of a load is linear."""
        p = (self.share_p * (self.exponent_p == 2)).sum(1)
        q = (self.share_q * (self.exponent_q == 2)).sum(1)
        return np.asarray(np.conj(self.s_va.real * p + 1j * self.s_va.imag * q) / self.v_nominal_v**2)


def loads_of(parts: Sequence[Load]) -> Loads:
    """Components as arrays."""
    terms = max((len(t) for one in parts for t in (one.active, one.reactive)), default=1)

    def column(of: str, at: int) -> Floats:
        made = np.zeros((len(parts), terms))
        for k, one in enumerate(parts):
            for t, term in enumerate(getattr(one, of)):
                made[k, t] = term[at]
        return made

    return Loads(
        tuple(parts), np.array([x.p for x in parts], np.intp), np.array([x.q for x in parts], np.intp), np.array([x.s_va for x in parts], complex),
        np.array([x.v_nominal_v for x in parts]), column("active", 0), column("active", 1), column("reactive", 0), column("reactive", 1),
        np.array([x.v_low for x in parts]), np.array([x.v_high for x in parts]),
    )  # fmt: skip
