"""Arc flash: which device decides, both sides of a main, the two-second rule, and the working."""

import itertools
import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.trip_order.test_trip_order import two_sources

from northfell.app.results.studies import StateResults
from northfell.core.errors import InputRefused, NotFound
from northfell.core.model.network import OperatingState, element_from
from northfell.core.network import compile_network
from northfell.core.studies import Asked
from northfell.core.studies.arc_flash import ARC_FLASH, ArcFlashSettings, enclosure_of, explain_energy, run
from northfell.core.studies.arc_flash import equations as eq
from northfell.core.studies.arc_flash.result import timeline
from northfell.demo import skerrow_water

BOX = {
    "electrode_configuration": "VCB", "gap_mm": 32.0, "box_height_mm": 508.0, "box_width_mm": 508.0, "box_depth_mm": 508.0, "working_distance_mm": 609.6,
}  # fmt: skip


def lv(name: str, **more) -> dict:
    return {"kind": "bus", "name": name, "v_nominal_kv": 0.4, **more}


def breaker(name: str, a: str, b: str, band: str = "0.2", **more) -> dict:
    trip = {"trip": "electronic", "trip_ir_a": 1000.0, "trip_tr_s": 8.0, "trip_isd_a": 4000.0, "trip_tsd": band}
    return {"kind": "breaker", "name": name, "from_bus": a, "to_bus": b, **trip, **more}


def infeed(name: str, bus: str, ik: float = 30.0) -> dict:
    return {"kind": "infeed", "name": name, "bus": bus, "ik_max_ka": ik, "ik_min_ka": 0.8 * ik, "r_over_x": 0.2, "flow_model": "behind impedance"}


def arc(elements, state="Normal", states=(), **settings):
    return StateResults(network_of(elements, states, **settings), state).result(ARC_FLASH)


CHAIN = [lv("S"), lv("M"), lv("B", **BOX, main="QM"), infeed("G", "S"), breaker("QS", "S", "M", "0.4"), breaker("QM", "M", "B", "0.2")]


def test_load_side_is_cleared_by_the_main_and_line_side_by_the_next_up():
    study = arc(CHAIN)
    load, line = study.location("B", "load"), study.location("B", "line")
    assert (load.worst.device, load.worst.opens_at_s) == ("QM", 0.2)
    assert (line.worst.device, line.worst.opens_at_s) == ("QS", 0.5)
    assert line.worst.i_bolted_ka == pytest.approx(load.worst.i_bolted_ka)
    assert line.worst.energy_j_cm2 == pytest.approx(load.worst.energy_j_cm2 * 2.5)


def test_full_current_is_held_until_the_last_source_is_cut_off():
    two = [*CHAIN, lv("S2"), infeed("G2", "S2", 20.0), breaker("Q2", "S2", "B", "0.3")]
    worst = arc(two).location("B", "load").worst
    assert (worst.device, worst.opens_at_s) == ("Q2", 0.32)
    assert worst.i_device_ka == pytest.approx(worst.i_arc_ka * 0.4, rel=1e-3)  # its share, not the total
    met = {d.device for d in arc(two).location("B", "load").devices}
    assert met == {"QM", "Q2"}


def test_a_device_below_its_pickup_leaves_it_to_the_next_up():
    slow_main = [*CHAIN[:-1], breaker("QM", "M", "B", trip_ir_a=20000.0, trip_isd_a=None, trip_tsd=None)]
    worst = arc(slow_main).location("B", "load").worst
    assert (worst.device, worst.opens_at_s) == ("QS", 0.5)


def test_nothing_opens_two_second_rule_and_without_it():
    bare = [lv("S", **BOX), infeed("G", "S")]
    one = arc(bare).location("S", "load")
    assert one.worst.device is None
    assert math.isinf(one.worst.opens_at_s)
    assert one.worst.arc_time_s == 2.0
    assert "no protective device stands between this place and a source" in one.warnings
    endless = arc(bare, arc_flash={"two_second_rule": False})
    row = next(endless.locations_table().records())
    assert (row["energy_cal_cm2"], row["clearing_time_s"], row["boundary_mm"]) == (None, None, None)


