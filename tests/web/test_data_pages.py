"""Pages beside the stages without a browser: tables, states, catalogue, documents, readers, reference; refusals in words, nothing lost."""

import io
import json
import re
from html import unescape
from urllib.parse import quote

import pytest
from tests.conftest import network_of
from tests.web.test_pages import HOSTILE, PART, add, client, database  # noqa: F401

from northfell.app.data.catalogue import make_own
from northfell.app.project.projects import create_project, open_project
from northfell.core.model.changes import Attach, Change, PutEntry, Set, apply_change
from northfell.core.model.declare.parameters import parameters_of
from northfell.core.model.elements import KINDS, Document
from northfell.core.model.network import OperatingState, OwnEntry
from northfell.core.model.settings import groups
from northfell.demo import skerrow_water
from northfell.formats import network_tables, workbook
from northfell.store import connect, documents, transaction

DEMO = skerrow_water()
ENTRY = "Harter Cu 4×50 C"


def network(database):  # noqa: F811
    return open_project(connect(database), 1).network


def post(client, path, version=1, **data):  # noqa: F811
    return client.post(f"/projects/1/{path}", data={"version": version, **data}, follow_redirects=False)


@pytest.mark.parametrize(
    "path", ["states", "states?of=Standby+set", "tables", "table/cable", "table/bus", "ways/Dosing MCC", "missing", "catalogue", "catalogue?kind=fuse",
             "catalogue?for=W25", f"catalogue/{ENTRY}", "catalogue/Birk 1000 kVA 11/0.42 tier 2", "readers"]
)  # fmt: skip
def test_every_page_beside_the_stages_answers(client, path):  # noqa: F811
    page = client.get(f"/projects/1/{path}")
    assert page.status_code == 200
    assert "Skerrow Water" in page.text


def test_hostile_names_stay_text_on_every_page(client, database):  # noqa: F811
    paper = Document(name="a.txt", media_type="text/plain", size=1, sha256="0" * 64)
    acts = (
        Set(id="Filter hall", values={"name": HOSTILE, "note": HOSTILE, "group": HOSTILE}), Set(id="Hall services", values={"group": HOSTILE}),
        PutEntry(name="", to=OwnEntry(name=HOSTILE, kind="cable", family=HOSTILE, source=HOSTILE)), Attach(id="Filter hall", documents=[paper]),
    )  # fmt: skip
    hostile, _ = apply_change(DEMO, Change(HOSTILE, acts))
    hostile = hostile.model_copy(update={"states": [*hostile.states, OperatingState(name=HOSTILE, load_factors={HOSTILE: 0.5})]})
    project = add(database, hostile.model_copy(update={"name": HOSTILE}))
    client.post(f"/projects/{project}/readers", data={"element": HOSTILE})
    token = re.search(r"/read/([\w-]+)", client.get(f"/projects/{project}/readers").text)[1]
    paths = [
        "states",
        "tables",
        "table/bus",
        "missing",
        "catalogue?kind=cable",
        f"catalogue/{quote(HOSTILE, safe='')}",
        "readers",
        "ways/Filter hall",
        "catalogue?for=Filter+hall",
    ]
    for path in [*(f"/projects/{project}/{p}" for p in paths), f"/read/{token}", f"/projects/{project}/states?of={quote(HOSTILE)}"]:
        page = client.get(path)
        assert page.status_code == 200, path
        assert "<script>alert" not in page.text


