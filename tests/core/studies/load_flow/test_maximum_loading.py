"""Maximum loading: the nose in closed form, with reactive limits, with loads that follow the voltage, by part of the network."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import BUS_A, BUS_B, BUS_C, INFEED, LOAD, network_of

from northfell.app.results.studies import StateResults
from northfell.core.errors import CannotRun
from northfell.core.network import compile_network
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.core.studies.load_flow.maximum import curve_table, maximum_loading, maximum_table

X = 0.1  # p.u. on 100 MVA


def line(name="Z", a="A", b="B", x=X, r=0.0):
    return {"kind": "equivalent_branch", "name": name, "from_bus": a, "to_bus": b, "r_pu": r, "x_pu": x}


def found_in(elements, of="", **settings):
    network = network_of(elements)
    used = network.settings.of_study("load_flow").model_copy(update=settings)
    network = network.model_copy(update={"settings": network.settings.model_copy(update={"load_flow": used})})
    return maximum_loading(compile_network(network, "Normal"), of)


@given(st.floats(0.02, 0.3), st.floats(0.0, 0.08), st.floats(0.75, 1.0), st.floats(0.9, 1.1), st.floats(10, 60))
def test_the_nose_of_two_buses_in_closed_form(x, r, pf, u, p_mw):
    """Load P(1 + j tanφ) behind R + jX at U: the discriminant of U2⁴ + (2(RP + XQ) − U²)U2² + Z²S² vanishes at the most."""
    tan = math.tan(math.acos(pf))
    (most,) = found_in([BUS_A, BUS_B, {**INFEED, "v_set_pu": u}, line(x=x, r=r), {**LOAD, "p_mw": p_mw, "q_mvar": p_mw * tan}])
    z2, along, s2 = r**2 + x**2, r + x * tan, 1 + tan**2
    p_max = u**2 / (2 * (along + math.sqrt(z2 * s2))) * 100
    v_there = math.sqrt((u**2 - 2 * along * p_max / 100) / 2)
    assert most.part * p_mw == pytest.approx(p_max, rel=1e-7)
    assert most.drawn_mw == pytest.approx(p_max, rel=1e-7)
    assert most.margin_mw == pytest.approx(p_max - p_mw, rel=1e-6)
    assert most.v_weakest_pu == pytest.approx(v_there, rel=1e-4)
    assert most.weakest == most.lowest == "B"
    assert max(part for part, _, _ in most.curve) == pytest.approx(most.part)
    for part, _, v in most.curve:  # every point solves the power balance
        p = part * p_mw / 100
        assert v**4 + (2 * p * along - u**2) * v**2 + z2 * s2 * p**2 == pytest.approx(0.0, abs=1e-6)


def test_without_a_solution_today_the_most_is_below_one():
    (most,) = found_in([BUS_A, BUS_B, INFEED, line(), {**LOAD, "p_mw": 800.0, "q_mvar": 0.0}])
    assert most.part == pytest.approx(500 / 800, rel=1e-7)
    assert most.margin_mw == pytest.approx(-300, rel=1e-6)
    assert most.curve[0][0] == 0.0


def test_an_island_that_has_no_solution_without_the_load_either_says_so_and_the_others_keep_theirs():
    second = [{"kind": "bus", "name": "D", "v_nominal_kv": 11.0}, {**INFEED, "name": "G2", "bus": "C"}, line("Z2", "C", "D", 0.2)]
    loads = {**LOAD, "p_mw": 100.0, "q_mvar": 0.0}, {**LOAD, "name": "E2", "bus": "D", "p_mw": 1.0, "q_mvar": 0.0}
    source = {"kind": "synchronous_generator", "name": "G3", "bus": "D", "mode": "power", "p_mw": 900.0}  # more than its line can take
    first, other = found_in([BUS_A, BUS_B, BUS_C, INFEED, line(), *second, *loads, source])
    assert first.part == pytest.approx(5.0, rel=1e-6)
    assert (other.part, other.drawn_mw, other.margin_mw) == (0.0, 0.0, -1.0)
    assert other.ended.startswith("also with nothing of it: No solution found")
    # another load alone asks the last source for more than it can give
    (bounded,) = found_in([BUS_A, BUS_B, {**INFEED, "q_max_mvar": 1.0}, line(), loads[0], {**LOAD, "name": "E3", "p_mw": 1.0, "q_mvar": 9.0}], "E")
    assert bounded.part == 0.0
    assert "Infeed G alone holds a voltage" in bounded.ended
    assert [r["v_weakest_pu"] for r in maximum_table("Normal", [first, other]).records()][1] is None


def test_one_consumer_or_one_bus_is_raised_alone():
    other = {**LOAD, "name": "E2", "p_mw": 100.0, "q_mvar": 0.0}
    both = [BUS_A, BUS_B, INFEED, line(), {**LOAD, "p_mw": 50.0, "q_mvar": 0.0}, other]
    (alone,) = found_in(both, "E")
    assert alone.part * 50 + 100 == pytest.approx(500, rel=1e-7)
    assert (alone.drawn_mw, alone.load_mw) == (pytest.approx(400, rel=1e-6), pytest.approx(500, rel=1e-6))
    assert alone.raised == "Load E"
    (at_bus,) = found_in(both, "B")
    assert at_bus.part * 150 == pytest.approx(500, rel=1e-7)
    with pytest.raises(CannotRun, match="Infeed G draws nothing that could be raised; accepted is a load, a motor, or a bus"):
        found_in(both, "G")
    with pytest.raises(CannotRun, match="nothing is drawn that could be raised"):
        found_in(both[:4])


@pytest.mark.parametrize("exponents", [(0.5, 0.5), (0.3, 1.2)])
def test_loads_that_follow_the_voltage_agree_with_a_search_over_it(exponents):
    """At each voltage of bus B the part of the load follows from the power balance; where most is drawn is found on a fine grid."""
    load = {**LOAD, "p_mw": 100.0, "q_mvar": 40.0, "characteristic": "by exponents", "exponent_p": exponents[0], "exponent_q": exponents[1]}
    (most,) = found_in([BUS_A, BUS_B, INFEED, line(), load])
    best = (0.0, 0.0, 0.0)
    for v in np.linspace(0.2, 1.0, 200001):
        p, q = 1.0 * v ** exponents[0], 0.4 * v ** exponents[1]
        # |1|² = |v + jX(p − jq)k/v|² = (v + Xqk/v)² + (Xpk/v)²
        a, b, c = (X / v) ** 2 * (p**2 + q**2), 2 * X * q, v**2 - 1
        k = (-b + math.sqrt(b * b - 4 * a * c)) / (2 * a)
        best = max(best, (100 * k * p, k, v))
    assert most.drawn_mw == pytest.approx(best[0], rel=1e-7)
    assert most.part == pytest.approx(best[1], rel=1e-3)
    assert most.v_weakest_pu == pytest.approx(best[2], abs=2e-4)


def test_an_impedance_draws_most_where_it_matches_what_lies_before_it():
    """R behind X draws U²/(2X) at most, at R = X and U/√2, though there is a solution for any R."""
    (most,) = found_in([BUS_A, BUS_B, INFEED, line(), {**LOAD, "p_mw": 10.0, "q_mvar": 0.0, "characteristic": "impedance"}])
    assert most.drawn_mw == pytest.approx(500.0, rel=1e-9)
    assert most.part == pytest.approx(100.0, rel=1e-4)  # R = 1/(part · 0.1)
    assert most.v_weakest_pu == pytest.approx(math.sqrt(0.5), rel=1e-4)
    assert most.margin_mw == pytest.approx(500 - most.drawn_now_mw)
    assert most.drawn_now_mw < 10


def test_a_machine_at_its_limit_lowers_the_most_and_is_named():
    machine = {"kind": "synchronous_generator", "name": "G2", "bus": "B", "mode": "voltage", "p_mw": 0.0, "v_set_pu": 1.0}
    load = {**LOAD, "bus": "C", "p_mw": 100.0, "q_mvar": 0.0}
    network = [BUS_A, BUS_B, BUS_C, INFEED, line(), line("Z2", "B", "C"), load]
    (held,) = found_in([*network, machine])
    (bounded,) = found_in([*network, {**machine, "q_max_mvar": 60.0}])
    (without,) = found_in(network)
    assert held.part == pytest.approx(5.0, rel=1e-6)  # B stiff: the second line alone
    assert without.part == pytest.approx(2.5, rel=1e-6)  # both lines
    assert without.part < bounded.part < held.part
    assert held.limited == ()
    assert bounded.limited[0].startswith("G2 (by ")
    # with the machine giving 60 Mvar, A to B to C: the same by a fixed injection at B
    fixed = {**machine, "mode": "power", "q_mvar": 60.0}
    (by_injection,) = found_in([*network, fixed])
    assert bounded.part == pytest.approx(by_injection.part, rel=1e-6)
    assert bounded.v_weakest_pu == pytest.approx(by_injection.v_weakest_pu, abs=1e-3)


@settings(max_examples=30)  # each solves many times
@given(st.floats(0.96, 1.04), st.floats(5, 60), st.floats(-40, -1), st.floats(5, 90), st.floats(0.0, 30.0))
def test_limits_that_act_and_let_go_on_the_way_always_end_in_an_answer(v_set, q_max, q_min, machine_q_max, q_load):
    """An infeed at its limit whose voltage is free, a machine that takes its voltage up again: whatever happens on the way, every point balances."""
    machine = {"kind": "synchronous_generator", "name": "G2", "bus": "B", "mode": "voltage", "p_mw": 10.0, "v_set_pu": v_set}
    limits = {"q_min_mvar": q_min, "q_max_mvar": machine_q_max}
    load = {**LOAD, "bus": "C", "p_mw": 60.0, "q_mvar": q_load}
    network = [BUS_A, BUS_B, BUS_C, {**INFEED, "q_max_mvar": q_max}, line(), line("Z2", "B", "C"), load, {**machine, **limits}]
    (bounded,) = found_in(network)
    (free,) = found_in([*network[:3], INFEED, *network[4:7], machine])
    assert bounded.part <= free.part * (1 + 1e-6)  # a bound never adds
    assert bounded.drawn_mw == pytest.approx(60 * bounded.part)
    assert bounded.drawn_mw >= max(mw for _, mw, _ in bounded.curve) - 1e-9


def test_the_last_source_that_holds_a_voltage_ends_the_search_at_its_limit():
    """U = 1, lossless: the infeed gives Q = X·I²; at 20 Mvar I² = 2, and with cosφ = 1 at the load P² = I²·(1 − X²I²)."""
    (most,) = found_in([BUS_A, BUS_B, {**INFEED, "q_max_mvar": 20.0}, line(), {**LOAD, "p_mw": 50.0, "q_mvar": 0.0}])
    assert most.part * 50 == pytest.approx(100 * math.sqrt(2 * (1 - X**2 * 2)), rel=1e-4)
    assert most.ended == "Infeed G alone holds a voltage and would have to give more reactive power than it can"
    (unbounded,) = found_in([BUS_A, BUS_B, {**INFEED, "q_max_mvar": 20.0}, line(), {**LOAD, "p_mw": 50.0, "q_mvar": 0.0}], reactive_limits="off")
    assert unbounded.part * 50 == pytest.approx(500, rel=1e-6)


def test_each_island_has_its_own_most_and_where_there_is_none_that_is_said():
    second = [{"kind": "bus", "name": "D", "v_nominal_kv": 11.0}, {**INFEED, "name": "G2", "bus": "C"}, line("Z2", "C", "D", 0.2)]
    loads = {**LOAD, "p_mw": 100.0, "q_mvar": 0.0}, {**LOAD, "name": "E2", "bus": "D", "p_mw": 100.0, "q_mvar": 0.0}
    found = found_in([BUS_A, BUS_B, BUS_C, INFEED, line(), *second, *loads])
    assert [(m.source, round(m.part, 6)) for m in found] == [("G", 5.0), ("G2", 2.5)]
    (none,) = found_in([BUS_A, BUS_B, INFEED, line(x=1e-4), {**LOAD, "p_mw": 1.0, "q_mvar": 0.0}])
    assert math.isinf(none.part)
    assert none.ended.startswith("none was found up to ")
    table = next(iter(maximum_table("Normal", [none]).records()))
    assert table["part"] is None
    assert table["p_max_mw"] is None


def test_shared_surplus_and_a_voltage_held_from_elsewhere_stay_in_force():
    machine = {"kind": "synchronous_generator", "name": "G2", "bus": "B", "mode": "voltage", "p_mw": 20.0, "v_set_pu": 1.0, "v_bus": "C", "participation": 1.0}
    load = {**LOAD, "bus": "C", "p_mw": 40.0, "q_mvar": 0.0}
    elements = [BUS_A, BUS_B, BUS_C, {**INFEED, "participation": 1.0}, line(), line("Z2", "B", "C"), load]
    (most,) = found_in([*elements, machine], surplus="shared")
    (alone,) = found_in([*elements, machine])
    assert most.part > 1
    # C is held at 1 p.u. from B: the line B to C bounds the power, whichever way the rest is shared
    assert most.v_lowest_pu > 0.95
    assert most.part == pytest.approx(alone.part, rel=0.5)
    flow = StateResults(network_of([*elements, machine]), "Normal").result(LOAD_FLOW)
    assert abs(flow.voltage("C")) == pytest.approx(1.0, abs=1e-9)
    assert next(iter(curve_table("Normal", [most]).records()))["part"] == 1.0
