"""Questions about a solved state: why, what helps, what if an element fails, what if a motor starts, how a figure came about."""

import math

import numpy as np
import pytest
from hypothesis import given
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, LOAD, network_of
from tests.core.random_networks import networks

from northfell.app.results.studies import StateResults
from northfell.core.errors import CannotRun
from northfell.core.model.changes import apply_completed
from northfell.core.model.elements import Bus
from northfell.core.model.network import OperatingState
from northfell.core.network import compile_network
from northfell.core.quantities import MINUS
from northfell.core.studies import load_flow
from northfell.core.studies.load_flow import LOAD_FLOW, stages_of
from northfell.core.studies.load_flow.motor_start import drawn_at_start, start
from northfell.core.studies.load_flow.outages import each_out
from northfell.core.studies.load_flow.path import path_to_source
from northfell.core.studies.load_flow.remedies import remedies
from northfell.core.studies.load_flow.solve import case_at
from northfell.core.studies.load_flow.why import cause_of
from northfell.core.studies.load_flow.working import explain_flow
from northfell.core.verdicts import findings_of

LV = {"kind": "bus", "name": "L", "v_nominal_kv": 0.4}
TX = {
    "kind": "transformer", "name": "T", "hv_bus": "B", "lv_bus": "L", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 6.0, "ur_pct": 1.0,
    "vector_group": "Dyn11", "load_loss_kw": 10.0,
}  # fmt: skip
HEAVY = {"kind": "load", "name": "EL", "bus": "L", "p_mw": 0.8, "q_mvar": 0.75}
MOTOR = {"kind": "induction_motor", "name": "M", "bus": "L", "p_rated_kw": 110.0, "v_rated_kv": 0.4, "efficiency_pct": 94.0, "power_factor": 0.86,
         "ilr_over_ir": 6.0, "r_over_x": 0.42}  # fmt: skip
OVERLOADED = [BUS_A, BUS_B, LV, INFEED, CABLE, TX, HEAVY]


def solved(elements, state="Normal", **project):
    network = network_of(elements, **project)
    return network, load_flow.run(compile_network(network, state))


# ---- why


def test_the_cause_of_a_loading_is_the_same_whichever_way_round_a_branch_is_drawn():
    """A cable drawn from the load to the source: its power leaves at its first terminal, and is told as what it carries."""
    rated = {**CABLE, "i_rated_a": 60.0}
    causes = []
    for cable in (rated, {**rated, "from_bus": rated["to_bus"], "to_bus": rated["from_bus"]}):
        network, flow = solved([BUS_A, BUS_B, INFEED, cable, {**LOAD, "p_mw": 1.0, "q_mvar": 0.5}])
        causes.append(cause_of(flow, case_at(flow), network.elements["W"]))
    there, back = causes
    assert (there.p_mw > 0, there.q_mvar > 0, there.terminal, back.terminal) == (True, True, "from_bus", "from_bus")
    assert (back.p_mw, back.q_mvar) == (pytest.approx(1.0), pytest.approx(0.5))  # at the load's end, which is its first
    assert there.rating_pct == pytest.approx(back.rating_pct)
    assert [b.element.name for b in back.bringers] == ["E"]
    assert back.bringers[0].q_mvar == pytest.approx(0.5, rel=1e-6)


@pytest.mark.parametrize("source", [{}, {"flow_model": "behind impedance", "ik_max_ka": 1.0, "ik_min_ka": 0.8}])
def test_cause_of_an_overload_by_sensitivities_and_by_trial(source):
    """The part a load brings is what the reactive flow would change by without its reactive power; checked by a small change of it."""
    overloaded = [{**e, **source} if e is INFEED else e for e in OVERLOADED]
    network, flow = solved([*overloaded, {**HEAVY, "name": "EM", "bus": "L", "p_mw": 0.05, "q_mvar": 0.2}])
    t = network.elements["T"]
    cause = cause_of(flow, case_at(flow), t)
    assert cause.rating_pct > 100 > cause.without_q_pct
    assert cause.without_q_pct == pytest.approx(cause.rating_pct * cause.p_mw / math.hypot(cause.p_mw, cause.q_mvar))
    assert cause.q_mvar == pytest.approx(sum(b.q_mvar for b in cause.bringers) + cause.rest_mvar)
    assert [b.element.name for b in cause.bringers] == ["EL", "EM"]
    step = 1e-4
    _, more = solved([*overloaded[:-1], {**HEAVY, "q_mvar": 0.75 + step}, {**HEAVY, "name": "EM", "p_mw": 0.05, "q_mvar": 0.2}])
    slope = (more.terminal_power["T"][0].imag - flow.terminal_power["T"][0].imag) / step
    assert cause.bringers[0].q_mvar == pytest.approx(slope * 0.75, rel=1e-3)


