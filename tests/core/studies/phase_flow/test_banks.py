"""Banks of one-phase units, centre taps, autotransformers, three windings, loads spread along a line and controls in delta, by phase."""

import math

import numpy as np
import pytest
from tests.conftest import network_of

from northfell.core.errors import CannotRun, InputRefused, NetworkRefused
from northfell.core.network import compile_network
from northfell.core.studies import load_flow, short_circuit
from northfell.core.studies.phase_flow import run_by_phase


def by_phase(elements, **settings):
    return run_by_phase(compile_network(network_of(elements, **settings), "Normal"))


def rows(made, table: str) -> list[dict]:
    return list(next(t for t in made.tables() if t.name == table).records())


def bus(name: str, kv: float, **more) -> dict:
    return {"kind": "bus", "name": name, "v_nominal_kv": kv, "bus_kind": "junction", **more}


def phasors(made, table="buses", value="v_kv", angle="angle_deg") -> dict:
    keys = ("name", "phase") if table == "buses" else ("element", "terminal", "phase")
    return {tuple(r[k] for k in keys): r[value] * np.exp(1j * np.radians(r[angle])) for r in rows(made, table) if r[value] is not None}


def currents(made) -> dict:
    return phasors(made, "terminals", "i_a", "i_angle_deg")


def unit(high: str, low: str, s=0.025, v_high=7.2, v_low=0.24, uk=2.332, ur=1.2, **more) -> dict:
    return {"high": high, "low": low, "s_rated_mva": s, "v_high_kv": v_high, "v_low_kv": v_low, "uk_pct": uk, "ur_pct": ur, **more}


def part(between: str, kw: float, kvar: float = 0.0) -> dict:
    return {"between": between, "p_mw": kw / 1000, "q_mvar": kvar / 1000}


SERVICE = [bus("A", 7.2 * math.sqrt(3), conductors="abc"), bus("B", 0.24, conductors="12n"), {"kind": "infeed", "name": "G", "bus": "A"}]


def centre(loads, **more):
    made = unit("a", "1n2", uk=math.hypot(1.2, 2.0), **more)
    return by_phase([*SERVICE, {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "neutral_lv": "solid", "bank_units": [made]},
                     {"kind": "load", "name": "E", "bus": "B", "characteristic": "impedance", "by_phase": loads}])  # fmt: skip


def test_a_centre_tap_as_worked_by_hand():
    """25 kVA, 7200/120-120 V, 1.2 % and 2 %, interlaced; 2.4, 7.2 and 14.4 ohm: the checked figures of the model."""
    made = centre([part("1", 6), part("2", 2), part("12", 4)])
    v = phasors(made)
    assert (abs(v["B", "1"] - v["B", "n"]) * 1000, abs(v["B", "n"] - v["B", "2"]) * 1000) == pytest.approx((119.1929, 119.4217), abs=2e-4)
    i = currents(made)
    leaving = -i["T", 1, "1"]
    assert (abs(leaving), abs(i["T", 1, "2"]), abs(i["T", 1, "n"]), abs(i["T", 0, "a"])) == pytest.approx((66.234, 33.157, 33.077, 1.6565), abs=2e-3)
    assert math.degrees(np.angle(v["B", "1"] - v["B", "n"])) == pytest.approx(-0.583, abs=1e-3)
    (branch,) = rows(made, "branches")
    assert (branch["governing_phase"], branch["loading_pct"]) == ("1", pytest.approx(100 * 66.234 / (25e3 / 240), abs=0.01))
    assert branch["rating"] == pytest.approx(0.0125)
    found = {(r["name"], r["phase"]): r for r in rows(made, "buses")}
    assert found["B", "1"]["v_ll_pu"] == pytest.approx((119.1929 + 119.4217) / 240, abs=1e-4)
    assert found["B", "1"]["v_ln_pu"] == pytest.approx(119.1929 / 120, abs=1e-5)


