"""Every fragment in all its states, on the one page that test mode has for it."""

import re

import pytest
from fastapi.testclient import TestClient

from northfell.app.project.projects import create_project
from northfell.demo import skerrow_water
from northfell.store import connect
from northfell.web.application import create_application
from northfell.web.shell.stage import STAGES


@pytest.fixture
def client_of(tmp_path):
    def make(test_mode: bool) -> TestClient:
        database = tmp_path / "northfell.sqlite"
        client = TestClient(create_application(database, test_mode=test_mode), base_url="http://127.0.0.1")
        db = connect(database)
        create_project(db, skerrow_water())
        db.close()
        return client

    return make


def test_the_page_shows_each_fragment_in_all_its_states(client_of):
    page = client_of(True).get("/projects/1/fragments")
    assert page.status_code == 200
    shown = re.findall(r'data-fragment="([^"]+)" data-state="([^"]+)"', page.text)
    assert len(shown) == len(set(shown)) > 80
    kinds = {e.kind.replace("_", " ") for e in skerrow_water().elements.values()}
    for stage in STAGES.values():
        assert {("shell/_ledger.html", f"{stage.name}, {tab.key}") for tab in stage.tabs} <= set(shown)
        assert {("shell/_card.html", f"{stage.name}, {kind}") for kind in kinds} <= set(shown)
    for told in ("12 of 65 elements out", "accepted is 1 to 80 characters", "being gathered", "out of service", "A typical value can be filled in."):
        assert told in page.text
    assert "Undefined" not in page.text


def test_there_is_no_such_page_outside_test_mode(client_of):
    assert client_of(False).get("/projects/1/fragments").status_code == 404
