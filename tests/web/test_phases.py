"""Flow by phase on the pages: its place within Flow, ledgers, card, workings, files, remedies, and the pictures of a feeder."""

import re
from html import unescape
from types import SimpleNamespace

import pytest
from tests.web.test_findings_and_proposals import settled
from tests.web.test_pages import PART, add, client, database  # noqa: F401

from northfell.app.results.studies import StateResults
from northfell.core.model.changes import Change, Set, apply_change
from northfell.core.quantities import figure
from northfell.core.studies.phase_flow import PHASE_FLOW
from northfell.demo import ellerdale, skerrow_water
from northfell.formats import northfell_json
from northfell.web.stages.phase_faults.tags import _lines as fault_lines
from northfell.web.stages.phases.tags import phase_tags

ELLERDALE = northfell_json.read(ellerdale())


@pytest.fixture
def feeder(database):  # noqa: F811
    return f"/projects/{add(database, ELLERDALE)}"


def seen(client, address: str) -> str:  # noqa: F811
    answer = client.get(address, headers=PART)
    assert answer.status_code == 200
    return unescape(answer.text)


def test_flow_opens_by_phase_where_phases_are_not_alike_and_balanced_says_what_it_leaves_out(client, feeder):  # noqa: F811
    page = seen(client, f"{feeder}/network")
    assert f'href="{feeder}/phases' in page
    balanced = seen(client, f"{feeder}/flow")
    assert re.search(r"and so are \d+ more elements; this study takes networks of three phases alike", balanced)
    assert re.search(r'href="[^"]*/phases[^"]*"[^>]*>by phase<', balanced)
    assert f'href="{feeder}/phases' not in seen(client, "/projects/1/network")
    assert 'href="/projects/1/flow' in seen(client, "/projects/1/network")


def test_states_that_nobody_gathered_by_phase_are_shown_once_the_others_are(client):  # noqa: F811
    """Where all phases are alike findings need no flow by phase: its figures of other states follow for who looks at them."""
    look = "/projects/1/phases?selected=W25"
    first = seen(client, look)
    assert 'data-waiting="yes"' in first
    while "HX-Trigger" not in client.get("/projects/1/findings/counts?stage=phases", headers=PART).headers:
        pass
    then = seen(client, look)
    assert 'data-waiting=""' in then
    shown = re.search(r"In every state(.*?)</section>", then, re.S)[1]
    assert all(state in shown for state in skerrow_water().state_names)
    assert "–" not in shown


def test_ledgers_name_phases_as_the_project_does_and_files_as_the_standard(client, feeder):  # noqa: F811
    rows = seen(client, f"{feeder}/phases")
    assert re.search(r"Low Fold dairy board.*?<td[^>]*>B</td>", rows, re.S)
    assert "A2 homes" in rows
    assert "leg 1" in rows
    expected = {
        "branches": "winding, by its current", "terminals": "Re I", "sequence": "deviation between phases", "residuals": "Earth", "loads": "leg 1–leg 2",
        "sources": "Fell grid", "regulators": "held", "loops": "No loop is closed", "totals": "Losses in A",
    }  # fmt: skip
    for tab, wanted in expected.items():
        assert wanted in seen(client, f"{feeder}/phases?tab={tab}"), tab
    assert "Tie H–M" in seen(client, f"{feeder}/phases?tab=loops&state=Tie closed")
    csv = client.get(f"{feeder}/tables/terminals.csv?stage=phases")
    assert csv.text.splitlines()[0].lstrip("\ufeff").startswith("state,element,kind,terminal,bus,phase,p_mw [MW]")
    assert ",A," not in csv.text


def test_the_card_opens_kirchhoffs_sum_and_the_current_of_an_element(client, feeder):  # noqa: F811
    card = seen(client, f"{feeder}/phases?selected=P10")
    assert "Voltage, A" in card
    opened = re.search(r'hx-get="([^"]*working[^"]*quantity=v_phase[^"]*)"', card)
    text = seen(client, opened[1])
    assert "Sum at the conductor" in text
    assert "into Fuse FD" in text
    card = seen(client, f"{feeder}/phases?selected=FD")
    assert "127.4" in card
    current = re.search(r'hx-get="([^"]*working[^"]*quantity=i_phase[^"]*)"', card)
    assert "what stands behind it asks for" in seen(client, current[1])
    homes = seen(client, f"{feeder}/phases?selected=A2 homes")
    assert "Voltage, leg 1–leg 2" in homes
    assert "Voltage, B" not in homes


