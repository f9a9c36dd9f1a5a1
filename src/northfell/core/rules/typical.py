"""Typical values: one function fills what a nameplate does not carry, always with its source, so that it can be marked as assumed."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, cast

from northfell.core.catalogue import tables
from northfell.core.errors import Message
from northfell.core.model.adjacency import Adjacency
from northfell.core.model.declare.parameters import parameter, parameters_of
from northfell.core.model.elements import (  # fmt: skip
    Bus,
    Cable,
    Conductor,
    EarthingTransformer,
    Element,
    InductionMotor,
    Line,
    SynchronousGenerator,
    SynchronousMotor,
    Transformer,
    ZoneRelay,
    motor_mva,
)
from northfell.core.model.settings import study_keys
from northfell.core.quantities import wire_size
from northfell.core.rules.completeness import needed

IEC = "IEC 60909-0:2016"


@dataclass(frozen=True)
class Typical:
    """A typical value and where it comes from."""

    value: float | int | str
    source: str


RULES_HZ = 50  # the frequency at which the rules give reactances and times in cycles


def typical_value(elements: Mapping[str, Element], element: Element, field: str, frequency_hz: int = RULES_HZ) -> Typical | None:
    """The typical value of one parameter in a network of a frequency, or None where no rule gives one for this element."""
    p = parameter(type(element), field)
    rule = _RULES.get(p.typical) if p and p.typical else None
    found = rule(elements, element, field) if rule else None
    scale = {"x_ohm_per_km": frequency_hz / RULES_HZ, "t_break_s": RULES_HZ / frequency_hz}.get(field, 1.0)
    if found is None or scale == 1:
        return found
    return Typical(float(f"{cast(float, found.value) * scale:.4g}"), f"{found.source}, taken to {frequency_hz} Hz")


def rule_text(key: str) -> str:
    """What a rule gives, in words, for the Reference pages."""
    return _TOLD[key]


# what a rule must know before it gives a value: its fields, each of which may have a rule of its own
RESTS_ON: dict[str, tuple[str, ...]] = {
    "enclosure": ("equipment_class",), "generator_resistance": ("xd2_pct",), "transformer_uk": ("s_rated_mva",), "transformer_ur": ("s_rated_mva", "uk_pct"),
    "conductor_r": ("conductor", "area_mm2"), "conductor_x": ("area_mm2",), "conductor_end_temperature": ("insulation",),
    "conductor_capacity": ("conductor", "insulation", "area_mm2"), "motor_r_over_x": ("v_rated_kv", "p_rated_kw", "pole_pairs"),
    "motor_efficiency": ("p_rated_kw",), "load_q": ("p_mw",), "infeed_ik_min": ("ik_max_ka",), "inverter_rating": ("p_mw",),
    "relay_pickup": ("ct_primary_a",), "trip_ir": ("i_rated_a",), "transformer_vector_group": ("v_lv_kv",), "three_winding_ur": (),
    "cable_ambient": ("method",),
    "conductor_r0": ("r_ohm_per_km",), "conductor_x0": ("x_ohm_per_km",), "generator_x0": ("xd2_pct",), "transformer_z0": ("vector_group",),
    "infeed_x0": ("neutral",), "infeed_r0": ("neutral",),
}  # fmt: skip


def typical_for_missing(elements: Mapping[str, Element], element: Element, frequency_hz: int = RULES_HZ) -> dict[str, Typical]:
    """Typical values for all that this element lacks for any study, by field, with those that they rest on: one act fills the whole chain."""
    found: dict[str, Typical] = {}
    filled = element
    asked = {p.name: p for study in study_keys() for p in needed(elements, element, study)}
    for p in asked.values():
        filled = _chain(elements, filled, p.name, frequency_hz, found)
    for p in parameters_of(type(element)):
        if p.wanted_for and p.acts(filled.__dict__) and not (p.replaced_by and p.replaced(filled.__dict__)):  # what was filled before it may let it act
            filled = _chain(elements, filled, p.name, frequency_hz, found)
    return found


def _chain(elements: Mapping[str, Element], element: Element, field: str, frequency_hz: int, found: dict[str, Typical]) -> Element:
    """An element with a field filled, and before it what its rule rests on; as it was where the rule gives nothing."""
    if getattr(element, field) is not None:
        return element
    p = parameter(type(element), field)
    after, steps = element, dict[str, Typical]()
    for before in RESTS_ON.get(p.typical, ()) if p else ():
        if hasattr(after, before):
            after = _chain(elements, after, before, frequency_hz, steps)
    one = typical_value(elements, after, field, frequency_hz)
    if one is None:
        return element
    found.update(steps)
    found[field] = one
    return after.model_copy(update={field: one.value})


def waits_for(elements: Mapping[str, Element], element: Element, field: str, frequency_hz: int = RULES_HZ) -> list[str]:
    """The labels of what must be entered before a rule gives this field a value; empty where it can be filled, or where there is no rule."""
    p = parameter(type(element), field)
    if p is None or not p.typical:
        return []
    filled: dict[str, Typical] = {}
    _chain(elements, element, field, frequency_hz, filled)
    if field in filled or typical_value(elements, element, field, frequency_hz):
        return []
    lacking = [q for name in RESTS_ON.get(p.typical, ()) if (q := parameter(type(element), name)) and getattr(element, name) is None and name not in filled]
    deeper = [label for q in lacking if q.typical for label in waits_for(elements, element, q.name, frequency_hz)]
    return list(dict.fromkeys(deeper + [q.label[0].lower() + q.label[1:] for q in lacking if not q.typical]))


def can_fill(elements: Mapping[str, Element], element: Element, field: str, frequency_hz: int = RULES_HZ) -> bool:
    """Whether a rule gives a field a value as things stand, or after what it rests on was filled by its own rule."""
    filled: dict[str, Typical] = {}
    bare = element.model_copy(update={field: None})
    _chain(elements, bare, field, frequency_hz, filled)
    return field in filled


FILLABLE = "can be filled"  # code of what is told of a field for which a rule gives a value


def help_for(elements: Mapping[str, Element], element: Element, field: str, frequency_hz: int = RULES_HZ) -> str:
    """What can be done about an empty field, in words: that it can be filled, or what its rule waits for; empty where there is no rule."""
    if can_fill(elements, element, field, frequency_hz):
        return Message("A typical value can be filled in.", FILLABLE)
    waits = waits_for(elements, element, field, frequency_hz)
    return f"A typical value follows once {' and '.join(waits)} {'are' if len(waits) > 1 else 'is'} entered." if waits else ""


def _nominal_kv(elements: Mapping[str, Element], element: Element) -> float:
    bus = cast(Bus, elements[element.buses[0]])
    return bus.v_nominal_kv if bus.v_nominal_kv is not None else math.nan


def _infeed_r_over_x(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(0.1, f"{IEC}, RQ = 0.1·XQ where unknown")


def _enclosure(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    row = tables.enclosure_classes().get(cast(Bus, e).equipment_class or "")
    if row and not row.covers(cast(Bus, e).v_nominal_kv or math.nan):
        return None  # a low-voltage box says nothing of a medium-voltage board
    return Typical(getattr(row, field), f"IEEE 1584-2018, typical for {row.name} (unverified)") if row else None


def _generator_power_factor(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(0.8, "usual rated power factor of industrial generators (unverified)")


def _generator_resistance(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    g = cast(SynchronousGenerator | SynchronousMotor, e)
    s = motor_mva(g) if isinstance(g, SynchronousMotor) else g.s_rated_mva
    if not s or g.v_rated_kv is None or g.xd2_pct is None:
        return None
    x = g.xd2_pct / 100 * g.v_rated_kv**2 / s
    return Typical(float(f"{0.02 * x:.3g}"), "2 % of X″d, typical of the true stator resistance (unverified)")


def _vector_group(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    t = cast(Transformer, e)
    if t.v_lv_kv is None:
        return None
    if t.v_lv_kv <= 1:
        return Typical("Dyn11", "usual for distribution transformers (unverified)")
    return Typical("YNd11", "usual between medium and high voltage (unverified)")


def _transformer_uk(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    t = cast(Transformer, e)
    row = tables.transformer_typical(t.s_rated_mva * 1000) if t.s_rated_mva else None
    return Typical(row[0], "typical table for liquid-filled transformers (unverified)") if row else None


def _transformer_ur(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    t = cast(Transformer, e)
    row = tables.transformer_typical(t.s_rated_mva * 1000) if t.s_rated_mva else None
    if row is None or t.uk_pct is None:
        return None
    ur = t.uk_pct / math.sqrt(1 + row[1] ** 2)
    return Typical(float(f"{ur:.3g}"), f"from typical X/R {row[1]:g} of liquid-filled transformers (unverified)")


def _material(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical("copper", "taken, where nothing is said (unverified)")


def _insulation(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical("XLPE", "usual of cables today (unverified)")


def _capacity(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    w = cast(Conductor, e)
    if not isinstance(e, Cable) or w.conductor is None or w.area_mm2 is None:
        return None
    v_kv = _nominal_kv(elements, e)
    if v_kv <= 1:
        i = tables.lv_capacity(w.conductor, e.insulation or "XLPE", w.area_mm2)
        return Typical(i, "IEC 60364-5-52, multicore, clipped or on a tray at 30 °C, no grouping") if i else None
    i = tables.mv_capacity(w.conductor, w.area_mm2) if v_kv <= 36 else None
    return Typical(i, "IEC 60502-2 annex B, least of the usual ways of laying, no grouping (unverified)") if i else None


def _conductor_r(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    w = cast(Conductor, e)
    if w.conductor is None or w.area_mm2 is None:
        return None
    r = tables.conductor_resistance(w.conductor, w.area_mm2)
    if r is not None:
        return Typical(r, f"IEC 60228 class 2, {w.conductor} {w.area_mm2:g} mm²")
    r = tables.wire_resistance(w.conductor, w.area_mm2)
    return Typical(r, f"NEC chapter 9 table 8, {w.conductor} {wire_size(w.area_mm2)}, taken to 20 °C") if r is not None else None


def _conductor_x(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    w = cast(Conductor, e)
    v_kv = _nominal_kv(elements, e)
    if isinstance(e, Line):
        return Typical(0.35, "usual of overhead lines up to 36 kV, 50 Hz (unverified)") if v_kv <= 36 else None
    if not isinstance(e, Cable) or w.area_mm2 is None:
        return None
    if 1 < v_kv <= 36:
        return Typical(0.11, "usual of medium-voltage cables at 50 Hz, 0.09 to 0.13 (unverified)")
    x = tables.lv_cable_reactance(w.area_mm2) if v_kv <= 1 else None
    if x is not None:
        return Typical(x, "typical of multicore low-voltage cables at 50 Hz (unverified)")
    x = tables.wire_reactance(w.area_mm2) if v_kv <= 1 else None
    return Typical(x * RULES_HZ / 60, "NEC chapter 9 table 9, PVC conduit, from 60 Hz") if x is not None else None


def _end_temperature(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    if isinstance(e, Line):
        return Typical(80.0, "bare overhead conductors, 70 to 80 °C at the end of a fault")
    if not isinstance(e, Cable):
        return None
    t = {"PVC": 160.0, "XLPE": 250.0, "EPR": 250.0}.get(e.insulation or "")
    return Typical(t, f"limit of {e.insulation} insulation at the end of a fault") if t else None


def _breaker_time(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(0.06, "usual interrupting time of a medium-voltage breaker, 3 cycles at 50 Hz")


def _relay_tolerance(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(5.0, "usual assigned error of numerical relays (unverified)")


def _motor_efficiency(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    m = cast(InductionMotor, e)
    value = tables.motor_efficiency_pct(m.p_rated_kw) if m.p_rated_kw else None
    if value is None and m.p_rated_kw and m.p_rated_kw <= 1000:
        return Typical(96.0, "class IE3 at 200 kW and above, IEC 60034-30-1")
    return Typical(value, "class IE3, 4 poles, 50 Hz, IEC 60034-30-1") if value is not None else None


def _motor_power_factor(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(0.86, "usual of four-pole motors at full load (unverified)")


def _motor_ilr(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(5.0, f"{IEC}, ILR/IrM = 5 where unknown")


def _motor_r_over_x(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    m = cast(InductionMotor, e)
    if m.v_rated_kv is None or m.p_rated_kw is None:
        return None
    if m.v_rated_kv <= 1:
        return Typical(0.42, f"{IEC}, low-voltage motors with their cables")
    if m.pole_pairs is None:
        return None
    large = m.p_rated_kw / 1000 / m.pole_pairs >= 1
    return Typical(0.10 if large else 0.15, f"{IEC}, medium-voltage motors {'from' if large else 'below'} 1 MW per pair of poles")


def _pole_pairs(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(2, "four poles, the usual motor (unverified)")


def _ik_min(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    ik_max = getattr(e, "ik_max_ka", None)
    return Typical(float(f"{0.8 * ik_max:.4g}"), "80 % of the maximum, until the network operator gives it (unverified)") if ik_max else None


def _load_q(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    p = getattr(e, "p_mw", None)
    return Typical(float(f"{p * math.tan(math.acos(0.9)):.4g}"), "power factor 0.9, usual of mixed loads (unverified)") if p is not None else None


def _inverter_rating(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    p, count = getattr(e, "p_mw", None), getattr(e, "count", 1)
    return Typical(float(f"{abs(p) / count / 0.9:.3g}"), "active power over 0.9 (unverified)") if p else None


def _generator_xd2(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(15.0, "machines of 2 to 6 poles, 12 to 20 (unverified)")


def _equipment_class(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    """By kind of board and voltage; the larger box gives no more energy, so the smaller one is taken where both exist."""
    bus = cast(Bus, e)
    v, kind = bus.v_nominal_kv, bus.bus_kind
    if v is None:
        return None
    name = (
        {"panel": "Shallow LV MCC / panelboard", "motor control centre": "Deep LV MCC / panelboard"}.get(kind, "LV switchgear")
        if v <= 1
        else "5 kV MCC" if kind == "motor control centre" and v <= 5
        else "15 kV MCC" if kind == "motor control centre"
        else "5 kV switchgear (small box)" if v <= 5
        else "15 kV switchgear"
    )  # fmt: skip
    row = tables.enclosure_classes().get(name)
    return Typical(name, f"by kind of board and {v:g} kV (unverified)") if row and row.covers(v) else None


CT_RATIOS = (20, 50, 75, 100, 150, 200, 300, 400, 600, 800, 1000, 1200, 1500, 2000, 2500, 3000, 4000, 5000)
PROPOSED = "proposed, not coordinated: the engineer chooses"


def _relay_ct(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    i = _full_load_a(elements, getattr(e, "breaker", ""))
    ratio = next((r for r in CT_RATIOS if i is not None and r >= 1.2 * i), None)
    return Typical(float(ratio), f"next ratio above 1.2 times {i:.3g} A; {PROPOSED}") if ratio and i is not None else None


def _full_load_a(elements: Mapping[str, Element], breaker_id: str) -> float | None:
    """Full-load current of the first thing behind a breaker that has one, else the rating of the breaker [A].

    Behind it is away from the board. Of several the largest counts: a lower pickup would clear faster, and an assumption must not be optimistic.
    """
    breaker = elements.get(breaker_id)
    if breaker is None:
        return None
    at_bus = _standing_at(elements)
    behind = [b for b in breaker.buses if getattr(elements.get(b), "bus_kind", "") == "junction"]
    seen, edge = {breaker_id}, behind or list(breaker.buses)
    for _ in range(4):
        here = [elements[i] for i in dict.fromkeys(i for b in edge for i in at_bus.get(b, ())) if i not in seen]
        found = [i for o in here if (i := _rated_a(elements, o)) is not None]
        if found:
            return max(found)
        seen |= {o.id for o in here}
        edge = [b for o in here for b in o.buses if getattr(elements.get(b), "bus_kind", "") == "junction"]
    return getattr(breaker, "i_rated_a", None)


_stood: tuple[Mapping[str, Element], int, Adjacency] = ({}, -1, Adjacency({}))


def _standing_at(elements: Mapping[str, Element]) -> dict[str, list[str]]:
    """What stands at each bus, found once while many relays of one network ask; elements are added to a network, and never connected otherwise in place."""
    global _stood
    of, count, found = _stood
    if of is not elements or count != len(elements):
        found = Adjacency(elements)
        _stood = (elements, len(elements), found)
    return found.at


def _rated_a(elements: Mapping[str, Element], e: Element) -> float | None:
    if isinstance(e, Transformer) and e.s_rated_mva and e.v_hv_kv:
        return e.s_rated_mva * e.parallel / math.sqrt(3) / e.v_hv_kv * 1000
    if isinstance(e, InductionMotor) and e.p_rated_kw and e.v_rated_kv:
        return e.p_rated_kw * e.count / ((e.efficiency_pct or 95) / 100) / (e.power_factor or 0.86) / math.sqrt(3) / e.v_rated_kv
    if isinstance(e, Cable) and e.i_rated_a:
        return e.i_rated_a * e.parallel
    return None


def _relay_curve(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical("IEC_SI", f"standard inverse; {PROPOSED}")


def _relay_pickup(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    ct = getattr(e, "ct_primary_a", None)
    return Typical(float(ct), f"the rated primary current of its current transformers; {PROPOSED}") if ct else None


def _relay_multiplier(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(0.3, f"slower than most: {PROPOSED}")


def _trip_ir(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    i = getattr(e, "i_rated_a", None)
    return Typical(float(i), f"its rated current; {PROPOSED}") if i else None


def _trip_tr(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(12.0, f"slower than most; {PROPOSED}")


def _inverter_ik(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(1.2, "usual current limit of inverters, 1.1 to 1.3 times rated (unverified)")


def _reactor_r_over_x(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(0.03, "usual of air-core reactors (unverified)")


def _auto_group(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical("YNa0", "usual for autotransformers (unverified)")


def _three_winding_group(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical("YNyn0d5", "usual for network transformers with a tertiary (unverified)")


def _three_winding_ur(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    pair = field.removeprefix("ur_").removesuffix("_pct")
    uk = getattr(e, f"uk_{pair}_pct")
    powers = [getattr(e, f"s_{side}_mva") for side in pair.split("_")]
    row = tables.transformer_typical(min(powers) * 1000) if all(powers) else None
    return (
        Typical(float(f"{uk / math.sqrt(1 + row[1] ** 2):.3g}"), f"from typical X/R {row[1]:g} of liquid-filled transformers (unverified)")
        if row and uk
        else None
    )


def _synchronous_efficiency(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(95.0, "usual of synchronous motors (unverified)")


def _synchronous_power_factor(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(0.9, "usual of synchronous motors, overexcited (unverified)")


def _synchronous_xd2(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(15.0, "synchronous motors of 2 to 6 poles, typical table (unverified)")


def _tap_step(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    value = {"tap_lowest_pct": -10.0, "tap_highest_pct": 10.0, "tap_step_pct": 1.25}[field]
    return Typical(value, "usual tap changer on load: ±8 steps of 1.25 % (unverified)")


def _transformer_z0(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    group = cast(Transformer, e).vector_group or ""
    if not group:
        return None
    zigzag = "z" in group.lower()
    return Typical(0.1 if zigzag else 1.0, f"usual of {'zig-zag windings' if zigzag else 'transformers'}, 0.8 to 1 where none is in zig-zag (unverified)")


def _transformer_core(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical("three-limb", "usual of three-phase transformers up to 100 MVA (unverified)")


def _conductor_zero(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    """Resistance and reactance of the zero sequence, from those of the positive one."""
    w = cast(Conductor, e)
    value = w.r_ohm_per_km if field == "r0_ohm_per_km" else w.x_ohm_per_km
    if value is None:
        return None
    if isinstance(e, Line):
        told = "the positive one and 0.15 ohm/km of earth" if field == "r0_ohm_per_km" else "3 times the positive one"
        return Typical(float(f"{value + 0.15 if field == 'r0_ohm_per_km' else 3 * value:.4g}"), f"overhead line: {told} (unverified)")
    return Typical(float(f"{4 * value:.4g}"), "4 times the positive one, with the way back through a conductor of the same size (unverified)")


def _conductor_c0(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    w = cast(Conductor, e)
    if isinstance(e, Line):
        return Typical(0.005, "usual of overhead lines up to 36 kV (unverified)")
    if not isinstance(e, Cable):
        return None
    if w.c_uf_per_km is not None and _nominal_kv(elements, e) > 1:
        return Typical(w.c_uf_per_km, "as in the positive sequence: each core has its own screen (unverified)")
    return Typical(0.3, "usual of cables (unverified)")


def _infeed_neutral(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical("solid", "taken, where nothing is said (unverified)")


def _infeed_x0(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(1.0, "as in the positive sequence: the highest usual earth-fault current (unverified)")


def _infeed_r0(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(0.1, "as the usual R/X (unverified)")


def _generator_x0(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    xd2 = cast(SynchronousGenerator, e).xd2_pct
    return None if xd2 is None else Typical(float(f"{xd2 / 2:.4g}"), "half the subtransient reactance (unverified)")


def _earthing_x0(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    i, v_kv = cast(EarthingTransformer, e).i_earth_a, _nominal_kv(elements, e)
    if not i or math.isnan(v_kv):
        return None
    return Typical(
        float(f"{0.1 * 3 * v_kv * 1000 / math.sqrt(3) / i:.4g}"), "a tenth of what its rated current asks for, the rest is in the star point (unverified)"
    )


def _zone_relay_time(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    if isinstance(e, ZoneRelay) and e.function == "arc light":
        return Typical(0.01, "usual of relays that see the light of an arc, output contact included (unverified)")
    return Typical(0.03, "usual of differential relays (unverified)")


def _signal_time(elements: Mapping[str, Element], e: Element, field: str) -> Typical:
    return Typical(0.016, "typical of an auxiliary relay")


def _cable_ambient(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    ground = cast(Cable, e).method in ("D1", "D2")
    where = "the ground" if ground else "air"
    return Typical(20.0 if ground else 30.0, f"IEC 60364-5-52: of {where}, for which its tables stand; the place may be hotter")


def _cable_soil(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    return Typical(2.5, "IEC 60364-5-52: for which its tables stand; dry soil has more")


_RULES: dict[str, Callable[[Mapping[str, Element], Any, str], Typical | None]] = {
    "infeed_r_over_x": _infeed_r_over_x,
    "cable_ambient": _cable_ambient,
    "cable_soil": _cable_soil,
    "enclosure": _enclosure,
    "generator_power_factor": _generator_power_factor,
    "generator_resistance": _generator_resistance,
    "transformer_vector_group": _vector_group,
    "transformer_uk": _transformer_uk,
    "transformer_ur": _transformer_ur,
    "conductor_r": _conductor_r,
    "conductor_x": _conductor_x,
    "conductor_end_temperature": _end_temperature,
    "breaker_interrupting_time": _breaker_time,
    "relay_tolerance": _relay_tolerance,
    "zone_relay_time": _zone_relay_time,
    "signal_time": _signal_time,
    "motor_efficiency": _motor_efficiency,
    "motor_power_factor": _motor_power_factor,
    "motor_ilr": _motor_ilr,
    "motor_r_over_x": _motor_r_over_x,
    "inverter_ik": _inverter_ik,
    "reactor_r_over_x": _reactor_r_over_x,
    "auto_vector_group": _auto_group,
    "three_winding_group": _three_winding_group,
    "three_winding_ur": _three_winding_ur,
    "synchronous_motor_efficiency": _synchronous_efficiency,
    "synchronous_motor_power_factor": _synchronous_power_factor,
    "synchronous_motor_xd2": _synchronous_xd2,
    "conductor_material": _material,
    "cable_insulation": _insulation,
    "conductor_capacity": _capacity,
    "motor_pole_pairs": _pole_pairs,
    "infeed_ik_min": _ik_min,
    "load_q": _load_q,
    "inverter_rating": _inverter_rating,
    "generator_xd2": _generator_xd2,
    "equipment_class": _equipment_class,
    "relay_ct": _relay_ct,
    "relay_curve": _relay_curve,
    "relay_pickup": _relay_pickup,
    "relay_multiplier": _relay_multiplier,
    "trip_ir": _trip_ir,
    "trip_tr": _trip_tr,
    "tap_lowest": _tap_step,
    "tap_highest": _tap_step,
    "tap_step": _tap_step,
    "transformer_z0": _transformer_z0,
    "transformer_core": _transformer_core,
    "conductor_r0": _conductor_zero,
    "conductor_x0": _conductor_zero,
    "conductor_c0": _conductor_c0,
    "infeed_neutral": _infeed_neutral,
    "infeed_x0": _infeed_x0,
    "infeed_r0": _infeed_r0,
    "generator_x0": _generator_x0,
    "earthing_x0": _earthing_x0,
}
_TOLD: dict[str, str] = {  # a test holds its keys equal to those of the rules
    "infeed_r_over_x": "0.1 (IEC 60909-0:2016, where unknown)",
    "cable_ambient": "30 °C in air, 20 °C in the ground (IEC 60364-5-52, for which its tables stand)",
    "cable_soil": "2.5 K·m/W (IEC 60364-5-52, for which its tables stand)",
    "enclosure": "by the equipment class (IEEE 1584-2018, unverified)",
    "generator_power_factor": "0.8 (unverified)",
    "generator_resistance": "2 % of the subtransient reactance (unverified)",
    "transformer_vector_group": "Dyn11 for low sides up to 1 kV, else YNd11 (unverified)",
    "transformer_uk": "by the rated power, table of liquid-filled transformers (unverified)",
    "transformer_ur": "from the typical X/R of that rated power (unverified)",
    "conductor_r": "by material and cross-section, IEC 60228 class 2, for wire gauges NEC chapter 9 table 8",
    "conductor_x": "by voltage and cross-section, at 50 Hz, scaled to the network's frequency (unverified)",
    "conductor_end_temperature": "by the insulation: PVC 160, XLPE and EPR 250; bare overhead conductors 80 °C",
    "breaker_interrupting_time": "0.06 s, three cycles at 50 Hz",
    "relay_tolerance": "5 % (unverified)",
    "zone_relay_time": "0.01 s by light, 0.03 s by difference (unverified)",
    "signal_time": "0.016 s, an auxiliary relay",
    "motor_efficiency": "class IE3, four poles, IEC 60034-30-1",
    "motor_power_factor": "0.86 (unverified)",
    "motor_ilr": "5 (IEC 60909-0:2016, where unknown)",
    "motor_r_over_x": "0.42 at low voltage; 0.10 from 1 MW per pair of poles, else 0.15 (IEC 60909-0:2016)",
    "inverter_ik": "1.2 (unverified)",
    "reactor_r_over_x": "0.03 (unverified)",
    "auto_vector_group": "YNa0 (unverified)",
    "three_winding_group": "YNyn0d5 (unverified)",
    "three_winding_ur": "from the typical X/R of the smaller rated power (unverified)",
    "synchronous_motor_efficiency": "95 % (unverified)",
    "synchronous_motor_power_factor": "0.9, overexcited (unverified)",
    "synchronous_motor_xd2": "15 % (unverified)",
    "conductor_material": "copper, where nothing is said (unverified)",
    "cable_insulation": "XLPE, where nothing is said (unverified)",
    "conductor_capacity": "cables: IEC 60364-5-52 up to 1 kV, IEC 60502-2 annex B up to 36 kV, the least of the usual ways of laying (unverified)",
    "motor_pole_pairs": "2 (unverified)",
    "infeed_ik_min": "80 % of the maximum (unverified)",
    "load_q": "by a power factor of 0.9 (unverified)",
    "inverter_rating": "active power over 0.9 (unverified)",
    "generator_xd2": "15 % (unverified)",
    "equipment_class": "by the kind of board and its voltage (unverified)",
    "relay_ct": "the next usual ratio above 1.2 times the full-load current behind the breaker (proposed)",
    "relay_curve": "standard inverse (proposed)",
    "relay_pickup": "the rated primary current of the current transformers (proposed)",
    "relay_multiplier": "0.3 (proposed)",
    "trip_ir": "the rated current of the breaker (proposed)",
    "trip_tr": "12 s (proposed)",
    "tap_lowest": "−10 % (unverified)",
    "tap_highest": "10 % (unverified)",
    "tap_step": "1.25 % (unverified)",
    "transformer_z0": "1; 0.1 where a winding is in zig-zag (unverified)",
    "transformer_core": "three-limb (unverified)",
    "conductor_r0": "4 times the positive sequence; overhead lines 0.15 ohm/km more than it (unverified)",
    "conductor_x0": "4 times the positive sequence; overhead lines 3 times (unverified)",
    "conductor_c0": "cables above 1 kV as in the positive sequence, else 0.3 µF/km; overhead lines 0.005 µF/km (unverified)",
    "infeed_neutral": "solid (unverified)",
    "infeed_x0": "1, as in the positive sequence (unverified)",
    "infeed_r0": "0.1 (unverified)",
    "generator_x0": "half the subtransient reactance (unverified)",
    "earthing_x0": "a tenth of the impedance that the rated earth-fault current asks for (unverified)",
}
