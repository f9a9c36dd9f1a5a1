"""Sizes proposed: every chosen circuit is sized for all states, and again with what was chosen, until nothing changes.

What keeps its rules in every state stays as it is, however large; nothing is ever made smaller. A larger cable changes fault currents and
the drop that is left for the circuits behind it, so that all is solved anew after each round. A size that is kept by its engineer is left.
"""

import contextlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from northfell.core.catalogue.entries import shipped, values_for
from northfell.core.catalogue.entry import Entry
from northfell.core.errors import NorthfellError
from northfell.core.model.changes import Change, Set, apply_completed
from northfell.core.model.elements import Breaker, Cable, Contactor, Element, Fuse
from northfell.core.model.network import Network
from northfell.core.network import compile_network
from northfell.core.quantities import figure, wire_size
from northfell.core.rules.typical import typical_value
from northfell.core.studies import load_flow, short_circuit
from northfell.core.studies.sizing import iec, nec
from northfell.core.studies.sizing.circuit import Circuit
from northfell.core.studies.sizing.frame import Applied, Code, Try, decide, first_try
from northfell.core.studies.sizing.gathering import SIZED_ORIGIN
from northfell.core.studies.sizing.parts import Part
from northfell.core.studies.sizing.result import LINE, Sized, Sizing, rank_of
from northfell.core.studies.sizing.solve import CODES, run

MOST_ROUNDS = 8
AT_MOST = ("nec.motor_ocpd", "nec.overload")  # of which the least over the states counts
FOLLOW = ("r_ohm_per_km", "x_ohm_per_km", "r0_ohm_per_km", "x0_ohm_per_km", "c0_uf_per_km", "t_end_degc")  # filled anew where they were typical


@dataclass(frozen=True)
class Changed:
    """One value that changes, from what to what."""

    element: str
    name: str
    label: str
    before: str
    after: str

    @property
    def words(self) -> str:
        return f"{self.name}: {self.label} {self.before} → {self.after}"


@dataclass(frozen=True)
class SizeRow:
    """What is proposed for one circuit: its cable with its devices, and the rules that decided."""

    circuit: str
    name: str
    values: tuple[Changed, ...]
    because: tuple[str, ...]
    sets: tuple[Set, ...]

    @property
    def title(self) -> str:
        return f"{self.name} sized"

    @property
    def change(self) -> Change:
        return Change(self.title, self.sets)


@dataclass(frozen=True)
class SizeProposal:
    """Sizes for circuits, whole."""

    rows: tuple[SizeRow, ...]
    left: tuple[str, ...]  # what has no size, or is kept, and why
    states: tuple[str, ...]
    without: tuple[str, ...]  # states that have no result
    rounds: int
    code: str

    @property
    def title(self) -> str:
        return f"Sized by {self.code}"

    @property
    def change(self) -> Change:
        return self.of(range(len(self.rows)))

    def of(self, numbers: Iterable[int]) -> Change:
        """The change that some of its rows are, by their numbers."""
        return Change(self.title, merged(s for n in numbers for s in self.rows[n].sets))


def merged(sets: Iterable[Set]) -> tuple[Set, ...]:
    """Acts upon the same element as one: two circuits may stand behind one device."""
    found: dict[str, Set] = {}
    for s in sets:
        was = found.get(s.id)
        found[s.id] = s if was is None else was.model_copy(update={
            "values": {**was.values, **s.values}, "assumed": {**was.assumed, **s.assumed}, "origins": {**was.origins, **s.origins},
            "catalogue": s.catalogue if s.catalogue is not None else was.catalogue,
        })  # fmt: skip
    return tuple(found.values())


def in_all_states(network: Network) -> tuple[list[Sizing], list[str]]:
    """The sizing of every state, and why some have none. Duties of equipment choose no size: they are left out."""
    found, without = list[Sizing](), list[str]()
    for state in network.state_names:
        try:
            found.append(_in_state(network, state))
        except NorthfellError as error:
            without.append(f"{state}: {error}")
    return found, without