def test_halves_that_are_not_interlaced_differ_more_under_a_load_of_one_leg():
    def apart(**more):
        v = phasors(centre([part("1", 10)], **more))
        return abs(v["B", "n"] - v["B", "2"]) - abs(v["B", "1"] - v["B", "n"])

    assert apart(halves="not interlaced") > 1.5 * apart() > 0


def test_a_service_whose_neutral_is_open_shifts_its_legs():
    """Between 1 and 2 nothing changes; between each leg and the floating neutral of the loads the voltage is shared by their impedances."""
    house = bus("C", 0.24, conductors="12n")
    switch = {"kind": "switch", "name": "Q", "from_bus": "B", "to_bus": "C", "open_poles": "n"}
    made = by_phase([*SERVICE, house, switch,
                     {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "neutral_lv": "solid", "bank_units": [unit("b", "1n2")]},
                     {"kind": "load", "name": "E", "bus": "C", "characteristic": "impedance", "by_phase": [part("1", 6), part("2", 2)]}])  # fmt: skip
    found = {(r["name"], r["phase"]): r["v_ln_pu"] for r in rows(made, "buses")}
    assert found["C", "1"] / found["C", "2"] == pytest.approx(2 / 6, rel=1e-6)
    assert found["C", "1"] + found["C", "2"] == pytest.approx(found["B", "1"] + found["B", "2"], rel=1e-6)


@pytest.mark.parametrize(
    ("group", "highs", "lows", "v_high", "v_low"),
    [("Dyn11", ("ab", "bc", "ca"), ("a", "b", "c"), 11.0, 0.4 / math.sqrt(3)), ("Dyn1", ("ac", "ba", "cb"), ("a", "b", "c"), 11.0, 0.4 / math.sqrt(3)),
     ("YNyn0", ("a", "b", "c"), ("a", "b", "c"), 11 / math.sqrt(3), 0.4 / math.sqrt(3)), ("Dd0", ("ab", "bc", "ca"), ("ab", "bc", "ca"), 11.0, 0.4),
     ("YNd1", ("a", "b", "c"), ("ab", "bc", "ca"), 11 / math.sqrt(3), 0.4)],
)  # fmt: skip
def test_three_like_units_are_the_transformer_of_their_group(group, highs, lows, v_high, v_low):
    earthed = {"neutral_hv": "solid", "neutral_lv": "solid", "tap_pct": 2.5, "hv_bus": "A", "lv_bus": "B"}
    whole = {"vector_group": group, "s_rated_mva": 0.6, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 5.0, "ur_pct": 1.0, "no_load_loss_kw": 3.0,
             "no_load_current_pct": 2.0}  # fmt: skip
    units = [unit(h, low, 0.2, v_high, v_low, 5.0, 1.0, no_load_loss_kw=1.0, no_load_current_pct=2.0) for h, low in zip(highs, lows, strict=True)]
    loads = [part("ab", 90, 30), part("bc", 40, 20), part("ca", 70)]
    rest = [bus("A", 11.0), bus("B", 0.4), {"kind": "infeed", "name": "G", "bus": "A"}, {"kind": "load", "name": "E", "bus": "B", "by_phase": loads}]
    one, other = (by_phase([*rest, {"kind": "transformer", "name": "T", **earthed, **data}]) for data in (whole, {"bank_units": units}))
    keys = "v_pu", "angle_deg", "v_ll_pu"
    for a, b in zip(rows(one, "buses"), rows(other, "buses"), strict=True):
        assert [b[k] or 0.0 for k in keys] == pytest.approx([a[k] or 0.0 for k in keys], rel=1e-9)
    (a,), (b,) = rows(one, "branches"), rows(other, "branches")
    assert [b[k] for k in ("loading_pct", "rating", "loss_mw")] == pytest.approx([a[k] for k in ("loading_pct", "rating", "loss_mw")], rel=1e-9)


