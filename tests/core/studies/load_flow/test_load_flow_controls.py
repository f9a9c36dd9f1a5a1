"""Reactive limits, tap changers, switched capacitors, volt-var: each against a result found another way."""

import math
import re

import numpy as np
import pytest
from hypothesis import given, reject
from hypothesis import strategies as st
from scipy.optimize import root
from tests.conftest import BUS_A, BUS_B, BUS_C, CABLE, INFEED, LOAD, network_of

from northfell.app.results.studies import StateResults
from northfell.core.errors import CannotRun, NetworkRefused, NoSolution
from northfell.core.network import branch_two_ports, compile_network
from northfell.core.quantities import figure
from northfell.core.studies import short_circuit
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.core.studies.load_flow.capability import shared, within_apparent_power, within_field_current
from northfell.core.studies.load_flow.motor_start import drawn_at_start, start
from northfell.core.studies.load_flow.totals import circulating_currents, reactive_power, steps_in, sums, taps
from northfell.core.verdicts import findings_of

LV = {"kind": "bus", "name": "L", "v_nominal_kv": 0.4}
TX = {
    "kind": "transformer", "name": "T", "hv_bus": "B", "lv_bus": "L", "s_rated_mva": 2.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 6.0, "ur_pct": 1.0,
    "vector_group": "Dyn11",
}  # fmt: skip
STEPS = {"tap_lowest_pct": -10.0, "tap_highest_pct": 10.0, "tap_step_pct": 1.25}
HELD = {**TX, **STEPS, "tap_changer": "holds voltage", "tap_v_set_pu": 1.0, "tap_band_pct": 1.0}
LV_LOAD = {"kind": "load", "name": "EL", "bus": "L", "p_mw": 1.6, "q_mvar": 0.9}
GENERATOR = {"kind": "synchronous_generator", "name": "G2", "bus": "B", "mode": "voltage", "p_mw": 1.0, "v_set_pu": 1.02}


def flow_of(elements, **settings):
    network = network_of(elements)
    used = network.settings.of_study("load_flow").model_copy(update=settings)
    return StateResults(network.model_copy(update={"settings": network.settings.model_copy(update={"load_flow": used})}), "Normal").result(LOAD_FLOW)


def held_of(flow, name="L"):
    return abs(flow.voltage(name))


# ---- an independent solution: the same network as rectangular equations, solved by a general method


def by_other_means(flow):
    """Voltages from a dense admittance matrix and a general root finder, machines and loads as the result says they stand."""
    net = flow.net
    n = len(net.topology.bus_ids)
    b = net.branches
    y = np.zeros((n, n), complex)
    for ports, f, t in zip(branch_two_ports(b.r_flow, b.x, b.g, b.b, flow.ratio), b.from_bus, b.to_bus, strict=True):
        y[np.ix_([f, t], [f, t])] += ports
    at = net.topology.bus_index
    angle = {at[e.bus]: e for e in net.infeeds}
    magnitude = {at[g.bus]: g.v_set_pu for g in net.machines if g.mode == "voltage" and g.id not in flow.at_limit and flow.bus_held(g) == g.bus}

    def left(x):
        v = x[:n] + 1j * x[n:]
        s = np.zeros(n, complex)
        for e in net.loads:
            s[at[e.bus]] -= drawn_by_hand(e, abs(v[at[e.bus]])) / net.s_base_mva
        for g in net.machines:
            s[at[g.bus]] += (given_by_hand(g, abs(v[at[g.bus]])) if g.kind == "inverter" else flow.delivered[g.id]) / net.s_base_mva
        for e in net.infeeds:
            s[at[e.bus]] += 1j * flow.delivered[e.id].imag / net.s_base_mva
        s -= v * np.conj(y @ v)
        real, imag = s.real.copy(), s.imag.copy()
        for k, u in magnitude.items():
            imag[k] = abs(v[k]) - u
        for k, e in angle.items():
            real[k] = (v[k] * np.exp(-1j * math.radians(e.angle_deg))).imag
            if e.id not in flow.at_limit:
                imag[k] = abs(v[k]) - e.v_set_pu
        return np.concatenate([real, imag])

    near = flow.v * (0.98 + 0.01j)  # with every source at a limit there are other solutions, far below
    found = root(left, np.concatenate([near.real, near.imag]), method="hybr", tol=1e-13)
    return found.x[:n] + 1j * found.x[n:]


def drawn_by_hand(e, v):
    """Power of a load at a voltage [MVA], from its declared values."""
    if e.characteristic == "by exponents":
        return complex(e.p_mw * v**e.exponent_p, e.q_mvar * v**e.exponent_q)
    q_power = e.share_power_pct if e.share_q_power_pct is None else e.share_q_power_pct
    parts = []
    for s, a, b in ((e.p_mw, e.share_power_pct, e.share_current_pct), (e.q_mvar, q_power, e.share_current_pct)):
        parts.append(s * (a / 100 + b / 100 * v + (100 - a - b) / 100 * v**2))
    return complex(*parts)


def given_by_hand(g, v):
    """Power of an inverter with volt-watt and volt-var or power factor by power at a voltage [MVA], corner by corner."""
    s = g.s_rated_mva * g.count
    if v <= g.vw_v1_pu:
        most = s
    elif v >= g.vw_v2_pu:
        most = s * g.vw_p_pct / 100
    else:
        most = s - (s - s * g.vw_p_pct / 100) * (v - g.vw_v1_pu) / (g.vw_v2_pu - g.vw_v1_pu)
    p = min(g.p_mw, most)
    if g.mode == "volt-var":
        points = (g.vv_v1_pu, 1.0), (g.vv_v2_pu, 0.0), (g.vv_v3_pu, 0.0), (g.vv_v4_pu, -1.0)
        q = s * g.vv_q_pct / 100 * float(np.interp(v, *zip(*points, strict=True)))
    else:
        factor = float(np.interp(100 * p / s, [g.pfp_p1_pct, g.pfp_p2_pct], [g.pfp_factor_1, g.pfp_factor_2]))
        q = -p * math.sqrt(1 - factor**2) / factor
    room = math.sqrt(max(s**2 - p**2, 0.0)) if g.capability == "by rating" else math.inf
    return complex(p, min(max(q, -room), room))


