"""The IEC 60364 family: the rules that compete for the size of a conductor. Standing of each after our own checks; editions in `SOURCES`."""

import math
from collections.abc import Callable, Sequence
from functools import cache

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.quantities import figure as f
from northfell.core.studies.duty import k_of_cable
from northfell.core.studies.sizing import equations as eq
from northfell.core.studies.sizing.circuit import Circuit, Protective
from northfell.core.studies.sizing.frame import TWICE, UNCERTAIN, VERIFIED, Held, Rule, Size, Try
from northfell.core.working import Working

SOURCES = "IEC 60364-4-41:2005+A1:2017, -4-43:2008, -5-52:2009, -5-54:2011"
LEAST_MM2 = {"copper": 1.5, "aluminium": 10.0}  # 5-52, table 52.2: fixed cables, power and lighting (aluminium 10 since 2009)
I2_OVER_IN = {"miniature": 1.45, "thermal-magnetic": 1.30, "electronic": 1.20, "relays": 1.20}  # conventional operating current


def _gg_i2(i_rated_a: float) -> float:
    """Conventional fusing current of a gG link over its rating (IEC 60269-1): 1.6 from 16 A on, 1.9 above 4 A, 2.1 to 4 A."""
    return 1.6 if i_rated_a >= 16 else 1.9 if i_rated_a > 4 else 2.1


NO_DEVICE = "a device that protects it"
NO_LOAD = "what it carries (the design current)"
BY_CURVE = 1.03  # above a rule by more than the steps of the currents that are tried, the curve counts
MOST_HEAT_S = 5.0  # for which the adiabatic equation holds


def _capacity_lacks(c: Circuit) -> str:
    if c.entered.capacity_a is not None and c.laying.method is None:
        return "how it is laid (reference method): the entered capacity says nothing of other sizes"
    laid = c.laying
    asked = ((laid.conductor, "its conductor material"), (laid.insulation, "its insulation"), (laid.method, "how it is laid (reference method)"))
    if lacking := [told for value, told in asked if value is None]:
        return ", ".join(lacking)
    if _grouped(c, 1) > 1 and laid.arrangement is None:
        return "how the circuits on its route lie beside each other (arrangement)"
    if laid.arrangement is not None and laid.arrangement not in tables.arrangements(laid.method):
        return f"an arrangement that goes with method {laid.method}: not “{laid.arrangement}”"
    return ""


def _grouped(c: Circuit, sets: int) -> int:
    return c.laying.others + sets


def table_capacity(c: Circuit, size: Size) -> float | None:
    """Tabulated capacity of a size; None where the table has none."""
    laid = c.laying
    if laid.conductor is None or laid.insulation is None or laid.method is None:
        return None
    return tables.iec_capacities(laid.conductor, laid.insulation, laid.method).get(size.area_mm2)


def capacity_a(c: Circuit, t: Try, w: Working | None = None, ch: float = 1.0) -> float | None:
    """Current-carrying capacity of all sets [A], with all corrections; None where a table ends.

    What stands there with a capacity entered by hand has the lesser of both.
    """
    laid, by_hand = c.laying, c.entered.capacity_a if t.entered else None
    it = table_capacity(c, t.size)
    if it is None or laid.method is None or laid.insulation is None:
        if by_hand is None:
            return None
        return w.step("Capacity as entered", "Iz", "n·Iz,1·Ch", f"{t.sets}·{f(by_hand)}·{f(ch)}", t.sets * by_hand * ch, "A") if w else t.sets * by_hand * ch
    ground = laid.method in tables.GROUND
    ambient = laid.ambient_degc if laid.ambient_degc is not None else 20.0 if ground else 30.0
    ca = tables.iec_ambient_factor(laid.method, laid.insulation, ambient)
    n = _grouped(c, t.sets)
    fits = laid.arrangement is not None and laid.arrangement in tables.arrangements(laid.method)
    cg = 1.0 if n <= 1 else tables.iec_grouping_factor(laid.arrangement, n) if laid.arrangement and fits else None
    cs = tables.iec_soil_factor(laid.method, laid.soil_k_m_per_w if laid.soil_k_m_per_w is not None else 2.5) if ground else 1.0
    if ca is None or cg is None or cs is None:
        return None
    if w:
        w.given("It", f"capacity of {t.size.label}, {laid.conductor}, {laid.insulation}, method {laid.method}", it, "A", "IEC 60364-5-52, B.52.10 to B.52.13")
        w.given("Ca", f"ambient {ambient:g} °C", ca, "", "IEC 60364-5-52, B.52.14, B.52.15", laid.ambient_degc is None or laid.temperature_assumed)
        beside = f"{n} circuits, {laid.arrangement}" if n > 1 else "laid alone"
        w.given("Cg", beside, cg, "", "IEC 60364-5-52, B.52.17 to B.52.19 (recalled, unverified)", laid.alone_assumed)
        told = "soil" if ground else "not in the ground"
        w.given(
            "Cs",
            told,
            cs,
            "",
            "IEC 60364-5-52, B.52.16 (recalled, unverified)" if ground else "",
            ground and (laid.soil_k_m_per_w is None or laid.soil_assumed),
        )
    found = eq.calc(eq.CAPACITY, w, f"Capacity of {t.sets} × {t.size.label}", n=float(t.sets), it=it, ca=ca, cg=cg, cs=cs, ch=ch)
    if by_hand is not None and t.sets * by_hand * ch < found:
        found = t.sets * by_hand * ch
        if w:
            w.step("Capacity as entered, which is less", "Iz", "n·Iz,1·Ch", f"{t.sets}·{f(by_hand)}·{f(ch)}", found, "A")
    return found


