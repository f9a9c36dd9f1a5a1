"""The table of one kind: many cells changed at once, what is refused told cell by cell and the rest kept. One paste is one change."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from northfell.app.data.columns import Head, cells_of, head_of, read_cell
from northfell.app.data.edits import follows
from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.changes import Add, Change, Set, apply_change
from northfell.core.model.declare.parameters import SECTIONS, Parameter, parameter, parameters_of
from northfell.core.model.declare.rows import plain
from northfell.core.model.elements import KINDS, Element
from northfell.core.model.naming import Names
from northfell.core.model.network import Network, element_from, title_of
from northfell.core.model.settings import study_keys
from northfell.core.model.showing import text_shown
from northfell.core.rules.completeness import missing_of

Cell = tuple[str, str]  # element id (or the name of a new one) and field
HIDDEN = ("label",)


@dataclass
class Tabled:
    """What a set of cells becomes: the change, and why some cells were refused."""

    change: Change
    errors: dict[Cell, str] = field(default_factory=dict)
    typed: dict[Cell, str] = field(default_factory=dict)  # what was typed into the refused cells
    messages: list[str] = field(default_factory=list)


def columns_of(kind: str) -> tuple[Parameter, ...]:
    """The columns of a kind's table: its name, what it joins, its nameplate, then the rest."""
    if kind not in KINDS:
        raise NotFound(f"There is no kind “{kind}”. Accepted are {', '.join(KINDS)}.")
    found = [p for p in parameters_of(KINDS[kind]) if p.form != "record" and p.name not in HIDDEN]
    return tuple(sorted(found, key=lambda p: (p.name != "name", p.section != "Connection", SECTIONS.index(p.section))))


def shown(network: Network, element: Element, p: Parameter) -> str:
    """A cell's text, as it could be typed."""
    value = getattr(element, p.name)
    if p.form == "reference":
        return network.elements[value].name if value in network.elements else ""
    if p.form == "yes or no":
        return "yes" if value else "no"
    return text_shown(p, value, network.settings.units)


def row_of(network: Network, element: Element, columns: Sequence[Parameter]) -> dict[str, Any]:
    """A row for the screen: texts, and a mark for each cell: ~ assumed, ! missing, - not acting."""
    lacking = {m.parameter.name for study in study_keys() for m in missing_of(network.elements, element, study)}
    marks = "".join(
        "!" if p.name in lacking else "~" if p.name in element.assumed else " " if p.acts(element.__dict__) else "-" for p in columns
    )  # fmt: skip
    return {"id": element.id, "cells": [shown(network, element, p) for p in columns], "marks": marks, "locked": element.locked}


def set_cells(network: Network, kind: str, cells: Iterable[tuple[str, Head, str]], title: str) -> Tabled:
    """Set cells of a kind's table from text. A name that no element has becomes a new element if its connections are given."""
    by_row: dict[str, dict[str, tuple[Head, str]]] = {}
    for row, head, text in cells:
        by_row.setdefault(row, {})[head.p.name] = (head, text)
    made = Tabled(Change("", ()))
    acts: list[Any] = []
    names = Names(network)
    taken = {e.name: e.id for e in network.elements.values()}
    for row, given in by_row.items():
        element = network.elements.get(row)
        if element is not None and element.kind != kind:
            raise NotFound(f"{title_of(element)} is no {KINDS[kind].TITLE.lower()}.")
        where = title_of(element) if element else f"{KINDS[kind].TITLE} {row}"
        values = _values(network, given, where, row, made)
        new_name = values.get("name")
        if new_name is not None and taken.get(new_name, row) != row:
            _refuse(made, row, "name", given, f"Another element has the name {new_name}: accepted is a name that no other has.")
            values.pop("name")
        elif new_name is not None:
            taken[new_name] = row
        if element is not None:
            changed = {k: v for k, v in _accepted(element, values, given, row, made).items() if v != plain(getattr(element, k)) or k in element.assumed}
            if changed:
                acts.append(Set(id=row, values={**follows(element, "status", changed.get("status")), **changed} if "status" in changed else changed))
        elif raw := _new(kind, row, values, given, made):
            acts.append(Add(element={"id": names.new_id(raw["name"]), **raw}))
    acts = _agreeing(network, acts, by_row, made)
    if acts:
        made.change = Change(title, tuple(acts))
    return made


def _values(network: Network, given: Mapping[str, tuple[Head, str]], where: str, row: str, made: Tabled) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for name, (head, text) in given.items():
        try:
            values[name] = read_cell(network, head, text, where)
        except NetworkRefused as error:
            _refuse(made, row, name, given, str(error.refusals[0].at("")))
    return values


def _refuse(made: Tabled, row: str, name: str, given: Mapping[str, tuple[Head, str]], told: str) -> None:
    made.errors[row, name] = told
    if name in given:
        made.typed[row, name] = given[name][1]


def _accepted(element: Element, values: dict[str, Any], given: Mapping[str, tuple[Head, str]], row: str, made: Tabled) -> dict[str, Any]:
    """The values that the element takes together; each that it refuses is told."""
    for _ in range(len(values) + 1):
        try:
            if values:
                element.__class__.model_validate({**element.model_dump(), **values})
            return values
        except ValueError:
            refused = _refused_fields(element, values)
            for name, told in refused.items():
                _refuse(made, row, name, given, told)
            values = {k: v for k, v in values.items() if k not in refused}
    return values


