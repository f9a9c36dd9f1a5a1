"""Two schools by hand: what each takes for machines, and what follows at each instant."""

import math

import numpy as np
import pytest
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, network_of
from tests.core.studies.short_circuit.test_unbalanced import model

from northfell.app.results.studies import StateResults
from northfell.core.errors import CannotRun, InputRefused, NetworkRefused
from northfell.core.network import compile_network
from northfell.core.studies import Asked
from northfell.core.studies.short_circuit import FAULTS, SHORT_CIRCUIT, resistance_for
from northfell.core.studies.short_circuit import equations as eq
from northfell.core.studies.short_circuit import ieee_equations as ie

GENERATOR = {"kind": "synchronous_generator", "name": "SG", "bus": "A", "s_rated_mva": 10.0, "v_rated_kv": 11.0, "power_factor_rated": 0.8, "xd2_pct": 14.0,
             "r_stator_ohm": 0.05, "xd_pct": 180.0, "xd1_pct": 22.0}  # fmt: skip
MOTOR = {"kind": "induction_motor", "name": "M", "bus": "A", "p_rated_kw": 500.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.88,
         "ilr_over_ir": 6.0, "r_over_x": 0.1, "pole_pairs": 2}  # fmt: skip


def with_settings(network, **values):
    own = network.settings.of(SHORT_CIRCUIT.settings).model_copy(update=values)
    return network.model_copy(update={"settings": network.settings.model_copy(update={"short_circuit": own})})


def faults_of(elements, **settings):
    return StateResults(with_settings(network_of(elements), **settings), "Normal").result(SHORT_CIRCUIT)


@pytest.mark.parametrize(("t", "a", "b", "d"), [(0.02, 0.84, 0.26, 0.26), (0.05, 0.71, 0.51, 0.30), (0.10, 0.62, 0.72, 0.32), (0.25, 0.56, 0.94, 0.38)])
def test_decay_of_machines_at_the_tabled_times_and_between_them(t, a, b, d):
    for r in (3.0, 6.0):
        assert float(eq.machine_decay(r, t)) == pytest.approx(min(1.0, a + b * math.exp(-d * r)))
    assert float(eq.machine_decay(2.0, t)) == 1.0
    between = [float(eq.machine_decay(5.0, x)) for x in (0.05, 0.075, 0.10)]
    assert between[1] == pytest.approx((between[0] + between[2]) / 2)
    assert float(eq.machine_decay(5.0, 0.4)) == float(eq.machine_decay(5.0, 0.25))


def test_decay_of_motors_by_their_power_for_each_pair_of_poles():
    assert float(eq.motor_decay(0.5, 0.10)) == pytest.approx(0.57 + 0.12 * math.log(0.5))
    assert (float(eq.motor_decay(1e-9, 0.1)), float(eq.motor_decay(1e9, 0.1))) == (0.0, 1.0)


def test_a_generator_alone_breaking_steady_and_thermal_by_hand():
    """Ib = μ·I″k with the reactance alone in its change of voltage; Ik by the machine's equation; n by I″k/Ik."""
    one = faults_of([BUS_A, GENERATOR], t_min_s=0.05).cases["max"]
    z = complex(0.05, 0.14 * 12.1) * 1.1 / (1 + 0.14 * 0.6)
    ik, ir = 1.1 * 11 / math.sqrt(3) / abs(z), 10 / math.sqrt(3) / 11
    assert float(one.ik_ka[0]) == pytest.approx(ik)
    mu = 0.71 + 0.51 * math.exp(-0.30 * ik / ir)
    lost = (1j * z.imag / z) * (1 - mu)
    assert float(one.breaking_ka()[0]) == pytest.approx(ik * abs(1 - lost))
    e_r = math.hypot(1 + 1.8 * 0.6, 1.8 * 0.8)
    xe = max(0.0, 1.1 / (ik / ir) - 0.14)
    ik_steady = 1.3 * e_r / (1.8 + xe) * ir
    assert float(one.steady_ka()[0]) == pytest.approx(ik_steady)
    a = ik / ik_steady
    b = a / (0.88 + 0.17 * a)
    t, mean = 3.1 / b, 0.0
    times = (np.arange(200_000) + 0.5) / 200_000  # one second
    mean = float(np.mean((1 + (b - 1) * np.exp(-times / t) + (a - b) * np.exp(-10 * times / t)) ** 2)) / a**2
    m, n = (float(v[0]) for v in one.heat())
    assert n == pytest.approx(mean, rel=1e-6)
    kappa = float(one.kappa[0])
    assert m == pytest.approx((math.exp(4 * 50 * math.log(kappa - 1)) - 1) / (2 * 50 * math.log(kappa - 1)), rel=1e-9)
    assert float(one.thermal_ka()[0]) == pytest.approx(ik * math.sqrt(m + n))


