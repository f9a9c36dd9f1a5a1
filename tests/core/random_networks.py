"""Networks at random, for properties that must hold for any: a connected tree of cables with rings, switches, loads and motors."""

from hypothesis import strategies as st
from tests.conftest import INFEED, network_of


@st.composite
def networks(draw, shift: bool = False, ring: bool = True):
    """An 11 kV network of 2 to 9 buses fed at bus A, perhaps through transformers to 0.4 kV."""
    n = draw(st.integers(2, 9))
    unit = st.floats(0.05, 1.0)
    kv = [11.0] + [draw(st.sampled_from([11.0, 11.0, 0.4])) for _ in range(n - 1)]
    elements = [{"kind": "bus", "name": "A" if i == 0 else f"B{i}", "v_nominal_kv": kv[i]} for i in range(n)]
    name = [e["name"] for e in elements]
    elements.append(INFEED)
    joined: list[tuple[int, int]] = []
    for i in range(1, n):
        others = [j for j in range(i) if kv[j] == kv[i]]
        if others and draw(st.booleans()):
            joined.append((draw(st.sampled_from(others)), i))
        else:
            elements.append(_joining(draw, name, kv, draw(st.sampled_from([j for j in range(i) if kv[j] == 11.0])), i, unit, shift))
    if ring:
        pairs = [(i, j) for i in range(n) for j in range(i) if kv[i] == kv[j]]
        joined += draw(st.lists(st.sampled_from(pairs), max_size=3)) if pairs else []
    for k, (i, j) in enumerate(joined):
        if draw(st.booleans()):
            elements.append(_cable(f"W{k}", name[i], name[j], kv[i], draw(unit)))
        else:
            elements.append({"kind": "breaker", "name": f"Q{k}", "from_bus": name[i], "to_bus": name[j], "closed": draw(st.booleans())})
    for i in range(1, n):
        scale = 0.4 if kv[i] == 11.0 else 0.05
        if draw(st.booleans()):
            model = draw(st.sampled_from(["power", "current", "impedance"]))
            elements.append(
                {"kind": "load", "name": f"E{i}", "bus": name[i], "p_mw": scale * draw(unit), "q_mvar": scale * draw(unit), "characteristic": model}
            )
        if draw(st.booleans()):
            elements.append(
                {
                    "kind": "induction_motor",
                    "name": f"M{i}",
                    "bus": name[i],
                    "p_rated_kw": 1000 * scale * draw(unit),
                    "v_rated_kv": kv[i],
                    "efficiency_pct": 94.0,
                    "power_factor": 0.86,
                    "ilr_over_ir": 5.0,
                    "r_over_x": 0.42 if kv[i] < 1 else 0.15,
                }
            )
    if draw(st.booleans()):
        elements.append({"kind": "shunt", "name": "C", "bus": name[draw(st.integers(0, n - 1))], "q_mvar": draw(st.floats(-0.3, 0.3)), "p_mw": 0.01})
    elements += _others(draw, name, kv, unit, shift) if ring else []
    return network_of(elements)


def _others(draw, name: list[str], kv: list[float], unit, shift: bool) -> list[dict]:
    """One of each of the rarer kinds, each as the dice fall."""
    made: list[dict] = []
    high = [n for n, v in zip(name, kv, strict=True) if v == 11.0]

    def at() -> str:
        return draw(st.sampled_from(high))

    if draw(st.booleans()):
        made += [{"kind": "bus", "name": n, "v_nominal_kv": v} for n, v in (("X", 6.0), ("Y", 0.4))]
        made.append(
            {
                **{
                    "kind": "three_winding_transformer",
                    "name": "T3",
                    "hv_bus": at(),
                    "mv_bus": "X",
                    "lv_bus": "Y",
                    "vector_group": "Yd11d5" if shift else "Yy0y0",
                },
                **{"s_hv_mva": 4.0, "s_mv_mva": 3.0, "s_lv_mva": 1.0, "v_hv_kv": 11.0, "v_mv_kv": 6.3, "v_lv_kv": 0.42, "tap_pct": 2.5},
                **{"uk_hv_mv_pct": 8.0, "uk_hv_lv_pct": 6.0, "uk_mv_lv_pct": draw(st.sampled_from([3.0, 5.0, 9.0])), "no_load_loss_kw": 5.0},
                **{"ur_hv_mv_pct": 0.6, "ur_hv_lv_pct": 0.9, "ur_mv_lv_pct": 0.8, "no_load_current_pct": 0.5},
            }
        )
        mixed = {"motor_share_pct": 60.0, "characteristic": "impedance"}
        made.append({"kind": "load", "name": "EX", "bus": "X", "p_mw": 0.3 * draw(unit), "q_mvar": 0.1, **mixed})
        made.append({"kind": "rectifier", "name": "TY", "bus": "Y", "p_mw": 0.1 * draw(unit), "q_mvar": 0.02})
    if draw(st.booleans()):
        made += [{"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in ("R", "S")]
        made.append({"kind": "series_reactor", "name": "R1", "from_bus": at(), "to_bus": "R", "i_rated_a": 400.0, "uk_pct": 6.0, "r_over_x": 0.03})
        position = draw(st.sampled_from(["first", "second", "off"]))
        made.append({"kind": "changeover", "name": "Q9", "bus": "S", "first_bus": "R", "second_bus": at(), "position": position})
        made.append({"kind": "capacitor_bank", "name": "C9", "bus": "R", "q_step_mvar": 0.1, "steps": 3, "steps_in": 2, "loss_pct": 1.0})
        made.append({"kind": "shunt_reactor", "name": "R9", "bus": "S", "q_mvar": 0.1})
    if draw(st.booleans()):
        made.append({"kind": "inverter", "name": "PV", "bus": at(), "s_rated_mva": 0.5, "ik_over_ir": 1.2, "p_mw": 0.4 * draw(unit)})
    if draw(st.booleans()):
        rated = {"p_rated_kw": 400.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.9, "xd2_pct": 16.0, "r_stator_ohm": 0.5}
        made.append({"kind": "synchronous_motor", "name": "MS", "bus": at(), **rated, "load_factor": draw(unit)})
    return made


def _cable(name: str, a: str, b: str, kv: float, size: float) -> dict:
    return {
        "kind": "cable",
        "name": name,
        "from_bus": a,
        "to_bus": b,
        "length_m": 300 * size if kv > 1 else 30 * size,
        "r_ohm_per_km": 0.2,
        "x_ohm_per_km": 0.1,
        "c_uf_per_km": 0.3,
        "t_end_degc": 200.0,
    }


def _joining(draw, name: list[str], kv: list[float], i: int, j: int, unit, shift: bool) -> dict:
    if kv[j] == 11.0:
        return _cable(f"V{j}", name[i], name[j], 11.0, draw(unit))
    return {
        "kind": "transformer",
        "name": f"T{j}",
        "hv_bus": name[i],
        "lv_bus": name[j],
        "s_rated_mva": 1.0,
        "v_hv_kv": 11.0,
        "v_lv_kv": 0.42,
        "uk_pct": 6.0,
        "ur_pct": 1.0,
        "vector_group": "Dyn11" if shift else "Yyn0",
        "tap_pct": draw(st.sampled_from([-2.5, 0.0, 2.5])),
    }
