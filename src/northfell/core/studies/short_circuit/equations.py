"""One function per equation of IEC 60909-0:2016: numbers or arrays in, the same out. Sub-clause numbers are left out where not verified."""

import math

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


def unit_correction(
    unq_kv: float, urg_kv: float, ratio: float, c_max: float, xd2: float, xt: float, sin_phi: float, on_load: bool, p_g: float = 0.0, p_t: float = 0.0
) -> float:
    r"""Correction factor of a power station unit, of generator and unit transformer together.

    .. math::
        K_S = \frac{U_{nQ}^2}{U_{rG}^2} \frac{1}{t_r^2} \frac{c_\mathrm{max}}{1 + |x''_d - x_T| \sin\varphi}, \qquad
        K_{SO} = \frac{U_{nQ}}{U_{rG}(1 + p_G)} \frac{1 - p_T}{t_r} \frac{c_\mathrm{max}}{1 + x''_d \sin\varphi}

    Parameters
    ----------
    unq_kv, urg_kv : float
        Nominal voltage of the network at the high side; rated voltage of the generator [kV].
    ratio : float
        Rated ratio of the transformer, high over low side.
    c_max : float
        Voltage factor of that network.
    xd2, xt : float
        Reactances of generator and transformer, each on its rating [p.u.].
    sin_phi : float
        Of the rated power factor.
    on_load : bool
        Whether the transformer has an on-load tap changer: KS; else KSO.
    p_g, p_t : float
        Permanent range of the generator's voltage, and tap in permanent use [p.u.]; without on-load tap changer.

    Source
    ------
    IEC 60909-0:2016, power station units.
    """
    if on_load:
        return (unq_kv / urg_kv / ratio) ** 2 * c_max / (1 + abs(xd2 - xt) * sin_phi)
    return unq_kv / (urg_kv * (1 + p_g)) / ratio * (1 - p_t) * c_max / (1 + xd2 * sin_phi)


def inside_unit_corrections(c_max: float, xd2: float, xt: float, sin_phi: float, on_load: bool, p_g: float = 0.0) -> tuple[float, float]:
    r"""Factors of generator and unit transformer for a fault between them.

    .. math:: K_{G,S} = \frac{c_\mathrm{max}}{1 + x''_d \sin\varphi}, \quad K_{T,S} = \frac{c_\mathrm{max}}{1 - x_T \sin\varphi}

    and both over :math:`1 + p_G` without on-load tap changer.

    Source
    ------
    IEC 60909-0:2016, short circuits inside a power station unit.
    """
    less = 1.0 if on_load else 1 / (1 + p_g)
    return less * c_max / (1 + xd2 * sin_phi), less * c_max / (1 - xt * sin_phi)


_MU = ((0.02, 0.84, 0.26, 0.26), (0.05, 0.71, 0.51, 0.30), (0.10, 0.62, 0.72, 0.32), (0.25, 0.56, 0.94, 0.38))
_Q = ((0.02, 1.03), (0.05, 0.79), (0.10, 0.57), (0.25, 0.26))


def machine_decay(i_over_ir: ArrayLike, t_min_s: float) -> Floats:
    r"""Decay of the alternating current of a synchronous or asynchronous machine until the contacts part.

    .. math:: \mu = a + b\, e^{-d\, I''_k/I_r}

    with constants at 0.02, 0.05, 0.10 and 0.25 s, linearly between; 1 up to 2 times the rated current, and never above 1.

    Source
    ------
    IEC 60909-0:2016, symmetrical breaking current.
    """
    r = np.asarray(i_over_ir, float)
    at = np.stack([a + b * np.exp(-d * r) for _, a, b, d in _MU])
    return np.where(r <= 2, 1.0, np.minimum(_between(at, [t for t, *_ in _MU], t_min_s), 1.0))


def motor_decay(mw_per_pole_pair: ArrayLike, t_min_s: float) -> Floats:
    r"""Further decay of an asynchronous motor.

    .. math:: q = a + 0.12 \ln m

    with m the rated active power in MW for each pair of poles; constants as for the other decay; between 0 and 1.

    Source
    ------
    IEC 60909-0:2016, symmetrical breaking current, asynchronous motors.
    """
    m = np.asarray(mw_per_pole_pair, float)
    at = np.stack([a + 0.12 * np.log(m) for _, a in _Q])
    return np.asarray(np.clip(_between(at, [t for t, _ in _Q], t_min_s), 0.0, 1.0))


