"""Extending with fewer than three phases: spurs, units with a centre tap, regulators, loads where they are said to be; and what cannot stand."""

import pytest

from northfell.app.draw.extend import plan
from northfell.core.model.network import Network, Sheet
from northfell.core.model.settings import ProjectSettings
from northfell.core.network import compile_network
from northfell.core.studies.phase_flow import run_by_phase


def grown(*lines: tuple[str, str]) -> Network:
    network = Network(name="Own", settings=ProjectSettings(frequency_hz=60), sheets=[Sheet(name="Sheet")])
    for at, text in lines:
        made = plan(network, "Sheet", network.id_of_name.get(at, ""), text)
        assert made.network is not None, made.problems
        network = made.network
    return network


BEGIN = ("", "infeed 12.47 kV 8 kA “Grid”")
MAIN = ("Board 1", "line 4/0 al 1 km “L1”, regulator “VR”, line 1ph b 300 m “L2”, tx 1ph 7.2/0.24 25 kVA “T1”, load 8 kW 2 kvar “Homes”")


def test_a_spur_with_its_service_is_typed_in_one_line_and_solves():
    network = grown(BEGIN, MAIN, ("L2 end", "line 200 m “L3”, load 5 kW 1 kvar “Farm”"), ("L1 end", "load 1ph c 20 kW 5 kvar “Shop”"),
                    ("L1 end", "capacitor 1ph a 50 kvar “C1”"), ("L1 end", "line 2ph bc 150 m 50 al “L4”"))  # fmt: skip
    by_name = {e.name: e for e in network.elements.values()}
    assert (by_name["L2 end"].conductors, by_name["T1 end"].conductors, by_name["L3 end"].conductors) == ("b", "12n", "b")
    assert by_name["L4 end"].conductors == "bc"
    (unit,) = by_name["T1"].bank_units
    assert (unit.high, unit.low, unit.s_rated_mva, unit.v_high_kv, unit.v_low_kv) == ("b", "1n2", 0.025, 7.2, 0.24)
    assert by_name["T1"].assumed.keys() >= {"bank_units", "neutral_lv"}
    assert by_name["L2"].geometry == "Pole with one wire and its neutral"
    assert "geometry" in by_name["L2"].assumed
    assert [u.phase for u in by_name["VR"].regulator_units] == ["a", "b", "c"]
    assert by_name["VR"].pt_ratio == pytest.approx(60, abs=0.01)
    made = run_by_phase(compile_network(network, "Normal"))
    drawn = {(r["name"], r["between"]): round(1000 * r["p_rated_mw"], 6) for r in made.table("loads").records()}
    assert drawn == {("Homes", "12"): 8, ("Farm", "b"): 5, ("Shop", "c"): 20}
    v = {(r["name"], r["phase"]): r["v_ln_pu"] for r in made.table("buses").records()}
    assert 0.98 < v["T1 end", "1"] < 1
    assert ("L2 end", "a") not in v


@pytest.mark.parametrize(
    ("at", "text", "told"),
    [("L1 end", "line 1ph 100 m", "Say which of a, b, c it has"), ("L2 end", "line 1ph a 100 m", "L2 end has b alone, not a."),
     ("L2 end", "line 2ph 50 m", "L2 end has b alone."), ("L1 end", "line 2ph b 50 m", "2ph and b contradict each other"),
     ("L1 end", "tx 1ph b 11/0.24", "11 kV does not belong from a phase to the neutral"), ("L1 end", "tx 1ph b 25 kVA", "needs the voltages of its windings"),
     ("L1 end", "load 1ph 10 kW", "Say which of a, b, c it has"), ("L2 end", "load 1ph c 10 kW", "L2 end has b alone")],
)  # fmt: skip
def test_what_cannot_stand_is_told(at, text, told):
    network = grown(BEGIN, MAIN)
    made = plan(network, "Sheet", network.id_of_name[at], text)
    assert made.change is None
    assert any(told in line for line in made.problems), made.problems
