"""Equations of both codes, each with its text."""

import math

from northfell.core.working import Equation, Working

SQRT3 = math.sqrt(3)


def calc(equation: Equation, w: Working | None, title: str, note: str = "", **given: float) -> float:
    """The value of an equation, noted in a working if there is one."""
    return float(equation.note(w, title, note, None, **given) if w else equation.value(**given))


CAPACITY = Equation(
    "Iz", "n·It·Ca·Cg·Cs·Ch", lambda n, it, ca, cg, cs, ch: n * it * ca * cg * cs * ch,
    {"n": "n", "It": "it", "Ca": "ca", "Cg": "cg", "Cs": "cs", "Ch": "ch"}, "A", "IEC 60364-5-52, 523",
)  # fmt: skip
CONVENTIONAL = Equation("Iz,min", "In·k2/1.45", lambda i_n, k2: i_n * k2 / 1.45, {"In": "i_n", "k2": "k2"}, "A", "IEC 60364-4-43, 433.1")
NEUTRAL = Equation("IN", "3·h3/100·Ib", lambda h3, i_b: 3 * h3 / 100 * i_b, {"h3": "h3", "Ib": "i_b"}, "A", "IEC 60364-5-52, annex E")
DROP = Equation(
    "u", "100·√3·I·l/(1000·n)·(R·cosφ + X·sinφ)/U",
    lambda i, length_m, n, r, cosphi, x, sinphi, u_v: 100 * SQRT3 * i * length_m / (1000 * n) * (r * cosphi + x * sinphi) / u_v,
    {"I": "i", "l": "length_m", "n": "n", "R": "r", "cosφ": "cosphi", "X": "x", "sinφ": "sinphi", "U": "u_v"}, "%", "IEC 60364-5-52, 525, annex G",
)  # fmt: skip
NEC_DROP = Equation(
    "u", "100·√3·I·L/(1000·n)·(R·pf + X·rf)/V",
    lambda i, l_ft, n, r, pf, x, rf, v: 100 * SQRT3 * i * l_ft / (1000 * n) * (r * pf + x * rf) / v,
    {"I": "i", "L": "l_ft", "n": "n", "R": "r", "pf": "pf", "X": "x", "rf": "rf", "V": "v"}, "%", "NEC 210.19(A), 215.2(A), notes; chapter 9, table 9",
)  # fmt: skip
WITHSTAND = Equation("Smin", "√(Q)/k", lambda q, k: math.sqrt(q) / k, {"Q": "q", "k": "k"}, "mm²", "IEC 60364-4-43, 434.5.2")
HEAT = Equation("Q", "I^2·t", lambda i, t: i**2 * t, {"I": "i", "t": "t"}, "A²s", "IEC 60364-4-43, 434.5.2")
FAR = Equation(
    "If", "c·U/(√3·Z)", lambda c, u, z: c * u / (SQRT3 * z), {"c": "c", "U": "u", "Z": "z"}, "A", "IEC 60909-0",
)  # fmt: skip
LOOP = Equation(
    "Zs", "√((R0 + R)² + (X0 + X)²)", lambda r0, r, x0, x: math.hypot(r0 + r, x0 + x), {"R0": "r0", "R": "r", "X0": "x0", "X": "x"}, "ohm",
    "IEC 60364-4-41, 411.4.4",
)  # fmt: skip
LOOP_LIMIT = Equation("Zs,max", "c·U0/Ia", lambda c, u0, ia: c * u0 / ia, {"c": "c", "U0": "u0", "Ia": "ia"}, "ohm", "IEC 60364-4-41, 411.4.4")
SECOND_FAULT = Equation("Zs,max", "c·U/(2·Ia)", lambda c, u, ia: c * u / (2 * ia), {"c": "c", "U": "u", "Ia": "ia"}, "ohm", "IEC 60364-4-41, 411.6.4")
OWN_RESISTANCE = Equation("R", "r·l/(1000·n)", lambda r, length_m, n: r * length_m / (1000 * n), {"r": "r", "l": "length_m", "n": "n"}, "ohm")
ICEA = Equation(
    "Amin", "I·√(t)/(1000·√(κ))", lambda i, t, kappa: i * math.sqrt(t) / (1000 * math.sqrt(kappa)), {"I": "i", "t": "t", "κ": "kappa"}, "kcmil",
    "ICEA P-32-382; NEC 110.10",
)  # fmt: skip
CORRECTED = Equation(
    "Ic", "n·I310·Fa·Fb", lambda n, i, fa, fb: n * i * fa * fb, {"n": "n", "I310": "i", "Fa": "fa", "Fb": "fb"}, "A", "NEC 310.15(B), (C), 310.16",
)  # fmt: skip
SIZED = Equation(
    "Ireq", "1.25·(C + M) + N + Mo", lambda c, m, n, mo: 1.25 * (c + m) + n + mo, {"C": "c", "M": "m", "N": "n", "Mo": "mo"}, "A",
    "NEC 210.19(A), 215.2(A), 430.22, 430.24",
)  # fmt: skip
FILL = Equation("Araceway", "A/(p/100)", lambda a, p: a / (p / 100), {"A": "a", "p": "p"}, "in²", "NEC chapter 9, table 1")
