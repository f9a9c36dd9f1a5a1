"""Conductors whose device stands at their end, the heat of grounding conductors, raceways of several circuits, generators alone: each by hand."""

import math

import pytest
from tests.conftest import network_of
from tests.core.studies.sizing import test_by_hand as iec
from tests.core.studies.sizing.test_nec_by_hand import SOURCE, breaker, conductor, end, load, motor, parts, sizing, way

from northfell.core.studies.sizing import in_all_states, loads_table, panels_table, raceways_table
from northfell.core.studies.sizing.nec import icea_kappa

SQRT3 = math.sqrt(3)


def tap(feet: float, before_a: float, area: float = 53.49, **more):
    """A conductor from a splice behind a breaker of a feeder, with a breaker of 150 A at its end: 1/0 AWG, 150 A at 75 °C."""
    panel = {"kind": "bus", "name": "Panel", "v_nominal_kv": 0.48, "bus_kind": "panel"}
    splice = {"kind": "bus", "name": "Splice", "v_nominal_kv": 0.48, "bus_kind": "panel"}
    feeder = [splice, breaker("Q", "Main", "Splice", before_a), conductor("C", "Splice", "e", area, feet, **more), end("e", 0.48),
              breaker("Qe", "e", "Panel", 150.0), panel, {**load("E", 60, 20), "bus": "Panel"}, {**load("F", 60, 20), "bus": "Splice"}]  # fmt: skip
    return sizing([*SOURCE, *feeder]).of["C"]


@pytest.mark.parametrize(
    ("feet", "before_a", "limit", "kept"), [(10.0, 1200.0, 150.0, True), (10.0, 1600.0, 160.0, False), (25.0, 450.0, 150.0, True), (25.0, 600.0, 200.0, False)]
)
def test_a_tap_takes_a_tenth_up_to_ten_feet_and_a_third_up_to_twenty_five(feet, before_a, limit, kept):
    held = tap(feet, before_a).decision.of("nec.tap").entered
    assert (held.value, held.limit, held.ok) == (150.0, pytest.approx(limit), kept)


def test_a_longer_one_is_no_tap_and_one_behind_its_own_device_is_asked_nothing():
    long = tap(26.0, 450.0)
    held = long.decision.of("nec.tap").entered
    assert (held.value, held.limit, held.at_most, held.ok) == (450.0, 150.0, True, False)
    assert long.decision.required.size.area_mm2 > 53.5
    assert tap(26.0, 100.0).decision.of("nec.tap").idle  # the one at its beginning is the lower one
    ground = parts(tap(10.0, 1200.0))["protective conductor"]
    assert ground.required == "1/0 AWG"  # 3/0 by the feeder's device, but no larger than the line conductors
    assert "before the tap" in ground.note


def test_the_table_of_grounding_conductors_is_a_least_one_beside_their_heat():
    slow = {**breaker("Q1", "Main", "n1", 60.0), "trip_im_a": 600.0, "let_through_ka2s": 40.0}
    rest = [x for x in way(1, "Main", 60.0, 21.2, 5.0, load("E", 20, 8), insulation="XLPE") if x["name"] != "Q1"]
    one = sizing([*SOURCE, *rest, slow]).of["C1"]
    ground = parts(one)["protective conductor"]
    least_cmil = math.sqrt(one.circuit.pe_heat.a2s / icea_kappa("copper", "XLPE"))
    assert one.circuit.pe_heat.a2s == pytest.approx(40e6)
    assert 83690 < least_cmil < 105600  # between 1 and 1/0 AWG
    assert ground.required == "1/0 AWG"
    assert ground.clause.startswith("250.4")  # 10 AWG, and 3 AWG since the heat enlarges the line conductors too
    assert "table 250.122 alone for 3 AWG" in ground.note
    fast = parts(sizing([*SOURCE, *way(1, "Main", 60.0, 13.3, 5.0, load("E", 20, 8))]).of["C1"])["protective conductor"]
    assert fast.required == "10 AWG"


