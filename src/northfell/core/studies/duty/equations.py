"""What equipment is rated for, in the terms of its standard: one function for each rule."""

import math

from northfell.core.studies.short_circuit import PARTING_CYCLES

TIME_CONSTANT_S = 0.045  # of the rated direct part
CREST_OF_IEC = {50: 2.5, 60: 2.6}  # making over breaking current, IEC 62271-100
MAKING_OF_LOW_VOLTAGE = ((4.5, 1.5), (10.0, 1.7), (20.0, 2.0), (50.0, 2.1), (math.inf, 2.2))  # breaking current up to [kA], factor; IEC 60947-2 (unverified)
TESTED_AT = {"IEEE power breaker": 6.59, "IEEE fused power breaker": 4.90, "IEEE low-voltage fuse": 4.90, "IEEE medium-voltage fuse": 15.0}  # X/R
MOULDED_CASE_TESTED_AT = ((10.0, 1.73), (20.0, 3.18), (math.inf, 4.90))  # interrupting rating up to [kA], X/R
CREST_OF_IEEE = {50: 2.5, 60: 2.6}  # close-and-latch over breaking current, IEEE C37.04
OLD_CREST, OLD_RMS = 2.7, 1.6  # of ratings with a voltage range factor, and by total current
SWITCHGEAR_TESTED_AT, BOARD_TESTED_AT = 6.59, 4.90


def rated_direct_part(dc_part_pct: float | None, t_min_s: float) -> float:
    r"""Direct part that a breaker is rated to break, of the crest of its symmetrical current: as given, or by the standard's time constant.

    .. math:: p = e^{-t/\tau}, \quad \tau = 45\,\mathrm{ms}

    Source
    ------
    IEC 62271-100, rated short-circuit breaking current.
    """
    return math.exp(-t_min_s / TIME_CONSTANT_S) if dc_part_pct is None else dc_part_pct / 100


def asymmetrical_rating_ka(i_breaking_ka: float, p: float) -> float:
    r"""Total rms current that a breaker is rated to break [kA], :math:`I_{sc} \sqrt{1 + 2 p^2}`. IEC 62271-100."""
    return i_breaking_ka * math.sqrt(1 + 2 * p**2)


def low_voltage_making_factor(i_breaking_ka: float) -> float:
    """Making over breaking capacity of a low-voltage breaker, by its breaking capacity: what its test power factor makes of it. IEC 60947-2 (unverified)."""
    return next(factor for most, factor in MAKING_OF_LOW_VOLTAGE if i_breaking_ka <= most)


def moulded_case_tested_at(i_breaking_ka: float) -> float:
    """X/R at which a moulded-case breaker is tested, by its interrupting rating."""
    return next(ratio for most, ratio in MOULDED_CASE_TESTED_AT if i_breaking_ka <= most)


def short_time_rating_ka(i_short_time_ka: float, t_rated_s: float, t_k_s: float) -> float:
    r"""Thermal equivalent current that equipment withstands for a duration [kA].

    .. math:: I_{cw} \sqrt{t_{cw}/T_k} \quad (T_k > t_{cw}), \qquad I_{cw} \quad \mathrm{otherwise}

    Source
    ------
    IEC 60865-1, thermal effect on equipment; IEC 62271-1.
    """
    return i_short_time_ka * math.sqrt(min(t_rated_s / t_k_s, 1.0))


def capability_at_voltage_ka(i_rated_ka: float, v_max_kv: float | None, v_kv: float, k_factor: float) -> float:
    r"""Symmetrical interrupting capability at the operating voltage [kA], :math:`\min(I\,U_{max}/U,\; K I)`. IEEE C37.04, C37.06."""
    return min(i_rated_ka * max((v_max_kv or v_kv) / v_kv, 1.0), k_factor * i_rated_ka)


def parting_cycles(t_break_s: float, f_hz: float) -> float:
    """Contact parting time [cycles] of a breaker by its rated interrupting time: the next faster class, which is the more severe."""
    cycles = t_break_s * f_hz
    return PARTING_CYCLES[max((c for c in PARTING_CYCLES if c <= cycles + 0.25), default=2)]


K_OF_CABLES = {  # A·√s/mm²; IEC 60364-4-43, Table 43A
    ("copper", "PVC"): (115.0, 103.0), ("copper", "XLPE"): (143.0, 143.0), ("copper", "EPR"): (143.0, 143.0),
    ("aluminium", "PVC"): (76.0, 68.0), ("aluminium", "XLPE"): (94.0, 94.0), ("aluminium", "EPR"): (94.0, 94.0),
}  # fmt: skip


def k_of_cable(conductor: str, insulation: str, area_mm2: float) -> float:
    """Factor k of a conductor within a cable [A·√s/mm²], from its operating temperature. IEC 60364-4-43, Table 43A."""
    up_to_300, above = K_OF_CABLES[conductor, insulation]
    return up_to_300 if area_mm2 <= 300 else above


def cable_one_second_ka(conductor: str | None, insulation: str | None, area_mm2: float | None) -> float | None:
    r"""Short-time current of one cable for one second [kA], :math:`k S`; PVC above 300 mm² by its lower k. IEC 60364-4-43."""
    if conductor is None or insulation is None or area_mm2 is None:
        return None
    return k_of_cable(conductor, insulation, area_mm2) * area_mm2 / 1000
