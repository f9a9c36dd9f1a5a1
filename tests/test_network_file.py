"""The example of docs/network-file.md is whole: the command line runs it, and it gives what it should."""

import json
import re
from pathlib import Path

import pytest

from northfell.cli import main

DOCUMENT = Path(__file__).parent.parent / "docs" / "network-file.md"


def test_the_example_of_line_constants_runs(tmp_path, capsys):
    example, _ = re.findall(r"```json\n(.*?)```", DOCUMENT.read_text(encoding="utf-8"), re.DOTALL)
    file = tmp_path / "line.northfell.json"
    file.write_text(example, encoding="utf-8")
    assert main(["run", "line_constants", str(file), "--out", str(tmp_path / "out.csv")]) == 0
    answer = json.loads(capsys.readouterr().out)
    names = [c["name"] for c in answer["tables"]["z_ohm_per_km"]["columns"]]
    rows = [dict(zip(names, row, strict=True)) for row in answer["tables"]["z_ohm_per_km"]["rows"]]
    after = {(r["geometry"], r["row"], r["column"]): complex(r["r_ohm_per_km"], r["x_ohm_per_km"]) for r in rows if r["reduction"] == "after"}
    assert after["Pole", "a", "b"] == pytest.approx(0.115404 + 0.2915j, abs=1e-6)
    assert after["Trench", "b", "b"] == pytest.approx(0.47388 + 0.18837j, abs=2e-5)
    assert any("Trench" in m and "first terms" in m for m in answer["messages"])
    for table in answer["tables"]:
        assert f"`{table}`" in DOCUMENT.read_text(encoding="utf-8")
    assert (tmp_path / "out.csv").read_text(encoding="utf-8-sig").startswith("# z_ohm_per_km")
    assert main(["run", "line_constants", str(file), "--set", "earth=first terms"]) == 0
    modified = json.loads(capsys.readouterr().out)
    assert modified["settings"]["line_constants"]["earth"] == "first terms"


def test_a_file_with_a_wrong_wire_says_where_and_keeps_the_rest(tmp_path, capsys):
    example, _ = re.findall(r"```json\n(.*?)```", DOCUMENT.read_text(encoding="utf-8"), re.DOTALL)
    data = json.loads(example)
    data["catalogue"][3]["values"]["conductors"][1]["wire"] = "No such wire"
    file = tmp_path / "line.northfell.json"
    file.write_text(json.dumps(data), encoding="utf-8")
    assert main(["run", "line_constants", str(file)]) == 1
    answer = json.loads(capsys.readouterr().out)
    assert any("Geometry Pole, conductor b: wire is “No such wire”" in m for m in answer["messages"])
    assert {row[1] for row in answer["tables"]["sequence"]["rows"]} == {"Trench"}


def test_the_example_of_a_feeder_by_phase_runs_and_balanced_studies_say_that_they_leave_it_out(tmp_path, capsys):
    _, example = re.findall(r"```json\n(.*?)```", DOCUMENT.read_text(encoding="utf-8"), re.DOTALL)
    file = tmp_path / "feeder.northfell.json"
    file.write_text(example, encoding="utf-8")
    assert main(["run", "load_flow", str(file), "--set", "phases=abc", "--out", str(tmp_path / "out.xlsx")]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["summary"]["phases"] == "abc"
    for table in answer["tables"]:
        assert f"`{table}`" in DOCUMENT.read_text(encoding="utf-8")

    def rows(name: str) -> list[dict]:
        heads = [c["name"] for c in answer["tables"][name]["columns"]]
        return [dict(zip(heads, row, strict=True)) for row in answer["tables"][name]["rows"]]

    assert [(r["name"], r["phase"]) for r in rows("buses")][-1] == ("Spur", "c")
    assert all(r["target"] == "held" for r in rows("regulators"))
    branch = {r["terminal"]: r for r in rows("terminals") if r["element"] == "Branch"}
    assert branch[0]["i_a"] == pytest.approx(branch[1]["i_a"], rel=1e-3)
    taken = answer["summary"]["load_mw"] + answer["summary"]["losses_mw"]
    assert answer["summary"]["generation_mw"] == pytest.approx(taken, rel=1e-9)
    assert main(["run", "load_flow", str(file), "--by-phase"]) == 0
    assert json.loads(capsys.readouterr().out)["tables"]["buses"] == answer["tables"]["buses"]
    assert main(["run", "short_circuit", str(file), "--by-phase"]) == 0
    with_faults = json.loads(capsys.readouterr().out)["tables"]
    assert [row[2] for row in with_faults["faults"]["rows"] if row[1] == "Spur"] == ["c–earth"]
    assert all(f"`{table}`" in DOCUMENT.read_text(encoding="utf-8") for table in with_faults)
    assert main(["run", "load_flow", str(file)]) == 1
    assert "Flow and Faults take it by phase" in capsys.readouterr().out
    data = json.loads(example)
    data["elements"][9]["by_phase"][0]["between"] = "a"
    file.write_text(json.dumps(data), encoding="utf-8")
    assert main(["run", "load_flow", str(file), "--set", "phases=abc"]) == 1
    assert "Load Farm: conductors is “a”, accepted is of what bus Spur has, c." in capsys.readouterr().out
