"""From sizes and lengths to results in every stage: the chain of typical values, what a rule waits for, enclosures and mains in one act."""

import pytest
from tests.conftest import network_of

from northfell.app.data import edits, preparing
from northfell.app.draw.extend import plan
from northfell.app.results.labels import labels_of
from northfell.app.results.studies import Results
from northfell.core.errors import NetworkRefused
from northfell.core.model.changes import apply_change
from northfell.core.model.network import Network, Sheet
from northfell.core.model.settings import study_keys
from northfell.core.rules.completeness import missing_of
from northfell.core.rules.typical import can_fill, help_for, typical_for_missing, waits_for
from northfell.core.studies.arc_flash import ARC_FLASH
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.core.studies.short_circuit import SHORT_CIRCUIT
from northfell.web.shell.wording import worded

LINES = [
    ("", "infeed 33 kV 10 kA, breaker, tx 33/11 10 MVA, breaker 630 A, bus 11 kV “Main”"),
    ("Main", "breaker, relay, cable 240 al xlpe 350 m, tx 11/0.4 1 MVA, breaker 1600 A, bus “LV board”"),
    ("Main", "breaker, relay 200/1, cable 185 cu 200 m, motor 900 kW"),
    ("LV board", "3x (breaker 160 A, cable 70 cu 60 m, motor 45 kW)"),
    ("LV board", "fuse 250, cable 95 cu 30 m, panel “Lights”, load 40 kW"),
    ("Main", "capacitor 600 kvar"), ("Main", "solar 500 kW"), ("Main", "breaker, generator 2 MVA"), ("Main", "synchronous motor 1 MW"),
    ("LV board", "mcc “MCC 1”, 2x (contactor 63 A, cable 16 cu 20 m, motor 22 kW soft)"),
]  # fmt: skip


@pytest.fixture(scope="module")
def typed():
    network = Network(name="E", sheets=[Sheet(name="Sheet 1")])
    for at, line in LINES:
        ids = network.id_of_name
        made = plan(network, "Sheet 1", ids.get(at, ""), line, ids.get(at, ""))
        assert not made.problems, made.problems
        network, _ = apply_change(network, made.change)
    return network


@pytest.fixture(scope="module")
def filled(typed):
    return apply_change(typed, edits.fill_all_typical(typed))[0]


def test_a_network_of_sizes_and_lengths_computes_in_every_stage(typed, filled):
    assert any(missing_of(typed.elements, e, s) for e in typed.elements.values() for s in study_keys())
    assert not any(missing_of(filled.elements, e, s) for e in filled.elements.values() for s in study_keys())
    ready, _ = apply_change(filled, preparing.prepare_arc_flash(filled))
    results = Results(ready).at("Normal")
    assert not results.result(LOAD_FLOW).net.held_back
    assert not results.result(SHORT_CIRCUIT).net.held_back
    assert not any(one.waits for one in results.result(ARC_FLASH).locations)
    job = labels_of(ready)
    assert not job.left_out
    assert {label.equipment for label in job.labels} == {"Main", "LV board", "Lights", "MCC 1"}
    board = ready.elements[ready.id_of_name["LV board"]]
    assert ready.elements[board.main].name == "Q4"
    main = ready.elements[ready.id_of_name["Main"]]
    assert [ready.elements[d].name for d in main.mains.values()] == ["Q2", "Q9"]  # a source stands behind two of its breakers
    assert {"electrode_configuration", "equipment_class", "gap_mm"} <= board.assumed.keys()
    assert all(results.result(LOAD_FLOW).loading(e).pct is not None for e in ready.elements.values() if e.kind == "cable")


def test_every_filled_value_is_marked_with_its_source(typed, filled):
    for i, e in filled.elements.items():
        for field, value in e.__dict__.items():
            if field not in ("assumed",) and getattr(typed.elements[i], field) != value:
                assert e.assumed[field]


