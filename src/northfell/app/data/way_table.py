"""A board's outgoing ways as a table: one row is one way, with its device, starter, cable and what it feeds.

Rows of ways that stand already set their elements; new rows become ways, on one board or on several at once. One paste is one change.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from northfell.app.data.columns import Head, cells_of, head_of, read_cell
from northfell.app.data.tabling import Tabled, set_cells, shown
from northfell.app.draw import arrange
from northfell.app.draw.extend import planned
from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.changes import Change, apply_change
from northfell.core.model.declare.parameters import Parameter, parameter
from northfell.core.model.elements import KINDS, Breaker, Bus, Cable, Contactor, Element, Fuse, InductionMotor, Load, Switching
from northfell.core.model.network import Network
from northfell.core.model.own_entries import value_breaches
from northfell.core.rules.ways import ways_of
from northfell.core.shorthand.reading import Said

MOST_WAYS = 200  # in one paste


@dataclass(frozen=True)
class WayColumn:
    """A column of the schedule: which element of the way it belongs to, and the parameter it holds; the first kind is that of new ways."""

    part: str  # device, starter, cable or consumer
    key: str
    label: str
    fields: Mapping[str, str]  # kind of element -> field


DEVICES, CONSUMERS = ("breaker", "fuse"), ("induction_motor", "load")
COLUMNS: tuple[WayColumn, ...] = (
    WayColumn("consumer", "name", "Feeds", dict.fromkeys(CONSUMERS, "name")),
    WayColumn("consumer", "kind", "As", {}),
    WayColumn("consumer", "power", "Power", {"induction_motor": "p_rated_kw", "load": "p_mw"}),
    WayColumn("consumer", "power_factor", "Power factor", {"induction_motor": "power_factor"}),
    WayColumn("consumer", "efficiency", "Efficiency", {"induction_motor": "efficiency_pct"}),
    WayColumn("consumer", "count", "Count", {"induction_motor": "count"}),
    WayColumn("consumer", "starting", "Starting", {"induction_motor": "starter"}),
    WayColumn("consumer", "duty", "Duty", dict.fromkeys(CONSUMERS, "duty")),
    WayColumn("device", "device", "Device", {}),
    WayColumn("device", "device_a", "Device rating", dict.fromkeys(DEVICES, "i_rated_a")),
    WayColumn("starter", "contactor_a", "Contactor", {"contactor": "i_rated_a"}),
    WayColumn("starter", "overload_a", "Overload relay", {"contactor": "i_overload_a"}),
    WayColumn("cable", "area", "Cable", {"cable": "area_mm2"}),
    WayColumn("cable", "protective", "Protective", {"cable": "pe_mm2"}),
    WayColumn("cable", "conductor", "Conductor", {"cable": "conductor"}),
    WayColumn("cable", "insulation", "Insulation", {"cable": "insulation"}),
    WayColumn("cable", "length", "Length", {"cable": "length_m"}),
    WayColumn("cable", "method", "Reference method", {"cable": "method"}),
    WayColumn("cable", "raceway", "Raceway", {"cable": "raceway"}),
    WayColumn("cable", "trade_size", "Raceway size", {"cable": "raceway_size"}),
    WayColumn("consumer", "note", "Note", dict.fromkeys(CONSUMERS, "note")),
)  # fmt: skip
KIND_WORDS = {"motor": "induction_motor", "load": "load", "induction motor": "induction_motor", "heater": "load", "spare": "", "": "", "-": ""}
DEVICE_WORDS = {"breaker": "breaker", "fuse": "fuse", "cb": "breaker", "": "breaker"}
UNITS = {"power": "kW", "efficiency": "%", "device_a": "A", "contactor_a": "A", "overload_a": "A"}


@dataclass
class WayRow:
    """A way that stands, by its parts."""

    id: str
    parts: dict[str, Element] = field(default_factory=dict)


def rows_of(network: Network, board_id: str) -> list[WayRow]:
    """The ways of a board with their parts; the first of each kind along the way."""
    rows = []
    for way in ways_of(network.elements, board_id):
        row = WayRow(way.first)
        for e in (network.elements[i] for i in way.elements):
            part = (
                "device" if isinstance(e, Breaker | Fuse) else "starter" if isinstance(e, Contactor) else "cable" if isinstance(e, Cable)
                else "consumer" if isinstance(e, InductionMotor | Load) else ""
            )  # fmt: skip
            if part:
                row.parts.setdefault(part, e)
        if isinstance(network.elements[way.first], Switching) or row.parts:
            rows.append(row)
    return rows


def cell_shown(network: Network, row: WayRow, column: WayColumn) -> tuple[str, str]:
    """The text and the mark of one cell: ~ assumed, - nothing of the kind in this way."""
    e = row.parts.get(column.part)
    if column.key == "kind":
        return {"induction_motor": "motor", "load": "load"}[e.kind] if e else "spare", " "
    if column.key == "device":
        return (e.kind if e else "–"), "-" if e is None else " "
    p = _parameter(column, e.kind) if e else None
    if e is None or p is None:
        return "", "-"
    if column.key == "power" and e.kind == "load":
        value = getattr(e, "p_mw")  # noqa: B009
        return ("" if value is None else f"{value * 1000:.12g}"), "~" if p.name in e.assumed else " "
    return shown(network, e, p), "~" if p.name in e.assumed else " "


def _parameter(column: WayColumn, kind: str) -> Parameter | None:
    name = column.fields.get(kind)
    return parameter(KINDS[kind], name) if name else None


def column_unit(network: Network, column: WayColumn) -> str:
    """The unit in the head of a column."""
    units = network.settings.units
    if column.key == "length":
        return units.lengths
    if column.key in ("area", "protective"):
        return "mm²" if units.conductors == "mm²" else "AWG, kcmil"
    return UNITS.get(column.key, "")


def _head(network: Network, column: WayColumn, kind: str, unit: str = "") -> Head | None:
    p = _parameter(column, kind)
    return Head(p, unit or ("kW" if column.key == "power" else "")) if p else None


def ways_from(network: Network, sheet: str, boards: Sequence[str], rows: Sequence[Mapping[str, tuple[str, str]]], keep_inside: bool) -> Tabled:
    """New ways on each of the boards, one for each row: column key -> (text, unit of its head).

    A cell that cannot be read is told and left out of its way; a row whose kind or device cannot be read becomes no way. Cells are told
    by the number of their row.
    """
    if len(rows) * len(boards) > MOST_WAYS:
        raise NetworkRefused([InputRefused("rows", len(rows) * len(boards), f"at most {MOST_WAYS} ways at a time", where="Schedule")])
    made = Tabled(Change("", ()))
    told: list[list[Said]] = []
    for n, row in enumerate(rows):
        way = _said(network, str(n), row, made)
        if way:
            told.append(way)
    acts: list[Any] = []
    now = network
    for board in boards if told else ():
        if not isinstance(network.elements.get(board), Bus):
            raise NotFound(f"There is no board “{board}”.")
        line = [said for way in told for said in (Said("("), *way, Said(")"))]
        plan = planned(now, sheet, board, line)
        if plan.change is None or plan.network is None:
            name = network.elements[board].name
            raise NetworkRefused([InputRefused("rows", len(rows), "rows that become ways", problem, name) for problem in plan.problems[:5]])
        acts += plan.change.acts
        now = plan.network
        if keep_inside:
            fold = arrange.fold(now, sheet, board)
            now, _ = apply_change(now, fold)
            acts += fold.acts
        made.messages += [f"Still lacking, {line}." for line in plan.lacking[:40]] if len(boards) == 1 else []
    if acts:
        names = ", ".join(network.elements[b].name for b in boards)
        made.change = Change(f"{len(told)} way{'s' if len(told) != 1 else ''} from a schedule on {names}", tuple(acts))
    return made


def _said(network: Network, n: str, row: Mapping[str, tuple[str, str]], made: Tabled) -> list[Said]:
    """The things of one way, with what could be read of them; none where it is not clear what they are."""
    text = {key: cell[0].strip() for key, cell in row.items()}
    kind = KIND_WORDS.get(text.get("kind", "motor" if text.get("power") else "").lower())
    device = DEVICE_WORDS.get(text.get("device", "").lower())
    if kind is None:
        made.errors[n, "kind"] = f"“{text['kind']}” is not known, accepted is motor, load or spare."
    if device is None:
        made.errors[n, "device"] = f"“{text['device']}” is not known, accepted is breaker or fuse."
    if kind is None or device is None:
        return []
    parts = {"device": device, "consumer": kind, "cable": "cable" if text.get("area") or text.get("length") else ""}
    parts["starter"] = "contactor" if text.get("contactor_a") else ""
    said = {part: Said(k) for part, k in parts.items() if k}
    for column in COLUMNS:
        one = said.get(column.part)
        head = _head(network, column, one.kind, row[column.key][1]) if one and column.key in row else None
        if one is None or head is None or not text[column.key]:
            continue
        try:
            value = read_cell(network, head, text[column.key], "")
        except NetworkRefused as error:
            made.errors[n, column.key] = error.lines[0]
            continue
        breaches = value_breaches(one.kind, {head.p.name: value}, "") if head.p.name != "name" else []
        if breaches:
            made.errors[n, column.key] = str(breaches[0])
        elif head.p.name == "name":
            one.name = value
        else:
            one.values[head.p.name] = value
    return [said[part] for part in ("device", "starter", "cable", "consumer") if part in said]


def set_ways(network: Network, board_id: str, cells: Sequence[tuple[str, str, str, str]]) -> Tabled:
    """Set cells of ways that stand: (first element of the way, column key, text, unit of the head)."""
    rows = {row.id: row for row in rows_of(network, board_id)}
    by_key = {column.key: column for column in COLUMNS}
    made = Tabled(Change("", ()))
    acts: list[Any] = []
    by_kind: dict[str, list[tuple[str, Head, str]]] = {}
    origin: dict[tuple[str, str], tuple[str, str]] = {}
    for way, key, text, unit in cells:
        column, row = by_key.get(key), rows.get(way)
        if column is None or row is None:
            raise NotFound("This way is no longer on the board.")
        e = row.parts.get(column.part)
        head = _head(network, column, e.kind, unit) if e else None
        if e is None or head is None:
            if text.strip() and text.strip() != cell_shown(network, row, column)[0]:
                made.errors[way, key] = "This way has no such part: draw it on the sheet, or type the way anew in a new row."
                made.typed[way, key] = text
            continue
        by_kind.setdefault(e.kind, []).append((e.id, head, text))
        origin[e.id, head.p.name] = (way, key)
    for kind, some in by_kind.items():
        one = set_cells(network, kind, some, "")
        acts += one.change.acts
        for cell, why in one.errors.items():
            made.errors[origin.get(cell, cell)] = why
            made.typed[origin.get(cell, cell)] = one.typed.get(cell, "")
    if acts:
        made.change = Change(f"{network.elements[board_id].name}: schedule changed", tuple(acts))
    return made


@dataclass(frozen=True)
class PastedWays:
    """What a pasted block becomes, and which of its rows became ways (by their number among the new ones)."""

    made: Tabled
    new_ways: list[str]


def pasted(
    network: Network, sheet: str, boards: Sequence[str], text: str, rows: Sequence[str], columns: Sequence[str], keep_inside: bool
) -> PastedWays:  # fmt: skip
    """A block pasted at a cell of the first board's schedule: `rows` are the ways from there down, `columns` those to the right.

    With heads that name what is fed, a row goes to the way of that name; without, to the way beside it. All others are new ways.
    """
    try:
        heads, block, messages = heads_of_paste(text)
    except InputRefused as error:
        raise NetworkRefused([error]) from None
    standing = rows_of(network, boards[0])
    by_name = {row.parts["consumer"].name: row.id for row in standing if "consumer" in row.parts}
    at_name = next((k for k, (key, _) in enumerate(heads) if key == "name"), None)
    beside = [] if heads else [row for row in rows if any(row == one.id for one in standing)]
    heads = heads or [(key, "") for key in columns]
    cells: list[tuple[str, str, str, str]] = []
    new: list[dict[str, tuple[str, str]]] = []
    for n, line in enumerate(block):
        name = line[at_name].strip() if at_name is not None and at_name < len(line) else ""
        way = by_name.get(name) if at_name is not None else beside[n] if n < len(beside) else None
        if way is None:
            new.append({key: (cell, unit) for (key, unit), cell in zip(heads, line, strict=False) if key})
        else:
            cells += [(way, key, cell, unit) for (key, unit), cell in zip(heads, line, strict=False) if key and (key != "name" or at_name is None)]
    made = set_ways(network, boards[0], cells)
    if new:
        now, _ = apply_change(network, made.change)
        grown = ways_from(now, sheet, boards, new, keep_inside)
        grown.typed = {cell: new[int(cell[0])].get(cell[1], ("", ""))[0] for cell in grown.errors}
        made = Tabled(
            Change(grown.change.title or made.change.title, (*made.change.acts, *grown.change.acts)), made.errors | grown.errors, made.typed | grown.typed,
            grown.messages,
        )  # fmt: skip
    made.messages = [*messages, *made.messages]
    unmade = {row for row, key in made.errors if key in ("kind", "device")}
    return PastedWays(made, [str(n) for n in range(len(new)) if str(n) not in unmade])


def heads_of_paste(text: str) -> tuple[list[tuple[str, str]], list[list[str]], list[str]]:
    """The columns that a pasted block names in its first row (key, unit), its other rows, and what was not understood; no columns without heads."""
    block = cells_of(text)
    labels = {c.label.casefold(): c for c in COLUMNS} | {c.key: c for c in COLUMNS} | {"way": COLUMNS[0], "name": COLUMNS[0]}
    heads: list[tuple[str, str]] = []
    messages: list[str] = []
    for cell in block[0] if block else ():
        column, unit = labels.get(cell.strip().casefold()), ""
        for c in () if column else COLUMNS:
            p = next((q for kind in c.fields if (q := _parameter(c, kind))), None)
            head = head_of(cell, [_renamed(p, c)]) if p else None
            if head:
                column, unit = c, head.unit
        heads.append((column.key, unit) if column else ("", ""))
        if column is None and cell.strip():
            messages.append(f"Not a column of the schedule: {cell.strip()[:40]}.")
    if sum(bool(key) for key, _ in heads) * 2 <= len(heads):
        return [], block, []
    return heads, block[1:], messages


def _renamed(p: Parameter, column: WayColumn) -> Parameter:
    return replace(p, label=column.label)
