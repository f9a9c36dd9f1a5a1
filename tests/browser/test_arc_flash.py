"""The Arc flash stage in a real browser: the site limit is broken, what to change is computed, kept and seen; the slider tells other times."""

from selenium.webdriver.support.ui import Select
from tests.browser.test_walk import walk  # noqa: F401


def test_a_place_above_the_site_limit_is_cured_by_a_change_that_breaks_nothing(walk):  # noqa: F811
    walk.open("/projects/1/arc-flash?selected=Filter+hall&side=line")
    walk.until(lambda: "44.6" in walk.card())
    assert "DANGER" in walk.one(".label-preview").get_attribute("textContent")
    next(a for a in walk.all("#card a") if a.text == "What to change").click()
    walk.until(lambda: walk.all("#working .remedies tbody tr"))
    first = walk.one("#working .remedies tbody tr")
    assert "✓" in first.text
    assert "no gap, no rule" in first.text
    assert "Light of an arc" in first.text  # the only one that is within the limit on the standby generator too
    first.find_element("tag name", "button").click()
    walk.until(lambda: "/proposal" in walk.browser.current_url)
    name = walk.one("h1").text
    walk.open(f"/projects/1/arc-flash?selected=Filter+hall&side=line&proposal={name}")
    walk.until(lambda: "2.87" in walk.card())
    assert "WARNING" in walk.one(".label-preview").get_attribute("textContent")


def test_the_slider_begins_where_the_device_clears_and_tells_the_energy_of_other_times(walk):  # noqa: F811
    walk.open("/projects/1/arc-flash?selected=Filter+hall&side=line")
    walk.until(lambda: walk.all("#cleared input"))
    rate = float(walk.one("#cleared").get_attribute("data-rate"))
    assert walk.one("#cleared-energy").text == "44.6 cal/cm²"
    assert walk.one("#cleared-energy").get_attribute("class") == "breach-text"
    set_to = "arguments[0].value = arguments[1]; arguments[0].dispatchEvent(new Event('input', {bubbles: true}))"
    walk.browser.execute_script(set_to, walk.one("#cleared input"), 0)
    assert walk.one("#cleared-in").text == "0.010 s"
    assert walk.one("#cleared-energy").text == f"{0.01 * rate:#.3g} cal/cm²"
    assert walk.one("#cleared-energy").get_attribute("class") == ""


def test_rows_of_a_verdict_alone_and_a_second_configuration_of_the_electrodes(walk):  # noqa: F811
    walk.open("/projects/1/arc-flash?selected=Blower+MCC")
    walk.until(lambda: len(walk.all(".rows tbody tr")) == 11)
    Select(walk.one("#verdict-rows")).select_by_visible_text("Breach")
    walk.until(lambda: [row.text.split(" l")[0] for row in walk.all(".rows tbody tr")] == ["Filter hall", "Filter hall"])
    Select(walk.one("#verdict-rows")).select_by_visible_text("Close too")
    walk.until(lambda: 2 < len(walk.all(".rows tbody tr")) < 11)
    energy = float(walk.figure("Incident energy"))
    Select(walk.one("#field-electrode_configuration_2")).select_by_visible_text("HCB")
    walk.until(lambda: float(walk.figure("Incident energy")) > energy)  # what was asked of the rows stays
    assert walk.one("#verdict-rows").get_attribute("value") == "01"
    assert f"VCBB {walk.figure('Incident energy')}" not in walk.card()
    assert "HCB" in walk.figure("Electrodes")
    assert f"VCBB {energy:.3g}" in walk.card()
    Select(walk.one("#verdict-rows")).select_by_visible_text("All")
    walk.until(lambda: len(walk.all(".rows tbody tr")) == 11)
