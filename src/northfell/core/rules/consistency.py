"""What contradicts itself in a network before anything is computed: voltages that cannot meet, units in parallel that differ."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

from northfell.core.model.base_voltage import FARTHEST
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import (
    Breaker,
    Bus,
    Cable,
    Conductor,
    Element,
    Fuse,
    ProtectionSignal,
    Relay,
    SeriesReactor,
    Switching,
    ThreeWindingTransformer,
    Transformer,
    ZoneRelay,
)  # fmt: skip
from northfell.core.model.network import title_of
from northfell.core.rules.zones import bounded, gaps, uncovered, zones_of

NEAR = 0.12  # of a rated voltage from the nominal voltage of its bus: beyond this it is worth a look
LOW_VOLTAGE_MORE = 1.1  # of the rated voltage of a low-voltage fuse: at so much it is tested (IEC 60269-1, unverified)
MOST_NAMED = 12  # elements in one line
HIGHEST = 1.1  # nominal voltage of a network, of the rated voltage of a cable that may stand in it: 11 kV at 10 kV (12 kV highest)
ALIKE = {"v_hv_kv": 0.005, "v_lv_kv": 0.005, "uk_pct": 0.10, "tap_pct": 0.0}  # how far units in parallel may differ, of the larger value


@dataclass(frozen=True)
class Contradiction:
    """What does not fit, at which element; `grave` where a study cannot run with it, or does without what does not fit."""

    element: Element
    text: str
    grave: bool
    help: str = ""


def contradictions(elements: Mapping[str, Element]) -> list[Contradiction]:
    """All that does not fit together among the elements of a state."""
    of_protection = (*_setting_groups(elements), *_zones(elements), *_zone_relays(elements), *_signals(elements))
    return [*_voltages(elements), *_parallel(elements), *of_protection]


def _zones(elements: Mapping[str, Element]) -> Iterator[Contradiction]:
    """Where protection zones are named: switches between two that do not overlap, and, in one line, all that none covers."""
    zones = zones_of(elements)
    between = {e.id for e, _, _ in gaps(elements, zones)}
    for e, first, second in gaps(elements, zones):
        text = f"{title_of(e)} stands between zones {first} and {second}, whose current transformers do not overlap at it: no zone covers it."
        yield Contradiction(e, text, False, "The transformers of each zone belong on the far side of it.")
    left = [e for e in uncovered(elements, zones) if e.id not in between]
    if left:
        names = ", ".join(e.name for e in left[:MOST_NAMED]) + (" …" if len(left) > MOST_NAMED else "")
        told = f"{len(left)} elements are" if len(left) > 1 else "1 element is"
        yield Contradiction(left[0], f"{told} covered by no protection zone: {names}.", False, "Name their zones at the current transformers.")


def _zone_relays(elements: Mapping[str, Element]) -> Iterator[Contradiction]:
    """Differential relays of a zone that no current transformers bound: they see no fault."""
    relays = [e for e in elements.values() if isinstance(e, ZoneRelay) and e.in_service and e.function == "differential"]
    zones = {zone.name: zone for zone in zones_of(elements)} if relays else {}
    named = {name for name, zone in zones.items() if bounded(elements, zone)}
    for e in relays:
        if e.zone in zones.keys() - named:
            text = f"{title_of(e)}: its zone {e.zone} reaches a supply, so that current transformers are missing at its edge; it is taken to see no fault."
            yield Contradiction(e, text, True, "Every lead that crosses the edge of a zone has current transformers that name it.")
            continue
        if e.zone not in named:
            text = f"{title_of(e)} guards zone “{e.zone}”, which no current transformers bound: it is taken to see no fault."
            yield Contradiction(e, text, True, "Name the zone at the current transformers at its edge, and here.")


def _signals(elements: Mapping[str, Element]) -> Iterator[Contradiction]:
    """Signals that never come, or change nothing."""
    signals = [e for e in elements.values() if isinstance(e, ProtectionSignal) and e.in_service and e.sender in elements]
    relayed = {e.breaker for e in elements.values() if isinstance(e, Relay) and in_force(elements, e)} if signals else set()
    zoned = {e.breaker for e in elements.values() if isinstance(e, ZoneRelay) and e.in_service} if signals else set()
    for e in signals:
        sender, receiver = elements[e.sender or ""], elements[e.breaker]
        if sender.id == receiver.id:
            yield Contradiction(e, f"{title_of(e)}: {sender.name} sends it to itself; it does nothing.", True, "Name another breaker as its sender.")
        elif e.orders and sender.id not in relayed | zoned:
            text = f"{title_of(e)}: {sender.name} has no relay that would send it."
            yield Contradiction(e, text, True, "A trip of its own opens the breaker without telling others: put a relay there.")
        elif not e.orders and not (sender.id in relayed or _short_time(sender)):
            text = f"{title_of(e)}: {sender.name} has neither a relay nor a short-time or earth stage that would send it; {receiver.name} is not sure to wait."
            yield Contradiction(e, text, True, "Zone interlocking needs a stage at the sender that tells what it sees.")
        elif not e.orders and not _waits(elements, e, receiver):
            text = f"{title_of(e)}: {receiver.name} has no stage that it could restrain."
            yield Contradiction(e, text, False, "A short-time or earth stage waits; of relays a high stage, where the delay without restraint is given.")


def _short_time(e: Element) -> bool:
    return isinstance(e, Breaker) and e.trip == "electronic" and (e.trip_isd_a is not None or e.trip_ig_a is not None)


def _waits(elements: Mapping[str, Element], signal: ProtectionSignal, receiver: Element) -> bool:
    relays = (e for e in elements.values() if isinstance(e, Relay) and e.breaker == receiver.id and in_force(elements, e))
    high = any(e.i_high_a is not None or e.i_earth_high_a is not None for e in relays)
    return _short_time(receiver) or (high and signal.t_free_s is not None)


def in_force(elements: Mapping[str, Element], relay: Relay) -> bool:
    """Whether a relay acts: in service, and of the setting group that its breaker has in force."""
    breaker = elements.get(relay.breaker)
    return relay.in_service and (relay.setting_group is None or not isinstance(breaker, Breaker) or relay.setting_group == breaker.setting_group)


def above_its_voltage(elements: Mapping[str, Element], fuse: Fuse) -> bool:
    """Whether a fuse stands in a network of more than it is rated for: up to 1 kV a tenth more is withstood."""
    bus = elements[fuse.from_bus]
    v = bus.v_nominal_kv if isinstance(bus, Bus) else None
    if v is None or fuse.v_rated_kv is None:
        return False
    return v > fuse.v_rated_kv * (LOW_VOLTAGE_MORE if fuse.v_rated_kv <= 1.0 else 1.0) * (1 + 1e-9)


def _setting_groups(elements: Mapping[str, Element]) -> Iterator[Contradiction]:
    """Breakers at which relays are, but none in the setting group that is in force."""
    grouped = {e.breaker for e in elements.values() if isinstance(e, Relay) and e.in_service and e.setting_group is not None}
    if not grouped:
        return
    acting = {e.breaker for e in elements.values() if isinstance(e, Relay) and in_force(elements, e)}
    for breaker in (elements[b] for b in grouped - acting if b in elements):
        if isinstance(breaker, Breaker):
            text = f"{title_of(breaker)}: no relay belongs to setting group {breaker.setting_group}, which is in force; nothing of its relays acts."
            yield Contradiction(breaker, text, True, "Choose another setting group in this state, or put a relay into it.")


def _voltages(elements: Mapping[str, Element]) -> Iterator[Contradiction]:
    for e in elements.values():
        if not e.in_service or isinstance(e, Bus):
            continue
        at = [elements[b] for b in e.buses]
        v = [b.v_nominal_kv if isinstance(b, Bus) else None for b in at]
        if isinstance(e, Switching | Conductor | SeriesReactor) and v[0] and v[1] and abs(v[0] - v[1]) > 1e-3 * max(v[0], v[1]):
            text = f"{title_of(e)} joins {at[0].name} of {v[0]:g} kV and {at[1].name} of {v[1]:g} kV."
            yield Contradiction(e, text, True, "A transformer must stand between them, or one voltage is wrong.")
        if isinstance(e, Fuse) and above_its_voltage(elements, e):
            text = f"{title_of(e)} is rated {e.v_rated_kv:g} kV and stands in a network of {v[0]:g} kV: it is not counted as a protective device."
            yield Contradiction(e, text, True, "Choose a fuse of the voltage of the network.")
        if isinstance(e, Cable) and e.v_insulation_kv and v[0] and v[0] > HIGHEST * e.v_insulation_kv:
            text = f"{title_of(e)} is built for {e.v_insulation_kv:g} kV and stands in a network of {v[0]:g} kV."
            yield Contradiction(e, text, False, "Choose a cable of the next rated voltage.")
        for field, nominal in _rated_at(e, v):
            rated = getattr(e, field, None)
            if rated and nominal and abs(rated / nominal - 1) > NEAR:
                text = f"{title_of(e)} is rated {rated:g} kV and stands at a bus of {nominal:g} kV."
                yield Contradiction(e, text, abs(rated / nominal - 1) > FARTHEST, "Check the unit, the bus, and which side is which.")


def _rated_at(e: Element, v: list[float | None]) -> Iterator[tuple[str, float | None]]:
    if isinstance(e, Transformer | ThreeWindingTransformer):
        yield from ((f"v_{t.removesuffix('_bus')}_kv", nominal) for t, nominal in zip(e.TERMINALS, v, strict=True))
    elif len(v) == 1:
        yield "v_rated_kv", v[0]


def _parallel(elements: Mapping[str, Element]) -> Iterator[Contradiction]:
    """Transformers between the same two nodes, switches as they stand, that should not run in parallel."""
    node = _nodes(elements)
    beside: dict[tuple[str, str], Transformer] = {}
    for e in elements.values():
        if not isinstance(e, Transformer) or not all(elements[i].in_service for i in (e.id, *e.buses)):
            continue
        ends = node(e.hv_bus), node(e.lv_bus)
        other = beside.setdefault(ends, e)
        if other is e:
            continue
        differing = [told for told in (_differs(other, e, field) for field in ("vector_group", *ALIKE)) if told]
        if differing:
            clash = "vector group" in differing[0]
            text = f"{e.name} runs in parallel with {other.name} and differs: {'; '.join(differing)}."
            help_ = "They must not be joined." if clash else "Current circulates, or the load divides unevenly."
            yield Contradiction(e, text, clash, help_)


def _differs(a: Transformer, b: Transformer, field: str) -> str:
    one, other = getattr(a, field), getattr(b, field)
    if one is None or other is None or one == other:
        return ""
    if field == "vector_group":
        return f"vector group {other} beside {one}" if one[-2:].lstrip("dynzDYNZ") != other[-2:].lstrip("dynzDYNZ") else ""
    if abs(one - other) <= ALIKE[field] * max(abs(one), abs(other)):
        return ""
    p = parameter(type(a), field)
    return f"{p.label.lower()} {other:g} {p.unit} beside {one:g} {p.unit}" if p else ""


def _nodes(elements: Mapping[str, Element]) -> Callable[[str], str]:
    """Which buses closed switches make one: a function from a bus to the bus that stands for all of them."""
    parent: dict[str, str] = {}

    def root(bus: str) -> str:
        while parent.get(bus, bus) != bus:
            parent[bus] = parent.get(parent[bus], parent[bus])
            bus = parent[bus]
        return bus

    for e in elements.values():
        if e.joined and e.in_service:
            a, b = (e.buses[k] for k in e.joined)
            parent[root(a)] = root(b)
    return root
