"""Two people on one model: what meets is refused with both values and the name, all else is applied; nothing unseen is taken back."""

from concurrent.futures import ThreadPoolExecutor

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.app.data import edits, states
from northfell.app.project.projects import change_project, create_project, go_back, open_project, redo, undo
from northfell.core.errors import StaleVersion
from northfell.core.finding import Finding
from northfell.core.model.changes import ACTS, Add, Change, Connect, Move, Remove, Set, proposing
from northfell.core.model.changes.touched import meeting, touched_by
from northfell.core.model.network import Placement
from northfell.core.verdicts.acknowledging import acknowledge
from northfell.demo import skerrow_water
from northfell.store import connect, history, steps
from northfell.store.database import migrate

DEMO = skerrow_water()
TIE = "Tie closed, T2 out"


@pytest.fixture
def path(tmp_path):
    return tmp_path / "northfell.sqlite3"


@pytest.fixture
def ann(path):
    db = connect(path, "ann")
    migrate(db)
    create_project(db, DEMO)
    yield db
    db.close()


@pytest.fixture
def ben(path, ann):
    db = connect(path, "ben")
    yield db
    db.close()


def length(metres, cable="W25"):
    return lambda network: edits.set_field(network, "Normal", cable, "length_m", f"{metres}")


def test_edits_of_other_fields_and_elements_are_applied_to_what_is_there(ann, ben):
    change_project(ann, 1, length(700), 1)
    change_project(ben, 1, length(500, "W26"), 1)
    change_project(ben, 1, lambda n: edits.set_field(n, "Normal", "W25", "note", "by the wall"), 1)
    network = open_project(ann, 1).network
    assert (network.elements["W25"].length_m, network.elements["W25"].note, network.elements["W26"].length_m) == (700, "by the wall", 500)
    assert [line.made_by for line in history.newest(ann, 1)] == ["ben", "ben", "ann"]


def test_the_same_field_is_refused_with_both_values_and_who_it_was(ann, ben):
    change_project(ann, 1, length(700), 1)
    with pytest.raises(StaleVersion) as refused:
        change_project(ben, 1, length(500), 1)
    assert "W25 length 700 → 500 m" in str(refused.value)
    assert "ann: “W25 length 640 → 700 m”" in str(refused.value)
    assert open_project(ben, 1).network.elements["W25"].length_m == 700
    change_project(ben, 1, length(500), 2)  # having looked
    assert open_project(ben, 1).network.elements["W25"].length_m == 500


@pytest.mark.parametrize(
    ("first", "second"),
    [
        (Change("gone", (Remove(id="Dosing aux"),)), lambda n: edits.set_field(n, "Normal", "Dosing aux", "p_mw", "0.1")),
        (lambda n: edits.set_field(n, "Normal", "Dosing aux", "p_mw", "0.1"), Change("gone", (Remove(id="Dosing aux"),))),
        (lambda n: edits.operate(n, TIE, "Q10"), lambda n: edits.operate(n, TIE, "Q10")),
        (lambda n: states.rename(n, TIE, "Other"), lambda n: edits.operate(n, TIE, "Q10")),
        (lambda n: edits.set_setting(n, "limits.loading_close_pct", "80"), lambda n: edits.set_setting(n, "limits.loading_close_pct", "85")),
        (lambda n: states.set_factor(n, TIE, "load", "", "0.8"), lambda n: states.set_factor(n, TIE, "load", "", "0.9")),
        (
            Change("here", (Move(sheet=DEMO.sheets[0].name, id="W25", to=Placement(x=1, y=1)),)),
            Change("there", (Move(sheet=DEMO.sheets[0].name, id="W25", to=Placement(x=2, y=2)),)),
        ),
    ],
)
def test_what_meets_is_refused(ann, ben, first, second):
    change_project(ann, 1, first, 1)
    with pytest.raises((StaleVersion, LookupError)):
        change_project(ben, 1, second, 1)
    assert open_project(ben, 1).version == 2


@pytest.mark.parametrize(
    ("first", "second"),
    [
        (lambda n: edits.operate(n, TIE, "Q10"), lambda n: edits.operate(n, "Normal", "Q10")),
        (lambda n: edits.set_setting(n, "limits.loading_close_pct", "80"), lambda n: edits.set_setting(n, "limits.voltage_close_pct", "3")),
        (lambda n: edits.copy_state(n, TIE, "One"), lambda n: edits.copy_state(n, TIE, "Two")),
        (lambda n: states.set_factor(n, TIE, "load", "", "0.8"), lambda n: states.set_factor(n, TIE, "generation", "", "0.8")),
        (lambda n: proposing.new_proposal(n, "One"), lambda n: proposing.new_proposal(n, "Two")),
        (lambda n: edits.set_name_start(n, "cable", "C"), lambda n: edits.set_name_start(n, "bus", "SB")),
        (
            lambda n: acknowledge(n, Finding("load_flow", "Normal", "W25", "W25", "close", "x", check="loading"), "known"),
            lambda n: acknowledge(n, Finding("load_flow", "Normal", "W26", "W26", "close", "x", check="loading"), "known"),
        ),
    ],
)
def test_acts_on_other_items_of_a_list_do_not_meet(ann, ben, first, second):
    change_project(ann, 1, first, 1)
    change_project(ben, 1, second, 1)
    both = open_project(ann, 1)
    assert both.version == 3
    assert go_back(ann, 1, 0, 3).network == DEMO


