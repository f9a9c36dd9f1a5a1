"""Unbalanced faults against a nodal solution in phases a, b, c of the same network, built winding by winding and without symmetrical components."""

import cmath
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.random_networks import networks

from northfell.app.results.studies import StateResults
from northfell.core.network.sequences import as_phases
from northfell.core.studies.short_circuit import FAULTS, SHORT_CIRCUIT
from northfell.core.studies.short_circuit.at_own_bus import at_own_bus, at_own_buses

A = cmath.exp(2j * math.pi / 3)
TO_PHASES = np.array([[1, 1, 1], [1, A**2, A], [1, A, A**2]])  # of sequences 0, 1, 2
C, UN_HV, UN_LV, BASE = 1.1, 33.0, 11.0, 100.0
BETWEEN = {  # which terminals the winding of leg a, b, c stands between: ends of each, None for the star point
    ("D", 11): ((0, 1), (1, 2), (2, 0)), ("D", 1): ((0, 2), (1, 0), (2, 1)), ("D", 5): ((1, 0), (2, 1), (0, 2)), ("Y", 0): ((0, None), (1, None), (2, None)),
}  # fmt: skip
WINDINGS = {  # of the high and of the low side, so that the low side lags by 30 degrees times the clock number
    "Dyn11": (BETWEEN["D", 11], BETWEEN["Y", 0], 1), "Dyn1": (BETWEEN["D", 1], BETWEEN["Y", 0], 1), "Dyn5": (BETWEEN["D", 5], BETWEEN["Y", 0], 1),
    "YNd11": (BETWEEN["Y", 0], ((0, 2), (1, 0), (2, 1)), 1), "YNd1": (BETWEEN["Y", 0], ((0, 1), (1, 2), (2, 0)), 1),
    "YNd5": (BETWEEN["Y", 0], ((2, 0), (0, 1), (1, 2)), 1), "YNyn0": (BETWEEN["Y", 0], BETWEEN["Y", 0], 1), "YNyn6": (BETWEEN["Y", 0], BETWEEN["Y", 0], -1),
    "Yyn0": (BETWEEN["Y", 0], BETWEEN["Y", 0], 1), "Dd0": (BETWEEN["D", 11], BETWEEN["D", 11], 1), "Yd11": (BETWEEN["Y", 0], ((0, 2), (1, 0), (2, 1)), 1),
}  # fmt: skip
OHM = {"solid": 0j, "resistor": 12 + 0j, "reactor": 9j, "isolated": None}


def model(group, hv, lv, z0_over_z1=1.0):
    """Infeed, 33 kV line, transformer, 11 kV cable with a motor at its end."""
    ends = [{"kind": "bus", "name": n, "v_nominal_kv": v} for n, v in (("S", 33.0), ("H", 33.0), ("L", 11.0), ("E", 11.0))]
    line = {"r_ohm_per_km": 0.3, "x_ohm_per_km": 0.4, "r0_ohm_per_km": 0.55, "x0_ohm_per_km": 1.3, "c0_uf_per_km": 0.0, "t_end_degc": 80.0}
    neutral = {f"neutral_{side}{more}": value for side, how in (("hv", hv), ("lv", lv))
               for more, value in (("", how), ("_ohm", abs(OHM[how]) if how in ("resistor", "reactor") else None)) if value is not None}  # fmt: skip
    return network_of([
        *ends,
        {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 6.0, "ik_min_ka": 5.0, "r_over_x": 0.15, "neutral": "solid", "x0_over_x1": 1.8,
         "r0_over_x0": 0.3},
        {"kind": "line", "name": "W1", "from_bus": "S", "to_bus": "H", "length_m": 4000.0, **line},
        {"kind": "transformer", "name": "T", "hv_bus": "H", "lv_bus": "L", "s_rated_mva": 8.0, "v_hv_kv": 33.0, "v_lv_kv": 11.0, "uk_pct": 9.0, "ur_pct": 0.8,
         "vector_group": group, "z0_over_z1": z0_over_z1, "core": "three-limb", **neutral},
        {"kind": "line", "name": "W2", "from_bus": "L", "to_bus": "E", "length_m": 1500.0, **line},
        {"kind": "induction_motor", "name": "M", "bus": "E", "p_rated_kw": 900.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.87,
         "ilr_over_ir": 5.5, "r_over_x": 0.15},
    ])  # fmt: skip


