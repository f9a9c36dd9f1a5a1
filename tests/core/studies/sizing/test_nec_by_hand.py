"""Circuits of a network as the NEC counts them, by hand: motors by the table, continuous and other load, feeders, capacitors, transformers."""

import math

import pytest
from tests.conftest import network_of
from tests.core.studies.sizing.test_by_hand import INFEED, end

from northfell.core.studies.sizing import in_all_states

SQRT3 = math.sqrt(3)
MAIN = {"kind": "bus", "name": "Main", "v_nominal_kv": 0.48}
SOURCE = [MAIN, {**INFEED, "ik_max_ka": 25.0, "ik_min_ka": 20.0}]


def conductor(name: str, near: str, far: str, area: float, feet: float, **more) -> dict:
    return {"kind": "cable", "name": name, "from_bus": near, "to_bus": far, "length_m": feet * 0.3048, "conductor": "copper", "insulation": "XLPE",
            "cores": "1",
            "area_mm2": area, "raceway": "EMT", "wire_type": "XHHW-2", "r_ohm_per_km": 18.0 / area, "x_ohm_per_km": 0.15, "r0_ohm_per_km": 72.0 / area,
            "x0_ohm_per_km": 0.6, "t_end_degc": 250.0, **more}  # fmt: skip


def breaker(name: str, near: str, far: str, rating: float) -> dict:
    return {"kind": "breaker", "name": name, "from_bus": near, "to_bus": far, "i_rated_a": rating, "trip": "thermal-magnetic", "trip_ir_a": rating,
            "trip_im_a": 10 * rating, "let_through_ka2s": 0.2}  # fmt: skip


def way(n: int, board: str, rating: float, area: float, feet: float, fed: dict, **more) -> list[dict]:
    return [end(f"n{n}", 0.48), end(f"f{n}", 0.48), breaker(f"Q{n}", board, f"n{n}", rating), conductor(f"C{n}", f"n{n}", f"f{n}", area, feet, **more),
            {**fed, "bus": f"f{n}"}]  # fmt: skip


def motor(name: str, hp: float, **more) -> dict:
    return {"kind": "induction_motor", "name": name, "p_rated_kw": 0.7457 * hp, "v_rated_kv": 0.46, "efficiency_pct": 94.5, "power_factor": 0.86,
            "ilr_over_ir": 6.0, "r_over_x": 0.42, **more}  # fmt: skip


def load(name: str, kw: float, kvar: float, **more) -> dict:
    return {"kind": "load", "name": name, "p_mw": kw / 1000, "q_mvar": kvar / 1000, **more}


def sizing(elements, frequency_hz=60, **settings):
    (found, *_), without = in_all_states(network_of(elements, frequency_hz=frequency_hz, sizing={"code": "NEC 2023", **settings}))
    assert not without
    return found


def parts(one) -> dict:
    return {p.quantity: p for p in one.beside}


def test_a_motor_goes_by_the_table_and_stands_by_without_a_smaller_conductor():
    for duty in ("continuous", "standby"):
        one = sizing([*SOURCE, *way(1, "Main", 125.0, 13.3, 250.0, motor("M", 50, duty=duty, service_factor=1.15), ambient_degc=40.0)]).of["C1"]
        assert one.circuit.nec.motor_a == 65.0
        rules = {a.rule.id: a for a in one.decision.applied}
        assert rules["nec.motor"].entered.limit == pytest.approx(81.25)
        assert rules["nec.motor"].entered.value == pytest.approx(75 * 0.91)  # 6 AWG
        assert rules["nec.terminal"].entered.value == 65.0
        assert one.decision.required.size.label == "4 AWG"
        beside = parts(one)
        assert beside["device rating"].required == 175.0  # 250 % of an inverse-time breaker, next standard size
        nameplate = 37285 / (SQRT3 * 460 * 0.945 * 0.86)
        assert beside["overload setting"].required == pytest.approx(1.25 * nameplate)
        assert beside["overload setting"].chosen == math.floor(12.5 * nameplate) / 10
        assert beside["disconnecting means"].required == pytest.approx(74.75)


def test_drives_and_motors_beyond_the_table_go_by_their_nameplate():
    for fed in (motor("M", 50, starter="drive"), motor("M", 600)):
        one = sizing([*SOURCE, *way(1, "Main", 1000.0, 253.35, 50.0, fed, parallel=3)]).of["C1"]
        assert one.circuit.nec.motor_a == pytest.approx(fed["p_rated_kw"] * 1000 / (SQRT3 * 460 * 0.945 * 0.86))


