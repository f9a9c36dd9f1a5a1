"""Parts that are not of three phases alike are set apart from faults where they change none; where they might, their island is kept back."""

import pytest
from tests.conftest import network_of
from tests.core.studies.phase_faults.test_phase_faults import GRID

from northfell.core.errors import CannotRun
from northfell.core.network import compile_network
from northfell.core.studies import coordination, duty, load_flow, short_circuit
from northfell.core.studies.phase_faults import phase_faults
from northfell.core.studies.short_circuit import FAULTS

LINE = {"kind": "line", "length_m": 1500.0, "r_ohm_per_km": 0.3, "x_ohm_per_km": 0.36, "r0_ohm_per_km": 0.45, "x0_ohm_per_km": 1.2, "t_end_degc": 80.0,
        "c0_uf_per_km": 0.0}  # fmt: skip


def bus(name: str, kv: float = 11.0, **more) -> dict:
    return {"kind": "bus", "name": name, "v_nominal_kv": kv, **more}


def line(name: str, a: str, b: str, **more) -> dict:
    return {**LINE, "name": name, "from_bus": a, "to_bus": b, **more}


TX = {"kind": "transformer", "s_rated_mva": 2.0, "v_hv_kv": 11.0, "v_lv_kv": 0.4, "uk_pct": 6.0, "ur_pct": 1.0, "vector_group": "Dyn11", "neutral_lv": "solid",
      "z0_over_z1": 1.0}  # fmt: skip
MOTOR = {"kind": "induction_motor", "p_rated_kw": 250.0, "v_rated_kv": 11.0, "efficiency_pct": 95.0, "power_factor": 0.88, "ilr_over_ir": 6.0, "r_over_x": 0.1}
PLANT = [bus("A"), bus("B"), bus("L", 0.4), GRID, line("W", "A", "B"), {**TX, "name": "T", "hv_bus": "B", "lv_bus": "L"}, {**MOTOR, "name": "M", "bus": "B"}]
UNIT = {"high": "c", "low": "1n2", "s_rated_mva": 0.05, "v_high_kv": 6.35, "v_low_kv": 0.24, "uk_pct": 2.2, "ur_pct": 1.1}
SPUR = [bus("S", conductors="c"), line("WS", "B", "S", conductors="c"), bus("H", 0.24, conductors="12n"),
        {"kind": "transformer", "name": "TS", "hv_bus": "S", "lv_bus": "H", "neutral_lv": "solid", "bank_units": [UNIT]},
        {"kind": "load", "name": "E", "bus": "H", "by_phase": [{"between": "12", "p_mw": 0.01, "q_mvar": 0.002}]}]  # fmt: skip
MATRIX = [{"row": p, "column": p, "r_ohm_per_km": 0.35 + k / 50, "x_ohm_per_km": 0.6, "b_us_per_km": 0.0} for k, p in enumerate("abc")]
MATRIX += [{"row": p, "column": q, "r_ohm_per_km": 0.1, "x_ohm_per_km": 0.25, "b_us_per_km": 0.0} for p, q in ("ab", "ac", "bc")]
BY_MATRIX = [{"kind": "line", "name": "WM", "from_bus": "B", "to_bus": "D", "length_m": 900.0, "t_end_degc": 80.0, "matrix": MATRIX}, bus("D"),
             bus("K", 0.4), {**TX, "name": "TD", "hv_bus": "D", "lv_bus": "K"}]  # fmt: skip
SWITCHED = [bus("N", conductors="ab"), {"kind": "breaker", "name": "QN", "from_bus": "B", "to_bus": "N", "conductors": "ab"}, bus("O", conductors="ab"),
            line("WN", "N", "O", conductors="ab")]  # fmt: skip
DRAWN = [{"kind": "load", "name": "X", "bus": "B", "by_phase": [{"between": "a", "p_mw": 0.1, "q_mvar": 0.05}]},
         {"kind": "capacitor_bank", "name": "Y", "bus": "B", "q_step_mvar": 0.1, "step_by_phase": [{"between": "ab", "q_mvar": 0.1}]}]  # fmt: skip


BY_PHASE = {"3ph": "a–b–c", "ll": "a–b", "llg": "a–b–earth", "lg": "a–earth"}


def faults(elements):
    return short_circuit.run(compile_network(network_of(elements), "Normal", "short_circuit"))


