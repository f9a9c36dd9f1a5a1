"""Time-current characteristics. Currents in ampere, times in second; infinity means that the device never operates."""

import numpy as np
from numpy.typing import ArrayLike, NDArray

from northfell.core.catalogue.tables import GgGates, RelayCurve

Floats = NDArray[np.float64]


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
