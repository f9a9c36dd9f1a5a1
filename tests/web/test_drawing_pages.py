"""Drawing without a browser: routes answer in words, a part of an answer makes the whole, files of sheets and projects hold."""

import contextlib
import io
import json
import re
import xml.etree.ElementTree as ET
import zipfile

import pypdf
import pytest
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis import strategies as st
from tests.web.test_pages import HERE, HOSTILE, PART, add, client, database  # noqa: F401

from northfell.app.project.projects import change_project, create_project, open_project, whole_project
from northfell.core.errors import NetworkRefused
from northfell.core.model.changes import Change, Set, apply_change
from northfell.demo import skerrow_water
from northfell.documents.sheets import PAGES_MM, page_for
from northfell.formats import northfell_zip
from northfell.store import connect
from northfell.web.application import create_application


def post(client, path, data, version=1, **view):  # noqa: F811
    return client.post(f"/projects/1/{path}", data={"version": version, **data}, params=view, headers=PART)


def groups(text: str) -> list[str]:
    return re.findall(r"<a[^>]* class=\"(?:el|away)[^>]*>.*?</a>", text, re.DOTALL)


def rows(text: str) -> list[str]:
    """The rows of the ledger: those of tables on a card have no attributes."""
    return re.findall(r"<tr [^>]*>.*?</tr>", text[text.index("<tbody") :], re.DOTALL) if "<tbody" in text else []


def put_in(shown: list[str], sent: list[str], some: bool) -> list[str]:
    """What a window shows after an answer: some of it replaced by position, or all of it."""
    if not some:
        return sent
    kept = list(shown)
    for one in sent:
        n = int(re.search(r' data-n="(\d+)"', one)[1])
        kept[n] = one.replace(f' data-n="{n}"', "", 1)
    return kept


@pytest.mark.parametrize("stage", ["network", "flow", "faults", "coordination", "arc-flash", "sizing"])
def test_a_part_of_an_answer_put_in_place_makes_the_whole(client, stage):  # noqa: F811
    """Through edits, switching, selecting, moving, and another tab and state, the parts add up to what a whole page shows."""
    has, seen, lines, version = "", [], [], 1
    steps = [
        ("elements/W25/set/length_m", {"value": "700"}, {"selected": "W25"}), ("elements/Q31/operate", {}, {"selected": "Q31"}),
        ("sheet/move", {"ids": '["C1"]', "dx": 2, "dy": 1}, {"selected": "C1"}), ("sheet/off", {"ids": '["P4"]'}, {}),
        ("elements/T3/set/name", {"value": "T3 new"}, {"selected": "T3", "state": "Night filling"}), ("undo", {}, {"selected": "T3"}),
    ]  # fmt: skip
    for path, data, view in steps:
        answer = client.post(f"/projects/1/{path}", data={"version": version, **data}, params={"stage": stage, **view}, headers={**PART, "x-has": has})
        assert answer.status_code == 200, path
        seen = put_in(seen, groups(answer.text), bool(re.search(r'id="sheet"[^>]* data-some', answer.text)))
        lines = put_in(lines, rows(answer.text), "<tbody hx-morph-skip-children data-some" in answer.text)
        version = int(client.get("/projects/1/version").text)
        whole = client.get(f"/projects/1/{stage}", params=view, headers=PART).text
        assert seen == groups(whole), path
        assert lines == rows(whole), path
        has = re.search(r'data-has="(\w+)"', answer.text)[1]


def blocks(text: str) -> dict[str, str | None]:
    """The blocks of an answer by name, None where it is left to what the window has."""
    found: dict[str, str | None] = {}
    for start in re.finditer(r'<div class="kept" id="kept-([\w-]+)"( hx-morph-skip-children)?>', text):
        depth, at = 1, start.end()
        while depth:
            tag = re.compile(r"<div\b|</div>").search(text, at)
            depth, at = depth + (1 if tag[0] == "<div" else -1), tag.end()
        inside = text[start.end() : at - len("</div>")]
        assert not (start[2] and inside)
        found[start[1]] = None if start[2] else inside
    return found


