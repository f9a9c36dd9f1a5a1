"""Protective functions: each gives one curve, which clearing time, drawing and working read. One line in the registry adds another.

Codes after IEEE C37.2 where it has one: 51 inverse time, 50 instantaneous or definite time.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from northfell.core.catalogue.links import band_of
from northfell.core.catalogue.tables import relay_curves
from northfell.core.model.elements import OWN, BandPoint, Breaker, Element, Fuse, ProtectionSignal, Relay, ZoneRelay
from northfell.core.quantities import figure as f
from northfell.core.studies.protection.curves import Floats, link_time_s, points_time_s, relay_time_s
from northfell.core.studies.protection.through import EDGES, Amperes, Edge, Measured, Seen, Through, seen_by
from northfell.core.working import Working

# Electronic trips: generic bands, unverified defaults; each device's own settings stand on its card.
LONG_TIME_PICKUP = (0.05, 0.20)  # over Ir, at the fast and at the slow edge
LONG_TIME_TOLERANCE = (-0.20, 0.0)
PICKUP_TOLERANCE = (-0.10, 0.10)  # of short-time and instantaneous pickup
SHORT_TIME_BANDS_S = {"0.1": (0.05, 0.14), "0.2": (0.14, 0.20), "0.3": (0.23, 0.32), "0.4": (0.35, 0.50)}
# Thermal-magnetic and miniature breakers: points that IEC 60947-2, UL 489 and IEC 60898-1 test; the shape between them is a construction (unverified).
MOULDED_PICKUP, MAGNETIC_TOLERANCE = (1.05, 1.30), (-0.20, 0.20)
TWICE_RATED_MIN = (
    (30.0, 2.0), (50.0, 4.0), (100.0, 6.0), (150.0, 8.0), (225.0, 10.0), (400.0, 12.0), (600.0, 14.0), (800.0, 16.0), (1000.0, 18.0), (1200.0, 20.0),
    (1600.0, 22.0), (2000.0, 24.0), (2500.0, 26.0), (5000.0, 28.0), (6000.0, 30.0),
)  # fmt: skip
MOULDED_AT_ONCE_S = ((0.01, 0.017), (0.01, 0.025))  # up to 400 A, above
MINIATURE_PICKUP, MINIATURE_TEST, MINIATURE_TEST_S = (1.13, 1.45), 2.55, (60.0, 120.0)  # up to 32 A, above
MINIATURE_CLASSES = {"B": (3.0, 5.0), "C": (5.0, 10.0), "D": (10.0, 20.0)}
MINIATURE_AT_ONCE_S = (0.01, 0.1)
EARTH_BANDS_S = {"0.1": (0.08, 0.16), "0.2": (0.20, 0.28), "0.3": (0.32, 0.42), "0.4": (0.44, 0.56)}
RAMP_TO = 10.0  # times Ir, up to which a short-time band falls with I²t
LOWEST_BAND = "0.1"  # of a short-time or earth stage that nothing restrains
BY_LIGHT_ALONE_A = 1e-6  # any current at all
LEAST_RESTRAINED = 0.25  # of pickup, at a quarter of the voltage and below
UNKNOWN = Seen()
LEAST_PART = 1e-9  # of a pickup: less is nothing
HALVINGS = 50  # of a share of currents, for where something begins that is not in proportion to it
RELAY_AT_ONCE_S = (0.016, 0.05)  # of an instantaneous relay
INSTANTANEOUS_S = (0.02, 0.05)  # a long-time law that runs below the mechanism's time is held there too


@dataclass(frozen=True)
class Tolerance:
    """How far a function may deviate at the fast and at the slow edge: of its time and its pickup as shares, and the least times [s]."""

    time: tuple[float, float] = (0.0, 0.0)
    pickup: tuple[float, float] = (0.0, 0.0)
    least_s: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class Curve:
    """A time-current characteristic as a band: a law from a pickup on, with its tolerances. Clearing, drawing, margins and trip order read it."""

    pickup_a: float  # as set
    law_s: Callable[[Floats, Edge], Floats]  # times at currents [A] by the law, which may be a band itself
    tolerance: Tolerance = Tolerance()

    def from_a(self, edge: Edge) -> float:
        """The lowest current at which it may operate (fast), or does for certain (slow) [A]; nan where it is not set."""
        return self.pickup_a * (1 + self.tolerance.pickup[EDGES.index(edge)])

    def time_s(self, i_a: Floats | float, edge: Edge = "slow") -> Floats:
        r"""Operating time at currents [A], any shape; infinite for never.

        .. math:: t = \max\left(t_\mathrm{law}(I)\,(1 + \varepsilon_t),\ t_\mathrm{least}\right) \quad\text{for}\quad I \ge I_>(1 + \varepsilon_I)
        """
        at = EDGES.index(edge)
        i = np.asarray(i_a, float)
        t = np.maximum(self.law_s(i, edge) * (1 + self.tolerance.time[at]), self.tolerance.least_s[at])
        return np.where(i >= self.from_a(edge), t, math.inf)


@dataclass(frozen=True)
class Restraint:
    """What makes a stage wait as set: senders that see the fault. Where none does it has a curve of its own."""

    by: tuple[tuple[str, tuple["Function", ...] | None], ...]  # breakers that send, with their functions; None: how they are set is not known
    free: Curve

    def holds(self, i: Amperes, edge: Edge) -> Floats:
        """Whether it may be restrained (for the slow edge), or is for certain (for the fast one): by stages that are known to send."""
        held = np.zeros(np.shape(i.phase_a if isinstance(i, Through) else i), bool)
        for sender, functions in self.by:
            there = i.elsewhere.get(sender) if isinstance(i, Through) else None
            if there is None or functions is None:  # it is not known what it sees, or makes of it
                held |= edge == "slow"
                continue
            for fn in functions:
                if edge == "slow":
                    held |= np.asarray(fn.sees(there, "fast") >= fn.curve.from_a("fast"))
                elif fn.code in SENDING:
                    held |= np.asarray(fn.sees(there, "slow") >= fn.curve.from_a("slow"))
        return held


SENDING = ("50", "51", "50N", "51N", "trip S", "trip G")  # stages that tell others that they see a fault


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
    measures: Measured = "phase"
    looks: int = 0  # along its switch (1) or back (-1) alone; 0: both ways
    released: "Released | None" = None  # what the voltage does to its pickup
    overload: bool = False  # against what lasts, not to be counted on in faults
    reset: "Reset | None" = None  # what it keeps below its pickup; None: nothing
    guards: frozenset[str] | None = None  # buses at which it sees faults; None: everywhere
    of_arcs: bool = False  # sees arcs alone
    measured_at: str = ""  # another breaker, whose currents it has; empty: its own
    delays_s: float = 0.0  # from its operation to its order: of a signal
    restraint: "Restraint | None" = None
    if_fails: str = ""  # acts where that breaker still carries current by then alone

    @property
    def called(self) -> str:
        """Its device function numbers."""
        dependent = self.code + "V" if self.released else self.code
        if self.if_fails:
            return f"50BF by {dependent}"
        return f"67{self.code[2:]}/{dependent}" if self.looks else dependent

    @property
    def needs_more(self) -> bool:
        """Whether it measures more than the current of a phase and the residual one of its breaker."""
        return bool(self.looks or self.released or self.measures in ("negative", "fault", "dip") or self.guards is not None or self.told_by)

    @property
    def told_by(self) -> tuple[str, ...]:
        """The breakers whose currents it takes, beside its own."""
        return (*([self.measured_at] if self.measured_at else []), *(sender for sender, _ in (self.restraint.by if self.restraint else ())))

    def rests_below_a(self, edge: Edge) -> float:
        """Below which current of a phase and residual current of its breaker it never operates, whatever else is measured [A]; 0 where it may."""
        if self.measures not in ("phase", "residual") or self.measured_at or self.released or self.restraint:
            return 0.0
        from_a = self.curve.from_a(edge)
        return 0.0 if math.isnan(from_a) else from_a

    def _where_it_measures(self, i: Amperes) -> Amperes:
        if not self.measured_at:
            return i
        none = np.zeros(np.shape(i.phase_a if isinstance(i, Through) else i))
        return i.elsewhere.get(self.measured_at, Through(none, none)) if isinstance(i, Through) else Through(none, none)

    def sees(self, i: Amperes, edge: Edge = "slow") -> Floats:
        """What it measures [A], as if of its pickup at full voltage; nothing of what flows the other way.

        What flows a way that is not known may be seen, but is not for certain. Where a voltage is not known it is taken as full.
        """
        i = self._where_it_measures(i)
        seen = seen_by(self.measures, i)
        more = (i.seen if isinstance(i, Through) else None) or UNKNOWN
        if self.measures == "dip":
            seen = np.nan_to_num(1 - more.v_pu(edge)) + np.zeros(np.shape(seen))
        if self.guards is not None:
            within = np.isin(more.place, sorted(self.guards))
            arcs = np.equal(more.arc, 1) | (np.isnan(more.arc) & (edge == "fast"))
            seen = np.where(within & arcs if self.of_arcs else within, seen, 0.0)
        if self.looks:
            way = more.residual_way if self.measures == "residual" else more.way
            seen = np.where(np.equal(way, self.looks) | (np.isnan(way) & (edge == "fast")), seen, 0.0)
        if self.released:
            seen = seen / self.released(more.v_pu(edge))
        return seen

    def seen_with_working(self, i: Amperes, w: Working) -> float:
        """What it measures at the slow edge [A], with the voltage that changes its pickup noted."""
        if self.released is None:
            return float(self.sees(i))
        i = self._where_it_measures(i)
        measured = float(seen_by(self.measures, i))
        v = float(((i.seen if isinstance(i, Through) else None) or UNKNOWN).v_pu("slow"))
        left = "full voltage, since none is known" if math.isnan(v) else "least voltage between two phases that the fault leaves"
        w.given("U", left, 1.0 if math.isnan(v) else v, "p.u.", str(self.released))
        part = float(self.released(np.asarray(v)))
        law, numbers = ("I / max(0.25, min(U, 1))" if self.released.below_pu is None else "I where U < U<, else none"), f"{f(measured)} / {f(part)}"
        return w.step("Current over the part of the pickup that stands", "Iv", law, numbers, measured / part, "A", "IEEE C37.2, 51V")

    def orders_at_s(self, i: Amperes, edge: Edge = "slow") -> Floats:
        """When it gives its order [s]."""
        seen = self.sees(i, edge)
        t = self.curve.time_s(seen, edge)
        if self.restraint:
            t = np.where(self.restraint.holds(i, edge), t, np.minimum(t, self.restraint.free.time_s(seen, edge)))
        return t + self.delays_s

    def stage_at(self, i: Amperes) -> str:
        """How its stage is called for a fault: also by what does not restrain it."""
        return f"{self.stage}, not restrained" if self.restraint and not bool(np.all(self.restraint.holds(i, "slow"))) else self.stage

    def begins_at(self, i: Through, edge: Edge) -> Floats:
        """From which share of currents on it operates at an edge; above 1 where not at all."""
        start = self.curve.from_a(edge)
        if self.released is None and self.measures != "dip":
            seen = self.sees(i, edge)
            return np.where(seen > LEAST_PART * start, start / np.maximum(seen, LEAST_PART * start), math.inf)
        low, high = np.zeros(np.shape(i.phase_a)), np.ones(np.shape(i.phase_a))
        for _ in range(HALVINGS):  # it sees more with every share more
            middle = (low + high) / 2
            operates = self.sees(i.times(middle), edge) >= start
            low, high = np.where(operates, low, middle), np.where(operates, middle, high)
        return np.where(self.sees(i, edge) >= start, high, math.inf)

    def opens_at_s(self, i: Amperes, edge: Edge = "slow") -> Floats:
        """When the switch has opened [s]."""
        return self.orders_at_s(i, edge) + self.adds_s


@dataclass(frozen=True)
class Reset:
    r"""What of its time a function keeps when its current has fallen below pickup: all for a while, or less and less.

    By its curve it takes :math:`T_M\,t_r / (1 - M^{\alpha_r})` from operated to nothing (IEEE C37.112).
    """

    for_s: float | None = None  # all is kept so long, then nothing
    tr_s: float = 0.0  # with the multiplier in it
    alpha: float = 2.0

    def left(self, passed: float, m: float, below_s: float, lasts_s: float) -> float:
        """What is left of a share after an interval at a multiple of pickup below 1, when it has been below it for a while before."""
        if self.for_s is not None:
            return passed if below_s + lasts_s <= self.for_s else 0.0
        return max(0.0, passed - lasts_s * (1 - min(m, 1.0) ** self.alpha) / self.tr_s) if self.tr_s else 0.0


@dataclass(frozen=True)
class Released:
    r"""How the voltage that is left changes a pickup: what of it stands, infinite where the function is held back.

    Restrained: the pickup falls with the voltage, :math:`\max(0.25, \min(U/U_n, 1))` of it. Controlled: it acts below a voltage alone.
    """

    below_pu: float | None = None  # None: restrained

    def __call__(self, v_pu: Floats) -> Floats:
        v = np.nan_to_num(v_pu, nan=1.0)
        if self.below_pu is None:
            return np.clip(v, LEAST_RESTRAINED, 1.0)
        return np.where(v < self.below_pu, 1.0, math.inf)

    def __str__(self) -> str:
        return "voltage-restrained" if self.below_pu is None else f"voltage-controlled below {f(100 * self.below_pu)} %"


@dataclass(frozen=True)
class FunctionKind:
    """A protective function that devices may have."""

    code: str
    name: str
    of: type  # what carries its settings
    make: Callable[[Any, Any], Function | None]  # of the holder and the switch; None where it is not set


@dataclass(frozen=True)
class Guard:
    """A zone relay with the buses at which it sees faults."""

    relay: ZoneRelay
    buses: frozenset[str]


LOOKS = {"both ways": 0, "forward": 1, "reverse": -1}


def _inverse(relay: Relay, breaker: Breaker) -> Function:
    made = _inverse_stage(relay, breaker, "51", relay.curve, relay.i_pickup_a, relay.time_multiplier, "phase")
    if relay.voltage == "independent":
        return made
    released = Released(None if relay.voltage == "restrained" else relay.v_release_pct / 100)
    return replace(made, released=released, stage=f"{made.stage}, {released}", rests=f"{made.rests}, {released}")


def _earth_inverse(relay: Relay, breaker: Breaker) -> Function | None:
    if relay.i_earth_pickup_a is None:
        return None
    return _inverse_stage(relay, breaker, "51N", relay.earth_curve, relay.i_earth_pickup_a, relay.earth_multiplier, "residual")


def _inverse_stage(
    relay: Relay, breaker: Breaker, code: str, curve_id: str | None, pickup_a: float | None, multiplier: float | None, measures: Measured
) -> Function:  # fmt: skip
    share = (relay.time_tolerance_pct or 0.0) / 100
    pickup, tm = pickup_a or math.nan, multiplier or math.nan

    points = [(p.multiple, p.t_s) for p in relay.curve_points] if curve_id == OWN else []

    def law_s(i_a: Floats, edge: Edge) -> Floats:
        if curve_id != OWN:
            return relay_time_s(relay_curves()[curve_id or ""], i_a / pickup, tm, m_hold=relay.m_hold)
        m = np.maximum(i_a, 1e-9) / pickup
        known = (m >= points[0][0]) | (edge == "fast") if points else False
        return np.where(known, tm * points_time_s(points, m, edge), math.inf)

    def tell(w: Working, i_a: float, t: float) -> None:
        if curve_id == OWN:
            law = f"(1 + {f(relay.time_tolerance_pct or 0.0)} %)·TM·t(M)"
            numbers = f"M = {f(i_a)}/{f(pickup)} = {f(i_a / pickup)}, on {len(points)} points, TM = {f(tm)}"
        else:
            curve = relay_curves()[curve_id or ""]
            law = f"(1 + {f(relay.time_tolerance_pct or 0.0)} %)·TM·(k/(M^α − 1) + c)"
            numbers = f"M = {f(i_a)}/{f(pickup)} = {f(i_a / pickup)}, TM = {f(tm)}, k = {f(curve.k)}, α = {f(curve.alpha)}, c = {f(curve.c)}"
        _tell_relay(w, relay, breaker, (curve_id, pickup, tm), measures, law, numbers, t)

    named = f"{relay.name} {relay_curves()[curve_id].name}" if curve_id in relay_curves() else f"{relay.name} {curve_id or ''}".strip()
    named += _measuring(relay, measures)
    curve = Curve(pickup, law_s, Tolerance((-share, share), (0.0, relay.m_start - 1)))
    looks, reset = LOOKS[_way_of(relay, measures)], _reset_of(relay, curve_id, tm)
    return Function(code, relay, curve, named, named, breaker.t_break_s or 0.0, tell, measures=measures, looks=looks, reset=reset)


def _reset_of(relay: Relay, curve_id: str | None, multiplier: float) -> Reset | None:
    if relay.reset == "after a time":
        return Reset(for_s=relay.t_reset_s or 0.0)
    if relay.reset == "by its curve" and curve_id in relay_curves():
        return Reset(tr_s=multiplier * relay_curves()[curve_id].tr, alpha=relay_curves()[curve_id].alpha_r)
    return None


def _way_of(relay: Relay, measures: Measured) -> str:
    return relay.earth_looks if measures == "residual" else relay.looks


def _measuring(relay: Relay, measures: Measured) -> str:
    """What is said of a stage beside its name."""
    way = _way_of(relay, measures)
    return (" earth fault" if measures == "residual" else "") + ("" if way == "both ways" else f", {way}")


def _high(relay: Relay, breaker: Breaker) -> Function | None:
    return _definite_stage(relay, breaker, "50", relay.i_high_a, relay.t_high_s, (relay.curve, relay.i_pickup_a, relay.time_multiplier), "phase")


def _earth_high(relay: Relay, breaker: Breaker) -> Function | None:
    inverse = relay.earth_curve, relay.i_earth_pickup_a, relay.earth_multiplier
    return _definite_stage(relay, breaker, "50N", relay.i_earth_high_a, relay.t_earth_high_s, inverse, "residual")


Inverse = tuple[str | None, float | None, float | None]  # curve, pickup, multiplier


def _definite_stage(
    relay: Relay, breaker: Breaker, code: str, start_a: float | None, delay_s: float | None, inverse: Inverse, measures: Measured
) -> Function | None:  # fmt: skip
    if start_a is None:
        return None
    start, delay = start_a, delay_s or 0.0
    share, sure = (relay.time_tolerance_pct or 0.0) / 100, relay.pickup_tolerance_pct / 100

    def tell(w: Working, i_a: float, t: float) -> None:
        law = f"t≫ for I ≥ I≫·(1 + {f(relay.pickup_tolerance_pct)} %)"
        _tell_relay(w, relay, breaker, inverse, measures, law, f"I = {f(i_a)} A ≥ {f(start * (1 + sure))} A, I≫ = {f(start)} A", t)

    # its delay holds its own operating time as told, so that the slow edge is the setting itself
    curve = Curve(start, lambda i_a, edge: np.full(np.shape(i_a), delay), Tolerance((-share, 0.0), (-sure, sure)))
    named = f"{relay.name} high stage{_measuring(relay, measures)}"
    looks = LOOKS[_way_of(relay, measures)]
    return Function(code, relay, curve, named, named, breaker.t_break_s or 0.0, tell, fast=True, measures=measures, looks=looks)


def _tell_relay(w: Working, relay: Relay, breaker: Breaker, inverse: Inverse, measures: Measured, law: str, numbers: str, t: float) -> None:
    curve_id, pickup, multiplier = inverse
    fields = ("i_pickup_a", "time_multiplier") if measures == "phase" else ("i_earth_pickup_a", "earth_multiplier")
    for symbol, meaning, value, field, unit in (("I>", "pickup", pickup, fields[0], "A"), ("TM", "time multiplier", multiplier, fields[1], "")):
        if value is not None:
            w.given(symbol, meaning, float(value), unit, f"Overcurrent relay {relay.name}", field in relay.assumed)
    source = ""
    if curve_id in relay_curves():
        curve = relay_curves()[curve_id]
        source = f"IEC 60255-151 ({curve.id})" + ("" if curve.status.startswith("operate verified") else ", constants unverified")
    w.step(f"Relay {relay.name}, slow edge", "t", law, numbers, t, "s", source)
    _tell_breaker(w, breaker, t)


def _tell_breaker(w: Working, breaker: Breaker, t: float) -> None:
    mark = "~" if "t_break_s" in breaker.assumed else ""
    w.step(f"Breaker {breaker.name}", "t", "relay + interrupting time", f"{f(t)} + {f(breaker.t_break_s)}{mark}", t + (breaker.t_break_s or 0.0), "s")


def _negative(relay: Relay, breaker: Breaker) -> Function | None:
    if relay.i_negative_a is None:
        return None
    share, sure, delay = (relay.time_tolerance_pct or 0.0) / 100, relay.pickup_tolerance_pct / 100, relay.t_negative_s or 0.0
    curve = Curve(relay.i_negative_a, lambda i_a, edge: np.full(np.shape(i_a), delay), Tolerance((-share, 0.0), (-sure, sure)))
    named = f"{relay.name} negative sequence"

    def tell(w: Working, i_a: float, t: float) -> None:
        w.step(f"Relay {relay.name}, slow edge", "t", "t2> for I2 ≥ I2>·(1 + tolerance)", f"I2 = {f(i_a)} A, I2> = {f(relay.i_negative_a)} A", t, "s")
        _tell_breaker(w, breaker, t)

    return Function("46", relay, curve, named, named, breaker.t_break_s or 0.0, tell, measures="negative")


def _thermal_image(relay: Relay, breaker: Breaker) -> Function | None:
    r"""Warm at the fast edge, cold at the slow one: :math:`t = \tau \ln\frac{I^2 - I_p^2}{I^2 - (k I_b)^2}` (IEC 60255-149)."""
    if relay.i_thermal_a is None:
        return None
    carries, tau = relay.i_thermal_a, relay.t_thermal_s or math.nan
    before = {"fast": relay.thermal_before_pct / 100, "slow": 0.0}
    share = (relay.time_tolerance_pct or 0.0) / 100

    def law_s(i_a: Floats, edge: Edge) -> Floats:
        m = np.maximum(i_a / carries, 1 + 1e-9)
        return np.asarray(tau * np.log((m**2 - before[edge] ** 2) / (m**2 - 1)))

    def tell(w: Working, i_a: float, t: float) -> None:
        w.given("k·Ib", "thermal current", carries, "A", f"Overcurrent relay {relay.name}")
        w.given("τ", "thermal time constant", tau, "s", f"Overcurrent relay {relay.name}")
        law = f"(1 + {f(100 * share)} %)·τ·ln(I²/(I² − (k·Ib)²)), cold"
        w.step(f"Relay {relay.name}, slow edge", "t", law, f"I = {f(i_a)} A, k·Ib = {f(carries)} A, τ = {f(tau)} s", t, "s", "IEC 60255-149")
        _tell_breaker(w, breaker, t)

    named = f"{relay.name} thermal"
    return Function("49", relay, Curve(carries, law_s, Tolerance((-share, share))), named, named, breaker.t_break_s or 0.0, tell, overload=True)


def _undervoltage(relay: Relay, breaker: Breaker) -> Function | None:
    """It measures what is taken from the voltage: its pickup is what is left to its setting."""
    if relay.v_under_pct is None:
        return None
    v, sure, share, delay = relay.v_under_pct / 100, relay.pickup_tolerance_pct / 100, (relay.time_tolerance_pct or 0.0) / 100, relay.t_under_s or 0.0
    dip = 1 - v
    edges = (1 - v * (1 + sure)) / dip - 1, (1 - v * (1 - sure)) / dip - 1
    curve = Curve(dip, lambda i_a, edge: np.full(np.shape(i_a), delay), Tolerance((-share, 0.0), edges))
    named = f"{relay.name} undervoltage"

    def tell(w: Working, dip_pu: float, t: float) -> None:
        w.given("U<", "undervoltage setting", 100 * v, "%", f"Overcurrent relay {relay.name}")
        law, numbers = "tU< for U ≤ U<·(1 − tolerance)", f"U = {f(100 * (1 - dip_pu))} %, the most that the fault may leave between two phases"
        w.step(f"Relay {relay.name}, slow edge", "t", law, numbers, t, "s", "IEEE C37.2, 27")
        _tell_breaker(w, breaker, t)

    return Function("27", relay, curve, named, named, breaker.t_break_s or 0.0, tell, measures="dip")


def _overvoltage(relay: Relay, breaker: Breaker) -> Function | None:
    """No fault between phases raises their voltage: it is set, and held against the load flow."""
    if relay.v_over_pct is None:
        return None
    delay = relay.t_over_s or 0.0
    sure = relay.pickup_tolerance_pct / 100
    curve = Curve(relay.v_over_pct / 100, lambda i_a, edge: np.full(np.shape(i_a), delay), Tolerance(pickup=(-sure, sure)))
    named = f"{relay.name} overvoltage"
    return Function("59", relay, curve, named, named, breaker.t_break_s or 0.0, lambda w, v, t: None, measures="rise", overload=True)


def _differential(guard: Guard, breaker: Breaker) -> Function | None:
    """All that flows into a zone flows into a fault within it; what only flows through counts for nothing."""
    return _zone_stage("87", guard, breaker, guard.relay.i_difference_a, "fault") if guard.relay.function == "differential" else None


def _arc_light(guard: Guard, breaker: Breaker) -> Function | None:
    if guard.relay.function != "arc light":
        return None
    return _zone_stage("AFD", guard, breaker, guard.relay.i_pickup_a or BY_LIGHT_ALONE_A, "phase")


def _zone_stage(code: str, guard: Guard, breaker: Breaker, pickup_a: float | None, measures: Measured) -> Function:
    relay, sure, operates = guard.relay, guard.relay.pickup_tolerance_pct / 100, guard.relay.t_operate_s or 0.0
    tolerance = Tolerance(pickup=(-sure, sure), least_s=(0.0, operates))
    curve = Curve(pickup_a or math.nan, lambda i_a, edge: np.zeros(np.shape(i_a)), tolerance)
    named = f"{relay.name} {relay.function}"

    def tell(w: Working, i_a: float, t: float) -> None:
        w.given("to", "longest operating time", operates, "s", f"Zone relay {relay.name}")
        what = "current through the breaker" if measures == "phase" else "all that flows into the zone"
        law = f"to for a fault within its zone, {what} against its pickup"
        w.step(f"Zone relay {relay.name}, slow edge", "t", law, f"I = {f(i_a)} A", t, "s", "IEEE C37.2")
        _tell_breaker(w, breaker, t)

    return Function(
        code, relay, curve, named, named, breaker.t_break_s or 0.0, tell, fast=True, measures=measures, guards=guard.buses, of_arcs=code == "AFD"
    )  # fmt: skip


def signalled(signal: ProtectionSignal, of_sender: Sequence[Function], breaker: Breaker) -> Iterator[Function]:
    """What the relays of another breaker make a breaker do: the functions of that one, measured there, with the time of the signal."""
    on_failure = signal.does == "trips on failure"
    delay = (signal.t_signal_s or 0.0) + ((signal.t_failure_s or 0.0) if on_failure else 0.0)
    for fn in of_sender:
        if not isinstance(fn.holder, Relay | ZoneRelay) or fn.measured_at:
            continue
        named = f"{signal.name} from {fn.stage}"

        def tell(w: Working, i_a: float, t: float, fn: Function = fn) -> None:
            w.given("ts", "from the order there to the order here" + (", failure delay included" if on_failure else ""), delay, "s", f"Signal {signal.name}")
            w.step(f"Order from {fn.stage}, slow edge", "t", "order there + ts", f"{f(i_a)} A there: {f(t - delay)} + {f(delay)}", t, "s", "IEEE C37.2")
            _tell_breaker(w, breaker, t)

        yield replace(
            fn, stage=named, rests=named, adds_s=breaker.t_break_s or 0.0, tell=tell, measured_at=signal.sender or "", delays_s=fn.delays_s + delay,
            if_fails=(signal.sender or "") if on_failure else "",
        )  # fmt: skip


def restrained(fn: Function, senders: Sequence[tuple[str, tuple[Function, ...] | None]], free_s: float | None) -> Function:
    """A function with what makes it wait. Else a short-time or earth stage of a trip has its lowest band, a high stage of a relay a delay of its own."""
    if not senders:
        return fn
    if fn.code in ("trip S", "trip G"):
        bands = SHORT_TIME_BANDS_S if fn.code == "trip S" else EARTH_BANDS_S
        return replace(fn, restraint=Restraint(tuple(senders), _flat(fn.curve.pickup_a, bands[LOWEST_BAND])))
    if fn.code in ("50", "50N") and free_s is not None:
        tolerance = replace(fn.curve.tolerance, time=(0.0, 0.0), least_s=(0.0, free_s))
        return replace(fn, restraint=Restraint(tuple(senders), replace(fn.curve, law_s=lambda i_a, edge: np.zeros(np.shape(i_a)), tolerance=tolerance)))
    return fn


BANDS_BY = {
    "electronic": "generic trip bands (unverified defaults)",
    "thermal-magnetic": "IEC 60947-2, UL 489; shape between the tested points unverified",
    "miniature": "IEC 60898-1; shape between the tested points unverified",
    OWN: "own points",
}


def _long_time(breaker: Breaker, _: Breaker) -> Function | None:
    if breaker.trip != "electronic":
        return None
    ir, tr = breaker.trip_ir_a or math.nan, breaker.trip_tr_s or math.nan
    curve = Curve(ir, lambda i_a, edge: tr * 36 / (np.maximum(i_a, 1e-9) / ir) ** 2, Tolerance(LONG_TIME_TOLERANCE, LONG_TIME_PICKUP, INSTANTANEOUS_S))
    return _stage_of_trip("trip L", "long time", breaker, curve)


def _short_time(breaker: Breaker, _: Breaker) -> Function | None:
    if breaker.trip != "electronic" or breaker.trip_isd_a is None or breaker.trip_tsd is None:
        return None
    flat = _flat(breaker.trip_isd_a, SHORT_TIME_BANDS_S[breaker.trip_tsd])
    if not breaker.trip_sd_ramp:
        return _stage_of_trip("trip S", "short time", breaker, flat)
    ir, band = breaker.trip_ir_a or math.nan, dict(zip(EDGES, SHORT_TIME_BANDS_S[breaker.trip_tsd], strict=True))
    ramp = replace(flat, law_s=lambda i_a, edge: band[edge] * (RAMP_TO * ir / np.maximum(i_a, 1e-9)) ** 2)
    return _stage_of_trip("trip S", "short time by I²t", breaker, ramp)


def _earth_of_trip(breaker: Breaker, _: Breaker) -> Function | None:
    if breaker.trip != "electronic" or breaker.trip_ig_a is None or breaker.trip_tg is None:
        return None
    return replace(_stage_of_trip("trip G", "earth fault", breaker, _flat(breaker.trip_ig_a, EARTH_BANDS_S[breaker.trip_tg])), measures="residual")


def _instantaneous(breaker: Breaker, _: Breaker) -> Function | None:
    if breaker.trip != "electronic" or breaker.trip_ii_a is None:
        return None
    return _stage_of_trip("trip I", "instantaneous", breaker, _flat(breaker.trip_ii_a, INSTANTANEOUS_S), fast=True)


def _maintenance(breaker: Breaker, _: Breaker) -> Function | None:
    """While its switch is on: with a trip of its own at once, else by an instantaneous relay and the breaker's time."""
    if not breaker.maintenance or breaker.i_maintenance_a is None or breaker.trip not in ("none", "electronic"):
        return None
    own = breaker.trip == "electronic"
    curve = _flat(breaker.i_maintenance_a, INSTANTANEOUS_S if own else RELAY_AT_ONCE_S)
    adds_s = 0.0 if own else breaker.t_break_s or 0.0

    def tell(w: Working, i_a: float, t: float) -> None:
        w.given("Im,s", "maintenance pickup, its switch on", breaker.i_maintenance_a or math.nan, "A", f"Breaker {breaker.name}")
        w.step(f"Maintenance stage of {breaker.name}, slow edge", "t", "at once for I ≥ 1.1·Im,s", f"I = {f(i_a)} A", t, "s", BANDS_BY["electronic"])
        if not own:
            _tell_breaker(w, breaker, t)

    stage = f"{breaker.name} maintenance stage"
    return Function("maintenance", breaker, curve, stage, f"{breaker.name} does not pick up", adds_s, tell, fast=True)


