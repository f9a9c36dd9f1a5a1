"""Proposals: changes kept beside the network, worked in, accepted whole or in part, and brought up to a network that moved on."""

import pytest
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, LOAD, network_of

from northfell.core.errors import NetworkRefused, NotFound
from northfell.core.finding import Finding
from northfell.core.model.changes import Add, Change, Connect, PutSetting, PutState, Remove, Scale, Set, Switch, apply_change, proposing
from northfell.core.model.network import OperatingState
from northfell.core.verdicts.acknowledging import acknowledge, still_holds, take_back, worst_of


def made(network, change):
    return apply_change(network, change)[0]


def put(network, name, change):
    """A change put into a proposal; what stands inside afterwards is what applying all of it anew gives."""
    kept, within = proposing.put_inside(name, proposing.inside(network, name).network, change)
    after = made(network, kept)
    assert proposing.inside(after, name).network.elements == within.elements
    return after


@pytest.fixture
def network():
    return network_of([BUS_A, BUS_B, INFEED, CABLE, LOAD], [OperatingState(name="Night")])


def longer(metres):
    return Change(f"Cable of {metres:g} m", (Set(id="W", values={"length_m": metres}),))


def test_a_proposal_changes_nothing_until_it_is_accepted(network):
    kept = made(network, proposing.new_proposal(network, "Longer way", "as asked", [longer(2000.0)]))
    assert kept.elements == network.elements
    assert proposing.inside(kept, "Longer way").network.elements["W"].length_m == 2000
    after, inverse = apply_change(kept, proposing.accepted(kept, "Longer way"))
    assert after.elements["W"].length_m == 2000
    assert after.proposals == []
    back = made(after, inverse)
    assert back == kept


def test_edits_inside_go_into_it_each_upon_the_one_before(network):
    n = made(network, proposing.new_proposal(network, "Second load"))
    n = put(n, "Second load", Change("Load E2", (Add(element={**LOAD, "name": "E2", "id": "E2"}),)))
    n = put(n, "Second load", Change("E2 larger", (Set(id="E2", values={"p_mw": 3.0}),)))
    assert "E2" not in n.elements
    assert proposing.inside(n, "Second load").network.elements["E2"].p_mw == 3
    with pytest.raises(NotFound):
        put(n, "Second load", Change("no", (Set(id="E9", values={"p_mw": 3.0}),)))
    # a part of it: the first change alone, the second stays
    part = made(n, proposing.accepted(n, "Second load", [0]))
    assert part.elements["E2"].p_mw == 2
    assert [c.title for c in part.proposals[0].changes] == ["E2 larger"]
    with pytest.raises(NotFound):
        made(n, proposing.accepted(n, "Second load", [1]))  # it rests on the first
    assert [c.title for c in made(n, proposing.without(n, "Second load", [1])).proposals[0].changes] == ["Load E2"]


def test_conflicts_are_named_and_rebasing_takes_the_network_as_it_is(network):
    change = Change("Longer, and a load", (*longer(2000.0).acts, Set(id="E", values={"p_mw": 1.0})))
    n = made(network, proposing.new_proposal(network, "P", changes=[change]))
    assert not proposing.inside(n, "P").conflicts
    moved = made(made(n, longer(1500.0)), Change("gone", (Remove(id="E"),)))
    found = proposing.inside(moved, "P")
    assert [c.kind for c in found.conflicts] == ["found otherwise", "cannot be applied"]
    assert "length was 1000 when this was proposed and is 1500 now; proposed is 2000" in found.conflicts[0].told
    assert "no element “E”" in found.conflicts[1].told
    assert found.network.elements["W"].length_m == 2000
    rebased = made(moved, proposing.rebased(moved, "P"))
    assert not proposing.inside(rebased, "P").conflicts
    assert proposing.inside(rebased, "P").network.elements["W"].length_m == 2000
    with pytest.raises(NotFound):
        made(moved, proposing.accepted(moved, "P"))


def test_values_of_states_that_moved_on_are_named(network):
    def held(state, factor):
        return Change("load", (Switch(state=state, id="E", values={"load_factor": factor}),))

    for state in ("Night", "Normal"):
        n = made(network, proposing.new_proposal(network, "P", changes=[held(state, 0.5)]))
        assert not proposing.inside(n, "P").conflicts
        (one,) = proposing.inside(made(n, held(state, 0.7)), "P").conflicts
        assert one.kind == "found otherwise"
        assert f"in {state} when this was proposed and is 0.7 there now" in one.told