def test_remedies_are_solved_and_the_network_keeps_none_of_them():
    network, flow = solved(OVERLOADED)
    before = dict(network.elements)
    found = remedies(network, flow, network.elements["T"])
    assert network.elements == before
    kinds = {r.kind for r in found}
    assert {"capacitor", "second unit", "larger unit"} <= kinds
    for r in found:
        after = load_flow.run(compile_network(apply_completed(network, r.change)[0], "Normal"))
        assert after.loading(after.net.elements["T"]).pct == pytest.approx(r.after)
        assert r.cures == (r.after <= 100)
    assert [r.cures for r in found] == sorted((r.cures for r in found), reverse=True)
    larger = next(r for r in found if r.kind == "larger unit")
    assert larger.change.acts[0].values["s_rated_mva"] in (1.25, 1.6)
    assert larger.change.acts[0].values["load_loss_kw"] == pytest.approx(10 * larger.change.acts[0].values["s_rated_mva"])


def test_a_larger_cable_is_one_of_the_same_sizes_and_build():
    cable = {**CABLE, "conductor": "copper", "insulation": "XLPE", "cores": "4", "area_mm2": 50.0, "v_insulation_kv": 1.0, "i_rated_a": 100.0, "length_m": 30.0}
    low = [{**b, "v_nominal_kv": 0.4} for b in (BUS_A, BUS_B)]
    network, flow = solved([*low, INFEED, cable, {**LOAD, "p_mw": 0.08, "q_mvar": 0.02}])
    larger = next(r for r in remedies(network, flow, network.elements["W"]) if r.kind == "larger unit")
    (act,) = larger.change.acts
    assert act.values["area_mm2"] in (70.0, 95.0, 120.0, 150.0)
    assert (act.values["conductor"], act.values["insulation"], act.values["cores"]) == ("copper", "XLPE", "4")
    assert act.origins["i_rated_a"].startswith("catalogue: ")
    assert larger.cures


def test_a_voltage_is_mended_in_its_own_direction():
    """Only taps and set points that move it the right way are tried: fewer turns of the high-voltage side raise the low one."""
    tapped = {**TX, "tap_step_pct": 2.5, "tap_lowest_pct": -5.0, "tap_highest_pct": 5.0}
    for p_mw, factor, signs in ((0.8, -1, {MINUS}), (0.0, 1, {"+"})):
        v_set = 1.0 if p_mw else 1.12
        network, flow = solved([BUS_A, BUS_B, LV, {**INFEED, "v_set_pu": v_set}, CABLE, tapped, {**HEAVY, "p_mw": p_mw, "q_mvar": p_mw}])
        found = [r for r in remedies(network, flow, network.elements["L"]) if r.kind in ("tap", "set point")]
        assert {r.title.split("at ")[1][0] for r in found if r.kind == "tap"} == signs
        assert len({r.kind for r in found}) == 2
        assert all((r.after - r.before) * factor < 0 for r in found)


def test_remedies_for_a_low_voltage_and_a_switch_that_helps():
    far = [{**CABLE, "length_m": 7000.0}, {**CABLE, "name": "W2", "to_bus": "C", "length_m": 7000.0}, {**BUS_B, "name": "C"}]
    tie = {"kind": "breaker", "name": "Q", "from_bus": "B", "to_bus": "C", "closed": False}
    network, flow = solved([BUS_A, BUS_B, far[2], INFEED, far[0], far[1], tie, {**LOAD, "p_mw": 5.0, "q_mvar": 2.0}])
    assert abs(flow.voltage("B")) < 0.94
    found = remedies(network, flow, network.elements["B"])
    close = next(r for r in found if r.title == "Close Q")
    assert close.cures
    assert not close.costs
    assert {"set point", "capacitor", "second unit"} <= {r.kind for r in found}
    assert all(r.after > r.before for r in found)
    assert [leg.element.name for leg in path_to_source(flow, "B")] == ["W"]
    assert sum(leg.drop_pct for leg in path_to_source(flow, "B")) == pytest.approx(100 * (1 - abs(flow.voltage("B"))))


# ---- elements out


