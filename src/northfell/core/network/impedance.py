"""Impedances that more than one study takes from the same nameplate values."""

import math

from northfell.core.model.elements import ThreeWindingTransformer, Transformer


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


def reactor_ohm(un_kv: float, uk_pct: float, i_rated_a: float, r_over_x: float) -> complex:
    r"""Impedance of a series reactor.

    .. math:: X_R = \frac{u_{kR}}{100\,\%} \frac{U_n}{\sqrt3\, I_{rR}}

    Returns
    -------
    complex
        Impedance [ohm].

    Source
    ------
    IEC 60909-0:2016, short-circuit limiting reactors.
    """
    x = uk_pct / 100 * un_kv / (math.sqrt(3) * i_rated_a / 1000)
    return complex(r_over_x * x, x)


def pair_impedances(e: ThreeWindingTransformer, s_base_mva: float) -> tuple[complex, complex, complex]:
    r"""Impedances between the windings of a three-winding transformer, pair by pair (AB, AC, BC), on its rated voltages.

    .. math:: Z_{AB} = (u_{RrAB} + j\sqrt{u_{krAB}^2 - u_{RrAB}^2}) \, S_B / \min(S_{rTA}, S_{rTB})

    Returns
    -------
    three complex [p.u. on `s_base_mva`]; nan where data is lacking or contradicts itself.

    Source
    ------
    IEC 60909-0:2016, three-winding transformers.
    """
    s = {"hv": e.s_hv_mva, "mv": e.s_mv_mva, "lv": e.s_lv_mva}
    found = []
    for a, b in (("hv", "mv"), ("hv", "lv"), ("mv", "lv")):
        uk, ur, s_a, s_b = getattr(e, f"uk_{a}_{b}_pct"), getattr(e, f"ur_{a}_{b}_pct"), s[a], s[b]
        if uk is None or ur is None or s_a is None or s_b is None or ur > uk:
            found.append(complex(math.nan, math.nan))
        else:
            found.append(complex(ur, math.sqrt(uk**2 - ur**2)) / 100 * s_base_mva / min(s_a, s_b))
    return found[0], found[1], found[2]


def delta_of_pairs(z_ab: complex, z_ac: complex, z_bc: complex) -> tuple[complex, complex, complex]:
    r"""Branches between three terminals (AB, AC, BC) that stand for a three-winding transformer, from its pair impedances.

    By way of the star: :math:`Z_A = (Z_{AB} + Z_{AC} - Z_{BC})/2` and so on; then
    :math:`Z^\triangle_{AB} = (Z_A Z_B + Z_B Z_C + Z_C Z_A)/Z_C` and so on. A leg may be negative.
    """
    legs = [(z_ab + z_ac - z_bc) / 2, (z_ab + z_bc - z_ac) / 2, (z_ac + z_bc - z_ab) / 2]
    least = 1e-9 * max(abs(z_ab), abs(z_ac), abs(z_bc))  # a leg of zero puts the star point on that terminal: an open delta branch
    a, b, c = (leg if abs(leg) > least else complex(0.0, least) for leg in legs)
    d = a * b + b * c + c * a
    return d / c, d / b, d / a
