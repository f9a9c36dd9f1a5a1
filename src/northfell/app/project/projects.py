"""Use cases on projects: open, change, undo, redo. Every change is kept in the database before it is answered."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from sqlite3 import Connection

from pydantic import ValidationError

from northfell.app.keeping import Kept
from northfell.app.project.importing import with_sheets
from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError, StaleVersion
from northfell.core.model.changes import Change, apply_change, apply_completed, proposing
from northfell.core.model.changes.touched import Path, meeting, needed_by, touched_by
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.network import Network, Sheet
from northfell.formats.northfell_zip import KeptChange, WholeProject
from northfell.store import documents, history, person_of, projects, steps, transaction
from northfell.store.projects import ProjectRow


@dataclass(frozen=True)
class Project:
    """An opened project: its row, its network, and what undo and redo would do."""

    row: ProjectRow
    network: Network
    undo_title: str | None
    redo_title: str | None
    proposal: str = ""  # the one that is worked in: the network is then that with the proposal
    undo_by: str = ""  # whose change undo would take back

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


_networks: Kept[tuple[int, int, str], Network] = Kept(8)  # the last few read, by project and version: an edit need not read the whole project again


def create_project(db: Connection, network: Network, folder: str = "") -> int:
    """A new project from a network; nothing that exists is touched. A network without a sheet is laid out on one."""
    network = with_sheets(network)
    with transaction(db):
        return projects.insert_project(db, network, folder)


def whole_project(db: Connection, project_id: int) -> WholeProject:
    """The project with its history, as it leaves in one file."""
    opened = open_project(db, project_id)
    history_ = [KeptChange(c.title, c.made_at, c.acts, c.inverse, c.made_by) for c in history.whole(db, project_id)]
    return WholeProject(opened.network, opened.row.head, tuple(history_), documents.whole(db, project_id))


def create_whole(db: Connection, whole: WholeProject, folder: str = "") -> int:
    """A new project from one that left with its history."""
    with transaction(db):
        project_id = projects.insert_project(db, whole.network, folder, whole.head)
        history.put_whole(db, project_id, [(c.title, c.made_at, c.made_by, c.acts, c.inverse) for c in whole.history])
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
    undo, redo = history.line_at(db, project_id, row.head), history.line_at(db, project_id, row.head + 1)
    network = _network(db, row)
    if proposal and any(p.name == proposal for p in network.proposals):
        network = _inside(db, row, network, proposal)
    else:
        proposal = ""
    return Project(row, network, undo.title if undo else None, redo.title if redo else None, proposal, undo.made_by if undo else "")


def _inside(db: Connection, row: ProjectRow, network: Network, proposal: str) -> Network:
    key = _key(db, row, proposal)
    found = _networks.get(key)
    if found is None:
        found = proposing.inside(network, proposal).network
        _networks.put(key, found)
    return found


def _key(db: Connection, row: ProjectRow, proposal: str = "") -> tuple[int, int, str]:
    return row.id, row.version, f"{_path(db)} {row.changed_at} {row.name}\n{proposal}"


def _path(db: Connection) -> str:
    return str(db.execute("PRAGMA database_list").fetchone()["file"])


def _network(db: Connection, row: ProjectRow) -> Network:
    key = _key(db, row)
    network = _networks.get(key)
    if network is None:
        network = projects.network_of(db, row.id)
        _networks.put(key, network)
    return network


Make = Callable[[Network], Change]


def change_project(db: Connection, project_id: int, make: Make | Change, version: int, proposal: str = "", also: Callable[[], object] | None = None) -> Project:
    """Keep a change; with a proposal, it goes into that. `also` is done with it, or not at all.

    What a person asked for was seen on `version`. On a project that has moved on it is made of the network as it stands now, as long as nothing
    that it reads or writes was changed since, by element and field.

    Raises
    ------
    StaleVersion
        If something of it was; the message says what, by whom, and what was asked for.
    NetworkRefused, NotFound
        If the change is refused; nothing is changed then.
    """
    opened = open_project(db, project_id, proposal)
    change = make if isinstance(make, Change) else make(opened.network)
    if not change.acts:
        return opened
    with transaction(db):
        row = projects.project(db, project_id)
        old = _network(db, row)
        within = _inside(db, row, old, proposal) if opened.proposal else old
        if row.version != opened.version and not isinstance(make, Change):
            change = make(within)  # someone was faster: made anew of what is there now
        if row.version != version:
            _nothing_meets(db, row, version, change, opened.proposal)
        if opened.proposal:
            change, within = proposing.put_inside(proposal, within, change)
            new, inverse = apply_change(old, change)
        else:
            new, inverse, change = apply_completed(old, change)
        if also:
            also()
        history.append(db, project_id, row.head + 1, change, inverse, person_of(db))
        row = _write(db, row, old, new, row.head + 1, change.title, touched_by(change))
        if opened.proposal:  # one more change upon what was there: the rest need not be applied again
            _networks.put(_key(db, row, proposal), within.model_copy(update={"proposals": new.proposals}))
    return open_project(db, project_id, proposal)


def _nothing_meets(db: Connection, row: ProjectRow, version: int, change: Change, proposal: str) -> None:
    """Refuse a change that reads or writes what was changed since the version on which it was asked for."""
    since = steps.since(db, row.id, version, row.version) if 0 < version < row.version else None
    if since is None:
        raise StaleVersion(_what_differs(db, row, version))
    own = touched_by(change)
    mine = own | needed_by(change) | ({("proposal", proposal, "change", *path) for path in own} if proposal else set())
    met = [step for step in since if meeting(step.touched, mine)]
    if met:
        told = "; ".join(f"{step.made_by or 'someone'}: “{step.title}”" for step in met[-3:])
        asked = f"“{change.title}”" if change.title else "What you asked for"
        raise StaleVersion(f"{asked} was not done, since the same was changed meanwhile ({told}). What you typed is kept here: look, then enter it again.")


def undo(db: Connection, project_id: int, version: int) -> Project:
    """Take the newest change back, whoever made it, if one has seen it."""
    return _step_to(db, project_id, version, lambda row: row.head - 1, "There is nothing to undo.")


def redo(db: Connection, project_id: int, version: int) -> Project:
    """Apply again what was undone last."""
    return _step_to(db, project_id, version, lambda row: row.head + 1, "There is nothing to redo.")


def go_back(db: Connection, project_id: int, seq: int, version: int) -> Project:
    """Undo, or redo, until a change of the history is the newest in force (0: none)."""
    return _step_to(db, project_id, version, lambda row: seq, "That change is no longer in the history.")


def _step_to(db: Connection, project_id: int, version: int, head_of: Callable[[ProjectRow], int], nothing: str) -> Project:
    """Move the head of history, all or nothing; never over what was changed since the version that was seen."""
    with transaction(db):
        row = projects.project(db, project_id)
        head = head_of(row)
        if version != row.version:
            raise StaleVersion(_not_seen(db, row, version))
        back = head < row.head
        seqs = range(row.head, head, -1) if back else range(row.head + 1, head + 1)
        rows = [history.change_at(db, project_id, seq) for seq in seqs]
        if head < 0 or not all(rows):
            raise NothingToUndo(nothing)
        old = new = _network(db, row)
        touched: set[Path] = set()
        for one in rows:
            if one is not None:
                new, _ = apply_change(new, one.undoing if back else one.change)
                touched |= touched_by(one.change)
        if rows:
            titles = ", ".join(one.title for one in rows if one is not None)[:200]
            _write(db, row, old, new, head, f"{'Undone' if back else 'Redone'}: {titles}", touched)
    return open_project(db, project_id)


def _write(db: Connection, row: ProjectRow, old: Network, new: Network, head: int, title: str, touched: Iterable[Path]) -> ProjectRow:
    projects.write_network(db, row.id, old, new)
    projects.advance(db, row.id, row.version, head)
    steps.append(db, row.id, row.version + 1, person_of(db), title, frozenset(touched))
    now = projects.project(db, row.id)
    _networks.put(_key(db, now), new)
    return now


def _what_differs(db: Connection, row: ProjectRow, version: int) -> str:
    told = _newest_told(db, row, version)
    return f"The project was changed meanwhile ({told}). What you typed is kept here: look at the new state, then enter it again."


def _not_seen(db: Connection, row: ProjectRow, version: int) -> str:
    since = steps.since(db, row.id, version, row.version) or [] if 0 < version < row.version else []
    told = "; ".join(f"{step.made_by or 'someone'}: “{step.title}”" for step in since[-3:]) or _newest_told(db, row, version)
    return f"Nothing was undone or redone: the project was changed meanwhile ({told}), and what has not been seen is not taken back. Look, then do it again."


def _newest_told(db: Connection, row: ProjectRow, version: int) -> str:
    newest = history.newest(db, row.id, max(1, min(3, row.version - version)))
    return "; ".join(f"{c.made_by or 'someone'}: “{c.title}”" for c in newest) or "its history is not known that far back"
