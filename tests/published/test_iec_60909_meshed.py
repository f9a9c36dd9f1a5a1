"""The meshed network of IEC TR 60909-4 with its power station units, three-winding transformers and motors: initial three-phase currents to all printed digits.

What the file tells of the zero sequence stands in it too: earth faults are computed beside, and where its data are lacking they are not.
"""

import json
import math
from pathlib import Path

import pytest
from tests.conftest import network_of

from northfell.app.results.studies import StateResults
from northfell.core.studies.short_circuit import SHORT_CIRCUIT

CASE = json.loads((Path(__file__).parent / "data/iec60909_meshed.json").read_text())
GIVEN = CASE["input"]
TAPS = {"tap_changer": "holds voltage", "tap_lowest_pct": -10.0, "tap_highest_pct": 10.0, "tap_step_pct": 1.25}


def _units():
    for unit in GIVEN["unit_generators"]:
        g, t = unit["id"].split("+")
        star = {"neutral_hv": "reactor", "neutral_hv_ohm": float(unit["HV_neutral"]["X_ohm"])} if unit["HV_neutral"]["earthed"] else {"neutral_hv": "isolated"}
        yield {"kind": "bus", "name": f"{g} terminals", "v_nominal_kv": float(unit["UrG_kV"])}
        yield {**_machine(unit), "name": g, "bus": f"{g} terminals", "p_g_pct": 100 * unit.get("pG", 0.0)}
        yield {"kind": "transformer", "name": t, "hv_bus": unit["bus"], "lv_bus": f"{g} terminals", "s_rated_mva": float(unit["SrT_MVA"]),
               "v_hv_kv": float(unit["UrTHV_kV"]), "v_lv_kv": float(unit["UrTLV_kV"]), "uk_pct": float(unit["uk_pct"]), "ur_pct": unit["uR_pct"],
               "vector_group": unit["group"], "z0_over_z1": unit.get("X0T_X1T", 1.0), **star, **(TAPS if unit["on_load_tap_changer"] else {})}  # fmt: skip


def _machine(g):
    return {"kind": "synchronous_generator", "s_rated_mva": float(g["SrG_MVA"]), "v_rated_kv": float(g["UrG_kV"]), "power_factor_rated": g["cosphi"],
            "xd2_pct": 100 * g["xd2_pu"], "r_stator_ohm": g["RG_ohm"], "neutral": "isolated", "xd_pct": 100 * g["xd_pu"]}  # fmt: skip


def _three_windings(t):
    """The zero sequence stands between the earthed winding and the delta: 2.1 times the reactance of the pair of high and medium side, on 50 MVA."""
    x0, r0 = 2.1 * math.sqrt(t["uk_HVMV_pct"] ** 2 - t["uR_HVMV_pct"] ** 2) / 7, t["uR_HVMV_pct"] / 7
    pairs = {"hv_mv": "HVMV", "hv_lv": "HVLV", "mv_lv": "MVLV"}
    zero = {f"{what}0_{pair}_pct": v for pair in ("hv_lv", "mv_lv") for what, v in (("uk", math.hypot(x0, r0)), ("ur", r0))}
    hv, mv, lv = t["buses"]
    return {"kind": "three_winding_transformer", "name": t["id"], "hv_bus": hv, "mv_bus": mv, "lv_bus": lv, "vector_group": t["group"],
            **{f"v_{side.lower()}_kv": float(t[f"Ur{side}_kV"]) for side in ("HV", "MV", "LV")},
            "s_hv_mva": 350.0, "s_mv_mva": 350.0, "s_lv_mva": 50.0,
            **{f"uk_{ours}_pct": float(t[f"uk_{theirs}_pct"]) for ours, theirs in pairs.items()},
            **{f"ur_{ours}_pct": t[f"uR_{theirs}_pct"] for ours, theirs in pairs.items()}, **zero,
            **{f"neutral_{side}": "solid" if t["earthed_star_point"] == side.upper() else "isolated" for side in ("hv", "mv")}}  # fmt: skip


