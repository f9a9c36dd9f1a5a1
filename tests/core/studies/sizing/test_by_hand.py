"""Circuits of a network by hand: what each carries, what protects it, how it is laid, what a fault brings; and what is told where that is not known."""

import math

import pytest
from tests.conftest import network_of

from northfell.core.model.elements import Cable
from northfell.core.model.network import OperatingState
from northfell.core.model.settings import Limits
from northfell.core.studies.sizing import SIZING, in_all_states, propose
from northfell.core.studies.sizing.verdicts import circuits as findings_of

SQRT3 = math.sqrt(3)
INFEED = {"kind": "infeed", "name": "G", "bus": "Main", "ik_max_ka": 20.0, "ik_min_ka": 12.0, "r_over_x": 0.4, "neutral": "solid",
          "x0_over_x1": 1.0, "r0_over_x0": 0.4}  # fmt: skip
MAIN = {"kind": "bus", "name": "Main", "v_nominal_kv": 0.4}
MOTOR = {"kind": "induction_motor", "name": "M", "bus": "far", "p_rated_kw": 30.0, "v_rated_kv": 0.4, "efficiency_pct": 93.6, "power_factor": 0.86,
         "ilr_over_ir": 6.5, "r_over_x": 0.42, "t_start_s": 5.0}  # fmt: skip
TRAY = "single layer on perforated tray"


def end(name: str, kv: float = 0.4) -> dict:
    return {"kind": "bus", "name": name, "v_nominal_kv": kv, "bus_kind": "junction"}


def cable(name: str, near: str, far: str, area: float | None, length: float, **more) -> dict:
    return {"kind": "cable", "name": name, "from_bus": near, "to_bus": far, "length_m": length, "conductor": "copper", "insulation": "XLPE", "cores": "4",
            "area_mm2": area, "method": "E", "arrangement": TRAY, "ambient_degc": 35.0, "r_ohm_per_km": 18.3 / (area or 10), "x_ohm_per_km": 0.09,
            "r0_ohm_per_km": 73.0 / (area or 10), "x0_ohm_per_km": 0.36, "t_end_degc": 250.0, **more}  # fmt: skip


def starter(**more) -> list[dict]:
    """A motor behind a fuse of class aM and a contactor with its overload relay, on 100 m of cable."""
    fuse = {"kind": "fuse", "name": "F", "from_bus": "Main", "to_bus": "near", "link": "aM", "i_rated_a": 63.0, "let_through_ka2s": 0.06, "v_rated_kv": 0.4}
    contactor = {"kind": "contactor", "name": "K", "from_bus": "near", "to_bus": "begin", "i_overload_a": 54.0}
    return [MAIN, INFEED, end("near"), end("begin"), end("far"), fuse, contactor, cable("W", "begin", "far", 10.0, 100.0, circuits_beside=2, **more), MOTOR]


def sizing(elements, **settings):
    network = network_of(elements, **({"sizing": settings} if settings else {}))
    (found, *_), without = in_all_states(network)
    assert not without
    return found


def test_a_motor_way_by_hand():
    one = sizing(starter()).of["W"]
    c = one.circuit
    i_b = 30000 / (SQRT3 * 400 * 0.936 * 0.86)
    assert (c.purpose, c.device.name, c.device.kind, c.relay_a) == ("motor way", "F", "aM", 54.0)
    assert c.i_b_a == pytest.approx(i_b)
    assert (c.u0_v, c.loop.t_s) == (230.0, 5.0)  # 63 A: no final circuit of up to 32 A
    z1 = 0.9 * 400 / (SQRT3 * 12000)  # of the least current of the infeed, c = 0.9 with a tolerance of 10 %
    unit = complex(0.4, 1) / abs(complex(0.4, 1))
    assert c.loop.z_source_ohm == pytest.approx(z1 * unit, rel=1e-3)  # Z0 as Z1
    held = {a.rule.id: a.entered for a in one.decision.applied}
    assert held["iec.overload"].value == pytest.approx(75 * 0.96 * 0.82)  # three circuits on the tray
    assert held["iec.overload"].limit == 54.0
    r, x = 1.83 * (1 + 0.00393 * 70), 0.094
    drop = 100 * SQRT3 * i_b * 0.1 * (r * 0.86 + x * math.sin(math.acos(0.86))) / 400
    assert held["iec.drop"].value == pytest.approx(drop)
    zs = abs(c.loop.z_source_ohm + 2 * 0.1 * complex(r, x))
    assert held["iec.disconnect"].value == pytest.approx(zs)
    assert held["iec.disconnect"].limit == pytest.approx(0.95 * 230 / 566.411, rel=1e-5)
    assert not held["iec.disconnect"].ok  # with PE of 10 mm²
    assert one.decision.required.size.area_mm2 == 16.0
    assert one.decision.deciding == ("iec.disconnect",)
    parts = {p.quantity: p for p in one.beside}
    assert parts["device rating"].ok  # the fuse holds 350 A for 6.2 s
    assert parts["overload setting"].ok
    assert parts["protective conductor"].required == 16.0