def _set_a(c: Circuit) -> float:
    """What protects the conductor against overload [A]: of a motor its overload relay."""
    return c.relay_a if c.relay_a is not None else c.device.i_set_a if c.device else math.nan


def _set_told(c: Circuit) -> str:
    return "setting of the overload relay" if c.relay_a is not None else f"{c.device.name}: rated current, or setting" if c.device else ""


def _needs_device(c: Circuit) -> str:
    return _capacity_lacks(c) or ("" if c.device or c.relay_a is not None else NO_DEVICE)


def _minimum(c: Circuit, t: Try, w: Working | None) -> Held | None:
    least = LEAST_MM2.get(c.laying.conductor or "", 1.5)
    if w:
        w.given("Smin", f"fixed cable, {c.laying.conductor}", least, "mm²", "IEC 60364-5-52, table 52.2")
        w.given("Sown", "smallest that the project lays", c.preferences.smallest_mm2, "mm²", "study setting")
    return Held(t.size.area_mm2, max(least, c.preferences.smallest_mm2), "mm²")


def _overload(c: Circuit, t: Try, w: Working | None) -> Held | None:
    iz, asked = capacity_a(c, t, w), _set_a(c)
    if iz is None or math.isnan(asked):
        return None
    if w:
        w.given("In", _set_told(c), asked, "A", c.name)
    return Held(iz, asked, "A")


def conventional_factor(device: Protective | None, relay_a: float | None) -> float:
    """Current at which a device opens within its conventional time, over its rating."""
    if relay_a is not None:
        return I2_OVER_IN["relays"]
    if device is None:
        return 1.0
    if device.kind == "gG":
        return _gg_i2(device.i_set_a)
    return I2_OVER_IN.get(device.kind, 1.45)


def _asks_more(c: Circuit) -> str:
    if c.device and c.relay_a is None and c.device.fuse and c.preferences.fuse_rule == "in":
        return "the project takes In ≤ Iz for gG fuses"
    k2 = conventional_factor(c.device, c.relay_a)
    return "" if k2 > 1.45 + 1e-9 else f"I2 = {k2:g}·In asks no more than In ≤ Iz"


def _conventional(c: Circuit, t: Try, w: Working | None) -> Held | None:
    iz = capacity_a(c, t, w)
    if iz is None or math.isnan(_set_a(c)):
        return None
    k2 = conventional_factor(c.device, c.relay_a)
    if w:
        w.given("In", _set_told(c), _set_a(c), "A", c.name)
        w.given("k2", "conventional operating current over rated current", k2, "", "IEC 60269-1, 60898-1, 60947-2")
    return Held(iz, eq.calc(eq.CONVENTIONAL, w, "Capacity at which it opens in its conventional time at 1.45·Iz", i_n=_set_a(c), k2=k2), "A")


def _no_harmonics(c: Circuit) -> str:
    if not c.neutral or c.laying.loaded_cores < 4:
        return "no loaded neutral"
    return "" if c.h3_pct > 15 else f"third harmonic {c.h3_pct:g} %: up to 15 % it asks nothing"


