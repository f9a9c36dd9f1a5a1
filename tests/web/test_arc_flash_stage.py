"""The Arc flash stage over HTTP: what to change, and labels that are printed, kept as printed, and known to have changed."""

import io
import re
from html import unescape

import pypdf
from tests.web.test_findings_and_proposals import client, database, network, post, settled  # noqa: F401

from northfell.app.project.projects import change_project
from northfell.core.model.changes import Change, Set
from northfell.store import connect


def test_what_to_change_for_less_energy_is_told_and_kept_as_a_proposal(client, database):  # noqa: F811
    here = "stage=arc-flash&selected=Filter+hall&side=line"
    assert "What to change" in client.get("/projects/1/arc-flash?selected=Filter+hall&side=line").text
    page = settled(client, f"/projects/1/energy-remedies?{here}")
    assert "Filter hall, line side: 44.6 cal/cm²" in page
    assert "high stage, primary 1570 A → 555 A" in page
    kept = post(client, f"energy-remedies/propose?{here}", number=0)
    assert kept.status_code == 303
    (proposal,) = network(database).proposals
    assert not [e for e in network(database).elements.values() if e.kind == "zone_relay"]
    inside = client.get(f"/projects/1/arc-flash?selected=Filter+hall&side=line&proposal={proposal.name}").text
    assert "2.87" in inside
    assert "43.9 in Standby generator alone" in page or "43.8 in Standby generator alone" in page  # what is well in Normal need not be so elsewhere
    assert "There is no incident energy at this place" in settled(client, "/projects/1/energy-remedies?stage=arc-flash&selected=Q25")
    assert client.get("/projects/1/energy-remedies?stage=arc-flash&selected=Filter+hall&side=nowhere").status_code == 422


def rows(page: str) -> dict[tuple[str, str], str]:
    """The rows of the printing page by equipment and side."""
    found = re.findall(r"<tr><td><input[^>]*aria-label=\"([^\"]*), (\w+(?: \d)?) side\"(.*?)</tr>", page, re.S)
    return {(unescape(name), side): row for name, side, row in found}


def test_labels_are_printed_kept_and_only_those_that_changed_are_due(client, database):  # noqa: F811
    page = client.get("/projects/1/labels?stage=arc-flash")
    every = rows(page.text)
    assert len(every) == 11
    assert all("checked" in row and "never" in row for row in every.values())
    some = ["Filter hall\r\nline", "Filter hall\nload", "Blower MCC\nload"]  # however a browser writes the end of a line
    made = client.post("/projects/1/labels?stage=arc-flash", data={"chosen": some, "copies": 2, "remark": "Spring  outage <b>", "job": "Round 1", "used": 1})
    assert made.headers["content-disposition"].endswith('"labels-round-1.pdf"')
    reader = pypdf.PdfReader(io.BytesIO(made.content))
    assert reader.metadata.title == "Arc-flash labels, Round 1"
    texts = [p.extract_text() for p in reader.pages]
    assert [t.count("Arc flash and shock hazard") for t in texts] == [1, 2, 2, 1]  # six of them, from the second place on
    assert sum(t.count("Spring outage <b>") for t in texts) == 6
    now = rows(client.get("/projects/1/labels?stage=arc-flash").text)
    assert "as it hangs there" in now["Filter hall", "line"]
    assert "Round 1" in now["Filter hall", "line"]
    assert "checked" not in now["Filter hall", "line"]
    assert "checked" in now["Ozone hall", "load"]  # never printed
    assert list(now)[-3:] != list(every)[-3:]  # what is due stands first
    # a setting is changed: the label of that place alone says something else
    change_project(connect(database), 1, Change("", (Set(id="B25", values={"i_high_a": 555.0, "t_high_s": 0.3}),)), 1)
    after = rows(client.get("/projects/1/labels?stage=arc-flash").text)
    assert "checked" in after["Filter hall", "line"]
    assert re.search(r"Incident energy 44\.7 cal/cm² → \d", after["Filter hall", "line"])
    assert "State Normal → Standby generator alone" in after["Filter hall", "line"]
    assert "checked" not in after["Blower MCC", "load"]


def test_what_is_wrongly_asked_of_a_job_is_refused_and_nothing_is_kept(client, database):  # noqa: F811
    here = "/projects/1/labels?stage=arc-flash"
    some = ["Filter hall\nline"]
    for wrong in ({}, {"chosen": ["nowhere\nload"]}, {"chosen": some, "copies": 0}, {"chosen": some, "copies": 21}, {"chosen": some, "used": 2},
                  {"chosen": some, "remark": "x" * 121}, {"chosen": some, "remark": "変電"}):  # fmt: skip
        assert client.post(here, data=wrong).status_code == 422, wrong
    assert "as it hangs there" not in client.get(here).text
    # what a proposal sets is not installed
    post(client, "energy-remedies/propose?stage=arc-flash&selected=Filter+hall&side=line", number=0)
    (proposal,) = network(database).proposals
    assert client.post(f"{here}&proposal={proposal.name}", data={"chosen": some}).status_code == 200
    assert "printing them is not kept" in client.get(f"{here}&proposal={proposal.name}").text
    assert "as it hangs there" not in client.get(here).text