def test_reduced_current_can_fall_off_the_fast_stage_and_govern():
    fast = [lv("S"), lv("B", **BOX), infeed("G", "S"), breaker("QM", "S", "B", "0.4", trip_ii_a=17000.0)]
    one = arc(fast).location("B", "load")
    full, reduced = one.variant("max", "full"), one.variant("max", "reduced")
    assert (full.opens_at_s, reduced.opens_at_s) == (0.05, 0.5)
    assert one.worst is reduced or one.worst.case == "min"
    assert any("a little less current clears much slower" in w for w in one.warnings)


def test_a_state_that_opens_the_supply_leaves_the_place_unfed():
    state = OperatingState(name="Off", differences={"QM": {"closed": False}})
    study = arc(CHAIN, "Off", [state])
    assert study.location("B", "load").worst is None
    assert study.location("B", "line").worst is not None  # the line side stays live
    rows = list(study.locations_table().records())
    assert [r["energised"] for r in rows] == [False, True]
    assert rows[0]["energy_cal_cm2"] is None


def test_outside_the_voltage_range_there_is_no_energy():
    high = [{**lv("S"), "v_nominal_kv": 33.0, **BOX}, infeed("G", "S")]
    one = arc(high, arc_flash={"beyond": "no result"}).location("S", "load")
    assert one.worst is None
    assert "33 kV is not between 0.208 and 15 kV" in one.warnings[0]


@given(
    st.sampled_from(["VCB", "VCBB", "HCB", "VOA", "HOA"]),
    st.floats(0.208, 15),
    st.floats(0.01, 500),
    st.floats(0.1, 1000),
    st.floats(1, 5000),
    st.floats(1, 5000),
)
def test_the_model_gives_a_positive_energy_or_says_that_it_gives_none(configuration, voc, ibf, gap, distance, side):
    box = eq.Enclosure(configuration, gap, side, side, side)
    try:
        i = eq.arcing_current_ka(voc, ibf, box)
        e = eq.incident_energy_j_cm2(voc, ibf, box, distance, 200.0)
        afb = eq.boundary_mm(voc, ibf, box, 200.0)
    except InputRefused:
        i = e = afb = math.nan  # which must never happen within the tested range
    if not eq.out_of_range(voc, ibf, box, distance):
        assert 0 < i < ibf
        assert 0 < e < 1e5
        assert 0 < afb < 1e6
        assert eq.incident_energy_j_cm2(voc, ibf, box, distance, 400.0) == pytest.approx(2 * e)
        assert eq.incident_energy_j_cm2(voc, ibf, box, 2 * distance, 200.0) < e


def test_a_place_beyond_the_model_has_no_figures_but_the_reason():
    bare = [lv("S", **{**BOX, "electrode_configuration": "HOA", "gap_mm": 0.01, "v_nominal_kv": 0.22}), infeed("G", "S")]
    one = arc(bare).location("S", "load")
    assert one.worst is None
    assert one.fed
    assert "the model gives no result for a bolted current of 30" in one.warnings[0]
    assert "gap 0.01 mm is outside 6.35 to 76.2 mm" in one.warnings


def test_relay_names_breaker_time_that_is_missing():
    relay = {
        "kind": "relay", "name": "R", "breaker": "Q", "ct_primary_a": 1000.0, "curve": "IEC_VI", "i_pickup_a": 1000.0, "time_multiplier": 0.2,
        "time_tolerance_pct": 5.0,
    }  # fmt: skip
    elements = [lv("S"), lv("B", **BOX), infeed("G", "S"), {"kind": "breaker", "name": "Q", "from_bus": "S", "to_bus": "B"}, relay]
    waiting = arc(elements).location("B", "load")
    assert waiting.worst is None
    assert waiting.waits[0].startswith("Breaker Q: t_break_s is empty")
    elements[3] = {**elements[3], "t_break_s": 0.05}
    worst = arc(elements).location("B", "load").worst
    m = worst.i_device_ka * 1000 / 1000
    assert worst.opens_at_s == pytest.approx(1.05 * 0.2 * 13.5 / (min(m, 20) - 1) + 0.05)


def test_main_must_stand_at_its_board():
    (one,) = arc([*CHAIN[:2], lv("B", **BOX, main="QS"), *CHAIN[3:]]).locations
    assert one.worst is None
    assert "main is “QS”, accepted is a breaker or fuse with a terminal at B" in one.waits[0]