def _harmonic(c: Circuit, t: Try, w: Working | None) -> Held | None:
    """By line current up to 33 %, by the neutral's above; from 45 % on the neutral is as if it were a line (523.6)."""
    ch = 0.86 if c.h3_pct <= 45 else 1.0
    iz = capacity_a(c, t, w, ch)
    asked = _set_a(c)
    if iz is None or c.i_b_a is None or math.isnan(asked):
        return None
    if c.h3_pct > 33:
        if w:
            w.given("h3", "third harmonic, of the line current", c.h3_pct, "%", "entered at the cable", c.h3_assumed)
            w.given("Ib", c.i_b_told, c.i_b_a, "A", c.name)
        i_n = eq.calc(eq.NEUTRAL, w, "Current of the neutral", h3=c.h3_pct, i_b=c.i_b_a)
        asked = max(asked, i_n)
    return Held(iz, asked, "A")


def hot_factor(conductor: str, insulation: str) -> float:
    """Resistance of a conductor that carries its capacity over that at 20 degC."""
    return 1 + tables.ALPHA_PER_K[conductor] * (tables.TEMPERATURE_DEGC[insulation] - 20)


def impedance(c: Circuit, t: Try) -> tuple[float, float] | None:
    """Resistance at operating temperature and reactance of one core at the network's frequency [ohm/km]."""
    laid = c.laying
    if laid.conductor and laid.insulation:
        found = tables.iec_ohm_per_km(laid.conductor, laid.insulation, t.size.area_mm2, laid.single_core)
        if found:
            return found[0], found[1] * c.f_hz / 50
    return c.entered.ohm_per_km if t.entered else None


def _drop_lacks(c: Circuit) -> str:
    laid = c.laying
    lacking = ((c.i_b_a, NO_LOAD), (c.cosphi, "the power factor of what it carries"), (laid.length_m, "its length"), (laid.conductor, "its conductor material"),
        (laid.insulation, "its insulation"), (c.drop_limit_pct, "the limit of its voltage drop"))  # fmt: skip
    return next((told for value, told in lacking if value is None), "")


def _dropped(c: Circuit, t: Try, w: Working | None, i_a: float, cosphi: float, told: str, limit: float) -> Held | None:
    z = impedance(c, t)
    if z is None or c.laying.length_m is None:
        return None
    if w:
        w.given("I", told, i_a, "A", c.name)
        w.given("cosφ", "power factor", cosphi, "", c.name)
        hot = tables.TEMPERATURE_DEGC.get(c.laying.insulation or "", 70.0)
        w.given("R", f"resistance of {t.size.label} at {hot:g} °C", z[0], "ohm/km", "IEC 60228, class 2")
        w.given("X", f"reactance at {c.f_hz:g} Hz", z[1], "ohm/km", "typical (unverified)", assumed=True)
        w.given("u,max", c.drop_told, limit, "%", "")
    sinphi = math.sqrt(max(0.0, 1 - cosphi**2))
    u = eq.calc(
        eq.DROP, w, f"Voltage drop with {t.sets} × {t.size.label}", i=i_a, length_m=c.laying.length_m, n=float(t.sets), r=z[0], cosphi=cosphi, x=z[1],
        sinphi=sinphi, u_v=c.u_v,
    )  # fmt: skip
    return Held(u, limit, "%", at_most=True)


def _drop(c: Circuit, t: Try, w: Working | None) -> Held | None:
    if c.i_b_a is None or c.cosphi is None or c.drop_limit_pct is None:
        return None
    return _dropped(c, t, w, c.i_b_a, c.cosphi, c.i_b_told, c.drop_limit_pct)


def _start(c: Circuit, t: Try, w: Working | None) -> Held | None:
    if c.start is None or c.i_b_a is None:
        return None
    return _dropped(c, t, w, c.start.multiple * c.i_b_a, c.start.cosphi, f"starting current, {c.start.multiple:g} times the rated one", c.start.limit_pct)


def _withstand_lacks(c: Circuit) -> str:
    laid = c.laying
    if laid.conductor is None or laid.insulation is None:
        return "its conductor material" if laid.conductor is None else "its insulation"
    return "" if c.heat else "the fault current at its beginning, with the device that cuts it off"