@st.composite
def meshed(draw):
    """A meshed network in per unit: sources within limits, voltages held from elsewhere, all kinds of loads and inverters, phase shifters."""
    n = draw(st.integers(3, 8))
    unit = st.floats(0.1, 1.0)
    elements = [{"kind": "bus", "name": f"N{i * 7}"} for i in range(n)]
    elements.append(
        {"kind": "infeed", "name": "S", "bus": "N0", "v_set_pu": draw(st.floats(0.98, 1.05)), "angle_deg": draw(st.sampled_from([0.0, -17.0, 30.0])),
         "participation": draw(st.sampled_from([None, 30.0])), "p_scheduled_mw": draw(st.sampled_from([0.0, 12.0])),
         **draw(st.sampled_from([{}, {"q_max_mvar": 15.0}, {"q_min_mvar": -1.0}]))}
    )  # fmt: skip
    elsewhere = draw(st.sampled_from([None, n - 1]))  # whose voltage is held from other buses
    pairs = [(draw(st.integers(0, i - 1)), i) for i in range(1, n)] + draw(st.lists(st.tuples(st.integers(0, n - 2), st.just(n - 1)), max_size=3))
    for k, (i, j) in enumerate(pairs):
        shift = {"ratio_pu": 1 + 0.05 * draw(st.floats(-1, 1)), "shift_deg": draw(st.sampled_from([0.0, 4.0]))} if draw(st.booleans()) else {}
        r, x = 0.02 * draw(unit), 0.1 * draw(unit) + 0.02
        ends = {"from_bus": f"N{i * 7}", "to_bus": f"N{j * 7}"}
        elements.append({"kind": "equivalent_branch", "name": f"Z{k}", **ends, "r_pu": r, "x_pu": x, "b_pu": 0.02, **shift})
    for i in range(1, n):
        shares = {"characteristic": "mixed", "share_power_pct": draw(st.floats(0, 60)), "share_current_pct": draw(st.floats(0, 40))}
        shares["share_q_power_pct"] = draw(st.sampled_from([None, 10.0, 60.0]))
        exponents = {"characteristic": "by exponents", "exponent_p": draw(st.floats(0, 2)), "exponent_q": draw(st.floats(0, 4))}
        follows = draw(st.sampled_from([shares, exponents]))
        elements.append({"kind": "load", "name": f"E{i}", "bus": f"N{i * 7}", "p_mw": 25 * draw(unit), "q_mvar": 10 * draw(unit), **follows})
        if i % 3 == 2:
            curve = {"volt_watt": "on", "vw_v1_pu": 0.95, "vw_v2_pu": 1.15, "mode": draw(st.sampled_from(["volt-var", "power factor by power"]))}
            curve |= {"capability": draw(st.sampled_from(["limits as given", "by rating"])), "vv_q_pct": 80.0}
            curve |= {"vv_v1_pu": 0.96, "vv_v2_pu": 0.98, "vv_v3_pu": 0.99, "vv_v4_pu": 1.03}
            elements.append({"kind": "inverter", "name": f"I{i}", "bus": f"N{i * 7}", "p_mw": 9.0, "s_rated_mva": 5.0, "count": 2, **curve})
        elif i != elsewhere and draw(st.booleans()):
            low = -20 * draw(unit)
            limits = {"q_min_mvar": low, "q_max_mvar": low + 30 * draw(unit)}
            held = {"mode": "voltage", "p_mw": 20 * draw(unit), "v_set_pu": draw(st.floats(0.97, 1.05))}
            if elsewhere and draw(st.booleans()):
                held |= {"v_bus": f"N{elsewhere * 7}", "v_set_pu": 1.01}
            held["participation"] = draw(st.sampled_from([None, 10.0]))
            elements.append({"kind": "synchronous_generator", "name": f"G{i}", "bus": f"N{i * 7}", "s_rated_mva": 40.0, **held, **limits})
    return elements


@given(meshed(), st.randoms(), st.sampled_from(["shared", "to the reference"]))
def test_meshed_networks_agree_with_another_method_and_rest_within_limits(elements, shuffle, surplus):
    try:
        flow = flow_of(elements, surplus=surplus)
    except NoSolution:
        reject()  # voltages that cannot be held together; a few in a hundred
    assert flow.v == pytest.approx(by_other_means(flow), abs=1e-7)
    for source, (low, high) in flow.ranges.items():
        g, q = flow.net.elements[source], flow.delivered[source].imag
        if not low - 1e-5 <= q <= high + 1e-5:  # the last that holds a voltage keeps it, and that is told
            assert source == "S"
            assert all(other in flow.at_limit for other in flow.ranges if other != "S")
            assert [broken.id for broken, *_ in flow.broken_limits()] == ["S"]
        above = abs(flow.voltage(flow.bus_held(g))) - g.v_set_pu
        if source not in flow.at_limit:
            assert abs(above) < 1e-9
        elif not any(f"{g.name}: went to and from its limit" in one for one in flow.messages):
            # at its most it cannot lift the voltage any more, at its least it cannot lower it
            assert above < 1e-7 if flow.at_limit[source] == "most" else above > -1e-7
    (infeed,) = flow.net.infeeds
    part = {g.id: 40.0 if g.participation is None else g.participation for g in flow.net.generators} | {infeed.id: infeed.participation or 0.0}
    left_over = {g.id: flow.delivered[g.id].real - g.p_mw for g in flow.net.generators}
    left_over[infeed.id] = flow.delivered[infeed.id].real - infeed.p_scheduled_mw
    if surplus == "shared" and sum(part.values()) > 0:
        whole = sum(left_over.values())
        assert left_over == pytest.approx({e: whole * p / sum(part.values()) for e, p in part.items()}, abs=1e-5)
    else:
        assert all(one == pytest.approx(0.0, abs=1e-9) for e, one in left_over.items() if e != infeed.id)
    together = [flow.delivered[g.id].imag for g in flow.net.generators if g.v_bus and g.id not in flow.at_limit]
    ranges = [flow.ranges[g.id] for g in flow.net.generators if g.v_bus and g.id not in flow.at_limit]
    reached = [(q - low) / (high - low) for q, (low, high) in zip(together, ranges, strict=True)]
    assert reached == pytest.approx(reached[:1] * len(reached), abs=1e-6)  # those that hold one bus from elsewhere reach their limits together
    totals = flow.totals
    assert totals["generation_mw"] == pytest.approx(totals["load_mw"] + totals["losses_mw"] + totals["shunt_mw"], abs=1e-6)
    renamed = [{k: (f"x{v}" if k in ("name", "bus", "from_bus", "to_bus", "v_bus") and v else v) for k, v in e.items()} for e in elements]
    shuffle.shuffle(renamed)
    other = flow_of(renamed, surplus=surplus)
    assert [other.voltage(f"x{b}") for b in flow.net.topology.bus_ids] == pytest.approx([flow.voltage(b) for b in flow.net.topology.bus_ids], abs=1e-7)


# ---- no solution


@pytest.mark.parametrize("pf", [1.0, 0.9, 0.8])
def test_nose_of_two_buses(pf):
    """Lossless line of X to a load P + jP·tanφ: the most that can be carried is U²·cosφ/(2X(1 + sinφ)); voltage there by the quadratic."""
    x, base = 0.1, 100.0
    tan = math.tan(math.acos(pf))
    most = 1.0 / (2 * x) * pf / (1 + math.sin(math.acos(pf))) * base

    def solved(p):
        line = {"kind": "equivalent_branch", "name": "Z", "from_bus": "A", "to_bus": "B", "r_pu": 0.0, "x_pu": x}
        return flow_of([BUS_A, BUS_B, INFEED, line, {**LOAD, "p_mw": p, "q_mvar": p * tan}], max_iterations=50)

    for part in (0.3, 0.9, 0.999, 0.99999):
        p = part * most / base
        q = p * tan
        u2 = (1 - 2 * q * x) / 2 + math.sqrt(max((1 - 2 * q * x) ** 2 / 4 - x**2 * (p**2 + q**2), 0.0))  # the upper of both solutions
        assert abs(solved(part * most).voltage("B")) == pytest.approx(math.sqrt(u2), abs=1e-5)
    with pytest.raises(NoSolution) as refused:
        solved(1.25 * most)
    assert refused.value.bus == "B"
    assert refused.value.reached_pct == pytest.approx(80.0, abs=0.05)
    assert float(re.search(r"at ([\d.]+) % there is a solution", str(refused.value))[1]) <= refused.value.reached_pct  # rounded down


def test_one_island_without_solution_is_named_and_each_island_has_its_own_reference():
    other = [{**BUS_C}, {**INFEED, "name": "G9", "bus": "C", "angle_deg": 40.0}, {**LOAD, "name": "E9", "bus": "D"}, {**BUS_C, "name": "D"},
             {**CABLE, "name": "W9", "from_bus": "C", "to_bus": "D"}]  # fmt: skip
    flow = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, *other])
    assert flow.voltage("D") == pytest.approx(flow.voltage("B") * np.exp(1j * math.radians(40)))
    part = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, *other[:-3], {**other[2], "p_mw": 900.0}, *other[3:]])
    assert part.voltage("B") == flow.voltage("B")
    assert np.isnan(part.voltage("D"))
    (held,) = part.net.held_back
    assert (held.why, held.buses) == ("no solution", {part.net.topology.bus_index[b] for b in "CD"})
    assert "largest mismatch" in held.reasons[0]
    assert part.messages[0].startswith("The part of the network at C has no result")
    assert [r["energised"] for r in next(t for t in part.tables() if t.name == "buses").records()] == [True] * 4  # under voltage, though without figures
    assert [f for f in findings_of("load_flow", part, part.net.network.settings.limits) if f.check == "not fed"] == []
    with pytest.raises(NoSolution):
        flow_of([BUS_A, BUS_B, INFEED, CABLE, {**LOAD, "p_mw": 900.0}, *other[:-3], {**other[2], "p_mw": 900.0}, *other[3:]])


