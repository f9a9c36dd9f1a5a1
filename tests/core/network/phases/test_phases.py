"""What must hold of any feeder by phase: Kirchhoff, power, symmetry, names, transformers' clocks, floating parts, and both ways of solving."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northfell.core.errors import InputRefused
from northfell.core.network.phases import (
    CURRENT,
    EARTH,
    IMPEDANCE,
    POWER,
    Follows,
    Load,
    Pair,
    PhaseNetwork,
    bank,
    between,
    earthed_along,
    electrodes_at,
    from_sequences,
    line,
    pairs_of,
    solve,
)
from northfell.core.network.phases.loads import loads_of
from northfell.core.network.phases.solver import NEWTON

LN = 2400.0
ABC = (1.0, np.exp(-2j * np.pi / 3), np.exp(2j * np.pi / 3))
GROUPS = [f"{h}{low}{n}" for h, low, hours in (("Y", "y", (0, 2, 4, 6, 8, 10)), ("D", "d", (0, 2, 4, 6, 8, 10)), ("D", "y", (1, 3, 5, 7, 9, 11)),
                                              ("Y", "d", (1, 3, 5, 7, 9, 11))) for n in hours]  # fmt: skip


@st.composite
def feeders(draw):
    """A tree of buses of one, two or three phases with loads of all kinds between them and to earth; far from collapse."""
    buses = [("s", "abc")]
    parts, loads = [], []
    for k in range(draw(st.integers(1, 5))):
        up, had = draw(st.sampled_from(buses))
        phases = "".join(p for p in had if draw(st.booleans())) or had
        buses.append((f"b{k}", phases))
        length = draw(st.floats(0.1, 1.5))
        z1, z0 = complex(draw(st.floats(0.1, 0.4)), 0.4), complex(draw(st.floats(0.4, 0.8)), 1.1)
        at = ["abc".index(p) for p in phases]
        parts.append((up, f"b{k}", phases, from_sequences(z1, z0)[np.ix_(at, at)] * length, 1e-6j * np.eye(len(at))))
        for p in phases:
            kva = complex(draw(st.floats(-40, 60)), draw(st.floats(-20, 30)))
            loads.append((f"b{k}", p, "n", kva, draw(st.sampled_from([POWER, CURRENT, IMPEDANCE, ((0.7, 1.0),)]))))
        if len(phases) > 1:
            loads.append((f"b{k}", phases[0], phases[1], complex(draw(st.floats(0, 40)), 10), draw(st.sampled_from([POWER, CURRENT, IMPEDANCE]))))
    return buses, parts, loads


def built(feeder, names=None) -> PhaseNetwork:
    buses, parts, loads = feeder
    turn = (names or {}).get
    nodes = [(bus, turn(p, p)) for bus, phases in buses for p in phases]

    def at(bus: str, p: str) -> int:
        return EARTH if p == "n" else nodes.index((bus, turn(p, p)))

    lines = tuple(line(f"{a}-{b}", [at(a, p) for p in phases], [at(b, p) for p in phases], z, y) for a, b, phases, z, y in parts)
    drawn = tuple(Load(b, at(b, p), at(b, q), 1000 * kva, LN * (1 if q == "n" else math.sqrt(3)), model, model, v_low=0.5) for b, p, q, kva, model in loads)
    known = {at("s", p): LN * v for p, v in zip("abc", ABC, strict=True)}
    return PhaseNetwork(tuple(nodes), np.full(len(nodes), LN), lines, drawn, (), known)


@settings(max_examples=60)
@given(feeders())
def test_kirchhoff_and_power_hold_and_names_of_phases_are_only_names(feeder):
    network = built(feeder)
    flow = solve(network)
    for n, short in enumerate(flow.short_a):
        if n not in network.known_v:
            assert abs(short) < 1e-6
    delivered = sum(flow.v_v[n] * np.conj(i) for n, i in flow.sources.items())
    lost = sum(flow.power(one).sum() for one in network.primitives)
    assert delivered == pytest.approx(flow.load_power.sum() + lost, rel=1e-7, abs=1e-2)
    for one in network.primitives:
        assert np.allclose(one.y_s, one.y_s.T, rtol=1e-12)
    renamed = built(feeder, {"a": "b", "b": "c", "c": "a"})
    assert renamed.names != network.names
    assert np.allclose(solve(renamed).v_v, flow.v_v, rtol=1e-9)


@settings(max_examples=40)
@given(feeders())
def test_newton_finds_what_the_currents_find(feeder):
    network = built(feeder)
    by_newton = solve(network, newton=True)
    assert by_newton.method == NEWTON
    assert np.allclose(by_newton.v_v, solve(network).v_v, rtol=1e-7)


def transformer(group: str, load_va: complex = 0j, grounded: bool = True):
    """A source, a transformer with its star points earthed where it has some, and loads to earth, or between phases behind a delta."""
    nodes = [("h", p) for p in "abc"] + [("l", p) for p in "abc"] + [("h", "N"), ("l", "n")]
    earth = {"N": EARTH, "n": EARTH} if grounded else {}

    def at(name: str) -> int:
        return earth.get(name, nodes.index(("h" if name.isupper() else "l", name if name in "Nn" else name.lower())))

    high = LN * (1 if group.startswith("Y") else math.sqrt(3))
    low = 230.0 * (math.sqrt(3) if "d" in group else 1)
    pairs = [Pair(tuple(at(e) for e in ends), high, low, (0.01 + 0.05j) * low**2 / 1e5) for ends in pairs_of(group)]
    to_earth = "y" in group
    loads = [Load("E", at(p), EARTH if to_earth else at(q), load_va, 230.0 * (1 if to_earth else math.sqrt(3)), v_low=0.5) for p, q in ("ab", "bc", "ca")]
    known = {at(p): LN * v for p, v in zip("ABC", ABC, strict=True)}
    network = PhaseNetwork(tuple(nodes), np.array([LN] * 3 + [230.0] * 3 + [LN, 230.0]), (bank("T", pairs),), tuple(loads) if load_va else (), (), known)
    return network, solve(network)


@pytest.mark.parametrize("group", GROUPS)
def test_every_clock_turns_by_thirty_degrees_an_hour(group):
    _, flow = transformer(group)
    v = flow.v_v[3:6] - (0 if "y" in group else flow.v_v[3:6].mean())
    hour = int("".join(c for c in group if c.isdigit()))
    assert np.abs(v) == pytest.approx([230.0] * 3, rel=1e-6)
    assert v[0] / ABC[0] == pytest.approx(230.0 * np.exp(-1j * np.pi / 6 * hour), rel=1e-6)
    assert v[1] / v[0] == pytest.approx(ABC[1], rel=1e-6)


def test_behind_a_delta_nothing_is_known_to_earth_and_all_between_phases():
    network, flow = transformer("Dd0", 20e3 + 5e3j)
    assert flow.floating[3:6].all()
    assert not flow.floating[:3].any()
    (one,) = network.primitives
    i = flow.currents(one)
    into_low = np.zeros(6, complex)
    np.add.at(into_low, one.nodes, i)
    assert into_low[3:6].sum() == pytest.approx(0, abs=1e-6)  # no current to earth
    z = (0.01 + 0.05j) * (230 * math.sqrt(3)) ** 2 / 1e5
    u = flow.v_v[3] - flow.v_v[4]
    e = (flow.v_v[0] - flow.v_v[1]) * 230 / LN
    assert e - z * np.conj((20e3 + 5e3j) / u) == pytest.approx(u, rel=1e-7)  # a load on its own winding, the others alike


def test_unearthed_stars_carry_no_current_to_earth_and_earthed_ones_with_a_delta_do():
    network, flow = transformer("Yy0", 0j, grounded=False)
    assert np.isfinite(flow.v_v).all()
    source = PhaseNetwork(network.names, network.v_base_v, network.primitives, (), (), {k: v + 100 for k, v in network.known_v.items()})
    assert sum(solve(source).sources.values()) == pytest.approx(0, abs=1e-5)
    earthed, _ = transformer("YNd1")
    third = PhaseNetwork(earthed.names, earthed.v_base_v, earthed.primitives, (), (), {k: v + 100 for k, v in earthed.known_v.items()})
    z_high = (0.01 + 0.05j) * (230 * math.sqrt(3)) ** 2 / 1e5 * (LN / (230 * math.sqrt(3))) ** 2
    assert sum(solve(third).sources.values()) == pytest.approx(3 * 100 / z_high, rel=1e-6)  # zero sequence through the delta


def test_a_neutral_earthed_at_both_ends_of_every_section_is_one_that_was_eliminated():
    rng = np.random.default_rng(1)
    z = np.full((4, 4), 0.05 + 0.4j) + np.diag(rng.uniform(0.2, 0.5, 4) + 0.4j)
    reduced = z[:3, :3] - z[:3, 3:] @ z[3:, :3] / z[3, 3]
    nodes = [(bus, p) for bus in "st" for p in "abc"]
    base = np.full(6, LN)
    loads = tuple(Load("E", 3 + k, EARTH, s, LN) for k, s in enumerate((90e3 + 20e3j, 20e3 + 0j, 50e3 - 9e3j)))
    known = {k: LN * v for k, v in enumerate(ABC)}
    carried = solve(PhaseNetwork(tuple(nodes), base, (line("L", [0, 1, 2, EARTH], [3, 4, 5, EARTH], z),), loads, (), known))
    gone = solve(PhaseNetwork(tuple(nodes), base, (line("L", [0, 1, 2], [3, 4, 5], reduced),), loads, (), known))
    assert np.allclose(carried.v_v, gone.v_v, rtol=1e-10)
    open_neutral = [*nodes, ("s", "n"), ("t", "n")]
    to_neutral = tuple(Load("E", x.p, 7, x.s_va, LN) for x in loads)
    at_source = (Follows("Earth", 6, ((0, 0.0),)),)  # at no voltage
    section = line("L", [0, 1, 2, 6], [3, 4, 5, 7], z)
    kept = solve(PhaseNetwork(tuple(open_neutral), np.full(8, LN), (section,), to_neutral, at_source, known))
    assert abs(kept.v_v[7]) > 1.0  # the far neutral rises
    assert abs(kept.through[6]) > 1.0


@given(st.integers(0, 9), st.floats(0.0, 0.4), st.floats(0.6, 1.0), st.floats(0.5, 200))
def test_a_neutral_earthed_along_its_way_is_its_pieces_one_after_another(count, start, end, ohm):
    """Every electrode as a node of its own, eliminated at once from the whole matrix."""
    rng = np.random.default_rng(count)
    z = np.full((4, 4), 0.05 + 0.4j) + np.diag(rng.uniform(0.2, 0.5, 4) + 0.4j)
    y, earth = 1e-6j * np.eye(4), np.diag([0, 0, 0, 1 / ohm]).astype(complex)
    at = list(np.linspace(start, end, count, endpoint=False)) if count else []  # the first one at the near end itself
    found = earthed_along(z, y, start, end, at, earth)
    places = [start, *[k for k in at if k > start], end]
    whole = np.zeros((4 * len(places),) * 2, complex)
    for k, km in enumerate(np.diff(places)):
        yi, half = np.linalg.inv(z * km), y * km / 2
        whole[4 * k : 4 * k + 8, 4 * k : 4 * k + 8] += np.block([[yi + half, -yi], [-yi, yi + half]])
    for k, km in enumerate(places):
        if km in at:
            whole[4 * k : 4 * k + 4, 4 * k : 4 * k + 4] += earth
    ends = np.r_[0:4, len(whole) - 4 : len(whole)]
    inner = np.setdiff1d(np.arange(len(whole)), ends)
    expected = whole[np.ix_(ends, ends)]
    if len(inner):
        expected = expected - whole[np.ix_(ends, inner)] @ np.linalg.solve(whole[np.ix_(inner, inner)], whole[np.ix_(inner, ends)])
    assert np.allclose(found, expected, rtol=1e-8, atol=1e-8 * np.abs(expected).max())


def test_a_neutral_earthed_everywhere_without_resistance_is_one_that_was_eliminated():
    z = np.full((4, 4), 0.05 + 0.4j) + np.diag([0.3, 0.32, 0.28, 0.5]) + 0.4j * np.eye(4)
    reduced = z[:3, :3] - z[:3, 3:] @ z[3:, :3] / z[3, 3]
    made = earthed_along(z, np.zeros((4, 4), complex), 0.0, 2.0, electrodes_at(2.0, 0.004), np.diag([0, 0, 0, 1e4]).astype(complex))
    assert np.allclose(made[:3, 4:7], -np.linalg.inv(2 * reduced), rtol=0.005)


def test_regulators_open_and_closed_delta():
    nodes = [(bus, p) for bus in "st" for p in "abc"]
    known = {k: LN * v for k, v in enumerate(ABC)}
    k = 0.1
    closed = [Follows("R", 3 + i, ((i, 1 + k), ((i + 1) % 3, -k))) for i in range(3)]
    flow = solve(PhaseNetwork(tuple(nodes), np.full(6, LN), (), (Load("E", 3, EARTH, 100e3 + 0j, LN),), tuple(closed), known))
    u = flow.v_v[3] - flow.v_v[4]
    assert abs(u) / abs(flow.v_v[0] - flow.v_v[1]) == pytest.approx(math.sqrt((1 + 1.5 * k) ** 2 + 3 / 4 * k**2), rel=1e-9)
    assert math.degrees(np.angle(u / (flow.v_v[0] - flow.v_v[1]))) == pytest.approx(4.3, abs=0.05)
    i = np.conj(100e3 / flow.v_v[3])
    assert flow.sources[0] == pytest.approx((1 + k) * i)
    assert flow.sources[1] == pytest.approx(-k * i)
    wye = solve(PhaseNetwork(tuple(nodes), np.full(6, LN), (), (Load("E", 3, EARTH, 100e3 + 0j, LN),), (Follows("R", 3, ((0, 1.05),)),), known))
    assert wye.v_v[3] == pytest.approx(1.05 * LN)
    assert wye.sources[0] == pytest.approx(1.05 * wye.through[3])
    assert np.isnan(wye.v_v[4])  # nothing feeds it
    assert not wye.fed[4]


def test_what_contradicts_itself_is_refused_and_beyond_the_most_load_there_is_no_solution():
    nodes = [("s", "a"), ("t", "a"), ("u", "a")]
    base, known = np.full(3, LN), {0: LN + 0j}
    loop = (Follows("R", 1, ((0, 1.05),)), Follows("Q", 1, ((0, 1.0),)))
    with pytest.raises(InputRefused, match="in a loop"):
        solve(PhaseNetwork(tuple(nodes), base, (), (), loop, known))
    with pytest.raises(InputRefused, match="one source"):
        solve(PhaseNetwork(tuple(nodes), base, (), (), (Follows("Q", 1, ((0, 1.0),)),), {0: LN + 0j, 1: LN + 0j}))
    with pytest.raises(InputRefused, match="at least one source"):
        solve(PhaseNetwork(tuple(nodes), base, ()))
    z = np.array([[1 + 2j]])
    most = LN**2 / (2 * (abs(z[0, 0]) + 1))  # of a load without reactive power: U²/(2·(|Z| + R))
    for part, method in ((0.5, "currents"), (0.9999, NEWTON), (1.02, None)):
        load = (Load("E", 1, EARTH, part * most + 0j, LN, v_low=0.05),)
        flow = solve(PhaseNetwork(tuple(nodes), base, (line("L", [0], [1], z),), load, (), known))
        assert (flow.method if flow else None) == method
    meshed = (Follows("Q1", 1, ((0, 1.0),)), Follows("Q2", 1, ((0, 1.0),)))
    flow = solve(PhaseNetwork(tuple(nodes), base, (), (Load("E", 1, EARTH, 1e3 + 0j, LN),), meshed, known))
    assert [f.element for f in flow.dependence.redundant] == ["Q2"]


def test_below_its_voltage_a_load_is_an_impedance_and_shares_and_exponents_hold():
    one = loads_of([Load("E", 0, EARTH, 1000 + 500j, 100.0, ((0.0, 0.5), (1.0, 0.3), (2.0, 0.2)), ((1.8, 1.0),), v_low=0.9)])
    for u in (100.0, 95.0):
        v = u / 100
        s, slope = one.power(np.array([u + 0j]))
        assert s[0] == pytest.approx(1000 * (0.5 + 0.3 * v + 0.2 * v**2) + 500j * v**1.8)
        h = 1e-4
        assert slope[0] == pytest.approx((one.power(np.array([u + h + 0j]))[0][0] - one.power(np.array([u - h + 0j]))[0][0]) / (2 * h), rel=1e-6)
    at_edge, below = one.power(np.array([90.0 + 0j]))[0][0], one.power(np.array([45.0 + 0j]))[0][0]
    assert below == pytest.approx(at_edge / 4)


@settings(max_examples=40)
@given(st.floats(60, 140), st.floats(-3, 3), st.floats(-1, 1), st.floats(-1, 1))
def test_the_tangent_of_a_load_is_its_derivative(u, angle, re, im):
    one = loads_of([Load("E", 0, EARTH, 1000 + 400j, 100.0, ((0.0, 0.6), (1.0, 0.4)), POWER)])
    v, d = u * np.exp(1j * angle), 1e-5 * complex(re, im)
    if abs(u - 87) < 0.01:
        return
    a, b = one.tangent(np.array([v]))
    moved = one.current(np.array([v + d]))[0] - one.current(np.array([v - d]))[0]
    assert moved == pytest.approx(2 * (a[0] * d + b[0] * np.conj(d)), rel=1e-4, abs=1e-12)


def test_capacitors_between_conductors():
    nodes = [("s", "a"), ("s", "b")]
    flow = solve(PhaseNetwork(tuple(nodes), np.full(2, LN), (between("C", [(0, 1)], [1e-4j]),), (), (), {0: LN * ABC[0], 1: LN * ABC[1]}))
    assert flow.sources[0] == pytest.approx(1e-4j * (flow.v_v[0] - flow.v_v[1]))
    assert sum(flow.sources.values()) == pytest.approx(0)