def _withstand(c: Circuit, t: Try, w: Working | None) -> Held | None:
    laid, heat = c.laying, c.heat
    if laid.conductor is None or laid.insulation is None or heat is None:
        return None
    if not math.isfinite(heat.a2s):
        return Held(t.size.area_mm2 * t.sets, math.inf, "mm²")  # nothing cuts it off: no size withstands it
    k = k_of_cable(laid.conductor, laid.insulation, t.size.area_mm2)
    far = heat_along(c, t, impedance(c, t), w)
    if not math.isfinite(far):
        return Held(t.size.area_mm2 * t.sets, math.inf, "mm²")
    if w:
        if heat.i2t_a2s is None and heat.i_a is not None and heat.t_s is not None:
            w.given("I", heat.told, heat.i_a, "A", "Faults")
            w.given("t", "until it is cut off", heat.t_s, "s", "protection")
            eq.calc(eq.HEAT, w, "Heat of the fault", i=heat.i_a, t=heat.t_s)
        else:
            w.given("Q", heat.told, heat.a2s, "A²s", "Faults, protection")
        w.given("k", f"{laid.conductor}, {laid.insulation}", k, "A·√s/mm²", "IEC 60364-4-43, table 43A")
    alone = "A fault within one of several in parallel is not covered (434.4)." if t.sets > 1 else ""
    least = eq.calc(eq.WITHSTAND, w, "Cross-section that withstands it, of all in parallel together", alone, q=max(heat.a2s, far), k=k)
    return Held(t.size.area_mm2 * t.sets, least, "mm²")


def heat_along(c: Circuit, t: Try, ohm_per_km: tuple[float, float] | None, w: Working | None) -> float:
    """The most heat of a fault along the conductor to its far end [A²s]: less current may flow for longer. 0 where it is not known."""
    if c.along is None or ohm_per_km is None or c.laying.length_m is None:
        return 0.0
    z = abs(c.along.z_source_ohm + complex(*ohm_per_km) * c.laying.length_m / (1000 * t.sets))
    i_far = c.along.c * c.u_v / (math.sqrt(3) * z)
    found = c.along.worst_a2s(i_far)
    if w and c.heat and (found > c.heat.a2s or not math.isfinite(found)):
        w.given("Z", "impedance up to the far end, positive sequence", z, "ohm", c.name)
        eq.calc(eq.FAR, w, "Least current of a three-phase fault at the far end", c=c.along.c, u=c.u_v, z=z)
        w.given("Q", "most heat of a fault between the far end and the beginning", found, "A²s", c.device.name if c.device else "")
    return found


def _loop_lacks(c: Circuit) -> str:
    if c.laying.length_m is None:
        return "its length"
    if c.loop is None:
        return "the loop impedance up to its beginning (earth faults of the source)"
    if c.device is None:
        return NO_DEVICE
    if c.loop.system == "TT":
        lacks = c.device.i_residual_a is None or c.loop.ra_ohm is None
        return "a residual-current device, and the resistance of the earth electrode" if lacks else ""
    name = (c.clears or c.device).name
    return "" if operating_a(c) is not None else f"the current at which {name} opens within {c.loop.t_s:g} s"


def operating_a(c: Circuit) -> float | None:
    """Current at which the device of a circuit has opened for certain within the time that its loop asks for [A]."""
    d, loop = c.clears or c.device, c.loop
    if d is None or loop is None:
        return None
    by_kind: dict[str, Callable[[], float | None]] = {
        "miniature": lambda: {"B": 5.0, "C": 10.0, "D": 20.0}[d.curve] * d.i_set_a if d.curve else None,
        "gG": lambda: tables.gg_operates_a(d.i_set_a, loop.t_s) if d.i_set_a in tables.iec_rows("gG") else None,
        "aM": lambda: tables.am_operates_a(d.i_set_a, loop.t_s),
        "thermal-magnetic": lambda: d.i_magnetic_a * (1 + d.tolerance_pct / 100) if d.i_magnetic_a else None,
        "electronic": lambda: d.i_magnetic_a * (1 + d.tolerance_pct / 100) if d.i_magnetic_a else None,
    }
    by_rule = by_kind[d.kind]() if d.kind in by_kind else None
    if by_rule is None or (not d.fuse and d.by_curve and (d.operates_a is None or d.operates_a > by_rule * BY_CURVE)):
        by_rule = d.operates_a  # such as of a stage that waits longer than it may
    known = [a for a in (by_rule, d.i_residual_a) if a is not None and math.isfinite(a)]
    return min(known, default=None)


