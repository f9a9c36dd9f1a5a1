"""What a code allows: the tables' rows by case, and a transformer and a motor by hand."""

import math

import pytest
from tests.conftest import network_of
from tests.core.studies.coordination.test_coordination import relay

from northfell.core.catalogue.sizing_tables import nec_standard_a
from northfell.core.network import compile_network
from northfell.core.studies.coordination import run
from northfell.core.studies.coordination.code_limits import motor_limit, transformer_limit


@pytest.mark.parametrize(
    ("side", "v", "uk", "fuse", "both", "supervised", "percent", "next_size"),
    [
        ("primary", 11.0, 6.0, False, True, False, 600, True), ("primary", 11.0, 6.1, False, True, False, 400, True),
        ("primary", 11.0, 6.0, True, True, False, 300, True), ("secondary", 0.4, 6.0, False, True, False, 125, True),
        ("secondary", 0.4, 6.0, False, True, True, 250, False), ("secondary", 3.3, 8.0, True, True, False, 225, True),
        ("primary", 11.0, 5.0, False, False, True, 300, True), ("primary", 11.0, 5.0, True, False, True, 250, True),
    ],
)  # fmt: skip
def test_transformers_above_1_kv(side, v, uk, fuse, both, supervised, percent, next_size):
    limit = transformer_limit(side, 11.0, v, uk, 100.0, fuse, both, supervised)
    assert (limit.percent, limit.next_size) == (percent, next_size)


def test_where_the_code_has_no_limit_there_is_none():
    assert transformer_limit("primary", 11.0, 11.0, 6.0, 50.0, fuse=False, both=False, supervised=False) is None  # it asks for a device behind it
    assert transformer_limit("primary", 11.0, 11.0, 10.1, 50.0, fuse=False, both=True, supervised=False) is None
    assert transformer_limit("secondary", 0.48, 0.208, 4.0, 50.0, fuse=False, both=False, supervised=False) is None


@pytest.mark.parametrize(
    ("side", "i", "both", "percent", "most"),
    [("primary", 60.0, False, 125, 80), ("primary", 8.0, False, 167, 13.36), ("primary", 1.5, False, 300, 4.5), ("primary", 60.0, True, 250, 150),
     ("secondary", 139.0, True, 125, 175), ("secondary", 8.0, True, 167, 13.36)],
)  # fmt: skip
def test_transformers_up_to_1_kv_and_the_next_size_where_it_is_allowed(side, i, both, percent, most):
    """125 % of 60 A are 75 A: the next standard size is 80. At 250 % of the pair, and of the smallest, nothing is rounded up."""
    limit = transformer_limit(side, 0.48, 0.48, 4.0, i, fuse=False, both=both, supervised=False)
    assert limit.percent == percent
    assert limit.most_a(i, comes_in_sizes=True) == pytest.approx(most)
    assert limit.most_a(i, comes_in_sizes=False) == pytest.approx(percent / 100 * i)


def test_motors_and_standard_sizes():
    assert {15.0, 20.0, 110.0, 6000.0} <= set(nec_standard_a())
    assert motor_limit(synchronous=False, fuse=False).most_a(65.0, comes_in_sizes=True) == 175.0  # 250 % are 162.5 A
    assert motor_limit(synchronous=False, fuse=True).percent == 175  # the lesser: nothing says that it has no time delay
    assert motor_limit(synchronous=False, fuse=False).most_a(1e5, comes_in_sizes=True) == 2.5e5  # beyond all sizes