@pytest.mark.parametrize("stage", ["network", "flow"])
def test_blocks_left_out_are_as_the_window_has_them(client, stage):  # noqa: F811
    """Through right and wrong values, another element and none, each block is sent anew or was the same."""
    has, shown, left = "", {}, 0
    steps = [
        ("W25", "length_m", "700"), ("W25", "length_m", "many"), ("W25", "parallel", "2"), ("W25", "length_m", "700"), ("W26", "length_m", "1"),
        ("W26", "r_ohm_per_km", "0.2"), ("", "", ""), ("T3", "uk_pct", "5.9"), ("T3", "uk_pct", "5.9"),
    ]  # fmt: skip
    for element, field, value in steps:
        look, headers = {"stage": stage, "selected": element}, {**PART, "x-has": has}
        version = client.get("/projects/1/version").text
        if element:
            answer = client.post(f"/projects/1/elements/{element}/set/{field}", data={"value": value, "version": version}, params=look, headers=headers)
        else:
            answer = client.get(f"/projects/1/{stage}", headers=headers)
        sent = blocks(answer.text)
        left += sum(block is None for block in sent.values())
        shown = {name: shown[name] if block is None else block for name, block in sent.items()}
        if value == "many":
            assert answer.status_code == 422
            assert 'value="many"' in "".join(shown.values())
        else:
            assert shown == blocks(client.get(f"/projects/1/{stage}", params=look, headers=PART).text), (element, field)
        has = re.search(r'data-has="(\w+)"', answer.text)[1]
    assert left > 40


@pytest.mark.parametrize("stage", ["flow", "faults", "arc-flash"])
def test_rows_taken_as_they_were_made_are_those_made_anew(client, stage):  # noqa: F811
    for k, value in enumerate(("412", "411.999999", "700")):
        post(client, "elements/W25/set/length_m", {"value": value}, version=k + 1, stage=stage)
        while "HX-Trigger" not in client.get(f"/projects/1/findings/counts?stage={stage}", headers=PART).headers:
            pass
        kept = rows(client.get(f"/projects/1/{stage}", headers=PART).text)
        anew = rows(client.get(f"/projects/1/{stage}").text)
        assert kept == anew
        assert len(anew) > 5
    copied = client.get(f"/projects/1/ledger.tsv?stage={stage}").text
    post(client, "elements/W25/set/length_m", {"value": "700.0001"}, version=4, stage=stage)
    assert client.get(f"/projects/1/ledger.tsv?stage={stage}").text != copied  # every digit, of this version


def test_a_row_of_which_only_the_least_current_changes_is_made_anew(client):  # noqa: F811
    seen = []
    for k, value in enumerate(("7", "6.5")):
        assert post(client, "elements/Infeed%20A/set/ik_min_ka", {"value": value}, version=k + 1, stage="faults").status_code == 200
        while "HX-Trigger" not in client.get("/projects/1/findings/counts?stage=faults", headers=PART).headers:
            pass
        seen.append(rows(client.get("/projects/1/faults", headers=PART).text))
        assert seen[-1] == rows(client.get("/projects/1/faults").text)
    assert seen[0] != seen[1]


def test_a_small_edit_sends_a_small_part(client):  # noqa: F811
    whole = post(client, "elements/Blower%20aux/set/q_mvar", {"value": "0.021"}, stage="network", selected="Blower aux")
    has = re.search(r'data-has="(\w+)"', whole.text)[1]
    path, look = "/projects/1/elements/Blower%20aux/set/q_mvar", {"stage": "network", "selected": "Blower aux"}
    part = client.post(path, data={"value": "0.022", "version": 2}, params=look, headers={**PART, "x-has": has})
    assert len(groups(part.text)) < 5 < len(groups(whole.text))
    assert len(rows(part.text)) < 5 < len(rows(whole.text))


@pytest.mark.parametrize(
    ("path", "data", "status", "told"),
    [
        ("sheet/move", {"ids": "[]", "dx": 1}, 422, "at least one element"), ("sheet/move", {"ids": "{", "dx": 1}, 422, "at least one element"),
        ("sheet/fly", {"ids": '["C1"]'}, 404, "There is no act"), ("sheet/turn", {"ids": '["nothing"]'}, 422, "There is no element"),
        ("sheet/move", {"ids": '["C1"]', "dx": "nan"}, 422, "dx"), ("sheet/align", {"ids": '["C1"]'}, 404, "There is no act"),
        ("place", {"kind": "pump", "x": 1, "y": 1}, 404, "There is no kind"), ("place", {"kind": "relay", "x": 900, "y": 900}, 422, "Drop it on the symbol"),
        ("connect", {"element": "C1", "terminal": 7, "x": 1, "y": 1}, 422, "has no terminal 8"), ("join", {"bus": "zz", "x": 1, "y": 1}, 422, "no element"),
        ("paste", {"text": HOSTILE}, 422, "what was copied from a sheet"), ("sheets", {"act": "add", "value": "Whole works"}, 422, "no other sheet has"),
        ("sheets", {"act": "fly"}, 422, "act"), ("sheets", {"act": "remove"}, 422, "at least one sheet"), ("history/99", {}, 200, "no longer in the history"),
        ("names/pump", {"value": "P"}, 422, "There is no kind"), ("names/cable", {"value": "x" * 21}, 422, "up to 20 characters"),
        ("sheet/fold", {"ids": '["C1"]'}, 422, "a board that stands on sheet"), ("assemblies/77/place", {}, 404, "no such assembly"),
    ],
)  # fmt: skip
def test_what_cannot_be_drawn_is_told_in_words(client, path, data, status, told):  # noqa: F811
    answer = post(client, path, data)
    assert answer.status_code == status, answer.text[:500]
    assert told in answer.text
    assert "Traceback" not in answer.text
    assert client.get("/projects/1/version").text == "1"


