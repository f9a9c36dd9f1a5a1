"""Equipment duty: each standard's rule by hand, the side that asks more, what is not assessed, and remedies that are solved."""

import math

import pytest
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, network_of
from tests.core.studies.short_circuit.test_schools import MOTOR, with_settings

from northfell.app.results.studies import StateResults
from northfell.core.model.changes import apply_completed
from northfell.core.studies import Asked
from northfell.core.studies.duty import DUTY, NOT_ASSESSED
from northfell.core.studies.duty import equations as eq
from northfell.core.studies.duty.remedies import remedies
from northfell.demo import bracken_quay, skerrow_water
from northfell.formats import northfell_json

BREAKER = {"kind": "breaker", "name": "Q", "from_bus": "A", "to_bus": "B", "t_break_s": 0.06}
LV = [{"kind": "bus", "name": n, "v_nominal_kv": 0.48} for n in "AB"]
LV_FEED = {**INFEED, "ik_max_ka": 30.0, "ik_min_ka": 20.0, "r_over_x": 0.1}


def duties_of(elements, state="Normal", **settings):
    return StateResults(with_settings(network_of(elements), **settings), state).result(DUTY)


def only(duties, element, quantity):
    return next(d for d in duties.of[element] if d.quantity == quantity)


def test_a_breaker_by_iec_is_held_to_breaking_direct_part_and_making():
    rated = {**BREAKER, "rated_by": "IEC 62271-100", "i_breaking_ka": 12.5}
    duties = duties_of([BUS_A, BUS_B, INFEED, rated])
    breaking, asymmetrical, making = (only(duties, "Q", q) for q in ("breaking", "breaking, asymmetrical", "making"))
    assert (breaking.value, breaking.pct) == (pytest.approx(10.0), pytest.approx(80.0))
    p = math.exp(-0.1 / 0.045)
    i_dc = math.sqrt(2) * 10 * math.exp(-2 * math.pi * 50 * 0.1 * 0.1)
    assert asymmetrical.value == pytest.approx(math.hypot(10, i_dc))
    assert asymmetrical.rating == pytest.approx(12.5 * math.sqrt(1 + 2 * p**2))
    assert making.rating == pytest.approx(2.5 * 12.5)
    assert making.value == pytest.approx((1.02 + 0.98 * math.exp(-0.3)) * math.sqrt(2) * 10)
    assert only(duties_of([BUS_A, BUS_B, INFEED, {**rated, "i_making_ka": 25.0}]), "Q", "making").rating == 25.0


def test_line_and_load_side_are_both_asked_and_the_larger_counts():
    """With the fault behind it the breaker carries the infeed; before it, the motor alone."""
    rated = {**BREAKER, "rated_by": "IEC 60947-2", "i_breaking_ka": 20.0}
    duties = duties_of([BUS_A, BUS_B, INFEED, rated, {**MOTOR, "bus": "B"}])
    one = only(duties, "Q", "breaking")
    assert one.value == pytest.approx(10.0, rel=1e-6)  # not the 10.2 of the bus
    assert duties.net.topology.bus_ids[one.bus] == "B"
    turned = duties_of([BUS_A, BUS_B, {**INFEED, "bus": "B"}, rated, MOTOR])
    assert (only(turned, "Q", "breaking").value, turned.net.topology.bus_ids[only(turned, "Q", "breaking").bus]) == (pytest.approx(10.0), "A")


def test_a_device_is_held_to_the_direct_part_of_what_stands_behind_it_not_of_a_mixture_that_decays_sooner():
    """An incomer of R/X 0.1 beside motors of R/X 0.5 at the same board: its peak is √2·κ(0.1)·I of its own, not the board's κ."""
    rated = {**BREAKER, "rated_by": "IEC 62271-100", "i_breaking_ka": 20.0}
    resistive = {**MOTOR, "bus": "B", "count": 20, "r_over_x": 0.5}
    duties = duties_of([BUS_A, BUS_B, INFEED, rated, resistive])
    own = (1.02 + 0.98 * math.exp(-0.3)) * math.sqrt(2) * 10
    one, b = duties.faults.cases["max"], duties.net.topology.bus_index["B"]
    mixed = float(one.ip_ka[b]) * 10 / float(one.ik_ka[b])
    assert mixed < 0.98 * own
    assert only(duties, "Q", "making").value == pytest.approx(own, rel=1e-6)
    i_dc = math.sqrt(2) * 10 * math.exp(-2 * math.pi * 50 * 0.1 * 0.1)
    assert only(duties, "Q", "breaking, asymmetrical").value == pytest.approx(math.hypot(10, min(i_dc, float(one.dc_ka()[b]))), rel=1e-6)


