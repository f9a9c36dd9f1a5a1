"""Screen, CSV and JSON show the same figures; the card says what is assumed, missing, idle or different in a state."""

import csv
import io
import re

import pytest
from tests.conftest import BUS_A, INFEED, network_of
from tests.core.studies.short_circuit.test_schools import with_settings
from tests.web.test_pages import PART, add, client, database, edit  # noqa: F401

from northfell.app.draw.connect import place
from northfell.app.results.studies import Results
from northfell.core.errors import CannotRun
from northfell.core.model.changes import Change, Set, apply_change
from northfell.core.model.elements import KINDS
from northfell.core.model.network import OperatingState
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.core.studies.short_circuit import SHORT_CIRCUIT
from northfell.core.verdicts import Finding
from northfell.demo import skerrow_water
from northfell.web.shell.card import card_of, figures_of
from northfell.web.shell.ledger import ledger_of
from northfell.web.shell.naming import Ends
from northfell.web.shell.stage import STAGES, Look
from northfell.web.shell.view import TABS, View

NETWORK = skerrow_water()
RESULTS = Results(NETWORK)
TIE = "Tie closed, T2 out"


def ledger(stage, tab, state="Normal", selected="", network=NETWORK, results=RESULTS):
    view = View(1, stage, state, "", selected, "load", tab)
    return ledger_of(Look(network, results, view, None, results.findings(), [], 0))


@pytest.mark.parametrize(
    ("stage", "tab", "table", "column", "head"),
    [
        ("flow", "branches", "branches", "loading_pct", "Loading"),
        ("flow", "branches", "branches", "p_mw", "P"),
        ("flow", "buses", "buses", "v_kv", "Voltage"),
        ("flow", "sources", "sources", "q_mvar", "Q"),
        ("flow", "loads", "loads", "p_mw", "P drawn"),
        ("arc-flash", "locations", "locations", "i_bolted_ka", "Bolted"),
        ("arc-flash", "devices", "devices", "opens_at_s", "Opens at"),
    ],
)
@pytest.mark.parametrize("state", ["Normal", TIE])
def test_the_ledger_sorts_by_the_values_of_the_table(stage, tab, table, column, head, state):
    made = ledger(stage, tab, state)
    study = {"flow": "load_flow", "arc-flash": "arc_flash"}[stage]
    records = list(next(t for t in RESULTS.at(state).run(study).tables() if t.name == table).records())
    at = next(i for i, h in enumerate(made.heads) if h.label == head)
    assert made.export == table
    assert [row.cells[at].sort for row in made.rows] == [
        float("-inf") if r[column] is None else as_shown(r[column], 0.05 if column.endswith("_pct") else 0.0) for r in records
    ]
    unit = next(c.unit for t in RESULTS.at(state).run(study).tables() if t.name == table for c in t.columns if c.name == column)
    assert made.heads[at].unit == unit


def as_shown(value, within=0.0):
    """A figure as it is read in the ledger, four digits or one decimal: by that it sorts."""
    return value if isinstance(value, str) else pytest.approx(float(value), rel=5e-4, abs=within)


def test_faults_stand_beside_each_other():
    made = ledger("faults", "faults")
    study = RESULTS.at("Normal").result(SHORT_CIRCUIT)
    heads = [f"{h.label} {h.unit}".strip() for h in made.heads]
    for row in made.rows:
        at = study.net.topology.bus_index[row.element]
        assert row.cells[heads.index("I″k kA")].sort == as_shown(study.cases["max"].ik_ka[at])
        assert row.cells[heads.index("ip kA")].sort == as_shown(study.cases["max"].ip_ka[at])
        assert row.cells[heads.index("Minimum kA")].sort == as_shown(study.cases["min"].ik_ka[at])
        assert row.cells[heads.index("|Z| ohm")].sort == as_shown(abs(study.cases["max"].z1_ohm[at]))


def test_worst_state_is_named_and_marked():
    made = ledger("arc-flash", "locations")
    heads = [h.label for h in made.heads]
    for row in made.rows:
        states = {h: row.cells[heads.index(h)].sort for h in NETWORK.state_names}
        worst = row.cells[heads.index("In state")].text
        assert states[worst] == max(states.values()) == row.cells[heads.index("Worst")].sort
    line = next(r for r in made.rows if (r.element, r.side) == ("Filter hall", "line"))
    assert line.severity == "breach"
    assert "not fed" in [c.text for r in made.rows for c in r.cells]


