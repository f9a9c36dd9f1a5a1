"""What a code asks of every circuit of a state, what stands there, and the tables of both."""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.network import Compiled
from northfell.core.studies.sizing import lists
from northfell.core.studies.sizing.circuit import Circuit
from northfell.core.studies.sizing.equipment import Equipment
from northfell.core.studies.sizing.frame import Applied, Decision, Held, Try
from northfell.core.studies.sizing.gathering import Left
from northfell.core.studies.sizing.parts import Amount, Part
from northfell.core.studies.sizing.settings import SizingSettings
from northfell.core.studies.sizing.ways import Way
from northfell.core.tables import Table, build

LINE, SETS = "line conductor", "conductors in parallel"
BREACH, WITHIN, MISSING, REFUSED, NOT_ASSESSED = "breach", "within", "missing", "no size", "not assessed"
ORDER = (BREACH, REFUSED, MISSING, WITHIN, NOT_ASSESSED)
_CIRCUITS = (
    ("state", "", "State"), ("element", "", "Circuit"), ("quantity", "", "Quantity"), ("as_entered", "", "As entered"), ("required", "", "Required"),
    ("chosen", "", "Chosen"), ("unit", "", "Unit"), ("rule", "", "Decided by"), ("clause", "", "Clause"), ("verdict", "", "Verdict"),
    ("demand", "", "Demand"), ("note", "", "Note"), ("purpose", "", "Circuit of"), ("code", "", "Code"),
)  # fmt: skip
_RULES = (
    ("state", "", "State"), ("element", "", "Circuit"), ("rule", "", "Rule"), ("clause", "", "Clause"), ("demand", "", "Demand"), ("value", "", "Size"),
    ("unit", "", "Unit"), ("decides", "", "Decides"), ("verdict", "", "As entered"), ("offered", "", "Offers"), ("limit", "", "Limit"),
    ("held_in", "", "In"), ("used_pct", "%", "Used"), ("note", "", "Note"), ("standing", "", "Standing"), ("code", "", "Code"),
)  # fmt: skip


@dataclass(frozen=True)
class Sized:
    """One circuit with all that was decided of it."""

    circuit: Circuit
    decision: Decision
    entered: Try | None
    chosen: Try | None
    beside: tuple[Part, ...]
    metric: bool  # sizes in mm²; else as AWG or kcmil
    judged: Circuit  # with the device that is chosen
    chain: tuple[str, ...] = ()  # switching devices of its way
    alone_device: bool = False  # its device stands on its way, and protects nothing else

    @property
    def lacking(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*self.circuit.waits, *self.decision.lacking)))

    @cached_property
    def parts(self) -> tuple[Part, ...]:
        """All quantities: the line conductors first."""
        return (*self._conductors(), *self.beside)

    def _conductors(self) -> Iterator[Part]:
        d, required = self.decision, self.decision.required
        decided = [a for a in d.applied if a.rule.id in d.deciding]
        rule, clause = ", ".join(a.rule.id for a in decided), "; ".join(a.rule.clause for a in decided)
        ok, note, used = self._verdict()
        if not decided and d.broken:
            rule, clause = d.broken[0].rule.id, d.broken[0].rule.clause
        metric = self.metric
        unit = "mm²" if metric else ""

        def shown(t: Try | None) -> Amount:
            return None if t is None else t.size.area_mm2 if metric else t.size.label

        demand = f"at least {required.label}" if required else ""
        yield Part(LINE, shown(self.entered), shown(required), shown(self.chosen), unit, rule, clause, ok, demand, note, "", used)
        sets = [None if t is None else float(t.sets) for t in (self.entered, required, self.chosen)]
        if any(n is not None and n > 1 for n in sets):
            yield Part(SETS, sets[0], sets[1], sets[2], "", rule, clause, None, "", "decided with the line conductors", "")

    def _verdict(self) -> tuple[bool | None, str, float]:
        d = self.decision
        if self.entered is None:
            return None, d.refused or "; ".join(f"needs {one}" for one in self.lacking), math.nan
        held = [a for a in d.applied if a.entered is not None]
        used = max((a.entered.used_pct for a in held if a.entered), default=math.nan)
        worst = [f"{a.rule.id}: {told(a.entered)}" for a in d.broken if a.entered]
        unknown = [a.rule.id for a in d.applied if a.acts and a.entered is None]
        notes = [
            *worst,
            *(f"needs {one}" for one in self.lacking),
            *([f"not in the tables of {', '.join(unknown)}"] if unknown else []),
            *([d.refused] if d.refused else []),
        ]
        ok = False if d.broken else None if self.lacking or unknown or not held else True
        return ok, "; ".join(notes), used

    @cached_property
    def used_pct(self) -> float:
        """How much of what the most pressing rule allows is used by what stands there [%]; nan where nothing is known."""
        return max((p.used_pct for p in self.parts if not math.isnan(p.used_pct)), default=math.nan)

    @cached_property
    def verdict(self) -> str:
        """The gravest of all quantities."""
        return min((self.verdict_of(p) for p in self.parts), key=ORDER.index)

    def verdict_of(self, one: Part) -> str:
        if one.ok is False:
            return BREACH
        if one.quantity == LINE and self.decision.refused:
            return REFUSED
        if one.quantity == LINE and (self.lacking or self.entered is None):
            return MISSING
        return verdict_of_part(one)


