"""Load flow by phase from a network's own declarations: as the balanced one where that holds, a published feeder, neutrals, open poles, and refusals."""

import json
import math
from pathlib import Path

import numpy as np
import pytest
from tests.conftest import network_of

from northfell.core.errors import CannotRun
from northfell.core.network import compile_network
from northfell.core.studies import load_flow, short_circuit
from northfell.core.studies.phase_flow import run_by_phase
from northfell.demo import bracken_quay, skerrow_water
from northfell.formats import northfell_json

FOUR = json.loads((Path(__file__).parents[3] / "published" / "data" / "ieee4_node.json").read_text(encoding="utf-8"))
PER_KM, M_PER_FT = 1 / 1.609344, 0.3048


def by_phase(network, state="Normal"):
    return run_by_phase(compile_network(network, state))


def rows(made, table: str) -> list[dict]:
    return list(next(t for t in made.tables() if t.name == table).records())


@pytest.mark.parametrize(("make", "states"), [(skerrow_water, ("Normal", "Night filling")),
                                              (lambda: northfell_json.read(bracken_quay()), ("Normal",))])  # fmt: skip
def test_on_networks_of_three_phases_alike_it_is_the_balanced_load_flow(make, states):
    network = make()
    for state in states:
        net = compile_network(network, state)
        balanced = load_flow.run(net)
        made = run_by_phase(net)
        for row in rows(made, "buses"):
            at = net.topology.bus_index[network.id_of_name[row["name"]]]
            if row["energised"]:
                assert row["v_ll_pu"] == pytest.approx(abs(balanced.v[at]), abs=1e-7)
        assert made.summary["losses_mw"] == pytest.approx(balanced.summary["losses_mw"], rel=1e-5)
        assert made.summary["load_mw"] == pytest.approx(balanced.summary["load_mw"], rel=1e-7)
        for row in rows(made, "sequence"):
            assert row["v2_over_v1_pct"] < 1e-5
        three = {}
        for row in rows(made, "terminals"):
            key = row["element"], row["terminal"]
            three[key] = three.get(key, 0) + complex(row["p_mw"] or 0, row["q_mvar"] or 0)
        for e in network.elements.values():
            s = balanced.terminal_power.get(e.id)
            for k, value in enumerate(s or ()):
                if (e.name, k) in three and np.isfinite(abs(value)) and e.kind in ("cable", "line", "transformer"):
                    assert three[e.name, k] == pytest.approx(value, abs=1e-5)


def cells(z, b=None) -> list[dict]:
    return [{"row": "abc"[i], "column": "abc"[j], "r_ohm_per_km": z[i][j][0] * PER_KM, "x_ohm_per_km": z[i][j][1] * PER_KM,
             **({"b_us_per_km": b[i][j] * PER_KM} if b else {})} for i in range(3) for j in range(i + 1)]  # fmt: skip


