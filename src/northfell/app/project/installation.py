"""The database of an installation: found, checked when the application starts, backed up, restored, and freed of what was deleted long ago."""

import os
import sqlite3
from contextlib import closing, suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path

from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError
from northfell.store import connect, documents, projects, transaction
from northfell.store import people as store_people
from northfell.store.database import is_behind, migrate
from northfell.store.people import Person

FILE = "northfell.sqlite3"
BACKUPS = "backups"
KEPT_BACKUPS = 14  # of those made by themselves; `kept` in the database overrides it
KEEP_DELETED = timedelta(days=30)


class DamagedDatabase(NorthfellError):
    """The database file is not whole."""


def folder_of(data: Path | None) -> Path:
    """The folder of the database: the one given, or the usual one of this user."""
    return data or Path(os.environ.get("XDG_DATA_HOME", Path.home() / ".local/share")) / "northfell"


def opened(folder: Path) -> sqlite3.Connection:
    """The database of a folder, made if there is none, checked, backed up before a migration, and brought to the newest schema.

    Raises
    ------
    DamagedDatabase
        If it is not whole; nothing is written then.
    NetworkRefused
        If the folder cannot be used.
    """
    file = folder / FILE
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        if not file.exists():
            file.touch(mode=0o600)
    except OSError as error:
        raise NetworkRefused([InputRefused("data", str(folder), "a folder that can be written to", error.strerror or "", "Folder")]) from None
    try:
        db = connect(file)
        told = [str(row[0]) for row in db.execute("PRAGMA quick_check(5)")]
        behind = is_behind(db)
    except sqlite3.Error as error:
        raise DamagedDatabase(_damaged(file, str(error))) from None
    if told != ["ok"]:
        db.close()
        raise DamagedDatabase(_damaged(file, "; ".join(told)))
    try:
        if behind:
            _copy(db, _dated(folder, "before-migration"))
        migrate(db)
    except (OSError, sqlite3.OperationalError) as error:  # no room, or no right to write; a migration is done whole or not at all
        db.close()
        accepted = "room and the right to write there: the database is copied before it is brought to a newer form, and nothing of it was changed"
        raise NetworkRefused([InputRefused("data", str(folder), accepted, str(error), "Folder")]) from None
    return db


def _damaged(file: Path, told: str) -> str:
    return f"The database {file} is damaged ({told[:200]}). Nothing was changed. Copies stand in the folder {BACKUPS}: northfell restore FILE"


def _dated(folder: Path, what: str) -> Path:
    (folder / BACKUPS).mkdir(exist_ok=True, mode=0o700)
    return folder / BACKUPS / f"northfell-{datetime.now(UTC):%Y-%m-%d-%H%M%S}-{what}.sqlite3"


def _copy(db: sqlite3.Connection, to: Path) -> Path:
    """A whole copy, consistent also while others write."""
    part = to.with_suffix(".part")
    part.touch(mode=0o600)
    with closing(sqlite3.connect(part)) as target:
        db.backup(target)
    part.replace(to)
    return to


def back_up(folder: Path, to: Path | None = None) -> Path:
    """A copy of the database of a folder."""
    file = folder / FILE
    if not file.exists():
        raise NetworkRefused([InputRefused("data", str(folder), f"a folder that holds {FILE}", where="Backup")])
    try:
        with closing(connect(file)) as db:
            return _copy(db, to or _dated(folder, "by-hand"))
    except (OSError, sqlite3.Error) as error:
        raise NetworkRefused([InputRefused("file", str(to or folder), "a place that can be written to", str(error), "Backup")]) from None


def daily(folder: Path) -> Path | None:
    """The copy of the day, if there is none yet; older ones beyond the number kept go. How many are kept is a setting of the installation."""
    today = f"northfell-{datetime.now(UTC):%Y-%m-%d}"
    with closing(connect(folder / FILE)) as db:
        made = None if any((folder / BACKUPS).glob(f"{today}-*-daily.sqlite3")) else _copy(db, _dated(folder, "daily"))
        row = db.execute("SELECT value FROM kept WHERE key = 'backups kept'").fetchone()
    keep = int(row["value"]) if row else KEPT_BACKUPS
    for old in sorted((folder / BACKUPS).glob("northfell-*-daily.sqlite3"))[: -keep or None]:
        with suppress(OSError):
            old.unlink()
    return made


def keep_backups(folder: Path, number: int) -> None:
    """How many of the daily copies of a folder are kept."""
    if not 1 <= number <= 1000:
        raise NetworkRefused([InputRefused("number", number, "1 to 1000", where="Backups kept")])
    with closing(connect(folder / FILE)) as db, transaction(db):
        db.execute("INSERT OR REPLACE INTO kept (key, value) VALUES ('backups kept', ?)", (str(number),))


def restore(folder: Path, source: Path) -> Path | None:
    """Put a copy in the place of the database of a folder; returns where what stood there is kept now.

    Raises
    ------
    NetworkRefused
        If the copy is no whole database of Northfell, or the application runs on the folder.
    """
    try:
        with closing(sqlite3.connect(f"file:{source.absolute().as_posix()}?mode=ro", uri=True)) as db:
            whole = [row[0] for row in db.execute("PRAGMA quick_check(1)")] == ["ok"]
            tables = {row[0] for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        if not whole or not {"project", "element", "change"} <= tables:
            raise sqlite3.DatabaseError("it is no whole database of Northfell")
    except sqlite3.Error as error:
        raise NetworkRefused([InputRefused("file", str(source), "a copy that northfell backup made", str(error), "Restore")]) from None
    file, new, kept = folder / FILE, folder / f"{FILE}.restored", None
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        if file.exists():
            _nobody_else(file)
        with closing(sqlite3.connect(f"file:{source.absolute().as_posix()}?mode=ro", uri=True)) as db:
            _copy(db, new)  # whole before anything is put aside
        if file.exists():
            kept = _dated(folder, "before-restore")
            file.replace(kept)
            for beside in ("-wal", "-shm"):
                Path(f"{file}{beside}").unlink(missing_ok=True)
        new.replace(file)
    except (OSError, sqlite3.Error) as error:
        raise NetworkRefused([InputRefused("data", str(folder), "a folder with room for the copy", str(error), "Restore")]) from None
    return kept


def _nobody_else(file: Path) -> None:
    """Refuse while another program has the database open; what stands in the log beside it is taken in."""
    try:
        with closing(sqlite3.connect(file, timeout=0.2, isolation_level=None)) as db:
            if db.execute("PRAGMA journal_mode = DELETE").fetchone()[0] != "delete":
                raise sqlite3.OperationalError("database is locked")
    except sqlite3.OperationalError:
        accepted = "a database that no other program has open"
        raise NetworkRefused([InputRefused("data", str(file), accepted, "Stop the application first.", "Restore")]) from None
    except sqlite3.DatabaseError:
        return  # damaged: it is put aside as it is


def people(db: sqlite3.Connection) -> list[Person]:
    """Who may sign in."""
    return store_people.all_people(db)


def remove_person(db: sqlite3.Connection, name: str) -> None:
    """Take the right to sign in from someone; their sessions are over."""
    with transaction(db):
        store_people.remove(db, name)


def tidy(db: sqlite3.Connection) -> int:
    """Free what was deleted long ago, and contents of documents that nothing refers to; returns how many projects went."""
    before = (datetime.now(UTC) - KEEP_DELETED).isoformat()
    with transaction(db):
        gone = projects.purge(db, before)
        loose = documents.sweep(db)
    if gone or loose:
        with suppress(sqlite3.OperationalError):  # another program is writing: another time
            db.execute("VACUUM")
    return gone
