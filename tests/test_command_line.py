"""The command line's contract: JSON on standard output, exit codes, files."""

import csv
import json
from pathlib import Path

import openpyxl
import pypdf
import pytest

from northfell.cli import main
from northfell.core.studies import STUDIES
from northfell.demo import ellerdale, skerrow_water
from northfell.formats import northfell_json

CDF = Path(__file__).parent / "published/data/ieee14.cdf"


@pytest.fixture
def demo(tmp_path):
    path = tmp_path / "demo.northfell.json"
    path.write_text(northfell_json.write(skerrow_water()))
    return path


@pytest.fixture
def run(capsys):
    def call(*arguments: object) -> tuple[int, dict]:
        code = main([str(a) for a in arguments])
        return code, json.loads(capsys.readouterr().out)

    return call


CONTRACT = {
    "load_flow": {
        "buses": "state name v_pu angle_deg v_kv energised",
        "terminals": "state element kind terminal bus p_mw q_mvar s_mva i_a power_factor",
        "branches": "state name kind loading_pct rating rating_unit rating_basis governing_terminal loss_mw loss_mvar",
        "sources": "state name bus p_mw q_mvar mode",
        "loads": "state name bus",
    },
    "short_circuit": {
        "faults": "state bus fault case method ik_ka i_earth_ka angle_deg ip_ka ib_ka ik_steady_ka ith_ka x_over_r z1_ohm z2_ohm z0_ohm",
        "contributions": "state bus fault case element terminal component i_ka angle_deg",
    },
    "arc_flash": {
        "locations": "state bus side method configuration gap_mm i_bolted_ka i_arc_ka i_arc_reduced_ka device i_device_ka clearing_time_s energy_cal_cm2 "
        "energy_full_cal_cm2 energy_reduced_cal_cm2 governs boundary_mm working_distance_mm warnings",
        "devices": "state bus side variant device i_device_ka opens_at_s",
    },
}  # fmt: skip


@pytest.mark.parametrize("study", CONTRACT)
def test_run_prints_the_tables_of_the_contract(run, demo, study):
    code, answer = run("run", study, demo)
    assert (code, answer["study"], answer["state"], answer["converged"]) == (0, study, "Normal", True)
    for table, columns in CONTRACT[study].items():
        made = answer["tables"][table]
        assert set(columns.split()) <= {c["name"] for c in made["columns"]}
        assert made["columns"][0]["name"] == "state"
        assert made["rows"]
    if study == "short_circuit":
        z1 = answer["tables"]["faults"]["rows"][0][[c["name"] for c in answer["tables"]["faults"]["columns"]].index("z1_ohm")]
        assert len(z1) == 2  # complex as [re, im]


@pytest.mark.parametrize("study", [one.key for one in STUDIES])
def test_a_feeder_of_unlike_phases_has_results_or_says_why(run, tmp_path, study):
    path = tmp_path / "ellerdale.json"
    path.write_bytes(ellerdale())
    code, answer = run("run", study, path, "--all-states")
    assert code == 0 or "take it by phase" in str(answer), answer


def test_load_flow_summary(run, demo):
    _, answer = run("run", "load_flow", demo)
    wanted = {"generation_mw", "generation_mvar", "load_mw", "load_mvar", "losses_mw", "losses_mvar", "iterations", "mismatch_mva"}
    assert wanted <= set(answer["summary"])


def test_all_states_and_settings(run, demo):
    code, answer = run("run", "arc_flash", demo, "--all-states", "--set", "two_second_rule=false", "--set", "short_circuit.lv_tolerance_pct=6")
    assert code == 0
    assert answer["state"] == skerrow_water().state_names
    assert answer["settings"]["arc_flash"]["two_second_rule"] is False
    assert answer["settings"]["short_circuit"]["lv_tolerance_pct"] == 6
    assert {row[0] for row in answer["tables"]["locations"]["rows"]} == set(answer["state"])


