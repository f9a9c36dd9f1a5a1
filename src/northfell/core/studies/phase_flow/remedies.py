"""What would cure a breach by phase: every remedy is a change of the network, and its effect is found by solving with it."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from northfell.core.errors import NorthfellError
from northfell.core.model.changes import Add, Change, Set, apply_completed
from northfell.core.model.declare.rows import Row
from northfell.core.model.elements import Bus, Conductor, Element, Fuse, StaticLoad, StepRegulator, Switching, Transformer  # fmt: skip
from northfell.core.model.elements.switching import KT_RATINGS_A
from northfell.core.model.network import Network
from northfell.core.network import compile_network
from northfell.core.quantities import figure, fixed, signed
from northfell.core.rules.by_phase import PHASES
from northfell.core.studies.load_flow import loading_limits
from northfell.core.studies.phase_flow.result import ByPhase
from northfell.core.studies.phase_flow.solve import run_by_phase
from northfell.core.studies.phase_flow.spurs import Spur, spurs
from northfell.core.studies.phase_flow.verdicts import STUDY, band_at, judged, loading, settings_of, unbalance, voltage

Kind = Literal["another phase", "set point", "tap", "capacitor", "second unit", "larger unit"]
UNITS_MVA = (0.005, 0.01, 0.015, 0.025, 0.0375, 0.05, 0.075, 0.1, 0.167, 0.25, 0.333, 0.5)  # usual ratings of one-phase units
HELPS, MOST_OF = 0.01, {"another phase": 3}  # [%] by which it must be nearer to its limit; of each kind the best is told, of these the best three
MOST_MOVED, STEPS_V = 4, (1.0, 2.0, 3.0, 4.0, 6.0)


@dataclass(frozen=True)
class PhaseRemedy:
    """A change with its effect on the figure that is beyond its limit."""

    kind: Kind
    title: str
    change: Change
    before: float  # how far a voltage is from nominal, unbalance, or loading [%]
    after: float
    cures: bool
    new_breaches: tuple[str, ...]
    costs: bool

    @property
    def rank(self) -> tuple[bool, bool, bool, float]:
        return not self.cures, bool(self.new_breaches), self.costs, self.after


@dataclass(frozen=True)
class Ailing:
    """What is beyond its limit at an element, or nearest to it."""

    quantity: str
    value: float  # [%]
    limit: float
    phase: str  # conductor, pair or unit that governs
    low: bool = False  # a voltage below nominal


def ailing(made: ByPhase, element: Element) -> Ailing | None:
    """The worst of an element: of a bus a voltage or its unbalance, of what carries something its loading."""
    limits = made.net.network.settings.limits
    if not isinstance(element, Bus):
        one = made.loading(element) if len(element.buses) > 1 and made.carries(element) else None
        return None if one is None or one.pct is None else Ailing("loading", one.pct, loading_limits(limits, type(element))[1], one.phase)
    settings, found = settings_of(made), judged(made, settings_of(made), element.id)
    if not found:
        return None
    phase, v = max(found.items(), key=lambda one: abs(one[1] - 1))
    off = Ailing("voltage", 100 * abs(v - 1), 100 * abs(band_at(made, limits, element.id).limit(v) - 1), phase, v < 1)
    pct = made.unbalance_pct(element.id, settings.unbalance)
    uneven = Ailing("unbalance", pct, settings.unbalance_pct, "") if pct is not None else None
    return uneven if uneven and uneven.value / uneven.limit > off.value / off.limit else off


def remedies(network: Network, made: ByPhase, element: Element) -> list[PhaseRemedy]:
    """Remedies for a bus or a branch, each solved in the state; what cures and costs nothing first."""
    ill = ailing(made, element)
    if ill is None:
        return []
    beyond = _beyond(made)
    found: dict[str, list[PhaseRemedy]] = {}
    for kind, title, change in _tried(made, element, ill):
        one = _solved(network, made, element, ill, kind, title, change, beyond)
        if one is not None and one.after <= one.before - HELPS:
            found.setdefault(kind, []).append(one)
    best = [one for kind, made_of in found.items() for one in sorted(made_of, key=lambda one: one.rank)[: MOST_OF.get(kind, 1)]]
    return sorted(best, key=lambda one: one.rank)


def _solved(
    network: Network, made: ByPhase, element: Element, ill: Ailing, kind: Kind, title: str, change: Change, beyond: frozenset[str]
) -> PhaseRemedy | None:  # fmt: skip
    try:
        after = run_by_phase(compile_network(apply_completed(network, change)[0], made.net.state))
        now = _same(after, after.net.elements[element.id], ill)
    except (NorthfellError, KeyError):
        return None
    if now is None:
        return None
    then = _beyond(after)
    new = tuple(sorted(after.net.name(i) for i in then - beyond if i != element.id))
    costs = kind in ("capacitor", "second unit", "larger unit")
    cures = now <= ill.limit * (1 + 1e-9) and element.id not in then  # nor beyond another limit: too high instead of too low
    return PhaseRemedy(kind, title, change, ill.value, now, cures, new, costs)


def _same(after: ByPhase, element: Element, ill: Ailing) -> float | None:
    """The same figure after a change: the worst of its phases, whichever that is then."""
    if ill.quantity == "unbalance":
        return after.unbalance_pct(element.id, settings_of(after).unbalance)
    if ill.quantity == "voltage":
        found = judged(after, settings_of(after), element.id)
        return max((100 * abs(v - 1) for v in found.values()), default=None)
    return after.loading(element).pct


def _beyond(made: ByPhase) -> frozenset[str]:
    limits = made.net.network.settings.limits
    checks = (voltage, loading, unbalance)
    return frozenset(f.element_id for check in checks for f in check(made, limits) if f.severity == "breach" and f.study == STUDY)


Tries = Iterator[tuple[Kind, str, Change]]


def _tried(made: ByPhase, element: Element, ill: Ailing) -> Tries:
    yield from _moves(made, element, ill)
    yield from _set_points(made, ill)
    if isinstance(element, Bus) and ill.quantity == "voltage" and ill.low:
        yield from _capacitors(made, element, ill)
    if not isinstance(element, Bus):
        yield from _larger(made, element)


# --- another phase


def _moves(made: ByPhase, element: Element, ill: Ailing) -> Tries:
    """Spurs of one phase, and parts of loads on three, from the phase that governs to the others."""
    named = settings_of(made).named
    full = _fullest(made, element, ill)
    hung = [s for s in spurs(made.net) if s.phase == full and element.id not in s.elements]
    for spur in sorted(hung, key=lambda s: -_drawn(made, s))[:MOST_MOVED]:
        for to in (p for p in PHASES if p != full):
            title = f"Spur behind {made.net.name(spur.at)}, from {spur.first}, on {named[to]} instead of {named[full]}"
            yield "another phase", title, Change(title, tuple(_renamed(made.net.elements[i], full, to) for i in spur.elements if _changes(made, i, full, to)))
    three = [e for e in made.net.taking_part.values() if isinstance(e, StaticLoad) and any(r.between == full for r in e.by_phase)]
    whole = [e for e in three if all((e.bus, p) in made.gathered.index for p in PHASES)]
    for load in sorted(whole, key=lambda e: -max(r.p_mw for r in e.by_phase if r.between == full))[:MOST_MOVED]:
        for to in (p for p in PHASES if p != full):
            title = f"What {load.name} draws from {named[full]} drawn from {named[to]}"
            rows = [{**r.model_dump(), "between": to if r.between == full else r.between} for r in load.by_phase]
            yield "another phase", title, Change(title, (Set(id=load.id, values={"by_phase": _together(rows)}),))
    if ill.phase in ("1", "2"):
        yield from _other_leg(made, element, ill.phase)


def _together(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows between the same conductors made one, since each stands once."""
    found: dict[str, dict[str, Any]] = {}
    for r in rows:
        had = found.get(r["between"])
        found[r["between"]] = r if had is None else {**r, "p_mw": r["p_mw"] + had["p_mw"], "q_mvar": r["q_mvar"] + had["q_mvar"]}
    return list(found.values())