def _between(values: Floats, times: list[float], t: float) -> Floats:
    """Linearly between the values at some times, held beyond them."""
    k = int(np.clip(np.searchsorted(times, t) - 1, 0, len(times) - 2))
    part = float(np.clip((t - times[k]) / (times[k + 1] - times[k]), 0.0, 1.0))
    return np.asarray(values[k] * (1 - part) + values[k + 1] * part)


def equivalent_frequency(f_hz: float, t_s: float) -> float:
    """fc/f at which the network's ratio R/X is found for the direct-current part at a time: 0.27, 0.15, 0.092, 0.055 for f·t below 1, 2.5, 5 and beyond.

    Source
    ------
    IEC 60909-0:2016, direct-current component in meshed networks. Beyond f·t = 12.5 the last is held, the slowest decay.
    """
    ft = f_hz * t_s
    return 0.27 if ft < 1 else 0.15 if ft < 2.5 else 0.092 if ft < 5 else 0.055


def direct_current_ka(ik_ka: ArrayLike, f_hz: float, t_s: float, r_over_x: ArrayLike) -> Floats:
    r"""Direct-current part of a short-circuit current at a time [kA].

    .. math:: i_{dc} = \sqrt2\, I''_k\, e^{-2\pi f t R/X}

    Source
    ------
    IEC 60909-0:2016, direct-current component.
    """
    return np.sqrt(2) * np.asarray(ik_ka, float) * np.exp(-2 * np.pi * f_hz * t_s * np.asarray(r_over_x, float))


def asymmetrical_ka(ib_ka: ArrayLike, i_dc_ka: ArrayLike) -> Floats:
    r"""Asymmetrical breaking current [kA], :math:`\sqrt{I_b^2 + i_{dc}^2}`. IEC 60909-0:2016."""
    return np.hypot(np.asarray(ib_ka, float), np.asarray(i_dc_ka, float))


def steady_state_factors(xd: float, xd2: float, i_over_ir: ArrayLike, c: float, sin_phi: float, field_ceiling: float) -> tuple[Floats, Floats]:
    r"""Steady-state current of a synchronous machine with the highest and with no-load excitation, of its rated current.

    .. math::
        \lambda_\mathrm{max} = \frac{u_{f}\, E_r}{x_d + x_e}, \quad \lambda_\mathrm{min} = \frac{c}{x_d + x_e}, \quad
        E_r = \sqrt{(1 + x_d \sin\varphi)^2 + (x_d \cos\varphi)^2}, \quad x_e = \max(0,\; c/r - x''_d)

    neither above the initial current r. The standard gives curves for these; this is the machine's own equation with its saturated reactance.

    Parameters
    ----------
    xd, xd2 : float
        Saturated synchronous and subtransient reactance [p.u.].
    i_over_ir : array_like
        Initial current of the machine over its rated one.
    c : float
        Driving voltage [p.u.].
    sin_phi : float
        Of the rated power factor.
    field_ceiling : float
        Highest excitation voltage of that at rated load.

    Source
    ------
    IEC 60909-0:2016, steady-state short-circuit current (curves, here by equation; unverified against them).
    """
    r = np.asarray(i_over_ir, float)
    with np.errstate(divide="ignore"):
        xe = np.maximum(0.0, np.where(r > 0, c / r, np.inf) - xd2)
    e_r = math.hypot(1 + xd * sin_phi, xd * math.sqrt(1 - sin_phi**2))
    return np.minimum(field_ceiling * e_r / (xd + xe), r), np.minimum(c / (xd + xe), r)


def heat_of_direct_part(kappa: ArrayLike, f_hz: float, t_k_s: float) -> Floats:
    r"""Heat of the direct-current part.

    .. math:: m = \frac{1}{2 f T_k \ln(\kappa - 1)} \left(e^{4 f T_k \ln(\kappa - 1)} - 1\right)

    Source
    ------
    IEC 60909-0:2016, Joule integral.
    """
    ln = np.log(np.clip(np.asarray(kappa, float) - 1, 1e-12, 1 - 1e-12))
    return (np.exp(4 * f_hz * t_k_s * ln) - 1) / (2 * f_hz * t_k_s * ln)


