"""Short circuit: by hand, and what must hold for any network."""

import math

import numpy as np
import pytest
from hypothesis import given
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, network_of
from tests.core.random_networks import networks

from northfell.app.results.studies import StateResults
from northfell.core.errors import NotFound
from northfell.core.model.elements import Bus
from northfell.core.studies import Asked
from northfell.core.studies.short_circuit import SHORT_CIRCUIT, explain_fault
from northfell.core.studies.short_circuit import equations as eq


def faults_of(network, state="Normal"):
    return StateResults(network, state).result(SHORT_CIRCUIT)


def test_infeed_and_cable_by_hand():
    """Maximum with the cold cable, minimum with the hot one and the lower fault level."""
    study = faults_of(network_of([BUS_A, BUS_B, INFEED, CABLE]))
    for case, c, ik_q, r in (("max", 1.1, 10.0, 0.32), ("min", 1.0, 8.0, 0.32 * (1 + 0.004 * 230))):
        z_q = c * 11 / (math.sqrt(3) * ik_q)
        x_q = z_q / math.sqrt(1.01)
        z = complex(0.1 * x_q + r, x_q + 0.1)
        one = study.cases[case]
        assert complex(one.z1_ohm[1]) == pytest.approx(z)
        row = next(r for r in study.faults_table().records() if (r["bus"], r["case"]) == ("B", case))
        assert (row["angle_deg"], row["x_over_r"]) == (pytest.approx(-math.degrees(math.atan2(z.imag, z.real))), pytest.approx(z.imag / z.real))
        assert one.ik_ka[1] == pytest.approx(c * 11 / (math.sqrt(3) * abs(z)))
        assert one.ik_ka[0] == pytest.approx(ik_q)
        r_over_x = z.real / z.imag  # method (c): one path, so R/X is that of the path
        assert one.ip_ka[1] == pytest.approx((1.02 + 0.98 * math.exp(-3 * r_over_x)) * math.sqrt(2) * one.ik_ka[1], rel=1e-9)


def test_the_peak_of_two_unequal_paths_goes_by_the_impedance_at_twenty_hertz():
    """Method (c): R/X of the whole at 20 Hz, with every reactance at 0.4 of itself; with unequal paths that is not R/X at 50 Hz."""
    paths = (complex(0.6, 0.05), complex(0.1, 0.4))
    cables = [{**CABLE, "name": f"W{n}", "r_ohm_per_km": z.real, "x_ohm_per_km": z.imag} for n, z in enumerate(paths)]
    one = faults_of(network_of([BUS_A, BUS_B, INFEED, *cables])).cases["max"]
    x_q = 1.1 * 11 / (math.sqrt(3) * 10) / math.sqrt(1.01)

    def whole(f_over_f):
        a, b = (complex(z.real, f_over_f * z.imag) for z in paths)
        return complex(0.1 * x_q, f_over_f * x_q) + a * b / (a + b)

    at_20_hz, ik = whole(0.4), 1.1 * 11 / (math.sqrt(3) * abs(whole(1.0)))
    kappa = 1.02 + 0.98 * math.exp(-3 * 0.4 * at_20_hz.real / at_20_hz.imag)
    assert one.ik_ka[1] == pytest.approx(ik)
    assert one.ip_ka[1] == pytest.approx(kappa * math.sqrt(2) * ik, rel=1e-9)
    assert abs(at_20_hz.real / at_20_hz.imag * 0.4 / (whole(1.0).real / whole(1.0).imag) - 1) > 0.05  # the figures can tell