def test_faults_open_by_phase_where_phases_are_not_alike(client, feeder):  # noqa: F811
    assert f'href="{feeder}/phase-faults' in seen(client, f"{feeder}/network")
    assert 'href="/projects/1/faults' in seen(client, "/projects/1/network")
    assert "Flow and Faults take it by phase" in seen(client, f"{feeder}/faults")
    three = seen(client, f"{feeder}/phase-faults")
    assert re.search(r"Grid end</.*?<td[^>]*>A–B–C<", three, re.S)  # of all kinds the one looked at
    assert re.search(r"A7</.*?<td[^>]*>A–earth<", three, re.S)  # what a pole of one phase allows
    pairs = seen(client, f"{feeder}/phase-faults?fault=ll&case=min")
    assert "Least currents" in pairs
    assert re.search(r"highest: D4 homes 1–2, \d\d\.\d", pairs)
    for tab, wanted in {"all": "B–C–earth", "impedances": "As the greatest currents see them", "states": "Cold evening, highest"}.items():
        assert wanted in seen(client, f"{feeder}/phase-faults?tab={tab}"), tab
    csv = client.get(f"{feeder}/tables/faults.csv?stage=phase-faults").text
    assert csv.splitlines()[0].lstrip("\ufeff").startswith("state,bus,fault,ik_max_ka [kA],ik_min_ka [kA]")
    assert any(row.startswith("Normal,A7,a–earth,") for row in csv.splitlines())


def test_a_current_without_a_name_is_of_the_kind_that_is_looked_at():
    """What stands for a kind that a place does not have keeps its names, also where it is alike in all phases."""

    def lines(kind, *faults):
        look = SimpleNamespace(network=skerrow_water(), view=SimpleNamespace(fault=kind))
        return fault_lines(look, [(fault, "3.20") for fault in faults])

    pairs = ("a–b", "b–c", "c–a")
    assert lines("ll", *pairs) == (("3.20", "kA"),)
    assert lines("llg", *pairs) == tuple((f"{pair} 3.20", "kA") for pair in pairs)  # nothing leads to earth there
    assert lines("3ph", "a–b–c") == (("3.20", "kA"),)
    assert lines("lg", "a–b–c") == (("a–b–c 3.20", "kA"),)
    assert lines("3ph", "b–earth") == (("b–earth 3.20", "kA"),)


def test_a_loading_names_its_phase_unless_all_carry_the_same():
    """Whatever else is shown, and alike: taps, or what there is no choice of."""
    found = 0
    for network in (ELLERDALE, skerrow_water()):
        made = StateResults(network, "Normal").result(PHASE_FLOW)
        for chosen in (("load",), ("tap", "load"), ("i", "load")):
            for i, tag in phase_tags(made, network.settings.limits, chosen).items():
                units = [unit for _, unit in tag.lines if unit.startswith("%")]
                carried = [figure(abs(a)) for (k, c), (a, _) in made.currents_of(network.elements[i]).items() if k == 0 and c != "n"] if units else []
                assert ("%" in units) == (len(carried) == 3 and len(set(carried)) == 1)
                found += len(units)
    assert found > 100


def test_a_fault_by_phase_opens_its_working_in_both_cases(client, feeder):  # noqa: F811
    card = seen(client, f"{feeder}/phase-faults?selected=P3")
    for case, word in (("max", "greatest"), ("min", "least")):
        links = re.findall(r'hx-get="([^"]*working[^"]*quantity=ik_phase[^"]*)"', card)
        opened = next(link for link in links if f"case={case}" in link)
        text = seen(client, opened)
        assert f"{word} current" in text
        assert "of the impedance matrix of the bus" in text