def told(held: Held) -> str:
    """What a rule found, in words."""
    if not math.isfinite(held.limit):
        return f"{held.value:.4g} {held.unit}"
    return f"{held.value:.4g} {held.unit}, {'at most' if held.at_most else 'at least'} {held.limit:.4g} {held.unit}"


@dataclass(frozen=True)
class Sizing:
    """The circuits of one state."""

    net: Compiled
    settings: SizingSettings
    circuits: tuple[Sized, ...]
    left: tuple[Left, ...]
    ways: Mapping[str, Way]
    equipment: tuple[Equipment, ...] = ()

    @cached_property
    def of(self) -> Mapping[str, Sized]:
        return {s.circuit.element_id: s for s in self.circuits}

    @property
    def messages(self) -> tuple[str, ...]:
        found = [f"{s.circuit.name}: {self.settings.code} needs {'; '.join(s.lacking)}." for s in self.circuits if s.lacking]
        return (*found, *(s.decision.refused for s in self.circuits if s.decision.refused))

    @property
    def summary(self) -> Mapping[str, Any]:
        verdicts = [s.verdict for s in self.circuits]
        return {"code": self.settings.code, "circuits": len(verdicts)} | {v: verdicts.count(v) for v in ORDER} | {"left_out": len(self.left)}

    def tables(self) -> list[Table]:
        of_network = [lists.cables_table(self.net), lists.raceways_table(self.net, self.of), lists.loads_table(self.net), lists.panels_table(self.net, self.of)]
        return [self.circuits_table(), self.rules_table(), self.left_table(), *of_network]

    def worst_first(self) -> list[Sized]:
        return sorted(self.circuits, key=lambda s: (ORDER.index(s.verdict), -(0.0 if math.isnan(s.used_pct) else s.used_pct)))

    def circuits_table(self) -> Table:
        state, code = self.net.state, self.settings.code
        rows: list[tuple[Any, ...]] = [
            (state, s.circuit.name, p.quantity, _cell(p.entered), _cell(p.required), _cell(p.chosen), p.unit, p.rule, p.clause, s.verdict_of(p),
             p.demand, p.note, s.circuit.purpose, code)
            for s in self.worst_first() for p in s.parts
        ]  # fmt: skip
        rows += [
            (state, e.name, p.quantity, _cell(p.entered), _cell(p.required), _cell(p.chosen), p.unit, p.rule, p.clause, verdict_of_part(p), p.demand, p.note,
             e.purpose, code)
            for e in self.equipment for p in e.parts
        ]  # fmt: skip
        return build("circuits", _CIRCUITS, rows)

    def rules_table(self) -> Table:
        rows = [row for s in self.worst_first() for row in self._rules_of(s)]
        rows += [self._rule_of(e.name, p, verdict_of_part(p)) for e in self.equipment for p in e.parts]
        return build("rules", _RULES, rows)

    def _rules_of(self, s: Sized) -> Iterator[tuple[Any, ...]]:
        state, code, metric = self.net.state, self.settings.code, s.metric
        for a in s.decision.applied:
            size = a.alone
            value = None if size is None else size.size.area_mm2 if metric else size.size.label
            held = a.entered or a.chosen
            demand = f"at least {size.label}" if size else ""
            yield (
                state, s.circuit.name, a.rule.id, a.rule.clause, demand, value, "mm²" if metric and size else "", a.rule.id in s.decision.deciding,
                verdict_of_rule(a), *_held_cells(held), a.idle or (f"needs {a.lacks}" if a.lacks else ""), a.rule.standing, code,
            )  # fmt: skip
        for p in s.beside:
            yield self._rule_of(s.circuit.name, p, s.verdict_of(p))

    def _rule_of(self, name: str, p: Part, verdict: str) -> tuple[Any, ...]:
        """What is asked beside the line conductors: it decides itself alone, not their size."""
        needs, used = _cell(p.required), None if math.isnan(p.used_pct) else p.used_pct
        return (self.net.state, name, p.rule, p.clause, p.demand, needs, p.unit, False, verdict, _cell(p.entered), needs, p.quantity, used, p.note, p.standing,
                self.settings.code)  # fmt: skip

    def left_table(self) -> Table:
        columns = (("state", "", "State"), ("element", "", "Cable"), ("why", "", "Left out because"))
        return build("left_out", columns, [(self.net.state, self.net.name(one.element_id), one.why) for one in self.left])


