"""What holds a device behind which a generator stands alone: stator, rotor, and the current that it holds on with."""

import math

import numpy as np
import pytest
from tests.conftest import network_of
from tests.core.studies.coordination.test_coordination import relay

from northfell.core.network import compile_network
from northfell.core.studies.coordination import curve_sheet, run
from northfell.core.studies.coordination.limits import stator_s
from northfell.core.studies.short_circuit import decrement_pu

I_RATED = 1000 * 2.5 / (math.sqrt(3) * 11.0)


def generator(**more) -> dict:
    return {"kind": "synchronous_generator", "name": "G", "bus": "S", "s_rated_mva": 2.5, "v_rated_kv": 11.0, "power_factor_rated": 0.8, "xd2_pct": 15.0,
            "r_stator_ohm": 0.5, "xd1_pct": 22.0, "xd_pct": 200.0, "td2_s": 0.04, "td1_s": 0.9, "mode": "reference", **more}  # fmt: skip


def held(more_relay: dict, *more: dict, **of_generator):
    elements = [
        *({"kind": "bus", "name": n, "v_nominal_kv": 11.0} for n in "SAB"), generator(**of_generator),
        {"kind": "breaker", "name": "Q", "from_bus": "S", "to_bus": "A", "t_break_s": 0.06}, relay("R", "Q", 100.0, 0.3, **more_relay), *more,
        {"kind": "cable", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 100.0, "r_ohm_per_km": 0.1, "x_ohm_per_km": 0.1, "t_end_degc": 80.0},
    ]  # fmt: skip
    found = run(compile_network(network_of(elements), "Normal", "short_circuit"))
    return found, {r.rule: r for r in found.rules_of("Q")}


@pytest.mark.parametrize(("t_s", "percent"), [(10, 218), (30, 150), (60, 127), (120, 115)])
def test_the_stator_law_goes_through_its_points(t_s, percent):
    """IEEE C50.13-2005; the last of its points is rounded."""
    assert 100 * math.sqrt(1 + 37.5 / t_s) == pytest.approx(percent, abs=0.9)
    assert float(stator_s(math.sqrt(1 + 37.5 / t_s))) == pytest.approx(t_s)
    assert math.isinf(float(stator_s(1.1)))
    assert math.isinf(float(stator_s(3.0)))


def test_the_current_of_a_generator_falls_from_the_subtransient_to_the_synchronous_one():
    i = decrement_pu([0.0, 0.2, 1e6], 0.15, 0.22, 2.0, 0.04, 0.9)
    assert i[0] == pytest.approx(1 / 0.15)
    assert i[1] == pytest.approx((1 / 0.15 - 1 / 0.22) * math.exp(-5) + (1 / 0.22 - 0.5) * math.exp(-0.2 / 0.9) + 0.5)
    assert i[2] == pytest.approx(0.5)
    assert (np.diff(decrement_pu(np.linspace(0, 10, 200), 0.15, 0.22, 2.0, 0.04, 0.9)) < 0).all()
    assert float(decrement_pu(1e6, 0.15, 0.22, 2.0, 0.04, 0.9, 3.0)) == pytest.approx(1.5)


def test_an_overcurrent_relay_does_not_see_what_a_generator_holds_on_with_and_one_by_voltage_does():
    """With the field of no load 131 A/2 are left: less than the pickup of 150 A, but more than a quarter of it."""
    _, plain = held({"i_pickup_a": 150.0})
    assert plain["held on"].value == pytest.approx(I_RATED / 2 / (1.05 * 150))
    assert plain["held on"].value < 1
    _, restrained = held({"i_pickup_a": 150.0, "voltage": "restrained"})
    assert restrained["held on"].value == pytest.approx(I_RATED / 2 / (1.05 * 150 * 0.25), rel=0.02)
    _, away = held({"i_pickup_a": 150.0, "voltage": "restrained", "looks": "reverse"})
    assert set(away) == {"least fault"}
    _, unknown = held({}, xd_pct=None)
    assert unknown["held on"].value is None
    _, fed = held({}, {"kind": "infeed", "name": "N", "bus": "S", "ik_max_ka": 5.0, "ik_min_ka": 5.0, "r_over_x": 0.1}, mode="voltage")
    assert "held on" not in fed  # it is not alone
    infeed = {"kind": "infeed", "name": "I", "bus": "N", "ik_max_ka": 5.0, "ik_min_ka": 5.0, "r_over_x": 0.1}
    behind = [{"kind": "bus", "name": "N", "v_nominal_kv": 11.0}, infeed,
              {"kind": "breaker", "name": "QN", "from_bus": "N", "to_bus": "S", "t_break_s": 0.06}, relay("RN", "QN", 500.0, 0.5)]  # fmt: skip
    _, fed = held({}, *behind, mode="voltage")
    assert "held on" not in fed


def test_stator_and_rotor_by_hand():
    _, rules = held({"i_pickup_a": 140.0, "time_multiplier": 0.5, "time_tolerance_pct": 0.0, "m_start": 1.0})
    m = rules["stator"].at_a / I_RATED
    opens = 0.5 * 0.14 / ((rules["stator"].at_a / 140.0) ** 0.02 - 1) + 0.06
    assert rules["stator"].value == pytest.approx(37.5 / (m**2 - 1) / opens)
    assert "negative sequence" not in rules
    stage = {"i_negative_a": 0.2 * I_RATED, "t_negative_s": 5.0, "time_tolerance_pct": 0.0, "pickup_tolerance_pct": 0.0}
    _, rules = held(stage, i2_squared_t_s=40.0)
    assert rules["negative sequence"].value == pytest.approx(40.0 / 9 / 5.06)  # at three times its rated current, the most that is looked at
    assert rules["negative sequence"].at_a == pytest.approx(3 * I_RATED)


def test_the_sheet_shows_what_it_withstands_and_how_its_current_falls():
    found, _ = held({})
    limits = {one.name: one for one in curve_sheet(found, "Q").limits}
    assert set(limits) >= {"G stator", "G current, field as at no load", "G current, highest field"}
    assert limits["G stator"].i_a[0] == pytest.approx(I_RATED * math.sqrt(1 + 37.5 / 120))
    assert limits["G current, field as at no load"].i_a[-1] == pytest.approx(I_RATED / 2)
    field = abs(1 + 2j * complex(0.8, -0.6))  # behind the synchronous reactance at rated load
    assert limits["G current, highest field"].i_a[-1] == pytest.approx(1.3 * field * I_RATED / 2)
    unknown, _ = held({}, td1_s=None)
    assert {one.name for one in curve_sheet(unknown, "Q").limits if one.name.startswith("G")} == {"G stator"}
