"""Protective functions: each gives one curve, which clearing time, drawing and working read. One line in the registry adds another.

Codes after IEEE C37.2 where it has one: 51 inverse time, 50 instantaneous or definite time.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from northfell.core.catalogue.tables import gg_gates, relay_curves
from northfell.core.model.elements import Breaker, Element, Fuse, Relay
from northfell.core.quantities import figure as f
from northfell.core.studies.protection.curves import (
    INSTANTANEOUS_S,
    LONG_TIME_STARTS,
    LONG_TIME_TOLERANCE,
    PICKUP_TOLERANCE,
    SHORT_TIME_BANDS_S,
    Floats,
    gg_operating_time_s,
    relay_time_s,
    trip_time_s,
)
from northfell.core.working import Working


@dataclass(frozen=True)
class Tolerance:
    """How far a function may deviate: of its time and of its pickup, at the fast and at the slow edge, as shares; times of its own in second."""

    time: tuple[float, float] = (0.0, 0.0)
    pickup: tuple[float, float] = (0.0, 0.0)
    least_s: float = 0.0  # no faster than that on the slow edge


@dataclass(frozen=True)
class Curve:
    """A time-current characteristic as a band: operating times at currents [A] by edge, "fast" or "slow"; infinite for never."""

    starts_at_a: float | None  # the lowest current at which it may begin to operate
    time_s: Callable[[Floats, str], Floats]
    tolerance: Tolerance = Tolerance()


@dataclass(frozen=True)
class Function:
    """One protective function of a device, as it is set."""

    code: str
    holder: Element  # whose settings it has
    curve: Curve
    stage: str  # how it is called when it operates
    rests: str  # what is said when it never does
    adds_s: float  # time of the switch that it trips
    tell: Callable[[Working, float, float], None]  # notes how its time at a current came about
    fast: bool = False  # meant to act without waiting for others, from its pickup on: a little less current clears much slower

    def opens_at_s(self, i_a: Floats, edge: str = "slow") -> Floats:
        """When the switch has opened [s]."""
        return self.curve.time_s(i_a, edge) + self.adds_s


@dataclass(frozen=True)
class FunctionKind:
    """A protective function that devices may have."""

    code: str
    name: str
    of: type[Element]  # what carries its settings
    make: Callable[[Any, Any], Function | None]  # of the holder and the switch; None where it is not set


def _inverse(relay: Relay, breaker: Breaker) -> Function:
    share = (relay.time_tolerance_pct or 0.0) / 100
    pickup, tm = relay.i_pickup_a or math.nan, relay.time_multiplier or math.nan

    def time_s(i_a: Floats, edge: str) -> Floats:
        curve = relay_curves()[relay.curve or ""]
        m = np.asarray(i_a, float) / pickup
        return relay_time_s(curve, m, tm, relay.m_start, relay.m_hold) * (1 + (share if edge == "slow" else -share))

    def tell(w: Working, i_a: float, t: float) -> None:
        curve = relay_curves()[relay.curve or ""]
        law = f"(1 + {f(relay.time_tolerance_pct or 0.0)} %)·TM·(k/(M^α − 1) + c)"
        numbers = f"M = {f(i_a)}/{f(pickup)} = {f(i_a / pickup)}, TM = {f(tm)}, k = {f(curve.k)}, α = {f(curve.alpha)}, c = {f(curve.c)}"
        _tell_relay(w, relay, breaker, law, numbers, t)

    named = f"{relay.name} {relay_curves()[relay.curve].name}" if relay.curve in relay_curves() else relay.name
    return Function("51", relay, Curve(relay.i_pickup_a, time_s, Tolerance(time=(-share, share))), named, named, breaker.t_break_s or 0.0, tell)


def _high(relay: Relay, breaker: Breaker) -> Function | None:
    if relay.i_high_a is None:
        return None
    start, delay = relay.i_high_a, relay.t_high_s or 0.0

    def tell(w: Working, i_a: float, t: float) -> None:
        _tell_relay(w, relay, breaker, "t≫ for I ≥ I≫", f"I = {f(i_a)} A ≥ I≫ = {f(start)} A", t)

    curve = Curve(relay.i_pickup_a, lambda i_a, edge: np.where(np.asarray(i_a) >= start, delay, math.inf))
    named = f"{relay.name} high stage"
    return Function("50", relay, curve, named, named, breaker.t_break_s or 0.0, tell, fast=True)


def _tell_relay(w: Working, relay: Relay, breaker: Breaker, law: str, numbers: str, t: float) -> None:
    curve = relay_curves()[relay.curve or ""]
    for symbol, meaning, field, unit in (("I>", "pickup", "i_pickup_a", "A"), ("TM", "time multiplier", "time_multiplier", "")):
        w.given(symbol, meaning, float(getattr(relay, field)), unit, f"Overcurrent relay {relay.name}", field in relay.assumed)
    source = f"IEC 60255-151 ({curve.id})" + ("" if curve.status.startswith("operate verified") else ", constants unverified")
    w.step(f"Relay {relay.name}, slow edge", "t", law, numbers, t, "s", source)
    mark = "~" if "t_break_s" in breaker.assumed else ""
    w.step(f"Breaker {breaker.name}", "t", "relay + interrupting time", f"{f(t)} + {f(breaker.t_break_s)}{mark}", t + (breaker.t_break_s or 0.0), "s")


def _long_time(breaker: Breaker, _: Breaker) -> Function | None:
    if breaker.trip != "electronic":
        return None
    ir, tr = breaker.trip_ir_a or math.nan, breaker.trip_tr_s or math.nan
    starts = (LONG_TIME_STARTS[0] - 1, LONG_TIME_STARTS[1] - 1)
    curve = Curve(
        breaker.trip_ir_a, lambda i_a, edge: trip_time_s(i_a, ir, tr, None, None, None, edge), Tolerance(LONG_TIME_TOLERANCE, starts, INSTANTANEOUS_S)
    )
    return _stage_of_trip("trip L", "long time", breaker, curve)


def _short_time(breaker: Breaker, _: Breaker) -> Function | None:
    if breaker.trip != "electronic" or breaker.trip_isd_a is None or breaker.trip_tsd is None:
        return None
    isd, band = breaker.trip_isd_a, breaker.trip_tsd
    tolerance = Tolerance(pickup=(-PICKUP_TOLERANCE, PICKUP_TOLERANCE), least_s=SHORT_TIME_BANDS_S[band][1])
    curve = Curve(breaker.trip_ir_a, lambda i_a, edge: trip_time_s(i_a, math.inf, math.nan, isd, band, None, edge), tolerance)
    return _stage_of_trip("trip S", "short time", breaker, curve)


def _instantaneous(breaker: Breaker, _: Breaker) -> Function | None:
    if breaker.trip != "electronic" or breaker.trip_ii_a is None:
        return None
    ii = breaker.trip_ii_a
    tolerance = Tolerance(pickup=(-PICKUP_TOLERANCE, PICKUP_TOLERANCE), least_s=INSTANTANEOUS_S)
    curve = Curve(breaker.trip_ir_a, lambda i_a, edge: trip_time_s(i_a, math.inf, math.nan, None, None, ii, edge), tolerance)
    return replace(_stage_of_trip("trip I", "instantaneous", breaker, curve), fast=True)


def _stage_of_trip(code: str, stage: str, breaker: Breaker, curve: Curve) -> Function:
    def tell(w: Working, i_a: float, t: float) -> None:
        w.given("Ir", "long-time pickup", breaker.trip_ir_a or math.nan, "A", f"Breaker {breaker.name}")
        w.given("tr", "long-time delay at 6·Ir", breaker.trip_tr_s or math.nan, "s", f"Breaker {breaker.name}")
        if breaker.trip_isd_a is not None:
            w.given("Isd", "short-time pickup", breaker.trip_isd_a, "A", f"Breaker {breaker.name}, band {breaker.trip_tsd}")
        if breaker.trip_ii_a is not None:
            w.given("Ii", "instantaneous pickup", breaker.trip_ii_a, "A", f"Breaker {breaker.name}")
        w.step(
            f"Trip of {breaker.name}, slow edge", "t", "fastest stage that picks up at I; the bands include the breaker's own time",
            f"I = {f(i_a)} A: {stage if math.isfinite(t) else 'no stage'}", t, "s", "generic trip bands (unverified defaults)",
        )  # fmt: skip

    return Function(code, breaker, curve, f"{breaker.name} {stage}", f"{breaker.name} does not pick up", 0.0, tell)


def _fuse_link(fuse: Fuse, _: Fuse) -> Function:
    rated = fuse.i_rated_a

    def tell(w: Working, i_a: float, t: float) -> None:
        w.given("In", f"gG fuse-link {fuse.name}", float(rated or 0), "A", f"Fuse {fuse.name}, rated current")
        note = "Straight lines in log-log through the gates; constant I²t below 0.01 s."
        if "unverified" in gg_gates()[rated or math.nan].status:
            note += " The I²t values of this size are unverified."
        w.step(f"Time of {fuse.name}", "t", "slow edge of the gG gates at I", f"I = {f(i_a)} A", t, "s", "IEC 60269-1", note)

    curve = Curve(1.25 * rated if rated else None, lambda i_a, edge: gg_operating_time_s(gg_gates()[rated or math.nan], i_a, edge))
    return Function("fuse link", fuse, curve, "fuse", "fuse", 0.0, tell)


# a function of one's own stands here


REGISTRY: tuple[FunctionKind, ...] = (
    FunctionKind("51", "inverse-time overcurrent", Relay, _inverse),
    FunctionKind("50", "high overcurrent stage", Relay, _high),
    FunctionKind("trip L", "long-time stage of an electronic trip", Breaker, _long_time),
    FunctionKind("trip S", "short-time stage of an electronic trip", Breaker, _short_time),
    FunctionKind("trip I", "instantaneous stage of an electronic trip", Breaker, _instantaneous),
    FunctionKind("fuse link", "gG fuse-link", Fuse, _fuse_link),
)


def functions_of(switch: Breaker | Fuse, relays: tuple[Relay, ...]) -> tuple[Function, ...]:
    """The functions that open a switch: those of its relays, then its own."""
    made = (kind.make(holder, switch) for holder in (*relays, switch) for kind in REGISTRY if isinstance(holder, kind.of))
    return tuple(one for one in made if one is not None)
