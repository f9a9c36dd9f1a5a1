"""Labels that were printed: a record of what hangs on the equipment, not a part of the network."""

import json
from dataclasses import dataclass
from datetime import UTC, datetime
from sqlite3 import Connection

Said = dict[str, str]  # what a label says, by what it says it of


@dataclass(frozen=True, slots=True)
class Printed:
    """A label as it was printed last."""

    printed_at: str
    printed_by: str
    job: str
    said: Said


def put(db: Connection, project_id: int, bus: str, side: str, who: str, copies: int, job: str, said: Said) -> None:
    """Keep that a label was printed; those of before stay on record."""
    at = datetime.now(UTC).isoformat(timespec="seconds")
    sql = "INSERT INTO printed_label (project_id, bus, side, printed_at, printed_by, copies, job, told) VALUES (?, ?, ?, ?, ?, ?, ?, ?)"
    db.execute(sql, (project_id, bus, side, at, who, copies, job, json.dumps(said)))


def last_of_project(db: Connection, project_id: int) -> dict[tuple[str, str], Printed]:
    """The last label of each bus and side."""
    sql = "SELECT bus, side, printed_at, printed_by, job, told FROM printed_label WHERE project_id = ? ORDER BY id"
    rows = db.execute(sql, (project_id,))
    return {(r["bus"], r["side"]): Printed(r["printed_at"], r["printed_by"], r["job"], json.loads(r["told"])) for r in rows}
