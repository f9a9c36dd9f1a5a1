"""One element out of service: what is taken over of the network with it is what is found anew."""

from dataclasses import fields

import numpy as np
from hypothesis import assume, given
from hypothesis import strategies as st
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, LOAD, network_of
from tests.core.random_networks import networks

from northfell.core.network import compile_network, with_open, without_one
from northfell.core.network.compile import Branches
from northfell.core.network.outage import FIELDS
from northfell.core.studies.load_flow.outages import candidates


@given(networks(shift=True), st.data())
def test_without_one_element_is_what_is_compiled_anew(network, data):
    """Every array, group, terminal and island."""
    base = compile_network(network, "Normal")
    element = data.draw(st.sampled_from(candidates(network, "Normal")))
    out = {**network.in_state("Normal"), element.id: element.model_copy(update={"in_service": False})}
    assert_alike(without_one(base, element), compile_network(network, "Normal", elements=out))


@given(networks(shift=True), st.data())
def test_with_open_switches_is_what_is_compiled_anew(network, data):
    """Nodes part, islands lose their supply, what stands there has no rows any more."""
    base = compile_network(network, "Normal")
    closed = [i for i in base.topology.closed_ids if base.elements[i].kind == "breaker"]
    assume(closed)
    switches = data.draw(st.sets(st.sampled_from(closed), min_size=1))
    opened = {i: e.model_copy(update={"closed": False}) if i in switches else e for i, e in network.in_state("Normal").items()}
    assert_alike(with_open(base, switches), compile_network(network, "Normal", elements=opened))


def assert_alike(found, anew):
    assert found.elements == anew.elements
    for one, other in ((found.topology, anew.topology), (found.branches, anew.branches), (found.terminals, anew.terminals)):
        for field in fields(other):
            a, b = getattr(one, field.name), getattr(other, field.name)
            assert np.array_equal(a, b, equal_nan=a.dtype.kind in "fc") if isinstance(b, np.ndarray) else a == b, field.name
    assert found.windings == anew.windings
    assert np.array_equal(found.v_nominal_kv, anew.v_nominal_kv, equal_nan=True)
    for group in ("infeeds", "machines", "motors", "loads", "shunts", "held_back"):
        assert getattr(found, group) == getattr(anew, group)
        if group not in ("machines", "held_back"):
            assert np.array_equal(found.bus_of(getattr(found, group)), anew.bus_of(getattr(anew, group)))
    assert found.taking_part == anew.taking_part


def test_a_bus_a_switch_and_what_is_kept_back_are_looked_at_anew():
    """Their nodes would be others, or data that were not asked for would be."""
    breaker = {"kind": "breaker", "name": "Q", "from_bus": "B", "to_bus": "C"}
    network = network_of([BUS_A, BUS_B, {**BUS_B, "name": "C"}, INFEED, CABLE, breaker, LOAD])
    net = compile_network(network, "Normal")
    assert without_one(net, network.elements["B"]) is None
    assert without_one(net, network.elements["Q"]) is None
    assert without_one(net, network.elements["W"]) is not None
    kept_back = net.holding_back([(0, "for a try")])
    assert without_one(kept_back, network.elements["W"]) is None
    assert with_open(net, {"Q"}) is not None
    assert with_open(kept_back, {"Q"}) is None
    carried = network_of([BUS_A, BUS_B, {**BUS_B, "name": "C", "v_nominal_kv": None}, INFEED, CABLE, breaker, LOAD])
    assert with_open(compile_network(carried, "Normal"), {"Q"}) is None  # C has its voltage through Q


def test_what_stands_at_the_element_goes_with_it():
    """Current transformers at a cable that is out measure nothing."""
    network = network_of([BUS_A, BUS_B, INFEED, CABLE, {**CABLE, "name": "W2"}, LOAD, {"kind": "current_transformer", "name": "CT", "measures": "W"}])
    net, out = compile_network(network, "Normal"), network.elements["W"].model_copy(update={"in_service": False})
    found = without_one(net, network.elements["W"])
    assert "CT" in net.taking_part
    assert set(found.taking_part) == set(compile_network(network, "Normal", elements={**network.elements, "W": out}).taking_part)


def test_every_row_of_a_branch_is_taken_over():
    """A column that is added to the branches must go with its rows."""
    assert {one.name for one in fields(Branches)} == {"ids", "terminals", "from_bus", "to_bus", *FIELDS}
