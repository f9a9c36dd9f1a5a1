"""NEC 2023: the rules that compete for the size of a conductor. Recalled where a rule does not say otherwise; see each rule's standing."""

import math
from collections.abc import Sequence
from functools import cache

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.quantities import figure as f
from northfell.core.studies.sizing import equations as eq
from northfell.core.studies.sizing.circuit import Circuit, Heat
from northfell.core.studies.sizing.frame import TWICE, VERIFIED, Held, Rule, Size, Try
from northfell.core.studies.sizing.iec import heat_along
from northfell.core.studies.sizing.transformers import secondary_least_a
from northfell.core.working import Working

FT_PER_M = 3.280839895
NEXT_SIZE_TO_A = 800.0  # up to which the next standard device above a conductor's ampacity is allowed, 240.4(B)
SMALL_A = {  # 240.4(D): greatest device by size
    "copper": {"14": 15.0, "12": 20.0, "10": 30.0}, "aluminium": {"12": 15.0, "10": 25.0},
}  # fmt: skip
LEAST = {"copper": "14", "aluminium": "12"}  # 310.3
PARALLEL_FROM = "1/0"  # 310.10(G)
TENTH_TO_FT, THIRD_TO_FT = 10.0, 25.0  # 240.21(C)(2), (C)(6)
ICEA_FACTOR = {"copper": 0.0297, "aluminium": 0.0125}
ICEA_ZERO = {"copper": 234.0, "aluminium": 228.0}
ICEA_TEMPERATURES = {"PVC": (75.0, 150.0), "XLPE": (90.0, 250.0), "EPR": (90.0, 250.0)}
NO_LOAD = "what it carries (the load)"
NO_DEVICE = "a device that protects it"


def insulation_column(c: Circuit) -> int | None:
    """Temperature column of the insulation: 90 where its type is known, else by its material."""
    if c.laying.wire_type:
        return 90
    return {"PVC": 75, "XLPE": 90, "EPR": 90}.get(c.laying.insulation or "")


def terminal_column(c: Circuit) -> int:
    """Temperature column of the terminals (110.14(C)): as marked; else 60 up to 100 A, of motors and above it 75."""
    if c.laying.terminal_degc is not None:
        return c.laying.terminal_degc
    if c.purpose == "motor way":
        return 75
    rating = c.device.i_set_a if c.device else math.inf
    return 60 if rating <= 100 else 75


def carrying(c: Circuit) -> int:
    """Current-carrying conductors of one raceway: each raceway holds one set (300.3(B), 310.10(G))."""
    return c.laying.loaded_cores + c.laying.carrying_others


def ampacity_a(c: Circuit, t: Try, w: Working | None = None) -> float | None:
    """Ampacity of all sets with correction and adjustment [A]; None where a table ends. Entered by hand, the lesser counts."""
    column, by_hand = insulation_column(c), c.entered.capacity_a if t.entered else None
    it = tables.nec_capacities(c.laying.conductor, column).get(t.size.key) if c.laying.conductor and column else None
    if it is None or column is None:
        return None if by_hand is None else t.sets * by_hand
    ambient = 30.0 if c.laying.ambient_degc is None else c.laying.ambient_degc
    fa, fb = tables.nec_ambient_factor(column, ambient), tables.nec_bundling_factor(carrying(c))
    if fa is None:
        return None
    if w:
        w.given("I310", f"{t.size.label}, {c.laying.conductor}, {column} °C column", it, "A", "NEC 310.16")
        w.given("Fa", f"ambient {ambient:g} °C", fa, "", "NEC 310.15(B)(1)", c.laying.ambient_degc is None or c.laying.temperature_assumed)
        w.given("Fb", f"{carrying(c)} current-carrying conductors in one raceway", fb, "", "NEC 310.15(C)(1)", c.laying.alone_assumed)
    found = eq.calc(eq.CORRECTED, w, "Ampacity with correction and adjustment", n=float(t.sets), i=it, fa=fa, fb=fb)
    if by_hand is not None and t.sets * by_hand < found:
        found = t.sets * by_hand
        if w:
            w.step("Ampacity as entered, which is less", "Ic", "n·Iz,1", f"{t.sets}·{f(by_hand)}", found, "A")
    return found


