"""What is seen: words that can be read at every zoom, tables that fit their place, figures that are not current marked so."""

import re
import time
from contextlib import closing

import pytest
from benchmarks.synthetic import synthetic
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from tests.browser.test_walk import walk  # noqa: F401

from northfell.app.project.installation import FILE
from northfell.app.project.projects import create_project
from northfell.core.model.network import Sheet
from northfell.drawing.layout import laid_out
from northfell.store import connect

SHOWN_TEXTS = """const seen = (e) => getComputedStyle(e).display !== 'none';
return [...document.querySelectorAll('#sheet text')].filter((t) => seen(t) && seen(t.parentElement))
  .map((t) => [t.textContent, Number(t.getAttribute('font-size')) * t.getScreenCTM().a, t.closest('a')?.getAttribute('class') ?? ''])"""
BESIDE = """return [...document.querySelectorAll('#sheet a.el.bus[data-bar] .words')].map((g) => {
  const words = [...g.querySelectorAll('text')].filter((t) => getComputedStyle(t).display !== 'none').map((t) => t.getBoundingClientRect().right);
  const board = g.closest('a').querySelector('.band').getBoundingClientRect();
  return words.length ? Math.max(...words) - board.right : -1; })"""


@pytest.mark.parametrize("project", [1, 2])
def test_words_are_readable_at_every_zoom_or_not_drawn(walk, project):  # noqa: F811
    walk.open(f"/projects/{project}/flow")
    seen = {}
    for act in ("fit", "out", "out", "out", "out", "in", "in", "in", "in", "in", "in", "in", "in"):
        walk.one(f'[data-do="{act}"]').click()
        texts = walk.browser.execute_script(SHOWN_TEXTS)
        assert all(pixels >= 4.6 for _, pixels, _ in texts), min(texts, key=lambda t: t[1])
        if "far" in (walk.one("#sheet").get_attribute("class") or ""):
            assert all(" bus" in cls for _, _, cls in texts)  # boards alone
            assert max(walk.browser.execute_script(BESIDE)) < 14  # within their boards
        seen[len(texts)] = True
    assert len(seen) > 2
    assert max(seen) > 100  # near by everything is drawn


def test_from_afar_a_board_says_its_name_voltage_and_verdict(walk):  # noqa: F811
    walk.open("/projects/2/flow")
    walk.until(lambda: "far" in walk.one("#sheet").get_attribute("class"))
    texts = [t for t, _, _ in walk.browser.execute_script(SHOWN_TEXTS)]
    assert texts[:3] == ["Quay switchgear", "12.47", "kV"]
    walk.open("/projects/1/arc-flash")
    for _ in range(4):
        walk.one('[data-do="out"]').click()
    wedges = walk.browser.execute_script("return [...document.querySelectorAll('#sheet .wedge.breach')].map((w) => w.getBoundingClientRect().width)")
    assert wedges
    assert min(wedges) > 4


def test_ledgers_fit_their_place_and_columns_are_a_choice_that_stays(walk):  # noqa: F811
    def heads():
        return [h.get_attribute("data-column") for h in walk.all(".rows th") if h.is_displayed() and h.get_attribute("data-column")]

    for path in ("network", "flow", "flow?tab=buses", "flow?tab=sources", "flow?tab=areas", "faults", "arc-flash", "arc-flash?tab=findings"):
        walk.open(f"/projects/1/{path}")
        walk.until(lambda: "laid" in (walk.one("html").get_attribute("class") or ""))
        over = walk.browser.execute_script("const r = document.querySelector('.rows'); return r.scrollWidth - r.clientWidth")
        assert over <= 0, path
        over = walk.browser.execute_script("const n = document.querySelector('.ledger nav'); return n.scrollWidth - n.clientWidth")
        assert over <= 0, path
    walk.open("/projects/1/flow?selected=W25")
    assert "Circulating A" not in heads()
    assert walk.one("#columns-menu [data-more]").text == f"+{13 - len(heads())}"
    walk.one("#columns-menu summary").click()
    next(label for label in walk.all("#columns-menu label") if label.text == "Circulating A").click()
    walk.until(lambda: "Circulating A" in heads())
    walk.enter("700 m")
    walk.until(lambda: walk.one("#field-length_m").get_attribute("value") == "700")
    assert "Circulating A" in heads()
    walk.browser.refresh()
    walk.until(lambda: "Circulating A" in heads())
    columns = [{round(cell.rect["x"] + cell.rect["width"]) for cell in walk.all(f".rows tr > :nth-child({n})") if cell.is_displayed()} for n in (2, 5, 6)]
    assert all(max(ends) - min(ends) <= 1 for ends in columns)  # rows and heads stand under each other