def of_sequences(z0, z1):
    """Admittance between phases from those of the sequences; an infinite impedance is none."""
    y = [0 if z is None else 1 / z for z in (z0, z1, z1)]
    return TO_PHASES @ np.diag(y) @ np.linalg.inv(TO_PHASES)


def nodal(group, hv, lv, study):
    """Impedance matrix between all phase nodes [ohm referred to per unit of each side], and the places of the buses in it."""
    given_, net = study.cases["max"].given, study.net
    z_motor = complex(given_.sources.z[1])
    z_feed = complex(given_.sources.z[0])
    at = {"S": 0, "H": 3, "L": 6, "E": 9}
    n = 12 + 3 + 2  # with an inner node for each leg, and the two star points
    legs, star_hv, star_lv = (12, 13, 14), 15, 16
    y = np.zeros((n, n), complex)
    y += np.eye(n) * 1e-7

    def between(p, q, block):
        for (i, j), sign in (((p, p), 1), ((q, q), 1), ((p, q), -1), ((q, p), -1)):
            y[i : i + 3, j : j + 3] += sign * block

    x0 = 1.8 * z_feed.imag
    y[0:3, 0:3] += of_sequences(complex(0.3 * x0, x0), z_feed)
    for name, p, q, un in (("W1", 0, 3, UN_HV), ("W2", 6, 9, UN_LV)):
        km = net.elements[name].length_m / 1000
        between(p, q, of_sequences(complex(0.55, 1.3) * km * BASE / un**2, complex(0.3, 0.4) * km * BASE / un**2))
    y[9:12, 9:12] += of_sequences(None, z_motor)
    z = complex(0.008, math.sqrt(0.09**2 - 0.008**2)) * given_.factors.of(list(net.branches.ids).index("T")) * BASE / 8.0
    magnetising = 0.6j * BASE / 8.0
    high, low, sense = WINDINGS[group]
    for star, how, un in ((star_hv, hv, UN_HV), (star_lv, lv, UN_LV)):
        ohm = OHM[how]
        y[star, star] += 1e-9 if ohm is None else 1e9 if ohm == 0 else un**0 / (ohm * BASE / un**2)
    for leg, ends_hv, ends_lv in zip(legs, high, low, strict=True):
        for ends, first, star, scale in ((ends_hv, 3, star_hv, sense), (ends_lv, 6, star_lv, 1)):
            delta = ends[1] is not None
            turns = scale / (math.sqrt(3) if delta else 1.0)  # winding voltage in per unit of a phase voltage
            nodes, weights = [leg], [-1.0]
            for end, sign in zip(ends, (1, -1), strict=True):
                nodes.append(star if end is None else first + end)
                weights.append(sign * turns)
            w = np.array(weights)
            y[np.ix_(nodes, nodes)] += np.outer(w, w) * 2 / z  # half the leakage on each side
    y[np.ix_(legs, legs)] += np.ones((3, 3)) / magnetising / 3 if "d" not in group.lower() else 0
    return np.linalg.inv(y), at


CASES = [(group, hv, lv) for group in WINDINGS for hv in (("solid", "resistor", "isolated") if group.startswith("YN") else ("isolated",))
         for lv in (("solid", "resistor", "reactor", "isolated") if "yn" in group else ("isolated",))]  # fmt: skip


