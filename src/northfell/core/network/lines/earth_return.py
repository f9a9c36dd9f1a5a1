"""The part of earth in the impedance of conductors above it: Carson's integral by his series, by its first terms, and by the complex depth.

Symbols: k = m·S, m = √(ωμ0/ρ), S the distance of a conductor to the image of another below the surface, θ the angle of that line from the vertical.
"""

import math
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.integrate import quad

EarthMethod = Literal["series", "first terms", "complex depth"]
EARTH_METHODS: tuple[EarthMethod, ...] = ("series", "first terms", "complex depth")
MU0 = 4e-7 * math.pi  # H/m
FIRST_Q = math.log(2) + 0.5 - float(np.euler_gamma)  # 0.6159315
SERIES_TO_K = 5.0  # beyond it the terms of the series cancel each other's digits
TERMS = 30

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


def m_per_m(f_hz: float, rho_ohm_m: float) -> float:
    """m = √(ωμ0/ρ) [1/m]."""
    return math.sqrt(2 * math.pi * f_hz * MU0 / rho_ohm_m)


@cache
def _coefficients() -> tuple[tuple[float, ...], tuple[float, ...]]:
    """b and c of the series from 1 on: |b_i| = |b_(i-2)|/(i(i+2)) with signs that change each four, c_i = c_(i-2) + 1/i + 1/(i+2)."""
    size, c = {1: math.sqrt(2) / 6, 2: 1 / 16}, {2: 1.25 - float(np.euler_gamma) + math.log(2)}
    for i in range(3, TERMS + 1):
        size[i] = size[i - 2] / (i * (i + 2))
        if i % 2 == 0:
            c[i] = c[i - 2] + 1 / i + 1 / (i + 2)
    b = tuple(size[i] * (1 if (i - 1) // 4 % 2 == 0 else -1) for i in range(1, TERMS + 1))
    return b, tuple(c.get(i, 0.0) for i in range(1, TERMS + 1))


def series(k: ArrayLike, theta: ArrayLike) -> Complexes:
    """P + jQ by Carson's series, as far as it holds its digits; above k = 5 by quadrature of the integral itself.

    P = π/8 − b1·C1 + E2 + b3·C3 − π/4·b4·C4 − …, Q = (ln2 + 1/2 − γ − ln k)/2 + b1·C1 − π/4·b2·C2 + b3·C3 − E4 + …
    with C_i = k^i·cos(iθ), E_i = b_i·k^i·[(c_i − ln k)·cos(iθ) + θ·sin(iθ)].

    Parameters
    ----------
    k, theta
        Of any shape; theta [rad] in the first quadrant.

    Source: J. R. Carson, Wave propagation in overhead wires with ground return (1926); derived anew and held against the integral.
    """
    k, theta = np.broadcast_arrays(np.asarray(k, float), np.asarray(theta, float))
    made = np.empty(k.shape, complex)
    near = k <= SERIES_TO_K
    made[near] = _by_terms(k[near], theta[near])
    made[~near] = [by_integral(a, b) for a, b in zip(k[~near].tolist(), theta[~near].tolist(), strict=True)]
    return made


def _by_terms(k: Floats, theta: Floats) -> Complexes:
    b, c = _coefficients()
    p = np.full(k.shape, math.pi / 8)
    q = (FIRST_Q - np.log(k)) / 2
    power = np.ones(k.shape)
    for i in range(1, TERMS + 1):
        power = power * k
        cos, sin = np.cos(i * theta), np.sin(i * theta)
        plain, with_log = b[i - 1] * power * cos, b[i - 1] * power * ((c[i - 1] - np.log(k)) * cos + theta * sin)
        if i % 4 == 1:
            p, q = p - plain, q + plain
        elif i % 4 == 2:
            p, q = p + with_log, q - math.pi / 4 * plain
        elif i % 4 == 3:
            p, q = p + plain, q + plain
        else:
            p, q = p - math.pi / 4 * plain, q - with_log
    made: Complexes = p + 1j * q
    return made


def by_integral(k: float, theta: float) -> complex:
    """P + jQ = j·∫0^∞ e^(−k·cosθ·v)·cos(k·sinθ·v)/(v + √(v² + j)) dv, by quadrature."""
    a, x = k * math.cos(theta), k * math.sin(theta)

    def held(v: float) -> complex:
        return complex(math.exp(-a * v) * math.cos(x * v) / (v + np.sqrt(v * v + 1j)))

    end = 45 / max(a, 1e-3)  # e^-45 is below the digits of a double
    re = quad(lambda v: held(v).real, 0, end, limit=400, epsabs=1e-13, epsrel=1e-11)[0]
    im = quad(lambda v: held(v).imag, 0, end, limit=400, epsabs=1e-13, epsrel=1e-11)[0]
    return 1j * complex(re, im)


def first_terms(k: ArrayLike) -> Complexes:
    """P + jQ by the first term of each: π/8 and (ln2 + 1/2 − γ − ln k)/2. The heights drop out of the impedance with them."""
    made: Complexes = math.pi / 8 + 0.5j * (FIRST_Q - np.log(np.asarray(k, float)))
    return made


def complex_depth(sum_h_m: ArrayLike, x_m: ArrayLike, s_m: ArrayLike, f_hz: float, rho_ohm_m: float) -> Complexes:
    """P + jQ by a mirror at the complex depth p = 1/√(jωμ0/ρ): (j/2)·ln(√((h_i + h_j + 2p)² + x²)/S)."""
    p = 1 / np.sqrt(1j * 2 * math.pi * f_hz * MU0 / rho_ohm_m)
    image = np.sqrt((np.asarray(sum_h_m) + 2 * p) ** 2 + np.asarray(x_m) ** 2)
    made: Complexes = 0.5j * np.log(image / np.asarray(s_m))
    return made


def depth_m(f_hz: float, rho_ohm_m: float) -> float:
    """Depth of the equivalent return of the first terms, De = e^0.6159315·√(ρ/(ωμ0)) [m]."""
    return math.exp(FIRST_Q) * math.sqrt(rho_ohm_m / (2 * math.pi * f_hz * MU0))