@pytest.mark.parametrize("stage", STAGES)
def test_every_tab_has_rows_of_its_width_or_says_what_to_do(stage):
    for tab in TABS[stage]:
        made = ledger(stage, tab, selected="11 kV board A")
        assert made.rows or made.message or made.empty
        assert all(len(row.cells) == len(made.heads) for row in made.rows)


def test_a_study_that_cannot_run_has_reasons_and_no_rows():
    broken, _ = apply_change(NETWORK, Change("", tuple(Set(id=f"Infeed {letter}", values={"in_service": False}) for letter in "AB")))
    results = Results(broken)
    for stage, tab in (("flow", "branches"), ("faults", "faults"), ("arc-flash", "locations")):
        made = ledger(stage, tab, network=broken, results=results)
        assert made.rows == []
        assert "There is no supply" in made.message[0]
    with pytest.raises(CannotRun):
        results.at("Normal").result(LOAD_FLOW)


def card(selected, stage="network", state="Normal", network=NETWORK, results=RESULTS, findings=()):
    return card_of(Look(network, results, View(1, stage, state, "", selected)), list(findings))


def field(made, name):
    return next(f for _, fields in made.sections for f in fields if f.p.name == name)


def test_fields_say_what_they_are():
    cable = card("W25")
    assert field(cable, "t_end_degc").assumed == "limit of XLPE insulation at the end of a fault"
    assert (cable.subtitle, cable.operable, cable.missing_for) == ("11 kV board A → Filter hall", "", [])
    assert field(card("Q25"), "trip_ir_a").idle_because == "acts only with own trip: electronic or thermal-magnetic or miniature"
    assert field(card("Q10", state=TIE), "closed").normal == "false"
    assert (card("Q10").operable, card("Q10", state=TIE).operable) == ("Close", "Open")
    assert card("B25").subtitle == "trips Q25"
    assert not card("T2", state=TIE).energised
    assert card("nobody") is None


def test_what_is_missing_is_told_with_its_studies():
    emptied, _ = apply_change(NETWORK, Change("", (Set(id="W25", values={"t_end_degc": None}),)))
    made = card("W25", network=emptied, results=Results(emptied))
    assert made.missing_for == ["arc flash"] or "short circuit" in made.missing_for
    assert made.can_fill
    assert field(made, "t_end_degc").missing


def test_findings_of_the_state_shown_stand_on_the_card():
    here = Finding("load_flow", "Normal", "W25", "W25", "breach", "x")
    there = Finding("load_flow", TIE, "W25", "W25", "breach", "y")
    assert card("W25", findings=[here, there]).findings == [here]


@pytest.mark.parametrize("stage", ["flow", "faults", "arc-flash"])
@pytest.mark.parametrize("state", ["Normal", TIE])
def test_every_element_has_figures_or_a_word_why_not(stage, state):
    for e in NETWORK.elements.values():
        for section in figures_of(Look(NETWORK, RESULTS, View(1, stage, state, "", e.id)), e):
            assert section.figures or section.message or section.picture
            assert all(f.text for f in section.figures)


def test_ends_look_through_plain_junctions_only():
    ends = Ends(NETWORK.elements, NETWORK.adjacency)
    assert ends.of(NETWORK.elements["T3"]) == "11 kV board A → Filter hall"
    assert ends.of(NETWORK.elements["Q21"]) == "11 kV board A → P1"
    assert ends.of(NETWORK.elements["Infeed A"]) == "33 kV intake"


def test_exported_table_is_the_one_on_the_screen(client):  # noqa: F811
    text = client.get("/projects/1/tables/branches.csv", params={"stage": "flow", "state": TIE}).content.decode("utf-8-sig")
    rows = list(csv.DictReader(io.StringIO(text)))
    shown = client.get("/projects/1/flow", params={"state": TIE, "tab": "branches"}).text
    assert {r["state"] for r in rows} == {TIE}
    for r in rows:
        if r["loading_pct [%]"]:
            assert f'data-sort="{round(float(r["loading_pct [%]"]), 1)}"' in shown


