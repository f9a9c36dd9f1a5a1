"""Pages without a browser: every stage answers, hostile text stays text, bad input stays in its field, other sites are refused."""

import io
import json
import re

import pypdf
import pytest
from fastapi.testclient import TestClient
from tests.conftest import BUS_A, BUS_B, CABLE, LOAD, network_of

from northfell.app.project.projects import create_project
from northfell.core.model.changes import Change, Set, apply_change
from northfell.demo import skerrow_water
from northfell.formats import northfell_json
from northfell.store import connect
from northfell.web.application import create_application

HERE = "http://127.0.0.1"
HOSTILE = "<script>alert(1)</script> \"'&{{7*7}}"


@pytest.fixture
def database(tmp_path):
    return tmp_path / "northfell.sqlite3"


@pytest.fixture
def client(database):
    with TestClient(create_application(database), base_url=HERE) as client:
        create_project(connect(database), skerrow_water())
        yield client


def add(database, network) -> int:
    return create_project(connect(database), network)


FORM = "application/x-www-form-urlencoded"
PART = {"hx-request": "true"}


@pytest.mark.parametrize("stage", ["network", "flow", "faults", "coordination", "arc-flash"])
@pytest.mark.parametrize("state", ["Normal", "Tie closed, T2 out"])
def test_every_stage_tab_and_element_answers(client, stage, state):
    page = client.get(f"/projects/1/{stage}", params={"state": state})
    assert page.status_code == 200
    tabs = set(re.findall(r"tab=([a-z]+)", page.text))
    for tab in tabs:
        assert client.get(f"/projects/1/{stage}", params={"state": state, "tab": tab}, headers=PART).status_code == 200
    one_of_each = {e.kind: e.id for e in skerrow_water().elements.values()}
    for element in one_of_each.values():
        answer = client.get(f"/projects/1/{stage}", params={"state": state, "selected": element}, headers=PART)
        assert answer.status_code == 200
        assert "<html" not in answer.text


def test_hostile_names_stay_text_everywhere(client, database):
    network, _ = apply_change(skerrow_water(), Change(HOSTILE, (Set(id="Filter hall", values={"name": HOSTILE, "note": HOSTILE, "label": HOSTILE}),)))
    project = add(database, network)
    for stage in ("network", "flow", "faults", "coordination", "arc-flash"):
        for tab in ("", "findings", "history", "elements"):
            text = client.get(f"/projects/{project}/{stage}", params={"selected": "Filter hall", "tab": tab}).text
            assert "<script>alert(1)" not in text
            assert "49" not in re.findall(r"&amp;(\d+)", text)
            assert "&lt;script&gt;alert(1)" in text
    assert "<script>alert(1)" not in client.get("/").text
    shown = client.get(
        f"/projects/{project}/working", params={"study": "arc_flash", "quantity": "energy_cal_cm2", "selected": "Filter hall", "stage": "arc-flash"}
    )
    assert shown.status_code == 200
    assert "<script>alert(1)" not in shown.text
    exported = client.get(f"/projects/{project}/export")
    assert northfell_json.read(exported.content).elements[HOSTILE].name == HOSTILE


def edit(client, element, field, value, version=1, **view):
    return client.post(f"/projects/1/elements/{element}/set/{field}", data={"value": value, "version": version}, params=view, headers=PART)


def test_edit_keeps_at_once_and_recomputes(client, database):
    before = client.get("/projects/1/flow", params={"selected": "W25"}).text
    answer = edit(client, "W25", "length_m", "1,2 km", selected="W25")
    assert answer.status_code == 200
    assert 'value="1200"' in answer.text
    assert answer.text != before
    row = connect(database).execute("SELECT body FROM element WHERE id = 'W25'").fetchone()
    assert json.loads(row[0])["length_m"] == 1200
    history = client.get("/projects/1/network", params={"tab": "history"}).text
    assert "W25 length 640 → 1200 m" in history


@pytest.mark.parametrize(
    ("field", "value", "told"),
    [
        ("length_m", "-5", "length is -5, accepted is a number, above 0 m"),
        ("length_m", "45 A", "length is “45 A”, accepted is a number in mm, cm, m, km"),
        ("length_m", "nan", "length is “nan”"),
        ("to_bus", "Nowhere", "to is “Nowhere”, accepted is the name of a bus"),
        ("parallel", "1.5", "accepted is a whole number"),
        ("conductor", "gold", "accepted is one of “copper”, “aluminium”"),
        ("name", "Filter hall", "a name that no other element has"),
        ("name", "", "accepted is 1 to 80 characters on one line"),
    ],
)  # fmt: skip
def test_refused_edit_says_why_and_keeps_what_was_typed(client, field, value, told):
    answer = edit(client, "W25", field, value, selected="W25")
    assert answer.status_code == 422
    text = answer.text.replace("&lt;", "<").replace("&#34;", '"')
    assert told in text
    if value and field not in ("conductor",):
        assert f'value="{value}"' in text
    assert 'aria-invalid="true"' in text
    assert client.get("/projects/1/flow", params={"selected": "W25"}).text.count('value="640"') == 1


