"""Protection that acts on places, and what devices tell each other: light of an arc, differential of a zone, interlocking, signals, failure, voltage."""

import math

import numpy as np
import pytest
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import BOX, CHAIN, arc, breaker, infeed, lv
from tests.core.studies.coordination.test_coordination import coordinated, relay
from tests.core.studies.protection.test_relay_elements import EXACT, breakers, cable, device

from northfell.core.model.elements import Breaker
from northfell.core.network import compile_network
from northfell.core.rules.consistency import contradictions
from northfell.core.studies.coordination import settings_table
from northfell.core.studies.protection import Device, Seen, Through, devices_of
from northfell.core.studies.trip_order import TripOrderSettings
from northfell.core.studies.trip_order import run as trip_order
from northfell.demo import bracken_quay, skerrow_water
from northfell.formats import northfell_json

LIGHT = {"kind": "zone_relay", "name": "L", "breaker": "QM", "function": "arc light", "bus": "B", "t_operate_s": 0.01}


def trip_order_at(elements: list[dict], bus: str, **settings):
    net = compile_network(network_of(elements), "Normal", "short_circuit")
    return trip_order(net, TripOrderSettings(**settings)).at(net.topology.bus_index[bus])


def opened(elements: list[dict], bus: str, **settings) -> list[tuple[str, float]]:
    """What opens for a fault at a bus, and when."""
    return [(s.device, round(s.t_s, 6)) for s in trip_order_at(elements, bus, **settings).steps]


def with_time(elements: list[dict], name: str, t_break_s: float = 0.05) -> list[dict]:
    """The same with the interrupting time that a breaker needs where a relay opens it."""
    return [{**e, "t_break_s": t_break_s} if e["name"] == name else e for e in elements]


def worst(elements: list[dict], side: str = "load"):
    return arc(elements).location("B", side).worst


# --- light


def test_light_opens_the_breaker_for_an_arc_at_its_bus_and_for_nothing_else():
    """QM waits 0.2 s by its band; its light relay takes 10 ms and the breaker 50."""
    lit = [*with_time(CHAIN, "QM"), LIGHT]
    assert (worst(lit).device, worst(lit).opens_at_s) == ("QM", pytest.approx(0.06))
    assert worst(lit).stage == "L arc light"
    assert worst(lit, "line").opens_at_s == worst(CHAIN, "line").opens_at_s == 0.5  # the sensors look at B alone
    assert opened(lit, "B") == opened(CHAIN, "B") == [("QM", 0.2)]  # a bolted fault has no light to count on
    three = pytest.approx(0.06)
    assert opened([*(({**e, **BOX} if e["name"] == "B" else e) for e in lit)], "B", current="arcing") == [("QM", three)]


def test_light_with_a_current_check_needs_that_current_for_certain():
    """Some 15 to 20 kA of arc: a check of 10 kA lets the light count, one of 50 kA does not."""
    low, high = ([*with_time(CHAIN, "QM"), {**LIGHT, "i_pickup_a": a}] for a in (10_000.0, 49_999.0))
    assert worst(low).opens_at_s == pytest.approx(0.06)
    assert worst(high).opens_at_s == 0.2


def test_light_of_two_incomers_opens_both_and_of_one_alone_the_other_stays():
    """A second supply through Q2, 0.32 s by its band: a signal from QM brings it with it."""
    two = [*with_time(with_time(CHAIN, "QM"), "Q2"), lv("S2"), infeed("G2", "S2", 20.0), {**breaker("Q2", "S2", "B", "0.3"), "t_break_s": 0.05}, LIGHT]
    assert worst(two).device == "Q2"
    assert worst(two).opens_at_s == pytest.approx(0.32)
    signal = {"kind": "protection_signal", "name": "K", "breaker": "Q2", "sender": "QM", "does": "trips", "t_signal_s": 0.02}
    both = worst([*two, signal])
    assert (both.device, both.opens_at_s) == ("Q2", pytest.approx(0.01 + 0.02 + 0.05))
    assert both.stage == "K from L arc light"


# --- differential


