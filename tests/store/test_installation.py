"""An installation: checked at the start, copied before a migration and once a day, restored, freed; a damaged project among whole ones."""

import json
import sqlite3
from contextlib import closing
from datetime import UTC, datetime, timedelta

import pytest
from fastapi.testclient import TestClient
from tests.web.test_pages import HERE

from northfell.app.project import documents, installation, repairing
from northfell.app.project.projects import change_project, create_project, open_project, put_aside
from northfell.cli import main
from northfell.core.errors import NetworkRefused, Unreadable
from northfell.core.model.changes import Add, Change, Set
from northfell.demo import skerrow_water
from northfell.store import connect, projects, transaction
from northfell.web.application import create_application

DEMO = skerrow_water()


@pytest.fixture
def folder(tmp_path):
    db = installation.opened(tmp_path)
    create_project(db, DEMO)
    db.close()
    return tmp_path


@pytest.fixture
def db(folder):
    db = connect(folder / installation.FILE)
    yield db
    db.close()


def test_a_damaged_file_is_told_and_never_written(folder):
    file = folder / installation.FILE
    with connect(file) as db:
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    db.close()
    whole = file.read_bytes()
    file.write_bytes(whole[:5000] + b"\x55" * 3000 + whole[8000:])
    damaged = file.read_bytes()
    with pytest.raises(installation.DamagedDatabase, match="northfell restore"):
        installation.opened(folder)
    file.write_bytes(b"no database at all" * 100)
    with pytest.raises(installation.DamagedDatabase):
        installation.opened(folder)
    assert damaged != whole
    assert main(["serve", "--data", str(folder), "--port", "0", "--no-browser"]) == 1


def test_no_room_for_the_copy_before_a_migration_is_said_and_changes_nothing(folder, db, monkeypatch, capsys):
    db.execute("PRAGMA user_version = 4")

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(installation, "_copy", full)
    assert main(["serve", "--data", str(folder), "--port", "0", "--no-browser"]) == 1
    assert "accepted is room and the right to write there" in capsys.readouterr().err
    assert db.execute("PRAGMA user_version").fetchone()[0] == 4


def test_a_copy_is_kept_before_a_migration_and_once_a_day(folder, db):
    db.execute("PRAGMA user_version = 4")
    copies = list((folder / "backups").glob("*")) if (folder / "backups").exists() else []
    assert copies == []
    with pytest.raises(NetworkRefused, match="already exists"):  # the tables are there already: the migration fails, after the copy was made
        installation.opened(folder)
    (before,) = (folder / "backups").glob("*before-migration*")
    assert sqlite3.connect(before).execute("PRAGMA user_version").fetchone()[0] == 4
    db.execute("PRAGMA user_version = 5")
    assert installation.daily(folder) is not None
    assert installation.daily(folder) is None
    assert main(["backup", "--data", str(folder), "--keep", "2"]) == 0
    for day in range(1, 6):
        (folder / "backups" / f"northfell-2026-01-0{day}-000000-daily.sqlite3").write_bytes(b"")
    installation.daily(folder)
    assert len(list((folder / "backups").glob("*daily*"))) == 2
    assert before.exists()
    with pytest.raises(NetworkRefused):
        installation.keep_backups(folder, 0)


def test_backup_and_restore_from_the_command_line(folder, db, tmp_path, capsys, monkeypatch):
    copy = tmp_path / "copy.sqlite3"
    assert main(["backup", "--data", str(folder), "--to", str(copy)]) == 0
    change_project(db, 1, Change("longer", (Set(id="W25", values={"length_m": 700.0}),)), 1)
    assert main(["restore", str(copy), "--data", str(folder)]) == 1  # it is open here
    assert "Stop the application first" in capsys.readouterr().err
    db.close()
    assert main(["restore", str(copy), "--data", str(folder)]) == 0
    with closing(connect(folder / installation.FILE)) as there:
        assert projects.network_of(there, 1) == DEMO
    (kept,) = (folder / "backups").glob("*before-restore*")
    assert projects.network_of(connect(kept), 1).elements["W25"].length_m == 700
    (tmp_path / "other.sqlite3").write_bytes(b"x" * 100)
    assert main(["restore", str(tmp_path / "other.sqlite3"), "--data", str(folder)]) == 1
    assert main(["restore", str(tmp_path / "none.sqlite3"), "--data", str(folder)]) == 1
    assert main(["backup", "--data", str(tmp_path / "nowhere")]) == 1
    monkeypatch.setattr(installation, "_copy", lambda *_: (_ for _ in ()).throw(OSError("No space left on device")))
    assert main(["restore", str(copy), "--data", str(folder)]) == 1  # what stands is put aside only once the copy is whole
    with closing(connect(folder / installation.FILE)) as there:
        assert projects.network_of(there, 1) == DEMO


def test_users_from_the_command_line(folder, monkeypatch, capsys):
    monkeypatch.setattr("sys.stdin", __import__("io").StringIO("walnut over kettle 9\n"))
    assert main(["user", "add", "ann", "--data", str(folder), "--role", "reads", "--password-from-input"]) == 0
    assert main(["user", "list", "--data", str(folder)]) == 0
    assert capsys.readouterr().out == "ann\treads\n"
    assert main(["user", "remove", "ann", "--data", str(folder)]) == 0
    assert main(["user", "remove", "ann", "--data", str(folder)]) == 1
    monkeypatch.setattr("getpass.getpass", iter(["one password here", "another password"]).__next__ and (lambda *_: next(ASKED)))
    assert main(["user", "add", "ann", "--data", str(folder)]) == 1
    assert "two different ones" in capsys.readouterr().err


