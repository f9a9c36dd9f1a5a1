"""A feeder looked at as its planner does: findings by phase, bands, unbalance, loops, ways, spurs, remedies, workings."""

import importlib.util
import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of

from northfell.core.errors import CannotRun, NoSolution, NotFound
from northfell.core.model.changes import Change, Set, apply_change
from northfell.core.model.settings import Limits
from northfell.core.network import compile_network
from northfell.core.studies import Asked
from northfell.core.studies.phase_flow import NEXT, PHASE_FLOW, UNBALANCE, Band, PhaseFlowSettings, band_of, loops, run_by_phase, working
from northfell.core.studies.phase_flow.layout import placed
from northfell.core.studies.phase_flow.remedies import ailing, remedies
from northfell.core.studies.phase_flow.spurs import spurs
from northfell.core.studies.phase_flow.tree import reaches, regulators_before
from northfell.core.verdicts import findings_of
from northfell.demo import ellerdale
from northfell.formats import northfell_json

ELLERDALE = northfell_json.read(ellerdale())
LIMITS = Limits()


def at(state="Normal", network=ELLERDALE):
    return run_by_phase(compile_network(network, state))


def found(made) -> dict[str, tuple[str, str]]:
    return {f.element: (f.severity, f.check) for f in findings_of("phase_flow", made, made.net.network.settings.limits)}


@pytest.fixture(scope="module")
def normal():
    return at()