def test_circuits_of_one_raceway_fill_it_together():
    both = [*way(1, "Main", 60.0, 8.37, 50.0, motor("M", 20), route="R1", pe_mm2=8.37), *way(2, "Main", 100.0, 33.63, 80.0, motor("N", 40), route="R1")]
    found = sizing([*SOURCE, *both])
    one, two = (parts(found.of[c])["raceway"] for c in ("C1", "C2"))
    own, other = 0.0437, 0.1146  # chapter 9, table 5, XHHW-2: 8 and 2 AWG
    assert (found.of["C1"].chosen.size.label, parts(found.of["C1"])["protective conductor"].chosen) == ("8 AWG", "8 AWG")
    needed = (4 * own + 4 * other) / 0.4  # C2 has no grounding conductor entered: taken as its line conductors
    assert one.demand == f"at least {needed:.3f} in² inside"
    assert "C2, as entered" in one.note
    assert two.required is not None
    rows = {r[1]: r for r in raceways_table(found.net, found.of).rows}
    assert [(rows[c][3], rows[c][7]) for c in ("C1", "C2")] == [(1, pytest.approx(80 * 0.3048)), (0, None)]
    apart = sizing([*SOURCE, *both[:3], {**both[3], "raceway": "PVC40"}, *both[4:]])
    assert "not all circuits of its route" in parts(apart.of["C1"])["raceway"].note
    several = sizing([*SOURCE, *both[:3], {**both[3], "parallel": 2}, *both[4:]])
    assert "several sets" in parts(several.of["C1"])["raceway"].note


def test_a_conduit_and_a_trunking_by_outside_diameters():
    def of(size: str, raceway: str = "plastic conduit", route: str = "", **more):
        elements = iec.starter(raceway=raceway, raceway_size=size, d_outside_mm=18.0, route=route, **more)
        if route:
            del next(e for e in elements if e["name"] == "W")["circuits_beside"]
            second = {**iec.cable("V", "Main", "farther", 10.0, 20.0, raceway=raceway, d_outside_mm=12.0, route=route)}
            elements += [iec.end("farther"), second, {**iec.MOTOR, "name": "N", "bus": "farther", "p_rated_kw": 5.0}]
        else:
            next(e for e in elements if e["name"] == "W")["circuits_beside"] = 0
        return {p.quantity: p for p in iec.sizing(elements).of["W"].beside}["raceway"]

    area = math.pi * 18**2 / 4
    one = of("32")
    assert (one.required, one.ok) == ("40", False)  # 607 mm² inside, of which 40 % are 243
    assert one.used_pct == pytest.approx(100 * area / 0.4 / 607)
    assert of("40").ok
    shared = of("40", route="R")
    assert shared.used_pct == pytest.approx(100 * (area + math.pi * 12**2 / 4) / 0.4 / 984)
    assert of("30x30", "trunking").ok
    assert not of("30×20", "trunking").ok
    assert of("wide", "trunking").ok is None