def _thermal(breaker: Breaker, _: Breaker) -> Function | None:
    r"""Bimetal: :math:`t = \tau \ln\frac{m^2}{m^2 - p^2}`; its bands by what standards test, unverified between."""
    if breaker.trip not in ("thermal-magnetic", "miniature"):
        return None
    ir = breaker.trip_ir_a or math.nan
    if breaker.trip == "miniature":
        most = MINIATURE_TEST_S[1] if ir > 32 else MINIATURE_TEST_S[0]
        p, at, times, least = MINIATURE_PICKUP, MINIATURE_TEST, (1.0, most), MINIATURE_AT_ONCE_S
    else:
        slow = next(60.0 * minutes for to, minutes in TWICE_RATED_MIN if ir <= to or to == TWICE_RATED_MIN[-1][0])
        p, at, times, least = MOULDED_PICKUP, 2.0, (0.2 * slow, slow), _moulded_at_once_s(breaker)
    tau = {edge: t / math.log(at**2 / (at**2 - x**2)) for edge, t, x in zip(EDGES, times, p, strict=True)}
    sure = dict(zip(EDGES, p, strict=True))

    def law_s(i_a: Floats, edge: Edge) -> Floats:
        m = np.maximum(i_a / ir, sure[edge] * (1 + 1e-9))
        return np.asarray(tau[edge] * np.log(m**2 / (m**2 - sure[edge] ** 2)))

    return _stage_of_trip("thermal", "thermal", breaker, Curve(ir, law_s, Tolerance(pickup=(p[0] - 1, p[1] - 1), least_s=least)))


