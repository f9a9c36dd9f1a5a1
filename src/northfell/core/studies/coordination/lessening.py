"""What would bring the incident energy at a place below its limit: settings and devices, each really computed, with the selectivity that it costs.

What is set comes first, then what needs equipment: a maintenance switch, zone interlocking, relays that see the light of an arc.
"""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from northfell.core.errors import NorthfellError
from northfell.core.model.changes import Add, Change, Move, Set, Switch, apply_completed
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import LINK_SIZES_A, Breaker, Fuse
from northfell.core.model.naming import Names
from northfell.core.model.network import NORMAL, Network, Placement
from northfell.core.quantities import figure
from northfell.core.rules.typical import typical_for_missing
from northfell.core.studies.arc_flash import ArcFlash, Location, again
from northfell.core.studies.coordination.result import Coordination
from northfell.core.studies.coordination.rule import RULES
from northfell.core.studies.coordination.solve import run as run_coordination
from northfell.core.studies.load_flow import LoadFlow
from northfell.core.studies.protection import Device, devices_of, setting_steps

DELAYS_S = (0.3, 0.2, 0.1, 0.05)
SLOWER = (0.7, 0.5, 0.3, 0.2, 0.1)  # of a time multiplier
SMALLER = 3  # fuse sizes that are tried
SURE = {"electronic": 1.1, "thermal-magnetic": 1.2}  # over a pickup a trip is sure to act
WORTH = 0.99  # of the energy before
FREE_S = 0.1  # of a high stage that nothing restrains


@dataclass(frozen=True, eq=False)
class EnergyRemedy:
    """A change with its effect on the energy at a place, and what it breaks."""

    title: str
    change: Change
    before_cal: float
    after_cal: float
    cures: bool
    broken: tuple[str, ...]  # gaps and rules that are broken with it and were kept before
    clears: str  # what cuts the arc off then
    equipment: bool
    note: str = ""
    worst_cal: float = math.nan  # of all states
    worst_state: str = ""

    @property
    def rank(self) -> tuple[bool, bool, bool, float]:
        return not self.cures, bool(self.broken), self.equipment, self.after_cal


@dataclass(frozen=True)
class _Asked:
    """A place, and how things stand there."""

    network: Network
    arc: ArcFlash
    found: Coordination
    flow: LoadFlow | None
    location: Location
    limit_cal: float

    @property
    def actors(self) -> dict[str, Device]:
        """The devices that have a part in cutting the arc off, by the id of their switch."""
        named = {d.device for d in self.location.devices} | {v.device for v in self.location.variants if v.device}
        return {d: one for d, one in devices_of(self.found.net.elements).items() if d in named}

    def least_a(self, device: str) -> float:
        """The least arcing current through a device [A]."""
        return 1000 * min((d.i_device_ka for d in self.location.devices if d.device == device), default=math.nan)


def limit_of(network: Network, energy_cal: float) -> float:
    """Below which energy a place is to be brought [cal/cm²]: the site limit where it is above that, else where it is close to it."""
    limits = network.settings.limits
    return limits.energy_breach_cal_cm2 if energy_cal > limits.energy_breach_cal_cm2 else limits.energy_close_cal_cm2


def lessen(
    network: Network, arc: ArcFlash, found: Coordination, flow: LoadFlow | None, bus_id: str, side: str, others: Sequence[ArcFlash] = ()
) -> list[EnergyRemedy]:  # fmt: skip
    """Remedies for the energy at a location in the state of the studies, each computed; what cures, breaks nothing and needs nothing first.

    Parameters
    ----------
    network : Network
        As it is.
    arc, found : ArcFlash, Coordination
        Of one state.
    flow : LoadFlow, optional
        Of that state, for the rules of load.
    bus_id, side : str
        Of the location.
    others : sequence of ArcFlash
        Of other states: a remedy cures where it does in all of them.
    """
    location = arc.location(bus_id, side)
    if location is None or location.worst is None:
        return []
    energies = [e for one in (arc, *others) if (e := _energy_at(one, bus_id, side)) is not None]
    asked = _Asked(network, arc, found, flow, location, limit_of(network, max(energies)))
    remedies = []
    for kind in _KINDS:
        best: EnergyRemedy | None = None
        harmless: EnergyRemedy | None = None  # of those that break nothing
        for title, change, anew in kind.tried(asked):
            one = _computed(asked, title, change, anew, kind.equipment, kind.note)
            if one is None:
                continue
            best = one if best is None or one.rank < best.rank else best
            harmless = one if not one.broken and (harmless is None or one.rank < harmless.rank) else harmless
            if one.cures and not one.broken:
                break
        lessening = [r for r in dict.fromkeys((best, harmless)) if r is not None and r.after_cal < WORTH * r.before_cal]
        remedies += [_in_all_states(asked, r, others) for r in lessening]
    return sorted(remedies, key=lambda one: one.rank)


