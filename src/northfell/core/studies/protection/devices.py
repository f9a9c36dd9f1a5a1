"""The protective devices of a network in one state, and when each has opened for a current through it."""

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from northfell.core.model.elements import OWN, Breaker, Bus, Element, Fuse, ProtectionSignal, Relay, ZoneRelay
from northfell.core.model.elements.signalling import RESTRAINS
from northfell.core.network import Compiled
from northfell.core.network.lacking import told
from northfell.core.quantities import figure as f
from northfell.core.rules.completeness import missing, missing_of
from northfell.core.rules.consistency import above_its_voltage, in_force
from northfell.core.rules.zones import bounded, zones_of
from northfell.core.studies.protection.curves import Floats
from northfell.core.studies.protection.functions import Function, Guard, functions_of, resting, restrained, signalled
from northfell.core.studies.protection.through import Amperes, Edge, Measured, Seen, Through, seen_by
from northfell.core.working import Working

LEAST_ARC_S = 0.01  # half a cycle at 50 Hz
KEPT = 4096  # devices that are not made anew for each study


@dataclass(frozen=True)
class Clearing:
    """When a device has opened: total time on its slow edge [s], infinite if never, and by which stage."""

    t_s: float
    stage: str
    fast: bool = False  # that stage acts without waiting for others


@dataclass(frozen=True)
class Link:
    """A signal that a device receives, with the one that sends it."""

    signal: ProtectionSignal
    sender: "Device"  # of what it receives itself with what makes it wait alone
    known: bool = True  # whether all settings of the sender are there

    def told_anew(self, changed: "Device") -> "Link":
        """The same with the sender set otherwise, or told anew itself."""
        sender = changed.sending if self.sender.switch.id == changed.switch.id else self.sender.told_anew(changed)
        return self if sender is self.sender else replace(self, sender=sender)


