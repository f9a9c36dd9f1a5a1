"""Single rules at their edges, by hand: earthing systems, soil, harmonics, fuses, protective conductors, several in parallel; and every working."""

import math
from dataclasses import replace
from typing import get_args

import pytest
from tests.core.studies.sizing.test_by_hand import INFEED, MAIN, cable, end, sizing
from tests.core.studies.sizing.test_examples import IEC, NEC, feeder, motor_way, nec_feeder, nec_motor

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.errors import NotFound
from northfell.core.model.elements.branches import Arrangement
from northfell.core.studies.sizing import Heat, Loop, decide, explain
from northfell.core.studies.sizing.circuit import Along
from northfell.core.studies.sizing.frame import tries
from northfell.core.studies.sizing.iec import conventional_factor, protective_by_table
from northfell.core.studies.sizing.parts import parts_of, raceway
from northfell.core.working import Working


def held(c, rule: str, size: float = 185.0):
    t = next(t for t in tries(IEC, c, 1) if t.size.area_mm2 == size)
    return next(r for r in IEC.rules(c) if r.id == rule).hold(c, t, None)


def test_the_model_lists_the_arrangements_of_the_tables():
    assert tables.arrangements() == get_args(Arrangement)
    assert set(tables.arrangements("D1")) < set(get_args(Arrangement))
    c = feeder()
    wrong = replace(c, laying=replace(c.laying, arrangement="direct in ground D2, touching"))
    assert "goes with method E" in decide(IEC, wrong).lacking[0]
    assert held(wrong, "iec.overload") is None


def test_earthing_systems_ask_for_what_their_clauses_say():
    c = feeder()
    tn = held(c, "iec.disconnect")
    it = held(replace(c, loop=replace(c.loop, system="IT")), "iec.disconnect")
    with_neutral = held(replace(c, loop=replace(c.loop, system="IT with neutral")), "iec.disconnect")
    assert tn.limit == pytest.approx(0.95 * 230 / 2200)
    assert it.limit == pytest.approx(0.95 * 400 / (2 * 2200))
    assert with_neutral.limit == pytest.approx(0.95 * 230 / (2 * 2200))
    tt = replace(c, loop=Loop("TT", 1.0, 0j, ra_ohm=100.0), device=replace(c.device, i_residual_a=0.3))
    assert (held(tt, "iec.disconnect").value, held(tt, "iec.disconnect").limit) == (30.0, 50.0)
    assert not held(replace(tt, loop=replace(tt.loop, ra_ohm=200.0)), "iec.disconnect").ok
    assert "residual-current device" in decide(IEC, replace(c, loop=Loop("TT", 1.0, 0j, ra_ohm=100.0))).lacking[0]


def test_ground_takes_soil_and_its_own_ambient_and_grouping():
    c = feeder()
    laid = replace(
        c.laying, conductor="copper", method="D2", ambient_degc=25.0, soil_k_m_per_w=1.2, others=1, arrangement="direct in ground D2, touching", loaded_cores=3
    )
    it = tables.iec_capacities("copper", "XLPE", "D2")[95.0]
    assert held(replace(c, laying=laid, h3_pct=0.0), "iec.overload", 95.0).value == pytest.approx(it * 0.96 * 0.75 * 1.28)  # the drier row, 1.5 K·m/W
    for worse in (replace(laid, soil_k_m_per_w=3.1), replace(laid, ambient_degc=85.0), replace(laid, others=6)):
        assert held(replace(c, laying=worse), "iec.overload", 95.0) is None  # beyond the tables nothing is said
        assert decide(IEC, replace(c, laying=worse)).required is None


def test_third_harmonics_move_the_demand_to_the_neutral():
    """39 A on PVC with 20, 40, 50 %: 10, 10, 16 mm² (IEC 60364-5-52, annex E)."""
    base = feeder()
    laid = replace(base.laying, conductor="copper", insulation="PVC", method="C", ambient_degc=30.0, others=0)
    device = replace(base.device, i_set_a=39.0)
    sizes = []
    for h3 in (0.0, 20.0, 40.0, 50.0):
        c = replace(base, laying=laid, device=device, i_b_a=39.0, h3_pct=h3, drop_limit_pct=50.0, heat=Heat(i_a=1.0, t_s=0.01),
                    loop=replace(base.loop, z_source_ohm=0j),
                    relay_a=None)  # fmt: skip
        c = replace(c, device=replace(c.device, i_magnetic_a=10.0))
        asked = {a.rule.id: a.alone.size.area_mm2 for a in decide(IEC, c).applied if a.alone}
        sizes.append(max(asked["iec.overload"], asked.get("iec.harmonic", 0.0)))
    assert sizes == [6.0, 10.0, 10.0, 16.0]


