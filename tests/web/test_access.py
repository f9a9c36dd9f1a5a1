"""Who is answered: known names, signed-in people, readers with what their link names. What fails is told, and the page goes on."""

import re
import sqlite3
from html import unescape

import pytest
from fastapi.testclient import TestClient
from tests.web.test_pages import HERE, PART, client, database, edit  # noqa: F401

from northfell.app.project import installation, people
from northfell.app.project.people import Attempts
from northfell.app.project.presence import Presence
from northfell.app.project.projects import create_project
from northfell.core.errors import NetworkRefused
from northfell.demo import skerrow_water
from northfell.store import connect, projects
from northfell.web import serve as serving
from northfell.web.application import create_application
from northfell.web.shell.access import Access, served_to_others

PASSWORD = "walnut over kettle 9"


def served(database):  # noqa: F811
    access = served_to_others(["works.example"], False)
    return TestClient(create_application(database, access), base_url="http://works.example", headers={"accept": "text/html"})


@pytest.fixture
def others(database):  # noqa: F811
    """The application as it is served to others: ann edits, ben reads."""
    with served(database) as client:  # noqa: F811
        db = connect(database)
        create_project(db, skerrow_water())
        people.put_person(db, "ann", "edits", PASSWORD)
        people.put_person(db, "ben", "reads", PASSWORD + "b")
        db.close()
        yield client


def enter(client, name="ann", password=PASSWORD, **more):  # noqa: F811
    return client.post("/sign-in", data={"name": name, "password": password, **more}, follow_redirects=False)


@pytest.mark.parametrize("host", ["rebound.example", "127.0.0.1.rebound.example", "localhost.example:80", "", "a@127.0.0.1", "127.0.0.1/x", "[::1", "10.0.0.1"])
def test_only_known_names_are_answered_also_to_read(client, host):  # noqa: F811
    assert client.get("/", headers={"host": host}).status_code == 421
    assert client.get("/static/mark.svg", headers={"host": host}).status_code == 421
    assert edit(client, "W25", "length_m", "700").status_code == 200
    refused = client.post("/projects/1/elements/W25/set/length_m", data={"value": "1", "version": 2}, headers={"host": host})
    assert refused.status_code == 421


def test_this_machine_is_answered_by_its_names_and_asked_for_nothing(client):  # noqa: F811
    for host in ("127.0.0.1:8400", "localhost", "LOCALHOST:1", "[::1]:8400"):
        assert client.get("/", headers={"host": host}).status_code == 200
    assert client.get("/sign-in", follow_redirects=False).status_code == 303
    edit(client, "W25", "length_m", "700")
    assert re.search(r"<td[^>]*>[^<]+</td>", client.get("/projects/1/network", params={"tab": "history"}).text)


def test_served_to_others_everyone_signs_in(others):
    for path in ("/", "/projects/1/flow", "/projects/1/export", "/projects/1/version", "/projects/1/elements/T1/documents/x", "/shorthand"):
        asked = others.get(path, follow_redirects=False)
        assert asked.status_code == 303, path
        assert asked.headers["location"].startswith("/sign-in?next=")
    assert others.get("/projects/1/flow", headers=PART).status_code == 401
    assert edit(others, "W25", "length_m", "700").status_code == 401
    assert projects.network_of(connect(others.app.state.database), 1) == skerrow_water()
    assert others.get("/static/mark.svg").status_code == 200
    assert enter(others, password="wrong password").status_code == 401
    assert enter(others, "nobody").status_code == 401
    done = enter(others, next="/projects/1/flow?state=Normal")
    assert (done.status_code, done.headers["location"]) == (303, "/projects/1/flow?state=Normal")
    cookie = done.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=strict" in cookie
    assert "ann" in others.get("/projects/1/flow").text
    assert edit(others, "W25", "length_m", "700").status_code == 200
    assert connect(others.app.state.database).execute("SELECT made_by FROM change").fetchone()[0] == "ann"
    assert others.get("/projects/1/network", params={"tab": "history"}).text.count(">ann<") == 2  # in the top line, and in the history


@pytest.mark.parametrize("where", ["https://elsewhere.example", "//elsewhere.example", "/\\elsewhere.example", "javascript:alert(1)", "/a\nb", "/sign-out"])
def test_signing_in_leads_nowhere_else(others, where):
    assert enter(others, next=where).headers["location"] == "/"


