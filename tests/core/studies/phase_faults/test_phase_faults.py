"""Faults by phase: equal to the solution by sequences where both hold; by hand on spurs, behind a centre tap, on untransposed lines."""

import math
from importlib import import_module

import numpy as np
import pytest
from tests.conftest import network_of

from northfell.core.errors import CannotRun, NotFound
from northfell.core.network import compile_network
from northfell.core.network.phases.thevenin import currents
from northfell.core.studies import Asked, short_circuit
from northfell.core.studies.line_constants import geometry_named, wires_of
from northfell.core.studies.phase_faults import PHASE_FAULTS, phase_faults
from northfell.demo import ellerdale
from northfell.formats import northfell_json

thevenin = import_module("northfell.core.network.phases.thevenin")  # the module: its package has a function of that name


def bus(name: str, kv: float, **more) -> dict:
    return {"kind": "bus", "name": name, "v_nominal_kv": kv, "bus_kind": "junction", **more}


GRID = {
    "kind": "infeed",
    "name": "G",
    "bus": "A",
    "ik_max_ka": 8.0,
    "ik_min_ka": 5.0,
    "r_over_x": 0.1,
    "neutral": "solid",
    "x0_over_x1": 1.5,
    "r0_over_x0": 0.2,
}
LINE = {"kind": "line", "length_m": 4000.0, "r_ohm_per_km": 0.3, "x_ohm_per_km": 0.36, "r0_ohm_per_km": 0.45, "x0_ohm_per_km": 1.2, "t_end_degc": 80.0,
        "c_uf_per_km": 0.3, "c0_uf_per_km": 0.2}  # fmt: skip
TX = {"kind": "transformer", "s_rated_mva": 2.0, "v_hv_kv": 11.0, "v_lv_kv": 0.42, "uk_pct": 6.0, "ur_pct": 1.0, "vector_group": "Dyn11", "neutral_lv": "solid",
      "z0_over_z1": 1.0, "tap_pct": 5.0, "parallel": 2}  # fmt: skip


def at(network, state="Normal"):
    made = phase_faults(compile_network(network, state))
    return made, {(r["bus"], r["fault"]): r for r in made.tables()[0].records()}


def test_where_both_hold_they_are_the_currents_of_the_solution_by_sequences():
    network = network_of([
        bus("A", 11.0), bus("B", 11.0), bus("C", 0.4), bus("D", 0.4), GRID, {**LINE, "name": "W", "from_bus": "A", "to_bus": "B"},
        {**TX, "name": "T", "hv_bus": "B", "lv_bus": "C"}, {**LINE, "name": "V", "from_bus": "C", "to_bus": "D", "length_m": 80.0},
        {"kind": "load", "name": "E", "bus": "D", "p_mw": 0.2, "q_mvar": 0.1},
    ])  # fmt: skip
    as_by_sequences(network, "ABCD")


def test_own_factors_count_by_phase_too_and_another_school_is_told():
    elements = [bus("A", 11.0), bus("B", 11.0), GRID, {**LINE, "name": "W", "from_bus": "A", "to_bus": "B"}]
    as_by_sequences(network_of(elements, short_circuit={"prefault": "own factors", "c_max": 1.07, "c_min": 0.97}), "AB")
    assert any("also where the project follows another school" in m for m in at(network_of(elements, short_circuit={"school": "ieee"}))[0].messages)


def as_by_sequences(network, buses: str) -> None:
    sequences = short_circuit.run(compile_network(network, "Normal"))
    _, rows = at(network)
    for name in buses:
        b = sequences.net.topology.bus_index[name]
        for case, column in (("max", "ik_max_ka"), ("min", "ik_min_ka")):
            for fault, kind in (("a–b–c", "3ph"), ("a–earth", "lg"), ("b–c", "ll"), ("b–c–earth", "llg")):
                expected = float(np.abs(sequences.figures("ik_ka", kind, case)[b]))
                if (name, fault) not in rows:  # nothing ties it to earth
                    assert "earth" in fault
                    assert kind == "llg" or not expected > 1e-6
                    continue
                assert rows[name, fault][column] == pytest.approx(expected, rel=1e-6), (name, fault, case)


