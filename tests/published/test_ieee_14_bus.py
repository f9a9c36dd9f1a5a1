"""IEEE 14-bus test system: solved voltages against the printed solution (half a printed digit and the case's own rounding)."""

import csv
from pathlib import Path

import pytest

from northfell.app.results.studies import StateResults
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.formats import common_data_format

HERE = Path(__file__).parent / "data"
PRINTED = list(csv.DictReader((HERE / "ieee14_printed.csv").read_text().splitlines()))


@pytest.fixture(scope="module")
def flow():
    network, messages = common_data_format.read((HERE / "ieee14.cdf").read_text())
    assert messages == []
    return StateResults(network, "Normal").result(LOAD_FLOW)


@pytest.mark.parametrize("row", PRINTED, ids=lambda row: row["bus"])
def test_voltage_is_the_printed_one(flow, row):
    bus = next(b for b in flow.table("buses").records() if b["name"] == row["bus"])
    assert bus["v_pu"] == pytest.approx(float(row["v_pu"]), abs=0.0005)
    assert bus["angle_deg"] == pytest.approx(float(row["angle_deg"]), abs=0.01)
    assert bus["v_kv"] is None  # base kV 0 in the file means unknown


def test_slack_power_is_the_published_one(flow):
    source = next(s for s in flow.table("sources").records() if s["bus"] == "1")
    assert source["p_mw"] == pytest.approx(232.39, abs=0.005)
    assert source["q_mvar"] == pytest.approx(-16.89, abs=0.005)
    assert flow.messages == ()  # no reactive limit is broken


def test_rows_stand_in_the_order_of_the_file(flow):
    assert flow.table("buses").column("name") == [str(i) for i in range(1, 15)]
    assert flow.table("branches").column("name")[:3] == ["1-2-1", "1-5-1", "2-3-1"]
