"""What every kind of working says, to the letter, held to what it said before: a text or a figure in it changes only where somebody looked.

`python -m tests.core.working.test_workings_stand` writes the file anew and shows the lines that differ.
"""

import difflib
import gzip
import json
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.conftest import BUS_B, BUS_C, CABLE
from tests.core.model.test_kinds import BUSES_ML, PV, THREE, results

from northfell.app.results.studies import StateResults
from northfell.core.errors import CannotRun, NotFound
from northfell.core.studies import STUDIES, Asked
from northfell.demo import bracken_quay, ellerdale, skerrow_water
from northfell.formats import northfell_json

KEPT = Path(__file__).parent.parent.parent / "published/data/workings_stand.json.gz"
MOST = 3  # of each kind and quantity in a network


def of_many_kinds() -> StateResults:
    """Kinds and ways that the demos do not have."""
    rated = {"p_rated_kw": 400.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.9}
    box = {
        "electrode_configuration": "HCB",
        "gap_mm": 104.0,
        "working_distance_mm": 914.0,
        "box_height_mm": 1143.0,
        "box_width_mm": 762.0,
        "box_depth_mm": 762.0,
    }
    relay = {"kind": "relay", "name": "RQ", "breaker": "Q", "ct_primary_a": 400.0, "curve": "IEC_EI", "i_pickup_a": 300.0, "time_multiplier": 0.2,
             "time_tolerance_pct": 5.0, "i_high_a": 5000.0, "t_high_s": 0.05}  # fmt: skip
    return results(
        BUS_B, {**BUS_C, **box, "bus_kind": "switchboard"}, {**CABLE, "parallel": 2, "assumed": {"r_ohm_per_km": "a table"}}, PV, *BUSES_ML, THREE,
        {"kind": "bus", "name": "D", "v_nominal_kv": 11.0, **box, "electrode_configuration": "VOA"}, relay,
        {"kind": "breaker", "name": "Q", "from_bus": "C", "to_bus": "D", "t_break_s": 0.06, "assumed": {"t_break_s": "usual"}},
        {"kind": "series_reactor", "name": "R", "from_bus": "B", "to_bus": "C", "i_rated_a": 400.0, "uk_pct": 6.0, "r_over_x": 0.03},
        {"kind": "synchronous_motor", "name": "MS", "bus": "B", **rated, "xd2_pct": 16.0, "r_stator_ohm": 0.5, "count": 2},
        {"kind": "synchronous_generator", "name": "SG", "bus": "D", "s_rated_mva": 3.0, "v_rated_kv": 10.5, "power_factor_rated": 0.8, "xd2_pct": 14.0,
         "r_stator_ohm": 0.1, "p_mw": 0.5},
        {"kind": "induction_motor", "name": "MR", "bus": "C", **rated, "ilr_over_ir": 5.0, "r_over_x": 0.15, "starter": "regenerative drive"},
        {"kind": "induction_motor", "name": "M0", "bus": "M", **rated, "v_rated_kv": 6.0, "p_rated_kw": 5.0, "ilr_over_ir": 5.0, "r_over_x": 0.15},
        {"kind": "load", "name": "E", "bus": "M", "p_mw": 1.0, "q_mvar": 0.4, "motor_share_pct": 50.0, "characteristic": "impedance"},
        {"kind": "capacitor_bank", "name": "C1", "bus": "C", "q_step_mvar": 0.3, "steps": 2},
    )  # fmt: skip


NETWORKS = {
    "Skerrow Water": lambda: StateResults(skerrow_water(), "Tie closed, T2 out"),
    "Bracken Quay": lambda: StateResults(northfell_json.read(bracken_quay()), "Normal"),
    "many kinds": of_many_kinds,
    "Ellerdale feeder": lambda: StateResults(northfell_json.read(ellerdale()), "Normal"),
}


def workings(one: StateResults) -> Iterator[tuple[str, str]]:
    """Some workings of each kind of element, quantity, case and variant."""
    for study in STUDIES:
        for case, variant in (("max", "full"), ("min", "reduced"), ("max", "reduced")):
            for quantity in study.quantities:
                found: dict[tuple[str, str], int] = {}
                for e in one.elements.values():
                    at = e.kind, str(getattr(e, "v_nominal_kv", ""))
                    if found.get(at, 0) >= MOST:
                        continue
                    try:
                        text = study.explain(one.result(study), Asked(e.id, quantity, case, variant)).to_text()
                    except (CannotRun, NotFound, StopIteration, KeyError):
                        continue
                    found[at] = found.get(at, 0) + 1
                    yield f"{study.key} {quantity} {case} {variant} {e.name}", text


@pytest.mark.parametrize("name", NETWORKS)
def test_workings_say_what_they_said(name):
    kept = json.loads(gzip.decompress(KEPT.read_bytes()))[name]
    now = dict(workings(NETWORKS[name]()))
    assert list(now) == list(kept)
    for asked, text in now.items():
        assert text.splitlines() == kept[asked].splitlines(), asked


if __name__ == "__main__":
    made = {name: dict(workings(one())) for name, one in NETWORKS.items()}
    if KEPT.exists():
        for name, texts in json.loads(gzip.decompress(KEPT.read_bytes())).items():
            for asked, was in texts.items():
                lines = list(difflib.unified_diff(was.splitlines(), made[name].get(asked, "").splitlines(), f"{name}: {asked}", "now", lineterm="", n=0))
                print(*lines[:20], sep="\n", end="\n" if lines else "", file=sys.stderr)
    KEPT.write_bytes(gzip.compress(json.dumps(made, ensure_ascii=False).encode(), mtime=0))
