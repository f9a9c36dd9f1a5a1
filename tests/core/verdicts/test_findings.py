"""Findings in plain words: what, where, by how much, in which state."""

import pytest
from tests.conftest import BUS_A, BUS_B, BUS_C, CABLE, INFEED, LOAD, network_of
from tests.core.studies.arc_flash.test_arc_flash import CHAIN

from northfell.app.results.studies import Results
from northfell.core.model.changes import settings_with
from northfell.core.model.network import OperatingState
from northfell.core.model.settings import ProjectSettings
from northfell.demo import skerrow_water


def findings(elements, states=(), **project):
    return Results(network_of(elements, states, **project)).findings()


def one(found, study, element):
    return next(f for f in found if (f.study, f.element) == (study, element))


def test_overloaded_cable_says_what_it_carries_and_what_would_help():
    found = one(findings([BUS_A, BUS_B, INFEED, {**CABLE, "i_rated_a": 100.0}, LOAD]), "load_flow", "W")
    assert (found.severity, found.unit, found.limit) == ("breach", "%", 100)
    assert found.text.startswith("Cable W carries 118.1 % of 100 A: 118.1 A")
    assert "MW with" in found.text
    assert found.help == "A rating of 131 A would carry it at 90 %."
    assert found.to_json()["element"] == "W"


def test_close_and_within_limits():
    near = findings([BUS_A, BUS_B, INFEED, {**CABLE, "i_rated_a": 130.0}, LOAD])
    assert one(near, "load_flow", "W").severity == "close"
    assert not any(f.element == "W" for f in findings([BUS_A, BUS_B, INFEED, {**CABLE, "i_rated_a": 150.0}, LOAD]))


def test_voltage_names_kv_and_direction():
    low = one(findings([BUS_A, BUS_B, {**INFEED, "v_set_pu": 0.93}, CABLE, LOAD]), "load_flow", "B")
    assert low.severity == "breach"
    assert "% below nominal" in low.text
    assert "kV, 0.9" in low.text
    junction = {**BUS_B, "bus_kind": "junction"}
    assert not any(f.element == "B" and f.study == "load_flow" for f in findings([BUS_A, junction, {**INFEED, "v_set_pu": 0.93}, CABLE, LOAD]))


def test_load_without_supply_and_one_that_asks_for_nothing():
    found = findings([BUS_A, BUS_B, BUS_C, INFEED, CABLE, {**LOAD, "bus": "C"}, {**LOAD, "name": "E0", "bus": "C", "load_factor": 0.0}])
    assert one(found, "load_flow", "E").text == "Load E is not fed."
    assert not any(f.element == "E0" and f.study == "load_flow" for f in found)


def test_broken_reactive_limit():
    generator = {"kind": "synchronous_generator", "name": "G2", "bus": "B", "mode": "voltage", "p_mw": 1.0, "v_set_pu": 1.02, "q_max_mvar": 0.5}
    found = one(findings([BUS_A, BUS_B, INFEED, CABLE, LOAD, generator]), "load_flow", "G2")
    assert found.text == "Synchronous generator G2 gives its most reactive power, 0.5000 Mvar: it no longer holds 1.020 p.u., its bus stands at 0.997 p.u."


def test_energy_above_the_site_limit_names_device_and_state():
    slow = OperatingState(name="Slow", differences={})
    found = [f for f in findings(CHAIN, [slow]) if f.study == "arc_flash" and f.severity != "missing"]
    assert {f.state for f in found} == {"Normal", "Slow"}
    assert any("B, line side: " in f.text and "QS opens in 0.500 s" in f.text for f in found)


def test_missing_data_are_told_once_for_all_states():
    found = findings([BUS_A, BUS_B, {**INFEED, "r_over_x": None}, CABLE, LOAD], [OperatingState(name="Other")])
    missing = [f for f in found if f.severity == "missing" and f.element == "G"]
    assert len(missing) == 1


def test_no_solution_is_a_breach_without_figures():
    found = findings([BUS_A, BUS_B, INFEED, CABLE, {**LOAD, "p_mw": 500.0}])
    assert any(f.severity == "breach" and f.text.startswith("No solution found") for f in found)


def test_gravest_come_first_and_limits_are_the_projects():
    network = skerrow_water()
    severities = [f.severity for f in Results(network).findings()]
    assert severities == sorted(severities, key=["breach", "close", "missing"].index)
    strict = settings_with(network.settings, "limits.energy_breach_cal_cm2", 10.0)
    more = Results(network.model_copy(update={"settings": strict})).findings()
    assert sum(f.severity == "breach" for f in more) > severities.count("breach")


def test_every_setting_has_its_path():
    raw = ProjectSettings()
    assert settings_with(raw, "frequency_hz", 60).frequency_hz == 60
    assert settings_with(raw, "arc_flash.two_second_rule", False).arc_flash.two_second_rule is False
    with pytest.raises(ValueError, match="accepted is one of limits"):
        settings_with(raw, "limits", 3)