@pytest.mark.parametrize(("group", "hv", "lv"), CASES)
def test_every_fault_is_that_of_a_nodal_solution_in_phases(group, hv, lv):
    study = StateResults(model(group, hv, lv), "Normal").result(SHORT_CIRCUIT)
    z, at = nodal(group, hv, lv, study)
    net, one = study.net, study.cases["max"]
    u = one.no_load_pu[net.topology.node_of_bus]
    for name, k in ((n, net.topology.bus_index[n]) for n in ("S", "H", "L", "E")):
        p = at[name]
        zk = z[p : p + 3, p : p + 3]
        e = C * np.array([1, A**2, A])
        loose = abs(zk.sum()) / 9 > 1e4  # nothing ties this part to earth
        for fault in FAULTS:
            want = by_hand(fault, zk, e, loose)
            flows = study.flows([k], "max", fault)
            got = as_phases(one.of(fault).sequences_pu[k])
            assert np.allclose(got, want, rtol=2e-4, atol=2e-4), (name, fault, got, want)
            assert np.allclose(as_phases(flows.ik_ka[0]) / net.i_base_ka()[k], got, atol=1e-9)
            for other, q in at.items():
                j = net.topology.bus_index[other]
                before = C * u[j] / u[k] * np.array([1, A**2, A])
                left = before - z[q : q + 3, p : p + 3] @ want
                seen = as_phases(flows.voltages_pu[j, 0])
                assert np.allclose(seen - seen.mean(), left - left.mean(), atol=1e-3), (name, fault, other, seen, left)
                if abs(z[q : q + 3, q : q + 3].sum()) / 9 < 1e4:  # its voltage to earth is tied to something
                    assert np.allclose(seen, left, atol=2e-3), (name, fault, other, seen, left)


def by_hand(fault, z, e, loose):
    """Phase currents of a fault from the impedance matrix between the phases there."""
    if fault == "3ph":
        b = z - z.mean() if loose else z
        i = np.linalg.lstsq(b, e, rcond=None)[0]
        return i - i.mean()
    i = np.zeros(3, complex)
    if fault == "lg":
        i[0] = 0 if loose else e[0] / z[0, 0]
    elif fault == "ll" or loose:
        i[1] = (e[1] - e[2]) / (z[1, 1] + z[2, 2] - z[1, 2] - z[2, 1])
        i[2] = -i[1]
    else:
        i[1:] = np.linalg.solve(z[1:, 1:], e[1:])
    return i


@pytest.mark.parametrize(("group", "hv", "lv"), CASES[::3])
def test_currents_balance_at_every_bus_in_phases_and_go_through_every_element(group, hv, lv):
    """Kirchhoff in phase quantities, neutral currents included: what enters a bus leaves it, but for the fault."""
    study = StateResults(model(group, hv, lv), "Normal").result(SHORT_CIRCUIT)
    net = study.net
    for fault in FAULTS:
        for k in study.fed_buses():
            flows = study.flows([k], "max", fault)
            for b, bus_id in enumerate(net.topology.bus_ids):
                total = sum((as_phases(flows.of(i)[net.elements[i].buses.index(bus_id), 0]) for i in net.network.adjacency.at[bus_id]), np.zeros(3, complex))
                wanted = -as_phases(flows.ik_ka[0]) if b == k else np.zeros(3)
                assert np.allclose(total, wanted, atol=1e-5 * max(1.0, float(np.abs(flows.ik_ka).max())))  # what is tied to nothing is, by a millionth


@given(networks(shift=True), st.sampled_from(FAULTS))
def test_contributions_sum_to_the_fault_current_in_every_sequence(network, fault):
    study = StateResults(network, "Normal").result(SHORT_CIRCUIT)
    for bus in study.fed_buses():
        if math.isnan(float(study.cases["max"].of(fault).ik_ka[bus])):
            assert study.earth_faults_lack(bus)
            continue
        flows = study.flows([bus], "max", fault)
        total = np.sum([i for _, _, i in study.contributions_of(flows, 0)], axis=0)
        assert np.allclose(total, flows.ik_ka[0][: len(total)], rtol=1e-7, atol=1e-5)


