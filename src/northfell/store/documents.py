"""Contents of attached documents, by project and digest."""

import hashlib
from sqlite3 import Connection

from northfell.core.errors import NotFound


def digest_of(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()


def put(db: Connection, project_id: int, content: bytes) -> str:
    """Keep a content; returns its digest. The same content is kept once."""
    digest = digest_of(content)
    db.execute("INSERT OR IGNORE INTO document (project_id, sha256, content) VALUES (?, ?, ?)", (project_id, digest, content))
    return digest


def content(db: Connection, project_id: int, digest: str) -> bytes:
    row = db.execute("SELECT content FROM document WHERE project_id = ? AND sha256 = ?", (project_id, digest)).fetchone()
    if row is None:
        raise NotFound("The content of this document is not in the project.")
    return bytes(row["content"])


def whole(db: Connection, project_id: int) -> dict[str, bytes]:
    """All contents of a project."""
    return {row["sha256"]: bytes(row["content"]) for row in db.execute("SELECT sha256, content FROM document WHERE project_id = ?", (project_id,))}


def total_bytes(db: Connection, project_id: int) -> int:
    return int(db.execute("SELECT coalesce(sum(length(content)), 0) FROM document WHERE project_id = ?", (project_id,)).fetchone()[0])


def sweep(db: Connection) -> int:
    """Take away contents to which no element, change or proposal refers; returns how many."""
    held = " AND ".join(
        f"NOT EXISTS (SELECT 1 FROM {table} x WHERE x.project_id = document.project_id AND instr({column}, document.sha256))"
        for table, column in (("element", "x.body"), ("change", "x.acts"), ("change", "x.inverse"), ("proposed_change", "x.body"))
    )
    return db.execute(f"DELETE FROM document WHERE {held}").rowcount
