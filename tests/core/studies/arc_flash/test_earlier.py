"""The earlier edition beside the one in force: figures by hand, earthing as found, the worst of all, and what is not known on the safe side."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import BOX, breaker, infeed, lv

from northfell.app.results.studies import StateResults
from northfell.core.network import compile_network
from northfell.core.studies.arc_flash import ARC_FLASH, EARLIER
from northfell.core.studies.arc_flash import earlier as eq
from northfell.core.studies.arc_flash.earlier import compare

EXPONENTS = st.sampled_from([0.973, 1.473, 1.641, 2.0])
PLANT = [lv("S"), infeed("G", "S"), breaker("Q", "S", "B", "0.2")]


def compared(*elements, **settings):
    return compare(StateResults(network_of(elements, **settings), "Normal").result(ARC_FLASH))


def test_a_low_voltage_board_by_hand():
    """480 V, 20 kA, 32 mm in a box, grounded, 0.2 s at 610 mm, each term of the equations written out."""
    lg = -0.097 + 0.662 * 1.30103 + 0.0966 * 0.48 + 0.000526 * 32 + 0.5588 * 0.48 * 1.30103 - 0.00304 * 32 * 1.30103
    i_arc = eq.arcing_current_ka(0.48, 20.0, 32.0, True)
    assert i_arc == pytest.approx(10**lg, rel=1e-5)
    n = eq.normalized_j_cm2(i_arc, 32.0, True, True)
    assert n == pytest.approx(10 ** (-0.555 - 0.113 + 1.081 * math.log10(i_arc) + 0.0352))
    assert eq.incident_energy_j_cm2(0.48, n, 610.0, 0.2, 1.473) == pytest.approx(4.184 * 1.5 * n)
    assert eq.incident_energy_j_cm2(0.48, n, 455.0, 0.1, 1.473) == pytest.approx(4.184 * 1.5 * n / 2 * (610 / 455) ** 1.473)
    assert eq.arcing_current_ka(11.0, 10.0, 152.0, True) == pytest.approx(10 ** (0.00402 + 0.983))
    assert eq.incident_energy_j_cm2(11.0, 1.0, 610.0, 0.2, 0.973) == pytest.approx(4.184)


@given(
    st.floats(0.208, 15), st.floats(0.7, 106), st.floats(13, 152), st.booleans(), st.booleans(), st.floats(0.01, 2), st.sampled_from([0.973, 1.473, 1.641, 2.0])
)
def test_at_the_boundary_the_energy_is_that_of_a_burn_and_grounding_lowers_it(voc, ibf, gap, box, grounded, t, x):
    n = eq.normalized_j_cm2(eq.arcing_current_ka(voc, ibf, gap, box), gap, box, grounded)
    at = eq.boundary_mm(voc, n, t, x)
    assert eq.incident_energy_j_cm2(voc, n, at, t, x) == pytest.approx(1.2 * 4.184)
    assert eq.normalized_j_cm2(10.0, gap, box, True) < eq.normalized_j_cm2(10.0, gap, box, False)
    assert eq.normalized_j_cm2(10.0, gap, True, grounded) > eq.normalized_j_cm2(10.0, gap, False, grounded)


def test_a_board_with_what_clears_it_and_the_worst_of_all():
    (one,) = compared(*PLANT, lv("B", **BOX, equipment_class="LV switchgear")).places
    assert (one.exponent, one.earthing) == (1.473, "not known: taken as ungrounded")
    assert one.opens_at_s == 0.2
    energies = []
    for ibf in (30.0, 24.0):
        for part in (1.0, 0.85):
            i_arc = part * eq.arcing_current_ka(0.4, ibf, 32.0, True)
            energies.append(eq.incident_energy_j_cm2(0.4, eq.normalized_j_cm2(i_arc, 32.0, True, False), 609.6, 0.2, 1.473))
    assert one.energy_j_cm2 == pytest.approx(max(energies), rel=1e-3)
    assert one.i_arc_ka == pytest.approx(eq.arcing_current_ka(0.4, 30.0, 32.0, True), rel=1e-3)


def test_a_reduced_current_that_falls_off_the_fast_stage_governs():
    """At 85 % the short-time stage does not pick up: the long-time one clears, far later."""
    i_arc_a = 1000 * eq.arcing_current_ka(0.4, 24.0, 32.0, True)
    slow = breaker("Q", "S", "B", "0.2", trip_isd_a=0.9 * i_arc_a)
    (one,) = compared(lv("S"), infeed("G", "S"), slow, lv("B", **BOX, equipment_class="LV switchgear")).places
    assert one.part == 0.85
    assert one.opens_at_s > 1


def test_without_a_class_the_worse_exponent_counts_and_what_is_beyond_is_told():
    near, far = ({**BOX, "working_distance_mm": d} for d in (300.0, 900.0))
    for box, worse in ((near, eq.PANEL), (far, eq.SWITCHGEAR)):
        (one,) = compared(*PLANT, lv("B", **box)).places
        assert one.exponent == worse
        assert "no equipment class" in one.told[0]
    (panel,) = compared(*PLANT, lv("B", **BOX, equipment_class="Deep LV MCC / panelboard")).places
    assert panel.exponent == eq.PANEL
    (open_air,) = compared(*PLANT, lv("B", **{**BOX, "electrode_configuration": "VOA"})).places
    assert open_air.exponent == eq.OPEN_AIR
    (wide,) = compared(*PLANT, lv("B", **{**BOX, "gap_mm": 160.0})).places
    assert "gap 160 mm is outside 13 to 152 mm" in wide.told


def test_a_grounded_system_is_found_by_its_earth_fault_in_the_state():
    from northfell.demo import skerrow_water

    network = skerrow_water()
    made = EARLIER.run(compile_network(network, "Normal", "arc_flash"), "", None)
    earthing = {(network.elements[one.location.bus_id].name, one.location.side): one.earthing for one in made.places}
    assert earthing["Filter hall", "load"] == "grounded"
    assert earthing["11 kV board A", "load"] == "ungrounded, or by an impedance"  # through a resistor
    (table,) = EARLIER.tables("Normal", made)
    assert len(table.rows) == len(made.places) == 11
    assert all(r["energy_2002_cal_cm2"] > 0 for r in table.records())