def test_undo_never_takes_back_what_was_not_seen(ann, ben):
    change_project(ann, 1, length(700), 1)
    change_project(ben, 1, length(500, "W26"), 2)
    with pytest.raises(StaleVersion, match=r"ben: “W26 length .* → 500 m”.*what has not been seen is not taken back"):
        undo(ann, 1, 2)
    assert open_project(ann, 1).undo_by == "ben"
    undo(ann, 1, 3)  # having looked: whoever made it
    with pytest.raises(StaleVersion, match="Undone: W26"):
        redo(ben, 1, 3)
    with pytest.raises(StaleVersion):
        go_back(ben, 1, 0, 3)
    assert go_back(ben, 1, 0, 4).network == DEMO


def test_two_people_inside_one_proposal(ann, ben):
    change_project(ann, 1, lambda n: proposing.new_proposal(n, "P"), 1)
    change_project(ann, 1, length(700), 2, "P")
    change_project(ben, 1, length(500, "W26"), 2, "P")
    with pytest.raises(StaleVersion):
        change_project(ben, 1, length(600), 2, "P")
    inside = open_project(ben, 1, "P").network
    assert (inside.elements["W25"].length_m, inside.elements["W26"].length_m) == (700, 500)
    assert open_project(ben, 1).network.elements == DEMO.elements
    # the network moves on below it: an edit inside that was seen on the older one meets it
    change_project(ann, 1, length(900), 4)
    with pytest.raises(StaleVersion):
        change_project(ben, 1, length(600), 4, "P")


def test_an_edit_inside_a_proposal_appends_one_act_whatever_stands_before(ann):
    change_project(ann, 1, lambda n: proposing.new_proposal(n, "P"), 1)
    for n in range(60):
        change_project(ann, 1, length(600 + n), 2 + n, "P")
    sizes = [row[0] for row in ann.execute("SELECT length(acts) + length(inverse) FROM change ORDER BY seq")]
    assert sizes[60] <= sizes[2] * 1.1
    assert ann.execute("SELECT count(*) FROM proposed_change").fetchone()[0] == 60
    again = connect(ann.execute("PRAGMA database_list").fetchone()["file"])
    assert open_project(again, 1, "P").network.elements["W25"].length_m == 659
    undo(ann, 1, 62)
    assert ann.execute("SELECT count(*) FROM proposed_change").fetchone()[0] == 59
    assert open_project(ann, 1, "P").network.elements["W25"].length_m == 658


def test_a_version_that_is_not_known_any_more_is_refused(ann, monkeypatch):
    monkeypatch.setattr(steps, "MOST", 2)
    for n in range(5):
        change_project(ann, 1, length(700 + n), 1 + n)
    with pytest.raises(StaleVersion, match="changed meanwhile"):
        change_project(ann, 1, length(5, "W26"), 1)
    with pytest.raises(StaleVersion):
        change_project(ann, 1, length(5, "W26"), 99)


def test_many_writers_of_unrelated_fields_are_all_taken(path, ann):
    cables = [e.id for e in DEMO.elements.values() if e.kind == "cable"][:6]

    def writes(cable):
        db = connect(path, cable)
        for n in range(5):
            change_project(db, 1, length(100 + n, cable), 1 if n == 0 else open_project(db, 1).version)
        db.close()

    with ThreadPoolExecutor(6) as pool:
        list(pool.map(writes, cables))
    network = open_project(ann, 1).network
    assert [network.elements[c].length_m for c in cables] == [104.0] * 6
    assert open_project(ann, 1).version == 31


PATHS = st.lists(st.lists(st.sampled_from("abc"), min_size=1, max_size=3).map(tuple), max_size=6).map(frozenset)


@given(PATHS, PATHS)
def test_paths_meet_where_one_holds_the_other(one, other):
    expected = {p for p in one if any(p[: len(q)] == q or q[: len(p)] == p for q in other)}
    assert meeting(one, other) == expected


def test_every_act_says_what_it_touches():
    kinds = {ref["$ref"].rsplit("/", 1)[-1] for ref in ACTS.json_schema()["items"]["oneOf"]}
    assert len(kinds) >= 21
    assert touched_by(Change("", (Connect(id="Dosing aux", terminal="bus", bus="Filter hall"),))) == {("element", "Dosing aux", "bus")}
    assert touched_by(Change("", (Add(element={"id": "x"}),))) == {("element", "x")}
    assert touched_by(Change("", (Set(id="a", values={"b": 1}, catalogue="c"),))) == {("element", "a", "b"), ("element", "a", "catalogue")}
