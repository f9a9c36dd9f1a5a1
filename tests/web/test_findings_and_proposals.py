"""Findings, causes and proposals without a browser: kept current, acknowledged, followed; worked in, accepted, rebased; nothing hostile runs."""

import io
import json
import re
import time
import zipfile
from html import unescape
from threading import Event
from urllib.parse import quote, unquote

import openpyxl
import pytest
from tests.web.test_pages import HOSTILE, PART, add, client, database  # noqa: F401

from northfell.app.project.projects import change_project, open_project
from northfell.app.results import gathering
from northfell.core.model.changes import Change, Set, apply_change, proposing
from northfell.demo import skerrow_water
from northfell.store import connect
from northfell.web.shell import workspace

DEMO = skerrow_water()
W411 = "stage=flow&selected=W411"


def network(database):  # noqa: F811
    return open_project(connect(database), 1).network


def post(client, path, version=1, **data):  # noqa: F811
    return client.post(f"/projects/1/{path}", data={"version": version, **data}, follow_redirects=False)


UNDER_WAY = ('id="gathering"', 'id="comparing"', 'id="running"', "Each remedy is being solved", "Settings are being tried")


def settled(client, path):  # noqa: F811
    """A page once nothing on it is still being worked out."""
    for _ in range(300):
        page = client.get(path)
        if not any(
            mark in page.text for mark in ('id="gathering"', 'id="comparing"', 'id="running"', "Each remedy is being solved", "Settings are being tried")
        ):
            return page.text
        time.sleep(0.1)
    raise AssertionError


def findings(client, query=""):  # noqa: F811
    return settled(client, f"/projects/1/findings{query}")


def keys(page):
    return [unescape(k) for k in re.findall(r'name="key" value="([^"]+)"', page)]


def test_findings_are_filtered_sorted_and_lead_to_the_element(client):  # noqa: F811
    page = findings(client)
    assert "Cable W411 carries 113.6 % of 153 A" in page
    assert "in 5 states" in page
    assert '/projects/1/flow?state=Tie+closed%2C+T2+out&amp;selected=W411"' in page
    assert findings(client, "?severity=breach").count("<tr id=") == 14
    assert findings(client, "?study=load_flow").count("<tr id=") < page.count("<tr id=")
    assert findings(client, "?q=w411+carries").count("<tr id=") == 1
    assert "Nothing matches" in findings(client, "?q=zzz")
    assert findings(client, "?order=where").index("11 kV board A") < findings(client, "?order=where").index("W411")
    assert findings(client, "?state=Night+filling").count("<tr id=") < page.count("<tr id=")
    lines = client.get("/projects/1/findings.csv").text.splitlines()
    assert lines[0].endswith("severity,element,text,value,limit,unit,stage,worst_in,states,help,acknowledged")
    assert len(lines) == 1 + page.count("<tr id=")


def test_an_acknowledged_finding_is_put_aside_until_its_figure_grows(client, database):  # noqa: F811
    key = next(k for k in keys(findings(client)) if "W411" in k and "load_flow" in k)
    refused = post(client, "findings/acknowledge", key=key, reason=" ")
    assert refused.status_code == 422
    assert "why it is accepted" in refused.text
    assert post(client, "findings/acknowledge", key=key, reason="replaced in spring").status_code == 303
    assert key not in keys(findings(client))
    assert "replaced in spring" in findings(client, "?known=acknowledged")
    counts = client.get("/projects/1/findings/counts?stage=flow", headers=PART).text
    assert re.search(r'aria-label="beyond a limit".*?</svg>\s*13', counts, re.S)
    # the load behind it grows: it stands again, and says what it was
    db = connect(database)
    change_project(db, 1, Change("more", (Set(id="Dosing aux", values={"p_mw": 0.03}),)), 2)
    page = findings(client)
    assert "Was acknowledged (replaced in spring), but its figure has grown since" in page
    assert post(client, "undo", 3).status_code in (200, 303)
    version = open_project(db, 1).version
    assert post(client, "findings/take-back", version, key=key).status_code == 303
    assert key in keys(findings(client))


