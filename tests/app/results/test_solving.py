"""Studies in a worker: the same as in place, and what they take is bounded."""

from contextlib import suppress
from dataclasses import fields
from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, LOAD, network_of

from northfell.app.results import gathering, solving, studies
from northfell.app.results.remedying import why
from northfell.app.results.studies import Results, ResultsCache, StateResults, requested
from northfell.app.workers import Limits
from northfell.core.errors import CannotRun, NetworkRefused, NoSolution, NotFound
from northfell.core.model.adjacency import Adjacency
from northfell.core.model.changes import Add, Change, Connect, Remove, Set, Switch, apply_change
from northfell.core.model.network import OperatingState, check_network
from northfell.core.network.compile import GROUPS
from northfell.core.studies import STUDIES
from northfell.core.studies.load_flow import LOAD_FLOW, START
from northfell.core.studies.phase_flow import PHASE_FLOW
from northfell.core.studies.short_circuit import SHORT_CIRCUIT
from northfell.core.verdicts import findings_of
from northfell.demo import skerrow_water


@pytest.fixture(autouse=True)
def every_network_is_large(monkeypatch):
    monkeypatch.setattr(studies, "LARGE", 0)


def test_what_comes_back_is_what_is_found_in_place_and_holds_the_elements_that_are_here():
    network = skerrow_water()
    there, here = Results(network, solving.away).at("Tie closed, T2 out"), Results(network).at("Tie closed, T2 out")
    for study in ("load_flow", "short_circuit", "arc_flash"):
        a, b = there.run(study), here.run(study)
        assert [t.to_json() for t in a.tables()] == [t.to_json() for t in b.tables()]
        assert a.net.network is network
        assert all(e is there.elements[e.id] for e in a.net.elements.values())
        assert findings_of(study, a, network.settings.limits) == findings_of(study, b, network.settings.limits)
    assert np.array_equal(there.result(LOAD_FLOW).v, here.result(LOAD_FLOW).v, equal_nan=True)
    assert there.kept["short_circuit"] is there.result(SHORT_CIRCUIT)
    net = there.result(LOAD_FLOW).net
    net._found[id(net.loads)] = (), np.zeros(len(net.loads), np.intp)  # what was found of a tuple that stood there in another process
    assert np.array_equal(net.bus_of(net.loads), here.result(LOAD_FLOW).net.bus_of(here.result(LOAD_FLOW).net.loads))


def test_motor_starts_and_remedies_are_found_elsewhere_too():
    network, state = skerrow_water(), "Tie closed, T2 out"
    there, here = Results(network, solving.away), Results(network)
    assert requested(there, state, START, "P1").table() == requested(here, state, START, "P1").table()
    a, b = why(there, state, "W411"), why(here, state, "W411")
    assert (a.cause, [r.title for r in a.remedies]) == (b.cause, [r.title for r in b.remedies])
    assert a.element is there.at(state).elements["W411"]


def test_an_error_comes_back_as_it_is_in_place_and_too_much_is_said(monkeypatch):
    heavy = network_of([BUS_A, BUS_B, INFEED, CABLE, {**LOAD, "p_mw": 900.0}])
    with pytest.raises(NoSolution, match="the largest mismatch is"):
        Results(heavy, solving.away).at("Normal").result(LOAD_FLOW)
    lacking = network_of([BUS_A, BUS_B, INFEED, CABLE, {**LOAD, "p_mw": None}])
    with pytest.raises(CannotRun, match="p_mw is empty"):
        Results(lacking, solving.away).at("Normal").result(LOAD_FLOW)
    monkeypatch.setattr(solving, "SOLVING", Limits(seconds=0))  # of computing: the worker is ended at once
    with pytest.raises(CannotRun, match="Solving Skerrow Water took more than 0 s of computing"):
        Results(skerrow_water(), solving.away).at("Normal").run("arc_flash")