def _in_state(network: Network, state: str) -> Sizing:
    results: dict[str, Any] = {}
    with contextlib.suppress(NorthfellError):  # sizing says itself what it lacks
        results["flow"] = load_flow.run(compile_network(network, state))
    with contextlib.suppress(NorthfellError):
        results["faults"] = short_circuit.run(compile_network(network, state, "short_circuit"))
    return run(compile_network(network, state, "sizing"), **results)


def propose(network: Network, cables: Iterable[str]) -> SizeProposal:
    """Size circuits for all states.

    Parameters
    ----------
    cables : iterable of str
        The ids of the cables whose circuits are sized.
    """
    chosen = list(dict.fromkeys(cables))
    now, first = _with_first_sizes(network, chosen)
    because: dict[str, list[str]] = {}
    touched: dict[str, dict[str, None]] = {cable: {cable: None} for cable in first}  # by circuit: the elements that are set
    found, without = in_all_states(now)
    rounds = 0
    while rounds < MOST_ROUNDS:
        acts: list[Set] = []
        for cable in chosen:
            of_states = [s for sizing in found if (s := sizing.of.get(cable)) is not None]
            if not of_states or of_states[0].circuit.kept:
                continue
            made, told = _next(now, of_states, [sizing.net.state for sizing in found if cable in sizing.of])
            if made:
                acts += made
                because[cable] = told
                touched.setdefault(cable, {}).update(dict.fromkeys(act.id for act in made))
        if not acts:
            break
        rounds += 1
        now = apply_completed(now, Change("sized", merged(acts)))[0]
        found, without = in_all_states(now)
    rows = tuple(_row(network, now, cable, list(elements), because.get(cable) or _decided(found, cable)) for cable, elements in touched.items())
    return SizeProposal(rows, tuple(_left(network, found, chosen, rounds)), tuple(s.net.state for s in found), tuple(without), rounds,
                        found[0].settings.code if found else "")  # fmt: skip


def _code(s: Sized) -> Code:
    return CODES["IEC 60364" if s.metric else "NEC 2023"]


def _with_first_sizes(network: Network, chosen: Sequence[str]) -> tuple[Network, list[str]]:
    """Cables without a size, or without impedances, with the least that the rules ask for which need no fault currents: those cannot be had before."""
    bare = [e for i in chosen if isinstance(e := network.elements[i], Cable) and not e.size_kept and None in (e.area_mm2, e.r_ohm_per_km, e.x_ohm_per_km)]
    if not bare:
        return network, []
    found, _ = in_all_states(network)
    acts: list[Set] = []
    for e in bare:
        of_states = [s for sizing in found if (s := sizing.of.get(e.id)) is not None]
        tried = [t for s in of_states if (t := s.entered or first_try(_code(s), s.judged))]
        if tried:
            largest = max(tried, key=lambda t: (t.sets, t.size.area_mm2))
            acts.append(_set_cable(network, e, of_states[0], largest))
    return apply_completed(network, Change("first sizes", tuple(acts)))[0], [a.id for a in acts]


def _decided(found: Sequence[Sizing], cable: str) -> list[str]:
    """The rules that ask for what a circuit has got, in the state that asks for most."""
    of_states = [(sizing.net.state, s) for sizing in found if (s := sizing.of.get(cable)) is not None and s.decision.required is not None]
    if not of_states:
        return []
    state, s = max(of_states, key=lambda one: one[1].decision.required.size.area_mm2 if one[1].decision.required else 0.0)
    deciding = (a for a in s.decision.applied if a.rule.id in s.decision.deciding and a.alone)
    return [f"{a.rule.id} ({a.rule.clause}): at least {a.alone.label}, in {state}" for a in deciding if a.alone]