def test_a_session_ends_by_signing_out_by_a_new_password_and_by_going(others, database):  # noqa: F811
    db = connect(database)
    enter(others)
    held = dict(others.cookies)
    assert others.get("/").status_code == 200
    others.post("/sign-out")
    others.cookies.update(held)  # the cookie was copied
    assert others.get("/", follow_redirects=False).status_code == 303
    enter(others)
    people.put_person(db, "ann", "edits", PASSWORD + "!")
    assert others.get("/", follow_redirects=False).status_code == 303
    enter(others, password=PASSWORD + "!")
    installation.remove_person(db, "ann")
    assert others.get("/", follow_redirects=False).status_code == 303
    others.cookies.set("northfell", "forged.session.text")
    assert others.get("/", follow_redirects=False).status_code == 303


def test_who_reads_changes_nothing(others, database):  # noqa: F811
    enter(others, "ben", PASSWORD + "b")
    assert others.get("/projects/1/flow").status_code == 200
    assert others.post("/projects/1/pin", data={}, headers=PART).status_code == 200
    refused = edit(others, "W25", "length_m", "700")
    assert refused.status_code == 403
    assert "ben may read here and change nothing" in unescape(refused.text)
    for path, data in (("/projects/new", {"name": "x"}), ("/projects/1/aside/delete", {}), ("/projects/1/readers", {}), ("/projects/1/undo", {"version": 1})):
        assert others.post(path, data=data).status_code == 403, path
    assert len(projects.all_projects(connect(database))) == 1


def test_attempts_are_limited_by_name_and_by_address(others):
    for _ in range(5):
        assert enter(others, password="wrong password").status_code == 401
    assert enter(others).status_code == 429  # the right one is not tried any more
    assert enter(others, "ben", PASSWORD + "b").status_code == 303
    now = [0.0]
    attempts = Attempts(now=lambda: now[0])
    for n in range(20):
        assert attempts.wait_s(f"name {n}", "10.0.0.9") == 0
        attempts.failed(f"name {n}", "10.0.0.9")
    assert attempts.wait_s("another", "10.0.0.9") > 0
    assert attempts.wait_s("another", "10.0.0.10") == 0
    now[0] = 901
    assert attempts.wait_s("another", "10.0.0.9") == 0


@pytest.mark.parametrize(
    ("name", "password"),
    [("", PASSWORD), ("a\nb", PASSWORD), ("ann", "short"), ("ann", "only eleven"), ("ann", "a" * 30), ("ann", "ann-and-more-1"), ("ann", "x" * 400)],
)
def test_names_and_passwords_that_are_none(database, name, password):  # noqa: F811
    db = installation.opened(database.parent)
    with pytest.raises(NetworkRefused):
        people.put_person(db, name, "edits", password)
    with pytest.raises(NetworkRefused):
        people.put_person(db, "ann", "rules", PASSWORD)
    assert installation.people(db) == []


def test_passwords_are_kept_as_argon2_digests(others, database):  # noqa: F811
    kept = connect(database).execute("SELECT password FROM person WHERE name = 'ann'").fetchone()[0]
    assert kept.startswith("$argon2id$")


def test_without_people_nothing_is_served_to_others(tmp_path):
    with pytest.raises(NetworkRefused, match=r"northfell user add NAME"):
        serving.serve(serving.Place(tmp_path, host="0.0.0.0"), demo=False, browser=False)
    with pytest.raises(NetworkRefused, match=r"both --certificate and --key"):
        serving.serve(serving.Place(tmp_path, certificate=tmp_path / "x"), demo=False, browser=False)
    assert serving._access(serving.Place(tmp_path, host="127.0.0.2"), False).sign_in is False
    given = serving._access(serving.Place(tmp_path, host="192.0.2.1", names=("Works.Example",)), True)
    assert given.sign_in
    assert all(given.answers_to(host) for host in ("works.example:8400", "192.0.2.7", "[2001:db8::1]:80", "localhost"))
    assert not given.answers_to("rebound.example")


def test_over_tls_cookie_and_name_stay_on_tls(others, database):  # noqa: F811
    assert "strict-transport-security" not in others.get("/sign-in").headers
    with TestClient(create_application(database, served_to_others(["works.example"], True)), base_url="https://works.example") as client:  # noqa: F811
        entered = enter(client)
        assert re.match(r"__Host-northfell=.*HttpOnly; .*Path=/; SameSite=strict; Secure", entered.headers["set-cookie"])
        assert "max-age" in entered.headers["strict-transport-security"]
        assert client.get("/").status_code == 200
    assert Access(secure=True).sign_in is False


