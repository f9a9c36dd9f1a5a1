"""Trip orders against sequences by hand: devices keep what has passed, and the network is solved again."""

import math

import numpy as np
import pytest
from tests.conftest import network_of
from tests.core.studies.coordination.test_coordination import relay

from northfell.core.errors import CannotRun
from northfell.core.network import compile_network
from northfell.core.studies import short_circuit
from northfell.core.studies.protection import Through, Zones, devices_of, following, order_of
from northfell.core.studies.trip_order import TripOrderSettings, run
from northfell.demo import skerrow_water


def two_sources() -> list[dict]:
    """Two infeeds of 5 kA through Q1 (0.5 s from 2 kA on) and Q2 (blind) on board M; Q3 (very inverse, 1 kA) leads to F. No impedance besides."""
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in ("S1", "S2", "M", "F")]
    ways = [
        {"kind": "breaker", "name": f"Q{k}", "from_bus": a, "to_bus": b, "t_break_s": 0.06}
        for k, (a, b) in enumerate((("S1", "M"), ("S2", "M"), ("M", "F")), 1)
    ]
    infeeds = [
        {"kind": "infeed", "name": f"G{k}", "bus": f"S{k}", "ik_max_ka": 5.0, "ik_min_ka": 5.0, "r_over_x": 0.1, "flow_model": "behind impedance"}
        for k in (1, 2)
    ]
    exact = {"time_tolerance_pct": 0.0, "pickup_tolerance_pct": 0.0}
    relays = [relay("B1", "Q1", 4000, 10.0, i_high_a=2000.0, t_high_s=0.5, **exact), relay("B2", "Q2", 9000, 1.0, **exact),
              {**relay("B3", "Q3", 1000, 1.0, **exact), "curve": "IEC_VI"}]  # fmt: skip
    return [*buses, *ways, *infeeds, *relays]


def orders(elements, **settings):
    network = network_of(elements)
    return run(compile_network(network, "Normal", "short_circuit"), TripOrderSettings(**settings))


def at(found, bus):
    return found.at(found.net.topology.bus_index[bus])


def test_a_device_keeps_what_has_passed_when_another_source_is_gone():
    """Q3 sees 10 kA: 13.5/9 s. At 0.56 s Q1 has opened and half of the current is gone: 13.5/4 s, of which 1 − 0.56/1.5 is left."""
    found = orders(two_sources())
    order = at(found, "F")
    left = (1 - 0.56 / 1.5) * 13.5 / 4
    assert [s.device for s in order.steps] == ["Q1", "Q3"]
    assert [s.t_s for s in order.steps] == pytest.approx([0.56, 0.56 + left + 0.06])
    assert [s.ordered_s for s in order.steps] == pytest.approx([0.5, 0.56 + left])
    assert [s.i_a for s in order.steps] == pytest.approx([5000, 5000], rel=1e-6)
    assert order.cleared_s == order.steps[-1].t_s
    assert [(i.from_s, i.i_fault_ka) for i in order.intervals] == [(0.0, pytest.approx(10.0)), (pytest.approx(0.56), pytest.approx(5.0))]
    assert [set(i.of_sources) for i in order.intervals] == [{"G1", "G2"}, {"G2"}]
    assert order_of(order.steps) == {"Q1": 1, "Q3": 2}
    # taking the first currents for all of the time would have called it cleared after 1.56 s
    devices, net = devices_of(found.net.elements), found.net
    i_a = {"Q1": 5000.0, "Q2": 5000.0, "Q3": 10000.0}
    static = Zones(net, devices).isolate(net.topology.bus_index["F"], {d: float(one.opens_at_s(i_a[d])) for d, one in devices.items()})
    assert static.t_s == pytest.approx(1.56)
    assert order.cleared_s > static.t_s + 1