def test_the_factor_of_a_transformer_goes_by_the_voltage_of_its_low_side():
    """KT = 0.95·cmax/(1 + 0.6·xT) with cmax of the low side: 1.05 at 0.4 kV with 6 % tolerance, 1.1 at 11 kV."""
    transformer = {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "L", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 6.0,
                   "ur_pct": 0.0, "vector_group": "Dyn11"}  # fmt: skip
    network = network_of([BUS_A, {"kind": "bus", "name": "L", "v_nominal_kv": 0.4}, {**INFEED, "r_over_x": 0.0}, transformer])
    short_circuit = network.settings.of_study("short_circuit").model_copy(update={"lv_tolerance_pct": 6})
    network = network.model_copy(update={"settings": network.settings.model_copy(update={"short_circuit": short_circuit})})
    one = faults_of(network).cases["max"]
    x_t, x_q = 0.06 * 0.4**2, 1.1 * 11 / (math.sqrt(3) * 10) * (0.4 / 11) ** 2
    k_t = 0.95 * 1.05 / (1 + 0.6 * 0.06)
    at = [network.elements[b].name for b in faults_of(network).net.topology.bus_ids].index("L")
    assert one.ik_ka[at] == pytest.approx(1.05 * 0.4 / (math.sqrt(3) * (x_q + k_t * x_t)), rel=1e-9)


@pytest.mark.parametrize(("ur_kv", "sr_mva", "part"), [(11.0, 99.9, 0.07), (11.0, 100.0, 0.05), (1.0, 100.0, 0.15), (1.01, 2.0, 0.07)])
def test_fictitious_resistance_of_machines(ur_kv, sr_mva, part):
    """IEC 60909-0:2016: 0.05·X″d from 100 MVA, 0.07 below, 0.15 up to 1 kV."""
    assert float(eq.generator_fictitious_resistance(2.0, ur_kv, sr_mva)) == pytest.approx(2 * part)


def test_the_working_says_the_equation_that_is_computed():
    """The text of κ, evaluated, is the figure beside it."""
    study = faults_of(network_of([BUS_A, BUS_B, INFEED, CABLE]))
    step = next(s for s in explain_fault(study, 1, "max", "ip_ka").steps if s.symbol == "κ")
    text = step.substituted.replace("e^", "math.e**").replace("·", "*").replace("−", "-").replace(",", ".")
    assert eval(text, {"math": math}) == pytest.approx(step.value, rel=1e-3)
    assert step.equation.split("·e")[0] == step.substituted.split("·e")[0]


@given(networks(shift=True))
def test_contributions_sum_to_the_fault_current(network):
    study = faults_of(network)
    for case in ("max", "min"):
        for bus in study.fed_buses():
            total = sum(i[0] for _, _, i in study.contributions(bus, case))
            assert abs(total) == pytest.approx(float(study.cases[case].ik_ka[bus]), rel=1e-7)


@given(networks(shift=False))
def test_impedance_matrix_is_symmetric_without_phase_shift(network):
    """Reciprocity: a fault at i lowers the voltage at j as one at j does at i."""
    study = faults_of(network)
    positive = study.cases["max"].positive
    z = positive.columns(np.arange(positive.n))
    assert np.allclose(z, z.T, rtol=1e-9, atol=1e-12)


@given(networks(shift=True))
def test_minimum_is_below_maximum_and_peak_between_its_bounds(network):
    study = faults_of(network)
    high, low = study.cases["max"], study.cases["min"]
    for bus in study.fed_buses():
        assert low.ik_ka[bus] < high.ik_ka[bus]
        assert 1.02 * math.sqrt(2) * high.ik_ka[bus] <= high.ip_ka[bus] <= 2 * math.sqrt(2) * high.ik_ka[bus]


@given(networks(shift=True))
def test_working_ends_at_the_figure_of_the_table(network):
    study = faults_of(network)
    rows = {(r["bus"], r["case"]): r for r in study.faults_table().records()}
    for bus in study.fed_buses()[:3]:
        name = study.net.name(study.net.topology.bus_ids[bus])
        for case in ("max", "min"):
            for quantity in ("ik_ka", "ip_ka"):
                made = explain_fault(study, bus, case, quantity)
                assert made.result == pytest.approx(rows[name, case][quantity], rel=1e-12)
                assert str(rows[name, case]["c"])[:3] in made.to_text()


