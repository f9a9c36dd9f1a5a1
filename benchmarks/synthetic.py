"""Synthetic networks of any size: a meshed 110 kV grid, substations with tap changers, 20 kV feeders with rings, machines with reactive limits.

Everything about them is made up; equal sizes give equal networks.
"""

import math
from typing import Any

import numpy as np

from northfell.core.model.elements import ELEMENT
from northfell.core.model.network import Network

FEEDER = 20  # buses on a 20 kV feeder
FEEDERS = 4  # feeders at a substation
SUBSTATIONS_PER_INFEED = 40


def synthetic(n: int, seed: int = 1) -> Network:
    """About n buses. Each substation has a 110 kV bus, a 20 kV bus and four feeders; substations stand on a square grid of lines."""
    rng = np.random.default_rng(seed)
    count = max(1, round(n / (2 + FEEDERS * FEEDER)))
    side = math.ceil(math.sqrt(count))
    raw: list[dict[str, Any]] = []
    for s in range(count):
        raw += _substation(s, side, count, rng)
    infeed = {"kind": "infeed", "v_set_pu": 1.03, "ik_max_ka": 20.0, "ik_min_ka": 15.0, "r_over_x": 0.1, "flow_model": "behind impedance"}
    raw += [{**infeed, "name": f"Infeed {s}", "bus": f"H{s}"} for s in range(0, count, SUBSTATIONS_PER_INFEED)]
    return network_of(raw, f"{n} buses")


def network_of(raw: list[dict[str, Any]], name: str) -> Network:
    """A network from plain records."""
    elements = {r["name"]: ELEMENT.validate_python({**r, "id": r["name"]}) for r in raw}
    return Network(name=name).model_copy(update={"elements": elements})


def _substation(s: int, side: int, count: int, rng: np.random.Generator) -> list[dict[str, Any]]:
    raw: list[dict[str, Any]] = [{"kind": "bus", "name": f"H{s}", "v_nominal_kv": 110.0}, {"kind": "bus", "name": f"M{s}", "v_nominal_kv": 20.0}]
    line = {"kind": "line", "length_m": 12000.0, "r_ohm_per_km": 0.06, "x_ohm_per_km": 0.4, "c_uf_per_km": 0.009, "i_rated_a": 900.0}
    for other in (s - 1 if s % side else -1, s - side):
        if other >= 0:
            raw.append({**line, "name": f"L{other}-{s}", "from_bus": f"H{other}", "to_bus": f"H{s}", "parallel": 2})
    raw.append({
        "kind": "transformer", "name": f"T{s}", "hv_bus": f"H{s}", "lv_bus": f"M{s}", "s_rated_mva": 25.0, "v_hv_kv": 110.0, "v_lv_kv": 21.0, "uk_pct": 12.0,
        "ur_pct": 0.5, "vector_group": "YNd5", "tap_changer": "holds voltage", "tap_lowest_pct": -16.0, "tap_highest_pct": 16.0, "tap_step_pct": 1.6,
        "tap_v_set_pu": 1.03, "tap_band_pct": 1.2,
    })  # fmt: skip
    if s % 2:
        held = {"mode": "voltage", "p_mw": 24.0, "v_set_pu": 1.02, "q_min_mvar": -8.0, "q_max_mvar": float(4 + 8 * rng.random())}
        raw.append({"kind": "synchronous_generator", "name": f"G{s}", "bus": f"H{s}", **held})
    cable = {"kind": "cable", "length_m": 400.0, "r_ohm_per_km": 0.2, "x_ohm_per_km": 0.11, "c_uf_per_km": 0.25, "i_rated_a": 320.0, "t_end_degc": 250.0}
    for f in range(FEEDERS):
        for k in range(FEEDER):
            name = f"B{s}-{f}-{k}"
            before = f"M{s}" if k == 0 else f"B{s}-{f}-{k - 1}"
            raw.append({"kind": "bus", "name": name, "v_nominal_kv": 20.0})
            raw.append({**cable, "name": f"W{s}-{f}-{k}", "from_bus": before, "to_bus": name})
            p = float(0.08 + 0.16 * rng.random())
            raw.append({"kind": "load", "name": f"E{s}-{f}-{k}", "bus": name, "p_mw": p, "q_mvar": 0.35 * p})
        if f % 2:  # two feeders make a ring
            raw.append({**cable, "name": f"R{s}-{f}", "from_bus": f"B{s}-{f - 1}-{FEEDER - 1}", "to_bus": f"B{s}-{f}-{FEEDER - 1}"})
    return raw