def test_a_generator_without_synchronous_reactance_has_no_steady_state_current_and_its_heat_is_taken_as_lasting():
    one = faults_of([BUS_A, {k: v for k, v in GENERATOR.items() if k != "xd_pct"}]).cases["max"]
    assert math.isnan(float(one.steady_ka()[0]))
    assert float(one.heat()[1][0]) == 1.0


def test_far_from_machines_nothing_decays_and_the_direct_part_does():
    one = faults_of([BUS_A, INFEED], t_min_s=0.1).cases["max"]
    assert float(one.breaking_ka()[0]) == pytest.approx(float(one.ik_ka[0])) == pytest.approx(float(one.steady_ka()[0]))
    assert float(one.dc_ka()[0]) == pytest.approx(math.sqrt(2) * 10 * math.exp(-2 * math.pi * 50 * 0.1 * 0.1))


def test_peaks_by_the_three_methods_stand_in_order():
    """Method (a) takes the least ratio; (b) the ratio at the fault with 1.15, not above 2.0; alone with small ratios (b) needs no factor."""
    peaks = {p: float(faults_of([BUS_A, BUS_B, INFEED, CABLE], peak=p).cases["max"].ip_ka[1]) for p in "abc"}
    one = faults_of([BUS_A, BUS_B, INFEED, CABLE]).cases["max"]
    z, ik = complex(one.z1_ohm[1]), float(one.ik_ka[1])
    kappa = 1.02 + 0.98 * math.exp(-3 * z.real / z.imag)
    assert peaks["b"] == pytest.approx(min(1.15 * kappa, 2.0) * math.sqrt(2) * ik)
    assert peaks["a"] == pytest.approx((1.02 + 0.98 * math.exp(-0.3)) * math.sqrt(2) * ik)  # that of the infeed
    assert peaks["c"] < peaks["b"] < peaks["a"]
    small = [float(faults_of([BUS_A, INFEED], peak=p).cases["max"].ip_ka[0]) for p in "abc"]
    assert small == pytest.approx([small[0]] * 3)


def test_first_cycle_interrupting_and_thirty_cycles_by_hand():
    """500 kW at four poles: 1.2 and 3.0 times its reactance, then left out; the generator x″d, x″d and x′d; no voltage and no correction factors."""
    one = faults_of([BUS_A, INFEED, GENERATOR, MOTOR], school="ieee").cases["max"]
    x_q = 11 / math.sqrt(3) / 10 / math.sqrt(1.01)
    s = 0.5 / 0.95 / 0.88
    x_m = 121 / s / 6
    for at, x_g, times in ((one, 0.14, 1.2), (one.interrupting, 0.14, 3.0), (one.thirty, 0.22, math.inf)):
        y = 1 / complex(0.1 * x_q, x_q) + 1 / complex(0.05, x_g * 12.1) + (0 if math.isinf(times) else 1 / (complex(0.1, 1) * x_m * times))
        assert float(at.of("3ph").ik_ka[0]) == pytest.approx(11 / math.sqrt(3) * abs(y), rel=1e-9)
    x = 1 / (1 / x_q + 1 / (0.14 * 12.1) + 1 / (1.2 * x_m))
    r = 1 / (1 / (0.1 * x_q) + 1 / 0.05 + 1 / (0.12 * x_m))
    assert float(one.x_over_r()[0]) == pytest.approx(x / r, rel=1e-6)
    assert float(one.ip_ka[0]) == pytest.approx(math.sqrt(2) * (1 + math.exp(-math.pi * r / x)) * float(one.ik_ka[0]), rel=1e-6)
    near = 11 / math.sqrt(3) / abs(complex(0.05, 0.14 * 12.1))
    assert float(one.nacd[0]) == pytest.approx(1 - near / float(one.interrupting.ik_ka[0]), rel=1e-6)


