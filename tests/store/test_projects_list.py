"""Projects put aside and brought back, whole histories, and assemblies of engineers."""

import pytest

from northfell.app.project import projects as use_cases
from northfell.core.errors import NetworkRefused, NotFound
from northfell.core.model.changes import Change, Set
from northfell.demo import skerrow_water
from northfell.store import assemblies, connect, history, projects
from northfell.store.database import migrate


@pytest.fixture
def db(tmp_path):
    made = connect(tmp_path / "x.sqlite3")
    migrate(made)
    return made


@pytest.fixture
def project(db):
    return use_cases.create_project(db, skerrow_water())


def changed(db, project, version, length):
    return use_cases.change_project(db, project, Change(f"W25 to {length:g}", (Set(id="W25", values={"length_m": length}),)), version)


def test_put_aside_and_brought_back(db, project):
    old = use_cases.put_aside(db, project, name="Works", folder="Waters")
    assert (old.name, old.folder) == ("Skerrow Water", "")
    assert use_cases.open_project(db, project).network.name == "Works"
    use_cases.put_aside(db, project, deleted=True)
    assert projects.all_projects(db) == []
    assert use_cases.open_project(db, project).row.deleted == 1  # it is kept, with its history
    use_cases.put_aside(db, project, deleted=False)
    assert [(p.name, p.folder) for p in projects.all_projects(db)] == [("Works", "Waters")]
    for bad in ({"name": ""}, {"name": "x" * 81}, {"folder": "a\nb"}):
        with pytest.raises(NetworkRefused, match="1 to 80 characters"):
            use_cases.put_aside(db, project, **bad)
    with pytest.raises(NotFound):
        use_cases.put_aside(db, 99, name="x")


def test_a_copy_has_the_history_of_the_original_and_a_name_of_its_own(db, project):
    changed(db, project, 1, 700.0)
    copies = [use_cases.duplicate(db, project) for _ in range(2)]
    assert [projects.project(db, c).name for c in copies] == ["Skerrow Water copy", "Skerrow Water copy 2"]
    undone = use_cases.undo(db, copies[0], use_cases.open_project(db, copies[0]).version)
    assert undone.network.elements["W25"].length_m == 640
    assert use_cases.open_project(db, project).network.elements["W25"].length_m == 700


def test_history_goes_to_any_of_its_lines_and_back(db, project):
    for n, length in enumerate((700.0, 800.0, 900.0), start=1):
        changed(db, project, n, length)
    length = lambda opened: opened.network.elements["W25"].length_m  # noqa: E731
    assert length(use_cases.go_back(db, project, 1, use_cases.open_project(db, project).version)) == 700
    assert length(use_cases.go_back(db, project, 3, use_cases.open_project(db, project).version)) == 900
    assert length(use_cases.go_back(db, project, 0, use_cases.open_project(db, project).version)) == 640
    assert [c.title for c in history.whole(db, project)] == ["W25 to 700", "W25 to 800", "W25 to 900"]
    with pytest.raises(use_cases.NothingToUndo, match="no longer in the history"):
        use_cases.go_back(db, project, 9, use_cases.open_project(db, project).version)
    changed(db, project, use_cases.open_project(db, project).version, 650.0)  # what was undone can no longer be redone
    assert [c.title for c in history.whole(db, project)] == ["W25 to 650"]


def test_assemblies_are_kept_by_name(db):
    assemblies.put_assembly(db, "Pump way", '{"a": 1}')
    assemblies.put_assembly(db, "Pump way", '{"a": 2}')
    assemblies.put_assembly(db, "Board", "{}")
    kept = assemblies.all_assemblies(db)
    assert [(a.name, a.body) for a in kept] == [("Board", "{}"), ("Pump way", '{"a": 2}')]
    assemblies.remove_assembly(db, kept[0].id)
    assert assemblies.assembly(db, kept[1].id).name == "Pump way"
    with pytest.raises(NotFound):
        assemblies.assembly(db, kept[0].id)