def open_bank(units, kw: float, v_high=12.47) -> tuple:
    loads = [part(p, kw / 3) for p in ("ab", "bc", "ca")]
    made = by_phase([bus("A", 12.47), bus("B", 0.48), {"kind": "infeed", "name": "G", "bus": "A"},
                     {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "neutral_hv": "solid", "bank_units": units},
                     {"kind": "load", "name": "E", "bus": "B", "characteristic": "current", "by_phase": loads}])  # fmt: skip
    return made, rows(made, "branches")[0]


def test_an_open_bank_gives_577_per_mille_of_the_closed_one_and_says_which_unit_is_full():
    s = 0.1
    closed = [unit(p, p, s, 12.47, 0.48) for p in ("ab", "bc", "ca")]
    for units in (closed[:2], [unit("a", "ab", s, 7.2, 0.48), unit("b", "bc", s, 7.2, 0.48)]):
        made, branch = open_bank(units, 1000 * math.sqrt(3) * s)
        assert branch["loading_pct"] == pytest.approx(100, rel=0.004)  # 86.6 % of 200 kVA, 57.7 % of 300 kVA
        ll = [r["v_ll_pu"] for r in rows(made, "buses") if r["name"] == "B"]
        assert min(ll) > 0.95
        assert max(ll) - min(ll) > 0.003
        assert rows(made, "buses")[-1]["v_pu"] is None  # the low side floats: only voltages between phases are told
    _, branch = open_bank(closed, 300)
    assert branch["loading_pct"] == pytest.approx(100, rel=0.002)


def test_an_open_wye_draws_its_current_through_the_neutral():
    """Open wye–open delta under a balanced load: the currents of both units are 60° apart, and √3 times either returns by earth."""
    made, _ = open_bank([unit("a", "ab", 0.1, 7.2, 0.48), unit("b", "bc", 0.1, 7.2, 0.48)], 100)
    earth = next(r["i_earth_a"] for r in rows(made, "residuals") if r["element"] == "T" and r["terminal"] == 0)
    i = currents(made)
    assert ("T", 0, "c") not in i
    assert earth == pytest.approx(abs(i["T", 0, "a"] + i["T", 0, "b"]), rel=1e-9)
    assert earth == pytest.approx(math.sqrt(3) * abs(i["T", 0, "a"]), rel=0.01)


def test_units_in_wye_share_one_star_point():
    """Behind a resistor the star point carries the sum of what both units draw."""
    units = [unit("a", "a", 0.1, 7.2, 0.2771), unit("b", "b", 0.1, 7.2, 0.2771)]
    made = by_phase([bus("A", 12.47), bus("B", 0.48), {"kind": "infeed", "name": "G", "bus": "A"},
                     {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "neutral_hv": "solid", "neutral_lv": "resistor", "neutral_lv_ohm": 1.5,
                      "bank_units": units},
                     {"kind": "load", "name": "E", "bus": "B", "characteristic": "impedance", "by_phase": [part("ab", 40)]}])  # fmt: skip
    i = currents(made)
    assert i["T", 1, "a"] == pytest.approx(-i["T", 1, "b"], rel=1e-6)  # one star point: what a gives, b takes, and nothing goes to earth
    assert abs(i["T", 1, "a"]) > 50


@pytest.mark.parametrize(
    ("units", "told"),
    [([unit("a", "1n2", v_low=0.48)], "conductors is “1n2”"), ([unit("ab", "a", v_high=12.47, v_low=0.277, ur=9.0)], "ur_pct is 9"), ([unit("d", "a")], "high"),
     ([unit("ab", "ab", v_high=12.47, v_low=480.0)], "v_low_kv of ab/ab is 480, accepted is within .* of 0.48 kV"),
     ([unit("a", "a", v_high=12.47, v_low=0.277)], "v_high_kv of a/a is 12.47")],
)  # fmt: skip
def test_units_that_do_not_fit_are_refused_with_the_place(units, told):
    with pytest.raises((CannotRun, NetworkRefused, InputRefused), match=told):
        by_phase([bus("A", 12.47), bus("B", 0.48), {"kind": "infeed", "name": "G", "bus": "A"},
                  {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "bank_units": units}])  # fmt: skip


