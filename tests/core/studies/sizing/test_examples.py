"""The worked sequences of both codes, step by step: sizes by rule, what decides, and every figure on the way (invented loads, `examples.json`)."""

import json
import math
from pathlib import Path

import pytest

from northfell.core.catalogue import sizing_tables as tables
from northfell.core.studies.sizing import CODES, Circuit, Heat, Laying, Loop, NecLoad, Preferences, Protective, Start, decide
from northfell.core.studies.sizing.iec import capacity_a, loop_ohm, operating_a
from northfell.core.studies.sizing.nec import ampacity_a, terminal_a, usable_a
from northfell.core.studies.sizing.parts import parts_of, raceway

EXAMPLES = {e["id"]: e for e in json.loads((Path(__file__).parent / "examples.json").read_text())}
METAL = {"Cu": "copper", "Al": "aluminium"}
KIND = {"aM": "aM", "MCCB electronic": "electronic"}
M_PER_FT = 1 / 3.280839895
IEC, NEC = CODES["IEC 60364"], CODES["NEC 2023"]
CLOSE = {"rel": 2e-3}  # as the sequences are told


def iec_circuit(x: dict, purpose: str, i_b_a: float, arrangement: str, others: int, **more) -> Circuit:
    device, withstand, loop = x["device"], x["withstand"], x.get("loop")
    laying = Laying(
        METAL[x["conductor"]], x["insulation"], x["length_m"], x["method"][:1], x.get("reactance") == "single", x["ambient_C"], arrangement, others,
        loaded_cores=4 if x.get("h3_pct") else 3,
    )  # fmt: skip
    set_to, tolerance = device.get("Ir_A", device["In_A"]), 100 * device.get("Im_tolerance", 0)
    protective = Protective("Q", KIND[device["kind"]], set_to, device["In_A"], device.get("Im_A"), tolerance)
    heat = Heat(i2t_a2s=withstand["I2t_A2s"]) if "I2t_A2s" in withstand else Heat(i_a=1000 * withstand["I_kA"], t_s=withstand["t_s"])
    return Circuit(
        "e", "W", purpose, x["U_V"], x["U0_V"], 50, laying, i_b_a, "", x["cosphi"], device=protective, relay_a=device.get("relay_A"),
        h3_pct=x.get("h3_pct", 0.0), neutral=bool(x.get("h3_pct")), drop_limit_pct=x["drop_limit_pct"], heat=heat,
        loop=Loop(loop["system"], loop["t_s"], complex(*loop["Zsource_ohm"])) if loop else None, **more,
    )  # fmt: skip


def motor_way() -> Circuit:
    x = EXAMPLES["IEC-1"]["inputs"]
    i_b = 1000 * x["P_kW"] / (math.sqrt(3) * x["U_V"] * x["eta"] * x["cosphi"])
    start = Start(x["start"]["multiple"], x["start"]["cosphi"], x["start"]["limit_pct"], x["start"]["time_s"])
    return iec_circuit(x, "motor way", i_b, x["grouping"][0], x["grouping"][1] - 1, start=start)


def feeder() -> Circuit:
    x = EXAMPLES["IEC-2"]["inputs"]
    return iec_circuit(x, "feeder", x["Ib_A"], x["grouping"][0], x["grouping"][1] - 1)


def secondary(largest: float = 240.0) -> Circuit:
    x = EXAMPLES["IEC-3"]["inputs"]
    preferences = Preferences(x["cable"]["minimum_mm2"], largest)
    return iec_circuit(x["cable"], "transformer secondary", EXAMPLES["IEC-3"]["result"]["I2_A"], x["grouping"], 0, preferences=preferences)


def nec_circuit(key: str, purpose: str, load: NecLoad, rating_a: float, wire_type: str, **more) -> Circuit:
    x = EXAMPLES[key]["inputs"]
    laying = Laying(
        METAL[x["conductor"]], "XLPE", x["length_ft"] * M_PER_FT, ambient_degc=x["ambient_C"], raceway={"steel": "EMT", "PVC": "PVC40"}[x["raceway"]],
        wire_type=wire_type, loaded_cores=x["ccc"], terminal_degc=x["terminal_C"],
    )  # fmt: skip
    return Circuit(
        "e", "C", purpose, x["V"], x["V"] / math.sqrt(3), 60, laying, load.loaded_a, "", x["pf"], device=Protective("F", "other fuse", rating_a),
        drop_limit_pct=x["drop_limit_pct"], nec=load, heat=Heat(i_a=1.0, t_s=0.01), **more,
    )  # fmt: skip


def nec_motor() -> Circuit:
    x = EXAMPLES["NEC-1"]["inputs"]
    load = NecLoad(motor_a=x["motor_flc_A"], nameplate_a=x["nameplate_A"])
    return nec_circuit("NEC-1", "motor way", load, x["ocpd_A"], "THHN/THWN-2", service_factor=x["service_factor"])


def nec_feeder() -> Circuit:
    x = EXAMPLES["NEC-2"]["inputs"]
    return nec_circuit("NEC-2", "feeder", NecLoad(x["continuous_A"], x["noncontinuous_A"]), EXAMPLES["NEC-2"]["result"]["ocpd_A"], "XHHW-2", neutral=True)


CASES = {"IEC-1": (IEC, motor_way), "IEC-2": (IEC, feeder), "IEC-3": (IEC, secondary), "NEC-1": (NEC, nec_motor), "NEC-2": (NEC, nec_feeder)}


