"""Links for readers: a long random token for a project, or for one element of it."""

import secrets
from dataclasses import dataclass
from datetime import UTC, datetime
from sqlite3 import Connection

from northfell.core.errors import NotFound


@dataclass(frozen=True, slots=True)
class ReaderLink:
    """A link that shows a project, or one element of it."""

    token: str
    project_id: int
    element_id: str
    made_at: str


COLUMNS = "token, project_id, element_id, made_at"


def make(db: Connection, project_id: int, element_id: str = "") -> ReaderLink:
    """A new link."""
    link = ReaderLink(secrets.token_urlsafe(32), project_id, element_id, datetime.now(UTC).isoformat(timespec="seconds"))
    db.execute(f"INSERT INTO reader_link ({COLUMNS}) VALUES (?, ?, ?, ?)", (link.token, project_id, element_id, link.made_at))
    return link


def of_token(db: Connection, token: str) -> ReaderLink:
    row = db.execute(f"SELECT {COLUMNS} FROM reader_link WHERE token = ?", (token,)).fetchone()
    if row is None:
        raise NotFound("This reader's link is not known: it may have been taken back.")
    return ReaderLink(**dict(row))


def of_project(db: Connection, project_id: int) -> list[ReaderLink]:
    rows = db.execute(f"SELECT {COLUMNS} FROM reader_link WHERE project_id = ? ORDER BY made_at", (project_id,))
    return [ReaderLink(**dict(row)) for row in rows]


def take_back(db: Connection, project_id: int, token: str) -> None:
    db.execute("DELETE FROM reader_link WHERE project_id = ? AND token = ?", (project_id, token))
