"""A network as plain tables, one for each kind of element and each table of theirs, one each for states, sheets, settings, …

Workbooks and folders of CSV files hold these tables. They come back without loss: numbers to the last digit, elements in their order.
Reading refuses what it cannot take with table, row and column, and takes a table with fewer columns as saying nothing of the others.
"""

import json
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.declare.parameters import Parameter, parameters_of
from northfell.core.model.elements import KINDS, Element
from northfell.core.model.kept_beside import KeptCurves
from northfell.core.model.network import MOST_ELEMENTS, Network, Placement
from northfell.core.quantities import QUANTITY_OF, UNITS, canonical_unit, parse_quantity
from northfell.formats import northfell_json

Cells = Sequence[Sequence[Any]]  # rows of text, numbers, booleans and None; the first row is the head
RECORDS = ("assumed", "origins", "catalogue")  # beside the parameters of an element, as JSON text
OTHERS = ("network", "states", "sheets", "curves", "settings", "own entries")
STATE_HEAD = ("state", "element", "field", "value")
SHEET_HEAD = ("sheet", "element", *Placement.model_fields)
CURVES_HEAD = ("curves", "device", "fault", "v_ref_kv", "own_amperes", "name_x", "name_y")
ENTRY_HEAD = ("name", "kind", "family", "source", "made_from", "values")
MOST_REASONS = 100
OF_ELEMENTS = {p.name: p for cls in KINDS.values() for p in parameters_of(cls) if p.form == "table"}  # tables with a row's element in their first column


def tables_of(network: Network) -> dict[str, list[list[Any]]]:
    """All tables of a network by name."""
    names = {i: e.name for i, e in network.elements.items()}
    tables: dict[str, list[list[Any]]] = {"network": [["name", "format_version"], [network.name, northfell_json.FORMAT_VERSION]]}
    for kind, cls in KINDS.items():
        some = [(n, e) for n, e in enumerate(network.elements.values(), 1) if e.kind == kind]
        if some:
            columns = _columns(cls)
            head = ["no", *map(_head, columns), *RECORDS]
            tables[kind] = [head, *([n, *_row(e, columns, names)] for n, e in some)]
    for title, p in OF_ELEMENTS.items():
        rows = [[e.name, *(getattr(row, c.name) for c in p.columns)] for e in network.elements.values() for row in getattr(e, title, ())]
        if rows:
            tables[title] = [["element", *map(_head, p.columns)], *rows]
    states: list[list[Any]] = [list(STATE_HEAD)]
    for s in network.states:
        states += [[s.name, "", part, _json(getattr(s, part))] for part in ("load_factors", "generation_factors") if getattr(s, part)]
        states += [[s.name, names[i], key, _json(value)] for i, values in s.differences.items() for key, value in values.items()]
        if not s.differences and not s.load_factors and not s.generation_factors:
            states.append([s.name, "", "", ""])
    tables["states"] = states
    sheets: list[list[Any]] = [list(SHEET_HEAD)]
    for sheet in network.sheets:
        sheets += [[sheet.name, names[i], *p.model_dump().values()] for i, p in sheet.placements.items()] or [[sheet.name, ""]]
    tables["sheets"] = sheets
    curves = [[c.name, names.get(d), c.fault, c.v_ref_kv, c.own_amperes, *_name_at(c, d)] for c in network.curves for d in c.devices or [""]]
    if curves:
        tables["curves"] = [list(CURVES_HEAD), *curves]
    tables["settings"] = [["setting", "value"], *([path, _json(value)] for path, value in _flat(network.settings.model_dump()))]
    tables["own entries"] = [list(ENTRY_HEAD), *([e.name, e.kind, e.family, e.source, e.made_from, _json(e.values)] for e in network.entries)]
    return tables


def _columns(cls: type[Element]) -> list[Parameter]:
    return [p for p in parameters_of(cls) if p.form not in ("record", "table")]


def _head(p: Parameter) -> str:
    return f"{p.name} [{p.unit}]" if p.unit else p.name


def _row(e: Element, columns: Sequence[Parameter], names: Mapping[str, str]) -> Iterator[Any]:
    for p in columns:
        value = getattr(e, p.name)
        if p.form == "reference" and value is not None:
            value = names[value]
        yield value
    yield _json(e.assumed) if e.assumed else None
    yield _json(e.origins) if e.origins else None
    yield e.catalogue or None