@pytest.mark.parametrize("case", FOUR["cases"], ids=lambda c: f"{c['connection']} {c['load']}")
def test_the_four_node_feeder_from_a_network(case):
    star = case["connection"] == "GrY-GrY"
    z = FOUR["lines"]["z_ohm_per_mile"]
    kw = FOUR["loads"]["kw_and_lagging_power_factor_abc"][case["load"]]
    network = network_of([
        *({"kind": "bus", "name": n, "v_nominal_kv": kv, "bus_kind": "junction"} for n, kv in (("1", 12.47), ("2", 12.47), ("3", 4.16), ("4", 4.16))),
        {"kind": "infeed", "name": "G", "bus": "1", "ik_max_ka": 10.0, "ik_min_ka": 8.0, "r_over_x": 0.1},
        {"kind": "line", "name": "L12", "from_bus": "1", "to_bus": "2", "length_m": 2000 * M_PER_FT, "t_end_degc": 80.0,
         "matrix": cells(z["four_wire" if star else "three_wire"])},
        {"kind": "transformer", "name": "T", "hv_bus": "2", "lv_bus": "3", "s_rated_mva": 6.0, "v_hv_kv": 12.47, "v_lv_kv": 4.16,
         "vector_group": "YNyn0" if star else "Dyn1", "uk_pct": 100 * math.hypot(0.01, 0.06), "ur_pct": 1.0, "neutral_hv": "solid", "neutral_lv": "solid"},
        {"kind": "line", "name": "L34", "from_bus": "3", "to_bus": "4", "length_m": 2500 * M_PER_FT, "t_end_degc": 80.0, "matrix": cells(z["four_wire"])},
        {"kind": "load", "name": "E", "bus": "4",
         "by_phase": [{"between": p, "p_mw": one / 1000, "q_mvar": one / 1000 * math.tan(math.acos(pf))} for p, (one, pf) in zip("abc", kw, strict=True)]},
    ], frequency_hz=60)  # fmt: skip
    made = by_phase(network)
    found = {(r["name"], r["phase"]): r for r in rows(made, "buses")}
    limit = FOUR["tolerance"]
    for bus in ("3", "4"):
        for p, (size, angle) in zip("abc", case["printed"][f"V{bus}"], strict=True):
            assert 1000 * found[bus, p]["v_kv"] == pytest.approx(size, rel=limit["relative"])
            assert abs((found[bus, p]["angle_deg"] - angle + 180) % 360 - 180) < limit["deg"]
    currents = {(r["element"], r["terminal"], r["phase"]): r for r in rows(made, "terminals")}
    for name, line in (("I12", "L12"), ("I34", "L34")):
        for p, (size, _) in zip("abc", case["printed"].get(name, ()), strict=False):
            assert currents[line, 0, p]["i_a"] == pytest.approx(size, rel=limit["relative"])
    windings = next(r for r in rows(made, "branches") if r["name"] == "T")
    assert windings["rating"] == 2.0
    if case["load"] == "unbalanced" and not star:
        assert windings["loading_pct"] > 100 * 2.5 / 2 * 0.95
    with pytest.raises(
        CannotRun, match="Overhead line L12: its impedance is given by phase alone, and so are 2 more elements; this study takes networks of three phases alike"
    ):
        load_flow.run(compile_network(network, "Normal"))
    compiled = compile_network(network, "Normal", "short_circuit")
    if star:  # an earthed star may draw a current to earth
        with pytest.raises(CannotRun, match="by phase"):
            short_circuit.run(compiled)
    else:
        assert short_circuit.run(compiled).fed_buses() == [0]


SOURCE = [{"kind": "bus", "name": "A", "v_nominal_kv": 0.4, "conductors": "abcn"}, {"kind": "infeed", "name": "G", "bus": "A"}]
NEUTRAL = [{"row": r, "column": c, "r_ohm_per_km": 0.3 if r == c else 0.05, "x_ohm_per_km": 0.3 if r == c else 0.2} for r, c in
           ("aa", "ba", "bb", "ca", "cb", "cc", "na", "nb", "nc", "nn")]  # fmt: skip


def service(load, **more):
    """A four-wire line of 200 m with a load at its end; the neutral is earthed at the source by a transformer's star point."""
    hv = [{"kind": "bus", "name": "H", "v_nominal_kv": 10.0}, {"kind": "infeed", "name": "G", "bus": "H"},
          {"kind": "transformer", "name": "T", "hv_bus": "H", "lv_bus": "A", "s_rated_mva": 0.4, "v_hv_kv": 10.0, "v_lv_kv": 0.4, "vector_group": "Dyn5",
           "uk_pct": 4.0, "ur_pct": 1.0, "neutral_lv": "solid"}]  # fmt: skip
    end = {"kind": "bus", "name": "B", "v_nominal_kv": 0.4, "conductors": "abcn"}
    wires = {"kind": "line", "name": "L", "from_bus": "A", "to_bus": "B", "length_m": 200.0, "matrix": NEUTRAL, **more}
    return network_of([SOURCE[0], *hv, end, wires, {"kind": "load", "name": "E", "bus": "B", **load}])


def test_a_neutral_that_is_carried_rises_and_its_current_is_told():
    made = by_phase(service({"by_phase": [{"between": "a", "p_mw": 0.02, "q_mvar": 0.0}]}))
    at = {(r["name"], r["phase"]): r for r in rows(made, "buses")}
    i = next(r["i_a"] for r in rows(made, "loads"))
    assert at["B", "n"]["v_kv"] * 1000 == pytest.approx(i * abs(0.25 + 0.1j) * 0.2, rel=0.01)  # (Znn − Zna)·I, the source's earthing aside
    assert at["B", "a"]["v_ln_pu"] < at["B", "a"]["v_pu"]
    earth = next(r for r in rows(made, "residuals") if (r["element"], r["terminal"]) == ("L", 1))
    assert earth["i_neutral_a"] == pytest.approx(i, rel=1e-6)
    assert earth["i_earth_a"] == pytest.approx(0, abs=1e-6)
    even = by_phase(service({"p_mw": 0.06, "q_mvar": 0.01}))
    assert {(r["name"], r["phase"]): r for r in rows(even, "buses")}["B", "n"]["v_kv"] == pytest.approx(0, abs=1e-9)