def terminal_a(c: Circuit, t: Try) -> float | None:
    """Ampacity of all sets at the column of the terminals, without correction [A]."""
    if c.laying.conductor is None:
        return None
    one = tables.nec_capacities(c.laying.conductor, terminal_column(c)).get(t.size.key)
    return None if one is None else t.sets * one


def _lacks_make(c: Circuit) -> str:
    if c.laying.conductor is None:
        return "its conductor material"
    return "" if insulation_column(c) else "its insulation"


def _lacks_load(c: Circuit) -> str:
    return _lacks_make(c) or ("" if c.nec else NO_LOAD)


def _lacks_device(c: Circuit) -> str:
    return _lacks_make(c) or ("" if c.device else NO_DEVICE)


def sized_a(c: Circuit, w: Working | None) -> float:
    """1.25·C + N with the greatest motor at 1.25 [A]."""
    load = c.nec
    assert load is not None
    if w:
        for symbol, told, value in (("C", "continuous load", load.continuous_a), ("M", "greatest motor, by table", load.motor_a),
                                    ("N", "other load", load.other_a), ("Mo", "other motors", load.other_motors_a)):  # fmt: skip
            w.given(symbol, told, value, "A", c.i_b_told)
    asked = eq.calc(eq.SIZED, w, "Current that it is sized for", c=load.continuous_a, m=load.motor_a, n=load.other_a, mo=load.other_motors_a)
    return asked * (1 + c.preferences.spare_pct / 100)


def _minimum(c: Circuit, t: Try, w: Working | None) -> Held | None:
    least = tables.nec_wire_by_key(LEAST[c.laying.conductor or "copper"])
    if t.sets > 1:
        least = tables.nec_wire_by_key(PARALLEL_FROM)
    if w:
        w.given("Amin", f"{'in parallel' if t.sets > 1 else 'smallest'}: {least.label}", least.area_mm2, "mm²", "NEC 310.10(G)" if t.sets > 1 else "NEC 310.3")
        w.given("Aown", "smallest that the project lays", c.preferences.smallest_mm2, "mm²", "study setting")
    return Held(t.size.area_mm2, max(least.area_mm2, c.preferences.smallest_mm2), "mm²")


def _terminal(c: Circuit, t: Try, w: Working | None) -> Held | None:
    offered = terminal_a(c, t)
    if offered is None or c.nec is None:
        return None
    if w:
        marked = "as marked" if c.laying.terminal_degc else "by 110.14(C)"
        w.given("It", f"{t.sets} × {t.size.label}, {terminal_column(c)} °C column of the terminals, {marked}", offered, "A", "NEC 310.16",
                c.laying.terminal_degc is None)  # fmt: skip
    return Held(offered, sized_a(c, w), "A")


def _ampacity(c: Circuit, t: Try, w: Working | None) -> Held | None:
    offered = ampacity_a(c, t, w)
    if offered is None or c.nec is None:
        return None
    asked = c.nec.loaded_a * (1 + c.preferences.spare_pct / 100)
    if w:
        w.given("I", "load, without the 1.25", asked, "A", c.i_b_told)
    return Held(offered, asked, "A")


def _motor(c: Circuit, t: Try, w: Working | None) -> Held | None:
    """1.25 times the current of the table, held against the corrected ampacity: our reading of 430.22."""
    offered = ampacity_a(c, t, w)
    return None if offered is None or c.nec is None else Held(offered, sized_a(c, w), "A")


def usable_a(c: Circuit, t: Try, w: Working | None = None) -> float | None:
    """Ampacity that may be used: corrected, but not above the column of the terminals."""
    corrected, terminal = ampacity_a(c, t, w), terminal_a(c, t)
    if corrected is None or terminal is None:
        return corrected
    if w:
        w.step("Ampacity that may be used", "Iu", f"min(Ic, ampacity at {terminal_column(c)} °C)", f"min({f(corrected)}, {f(terminal)})",
               min(corrected, terminal), "A", "NEC 110.14(C)")  # fmt: skip
    return min(corrected, terminal)


def greatest_device_a(usable: float, next_size: bool) -> float:
    """Greatest device that may protect an ampacity: up to 800 A the next standard one where it is none itself (240.4(B), (C))."""
    above = next((a for a in tables.nec_standard_a() if a >= usable * (1 - 1e-9)), math.inf)
    return above if next_size and above <= NEXT_SIZE_TO_A else usable