def test_why_and_a_remedy_kept_as_a_proposal(client, database):  # noqa: F811
    page = settled(client, f"/projects/1/why?{W411}")
    assert "With the same active power and no reactive power it would carry 96.6 %" in page
    assert "2 units of W411 in parallel" in page
    made = post(client, f"why/propose?{W411}", number=0)
    assert made.status_code == 303
    shown = settled(client, made.headers["location"])
    assert "W411: 2 in parallel" in shown
    assert "cured" in shown
    (proposal,) = network(database).proposals
    assert network(database).elements["W411"].parallel == 1
    # a voltage asks for its own remedies, and what has no figure says so
    assert "Voltage on the way" in settled(client, "/projects/1/why?stage=flow&selected=Dosing+MCC")
    assert client.get("/projects/1/why?stage=flow&selected=Standby+set").status_code == 404
    dead = client.get("/projects/1/why?stage=flow&selected=Backwash+MCC&state=Standby+generator+alone")
    assert (dead.status_code, "is not fed" in dead.text) == (404, True)
    # inside the proposal the network is as it would be; an edit goes into it
    inside = f"stage=flow&proposal={quote(proposal.name)}"
    assert "54." in client.get(f"/projects/1/flow?{inside}&selected=W411", headers=PART).text
    version = open_project(connect(database), 1).version
    assert client.post(f"/projects/1/elements/W411/set/length_m?{inside}", data={"version": version, "value": "50"}).status_code == 200
    assert network(database).elements["W411"].length_m == 95
    assert len(network(database).proposals[0].changes) == 2
    for path in ("export", "sheet.pdf", "tables/branches.csv", "results.json", "labels.pdf"):  # what leaves says that it is a proposal
        assert "proposal-2-units" in client.get(f"/projects/1/{path}?{inside}").headers["content-disposition"] or path == "sheet.pdf"
    assert "proposal 2 units of W411" in client.get(f"/projects/1/sheet.svg?{inside}").text
    # the network moves on: a conflict is told, and rebasing settles it
    db = connect(database)
    change_project(db, 1, Change("route", (Set(id="W411", values={"length_m": 120.0}),)), version + 1)
    address = f"proposal/{quote(proposal.name, safe='')}"
    page = client.get(f"/projects/1/{address}").text
    assert "length was 95 when this was proposed and is 120 now; proposed is 50" in unescape(page)
    assert post(client, address, version + 2, act="rebase").status_code == 303
    assert "moved on since" not in client.get(f"/projects/1/{address}").text
    # a part of it, then the rest
    assert post(client, address, version + 3, act="accept chosen", number=1).status_code == 303
    assert network(database).elements["W411"].length_m == 50
    assert network(database).elements["W411"].parallel == 1
    assert post(client, address, version + 4, act="accept").status_code == 303
    assert network(database).elements["W411"].parallel == 2
    assert network(database).proposals == []


def test_proposals_are_made_compared_renamed_and_dropped(client, database):  # noqa: F811
    assert post(client, "proposals", name="").status_code == 422
    assert post(client, "proposals", name="Longer").headers["location"] == "/projects/1/flow?proposal=Longer"
    assert post(client, "proposals", 2, name="Longer").status_code == 422
    db = connect(database)
    change_project(db, 1, Change("route", (Set(id="W411", values={"length_m": 500.0}),)), 2, "Longer")
    post(client, "proposals", 3, name="Shorter", note="by the yard")
    both = settled(client, "/projects/1/proposals?chosen=Longer&chosen=Shorter")
    assert both.count("as it stands") >= 5
    assert "Dosing MCC" in both
    watched = settled(client, "/projects/1/proposals?chosen=Longer&watch=W411&watch=Dosing+MCC&watch=none")
    assert re.search(r'<th class="num">W411</th><th class="num">Dosing MCC</th></tr>', watched)
    assert "110.7 %" in watched
    assert "0.9970 p.u." in watched
    assert post(client, "proposal/Shorter", 4, act="rename", value="Yard", note="by the yard").headers["location"] == "/projects/1/proposal/Yard"
    assert post(client, "proposal/Longer", 5, act="take out", number=0).status_code == 303
    assert post(client, "proposal/Yard", 6, act="accept").status_code == 422
    assert post(client, "proposal/Yard", 6, act="drop").status_code == 303
    assert [p.name for p in network(database).proposals] == ["Longer"]
    assert client.get("/projects/1/proposal/Yard").status_code == 404
    # a look inside one that is gone is a look at the network
    assert 'id="inside"' not in client.get("/projects/1/flow?proposal=Yard", headers=PART).text


