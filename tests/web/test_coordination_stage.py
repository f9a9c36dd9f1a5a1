"""The Coordination stage over HTTP: curves, settings tried and refused, proposed settings kept, files, hostile names."""

import io
import re
from xml.etree import ElementTree

import pypdf
import pytest
from hypothesis import given
from tests.conftest import network_of
from tests.core.studies.coordination.test_asked import feeder
from tests.core.studies.protection.test_protection import protected_networks
from tests.web.test_findings_and_proposals import client, database, network, post, settled  # noqa: F401

from northfell.app.project.projects import change_project
from northfell.core.model.changes import Change, Set
from northfell.core.network import compile_network
from northfell.core.studies.coordination import run
from northfell.formats import network_tables, northfell_json, workbook
from northfell.store import connect
from northfell.web.stages.coordination.sheet import shown_of

HOSTILE = '<img src=x onerror="1">'


def gaps(page: str) -> list[str]:
    return [re.sub(r"<[^>]+>|\s+", " ", one).strip() for one in re.findall(r"<li[^>]*>(.*?)</li>", page.split('class="tc-gaps"')[1], re.S)]


def test_the_sheet_of_a_device_and_a_setting_that_is_tried(client, database):  # noqa: F811
    page = client.get("/projects/1/coordination?selected=Q31").text
    assert 'data-device="Q311"' in page
    assert any("Q31 above Q311" in one and "−0.030" in one for one in gaps(page))
    tried = client.get("/projects/1/curves/try?selected=Q31&element=Q31&field=trip_ii_a&value=55000").text
    assert all("−0.030" not in one for one in gaps(tried) if "Q31 above" in one)
    assert network(database).elements["Q31"].trip_ii_a == 41250.0  # nothing is kept
    relay = client.get("/projects/1/curves/try?selected=B25&element=B25&field=time_multiplier&value=0.9")
    assert 'data-value="0.9"' in relay.text
    for element, field, value in (("Q31", "trip_ii_a", -1), ("Q31", "name", 1), ("Q31", "trip_tsd", 0.7), ("T3", "uk_pct", 5), ("Q31", "no_such", 5)):
        wrong = f"element={element}&field={field}&value={value}"
        assert client.get(f"/projects/1/curves/try?selected=Q31&{wrong}").status_code in (404, 422), wrong
    assert 'id="curves" hidden' in client.get("/projects/1/coordination?selected=Filter+hall").text


def test_proposed_settings_are_kept_whole_or_alone_and_show_what_was_found(client, database):  # noqa: F811
    page = settled(client, "/projects/1/settings-proposed?stage=coordination")
    assert "Instantaneous pickup 41" in page
    assert "above Q311" in page
    assert post(client, "settings-proposed/keep?stage=coordination", number=9).status_code == 404
    kept = post(client, "settings-proposed/keep?stage=coordination", number=1)
    assert kept.status_code == 303
    (proposal,) = network(database).proposals
    assert network(database).elements["Q31"].trip_ii_a == 41250.0
    inside = client.get(f"/projects/1/coordination?selected=Q31&proposal={proposal.name}").text
    assert "tc-found" in inside  # the curve as found stays visible
    assert all("−0.030" not in one for one in gaps(inside) if "Q31 above" in one)
    assert "tc-found" not in client.get("/projects/1/coordination?selected=Q31").text


def test_the_order_of_opening_by_fault_and_case(client):  # noqa: F811
    page = client.get("/projects/1/coordination?selected=Filter+hall&tab=order&fault=ll").text
    assert "Fault at Filter hall: ll, maximum currents, bolted, slow edges; cut off after" in page
    assert "Q25" in page
    assert "If Q25 fails" in page
    failing = client.get("/projects/1/coordination?selected=Filter+hall&tab=order&fault=ll&failed=Q25").text
    times = [float(re.search(r"; cut off after ([0-9.]+) s", one)[1]) for one in (page, failing)]
    assert times[1] > times[0]  # what stands above it cuts the fault off, later
    assert "slow edges, Q25 does not open" in failing
    assert "All devices open" in failing
    assert "If Q25 fails" not in failing
    unknown = client.get("/projects/1/coordination?selected=Filter+hall&tab=order&failed=%3Cnobody%3E")
    assert unknown.status_code == 200
    assert "<nobody>" not in unknown.text
    assert "is not fed" in client.get("/projects/1/coordination?selected=P4+feeder&tab=order").text or "cut off after" in page


