"""Impedances that more than one study takes from the same nameplate values."""

import math

from northfell.core.model.elements import Transformer


def feeder_impedance(c: float, un_kv: float, ik_ka: float, r_over_x: float) -> complex:
    r"""Impedance of a network feeder from its fault level.

    .. math:: Z_Q = \frac{c\,U_{nQ}}{\sqrt3\, I''_{kQ}}, \quad X_Q = \frac{Z_Q}{\sqrt{1 + (R_Q/X_Q)^2}}

    Parameters
    ----------
    c : float
        Voltage factor at the connection point.
    un_kv : float
        Nominal voltage at the connection point [kV].
    ik_ka : float
        Initial symmetrical short-circuit current there [kA].
    r_over_x : float
        Ratio of resistance to reactance.

    Returns
    -------
    complex
        Impedance at the voltage of the connection point [ohm].

    Source
    ------
    IEC 60909-0:2016, impedance of network feeders.
    """
    z = c * un_kv / (math.sqrt(3) * ik_ka)
    x = z / math.sqrt(1 + r_over_x**2)
    return complex(r_over_x * x, x)


def transformer_per_unit(e: Transformer) -> tuple[float, float]:
    """Resistance and reactance of a two-winding transformer on its own rating.

    .. math:: u_{Rr} = P_{krT}/S_{rT}, \\quad x_T = \\sqrt{u_{kr}^2 - u_{Rr}^2}

    Returns
    -------
    r, x [p.u.]

    Source
    ------
    IEC 60909-0:2016, impedance of two-winding transformers.
    """
    if e.s_rated_mva is None or e.uk_pct is None or (e.ur_pct is None and e.load_loss_kw is None):
        return math.nan, math.nan
    r = e.load_loss_kw / 1000 / e.s_rated_mva if e.load_loss_kw is not None else (e.ur_pct or 0.0) / 100
    z = e.uk_pct / 100
    return r, math.sqrt(z**2 - r**2) if z >= r else math.nan
