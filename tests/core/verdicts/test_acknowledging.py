"""What was acknowledged stays aside while it is no worse, and comes back as soon as it is."""

import math

import pytest
from tests.conftest import BUS_A, INFEED, network_of

from northfell.core.errors import NetworkRefused
from northfell.core.finding import Finding
from northfell.core.verdicts import network_findings
from northfell.core.verdicts.acknowledging import acknowledge, still_holds, worst_of


def found(value, severity="close", falls=False, state="Normal"):
    return Finding("load_flow", state, "A", "A", severity, "told", value, 100.0, "%", falls=falls)


def kept(finding, reason="known"):
    (act,) = acknowledge(network_of([BUS_A]), finding, reason).acts
    return act.to


@pytest.mark.parametrize("falls", [False, True])
@pytest.mark.parametrize("value", [-40.0, 1e-12, 95.0, 130.0])
def test_a_figure_that_stays_or_is_rounded_otherwise_stays_aside(value, falls):
    one = kept(found(value, falls=falls))
    assert still_holds(one, found(value, falls=falls))
    assert still_holds(one, found(value * (1 + 1e-12), falls=falls))


def test_a_figure_that_grows_or_is_graver_comes_back():
    one = kept(found(95.0))
    assert still_holds(one, found(95.09))
    assert still_holds(one, found(50.0))
    assert not still_holds(one, found(95.2))
    assert not still_holds(one, found(95.0, "breach"))
    assert still_holds(kept(found(120.0, "breach")), found(95.0))
    assert not still_holds(kept(found(95.0, falls=True)), found(94.8, falls=True))
    assert not still_holds(kept(found(0.0)), found(0.005))
    assert not still_holds(kept(found(None)), found(1.0))


def test_the_worst_of_several_states_is_the_gravest_then_the_farthest():
    near, far, grave = found(91.0), found(99.0, state="S"), found(101.0, "breach")
    assert worst_of([near, far]) is far
    assert worst_of([far, grave, near]) is grave
    assert worst_of([found(5.0, falls=True), nothing := found(0.0, falls=True)]) is nothing
    assert nothing.beyond == math.inf


def test_a_reason_is_needed_and_bounded():
    assert kept(found(95.0), " x ").reason == "x"
    assert len(kept(found(95.0), "x" * 500).reason) == 500
    for refused in ("", "  ", "x" * 501):
        with pytest.raises(NetworkRefused, match=r"^Finding at A: reason is .*1 to 500 characters") as error:
            kept(found(95.0), refused)
        assert len(str(error.value)) < 220


def test_what_history_and_list_keep_of_it_is_bounded_and_names_the_place():
    long = Finding("load_flow", "Normal", "", "", "breach", "t" * 900, 1.0, 1.0)
    change = acknowledge(network_of([BUS_A]), long, "r" * 400)
    assert change.title == "Finding at load_flow acknowledged: " + "r" * 165
    assert change.acts[0].to.told == "t" * 400
    assert len(change.acts[0].key) < 400
    assert acknowledge(network_of([BUS_A]), found(95.0), "known").title == "Finding at A acknowledged: known"


def test_one_kept_without_a_verdict_covers_any():
    one = kept(found(120.0, "breach")).model_copy(update={"severity": ""})
    assert still_holds(one, found(120.0, "breach"))


def test_what_contradicts_itself_is_as_grave_as_what_it_stops():
    small = {"kind": "bus", "name": "L", "v_nominal_kv": 0.4}
    tx = {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "L", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4}
    joined = network_of([BUS_A, small, INFEED, {"kind": "breaker", "name": "Q", "from_bus": "A", "to_bus": "L"}])
    assert [f.severity for f in network_findings(joined.elements, "Normal")] == ["breach"]
    off = network_of([{**BUS_A, "v_nominal_kv": 10.0}, small, INFEED, {**tx, "v_hv_kv": 12.5}])
    assert {f.severity for f in network_findings(off.elements, "Normal")} == {"close"}