@pytest.mark.parametrize("fault", ["3ph", "lg"])
def test_files_stand_alone_and_names_are_text(client, database, fault):  # noqa: F811
    change_project(connect(database), 1, Change("named", (Set(id="Q31", values={"name": HOSTILE}),)), 1)
    svg = client.get(f"/projects/1/curves.svg?selected=Q31&fault={fault}")
    assert svg.headers["content-type"].startswith("image/svg+xml")
    root = ElementTree.fromstring(svg.text)
    assert root.tag.endswith("svg")
    assert HOSTILE in "".join(root.itertext())
    feet = [one for one in root.iter() if one.get("class") == "tc-arc" and one.tag.endswith("polygon")]
    assert len(feet) >= 2  # arcs through the device, with full and reduced current
    pdf = client.get(f"/projects/1/curves.pdf?selected=Q31&fault={fault}")
    words = pypdf.PdfReader(io.BytesIO(pdf.content)).pages[0].extract_text()
    assert "Skerrow Water" in words
    assert "Short-time pickup" in words
    assert "cal/cm²" in words
    assert HOSTILE not in client.get(f"/projects/1/coordination?selected=Q31&fault={fault}").text
    assert client.get("/projects/1/curves.svg?selected=T3").status_code == 404


def test_a_table_of_points_comes_with_what_goes_by_it(client, database):  # noqa: F811
    assert "field-trip_points" not in client.get("/projects/1/network?selected=Q31").text
    change_project(connect(database), 1, Change("", (Set(id="Q31", values={"trip": "own points"}),)), 1)
    assert 'id="field-trip_points.new"' in client.get("/projects/1/network?selected=Q31").text


INFEED = {"ik_max_ka": 20.0, "ik_min_ka": 15.0, "r_over_x": 0.1, "neutral": "solid", "x0_over_x1": 1.0, "r0_over_x0": 0.1}
CABLE = {"t_end_degc": 90.0, "r0_ohm_per_km": 0.4, "x0_ohm_per_km": 0.3}


@given(protected_networks())
def test_any_network_of_devices_has_its_tables_and_sheets(made):
    """Rings, devices that nothing flows through, places without a way to a source: nothing of it stops the study or a sheet."""
    network, _ = made
    completed = {i: e.model_copy(update={"infeed": INFEED, "cable": CABLE}.get(e.kind, {})) for i, e in network.elements.items()}
    found = run(compile_network(network.model_copy(update={"elements": completed}), "Normal", "short_circuit"))
    for table in found.tables():
        table.to_json()
    standing = {s.device for s in found.standing}
    for device in found.devices:
        for fault in ("3ph", "lg"):
            assert (shown_of(found, device, fault=fault) is not None) == (device in standing)


def test_a_tried_setting_shows_what_it_makes_of_the_energy(client, database):  # noqa: F811
    """Without its short-time delay the main of the filter hall clears sooner: less energy behind it, by the same study as the Arc flash stage."""
    before = client.get("/projects/1/curves/energy?selected=Q31").text
    assert "Filter hall" in before
    assert "→" not in before
    tried = client.get("/projects/1/curves/energy?selected=Q31&element=Q31&field=trip_tsd&value=0.1").text
    was, now = (float(v) for v in re.search(r"<strong>([\d.]+) → ([\d.]+) cal", tried).groups())
    assert now < 0.5 * was
    change_project(connect(database), 1, Change("sooner", (Set(id="Q31", values={"trip_tsd": "0.1"}),)), 1)
    kept = client.get("/projects/1/curves/energy?selected=Q31").text
    assert f"<strong>{now:g} cal" in kept.replace(".0 cal", " cal") or f"{now}" in kept
    assert client.get("/projects/1/curves/energy?selected=Q31&element=Q41&field=trip_tsd&value=0.1").status_code == 404


@pytest.mark.parametrize(("form", "begins"), [("xlsx", b"PK"), ("zip", b"PK"), ("pdf", b"%PDF"), ("json", b"{")])
def test_all_tables_of_the_stage_leave_in_every_form(client, form, begins):  # noqa: F811
    for over in ("", "&over=all"):
        answer = client.get(f"/projects/1/results.{form}?stage=coordination{over}")
        assert answer.status_code == 200
        assert answer.content.startswith(begins)