@pytest.mark.parametrize("more", [SPUR, BY_MATRIX, SWITCHED, DRAWN, [*SPUR, *BY_MATRIX, *SWITCHED, *DRAWN]], ids=["spur", "matrix", "switched", "drawn", "all"])
def test_faults_elsewhere_are_those_without_the_part_and_those_by_phase(more):
    alone, made = faults(PLANT), faults([*PLANT, *more])
    by_phase = phase_faults(compile_network(network_of([*PLANT, *more]), "Normal"))
    for case in ("max", "min"):
        for name in "ABL":
            at, was = made.net.topology.bus_index[name], alone.net.topology.bus_index[name]
            for fault in FAULTS:
                ik = made.cases[case].of(fault).ik_ka[at]
                assert ik == pytest.approx(alone.cases[case].of(fault).ik_ka[was], rel=1e-12)
                if case == "min" or fault in ("3ph", "lg"):  # what is least is without motors; of two conductors the sequences turn motors otherwise
                    assert by_phase.current(name, {"3ph": "a–b–c", "ll": "a–b", "llg": "a–b–earth", "lg": "a–earth"}[fault], case).ik == pytest.approx(
                        ik, rel=1e-5
                    )
    apart = {"S", "H", "D", "K", "N", "O"} & {e["name"] for e in more}
    assert {made.net.topology.bus_ids[b] for one in made.net.held_back for b in one.buses} == apart
    assert all("Flow and Faults take it by phase" in line for line in made.net.held_back_told)
    assert len(made.messages) == len(made.net.held_back)


def test_what_stands_on_faults_has_its_results_too_and_load_flow_has_none():
    net = compile_network(network_of([*PLANT, *SPUR]), "Normal", "short_circuit")
    made = short_circuit.run(net)
    assert duty.run(net, faults=made).tables()
    assert coordination.run(net, faults=made, flow=None).tables()
    with pytest.raises(CannotRun, match="take it by phase"):
        load_flow.run(net)


RING = [*SPUR[:2], line("WR", "L", "S", conductors="c")]
ACROSS = [bus("S", conductors="c"), line("WS", "A", "S", conductors="c"), line("WT", "S", "B", conductors="c")]
DELTA = [{**UNIT, "high": p, "low": q} for p, q in (("a", "ab"), ("b", "bc"), ("c", "ca"))]
WAYS = {
    "a motor behind it": [*BY_MATRIX, {**MOTOR, "name": "M2", "bus": "D"}],
    "two places at which it hangs": ACROSS,
    "earthed star over a closed delta": [bus("V", 0.24), {"kind": "transformer", "name": "TV", "hv_bus": "B", "lv_bus": "V", "neutral_hv": "solid",
                                         "bank_units": DELTA}],
    "the same of units that stand for themselves": [bus("V", 0.24), *({"kind": "transformer", "name": f"TV{k}", "hv_bus": "B", "lv_bus": "V",
                                                    "neutral_hv": "solid", "bank_units": [one]} for k, one in enumerate(DELTA))],
    "an earthed star on its side": [*BY_MATRIX[:2], bus("K", 0.4), {**TX, "name": "TD", "hv_bus": "K", "lv_bus": "D", "vector_group": "Dyn11", "v_hv_kv": 0.4,
                                    "v_lv_kv": 11.0}],
    "a line between what brings currents": [line("WM", "A", "B", conductors="ab")],
    "a pole that stands open on the way": [bus("Z"), {"kind": "breaker", "name": "QZ", "from_bus": "B", "to_bus": "Z", "open_poles": "a"},
                                           {**MOTOR, "name": "M2", "bus": "Z"}],
}  # fmt: skip


@pytest.mark.parametrize("way", WAYS)
def test_where_it_might_change_a_fault_the_island_is_kept_back(way):
    with pytest.raises(CannotRun, match="take it by phase"):
        faults([*PLANT, *WAYS[way]])


def test_an_open_delta_lets_nothing_through_to_earth():
    two = [bus("V", 0.24), {"kind": "transformer", "name": "TV", "hv_bus": "B", "lv_bus": "V", "neutral_hv": "solid", "bank_units": DELTA[:2]}]
    made, alone = faults([*PLANT, *two]), faults(PLANT)
    assert made.cases["max"].of("lg").ik_ka[made.net.topology.bus_index["B"]] == pytest.approx(alone.cases["max"].of("lg").ik_ka[1], rel=1e-12)


def test_one_island_is_kept_back_and_not_the_other():
    other = [bus("A2"), {**GRID, "name": "G2", "bus": "A2"}, bus("B2"), line("W2", "A2", "B2")]
    made = faults([*PLANT, *WAYS["a motor behind it"], *other])
    assert [made.net.topology.bus_ids[b] for b in made.fed_buses()] == ["A2", "B2"]