def test_balanced_studies_leave_units_out_and_say_so():
    source = {"kind": "infeed", "ik_max_ka": 5.0, "ik_min_ka": 4.0, "r_over_x": 0.1}
    bank = {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "bank_units": [unit("ab", "ab", 0.1, 12.47, 0.48)]}
    buses = [bus("A", 12.47), bus("B", 0.48), bus("D", 12.47)]
    network = network_of([*buses, {**source, "name": "G", "bus": "A"}, {**source, "name": "H", "bus": "D"}, bank])
    net = compile_network(network, "Normal")
    for study in (load_flow, short_circuit):
        result = study.run(net)
        assert any("made of one-phase units" in reason for one in result.net.held_back for reason in one.reasons)


def same_as_balanced(elements) -> None:
    net = compile_network(network_of(elements), "Normal")
    balanced, made = load_flow.run(net), run_by_phase(net)
    v = {r["name"]: r["v_ll_pu"] for r in rows(made, "buses") if r["phase"] == "a"}
    for name, value in v.items():
        assert value == pytest.approx(abs(balanced.v[net.topology.bus_index[name]]), abs=1e-7)
    assert made.summary["losses_mw"] == pytest.approx(balanced.summary["losses_mw"], rel=1e-5)
    turned = {r["name"]: r["angle_deg"] for r in rows(made, "buses") if r["phase"] == "a" and r["angle_deg"] is not None}
    for name, angle in turned.items():
        assert (angle - math.degrees(np.angle(balanced.v[net.topology.bus_index[name]])) + 180) % 360 == pytest.approx(180, abs=1e-5)


@pytest.mark.parametrize("group", ["YNyn0d11", "YNyn0d5", "Dyn11yn1", "YNd1d11", "Dyn5d0", "YNyn0yn6"])
def test_three_windings_are_those_of_the_balanced_load_flow(group):
    earthed = {f"neutral_{side}": "solid" for side in ("hv", "mv", "lv")}
    same_as_balanced([
        bus("A", 132.0), bus("B", 33.0), bus("C", 11.0), {"kind": "infeed", "name": "G", "bus": "A"},
        {"kind": "three_winding_transformer", "name": "T", "hv_bus": "A", "mv_bus": "B", "lv_bus": "C", "vector_group": group, "s_hv_mva": 60.0,
         "s_mv_mva": 60.0, "s_lv_mva": 20.0, "v_hv_kv": 132.0, "v_mv_kv": 33.5, "v_lv_kv": 11.2, "uk_hv_mv_pct": 12.0, "uk_hv_lv_pct": 6.0,
         "uk_mv_lv_pct": 3.0, "ur_hv_mv_pct": 0.5, "ur_hv_lv_pct": 0.4, "ur_mv_lv_pct": 0.3, "tap_pct": -2.5, **earthed},
        {"kind": "load", "name": "E", "bus": "B", "p_mw": 30.0, "q_mvar": 12.0}, {"kind": "load", "name": "F", "bus": "C", "p_mw": 9.0, "q_mvar": 3.0},
    ])  # fmt: skip


@pytest.mark.parametrize("group", [*(f"Dzn{h}" for h in range(0, 12, 2)), *(f"Yzn{h}" for h in range(1, 12, 2)), "ZNd0", "ZNd8", "ZNy1", "ZNyn5"])
def test_a_zigzag_winding_is_that_of_the_balanced_load_flow(group):
    same_as_balanced([
        bus("A", 11.0), bus("B", 0.4), {"kind": "infeed", "name": "G", "bus": "A"},
        {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "vector_group": group, "s_rated_mva": 0.4, "v_hv_kv": 11.0, "v_lv_kv": 0.42,
         "uk_pct": 4.0, "ur_pct": 1.2, "tap_pct": 2.5, "neutral_lv": "solid", "neutral_hv": "solid", "z0_over_z1": 0.1, "core": "three-limb"},
        {"kind": "load", "name": "E", "bus": "B", "p_mw": 0.2, "q_mvar": 0.1},
    ])  # fmt: skip


