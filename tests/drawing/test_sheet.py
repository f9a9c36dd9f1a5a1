"""The sheet as geometry: everything placed is drawn, wires reach their buses, what is open or dead looks so, text stays text."""

import xml.etree.ElementTree as ET

import pytest
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, network_of
from tests.drawing.test_layout import lying_on_each_other

from northfell.app.results.studies import Results
from northfell.core.model.elements import KINDS, Bus, Relay
from northfell.core.model.network import Placement, Sheet, element_from
from northfell.core.network import energised, topology_of
from northfell.core.studies.arc_flash import ARC_FLASH
from northfell.core.studies.duty import DUTY
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.core.studies.short_circuit import SHORT_CIRCUIT
from northfell.demo import skerrow_water
from northfell.drawing.layout import laid_out
from northfell.drawing.metrics import unprintable, width
from northfell.drawing.shapes import Line, Rect, Text, svg_of
from northfell.drawing.sheet import draw
from northfell.drawing.standing import STEP
from northfell.drawing.symbols_ieee import symbol_of
from northfell.drawing.words import OfPhase, Tag, one_under_another
from northfell.web.stages.arc_flash.tags import arc_flash_tags
from northfell.web.stages.faults.tags import board_tags, brought_tags, during_tags, duty_tags
from northfell.web.stages.flow.tags import flow_tags


def drawn(network, state="Normal", **more):
    elements = network.in_state(state)
    sheet = network.sheets[0] if network.sheets else Sheet(name="s", placements=laid_out(elements))
    return draw(elements, sheet, energised(elements, topology_of(elements)), more.pop("tags", {}), **more), elements, sheet


def group(drawing, element):
    return next(g for g in drawing.groups if g.element == element)


def test_everything_on_the_sheet_is_drawn_once_and_is_valid_svg():
    drawing, _, sheet = drawn(skerrow_water(), tags={"Filter hall": Tag((("0.4", "kV"),), "breach"), "W25": Tag((("90", "%"),), "close", 0.9)}, selected="T3")
    assert sorted(g.element for g in drawing.groups) == sorted(sheet.placements)
    for g in drawing.groups:
        ET.fromstring(f"<g>{g.svg}</g>")
        assert g.title


@pytest.mark.parametrize("element", skerrow_water().sheets[0].placements)
def test_wires_end_on_their_bus(element):
    """Every wire of a symbol ends on the bar of a bus or at the point of a junction that the element names."""
    drawing, elements, sheet = drawn(skerrow_water())
    e = elements[element]
    wires = [s for s in group(drawing, element).shapes if isinstance(s, Line) and s.style.cls == "w"]
    for wire in wires:
        x, y = wire.points[-1]
        places = [sheet.placements[b] for b in e.buses]
        assert any(abs(y - p.y * STEP) < 0.01 and p.x * STEP - 0.01 <= x <= (p.x + p.width) * STEP + 0.01 for p in places)
        for (x1, y1), (x2, y2) in zip(wire.points, wire.points[1:], strict=False):
            assert abs(x1 - x2) < 0.01 or abs(y1 - y2) < 0.01  # at right angles
    if not isinstance(e, Bus | Relay):
        assert wires


def test_names_stand_clear_of_wires_that_come_down_on_their_board():
    drawing, elements, sheet = drawn(
        skerrow_water(), tags={b: Tag((("0.4031", "kV"), ("1.008", "p.u."))) for b in ("Filter hall", "11 kV board A", "Blower MCC")}
    )
    for board in ("Filter hall", "11 kV board A", "Blower MCC", "Ozone hall"):
        p = sheet.placements[board]
        above = [q.x * STEP for i, q in sheet.placements.items() if board in elements[i].buses and q.y < p.y]
        for text in (s for s in group(drawing, board).words if isinstance(s, Text)):
            end = text.x + width(text.text, text.size, text.bold, text.mono)
            assert not any(text.x < x < end for x in above), (board, text.text)


def test_what_a_source_brings_stands_clear_of_the_board_below_it():
    tags = {"G": Tag((("12.34", "MW"), ("5.678", "Mvar"), ("1.02", "p.u.")), "close", 0.9), "A": Tag((("11.00", "kV"),))}
    drawing, _, _ = drawn(network_of([BUS_A, {**INFEED, "name": "G", "ik_max_ka": 10.0}]), tags=tags)
    source, board = group(drawing, "G"), group(drawing, "A")
    band = min(s.y for s in board.shapes if isinstance(s, Rect) and s.style.cls.startswith(("band", "low", "high")))
    assert max(s.y for s in source.words if isinstance(s, Text | Rect)) + 3 <= band


def test_open_dead_and_selected_look_different():
    normal, _, _ = drawn(skerrow_water(), selected="T3")
    other, _, _ = drawn(skerrow_water(), "Tie closed, T2 out")
    assert svg_of(group(normal, "Q10").shapes) != svg_of(group(other, "Q10").shapes)
    assert "open" in group(normal, "Q10").title
    assert "closed" in group(other, "Q10").title
    assert "dead" in group(other, "T2").cls
    assert "dead" not in group(normal, "T2").cls
    assert "not fed" in group(other, "T2").title
    assert any(isinstance(s, Rect) and s.style.cls == "halo" for s in group(normal, "T3").shapes)
    missing, _, _ = drawn(skerrow_water(), missing=frozenset({"T3"}))
    assert "lacking" in group(missing, "T3").cls