def zone_of_bar() -> list[dict]:
    """A board M between Q1 and two feeders; the transformers around it bound its zone."""
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in ("S", "M", "F1", "F2", "E1")]
    cts = [
        {"kind": "current_transformer", "name": f"T{k}", "measures": f"Q{k}", "mounted": far, "zone": "bar M", "zone_lies": near}
        for k, far, near in ((1, "first terminal", "second terminal"), (2, "second terminal", "first terminal"), (3, "second terminal", "first terminal"))
    ]
    return [
        *buses, {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1},
        *breakers(("Q1", "S", "M"), ("Q2", "M", "F1"), ("Q3", "M", "F2")), cable("W1", "F1", "E1"), *cts,
        relay("R1", "Q1", 400, 1.0, **EXACT), relay("R2", "Q2", 200, 0.2, **EXACT), relay("R3", "Q3", 200, 0.2, **EXACT),
    ]  # fmt: skip


DIFFERENTIAL = {"kind": "zone_relay", "name": "D", "breaker": "Q1", "function": "differential", "zone": "bar M", "i_difference_a": 300.0, "t_operate_s": 0.03}


def test_a_differential_relay_opens_for_faults_within_its_zone_at_once_and_rests_for_all_others():
    elements = [*zone_of_bar(), DIFFERENTIAL]
    assert opened(elements, "M") == [("Q1", pytest.approx(0.09))]
    assert opened(elements, "F1") == opened(zone_of_bar(), "F1")  # beyond the edge
    assert [p for p in coordinated(elements, fault="3ph").pairs if p.margin_s < 0] == []  # whatever flows through
    (less,) = [c for c in contradictions(network_of([*zone_of_bar(), {**DIFFERENTIAL, "zone": "bar N"}]).elements) if c.grave]
    assert "guards zone “bar N”, which no current transformers bound" in less.text
    assert opened([*zone_of_bar(), {**DIFFERENTIAL, "zone": "bar N"}], "M") == opened(zone_of_bar(), "M")


def test_a_zone_that_reaches_the_supply_is_bounded_by_nothing_and_guards_nothing():
    """Without the transformers at Q1 the zone leads on to the infeed: a relay there would trip for any load."""
    leaking = [{**e, "zone": "other"} if e["name"] == "T1" else e for e in [*zone_of_bar(), DIFFERENTIAL]]
    assert opened(leaking, "M") == opened(zone_of_bar(), "M")
    assert any("its zone bar M reaches a supply" in c.text for c in contradictions(network_of(leaking).elements))


def test_a_difference_above_the_fault_is_never_seen():
    assert opened([*zone_of_bar(), {**DIFFERENTIAL, "i_difference_a": 12_000.0}], "M") == opened(zone_of_bar(), "M")


def test_a_breaker_with_a_zone_relay_alone_is_held_to_its_zone_alone():
    """R1 is gone: Q1 has the differential relay and nothing else; faults at F1 are left to what stands above Q1, which is nothing."""
    alone = [e for e in [*zone_of_bar(), DIFFERENTIAL] if e["name"] != "R1"]
    found = coordinated(alone, fault="3ph")
    assert {p.upstream for p in found.pairs} == set()
    assert opened(alone, "M") == [("Q1", pytest.approx(0.09))]
    listed = [(r["function"], r["setting"], r["value"]) for r in settings_table(found.net, found.devices).records() if r["of"] == "D"]
    assert listed == [("87", "Zone", "bar M"), ("87", "Difference, primary", 300.0), ("87", "Operating time", 0.03)]


def test_the_difference_of_a_transformer_is_taken_at_the_voltage_of_the_breaker():
    """1 MVA, 11 to 0.4 kV: of some 22 kA at its low side 0.8 kA flow at 11 kV: 700 A sees it, 1000 A does not; on 0.4 kV it would."""
    cts = [
        {"kind": "current_transformer", "name": f"T{k}", "measures": f"Q{k}", "mounted": at, "zone": "tx", "zone_lies": toward}
        for k, at, toward in ((1, "first terminal", "second terminal"), (2, "second terminal", "first terminal"))
    ]
    elements = [
        *({"kind": "bus", "name": n, "v_nominal_kv": v} for n, v in (("S", 11.0), ("H", 11.0), ("X", 0.4), ("M", 0.4))),
        {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1}, *breakers(("Q1", "S", "H"), ("Q2", "X", "M")),
        {"kind": "transformer", "name": "T", "hv_bus": "H", "lv_bus": "X", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 6.0,
         "load_loss_kw": 10.0, "vector_group": "Dyn11"}, *cts, relay("R1", "Q1", 100, 1.0, **EXACT), relay("R2", "Q2", 2000, 1.0, **EXACT),
    ]  # fmt: skip
    guard = {**DIFFERENTIAL, "zone": "tx"}
    (i_ka,) = {round(i.i_bolted_ka * 0.4 / 11, 2) for i in trip_order_at(elements, "X").intervals[:1]}
    assert 0.7 < i_ka < 0.9
    assert opened([*elements, {**guard, "i_difference_a": 700.0}], "X")[0] == ("Q1", pytest.approx(0.09))
    assert opened([*elements, {**guard, "i_difference_a": 1000.0}], "X")[0][1] > 1
    assert opened([*elements, {**guard, "i_difference_a": 700.0}], "M")[0][1] > 1  # beyond its edge


