"""Arranging a sheet, copying and pasting, sheets and assemblies: the network stays what it is, or becomes what was asked."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.drawing.test_layout import lying_on_each_other

from northfell.app.draw import arrange, clips, sheets
from northfell.app.draw.extend import plan
from northfell.core.errors import NetworkRefused, NotFound
from northfell.core.model.assemblies import ASSEMBLIES, assembly
from northfell.core.model.changes import PutSheet, apply_change
from northfell.core.model.elements import Bus
from northfell.core.model.network import Network, Sheet, references_of
from northfell.core.network import energised, topology_of
from northfell.core.rules.ways import downstream, ways_of
from northfell.demo import skerrow_water
from northfell.drawing import layout
from northfell.drawing.shapes import Text
from northfell.drawing.sheet import draw
from northfell.drawing.standing import SheetMemory

DEMO = skerrow_water()
SHEET = DEMO.sheets[0].name


def after(network, change):
    made, inverse = apply_change(network, change)
    assert apply_change(made, inverse)[0] == network
    return made


def place(network, element):
    return network.sheets[0].placements[element]


def test_moves_snap_to_the_grid_and_nothing_moved_is_no_change():
    moved = after(DEMO, arrange.move(DEMO, SHEET, ["C1", "P1"], 1.3, -0.8))
    for i in ("C1", "P1"):
        assert (place(moved, i).x - place(DEMO, i).x, place(moved, i).y - place(DEMO, i).y) == (1.5, -1.0)
    assert arrange.move(DEMO, SHEET, ["C1"], 0.1, 0.2).acts == ()
    with pytest.raises(NetworkRefused, match="what stands on sheet"):
        arrange.move(after(DEMO, arrange.take_off(DEMO, SHEET, ["C1"])), SHEET, ["C1"], 1, 1)


def test_turned_flipped_and_aligned():
    turned = after(DEMO, arrange.turn(DEMO, SHEET, ["W25", "11 kV board A"]))
    assert (place(turned, "W25").turn, place(turned, "11 kV board A").turn) == (1, 0)
    flipped = after(DEMO, arrange.flip(DEMO, SHEET, ["T1"]))
    words = lambda n: [s.x for g in draw(n.elements, n.sheets[0], {}, {}).groups if g.element == "T1" for s in g.words if isinstance(s, Text)]  # noqa: E731
    assert max(words(flipped)) < place(DEMO, "T1").x * 10 < min(words(DEMO))
    column = after(DEMO, arrange.align(DEMO, SHEET, ["P1", "P2", "C1"], "column"))
    assert {place(column, i).x for i in ("P1", "P2", "C1")} == {place(DEMO, "P1").x}
    with pytest.raises(NetworkRefused, match="two or more symbols"):
        arrange.align(DEMO, SHEET, ["P1"], "row")
    with pytest.raises(NetworkRefused, match="not a bus"):
        arrange.turn(DEMO, SHEET, ["Filter hall"])


def test_words_stay_where_they_were_put_until_they_are_called_back():
    moved = after(DEMO, arrange.drag_words(DEMO, SHEET, "T1", 3.04, -2.0))
    assert (place(moved, "T1").tag_x, place(moved, "T1").tag_y) == (3.0, -2.0)
    shifted = after(moved, arrange.move(moved, SHEET, ["T1"], 5, 0))
    assert place(shifted, "T1").tag_x == 3.0
    assert place(after(shifted, arrange.words_home(shifted, SHEET, ["T1"])), "T1").tag_x == 0


def test_a_board_keeps_its_ways_as_a_schedule_and_draws_them_out_again():
    ways = ways_of(DEMO.elements, "Filter hall")
    assert [w.first for w in ways] == ["Hall services"]  # those to other boards are no ways
    folded = after(DEMO, arrange.fold(DEMO, SHEET, "Backwash MCC"))
    assert not {"Backwash", "Filter valves"} & set(folded.sheets[0].placements)
    assert folded.elements == DEMO.elements
    told = [s.text for g in draw(folded.elements, folded.sheets[0], {}, {}).groups if g.element == "Backwash MCC" for s in g.shapes if isinstance(s, Text)]
    assert "Backwash 4 × 75 kW" in told
    out = after(folded, arrange.unfold(folded, SHEET, "Backwash MCC"))
    assert set(out.sheets[0].placements) == set(DEMO.sheets[0].placements)
    assert lying_on_each_other(out.elements, {i: p for i, p in out.sheets[0].placements.items() if i in ("Backwash", "Filter valves", "Backwash MCC")}) == []
    with pytest.raises(NetworkRefused, match="a board that stands on sheet"):
        arrange.fold(DEMO, SHEET, "T1")


def test_removed_from_a_sheet_it_stays_in_the_network_and_references_lead_to_it():
    two = after(DEMO, sheets.add_sheet(DEMO, "Ozone"))
    two = after(two, arrange.put_on(two, "Ozone", ["T4", "Q41"]))
    assert set(two.sheet("Ozone").placements) == {"T4", "Q41", *DEMO.elements["T4"].buses, *DEMO.elements["Q41"].buses}
    flags = [g for g in draw(two.elements, two.sheet("Ozone"), {}, {}, others=[two.sheets[0]]).groups if g.cls == "away"]
    assert {(g.element, g.sheet) for g in flags} >= {("W26", SHEET)}
    off = after(two, arrange.take_off(two, SHEET, ["T4"]))
    assert "T4" in off.elements
    flags = [g for g in draw(off.elements, off.sheets[0], {}, {}, others=[off.sheet("Ozone")]).groups if g.cls == "away"]
    assert ("T4", "Ozone") in {(g.element, g.sheet) for g in flags}
    gone = after(off, sheets.remove_sheet(off, "Ozone"))
    assert [s.name for s in gone.sheets] == [SHEET]
    renamed = after(two, sheets.rename_sheet(two, SHEET, "Overview"))
    assert [s.name for s in renamed.sheets] == ["Overview", "Ozone"]
    with pytest.raises(NetworkRefused, match="at least one sheet"):
        apply_change(DEMO, sheets.remove_sheet(DEMO, SHEET))
    with pytest.raises(NetworkRefused, match="no other sheet has"):
        apply_change(two, sheets.rename_sheet(two, "Ozone", SHEET))
    with pytest.raises(NetworkRefused, match="1 to 80 characters"):
        sheets.add_sheet(DEMO, " ")


def test_what_is_kept_from_one_drawing_to_the_next_changes_nothing():
    """A drawing with a memory equals one without, through moves, switching, folding and renaming."""
    memory, network = SheetMemory(), DEMO
    for change in (
        arrange.move(DEMO, SHEET, ["T1"], 2, 0), arrange.turn(DEMO, SHEET, ["Q10"]), arrange.fold(DEMO, SHEET, "Dosing MCC"),
        arrange.drag_words(DEMO, SHEET, "W25", 1, 1), arrange.take_off(DEMO, SHEET, ["C1", "P4"]), arrange.lay_out(DEMO, SHEET),
    ):  # fmt: skip
        network, _ = apply_change(network, change)
        for state in network.state_names:
            elements = network.in_state(state)
            fed = energised(elements, topology_of(elements))
            with_memory = draw(elements, network.sheets[0], fed, {}, "T3", memory=memory)
            without = draw(elements, network.sheets[0], fed, {}, "T3")
            assert [(g.element, g.cls, g.svg) for g in with_memory.groups] == [(g.element, g.cls, g.svg) for g in without.groups]


def test_downstream_is_what_would_be_dead_without_it():
    for element in ("Q31", "T4", "W411", "Filter hall", "Q10", "P1"):
        found = set(downstream(DEMO.elements, element))
        without = {i: e.model_copy(update={"in_service": False}) if i == element else e for i, e in DEMO.elements.items()}
        before, now = (energised(e, topology_of(e)) for e in (DEMO.elements, without))
        dead = {i for i, fed in now.items() if not fed and before[i]} | {element}
        assert found >= {i for i in dead if isinstance(DEMO.elements[i], Bus)} - {element}
        assert found <= dead | {i for i, fed in before.items() if not fed} | {"B10"}


# --- copy and paste


def test_a_copy_carries_its_data_takes_new_names_and_connects_where_one_end_was_cut():
    ids = ["Q311", "W311", "Blower MCC", "Blowers", "Blower aux"]
    text = clips.clip_of(DEMO, SHEET, ids)
    change, new = clips.paste(DEMO, SHEET, text, bus_id="Ozone hall")
    made = after(DEMO, change)
    copies = {made.elements[i].name: made.elements[i] for i in new}
    assert {"Q313", "W313", "Blower MCC 2", "Blowers 2", "Blower aux 2"} <= set(copies)
    assert copies["Q313"].from_bus == "Ozone hall"
    assert copies["W313"].length_m == DEMO.elements["W311"].length_m
    assert copies["Blower MCC 2"].main is None
    assert copies["W313"].assumed == DEMO.elements["W311"].assumed
    change, new = clips.paste(DEMO, SHEET, text, bus_id="11 kV board A")  # another voltage: it keeps a loose end
    other = after(DEMO, change)
    assert other.elements[next(e.from_bus for e in map(other.elements.get, new) if e.kind == "breaker")].bus_kind == "junction"


def test_a_clip_goes_into_another_project_whole():
    empty = Network(name="Other", sheets=[Sheet(name="S")])
    ids = [i for i in DEMO.elements if i not in ("Infeed B",)]
    change, new = clips.paste(empty, "S", clips.clip_of(DEMO, SHEET, ids))
    made = after(empty, change)
    kept = {made.elements[i].name: made.elements[i] for i in new}
    assert len(new) == len(ids)
    for e in DEMO.elements.values():
        if e.id in ids:
            own = {k: v for k, v in e.model_dump().items() if k not in ("id", *(p.name for p in references_of(type(e))))}
            assert own.items() <= kept[e.name].model_dump().items()


@pytest.mark.parametrize(
    "text",
    [
        "", "{", "[]", "null", '{"format": "northfell-clip"}', '{"format": "northfell-clip", "elements": [5], "cut": [], "placements": {}}',
        '{"format": "northfell-clip", "elements": [{"kind": "bus", "id": "a", "name": "a", "v_nominal_kv": -5}], "cut": [], "placements": {}}',
        '{"format": "northfell-clip", "elements": [{"kind": "load", "id": "a", "name": "a", "bus": "zz"}], "cut": [], "placements": {}}',
        '{"format": "northfell-clip", "elements": [], "cut": ["x"], "placements": {}}', "[" * 5000,
        '{"format": "northfell-clip", "elements": [{"kind": "bus", "id": "a", "name": "a"}], "cut": [], "placements": {"a": {"x": 1e999, "y": 0}}}',
    ],
)  # fmt: skip
def test_what_is_no_clip_is_refused_whole(text):
    def pasted() -> None:
        apply_change(DEMO, clips.paste(DEMO, SHEET, text)[0])

    with pytest.raises(NetworkRefused):
        pasted()


@given(st.sets(st.sampled_from(sorted(DEMO.elements)), min_size=1, max_size=12))
def test_any_selection_can_be_copied_and_pasted(ids):
    if all(DEMO.elements[i].holder for i in ids):
        with pytest.raises(NetworkRefused, match="something beside relays"):
            clips.clip_of(DEMO, SHEET, ids)
        return
    change, new = clips.paste(DEMO, SHEET, clips.clip_of(DEMO, SHEET, sorted(ids)))
    made = after(DEMO, change)
    assert {type(made.elements[i]) for i in new} >= {type(DEMO.elements[i]) for i in ids if DEMO.elements[i].holder is None}
    assert json.loads(clips.clip_of(made, SHEET, new))


# --- assemblies


@pytest.mark.parametrize("one", ASSEMBLIES, ids=lambda a: a.key)
def test_every_assembly_places_what_it_says_and_lacks_nothing(one):
    network = Network(name="n", sheets=[Sheet(name="S")])
    first = "infeed 33 kV 10 kA" if one.key == "double-fed" else "infeed 11 kV 10 kA"
    made = plan(network, "S", "", first)
    if one.starts in ("a low-voltage board", "a point where a board is wanted"):
        made = plan(made.network, "S", made.at, "breaker, tx 11/0.42 1 MVA 6%, breaker" + (", bus" if one.starts == "a low-voltage board" else ""))
    made = plan(made.network, "S", made.at, one.written({}))
    assert made.problems == []
    assert [told for told in made.lacking if "curve" not in told] == []
    if one.key == "double-fed":
        assert sum(e.kind == "transformer" for e in made.network.elements.values()) == 2
    if one.key == "mcc":
        assert sum(e.kind == "contactor" for e in made.network.elements.values()) == 6
    crowded = lying_on_each_other(made.network.elements, made.network.sheets[0].placements)
    assert {frozenset(pair) for pair in crowded} == set(), crowded


def test_what_is_filled_into_an_assembly_stays_in_its_place():
    assert "tx 33/6.6 5 MVA" in assembly("double-fed").written({"lv": "6.6", "power": "5 MVA"})
    for bad in ("1), breaker (", "x;y", "“", "a" * 61):
        with pytest.raises(NetworkRefused, match="without brackets"):
            assembly("mcc").written({"name": bad})
    with pytest.raises(NotFound):
        assembly("nothing")


def test_a_sheet_that_becomes_too_wide_is_laid_out_on_several(monkeypatch):
    laid = arrange.lay_out(DEMO, SHEET)
    assert not any(isinstance(act, PutSheet) for act in laid.acts)
    monkeypatch.setattr(arrange, "sheets_of", lambda elements: layout.sheets_of(elements, widest=60.0))
    parted = after(DEMO, arrange.lay_out(DEMO, SHEET))
    assert len(parted.sheets) > 2
    assert parted.sheets[0].name == SHEET
    assert parted.sheets[1].name == f"{SHEET} 2"
    drawn = set().union(*(sheet.placements for sheet in parted.sheets))
    assert drawn == set(DEMO.sheets[0].placements)
    for sheet in parted.sheets:
        for i in sheet.placements:  # what is drawn leads to a bus that is drawn beside it
            e = parted.elements[i]
            assert not e.buses or any(b in sheet.placements for b in e.buses)
