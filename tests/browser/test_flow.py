"""The Flow stage in a real browser: findings that follow the tie, a pinned result, a finding followed to its element, a remedy tried inside a proposal."""

from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select
from tests.browser.test_walk import Walk, walk  # noqa: F401


def button(walk, says: str):  # noqa: F811
    return walk.browser.find_element(By.XPATH, f"//*[self::button or self::a][normalize-space(.)='{says}']")


def count(walk) -> int:  # noqa: F811
    """Findings near a limit, once they are counted."""
    walk.until(lambda: walk.one("#findings .counts").get_attribute("id").endswith("known"))
    return int(walk.all("#findings .count")[1].text)


def rows(walk) -> dict[str, list[str]]:  # noqa: F811
    found = walk.browser.execute_script(  # one question to the browser, not one for each cell
        "return [...document.querySelectorAll('#ledger tbody tr')].map((row) => [...row.cells].slice(1).map((cell) => cell.textContent.trim()))"
    )
    return {cells[0]: cells for cells in found}


def test_opening_and_closing_the_tie_changes_the_findings(walk):  # noqa: F811
    walk.open()
    before = count(walk)
    walk.select("Q10")
    button(walk, "Close in Normal").click()
    walk.until(lambda: button(walk, "Open in Normal"))
    walk.until(lambda: count(walk) != before)
    button(walk, "Open in Normal").click()
    walk.until(lambda: button(walk, "Close in Normal"))
    walk.until(lambda: count(walk) == before)


def test_pin_close_the_tie_and_compare(walk):  # noqa: F811
    walk.open("/projects/1/flow?tab=buses")
    button(walk, "Pin result").click()
    walk.until(lambda: "+/−" in walk.one("#ledger thead").text)
    assert all(cells[5] == "" for cells in rows(walk).values())  # nothing differs yet
    walk.select("Q10")
    button(walk, "Close in Normal").click()
    walk.until(lambda: rows(walk)["11 kV board A"][5].startswith("+0.00"))
    assert rows(walk)["11 kV board B"][5].startswith("−0.00")
    assert "+" in walk.one('#sheet a[data-element="T2"]').text
    walk.select("T2")
    assert "Against the pinned result" in walk.card()
    assert walk.figure("Active power").startswith("+") or "+" in walk.card()
    button(walk, "Unpin").click()
    walk.until(lambda: "pin=" not in walk.browser.current_url)
    assert "Against the pinned result" not in walk.card()


def test_a_finding_leads_to_its_element_and_its_remedy_is_tried_inside_a_proposal(walk):  # noqa: F811
    walk.open()
    walk.browser.get(walk.application.address + "/projects/1/findings")
    walk.until(lambda: walk.all("table.findings tbody tr"))
    of_flow = [row for row in walk.all("table.findings tbody tr") if "Flow" in row.text]
    assert "W411" in of_flow[0].text  # the gravest of the stage first
    of_flow[0].find_element(By.LINK_TEXT, "W411").click()
    walk.until(lambda: walk.title() == "W411")
    assert Select(walk.one("#state-shown")).first_selected_option.text == "Tie closed, T2 out"
    walk.one('#card a[data-do="working"]').click()
    walk.until(lambda: walk.one("#working").get_attribute("open") is not None and "What would help" in walk.one("#working").text)
    row = next(r for r in walk.all("#working .remedies tbody tr") if "2 units of W411" in r.text)
    row.find_element(By.CSS_SELECTOR, "button").click()
    walk.until(lambda: walk.all("#compared-findings"))
    assert "cured" in walk.one("#compared-findings").text
    assert "114" in walk.one("#compared-findings").text
    walk.browser.find_element(By.LINK_TEXT, "Work inside").click()
    walk.until(lambda: walk.all("#inside") and walk.all("#sheet a"))
    walk.select("W411")
    assert float(walk.figure("Carries")) < 60
    walk.enter("50")  # an edit inside goes into the proposal
    walk.until(lambda: walk.one("#field-length_m").get_attribute("value") == "50" and "length" in walk.one("[data-do-key=undo]").get_attribute("title").lower())
    walk.one("#inside a.btn").click()
    walk.until(lambda: not walk.all("#inside"))
    walk.until(lambda: walk.one("#field-length_m").get_attribute("value") == "95")
    walk.browser.get(walk.application.address + "/projects/1/proposals")
    walk.until(lambda: "W411" in walk.one("table.proposals").text)


def test_quantities_shading_working_and_copy(walk):  # noqa: F811
    walk.open()
    walk.one("#show-tags summary").click()
    next(box for box in walk.all('[data-look="tags"]') if box.get_attribute("value") == "i").click()
    walk.until(lambda: " A" in walk.one('#sheet a[data-element="W25"]').text)
    walk.until(lambda: walk.one('[data-look="shade"]').is_displayed())  # what is answered opens the choice again
    Select(walk.one('[data-look="shade"]')).select_by_value("loading")
    walk.until(lambda: "tone-breach" in walk.classes("W411"))
    walk.select("W411")
    walk.all("#card .worked")[0].click()
    walk.until(lambda: "153" in walk.one("#working").text and "Current at" in walk.one("#working").text)
    walk.one('#working [data-do="close-working"]').click()
    walk.browser.execute_script("navigator.clipboard.writeText = (text) => { window.copied = text; return Promise.resolve(); }")
    walk.one('[data-do="copy-table"]').click()
    walk.until(lambda: walk.browser.execute_script("return window.copied"))
    copied = walk.browser.execute_script("return window.copied").split("\n")
    assert copied[0].split("\t")[0] == "Name"
    line = next(one for one in copied if one.startswith("W411\t")).split("\t")
    assert len(line[3]) > 8  # the full value, not the shown one


def test_each_element_out_and_a_motor_start(walk):  # noqa: F811
    walk.open("/projects/1/flow?tab=outages")
    button(walk, "Run").click()
    walk.until(lambda: "T3" in rows(walk))
    assert "Hall services" in " ".join(rows(walk)["T3"])
    walk.select("P1")
    button(walk, "Start it").click()
    walk.until(lambda: "P1 starts direct on line" in walk.one("#ledger").text)
    assert float(rows(walk)["11 kV board A"][4]) > 1
    assert "while P1 starts" in walk.one(".legend").text


def test_figures_of_the_other_states_follow_an_edit(walk):  # noqa: F811
    """What an edit answers without them comes by itself, once they were gathered; nothing is awaited for ever, and a reload shows the same."""
    walk.open("/projects/1/flow?selected=W25")
    worst = lambda: {r.find_element(By.CSS_SELECTOR, "td:nth-child(2)").text: r.text.split("\n") for r in walk.all("#ledger .rows tbody tr")}["W25"]  # noqa: E731
    before = worst()
    walk.enter("900 m")
    walk.until(lambda: walk.one("#field-length_m").get_attribute("value") == "900")
    walk.until(lambda: walk.one("#desk").get_attribute("data-waiting") == "" and "…" not in " ".join(worst()))
    after = worst()
    assert after != before
    walk.browser.refresh()
    walk.until(lambda: walk.title() == "W25")
    assert worst() == after
