"""Flow by phase in a real browser: a spur typed and read, a line clicked in both pictures, a loop found, a spur moved to another phase."""

import re

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from tests.browser.test_flow import button
from tests.browser.test_walk import walk  # noqa: F401

FEEDER = "/projects/3"


def words(walk, element: str) -> str:  # noqa: F811
    """What is written at a symbol, also where it stands too far away to be read."""
    return walk.one(f'#sheet a[data-element="{element}"]').get_attribute("textContent")


def click_at(walk, css: str) -> None:  # noqa: F811
    """Click the middle of a drawn line, as a hand does."""
    line = next(g for g in walk.all(css) if g.is_displayed())
    ActionChains(walk.browser).move_to_element(line).click().perform()


def test_a_spur_of_one_phase_is_typed_and_its_tags_read(walk):  # noqa: F811
    walk.open(f"{FEEDER}/phases?sheet=Trunk&selected=P2")
    walk.browser.find_element(By.TAG_NAME, "body").send_keys("e")
    walk.until(lambda: walk.one("#extend-text").is_displayed())
    walk.one("#extend-text").send_keys("line 1ph b 300 m “New spur”, tx 1ph 7.2/0.24 25 kVA “New unit”, load 12 kW 3 kvar “New home”")
    walk.until(lambda: "Enter to place" in walk.one("#extend-preview").text)
    assert "centre tap~" in walk.one("#extend-preview").text
    walk.one("#extend-text").send_keys(Keys.ENTER)
    walk.until(lambda: walk.all('#sheet a[data-element="New spur"]'))
    walk.one("#extend-text").send_keys(Keys.ESCAPE)
    walk.until(lambda: re.search(r"1–2 \d", words(walk, "New home")))
    assert re.search(r"B [\d.]+ ?A", words(walk, "New spur"))
    assert not re.search(r"[AC] [\d.]+ ?A", words(walk, "New spur"))
    walk.open(f"{FEEDER}/phases?sheet=Trunk&selected=New+spur+end")
    assert re.match(r"1\.0|0\.9", walk.figure("Voltage, B"))
    assert "Voltage, A" not in walk.card()
    walk.browser.find_element(By.LINK_TEXT, "Faults").click()  # opens by phase here
    walk.until(lambda: re.search(r"B–earth [\d.]+ … [\d.]+ ?kA", words(walk, "New spur")))
    assert "C–earth" not in walk.card()
    assert float(walk.figure("B–earth").split()[0]) > 0.5


def test_a_line_clicked_in_one_picture_is_marked_in_both_with_its_numbers_and_on_the_sheet(walk):  # noqa: F811
    walk.browser.get(f"{walk.application.address}{FEEDER}/pictures")
    walk.until(lambda: walk.all("svg#plan .fd"))
    click_at(walk, '#plan [data-element="L13"]')
    walk.until(lambda: "L13" in walk.one("#picked-one").text and "Current, A" in walk.one("#picked-one").text)
    assert {g.find_element(By.XPATH, "ancestor::*[name()='svg']").get_attribute("id") for g in walk.all(".fd.picked")} == {"plan", "profile"}
    click_at(walk, '#profile [data-element="LD6"]')
    walk.until(lambda: walk.one("#picked-one h2").text.startswith("LD6"))
    assert walk.one("#plan .fd.picked").get_attribute("data-element") == "LD6"
    before = walk.one("#plan").get_dom_attribute("viewBox")
    walk.one('.zooms [data-do="in"]').click()
    walk.until(lambda: walk.one("#plan").get_dom_attribute("viewBox") != before)
    walk.browser.find_element(By.LINK_TEXT, "On the sheet").click()
    walk.until(lambda: walk.title() == "LD6")
    assert walk.problems() == []


def test_the_loop_is_found_in_the_picture_and_among_the_findings(walk):  # noqa: F811
    walk.open(f"{FEEDER}/phases?tab=loops")
    assert "No loop is closed" in walk.one("#ledger").text
    walk.state("Tie closed")
    walk.until(lambda: "closes it" in walk.one("#ledger").text)
    assert "Tie H–M" in walk.one("#ledger").text
    walk.browser.find_element(By.LINK_TEXT, "Pictures").click()
    walk.until(lambda: walk.all("#plan .fd-loop"))
    ringed = {g.find_element(By.XPATH, "..").get_attribute("data-element") for g in walk.all("#plan .fd-loop")}
    assert {"Tie H–M", "L19", "L20", "L21", "FH", "FM"} <= ringed
    assert "L18" not in ringed


def test_what_is_low_is_helped_by_another_phase_and_kept_as_a_proposal(walk):  # noqa: F811
    walk.open(f"{FEEDER}/phases?sheet=Trunk&selected=P26")
    button(walk, "What helps").click()
    walk.until(lambda: walk.one("#working").get_attribute("open") is not None and "What would help" in walk.one("#working").text)
    row = next(r for r in walk.all("#working .remedies tbody tr") if re.search(r"on [ABC] instead of [ABC]|drawn from [ABC]", r.text))
    row.find_element(By.CSS_SELECTOR, "button").click()
    walk.until(lambda: "/proposal" in walk.browser.current_url)
    walk.until(lambda: walk.all("#compared-findings"))
    assert walk.problems() == []


def test_five_thousand_lines_pan_smoothly(walk):  # noqa: F811
    """Copies of the feeder's lines are put into the plan and it is dragged: frames keep coming, and where it is let go it stays."""
    walk.browser.get(f"{walk.application.address}{FEEDER}/pictures")
    walk.until(lambda: walk.all("svg#plan .fd"))
    before = walk.one("#plan").get_dom_attribute("viewBox")
    lines, frames = walk.browser.execute_async_script("""
    const done = arguments[0], plan = document.getElementById("plan"), some = [...plan.querySelectorAll(".fd")];
    for (let n = 0; plan.querySelectorAll(".fd").length < 5000; n += 1) for (const g of some) {
      const copy = g.cloneNode(true);
      copy.setAttribute("transform", `translate(${(n % 5) * 7} ${Math.floor(n / 5) * 9})`);
      plan.append(copy);
    }
    const send = (on, kind, x) => on.dispatchEvent(new PointerEvent(kind, { clientX: 400 + x, clientY: 300, button: 0, bubbles: true }));
    setTimeout(() => {
      send(plan, "pointerdown", 0);
      let frames = 0;
      const end = performance.now() + 2000;
      requestAnimationFrame(function step() {
        send(window, "pointermove", 10 + (frames % 60));
        frames += 1;
        if (performance.now() < end) requestAnimationFrame(step);
        else { send(window, "pointerup", 60); done([plan.querySelectorAll(".fd").length, frames]); }
      });
    }, 500);
    """)
    assert lines >= 5000
    assert frames > 10  # that it goes on; how quickly is measured, not asserted
    assert walk.one("#plan").get_dom_attribute("viewBox") != before
    assert walk.one("#plan").get_attribute("style") in ("", "transform: none;")
    print(f"{lines} groups, {frames / 2:.0f} frames a second")