def heat_of_alternating_part(ik_over_steady: ArrayLike, t_k_s: float) -> Floats:
    r"""Heat of the decaying alternating part; 1 where the current does not decay.

    With :math:`A = I''_k/I_k`, :math:`B = A/(0.88 + 0.17 A)`, :math:`T = 3.1\,\mathrm{s}/B`, the mean square of
    :math:`1 + (B-1) e^{-t/T} + (A-B) e^{-10 t/T}` over :math:`A^2`.

    Source
    ------
    IEC 60909-0:2016, Joule integral.
    """
    a = np.asarray(ik_over_steady, float)
    b = a / (0.88 + 0.17 * a)
    t, tk = 3.1 / b, t_k_s
    total = (
        1 + t / (20 * tk) * (1 - np.exp(-20 * tk / t)) * (a - b) ** 2 + t / (2 * tk) * (1 - np.exp(-2 * tk / t)) * (b - 1) ** 2
        + t / (5 * tk) * (1 - np.exp(-10 * tk / t)) * (a - b) + 2 * t / tk * (1 - np.exp(-tk / t)) * (b - 1)
        + t / (5.5 * tk) * (1 - np.exp(-11 * tk / t)) * (a - b) * (b - 1)
    )  # fmt: skip
    return np.where(a <= 1, 1.0, total / a**2)


def thermal_current_ka(ik_ka: ArrayLike, m: ArrayLike, n: ArrayLike) -> Floats:
    r"""Thermal equivalent current [kA], :math:`I_{th} = I''_k \sqrt{m + n}`. IEC 60909-0:2016, Joule integral."""
    return np.asarray(ik_ka, float) * np.sqrt(np.asarray(m, float) + np.asarray(n, float))


def sequence_currents(
    fault: str, e1: ArrayLike, e2: ArrayLike, z1: ArrayLike, z2: ArrayLike, z0: ArrayLike, zf: ArrayLike = 0j, ze: ArrayLike = 0j
) -> Complexes:
    r"""Currents of the sequences at a fault, of phase a.

    A line-to-earth fault is in phase a, faults of two lines in b and c. With :math:`V_i = E_i - Z_i I_i`:

    ==== =========================================================================================================
    3ph  :math:`I_1 = E_1/(Z_1 + Z_f)`
    lg   :math:`I_1 = I_2 = I_0 = (E_1 + E_2)/(Z_1 + Z_2 + Z_0 + 3 Z_f)`
    ll   :math:`I_1 = -I_2 = (E_1 - E_2)/(Z_1 + Z_2 + Z_f)`
    llg  :math:`V = (E_1/Z'_1 + E_2/Z'_2)/(1/Z'_1 + 1/Z'_2 + 1/Z'_0)`, :math:`I_i = (E_i - V)/Z'_i`, :math:`Z'_0 = Z_0 + Z_f + 3 Z_e`
    ==== =========================================================================================================

    Parameters
    ----------
    fault : str
        "3ph", "lg", "ll" or "llg".
    e1, e2 : array_like of complex, shape (place,)
        Voltages before the fault [p.u.].
    z1, z2, z0 : array_like of complex, shape (place,)
        Impedances of the sequences at the fault [p.u.].
    zf : complex or array
        In each faulted line; of a line-to-earth fault between line and earth; of two lines between them [p.u.].
    ze : complex or array
        From the joined lines to earth, llg [p.u.].

    Returns
    -------
    ndarray of complex, shape (place, 3)
        Sequences 1, 2, 0.

    Source
    ------
    IEC 60909-0:2016, unbalanced short circuits; symmetrical components.
    """
    e1, e2, z1, z2, z0, zf, ze = (np.asarray(v, complex) for v in (e1, e2, z1, z2, z0, zf, ze))
    none = np.zeros(np.broadcast(e1, z1).shape, complex)
    if fault == "3ph":
        return np.stack([e1 / (z1 + zf), none, none], axis=-1)
    if fault == "lg":
        i = (e1 + e2) / (z1 + z2 + z0 + 3 * zf)
        return np.stack([i, i, i], axis=-1)
    if fault == "ll":
        i = (e1 - e2) / (z1 + z2 + zf)
        return np.stack([i, -i, none], axis=-1)
    a, b, c = z1 + zf, z2 + zf, z0 + zf + 3 * ze
    v = (e1 / a + e2 / b) / (1 / a + 1 / b + 1 / c)
    return np.stack([(e1 - v) / a, (e2 - v) / b, -v / c], axis=-1)
