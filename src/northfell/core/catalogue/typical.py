"""Typical values: one function fills what a nameplate does not carry, always with its source, so that it can be marked as assumed."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, cast

from northfell.core.catalogue import tables
from northfell.core.model.completeness import needed
from northfell.core.model.elements import Bus, Cable, Conductor, Element, InductionMotor, Line, SynchronousGenerator, SynchronousMotor, Transformer  # fmt: skip
from northfell.core.model.parameters import STUDIES, parameter
from northfell.core.quantities import wire_size

IEC = "IEC 60909-0:2016"


@dataclass(frozen=True)
class Typical:
    """A typical value and where it comes from."""

    value: float | str
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


def typical_for_missing(elements: Mapping[str, Element], element: Element, frequency_hz: int = RULES_HZ) -> dict[str, Typical]:
    """Typical values for all that this element lacks for any study, by field. One may rest on another that is filled with it."""
    found: dict[str, Typical] = {}
    filled = element
    for p in {p.name: p for study in STUDIES for p in needed(elements, element, study)}.values():
        if getattr(filled, p.name) is None and (one := typical_value(elements, filled, p.name, frequency_hz)):
            found[p.name] = one
            filled = filled.model_copy(update={p.name: one.value})
    return found


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
    if isinstance(g, SynchronousMotor):
        s = (g.p_rated_kw or 0) / 1000 / ((g.efficiency_pct or 100) / 100) / (g.power_factor or 1)
    else:
        s = g.s_rated_mva or 0
    if not s or g.v_rated_kv is None or g.xd2_pct is None:
        return None
    x = g.xd2_pct / 100 * g.v_rated_kv**2 / s
    return Typical(float(f"{0.02 * x:.3g}"), "2 % of X″d, typical of the true stator resistance (unverified)")


def _vector_group(elements: Mapping[str, Element], e: Element, field: str) -> Typical | None:
    t = cast(Transformer, e)
    if t.v_lv_kv is None:
        return None
    return Typical("Dyn11", "usual for distribution transformers (unverified)") if t.v_lv_kv <= 1 else None


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


_RULES: dict[str, Callable[[Mapping[str, Element], Any, str], Typical | None]] = {
    "infeed_r_over_x": _infeed_r_over_x,
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
    "tap_lowest": _tap_step,
    "tap_highest": _tap_step,
    "tap_step": _tap_step,
}
_TOLD: dict[str, str] = {  # a test holds its keys equal to those of the rules
    "infeed_r_over_x": "0.1 (IEC 60909-0:2016, where unknown)",
    "enclosure": "by the equipment class (IEEE 1584-2018, unverified)",
    "generator_power_factor": "0.8 (unverified)",
    "generator_resistance": "2 % of the subtransient reactance (unverified)",
    "transformer_vector_group": "Dyn11 for low sides up to 1 kV (unverified)",
    "transformer_uk": "by the rated power, table of liquid-filled transformers (unverified)",
    "transformer_ur": "from the typical X/R of that rated power (unverified)",
    "conductor_r": "by material and cross-section, IEC 60228 class 2, for wire gauges NEC chapter 9 table 8",
    "conductor_x": "by voltage and cross-section, at 50 Hz, scaled to the network's frequency (unverified)",
    "conductor_end_temperature": "by the insulation: PVC 160, XLPE and EPR 250; bare overhead conductors 80 °C",
    "breaker_interrupting_time": "0.06 s, three cycles at 50 Hz",
    "relay_tolerance": "5 % (unverified)",
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
    "tap_lowest": "−10 % (unverified)",
    "tap_highest": "10 % (unverified)",
    "tap_step": "1.25 % (unverified)",
}
