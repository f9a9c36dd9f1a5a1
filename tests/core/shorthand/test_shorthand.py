"""Shorthand: units and order are free, and what cannot be read is given back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.core.model.elements import KINDS
from northfell.core.shorthand.reading import EXAMPLES, parse


@pytest.mark.parametrize(
    ("text", "kind", "values"),
    [
        ("tx 33/11 10 MVA 10% Dyn11", "transformer", {"v_hv_kv": 33, "v_lv_kv": 11, "s_rated_mva": 10, "uk_pct": 10, "vector_group": "Dyn11"}),
        ("tx 10% 0,42/11kV 1000 kVA dYN11", "transformer", {"v_hv_kv": 11, "v_lv_kv": 0.42, "s_rated_mva": 1, "uk_pct": 10, "vector_group": "Dyn11"}),
        ("tx 400/11000 V 2x 2 MVA", "transformer", {"v_hv_kv": 11, "v_lv_kv": 0.4, "s_rated_mva": 2, "parallel": 2}),
        ("cable 3c 240 al xlpe 350 m", "cable", {"area_mm2": 240, "conductor": "aluminium", "insulation": "XLPE", "length_m": 350}),
        ("cable 0,35 km copper 240mm2 2x PVC", "cable", {"length_m": 350, "conductor": "copper", "area_mm2": 240, "parallel": 2, "insulation": "PVC"}),
        ("line 2.5 km 120 al", "line", {"length_m": 2500, "area_mm2": 120, "conductor": "aluminium"}),
        ("breaker", "breaker", {}),
        ("CB 630 A open", "breaker", {"i_rated_a": 630, "closed": False}),
        ("fuse 250", "fuse", {"i_rated_a": 250}),
        ("fuse 65 K", "fuse", {"i_rated_a": 65, "link": "K"}),
        ("motor 4 × 900 kW pf 0.87 11 kV", "induction_motor", {"p_rated_kw": 900, "power_factor": 0.87, "v_rated_kv": 11}),
        ("motor 4x 0.9 MW", "induction_motor", {"count": 4, "p_rated_kw": 900}),
        ("load 420 kW 200 kvar", "load", {"p_mw": 0.42, "q_mvar": 0.2}),
        ("reactor 2 Mvar", "shunt_reactor", {"q_mvar": 2}),
        ("capacitor 600 kvar", "capacitor_bank", {"q_step_mvar": 0.6}),
        ("infeed 10,8 kA 33 kV", "infeed", {"ik_max_ka": 10.8}),
        ("mcc 400 V", "bus", {"bus_kind": "motor control centre", "v_nominal_kv": 0.4}),
        ("relay vi 240 A tm 0,3 ct 300/5", "relay", {"curve": "IEC_VI", "i_pickup_a": 240, "time_multiplier": 0.3, "ct_primary_a": 300, "ct_secondary_a": 5}),
        ("capacitor 4x 150 kvar", "capacitor_bank", {"q_step_mvar": 0.15, "steps": 4}),
        ("reactor 630 A 6%", "series_reactor", {"i_rated_a": 630, "uk_pct": 6}),
        (
            "tx3 132/33/11 60/60/20 MVA 12/18/6% ynYN0D11",
            "three_winding_transformer",
            {
                "v_hv_kv": 132,
                "v_mv_kv": 33,
                "v_lv_kv": 11,
                "s_hv_mva": 60,
                "s_mv_mva": 60,
                "s_lv_mva": 20,
                "uk_hv_mv_pct": 12,
                "uk_hv_lv_pct": 18,
                "uk_mv_lv_pct": 6,
                "vector_group": "YNyn0d11",
            },
        ),
        ("tx 33/11 10 MVA resistor 16 ohm", "transformer", {"v_hv_kv": 33, "v_lv_kv": 11, "s_rated_mva": 10, "neutral_lv": "resistor", "neutral_lv_ohm": 16}),
        ("motor 110 kW vsd", "induction_motor", {"p_rated_kw": 110, "starter": "drive"}),
        ("load 400 kW 60% 100 kvar", "load", {"p_mw": 0.4, "q_mvar": 0.1, "motor_share_pct": 60}),
        ("ct 300/1 5P20", "current_transformer", {"i_primary_a": 300, "i_secondary_a": 1, "accuracy_class": "5P20"}),
        ("vt 11000/110 V", "voltage_transformer", {"v_primary_kv": 11, "v_secondary_v": 110}),
        ("battery 500 kW 1 MVA", "inverter", {"source": "battery", "p_mw": 0.5, "s_rated_mva": 1}),
        ("gen 2.5 MVA 12%", "synchronous_generator", {"s_rated_mva": 2.5, "xd2_pct": 12}),
    ],
)
def test_what_is_read(text, kind, values):
    (said,) = parse(text)
    assert (said.kind, said.values) == (kind, {k: pytest.approx(v) if isinstance(v, float | int) and not isinstance(v, bool) else v for k, v in values.items()})
    assert said.unread == (["4", "×"] if "×" in text else [])


@pytest.mark.parametrize(
    ("text", "unread"),
    [
        ("cable 240 xyz 350 m", ["xyz"]), ("breaker 10 MVA", ["10MVA"]), ("tx 10 MVA Dyn13", ["Dyn13"]), ("fuse 240", ["240"]), ("cable 240 240", ["240"]),
        ("load 1 MW 2 MW", ["2MW"]), ("pipe 3 m", ["pipe", "3m"]), ("motor xlpe", ["xlpe"]),
    ],
)  # fmt: skip
def test_what_is_given_back(text, unread):
    (said,) = parse(text)
    assert said.unread == unread


def test_names_and_several_in_a_row():
    said = parse('breaker 630 A “Q7”, cable 0,5 km 95 al; bus 0,4 kV "Hall 3, east"')
    assert [s.kind for s in said] == ["breaker", "cable", "bus"]
    assert said[2].name == "Hall 3, east"
    assert said[0].name == "Q7"
    assert said[1].values["length_m"] == 500


@pytest.mark.parametrize("text", ["breaker to “Board B, east”", "breaker 630 A to Board B, relay si 100 A tm 1"])
def test_a_branch_may_go_to_a_bus_that_stands(text):
    said = parse(text)
    assert said[0].to == ("Board B, east" if "east" in text else "Board B")
    assert said[0].unread == []
    assert [s.kind for s in said[1:]] == (["relay"] if "relay" in text else [])


@given(st.text(max_size=60))
def test_any_text_is_read_or_given_back(text):
    for said in parse(text):
        assert said.kind in ("", *KINDS)


def test_brackets_are_branches_and_are_repeated():
    kinds = [said.kind for said in parse("bus, 2x (breaker 100 A, cable 35 cu 40 m, 2 (motor 11 kW)), load 1 kW")]
    way = ["(", "breaker", "cable", "(", "induction_motor", ")", "(", "induction_motor", ")", ")"]
    assert kinds == ["bus", *way, *way, "load"]
    assert next(said.unread for said in parse("(breaker, 3x (motor 1 kW)")) == ["(breaker"]
    (refused,) = parse("99x (99x (99x (bus)))")
    assert refused.kind == ""
    assert "400 things" in refused.unread[0]


@pytest.mark.parametrize(("kind", "example"), EXAMPLES.items())
def test_every_example_is_read_whole(kind, example):
    said = parse(example)[0]
    assert (said.kind, said.unread) == (kind, [])


def test_wire_gauges_and_horsepower_are_read():
    cable, motor = parse("cable 4/0 cu xlpe 820 ft, motor 50 hp")
    assert (cable.values["area_mm2"], cable.values["length_m"]) == (107.2, pytest.approx(249.936))
    assert motor.values["p_rated_kw"] == pytest.approx(37.285)
    assert [parse(f"cable {size} 10 m")[0].values["area_mm2"] for size in ("12 AWG", "2/0 awg", "500 kcmil")] == [3.309, 67.43, 253.3535]


def test_a_name_before_a_bracket_is_no_count():
    kinds = [said.kind for said in parse("changeover 225 A “TS1” (generator 300 kVA), bus “E”")]
    assert kinds == ["changeover", "(", "synchronous_generator", ")", "bus"]
