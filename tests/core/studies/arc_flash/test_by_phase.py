"""Arcs at places that are not of three phases alike: by hand, as the study of three phases where both hold, and never sooner cut off than they are."""

import math

import pytest
from tests.conftest import network_of

from northfell.core.errors import CannotRun
from northfell.core.network import compile_network
from northfell.core.studies import Asked, arc_flash, short_circuit
from northfell.core.studies.arc_flash import ARC_FLASH, compare, enclosure_of, explain_energy
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash.by_phase import through_poles
from northfell.core.studies.arc_flash.telling import ONE_PHASE
from northfell.core.studies.phase_faults import PHASE_FAULTS, phase_faults
from northfell.core.studies.protection import devices_of

BOX = {"electrode_configuration": "VCB", "gap_mm": 25.0, "working_distance_mm": 457.0, "box_height_mm": 508.0, "box_width_mm": 508.0, "box_depth_mm": 400.0}
TRIP = {"trip": "electronic", "trip_ir_a": 300.0, "trip_tr_s": 8.0, "trip_isd_a": 2000.0, "trip_tsd": "0.2", "t_break_s": 0.06}
CABLE = {"kind": "cable", "length_m": 40.0, "r_ohm_per_km": 0.2, "x_ohm_per_km": 0.08, "r0_ohm_per_km": 0.8, "x0_ohm_per_km": 0.3, "c0_uf_per_km": 0.0,
         "t_end_degc": 250.0}  # fmt: skip
MOTOR = {"kind": "induction_motor", "name": "M", "bus": "P", "p_rated_kw": 75.0, "v_rated_kv": 0.4, "efficiency_pct": 94.0, "power_factor": 0.86,
         "ilr_over_ir": 6.5, "r_over_x": 0.42}  # fmt: skip


def bus(name: str, kv: float = 0.4, **more) -> dict:
    return {"kind": "bus", "name": name, "v_nominal_kv": kv, **more}


def main(name: str, a: str, b: str, **more) -> dict:
    return {"kind": "breaker", "name": name, "from_bus": a, "to_bus": b, **TRIP, **more}


def infeed(name: str, at: str, k: str, **more) -> list[dict]:
    return [
        bus(at, 11.0), {"kind": "infeed", "name": name, "bus": at, "ik_max_ka": 20.0, "ik_min_ka": 12.0, "r_over_x": 0.1, "neutral": "isolated"}, bus(f"L{k}"),
        {"kind": "transformer", "name": f"T{k}", "hv_bus": at, "lv_bus": f"L{k}", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 6.0,
         "ur_pct": 1.0, "vector_group": "Dyn11", "z0_over_z1": 0.95, "neutral_lv": "solid"},
        main(f"Q{k}", f"L{k}", "B", **{"trip_ir_a": 1500.0, "trip_isd_a": 9000.0, **more}),
    ]  # fmt: skip


PLANT = [bus("B", bus_kind="switchboard", **BOX), *infeed("G", "HV", "1"), bus("E"), main("QP", "B", "E"), bus("P", **BOX),
         {**CABLE, "name": "W", "from_bus": "E", "to_bus": "P"}]  # fmt: skip
PANEL = [bus("F", conductors="c"), bus("C", conductors="c", bus_kind="panel", **BOX), main("QS", "P", "F", conductors="c", trip_ir_a=100.0, trip_isd_a=600.0),
         {**CABLE, "name": "WC", "from_bus": "F", "to_bus": "C", "conductors": "c"},
         {"kind": "load", "name": "S", "bus": "C", "by_phase": [{"between": "c", "p_mw": 0.003, "q_mvar": 0.001}]}]  # fmt: skip


def arc(elements, **project):
    return arc_flash.run(compile_network(network_of(elements, **project), "Normal", "arc_flash"))


def faults_of(elements, **project):
    return short_circuit.run(compile_network(network_of(elements, **project), "Normal", "short_circuit"))


