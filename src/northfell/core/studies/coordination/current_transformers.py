"""How far current transformers stay true: their accuracy limit at the burden that they have, and when the direct part of a fault saturates them."""

import math
import re
from dataclasses import dataclass

from northfell.core.model.elements import CurrentTransformer
from northfell.core.quantities import figure as f

IEC_61869, C57_13 = "IEC 61869-2, accuracy limit factor", "IEEE C57.13, C class"
C_MULTIPLE, C_SECONDARY_A = 20.0, 5.0  # a C class is told at 20 times 5 A


@dataclass(frozen=True)
class AccuracyLimit:
    """Up to which multiple of its rated current a transformer is accurate."""

    multiple: float
    told: str
    source: str


def accuracy_limit(ct: CurrentTransformer) -> AccuracyLimit | None:
    r"""The accuracy limit at the connected burden, where that is known, else at the rated one; None where its class does not tell.

    .. math:: n' = n \frac{R_{ct} + R_{b,rated}}{R_{ct} + R_b}, \qquad n' = 20\,\frac{V_C / 100\,\Omega}{R_b}

    for protection classes of IEC 61869-2, whose winding resistance must be known, and for C classes, which are told by the voltage at the
    terminals at 20 times 5 A.
    """
    name = ct.accuracy_class.replace(" ", "").upper()
    if found := re.fullmatch(r"(?:5|10)PR?(\d{1,3})", name):
        return _by_rated_burden(ct, float(found[1]))
    if (found := re.fullmatch(r"C(\d{2,3})", name)) and ct.i_secondary_a == C_SECONDARY_A:
        standard = float(found[1]) / (C_MULTIPLE * C_SECONDARY_A)
        if ct.burden_ohm is None:
            return AccuracyLimit(C_MULTIPLE, f"{name} at its standard burden of {f(standard)} Ω", C57_13)
        return AccuracyLimit(C_MULTIPLE * standard / ct.burden_ohm, f"{name}: 20·{f(standard)}/{f(ct.burden_ohm)} Ω", C57_13)
    return None


def _by_rated_burden(ct: CurrentTransformer, rated: float) -> AccuracyLimit:
    if ct.burden_ohm is None or ct.burden_va is None or ct.r_ct_ohm is None:
        lacks = "" if ct.burden_ohm is None else "; the connected burden counts with rated burden and winding resistance"
        return AccuracyLimit(rated, f"{f(rated)} at rated burden{lacks}", IEC_61869)
    r_rated = ct.burden_va / ct.i_secondary_a**2
    told = f"{f(rated)}·({f(ct.r_ct_ohm)} + {f(r_rated)})/({f(ct.r_ct_ohm)} + {f(ct.burden_ohm)}) Ω"
    return AccuracyLimit(rated * (ct.r_ct_ohm + r_rated) / (ct.r_ct_ohm + ct.burden_ohm), told, IEC_61869)


def saturates_after_s(k_s: float, x_over_r: float, frequency_hz: float) -> float:
    r"""When a fully offset fault saturates a transformer [s]; infinite for never, 0 where the symmetrical part alone does.

    .. math:: t_s = -T_1 \ln\left(1 - \frac{K_s - 1}{\omega T_1}\right), \qquad T_1 = \frac{X/R}{\omega}

    Parameters
    ----------
    k_s : float
        Greatest undistorted over symmetrical current.
    x_over_r : float
        Of the fault.

    Source
    ------
    IEEE C37.110; burden of resistance, without remanence.
    """
    if k_s <= 1:
        return 0.0
    if k_s >= 1 + x_over_r:
        return math.inf
    t_1 = x_over_r / (2 * math.pi * frequency_hz)
    return -t_1 * math.log(1 - (k_s - 1) / x_over_r)