def plant(*more: dict, parallel: int = 1, **settings):
    """11 kV, a relay before 1 MVA to 0.48 kV of 6 %, a main trip behind it, and a moulded-case breaker before a motor."""
    buses = [{"kind": "bus", "name": n, "v_nominal_kv": v} for n, v in (("S", 11.0), ("H", 11.0), ("L", 0.48), ("M", 0.48), ("P", 0.48))]
    trip = {"trip": "electronic", "trip_ir_a": 1600.0, "trip_tr_s": 8.0}
    elements = [
        *buses, {"kind": "infeed", "name": "G", "bus": "S", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1},
        {"kind": "breaker", "name": "Q1", "from_bus": "S", "to_bus": "H", "t_break_s": 0.06}, relay("R1", "Q1", 200.0, 0.2),
        {"kind": "transformer", "name": "T", "hv_bus": "H", "lv_bus": "L", "s_rated_mva": 1.0, "v_hv_kv": 11.0, "v_lv_kv": 0.48, "uk_pct": 6.0,
         "load_loss_kw": 10.0, "vector_group": "Dyn11", "parallel": parallel},
        {"kind": "breaker", "name": "Q2", "from_bus": "L", "to_bus": "M", **trip},
        {"kind": "breaker", "name": "Q3", "from_bus": "M", "to_bus": "P", "trip": "thermal-magnetic", "trip_ir_a": 175.0, "trip_im_a": 1750.0},
        {"kind": "induction_motor", "name": "E", "bus": "P", "p_rated_kw": 45.0, "v_rated_kv": 0.48, "efficiency_pct": 94.0, "power_factor": 0.86,
         "ilr_over_ir": 6.0, "r_over_x": 0.42}, *more,
    ]  # fmt: skip
    found = run(compile_network(network_of(elements, coordination={"fault": "3ph", **settings}), "Normal", "short_circuit"))
    return {(r.device, r.rule): r for r in found.rules if r.rule.startswith("code")}, found


def test_a_plant_is_held_to_the_code_by_hand_and_without_one_to_none():
    rules, found = plant(code="NEC")
    primary, secondary, motor = 1000 / (math.sqrt(3) * 11), 1000 / (math.sqrt(3) * 0.48), 45 / 0.94 / 0.86 / (math.sqrt(3) * 0.48)
    assert {key: r.value for key, r in rules.items()} == {
        ("Q1", "code, transformer"): pytest.approx(6 * primary / 200), ("Q2", "code, transformer"): pytest.approx(1.25 * secondary / 1600),
        ("Q3", "code, motor"): pytest.approx(175 / 175),
    }  # fmt: skip
    assert 150 < 2.5 * motor < 175  # so that the next standard size is what counts
    assert [found.verdict_of(r) for r in rules.values()] == ["within", "breach", "within"]
    supervised, _ = plant(code="NEC", supervised=True)
    assert supervised["Q2", "code, transformer"].value == pytest.approx(2.5 * secondary / 1600)
    assert plant()[0] == {}
    second = {"kind": "breaker", "name": "Q4", "from_bus": "L", "to_bus": "P2", "trip": "electronic", "trip_ir_a": 400.0, "trip_tr_s": 8.0}
    both, _ = plant({"kind": "bus", "name": "P2", "v_nominal_kv": 0.48}, second, code="NEC")  # together they stand for one
    assert both["Q2", "code, transformer"].value == both["Q4", "code, transformer"].value == pytest.approx(1.25 * secondary / 2000)
    unknown, _ = plant({"kind": "bus", "name": "P2", "v_nominal_kv": 0.48}, {**second, "trip_ir_a": None}, code="NEC")
    assert unknown["Q2", "code, transformer"].value is None
    double, _ = plant(parallel=2, code="NEC")
    assert double["Q1", "code, transformer"].value == pytest.approx(12 * primary / 200)
    above = {"kind": "induction_motor", "name": "E11", "bus": "H", "p_rated_kw": 400.0, "v_rated_kv": 11.0, "efficiency_pct": 94.0, "power_factor": 0.86,
             "ilr_over_ir": 6.0, "r_over_x": 0.15}  # fmt: skip
    assert ("Q1", "code, motor") not in plant(above, code="NEC")[0]  # of motors above 1 kV that table says nothing