@given(networks(shift=True), st.sampled_from(FAULTS), st.sampled_from(["max", "min"]))
def test_contributions_from_entries_of_the_inverses_are_those_of_a_solution_for_each_fault(network, fault, case):
    study = StateResults(network, "Normal").result(SHORT_CIRCUIT)
    one, net = study.cases[case], study.net
    if at_own_bus(one, fault) is None:  # a converter's current depends on the fault: solved one by one
        assert len(one.given.converters.i1) or one.given.inside
    fed = study.fed_buses()
    at_once, flows = at_own_buses(one, fed, fault), one.flows(fed, fault)
    for k, bus in enumerate(fed):
        bus_id = net.topology.bus_ids[bus]
        for e in (net.elements[i] for i in net.network.adjacency.at[bus_id] if i in net.terminals.at):
            at = e.buses.index(bus_id)
            assert np.allclose(at_once[net.terminals.of(e.id).start + at], flows.of(e.id)[at, k], rtol=1e-7, atol=1e-7 * max(1.0, np.abs(flows.ik_ka[k]).max()))


@given(networks(shift=True))
def test_a_three_phase_fault_does_not_depend_on_the_zero_sequence_and_two_lines_carry_less(network):
    study = StateResults(network, "Normal").result(SHORT_CIRCUIT)
    one = study.cases["max"]
    for bus in study.fed_buses():
        three, two = float(one.of("3ph").ik_ka[bus]), float(one.of("ll").ik_ka[bus])
        if not one.given.sources.balanced_only.any() and not len(one.given.converters.i1):
            assert two == pytest.approx(math.sqrt(3) / 2 * three, rel=1e-6)
    earthed = model("Dyn11", "isolated", "solid")
    bare = model("Dyn11", "isolated", "isolated")
    same = [StateResults(n, "Normal").result(SHORT_CIRCUIT).cases["max"].ik_ka for n in (earthed, bare)]
    assert np.array_equal(*same)


def charged(neutral, **more):
    """An 11 kV network on cables of 0.3 µF/km, 12 km in all, behind an infeed without earth; its one star point is that of an earthing transformer."""
    cable = {"kind": "cable", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 12_000.0, "r_ohm_per_km": 0.1, "x_ohm_per_km": 0.1, "t_end_degc": 90.0,
             "r0_ohm_per_km": 0.4, "x0_ohm_per_km": 0.4, "c0_uf_per_km": 0.3}  # fmt: skip
    feed = {"kind": "infeed", "name": "G", "bus": "A", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1, "neutral": "isolated"}
    star = {"kind": "earthing_transformer", "name": "TE", "bus": "A", "z0_ohm": 3.0, "neutral": neutral, **more}
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in "AB"]
    return StateResults(network_of([*buses, feed, cable, star]), "Normal").result(SHORT_CIRCUIT)


def test_an_isolated_network_carries_its_capacitive_current_and_a_tuned_coil_takes_it_away():
    """IE = 3·ω·C0·c·Un/√3 without a star point; with a coil of 1/(3·ω·C0) next to nothing; with a resistor both in quadrature."""
    b0 = 2 * math.pi * 50 * 0.3e-6 * 12
    e = 1.1 * 11 / math.sqrt(3)
    free = charged("isolated")
    at = free.net.topology.bus_index["A"]
    assert float(free.cases["max"].of("lg").i_earth_ka[at]) == pytest.approx(3 * b0 * e, rel=5e-3)
    healthy = np.abs(as_phases(free.flows([at], "max", "lg").voltages_pu[at, 0]))
    assert healthy == pytest.approx([0, 1.1 * math.sqrt(3), 1.1 * math.sqrt(3)], abs=0.01)
    coil = charged("resonant", neutral_ohm=1 / (3 * b0) - 1.0)  # with the third of its transformer's reactance
    assert float(coil.cases["max"].of("lg").i_earth_ka[at]) < 0.03 * 3 * b0 * e
    through = abs(complex(coil.flows([at], "max", "lg").of("TE")[0, 0, 2]))
    assert 3 * through == pytest.approx(3 * b0 * e, rel=0.02)  # the coil itself carries it
    ohm = 40.0
    both = charged("resistor", neutral_ohm=ohm)
    wanted = 3 * e * abs(complex(1 / (3 * ohm), b0))
    assert float(both.cases["max"].of("lg").i_earth_ka[at]) == pytest.approx(wanted, rel=0.03)