def test_the_matrix_sets_one_state_and_takes_it_back(client, database):  # noqa: F811
    tie = "Tie closed, T2 out"
    assert post(client, "states/set", element="P1", field="load_factor", state=tie, value="0,5").status_code == 303
    assert network(database).state(tie).differences["P1"] == {"load_factor": 0.5}
    assert post(client, "states/set", 2, element="P1", field="load_factor", state=tie, value="").status_code == 303
    assert "P1" not in network(database).state(tie).differences
    assert post(client, "states/factor", 3, kind="load", group="", state=tie, value="0.8").status_code == 303
    assert network(database).state(tie).load_factors == {"": 0.8}
    for path, data, told in [
        ("states/set", {"element": "P1", "field": "load_factor", "state": tie, "value": "many"}, "accepted is a number"),
        ("states/set", {"element": "P1", "field": "p_rated_kw", "state": tie, "value": "5"}, "one that a state may hold"),
        ("states/factor", {"kind": "load", "group": "", "state": tie, "value": "-1"}, "0 or more and 100 or less"),
        ("states/factor", {"kind": "load", "group": "", "state": "Normal", "value": "1"}, "a state other than Normal"),
        ("states/rename", {"state": tie, "value": ""}, "1 to 80 characters"),
        ("states/copy", {"state": tie, "value": "Night filling"}, "a name that no other state has"),
        ("states/planned", {"state": tie}, "with planned elements"),
    ]:
        refused = post(client, path, 4, **data)
        assert refused.status_code == 422
        assert told in unescape(refused.text)
    stale = post(client, "states/factor", 1, kind="load", group="", state=tie, value="0.7")
    assert stale.status_code == 422
    assert "changed meanwhile" in stale.text
    assert post(client, "states/rename", 4, state=tie, value="Tie closed").status_code == 303
    assert "Tie closed" in network(database).state_names


def send(client, path, **body):  # noqa: F811
    return client.post(f"/projects/1/{path}", content=json.dumps({"version": 1, **body}), headers={"content-type": "application/json"})


def test_tables_answer_cell_by_cell(client, database):  # noqa: F811
    data = client.get("/projects/1/table/cable/data").json()
    assert [c["key"] for c in data["columns"]][:4] == ["name", "from_bus", "to_bus", "length_m"]
    assert len(data["rows"]) == 6
    answer = send(client, "table/cable/cells", cells=[["W25", "length_m", "700"], ["W26", "length_m", "=1"]]).json()
    assert [(c["id"], c["key"], c["text"]) for c in answer["cells"]] == [("W26", "length_m", "=1")]
    assert {row["id"] for row in answer["rows"]} == {"W25", "W26"}
    assert network(database).elements["W25"].length_m == 700.0
    stale = send(client, "table/cable/cells", cells=[["W25", "length_m", "5"]])
    assert (stale.status_code, stale.json()["stale"]) == (409, True)
    assert send(client, "table/cable/cells", cells=[["nobody", "length_m", "5"]]).status_code == 422
    assert send(client, "table/rope/paste", text="a", rows=[], columns=[]).status_code in (404, 422)
    assert send(client, "ways/Dosing MCC/cells", version=2, cells=[["nobody", "power", "5"]]).status_code == 422
    pasted = send(client, "ways/Dosing MCC/paste", version=2, text="Feeds\tAs\tPower\nFan\tmotor\t3", rows=[], columns=[]).json()
    assert pasted["done"] == "1 way from a schedule on Dosing MCC"
    assert pasted["made"]["0"] in {row["id"] for row in pasted["rows"]}


def test_workbooks_leave_and_come_back(client, database):  # noqa: F811
    book = client.get("/projects/1/tables.xlsx")
    assert network_tables.tables_of(DEMO) == network_tables.tables_of(network(database))
    again = client.post("/projects/1/tables/import", data={"version": 1}, files={"file": ("t.xlsx", book.content)})
    assert "nothing was changed" in again.text
    tables = workbook.read_xlsx(book.content)
    tables["cable"][1][tables["cable"][0].index("length_m [m]")] = "long"
    bad = client.post("/projects/1/tables/import", data={"version": 1}, files={"file": ("t.xlsx", workbook.write_xlsx(tables))})
    assert bad.status_code == 422
    assert "length is “long”" in bad.text
    assert network(database).elements["W25"] == DEMO.elements["W25"]
    new = client.post("/projects/import", files={"file": ("t.xlsx", book.content)}, follow_redirects=False)
    assert new.headers["location"] == "/projects/2/network"
    assert client.get("/projects/1/tables.zip").status_code == 200