def _left(network: Network, found: Sequence[Sizing], chosen: Sequence[str], rounds: int) -> Iterable[str]:
    for cable in chosen:
        of_states = [(sizing.net.state, s) for sizing in found if (s := sizing.of.get(cable)) is not None]
        name = network.elements[cable].name
        if not of_states:
            why = next((one.why for sizing in found for one in sizing.left if one.element_id == cable), "it has no circuit in any state")
            yield f"{name}: {why}."
            continue
        told: dict[str, None] = {}
        for state, s in of_states:
            if s.circuit.kept and s.decision.broken:
                told[f"{name}: its size is kept, and breaks {', '.join(a.rule.id for a in s.decision.broken)} in {state}."] = None
            elif s.lacking:
                told[f"{name}: {'; '.join(s.lacking)} is not known."] = None
            elif s.decision.refused:
                told[s.decision.refused] = None
            elif rounds >= MOST_ROUNDS and s.decision.broken:
                told[f"{name}: no size was found in {MOST_ROUNDS} rounds; it still breaks {s.decision.broken[0].rule.id} in {state}."] = None
            else:
                for p in s.parts:
                    if p.quantity == "device rating" and p.ok is False:
                        told[f"{name}: {p.demand} is asked of its device in {state}; it is not set by sizing."] = None
        yield from told


# --- one round of one circuit


def _next(network: Network, of_states: Sequence[Sized], states: Sequence[str]) -> tuple[list[Set], list[str]]:
    """What must change of a circuit so that it keeps its rules in all states that have it, as things stand."""
    cable = network.elements[of_states[0].circuit.element_id]
    assert isinstance(cable, Cable)
    acts: list[Set] = []
    told: list[str] = []
    for part, state in _devices_asked(of_states, states):
        acts += _set_device(network, of_states[0], part)
        told += [f"{part.rule}: {part.demand}, in {state}"] if acts else []
    line = _line_asked(of_states)
    if line is not None:
        required, deciding, state = line[0], line[1], states[line[2]]
        acts.append(_set_cable(network, cable, of_states[line[2]], required))
        told += [f"{a.rule.id} ({a.rule.clause}): at least {a.alone.label if a.alone else ''}, in {state}" for a in deciding]
    acts += _set_beside(cable, of_states, line[0] if line else None)
    return [a for a in merged(acts) if _differs(network.elements[a.id], a)], told


def _devices_asked(of_states: Sequence[Sized], states: Sequence[str]) -> list[tuple[Part, str]]:
    """Ratings and settings that break a rule in some state, with what the worst state asks."""
    worst: dict[str, tuple[Part, str]] = {}
    for s, state in zip(of_states, states, strict=True):
        for p in s.beside:
            if p.quantity not in ("device rating", "overload setting") or p.chosen is None:
                continue
            if p.ok is False or (p.ok is None and p.entered is None and p.quantity == "overload setting"):
                before = worst.get(p.quantity)
                sign = -1 if p.rule in AT_MOST else 1
                if before is None or sign * rank_of(p.chosen) > sign * rank_of(before[0].chosen):
                    worst[p.quantity] = p, state
    return list(worst.values())


def _line_asked(of_states: Sequence[Sized]) -> tuple[Try, list[Applied], int] | None:
    """The least that keeps the rules in all states, with as many in parallel as the most that one asks for; None where what stands there does."""
    if all(s.entered is not None and not s.decision.broken and s.decision.required is not None and _all_held(s) for s in of_states):
        return None
    if any(s.decision.required is None for s in of_states):
        return None
    code = _code(of_states[0])
    sets = max(s.decision.required.sets for s in of_states if s.decision.required)
    asked = []
    for k, s in enumerate(of_states):
        circuit = replace(s.judged, preferences=replace(s.judged.preferences, least_sets=sets))
        decision = decide(code, circuit)
        if decision.required is None:
            return None
        asked.append((decision.required, decision, k))
    required, decision, k = max(asked, key=lambda one: (one[0].sets, one[0].size.area_mm2))
    return required, [a for a in decision.applied if a.rule.id in decision.deciding], k


def _all_held(s: Sized) -> bool:
    return all(a.entered is not None for a in s.decision.applied if a.acts)