def test_flow_through_breakers_depends_on_the_side_faulted():
    """Two buses of one node: the breaker between them carries the share from the far side only."""
    motor = {
        "kind": "induction_motor", "name": "M", "bus": "B", "p_rated_kw": 900.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.87,
        "ilr_over_ir": 5.0, "r_over_x": 0.15,
    }  # fmt: skip
    study = faults_of(network_of([BUS_A, BUS_B, INFEED, {"kind": "breaker", "name": "Q", "from_bus": "A", "to_bus": "B"}, motor]))
    flows = study.flows([0, 1], "max")
    assert study.cases["max"].ik_ka[0] == study.cases["max"].ik_ka[1]
    assert abs(flows.of("Q")[0, 0, 0]) == pytest.approx(abs(flows.of("M")[0, 0, 0]))
    assert abs(flows.of("Q")[0, 1, 0]) == pytest.approx(10.0)  # the infeed's


def test_factors_by_hand():
    assert eq.transformer_correction(1.05, 0.06) == pytest.approx(0.95 * 1.05 / 1.036)
    assert eq.generator_correction(10, 10.5, 1.1, 0.1, 0.6) == pytest.approx(10 / 10.5 * 1.1 / 1.06)
    assert [float(eq.generator_fictitious_resistance(1, *kv_mva)) for kv_mva in ((21, 150), (10.5, 10), (0.4, 1))] == [0.05, 0.07, 0.15]
    assert [float(eq.voltage_factor(kv, "max", 6)) for kv in (0.4, 1.0, 11)] == [1.05, 1.05, 1.10]
    assert [float(eq.voltage_factor(kv, "min", t)) for kv, t in ((0.4, 6), (0.4, 10), (11, 10))] == [0.95, 0.90, 1.00]


def test_buses_that_are_not_fed_have_no_row():
    network = network_of([BUS_A, BUS_B, INFEED])
    assert faults_of(network).faults_table().column("bus") == ["A", "A"]
    assert sum(isinstance(e, Bus) for e in network.elements.values()) == 2


def test_motors_by_hand_each_kind_of_them():
    """ZM = UrM²/SrM/(ILR/IrM): from shaft power, efficiency and power factor, several at once; of a load's share; of a regenerative drive."""
    motor = {"kind": "induction_motor", "name": "M", "bus": "A", "p_rated_kw": 500.0, "v_rated_kv": 10.5, "efficiency_pct": 94.0, "power_factor": 0.87,
             "ilr_over_ir": 6.0, "r_over_x": 0.1, "pole_pairs": 2, "count": 3}  # fmt: skip
    load = {
        "kind": "load",
        "name": "E",
        "bus": "A",
        "p_mw": 3.0,
        "q_mvar": 4.0,
        "motor_share_pct": 40.0,
        "load_factor": 0.5,
        "ilr_over_ir": 5.0,
        "r_over_x": 0.42,
    }
    s_motors, s_share = 3 * 0.5 / 0.94 / 0.87, 5.0 * 0.5 * 0.4
    for element, z in (
        (motor, 10.5**2 / s_motors / 6.0), ({**motor, "starter": "regenerative drive"}, 10.5**2 / s_motors / 3.0), (load, 11.0**2 / s_share / 5.0),
    ):  # fmt: skip
        one = faults_of(network_of([BUS_A, INFEED, element])).cases["max"]
        z_base = 1.21
        assert abs(complex(one.given.sources.z[1])) * z_base == pytest.approx(z, rel=1e-9)
    ratio = complex(faults_of(network_of([BUS_A, INFEED, motor])).cases["max"].given.sources.z[1])
    assert ratio.real / ratio.imag == pytest.approx(0.1)


