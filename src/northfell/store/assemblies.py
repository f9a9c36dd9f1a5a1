"""Assemblies of engineers in the database. Each function takes the connection; the caller owns the transaction."""

from dataclasses import dataclass
from sqlite3 import Connection

from northfell.core.errors import NotFound


@dataclass(frozen=True, slots=True)
class AssemblyRow:
    """An assembly of one's own, as it is kept."""

    id: int
    name: str
    body: str


def all_assemblies(db: Connection) -> list[AssemblyRow]:
    return [AssemblyRow(**dict(row)) for row in db.execute("SELECT id, name, body FROM assembly ORDER BY name")]


def assembly(db: Connection, assembly_id: int) -> AssemblyRow:
    row = db.execute("SELECT id, name, body FROM assembly WHERE id = ?", (assembly_id,)).fetchone()
    if row is None:
        raise NotFound("There is no such assembly (any more).")
    return AssemblyRow(**dict(row))


def put_assembly(db: Connection, name: str, body: str) -> None:
    """Store an assembly; one of the same name is replaced."""
    db.execute("INSERT INTO assembly (name, body) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET body = excluded.body", (name, body))


def remove_assembly(db: Connection, assembly_id: int) -> None:
    db.execute("DELETE FROM assembly WHERE id = ?", (assembly_id,))