def _refused_fields(element: Element, values: dict[str, Any]) -> dict[str, str]:
    """Which of the values an element refuses, one by one, else all of them together."""
    found: dict[str, str] = {}
    for name, value in values.items():
        try:
            element_from({**element.model_dump(), name: value})
        except NetworkRefused as error:
            found[name] = str(error.refusals[0].at(""))
    return found or dict.fromkeys(values, "These values do not go together.")


def _new(kind: str, name: str, values: dict[str, Any], given: Mapping[str, tuple[Head, str]], made: Tabled) -> dict[str, Any] | None:
    """A new element's raw data, or None where its connections are not all there."""
    cls = KINDS[kind]
    lacking = [p for p in parameters_of(cls) if cls.model_fields[p.name].is_required() and p.name not in values and p.name != "name"]
    if lacking:
        _refuse(made, name, "name", given, f"No {cls.TITLE.lower()} has this name; a new one needs {', '.join(p.label.lower() for p in lacking)}.")
        return None
    raw = {"kind": kind, **{k: v for k, v in values.items() if v is not None}, "name": values.get("name", name)}
    for _ in range(len(values) + 1):
        try:
            element_from({"id": "new", **raw})
            return raw
        except NetworkRefused as error:
            for refusal in error.refusals:
                _refuse(made, name, refusal.field, given, str(refusal.at("")))
                if refusal.field in ("name", *cls.TERMINALS):
                    return None
                raw.pop(refusal.field, None)
    return None


def _agreeing(network: Network, acts: list[Any], by_row: Mapping[str, Mapping[str, tuple[Head, str]]], made: Tabled) -> list[Any]:
    """The acts that the network takes as a whole; those of the elements that it refuses are left out and told."""
    for _ in range(20):
        try:
            if acts:
                apply_change(network, Change("", tuple(acts)))
            return acts
        except NetworkRefused as error:
            named = {refusal.where: refusal for refusal in error.refusals}
            kept = []
            for act in acts:
                row = act.id if isinstance(act, Set) else act.element["name"]
                element = network.elements.get(row)
                raw = {**(element.model_dump() if element else act.element), **(act.values if isinstance(act, Set) else {})}
                refusal = named.get(f"{KINDS[raw['kind']].TITLE} {raw['name']}")
                if refusal is None:
                    kept.append(act)
                    continue
                given = by_row.get(row, {})
                _refuse(made, row, refusal.field if refusal.field in given else next(iter(given), "name"), given, str(refusal.at("")))
                if isinstance(act, Set) and refusal.field in act.values and len(act.values) > 1:
                    kept.append(act.model_copy(update={"values": {k: v for k, v in act.values.items() if k != refusal.field}}))
            if len(kept) == len(acts) and all(a is b for a, b in zip(kept, acts, strict=True)):
                raise
            acts = kept
    return []


def pasted(network: Network, kind: str, text: str, rows: Sequence[str], fields: Sequence[str]) -> Tabled:
    """A block of text pasted at a cell: `rows` are the element ids from there down, `fields` the columns from there to the right.

    A block whose first row names columns is read by its heads; with a column of names, each row goes to the element of its name.
    """
    block = cells_of(text)
    columns = columns_of(kind)
    heads, messages = _heads(block, columns)
    at_name = next((k for k, head in enumerate(heads) if head and head.p.name == "name"), None)
    if heads:
        block = block[1:]
    else:
        heads = [Head(p) if (p := parameter(KINDS[kind], name)) else None for name in fields]
    cells: list[tuple[str, Head, str]] = []
    over = 0
    for n, line in enumerate(block):
        if at_name is not None:
            name = line[at_name].strip() if at_name < len(line) else ""
            if not name:
                continue
            row = network.id_of_name.get(name, name)
        elif n < len(rows):
            row = rows[n]
        else:
            over += 1
            continue
        for head, cell in zip(heads, line, strict=False):
            if head is not None and not (at_name is not None and head.p.name == "name" and row in network.elements):
                cells.append((row, head, cell))
    if over:
        remedy = "With a head that has a Name column, new elements are added."
        messages.append(f"{over} row{'s' if over != 1 else ''} more than the table has below the cell: not taken. {remedy}")
    wide = max((len(line) for line in block), default=0) - len(heads)
    if wide > 0:
        messages.append(f"{wide} column{'s' if wide != 1 else ''} more than the table has to the right of the cell: not taken.")
    made = set_cells(network, kind, cells, f"{KINDS[kind].TITLE} table: {len(block)} row{'s' if len(block) != 1 else ''} pasted")
    made.messages = messages
    return made


def _heads(block: list[list[str]], columns: Sequence[Parameter]) -> tuple[list[Head | None], list[str]]:
    """The columns that the first row names, and the heads that name none; no columns if it is no row of heads."""
    if not block:
        return [], []
    heads: list[Head | None] = []
    messages = []
    for cell in block[0]:
        try:
            heads.append(head_of(cell, columns))
        except InputRefused as error:
            heads.append(None)
            messages.append(str(error))
    found = sum(h is not None for h in heads) + len(messages)
    if found * 2 <= len(block[0]):
        return [], []
    none = [cell.strip() for cell, head in zip(block[0], heads, strict=True) if head is None]
    unread = [cell for cell in none if cell and not any(cell in m for m in messages)]
    if unread:
        messages.append(f"Not a column of this table: {', '.join(unread[:8])}.")
    return heads, messages