def _own_trip(breaker: Breaker, _: Breaker) -> Function | None:
    if breaker.trip != OWN:
        return None
    return _stage_of_trip("trip curve", "own curve", breaker, _curve_of(breaker.trip_points))


def _curve_of(points: Sequence[BandPoint]) -> Curve:
    edges = {"fast": [(p.i_a, p.t_fast_s) for p in points], "slow": [(p.i_a, p.t_slow_s) for p in points]}
    return Curve(points[0].i_a if points else math.nan, lambda i_a, edge: points_time_s(edges[edge], np.maximum(i_a, 1e-9), edge))


def _magnetic(breaker: Breaker, _: Breaker) -> Function | None:
    if breaker.trip == "thermal-magnetic" and breaker.trip_im_a is not None:
        curve = _flat(breaker.trip_im_a, _moulded_at_once_s(breaker), MAGNETIC_TOLERANCE)
    elif breaker.trip == "miniature" and breaker.trip_class is not None:
        low, high = MINIATURE_CLASSES[breaker.trip_class]
        curve = _flat((breaker.trip_ir_a or math.nan) * low, MINIATURE_AT_ONCE_S, (0.0, high / low - 1))
    else:
        return None
    return _stage_of_trip("magnetic", "magnetic", breaker, curve, fast=True)


