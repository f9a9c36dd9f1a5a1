"""Projects and their networks in the database. Each function takes the connection; the caller owns the transaction."""

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from sqlite3 import Connection
from typing import Any

from pydantic import BaseModel, ValidationError

from northfell.core.errors import NotFound, StaleVersion, Unreadable
from northfell.core.model.elements import ELEMENT
from northfell.core.model.kept_beside import Acknowledged, KeptCurves, Proposal, ProposedChange
from northfell.core.model.network import Network, OperatingState, OwnEntry, Sheet
from northfell.core.model.settings import ProjectSettings


@dataclass(frozen=True, slots=True)
class ProjectRow:
    """What is kept of a project beside its changes."""

    id: int
    name: str
    version: int
    head: int
    changed_at: str
    folder: str
    archived: int
    deleted: int


COLUMNS = "id, name, version, head, changed_at, folder, archived, deleted"


def all_projects(db: Connection) -> list[ProjectRow]:
    """Those that are not deleted, newest change first."""
    rows = db.execute(f"SELECT {COLUMNS} FROM project WHERE deleted = 0 ORDER BY changed_at DESC, id DESC")
    return [ProjectRow(**dict(row)) for row in rows]


def put_aside(db: Connection, project_id: int, *, name: str, folder: str, archived: bool, deleted: bool) -> None:
    """Name, folder, archive and deletion of a project: what the list of projects changes."""
    sql = "UPDATE project SET name = ?, folder = ?, archived = ?, deleted = ?, deleted_at = iif(?, coalesce(deleted_at, ?), NULL) WHERE id = ?"
    db.execute(sql, (name, folder, int(archived), int(deleted), int(deleted), _now(), project_id))


def deleted_projects(db: Connection) -> list[ProjectRow]:
    """Those that were deleted and can still be brought back, the last first."""
    rows = db.execute(f"SELECT {COLUMNS} FROM project WHERE deleted = 1 ORDER BY deleted_at DESC, id DESC")
    return [ProjectRow(**dict(row)) for row in rows]


def erase(db: Connection, project_id: int) -> None:
    """Take a deleted project away for good, with its history and documents."""
    if db.execute("DELETE FROM project WHERE id = ? AND deleted = 1", (project_id,)).rowcount == 0:
        raise NotFound(f"There is no deleted project {project_id} (any more).")


def purge(db: Connection, before: str) -> int:
    """Take away for good what was deleted before a time; returns how many."""
    return db.execute("DELETE FROM project WHERE deleted = 1 AND deleted_at < ?", (before,)).rowcount


def project(db: Connection, project_id: int) -> ProjectRow:
    row = db.execute(f"SELECT {COLUMNS} FROM project WHERE id = ?", (project_id,)).fetchone()
    if row is None:
        raise NotFound(f"There is no project {project_id} (any more).")
    return ProjectRow(**dict(row))


def insert_project(db: Connection, network: Network, folder: str = "", head: int = 0) -> int:
    """A new project that holds a network."""
    values = (network.name, network.settings.model_dump_json(), _now(), folder, head)
    cursor = db.execute("INSERT INTO project (name, settings, changed_at, folder, head) VALUES (?, ?, ?, ?, ?)", values)
    project_id = int(cursor.lastrowid or 0)
    write_network(db, project_id, Network(name=network.name), network)
    return project_id


def network_of(db: Connection, project_id: int) -> Network:
    """The network as it stands.

    Raises
    ------
    NotFound, Unreadable
        If there is no such project, or something of it cannot be read; nothing is left out in silence.
    """
    network, faults = readable_of(db, project_id)
    if faults:
        raise Unreadable(project_id, network.name, faults)
    return network


Fault = tuple[str, str, str]  # what cannot be read, its name or id, and why