def test_several_motors_on_one_way_have_the_device_of_the_largest_and_the_currents_of_the_others():
    one = sizing([*SOURCE, *way(1, "Main", 60.0, 8.37, 50.0, motor("M", 5, count=4))]).of["C1"]
    assert one.circuit.nec.sized_a == pytest.approx(1.25 * 7.6 + 3 * 7.6)
    rating = parts(one)["device rating"]
    assert not rating.ok
    assert parts(one)["overload setting"].required is None  # one relay for all protects none of them
    assert "each needs a relay of its own" in parts(one)["overload setting"].note
    assert rating.chosen == 40.0  # 20 A of the largest and 22.8 A: the next lower standard rating


def test_a_feeder_adds_motors_continuous_and_other_load_and_leaves_out_what_stands_by():
    panel = {"kind": "bus", "name": "Panel", "v_nominal_kv": 0.48, "bus_kind": "panel"}
    feeder = [end("a", 0.48), breaker("Q", "Main", "a", 250.0), conductor("C", "a", "Panel", 107.2, 100.0), panel]
    ways = [*way(1, "Panel", 100.0, 21.2, 50.0, motor("M1", 25)), *way(2, "Panel", 100.0, 21.2, 50.0, motor("M2", 20)),
            *way(3, "Panel", 60.0, 21.2, 50.0, load("E", 30, 10, continuous_pct=60.0, demand_factor=0.9)),
            *way(4, "Panel", 60.0, 21.2, 50.0, motor("M4", 30, duty="standby"))]  # fmt: skip
    found = sizing([*SOURCE, *feeder, *ways])
    load_a = 0.9 * math.hypot(30, 10) * 1000 / (SQRT3 * 480)
    n = found.of["C"].circuit.nec
    assert (n.motor_a, n.other_motors_a) == (34.0, 27.0)
    assert (n.continuous_a, n.other_a) == pytest.approx((0.6 * load_a, 0.4 * load_a))
    asked = 1.25 * (34 + 0.6 * load_a) + 27 + 0.4 * load_a
    assert found.of["C"].decision.of("nec.terminal").entered.limit == pytest.approx(asked)
    assert parts(found.of["C"])["device rating"].demand.startswith("at least")
    bars = next(p for e in found.equipment if e.name == "Panel" for p in e.parts if p.quantity == "bars")
    assert bars.required == 250.0


def test_the_next_standard_device_is_not_for_outlets_and_small_conductors_have_their_own():
    def of(area: float, rating: float, serves: str):
        return sizing([*SOURCE, *way(1, "Main", rating, area, 20.0, load("E", 5, 1, serves=serves), terminal_degc=75)]).of["C1"]

    one = of(33.63, 125.0, "fixed equipment").decision.of("nec.protect").entered  # 2 AWG, 115 A at 75 °C
    assert (one.limit, one.ok) == (125.0, True)
    assert of(33.63, 125.0, "socket outlets").decision.of("nec.protect").entered.limit == 115.0
    small = of(3.31, 25.0, "fixed equipment").decision.of("nec.small").entered  # 12 AWG
    assert (small.limit, small.ok) == (20.0, False)
    assert of(8.37, 50.0, "fixed equipment").decision.of("nec.small").entered.ok


def test_terminals_that_are_not_marked_and_conductors_that_share_a_raceway():
    assert sizing([*SOURCE, *way(1, "Main", 100.0, 33.63, 20.0, load("E", 5, 1))]).of["C1"].decision.of("nec.terminal").entered.value == 95.0  # 60 °C
    assert sizing([*SOURCE, *way(1, "Main", 110.0, 33.63, 20.0, load("E", 5, 1))]).of["C1"].decision.of("nec.terminal").entered.value == 115.0
    shared = sizing([*SOURCE, *way(1, "Main", 100.0, 33.63, 20.0, load("E", 5, 1), circuits_beside=2)]).of["C1"]
    assert shared.decision.of("nec.ampacity").entered.value == pytest.approx(130 * 0.7)  # nine conductors
    assert parts(shared)["raceway"].required is None