def _moulded_at_once_s(breaker: Breaker) -> tuple[float, float]:
    return MOULDED_AT_ONCE_S[(breaker.i_rated_a or breaker.trip_ir_a or math.inf) > 400]


def _flat(pickup_a: float, band_s: tuple[float, float], pickup: tuple[float, float] = PICKUP_TOLERANCE) -> Curve:
    """A stage that opens within a band of time, whatever the current."""
    return Curve(pickup_a, lambda i_a, edge: np.zeros(np.shape(i_a)), Tolerance(pickup=pickup, least_s=band_s))


def _stage_of_trip(code: str, stage: str, breaker: Breaker, curve: Curve, fast: bool = False) -> Function:
    def tell(w: Working, i_a: float, t: float) -> None:
        if breaker.trip != OWN:
            w.given("Ir", "long-time pickup", breaker.trip_ir_a or math.nan, "A", f"Breaker {breaker.name}")
        if breaker.trip == "electronic":
            w.given("tr", "long-time delay at 6·Ir", breaker.trip_tr_s or math.nan, "s", f"Breaker {breaker.name}")
        if breaker.trip == "thermal-magnetic" and breaker.trip_im_a is not None:
            w.given("Im", "magnetic pickup", breaker.trip_im_a, "A", f"Breaker {breaker.name}")
        if breaker.trip_isd_a is not None:
            w.given("Isd", "short-time pickup", breaker.trip_isd_a, "A", f"Breaker {breaker.name}, band {breaker.trip_tsd}")
        if breaker.trip_ig_a is not None:
            w.given("Ig", "earth pickup, residual current", breaker.trip_ig_a, "A", f"Breaker {breaker.name}, band {breaker.trip_tg}")
        if breaker.trip_ii_a is not None:
            w.given("Ii", "instantaneous pickup", breaker.trip_ii_a, "A", f"Breaker {breaker.name}")
        w.step(
            f"Trip of {breaker.name}, slow edge", "t", "fastest stage that picks up at I; the bands include the breaker's own time",
            f"I = {f(i_a)} A: {stage if math.isfinite(t) else 'no stage'}", t, "s", BANDS_BY[breaker.trip],
        )  # fmt: skip

    return Function(code, breaker, curve, f"{breaker.name} {stage}", f"{breaker.name} does not pick up", 0.0, tell, fast)