def test_names_begin_as_the_project_says(client):  # noqa: F811
    assert post(client, "names/cable", {"value": "CAB-"}).status_code == 200
    made = client.get("/projects/1/extend/preview", params={"selected": "Ozone hall", "text": "cable 50 cu 10 m", "stage": "network"})
    assert "Cable CAB-1" in made.text
    assert post(client, "names/cable", {"value": ""}, version=2).status_code == 200
    made = client.get("/projects/1/extend/preview", params={"selected": "Ozone hall", "text": "cable 50 cu 10 m", "stage": "network"})
    assert "Cable W1" in made.text


def test_sheets_as_files(client, database):  # noqa: F811
    network, _ = apply_change(skerrow_water(), Change(HOSTILE, (Set(id="Filter hall", values={"name": HOSTILE}),)))
    project = add(database, network)
    svg = client.get(f"/projects/{project}/sheet.svg", params={"stage": "flow"})
    drawn = ET.fromstring(svg.text)
    assert "<script>" not in svg.text
    texts = [t.text for t in drawn.iter("{http://www.w3.org/2000/svg}text")]
    assert HOSTILE in texts
    assert "0.4031" in texts
    pdf = client.get(f"/projects/{project}/sheet.pdf", params={"stage": "flow", "state": "Night filling"})
    (page,) = pypdf.PdfReader(io.BytesIO(pdf.content)).pages
    text = page.extract_text()
    assert "Ozone hall" in text
    assert "Night filling" in text
    assert client.get(f"/projects/{project}/sheet.pdf", params={"state": "nowhere"}).status_code == 404


def test_the_page_is_the_smallest_on_which_names_stay_readable():
    assert page_for(900, 600)[0] == "A4"
    assert page_for(6000, 1000)[0] == "A1"
    assert page_for(90_000, 60_000)[0] == PAGES_MM[-1][0]


def test_assemblies_page_and_line(client):  # noqa: F811
    page = client.get("/projects/1/assemblies", params={"selected": "Ozone hall"})
    assert "They are placed from Ozone hall." in page.text
    assert "tx 11/0.42 630 kVA" in client.get("/projects/1/assemblies/unit-substation/line", params={"power": "630 kVA"}).text
    assert client.get("/projects/1/assemblies/nothing/line").status_code == 404
    stored = post(client, "assemblies", {"ids": '["W411", "Dosing MCC"]', "name": "<b>Mine</b>"})
    assert stored.status_code == 200
    assert "&lt;b&gt;Mine" in client.get("/projects/1/assemblies").text
    placed = post(client, "assemblies/1/place", {}, selected="Ozone hall")
    assert placed.status_code == 200
    assert client.get("/projects/1/version").text == "2"
    assert post(client, "assemblies/1/remove", {}).status_code == 200
    assert post(client, "assemblies", {"ids": '["W411"]', "name": " "}).status_code == 422


def test_shorthand_page_tells_every_kind(client):  # noqa: F811
    page = client.get("/shorthand").text
    for word in ("changeover", "tx3", "reactor", "earthing", "synchronous"):
        assert f"<code>{word}" in page or f" {word}" in page


# --- projects