def elements():
    yield from ({"kind": "bus", "name": n, "v_nominal_kv": float(kv)} for n, kv in GIVEN["buses_kV"].items())
    for q in GIVEN["feeders"]:
        level = float(q["Ikss_kA"])
        yield {"kind": "infeed", "name": q["id"], "bus": q["bus"], "ik_max_ka": level, "ik_min_ka": level, "r_over_x": q["R_X"], "neutral": "solid",
               "x0_over_x1": q["X0_X1"], "r0_over_x0": q["R0_X0"]}  # fmt: skip
    yield from _units()
    yield from ({**_machine(g), "name": g["id"], "bus": g["bus"]} for g in GIVEN["generators"])
    yield from (_three_windings(t) for t in GIVEN["transformers_3w"])
    for t in GIVEN["transformers_2w"]:
        yield {"kind": "transformer", "name": t["id"], "hv_bus": t["hv"], "lv_bus": t["lv"], "v_hv_kv": float(t["UrHV_kV"]), "v_lv_kv": t["UrLV_kV"],
               "s_rated_mva": t["SrT_MVA"], "uk_pct": float(t["uk_pct"]), "ur_pct": t["uR_pct"], "vector_group": "Yd5", "z0_over_z1": 1.0}  # fmt: skip
    for m in GIVEN["motors"]:
        yield {"kind": "induction_motor", "name": m["id"], "bus": m["bus"], "p_rated_kw": 1000 * m["PrM_MW"], "v_rated_kv": float(m["UrM_kV"]),
               "efficiency_pct": 100 * m["eta"], "power_factor": m["cosphi"], "ilr_over_ir": m["Ilr_Ir"], "r_over_x": m["R_X"],
               "pole_pairs": m["pole_pairs"]}  # fmt: skip
    for line in GIVEN["lines"]:
        zero = {"r0_ohm_per_km": line["r0"], "x0_ohm_per_km": line["x0"], "c0_uf_per_km": 0.005} if line["r0"] else {}
        yield {"kind": "line", "name": line["id"], "from_bus": line["from"], "to_bus": line["to"], "length_m": 1000.0 * line["km"],
               "r_ohm_per_km": line["r1"], "x_ohm_per_km": line["x1"], "t_end_degc": 80.0, **zero}  # fmt: skip


@pytest.fixture(scope="module")
def faults():
    return StateResults(network_of(list(elements())), "Normal").result(SHORT_CIRCUIT)


@pytest.mark.parametrize(("bus", "printed_ka"), [("1", 40.6447), ("2", 31.7831), ("3", 19.673), ("4", 16.2277)])
def test_initial_current_is_the_printed_one(faults, bus, printed_ka):
    row = next(r for r in faults.faults_table().records() if r["bus"] == bus and r["case"] == "max")
    assert row["ik_ka"] == pytest.approx(printed_ka, abs=0.5e-4)


def test_its_units_are_recognised_and_said(faults):
    assert [("G1 and T1" in line and "KS =" in line, "G2 and T2" in line and "KSO =" in line) for line in faults.messages] == [(True, False), (False, True)]


def test_a_unit_that_is_overruled_gives_another_current():
    """By themselves generator and transformer have KG and KT: another current at the high side of the unit."""
    raw = [{**e, "unit_connection": "by itself"} if e["kind"] == "synchronous_generator" else e for e in elements()]
    alone = StateResults(network_of(raw), "Normal").result(SHORT_CIRCUIT)
    at = alone.net.topology.bus_index["4"]
    assert not alone.messages
    assert abs(float(alone.cases["max"].ik_ka[at]) - 16.2277) > 0.01


def test_between_generator_and_transformer_the_parts_are_those_of_the_standard(faults):
    """I″kG = c·UrG/(√3·KG,S·ZG) and I″kT = c·UrG/(√3·|KT,S·ZTLV + ZQ/tr²|), the network beyond without the unit's own part."""
    one, net = faults.cases["max"], faults.net
    g = GIVEN["unit_generators"][0]
    at, high = net.topology.bus_index["G1 terminals"], net.topology.bus_index["4"]
    sin_phi = math.sqrt(1 - g["cosphi"] ** 2)
    z_g = complex(g["RG_ohm"], g["xd2_pu"] * g["UrG_kV"] ** 2 / g["SrG_MVA"])
    x_t = math.sqrt(g["uk_pct"] ** 2 - g["uR_pct"] ** 2) / 100
    z_t = complex(g["uR_pct"] / 100, x_t) * g["UrG_kV"] ** 2 / g["SrT_MVA"]
    k_g, k_t = 1.1 / (1 + g["xd2_pu"] * sin_phi), 1.1 / (1 - x_t * sin_phi)
    tr = g["UrTHV_kV"] / g["UrTLV_kV"]
    k_s = (110 / g["UrG_kV"]) ** 2 / tr**2 * 1.1 / (1 + abs(g["xd2_pu"] - x_t) * sin_phi)
    whole = complex(one.z1_ohm[high])
    z_q = 1 / (1 / whole - 1 / (k_s * tr**2 * (z_g + z_t)))
    wanted = 1.1 * g["UrG_kV"] / math.sqrt(3) * (1 / (k_g * z_g) + 1 / (k_t * z_t + z_q / tr**2))
    assert float(one.ik_ka[at]) == pytest.approx(abs(wanted), rel=1e-6)


def test_where_zero_sequence_data_are_lacking_there_are_no_earth_faults_and_it_says_which(faults):
    at = faults.net.topology.bus_index["6"]
    assert math.isnan(float(faults.cases["max"].of("lg").ik_ka[at]))
    assert any("L6" in told and "r0_ohm_per_km" in told for told in faults.earth_faults_lack(at))
    assert not faults.earth_faults_lack(faults.net.topology.bus_index["2"])
    assert not math.isnan(float(faults.cases["max"].of("ll").ik_ka[at]))