def test_what_one_place_lacks_keeps_back_that_place_alone():
    bare = {k: v for k, v in BOX.items() if k != "gap_mm"}
    whole = arc([*CHAIN[:2], lv("B", **BOX), *CHAIN[3:], lv("C", **BOX), {"kind": "breaker", "name": "QC", "from_bus": "B", "to_bus": "C"}])
    part = arc([*CHAIN[:2], lv("B", **bare), *CHAIN[3:], lv("C", **BOX), {"kind": "breaker", "name": "QC", "from_bus": "B", "to_bus": "C"}])
    assert part.location("B", "load").worst is None
    assert "gap_mm is empty" in part.location("B", "load").waits[0]
    assert part.location("C", "load").worst == whole.location("C", "load").worst
    assert part.summary["waiting"] == 1
    # a device without its data holds back only where it stands on the way: not the board above it
    relay = {"kind": "relay", "name": "RC", "breaker": "QC", "ct_primary_a": 100.0, "curve": "IEC_VI"}
    below = arc([*CHAIN[:2], lv("B", **BOX), *CHAIN[3:], lv("C", **BOX), {"kind": "breaker", "name": "QC", "from_bus": "B", "to_bus": "C"}, relay])
    assert below.location("B", "load").worst == whole.location("B", "load").worst
    assert {line.split(":")[0] for line in below.location("C", "load").waits} == {"Overcurrent relay RC", "Breaker QC"}


def test_working_ends_at_the_figure_of_the_table_for_every_variant():
    network = skerrow_water()
    for state in network.state_names:
        study = StateResults(network, state).result(ARC_FLASH)
        for one in study.locations:
            for v in one.variants:
                made = explain_energy(study, one, v)
                assert made.result == pytest.approx(v.energy_cal_cm2, rel=1e-12)
                assert explain_energy(study, one, v, "boundary_mm").result == pytest.approx(v.boundary_mm, rel=1e-12)
                assert next(s.value for s in made.steps if s.symbol == "tc") == v.opens_at_s
                device_steps = [s for s in made.steps if s.symbol == "t"]
                assert device_steps[-1].value == pytest.approx(v.opens_at_s)


def test_a_fuse_that_is_not_fed_is_not_asked_for_its_rating():
    network = skerrow_water()
    before = StateResults(network, "Normal").result(ARC_FLASH)
    dead = [element_from({"kind": "bus", "id": f"dead {n}", "name": f"dead {n}", "v_nominal_kv": 0.4}) for n in (1, 2)]
    fuse = element_from({"kind": "fuse", "id": "F9", "name": "F9", "from_bus": "dead 1", "to_bus": "dead 2"})
    more = network.model_copy(update={"elements": {**network.elements, **{e.id: e for e in (*dead, fuse)}}})
    after = StateResults(more, "Normal").result(ARC_FLASH)
    assert [one.variants for one in after.locations] == [one.variants for one in before.locations]


@pytest.mark.parametrize("link", ["gG", "K", "aM"])
def test_no_fuse_is_credited_with_less_than_half_a_cycle_of_arc(link):
    """Far above its size the curve of a fuse stands for heat alone: the arc is not out before half a cycle."""
    network = skerrow_water()
    small = network.elements["F411"].model_copy(update={"i_rated_a": 25.0, "link": link})
    found = run(compile_network(network.model_copy(update={"elements": {**network.elements, "F411": small}}), "Normal"))
    place = found.location("Dosing MCC", "load")
    assert all(v.device == "F411" for v in place.variants)
    assert all(v.arc_time_s >= 0.01 and v.opens_at_s == v.arc_time_s for v in place.variants)
    assert all(d.opens_at_s >= 0.01 for d in place.devices)
    bus, one = found.bus(place), place.variant("max", "full")
    at_once = eq.incident_energy_j_cm2(bus.v_nominal_kv, one.i_bolted_ka, enclosure_of(bus), bus.working_distance_mm, 10.0, one.factor)
    assert one.energy_j_cm2 >= at_once * (1 - 1e-9)
    if link == "gG":
        assert one.energy_j_cm2 == pytest.approx(at_once)
        told = str(explain_energy(found, place, one))
        assert "half a cycle" in told


