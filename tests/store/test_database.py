"""The database: migrations, what a project holds, history, and a write that is broken off."""

import sqlite3

import pytest

from northfell.app.project import projects as use_cases
from northfell.core.errors import NetworkRefused, NotFound, StaleVersion
from northfell.core.model.changes import Add, Change, Remove, Set, Switch
from northfell.demo import skerrow_water
from northfell.store import connect, history, projects, transaction
from northfell.store.database import LaterDatabase, migrate, migrations

LONGER = Change("W25 length 640 → 700 m", (Set(id="W25", values={"length_m": 700.0}),))
CLOSE = Change("Q10 closed", (Switch(state="Normal", id="Q10", values={"closed": True}),))


@pytest.fixture
def path(tmp_path):
    return tmp_path / "northfell.sqlite3"


@pytest.fixture
def db(path):
    db = connect(path)
    migrate(db)
    yield db
    db.close()


@pytest.fixture
def project(db):
    return use_cases.create_project(db, skerrow_water())


def test_migrating_twice_changes_nothing_and_a_later_file_is_refused(db):
    migrate(db)
    newest = migrations()[-1][0]
    assert db.execute("PRAGMA user_version").fetchone()[0] == newest
    db.execute(f"PRAGMA user_version = {newest + 1}")
    with pytest.raises(LaterDatabase, match="Start the later version"):
        migrate(db)


def test_a_project_reads_back_equal_from_a_new_connection(db, project, path):
    use_cases.change_project(db, project, LONGER, 1)
    again = connect(path)
    network = projects.network_of(again, project)
    assert network.elements["W25"].length_m == 700
    assert network.model_copy(update={"elements": {**network.elements, "W25": skerrow_water().elements["W25"]}}) == skerrow_water()
    assert list(network.elements) == list(skerrow_water().elements)


def test_an_edit_touches_only_its_row(db, project):
    before = dict(db.execute("SELECT id, body FROM element").fetchall())
    use_cases.change_project(db, project, LONGER, 1)
    after = dict(db.execute("SELECT id, body FROM element").fetchall())
    assert {k for k in before if before[k] != after[k]} == {"W25"}


def test_order_survives_removing_in_the_middle_and_undoing(db, project):
    drop = Change("", (Remove(id="P1"), Remove(id="W25 far"), Remove(id="W25"), Remove(id="T3"), Add(element={"kind": "bus", "id": "n", "name": "n"}, at=3)))
    use_cases.change_project(db, project, drop, 1)
    use_cases.undo(db, project, use_cases.open_project(db, project).version)
    assert list(projects.network_of(db, project).elements) == list(skerrow_water().elements)
    assert projects.network_of(db, project) == skerrow_water()


def test_undo_and_redo_through_the_whole_history_after_a_restart(db, project, path):
    opened = use_cases.change_project(db, project, LONGER, 1)
    opened = use_cases.change_project(db, project, CLOSE, opened.version)
    again = connect(path)
    first = use_cases.undo(again, project, use_cases.open_project(again, project).version)
    assert (first.undo_title, first.redo_title) == ("W25 length 640 → 700 m", "Q10 closed")
    use_cases.undo(again, project, use_cases.open_project(again, project).version)
    assert projects.network_of(again, project) == skerrow_water()
    with pytest.raises(use_cases.NothingToUndo):
        use_cases.undo(again, project, use_cases.open_project(again, project).version)
    use_cases.redo(again, project, use_cases.open_project(again, project).version)
    opened = use_cases.redo(again, project, use_cases.open_project(again, project).version)
    assert opened.network.elements["Q10"].closed
    with pytest.raises(use_cases.NothingToUndo):
        use_cases.redo(again, project, use_cases.open_project(again, project).version)
    use_cases.undo(again, project, use_cases.open_project(again, project).version)
    use_cases.change_project(again, project, Change("other", CLOSE.acts), use_cases.open_project(again, project).version)
    assert [c.title for c in history.newest(again, project)] == ["other", "W25 length 640 → 700 m"]


def test_stale_change_is_refused_with_what_was_changed(db, project):
    use_cases.change_project(db, project, LONGER, 1)
    with pytest.raises(StaleVersion, match="W25 length 640 → 700 m"):
        use_cases.change_project(db, project, LONGER, 1)
    use_cases.change_project(db, project, CLOSE, 1)  # of something else
    assert use_cases.open_project(db, project).network.elements["Q10"].closed


def test_refused_change_leaves_everything_as_it_was(db, project):
    with pytest.raises(NetworkRefused):
        use_cases.change_project(db, project, Change("", (*LONGER.acts, Set(id="W26", values={"length_m": -1.0}))), 1)
    assert use_cases.open_project(db, project).version == 1
    assert projects.network_of(db, project) == skerrow_water()


@pytest.mark.parametrize("broken", ["history.append", "projects.write_network", "projects.advance"])
def test_a_stop_at_any_step_of_the_write_keeps_the_whole_before(db, project, path, broken, monkeypatch):
    module, name = broken.split(".")
    real = getattr({"history": history, "projects": projects}[module], name)

    def stops(*arguments):
        real(*arguments)
        raise KeyboardInterrupt

    monkeypatch.setattr({"history": history, "projects": projects}[module], name, stops)
    with pytest.raises(KeyboardInterrupt):
        use_cases.change_project(db, project, LONGER, 1)
    again = connect(path)
    assert projects.network_of(again, project) == skerrow_water()
    assert history.newest(again, project) == []


def test_transaction_is_all_or_nothing(db):
    sql = "INSERT INTO project (name, settings, changed_at) VALUES (?, '{}', 'now')"
    with pytest.raises(sqlite3.IntegrityError), transaction(db):
        db.executemany(sql, [("x",), ("",)])
    assert projects.all_projects(db) == []


def test_unknown_project(db):
    with pytest.raises(NotFound):
        use_cases.open_project(db, 99)