def _fuse_link(fuse: Fuse, _: Fuse) -> Function:
    rated = fuse.i_rated_a or math.nan
    if fuse.link == OWN:
        return _own_link(fuse)
    band = band_of(fuse.link, rated)

    def tell(w: Working, i_a: float, t: float) -> None:
        w.given("In", f"{fuse.link} fuse-link {fuse.name}", rated, "A", f"Fuse {fuse.name}, rated current")
        if band:
            w.step(f"Time of {fuse.name}", "t", band.told, f"I = {f(i_a)} A", t, "s", band.source, band.note)

    def law_s(i_a: Floats, edge: Edge) -> Floats:
        return link_time_s(band, i_a, edge) if band else np.full(np.shape(i_a), math.inf)

    starts = (band.fast[0][0] / rated - 1, band.slow[0][0] / rated - 1) if band else (0.0, 0.0)
    return Function("fuse link", fuse, Curve(rated, law_s, Tolerance(pickup=starts)), "fuse", "fuse", 0.0, tell)


def _own_link(fuse: Fuse) -> Function:
    def tell(w: Working, i_a: float, t: float) -> None:
        w.step(f"Time of {fuse.name}", "t", "greatest clearing time by its points at I", f"I = {f(i_a)} A, {len(fuse.points)} points", t, "s", "own points")

    return Function("fuse link", fuse, _curve_of(fuse.points), "fuse", "fuse", 0.0, tell)