@pytest.mark.parametrize("case", ["max", "min"])
def test_a_panel_of_one_phase_by_hand(case):
    """What drives its fault is the phase to earth through the loop of both cables; the energy is the model's for that current, until its breaker opens."""
    study = arc([*PLANT, *PANEL])
    one = study.location("C", "load")
    above = faults_of(PLANT).cases[case]
    at = above.net.topology.bus_index["P"]
    hot = 1.0 if case == "max" else 1 + 0.004 * 230
    ohm = {n: complex(CABLE[f"r{n}_ohm_per_km"] * hot, CABLE[f"x{n}_ohm_per_km"]) * 0.04 for n in ("", "0")}
    loop = (above.z1_pu[at] + above.z2_pu[at] + above.z0_pu[at]) * above.z_base_ohm[at] + 2 * ohm[""] + ohm["0"]
    ibf = {"max": 1.10, "min": 0.90}[case] * math.sqrt(3) * 0.4 / abs(loop)
    for v in (v for v in one.variants if v.case == case):
        assert v.i_bolted_ka == pytest.approx(ibf, rel=1e-6)
        box = enclosure_of(study.bus(one))
        i_arc = by.arcing_current_ka(0.4, ibf, box) * v.factor
        t_s = float(devices_of(study.phases.net.elements)["QS"].interrupts_at_s(1000 * i_arc))
        assert (v.device, v.opens_at_s) == ("QS", pytest.approx(t_s))
        assert v.energy_j_cm2 == pytest.approx(by.incident_energy_j_cm2(0.4, ibf, box, 457.0, 1000 * t_s, v.factor), rel=1e-6)
    assert one.fault == "c–earth"
    assert [w.code for w in one.warnings] == [ONE_PHASE]
    assert {r["fault"] for r in study.locations_table().records()} == {"three-phase", "c–earth"}
    assert [place.location.bus_id for place in compare(study).places] == ["B", "P"]


@pytest.mark.parametrize("with_motor", [True, False])
def test_every_working_comes_to_the_figure_and_leads_to_that_of_the_fault(with_motor):
    elements = [*PLANT, *PANEL, *([MOTOR] if with_motor else [])]
    study = arc(elements)
    one = study.location("C", "load")
    for v in one.variants:
        assert explain_energy(study, one, v).result == pytest.approx(v.energy_cal_cm2, rel=1e-9)
        assert ARC_FLASH.explain(study, Asked("C", "boundary_mm", v.case, v.variant)).result == pytest.approx(v.boundary_mm, rel=1e-9)
        asked = Asked("C", "ik_phase", v.case, faulted=one.faulted, part=one.fault)
        assert PHASE_FAULTS.explain(study.phases.faults, asked).result == pytest.approx(v.i_bolted_ka, rel=1e-6)


def by_matrix(line: dict) -> dict:
    """The same line, given by phase alone."""
    rows = []
    z1, z0 = (complex(line[f"r{n}_ohm_per_km"], line[f"x{n}_ohm_per_km"]) for n in ("", "0"))
    for row, column, z in (*((p, p, (2 * z1 + z0) / 3) for p in "abc"), *((p, q, (z0 - z1) / 3) for p, q in ("ab", "ac", "bc"))):
        rows.append({"row": row, "column": column, "r_ohm_per_km": z.real, "x_ohm_per_km": z.imag, "b_us_per_km": 0.0})
    return {k: v for k, v in line.items() if not k.startswith(("r", "x", "c0")) or k == "x"} | {"matrix": rows}


def test_a_board_behind_a_line_given_by_phase_is_as_the_same_line_by_sequences():
    whole = [{**e, "t_end_degc": 20.0} if e["name"] == "W" else e for e in PLANT]
    balanced, by_phase = arc(whole), arc([by_matrix(e) if e["name"] == "W" else e for e in whole])
    a, b = (study.location("P", "load") for study in (balanced, by_phase))
    assert (a.fault, b.fault) == ("", "a–b–c")
    for v in a.variants:
        other = b.variant(v.case, v.variant)
        assert other.energy_j_cm2 == pytest.approx(v.energy_j_cm2, rel=1e-6)
        assert (other.device, other.stage, other.opens_at_s) == (v.device, v.stage, pytest.approx(v.opens_at_s, rel=1e-6))
    assert by_phase.location("B", "load").worst.energy_j_cm2 == balanced.location("B", "load").worst.energy_j_cm2


def test_motors_count_for_the_energy_and_for_no_device():
    """A breaker is not counted on to act by what is gone within cycles: with motors an arc burns no shorter, and its current is more."""
    one, without = (arc([*PLANT, *PANEL, *more]).location("C", "load").variant("max", "full") for more in ([MOTOR], []))
    assert one.i_bolted_ka > 1.01 * without.i_bolted_ka
    assert one.i_device_ka <= without.i_device_ka
    assert one.opens_at_s >= without.opens_at_s