@pytest.mark.parametrize("key", CASES)
def test_sizes_by_rule_and_what_decides(key):
    code, make = CASES[key]
    decision, want = decide(code, make()), EXAMPLES[key]["result"]
    assert list(decision.deciding) == EXAMPLES[key]["decided_by"]
    assert decision.required.size.key == f"{want.get('size_mm2', want.get('size'))}"
    assert decision.required.sets == want.get("sets", 1)
    alone = {a.rule.id: a.alone.size.key for a in decision.applied if a.alone and a.rule.id != "nec.withstand"}
    asked = want.get("alone_mm2") or want.get("alone") or {}
    assert {rule: alone[rule] for rule in asked} == {rule: f"{size}" for rule, size in asked.items()}


def test_figures_of_the_motor_way():
    c, want = motor_way(), EXAMPLES["IEC-1"]["result"]
    decision = decide(IEC, c)
    t = decision.required
    assert t.pe.area_mm2 == want["pe_mm2"]
    assert capacity_a(c, t) == pytest.approx(want["Iz_A"], **CLOSE)
    assert operating_a(c) == pytest.approx(want["Ia_A"], **CLOSE)
    assert loop_ohm(c, t, None) == pytest.approx(want["Zs_ohm"], **CLOSE)
    for rule, figure, limit in (("iec.drop", "drop_pct", None), ("iec.start", "start_drop_pct", None), ("iec.disconnect", "Zs_ohm", "Zs_max_ohm")):
        held = decision.of(rule).chosen
        assert held.value == pytest.approx(want[figure], **CLOSE)
        assert limit is None or held.limit == pytest.approx(want[limit], **CLOSE)


def test_figures_of_the_feeder_with_harmonics():
    c, want = feeder(), EXAMPLES["IEC-2"]["result"]
    decision = decide(IEC, c)
    assert decision.required.pe.area_mm2 == want["pe_mm2"]
    assert decision.of("iec.harmonic").chosen.value == pytest.approx(want["Iz_A"], **CLOSE)
    assert decision.of("iec.drop").chosen.value == pytest.approx(want["drop_pct"], **CLOSE)
    assert decision.of("iec.disconnect").chosen.limit == pytest.approx(want["Zs_max_ohm"], **CLOSE)
    assert decision.of("iec.disconnect").chosen.value == pytest.approx(want["Zs_ohm"], **CLOSE)
    assert "no more" in decision.of("iec.1_45").idle


def test_sets_in_parallel_until_the_largest_single_core():
    want = EXAMPLES["IEC-3"]["result"]
    assert [decide(IEC, secondary(largest)).required.label for largest in (630.0, 240.0, 120.0)] == [
        f"{want['by_sets']['1']:g} mm²", f"2 × {want['by_sets']['2']:g} mm²", f"3 × {want['by_sets']['3']:g} mm²",
    ]  # fmt: skip
    decision = decide(IEC, secondary())
    assert capacity_a(secondary(), decision.required) == pytest.approx(want["Iz_A"], **CLOSE)
    assert decision.of("iec.drop").chosen.value == pytest.approx(want["drop_pct"], **CLOSE)
    assert decision.of("iec.withstand").chosen.limit == pytest.approx(want["pe_adiabatic_mm2"], **CLOSE)


def test_figures_of_the_nec_motor_way():
    c, want = nec_motor(), EXAMPLES["NEC-1"]["result"]
    decision = decide(NEC, c)
    t = decision.required
    assert decision.of("nec.motor").chosen.limit == pytest.approx(want["required_A"], **CLOSE)
    assert ampacity_a(c, t) == pytest.approx(want["corrected_A"], **CLOSE)
    assert terminal_a(c, t) == want["terminal_column_A"]
    assert decision.of("nec.drop").chosen.value == pytest.approx(want["drop_pct"], **CLOSE)
    parts = {p.quantity: p for p in parts_of(c, c, True, t, None, t.size.area_mm2)}
    assert parts["device rating"].required == want["ocpd_A"]
    assert parts["overload setting"].required == pytest.approx(want["overload_A"])
    assert parts["protective conductor"].required == f"{want['egc']} AWG"
    assert parts["raceway"].required == want["conduit"]["trade_size"]
    assert parts["disconnecting means"].required == pytest.approx(want["disconnect_A"])
    assert f"{want['conduit']['fill_pct']:.1f} %" in parts["raceway"].note


def test_figures_of_the_nec_feeder():
    c, want = nec_feeder(), EXAMPLES["NEC-2"]["result"]
    decision = decide(NEC, c)
    t = decision.required
    assert decision.of("nec.terminal").chosen.limit == want["required_A"]
    assert ampacity_a(c, t) == pytest.approx(want["corrected_A"])
    assert terminal_a(c, t) == want["terminal_column_A"]
    assert usable_a(c, t) == pytest.approx(want["usable_A"])
    assert decision.of("nec.drop").chosen.value == pytest.approx(want["drop_pct"], **CLOSE)
    parts = {p.quantity: p for p in parts_of(c, c, True, t, None, t.size.area_mm2)}
    assert parts["device rating"].required == want["ocpd_A"]
    assert parts["protective conductor"].required == f"{want['egc']} AWG"
    filled = raceway(c, t, tables.nec_wire_by_key(want["egc"]).area_mm2)
    assert filled.required == want["conduit"]["trade_size"]
    assert f"{want['conduit']['fill_pct']:.1f} %" in filled.note