def loop_ohm(c: Circuit, t: Try, w: Working | None) -> float | None:
    """Impedance of the loop of an earth fault at the far end [ohm]: source, line, protective conductor."""
    z, pe = impedance(c, t), t.pe or t.size
    back = impedance(c, Try(pe, t.sets, entered=t.entered))
    if z is None or back is None or c.loop is None or c.laying.length_m is None:
        return None
    if w:
        if t.entered and c.entered.pe_mm2 is None:
            w.given("SPE", "none entered: taken as table 54.2 has it", pe.area_mm2, "mm²", "IEC 60364-5-54", True)
        w.given("R0", "resistance of the loop up to its beginning", c.loop.z_source_ohm.real, "ohm", c.loop.told)
        w.given("X0", "reactance of it", c.loop.z_source_ohm.imag, "ohm", c.loop.told)
    parts = []
    for symbol, title, per_km in (("r", "Resistance", z[0] + back[0]), ("x", "Reactance", z[1] + back[1])):
        if w:
            w.given(symbol, f"{title.lower()} of line {t.size.label} and protective conductor {pe.label} together", per_km, "ohm/km", "as for the voltage drop")
        parts.append(eq.calc(eq.OWN_RESISTANCE, w, f"{title} of the circuit's own part", r=per_km, length_m=c.laying.length_m, n=float(t.sets)))
    return eq.calc(eq.LOOP, w, "Impedance of the loop", r0=c.loop.z_source_ohm.real, r=parts[0], x0=c.loop.z_source_ohm.imag, x=parts[1])


def _not_alone(c: Circuit) -> str:
    return "" if c.sustained else "no generator of which it is known what it holds on feeds it alone"


def _generator_lacks(c: Circuit) -> str:
    if c.laying.length_m is None:
        return "its length"
    return "" if c.device or c.clears else NO_DEVICE


def _generator(c: Circuit, t: Try, w: Working | None) -> Held | None:
    """What a generator holds a fault at the far end on with still opens the device: impedances added as numbers, so that it is no more than told."""
    z, s = impedance(c, t), c.sustained
    if z is None or s is None or c.laying.length_m is None:
        return None
    behind, own = c.u_v / (math.sqrt(3) * s.i_a), math.hypot(*z) * c.laying.length_m / (1000 * t.sets)
    far = c.u_v / (math.sqrt(3) * (behind + own))
    if w:
        w.given("Ik", s.told, s.i_a, "A", "Faults, least case")
        w.step("Current that is held on at the far end, at least", "Ik,far", "U/(√3·(U/(√3·Ik) + Z))", f"{f(c.u_v)}/(√3·({f(behind)} + {f(own)}))", far, "A")
        if s.trips_a is not None:
            opens = c.clears or c.device
            w.given("Ia", "opens for certain within 5 s", s.trips_a, "A", opens.name if opens else "")
    return Held(far, math.inf if s.trips_a is None else 1.2 * s.trips_a, "A")


def _disconnect(c: Circuit, t: Try, w: Working | None) -> Held | None:
    loop = c.loop
    if loop is None:
        return None
    if loop.system == "TT" and c.device and c.device.i_residual_a is not None and loop.ra_ohm is not None:
        v = loop.ra_ohm * c.device.i_residual_a
        if w:
            w.step("Touch voltage at the earth electrode", "UT", "RA·IΔn", f"{f(loop.ra_ohm)}·{f(c.device.i_residual_a)}", v, "V", "IEC 60364-4-41, 411.5.3")
        return Held(v, 50.0, "V", at_most=True)
    zs, ia = loop_ohm(c, t, w), operating_a(c)
    if zs is None or ia is None:
        return None
    if w:
        w.given("Ia", f"opens for certain within {loop.t_s:g} s", ia, "A", c.device.name if c.device else "")
        w.given("c", "voltage factor of the least fault current", loop.c, "", "IEC 60909-0; the clause itself has 1")
    if loop.system == "IT":
        most = eq.calc(eq.SECOND_FAULT, w, "Greatest impedance, second fault", c=loop.c, u=c.u_v, ia=ia)
    elif loop.system == "IT with neutral":
        most = eq.calc(eq.SECOND_FAULT, w, "Greatest impedance, second fault, neutral distributed", c=loop.c, u=c.u0_v, ia=ia)
    else:
        most = eq.calc(eq.LOOP_LIMIT, w, "Greatest impedance of the loop", c=loop.c, u0=c.u0_v, ia=ia)
    return Held(zs, most, "ohm", at_most=True)