def test_what_a_generator_holds_a_fault_on_with_must_still_open_the_device():
    def of(magnetic_a: float, system: str = "TN", school: str = "iec", **more):
        unit = {"kind": "synchronous_generator", "name": "G", "bus": "Main", "s_rated_mva": 0.5, "v_rated_kv": 0.4, "power_factor_rated": 0.8, "xd2_pct": 12.0,
                "xd1_pct": 18.0, "xd_pct": 200.0, "r_stator_ohm": 0.002, "neutral": "solid", "x0_pct": 4.0, "mode": "reference", "field_ceiling": 1.3,
                "excitation": "rotating", **more}  # fmt: skip
        way = {"kind": "breaker", "name": "Q", "from_bus": "Main", "to_bus": "near", "i_rated_a": 100.0, "trip": "thermal-magnetic", "trip_ir_a": 100.0,
               "trip_im_a": magnetic_a, "let_through_ka2s": 0.5}  # fmt: skip
        load = {"kind": "load", "name": "E", "bus": "far", "p_mw": 0.03, "q_mvar": 0.01}
        elements = [iec.MAIN, unit, iec.end("near"), iec.end("far"), way, iec.cable("W", "near", "far", 35.0, 50.0), load]
        (found, *_), _ = in_all_states(network_of(elements, sizing={"earthing": system}, short_circuit={"school": school}))
        return found.of["W"]

    slow, fast = of(3000.0), of(200.0)
    s = slow.circuit.sustained
    held = slow.decision.of("iec.generator").entered
    z = 50 / 1000 * abs(complex(*(0.524 * (1 + 0.00393 * 70), 0.082)))
    far = 400 / (SQRT3 * (400 / (SQRT3 * s.i_a) + z))
    assert held.value == pytest.approx(far, rel=0.01)
    assert s.i_a < 721.7  # of two per unit of reactance at most its rated current; six times as much flows at first
    assert not held.ok
    quick = fast.decision.of("iec.generator").entered
    assert quick.limit == pytest.approx(1.2 * 200 * 1.2, rel=0.02)  # its stage with 20 % of tolerance
    assert quick.ok
    # the loop of an earth fault goes by it too: its reactance is that of what is held on
    assert abs(slow.circuit.loop.z_source_ohm) > 0.9 * 0.95 * 400 / (SQRT3 * s.i_a) / 3
    z1 = 0.95 * 400 / (SQRT3 * s.i_a)
    assert abs(of(200.0, "IT").circuit.loop.z_source_ohm) == pytest.approx(z1, rel=0.02)  # of a second fault the whole of Z1
    by_ieee = of(200.0, school="ieee").circuit
    assert by_ieee.sustained is None
    assert any("goes by the initial current" in n for n in by_ieee.notes)
    unknown = of(200.0, xd_pct=None)
    assert unknown.decision.of("iec.generator").idle
    assert any("goes by the initial current" in n for n in unknown.circuit.notes)


def test_what_is_not_of_three_phases_is_left_out_and_stands_in_the_panel_by_phase():
    one = {"kind": "bus", "name": "f3", "v_nominal_kv": 0.48, "bus_kind": "junction", "conductors": "c"}
    ways = [*way(1, "Main", 60.0, 21.2, 50.0, load("E1", 20.0, 0.0)),
            *way(2, "Main", 60.0, 21.2, 50.0, {**load("E2", 0.0, 0.0), "p_mw": None, "q_mvar": None,
                                                "by_phase": [{"between": "a", "p_mw": 0.004, "q_mvar": 0.0}, {"between": "bc", "p_mw": 0.003, "q_mvar": 0.0}]}),
            *(x for x in way(3, "Main", 60.0, 21.2, 50.0, load("E3", 2.0, 0.0)) if x["name"] != "f3"), one]  # fmt: skip
    found = sizing([*SOURCE, *ways])
    assert [(x.element_id, x.why.split(":")[0]) for x in found.left] == [("C3", "it is not of three phases")]
    assert any("it is given by phase" in w for w in found.of["C2"].circuit.waits)
    demands = {r["element"]: r for r in loads_table(found.net).records()}
    assert (demands["E2"]["p_kw"], demands["Total"]["p_kw"]) == (pytest.approx(7.0), pytest.approx(29.0))
    rows = {r["feeds"]: r for r in panels_table(found.net, found.of).records()}
    even = 20e3 / (SQRT3 * 480)
    assert [rows["E1"][f"il{k}_a"] for k in (1, 2, 3)] == pytest.approx([even] * 3)
    assert [rows["E2"][f"il{k}_a"] for k in (1, 2, 3)] == pytest.approx([4e3 / (480 / SQRT3), 3e3 / 480, 3e3 / 480])
    assert [rows["E3"][f"il{k}_a"] for k in (1, 2, 3)] == pytest.approx([0, 0, 2e3 / (480 / SQRT3)])
    assert rows["Total"]["il1_a"] == pytest.approx(even + 4e3 / (480 / SQRT3))