def test_a_breaker_that_is_switched_while_states_are_gathered(walk):  # noqa: F811
    """The state shown is right at once, other states are struck until they follow, and nothing of the version between stays."""
    walk.open("/projects/1/flow?selected=Q31")
    walk.until(lambda: walk.one("#desk").get_attribute("data-waiting") == "")
    for _ in range(3):
        version = walk.one("#desk").get_attribute("data-version")
        walk.one('[data-do-key="operate"]').click()
        walk.until(lambda version=version: walk.one("#desk").get_attribute("data-version") != version)
        if walk.one("#desk").get_attribute("data-waiting") == "yes":
            assert "line-through" in walk.one(".rows td.over").value_of_css_property("text-decoration")
    assert "dead" in walk.classes("Filter hall")
    walk.until(lambda: walk.one("#desk").get_attribute("data-waiting") == "")
    assert "line-through" not in walk.one(".rows td.over").value_of_css_property("text-decoration")
    shown = [row.text for row in walk.all(".rows tbody tr")]
    walk.browser.refresh()
    walk.until(lambda: walk.all("#sheet a"))
    assert [row.text for row in walk.all(".rows tbody tr")] == shown


def test_what_is_typed_otherwise_than_it_is_shown_is_shown_as_it_was_understood(walk):  # noqa: F811
    """A value that changes nothing is put back as it stands, and what was refused goes once a right value follows."""
    walk.open("/projects/1/network?selected=W25")
    kept = walk.one("#field-length_m").get_attribute("value")
    walk.enter(f"{kept}.0 m")
    walk.until(lambda: walk.one("#field-length_m").get_attribute("value") == kept)
    walk.enter("many")
    walk.until(lambda: walk.one("#field-length_m").get_attribute("aria-invalid"))
    assert walk.one("#field-length_m").get_attribute("value") == "many"
    walk.enter("555")
    walk.until(lambda: not walk.all("#card [aria-invalid]"))
    assert walk.one("#field-length_m").get_attribute("value") == "555"
    assert not walk.all("#card .note-box.breach")
    assert walk.one("#card").find_elements(By.ID, "field-parallel")


def test_looks_that_cross_each_other_leave_one_whole_look(walk):  # noqa: F811
    """Two looks asked for at once: whichever answer comes last, title, fields, rows and sheet are of one element."""
    walk.open("/projects/1/network?selected=W25")
    ask = "for (const one of arguments) window.htmx.ajax('GET', `/projects/1/network?selected=${one}`, {target: '#work', swap: 'innerMorph'})"
    lengths = {"T3": ""}
    for name in ("W26", "W25"):
        walk.open(f"/projects/1/network?selected={name}")
        lengths[name] = walk.one("#field-length_m").get_attribute("value")
    for order in (("W26", "W25"), ("T3", "W25"), ("T3", "W26", "W25"), ("W26", "T3", "W25")):
        walk.browser.execute_script(ask, *order)
        walk.until(lambda: walk.browser.execute_script("return !document.querySelector('.htmx-request, .htmx-swapping')"))
        time.sleep(1.0)
        title = walk.title()
        shown = walk.all("#field-length_m")
        assert [field.get_attribute("value") for field in shown] == ([lengths[title]] if lengths[title] else []), order
        assert walk.one("#desk").get_attribute("data-element") == title
        assert [one.get_attribute("data-element") for one in walk.all("#sheet a.el.selected")] == [title]
        assert [one.get_attribute("data-element") for one in walk.all(".rows tr[aria-selected]")] == [title]
        assert all(f"/elements/{title}/" in one.get_attribute("hx-post") for one in walk.all("#card .field input[hx-post]"))