def test_an_entry_goes_from_the_catalogue_to_an_element_and_its_own_version_follows(client, database):  # noqa: F811
    here = f"catalogue/{quote(ENTRY, safe='')}"
    assert post(client, f"{here}/use", element="W411").headers["location"].endswith("selected=W411")
    assert network(database).elements["W411"].i_rated_a == 179.0
    assert post(client, f"{here}/set/i_rated_a", 2, value="150").status_code == 422
    assert post(client, f"{here}/own", 2, value="Ours 50").status_code == 303
    assert "No elements follow" in client.get("/projects/1/catalogue/Ours 50").text
    assert post(client, "catalogue/Ours 50/use", 3, element="W411").status_code == 303
    page = client.get("/projects/1/catalogue/Ours 50").text
    assert "1 element follows" in page
    assert "unless you say that it goes to them too" in page
    assert post(client, "catalogue/Ours 50/set/i_rated_a", 4, value="150", follow="yes").status_code == 303
    assert network(database).elements["W411"].i_rated_a == 150.0
    csv = "Name,Cross-section,Resistance at 20 °C\nX1,95,0.2\nX2,wide,0.2".encode()
    told = client.post("/projects/1/catalogue/import/cable", data={"version": 5}, files={"file": ("x.csv", csv)})
    assert "1 entries imported." in told.text
    assert "Row 3: cross-section is “wide”" in told.text
    assert client.post("/projects/1/catalogue/import/cable", data={"version": 6}, files={"file": ("x.csv", b"\xff\xfe")}).status_code == 422
    assert client.get("/projects/1/catalogue/nothing").status_code == 404


def test_the_page_of_a_geometry_draws_it_and_opens_each_figure(client, database):  # noqa: F811
    pole = "Pole with a cross-arm, four wires"
    page = client.get(f"/projects/1/catalogue/{pole}").text
    assert 'aria-label="Places of a, b, c, n, to scale"' in page
    figure, address = re.search(r'href="([^"]*of=a%7Cb%7Cafter[^"]*)"[^>]*>([^<]*)<', page).group(2, 1)
    told = client.get(unescape(address)).text
    assert "After elimination" in told
    assert figure == "0.1095 + j0.2793"
    assert "0.10946 + j0.27931" in told
    assert client.get(f"/projects/1/catalogue/{pole}?of=a|nothing|before").status_code == 404
    assert client.get(f"/projects/1/constants/{pole}.csv").text.startswith("\ufeff# z_ohm_per_km")
    assert client.get(f"/projects/1/constants/{pole}.xlsx").content[:2] == b"PK"
    assert post(client, f"catalogue/{pole}/own", 1, value="Ours").status_code == 303
    rows = f"{HOSTILE[:20]} | 0 | 9 | {HOSTILE[:20]} | kept | 1 |"
    assert post(client, "catalogue/Ours/set/conductors", 2, value=rows).status_code == 303
    ours = client.get("/projects/1/catalogue/Ours").text
    assert "It has no constants." in ours
    assert HOSTILE[:20] not in ours
    assert client.get("/projects/1/constants/Ours.csv").status_code == 404
    assert "y_m is “high”" in post(client, "catalogue/Ours/set/conductors", 3, value="a | 0 | high | x | kept | 1 |").text


def attach(client, name, content, version=1):  # noqa: F811
    return client.post("/projects/1/elements/T1/documents?selected=T1&stage=network", data={"version": version}, files={"file": (name, content)}, headers=PART)