def _other_leg(made: ByPhase, element: Element, leg: str) -> Tries:
    """A third of what hangs on the fuller leg behind a centre tap, on the other."""
    other = "2" if leg == "1" else "1"
    bus = element.id if isinstance(element, Bus) else element.buses[-1]
    for load in made.net.taking_part.values():
        if isinstance(load, StaticLoad) and load.bus == bus and any(r.between == leg for r in load.by_phase):
            rows = [r.model_dump() for r in load.by_phase]
            moved = [{**r, "between": other, "p_mw": r["p_mw"] / 3, "q_mvar": r["q_mvar"] / 3} for r in rows if r["between"] == leg]
            kept = [{**r, "p_mw": r["p_mw"] * 2 / 3, "q_mvar": r["q_mvar"] * 2 / 3} if r["between"] == leg else r for r in rows]
            title = f"A third of what {load.name} draws from leg {leg} on leg {other}"
            yield "another phase", title, Change(title, (Set(id=load.id, values={"by_phase": _together([*kept, *moved])}),))


def _fullest(made: ByPhase, element: Element, ill: Ailing) -> str:
    """The phase from which something is to be moved: that which governs, of what behind a transformer the one before it."""
    letters = [c for c in ill.phase if c in PHASES]
    if ill.quantity != "unbalance" and letters and (isinstance(element, Bus) or ill.phase in PHASES):
        return letters[0]
    if isinstance(element, Bus):
        there = {c: one.ln_pu for c, one in made.voltages(element.id).items() if c in PHASES and one.ln_pu is not None}
        if there:
            return min(there, key=lambda c: there[c])
    feeding = [e for e in made.net.taking_part.values() if isinstance(e, Transformer) and e.bank_units and element.id in (e.id, e.lv_bus)]
    return next((c for e in feeding for u in e.bank_units for c in u.high if c in PHASES), "a")


