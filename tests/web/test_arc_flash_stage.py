"""The Arc flash stage over HTTP: what to change, and labels that are printed, kept as printed, and known to have changed."""

import io
import re
import threading
from html import unescape
from urllib.request import ProxyHandler, build_opener

import pypdf
import pytest
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_by_phase import PANEL, PLANT
from tests.web.test_findings_and_proposals import client, database, network, post, settled  # noqa: F401

from northfell.app import printer
from northfell.app.printer import StandIn
from northfell.app.project.projects import change_project, create_project
from northfell.app.results.printing import modules_of
from northfell.core.model.changes import Change, Set
from northfell.demo import skerrow_water
from northfell.store import connect, label_setup, readers
from northfell.web.application import create_application


def test_what_to_change_for_less_energy_is_told_and_kept_as_a_proposal(client, database):  # noqa: F811
    here = "stage=arc-flash&selected=Filter+hall&side=line"
    assert "What to change" in client.get("/projects/1/arc-flash?selected=Filter+hall&side=line").text
    page = settled(client, f"/projects/1/energy-remedies?{here}")
    assert "Filter hall, line side: 44.6 cal/cm²" in page
    assert "high stage, primary 1570 A → 555 A" in page
    kept = post(client, f"energy-remedies/propose?{here}", number=0)
    assert kept.status_code == 303
    (proposal,) = network(database).proposals
    assert not [e for e in network(database).elements.values() if e.kind == "zone_relay"]
    inside = client.get(f"/projects/1/arc-flash?selected=Filter+hall&side=line&proposal={proposal.name}").text
    assert "2.87" in inside
    assert "43.9 in Standby generator alone" in page or "43.8 in Standby generator alone" in page  # what is well in Normal need not be so elsewhere
    assert "There is no incident energy at this place" in settled(client, "/projects/1/energy-remedies?stage=arc-flash&selected=Q25")
    assert client.get("/projects/1/energy-remedies?stage=arc-flash&selected=Filter+hall&side=nowhere").status_code == 422


def test_a_panel_of_one_phase_has_its_card_working_changes_and_label(tmp_path):
    path = tmp_path / "t.sqlite"
    slow = [{**e, "trip_isd_a": 5500.0, "trip_ir_a": 300.0} if e["name"] == "QS" else e for e in PANEL]
    with TestClient(create_application(path), base_url="http://127.0.0.1") as client:  # noqa: F811
        create_project(connect(path), network_of([*PLANT, *slow]))
        page = settled(client, "/projects/1/arc-flash?selected=C")
        assert "c–earth bolted governs" in page
        assert "has no result" not in page
        for address in re.findall(r"/projects/1/working\?[^\"]+", unescape(page)):
            assert client.get(address).status_code == 200
        asked = "stage=arc-flash&selected=C&study=phase_faults&quantity=ik_phase&part=c%E2%80%93earth&case=max"
        assert "Fault c–earth at Bus C" in client.get(f"/projects/1/working?{asked}").text
        cured = settled(client, "/projects/1/energy-remedies?stage=arc-flash&selected=C")
        assert re.search(r"short-time|high stage|instantaneous", cured), cured
        assert "not three-phase: by the model for three phases" in page
        for stage in ("coordination", "sizing", "faults", "flow", "network"):
            for tab in ("", "timeline", "devices", "duty"):
                assert client.get(f"/projects/1/{stage}?selected=C&tab={tab}").status_code == 200
        for tab in ("timeline", "devices", "earlier", "findings"):
            assert client.get(f"/projects/1/arc-flash?selected=C&tab={tab}").status_code == 200


def rows(page: str) -> dict[tuple[str, str], str]:
    """The rows of the printing page by equipment and side."""
    found = re.findall(r"<tr><td>.*?aria-label=\"Copies of ([^\"]*), (\w+(?: \d)?) side\"(.*?)</tr>", page, re.S)
    return {(unescape(name), side): row for name, side, row in found}


def due(page: str) -> set[tuple[str, str]]:
    """The labels of which one copy is to be printed."""
    found = re.findall(r'name="copies"[^>]* value="1" aria-label="Copies of ([^"]*), (\w+(?: \d)?) side"', page)
    return {(unescape(name), side) for name, side in found}


def asked(*keys: str, copies: int = 1, **more: object) -> dict[str, object]:
    return {"key": list(keys), "copies": [copies] * len(keys), **more}


