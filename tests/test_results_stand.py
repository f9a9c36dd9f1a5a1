"""Nothing that only moves code may move a figure: what every study prints for the demos and published cases, held to what it printed before.

`python -m tests.test_results_stand` writes the file anew, after a change that is meant to change results, and tells how many values differ.
"""

import gzip
import io
import json
import math
import sys
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import pytest
from benchmarks.synthetic import synthetic

from northfell.cli import main
from northfell.demo import bracken_quay, skerrow_water
from northfell.formats import northfell_json

HERE = Path(__file__).parent
KEPT = HERE / "published/data/results_stand.json.gz"
EVERY = ("--all-states",)
RUNS = {
    "Skerrow Water, load flow": ("skerrow", "load_flow", *EVERY, "--each-out", "--most-load", "--start", "P1"),
    "Skerrow Water, short circuit": ("skerrow", "short_circuit", *EVERY),
    "Skerrow Water, duty": ("skerrow", "duty", *EVERY),
    "Skerrow Water, all that is known of two boards, every fault": (
        "skerrow",
        "short_circuit",
        "--set",
        "fault=all",
        "--bus",
        "11 kV board A",
        "--bus",
        "Filter hall",
        "--along",
        "W25",
        "--open",
        "W25",
    ),
    "Skerrow Water, by the other school": ("skerrow", "short_circuit", "--set", "school=ieee", "--set", "fault=all"),
    "Skerrow Water, arc flash": ("skerrow", "arc_flash", *EVERY),
    "Bracken Quay, load flow": ("quay", "load_flow", *EVERY),
    "Bracken Quay, short circuit": ("quay", "short_circuit", *EVERY),
    "Bracken Quay, duty": ("quay", "duty", *EVERY),
    "Bracken Quay, arc flash": ("quay", "arc_flash", *EVERY),
    "IEEE 14-bus": ("ieee14", "load_flow", "--each-out", "--most-load"),
    "made-up substations, load flow": ("synthetic", "load_flow"),
    "made-up substations, short circuit": ("synthetic", "short_circuit"),
}


def files(folder: Path) -> dict[str, Path]:
    """The networks that are run, as files."""
    written = {"skerrow": northfell_json.write(skerrow_water()).encode(), "quay": bracken_quay(), "synthetic": northfell_json.write(synthetic(60)).encode()}
    for name, data in written.items():
        (folder / f"{name}.northfell.json").write_bytes(data)
    return {name: folder / f"{name}.northfell.json" for name in written} | {"ieee14": HERE / "published/data/ieee14.cdf"}


def printed(arguments: tuple[str, ...], at: dict[str, Path]) -> dict:
    """What one run prints."""
    file, study, *more = arguments
    out = io.StringIO()
    with redirect_stdout(out), redirect_stderr(io.StringIO()):
        code = main(["run", study, str(at[file]), *more])
    return {"code": code, **json.loads(out.getvalue())}


def differences(was: object, now: object, where: str, near: float) -> list[str]:
    """Where two results differ; columns and keys may be added, none may go. Figures may differ by `near` of themselves."""
    if isinstance(was, dict) and isinstance(now, dict):
        return [d for key, value in was.items() for d in (differences(value, now[key], f"{where}/{key}", near) if key in now else [f"{where}/{key} is gone"])]
    if isinstance(was, list) and isinstance(now, list) and len(was) == len(now):
        return [d for k, (a, b) in enumerate(zip(was, now, strict=True)) for d in differences(a, b, f"{where}[{k}]", near)]
    if isinstance(was, float) and isinstance(now, float):
        return [] if was == now or math.isclose(was, now, rel_tol=near, abs_tol=near) else [f"{where}: {was!r:.200} is now {now!r:.200}"]
    return [] if was == now else [f"{where}: {was!r:.200} is now {now!r:.200}"]


def by_name(result: dict) -> dict:
    """Rows by the names of their columns, so that a column may be added."""
    named = {t: [dict(zip([c["name"] for c in table["columns"]], row, strict=True)) for row in table["rows"]] for t, table in result["tables"].items()}
    return {**result, "tables": named}


@pytest.mark.parametrize("name", RUNS)
def test_results_are_what_they_were(name, tmp_path):
    kept = json.loads(gzip.decompress(KEPT.read_bytes()))
    # another machine's arithmetic may round a sum otherwise; on one machine they are equal to the last digit
    now = by_name(printed(RUNS[name], files(tmp_path)))
    assert now["tables"], "a run without results holds nothing"
    for of in (was := kept[name]["tables"]):
        assert differences(was[of], now["tables"].get(of), of, near=NEAR.get(of, 1e-9))[:10] == []
    assert differences({**kept[name], "tables": {}}, now, "", near=1e-9)[:10] == []


# where no more can be drawn the voltage follows the root of what is left: the solvers differ in its eighth digit
NEAR = {"maximum": 1e-6, "loading_curve": 1e-6}


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        at = files(Path(folder))
        now = {name: by_name(printed(arguments, at)) for name, arguments in RUNS.items()}
    if KEPT.exists():
        was = json.loads(gzip.decompress(KEPT.read_bytes()))
        found = [d for name in RUNS for d in differences(was.get(name, {}), json.loads(json.dumps(now[name])), name, near=0.0)]
        print("\n".join(found[:20]), f"{len(found)} values differ from what was kept", sep="\n", file=sys.stderr)
    if "--look" not in sys.argv:
        KEPT.write_bytes(gzip.compress(json.dumps(now, separators=(",", ":")).encode(), mtime=0))
