"""Inverters by their curves, machines that hold a voltage and earthing transformers, by phase: as balanced where that holds, by hand where it does not."""

import math

import numpy as np
import pytest
from tests.conftest import network_of

from northfell.core.errors import CannotRun, NoSolution
from northfell.core.network import compile_network
from northfell.core.studies import load_flow
from northfell.core.studies.phase_flow import run_by_phase
from northfell.core.studies.phase_flow.changers import OfTapChanger
from northfell.core.studies.phase_flow.verdicts import converters


def bus(name: str, kv: float = 11.0, **more) -> dict:
    return {"kind": "bus", "name": name, "v_nominal_kv": kv, **more}


LINE = {"kind": "line", "r_ohm_per_km": 0.4, "x_ohm_per_km": 0.35, "r0_ohm_per_km": 0.6, "x0_ohm_per_km": 1.2}
FEEDER = [
    bus("A"), bus("B"), bus("C"), {"kind": "infeed", "name": "G", "bus": "A"},
    {**LINE, "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 9000.0}, {**LINE, "name": "V", "from_bus": "B", "to_bus": "C", "length_m": 6000.0},
]  # fmt: skip


def inverter(name: str, at: str, p: float, **more) -> dict:
    return {"kind": "inverter", "name": name, "bus": at, "p_mw": p, "s_rated_mva": 2.0, **more}


def both(elements):
    net = compile_network(network_of(elements), "Normal")
    return load_flow.run(net), run_by_phase(net)


@pytest.mark.parametrize(
    "machines",
    [[inverter("S", "C", 1.8, mode="volt-var", vv_q_pct=40.0)],
     [inverter("S", "C", 1.9, mode="volt-var"), inverter("T", "B", 1.5, mode="volt-var", capability="by rating")],
     [inverter("S", "C", 1.9, mode="power factor", volt_watt="on", vw_v1_pu=1.02, vw_v2_pu=1.06)],
     [inverter("S", "C", 1.9, mode="power factor by power", volt_watt="on", vw_v1_pu=1.01, vw_v2_pu=1.08)],
     [inverter("S", "C", 1.0, mode="voltage", v_set_pu=1.03)],
     [inverter("S", "C", 1.0, mode="voltage", v_set_pu=1.08, q_max_mvar=0.4, q_min_mvar=-0.4), inverter("T", "B", 1.0, mode="volt-var")]],
)  # fmt: skip
def test_on_a_network_alike_in_all_phases_they_give_what_the_balanced_load_flow_gives(machines):
    balanced, made = both([*FEEDER, {"kind": "load", "name": "E", "bus": "B", "p_mw": 1.0, "q_mvar": 0.4}, *machines])
    for name in "ABC":
        v1 = next(r["v1_pu"] for r in made.table("sequence").records() if r["bus"] == name)
        assert v1 == pytest.approx(abs(balanced.v[balanced.net.topology.bus_index[name]]), abs=1e-6)
    for m in machines:
        s = sum(complex(r["p_mw"], r["q_mvar"]) for r in made.table("sources").records() if r["name"] == m["name"])
        delivered = balanced.delivered[m["name"]]
        assert s == pytest.approx(complex(delivered), abs=2e-5)
    limited = "q_max_mvar" in machines[0]
    assert any("gives its most reactive power" in told for told in made.messages) == limited


def test_a_one_phase_inverter_follows_its_own_phase():
    """At rest Q = f(U) of its phase: the curve by hand at the voltage found, while the other phases carry loads of their own."""
    spur = [bus("S", conductors="b"), {**LINE, "name": "X", "from_bus": "C", "to_bus": "S", "length_m": 3000.0}]
    curve = {"vv_v1_pu": 0.92, "vv_v2_pu": 0.98, "vv_v3_pu": 1.02, "vv_v4_pu": 1.08, "vv_q_pct": 44.0}
    _, made = None, run_by_phase(compile_network(network_of([
        *FEEDER, *spur, inverter("I", "S", 1.2, mode="volt-var", **curve),
        {"kind": "load", "name": "E", "bus": "C", "by_phase": [{"between": "a", "p_mw": 0.6, "q_mvar": 0.2}]},
    ]), "Normal"))  # fmt: skip
    v = next(r["v_ln_pu"] for r in made.table("buses").records() if r["name"] == "S")
    (row,) = [r for r in made.table("sources").records() if r["name"] == "I"]
    assert v > 1.02
    assert row["p_mw"] == pytest.approx(1.2, rel=1e-9)
    assert row["q_mvar"] == pytest.approx(-0.44 * 2.0 * min((v - 1.02) / 0.06, 1.0), abs=1e-6)


def test_on_three_phases_that_are_not_alike_it_goes_by_the_positive_sequence():
    load = {"kind": "load", "name": "E", "bus": "C", "by_phase": [{"between": "a", "p_mw": 0.7, "q_mvar": 0.3}]}
    made = run_by_phase(compile_network(network_of([*FEEDER, inverter("I", "C", 1.9, mode="volt-var"), load]), "Normal"))
    v1 = next(r["v1_pu"] for r in made.table("sequence").records() if r["bus"] == "C")
    ln = [r["v_ln_pu"] for r in made.table("buses").records() if r["name"] == "C"]
    assert max(abs(v - v1) for v in ln) > 0.005
    q = sum(r["q_mvar"] for r in made.table("sources").records() if r["name"] == "I")
    assert q == pytest.approx(-0.44 * 2.0 * (v1 - 1.02) / 0.06, abs=1e-6)


def test_an_inverter_beyond_its_rated_current_is_told():
    spur = [bus("S", conductors="b"), {**LINE, "name": "X", "from_bus": "C", "to_bus": "S", "length_m": 3000.0}]
    heavy = {"kind": "load", "name": "E", "bus": "C", "p_mw": 2.5, "q_mvar": 1.5}

    def told(p_mw):
        made = run_by_phase(compile_network(network_of([*FEEDER, *spur, heavy, {**inverter("S9", "S", p_mw), "s_rated_mva": 0.3}]), "Normal"))
        v = next(r["v_pu"] for r in made.table("buses").records() if r["name"] == "S")
        return v, [f.value for f in converters(made, made.net.network.settings.limits)]

    v, (pct,) = told(0.3)
    assert v < 0.99
    assert pct == pytest.approx(100 / v, rel=1e-6)
    assert told(0.2)[1] == []
    three = run_by_phase(compile_network(network_of([*FEEDER, *spur, heavy, {**inverter("S9", "C", 0.3), "s_rated_mva": 0.3}]), "Normal"))
    (found,) = converters(three, three.net.network.settings.limits)
    least = min(r["v_ll_pu"] for r in three.table("buses").records() if r["name"] == "C")
    assert found.value == pytest.approx(100 / least, rel=1e-6)  # a third of its rating between each two phases


def test_the_worked_equilibrium_of_a_volt_var_curve():
    """EMF 1.05 behind 0.01 + j0.05 of the rating, P = 0.8, category B: Q = −0.20028, U = 1.04731 (the checked figures of the model)."""
    s, kv = 2.0, 11.0
    z = complex(0.01, 0.05) * kv**2 / s
    line = {"kind": "line", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 1000.0, "r_ohm_per_km": z.real, "x_ohm_per_km": z.imag,
            "r0_ohm_per_km": z.real, "x0_ohm_per_km": z.imag}  # fmt: skip
    unit = inverter("I", "B", 1.6, mode="volt-var", vv_v1_pu=0.92, vv_v2_pu=0.98, vv_v3_pu=1.02, vv_v4_pu=1.08, vv_q_pct=44.0)
    made = run_by_phase(compile_network(network_of([bus("A"), bus("B"), {"kind": "infeed", "name": "G", "bus": "A", "v_set_pu": 1.05}, line, unit]), "Normal"))
    q = sum(r["q_mvar"] for r in made.table("sources").records() if r["name"] == "I") / s
    v = next(r["v1_pu"] for r in made.table("sequence").records() if r["bus"] == "B")
    assert (q, v) == pytest.approx((-0.20028, 1.04731), abs=1e-5)


def test_an_earthing_transformer_ties_a_floating_part_and_carries_the_zero_sequence_alone():
    """Behind a delta a load to earth has no way but through the star point: Z0 + 3·ZN is all that the zero sequence sees beside the load."""
    elements = [
        bus("A", 33.0), bus("B"), {"kind": "infeed", "name": "G", "bus": "A"},
        {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "vector_group": "Dd0", "s_rated_mva": 10.0, "v_hv_kv": 33.0, "v_lv_kv": 11.0,
         "uk_pct": 8.0, "ur_pct": 0.5},
        {"kind": "earthing_transformer", "name": "Z", "bus": "B", "z0_ohm": 12.0, "neutral": "resistor", "neutral_ohm": 5.0},
        {"kind": "load", "name": "E", "bus": "B", "characteristic": "impedance", "by_phase": [{"between": "a", "p_mw": 0.5, "q_mvar": 0.0}]},
    ]  # fmt: skip
    made = run_by_phase(compile_network(network_of(elements), "Normal"))
    v = np.array([r["v_kv"] * 1000 * np.exp(1j * math.radians(r["angle_deg"])) for r in made.table("buses").records() if r["name"] == "B"])
    i = {r["phase"]: r["i_a"] * np.exp(1j * math.radians(r["i_angle_deg"])) for r in made.table("terminals").records() if r["element"] == "Z"}
    assert len({round(abs(x), 9) for x in i.values()}) == 1  # equal in all three
    assert sum(i.values()) / 3 == pytest.approx(v.mean() / complex(15.0, 12.0), rel=1e-6)


@pytest.mark.parametrize(("side", "set_pu"), [("high side", 1.02), ("low side", 1.03), ("high side", 0.97)])
def test_a_tap_changer_comes_to_rest_where_the_balanced_one_does(side, set_pu):
    elements = [
        bus("A", 33.0), bus("B"), bus("C"), {"kind": "infeed", "name": "G", "bus": "A"},
        {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "vector_group": "Dyn11", "neutral_lv": "solid", "s_rated_mva": 10.0, "v_hv_kv": 33.0,
         "v_lv_kv": 11.0, "uk_pct": 9.0, "ur_pct": 0.5, "tap_side": side, "tap_changer": "holds voltage", "tap_v_set_pu": set_pu, "tap_band_pct": 0.7,
         "tap_lowest_pct": -15.0, "tap_highest_pct": 15.0, "tap_step_pct": 1.25},
        {**LINE, "name": "W", "from_bus": "B", "to_bus": "C", "length_m": 4000.0},
        {"kind": "load", "name": "E", "bus": "C", "p_mw": 4.0, "q_mvar": 1.5},
        {"kind": "capacitor_bank", "name": "K", "bus": "C", "q_step_mvar": 0.2, "steps": 4, "steps_in": 0, "switching": "by voltage", "v_in_pu": 0.99,
         "v_out_pu": 1.05},
    ]  # fmt: skip
    balanced, made = both(elements)
    found = {r["name"]: r["found"] for r in made.table("controls").records()}
    theirs = {r["name"]: r["found"] for r in balanced.table("controls").records()}
    assert found["T"] == pytest.approx(theirs["T"], abs=1.25 + 1e-9)  # within one step: either may rest at another end of the band
    assert found["K"] == theirs["K"]
    v = next(r["v1_pu"] for r in made.table("sequence").records() if r["bus"] == "B")
    assert abs(v - set_pu) <= 0.007 + 1e-9


def test_a_tap_changer_at_its_end_says_what_it_misses():
    elements = [
        bus("A", 33.0), bus("B"), {"kind": "infeed", "name": "G", "bus": "A"},
        {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "vector_group": "Dyn11", "neutral_lv": "solid", "s_rated_mva": 10.0, "v_hv_kv": 33.0,
         "v_lv_kv": 11.0, "uk_pct": 9.0, "ur_pct": 0.5, "tap_changer": "holds voltage", "tap_v_set_pu": 1.2, "tap_lowest_pct": -5.0, "tap_highest_pct": 5.0,
         "tap_step_pct": 1.25},
        {"kind": "load", "name": "E", "bus": "B", "p_mw": 4.0, "q_mvar": 1.5},
    ]  # fmt: skip
    made = run_by_phase(compile_network(network_of(elements), "Normal"))
    assert any("T: its tap changer stands at its lowest position and misses what it holds, by 16.28%" in told for told in made.messages)
    assert next(iter(made.table("controls").records()))["found"] == -5.0


STEPS = {"tap_lowest_pct": -10.0, "tap_highest_pct": 10.0, "tap_step_pct": 1.25, "tap_band_pct": 1.0}
TX = {"kind": "transformer", "name": "T", "hv_bus": "C", "lv_bus": "L", "vector_group": "Dyn11", "neutral_lv": "solid", "s_rated_mva": 2.0, "v_hv_kv": 11.0,
      "v_lv_kv": 0.4, "uk_pct": 6.0, "ur_pct": 1.0, "z0_over_z1": 1.0, **STEPS}  # fmt: skip
HELD = {**TX, "tap_changer": "holds voltage"}
LOW = [bus("L", 0.4), {"kind": "load", "name": "E", "bus": "L", "p_mw": 1.2, "q_mvar": 0.5, "characteristic": "power"}]
TWIN = {**HELD, "name": "T2", "tap_pct": -5.0}
ENDS = [bus("A"), bus("B"), {"kind": "infeed", "name": "G", "bus": "A"}, {"kind": "infeed", "name": "G9", "bus": "B"}]


@pytest.mark.parametrize(
    "elements",
    [[*FEEDER, *LOW, {**HELD, "tap_drop_r_ohm": 0.002, "tap_drop_x_ohm": 0.004}],
     [*FEEDER, *LOW, {**HELD, "tap_pct": 5.0}, {**TWIN, "tap_changer": "follows another", "tap_master": "T", "tap_lowest_pct": -1.25}],
     [*FEEDER, *LOW, {**HELD, "tap_pct": 5.0, "tap_circulating_pct": 10.0}, {**TWIN, "tap_circulating_pct": 10.0}],
     [*ENDS, {**TX, "hv_bus": "A", "lv_bus": "B", "v_lv_kv": 11.0, "vector_group": "YNyn0", "neutral_hv": "solid", "core": "three-limb",
              "tap_changer": "holds reactive flow", "tap_q_set_mvar": 0.4, "tap_q_band_mvar": 0.25}],
     [*FEEDER, *LOW, bus("F", 0.4), {**LINE, "name": "U", "from_bus": "L", "to_bus": "F", "length_m": 20.0},
      {"kind": "load", "name": "E2", "bus": "F", "p_mw": 0.2, "q_mvar": 0.1}, {**HELD, "tap_held": "another bus", "tap_bus": "F"}],
     [*FEEDER, bus("M", 6.6), bus("L", 0.4), {"kind": "load", "name": "E", "bus": "M", "p_mw": 1.5, "q_mvar": 0.7},
      {"kind": "load", "name": "E2", "bus": "L", "p_mw": 0.4, "q_mvar": 0.1},
      {"kind": "three_winding_transformer", "name": "T", "hv_bus": "C", "mv_bus": "M", "lv_bus": "L", "vector_group": "YNyn0d5", "s_hv_mva": 4.0,
       "s_mv_mva": 3.0,
       "s_lv_mva": 1.0, "v_hv_kv": 11.0, "v_mv_kv": 6.6, "v_lv_kv": 0.4, "uk_hv_mv_pct": 7.0, "uk_hv_lv_pct": 5.0, "uk_mv_lv_pct": 4.0, "ur_hv_mv_pct": 0.5,
       "ur_hv_lv_pct": 0.4, "ur_mv_lv_pct": 0.3, "neutral_hv": "isolated", "neutral_mv": "solid", **STEPS, "tap_changer": "holds voltage",
       "tap_held": "medium side"}]],
)  # fmt: skip
def test_tap_changers_of_every_kind_come_to_rest_where_the_balanced_ones_do(elements):
    balanced, made = both(elements)
    found, theirs = ({r["name"]: r["found"] for r in one.table("controls").records()} for one in (made, balanced))
    assert found == pytest.approx(theirs)
    assert any(abs(n) > 1 for n in found.values())
    for r in made.table("sequence").records():
        assert r["v1_pu"] == pytest.approx(abs(balanced.v[balanced.net.topology.bus_index[r["bus"]]]), abs=1e-6)
    cannot = [told for one in (made, balanced) for told in one.messages if "cannot follow T" in told]
    assert len(cannot) == (2 if "tap_master" in elements[-1] else 0)


BANK = {"kind": "capacitor_bank", "name": "K", "bus": "B", "q_step_mvar": 0.2, "steps": 6, "steps_in": 0, "measured_at": "W"}


@pytest.mark.parametrize(
    ("controller", "least"),
    [({"switching": "by power factor", "power_factor_target": 0.97}, 2),
     ({"switching": "by reactive power", "q_in_mvar": 0.5, "q_out_mvar": 0.1, "measured_at": "G"}, 1),
     ({"switching": "by current", "i_in_a": 60.0, "i_out_a": 20.0}, 6),
     ({"switching": "by current", "i_in_a": 1000.0, "i_out_a": 1.0, "voltage_first": True, "v_in_pu": 0.95, "v_out_pu": 1.05}, 1)],
)  # fmt: skip
def test_banks_switch_by_what_they_measure_as_the_balanced_ones_do(controller, least):
    balanced, made = both([*FEEDER, {"kind": "load", "name": "E", "bus": "C", "p_mw": 1.6, "q_mvar": 1.0}, {**BANK, **controller}])
    (found,), (theirs,) = made.table("controls").records(), balanced.table("controls").records()
    assert found["found"] == theirs["found"] >= least
    if controller["switching"] == "by reactive power":
        assert made.summary["generation_mvar"] <= 0.5


def test_a_bank_by_one_phase_sees_that_phase_alone():
    """Of a load between one phase and earth only a bank that measures there takes notice."""
    one_phase = {"kind": "load", "name": "E", "bus": "C", "by_phase": [{"between": "b", "p_mw": 0.5, "q_mvar": 0.3}]}
    controller = {**BANK, "switching": "by reactive power", "q_in_mvar": 0.45, "q_out_mvar": -2.0}

    def steps(phase):
        made = run_by_phase(compile_network(network_of([*FEEDER, one_phase, {**controller, "sensed_phase": phase}]), "Normal"))
        return next(iter(made.table("controls").records()))["found"]

    assert steps("a") == 0  # nothing there
    assert steps(None) == 0  # 0.3 Mvar in all
    assert steps("b") > 0  # three times 0.3
    spur = [*FEEDER, bus("S", conductors="b"), {**LINE, "name": "X", "from_bus": "C", "to_bus": "S", "length_m": 3000.0}]
    wrong = {**controller, "bus": "S", "measured_at": "X", "sensed_phase": "a", "step_by_phase": [{"between": "b", "q_mvar": 0.1}]}
    with pytest.raises(CannotRun, match="Capacitor bank K: sensed_phase is “a”, accepted is a phase that is there where it measures, at X, or empty"):
        run_by_phase(compile_network(network_of([*spur, wrong]), "Normal"))


REVERSE = {"kind": "step_regulator", "name": "R", "from_bus": "B", "to_bus": "C", "control": "each phase", "pt_ratio": 11e3 / math.sqrt(3) / 120,
           "ct_primary_a": 100.0}  # fmt: skip


def fed_back(reverse: str, **more) -> dict:
    """A regulator before which a generator of 3 MW stands on the far side, so that power flows back to the infeed."""
    units = [{"phase": p, "v_set_v": 122.0, "v_set_reverse_v": 119.0, **more} for p in "abc"]
    elements = [*FEEDER[:5], {**REVERSE, "reverse": reverse, "regulator_units": units}, bus("D"),
                {**LINE, "name": "V", "from_bus": "C", "to_bus": "D", "length_m": 6000.0}, inverter("S", "D", 3.0)]  # fmt: skip
    made = run_by_phase(compile_network(network_of(elements), "Normal"))
    return {"made": made, "rows": list(made.table("regulators").records())}


def test_power_that_flows_back_is_seen_as_the_control_is_made():
    """The infeed lies behind 9 km and holds its side: what regulates that side runs to its end, what holds the far side comes to rest."""
    forward = fed_back("as forward")
    assert {r["power"] for r in forward["rows"]} == {"back"}
    assert all(abs(r["v_relay_v"] - 122) <= 1 for r in forward["rows"])
    assert any("power flows back through it, which its control does not see" in told for told in forward["made"].messages)
    locked = fed_back("locked", tap=3)
    assert [(r["tap"], r["regulates"], r["target"]) for r in locked["rows"]] == [(3, "locked", "")] * 3
    other = fed_back("other side")
    assert [(r["regulates"], r["target"], abs(r["tap"])) for r in other["rows"]] == [("source side", "missed", 16)] * 3
    turned = fed_back("other side", drop_r_reverse_v=4.0, drop_x_reverse_v=3.0)
    flow, index = turned["made"].flow, turned["made"].gathered.index
    leaving = -flow.through[index["C", "a"]]  # the source side: toward the infeed
    assert leaving.real > 0
    assert turned["rows"][0]["v_relay_v"] == pytest.approx(abs(flow.v_v[index["B", "a"]] / REVERSE["pt_ratio"] - complex(4.0, 3.0) * leaving / 100.0))
    base = 11e3 / math.sqrt(3) / REVERSE["pt_ratio"]
    at_source = next(r["v_pu"] for r in other["made"].table("buses").records() if (r["name"], r["phase"]) == ("B", "a"))
    assert other["rows"][0]["v_relay_v"] == pytest.approx(at_source * base, rel=1e-9)


def test_the_compensator_of_the_way_back_takes_the_place_of_the_other():
    """Co-generation: |V/PT − (R + jX)·I/CT| by the settings of that way, I leaving the load side, which is negative."""
    one = fed_back("co-generation", drop_r_v=9.0, drop_r_reverse_v=3.0, drop_x_reverse_v=2.0)
    index, flow = one["made"].gathered.index, one["made"].flow
    n = index["C", "a"]
    assert flow.through[n].real < 0
    by_hand = abs(flow.v_v[n] / REVERSE["pt_ratio"] - complex(3.0, 2.0) * flow.through[n] / 100.0)
    assert one["rows"][0]["v_relay_v"] == pytest.approx(by_hand, rel=1e-9)
    assert abs(by_hand - 122) <= 1


def test_the_other_side_needs_its_own_set_voltage():
    units = [{"phase": p, "v_set_v": 122.0} for p in "abc"]
    with pytest.raises(CannotRun, match="v_set_reverse_v of phase a is empty"):
        run_by_phase(compile_network(network_of([*FEEDER[:5], {**REVERSE, "reverse": "other side", "regulator_units": units},
                                                 {"kind": "load", "name": "E", "bus": "C", "p_mw": 1.0, "q_mvar": 0.3}]), "Normal"))  # fmt: skip


def test_what_a_control_measures_may_be_dead_and_is_told():
    """An open pole before a bank, and a bus elsewhere that is not fed: positions stay, and no figure is made of nothing."""
    dead = [bus("P"), {"kind": "switch", "name": "Q", "from_bus": "C", "to_bus": "P", "open_poles": "b"}]
    by_flow = {"measured_at": "Q", "i_in_a": 5.0, "i_out_a": 1.0}
    for how in ("by voltage", "by power factor", "by current"):
        parts = [{"between": "a", "q_mvar": 0.1}, {"between": "c", "q_mvar": 0.1}]
        bank = {**BANK, **by_flow, "bus": "P", "step_by_phase": parts, "switching": how}
        made = run_by_phase(compile_network(network_of([*FEEDER, *dead, bank]), "Normal"))
        assert any("is dead; its 0 steps stay" in told for told in made.messages)
        assert next(iter(made.table("controls").records()))["found"] == 0
    far = {**HELD, "tap_held": "another bus", "tap_bus": "Z"}
    made = run_by_phase(compile_network(network_of([*FEEDER, *LOW, bus("Z"), far]), "Normal"))
    assert any("T: what it is to hold has no voltage in this state" in told for told in made.messages)


def test_a_step_without_a_solution_is_not_tried_again():
    """A tap changer beside the most that its line can carry: a step down has no solution, one up tells what it does."""
    made = run_by_phase(compile_network(network_of([*FEEDER, *LOW, HELD]), "Normal"))
    control = OfTapChanger(made.net.elements["T"], lambda net, taps, before: failing(net, taps, before), ())

    def failing(net, taps, before):
        if taps["T"][""] > 0:
            raise NoSolution("phase_flow", "by phase", 40, math.nan, "")
        return made

    assert control._effect(made, {"": 0}) == 0.0
    assert control.moves(made, {"": 8}) == {}