def test_labels_are_printed_kept_and_only_those_that_changed_are_due(client, database):  # noqa: F811
    page = client.get("/projects/1/labels?stage=arc-flash").text
    every = rows(page)
    assert len(every) == 11
    assert due(page) == set(every)
    assert all("never" in row for row in every.values())
    some = ["Filter hall\r\nline", "Filter hall\nload", "Blower MCC\nload"]  # however a browser writes the end of a line
    form = {"key": [*some, "Ozone hall\nload"], "copies": [2, 1, 3, 0], "remark": "Spring  outage <b>", "job": "Round 1", "used": 1}
    made = client.post("/projects/1/labels?stage=arc-flash", data=form)
    assert made.headers["content-disposition"].endswith('"labels-round-1.pdf"')
    reader = pypdf.PdfReader(io.BytesIO(made.content))
    assert reader.metadata.title == "Arc-flash labels, Round 1"
    texts = [p.extract_text() for p in reader.pages]
    assert [t.count("Arc flash and shock hazard") for t in texts] == [1, 2, 2, 1]  # six of them, from the second place on
    assert [t.count("Blower MCC") for t in texts] == [0, 0, 2, 1]
    assert sum(t.count("Spring outage <b>") for t in texts) == 6
    page = client.get("/projects/1/labels?stage=arc-flash").text
    now = rows(page)
    assert "as it hangs there" in now["Filter hall", "line"]
    assert "Round 1" in now["Filter hall", "line"]
    assert due(page) == set(every) - {("Filter hall", "line"), ("Filter hall", "load"), ("Blower MCC", "load")}
    assert list(now)[-3:] != list(every)[-3:]  # what is due stands first
    # a setting is changed: the label of that place alone says something else
    change_project(connect(database), 1, Change("", (Set(id="B25", values={"i_high_a": 555.0, "t_high_s": 0.3}),)), 1)
    page = client.get("/projects/1/labels?stage=arc-flash").text
    after = rows(page)
    assert ("Filter hall", "line") in due(page)
    assert re.search(r"Incident energy 44\.7 cal/cm² → \d", after["Filter hall", "line"])
    assert "State Normal → Standby generator alone" in after["Filter hall", "line"]
    assert ("Blower MCC", "load") not in due(page)
    alone = client.get("/projects/1/labels?stage=arc-flash&selected=Blower+MCC&side=load&alone=true").text
    assert due(alone) == {("Blower MCC", "load")}


def test_all_that_a_form_says_is_held_against_what_hangs_there(client, database):  # noqa: F811
    """A device by another name changes the detailed label, and no other; another site limit those that tell it."""
    here = "/projects/1/labels?stage=arc-flash"
    client.post(here, data=asked("Filter hall\nline", "Blower MCC\nload", template="detailed"))
    client.post(here, data=asked("Filter hall\nload"))
    post(client, "elements/Q25/set/name?stage=arc-flash", value="Q25 new")
    now = client.get(here).text
    assert "Cleared by Q25 → Q25 new" in rows(now)["Filter hall", "line"]
    assert {("Filter hall", "load"), ("Blower MCC", "load")}.isdisjoint(due(now))
    post(client, "settings/limits.energy_breach_cal_cm2?stage=arc-flash", 2, value="30")
    assert "Site limit 40 cal/cm² → 30 cal/cm²" in rows(client.get(here).text)["Filter hall", "load"]


def test_a_plant_of_many_places_is_printed_from_one_form_and_what_cannot_be_printed_leaves_no_links(client, database):  # noqa: F811
    many = [f"nowhere {k}\nload" for k in range(3000)]
    form = {"key": [*many, "Blower MCC\nload"], "copies": [0] * 3000 + [1]}
    assert "1 label on 1 page" in client.post("/projects/1/labels/preview?stage=arc-flash", data=form).text
    wrong = asked("Filter hall\nline", code="true", address="https://northfell.example", stock="roll-warning")
    assert client.post("/projects/1/labels?stage=arc-flash", data=wrong).status_code == 422
    assert not readers.of_project(connect(database), 1)