# --- interlocking


def interlocked(**more) -> list[dict]:
    """A main and two feeders with short-time stages; the main waits for both."""
    restrains = [{"kind": "protection_signal", "name": f"K{k}", "breaker": "QM", "sender": f"Q{k}", "does": "restrains"} for k in (1, 2)]
    return [
        *(lv(n) for n in ("S", "F1", "F2")), lv("B", **BOX), infeed("G", "S"),
        breaker("QM", "S", "B", "0.4", trip_ir_a=2500.0, trip_isd_a=8000.0, trip_tr_s=20.0),
        breaker("Q1", "B", "F1", "0.2"), breaker("Q2", "B", "F2", "0.1"), *restrains,
    ]  # fmt: skip


def test_an_interlocked_main_waits_for_a_feeder_that_sees_the_fault_and_not_else():
    """At the board nobody restrains it: its lowest band, 0.14 s. Beyond a feeder it waits as set, 0.35 to 0.5 s."""
    assert worst(interlocked()).opens_at_s == 0.14
    assert worst(interlocked()).stage == "QM short time, not restrained"
    assert worst([e for e in interlocked() if e["kind"] != "protection_signal"]).opens_at_s == 0.5
    assert opened(interlocked(), "B") == [("QM", 0.14)]
    assert opened(interlocked(), "F1", failed="Q1") == [("QM", 0.5)]
    gaps = {(p.upstream, p.downstream): p.margin_s for p in coordinated(interlocked(), fault="3ph").pairs}
    assert gaps["QM", "Q1"] == pytest.approx(0.35 - 0.20)
    assert gaps["QM", "Q2"] == pytest.approx(0.35 - 0.14)


def test_a_feeder_that_does_not_restrain_loses_its_selectivity():
    without = [e for e in interlocked() if e["name"] != "K1"]
    gaps = {(p.upstream, p.downstream): p.margin_s for p in coordinated(without, fault="3ph").pairs}
    assert gaps["QM", "Q1"] == pytest.approx(0.05 - 0.20)  # the lowest band, at its earliest
    assert gaps["QM", "Q2"] == pytest.approx(0.35 - 0.14)


def test_a_setting_of_the_sender_moves_the_gap_of_the_one_that_waits_for_it():
    """Q1 with its short-time pickup above the fault tells nothing any more: what is tried at one device changes the times of another."""
    found = coordinated(interlocked(), fault="3ph")
    blind = found.devices["Q1"].switch.model_copy(update={"trip_isd_a": 49_000.0})
    tried = found.with_device(found.devices["Q1"].with_holder(blind))
    again = coordinated([{**e, "trip_isd_a": 49_000.0} if e["name"] == "Q1" else e for e in interlocked()], fault="3ph")
    assert {(p.upstream, p.downstream): p.margin_s for p in tried.pairs} == {(p.upstream, p.downstream): p.margin_s for p in again.pairs}
    assert {(p.upstream, p.downstream): p.margin_s for p in again.pairs}["QM", "Q1"] < 0


def test_a_sender_that_is_fed_from_below_may_restrain_the_main_for_a_fault_that_is_not_its_own():
    """A generator behind Q1 feeds the fault at the board through it: the main may wait, and is not credited with less."""
    fed = [*interlocked(), infeed("G1", "F1", 10.0)]
    assert {v.opens_at_s for v in arc(fed).location("B", "load").variants} == {0.5}


def test_relays_block_a_high_stage_that_is_quick_where_nobody_blocks_it():
    """A reverse-blocked board: 0.1 s unless a feeder sees the fault, else 0.4."""
    high = {"i_high_a": 1500.0, "t_high_s": 0.4, **EXACT}
    elements = [
        *zone_of_bar()[:5], {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1},
        *breakers(("Q1", "S", "M"), ("Q2", "M", "F1"), ("Q3", "M", "F2")), cable("W1", "F1", "E1"), relay("R1", "Q1", 400, 5.0, **high),
        relay("R2", "Q2", 200, 0.02, i_high_a=1000.0, t_high_s=0.1, **EXACT), relay("R3", "Q3", 200, 0.02, **EXACT),
        *({"kind": "protection_signal", "name": f"K{k}", "breaker": "Q1", "sender": f"Q{k}", "does": "restrains", "t_free_s": 0.1} for k in (2, 3)),
    ]  # fmt: skip
    assert opened(elements, "M") == [("Q1", pytest.approx(0.16))]
    assert opened(elements, "F1", failed="Q2") == [("Q1", pytest.approx(0.46))]


