"""From the empty list of projects to the printed labels of a plant of 60 buses, with the keyboard alone."""

import time

import pypdf
from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys
from tests.browser.test_drawing import Hand

from northfell.core.model.elements import Bus

LINES = [
    ("", "infeed 33 kV 12 kA, breaker, tx 33/11 10 MVA, breaker 800 A, bus 11 kV “Main”"),
    ("Main", "2x (breaker, relay, cable 240 al xlpe 350 m, tx 11/0.4 1 MVA, breaker 1600 A, bus “Works”)"),
    ("Works", "4x (breaker 250 A, cable 120 cu 60 m, mcc “MCC”, 2x (breaker 63 A, cable 16 cu 25 m, motor 22 kW))"),
    ("Works 2", "12x (breaker 160 A, cable 70 cu 45 m, panel “Panel”, load 30 kW)"),
    ("Main", "breaker, relay 200/1, cable 185 cu 220 m, motor 900 kW"),
]


class Keyboard(Hand):
    """Nothing but keys, each counted."""

    strokes = acts = 0

    def press(self, *keys: str) -> None:
        ActionChains(self.browser).send_keys(*keys).perform()
        self.strokes += sum(len(key) for key in keys)

    def confirm(self, key: str = Keys.ENTER) -> None:
        self.acts += 1
        self.press(key)

    def tab_to(self, text: str) -> None:
        """Go from field to field until the one with these words has the focus."""
        script = "const e = document.activeElement; return (e.textContent || '').trim() + '|' + (e.id || '') + '|' + (e.getAttribute('aria-label') || '')"
        for _ in range(400):
            if text in self.browser.execute_script(script).split("|"):
                return
            self.press(Keys.TAB)
        raise AssertionError(f"{text} is not reached by Tab")

    def find(self, name: str) -> None:
        self.press("/")
        self.until(lambda: self.browser.execute_script("return document.activeElement.matches('[data-find]')"), "the search has the focus")
        self.press(name)
        self.confirm()
        self.until(lambda: self.title() == name, name)


def test_from_nothing_to_the_labels_of_a_plant(browser, application, tmp_path):
    hand = Keyboard(browser, application)
    began = time.monotonic()
    browser.get(application.address)
    hand.tab_to("name")
    hand.press("Kettle works")
    hand.confirm()
    hand.until(lambda: "/network" in browser.current_url and hand.all("#desk"))
    for at, line in LINES:
        if at:
            hand.find(at)
            hand.press(Keys.TAB)  # out of the search
            hand.press("e")  # a new project begins with it
        hand.until(lambda: hand.one("#extend-text").is_displayed())
        hand.press(line)
        hand.until(lambda: "Enter to place" in hand.one("#extend-preview").text, line)
        hand.changes(hand.confirm)
        hand.press(Keys.ESCAPE)
        hand.until(lambda: not hand.one("#extend-text").is_displayed())
    hand.press("g", "f")
    hand.until(lambda: "/flow" in browser.current_url)
    for words in ("Fill typical values",):
        if hand.all(".problem"):
            hand.tab_to(words)
            hand.changes(hand.confirm)
    hand.until(lambda: not hand.all(".problem"))
    hand.press("g", "a")
    hand.until(lambda: "/arc-flash" in browser.current_url and hand.all(".problem"))
    hand.tab_to("Enclosures and mains of all boards")
    hand.changes(hand.confirm)
    while hand.all(".problem"):
        hand.tab_to("Fill typical values")
        hand.changes(hand.confirm)
        time.sleep(0.5)
    hand.find("Works")
    hand.tab_to("All labels")
    hand.confirm()
    hand.until(lambda: "/labels" in browser.current_url and hand.all("#printing"))
    hand.tab_to("Print as PDF")
    hand.confirm()
    saved = hand.until(lambda: next((f for f in (tmp_path / "downloads").glob("*.pdf")), None))
    minutes = (time.monotonic() - began) / 60
    hand.until(lambda: "as it hangs there" in hand.one("main").text)  # the page says what has become of it
    text = "".join(page.extract_text() for page in pypdf.PdfReader(saved).pages)
    network = hand.network(int(browser.current_url.split("/projects/")[1].split("/")[0]))
    buses = [e for e in network.elements.values() if isinstance(e, Bus)]
    boards = [e.name for e in buses if e.bus_kind != "junction" and (e.v_nominal_kv or 0) <= 15]
    print(f"{len(buses)} buses, {len(network.elements)} elements: {hand.acts} acts, {hand.strokes} keystrokes, {minutes:.1f} minutes by machine")
    assert len(buses) >= 60
    assert len(boards) >= 12
    assert all(name in text for name in boards)
    assert hand.problems() == []