def readable_of(db: Connection, project_id: int) -> tuple[Network, list[Fault]]:
    """What can be read of a network, and what cannot."""
    head = db.execute("SELECT name, settings FROM project WHERE id = ?", (project_id,)).fetchone()
    if head is None:
        raise NotFound(f"There is no project {project_id} (any more).")
    faults: list[Fault] = []

    def read(what: str, named: str, make: Callable[[str], Any], body: str) -> Any:
        try:
            return make(body)
        except ValidationError as error:
            one = error.errors(include_url=False, include_input=False)[0]
            faults.append((what, named, f"{'.'.join(map(str, one['loc']))} {one['msg'].lower()}".strip()[:200]))
            return None

    def listed(what: str, table: str, make: Callable[[str], Any]) -> list[Any]:
        found = (read(what, f"no. {n}", make, row["body"]) for n, row in enumerate(_bodies(db, table, project_id), 1))
        return [one for one in found if one is not None]

    bodies = db.execute("SELECT id, body FROM element WHERE project_id = ? ORDER BY position", (project_id,))
    elements = {row["id"]: read("Element", row["id"], ELEMENT.validate_json, row["body"]) for row in bodies}
    proposed: dict[str, list[ProposedChange]] = {}
    for row in db.execute("SELECT proposal, body FROM proposed_change WHERE project_id = ? ORDER BY proposal, position", (project_id,)):
        if (one := read("Change of proposal", row["proposal"], ProposedChange.model_validate_json, row["body"])) is not None:
            proposed.setdefault(row["proposal"], []).append(one)
    proposals = listed("Proposal", "proposal", Proposal.model_validate_json)
    network = Network.model_construct(
        name=head["name"],
        elements={i: e for i, e in elements.items() if e is not None},
        states=listed("State", "operating_state", OperatingState.model_validate_json),
        sheets=listed("Sheet", "sheet", Sheet.model_validate_json),
        settings=read("Settings", "of the project", ProjectSettings.model_validate_json, head["settings"]) or ProjectSettings(),
        entries=listed("Catalogue entry", "own_entry", OwnEntry.model_validate_json),
        proposals=[p.model_copy(update={"changes": proposed.get(p.name, [])}) for p in proposals],
        acknowledged=listed("Acknowledged finding", "acknowledged", Acknowledged.model_validate_json),
        curves=listed("Sheet of curves", "kept_curves", KeptCurves.model_validate_json),
    )
    return network, faults


def as_it_stands(db: Connection, project_id: int) -> dict[str, Any]:
    """Everything kept of a project, unread: for whoever must repair it by hand."""
    tables = ("element", "operating_state", "sheet", "own_entry", "proposal", "proposed_change", "acknowledged", "kept_curves", "change")
    told: dict[str, Any] = {"project": dict(db.execute("SELECT * FROM project WHERE id = ?", (project_id,)).fetchone() or {})}
    for table in tables:
        told[table] = [dict(row) for row in db.execute(f"SELECT * FROM {table} WHERE project_id = ?", (project_id,))]
    return told


def write_network(db: Connection, project_id: int, old: Network, new: Network) -> None:
    """Write what differs between two networks; elements that are the same object are not touched."""
    gone = [(project_id, element_id) for element_id in old.elements if element_id not in new.elements]
    db.executemany("DELETE FROM element WHERE project_id = ? AND id = ?", gone)
    changed = [(e.model_dump_json(), project_id, e.id) for e in new.elements.values() if e.id in old.elements and old.elements[e.id] is not e]
    db.executemany("UPDATE element SET body = ? WHERE project_id = ? AND id = ?", changed)
    _insert_elements(db, project_id, old, new)
    for table, before, after in (
        ("operating_state", old.states, new.states), ("sheet", old.sheets, new.sheets), ("own_entry", old.entries, new.entries),
        ("acknowledged", old.acknowledged, new.acknowledged), ("kept_curves", old.curves, new.curves),
    ):  # fmt: skip
        _write_list(db, table, project_id, before, after)
    if old.proposals is not new.proposals:
        _write_list(db, "proposal", project_id, old.proposals, new.proposals, frozenset({"changes"}))
        _write_proposed(db, project_id, {p.name: p for p in old.proposals}, {p.name: p for p in new.proposals})
    if old.settings != new.settings:
        db.execute("UPDATE project SET settings = ? WHERE id = ?", (new.settings.model_dump_json(), project_id))


def _insert_elements(db: Connection, project_id: int, old: Network, new: Network) -> None:
    """New elements, each at a position between its neighbours."""
    if new.elements.keys() <= old.elements.keys():
        return
    known = dict(db.execute("SELECT id, position FROM element WHERE project_id = ?", (project_id,)).fetchall()) if old.elements else {}
    ids = list(new.elements)
    last = max(known.values(), default=0.0)
    before = 0.0
    for at, element_id in enumerate(ids):
        if element_id in known:
            before = known[element_id]
            continue
        after = next((known[i] for i in ids[at + 1 :] if i in known), None) if before < last else None
        before = (before + after) / 2 if after is not None else max(before, last) + 1
        last = max(last, before)
        values = (project_id, element_id, before, new.elements[element_id].model_dump_json())
        db.execute("INSERT INTO element (project_id, id, position, body) VALUES (?, ?, ?, ?)", values)