def _protect(c: Circuit, t: Try, w: Working | None) -> Held | None:
    usable = usable_a(c, t, w)
    if usable is None or c.device is None:
        return None
    allowed = greatest_device_a(usable, c.serves != "socket outlets")
    if w:
        w.step("Greatest device", "In,max", "next standard rating, up to 800 A", f(usable), allowed, "A", "NEC 240.4(B), (C)",
               "not for circuits of several outlets: there the ampacity itself" if c.serves == "socket outlets" else "")  # fmt: skip
        w.given("In", f"{c.device.name}: {'setting, with restricted access (240.6(C))' if c.device.adjustable else 'rating'}", c.device.i_set_a, "A", c.name)
    return Held(c.device.i_set_a, allowed, "A", at_most=True)


def _secondary_lacks(c: Circuit) -> str:
    return _lacks_device(c) or ("" if c.primary_a is not None else "the device on the primary side of its transformer")


def _secondary(c: Circuit, t: Try, w: Working | None) -> Held | None:
    """Conductors on the secondary side: no next standard device; a third of the primary device by the ratio, a tenth up to 10 ft."""
    usable = usable_a(c, t, w)
    if usable is None or c.device is None or c.primary_a is None:
        return None
    part = 10.0 if (c.laying.length_m or math.inf) * FT_PER_M <= TENTH_TO_FT else 3.0
    asked = secondary_least_a(c.device.i_set_a, c.primary_a, part)
    if w:
        w.given("In", f"{c.device.name}: rating, or setting", c.device.i_set_a, "A", c.name)
        w.given("Ip", "primary device, by the ratio of the voltages", c.primary_a, "A", "NEC 240.21(C)")
        w.step(
            "Least ampacity", "Imin", f"max(In, Ip/{part:g})", f"max({f(c.device.i_set_a)}, {f(c.primary_a)}/{part:g})", asked, "A", "NEC 240.21(C)(2), (C)(6)"
        )
    return Held(usable, asked, "A")


def _no_tap(c: Circuit) -> str:
    return "what protects it stands at its beginning" if c.supply_a is None else ""


def _tap(c: Circuit, t: Try, w: Working | None) -> Held | None:
    """A conductor whose device stands at its end: a tenth of the device before it up to 10 ft, a third up to 25 ft; else it is none, and that one counts."""
    usable = usable_a(c, t, w)
    if usable is None or c.device is None or c.supply_a is None or c.laying.length_m is None:
        return None
    ft = c.laying.length_m * FT_PER_M
    if w:
        w.given("In", f"{c.device.name}, at its end", c.device.i_set_a, "A", c.name)
        w.given("Is", "device at its beginning", c.supply_a, "A", "NEC 240.21(B)")
        w.given("l", "length", ft, "ft", c.name)
    if ft > THIRD_TO_FT:
        allowed = greatest_device_a(usable, c.serves != "socket outlets")
        if w:
            w.step("Greatest device at its beginning", "In,max", "next standard rating, up to 800 A", f(usable), allowed, "A", "NEC 240.4(B), (C)",
                   "Longer than 25 ft.")  # fmt: skip
        return Held(c.supply_a, allowed, "A", at_most=True)
    part = 10.0 if ft <= TENTH_TO_FT else 3.0
    asked = max(c.device.i_set_a, c.supply_a / part)
    if w:
        w.step("Least ampacity", "Imin", f"max(In, Is/{part:g})", f"max({f(c.device.i_set_a)}, {f(c.supply_a)}/{part:g})", asked, "A",
               f"NEC 240.21(B)({1 if part == 10 else 2})", "Up to 10 ft in a raceway; indoors.")  # fmt: skip
    return Held(usable, asked, "A")


def _small(c: Circuit, t: Try, w: Working | None) -> Held | None:
    if c.device is None:
        return None
    most = SMALL_A.get(c.laying.conductor or "", {}).get(t.size.key)
    if w:
        told = f"greatest device of {t.size.label}" if most else f"{t.size.label} is none of the small sizes: any"
        w.given("In,max", told, math.inf if most is None else most, "A", "NEC 240.4(D)")
    return Held(c.device.i_set_a, math.inf if most is None else most, "A", at_most=True)


def _drop_lacks(c: Circuit) -> str:
    lacking = ((c.nec, NO_LOAD), (c.cosphi, "the power factor of what it carries"), (c.laying.length_m, "its length"),
               (c.laying.raceway, "its raceway"), (c.drop_limit_pct, "the limit of its voltage drop"))  # fmt: skip
    return _lacks_make(c) or next((told for value, told in lacking if value is None), "")


