"""The rarer kinds by hand: what each carries in load flow and brings into a fault."""

import math

import numpy as np
import pytest
from tests.conftest import BUS_A, BUS_B, BUS_C, CABLE, INFEED, LOAD, network_of

from northfell.app.results.studies import StateResults
from northfell.core.errors import CannotRun, NetworkRefused
from northfell.core.model.changes import Change, Set, Switch, apply_change
from northfell.core.model.elements import KINDS
from northfell.core.model.network import OperatingState
from northfell.core.network.impedance import delta_of_pairs
from northfell.core.rules.typical import typical_for_missing
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.core.studies.short_circuit import SHORT_CIRCUIT, explain_fault

THREE = {
    "kind": "three_winding_transformer", "name": "T", "hv_bus": "A", "mv_bus": "M", "lv_bus": "L", "s_hv_mva": 10.0, "s_mv_mva": 10.0, "s_lv_mva": 5.0,
    "v_hv_kv": 11.0, "v_mv_kv": 6.0, "v_lv_kv": 0.4, "vector_group": "Yd11y0", "uk_hv_mv_pct": 8.0, "uk_hv_lv_pct": 6.0, "uk_mv_lv_pct": 5.0,
    "ur_hv_mv_pct": 0.0, "ur_hv_lv_pct": 0.0, "ur_mv_lv_pct": 0.0,
}  # fmt: skip
BUSES_ML = [{"kind": "bus", "name": "M", "v_nominal_kv": 6.0}, {"kind": "bus", "name": "L", "v_nominal_kv": 0.4}]


def results(*elements, states=(), **project):
    return StateResults(network_of([BUS_A, INFEED, *elements], states, **project), "Normal")


def fault(one, bus, case="max"):
    study = one.result(SHORT_CIRCUIT)
    return float(study.cases[case].ik_ka[study.net.topology.bus_index[bus]])


# --- three windings


def test_delta_has_the_pair_impedances_between_its_terminals():
    """With the third terminal open, what stands between two terminals of the delta is their pair impedance again."""
    pairs = (0.01 + 0.08j, 0.02 + 0.12j, 0.012 + 0.05j)
    ab, ac, bc = delta_of_pairs(*pairs)

    def parallel(direct: complex, a: complex, b: complex) -> complex:
        return 1 / (1 / direct + 1 / (a + b))

    assert parallel(ab, ac, bc) == pytest.approx(pairs[0])
    assert parallel(ac, ab, bc) == pytest.approx(pairs[1])
    assert parallel(bc, ab, ac) == pytest.approx(pairs[2])


def test_a_leg_of_zero_puts_the_star_point_on_its_terminal():
    ab, ac, bc = delta_of_pairs(0.08j, 0.03j, 0.05j)  # the star point is C: AB goes through it
    assert abs(ab) > 1e6
    assert (ac, bc) == (pytest.approx(0.03j), pytest.approx(0.05j))


def test_a_load_on_one_side_sees_its_pair_and_turns_with_the_clock():
    one = results(*BUSES_ML, THREE, {**LOAD, "bus": "M", "p_mw": 5.0, "q_mvar": 0.0})
    flow = one.result(LOAD_FLOW)
    at = flow.net.topology.bus_index
    v = complex(flow.v[at["M"]]) * np.exp(-1j * math.pi / 6)  # clock 11: the medium side leads by 30 degrees
    assert v * (np.conj(1 - v) / np.conj(0.08j)) == pytest.approx(0.5, abs=1e-6)  # S = V·conj((1 − V)/Z) on 10 MVA
    star = 1 - 0.05j * np.conj(0.5 / v)  # ZA = (0.08 + 0.12 - 0.10)/2 on 10 MVA; the open side has the voltage of the star point
    assert abs(complex(flow.v[at["L"]])) == pytest.approx(abs(star), abs=1e-6)
    power = flow.terminal_power["T"]
    assert power[1].real == pytest.approx(-5.0, abs=1e-5)
    assert power[2] == pytest.approx(0, abs=1e-5)
    assert flow.loading(flow.net.elements["T"]).pct == pytest.approx(100 * abs(power[0]) / 10, rel=1e-9)
    assert flow.loading(flow.net.elements["T"]).terminal == "hv_bus"