def test_the_shipped_feeder_is_what_its_tool_builds():
    spec = importlib.util.spec_from_file_location("make", Path(__file__).parents[4] / "tools/make_ellerdale.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    assert northfell_json.write(module.ellerdale()).encode() == ellerdale()


def test_ellerdale_has_its_two_faults_of_planning_and_the_sun_lifts_its_middle(normal):
    assert found(normal) == {"FD": ("breach", "loading by phase"), "VR2": ("close", "against")}
    noon = found(at("Sunny noon"))
    assert noon["VR2"] == ("close", "against")
    high = {e for e, (_, check) in noon.items() if check == "voltage by phase"}
    assert {"G1 homes", "G6 homes", "E2 homes"} <= high
    assert set(found(at("Tie closed"))) - {"FD", "VR2"} == {"Tie H–M"}


def test_at_every_conductor_what_flows_in_flows_out(normal):
    """Kirchhoff's sum as the working writes it, at every node under voltage, of the greatest current there."""
    for node in np.flatnonzero(normal.flow.fed).tolist():
        currents = [i for _, i in working.at_conductor(normal, node)]
        assert abs(sum(currents)) <= 1e-6 * max(1.0, *(abs(i) for i in currents))


def test_the_working_of_a_current_is_the_sum_of_its_terms_and_the_tables_figure(normal):
    rows = {(r["element"], r["terminal"], r["phase"]): r for r in normal.table("terminals").records()}
    for name, part in (("L5", "0 b"), ("FD", "0 a"), ("T Tarn Head sawmill", "1 c"), ("TA2", "1 1"), ("VR1", "0 c")):
        k, c = part.split()
        w = PHASE_FLOW.explain(normal, Asked(name, "i_phase", part=part))
        assert w.result == pytest.approx(rows[name, int(k), c]["i_a"], rel=1e-9)
        assert "Power at this conductor" in w.to_text()
    w = PHASE_FLOW.explain(normal, Asked("P10", "v_phase", part="a"))
    assert w.result == pytest.approx(next(r["v_pu"] for r in normal.table("buses").records() if (r["name"], r["phase"]) == ("P10", "a")))


def worked_in(made):
    def worked(quantity, name, part="", case="max"):
        return PHASE_FLOW.explain(made, Asked(made.net.network.id_of_name[name], quantity, case=case, part=part)).result

    return worked


def test_every_figure_of_a_card_has_a_working_that_comes_to_it(normal):
    """Between conductors, sequences, unbalance by each definition, loading, relays."""
    ids, record = normal.net.network.id_of_name, {t: list(normal.table(t).records()) for t in ("buses", "branches", "regulators")}
    worked = worked_in(normal)
    for r in record["buses"]:
        if r["v_ll_pu"] is not None:
            assert worked("v_phase", r["name"], r["phase"] + NEXT[r["phase"]]) == pytest.approx(r["v_ll_pu"], rel=1e-9)
    for bus in ("P3", "P26", "Far Moor solar"):
        found = normal.sequence(ids[bus])
        assert [worked("sequence", bus, k) for k in "012"] == pytest.approx([abs(u) for u in found], rel=1e-9)
        for by in UNBALANCE:
            assert worked("unbalance", bus, by) == pytest.approx(normal.unbalance_pct(ids[bus], by), rel=1e-9)
    for r in record["branches"]:
        if r["loading_pct"] is not None:
            assert worked("loading_phase", r["name"]) == pytest.approx(r["loading_pct"], rel=1e-9)
    for r in record["regulators"]:
        assert worked("v_relay", r["name"], r["phase"]) == pytest.approx(r["v_relay_v"], rel=1e-12)
    for quantity, name, part in (("sequence", "D4", "1"), ("v_phase", "D4", "ab"), ("v_relay", "T1", "a")):
        with pytest.raises(NotFound):
            worked(quantity, name, part)


@pytest.mark.parametrize(
    ("bands", "kv", "v", "told"),
    [("ANSI C84.1", 12.47, 1.05, ("", "")), ("ANSI C84.1", 12.47, 1.0501, ("high", "close")), ("ANSI C84.1", 12.47, 127.1 / 120, ("very high", "breach")),
     ("ANSI C84.1", 12.47, 0.9749, ("low", "close")), ("ANSI C84.1", 0.24, 0.96, ("", "")), ("ANSI C84.1", 0.24, 0.916, ("very low", "breach")),
     ("EN 50160", 0.4, 0.899, ("low", "breach")), ("EN 50160", 0.4, 1.1001, ("very high", "breach")), ("EN 50160", 11.0, 1.12, ("high", "breach")),
     ("EN 50160", 132.0, 1.05, ("high", "close")), ("limits of the project", 11.0, 0.93, ("very low", "breach"))],
)  # fmt: skip
def test_bands_and_their_verdicts(bands, kv, v, told):
    band = band_of(PhaseFlowSettings(bands=bands), LIMITS, kv)
    assert (band.class_of(v), band.severity(v)) == told


@given(st.floats(0.5, 1.5))
def test_a_voltage_in_no_class_has_no_verdict_and_the_limit_divides(v):
    band = Band(0.95, 1.05, 0.9, 1.06, "own")
    assert (band.class_of(v) == "") == (band.severity(v) == "")
    if band.severity(v) == "breach":
        assert abs(v - 1) > abs(band.limit(v) - 1)


def test_unbalance_of_phases_by_each_definition(normal):
    """U2/U1 again from the three magnitudes between phases alone (IEC 61000-4-30)."""
    for bus in ("P14", "P26", "Ellerdale school board"):
        there = normal.voltages(bus)
        u = np.array([there[p].ll_pu for p in "abc"])
        beta = (u**4).sum() / (u**2).sum() ** 2
        s = math.sqrt(3 - 6 * beta)
        assert normal.unbalance_pct(bus, "U2/U1") == pytest.approx(100 * math.sqrt((1 - s) / (1 + s)), rel=1e-6)
        assert normal.unbalance_pct(bus, "deviation between phases") == pytest.approx(100 * np.abs(u - u.mean()).max() / u.mean(), rel=1e-9)
        e = np.array([there[p].ln_pu for p in "abc"])
        assert normal.unbalance_pct(bus, "spread to earth") == pytest.approx(100 * (e.max() - e.min()) / e.mean(), rel=1e-9)
    assert normal.unbalance_pct("A2", "U2/U1") is None


def test_losses_by_phase_are_the_losses_of_the_lines(normal):
    lines = sum(r["loss_mw"] for r in normal.table("branches").records() if r["kind"] == "line")
    assert sum(normal.losses_by_phase().values()) / 1e6 == pytest.approx(lines, rel=1e-9)


def test_the_loop_that_the_tie_closes_goes_round(normal):
    assert loops(normal.net) == []
    net = compile_network(ELLERDALE, "Tie closed")
    (one,) = loops(net)
    assert one.phases == "b"
    ends: dict[str, int] = {}
    for i in one.elements:
        for b in net.elements[i].buses:
            ends[b] = ends.get(b, 0) + 1
    assert set(ends.values()) == {2}
    assert {"Tie H–M", "FH", "FM", "L19"} <= set(one.elements)


def test_distance_is_the_length_of_the_way_and_regulators_stand_before_each_other(normal):
    ways = reaches(normal.net)
    bus, total = "D8", 0.0
    while ways[bus].before:
        total += getattr(normal.net.elements[ways[bus].by], "length_m", None) or 0.0
        bus = ways[bus].before
    assert ways["D8"].distance_m == pytest.approx(total)
    assert bus == "Grid end"
    assert regulators_before(normal.net, ways) == {"VR1": [], "VR2": ["VR1"]}
    places, told = placed(normal.net, ways)
    assert told == ""
    assert places["P10"] == (5240, 99)
    bare = ELLERDALE.model_copy(update={"elements": {i: e.model_copy(update={"east_m": None, "north_m": None}) if e.kind == "bus" else e
                                                     for i, e in ELLERDALE.elements.items()}})  # fmt: skip
    net = compile_network(bare, "Normal")
    places, told = placed(net, reaches(net))
    assert "No bus has coordinates" in told
    assert len(set(places.values())) == len(places)


def test_a_spur_is_all_that_hangs_on_one_phase_and_moves_whole(normal):
    hung = {s.first: s for s in spurs(normal.net)}
    assert (hung["FD"].phase, hung["FD"].at) == ("a", "P10")
    assert "Heat pumps D8" in hung["FD"].elements
    assert "FH" not in hung  # which the tie, though open, joins to another
    bus = normal.net.elements["P22"]
    heavy = apply_change(ELLERDALE, Change("heavier", (Set(id="Homes N2", values={"load_factor": 3.0}), Set(id="Homes N5", values={"load_factor": 3.0}))))[0]
    made = at(network=heavy)
    tried = remedies(heavy, made, bus)
    moved = next(r for r in tried if r.title.startswith("Spur"))
    after = at(network=apply_change(heavy, moved.change)[0])
    ill = ailing(after, after.net.elements["P22"])
    assert ill.value == pytest.approx(moved.after, abs=1e-6)
    assert moved.after < moved.before
    assert after.summary["load_mw"] == pytest.approx(made.summary["load_mw"], rel=0.02)
    assert [r.rank for r in tried] == sorted(r.rank for r in tried)


def test_a_fuse_beyond_its_link_is_helped_by_a_larger_one_and_says_what_that_asks_for(normal):
    best = remedies(ELLERDALE, normal, normal.net.elements["FD"])[0]
    assert best.cures
    assert "its protection is to be looked at again" in best.title
    assert best.after == pytest.approx(best.before * 50 / float(best.title.split("link of ")[1].split(" ")[0]), rel=1e-6)


def test_what_one_part_cannot_solve_takes_no_others_results_away():
    part = [{"kind": "bus", "v_nominal_kv": 11.0, "name": n} for n in "AB"] + [{"kind": "infeed", "name": "G", "bus": "A"}]
    line = {"kind": "line", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 900.0, "r_ohm_per_km": 0.3, "x_ohm_per_km": 0.3, "r0_ohm_per_km": 0.5,
            "x0_ohm_per_km": 1.0}  # fmt: skip
    load = {"kind": "load", "name": "E", "bus": "B", "by_phase": [{"between": "a", "p_mw": 0.2, "q_mvar": 0.1}]}
    other = [{**e, **{k: f"{e[k]}2" for k in ("name", "bus", "from_bus", "to_bus") if k in e}} for e in (*part, line, load)]
    rows = at(network=network_of([*part, line, load])).table("buses").records()
    alone = next(r["v_pu"] for r in rows if (r["name"], r["phase"]) == ("B", "a"))
    for spoil, told in (({"r0_ohm_per_km": None}, "Overhead line W2: r0_ohm_per_km is empty"), ({"length_m": 4e5}, "No voltages were found")):
        broken = [{**e, **spoil} if e["name"] == "W2" else e for e in other]
        both = at(network=network_of([*part, line, load, *broken]))
        v = {(r["name"], r["phase"]): r["v_pu"] for r in both.table("buses").records()}
        assert v["B", "a"] == pytest.approx(alone, rel=1e-9)
        assert v["B2", "a"] is None
        assert any(told in m for m in both.messages)
        with pytest.raises((CannotRun, NoSolution), match=told if "empty" in told else "No solution"):
            at(network=network_of(broken))


def test_regulators_without_their_transformers_hold_their_own_island_back():
    network = apply_change(ELLERDALE, Change("none", (Set(id="VR2", values={"pt_ratio": None}),)))[0]
    with pytest.raises(CannotRun, match="Step-voltage regulator VR2: pt_ratio is empty"):
        at(network=network)


def test_of_both_voltages_the_worse_is_judged_unless_one_is_chosen():
    """A load between two phases pulls that voltage down more than either phase's."""
    part = [{"kind": "bus", "v_nominal_kv": 11.0, "name": n} for n in "AB"] + [{"kind": "infeed", "name": "G", "bus": "A"}]
    line = {"kind": "line", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 9000.0, "r_ohm_per_km": 0.4, "x_ohm_per_km": 0.4, "r0_ohm_per_km": 0.5,
            "x0_ohm_per_km": 1.0}  # fmt: skip
    load = {"kind": "load", "name": "E", "bus": "B", "by_phase": [{"between": "ab", "p_mw": 0.9, "q_mvar": 0.5}]}

    def told(judged):
        made = at(network=network_of([*part, line, load], phase_flow={"judged": judged, "unbalance_pct": 20.0}))
        (one,) = [f for f in findings_of("phase_flow", made, LIMITS) if f.check == "voltage by phase"]
        return one

    both, neutral, between = told("both"), told("to neutral"), told("between phases")
    assert "phases a–b stands" in between.text
    assert both.value == max(neutral.value, between.value) == between.value
    assert neutral.value < between.value
