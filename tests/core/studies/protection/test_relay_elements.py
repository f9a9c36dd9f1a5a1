"""What a relay measures beside the current of a phase: direction, voltage, negative sequence, heat; and which of its settings are in force."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.coordination.test_coordination import chain, coordinated, relay, si

from northfell.core.catalogue.links import band_of
from northfell.core.errors import NetworkRefused
from northfell.core.model.elements import BandPoint, Breaker, Fuse, Relay
from northfell.core.model.network import OperatingState
from northfell.core.network import compile_network
from northfell.core.rules.consistency import contradictions
from northfell.core.studies import short_circuit
from northfell.core.studies.arc_flash import run as arc_flash
from northfell.core.studies.coordination import settings_table
from northfell.core.studies.protection import Device, Seen, Through, devices_of, link_time_s, through_devices
from northfell.core.studies.trip_order import TripOrderSettings
from northfell.core.studies.trip_order import run as trip_order
from northfell.core.working import Working

EXACT = {"time_tolerance_pct": 0.0, "pickup_tolerance_pct": 0.0, "m_start": 1.0}
FAULTS = ("3ph", "ll", "llg", "lg")


def device(**more) -> Device:
    b = Breaker(id="Q", name="Q", from_bus="A", to_bus="B", t_break_s=1e-9)
    raw = {**relay("B", "Q", 100.0, 1.0, **EXACT), **more}
    return Device(b, (Relay(id="B", **raw),))


def faults_of(elements):
    return short_circuit.run(compile_network(network_of(elements), "Normal", "short_circuit"))


def cable(name: str, a: str, b: str, r: float = 0.1, x: float = 0.3) -> dict:
    return {"kind": "cable", "name": name, "from_bus": a, "to_bus": b, "length_m": 1000.0, "r_ohm_per_km": r, "x_ohm_per_km": x, "r0_ohm_per_km": 3 * r,
            "x0_ohm_per_km": 3 * x, "t_end_degc": 80.0}  # fmt: skip


def breakers(*joined: tuple[str, str, str]) -> list[dict]:
    return [{"kind": "breaker", "name": n, "from_bus": a, "to_bus": b, "t_break_s": 0.06} for n, a, b in joined]


# --- direction


@settings(max_examples=25)
@given(turned=st.lists(st.booleans(), min_size=5, max_size=5), r=st.floats(0.02, 2.0), x=st.floats(0.02, 2.0), shift=st.sampled_from(["Dyn11", "Dyn5", "YNd1"]))
def test_on_a_radial_way_every_current_flows_from_the_source_whatever_the_fault(turned, r, x, shift):
    """Each breaker stands one way or the other: the sign tells which. Of the residual current too, where there is any."""
    ways = [("Q1", "S", "A"), ("Q2", "A", "B"), ("Q3", "C", "D"), ("Q4", "E", "F"), ("Q5", "F", "H")]
    elements = [
        *({"kind": "bus", "name": n, "v_nominal_kv": 11.0 if n in "SABCD" else 0.4} for n in "SABCDEFH"),
        {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.2,
         "neutral": "solid", "x0_over_x1": 1.0, "r0_over_x0": 0.2},
        *breakers(*((n, b, a) if back else (n, a, b) for (n, a, b), back in zip(ways, turned, strict=True))), cable("W1", "B", "C", r, x),
        {"kind": "transformer", "name": "T", "hv_bus": "D", "lv_bus": "E", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 6.0,
         "load_loss_kw": 10.0,
         "vector_group": shift, "neutral_lv": "solid", "neutral_hv": "solid", "z0_over_z1": 0.9},
    ]  # fmt: skip
    faults = faults_of(elements)
    top, order = faults.net.topology, "SABCDEFH"
    for fault in FAULTS:
        for bus in order[1:]:
            seen = through_devices(faults.flows([top.bus_index[bus]], "max", fault), [n for n, _, _ in ways])
            for k, ((_, _, b), back) in enumerate(zip(ways, turned, strict=True)):
                if order.index(b) <= order.index(bus):
                    assert seen.seen is not None
                    if seen.phase_a[k, 0] > 1e-3:  # none flows to earth behind a delta
                        assert float(seen.seen.way[k, 0]) == (-1 if back else 1), (fault, bus, b)
                    if seen.residual_a[k, 0] > 1e-3:
                        assert float(seen.seen.residual_way[k, 0]) == (-1 if back else 1), (fault, bus, b)


def ring(looks: str) -> list[dict]:
    """Two cables side by side from M to N, each with a relay at its far end; the first has a place F half-way. N feeds a load, no source."""
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in ("M", "N", "A1", "F", "B1", "A2", "B2")]
    far = {**EXACT, "i_high_a": 500.0, "t_high_s": 0.1, "looks": looks}
    near = {**EXACT, "i_high_a": 500.0, "t_high_s": 0.5}
    return [
        *buses, {"kind": "infeed", "name": "G", "bus": "M", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1},
        *breakers(("Q1", "M", "A1"), ("Q2", "M", "A2"), ("Q3", "N", "B1"), ("Q4", "N", "B2")), cable("W1", "A1", "F"), cable("W2", "F", "B1"),
        cable("W3", "A2", "B2", 0.2, 0.6), *(relay(f"R{k}", f"Q{k}", 5000, 10.0, **(near if k < 3 else far)) for k in (1, 2, 3, 4)),
    ]  # fmt: skip


def test_of_two_cables_side_by_side_a_directional_relay_opens_the_faulted_one_alone():
    """Both far ends carry the same current, one out of N and one into it. Without direction both open."""

    def opened(looks: str) -> list[tuple[str, float]]:
        net = compile_network(network_of(ring(looks)), "Normal", "short_circuit")
        found = trip_order(net, TripOrderSettings()).at(net.topology.bus_index["F"])
        return [(s.device, round(s.t_s, 6)) for s in found.steps]

    assert opened("forward") == [("Q3", 0.16), ("Q1", 0.56)]  # forward: from N into its cable
    assert opened("both ways") == [("Q3", 0.16), ("Q4", 0.16), ("Q1", 0.56)]
    assert opened("reverse") == [("Q4", 0.16), ("Q1", 0.56)]


def test_what_looks_the_other_way_is_held_to_nothing_there_and_told():
    """For faults at N both far ends look into their cables: they rest, and the ends at M are left with them."""
    found = coordinated(ring("forward"), fault="3ph")
    at_n = [r for r in found.rules if r.device == "Q3" and r.rule == "least fault" and r.value is None]
    assert [r.basis for r in at_n] == ["it looks the other way: faults here are left to Q1"]
    assert not [p for p in found.pairs if p.downstream == "Q3" and found.net.topology.bus_ids[p.bus] == "N"]
    assert {found.net.topology.bus_ids[t.bus] for t in found.times if t.device == "Q3"} <= {"B1", "F", "A1"}  # nor are its times told for there
    both = coordinated(ring("both ways"), fault="3ph")
    assert [p for p in both.pairs if p.downstream == "Q3" and both.net.topology.bus_ids[p.bus] == "N"]


@pytest.mark.parametrize(("looks", "above"), [("forward", {"Q1", "Q2"}), ("both ways", {"Q3", "Q4"})])
def test_past_a_device_that_looks_away_the_next_one_above_is_held(looks, above):
    """A way from N to a load: with the far ends looking into their cables, the near ends at M are what stands above it."""
    way = [{"kind": "bus", "name": "L", "v_nominal_kv": 11.0}, *breakers(("QL", "N", "L")), relay("RL", "QL", 100, 0.5, **EXACT)]
    found = coordinated([*ring(looks), *way], fault="3ph")
    pairs = {p.upstream: p for p in found.worst_pairs.values() if p.downstream == "QL"}
    assert set(pairs) == above
    assert all(math.isfinite(p.t_upper_s) for p in pairs.values())


def test_a_way_that_is_not_known_is_never_certain():
    one = device(i_high_a=500.0, t_high_s=0.1, looks="forward")
    assert math.isinf(float(one.opens_at_s(1000.0)))
    assert float(one.opens_at_s(1000.0, "fast")) == pytest.approx(0.1)
    back = Through(np.asarray(1000.0), np.zeros(()), Seen(way=-1.0))
    assert math.isinf(float(one.opens_at_s(back, "fast")))
    assert [fn.called for fn in one.functions] == ["67/51", "67/50"]
    warm = device(looks="forward", i_thermal_a=120.0, t_thermal_s=600.0)  # heat is no matter of faults
    assert (warm.looks_away(-1), warm.looks_away(1), device().looks_away(1)) == (True, False, False)


# --- voltage


def voltage_relay(kind: str) -> dict:
    return relay("R", "Q", 1000.0, 0.1, **EXACT, voltage=kind)


def test_a_restrained_pickup_follows_the_voltage_that_the_fault_leaves():
    """Behind the relay 6.35 kV and Zs, beyond it a cable: U/Un = c·|Zc|/|Zs + Zc|; at its own bus nothing is left and a quarter of the pickup stands."""
    elements = [*({"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in "SAB"), {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 3.0,
                "ik_min_ka": 2.0, "r_over_x": 0.1}, *breakers(("Q", "S", "A")), cable("W", "A", "B", 0.2, 1.0), voltage_relay("restrained")]  # fmt: skip
    faults = faults_of(elements)
    one = devices_of(faults.net.elements)["Q"]
    z_s = 1.1 * 11.0 / (math.sqrt(3) * 3.0) * complex(0.1, 1) / abs(complex(0.1, 1))
    for bus, v in (("A", 0.0), ("B", 1.1 * abs(complex(0.2, 1.0) / (z_s + complex(0.2, 1.0))))):
        through = through_devices(faults.flows([faults.net.topology.bus_index[bus]], "max"), ["Q"]).at((0, 0))
        assert float(through.seen.v_bolted_pu) == pytest.approx(v, abs=1e-6)
        pickup = 1000.0 * max(v, 0.25)
        assert float(one.opens_at_s(through)) == pytest.approx(0.1 * si(float(through.phase_a) / pickup) + 0.06)
        w = Working("t")
        assert one.clearing(through, w).t_s == w.steps[-1].value
        told = {step.symbol: step.value for step in w.steps}
        assert told["Iv"] == pytest.approx(float(through.phase_a) / max(v, 0.25))
    # line to line nothing is left between two phases at the fault, and by the third there would be
    ll = through_devices(faults.flows([faults.net.topology.bus_index["A"]], "max", "ll"), ["Q"]).at((0, 0))
    assert float(ll.seen.v_bolted_pu) == pytest.approx(0.0, abs=1e-9)


def test_a_controlled_stage_acts_below_its_voltage_alone_and_may_be_set_below_the_load():
    one = device(voltage="controlled", v_release_pct=80.0)
    low, high = (Through(np.asarray(500.0), np.zeros(()), Seen(v_bolted_pu=v, dip_pu=1 - v)) for v in (0.79, 0.81))
    assert float(one.opens_at_s(low)) == pytest.approx(si(5.0))
    assert math.isinf(float(one.opens_at_s(high, "fast")))
    assert math.isinf(float(one.opens_at_s(500.0, "fast")))  # full voltage where none is known
    found = coordinated([{**e, **({"voltage": "controlled", "i_pickup_a": 20.0} if e["name"] == "B3" else {})} for e in chain(
        relay("B3", "Q3", 100, 0.1), relay("B2", "Q2", 200, 0.3), relay("B1", "Q1", 400, 0.4))], fault="3ph")  # fmt: skip
    load = next(r for r in found.rules_of("Q3") if r.rule == "load")
    assert load.value == math.inf
    assert load.at_a > 20.0
    assert next(r for r in found.rules_of("Q3") if r.rule == "least fault").value == pytest.approx(10000 / (1.05 * 20))


@given(
    z=st.tuples(st.floats(0.1, 5), st.floats(30, 90), st.floats(0.0, 20), st.floats(30, 90)), r_f=st.floats(0, 50), x_f=st.floats(0, 50),
    resistive=st.booleans(),
)  # fmt: skip
def test_the_voltage_of_a_fault_through_an_impedance_lies_between_its_bounds(z, r_f, x_f, resistive):
    z_s, z_c = (a * np.exp(1j * np.radians(angle)) for a, angle in (z[:2], z[2:]))
    z_f = complex(r_f, 0 if resistive else x_f)
    share = abs((z_s + z_c) / (z_s + z_c + z_f))
    seen = Seen(v_bolted_pu=abs(z_c / (z_s + z_c)), dip_pu=abs(z_s / (z_s + z_c)), share=share)
    left = abs((z_c + z_f) / (z_s + z_c + z_f))
    assert float(seen.v_pu("fast")) <= left + 1e-9
    if resistive:
        assert left <= float(seen.v_pu("slow")) + 1e-9


def test_where_a_pickup_moves_with_the_voltage_its_beginning_is_searched():
    one = device(voltage="restrained")
    (fn,) = one.functions
    fault = Through(np.array([300.0, 90.0]), np.zeros(2), Seen(v_bolted_pu=np.array([0.2, 0.95]), dip_pu=np.array([0.9, 0.05])))
    assert [float(fault.seen.v_pu(edge)[0]) for edge in ("fast", "slow")] == [0.2, 0.2]  # of a bolted fault it is known
    half = fault.times(0.5).seen
    assert [float(half.v_pu(edge)[0]) for edge in ("fast", "slow")] == [pytest.approx(0.55), pytest.approx(math.sqrt(1 - 0.25 * (1 - 0.04)))]
    for edge in ("fast", "slow"):
        share = fn.begins_at(fault, edge)
        assert math.isinf(share[1])
        just = fault.times(share[:1].repeat(2)).at([0])
        assert float(fn.sees(just, edge)[0]) == pytest.approx(100.0, rel=1e-6)


# --- negative sequence, heat


def test_negative_sequence_and_thermal_stages_by_hand():
    elements = [*({"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in "SA"), {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 3.0,
                "ik_min_ka": 2.0, "r_over_x": 0.1}, *breakers(("Q", "S", "A")),
                relay("R", "Q", 50000.0, 1.0, **EXACT, i_negative_a=100.0, t_negative_s=0.7)]  # fmt: skip
    faults = faults_of(elements)
    one, at = devices_of(faults.net.elements)["Q"], [faults.net.topology.bus_index["A"]]
    ll, three = (through_devices(faults.flows(at, "max", fault), ["Q"]).at((0, 0)) for fault in ("ll", "3ph"))
    assert float(ll.seen.negative_a) == pytest.approx(float(ll.phase_a) / math.sqrt(3))
    assert float(one.opens_at_s(ll)) == pytest.approx(0.76)
    assert math.isinf(float(one.opens_at_s(three)))

    hot = device(i_pickup_a=50000.0, i_thermal_a=105.0, t_thermal_s=600.0, thermal_before_pct=80.0)
    assert float(hot.opens_at_s(210.0)) == pytest.approx(600.0 * math.log(4 / 3))  # at twice, cold: 0.2877 τ
    assert float(hot.opens_at_s(210.0, "fast")) == pytest.approx(600.0 * math.log((4 - 0.64) / 3))
    assert math.isinf(float(hot.opens_at_s(104.9)))
    assert math.isinf(float(device(curve="own points").opens_at_s(1e5, "fast")))  # nothing is known of it
    w = Working("t")
    assert hot.clearing(210.0, w).stage == "B thermal"
    assert w.steps[-2].value == pytest.approx(600.0 * math.log(4 / 3))
    # it is against what lasts: whether a fault is seen is not told by it
    assert float(hot.over(Through(np.asarray(1000.0), np.zeros(())), "slow", of_faults=True)) == pytest.approx(1000 / 50000)


# --- what is in force


def grouped() -> list[dict]:
    more = chain(relay("B3", "Q3", 100, 0.1, setting_group=1), relay("B2", "Q2", 200, 0.3), relay("B1", "Q1", 400, 0.4))
    return [*more, relay("B3x", "Q3", 100, 0.05, setting_group=2), relay("B2x", "Q2", 200, 0.2, setting_group=3)]


def test_each_state_picks_a_setting_group_and_one_without_relays_is_told():
    states = [OperatingState(name=n, differences={"Q3": {"setting_group": g}}) for n, g in (("Island", 2), ("Wrong", 4))]
    network = network_of(grouped(), states)
    for state, relays in (("Normal", ("B3",)), ("Island", ("B3x",)), ("Wrong", ())):
        found = devices_of(network.in_state(state))
        assert tuple(r.id for r in found["Q3"].relays) == relays if relays else "Q3" not in found
        assert tuple(r.id for r in found["Q2"].relays) == ("B2",)
    told = contradictions(network.in_state("Wrong"))
    assert [(c.element.id, c.grave) for c in told] == [("Q3", True)]
    assert "setting group 4" in told[0].text
    assert not contradictions(network.in_state("Island"))


def test_what_a_relay_of_another_group_lacks_keeps_nobody_back():
    elements = [{k: v for k, v in e.items() if (e["name"], k) != ("B3x", "curve")} for e in grouped()]
    assert "Q3" in coordinated(elements, fault="3ph").devices
    elements = [{k: v for k, v in e.items() if (e["name"], k) != ("B3", "curve")} for e in grouped()]
    assert "Q3" not in coordinated(elements, fault="3ph").devices


@pytest.mark.parametrize(("own", "opens"), [({"trip": "electronic", "trip_ir_a": 400.0, "trip_tr_s": 10.0}, 0.05), ({}, 0.05 + 0.06)])
def test_the_maintenance_switch_adds_an_instantaneous_stage_while_it_is_on(own, opens):
    def q(**more) -> Device:
        b = Breaker(id="Q", name="Q", from_bus="A", to_bus="B", t_break_s=0.06, i_maintenance_a=2000.0, **own, **more)
        return Device(b, () if own else (Relay(id="B", **relay("B", "Q", 400.0, 1.0)),))

    on, off = q(maintenance=True), q(maintenance=False)
    assert float(on.opens_at_s(2201.0)) == pytest.approx(opens)
    assert float(on.opens_at_s(2199.0)) == float(off.opens_at_s(2199.0)) > 1.0
    assert float(off.opens_at_s(5000.0)) > 1.0
    w = Working("t")
    assert on.clearing(3000.0, w).t_s == w.steps[-1].value == pytest.approx(opens)


def test_maintenance_in_one_state_lowers_the_energy_there_alone():
    board = {"kind": "bus", "name": "M", "v_nominal_kv": 0.4, "bus_kind": "switchboard", "electrode_configuration": "VCB", "gap_mm": 25.0,
             "working_distance_mm": 610.0, "box_height_mm": 508.0, "box_width_mm": 508.0, "box_depth_mm": 508.0}  # fmt: skip
    main = {"kind": "breaker", "name": "Q", "from_bus": "S", "to_bus": "M", "trip": "electronic", "trip_ir_a": 1000.0, "trip_tr_s": 10.0, "trip_isd_a": 6000.0,
            "trip_tsd": "0.3", "i_maintenance_a": 3000.0}  # fmt: skip
    elements = [{"kind": "bus", "name": "S", "v_nominal_kv": 0.4}, board, main,
                {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 30.0, "ik_min_ka": 30.0, "r_over_x": 0.1}]  # fmt: skip
    network = network_of(elements, [OperatingState(name="At work", differences={"Q": {"maintenance": True}})])
    normal, at_work = (arc_flash(compile_network(network, state, "short_circuit")).locations[0].worst for state in ("Normal", "At work"))
    assert (normal.opens_at_s, at_work.opens_at_s) == (pytest.approx(0.32), pytest.approx(0.05))
    assert at_work.energy_j_cm2 == pytest.approx(normal.energy_j_cm2 * 0.05 / 0.32, rel=1e-6)


def test_the_schedule_names_what_is_set_beside_the_current():
    found = coordinated(chain(relay("B3", "Q3", 100, 0.1, looks="forward", voltage="controlled", i_negative_a=40.0, t_negative_s=1.0), relay(
        "B2", "Q2", 200, 0.3), relay("B1", "Q1", 400, 0.4)), fault="3ph")  # fmt: skip
    rows = list(settings_table(found.net, {"Q3": found.devices["Q3"]}).records())
    named = ("Looks", "By voltage", "Released below", "Negative-sequence pickup")
    assert [(r["function"], r["setting"], r["value"]) for r in rows if r["setting"] in named] == [
        ("67/51V", "Looks", "forward"), ("67/51V", "By voltage", "controlled"), ("67/51V", "Released below", 80.0),
        ("46", "Negative-sequence pickup", 40.0)]  # fmt: skip
    plain = settings_table(found.net, {"Q2": found.devices["Q2"]}).records()
    assert not {"Looks", "By voltage"} & {r["setting"] for r in plain}


def test_rules_hold_a_directional_relay_to_what_flows_its_way():
    """It carries 1.2 MW toward C, which its way sees and the other does not; behind it a transformer is switched on."""
    transformer = {"kind": "transformer", "name": "T", "hv_bus": "C", "lv_bus": "D", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 6.0,
                   "load_loss_kw": 10.0, "vector_group": "Dyn11"}  # fmt: skip
    rated = 1000 / (math.sqrt(3) * 11)

    def rules(looks: str, **more) -> dict:
        near = relay("B3", "Q3", 10.0, 0.1, **EXACT, looks=looks, i_high_a=5 * rated, t_high_s=0.05, **more)
        elements = chain(near, relay("B2", "Q2", 200, 0.3), relay("B1", "Q1", 400, 0.4))
        found = coordinated([*elements, {"kind": "bus", "name": "D", "v_nominal_kv": 0.4}, transformer], fault="3ph")
        return {r.rule: r for r in found.rules_of("Q3")}

    seen = rules("forward")
    assert seen["load"].value == pytest.approx(10.0 / seen["load"].at_a)
    assert seen["inrush"].value == pytest.approx(0.05 / 0.1)
    assert seen["least fault"].at_a < 20000
    assert set(rules("reverse")) == {"least fault"}


def test_a_damage_limit_is_held_against_the_voltage_that_a_fault_leaves():
    """Behind the relay an infeed of 3 kA, beyond it a cable: at half of the current at its end the voltage is nearly whole again, and the pickup with it."""
    elements = [*({"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in "SAB"), {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 3.0,
                "ik_min_ka": 2.0, "r_over_x": 0.1}, *breakers(("Q", "S", "A")),
                {**cable("W", "A", "B"), "i_short_time_ka": 2.0}, relay("R", "Q", 1500.0, 0.5, **EXACT, voltage="restrained")]  # fmt: skip
    found = coordinated(elements, fault="3ph")
    rule = next(r for r in found.rules_of("Q") if r.rule == "cable")
    share = rule.at_a / 3000.0
    v = math.sqrt(1 - share**2)
    opens = 0.5 * si(rule.at_a / (1500.0 * max(v, 0.25))) + 0.06
    assert share < 0.99
    assert rule.value == pytest.approx((2000.0 / rule.at_a) ** 2 / opens, rel=1e-3)


@pytest.mark.parametrize(("v_kv", "rated", "counted"), [(11.0, 12.0, True), (11.0, 7.2, False), (0.44, 0.4, True), (0.69, 0.5, False), (11.0, None, True)])
def test_a_fuse_above_its_voltage_is_no_device_and_that_is_told(v_kv, rated, counted):
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": v_kv} for n in "AB"]
    fuse = {"kind": "fuse", "name": "F", "from_bus": "A", "to_bus": "B", "i_rated_a": 100.0, "v_rated_kv": rated}
    elements = network_of([*buses, fuse]).elements
    assert ("F" in devices_of(elements)) is counted
    assert [(c.element.id, c.grave) for c in contradictions(elements)] == ([] if counted else [("F", True)])


@pytest.mark.parametrize(("size", "long_s", "melts"), [(50.0, 300.0, 2.0), (200.0, 600.0, 2.2)])
def test_power_fuses_melt_where_their_standard_says_and_are_sure_within_it(size, long_s, melts):
    """IEEE C37.46: up to 100E in 300 s at 200 to 240 %, above in 600 s at 220 to 264 % of the rating."""
    band = band_of("E", size)
    assert band.fast[0] == (melts * size, long_s)
    assert band.slow[0] == (pytest.approx(1.2 * melts * size), long_s)
    for multiple in (1.2 * melts * 1.001, 4.0, 10.0, 30.0):
        assert float(link_time_s(band, multiple * size, "fast")) < float(link_time_s(band, multiple * size, "slow")) - 0.0125 + 1e-12
    assert band_of("E", 17.0) is None


# --- points of one's own

BAND = [{"i_a": 100.0, "t_fast_s": 100.0, "t_slow_s": 400.0}, {"i_a": 1000.0, "t_fast_s": 0.1, "t_slow_s": 0.4}]


def test_a_device_by_points_lies_on_straight_lines_and_beyond_them_on_the_safe_side():
    """Halfway in the logarithm of the current the time is the geometric mean. Beyond the table the slow edge stays, the fast one keeps its I²t."""
    middle = math.sqrt(100 * 1000)
    fuse = Device(Fuse(id="F", name="F", from_bus="A", to_bus="B", link="own points", points=BAND))
    trip = Device(Breaker(id="Q", name="Q", from_bus="A", to_bus="B", trip="own points", trip_points=BAND))
    for one in (fuse, trip):
        assert float(one.opens_at_s(middle)) == pytest.approx(math.sqrt(400 * 0.4))
        assert float(one.opens_at_s(middle, "fast")) == pytest.approx(math.sqrt(100 * 0.1))
        assert math.isinf(float(one.opens_at_s(99.0, "fast")))
        assert (float(one.opens_at_s(4000.0)), float(one.opens_at_s(4000.0, "fast"))) == (pytest.approx(0.4), pytest.approx(0.1 / 16))
        w = Working("t")
        assert one.clearing(middle, w).t_s == w.steps[-1].value
        assert float(one.interrupts_at_s(4000.0 * 100)) == pytest.approx(0.4)
    quick = [{**BAND[1], "t_fast_s": 0.001, "t_slow_s": 0.002}]
    for one in (replace(fuse, switch=fuse.switch.model_copy(update={"points": [BandPoint(**quick[0])]})),
                replace(trip, switch=trip.switch.model_copy(update={"trip_points": [BandPoint(**quick[0])]}))):  # fmt: skip
        assert float(one.opens_at_s(2000.0)) == pytest.approx(0.002)
        assert float(one.interrupts_at_s(2000.0)) == 0.01  # no arc is out before half a cycle
    points = [{"multiple": 2.0, "t_s": 10.0}, {"multiple": 8.0, "t_s": 1.0}]
    own = device(curve="own points", curve_points=points, i_pickup_a=100.0, time_multiplier=0.5)
    assert float(own.opens_at_s(400.0)) == pytest.approx(0.5 * math.sqrt(10))
    assert math.isinf(float(own.opens_at_s(150.0)))  # before its first point nothing is sure, and nothing is ruled out
    assert float(own.opens_at_s(150.0, "fast")) == pytest.approx(5.0)


@pytest.mark.parametrize(
    ("rows", "told"),
    [
        ([BAND[1], BAND[0]], "currents that rise"),
        ([BAND[0], {**BAND[1], "t_slow_s": 500.0}], "currents that rise from row to row, with times that do not"),
        ([{"i_a": 1.0, "t_fast_s": 2.0, "t_slow_s": 1.0}], "a least time no longer"),
    ],
)
def test_points_that_make_no_band_are_refused(rows, told):
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 0.4} for n in "AB"]
    with pytest.raises(NetworkRefused, match=told):
        network_of([*buses, {"kind": "fuse", "name": "F", "from_bus": "A", "to_bus": "B", "link": "own points", "points": rows}])


def test_a_curve_without_points_is_missing_data_and_not_a_device_that_never_operates():
    fuses = [{"kind": "fuse", "name": "Q3", "link": "own points"}, {"kind": "breaker", "name": "Q2", "trip": "own points"}, {"kind": "breaker", "name": "Q1",
              "t_break_s": 0.06}]  # fmt: skip
    found = coordinated(chain(relay("B1", "Q1", 400, 0.4, curve="own points"), devices=fuses[::-1]), fault="3ph")
    assert not found.devices
    assert {field for line in found.waits for field in ("trip_points", "points", "curve_points") if f" {field} is empty" in line} == {
        "trip_points", "points", "curve_points"}  # fmt: skip