def test_electrodes_along_a_neutral_take_a_part_of_its_current_into_the_earth():
    load = {"by_phase": [{"between": "a", "p_mw": 0.02, "q_mvar": 0.0}]}
    made = by_phase(service(load, electrode_ohm=2.0, electrode_every_m=50.0))
    v, i = ({(r["name"], r["phase"]): r["v_kv"] for r in rows(made, "buses")}, {r["terminal"]: r for r in rows(made, "residuals") if r["element"] == "L"})
    drawn = next(r["i_a"] for r in rows(made, "loads"))
    bare = by_phase(service(load))
    assert i[1]["i_neutral_a"] == pytest.approx(drawn, rel=1e-6)  # nothing else stands at its end
    assert i[1]["i_earth_a"] == pytest.approx(0, abs=1e-6)
    assert i[0]["i_neutral_a"] < drawn * 0.99
    assert i[0]["i_earth_a"] == pytest.approx(drawn - i[0]["i_neutral_a"], rel=0.2)
    assert v["B", "n"] < {(r["name"], r["phase"]): r["v_kv"] for r in rows(bare, "buses")}["B", "n"]
    spread = {**load, "along": "L"}
    at_all = by_phase(service(spread, electrode_ohm=2.0, electrode_every_m=50.0))
    first = next(r for r in rows(at_all, "residuals") if (r["element"], r["terminal"]) == ("L", 0))
    assert 0 < first["i_earth_a"] < i[0]["i_earth_a"]  # what is drawn nearer to the source goes a shorter way
    three = {
        "kind": "line",
        "name": "L",
        "from_bus": "A",
        "to_bus": "B",
        "length_m": 500.0,
        "matrix": NEUTRAL[:6],
        "electrode_ohm": 2.0,
        "electrode_every_m": 50.0,
    }
    gone = by_phase(network_of([{"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in "AB"] + [SOURCE[1], three]))
    assert any("L carries no neutral here" in told for told in gone.messages)
    with pytest.raises(CannotRun, match="electrode_every_m"):
        by_phase(service(load, electrode_ohm=2.0))


def test_one_and_two_phase_parts_have_no_row_for_what_is_not_there_and_open_poles_feed_nothing():
    elements = [{"kind": "bus", "name": "A", "v_nominal_kv": 11.0}, {"kind": "infeed", "name": "G", "bus": "A"},
                {"kind": "bus", "name": "B", "v_nominal_kv": 11.0, "conductors": "ab"}, {"kind": "bus", "name": "C", "v_nominal_kv": 11.0, "conductors": "b"},
                {"kind": "bus", "name": "D", "v_nominal_kv": 11.0},
                {"kind": "line", "name": "L1", "from_bus": "A", "to_bus": "B", "length_m": 500.0, "r_ohm_per_km": 0.3, "x_ohm_per_km": 0.35,
                 "r0_ohm_per_km": 0.6, "x0_ohm_per_km": 1.2},
                {"kind": "line", "name": "L2", "from_bus": "B", "to_bus": "C", "length_m": 500.0, "geometry": "Pole with a cross-arm, four wires"},
                {"kind": "switch", "name": "Q", "from_bus": "A", "to_bus": "D", "open_poles": "c"},
                {"kind": "load", "name": "E", "bus": "C", "p_mw": 0.1, "q_mvar": 0.02},
                {"kind": "load", "name": "F", "bus": "D", "p_mw": 0.3, "q_mvar": 0.0, "connection": "wye"}]  # fmt: skip
    with pytest.raises(CannotRun, match="geometry is “Pole with a cross-arm, four wires with a, b, c”, accepted is one with the conductors that it joins, b"):
        by_phase(network_of(elements))
    elements[6] = {**elements[5], "name": "L2", "from_bus": "B", "to_bus": "C"}
    made = by_phase(network_of(elements))
    found = [(r["name"], r["phase"]) for r in rows(made, "buses") if r["energised"]]
    assert [p for n, p in found if n == "B"] == ["a", "b"]
    assert [p for n, p in found if n == "C"] == ["b"]
    assert {r["bus"] for r in rows(made, "sequence")} == {"A"} | ({"D"} if ("D", "c") in found else set())
    at = {(r["element"], r["terminal"], r["phase"]): r["i_a"] for r in rows(made, "terminals")}
    assert ("L2", 0, "a") not in at
    assert at["L1", 0, "b"] == pytest.approx(at["L2", 1, "b"], rel=1e-6)
    assert ("Q", 0, "c") not in at
    assert at["Q", 0, "a"] > 5
    self_z = (2 * complex(0.3, 0.35) + complex(0.6, 1.2)) / 3  # of one phase of a transposed line
    v = {(r["name"], r["phase"]): r["v_kv"] * np.exp(1j * np.radians(r["angle_deg"])) for r in rows(made, "buses") if r["energised"]}
    i = np.conj(complex(0.1, 0.02) / v["C", "b"])
    assert v["A", "b"] - v["C", "b"] == pytest.approx(self_z * i, rel=1e-6)
    wide, currents = ({r["name" if t == "voltages" else "element"]: r for r in rows(made, t)} for t in ("voltages", "currents"))
    assert "v_n_pu" not in wide["B"]  # no bus has one
    assert [wide["B"][k] is None for k in ("v_a_pu", "v_b_pu", "v_c_pu", "v_ll_ab_pu", "v_ll_bc_pu")] == [False, False, True, False, True]
    assert wide["C"]["v_b_pu"] == next(r["v_pu"] for r in rows(made, "buses") if (r["name"], r["phase"]) == ("C", "b"))
    assert (currents["L2"]["i_a_a"], currents["L2"]["i_b_a"]) == (None, pytest.approx(at["L2", 1, "b"]))


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"by_phase": [{"between": "c", "p_mw": 0.1, "q_mvar": 0.0}]}, "Load E: conductors is “c”, accepted is of what bus C has, a."),
        ({"connection": "delta", "p_mw": 0.1, "q_mvar": 0.0}, "Load E: connection is “delta”, accepted is wye on a bus of one phase."),
        ({"p_mw": None, "q_mvar": 0.0}, "Load E: p_mw is empty, accepted is a value."),
    ],
)
def test_what_a_bus_does_not_have_is_refused_with_the_place(change, told):
    elements = [{"kind": "bus", "name": "A", "v_nominal_kv": 11.0}, {"kind": "infeed", "name": "G", "bus": "A"},
                {"kind": "bus", "name": "C", "v_nominal_kv": 11.0, "conductors": "a"},
                {"kind": "line", "name": "L", "from_bus": "A", "to_bus": "C", "length_m": 500.0,
                 "matrix": [{"row": "a", "column": "a", "r_ohm_per_km": 0.3, "x_ohm_per_km": 0.35}]},
                {"kind": "load", "name": "E", "bus": "C", **change}]  # fmt: skip
    with pytest.raises(CannotRun) as refused:
        by_phase(network_of(elements))
    assert told in str(refused.value)


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ({"matrix": NEUTRAL[:-1]}, "matrix is “without nn”"),
        ({"matrix": [*NEUTRAL, {"row": "a", "column": "b", "r_ohm_per_km": 9.0, "x_ohm_per_km": 0.0}]}, "one figure for each pair"),
        ({"matrix": [], "r_ohm_per_km": 0.3, "x_ohm_per_km": 0.3, "r0_ohm_per_km": 1.0, "x0_ohm_per_km": 1.0}, "sequence values do not hold it"),
        ({"matrix": [], "geometry": "Nothing"}, "the name of a geometry of the catalogue"),
        ({"conductors": "abc", "matrix": NEUTRAL}, "pairs of the conductors that it joins, abc"),
    ],
)
def test_lines_whose_data_do_not_fit_their_conductors_are_refused(more, told):
    with pytest.raises(CannotRun) as refused:
        by_phase(service({"p_mw": 0.01, "q_mvar": 0.0}, **more))
    assert told in str(refused.value)
    assert "L" in str(refused.value)