def test_conventional_currents_of_fuses_and_the_national_rule():
    c = feeder()
    of = lambda kind, a: conventional_factor(replace(c.device, kind=kind, i_set_a=a), None)  # noqa: E731
    assert [of("gG", a) for a in (4.0, 6.0, 10.0, 16.0, 250.0)] == [2.1, 1.9, 1.9, 1.6, 1.6]
    assert (of("miniature", 16.0), of("thermal-magnetic", 16.0), of("electronic", 16.0)) == (1.45, 1.3, 1.2)
    fused = replace(c, device=replace(c.device, kind="gG", i_set_a=200.0))
    assert held(fused, "iec.1_45").limit == pytest.approx(200 * 1.6 / 1.45)
    assert "iec.1_45" not in [a.rule.id for a in decide(IEC, replace(fused, preferences=replace(c.preferences, fuse_rule="in"))).applied if a.acts]


def test_heat_of_a_fuse_grows_toward_the_far_end_and_ends_where_it_takes_too_long():
    along = Along(0.01j, 0.95, (100.0, 1000.0, 10000.0), (math.inf, 4e6, 1e6))
    c = replace(feeder(), heat=Heat(i2t_a2s=1e6), along=along)
    k = 94.0
    assert held(c, "iec.withstand", 185.0).limit == pytest.approx(math.sqrt(4e6) / k)  # 6 kA at the far end: between two that are known, the lower counts
    far = replace(c, laying=replace(c.laying, length_m=5000.0))
    assert not held(far, "iec.withstand", 185.0).ok
    assert held(replace(c, along=None), "iec.withstand", 185.0).limit == pytest.approx(1000 / k)


def test_protective_conductors_by_table_and_by_the_heat_of_the_fault():
    assert [protective_by_table("copper", s).area_mm2 for s in (1.5, 16.0, 25.0, 35.0, 50.0, 70.0, 240.0)] == [1.5, 16.0, 16.0, 16.0, 25.0, 35.0, 120.0]
    c = replace(feeder(), pe_heat=Heat(i_a=5000.0, t_s=0.2))
    by = lambda pe_by: next(p for p in parts_of(c2, c2, False, decide(IEC, c2).required, None, None) if p.rule == "iec.pe").required if (  # noqa: E731
        c2 := replace(c, preferences=replace(c.preferences, pe_by=pe_by))) else None  # fmt: skip
    assert by("table") == 95.0
    assert by("calculation") == 25.0  # 5000·√0.2/94 = 23.8
    c = replace(c, pe_heat=Heat(i_a=5e5, t_s=5.0), preferences=replace(c.preferences, pe_by="calculation"))
    beyond = next(p for p in parts_of(c, c, False, decide(IEC, c).required, None, None) if p.rule == "iec.pe")
    assert beyond.ok is False
    assert beyond.required is None
    assert "no size is as large" in beyond.note


def test_a_raceway_that_cannot_be_judged_says_so():
    c = nec_feeder()
    c = replace(c, laying=replace(c.laying, raceway="EMT", wire_type="XHHW-2"))
    part = raceway(c, decide(NEC, c).required, None)
    assert part is not None
    assert part.ok is None
    assert "not known: not judged" in part.note


def test_spare_capacity_and_the_smallest_size_of_a_project():
    c = motor_way()
    assert decide(IEC, replace(c, preferences=replace(c.preferences, smallest_mm2=25.0))).required.size.area_mm2 == 25.0
    n = nec_feeder()
    assert decide(NEC, replace(n, preferences=replace(n.preferences, spare_pct=20.0))).of("nec.terminal").chosen.limit == pytest.approx(378.0)


@pytest.mark.parametrize("make", [motor_way, feeder, nec_motor, nec_feeder])
def test_every_rule_tells_how_it_came_to_what_it_holds(make):
    code = NEC if make in (nec_motor, nec_feeder) else IEC
    c = make()
    decision = decide(code, c)
    for a in decision.applied:
        if not a.acts:
            continue
        w = Working("one")
        told = a.rule.hold(c, decision.required, w)
        assert told == a.chosen
        assert w.entries
        numbers = [e.value for e in w.entries if isinstance(e.value, int | float)]
        assert any(math.isclose(n, told.value, rel_tol=1e-9) or math.isclose(n, told.limit, rel_tol=1e-9) for n in numbers), a.rule.id