@pytest.mark.parametrize(
    ("group", "more"),
    [("Dyn11", {"z0_over_z1": 0.85}), ("YNd5", {"z0_over_z1": 0.8}), ("YNyn0", {"core": "three-limb", "z0_over_z1": 0.9}),
     ("YNyn6", {"core": "five-limb or shell", "neutral_lv": "resistor", "neutral_lv_ohm": 0.3}), ("Yyn0", {"core": "three-limb", "z0_over_z1": 0.9}),
     ("YNy0", {"core": "three-limb"}), ("Dzn0", {"z0_over_z1": 0.1}), ("Dzn2", {"neutral_lv": "reactor", "neutral_lv_ohm": 0.02}),
     ("Yzn11", {"z0_over_z1": 0.15}), ("Yzn5", {}), ("YNzn1", {"core": "three-limb", "z0_over_z1": 0.2}), ("ZNy1", {"z0_over_z1": 0.3}),
     ("ZNd4", {"z0_over_z1": 0.3, "neutral_hv": "resistor", "neutral_hv_ohm": 12.0}), ("ZNyn7", {"core": "three-limb", "z0_over_z1": 0.3})],
)  # fmt: skip
def test_a_transformer_has_the_zero_sequence_of_its_group_its_core_and_its_own(group, more):
    tx = {**TX, "name": "T", "hv_bus": "B", "lv_bus": "C", "vector_group": group, "neutral_hv": "solid", **more}
    as_by_sequences(network_of([bus("A", 11.0), bus("B", 11.0), bus("C", 0.4), GRID, {**LINE, "name": "W", "from_bus": "A", "to_bus": "B"}, tx]), "ABC")


@pytest.mark.parametrize("group", ["YNyn0d5", "YNyn6d1", "Dyn11yn1", "YNd1yn0"])
def test_three_windings_have_their_own_zero_sequence(group):
    earthed = {"neutral_hv": "solid", "neutral_mv": "resistor", "neutral_mv_ohm": 2.0, "neutral_lv": "solid"}
    tx = {"kind": "three_winding_transformer", "name": "T", "hv_bus": "A", "mv_bus": "B", "lv_bus": "C", "vector_group": group, "s_hv_mva": 20.0,
          "s_mv_mva": 15.0, "s_lv_mva": 6.0, "v_hv_kv": 33.0, "v_mv_kv": 11.2, "v_lv_kv": 6.7, "uk_hv_mv_pct": 12.0, "uk_hv_lv_pct": 6.0,
          "uk_mv_lv_pct": 3.0, "ur_hv_mv_pct": 0.5, "ur_hv_lv_pct": 0.4, "ur_mv_lv_pct": 0.3, "uk0_hv_mv_pct": 10.0, "uk0_hv_lv_pct": 5.5,
          "uk0_mv_lv_pct": 4.0, **earthed}  # fmt: skip
    as_by_sequences(network_of([bus("A", 33.0), bus("B", 11.0), bus("C", 6.6), GRID, tx]), "ABC")


def test_an_autotransformer_has_its_own_zero_sequence_and_star_point():
    tx = {"kind": "autotransformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "vector_group": "YNa0", "s_rated_mva": 40.0, "v_hv_kv": 132.0, "v_lv_kv": 66.0,
          "uk_pct": 8.0, "ur_pct": 0.4, "neutral_lv": "resistor", "neutral_lv_ohm": 5.0, "z0_over_z1": 0.8}  # fmt: skip
    as_by_sequences(network_of([bus("A", 132.0), bus("B", 66.0), GRID, tx]), "AB")


RATED = {"s_rated_mva": 3.0, "v_rated_kv": 11.0, "xd2_pct": 15.0, "x2_pct": 18.0, "x0_pct": 7.0, "r_stator_ohm": 0.2, "power_factor_rated": 0.85}
MACHINES = [
    {"kind": "synchronous_generator", "name": "S", "bus": "B", "p_mw": 2.0, "neutral": "resistor", "neutral_ohm": 9.0, "unit_connection": "by itself", **RATED},
    {"kind": "induction_motor", "name": "M", "bus": "C", "p_rated_kw": 200.0, "v_rated_kv": 0.4, "pole_pairs": 2, "efficiency_pct": 94.0, "power_factor": 0.87,
     "ilr_over_ir": 6.0, "r_over_x": 0.42},
    {"kind": "inverter", "name": "V", "bus": "C", "p_mw": 0.2, "s_rated_mva": 0.3, "ik_over_ir": 1.2},
]  # fmt: skip