THIRTEEN = json.loads((Path(__file__).parents[3] / "published" / "data" / "ieee13_node.json").read_text(encoding="utf-8"))


def thirteen(**regulator) -> list[dict]:
    """The published feeder as a network's elements: matrices, a regulator, loads and capacitors by phase."""
    d = THIRTEEN
    elements = [{"kind": "bus", "name": n, "v_nominal_kv": 0.48 if n == "634" else 4.16, "bus_kind": "junction", "conductors": "".join(p)}
                for n, p in d["printed_v_pu_deg"].items()]  # fmt: skip
    elements.append({"kind": "infeed", "name": "G", "bus": "650"})
    reg = d["regulator"]
    units = [{"phase": p, "tap": t, "v_set_v": 122.0, "drop_r_v": 3.0, "drop_x_v": 9.0} for p, t in reg["taps"].items()]
    elements.append(
        {
            "kind": "step_regulator",
            "name": "R",
            "from_bus": "650",
            "to_bus": "RG60",
            "regulator_units": units,
            "pt_ratio": 20.0,
            "ct_primary_a": 700.0,
            **regulator,
        }
    )
    for n, s in enumerate(d["segments"]):
        c = d["configurations"][s["configuration"]]
        matrix = [{"row": a, "column": b, "r_ohm_per_km": c["z_ohm_per_mile"][i][j][0] * PER_KM, "x_ohm_per_km": c["z_ohm_per_mile"][i][j][1] * PER_KM,
                   "b_us_per_km": c["b_us_per_mile"][i][j] * PER_KM} for i, a in enumerate(c["phases"]) for j, b in enumerate(c["phases"])]  # fmt: skip
        elements.append({"kind": "line", "name": f"L{n}", "from_bus": s["f"], "to_bus": s["t"], "length_m": s["length_ft"] * M_PER_FT, "matrix": matrix})
    elements.append({"kind": "switch", "name": "Q", "from_bus": "671", "to_bus": "692"})
    elements.append({"kind": "transformer", "name": "T", "hv_bus": "633", "lv_bus": "634", "s_rated_mva": 0.5, "v_hv_kv": 4.16,
                     "v_lv_kv": 0.48, "vector_group": "YNyn0", "uk_pct": 100 * math.hypot(0.011, 0.02), "ur_pct": 1.1, "neutral_hv": "solid",
                     "neutral_lv": "solid"})  # fmt: skip
    for n, one in enumerate([*d["spot_loads"], *({**d["distributed_load"], "node": b, "half": True} for b in d["distributed_load"]["along"])]):
        names = "abc" if one["connection"] == "wye" else ("ab", "bc", "ca")
        part = 2000 if one.get("half") else 1000
        parts = [{"between": p, "p_mw": kw / part, "q_mvar": kvar / part} for p, (kw, kvar) in zip(names, one["kw_kvar"], strict=True) if kw or kvar]
        elements.append({"kind": "load", "name": f"E{n}", "bus": one["node"], "characteristic": one["model"].removeprefix("constant "), "by_phase": parts})
    for bus, kvar in d["capacitors_kvar_per_phase"].items():
        if bus != "note":
            rows_ = [{"between": p, "q_mvar": q / 1000} for p, q in kvar.items()]
            elements.append({"kind": "capacitor_bank", "name": f"C{bus}", "bus": bus, "q_step_mvar": sum(kvar.values()) / 1000, "step_by_phase": rows_})
    return elements


