"""Load flow: what must hold for any network, and what a person is told when it cannot run."""

import math

import numpy as np
import pytest
from hypothesis import given
from tests.conftest import BUS_A, BUS_B, BUS_C, CABLE, INFEED, LOAD, network_of
from tests.core.random_networks import networks

from northfell.app.results.studies import StateResults
from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.elements import Bus
from northfell.core.studies.load_flow import LOAD_FLOW

TRANSFORMER = {
    "kind": "transformer",
    "name": "T",
    "hv_bus": "A",
    "lv_bus": "B",
    "s_rated_mva": 10.0,
    "v_hv_kv": 33.0,
    "v_lv_kv": 11.0,
    "vector_group": "Dyn11",
    "uk_pct": 10.0,
    "ur_pct": 0.5,
}


def flow_of(network, state="Normal", **settings):
    used = network.settings.of_study("load_flow").model_copy(update=settings)
    network = network.model_copy(update={"settings": network.settings.model_copy(update={"load_flow": used})})
    return StateResults(network, state).result(LOAD_FLOW)


@given(networks(shift=True))
def test_power_balances_at_every_bus(network):
    """Kirchhoff: what flows from a bus into its elements, switches included, sums to nothing."""
    flow = flow_of(network)
    at_bus = {b.id: 0j for b in network.elements.values() if isinstance(b, Bus)}
    for e in network.elements.values():
        for bus, s in zip(e.buses, flow.terminal_power.get(e.id, ()), strict=False):
            if np.isfinite(s):
                at_bus[bus] += s
    assert max(map(abs, at_bus.values())) < 1e-5  # MVA


@given(networks(shift=True))
def test_generation_is_load_losses_and_shunts(network):
    t = flow_of(network).totals
    assert t["generation_mw"] == pytest.approx(t["load_mw"] + t["losses_mw"] + t["shunt_mw"], abs=1e-5)
    assert t["generation_mvar"] == pytest.approx(t["load_mvar"] + t["losses_mvar"] + t["shunt_mvar"], abs=1e-5)
    assert t["losses_mw"] >= -1e-9


def test_voltage_drop_by_hand(simple):
    """One load behind one impedance: V2 solves V2* (V1 - V2) = Z S* exactly."""
    flow = flow_of(simple)
    v2, z, s = complex(flow.v[1]), complex(0.32, 0.1) / 1.21, (2 + 1j) / 100
    assert np.conj(v2) * (1 - v2) == pytest.approx(z * np.conj(s), abs=1e-8)


def test_vector_group_turns_the_low_side():
    flow = flow_of(network_of([{**BUS_A, "v_nominal_kv": 33.0}, BUS_B, INFEED, TRANSFORMER]))
    assert np.degrees(np.angle(flow.v[1])) == pytest.approx(30)  # Dyn11: the low side leads by 30 degrees
    assert abs(flow.v[1]) == pytest.approx(1)


def test_tap_raises_the_high_side_voltage_of_the_winding():
    flow = flow_of(network_of([{**BUS_A, "v_nominal_kv": 33.0}, BUS_B, INFEED, {**TRANSFORMER, "tap_pct": -5.0}]))
    assert abs(flow.v[1]) == pytest.approx(1 / 0.95)


def test_parallel_units_halve_the_impedance(simple):
    twice = network_of([BUS_A, BUS_B, INFEED, {**CABLE, "parallel": 2}, LOAD])
    second = network_of([BUS_A, BUS_B, INFEED, CABLE, {**CABLE, "name": "W2"}, LOAD])
    assert flow_of(twice).v[1] == pytest.approx(flow_of(second).v[1])


def test_loading_names_rating_basis_and_governing_terminal():
    flow = flow_of(network_of([BUS_A, BUS_B, INFEED, {**CABLE, "i_rated_a": 100.0, "parallel": 2, "c_uf_per_km": 0.3}, LOAD]))
    row = next(flow.table("branches").records())
    assert (row["rating"], row["rating_unit"]) == (200.0, "A")
    assert row["rating_basis"] == "current-carrying capacity, 2 in parallel"
    assert row["governing_terminal"] == "to_bus"
    assert row["loading_pct"] == pytest.approx(100 * row["carries"] / 200)


def test_unfed_parts_have_no_voltage():
    flow = flow_of(network_of([BUS_A, BUS_B, BUS_C, INFEED, CABLE, LOAD, {**LOAD, "name": "E2", "bus": "C"}]))
    c = list(flow.table("buses").records())[2]
    assert (c["energised"], c["v_pu"], c["angle_deg"]) == (False, None, None)
    assert next(r for r in flow.table("loads").records() if r["name"] == "E2")["p_mw"] is None


def test_currents_of_switches_in_a_ring_divide():
    ring = [{"kind": "switch", "name": n, "from_bus": "B", "to_bus": "C"} for n in ("Q1", "Q2")]
    flow = flow_of(network_of([BUS_A, BUS_B, BUS_C, INFEED, CABLE, *ring, {**LOAD, "bus": "C"}]))
    assert flow.terminal_power["Q1"][0] == pytest.approx(flow.terminal_power["Q2"][0])
    assert sum(flow.terminal_power[q][0] for q in ("Q1", "Q2")) == pytest.approx(2 + 1j)


GENERATOR = {"kind": "synchronous_generator", "name": "G2", "bus": "B", "mode": "voltage", "p_mw": 1.0, "v_set_pu": 1.02}


