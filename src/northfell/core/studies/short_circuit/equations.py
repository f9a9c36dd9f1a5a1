"""One function per equation of IEC 60909-0:2016: numbers or arrays in, the same out. Sub-clause numbers are left out where not verified."""

import numpy as np
from numpy.typing import ArrayLike, NDArray

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]


def voltage_factor(un_kv: ArrayLike, case: str, lv_tolerance_pct: int) -> Floats:
    """Voltage factor c of a nominal voltage.

    Parameters
    ----------
    un_kv : array_like
        Nominal voltage [kV].
    case : str
        "max" or "min".
    lv_tolerance_pct : int
        Voltage tolerance of low-voltage networks, 6 or 10 [%].

    Source
    ------
    IEC 60909-0:2016, Table 1.
    """
    low, high = ({6: 1.05, 10: 1.10}[lv_tolerance_pct], 1.10) if case == "max" else ({6: 0.95, 10: 0.90}[lv_tolerance_pct], 1.00)
    return np.where(np.asarray(un_kv, float) <= 1.0, low, high)


def transformer_correction(c_max: ArrayLike, x_t: ArrayLike) -> Floats:
    r"""Impedance correction factor of a two-winding network transformer.

    .. math:: K_T = 0.95\, \frac{c_\mathrm{max}}{1 + 0.6\, x_T}

    Parameters
    ----------
    c_max : array_like
        Of the network on the low-voltage side.
    x_t : array_like
        Reactance on the transformer's own rating [p.u.].

    Source
    ------
    IEC 60909-0:2016, correction factor for network transformers.
    """
    return 0.95 * np.asarray(c_max) / (1 + 0.6 * np.asarray(x_t))


def generator_correction(un_kv: ArrayLike, ur_kv: ArrayLike, c_max: ArrayLike, xd2: ArrayLike, sin_phi: ArrayLike) -> Floats:
    r"""Impedance correction factor of a generator without unit transformer.

    .. math:: K_G = \frac{U_n}{U_{rG}} \cdot \frac{c_\mathrm{max}}{1 + x''_d \sin\varphi_{rG}}

    Parameters
    ----------
    un_kv, ur_kv : array_like
        Nominal voltage of the network and rated voltage of the generator [kV].
    c_max : array_like
        Voltage factor of that network.
    xd2 : array_like
        Subtransient reactance [p.u.].
    sin_phi : array_like
        Of the rated power factor.

    Source
    ------
    IEC 60909-0:2016, correction factor for synchronous generators.
    """
    return np.asarray(un_kv, float) / np.asarray(ur_kv, float) * np.asarray(c_max, float) / (1 + np.asarray(xd2, float) * np.asarray(sin_phi, float))


def generator_fictitious_resistance(xd2_ohm: ArrayLike, ur_kv: ArrayLike, sr_mva: ArrayLike) -> Floats:
    """Resistance of a generator for the peak current only: 0.05, 0.07 or 0.15 of X''d by voltage and size.

    Source
    ------
    IEC 60909-0:2016, fictitious resistance of synchronous machines.
    """
    low, large = np.asarray(ur_kv) <= 1.0, np.asarray(sr_mva) >= 100
    return np.where(low, 0.15, np.where(large, 0.05, 0.07)) * np.asarray(xd2_ohm, float)


def motor_impedance(ur_kv: ArrayLike, sr_mva: ArrayLike, ilr_over_ir: ArrayLike, r_over_x: ArrayLike) -> Complexes:
    r"""Impedance of an asynchronous motor.

    .. math:: Z_M = \frac{1}{I_{LR}/I_{rM}} \cdot \frac{U_{rM}^2}{S_{rM}}, \quad X_M = \frac{Z_M}{\sqrt{1 + (R_M/X_M)^2}}

    Returns
    -------
    ndarray of complex [ohm]

    Source
    ------
    IEC 60909-0:2016, asynchronous motors.
    """
    z = np.asarray(ur_kv) ** 2 / np.asarray(sr_mva) / np.asarray(ilr_over_ir)
    x = z / np.sqrt(1 + np.asarray(r_over_x) ** 2)
    return np.asarray(r_over_x, float) * x + 1j * x


def initial_current_ka(c: ArrayLike, un_kv: ArrayLike, z1_ohm: ArrayLike) -> Floats:
    r"""Initial symmetrical three-phase short-circuit current.

    .. math:: I''_k = \frac{c\, U_n}{\sqrt3\, |Z_1|}

    Returns
    -------
    ndarray [kA]

    Source
    ------
    IEC 60909-0:2016, three-phase short circuit.
    """
    return np.asarray(c, float) * np.asarray(un_kv, float) / (np.sqrt(3) * np.abs(z1_ohm))


def r_over_x_equivalent(zc: ArrayLike, fc_over_f: float) -> Floats:
    r"""R/X at the fault point from the network computed at the equivalent frequency.

    .. math:: \frac{R}{X} = \frac{R_c}{X_c} \cdot \frac{f_c}{f}

    Parameters
    ----------
    zc : array_like of complex
        Impedance at the fault with every reactance times fc/f.
    fc_over_f : float
        0.4 for the peak current (20 Hz of 50 Hz, 24 Hz of 60 Hz).

    Source
    ------
    IEC 60909-0:2016, peak current, method (c).
    """
    zc = np.asarray(zc)
    return zc.real / zc.imag * fc_over_f


def peak_factor(r_over_x: ArrayLike) -> Floats:
    r"""Factor of the peak current.

    .. math:: \kappa = 1.02 + 0.98\, e^{-3 R/X}

    Source
    ------
    IEC 60909-0:2016, peak current.
    """
    return 1.02 + 0.98 * np.exp(-3 * np.asarray(r_over_x, float))


def peak_current_ka(kappa: ArrayLike, ik_ka: ArrayLike) -> Floats:
    r"""Peak short-circuit current [kA].

    .. math:: i_p = \kappa \sqrt2\, I''_k

    Source
    ------
    IEC 60909-0:2016, peak current.
    """
    return np.asarray(kappa, float) * np.sqrt(2) * np.asarray(ik_ka, float)


def converter_share(z_kj: ArrayLike, z_kk: ArrayLike, i_source: ArrayLike) -> Floats:
    r"""What full-converter units, as current sources, add to the fault current at a bus k.

    .. math:: \frac{1}{Z_{kk}} \sum_j Z_{kj}\, I_{skPFj}

    The parts are added by magnitude, in phase with the rest of the fault current: the highest sum.

    Parameters
    ----------
    z_kj : array_like of complex, shape (bus, unit)
        Transfer impedance from each unit to the faulted bus.
    z_kk : array_like of complex, shape (bus,)
    i_source : array_like, shape (unit,)
        Current of each unit.

    Returns
    -------
    ndarray, shape (bus, unit), in the unit of `i_source`.

    Source
    ------
    IEC 60909-0:2016, wind and photovoltaic units with full-size converter.
    """
    return np.abs(np.asarray(z_kj, complex) / np.asarray(z_kk, complex)[..., None]) * np.asarray(i_source, float)