@pytest.mark.parametrize(
    ("configuration", "b", "cf"),
    [("VCB", (0.002222, -0.02556, 0.6222), 1.5028), ("VCBB", (-0.002778, 0.1194, -0.2778), 1.2424), ("HCB", (-0.0005556, 0.03722, 0.4778), 1.1524)],
)
def test_a_shallow_box_by_hand(configuration, b, cf):
    """IEEE 1584-2018, Eq. 13 and 15: 355.6 by 304.8 by 203.2 mm at 480 V is 14 by 12 in, EES 13 in, CF = 1/(b1·169 + b2·13 + b3)."""
    box = eq.Enclosure(configuration, 25, 355.6, 304.8, 203.2)
    assert eq.equivalent_box_in(box, 0.48) == (pytest.approx(14.0, abs=1e-3), pytest.approx(12.0, abs=1e-3), True)
    assert eq.correction_of(box, 0.48) == pytest.approx(cf, abs=5e-4)
    assert 1 / (b[0] * 13**2 + b[1] * 13 + b[2]) == pytest.approx(cf, abs=5e-4)


@pytest.mark.parametrize(
    ("kv", "height", "width", "depth", "shallow"),
    [(0.48, 507.9, 507.9, 203.2, True), (0.6, 507.9, 507.9, 203.2, False), (0.48, 508.0, 507.9, 203.2, False), (0.48, 507.9, 508.0, 203.2, False),
     (0.48, 507.9, 507.9, 203.3, False)],
)  # fmt: skip
def test_when_a_box_is_shallow(kv, height, width, depth, shallow):
    """IEEE 1584-2018, 4.8.2: below 600 V, below 508 mm high and wide, at most 203.2 mm deep."""
    high, wide, found = eq.equivalent_box_in(eq.Enclosure("VCB", 25, height, width, depth), kv)
    assert found is shallow
    if not shallow and max(height, width) < 508:  # a typical box that is small counts as 20 by 20 in
        assert (high, wide) == (20, 20)


def test_the_boundary_shown_is_the_largest_of_all_variants():
    arc = StateResults(skerrow_water(), "Normal").result(ARC_FLASH)
    location = next(one for one in arc.locations if one.variants)
    near, far = (replace(location.variants[0], boundary_mm=mm) for mm in (900.0, 1400.0))
    assert replace(location, variants=(near, far)).boundary_mm == 1400.0


def test_between_the_levels_by_hand():
    """Eq. 16 to 18 with 1, 2 and 4 at 600, 2700 and 14300 V: between the lower two both straight lines, weighted; beyond, the upper one alone."""
    x1, x2 = (2 - 1) / 2.1 * (1.2 - 2.7) + 2, (4 - 2) / 11.6 * (1.2 - 14.3) + 4
    assert eq.interpolated(1, 2, 4, 1.2) == pytest.approx(x1 * 1.5 / 2.1 + x2 * 0.6 / 2.1)
    assert eq.interpolated(1, 2, 4, 1.2) == pytest.approx(1.415904, abs=1e-6)
    assert eq.interpolated(1, 2, 4, 0.6) == pytest.approx(1)
    assert eq.interpolated(1, 2, 4, 2.7) == pytest.approx(2)
    assert eq.interpolated(1, 2, 4, 2.8) == pytest.approx(2 + 2 / 11.6 * 0.1)  # the upper line alone, not the weighted two
    assert eq.interpolated(1, 2, 4, 14.3) == pytest.approx(4)


@pytest.mark.parametrize(
    ("voc", "ibf", "gap", "told"),
    [
        (0.4, 0.5, 6.35, []), (0.4, 106.0, 76.2, []), (0.4, 0.49, 25.0, ["current"]), (0.4, 106.1, 25.0, ["current"]), (0.4, 20.0, 6.34, ["gap"]),
        (0.4, 20.0, 76.3, ["gap"]), (11.0, 0.2, 19.05, []), (11.0, 65.0, 127.0, []), (11.0, 0.19, 152.0, ["current"]), (11.0, 65.1, 152.0, ["current"]),
        (11.0, 20.0, 19.0, ["gap"]), (11.0, 20.0, 255.0, ["gap"]), (0.24, 1.9, 25.0, ["sustained"]), (0.24, 2.0, 25.0, []), (0.25, 1.9, 25.0, []),
    ],
)  # fmt: skip
def test_the_range_of_the_model_is_told_at_its_edges(voc, ibf, gap, told):
    box = eq.Enclosure("VCB", gap, 1100.0, 1100.0, 500.0)
    found = eq.out_of_range(voc, ibf, box, 455.0)
    assert [any(word in line for line in found) for word in ("current", "gap", "sustained")] == [word in told for word in ("current", "gap", "sustained")]
    assert eq.out_of_range(voc, ibf, box, 304.0)[-1 if not told or told != ["sustained"] else 0].code.startswith("working distance")