@dataclass(frozen=True)
class Device:
    """A switching device that opens by itself: a fuse, a breaker with its own trip, or a breaker with relays or a signal that trips it."""

    switch: Breaker | Fuse
    relays: tuple[Relay, ...] = ()
    guards: tuple[Guard, ...] = ()
    links: tuple[Link, ...] = ()

    @property
    def name(self) -> str:
        return self.switch.name

    def __getstate__(self) -> dict[str, Any]:
        """Without its functions, which are made again where they are asked for: a result that holds devices goes between processes."""
        return {"switch": self.switch, "relays": self.relays, "guards": self.guards, "links": self.links}

    def with_holder(self, changed: Element) -> "Device":
        """The same with its switch, or one of its relays, set otherwise."""
        if isinstance(changed, Relay):
            return replace(self, relays=tuple(changed if r.id == changed.id else r for r in self.relays))
        assert isinstance(changed, Breaker | Fuse)
        return replace(self, switch=changed)

    @cached_property
    def reclosing(self) -> Relay | None:
        """The relay that closes its breaker again after a trip."""
        return next((r for r in self.relays if r.shots > 1), None)

    @property
    def fast_shots(self) -> int:
        """How many of its trips, the first ones, go by its fast curve."""
        r = self.reclosing
        return min(r.fast_shots, r.shots - 1) if r else 0

    @cached_property
    def once(self) -> "Device":
        """What it is in a trip by its own settings: without closing again."""
        r = self.reclosing
        return self.with_holder(r.model_copy(update={"shots": 1})) if r else self

    @cached_property
    def by_fast_curve(self) -> "Device":
        """What it is in its fast trips."""
        r = self.reclosing
        return self.with_holder(r.model_copy(update={"shots": 1, "curve": r.fast_curve, "time_multiplier": r.fast_multiplier})) if r else self

    @property
    def holders(self) -> tuple[Element, ...]:
        """All that carries settings of it."""
        return self.switch, *self.relays, *(g.relay for g in self.guards), *(link.signal for link in self.links)

    @property
    def sending(self) -> "Device":
        """As others are told of it: without what trips it from elsewhere, but with what makes it wait."""
        return replace(self, links=tuple(link for link in self.links if link.signal.does == RESTRAINS)) if self.links else self

    def told_anew(self, changed: "Device") -> "Device":
        """The same where another device is set otherwise: itself, if it has nothing to do with that one."""
        if not self.links:
            return self
        links = tuple(link.told_anew(changed) for link in self.links)
        return self if all(a is b for a, b in zip(links, self.links, strict=True)) else replace(self, links=links)

    @cached_property
    def functions(self) -> tuple[Function, ...]:
        """What opens it, where no other device fails."""
        restraints = [link for link in self.links if link.signal.does == RESTRAINS]
        senders = [(link.sender.switch.id, link.sender.functions if link.known else None) for link in restraints]
        free_s = max((link.signal.t_free_s for link in restraints if link.signal.t_free_s is not None), default=None)
        own = (restrained(fn, senders, free_s) for fn in functions_of(self.switch, self.relays, self.guards))
        return (*own, *(fn for fn in self._signalled if not fn.if_fails)) or (resting(self.switch),)

    @cached_property
    def rests_below_a(self) -> float:
        """Below which current through it nothing opens it, whatever else is measured [A]; 0 where something may."""
        every = (*self.functions, *self.on_failure, *self.once.functions, *self.by_fast_curve.functions)
        return min(fn.rests_below_a("fast") for fn in every)

    @cached_property
    def on_failure(self) -> tuple[Function, ...]:
        """What opens it where another device fails."""
        return tuple(fn for fn in self._signalled if fn.if_fails)

    @cached_property
    def _signalled(self) -> tuple[Function, ...]:
        if not isinstance(self.switch, Breaker):
            return ()
        trips = (link for link in self.links if link.signal.does != RESTRAINS)
        return tuple(fn for link in trips for fn in signalled(link.signal, link.sender.functions, self.switch))

    def opens_at_s(self, i: Amperes, edge: Edge = "slow") -> Floats:
        """Slow (or fast) edge of the band plus breaker time at many currents [A]; infinite for never.

        Of a recloser the slow edge is the time of all trips, in which a fault burns, and the fast one that of the first.
        """
        if self.reclosing:
            if edge == "fast":
                return (self.by_fast_curve if self.fast_shots else self.once).opens_at_s(i, edge)
            fast = self.fast_shots * self.by_fast_curve.opens_at_s(i) if self.fast_shots else 0.0
            return np.asarray(fast + (self.reclosing.shots - self.fast_shots) * self.once.opens_at_s(i))
        first: Floats = np.min([one.opens_at_s(i, edge) for one in self.functions], axis=0)
        return first

    def interrupts_at_s(self, i: Amperes) -> Floats:
        """When an arc behind it is out at many currents [A]."""
        return self._out_at_s(self.opens_at_s(i))

    def _out_at_s(self, t: Floats) -> Floats:
        """When an arc behind it is out: as it opens for certain, but by a fuse, or a trip of own points, no sooner than half a cycle.

        Less stands for heat alone: a time that the current before it is cut off would take to bring as much.
        """
        limits = isinstance(self.switch, Fuse) or self.switch.trip == OWN
        return np.maximum(t, LEAST_ARC_S) if limits else t

    def orders_at_s(self, i: Amperes, edge: Edge = "slow") -> Floats:
        """When it is decided that it opens, before the time of the switch itself [s]: what a device below it must be done by."""
        first: Floats = np.min([one.orders_at_s(i, edge) for one in self.functions], axis=0)
        if self.fast_shots and edge == "fast":
            first = np.minimum(first, self.by_fast_curve.orders_at_s(i, edge))
        return first

    def from_a(self, edge: Edge, measures: Measured = "phase") -> float:
        """The lowest current, at full voltage and the way it looks, at which some stage may operate (fast), or does for certain (slow) [A].

        nan where none measures that.
        """
        starts = (one.curve.from_a(edge) for one in self.functions if one.measures == measures)
        return min((a for a in starts if not math.isnan(a)), default=math.nan)

    def over(self, i: Amperes, edge: Edge, measures: Measured = "phase", of_faults: bool = False) -> Floats:
        """By how much currents are above where the first stage that measures them may operate (fast), or does for certain (slow).

        With `of_faults`, of those stages alone that are meant for faults.
        """
        those = (fn for fn in self.functions if fn.measures == measures and not (of_faults and fn.overload))
        ratios = [np.nan_to_num(fn.sees(i, edge) / fn.curve.from_a(edge)) for fn in those]
        return np.asarray(np.max(ratios, axis=0)) if ratios else np.zeros(np.shape(seen_by(measures, i)))

    def looks_away(self, way: int) -> bool:
        """Whether all that it has against faults looks against a way, or at its zone alone."""
        against = [fn for fn in self.functions if not fn.overload and fn.measures != "dip" and fn.guards is None and not fn.measured_at]
        return all(fn.looks == -way for fn in against)

    @property
    def acts_on_its_zone_alone(self) -> bool:
        """Whether it has nothing against faults anywhere else."""
        return self.looks_away(1) and self.looks_away(-1)

    def along(self, i_a: Floats, like: Through | None = None) -> Through:
        """Currents of the phase [A], with all that goes with such a share of a fault that it sees.

        Where it sees none they flow the way that it looks, and leave a voltage that releases it.
        """
        if like is not None and like.phase_a > 0:
            return like.times(np.asarray(i_a) / like.phase_a)
        way = next((float(fn.looks) for fn in self.functions if fn.looks), math.nan)
        low = [fn.released.below_pu / 2 for fn in self.functions if fn.released and fn.released.below_pu]
        i = np.asarray(i_a, float)
        return Through(i, np.zeros(i.shape), Seen(way=way, residual_way=way, v_bolted_pu=min(low, default=math.nan), dip_pu=1.0))

    def clearing(self, i: Amperes, w: Working | None = None) -> Clearing:
        """Slow edge plus breaker time at a current [A]; noted in `w` if given."""
        if self.reclosing:
            return self._all_trips(i, w)
        fastest: dict[str, tuple[float, Function]] = {}  # of each that carries settings
        for one in self.functions:
            t = float(one.orders_at_s(i))
            if one.holder.id not in fastest or t < fastest[one.holder.id][0]:
                fastest[one.holder.id] = t, one
        if w:
            for t, one in fastest.values():
                one.tell(w, one.seen_with_working(i, w), t)
        t, first = min(fastest.values(), key=lambda found: found[0] + found[1].adds_s)
        return Clearing(t + first.adds_s, first.stage_at(i), first.fast) if np.isfinite(t) else Clearing(t, first.rests)

    def interrupts(self, i: Amperes) -> tuple[Floats, NDArray[np.intp]]:
        """When an arc behind it is out at many currents, and which of its functions, by position, is the first to open it: that of `clearing`.

        Of none, the first function; of a recloser that of a single trip.
        """
        of_holder = list(dict.fromkeys(fn.holder.id for fn in self.functions))
        order = sorted(range(len(self.functions)), key=lambda k: of_holder.index(self.functions[k].holder.id))
        times = np.stack(np.broadcast_arrays(*(self.functions[k].opens_at_s(i) for k in order)))
        first = np.asarray(np.array(order, np.intp)[times.argmin(axis=0)])
        return self._out_at_s(self.opens_at_s(i) if self.reclosing else times.min(axis=0)), first

    def _all_trips(self, i: Amperes, w: Working | None) -> Clearing:
        """The trips of a recloser one after the other."""
        assert self.reclosing is not None
        fast, shots = self.fast_shots, self.reclosing.shots
        first = self.by_fast_curve.clearing(i, w).t_s if fast else 0.0
        own, t = self.once.clearing(i, w), float(self.opens_at_s(i))
        if w:
            numbers = f"{fast}·{f(first)} + {shots - fast}·{f(own.t_s)}" if fast else f"{shots}·{f(own.t_s)}"
            w.step(f"All {shots} trips of {self.name}", "t", "fast trips + trips by its own curve, the time between them left out", numbers, t, "s")
        return Clearing(t, f"{own.stage}, {shots} trips", own.fast)