def test_stale_edit_is_refused_with_what_was_changed(client):
    edit(client, "W25", "length_m", "700", 1, selected="W25")
    answer = edit(client, "W25", "length_m", "800", 1, selected="W25")
    assert answer.status_code == 409
    assert "W25 length 640 → 700 m" in answer.text
    assert 'value="800"' in answer.text


def test_operating_a_breaker_changes_the_state_shown_only(client):
    state = "Tie closed, T2 out"
    client.post("/projects/1/elements/Q31/operate", data={"version": 1}, params={"state": state, "selected": "Q31"}, headers=PART)
    there = client.get("/projects/1/flow", params={"state": state, "selected": "Filter hall"}).text
    assert "not fed" in there
    assert "is not fed" in client.get("/projects/1/flow", params={"tab": "findings"}).text
    here = client.get("/projects/1/flow", params={"selected": "Q31"}).text
    assert "Open in Normal" in here


def test_setting_what_already_stands_is_no_change(client):
    edit(client, "W25", "length_m", "640.0")
    edit(client, "Q25", "closed", "true")
    assert "No changes yet" in client.get("/projects/1/network", params={"tab": "history"}).text


@pytest.mark.parametrize("element", ["Filter hall", "Blower MCC", "33 kV intake", "T3", "Q31", "Infeed A", "B25", "W25", "P1"])
def test_what_is_out_of_service_has_a_page_in_every_stage(client, element):
    client.post(f"/projects/1/elements/{element}/set/in_service", data={"value": "false", "version": 1}, headers=PART)
    for stage in ("network", "flow", "faults", "coordination", "arc-flash"):
        for side in ("load", "line"):
            assert client.get(f"/projects/1/{stage}", params={"selected": element, "side": side}).status_code == 200
    assert client.get("/projects/1/label.pdf", params={"selected": element, "stage": "arc-flash"}).status_code in (200, 422)
    assert client.get("/projects/1/findings/counts").status_code == 200


def test_a_name_may_hold_any_sign_of_an_address(client, database):
    name = "W25 / 7 #1?a=b&c 100 %"
    text = northfell_json.write(skerrow_water()).replace('"W25"', json.dumps(name))
    project = add(database, northfell_json.read(text))
    page = client.get(f"/projects/{project}/flow", params={"selected": name}).text
    post = re.search(r'hx-post="([^"]+/set/length_m[^"]*)"', page)[1].replace("&amp;", "&")
    answer = client.post(post, data={"value": "777", "version": 1}, headers=PART)
    assert answer.status_code == 200
    assert 'value="777"' in answer.text


def test_undo_redo_and_their_ends(client):
    edit(client, "W25", "length_m", "700")
    assert 'value="640"' in client.post("/projects/1/undo", params={"selected": "W25"}, data={"version": 2}, headers=PART).text
    assert 'value="700"' in client.post("/projects/1/redo", params={"selected": "W25"}, data={"version": 3}, headers=PART).text
    assert "There is nothing to redo." in client.post("/projects/1/redo", data={"version": 4}, headers=PART).text


def test_typical_values_and_settings(client):
    edit(client, "W25", "t_end_degc", "", selected="W25")
    missing = client.get("/projects/1/faults", params={"selected": "W25"}).text
    assert "Data missing for" in missing
    assert "Part of the network has no result in Normal" in missing
    filled = client.post("/projects/1/elements/W25/typical", data={"version": 2}, params={"selected": "W25", "stage": "faults"}, headers=PART)
    assert "limit of XLPE insulation" in filled.text
    assert "no result in Normal" not in filled.text
    bad = client.post("/projects/1/settings/limits.energy_breach_cal_cm2", data={"version": 3, "value": "lots"}, headers=PART)
    assert bad.status_code == 422
    good = client.post("/projects/1/settings/limits.energy_breach_cal_cm2", data={"version": 3, "value": "12"}, headers=PART)
    assert 'value="12"' in good.text
    lv = client.post("/projects/1/settings/short_circuit.lv_tolerance_pct", data={"version": 4, "value": "6"}, headers=PART)
    assert lv.status_code == 200


