"""Isolation against brute force, devices against their own working."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of

from northfell.core.model.elements import ELEMENT, Breaker, Relay
from northfell.core.network import compile_network
from northfell.core.studies.coordination.neighbours import Neighbours
from northfell.core.studies.protection import Device, Zones, devices_of
from northfell.core.working import Working
from northfell.demo import skerrow_water

TRIP = {"trip": "electronic", "trip_ir_a": 100.0, "trip_tr_s": 5.0}
TIMES = st.sampled_from([0.05, 0.1, 0.2, 0.3, 0.5, 1.0, math.inf])


@st.composite
def protected_networks(draw):
    """Buses joined at random by devices, plain switches and cables, with one to three sources; and an opening time for each device."""
    n = draw(st.integers(2, 7))
    elements = [{"kind": "bus", "name": f"B{i}", "v_nominal_kv": 0.4} for i in range(n)]
    times = {}
    for k in range(draw(st.integers(n - 1, 10))):
        a, b = draw(st.tuples(st.integers(0, n - 1), st.integers(0, n - 1)).filter(lambda p: p[0] != p[1])) if k >= n - 1 else (draw(st.integers(0, k)), k + 1)
        ends = {"from_bus": f"B{a}", "to_bus": f"B{b}"}
        what = draw(st.sampled_from(["device", "device", "device", "open", "switch", "cable"]))
        if what in ("device", "open"):
            elements.append({"kind": "breaker", "name": f"Q{k}", **ends, **TRIP, "closed": what == "device"})
            times[f"Q{k}"] = draw(TIMES)
        elif what == "switch":
            elements.append({"kind": "switch", "name": f"S{k}", **ends})
        else:
            elements.append({"kind": "cable", "name": f"W{k}", **ends, "length_m": 10.0, "r_ohm_per_km": 0.1, "x_ohm_per_km": 0.1})
    for s in draw(st.sets(st.integers(0, n - 1), min_size=1, max_size=3)):
        elements.append({"kind": "infeed", "name": f"G{s}", "bus": f"B{s}", "flow_model": "behind impedance"})
    return network_of(elements), times


def latest_cut(elements, times, bus: str) -> float:
    """Brute force: of every simple path to a source the first device to open, of all paths the latest."""
    links = [(e.buses, times.get(e.id)) for e in elements.values() if len(e.TERMINALS) == 2 and getattr(e, "closed", True)]
    sources = {e.bus for e in elements.values() if e.kind == "infeed"}
    worst = 0.0

    def walk(at: str, seen: frozenset[str], first: float) -> None:
        nonlocal worst
        if at in sources:
            worst = max(worst, first)
        for (a, b), t in links:
            if at in (a, b) and (other := b if at == a else a) not in seen:
                walk(other, seen | {other}, min(first, math.inf if t is None else t))

    walk(bus, frozenset([bus]), math.inf)
    return worst


@given(protected_networks(), st.data())
def test_many_faults_at_a_bus_are_each_one_alone(made, data):
    """Also where nothing opens, several open together, or of a device nothing is known."""
    network, known = made
    net = compile_network(network, "Normal")
    zones, faults = Zones(net, devices_of(net.elements)), 3
    asked = data.draw(st.sets(st.sampled_from(sorted(known)))) if known else set()
    times = {d: data.draw(st.lists(st.sampled_from([0.1, 0.2, math.inf]), min_size=faults, max_size=faults)) for d in sorted(asked)}
    for i in range(len(net.topology.bus_ids)):
        assert zones.isolate_each(i, times, faults) == [zones.isolate(i, {d: one[n] for d, one in times.items()}) for n in range(faults)]


@given(protected_networks())
def test_isolation_is_the_longest_of_the_shortest(made):
    network, times = made
    net = compile_network(network, "Normal")
    zones = Zones(net, devices_of(net.elements))
    for i, bus in enumerate(net.topology.bus_ids):
        found = zones.isolate(i, times)
        assert found.t_s == latest_cut(network.elements, times, bus)
        if found.device is not None:
            assert times[found.device] == found.t_s
        assert set(found.first_met) <= set(times)


@given(st.lists(st.floats(1, 60000), min_size=1, max_size=20))
def test_many_currents_at_once_are_each_one_alone(currents):
    for device in devices_of(skerrow_water().elements).values():
        together = device.opens_at_s(np.array(currents))
        assert together.tolist() == [pytest.approx(device.clearing(i).t_s) for i in currents]
        for i, t, first in zip(currents, together, device.interrupts(np.array(currents))[1], strict=True):
            assert device.functions[first].rests if math.isinf(t) else device.functions[first].stage_at(i) == device.clearing(i).stage


def test_every_device_of_the_demo_writes_its_working():
    for device in devices_of(skerrow_water().elements).values():
        for i in (50.0, 800.0, 5000.0, 40000.0):
            w = Working("t")
            clearing = device.clearing(i, w)
            if isinstance(device.switch, Breaker) and device.relays:
                assert [s.title.split()[0] for s in w.steps] == ["Relay", "Breaker"]
            assert w.steps[-1].value == clearing.t_s


def test_two_relays_the_faster_counts():
    breaker = ELEMENT.validate_python({"kind": "breaker", "id": "Q", "name": "Q", "from_bus": "a", "to_bus": "b", "t_break_s": 0.06})
    slow, fast = (
        Relay(id=n, name=n, breaker="Q", curve="IEC_VI", i_pickup_a=100.0, time_multiplier=tm, time_tolerance_pct=0.0)
        for n, tm in (("slow", 1.0), ("fast", 0.1))
    )
    assert Device(breaker, (slow, fast)).clearing(1000).t_s == pytest.approx(0.15 + 0.06)
    assert "fast" in Device(breaker, (slow, fast)).clearing(1000).stage
    high = fast.model_copy(update={"i_high_a": 500.0, "t_high_s": 0.04})
    assert Device(breaker, (high,)).clearing(600) == Device(breaker, (high,)).clearing(20000)
    assert Device(breaker, (high,)).clearing(499).t_s > 0.1


def test_a_breaker_without_trip_and_relay_is_no_device_and_a_relay_out_of_service_trips_nothing():
    elements = dict(skerrow_water().elements)
    assert "Q10" not in devices_of(elements)
    elements["B25"] = elements["B25"].model_copy(update={"in_service": False})
    assert "Q25" not in devices_of(elements)


def test_an_electronic_trip_by_hand_at_both_edges():
    """Long time 36·tr/(I/Ir)² less 20 % at the fast edge; short time by its band; instantaneous 50 and 20 ms; each pickup 10 % to either side."""
    breaker = Breaker(id="Q", name="Q", from_bus="A", to_bus="B", **TRIP, trip_isd_a=500.0, trip_tsd="0.2", trip_ii_a=2000.0)
    device = Device(breaker)

    def both(i_a):
        return tuple(float(device.opens_at_s(np.array([i_a]), edge)[0]) for edge in ("fast", "slow"))

    assert both(104.0) == (math.inf, math.inf)
    assert both(110.0) == (pytest.approx(0.8 * 180 / 1.1**2), math.inf)  # from 1.05 on at the fast edge, from 1.20 on at the slow one
    assert both(300.0) == (pytest.approx(0.8 * 20), pytest.approx(20.0))
    assert both(500.0) == (pytest.approx(0.14), pytest.approx(7.2))  # 450 A at the fast edge, 550 A at the slow one
    assert both(600.0) == (pytest.approx(0.14), pytest.approx(0.20))
    assert both(1900.0) == (pytest.approx(0.02), pytest.approx(0.20))
    assert both(2300.0) == (pytest.approx(0.02), pytest.approx(0.05))
    assert (device.from_a("fast"), device.from_a("slow")) == (pytest.approx(105.0), pytest.approx(120.0))
    told = {i: device.clearing(i).stage for i in (104.0, 300.0, 600.0, 2300.0)}
    assert told == {104.0: "Q does not pick up", 300.0: "Q long time", 600.0: "Q short time", 2300.0: "Q instantaneous"}
    pickups = {one.code: one.curve.tolerance.pickup for one in device.functions}
    assert pickups == {"trip L": (pytest.approx(0.05), pytest.approx(0.2)), "trip S": (-0.1, 0.1), "trip I": (-0.1, 0.1)}


def test_a_device_matters_to_a_place_only_on_its_way_to_a_source():
    """Source – Q1 – board – Q2 – load: Q1 is on the board's way, Q2 is not; a tie to a second source is."""
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 0.4} for n in "SBLR"]
    ways = [{"kind": "breaker", "name": f"Q{k}", "from_bus": a, "to_bus": b, **TRIP} for k, (a, b) in enumerate(("SB", "BL", "BR"), 1)]
    for second in (False, True):
        infeeds = [{"kind": "infeed", "name": f"G{b}", "bus": b} for b in ("S", *("R" if second else ""))]
        network = network_of([*buses, *ways, *infeeds])
        net = compile_network(network, "Normal")
        zones = Zones(net, devices_of(net.elements))
        at = net.topology.bus_index
        assert [zones.on_a_way(at["B"], q) for q in ("Q1", "Q2", "Q3")] == [True, False, second]
        assert [zones.on_a_way(at["L"], q) for q in ("Q1", "Q2", "Q3")] == [True, True, second]


