"""The sum over the intervals in which sources open one after the other: by hand, by another loop, and never less than what is left brings."""

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import BOX, CHAIN, arc, breaker, infeed, lv
from tests.core.studies.arc_flash.test_motors import inverse, motor

from northfell.core.network import compile_network
from northfell.core.studies import short_circuit
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash import enclosure_of, explain_energy
from northfell.core.studies.arc_flash.result import timeline

SUMMED = {"changing": "intervals"}


def energy(study, ibf: float, t_s: float) -> float:
    return by.incident_energy_j_cm2(0.4, ibf, enclosure_of(study.bus(study.location("B", "load"))), 609.6, 1000 * t_s)


def test_two_infeeds_by_hand():
    """Both burn until the first has opened, then one alone; with the worse of both, both until the end."""
    two = [lv("S"), lv("S2"), lv("B", **BOX), infeed("G", "S"), infeed("G2", "S2", 20.0), breaker("Q", "S", "B", "0.1"), breaker("Q2", "S2", "B", "0.4")]
    study, worse = arc(two, arc_flash=SUMMED), arc(two)
    one, held = (s.location("B", "load").variant("max", "full") for s in (study, worse))
    sooner, alone = (arc([e for e in two if e["name"] not in gone]).location("B", "load").variant("max", "full") for gone in (("G2", "Q2"), ("G", "Q")))
    first_s, last_s = sooner.opens_at_s, alone.opens_at_s
    assert 0.1 <= first_s < 0.2 < last_s == 0.5
    assert one.energy_j_cm2 == pytest.approx(energy(study, one.i_bolted_ka, first_s) + energy(study, alone.i_bolted_ka, last_s - first_s))
    assert held.energy_j_cm2 == pytest.approx(energy(study, one.i_bolted_ka, last_s))
    assert one.energy_j_cm2 < 0.7 * held.energy_j_cm2
    assert (one.opens_at_s, one.device) == (last_s, "Q2")
    spans = timeline(study.location("B", "load"))
    assert sum(s.energy_j_cm2 for s in spans) == pytest.approx(study.location("B", "load").worst.energy_j_cm2)
    assert any("sum over the intervals" in w for w in study.location("B", "load").warnings)
    for v in study.location("B", "load").variants:
        assert explain_energy(study, study.location("B", "load"), v).result == pytest.approx(v.energy_cal_cm2)


INVERTER = {"kind": "inverter", "name": "V", "bus": "B", "s_rated_mva": 1.2, "ik_over_ir": 1.5, "i2_over_ir": 0.0, "mode": "reference",
            "v_set_pu": 1.0}  # fmt: skip


def test_an_inverter_without_a_device_holds_on_once_the_main_has_opened():
    """What it brings burns on until the longest exposure; held at the first current it is much more, and never is it forgotten."""
    board = [*CHAIN[:-1], breaker("QM", "M", "B", "0.2"), INVERTER]
    study, held, none = arc(board, arc_flash=SUMMED), arc(board), arc(CHAIN)
    one, most, without = (s.location("B", "load").variant("max", "full") for s in (study, held, none))
    assert one.i_bolted_ka > 1.05 * without.i_bolted_ka
    assert (most.opens_at_s, most.arc_time_s, most.device) == (math.inf, 2.0, None)
    assert most.energy_j_cm2 == pytest.approx(energy(held, most.i_bolted_ka, 2.0))
    assert without.energy_j_cm2 < one.energy_j_cm2 < most.energy_j_cm2
    assert (one.opens_at_s, one.arc_time_s, one.device) == (math.inf, 2.0, None)
    main, left = one.followed.intervals
    assert (main.to_s, left.from_s, left.to_s) == (0.2, 0.2, 2.0)
    assert left.i_bolted_ka == pytest.approx(1.5 * 1.2 / (math.sqrt(3) * 0.4), rel=0.05)
    assert any("no protective device" in w and w.grave for w in study.location("B", "load").warnings)
    nothing = arc([*board[:-1], {**INVERTER, "ik_over_ir": 0.0}], arc_flash=SUMMED).location("B", "load").variant("max", "full")
    assert nothing.energy_j_cm2 == pytest.approx(without.energy_j_cm2, rel=1e-3)
    endless = arc(board, arc_flash={**SUMMED, "two_second_rule": False}).location("B", "load").worst
    assert endless.energy_j_cm2 == math.inf


def test_an_inverter_that_follows_the_network_is_told_as_not_counted_after_it():
    """It stops by itself some time after the main has opened; an island that it feeds alone is no network of its own."""
    follows = {**INVERTER, "mode": "power", "p_mw": 0.5}
    del follows["v_set_pu"]
    study = arc([*CHAIN, follows])
    told = [w for w in study.location("B", "load").warnings if "may go on bringing current" in w]
    assert told
    assert told[0].startswith("V may")
    assert study.location("B", "load").worst.opens_at_s == 0.2
    beyond = arc([*CHAIN, {**follows, "bus": "M"}])  # beyond the main, which cuts it off too
    assert not [w for w in beyond.location("B", "load").warnings if "may go on" in w]
    assert [w for w in beyond.location("B", "line").warnings if "may go on" in w]
    little = arc([*CHAIN, {**follows, "s_rated_mva": 0.05, "p_mw": 0.02}])
    assert not [w for w in little.location("B", "load").warnings if "may go on" in w]