def test_hostile_text_is_escaped():
    name = "<script>alert(1)</script>\"'&"
    drawing, _, _ = drawn(network_of([{**BUS_A, "name": name}, {**INFEED, "bus": name}]))
    text = "".join(g.svg for g in drawing.groups)
    assert "<script>" not in text
    assert "&lt;script&gt;" in text


@pytest.mark.parametrize("standard", ["IEC 60617", "IEEE 315"])
@pytest.mark.parametrize("kind", [k for k in KINDS if k != "bus"])
def test_every_kind_has_a_symbol_with_its_terminals(kind, standard):
    cls = KINDS[kind]
    given = {"q_mvar": 1.0, "q_step_mvar": 0.1, "r_pu": 0.0, "x_pu": 0.1, "breaker": "Q", "measures": "Q", **dict.fromkeys(cls.TERMINALS, "A")}
    symbol = symbol_of(element_from({"kind": kind, "id": "x", "name": "x", **{k: v for k, v in given.items() if k in cls.model_fields}}), standard)
    assert symbol.shapes
    assert len(symbol.terminals) == len(cls.TERMINALS)
    assert all(symbol.top - 0.01 <= y <= symbol.bottom + 0.01 and abs(x) <= symbol.half_width for x, y in symbol.terminals)


def test_horizontal_symbols_meet_their_boards():
    tie = {"kind": "breaker", "name": "Q", "from_bus": "B", "to_bus": "A"}
    network = network_of([BUS_A, BUS_B, INFEED, CABLE, tie])
    sheet = Sheet(name="s", placements={"A": Placement(x=0, y=5, width=10), "B": Placement(x=20, y=5, width=10), "Q": Placement(x=15, y=5, turn=1)})
    drawing = draw(network.elements, sheet, {}, {})
    ends = {s.points[-1] for s in group(drawing, "Q").shapes if isinstance(s, Line) and s.style.cls == "w"}
    assert ends == {(200.0, 50.0), (100.0, 50.0)}


def test_widths_grow_with_text_and_unknown_letters_are_named():
    assert 0 < width("i", 10) < width("W", 10) < width("WW", 10)
    assert width("123", 20, mono=True) == pytest.approx(2 * width("999", 10, mono=True))
    assert unprintable("Złoty čaj ß") == ""
    assert unprintable("変電 abc 変") == "変電"


def of_faults(faults, duties):
    """What the Faults stage shows in each of its looks: at boards, through what feeds a fault, while it lasts, and duties."""
    at = faults.net.topology.bus_index["11 kV board A"]
    boards = board_tags(faults, "3ph", "max")
    for fault in ("3ph", "lg"):
        flows = faults.flows([at], "max", fault)
        yield boards | brought_tags(faults, flows, at, fault)
        yield during_tags(faults, flows, at) | brought_tags(faults, flows, at, fault)
    yield duty_tags(duties)


@pytest.mark.parametrize("state", skerrow_water().state_names)
def test_the_demo_hangs_on_a_wall(state):
    """No symbol, name or value lies on another, in any state and stage."""
    network = skerrow_water()
    one = Results(network).at(state)
    limits = network.settings.limits
    for tags in (
        {},
        flow_tags(one.result(LOAD_FLOW), limits),
        *of_faults(one.result(SHORT_CIRCUIT), one.result(DUTY)),
        arc_flash_tags(one.result(ARC_FLASH), limits),
    ):
        assert lying_on_each_other(one.elements, network.sheets[0].placements, tags) == []


def test_a_board_of_many_hundred_ways_has_its_place():
    """Fifteen hundred feeders off one bus: wider than any sheet so far, and laid out all the same."""
    feeders = [
        one for n in range(1500)
        for one in ({"kind": "bus", "name": f"B{n}", "v_nominal_kv": 11.0}, {"kind": "switch", "name": f"S{n}", "from_bus": "A", "to_bus": f"B{n}"})
    ]  # fmt: skip
    network = network_of([{"kind": "bus", "name": "A", "v_nominal_kv": 11.0}, {"kind": "infeed", "name": "G", "bus": "A"}, *feeders])
    placed = laid_out(network.elements)
    assert set(placed) == set(network.elements)
    assert placed["A"].width > 10_000


def test_three_phases_that_are_written_alike_are_one_line_without_a_name():
    """Two, or three that differ as far as they are written, keep their names; quantities stand as they come."""

    def told(*figures, quantity="i", unit="A"):
        return [OfPhase(quantity, of, figure, unit) for of, figure in zip("abc", figures, strict=False)]

    assert one_under_another(told("81.4", "81.4", "81.4")) == (("81.4", "A"),)
    assert one_under_another(told("81.4", "81.4", "81.5")) == (("a 81.4", "A"), ("b 81.4", "A"), ("c 81.5", "A"))
    assert one_under_another(told("81.4", "81.4")) == (("a 81.4", "A"), ("b 81.4", "A"))
    power = told("5", "5", "6", quantity="p", unit="kW")
    mixed = [one for pair in zip(told("1", "1", "1"), power, strict=True) for one in pair] + [OfPhase("neutral", "n", "0", "A")]
    assert one_under_another(mixed) == (("1", "A"), ("a 5", "kW"), ("b 5", "kW"), ("c 6", "kW"), ("n 0", "A"))
    assert one_under_another([OfPhase("ik", "", "5.87", "kA")]) == (("5.87", "kA"),)