def test_a_relay_by_hand_at_both_edges_is_never_told_too_early():
    """IEC very inverse at ten times pickup, TM 1: 13.5/9 s = 1.5 s, 5 % more at the slow edge, less at the fast; the breaker's time on top."""
    relay = Relay(id="B", name="B", breaker="Q", ct_primary_a=200, curve="IEC_VI", i_pickup_a=100.0, time_multiplier=1.0, i_high_a=2000.0, t_high_s=0.1,
                  time_tolerance_pct=5.0)  # fmt: skip
    device = Device(Breaker(id="Q", name="Q", from_bus="A", to_bus="B", t_break_s=0.06), (relay,))
    at = {edge: float(device.opens_at_s(np.array([1000.0]), edge)[0]) for edge in ("fast", "slow")}
    assert at == {"fast": pytest.approx(1.5 * 0.95 + 0.06), "slow": pytest.approx(1.5 * 1.05 + 0.06)}
    assert device.clearing(1000.0).t_s == pytest.approx(1.5 * 1.05 + 0.06)  # the slow edge clears
    assert device.clearing(2500.0).t_s == pytest.approx(0.1 + 0.06)
    assert device.clearing(2500.0).stage == "B high stage"
    assert device.functions[0].curve.tolerance.time == (-0.05, 0.05)


