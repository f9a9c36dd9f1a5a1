"""The Sizing stage without a browser: every tab, cards, workings; sizes kept row by row; what is hostile or wrong is refused."""

import json
import re
import time

import pytest
from tests.web.test_findings_and_proposals import network, post
from tests.web.test_pages import HOSTILE, client, database  # noqa: F401

from northfell.app.project.projects import change_project, create_project
from northfell.core.model.changes import Change, Set
from northfell.demo import bracken_quay
from northfell.formats import northfell_json
from northfell.store import connect

TABS = ("circuits", "beside", "rules", "cables", "raceways", "loads", "panels", "left")


def sizes(client, query="of=all", project=1):  # noqa: F811
    """The page of proposed sizes, once they are found."""
    for _ in range(300):
        page = client.get(f"/projects/{project}/sizes?stage=sizing&{query}").text
        if "Circuits are being sized" not in page:
            return page
        time.sleep(0.1)
    raise AssertionError


@pytest.mark.parametrize("project", [1, 2])
def test_every_tab_and_its_files(client, database, project):  # noqa: F811
    if project == 2:
        create_project(connect(database), northfell_json.read(bracken_quay()))
    for tab in TABS:
        page = client.get(f"/projects/{project}/sizing?tab={tab}&selected={'W411' if project == 1 else ''}")
        assert page.status_code == 200
        table = re.search(r"tables/(\w+)\.csv", page.text)
        if table:
            assert client.get(f"/projects/{project}/tables/{table[1]}.csv?stage=sizing").status_code == 200
    whole = client.get(f"/projects/{project}/results.json?stage=sizing").json()
    assert {"circuits", "rules", "left_out", "cables", "raceways", "loads", "panels"} <= set(whole["tables"])
    assert client.get(f"/projects/{project}/results.pdf?stage=sizing").content[:4] == b"%PDF"


def test_the_card_shows_the_ladder_and_every_rule_its_working(client):  # noqa: F811
    card = client.get("/projects/1/sizing?selected=W411").text
    assert 'class="rung breach"' in card
    assert "entered 50 mm²" in card
    for rule in ("iec.minimum", "iec.overload", "iec.1_45", "iec.drop", "iec.withstand", "iec.disconnect"):
        told = client.get(f"/projects/1/working?stage=sizing&selected=W411&study=sizing&quantity=rule&part={rule}")
        assert told.status_code == 200
        assert rule in told.text
    assert client.get("/projects/1/working?stage=sizing&selected=W411&study=sizing&quantity=rule&part=iec.harmonic").status_code == 404
    assert client.get("/projects/1/working?stage=sizing&selected=Q1&study=sizing&quantity=rule&part=iec.drop").status_code == 404
    assert "rated current" in client.get("/projects/1/sizing?selected=T3").text
    assert "Select a cable" in client.get("/projects/1/sizing?selected=Q1").text


def test_rows_are_kept_as_a_proposal_and_accepting_them_leaves_no_finding(client, database):  # noqa: F811
    page = sizes(client)
    assert page.count('name="rows"') == 2
    assert post(client, "sizes/keep?stage=sizing", of="all").status_code == 422  # none is chosen
    assert post(client, "sizes/keep?stage=sizing", of="all", rows=[7]).status_code == 404
    kept = post(client, "sizes/keep?stage=sizing", of="all", rows=[0, 1])
    assert kept.status_code == 303
    (proposal,) = network(database).proposals
    assert proposal.name == "Sized by IEC 60364"
    assert post(client, "proposal/Sized%20by%20IEC%2060364", 2, act="accept").status_code == 303
    now = network(database)
    assert now.elements["W411"].area_mm2 == 95.0
    assert now.elements["W411"].pe_mm2 == 50.0
    assert now.elements["Q311"].trip_ir_a == 651.0
    assert "Every circuit that is chosen keeps its rules" in sizes(client, "of=downstream&selected=Filter+hall")


def test_what_is_picked_and_what_hangs_on_something(client):  # noqa: F811
    asked = client.post("/projects/1/sizes?stage=sizing", data={"of": "picked", "ids": json.dumps(["W411", "Q1", "nothing"])})
    assert asked.status_code == 200
    assert "W411" in sizes(client, "of=downstream&selected=Ozone+hall")
    assert client.get("/projects/1/sizes?stage=sizing&of=this&selected=Q1").status_code == 404  # no cable
    assert client.get("/projects/1/sizes?stage=sizing&of=everything").status_code in (404, 422)
    assert client.post("/projects/1/sizes?stage=sizing", data={"of": "picked", "ids": "{"}).status_code == 422


def test_names_are_text_wherever_they_are_shown(client, database):  # noqa: F811
    change_project(connect(database), 1, Change("hostile", (Set(id="W411", values={"name": HOSTILE, "route": HOSTILE}),)), 1)
    for page in (*(client.get(f"/projects/1/sizing?tab={tab}&selected=W411").text for tab in TABS), sizes(client)):
        assert HOSTILE not in page
    assert HOSTILE not in client.get("/projects/1/working?stage=sizing&selected=W411&study=sizing&quantity=rule&part=iec.drop").text


def test_a_code_is_chosen_and_what_it_needs_is_told(client):  # noqa: F811
    page = client.get("/projects/1/sizing")
    assert "IEC 60364" in page.text
    assert post(client, "settings/sizing.code", value="NEC 2023").status_code in (200, 303)
    assert "By NEC 2023" in client.get("/projects/1/sizing").text
    assert "needs its raceway" in client.get("/projects/1/sizing?selected=W411").text