def test_a_path_is_kept_opened_without_a_selection_and_drawn_where_nothing_is_fed(client, database):  # noqa: F811
    kept = post(client, "curves/kept/keep?stage=coordination&selected=Q25", value="Intake <path>")
    assert kept.status_code == 200
    (sheet,) = network(database).curves
    assert sheet.name == "Intake <path>"
    assert sheet.devices[-1] == "Q1"
    here = "/projects/1/coordination?curves=Intake+%3Cpath%3E"
    page = client.get(here).text
    assert "Intake &lt;path&gt;" in page
    assert "<path>" not in page
    assert all(f'data-device="{d}"' in page for d in sheet.devices)
    assert "tc-handle" not in page  # no device is selected
    assert "tc-handle" in client.get(f"{here}&selected=Q25").text
    dead = client.get(f"{here}&state=Standby+generator+alone").text
    assert all(f'data-device="{d}"' in dead for d in sheet.devices)
    assert client.get("/projects/1/curves.pdf?curves=Intake+%3Cpath%3E").content.startswith(b"%PDF")
    assert "Intake &lt;path&gt;" in client.get("/projects/1/curves.svg?curves=Intake+%3Cpath%3E").text
    tried = client.get("/projects/1/curves/try?curves=Intake+%3Cpath%3E&selected=Q25&element=B25&field=time_multiplier&value=0.9").text
    assert 'data-value="0.9"' in tried
    assert all(f'data-device="{d}"' in tried for d in sheet.devices)


def test_a_device_stands_on_the_sheets_that_are_ticked_and_a_relay_by_its_breaker(client, database):  # noqa: F811
    for version, name in ((1, "One"), (2, "Two")):
        assert post(client, "curves/kept/keep?stage=coordination", version, value=name).status_code == 200
    put = client.post(
        "/projects/1/curves/kept/stand/Q26?stage=coordination&selected=B26", data={"version": 3, "on": ["One", "Two"]}, headers={"hx-request": "true"}
    )
    assert "On 2 of 2 sheets" in put.text
    assert {c.name: c.devices for c in network(database).curves} == {"One": ["Q26"], "Two": ["Q26"]}
    assert post(client, "curves/kept/shift?stage=coordination&curves=Two", 4, by=-1).status_code == 200
    drawn = post(client, "curves/kept/show?stage=coordination&curves=Two", 5, faults="lg", axis="own")
    assert "A, of each device" in drawn.text
    assert [c.name for c in network(database).curves] == ["Two", "One"]
    refused = post(client, "curves/kept/show?stage=coordination&curves=Two", 6, faults="3ph", v_ref="3 m")
    assert refused.status_code == 422
    assert "kV" in refused.text
    assert post(client, "curves/kept/rename?stage=coordination&curves=Two", 6, value="One").status_code == 422
    gone = post(client, "curves/kept/remove?stage=coordination&curves=Two", 6)
    assert [c.name for c in network(database).curves] == ["One"]
    assert 'id="curves" hidden' in gone.text
    empty = post(client, "curves/kept/stand/Q26?stage=coordination&curves=One", 7)
    assert "Nothing stands on this sheet yet" in empty.text
    assert client.get("/projects/1/curves.pdf?curves=One").status_code == 404
    assert client.get("/projects/1/coordination?curves=no+such").status_code == 200


def test_the_others_of_a_family_stand_on_the_sheet_and_the_quantities_of_flow_stay(client):  # noqa: F811
    plain = client.get("/projects/1/coordination?selected=F411&tags=p.q").text
    assert "tc-ghost" not in plain
    assert "tags=p.q.ghosts" in plain  # the button
    shown = client.get("/projects/1/coordination?selected=F411&tags=p.q.ghosts").text
    assert shown.count('class="tc-ghost"') >= 15
    assert ">200 A<" in shown
    assert ">250 A<" not in shown  # that it is
    assert "This one alone" in shown
    assert client.get("/projects/1/curves.pdf?selected=F411&tags=ghosts").content.startswith(b"%PDF")
    tried = client.get("/projects/1/curves/try?selected=F411&tags=ghosts&element=F411&field=i_rated_a&value=160").text
    assert "250 A" in tried.replace(">", " ")  # the one that stands is one of the others of the one that is tried
    assert ">160 A<" not in tried
    flow = client.get("/projects/1/flow?tags=ghosts&selected=W25").text
    assert flow.count("checked") == client.get("/projects/1/flow?selected=W25").text.count("checked")
    assert client.get("/projects/1/flow?tags=none").text.count('data-look="tags" checked') == 0


