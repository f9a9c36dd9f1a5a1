"""Drawing by hand: what is dropped meets what it was dropped on, and one undo takes it back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.app.draw.connect import connect, join, place, remove
from northfell.core.errors import NetworkRefused, NotFound
from northfell.core.model.changes import Add, Change, Set, apply_change
from northfell.core.model.elements import KINDS, Bus
from northfell.core.model.network import Network, Sheet
from northfell.demo import skerrow_water
from northfell.drawing.sheet import draw

EMPTY = Network(name="New", sheets=[Sheet(name="Sheet 1")])
DEMO = skerrow_water()


def dropped(network, kind, x, y, bus_kind="switchboard"):
    change, new = place(network, "", kind, x, y, bus_kind)
    made, inverse = apply_change(network, change)
    assert apply_change(made, inverse)[0] == network
    return made, made.elements[new]


def after(network, change):
    return apply_change(network, change)[0]


def at(network, element_id):
    return network.sheets[0].placements[element_id]


def test_a_symbol_on_blank_paper_brings_loose_ends():
    made, tx = dropped(EMPTY, "transformer", 20, 20)
    assert {b.bus_kind for b in made.elements.values() if isinstance(b, Bus)} == {"junction"}
    assert at(made, tx.hv_bus).y < at(made, tx.id).y < at(made, tx.lv_bus).y


def test_a_symbol_on_a_board_hangs_on_it_and_one_on_its_upper_side_stands_above():
    made, board = dropped(EMPTY, "bus", 20, 10)
    made, infeed = dropped(made, "infeed", 20, 10)
    assert (infeed.bus, at(made, infeed.id).y) == (board.id, 6)
    made, breaker = dropped(made, "breaker", 29, 10.4)
    assert breaker.from_bus == board.id
    assert at(made, board.id).x + at(made, board.id).width >= 29  # the board grows
    made, tx = dropped(made, "transformer", 16, 9)
    assert tx.lv_bus == board.id
    assert at(made, tx.id).y < 10


def test_dropped_into_a_wire_it_is_inserted_and_what_hangs_beyond_makes_room():
    made, board = dropped(EMPTY, "bus", 20, 10)
    made, cable = dropped(made, "cable", 20, 10.5)
    far_before = at(made, cable.to_bus).y
    wire_y = (10 + at(made, cable.id).y - 2) / 2
    made, breaker = dropped(made, "breaker", at(made, cable.id).x, wire_y)
    assert breaker.from_bus == board.id
    assert made.elements[cable.id].from_bus == breaker.to_bus
    assert at(made, cable.id).y - 2 >= at(made, breaker.to_bus).y
    assert at(made, cable.to_bus).y > far_before


def test_a_board_on_a_junction_takes_its_place_and_on_a_wire_to_a_board_it_is_refused():
    made, _ = dropped(EMPTY, "bus", 20, 10)
    made, breaker = dropped(made, "breaker", 20, 10.5)
    end = at(made, breaker.to_bus)
    made, board = dropped(made, "bus", end.x, end.y, "panel")
    assert (board.id, board.bus_kind) == (breaker.to_bus, "panel")
    with pytest.raises(NetworkRefused, match="blank paper, or a junction"):
        place(made, "", "bus", 20, 10)


def test_voltages_are_carried_along_what_has_one_voltage():
    made, breaker = dropped(DEMO, "breaker", 85, 48.3)  # on the ozone hall's board
    assert made.elements[breaker.to_bus].v_nominal_kv == 0.4
    made, cable = dropped(made, "cable", 120, 60)
    assert made.elements[cable.from_bus].v_nominal_kv is None
    end = at(made, breaker.to_bus)
    made = after(made, connect(made, "", cable.id, 0, end.x, end.y))
    assert made.elements[made.elements[cable.id].to_bus].v_nominal_kv == 0.4


@pytest.mark.parametrize("y", [48.3, 47.5])
def test_the_other_side_of_a_transformer_does_not_take_the_voltage_of_its_board(y):
    made, tx = dropped(DEMO, "transformer", 85, y)
    (other,) = (b for b in tx.buses if b != "Ozone hall")
    assert made.elements[other].v_nominal_kv is None
    wired, between = dropped(DEMO, "transformer", at(DEMO, "W311 near").x, at(DEMO, "W311 near").y + 1)
    assert "W311" in {e.id for e in wired.elements.values() if between.lv_bus in e.buses}
    assert wired.elements[between.lv_bus].v_nominal_kv == 0.4  # carried back along the cable that was there


def test_a_terminal_goes_to_a_bus_to_a_wire_and_off():
    made, load = dropped(DEMO, "load", 120, 60)
    loose = load.bus
    board = at(made, "Ozone hall")
    made = after(made, connect(made, "", load.id, 0, board.x + 3, board.y))
    assert made.elements[load.id].bus == "Ozone hall"
    assert loose not in made.elements  # its own loose end goes
    off = after(made, connect(made, "", load.id, 0, 130, 70))
    assert off.elements[off.elements[load.id].bus].bus_kind == "junction"
    # dropped on the wire between a breaker and its junction, it stands at that junction
    way = draw(off.elements, off.sheets[0], {}, {}).standing.ways["P2", 0]
    x, y = way[0][0] / 10, (way[0][1] + way[-1][1]) / 20
    joined = after(off, connect(off, "", load.id, 0, x, y))
    assert joined.elements[load.id].bus == "P2 feeder"
    with pytest.raises(NotFound, match="has no terminal 2"):
        connect(DEMO, "", "C1", 1, 0, 0)


def test_junctions_join_and_boards_do_not():
    made, tx = dropped(DEMO, "transformer", 120, 30)
    near = at(made, "P1 feeder")
    made = after(made, join(made, "", tx.hv_bus, near.x, near.y))
    assert made.elements[tx.id].hv_bus == "P1 feeder"
    with pytest.raises(NetworkRefused, match="draw one between them"):
        join(DEMO, "", "11 kV board A", at(DEMO, "11 kV board B").x + 5, at(DEMO, "11 kV board B").y)
    moved = after(DEMO, join(DEMO, "", "P1 feeder", 200, 200))
    assert (at(moved, "P1 feeder").x, at(moved, "P1 feeder").y) == (200, 200)


def test_relays_and_current_transformers_stand_at_a_device():
    q = at(DEMO, "Q31")
    _, relay = dropped(DEMO, "relay", q.x - 2, q.y)
    assert relay.breaker == "Q31"
    _, ct = dropped(DEMO, "current_transformer", q.x, q.y + 0.5)
    assert ct.measures == "Q31"
    with pytest.raises(NetworkRefused, match="Drop it on the symbol"):
        place(DEMO, "", "relay", 300, 300)


def test_both_ends_on_one_bus_are_refused_in_words():
    made, breaker = dropped(DEMO, "breaker", 85, 48.3)
    board = at(made, "Ozone hall")
    with pytest.raises(NetworkRefused, match="another bus than at its first terminal"):
        after(made, connect(made, "", breaker.id, 1, board.x + 2, board.y))


@given(st.sampled_from([k for k in KINDS if k not in ("relay", "current_transformer")]), st.floats(-15, 115), st.floats(-8, 70))
def test_any_kind_dropped_anywhere_gives_a_whole_network_or_a_reason(kind, x, y):
    try:
        made, new = dropped(DEMO, kind, x, y)
    except NetworkRefused as refused:
        reasons = [r.accepted for r in refused.refusals]
    else:
        reasons = []
        assert new.id in made.sheets[0].placements
        assert set(made.sheets[0].placements) == set(made.elements)
    assert all(reasons)


def test_deleting_what_still_holds_others_says_what():
    with pytest.raises(NetworkRefused, match="Still there: Hall services, Q31, Q311, Q312"):
        remove(DEMO, ["Filter hall"])
    whole = after(DEMO, remove(DEMO, ["Dosing MCC", "Dosing", "Dosing aux", "W411", "F411"]))
    assert not {"Dosing MCC", "W411 near"} & set(whole.elements)


def test_deleting_a_bus_leaves_no_tap_changer_that_looks_at_it():
    bare = {"kind": "bus", "name": "Far", "id": "Far", "v_nominal_kv": 11.0}
    looking = Set(id="T1", values={"tap_changer": "holds voltage", "tap_held": "another bus", "tap_bus": "Far"})
    network, _ = apply_change(DEMO, Change("far", (Add(element=bare), looking)))
    after, inverse = apply_change(network, remove(network, ["Far"]))
    assert after.elements["T1"].tap_bus is None
    assert apply_change(after, inverse)[0].elements["T1"].tap_bus == "Far"