def test_a_working_is_asked_for_by_rule_and_refused_where_there_is_none():
    found = sizing([MAIN, INFEED, end("n"), end("f"), {"kind": "fuse", "name": "F", "from_bus": "Main", "to_bus": "n", "i_rated_a": 63.0},
                    cable("W", "n", "f", 10.0, 30.0), {"kind": "load", "name": "E", "bus": "f", "p_mw": 0.02, "q_mvar": 0.01}])  # fmt: skip
    text = explain(found, "W", "iec.1_45").to_text()
    assert "In·k2/1.45" in text
    assert "kept" in text
    assert explain(found, "W", "").title.startswith("W: iec.")
    for element, rule in (("E", "iec.drop"), ("W", "iec.start"), ("W", "nonsense")):
        with pytest.raises(NotFound):
            explain(found, element, rule)


def test_boards_transformers_and_starts_by_hand():
    ways = []
    for n, a in enumerate((100.0, 160.0, 63.0)):
        ways += [end(f"n{n}"), end(f"f{n}"), {"kind": "fuse", "name": f"F{n}", "from_bus": "Main", "to_bus": f"n{n}", "i_rated_a": a}]
        ways += [cable(f"W{n}", f"n{n}", f"f{n}", 70.0, 20.0), {"kind": "load", "name": f"E{n}", "bus": f"f{n}", "p_mw": 0.02, "q_mvar": 0.005}]
    motor = {"kind": "induction_motor", "name": "M", "bus": "f0", "p_rated_kw": 30.0, "v_rated_kv": 0.4, "efficiency_pct": 93.0, "power_factor": 0.86,
             "ilr_over_ir": 7.0, "r_over_x": 0.42}  # fmt: skip
    hv = [{"kind": "bus", "name": "HV", "v_nominal_kv": 11.0}, {**INFEED, "bus": "HV"}, end("l"),
          {"kind": "transformer", "name": "T", "hv_bus": "HV", "lv_bus": "l", "s_rated_mva": 0.1, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "vector_group": "Dyn11",
           "uk_pct": 4.0, "load_loss_kw": 1.5, "neutral_lv": "solid", "z0_over_z1": 0.95, "harmonics": [{"order": 5, "pct": 20.0}]},
          {"kind": "breaker", "name": "Q", "from_bus": "l", "to_bus": "Main", "i_rated_a": 400.0, "trip": "thermal-magnetic", "trip_ir_a": 250.0,
           "trip_im_a": 2500.0}]  # fmt: skip
    found = sizing([*hv, {**MAIN, "i_rated_a": 200.0}, *ways, motor], growth_pct=25.0, dip_pct=8.0)
    of = {e.name: {p.quantity: p for p in e.parts} for e in found.equipment}
    assert of["Main"]["bars"].required == 250.0  # 323 A of three ways, 0.9 of it is 291 A: the main lets 250 through
    assert not of["Main"]["bars"].ok
    assert of["Main"]["bars"].chosen == 250.0
    k = math.sqrt(1 + 0.1 / 1.1 * 5**1.7 * 0.04 / 1.04)
    assert of["T"]["harmonics"].required == pytest.approx(k)
    rating = of["T"]["rated power"]
    s = found.of["W0"].circuit  # three loads and the motor, as the load flow has them
    assert s.i_b_a is not None
    assert rating.required == pytest.approx(
        1.25 * k * 1000 * abs(3 * complex(0.02, 0.005) + 0.03 / 0.93 / 0.86 * complex(0.86, math.sqrt(1 - 0.86**2))), rel=0.08
    )
    assert not rating.ok
    assert rating.chosen == 160.0
    assert not of["T"]["device, secondary"].ok  # 250 A on 144.3
    z = 0.04 * 0.4**2 / 0.1
    s_locked = 7 * 30 / 0.93 / 0.86
    assert of["T"]["dip at a start"].entered == pytest.approx(100 * s_locked / (s_locked + 0.4**2 / z * 1000), rel=0.12)
    assert not of["T"]["dip at a start"].ok
    assert of["T"]["main bonding"].required == 25.0  # half of 35 mm² beside 70, the next size