@pytest.mark.parametrize(("hp", "pole_pairs", "first", "later"), [
    (1500, 2, 1.0, 1.5), (1500, 1, 1.0, 1.5), (300, 1, 1.0, 1.5), (300, 2, 1.2, 3.0), (50, 2, 1.2, 3.0), (49, 2, 1.67, math.inf), (200, 1, 1.2, 3.0),
])  # fmt: skip
def test_multipliers_by_size_class(hp, pole_pairs, first, later):
    kw = hp * ie.HP_KW * (1 + 1e-9)
    assert (ie.induction_multiplier(kw, pole_pairs, "first-cycle"), ie.induction_multiplier(kw, pole_pairs, "interrupting")) == (first, later)
    assert math.isinf(ie.induction_multiplier(kw, pole_pairs, "30-cycle"))


def test_factors_of_asymmetry_as_they_are_told():
    assert [round(float(ie.rms_factor(x)), 3) for x in (25, 17)] == [1.599, 1.543]
    assert float(ie.crest_factor(25)) / math.sqrt(2) == pytest.approx(1 + math.exp(-math.pi / 25))
    assert [round(float(ie.crest_multiplier(x, 6.59)), 3) for x in (10, 15, 20, 5)] == [1.068, 1.117, 1.144, 1.0]
    assert float(ie.remote_multiplier(5, 3.0)) == 1.0
    assert float(ie.remote_multiplier(40, 3.0)) == pytest.approx(math.sqrt(1 + 2 * math.exp(-4 * math.pi * 3 / 40)) / 1.1)


def test_a_full_converter_adds_in_each_sequence_what_it_is_told_to():
    """At its own bus, behind an infeed: three-phase by I1, line to line by both; the zero sequence has none of it."""
    solar = {"kind": "inverter", "name": "S", "bus": "A", "p_mw": 1.0, "s_rated_mva": 1.2, "ik_over_ir": 1.1, "i2_over_ir": 0.5}
    feed = {**INFEED, "neutral": "solid", "x0_over_x1": 1.0, "r0_over_x0": 0.1}
    bare, one = (faults_of([BUS_A, feed, *more]).cases["max"] for more in ([], [solar]))
    ir = 1.2 / math.sqrt(3) / 11
    assert float(one.ik_ka[0] - bare.ik_ka[0]) == pytest.approx(1.1 * ir)
    assert float(one.of("ll").ik_ka[0] - bare.of("ll").ik_ka[0]) == pytest.approx(math.sqrt(3) / 2 * (1.1 + 0.5) * ir, rel=1e-6)
    assert float(one.of("lg").ik_ka[0] - bare.of("lg").ik_ka[0]) == pytest.approx((1.1 + 0.5) * ir, rel=1e-6)
    study = faults_of([BUS_A, feed, solar])
    for fault in FAULTS:
        flows = study.flows([0], "max", fault)
        total = np.sum([i for _, _, i in study.contributions_of(flows, 0)], axis=0)
        assert np.allclose(total, flows.ik_ka[0][: len(total)], rtol=1e-9)
        if fault != "3ph":
            assert abs(flows.of("S")[0, 0, 2]) == 0


def test_a_regenerative_drive_takes_part_in_three_phase_faults_alone():
    drive = {**MOTOR, "starter": "regenerative drive"}
    with_it, bare = (faults_of([BUS_A, INFEED, *more]).cases["max"] for more in ([drive], []))
    assert float(with_it.ik_ka[0]) > float(bare.ik_ka[0]) + 0.01
    assert float(with_it.of("ll").ik_ka[0]) == pytest.approx(float(bare.of("ll").ik_ka[0]))
    assert float(with_it.breaking_ka()[0]) == pytest.approx(float(bare.ik_ka[0]), rel=2e-3)