def test_the_thirteen_node_feeder_from_a_network():
    made = by_phase(network_of(thirteen(), frequency_hz=60))
    limit, count = THIRTEEN["tolerance"], 0
    found = {(r["name"], r["phase"]): r for r in rows(made, "buses")}
    for bus, phases in THIRTEEN["printed_v_pu_deg"].items():
        for p, (size, angle) in phases.items():
            assert found[bus, p]["v_pu"] == pytest.approx(size, abs=limit["v_pu"])
            assert abs((found[bus, p]["angle_deg"] - angle + 180) % 360 - 180) < limit["deg"]
            count += 1
    assert count == len(found) == 35  # a phase that a bus does not have has no row
    for r, kw, kvar in zip(rows(made, "sources"), THIRTEEN["printed_source"]["kw"], THIRTEEN["printed_source"]["kvar"], strict=True):
        assert 1000 * r["p_mw"] == pytest.approx(kw, abs=limit["kw"])
        assert 1000 * r["q_mvar"] == pytest.approx(kvar, abs=limit["kvar"])
    regulators = rows(made, "regulators")
    assert [r["tap"] for r in regulators] == [10, 8, 11]
    assert [r["v_relay_v"] for r in regulators] == pytest.approx([122.17, 122.60, 122.87], abs=0.01)
    ends = {(r["element"], r["terminal"], r["phase"]): r for r in rows(made, "terminals")}
    assert ends["R", 0, "a"]["i_a"] == pytest.approx(1.0625 * ends["R", 1, "a"]["i_a"], rel=1e-9)
    assert ends["R", 0, "a"]["p_mw"] == pytest.approx(-ends["R", 1, "a"]["p_mw"], rel=1e-9)
    sums = {}
    for r in rows(made, "terminals"):
        if r["bus"] == "671":
            sums[r["phase"]] = sums.get(r["phase"], 0) + r["i_a"] * np.exp(1j * np.radians(r["i_angle_deg"]))
    loads = dict.fromkeys("abc", 0j)
    for one, i in zip(made.flow.loads.parts, made.flow.load_currents, strict=True):
        for n, sign in ((one.p, 1), (one.q, -1)):
            name = list(made.gathered.index)[n] if n >= 0 else ("", "")
            if name[0] == "671":
                loads[name[1]] += sign * i
    for p in "abc":
        assert sums[p] + loads[p] == pytest.approx(0, abs=1e-6)  # Kirchhoff at a bus