def test_a_fault_behind_a_pair_takes_the_pairs_own_factor():
    one = results(*BUSES_ML, THREE, {**INFEED, "name": "G2"})
    c, x = 1.1, 0.08
    kt = 0.95 * c / (1 + 0.6 * x)
    z = kt * x * 6.0**2 / 10 * 1j
    z_q = c * 11 / (math.sqrt(3) * 20.0) * (6.0 / 11.0) ** 2  # two infeeds side by side
    x_q = z_q / math.sqrt(1.01)
    assert fault(one, "M") == pytest.approx(c * 6 / (math.sqrt(3) * abs(z + complex(0.1 * x_q, x_q))), rel=1e-6)


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"v_mv_kv": 60.0}, "v_mv_kv is 60"), ({"ur_hv_lv_pct": 7.0}, "at most uk_hv_lv_pct"),
        ({"no_load_loss_kw": 100.0, "no_load_current_pct": 0.5}, "no_load_loss_kw alone asks for 1 %"),
    ],
)  # fmt: skip
def test_nameplates_that_contradict_themselves(change, told):
    with pytest.raises(CannotRun, match=told):
        results(*BUSES_ML, {**THREE, **change}).result(LOAD_FLOW)


# --- what follows the network, and what forms it


PV = {"kind": "inverter", "name": "PV", "bus": "B", "s_rated_mva": 2.0, "ik_over_ir": 1.2, "p_mw": 1.5}


def test_an_inverter_delivers_by_its_mode_and_does_not_keep_an_island_alive():
    flow = results(BUS_B, CABLE, {**PV, "power_factor_set": 0.95}).result(LOAD_FLOW)
    assert flow.terminal_power["PV"][0] == pytest.approx(-1.5 * (1 + 1j * math.tan(math.acos(0.95))))
    alone = results(BUS_B, {**LOAD, "bus": "B"}, PV)
    assert not alone.energised["B"]
    assert alone.result(LOAD_FLOW).totals["generation_mw"] == pytest.approx(0, abs=1e-9)
    formed = results(BUS_B, {**LOAD, "bus": "B"}, {**PV, "mode": "reference"})
    assert formed.energised["B"]
    assert formed.result(LOAD_FLOW).terminal_power["PV"][0].real == pytest.approx(-2.0, abs=1e-6)
    assert "fed by inverters alone" in formed.result(SHORT_CIRCUIT).messages[0]
    assert np.isnan(formed.result(SHORT_CIRCUIT).cases["max"].ik_ka[formed.result(SHORT_CIRCUIT).net.topology.bus_index["B"]])


def test_an_inverter_adds_its_current_and_nothing_in_the_minimum_case():
    without, with_it = results(BUS_B, CABLE), results(BUS_B, CABLE, PV)
    added = 1.2 * 2.0 / (math.sqrt(3) * 11)
    assert fault(with_it, "B") == pytest.approx(fault(without, "B") + added)
    assert fault(with_it, "B", "min") == pytest.approx(fault(without, "B", "min"))
    # nothing but the cable stands between it and the infeed's bus: all of it arrives there too
    assert fault(with_it, "A") == pytest.approx(fault(without, "A") + added)
    study = with_it.result(SHORT_CIRCUIT)
    peak = study.cases["max"]
    assert peak.ip_ka[1] == pytest.approx(math.sqrt(2) * (peak.kappa[1] * fault(without, "B") + added))


@pytest.mark.parametrize("quantity", ["ik_ka", "ip_ka"])
def test_the_working_of_every_kind_ends_at_the_figure_of_the_table(quantity):
    rated = {"p_rated_kw": 400.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.9}
    study = results(
        BUS_B, BUS_C, CABLE, PV, *BUSES_ML, THREE,
        {"kind": "series_reactor", "name": "R", "from_bus": "B", "to_bus": "C", "i_rated_a": 400.0, "uk_pct": 6.0, "r_over_x": 0.03},
        {"kind": "synchronous_motor", "name": "MS", "bus": "B", **rated, "xd2_pct": 16.0, "r_stator_ohm": 0.5, "count": 2},
        {"kind": "induction_motor", "name": "MR", "bus": "C", **rated, "ilr_over_ir": 5.0, "r_over_x": 0.15, "starter": "regenerative drive"},
        {"kind": "load", "name": "E", "bus": "M", "p_mw": 1.0, "q_mvar": 0.4, "motor_share_pct": 50.0},
    ).result(SHORT_CIRCUIT)  # fmt: skip
    for case in ("max", "min"):
        for bus in study.fed_buses():
            made = explain_fault(study, bus, case, quantity)
            assert made.result == pytest.approx(float(getattr(study.cases[case], quantity)[bus]), rel=1e-12)
    at = study.net.topology.bus_index
    told = explain_fault(study, at["B"], "max", quantity).to_text() + explain_fault(study, at["M"], "max", quantity).to_text()
    for word in ("Added by full converters", "synchronous motors as generators", "Series reactor R", "regenerative drives", "three-winding transformers"):
        assert word in told


