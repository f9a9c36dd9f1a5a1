"""What must hold for any circuit: more load or worse laying never asks for less; what is accepted keeps every rule; sizing again changes nothing."""

import math
from dataclasses import replace

from hypothesis import assume, given, settings
from hypothesis import strategies as st
from tests.conftest import network_of

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.model.changes import apply_completed
from northfell.core.model.elements import Cable
from northfell.core.model.settings import Limits
from northfell.core.studies.sizing import CODES, Circuit, Heat, Laying, Loop, NecLoad, Preferences, Protective, decide, in_all_states, propose
from northfell.core.studies.sizing.verdicts import circuits as findings_of

ONE_SET = Preferences(most_sets=1)
LAYERS = "single layer on perforated tray"


@st.composite
def iec_circuits(draw) -> Circuit:
    i_b = draw(st.floats(2, 300))
    laying = Laying(
        draw(st.sampled_from(["copper", "aluminium"])), draw(st.sampled_from(["PVC", "XLPE"])), draw(st.floats(5, 300)), draw(st.sampled_from("CE")),
        ambient_degc=draw(st.floats(10, 55)), arrangement=LAYERS, others=draw(st.integers(0, 7)), loaded_cores=draw(st.sampled_from([3, 4])),
    )  # fmt: skip
    device = Protective("Q", "electronic", i_b * draw(st.floats(1, 1.5)), i_magnetic_a=10 * i_b, tolerance_pct=10)
    return Circuit(
        "e", "W", "load way", 400, 230, 50, laying, i_b, "", draw(st.floats(0.6, 1)), device=device, h3_pct=draw(st.sampled_from([0, 20, 40, 50])),
        neutral=True, drop_limit_pct=draw(st.floats(1, 8)), heat=Heat(i_a=draw(st.floats(500, 20000)), t_s=draw(st.floats(0.01, 1))),
        loop=Loop("TN", draw(st.sampled_from([0.4, 5.0])), complex(0.01, 0.02)), preferences=ONE_SET,
    )  # fmt: skip


@st.composite
def nec_circuits(draw) -> Circuit:
    c, n = draw(st.floats(1, 300)), draw(st.floats(0, 100))
    laying = Laying(
        draw(st.sampled_from(["copper", "aluminium"])), draw(st.sampled_from(["PVC", "XLPE"])), draw(st.floats(3, 100)), ambient_degc=draw(st.floats(10, 50)),
        raceway=draw(st.sampled_from(["EMT", "PVC40", "aluminium conduit"])), carrying_others=draw(st.integers(0, 12)), terminal_degc=75,
    )  # fmt: skip
    return with_load(Circuit(
        "e", "C", "load way", 480, 277, 60, laying, None, "", draw(st.floats(0.6, 1)), device=Protective("Q", "thermal-magnetic", 15.0),
        drop_limit_pct=draw(st.floats(1, 5)), heat=Heat(i_a=draw(st.floats(500, 20000)), t_s=draw(st.floats(0.01, 0.5))), preferences=ONE_SET,
    ), NecLoad(c, n))  # fmt: skip


def with_load(c: Circuit, load: NecLoad) -> Circuit:
    """With the standard device that the load asks for."""
    rating = next(a for a in tables.nec_standard_a() if a >= load.sized_a)
    return replace(c, nec=load, i_b_a=load.loaded_a, device=replace(c.device, i_set_a=rating))


def area(code: str, c: Circuit) -> float:
    """The size that is asked for [mm²]; infinite where none does."""
    decision = decide(CODES[code], c)
    assert not decision.lacking
    return decision.required.size.area_mm2 if decision.required else math.inf


@given(iec_circuits(), st.floats(1, 2))
def test_more_load_never_asks_for_less_by_iec(c, k):
    more = replace(c, i_b_a=k * c.i_b_a, device=replace(c.device, i_set_a=k * c.device.i_set_a, i_magnetic_a=k * c.device.i_magnetic_a))
    assert area("IEC 60364", more) >= area("IEC 60364", c)