# a function of one's own stands here


REGISTRY: tuple[FunctionKind, ...] = (
    FunctionKind("51", "inverse-time overcurrent", Relay, _inverse),
    FunctionKind("50", "high overcurrent stage", Relay, _high),
    FunctionKind("46", "negative-sequence stage", Relay, _negative),
    FunctionKind("49", "thermal image", Relay, _thermal_image),
    FunctionKind("27", "undervoltage stage", Relay, _undervoltage),
    FunctionKind("59", "overvoltage stage", Relay, _overvoltage),
    FunctionKind("87", "differential of a zone", Guard, _differential),
    FunctionKind("AFD", "light of an arc", Guard, _arc_light),
    FunctionKind("51N", "inverse-time earth fault, residual current", Relay, _earth_inverse),
    FunctionKind("50N", "high earth-fault stage, residual current", Relay, _earth_high),
    FunctionKind("trip L", "long-time stage of an electronic trip", Breaker, _long_time),
    FunctionKind("trip S", "short-time stage of an electronic trip", Breaker, _short_time),
    FunctionKind("trip I", "instantaneous stage of an electronic trip", Breaker, _instantaneous),
    FunctionKind("trip G", "earth-fault stage of an electronic trip", Breaker, _earth_of_trip),
    FunctionKind("trip curve", "trip by points of one's own", Breaker, _own_trip),
    FunctionKind("maintenance", "instantaneous stage by the maintenance switch", Breaker, _maintenance),
    FunctionKind("thermal", "bimetal of a thermal-magnetic or miniature breaker", Breaker, _thermal),
    FunctionKind("magnetic", "magnetic stage of a thermal-magnetic or miniature breaker", Breaker, _magnetic),
    FunctionKind("fuse link", "fuse-link of any class", Fuse, _fuse_link),
)


def resting(switch: Breaker | Fuse) -> Function:
    """What a breaker has that only a signal of another's failure opens: a function that never operates, and sees faults nowhere."""
    curve = Curve(math.inf, lambda i_a, edge: np.full(np.shape(i_a), math.inf))
    named = f"{switch.name} does not pick up"
    return Function("none", switch, curve, named, named, 0.0, lambda w, i, t: None, guards=frozenset())


def functions_of(switch: Breaker | Fuse, relays: tuple[Relay, ...], guards: tuple[Guard, ...] = ()) -> tuple[Function, ...]:
    """The functions that open a switch: those of its relays, then its own."""
    made = (kind.make(holder, switch) for holder in (*relays, *guards, switch) for kind in REGISTRY if isinstance(holder, kind.of))
    return tuple(one for one in made if one is not None)