def impedance(c: Circuit, t: Try) -> tuple[float, float] | None:
    """Resistance and reactance to neutral [ohm/1000 ft] at the network's frequency."""
    found = tables.nec_ohm_per_kft(c.laying.conductor, t.size.area_mm2, c.laying.raceway) if c.laying.conductor and c.laying.raceway else None
    if found:
        return found[0], found[1] * c.f_hz / 60
    own = c.entered.ohm_per_km if t.entered else None
    return (own[0] / FT_PER_M, own[1] / FT_PER_M) if own else None


def _drop(c: Circuit, t: Try, w: Working | None) -> Held | None:
    z = impedance(c, t)
    if z is None or c.nec is None or c.cosphi is None or c.laying.length_m is None or c.drop_limit_pct is None:
        return None
    i, rf = c.i_b_a or c.nec.loaded_a, math.sqrt(max(0.0, 1 - c.cosphi**2))
    if w:
        w.given("I", "load, without the 1.25", i, "A", c.i_b_told)
        w.given("pf", "power factor", c.cosphi, "", c.name)
        w.given("R", f"{t.size.label}, {c.laying.raceway}, 75 °C", z[0], "ohm/1000 ft", "NEC chapter 9, table 9")
        w.given("X", "to neutral", z[1], "ohm/1000 ft", "NEC chapter 9, table 9")
        w.given("u,max", c.drop_told, c.drop_limit_pct, "%")
    u = eq.calc(eq.NEC_DROP, w, f"Voltage drop with {t.sets} × {t.size.label}", "Advisory in the code; binding here as the project's limit.", i=i,
                l_ft=c.laying.length_m * FT_PER_M, n=float(t.sets), r=z[0], pf=c.cosphi, x=z[1], rf=rf, v=c.u_v)  # fmt: skip
    return Held(u, c.drop_limit_pct, "%", at_most=True)


def cold_factor(conductor: str) -> float:
    """Resistance at 20 degC over that at the 75 degC of the tables."""
    return tables.resistance_ratio(conductor, 20.0, 75.0)


def icea_kappa(conductor: str, insulation: str) -> float:
    """Factor of the ICEA form: (I/A)²·t with A in circular mils."""
    t1, t2 = ICEA_TEMPERATURES[insulation]
    zero = ICEA_ZERO[conductor]
    return ICEA_FACTOR[conductor] * math.log10((t2 + zero) / (t1 + zero))


def _withstand_lacks(c: Circuit) -> str:
    if c.laying.insulation is None:
        return "its insulation"
    return _lacks_make(c) or ("" if c.heat else "the fault current at its beginning, with the device that cuts it off")


def _withstand(c: Circuit, t: Try, w: Working | None) -> Held | None:
    laid, heat = c.laying, c.heat
    if heat is None or laid.conductor is None or laid.insulation is None:
        return None
    if not math.isfinite(heat.a2s):
        return Held(t.sets * cmil(t.size) / 1000, math.inf, "kcmil")
    z = impedance(c, t)
    far = heat_along(c, t, (z[0] * FT_PER_M, z[1] * FT_PER_M) if z else None, w)
    if not math.isfinite(far):
        return Held(t.sets * cmil(t.size) / 1000, math.inf, "kcmil")
    if far > heat.a2s:
        heat = Heat(i2t_a2s=far, told="most heat of a fault along the conductor")
    i, time = (math.sqrt(heat.a2s), 1.0) if heat.i2t_a2s is not None else (heat.i_a or 0.0, heat.t_s or 0.0)
    kappa = icea_kappa(laid.conductor, laid.insulation)
    if w:
        w.given("I", heat.told if heat.i2t_a2s is None else f"{heat.told}, as a current for 1 s", i, "A", "Faults, protection")
        w.given("t", "until it is cut off", time, "s", "protection")
        w.given("κ", f"{laid.conductor}, {laid.insulation}", kappa, "", "ICEA P-32-382")
    least = eq.calc(eq.ICEA, w, "Area that withstands it, of all in parallel together", i=i, t=time, kappa=kappa)
    return Held(t.sets * cmil(t.size) / 1000, least, "kcmil")


def cmil(size: Size) -> float:
    """Area in circular mils, as the table has it where it is one of its sizes."""
    wire = next((x for x in tables.nec_sizes() if x.key == size.key), None)
    return wire.area_cmil if wire else size.area_mm2 / 5.067075e-4