def test_an_own_share_reduces_the_current_by_it_and_the_highest_location_is_named():
    network = skerrow_water()
    own = network.settings.of_study("arc_flash").model_copy(update={"variation": "own share", "variation_pct": 20.0})
    study = StateResults(network.model_copy(update={"settings": network.settings.model_copy(update={"arc_flash": own})}), "Normal").result(ARC_FLASH)
    board = next(one for one in study.locations if one.worst and study.bus(one).v_nominal_kv == 0.4)
    for case in ("max", "min"):
        assert board.variant(case, "reduced").i_arc_ka == pytest.approx(0.8 * board.variant(case, "full").i_arc_ka)
    energies = {study.bus(one).name: one.worst.energy_cal_cm2 for one in study.locations if one.worst and math.isfinite(one.worst.energy_cal_cm2)}
    assert energies[study.summary["highest_at"]] == study.summary["highest_energy_cal_cm2"] == max(energies.values())
    with pytest.raises(NotFound):
        ARC_FLASH.explain(study, Asked("W25", "energy_cal_cm2"))
    for one in (one for one in study.locations if one.worst):
        for case in ("max", "min"):
            for variant in ("full", "reduced"):
                for quantity in ("energy_cal_cm2", "boundary_mm"):
                    made = ARC_FLASH.explain(study, Asked(one.bus_id, quantity, case, variant, one.side))
                    assert made.result == pytest.approx(getattr(one.variant(case, variant), quantity), rel=1e-9)
                    assert made.unit == ("cal/cm²" if quantity == "energy_cal_cm2" or math.isinf(made.result) else "mm")
                    assert made.title.startswith("Incident energy" if quantity == "energy_cal_cm2" else "Arc-flash boundary")


ENCLOSED = {
    "electrode_configuration": "VCB",
    "gap_mm": 104.0,
    "working_distance_mm": 910.0,
    "box_height_mm": 1140.0,
    "box_width_mm": 760.0,
    "box_depth_mm": 760.0,
}


def test_sources_cut_off_one_after_the_other_leave_the_device_what_is_left():
    """Q3 (very inverse) first sees both sources, and Q1 takes one away at 0.56 s: it needs the rest of its time at what is left, and the arc burns on."""
    elements = [e | (ENCLOSED if e["name"] == "F" else {}) for e in two_sources()]
    net = compile_network(network_of(elements), "Normal", "short_circuit")
    study = run(net, ArcFlashSettings(two_second_rule=False))
    (place,) = study.locations
    box = eq.Enclosure("VCB", 104.0, 1140.0, 760.0, 760.0)
    for one in place.variants:
        factor = one.factor
        i1, i2 = (factor * eq.arcing_current_ka(11.0, i, box) for i in (10.0, 5.0))
        whole = 13.5 / (i1 - 1)
        cleared = 0.56 + (1 - 0.56 / whole) * 13.5 / (i2 - 1) + 0.06
        assert one.opens_at_s == pytest.approx(cleared, rel=1e-4)
        assert one.followed.by_the_first_s == pytest.approx(whole + 0.06, rel=1e-4)
        first, then = (eq.incident_energy_j_cm2(11.0, i, box, 910.0, 1000.0, factor) for i in (10.0, 5.0))
        assert one.energy_j_cm2 == pytest.approx(0.56 * first + (cleared - 0.56) * then, rel=1e-4)
        assert one.energy_j_cm2 > 1.05 * (whole + 0.06) * first  # what the first current alone would have called the energy
        assert one.device == "Q3"
        assert [d.device for d in place.devices if (d.case, d.variant) == (one.case, one.variant)] == ["Q1", "Q3"]
    assert any("open one after the other" in line for line in place.warnings)
    made = explain_energy(study, place, place.worst)
    assert made.result == pytest.approx(place.worst.energy_cal_cm2, rel=1e-9)
    assert any("event by event" in line.equation for line in made.steps)
    capped = run(net, ArcFlashSettings(two_second_rule=True)).locations[0].worst
    assert capped.arc_time_s == pytest.approx(2.0)
    assert capped.energy_j_cm2 == pytest.approx(0.56 * first + 1.44 * then, rel=0.35)
    never = [e | ({"i_pickup_a": 6000.0} if e["name"] == "B3" else {}) for e in elements]
    stays = run(compile_network(network_of(never), "Normal", "short_circuit"), ArcFlashSettings(two_second_rule=False)).locations[0]
    assert math.isinf(stays.worst.energy_j_cm2)  # it would pick up with both sources only
    assert any("once other ways have opened" in line for line in stays.warnings)