def test_small_final_circuits_have_their_own_time_and_sockets_a_larger_limit():
    def way(serves: str, rating: float):
        breaker = {"kind": "breaker", "name": "Q", "from_bus": "Main", "to_bus": "near", "i_rated_a": 63.0, "trip": "miniature", "trip_ir_a": rating,
                   "trip_class": "C"}  # fmt: skip
        load = {"kind": "load", "name": "E", "bus": "far", "p_mw": 0.008, "q_mvar": 0.002, "serves": serves}
        return sizing([MAIN, INFEED, end("near"), end("far"), breaker, cable("W", "near", "far", 6.0, 30.0), load]).of["W"]

    assert [way(s, a).circuit.loop.t_s for s, a in (("fixed equipment", 32.0), ("fixed equipment", 40.0), ("socket outlets", 63.0))] == [0.4, 5.0, 0.4]
    one = way("lighting", 16.0)
    assert one.decision.of("iec.disconnect").entered.limit == pytest.approx(0.95 * 230 / 160)
    assert one.circuit.drop_limit_pct == 3.0
    assert next(p for p in one.beside if p.quantity == "device rating").ok


def test_a_board_below_leaves_the_rest_of_the_drop_and_its_demand_is_the_sum():
    board = {"kind": "bus", "name": "Sub", "v_nominal_kv": 0.4, "bus_kind": "panel", "simultaneity": 0.8}
    feeder = [end("a"), {"kind": "breaker", "name": "Q1", "from_bus": "Main", "to_bus": "a", "i_rated_a": 250.0, "trip": "electronic", "trip_ir_a": 200.0,
              "trip_tr_s": 8.0, "trip_isd_a": 1200.0, "trip_tsd": "0.2"}, cable("W1", "a", "Sub", 95.0, 80.0), board]  # fmt: skip
    way = [end("b"), end("far"), {"kind": "fuse", "name": "F2", "from_bus": "Sub", "to_bus": "b", "i_rated_a": 63.0}, cable("W2", "b", "far", 16.0, 40.0),
           {"kind": "load", "name": "E", "bus": "far", "p_mw": 0.03, "q_mvar": 0.01}]  # fmt: skip
    more = {"kind": "load", "name": "E2", "bus": "Sub", "p_mw": 0.06, "q_mvar": 0.03, "demand_factor": 0.5, "load_factor": 0.2}
    found = sizing([MAIN, INFEED, *feeder, *way, more])
    upper, lower = found.of["W1"], found.of["W2"]
    assert upper.circuit.purpose == "feeder"
    i_sum = 0.8 * abs(complex(0.03, 0.01) + 0.5 * complex(0.06, 0.03)) * 1e6 / (SQRT3 * 400)
    assert upper.circuit.i_b_a == pytest.approx(i_sum)
    assert upper.circuit.drop_limit_pct == 2.0
    assert lower.circuit.drop_limit_pct == pytest.approx(5.0 - upper.decision.of("iec.drop").entered.value)
    assert upper.decision.of("iec.disconnect").entered.limit == pytest.approx(0.95 * 230 / 1320)  # 1.1 times the short-time pickup
    assert "iec.1_45" in [a.rule.id for a in lower.decision.applied if a.acts]  # a gG fuse: 1.6/1.45
    assert lower.decision.of("iec.1_45").entered.limit == pytest.approx(63 * 1.6 / 1.45)