def test_hostile_text_stays_text(client, database):  # noqa: F811
    hostile, _ = apply_change(DEMO, Change(HOSTILE, (Set(id="W411", values={"name": HOSTILE}),)))
    hostile, _ = apply_change(hostile, proposing.new_proposal(hostile, HOSTILE, HOSTILE, [Change(HOSTILE, (Set(id="W411", values={"length_m": 50.0}),))]))
    project = add(database, hostile)
    address = f"proposal/{quote(HOSTILE, safe='')}"
    paths = ["findings", "proposals", f"proposals?chosen={quote(HOSTILE)}", address, "why?stage=flow&selected=W411",
             f"flow?proposal={quote(HOSTILE)}&selected=W411", "flow?tab=outages", "results.pdf?stage=flow"]  # fmt: skip
    for path in paths:
        answer = client.get(f"/projects/{project}/{path}")
        assert answer.status_code == 200, path
        assert "<script>alert(1)" not in answer.text, path


@pytest.mark.parametrize(
    "path", ["why", "why?stage=flow&selected=nothing", "why?state=nowhere&selected=W411", "proposal/none", "findings?study=zz&order=zz&known=zz",
             "results.doc",
             "results.pdf?stage=network", "flow?tags=zz.kv&shade=loading&pin=00", "working?study=load_flow&quantity=v_pu&selected=W411",
             "working?study=load_flow&quantity=loading_pct&selected=P1", "proposals?chosen=none", "flow?tab=start&selected=Dosing+MCC",
             "tables/outages.csv?stage=flow", "findings/progress", "proposals/progress?chosen=none"]
)  # fmt: skip
def test_odd_requests_are_answered_in_words(client, path):  # noqa: F811
    assert client.get(f"/projects/1/{path}").status_code < 500


def test_results_leave_as_files_that_say_whose_they_are(client):  # noqa: F811
    answers = {form: client.get(f"/projects/1/results.{form}?stage=flow&state=Night+filling") for form in ("zip", "xlsx", "pdf", "json")}
    for form, answer in answers.items():
        assert answer.status_code == 200
        assert re.search(rf'filename="skerrow-water-night-filling-load-flow-\d{{4}}-\d\d-\d\d-\d{{4}}\.{form}"', answer.headers["content-disposition"])
    pack = zipfile.ZipFile(io.BytesIO(answers["zip"].content))
    assert {name.rpartition("/")[2] for name in pack.namelist()} >= {"buses.csv", "branches.csv", "totals.csv", "reactive.csv", "findings.csv", "settings.csv"}
    told = json.loads(answers["json"].content)
    assert (told["project"], told["state"], told["study"]) == ("Skerrow Water", "Night filling", "load_flow")
    book = openpyxl.load_workbook(io.BytesIO(answers["xlsx"].content))
    assert book["buses"].max_row - 1 == len(told["tables"]["buses"]["rows"])
    assert answers["pdf"].content.startswith(b"%PDF")


