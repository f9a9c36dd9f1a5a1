"""Generators whose current falls while an arc burns: devices see less, and are slower; never told as less than it is."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import BOX

from northfell.core.model.elements import SynchronousGenerator
from northfell.core.model.network import element_from
from northfell.core.network import compile_network
from northfell.core.studies import short_circuit, trip_order
from northfell.core.studies.arc_flash import ARC_FLASH, enclosure_of, energy, explain_energy, run, seen
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash.result import timeline
from northfell.core.studies.arc_flash.seen import Place, Places, Tried
from northfell.core.studies.protection import Zones, devices_of
from northfell.core.studies.short_circuit import left_of

FALLS = {"xd1_pct": 22.0, "xd_pct": 180.0, "td2_s": 0.03, "td1_s": 0.5}
BOARD = {**BOX, "v_nominal_kv": 11.0, "gap_mm": 152.0, "working_distance_mm": 910.0, "box_height_mm": 1143.0, "box_width_mm": 762.0, "box_depth_mm": 762.0}


def plant(relay, **of_generator):
    """A generator alone, a breaker with a relay, a board."""
    return network_of([
        {"kind": "bus", "name": "G", "v_nominal_kv": 11.0}, {"kind": "bus", "name": "B", **BOARD},
        {"kind": "synchronous_generator", "name": "M", "bus": "G", "s_rated_mva": 6.0, "v_rated_kv": 11.0, "power_factor_rated": 0.8, "xd2_pct": 15.0,
         "r_stator_ohm": 0.001, "mode": "reference", "v_set_pu": 1.0, **of_generator},
        {"kind": "breaker", "name": "Q", "from_bus": "G", "to_bus": "B", "t_break_s": 0.06},
        {"kind": "relay", "name": "R", "breaker": "Q", "ct_primary_a": 400.0, "time_tolerance_pct": 0.0, **relay},
    ])  # fmt: skip


def studied(network, **settings):
    net = compile_network(network, "Normal", "arc_flash")
    used = network.settings.of(ARC_FLASH.settings).model_copy(update=settings)
    return run(net, used)


INVERSE = {"curve": "IEC_SI", "i_pickup_a": 120.0, "time_multiplier": 0.15}

REST = {"curve": "IEC_SI", "i_pickup_a": 3000.0, "time_multiplier": 1.0}  # never reached


def test_by_an_inverse_relay_as_integrated_by_hand():
    """The relay by ∫ dt / t(I(t)) = 1 in steps of 0.1 ms, the energy by ∫ e(I(t)) dt: what is told is neither less nor much more."""
    network = plant(INVERSE, **FALLS)
    arc = studied(network)
    found = arc.location("B", "load").worst
    constant = studied(plant(INVERSE)).location("B", "load").worst
    device = arc.net.elements["R"]
    box, factor = enclosure_of(arc.bus(arc.location("B", "load"))), found.factor
    m = network.elements["M"]
    passed = energy = t = 0.0
    step = 1e-4
    while passed < 1 and t < 10:
        ibf = found.i_bolted_ka * left_of([m], t)["M"]
        i_a = 1000 * factor * by.arcing_current_ka(11.0, ibf, box)
        passed += step * ((i_a / device.i_pickup_a) ** 0.02 - 1) / (0.14 * device.time_multiplier)
        t += step
    t += 0.06  # the breaker's own time
    rated_ka, most_ka = 6.0 / (math.sqrt(3) * 11.0), found.i_bolted_ka
    for k in range(round(t / step)):  # with the field at its ceiling, 1.3 of that at rated load: 1.3·|1 + 1.8·(0.6 + j·0.8)|
        x = [v + max(1.1 * rated_ka / most_ka - 0.15, 0.0) for v in (0.15, 0.22, 1.8)]
        times = 0.03 * 0.22 / 0.15 * x[0] / x[1], 0.5 * 1.8 / 0.22 * x[1] / x[2]
        last = 1.3 * math.hypot(1 + 1.8 * 0.6, 1.8 * 0.8) / x[2]
        i = (1 / x[0] - 1 / x[1]) * math.exp(-k * step / times[0]) + (1 / x[1] - last) * math.exp(-k * step / times[1]) + last
        energy += step * by.incident_energy_j_cm2(11.0, most_ka * i * x[0], box, 910.0, 1000.0, factor)
    assert t > 1.2 * constant.opens_at_s  # by so much it would be told too quick
    assert t <= found.opens_at_s <= 1.1 * t
    stepped = sum(found.followed.energies_j_cm2)
    assert energy <= stepped <= 1.15 * energy
    assert found.energy_j_cm2 == max(stepped, constant.energy_j_cm2)  # the worse of both
    told = " ".join(str(w) for w in arc.location("B", "load").warnings)
    assert "currents of generators fall" in told
    assert "taken as constant" not in told
    assert "taken as constant" in " ".join(str(w) for w in studied(plant(INVERSE)).location("B", "load").warnings)


def test_what_generators_leave_is_taken_away_as_phasors_across_a_delta_star_transformer(monkeypatch):
    """Of a generator and an infeed, the infeed's own contribution stays once all of the generator's has gone; at first nothing has."""
    network = plant(INVERSE, **FALLS, r_stator_ohm=0.4)
    raw = [
        {"kind": "infeed", "name": "N", "bus": "G", "ik_max_ka": 3.0, "ik_min_ka": 2.0, "r_over_x": 0.05},
        {"kind": "bus", "name": "L", **BOX, "v_nominal_kv": 0.4},
        {"kind": "transformer", "name": "T", "hv_bus": "B", "lv_bus": "L", "s_rated_mva": 1.6, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 6.0, "ur_pct": 1.0,
         "vector_group": "Dyn11"},
    ]  # fmt: skip
    more = {r["name"]: element_from({"id": r["name"], **r}) for r in raw}
    more["M"] = network.elements["M"].model_copy(update={"mode": "power", "p_mw": 2.0})
    network = network.model_copy(update={"elements": {**network.elements, **more}})
    net = compile_network(network, "Normal", "arc_flash")
    faults = short_circuit.run(net)
    devices = devices_of(net.elements)
    places = Places(net, ARC_FLASH.settings(), devices, Zones(net, devices), [Place(net.topology.bus_index["L"], net.topology.bus_index["L"], "load")])
    tried, at, none = Tried(places, faults, None), (0, 0, 0), frozenset()
    first_ka = float(tried.first.ibf_ka[0, 0])
    assert tried.counted_ka(at, "max", none, 0.0, 0.0) == pytest.approx(first_ka)
    later = [tried.counted_ka(at, "max", none, t, 0.0) for t in (0.1, 1.0, 10.0)]
    assert first_ka >= later[0] >= later[1] >= later[2] > 0.5 * first_ka
    monkeypatch.setattr(seen, "most_left", lambda g, i_pu, t_s: 0.0)
    flows = faults.flows([net.topology.bus_index["L"]], "max")
    assert tried.counted_ka(at, "max", none, 1.0, 0.0) == pytest.approx(float(flows.largest_of("N")[0, 0]) * 11.0 / 0.4)


def test_more_is_left_of_a_generator_behind_an_impedance_and_with_a_forced_field():
    g = plant(INVERSE, **FALLS).elements["M"]
    at_terminals = 1.1 / 0.15
    for t in (0.02, 0.1, 0.5, 2.0):
        assert short_circuit.most_left(g, at_terminals, t) >= left_of([g], t)["M"]
        assert short_circuit.most_left(g, at_terminals / 4, t) >= short_circuit.most_left(g, at_terminals, t)
    assert short_circuit.most_left(g, at_terminals, 0.0) == 1.0
    # 15, 22 and 180 % behind as much again as x″d, the field 1.3 of that at rated load: by hand
    x2, x1, xd = 0.3, 0.37, 1.95
    last = 1.3 * math.hypot(1 + 1.8 * 0.6, 1.8 * 0.8) / xd
    td2, td1 = 0.03 * 0.22 / 0.15 * x2 / x1, 0.5 * 1.8 / 0.22 * x1 / xd
    by_hand = (1 / x2 - 1 / x1) * math.exp(-0.2 / td2) + (1 / x1 - last) * math.exp(-0.2 / td1) + last
    assert short_circuit.most_left(g, 1.1 / 0.3, 0.2) == pytest.approx(by_hand * x2)


def test_a_definite_time_is_the_same_as_long_as_it_picks_up():
    definite = {**REST, "i_high_a": 100.0, "t_high_s": 0.4}
    falls, constant = (studied(plant(definite, **more)).location("B", "load").worst for more in (FALLS, {}))
    assert falls.opens_at_s == constant.opens_at_s
    assert falls.energy_j_cm2 == constant.energy_j_cm2  # with all that there was at first: not less than it is
    assert falls.followed is None


def test_a_stage_that_falls_back_never_opens():
    """It picks up at first, and has fallen back before its time is up: 2 s, with the words for it."""
    high = {**REST, "i_high_a": 900.0, "t_high_s": 0.9}
    assert studied(plant(high)).location("B", "load").worst.opens_at_s == pytest.approx(0.96)
    arc = studied(plant(high, **FALLS))
    one = arc.location("B", "load")
    assert one.worst.opens_at_s == math.inf
    assert one.worst.arc_time_s == 2.0
    assert any("does not operate" in str(w) and w.grave for w in one.warnings)
    spans = timeline(one)
    assert len(spans) > 5
    constant = studied(plant(high)).location("B", "load").worst
    assert max(sum(s.energy_j_cm2 for s in spans), constant.energy_j_cm2) == pytest.approx(one.worst.energy_j_cm2)
    ends = [r["ends"] for r in arc.timeline_table().records()]
    assert ends == ["currents have fallen"] * (len(ends) - 1) + ["longest exposure"]
    for v in one.variants:
        assert explain_energy(arc, one, v).result == pytest.approx(v.energy_cal_cm2)


def test_beyond_the_longest_exposure_it_is_told_when_at_the_latest_a_device_opens_or_that_it_never_does():
    """By the first current after 2.3 s, and what is left then is below the pickup: the exposure is the longest one either way."""
    slow = {"curve": "IEC_SI", "i_pickup_a": 400.0, "time_multiplier": 0.55}
    constant = studied(plant(slow)).location("B", "load").worst
    assert 2 < constant.opens_at_s < 3
    arc = studied(plant(slow, **FALLS))
    one = arc.location("B", "load")
    assert (one.worst.arc_time_s, one.worst.opens_at_s, one.worst.energy_j_cm2) == (2.0, math.inf, constant.energy_j_cm2)
    assert any("does not operate" in str(w) and "once the currents of generators have fallen" in str(w) and w.grave for w in one.warnings)
    for v in one.variants:
        w = explain_energy(arc, one, v)
        assert w.result == pytest.approx(v.energy_cal_cm2)
        assert any("once the currents of generators have fallen" in step.note for step in w.steps)


def test_a_stage_that_motors_hold_for_a_while_is_not_counted_on():
    """It stays picked up by what motors add to the generator's fallen current, which they do not for long."""
    motor = {"kind": "induction_motor", "name": "P", "bus": "G", "p_rated_kw": 1500.0, "v_rated_kv": 11.0, "efficiency_pct": 96.0, "power_factor": 0.9,
             "ilr_over_ir": 6.0, "r_over_x": 0.1}  # fmt: skip
    held = {"i_high_a": 300.0, "t_high_s": 1.5}
    network = plant({**REST, **held}, **FALLS)
    with_motor = network.model_copy(update={"elements": {**network.elements, "P": element_from({"id": "P", **motor})}})
    alone, one = (studied(n).location("B", "load").variant("max", "full") for n in (network, with_motor))
    assert alone.opens_at_s == one.opens_at_s == math.inf
    assert one.energy_j_cm2 > alone.energy_j_cm2


