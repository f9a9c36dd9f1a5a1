"""Extend: a network from nothing, with what was understood, assumed and lacking; places apart; one undo each."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.drawing.test_layout import lying_on_each_other

from northfell.app.data import edits
from northfell.app.draw.connect import remove
from northfell.app.draw.extend import bus_of_selection, plan
from northfell.app.results.studies import StateResults
from northfell.core.model.assemblies import assembly
from northfell.core.model.changes import Set, apply_change
from northfell.core.model.elements import Bus
from northfell.core.model.network import Network, Sheet
from northfell.core.shorthand.reading import EXAMPLES
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.demo import skerrow_water

EMPTY = Network(name="New", sheets=[Sheet(name="Sheet 1")])
LINES = [
    "infeed 33 kV 10 kA",
    "breaker 630 A, tx 33/11 10 MVA 10% Dyn11, breaker, bus 11 kV “Main board”",
    "breaker, cable 240 al xlpe 350 m, tx 11/0,42 1 MVA, breaker 1600 A, board “LV 1”",
    "load 0.4 MW 0.2 Mvar",
    "motor 3x 55 kW",
]


def grown(lines, network=EMPTY, at=""):
    for line in lines:
        made = plan(network, "", at, line)
        assert made.problems == [], line
        network, at = made.network, made.at
    return network, at


def test_a_substation_from_nothing_runs():
    network, at = grown(LINES)
    assert network.elements[at].name == "LV 1"
    assert {e.name for e in network.elements.values()} >= {"Board 1", "G1", "Q1", "T1", "Q2", "Main board", "Q3", "W1", "T2", "Q4", "LV 1", "E1", "M1"}
    assert [network.elements[i].v_nominal_kv for i in ("Board 1", "Q2 end", at)] == [33, 11, 0.4]
    network, _ = apply_change(network, edits.set_field(network, "Normal", "W1", "x_ohm_per_km", "0.1"))
    flow = StateResults(network, "Normal").result(LOAD_FLOW)
    assert flow.totals["load_mw"] == pytest.approx(0.4 + 3 * 0.055 / 0.946)
    assert set(network.sheets[0].placements) == set(network.elements)


def test_what_is_assumed_and_lacking_is_told_before_it_is_placed():
    network, at = grown(LINES[:2])
    made = plan(network, "", at, "cable 240 al xlpe 350 m")
    assert made.understood == ["Cable W1 · 240 mm² · aluminium · XLPE · 350 m"]
    assert made.assumed == ["W1 resistance at 20 °C 0.125~ ohm/km", "W1 reactance 0.11~ ohm/km", "W1 temperature at end of fault 250~ degC",
                            "W1 current-carrying capacity 340~ A", "W1 resistance, zero sequence 0.5~ ohm/km", "W1 reactance, zero sequence 0.44~ ohm/km",
                            "W1 capacitance to earth 0.3~ µF/km"]  # fmt: skip
    assert made.lacking == []
    placed, _ = apply_change(network, made.change)
    assert placed.elements["W1"].assumed.keys() == {
        "r_ohm_per_km", "x_ohm_per_km", "t_end_degc", "i_rated_a", "r0_ohm_per_km", "x0_ohm_per_km", "c0_uf_per_km"
    }  # fmt: skip
    assert made.change.title == "Placed W1"


def test_a_nominal_voltage_that_is_guessed_and_a_word_that_is_not_kept_are_told():
    network, at = grown(LINES[:2])
    made = plan(network, "", at, "cable 3c 240 al xlpe 350 m, tx 11/0,42 1 MVA")
    assert made.not_kept == ["3c (number of cores)"]
    assert "network beyond T2 0.4~ kV" in made.assumed
    beyond = made.network.elements[made.at]
    assert (beyond.v_nominal_kv, beyond.assumed) == (0.4, {"v_nominal_kv": "usual nominal voltage at a rated 0.42 kV"})
    assert plan(network, "", at, "tx 11/0.4 1 MVA").network.elements["T2 end"].assumed == {}


def test_a_bus_that_is_not_on_the_sheet_is_no_place_to_extend_from():
    network, at = grown(["bus 11 kV"])
    off = network.model_copy(update={"sheets": [Sheet(name="Sheet 1")]})
    assert plan(off, "", at, "breaker").problems == ["Board 1 does not stand on sheet Sheet 1. Select a bus on the sheet."]


def test_one_line_is_one_change_and_undone_as_one():
    network, at = grown(LINES[:2])
    made = plan(network, "", at, LINES[2])
    after, inverse = apply_change(network, made.change)
    assert apply_change(after, inverse)[0] == network


@pytest.mark.parametrize(
    ("at", "text", "told"),
    [
        ("", "breaker", "Select a bus to extend from, or begin with an infeed"),
        ("Filter hall", "pipe 3 m", "names no thing to place"),
        ("Filter hall", "motor 900 foo", "Not understood behind induction motor: 900, foo"),
        ("Filter hall", "tx 1 MVA", "A transformer needs its ratio"),
        ("Filter hall", "tx 33/11 1 MVA", "Neither 33 nor 11 kV belongs to Filter hall of 0.4 kV"),
        ("Filter hall", "infeed 11 kV 5 kA", "stands at 0.4 kV, not 11 kV"),
        ("Filter hall", "capacitor", "A capacitor bank needs its reactive power"),
        ("Filter hall", "cable -5 m", "Not understood behind cable: -5"),
        ("Filter hall", "breaker “Q31”", "a name that no other element has"),
        ("P4 feeder", "bus 0.4 kV", "P4 feeder stands at 11 kV, not 0.4 kV"),
        ("Filter hall", "motor 999999 kW", "p_rated_kw is 999999, accepted is a number, above 0 kW and 100000 kW or less"),
    ],
)
def test_what_cannot_be_placed_is_told(at, text, told):
    made = plan(skerrow_water(), "", at, text)
    assert made.change is None
    assert any(told in problem for problem in made.problems), made.problems


def test_a_junction_becomes_a_board_and_keeps_its_voltage():
    made = plan(skerrow_water(), "", "P4 feeder", "bus “Pump 4 panel”")
    assert any(isinstance(a, Set) for a in made.change.acts)
    assert made.network.elements["P4 feeder"].name == "Pump 4 panel"
    assert made.network.elements["P4 feeder"].v_nominal_kv == 11
    assert made.network.sheets[0].placements["P4 feeder"].width > 0


def test_a_transformer_may_be_extended_from_its_low_side():
    made = plan(skerrow_water(), "", "Filter hall", "tx 11/0.42 1 MVA")
    (tx,) = (made.network.elements[i] for i in made.placed if made.network.elements[i].kind == "transformer")
    assert tx.lv_bus == "Filter hall"
    assert made.network.elements[tx.hv_bus].v_nominal_kv == 11


@given(
    st.lists(
        st.sampled_from(["breaker, cable 95 cu xlpe 50 m, bus", "breaker, tx 11/0.42 1 MVA, breaker, bus", "load 10 kW 5 kvar", "motor 10 kW", "fuse 100"]),
        min_size=1,
        max_size=7,
    )
)
def test_nothing_is_placed_upon_another(lines):
    """All lines from one board: symbols stand apart, and boards do not cross one another."""
    network, at = grown(["bus 11 kV"])
    for line in lines:
        network = plan(network, "", at, line).network
    places = network.sheets[0].placements
    symbols = [(p.x, p.y) for i, p in places.items() if not isinstance(network.elements[i], Bus)]
    assert len(set(symbols)) == len(symbols)
    boards = [p for p in places.values() if p.width]
    for k, p in enumerate(boards):
        for q in boards[k + 1 :]:
            assert abs(p.y - q.y) > 2 or p.x + p.width <= q.x or q.x + q.width <= p.x


@given(st.sampled_from([*EXAMPLES.values(), "tx", "fuse", "motor", "load", "gen", "line"]), st.sampled_from(["", *skerrow_water().elements]))
def test_any_thing_from_anywhere_ends_in_a_plan_or_a_reason(text, selected):
    network = skerrow_water()
    made = plan(network, "", bus_of_selection(network, selected), text)
    assert bool(made.change) != bool(made.problems)


def test_a_tie_closes_between_boards_and_a_relay_trips_it():
    network, at = grown(["bus 11 kV “A”", "breaker, cable 95 al xlpe 50 m, breaker, bus “B”"])
    made = plan(network, "", "A", "breaker 630 A to “B”, relay si 240 A tm 0.25 ct 300/1")
    assert made.problems == []
    tie, relay = (made.network.elements[i] for i in made.placed)
    assert {tie.from_bus, tie.to_bus} == {"A", at}
    assert (relay.breaker, relay.curve, relay.i_pickup_a, relay.ct_primary_a) == (tie.id, "IEC_SI", 240, 300)
    assert [told.split("~")[0] for told in made.assumed] == ["Q3 interrupting time 0.06", "B1 time tolerance 5"]
    assert made.at == at
    lone = plan(made.network, "", at, "relay ei 100 A tm 1 ct 100/1", tie.id)
    assert lone.network.elements[lone.placed[0]].breaker == tie.id


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("breaker to “Nowhere”", "There is no bus “Nowhere” to go to"),
        ("breaker to T3", "There is no bus “T3” to go to"),
        ("cable 95 al 10 m to Filter hall", "Filter hall stands at 0.4 kV, not 11 kV"),
        ("motor 10 kW to Filter hall", "Only what has two ends can go to a bus"),
        ("relay si 100 A tm 1", "A relay needs a breaker"),
    ],
)
def test_ties_and_relays_that_cannot_be(text, told):
    made = plan(skerrow_water(), "", "11 kV board A", text)
    assert made.change is None
    assert told in made.problems[0]


def test_a_transformer_goes_to_a_board_of_its_other_side():
    made = plan(skerrow_water(), "", "11 kV board A", "tx 11/0.42 1 MVA to Filter hall")
    (tx,) = (made.network.elements[i] for i in made.placed)
    assert (tx.hv_bus, tx.lv_bus) == ("11 kV board A", "Filter hall")


def test_deleting_takes_relays_and_bare_junctions_with_it():
    network = skerrow_water()
    changed, inverse = apply_change(network, remove(network, ["P4"]))
    assert "P4" not in changed.elements
    assert "P4 feeder" in changed.elements  # its breaker still ends there
    changed, _ = apply_change(changed, remove(changed, ["Q24"]))
    assert not {"Q24", "B24", "P4 feeder"} & set(changed.elements)
    without_main, _ = apply_change(network, remove(network, ["Q31"]))
    assert without_main.elements["Filter hall"].main is None
    assert apply_change(apply_change(network, remove(network, ["P4"]))[0], inverse)[0] == network


def test_boards_in_line_make_room_for_each_other():
    """Ways are added to the left board of two: the right one moves with all above and below it, and the intake grows."""
    network = plan(EMPTY, "", "", "infeed 33 kV 10 kA").network
    network = plan(network, "", "Board 1", assembly("double-fed").written({"name": "Main"})).network
    left, right = network.id_of_name["Main A"], network.id_of_name["Main B"]
    for at in (right, left, left, right, left):
        name = f"Hall {len(network.elements)}"
        network = plan(network, "", at, assembly("unit-substation").written({"name": name})).network
        way = "breaker, cable 95 cu xlpe 30 m, mcc, 3x (fuse 100, contactor, cable 25 cu xlpe 35 m, motor 30 kW)"
        made = plan(network, "", network.id_of_name[name], way)
        assert made.problems == []
        network = made.network
    places = network.sheets[0].placements
    assert lying_on_each_other(network.elements, places) == []
    assert places[left].x + places[left].width < places[right].x
    assert places["Board 1"].x + places["Board 1"].width > places[right].x
    tx = next(e for e in network.elements.values() if e.kind == "transformer" and e.lv_bus in network.elements["Q4"].buses)
    assert places[tx.id].x > places[left].x + places[left].width


def test_what_stands_on_a_third_terminal():
    network, at = grown(["infeed 0.4 kV 20 kA", "breaker, changeover 400 A (breaker, generator 500 kVA 12%), bus “Essential”"])
    (over,) = (e for e in network.elements.values() if e.kind == "changeover")
    (generator,) = (e for e in network.elements.values() if e.kind == "synchronous_generator")
    assert network.elements[at].name == "Essential"
    assert over.bus == at
    assert over.second_bus in next(e for e in network.elements.values() if e.id == "Q3").buses
    assert generator.v_rated_kv == 0.4
    network, at = grown(["infeed 132 kV 20 kA", "breaker, tx3 132/33/11 60/60/20 MVA 12/18/6% (breaker, bus “Low”), breaker, bus “Medium”"])
    (tx,) = (e for e in network.elements.values() if e.kind == "three_winding_transformer")
    assert [network.elements[b].v_nominal_kv for b in tx.buses] == [132, 33, 11]
    assert (network.elements[at].name, network.elements[at].v_nominal_kv) == ("Medium", 33)
    assert StateResults(network, "Normal").result(LOAD_FLOW).totals["losses_mw"] == pytest.approx(0, abs=1e-6)
    assert plan(network, "", at, "tx3 132/33/11").problems[0].startswith("132 kV does not belong to Medium")