def test_generator_holds_its_voltage_and_a_broken_limit_is_told():
    network = network_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, {**GENERATOR, "q_max_mvar": 0.5}])
    flow = flow_of(network, reactive_limits="off")
    assert abs(flow.v[1]) == pytest.approx(1.02)
    assert "q_max_mvar is 0.5" in flow.messages[0]


def test_infeed_behind_its_impedance():
    network = network_of([BUS_A, BUS_B, {**INFEED, "flow_model": "behind impedance"}, CABLE, LOAD])
    flow = flow_of(network)
    z = 11 / np.sqrt(3) / 10  # of the fault level
    assert abs(flow.v[0]) < 1
    i = abs(flow.s_infeed[0] / flow.v[0]) * 100 / np.sqrt(3) / 11
    assert abs(1 - flow.v[0]) * 11 / np.sqrt(3) == pytest.approx(i * z, rel=1e-6)


def test_two_infeeds_behind_impedance_share():
    two = [{**INFEED, "name": n, "flow_model": "behind impedance"} for n in ("G", "G2")]
    flow = flow_of(network_of([BUS_A, BUS_B, *two, CABLE, LOAD]))
    assert flow.s_infeed[0] == pytest.approx(flow.s_infeed[1])


@pytest.mark.parametrize(
    ("elements", "told"),
    [
        ([BUS_A, BUS_B, CABLE, LOAD], "There is no supply"),
        ([BUS_A, BUS_B, INFEED, {**INFEED, "name": "G2"}, CABLE], "Two ideal references: Infeed G2 and Infeed G"),
        ([BUS_A, BUS_B, CABLE, {**GENERATOR, "mode": "power"}], "accepted is mode “reference” on one of Synchronous generator G2"),
        ([BUS_A, {**BUS_B, "v_nominal_kv": None}, INFEED, CABLE], "Bus B: v_nominal_kv is empty; Cable W is given in ohms"),
        (
            [BUS_A, {**BUS_B, "v_nominal_kv": 0.4}, INFEED, {"kind": "switch", "name": "Q", "from_bus": "A", "to_bus": "B"}],
            "Switch Q joins bus A of 11 kV and bus B of 0.4 kV",
        ),
        ([BUS_A, BUS_B, INFEED, {**CABLE, "r_ohm_per_km": 0.0, "x_ohm_per_km": 0.0}], "Cable W has neither resistance nor reactance"),
        ([BUS_A, BUS_B, INFEED, {**TRANSFORMER, "load_loss_kw": 5000.0}], "more than uk_pct 10 %"),
        ([BUS_A, BUS_B, INFEED, TRANSFORMER], "Two-winding transformer T: v_hv_kv is 33, accepted is within 30% of the 11 kV of its bus"),
        ([BUS_A, BUS_B, INFEED, {**CABLE, "length_m": None}, LOAD], "Cable W: length_m is empty, accepted is a number, above 0 m"),
    ],
)
def test_why_it_cannot_run(elements, told):
    with pytest.raises(CannotRun) as error:
        flow_of(network_of(elements))
    assert told in str(error.value)


def test_ideal_references_joined_by_impedance_are_solved_and_named():
    flow = flow_of(network_of([BUS_A, BUS_B, INFEED, {**INFEED, "name": "G2", "bus": "B"}, CABLE, LOAD]))
    assert "2 ideal references in one island: Infeed G, Infeed G2" in flow.messages[0]


def test_more_load_than_the_network_can_carry():
    with pytest.raises(NoSolution) as error:
        flow_of(network_of([BUS_A, BUS_B, INFEED, CABLE, {**LOAD, "p_mw": 500.0}]))
    assert "largest mismatch" in str(error.value)
    assert "bus B" in str(error.value)


def test_bars_carry_what_is_brought_to_them_and_what_a_bank_alone_gives():
    """At a bank's own bus its current; where a bank helps, the larger of what the cable brings and of both; with a load alone, its current."""
    bank = {"kind": "capacitor_bank", "name": "C", "q_step_mvar": 0.6, "steps": 1}
    switch = [{**BUS_B, "name": "D"}, {"kind": "switch", "name": "S", "from_bus": "B", "to_bus": "D"}]
    load = {**LOAD, "p_mw": 1.0, "q_mvar": 0.5}
    alone = flow_of(network_of([BUS_A, BUS_B, INFEED, CABLE, load]))
    own = flow_of(network_of([BUS_A, BUS_B, INFEED, CABLE, load, *switch, {**bank, "bus": "D"}]))
    helped = flow_of(network_of([BUS_A, BUS_B, INFEED, CABLE, load, {**bank, "bus": "B"}]))

    def bars(flow, bus):
        return next(r["i_bars_a"] for r in flow.table("buses").records() if r["name"] == bus)

    def amperes(flow, bus, s):
        return abs(s) / (math.sqrt(3) * abs(flow.voltage(bus)) * 11) * 1000

    assert bars(alone, "B") == pytest.approx(amperes(alone, "B", 1 + 0.5j))
    assert bars(own, "D") == pytest.approx(amperes(own, "D", own.terminal_power["C"][0]))
    by_cable, both = -helped.terminal_power["W"][1], 1 + 0.5j
    assert bars(helped, "B") == pytest.approx(max(amperes(helped, "B", by_cable), amperes(helped, "B", both)))
    assert abs(both) > abs(by_cable)