def test_a_setting_of_a_study_that_is_used_needs_no_group(run, demo):
    """Duty rests on the currents of short circuit: the school by which it is judged is theirs."""
    _, answer = run("run", "duty", demo, "--set", "school=ieee")
    assert answer["settings"]["short_circuit"]["school"] == "ieee"
    methods = {row[-1] for row in answer["tables"]["duties"]["rows"]}
    assert all("IEEE" in method for method in methods)


def test_bad_input_is_exit_1_with_json_all_the_same(run, demo, tmp_path):
    bad = tmp_path / "bad.json"
    bad.write_text(demo.read_text().replace('"length_m": 640.0', '"length_m": -640.0'))
    code, answer = run("run", "load_flow", bad)
    assert (code, answer["tables"], answer["converged"]) == (1, {}, False)
    assert answer["messages"] == ["Cable W25: length_m is -640, accepted is a number, above 0 m and 1e+06 m or less (or empty)."]
    for arguments, told in [
        (("run", "load_flow", demo, "--state", "Night"), "There is no operating state “Night”"),
        (("run", "load_flow", demo, "--set", "speed=9"), "Settings: setting is “load_flow.speed”"),
        (("run", "load_flow", demo, "--set", "speed"), "accepted is KEY=VALUE"),
        (("run", "duty", demo, "--set", "speed=9"), "Settings: setting is “duty.speed”"),
        (("run", "load_flow", tmp_path / "none.json"), "a file that can be read"),
        (("run", "load_flow", tmp_path / "x.doc"), "ends in .northfell.json, .xlsx or .cdf, or a folder of CSV files"),
        (("run", "short_circuit", CDF), "v_nominal_kv is empty"),
    ]:
        code, answer = run(*arguments)
        assert code == 1
        assert told in " ".join(answer["messages"])


def test_no_solution_is_exit_2(run, demo, tmp_path):
    heavy = tmp_path / "heavy.json"
    data = json.loads(demo.read_text())
    for n, element in enumerate(e for e in data["elements"] if e["kind"] == "load"):
        element["p_mw"] = 420.0 if n == 0 else element["p_mw"]
    heavy.write_text(json.dumps(data))
    code, answer = run("run", "load_flow", heavy)
    assert (code, answer["converged"]) == (2, False)
    assert "largest mismatch" in answer["messages"][0]
    assert any(row[3] for row in answer["tables"]["buses"]["rows"])  # what the other part of the network carries


def test_convert_and_solve_the_same(run, tmp_path, capsys):
    out = tmp_path / "ieee14.northfell.json"
    assert main(["convert", str(CDF), str(out)]) == 0
    capsys.readouterr()
    _, from_cdf = run("run", "load_flow", CDF)
    _, from_json = run("run", "load_flow", out)
    assert from_cdf["tables"] == from_json["tables"]
    again = tmp_path / "again.northfell.json"
    assert main(["convert", str(out), str(again)]) == 0
    assert again.read_text() == out.read_text()
    assert main(["convert", str(out), str(tmp_path / "x.xml")]) == 1


def test_result_files(run, demo, tmp_path):
    for name in ("out.json", "out.csv", "out.xlsx"):
        assert run("run", "load_flow", demo, "--out", tmp_path / name)[0] == 0
    rows = list(csv.reader((tmp_path / "out.csv").read_text("utf-8-sig").splitlines()))
    assert rows[0] == ["# buses"]
    assert rows[1][:4] == ["state", "name", "label", "v_pu [p.u.]"]
    book = openpyxl.load_workbook(tmp_path / "out.xlsx")
    assert book.sheetnames == ["buses", "terminals", "branches", "sources", "loads", "controls", "totals", "reactive", "settings"]
    assert book["buses"]["D2"].value == pytest.approx(1.01)
    code, answer = run("run", "load_flow", demo, "--out", tmp_path / "out.doc")
    assert code == 1
    assert "a name that ends in .json, .csv or .xlsx" in answer["messages"][-1]


