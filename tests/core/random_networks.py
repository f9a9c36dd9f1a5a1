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
    return network_of(elements)


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