def _json(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


def _flat(settings: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
    for key, value in settings.items():
        if isinstance(value, dict) and key not in ("sets_aside", "name_starts"):
            yield from ((f"{key}.{inner}", v) for inner, v in value.items())
        else:
            yield key, value


@dataclass
class Read:
    """What tables say: raw elements by name with the fields that their tables have, and the other parts as they stand in a network file."""

    name: str = ""
    elements: dict[str, dict[str, Any]] = field(default_factory=dict)
    states: list[dict[str, Any]] | None = None
    sheets: list[dict[str, Any]] | None = None
    curves: list[dict[str, Any]] | None = None
    settings: dict[str, Any] | None = None
    entries: list[dict[str, Any]] | None = None


def read(tables: Mapping[str, Cells]) -> Read:
    """Read tables.

    Raises
    ------
    NetworkRefused
        With up to a hundred reasons, each with table, row, column, value and what is accepted.
    """
    refused: list[InputRefused] = []
    known = (*OTHERS, *OF_ELEMENTS, *KINDS)
    refused += [InputRefused("table", title, f"one of {', '.join(known)}", where="Tables") for title in tables if title not in known]
    found = Read(elements=_all_elements(tables, refused))
    for title in OF_ELEMENTS.keys() & tables.keys():
        _rows(OF_ELEMENTS[title], tables[title] or [[]], found.elements, refused)
    if tables.get("network"):
        found.name = str((_records("network", tables["network"], ("name",), refused) or [{}])[0].get("name") or "")
    if tables.get("states"):
        found.states = _states(tables["states"], refused)
    if tables.get("sheets"):
        found.sheets = _sheets(tables["sheets"], refused)
    if tables.get("curves"):
        found.curves = _curves(tables["curves"], refused)
    if tables.get("settings"):
        found.settings = _settings(tables["settings"], refused)
    if tables.get("own entries"):
        records = _records("own entries", tables["own entries"], ("name", "kind"), refused)
        found.entries = [{**{k: str(r.get(k) or "") for k in ENTRY_HEAD[:-1]}, "values": _value(r.get("values"), "own entries", n, refused) or {}}
                         for n, r in enumerate(records, 2)]  # fmt: skip
    if refused:
        raise NetworkRefused(refused[:MOST_REASONS])
    return found


def _all_elements(tables: Mapping[str, Cells], refused: list[InputRefused]) -> dict[str, dict[str, Any]]:
    """The elements of all kinds by name, in the order of their numbers."""
    order = [one for title, cells in tables.items() if cells and title in KINDS for one in _elements(title, cells, refused)]
    elements: dict[str, dict[str, Any]] = {}
    for number, raw in sorted(order, key=lambda one: one[0]):
        if raw["name"] in elements:
            refused.append(InputRefused("name", raw["name"], "a name that no other element has", where=f"Table {raw['kind']}, no {number:g}"))
        elements[raw["name"]] = raw
    if len(order) > MOST_ELEMENTS:
        refused.append(InputRefused("elements", len(order), f"at most {MOST_ELEMENTS}", where="Tables"))
    return elements


def network_of(tables: Mapping[str, Cells]) -> Network:
    """A whole network from its tables, by the rules of the network file."""
    found = read(tables)
    data = {
        "format": northfell_json.FORMAT, "format_version": northfell_json.FORMAT_VERSION, "name": found.name or "Unnamed network",
        "settings": found.settings or {}, "elements": list(found.elements.values()), "states": found.states or [], "sheets": found.sheets or [],
        "catalogue": found.entries or [], "curves": found.curves or [],
    }  # fmt: skip
    return northfell_json.read(json.dumps(data))


def _elements(kind: str, cells: Cells, refused: list[InputRefused]) -> Iterator[tuple[float, dict[str, Any]]]:
    """The rows of a kind's table with their numbers."""
    declared = {p.name: p for p in _columns(KINDS[kind])}
    columns: list[tuple[str, Parameter | None, float] | None] = []
    for cell in cells[0]:
        columns.append(_column(kind, str(cell or "").strip(), declared, refused))
    if not any(c and c[0] == "name" for c in columns):
        refused.append(InputRefused("head", ", ".join(str(c) for c in cells[0])[:80], "a column “name”", where=f"Table {kind}"))
        return
    for n, row in enumerate(cells[1:], 2):
        if all(cell is None or cell == "" for cell in row):
            continue
        raw: dict[str, Any] = {"kind": kind}
        number = float(n)
        for column, cell in zip(columns, row, strict=False):
            if column is None:
                continue
            name, p, factor = column
            where = f"Table {kind}, row {n}"
            if name == "no":
                number = _number_text(cell, n)
            elif p is None:
                raw[name] = ("" if name == "catalogue" else {}) if cell in (None, "") else str(cell) if name == "catalogue" else _value(cell, kind, n, refused)
            else:
                try:
                    raw[name] = _cell(p, cell, factor)
                except InputRefused as error:
                    refused.append(error.at(where))
        if not isinstance(raw.get("name"), str) or not raw["name"]:
            refused.append(InputRefused("name", raw.get("name"), "a name", where=f"Table {kind}, row {n}"))
            continue
        yield number, raw


def _rows(p: Parameter, cells: Cells, elements: dict[str, dict[str, Any]], refused: list[InputRefused]) -> None:
    """The rows of the tables of elements, put to them; what has none in a table that is there has no rows."""
    declared = {c.name: c for c in p.columns}
    head = [str(cell or "").strip() for cell in cells[0]]
    if "element" not in head:
        refused.append(InputRefused("head", ", ".join(head)[:80], "a column “element”", where=f"Table {p.name}"))
        return
    columns = [None if title == "element" else _column(p.name, title, declared, refused) for title in head]
    for raw in elements.values():
        if any(one.name == p.name for one in parameters_of(KINDS[raw["kind"]])):
            raw[p.name] = []
    for n, row in enumerate(cells[1:], 2):
        if all(cell is None or cell == "" for cell in row):
            continue
        where, name = f"Table {p.name}, row {n}", str(dict(zip(head, row, strict=False)).get("element") or "")
        if p.name not in elements.get(name, ()):
            refused.append(InputRefused("element", name, f"the name of an element of these tables that has {p.label.lower()}", where=where))
            continue
        made: dict[str, Any] = {}
        for column, cell in zip(columns, row, strict=False):
            if column is not None and column[1] is not None:
                try:
                    made[column[0]] = _cell(column[1], cell, column[2])
                except InputRefused as error:
                    refused.append(error.at(where))
        elements[name][p.name].append(made)


def _number_text(cell: Any, otherwise: int) -> float:
    try:
        number = float(cell)
    except (TypeError, ValueError, OverflowError):
        return float(otherwise)
    return number if math.isfinite(number) else float(otherwise)


def _column(kind: str, head: str, declared: Mapping[str, Parameter], refused: list[InputRefused]) -> tuple[str, Parameter | None, float] | None:
    """Name, parameter and factor to its unit of one column; None for an empty head."""
    name, _, rest = head.partition("[")
    name, unit = name.strip(), rest.rstrip("] ").strip()
    if not head:
        return None
    if name == "no" or name in RECORDS:
        return name, None, 1.0
    p = declared.get(name)
    if p is None:
        refused.append(InputRefused("column", head[:60], f"one of {', '.join(declared)}", where=f"Table {kind}"))
        return None
    known = canonical_unit(unit) if unit else p.unit
    if known == p.unit:
        return name, p, 1.0
    if known is None or QUANTITY_OF.get(known) != QUANTITY_OF.get(p.unit):
        refused.append(InputRefused(name, f"[{unit}]", f"[{p.unit}] or another unit of the same quantity", where=f"Table {kind}"))
        return None
    quantity = UNITS[QUANTITY_OF[known]]
    return name, p, quantity[known] / quantity[p.unit]


def _cell(p: Parameter, cell: Any, factor: float) -> Any:
    """The value of one cell.

    Raises
    ------
    InputRefused
        If it is none for the parameter; ranges are for the model to check.
    """
    if isinstance(cell, str):
        cell = cell.strip() if p.name != "note" else cell
    if cell is None or cell == "":
        return "" if p.form == "text" else p.default if not p.optional else None
    if p.form in ("number", "whole number") or (p.form == "choice" and all(isinstance(c, int | float) for c in p.choices)):
        if isinstance(cell, bool) or not isinstance(cell, int | float | str) or (isinstance(cell, int) and abs(cell) > 10**300):
            raise InputRefused(p.name, cell, p.accepted)
        value = parse_quantity(cell, p.unit, p.name) if isinstance(cell, str) else float(cell)
        if not math.isfinite(value):
            raise InputRefused(p.name, cell, p.accepted)
        value = float(f"{value * factor:.15g}") if factor != 1 else value
        return int(value) if value.is_integer() and (p.form == "whole number" or (p.form == "choice" and isinstance(p.choices[0], int))) else value
    if p.form == "yes or no":
        said = {"true": True, "yes": True, "false": False, "no": False}
        if isinstance(cell, bool) or str(cell).lower() in said:
            return cell if isinstance(cell, bool) else said[str(cell).lower()]
        raise InputRefused(p.name, cell, "yes or no")
    return str(int(cell)) if isinstance(cell, float) and cell.is_integer() else str(cell)


def _records(title: str, cells: Cells, needed: Sequence[str], refused: list[InputRefused]) -> list[dict[str, Any]]:
    """The rows of a table as dictionaries by its head."""
    head = [str(c or "").strip() for c in cells[0]]
    lacking = [n for n in needed if n not in head]
    if lacking:
        refused.append(InputRefused("head", ", ".join(head)[:80], f"columns {', '.join(needed)}", where=f"Table {title}"))
        return []
    rows = ({**dict.fromkeys(head), **dict(zip(head, row, strict=False))} for row in cells[1:])
    return [r for r in rows if any(v not in (None, "") for v in r.values())]


def _value(cell: Any, title: str, n: int, refused: list[InputRefused]) -> Any:
    """A value kept as JSON text."""
    if cell in (None, ""):
        return None
    try:
        value = json.loads(cell) if isinstance(cell, str) else cell
        json.dumps(value)  # a date of a workbook is no value of ours
    except (ValueError, RecursionError, TypeError):
        refused.append(InputRefused("value", str(cell)[:60], "JSON text: a number, true, false, or text in double quotes", where=f"Table {title}, row {n}"))
        return None
    if isinstance(value, float) and not math.isfinite(value):
        refused.append(InputRefused("value", str(cell)[:60], "a finite number", where=f"Table {title}, row {n}"))
        return None
    return value


def _states(cells: Cells, refused: list[InputRefused]) -> list[dict[str, Any]]:
    states: dict[str, dict[str, Any]] = {}
    for n, r in enumerate(_records("states", cells, STATE_HEAD, refused), 2):
        state = states.setdefault(str(r["state"]), {"name": str(r["state"]), "differences": {}})
        key = str(r["field"] or "")
        if not key:
            continue
        value = _value(r["value"], "states", n, refused)
        if r["element"] in (None, ""):
            state[key] = value
        else:
            state["differences"].setdefault(str(r["element"]), {})[key] = value
    return list(states.values())


def _sheets(cells: Cells, refused: list[InputRefused]) -> list[dict[str, Any]]:
    sheets: dict[str, dict[str, Any]] = {}
    for n, r in enumerate(_records("sheets", cells, ("sheet", "element", "x", "y"), refused), 2):
        sheet = sheets.setdefault(str(r["sheet"]), {"name": str(r["sheet"]), "placements": {}})
        if r["element"] in (None, ""):
            continue
        place: dict[str, Any] = {}
        for key, info in Placement.model_fields.items():
            cell = r.get(key)
            if cell in (None, ""):
                continue
            said = {"true": True, "false": False, "yes": True, "no": False}.get(str(cell).lower())
            if info.annotation is bool:
                place[key] = said if said is not None else cell
            else:
                number = _number_text(cell, -(10**9))
                whole = info.annotation is int
                if number == -(10**9) or not math.isfinite(number) or (whole and not number.is_integer()):
                    refused.append(InputRefused(key, str(cell)[:40], "a whole number" if whole else "a number", where=f"Table sheets, row {n}"))
                else:
                    place[key] = int(number) if whole else number
        sheet["placements"][str(r["element"])] = place
    return list(sheets.values())


def _name_at(kept: KeptCurves, device: str) -> tuple[float | None, float | None]:
    """Where the name of a device stands on a sheet, where it was moved."""
    return next(((m.x, m.y) for m in kept.moved if m.device == device), (None, None))


def _curves(cells: Cells, refused: list[InputRefused]) -> list[dict[str, Any]]:
    """Sheets of curves: a row for each device, of which the first says the rest."""
    sheets: dict[str, dict[str, Any]] = {}
    for n, r in enumerate(_records("curves", cells, ("curves", "device"), refused), 2):
        own, fault = str(r.get("own_amperes") or "").lower() in ("true", "yes", "1"), str(r.get("fault") or "3ph")
        sheet = sheets.setdefault(str(r["curves"]), {"name": str(r["curves"]), "devices": [], "fault": fault, "v_ref_kv": None, "own_amperes": own})
        if r.get("v_ref_kv") not in (None, ""):
            sheet["v_ref_kv"] = _number_text(r["v_ref_kv"], -1)
            if sheet["v_ref_kv"] <= 0:
                refused.append(InputRefused("v_ref_kv", str(r["v_ref_kv"])[:40], "a number above 0", where=f"Table curves, row {n}"))
        if r["device"] not in (None, ""):
            sheet["devices"].append(str(r["device"]))
            at = [_number_text(r[part], -1) if r.get(part) not in (None, "") else None for part in ("name_x", "name_y")]
            if None not in at:
                sheet.setdefault("moved", []).append({"device": str(r["device"]), "x": at[0], "y": at[1]})
    return list(sheets.values())


def _settings(cells: Cells, refused: list[InputRefused]) -> dict[str, Any]:
    settings: dict[str, Any] = {}
    for n, r in enumerate(_records("settings", cells, ("setting", "value"), refused), 2):
        group, _, inner = str(r["setting"]).rpartition(".")
        value = _value(r["value"], "settings", n, refused)
        holder = settings.setdefault(group, {}) if group else settings
        if not isinstance(holder, dict):
            refused.append(InputRefused("setting", str(r["setting"])[:60], f"settings of {group}, or {group} as a whole", where=f"Table settings, row {n}"))
        else:
            holder[inner] = value
    return settings
