"""Operating states as they are made, matched and set; planned elements; sets of study settings; what is typed on a card with its origin."""

import pytest

from northfell.app.data import edits, states
from northfell.app.draw import arrange
from northfell.core.errors import NetworkRefused, NotFound
from northfell.core.model.changes import Change, Set, Switch, apply_change
from northfell.core.model.network import NORMAL
from northfell.demo import bracken_quay, skerrow_water
from northfell.formats import northfell_json

DEMO, QUAY = skerrow_water(), northfell_json.read(bracken_quay())
TIE, NIGHT = "Tie closed, T2 out", "Night filling"


def do(network, *changes):
    for change in changes:
        network = apply_change(network, change)[0]
    return network


def test_the_matrix_holds_every_difference_once_and_nothing_else():
    rows = states.matrix(DEMO)
    cells = {(row.element.id, row.p.name, state) for row in rows for state in row.differs}
    assert cells == {(i, field, s.name) for s in DEMO.states for i, values in s.differences.items() for field in values}
    for row in rows:
        for state, value in row.values.items():
            assert value == getattr(DEMO.in_state(state)[row.element.id], row.p.name)
    assert [row.element.id for row in rows] == sorted((row.element.id for row in rows), key=list(DEMO.elements).index)


def test_a_copy_holds_all_that_its_original_holds_and_changes_alone():
    made = do(QUAY, edits.copy_state(QUAY, "Empty quay at night", "Night two"))
    assert made.state("Night two").load_factors == {"Quay": 0.1, "Cold store": 0.6}
    changed = do(made, states.set_factor(made, "Night two", "load", "Quay", "0,3"))
    assert changed.state("Empty quay at night") == QUAY.state("Empty quay at night")
    assert changed.state("Night two").count == 2
    assert "Quay" not in do(changed, states.set_factor(changed, "Night two", "load", "Quay", "")).state("Night two").load_factors


def test_groups_are_those_of_elements_and_of_states():
    assert states.groups(QUAY, "load") == ["", "Cold store", "Lighting", "Quay"]
    assert states.groups(QUAY, "generation") == [""]


def test_planned_elements_come_in_and_what_leaves_goes_out():
    third = QUAY.in_state("Third compressor")
    assert [third[i].in_service for i in ("52-15", "C15", "Ammonia compressor 3", "Yard lighting")] == [True, True, True, False]
    with pytest.raises(NetworkRefused, match="a state other than Normal"):
        states.include_planned(QUAY, NORMAL)
    with pytest.raises(NetworkRefused, match="planned elements"):
        states.include_planned(DEMO, TIE)


def test_standing_follows_in_service_as_drawn():
    planned = do(DEMO, edits.set_field(DEMO, NORMAL, "P4", "status", "planned"))
    assert not planned.elements["P4"].in_service
    assert planned.in_state(NIGHT)["P4"].in_service  # the state included it already
    exists = do(planned, edits.set_field(planned, NORMAL, "P4", "status", "existing"))
    assert exists.elements["P4"].in_service


def test_renaming_keeps_what_differs_and_normal_its_name():
    renamed = do(DEMO, states.rename(DEMO, TIE, " Tie closed "))
    assert renamed.state("Tie closed").differences == DEMO.state(TIE).differences
    with pytest.raises(NetworkRefused, match="a state other than Normal"):
        states.rename(DEMO, NORMAL, "Usual")
    with pytest.raises(NotFound):
        states.rename(DEMO, "None such", "Usual")


def test_a_star_point_may_be_earthed_otherwise_in_a_state():
    changed = do(DEMO, states.set_in_state(DEMO, TIE, "T1", "neutral_lv", "isolated"))
    assert (changed.elements["T1"].neutral_lv, changed.in_state(TIE)["T1"].neutral_lv) == ("resistor", "isolated")