def test_routes_group_and_parallel_sets_count_each():
    ways = []
    for n in (1, 2):
        ways += [end(f"n{n}"), end(f"f{n}"), {"kind": "fuse", "name": f"F{n}", "from_bus": "Main", "to_bus": f"n{n}", "i_rated_a": 100.0}]
        ways += [cable(f"W{n}", f"n{n}", f"f{n}", 35.0, 20.0, route="T", parallel=n)]
        ways += [{"kind": "load", "name": f"E{n}", "bus": f"f{n}", "p_mw": 0.03, "q_mvar": 0.01}]
    found = sizing([MAIN, INFEED, *ways])
    assert (found.of["W1"].circuit.laying.others, found.of["W2"].circuit.laying.others) == (2, 1)
    for n in (1, 2):  # three circuits lie there
        assert found.of[f"W{n}"].decision.of("iec.overload").entered.value == pytest.approx(n * 158 * 0.96 * 0.82)


def test_two_feeders_of_one_board_and_a_tie_go_by_the_load_flow():
    ways = []
    for n in (1, 2):
        ways += [end(f"n{n}"), {"kind": "breaker", "name": f"Q{n}", "from_bus": "Main", "to_bus": f"n{n}", "i_rated_a": 250.0, "trip": "thermal-magnetic",
                 "trip_ir_a": 160.0, "trip_im_a": 1600.0}, cable(f"W{n}", f"n{n}", "Sub", 70.0, 50.0)]  # fmt: skip
    board = {"kind": "bus", "name": "Sub", "v_nominal_kv": 0.4}
    found = sizing([MAIN, INFEED, board, *ways, {"kind": "load", "name": "E", "bus": "Sub", "p_mw": 0.1, "q_mvar": 0.03}])
    for n in (1, 2):
        c = found.of[f"W{n}"].circuit
        assert "load flow" in c.i_b_told
        assert c.i_b_a == pytest.approx(abs(complex(0.1, 0.03)) * 1e6 / (SQRT3 * 400) / 2, rel=0.05)


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"W": {"method": None}}, "reference method"),
        ({"W": {"length_m": None, "r_ohm_per_km": None}}, "length"),
        ({"W": {"insulation": None}}, "insulation"),
        ({"M": {"efficiency_pct": None}}, "efficiency"),
        ({"W": {"circuits_beside": 2, "arrangement": None}}, "beside each other"),
        ({"K": {"i_overload_a": None}, "F": {"i_rated_a": None}}, "the settings of F"),
    ],
)
def test_what_is_not_known_is_named_and_nothing_guessed(change, told):
    elements = [{**e, **change.get(e["name"], {})} for e in starter()]
    found = sizing(elements)
    one = found.of["W"]
    assert told in "; ".join(one.lacking)
    assert one.decision.required is None
    assert one.verdict in ("missing", "breach")
    assert any(told in line for line in found.messages)
    if change.get("W", {}).get("method", "E") is not None:
        assert any(f.severity == "missing" and told in f.text for f in findings_of(found, Limits()))
    proposal = propose(found.net.network, ["W"])
    assert not any(v.label == "cross-section" for row in proposal.rows for v in row.values)
    assert any(told in line for line in proposal.left)


def test_beyond_every_table_a_circuit_is_refused_by_the_rule_and_its_figure():
    elements = [{**e, **({"p_rated_kw": 4000.0} if e["name"] == "M" else {"i_overload_a": 4999.0} if e["name"] == "K" else {})} for e in starter()]
    found = sizing(elements, most_sets=2)
    one = found.of["W"]
    assert one.decision.required is None
    assert "iec.overload is not satisfied by any size" in one.decision.refused
    assert "With up to 2 in parallel" in one.decision.refused
    assert any(f.check == "no size" for f in findings_of(found, Limits()))


def test_a_kept_size_is_judged_and_left():
    network = network_of(starter(size_kept=True))
    proposal = propose(network, ["W"])
    assert not any(row.circuit == "W" and any(v.label == "cross-section" for v in row.values) for row in proposal.rows)
    assert any("is kept, and breaks iec.disconnect" in line for line in proposal.left)
    assert in_all_states(network)[0][0].of["W"].chosen.size.area_mm2 == 10.0