def test_a_project_is_filed_archived_deleted_and_brought_back(client):  # noqa: F811
    def listed(**look):
        return client.get("/", params=look).text

    assert client.post("/projects/1/aside/rename", data={"value": HOSTILE}, follow_redirects=True).status_code == 200
    assert "<script>alert" not in listed()
    assert client.post("/projects/1/aside/rename", data={"value": " "}).status_code == 422
    assert client.post("/projects/1/aside/rename", data={"value": "Works"}).status_code == 200
    client.post("/projects/1/aside/folder", data={"value": "Waters"})
    assert '<h2 class="folder">Waters</h2>' in listed()
    assert client.get("/projects/1/flow").text.count("Works") > 1  # the name is the network's
    told = client.post("/projects/1/aside/archive", follow_redirects=True).text
    assert "Works was put into the archive." in told
    assert "Archive: 1 project" in listed()
    assert "/projects/1/flow" in listed(archived=True)
    client.post("/projects/1/aside/unarchive")
    client.post("/projects/1/aside/delete")
    assert "/projects/1/flow" not in listed()
    client.post("/projects/1/aside/restore")
    assert "/projects/1/flow" in listed()
    assert client.post("/projects/1/aside/burn").status_code == 404
    client.post("/projects/1/duplicate")
    assert "Works copy" in listed()


def test_a_whole_project_leaves_and_comes_back_with_its_history(client, database):  # noqa: F811
    db = connect(database)
    change_project(db, 1, Change("one", (Set(id="W25", values={"length_m": 700.0}),)), 1)
    change_project(db, 1, Change("two", (Set(id="T3", values={"name": "Tx"}),)), 2)
    data = client.get("/projects/1/export.northfell").content
    made = client.post("/projects/import", files={"file": ("a.northfell", data)}, follow_redirects=False)
    assert made.headers["location"] == "/projects/2/network"
    here, there = whole_project(db, 1), whole_project(db, 2)
    assert there == here
    for version in (1, 2):
        client.post("/projects/2/undo", data={"version": version}, headers=PART)
    assert open_project(db, 2).network == skerrow_water()
    assert open_project(db, 1).network.elements["W25"].length_m == 700


def packed(**parts: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        for name, text in parts.items():
            pack.writestr(name.replace("__", "."), text)
    return out.getvalue()


WHOLE = northfell_zip.write(northfell_zip.WholeProject(skerrow_water()))
KEPT = json.loads(zipfile.ZipFile(io.BytesIO(WHOLE)).read("project.json"))


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (b"", "damaged or foreign"), (b"PK\x03\x04 no", "damaged or foreign"), (WHOLE[:-40], "damaged or foreign"), (packed(other__json="{}"), "its parts"),
        (packed(project__json="["), "damaged or foreign"), (packed(project__json="[]"), "another format"),
        (packed(project__json=json.dumps({**KEPT, "format_version": 99})), "later version of Northfell"),
        (packed(project__json=json.dumps({**KEPT, "head": 5})), "head 5"),
        (packed(project__json=json.dumps({**KEPT, "elements": KEPT["elements"] * 2})), "ids that differ"),
        (packed(project__json=json.dumps({k: v for k, v in KEPT.items() if k != "states"})), "do not fit"),
        (packed(project__json=json.dumps(KEPT), history__json='[{"title": "x", "made_at": "", "acts": "[{}]", "inverse": "[]"}]'), "do not fit"),
        (packed(project__json=json.dumps({**KEPT, "name": ""})), "do not fit"),
    ],
)  # fmt: skip
def test_a_damaged_or_foreign_project_file_is_refused_and_nothing_changes(client, data, told):  # noqa: F811
    answer = client.post("/projects/import", files={"file": ("a.northfell", data)}, follow_redirects=False)
    assert answer.status_code == 422
    assert told in answer.text
    assert client.get("/projects/2/network").status_code == 404


@given(st.integers(0, len(WHOLE) - 1), st.integers(0, 255))
def test_any_byte_of_a_project_file_may_be_wrong(at, byte):
    broken = bytearray(WHOLE)
    broken[at] = byte
    with contextlib.suppress(NetworkRefused):
        assert northfell_zip.read(bytes(broken)).network.elements


def test_two_windows_show_each_others_changes(tmp_path):
    path = tmp_path / "x.sqlite3"
    with TestClient(create_application(path), base_url=HERE) as window:
        create_project(connect(path), skerrow_water())
        assert window.get("/projects/1/version").text == "1"
        window.post("/projects/1/sheet/turn", data={"version": 1, "ids": '["C1"]'}, headers=PART)
        assert window.get("/projects/1/version").text == "2"
        stale = window.post("/projects/1/sheet/turn", data={"version": 1, "ids": '["C1"]'}, headers=PART)
        assert stale.status_code == 409
        assert "“Turned C1”" in stale.text
        assert window.get("/projects/9/version").status_code == 404