@given(st.floats(200, 1500), st.floats(0.05, 0.6), st.sampled_from(["IEC_SI", "IEC_VI", "IEC_EI", "high"]), st.floats(16, 40), st.floats(60, 250),
       st.floats(0.01, 0.1), st.floats(0.1, 2.0), st.booleans())  # fmt: skip
def test_energy_is_never_less_for_a_current_that_falls(pickup, tm, curve, xd1, xd, td2, td1, rule):
    relay = {**REST, "i_high_a": pickup, "t_high_s": tm} if curve == "high" else {"curve": curve, "i_pickup_a": pickup, "time_multiplier": tm}
    falls, constant = (
        studied(plant(relay, **more), two_second_rule=rule).location("B", "load") for more in ({"xd1_pct": xd1, "xd_pct": xd, "td2_s": td2, "td1_s": td1}, {})
    )
    assert falls.worst.energy_j_cm2 >= constant.worst.energy_j_cm2 * (1 - 1e-9)
    assert falls.worst.opens_at_s >= constant.worst.opens_at_s - 1e-9
    assert falls.boundary_mm >= constant.boundary_mm * (1 - 1e-9)


def test_faults_with_what_is_left_are_those_of_a_larger_impedance():
    """At its own terminals the current is so much of the first one; of which nothing is known, all of it."""
    network = plant(INVERSE, **FALLS)
    net = compile_network(network, "Normal", "short_circuit")
    for school in ("iec", "ieee"):
        settings = network.settings.of(short_circuit.ShortCircuitSettings).model_copy(update={"school": school})
        first = short_circuit.run(net, settings).cases["max"].ik_ka[0]
        for t in (0.05, 0.5, math.inf):
            left = left_of(net.taking_part.values(), t)
            assert short_circuit.run(net, settings, left).cases["max"].ik_ka[0] == pytest.approx(left["M"] * first)
    x2, x1, xd = 0.15, 0.22, 1.8
    assert left_of(net.taking_part.values(), math.inf)["M"] == pytest.approx((1 / xd) / (1 / x2))
    by_hand = ((1 / x2 - 1 / x1) * math.exp(-0.05 / 0.03) + (1 / x1 - 1 / xd) * math.exp(-0.05 / 0.5) + 1 / xd) * x2
    assert left_of(net.taking_part.values(), 0.05)["M"] == pytest.approx(by_hand)
    assert left_of(compile_network(plant(INVERSE), "Normal", "short_circuit").taking_part.values(), 1.0) == {}
    assert np.isfinite(first)
    own = plant(INVERSE, **FALLS, excitation="static from terminals")  # its field goes with the voltage
    assert left_of(own.elements.values(), math.inf)["M"] == 1e-3
    assert left_of(own.elements.values(), 0.5)["M"] < left_of(network.elements.values(), 0.5)["M"]
    assert studied(own).location("B", "load").worst.opens_at_s > studied(network).location("B", "load").worst.opens_at_s
    assert isinstance(network.elements["M"], SynchronousGenerator)


def test_a_finding_does_not_say_that_a_device_opens_which_never_does():
    network = plant({**REST, "i_high_a": 900.0, "t_high_s": 0.9}, **FALLS)
    arc = studied(network)
    told = [f.text for f in energy(arc, network.settings.limits.model_copy(update={"energy_close_cal_cm2": 0.1}))]
    assert any("Q does not open." in line for line in told)
    assert not any("Q opens" in line for line in told)


def test_a_trip_order_says_that_the_current_of_a_generator_is_taken_as_constant_and_which_configuration_burns():
    network = plant({**INVERSE}, **FALLS)
    board = network.elements["B"].model_copy(update={"electrode_configuration_2": "HCB"})
    network = network.model_copy(update={"elements": {**network.elements, "B": board}})
    orders = trip_order.run(compile_network(network, "Normal", "short_circuit"))
    at = orders.net.topology.bus_index["B"]
    bolted = orders.at(at)
    assert any("The current of M is taken as constant" in line for line in bolted.told)
    arc = orders.at(at, orders.settings.model_copy(update={"current": "arcing"}))
    assert any("the first of VCB, HCB" in line for line in arc.told)
    assert not any("the first of" in line for line in bolted.told)