def devices_of(elements: Mapping[str, Element]) -> dict[str, Device]:
    """The devices in service, by the id of their switch. A breaker without trip and relay is none."""
    relays: dict[str, list[Relay]] = {}
    guards: dict[str, list[ZoneRelay]] = {}
    signals: dict[str, list[ProtectionSignal]] = {}
    for e in elements.values():
        if isinstance(e, Relay) and in_force(elements, e):
            relays.setdefault(e.breaker, []).append(e)
        elif isinstance(e, ZoneRelay) and e.in_service:
            guards.setdefault(e.breaker, []).append(e)
        elif isinstance(e, ProtectionSignal) and e.in_service:
            signals.setdefault(e.breaker, []).append(e)
    guarded = _buses_of(elements, [g for some in guards.values() for g in some])
    found: dict[str, Device] = {}
    for e in elements.values():
        if isinstance(e, Fuse):
            if not above_its_voltage(elements, e):
                found[e.id] = _made(_Same(e))
        elif isinstance(e, Breaker) and (e.trip != "none" or e.id in relays or e.id in guards or any(s.orders for s in signals.get(e.id, ()))):
            found[e.id] = _made(_Same(e), tuple(map(_Same, relays.get(e.id, ()))), tuple((_Same(g), guarded[g.id]) for g in guards.get(e.id, ())))
    for restraints in (True, False):  # what makes a device wait first: others are told of it with that
        alone = dict(found)
        for device, received in signals.items():
            if device in found:
                senders = ((s, alone[s.sender].sending) for s in received if s.sender in alone and s.sender != device and (s.does == RESTRAINS) == restraints)
                links = tuple(Link(s, sender, is_complete(elements, sender, "coordination")) for s, sender in senders)
                found[device] = replace(found[device], links=(*found[device].links, *links))
    return {d: one for d, one in found.items() if one.on_failure or any(fn.code != "none" for fn in one.functions)}