def test_a_state_that_asks_for_more_is_named_and_what_is_not_fed_is_told():
    states = [OperatingState(name="Weak", differences={"G": {"in_service": False}})]
    network = network_of(starter(), states)
    (normal, *others), without = in_all_states(network)
    assert normal.of["W"].decision.required.size.area_mm2 == 16.0
    assert [left.why for one in others for left in one.left] == ["not fed in this state"]
    assert propose(network, ["W"]).rows[0].because[0].endswith("in Normal")
    assert not without


def test_tables_hold_a_row_for_each_quantity_and_rule_and_states_are_summed_up():
    found = sizing(starter())
    tables = {t.name: t for t in found.tables()}
    line = next(r for r in tables["circuits"].records() if r["quantity"] == "line conductor")
    assert (line["as_entered"], line["required"], line["chosen"], line["unit"], line["rule"], line["verdict"]) == (
        10.0,
        16.0,
        16.0,
        "mm²",
        "iec.disconnect",
        "breach",
    )
    decides = [r["rule"] for r in tables["rules"].records() if r["decides"] and r["element"] == "W" and r["rule"] == "iec.disconnect"]
    assert decides == ["iec.disconnect"]
    (sizes,) = SIZING.over_states(list(tables.values()))
    assert next(r for r in sizes.records() if r["quantity"] == "line conductor")["state"] == "Normal"
    assert {e.name for e in found.net.elements.values() if isinstance(e, Cable)} == set(tables["cables"].column("element"))


def test_a_fault_before_the_main_is_cut_off_by_what_stands_across_the_transformer():
    hv = [{"kind": "bus", "name": "HV", "v_nominal_kv": 11.0}, {**INFEED, "bus": "HV"}, end("h", 11.0),
          {"kind": "breaker", "name": "Q0", "from_bus": "HV", "to_bus": "h", "i_rated_a": 630.0, "t_break_s": 0.06},
          {"kind": "relay", "name": "B0", "breaker": "Q0", "ct_primary_a": 100.0, "curve": "IEC_SI", "i_pickup_a": 60.0, "time_multiplier": 0.1,
           "time_tolerance_pct": 5.0, "m_start": 1.05},
          {"kind": "transformer", "name": "T", "hv_bus": "h", "lv_bus": "l", "s_rated_mva": 0.63, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "vector_group": "Dyn11",
           "uk_pct": 4.0, "load_loss_kw": 6.5, "neutral_lv": "solid", "z0_over_z1": 0.95}]  # fmt: skip
    lv = [end("l"), end("m"), cable("W", "l", "m", 240.0, 15.0, parallel=2), MAIN,
          {"kind": "breaker", "name": "Q1", "from_bus": "m", "to_bus": "Main", "i_rated_a": 1000.0, "trip": "electronic", "trip_ir_a": 909.0, "trip_tr_s": 4.0,
           "trip_ii_a": 5000.0}, {"kind": "load", "name": "E", "bus": "Main", "p_mw": 0.3, "q_mvar": 0.1}]  # fmt: skip
    one = sizing([*hv, *lv]).of["W"]
    assert one.circuit.purpose == "transformer secondary"
    assert one.circuit.device.name == "Q1"  # against overload the main behind it (433.2)
    i_lv = one.circuit.heat.i_a
    multiple = i_lv / math.sqrt(1.05) * 0.4 / 11.0 / 60  # about: the direct part is in i_lv
    assert one.circuit.heat.t_s == pytest.approx(0.06 + 0.1 * 0.14 / (multiple**0.02 - 1), rel=0.1)
    assert "Q0" in one.circuit.heat.told
    assert {p.quantity: p.ok for p in next(e for e in sizing([*hv, *lv]).equipment if e.name == "T").parts}["device, secondary"]


