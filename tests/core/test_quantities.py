"""What people type, and how figures are shown."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.core.errors import InputRefused
from northfell.core.finding import VERDICTS, verdicts_of
from northfell.core.quantities import entry, figure, fixed, parse_quantity
from northfell.core.tables import build
from northfell.core.verdicts import severity_of


@pytest.mark.parametrize(
    ("typed", "unit", "value"),
    [
        ("350", "m", 350), ("0,35 km", "m", 350), ("45 kW", "MW", 0.045), ("1 200", "A", 1200), ("−2.5", "%", -2.5), ("1e3", "A", 1000), ("0.4kV", "kV", 0.4),
        ("400 V", "kV", 0.4), (".5", "", 0.5), ("250 mvar", "Mvar", 250), ("3 in", "mm", 76.2), ("90 °C", "degC", 90), ("240 mm2", "mm²", 240),
    ],
)  # fmt: skip
def test_typed_quantities(typed, unit, value):
    assert parse_quantity(typed, unit, "x") == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("typed", "unit"), [("45 A", "MW"), ("", "m"), ("abc", "m"), ("1,2,3", "m"), ("5 m", ""), ("nan", "m"), ("1e400", "m"), ("12 parsec", "m"), ("=1+1", "m")]
)
def test_refused_quantities(typed, unit):
    with pytest.raises(InputRefused) as refused:
        parse_quantity(typed, unit, "length")
    assert "length is “" in str(refused.value)
    assert "a number" in refused.value.accepted


@given(st.floats(-1e12, 1e12))
def test_entry_reads_back_exactly(value):
    assert parse_quantity(entry(value), "", "x") == pytest.approx(value, rel=1e-14)


def test_figures():
    assert [figure(v) for v in (12345.678, 0.012346, -3.14159, 0, None, float("nan"))] == ["12\u2009346", "0.01235", "−3.142", "0", "–", "–"]
    assert fixed(-0.04, 1) == "0.0"


def test_csv_cells_run_no_formula():
    table = build("t", [("name", "", ""), ("i", "A", "")], [("=HYPERLINK()", 1.5), ("@x", None), ("ok", 2 + 1j)])
    assert table.to_csv() == "name,i [A]\r\n'=HYPERLINK(),1.5\r\n'@x,\r\nok,\"[2.0, 1.0]\"\r\n"
    assert table.to_json()["rows"][2] == ["ok", [2.0, 1.0]]


def test_a_value_at_its_limit_is_within():
    assert severity_of(100 * (1.06 - 1), 4, 6) == "close"
    assert severity_of(6.0001, 4, 6) == "breach"
    assert severity_of(3.9, 4, 6) is None
    assert figure(3e-13) == "0"


@given(st.floats(allow_nan=True), st.floats(-10, 200), st.floats(0, 50))
def test_the_verdict_on_many_values_is_that_on_each(value, close, more):
    breach = close + more
    values = [value, close, breach, breach * (1 + 1e-12), breach * 1.001, close - 1e-6]
    assert [VERDICTS[n] for n in verdicts_of(values, close, breach)] == [severity_of(v, close, breach) for v in values]
    assert severity_of(math.inf, close, breach) == VERDICTS[int(verdicts_of(math.inf, close, breach))] == "breach"  # without end is beyond any limit