def test_one_island_without_data_or_reference_leaves_the_others_their_results():
    other = [BUS_C, {**BUS_C, "name": "D"}, {**CABLE, "name": "W9", "from_bus": "C", "to_bus": "D"}, {**LOAD, "name": "E9", "bus": "D"}]
    machine = {"kind": "synchronous_generator", "name": "G9", "bus": "C", "p_mw": 1.0, "s_rated_mva": 3.0, "v_rated_kv": 11.0}
    alone = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD])
    for island, told in (
        ([{**machine, "mode": "voltage"}, *other], "No angle reference in the island of bus C"),
        ([{**machine, "mode": "reference"}, *other[:3], {"kind": "load", "name": "E9", "bus": "D"}], "E9: p_mw is empty"),
        ([{**machine, "mode": "reference"}, *other[:2], {**other[2], "length_m": None}, other[3]], "W9: length_m is empty"),
        ([{**machine, "mode": "reference"}, {**other[0], "v_nominal_kv": None}, *other[1:]], "v_nominal_kv is empty"),
        ([{**machine, "mode": "reference"}, {**machine, "name": "G8", "mode": "reference"}, *other], "Two ideal references"),
    ):
        part = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, *island])
        assert part.voltage("B") == alone.voltage("B")
        assert told in " ".join(part.net.held_back[0].reasons)
        assert part.totals["load_mw"] == alone.totals["load_mw"]
        faults = short_circuit.run(part.net)
        assert np.isfinite(faults.cases["max"].ik_ka[1])
        assert np.isnan(faults.cases["max"].ik_ka[2])
        assert np.isfinite(faults.flows([1], "max").ik_ka).all()


# ---- tap changers


def first_within(start_pct, measured, aim, band, towards):
    """The position a changer stops at: from where it stands, step by step, until its quantity is within the band."""
    position = round(start_pct / 1.25)
    for _ in range(40):
        d = measured(position * 1.25) - aim
        if abs(d) <= band:
            return position * 1.25
        position += towards if d < 0 else -towards
    raise AssertionError


@pytest.mark.parametrize("start", [0.0, -7.5, 5.0])
@pytest.mark.parametrize("drop", [0.0, 0.002])
def test_tap_changer_stops_at_the_first_position_within_its_band(start, drop):
    held = {**HELD, "tap_pct": start, "tap_drop_r_ohm": drop, "tap_drop_x_ohm": 2 * drop}

    def measured(tap):
        flow = flow_of([BUS_A, BUS_B, LV, INFEED, CABLE, {**TX, "tap_pct": tap}, LV_LOAD])
        current = np.conj(-flow.terminal_power["T"][1] / flow.voltage("L")) / flow.net.s_base_mva
        return abs(flow.voltage("L") - complex(drop, 2 * drop) / (0.4**2 / flow.net.s_base_mva) * current)

    flow = flow_of([BUS_A, BUS_B, LV, INFEED, CABLE, held, LV_LOAD])
    assert taps(flow)["T"] == pytest.approx(first_within(start, measured, 1.0, 0.01, -1))
    assert abs(measured(taps(flow)["T"]) - 1.0) <= 0.01


def test_tap_changer_for_another_bus_and_for_the_high_side_fed_from_below():
    far = [{"kind": "bus", "name": "F", "v_nominal_kv": 0.4}, {**LV_LOAD, "bus": "F"},
           {**CABLE, "name": "WF", "from_bus": "L", "to_bus": "F", "length_m": 20.0, "r_ohm_per_km": 0.05, "x_ohm_per_km": 0.05}]  # fmt: skip
    flow = flow_of([BUS_A, BUS_B, LV, *far, INFEED, CABLE, {**HELD, "tap_held": "another bus", "tap_bus": "F"}])
    assert abs(held_of(flow, "F") - 1) <= 0.01
    assert taps(flow)["T"] < 0
    from_below = [{**INFEED, "bus": "L", "v_set_pu": 0.95}, {**HELD, "tap_held": "high side"}, {**LOAD, "p_mw": 0.5, "q_mvar": 0.2}]
    flow = flow_of([BUS_B, LV, *from_below])
    assert abs(held_of(flow, "B") - 1) <= 0.01
    assert taps(flow)["T"] > 0


def test_tap_changer_that_holds_reactive_flow():
    """Two supplies joined through a transformer: its tap sets the reactive power between them."""
    held = {**TX, **STEPS, "lv_bus": "B", "hv_bus": "A", "v_lv_kv": 11.0, "vector_group": "Yyn0", "tap_changer": "holds reactive flow",
            "tap_q_set_mvar": 0.4, "tap_q_band_mvar": 0.25}  # fmt: skip
    flow = flow_of([BUS_A, BUS_B, INFEED, {**INFEED, "name": "G9", "bus": "B"}, held])
    q = flow.terminal_power["T"][0].imag
    assert abs(q - 0.4) <= 0.25
    free = {**held, "tap_changer": "off load", "tap_pct": taps(flow)["T"] + 1.25}
    before = flow_of([BUS_A, BUS_B, INFEED, {**INFEED, "name": "G9", "bus": "B"}, free])
    assert abs(before.terminal_power["T"][0].imag - 0.4) > 0.25  # a step nearer to where it came from was not within the band


def test_parallel_transformers_step_together_and_unequal_taps_drive_a_current_round():
    twin = {**HELD, "name": "T2"}
    flow = flow_of([BUS_A, BUS_B, LV, INFEED, CABLE, HELD, twin, LV_LOAD])
    assert taps(flow)["T"] == taps(flow)["T2"]
    assert [c.i_a for c in circulating_currents(flow)] == pytest.approx([0, 0], abs=1e-6)
    flow = flow_of([BUS_A, BUS_B, LV, INFEED, CABLE, {**TX, "tap_pct": 2.5}, {**TX, "name": "T2", "tap_pct": -2.5}])
    # without a load the difference of the two open voltages stands across both impedances
    z_own = complex(0.01, math.sqrt(0.06**2 - 0.01**2)) * 0.4**2 / 2.0
    u = 400 * abs(flow.voltage("B"))
    lv_a = abs(u / 1.025 - u / 0.975) / math.sqrt(3) / abs(2 * z_own)
    one, other = circulating_currents(flow)
    assert one.i_a * 11 / 0.4 == pytest.approx(lv_a, rel=0.03)  # taken to the high side by the main ratio
    assert one.i_a == pytest.approx(other.i_a)


def test_tap_changer_at_its_end_and_one_that_would_hunt():
    flow = flow_of([BUS_A, BUS_B, LV, {**INFEED, "v_set_pu": 0.85}, CABLE, HELD, LV_LOAD])
    assert taps(flow)["T"] == pytest.approx(-10)
    assert any("lowest position" in m for m in flow.messages)
    assert any(f.check == "control" and f.element == "T" for f in findings_of("load_flow", flow, flow.net.network.settings.limits))
    two = [held_of(flow_of([BUS_A, BUS_B, LV, INFEED, CABLE, {**TX, "tap_pct": tap}, LV_LOAD])) for tap in (-2.5, -3.75)]
    between = {**HELD, "tap_band_pct": 0.05, "tap_v_set_pu": 0.6 * two[0] + 0.4 * two[1]}
    flow = flow_of([BUS_A, BUS_B, LV, INFEED, CABLE, between, LV_LOAD])
    assert any("narrower than a step" in m for m in flow.messages)
    assert taps(flow)["T"] == pytest.approx(-2.5)  # of the positions it hunts between, the nearer one


