"""Reclosers: fast and slow trips, what burns through all of them, the closings of a trip order, and fuses that they spare."""

import numpy as np
import pytest
from tests.core.studies.coordination.test_coordination import chain, coordinated, relay, si
from tests.core.studies.protection.test_relay_elements import EXACT
from tests.core.studies.protection.test_schemes import trip_order_at

from northfell.core.studies.coordination import settings_table
from northfell.core.working import Working

TWICE = {"shots": 4, "fast_shots": 2, "fast_curve": "IEC_SI", "fast_multiplier": 0.05, "t_dead_s": 2.0, **EXACT}


def radial(**more) -> list[dict]:
    """Q1 recloses; Q2 and Q3 behind it are set so high that they rest. 2 kA everywhere, breakers of 0.06 s."""
    return chain(relay("B3", "Q3", 9000, 1.0, **EXACT), relay("B2", "Q2", 9000, 1.0, **EXACT), relay("B1", "Q1", 200, 0.3, **{**TWICE, **more}), ik_ka=2.0)


def test_all_trips_burn_and_the_first_is_the_quickest():
    """10 times pickup: 0.05 and 0.3 times 2.97 s. Two and two trips, with the breaker's time in each."""
    d = coordinated(radial(), fault="3ph").devices["Q1"]
    fast, slow = 0.05 * si(10) + 0.06, 0.3 * si(10) + 0.06
    assert float(d.opens_at_s(2000.0)) == pytest.approx(2 * fast + 2 * slow)
    assert float(d.opens_at_s(2000.0, "fast")) == pytest.approx(fast)
    assert float(d.once.opens_at_s(2000.0)) == pytest.approx(slow)
    w = Working("t")
    assert d.clearing(2000.0, w).t_s == pytest.approx(2 * fast + 2 * slow)
    assert d.clearing(2000.0).stage.endswith(", 4 trips")
    assert float(d.orders_at_s(2000.0, "fast")) == pytest.approx(0.05 * si(10))  # what must let an inrush pass
    once = coordinated(radial(shots=1, fast_shots=0), fault="3ph").devices["Q1"]
    assert float(once.opens_at_s(2000.0)) == pytest.approx(slow)


def test_a_trip_order_has_every_trip_and_every_closing():
    fast, slow = 0.05 * si(10) + 0.06, 0.3 * si(10) + 0.06
    order = trip_order_at(radial(), "C")
    t, expected = 0.0, []
    for k, trip in enumerate((fast, fast, slow, slow), 1):
        t += trip
        expected.append((t, "Q1"))
        if k < 4:
            t += 2.0
            expected.append((t, f"closes again after trip {k} of 4"))
    found = [(s.t_s, s.reason if "closes" in s.reason else s.device) for s in order.steps]
    assert [what for _, what in found] == [what for _, what in expected]
    assert [t for t, _ in found] == pytest.approx([t for t, _ in expected])
    assert order.cleared_s == pytest.approx(t)
    burns = sum(i.to_s - i.from_s for i in order.intervals)
    assert burns == pytest.approx(2 * fast + 2 * slow)  # nothing flows while it is open


def test_what_lies_below_opens_for_good_while_the_recloser_stays_in():
    """Q3, by its high stage after 0.4 s, is quicker than the slow trips and slower than the fast ones: two trips, then Q3 takes the fault off."""
    quick = [{**e, "i_pickup_a": 100.0, "time_multiplier": 0.05, "i_high_a": 1000.0, "t_high_s": 0.4} if e["name"] == "B3" else e for e in radial()]
    order = trip_order_at([{**e, "time_multiplier": 0.2} if e["name"] == "B3" else e for e in quick], "C")
    assert [s.device for s in order.steps if "closes" not in s.reason] == ["Q1", "Q1", "Q3"]
    assert order.cleared_s == order.steps[-1].t_s


def fused(**more) -> list[dict]:
    """A fuse behind the recloser, with nothing between: a T link."""
    devices = [{"kind": "breaker", "name": "Q1", "t_break_s": 0.06}, {"kind": "breaker", "name": "Q2", "t_break_s": 0.03},
               {"kind": "fuse", "name": "F3", "link": "T", "i_rated_a": 100.0}]  # fmt: skip
    return chain(relay("B2", "Q2", 200, 0.3, **{**TWICE, "fast_multiplier": 0.02, **more}), relay("B1", "Q1", 9000, 1.0, **EXACT), devices=devices, ik_ka=2.0)


def test_fast_trips_before_a_fuse_are_meant_to_spare_it_and_are_no_lost_selectivity():
    """The pair is held with the trips by its own curve; how far the fuse is spared is a rule of its own."""
    found = coordinated(fused(), fault="3ph")
    pair = found.worst_pairs["Q2", "F3"]
    alone = coordinated(fused(shots=1, fast_shots=0), fault="3ph").worst_pairs["Q2", "F3"]
    assert (pair.t_upper_s, pair.margin_s) == (alone.t_upper_s, alone.margin_s)
    rule = next(r for r in found.rules if r.rule == "fuse saved")
    d, fuse = found.devices["Q2"], found.devices["F3"]
    i = np.geomspace(250.0, 2000.0, 2000)
    spared = i[2 * d.by_fast_curve.opens_at_s(i) <= 0.75 * fuse.opens_at_s(i, "fast")]
    assert rule.at_a == pytest.approx(spared.max() if len(spared) else 0.0, rel=0.05)
    assert rule.value == pytest.approx(rule.at_a / 2000, rel=1e-3)
    assert 0 < rule.value < 1


def test_fast_trips_before_a_relay_are_lost_selectivity():
    """Q3 needs 0.15 s; the fast trips of Q1 come at 0.05 times 2.97 s after as much."""
    below = [{**e, "i_pickup_a": 100.0, "time_multiplier": 0.05} if e["name"] in ("B2", "B3") else e for e in radial()]
    with_fast, without = (coordinated([{**e, **more} if e["name"] == "B1" else e for e in below], fault="3ph") for more in ({}, {"fast_shots": 0}))
    assert with_fast.worst_pairs["Q1", "Q2"].margin_s < 0 < without.worst_pairs["Q1", "Q2"].margin_s


def test_the_schedule_has_what_a_recloser_is_set_to():
    found = coordinated(radial(), fault="3ph")
    told = {r["setting"]: r["value"] for r in settings_table(found.net, found.devices).records() if r["of"] == "B1"}
    assert {told["Trips until it stays open"], told["Fast trips"], told["Fast multiplier"], told["Open between trips"]} == {4, 2, 0.05}
    assert "Trips until it stays open" not in {r["setting"] for r in settings_table(found.net, found.devices).records() if r["of"] == "B3"}
