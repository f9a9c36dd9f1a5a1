"""Contents of documents, readers' links and own entries in the database; an older database is brought up with its data."""

import hashlib
import sqlite3

import pytest

from northfell.app.project import documents as use_cases
from northfell.app.project.projects import change_project, create_project, create_whole, duplicate, open_project, undo, whole_project
from northfell.core.errors import NetworkRefused, NotFound, StaleVersion
from northfell.core.model.changes import Change, PutEntry, Set
from northfell.core.model.network import OwnEntry
from northfell.demo import skerrow_water
from northfell.formats import northfell_zip
from northfell.store import connect, documents, projects, readers, transaction
from northfell.store.database import _statements, migrate, migrations

PAPER = b"%PDF-1.7 breaker test sheet"


@pytest.fixture
def db(tmp_path):
    db = connect(tmp_path / "northfell.sqlite3")
    migrate(db)
    yield db
    db.close()


@pytest.fixture
def project(db):
    return create_project(db, skerrow_water())


def test_the_same_content_is_kept_once_and_goes_with_its_project(db, project):
    for name in ("a.pdf", "b.pdf"):
        use_cases.attach(db, project, "Q1", name, PAPER, open_project(db, project).version)
    assert documents.total_bytes(db, project) == len(PAPER)
    assert documents.whole(db, project) == {hashlib.sha256(PAPER).hexdigest(): PAPER}
    with pytest.raises(NotFound, match="no document"):
        use_cases.content_of(db, project, "Q2", "a.pdf")
    with pytest.raises(NotFound, match="is not in the project"):
        documents.content(db, project + 1, hashlib.sha256(PAPER).hexdigest())
    db.execute("DELETE FROM project WHERE id = ?", (project,))
    assert db.execute("SELECT count(*) FROM document").fetchone()[0] == 0


def test_names_do_not_clash_and_a_stale_version_attaches_nothing(db, project):
    use_cases.attach(db, project, "Q1", "sheet.pdf", PAPER, 1)
    opened = use_cases.attach(db, project, "Q1", "sheet.pdf", PAPER + b"2", 2)
    assert [d.name for d in opened.network.elements["Q1"].documents] == ["sheet.pdf", "sheet 2.pdf"]
    before = documents.total_bytes(db, project)
    with pytest.raises(StaleVersion):
        use_cases.attach(db, project, "Q1", "late.pdf", PAPER + b"3", 1)
    assert documents.total_bytes(db, project) == before  # what was refused leaves nothing behind
    gone = use_cases.detach(db, project, "Q1", "sheet.pdf", 3)
    assert [d.name for d in gone.network.elements["Q1"].documents] == ["sheet 2.pdf"]
    assert [d.name for d in undo(db, project, gone.version).network.elements["Q1"].documents] == ["sheet.pdf", "sheet 2.pdf"]
    assert use_cases.content_of(db, project, "Q1", "sheet.pdf")[1] == PAPER


def test_a_projects_documents_are_bounded(db, project, monkeypatch):
    monkeypatch.setattr(use_cases, "MOST_OF_PROJECT", 30)
    use_cases.attach(db, project, "Q1", "a.pdf", PAPER, 1)
    with pytest.raises(NetworkRefused, match="of documents in a project"):
        use_cases.attach(db, project, "Q1", "b.pdf", PAPER + b"!", 2)


def test_copies_and_files_of_a_project_hold_its_documents(db, project):
    use_cases.attach(db, project, "Q1", "a.pdf", PAPER, 1)
    copy = duplicate(db, project)
    again = create_whole(db, northfell_zip.read(northfell_zip.write(whole_project(db, project))))
    for one in (copy, again):
        assert use_cases.content_of(db, one, "Q1", "a.pdf")[1] == PAPER


def test_readers_links_are_long_kept_and_taken_back(db, project):
    with transaction(db):
        one, other = readers.make(db, project), readers.make(db, project, "T1")
    assert len(one.token) >= 43
    assert one.token != other.token
    assert readers.of_token(db, other.token).element_id == "T1"
    assert {link.token for link in readers.of_project(db, project)} == {one.token, other.token}
    readers.take_back(db, project + 1, one.token)  # another project cannot
    assert readers.of_token(db, one.token) == one
    readers.take_back(db, project, one.token)
    with pytest.raises(NotFound, match="taken back"):
        readers.of_token(db, one.token)


def test_own_entries_are_kept_in_order_with_the_elements_that_follow_them(db, project):
    made = [OwnEntry(name=n, kind="cable", values={"r_ohm_per_km": 0.1}) for n in ("Z", "A")]
    acts = (*(PutEntry(name="", to=one) for one in made), Set(id="W25", values={}, catalogue="Z"))
    change_project(db, project, Change("entries", acts), 1)
    read = projects.network_of(db, project)
    assert read.entries == made
    assert read.elements["W25"].catalogue == "Z"
    assert projects.network_of(db, project) == open_project(db, project).network


def test_an_older_database_is_brought_up_with_its_data(tmp_path):
    path = tmp_path / "old.sqlite3"
    old = sqlite3.connect(path, isolation_level=None)
    for number, script in migrations()[:2]:
        for statement in _statements(script):
            old.execute(statement)
        old.execute(f"PRAGMA user_version = {number}")
    old.execute("INSERT INTO project (name, settings, changed_at) VALUES ('Old', '{\"frequency_hz\": 60}', '2026-01-01')")
    body = '{"kind": "bus", "id": "A", "name": "A", "v_nominal_kv": 11.0, "assumed": {}}'
    old.execute("INSERT INTO element (project_id, id, position, body) VALUES (1, 'A', 1, ?)", (body,))
    old.execute('INSERT INTO operating_state (project_id, position, body) VALUES (1, 0, \'{"name": "Night", "differences": {}}\')')
    old.close()
    db = connect(path)
    migrate(db)
    network = projects.network_of(db, 1)
    assert (network.elements["A"].v_nominal_kv, network.settings.frequency_hz, network.state_names) == (11.0, 60, ["Normal", "Night"])
    assert (network.entries, network.elements["A"].documents, network.settings.set_name) == ([], [], "Standard")