def test_two_mains_before_a_cable_without_its_own_device_cut_off_nothing_for_certain():
    mains = []
    for n in (1, 2):
        mains += [{"kind": "bus", "name": f"S{n}", "v_nominal_kv": 0.4}, {**INFEED, "name": f"G{n}", "bus": f"S{n}"},
                  {"kind": "breaker", "name": f"Q{n}", "from_bus": f"S{n}", "to_bus": "Main", "i_rated_a": 630.0, "trip": "thermal-magnetic",
                   "trip_ir_a": 400.0, "trip_im_a": 4000.0}]  # fmt: skip
    load = {"kind": "load", "name": "E", "bus": "far", "p_mw": 0.05, "q_mvar": 0.01}
    found = sizing([MAIN, *mains, end("far"), cable("W", "Main", "far", 35.0, 20.0), load])
    assert "Q1 and Q2 feed its origin together" in "; ".join(found.of["W"].lacking)
    assert found.of["W"].decision.required is None
    plain = [{**e, "trip": "none"} if e["name"] == "Q2" else e for e in [MAIN, *mains, end("far"), cable("W", "Main", "far", 35.0, 20.0), load]]
    assert "Q1 and G2 feed its origin together" in "; ".join(sizing(plain).of["W"].lacking)  # a switch without a trip cuts nothing off


def test_a_stage_that_waits_longer_than_it_may_counts_no_more_than_one_that_does_not():
    def way(**stages):
        breaker = {"kind": "breaker", "name": "Q", "from_bus": "Main", "to_bus": "near", "i_rated_a": 100.0, "trip": "electronic", "trip_ir_a": 30.0,
                   "trip_tr_s": 12.0, **stages}  # fmt: skip
        load = {"kind": "load", "name": "E", "bus": "far", "p_mw": 0.01, "q_mvar": 0.0}
        return sizing([MAIN, INFEED, end("near"), end("far"), breaker, cable("W", "near", "far", 10.0, 30.0), load]).of["W"]

    quick = way(trip_isd_a=150.0, trip_tsd="0.1", trip_ii_a=450.0).decision.of("iec.disconnect").entered
    assert quick.limit == pytest.approx(0.95 * 230 / 165)
    slow = way(trip_isd_a=150.0, trip_tsd="0.4", trip_ii_a=450.0).decision.of("iec.disconnect").entered  # up to 0.4 s and more
    assert slow.limit == pytest.approx(0.95 * 230 / 495, rel=0.03)
    earth = way(trip_isd_a=150.0, trip_tsd="0.4", trip_ii_a=450.0, trip_ig_a=30.0, trip_tg="0.1").decision.of("iec.disconnect").entered
    assert earth.limit == pytest.approx(0.95 * 230 / 33)
    late = way(trip_isd_a=150.0, trip_tsd="0.4", trip_ii_a=450.0, trip_ig_a=30.0, trip_tg="0.4").decision.of("iec.disconnect").entered
    assert late.limit == pytest.approx(slow.limit)


def test_a_motor_of_less_voltage_has_the_current_of_its_nameplate():
    elements = [{**e, "v_rated_kv": 0.38} if e["name"] == "M" else e for e in starter()]
    assert sizing(elements).of["W"].circuit.i_b_a == pytest.approx(30000 / (SQRT3 * 380 * 0.936 * 0.86))


def test_socket_outlets_need_a_residual_current_device_and_a_flow_beyond_the_sum_of_demands_counts_as_continuous():
    def way(residual):
        breaker = {"kind": "breaker", "name": "Q", "from_bus": "Main", "to_bus": "near", "i_rated_a": 63.0, "trip": "miniature", "trip_ir_a": 16.0,
                   "trip_class": "B", "residual_ma": residual}  # fmt: skip
        load = {"kind": "load", "name": "E", "bus": "far", "p_mw": 0.005, "q_mvar": 0.0, "serves": "socket outlets"}
        return sizing([MAIN, INFEED, end("near"), end("far"), breaker, cable("W", "near", "far", 4.0, 30.0), load]).of["W"]

    assert [next(p for p in way(ma).beside if p.rule == "iec.rcd").ok for ma in (None, 30.0, 300.0)] == [False, True, False]
    assert way(30.0).decision.of("iec.disconnect").entered.limit == pytest.approx(0.95 * 230 / 0.03)  # the residual current opens it