def test_label_pdf_says_what_the_study_found(client):
    pdf = client.get("/projects/1/label.pdf", params={"selected": "Filter hall", "side": "line", "stage": "arc-flash"})
    assert pdf.headers["content-type"] == "application/pdf"
    text = pypdf.PdfReader(io.BytesIO(pdf.content)).pages[0].extract_text()
    for said in ("DANGER", "Filter hall", "44.7", "cal/cm²", "610 mm", "400 V", "governed by state Normal", "rests on"):
        assert said in text


def test_label_that_cannot_be_trusted_is_not_printed(client):
    client.post("/projects/1/settings/arc_flash.two_second_rule", data={"version": 1, "value": "false"}, headers=PART)
    edit(client, "B25", "in_service", "false", 2)
    edit(client, "B11", "in_service", "false", 3)
    edit(client, "B1", "in_service", "false", 4)
    answer = client.get("/projects/1/label.pdf", params={"selected": "Filter hall", "side": "line", "stage": "arc-flash"})
    assert answer.status_code == 422
    assert "never cut off" in answer.text


def test_import_makes_a_new_project_and_bad_files_change_nothing(client):
    def send(name, data):
        return client.post("/projects/import", files={"file": (name, data)}, follow_redirects=False)

    good = send("a.northfell.json", northfell_json.write(skerrow_water()).encode())
    assert (good.status_code, good.headers["location"]) == (303, "/projects/2/network")
    for name, data, told in [
        ("a.northfell.json", b"{", "JSON text of a network"),
        ("a.northfell.json", northfell_json.write(skerrow_water()).replace('"640.0"', "").replace("640.0", "NaN").encode(), "length is nan"),
        ("a.exe", b"MZ", "a name that ends in .northfell, .northfell.json, .xlsx, .zip, .cdf"),
        ("a.cdf", b"nothing", "MVA base"),
        ("a.json", b" " * (northfell_json.MOST_BYTES + 5), "at most"),
    ]:
        bad = send(name, data)
        assert bad.status_code in (413, 422)
        assert told in bad.text
        assert "nothing was changed" in bad.text or bad.status_code == 413
    assert client.get("/projects/3/flow").status_code == 404


def test_network_that_cannot_run_says_why_and_shows_no_figures(client, database):
    project = add(database, network_of([BUS_A, BUS_B, CABLE, LOAD]))
    for stage in ("flow", "faults", "arc-flash"):
        page = client.get(f"/projects/{project}/{stage}")
        assert page.status_code == 200
        assert "No result in Normal" in page.text
    assert "There is no supply" in client.get(f"/projects/{project}/flow").text


def test_empty_network(client, database):
    project = add(database, network_of([]))
    assert "The network is empty" in client.get(f"/projects/{project}/network").text
    assert client.get(f"/projects/{project}/flow").status_code == 200


def test_tables_as_csv(client):
    text = client.get("/projects/1/tables/branches.csv", params={"stage": "flow"}).content.decode("utf-8-sig")
    assert text.startswith("state,name,kind,between,loading_pct [%]")
    assert client.get("/projects/1/tables/secrets.csv", params={"stage": "flow"}).status_code == 404


def test_other_sites_and_large_bodies_are_refused(client):
    foreign = client.post("/projects/1/undo", data={}, headers={"origin": "http://elsewhere.example"})
    assert foreign.status_code == 403
    assert client.post("/projects/1/undo", data={}, headers={"sec-fetch-site": "cross-site"}).status_code == 403
    assert client.post("/projects/1/undo", content=b"", headers={"content-length": "99999999999"}).status_code == 413
    assert client.post("/projects/1/undo", content=iter([b"version=1"]), headers={"content-type": FORM}).status_code == 411  # a body of any length


def test_answers_carry_their_guards(client):
    headers = client.get("/projects/1/flow").headers
    assert "script-src 'self'" in headers["content-security-policy"]
    assert headers["x-content-type-options"] == "nosniff"


@pytest.mark.parametrize(
    "path", ["/projects/99/flow", "/projects/1/elements/x/none", "/nowhere", "/projects/x/flow", "/projects/1/working?study=arc_flash&quantity=energy_cal_cm2"]
)
def test_what_is_not_there_is_told_in_words(client, path):
    answer = client.get(path)
    assert answer.status_code in (404, 422)
    assert "Traceback" not in answer.text