def _set_cable(network: Network, e: Cable, s: Sized, required: Try) -> Set:
    """The cable of a size: by an entry of the catalogue that is laid the same way, else by the tables; and what it carries where it lies."""
    hz, area = network.settings.frequency_hz, required.size.area_mm2
    entry = _entry_for(e, s, area)
    values: dict[str, Any] = {"area_mm2": area, "parallel": required.sets}
    values |= {f: v for f, v in (("conductor", s.circuit.laying.conductor), ("insulation", s.circuit.laying.insulation)) if getattr(e, f) is None}
    assumed: dict[str, str] = {}
    origins: dict[str, str] = {}
    if entry:
        given, assumed, origin = values_for(entry, hz)
        values |= {k: v for k, v in given.items() if k not in ("i_rated_a", "method", "raceway", "wire_type", "area_mm2")}
        values["area_mm2"] = given["area_mm2"]
        origins = {k: origin for k in values if k not in assumed and k != "parallel"}
    elif tabled := _tabled(s, required, hz):
        values |= tabled
        assumed = {"x_ohm_per_km": "typical of low-voltage cables (unverified)"}
    capacity = _capacity(s.judged, required, s.metric)
    if capacity is not None:
        values["i_rated_a"] = float(f"{capacity / required.sets:.4g}")
        origins["i_rated_a"] = f"{SIZED_ORIGIN} by {'IEC 60364-5-52' if s.metric else 'NEC 310.15'}"
    after = e.model_copy(update=values)
    for field in FOLLOW:
        if field not in values and (field in e.assumed or getattr(e, field) is None or field.endswith("0_ohm_per_km")):
            found = typical_value(network.elements, after, field, hz)
            if found is not None and (getattr(e, field) is not None or e.r_ohm_per_km is None):
                values[field], assumed[field] = found.value, found.source
    return Set(id=e.id, values=values, assumed=assumed, origins=origins, catalogue=entry.name if entry else "" if e.catalogue else None)


def _entry_for(e: Cable, s: Sized, area_mm2: float) -> Entry | None:
    """The shipped entry of that size which is made and laid as the cable is."""
    of, metric, laying = _cables_by_make(), s.metric, s.circuit.laying
    laid = e.method if metric else e.raceway
    cores = (e.cores or "4") if metric else "1"
    names = of.get((laying.conductor, laying.insulation, laid, cores, wire_size(area_mm2) if not metric else f"{area_mm2:g}"), [])
    same = [one for one in names if not metric or one.values.get("v_insulation_kv") == (e.v_insulation_kv or 1.0)]
    return same[0] if same else None


def _cables_by_make() -> Mapping[tuple[Any, ...], list[Entry]]:
    if not _MADE:
        for one in shipped().values():
            v = one.values
            if one.kind == "cable" and (v.get("method") or v.get("raceway")):
                metric = "method" in v
                size = f"{v['area_mm2']:g}" if metric else wire_size(v["area_mm2"])
                _MADE.setdefault((v["conductor"], v["insulation"], v.get("method") or v["raceway"], v["cores"], size), []).append(one)
    return _MADE


_MADE: dict[tuple[Any, ...], list[Entry]] = {}


def _tabled(s: Sized, required: Try, hz: int) -> dict[str, Any]:
    """Impedance of a size without an entry: of one core at 20 degC [ohm/km]."""
    laid = s.circuit.laying
    if s.metric:
        z = iec.impedance(s.judged, required)
        hot = iec.hot_factor(laid.conductor or "copper", laid.insulation or "PVC")
        return {} if z is None else {"r_ohm_per_km": float(f"{z[0] / hot:.4g}"), "x_ohm_per_km": float(f"{z[1]:.4g}")}
    z = nec.impedance(s.judged, required)
    cold = nec.cold_factor(laid.conductor or "copper")
    return {} if z is None else {"r_ohm_per_km": float(f"{z[0] * nec.FT_PER_M * cold:.4g}"), "x_ohm_per_km": float(f"{z[1] * nec.FT_PER_M:.4g}")}


def _capacity(circuit: Circuit, t: Try, metric: bool) -> float | None:
    """What all sets carry where they lie [A]: with the NEC no more than their terminals allow."""
    return iec.capacity_a(circuit, t) if metric else nec.usable_a(circuit, t)


