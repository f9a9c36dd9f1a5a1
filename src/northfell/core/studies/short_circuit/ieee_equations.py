"""One function per equation of North-American practice: multipliers, asymmetry factors, duty factors. Clause numbers are left out where not verified."""

import numpy as np
from numpy.typing import ArrayLike

from northfell.core.studies.short_circuit.equations import Floats

SOURCE = "IEEE C37.010, IEEE 551"
LV_SOURCE = "IEEE C37.13"
HP_KW = 0.745699872


def rms_factor(x_over_r: ArrayLike, cycles: float = 0.5) -> Floats:
    r"""Total over symmetrical rms current at a time.

    .. math:: F = \sqrt{1 + 2\, e^{-4\pi t/(X/R)}}

    Source
    ------
    IEEE 551, IEEE C37.010.
    """
    return np.asarray(np.sqrt(1 + 2 * np.exp(-4 * np.pi * cycles / np.asarray(x_over_r, float))))


def crest_factor(x_over_r: ArrayLike) -> Floats:
    r"""Crest at half a cycle over symmetrical rms current.

    .. math:: F = \sqrt2\,(1 + e^{-\pi/(X/R)})

    Source
    ------
    IEEE C37.010, IEEE C37.13.
    """
    return np.asarray(np.sqrt(2) * (1 + np.exp(-np.pi / np.asarray(x_over_r, float))))


def crest_multiplier(x_over_r: ArrayLike, tested_at: float) -> Floats:
    r"""Factor of the symmetrical current for an unfused low-voltage breaker, by crest.

    .. math:: MF = \frac{1 + e^{-\pi/(X/R)}}{1 + e^{-\pi/(X/R)_\mathrm{test}}} \ge 1

    Source
    ------
    IEEE C37.13; the same for moulded-case breakers.
    """
    return np.maximum(crest_factor(x_over_r) / crest_factor(tested_at), 1.0)


def rms_multiplier(x_over_r: ArrayLike, tested_at: float) -> Floats:
    r"""Factor of the symmetrical current for fuses and fused breakers, by total rms.

    .. math:: MF = \frac{\sqrt{1 + 2 e^{-2\pi/(X/R)}}}{\sqrt{1 + 2 e^{-2\pi/(X/R)_\mathrm{test}}}} \ge 1

    Source
    ------
    IEEE C37.13; fuse standards.
    """
    return np.maximum(rms_factor(x_over_r) / rms_factor(tested_at), 1.0)


ASYMMETRY_BUILT_IN = {4.0: 1.0, 3.0: 1.1, 2.0: 1.2, 1.5: 1.3}  # by contact parting time in cycles
PARTING_CYCLES = {8: 4.0, 5: 3.0, 3: 2.0, 2: 1.5}  # by rated interrupting time in cycles


def remote_multiplier(x_over_r: ArrayLike, parting_cycles: float) -> Floats:
    r"""Factor of the interrupting current of a breaker rated by symmetrical current, all sources remote.

    .. math:: MF = \sqrt{1 + 2\, e^{-4\pi C/(X/R)}}\,/\,S \ge 1

    with S the asymmetry that its rating includes.

    Source
    ------
    IEEE C37.010.
    """
    return np.maximum(rms_factor(x_over_r, parting_cycles) / ASYMMETRY_BUILT_IN[parting_cycles], 1.0)


def induction_multiplier(kw: float, pole_pairs: int, instant: str) -> float:
    """Multiplier of the reactance of an induction motor; infinite where it is left out.

    Above 1000 hp at 1800 r/min (60 Hz) or less and above 250 hp at 3600 r/min: 1.0 and 1.5; others from 50 hp: 1.2 and 3.0; smaller: 1.67 and left out,
    in the first cycle and in the interrupting network; all are left out after 30 cycles.

    Source
    ------
    IEEE C37.010; below 50 hp IEEE 551.
    """
    hp = kw / HP_KW
    if instant == "30-cycle":
        return np.inf
    if (hp > 1000 and pole_pairs >= 2) or (hp > 250 and pole_pairs == 1):
        return 1.0 if instant == "first-cycle" else 1.5
    if hp >= 50:
        return 1.2 if instant == "first-cycle" else 3.0
    return 1.67 if instant == "first-cycle" else np.inf


def size_class(kw: float) -> str:
    """In words: the size class of an induction motor."""
    hp = kw / HP_KW
    return "below 50 hp" if hp < 50 else "50 to 1000 hp" if hp <= 1000 else "above 1000 hp"