def test_controls_bring_each_phase_within_its_band_from_below_and_ganged_ones_move_together():
    def from_taps(taps, **more):
        elements = thirteen(control="each phase", **more)
        units = next(e for e in elements if e["name"] == "R")["regulator_units"]
        for unit, tap in zip(units, taps, strict=True):
            unit["tap"] = tap
        return rows(by_phase(network_of(elements, frequency_hz=60)), "regulators")

    for taps in ((0, 0, 0), (16, 16, 16)):
        found = from_taps(taps)
        assert all(r["target"] == "held" for r in found)
        assert all(121 <= r["v_relay_v"] <= 123 for r in found)
    assert [r["tap"] for r in from_taps((10, 8, 11))] == [10, 8, 11]  # within the band they rest
    short = from_taps((0, 0, 0), most_taps=4)
    assert [r["tap"] for r in short] == [4, 4, 4]
    assert all(r["target"] == "missed" for r in short)


def test_regulators_that_fight_or_lack_their_transformers_are_told():
    elements = thirteen(control="each phase", band_v=0.1)
    with pytest.raises(CannotRun, match="hunt: the same taps come again"):
        by_phase(network_of(elements, frequency_hz=60))
    with pytest.raises(CannotRun, match="pt_ratio is empty"):
        by_phase(network_of(thirteen(control="ganged", pt_ratio=None), frequency_hz=60))
    units = [{"phase": p, "tap": 0, "v_set_v": 122.0} for p in "abc"]
    moved = rows(by_phase(network_of(thirteen(control="ganged", sensed="b", regulator_units=units), frequency_hz=60)), "regulators")
    assert len({r["tap"] for r in moved}) == 1
    assert abs(next(r["v_relay_v"] for r in moved if r["phase"] == "b") - 122) <= 1


def regulated(connection: str, taps: dict[str, int], conductors="abc", **more):
    at = {"kind": "bus", "v_nominal_kv": 4.16, "bus_kind": "junction", "conductors": conductors}
    made = by_phase(network_of([
        {**at, "name": "A"}, {**at, "name": "B"}, {"kind": "infeed", "name": "G", "bus": "A"},
        {"kind": "step_regulator", "name": "R", "from_bus": "A", "to_bus": "B", "connection": connection,
         "regulator_units": [{"phase": p, "tap": t} for p, t in taps.items()], **more},
        {"kind": "load", "name": "E", "bus": "B", "p_mw": 0.5, "q_mvar": 0.1, "connection": "delta"},
    ]))  # fmt: skip
    v = {(r["name"], r["phase"]): r["v_kv"] * np.exp(1j * np.radians(r["angle_deg"])) for r in rows(made, "buses") if r["v_kv"]}
    return made, lambda bus, p, q: v[bus, p] - v.get((bus, q), 0)