def _energy_at(arc: ArcFlash, bus_id: str, side: str) -> float | None:
    one = arc.location(bus_id, side)
    return one.worst.energy_cal_cm2 if one and one.worst else None


def _in_all_states(asked: _Asked, one: EnergyRemedy, others: Sequence[ArcFlash]) -> EnergyRemedy:
    """A remedy with the state in which the most energy is left."""
    changed, place = apply_completed(asked.network, one.change)[0], (asked.location.bus_id, asked.location.side)
    worst, state = one.after_cal, asked.arc.net.state
    for arc in others:
        net = replace(arc.faults.net, elements=changed.in_state(arc.net.state))
        try:
            left = _energy_at(again(arc, net, place), *place)
        except NorthfellError:
            left = None
        if left is None and _energy_at(arc, *place) is not None:  # with the change nothing is known there any more
            return replace(one, worst_cal=math.nan, worst_state=arc.net.state, cures=False)
        if left is not None and left > worst:
            worst, state = left, arc.net.state
    return replace(one, worst_cal=worst, worst_state=state, cures=worst <= asked.limit_cal)


Attempts = Iterator[tuple[str, Change, bool]]  # words, change, whether what devices see of each other must be found anew


@dataclass(frozen=True)
class _Kind:
    tried: Callable[[_Asked], Attempts]
    equipment: bool = False
    note: str = ""


def _computed(asked: _Asked, title: str, change: Change, anew: bool, equipment: bool, note: str) -> EnergyRemedy | None:
    """A change with what it does to the energy and to the gaps and rules; None where it leaves no result."""
    arc, found, location = asked.arc, asked.found, asked.location
    try:
        elements = apply_completed(asked.network, change)[0].in_state(arc.net.state)
        net = replace(arc.faults.net, elements=elements)
        faults = replace(arc.faults, net=net)
        after = again(arc, net, (location.bus_id, location.side)).location(location.bus_id, location.side)
        if after is None or after.worst is None or location.worst is None:
            return None
        if anew:
            now = run_coordination(net, found.settings, faults, asked.flow)
        else:
            now, changed = found, devices_of(elements)
            for device in asked.actors:
                if device in changed and device in found.devices:
                    now = now.with_device(changed[device])
    except NorthfellError:
        return None
    w = after.worst
    cutting = f"{net.elements[w.device].name} opens" if w.device and w.device in net.elements else "cut off"
    clears = f"{cutting} in {figure(w.opens_at_s, 3)} s" if math.isfinite(w.opens_at_s) else "never cut off"
    before, energy = location.worst.energy_cal_cm2, w.energy_cal_cm2
    unjudged = ", ".join(found.net.name(d) for d in asked.actors if location.fault and d not in found.devices)
    told = "; ".join(one for one in (note, f"what it costs in gaps of {unjudged} is not judged: phases are not alike there" if unjudged else "") if one)
    return EnergyRemedy(title, change, before, energy, energy <= asked.limit_cal, _newly_broken(found, now), clears, equipment, told)


def _newly_broken(before: Coordination, after: Coordination) -> tuple[str, ...]:
    """Gaps and rules that were kept and are broken, in words."""
    gaps = _broken_gaps(after) - _broken_gaps(before)
    rules = _broken_rules(after) - _broken_rules(before)
    name = after.net.name
    told = [f"{name(above)} above {name(below)}" for above, below in sorted(gaps)]
    return (*told, *(f"{name(device)}: {RULES[rule]}" for device, rule, _ in sorted(rules, key=str)))


def _broken_gaps(found: Coordination) -> set[tuple[str, str]]:
    return {key for key, p in found.worst_pairs.items() if found.verdict(p) == "breach"}


def _broken_rules(found: Coordination) -> set[tuple[str, str, str | None]]:
    return {(r.device, r.rule, r.of) for r in found.rules if found.verdict_of(r) == "breach"}


# --- what is set

Values = Mapping[str, Any]
Steps = Sequence[tuple[str, Values]]  # from the mildest on: the element that is set, and to what


