"""The protective devices of a network in one state, and when each has opened for a current through it."""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from northfell.core.model.elements import OWN, Breaker, Element, Fuse, Relay
from northfell.core.network import Compiled
from northfell.core.network.lacking import told
from northfell.core.rules.completeness import missing, missing_of
from northfell.core.rules.consistency import above_its_voltage, in_force
from northfell.core.studies.protection.curves import Floats
from northfell.core.studies.protection.functions import Function, functions_of
from northfell.core.studies.protection.through import Amperes, Edge, Measured, Seen, Through, seen_by
from northfell.core.working import Working

LEAST_ARC_S = 0.01  # half a cycle at 50 Hz


@dataclass(frozen=True)
class Clearing:
    """When a device has opened: total time on its slow edge [s], infinite if never, and by which stage."""

    t_s: float
    stage: str
    fast: bool = False  # that stage acts without waiting for others


@dataclass(frozen=True)
class Device:
    """A switching device that opens by itself: a fuse, a breaker with its own trip, or a breaker with relays."""

    switch: Breaker | Fuse
    relays: tuple[Relay, ...] = ()

    @property
    def name(self) -> str:
        return self.switch.name

    def __getstate__(self) -> dict[str, Any]:
        """Without its functions, which are made again where they are asked for: a result that holds devices goes between processes."""
        return {"switch": self.switch, "relays": self.relays}

    def with_holder(self, changed: Element) -> "Device":
        """The same with its switch, or one of its relays, set otherwise."""
        if isinstance(changed, Relay):
            return Device(self.switch, tuple(changed if r.id == changed.id else r for r in self.relays))
        assert isinstance(changed, Breaker | Fuse)
        return Device(changed, self.relays)

    @cached_property
    def functions(self) -> tuple[Function, ...]:
        """What opens it."""
        return functions_of(self.switch, self.relays)

    def opens_at_s(self, i: Amperes, edge: Edge = "slow") -> Floats:
        """Slow (or fast) edge of the band plus breaker time at many currents [A]; infinite for never."""
        first: Floats = np.min([one.opens_at_s(i, edge) for one in self.functions], axis=0)
        return first

    def interrupts_at_s(self, i: Amperes) -> Floats:
        """When an arc behind it is out: as it opens for certain, but by a fuse, or a trip of own points, no sooner than half a cycle.

        Less stands for heat alone: a time that the current before it is cut off would take to bring as much.
        """
        t = self.opens_at_s(i)
        limits = isinstance(self.switch, Fuse) or self.switch.trip == OWN
        return np.maximum(t, LEAST_ARC_S) if limits else t

    def orders_at_s(self, i: Amperes, edge: Edge = "slow") -> Floats:
        """When it is decided that it opens, before the time of the switch itself [s]: what a device below it must be done by."""
        first: Floats = np.min([one.orders_at_s(i, edge) for one in self.functions], axis=0)
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
        """Whether all that it has against faults looks against a way."""
        against = [fn for fn in self.functions if not fn.overload]
        return bool(against) and all(fn.looks == -way for fn in against)

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
        fastest: dict[str, tuple[float, Function]] = {}  # of each that carries settings
        for one in self.functions:
            t = float(one.orders_at_s(i))
            if one.holder.id not in fastest or t < fastest[one.holder.id][0]:
                fastest[one.holder.id] = t, one
        if w:
            for t, one in fastest.values():
                one.tell(w, one.seen_with_working(i, w), t)
        t, first = min(fastest.values(), key=lambda found: found[0] + found[1].adds_s)
        return Clearing(t + first.adds_s, first.stage, first.fast) if np.isfinite(t) else Clearing(t, first.rests)


def devices_of(elements: Mapping[str, Element]) -> dict[str, Device]:
    """The devices in service, by the id of their switch. A breaker without trip and relay is none."""
    relays: dict[str, list[Relay]] = {}
    for e in elements.values():
        if isinstance(e, Relay) and in_force(elements, e):
            relays.setdefault(e.breaker, []).append(e)
    found: dict[str, Device] = {}
    for e in elements.values():
        if isinstance(e, Fuse):
            if not above_its_voltage(elements, e):
                found[e.id] = Device(e)
        elif isinstance(e, Breaker) and (e.trip != "none" or e.id in relays):
            found[e.id] = Device(e, tuple(relays.get(e.id, ())))
    return found


def need_more(devices: Iterable[Device]) -> bool:
    """Whether any device measures more than the current of a phase and the residual one."""
    return any(fn.needs_more for one in devices for fn in one.functions)


def lacking_of(net: Compiled, study: str) -> dict[str, list[str]]:
    """What the devices that are fed lack for a study, in words, by the id of the switch that opens."""
    found: dict[str, list[str]] = {}
    for one in missing(net.elements, study, net.taking_part.values()):
        e = one.element
        if isinstance(e, Breaker | Fuse) or (isinstance(e, Relay) and in_force(net.elements, e)):
            found.setdefault(e.breaker if isinstance(e, Relay) else e.id, []).append(told(net, one))
    return found


def is_complete(elements: Mapping[str, Element], device: Device, study: str) -> bool:
    """Whether all that its functions need for a study is there."""
    return not any(missing_of(elements, e, study) for e in (device.switch, *device.relays))