def test_the_ratio_behind_a_device_is_found_at_the_equivalent_frequency():
    """Two unlike cables side by side behind the incomer: R/X of all behind it with every reactance times 0.4."""
    rated = {**BREAKER, "from_bus": "C", "rated_by": "IEC 62271-100", "i_breaking_ka": 20.0}
    cables = [{**CABLE, "name": n, "to_bus": "C", "r_ohm_per_km": r, "x_ohm_per_km": x} for n, r, x in (("W1", 0.02, 0.4), ("W2", 0.3, 0.05))]
    elements = [BUS_A, BUS_B, {**BUS_B, "name": "C"}, INFEED, *cables, rated, {**MOTOR, "bus": "B", "count": 40, "r_over_x": 0.9}]
    duties = duties_of(elements)
    x_q = 1.1 * 11 / math.sqrt(3) / 10 / math.sqrt(1.01)

    def behind(k):
        a, b = complex(0.02, 0.4 * k), complex(0.3, 0.05 * k)
        return complex(0.1 * x_q, k * x_q) + a * b / (a + b)

    ratio = behind(0.4).real / behind(0.4).imag * 0.4
    assert abs(ratio - behind(1).real / behind(1).imag) > 0.01  # another one at 50 Hz
    i = 1.1 * 11 / math.sqrt(3) / abs(behind(1))
    assert only(duties, "Q", "making").value == pytest.approx((1.02 + 0.98 * math.exp(-3 * ratio)) * math.sqrt(2) * i, rel=1e-5)


def test_low_voltage_breakers_by_iec_close_on_what_their_test_allows():
    assert [eq.low_voltage_making_factor(ka) for ka in (4.0, 6.0, 10.0, 20.0, 50.0, 65.0)] == [1.5, 1.7, 1.7, 2.0, 2.1, 2.2]


@pytest.mark.parametrize(("rated_by", "icu", "tested", "by_crest"), [
    ("IEEE power breaker", 42.0, 6.59, True), ("IEEE fused power breaker", 42.0, 4.90, False), ("moulded case", 42.0, 4.90, True),
    ("moulded case", 18.0, 3.18, True),
    ("moulded case", 10.0, 1.73, True),
])  # fmt: skip
def test_low_voltage_devices_by_ieee_against_the_x_over_r_of_their_test(rated_by, icu, tested, by_crest):
    duties = duties_of([*LV, LV_FEED, {**BREAKER, "rated_by": rated_by, "i_breaking_ka": icu}], school="ieee")
    x_over_r = 10.0

    def crest(x):
        return 1 + math.exp(-math.pi / x)

    def total(x):
        return math.sqrt(1 + 2 * math.exp(-2 * math.pi / x))

    factor = crest(x_over_r) / crest(tested) if by_crest else total(x_over_r) / total(tested)
    one = only(duties, "Q", "interrupting")
    assert one.value == pytest.approx(max(factor, 1.0) * 30.0, rel=1e-6)
    assert one.rating == icu


def test_medium_voltage_breakers_by_ieee_symmetrical_total_and_with_a_voltage_range():
    feed, f_hz = {**INFEED, "r_over_x": 1 / 30}, 50
    duties = duties_of([BUS_A, BUS_B, feed, {**BREAKER, "rated_by": "IEEE symmetrical", "i_breaking_ka": 12.5, "v_rated_max_kv": 15.0}], school="ieee")
    latch, interrupting = only(duties, "Q", "close and latch"), only(duties, "Q", "interrupting")
    assert (latch.value, latch.rating) == (pytest.approx(math.sqrt(2) * (1 + math.exp(-math.pi / 30)) * 10), 2.5 * 12.5)
    c = eq.parting_cycles(0.06, f_hz)
    assert c == 2.0  # three cycles
    assert interrupting.value == pytest.approx(max(math.sqrt(1 + 2 * math.exp(-4 * math.pi * c / 30)) / 1.2, 1.0) * 10)
    assert interrupting.rating == 12.5  # K = 1
    old = {**BREAKER, "rated_by": "IEEE symmetrical", "i_breaking_ka": 9.0, "v_rated_max_kv": 15.0, "k_factor": 1.3}
    duties = duties_of([BUS_A, BUS_B, feed, old], school="ieee")
    assert only(duties, "Q", "interrupting").rating == pytest.approx(1.3 * 9.0)  # 15/11 would be more
    assert only(duties, "Q", "close and latch").rating == pytest.approx(2.7 * 1.3 * 9.0)
    total = duties_of([BUS_A, BUS_B, feed, {**BREAKER, "rated_by": "IEEE total current", "i_breaking_ka": 20.0}], school="ieee")
    assert only(total, "Q", "close and latch").value == pytest.approx(math.sqrt(1 + 2 * math.exp(-2 * math.pi / 30)) * 10)
    assert only(total, "Q", "interrupting").value == pytest.approx(math.sqrt(1 + 2 * math.exp(-4 * math.pi * c / 30)) * 10)


