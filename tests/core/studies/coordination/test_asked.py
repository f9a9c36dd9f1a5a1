"""What coordination is asked for beyond its tables: ratios against a list, reach as backup, settings with a weight on incident energy."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import BOX, breaker, infeed, lv
from tests.core.studies.coordination.test_coordination import chain, coordinated, relay

from northfell.app.results.studies import StateResults
from northfell.core.model.changes import apply_change
from northfell.core.studies.arc_flash import ARC_FLASH
from northfell.core.studies.coordination import COORDINATION, arcs_of, held_against, propose

# --- ratios


def transformers() -> dict:
    cts = [
        {"kind": "current_transformer", "name": "CT1", "measures": "Q1", "i_primary_a": 400.0, "i_secondary_a": 5.0},
        {"kind": "current_transformer", "name": "CT2", "measures": "Q2", "i_primary_a": 200.0},
        {"kind": "current_transformer", "name": "CT3", "measures": "Q3"},
    ]
    return network_of(chain(relay("B3", "Q3", 100, 0.1), relay("B2", "Q2", 200, 0.3), relay("B1", "Q1", 400, 0.4), devices=None) + cts).elements


def test_each_line_of_a_list_is_held_against_what_the_network_has():
    """By the name of a transformer, of a relay, and of what they stand at; in the spellings of spreadsheets."""
    found = held_against(transformers(), "CT1\t400/5 A\nq2; 200/1\nB1 800:1\nCT3 100/5\nQ9 600/5\nno ratio here\n\nCT2\t1000/5\tset of three\n")
    assert [(r.name, r.has, r.told, r.fits) for r in found if r.told != "not on the list"] == [
        ("CT1", "400/5 A", "as intended", True),
        ("B2 at q2", "200/1 A", "as intended", True),
        ("CT2 at q2", "200/1 A", "as intended", True),
        ("B1", "200/1 A", "differs: 200 for 800", False),
        ("CT3", "–", "not entered", False),
        ("Q9", "–", "no transformer, relay or device of that name has a ratio", False),
        ("no ratio here", "–", "not read: a name and a ratio are accepted, such as “Q11 800/1”", False),
        ("CT2", "200/1 A", "the same ratio, of other rated currents", False),
    ]
    assert [r.name for r in found if r.told == "not on the list"] == ["B3"]


@given(st.text(max_size=200))
def test_any_text_is_read_line_by_line(text):
    """Whatever is pasted, every line that says anything has an answer."""
    found = held_against({}, text)
    assert len(found) == sum(bool(line.strip()) for line in text.splitlines())
    assert not any(r.fits for r in found)


# --- reach as backup


def test_a_device_may_be_asked_to_see_faults_beyond_the_one_below():
    """Beyond 20 km of cable some 0.9 kA are left: Q1 set to 2000 A does not see them where Q2 fails, Q2 set to 200 does."""
    elements = chain(relay("B3", "Q3", 100, 0.1), relay("B2", "Q2", 200, 0.3), relay("B1", "Q1", 2000, 0.4))
    far = [
        {"kind": "bus", "name": "D", "v_nominal_kv": 11.0},
        {"kind": "cable", "name": "W", "from_bus": "B", "to_bus": "D", "length_m": 20_000.0, "r_ohm_per_km": 0.1, "x_ohm_per_km": 0.3, "t_end_degc": 80.0},
    ]
    assert not [r for r in coordinated(elements + far).rules if r.rule == "backup"]
    found = coordinated(elements + far, backup="assessed")
    reach = {(r.device, r.of): r for r in found.rules if r.rule == "backup"}
    assert set(reach) == {("Q1", "Q2"), ("Q2", "Q3")}
    least = min(r.at_a for r in found.rules if (r.device, r.rule) == ("Q2", "least fault"))
    assert reach["Q1", "Q2"].value == pytest.approx(least / (2000 * 1.05))
    assert found.verdict_of(reach["Q1", "Q2"]) == "close"  # a thing to look at, not a breach
    assert found.verdict_of(reach["Q2", "Q3"]) == "within"


# --- weight on incident energy


def feeder() -> list[dict]:
    """A main without anything below it that it must wait for, at its slowest band."""
    return [lv("S"), lv("B", **BOX), infeed("G", "S"), breaker("QM", "S", "B", "0.4")]


def test_a_weight_on_energy_sets_a_device_quicker_that_breaks_nothing_and_the_study_finds_the_same():
    states = StateResults(network_of(feeder()), "Normal")
    found, arc = states.result(COORDINATION), states.result(ARC_FLASH)
    assert not propose(found).devices  # nothing is broken
    (one,) = propose(found, arcs=[arcs_of(arc)], weight_s=1.0).devices
    before = arc.location("B", "load").worst.energy_cal_cm2
    after = StateResults(apply_change(network_of(feeder()), one.change)[0], "Normal").result(ARC_FLASH).location("B", "load").worst
    assert after.opens_at_s == 0.14  # the lowest band
    assert one.because == (f"incident energy at B, load side: {before:.3g} → {after.energy_cal_cm2:.3g} cal/cm²",)
    assert after.energy_cal_cm2 == pytest.approx(before * 0.14 / 0.5)


def test_no_weight_on_energy_breaks_selectivity():
    """A feeder below with the band 0.2 s: the main must stay above it, and comes down to 0.3 alone."""
    below = [*feeder(), lv("F"), breaker("QF", "B", "F", "0.2", trip_ir_a=400.0, trip_isd_a=1600.0)]
    states = StateResults(network_of(below), "Normal")
    found = states.result(COORDINATION)
    made = propose(found, arcs=[arcs_of(states.result(ARC_FLASH))], weight_s=100.0)
    assert [(s.element, s.field, s.after) for d in made.devices for s in d.settings if s.field == "trip_tsd"] == [("QM", "trip_tsd", "0.3")]
    assert not [p for p in made.after.worst_pairs.values() if made.after.verdict(p) == "breach"]