def test_names_are_unique_and_dropping_is_undone(network):
    n = made(network, proposing.new_proposal(network, "P"))
    for name in ("P", "", "two\nlines"):
        with pytest.raises(NetworkRefused):
            proposing.new_proposal(n, name)
    again = made(n, proposing.renamed(n, "P", "Q", "why"))
    assert (again.proposals[0].name, again.proposals[0].note) == ("Q", "why")
    after, inverse = apply_change(again, proposing.dropped(again, "Q"))
    assert after.proposals == []
    assert made(after, inverse) == again
    with pytest.raises(NotFound):
        proposing.inside(n, "R")
    with pytest.raises(NetworkRefused):
        proposing.accepted(n, "P")


def test_an_acknowledged_finding_comes_back_when_its_figure_grows(network):
    def loading(pct, severity="breach", state="Normal"):
        return Finding("load_flow", state, "W", "W", severity, f"W carries {pct} %", pct, 100.0, "%", check="loading")

    worst = worst_of([loading(104.0, state="Night"), loading(107.0), loading(99.0, "close")])
    assert worst.value == 107
    with pytest.raises(NetworkRefused):
        acknowledge(network, worst, "  ")
    n = made(network, acknowledge(network, worst, "short peak"))
    (kept,) = n.acknowledged
    assert still_holds(kept, loading(107.0))
    assert still_holds(kept, loading(95.0, "close"))
    assert not still_holds(kept, loading(108.0))
    close = made(network, acknowledge(network, loading(95.0, "close"), "known")).acknowledged[0]
    assert not still_holds(close, loading(100.5))
    falling = Finding("load_flow", "Normal", "G", "G", "breach", "cosφ", 0.85, 0.9, check="power factor", falls=True)
    kept = made(network, acknowledge(network, falling, "known")).acknowledged[0]
    assert not still_holds(kept, Finding("load_flow", "Normal", "G", "G", "breach", "cosφ", 0.8, 0.9, check="power factor", falls=True))
    assert made(n, take_back(n, worst.key)).acknowledged == []


def test_what_stands_otherwise_than_when_it_was_proposed_is_a_conflict_and_what_does_not_is_none(network):
    """A factor, a setting, a state: no conflict while they stand as they did, one each once somebody changed them."""
    acts = (
        Scale(state="Night", of="load_factors", group="", factor=0.5), PutSetting(path="limits.loading_close_pct", value=80.0),
        PutState(name="Night", to=OperatingState(name="Night", load_factors={"Pumps": 0.2})),
    )  # fmt: skip
    others = (
        Scale(state="Night", of="load_factors", group="", factor=0.9), PutSetting(path="limits.loading_close_pct", value=70.0),
        PutState(name="Night", to=OperatingState(name="Night", load_factors={"Lights": 0.2})),
    )  # fmt: skip
    acts += (Connect(id="E", terminal="bus", bus="A"), PutState(name="Night", to=OperatingState(name="Dusk")))
    others += (Connect(id="E", terminal="bus", bus="C"), PutState(name="Night", to=OperatingState(name="Night", load_factors={"Pumps": 0.5})))
    network = made(network, Change("", (Add(element={**BUS_A, "id": "C", "name": "C"}),)))
    words = (
        "A factor of Night was changed since: all.",
        "limits.loading_close_pct was 90 when",
        "State Night was",
        "E was connected elsewhere",
        "State Night was",
    )
    for act, other, told in zip(acts, others, words, strict=True):
        kept = made(network, proposing.new_proposal(network, "One", "", [Change("one", (act,))]))
        assert not proposing.inside(kept, "One").conflicts
        moved_on = made(kept, Change("meanwhile", (other,)))
        (conflict,) = proposing.inside(moved_on, "One").conflicts
        assert (conflict.change, conflict.kind) == (0, "found otherwise")
        assert conflict.told.startswith(told)
        elsewhere = made(kept, longer(1234.0))
        assert not proposing.inside(elsewhere, "One").conflicts
