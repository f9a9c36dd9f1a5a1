"""Values that follow from a nameplate by one line of arithmetic, shown beside it as it is typed."""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from northfell.core.model.elements import (
    CapacitorBank,
    Conductor,
    EarthingTransformer,
    Element,
    InductionMotor,
    Infeed,
    Inverter,
    Relay,
    StaticLoad,
    SynchronousGenerator,
    SynchronousMotor,
    ThreeWindingTransformer,
    Transformer,
    motor_mva,
)  # fmt: skip

SQRT3 = math.sqrt(3)
RISE_65_OVER_55 = 1.12  # rating of a 55/65 K transformer at 65 K, of that at 55 K (unverified)


@dataclass(frozen=True)
class Derived:
    """A derived value with its symbol, unit and equation."""

    label: str
    symbol: str
    value: float
    unit: str
    equation: str


def derived_of(element: Element, v_nominal_kv: float | None = None) -> list[Derived]:
    """What follows from the parameters that are given; nothing where one of them is empty.

    Parameters
    ----------
    element : Element
    v_nominal_kv : float, optional
        Nominal voltage of the bus at its first terminal [kV].
    """
    rules = (rule for kind, rule in _RULES if isinstance(element, kind))
    return [one for rule in rules for one in rule(element, v_nominal_kv)]


def forced_factor(s_rated_mva: float) -> float:
    """Rating with fans over the natural rating, as usual of liquid-filled and dry transformers of that size (unverified)."""
    return 1.15 if s_rated_mva <= 2.5 else 1.25 if s_rated_mva < 12 else 4 / 3


def earth_fault_ohm(v_kv: float, i_a: float) -> float:
    """Impedance in a star point that lets a wanted earth-fault current pass [ohm]: Un/(√3·IE), the network's own neglected."""
    return 1000 * v_kv / (SQRT3 * i_a)


def _transformer(t: Transformer, v: float | None) -> Iterator[Derived]:
    s = t.s_rated_mva
    for side, u in (("high", t.v_hv_kv), ("low", t.v_lv_kv)):
        if s and u:
            yield Derived(f"Rated current, {side} side", "Ir", 1000 * s / (SQRT3 * u), "A", "SrT / (√3·UrT)")
    if s and t.load_loss_kw is not None and t.uk_pct:
        r = t.load_loss_kw / 10 / s
        if 0 < r < t.uk_pct:
            yield Derived("X/R of the impedance", "X/R", math.sqrt(t.uk_pct**2 - r**2) / r, "", "√(ukr² − uRr²)/uRr, uRr = PkrT/SrT")
    if s and t.cooling and "/" in t.cooling and t.s_forced_mva is None:
        fans = 4 / 3 if t.cooling == "AN/AF" else forced_factor(s)
        yield Derived("Rating with fans, usual (unverified)", "SrT,f", s * fans, "MVA", f"{fans:.3g}·SrT")
    if s and t.rise == "55/65 K":
        yield Derived("Rating at 65 K, usual (unverified)", "SrT,65", s * RISE_65_OVER_55, "MVA", f"{RISE_65_OVER_55:g}·SrT")
    for side, u, ohm, how in (("high", t.v_hv_kv, t.neutral_hv_ohm, t.neutral_hv), ("low", t.v_lv_kv, t.neutral_lv_ohm, t.neutral_lv)):
        yield from _earthing(f", {side} side", u, ohm, how)


def _earthing(where: str, v_kv: float | None, ohm: float | None, how: str | None) -> Iterator[Derived]:
    if v_kv and ohm and how in ("resistor", "reactor"):
        yield Derived(f"Earth-fault current through it{where}", "IE", 1000 * v_kv / (SQRT3 * ohm), "A", "Un / (√3·ZN), network neglected")


def _three_windings(t: ThreeWindingTransformer, v: float | None) -> Iterator[Derived]:
    for side, s, u in (("high", t.s_hv_mva, t.v_hv_kv), ("medium", t.s_mv_mva, t.v_mv_kv), ("low", t.s_lv_mva, t.v_lv_kv)):
        if s and u:
            yield Derived(f"Rated current, {side} side", "Ir", 1000 * s / (SQRT3 * u), "A", "SrT / (√3·UrT)")
    yield from _earthing(", medium side", t.v_mv_kv, t.neutral_mv_ohm, t.neutral_mv)