@pytest.mark.parametrize("machines", [MACHINES[:1], MACHINES[1:2], MACHINES[2:], MACHINES])
def test_machines_motors_and_converters_feed_faults_as_by_sequences(machines):
    tx = {**TX, "name": "T", "hv_bus": "B", "lv_bus": "C"}
    network = network_of([bus("A", 11.0), bus("B", 11.0), bus("C", 0.4), GRID, {**LINE, "name": "W", "from_bus": "A", "to_bus": "B"}, tx, *machines])
    as_by_sequences(network, "ABC")
    alone = at(network_of([bus("A", 11.0), bus("B", 11.0), bus("C", 0.4), GRID, {**LINE, "name": "W", "from_bus": "A", "to_bus": "B"}, tx]))[1]
    more = {key: r["ik_max_ka"] / alone[key]["ik_max_ka"] for key, r in at(network)[1].items()}
    assert more["C", "a–b–c"] > 1.01


@pytest.mark.parametrize("earthed", [{"neutral": "isolated"}, {"neutral": "resonant", "neutral_ohm": 400.0}, {"neutral": "resistor", "neutral_ohm": 20.0}])
def test_where_no_star_point_is_earthed_solidly_capacitances_carry_the_current(earthed):
    """Isolated, with a coil, and with a resistor, at the earthing transformer of a network behind a delta."""
    tx = {**TX, "name": "T", "hv_bus": "A", "lv_bus": "B", "vector_group": "YNd5", "neutral_hv": "solid", "s_rated_mva": 20.0, "v_hv_kv": 33.0, "v_lv_kv": 11.0}
    network = network_of([bus("A", 33.0), bus("B", 11.0), bus("C", 11.0), GRID, tx, {**LINE, "name": "W", "from_bus": "B", "to_bus": "C", "length_m": 20000.0},
                          {"kind": "earthing_transformer", "name": "Z", "bus": "B", "z0_ohm": 12.0, **earthed}])  # fmt: skip
    as_by_sequences(network, "ABC")
    made, rows = at(network)
    assert rows["C", "a–earth"]["earth_max_ka"] > 0.005
    bare = {k: v for k, v in LINE.items() if k not in ("c0_uf_per_km", "c_uf_per_km")}
    told, _ = at(network_of([bus("A", 33.0), bus("B", 11.0), bus("C", 11.0), GRID, tx, {**bare, "name": "W", "from_bus": "B", "to_bus": "C"},
                             {"kind": "earthing_transformer", "name": "Z", "bus": "B", "z0_ohm": 12.0, **earthed}]))  # fmt: skip
    assert any("Capacitance to earth is not entered: W" in one for one in told.messages)
    assert not any("Capacitance to earth" in one for one in made.messages)


def test_an_infeed_without_an_earthed_star_point_gives_no_current_to_earth():
    network = network_of([bus("A", 11.0), bus("B", 11.0), {**GRID, "neutral": "isolated"}, {**LINE, "name": "W", "from_bus": "A", "to_bus": "B"}])
    as_by_sequences(network, "AB")


def test_a_machine_without_its_data_names_the_field():
    elements = [bus("A", 11.0), bus("B", 11.0), GRID, {**LINE, "name": "W", "from_bus": "A", "to_bus": "B"}]
    with pytest.raises(CannotRun, match="Synchronous generator S: xd2_pct is empty"):
        at(network_of([*elements, {**MACHINES[0], "xd2_pct": None}]))


def test_a_one_phase_inverter_adds_its_current_to_faults_of_its_phase():
    spur = [bus("A", 11.0), bus("S", 11.0, conductors="b"), GRID, {**LINE, "name": "W", "from_bus": "A", "to_bus": "S"}]
    solar = {"kind": "inverter", "name": "V", "bus": "S", "p_mw": 0.1, "s_rated_mva": 0.2, "ik_over_ir": 1.5}
    without, with_it = at(network_of(spur))[1], at(network_of([*spur, solar]))[1]
    one = with_it["S", "b–earth"]["ik_max_ka"] - without["S", "b–earth"]["ik_max_ka"]
    assert one == pytest.approx(1.5 * 0.2 / (11 / math.sqrt(3)), rel=1e-9)  # at its own bus: all of it
    assert with_it["S", "b–earth"]["ik_min_ka"] == without["S", "b–earth"]["ik_min_ka"]
    assert 0 < with_it["A", "b–earth"]["ik_max_ka"] - without["A", "b–earth"]["ik_max_ka"] < one
    assert with_it["A", "c–earth"]["ik_max_ka"] >= without["A", "c–earth"]["ik_max_ka"]


