"""Origin of data, standing, locks, groups, carried voltages, contradictions, sets of study settings, and what is not fed."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, LOAD, network_of
from tests.core.random_networks import networks

from northfell.core.errors import NetworkRefused
from northfell.core.model.base_voltage import carried_voltages
from northfell.core.model.changes import Attach, Change, PutEntry, PutSettings, Remove, Set, Switch, apply_change, completed
from northfell.core.model.elements import Document
from northfell.core.model.network import OperatingState, OwnEntry
from northfell.core.network import compile_network, energised, topology_of
from northfell.core.rules.consistency import contradictions
from northfell.core.studies import arc_flash, load_flow, short_circuit
from northfell.demo import skerrow_water

DEMO = skerrow_water()
TX = {
    "kind": "transformer", "name": "T", "hv_bus": "B", "lv_bus": "C", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.42, "vector_group": "Dyn11",
    "uk_pct": 6.0, "ur_pct": 1.0,
}  # fmt: skip


def done(network, *acts):
    return apply_change(network, completed(network, Change("", acts)))[0]


def test_a_value_says_where_it_was_read_until_it_is_set_anew(simple):
    measured = done(simple, Set(id="W", values={"r_ohm_per_km": 0.33}, origins={"r_ohm_per_km": "test report: 12"}))
    assert measured.elements["W"].origins == {"r_ohm_per_km": "test report: 12"}
    again, inverse = apply_change(measured, Change("", (Set(id="W", values={"r_ohm_per_km": 0.32}),)))
    assert again.elements["W"].origins == {}
    assert apply_change(again, inverse)[0] == measured
    with pytest.raises(NetworkRefused, match="hearsay"):
        done(simple, Set(id="W", values={"r_ohm_per_km": 0.33}, origins={"r_ohm_per_km": "hearsay"}))


def test_a_text_with_a_rule_says_what_it_takes():
    with pytest.raises(NetworkRefused, match="vector_group is “Dyn12”, accepted is a vector group such as Dyn11"):
        done(DEMO, Set(id="T1", values={"vector_group": "Dyn12"}))


def test_locked_data_stay_while_the_switch_is_operated():
    locked = done(DEMO, Set(id="Q10", values={"locked": True}))
    for act in (Set(id="Q10", values={"i_rated_a": 1.0}), Remove(id="Q10")):
        with pytest.raises(NetworkRefused, match="locked"):
            done(locked, act)
    assert done(locked, Switch(state="Normal", id="Q10", values={"closed": True})).elements["Q10"].closed
    assert not done(locked, Set(id="Q10", values={"locked": False})).elements["Q10"].locked


def test_a_planned_element_is_out_except_in_states_that_include_it(simple):
    with pytest.raises(NetworkRefused, match="It is planned"):
        done(simple, Set(id="E", values={"status": "planned"}))
    network = network_of([BUS_A, BUS_B, INFEED, CABLE, {**LOAD, "status": "planned", "in_service": False}], [OperatingState(name="Grown")])
    grown = done(network, Switch(state="Grown", id="E", values={"in_service": True}))
    drawn = [load_flow.run(compile_network(grown, state)).totals["load_mw"] for state in ("Normal", "Grown")]
    assert drawn == pytest.approx([0, 2])


def test_a_document_comes_and_goes_with_undo(simple):
    paper = Document(name="a.pdf", media_type="application/pdf", size=9, sha256="0" * 64)
    made, inverse = apply_change(simple, Change("", (Attach(id="E", documents=[paper]),)))
    assert made.elements["E"].documents == [paper]
    assert apply_change(made, inverse)[0] == simple


@given(
    load=st.floats(0, 1), demand=st.floats(0, 1), diversity=st.floats(1, 3), everything=st.floats(0, 2), group=st.floats(0, 2), level=st.floats(0, 200),
    duty=st.sampled_from(["continuous", "intermittent", "standby", "unused way"]),
)  # fmt: skip
def test_factors_multiply_and_what_stands_by_draws_nothing(load, demand, diversity, everything, group, level, duty):
    state = OperatingState(name="S", load_factors={"": everything, "Pumps": group, "Others": 5.0})
    one = {**LOAD, "p_mw": 0.5, "q_mvar": 0.1, "load_factor": load, "demand_factor": demand, "diversity_factor": diversity, "group": "Pumps", "duty": duty}
    network = network_of([BUS_A, BUS_B, INFEED, CABLE, one], [state], load_flow={"load_level_pct": level})
    told = load_flow.run(compile_network(network, "S")).totals["load_mw"]
    runs = duty in ("continuous", "intermittent")
    assert told == pytest.approx(0.5 * load * demand / diversity * everything * group * level / 100 if runs else 0, abs=1e-9)


def test_generation_follows_the_level_chosen_and_the_factor_of_the_state():
    solar = {
        "kind": "inverter",
        "name": "S",
        "bus": "B",
        "s_rated_mva": 2.0,
        "ik_over_ir": 1.2,
        "output_levels": {"noon": 1.6, "dusk": 0.2},
        "p_mw": 1.0,
        "group": "Sun",
    }
    states = [OperatingState(name="Noon", differences={"S": {"output_level": "noon"}}), OperatingState(name="Haze", generation_factors={"Sun": 0.5})]
    network = network_of([BUS_A, BUS_B, INFEED, CABLE, solar], states)
    power = {s: next(r["p_mw"] for r in load_flow.run(compile_network(network, s)).table("sources").records() if r["name"] == "S") for s in network.state_names}
    assert power == pytest.approx({"Normal": 1.0, "Noon": 1.6, "Haze": 0.5})
    with pytest.raises(NetworkRefused, match="accepted is one of noon, dusk"):
        done(network, Switch(state="Noon", id="S", values={"output_level": "midnight"}))


def test_a_standby_motor_brings_nothing_into_a_fault():
    motor = {"kind": "induction_motor", "name": "M", "bus": "B", "p_rated_kw": 900.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.87,
             "ilr_over_ir": 5.5, "r_over_x": 0.15}  # fmt: skip
    running, standing, none = (
        short_circuit.run(compile_network(network_of([BUS_A, BUS_B, INFEED, CABLE, *more]), "Normal", "short_circuit")).cases["max"].ik_ka[1]
        for more in ([motor], [{**motor, "duty": "standby"}], [])
    )
    assert running > standing == pytest.approx(none)


def test_voltages_are_carried_from_the_supply_through_transformers_and_follow_it():
    empty = [{"kind": "bus", "name": n} for n in "BCD"]
    network = done(network_of([BUS_A, *empty, INFEED, CABLE, TX, {"kind": "switch", "name": "Q", "from_bus": "C", "to_bus": "D", "closed": False}]))
    assert {b: network.elements[b].v_nominal_kv for b in "BCD"} == {"B": 11.0, "C": 0.4, "D": 0.4}
    assert network.elements["C"].origins == {"v_nominal_kv": "carried"}
    moved = done(network, Set(id="A", values={"v_nominal_kv": 10.0}), Set(id="T", values={"v_lv_kv": 0.69}))
    assert {b: moved.elements[b].v_nominal_kv for b in "BCD"} == {"B": 10.0, "C": 0.69, "D": 0.69}
    own = done(network, Set(id="C", values={"v_nominal_kv": 0.38}))
    assert own.elements["D"].v_nominal_kv == 0.38  # what was entered stays, and is carried on
    assert done(own, Set(id="A", values={"v_nominal_kv": 10.0})).elements["C"].v_nominal_kv == 0.38
    wrong_side = done(network_of([BUS_A, *empty, INFEED, CABLE, {**TX, "v_hv_kv": 0.42, "v_lv_kv": 11.0}]))
    assert wrong_side.elements["C"].v_nominal_kv is None  # 0.42 kV at 11 kV carries nothing on


def test_a_locked_bus_keeps_its_voltage_and_refuses_no_change_elsewhere():
    network = done(network_of([BUS_A, {"kind": "bus", "name": "B"}, INFEED, CABLE]))
    locked = done(network, Set(id="B", values={"locked": True}))
    moved = done(locked, Set(id="A", values={"v_nominal_kv": 10.0}))
    assert (moved.elements["A"].v_nominal_kv, moved.elements["B"].v_nominal_kv) == (10.0, 11.0)


def test_contradictions_are_found_before_any_study():
    cable = {**CABLE, "v_insulation_kv": 1.0}
    twins = [{**TX, "name": "T"}, {**TX, "name": "U", "uk_pct": 4.0, "vector_group": "Dyn5"}]
    wrong = {"kind": "induction_motor", "name": "M", "bus": "C", "v_rated_kv": 6.0}
    network = network_of([BUS_A, BUS_B, {"kind": "bus", "name": "C", "v_nominal_kv": 0.4}, {"kind": "bus", "name": "D", "v_nominal_kv": 6.0}, INFEED, cable,
                          *twins, wrong, {"kind": "switch", "name": "Q", "from_bus": "C", "to_bus": "D"}])  # fmt: skip
    found = {c.element.name: c for c in contradictions(network.elements)}
    assert "built for 1 kV" in found["W"].text
    assert found["U"].grave
    assert "vector group Dyn5 beside Dyn11; impedance voltage 4 % beside 6 %" in found["U"].text
    assert "6 kV and stands at a bus of 0.4 kV" in found["M"].text
    assert "joins C of 0.4 kV and D of 6 kV" in found["Q"].text
    assert contradictions(DEMO.elements) == []
    assert carried_voltages(DEMO.elements) == {}


@pytest.mark.parametrize("study", [load_flow, short_circuit, arc_flash])
def test_what_is_drawn_but_not_fed_asks_for_nothing_and_changes_no_figure(study):
    name = study.__name__.rsplit(".", 1)[1]
    loose = [{"kind": "bus", "name": "X"}, {"kind": "bus", "name": "Y"}, {"kind": "cable", "name": "loose", "from_bus": "X", "to_bus": "Y"},
             {"kind": "transformer", "name": "unknown", "hv_bus": "Y", "lv_bus": "X", "no_load_loss_kw": 5.0, "no_load_current_pct": 0.1},
             {"kind": "induction_motor", "name": "bare", "bus": "Y"}]  # fmt: skip
    box = {
        "electrode_configuration": "VCB",
        "gap_mm": 152.0,
        "box_height_mm": 1143.0,
        "box_width_mm": 762.0,
        "box_depth_mm": 762.0,
        "working_distance_mm": 914.4,
    }
    base = [{**BUS_A}, {**BUS_B, **box}, INFEED, CABLE, LOAD]
    alone, beside = (study.run(compile_network(network_of(parts), "Normal", name)) for parts in (base, [*base, *loose]))
    for table, other in zip(alone.tables(), beside.tables(), strict=True):
        kept = [r for r in other.records() if not {"X", "Y", "loose", "unknown", "bare"} & {v for v in r.values() if isinstance(v, str)}]
        assert str(kept) == str(list(table.records()))


def test_sets_of_study_settings_change_places_whole():
    settings = DEMO.settings.model_copy(
        update={
            "sets_aside": {"Strict": DEMO.settings.in_use.model_copy(update={"limits": DEMO.settings.limits.model_copy(update={"loading_breach_pct": 80.0})})}
        }
    )
    strict = settings.using("Strict")
    assert (strict.set_name, strict.limits.loading_breach_pct, list(strict.sets_aside)) == ("Strict", 80.0, ["Standard"])
    assert strict.using("Standard") == settings
    changed = done(DEMO, PutSettings(settings=strict))
    assert changed.settings.set_names == ["Strict", "Standard"]


def test_own_voltage_factors_and_variation_act():
    own = DEMO.settings.of_study("short_circuit").model_copy(update={"prefault": "own factors", "c_max": 1.05})
    base = compile_network(DEMO, "Normal", "short_circuit")
    table, chosen = short_circuit.run(base), short_circuit.run(base, own)
    at = base.topology.bus_index["33 kV intake"]
    assert chosen.cases["max"].c[at] == 1.05 != table.cases["max"].c[at]
    share = DEMO.settings.of_study("arc_flash").model_copy(update={"variation": "own share", "variation_pct": 20.0})
    study = arc_flash.run(compile_network(DEMO, "Normal", "arc_flash"), share)
    location = study.location("Filter hall", "load")
    assert location.variant("max", "reduced").i_arc_ka == pytest.approx(0.8 * location.variant("max", "full").i_arc_ka)
    worked = arc_flash.explain_energy(study, location, location.variant("max", "reduced"))
    assert worked.result == pytest.approx(location.variant("max", "reduced").energy_cal_cm2, rel=1e-9)


def test_an_own_entry_holds_only_what_its_kind_takes():
    for values, told in (({"length_m": 5.0, "bus": "A"}, "field is “bus”"), ({"r_ohm_per_km": -1.0}, "accepted is a number, 0 ohm/km or more")):
        with pytest.raises(NetworkRefused, match=told):
            done(DEMO, PutEntry(name="", to=OwnEntry(name="Mine", kind="cable", values=values)))
    with pytest.raises(NetworkRefused, match="kind is “rope”"):
        done(DEMO, PutEntry(name="", to=OwnEntry(name="Mine", kind="rope")))


@given(networks())
def test_voltages_stripped_from_all_but_the_supply_come_back_by_themselves(network):
    stripped = {i: e.model_copy(update={"v_nominal_kv": None}) if e.kind == "bus" and e.name != "A" else e for i, e in network.elements.items()}
    found = carried_voltages(stripped)
    fed = energised(network.elements, topology_of(network.elements))
    assert {e.id for e in network.elements.values() if e.kind == "bus" and e.name != "A" and fed[e.id]} <= found.keys()
    assert {i: one.v_kv for i, one in found.items()} == {i: network.elements[i].v_nominal_kv for i in found}
    assert {one.origin for one in found.values()} <= {"A"}


@given(networks(), st.floats(0, 2))
def test_a_factor_on_all_loads_is_the_same_as_the_load_level_of_the_settings(network, factor):
    by_state = network.model_copy(update={"states": [OperatingState(name="S", load_factors={"": factor})]})
    settings = network.settings.model_copy(update={"load_flow": network.settings.of_study("load_flow").model_copy(update={"load_level_pct": 100 * factor})})
    by_level = network.model_copy(update={"settings": settings})
    told = [load_flow.run(compile_network(n, s)).totals["load_mw"] for n, s in ((by_state, "S"), (by_level, "Normal"))]
    assert told[0] == pytest.approx(told[1], abs=1e-6)
