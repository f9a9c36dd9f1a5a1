"""The Coordination stage in a real browser: a path, a setting dragged with its gap, the reading line, and what opens first."""

import math
import time

import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys
from tests.browser.test_walk import walk  # noqa: F401


def handle(walk, field: str):  # noqa: F811
    return walk.one(f'#curve-sheet circle[data-field="{field}"]')


def gaps(walk) -> str:  # noqa: F811
    return walk.one(".tc-gaps").text


def test_a_multiplier_is_dragged_snaps_and_is_kept_and_the_gap_moves_with_it(walk):  # noqa: F811
    walk.open("/projects/1/coordination")
    walk.one("body").send_keys("g", "c")
    walk.until(lambda: "/coordination" in walk.browser.current_url)
    walk.select("B21")
    walk.until(lambda: walk.all("#curve-sheet .tc"))
    assert {g.get_attribute("data-device") for g in walk.all("#curve-sheet .tc")} >= {"Q21", "Q11"}
    before = gaps(walk)
    was = float(handle(walk, "time_multiplier").get_attribute("data-value"))
    held = ActionChains(walk.browser).move_to_element(handle(walk, "time_multiplier")).click_and_hold()
    held.move_by_offset(0, -22).perform()
    walk.until(lambda: walk.one("#held").is_displayed())
    shown = walk.one("#held strong").text.split()[0]
    time.sleep(0.5)  # what the server draws meanwhile
    handles = walk.all('#curve-sheet circle[data-field="time_multiplier"]')
    assert len(handles) == 1
    ActionChains(walk.browser).release().perform()
    walk.until(lambda: float(handle(walk, "time_multiplier").get_attribute("data-value")) != was)
    now = float(handle(walk, "time_multiplier").get_attribute("data-value"))
    assert now == pytest.approx(float(shown))
    assert now > 1.5 * was
    assert round(now * 100) == pytest.approx(now * 100)  # a step that the relay has
    assert walk.one("#field-time_multiplier").get_attribute("value") == f"{now:g}"
    walk.one('[aria-label="Undo"]').click()
    walk.until(lambda: float(handle(walk, "time_multiplier").get_attribute("data-value")) == was)
    assert gaps(walk) == before


def test_a_nudge_by_key_keeps_the_handle_and_escape_gives_a_drag_up(walk):  # noqa: F811
    walk.open("/projects/1/coordination")
    walk.select("B11")
    walk.until(lambda: walk.all("#curve-sheet .tc"))
    was = float(handle(walk, "time_multiplier").get_attribute("data-value"))
    walk.browser.execute_script("arguments[0].focus()", handle(walk, "time_multiplier"))
    walk.browser.switch_to.active_element.send_keys(Keys.ARROW_UP)
    walk.until(lambda: float(handle(walk, "time_multiplier").get_attribute("data-value")) == pytest.approx(was + 0.01))
    walk.until(lambda: walk.browser.switch_to.active_element.get_attribute("data-field") == "time_multiplier")
    ActionChains(walk.browser).move_to_element(handle(walk, "i_pickup_a")).click_and_hold().move_by_offset(25, 0).perform()
    walk.until(lambda: walk.one("#held").is_displayed())
    walk.browser.switch_to.active_element.send_keys(Keys.ESCAPE)
    walk.until(lambda: not walk.one("#held").is_displayed())
    ActionChains(walk.browser).release().perform()
    pickup = walk.one("#field-i_pickup_a").get_attribute("value")
    walk.until(lambda: handle(walk, "i_pickup_a").get_attribute("data-value") == f"{float(pickup):.1f}")


MARKS = """return [[...document.querySelectorAll('#arc-marks path')].map((mark) => mark.getAttribute('d')),
  document.getElementById('curve-sheet').dataset.axes, [...document.querySelectorAll('#energies li')].map((row) => row.dataset.arcs)]"""