def test_two_mains_and_no_device_of_its_own():
    """The one that opens first leaves the other what then flows; it begins anew, and the first current burns until it is done."""
    plant = [{**e, "trip_isd_a": 1000.0} if e["name"] == "Q1" else e for e in PLANT]
    two = [*plant, *infeed("G2", "HV2", "2"), bus("C", conductors="c", **BOX),
           {**CABLE, "name": "WC", "from_bus": "B", "to_bus": "C", "conductors": "c"}]  # fmt: skip
    study = arc(two)
    one = study.location("C", "load").variant("max", "full")
    devices = devices_of(study.phases.net.elements)
    at, passing = ("C", "c–earth", "max"), one.i_arc_ka / one.i_bolted_ka
    first_s = float(devices["Q1"].interrupts_at_s(passing * abs(study.phases.lasting(*at).through["Q1"]["c"])))
    left = study.phases.lasting(*at, frozenset({"Q1"}))
    last_s = float(devices["Q2"].interrupts_at_s(passing * abs(left.through["Q2"]["c"])))
    assert (one.device, one.opens_at_s) == ("Q2", pytest.approx(first_s + last_s))
    assert left.ik_ka < one.i_bolted_ka
    assert study.phases.lasting(*at, frozenset({"Q1", "Q2"})) is None
    assert one.energy_j_cm2 == pytest.approx(
        by.incident_energy_j_cm2(0.4, one.i_bolted_ka, enclosure_of(study.bus(study.location("C", "load"))), 457.0, 1000 * min(one.opens_at_s, 2.0))
    )


def test_a_breaker_for_each_pole_cuts_a_fault_of_that_pole_off():
    """Once it is open no source reaches the conductor, whatever the other pole still feeds."""
    poles = [bus("C", conductors="ac", **BOX), *(main(f"Q{p}", "P", "C", conductors=p, trip_ir_a=100.0, trip_isd_a=600.0) for p in "ac")]
    study = arc([*PLANT, *poles])
    one = study.location("C", "load")
    assert all(math.isfinite(v.opens_at_s) for v in one.variants)
    assert study.phases.lasting("C", "a–earth", "max", frozenset({"Qa"})) is None
    assert study.phases.lasting("C", "c–earth", "max", frozenset({"Qa"})).ik_ka > 1.0
    both = study.phases.lasting("C", "a–earth", "max").through
    assert abs(both["Qc"]["c"]) < 1e-6 * abs(both["Qa"]["a"])


def test_of_breakers_beside_each_other_none_is_counted_on():
    beside = [*PANEL, {**PANEL[2], "name": "QS2"}]
    v = arc([*PLANT, *beside]).location("C", "load").variant("max", "full")
    assert v.device == "QP" or math.isinf(v.opens_at_s)
    assert v.opens_at_s > arc([*PLANT, *PANEL]).location("C", "load").variant("max", "full").opens_at_s


def test_a_resistance_at_a_fault_to_earth_is_none_of_an_arc():
    with_it, without = (arc([*PLANT, *PANEL], phase_faults={"r_fault_ohm": r}).location("C", "load") for r in (20.0, 0.0))
    assert with_it.worst.energy_j_cm2 == without.worst.energy_j_cm2
    assert with_it.variant("min", "full").i_bolted_ka == without.variant("min", "full").i_bolted_ka > 1.0


def test_an_inverter_that_holds_the_island_on_is_never_forgotten():
    """It brings a fault current that no device is counted on to act by: without a breaker between, the arc burns as long as is allowed."""
    inverter = {"kind": "inverter", "name": "V", "bus": "P", "s_rated_mva": 0.4, "ik_over_ir": 1.5, "i2_over_ir": 0.0, "mode": "reference", "v_set_pu": 1.0}
    joined = [bus("C", conductors="c", **BOX), {**CABLE, "name": "WC", "from_bus": "P", "to_bus": "C", "conductors": "c"}]
    study = arc([*PLANT, *joined, inverter])
    v = study.location("C", "load").variant("max", "full")
    assert (v.opens_at_s, v.arc_time_s) == (math.inf, 2.0)
    assert study.phases.lasting("C", "c–earth", "max", frozenset({"QP"})).ik_ka == 0.0


INVERTER = {"kind": "inverter", "name": "V", "bus": "N", "s_rated_mva": 0.4, "ik_over_ir": 1.5, "i2_over_ir": 0.0, "mode": "reference", "v_set_pu": 1.0}
ALONE = [bus("N"), INVERTER, {**MOTOR, "bus": "N"}, bus("C", conductors="c", **BOX), main("QS", "N", "C", conductors="c", trip_ir_a=100.0)]
OPEN_POLE = [bus("N"), {"kind": "breaker", "name": "QN", "from_bus": "P", "to_bus": "N", "open_poles": "c"}, {**MOTOR, "bus": "N"},
             bus("C", conductors="c", **BOX), main("QS", "N", "C", conductors="c", trip_ir_a=100.0)]  # fmt: skip