def test_each_element_out_says_what_is_worst_and_who_is_lost():
    twin = [{**CABLE, "i_rated_a": 130.0, "i_emergency_a": 160.0}, {**CABLE, "name": "W2", "i_rated_a": 130.0}]
    network = network_of([BUS_A, BUS_B, LV, INFEED, *twin, TX, LOAD, {**HEAVY, "p_mw": 0.1, "q_mvar": 0.05}])
    by_name = {o.element.name: o for o in each_out(network, "Normal")}
    assert set(by_name) == {"G", "W", "W2", "T"}
    assert "no infeed" in by_name["G"].outcome
    assert by_name["T"].not_fed == ("EL",)
    assert by_name["T"].lost_mw == pytest.approx(0.1)
    out = {**{e.id: e for e in network.elements.values()}, "W2": network.elements["W2"].model_copy(update={"in_service": False})}
    alone = load_flow.run(compile_network(network, "Normal", elements=out))
    assert by_name["W2"].loaded == "W"
    assert by_name["W2"].loading_pct == pytest.approx(alone.loading(alone.net.elements["W"]).pct * 130 / 160)
    assert by_name["W2"].rating_basis == "emergency capacity"
    assert by_name["W"].rating_basis == "current-carrying capacity"
    assert network.elements["W2"].in_service


def test_ratings_by_cooling_stage():
    fans = {**TX, "cooling": "ONAN/ONAF", "s_forced_mva": 1.25, "s_emergency_mva": 1.4}
    _, flow = solved([*OVERLOADED[:-2], fans, HEAVY])
    t = flow.net.elements["T"]
    assert [(r.value, r.basis) for r in stages_of(t)] == [(1.0, "rated power, ONAN"), (1.25, "rated power with fans, ONAF"), (1.4, "emergency rating")]
    natural = flow.loading(t)
    _, flow = solved([*OVERLOADED[:-2], {**fans, "fans_run": True}, HEAVY])
    assert flow.loading(flow.net.elements["T"]).pct == pytest.approx(natural.pct / 1.25)
    assert flow.loading(flow.net.elements["T"], emergency=True).pct == pytest.approx(natural.pct / 1.4)


def test_margins_of_a_kind_of_equipment_go_before_the_general_ones():
    network, flow = solved([BUS_A, BUS_B, INFEED, {**CABLE, "i_rated_a": 150.0}, LOAD])
    pct = flow.loading(flow.net.elements["W"]).pct
    assert 70 < pct < 90
    limits = network.settings.limits

    def found(**own):
        return [(f.severity, f.limit) for f in findings_of("load_flow", flow, limits.model_copy(update=own)) if f.check == "loading"]

    assert found() == []
    assert found(transformer_breach_pct=50.0) == []
    assert found(conductor_breach_pct=70.0) == [("breach", 70.0)]
    assert found(conductor_close_pct=70.0) == [("close", 100.0)]


def test_bars_carry_what_is_brought_into_the_bus():
    _, flow = solved([BUS_A, {**BUS_B, "i_rated_a": 200.0}, INFEED, CABLE, LOAD])
    one = flow.loading(flow.net.elements["B"])
    assert one.carries == pytest.approx(flow.current_a(flow.net.elements["W"])[1])
    assert one.pct == pytest.approx(one.carries / 2)


# ---- motor start


@pytest.mark.parametrize(
    ("starter", "share", "exponent"),
    [({}, 1.0, 2), ({"starter": "star-delta"}, 1 / 3, 2), ({"starter": "autotransformer", "start_tap_pct": 65.0}, 0.65**2, 2),
     ({"starter": "soft starter", "start_current": 3.0}, 0.5, 1)],
)  # fmt: skip
def test_motor_start_behind_an_impedance(starter, share, exponent):
    """Infeed behind its impedance feeds the motor alone: divider of two impedances, or for constant current its drop, by hand."""
    bus = {"kind": "bus", "name": "L", "v_nominal_kv": 0.4}
    infeed = {**INFEED, "bus": "L", "flow_model": "behind impedance", "ik_max_ka": 12.0}
    network = network_of([bus, infeed, {**MOTOR, **starter, "duty": "standby"}])
    network = network.model_copy(update={"elements": {**network.elements, "M": network.elements["M"].model_copy(update={"duty": "continuous"})}})
    one = start(compile_network(network, "Normal"), "M")
    s_rated = 0.110 / 0.94 / 0.86
    assert abs(one.drawn.s_mva) == pytest.approx(s_rated * 6 * share)
    assert one.drawn.exponent == exponent
    z_grid = 0.4 / math.sqrt(3) / 12 * complex(0.1, 1) / abs(complex(0.1, 1))
    if exponent == 2:
        z_motor = 0.4**2 / np.conj(one.drawn.s_mva)
        expected = abs(z_motor / (z_motor + z_grid))
    else:
        i = abs(one.drawn.s_mva) / math.sqrt(3) / 0.4
        angle = math.acos(one.drawn.s_mva.real / abs(one.drawn.s_mva))
        drop = math.sqrt(3) * z_grid * i * np.exp(-1j * angle) / 0.4
        expected = math.sqrt(1 - drop.imag**2) - drop.real  # |U| with U as reference of angle
    assert one.terminal_pct == pytest.approx(100 * expected, abs=1e-4)
    assert abs(one.before.voltage("L")) == pytest.approx(1)  # before it starts it draws nothing


