"""What each version of a project touched, so that an edit made on an older version can be held against what happened since."""

import json
from dataclasses import dataclass
from sqlite3 import Connection

from northfell.core.model.changes.touched import Path

MOST = 2000  # versions looked back upon; an edit on an older one is refused


@dataclass(frozen=True, slots=True)
class Step:
    """What made a version out of the one before."""

    version: int
    made_by: str
    title: str
    touched: frozenset[Path]


def append(db: Connection, project_id: int, version: int, made_by: str, title: str, touched: frozenset[Path]) -> None:
    """What led to a version."""
    values = (project_id, version, made_by, title, json.dumps(sorted(touched)))
    db.execute("INSERT OR REPLACE INTO step (project_id, version, made_by, title, touched) VALUES (?, ?, ?, ?, ?)", values)
    db.execute("DELETE FROM step WHERE project_id = ? AND version <= ?", (project_id, version - MOST))


def since(db: Connection, project_id: int, version: int, now: int) -> list[Step] | None:
    """The steps after a version, oldest first; None where they are not all known any more."""
    rows = db.execute("SELECT version, made_by, title, touched FROM step WHERE project_id = ? AND version > ? ORDER BY version", (project_id, version))
    steps = [Step(r["version"], r["made_by"], r["title"], frozenset(tuple(p) for p in json.loads(r["touched"]))) for r in rows]
    return steps if len(steps) == now - version else None