def test_tap_changers_in_cascade_and_off():
    chain = [
        {"kind": "bus", "name": "H", "v_nominal_kv": 33.0}, {**INFEED, "bus": "H", "v_set_pu": 0.96},
        {**HELD, "name": "T0", "hv_bus": "H", "lv_bus": "B", "v_hv_kv": 33.0, "v_lv_kv": 11.0, "s_rated_mva": 5.0},
    ]  # fmt: skip
    flow = flow_of([*chain, BUS_B, LV, HELD, LV_LOAD])
    assert abs(held_of(flow, "B") - 1) <= 0.01
    assert abs(held_of(flow, "L") - 1) <= 0.01
    assert set(taps(flow_of([*chain, BUS_B, LV, HELD, LV_LOAD], tap_changers="off")).values()) == {0.0}


# ---- capacitors and inverters


def test_capacitor_steps_by_voltage():
    bank = {"kind": "capacitor_bank", "name": "C", "bus": "B", "q_step_mvar": 0.5, "steps": 6, "switching": "by voltage", "steps_in": 0, "v_in_pu": 0.99,
            "v_out_pu": 1.01}  # fmt: skip
    heavy = [BUS_A, BUS_B, INFEED, {**CABLE, "length_m": 5000.0, "x_ohm_per_km": 0.35}, {**LOAD, "q_mvar": 1.5}]

    def v_with(n):
        return held_of(flow_of([*heavy, {**bank, "switching": "fixed", "steps_in": n}]), "B")

    least = next(n for n in range(7) if v_with(n) >= 0.99 or n == 6)
    flow = flow_of([*heavy, bank])
    assert 0 < least <= 6
    assert steps_in(flow)["C"] == least
    assert steps_in(flow_of([*heavy, bank], capacitor_steps="off"))["C"] == 0
    light = flow_of([BUS_A, BUS_B, {**INFEED, "v_set_pu": 1.02}, CABLE, {**bank, "steps_in": 6}])
    assert steps_in(light)["C"] == 0


@pytest.mark.parametrize("at", ["T", "G", "Q"])
def test_capacitor_steps_by_power_factor(at):
    breaker = [{"kind": "bus", "name": "D", "v_nominal_kv": 0.4}, {"kind": "breaker", "name": "Q", "from_bus": "L", "to_bus": "D"}]
    bank = {"kind": "capacitor_bank", "name": "C", "bus": "D", "q_step_mvar": 0.1, "steps": 12, "switching": "by power factor", "measured_at": at,
            "power_factor_target": 0.96}  # fmt: skip
    network = [BUS_A, BUS_B, LV, *breaker, INFEED, CABLE, TX, {**LV_LOAD, "bus": "D"}]

    def factor(n):
        s = flow_of([*network, {**bank, "switching": "fixed", "steps_in": n}]).terminal_power[at][0]
        s = -s if at == "G" else s
        return s.imag <= abs(s.real) * math.tan(math.acos(0.96)) + 1e-9

    flow = flow_of([*network, bank])
    assert steps_in(flow)["C"] == next(n for n in range(13) if factor(n))


def test_volt_var_inverter_stands_on_its_curve():
    inverter = {"kind": "inverter", "name": "PV", "bus": "B", "s_rated_mva": 6.0, "p_mw": 4.0, "mode": "volt-var"}
    long = {**CABLE, "length_m": 6000.0, "x_ohm_per_km": 0.35}
    for v_set, load in ((1.0, 0.2), (1.03, 0.2), (0.95, 8.0)):
        flow = flow_of([BUS_A, BUS_B, {**INFEED, "v_set_pu": v_set}, long, {**LOAD, "p_mw": load}, inverter])
        v = held_of(flow, "B")
        expected = np.interp(v, [0.92, 0.98, 1.02, 1.08], [1, 0, 0, -1]) * 0.44 * 6.0
        assert flow.s_machine[0].imag * flow.net.s_base_mva == pytest.approx(expected, abs=1e-5)
    alone = flow_of([BUS_A, BUS_B, INFEED, long, {**LOAD, "p_mw": 0.2}, {**inverter, "mode": "power"}])
    held = flow_of([BUS_A, BUS_B, INFEED, long, {**LOAD, "p_mw": 0.2}, inverter])
    assert held_of(held, "B") < held_of(alone, "B")


@pytest.mark.parametrize("sign", [1, -1])
def test_an_inverter_stays_within_its_rating_in_every_mode(sign):
    pv = {"kind": "inverter", "name": "PV", "bus": "B", "s_rated_mva": 0.25, "count": 4, "p_mw": 0.8, "capability": "by rating"}
    stiff = {**INFEED, "v_set_pu": 1.0 - 0.07 * sign}
    excitation = "overexcited" if sign > 0 else "underexcited"
    for mode in (
        {"mode": "power", "q_mvar": 0.9 * sign},
        {"mode": "power factor", "power_factor_set": 0.6, "excitation_set": excitation},
        {"mode": "volt-var", "vv_q_pct": 90.0},
    ):
        flow = flow_of([BUS_A, BUS_B, stiff, CABLE, LOAD, {**pv, **mode}])
        assert flow.s_machine[0] * flow.net.s_base_mva == pytest.approx(0.8 + sign * 0.6j, abs=1e-6), mode
        assert any("PV: its rated power leaves 0.6 Mvar beside its active power" in line for line in flow.messages), mode
        free = flow_of([BUS_A, BUS_B, stiff, CABLE, LOAD, {**pv, **mode, "capability": "limits as given"}])
        assert abs(free.s_machine[0]) * free.net.s_base_mva > 1.05, mode


# ---- machines


def test_capability_of_a_machine():
    assert within_apparent_power(8, 10) == pytest.approx(6)
    assert within_apparent_power(11, 10) == 0
    # at the rated point the field limit meets the rated power; unloaded it is (E − U)·U/Xd
    p, q = 0.8 * 10, 0.6 * 10
    assert within_field_current(p, 10, 0.8, 180, 1.0) == pytest.approx(q)
    e = abs(1 + 1.8j * complex(0.8, -0.6))
    assert within_field_current(0, 10, 0.8, 180, 1.0) == pytest.approx(10 * (e - 1) / 1.8)
    rated = {**GENERATOR, "p_mw": 0.5, "s_rated_mva": 1.0, "power_factor_rated": 0.8, "xd_pct": 180.0, "capability": "by rating", "v_set_pu": 1.05}
    flow = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, rated])
    assert flow.at_limit == {"G2": "most"}
    assert flow.s_machine[0].imag * flow.net.s_base_mva == pytest.approx(within_field_current(0.5, 1.0, 0.8, 180, 1.05), abs=1e-6)


def test_an_inverter_that_would_hold_the_voltage_of_a_dead_island_holds_nothing_elsewhere():
    alone = {"kind": "inverter", "name": "PV", "bus": "C", "s_rated_mva": 1.0, "p_mw": 0.5, "mode": "voltage", "v_set_pu": 1.08}
    flow = flow_of([BUS_C, BUS_A, BUS_B, INFEED, CABLE, LOAD, alone])
    assert np.isnan(flow.voltage("C"))
    assert flow.voltage("B") == pytest.approx(flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD]).voltage("B"))


def test_machines_on_one_bus_share_by_their_ranges():
    assert shared(3.0, [(0, 2), (0, 4)]) == pytest.approx([1, 2])
    assert shared(3.0, [(-math.inf, math.inf), (0, 1)]) == pytest.approx([2, 1])
    assert shared(4.0, [(-math.inf, math.inf)] * 2) == pytest.approx([2, 2])
    two = [{**GENERATOR, "q_min_mvar": -1.0, "q_max_mvar": 3.0}, {**GENERATOR, "name": "G3", "q_min_mvar": 0.0, "q_max_mvar": 2.0}]
    flow = flow_of([BUS_A, BUS_B, INFEED, {**CABLE, "x_ohm_per_km": 0.8}, LOAD, *two])
    q = flow.s_machine.imag * flow.net.s_base_mva
    assert (q[0] + 1) / 4 == pytest.approx(q[1] / 2)