def _set(of: Callable[[Device, float], Steps]) -> Callable[[_Asked], Attempts]:
    """Attempts that set all devices with a part in clearing, step by step."""

    def tried(asked: _Asked) -> Attempts:
        steps = [s for d, one in asked.actors.items() if (s := of(one, asked.least_a(d)))]
        for k in range(max(map(len, steps), default=0)):
            chosen = [s[min(k, len(s) - 1)] for s in steps]
            told = "; ".join(_words(asked, element, values) for element, values in chosen)
            yield told, Change(told, tuple(act for element, values in chosen for act in _acts(asked, element, values))), False

    return tried


def _acts(asked: _Asked, element: str, values: Values) -> Iterator[Set | Switch]:
    """What differs between states is set in the state that is looked at alone."""
    kind, state = type(asked.network.elements[element]), asked.arc.net.state
    of_state = {f: v for f, v in values.items() if state != NORMAL and (p := parameter(kind, f)) and p.in_state}
    if rest := {f: v for f, v in values.items() if f not in of_state}:
        yield Set(id=element, values=rest)
    if of_state:
        yield Switch(state=state, id=element, values=of_state)


def _words(asked: _Asked, element: str, values: Values) -> str:
    e = asked.found.net.elements[element]
    told = []
    for field, value in values.items():
        p, was = parameter(type(e), field), getattr(e, field)
        if value != was and p is not None:
            told.append(f"{p.label[0].lower()}{p.label[1:]} {_written(was, p.unit)} → {_written(value, p.unit)}")
    return f"{e.name}: {', '.join(told)}"


def _written(value: object, unit: str) -> str:
    if value is None:
        return "off"
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{f'{value:.6g}' if isinstance(value, float | int) else value} {unit}".strip()


def _below(current_a: float, sure: float, step: float) -> float | None:
    """The highest setting, in its steps, from which a stage acts for certain at a current."""
    top = current_a / sure
    if not math.isfinite(top) or top <= 0:
        return None
    stepped = math.floor(top / step) * step if step else float(f"{0.995 * top:.3g}")
    return round(stepped, 6) if stepped > 0 else None


def _instantaneous(d: Device, i_a: float) -> Steps:
    switch = d.switch
    if d.relays:
        relay = d.relays[0]
        top = _below(i_a, 1 + relay.pickup_tolerance_pct / 100, setting_steps(relay, "i_high_a")[0])
        if top is None:
            return []
        pickup = min(top, relay.i_high_a or math.inf)
        wanted = [{"i_high_a": pickup, "t_high_s": t} for t in DELAYS_S]
        return [(relay.id, v) for v in wanted if relay.i_high_a is None or relay.i_high_a > pickup or (relay.t_high_s or 0.0) > v["t_high_s"]]
    if not isinstance(switch, Breaker) or switch.trip not in SURE:
        return []
    field = "trip_ii_a" if switch.trip == "electronic" else "trip_im_a"
    top, was = _below(i_a, SURE[switch.trip], setting_steps(switch, field)[0]), getattr(switch, field)
    return [(switch.id, {field: top})] if top is not None and (was is None or was > top) else []


def _short_time(d: Device, i_a: float) -> Steps:
    switch = d.switch
    if not isinstance(switch, Breaker) or switch.trip != "electronic":
        return []
    top = _below(i_a, SURE["electronic"], setting_steps(switch, "trip_isd_a")[0])
    if top is None:
        return []
    pickup, was = min(top, switch.trip_isd_a or math.inf), switch.trip_tsd if switch.trip_isd_a is not None else None
    bands = [b for b in ("0.4", "0.3", "0.2", "0.1") if was is None or b < was or (b == was and (pickup != switch.trip_isd_a or switch.trip_sd_ramp))]
    return [(switch.id, {"trip_isd_a": pickup, "trip_tsd": b, **({"trip_sd_ramp": False} if switch.trip_sd_ramp else {})}) for b in bands]


def _multiplier(d: Device, _: float) -> Steps:
    if not d.relays or not d.relays[0].time_multiplier:
        return []
    relay, step = d.relays[0], setting_steps(d.relays[0], "time_multiplier")[0] or 0.01
    values = dict.fromkeys(max(round(round((relay.time_multiplier or 0.0) * m / step) * step, 6), step) for m in SLOWER)
    return [(relay.id, {"time_multiplier": v}) for v in values if v < (relay.time_multiplier or 0.0)]