def test_a_fault_through_an_impedance_and_the_one_that_gives_a_wanted_current():
    study = faults_of([BUS_A, BUS_B, INFEED, CABLE])
    ohm = resistance_for(study, 1, 2.5)
    through = faults_of([BUS_A, BUS_B, INFEED, CABLE], fault_r_ohm=ohm).cases["max"]
    assert float(through.ik_ka[1]) == pytest.approx(2.5, rel=1e-9)
    z = complex(study.cases["max"].z1_ohm[1])
    assert float(through.ik_ka[1]) == pytest.approx(1.1 * 11 / math.sqrt(3) / abs(z + ohm))
    with pytest.raises(InputRefused, match="at most the bolted"):
        resistance_for(study, 1, 50.0)


def test_places_along_a_conductor_are_those_of_one_that_is_cut_there():
    """A fault at four tenths of a line is that at a bus between two pieces of it, for every fault."""
    whole = model("Dyn11", "isolated", "resistor")
    raw = {e.name: e for e in whole.elements.values()}
    line = raw["W2"].model_dump(exclude={"id", "assumed", "origins", "catalogue", "documents"})
    pieces = [{**line, "name": "W2a", "to_bus": "X", "length_m": 600.0}, {**line, "name": "W2b", "from_bus": "X", "length_m": 900.0}]
    kept = [e.model_dump(exclude={"id", "assumed", "origins", "catalogue", "documents"}, exclude_none=True) for n, e in raw.items() if n != "W2"]
    cut = network_of([*kept, {"kind": "bus", "name": "X", "v_nominal_kv": 11.0}, *pieces])
    one = StateResults(cut, "Normal").result(SHORT_CIRCUIT)
    made = SHORT_CIRCUIT.on_request[0].run(compile_network(whole, "Normal", "short_circuit"), "W2", None)
    at = one.net.topology.bus_index[cut.id_of_name["X"]]
    for fault in FAULTS:
        for case in ("max", "min"):
            assert made.ik_ka[fault, case][4] == pytest.approx(float(one.cases[case].of(fault).ik_ka[at]), rel=1e-6)
    with pytest.raises(CannotRun):
        SHORT_CIRCUIT.on_request[0].run(compile_network(whole, "Normal", "short_circuit"), "T", None)


def test_a_least_fault_level_above_the_highest_is_refused_with_both():
    with pytest.raises(NetworkRefused, match="ik_min_ka is 12, accepted is at most fault level, maximum, 10 kA"):
        network_of([BUS_A, {**INFEED, "ik_min_ka": 12.0}])


@pytest.mark.parametrize("school", ["iec", "ieee"])
def test_every_figure_opens_a_working_that_ends_at_it(school):
    network = with_settings(model("Dyn11", "isolated", "resistor"), school=school, fault="all")
    study = StateResults(network, "Normal").result(SHORT_CIRCUIT)
    seen = 0
    for row in study.faults_table().records():
        bus = study.net.network.id_of_name[row["bus"]]
        for quantity in SHORT_CIRCUIT.quantities:
            if row[quantity] is None:
                continue
            made = SHORT_CIRCUIT.explain(study, Asked(bus, quantity, row["case"], fault=row["fault"]))
            assert made.result == pytest.approx(row[quantity], rel=1e-9), (row["fault"], quantity)
            seen += 1
    assert seen > 100


