"""The meshed network of IEC TR 60909-4: initial three-phase currents at the first four fault places, to all printed digits.

Power-station units are no element kind yet: a unit is one impedance behind its terminal, which an infeed of that impedance stands
for; its factors KS and KSO are formed here by the standard's equations.
"""

import json
import math
from pathlib import Path

import pytest
from tests.conftest import network_of

from northfell.app.results.studies import StateResults
from northfell.core.studies.short_circuit import SHORT_CIRCUIT

CASE = json.loads((Path(__file__).parent / "data/iec60909_meshed.json").read_text())
GIVEN, C = CASE["input"], 1.1


def as_infeed(name: str, bus: str, z: complex) -> dict:
    """An infeed whose impedance c·Un/(√3·I″k) is z [ohm]."""
    un = GIVEN["buses_kV"][bus]
    ik = C * un / (math.sqrt(3) * abs(z))
    return {"kind": "infeed", "name": name, "bus": bus, "ik_max_ka": ik, "ik_min_ka": ik, "r_over_x": z.real / z.imag}


def unit_impedance(g: dict) -> complex:
    """ZS = KS·(tr²·ZG + ZTHV), with or without on-load tap changer (IEC 60909-0, power-station units)."""
    z_g = complex(g["RG_ohm"], g["xd2_pu"] * g["UrG_kV"] ** 2 / g["SrG_MVA"])
    z_base = g["UrTHV_kV"] ** 2 / g["SrT_MVA"] / 100
    x_t = math.sqrt(g["uk_pct"] ** 2 - g["uR_pct"] ** 2)
    z_t = complex(g["uR_pct"], x_t) * z_base
    tr, un = g["UrTHV_kV"] / g["UrTLV_kV"], GIVEN["buses_kV"][g["bus"]]
    sin_phi = math.sqrt(1 - g["cosphi"] ** 2)
    if g["on_load_tap_changer"]:
        k = un**2 / g["UrG_kV"] ** 2 / tr**2 * C / (1 + abs(g["xd2_pu"] - x_t / 100) * sin_phi)
    else:
        k = un / (g["UrG_kV"] * (1 + g["pG"])) / tr * (1 - g["pT"]) * C / (1 + g["xd2_pu"] * sin_phi)
    return k * (tr**2 * z_g + z_t)


@pytest.fixture(scope="module")
def faults():
    elements = [{"kind": "bus", "name": n, "v_nominal_kv": float(kv)} for n, kv in GIVEN["buses_kV"].items()]
    for q in GIVEN["feeders"]:
        elements.append(
            {"kind": "infeed", "name": q["id"], "bus": q["bus"], "ik_max_ka": float(q["Ikss_kA"]), "ik_min_ka": float(q["Ikss_kA"]), "r_over_x": q["R_X"]}
        )
    elements += [as_infeed(g["id"], g["bus"], unit_impedance(g)) for g in GIVEN["unit_generators"]]
    for g in GIVEN["generators"]:
        elements.append(
            {
                "kind": "synchronous_generator",
                "name": g["id"],
                "bus": g["bus"],
                "s_rated_mva": float(g["SrG_MVA"]),
                "v_rated_kv": g["UrG_kV"],
                "power_factor_rated": g["cosphi"],
                "xd2_pct": 100 * g["xd2_pu"],
                "r_stator_ohm": g["RG_ohm"],
            }
        )
    for t in GIVEN["transformers_3w"]:
        hv, mv, lv = t["buses"]
        sides = {"hv_mv": "HVMV", "hv_lv": "HVLV", "mv_lv": "MVLV"}
        elements.append(
            {
                "kind": "three_winding_transformer",
                "name": t["id"],
                **{"hv_bus": hv, "mv_bus": mv, "lv_bus": lv, "vector_group": t["group"]},
                **{f"v_{side.lower()}_kv": float(t[f"Ur{side}_kV"]) for side in ("HV", "MV", "LV")},
                **{"s_hv_mva": 350.0, "s_mv_mva": 350.0, "s_lv_mva": 50.0},  # the pairs' powers are the smaller of the two
                **{f"uk_{ours}_pct": float(t[f"uk_{theirs}_pct"]) for ours, theirs in sides.items()},
                **{f"ur_{ours}_pct": t[f"uR_{theirs}_pct"] for ours, theirs in sides.items()},
            }
        )
    for t in GIVEN["transformers_2w"]:
        elements.append(
            {
                "kind": "transformer",
                "name": t["id"],
                "hv_bus": t["hv"],
                "lv_bus": t["lv"],
                "v_hv_kv": float(t["UrHV_kV"]),
                "v_lv_kv": t["UrLV_kV"],
                "s_rated_mva": t["SrT_MVA"],
                "uk_pct": float(t["uk_pct"]),
                "ur_pct": t["uR_pct"],
                "vector_group": "Yd5",
            }
        )
    for m in GIVEN["motors"]:
        elements.append(
            {
                "kind": "induction_motor",
                "name": m["id"],
                "bus": m["bus"],
                "p_rated_kw": 1000 * m["PrM_MW"],
                "v_rated_kv": float(m["UrM_kV"]),
                "efficiency_pct": 100 * m["eta"],
                "power_factor": m["cosphi"],
                "ilr_over_ir": m["Ilr_Ir"],
                "r_over_x": m["R_X"],
                "pole_pairs": m["pole_pairs"],
            }
        )
    for line in GIVEN["lines"]:
        elements.append(
            {
                "kind": "line",
                "name": line["id"],
                "from_bus": line["from"],
                "to_bus": line["to"],
                "length_m": 1000.0 * line["km"],
                "r_ohm_per_km": line["r1"],
                "x_ohm_per_km": line["x1"],
                "t_end_degc": 80.0,
            }
        )
    return StateResults(network_of(elements), "Normal").result(SHORT_CIRCUIT)


@pytest.mark.parametrize(("bus", "printed_ka"), [("1", 40.6447), ("2", 31.7831), ("3", 19.673), ("4", 16.2277)])
def test_initial_current_is_the_printed_one(faults, bus, printed_ka):
    row = next(r for r in faults.faults_table().records() if r["bus"] == bus and r["case"] == "max")
    assert row["ik_ka"] == pytest.approx(printed_ka, abs=0.5e-4)