RULES = {
    r.id: r
    for r in (
        Rule("iec.minimum", "5-52 524.1, table 52.2", "the least cross-section", TWICE, _minimum),
        Rule("iec.overload", "4-43 433.1, 5-52 523", "carries what its device lets it carry", TWICE, _overload, lacks=_needs_device),
        Rule("iec.1_45", "4-43 433.1", "its device opens at 1.45 times its capacity", VERIFIED, _conventional, _asks_more, _needs_device),
        Rule("iec.harmonic", "5-52 523.6, annex E", "carries harmonics on the neutral", VERIFIED, _harmonic, _no_harmonics, _needs_device),
        Rule("iec.drop", "5-52 525, annex G", "its voltage drop is within the limit", TWICE, _drop, lacks=_drop_lacks),
        Rule("iec.start", "practice", "its voltage drop while the motor starts is within the limit", UNCERTAIN, _start,
             lambda c: "" if c.start else "no motor starts on it directly", _drop_lacks),
        Rule("iec.withstand", "4-43 434.5.2", "withstands the heat of a fault", VERIFIED, _withstand, lacks=_withstand_lacks),
        Rule("iec.generator", "5-55 551", "what a generator holds a fault on with still opens its device", TWICE, _generator, _not_alone, _generator_lacks),
        Rule("iec.disconnect", "4-41 411.3.2, 411.4 to 411.6", "an earth fault at its end is cut off in time", TWICE, _disconnect, lacks=_loop_lacks),
    )
}  # fmt: skip
SEQUENCE: dict[str, tuple[str, ...]] = {
    "motor way": ("minimum", "overload", "drop", "start", "withstand", "generator", "disconnect"),
    "load way": ("minimum", "overload", "1_45", "harmonic", "drop", "withstand", "generator", "disconnect"),
    "feeder": ("minimum", "overload", "1_45", "harmonic", "drop", "withstand", "generator", "disconnect"),
    "tie": ("minimum", "overload", "1_45", "harmonic", "drop", "withstand", "generator", "disconnect"),
    "transformer primary": ("minimum", "overload", "withstand", "generator"),
    "transformer secondary": ("minimum", "overload", "drop", "withstand", "generator"),
    "capacitor way": ("minimum", "overload", "1_45", "withstand", "generator"),
    "generator cable": ("minimum", "overload", "drop", "withstand", "generator", "disconnect"),
}
REDUCED_PE = ((16.0, lambda s: s), (35.0, lambda s: 16.0), (math.inf, lambda s: s / 2))  # 5-54, table 54.2


class Iec:
    """IEC 60364, for the frame."""

    name = "IEC 60364"
    minimum = ("iec.minimum",)

    def rules(self, circuit: Circuit) -> Sequence[Rule]:
        return [RULES[f"iec.{r}"] for r in SEQUENCE[circuit.purpose]]

    def sizes(self, circuit: Circuit, sets: int) -> Sequence[Size]:
        laid, own = circuit.laying, circuit.preferences
        if laid.conductor is None or laid.insulation is None or laid.method is None:
            return []
        listed = sorted(tables.iec_capacities(laid.conductor, laid.insulation, laid.method))
        return [iec_size(s) for s in listed if s <= own.largest_mm2]

    def size_of(self, circuit: Circuit, area_mm2: float) -> Size:
        return iec_size(area_mm2)

    def protective(self, circuit: Circuit, size: Size, sets: int) -> Size | None:
        return protective_by_table(circuit.laying.conductor or "copper", size.area_mm2)


@cache
def iec_size(area_mm2: float) -> Size:
    return Size(f"{area_mm2:g} mm²", area_mm2, f"{area_mm2:g}")


@cache
def protective_by_table(conductor: str, area_mm2: float) -> Size:
    """Protective conductor of the same metal beside a line conductor (5-54, table 54.2): the next standard size."""
    least = next(of(area_mm2) for most, of in REDUCED_PE if area_mm2 <= most)
    return iec_size(next((s for s in tables.iec_sizes(conductor) if s >= least - 1e-9), least))