def test_units_in_wye_and_in_delta_turn_voltages_as_their_windings_do():
    _, u = regulated("wye", {"a": 8, "c": -4})
    assert u("B", "a", "") == pytest.approx(1.05 * u("A", "a", ""))
    assert u("B", "b", "") == pytest.approx(u("A", "b", ""))
    _, u = regulated("wye", {"a": 8}, design="B")
    assert u("B", "a", "") == pytest.approx(u("A", "a", "") / 0.95)
    made, u = regulated("open delta", {"a": 8, "c": -4})
    assert u("B", "a", "b") == pytest.approx(1.05 * u("A", "a", "b"))
    assert u("B", "c", "b") == pytest.approx(0.975 * u("A", "c", "b"))
    assert u("B", "b", "") == pytest.approx(u("A", "b", ""))
    ends = {(r["terminal"], r["phase"]): r["i_a"] * np.exp(1j * np.radians(r["i_angle_deg"])) for r in rows(made, "terminals") if r["element"] == "R"}
    assert ends[0, "a"] == pytest.approx(-1.05 * ends[1, "a"], rel=1e-9)
    assert sum(i for (k, _), i in ends.items() if k == 0) == pytest.approx(0, abs=1e-6)
    lost = sum(r["p_mw"] for r in rows(made, "terminals") if r["element"] == "R")
    assert lost == pytest.approx(0, abs=1e-9)  # ideal
    _, u = regulated("closed delta", {"a": 16, "b": 16, "c": 16})
    assert abs(u("B", "a", "b") / u("A", "a", "b")) == pytest.approx(1.153, abs=5e-4)
    assert math.degrees(np.angle(u("B", "a", "b") / u("A", "a", "b"))) == pytest.approx(4.3, abs=0.05)


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"connection": "open delta", "taps": {"b": 1}}, "units a and c in open delta"),
        ({"connection": "wye", "taps": {"a": 17}}, "at most 16 steps each way"),
        ({"connection": "closed delta", "conductors": "ab"}, "wye where not all three phases are joined"),
    ],
)
def test_regulators_that_cannot_be_are_refused(change, told):
    with pytest.raises(CannotRun, match=told):
        regulated(change.pop("connection"), change.pop("taps", {"a": 1}), **change)


def test_behind_an_open_pole_a_conductor_is_dead_and_the_others_carry_on():
    elements = [{"kind": "bus", "name": n, "v_nominal_kv": 11.0, "bus_kind": "junction"} for n in "ABC"]
    elements += [{"kind": "infeed", "name": "G", "bus": "A"}, {"kind": "switch", "name": "Q", "from_bus": "A", "to_bus": "B", "open_poles": "c"},
                 {"kind": "line", "name": "L", "from_bus": "B", "to_bus": "C", "length_m": 2000.0, "geometry": "Pole with a cross-arm, four wires"},
                 {"kind": "load", "name": "E", "bus": "C", "by_phase": [{"between": p, "p_mw": 0.4, "q_mvar": 0.1} for p in ("a", "b")]}]  # fmt: skip
    made = by_phase(network_of(elements))
    at = {(r["name"], r["phase"]): r for r in rows(made, "buses")}
    assert [at["C", p]["energised"] for p in "abc"] == [True, True, False]
    assert at["C", "c"]["v_pu"] is None
    assert 0.95 < at["C", "a"]["v_pu"] < 1.0
    currents = {(r["terminal"], r["phase"]): r["i_a"] for r in rows(made, "terminals") if r["element"] == "L"}
    assert set(currents) == {(k, p) for k in (0, 1) for p in "ab"}
    two = [dict(e) for e in elements]
    two[1]["conductors"] = two[2]["conductors"] = "ab"
    two[4].pop("open_poles")
    whole = made.flow.solved_v[made.gathered.index["C", "a"]]
    line = next(p for p in made.flow.network.primitives if p.element == "L")
    full = np.linalg.inv(line.y_s[:3, :3])  # with half of its capacitance, which is small; c carries no current
    cells = [
        {"row": "ab"[i], "column": "ab"[j], "r_ohm_per_km": full[i, j].real / 2, "x_ohm_per_km": full[i, j].imag / 2} for i in range(2) for j in range(i + 1)
    ]
    two[5] = {**two[5], "geometry": "", "matrix": cells}
    alone = by_phase(network_of(two))
    assert alone.flow.v_v[alone.gathered.index["C", "a"]] == pytest.approx(whole, rel=1e-4)