def test_over_all_states_a_figure_is_told_state_by_state_and_its_worst_is_named():
    results = Results(skerrow_water())
    over = results.over(LOAD_FLOW)
    assert over.states == tuple(results.network.state_names) == tuple(over.by_state)
    lowest = over.values("voltage", "Filter hall")
    assert lowest == {s: abs(results.at(s).result(LOAD_FLOW).voltage("Filter hall")) for s in over.states}
    state, value = over.worst("voltage")["Filter hall"]
    assert value == max(lowest.values()) == lowest[state]
    flow = results.at(over.states[1]).result(LOAD_FLOW)
    assert over.by_state[over.states[1]]["loading"]["T3"] == flow.loading(flow.net.elements["T3"]).pct
    assert "None such" not in over.worst("voltage")
    # a state without result is among the names, and has none
    broken = skerrow_water()
    infeeds = [e.id for e in broken.elements.values() if e.feeds]
    dark = broken.states[0].model_copy(update={"name": "Dark", "differences": {i: {"in_service": False} for i in infeeds}})
    without = Results(broken.model_copy(update={"states": [dark]})).over(LOAD_FLOW)
    assert (without.states, tuple(without.by_state), without.waiting) == (("Normal", "Dark"), ("Normal",), frozenset())
    assert list(without.values("totals", "load_mw")) == ["Normal", "Dark"]
    assert without.values("totals", "load_mw")["Dark"] is None


def test_what_is_not_solved_is_waited_for_or_told_and_what_was_gathered_elsewhere_is_known(monkeypatch):
    network = skerrow_water()
    results = Results(network)
    results.at("Normal").result(LOAD_FLOW)
    over = results.over(LOAD_FLOW, wait=False)
    assert (set(over.by_state), over.waiting) == ({"Normal"}, frozenset(network.state_names) - {"Normal"})
    assert results.over(LOAD_FLOW).waiting == frozenset()
    gathered = Results(network)
    monkeypatch.setattr(gathering, "_is_small", lambda network: False)  # in a worker
    gathering.findings(gathered, lambda done, of, doing: None)
    for study in STUDIES:
        there = gathered.over(study, wait=False)
        if study.concerns(network.elements.values()):
            assert there == Results(network).over(study)
        else:  # by phase, where all phases are alike: for who looks at it
            assert there.waiting == frozenset(network.state_names)
    seen_by_phase = Results(network)
    gathering.findings(seen_by_phase, lambda done, of, doing: None, frozenset({PHASE_FLOW.key}))
    assert seen_by_phase.over(PHASE_FLOW, wait=False) == Results(network).over(PHASE_FLOW)
    assert not any(one.kept for one in gathered.states.values())  # nothing was solved in this process


ELEMENTS = skerrow_water().elements
BREAKERS = [i for i, e in ELEMENTS.items() if e.kind == "breaker"]
EDITS = st.one_of(
    st.builds(lambda i, v: Switch(state="Normal", id=i, values={"closed": v}), st.sampled_from(BREAKERS), st.booleans()),
    st.builds(lambda i, v, s: Switch(state=s, id=i, values={"in_service": v}), st.sampled_from(["T1", "P1", "W25", "Infeed A", "Filter hall"]), st.booleans(),
              st.sampled_from(["Normal", "Night filling"])),
    st.builds(lambda v: Set(id="W25", values={"length_m": v}), st.floats(1, 900)),
    st.builds(lambda b: Connect(id="Ultraviolet", terminal="bus", bus=b), st.sampled_from(["Filter hall", "11 kV board A"])),
    st.builds(lambda: Remove(id="P1")),
    st.builds(lambda: Add(element={**ELEMENTS["P1"].model_dump(), "id": "New pump", "name": "New pump"})),
    st.builds(lambda b: Set(id="B21", values={"breaker": b}), st.sampled_from(["Q21", "Q22"])),
    st.builds(lambda v: Set(id="T1", values={"uk_pct": v, "s_rated_mva": v}), st.floats(4, 12)),
    st.builds(lambda v: Set(id="T2", values={"v_hv_kv": v}), st.sampled_from([33.0, 11.0, 34.5])),  # one of them contradicts its bus
    st.builds(lambda v: Set(id="Ultraviolet", values={"p_mw": v}), st.floats(0.01, 1)),
    st.builds(lambda v: Set(id="Filter hall", values={"v_nominal_kv": v}), st.sampled_from([0.4, 0.69])),
    st.builds(lambda n: Set(id="W26", values={"name": n}), st.sampled_from(["W26", "W25", "Another"])),  # one of them is taken
    st.builds(lambda v: Set(id="W26", values={"r_ohm_per_km": v}), st.sampled_from([None, 0.3])),
)  # fmt: skip