def _motor(m: InductionMotor | SynchronousMotor, v: float | None) -> Iterator[Derived]:
    s = motor_mva(m)
    if s and m.v_rated_kv:
        i = 1000 * s / (SQRT3 * m.v_rated_kv)
        yield Derived("Rated current of one motor", "IrM", i, "A", "PrM / (√3·UrM·η·cosφrM)")
        if isinstance(m, InductionMotor) and m.ilr_over_ir and m.starter == "direct":
            yield Derived("Locked-rotor current of one motor", "ILR", i * m.ilr_over_ir, "A", "IrM·(ILR/IrM)")


def _machine(g: SynchronousGenerator | Inverter, v: float | None) -> Iterator[Derived]:
    u = g.v_rated_kv if isinstance(g, SynchronousGenerator) else v
    if g.s_rated_mva and u:
        yield Derived("Rated current", "IrG", 1000 * g.s_rated_mva / (SQRT3 * u), "A", "SrG / (√3·UrG)")
    if isinstance(g, SynchronousGenerator):
        yield from _earthing("", g.v_rated_kv, g.neutral_ohm, g.neutral)


def _infeed(q: Infeed, v: float | None) -> Iterator[Derived]:
    if q.ik_max_ka and v:
        yield Derived("Short-circuit power, maximum", "S″kQ", SQRT3 * v * q.ik_max_ka, "MVA", "√3·UnQ·I″kQmax")


def _conductor(w: Conductor, v: float | None) -> Iterator[Derived]:
    for label, symbol, of_it in (("Resistance of the route, 20 °C", "RL", w.r_ohm_per_km), ("Reactance of the route", "XL", w.x_ohm_per_km)):
        if of_it is not None and w.length_m:
            yield Derived(label, symbol, of_it * w.length_m / w.parallel, "mohm", f"{symbol[0]}′L·l/n")
    if w.i_rated_a and w.parallel > 1:
        yield Derived("Capacity of all in parallel", "ΣIz", w.i_rated_a * w.parallel, "A", "n·Iz")


def _load(e: StaticLoad, v: float | None) -> Iterator[Derived]:
    if e.p_mw is None or e.q_mvar is None:
        return
    s = math.hypot(e.p_mw, e.q_mvar)
    if s:
        yield Derived("Power factor", "cosφ", abs(e.p_mw) / s, "", "P/√(P² + Q²)")
    if s and v:
        yield Derived("Current at nominal voltage", "I", 1000 * s / (SQRT3 * v), "A", "S / (√3·Un)")


def _capacitors(c: CapacitorBank, v: float | None) -> Iterator[Derived]:
    q = c.q_step_mvar * c.steps
    yield Derived("All steps", "Q", q, "Mvar", "n·Q1")
    if v:
        yield Derived("Current of all steps", "IC", 1000 * q / (SQRT3 * v), "A", "Q / (√3·Un)")


def _relay(b: Relay, v: float | None) -> Iterator[Derived]:
    if b.ct_primary_a:
        ratio = b.ct_secondary_a / b.ct_primary_a
        for label, symbol, i in (("Pickup, secondary", "I>", b.i_pickup_a), ("High stage, secondary", "I≫", b.i_high_a)):
            if i:
                yield Derived(label, f"{symbol},s", i * ratio, "A", f"{symbol}·Isn/Ipn")


def _earthing_transformer(t: EarthingTransformer, v: float | None) -> Iterator[Derived]:
    yield from _earthing("", v, t.neutral_ohm, t.neutral)


_RULES: tuple[tuple[Any, Callable[[Any, float | None], Iterator[Derived]]], ...] = (
    (Transformer, _transformer), (ThreeWindingTransformer, _three_windings), (InductionMotor | SynchronousMotor, _motor),
    (SynchronousGenerator | Inverter, _machine), (Infeed, _infeed), (Conductor, _conductor), (StaticLoad, _load), (CapacitorBank, _capacitors),
    (Relay, _relay), (EarthingTransformer, _earthing_transformer),
)  # fmt: skip
