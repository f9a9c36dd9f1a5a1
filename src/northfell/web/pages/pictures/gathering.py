"""From a load flow by phase to the pictures of a feeder: what is wide, what is marked, what stands in which class."""

import math
from collections.abc import Iterator
from dataclasses import dataclass

from northfell.core.model.elements import (
    Bus,
    CapacitorBank,
    Conductor,
    Consumer,
    Element,
    Inverter,
    StepRegulator,
    Switching,
    SynchronousGenerator,
    ThreeWindingTransformer,
    Transformer,
)  # fmt: skip
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure, fixed
from northfell.core.rules.by_phase import PHASES, conductors_of
from northfell.core.studies.phase_flow import ByPhase, band_at, judged, loops, settings_of
from northfell.core.studies.phase_flow.layout import placed
from northfell.core.studies.phase_flow.tree import Reach, reaches
from northfell.drawing.feeder import Fall, Picture, Spot, Stretch, plan, profile, scale_found

WIDTHS = {"power": ("power", "kVA"), "current": ("current", "A"), "losses": ("losses", "kW"), "none": ("", "")}
KINDS = {"regulator": "regulators", "capacitor": "capacitors", "transformer": "transformers", "switch": "switches and fuses", "consumer": "consumers"}


@dataclass(frozen=True)
class Asked:
    """What a reader chose."""

    width: str = "power"
    most: float = 0.0  # drawn at the greatest width; 0: found
    kinds: tuple[str, ...] = ("regulator", "capacitor")
    between: bool = False  # voltages between phases, else to neutral
    behind: bool = False  # also behind transformers, in the profile


def pictures(made: ByPhase, limits: Limits, asked: Asked) -> tuple[Picture, Picture, list[str]]:
    """Plan and profile, and what is to be known of them."""
    ways = reaches(made.net)
    places, told = placed(made.net, ways)
    values = {e.id: _value(made, e, asked.width) for e in _joining(made)} if asked.width != "none" else {}
    most = asked.most or scale_found([v for v in values.values() if v is not None])
    ringed = {i for one in loops(made.net) for i in one.elements}
    stretches = [one for e in _joining(made) for one in _stretches(made, e, values.get(e.id), ringed, asked)]
    spots = [_spot(made, limits, e, places[e.id], asked) for e in made.net.elements.values() if isinstance(e, Bus)]
    what, unit = WIDTHS[asked.width]
    notes = [told] if told else []
    if ringed:
        notes.append("Where ways meet in a loop, distance is that of the shortest.")
    return plan(stretches, spots, most, unit, what.capitalize()), _profile(made, limits, ways, asked), notes


def _joining(made: ByPhase) -> Iterator[Element]:
    return (e for e in made.net.elements.values() if len(e.buses) > 1 and made.net.topology.live.get(e.id, False))


def _value(made: ByPhase, e: Element, width: str) -> float | None:
    if not made.carries(e):
        return None
    if width == "losses":
        parts = made.part_of.get(e.id, [])
        return abs(sum(complex(made.flow.power(one).sum()).real for one in parts)) / 1e3 if parts else 0.0
    there = [(i, s) for (k, c), (i, s) in made.currents_of(e).items() if k == 0 and math.isfinite(abs(i))]
    if width == "current":
        return max((abs(i) for i, _ in there), default=0.0)
    return abs(sum((s for _, s in there), 0j)) / 1e3


def _stretches(made: ByPhase, e: Element, value: float | None, ringed: set[str], asked: Asked) -> Iterator[Stretch]:
    phases, opened = conductors_of(e, made.net.elements), isinstance(e, Switching) and not e.closed
    p = sum(s.real for (k, _), (i, s) in made.currents_of(e).items() if k == 0 and math.isfinite(abs(i))) if made.carries(e) else 0.0
    named = settings_of(made).named
    unit = WIDTHS[asked.width][1]
    carries = "open" if opened else f"{figure(value)} {unit}" if value is not None and unit else ""
    told = ", ".join(t for t in (e.name, "–".join(named.get(c, c) for c in phases if c in PHASES), carries) if t)
    for other in e.buses[1:]:
        yield Stretch(e.id, e.name, e.buses[0], other, phases, value, told, 0 if abs(p) < 1e-6 else 1 if p > 0 else -1, opened, e.id in ringed)