def test_documents_are_kept_given_out_safely_and_come_back_by_undo(client, database):  # noqa: F811
    assert attach(client, "..\\..\\isolation.txt", b"Open Q1.").status_code == 200
    assert network(database).elements["T1"].documents[0].name == "isolation.txt"
    out = client.get("/projects/1/elements/T1/documents/isolation.txt")
    assert (out.content, out.headers["x-content-type-options"], "sandbox" in out.headers["content-security-policy"]) == (b"Open Q1.", "nosniff", True)
    for name, content, told in [
        ("run.html", b"<script>", "up to 80 characters that ends in"), ("a.pdf", b"MZ", "contents of a .pdf"), ("a.txt", b"\xff\xfe", "text in UTF-8"),
        ("a.png", b"", "1 byte to 10 MB"), ("big.txt", b"x" * (10 * 2**20 + 1), "1 byte to 10 MB"),
    ]:  # fmt: skip
        refused = attach(client, name, content, 2)
        assert refused.status_code == 422
        assert told in unescape(refused.text)
    client.post("/projects/1/elements/T1/documents/away?stage=network", data={"version": 2, "name": "isolation.txt"}, headers=PART)
    assert client.get("/projects/1/elements/T1/documents/isolation.txt").status_code == 404
    client.post("/projects/1/undo?stage=network", data={"version": 3}, headers=PART)
    assert client.get("/projects/1/elements/T1/documents/isolation.txt").content == b"Open Q1."
    whole = client.get("/projects/1/export.northfell").content
    client.post("/projects/import", files={"file": ("w.northfell", whole)})
    assert client.get("/projects/2/elements/T1/documents/isolation.txt").content == b"Open Q1."


def test_a_readers_link_shows_and_changes_nothing(client, database):  # noqa: F811
    attach(client, "isolation.txt", b"Open Q1.")
    with transaction(db := connect(database)):
        documents.put(db, 1, b"other")
    for element in ("", "T1"):
        assert client.post("/projects/1/readers", data={"element": element}, follow_redirects=False).status_code == 303
    whole, one = re.findall(r'href="/read/([\w-]+)"', client.get("/projects/1/readers").text)
    page = client.get(f"/read/{whole}", params={"selected": "T1", "stage": "flow"}).text
    assert "isolation.txt" in page
    assert "hx-post" not in page
    assert 'method="post"' not in page
    assert client.get(f"/read/{whole}/documents/T1/isolation.txt").content == b"Open Q1."
    assert 'data-element="T2"' not in client.get(f"/read/{one}", params={"selected": "T2"}).text
    assert "<h1>T1</h1>" in client.get(f"/read/{one}", params={"selected": "T2"}).text
    assert client.get(f"/read/{one}/documents/T2/isolation.txt").status_code == 404
    assert client.get("/read/" + "x" * 43).status_code == 404
    before = network(database)
    for method in ("post", "put", "patch"):
        assert getattr(client, method)(f"/read/{whole}", data={"x": "1"}).status_code == 405
    assert network(database) == before
    client.post("/projects/1/aside/delete", data={"value": ""})
    assert client.get(f"/read/{whole}").status_code == client.get(f"/read/{whole}/documents/T1/isolation.txt").status_code == 404
    client.post("/projects/1/aside/restore", data={"value": ""})
    assert client.get(f"/read/{whole}").status_code == 200
    client.post("/projects/1/readers/away", data={"token": whole})
    assert client.get(f"/read/{whole}").status_code == 404


def test_reference_pages_hold_every_parameter_of_every_kind(client):  # noqa: F811
    for subject, cls in [*KINDS.items(), *((title.lower().replace(" ", "-"), cls) for title, cls in groups().items())]:
        page = unescape(client.get(f"/reference/{subject}").text)
        for p in parameters_of(cls):
            assert f'id="{p.name}"' in page
            assert p.meaning in page
            assert p.enters in page
    assert client.get("/reference/rope").status_code == 404
    page = client.get("/reference/transformer").text
    assert page.index('id="s_rated_mva"') < page.index('id="in_service"')  # nameplate first
    tap, count, served = (page[page.index(f'id="{name}"') :].split("</dd>")[0] for name in ("tap_pct", "parallel", "in_service"))
    assert ("Begins as 0." in tap, "Begins as 1." in count, "Begins as yes." in served) == (True, True, True)