def _smaller_fuse(d: Device, _: float) -> Steps:
    fuse = d.switch
    if not isinstance(fuse, Fuse) or fuse.i_rated_a is None:
        return []
    smaller = [float(a) for a in LINK_SIZES_A.get(fuse.link, ()) if a < fuse.i_rated_a]
    return [(fuse.id, {"i_rated_a": a}) for a in reversed(smaller[-SMALLER:])]


def _maintenance(d: Device, i_a: float) -> Steps:
    switch = d.switch
    if not isinstance(switch, Breaker) or switch.trip not in ("none", "electronic"):
        return []
    top = _below(i_a, SURE["electronic"], setting_steps(switch, "trip_ii_a")[0] if switch.trip == "electronic" else 0.0)
    if top is None:
        return []
    pickup = min(top, switch.i_maintenance_a or math.inf)
    values: dict[str, Any] = {"i_maintenance_a": pickup, "maintenance": True}
    return [(switch.id, values)] if any(getattr(switch, f) != v for f, v in values.items()) else []


# --- what devices tell each other, and what sees an arc


def _interlocked(asked: _Asked) -> Attempts:
    """Signals from all devices next below to those that wait for them: what sees the fault restrains."""
    names, acts, told = Names(asked.network), list[Any](), list[str]()
    for d, one in asked.actors.items():
        if not any(fn.code in ("trip S", "trip G", "50", "50N") for fn in one.functions):
            continue
        known = {link.signal.sender for link in one.links}
        below = [lower for above, lower in asked.found.worst_pairs if above == d and lower not in known]
        senders = [s for s in below if isinstance(asked.network.elements[s], Breaker)]
        for sender in senders:
            name = names.new("protection_signal")
            raw = {"kind": "protection_signal", "id": names.new_id(name), "name": name, "breaker": d, "sender": sender, "does": "restrains"}
            acts += [Add(element=raw | ({"t_free_s": FREE_S} if one.relays else {})), *_drawn(asked, raw, -4, -3)]
        by = ", ".join(asked.found.net.name(s) for s in senders) or "nobody"
        if senders or any(fn.code in ("trip S", "trip G") for fn in one.functions):
            told.append(f"{one.name} restrained by {by}")
    if acts:
        title = f"Zone interlocking: {'; '.join(told)}"
        yield title, Change(title, tuple(acts)), True


def _drawn(asked: _Asked, raw: Mapping[str, Any], left: int, down: int) -> list[Move]:
    """Its place on every sheet that has its breaker."""
    at = [(s.name, s.placements[raw["breaker"]]) for s in asked.network.sheets if raw["breaker"] in s.placements]
    return [Move(sheet=sheet, id=raw["id"], to=Placement(x=p.x + left, y=p.y + down)) for sheet, p in at]


def _light(asked: _Asked) -> Attempts:
    """A relay that sees the light of an arc at the place, at each breaker that has a part in clearing."""
    names, acts = Names(asked.network), list[Any]()
    at = asked.arc.net.topology.bus_ids[asked.location.faulted]
    opening = [one for one in asked.actors.values() if isinstance(one.switch, Breaker)]
    for one in opening:
        name = names.new("zone_relay")
        raw = {"kind": "zone_relay", "id": names.new_id(name), "name": name, "breaker": one.switch.id, "function": "arc light", "bus": at, "t_operate_s": 0.01,
               "assumed": {"t_operate_s": "usual of relays that see the light of an arc, output contact included (unverified)"}}  # fmt: skip
        acts += [Add(element=raw), *_drawn(asked, raw, -7, 0)]
    if not acts:
        return
    title = f"Light of an arc at {asked.found.net.name(at)} opens {', '.join(one.name for one in opening)}"
    ordered = apply_completed(asked.network, Change(title, tuple(acts)))[0].elements
    for one in opening:  # only now its interrupting time is needed
        lacking = typical_for_missing(ordered, ordered[one.switch.id], asked.network.settings.frequency_hz)
        if lacking:
            assumed = {f: t.source for f, t in lacking.items()}
            acts.append(Set(id=one.switch.id, values={f: t.value for f, t in lacking.items()}, assumed=assumed))
    yield title, Change(title, tuple(acts)), True


_KINDS = (
    _Kind(_set(_instantaneous)),
    _Kind(_set(_short_time)),
    _Kind(_set(_multiplier)),
    _Kind(_set(_smaller_fuse)),
    _Kind(_set(_maintenance), equipment=True, note="while its switch is on"),
    _Kind(_interlocked, equipment=True, note="signals between the devices"),
    _Kind(_light, equipment=True, note="sensors at the place"),
)
