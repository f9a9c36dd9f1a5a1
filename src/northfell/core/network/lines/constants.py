"""Matrices of a line: series impedance with earth return, potential coefficients, before and after conductors are eliminated."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from northfell.core.errors import InputRefused
from northfell.core.network.lines import earth_return as earth
from northfell.core.network.lines.earth_return import MU0, Complexes, EarthMethod, Floats
from northfell.core.network.lines.places import EPS0, Hung

MOST_CONDUCTORS = 200


@dataclass(frozen=True)
class LineConstants:
    """The matrices of a line per metre, with what they were made of. `names` are the conductors before, `kept` those after elimination."""

    conductors: tuple[Hung, ...]
    f_hz: float
    rho_ohm_m: float
    method: EarthMethod
    d_m: Floats  # distances; GMR on the diagonal
    s_m: Floats  # distances to the images; first terms need none, so that those of conductors in the ground stand there without a meaning
    theta: Floats
    k: Floats
    pq: Complexes  # P + jQ of the earth
    z_ohm_per_m: Complexes  # before elimination

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(c.name for c in self.conductors)

    @cached_property
    def kept_at(self) -> list[int]:
        return [i for i, c in enumerate(self.conductors) if c.fate == "kept"]

    @cached_property
    def earthed_at(self) -> list[int]:
        return [i for i, c in enumerate(self.conductors) if c.fate == "earthed"]

    @property
    def kept(self) -> tuple[str, ...]:
        return tuple(self.names[i] for i in self.kept_at)

    @cached_property
    def shares(self) -> Complexes:
        """Currents of the earthed conductors for currents of one in the kept ones: t = −Znn⁻¹·Znp (earthed × kept)."""
        n, p = self.earthed_at, self.kept_at
        if not n:
            return np.zeros((0, len(p)), complex)
        return np.asarray(-np.linalg.solve(self.z_ohm_per_m[np.ix_(n, n)], self.z_ohm_per_m[np.ix_(n, p)]))

    @cached_property
    def reduced_ohm_per_m(self) -> Complexes:
        """After elimination of what is earthed all along: Zpp − Zpn·Znn⁻¹·Znp. A conductor that carries nothing is left out."""
        p, n = self.kept_at, self.earthed_at
        z = self.z_ohm_per_m
        return np.asarray(z[np.ix_(p, p)] + z[np.ix_(p, n)] @ self.shares)

    # --- capacitance

    @cached_property
    def aerial_at(self) -> list[int]:
        """Conductors whose field reaches the surface: those above it that no screen surrounds."""
        return [i for i, c in enumerate(self.conductors) if not c.screened and c.y_m > 0]

    @cached_property
    def potential_m_per_f(self) -> Floats:
        """Potential coefficients of the conductors above the ground: ln(S/D)/(2πε0), the radius in the place of the own distance."""
        at = self.aerial_at
        d = self.d_m[np.ix_(at, at)].copy()
        np.fill_diagonal(d, [self.conductors[i].radius_m for i in at])
        return np.asarray(np.log(self.s_m[np.ix_(at, at)] / d) / (2 * math.pi * EPS0))

    @cached_property
    def c_f_per_m(self) -> Floats:
        """Capacitance matrix of all conductors; a core in its screen has its own alone, what lies bare in the ground none."""
        c = np.zeros((len(self.conductors), len(self.conductors)))
        if self.aerial_at:
            c[np.ix_(self.aerial_at, self.aerial_at)] = np.linalg.inv(self.potential_m_per_f)
        names = {one.name: i for i, one in enumerate(self.conductors)}
        for i, one in enumerate(self.conductors):
            if one.inside:
                core = names[one.inside]
                own = self.conductors[core].c_own_f_per_m or 0.0
                c[core, core] += own
                c[i, i] += own
                c[core, i] -= own
                c[i, core] -= own
        return c

    @cached_property
    def reduced_c_f_per_m(self) -> Floats:
        """After elimination: earthed conductors are at no voltage, so that their rows drop; open ones take the voltage at which they have no charge."""
        c, p = self.c_f_per_m, self.kept_at
        o = [i for i, x in enumerate(self.conductors) if x.fate == "open" and c[i, i] > 0]
        return np.asarray(c[np.ix_(p, p)] - c[np.ix_(p, o)] @ np.linalg.solve(c[np.ix_(o, o)], c[np.ix_(o, p)]))

    # --- sequences

    @cached_property
    def circuits(self) -> tuple[tuple[int, int, int], ...]:
        """Places among the kept conductors of each three-phase circuit: a, b, c with the same ending."""
        at = {name: i for i, name in enumerate(self.kept)}
        endings = [name[1:] for name in self.kept if name[:1] == "a"]
        return tuple((at[f"a{e}"], at[f"b{e}"], at[f"c{e}"]) for e in endings if f"b{e}" in at and f"c{e}" in at)

    def in_sequences(self, matrix: Complexes | Floats) -> Complexes:
        """All circuits in zero, positive and negative sequence, circuit by circuit: A⁻¹·M·A."""
        at = [i for circuit in self.circuits for i in circuit]
        a = np.kron(np.eye(len(self.circuits)), FORTESCUE)
        return np.asarray(np.linalg.solve(a, np.asarray(matrix, complex)[np.ix_(at, at)] @ a))

    def transposed(self, matrix: Complexes | Floats) -> Complexes:
        """The same line with the conductors of each circuit changing places: means of the diagonal and of the others, between circuits of all nine."""
        made = np.asarray(matrix, complex).copy()
        for one in self.circuits:
            for other in self.circuits:
                block = made[np.ix_(one, other)]
                if one == other:
                    mutual = (block.sum() - np.trace(block)) / 6
                    block = np.full((3, 3), mutual) + np.eye(3) * (np.trace(block) / 3 - mutual)
                else:
                    block = np.full((3, 3), block.mean())
                made[np.ix_(one, other)] = block
        return made


ALPHA = np.exp(2j * np.pi / 3)
FORTESCUE = np.array([[1, 1, 1], [1, ALPHA**2, ALPHA], [1, ALPHA, ALPHA**2]])


def constants_of(conductors: Sequence[Hung], f_hz: float, rho_ohm_m: float, method: EarthMethod = "series") -> LineConstants:
    """Series impedance of conductors with their return in earth.

    Z_ij = r_i·[i = j] + j·ωμ0/(2π)·ln(S_ij/D_ij) + ωμ0/π·(P + jQ), the GMR as own distance, 2h as own distance to the image.

    Parameters
    ----------
    conductors
        At their places; cables as core and screen. Those in the ground are taken by the first terms, whatever method is chosen.
    f_hz, rho_ohm_m
        Frequency and resistivity of the earth [ohm·m].
    method
        "series": Carson's series to its digits; "first terms": the first of each; "complex depth".

    Raises
    ------
    InputRefused
        If there is no conductor that stays, or two are nearer to each other than their radii.
    """
    n = len(conductors)
    if not 1 <= n <= MOST_CONDUCTORS or all(c.fate != "kept" for c in conductors):
        raise InputRefused("conductors", n, f"1 to {MOST_CONDUCTORS}, at least one of which is not eliminated")
    x, y = np.array([c.x_m for c in conductors]), np.array([c.y_m for c in conductors])
    apart = np.abs(x[:, None] - x[None, :])
    d = np.hypot(apart, y[:, None] - y[None, :])
    _within_radii(conductors, d)
    names = {c.name: i for i, c in enumerate(conductors)}
    for i, c in enumerate(conductors):
        d[i, i] = c.gmr_m
        if c.inside:
            d[i, names[c.inside]] = d[names[c.inside], i] = c.around_m
    sum_h = np.abs(y)[:, None] + np.abs(y)[None, :]
    s = np.hypot(apart, sum_h)
    theta = np.arctan2(apart, sum_h)
    k = earth.m_per_m(f_hz, rho_ohm_m) * s
    buried = (y[:, None] < 0) | (y[None, :] < 0)
    if method == "series":
        pq = earth.series(k, theta)
    elif method == "complex depth":
        pq = earth.complex_depth(sum_h, apart, s, f_hz, rho_ohm_m)
    else:
        pq = earth.first_terms(k)
    pq = np.where(buried, earth.first_terms(k), pq)
    w = 2 * math.pi * f_hz
    z = 1j * w * MU0 / (2 * math.pi) * np.log(s / d) + w * MU0 / math.pi * pq + np.diag([c.r_ohm_per_m for c in conductors])
    return LineConstants(tuple(conductors), f_hz, rho_ohm_m, method, d, s, theta, k, pq, z)


def _within_radii(conductors: Sequence[Hung], d: Floats) -> None:
    for i, a in enumerate(conductors):
        for j, b in enumerate(conductors[:i]):
            own = a.inside == b.name or b.inside == a.name
            if not own and d[i, j] <= a.radius_m + b.radius_m:
                both = 1000 * (a.radius_m + b.radius_m)
                raise InputRefused("distance", f"{1000 * d[i, j]:.4g} mm", f"more than {both:.4g} mm, the radii of {b.name} and {a.name} together")