def test_limits_of_a_start_and_one_of_several_motors():
    network = network_of([BUS_A, BUS_B, LV, INFEED, CABLE, TX, {**MOTOR, "count": 3}, {**HEAVY, "p_mw": 0.3, "q_mvar": 0.1}])
    one = start(compile_network(network, "Normal"), "M")
    run = load_flow.run(compile_network(network, "Normal"))
    assert one.before.s_motor[0] == pytest.approx(run.s_motor[0] * 2 / 3)  # two of three run on
    told = one.accepted(network.settings.limits.model_copy(update={"start_voltage_pct": 99.0, "start_dip_pct": 0.1}))
    assert "accepted is 99 % or more" in told[0]
    assert "accepted is at most 0.1 %" in told[1]
    assert one.accepted(network.settings.limits.model_copy(update={"start_voltage_pct": 60.0, "start_dip_pct": 40.0})) == []
    with pytest.raises(CannotRun, match="is no motor"):
        start(compile_network(network, "Normal"), "EL")
    bare = network_of([BUS_A, INFEED, {**MOTOR, "bus": "A", "v_rated_kv": 11.0, "ilr_over_ir": None}])
    with pytest.raises(CannotRun, match="ilr_over_ir is empty"):
        start(compile_network(bare, "Normal"), "M")
    drive = drawn_at_start(network_of([BUS_A, INFEED, {**MOTOR, "bus": "A", "starter": "drive"}]).elements["M"])
    assert drive.s_mva == pytest.approx(0.110 / 0.94)


# ---- working


@given(networks(shift=True))
def test_working_derives_every_figure_again(network):
    flow = load_flow.run(compile_network(network, "Normal"))
    for e in flow.net.elements.values():
        if isinstance(e, Bus) and np.isfinite(flow.voltage(e.id)):
            w = explain_flow(flow, e, "v_pu")
            assert w.result == pytest.approx(abs(flow.voltage(e.id)))
            assert abs(next(s.value for s in w.steps if s.symbol == "Σ S")) < 2e-6
        elif (power := flow.terminal_power.get(e.id)) and np.isfinite(power[0]):
            assert explain_flow(flow, e, "flow").result == pytest.approx(abs(power[0]), abs=1e-9)
            if flow.loading(e).pct is not None:
                assert explain_flow(flow, e, "loading_pct").result == pytest.approx(flow.loading(e).pct)


def test_a_factor_on_generation_scales_what_the_set_points_give():
    """Half the active power, and the reactive power that goes with it: by power factor, and by a set point of its own."""
    solar = {"kind": "inverter", "name": "S", "bus": "B", "p_mw": 1.0, "s_rated_mva": 2.0}
    half = [OperatingState(name="Half", generation_factors={"": 0.5})]
    by_factor = {**solar, "mode": "power factor", "power_factor_set": 0.8, "excitation_set": "overexcited"}
    by_power = {**solar, "mode": "power", "q_mvar": 0.4}
    for inverter, q in ((by_factor, 0.75), (by_power, 0.4)):
        network = network_of([BUS_A, BUS_B, INFEED, CABLE, inverter], half)
        for state, factor in (("Normal", 1.0), ("Half", 0.5)):
            s = -StateResults(network, state).result(LOAD_FLOW).terminal_power["S"][0]
            assert s == pytest.approx(factor * complex(1.0, q), abs=1e-9)


def test_ratings_of_units_in_parallel_are_those_of_all_of_them():
    given = {**TX, "parallel": 3, "cooling": "ONAN/ONAF", "s_forced_mva": 1.25, "s_emergency_mva": 1.4}
    t = network_of([BUS_B, {"kind": "bus", "name": "L", "v_nominal_kv": 0.4}, given]).elements["T"]
    assert [r.value for r in stages_of(t)] == [pytest.approx(3.0), pytest.approx(3.75), pytest.approx(4.2)]