def one_of_each():
    """A network that holds every kind once."""
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in "ABC"]
    made = [{"kind": "breaker", "name": "Q", "from_bus": "A", "to_bus": "B"}]
    for kind, cls in KINDS.items():
        names = iter("ABC")
        needed = [p for p in parameters_of(cls) if cls.model_fields[p.name].is_required() and p.name != "name"]
        values = {p.name: (next(names) if p.refers_to == ("bus",) else "Q") if p.refers_to else 1.0 for p in needed}
        of_tables = [when for p in parameters_of(cls) if p.form == "table" for when in p.acts_when if when.among]
        values |= {when.field: when.among[0] for when in of_tables}  # a table comes with what it acts beside
        made.append({"kind": kind, "name": f"one {kind}", **values})
    return network_of([*buses, *made])


def test_every_parameter_has_its_place_on_a_card_and_its_reference(client, database):  # noqa: F811
    project = add(database, one_of_each())
    for kind, cls in KINDS.items():
        card = client.get(f"/projects/{project}/network", params={"selected": f"one {kind}"}, headers=PART).text
        for p in parameters_of(cls):
            assert f'id="field-{p.name}"' in card, (kind, p.name)
            assert f"/reference/{kind}#{p.name}" in card


def test_missing_data_lead_to_the_field_and_are_filled_as_typical(client, database):  # noqa: F811
    emptied, _ = apply_change(DEMO, Change("", (Set(id="W25", values={"t_end_degc": None, "length_m": None}),)))
    project = add(database, emptied)
    page = client.get(f"/projects/{project}/missing").text
    assert f"/projects/{project}/network?selected=W25#field-length_m" in page
    assert client.post(f"/projects/{project}/missing/typical", data={"version": 1}, follow_redirects=False).status_code == 303
    w25 = open_project(connect(database), project).network.elements["W25"]
    assert (w25.t_end_degc, w25.length_m) == (250.0, None)
    assert "t_end_degc" in w25.assumed
    again = client.post(f"/projects/{project}/missing/typical", data={"version": 2})
    assert again.status_code == 422
    for lack, marked in (("load_flow", True), ("", False)):
        shown = client.get(f"/projects/{project}/network", params={"lack": lack}).text
        assert bool(re.search(r'class="el cable[^"]*lacking[^"]*"[^>]*data-element="W25"', shown)) is marked


def test_sets_of_settings_are_kept_used_renamed_and_taken_away(client, database):  # noqa: F811
    for version, (act, value) in enumerate([("keep", "Strict"), ("rename", "Stricter"), ("use", "Standard"), ("away", "Stricter")], 1):
        assert client.post(f"/projects/1/sets/{act}?stage=network", data={"version": version, "value": value}, headers=PART).status_code == 200
    assert network(database).settings == DEMO.settings
    for act, value in [("keep", "Standard"), ("use", "None such"), ("rename", ""), ("jump", "x")]:
        assert client.post(f"/projects/1/sets/{act}?stage=network", data={"version": 5, "value": value}, headers=PART).status_code == 422
    assert "settings: Standard" in client.get("/projects/1/flow").text


def test_values_are_typed_and_shown_in_feet_and_gauges(client, database):  # noqa: F811
    def set_to(path, value, version):
        return client.post(f"/projects/1/{path}?stage=network&selected=W25", data={"version": version, "value": value, "origin": "nameplate"}, headers=PART)

    set_to("settings/units.lengths", "ft", 1)
    set_to("settings/units.conductors", "AWG and kcmil", 2)
    assert 'value="2099.73753281"' in set_to("elements/W25/set/area_mm2", "4/0", 3).text  # 640 m
    card = set_to("elements/W25/set/length_m", "1000", 4).text
    assert 'value="4/0 AWG"' in card
    w25 = network(database).elements["W25"]
    assert (w25.length_m, w25.area_mm2, w25.origins["area_mm2"]) == (304.8, 107.2, "nameplate")
    assert "4/0 AWG" in client.get("/projects/1/network").text