def test_what_is_copied_of_the_ledger_has_every_digit(client):  # noqa: F811
    lines = client.get("/projects/1/ledger.tsv", params={"stage": "flow", "state": TIE, "tab": "branches"}).text.split("\n")
    heads = lines[0].split("\t")
    shown = {r["name"]: r for r in RESULTS.at(TIE).run("load_flow").table("branches").records()}
    assert heads[:2] == ["Name", "Kind"]
    assert len(lines) == 1 + len(shown)
    for line in lines[1:]:
        cells = dict(zip(heads, line.split("\t"), strict=True))
        record = shown[cells["Name"]]
        for head, column in (("Loading [%]", "loading_pct"), ("P [MW]", "p_mw"), ("Carries", "carries")):
            assert cells[head] == ("–" if record[column] is None else str(record[column]))


def test_extend_is_previewed_placed_and_undone(client):  # noqa: F811
    ask = {"selected": "Filter hall", "text": "breaker 400 A, cable 120 cu xlpe 45 m, mcc “<b>Sludge</b>”"}
    seen = client.get("/projects/1/extend/preview", params=ask).text
    assert "Enter to place at Filter hall" in seen
    assert "<b>Sludge" not in seen
    assert "data-ghost=" in seen
    placed = client.post("/projects/1/extend", data={"text": ask["text"], "version": 1}, params={"selected": "Filter hall", "stage": "network"}, headers=PART)
    assert placed.status_code == 200
    assert re.search(r"<h1>&lt;b&gt;Sludge&lt;/b&gt;</h1>", placed.text)
    assert "<h1>Filter hall</h1>" in client.post("/projects/1/undo", data={"version": 2}, params={"selected": "Filter hall"}, headers=PART).text
    refused = client.post("/projects/1/extend", data={"text": "pipe", "version": 3}, params={"selected": "Filter hall"}, headers=PART)
    assert refused.status_code == 422
    assert "names no thing to place" in refused.text


def test_states_are_copied_shown_and_removed(client):  # noqa: F811
    made = client.post("/projects/1/states", data={"value": "Night \"<i>\" 'x'", "version": 1}, params={"state": TIE}, headers=PART)
    assert made.status_code == 200
    assert "<i>" not in made.text
    assert "selected>Night &#34;&lt;i&gt;&#34; &#39;x&#39;</option>" in made.text
    twice = client.post("/projects/1/states", data={"value": TIE, "version": 2}, headers=PART)
    assert twice.status_code == 422
    assert "a name that no other state has" in twice.text
    assert f'value="{TIE}"' in twice.text
    gone = client.post("/projects/1/states/remove", data={"name": "Night \"<i>\" 'x'", "version": 2}, headers=PART)
    assert "Night &#34;" not in gone.text.replace("Light", "").split("Undo: State")[0]


def test_new_project_and_deleting(client):  # noqa: F811
    made = client.post("/projects/new", data={"name": "  Harbour "}, follow_redirects=False)
    assert made.headers["location"] == "/projects/2/network"
    assert "Press e and type its supply" in client.get("/projects/2/network").text
    assert client.post("/projects/new", data={"name": ""}).status_code == 422
    assert client.post("/projects/new", data={"name": "x" * 81}).status_code == 422
    gone = client.post("/projects/1/sheet/remove", data={"version": 1, "ids": '["P4"]'}, params={"selected": "P4"}, headers=PART)
    assert 'data-element="P4"' not in gone.text
    held = client.post("/projects/1/sheet/remove", data={"version": 2, "ids": '["Filter hall"]'}, params={"selected": "Filter hall"}, headers=PART)
    assert held.status_code == 422
    assert "Still there: Hall services, Q31, Q311, Q312" in held.text


def test_the_card_the_table_and_the_reference_page_of_every_kind_open(client, database):  # noqa: F811
    network = skerrow_water()
    at = network.sheets[0].placements["Q21"]  # where what has no terminals is attached
    for n, (kind, cls) in enumerate((k, c) for k, c in KINDS.items() if k != "bus"):
        change, made = place(network, network.sheets[0].name, kind, 200.0 + 12 * n if cls.TERMINALS else at.x, 10.0 if cls.TERMINALS else at.y)
        network = apply_change(network, change)[0]
        assert network.elements[made].kind == kind
    project = add(database, network)
    shown = {e.kind: e.id for e in network.elements.values()}
    assert set(shown) == set(KINDS)
    for kind, element in shown.items():
        for stage in STAGES:
            assert client.get(f"/projects/{project}/{stage}", params={"selected": element}, headers=PART).status_code == 200, (kind, stage)
        assert client.get(f"/projects/{project}/table/{kind}").status_code == 200, kind
        assert client.get(f"/reference/{kind}").status_code == 200, kind


