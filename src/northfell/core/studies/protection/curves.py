"""Time-current characteristics. Currents in ampere, times in second; infinity means that the device never operates."""

import numpy as np
from numpy.typing import ArrayLike, NDArray

from northfell.core.catalogue.tables import GgGates, RelayCurve

Floats = NDArray[np.float64]

# Electronic trips: generic bands, unverified defaults; each device's own settings stand on its card.
LONG_TIME_STARTS = (1.05, 1.20)  # x Ir, fast and slow edge
LONG_TIME_TOLERANCE = (-0.20, 0.0)
PICKUP_TOLERANCE = 0.10  # of short-time and instantaneous pickup
SHORT_TIME_BANDS_S = {"0.1": (0.05, 0.14), "0.2": (0.14, 0.20), "0.3": (0.23, 0.32), "0.4": (0.35, 0.50)}
INSTANTANEOUS_S = 0.05


def relay_time_s(curve: RelayCurve, m: ArrayLike, time_multiplier: ArrayLike, m_start: float = 1.0, m_hold: float = np.inf) -> Floats:
    r"""Operating time of an inverse-time overcurrent relay.

    .. math:: t = T_M \left(\frac{k}{M^\alpha - 1} + c\right)

    Parameters
    ----------
    curve : RelayCurve
        Constants k, c, alpha.
    m : array_like
        Current over pickup.
    time_multiplier : array_like
        TM.
    m_start : float
        Below this multiple (and at 1 or below) the relay never operates.
    m_hold : float
        Above this multiple the time no longer falls.

    Source
    ------
    IEC 60255-151; IEEE C37.112.

    Examples
    --------
    >>> from northfell.core.catalogue.tables import relay_curves
    >>> float(relay_time_s(relay_curves()["IEC_VI"], 10.0, 1.0).round(2))
    1.5
    """
    m = np.asarray(m, float)
    effective = np.minimum(m, m_hold)
    with np.errstate(divide="ignore", invalid="ignore"):
        t = np.asarray(time_multiplier) * (curve.k / (effective**curve.alpha - 1) + curve.c)
    return np.where((m > 1) & (m >= m_start), t, np.inf)


def gg_operating_time_s(gates: GgGates, i_a: ArrayLike, edge: str = "slow") -> Floats:
    """Time of a gG fuse-link: slow edge (has operated for certain) or fast edge (has not melted yet).

    Straight lines in log-log through the gates of the standard; constant I²t below 0.01 s. Below the conventional current the
    slow edge never operates.

    Parameters
    ----------
    gates : GgGates
        Of the size.
    i_a : array_like
        Prospective current [A].
    edge : str
        "slow" or "fast".

    Source
    ------
    IEC 60269-1, gates of gG fuse-links and conventional currents.
    """
    if edge == "slow":
        points = [(gates.fusing_x * gates.i_rated_a, gates.conventional_time_s), (gates.i_max_5s_a, 5.0), (gates.i_max_01s_a, 0.1)]
        i2t = gates.i2t_max_a2s
    else:
        points = [(gates.nonfusing_x * gates.i_rated_a, gates.conventional_time_s), (gates.i_min_10s_a, 10.0), (gates.i_min_01s_a, 0.1)]
        i2t = gates.i2t_min_a2s
    points.append((float(np.sqrt(i2t / 0.01)), 0.01))
    i = np.asarray(i_a, float)
    log_i, log_t = np.log10([p[0] for p in points]), np.log10([p[1] for p in points])
    with np.errstate(divide="ignore", invalid="ignore"):
        t = 10 ** np.interp(np.log10(i), log_i, log_t)
        t = np.where(i > points[-1][0], i2t / i**2, t)
    return np.where(i >= points[0][0], t, np.inf)


def trip_time_s(i_a: ArrayLike, ir_a: float, tr_s: float, isd_a: float | None, tsd: str | None, ii_a: float | None, edge: str = "slow") -> Floats:
    r"""Clearing time of a low-voltage breaker with an electronic trip: the fastest of its stages.

    .. math:: t_\mathrm{long} = t_r\,\frac{36}{(I/I_r)^2}

    The bands include the breaker's own time.

    Parameters
    ----------
    i_a : array_like
        Current [A].
    ir_a, tr_s : float
        Long-time pickup [A], and its delay at 6 times that [s].
    isd_a, tsd
        Short-time pickup [A] and band, or None.
    ii_a
        Instantaneous pickup [A], or None.
    edge : str
        "slow" or "fast".

    Source
    ------
    Generic trip bands of the catalogue (unverified defaults).
    """
    i = np.asarray(i_a, float)
    slow = edge == "slow"
    with np.errstate(divide="ignore"):
        t = tr_s * 36 / (i / ir_a) ** 2 * (1 + LONG_TIME_TOLERANCE[1 if slow else 0])
    t = np.where(i >= ir_a * LONG_TIME_STARTS[1 if slow else 0], t, np.inf)
    pickup = 1 + PICKUP_TOLERANCE if slow else 1 - PICKUP_TOLERANCE
    if isd_a is not None and tsd is not None:
        t = np.where(i >= isd_a * pickup, np.minimum(t, SHORT_TIME_BANDS_S[tsd][1 if slow else 0]), t)
    if ii_a is not None:
        t = np.where(i >= ii_a * pickup, np.minimum(t, INSTANTANEOUS_S if slow else 0.02), t)
    # a long-time law that runs below the mechanism's time is held there
    return np.maximum(t, INSTANTANEOUS_S if slow else 0.02)