def test_where_nothing_is_earthed_and_a_capacitance_is_not_known_the_earth_fault_is_not():
    study = charged("isolated")
    lacking = [e.model_dump(exclude={"id", "documents"}, exclude_none=True) for e in study.net.elements.values()]
    bare = network_of([{k: v for k, v in e.items() if k not in ("c0_uf_per_km", "assumed", "origins", "catalogue")} for e in lacking])
    without = StateResults(bare, "Normal").result(SHORT_CIRCUIT)
    assert np.isnan(without.cases["max"].of("lg").ik_ka).all()
    assert any("c0_uf_per_km is empty" in told for told in without.earth_faults_lack(0))


def test_an_autotransformer_lets_the_zero_sequence_through_as_its_common_winding_does():
    """One phase of the zero sequence by its windings: ampere-turns of the series and the common part balance, the star point carries the rest."""
    n, un_h, un_l, ohm = 2.0, 132.0, 66.0, 10.0
    auto = {"kind": "autotransformer", "name": "T", "hv_bus": "H", "lv_bus": "L", "s_rated_mva": 60.0, "v_hv_kv": un_h, "v_lv_kv": un_l, "uk_pct": 8.0,
            "ur_pct": 0.4, "vector_group": "YNa0", "z0_over_z1": 1.0, "neutral_lv": "resistor", "neutral_lv_ohm": ohm}  # fmt: skip
    feed = {
        "kind": "infeed",
        "name": "G",
        "bus": "H",
        "ik_max_ka": 5.0,
        "ik_min_ka": 4.0,
        "r_over_x": 0.1,
        "neutral": "solid",
        "x0_over_x1": 1.5,
        "r0_over_x0": 0.1,
    }
    buses = [{"kind": "bus", "name": name, "v_nominal_kv": kv} for name, kv in (("H", un_h), ("L", un_l))]
    study = StateResults(network_of([*buses, feed, auto]), "Normal").result(SHORT_CIRCUIT)
    one, net = study.cases["max"], study.net
    x_q = 1.1 * un_h / math.sqrt(3) / 5.0 / math.sqrt(1.01)
    z_q0 = complex(0.1, 1) * 1.5 * x_q
    z_t = one.given.factors.of(0) * complex(0.004, math.sqrt(0.08**2 - 0.004**2)) * un_l**2 / 60.0  # at the low side
    # unknowns: currents into both terminals, the voltage of the common winding, of the star point, of both terminals; one ampere is sent into L
    equations = np.zeros((6, 6), complex)
    right = np.zeros(6, complex)
    i_h, i_l, u_c, u_n, u_h, u_l = range(6)
    equations[0, [i_h, i_l]] = n, 1  # ampere-turns
    equations[1, [u_n, i_h, i_l]] = 1, -3 * ohm, -3 * ohm
    equations[2, [u_h, u_n, u_c]] = 1, -1, -n
    equations[3, [u_l, u_n, u_c, i_l]] = 1, -1, -1, -z_t
    equations[4, [u_h, i_h]] = 1, z_q0
    equations[5, i_l], right[5] = 1, 1
    found = np.linalg.solve(equations, right)
    at = net.topology.bus_index["L"]
    assert complex(one.z0_pu[at] * one.z_base_ohm[at]) == pytest.approx(complex(found[u_l]), rel=1e-6)
