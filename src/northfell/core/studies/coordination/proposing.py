"""Settings proposed: from the loads outward, each device so that what is above what is below it keeps its interval and its rules, as quick as may be.

Every device is gone through once, those nearest to the loads first. One that keeps all of its gaps and rules stays as it is. For another
all settings in its reach are tried: what breaks least counts first, then that little is changed, then the least clearing time.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import product
from typing import Any

from northfell.core.model.changes import Change, Set
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import Breaker, Element, Fuse, Relay
from northfell.core.quantities import figure
from northfell.core.studies.coordination.pairs import Pair
from northfell.core.studies.coordination.result import Coordination
from northfell.core.studies.coordination.rules import RULES, Rule
from northfell.core.studies.protection import Device, setting_steps

MULTIPLIERS = (0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0, 1.2)
RAISED = (1.25, 1.6, 2.0, 2.5)  # of what a fast stage is set to
PICKUPS = (1.0, 1.25, 1.5, 1.75)
DELAYS_S = (2.0, 4.0, 8.0, 12.0)
BANDS = ("0.1", "0.2", "0.3", "0.4")


@dataclass(frozen=True)
class Setting:
    """One setting that changes, from what to what."""

    element: str
    field: str
    label: str
    unit: str
    before: float | str | None
    after: float | str | None

    @property
    def words(self) -> str:
        return f"{self.label} {_written(self.before, self.unit)} → {_written(self.after, self.unit)}"


@dataclass(frozen=True)
class Proposed:
    """What is proposed for one device: its settings, the rule that decided, and what is kept or still broken with them."""

    device: str
    name: str
    settings: tuple[Setting, ...]
    because: tuple[str, ...]
    left: tuple[str, ...] = ()  # what no settings in reach can cure

    @property
    def title(self) -> str:
        return f"{self.name} set anew"

    @property
    def change(self) -> Change:
        return change_of([self], self.title)


@dataclass(frozen=True)
class Proposal:
    """Settings for a network, and what they come to."""

    devices: tuple[Proposed, ...]
    conflicts: tuple[str, ...]
    before: Coordination = field(repr=False)
    after: Coordination = field(repr=False)

    @property
    def title(self) -> str:
        return "Proposed settings"

    @property
    def change(self) -> Change:
        return change_of(self.devices, self.title)


def change_of(devices: "tuple[Proposed, ...] | list[Proposed]", title: str) -> Change:
    """The change that sets devices anew."""
    values: dict[str, dict[str, Any]] = {}
    for one in devices:
        for s in one.settings:
            values.setdefault(s.element, {})[s.field] = s.after
    return Change(title=title, acts=tuple(Set(id=e, values=v) for e, v in values.items()))


def propose(found: Coordination, among: frozenset[str] | None = None) -> Proposal:
    """Propose settings, of all devices or of some among them."""
    now, made = found, list[Proposed]()
    for device in _outward(found):
        if among is not None and device not in among:
            continue
        broken = _broken(now, device)
        if not broken:
            continue
        best, kept = _best(now, device)
        if kept is not None:
            settings = tuple(_differences(now.devices[device], best))
            left = tuple(_broken(kept, device))
            made.append(Proposed(device, found.net.name(device), settings, tuple(broken), left))
            now = kept
    conflicts = [line for device in _outward(now) if among is None or device in among for line in _broken(now, device)]
    return Proposal(tuple(made), tuple(dict.fromkeys(conflicts)), found, now)


def _outward(found: Coordination) -> list[str]:
    """Devices from the loads outward: each after all that stand below it."""
    below: dict[str, set[str]] = {s.device: set() for s in found.standing}
    for above, lower in found.worst_pairs:
        below.setdefault(above, set()).add(lower)
    order: list[str] = []
    left = dict(below)
    while left:
        ready = [d for d, under in left.items() if not under & left.keys()] or [min(left, key=lambda d: len(left[d] & left.keys()))]  # a ring begins anywhere
        order += ready
        for d in ready:
            del left[d]
    return order


def _broken(found: Coordination, device: str) -> list[str]:
    """What a device breaks as it is set, in words."""
    pairs = [p for (above, _), p in found.worst_pairs.items() if above == device and found.verdict(p) == "breach"]
    rules = [r for r in found.rules_of(device) if found.verdict_of(r) == "breach"]
    return [*(_gap_told(found, p) for p in pairs), *(_rule_told(found, r) for r in rules)]


def _gap_told(found: Coordination, p: Pair) -> str:
    gap = f"gap {figure(p.margin_s, 3)} s" if math.isfinite(p.margin_s) else "the lower one does not operate"
    return f"above {found.net.name(p.downstream)}: {gap} at {figure(p.i_ka, 3)} kA, {p.interval.basis}"


def _rule_told(found: Coordination, r: Rule) -> str:
    of = f" {found.net.name(r.of)}" if r.of else ""
    return f"{RULES[r.rule]}{of}: {figure(r.value, 3)} ×"


def _best(found: Coordination, device: str) -> tuple[Device, Coordination | None]:
    """The settings of a device that break least; None where none is better than what it has."""
    was = found.devices[device]
    best: tuple[tuple[float, ...], Device, Coordination | None] = (_cost(found, device, 0), was, None)
    for candidate, changes in _candidates(was):
        tried = found.with_device(candidate)
        cost = _cost(tried, device, changes)
        if cost < best[0]:
            best = cost, candidate, tried
    while best[2] is not None and (finer := _quicker(best[1])) is not None:
        tried = found.with_device(finer)
        cost = _cost(tried, device, int(best[0][3]))
        if cost >= best[0]:
            break
        best = cost, finer, tried
    return best[1], best[2]


def _quicker(device: Device) -> Device | None:
    """A relay with its multiplier one step down."""
    if not device.relays or not device.relays[0].time_multiplier:
        return None
    first = device.relays[0]
    step, _ = setting_steps(first, "time_multiplier")
    less = round((first.time_multiplier or 0.0) - step, 6)
    return Device(device.switch, (first.model_copy(update={"time_multiplier": less}), *device.relays[1:])) if less > 0 else None


def _cost(found: Coordination, device: str, changes: int) -> tuple[float, ...]:
    """What is broken, by count and by how much; how much is changed; how long it takes to clear. Of what stands above too, as it is set."""
    as_upper = [p for (above, _), p in found.worst_pairs.items() if above == device and found.verdict(p) == "breach"]
    as_lower = [p for (_, lower), p in found.worst_pairs.items() if lower == device and found.verdict(p) == "breach"]
    rules = [r for r in found.rules_of(device) if found.verdict_of(r) == "breach"]
    clearing = sum(min(t.t_slow_s, 1e3) for t in found.times if t.device == device)
    short = sum(min(p.short_s, 1e3) for p in as_upper)
    return len(as_upper) + len(rules), len(as_lower), round(short, 6), changes, clearing


Candidates = Iterator[tuple[Device, int]]


def _candidates(device: Device) -> Candidates:
    """All settings in reach, each with how many of them change."""
    switch = device.switch
    if device.relays:
        first = device.relays[0]
        for values in _of_relay(first):
            changed = first.model_copy(update=values)
            yield Device(switch, (changed, *device.relays[1:])), sum(getattr(first, k) != v for k, v in values.items())
    elif isinstance(switch, Breaker):
        for values in _of_trip(switch):
            yield Device(switch.model_copy(update=values), ()), sum(getattr(switch, k) != v for k, v in values.items())
    elif isinstance(switch, Fuse):
        _, sizes = setting_steps(switch, "i_rated_a")
        for size in sizes:
            if size != switch.i_rated_a:
                yield Device(switch.model_copy(update={"i_rated_a": size}), ()), 1


def _of_relay(relay: Relay) -> Iterator[dict[str, Any]]:
    step, _ = setting_steps(relay, "i_pickup_a")
    high_step, _ = setting_steps(relay, "i_high_a")
    pickups = {_stepped((relay.i_pickup_a or 0.0) * m, step) for m in PICKUPS} | {relay.i_pickup_a}
    high = [relay.i_high_a, *((None, *(_stepped(relay.i_high_a * m, high_step) for m in RAISED)) if relay.i_high_a is not None else ())]
    multipliers = sorted({*MULTIPLIERS, relay.time_multiplier or 0.0} - {0.0})
    for pickup, i_high, tm in product(sorted(p for p in pickups if p), high, multipliers):
        values: dict[str, Any] = {"i_pickup_a": pickup, "i_high_a": i_high, "time_multiplier": tm}
        yield values | ({"t_high_s": None} if i_high is None and relay.t_high_s is not None else {})


def _of_trip(breaker: Breaker) -> Iterator[dict[str, Any]]:
    if breaker.trip == "thermal-magnetic" and breaker.trip_im_a is not None:
        yield from ({"trip_im_a": round(breaker.trip_im_a * m, 1)} for m in RAISED)
    if breaker.trip == "miniature":
        yield from ({"trip_class": one} for one in ("B", "C", "D"))
    if breaker.trip != "electronic":
        return
    isd = breaker.trip_isd_a
    isd_step, _ = setting_steps(breaker, "trip_isd_a")
    shorts: list[dict[str, Any]] = [{"trip_isd_a": isd, "trip_tsd": breaker.trip_tsd}]
    if isd is not None:
        shorts += [{"trip_isd_a": _stepped(isd * m, isd_step), "trip_tsd": band} for m in (1.0, *RAISED) for band in BANDS]
    instant: list[float | None] = [breaker.trip_ii_a]
    if breaker.trip_ii_a is not None:
        instant += [_stepped(breaker.trip_ii_a * m, isd_step) for m in RAISED]
        instant += [None] if isd is not None else []  # without a short-time stage it is all there is against faults
    for short, ii, tr in product(shorts, instant, sorted({breaker.trip_tr_s or 0.0, *DELAYS_S} - {0.0})):
        yield {**short, "trip_ii_a": ii, "trip_tr_s": tr}


def _stepped(value: float, step: float) -> float:
    return round(round(value / step) * step, 6) if step else value


def _differences(before: Device, after: Device) -> Iterator[Setting]:
    held: list[tuple[Element, Element]] = [(before.switch, after.switch), *zip(before.relays, after.relays, strict=True)]
    for a, b in held:
        for name in type(a).model_fields:
            if getattr(a, name) != getattr(b, name):
                p = parameter(type(a), name)
                yield Setting(a.id, name, p.label if p else name, p.unit if p else "", getattr(a, name), getattr(b, name))


def _written(value: float | str | None, unit: str) -> str:
    if value is None:
        return "off"
    return f"{figure(value) if isinstance(value, int | float) else value} {unit}".strip()