NAMES = """return [...document.querySelectorAll('#sheet a.el.bus[data-bar] .words text')].filter((t) => getComputedStyle(t).display !== 'none')
  .map((t) => { const b = t.getBoundingClientRect(); return [b.left, b.top, b.right, b.bottom, t.closest('a').dataset.element]; })"""


def test_a_network_of_thousand_elements_is_looked_through(walk):  # noqa: F811
    """From afar no name stands on another; the ledger holds all rows, sorts, filters and scrolls them, and shows what an edit changed far down."""
    network = synthetic(300)
    sheet = Sheet(name="s", placements=laid_out(network.elements))
    with closing(connect(walk.application.data / FILE)) as db:
        project = create_project(db, network.model_copy(update={"sheets": [sheet]}))
    walk.open(f"/projects/{project}/network?selected=E3-3-13")
    boxes = walk.browser.execute_script(NAMES)
    assert len({box[4] for box in boxes}) > 20
    apart = lambda a, b: a[2] - 1 <= b[0] or b[2] - 1 <= a[0] or a[3] - 4 <= b[1] or b[3] - 4 <= a[1]  # noqa: E731  left, top, right, bottom
    over = [(a, b) for n, a in enumerate(boxes) for b in boxes[n + 1 :] if a[4] != b[4] and not apart(a, b)]
    assert over == []
    view = [float(v) for v in walk.one("#sheet").get_dom_attribute("viewBox").split()]
    assert 1.2 < view[2] / view[3] < 2.4  # a sheet that is looked at whole

    def rows():
        return walk.browser.execute_script("return [...document.querySelectorAll('#ledger .rows tbody tr')].map((r) => r.cells[1].innerText)")

    total = len(network.elements)
    assert f"Elements {total}" in walk.one("#ledger nav").text
    walk.until(lambda: 50 <= len(rows()) <= 400)  # those near what is seen
    scroll = "const r = document.querySelector('.rows'); r.scrollTop = arguments[0] * r.scrollHeight;"
    walk.browser.execute_script(scroll, 1)
    walk.until(lambda: list(network.elements)[-1] in rows())
    assert network.elements["H0"].name not in rows()
    walk.enter("0.123 MW", "#field-p_mw")
    walk.until(lambda: walk.one("#field-p_mw").get_attribute("value") == "0.123")
    assert any("0.123 MW" in row.text for row in walk.all('.rows tr[data-element="E3-3-13"]'))  # it stood in the page
    walk.browser.execute_script(scroll, 0)
    walk.until(lambda: rows()[0] == "H0")
    walk.enter("0.125 MW", "#field-p_mw")
    walk.until(lambda: walk.one("#field-p_mw").get_attribute("value") == "0.125")
    walk.one("#filter-rows").send_keys("E3-3-13")
    walk.until(lambda: rows() == ["E3-3-13"])
    assert "0.125 MW" in walk.one('.rows tr[data-element="E3-3-13"]').text  # it had been out of the page
    walk.enter(Keys.DELETE, "#filter-rows")
    walk.until(lambda: len(rows()) >= 50)
    for _ in range(2):
        next(h for h in walk.all(".rows th") if h.text.startswith("Name")).click()
    walk.until(lambda: rows()[0] == sorted_names(network)[-1])


def sorted_names(network):
    """As the ledger sorts them: numbers within names by their size."""
    parts = lambda name: [(int(p), "") if p.isdigit() else (-1, p.lower()) for p in re.findall(r"\d+|\D", name)]  # noqa: E731
    return sorted((e.name for e in network.elements.values()), key=parts)
