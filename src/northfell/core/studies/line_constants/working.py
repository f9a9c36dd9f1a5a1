"""How one figure of a matrix came about."""

import math

from northfell.core.errors import NotFound
from northfell.core.network.lines.earth_return import MU0, depth_m, m_per_m
from northfell.core.quantities import figure as f
from northfell.core.studies.line_constants.result import AFTER, BEFORE, KM, ConstantsOf
from northfell.core.working import Working

SERIES = "J. R. Carson, 1926, series; derived anew and held against the integral"


def explain(one: ConstantsOf, row: str, column: str, stage: str = BEFORE) -> Working:
    """The impedance of a pair of conductors, before elimination, or how elimination changed it.

    Raises
    ------
    NotFound
        If a conductor is not there at that stage.
    """
    c = one.constants
    names = c.names if stage == BEFORE else c.kept
    for name in (row, column):
        if name not in names:
            raise NotFound(f"{one.name} has no conductor “{name}”{'' if stage == BEFORE else ' after elimination'}. Accepted are {', '.join(names)}.")
    i, j = c.names.index(row), c.names.index(column)
    own = i == j
    w = Working(f"{one.name}: Z of {row}{'' if own else f' and {column}'}", unit="ohm/km")
    omega = 2 * math.pi * c.f_hz
    w.given("f", "frequency", c.f_hz, "Hz", "network, or study setting")
    w.given("ρ", "resistivity of the earth", c.rho_ohm_m, "ohm·m", "geometry" if one.geometry.rho_ohm_m else "study setting")
    a, b = c.conductors[i], c.conductors[j]
    for name, hung in {row: a, column: b}.items():
        w.given(f"x,{name}", "across", hung.x_m, "m", one.name)
        w.given(f"h,{name}", "height", hung.y_m, "m", one.name)
    if own:
        w.given("R", "resistance, with what is inside by skin effect", a.r_ohm_per_m * KM, "ohm/km", "wire")
        w.given("D", "own distance: GMR, or the radius with skin effect", a.gmr_m, "m", "wire")
    else:
        told = "from the core to its own screen" if a.inside == b.name or b.inside == a.name else "√((xi − xj)² + (hi − hj)²)"
        w.step("Distance", "D", told, "", float(c.d_m[i, j]), "m")
    m = w.step("Earth", "m", "√(ωμ0/ρ)", f"√(2π·{f(c.f_hz)}·4π·10⁻⁷/{f(c.rho_ohm_m)})", m_per_m(c.f_hz, c.rho_ohm_m), "1/m")
    s = w.step("Distance to the image", "S", "√((xi − xj)² + (hi + hj)²)", "", float(c.s_m[i, j]), "m")
    k = w.step("Argument", "k", "m·S", f"{f(m)}·{f(s)}", float(c.k[i, j]))
    w.step("Angle of the image line from the vertical", "θ", "atan(|xi − xj|/(hi + hj))", "", float(c.theta[i, j]), "rad")
    buried = a.y_m < 0 or b.y_m < 0
    law, source = {
        "series": ("Carson's series, thirty terms; above k = 5 the integral itself", SERIES),
        "first terms": ("π/8, (ln2 + 1/2 − γ − ln k)/2", "first term of each part"),
        "complex depth": ("½j·ln(√((hi + hj + 2p)² + x²)/S), p = 1/√(jωμ0/ρ)", "mirror at a complex depth"),
    }["first terms" if buried else c.method]
    pq = w.step("Earth return", "P + jQ", law, f"k = {f(k)}", complex(c.pq[i, j]), "", source, "In the ground: first terms." if buried else "")
    if c.method == "first terms" or buried:
        w.step("Depth of the equivalent return", "De", "e^0.6159·√(ρ/(ωμ0))", "", depth_m(c.f_hz, c.rho_ohm_m), "m", "S drops out: ln(S/D) + 2Q = ln(De/D)")
    geometric = complex(0, omega * MU0 / (2 * math.pi) * math.log(s / float(c.d_m[i, j])) * KM)
    w.step("Of the distances", "Zg", "jωμ0/(2π)·ln(S/D)", f"ln({f(s)}/{f(float(c.d_m[i, j]))})", geometric, "ohm/km")
    earth = omega * MU0 / math.pi * pq * KM
    w.step("Of the earth", "Ze", "ωμ0/π·(P + jQ)", "", earth, "ohm/km")
    z = w.step("Impedance", "Z", "R + Zg + Ze" if own else "Zg + Ze", "", complex(c.z_ohm_per_m[i, j]) * KM, "ohm/km")
    if stage == AFTER:
        p, q = c.kept_at.index(i), c.kept_at.index(j)
        for n, at in enumerate(c.earthed_at):
            name = c.names[at]
            w.given(f"Z,{row}{name}", f"of {row} and {name}", complex(c.z_ohm_per_m[i, at]) * KM, "ohm/km", "before elimination")
            w.step(f"Share of {name} in the return", f"t,{name}{column}", "−Znn⁻¹·Znp", "", complex(c.shares[n, q]))
        z = w.step("After elimination", "Z", "Zpp − Zpn·Znn⁻¹·Znp = Zpp + Σ Zpn·t", "", complex(c.reduced_ohm_per_m[p, q]) * KM, "ohm/km")
    w.result = abs(z)
    return w