@pytest.mark.parametrize("elements", [ALONE, OPEN_POLE], ids=["beside an inverter alone", "behind an open pole"])
def test_what_motors_alone_bring_is_never_counted_on(elements):
    """Nothing lasts there that a device could act by: the arc burns as long as is allowed, and its working says so."""
    other = [bus("X"), {"kind": "infeed", "name": "GX", "bus": "X", "ik_max_ka": 9.0, "ik_min_ka": 6.0, "r_over_x": 0.1, "neutral": "solid", "x0_over_x1": 1.0,
             "r0_over_x0": 0.1}]  # fmt: skip
    study = arc([*PLANT, *other, *elements])
    one = study.location("C", "load")
    for v in one.variants:
        assert (v.opens_at_s, v.arc_time_s) == (math.inf, 2.0)
        assert explain_energy(study, one, v).result == pytest.approx(v.energy_cal_cm2, rel=1e-9)


def test_between_two_phases_counts_and_a_little_current_to_earth_is_told():
    """Behind a resistor a fault to earth brings less than the model was tested for; the arc is that between the phases."""
    through_a_resistor = [{**e, "neutral_lv": "resistor", "neutral_lv_ohm": 2.0} if e["name"] == "T1" else e for e in PLANT]
    pair = [bus("C", conductors="ab", **BOX), main("QS", "P", "C", conductors="ab", trip_ir_a=100.0, trip_isd_a=600.0)]
    little, solid = (arc([*plant, *pair]).location("C", "load") for plant in (through_a_resistor, PLANT))
    assert little.fault == "a–b"
    told = [w for w in little.warnings if "less than the model was tested for" in w]
    assert [w.split()[0] for w in told] == ["a–earth", "b–earth"]
    assert solid.worst.energy_j_cm2 >= little.worst.energy_j_cm2
    three = faults_of(PLANT)
    assert little.variant("max", "full").i_bolted_ka == pytest.approx(math.sqrt(3) / 2 * three.cases["max"].ik_ka[three.net.topology.bus_index["P"]], rel=1e-6)


def test_what_is_missing_keeps_the_place_back_and_no_other():
    lacks = [{k: v for k, v in e.items() if (e["name"], k) != ("QS", "trip_ir_a")} for e in [*PLANT, *PANEL]]
    unknown = [{k: v for k, v in e.items() if (e["name"], k) != ("G", "neutral")} for e in [*PLANT, *PANEL]]
    no_gap = [{k: v for k, v in e.items() if (e["name"], k) != ("C", "gap_mm")} for e in [*PLANT, *PANEL]]
    for elements, reason in ((lacks, "trip_ir_a"), (unknown, "neutral is empty"), (no_gap, "gap_mm")):
        study = arc(elements)
        one = study.location("C", "load")
        assert one.worst is None
        assert reason in one.waits[0], one.waits
        assert study.location("P", "load").worst.energy_j_cm2 == arc(PLANT).location("P", "load").worst.energy_j_cm2


def test_without_a_breaker_of_its_own_the_next_one_counts_and_a_fuse_of_one_pole_opens_by_its_current():
    joined = [{"kind": "switch", "name": "QS", "from_bus": "P", "to_bus": "F", "conductors": "c"} if e["name"] == "QS" else e for e in PANEL]
    v = arc([*PLANT, *joined]).location("C", "load").variant("max", "full")
    assert v.device == "QP"
    assert arc([*PLANT, *PANEL]).location("C", "load").variant("max", "full").opens_at_s <= v.opens_at_s


def test_an_island_of_which_nothing_is_left_by_sequences_is_told():
    lone = [bus("A", 0.4, **BOX), {"kind": "infeed", "name": "G", "bus": "A", "ik_max_ka": 20.0, "ik_min_ka": 12.0, "r_over_x": 0.1, "neutral": "solid"},
            {**by_matrix({**CABLE, "name": "W", "from_bus": "A", "to_bus": "D"})}, bus("D"), {**MOTOR, "bus": "D"}]  # fmt: skip
    with pytest.raises(CannotRun, match="impedance is given by phase alone"):
        arc(lone)


def test_faults_by_phase_take_the_whole_network():
    whole = compile_network(network_of([*PLANT, *PANEL]), "Normal", "arc_flash")
    assert set(phase_faults(whole).conductors) == {"HV", "L1", "B", "E", "P", "F", "C"}


def test_what_is_measured_of_poles():
    """One pole has no sum of three; a neutral that is carried takes back what comes by it."""
    three = through_poles({"a": 100.0 + 0j, "b": 10.0j, "c": 0j}, "B")
    assert (float(three.phase_a), float(three.residual_a)) == (100.0, pytest.approx(math.hypot(100, 10)))
    assert float(through_poles({"c": 100.0 + 0j}, "B").residual_a) == 0.0
    assert float(through_poles({"a": 100.0 + 0j, "b": 0j, "c": 0j, "n": -100.0 + 0j}, "B").residual_a) == 0.0
