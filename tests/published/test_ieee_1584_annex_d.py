"""IEEE 1584-2018, annex D: the medium-voltage and the low-voltage worked example."""

import pytest

from northfell.core.studies.arc_flash import equations as eq

MV = eq.Enclosure("VCB", 104, 1143, 762, 508)
LV = eq.Enclosure("VCB", 32, 610, 610, 254)


def test_medium_voltage_box_and_currents():
    height, width, shallow = eq.equivalent_box_in(MV, 4.16)
    assert (height, width, shallow) == (pytest.approx(45.00, abs=0.005), pytest.approx(27.63, abs=0.005), False)
    assert eq.correction_of(MV, 4.16) == pytest.approx(1.284, abs=0.0005)
    levels = [eq.intermediate_current_ka("VCB", v, 15, 104) for v in eq.LEVELS_V]
    assert levels == [pytest.approx(11.117, abs=0.0005), pytest.approx(12.816, abs=0.0005), pytest.approx(14.116, abs=0.0005)]
    assert eq.arcing_current_ka(4.16, 15, MV) == pytest.approx(12.979, abs=0.0006)


def test_medium_voltage_energy_and_boundary():
    assert eq.incident_energy_j_cm2(4.16, 15, MV, 914.4, 197) == pytest.approx(12.152, abs=0.0005)
    assert eq.boundary_mm(4.16, 15, MV, 197) == pytest.approx(1606, abs=0.5)
    cf = eq.correction_of(MV, 4.16)
    for level, printed in ((600, 8.652), (2700, 11.977)):
        i = eq.intermediate_current_ka("VCB", level, 15, 104)
        assert eq.level_energy_j_cm2("VCB", level, 15, 104, 914.4, 197, i, i, cf) == pytest.approx(printed, abs=0.0006)


def test_medium_voltage_reduced_current():
    factor = 1 - 0.5 * eq.variation_factor("VCB", 4.16)
    assert factor * eq.arcing_current_ka(4.16, 15, MV) == pytest.approx(12.675, abs=0.0005)
    assert eq.incident_energy_j_cm2(4.16, 15, MV, 914.4, 223, factor) == pytest.approx(13.343, abs=0.0005)


def test_low_voltage_full_and_reduced_current():
    assert eq.arcing_current_ka(0.48, 45, LV) == pytest.approx(28.793, abs=0.0005)
    assert eq.incident_energy_j_cm2(0.48, 45, LV, 609.6, 61.3) == pytest.approx(11.585, abs=0.0005)
    assert eq.boundary_mm(0.48, 45, LV, 61.3) == pytest.approx(1029, abs=0.5)
    factor = 1 - 0.5 * eq.variation_factor("VCB", 0.48)
    assert factor * eq.arcing_current_ka(0.48, 45, LV) == pytest.approx(25.244, abs=0.0005)
    assert eq.incident_energy_j_cm2(0.48, 45, LV, 609.6, 319, factor) == pytest.approx(53.156, abs=0.0005)
    assert eq.boundary_mm(0.48, 45, LV, 319, factor) == pytest.approx(2669, abs=0.5)


@pytest.mark.parametrize("configuration", ["VCB", "VCBB", "HCB"])
def test_correction_is_one_at_twenty_inches(configuration):
    assert eq.enclosure_correction(configuration, 20, shallow=False) == pytest.approx(1, abs=0.0015)
    assert eq.enclosure_correction(configuration, 20, shallow=True) == pytest.approx(1, abs=0.0015)


@pytest.mark.parametrize("configuration", ["VCB", "VCBB", "HCB", "VOA", "HOA"])
def test_energy_at_the_boundary_is_the_burn_criterion(configuration):
    box = eq.Enclosure(configuration, 32, 508, 508, 508)
    at = eq.boundary_mm(0.48, 30, box, 200)
    assert eq.incident_energy_j_cm2(0.48, 30, box, at, 200) == pytest.approx(eq.BURN_J_CM2, rel=1e-9)


def test_arcing_current_is_continuous_at_600_v():
    box = eq.Enclosure("HCB", 32, 508, 508, 508)
    assert eq.arcing_current_ka(0.6, 30, box) == pytest.approx(eq.arcing_current_ka(0.6 + 1e-9, 30, box), rel=1e-6)


def test_out_of_range_is_told_and_not_clamped():
    tiny = eq.Enclosure("VCB", 5, 300, 15, 300)
    told = eq.out_of_range(0.4, 200, tiny, 200)
    assert len(told) == 4
    assert any("200 kA is outside 0.5 to 106 kA" in t for t in told)
    assert eq.out_of_range(0.4, 30, eq.Enclosure("VCB", 32, 508, 508, 508), 609.6) == []
