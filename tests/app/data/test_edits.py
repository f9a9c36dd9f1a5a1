"""What a person types becomes a change with a line that can be read."""

import pytest

from northfell.app.data import edits
from northfell.app.project.projects import Project
from northfell.app.results.studies import ResultsCache
from northfell.core.errors import NetworkRefused, NotFound
from northfell.core.model.changes import Add, Change, PutSetting, Set, apply_change
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.demo import skerrow_water
from northfell.store.projects import ProjectRow

DEMO = skerrow_water()
TIE = "Tie closed, T2 out"


@pytest.mark.parametrize(
    ("state", "element", "field", "typed", "title"),
    [
        ("Normal", "W25", "length_m", "0,7 km", "W25 length 640 → 700 m"),
        ("Normal", "W25", "c_uf_per_km", "", "W25 capacitance 0.29 → empty µF/km"),
        ("Normal", "Q31", "trip_tsd", "0.2", "Q31 short-time band 0.4 → 0.2"),
        ("Normal", "F411", "i_rated_a", "200", "F411 rated current 250 → 200 A"),
        ("Normal", "Ultraviolet", "bus", "Filter hall", "Ultraviolet bus Ozone hall → Filter hall"),
        ("Normal", "Blowers", "count", "4", "Blowers count 3 → 4"),
        ("Normal", "P4", "in_service", "true", "P4 in service no → yes"),
        (TIE, "P2", "load_factor", "0.5", f"P2 load factor 0.92 → 0.5 in {TIE}"),
        (TIE, "W25", "length_m", "700", "W25 length 640 → 700 m"),
    ],
)
def test_titles_of_edits(state, element, field, typed, title):
    change = edits.set_field(DEMO, state, element, field, typed)
    assert change.title == title
    changed, _ = apply_change(DEMO, change)
    assert changed != DEMO
    if "in Tie" in title:
        assert changed.elements == DEMO.elements


def test_operating_says_in_which_state():
    assert edits.operate(DEMO, "Normal", "Q10").title == "Q10 closed in Normal"
    assert edits.operate(DEMO, TIE, "Q10").title == f"Q10 opened in {TIE}"
    with pytest.raises(NotFound, match="cannot be opened or closed"):
        edits.operate(DEMO, "Normal", "T3")


def test_typical_values_are_offered_only_where_there_are_some():
    emptied, _ = apply_change(DEMO, edits.set_field(DEMO, "Normal", "W25", "t_end_degc", ""))
    change = edits.fill_typical(emptied, "W25")
    assert change.title == "W25 typical values for 1 fields"
    assert apply_change(emptied, change)[0] == DEMO
    with pytest.raises(NetworkRefused, match=r"Nothing is missing here\."):
        edits.fill_typical(DEMO, "W25")


@pytest.mark.parametrize(
    ("element", "values", "told"),
    [
        ("W311", {"area_mm2": None, "r_ohm_per_km": None}, "Enter first: cross-section"),
        ("Filter hall", {"gap_mm": None, "equipment_class": "5 kV MCC"}, "The class 5 kV MCC is not meant for 0.4 kV: choose another."),
    ],
)
def test_why_there_is_no_typical_value(element, values, told):
    emptied, _ = apply_change(DEMO, Change("", (Set(id=element, values=values),)))
    with pytest.raises(NetworkRefused, match=told):
        edits.fill_typical(emptied, element)


def test_settings_are_read_like_fields():
    assert edits.set_setting(DEMO, "limits.loading_close_pct", "80").title == "Loading, close 90 → 80 %"
    assert edits.set_setting(DEMO, "short_circuit.lv_tolerance_pct", "6").acts == (PutSetting(path="short_circuit.lv_tolerance_pct", value=6),)
    assert edits.set_setting(DEMO, "arc_flash.two_second_rule", "false").acts[0].value is False
    assert edits.set_setting(DEMO, "frequency_hz", "60").acts[0].value == 60
    with pytest.raises(NotFound):
        edits.set_setting(DEMO, "limits.nothing", "1")
    with pytest.raises(NetworkRefused, match="voltage_close_pct"):
        edits.set_setting(DEMO, "limits.voltage_close_pct", "5 kV")
    with pytest.raises(NetworkRefused, match="above 0 %"):
        edits.set_setting(DEMO, "limits.voltage_close_pct", "-1")


def test_a_state_is_made_by_copying_one_and_taken_away():
    made, inverse = apply_change(DEMO, edits.copy_state(DEMO, TIE, " Night "))
    assert made.state_names == [*DEMO.state_names, "Night"]
    assert made.state("Night").differences == DEMO.state(TIE).differences
    assert apply_change(made, inverse)[0] == DEMO
    changed, _ = apply_change(made, edits.operate(made, "Night", "Q10"))
    assert changed.state(TIE) == DEMO.state(TIE)  # a copy of its own
    assert apply_change(made, edits.remove_state(made, "Night"))[0] == DEMO
    with pytest.raises(NetworkRefused, match="Normal is the network as drawn"):
        edits.remove_state(DEMO, "Normal")
    with pytest.raises(NetworkRefused, match="a name that no other state has"):
        apply_change(DEMO, edits.copy_state(DEMO, "Normal", TIE))
    with pytest.raises(NetworkRefused, match="1 to 80 characters"):
        edits.copy_state(DEMO, "Normal", " ")


def test_typing_the_assumed_value_makes_it_ones_own():
    own, _ = apply_change(DEMO, edits.set_field(DEMO, "Normal", "W25", "t_end_degc", "250"))
    assert own.elements["W25"].t_end_degc == 250
    assert "t_end_degc" not in own.elements["W25"].assumed
    assert edits.set_field(own, "Normal", "W25", "t_end_degc", "250").acts == ()


@pytest.mark.parametrize(("field", "told"), [("assumed", "no field"), ("colour", "no field")])
def test_fields_that_are_not_there(field, told):
    with pytest.raises(NotFound, match=told):
        edits.set_field(DEMO, "Normal", "W25", field, "1")


def test_results_are_kept_by_version_and_forgotten_in_order():
    cache = ResultsCache(most=2)

    def project(version, proposal=""):
        return Project(ProjectRow(1, "P", version, 0, "", "", 0, 0), DEMO, None, None, proposal)

    first = cache.of(project(1))
    assert cache.of(project(1)) is first
    assert cache.of(project(1, "Other")) is not first
    cache.of(project(2))
    cache.of(project(3))
    assert cache.of(project(1)) is not first
    assert first.at("Normal").result(LOAD_FLOW) is first.at("Normal").result(LOAD_FLOW)


def test_a_junction_that_becomes_a_board_is_drawn_as_one():
    made, inverse = apply_change(DEMO, edits.set_field(DEMO, "Normal", "P1 feeder", "bus_kind", "panel"))
    assert made.elements["P1 feeder"].bus_kind == "panel"
    assert made.sheets[0].placements["P1 feeder"].width > 0
    assert apply_change(made, inverse)[0] == DEMO


def test_a_changeover_switch_is_operated_in_the_state_shown():
    over = {"kind": "changeover", "id": "Q", "name": "Q", "bus": "P1 feeder", "first_bus": "P2 feeder", "second_bus": "P3 feeder"}
    network, _ = apply_change(DEMO, Change("", (Add(element=over),)))
    network, _ = apply_change(network, edits.operate(network, TIE, "Q"))
    assert network.in_state(TIE)["Q"].position == "second"
    assert network.elements["Q"].position == "first"
    network, _ = apply_change(network, edits.operate(network, TIE, "Q"))
    assert "Q" not in network.state(TIE).differences
