"""The Sizing stage in a real browser: what is picked is sized by IEC 60364, a motor control centre by the NEC; what decided is read, a part accepted."""

from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys
from tests.browser.test_walk import walk  # noqa: F401


def proposed(walk) -> dict[str, str]:  # noqa: F811
    """The rows that are proposed, by circuit."""
    walk.until(lambda: walk.all("#working .remedies tbody tr") or "keeps its rules" in walk.one("#working").text)
    return {row.find_element("css selector", "strong").text: row.text for row in walk.all("#working .remedies tbody tr")}


def rungs(walk) -> list[str]:  # noqa: F811
    return [t.text for t in walk.all("#card svg.curve text.v")]


def test_what_is_picked_is_sized_and_tried_inside_a_proposal(walk):  # noqa: F811
    walk.open("/projects/1/sizing")
    walk.one("body").send_keys("g", "z")
    walk.select("W411")
    assert rungs(walk) == ["iec.overload", "iec.1_45"]
    assert "entered 50 mm²" in walk.one("#card svg.curve").text
    next(f for f in walk.all("#card .figure") if f.text.startswith("iec.disconnect")).find_element("css selector", ".worked").click()
    walk.until(lambda: "Greatest impedance of the loop" in walk.one("#working").text)
    told = walk.one("#working").text
    assert "c·U0/Ia" in told
    assert "broken" in told
    assert "kept" in told  # by the size that it asks for
    walk.one("#working [data-do=close-working]").click()
    hit = walk.one('#sheet a[data-element="W312"] .hit')
    ActionChains(walk.browser).key_down(Keys.SHIFT).move_to_element(hit).click().key_up(Keys.SHIFT).perform()
    walk.until(lambda: walk.one("#picked").is_displayed())
    next(b for b in walk.all("button") if b.text == "Size what is picked").click()
    rows = proposed(walk)
    assert list(rows) == ["W411"]  # the other keeps its rules in every state
    assert "50 mm² → 95 mm²" in rows["W411"]
    assert "iec.1_45 (4-43 433.1): at least 95 mm², in Normal" in rows["W411"]
    walk.one("#working button.main").click()
    walk.until(lambda: "/proposal" in walk.browser.current_url)
    name = walk.one("h1").text
    walk.open(f"/projects/1/sizing?selected=W411&proposal={name}")
    walk.until(lambda: "entered 95 mm²" in walk.one("#card svg.curve").text)
    assert not walk.all("#card .note-box.breach")
    walk.open("/projects/1/sizing?selected=W411")
    assert "entered 50 mm²" in walk.one("#card svg.curve").text


def test_a_motor_control_centre_is_sized_by_the_nec_and_a_part_is_accepted(walk):  # noqa: F811
    walk.open("/projects/2/sizing?selected=Evaporator+MCC")
    walk.until(lambda: walk.title() == "Evaporator MCC")
    assert "nec.board" in walk.card()
    next(a for a in walk.all("#card a") if a.text == "Size everything downstream").click()
    rows = proposed(walk)
    assert "8 AWG → 6 AWG" in rows["W13"]
    assert "nec.drop" in rows["W13"]
    assert "setting 60.00 A → 41.80 A" in rows["W8"]
    for box in walk.all('#working input[name="rows"]'):
        if box.get_attribute("aria-label") != "Take W13":
            box.click()
    walk.one("#working button.main").click()
    walk.until(lambda: "/proposal" in walk.browser.current_url)
    assert walk.one("h1").text == "W13 sized"
    next(b for b in walk.all("main button") if b.text.startswith("Accept")).click()
    walk.until(lambda: "/proposal" not in walk.browser.current_url or "accepted" in walk.one("main").text.lower())
    walk.open("/projects/2/sizing?selected=W13")
    walk.until(lambda: "entered 6 AWG" in walk.one("#card svg.curve").text)
    assert walk.one("#field-area_mm2").get_attribute("value") == "6 AWG"
    walk.one('[aria-label="Undo"]').click()
    walk.until(lambda: "entered 8 AWG" in walk.one("#card svg.curve").text)
    walk.browser.get(walk.application.address + "/projects/2/ways/Evaporator%20MCC")
    walk.until(lambda: walk.browser.find_elements("link text", "Size these ways"))
    walk.browser.find_element("link text", "Size these ways").click()
    walk.until(lambda: any("W13" in row.text for row in walk.all(".remedies tbody tr")))