def test_a_core_that_is_not_known_takes_its_own_island_from_the_faults():
    tx = {**TX, "name": "T", "hv_bus": "A", "lv_bus": "C", "vector_group": "Yyn0"}
    with pytest.raises(CannotRun, match="core is empty"):
        at(network_of([bus("A", 11.0), bus("C", 0.4), GRID, tx]))


def test_a_spur_has_the_faults_of_its_phase_alone_and_falls_by_its_own_impedance():
    spur = {**LINE, "name": "S", "from_bus": "B", "to_bus": "S1", "length_m": 2000.0}
    _, rows = at(
        network_of([bus("A", 11.0), bus("B", 11.0), bus("S1", 11.0, conductors="b"), GRID, {**LINE, "name": "W", "from_bus": "A", "to_bus": "B"}, spur])
    )
    assert [fault for b, fault in rows if b == "S1"] == ["b–earth"]
    e = 1.1 * 11e3 / math.sqrt(3)
    own = 2 * (2 * complex(0.3, 0.36) + complex(0.45, 1.2)) / 3
    x1 = 1.1 * 11 / (math.sqrt(3) * 8.0) / math.sqrt(1 + 0.1**2)
    z1, z0 = complex(0.1 * x1, x1) + 4 * complex(0.3, 0.36), complex(0.2 * 1.5 * x1, 1.5 * x1) + 4 * complex(0.45, 1.2)
    assert rows["S1", "b–earth"]["ik_max_ka"] == pytest.approx(e / abs((2 * z1 + z0) / 3 + own) / 1000, rel=1e-9)


def test_behind_a_centre_tap_by_hand():
    """25 kVA, 7200/240 V, 1.2 % and 2 %, interlaced, behind an almost ideal source: between both legs the full winding's impedance, to the neutral less."""
    unit = {"high": "a", "low": "1n2", "s_rated_mva": 0.025, "v_high_kv": 7.2, "v_low_kv": 0.24, "uk_pct": math.hypot(1.2, 2.0), "ur_pct": 1.2}
    network = network_of([bus("A", 12.47), bus("B", 0.24, conductors="12n"), {**GRID, "ik_max_ka": 500.0, "ik_min_ka": 500.0, "x0_over_x1": 1.0},
                          {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "neutral_lv": "solid", "bank_units": [unit]}])  # fmt: skip
    _, rows = at(network)
    k = 0.95 * 1.05 / (1 + 0.6 * 0.02)
    base = 240**2 / 25e3
    full = k * complex(0.012, 0.02) * base
    assert rows["B", "1–2"]["ik_max_ka"] == pytest.approx(1.05 * 240 / abs(full) / 1000, rel=2e-3)
    half = k * complex(1.5 * 0.012, 1.2 * 0.02) * base / 4  # Z0 + Z1 at the voltage of a half
    assert rows["B", "1–n"]["ik_max_ka"] == pytest.approx(1.05 * 120 / abs(half) / 1000, rel=2e-3)
    assert rows["B", "2–n"]["ik_max_ka"] == pytest.approx(rows["B", "1–n"]["ik_max_ka"], rel=1e-9)


def test_the_impedance_matrix_is_reciprocal_and_faults_of_a_feeder_fall_along_it():
    made, rows = at(northfell_json.read(ellerdale()))
    for z in made.z_ohm["max"].values():
        assert np.allclose(z, z.T, rtol=1e-7, atol=1e-9)
        assert (np.diag(z).real > 0).all()
    along = [rows[f"P{n}", "a–earth"]["ik_max_ka"] for n in range(1, 8)]
    assert along == sorted(along, reverse=True)
    assert all(r["ik_min_ka"] < r["ik_max_ka"] for r in rows.values())
    assert ("D4", "b–earth") not in rows
    assert not any("Not counted" in m for m in made.messages)