def test_a_full_converter_adds_its_current_and_two_of_them_twice():
    """At its own bus a unit adds IskPF = (Ik/Ir)·Ir; the peak of what it adds is √2 times that."""
    solar = {"kind": "inverter", "name": "S", "bus": "A", "p_mw": 1.0, "s_rated_mva": 1.2, "ik_over_ir": 1.1}
    none = faults_of(network_of([BUS_A, INFEED])).cases["max"]
    for count in (1, 2):
        one = faults_of(network_of([BUS_A, INFEED, {**solar, "count": count}])).cases["max"]
        added = count * 1.1 * 1.2 / (math.sqrt(3) * 11)
        assert one.ik_ka[0] - none.ik_ka[0] == pytest.approx(added)
        assert one.ip_ka[0] - none.ip_ka[0] == pytest.approx(math.sqrt(2) * added)


def test_the_working_is_of_the_bus_case_and_quantity_that_were_asked_for():
    study = faults_of(network_of([BUS_A, BUS_B, INFEED, CABLE]))
    for element, bus in (("A", 0), ("B", 1)):
        for case in ("max", "min"):
            for quantity in ("ik_ka", "ip_ka"):
                made = SHORT_CIRCUIT.explain(study, Asked(element, quantity, case))
                assert made.result == pytest.approx(float(getattr(study.cases[case], quantity)[bus]), rel=1e-12)
    assert SHORT_CIRCUIT.explain(study, Asked("A", "ik_ka", faulted=1)).result == pytest.approx(float(study.cases["max"].ik_ka[1]))
    with pytest.raises(NotFound):
        SHORT_CIRCUIT.explain(study, Asked("W", "ik_ka"))
    minimum = SHORT_CIRCUIT.explain(study, Asked("A", "ik_ka", "min"))
    feeder = next(step for step in minimum.steps if step.symbol == "Z(G)")
    assert "8.000" in feeder.substituted  # the lower fault level in the minimum case


def test_the_working_lists_each_elements_own_impedance_in_ohm_at_its_bus():
    study = faults_of(network_of([BUS_A, BUS_B, INFEED, CABLE]))
    for case, r in (("max", 0.32), ("min", 0.32 * (1 + 0.004 * 230))):
        steps = {step.symbol: step for step in SHORT_CIRCUIT.explain(study, Asked("B", "ik_ka", case)).steps}
        assert steps["Z(W)"].value == pytest.approx(complex(r, 0.1))
        assert ("0.004" in steps["Z(W)"].substituted) is (case == "min")
        c, ik = (1.1, 10.0) if case == "max" else (1.0, 8.0)
        assert abs(steps["Z(G)"].value) == pytest.approx(c * 11 / (math.sqrt(3) * ik))
        titles = [step.title for step in SHORT_CIRCUIT.explain(study, Asked("B", "ip_ka", case)).steps]
        assert "Added by full converters" not in titles
        assert titles[-1] == "Peak short-circuit current"
    table = {(r["bus"], r["case"]): r for r in study.faults_table().records()}
    z = complex(study.cases["max"].z1_ohm[1])
    assert table["B", "max"]["x_over_r"] == pytest.approx(z.imag / z.real)


def test_a_synchronous_motor_by_hand():
    """SrM = PrM/(η·cosφ); X″d on it; KG by its rated power factor; one of several in parallel."""
    motor = {"kind": "synchronous_motor", "name": "M", "bus": "A", "p_rated_kw": 2000.0, "v_rated_kv": 11.0, "efficiency_pct": 96.0, "power_factor": 0.9,
             "xd2_pct": 18.0, "r_stator_ohm": 0.1, "count": 2}  # fmt: skip
    one = faults_of(network_of([BUS_A, INFEED, motor])).cases["max"]
    s = 2.0 / 0.96 / 0.9
    k = 1.1 / (1 + 0.18 * math.sqrt(1 - 0.9**2))
    assert complex(one.given.sources.z[1]) * 1.21 == pytest.approx(k * complex(0.1, 0.18 * 121 / s) / 2)
