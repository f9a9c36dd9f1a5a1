"""Values as they are shown and typed in the units of a project; wire gauges against the printed table."""

import csv
from importlib import resources

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.core.errors import InputRefused
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import KINDS
from northfell.core.model.settings import UnitSettings
from northfell.core.model.showing import plain_unit, read_number, text_shown, unit_shown
from northfell.core.quantities import awg_mm2, parse_quantity, parse_wire_size, wire_size

SI, IMPERIAL = UnitSettings(), UnitSettings(lengths="ft", conductors="AWG and kcmil")
LENGTH, AREA = (parameter(KINDS["cable"], name) for name in ("length_m", "area_mm2"))
TABLE_8 = list(csv.DictReader((resources.files("northfell.core.catalogue.data") / "nec_ch9_table8_dc_resistance.csv").read_text().splitlines()))


@pytest.mark.parametrize("row", TABLE_8, ids=lambda r: r["size"])
def test_gauges_have_the_area_printed_in_nec_chapter_9_table_8(row):
    size, printed = row["size"], float(row["area_mm2"])
    typed = size if "/" in size else f"{size} AWG" if int(size) < 20 else f"{size} kcmil"
    area = parse_quantity(typed, "mm²", "area_mm2")
    assert area == pytest.approx(printed, rel=0.007)  # the print has three digits
    assert wire_size(printed) == wire_size(area) == (f"{size} AWG" if "/" in size else typed)


@pytest.mark.parametrize(("typed", "gauge"), [("4/0", -3), ("1/0 awg", 0), ("#12", 12), ("12AWG", 12), ("# 6", 6)])
def test_ways_to_type_a_gauge(typed, gauge):
    assert parse_wire_size(typed) == awg_mm2(gauge)


def test_what_is_no_gauge_is_none():
    assert [parse_wire_size(text) for text in ("5/0", "99 AWG", "12", "AWG", "4/0 mm")] == [None] * 5
    assert wire_size(95.0) == "95 mm²"


@given(st.floats(0.01, 1e6), st.sampled_from([SI, IMPERIAL]))
def test_a_length_that_is_shown_can_be_typed_back(length, units):
    assert read_number(LENGTH, text_shown(LENGTH, length, units), units) == pytest.approx(length, rel=1e-10)


@given(st.sampled_from([*range(1, 19), 0, -1, -2, -3]))
def test_a_gauge_that_is_shown_can_be_typed_back(gauge):
    assert read_number(AREA, text_shown(AREA, awg_mm2(gauge), IMPERIAL), IMPERIAL) == awg_mm2(gauge)


def test_bare_numbers_take_the_unit_of_the_project():
    assert [read_number(LENGTH, "100", units) for units in (SI, IMPERIAL)] == [100.0, pytest.approx(30.48)]
    assert [read_number(AREA, "500", units) for units in (SI, IMPERIAL)] == [500.0, pytest.approx(253.35, rel=1e-4)]
    assert read_number(AREA, "12", IMPERIAL) == awg_mm2(12)
    assert [read_number(LENGTH, "100 m", units) for units in (SI, IMPERIAL)] == [100.0, 100.0]
    assert [unit_shown(p, IMPERIAL) for p in (LENGTH, AREA)] == ["ft", ""]
    assert [plain_unit(p, SI) for p in (LENGTH, AREA)] == ["", ""]
    with pytest.raises(InputRefused, match="a number in mm, cm, m"):
        read_number(LENGTH, "4/0", IMPERIAL)


def test_rows_are_shown_as_they_are_typed():
    p = parameter(KINDS["synchronous_generator"], "output_levels")
    assert text_shown(p, [{"name": "full", "p_mw": 2.0}, {"name": "night shift", "p_mw": 0.8}], UnitSettings()) == "full | 2; night shift | 0.8"


@pytest.mark.parametrize(("text", "unit", "value"), [("50 hp", "kW", 37.285), ("0.029 ohm/kft", "ohm/km", 0.0951444), ("1200 feet", "m", 365.76)])
def test_units_of_north_american_practice_are_read(text, unit, value):
    assert parse_quantity(text, unit, "x") == pytest.approx(value, rel=1e-5)