def test_the_reading_line_the_order_of_opening_and_the_file(walk):  # noqa: F811
    walk.open("/projects/1/coordination")
    walk.select("Q31")
    walk.until(lambda: walk.all("#curve-sheet .tc"))
    assert "Q31 above Q311" in gaps(walk)
    assert "to earth −0.030 s" in gaps(walk)
    walk.until(lambda: any("Filter hall" in row.text and "kA" in row.text for row in walk.all("#energies li")))
    marks, axes, arcs = walk.browser.execute_script(MARKS)  # at once: they are drawn anew when other states have followed
    a, told = [float(v) for v in axes.split()], [float(i) for row in arcs for i in row.split()]
    assert len(marks) == len(told)
    at = [float(d.split()[0][1:]) for d in marks]  # at the currents that the list tells, between the decades of the axis
    assert at == pytest.approx([a[0] + a[2] * math.log(i / a[4]) / math.log(a[5] / a[4]) for i in told], abs=0.01)
    walk.one('#card a[href*="fault=lg"]').click()
    walk.until(lambda: "line to earth" in walk.one("#curves header").text)
    assert walk.all("#curve-sheet .tc-short")  # what is too short is hatched
    place = walk.one("#curve-sheet")
    ActionChains(walk.browser).move_to_element_with_offset(place, 20, 40).perform()
    walk.until(lambda: walk.one("#reading-line").is_displayed())
    told = walk.one("#reading-line").get_attribute("textContent")
    assert "Q311" in told
    assert "kA" in told
    answer = walk.browser.execute_async_script(
        "fetch(arguments[0]).then((a) => a.text()).then(arguments[1])", walk.one(".curves header a").get_attribute("href")
    )
    assert "<svg" in answer[:200]
    # a bus: numbers on the sheet, and as a list
    walk.select("Blower MCC")
    assert not walk.one("#curves").is_displayed()
    walk.until(lambda: "1. Q311" in walk.card())
    walk.one('#card a[href*="tab=order"]').click()
    walk.until(lambda: "tab=order" in walk.browser.current_url)
    walk.until(lambda: any("Q311" in row.text for row in walk.all(".rows tbody tr")))
    assert "1." in walk.one('#sheet a[data-element="Q311"]').text


def test_a_path_is_kept_under_a_name_and_opened_from_the_menu(walk):  # noqa: F811
    walk.open("/projects/1/coordination?selected=Q25")
    walk.until(lambda: walk.all("#curve-sheet .tc"))
    drawn = {g.get_attribute("data-device") for g in walk.all("#curve-sheet .tc")}
    walk.one("#kept-curves summary").click()
    walk.one("#new-curves").send_keys("Intake path\n")
    walk.until(lambda: walk.one("#curves header strong").text == "Intake path")
    assert {g.get_attribute("data-device") for g in walk.all("#curve-sheet .tc")} == drawn
    walk.select("Q31")
    walk.until(lambda: walk.all("#stands-on"))
    assert walk.one("#curves header strong").text == "Intake path"
    walk.one("#stands-on summary").click()
    walk.one('#stands-on input[value="Intake path"]').click()
    walk.one("#stands-on button").click()
    walk.until(lambda: {g.get_attribute("data-device") for g in walk.all("#curve-sheet .tc")} == drawn - {"Q31"})
    walk.open("/projects/1/coordination")
    walk.one("#kept-curves summary").click()
    next(a for a in walk.all("#kept-curves a") if a.text == "Intake path").click()
    walk.until(lambda: {g.get_attribute("data-device") for g in walk.all("#curve-sheet .tc")} == drawn - {"Q31"})
    assert "curves=Intake" in walk.browser.current_url


def test_what_is_picked_becomes_a_sheet(walk):  # noqa: F811
    walk.open("/projects/1/coordination?selected=Blower MCC")
    walk.select("Q28")
    walk.until(lambda: walk.all("#curve-sheet .tc"))
    hit = walk.one('#sheet a[data-element="Q23"] .hit')
    ActionChains(walk.browser).key_down(Keys.SHIFT).move_to_element(hit).click().key_up(Keys.SHIFT).perform()
    walk.until(lambda: walk.one("#picked").is_displayed())
    walk.one("#kept-curves summary").click()
    walk.one("#new-curves").send_keys("Feeders\n")
    walk.until(lambda: walk.one("#curves header strong").text == "Feeders")
    assert {g.get_attribute("data-device") for g in walk.all("#curve-sheet .tc")} == {"Q23", "Q28"}


def test_a_name_is_dragged_on_a_kept_sheet_and_finds_room_by_itself_again(walk):  # noqa: F811
    walk.open("/projects/1/coordination?selected=Q25")
    walk.until(lambda: walk.all("#curve-sheet .tc"))
    walk.one("#kept-curves summary").click()
    walk.one("#new-curves").send_keys("Moved\n")
    walk.until(lambda: walk.all("#curve-sheet[data-kept]"))

    def plate() -> tuple[float, float]:
        rect = walk.one('#curve-sheet g[data-device="Q25"] .tc-plate')
        return float(rect.get_attribute("x")), float(rect.get_attribute("y"))

    was = plate()
    name = walk.one('#curve-sheet g[data-device="Q25"] .tc-name')
    ActionChains(walk.browser).move_to_element(name).click_and_hold().move_by_offset(-60, 80).release().perform()
    walk.until(lambda: plate() != was)
    assert plate()[0] < was[0] - 20
    assert plate()[1] > was[1] + 20
    ActionChains(walk.browser).double_click(walk.one('#curve-sheet g[data-device="Q25"] .tc-name')).perform()
    walk.until(lambda: plate() == pytest.approx(was))
