"""Above the range of the model: Lee's equation, in both of its published forms, marked wherever its figures stand."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import BOX, arc

from northfell.app.results.labels import labels_of
from northfell.core.studies.arc_flash import explain_energy
from northfell.core.studies.arc_flash.by_voltage import AT_THE_BOUNDARY_J_CM2, boundary_mm, incident_energy_j_cm2, method_at
from northfell.core.studies.arc_flash.equations import CAL, Enclosure

BOX_OF = Enclosure("VCB", 152.0, 1143.0, 762.0, 762.0)


@given(v=st.floats(15.01, 245.0), i=st.floats(0.5, 60.0), d=st.floats(300.0, 3000.0), t=st.floats(0.01, 2.0))
def test_it_agrees_with_its_form_in_inches_and_the_boundary_is_where_the_energy_is_one_point_two(v, i, d, t):
    """E = 793·Ibf·V·t/D² cal/cm², D in inches (both forms published; their constants agree within 0.1 %)."""
    e = incident_energy_j_cm2(v, i, BOX_OF, d, 1000 * t)
    assert e / CAL == pytest.approx(793 * i * v * t / (d / 25.4) ** 2, rel=2e-3)
    at = boundary_mm(v, i, BOX_OF, 1000 * t)
    assert incident_energy_j_cm2(v, i, BOX_OF, at, 1000 * t) == pytest.approx(AT_THE_BOUNDARY_J_CM2)


def high(v_kv: float = 33.0) -> list[dict]:
    """10 kA at 33 kV, cleared 0.36 s after by the relay and its breaker."""
    return [
        {"kind": "bus", "name": "S", "v_nominal_kv": v_kv}, {"kind": "bus", "name": "B", "v_nominal_kv": v_kv, **BOX},
        {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1},
        {"kind": "breaker", "name": "Q", "from_bus": "S", "to_bus": "B", "t_break_s": 0.06},
        {"kind": "relay", "name": "R", "breaker": "Q", "ct_primary_a": 400.0, "curve": "IEC_SI", "i_pickup_a": 400.0, "time_multiplier": 1.0,
         "i_high_a": 2000.0, "t_high_s": 0.3, "time_tolerance_pct": 0.0},
    ]  # fmt: skip


def test_a_board_above_the_range_has_lees_energy_and_says_so_everywhere():
    study = arc(high())
    one = study.location("B", "load")
    assert one.worst.energy_cal_cm2 == pytest.approx(2.142e6 * 33 * 10 * 0.36 / BOX["working_distance_mm"] ** 2 / 4.184)
    assert one.worst.i_arc_ka == pytest.approx(10.0)
    assert {v.energy_j_cm2 for v in one.variants if v.case == "max"} == {one.worst.energy_j_cm2}  # by a definite time both are cleared at once
    slow = [{**e, "i_high_a": None, "t_high_s": None, "i_pickup_a": 4000.0, "time_multiplier": 0.1} if e["name"] == "R" else e for e in high()]
    worst = arc([{k: v for k, v in e.items() if v is not None} for e in slow]).location("B", "load").worst
    assert (worst.variant, worst.case) == ("reduced", "min")  # devices see 15 % less: the inverse stage takes longer, with the power of the bolted current
    assert worst.energy_cal_cm2 == pytest.approx(2.142e6 * 33 * 8 * worst.arc_time_s / BOX["working_distance_mm"] ** 2 / 4.184)
    assert "33 kV is above the range of IEEE 1584-2018: Lee's equation, theoretical" in one.warnings[0]
    (row,) = study.locations_table().records()
    assert (row["method"], row["coefficients"]) == ("Lee's equation", "theoretical")
    for quantity in ("energy_cal_cm2", "boundary_mm"):
        w = explain_energy(study, one, quantity=quantity)
        assert w.result == pytest.approx(one.worst.energy_cal_cm2 if quantity == "energy_cal_cm2" else one.boundary_mm)
        assert any("Lee" in step.source for step in w.steps)
    (label,) = labels_of(network_of(high())).labels
    assert label.method == "Lee's equation"
    assert "above the range of IEEE 1584-2018, theoretical" in " ".join(label.text().small)
    assert "not verified by a published example" not in " ".join(label.text().small)


def test_where_the_project_asks_for_no_result_there_is_none_and_within_the_range_the_model_stays():
    (none,) = arc(high(), arc_flash={"beyond": "no result"}).locations
    assert none.worst is None
    assert "outside the method's range: 33 kV" in none.warnings[0]
    assert method_at(15.0) == "IEEE 1584-2018"
    within = arc(high(15.0)).location("B", "load")
    assert math.isfinite(within.worst.energy_j_cm2)
    assert within.worst.i_arc_ka < 10.0