def test_a_high_stage_is_sure_only_above_its_tolerance():
    """I≫ 13.45 kA, 5 %: at 13.5 kA it may operate at once, and for certain only by the inverse stage; at 14.2 kA at once for certain."""
    relay = Relay(id="B", name="B", breaker="Q", ct_primary_a=200, curve="IEC_VI", i_pickup_a=1000.0, time_multiplier=1.0, i_high_a=13450.0, t_high_s=0.05,
                  time_tolerance_pct=0.0)  # fmt: skip
    device = Device(Breaker(id="Q", name="Q", from_bus="A", to_bus="B", t_break_s=0.06), (relay,))
    assert device.clearing(13500.0).t_s == pytest.approx(13.5 / 12.5 + 0.06)
    assert float(device.opens_at_s(np.float64(13500.0), "fast")) == pytest.approx(0.05 + 0.06)
    assert float(device.orders_at_s(np.float64(13500.0), "fast")) == pytest.approx(0.05)
    assert device.clearing(14200.0).t_s == pytest.approx(0.05 + 0.06)
    assert float(device.opens_at_s(np.float64(12700.0), "fast")) == pytest.approx(13.5 / 11.7 + 0.06)


def test_thermal_magnetic_and_miniature_breakers_at_the_points_that_are_tested():
    """IEC 60947-2: rests at 1.05, opens from 1.30 on; UL 489: at twice the rated current within 8 min of 125 A; magnetic ±20 %.

    IEC 60898-1: rests at 1.13, opens from 1.45 on; at 2.55 from 1 to 60 s (120 s above 32 A); C: at once from 5 to 10 times.
    """
    ends = {"id": "Q", "name": "Q", "from_bus": "A", "to_bus": "B"}
    moulded = Device(Breaker(**ends, trip="thermal-magnetic", trip_ir_a=125.0, trip_im_a=1250.0))

    def both(device, i_a):
        return tuple(float(device.opens_at_s(i_a, edge)) for edge in ("fast", "slow"))

    assert both(moulded, 1.049 * 125) == (math.inf, math.inf)
    assert math.isinf(both(moulded, 1.29 * 125)[1])
    assert math.isfinite(both(moulded, 1.31 * 125)[1])
    assert both(moulded, 250.0) == (pytest.approx(0.2 * 480), pytest.approx(480.0))
    assert both(moulded, 1010.0)[0] == pytest.approx(0.01)
    assert both(moulded, 1490.0)[1] > 1
    assert both(moulded, 1510.0) == (pytest.approx(0.01), pytest.approx(0.017))
    small, large = (Device(Breaker(**ends, trip="miniature", trip_ir_a=i, trip_class="C")) for i in (16.0, 40.0))
    assert both(small, 1.12 * 16) == (math.inf, math.inf)
    assert both(small, 2.55 * 16) == (pytest.approx(1.0), pytest.approx(60.0))
    assert both(large, 2.55 * 40)[1] == pytest.approx(120.0)
    assert both(small, 5.01 * 16)[0] == pytest.approx(0.01)
    assert both(small, 9.9 * 16)[1] > 0.1
    assert both(small, 10.1 * 16)[1] == pytest.approx(0.1)
    w = Working("t")
    assert small.clearing(10.1 * 16, w).stage == "Q magnetic"
    assert "IEC 60898-1" in w.to_text()
    for device in (moulded, small, large):
        i = np.geomspace(10, 5000, 400)
        assert (device.opens_at_s(i, "fast") <= device.opens_at_s(i)).all()


@given(protected_networks())
def test_who_stands_before_whom_is_what_a_search_of_all_ways_finds(made):
    """A device feeds a zone if a way to a source leads from its other side past that zone; so do those behind it, past both."""
    network, _ = made
    net = compile_network(network, "Normal")
    order = Neighbours(net, devices_of(net.elements))
    found = {(s.device, s.zone): set(s.upstream) for s in order.standing()}

    def reaches(zone, barred):
        seen, ends = {zone}, [zone]
        while ends:
            at = ends.pop()
            if at in order.zones.sources:
                return True
            new = {order.other(k, at) for k in order.at.get(at, ())} - seen - barred
            seen |= new
            ends += new
        return False

    wanted = {}
    for zone in order.buses:
        for k in order.at.get(zone, ()):
            behind = order.other(k, zone)
            if reaches(behind, {zone}):
                ups = {order.gates[j][0] for j in order.at[behind] if (far := order.other(j, behind)) != zone and reaches(far, {zone, behind})}
                wanted[order.gates[k][0], zone] = ups
    assert found == wanted