def test_a_zigzag_winding_carries_a_load_of_one_phase_on_two_limbs_of_the_other_side():
    """Yzn: the ampere-turns of one phase stand on two limbs, so that the star point of the high side stays where it is."""
    made = by_phase([
        bus("A", 11.0), bus("B", 0.4), {"kind": "infeed", "name": "G", "bus": "A"},
        {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "vector_group": "Yzn11", "s_rated_mva": 0.1, "v_hv_kv": 11.0, "v_lv_kv": 0.4,
         "uk_pct": 4.0, "ur_pct": 1.2, "neutral_lv": "solid", "z0_over_z1": 0.1},
        {"kind": "load", "name": "E", "bus": "B", "characteristic": "current", "by_phase": [part("a", 20)]},
    ])  # fmt: skip
    i = currents(made)
    turns = 11e3 / 400  # of the halves: 1/√3 of that, twice
    assert [abs(i["T", 0, p]) * turns * math.sqrt(3) / abs(i["T", 1, "a"]) for p in "abc"] == pytest.approx([1, 1, 0], abs=1e-6)
    assert rows(made, "branches")[0]["loading_pct"] == pytest.approx(100 * abs(i["T", 1, "a"]) / (1e5 / 400 / math.sqrt(3)), rel=1e-6)
    with pytest.raises(CannotRun, match="odd clock numbers beside a star"):
        by_phase([bus("A", 11.0), bus("B", 0.4), {"kind": "infeed", "name": "G", "bus": "A"},
                  {"kind": "transformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "vector_group": "Yzn0", "s_rated_mva": 0.1, "v_hv_kv": 11.0,
                   "v_lv_kv": 0.4, "uk_pct": 4.0, "ur_pct": 1.2, "neutral_lv": "solid"}])  # fmt: skip


def test_an_autotransformer_is_that_of_the_balanced_load_flow_and_shares_its_star_point():
    elements = [
        bus("A", 132.0), bus("B", 66.0), {"kind": "infeed", "name": "G", "bus": "A"},
        {"kind": "autotransformer", "name": "T", "hv_bus": "A", "lv_bus": "B", "vector_group": "YNa0", "s_rated_mva": 40.0, "v_hv_kv": 132.0,
         "v_lv_kv": 66.0, "uk_pct": 8.0, "ur_pct": 0.4, "tap_pct": 1.25, "neutral_lv": "solid"},
        {"kind": "load", "name": "E", "bus": "B", "p_mw": 30.0, "q_mvar": 12.0},
    ]  # fmt: skip
    same_as_balanced(elements)
    elements[-1] = {"kind": "load", "name": "E", "bus": "B", "by_phase": [part("a", 9000)]}
    i = currents(by_phase(elements))
    assert abs(i["T", 0, "a"] / i["T", 1, "a"]) == pytest.approx(1 / (2 * 1.0125), rel=1e-6)


LINE = {"kind": "line", "name": "W", "from_bus": "A", "to_bus": "B", "r_ohm_per_km": 0.4, "x_ohm_per_km": 0.35, "r0_ohm_per_km": 0.6, "x0_ohm_per_km": 1.2,
        "i_rated_a": 200.0}  # fmt: skip


