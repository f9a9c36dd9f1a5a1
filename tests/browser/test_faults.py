"""The Faults stage in a real browser: an overdutied board found and cured by switching and by a proposed reactor; what the rest of the network sees."""

import re

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select
from tests.browser.test_flow import button, rows
from tests.browser.test_walk import walk  # noqa: F401

DUTY = "/projects/1/faults?state=Generator+in+parallel&tab=duty"


def verdicts(walk):  # noqa: F811
    """Elements by the verdict on their worst duty, of the rows that have one."""
    return walk.browser.execute_script(
        "return Object.fromEntries([...document.querySelectorAll('#ledger tbody tr')].map("
        "(row) => [row.cells[1].textContent.trim(), row.querySelector('svg.wedge-mark')?.getAttribute('aria-label') ?? '']).filter((pair) => pair[1]))"
    )


def test_an_overdutied_board_is_found_and_cured_by_opening_a_breaker(walk):  # noqa: F811
    walk.open(DUTY)
    assert verdicts(walk)["11 kV board A"] == "beyond a limit"
    assert "107" in walk.one('#sheet a[data-element="11 kV board A"]').text
    walk.browser.find_element(By.LINK_TEXT, "11 kV board A").click()  # the row leads to the symbol
    walk.until(lambda: walk.title() == "11 kV board A")
    assert "106.3 %" in walk.card().replace("\u2009", " ").replace("\n", " ")
    walk.select("Q27")
    button(walk, "Open in Generator in parallel").click()
    walk.until(lambda: verdicts(walk).get("11 kV board A") == "near a limit")
    walk.one('#history button[title^="Undo"], button[title^="Undo"]').click()
    walk.until(lambda: verdicts(walk).get("11 kV board A") == "beyond a limit")


def test_it_is_cured_by_a_series_reactor_that_is_proposed_and_solved(walk):  # noqa: F811
    walk.open(DUTY + "&selected=11+kV+board+A")
    button(walk, "Duty, and what helps").click()
    walk.until(lambda: walk.one("#working").get_attribute("open") is not None and "What would help" in walk.one("#working").text)
    row = next(r for r in walk.all("#working .remedies tbody tr") if "A series reactor of" in r.text and "Q11" in r.text)
    assert "✓" in row.text
    row.find_element(By.CSS_SELECTOR, "button").click()
    walk.until(lambda: walk.all("#compared-findings"))
    compared = walk.one("#compared-findings").text
    assert "11 kV board A" in compared
    walk.browser.find_element(By.LINK_TEXT, "Work inside").click()
    walk.until(lambda: walk.all("#inside") and walk.all("#sheet a"))
    proposal = re.search(r"proposal=([^&]+)", walk.browser.current_url)[1]
    walk.open(f"{DUTY}&proposal={proposal}")
    assert verdicts(walk).get("11 kV board A") != "beyond a limit"
    assert walk.all('#sheet a[data-element="Reactor"]')


def test_during_a_fault_the_voltage_left_is_read_across_a_delta_star_transformer(walk):  # noqa: F811
    """Two lines at 11 kV: behind the Dyn transformer one phase is all but gone, as only phases with the shift across it can tell."""
    walk.open("/projects/1/faults?selected=11+kV+board+A")
    Select(walk.one("#fault-kind")).select_by_visible_text("Line to line")
    walk.until(lambda: "fault=ll" in walk.browser.current_url)
    button(walk, "During its fault").click()
    walk.until(lambda: "Ua" in walk.one("#ledger thead").text and "a·b·c" in walk.one('#sheet a[data-element="Filter hall"]').text)
    found = rows(walk)
    a, b, c = (float(re.match(r"[\d.]+", cell)[0]) for cell in found["11 kV board A"][4:7])
    assert (b, c) == (pytest.approx(a / 2, rel=0.01), pytest.approx(a / 2, rel=0.01))
    low = [float(re.match(r"[\d.]+", cell)[0]) for cell in found["Filter hall"][4:7]]
    assert min(low) < 0.2 * max(low)
    assert "kA" in walk.one('#sheet a[data-element="T1"]').text
    assert walk.one('#sheet a[data-element="Filter hall"]').get_attribute("innerHTML").count("low-")


def test_any_figure_of_an_earth_fault_opens_its_working(walk):  # noqa: F811
    walk.open("/projects/1/faults?selected=11+kV+board+A&fault=lg")
    walk.one('#card [hx-get*="quantity=ik_ka"]').click()
    walk.until(lambda: walk.one("#working").get_attribute("open") is not None and "Impedance of the zero sequence" in walk.one("#working").text)
    assert "line to earth" in walk.one("#working h1").text


def test_bracken_quays_weak_breakers_are_found_by_the_other_school(walk):  # noqa: F811
    walk.open("/projects/2/faults?tab=duty")
    assert {name for name, v in verdicts(walk).items() if v == "beyond a limit"} == {"52-13", "52-14"}
    assert "C37" in walk.one(".legend").text