def test_what_has_no_rating_or_one_of_the_other_school_is_not_assessed_never_fine():
    for breaker, told in (
        (BREAKER, "rated_by is empty"),
        ({**BREAKER, "rated_by": "IEC 62271-100"}, "i_breaking_ka is empty"),
        ({**BREAKER, "rated_by": "IEEE symmetrical", "i_breaking_ka": 100.0}, "choose school ieee"),
        ({**BREAKER, "rated_by": "IEC 62271-100", "i_breaking_ka": 100.0, "closed": False}, "open in this state"),
    ):
        duties = duties_of([BUS_A, BUS_B, INFEED, {**INFEED, "name": "G2", "bus": "B"}, breaker])
        rows = duties.of["Q"]
        assert [duties.verdict(d) for d in rows] == [NOT_ASSESSED]
        assert told in rows[0].basis
    assert duties.summary["within"] == 0


def test_boards_and_their_time_and_the_rated_current_of_an_earthing_transformer():
    board = {**BUS_A, "rated_by": "IEC", "i_short_time_ka": 12.0, "t_short_time_s": 1.0, "i_peak_ka": 30.0}
    earthing = {"kind": "earthing_transformer", "name": "TE", "bus": "A", "z0_ohm": 4.0, "i_earth_a": 300.0, "t_rated_s": 10.0, "neutral": "resistor",
                "neutral_ohm": 20.0}  # fmt: skip
    feed = {**INFEED, "neutral": "isolated"}
    duties = duties_of([board, feed, earthing], t_k_s=3.0)
    assert only(duties, "A", "short-time").rating == pytest.approx(12.0 / math.sqrt(3))
    assert only(duties, "A", "peak").pct == pytest.approx(100 * (1.02 + 0.98 * math.exp(-0.3)) * math.sqrt(2) * 10 / 30)
    z1 = complex(duties.faults.cases["max"].z1_ohm[0])
    i_e = 3 * 1.1 * 11 / math.sqrt(3) / abs(2 * z1 + 60 + 4j)
    assert only(duties, "TE", "earth current").value == pytest.approx(1000 * i_e)


def test_a_cable_takes_up_what_flows_until_its_device_opens():
    """I²t with the direct part, for as long as the relay and its breaker take; without one, for the duration of the settings."""
    relay = {"kind": "relay", "name": "R", "breaker": "Q", "ct_primary_a": 400.0, "curve": "IEC_SI", "i_pickup_a": 400.0, "time_multiplier": 0.1,
             "time_tolerance_pct": 5.0, "i_high_a": 3000.0, "t_high_s": 0.2}  # fmt: skip
    near = {"kind": "bus", "name": "N", "v_nominal_kv": 11.0}
    cable = {**CABLE, "from_bus": "N", "to_bus": "B", "conductor": "aluminium", "insulation": "XLPE", "area_mm2": 95.0}
    duties = duties_of([BUS_A, BUS_B, near, INFEED, {**BREAKER, "to_bus": "N"}, relay, cable])
    one = duties.of["W"][0]
    t, kappa = 0.26, float(duties.faults.cases["max"].kappa[duties.net.topology.bus_index["N"]])
    m = (math.exp(4 * 50 * t * math.log(kappa - 1)) - 1) / (2 * 50 * t * math.log(kappa - 1))
    assert one.value == pytest.approx(10.0**2 * (m + 1) * t, rel=1e-6)
    assert one.rating == pytest.approx((94 * 95 / 1000) ** 2)
    assert "Q opens" in one.basis
    towards = duties_of([BUS_A, BUS_B, near, INFEED, {**BREAKER, "to_bus": "N"}, {**relay, "looks": "forward"}, cable])
    assert towards.of["W"][0].value == pytest.approx(one.value)  # which way it flows is known
    bare = duties_of([BUS_A, BUS_B, near, INFEED, {**BREAKER, "to_bus": "N"}, cable])
    assert "no device cuts it off" in bare.of["W"][0].basis
    assert bare.of["W"][0].value > one.value