def test_findings_on_machines_and_power_factor():
    unbounded = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, GENERATOR])
    limits = unbounded.net.network.settings.limits
    assert any(f.check == "no reactive limits" and f.element == "G2" for f in findings_of("load_flow", unbounded, limits))
    beyond = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, {**GENERATOR, "mode": "power", "p_mw": 1.0, "q_mvar": 1.0, "s_rated_mva": 1.2}])
    assert next(f for f in findings_of("load_flow", beyond, limits) if f.check == "capability").value == pytest.approx(100 * math.sqrt(2) / 1.2)
    plain = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD])
    assert not any(f.check == "power factor" for f in findings_of("load_flow", plain, limits))
    found = [f for f in findings_of("load_flow", plain, limits.model_copy(update={"power_factor_contract": 0.95})) if f.check == "power factor"]
    assert [(f.element, f.severity) for f in found] == [("G", "breach"), ("E", "close")]
    s = -plain.terminal_power["G"][0]
    assert found[0].value == pytest.approx(s.real / abs(s))
    q = s.imag - s.real * math.tan(math.acos(0.95))
    assert found[0].text.endswith(f"inductive, by contract at least 0.95: {figure(s.real)} MW with {figure(s.imag)} Mvar.")
    assert found[0].help == f"{figure(q, 3)} Mvar of capacitors would bring it to 0.95."
    over = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, {"kind": "capacitor_bank", "name": "C", "bus": "B", "q_step_mvar": 2.5, "steps": 1}])
    (supply,) = [f for f in findings_of("load_flow", over, limits.model_copy(update={"power_factor_contract": 0.95})) if f.element == "G"]
    assert "capacitive" in supply.text
    assert "Mvar less of capacitors, or of a reactor, would bring it" in supply.help


def test_power_factor_of_a_small_supply_counts_and_what_is_delivered_back_does_not():
    contract = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD]).net.network.settings.limits.model_copy(update={"power_factor_contract": 0.95})

    def judged(*more):
        return [(f.element, f.severity) for f in findings_of("load_flow", flow_of([BUS_A, BUS_B, INFEED, CABLE, *more]), contract) if f.check == "power factor"]

    assert judged({**LOAD, "p_mw": 0.2, "q_mvar": 0.2}) == [("G", "breach"), ("E", "close")]
    assert judged({**GENERATOR, "mode": "power", "p_mw": 2.0, "q_mvar": -1.5}) == []


def test_power_factor_by_power_without_bounds_by_voltage():
    """Between the corners 1 − cosφ goes with the power: half way from 1 to 0.9 underexcited is 0.95."""
    sun = {"kind": "inverter", "name": "S", "bus": "B", "mode": "power factor by power", "s_rated_mva": 2.0, "pfp_p1_pct": 50.0, "pfp_factor_1": 1.0,
           "pfp_p2_pct": 100.0, "pfp_factor_2": 0.9, "pfp_excitation_2": "underexcited"}  # fmt: skip
    for p_mw, factor in ((0.6, 1.0), (1.5, 0.95), (1.8, 0.92)):
        flow = flow_of([BUS_A, BUS_B, INFEED, CABLE, {**sun, "p_mw": p_mw}])
        assert flow.delivered["S"] == pytest.approx(complex(p_mw, -p_mw * math.tan(math.acos(factor))), abs=1e-9)


def test_a_surplus_is_shared_by_parts_however_small_their_sum():
    """What the infeed and the machine take beyond their set points stands as their parts do: 0.3 to 0.2."""
    given = [BUS_A, BUS_B, {**INFEED, "participation": 0.3, "p_scheduled_mw": 0.5}, CABLE, LOAD, {**GENERATOR, "participation": 0.2}]
    flow = flow_of(given, surplus="shared")
    assert flow.messages == flow_of(given).messages
    beyond = [flow.delivered["G"].real - 0.5, flow.delivered["G2"].real - 1.0]
    assert beyond[0] / 0.3 == pytest.approx(beyond[1] / 0.2)
    assert beyond[0] > 0.2


def test_what_a_source_lacks_is_told_by_the_field_that_is_empty():
    """Behind an impedance: the fault level, else the ratio; an inverter bounded by a rating that is not given says that it is not."""
    behind = {**INFEED, "flow_model": "behind impedance"}
    for lacks, field in (({"ik_max_ka": None}, "ik_max_ka"), ({"r_over_x": None}, "r_over_x"), ({"ik_max_ka": None, "r_over_x": None}, "ik_max_ka")):
        with pytest.raises(CannotRun, match=f"Infeed G: {field} is empty"):
            flow_of([BUS_A, {**behind, **lacks}])
    sun = {"kind": "inverter", "name": "S", "bus": "B", "p_mw": 0.4, "q_mvar": 0.3, "mode": "power", "capability": "by rating"}
    told = [flow_of([BUS_A, BUS_B, INFEED, CABLE, {**sun, **more}]).messages for more in ({}, {"s_rated_mva": 1.0}, {"s_rated_mva": 0.45})]
    assert ["rated power is empty" in " ".join(m) for m in told] == [True, False, False]
    assert ["its rated power leaves 0.2062 Mvar" in " ".join(m) for m in told] == [False, False, True]


# ---- sums


def test_reactive_power_told_apart_with_known_parts():
    """Two supplies at different voltages over a reactance, nothing else: the one gives what the other takes, and the reactance its share."""
    reactance = {"kind": "equivalent_branch", "name": "Z", "from_bus": "A", "to_bus": "B", "r_pu": 0.0, "x_pu": 0.1}
    flow = flow_of([BUS_A, BUS_B, {**INFEED, "v_set_pu": 1.02}, {**INFEED, "name": "G9", "bus": "B", "v_set_pu": 0.98}, reactance])
    r = reactive_power(flow)
    assert r.given == pytest.approx(1.02 * (1.02 - 0.98) / 0.1 * 100)
    assert r.taken_back == pytest.approx(0.98 * (1.02 - 0.98) / 0.1 * 100)
    assert r.circulating == r.taken_back
    assert r.series == pytest.approx((1.02 - 0.98) ** 2 / 0.1 * 100)
    bank = {"kind": "capacitor_bank", "name": "C", "bus": "B", "q_step_mvar": 0.5}
    line = {**CABLE, "c_uf_per_km": 0.3, "length_m": 4000.0}
    flow = flow_of([BUS_A, BUS_B, LV, INFEED, line, {**TX, "no_load_loss_kw": 2.0, "no_load_current_pct": 0.8}, LOAD, LV_LOAD, bank])
    r = reactive_power(flow)
    b = 2 * math.pi * 50 * 0.3e-6 * 4
    assert r.charging == pytest.approx(b * 11**2 / 2 * (1 + held_of(flow, "B") ** 2))
    assert r.capacitors == pytest.approx(0.5 * held_of(flow, "B") ** 2)
    assert r.loads == pytest.approx(1.9)
    assert r.magnetising == pytest.approx(2.0 * math.sqrt(0.008**2 - 0.001**2) * (held_of(flow, "B") ** 2 + held_of(flow) ** 2) / 2)
    assert r.given + r.charging + r.capacitors == pytest.approx(r.taken_back + r.loads + r.reactors + r.series + r.magnetising)


def test_totals_by_area_and_level_add_up():
    areas = [{**BUS_A, "area": "North"}, {**BUS_B, "area": "South"}, {**LV, "area": "South"}]
    machine = {**GENERATOR, "mode": "power", "p_mw": 0.5, "s_rated_mva": 2.0, "power_factor_rated": 0.8}
    flow = flow_of([*areas, INFEED, CABLE, TX, LOAD, LV_LOAD, machine])
    found = sums(flow)
    assert [(s.scope, s.name) for s in found[:3]] == [("network", "Test"), ("area", "North"), ("area", "South")]
    assert [s.name for s in found[3:]] == ["11.00 kV", "0.4000 kV"]
    for scope in ("area", "voltage level"):
        those = [s for s in found if s.scope == scope]
        for what in ("generation", "load", "losses", "shunts"):
            assert sum(getattr(s, what) for s in those) == pytest.approx(getattr(found[0], what), abs=1e-9)
    assert found[0].installed_mw == pytest.approx(1.6)
    assert found[0].reserve_mw == pytest.approx(1.1)