def test_several_that_are_picked_are_kept_from_below_to_the_source(client, database):  # noqa: F811
    """Whatever the order in which they were picked; a relay is its breaker, and what is no device is left out."""
    picked = post(client, "curves/kept/keep?stage=coordination&selected=Q1", value="Some", ids='["Q1", "W25", "Q31", "B25", "Q25"]')
    assert picked.status_code == 200
    assert network(database).curves[0].devices == ["Q31", "Q25", "Q1"]
    assert post(client, "curves/kept/keep?stage=coordination", 2, value="Wrong", ids='{"a": 1}').status_code == 422


def test_a_name_is_put_elsewhere_on_a_kept_sheet_and_leaves_with_the_network(client, database):  # noqa: F811
    assert post(client, "curves/kept/keep?stage=coordination&selected=Q25", value="Path").status_code == 200
    page = post(client, "curves/kept/name?stage=coordination&curves=Path", 2, device="Q25", x=0.5, y=2.0)
    assert page.status_code == 200
    (sheet,) = network(database).curves
    assert [(m.device, m.x, m.y) for m in sheet.moved] == [("Q25", 0.5, 1.0)]
    assert "tc-leader" in page.text
    group = page.text.split('data-device="Q25"', 1)[1].split("</g>")[0]
    rect = re.search(r'<rect[^>]*class="tc-plate"[^>]*>', group)[0]
    x, y, w, h = (float(re.search(rf' {name}="([0-9.]+)"', rect)[1]) for name in ("x", "y", "width", "height"))
    ax, ay, aw, ah = (float(v) for v in re.search(r'data-axes="([^"]*)"', page.text)[1].split()[:4])
    assert (x, y) == (pytest.approx(ax + 0.5 * (aw - w), abs=0.1), pytest.approx(ay + ah - h, abs=0.1))
    held = network(database)
    for again in (
        northfell_json.read(northfell_json.write(held)),
        network_tables.network_of(workbook.read_xlsx(workbook.write_xlsx(network_tables.tables_of(held)))),
    ):
        assert [(m.x, m.y) for m in again.curves[0].moved] == [(0.5, 1.0)]
    assert post(client, "curves/kept/name?stage=coordination&curves=Path", 3, device="Q26", x=0.1, y=0.1).status_code == 422  # it is not on it
    assert post(client, "curves/kept/name?stage=coordination&curves=Path", 3, device="Q25").status_code == 200
    assert network(database).curves[0].moved == []


def test_ratios_are_held_against_a_list_and_nothing_is_kept(client, database):  # noqa: F811
    version = network(database)
    page = client.post("/projects/1/ratios?stage=coordination", data={"listed": f"B25 300/1\nB21\t100/1\n{HOSTILE} 5/1"}).text
    assert "as intended" in page
    assert "differs" in page
    assert "&lt;img" in page
    assert HOSTILE not in page
    assert "not on the list" in page
    assert network(database) == version
    assert client.post("/projects/1/ratios?stage=coordination", data={"listed": "x" * 100_001}).status_code == 422


def test_a_weight_on_incident_energy_is_asked_for_and_bounded(client):  # noqa: F811
    data = northfell_json.write(network_of(feeder()))
    made = client.post("/projects/import", files={"file": ("feeder.northfell.json", data)}, follow_redirects=False)
    here = made.headers["location"].split("/network")[0].split("?")[0]
    page = settled(client, f"{here}/settings-proposed?stage=coordination&weight=1")
    assert "incident energy at B, load side" in page
    assert re.search(r'name="weight" value="1(\.0)?"', page)
    assert "incident energy at" not in settled(client, f"{here}/settings-proposed?stage=coordination")
    kept = client.post(f"{here}/settings-proposed/keep?stage=coordination", data={"version": 1, "number": 1, "weight": 1.0}, follow_redirects=False)
    assert kept.status_code == 303
    for wrong in ("-1", "nan", "1000"):
        assert client.get(f"{here}/settings-proposed?stage=coordination&weight={wrong}").status_code == 422