def _spot(made: ByPhase, limits: Limits, e: Bus, at: tuple[float, float], asked: Asked) -> Spot:
    found = judged(made, settings_of(made), e.id)
    worst = max(found.items(), key=lambda one: abs(one[1] - 1), default=None)
    named = settings_of(made).named
    told = e.name if worst is None else f"{e.name}, {'–'.join(named[c] for c in worst[0])} {fixed(worst[1], 4)} p.u."
    here = [made.net.elements[i] for i in made.net.network.adjacency.at[e.id]]
    kinds = tuple(k for k in KINDS if k in asked.kinds and any(_is(other, k, e.id) for other in here))
    generated = sum(_rated(other) for other in here if isinstance(other, Inverter | SynchronousGenerator) and other.in_service)
    voltage = band_at(made, limits, e.id).class_of(worst[1]) if worst is not None else ""
    return Spot(e.id, e.name, at[0], at[1], told, voltage, kinds, generated)


def _rated(e: Inverter | SynchronousGenerator) -> float:
    return float(e.s_rated_mva or abs(e.p_set_mw))


def _is(e: Element, kind: str, bus: str) -> bool:
    if kind == "regulator":
        return isinstance(e, StepRegulator) and e.to_bus == bus
    if kind == "capacitor":
        return isinstance(e, CapacitorBank)
    if kind == "transformer":
        return isinstance(e, Transformer | ThreeWindingTransformer) and e.buses[0] == bus
    if kind == "switch":
        return isinstance(e, Switching) and e.buses[0] == bus
    return isinstance(e, Consumer)


def _profile(made: ByPhase, limits: Limits, ways: dict[str, Reach], asked: Asked) -> Picture:
    settings = settings_of(made)
    behind = _behind(made, ways)
    sources = [i for i, way in ways.items() if not way.before]
    main = [i for i in ways if i not in behind]
    falls = list[Fall]()
    for bus, way in ways.items():
        e = made.net.elements.get(way.by)
        if e is None or not way.before or (bus in behind and not asked.behind):
            continue
        branch_off = isinstance(e, Conductor) and len(conductors_of(e, made.net.elements)) < len(PHASES)
        falls += _falls(made, e, way, bus, ways, asked, minor=bus in behind or branch_off)
    bands = [band_at(made, limits, i) for i in (*main, *sources) if made.voltages(i)]
    shown: dict[str, float] = {}
    if bands:
        one = min(bands, key=lambda b: b.high - b.low)
        shown = {"high": one.high, "low": one.low}
        if (one.high_emergency, one.low_emergency) != (one.high, one.low):
            shown |= {"very high": one.high_emergency, "very low": one.low_emergency}
    seen = {f.phase for f in falls}
    names = {p: settings.named[p] for p in PHASES if p in seen} | ({"1": settings.named["1"], "2": settings.named["2"]} if asked.behind and "1" in seen else {})
    return profile(falls, shown, names, "U between phases" if asked.between else "U to neutral")


def _behind(made: ByPhase, ways: dict[str, Reach]) -> set[str]:
    """Buses behind a transformer that stands on the way behind a line: services and consumers' own."""
    found: set[str] = set()
    for bus, way in sorted(ways.items(), key=lambda one: one[1].distance_m):
        if way.before in found or (isinstance(made.net.elements.get(way.by), Transformer | ThreeWindingTransformer) and way.distance_m > 0):
            found.add(bus)
    for _ in range(3):  # ways without length come in any order
        found |= {bus for bus, way in ways.items() if way.before in found}
    return found


def _falls(made: ByPhase, e: Element, way: Reach, bus: str, ways: dict[str, Reach], asked: Asked, minor: bool) -> Iterator[Fall]:
    near, far = made.voltages(way.before), made.voltages(bus)
    km = ways[way.before].distance_m / 1000, way.distance_m / 1000
    named = settings_of(made).named
    for c, one in far.items():
        other = near.get(c)
        if c == "n":
            continue
        if other is None:  # legs behind a centre tap hang on the phase before them
            other = next((v for p, v in near.items() if p in PHASES and p in conductors_of(e, made.net.elements)), None) or next(iter(near.values()), None)
        a, b = ((v.ll_pu if asked.between else v.ln_pu) if v else None for v in (other, one))
        if a is not None and b is not None:
            yield Fall(e.id, f"{e.name}, {named[c]}: {fixed(a, 4)} to {fixed(b, 4)} p.u.", c, km, (a, b), minor)
