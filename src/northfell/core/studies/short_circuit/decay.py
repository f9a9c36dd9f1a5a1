"""How currents of machines fall during a fault: what is left of them at an instant, and faults with no more than that."""

import math
from collections.abc import Iterable, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike

from northfell.core.model.elements import Element, SynchronousGenerator
from northfell.core.network.compile import Complexes, Floats
from northfell.core.studies.short_circuit.given import Given, Sources

LEAST = 1e-3  # of a current of which nothing is left: with it, a network has a source still


def decrement_pu(t_s: ArrayLike, x2_pu: float, x1_pu: float, xd_pu: float, td2_s: float, td1_s: float, field_pu: float = 1.0) -> Floats:
    r"""Symmetrical current of a generator during a fault at its terminals, from no load [p.u. of rated current].

    .. math:: i(t) = \left(\frac{1}{x''_d} - \frac{1}{x'_d}\right) e^{-t/T''_d} + \left(\frac{1}{x'_d} - \frac{u_f}{x_d}\right) e^{-t/T'_d} + \frac{u_f}{x_d}

    Parameters
    ----------
    t_s : array_like
        Time from the beginning of the fault [s].
    x2_pu, x1_pu, xd_pu : float
        Subtransient, transient and synchronous reactance.
    td2_s, td1_s : float
        Subtransient and transient short-circuit time constant [s].
    field_pu : float
        Field, of that at no load; more where excitation forces it.
    """
    t = np.asarray(t_s, float)
    lasts = field_pu / xd_pu
    return np.asarray((1 / x2_pu - 1 / x1_pu) * np.exp(-t / td2_s) + (1 / x1_pu - lasts) * np.exp(-t / td1_s) + lasts)


def falls(g: SynchronousGenerator) -> bool:
    """Whether it is known how its current falls."""
    return bool(g.xd2_pct and g.xd1_pct and g.xd_pct and g.td2_s and g.td1_s)


def left_of(elements: Iterable[Element], t_s: float) -> dict[str, float]:
    """What is left of the current of each generator of which that is known, as at its terminals, where it falls most.

    With its field as at no load, since excitation may not force it; with none at last where it is excited from its own terminals.
    """
    found = {}
    for g in elements:
        if isinstance(g, SynchronousGenerator) and falls(g):
            x2, x1, xd = (float(x or math.nan) / 100 for x in (g.xd2_pct, g.xd1_pct, g.xd_pct))
            field_pu = 0.0 if g.excitation == "static from terminals" else 1.0
            then, first = decrement_pu([min(t_s, 1e6), 0.0], x2, x1, xd, g.td2_s or math.nan, g.td1_s or math.nan, field_pu)
            found[g.id] = float(min(max(then / first, LEAST), 1.0))
    return found


def most_left(g: SynchronousGenerator, i_pu: float, t_s: float) -> float:
    r"""What is at most left of a generator's current, from a time on, behind an impedance, whose field is forced to its ceiling, of that at rated load.

    With the reactance that it then has before it, :math:`x_e = 1.1/i - x''_d`, currents fall less and the transient one slower:

    .. math:: T'_e = T'_d\,\frac{x_d}{x'_d}\,\frac{x'_d + x_e}{x_d + x_e}, \qquad T''_e = T''_d\,\frac{x'_d}{x''_d}\,\frac{x''_d + x_e}{x'_d + x_e},
        \qquad u_f = u_{f,max}\,|1 + j x_d e^{-j\varphi}|

    Parameters
    ----------
    i_pu : float
        Its current at first [p.u. of rated current]; 1.1 is the highest voltage factor, so that the reactance is not less than it is.
    """
    x2, x1, xd = (float(x or math.nan) / 100 for x in (g.xd2_pct, g.xd1_pct, g.xd_pct))
    if not i_pu > 0:
        return 1.0
    xe = max(1.1 / i_pu - x2, 0.0)
    td2 = (g.td2_s or math.nan) * x1 / x2 * (x2 + xe) / (x1 + xe)
    td1 = (g.td1_s or math.nan) * xd / x1 * (x1 + xe) / (xd + xe)
    factor = g.power_factor_rated or 0.0
    field_pu = g.field_ceiling * math.hypot(1 + xd * math.sqrt(1 - factor**2), xd * factor)
    then, first = decrement_pu([min(t_s, 1e6), 0.0], x2 + xe, x1 + xe, xd + xe, td2, td1, field_pu)
    return float(min(max(then, field_pu / (xd + xe), 0.0) / first, 1.0))  # a forced field may bring it up again


def aged(given: Given, left: Mapping[str, float]) -> Given:
    """A case with so much of the current of some sources: their impedances are so much larger."""
    if not left:
        return given

    def of(sources: Sources) -> Sources:
        part = np.array([left.get(e.id, 1.0) for e in sources.elements])
        z, z2, z_peak = (_over(values, part) for values in (sources.z, sources.z2, sources.z_peak))
        return replace(sources, z=z, z2=z2, z_peak=z_peak)

    return replace(given, sources=of(given.sources), inside=tuple(replace(one, sources=of(one.sources)) for one in given.inside))


def _over(z: Complexes, part: Floats) -> Complexes:
    finite = np.isfinite(z)
    return np.where(finite, np.where(finite, z, 0.0) / part, z)