def seen(upper_a: float, **elsewhere: float) -> Through:
    one = {d: Through(np.asarray(a), np.zeros(())) for d, a in elsewhere.items()}
    return Through(np.asarray(upper_a), np.zeros(()), None, one)


def test_what_may_restrain_counts_for_the_latest_time_and_what_does_for_certain_for_the_earliest():
    """QM's band is 0.35 to 0.50 s, 0.05 to 0.14 where it is free. Q1 may pick up from 1050 A on; its short-time stage does from 4400 A on."""
    found = coordinated(interlocked(), fault="3ph").devices["QM"]
    at = {a: [float(found.opens_at_s(seen(9000.0, Q1=a, Q2=0.0), edge)) for edge in ("fast", "slow")] for a in (1000.0, 1100.0, 4000.0, 5000.0)}
    assert at == {1000.0: [0.05, 0.14], 1100.0: [0.05, 0.50], 4000.0: [0.05, 0.50], 5000.0: [0.35, 0.50]}
    assert [float(found.opens_at_s(9000.0, edge)) for edge in ("fast", "slow")] == [0.05, 0.50]  # nothing is known of Q1
    bimetal = {"trip": "thermal-magnetic", "trip_ir_a": 1000.0, "trip_im_a": 4000.0}
    cannot = [{**{k: v for k, v in e.items() if not k.startswith("trip")}, **bimetal} if e["name"] == "Q1" else e for e in interlocked()]
    silent = coordinated(cannot, fault="3ph").devices["QM"]
    assert [float(silent.opens_at_s(seen(9000.0, Q1=9000.0, Q2=0.0), edge)) for edge in ("fast", "slow")] == [0.05, 0.50]


def test_a_sender_whose_settings_are_not_known_may_restrain():
    """Q1's short-time band is missing: the main is not credited with less than its own, nor is it taken to wait for certain."""
    lacking = [{k: v for k, v in e.items() if not (e["name"] == "Q1" and k == "trip_tsd")} for e in interlocked()]
    assert worst(lacking).opens_at_s == 0.5
    found = coordinated(lacking, fault="3ph").devices["QM"]
    assert float(found.opens_at_s(seen(9000.0, Q1=9000.0, Q2=0.0), "fast")) == 0.05


def test_a_breaker_that_is_told_by_one_that_waits_is_told_as_soon_as_that_one_need_not_wait():
    """QM, on relays now, has 0.4 s while Q1 sees the fault and 0.1 s else; what it tells Q0 comes as soon: for the earliest time too."""
    high = {"i_high_a": 1500.0, "t_high_s": 0.4, **EXACT}
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in ("T", "S", "M", "F1")]
    elements = [
        *buses, {"kind": "infeed", "name": "G", "bus": "T", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1},
        *breakers(("Q0", "T", "S"), ("QM", "S", "M"), ("Q1", "M", "F1")), relay("R0", "Q0", 400, 10.0, **EXACT), relay("RM", "QM", 400, 5.0, **high),
        relay("R1", "Q1", 200, 0.02, i_high_a=1000.0, t_high_s=0.1, **EXACT),
        {"kind": "protection_signal", "name": "K1", "breaker": "QM", "sender": "Q1", "does": "restrains", "t_free_s": 0.1},
        {"kind": "protection_signal", "name": "K0", "breaker": "Q0", "sender": "QM", "does": "trips", "t_signal_s": 0.02},
    ]  # fmt: skip
    assert opened(elements, "M") == [("QM", pytest.approx(0.16))]
    found = coordinated(elements, fault="3ph")
    q0 = found.devices["Q0"]
    at = {q1: [float(q0.orders_at_s(seen(9000.0, QM=9000.0, Q1=q1), edge)) for edge in ("fast", "slow")] for q1 in (0.0, 9000.0)}
    assert at == {0.0: [0.02, pytest.approx(0.12)], 9000.0: [pytest.approx(0.42), pytest.approx(0.42)]}
    blind = found.devices["Q1"].with_holder(found.devices["Q1"].relays[0].model_copy(update={"i_high_a": 40_000.0, "i_pickup_a": 30_000.0}))
    tried = found.with_device(blind).devices["Q0"]  # two signals away
    assert float(tried.orders_at_s(seen(9000.0, QM=9000.0, Q1=9000.0), "fast")) == pytest.approx(0.02)


