"""What reactive power a machine can give at its active power: limits as entered, the rated power, and the field current."""

import math

from northfell.core.model.elements import Inverter, SynchronousGenerator

UNBOUNDED = (-math.inf, math.inf)


def within_apparent_power(p_mw: float, s_rated_mva: float) -> float:
    r"""Reactive power at which the apparent power is the rated one.

    .. math:: Q = \sqrt{S_r^2 - P^2}

    Returns
    -------
    float
        [Mvar]; 0 where the active power alone is the rated power or more.
    """
    return math.sqrt(max(s_rated_mva**2 - p_mw**2, 0.0))


def within_field_current(p_mw: float, s_rated_mva: float, power_factor_rated: float, xd_pct: float, v_pu: float) -> float:
    r"""Reactive power of a round-rotor machine at the field current of its rated point, losses neglected.

    .. math:: E = |1 + j x_d (\cos\varphi_r - j \sin\varphi_r)|, \qquad
        Q = S_r \left(\sqrt{(E v / x_d)^2 - (P/S_r)^2} - v^2/x_d\right)

    Parameters
    ----------
    p_mw, s_rated_mva : float
        Active power and rated apparent power [MW, MVA].
    power_factor_rated : float
        Rated power factor, overexcited.
    xd_pct : float
        Synchronous reactance on the rating [%].
    v_pu : float
        Terminal voltage [p.u. of rated].

    Returns
    -------
    float
        [Mvar], the most that can be given; where the active power is beyond the stability limit, that at the limit.

    Source
    ------
    Steady-state theory of the cylindrical-rotor machine.
    """
    x = xd_pct / 100
    e = abs(1 + 1j * x * complex(power_factor_rated, -math.sqrt(1 - power_factor_rated**2)))
    return s_rated_mva * (math.sqrt(max((e * v_pu / x) ** 2 - (p_mw / s_rated_mva) ** 2, 0.0)) - v_pu**2 / x)


def reactive_range(g: SynchronousGenerator | Inverter, p_mw: float) -> tuple[float, float]:
    """Least and most reactive power of a machine [Mvar]; infinite where nothing bounds it."""
    low, high = UNBOUNDED
    low = low if g.q_min_mvar is None else g.q_min_mvar
    high = high if g.q_max_mvar is None else g.q_max_mvar
    if g.capability == "by rating" and g.s_rated_mva is not None:
        s = g.s_rated_mva * getattr(g, "count", 1)
        circle = within_apparent_power(p_mw, s)
        low, high = max(low, -circle), min(high, circle)
        xd, rated = getattr(g, "xd_pct", None), getattr(g, "power_factor_rated", None)
        if xd is not None and rated is not None:
            high = min(high, within_field_current(p_mw, s, rated, xd, g.v_set_pu))
    return low, high


def shared(total: float, ranges: list[tuple[float, float]]) -> list[float]:
    """How machines that hold the voltage of one node share its reactive power.

    Where all have a range: by the same part of each range, so that they reach their limits together. Otherwise equally, with those
    that have limits kept within them.
    """
    if all(math.isfinite(a) and math.isfinite(b) for a, b in ranges) and (span := sum(b - a for a, b in ranges)) > 0:
        least = sum(a for a, _ in ranges)
        return [a + (total - least) * (b - a) / span for a, b in ranges]
    equal = [total / len(ranges)] * len(ranges)
    free = [i for i, (a, b) in enumerate(ranges) if not a <= equal[i] <= b]
    kept = {i: min(max(equal[i], ranges[i][0]), ranges[i][1]) for i in free}
    if len(kept) == len(ranges):
        return equal
    rest = (total - sum(kept.values())) / (len(ranges) - len(kept))
    return [kept.get(i, rest) for i in range(len(ranges))]