class _Same:
    """An element as a key: known by which it is, not by what it says."""

    __slots__ = ("one",)

    def __init__(self, one: Any) -> None:
        self.one = one

    def __hash__(self) -> int:
        return id(self.one)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and self.one is other.one


@lru_cache(maxsize=KEPT)
def _made(switch: _Same, relays: tuple[_Same, ...] = (), guards: tuple[tuple[_Same, frozenset[str]], ...] = ()) -> Device:
    """A device, whose functions are found once for all studies and states in which nothing of it is set otherwise."""
    return Device(switch.one, tuple(r.one for r in relays), tuple(Guard(g.one, buses) for g, buses in guards))


def _buses_of(elements: Mapping[str, Element], relays: list[ZoneRelay]) -> dict[str, frozenset[str]]:
    """At which buses each zone relay sees faults."""
    zones = {z.name: z.covers for z in zones_of(elements) if bounded(elements, z)} if any(r.function == "differential" for r in relays) else {}
    found = {}
    for r in relays:
        covers = zones.get(r.zone, frozenset()) if r.function == "differential" else [r.bus]
        found[r.id] = frozenset(i for i in covers if i and isinstance(elements.get(i), Bus))
    return found


def exchanged(devices: Mapping[str, Device], changed: Device) -> tuple[dict[str, Device], frozenset[str]]:
    """Devices with one set otherwise, and all whose times that may change: what it tells others is of its settings too."""
    i = changed.switch.id
    made, touched = {**devices, i: changed}, {i}
    for d in devices:
        told = made[d].told_anew(changed)
        if told is not made[d]:
            made[d] = told
            touched.add(d)
    return made, frozenset(touched)


@dataclass(frozen=True)
class Wanted:
    """What devices measure beside the current of a phase and the residual one of their own."""

    more: bool
    elsewhere: tuple[str, ...]  # other breakers whose currents some of them take


def wanted_by(devices: Iterable[Device]) -> Wanted:
    """What is to be known for these devices."""
    functions = [fn for one in devices for fn in (*one.functions, *one.on_failure)]
    told_by: Iterator[str] = (d for fn in functions for d in fn.told_by)
    return Wanted(any(fn.needs_more for fn in functions), tuple(dict.fromkeys(told_by)))


def lacking_of(net: Compiled, study: str) -> dict[str, list[str]]:
    """What the devices that are fed lack for a study, in words, by the id of the switch that opens."""
    found: dict[str, list[str]] = {}
    for one in missing(net.elements, study, net.taking_part.values()):
        e = one.element
        if isinstance(e, Relay) and not in_force(net.elements, e):
            continue
        if isinstance(e, Breaker | Fuse | Relay | ZoneRelay | ProtectionSignal):
            found.setdefault(e.id if isinstance(e, Breaker | Fuse) else e.breaker, []).append(told(net, one))
    return found


def is_complete(elements: Mapping[str, Element], device: Device, study: str) -> bool:
    """Whether all that its functions need for a study is there."""
    return not any(missing_of(elements, e, study) for e in device.holders)