def test_the_preview_is_what_prints_and_says_why_it_cannot(client):  # noqa: F811
    here = "/projects/1/labels?stage=arc-flash"
    form = asked("Filter hall\nline", copies=3, language="de", stock="a4-8", outlines="true")
    shown = client.post("/projects/1/labels/preview?stage=arc-flash", data=form).text
    paper = pypdf.PdfReader(io.BytesIO(client.post(here, data=form).content)).pages
    assert "3 labels on 1 page of 210 × 297 mm; labels of 150 × 100 mm at 66" in shown
    words = [unescape(one) for one in re.findall(r"<text[^>]*>([^<]+)</text>", shown)]
    (page,) = paper
    assert sorted(words) == sorted(page.extract_text().splitlines())
    assert words.count("GEFAHR") == 3
    assert shown.count('class="cell"') == 8
    small = client.post("/projects/1/labels/preview?stage=arc-flash", data=asked("Filter hall\nline", template="detailed", stock="roll-small")).text
    assert "less than a millimetre high" in small
    assert "less than a millimetre high" not in shown
    many = client.post("/projects/1/labels/preview?stage=arc-flash", data=asked("Filter hall\nline", copies=20, stock="roll")).text
    assert many.count("<svg") == 4
    assert "The other 16 pages" in many
    for wrong, told in ((asked("Filter hall\nline", copies=0), "at least one label"), (asked("Filter hall\nline", used=2), "0 to 1 cells"),
                        (asked("Filter hall\nline", stock="roll-warning"), "labels that say WARNING"), (asked("Filter hall\nline", remark="変電"), "変電"),
                        (asked("Filter hall\nline", code="true", address="javascript:1"), "where readers reach")):  # fmt: skip
        answer = client.post("/projects/1/labels/preview?stage=arc-flash", data=wrong)
        assert (answer.status_code, told in answer.text, "<svg" in answer.text) == (200, True, False), wrong


def test_a_code_on_a_label_leads_to_the_readers_page_of_its_equipment(client, database):  # noqa: F811
    form = asked("Filter hall\nline", "Filter hall\nload", "Blower MCC\nload", code="true", address="https://northfell.example:8400/")
    waiting = client.post("/projects/1/labels/preview?stage=arc-flash", data=form).text
    assert waiting.count("made when printed") == 3
    assert not readers.of_project(connect(database), 1)  # looking at it gives nobody a link
    assert client.post("/projects/1/labels?stage=arc-flash", data=form).status_code == 200
    links = {link.element_id: link.token for link in readers.of_project(connect(database), 1)}
    assert set(links) == {"Filter hall", "Blower MCC"}
    shown = client.post("/projects/1/labels/preview?stage=arc-flash", data=form).text
    assert "made when printed" not in shown
    code = modules_of(f"https://northfell.example:8400/read/{links['Blower MCC']}")
    assert code != modules_of(f"https://northfell.example:8400/read/{links['Filter hall']}")
    runs = sum(a and not b for row in code for a, b in zip(row, (*row[1:], False), strict=True))
    last = shown.split("<g transform")[-1]
    assert len(re.findall(r'<rect [^>]*fill="#000000"', last)) == runs
    assert "Blower MCC" in client.get(f"/read/{links['Blower MCC']}").text
    assert client.post("/projects/1/labels?stage=arc-flash", data=form).status_code == 200
    assert len(readers.of_project(connect(database), 1)) == 2  # the same link again


def test_stock_words_and_logo_of_ones_own(client, database):  # noqa: F811
    here = "/projects/1/labels"
    stock = {"name": "Ours <b>", "page_w": 100, "page_h": 80, "cell_w": 70, "cell_h": 90, "cell_turn": 90, "margin_x": 5, "margin_y": 5, "fit": "true"}
    there = client.post(f"{here}/stock?stage=arc-flash", data=stock, follow_redirects=False)
    assert there.headers["location"].endswith("stock=Ours+%3Cb%3E")
    assert '<option value="Ours &lt;b&gt;" selected>' in client.get(there.headers["location"]).text
    made = client.post(f"{here}?stage=arc-flash", data=asked("Filter hall\nline", stock="Ours <b>")).content
    assert [round(float(v) / 72 * 25.4) for v in pypdf.PdfReader(io.BytesIO(made)).pages[0].mediabox[2:]] == [100, 80]
    for wrong in ({**stock, "cell_w": 90}, {**stock, "columns": 2}, {**stock, "name": "a4"}, {**stock, "page_w": "nan"}, {**stock, "cell_turn": 45}):
        assert client.post(f"{here}/stock", data=wrong).status_code == 422, wrong
    assert client.post(f"{here}/words", data={"language": "en", "do_not_work": "Permit needed above {limit}.", "hazard": "<i>Arc"}).status_code == 200
    shown = client.post(f"{here}/preview?stage=arc-flash", data=asked("Filter hall\nline")).text
    assert "Permit needed above 40 cal/cm²." in shown
    assert "&lt;i&gt;Arc" in shown
    assert "Permit needed" not in client.post(f"{here}/preview?stage=arc-flash", data=asked("Filter hall\nline", language="es")).text
    for wrong in ({"language": "xx"}, {"do_not_work": "No limit told."}, {"hazard": "変電"}, {"procedure": "x" * 401}):
        assert client.post(f"{here}/words", data={"language": "en", **wrong}).status_code == 422, wrong
    picture = io.BytesIO()
    Image.new("RGB", (2000, 800), "red").save(picture, "JPEG")
    for name, data in (
        ("a.png", b"<svg onload=1>"),
        ("a.png", b""),
        ("a.png", picture.getvalue()[:900]),
        ("b.png", b"x" * (2**21 + 1)),
        ("c.gif", b"GIF89a" + b"0" * 40),
    ):
        assert client.post(f"{here}/logo", files={"file": (name, data)}).status_code == 422, name
    thin = io.BytesIO()
    Image.new("RGB", (2000, 8), "red").save(thin, "PNG")
    assert client.post(f"{here}/logo", files={"file": ("thin.png", thin.getvalue())}).status_code == 422
    assert client.post(f"{here}/logo", files={"file": ("logo.jpg", picture.getvalue())}).status_code == 200
    png, shape = label_setup.logo(connect(database), 1)
    assert (shape, Image.open(io.BytesIO(png)).size, Image.open(io.BytesIO(png)).format) == (2.5, (800, 320), "PNG")
    with_logo = client.post(f"{here}/preview?stage=arc-flash", data=asked("Filter hall\nline", logo="true")).text
    assert "data:image/png;base64," in with_logo
    assert len(pypdf.PdfReader(io.BytesIO(client.post(here, data=asked("Filter hall\nline", logo="true")).content)).pages[0].images) == 1
    client.post(f"{here}/logo/away")
    client.post(f"{here}/stock/away", data={"name": "Ours <b>"})
    page = client.get(here).text
    assert "Ours" not in page
    assert "With the logo" not in page