# --- motors, loads, banks


MOTOR = {
    "kind": "induction_motor", "name": "M1", "bus": "A", "p_rated_kw": 900.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.87,
    "ilr_over_ir": 5.0, "r_over_x": 0.15,
}  # fmt: skip


def test_what_brings_current_into_a_fault_goes_by_the_starter():
    base = fault(results(), "A")
    brought = {s: fault(results({**MOTOR, "starter": s}), "A") - base for s in ("direct", "soft starter", "drive", "regenerative drive")}
    assert brought["direct"] == pytest.approx(brought["soft starter"])
    assert brought["drive"] == pytest.approx(0, abs=1e-12)
    assert 0.5 * brought["direct"] < brought["regenerative drive"] < 0.7 * brought["direct"]  # 3 in place of 5 times rated


def test_the_motor_share_of_a_load_is_a_motor_of_that_power():
    motor_kva = 0.6 * math.hypot(2.0, 1.0)
    as_motor = {**MOTOR, "p_rated_kw": 1000 * motor_kva, "efficiency_pct": 100.0, "power_factor": 1.0, "r_over_x": 0.42}
    mixed = {**LOAD, "bus": "A", "motor_share_pct": 60.0}
    assert fault(results(mixed), "A") == pytest.approx(fault(results(as_motor), "A"))
    assert fault(results({**LOAD, "bus": "A"}), "A") == pytest.approx(10.0)
    low = {**INFEED, "v_set_pu": 0.9}
    flow = StateResults(network_of([BUS_A, low, {**mixed, "characteristic": "impedance"}]), "Normal").result(LOAD_FLOW)
    assert flow.totals["load_mw"] == pytest.approx(2.0 * (0.6 + 0.4 * 0.81))


def test_a_synchronous_motor_gives_reactive_power_when_overexcited():
    motor = {**{k: v for k, v in MOTOR.items() if k not in ("ilr_over_ir", "r_over_x")}, "kind": "synchronous_motor", "xd2_pct": 15.0, "r_stator_ohm": 0.4}
    over, under = (results({**motor, "excitation": how}).result(LOAD_FLOW).terminal_power["M1"][0] for how in ("overexcited", "underexcited"))
    assert over.real == pytest.approx(0.9 / 0.95)
    assert over == pytest.approx(under.conjugate())
    assert over.imag < 0


def test_a_bank_counts_the_steps_of_the_state():
    bank = {"kind": "capacitor_bank", "name": "C", "bus": "A", "q_step_mvar": 0.3, "steps": 4, "loss_pct": 1.0}
    night = OperatingState(name="Night", differences={"C": {"steps_in": 1}})
    network = network_of([BUS_A, INFEED, bank], [night])
    drawn = [StateResults(network, state).result(LOAD_FLOW).terminal_power["C"][0] for state in ("Normal", "Night")]
    assert drawn == [pytest.approx(0.012 - 1.2j), pytest.approx(0.003 - 0.3j)]
    with pytest.raises(NetworkRefused, match="at most its 4 steps"):
        apply_change(network, Change("", (Switch(state="Night", id="C", values={"steps_in": 5}),)))
    with pytest.raises(NetworkRefused, match="at most its 3 steps"):
        apply_change(network, Change("", (Set(id="C", values={"steps": 3, "steps_in": 4}),)))