@given(iec_circuits(), st.integers(0, 5), st.floats(0, 25), st.floats(1, 2))
def test_worse_laying_and_more_heat_never_ask_for_less_by_iec(c, others, hotter, longer):
    base = area("IEC 60364", c)
    worse = replace(c.laying, others=c.laying.others + others, ambient_degc=c.laying.ambient_degc + hotter, length_m=longer * c.laying.length_m)
    assert area("IEC 60364", replace(c, laying=worse, heat=replace(c.heat, i_a=longer * c.heat.i_a))) >= base


@given(nec_circuits(), st.floats(1, 1.5), st.floats(0, 50))
def test_more_load_never_asks_for_less_by_the_nec(c, k, more):
    load = NecLoad(k * c.nec.continuous_a, c.nec.other_a + more)
    assume(load.sized_a <= 800)
    assert area("NEC 2023", with_load(c, load)) >= area("NEC 2023", c)


@given(nec_circuits(), st.integers(0, 12), st.floats(0, 20), st.floats(1, 2))
def test_worse_laying_never_asks_for_less_by_the_nec(c, others, hotter, longer):
    laid = c.laying
    worse = replace(laid, carrying_others=laid.carrying_others + others, ambient_degc=laid.ambient_degc + hotter, length_m=longer * laid.length_m)
    assert area("NEC 2023", replace(c, laying=worse)) >= area("NEC 2023", c)


@given(iec_circuits())
def test_what_decides_asks_for_that_very_size_and_no_smaller_one_will_do(c):
    code = CODES["IEC 60364"]
    decision = decide(code, c)
    assume(decision.required is not None)
    for a in decision.applied:
        if a.alone:
            assert a.chosen.ok
            assert (a.rule.id in decision.deciding) <= (a.alone.size == decision.required.size)
    smaller = [s for s in code.sizes(c, 1) if s.area_mm2 < decision.required.size.area_mm2]
    if smaller:
        one = replace(decision.required, size=smaller[-1], pe=code.protective(c, smaller[-1], 1))
        assert any(a.alone and not a.rule.hold(c, one, None).ok for a in decision.applied)


# --- in a network

SOURCE = [
    {"kind": "bus", "name": "Main", "v_nominal_kv": 0.4},
    {
        "kind": "infeed",
        "name": "G",
        "bus": "Main",
        "ik_max_ka": 25.0,
        "ik_min_ka": 18.0,
        "r_over_x": 0.3,
        "neutral": "solid",
        "x0_over_x1": 1.0,
        "r0_over_x0": 0.3,
    },
]


@st.composite
def radial(draw) -> list[dict]:
    """A board with ways, some through a board below, each with a breaker, a cable and a load or a motor; sizes as they come, perhaps none."""
    made = [*SOURCE]
    boards = ["Main"]
    if draw(st.booleans()):
        made += _way(draw, 0, "Main", {"kind": "bus", "name": "Sub", "v_nominal_kv": 0.4}, 400.0)
        boards.append("Sub")
    for n in range(1, draw(st.integers(1, 3)) + 1):
        kw = draw(st.floats(1, 60))
        fed = {"kind": "induction_motor", "name": f"M{n}", "p_rated_kw": kw, "v_rated_kv": 0.4, "efficiency_pct": 92.0, "power_factor": 0.86,
               "ilr_over_ir": 6.5, "r_over_x": 0.42, "starter": draw(st.sampled_from(["direct", "drive"]))}  # fmt: skip
        if draw(st.booleans()):
            fed = {"kind": "load", "name": f"E{n}", "p_mw": kw / 1000, "q_mvar": kw / 2000, "serves": draw(st.sampled_from(["fixed equipment", "lighting"]))}
        made += _way(draw, n, draw(st.sampled_from(boards)), fed, 2.2 * kw)
    return made