def test_a_parallel_way_that_opens_early_leaves_the_device_less():
    """One source through two cables, of which Q1 takes one away at 0.56 s: Q3 needs the rest of its time at what the other cable brings."""
    cable = {"kind": "cable", "length_m": 1000.0, "r_ohm_per_km": 0.2, "x_ohm_per_km": 1.2, "t_end_degc": 90.0}
    elements = [e for e in two_sources() if e["name"] not in ("G2", "S1", "S2")]
    elements = [{**e, "bus": "S"} if e["name"] == "G1" else {**e, "from_bus": f"C{e['name'][1]}"} if e["name"] in ("Q1", "Q2") else e for e in elements]
    elements = [e | ({"ik_max_ka": 40.0, "ik_min_ka": 40.0} if e["name"] == "G1" else ENCLOSED if e["name"] == "F" else {}) for e in elements]
    elements = [{"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in ("S", "C1", "C2")] + elements
    elements += [{**cable, "name": f"W{k}", "from_bus": "S", "to_bus": f"C{k}"} for k in (1, 2)]
    study = run(compile_network(network_of(elements), "Normal", "short_circuit"), ArcFlashSettings(two_second_rule=False))
    one = study.locations[0].worst
    assert one.followed is not None
    first, then = (i.i_fault_ka for i in one.followed.intervals)
    whole = 13.5 / (first - 1)
    assert one.followed.by_the_first_s == pytest.approx(whole + 0.06, rel=1e-6)
    assert one.opens_at_s == pytest.approx(0.56 + (1 - 0.56 / whole) * 13.5 / (then - 1) + 0.06, rel=1e-6)
    assert first > 1.5 * then
    assert one.energy_j_cm2 > eq.incident_energy_j_cm2(
        11.0, one.i_bolted_ka, enclosure_of(study.bus(study.locations[0])), 910.0, 1000 * (whole + 0.06), one.factor
    )


def test_one_way_to_one_source_needs_no_following():
    """What every device sees first is what it sees until the end."""
    elements = [e | (ENCLOSED if e["name"] == "F" else {}) for e in two_sources() if e["name"] not in ("G2", "Q2", "B2")]
    study = run(compile_network(network_of(elements), "Normal", "short_circuit"), ArcFlashSettings(two_second_rule=False))
    assert all(one.followed is None and one.counts_s == one.arc_time_s for one in study.locations[0].variants)


# --- several mains, and what is told of devices and machines


def double_fed(**more) -> list[dict]:
    """Two supplies of 30 and 10 kA, each behind a breaker of 0.4 s, on a board with two mains of 0.2 and 0.3 s."""
    return [
        lv("S1"), lv("S2"), lv("M1"), lv("M2"), lv("B", **BOX, main="QM1", **more), infeed("G1", "S1", 30.0), infeed("G2", "S2", 10.0),
        breaker("Q1", "S1", "M1", "0.4"), breaker("Q2", "S2", "M2", "0.4", trip_isd_a=1500.0), breaker("QM1", "M1", "B", "0.2"),
        breaker("QM2", "M2", "B", "0.3", trip_isd_a=1500.0),
    ]  # fmt: skip


def test_every_main_of_a_board_has_a_line_side_of_its_own():
    """At the line side of QM1 the own supply goes on until Q1 opens, 0.5 s; the other one through both mains until QM1 or QM2 does."""
    one, both = arc(double_fed()), arc(double_fed(main_2="QM2"))
    assert [p.side for p in one.locations] == ["load", "line"]
    assert [p.side for p in both.locations] == ["load", "line", "line 2"]
    assert (both.location("B", "line").worst.device, both.location("B", "line").worst.opens_at_s) == ("Q1", 0.5)
    second = both.location("B", "line 2").worst
    assert (second.device, second.opens_at_s) == ("Q2", 0.5)
    assert second.energy_j_cm2 > both.location("B", "load").worst.energy_j_cm2
    told = [str(w) for w in one.location("B", "load").warnings]
    assert "QM2: no main device of it, the line side is not assessed" in told
    assert not [w for w in both.location("B", "load").warnings if "line side" in w]
    assert list(both.locations_table().records())[2]["side"] == "line 2"


def test_a_panel_with_an_incomer_of_its_own_says_that_its_line_side_is_not_assessed():
    panel = [{**e, "bus_kind": "panel", "main": None} if e["name"] == "B" else e for e in CHAIN]
    assert "QM: no main device of it, the line side is not assessed" in arc(panel).location("B", "load").warnings
    way = {"kind": "cable", "name": "W", "from_bus": "M", "to_bus": "B", "length_m": 5.0, "r_ohm_per_km": 0.1, "x_ohm_per_km": 0.1, "t_end_degc": 160.0}
    far = [lv("S"), lv("M"), lv("B", **BOX, bus_kind="panel"), infeed("G", "S"), breaker("QS", "S", "M", "0.4"), way]
    assert not [w for w in arc(far).location("B", "load").warnings if "line side" in w]  # it has none in it


def test_a_device_that_must_break_more_than_it_can_is_grave_and_one_that_can_is_not_told():
    weak, able = ([{**e, "i_breaking_ka": ka} if e["name"] == "QM" else e for e in CHAIN] for ka in (29.0, 31.0))
    (told,) = [w for w in arc(weak).location("B", "load").warnings if "rated to break" in w]
    assert told.grave
    assert told == "QM is rated to break 29 kA, a bolted fault here has 30 kA through it: that it clears is not certain"
    assert not [w for w in arc(able).location("B", "load").warnings if "rated to break" in w]


def test_a_generators_current_is_told_as_taken_constant_where_it_is_worth_telling():
    alone = [
        {"kind": "synchronous_generator", "name": "G", "bus": "S", "s_rated_mva": 1.0, "v_rated_kv": 0.4, "power_factor_rated": 0.8, "xd2_pct": 15.0,
         "r_stator_ohm": 0.0005}
        if e["name"] == "G" else e
        for e in CHAIN
    ]  # fmt: skip
    told = [w for w in arc(alone).location("B", "load").warnings if "taken as constant" in w]
    assert told == ["the current that G brings is taken as constant; it falls, and a device may be slower than told"]
    assert not [w for w in arc(CHAIN).location("B", "load").warnings if "constant" in w]


def test_the_timeline_has_an_interval_for_each_opening_and_its_energies_are_the_whole():
    """One supply: one interval until the main opens. Two of which one opens first: the sum of the intervals is the energy, where that counts."""
    single = arc(CHAIN)
    (span,) = timeline(single.location("B", "load"))
    assert (span.from_s, span.to_s, span.opens, span.energy_j_cm2) == (0.0, 0.2, ("QM",), single.location("B", "load").worst.energy_j_cm2)
    long = arc([{**e, "trip_isd_a": None, "trip_tsd": None, "trip_tr_s": 100.0} if e["name"] in ("QM", "QS") else e for e in CHAIN])
    (row, *_) = long.timeline_table().records()
    assert (row["to_s"], row["ends"]) == (2.0, "longest exposure")
    network = network_of([{**e, **BOX} if e["name"] == "F" else e for e in two_sources()], arc_flash={"two_second_rule": False})
    one = run(compile_network(network, "Normal", "short_circuit")).location("F", "load")
    spans = timeline(one)
    assert one.worst.followed is not None
    assert [s.opens for s in spans] == [("Q1",), ("Q3",)]
    assert [(a.to_s, b.from_s) for a, b in itertools.pairwise(spans)] == [(spans[0].to_s, spans[0].to_s)]
    assert sum(s.energy_j_cm2 for s in spans) == pytest.approx(one.worst.energy_j_cm2)
    assert spans[1].i_arc_ka < spans[0].i_arc_ka


@given(st.permutations(["VCB", "VCBB", "HCB"]), st.integers(1, 3), st.sampled_from(["0.1", "0.4"]))
def test_of_several_configurations_the_worst_counts_and_each_is_as_if_alone(order, many, band):
    fields = dict(zip(("electrode_configuration", "electrode_configuration_2", "electrode_configuration_3"), order[:many], strict=False))
    plant = [lv("M"), infeed("G", "M"), breaker("Q1", "M", "B", band)]
    together = arc([*plant, lv("B", **{**BOX, **fields})])
    alone = {one: arc([*plant, lv("B", **{**BOX, "electrode_configuration": one})]).location("B", "load") for one in order[:many]}
    found = together.location("B", "load")
    worst = max(alone, key=lambda one: alone[one].worst.energy_j_cm2)
    assert found.configuration == worst
    assert found.worst == alone[worst].worst
    assert found.boundary_mm == max(one.boundary_mm for one in alone.values())
    assert {one.configuration: one.worst.energy_j_cm2 for one in (found, *found.others)} == {k: one.worst.energy_j_cm2 for k, one in alone.items()}
    assert next(iter(together.locations_table().records()))["configuration"] == worst
    assert sorted({r["configuration"] for r in together.variants_table().records()}) == sorted(order[:many])
    for one in order[:many]:  # the working of each, by its own coefficients
        w = ARC_FLASH.explain(together, Asked("B", "boundary_mm", "max", "full", part=one))
        assert w.result == pytest.approx(alone[one].variant("max", "full").boundary_mm)


def test_a_configuration_of_which_nothing_is_known_is_not_left_out():
    """Across a gap of 1 mm at 220 V the model gives nothing for horizontal conductors: the figure of the others might not be the worst."""
    plant = [infeed("G", "S")]
    board = {**BOX, "gap_mm": 1.0, "v_nominal_kv": 0.22}
    assert arc([lv("S", **board), *plant]).location("S", "load").worst
    both = arc([lv("S", **{**board, "electrode_configuration_2": "HCB"}), *plant]).location("S", "load")
    assert both.worst is None
    assert "(HCB)" in both.warnings[0]


def test_a_further_configuration_acts_beside_the_ones_before_it_alone():
    bus = element_from({"id": "B", **lv("B", electrode_configuration="VOA", electrode_configuration_2="HCB")})
    assert bus.configurations == ("VOA",)
    bus = element_from({"id": "B", **lv("B", electrode_configuration="VCB", electrode_configuration_3="HCB")})
    assert bus.configurations == ("VCB",)
    bus = element_from({"id": "B", **lv("B", electrode_configuration="VCB", electrode_configuration_2="VCB")})
    assert bus.configurations == ("VCB",)


def test_where_the_model_gives_nothing_for_what_is_left_the_reduced_case_stays_reduced():
    """Across 0.01 mm at 220 V there is an arc of 100 kA by the model, and none of the 30 kA that are left: taken as bolted, less the variation."""
    supplies = [lv("S1", v_nominal_kv=0.22), lv("S2", v_nominal_kv=0.22), infeed("G1", "S1", 70.0), infeed("G2", "S2", 30.0)]
    board = lv("B", **{**BOX, "v_nominal_kv": 0.22, "gap_mm": 0.01})
    slow = {"trip_ir_a": 4000.0, "trip_isd_a": 40000.0}  # what is left does not reach its short-time stage
    one = arc([*supplies, board, breaker("Q1", "S1", "B", "0.1"), breaker("Q2", "S2", "B", "0.4", **slow)]).location("B", "load")
    followed = [v for v in one.variants if v.followed and len(v.followed.intervals) > 1]
    assert {v.variant for v in followed} == {"full", "reduced"}
    for v in followed:
        left = v.followed.intervals[1]
        assert left.i_fault_ka == pytest.approx(v.factor * left.i_bolted_ka)
        assert (v.factor < 1) == (v.variant == "reduced")