def test_a_folder_gets_a_file_for_each_table_and_says_where_they_went(run, tmp_path, capsys):
    path = tmp_path / "feeder.northfell.json"
    path.write_bytes(ellerdale())
    capsys.readouterr()
    assert main(["run", "load_flow", str(path), "--by-phase", "--out", str(tmp_path / "all")]) == 0
    told = capsys.readouterr().err
    rows = list(csv.reader((tmp_path / "all" / "voltages.csv").read_text("utf-8-sig").splitlines()))
    assert f"Wrote {tmp_path / 'all' / 'voltages.csv'}: {len(rows) - 1} rows" in told
    assert {"v_a_pu [p.u.]", "v_ll_ab_pu [p.u.]", "v_1_pu [p.u.]"} <= set(rows[0])
    assert sorted(f.stem for f in (tmp_path / "all").iterdir())[:4] == ["branches", "buses", "controls", "currents"]


def test_hostile_names_stay_text_in_workbook_and_csv(run, tmp_path):
    path = tmp_path / "hostile.json"
    path.write_text(northfell_json.write(skerrow_water()).replace("Filter hall", "=1+1"))
    assert run("run", "load_flow", path, "--out", tmp_path / "o.xlsx")[0] == 0
    cells = [c for row in openpyxl.load_workbook(tmp_path / "o.xlsx")["buses"].iter_rows() for c in row if c.value == "=1+1"]
    assert [c.data_type for c in cells] == ["s"]
    run("run", "load_flow", path, "--out", tmp_path / "o.csv")
    assert ",'=1+1," in (tmp_path / "o.csv").read_text("utf-8-sig")


def test_check_decides_by_study(run):
    code, answer = run("check", CDF)
    assert code == 1
    assert answer["studies"]["load_flow"] == {"can_run": True, "missing": []}
    assert "Bus 1: v_nominal_kv is empty, accepted is a number, above 0 kV and 1200 kV or less." in answer["studies"]["short_circuit"]["missing"]
    assert run("check", CDF, "--study", "load_flow")[0] == 0


def test_schema_is_json(run):
    assert run("schema")[1]["title"].startswith("Northfell network file")


def test_labels_in_true_size(demo, tmp_path, capsys):
    out = tmp_path / "labels.pdf"
    assert main(["labels", str(demo), "--template", "field", "--stock", "a4", "--out", str(out)]) == 0
    pages = pypdf.PdfReader(out).pages
    assert len(pages) == 6  # eleven labels, two on a page
    assert [round(float(v) / 72 * 25.4) for v in pages[0].mediabox[2:]] == [210, 297]
    assert main(["labels", str(demo), "--template", "poster", "--out", str(out)]) == 1
    assert "template is “poster”, accepted is one of field, detailed, compact, procedure" in capsys.readouterr().err


def test_a_network_goes_to_tables_and_back(run, demo, tmp_path):
    for target in (tmp_path / "tables.xlsx", tmp_path / "tables"):
        back = tmp_path / "back.northfell.json"
        assert main(["convert", str(demo), str(target)]) == main(["convert", str(target), str(back)]) == 0
        assert back.read_text() == northfell_json.write(skerrow_water())
    code, answer = run("run", "load_flow", tmp_path / "tables.xlsx")
    assert (code, answer["settings"]["set"]) == (0, "Standard")


def test_argument_errors_keep_the_contract(run, capsys):
    for arguments in (("run", "load_flow"), ("run", "weather", "x"), ("run", "load_flow", "x", "--state"), ("check",), ("run", "load_flow", "x", "--odd")):
        assert main(list(arguments)) == 1
        told = capsys.readouterr()
        assert json.loads(told.out)["messages"][0].startswith("Command line: ")
        assert "usage: northfell" in told.err
    assert main(["convert"]) == 1
    assert capsys.readouterr().out == ""


