"""Change sets: validated whole, undone exactly."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import BUS_A, network_of

from northfell.core.errors import NetworkRefused, NotFound
from northfell.core.model.changes import (
    Add,
    Attach,
    Change,
    Connect,
    Move,
    PutEntry,
    PutSettings,
    PutSheet,
    PutStates,
    Remove,
    Set,
    Switch,
    apply_change,
    setting_at,
    setting_paths,
    settings_with,
)
from northfell.core.model.changes.touched import meeting, touched_by
from northfell.core.model.elements import Document
from northfell.core.model.network import OperatingState, OwnEntry, Placement, Sheet
from northfell.core.model.settings import ProjectSettings
from northfell.core.studies import STUDIES
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.demo import skerrow_water

DEMO = skerrow_water()
NETWORK = network_of([BUS_A])
TIE = "Tie closed, T2 out"
LEAVES = ["P1", "C1", "Ultraviolet", "B21", "Blower aux"]
acts = st.one_of(
    st.builds(lambda v: Set(id="W25", values={"length_m": v}), st.floats(1, 5000)),
    st.builds(lambda v: Set(id="W25", values={"r_ohm_per_km": v}, assumed={"r_ohm_per_km": "a table"}), st.floats(0.01, 1)),
    st.builds(lambda n: Set(id="T3", values={"name": n}), st.text("abc <>'\"&", min_size=1, max_size=9).filter(lambda s: s == s.strip() and s)),
    st.builds(lambda c, s: Switch(state=s, id="Q10", values={"closed": c}), st.booleans(), st.sampled_from(["Normal", TIE])),
    st.builds(lambda f: Switch(state=TIE, id="P2", values={"load_factor": f}), st.one_of(st.none(), st.floats(0, 2))),
    st.builds(lambda x, y: Move(sheet="Whole works", id="T3", to=Placement(x=x, y=y)), st.floats(0, 90), st.floats(0, 60)),
    st.builds(lambda: Connect(id="Ultraviolet", terminal="bus", bus="Filter hall")),
    st.builds(lambda v: Set(id="W25", values={"length_m": v}, origins={"length_m": "test report: 7"}, catalogue="Some entry"), st.floats(1, 5000)),
    st.builds(lambda n: Attach(id="T4", documents=[Document(name=f"{n}.pdf", media_type="application/pdf", size=n, sha256="a" * 64)]), st.integers(1, 9)),
    st.builds(lambda n, v: PutEntry(name="", to=OwnEntry(name=f"Entry {n}", kind="cable", values={"i_rated_a": v})), st.uuids(), st.floats(1, 500)),
    st.builds(lambda f: PutStates(states=[s.model_copy(update={"load_factors": {"": f}}) for s in DEMO.states]), st.floats(0, 100)),
    st.builds(lambda b: Set(id="T4", values={"locked": b}), st.just(False)),
    st.builds(lambda v: PutSettings(settings=settings_with(DEMO.settings, "limits.loading_close_pct", v)), st.floats(1, 200)),
)


@given(st.lists(acts, min_size=1, max_size=6), st.permutations(LEAVES))
def test_inverse_takes_a_change_back_exactly(some, leaves):
    change = Change("several", (*some, Remove(id=leaves[0]), Remove(id=leaves[1]) if leaves[1] != "P1" else Remove(id="Ozone plant")))
    changed, inverse = apply_change(DEMO, change)
    again = Change.from_json("several", change.to_json())
    assert apply_change(DEMO, again)[0] == changed
    back, forth = apply_change(changed, inverse)
    assert back == DEMO
    assert list(back.elements) == list(DEMO.elements)  # their order too
    assert apply_change(back, forth)[0] == changed


def test_a_state_gets_its_difference_back_though_normal_changed_with_it():
    """Closed in Normal and opened in the state by one change: undone, the state still holds the tie closed."""
    acts = (Switch(state="Normal", id="Q10", values={"closed": True}), Switch(state=TIE, id="Q10", values={"closed": False}))
    changed, inverse = apply_change(DEMO, Change("", acts))
    assert changed.state(TIE).differences["Q10"] == {"closed": False}
    assert apply_change(changed, inverse)[0].state(TIE).differences["Q10"] == {"closed": True}


def test_a_refused_act_refuses_the_whole():
    good, bad = Set(id="W25", values={"length_m": 1.0}), Set(id="W26", values={"length_m": -1.0})
    with pytest.raises(NetworkRefused, match="Cable W26: length_m is -1, accepted is a number, above 0 m"):
        apply_change(DEMO, Change("", (good, bad)))


def test_what_others_name_cannot_be_removed_alone():
    with pytest.raises(NetworkRefused, match="Overcurrent relay B1: breaker is “Q1”"):
        apply_change(DEMO, Change("", (Remove(id="Q1"),)))
    changed, _ = apply_change(DEMO, Change("", (Remove(id="Q1"), Remove(id="B1"))))
    assert "Q1" not in changed.elements


def test_setting_a_value_ends_its_assumption():
    assert "t_end_degc" in DEMO.elements["W25"].assumed
    changed, inverse = apply_change(DEMO, Change("", (Set(id="W25", values={"t_end_degc": 250.0}),)))
    assert "t_end_degc" not in changed.elements["W25"].assumed
    assert apply_change(changed, inverse)[0] == DEMO


def test_what_equals_normal_is_no_difference():
    changed, _ = apply_change(DEMO, Change("", (Switch(state=TIE, id="Q10", values={"closed": False}),)))
    assert "Q10" not in changed.state(TIE).differences


@pytest.mark.parametrize(
    ("act", "error", "told"),
    [
        (Set(id="nobody", values={}), NotFound, "no element “nobody”"),
        (Set(id="W25", values={"colour": 1}), NetworkRefused, "field is “colour”, accepted is a parameter of a cable"),
        (Switch(state="Normal", id="W25", values={"length_m": 1.0}), NetworkRefused, "a field that an operating state may hold"),
        (Switch(state="Night", id="Q10", values={"closed": True}), NotFound, "no operating state “Night”"),
        (Connect(id="W25", terminal="middle", bus="Filter hall"), NetworkRefused, "one of from_bus, to_bus"),
        (Connect(id="W25", terminal="to_bus", bus="T3"), NetworkRefused, "T3 is a two-winding transformer"),
        (Add(element={"kind": "bus", "id": "x", "name": "Filter hall"}), NetworkRefused, "a name that no other element has"),
        (Move(sheet="Attic", id="T3", to=None), NotFound, "no sheet “Attic”"),
        (PutStates(states=[OperatingState(name="Normal")]), NetworkRefused, "a name that no other state has"),
        (PutStates(states=[OperatingState(name="Odd", differences={"Q10": {"closed": "ajar"}})]), NetworkRefused, "closed is “ajar”"),
    ],
)
def test_refusals(act, error, told):
    with pytest.raises(error, match=None) as raised:
        apply_change(DEMO, Change("", (act,)))
    assert told in str(raised.value)


def test_the_settings_of_every_study_survive_change_sets_and_sets_kept_aside():
    settings = ProjectSettings()
    for study in STUDIES:
        assert type(settings.of_study(study.key)) is study.settings
    other = settings_with(settings_with(settings, "load_flow.load_level_pct", 50.0), "arc_flash.variation_pct", 7.0)
    aside = other.model_copy(update={"set_name": "Low", "sets_aside": {"High": settings.in_use}})
    (put,) = Change.from_json("Set", Change("Set", (PutSettings(settings=aside),)).to_json()).acts
    assert put.settings == aside
    back = put.settings.using("High")
    assert (back.of(LOAD_FLOW.settings).load_level_pct, back.sets_aside["Low"].of(LOAD_FLOW.settings).load_level_pct) == (100.0, 50.0)
    assert back.sets_aside["Low"].of_study("arc_flash").variation_pct == 7.0


def test_nothing_that_was_found_of_a_record_outlives_what_it_was_found_of():
    """What another set of settings makes of the consumers, and who stands where after elements changed, is found anew."""
    low = settings_with(ProjectSettings(), "load_flow.load_level_pct", 50.0)
    both = low.model_copy(update={"sets_aside": {"Full": ProjectSettings().in_use}})
    assert both.scale_of_consumers == 0.5
    assert both.using("Full").scale_of_consumers == 1.0
    network = DEMO.model_copy()
    assert any("P1" in there for there in network.adjacency.at.values())
    assert "P1" in network.id_of_name
    without = network.model_copy(update={"elements": {i: e for i, e in network.elements.items() if i != "P1"}})
    assert "P1" not in without.id_of_name
    assert all("P1" not in there for there in without.adjacency.at.values())


def test_a_sheet_is_put_where_it_is_told_and_renamed_there_and_all_is_taken_back():
    """Add at the front, rename in place, replace whole: each by the list of names, and each undone."""
    network = NETWORK.model_copy(update={"sheets": [Sheet(name="One"), Sheet(name="Two")]})
    for act, names in (
        (PutSheet(name="", to=Sheet(name="Zero"), at=0), ["Zero", "One", "Two"]),
        (PutSheet(name="", to=Sheet(name="Three")), ["One", "Two", "Three"]),
        (PutSheet(name="One", to=Sheet(name="Uno")), ["Uno", "Two"]),
        (PutSheet(name="Two", to=Sheet(name="Two"), at=0), ["Two", "One"]),
        (PutSheet(name="One", to=None), ["Two"]),
    ):
        after, back = apply_change(network, Change("", (act,)))
        assert [sheet.name for sheet in after.sheets] == names
        assert apply_change(after, back)[0] == network


@pytest.mark.parametrize(
    ("act", "paths"),
    [
        (PutSheet(name="One", to=Sheet(name="Uno")), {("sheet", "One"), ("sheet", "Uno")}),
        (PutSheet(name="", to=Sheet(name="New")), {("sheet", "New")}),
        (PutSheet(name="One", to=None), {("sheet", "One")}),
        (Set(id="A", values={"name": "X", "note": ""}, catalogue="C"), {("element", "A", "name"), ("element", "A", "note"), ("element", "A", "catalogue")}),
        (Remove(id="A"), {("element", "A")}),
        (Switch(state="Normal", id="A", values={"in_service": False}), {("element", "A", "in_service")}),
        (Switch(state="Night", id="A", values={"in_service": False}), {("state", "Night", "A", "in_service")}),
    ],
)
def test_what_an_act_touches(act, paths):
    assert touched_by(Change("", (act,))) == paths


def test_paths_meet_where_one_is_the_other_or_lies_below_it():
    one, whole, other = ("element", "A", "name"), ("element", "A"), ("element", "A", "note")
    assert meeting(frozenset([one]), frozenset([one])) == {one}
    assert meeting(frozenset([one]), frozenset([whole])) == {one}
    assert meeting(frozenset([whole]), frozenset([one])) == {whole}
    assert meeting(frozenset([one, other]), frozenset([("element", "B"), ("element", "A", "name", "deep")])) == {one}
    assert meeting(frozenset([one]), frozenset([other])) == set()


def test_every_setting_that_a_person_enters_has_a_path():
    paths = setting_paths()
    assert {"frequency_hz", "s_base_mva", "limits.loading_close_pct", "short_circuit.lv_tolerance_pct"} <= set(paths)
    empty = [path for path in paths if setting_at(NETWORK.settings, path) is None and not path.startswith("limits.")]
    assert empty[:-1] == [f"sizing.{what}" for what in ("earth_electrode_ohm", "conductor", "insulation")]  # which nobody but the site knows
    assert empty[-1] == "line_constants.frequency_hz"  # the network's
    assert not {"sets_aside", "name_starts", "limits", "units"} & set(paths)
