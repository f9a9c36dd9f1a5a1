"""CONTRIBUTING.md is true: each of its walks, followed word for word in a copy of the tree, gives what it promises."""

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
TEXT = (ROOT / "CONTRIBUTING.md").read_text()
STEP = re.compile(
    r"^(?:New file `(?P<new>[^`]+)`:|In `(?P<file>[^`]+)`, (?:after `(?P<after>[^`\n]+)`[^\n]*:|`(?P<was>[^`\n]+)` becomes `(?P<now>[^`\n]+)`\.))\n"
    r"(?:\n```python\n(?P<code>.*?)```\n)?",
    re.S | re.M,
)


def walk(head: str, tree: Path) -> int:
    """Follow the steps under a head; the number of files that were touched."""
    part = TEXT[TEXT.index(f"## {head}") :].split("\n## ", 1)[0]
    touched = set()
    for step in STEP.finditer(part):
        path = tree / (step["new"] or step["file"])
        touched.add(path)
        if step["new"]:
            path.parent.mkdir(exist_ok=True)
            path.write_text(step["code"])
            continue
        text = path.read_text()
        old = step["after"] or step["was"]
        assert text.count(old) == 1 if step["was"] else f"\n{old}\n" in text, f"{path} has no line {old}"
        path.write_text(text.replace(old, step["now"]) if step["was"] else text.replace(f"\n{old}\n", f"\n{old}\n{step['code']}", 1))
    return len(touched)


@pytest.fixture(scope="module")
def tree(tmp_path_factory):
    made = tmp_path_factory.mktemp("tree")
    shutil.copytree(ROOT / "src", made / "src", ignore=shutil.ignore_patterns("__pycache__"))
    return made


def told(tree: Path, script: str) -> dict:
    """What a script prints, run on the copy."""
    surroundings = {**os.environ, "PYTHONPATH": str(tree / "src")}
    done = "\nimport os, sys\nsys.stdout.flush()\nos._exit(0)\n"  # what runs in the background is not waited for
    ran = subprocess.run([sys.executable, "-c", script + done], env=surroundings, cwd=tree, capture_output=True, text=True, check=False)
    assert ran.returncode == 0, ran.stderr[-3000:]
    return json.loads(ran.stdout)


OPENED = """
import json, tempfile
from pathlib import Path
from fastapi.testclient import TestClient
from northfell.web.application import create_application
from northfell.app.project.projects import create_project
from northfell.store import connect
from northfell.demo import skerrow_water
database = Path(tempfile.mkdtemp()) / "northfell.sqlite"
client = TestClient(create_application(database), base_url="http://127.0.0.1")
db = connect(database)
create_project(db, skerrow_water())
"""


def test_a_parameter_is_one_edit(tree):
    assert walk("A parameter: one edit", tree) == 1
    found = told(tree, OPENED + """
from northfell.formats import northfell_json
from northfell.core.rules.completeness import missing_of
network = skerrow_water()
print(json.dumps({
    "card": "Resistance of the sheath" in client.get("/projects/1/network?selected=W25").text,
    "table": "Resistance of the sheath" in client.get("/projects/1/table/cable/data").text,
    "reference": "Resistance of the sheath" in client.get("/reference/cable").text,
    "schema": "toy_sheath_ohm_per_km" in json.dumps(northfell_json.schema()),
    "missing": "toy_sheath_ohm_per_km" in [m.parameter.name for m in missing_of(network.elements, network.elements["W25"], "arc_flash")],
}))
""")  # fmt: skip
    assert found == dict.fromkeys(found, True)


