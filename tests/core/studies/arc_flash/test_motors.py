"""Motors bring current for a few cycles: no device is counted on to open by it, and the energy has it until the end."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import BOX, arc, infeed, lv

from northfell.core.network import compile_network
from northfell.core.studies import trip_order
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash import enclosure_of, explain_energy
from northfell.core.studies.arc_flash.earlier import compare


def motor(name: str, bus: str, kw: float, **more) -> dict:
    return {"kind": "induction_motor", "name": name, "bus": bus, "p_rated_kw": kw, "v_rated_kv": 0.4, "efficiency_pct": 94.0, "power_factor": 0.88,
            "ilr_over_ir": 6.5, "r_over_x": 0.4, **more}  # fmt: skip


def inverse(name: str, a: str, b: str, pickup: float, tm: float, **more) -> list[dict]:
    return [
        {"kind": "breaker", "name": name, "from_bus": a, "to_bus": b, "t_break_s": 0.06},
        {"kind": "relay", "name": f"R{name}", "breaker": name, "ct_primary_a": 1000.0, "curve": "IEC_VI", "i_pickup_a": pickup, "time_multiplier": tm,
         "time_tolerance_pct": 0.0, **more},
    ]  # fmt: skip


def board(kw: float, pickup: float = 3000.0, tm: float = 0.1, **relay) -> list[dict]:
    """A board fed through a breaker, and a panel behind one more: motors on the board feed an arc at the panel through that."""
    motors = [motor("M", "B", kw)] if kw else []
    supply = [lv("S"), infeed("G", "S"), *inverse("QS", "S", "B", 30000.0, 1.0)]
    return [*supply, lv("B"), *motors, lv("P", **BOX), *inverse("Q", "B", "P", pickup, tm, **relay)]


def by_hand_s(i_a: float, pickup: float, tm: float) -> float:
    return tm * 13.5 / (i_a / pickup - 1) + 0.06


def test_a_feeder_sees_nothing_of_the_motors_beside_it_and_the_energy_has_them():
    study, none = arc(board(2000.0)), arc(board(0.0))
    one, alone = (s.location("P", "load").variant("max", "full") for s in (study, none))
    assert one.i_bolted_ka > 1.3 * alone.i_bolted_ka
    assert one.opens_at_s == pytest.approx(alone.opens_at_s, rel=2e-3)  # a thousandth of the motors is left
    assert one.opens_at_s == pytest.approx(by_hand_s(1000 * alone.i_arc_ka, 3000.0, 0.1), rel=2e-3)
    assert one.by_first_s == pytest.approx(by_hand_s(1000 * one.i_arc_ka, 3000.0, 0.1), rel=1e-6)
    assert one.by_first_s < 0.95 * one.opens_at_s  # as it was told before: too quick
    box = enclosure_of(study.bus(study.location("P", "load")))
    assert one.energy_j_cm2 == pytest.approx(by.incident_energy_j_cm2(0.4, one.i_bolted_ka, box, 609.6, 1000 * one.opens_at_s))
    assert one.energy_j_cm2 > 1.2 * alone.energy_j_cm2
    told = [w for w in study.location("P", "load").warnings if "motors" in w]
    assert "the current of motors is gone within cycles: Q opens at" in told[0]
    assert not [w for w in none.location("P", "load").warnings if "motors" in w]
    for v in study.location("P", "load").variants:
        made = explain_energy(study, study.location("P", "load"), v)
        assert made.result == pytest.approx(v.energy_cal_cm2)
        assert [s.value for s in made.steps if s.symbol == "t"][-1] == pytest.approx(v.opens_at_s)
    assert study.location("P", "load").variant("min", "full").by_first_s is None  # there are none in it


def test_a_stage_that_only_motors_reach_is_not_counted_on():
    high = {"i_high_a": 20000.0, "t_high_s": 0.0}
    study = arc(board(2000.0, 6000.0, 1.0, **high))
    one = study.location("P", "load").variant("max", "full")
    assert one.by_first_s == pytest.approx(0.06)
    assert one.opens_at_s > 1.0
    never = arc(board(2000.0, 25000.0, 1.0, **high))
    told = next(w for w in never.location("P", "load").warnings if "does not operate" in w)
    assert "without the current of motors" in told or "minimum" in told
    assert never.location("P", "load").worst.arc_time_s == 2.0


def test_what_a_device_is_asked_to_break_has_the_motors():
    rated = [{**e, "i_breaking_ka": 38.0} if e["name"] == "Q" else e for e in board(2000.0)]
    told = [w for w in arc(rated).location("P", "load").warnings if "rated to break" in w]
    assert told
    assert not [w for w in arc([e for e in rated if e["name"] != "M"]).location("P", "load").warnings if "rated to break" in w]


def test_the_earlier_edition_takes_the_later_of_both_too():
    study = arc([{**e, "ik_min_ka": 30.0} if e["name"] == "G" else e for e in board(2000.0)])
    one, constant = (compare(found).places[0] for found in (study, replace(study, bare=None)))
    assert one.case == constant.case == "max"
    assert one.opens_at_s > 1.1 * constant.opens_at_s
    assert one.energy_j_cm2 > 1.1 * constant.energy_j_cm2


def test_where_ways_open_one_after_the_other_the_intervals_have_the_motors():
    """A second infeed of the board opens first: what is left is slower without motors, and the energy of every interval has them."""
    two = [*board(1000.0), lv("S2"), infeed("G2", "S2", 25.0), *inverse("Q2", "S2", "B", 3000.0, 0.02)]
    study = arc(two)
    place = study.location("P", "load")
    one = next(v for v in place.variants if v.followed and v.case == "max" and v.variant == "full")
    first, second = one.followed.intervals
    assert first.i_bolted_ka == pytest.approx(one.i_bolted_ka)
    left, bare = arc(board(1000.0)), arc(board(0.0))
    with_motors, without = (s.location("P", "load").variant("max", "full") for s in (left, bare))
    assert second.i_bolted_ka == pytest.approx(with_motors.i_bolted_ka)  # all that flows at first with Q2 open, not what the motors added before
    assert second.i_fault_ka == pytest.approx(with_motors.i_arc_ka)
    box = enclosure_of(study.bus(place))
    for span, energy in zip(one.followed.intervals, one.followed.energies_j_cm2, strict=True):
        assert energy == pytest.approx(by.incident_energy_j_cm2(0.4, span.i_bolted_ka, box, 609.6, 1000 * (span.to_s - span.from_s)))
    assert one.energy_j_cm2 >= sum(one.followed.energies_j_cm2)  # which has less of the second infeed than is counted on, at the worse of both
    q = next(d for d in place.devices if (d.case, d.variant, d.device) == ("max", "full", "Q"))
    assert q.i_device_ka == pytest.approx(without.i_arc_ka, rel=5e-3)  # that of Q once Q2 is open, without motors
    assert q.bolted_ka == pytest.approx(one.i_bolted_ka)  # what it may have to break
    for v in place.variants:
        assert explain_energy(study, place, v).result == pytest.approx(v.energy_cal_cm2)


def test_a_trip_order_tells_that_motors_are_taken_as_constant():
    for kw in (0.0, 500.0):
        orders = trip_order.run(compile_network(network_of(board(kw)), "Normal", "short_circuit"))
        told = " ".join(orders.at(orders.net.topology.bus_index["P"]).told)
        assert ("current of motors is taken as constant" in told) == (kw > 0)


@given(st.floats(1, 3000), st.floats(500, 30000), st.floats(0.02, 1.0), st.floats(500, 40000), st.booleans())
def test_motors_never_make_an_arc_less(kw, pickup, tm, high, rule):
    """Neither its energy nor its end: with a thousandth of them left, and so little slack for a stage that is just reached."""
    relay = {"i_high_a": high, "t_high_s": 0.1}
    them, none = (arc(board(k, pickup, tm, **relay), arc_flash={"two_second_rule": rule}).location("P", "load") for k in (kw, 0.0))
    for case in ("max", "min"):
        for variant in ("full", "reduced"):
            one, alone = them.variant(case, variant), none.variant(case, variant)
            near = any(math.isclose(1000 * alone.i_device_ka, reached, rel_tol=5e-3) for reached in (pickup, high)) if alone.device else False
            if not near:
                assert one.energy_j_cm2 >= alone.energy_j_cm2 * 0.99
                assert one.opens_at_s >= alone.opens_at_s * 0.95
