"""The model of IEEE 1584-2018, one function per equation: kV, kA, mm, ms and J/cm² inside every equation.

The functions take a configuration and numbers (or arrays) and read their coefficients from the standard's tables.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from northfell.core.catalogue.tables import arc_flash_coefficients
from northfell.core.errors import InputRefused, Message

Floats = NDArray[np.float64]
LEVELS_V = (600, 2700, 14300)  # voltages at which the intermediate values are formed
CAL = 4.184  # J per cal
BURN_J_CM2 = 5.0208  # 1.2 cal/cm2: onset of a second-degree burn, the boundary's criterion
IN_BOX = ("VCB", "VCBB", "HCB")


def _within_model(field: str, got: float, value: float) -> float:
    """A value the model can give; far outside its tested range the polynomials lose their meaning, which must not pass for a result."""
    if not 0 < value < math.inf:
        raise InputRefused(field, got, "a value for which the model gives a positive current and a finite energy", "Check it against the tested range.")
    return value


def _polynomial(coefficients: Iterable[float], x: float) -> float:
    """A polynomial by its coefficients, that of the highest power first."""
    value = 0.0
    for c in coefficients:
        value = value * x + c
    return value


@dataclass(frozen=True)
class Enclosure:
    """Where the arc burns: configuration, conductor gap and box [mm]; the box does not act in open air."""

    configuration: str
    gap_mm: float
    height_mm: float = math.nan
    width_mm: float = math.nan
    depth_mm: float = math.nan

    @property
    def in_box(self) -> bool:
        return self.configuration in IN_BOX


@lru_cache(maxsize=8192)  # the same for full and reduced current
def intermediate_current_ka(configuration: str, level_v: int, ibf_ka: float, gap_mm: float) -> float:
    r"""Arcing current at one of the three voltage levels.

    .. math:: I_v = 10^{k_1 + k_2 \lg I_{bf} + k_3 \lg G}\,(k_4 I_{bf}^6 + \dots + k_9 I_{bf} + k_{10})

    Source
    ------
    IEEE 1584-2018, 4.4 (Eq. 1), Table 1.
    """
    k = arc_flash_coefficients()["table_1_arcing_current"][configuration][str(level_v)]
    current = 10 ** (k[0] + k[1] * math.log10(ibf_ka) + k[2] * math.log10(gap_mm)) * _polynomial(k[3:], ibf_ka)
    return _within_model("i_bolted_ka", ibf_ka, current)


def low_voltage_current_ka(i_600_ka: float, ibf_ka: float, voc_kv: float) -> float:
    r"""Final arcing current at 600 V and below.

    .. math:: I_{arc} = \left\{\left(\tfrac{0.6}{V}\right)^2 \left[\tfrac{1}{I_{600}^2} - \tfrac{0.6^2 - V^2}{0.6^2\, I_{bf}^2}\right]\right\}^{-1/2}

    Source
    ------
    IEEE 1584-2018, 4.10 (Eq. 25).
    """
    inside = (0.6 / voc_kv) ** 2 * (1 / i_600_ka**2 - (0.6**2 - voc_kv**2) / (0.6**2 * ibf_ka**2))
    return 1 / math.sqrt(_within_model("gap_mm", i_600_ka, inside))


def interpolated(x_600: float, x_2700: float, x_14300: float, voc_kv: float) -> float:
    """Value above 600 V from those at the three levels; serves current, energy and boundary alike.

    Source
    ------
    IEEE 1584-2018, 4.9 (Eq. 16 to 24).
    """
    x2 = (x_14300 - x_2700) / 11.6 * (voc_kv - 14.3) + x_14300
    if voc_kv > 2.7:
        return x2
    x1 = (x_2700 - x_600) / 2.1 * (voc_kv - 2.7) + x_2700
    return x1 * (2.7 - voc_kv) / 2.1 + x2 * (voc_kv - 0.6) / 2.1


def variation_factor(configuration: str, voc_kv: float) -> float:
    """VarCf of the reduced arcing current; the current is multiplied by 1 - 0.5·VarCf.

    Source
    ------
    IEEE 1584-2018, 4.5 (Eq. 2), Table 2.
    """
    return _polynomial(arc_flash_coefficients()["table_2_variation_factor"][configuration], voc_kv)


def equivalent_box_in(box: Enclosure, voc_kv: float) -> tuple[float, float, bool]:
    """Equivalent height and width [in], and whether the box is shallow.

    Source
    ------
    IEEE 1584-2018, 4.8.3, Table 6, Eq. 11 and 12.
    """
    t = arc_flash_coefficients()["table_6_equivalent_dimensions"]
    small, straight, cap, per_mm = t["small_limit_mm"], t["formula_from_mm"], t["formula_cap_mm"], t["mm_to_in_factor_in_table"]
    shallow = (
        voc_kv < t["shallow_max_voltage_kV_exclusive"]
        and box.height_mm < t["shallow_max_height_mm_exclusive"]
        and box.width_mm < t["shallow_max_width_mm_exclusive"]
        and box.depth_mm <= t["shallow_max_depth_mm"]
    )

    def formula(mm: float, a: float, b: float) -> float:
        return (straight + (min(mm, cap) - straight) * (voc_kv + a) / b) / 25.4

    def size(mm: float, ab: list[float] | None) -> float:
        if mm < small:
            return per_mm * mm if shallow else t["small_typical_equivalent_in"]
        if mm <= straight:
            return per_mm * mm
        if ab is None:  # height of vertical conductors in a box
            return per_mm * mm if mm <= cap else t["vcb_height_cap_in"]
        return formula(mm, *ab)

    c = box.configuration
    return size(box.height_mm, t["height_A_B"][c]), size(box.width_mm, t["width_A_B"][c]), shallow


def enclosure_correction(configuration: str, ees_in: float, shallow: bool) -> float:
    """Correction factor CF of a box of equivalent size EES = (H1 + W1)/2 [in].

    Source
    ------
    IEEE 1584-2018, 4.8.4 (Eq. 14, 15), Table 7.
    """
    table = arc_flash_coefficients()["table_7_enclosure_correction"]["shallow" if shallow else "typical"]
    value = _polynomial(table[configuration], ees_in)
    return 1 / value if shallow else value


@lru_cache(maxsize=4096)  # asked for energy and boundary of every variant of a place
def correction_of(box: Enclosure, voc_kv: float) -> float:
    """CF of an enclosure; 1 in open air."""
    if not box.in_box:
        return 1.0
    height, width, shallow = equivalent_box_in(box, voc_kv)
    return enclosure_correction(box.configuration, (height + width) / 2, shallow)


def arcing_current_ka(voc_kv: float, ibf_ka: float, box: Enclosure) -> float:
    """Full arcing current [kA].

    Source
    ------
    IEEE 1584-2018, 4.4, 4.9, 4.10.
    """
    if voc_kv <= 0.6:
        return low_voltage_current_ka(intermediate_current_ka(box.configuration, 600, ibf_ka, box.gap_mm), ibf_ka, voc_kv)
    levels = [intermediate_current_ka(box.configuration, v, ibf_ka, box.gap_mm) for v in LEVELS_V]
    return interpolated(levels[0], levels[1], levels[2], voc_kv)


Exponent = tuple[float, float]


def _exponent(configuration: str, level_v: int, ibf_ka: float, gap_mm: float, i_k3_ka: float, i_k13_ka: float, cf: float) -> Exponent:
    """What energy and boundary share: the exponent without the distance term, and k12."""
    k = arc_flash_coefficients()["tables_3_4_5_energy_and_boundary"][str(level_v)][configuration]
    polynomial = _polynomial([*k[3:10], 0.0], ibf_ka)
    common = (
        k[0] + k[1] * math.log10(gap_mm) + k[2] * i_k3_ka / polynomial + k[10] * math.log10(ibf_ka)
        + k[12] * math.log10(i_k13_ka) + math.log10(1 / cf)
    )  # fmt: skip
    if abs(common) > 100:  # beyond any energy; the power of ten would overflow
        _within_model("i_bolted_ka", ibf_ka, math.inf)
    return common, k[11]


@lru_cache(maxsize=8192)  # the same for energy and boundary, and for every time that is tried
def _exponents(voc_kv: float, ibf_ka: float, box: Enclosure, factor: float) -> tuple[Exponent, ...]:
    """Of each voltage level that is evaluated."""
    cf = correction_of(box, voc_kv)
    return tuple(_exponent(box.configuration, v, ibf_ka, box.gap_mm, i3, i13, cf) for v, i3, i13 in levels(voc_kv, ibf_ka, box, factor))


def _energy_j_cm2(exponent: Exponent, distance_mm: float, t_ms: float) -> float:
    common, k12 = exponent
    return float(12.552 / 50 * t_ms * 10 ** (common + k12 * math.log10(distance_mm)))


def _boundary_mm(exponent: Exponent, t_ms: float) -> float:
    common, k12 = exponent
    return float(10 ** ((common - math.log10(20 / t_ms)) / -k12))


def level_energy_j_cm2(
    configuration: str, level_v: int, ibf_ka: float, gap_mm: float, distance_mm: float, t_ms: float, i_k3_ka: float, i_k13_ka: float, cf: float
) -> float:
    """Energy at one of the three voltage levels. At 600 V and below, the k3 term holds I_600 and the k13 term the final current.

    Source
    ------
    IEEE 1584-2018, 4.6 (Eq. 3 to 6), Tables 3 to 5.
    """
    return _energy_j_cm2(_exponent(configuration, level_v, ibf_ka, gap_mm, i_k3_ka, i_k13_ka, cf), distance_mm, t_ms)


def level_boundary_mm(configuration: str, level_v: int, ibf_ka: float, gap_mm: float, t_ms: float, i_k3_ka: float, i_k13_ka: float, cf: float) -> float:
    """Boundary at one of the three voltage levels.

    Source
    ------
    IEEE 1584-2018, 4.7 (Eq. 7 to 10).
    """
    return _boundary_mm(_exponent(configuration, level_v, ibf_ka, gap_mm, i_k3_ka, i_k13_ka, cf), t_ms)


def levels(voc_kv: float, ibf_ka: float, box: Enclosure, factor: float) -> list[tuple[int, float, float]]:
    """Voltage levels to evaluate, with the currents of the k3 and the k13 term. `factor` reduces the arcing current.

    Above 600 V it multiplies all three intermediate currents; at 600 V and below only the final current, and the k3 term keeps
    the unreduced I_600 (IEEE 1584-2018, 4.5; both rules follow from the published examples).
    """
    if voc_kv <= 0.6:
        i_600 = intermediate_current_ka(box.configuration, 600, ibf_ka, box.gap_mm)
        return [(600, i_600, factor * low_voltage_current_ka(i_600, ibf_ka, voc_kv))]
    levels = [(v, factor * intermediate_current_ka(box.configuration, v, ibf_ka, box.gap_mm)) for v in LEVELS_V]
    return [(v, i, i) for v, i in levels]


def incident_energy_j_cm2(voc_kv: float, ibf_ka: float, box: Enclosure, distance_mm: float, t_ms: float, factor: float = 1.0) -> float:
    """Incident energy at the working distance [J/cm²], zero for an arc of no duration.

    Source
    ------
    IEEE 1584-2018, 4.6 and 4.9.
    """
    if t_ms == 0:
        return 0.0
    found = [_energy_j_cm2(one, distance_mm, t_ms) for one in _exponents(voc_kv, ibf_ka, box, factor)]
    return found[0] if len(found) == 1 else interpolated(found[0], found[1], found[2], voc_kv)


def boundary_mm(voc_kv: float, ibf_ka: float, box: Enclosure, t_ms: float, factor: float = 1.0) -> float:
    """Arc-flash boundary [mm], zero for an arc of no duration.

    Source
    ------
    IEEE 1584-2018, 4.7 and 4.9.
    """
    if t_ms == 0:
        return 0.0
    found = [_boundary_mm(one, t_ms) for one in _exponents(voc_kv, ibf_ka, box, factor)]
    return found[0] if len(found) == 1 else interpolated(found[0], found[1], found[2], voc_kv)


def ranges(voc_kv: float) -> tuple[tuple[float, float], tuple[float, float]]:
    """Bolted currents [kA] and gaps [mm] for which the model was tested, at a voltage.

    Source
    ------
    IEEE 1584-2018, 4.2.
    """
    return ((0.5, 106.0), (6.35, 76.2)) if voc_kv <= 0.6 else ((0.2, 65.0), (19.05, 254.0))


def out_of_range(voc_kv: float, ibf_ka: float, box: Enclosure, distance_mm: float) -> list[Message]:
    """Where the inputs leave the range in which the model was tested, in words. Nothing is clamped.

    Source
    ------
    IEEE 1584-2018, 4.2 and 4.3.
    """
    i_range, g_range = ranges(voc_kv)
    told = []
    if not i_range[0] <= ibf_ka <= i_range[1]:
        told.append(Message(f"bolted current {ibf_ka:.4g} kA is outside {i_range[0]:g} to {i_range[1]:g} kA", "bolted current # kA is outside # to # kA"))
    if not g_range[0] <= box.gap_mm <= g_range[1]:
        told.append(Message(f"gap {box.gap_mm:g} mm is outside {g_range[0]:g} to {g_range[1]:g} mm", "gap # mm is outside # to # mm"))
    if distance_mm < 305:
        told.append(Message(f"working distance {distance_mm:g} mm is below 305 mm", "working distance # mm is below # mm"))
    if box.in_box and box.width_mm < 4 * box.gap_mm:
        told.append(Message(f"box width {box.width_mm:g} mm is less than 4 times the gap", "box width # mm is less than # times the gap"))
    if box.in_box and box.height_mm * box.width_mm > 1.549e6:
        told.append(Message("opening of the box is larger than 1.549 m²", "opening of the box is larger than # m²"))
    if voc_kv <= 0.24 and ibf_ka < 2:
        line = "a sustained arc is possible but less likely at 240 V and below with less than 2 kA"
        told.append(Message(line, line.replace("240", "#").replace("2 kA", "# kA")))
    return told