def test_a_card_shows_the_poles_geometry_and_what_a_compensator_is_in_ohms(client, database):  # noqa: F811
    units = [u.model_dump() | {"drop_r_v": 3.0, "drop_x_v": 9.0} for u in ELLERDALE.elements["VR1"].regulator_units]
    changed = apply_change(ELLERDALE, Change("compensated", (Set(id="VR1", values={"regulator_units": units}),)))[0]
    base = f"/projects/{add(database, changed)}"
    for stage in ("network", "phases"):
        line = seen(client, f"{base}/{stage}?selected=L5")
        assert 'class="pole-to-scale"' in line
        assert "Pole with a cross-arm, four wires, to scale" in line
    e, card = changed.elements["VR1"], seen(client, f"{base}/phases?selected=VR1")
    ohm = 3.0 * e.pt_ratio / e.ct_primary_a
    assert re.search(rf"Compensator, A.{{0,200}}{ohm:.3g}", card, re.S)
    assert f"3 + j9 V at {e.ct_primary_a:g} A" in card


def test_a_remedy_by_phase_becomes_a_proposal(client, database):  # noqa: F811
    heavy = apply_change(ELLERDALE, Change("heavier", (Set(id="Homes D4", values={"load_factor": 2.5}), Set(id="Homes D8", values={"load_factor": 2.5}))))[0]
    base = f"/projects/{add(database, heavy)}"
    page = unescape(settled(client, f"{base}/phase-help?stage=phases&selected=P10&state=Cold evening"))
    assert "What would help" in page
    found = re.findall(r"<td>((?:Spur behind|What) [^<]*)</td>", page)
    assert found
    assert re.search(r"on [ABC] instead of [ABC]|from [ABC] drawn from [ABC]", found[0])
    numbers = re.findall(r'name="number" value="(\d+)"', page)
    titles = re.findall(r"</td><td>([^<]+)</td>\s*<td class=\"num\">", page)
    number = numbers[[t.strip() for t in titles].index(found[0])]
    version = re.search(r'name="version" value="(\d+)"', page)[1]
    kept = client.post(f"{base}/phase-help/propose?stage=phases&selected=P10&state=Cold evening", data={"version": version, "number": number})
    assert kept.status_code == 200
    assert found[0] in unescape(kept.text)


def test_the_pictures_show_the_feeder_and_answer_a_click_and_bad_numbers(client, feeder):  # noqa: F811
    page = seen(client, f"{feeder}/pictures?selected=LD3&state=Tie closed")
    assert page.count('class="fd-line line-one"') > 60
    assert page.count("fd-loop") > 10
    assert "Where ways meet in a loop" in page
    assert "LD3" in page
    assert len(re.findall(r'data-element="LD3"', page)) >= 2  # in both
    told = seen(client, f"{feeder}/pictures?most=wide<script>")
    assert "is not taken as the greatest width: accepted is a number above 0" in told
    assert "<script>" not in client.get(f"{feeder}/pictures?most=<script>").text.split("<main", 1)[1].split("</main", 1)[0]
    assert "48.6" in seen(client, f"{feeder}/pictures/of?selected=LD3")
    assert "Click a line" in seen(client, f"{feeder}/pictures/of?selected=nothing")
    for which in ("plan", "profile"):
        file = client.get(f"{feeder}/pictures/{which}.svg?width=losses&chosen=yes")
        assert file.headers["content-type"].startswith("image/svg+xml")
        assert "<style>" in file.text
    assert client.get(f"{feeder}/pictures/other.svg").status_code == 404
    assert "a part of the load" not in page


def test_pictures_of_a_network_without_coordinates_are_laid_out_and_names_are_escaped(client, database):  # noqa: F811
    bad = skerrow_water()
    hostile = apply_change(bad, Change("name", (Set(id="W25", values={"name": "W<b>25"}),)))[0]
    base = f"/projects/{add(database, hostile)}"
    text = client.get(f"{base}/pictures").text
    assert "No bus has coordinates" in text
    assert "W<b>25" not in text
    assert "W&lt;b&gt;25" in text
