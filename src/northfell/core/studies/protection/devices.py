"""The protective devices of a network in one state, and when each has opened for a current through it."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from northfell.core.catalogue.tables import gg_gates, relay_curves
from northfell.core.model.elements import Breaker, Element, Fuse, Relay
from northfell.core.quantities import figure as f
from northfell.core.studies.protection.curves import Floats, gg_operating_time_s, relay_time_s, trip_time_s
from northfell.core.working import Working


@dataclass(frozen=True)
class Clearing:
    """When a device has opened: total time on its slow edge [s], infinite if never, and by which stage."""

    t_s: float
    stage: str


@dataclass(frozen=True)
class Device:
    """A switching device that opens by itself: a fuse, a breaker with its own trip, or a breaker with relays."""

    switch: Breaker | Fuse
    relays: tuple[Relay, ...] = ()

    @property
    def name(self) -> str:
        return self.switch.name

    def opens_at_s(self, i_a: Floats, edge: str = "slow") -> Floats:
        """Slow (or fast) edge of the band plus breaker time at many currents [A]; infinite for never."""
        if isinstance(self.switch, Fuse):
            return gg_operating_time_s(gg_gates()[self.switch.i_rated_a or math.nan], i_a, edge)
        found = [np.minimum(*_relay_stages(relay, i_a, edge)) + (self.switch.t_break_s or 0.0) for relay in self.relays]
        if self.switch.trip == "electronic":
            found += _trip_stages(self.switch, i_a, edge).values()
        return np.min(found, axis=0)

    @property
    def picks_up_at_a(self) -> float:
        """The lowest current at which some stage may begin to operate [A]."""
        if isinstance(self.switch, Fuse):
            return 1.25 * (self.switch.i_rated_a or math.nan)
        settings = [relay.i_pickup_a for relay in self.relays] + [self.switch.trip_ir_a if self.switch.trip == "electronic" else None]
        return min(i for i in settings if i is not None)

    def clearing(self, i_a: float, w: Working | None = None) -> Clearing:
        """Slow edge plus breaker time at a current [A]; noted in `w` if given."""
        if isinstance(self.switch, Fuse):
            return _fuse(self.switch, i_a, w)
        found = [_relay(self.switch, relay, i_a, w) for relay in self.relays]
        if self.switch.trip == "electronic":
            found.append(_trip(self.switch, i_a, w))
        return min(found, key=lambda c: c.t_s)


def devices_of(elements: Mapping[str, Element]) -> dict[str, Device]:
    """The devices in service, by the id of their switch. A breaker without trip and relay is none."""
    relays: dict[str, list[Relay]] = {}
    for e in elements.values():
        if isinstance(e, Relay) and e.in_service:
            relays.setdefault(e.breaker, []).append(e)
    found: dict[str, Device] = {}
    for e in elements.values():
        if isinstance(e, Fuse):
            found[e.id] = Device(e)
        elif isinstance(e, Breaker) and (e.trip != "none" or e.id in relays):
            found[e.id] = Device(e, tuple(relays.get(e.id, ())))
    return found


def _relay_stages(relay: Relay, i_a: ArrayLike, edge: str = "slow") -> tuple[Floats, Floats]:
    """Times of the inverse stage, slow or fast edge, and of the high stage; infinite where a stage does not pick up."""
    tolerance = (relay.time_tolerance_pct or 0.0) / 100 * (1 if edge == "slow" else -1)
    curve = relay_curves()[relay.curve or ""]
    m = np.asarray(i_a, float) / (relay.i_pickup_a or math.nan)
    inverse = relay_time_s(curve, m, relay.time_multiplier or math.nan, relay.m_start, relay.m_hold) * (1 + tolerance)
    picks_up = np.asarray(i_a) >= (math.inf if relay.i_high_a is None else relay.i_high_a)
    return inverse, np.where(picks_up, relay.t_high_s or 0.0, math.inf)


def _trip_stages(breaker: Breaker, i_a: ArrayLike, edge: str = "slow") -> dict[str, Floats]:
    """Slow or fast edge of each stage of an electronic trip; infinite where it does not pick up."""
    ir, tr = breaker.trip_ir_a or math.nan, breaker.trip_tr_s or math.nan
    return {
        "long time": trip_time_s(i_a, ir, tr, None, None, None, edge),
        "short time": trip_time_s(i_a, math.inf, tr, breaker.trip_isd_a, breaker.trip_tsd, None, edge),
        "instantaneous": trip_time_s(i_a, math.inf, tr, None, None, breaker.trip_ii_a, edge),
    }


def _fuse(fuse: Fuse, i_a: float, w: Working | None) -> Clearing:
    gates = gg_gates()[fuse.i_rated_a or math.nan]
    t = float(gg_operating_time_s(gates, i_a))
    if w:
        w.given("In", f"gG fuse-link {fuse.name}", float(fuse.i_rated_a or 0), "A", f"Fuse {fuse.name}, rated current")
        note = "Straight lines in log-log through the gates; constant I²t below 0.01 s."
        if "unverified" in gates.status:
            note += " The I²t values of this size are unverified."
        w.step(f"Time of {fuse.name}", "t", "slow edge of the gG gates at I", f"I = {f(i_a)} A", t, "s", "IEC 60269-1", note)
    return Clearing(t, "fuse")


def _relay(breaker: Breaker, relay: Relay, i_a: float, w: Working | None) -> Clearing:
    curve = relay_curves()[relay.curve or ""]
    pickup, tm, tolerance = relay.i_pickup_a or math.nan, relay.time_multiplier or math.nan, relay.time_tolerance_pct or 0.0
    inverse, high = (float(t) for t in _relay_stages(relay, np.float64(i_a)))
    t, stage = (high, f"{relay.name} high stage") if high < inverse else (inverse, f"{relay.name} {curve.name}")
    total = t + (breaker.t_break_s or 0.0)
    if w:
        for symbol, meaning, field, unit in (("I>", "pickup", "i_pickup_a", "A"), ("TM", "time multiplier", "time_multiplier", "")):
            w.given(symbol, meaning, float(getattr(relay, field)), unit, f"Overcurrent relay {relay.name}", field in relay.assumed)
        if high < inverse:
            law, numbers = "t≫ for I ≥ I≫", f"I = {f(i_a)} A ≥ I≫ = {f(relay.i_high_a)} A"
        else:
            law = f"(1 + {f(tolerance)} %)·TM·(k/(M^α − 1) + c)"
            numbers = f"M = {f(i_a)}/{f(pickup)} = {f(i_a / pickup)}, TM = {f(tm)}, k = {f(curve.k)}, α = {f(curve.alpha)}, c = {f(curve.c)}"
        source = f"IEC 60255-151 ({curve.id})" + ("" if curve.status.startswith("operate verified") else ", constants unverified")
        w.step(f"Relay {relay.name}, slow edge", "t", law, numbers, t, "s", source)
        mark = "~" if "t_break_s" in breaker.assumed else ""
        w.step(f"Breaker {breaker.name}", "t", "relay + interrupting time", f"{f(t)} + {f(breaker.t_break_s)}{mark}", total, "s")
    return Clearing(total, stage)


def _trip(breaker: Breaker, i_a: float, w: Working | None) -> Clearing:
    ir, tr = breaker.trip_ir_a or math.nan, breaker.trip_tr_s or math.nan
    alone = {stage: float(t) for stage, t in _trip_stages(breaker, np.float64(i_a)).items()}
    stage = min(alone, key=lambda k: alone[k])
    t = alone[stage]
    if w:
        w.given("Ir", "long-time pickup", ir, "A", f"Breaker {breaker.name}")
        w.given("tr", "long-time delay at 6·Ir", tr, "s", f"Breaker {breaker.name}")
        if breaker.trip_isd_a is not None:
            w.given("Isd", "short-time pickup", breaker.trip_isd_a, "A", f"Breaker {breaker.name}, band {breaker.trip_tsd}")
        if breaker.trip_ii_a is not None:
            w.given("Ii", "instantaneous pickup", breaker.trip_ii_a, "A", f"Breaker {breaker.name}")
        w.step(
            f"Trip of {breaker.name}, slow edge", "t", "fastest stage that picks up at I; the bands include the breaker's own time",
            f"I = {f(i_a)} A: {stage if math.isfinite(t) else 'no stage'}", t, "s", "generic trip bands (unverified defaults)",
        )  # fmt: skip
    return Clearing(t, f"{breaker.name} {stage}" if math.isfinite(t) else f"{breaker.name} does not pick up")
