"""Direct-current arcs by hand, by both methods; the worse counts, and what is not known is told."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import BUS_A, INFEED, network_of

from northfell.core.network import compile_network
from northfell.core.studies.arc_flash import direct
from northfell.core.studies.arc_flash.settings import ArcFlashSettings

BATTERY = {
    "kind": "rectifier", "name": "Charger", "bus": "A", "p_mw": 0.02, "q_mvar": 0.0, "dc_board": "open air", "v_dc_v": 250.0, "ik_dc_ka": 10.0,
    "dc_gap_mm": 25.0, "dc_distance_mm": 457.0, "t_dc_s": 0.2,
}  # fmt: skip


def place(**more):
    network = network_of([BUS_A, INFEED, {**BATTERY, **more}])
    return direct.study_direct(compile_network(network, "Normal", "arc_flash")).places[0]


def test_the_most_power_by_hand():
    """A quarter of U·Ik for a fifth of a second over a sphere, rounded up by the method from 0.00475 to 0.005 of U·Ik."""
    one = place()
    exact = 250.0 * 10000.0 / 4 * 0.2 / (4 * math.pi * 45.7**2) / 4.184
    assert one.power_cal == pytest.approx(exact * 0.005 / 0.0047549, rel=1e-3)
    assert one.power_cal == pytest.approx(0.01 * 250 * 5000 * 0.2 / 45.7**2)
    assert place(dc_board="panelboard").power_cal == pytest.approx(3 * one.power_cal)


def test_the_arcs_resistance_by_hand():
    """Iterated from half of the bolted current, as it is done by hand."""
    one, i = place(), 5000.0
    for _ in range(200):
        i = 250.0 / (250.0 / 10000.0 + (20 + 0.534 * 25) / i**0.88)
    assert one.i_stokes_a == pytest.approx(i, rel=1e-9)
    joules = i**2 * (20 + 0.534 * 25) / i**0.88 * 0.2
    assert one.stokes_cal == pytest.approx(joules / (4 * math.pi * 45.7**2) / 4.184)
    boxed = place(dc_board="low-voltage switchgear")
    assert boxed.stokes_cal == pytest.approx(0.312 * joules / (400.0**2 + 457.0**2) * 100 / 4.184)


@given(st.floats(24, 1500), st.floats(0.5, 100), st.floats(3, 150), st.floats(200, 2000), st.floats(0.01, 2), st.sampled_from(["open air", *direct.REFLECTION]))
def test_the_source_gives_what_the_arc_takes_never_more_than_it_can_and_the_worse_counts(v, ik, gap, distance, t, board):
    one = place(v_dc_v=v, ik_dc_ka=ik, dc_gap_mm=gap, dc_distance_mm=distance, t_dc_s=t, dc_board=board)
    assert one.energy_cal_cm2 >= one.power_cal
    if one.i_stokes_a is None:
        assert any("no arc holds" in told for told in one.told)
        return
    i = one.i_stokes_a
    arc_v = i * direct.arc_resistance_ohm(i, gap)
    assert v - i * v / (1000 * ik) == pytest.approx(arc_v, rel=1e-6)
    assert i * arc_v <= v * 1000 * ik / 4 * (1 + 1e-9)  # the most that a source can give
    assert i >= direct.least_a(gap)
    assert one.energy_cal_cm2 == max(one.power_cal, one.stokes_cal)
    if 100 < one.boundary_mm < 5000:
        there = place(v_dc_v=v, ik_dc_ka=ik, dc_gap_mm=gap, dc_distance_mm=one.boundary_mm, t_dc_s=t, dc_board=board)
        assert there.energy_cal_cm2 == pytest.approx(1.2)


def test_without_a_device_the_longest_exposure_holds_and_without_that_there_is_no_bound():
    one = place(t_dc_s=None)
    assert one.t_s == 2.0
    assert any("no device is counted on: exposure taken as 2 s" in told for told in one.told)
    endless = direct.place_of(one.element, ArcFlashSettings(two_second_rule=False))
    assert endless.energy_cal_cm2 == endless.boundary_mm == math.inf
    assert place(t_dc_s=9.0).t_s == 2.0


def test_what_is_lacking_is_told_and_what_is_out_of_service_is_no_place():
    one = place(v_dc_v=None, dc_gap_mm=None)
    assert one.lacks == ("direct voltage", "conductor gap, DC")
    assert place(v_dc_v=1200.0).told[1].startswith("1200 V is above")
    network = network_of([BUS_A, INFEED, {**BATTERY, "in_service": False}, {**BATTERY, "name": "None", "dc_board": "none"}])
    made = direct.study_direct(compile_network(network, "Normal", "arc_flash"))
    assert made.places == ()


def test_findings_and_working_end_at_the_figure_of_the_table():
    network = network_of([BUS_A, INFEED, {**BATTERY, "t_dc_s": 2.0, "ik_dc_ka": 40.0, "dc_board": "panelboard"}, {**BATTERY, "name": "Lacks", "v_dc_v": None}])
    made = direct.study_direct(compile_network(network, "Normal", "arc_flash"))
    found = list(direct.findings_of(made, network.settings.limits))
    assert [(f.element, f.severity) for f in found] == [("Charger", "breach"), ("Lacks", "missing")]
    rows = list(made.table().records())
    worked = direct.explain_direct("Normal", made.places[0])
    assert worked.result == rows[0]["energy_cal_cm2"] == found[0].value
    assert [s.value for s in worked.steps if s.symbol in ("E1", "E2")] == [rows[0]["power_cal_cm2"], rows[0]["stokes_cal_cm2"]]
    assert (rows[1]["energy_cal_cm2"], rows[1]["governs"]) == (None, None)