def test_a_job_goes_to_the_label_printer_and_is_kept_once_it_was_taken(tmp_path):
    kept = tmp_path / "northfell.sqlite3"
    with StandIn(0) as stand_in:
        address = f"http://127.0.0.1:{stand_in.server_address[1]}"
        threading.Thread(target=stand_in.serve_forever, daemon=True).start()
        with TestClient(create_application(kept, printer=address), base_url="http://127.0.0.1") as client:
            create_project(connect(kept), skerrow_water())
            assert "Send to the label printer" in client.get("/projects/1/labels").text
            page = client.post("/projects/1/labels/send", data=asked("Filter hall\nline", copies=2, stock="roll", job="Störfall <b> 1")).text
            assert "The label printer has taken 2 labels on 2 pages." in page
            assert "as it hangs there" in rows(page)["Filter hall", "line"]
            (job,) = stand_in.jobs
            assert job.title == "Arc-flash labels, Störfall <b> 1"
            assert [(round(w), round(h)) for w, h in job.sizes_mm()] == [(150, 100)] * 2
            assert "44.7" in pypdf.PdfReader(io.BytesIO(job.pdf)).pages[1].extract_text()
            with build_opener(ProxyHandler({})).open(address) as answer:
                told = answer.read().decode()
            assert "Störfall &lt;b&gt; 1" in told
            assert "2 pages of 150 × 100 mm" in told
            stand_in.jobs += stand_in.jobs * 199  # it takes no more
            with pytest.raises(printer.NotPrinted, match="0x0506"):
                printer.print_job(address, "one more", "", job.pdf)
            with pytest.raises(printer.NotPrinted, match="0x0400"):
                printer.print_job(address, "no PDF", "", b"hello")
            stand_in.shutdown()
            stand_in.server_close()
            gone = client.post("/projects/1/labels/send", data=asked("Blower MCC\nload"))
            assert "No label printer answers" in gone.text
            assert "never" in rows(client.get("/projects/1/labels").text)["Blower MCC", "load"]
    with TestClient(create_application(kept), base_url="http://127.0.0.1") as client:
        assert "Send to the label printer" not in client.get("/projects/1/labels").text
        assert client.post("/projects/1/labels/send", data=asked("Blower MCC\nload")).status_code == 404


@given(st.integers(0, 0xFFFF), st.dictionaries(st.from_regex(r"[a-z-]{1,20}", fullmatch=True), st.binary(max_size=300), max_size=6), st.binary(max_size=50))
def test_a_message_to_a_printer_is_read_as_it_was_written_or_refused(code, values, document):
    written = printer.message(code, ((printer.OPERATION, tuple((printer.NAME, name, told) for name, told in values.items())),))
    assert printer.read_message(written + document) == (code, values, document)
    for end in range(9, len(written), 7):
        with pytest.raises((ValueError, UnicodeDecodeError)):
            printer.read_message(written[:end])