@pytest.mark.parametrize(
    ("reset", "kept"),
    [({}, 0.0), ({"reset": "after a time", "t_reset_s": 3.0}, 1.0), ({"reset": "after a time", "t_reset_s": 1.0}, 0.0), ({"reset": "by its curve"}, None)],
)
def test_what_a_relay_keeps_below_its_pickup(reset, kept):
    """At 5.9 kA for 0.56 s, then at 0.9 times its pickup: a disk turns back in tr/(1 − 0.9²) from operated to nothing."""
    exact = {"time_tolerance_pct": 0.0, "pickup_tolerance_pct": 0.0}
    found = orders([*(e for e in two_sources() if e["name"] != "B3"), {**relay("B3", "Q3", 1000, 1.0, **exact, **reset), "curve": "IEC_VI"}])
    devices = devices_of(found.net.elements)
    loop = following._Loop(found.faults, following.Asked("F"), lambda net: short_circuit.run(net), devices, following.Solved())
    running = [following._Running("Q3", devices["Q3"].functions[0])]  # very inverse from 1 kA on
    passed = 0.56 / (13.5 / (5.9 - 1))
    loop._pass(running, following.Carried(["Q3"], Through(np.array([[5900.0]]), np.zeros((1, 1)))), 0.56)
    assert running[0].passed == pytest.approx(passed)
    loop.now = 0.56
    loop._pass(running, following.Carried(["Q3"], Through(np.array([[900.0]]), np.zeros((1, 1)))), 2.56)
    left = passed - 2.0 * (1 - 0.81) / 47.3 if kept is None else kept * passed
    assert running[0].passed == pytest.approx(left)


def test_a_breaker_that_fails_leaves_it_to_the_others_and_a_fault_that_nobody_cuts_off_is_told():
    order = at(orders(two_sources(), failed="Q3"), "F")
    assert [s.device for s in order.steps] == ["Q1"]
    assert math.isinf(order.cleared_s)
    assert math.isinf(order.intervals[-1].to_s)
    short = at(orders(two_sources(), longest_s=1.0), "F")
    assert math.isinf(short.cleared_s)
    assert "not followed" in short.told[0]
    with pytest.raises(CannotRun, match="failed is “Q9”"):
        at(orders(two_sources(), failed="Q9"), "F")