def test_a_table_is_the_class_of_its_rows_and_a_parameter(tree):
    assert walk("A table of an element", tree) == 1
    found = told(tree, OPENED + """
from northfell.app.project.projects import change_project, open_project
from northfell.core.model.changes import Add, Change
from northfell.core.rules.completeness import missing_of
from northfell.formats import network_tables, northfell_json
breaker = next(e for e in skerrow_water().elements.values() if e.kind == "breaker")
points = [{"v_v": 20.0, "i_a": 0.01}, {"v_v": 60.0}]
ct = {"id": "T99", "name": "T99", "kind": "current_transformer", "measures": breaker.id, "toy_points": points}
change_project(db, 1, lambda network: Change("", (Add(element=ct),)), 1)
typed = client.post("/projects/1/elements/T99/rows/toy_points?stage=network&selected=T99", data={"value": "90 | 0.5", "version": 2}).text
network = open_project(db, 1).network
read = network_tables.network_of(network_tables.tables_of(network))
print(json.dumps({
    "missing": [str(m) for m in missing_of(network.elements, network.elements["T99"], "arc_flash")],
    "asked": "Magnetising curve, row 2: current" in client.get("/projects/1/missing").text,
    "leads": "field-toy_points.1.i_a" in client.get("/projects/1/network?selected=T99").text,
    "card": "Magnetising curve, row 3, voltage" in typed,
    "reference": "Secondary voltage." in client.get("/reference/current_transformer").text,
    "schema": "ToyPoint" in northfell_json.schema()["$defs"],
    "sheet": network_tables.tables_of(network)["toy_points"],
    "back": read.elements["T99"].toy_points == network.elements["T99"].toy_points,
}))
""")  # fmt: skip
    assert found.pop("missing") == ["Current transformer T99, magnetising curve, row 2: i_a is empty, accepted is a number, 0 A or more and 100 A or less."]
    assert found.pop("sheet") == [["element", "v_v [V]", "i_a [A]"], ["T99", 20.0, 0.01], ["T99", 60.0, None], ["T99", 90.0, 0.5]]
    assert found == dict.fromkeys(found, True)


def test_a_kind_is_its_class_its_line_and_its_symbol(tree):
    assert walk("A kind of element", tree) == 3
    found = told(tree, OPENED + """
from northfell.app.draw.extend import plan
from northfell.app.results.studies import StateResults
network = plan(skerrow_water(), "", "Filter hall", "toyheater 20 kW").network
heater = next(e for e in network.elements.values() if e.kind == "toy_heater")
loads = next(t for t in StateResults(network, "Normal").run("load_flow").tables() if t.name == "loads").records()
print(json.dumps({
    "draws": [r["p_mw"] for r in loads if r["name"] == heater.name],
    "tray": "Toy heater" in client.get("/projects/1/network").text,
    "reference": client.get("/reference/toy_heater").status_code,
    "table": client.get("/projects/1/table/toy_heater").status_code,
}))
""")  # fmt: skip
    assert found == {"draws": [pytest.approx(0.02)], "tray": True, "reference": 200, "table": 200}


def test_a_study_and_its_stage_are_two_folders_and_two_lines(tree):
    assert walk("A study and its stage", tree) == 4
    found = told(tree, OPENED + """
import io
from contextlib import redirect_stdout
from northfell.cli import main
from northfell.formats import northfell_json
Path("demo.northfell.json").write_text(northfell_json.write(skerrow_water()))
out = io.StringIO()
with redirect_stdout(out):
    code = main(["run", "toy_headroom", "demo.northfell.json", "--all-states", "--set", "kept_pct=50"])
ran = json.loads(out.getvalue())
page = client.get("/projects/1/toy?selected=W25").text
print(json.dumps({
    "code": code, "kept": ran["settings"]["toy_headroom"], "rows": len(ran["tables"]["headroom"]["rows"]), "findings": len(ran["findings"]),
    "stage": "Toy headroom" in page and "% left" in page, "setting": "Kept in hand" in client.get("/projects/1/network").text,
    "reference": client.get("/reference/toy-headroom").status_code, "workbook": client.get("/projects/1/results.xlsx?stage=toy").status_code,
    "csv": client.get("/projects/1/tables/headroom.csv?stage=toy").text.splitlines()[0],
    "pages": [client.get(f"/projects/1/{page}").status_code for page in ("missing", "findings", "states", "network?lack=toy_headroom", "toy?tab=findings")],
}))
""")  # fmt: skip
    assert (found["code"], found["kept"], found["stage"], found["setting"]) == (0, {"kept_pct": 50.0}, True, True)
    assert found["rows"] > 100
    assert found["findings"] > 10
    assert (found["reference"], found["workbook"]) == (200, 200)
    assert found["pages"] == [200] * 5
    assert found["csv"].lstrip("\ufeff") == "state,name,left_pct [%]"


def test_a_protective_function_is_one_function_and_one_line(tree):
    assert walk("A protective function", tree) == 1
    found = told(tree, OPENED + """
from northfell.core.studies.protection import devices_of
device = next(d for d in devices_of(skerrow_water().elements).values() if d.relays)
i = 21 * device.relays[0].i_pickup_a
print(json.dumps({"codes": [one.code for one in device.functions], "by": device.clearing(i).stage, "t": device.clearing(i).t_s - device.switch.t_break_s}))
""")  # fmt: skip
    assert "50 toy" in found["codes"]
    assert found["by"].endswith("toy")
    assert found["t"] == pytest.approx(0.001)