@pytest.mark.parametrize(
    ("behind", "ratio"),
    [
        ([{"kind": "transformer", "name": "T", "hv_bus": "J", "lv_bus": "L", "v_hv_kv": 11.0, "v_lv_kv": 0.4, "s_rated_mva": 1.0}], 75),  # 52.5 A
        (
            [
                {"kind": "cable", "name": "W", "from_bus": "J", "to_bus": "K", "length_m": 300.0},
                {"kind": "bus", "name": "K", "v_nominal_kv": 11.0, "bus_kind": "junction"},
                {"kind": "transformer", "name": "T", "hv_bus": "K", "lv_bus": "L", "v_hv_kv": 11.0, "v_lv_kv": 0.4, "s_rated_mva": 2.0},
                {"kind": "induction_motor", "name": "M", "bus": "K", "p_rated_kw": 90.0, "v_rated_kv": 11.0},  # the smaller of two
            ],
            150,  # 105 A
        ),
        ([], 800),  # nothing behind it: the rating of the breaker, 630 A
    ],
)
def test_proposed_relay_settings_follow_what_is_behind_the_breaker_and_not_what_else_is_at_the_board(behind, ratio):
    network = network_of(
        [
            {"kind": "bus", "name": "A", "v_nominal_kv": 11.0}, {"kind": "bus", "name": "J", "v_nominal_kv": 11.0, "bus_kind": "junction"},
            {"kind": "bus", "name": "L", "v_nominal_kv": 0.4}, {"kind": "infeed", "name": "G", "bus": "A"},
            {"kind": "breaker", "name": "Q", "from_bus": "A", "to_bus": "J", "i_rated_a": 630.0}, {"kind": "relay", "name": "B", "breaker": "Q"},
            {"kind": "induction_motor", "name": "Near", "bus": "A", "p_rated_kw": 200.0, "v_rated_kv": 11.0}, *behind,
        ]
    )  # fmt: skip
    found = typical_for_missing(network.elements, network.elements["B"])
    assert found["ct_primary_a"].value == ratio
    assert found["i_pickup_a"].value == ratio
    assert all("proposed" in found[field].source for field in ("ct_primary_a", "i_pickup_a", "curve", "time_multiplier"))


def test_a_board_on_a_board_is_led_to_by_a_way_shown_as_assumed(typed):
    made = plan(typed, "Sheet 1", typed.id_of_name["LV board"], "mcc “MCC 2”", "")
    assert any("leads there from LV board" in line for line in made.assumed)
    assert plan(typed, "Sheet 1", typed.id_of_name["LV board"], "bus 11 kV “X”", "").problems[0].endswith("A transformer must stand between them.")


def test_a_promise_is_made_only_where_the_rule_gives_a_value():
    bare = network_of([{"kind": "bus", "name": "A", "v_nominal_kv": 11.0}, {"kind": "bus", "name": "B", "v_nominal_kv": 11.0},
                       {"kind": "cable", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 10.0},
                       {"kind": "induction_motor", "name": "M", "bus": "A", "p_rated_kw": 900.0},
                       {"kind": "infeed", "name": "G", "bus": "A"}])  # fmt: skip
    cable, motor, infeed = (bare.elements[i] for i in "WMG")
    assert waits_for(bare.elements, cable, "r_ohm_per_km") == ["cross-section"]
    assert not can_fill(bare.elements, cable, "r_ohm_per_km")
    assert help_for(bare.elements, cable, "r_ohm_per_km") == "A typical value follows once cross-section is entered."
    assert waits_for(bare.elements, motor, "r_over_x") == ["rated voltage"]
    assert waits_for(bare.elements, infeed, "ik_min_ka") == ["fault level, maximum"]
    assert can_fill(bare.elements, cable, "t_end_degc")  # with the insulation, which has a rule of its own
    assert list(typical_for_missing(bare.elements, cable)) == ["insulation", "t_end_degc", "c0_uf_per_km"]
    with pytest.raises(NetworkRefused, match="Enter first: fault level, maximum"):
        edits.fill_one_typical(bare, "G", "ik_min_ka")
    whole = motor.model_copy(update={"v_rated_kv": 11.0})
    assert typical_for_missing(bare.elements, whole)["pole_pairs"].value == 2
    assert typical_for_missing(bare.elements, whole)["r_over_x"].value == 0.15  # below 1 MW per pair of poles


@pytest.mark.parametrize(
    ("line", "told", "unread"),
    [
        ("breaker, pipe 3 m", "“pipe” names no thing to place.", ["pipe", "3m"]),
        ("brekaer", "Is “breaker” meant?", ["brekaer"]),
        ("cable 240 al blue 3 m", "Not understood behind cable: blue", ["blue"]),
        ("to “Main”", "needs something that leads there before it", []),
    ],
)
def test_extend_says_once_what_it_did_not_understand(typed, line, told, unread):
    made = plan(typed, "Sheet 1", typed.id_of_name["Lights"], line, "")
    assert told in made.problems[0]
    assert len(made.problems) == 1
    assert made.unread == unread
    assert "IEC_SI" not in made.problems[0]
    assert len(made.problems[0]) < 160


def test_to_a_board_behind_a_comma_is_the_same(typed):
    at = typed.id_of_name["Lights"]
    one, other = (plan(typed, "Sheet 1", at, f"breaker{comma} to “MCC 1”", "") for comma in ("", ","))
    assert one.change == other.change


def test_screens_speak_in_labels():
    assert worded("Cable W2: t_end_degc is empty, accepted is a number.") == "Cable W2: temperature at end of fault is empty, accepted is a number."
    assert worded("Overcurrent relay B1: curve is empty, accepted is one of “IEC_SI”.").endswith("“IEC 60255-151 standard inverse”.") or "IEC_SI" not in worded(
        "accepted is one of “IEC_SI”."
    )
    assert worded("a_name_of_nothing stays") == "a_name_of_nothing stays"
