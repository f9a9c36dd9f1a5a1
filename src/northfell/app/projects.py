"""Use cases on projects: open, change, undo, redo. Every change is kept in the database before it is answered."""

from collections import OrderedDict
from dataclasses import dataclass, replace
from sqlite3 import Connection
from threading import Lock

from pydantic import ValidationError

from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError, StaleVersion
from northfell.core.model import proposing
from northfell.core.model.changes import Change, apply_change, apply_completed
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.network import Network, Sheet
from northfell.drawing.layout import laid_out
from northfell.formats.northfell_zip import KeptChange, WholeProject
from northfell.store import documents, history, projects, transaction
from northfell.store.projects import ProjectRow


@dataclass(frozen=True)
class Project:
    """An opened project: its row, its network, and what undo and redo would do."""

    row: ProjectRow
    network: Network
    undo_title: str | None
    redo_title: str | None
    proposal: str = ""  # the one that is worked in: the network is then that with the proposal

    @property
    def id(self) -> int:
        return self.row.id

    @property
    def version(self) -> int:
        return self.row.version

    @property
    def title(self) -> str:
        """Its name, with the proposal that is worked in: what every file and label that leaves must say."""
        return f"{self.network.name}, proposal {self.proposal}" if self.proposal else self.network.name


class NothingToUndo(NorthfellError):
    """There is no change to undo or redo."""


class _Networks:
    """The last few networks read, by project and version: an edit need not read the whole project again."""

    def __init__(self, most: int = 8) -> None:
        self._kept: OrderedDict[tuple[int, int, str], Network] = OrderedDict()
        self._most = most
        self._lock = Lock()

    def get(self, key: tuple[int, int, str]) -> Network | None:
        with self._lock:
            return self._kept.get(key)

    def put(self, key: tuple[int, int, str], network: Network) -> None:
        with self._lock:
            self._kept[key] = network
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)


_networks = _Networks()


def create_project(db: Connection, network: Network, folder: str = "") -> int:
    """A new project from a network; nothing that exists is touched. A network without a sheet is laid out on one."""
    if not network.sheets:
        network = network.model_copy(update={"sheets": [Sheet(name="Sheet 1", placements=laid_out(network.elements))]})
    with transaction(db):
        return projects.insert_project(db, network, folder)


def whole_project(db: Connection, project_id: int) -> WholeProject:
    """The project with its history, as it leaves in one file."""
    opened = open_project(db, project_id)
    history_ = [KeptChange(c.title, c.made_at, c.acts, c.inverse) for c in history.whole(db, project_id)]
    return WholeProject(opened.network, opened.row.head, tuple(history_), documents.whole(db, project_id))


def create_whole(db: Connection, whole: WholeProject, folder: str = "") -> int:
    """A new project from one that left with its history."""
    with transaction(db):
        project_id = projects.insert_project(db, whole.network, folder, whole.head)
        history.put_whole(db, project_id, [(c.title, c.made_at, c.acts, c.inverse) for c in whole.history])
        for content in whole.documents.values():
            documents.put(db, project_id, content)
    return project_id


def duplicate(db: Connection, project_id: int) -> int:
    """A copy with its history, beside the original."""
    row = projects.project(db, project_id)
    whole = whole_project(db, project_id)
    taken = {p.name for p in projects.all_projects(db)}
    name = next(n for n in (f"{row.name[:70]} copy{f' {k}' if k > 1 else ''}" for k in range(1, 10**6)) if n not in taken)
    return create_whole(db, replace(whole, network=whole.network.model_copy(update={"name": name})), row.folder)


def put_aside(db: Connection, project_id: int, **given: str | bool) -> ProjectRow:
    """Rename a project, put it into a folder or the archive, delete it or bring it back; returns what it was before.

    Raises
    ------
    NetworkRefused
        If the name or the folder is none.
    """
    with transaction(db):
        old = projects.project(db, project_id)
        new = {"name": old.name, "folder": old.folder, "archived": bool(old.archived), "deleted": bool(old.deleted), **given}
        for field, value in (("name", new["name"]), ("folder", new["folder"] or "none")):
            try:
                Sheet(name=str(value))
            except ValidationError:
                raise NetworkRefused([InputRefused(field, value, NAME_ACCEPTED, where=f"Project {old.name}")]) from None
        projects.put_aside(db, project_id, **new)  # type: ignore[arg-type]
    return old


