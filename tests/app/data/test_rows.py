"""Tables of an element: cells, rows and names as a person edits them, with their way back; what does not fit is refused with its place."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, network_of

from northfell.app.data import edits, rows
from northfell.app.data.columns import Head
from northfell.app.data.tabling import set_cells
from northfell.app.project.repairing import _after
from northfell.core.errors import NetworkRefused, NotFound
from northfell.core.model.changes import Change, PutRow, apply_change, proposing
from northfell.core.model.changes.touched import meeting, touched_by
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.declare.rows import plain
from northfell.core.model.elements import KINDS
from northfell.core.model.network import OperatingState, element_from
from northfell.core.network import compile_network
from northfell.core.studies import load_flow
from northfell.formats import network_tables

SOLAR = {"kind": "inverter", "name": "S", "bus": "B", "s_rated_mva": 2.0, "ik_over_ir": 1.2, "output_levels": {"noon": 1.6, "dusk": 0.2},
         "output_level": "dusk"}  # fmt: skip
NETWORK = network_of([BUS_A, BUS_B, INFEED, CABLE, SOLAR], [OperatingState(name="Noon", differences={"S": {"output_level": "noon"}})])
LEVELS = "output_levels"


def done(network, change):
    """The network with a change that was kept as text; undone, it is the network again."""
    kept = Change.from_json(change.title, change.to_json())
    after, back = apply_change(network, kept)
    again, _ = apply_change(after, Change.from_json("", back.to_json()))
    assert again == network
    return after


def levels(network):
    return {row.name: row.p_mw for row in network.elements["S"].output_levels}


def test_a_cell_is_one_act_and_one_line_of_history():
    change = rows.set_cell(NETWORK, "S", LEVELS, 1, "p_mw", "250 kW")
    assert [type(act) for act in change.acts] == [PutRow]
    assert change.title == "S output levels, dusk: active power 0.2 → 0.25 MW"
    assert levels(done(NETWORK, change)) == {"noon": 1.6, "dusk": 0.25}
    assert rows.set_cell(NETWORK, "S", LEVELS, 1, "p_mw", "0.2").acts == ()


def test_rows_come_and_go_and_two_people_meet_there():
    more = done(NETWORK, rows.add_rows(NETWORK, "S", LEVELS, "haze | 0,8 MW; night | 0"))
    assert levels(more) == {"noon": 1.6, "dusk": 0.2, "haze": 0.8, "night": 0.0}
    fewer = done(more, rows.remove_row(more, "S", LEVELS, 2))
    assert levels(fewer) == {"noon": 1.6, "dusk": 0.2, "night": 0.0}
    one, other = (touched_by(rows.set_cell(NETWORK, "S", LEVELS, n, "p_mw", "1")) for n in (0, 1))
    assert meeting(one, other)
    assert not meeting(one, touched_by(edits.set_field(NETWORK, "Normal", "S", "note", "x")))


def test_what_chose_a_row_by_its_name_follows_a_new_one():
    renamed = done(NETWORK, rows.set_cell(NETWORK, "S", LEVELS, 0, "name", "high noon"))
    assert (renamed.elements["S"].output_level, renamed.state("Noon").differences["S"]["output_level"]) == ("dusk", "high noon")
    renamed = done(renamed, rows.set_cell(renamed, "S", LEVELS, 1, "name", "evening"))
    assert renamed.elements["S"].output_level == "evening"
    power = {s: next(r["p_mw"] for r in load_flow.run(compile_network(renamed, s)).table("sources").records() if r["name"] == "S") for s in renamed.state_names}
    assert power == pytest.approx({"Normal": 0.2, "Noon": 1.6})
    with pytest.raises(NetworkRefused, match="accepted is one of noon"):  # a level in use stays
        apply_change(NETWORK, rows.remove_row(NETWORK, "S", LEVELS, 1))


@pytest.mark.parametrize("typed", ["full", "2", "full 3 kV", "full nan", "full | 2 | 3", "full |", "| 2"])
def test_rows_that_cannot_be_read_are_refused_with_their_place(typed):
    with pytest.raises(NetworkRefused, match=r"Inverter source S.*(name|p_mw|levels)"):
        apply_change(NETWORK, rows.add_rows(NETWORK, "S", LEVELS, typed))


@pytest.mark.parametrize(
    ("make", "told"),
    [
        (lambda: rows.set_cell(NETWORK, "S", LEVELS, 1, "name", "noon"), "Inverter source S.*name is “noon”, accepted is a name that no other row"),
        (lambda: rows.set_cell(NETWORK, "S", LEVELS, 1, "name", "a|b"), "Inverter source S, output levels, row 2: name is .* without"),
        (lambda: rows.set_cell(NETWORK, "S", LEVELS, 1, "p_mw", "2e5"), "Inverter source S, output levels, row 2: p_mw is"),
        (lambda: rows.add_rows(NETWORK, "S", LEVELS, "; ".join(f"r{n} 1" for n in range(199))), "at most 200 rows"),
        (lambda: rows.add_rows(NETWORK, "S", LEVELS, "; ".join(f"r{n} 1" for n in range(200))), "at most 200 rows"),
    ],
)
def test_what_a_table_does_not_take(make, told):
    with pytest.raises(NetworkRefused, match=told):
        apply_change(NETWORK, make())


@pytest.mark.parametrize(
    "make",
    [
        lambda: rows.set_cell(NETWORK, "S", LEVELS, 2, "p_mw", "1"), lambda: rows.set_cell(NETWORK, "S", LEVELS, -1, "p_mw", "1"),
        lambda: rows.set_cell(NETWORK, "S", LEVELS, 0, "q", "1"), lambda: rows.set_cell(NETWORK, "S", "p_mw", 0, "p_mw", "1"),
        lambda: rows.add_rows(NETWORK, "A", LEVELS, "x 1"), lambda: rows.remove_row(NETWORK, "S", LEVELS, 7),
        lambda: apply_change(NETWORK, Change("", (PutRow(id="S", field=LEVELS, at=2, to=None),))),
    ],
)  # fmt: skip
def test_a_row_that_is_not_there_is_told(make):
    with pytest.raises(NotFound, match=r"no (row|field)"):
        make()


def test_a_locked_element_keeps_its_rows():
    locked = network_of([BUS_A, BUS_B, INFEED, CABLE, {**SOLAR, "locked": True}])
    with pytest.raises(NetworkRefused, match="unlock"):
        apply_change(locked, rows.remove_row(locked, "S", LEVELS, 0))


def test_a_proposal_says_where_a_row_stands_otherwise_than_when_it_was_proposed():
    kept, _ = apply_change(NETWORK, proposing.new_proposal(NETWORK, "More sun", changes=[rows.set_cell(NETWORK, "S", LEVELS, 0, "p_mw", "1.9")]))
    inside = proposing.inside(kept, "More sun")
    assert (levels(inside.network)["noon"], inside.conflicts) == (1.9, ())
    moved, _ = apply_change(kept, rows.set_cell(kept, "S", LEVELS, 0, "p_mw", "1.7"))
    assert [c.kind for c in proposing.inside(moved, "More sun").conflicts] == ["found otherwise"]


def test_a_repair_follows_the_history_of_rows():
    raw = NETWORK.elements["S"].model_dump()
    for change in (rows.set_cell(NETWORK, "S", LEVELS, 0, "p_mw", "1.9"), rows.add_rows(NETWORK, "S", LEVELS, "haze 0.8")):
        for act in change.acts:
            raw = _after(raw, act, "S")
    assert [row.p_mw for row in element_from(raw).output_levels] == [1.9, 0.2, 0.8]


def test_the_grid_takes_a_table_as_text():
    head = Head(parameter(KINDS["inverter"], LEVELS))
    made = set_cells(NETWORK, "inverter", [("S", head, "noon | 1.5; dusk | 0.2; haze | 0.7")], "")
    assert levels(apply_change(NETWORK, made.change)[0]) == {"noon": 1.5, "dusk": 0.2, "haze": 0.7}
    assert set_cells(NETWORK, "inverter", [("S", head, "noon | 1.6; dusk | 0.2")], "").change.acts == ()
    assert "row 2 of what" in set_cells(NETWORK, "inverter", [("S", head, "dusk 1; noon high")], "").errors["S", LEVELS]


def test_a_sheet_of_rows_refuses_what_it_cannot_place():
    tables = {**network_tables.tables_of(NETWORK), LEVELS: [["element", "name", "p_mw [kW]"], ["S", "dusk", 100.0], ["A", "x", 1.0], ["S", "y", "much"]]}
    with pytest.raises(NetworkRefused) as refused:
        network_tables.read(tables)
    assert [r.where for r in refused.value.refusals] == [f"Table {LEVELS}, row 3", f"Table {LEVELS}, row 4"]
    tables[LEVELS] = tables[LEVELS][:2]
    assert network_tables.read(tables).elements["S"][LEVELS] == [{"name": "dusk", "p_mw": 0.1}]
    with pytest.raises(NetworkRefused, match="a column “element”"):
        network_tables.read({**tables, LEVELS: [["name"], ["dusk"]]})


NAME = st.text(st.characters(categories=("L", "N"), max_codepoint=0x24F), min_size=1, max_size=8)


@given(st.dictionaries(NAME, st.floats(-1e5, 1e5), max_size=5), st.data())
def test_any_change_of_rows_is_taken_back(held, data):
    network = network_of([BUS_A, BUS_B, INFEED, CABLE, {**SOLAR, "output_levels": held, "output_level": ""}])
    at, new = data.draw(st.integers(0, 5)), data.draw(st.booleans())
    to = data.draw(st.none() | st.fixed_dictionaries({"name": NAME, "p_mw": st.floats(-1e5, 1e5)}))
    act = PutRow(id="S", field=LEVELS, at=at, to=to, new=new)
    try:
        after = done(network, Change("", (act,)))
    except (NetworkRefused, NotFound):
        return
    assert json.loads(json.dumps(plain(after.elements["S"].output_levels))) == plain(after.elements["S"].output_levels)