def test_a_reactor_in_series_and_one_to_earth():
    series = {"kind": "series_reactor", "name": "R", "from_bus": "A", "to_bus": "B", "i_rated_a": 400.0, "uk_pct": 6.0, "r_over_x": 0.0}
    x = 0.06 * 11 / (math.sqrt(3) * 0.4)
    z_q = 1.1 * 11 / (math.sqrt(3) * 10)
    x_q = z_q / math.sqrt(1.01)
    one = results(BUS_B, series)
    assert fault(one, "B") == pytest.approx(1.1 * 11 / (math.sqrt(3) * abs(complex(0.1 * x_q, x_q + x))))
    assert one.result(LOAD_FLOW).loading(one.elements["R"]).rating == 400
    earth = results({"kind": "shunt_reactor", "name": "R", "bus": "A", "q_mvar": 2.0, "loss_pct": 0.5}).result(LOAD_FLOW)
    assert earth.terminal_power["R"][0] == pytest.approx(0.01 + 2j)


def test_a_changeover_switch_feeds_from_one_side_or_none():
    over = {"kind": "changeover", "name": "Q", "bus": "C", "first_bus": "A", "second_bus": "B"}
    for position, fed in (("first", True), ("second", False), ("off", False)):
        one = results(BUS_B, BUS_C, {**over, "position": position}, {**LOAD, "bus": "C"})
        assert one.energised["C"] is fed
        flow = one.result(LOAD_FLOW)
        assert flow.totals["load_mw"] == pytest.approx(2.0 if fed else 0.0, abs=1e-9)
        if fed:
            assert flow.terminal_power["Q"] == [pytest.approx(-(2 + 1j)), pytest.approx(2 + 1j), 0]


def test_instrument_and_earthing_transformers_change_no_figure():
    more = [
        {"kind": "voltage_transformer", "name": "BV", "bus": "B"}, {"kind": "current_transformer", "name": "BA", "measures": "W", "i_primary_a": 300.0},
        {"kind": "earthing_transformer", "name": "TE", "bus": "B", "neutral": "resistor", "neutral_ohm": 16.0},
    ]  # fmt: skip
    bare, dressed = results(BUS_B, CABLE, LOAD), results(BUS_B, CABLE, LOAD, *more)
    assert dressed.result(LOAD_FLOW).totals == bare.result(LOAD_FLOW).totals
    assert fault(dressed, "B") == fault(bare, "B")


def test_typical_values_of_the_rarer_kinds_name_their_source():
    bare = {
        "inverter": {"bus": "A", "s_rated_mva": 1.0, "p_mw": 0.5}, "series_reactor": {"from_bus": "A", "to_bus": "B", "i_rated_a": 400.0, "uk_pct": 6.0},
        "synchronous_motor": {"bus": "A", "p_rated_kw": 900.0, "v_rated_kv": 11.0}, "line": {"from_bus": "A", "to_bus": "B", "length_m": 1.0},
        "three_winding_transformer": {k: v for k, v in THREE.items() if not k.startswith(("kind", "name", "ur_", "vector"))},
        "autotransformer": {"hv_bus": "A", "lv_bus": "M", "s_rated_mva": 5.0, "v_hv_kv": 11.0, "v_lv_kv": 6.0, "uk_pct": 6.0},
    }  # fmt: skip
    wanted = {
        "inverter": {"ik_over_ir"}, "series_reactor": {"r_over_x"}, "synchronous_motor": {"efficiency_pct", "power_factor", "xd2_pct", "r_stator_ohm"},
        "line": {"x_ohm_per_km", "t_end_degc", "x0_ohm_per_km", "c0_uf_per_km"},
        "three_winding_transformer": {"vector_group", "ur_hv_mv_pct", "ur_hv_lv_pct", "ur_mv_lv_pct"},
        "autotransformer": {"vector_group", "ur_pct", "z0_over_z1"},
    }  # fmt: skip
    for kind, values in bare.items():
        network = network_of([BUS_A, BUS_B, *BUSES_ML, {"kind": kind, "name": "x", **values}])
        found = typical_for_missing(network.elements, network.elements["x"])
        assert set(found) == wanted[kind], kind
        assert all(one.source for one in found.values())


def test_every_kind_says_its_letter_and_title():
    for kind, cls in KINDS.items():
        assert cls.LETTER, kind
        assert cls.TITLE[0].isupper()
        assert (cls.TERMINALS == ()) == (kind == "bus" or bool(cls.HELD_BY))
