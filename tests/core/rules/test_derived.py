"""Derived values, by hand."""

import pytest

from northfell.core.model.changes import Change, Set, apply_change
from northfell.core.rules.derived import derived_of
from northfell.core.rules.typical import typical_for_missing
from northfell.demo import skerrow_water

DEMO = skerrow_water().elements


@pytest.mark.parametrize(
    ("element", "v_kv", "values"),
    [
        ("T3", None, [104.973, 2749.287, 6.591240]),  # 2 MVA at 11 and 0.42 kV, 6 % with 18 kW of losses
        ("P1", None, [900 / (3**0.5 * 11 * 0.954 * 0.87), 5.5 * 900 / (3**0.5 * 11 * 0.954 * 0.87)]),
        ("T1", None, [174.955, 524.864, 18.491499, 11000 / 3**0.5 / 16]),  # earthed through 16 ohm
        ("Infeed A", 33.0, [3**0.5 * 33 * 10.8]),
        ("Infeed A", None, []),
        ("B1", None, [0.8, 12.0]),  # 240 and 3600 A through 300/1
        ("B11", None, [660 / 800]),
        ("W25", None, [0.32 * 640, 0.112 * 640]),  # mohm of the route
    ],
)
def test_values(element, v_kv, values):
    assert [d.value for d in derived_of(DEMO[element], v_kv)] == [pytest.approx(v, rel=1e-5) for v in values]
    assert all(d.equation and (d.unit or "/" in d.symbol or d.symbol == "cosφ") for d in derived_of(DEMO[element], v_kv))


def test_nothing_follows_from_an_empty_nameplate():
    emptied, _ = apply_change(skerrow_water(), Change("", (Set(id="T3", values={"s_rated_mva": None}), Set(id="P1", values={"power_factor": None}))))
    assert derived_of(emptied.elements["T3"]) == derived_of(emptied.elements["P1"]) == []


def test_a_low_voltage_class_gives_a_medium_voltage_board_no_box():
    values = {"gap_mm": None, "equipment_class": "LV switchgear"}
    changed, _ = apply_change(skerrow_water(), Change("", (Set(id="11 kV board A", values=values),)))
    assert typical_for_missing(changed.elements, changed.elements["11 kV board A"]) == {}
