"""Who may sign in where the application is served to others, and the key that signs their sessions."""

import secrets
from dataclasses import dataclass
from datetime import UTC, datetime
from sqlite3 import Connection

from northfell.core.errors import NotFound


@dataclass(frozen=True, slots=True)
class Person:
    """Who may sign in, and what for."""

    name: str
    role: str  # edits or reads
    password: str  # an argon2id digest
    since: str


COLUMNS = "name, role, password, since"


def all_people(db: Connection) -> list[Person]:
    return [Person(**dict(row)) for row in db.execute(f"SELECT {COLUMNS} FROM person ORDER BY name")]


def find(db: Connection, name: str) -> Person | None:
    row = db.execute(f"SELECT {COLUMNS} FROM person WHERE name = ?", (name,)).fetchone()
    return Person(**dict(row)) if row else None


def put(db: Connection, name: str, role: str, password: str) -> None:
    """Add a person, or give one another role and password; sessions that stand are over then."""
    db.execute(f"INSERT OR REPLACE INTO person ({COLUMNS}) VALUES (?, ?, ?, ?)", (name, role, password, datetime.now(UTC).isoformat()))


def remove(db: Connection, name: str) -> None:
    if db.execute("DELETE FROM person WHERE name = ?", (name,)).rowcount == 0:
        raise NotFound(f"Nobody is called “{name}” here.")


def signing_key(db: Connection) -> str:
    """The key that signs sessions, made when it is first asked for."""
    db.execute("INSERT OR IGNORE INTO kept (key, value) VALUES ('signing key', ?)", (secrets.token_urlsafe(48),))
    return str(db.execute("SELECT value FROM kept WHERE key = 'signing key'").fetchone()["value"])