def test_capacitors_and_generators():
    bank = {"kind": "capacitor_bank", "name": "X", "q_step_mvar": 0.05, "steps": 2, "steps_in": 1}
    found = sizing([*SOURCE, *way(1, "Main", 225.0, 107.2, 30.0, bank)])
    i_c = 100e3 / (SQRT3 * 480)  # all its steps, whatever is in
    assert found.of["C1"].decision.of("nec.cap").entered.limit == pytest.approx(1.35 * i_c)
    iec = in_all_states(network_of([{**MAIN, "v_nominal_kv": 0.48}, *SOURCE[1:], *way(1, "Main", 225.0, 107.2, 30.0, bank, method="C", insulation="XLPE")]))[0][
        0
    ]
    assert iec.of["C1"].circuit.i_b_a == pytest.approx(1.43 * i_c)
    unit = {"kind": "synchronous_generator", "name": "G2", "s_rated_mva": 0.3, "v_rated_kv": 0.48, "power_factor_rated": 0.8, "xd2_pct": 13.0, "p_mw": 0.1,
            "mode": "power", "q_mvar": 0.0}  # fmt: skip
    one = sizing([*SOURCE, *way(1, "Main", 400.0, 253.35, 30.0, unit)]).of["C1"]
    assert one.circuit.purpose == "generator cable"
    assert one.decision.of("nec.gen").entered.limit == pytest.approx(1.15 * 300e3 / (SQRT3 * 480))


def test_a_larger_conductor_for_the_voltage_asks_for_a_larger_ground():
    one = sizing([*SOURCE, *way(1, "Main", 60.0, 21.2, 900.0, load("E", 20, 8), terminal_degc=75)]).of["C1"]
    assert one.decision.deciding == ("nec.drop",)
    base = next(a.alone.size for a in one.decision.applied if a.rule.id == "nec.protect")
    ground = parts(one)["protective conductor"]
    assert "enlarged" in ground.note
    assert (base.label, one.decision.required.size.label) == ("6 AWG", "4 AWG")
    assert ground.required == "6 AWG"  # 10 380·41 740/26 240 = 16 511.6 cmil, of which 8 AWG lacks two
    assert "8 AWG nearly does" in ground.note


def test_a_transformer_with_secondary_conductors():
    hv = [{"kind": "bus", "name": "Main", "v_nominal_kv": 0.48}, SOURCE[1], end("h", 0.48), breaker("Q1", "Main", "h", 175.0), end("l", 0.208), end("m", 0.208),
          {"kind": "transformer", "name": "T", "hv_bus": "h", "lv_bus": "l", "s_rated_mva": 0.1125, "v_hv_kv": 0.48, "v_lv_kv": 0.208, "vector_group": "Dyn1",
           "uk_pct": 5.0, "ur_pct": 2.0, "neutral_lv": "solid", "z0_over_z1": 0.95,
           "harmonics": [{"order": 5, "pct": 17.5}, {"order": 7, "pct": 11.0}], "eddy_pct": 10.0}]  # fmt: skip
    lv = [conductor("C", "l", "m", 304.0, 25.0), {"kind": "bus", "name": "Panel", "v_nominal_kv": 0.208, "bus_kind": "panel"},
          breaker("Q2", "m", "Panel", 400.0), {"kind": "load", "name": "E", "bus": "Panel", "p_mw": 0.08, "q_mvar": 0.02}]  # fmt: skip
    found = sizing([*hv, *lv])
    one = found.of["C"]
    held = one.decision.of("nec.secondary").entered
    assert held.limit == 400.0
    assert held.value == 420.0  # 600 kcmil at 75 °C
    assert one.circuit.primary_a == pytest.approx(175 * 0.48 / 0.208)
    assert parts(one)["secondary length"].ok
    of = {p.quantity: p for p in next(e for e in found.equipment if e.name == "T").parts}
    assert of["device, primary"].ok
    assert of["device, secondary"].required == 400.0
    assert of["electrode conductor"].required == "1/0 AWG"
    left = math.sqrt((1 + 0.1) / (1 + 0.1 * (1 + 25 * 0.175**2 + 49 * 0.11**2) / (1 + 0.175**2 + 0.11**2)))
    assert of["rated power"].required == pytest.approx(1000 * abs(complex(0.08, 0.02)) / left, rel=0.04)  # with what is lost on the way
    long = sizing([*hv, {**lv[0], "length_m": 12.0}, *lv[1:]]).of["C"]
    assert not parts(long)["secondary length"].ok