@pytest.mark.parametrize("at", ["A", "B"])
def test_a_load_spread_along_a_line_falls_and_loses_as_many_small_ones_do(at):
    """The limit of 600 loads of constant current along the line; to the line's terminal comes all of what it draws, whichever end its bus is."""
    n, loads = 600, [part("a", 300, 100), part("bc", 200)]
    made = by_phase([bus("A", 4.16), bus("B", 4.16), {"kind": "infeed", "name": "G", "bus": "A"}, {**LINE, "length_m": 1200.0},
                     {"kind": "load", "name": "E", "bus": at, "characteristic": "current", "along": "W", "by_phase": loads}])  # fmt: skip
    many = [bus("0", 4.16), {"kind": "infeed", "name": "G", "bus": "0"}]
    for k in range(n):
        small = [{**p, "p_mw": p["p_mw"] / n, "q_mvar": p["q_mvar"] / n} for p in loads]
        many += [bus(f"m{k}", 4.16), bus(f"{k + 1}", 4.16),
                 {**LINE, "name": f"W{k}", "from_bus": f"{k}", "to_bus": f"m{k}", "length_m": 1200 / n / 2},
                 {**LINE, "name": f"V{k}", "from_bus": f"m{k}", "to_bus": f"{k + 1}", "length_m": 1200 / n / 2},
                 {"kind": "load", "name": f"E{k}", "bus": f"m{k}", "characteristic": "current", "by_phase": small}]  # fmt: skip
    true, v = phasors(by_phase(many)), phasors(made)
    fallen = [abs(v["A", p] - v["B", p]) for p in "abc"]
    assert fallen == pytest.approx([abs(true["0", p] - true[f"{n}", p]) for p in "abc"], rel=2e-3)
    assert made.summary["losses_mw"] == pytest.approx(by_phase(many).summary["losses_mw"], rel=4e-3)
    i = currents(made)
    assert sum(r["p_mw"] for r in rows(made, "loads")) == pytest.approx(sum(r["p_mw"] for r in rows(made, "terminals") if r["element"] == "W") -
                                                                       made.summary["losses_mw"], rel=1e-9)  # fmt: skip
    assert abs(i["W", 1, "a"]) < 1e-6 < abs(i["W", 0, "a"])


def test_a_load_spread_along_a_line_that_is_not_at_its_bus_is_refused():
    with pytest.raises(CannotRun, match="a line that ends at bus C"):
        by_phase([bus("A", 4.16), bus("B", 4.16), bus("C", 4.16), {"kind": "infeed", "name": "G", "bus": "A"}, {**LINE, "length_m": 100.0},
                  {**LINE, "name": "X", "from_bus": "B", "to_bus": "C", "length_m": 100.0},
                  {"kind": "load", "name": "E", "bus": "C", "along": "W", "p_mw": 0.1, "q_mvar": 0.0}])  # fmt: skip


@pytest.mark.parametrize("connection", ["open delta", "closed delta"])
def test_the_compensator_of_units_in_delta_sees_the_voltage_at_the_far_end(connection):
    """With R + jX = √3·z·CT/PT the relay has |U at the far end|/PT of its phases: it holds for both turns, of 30° forward and back."""
    ct, pt, z1 = 300.0, 40.0, complex(0.4, 0.35) * 3.0
    drop = math.sqrt(3) * z1 * ct / pt
    units = [{"phase": p, "tap": 0, "v_set_v": 120.0, "drop_r_v": drop.real, "drop_x_v": drop.imag} for p in ("ac" if connection == "open delta" else "abc")]
    made = by_phase([
        bus("A", 4.8), bus("R", 4.8), bus("B", 4.8), {"kind": "infeed", "name": "G", "bus": "A"},
        {"kind": "step_regulator", "name": "T", "from_bus": "A", "to_bus": "R", "connection": connection, "regulator_units": units, "control": "each phase",
         "pt_ratio": pt, "ct_primary_a": ct, "band_v": 2.0},
        {**LINE, "from_bus": "R", "length_m": 3000.0}, {"kind": "load", "name": "E", "bus": "B", "p_mw": 1.2, "q_mvar": 0.5, "connection": "delta"},
    ])  # fmt: skip
    v = phasors(made)
    for r in rows(made, "regulators"):
        p, q = r["phase"], "b" if connection == "open delta" else {"a": "b", "b": "c", "c": "a"}[r["phase"]]
        at_the_end = 1000 * abs(v["B", p] - v["B", q]) / pt
        assert r["v_relay_v"] == pytest.approx(at_the_end, rel=0.004)  # the phases' currents differ a little, by the taps
        assert abs(r["v_relay_v"] - 120) <= 1
        assert (r["tap"] > 0, r["target"]) == (True, "held")
