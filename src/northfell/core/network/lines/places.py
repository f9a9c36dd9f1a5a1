"""One conductor at its place, with what the equations need of it; built from a wire's data, cables as a core and its own screen."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.special import ive

from northfell.core.errors import InputRefused

Fate = Literal["kept", "earthed", "open"]
SOLID_GMR = math.exp(-0.25)  # over the radius of a solid round wire with an even current
EPS0 = 8.8541878128e-12  # F/m


@dataclass(frozen=True)
class Hung:
    """A conductor at its place."""

    name: str
    x_m: float
    y_m: float  # above the surface; below it negative
    r_ohm_per_m: complex  # resistance; with the internal reactance where that is not in the GMR
    gmr_m: float
    radius_m: float
    fate: Fate = "kept"
    inside: str = ""  # name of the core that it surrounds, at `around_m`
    around_m: float = 0.0
    c_own_f_per_m: float | None = None  # of a core to its own screen; it couples with nothing else

    @property
    def screened(self) -> bool:
        return self.c_own_f_per_m is not None or bool(self.inside)


def bundled(n: int, spacing_m: float, own_m: float) -> float:
    """Mean distance of n alike conductors on a circle with one another and their own: (n·g·R^(n-1))^(1/n), R = s/(2·sin(π/n))."""
    if n == 1:
        return own_m
    around = spacing_m / (2 * math.sin(math.pi / n))
    return float((n * own_m * around ** (n - 1)) ** (1 / n))


def skin_effect_ohm_per_m(r_dc_ohm_per_m: float, radius_m: float, f_hz: float) -> complex:
    """Internal impedance of a solid round conductor: g/(2πRσ)·I0(gR)/I1(gR), g = √(jωμ0σ), σ = 1/(R_dc·πR²)."""
    sigma = 1 / (r_dc_ohm_per_m * math.pi * radius_m**2)
    g = np.sqrt(2j * math.pi * f_hz * 4e-7 * math.pi * sigma)
    return complex(g / (2 * math.pi * radius_m * sigma) * ive(0, g * radius_m) / ive(1, g * radius_m))


@dataclass(frozen=True)
class Screen:
    """The screen or concentric neutral of a cable as one conductor."""

    gmr_m: float
    r_ohm_per_m: float
    around_m: float  # mean radius
    c_f_per_m: float


def concentric(k: int, d_strand_m: float, r_strand_ohm_per_m: float, gmr_strand_m: float, d_outside_m: float, d_core_m: float, eps_r: float) -> Screen:
    """Of k strands on a circle of R = (D − ds)/2: GMR = (GMRs·k·R^(k−1))^(1/k), r = rs/k, C = 2πε/(ln(2R/dc) − ln(k·rs/R)/k)."""
    around = (d_outside_m - d_strand_m) / 2
    if around <= d_core_m / 2:
        raise InputRefused("d_outside_mm", 1000 * d_outside_m, f"more than the conductor with the strands, {1000 * (d_core_m + d_strand_m):g} mm")
    c = 2 * math.pi * EPS0 * eps_r / (math.log(2 * around / d_core_m) - math.log(k * d_strand_m / 2 / around) / k)
    return Screen(float((gmr_strand_m * k * around ** (k - 1)) ** (1 / k)), r_strand_ohm_per_m / k, around, c)


def taped(d_shield_m: float, thickness_m: float, rho_ohm_m: float, d_core_m: float, eps_r: float) -> Screen:
    """A tape shield: GMR = radius = (ds − T)/2, r = ρ/(π·ds·T), C = 2πε/ln((ds − T)/dc)."""
    around = (d_shield_m - thickness_m) / 2
    if around <= d_core_m / 2:
        raise InputRefused("d_shield_mm", 1000 * d_shield_m, f"more than the conductor with the tape, {1000 * (d_core_m + thickness_m):g} mm")
    c = 2 * math.pi * EPS0 * eps_r / math.log(2 * around / d_core_m)
    return Screen(around, rho_ohm_m / (math.pi * d_shield_m * thickness_m), around, c)