@pytest.mark.parametrize("earthed", [True, False])
def test_open_conductors_by_hand(earthed):
    """A load in star without neutral: with one conductor open the two others carry the same, driven by the voltage between them; with two, nothing."""
    level = 4.0
    zero = {"r0_ohm_per_km": 0.9, "x0_ohm_per_km": 1.2, "c0_uf_per_km": 0.0, "r_ohm_per_km": 0.3, "x_ohm_per_km": 0.4, "t_end_degc": 80.0}
    feed = {**INFEED, "ik_max_ka": level, "ik_min_ka": level, "neutral": "solid" if earthed else "isolated", "x0_over_x1": 1.0, "r0_over_x0": 0.1}
    line = {"kind": "line", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 3000.0, **zero}
    load = {"kind": "load", "name": "E", "bus": "B", "p_mw": 2.0, "q_mvar": 1.0, "characteristic": "impedance"}
    net = compile_network(network_of([BUS_A, BUS_B, feed, line, load]), "Normal", "short_circuit")
    made = SHORT_CIRCUIT.on_request[1].run(net, "W", None)
    x_q = 1.1 * 11 / math.sqrt(3) / level / math.sqrt(1.01)
    z_q, z_l = complex(0.1 * x_q, x_q), complex(0.9, 1.2)
    z_e = 121 / complex(2.0, -1.0)
    before = 11 / math.sqrt(3) / abs(z_l + z_e)  # the infeed holds its bus
    assert made.i_before_a == pytest.approx(1000 * before, rel=1e-6)
    e = 11 / math.sqrt(3) + z_q * 11 / math.sqrt(3) / (z_l + z_e)
    a, b, c = np.abs(made.i_a[1] @ np.array([[1, np.exp(-2j * math.pi / 3), np.exp(2j * math.pi / 3)], [1, np.exp(2j * math.pi / 3), np.exp(-2j * math.pi / 3)],
                                             [1, 1, 1]]))  # fmt: skip
    assert a == pytest.approx(0, abs=1e-6)
    assert b == pytest.approx(c) == pytest.approx(1000 * math.sqrt(3) * abs(e) / 2 / abs(z_q + z_l + z_e), rel=1e-5)
    assert abs(made.i_a[2]).max() == 0  # no way back
    v = made.v_pu[1][net.topology.bus_index["B"]]
    assert abs(v[0]) > abs(v[1]) > 0.1


def test_an_earth_fault_by_hand_with_the_infeeds_own_zero_sequence_and_a_series_branch():
    """Ik1 = √3·c·Un/|2·Z1 + Z0|; what goes in at one end of a branch comes out at the other, in every sequence."""
    feed = {**INFEED, "neutral": "solid", "x0_over_x1": 1.5, "r0_over_x0": 0.3}
    branch = {
        "kind": "equivalent_branch",
        "name": "N",
        "from_bus": "A",
        "to_bus": "B",
        "r_pu": 0.02,
        "x_pu": 0.1,
        "r0_pu": 0.05,
        "x0_pu": 0.25,
        "s_base_mva": 100.0,
    }
    study = faults_of([BUS_A, BUS_B, feed, branch], fault="lg")
    one, base = study.cases["max"], 121 / 100
    x_q = 1.1 * 11 / math.sqrt(3) / 10 / math.sqrt(1.01)
    z1 = complex(0.1, 1) * x_q + complex(0.02, 0.1) * base
    z0 = complex(0.3, 1) * 1.5 * x_q + complex(0.05, 0.25) * base
    assert float(one.of("lg").ik_ka[1]) == pytest.approx(math.sqrt(3) * 1.1 * 11 / abs(2 * z1 + z0), rel=1e-9)
    through = one.flows([1], "lg").of("N")[:, 0]
    assert through[0] == pytest.approx(-through[1])
    assert abs(through[0, 2]) == pytest.approx(float(one.of("lg").ik_ka[1]) / 3)


def test_a_salient_pole_machine_without_damper_is_taken_at_three_quarters_of_its_transient_reactance():
    one = faults_of([BUS_A, {**GENERATOR, "rotor": "salient pole, no damper"}], school="ieee").cases["max"]
    assert float(one.ik_ka[0]) == pytest.approx(11 / math.sqrt(3) / abs(complex(0.05, 0.75 * 0.22 * 12.1)), rel=1e-9)


def test_along_a_conductor_that_nothing_earths_one_line_carries_nothing_and_two_lines_do():
    bare = {**CABLE, "r0_ohm_per_km": 1.0, "x0_ohm_per_km": 0.3, "c0_uf_per_km": 0.0}
    network = network_of([BUS_A, BUS_B, {**INFEED, "neutral": "isolated"}, bare])
    made = SHORT_CIRCUIT.on_request[0].run(compile_network(network, "Normal", "short_circuit"), "W", None)
    whole = StateResults(network, "Normal").result(SHORT_CIRCUIT).cases["max"]
    assert not np.any(made.ik_ka["lg", "max"])
    assert made.ik_ka["llg", "max"][-1] == pytest.approx(float(whole.of("ll").ik_ka[1]), rel=1e-6)
