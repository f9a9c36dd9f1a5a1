"""Change sets in the database: what undo, redo and the history page read."""

from dataclasses import dataclass
from datetime import UTC, datetime
from sqlite3 import Connection

from northfell.core.model.changes import Change


@dataclass(frozen=True, slots=True)
class ChangeRow:
    """A change with its inverse, as it is kept."""

    seq: int
    title: str
    made_at: str
    made_by: str
    acts: str
    inverse: str

    @property
    def change(self) -> Change:
        return Change.from_json(self.title, self.acts)

    @property
    def undoing(self) -> Change:
        return Change.from_json(self.title, self.inverse)


@dataclass(frozen=True, slots=True)
class Line:
    """One change as history shows it, without its acts."""

    seq: int
    title: str
    made_at: str
    made_by: str


COLUMNS = "seq, title, made_at, made_by, acts, inverse"
LINE = "seq, title, made_at, made_by"


def append(db: Connection, project_id: int, seq: int, change: Change, inverse: Change, made_by: str = "") -> None:
    """Add a change at the head; what had been undone above it can no longer be redone."""
    db.execute("DELETE FROM change WHERE project_id = ? AND seq >= ?", (project_id, seq))
    now = datetime.now(UTC).isoformat(timespec="milliseconds")
    values = (project_id, seq, change.title, now, made_by, change.to_json(), inverse.to_json())
    db.execute(f"INSERT INTO change (project_id, {COLUMNS}) VALUES (?, ?, ?, ?, ?, ?, ?)", values)


def change_at(db: Connection, project_id: int, seq: int) -> ChangeRow | None:
    row = db.execute(f"SELECT {COLUMNS} FROM change WHERE project_id = ? AND seq = ?", (project_id, seq)).fetchone()
    return ChangeRow(**dict(row)) if row else None


def line_at(db: Connection, project_id: int, seq: int) -> Line | None:
    row = db.execute(f"SELECT {LINE} FROM change WHERE project_id = ? AND seq = ?", (project_id, seq)).fetchone()
    return Line(**dict(row)) if row else None


def newest(db: Connection, project_id: int, most: int = 200) -> list[Line]:
    """The newest changes first, undone ones included."""
    rows = db.execute(f"SELECT {LINE} FROM change WHERE project_id = ? ORDER BY seq DESC LIMIT ?", (project_id, most))
    return [Line(**dict(row)) for row in rows]


def whole(db: Connection, project_id: int) -> list[ChangeRow]:
    """The whole history, oldest first."""
    rows = db.execute(f"SELECT {COLUMNS} FROM change WHERE project_id = ? ORDER BY seq", (project_id,))
    return [ChangeRow(**dict(row)) for row in rows]


def put_whole(db: Connection, project_id: int, changes: list[tuple[str, str, str, str, str]]) -> None:
    """The history of a project that comes from a file: title, time, who, acts and inverse of each change."""
    rows = [(project_id, seq, *change) for seq, change in enumerate(changes, start=1)]
    db.executemany(f"INSERT INTO change (project_id, {COLUMNS}) VALUES (?, ?, ?, ?, ?, ?, ?)", rows)