def _set_beside(e: Cable, of_states: Sequence[Sized], line: Try | None) -> list[Set]:
    """Protective conductor, neutral and raceway that suit the line conductors, the largest that a state asks for."""
    fields = {"protective conductor": "pe_mm2", "neutral conductor": "neutral_mm2", "raceway": "raceway_size"}
    values: dict[str, Any] = {}
    for s in of_states:
        for p in s.beside:
            field = fields.get(p.quantity)
            if field is None or p.chosen is None or (p.ok is None and p.entered is None and line is None and not s.decision.broken):
                continue
            if p.quantity != "raceway":
                wanted = p.chosen if isinstance(p.chosen, int | float) else rank_of(p.chosen)
                if p.ok is False or line is not None:
                    values[field] = max(float(wanted), values.get(field, 0.0), getattr(e, field) or 0.0)
            elif p.ok is False or line is not None:
                values[field] = p.chosen
    return [Set(id=e.id, values=values)] if values else []


def _set_device(network: Network, s: Sized, part: Part) -> list[Set]:
    """The device of a circuit set, or exchanged for the next row of its kind; what relays are set to is left to Coordination."""
    if not isinstance(part.chosen, int | float):
        return []
    if part.quantity == "overload setting":
        starter = next((e for i in s.chain if isinstance(e := network.elements.get(i), Contactor)), None)
        return [Set(id=starter.id, values={"i_overload_a": float(part.chosen)})] if starter else []
    d = s.circuit.device
    e = network.elements.get(d.element_id) if d else None
    a = float(part.chosen)
    if isinstance(e, Fuse) and e.link in ("gG", "aM"):
        return [Set(id=e.id, values={"i_rated_a": a})]
    if isinstance(e, Breaker) and e.trip in ("electronic", "thermal-magnetic", "miniature") and (s.alone_device or part.rule in AT_MOST):
        frame = {"i_rated_a": a} if e.i_rated_a is not None and a > e.i_rated_a else {}
        return [Set(id=e.id, values={"trip_ir_a": a, **frame})]
    return []


def _differs(e: Element, act: Set) -> bool:
    return any(getattr(e, field) != value for field, value in act.values.items())


# --- as it is told


def _row(before: Network, after: Network, cable: str, elements: Sequence[str], because: Sequence[str]) -> SizeRow:
    told: list[Changed] = []
    sets: list[Set] = []
    for i in elements:
        was, now = before.elements[i], after.elements[i]
        fields = [f for f in type(now).model_fields if f not in NOT_VALUES and getattr(was, f) != getattr(now, f)]
        told += [Changed(i, was.name, TOLD[f], _shown(f, getattr(was, f), before), _shown(f, getattr(now, f), before)) for f in TOLD if f in fields]
        sets.append(Set(
            id=i, values={f: getattr(now, f) for f in fields}, assumed={f: now.assumed[f] for f in fields if f in now.assumed},
            origins={f: now.origins[f] for f in fields if f in now.origins}, catalogue=now.catalogue if now.catalogue != was.catalogue else None,
        ))  # fmt: skip
    return SizeRow(cable, before.elements[cable].name, tuple(told), tuple(because), tuple(s for s in sets if s.values))


NOT_VALUES = ("assumed", "origins", "catalogue")
TOLD = {
    "area_mm2": "cross-section", "parallel": "in parallel", "pe_mm2": "protective conductor", "neutral_mm2": "neutral conductor", "raceway_size": "raceway",
    "i_rated_a": "rated current, or capacity", "trip_ir_a": "setting", "i_overload_a": "overload relay",
}  # fmt: skip


def _shown(field: str, value: Any, network: Network) -> str:
    if value is None or value == "":
        return "none"
    if field.endswith("_mm2"):
        return wire_size(value) if network.settings.units.conductors != "mm²" else f"{value:g} mm²"
    return f"{figure(value)} A" if field.endswith("_a") else f"{value:g}" if isinstance(value, int | float) else str(value)


__all__ = ["LINE", "SizeProposal", "SizeRow", "in_all_states", "propose"]
