"""Change sets in the database: what undo, redo and the history page read."""

from dataclasses import dataclass
from datetime import UTC, datetime
from sqlite3 import Connection

from northfell.core.model.changes import Change


@dataclass(frozen=True, slots=True)
class ChangeRow:
    seq: int
    title: str
    made_at: str
    acts: str
    inverse: str

    @property
    def change(self) -> Change:
        return Change.from_json(self.title, self.acts)

    @property
    def undoing(self) -> Change:
        return Change.from_json(self.title, self.inverse)


COLUMNS = "seq, title, made_at, acts, inverse"


def append(db: Connection, project_id: int, seq: int, change: Change, inverse: Change) -> None:
    """Add a change at the head; what had been undone above it can no longer be redone."""
    db.execute("DELETE FROM change WHERE project_id = ? AND seq >= ?", (project_id, seq))
    now = datetime.now(UTC).isoformat(timespec="milliseconds")
    values = (project_id, seq, change.title, now, change.to_json(), inverse.to_json())
    db.execute("INSERT INTO change (project_id, seq, title, made_at, acts, inverse) VALUES (?, ?, ?, ?, ?, ?)", values)


def change_at(db: Connection, project_id: int, seq: int) -> ChangeRow | None:
    row = db.execute(f"SELECT {COLUMNS} FROM change WHERE project_id = ? AND seq = ?", (project_id, seq)).fetchone()
    return ChangeRow(**dict(row)) if row else None


def newest(db: Connection, project_id: int, most: int = 200) -> list[ChangeRow]:
    """The newest changes first, undone ones included."""
    rows = db.execute(f"SELECT {COLUMNS} FROM change WHERE project_id = ? ORDER BY seq DESC LIMIT ?", (project_id, most))
    return [ChangeRow(**dict(row)) for row in rows]


def whole(db: Connection, project_id: int) -> list[ChangeRow]:
    """The whole history, oldest first."""
    rows = db.execute(f"SELECT {COLUMNS} FROM change WHERE project_id = ? ORDER BY seq", (project_id,))
    return [ChangeRow(**dict(row)) for row in rows]


def put_whole(db: Connection, project_id: int, changes: list[tuple[str, str, str, str]]) -> None:
    """The history of a project that comes from a file: title, time, acts and inverse of each change."""
    rows = [(project_id, seq, *change) for seq, change in enumerate(changes, start=1)]
    db.executemany("INSERT INTO change (project_id, seq, title, made_at, acts, inverse) VALUES (?, ?, ?, ?, ?, ?)", rows)