def open_project(db: Connection, project_id: int, proposal: str = "") -> Project:
    """The project as it stands; with a proposal, as it would be with it. One that is not there any more is not worked in."""
    row = projects.project(db, project_id)
    undo, redo = history.change_at(db, project_id, row.head), history.change_at(db, project_id, row.head + 1)
    network = _network(db, row)
    if proposal and any(p.name == proposal for p in network.proposals):
        network = _inside(db, row, network, proposal)
    else:
        proposal = ""
    return Project(row, network, undo.title if undo else None, redo.title if redo else None, proposal)


def _inside(db: Connection, row: ProjectRow, network: Network, proposal: str) -> Network:
    project_id, version, rest = _key(db, row)
    key = (project_id, version, f"{rest}\n{proposal}")
    found = _networks.get(key)
    if found is None:
        found = proposing.inside(network, proposal).network
        _networks.put(key, found)
    return found


def _key(db: Connection, row: ProjectRow) -> tuple[int, int, str]:
    return row.id, row.version, f"{_path(db)} {row.changed_at} {row.name}"


def _path(db: Connection) -> str:
    return str(db.execute("PRAGMA database_list").fetchone()["file"])


def _network(db: Connection, row: ProjectRow) -> Network:
    key = _key(db, row)
    network = _networks.get(key)
    if network is None:
        network = projects.network_of(db, row.id)
        _networks.put(key, network)
    return network


def change_project(db: Connection, project_id: int, change: Change, version: int, proposal: str = "") -> Project:
    """Apply a change set to the version it was based on; with a proposal, the change goes into it.

    Raises
    ------
    StaleVersion
        If the project has moved on; the message says what was changed meanwhile.
    NetworkRefused, NotFound
        If the change is refused; nothing is changed then.
    """
    if not change.acts:
        return open_project(db, project_id, proposal)
    with transaction(db):
        row = projects.project(db, project_id)
        if row.version != version:
            raise StaleVersion(_what_differs(db, row, version))
        old = _network(db, row)
        new, inverse, change = apply_completed(old, proposing.put_inside(old, proposal, change) if proposal else change)
        history.append(db, project_id, row.head + 1, change, inverse)
        _write(db, row, old, new, row.head + 1)
    return open_project(db, project_id, proposal)


def undo(db: Connection, project_id: int) -> Project:
    """Take the newest change back."""
    with transaction(db):
        row = projects.project(db, project_id)
        change = history.change_at(db, project_id, row.head)
        if change is None:
            raise NothingToUndo("There is nothing to undo.")
        old = _network(db, row)
        new, _ = apply_change(old, change.undoing)
        _write(db, row, old, new, row.head - 1)
    return open_project(db, project_id)


def redo(db: Connection, project_id: int) -> Project:
    """Apply again what was undone last."""
    with transaction(db):
        row = projects.project(db, project_id)
        change = history.change_at(db, project_id, row.head + 1)
        if change is None:
            raise NothingToUndo("There is nothing to redo.")
        old = _network(db, row)
        new, _ = apply_change(old, change.change)
        _write(db, row, old, new, row.head + 1)
    return open_project(db, project_id)


def go_back(db: Connection, project_id: int, seq: int) -> Project:
    """Undo, or redo, until a change of the history is the newest in force (0: none)."""
    row = projects.project(db, project_id)
    if seq and history.change_at(db, project_id, seq) is None:
        raise NothingToUndo("That change is no longer in the history.")
    opened = open_project(db, project_id)
    for _ in range(abs(row.head - seq)):
        opened = undo(db, project_id) if row.head > seq else redo(db, project_id)
    return opened


def _write(db: Connection, row: ProjectRow, old: Network, new: Network, head: int) -> None:
    projects.write_network(db, row.id, old, new)
    projects.advance(db, row.id, row.version, head)
    _networks.put(_key(db, projects.project(db, row.id)), new)


def _what_differs(db: Connection, row: ProjectRow, version: int) -> str:
    newest = history.newest(db, row.id, max(1, min(5, row.version - version)))
    told = "; ".join(f"“{c.title}”" for c in newest)
    return f"The project was changed meanwhile ({told}). What you typed is kept here: look at the new state, then enter it again."