def verdict_of_part(p: Part) -> str:
    """Of a quantity that stands by itself."""
    return BREACH if p.ok is False else NOT_ASSESSED if p.ok is None else WITHIN


def verdict_of_rule(a: Applied) -> str:
    if a.idle:
        return "asks nothing"
    if a.entered is not None:
        return WITHIN if a.entered.ok else BREACH
    return MISSING if a.lacks else NOT_ASSESSED


def _held_cells(held: Held | None) -> tuple[Any, ...]:
    if held is None:
        return None, None, "", None
    finite = [v if math.isfinite(v) else None for v in (held.value, held.limit)]
    return (*finite, held.unit, held.used_pct if math.isfinite(held.used_pct) else None)


def _cell(value: Amount) -> Amount:
    return float(f"{value:.6g}") if isinstance(value, float) and math.isfinite(value) else None if isinstance(value, float) else value


def rank_of(value: Amount) -> float:
    """A size or rating as a number, to find the largest."""
    if value is None:
        return -1.0
    if isinstance(value, str):
        return next((w.area_mm2 for w in tables.nec_sizes() if w.label == value), 0.0)
    return float(value)


def worst_over_states(found: Sequence[Table]) -> list[Table]:
    """What each quantity of each circuit must be so that it keeps the rules in all states: the largest, with the state that asks for it."""
    circuits = next((t for t in found if t.name == "circuits"), None)
    if circuits is None:
        return []
    worst: dict[tuple[str, str], dict[str, Any]] = {}
    for r in circuits.records():
        key = (r["element"], r["quantity"])
        if key not in worst or _gravity(r) > _gravity(worst[key]):
            worst[key] = r
    names = ("element", "quantity", "as_entered", "required", "chosen", "unit", "rule", "clause", "state", "verdict")
    heads = {c.name: c.label for c in circuits.columns}
    rows = sorted(worst.values(), key=lambda r: ORDER.index(r["verdict"]))
    return [build("sizes", [(n, "", heads[n]) for n in names], [tuple(r[n] for n in names) for r in rows])]


def _gravity(r: Mapping[str, Any]) -> tuple[float, int]:
    at_most = r["rule"] in ("nec.motor_ocpd", "nec.overload")
    rank = rank_of(r["required"])
    return (-rank if at_most else rank), -ORDER.index(r["verdict"])