@given(st.floats(5, 60), st.sampled_from(["0.1", "0.2", "0.3", "0.4"]), st.booleans())
def test_with_one_source_the_sum_is_the_single_interval(ik, band, rule):
    chain = [lv("S"), lv("M"), lv("B", **BOX, main="QM"), infeed("G", "S", ik), breaker("QS", "S", "M", "0.4"), breaker("QM", "M", "B", band)]
    summed, single = (arc(chain, arc_flash={"changing": how, "two_second_rule": rule}) for how in ("intervals", "worse of both"))
    for side in ("load", "line"):
        for a, b in zip(summed.location("B", side).variants, single.location("B", side).variants, strict=True):
            assert a.energy_j_cm2 == pytest.approx(b.energy_j_cm2)
            assert a.opens_at_s == pytest.approx(b.opens_at_s)


def another_loop(sources: list[tuple[float, float, float]], factor: float, study) -> tuple[float, float]:
    """Energy and end of an arc at a board of parallel infeeds, each behind a very inverse relay, in steps of a tenth of a millisecond."""
    passed, opens, t, step, total = [0.0] * len(sources), [math.inf] * len(sources), 0.0, 1e-4, 0.0
    box = enclosure_of(study.bus(study.location("B", "load")))
    rates: dict[tuple[int, ...], tuple[float, float, float]] = {}
    while t < 2.0 - step / 2:
        here = tuple(k for k, o in enumerate(opens) if t < o - step / 2)
        if not here:
            break
        if here not in rates:
            ibf = sum(sources[k][0] for k in here)
            i_arc = factor * by.arcing_current_ka(0.4, ibf, box)
            rates[here] = ibf, i_arc, by.incident_energy_j_cm2(0.4, ibf, box, 609.6, 1000.0, factor)
        ibf, i_arc, rate = rates[here]
        total += rate * step
        for k in here:
            m = 1000 * i_arc * sources[k][0] / ibf / sources[k][1]
            if opens[k] == math.inf and m > 1:
                passed[k] += step * (m - 1) / (13.5 * sources[k][2])
                if passed[k] >= 1:
                    opens[k] = t + step + 0.06
        t += step
    return total, t


@settings(max_examples=25)
@given(st.lists(st.tuples(st.floats(5, 25), st.floats(800, 3000), st.floats(0.02, 0.3)), min_size=2, max_size=3))
def test_the_sum_is_that_of_another_loop(sources):
    """Infeeds of one angle, so that currents add up as numbers; relays that all operate before the longest exposure, and those that do not."""
    raw = [lv("B", **BOX)]
    for k, (ik, pickup, tm) in enumerate(sources):
        raw += [lv(f"S{k}"), {**infeed(f"G{k}", f"S{k}", ik), "r_over_x": 0.2}, *inverse(f"Q{k}", f"S{k}", "B", pickup, tm)]
    study = arc(raw, arc_flash=SUMMED)
    for name in ("full", "reduced"):
        one = study.location("B", "load").variant("max", name)
        bolted = [1.05 / 1.05 * ik for ik, _, _ in sources]
        assert one.i_bolted_ka == pytest.approx(sum(bolted), rel=1e-3)
        total, ended = another_loop([(i, p, tm) for i, (_, p, tm) in zip(bolted, sources, strict=True)], one.factor, study)
        assert one.arc_time_s == pytest.approx(ended, abs=2e-3)
        assert one.energy_j_cm2 == pytest.approx(total, rel=5e-3)


@given(st.floats(0.0, 0.5), st.sampled_from(["0.1", "0.2", "0.3"]), st.floats(1000, 12000), st.floats(10, 50), st.sampled_from(["worse of both", "intervals"]))
def test_on_a_radial_way_a_slower_device_or_a_wider_tolerance_never_lowers_the_energy(slower, band, pickup, ik, how):
    def worst(tolerance: float, adds: float, at: float) -> float:
        relay = inverse("Q", "S", "B", at, 0.2 + adds, time_tolerance_pct=tolerance)
        chain = [lv("S"), lv("B", **BOX), infeed("G", "S", ik), motor("M", "B", 50.0), *relay]
        return arc(chain, arc_flash={"changing": how}).location("B", "load").worst.energy_j_cm2

    usual = worst(5.0, 0.0, pickup)
    assert worst(5.0, slower, pickup) >= usual * (1 - 1e-9)
    assert worst(5.0 + 40 * slower, 0.0, pickup) >= usual * (1 - 1e-9)
    assert worst(5.0, 0.0, pickup * (1 + slower)) >= usual * (1 - 1e-9)


def test_a_place_followed_by_hand_from_the_faults_to_the_energy():
    """The bolted current of the faults, the time of the device's own curve, the energy of the equations."""
    network = network_of([*CHAIN, motor("P", "S", 90.0)])
    net = compile_network(network, "Normal", "short_circuit")
    faults, study = short_circuit.run(net), arc([*CHAIN, motor("P", "S", 90.0)])
    b = net.topology.bus_index["B"]
    for case in ("max", "min"):
        one = study.location("B", "load").variant(case, "full")
        assert one.i_bolted_ka == pytest.approx(float(faults.cases[case].ik_ka[b]))
        i_arc = by.arcing_current_ka(0.4, one.i_bolted_ka, enclosure_of(study.bus(study.location("B", "load"))))
        assert one.i_arc_ka == pytest.approx(i_arc)
        assert i_arc > 4.0 * 1.1  # above the short-time pickup of 4 kA with its tolerance: the band of 0.2 s
        assert one.energy_j_cm2 == pytest.approx(energy(study, one.i_bolted_ka, 0.2))
