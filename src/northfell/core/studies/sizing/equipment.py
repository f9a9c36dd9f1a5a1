"""What a code asks of equipment that is no circuit: transformers with their devices, and the bars of boards."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.model.elements import Bus, Element, InductionMotor, Transformer
from northfell.core.quantities import figure as f
from northfell.core.studies.coordination import transformer_limit
from northfell.core.studies.duty import NOT_ASSESSED
from northfell.core.studies.sizing.demands import motor_rated_mva, of_board
from northfell.core.studies.sizing.frame import ONCE, TWICE, UNCERTAIN, VERIFIED
from northfell.core.studies.sizing.gathering import MOST_KV, Gathering
from northfell.core.studies.sizing.parts import Part
from northfell.core.studies.sizing.transformers import Q_OF_WINDING, Spectrum, dip_pct, en_factor, greatest_load_pu, loss_factor, next_rating_kva

if TYPE_CHECKING:
    from northfell.core.studies.sizing.result import Sized

SQRT3 = math.sqrt(3)
LOADING = ((1, 1.0), (3, 0.9), (5, 0.8), (9, 0.7), (10**6, 0.6))  # circuits up to, factor; IEC 61439-2, table 101
NEC_BARS_A = (100.0, 125.0, 225.0, 250.0, 400.0, 600.0, 800.0, 1200.0, 1600.0, 2000.0, 2500.0, 3000.0, 4000.0, 5000.0, 6000.0)  # usual rows of boards
LEAST_BONDING_MM2, MOST_BONDING_MM2 = 6.0, 25.0  # of copper; 5-54, 544.1
SET_ROUNDED = 1.005  # a setting of as much is taken as the rated current


@dataclass(frozen=True)
class Equipment:
    """A transformer or a board with what is asked of it."""

    element_id: str
    name: str
    purpose: str
    parts: tuple[Part, ...]


def equipment_of(g: Gathering) -> Iterator[Equipment]:
    """The transformers, and the boards within the voltages of the code, that are fed in a state."""
    for e in g.net.elements.values():
        if isinstance(e, Transformer) and g.ways.lives(e) and e.hv_bus in g.ways.depth:
            parts = tuple(_of_transformer(g, e))
        elif isinstance(e, Bus) and e.bus_kind != "junction" and e.in_service and g.within(e) and e.id in g.ways.depth:
            parts = tuple(_of_bars(g, e))
        else:
            continue
        if parts:
            yield Equipment(e.id, e.name, "transformer" if isinstance(e, Transformer) else e.bus_kind, parts)


# --- transformers


def _of_transformer(g: Gathering, e: Transformer) -> Iterator[Part]:
    yield from _rated_power(g, e)
    below = g.ways.below(e.lv_bus, e.id)
    if below is not None:
        yield from _start(g, e, below)
    yield from _devices(g, e)


def spectrum_of(e: Transformer) -> Spectrum | None:
    return Spectrum({row.order: row.pct / 100 for row in e.harmonics}) if e.harmonics else None


def _rated_power(g: Gathering, e: Transformer) -> Iterator[Part]:
    """What it feeds, with growth and for harmonics, against its rated power: by IEC at its highest cooling, by ANSI self-cooled."""
    demand, told, lacks = _fed_kva(g, e)
    forced = e.s_forced_mva if not g.nec else None
    rated = max((s for s in (e.s_rated_mva, forced) if s), default=None)
    entered = None if rated is None else 1000 * rated * e.parallel
    spectrum, factor = spectrum_of(e), 1.0
    if spectrum:
        if g.nec:
            left = greatest_load_pu(spectrum, e.eddy_pct / 100)
            factor = 1 / left
            note = f"FHL {loss_factor(spectrum):.3f}, {100 * left:.1f} % of its rating is left; choose a K rating of at least {loss_factor(spectrum):.1f}"
            yield Part("harmonics", None, left, None, "p.u.", "xfmr.harmonic", "C57.110", None, "", note, VERIFIED)
        else:
            factor = en_factor(spectrum, e.eddy_pct / 100, Q_OF_WINDING[e.lv_winding])
            yield Part("harmonics", None, factor, None, "p.u.", "xfmr.harmonic", "EN 50464-3", None, "", f"K = {factor:.4f} on its load", TWICE)
    if demand is None:
        yield Part("rated power", entered, None, None, "kVA", "xfmr.rating", _rows(g), None, "", lacks, TWICE)
        return
    asked = demand * (1 + g.settings.growth_pct / 100) * factor
    ok = None if entered is None else entered >= asked * (1 - 1e-9)
    chosen = next_rating_kva(asked / e.parallel, "ANSI" if g.nec else "IEC")
    more = "".join(t for t in (f", growth {g.settings.growth_pct:g} %" if g.settings.growth_pct else "", f", harmonics {factor:.4f}" if spectrum else ""))
    whole = None if chosen is None else chosen * e.parallel
    pct = 100 * asked / entered if entered else math.nan
    yield Part(
        "rated power", entered, asked, entered if ok else whole, "kVA", "xfmr.rating", _rows(g), ok, f"at least {f(asked)} kVA", f"{told}{more}", VERIFIED, pct
    )


def bonding_of(g: Gathering, e: Transformer, circuits: Mapping[str, "Sized"]) -> Iterator[Part]:
    """Main bonding, or the jumpers and the electrode conductor, by the conductors behind a transformer within the voltages of the code."""
    if not e.v_lv_kv or e.v_lv_kv > MOST_KV[g.settings.code]:
        return
    below = [s for one in g.ways.below(e.lv_bus, e.id) or () if (s := circuits.get(one.id)) is not None and s.chosen is not None]
    if g.nec:
        supply = [s for s in below if s.circuit.purpose == "transformer secondary" and s.chosen]
        if supply:
            largest = max(supply, key=lambda s: s.chosen.size.area_mm2 * s.chosen.sets if s.chosen else 0.0)
            assert largest.chosen is not None
            area, metal = largest.chosen.size.area_mm2 * largest.chosen.sets, largest.circuit.laying.conductor or "copper"
            size, beyond = tables.nec_bonding(area, metal)
            label = tables.nec_wire_by_key(size).label
            told = f"copper, by {largest.chosen.label} of {largest.circuit.name}"
            yield Part("electrode conductor", None, label, None, "", "nec.gec", "250.66", None, f"at least {label}", told, TWICE)
            jumper = f"{0.125 * area:.0f} mm²" if beyond else label
            yield Part("bonding jumper", None, jumper, None, "", "nec.bond", "250.102(C)", None, f"at least {jumper}", told, TWICE)
        return
    largest_pe = max((float(p.chosen) for s in below for p in s.beside if p.rule == "iec.pe" and isinstance(p.chosen, float)), default=None)
    if largest_pe is not None:
        asked = min(max(largest_pe / 2, LEAST_BONDING_MM2), MOST_BONDING_MM2)
        size_mm2 = next(s for s in tables.iec_sizes("copper") if s >= asked - 1e-9)
        yield Part("main bonding", None, size_mm2, None, "mm²", "iec.bond", "5-54 544.1", None, f"at least {size_mm2:g} mm² of copper",
                   f"half of the largest protective conductor behind it, {largest_pe:g} mm²", TWICE)  # fmt: skip


def _rows(g: Gathering) -> str:
    return "C57.12.00, usual ratings" if g.nec else "60076-1, R10"


def _fed_kva(g: Gathering, e: Transformer) -> tuple[float | None, str, str]:
    """What a transformer feeds [kVA]: the sum of demands, or the load flow where that is more; with why it is not known."""
    carried = g.carried_kva(e)
    below = g.ways.below(e.lv_bus, e.id)
    if below is None:
        return (
            (carried, f"load flow, state {g.net.state}: it runs beside another supply", "")
            if carried is not None
            else (None, "", "a load flow: it runs beside another")
        )
    one = of_board(below)
    if one.lacks:
        return None, "", one.lacks
    demand = 1000 * abs(one.s_mva) * g.simultaneity(e.lv_bus, e)
    if carried is not None and carried > demand:
        return carried, f"load flow, state {g.net.state}", ""
    return demand, one.told, ""


def _start(g: Gathering, e: Transformer, below: list[Element]) -> Iterator[Part]:
    """The dip at its low side while the largest motor starts that is started directly."""
    at = g.bus(e.lv_bus)
    largest, s_locked = None, 0.0
    for m in below:
        if isinstance(m, InductionMotor) and m.starter == "direct" and m.ilr_over_ir:
            s = motor_rated_mva(m)
            if s is not None and 1000 * abs(s) / m.count * m.ilr_over_ir > s_locked:
                largest, s_locked = m, 1000 * abs(s) / m.count * m.ilr_over_ir
    if largest is None or at is None or g.faults is None:
        return
    one = g.faults.cases["min"]
    z, u_v = complex(one.z1_ohm[at]), 1000 * float(g.net.v_nominal_kv[at])
    ratio = 0.42 if largest.r_over_x is None else largest.r_over_x
    dip, most = dip_pct(z, u_v, s_locked, ratio / math.hypot(1, ratio)), g.settings.dip_pct
    yield Part("dip at a start", dip, most, None, "%", "xfmr.start", "practice", dip <= most * (1 + 1e-9), f"at most {most:g} %",
               f"{largest.name} starts directly with {f(s_locked)} kVA, alone", UNCERTAIN, 100 * dip / most)  # fmt: skip


def _devices(g: Gathering, e: Transformer) -> Iterator[Part]:
    """Its devices on both sides: by the NEC within 450.3; by IEC the low-voltage main no higher than its rated current."""
    if not (e.s_rated_mva and e.v_hv_kv and e.v_lv_kv):
        return
    sides = {}
    for side, bus, kv in (("primary", e.hv_bus, e.v_hv_kv), ("secondary", e.lv_bus, e.v_lv_kv)):
        device = g.device_beside(e, bus)
        sides[side] = device, e.s_rated_mva * e.parallel * 1000 / (SQRT3 * kv), kv
    both = all(device is not None for device, _, _ in sides.values())
    for side, (device, i_a, kv) in sides.items():
        if device is None or not math.isfinite(device.i_set_a):
            continue
        entered = device.i_set_a
        if not g.nec:
            if side == "secondary" and kv <= MOST_KV[g.settings.code]:
                yield Part(f"device, {side}", entered, i_a, min(entered, i_a), "A", "iec.rating", "4-43 433.1", entered <= i_a * SET_ROUNDED,
                           f"at most its rated current, {f(i_a)} A", f"{device.name}: overload of the transformer", TWICE, 100 * entered / i_a)  # fmt: skip
            continue
        limit = transformer_limit(side, e.v_hv_kv, kv, e.uk_pct or 0.0, i_a, device.fuse, both, g.supervised)
        if limit is None:
            continue
        most = limit.most_a(i_a, not device.adjustable)
        yield Part(f"device, {side}", entered, most, min(entered, most), "A", "nec.xfmr", "450.3", entered <= most * (1 + 1e-9),
                   f"at most {f(most)} A ({limit.percent:g} % of {f(i_a)} A)", f"{device.name}; {limit.told}", TWICE, 100 * entered / most)  # fmt: skip


# --- boards


def _of_bars(g: Gathering, e: Bus) -> Iterator[Part]:
    """The bars: by IEC the currents of the ways with their loading factor, but no more than what feeds them lets through; by NEC what protects them."""
    feeding = g.feeding_devices(e.id)
    incoming = sum(d.i_set_a for d in feeding) if feeding and all(math.isfinite(d.i_set_a) for d in feeding) else None
    names = " and ".join(d.name for d in feeding)
    if g.nec:
        asked, rule, clause, told = incoming, "nec.board", "408.36, 430.94", f"rating of {names}"
    else:
        outgoing = g.outgoing_devices(e.id)
        ways = [d.i_set_a for d in outgoing or ()]
        factor = next(k for most, k in LOADING if len(ways) <= most)
        whole = sum(ways) * factor if ways and all(map(math.isfinite, ways)) else None
        told = f"{len(ways)} ways, {f(sum(ways))} A, loading factor {factor:g}" if whole is not None else ""
        if whole is None or (incoming is not None and incoming < whole):
            whole, told = incoming, f"what {names} lets through"
        asked, rule, clause = whole, "iec.board", "61439-1, -2"
    if asked is not None:
        entered = e.i_rated_a
        ok = None if entered is None else entered >= asked * (1 - 1e-9)
        yield Part("bars", entered, asked, entered if ok else _bar_row(g, asked), "A", rule, clause, ok, f"at least {f(asked)} A", told, TWICE,
                   100 * asked / entered if entered else math.nan)  # fmt: skip
    worst = g.duties.worst(e.id) if g.duties else None
    if worst is not None and g.duties is not None and g.duties.verdict(worst) != NOT_ASSESSED:
        ok = worst.pct is not None and worst.pct <= 100 + 1e-9
        yield Part("short-circuit rating", worst.rating, worst.value, None, worst.unit, "nec.board" if g.nec else "iec.board",
                   "110.10" if g.nec else "61439-1", ok, f"at least {f(worst.value or 0)} {worst.unit}", worst.basis, ONCE, worst.pct or math.nan)  # fmt: skip


def _bar_row(g: Gathering, asked: float) -> float | None:
    return next((a for a in (NEC_BARS_A if g.nec else tables.iec_rows("frame")) if a >= asked), None)