def test_a_link_for_one_element_reaches_that_element_and_nothing_else(client, database):  # noqa: F811
    client.post("/projects/1/readers", data={"element": "Dosing MCC"})
    (token,) = re.findall(r'href="/read/([\w-]+)"', client.get("/projects/1/readers").text)
    page = unescape(client.get(f"/read/{token}").text)
    assert "<h1>Dosing MCC</h1>" in page
    network = skerrow_water()
    here = {e.name for e in network.elements.values() if "Dosing MCC" in e.buses}
    assert all(name in page for name in here)
    for hidden in ("High-lift", "33 kV intake", "Sheet 1", "<option", "<select", 'id="sheet"'):
        assert hidden not in page, hidden
    for asked in ({"selected": "T1"}, {"sheet": "Sheet 1", "state": "Night filling", "stage": "network"}):
        assert unescape(client.get(f"/read/{token}", params=asked).text) == page
    assert client.get(f"/read/{token}/documents/T1/isolation.txt").status_code == 404
    ids = client.post("/projects/1/sheet/remove", data={"version": 1, "ids": '["Dosing MCC"]'}, headers=PART)
    if "Dosing MCC" in projects.network_of(connect(database), 1).elements:  # what hangs on it goes with it, or first
        ids = client.post("/projects/1/sheet/remove", data={"version": 1, "ids": str([*here, "Dosing MCC"]).replace("'", '"')}, headers=PART)
    assert ids.status_code == 200
    assert client.get(f"/read/{token}").status_code == 404


def test_readers_links_need_no_sign_in(others, database):  # noqa: F811
    enter(others)
    others.post("/projects/1/readers", data={"element": ""})
    (token,) = re.findall(r'href="/read/([\w-]+)"', others.get("/projects/1/readers").text)
    others.cookies.clear()
    assert others.get(f"/read/{token}").status_code == 200
    assert others.post(f"/read/{token}", data={}).status_code == 405


def test_who_else_is_here_and_what_they_have_picked(others, database):  # noqa: F811
    enter(others)
    with served(database) as second:
        enter(second, "ben", PASSWORD + "b")
        second.get("/projects/1/others", params={"window": "b", "picked": "T1"})
        found = others.get("/projects/1/others", params={"window": "a", "picked": ""}).json()
    assert found["version"] == 1
    assert others.app is not second.app  # two applications know of their own windows
    now = [0.0]
    presence = Presence(now=lambda: now[0])
    assert presence.seen(1, "a", "ann", "") == []
    assert presence.seen(1, "b", "ben", "T1") == [("ann", "")]
    assert presence.seen(1, "a", "ann", "W25") == [("ben", "T1")]
    assert presence.seen(2, "c", "cat", "") == []
    assert presence.seen(1, "a2", "ann", "") == [("ben", "T1")]  # one's own other window is nobody else
    now[0] = 7.0
    assert presence.seen(1, "a", "ann", "") == []


@pytest.mark.parametrize(
    ("error", "status", "told"),
    [
        (sqlite3.OperationalError("database or disk is full"), 507, "The disk is full"),
        (sqlite3.OperationalError("attempt to write a readonly database"), 503, "can only be read"),
        (sqlite3.OperationalError("database is locked"), 503, "Another program holds the database"),
        (ZeroDivisionError("secret detail"), 500, "a fault of Northfell's"),
    ],
)
def test_what_fails_is_told_in_a_notice_and_the_page_goes_on(client, database, monkeypatch, error, status, told):  # noqa: F811
    def fails(*_):
        raise error

    monkeypatch.setattr(projects, "write_network", fails)
    answer = edit(client, "W25", "length_m", "700")
    assert answer.status_code == status
    assert told in unescape(answer.text)
    assert "secret detail" not in answer.text
    assert (answer.headers["hx-retarget"], answer.headers["hx-reswap"]) == ("#notice", "innerHTML")
    assert "default-src 'self'" in answer.headers["content-security-policy"]
    monkeypatch.undo()
    assert edit(client, "W25", "length_m", "700").status_code == 200


@pytest.mark.parametrize("number", ["9223372036854775808", "1" + "0" * 400, "-1", "1e3"])
def test_numbers_beyond_every_row_are_refused_in_words(client, number):  # noqa: F811
    assert client.get(f"/projects/{number}/flow").status_code in (404, 422)
    assert client.post(f"/projects/1/history/{number}", data={"version": 1}, headers=PART).status_code in (200, 404, 422)
    assert client.post("/projects/1/undo", data={"version": number}, headers=PART).status_code in (409, 422)
    assert client.get("/", params={"undo": number}).status_code == 422
    assert edit(client, "W25", "length_m", "700", version=number).status_code in (409, 422)
    body = f'{{"version": {number}, "cells": [["W25", "length_m", "70"]]}}'
    assert client.post("/projects/1/table/cable/cells", content=body, headers={"content-type": "application/json"}).status_code in (409, 422)