def test_what_is_wrongly_asked_of_a_job_is_refused_and_nothing_is_kept(client, database):  # noqa: F811
    here = "/projects/1/labels?stage=arc-flash"
    one = "Filter hall\nline"
    for wrong in ({}, asked("nowhere\nload"), asked(one, copies=0), asked(one, copies=-1), asked(one, copies=21), asked(one, used=2), {"key": [one]},
                  asked(one, remark="x" * 121), asked(one, remark="変電"), asked(one, template="poster"), asked(one, stock="none"),
                  asked(one, language="xx")):  # fmt: skip
        assert client.post(here, data=wrong).status_code == 422, wrong
    assert "as it hangs there" not in client.get(here).text
    # what a proposal sets is not installed
    post(client, "energy-remedies/propose?stage=arc-flash&selected=Filter+hall&side=line", number=0)
    (proposal,) = network(database).proposals
    assert client.post(f"{here}&proposal={proposal.name}", data=asked(one)).status_code == 200
    assert "printing them is not kept" in client.get(f"{here}&proposal={proposal.name}").text
    assert all("never" in row for row in rows(client.get(here).text).values())


def test_the_earlier_edition_stands_beside_for_comparison_and_leaves_as_a_table(client):  # noqa: F811
    page = client.get("/projects/1/arc-flash?tab=earlier").text
    assert "IEEE 1584-2002 is superseded" in page
    assert "ungrounded, or by an impedance" in page
    told = client.get("/projects/1/tables/earlier_edition.csv?stage=arc-flash&tab=earlier")
    assert told.status_code == 200
    assert "energy_2002_cal_cm2" in told.text.splitlines()[0] or "Energy, 2002" in told.text.splitlines()[0]
    assert "2002" not in client.get("/projects/1/arc-flash?selected=Filter+hall").text.split('class="label-preview"')[1].split("</svg>")[0]


def test_the_timeline_of_a_place_begins_with_the_chain_from_its_sources_to_the_boundary(client):  # noqa: F811
    page = settled(client, "/projects/1/arc-flash?selected=Filter+hall&side=line&tab=timeline")
    chain = re.search(r'<ol class="chain".*?</ol>', page, re.DOTALL)[0]
    links = [unescape(re.sub(r"<[^>]+>", " ", one)).split() for one in chain.split("<li>")[1:]]
    heads = ["Infeed A", "Bolted, line side", "Arcing current", "Through Q25", "Q25 opens", "Incident energy", "Boundary"]
    assert [" ".join(words)[: len(head)] for words, head in zip(links, heads, strict=True)] == heads
    assert links[5][2:4] == ["44.6", "cal/cm²"]
    brings = [float(x) for x in re.findall(r"\d+\.\d+", " ".join(links[0]))]
    bolted = float(re.search(r"\d+\.\d+", " ".join(links[1]))[0])
    assert bolted <= sum(brings) < 1.1 * bolted  # magnitudes, of which all but a hundredth is named
    for working in (unescape(w) for w in re.findall(r'hx-get="([^"]*working[^"]*)"', chain)):
        assert "<h1" in client.get(working).text
    assert 'class="chain"' not in client.get("/projects/1/arc-flash?tab=timeline").text


def test_a_board_on_a_direct_current_side_has_a_tab_a_card_a_working_and_findings(client, database):  # noqa: F811
    empty = settled(client, "/projects/1/arc-flash?tab=direct").replace("\n", " ")
    assert "No board on a direct-current side" in empty
    values = {"dc_board": "panelboard", "v_dc_v": 600.0, "ik_dc_ka": 30.0, "dc_gap_mm": 30.0, "dc_distance_mm": 457.0}
    change_project(connect(database), 1, Change("", (Set(id="Solar roof", values=values),)), 1)
    page = settled(client, "/projects/1/arc-flash?tab=direct&selected=Solar+roof")
    assert "maximum power" in page
    assert "<span>Direct-current side</span>" in page
    worked = client.get("/projects/1/working?stage=arc-flash&selected=Solar+roof&study=arc_flash&quantity=energy_cal_cm2").text
    assert "0.01·Udc·Iarc,1·t/D²" in worked
    assert "Not covered by IEEE 1584" in worked
    assert "Solar roof, direct-current side" in settled(client, "/projects/1/arc-flash?tab=findings")
    table = client.get("/projects/1/tables/direct_current.csv?stage=arc-flash").text
    assert "Solar roof" in table
