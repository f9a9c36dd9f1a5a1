"""Default names, the ways of a board, and what hangs together."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import BUS_A, BUS_B, BUS_C, CABLE, INFEED, LOAD, network_of
from tests.core.random_networks import networks

from northfell.core.model.elements import KINDS, Bus
from northfell.core.model.naming import Names
from northfell.core.network import energised, topology_of
from northfell.core.rules.ways import Connections, downstream, ways_of
from northfell.demo import skerrow_water

DEMO = skerrow_water()


# --- names


def test_the_next_free_number_behind_the_letter_of_the_class():
    names = Names(network_of([BUS_A, INFEED, {**LOAD, "name": "E2", "bus": "A"}]))
    assert [names.new("load") for _ in range(3)] == ["E1", "E3", "E4"]
    assert names.new("infeed") == "G1"
    assert names.new("bus") == "Board 1"
    assert {kind: KINDS[kind].LETTER for kind in ("breaker", "transformer", "cable", "fuse", "relay", "induction_motor")} == {
        "breaker": "Q", "transformer": "T", "cable": "W", "fuse": "F", "relay": "B", "induction_motor": "M",
    }  # fmt: skip


def test_a_project_may_begin_its_names_otherwise():
    names = Names(network_of([BUS_A], name_starts={"cable": "CAB-", "line": "CAB-"}))
    assert [names.new("cable"), names.new("line"), names.new("trunking")] == ["CAB-1", "CAB-2", "W1"]


@given(st.lists(st.text(st.characters(codec="ascii", exclude_categories=["C", "Z"]), min_size=1, max_size=80), max_size=20))
def test_names_and_ids_are_never_given_twice(wanted):
    names = Names(network_of([BUS_A]))
    given_names = [names.free(name) for name in wanted]
    ids = [names.new_id(name) for name in wanted]
    assert len(set(given_names) | {"A"}) == len(wanted) + 1
    assert len(set(ids) | {"A"}) == len(wanted) + 1
    assert all(len(name) <= 80 for name in given_names)


# --- ways


def test_ways_are_what_hangs_on_a_board_alone():
    first = {way.first: way.elements for way in ways_of(DEMO.elements, "11 kV board A")}
    assert set(first) == {"Q21", "Q22", "BVA"}  # not the supply, the tie, the generator, nor what feeds other boards
    assert set(first["Q21"]) == {"Q21", "P1 feeder", "P1", "B21"}  # the relay goes with its breaker
    assert ways_of(DEMO.elements, "Q21") == []


def test_a_ring_on_one_board_is_no_way():
    ring = [
        BUS_A,
        BUS_B,
        BUS_C,
        INFEED,
        CABLE,
        {**CABLE, "name": "W2", "from_bus": "B", "to_bus": "C"},
        {**CABLE, "name": "W3", "from_bus": "C", "to_bus": "A"},
    ]
    points = [{**b, "bus_kind": "junction"} if b.get("name") in "BC" else b for b in ring]
    assert ways_of(network_of(points).elements, "A") == []
    tail = [p for p in points if p.get("name") != "W3"]
    assert [way.first for way in ways_of(network_of(tail).elements, "A")] == ["W"]


@given(networks())
def test_ways_of_a_board_share_nothing_and_hold_no_source(network):
    for bus in (e for e in network.elements.values() if isinstance(e, Bus)):
        ways = ways_of(network.elements, bus.id)
        met = [i for way in ways for i in way.elements]
        assert len(set(met)) == len(met)
        assert bus.id not in met
        assert not any(network.elements[i].feeds for i in met)


@given(networks())
def test_what_is_met_beyond_an_element_hangs_together(network):
    known = Connections(network.elements)
    for e in network.elements.values():
        if e.buses:
            met = known.beyond(e.id, e.buses[0])
            assert met[0] == e.id
            assert e.buses[0] not in met
            assert set(e.buses[1:]) - {e.buses[0]} <= set(met)


@given(networks())
def test_downstream_holds_every_bus_that_dies_with_an_element(network):
    fed = energised(network.elements, topology_of(network.elements))
    for e in network.elements.values():
        without = {i: x.model_copy(update={"in_service": False}) if i == e.id else x for i, x in network.elements.items()}
        now = energised(without, topology_of(without))
        dead = {i for i, x in network.elements.items() if isinstance(x, Bus) and fed[i] and not now[i]} - {e.id}
        assert dead <= set(downstream(network.elements, e.id))


# --- what has no terminals


@pytest.mark.parametrize("element", ["B31x", "BAx"])
def test_what_stands_at_a_device_is_fed_with_it(element):
    more = [
        {"kind": "breaker", "name": "Q", "from_bus": "A", "to_bus": "B"}, {"kind": "relay", "name": "B31x", "breaker": "Q"},
        {"kind": "current_transformer", "name": "BAx", "measures": "Q"},
    ]  # fmt: skip
    network = network_of([BUS_A, BUS_B, INFEED, *more])
    assert network.elements[element].holder == "Q"
    assert energised(network.elements, topology_of(network.elements))[element]
    dead = network_of([BUS_A, BUS_B, {**INFEED, "in_service": False}, *more])
    assert not energised(dead.elements, topology_of(dead.elements))[element]
    assert network.elements["Q"].holder is None