def test_entries_from_the_factors_are_those_of_solved_columns(monkeypatch):
    """Of the feeder with its regulators and centre taps, most places without a column being solved for."""
    solved = []
    by_columns = thevenin._by_columns
    monkeypatch.setattr(thevenin, "_by_columns", lambda factor, rows, places: solved.append(len(places)) or by_columns(factor, rows, places))
    quick, _ = at(northfell_json.read(ellerdale()))
    assert max(solved) < 0.2 * len(quick.conductors)
    monkeypatch.setattr(thevenin, "entries", lambda factor, wanted: None)
    slow, _ = at(northfell_json.read(ellerdale()))
    for case in ("max", "min"):
        for b, z in slow.z_ohm[case].items():
            assert np.allclose(quick.z_ohm[case][b], z, rtol=1e-8, atol=1e-10 * np.abs(z).max())


def test_nothing_flows_to_earth_where_nothing_ties_to_it():
    network = network_of([bus("A", 11.0), bus("C", 0.4), GRID, {**TX, "vector_group": "Dd0", "name": "T", "hv_bus": "A", "lv_bus": "C"}])
    _, rows = at(network)
    assert {fault for b, fault in rows if b == "C"} == {"a–b", "b–c", "c–a", "a–b–c"}


def test_of_an_even_three_phase_fault_the_currents_have_no_sum_and_equal_the_source_over_the_impedance():
    z = np.full((3, 3), 0.2 + 0.5j) + np.eye(3) * (1 + 2j)
    e = 100 * np.exp(1j * np.radians([0, -120, 120]))
    i = currents(z[None], e[None, :, None], to_earth=False)[0, :, 0]
    assert abs(i.sum()) < 1e-9
    assert np.abs(i) == pytest.approx([100 / abs(1 + 2j)] * 3)


def test_without_an_infeed_there_is_no_fault_by_phase():
    with pytest.raises(CannotRun, match="No infeed and no machine is in service"):
        at(network_of([bus("A", 11.0), {"kind": "inverter", "name": "I", "bus": "A", "mode": "reference", "s_rated_mva": 1.0, "p_mw": 0.1}]))


def test_the_working_of_a_fault_comes_to_the_table_with_what_converters_add():
    network = northfell_json.read(ellerdale())
    faults, rows = at(network)
    for name in ("P3", "D4", "N5 homes", "Far Moor solar"):
        for fault in faults.faults(network.id_of_name[name]):
            for case in ("max", "min"):
                worked = PHASE_FAULTS.explain(faults, Asked(network.id_of_name[name], "ik_phase", case=case, part=fault))
                assert worked.result == pytest.approx(rows[name, fault][f"ik_{case}_ka"], rel=1e-9)
    with pytest.raises(NotFound, match="has no fault b–earth"):
        PHASE_FAULTS.explain(faults, Asked(network.id_of_name["D4"], "ik_phase", part="b–earth"))


def test_lines_are_cold_for_the_greatest_currents_and_hot_for_the_least():
    """By geometry the wires' own resistance from the temperature at which it is stated; by matrix as given, which is told."""
    pole = {"kind": "line", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 3000.0, "geometry": "Pole with a cross-arm, four wires"}
    ends = [bus("A", 11.0), bus("B", 11.0), GRID]
    cold, hot = (at(network_of([*ends, {**pole, "t_end_degc": t}])) for t in (20.0, 120.0))
    assert hot[1]["B", "a–earth"]["ik_max_ka"] == cold[1]["B", "a–earth"]["ik_max_ka"]
    assert hot[1]["B", "a–earth"]["ik_min_ka"] < cold[1]["B", "a–earth"]["ik_min_ka"]
    wire = wires_of(network_of(ends))[geometry_named(network_of(ends), pole["geometry"]).conductors[0].wire]
    r20 = wire.r_ohm_per_km / (1 + 0.004 * (wire.t_degc - 20))
    loop = [one[0].z_ohm["min"]["B"] for one in (cold, hot)]
    apart = [(z[0, 0] + z[1, 1] - z[0, 1] - z[1, 0]).real for z in loop]  # of two phases, where the earth's part and the neutral's leave little
    assert apart[1] - apart[0] == pytest.approx(2 * 3 * r20 * 0.4, rel=0.02)
    told = at(network_of([*ends, pole]))[0].messages
    assert any("temperature at the end of a fault is not entered: W" in one for one in told)
    cells = [
        {"row": r, "column": c, "r_ohm_per_km": 0.4 if r == c else 0.1, "x_ohm_per_km": 0.9 if r == c else 0.4} for r, c in ("aa", "ba", "bb", "ca", "cb", "cc")
    ]
    given = at(network_of([*ends, {k: v for k, v in pole.items() if k != "geometry"} | {"matrix": cells}]))[0].messages
    assert any("Matrices stand at the temperature for which they are given: W" in one for one in given)


