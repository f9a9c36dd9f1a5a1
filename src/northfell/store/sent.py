"""What protective devices were sent last: a record of what was done, not a part of the network."""

import json
from dataclasses import dataclass
from datetime import UTC, datetime
from sqlite3 import Connection

Told = dict[str, float | str]  # by what is set


@dataclass(frozen=True, slots=True)
class Sent:
    """The settings that a device was sent, and gave back."""

    device: str
    sent_at: str
    sent_by: str
    told: Told


def put(db: Connection, project_id: int, device: str, who: str, told: Told) -> None:
    """Keep what a device was sent in the place of what it was sent before."""
    at = datetime.now(UTC).isoformat(timespec="seconds")
    sql = "INSERT OR REPLACE INTO sent_settings (project_id, device, sent_at, sent_by, told) VALUES (?, ?, ?, ?, ?)"
    db.execute(sql, (project_id, device, at, who, json.dumps(told)))


def of_project(db: Connection, project_id: int) -> dict[str, Sent]:
    """By device."""
    rows = db.execute("SELECT device, sent_at, sent_by, told FROM sent_settings WHERE project_id = ?", (project_id,))
    return {row["device"]: Sent(row["device"], row["sent_at"], row["sent_by"], json.loads(row["told"])) for row in rows}