def test_infinite_figures_are_null_and_words(run, demo):
    code, answer = run("run", "arc_flash", demo, "--all-states", "--set", "two_second_rule=false")
    assert code == 0
    assert all(f["value"] is None or f["value"] < 1e9 for f in answer["findings"])


def test_a_start_gets_its_verdict_and_leaves_the_base_result(run, tmp_path):
    data = json.loads(northfell_json.write(skerrow_water()))
    motor = next(e for e in data["elements"] if e["kind"] == "induction_motor" and e.get("starter", "direct") == "direct")
    motor["p_rated_kw"] *= 4
    path = tmp_path / "start.json"
    path.write_text(json.dumps(data))
    code, answer = run("run", "load_flow", path, "--start", motor["name"])
    assert code in (0, 2)
    assert answer["tables"]["buses"]["rows"]
    verdicts = [f for f in answer["findings"] if f["check"] == "start"]
    assert verdicts or any(m.startswith("Starting a motor, ") for m in answer["messages"])


def test_contradictions_reach_run_and_check(run, demo, tmp_path):
    path = tmp_path / "clash.json"
    data = json.loads(demo.read_text())
    cable = next(e for e in data["elements"] if e["kind"] == "cable")
    cable["v_insulation_kv"] = 0.1
    path.write_text(json.dumps(data))
    _, ran = run("run", "load_flow", path)
    assert any(f["study"] == "network" and cable["name"] in f["text"] for f in ran["findings"])
    _, checked = run("check", path)
    assert any(cable["name"] in f["text"] for f in checked["findings"])


def test_one_part_without_a_result_leaves_the_others_theirs(run, demo, tmp_path):
    path = tmp_path / "part.json"
    data = json.loads(demo.read_text())
    board = next(e for e in data["elements"] if e["name"] == "Filter hall")
    del board["gap_mm"]
    path.write_text(json.dumps(data))
    code, answer = run("run", "arc_flash", path)
    assert (code, answer["converged"]) == (1, False)
    assert any(m.startswith("Filter hall, load side: waits for data") for m in answer["messages"])
    energies = {row[1]: row[12] for row in answer["tables"]["locations"]["rows"]}
    assert energies["Filter hall"] is None
    assert sum(e is not None for e in energies.values()) > 5


def test_what_a_data_file_says_and_is_not_read_is_told(tmp_path, run):
    text = CDF.read_text()
    line = next(one for one in text.splitlines() if one.lstrip().startswith("4    7") or one[:9].split()[:2] == ["4", "7"])
    changed = line[:18] + "2" + line[19:68] + "   7" + line[72:]
    path = tmp_path / "taps.cdf"
    path.write_text(text.replace(line, changed))
    _, answer = run("run", "load_flow", path)
    assert any("by its tap: it is read with its tap as it stands" in m for m in answer["messages"])


def test_the_most_load_has_tables_of_its_own(run, demo):
    code, answer = run("run", "load_flow", demo, "--most-load", "W411")
    assert code == 1
    assert any("Cable W411 draws nothing that could be raised; accepted is a load, a motor, or a bus" in one for one in answer["messages"])
    code, answer = run("run", "load_flow", demo, "--most-load", "Nowhere")
    assert code == 1
    assert any("--most-load is “Nowhere”, accepted is the name of a load, a motor or a bus" in one for one in answer["messages"])
    code, answer = run("run", "load_flow", CDF, "--most-load")
    assert code == 0
    table = answer["tables"]["maximum"]
    row = dict(zip((c["name"] for c in table["columns"]), table["rows"][0], strict=True))
    assert row["part"] == pytest.approx(1.7651222, abs=1e-6)
    assert row["p_max_mw"] == pytest.approx(1.7651222 * 259.0, abs=1e-3)
    assert (row["weakest"], row["limited"][:16]) == ("14", "Source 2 (by 110")
    assert len(answer["tables"]["loading_curve"]["rows"]) > 15