def _bodies(db: Connection, table: str, project_id: int) -> list[Any]:
    return db.execute(f"SELECT body FROM {table} WHERE project_id = ? ORDER BY position", (project_id,)).fetchall()


def _write_list(db: Connection, table: str, project_id: int, old: Sequence[BaseModel], new: Sequence[BaseModel], less: frozenset[str] = frozenset()) -> None:
    """Write the items of a list that differ, by their places; `less` names the parts that stand elsewhere."""
    rows = [(project_id, i, one.model_dump_json(exclude=set(less))) for i, one in enumerate(new) if i >= len(old) or old[i] is not one]
    db.executemany(f"INSERT OR REPLACE INTO {table} (project_id, position, body) VALUES (?, ?, ?)", rows)
    if len(new) < len(old):
        db.execute(f"DELETE FROM {table} WHERE project_id = ? AND position >= ?", (project_id, len(new)))


def _write_proposed(db: Connection, project_id: int, old: Mapping[str, Proposal], new: Mapping[str, Proposal]) -> None:
    """Write the changes of proposals that differ; one more at the end is one row."""
    for name in old.keys() | new.keys():
        before = old[name].changes if name in old else []
        after = new[name].changes if name in new else []
        same = next((i for i, (a, b) in enumerate(zip(before, after, strict=False)) if a is not b), min(len(before), len(after)))
        if same < len(before):
            db.execute("DELETE FROM proposed_change WHERE project_id = ? AND proposal = ? AND position >= ?", (project_id, name, same))
        rows = [(project_id, name, i, after[i].model_dump_json()) for i in range(same, len(after))]
        db.executemany("INSERT INTO proposed_change (project_id, proposal, position, body) VALUES (?, ?, ?, ?)", rows)


def advance(db: Connection, project_id: int, version: int, head: int) -> None:
    """Count the version up and set the head of history.

    Raises
    ------
    StaleVersion
        If the project is no longer at `version`.
    """
    sql = "UPDATE project SET version = version + 1, head = ?, changed_at = ? WHERE id = ? AND version = ?"
    if db.execute(sql, (head, _now(), project_id, version)).rowcount == 0:
        raise StaleVersion("The project was changed meanwhile. Look at it again, then repeat the change.")


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def element_counts(db: Connection) -> dict[int, int]:
    """How many elements each project has."""
    return {row[0]: row[1] for row in db.execute("SELECT project_id, count(*) FROM element GROUP BY project_id")}


@dataclass(frozen=True, slots=True)
class Listed:
    """What the list shows of a project: the counts of its findings and its picture, each with the version it belongs to."""

    version: int = 0
    counts: dict[str, int] | None = None
    picture_version: int = 0
    picture: dict[str, Any] | None = None


def listed(db: Connection) -> dict[int, Listed]:
    """What is kept for the list of projects."""
    rows = db.execute("SELECT project_id, version, counts, picture_version, picture FROM listed")
    return {
        r["project_id"]: Listed(
            r["version"], json.loads(r["counts"]) if r["counts"] else None, r["picture_version"], json.loads(r["picture"]) if r["picture"] else None
        )
        for r in rows
    }


def keep_counts(db: Connection, project_id: int, version: int, counts: Mapping[str, int]) -> None:
    """Keep how many findings a version of a project has."""
    db.execute(
        "INSERT INTO listed (project_id, version, counts) VALUES (?, ?, ?) "
        "ON CONFLICT (project_id) DO UPDATE SET version = excluded.version, counts = excluded.counts WHERE excluded.version >= listed.version",
        (project_id, version, json.dumps(dict(counts))),
    )


def keep_picture(db: Connection, project_id: int, version: int, picture: Mapping[str, Any]) -> None:
    """Keep the picture of a version of a project."""
    db.execute(
        "INSERT INTO listed (project_id, version, picture_version, picture) VALUES (?, 0, ?, ?) "
        "ON CONFLICT (project_id) DO UPDATE SET picture_version = excluded.picture_version, picture = excluded.picture",
        (project_id, version, json.dumps(picture)),
    )