# ---- nothing silent


@pytest.mark.parametrize(
    ("side", "tap", "turns"),
    [("high side", 5.0, 1.05), ("high side", -5.0, 0.95), ("high side", -10.0, 0.95), ("low side", 6.0, 1.06), ("low side", -10.0, 0.95)],
)
def test_loading_of_a_transformer_is_by_its_current_at_the_tap_in_use(side, tap, turns):
    heavy = [BUS_A, BUS_B, {**INFEED, "v_set_pu": 0.95 if tap < 0 else 1.0}, CABLE, {**TX, "tap_pct": tap, "tap_side": side}, LV, {**LV_LOAD, "p_mw": 1.5}]
    flow = flow_of(heavy)
    i_hv, i_lv = flow.current_a(flow.net.elements["T"])
    on = [turns, 1.0] if side == "high side" else [1.0, turns]
    rated = [2.0 / (math.sqrt(3) * v * turn) * 1000 for v, turn in zip((11.0, 0.4), on, strict=True)]
    one = flow.loading(flow.net.elements["T"])
    assert one.pct == pytest.approx(100 * max(i_hv / rated[0], i_lv / rated[1]), rel=1e-12)
    assert one.basis == "rated power, by current"
    if (side, tap) == ("high side", 5.0):
        assert one.pct > 100 * abs(flow.terminal_power["T"][1]) / 2.0 * 1.01  # below nominal voltage more than the apparent power says
    by_power = flow_of(heavy, transformer_loading="by apparent power")
    assert by_power.loading(by_power.net.elements["T"]).basis == "rated power, by apparent power"
    assert by_power.loading(by_power.net.elements["T"]).pct == pytest.approx(100 * max(abs(s) for s in by_power.terminal_power["T"]) / 2.0)


@pytest.mark.parametrize("tap", [-5.0, 0.0, 7.5])
def test_taps_on_the_low_side_change_the_voltage_of_that_side(tap):
    high = flow_of([BUS_A, BUS_B, INFEED, CABLE, {**TX, "tap_pct": 100 * (1 / (1 + tap / 100) - 1)}, LV, LV_LOAD])
    low = flow_of([BUS_A, BUS_B, INFEED, CABLE, {**TX, "tap_pct": tap, "tap_side": "low side"}, LV, LV_LOAD])
    assert low.voltage("L") == pytest.approx(high.voltage("L"), abs=1e-9)
    assert taps(low)["T"] == pytest.approx(tap, abs=1e-9)
    held = flow_of([BUS_A, BUS_B, INFEED, CABLE, {**HELD, "tap_side": "low side"}, LV, {**LV_LOAD, "p_mw": 1.0}])
    assert abs(abs(held.voltage("L")) - 1.0) <= 0.01
    assert taps(held)["T"] > 0  # raises its own side


def test_a_tap_changer_that_reaches_nothing_stays_and_says_so():
    source = {**GENERATOR, "name": "G9", "bus": "L", "mode": "voltage", "v_set_pu": 1.05, "p_mw": 0.5}
    held = flow_of([BUS_A, BUS_B, INFEED, CABLE, {**HELD, "tap_pct": 2.5}, LV, LV_LOAD, source])
    assert any("does not reach what it holds" in m for m in held.messages)
    assert taps(held)["T"] == pytest.approx(2.5)
    dead = flow_of([BUS_A, BUS_B, INFEED, CABLE, {**HELD, "tap_held": "another bus", "tap_bus": "C"}, LV, LV_LOAD, BUS_C])
    assert any("C has no voltage in this state; its tap changer stays" in m for m in dead.messages)
    between = flow_of([BUS_A, BUS_B, INFEED, CABLE, {**HELD, "tap_pct": 1.0}, LV, LV_LOAD])
    assert any("1 % is no position of it; its tap changer starts from 1.25 %" in m for m in between.messages)
    idle = flow_of([BUS_A, BUS_B, INFEED, CABLE, {**HELD, "tap_held": "another bus", "tap_bus": "B", "tap_drop_x_ohm": 1.0}, LV, LV_LOAD])
    assert any("line-drop compensation does not act" in m for m in idle.messages)


def test_capacitors_all_in_and_still_short_say_so():
    bank = {"kind": "capacitor_bank", "name": "C1", "bus": "B", "q_step_mvar": 0.05, "steps": 2, "switching": "by voltage", "v_in_pu": 0.999, "v_out_pu": 1.02}
    flow = flow_of([BUS_A, BUS_B, INFEED, {**CABLE, "length_m": 5000.0}, LOAD, bank])
    assert any("all 2 steps in and still misses" in m for m in flow.messages)
    measured = {**bank, "switching": "by power factor", "measured_at": "W9"}
    far = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, BUS_C, {**BUS_C, "name": "D"}, {**CABLE, "name": "W9", "from_bus": "C", "to_bus": "D"}, measured])
    assert any("where it measures is not under voltage" in m for m in far.messages)


@pytest.mark.parametrize(
    ("base", "values", "told"),
    [
        (HELD, {"tap_lowest_pct": 5.0, "tap_highest_pct": -5.0}, "below highest position"),
        (INFEED, {"ik_min_ka": 20.0}, "at most fault level, maximum, 10 kA"),
        ({"kind": "capacitor_bank", "name": "C1", "bus": "B", "q_step_mvar": 0.05}, {"v_in_pu": 1.03, "v_out_pu": 1.02}, "below switches out above"),
        ({"kind": "inverter", "name": "PV", "bus": "B"}, {"vv_v1_pu": 1.0, "vv_v2_pu": 1.0}, "below gives up to"),
        ({"kind": "inverter", "name": "PV", "bus": "B"}, {"vv_v1_pu": 1.2}, "below gives up to"),
        (GENERATOR, {"q_min_mvar": 2.0, "q_max_mvar": 1.0}, "at most most reactive power"),
    ],
)
def test_ranges_the_wrong_way_round_are_refused(base, values, told):
    with pytest.raises(NetworkRefused, match=told):
        network_of([BUS_A, BUS_B, LV, {**base, **values}])


def test_volt_var_without_a_rating_is_asked_for_and_a_charging_battery_gives_what_is_set():
    pv = {"kind": "inverter", "name": "PV", "bus": "B", "p_mw": 0.5, "mode": "volt-var"}
    with pytest.raises(CannotRun, match="s_rated_mva is empty; “volt-var” goes by a part of it"):
        flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, pv])
    for p, excitation, sign in ((-0.5, "overexcited", 1), (0.5, "overexcited", 1), (-0.5, "underexcited", -1), (0.5, "underexcited", -1)):
        battery = {**pv, "mode": "power factor", "p_mw": p, "power_factor_set": 0.9, "excitation_set": excitation}
        given = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, battery]).source_power("PV")
        assert given.real == pytest.approx(p)
        assert given.imag == pytest.approx(sign * 0.5 * math.tan(math.acos(0.9)))


def test_xd_without_a_rated_power_factor_is_told():
    flow = flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD, {**GENERATOR, "capability": "by rating", "s_rated_mva": 3.0, "xd_pct": 180.0}])
    assert any("not bounded by its rating: rated power factor is empty" in m for m in flow.messages)


def test_a_tiny_impedance_is_blamed_and_not_the_load():
    link = {"kind": "equivalent_branch", "name": "X", "from_bus": "B", "to_bus": "C", "r_pu": 0.0, "x_pu": 1e-10, "s_base_mva": 100.0}
    with pytest.raises(NoSolution, match=r"X has an impedance of 1e-10 p.u., too small to be told from none") as refused:
        flow_of([BUS_A, BUS_B, BUS_C, INFEED, CABLE, link, {**LOAD, "bus": "C", "p_mw": 60.0}])
    assert "The load there may be more" not in str(refused.value)


