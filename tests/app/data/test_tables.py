"""Tables by kind and boards' schedules: pasted blocks, cells that are refused, the rest kept, one undo."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.app.data import tabling, way_table
from northfell.app.data.columns import Head, cells_of, head_of, read_cell
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import Change, Set, apply_change
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import KINDS
from northfell.core.rules.ways import ways_of
from northfell.demo import skerrow_water

DEMO = skerrow_water()
CABLES = tabling.columns_of("cable")


@pytest.mark.parametrize(
    ("head", "name", "unit"),
    [("Length", "length_m", ""), ("length_m", "length_m", ""), ("Length [km]", "length_m", "km"), ("Length (ft)", "length_m", "ft"),
     ("Length km", "length_m", "km"), ("R′L", "r_ohm_per_km", ""), ("Cross-section [AWG]", "area_mm2", "AWG"), ("CONDUCTOR", "conductor", "")],
)  # fmt: skip
def test_heads_are_read_by_name_label_or_symbol_with_their_unit(head, name, unit):
    found = head_of(head, CABLES)
    assert (found.p.name, found.unit) == (name, unit)


def test_a_head_in_a_unit_of_another_quantity_is_refused():
    assert head_of("Colour", CABLES) is None
    with pytest.raises(InputRefused, match="a unit like m"):
        head_of("Length [kg]", CABLES)
    with pytest.raises(InputRefused, match="a unit like m"):
        head_of("Length [kV]", CABLES)


@pytest.mark.parametrize(
    ("field", "unit", "text", "value"),
    [("length_m", "km", "0,35", 350.0), ("length_m", "km", "1 200", 1.2e6), ("length_m", "km", "20 m", 20.0), ("area_mm2", "AWG", "4/0", 107.2),
     ("area_mm2", "AWG", "12", 3.309), ("conductor", "", "Copper", "copper"), ("in_service", "", "Yes", True), ("note", "", "'=1+1", "=1+1")],
)  # fmt: skip
def test_cells_are_read_with_the_unit_of_their_head(field, unit, text, value):
    assert read_cell(DEMO, Head(parameter(KINDS["cable"], field), unit), text, "") == value


@pytest.mark.parametrize("text", ["nan", "1e400", "inf", "=1+1", "3 kg", "1.2.3", "", "-5 kV"])
def test_hostile_numbers_are_refused_in_words(text):
    head = Head(parameter(KINDS["load"], "load_factor"))
    with pytest.raises(NetworkRefused, match="accepted is a number"):
        read_cell(DEMO, head, text, "Load E")


def test_rows_go_to_the_elements_they_name_and_bad_cells_are_told():
    text = "Name\tLength [km]\tConductor\tCurrent-carrying capacity\nW25\t1,5\tcopper\t200\nW26\tnan\tgold\t-4\nW28\t0.3\taluminium\t195"
    made = tabling.pasted(DEMO, "cable", text, [], [])
    changed, inverse = apply_change(DEMO, made.change)
    assert (changed.elements["W25"].length_m, changed.elements["W25"].conductor, changed.elements["W28"].length_m) == (1500.0, "copper", 300.0)
    assert changed.elements["W26"] == DEMO.elements["W26"]
    assert set(made.errors) == {("W26", "length_m"), ("W26", "conductor"), ("W26", "i_rated_a")}
    assert made.typed["W26", "i_rated_a"] == "-4"
    assert apply_change(changed, inverse)[0] == DEMO  # one paste, one undo


def test_a_block_without_heads_fills_from_the_cell_and_says_what_does_not_fit():
    made = tabling.pasted(DEMO, "cable", "700\t2\n800\t1\textra", ["W25"], ["length_m", "parallel"])
    changed, _ = apply_change(DEMO, made.change)
    assert (changed.elements["W25"].length_m, changed.elements["W25"].parallel) == (700.0, 2)
    assert [m.split(" ")[:2] for m in made.messages] == [["1", "row"], ["1", "column"]]


def test_names_stay_unique_and_new_names_need_their_connections():
    made = tabling.pasted(DEMO, "cable", "Name\tFrom\tTo\tLength\nW90\tBlower MCC\tDosing MCC\t12\nW91\tnowhere\tDosing MCC\t12\nW92\t\t\t5", [], [])
    changed, _ = apply_change(DEMO, made.change)
    assert changed.id_of_name["W90"] in changed.elements
    assert "W91" not in changed.id_of_name
    assert ("W91", "from_bus") in made.errors
    assert ("W92", "name") in made.errors or ("W92", "from_bus") in made.errors
    taken = tabling.set_cells(DEMO, "cable", [("W25", Head(parameter(KINDS["cable"], "name")), "W26")], "")
    assert "has the name W26" in taken.errors["W25", "name"]
    same = tabling.set_cells(DEMO, "cable", [("W25", Head(parameter(KINDS["cable"], "to_bus")), "W25 near")], "")
    assert "another bus" in same.errors["W25", "to_bus"]
    assert same.change.acts == ()


def test_standing_takes_service_with_it_as_on_the_card():
    made = tabling.pasted(DEMO, "induction_motor", "Name\tStanding\nP1\tplanned", [], [])
    changed, _ = apply_change(DEMO, made.change)
    assert (made.errors, changed.elements["P1"].status, changed.elements["P1"].in_service) == ({}, "planned", False)


def test_a_locked_row_is_refused_and_the_others_kept():
    locked, _ = apply_change(DEMO, Change("", (Set(id="W25", values={"locked": True}),)))
    made = tabling.pasted(locked, "cable", "Name\tLength\nW25\t5\nW26\t6", [], [])
    changed, _ = apply_change(locked, made.change)
    assert (changed.elements["W25"].length_m, changed.elements["W26"].length_m) == (640.0, 6.0)
    assert "locked" in made.errors["W25", "length_m"]


@given(st.lists(st.lists(st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=12), min_size=1, max_size=5), max_size=6))
def test_no_pasted_text_breaks_the_table(rows):
    text = "\n".join("\t".join(row) for row in rows)
    try:
        made = tabling.pasted(DEMO, "cable", text, ["W25", "W26"], ["name", "length_m", "conductor", "from_bus"])
    except (NetworkRefused, InputRefused):
        return
    apply_change(DEMO, made.change)


def test_what_a_table_shows_can_be_pasted_back_unchanged():
    for kind in {e.kind for e in DEMO.elements.values()}:
        columns = tabling.columns_of(kind)
        rows = [tabling.row_of(DEMO, e, columns)["cells"] for e in DEMO.elements.values() if e.kind == kind]
        text = "\n".join("\t".join(line) for line in [[p.name for p in columns], *rows])
        made = tabling.pasted(DEMO, kind, text, [], [])
        assert made.errors == {}
        changed, _ = apply_change(DEMO, made.change)
        for e in changed.elements.values():  # typed over, what was assumed is one's own; the values are the same
            assert e.model_copy(update={"assumed": {}}) == DEMO.elements[e.id].model_copy(update={"assumed": {}})


ROWS = "\n".join(
    ["Feeds\tAs\tPower [kW]\tDevice\tDevice rating [A]\tContactor\tCable\tConductor\tInsulation\tLength [m]"]
    + [f"Pump {n}\tmotor\t{'nan' if n == 5 else '7,5'}\tfuse\t{41 if n == 9 else 40}\t32\t10\tcopper\tXLPE\t{'25 kg' if n == 20 else 25}" for n in range(1, 41)]
)


def test_forty_rows_become_ways_and_three_bad_cells_are_told():
    pasted = way_table.pasted(DEMO, "Whole works", ["Dosing MCC"], ROWS, [], [], True)
    changed, inverse = apply_change(DEMO, pasted.made.change)
    assert {key for _, key in pasted.made.errors} == {"power", "device_a", "length"}
    assert len(pasted.new_ways) == 40
    assert len(ways_of(changed.elements, "Dosing MCC")) == len(ways_of(DEMO.elements, "Dosing MCC")) + 40
    pump = changed.elements[changed.id_of_name["Pump 7"]]
    assert (pump.p_rated_kw, pump.v_rated_kv, pump.assumed["efficiency_pct"][:9]) == (7.5, 0.4, "class IE3")
    assert changed.elements[changed.id_of_name["Pump 5"]].p_rated_kw is None
    assert changed.sheets[0].placements["Dosing MCC"].schedule
    assert apply_change(changed, inverse)[0] == DEMO


def test_one_schedule_on_several_boards_and_rows_that_become_nothing():
    text = "Feeds\tAs\tPower\tDevice\nFan\tmotor\t3\tbreaker\nThing\twindmill\t3\tbreaker\nSpare\tspare\t\tcrowbar"
    pasted = way_table.pasted(DEMO, "Whole works", ["Dosing MCC", "Blower MCC"], text, [], [], False)
    changed, _ = apply_change(DEMO, pasted.made.change)
    assert {"Fan", "Fan 2"} <= set(changed.id_of_name)
    assert pasted.made.errors == {
        ("1", "kind"): "“windmill” is not known, accepted is motor, load or spare.", ("2", "device"): "“crowbar” is not known, accepted is breaker or fuse.",
    }  # fmt: skip
    assert pasted.new_ways == ["0"]


def test_cells_of_a_way_that_stands_set_its_elements():
    row = next(r for r in way_table.rows_of(DEMO, "Ozone hall") if r.parts.get("consumer") and r.parts["consumer"].name == "Ultraviolet")
    made = way_table.set_ways(DEMO, "Ozone hall", [(row.id, "power", "180", ""), (row.id, "length", "5", "")])
    changed, _ = apply_change(DEMO, made.change)
    assert changed.elements["Ultraviolet"].p_mw == pytest.approx(0.18)
    assert "no such part" in made.errors[row.id, "length"]


def test_reactive_power_of_a_load_is_never_guessed_without_a_mark():
    pasted = way_table.pasted(DEMO, "Whole works", ["Dosing MCC"], "Feeds\tAs\tPower\nHeater\tload\t12", [], [], False)
    changed, _ = apply_change(DEMO, pasted.made.change)
    heater = changed.elements[changed.id_of_name["Heater"]]
    assert (heater.p_mw, heater.q_mvar) == (0.012, 0.005812)
    assert heater.assumed["q_mvar"].startswith("power factor 0.9")


def test_separators_are_found():
    assert cells_of("a\tb\n1,5\t2") == [["a", "b"], ["1,5", "2"]]
    assert cells_of("a;b\r\n1,5;2") == [["a", "b"], ["1,5", "2"]]
    assert cells_of('a,b\n"1,5",2') == [["a", "b"], ["1,5", "2"]]
    with pytest.raises(InputRefused):
        cells_of("a\x00b")