def test_a_wanted_earth_fault_current_becomes_its_impedance(client, database):  # noqa: F811
    data = {"version": 1, "value": "400 A"}
    client.post("/projects/1/elements/T1/set/neutral_lv_ohm?stage=network", data=data, headers=PART)
    assert network(database).elements["T1"].neutral_lv_ohm == pytest.approx(11000 / 3**0.5 / 400, rel=1e-3)


def test_a_file_with_own_entries_and_copies_keeps_them(client, database):  # noqa: F811
    own, _ = apply_change(DEMO, make_own(DEMO, ENTRY, "Ours"))
    project = create_project(connect(database), own)
    client.post(f"/projects/{project}/duplicate")
    assert open_project(connect(database), project + 1).network.entries == own.entries
    book = client.get(f"/projects/{project}/tables.xlsx").content
    assert network_tables.network_of(workbook.read_xlsx(io.BytesIO(book).getvalue())).entries == own.entries


ODD = ["", "W25", "T1", "nobody", "a/b", "é“”", "x" * 300, "-1", "1e400", "nan", "=1", "rope", "[]", "' OR 1=1", "..", "Normal", "load_factor", "1; 2; x 3"]
PAGES = ["catalogue?kind={}", "catalogue?for={}", "catalogue?kind=cable&f.area_mm2={}", "catalogue/{}", "table/{}", "table/{}/data", "ways/{}", "ways/{}/data",
         "states?of={}", "network?lack={}", "elements/{}/documents/{}"]  # fmt: skip
FORMS = [
    "catalogue/{}/use", "catalogue/{}/own", "catalogue/{}/set/i_rated_a", "catalogue", "states/set", "states/factor", "states/copy", "states/rename", "sets/{}",
    "readers", "elements/T1/origin/{}", "elements/T1/typical/{}", "elements/Standby set/set/output_levels", "elements/W25/set/status", "missing/typical",
]  # fmt: skip


def test_nothing_typed_or_asked_is_answered_with_a_crash(client):  # noqa: F811
    for odd in ODD:
        part = quote(odd, safe="")
        for page in [f"/projects/1/{p}" for p in PAGES] + ["/reference/{}", "/read/{}"]:
            assert client.get(page.replace("{}", part)).status_code < 500, (page, odd)
        names = ("value", "element", "field", "state", "kind", "group", "name", "of", "origin")
        for form in FORMS:
            sent = {"version": client.get("/projects/1/version").text, **dict.fromkeys(names, odd)}
            assert client.post(f"/projects/1/{form.replace('{}', part)}", data=sent, follow_redirects=False).status_code < 500, (form, odd)
        for path in ("table/cable/paste", "ways/Dosing MCC/paste", f"ways/{part}/paste", f"table/{part}/cells"):
            body = {"version": int(client.get("/projects/1/version").text), "text": f"Feeds\tAs\tPower\n{odd}\t{odd}\t{odd}", "rows": [odd], "columns": [odd]}
            body |= {"boards": [odd], "cells": [[odd, odd, odd]]}
            answer = client.post(f"/projects/1/{path}", content=json.dumps(body), headers={"content-type": "application/json"})
            assert answer.status_code < 500, (path, odd)


def test_a_card_names_every_study_that_lacks_its_data(client):  # noqa: F811
    client.post("/projects/1/elements/T3/set/s_rated_mva?stage=network&selected=T3", data={"version": 1, "value": ""}, headers=PART)
    card = client.get("/projects/1/network", params={"selected": "T3"}, headers=PART).text
    assert "Data missing for arc flash, load flow, short circuit." in card