def test_a_pinned_result_is_what_later_ones_are_compared_with(client, database):  # noqa: F811
    shown = client.post("/projects/1/pin?stage=flow&tab=buses", headers=PART)
    pin = re.search(r"pin=([0-9a-f]+)", shown.headers["HX-Replace-Url"])[1]
    assert "+/−" in shown.text
    edited = client.post(f"/projects/1/elements/Q10/operate?stage=flow&tab=buses&pin={pin}", data={"version": 1}, headers=PART).text
    assert "difference to the pinned result" in edited
    assert re.search(r"11 kV board A.*?−0\.00\d|11 kV board A.*?\+0\.00\d", edited, re.S)
    assert "difference to the pinned result" not in client.get("/projects/1/flow?pin=0123", headers=PART).text


def test_elements_out_run_on_request_and_stay_for_the_version(client):  # noqa: F811
    assert "Run" in client.get("/projects/1/flow?tab=outages", headers=PART).text
    client.post("/projects/1/run/outages?stage=flow&tab=outages", headers=PART)
    page = settled(client, "/projects/1/flow?tab=outages")
    assert "Blower aux, Filter valves, Hall services" in unquote(page)
    assert client.get("/projects/1/tables/outages.csv?stage=flow").status_code == 200


def test_a_run_that_ends_while_the_page_is_made_is_looked_at_again(client, monkeypatch):  # noqa: F811
    """The rows were made before it ended, the mark after: the page still says that it runs, and so asks once more."""
    may_end, whole = Event(), workspace.ledger_of
    jobs = client.app.state.jobs
    monkeypatch.setattr(gathering, "asked_for", lambda *given: may_end.wait(20))
    client.post("/projects/1/run/outages?stage=flow&tab=outages", headers=PART)

    def made_before_it_ended(look):
        ledger = whole(look)
        may_end.set()
        for job in jobs._jobs.values():
            job.future.result(timeout=20)
        return ledger

    monkeypatch.setattr(workspace, "ledger_of", made_before_it_ended)
    assert 'id="running"' in client.get("/projects/1/flow?tab=outages", headers=PART).text
    assert 'id="running"' not in client.get("/projects/1/flow?tab=outages", headers=PART).text


def test_the_maximum_load_is_found_on_request_with_its_curve(client):  # noqa: F811
    asked = client.get("/projects/1/flow?tab=maximum", headers=PART).text
    assert "Raises all loads and motors until no more is drawn, in Normal" in asked
    assert client.get("/projects/1/tables/maximum.csv?stage=flow").status_code == 404
    client.post("/projects/1/run/maximum?stage=flow", headers=PART)
    page = settled(client, "/projects/1/flow?tab=maximum")
    assert "Voltage over load at Dosing MCC, island of Infeed A" in page
    assert "Raises what P1 draws" in client.get("/projects/1/flow?tab=maximum&selected=P1", headers=PART).text
    csv = client.get("/projects/1/tables/maximum.csv?stage=flow").text.splitlines()
    assert csv[1].startswith("Normal,Infeed A,all loads and motors,4.6")
    assert len(client.get("/projects/1/tables/loading_curve.csv?stage=flow").text.splitlines()) > 10
    client.post("/projects/1/run/maximum?stage=flow&selected=P4", headers=PART)
    assert "Induction motor P4: nothing is drawn that could be raised." in settled(client, "/projects/1/flow?tab=maximum&selected=P4")


def test_a_motor_start_is_shown_on_sheet_and_in_the_ledger(client):  # noqa: F811
    page = client.get("/projects/1/flow?tab=start&selected=P1", headers=PART).text
    assert "P1 starts direct on line: 5.964 MVA" in page
    assert "while P1 starts" in page
    assert "Select a motor" in client.get("/projects/1/flow?tab=start", headers=PART).text


def test_chosen_quantities_and_shading_stand_in_the_address(client):  # noqa: F811
    page = client.get("/projects/1/flow?tags=dev.i&shade=loading", headers=PART).text
    assert "tone-breach" in page
    assert re.search(r">169 A<", page)
    assert "low-1" not in re.sub(r'<div class="legend".*?</div>', "", page, flags=re.S).split('id="ledger"')[0].split("<title>")[1]