ASKED = iter(["one password here", "another password"])


def test_what_was_deleted_gives_its_room_back(folder, db):
    documents.attach(db, 1, "Q31", "sheet.txt", b"x" * 3_000_000, 1)
    put_aside(db, 1, deleted=True)
    assert installation.tidy(db) == 0  # it can still be brought back
    put_aside(db, 1, deleted=False)
    put_aside(db, 1, deleted=True)
    long_ago = (datetime.now(UTC) - timedelta(days=31)).isoformat()
    db.execute("UPDATE project SET deleted_at = ?", (long_ago,))
    db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    before = (folder / installation.FILE).stat().st_size
    assert installation.tidy(db) == 1
    db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    assert (folder / installation.FILE).stat().st_size < before - 2_000_000
    assert db.execute("SELECT count(*) FROM document").fetchone()[0] == 0


def test_a_document_that_nothing_refers_to_goes(db):
    opened = documents.attach(db, 1, "Q31", "sheet.txt", b"held", 1)
    with transaction(db):
        db.execute("INSERT INTO document (project_id, sha256, content) VALUES (1, ?, x'00')", ("a" * 64,))
    installation.tidy(db)
    assert db.execute("SELECT count(*) FROM document").fetchone()[0] == 1
    assert documents.content_of(db, 1, "Q31", "sheet.txt")[1] == b"held"
    assert opened.version == 2


def spoil(db, element_id, **values):
    raw = json.loads(db.execute("SELECT body FROM element WHERE project_id = 1 AND id = ?", (element_id,)).fetchone()[0])
    with transaction(db):
        db.execute("UPDATE element SET body = ? WHERE project_id = 1 AND id = ?", (json.dumps({**raw, **values}), element_id))
        db.execute("UPDATE project SET changed_at = 'then' WHERE id = 1")  # nothing of it is kept in memory


def test_one_unreadable_element_is_told_exported_and_repaired(db, folder):
    load = {"kind": "load", "id": "E9", "name": "E9", "bus": "Filter hall", "p_mw": 0.1, "q_mvar": 0.05}
    change_project(db, 1, Change("a load", (Add(element=load),)), 1)
    change_project(db, 1, Change("more", (Set(id="E9", values={"p_mw": 0.2}),)), 2)
    create_project(db, DEMO.model_copy(update={"name": "Another"}))
    spoil(db, "E9", p_mw="many")
    spoil(db, "W25", length_m=-1.0)
    with pytest.raises(Unreadable) as told:
        open_project(db, 1)
    assert {named for _, named, _ in told.value.parts} == {"E9", "W25"}
    with TestClient(create_application(folder / installation.FILE), base_url=HERE) as client:
        page = client.get("/projects/1/flow")
        assert page.status_code == 422
        assert "Make a repaired copy" in page.text
        assert "Another" in client.get("/").text
        assert client.get("/projects/2/flow").status_code == 200
        assert "cannot be read" in client.get("/projects/1/listed").text
        raw = client.get("/projects/1/as-it-stands.json").json()
        assert any('"many"' in row["body"] for row in raw["element"])
        done = client.post("/projects/1/repair")
        assert done.status_code == 200
        assert "E9 stands again as the history knows it" in done.text
        assert client.get("/projects/3/flow").status_code == 200
    repaired = open_project(db, 3).network
    assert repaired.elements["E9"].p_mw == 0.2
    assert "W25" not in repaired.elements
    assert repaired.name == "Skerrow Water repaired"
    with pytest.raises(Unreadable):
        open_project(db, 1)  # the original stays


def test_a_board_that_cannot_be_repaired_takes_what_hangs_on_it_and_says_so(db):
    spoil(db, "Filter hall", v_nominal_kv="low")
    with transaction(db):
        db.execute("UPDATE operating_state SET body = '{}' WHERE project_id = 1 AND position = 0")
        db.execute("UPDATE project SET settings = '{\"s_base_mva\": -1}' WHERE id = 1")
    made = repairing.repair(db, 1)
    assert any("is left out: Filter hall" in line for line in made.told)
    assert any("settings could not be read" in line for line in made.told)
    repaired = open_project(db, made.project_id).network
    assert "Filter hall" not in repaired.elements
    assert len(repaired.states) == len(DEMO.states) - 1


def test_the_list_keeps_counts_and_pictures_with_the_version_they_belong_to(db, folder, monkeypatch):
    with TestClient(create_application(folder / installation.FILE), base_url=HERE) as client:
        first = client.get("/").text
        assert 'hx-get="/projects/1/listed"' in first
        for _ in range(100):
            one = client.get("/projects/1/listed").text
            assert "<form" not in one  # what someone is typing there is not taken away by figures that come
            if "hx-get" not in one:
                break
        assert "beyond a limit" in one
    monkeypatch.setattr(projects, "network_of", lambda *_: 1 / 0)  # nothing is read or worked out again
    monkeypatch.setattr("northfell.app.project.projects._networks._kept", type(projects).__dict__ and __import__("collections").OrderedDict())
    with TestClient(create_application(folder / installation.FILE), base_url=HERE) as client:
        again = client.get("/").text
        assert "hx-get" not in again
        assert 'class="picture"' in again
    monkeypatch.undo()
    change_project(db, 1, Change("longer", (Set(id="W25", values={"length_m": 700.0}),)), 1)
    with TestClient(create_application(folder / installation.FILE), base_url=HERE) as client:
        assert '<s title="Of an earlier version">' in client.get("/").text