RULES = {
    r.id: r
    for r in (
        Rule("nec.minimum", "310.3, 310.10(G)", "the least size", TWICE, _minimum, lacks=_lacks_make),
        Rule("nec.terminal", "110.14(C), 210.19(A), 215.2(A)", "suits its terminals", TWICE, _terminal, lacks=_lacks_load),
        Rule("nec.ampacity", "310.14, 310.15(B), (C), 310.16", "carries the load where it is laid", TWICE, _ampacity, lacks=_lacks_load),
        Rule("nec.motor", "430.6, 430.22", "carries 1.25 times the motor's current", TWICE, _motor, lacks=_lacks_load),
        Rule("nec.cap", "460.8(A)", "carries 1.35 times the capacitor's current", TWICE, _ampacity, lacks=_lacks_load),
        Rule("nec.gen", "445.13", "carries 1.15 times the generator's current", TWICE, _ampacity, lacks=_lacks_load),
        Rule(
            "nec.secondary", "240.21(C)(2), (C)(6)", "is no less than its device, and enough beside the primary one", TWICE, _secondary, lacks=_secondary_lacks
        ),
        Rule(
            "nec.tap",
            "240.21(B), 430.28",
            "is enough beside the device at its beginning",
            TWICE,
            _tap,
            _no_tap,
            lambda c: _lacks_device(c) or ("" if c.laying.length_m is not None else "its length"),
        ),
        Rule("nec.protect", "240.4", "is protected by its device", TWICE, _protect, lacks=_lacks_device),
        Rule("nec.small", "240.4(D)", "its device suits a small conductor", TWICE, _small, lacks=_lacks_device),
        Rule("nec.drop", "notes to 210.19(A), 215.2(A)", "its voltage drop is within the limit", TWICE, _drop, lacks=_drop_lacks),
        Rule("nec.withstand", "110.10, 240.92", "withstands the heat of a fault", VERIFIED, _withstand, lacks=_withstand_lacks),
    )
}
SEQUENCE: dict[str, tuple[str, ...]] = {
    "motor way": ("minimum", "terminal", "motor", "tap", "drop", "withstand"),
    "load way": ("minimum", "terminal", "ampacity", "protect", "tap", "small", "drop", "withstand"),
    "feeder": ("minimum", "terminal", "ampacity", "protect", "tap", "small", "drop", "withstand"),
    "tie": ("minimum", "terminal", "ampacity", "protect", "tap", "drop", "withstand"),
    "transformer primary": ("minimum", "terminal", "ampacity", "protect", "tap", "withstand"),
    "transformer secondary": ("minimum", "secondary", "terminal", "ampacity", "drop", "withstand"),
    "capacitor way": ("minimum", "cap", "terminal", "tap", "withstand"),
    "generator cable": ("minimum", "gen", "terminal", "drop", "withstand"),
}


class Nec:
    """NEC 2023, for the frame."""

    name = "NEC 2023"
    minimum = ("nec.minimum",)

    def rules(self, circuit: Circuit) -> Sequence[Rule]:
        return [RULES[f"nec.{r}"] for r in SEQUENCE[circuit.purpose]]

    def sizes(self, circuit: Circuit, sets: int) -> Sequence[Size]:
        if circuit.laying.conductor is None:
            return []
        listed = tables.nec_capacities(circuit.laying.conductor, 75)
        return [nec_size(w) for w in tables.nec_sizes() if w.key in listed and w.area_mm2 <= circuit.preferences.largest_mm2]

    def size_of(self, circuit: Circuit, area_mm2: float) -> Size:
        wire = tables.nec_wire(area_mm2)
        return nec_size(wire) if wire else Size(f"{area_mm2:g} mm²", area_mm2)

    def protective(self, circuit: Circuit, size: Size, sets: int) -> Size | None:
        wire = tables.nec_egc(circuit.device.i_set_a, circuit.laying.conductor or "copper") if circuit.device else None
        return nec_size(wire) if wire else None


@cache
def nec_size(wire: tables.Wire) -> Size:
    return Size(wire.label, wire.area_mm2, wire.key)


__all__ = ["Nec", "RULES", "ampacity_a", "greatest_device_a", "impedance", "insulation_column", "nec_size", "terminal_column", "usable_a"]
