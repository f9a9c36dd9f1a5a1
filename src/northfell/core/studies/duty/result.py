"""What the network asks of equipment, against what it is rated for."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from northfell.core.finding import ORDER, severity_of
from northfell.core.network import Compiled
from northfell.core.studies.duty.settings import DutySettings
from northfell.core.studies.short_circuit import ShortCircuit
from northfell.core.tables import Table, build

NOT_ASSESSED = "not assessed"
WITHIN = "within"
_COLUMNS = (
    ("state", "", "State"), ("element", "", "Element"), ("quantity", "", "Duty"), ("rating", "", "Rating"), ("value", "", "Asked for"), ("unit", "", "Unit"),
    ("pct", "%", "Of rating"), ("verdict", "", "Verdict"), ("kind", "", "Kind"), ("bus", "", "Fault at"), ("fault", "", "Fault"),
    ("rated_by", "", "Rated by"), ("basis", "", "In whose terms"), ("method", "", "Method"),
)  # fmt: skip


def _pressed(pct: float | None) -> float:
    """How much of a rating is asked for, as rows are ordered: what differs by rounding stays in the order of the network."""
    return -1.0 if pct is None else round(pct, 9)


def worst_over_states(tables: Sequence[Table]) -> list[Table]:
    """The worst duty of each element over all states, the gravest first, with every state beside it."""
    duties = next((t for t in tables if t.name == "duties"), None)
    if duties is None:
        return []
    records = list(duties.records())
    states = list(dict.fromkeys(r["state"] for r in records))
    worst: dict[str, dict[str, Any]] = {}
    by_state: dict[str, dict[str, float]] = {}
    for r in records:
        pct = r["pct"]
        if r["element"] not in worst or _pressed(pct) > _pressed(worst[r["element"]]["pct"]):
            worst[r["element"]] = r
        if pct is not None:
            of = by_state.setdefault(r["element"], {})
            of[r["state"]] = max(pct, of.get(r["state"], 0.0))
    ordered = sorted(worst.values(), key=lambda r: (ORDER.get(r["verdict"], 3), -_pressed(r["pct"])))
    names = ("element", "kind", "verdict", "pct", "quantity", "value", "rating", "unit", "rated_by", "basis")
    heads = {c.name: c for c in duties.columns}
    columns = [*((n, heads[n].unit, heads[n].label) for n in names), ("in_state", "", "In state"), *((f"pct in {s}", "%", s) for s in states)]
    rows = [(*(r[n] for n in names), r["state"] if r["pct"] is not None else None, *(by_state.get(r["element"], {}).get(s) for s in states)) for r in ordered]
    return [build("worst_duties", columns, rows)]


@dataclass(frozen=True)
class Duty:
    """One rating of one element, and what is asked of it; without a rating or a value it is not assessed, and says why."""

    element_id: str
    quantity: str
    rating: float | None = None
    value: float | None = None
    unit: str = "kA"
    bus: int = -1
    fault: str = ""
    rated_by: str = ""
    basis: str = ""
    steps: tuple[tuple[str, str, str, float, str, str], ...] = ()  # title, symbol, equation, value, unit, source: how the value came about

    @property
    def pct(self) -> float | None:
        return 100 * self.value / self.rating if self.value is not None and self.rating else None


@dataclass(frozen=True)
class Duties:
    """The duties of one state."""

    net: Compiled
    settings: DutySettings
    faults: ShortCircuit
    rows: tuple[Duty, ...]

    def verdict(self, one: Duty) -> str:
        """breach, close, within, or not assessed."""
        return NOT_ASSESSED if one.pct is None else severity_of(one.pct, self.settings.close_pct, self.settings.breach_pct) or WITHIN

    @cached_property
    def of(self) -> Mapping[str, tuple[Duty, ...]]:
        """The duties of each element, the worst first."""
        by: dict[str, list[Duty]] = {}
        for one in self.rows:
            by.setdefault(one.element_id, []).append(one)
        return {i: tuple(sorted(rows, key=lambda d: -_pressed(d.pct))) for i, rows in by.items()}

    def worst(self, element_id: str) -> Duty | None:
        rows = self.of.get(element_id, ())
        return rows[0] if rows else None

    @property
    def messages(self) -> tuple[str, ...]:
        return self.faults.messages

    @property
    def summary(self) -> dict[str, Any]:
        verdicts = [self.verdict(rows[0]) for rows in self.of.values()]
        return {"method": self.faults.method, "elements": len(verdicts)} | {v: verdicts.count(v) for v in ("breach", "close", WITHIN, NOT_ASSESSED)}

    def tables(self) -> list[Table]:
        return [self.duties_table()]

    def duties_table(self) -> Table:
        net, ids = self.net, self.net.topology.bus_ids
        rows = []
        for one in sorted(self.rows, key=lambda d: (ORDER.get(self.verdict(d), 3), -_pressed(d.pct))):
            e = net.elements[one.element_id]
            at = net.name(ids[one.bus]) if one.bus >= 0 else None
            rows.append((
                net.state, e.name, one.quantity, one.rating, one.value, one.unit, one.pct, self.verdict(one), e.kind, at, one.fault or None,
                one.rated_by or None, one.basis, self.faults.method,
            ))  # fmt: skip
        return build("duties", _COLUMNS, rows)
