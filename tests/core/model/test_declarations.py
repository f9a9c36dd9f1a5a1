"""Every parameter is declared with what a person needs to know, and what is missing is told by it."""

import pytest
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, network_of

from northfell.core.model.declare.parameters import SECTIONS, parameters_of
from northfell.core.model.elements import KINDS
from northfell.core.model.settings import groups
from northfell.core.quantities import QUANTITY_OF
from northfell.core.rules.completeness import missing
from northfell.core.rules.typical import _RULES, _TOLD, help_for, typical_for_missing, typical_value
from northfell.demo import skerrow_water

ALL = [(cls.__name__, p) for cls in (*KINDS.values(), *groups().values()) for p in parameters_of(cls)]


@pytest.mark.parametrize(("owner", "p"), ALL, ids=lambda v: v if isinstance(v, str) else v.name)
def test_parameter_says_what_it_is(owner, p):
    assert p.label
    assert len(p.meaning) > 5
    assert p.meaning.endswith(".")
    assert p.section in SECTIONS or owner in {group.__name__ for group in groups().values()}
    if p.unit:
        assert p.unit in QUANTITY_OF  # so that a typed unit can be read
        suffix = p.name.rsplit("_", 1)[-1]
        told = {
            "kv": "kV",
            "ka": "kA",
            "mw": "MW",
            "mvar": "Mvar",
            "mva": "MVA",
            "kw": "kW",
            "mm": "mm",
            "pct": "%",
            "deg": "deg",
            "a": "A",
            "s": "s",
            "m": "m",
            "ohm": "ohm",
        }
        assert told.get(suffix, p.unit) == p.unit or p.name.endswith("ohm_m")  # of a resistivity
    if p.form == "number":
        assert p.gt is not None or p.ge is not None or p.choices
        assert p.lt is not None or p.le is not None or p.choices
    assert not p.typical or p.typical in _RULES
    if owner in {cls.__name__ for cls in KINDS.values()} and p.form in ("number", "whole number", "choice", "levels"):
        assert len(p.enters) > 5  # where it acts, or that it does not yet


def test_every_typical_rule_is_told_on_the_reference_pages():
    assert _TOLD.keys() == _RULES.keys()


def test_typical_values_fill_what_is_missing_and_name_their_source():
    bare = {"kind": "cable", "name": "W", "from_bus": "A", "to_bus": "B", "length_m": 100.0, "conductor": "copper", "area_mm2": 240.0, "insulation": "XLPE"}
    network = network_of([{**BUS_A, "v_nominal_kv": 0.4}, {**BUS_B, "v_nominal_kv": 0.4}, bare])
    found = typical_for_missing(network.elements, network.elements["W"])
    assert {k: v.value for k, v in found.items()} == {"r_ohm_per_km": 0.0754, "x_ohm_per_km": 0.075, "t_end_degc": 250.0, "i_rated_a": 500.0,
                                                  "r0_ohm_per_km": 0.3016, "x0_ohm_per_km": 0.3, "c0_uf_per_km": 0.3}  # fmt: skip
    assert all(v.source for v in found.values())


def test_typical_values_of_wire_gauges_are_those_of_the_printed_tables():
    """NEC chapter 9: 4/0 AWG copper 0.0608 ohm per 1000 ft at 75 degC (table 8), 0.041 ohm per 1000 ft in PVC conduit (table 9)."""
    low = [{**bus, "v_nominal_kv": 0.48} for bus in (BUS_A, BUS_B)]
    network = network_of([*low, {"kind": "cable", "name": "W", "from_bus": "A", "to_bus": "B", "area_mm2": 107.2, "conductor": "copper"}])
    r, x = (typical_value(network.elements, network.elements["W"], field, 60) for field in ("r_ohm_per_km", "x_ohm_per_km"))
    assert r.value == pytest.approx(0.0608 * 3.28084 * (234.5 + 20) / (234.5 + 75), rel=1e-3)
    assert x.value == pytest.approx(0.041 * 3.28084, rel=1e-3)
    assert "4/0 AWG" in r.source


def test_typical_reactance_follows_the_frequency():
    bare = {"kind": "cable", "name": "W", "from_bus": "A", "to_bus": "B", "area_mm2": 95.0}
    network = network_of([BUS_A, BUS_B, bare])
    at = {hz: typical_value(network.elements, network.elements["W"], "x_ohm_per_km", hz) for hz in (50, 60)}
    assert at[60].value == pytest.approx(1.2 * at[50].value)
    assert "60 Hz" in at[60].source


def test_missing_names_element_field_and_help():
    network = network_of([BUS_A, BUS_B, {**INFEED, "r_over_x": None}, CABLE])
    (one,) = missing(network.elements, "short_circuit")
    assert str(one) == "Infeed G: r_over_x is empty, accepted is a number, 0 or more and 10 or less."
    assert help_for(network.elements, one.element, "r_over_x") == "A typical value can be filled in."
    assert missing(network.elements, "load_flow") == []


def test_demo_lacks_nothing_and_marks_what_it_assumes():
    network = skerrow_water()
    assert [missing(network.elements, s) for s in ("load_flow", "short_circuit", "arc_flash")] == [[], [], []]
    assert network.elements["W25"].assumed["t_end_degc"] == "limit of XLPE insulation at the end of a fault"
    assert network.state_names[1:] == ["Tie closed, T2 out", "Standby generator alone", "Generator in parallel", "Night filling"]


def test_tables_are_such_that_a_sheet_can_hold_them():
    """A table is the same in all states, its name fits a sheet of a workbook, and one name means the same rows in every kind."""
    found = {}
    for cls in KINDS.values():
        for p in parameters_of(cls):
            if p.form == "table":
                assert (p.in_state, len(p.name) <= 31, {c.form for c in p.columns} & {"reference", "table", "record"}) == (False, True, set())
                assert found.setdefault(p.name, p.row) is p.row
    assert "output_levels" in found