def _arrays(one: StateResults) -> object:
    """All that a state is compiled to; the refusal where it cannot be."""
    try:
        net = one.compiled("load_flow")
    except CannotRun as error:
        return str(error)
    groups = [[e.model_dump() for e in getattr(net, group)] for group in (*GROUPS, "machines", "motors")]
    at = [net.bus_of(getattr(net, group)).tolist() for group in (*GROUPS, "machines", "motors")]
    branches = {one.name: np.asarray(getattr(net.branches, one.name)).tolist() for one in fields(net.branches)}
    ends = [[e.model_dump() for e in net.terminals.elements], net.terminals.bus.tolist(), net.terminals.at]
    return repr((groups, at, branches, ends, net.taking_part, net.v_nominal_kv.tolist(), net.held_back, net.windings, net.elements, net.state))


@settings(max_examples=30)  # each solves many times
@given(st.lists(EDITS, min_size=1, max_size=8))
def test_what_an_edit_did_not_touch_is_taken_over_and_all_is_as_if_found_anew(edits):
    """After any sequence of edits, nodes, islands and what is under voltage are those of the network alone."""
    cache, network = ResultsCache(), skerrow_water()
    for version, act in enumerate([Set(id="T3", values={}), *edits]):
        with suppress(NetworkRefused, NotFound):
            network, _ = apply_change(network, Change("", (act,)))
        results = cache.of(SimpleNamespace(id=1, version=version, proposal="", network=network))
        for state in network.state_names:
            one, anew = results.at(state), StateResults(network, state)
            assert one.energised == anew.energised
            for part in ("node_of_bus", "island_of_node", "fed_node", "closed_from", "closed_to"):
                assert np.array_equal(getattr(one.topology, part), getattr(anew.topology, part))
            assert (one.topology.closed_ids, one.topology.live, one.topology.bus_ids) == (anew.topology.closed_ids, anew.topology.live, anew.topology.bus_ids)
            assert _arrays(one) == _arrays(anew)
        check_network(network)  # what an edit was checked for is what all is checked for
        assert network.id_of_name == {e.name: i for i, e in network.elements.items()}
        assert (network.adjacency.at, network.adjacency.attached) == (Adjacency(network.elements).at, Adjacency(network.elements).attached)
    assert results.before is None or results.before.before is None  # no chain of versions is kept


def test_an_edit_of_a_value_finds_no_topology_anew(monkeypatch):
    cache, network = ResultsCache(), skerrow_water()
    found = []
    whole = studies.topology_of
    monkeypatch.setattr(studies, "topology_of", lambda elements: found.append(1) or whole(elements))
    for version, act in enumerate([Set(id="W25", values={"length_m": 11.0}), Set(id="W25", values={"length_m": 12.0}), Remove(id="P1")]):
        network, _ = apply_change(network, Change("", (act,)))
        one = cache.of(SimpleNamespace(id=1, version=version, proposal="", network=network)).at("Normal")
        assert one.energised["W25"]
        assert len(found) == (1, 1, 2)[version]


def test_figures_of_versions_before_stand_for_states_that_wait_and_for_no_others():
    """A state that was solved anew and found to have no result shows nothing, not what it had before."""
    network = network_of([BUS_A, BUS_B, INFEED, CABLE, LOAD], [OperatingState(name="Half", load_factors={"": 0.5})])
    before = Results(network)
    before.over(LOAD_FLOW)
    heavy = {**network.elements, "E": network.elements["E"].model_copy(update={"p_mw": 900.0})}
    after = Results(network.model_copy(update={"elements": heavy}), earlier=before.last_known())
    shown = network.state_names[0]
    assert after.at(shown).had(LOAD_FLOW) is None
    after.at(shown).compared(LOAD_FLOW)
    over = after.over(LOAD_FLOW, wait=False)
    assert shown not in over.by_state
    assert over.waiting == set(network.state_names[1:])
    assert over.by_state[network.state_names[1]] == before.over(LOAD_FLOW).by_state[network.state_names[1]]
    assert not over.unknown


def test_figures_are_taken_over_while_another_state_is_looked_at():
    """An answer takes over what is known of the version before, while another answer looks at one more state of it."""

    class Looked(StateResults):
        def knows(self, study):
            results.at("Night filling")
            return super().knows(study)

    results = Results(skerrow_water())
    results.states["Normal"] = Looked(results.network, "Normal")
    assert set(results.last_known()) == {study.key for study in STUDIES}