# --- failure


def test_a_breaker_that_fails_is_followed_by_the_one_that_is_told_so():
    """R2 operates after 0.1 s; Q2 fails: 0.15 s later, and 0.02 of the signal, Q1 is told. Without the signal R1 takes its own time."""
    high = {"i_high_a": 1000.0, "t_high_s": 0.1}
    elements = [{**e, **high} if e["name"] == "R2" else e for e in zone_of_bar()]
    signal = {"kind": "protection_signal", "name": "K", "breaker": "Q1", "sender": "Q2", "does": "trips on failure", "t_signal_s": 0.02, "t_failure_s": 0.15}
    told = [*elements, signal]
    assert opened(told, "F1", failed="Q2") == [("Q1", pytest.approx(0.1 + 0.15 + 0.02 + 0.06))]
    assert opened(elements, "F1", failed="Q2")[0][1] > 0.5
    assert opened(told, "F1") == [("Q2", pytest.approx(0.16))]  # it opens, and nobody else is told
    rule = next(r for r in coordinated(told, fault="3ph").rules if r.rule == "breaker failure")
    assert (rule.device, rule.of, rule.value) == ("Q1", "Q2", pytest.approx(0.15 / (0.06 + 0.05)))
    only = [e for e in told if e["name"] != "R1"]  # nothing else opens Q1
    assert opened(only, "F1", failed="Q2") == [("Q1", pytest.approx(0.1 + 0.15 + 0.02 + 0.06))]
    assert {p.upstream for p in coordinated(only, fault="3ph").pairs} == set()
    short = next(r for r in coordinated([*elements, {**signal, "t_failure_s": 0.07}], fault="3ph").rules if r.rule == "breaker failure")
    assert short.value < 1  # it trips the board before the feeder has opened:
    quick = [{**e, "t_break_s": 0.2} if e["name"] == "Q2" else e for e in [*elements, {**signal, "t_failure_s": 0.07}]]
    assert opened(quick, "F1") == [("Q1", pytest.approx(0.1 + 0.07 + 0.02 + 0.06))]


# --- signals that do nothing


@pytest.mark.parametrize(
    ("signal", "told"),
    [
        ({"sender": "QM", "does": "restrains"}, "QM sends it to itself"),
        ({"sender": "Q1", "does": "trips"}, "Q1 has no relay that would send it"),
        ({"sender": "QX", "does": "restrains"}, "QX has neither a relay nor a short-time or earth stage"),
        ({"breaker": "QX", "sender": "Q1", "does": "restrains"}, "QX has no stage that it could restrain"),
    ],
)
def test_a_signal_that_never_comes_or_changes_nothing_is_told(signal, told):
    bimetal = {"kind": "breaker", "name": "QX", "from_bus": "B", "to_bus": "F2", "trip": "thermal-magnetic", "trip_ir_a": 100.0, "trip_im_a": 1000.0}
    elements = [*interlocked(), bimetal, {"kind": "protection_signal", "name": "K9", "breaker": "QM", "t_signal_s": 0.0, **signal}]
    assert [told in c.text for c in contradictions(network_of(elements).elements) if "K9" in c.text] == [True]


# --- voltage


def test_undervoltage_opens_after_its_time_where_the_fault_takes_the_voltage_and_is_held_against_the_load_flow():
    """At F1 nothing is left at M; far down a cable most of it is. R1 itself would take seconds."""
    under = {"v_under_pct": 70.0, "t_under_s": 0.3, "v_over_pct": 103.0, "t_over_s": 1.0}
    elements = [{**e, **under} if e["name"] == "R1" else e for e in zone_of_bar()]
    assert opened(elements, "M") == [("Q1", pytest.approx(0.36))]
    d = coordinated(elements, fault="3ph").devices["Q1"]
    stage = next(fn for fn in d.functions if fn.code == "27")
    half = Through(np.asarray(1.0), np.asarray(0.0), Seen(v_bolted_pu=0.0, dip_pu=1.0, share=0.5))
    assert [float(stage.orders_at_s(half, edge)) for edge in ("fast", "slow")] == [0.3, math.inf]  # 50 % at least, 87 % at most
    low = Through(np.asarray(1.0), np.asarray(0.0), Seen(v_bolted_pu=0.4, dip_pu=0.6))
    assert float(stage.orders_at_s(low)) == 0.3
    far = [{**e, "length_m": 20_000.0} if e["name"] == "W1" else e for e in elements]
    assert dict(opened(far, "E1")).get("Q1") is None  # what is left is above the setting
    rules = {r.rule: r for r in coordinated(elements, fault="3ph").rules if r.rule in ("undervoltage", "overvoltage")}
    assert rules["undervoltage"].value is None or rules["undervoltage"].value == pytest.approx(1 / 0.7, rel=1e-2)
    assert coordinated(elements, fault="3ph").summary["pairs"] == coordinated(zone_of_bar(), fault="3ph").summary["pairs"]