def test_a_device_that_carries_little_runs_once_another_has_opened():
    """Two ways to F, the second of twenty times the impedance: Q2 is far below its pickup until Q1 has gone."""
    exact = {"time_tolerance_pct": 0.0, "pickup_tolerance_pct": 0.0}
    lines = [
        {"kind": "line", "name": n, "from_bus": a, "to_bus": "F", "length_m": 1000.0, "r_ohm_per_km": z / 10, "x_ohm_per_km": z, "t_end_degc": 80.0}
        for n, a, z in (("W1", "A", 0.1), ("W2", "B", 2.0))
    ]
    elements = [
        *({"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in ("S", "A", "B", "F")), *lines,
        {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1},
        *({"kind": "breaker", "name": f"Q{k}", "from_bus": "S", "to_bus": b, "t_break_s": 0.06} for k, b in ((1, "A"), (2, "B"))),
        relay("R1", "Q1", 4000, 10.0, i_high_a=2000.0, t_high_s=0.1, **exact), relay("R2", "Q2", 4000, 10.0, i_high_a=1500.0, t_high_s=0.3, **exact),
    ]  # fmt: skip
    order = at(orders(elements), "F")
    assert [(s.device, round(s.t_s, 6)) for s in order.steps] == [("Q1", 0.16), ("Q2", 0.16 + 0.3 + 0.06)]
    assert order.intervals[0].of_devices["Q2"] < 500
    assert order.steps[1].i_a > 1500


def test_what_sources_bring_is_told_at_the_voltage_of_the_fault():
    """One source at 11 kV, a fault at 0.4 kV: all of it is the infeed's."""
    bus = next(b.id for b in skerrow_water().elements.values() if b.kind == "bus" and b.v_nominal_kv == 0.4)
    found = run(compile_network(skerrow_water(), "Normal", "short_circuit"))
    first = at(found, bus).intervals[0]
    assert sum(first.of_sources.values()) == pytest.approx(first.i_bolted_ka, rel=0.05)  # phasors, that stand nearly alike
    assert len(first.of_sources) >= 2


def test_what_an_order_has_been_given_for_opens_even_if_the_current_is_gone():
    """Q1 and Q3 both operate at 0.5 s; Q3 opens first and takes the current away, Q1 opens all the same."""
    elements = [e | ({"t_break_s": 0.2} if e["name"] == "Q1" else {}) for e in two_sources() if e["name"] not in ("B3", "G2")]
    elements.append(relay("B3", "Q3", 4000, 10.0, i_high_a=2000.0, t_high_s=0.5, time_tolerance_pct=0.0, pickup_tolerance_pct=0.0))
    order = at(orders(elements), "F")
    assert [(s.device, s.t_s) for s in order.steps] == [("Q3", pytest.approx(0.56))]  # cut off: what opens later no longer matters
    failing = at(orders(elements, failed="Q3"), "F")
    assert [(s.device, s.t_s) for s in failing.steps] == [("Q1", pytest.approx(0.7))]


def test_with_one_way_to_one_source_it_is_the_static_time_and_the_tables_say_so():
    """Skerrow Water in every state: where one step cuts a place off, its time is the slow edge at the current of the Faults stage."""
    network = skerrow_water()
    followed = 0
    for state in network.state_names:
        net = compile_network(network, state, "short_circuit")
        faults = short_circuit.run(net)
        found = run(net, faults=faults)
        devices = devices_of(net.elements)
        for name in ("Blower MCC", "Dosing MCC", "Filter hall"):
            bus = net.topology.bus_index[network.id_of_name[name]]
            if not net.topology.fed_bus(bus):
                with pytest.raises(CannotRun, match="not fed"):
                    found.at(bus)
                continue
            first = found.at(bus).steps[0]
            i_a = 1000 * float(faults.flows([bus], "max").largest_of(first.device)[0, 0])
            assert first.t_s == pytest.approx(float(devices[first.device].opens_at_s(i_a)))
            steps, intervals = found.tables_at([bus])
            assert next(steps.records())["i_device_ka"] == pytest.approx(i_a / 1000)
            assert next(intervals.records())["i_fault_ka"] == pytest.approx(float(faults.cases["max"].ik_ka[bus]))
            followed += 1
    assert followed > 8


def test_an_arcing_current_is_that_of_the_arc_flash_study_and_needs_an_enclosure():
    network = skerrow_water()
    net = compile_network(network, "Normal", "short_circuit")
    bus = net.topology.bus_index[network.id_of_name["Blower MCC"]]
    bolted, arcing, reduced = (run(net, TripOrderSettings(current=c)).at(bus).intervals[0].i_fault_ka for c in ("bolted", "arcing", "reduced arcing"))
    assert bolted > arcing > reduced > 0.4 * bolted
    with pytest.raises(CannotRun, match="electrode configuration"):
        at(orders(two_sources(), current="arcing"), "F")


def test_a_device_that_is_not_set_is_told_and_never_opens():
    elements = [{k: v for k, v in e.items() if (e["name"], k) != ("B1", "curve")} for e in two_sources()]
    order = at(orders(elements), "F")
    assert [s.device for s in order.steps] == ["Q3"]
    assert any("never opening" in line and "B1" in line and "curve" in line for line in order.told)


def test_what_may_act_goes_by_the_share_that_flows():
    """Devices begin to run where they carry what moves them, of an arc as of a bolted fault."""
    flowing = following._Flowing(None, ("Q1", "Q2", "Q3"), None, np.array([80.0, 200.0, 0.0]), np.array([100.0, 100.0, 0.0]))
    assert flowing.may_act(1.0) == ["Q2", "Q3"]  # Q3 goes by something else than its current
    assert flowing.may_act(0.4) == ["Q3"]
    assert flowing.may_act(1.3) == ["Q1", "Q2", "Q3"]
