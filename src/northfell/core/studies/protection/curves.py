"""Time-current characteristics. Currents in ampere, times in second; infinity means that the device never operates."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from northfell.core.catalogue.links import LinkBand
from northfell.core.catalogue.tables import RelayCurve

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


def points_time_s(points: Sequence[tuple[float, float]], x: ArrayLike, edge: str) -> Floats:
    """Time by points of a falling curve: straight lines in log-log; before the first its own time, which is no later than any there.

    Beyond the last, where nothing is known, the slow edge stays as it is and the fast one falls at constant I²t.

    Parameters
    ----------
    points : sequence of (current or multiple, time [s])
        In the order of their currents; where there are none it never operates.
    x : array_like
        Current or multiple.
    edge : str
        "slow" or "fast".
    """
    x = np.asarray(x, float)
    if not points:
        return np.full(x.shape, np.inf)
    last_x, last_s = points[-1]
    with np.errstate(divide="ignore"):
        t = 10 ** np.interp(np.log10(x), np.log10([p[0] for p in points]), np.log10([p[1] for p in points]))
    if edge == "slow":
        return np.asarray(t)
    return np.asarray(np.where(x > last_x, last_s * (last_x / np.maximum(x, last_x)) ** 2, t))


def link_time_s(band: LinkBand, i_a: ArrayLike, edge: str = "slow") -> Floats:
    """Time of a fuse-link: slow edge (has operated for certain, with its arcing) or fast edge (has not melted yet).

    Straight lines in log-log through the points of the standard; beyond the last what is certain. Below its first point it never operates.

    Parameters
    ----------
    band : LinkBand
        Of the class and size.
    i_a : array_like
        Prospective current [A].
    edge : str
        "slow" or "fast".

    Source
    ------
    IEC 60269-1, gates and conventional currents of gG fuse-links; IEEE C37.42, melting currents of K and T links.
    """
    points, adds_s = (band.slow, band.arcing_s) if edge == "slow" else (band.fast, 0.0)
    i = np.asarray(i_a, float)
    log_i, log_t = np.log10([p[0] for p in points]), np.log10([p[1] for p in points])
    (last_a, last_s), first_a = points[-1], points[0][0]
    with np.errstate(divide="ignore", invalid="ignore"):
        t = 10 ** np.interp(np.log10(i), log_i, log_t)
        t = np.where(i > last_a, last_s * (last_a / i) ** band.beyond(edge), t)
    return np.where(i >= first_a, t + adds_s, np.inf)
