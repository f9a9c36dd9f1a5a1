"""A study over states: each state's rows are those of a run of it alone, what fails takes no other away, and the file tells it."""

import io
import json
import zipfile

import openpyxl
import pytest
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, LOAD, network_of
from tests.web.test_pages import client, database  # noqa: F401

from northfell.app.results import results_file
from northfell.app.results.running import run_over
from northfell.app.results.studies import StateResults
from northfell.core.errors import NoSolution
from northfell.core.model.network import OperatingState
from northfell.demo import skerrow_water

TOO_MUCH = OperatingState(name="Too much", load_factors={"": 45.0})
HALF = OperatingState(name="Half", load_factors={"": 0.5})


def over(network, *states):
    return [StateResults(network, state) for state in states]


@pytest.fixture
def network():
    return network_of([BUS_A, BUS_B, INFEED, CABLE, LOAD], [TOO_MUCH, HALF])


def test_over_all_states_each_row_is_that_of_its_state_alone():
    network = skerrow_water()
    whole = run_over("load_flow", over(network, *network.state_names))
    assert list(whole.summaries) == network.state_names
    for state in network.state_names:
        alone = {t.name: t for t in run_over("load_flow", over(network, state)).tables}
        for table in whole.tables:
            at = table.index("state")
            assert [row for row in table.rows if row[at] == state] == alone[table.name].rows


def test_a_state_without_a_solution_is_told_and_takes_no_other_away(network):
    run = run_over("load_flow", over(network, "Normal", "Too much", "Half"))
    buses = next(t for t in run.tables if t.name == "buses")
    assert set(buses.column("state")) == {"Normal", "Half"}
    assert run.lacking == ["solution"]
    assert [state for state, _ in run.told] == ["Too much"]
    assert [f.severity for f in run.findings if f.state == "Too much"] == ["breach"]
    assert run.answer({})["messages"][0].startswith("Too much: ")
    assert run.answer({})["converged"] is False


def test_the_file_over_states_holds_each_and_says_which_has_none(network):
    made = results_file.of(over(network, "Normal", "Too much", "Half"), "load_flow")
    assert made.answer["state"] == ["Normal", "Too much", "Half"]
    book = openpyxl.load_workbook(io.BytesIO(made.data("xlsx")))
    assert [row[0].value for row in book["messages"].iter_rows(min_row=2)] == ["Too much"]
    names = zipfile.ZipFile(io.BytesIO(made.data("zip"))).namelist()
    assert {name.rsplit("/", 1)[1] for name in names} >= {"buses.csv", "findings.csv", "messages.csv", "settings.csv"}
    assert b"%PDF" in made.data("pdf")[:8]
    with pytest.raises(NoSolution):
        results_file.of(over(network, "Too much"), "load_flow")


def test_the_ledger_offers_all_states_and_the_file_has_them(client):  # noqa: F811
    page = client.get("/projects/1/flow").text
    assert 'href="/projects/1/results.json?stage=flow&amp;over=all"' in page
    states = json.loads(client.get("/projects/1/results.json?stage=flow&over=all").text)["state"]
    assert states == skerrow_water().state_names
    assert client.get("/projects/1/results.json?stage=flow&over=some").status_code == 422