def test_origins_are_kept_for_data_and_told_in_history():
    read = do(DEMO, edits.set_field(DEMO, NORMAL, "W25", "r_ohm_per_km", "0.33", "test report: 4711"))
    w25 = read.elements["W25"]
    assert (w25.origins, "r_ohm_per_km" in w25.assumed) == ({"r_ohm_per_km": "test report: 4711"}, False)
    assert edits.set_field(read, NORMAL, "W25", "r_ohm_per_km", "0.33", "test report: 4711").acts == ()
    assert edits.set_field(DEMO, NORMAL, "W25", "r_ohm_per_km", "0.32").acts != ()  # the same figure, no longer typical
    said = edits.set_origin(read, "W25", "i_rated_a", "nameplate")
    assert said.title == "W25 current-carrying capacity from nameplate"
    assert do(read, said).elements["W25"].origins["i_rated_a"] == "nameplate"
    operated = do(DEMO, edits.set_field(DEMO, NORMAL, "P1", "load_factor", "0.5", "nameplate"))
    assert operated.elements["P1"].origins == {}  # how it is run is read nowhere
    for field, origin, told in (("i_rated_a", "hearsay", "one of nameplate"), ("c_uf_per_km", "nameplate", None), ("nothing", "nameplate", "one of nameplate")):
        if told:
            with pytest.raises(NetworkRefused, match=told):
                edits.set_origin(DEMO, "W25", field, origin)
    with pytest.raises(NetworkRefused, match="a value before its origin"):
        edits.set_origin(DEMO, "T1", "rise", "nameplate")


def test_one_typical_value_replaces_what_stands_and_says_so():
    own = do(DEMO, edits.set_field(DEMO, NORMAL, "W25", "r_ohm_per_km", "0.5"))
    back = do(own, edits.fill_one_typical(own, "W25", "r_ohm_per_km"))
    assert back.elements["W25"].r_ohm_per_km == 0.32
    assert back.elements["W25"].assumed["r_ohm_per_km"].startswith("IEC 60228")
    with pytest.raises(NetworkRefused, match="a typical value where a rule gives one"):
        edits.fill_one_typical(DEMO, "W25", "length_m")


def test_all_that_is_missing_is_filled_at_once_and_locked_data_left():
    fields = {"W25": {"t_end_degc": None}, "T3": {"ur_pct": None, "load_loss_kw": None}, "Filter hall": {"gap_mm": None}}
    emptied = do(DEMO, Change("", tuple(Set(id=i, values=values) for i, values in fields.items())))
    held = do(DEMO, Change("on load", (Switch(state="Night filling", id="T1", values={"tap_changer": "holds voltage"}),)))
    assert do(held, edits.fill_typical(held, "T1")).elements["T1"].tap_step_pct == 1.25  # what a state alone asks for is filled too
    filled = do(emptied, edits.fill_all_typical(emptied))
    assert (filled.elements["W25"].t_end_degc, filled.elements["Filter hall"].gap_mm) == (250.0, 32.0)
    assert filled.elements["T3"].assumed["ur_pct"].startswith("from typical X/R")
    locked = do(emptied, Change("", (Set(id="W25", values={"locked": True}),)))
    assert do(locked, edits.fill_all_typical(locked)).elements["W25"].t_end_degc is None


def test_sets_of_settings_act_on_findings_limits():
    strict = do(DEMO, edits.change_sets(DEMO, "keep", "Strict"))
    strict = do(strict, edits.set_setting(strict, "limits.loading_breach_pct", "50"))
    assert strict.settings.set_name == "Strict"
    standard = do(strict, edits.change_sets(strict, "use", "Standard"))
    assert (standard.settings.limits.loading_breach_pct, strict.settings.limits.loading_breach_pct) == (100.0, 50.0)
    again = do(standard, edits.change_sets(standard, "use", "Strict"))
    assert again.settings == strict.settings


def test_a_folded_board_is_no_longer_than_what_still_hangs_on_it():
    before = DEMO.sheets[0].placements["Ozone hall"].width
    folded = do(DEMO, arrange.fold(DEMO, "Whole works", "Ozone hall"))
    after = folded.sheets[0].placements["Ozone hall"]
    assert after.schedule
    assert after.width <= before
    left = [p.x for i, p in folded.sheets[0].placements.items() if "Ozone hall" in folded.elements[i].buses]
    assert all(x <= after.x + after.width for x in left)