def test_loads_on_a_bus_out_of_service_are_told_and_counted():
    flow = flow_of([BUS_A, BUS_B, {**BUS_C, "in_service": False}, INFEED, CABLE, LOAD, {**LOAD, "name": "E9", "bus": "C", "p_mw": 0.7}])
    (found,) = [f for f in findings_of("load_flow", flow, flow.net.network.settings.limits) if f.check == "not fed"]
    assert found.text == "Load E9 is not fed: C is out of service."
    assert flow.summary["unserved_mw"] == pytest.approx(0.7)
    assert flow_of([BUS_A, BUS_B, INFEED, CABLE, LOAD]).summary["unserved_mw"] == 0


@pytest.mark.parametrize(("q_max", "bound"), [(0.4, True), (50.0, False)])
def test_a_start_beside_a_generator_keeps_its_reactive_limits(q_max, bound):
    """Beside a machine at its limit a start pulls the voltage down as if the machine gave its limit and no more: solved by another way."""
    motor = {"kind": "induction_motor", "name": "M", "bus": "B", "p_rated_kw": 2000.0, "v_rated_kv": 11.0, "efficiency_pct": 96.0, "power_factor": 0.88,
             "ilr_over_ir": 6.0, "r_over_x": 0.15}  # fmt: skip
    machine = {**GENERATOR, "q_min_mvar": -0.1, "q_max_mvar": q_max, "v_set_pu": 1.0, "p_mw": 0.5}
    weak = {**CABLE, "length_m": 8000.0, "r_ohm_per_km": 0.05, "x_ohm_per_km": 0.3}
    made = network_of([BUS_A, BUS_B, INFEED, weak, machine, motor])
    started = start(compile_network(made, "Normal"), "M")
    if not bound:
        assert started.worst_dip()[1] < 0.1
        assert started.terminal_pct == pytest.approx(100, abs=1e-6)
        return
    drawn = drawn_at_start(made.elements["M"]).s_mva
    z = complex(0.05, 0.3) * 8 / (11.0**2)  # per unit on 1 MVA
    y = complex(drawn).conjugate()  # locked rotor as an admittance at rated voltage

    def left(x):
        v = complex(*x)
        i = (1 - v) / z - v * y + (complex(0.5, q_max) / v).conjugate()
        return [i.real, i.imag]

    v = complex(*root(left, [0.9, 0.0]).x)
    assert abs(started.during.voltage("B")) == pytest.approx(abs(v), abs=1e-6)
    assert started.during.at_limit == {"G2": "most"}


def test_a_soft_starter_above_locked_rotor_current_is_told():
    motor = {"kind": "induction_motor", "name": "M", "bus": "B", "p_rated_kw": 500.0, "v_rated_kv": 11.0, "efficiency_pct": 96.0, "power_factor": 0.88,
             "ilr_over_ir": 5.0, "r_over_x": 0.15}  # fmt: skip
    soft, direct = (network_of([BUS_A, BUS_B, INFEED, CABLE, {**motor, **more}]) for more in ({"starter": "soft starter", "start_current": 6.0}, {}))
    drawn = drawn_at_start(soft.elements["M"])
    assert "above the locked-rotor current of 5" in drawn.by
    assert (drawn.s_mva, drawn.exponent) == (drawn_at_start(direct.elements["M"]).s_mva, 2)


def test_clock_numbers_all_turn():
    for clock in range(12):
        flow = flow_of([BUS_A, BUS_B, INFEED, CABLE, {**TX, "vector_group": f"Dyn{clock}"}, LV])
        turned = math.degrees(np.angle(flow.voltage("L") / flow.voltage("B"))) + 30 * clock
        assert math.remainder(turned, 360) == pytest.approx(0, abs=0.5)


def test_what_a_high_voltage_keeps_an_inverter_from_delivering_is_said():
    pv = {"kind": "inverter", "name": "PV", "bus": "B", "p_mw": 4.0, "s_rated_mva": 4.0, "mode": "power factor", "volt_watt": "on", "vw_v1_pu": 1.0}
    long = {**CABLE, "length_m": 4000.0}
    flow = flow_of([BUS_A, BUS_B, {**INFEED, "v_set_pu": 1.02}, long, pv])
    p, v = flow.delivered["PV"].real, abs(flow.voltage("B"))
    assert p == pytest.approx(4.0 - 4.0 * 0.8 * (v - 1.0) / 0.1, abs=1e-6)
    assert flow.held_down == {"PV": pytest.approx(4.0 - p)}
    (told,) = [f.text for f in findings_of("load_flow", flow, flow.net.network.settings.limits) if f.check == "held down"]
    assert told in flow.messages
    assert f"delivers {p:.4g} MW, {4 - p:.4g} MW less than it could" in told
    free = flow_of([BUS_A, BUS_B, {**INFEED, "v_set_pu": 0.9}, CABLE, pv])
    assert (dict(free.held_down), free.delivered["PV"].real) == ({}, pytest.approx(4.0))


# ---- voltages held from elsewhere, reactive limits of the last that holds one


def held_from_two(**second):
    machine = {"kind": "synchronous_generator", "mode": "voltage", "p_mw": 0.5, "v_bus": "C", "v_set_pu": 0.9898}
    cables = [CABLE, {**CABLE, "name": "W2", "from_bus": "B", "to_bus": "C"}]
    ranges = {"q_min_mvar": -1.0, "q_max_mvar": 3.0}, {"q_min_mvar": 0.5, "q_max_mvar": 1.5}
    machines = [{**machine, "name": "G2", "bus": "A2", **ranges[0]}, {**machine, "name": "G3", "bus": "B", **ranges[1], **second}]
    near = {"kind": "bus", "name": "A2", "v_nominal_kv": 11.0}, {**CABLE, "name": "W3", "from_bus": "A", "to_bus": "A2"}
    return [BUS_A, BUS_B, BUS_C, *near, INFEED, *cables, *machines, {**LOAD, "bus": "C"}]


def test_machines_at_several_buses_hold_one_bus_by_the_same_part_of_their_ranges():
    flow = flow_of(held_from_two())
    q2, q3 = flow.delivered["G2"].imag, flow.delivered["G3"].imag
    assert abs(flow.voltage("C")) == pytest.approx(0.9898, abs=1e-9)
    assert 0 < (q2 + 1) / 4 < 1
    assert (q2 + 1) / 4 == pytest.approx(q3 - 0.5, abs=1e-6)
    assert [r["mode"] for r in flow.table("sources").records() if r["name"] == "G2"] == ["voltage, holds C"]
    high = flow_of([{**e, "v_set_pu": 1.1} if e.get("v_bus") else e for e in held_from_two()])
    assert dict(high.at_limit) == {"G2": "most", "G3": "most"}
    assert (high.delivered["G2"].imag, high.delivered["G3"].imag) == (pytest.approx(3.0), pytest.approx(1.5))
    assert any("G3 gives its most reactive power, 1.5 Mvar, and holds 0.99" in told and "at C instead of 1.1" in told for told in high.messages)


def test_a_surplus_that_is_not_shared_is_said_where_there_are_others():
    two = [BUS_A, BUS_B, INFEED, CABLE, LOAD]
    assert flow_of(two, surplus="shared").messages == ()
    without = flow_of([*two, {**GENERATOR, "participation": 0.0}], surplus="shared")
    assert any("The surplus in the island of Infeed G is not shared: no source there has a part in it." in one for one in without.messages)
    both = flow_of([*two, {**INFEED, "name": "S2", "bus": "B", "v_set_pu": 1.0}, {**GENERATOR, "mode": "power"}], surplus="shared")
    assert any("The surplus is not shared between Infeed G, Infeed S2 and the machines beside them" in one for one in both.messages)


def test_what_cannot_be_held_from_elsewhere_is_said():
    with pytest.raises(CannotRun, match="accepted is a least and a most reactive power for each, or for none"):
        flow_of(held_from_two(q_max_mvar=None))
    with pytest.raises(CannotRun, match="another machine at its bus hold the voltages of different buses"):
        flow_of([*held_from_two(), {**GENERATOR, "name": "G4", "bus": "B", "v_set_pu": 1.0}])
    dead = [*held_from_two(v_bus="D"), {"kind": "bus", "name": "D", "v_nominal_kv": 11.0}]
    flow = flow_of([{**e, "q_min_mvar": -9.0, "q_max_mvar": 9.0} if e["name"] == "G3" else e for e in dead])
    assert any(
        "Synchronous generator G3: bus D has no voltage in its island in this state; it holds 0.9898 p.u. at its own bus" in one for one in flow.messages
    )
    assert abs(flow.voltage("B")) == pytest.approx(0.9898, abs=1e-9)


