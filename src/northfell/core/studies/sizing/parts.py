"""What a code asks beside the size of the line conductors: device rating, overload setting, neutral, protective conductor, raceway, breaking capacity."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.quantities import figure as f
from northfell.core.quantities import wire_size
from northfell.core.studies.coordination import motor_limit
from northfell.core.studies.duty import k_of_cable
from northfell.core.studies.sizing import equations as eq
from northfell.core.studies.sizing import iec, nec
from northfell.core.studies.sizing.circuit import Circuit
from northfell.core.studies.sizing.frame import TWICE, UNCERTAIN, VERIFIED, Try

Amount = float | str | None
NEAR_TIE = 0.997  # of an area: equal numbers of gauge steps nearly tie
RCD_MA, RCD_TO_A = 30.0, 32.0  # IEC 60364-4-41, 411.3.3
SUPERVISED_TO_FT = 100.0  # NEC 240.92(C)


@dataclass(frozen=True)
class Part:
    """One quantity of a circuit: what stands there, what the code asks for, what would be chosen."""

    quantity: str
    entered: Amount
    required: Amount
    chosen: Amount
    unit: str
    rule: str
    clause: str
    ok: bool | None  # None: not judged
    demand: str = ""
    note: str = ""
    standing: str = TWICE
    used_pct: float = math.nan


def rating(c: Circuit, by_nec: bool) -> Part | None:
    """The rating, or setting, of the device, from the load alone."""
    if c.purpose == "transformer primary":
        return None  # above the inrush and below the damage of the transformer: rules of coordination
    return _nec_rating(c) if by_nec else _iec_rating(c)


def _iec_rating(c: Circuit) -> Part | None:
    ib, d = c.demand_a, c.device
    if ib is None:
        return None
    entered = d.i_set_a if d else None
    if c.purpose == "motor way" and c.relay_a is not None and d is not None:
        return _motor_device(c, ib)
    clause = "4-43 433.1"
    chosen = _row_above(d.kind if d else "thermal-magnetic", ib, d.i_frame_a if d else None)
    ok = None if entered is None else entered >= ib * (1 - 1e-9)
    demand = f"at least {f(ib)} A"
    note = "" if chosen is not None else "no row of its kind is large enough"
    return Part("device rating", entered, ib, entered if ok else chosen, "A", "iec.rating", clause, ok, demand, note, TWICE, _pct(ib, entered))


def _row_above(kind: str, i_a: float, frame_a: float | None) -> float | None:
    """The next rated current of a kind of device; what is set freely, to the next ampere within its frame, else the next frame."""
    if kind in ("gG", "aM", "miniature", "thermal-magnetic"):
        return next((a for a in tables.iec_rows(kind) if a >= i_a * (1 - 1e-9)), None)
    setting = float(math.ceil(i_a - 1e-9))
    return setting if frame_a is None or setting <= frame_a else next((a for a in tables.iec_rows("frame") if a >= i_a), None)


def _motor_device(c: Circuit, ib: float) -> Part:
    """Of a starter with overload relay: the device before it must let the motor start, by its least gates."""
    d = c.device
    assert d is not None
    entered = d.i_set_a
    if d.kind not in ("aM", "gG"):
        return Part("device rating", entered, ib, entered, "A", "iec.motor", "60947-4-1", entered >= ib * (1 - 1e-9), f"at least {f(ib)} A",
                    "whether it lets the motor start: Coordination", TWICE, _pct(ib, entered))  # fmt: skip
    holds = tables.am_holds_s if d.kind == "aM" else tables.gg_holds_s
    start, t = (c.start.multiple * ib, c.start.time_s or 10.0) if c.start else (ib, math.inf)
    told = "" if c.start is None or c.start.time_s else "starting time taken as 10 s"

    def suits(a: float) -> bool:
        return a >= ib * (1 - 1e-9) and (c.start is None or holds(a, start) >= t)

    chosen = next((a for a in tables.iec_rows(d.kind) if suits(a)), None)
    ok = suits(entered) if entered in tables.iec_rows(d.kind) else None
    demand = f"at least {f(ib)} A, and holds {f(start)} A for {f(t)} s" if c.start else f"at least {f(ib)} A"
    return Part(
        "device rating",
        entered,
        chosen,
        entered if ok else chosen,
        "A",
        "iec.motor",
        "60947-4-1; 60269-2 gates",
        ok,
        demand,
        told,
        UNCERTAIN,
        _pct(ib, entered),
    )


def _nec_rating(c: Circuit) -> Part | None:
    load, d = c.nec, c.device
    if load is None or c.i_b_a is None:
        return None
    entered = d.i_set_a if d else None
    if c.purpose == "motor way":
        limit = motor_limit(synchronous=False, fuse=bool(d and d.fuse))
        one = limit.most_a(load.motor_a, not (d and d.adjustable))
        most, least = one + load.other_motors_a, load.motor_a + load.other_motors_a  # of several the largest's device and the others' currents
        ok = None if entered is None else least * (1 - 1e-9) <= entered <= most * (1 + 1e-9)
        others = f", and {f(load.other_motors_a)} A of the others" if load.other_motors_a else ""
        chosen: float | None = most
        if d is None or not d.adjustable:  # of several the next lower standard rating (430.62)
            chosen = max((a for a in tables.nec_standard_a() if a <= most * (1 + 1e-9)), default=None)
        demand = f"at most {f(most)} A ({limit.percent:g} % of {f(load.motor_a)} A{others}), at least {f(least)} A"
        return Part("device rating", entered, chosen, entered if ok else chosen, "A", "nec.motor_ocpd", "430.52(C)", ok, demand,
                    f"as {limit.told}", TWICE, _pct(entered, most))  # fmt: skip
    if c.purpose == "capacitor way":
        asked = load.other_a
        return Part("device rating", entered, asked, entered, "A", "nec.cap", "460.8(B)", None, "as low as practicable", "", TWICE)
    asked = c.i_b_a if c.purpose == "transformer secondary" else load.sized_a * (1 + c.preferences.spare_pct / 100)
    chosen = next((a for a in tables.nec_standard_a() if a >= asked * (1 - 1e-9)), None)
    ok = None if entered is None else entered >= asked * (1 - 1e-9)
    told = "its setting counts as its rating only with restricted access, 240.6(C)" if d and d.adjustable else ""
    return Part("device rating", entered, chosen, entered if ok else chosen, "A", "nec.ocpd", "210.20, 215.3, 240.6", ok, f"at least {f(asked)} A", told, TWICE,
                _pct(asked, entered))  # fmt: skip


def overload_setting(c: Circuit, by_nec: bool) -> Part | None:
    """The overload relay of a motor."""
    if c.purpose != "motor way" or c.i_b_a is None or (c.relay_a is None and not by_nec):
        return None
    if c.motors > 1:
        rule, clause = ("nec.overload", "430.32(A)") if by_nec else ("iec.motor", "60947-4-1")
        return Part("overload setting", c.relay_a, None, None, "A", rule, clause, None, "", f"{c.motors} motors on one way: each needs a relay of its own")
    if by_nec:
        plate = c.nec.nameplate_a if c.nec else None
        if plate is None:
            return None
        factor = 1.25 if c.service_factor and c.service_factor >= 1.15 else 1.15
        most = factor * plate
        ok = None if c.relay_a is None else plate * (1 - 0.005) <= c.relay_a <= most * (1 + 1e-9)
        told = "service factor not entered: 115 %" if c.service_factor is None else f"service factor {c.service_factor:g}"
        return Part("overload setting", c.relay_a, most, c.relay_a if ok else math.floor(10 * most) / 10, "A", "nec.overload", "430.32(A)", ok,
                    f"at most {f(most)} A ({100 * factor:g} % of the nameplate's {f(plate)} A)", told, TWICE, _pct(c.relay_a, most))  # fmt: skip
    assert c.relay_a is not None
    ok = c.i_b_a * 0.995 <= c.relay_a <= c.i_b_a * 1.05
    return Part("overload setting", c.relay_a, c.i_b_a, c.relay_a if ok else math.ceil(10 * c.i_b_a - 1e-6) / 10, "A", "iec.motor", "60947-4-1", ok,
                f"the rated current, {f(c.i_b_a)} A", "up to 5 % more is taken as set to it", TWICE, _pct(c.relay_a, c.i_b_a * 1.05))  # fmt: skip


def protective(c: Circuit, line: Try, entered_line: Try | None, by_nec: bool, base_mm2: float | None) -> Part | None:
    """The protective conductor beside the line conductors that are chosen."""
    if by_nec:
        return _egc(c, line, entered_line, base_mm2)
    metal = c.laying.conductor or "copper"
    need, told = _pe_needed(c, line, metal)
    beside = _pe_needed(c, entered_line, metal)[0] if entered_line else need
    entered = c.entered.pe_mm2
    if need is None or beside is None:
        return Part("protective conductor", entered, None, None, "mm²", "iec.pe", "5-54 543.1", False, "at least as its heat asks", told, TWICE)
    ok = None if entered is None else entered >= beside * (1 - 1e-9)
    chosen = entered if entered is not None and entered >= need * (1 - 1e-9) else need
    return Part("protective conductor", entered, need, chosen, "mm²", "iec.pe", "5-54 543.1", ok, f"at least {need:g} mm²", told, TWICE, _pct(beside, entered))


def _pe_needed(c: Circuit, line: Try, metal: str) -> tuple[float | None, str]:
    """By the way of the project that is chosen, table or heat; none where no size bears the heat. The table stands in, told, where no heat is known."""
    by_table = iec.protective_by_table(metal, line.size.area_mm2).area_mm2
    if c.preferences.pe_by == "table":
        return by_table, f"table 54.2 beside {line.size.label}"
    if c.pe_heat is None or c.laying.insulation is None or not math.isfinite(c.pe_heat.a2s):
        return by_table, f"table 54.2 beside {line.size.label}: the heat of a fault is not known, or has no end"
    least = eq.WITHSTAND.value(q=c.pe_heat.a2s, k=k_of_cable(metal, c.laying.insulation, by_table)) / line.sets
    told = f"√(I²t)/k = {f(least)} mm²; table 54.2 has {by_table:g}"
    size = next((s for s in tables.iec_sizes(metal) if s >= least), None)
    return size, told if size is not None else f"{told}; no size is as large"


def _egc(c: Circuit, line: Try, entered_line: Try | None, base_mm2: float | None) -> Part | None:
    if c.device is None or not math.isfinite(c.device.i_set_a):
        return None
    metal = c.laying.conductor or "copper"
    before_a = c.supply_a if c.supply_a is not None else c.device.i_set_a  # of a tap the device of the feeder, 250.122(G)
    wire = tables.nec_egc(before_a, metal)
    if wire is None:
        return Part("protective conductor", None, None, None, "", "nec.egc", "250.122(A)", None, "", f"{f(before_a)} A is above the table", TWICE)
    told, area = f"device of {f(before_a)} A{', before the tap (250.122(G))' if c.supply_a is not None else ''}", wire.area_mm2
    if base_mm2 and line.size.area_mm2 > base_mm2 * 1.001:
        ratio = nec.cmil(line.size) / nec.cmil(nec.nec_size(tables.nec_wire(base_mm2) or wire))
        larger = next((w for w in tables.nec_sizes() if w.area_cmil >= wire.area_cmil * ratio * (1 - 1e-12)), None)
        if larger is None:
            return Part("protective conductor", None, None, None, "", "nec.egc", "250.122(B)", None, "", "none is as large as the increase asks", TWICE)
        nearly = next((w for w in tables.nec_sizes() if NEAR_TIE <= w.area_cmil / (wire.area_cmil * ratio) < 1), None)
        told = f"{told}; line conductors enlarged by {f(ratio)}, 250.122(B)"
        told += f"; {nearly.label} nearly does, {nearly.area_cmil:.0f} of {wire.area_cmil * ratio:.0f} cmil: to be judged" if nearly else ""
        area, wire = larger.area_mm2, larger
    if area > line.size.area_mm2:
        wire, told = tables.nec_wire(line.size.area_mm2) or wire, f"{told}; no larger than the line conductors"
    entered = c.entered.pe_mm2
    shown = None if entered is None else wire_size(entered)
    hot, about = _egc_by_heat(c, metal, wire)
    told = f"{told}; {about}"
    if hot is None:
        return Part("protective conductor", shown, None, None, "", "nec.egc", "250.4(A)(5), 110.10", False, "at least as its heat asks", told, TWICE)
    ok = None if entered is None else entered >= hot.area_mm2 * 0.988
    clause = "250.122(A), (B), (F)" if hot == wire else "250.4(A)(5), 110.10"
    return Part("protective conductor", shown, hot.label, shown if ok else hot.label, "", "nec.egc", clause, ok,
                f"at least {hot.label}", told, TWICE, _pct(hot.area_mm2, entered))  # fmt: skip


def _egc_by_heat(c: Circuit, metal: str, wire: tables.Wire) -> tuple[tables.Wire | None, str]:
    """The size of the table is a minimum: a larger one where the heat of an earth fault asks for it; none where no size bears it."""
    heat = c.pe_heat
    if heat is None or c.laying.insulation is None:
        return wire, "the heat of an earth fault is not known: not held against it"
    if not math.isfinite(heat.a2s):
        carries = tables.nec_capacities(metal, nec.terminal_column(c)).get(wire.key, 0.0)
        i = heat.i_a or 0.0
        return (wire, f"carries the {f(i)} A of an earth fault for good") if i <= carries else (None, heat.told)
    least_kcmil = eq.ICEA.value(i=math.sqrt(heat.a2s), t=1.0, kappa=nec.icea_kappa(metal, c.laying.insulation))
    if least_kcmil <= wire.area_cmil / 1000 * (1 + 1e-9):
        return wire, f"the heat of an earth fault asks for {f(least_kcmil)} kcmil of its {f(wire.area_cmil / 1000)}"
    size = next((w for w in tables.nec_sizes() if w.area_cmil >= 1000 * least_kcmil * (1 - 1e-9)), None)
    told = f"{heat.told} asks for {f(least_kcmil)} kcmil; table 250.122 alone for {wire.label}"
    return size, told if size else f"{told}; no size is as large"


def neutral(c: Circuit, line: Try, entered_line: Try | None, by_nec: bool) -> Part | None:
    """The neutral: as the line conductors, which both codes take unless less is shown to be enough."""
    if not c.neutral:
        return None
    entered = c.entered.neutral_mm2
    needed, held = line.size.area_mm2, (entered_line or line).size.area_mm2
    ok = None if entered is None else entered >= held * 0.988
    rule, clause = ("nec.neutral", "220.61") if by_nec else ("iec.neutral", "5-52 524.2")
    unit = "" if by_nec else "mm²"

    def shown(mm2: float | None) -> Amount:
        return None if mm2 is None else wire_size(mm2) if by_nec else mm2

    enough = entered is not None and entered >= needed * 0.988
    told = "full size; a reduced one is not proposed" + ("" if entered is not None else "; not entered: taken as the line conductors")
    return Part("neutral conductor", shown(entered), shown(needed), shown(entered if enough else needed), unit, rule, clause, ok,
                f"at least {line.size.label}", told, TWICE, _pct(held, entered))  # fmt: skip


def raceway(c: Circuit, line: Try, egc_mm2: float | None) -> Part | None:
    """The trade size of the raceway of one set, with what shares it, by its fill (NEC chapter 9)."""
    kind, wire = c.laying.raceway, c.laying.wire_type
    if kind is None:
        return None
    clause = "chapter 9, tables 1, 4, 5"
    if wire is None:
        return Part("raceway", c.entered.raceway_size, None, None, "", "nec.fill", clause, None, "", "the type of its conductors (Type by NEC) is not entered")
    sharing = c.laying.sharing
    unknown = "its raceway is none of chapter 9" if kind in tables.IEC_RACEWAYS else sharing.unknown if sharing else ""
    if unknown:
        return Part("raceway", c.entered.raceway_size, None, None, "", "nec.fill", clause, None, "", f"{unknown}: not judged", TWICE)
    conductors = 3 + int(c.neutral)
    line_in2 = tables.wire_area_in2(wire, line.size.key)
    ground = tables.nec_wire(egc_mm2) if egc_mm2 else None
    egc_in2 = tables.wire_area_in2(wire, ground.key) if ground else None
    if line_in2 is None or egc_in2 is None:
        what = f"chapter 9 has no {wire} of {line.size.label}" if line_in2 is None else "its equipment grounding conductor is not known"
        return Part("raceway", c.entered.raceway_size, None, None, "", "nec.fill", clause, None, "", f"{what}: not judged")
    area = conductors * line_in2 + egc_in2 + (sharing.area if sharing else 0.0)
    told = f"{conductors} × {line_in2:g} + {egc_in2:g}{f' + {sharing.area:.4f} ({sharing.told})' if sharing else ''} = {area:.4f} in²"
    return _by_fill(c, area, 40.0, tables.raceway_sizes_in2(kind), ("trade size", "in²", "nec.fill", clause, VERIFIED), told)


def _by_fill(c: Circuit, area: float, fill_pct: float, sizes: Sequence[tuple[str, float]], terms: tuple[str, str, str, str, str], told: str) -> Part:
    """The least of the sizes of a raceway, each with its inside area, that an area of conductors fills to no more than so much."""
    unit, squared, rule, clause, standing = terms
    needed, kind = eq.FILL.value(a=area, p=fill_pct), c.laying.raceway
    found = next(((name, a) for name, a in sizes if a >= needed * (1 - 1e-9)), None)
    entered = c.entered.raceway_size
    inside = dict(sizes).get(entered or "")
    ok = None if inside is None else inside >= needed * (1 - 1e-9)
    told += f", {100 * area / found[1]:.1f} % of {kind} {found[0]}" if found else "; none is as large"
    return Part("raceway", entered, found[0] if found else None, entered if ok else found[0] if found else None, unit, rule, clause, ok,
                f"at least {needed:.3f} {squared} inside", told, standing, _pct(needed, inside))  # fmt: skip


def conduit(c: Circuit) -> Part | None:
    """The size of the conduit or trunking of one set, with what shares it, by the outside diameters of its cables (IEC; the project's own fill)."""
    if c.laying.raceway not in tables.IEC_RACEWAYS:
        return None
    clause, diameter, sharing = "5-52 522.8; project setting", c.laying.outside_mm, c.laying.sharing
    unknown = "its outside diameter is not entered" if diameter is None else sharing.unknown if sharing else ""
    if unknown or diameter is None:
        return Part("raceway", c.entered.raceway_size, None, None, "", "iec.fill", clause, None, "", f"{unknown}: not judged", UNCERTAIN)
    count = cables_of_set(c.laying.single_core, c.neutral)
    area = count * math.pi * diameter**2 / 4 + (sharing.area if sharing else 0.0)
    told = f"{count} × {diameter:g} mm across{f' + {sharing.area:.0f} mm² ({sharing.told})' if sharing else ''} = {area:.0f} mm²"
    sizes = tables.iec_raceway_sizes_mm2(c.laying.raceway, c.entered.raceway_size or "")
    return _by_fill(c, area, c.preferences.fill_pct, sizes, ("mm", "mm²", "iec.fill", clause, UNCERTAIN), told)


def cables_of_set(single_core: bool, neutral: bool) -> int:
    """Cables of one set: of single cores the lines, the neutral, and the protective conductor, which is taken as no thinner."""
    return 4 + int(neutral) if single_core else 1


def breaking(c: Circuit, by_nec: bool) -> Part | None:
    """Breaking capacity of the device at its place, as its duty has it (Faults)."""
    b = c.breaking
    if b is None or b.asked_ka is None:
        return None
    rule, clause = ("nec.ir", "110.9") if by_nec else ("iec.breaking", "4-43 434.5.1")
    ok = None if b.rated_ka is None else b.asked_ka <= b.rated_ka * (1 + 1e-9)
    return Part("breaking capacity", b.rated_ka, b.asked_ka, b.rated_ka if ok else None, "kA", rule, clause, ok, f"at least {f(b.asked_ka)} kA", b.told, TWICE,
                _pct(b.asked_ka, b.rated_ka))  # fmt: skip


def residual_device(c: Circuit) -> Part | None:
    """Socket outlets up to 32 A that ordinary persons use need a residual-current device of 30 mA at most."""
    if c.serves != "socket outlets" or c.device is None or c.device.i_set_a > RCD_TO_A:
        return None
    there = c.device.residual_ma
    ok = there is not None and there <= RCD_MA
    return Part("residual current", there, RCD_MA, there if ok else RCD_MA, "mA", "iec.rcd", "4-41 411.3.3", ok, f"at most {RCD_MA:g} mA",
                "socket outlets that ordinary persons use", TWICE, 100 * there / RCD_MA if there else math.nan)  # fmt: skip


def secondary_length(c: Circuit) -> Part | None:
    """How far conductors on the secondary side of a transformer may run to their device (NEC 240.21(C)(6), 240.92)."""
    if c.purpose != "transformer secondary" or c.laying.length_m is None:
        return None
    ft = c.laying.length_m * nec.FT_PER_M
    most = SUPERVISED_TO_FT if c.supervised else nec.THIRD_TO_FT
    told = "supervised: by 240.92(C), its short-circuit protection to be shown" if c.supervised and ft > nec.THIRD_TO_FT else "indoors"
    ok = ft <= most * (1 + 1e-9)
    return Part("secondary length", ft, most, None, "ft", "nec.secondary", "240.21(C)(6), 240.92", ok, f"at most {most:g} ft", told, TWICE, 100 * ft / most)


def disconnect(c: Circuit) -> Part | None:
    """The disconnecting means of a motor (NEC 430.110): told, since no element carries such a rating."""
    if c.purpose != "motor way" or c.nec is None:
        return None
    least = 1.15 * (c.nec.motor_a + c.nec.other_motors_a)
    return Part("disconnecting means", None, least, None, "A", "nec.disconnect", "430.109, 430.110", None, f"at least {f(least)} A, and rated in horsepower")


def parts_of(as_entered: Circuit, c: Circuit, by_nec: bool, line: Try | None, entered_line: Try | None, base_mm2: float | None) -> Iterator[Part]:
    """All quantities of a circuit beside the line conductors: its device as it is entered, what follows with the device that is chosen.

    Of those that go by the line conductors, where a size of these is known.
    """
    yield from (p for p in (rating(as_entered, by_nec), overload_setting(as_entered, by_nec)) if p)
    yield from (p for p in (breaking(as_entered, by_nec),) if p)
    chosen = line or entered_line
    if chosen is not None:
        pe = protective(c, chosen, entered_line, by_nec, base_mm2)
        yield from (p for p in (pe, neutral(c, chosen, entered_line, by_nec)) if p)
        if by_nec:
            egc = tables.nec_wire(_mm2(pe.chosen)) if pe and isinstance(pe.chosen, str) and _mm2(pe.chosen) else None
            yield from (p for p in (raceway(c, chosen, egc.area_mm2 if egc else None),) if p)
    of_code = (disconnect(c), secondary_length(c)) if by_nec else (residual_device(c), conduit(c))
    yield from (p for p in of_code if p)


def _mm2(label: str) -> float:
    return next((w.area_mm2 for w in tables.nec_sizes() if w.label == label), 0.0)


def _pct(asked: float | None, there: float | None) -> float:
    return math.nan if asked is None or not there else 100 * asked / there
