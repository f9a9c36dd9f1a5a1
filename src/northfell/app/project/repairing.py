"""A project of which something cannot be read: what its history still knows of it, and a repaired copy beside the original."""

from contextlib import suppress
from dataclasses import dataclass
from sqlite3 import Connection
from typing import Any

from pydantic import ValidationError

from northfell.app.project.projects import create_project
from northfell.core.errors import NetworkRefused
from northfell.core.model.changes import Add, Attach, Connect, PutRow, Remove, Set, Switch
from northfell.core.model.declare.rows import with_row
from northfell.core.model.elements import Element
from northfell.core.model.network import NORMAL, check_network, element_from, references_of
from northfell.store import history, projects


@dataclass(frozen=True)
class Repaired:
    """The copy, and what became of each thing that could not be read."""

    project_id: int
    told: tuple[str, ...]


def repair(db: Connection, project_id: int) -> Repaired:
    """A copy that can be read: elements as the history knows them, what it does not know left out with what hangs on it. The original stays."""
    row = projects.project(db, project_id)
    network, faults = projects.readable_of(db, project_id)
    told = []
    elements = dict(network.elements)
    for what, named, why in faults:
        element = _from_history(db, project_id, row.head, named) if what == "Element" else None
        if element is not None:
            elements[named] = element
            told.append(f"{what} {named} stands again as the history knows it.")
        elif what == "Settings":
            told.append(f"The settings could not be read ({why}): they stand at their defaults.")
        else:
            told.append(f"{what} {named} is left out: {why}.")
    told += _dropping(elements)
    kept = network.model_copy(
        update={
            "name": f"{network.name[:70]} repaired",
            "elements": elements,
            "states": [s.model_copy(update={"differences": {i: v for i, v in s.differences.items() if i in elements}}) for s in network.states],
            "sheets": [s.model_copy(update={"placements": {i: p for i, p in s.placements.items() if i in elements}}) for s in network.sheets],
            "curves": [c.model_copy(update={"devices": [d for d in c.devices if d in elements]}) for c in network.curves],
            "proposals": [],
        }
    )
    if network.proposals:
        told.append("Proposals are left out: they rest on what could not be read.")
    check_network(kept)
    return Repaired(create_project(db, kept, row.folder), tuple(told))


def _from_history(db: Connection, project_id: int, head: int, element_id: str) -> Element | None:
    """An element as the changes in force made it; None where it came before them."""
    raw: dict[str, Any] | None = None
    for one in history.whole(db, project_id):
        if one.seq > head or element_id not in one.acts:
            continue
        try:
            acts = one.change.acts
        except ValidationError:
            continue
        for act in acts:
            raw = _after(raw, act, element_id)
    if raw is None:
        return None
    try:
        return element_from(raw)
    except NetworkRefused:
        return None


def _after(raw: dict[str, Any] | None, act: Any, element_id: str) -> dict[str, Any] | None:
    if isinstance(act, Add) and act.element.get("id") == element_id:
        return dict(act.element)
    if raw is None or getattr(act, "id", None) != element_id:
        return raw
    if isinstance(act, Remove):
        return None
    if isinstance(act, Set) or (isinstance(act, Switch) and act.state == NORMAL):
        marks = {part: {k: v for k, v in raw.get(part, {}).items() if k not in act.values} | getattr(act, part, {}) for part in ("assumed", "origins")}
        return {**raw, **act.values, **marks}
    if isinstance(act, PutRow):
        with suppress(IndexError):
            return {**raw, act.field: with_row(raw.get(act.field, []), act.at, act.to, act.new)}
        return raw
    if isinstance(act, Connect):
        return {**raw, act.terminal: act.bus}
    return {**raw, "documents": [d.model_dump() for d in act.documents]} if isinstance(act, Attach) else raw


def _dropping(elements: dict[str, Element]) -> list[str]:
    """Leave out what refers to what is not there; where it need not refer to anything, it goes on without."""
    told = []
    loose = True
    while loose:
        loose = False
        for i, e in list(elements.items()):
            for p in references_of(type(e)):
                target = getattr(e, p.name)
                if target is None or target in elements:
                    continue
                loose = True
                if p.optional:
                    elements[i] = e = e.model_copy(update={p.name: None})
                    told.append(f"{e.TITLE} {e.name}: {p.label.lower()} is empty now; {target} is not there.")
                else:
                    del elements[i]
                    told.append(f"{e.TITLE} {e.name} is left out: {target}, to which it belongs, is not there.")
                    break
    return told