def test_an_energy_without_end_in_a_state_is_told_as_such():
    """Nothing cuts the place off and no longest exposure is in force: endless where it is fed, the worst, and beyond the limit; never “not fed”."""
    box = {"electrode_configuration": "VCB", "gap_mm": 25.0, "working_distance_mm": 457.0, "box_height_mm": 508.0, "box_width_mm": 508.0, "box_depth_mm": 400.0}
    board = {"kind": "bus", "name": "A", "v_nominal_kv": 0.4, "bus_kind": "switchboard", **box}
    infeed = {"kind": "infeed", "name": "G", "bus": "A", "ik_max_ka": 20.0, "ik_min_ka": 15.0, "r_over_x": 0.1}
    network = network_of([board, infeed], [OperatingState(name="Dark", differences={"G": {"in_service": False}})], arc_flash={"two_second_rule": False})
    made = ledger("arc-flash", "locations", network=network, results=Results(network))
    (row,) = made.rows
    shown = {head.label: cell for head, cell in zip(made.heads, row.cells, strict=True)}
    assert [shown[label].text for label in ("Normal", "Dark", "Worst", "In state")] == ["∞", "not fed", "∞", "Normal"]
    assert (shown["Worst"].severity, row.severity) == ("breach", "breach")
    look = Look(network, Results(network), View(1, "arc-flash", "Normal", "", "A", "load"))
    told = {one.label: one for section in figures_of(look, network.elements["A"]) if section.title == "In every state" for one in section.figures}
    assert [(told[s].text, told[s].severity) for s in ("Normal", "Dark")] == [("∞", "breach"), ("–", "")]


def test_what_is_missing_in_many_places_is_told_for_some_and_led_to(client, database):  # noqa: F811
    loads = [{"kind": "load", "name": f"E{n}", "bus": "A"} for n in range(30)]
    project = add(database, network_of([BUS_A, INFEED, *loads]))
    page = client.get(f"/projects/{project}/flow").text
    told = page[page.index('<ul class="told">') :].split("</ul>")[0]
    assert told.count("<li>") == 21
    assert re.search(r"and \d+ more: <a [^>]*/missing", told)


def test_a_name_that_is_copied_runs_in_no_spreadsheet(client, database):  # noqa: F811
    hostile = '=HYPERLINK("http://x","y")'
    project = add(database, network_of([BUS_A, INFEED, {"kind": "load", "name": hostile, "bus": "A", "p_mw": 1.0, "q_mvar": -0.5}]))
    text = client.get(f"/projects/{project}/ledger.tsv", params={"stage": "flow", "tab": "loads"}).text
    (line,) = [one for one in text.split("\n") if "HYPERLINK" in one]
    told = client.get(f"/projects/{project}/ledger.tsv", params={"stage": "flow"}).headers["X-Version"]
    assert told == client.get(f"/projects/{project}/version").text  # of another version than is shown nothing is copied
    assert line.startswith("'" + hostile)
    assert "-0.5" in line.split("\t")  # a number stays one


def test_the_resistance_that_leaves_a_wanted_current_is_told_for_every_fault_or_why_not(client):  # noqa: F811
    def told(wanted, **more):
        answered = client.get("/projects/1/through", params={"stage": "faults", "selected": "11 kV board A", "wanted": wanted, **more}, headers=PART)
        return answered.status_code, re.sub(r"\s+", " ", re.sub(r"<[^>]*>", " ", answered.text))

    code, text = told("2.5 kA")
    ohm = float(re.search(r"Three-phase in each line ([\d.]+) ohm", text)[1])
    study = Results(with_settings(skerrow_water(), fault_r_ohm=ohm)).at("Normal").result(SHORT_CIRCUIT)
    at = study.net.topology.bus_index[study.net.network.id_of_name["11 kV board A"]]
    assert code == 200
    assert float(study.cases["max"].ik_ka[at]) == pytest.approx(2.5, rel=1e-3)
    assert re.search(r"between the line and earth Accepted is above 0 and at most the bolted 0\.4\d+ kA", text)  # its neutral resistor allows no more
    assert "wanted current is “<b>”".replace("<", "&lt;").replace(">", "&gt;") in told("<b>")[1]
    assert "at most the bolted" in told("900 kA")[1]
    assert told("2.5", selected="W25")[0] == 404