def _drawn(made: ByPhase, spur: Spur) -> float:
    return sum(r.p_mw for i in spur.elements if isinstance(e := made.net.elements[i], StaticLoad) for r in e.by_phase)


def _changes(made: ByPhase, element_id: str, old: str, to: str) -> bool:
    return bool(_renamed(made.net.elements[element_id], old, to).values)


def _renamed(e: Element, old: str, to: str) -> Set:
    """What names a phase of an element, of another phase; legs and neutrals stay."""
    values: dict[str, Any] = {}
    if isinstance(e, Bus | Conductor | Switching) and (own := getattr(e, "conductors", None)) and old in own:
        values["conductors"] = own.replace(old, to)
    for name, column in (("by_phase", "between"), ("step_by_phase", "between"), ("bank_units", "high"), ("matrix", "row")):
        rows: list[Row] = getattr(e, name, None) or []
        columns = (column, "column") if name == "matrix" else (column,)
        if any(old in getattr(r, c) for r in rows for c in columns):
            values[name] = [{**r.model_dump(), **{c: getattr(r, c).replace(old, to) for c in columns}} for r in rows]
    return Set(id=e.id, values=values)


# --- set points, capacitors, larger units


def _set_points(made: ByPhase, ill: Ailing) -> Tries:
    if ill.quantity != "voltage":
        return
    for e in made.net.taking_part.values():
        if not isinstance(e, StepRegulator) or not e.regulator_units:
            continue
        for step in STEPS_V:
            rows = [u.model_dump() for u in e.regulator_units]
            if e.control == "locked":
                by = int(step) if ill.low else -int(step)
                moved = [{**u, "tap": max(-e.most_taps, min(e.most_taps, u["tap"] + by))} for u in rows]
                title = f"{e.name} locked {abs(by)} step{'s' if abs(by) > 1 else ''} {'higher' if by > 0 else 'lower'}, {signed(moved[0]['tap'])}"
                yield "tap", title, Change(title, (Set(id=e.id, values={"regulator_units": moved}),))
            else:
                by_v = step if ill.low else -step
                moved = [{**u, "v_set_v": None if u["v_set_v"] is None else u["v_set_v"] + by_v} for u in rows]
                held = next((u["v_set_v"] for u in moved if u["v_set_v"] is not None), None)
                if held is not None and 50 < held <= 300:
                    title = f"{e.name} holds {held:g} V instead of {held - by_v:g} V"
                    yield "set point", title, Change(title, (Set(id=e.id, values={"regulator_units": moved}),))


def _capacitors(made: ByPhase, bus: Bus, ill: Ailing) -> Tries:
    """A bank in the phase that is low, at the bus or, behind a transformer of one phase, before it."""
    at, phase = bus, next((c for c in ill.phase if c in PHASES), "")
    if not phase:
        before = next((e for e in made.net.taking_part.values() if isinstance(e, Transformer) and e.lv_bus == bus.id), None)
        found = made.net.elements.get(before.hv_bus) if before is not None else None
        if not isinstance(found, Bus):
            return
        at, phase = found, next((c for c in found.conductors if c in PHASES), "a")
    taken = {e.name for e in made.net.elements.values()}
    name = next(f"C{n}" for n in range(1, 10**6) if f"C{n}" not in taken)
    named = settings_of(made).named
    for q in (0.05, 0.1, 0.15, 0.3):
        title = f"A capacitor of {figure(1000 * q, 2)} kvar at {at.name} in {named[phase]}"
        bank = {"kind": "capacitor_bank", "id": name, "name": name, "bus": at.id, "q_step_mvar": q, "step_by_phase": [{"between": phase, "q_mvar": q}]}
        yield "capacitor", title, Change(title, (Add(element=bank),))


def _larger(made: ByPhase, e: Element) -> Tries:
    if isinstance(e, Fuse) and e.i_rated_a and e.link in ("K", "T"):
        for size in [s for s in sorted(KT_RATINGS_A) if s > e.i_rated_a][:3]:
            title = f"{e.name} with a link of {size:g} A instead of {e.i_rated_a:g} A; its protection is to be looked at again"
            yield "larger unit", title, Change(title, (Set(id=e.id, values={"i_rated_a": size}),))
    if isinstance(e, Transformer) and e.bank_units:
        one = made.loading(e)
        factor = (one.pct or 100.0) / 100
        least = max(u.s_rated_mva for u in e.bank_units) * factor
        for s in [s for s in UNITS_MVA if s >= least * 0.999][:2]:
            title = f"{e.name} of {1000 * s:g} kVA a unit instead of {fixed(1000 * max(u.s_rated_mva for u in e.bank_units), 1)} kVA"
            yield "larger unit", title, Change(title, (Set(id=e.id, values={"bank_units": [{**u.model_dump(), "s_rated_mva": s} for u in e.bank_units]}),))
    if isinstance(e, Conductor | Transformer):
        title = f"{e.parallel + 1} of {e.name} in parallel"
        yield "second unit", title, Change(title, (Set(id=e.id, values={"parallel": e.parallel + 1}),))