# --- stages of an electronic trip


def trip(**more) -> Device:
    raw = {"trip": "electronic", "trip_ir_a": 1000.0, "trip_tr_s": 20.0, "trip_isd_a": 3000.0, "trip_tsd": "0.2", **more}
    return Device(Breaker(id="Q", name="Q", from_bus="A", to_bus="B", **raw))


def test_a_short_time_band_by_i2t_falls_through_its_setting_at_ten_times_ir_and_is_flat_above():
    """Band 0.14 to 0.20 s: at half of ten times Ir four times as long; never below the flat band."""
    ramp, flat = trip(trip_sd_ramp=True), trip()
    assert [float(ramp.opens_at_s(i, edge)) for i in (5000.0, 10_000.0, 20_000.0) for edge in ("fast", "slow")] == pytest.approx(
        [0.56, 0.80, 0.14, 0.20, 0.14, 0.20]
    )
    assert [float(flat.opens_at_s(i)) for i in (5000.0, 20_000.0)] == [0.20, 0.20]
    i = np.geomspace(3400.0, 50_000.0, 40)
    for edge in ("fast", "slow"):
        assert (ramp.opens_at_s(i, edge) >= flat.opens_at_s(i, edge)).all()


def test_an_earth_stage_of_a_trip_goes_by_the_residual_current_alone():
    """Ig 400 A ±10 %, band 0.32 to 0.42 s."""
    d = trip(trip_ig_a=400.0, trip_tg="0.3")
    sees = [Through(np.asarray(500.0), np.asarray(i0)) for i0 in (350.0, 370.0, 450.0)]
    assert [float(d.opens_at_s(one)) for one in sees] == [math.inf, math.inf, 0.42]
    assert [float(d.opens_at_s(one, "fast")) for one in sees] == [math.inf, 0.32, 0.32]


@pytest.mark.parametrize("example", [skerrow_water, lambda: northfell_json.read(bracken_quay())])
def test_below_what_it_rests_at_nothing_operates(example):
    """Who follows a fault looks no closer at what carries less; of what goes by something else than its own current nothing is said."""
    functions = [fn for d in devices_of(example().elements).values() for fn in (*d.functions, *d.on_failure)]
    rests = [(fn, edge, fn.rests_below_a(edge)) for fn in functions for edge in ("fast", "slow")]
    assert any(a > 0 for _, _, a in rests)
    for fn, edge, a in rests:
        least = np.full(1, np.nextafter(a, 0.0))
        assert a == 0 or np.isinf(fn.orders_at_s(Through(least, least), edge)).all(), fn.code
        own = fn.measures in ("phase", "residual") and not (fn.measured_at or fn.released or fn.restraint)
        assert a == (fn.curve.from_a(edge) if own else 0.0)


def test_what_goes_by_voltage_or_negative_sequence_never_rests_by_the_current_of_its_breaker():
    """Undervoltage acts where nothing flows, a voltage lowers a pickup, and of the negative sequence neither current tells."""
    acting = {"i_negative_a": 100.0, "t_negative_s": 0.7, "v_under_pct": 80.0, "t_under_s": 1.0, "voltage": "controlled", "v_release_pct": 80.0}
    one = device(**acting)
    rests = {fn.code: fn.rests_below_a("fast") for fn in one.functions}
    assert set(rests.values()) == {0.0}
    assert {"27", "46"} <= set(rests)
    nothing = Through(np.zeros(1), np.zeros(1), Seen(v_bolted_pu=np.zeros(1), dip_pu=np.ones(1)))
    assert np.isfinite(one.opens_at_s(nothing)).all()
    assert device().rests_below_a > 0
