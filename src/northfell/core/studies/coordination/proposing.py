"""Settings proposed: from the loads outward, each device so that what is above what is below it keeps its interval and its rules, as quick as may be.

Every device is gone through once, those nearest to the loads first. One that keeps all of its gaps and rules in every state that is looked
at stays as it is. For another all settings in its reach are tried in all of those states: what breaks least counts first, then that little
is changed, then the least clearing time. With a weight on incident energy all devices that cut an arc off are tried, and the energy that is left
counts with the clearing time, before how little is changed.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import product
from typing import Any

from northfell.core.model.changes import Change, Set
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import Breaker, Element, Fuse, Relay
from northfell.core.quantities import figure
from northfell.core.studies.arc_flash import ArcFlash
from northfell.core.studies.coordination.pairs import Pair
from northfell.core.studies.coordination.result import Coordination
from northfell.core.studies.coordination.rule import RULES, Rule
from northfell.core.studies.protection import Device, Through, setting_steps

MULTIPLIERS = (0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0, 1.2)
RAISED = (1.25, 1.6, 2.0, 2.5)  # of what a fast stage is set to
PICKUPS = (1.0, 1.25, 1.5, 1.75)
DELAYS_S = (2.0, 4.0, 8.0, 12.0)
MOST_CAL = 1e3  # what is more counts as much
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
    states: tuple[str, ...]
    after: Coordination = field(repr=False)  # in the first of them

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


Values = Mapping[str, Mapping[str, Any]]  # by element and field


@dataclass(frozen=True)
class Arc:
    """An arc that a device is the last to cut off: what it sees of it, and the energy of each second until then."""

    place: str
    sees: Through
    rate_cal_s: float  # [cal/cm²/s]
    longest_s: float  # of exposure


Arcs = Mapping[str, Sequence[Arc]]  # by device


def arcs_of(study: ArcFlash) -> Arcs:
    """The arcs of a state by the device that decides how long they last, with full and reduced current in both cases."""
    longest = study.settings.max_exposure_s if study.settings.two_second_rule else math.inf
    found: dict[str, list[Arc]] = {}
    for one in study.locations:
        for v in one.variants:
            seen = next((d.sees for d in one.devices if (d.device, d.case, d.variant) == (v.device, v.case, v.variant)), None)
            if v.device and seen is not None and v.followed is None and 0 < v.arc_time_s < math.inf:
                place = f"{study.bus(one).name}, {one.side} side"
                found.setdefault(v.device, []).append(Arc(place, seen, v.energy_cal_cm2 / v.arc_time_s, longest))
    return found


def energies(device: Device, arcs: Sequence[Arc]) -> dict[str, float]:
    """The greatest energy that a device leaves at each place [cal/cm²], as it is set."""
    found: dict[str, float] = {}
    for arc in arcs:
        e = arc.rate_cal_s * min(float(device.interrupts_at_s(arc.sees)), arc.longest_s)
        found[arc.place] = max(found.get(arc.place, 0.0), e)
    return found


@dataclass(frozen=True)
class _Tried:
    """The devices as they are tried, in each state, with the arcs that they cut off."""

    states: tuple[Coordination, ...]
    arcs: tuple[Arcs, ...] = ()
    weight_s: float = 0.0  # of each cal/cm², beside seconds of clearing

    def energies(self, device: str) -> dict[str, float]:
        """The greatest energy that a device leaves at each place, of all states [cal/cm²]."""
        found: dict[str, float] = {}
        for one, arcs in zip(self.states, self.arcs, strict=False):
            if device in one.devices:
                for place, e in energies(one.devices[device], arcs.get(device, ())).items():
                    found[place] = max(found.get(place, 0.0), e)
        return found

    def cost_in(self, k: int, found: Coordination, device: str) -> tuple[float, ...]:
        """What is broken of a device and those beside it in one state, and how long it takes to clear, energy included."""
        cost = _cost_in(found, device)
        if not self.weight_s or k >= len(self.arcs) or device not in found.devices:
            return cost
        left = sum(min(e, MOST_CAL) for e in energies(found.devices[device], self.arcs[k].get(device, ())).values())
        return (*cost[:4], cost[4] + self.weight_s * left, cost[5])

    def in_turn(self, candidates: "Candidates", device: str) -> "list[tuple[Device, int]]":
        """Candidates as they are tried: those that change least first, or with a weight on energy those that leave least of it."""
        if not self.weight_s:
            return sorted(candidates, key=lambda c: c[1])
        return sorted(candidates, key=lambda c: (self.left_by(c[0], device), c[1]))

    def left_by(self, candidate: Device, device: str) -> float:
        """The energy that a device would leave with other settings, over the states in which it has these relays [cal/cm²]."""
        relays, left = [r.id for r in candidate.relays], 0.0
        for one, arcs in zip(self.states, self.arcs, strict=False):
            if device in one.devices and [r.id for r in one.devices[device].relays] == relays:
                left += sum(min(e, MOST_CAL) for e in energies(candidate, arcs.get(device, ())).values())
        return left

    def begun(self, changes: int) -> tuple[float, ...]:
        """The cost of changes alone: before the clearing time, or with a weight on energy after it."""
        return (0.0, 0.0, 0.0, 0.0, 0.0, float(changes)) if self.weight_s else (0.0, 0.0, 0.0, float(changes), 0.0, 0.0)

    def variants(self, device: str) -> list[Device]:
        """As it is in the states in which it acts: one for each setting group."""
        found = (one.devices[device] for one in self.states if device in one.devices)
        return list({tuple(r.id for r in one.relays): one for one in found}.values())

    def name(self, device: str) -> str:
        return self.states[0].net.name(device)


def _with_values(found: Coordination, device: str, values: Values) -> Coordination:
    if (was := found.devices.get(device)) is None:
        return found
    now = was
    for holder in (was.switch, *was.relays):
        if changed := values.get(holder.id):
            now = now.with_holder(holder.model_copy(update=dict(changed)))
    return found if now is was else found.with_device(now)


def propose(*found: Coordination, among: frozenset[str] | None = None, arcs: Sequence[Arcs] = (), weight_s: float = 0.0) -> Proposal:
    """Propose settings that hold in one or several states, of all devices or of some among them.

    Parameters
    ----------
    found : Coordination
        Of each state that is looked at.
    among : frozenset of str, optional
        Devices that may be set anew.
    arcs : sequence of mappings, optional
        The arcs that devices cut off, of each state in turn.
    weight_s : float, optional
        How many seconds of clearing each cal/cm² counts.
    """
    now, made = _Tried(found, tuple(arcs), weight_s), list[Proposed]()
    for device in _outward(now):
        if among is not None and device not in among:
            continue
        broken = _broken(now, device)
        before = now.energies(device) if weight_s else {}
        if not broken and not before:
            continue
        settings: list[Setting] = []
        for was in now.variants(device):
            best, kept = _best(now, device, was)
            if kept is not None:
                settings += _differences(was, best)
                now = kept
        if settings:
            after = now.energies(device)
            eased = [f"incident energy at {place}: {figure(e, 3)} → {figure(after[place], 3)} cal/cm²" for place, e in before.items() if after[place] != e]
            made.append(Proposed(device, now.name(device), tuple(settings), (*broken, *eased), tuple(_broken(now, device))))
    conflicts = [f"{now.name(device)}: {line}" for device in _outward(now) if among is None or device in among for line in _broken(now, device)]
    return Proposal(tuple(made), tuple(dict.fromkeys(conflicts)), tuple(one.net.state for one in found), now.states[0])


def _outward(tried: _Tried) -> list[str]:
    """Devices from the loads outward: each after all that stand below it in any state."""
    below: dict[str, set[str]] = {s.device: set() for one in tried.states for s in one.standing}
    for above, lower in (pair for one in tried.states for pair in one.worst_pairs):
        below.setdefault(above, set()).add(lower)
    order: list[str] = []
    left = dict(below)
    while left:
        ready = [d for d, under in left.items() if not under & left.keys()] or [min(left, key=lambda d: len(left[d] & left.keys()))]  # a ring begins anywhere
        order += ready
        for d in ready:
            del left[d]
    return order


def _broken(tried: _Tried, device: str) -> list[str]:
    """What a device breaks as it is set, in words: what is broken alike in several states once, with the first of them."""
    lines: dict[str, str] = {}
    for one in tried.states:
        for what, line in _broken_in(one, device):
            lines.setdefault(what, line if len(tried.states) == 1 else f"{line} (in {one.net.state})")
    return list(lines.values())


def _broken_in(found: Coordination, device: str) -> list[tuple[str, str]]:
    pairs = [p for (above, _), p in found.worst_pairs.items() if above == device and found.verdict(p) == "breach"]
    rules = [r for r in found.rules_of(device) if found.verdict_of(r) == "breach"]
    return [*((f"above {p.downstream}", _gap_told(found, p)) for p in pairs), *((f"{r.rule} {r.of} {r.bus}", _rule_told(found, r)) for r in rules)]


def _gap_told(found: Coordination, p: Pair) -> str:
    gap = f"gap {figure(p.margin_s, 3)} s" if math.isfinite(p.margin_s) else "the lower one does not operate"
    return f"above {found.net.name(p.downstream)}: {gap} at {figure(p.i_ka, 3)} kA, {p.interval.basis}"


def _rule_told(found: Coordination, r: Rule) -> str:
    of = f" {found.net.name(r.of)}" if r.of else ""
    return f"{RULES[r.rule]}{of}: {figure(r.value, 3)} ×"


def _best(tried: _Tried, device: str, was: Device) -> tuple[Device, _Tried | None]:
    """The settings of a device that break least; None where none is better than what it has."""
    order = sorted(range(len(tried.states)), key=lambda k: tried.cost_in(k, tried.states[k], device), reverse=True)  # where most is broken first
    best: tuple[tuple[float, ...], Device, _Tried | None] = (_cost(tried, device, 0), was, None)
    for candidate, changes in tried.in_turn(_candidates(was), device):
        now = _with(tried, device, was, candidate, changes, best[0], order)
        if now is not None:
            best = now[0], candidate, now[1]
    while best[2] is not None and (finer := _quicker(best[1])) is not None:
        now = _with(tried, device, was, finer, int(best[0][3] + best[0][5]), best[0], order)
        if now is None:
            break
        best = now[0], finer, now[1]
    return best[1], best[2]


def _with(
    tried: _Tried, device: str, was: Device, candidate: Device, changes: int, least: tuple[float, ...], order: Sequence[int]
) -> tuple[tuple[float, ...], _Tried] | None:  # fmt: skip
    """A device set otherwise, state by state, with what that costs; None as soon as it costs no less than another."""
    if tried.weight_s and (0.0, 0.0, 0.0, 0.0, tried.weight_s * tried.left_by(candidate, device), 0.0) >= least:
        return None
    values = _values(was, candidate)
    total = tried.begun(changes)
    states = list(tried.states)
    for k in (None, *order):
        if k is not None:
            states[k] = _with_values(states[k], device, values)
            total = tuple(a + b for a, b in zip(total, tried.cost_in(k, states[k], device), strict=True))
        if total >= least:  # no part of it can become less
            return None
    return total, replace(tried, states=tuple(states))


def _values(before: Device, after: Device) -> dict[str, dict[str, Any]]:
    values: dict[str, dict[str, Any]] = {}
    for s in _differences(before, after):
        values.setdefault(s.element, {})[s.field] = s.after
    return values


def _quicker(device: Device) -> Device | None:
    """A relay with its multiplier one step down."""
    if not device.relays or not device.relays[0].time_multiplier:
        return None
    first = device.relays[0]
    step, _ = setting_steps(first, "time_multiplier")
    less = round((first.time_multiplier or 0.0) - step, 6)
    return device.with_holder(first.model_copy(update={"time_multiplier": less})) if less > 0 else None


def _cost(tried: _Tried, device: str, changes: int) -> tuple[float, ...]:
    """What is broken over all states, by count and by how much; how much is changed; how long it takes to clear."""
    parts = [tried.cost_in(k, one, device) for k, one in enumerate(tried.states)]
    return tuple(sum(values) for values in zip(tried.begun(changes), *parts, strict=True))


def _cost_in(found: Coordination, device: str) -> tuple[float, ...]:
    """Of one state. Of what stands above too, as it is set."""
    as_upper = [p for (above, _), p in found.worst_pairs.items() if above == device and found.verdict(p) == "breach"]
    as_lower = [p for (_, lower), p in found.worst_pairs.items() if lower == device and found.verdict(p) == "breach"]
    rules = [r for r in found.rules_of(device) if found.verdict_of(r) == "breach"]
    clearing = sum(min(t.t_slow_s, 1e3) for t in found.times if t.device == device)
    short = sum(min(p.short_s, 1e3) for p in as_upper)
    return len(as_upper) + len(rules), len(as_lower), round(short, 6), 0.0, clearing, 0.0


Candidates = Iterator[tuple[Device, int]]


def _candidates(device: Device) -> Candidates:
    """All settings in reach, each with how many of them change."""
    switch = device.switch
    if device.relays:
        first = device.relays[0]
        for values in _of_relay(first):
            changed = first.model_copy(update=values)
            yield device.with_holder(changed), sum(getattr(first, k) != v for k, v in values.items())
    elif isinstance(switch, Breaker):
        for values in _of_trip(switch):
            yield device.with_holder(switch.model_copy(update=values)), sum(getattr(switch, k) != v for k, v in values.items())
    elif isinstance(switch, Fuse):
        _, sizes = setting_steps(switch, "i_rated_a")
        for size in sizes:
            if size != switch.i_rated_a:
                yield device.with_holder(switch.model_copy(update={"i_rated_a": size})), 1


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