def _way(draw, n: int, board: str, fed: dict, about_a: float) -> list[dict]:
    near, far = ({"kind": "bus", "name": f"{end}{n}", "v_nominal_kv": 0.4, "bus_kind": "junction"} for end in ("near", "far"))
    ir = about_a * draw(st.floats(0.7, 1.6))
    breaker = {"kind": "breaker", "name": f"Q{n}", "from_bus": board, "to_bus": f"near{n}", "i_rated_a": 1600.0, "trip": "electronic", "trip_ir_a": ir,
               "trip_tr_s": 4.0, "trip_ii_a": 8 * ir, "i_breaking_ka": 50.0, "rated_by": "IEC 60947-2"}  # fmt: skip
    area = draw(st.sampled_from([2.5, 10.0, 35.0, 95.0, 240.0]))
    end = fed["name"] if fed["kind"] == "bus" else f"far{n}"
    cable = {"kind": "cable", "name": f"W{n}", "from_bus": f"near{n}", "to_bus": end, "length_m": draw(st.floats(5, 80)), "conductor": "copper",
             "insulation": draw(st.sampled_from(["PVC", "XLPE"])), "cores": "4", "area_mm2": area, "method": draw(st.sampled_from("CE")), "route": "tray",
             "arrangement": LAYERS, "r_ohm_per_km": 18.51 / area, "x_ohm_per_km": 0.09, "r0_ohm_per_km": 74 / area, "x0_ohm_per_km": 0.36,
             "t_end_degc": 160.0}  # fmt: skip
    return [near, breaker, cable, fed] if fed["kind"] == "bus" else [near, breaker, cable, far, {**fed, "bus": f"far{n}"}]


@settings(max_examples=25)
@given(radial())
def test_an_accepted_proposal_leaves_no_finding_and_sizing_again_changes_nothing(elements):
    network = network_of(elements, sizing={"drop_feeder_pct": 3.0, "largest_mm2": 240.0})
    cables = [e.id for e in network.elements.values() if isinstance(e, Cable)]
    proposal = propose(network, cables)
    after = apply_completed(network, proposal.change)[0]
    unsolved = {line.split(":")[0] for line in proposal.left}
    found, without = in_all_states(after)
    assert not without
    left = [f.text for sizing in found for f in findings_of(sizing, Limits()) if f.element not in unsolved]
    assert not left
    assert not propose(after, cables).rows


def test_sizes_are_found_where_none_is_entered():
    way = [e | ({"area_mm2": None, "r_ohm_per_km": None, "x_ohm_per_km": None} if e["kind"] == "cable" else {}) for e in _fixed_way()]
    network = network_of([*SOURCE, *way])
    (row,) = propose(network, ["W1"]).rows
    after = apply_completed(network, row.change)[0].elements["W1"]
    assert after.area_mm2 == 35.0  # 10 mm² carry its 63 A; 25 kA with their direct part for 17 ms, 32.0 kA·√0.017 s/143, ask for 29.2
    assert "iec.withstand" in row.because[0]
    assert None not in (after.r_ohm_per_km, after.x_ohm_per_km, after.r0_ohm_per_km, after.i_rated_a)
    assert "catalogue" in after.origins["r_ohm_per_km"]


def _fixed_way() -> list[dict]:
    near, far = ({"kind": "bus", "name": f"{end}1", "v_nominal_kv": 0.4, "bus_kind": "junction"} for end in ("near", "far"))
    breaker = {"kind": "breaker", "name": "Q1", "from_bus": "Main", "to_bus": "near1", "i_rated_a": 100.0, "trip": "thermal-magnetic", "trip_ir_a": 63.0,
               "trip_im_a": 630.0}  # fmt: skip
    cable = {"kind": "cable", "name": "W1", "from_bus": "near1", "to_bus": "far1", "length_m": 60.0, "conductor": "copper", "insulation": "XLPE", "cores": "4",
             "method": "E", "t_end_degc": 250.0}  # fmt: skip
    return [near, breaker, cable, far, {"kind": "load", "name": "E1", "bus": "far1", "p_mw": 0.03, "q_mvar": 0.01}]
