"""What equipment withstands and what it must be left to carry, as times over current: currents in multiples or ampere, times in second."""

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

Floats = NDArray[np.float64]
THERMAL_CONSTANT = 1250.0  # I²t of a transformer, in multiples of its rated current
THERMAL_POINTS = ((2.0, 1800.0), (3.0, 300.0), (4.75, 60.0), (5.0, 50.0))  # below it; C57.109
DRY_FROM = 3.5  # from which the law holds of a dry transformer
CATEGORIES_KVA = ((500.0, "I"), (5000.0, "II"), (30000.0, "III"), (math.inf, "IV"))
MECHANICAL_FROM = {"II": 0.7, "III": 0.5, "IV": 0.5}  # of the greatest through-current
ADIABATIC_TO_S = 5.0
STATOR_K, STATOR_FROM_S, STATOR_TO_S = 37.5, 10.0, 120.0


def category_of(s_rated_kva: float) -> str:
    """Category of a three-phase transformer by its rated power [kVA] (IEEE C57.109)."""
    return next(name for most, name in CATEGORIES_KVA if s_rated_kva <= most)


def through_fault_s(multiple: ArrayLike, z_pu: float, s_rated_kva: float, frequent: bool = True, dry: bool = False) -> Floats:
    r"""How long a transformer withstands a through-fault.

    .. math:: t_\mathrm{thermal} = \frac{1250}{m^2}, \qquad t_\mathrm{mechanical} = \frac{2}{z^2 m^2}

    Liquid-filled: thermal from five times the rated current on, below it by the standard's points. The mechanical limit, 2 s at the greatest
    through-current 1/z, counts from 0.7 (category II) or 0.5 (III, IV) of that current on, where through-faults are frequent; in category IV always.

    Parameters
    ----------
    multiple : array_like
        Current over the rated current (of natural cooling).
    z_pu : float
        Impedance of the transformer, of categories III and IV with that of the network before it, per unit on its own rating.
    s_rated_kva : float
        Rated power [kVA], by which its category goes.
    frequent : bool
        Whether the mechanical limit counts.
    dry : bool
        Dry type: the thermal law from 3.5 times the rated current on (unverified).

    Returns
    -------
    array
        Time [s]; infinite below twice the rated current, where no limit is given.

    Source
    ------
    IEEE C57.109; IEEE C57.12.59 for the dry type.
    """
    m = np.asarray(multiple, float)
    i, t = np.log([p[0] for p in THERMAL_POINTS]), np.log([p[1] for p in THERMAL_POINTS])
    with np.errstate(divide="ignore", invalid="ignore"):
        law = THERMAL_CONSTANT / m**2
        if dry:
            thermal = np.where(m >= DRY_FROM, law, np.inf)
        else:
            thermal = np.where(m >= THERMAL_POINTS[-1][0], law, np.where(m >= THERMAL_POINTS[0][0], np.exp(np.interp(np.log(m), i, t)), np.inf))
        category = category_of(s_rated_kva)
        if category == "I" or not (frequent or category == "IV"):
            return np.asarray(thermal)
        mechanical = np.where(m >= MECHANICAL_FROM[category] / z_pu * (1 - 1e-12), 2 / z_pu**2 / m**2, np.inf)
    return np.minimum(thermal, mechanical)


def conductor_s(i_ka: ArrayLike, one_second_ka: float) -> Floats:
    r"""How long a conductor withstands a current: :math:`t = (I_{1\,s}/I)^2`, up to 5 s, beyond which heat is given off. IEC 60364-4-43."""
    i = np.asarray(i_ka, float)
    with np.errstate(divide="ignore"):
        t = (one_second_ka / i) ** 2
    return np.where(t <= ADIABATIC_TO_S, t, np.inf)


def stator_s(multiple: ArrayLike) -> Floats:
    r"""How long the stator of a generator withstands an overcurrent: :math:`t = 37.5 / (m^2 - 1)`, from 10 to 120 s; infinite elsewhere.

    Source
    ------
    IEEE C50.13-2005, armature short-time.
    """
    m = np.asarray(multiple, float)
    with np.errstate(divide="ignore"):
        t = STATOR_K / np.maximum(m**2 - 1, 0.0)
    return np.where((t >= STATOR_FROM_S * (1 - 1e-9)) & (t <= STATOR_TO_S * (1 + 1e-9)), t, np.inf)