def test_least_currents_to_earth_flow_through_the_resistance_that_is_set():
    elements = [bus("A", 11.0), bus("S", 11.0, conductors="b"), GRID, {**LINE, "name": "W", "from_bus": "A", "to_bus": "S"}]
    bare, through = (at(network_of(elements, phase_faults={"r_fault_ohm": r})) for r in (0.0, 40.0))
    z = complex(bare[0].z_ohm["min"]["S"][0, 0])
    low = through[1]["S", "b–earth"]["ik_min_ka"]
    assert low == pytest.approx(bare[1]["S", "b–earth"]["ik_min_ka"] * abs(z) / abs(z + 40), rel=1e-9)
    assert through[1]["S", "b–earth"]["ik_max_ka"] == bare[1]["S", "b–earth"]["ik_max_ka"]
    assert through[1]["A", "a–b"]["ik_min_ka"] == bare[1]["A", "a–b"]["ik_min_ka"]
    worked = PHASE_FAULTS.explain(through[0], Asked("S", "ik_phase", case="min"))
    assert worked.result == pytest.approx(low, rel=1e-9)
    assert any("40 ohm" in told for told in through[0].messages)


def test_peaks_are_never_below_those_by_sequences():
    """Method (b) against the peaks of Faults, of a network with low R/X and of one with high."""
    for r in (0.05, 0.6):
        line = {**LINE, "r_ohm_per_km": r, "r0_ohm_per_km": 2 * r}
        network = network_of([bus("A", 11.0), bus("B", 11.0), GRID, {**line, "name": "W", "from_bus": "A", "to_bus": "B"}])
        sequences, (_, rows) = short_circuit.run(compile_network(network, "Normal")), at(network)
        for fault, kind in (("a–b–c", "3ph"), ("a–earth", "lg"), ("b–c", "ll"), ("b–c–earth", "llg")):
            theirs = float(sequences.figures("ip_ka", kind, "max")[sequences.net.topology.bus_index["B"]])
            assert theirs * 0.999 <= rows["B", fault]["ip_max_ka"] <= theirs * 1.2


def test_a_conductor_that_motors_alone_feed_has_no_least_current_and_takes_no_others_away():
    """Behind an open pole of a the motor gives what flows from a at most; in the least case nothing does, and b is as without the open pole."""
    motor = {"kind": "induction_motor", "name": "M", "bus": "N", "p_rated_kw": 250.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.88,
             "ilr_over_ir": 6.0, "r_over_x": 0.1}  # fmt: skip
    switch = {"kind": "switch", "name": "Q", "from_bus": "A", "to_bus": "N"}
    (made, opened), (_, shut) = (at(network_of([bus("A", 11.0), bus("N", 11.0), GRID, {**switch, **pole}, motor])) for pole in ({"open_poles": "a"}, {}))
    assert opened["N", "a–b"]["ik_max_ka"] > 0 == opened["N", "a–b"]["ik_min_ka"] == opened["N", "a–earth"]["ik_min_ka"]
    assert opened["N", "b–earth"]["ik_min_ka"] == pytest.approx(shut["N", "b–earth"]["ik_min_ka"])
    assert opened["N", "b–c"]["ik_min_ka"] == pytest.approx(shut["N", "b–c"]["ik_min_ka"])
    assert PHASE_FAULTS.explain(made, Asked("N", "ik_phase", "min", part="b–earth")).result == pytest.approx(opened["N", "b–earth"]["ik_min_ka"])
    with pytest.raises(NotFound, match="Nothing feeds a–earth"):
        PHASE_FAULTS.explain(made, Asked("N", "ik_phase", "min", part="a–earth"))
    assert {r["row"] for r in made.tables()[1].records() if (r["bus"], r["case"]) == ("N", "min")} == {"b", "c"}