def test_a_rating_with_the_device_before_it_counts_while_that_carries_the_fault():
    middle = {"kind": "bus", "name": "C", "v_nominal_kv": 0.48}
    before = {"kind": "breaker", "name": "Q0", "from_bus": "A", "to_bus": "C", "rated_by": "IEC 60947-2", "i_breaking_ka": 50.0}
    own = {**BREAKER, "from_bus": "C", "rated_by": "IEC 60947-2", "i_breaking_ka": 20.0, "i_series_ka": 36.0, "series_with": "Q0"}
    duties = duties_of([*LV, middle, LV_FEED, before, own])
    one = only(duties, "Q", "breaking")
    assert (one.rating, "together with Q0" in one.basis) == (36.0, True)
    other_way = {**LV_FEED, "name": "G2", "bus": "C"}
    one = only(duties_of([*LV, middle, LV_FEED, other_way, before, own]), "Q", "breaking")
    assert (one.rating, "alone" in one.basis) == (20.0, True)


@pytest.mark.parametrize(("v_rated_kv", "counts"), [(0.69, True), (0.4, False)])
def test_a_fuse_above_its_voltage_is_assessed_for_nothing_and_is_no_back_up(v_rated_kv, counts):
    middle = {"kind": "bus", "name": "C", "v_nominal_kv": 0.48}
    fuse = {"kind": "fuse", "name": "F", "from_bus": "A", "to_bus": "C", "i_rated_a": 250.0, "rated_by": "IEC 60269-1", "i_breaking_ka": 100.0,
            "v_rated_kv": v_rated_kv}  # fmt: skip
    own = {**BREAKER, "from_bus": "C", "rated_by": "IEC 60947-2", "i_breaking_ka": 20.0, "i_series_ka": 36.0, "series_with": "F"}
    duties = duties_of([*LV, middle, LV_FEED, fuse, own])
    assert {duties.verdict(d) for d in duties.of["F"]} == {"within" if counts else NOT_ASSESSED}
    one = only(duties, "Q", "breaking")
    assert (one.rating, duties.verdict(one)) == ((36.0, "within") if counts else (20.0, "breach"))


def test_the_working_of_a_duty_ends_at_its_percentage():
    network = northfell_json.read(bracken_quay())
    for one in (StateResults(skerrow_water(), "Generator in parallel").result(DUTY), StateResults(network, "Normal").result(DUTY)):
        for rows in one.of.values():
            for d in rows:
                if d.pct is not None:
                    made = DUTY.explain(one, Asked(d.element_id, "duty", part=d.quantity))
                    assert made.result == pytest.approx(d.pct)
                    assert d.basis in made.to_text()


def breached(network, state):
    one = StateResults(network, state).result(DUTY)
    return {one.net.name(i) for i, rows in one.of.items() if one.verdict(rows[0]) == "breach"}


def test_the_demos_hold_what_they_hold_on_purpose():
    works, quay = skerrow_water(), northfell_json.read(bracken_quay())
    assert {s: breached(works, s) for s in works.state_names} == {s: {"11 kV board A"} if s == "Generator in parallel" else set() for s in works.state_names}
    assert breached(quay, "Normal") == {"52-13", "52-14"}
    assert breached(quay, "T1 out, tie closed") == set()


def test_remedies_are_solved_and_do_what_they_say():
    works = skerrow_water()
    duties = StateResults(works, "Generator in parallel").result(DUTY)
    found = remedies(works, duties, "11 kV board A")
    assert found[0].title == "Open Q27"  # a switch, before what needs equipment
    assert any("series reactor" in r.title and r.cures for r in found)
    assert all(r.alone for r in found if r.title in ("Open Q1", "Open Q11", "Open Q0A"))
    for r in found:
        changed = apply_completed(works, r.change)[0]
        assert all("r_over_x" in e.assumed for e in changed.elements.values() if e.kind == "series_reactor")
        after = StateResults(changed, "Generator in parallel").result(DUTY)
        worst = after.worst("11 kV board A")
        assert (worst.pct if worst.pct is not None else 0.0) == pytest.approx(r.after_pct)
        assert r.cures == (r.after_pct <= 100.0)


def test_where_earth_faults_are_not_known_the_duty_says_so():
    rated = {**BREAKER, "rated_by": "IEC 60947-2", "i_breaking_ka": 20.0}
    known = {**INFEED, "neutral": "solid", "x0_over_x1": 0.5, "r0_over_x0": 0.1}
    told = [only(duties_of([BUS_A, BUS_B, feed, rated]), "Q", "breaking") for feed in (INFEED, known)]
    assert ["earth faults are not known" in one.basis for one in told] == [True, False]
    assert (told[0].fault, told[1].fault) == ("3ph", "lg")
    assert told[1].value == pytest.approx(10 * 3 / 2.5, rel=1e-3)
