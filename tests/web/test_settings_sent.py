"""Settings sent to relays over HTTP: read back and compared, kept as sent, told where they differ since; by a stand-in on this machine."""

import re
import threading

import pytest
from fastapi.testclient import TestClient
from tests.web.test_findings_and_proposals import network

from northfell.app.here import address_here
from northfell.app.project.projects import change_project, create_project
from northfell.app.relays import NotSent, StandIn, send
from northfell.core.errors import NetworkRefused
from northfell.core.model.changes import Change, Set
from northfell.demo import skerrow_water
from northfell.store import connect, sent
from northfell.web.application import create_application

HOSTILE = '<img src=x onerror="1">/?#'


@pytest.fixture
def stand_in():
    with StandIn(0, 0.01) as relays:
        threading.Thread(target=relays.serve_forever, daemon=True).start()
        yield relays
        relays.shutdown()


def address(relays: StandIn) -> str:
    return f"http://127.0.0.1:{relays.server_address[1]}"


@pytest.fixture
def made(tmp_path, stand_in):
    database = tmp_path / "northfell.sqlite3"
    with TestClient(create_application(database, relays=address(stand_in)), base_url="http://127.0.0.1") as client:
        create_project(connect(database), skerrow_water())
        yield client, database


def row(page: str, name: str) -> str:
    found = next(one for one in re.findall(r"<tr>.*?</tr>", page, re.S) if f"<strong>{name}</strong>" in one)
    return re.sub(r"<[^>]+>|\s+", " ", found)


def test_a_device_is_sent_its_settings_and_what_it_holds_otherwise_is_told(made, stand_in):
    client, database = made
    assert "never" in row(client.get("/projects/1/settings-sent?stage=coordination").text, "Q25")
    page = client.post("/projects/1/settings-sent?stage=coordination", data={"device": "Q25"}).text
    held = stand_in.held["/devices/Q25"]
    assert held["B25, 51: Curve"] == "IEC_EI"
    relay = network(database).elements["B25"]
    exact = relay.i_pickup_a * relay.ct_secondary_a / relay.ct_primary_a
    assert held["B25, 51: Pickup, secondary [A]"] == round(exact, 2)  # secondary, to its step
    assert abs(exact - round(exact, 2)) > 1e-4
    assert "it holds other values" in row(page, "Q25")
    assert "B25, 51: Pickup, secondary [A]" in row(page, "Q25")
    assert "never" in row(page, "Q26")
    kept = sent.of_project(connect(database), 1)
    assert set(kept) == {"Q25"}
    assert kept["Q25"].told == held
    # set otherwise later: known without asking the relay
    change_project(connect(database), 1, Change("", (Set(id="B25", values={"time_multiplier": 0.5}),)), 1)
    assert "B25, 51: Time multiplier 0.35 → 0.5" in row(client.get("/projects/1/settings-sent").text, "Q25")


def test_all_that_differ_are_sent_at_once_and_what_is_the_same_is_left(made, stand_in):
    client, _ = made
    stand_in.step = 0.0
    page = client.post("/projects/1/settings-sent", data={"device": ""}).text
    assert "✓" in row(page, "Q25")
    assert "sent, and read back" in row(page, "Q31")  # an electronic trip too
    assert {"/devices/Q25", "/devices/Q31", "/devices/Q1"} <= set(stand_in.held)
    stand_in.held.clear()
    again = client.post("/projects/1/settings-sent", data={"device": ""}).text
    assert not stand_in.held
    assert "sent, and read back" not in again


def test_relays_of_every_setting_group_are_sent(made, stand_in):
    client, database = made
    groups = (Set(id="B25", values={"setting_group": 2}), Set(id="B26", values={"breaker": "Q25", "setting_group": 1}))
    change_project(connect(database), 1, Change("", groups), 1)
    client.post("/projects/1/settings-sent", data={"device": "Q25"})
    assert {key.split(",")[0] for key in stand_in.held["/devices/Q25"]} == {"B25", "B26"}


def test_what_does_not_answer_is_told_and_nothing_is_kept(made, stand_in):
    client, database = made
    stand_in.shutdown()
    stand_in.server_close()
    page = client.post("/projects/1/settings-sent", data={"device": "Q25"})
    assert page.status_code == 200
    assert "No relay answers" in row(page.text, "Q25")
    assert not sent.of_project(connect(database), 1)


def test_names_are_text_and_proposals_are_not_sent(made, stand_in):
    client, database = made
    change_project(connect(database), 1, Change("named", (Set(id="Q31", values={"name": HOSTILE}),)), 1)
    page = client.post("/projects/1/settings-sent", data={"device": "Q31"}).text
    assert HOSTILE not in page
    assert "&lt;img" in page
    assert list(stand_in.held) == ["/devices/%3Cimg%20src%3Dx%20onerror%3D%221%22%3E%2F%3F%23"]
    assert client.post("/projects/1/settings-sent?proposal=Faster", data={"device": "Q31"}).status_code == 404


def test_without_relays_nothing_can_be_sent(tmp_path):
    with TestClient(create_application(tmp_path / "n.sqlite3"), base_url="http://127.0.0.1") as client:
        create_project(connect(tmp_path / "n.sqlite3"), skerrow_water())
        page = client.get("/projects/1/settings-sent").text
        assert "No relays are connected" in page
        assert '<button class="btn">Send' not in page
        assert client.post("/projects/1/settings-sent", data={"device": "Q25"}).status_code == 404


@pytest.mark.parametrize(
    "told", ["http://192.0.2.7:9102", "https://127.0.0.1:9102", "ftp://127.0.0.1", "127.0.0.1:9102", "http://127.0.0.1.example.org", "http://127.0.0.1/x"]
)
def test_only_this_machine_is_an_address_of_relays(told):
    with pytest.raises(NetworkRefused, match="on this machine"):
        address_here("relays", told, 9102)
    assert address_here("relays", "http://localhost:9102/", 9102) == "http://localhost:9102"


def test_what_a_relay_answers_must_be_settings(stand_in):
    stand_in.take = lambda path, told: stand_in.held.__setitem__(path, {"x": [1]})
    with pytest.raises(NotSent, match="no settings"):
        send(address(stand_in), "Q1", {"x": 1.0})
