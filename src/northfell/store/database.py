"""Connections and migrations."""

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from importlib import resources
from pathlib import Path

from northfell.core.errors import NorthfellError


class LaterDatabase(NorthfellError):
    """The database was written by a later version of Northfell."""


class Database(sqlite3.Connection):
    """A connection that knows on whose behalf it writes: history names them."""

    person: str = ""
    writing: threading.Lock  # held while one of this process writes: they take turns here, since SQLite's waiting knows no order


def connect(path: Path | str, person: str = "") -> Database:
    """A connection with rows by name, foreign keys on, a write-ahead log, and every commit on the disk before it is answered."""
    db: Database = sqlite3.connect(path, timeout=10, isolation_level=None, check_same_thread=False, factory=Database)
    db.person = person
    db.writing = _writing(str(path))
    db.row_factory = sqlite3.Row
    db.execute("PRAGMA foreign_keys = ON")
    db.execute("PRAGMA journal_mode = WAL")
    db.execute("PRAGMA synchronous = FULL")
    return db


class Connections:
    """Connections to one database that are lent and come back: opening one, and closing the last, costs more than most of what is asked."""

    def __init__(self, path: Path | str) -> None:
        self._path, self._idle = path, list[Database]()

    @contextmanager
    def lent(self, person: str = "") -> Iterator[Database]:
        """A connection on behalf of a person; what was begun with it and not ended is taken back."""
        try:
            db = self._idle.pop()
        except IndexError:
            db = connect(self._path)
        db.person = person
        try:
            yield db
        finally:
            if db.in_transaction:
                db.rollback()
            self._idle.append(db)

    def close(self) -> None:
        """Close those that nobody has."""
        while self._idle:
            self._idle.pop().close()


def person_of(db: sqlite3.Connection) -> str:
    """On whose behalf a connection writes; empty where nobody said."""
    return str(getattr(db, "person", ""))


@contextmanager
def transaction(db: sqlite3.Connection) -> Iterator[sqlite3.Connection]:
    """All or nothing; the write lock is taken at the start."""
    with getattr(db, "writing", None) or nullcontext():
        db.execute("BEGIN IMMEDIATE")
        try:
            yield db
        except BaseException:
            db.execute("ROLLBACK")
            raise
        db.execute("COMMIT")


_locks: dict[str, threading.Lock] = {}
_making = threading.Lock()


def _writing(path: str) -> threading.Lock:
    with _making:
        return _locks.setdefault(path, threading.Lock())


def migrations() -> list[tuple[int, str]]:
    """The numbered migrations in order."""
    folder = resources.files("northfell.store") / "migrations"
    found = [(int(f.name[:4]), f.read_text(encoding="utf-8")) for f in folder.iterdir() if f.name.endswith(".sql")]
    return sorted(found)


def is_behind(db: sqlite3.Connection) -> bool:
    """Whether a database that holds something has migrations before it."""
    return 0 < int(db.execute("PRAGMA user_version").fetchone()[0]) < migrations()[-1][0]


def migrate(db: sqlite3.Connection) -> None:
    """Bring a database to the newest schema; each migration and its number are one transaction.

    Raises
    ------
    LaterDatabase
        If it is newer than this program.
    """
    steps = migrations()
    with transaction(db):
        at = db.execute("PRAGMA user_version").fetchone()[0]
        if at > steps[-1][0]:
            raise LaterDatabase(f"The database has schema {at}; this version of Northfell reads up to {steps[-1][0]}. Start the later version.")
        for number, sql in steps:
            if number > at:
                for statement in _statements(sql):
                    db.execute(statement)
                db.execute(f"PRAGMA user_version = {number:d}")


def _statements(sql: str) -> Iterator[str]:
    """The statements of a script one by one, since executescript would commit."""
    part = ""
    for line in sql.splitlines(keepends=True):
        part += line
        if sqlite3.complete_statement(part):
            yield part
            part = ""