def test_without_a_solution_the_sources_that_lack_reactive_power_are_named():
    """Lossless: sin δ = PX, and B gives (1 − cos δ)/X beside what the load takes."""
    far = {"kind": "equivalent_branch", "name": "Z", "from_bus": "A", "to_bus": "B", "r_pu": 0.0, "x_pu": 4.0}
    machine = {**GENERATOR, "p_mw": 0.0, "v_set_pu": 1.0, "q_max_mvar": 0.5}
    with pytest.raises(NoSolution) as told:
        flow_of([BUS_A, BUS_B, INFEED, far, machine, {**LOAD, "p_mw": 18.0, "q_mvar": 2.0}])
    assert "Without reactive limits there is a solution: Synchronous generator G2 would give 9.651 Mvar, its limit is 0.5." in str(told.value)


def test_an_infeed_at_its_limit_lets_its_voltage_go_while_another_source_holds_one():
    machine = {**GENERATOR, "p_mw": 0.5, "v_set_pu": 0.97}
    bounded = {**INFEED, "v_set_pu": 1.0, "q_max_mvar": 0.2, "angle_deg": -10.0}
    flow = flow_of([BUS_A, BUS_B, bounded, CABLE, LOAD, {**LOAD, "name": "E2", "bus": "A", "p_mw": 1.0, "q_mvar": 1.5}, machine])
    assert dict(flow.at_limit) == {"G": "most"}
    assert flow.delivered["G"].imag == pytest.approx(0.2)
    assert abs(flow.voltage("A")) < 1
    assert math.degrees(np.angle(flow.voltage("A"))) == pytest.approx(-10.0)
    assert next(r for r in flow.table("sources").records() if r["name"] == "G")["mode"] == "infeed, ideal, at its most reactive power"
    findings = [f.text for f in findings_of("load_flow", flow, flow.net.network.settings.limits) if f.element_id == "G"]
    assert any("Infeed G gives its most reactive power, 0.2000 Mvar: it no longer holds 1.000 p.u., its bus stands at" in one for one in findings)
    taken = flow_of([BUS_A, BUS_B, bounded, CABLE, LOAD, {**machine, "q_min_mvar": -0.5, "q_max_mvar": 5.0}])
    assert dict(taken.at_limit) == {"G": "most"}  # the machine would take 0.5 Mvar while A is held, and takes its voltage up when it no longer is
    assert abs(taken.voltage("B")) == pytest.approx(0.97)
    alone = flow_of([BUS_A, BUS_B, bounded, CABLE, LOAD])
    assert abs(alone.voltage("A")) == pytest.approx(1.0)  # none else holds a voltage: it keeps it, and that is a breach
    (breach,) = [f for f in findings_of("load_flow", alone, alone.net.network.settings.limits) if f.element_id == "G" and f.severity == "breach"]
    assert breach.text.endswith("Mvar to hold its voltage, more than its limit of 0.2000 Mvar.")


# ---- tap changers in parallel


def in_parallel(first, second, load=LV_LOAD):
    """Two transformers between the same buses, with what is said of each."""
    return [BUS_A, BUS_B, LV, INFEED, CABLE, {**HELD, **first}, {**HELD, "name": "T2", **second}, {**load, "p_mw": 2.6, "q_mvar": 1.4}]


def test_a_tap_changer_takes_the_position_of_the_one_it_follows_as_far_as_it_goes():
    follower = {"tap_changer": "follows another", "tap_master": "T", "tap_pct": 5.0}
    flow = flow_of(in_parallel({}, follower))
    found = taps(flow)
    assert found["T"] == found["T2"] != 5.0
    assert abs(held_of(flow) - 1.0) <= 0.01
    assert circulating_currents(flow)[0].i_a == pytest.approx(0.0, abs=1e-6)
    half_steps = {**follower, "tap_step_pct": 0.625, "tap_lowest_pct": -5.0, "tap_highest_pct": 5.0}  # the same position is half the change
    assert taps(flow_of(in_parallel({}, half_steps)))["T2"] == pytest.approx(taps(flow_of(in_parallel({}, half_steps)))["T"] / 2)
    short = flow_of(in_parallel({"tap_band_pct": 0.4, "tap_v_set_pu": 1.04}, {**follower, "tap_lowest_pct": -1.25}))
    assert taps(short)["T2"] == pytest.approx(-1.25)
    assert taps(short)["T"] < -1.25
    assert any("T2: its tap changer stands at -1.25 %, the end of its range, and cannot follow T to" in told for told in short.messages)
    alone = flow_of(in_parallel({"tap_changer": "off load"}, follower))
    assert taps(alone)["T2"] == pytest.approx(5.0)
    assert any("T2: its tap changer follows T, which has no tap changer that acts in this state" in told for told in alone.messages)


def test_tap_changers_that_read_circulating_current_come_together():
    apart = flow_of(in_parallel({"tap_pct": 5.0}, {"tap_pct": -5.0}))
    assert abs(held_of(apart) - 1.0) <= 0.01
    assert taps(apart)["T"] - taps(apart)["T2"] > 8  # each is content, and they stay apart
    against = {"tap_circulating_pct": 10.0}
    together = flow_of(in_parallel({"tap_pct": 5.0, **against}, {"tap_pct": -5.0, **against}))
    assert abs(held_of(together) - 1.0) <= 0.012
    assert abs(taps(together)["T"] - taps(together)["T2"]) <= 1.25
    worst = max(abs(c.i_a) for c in circulating_currents(together))
    assert worst < 0.2 * max(abs(c.i_a) for c in circulating_currents(apart))
    # what each reads, from the flows: reactive current beside its half of the sum, over rated current
    flow = together
    out = [(-flow.terminal_power[t][1].imag / abs(flow.voltage("L"))) for t in ("T", "T2")]
    for i in (0, 1):
        read = abs(flow.voltage("L")) + 0.10 * (out[i] - sum(out) / 2) / 2.0
        assert abs(read - 1.0) <= 0.01 + 1e-9


def test_the_changer_of_the_higher_voltage_acts_first_and_the_lower_one_then_needs_fewest_steps():
    """From a low supply: T1 (33/11 kV) alone steps until 11 kV is in its band, with T2 where it stands; only then T2 does what is left."""
    first = {"kind": "transformer", "name": "T1", "hv_bus": "H", "lv_bus": "A", "s_rated_mva": 5.0, "v_hv_kv": 33.0, "v_lv_kv": 11.0, "uk_pct": 8.0,
             "ur_pct": 0.5, "vector_group": "Dyn11", **STEPS, "tap_v_set_pu": 1.0, "tap_band_pct": 1.0}  # fmt: skip
    supply = [{"kind": "bus", "name": "H", "v_nominal_kv": 33.0}, {**INFEED, "bus": "H", "v_set_pu": 0.97}, BUS_A, BUS_B, LV, CABLE, LV_LOAD]

    def held_with(t1, t2):
        flow = flow_of([*supply, {**first, "tap_pct": 1.25 * t1}, {**TX, "tap_pct": 1.25 * t2}])
        return held_of(flow, "A"), held_of(flow)

    t1 = next(-n for n in range(9) if held_with(-n, 0)[0] >= 0.99)
    t2 = next(-n for n in range(9) if held_with(t1, -n)[1] >= 0.984)
    found = taps(flow_of([*supply, {**first, "tap_changer": "holds voltage"}, {**HELD, "tap_band_pct": 1.6}]))
    assert t1 < 0
    assert (found["T1"], found["T"]) == (pytest.approx(1.25 * t1), pytest.approx(1.25 * t2))
