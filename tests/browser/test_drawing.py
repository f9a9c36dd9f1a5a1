"""Drawing with real gestures: by typing alone, by dragging alone, with assemblies, on several sheets, in two windows."""

import json
import re
import urllib.request

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from tests.browser.test_walk import Walk

from northfell.core.model.elements import Bus
from northfell.formats import northfell_json, northfell_zip


@pytest.fixture
def hand(browser, application):
    made = Hand(browser, application)
    yield made
    errors = [entry["message"] for entry in browser.get_log("browser") if entry["level"] == "SEVERE"]
    # what was asked of it meanwhile, or was being answered when it went
    unheard = ("net::ERR_CONNECTION_", "ERR_EMPTY_RESPONSE", "Failed to fetch") if made.application_was_away else ()
    assert [e for e in errors if not any(word in e for word in ("422", *unheard))] == []


class Hand(Walk):
    """A walk with a hand that draws."""

    application_was_away = False

    def begin(self, name: str) -> int:
        self.browser.get(self.application.address)
        self.one("#name").send_keys(name, Keys.ENTER)
        self.until(lambda: "/network" in self.browser.current_url)
        return int(re.search(r"/projects/(\d+)/", self.browser.current_url)[1])

    def network(self, project: int):
        with urllib.request.urlopen(f"{self.application.address}/projects/{project}/export") as answer:
            return northfell_json.read(answer.read())

    def version(self) -> str:
        return self.one("#desk").get_attribute("data-version")

    def changes(self, act) -> None:
        """Do something that changes the project, and wait until all of the answer is in place."""
        self.browser.execute_script(
            "if (window.shown === undefined)"
            "document.addEventListener('htmx:after:swap', () => { window.shown = document.getElementById('desk').dataset.version; });"
            "window.shown = document.getElementById('desk').dataset.version;"
        )
        before = self.version()
        act()
        shown = "return window.shown ?? document.getElementById('desk').dataset.version"  # a page opened anew has nothing to wait for
        self.until(lambda: before != self.version() == self.browser.execute_script(shown), self.all("#notice")[0].text)

    def pixel(self, x: float, y: float) -> tuple[int, int]:
        """Where a place of the sheet, in steps of its grid, is on the screen."""
        seen = "document.getElementById('sheet').getScreenCTM()"
        script = f"const p = new DOMPoint(arguments[0] * 10, arguments[1] * 10).matrixTransform({seen}); return [p.x, p.y]"
        px, py = self.browser.execute_script(script, x, y)
        return round(px), round(py)

    def drag(self, start: tuple[int, int], end: tuple[int, int]) -> None:
        chain = ActionChains(self.browser, duration=15)
        pointer = chain.w3c_actions.pointer_action
        pointer.move_to_location(*start)
        pointer.pointer_down()
        for part in (0.1, 0.5, 1):
            pointer.move_to_location(round(start[0] + part * (end[0] - start[0])), round(start[1] + part * (end[1] - start[1])))
        pointer.release()
        chain.perform()

    def drop(self, kind: str, x: float, y: float) -> None:
        """Drag a symbol from the tray to a place."""
        box = self.one(f'#tray [data-kind="{kind}"]').rect
        start = round(box["x"] + box["width"] / 2), round(box["y"] + box["height"] / 2)
        self.changes(lambda: self.drag(start, self.pixel(x, y)))

    def place(self, element: str) -> tuple[float, float]:
        found = self.one(f'#sheet a[data-element="{element}"]')
        x, y, *_ = (found.get_attribute("data-point") or found.get_attribute("data-bar")).split(",")
        return float(x) / 10, float(y) / 10

    def find(self, name: str) -> None:
        self.one("body").send_keys("/")
        self.browser.switch_to.active_element.send_keys(name, Keys.ENTER)
        self.until(lambda: self.title() == name)

    def button(self, text: str):
        return next(b for b in self.all("#card .btn, #picked .btn, #assemblies .btn") if text in b.text)

    def typed(self, line: str) -> None:
        field = self.one("#extend-text")
        field.send_keys(line)
        self.until(lambda: "Enter to place" in self.one("#extend-preview").text, self.one("#extend-preview").text)
        self.changes(lambda: field.send_keys(Keys.ENTER))
        self.until(lambda: field.get_attribute("value") == "")


def shape_of(network) -> list:
    """What a network is, apart from names: each element by its kind and by what stands around it, some steps far."""
    label = {e.id: e.kind if not isinstance(e, Bus) else f"{e.bus_kind} {e.v_nominal_kv}" for e in network.elements.values()}
    for _ in range(6):
        around = {i: [] for i in label}
        for e in network.elements.values():
            for terminal, bus in zip(e.TERMINALS, e.buses, strict=True):
                around[e.id].append(f"{terminal} {label[bus]}")
                around[bus].append(f"{terminal} {label[e.id]}")
        label = {i: str(hash((label[i], tuple(sorted(around[i]))))) for i in label}
    return sorted(label.values())


def test_the_same_substation_by_typing_and_by_dragging(hand):
    typed = hand.begin("Typed")
    for line in ("infeed 11 kV 10 kA", "breaker, tx 11/0.42 1 MVA 6%, breaker, bus", "load 0.2 MW 0.1 Mvar", "fuse 100, motor 30 kW"):
        hand.typed(line)

    drawn = hand.begin("Drawn")
    ActionChains(hand.browser).send_keys(Keys.ESCAPE).perform()
    hand.one('[data-do="tray"]').click()
    hand.drop("bus", 25, 6)
    hand.changes(lambda: hand.enter("11", "#field-v_nominal_kv"))
    hand.drop("infeed", 25, 6)
    hand.drop("breaker", 22, 6.2)
    hand.drop("transformer", 38, 14)  # on blank paper, with loose ends
    tx = hand.network(drawn).elements["T1"]
    hand.changes(lambda: hand.drag(hand.pixel(*hand.place(tx.hv_bus)), hand.pixel(*hand.place("Q1 end"))))  # end to end
    assert hand.network(drawn).elements["T1"].hv_bus == hand.network(drawn).elements["Q1"].to_bus
    hand.drop("bus", 30, 27)
    board = hand.title()
    hand.changes(lambda: hand.enter("0.4", "#field-v_nominal_kv"))
    hand.drop("breaker", 31, 26.8)  # above its bar: the main
    main = next(e for e in hand.network(drawn).elements.values() if e.name == "Q2")
    assert main.to_bus == board
    hand.select("T1")
    low = hand.one('#handles [data-terminal="1"]').rect
    start = round(low["x"] + low["width"] / 2), round(low["y"] + low["height"] / 2)
    hand.changes(lambda: hand.drag(start, hand.pixel(*hand.place(main.from_bus))))  # a terminal to a junction
    hand.drop("load", 26, 27.3)
    hand.drop("fuse", 34, 27.3)
    end = hand.place(next(e for e in hand.network(drawn).elements.values() if e.kind == "fuse").to_bus)
    hand.drop("induction_motor", *end)
    assert shape_of(hand.network(drawn)) == shape_of(hand.network(typed))


def test_dropped_into_a_wire_turned_folded_and_drawn_out(hand):
    hand.open("/projects/1/network")
    hand.one('[data-do="tray"]').click()
    x, y = hand.place("W311 near")
    hand.drop("switch", x, y + 1)  # into the wire between the breaker and the cable
    network = hand.network(1)
    switch = next(e for e in network.elements.values() if e.kind == "switch")
    assert network.elements["W311"].from_bus == switch.to_bus
    assert switch.from_bus == "W311 near"
    hand.changes(lambda: hand.one("body").send_keys("r"))
    assert hand.network(1).sheets[0].placements[switch.id].turn == 1
    hand.select("Backwash MCC")
    hand.changes(lambda: hand.button("ways as a schedule").click())
    assert not hand.all('#sheet a[data-element="Backwash"]')
    assert "4 × 75 kW" in hand.one('#sheet a[data-element="Backwash MCC"]').get_attribute("textContent")
    hand.changes(lambda: hand.button("Draw the ways out").click())
    assert hand.all('#sheet a[data-element="Backwash"]')
    hand.changes(lambda: ActionChains(hand.browser).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform())
    assert not hand.all('#sheet a[data-element="Backwash"]')


def test_words_and_boards_are_dragged_and_several_move_together(hand):
    hand.open("/projects/1/network")
    words = hand.one('#sheet a[data-element="T3"] .words text').rect
    start = round(words["x"] + 4), round(words["y"] + words["height"] / 2)
    hand.changes(lambda: hand.drag(start, (start[0] + 40, start[1] - 20)))
    moved = hand.network(1).sheets[0].placements["T3"]
    assert moved.tag_x > 1
    assert moved.tag_y < 0
    before = hand.network(1).sheets[0].placements
    # a rectangle with shift picks, an arrow moves all that is picked
    hand.one("body").send_keys(Keys.ESCAPE)
    ActionChains(hand.browser).key_down(Keys.SHIFT).perform()
    hand.drag(hand.pixel(57, 65.3), hand.pixel(86, 70))
    ActionChains(hand.browser).key_up(Keys.SHIFT).perform()
    hand.until(lambda: "2 picked" in hand.one("#picked").text)
    hand.changes(lambda: hand.one("body").send_keys(Keys.ARROW_DOWN))
    now = hand.network(1).sheets[0].placements
    assert {i for i in now if now[i] != before[i]} == {"Dosing", "Dosing aux"}
    hand.one("body").send_keys(Keys.ESCAPE)
    hand.select("Dosing MCC")
    end = hand.one('#handles [data-end="right"]').rect
    start = round(end["x"] + end["width"] / 2), round(end["y"] + end["height"] / 2)
    hand.changes(lambda: hand.drag(start, (start[0] + 50, start[1])))
    assert hand.network(1).sheets[0].placements["Dosing MCC"].width > before["Dosing MCC"].width


def test_assemblies_shipped_and_ones_own(hand):
    hand.open("/projects/1/network")
    hand.select("11 kV board B")
    hand.one('[data-do="assemblies"]').click()
    hand.until(lambda: hand.one("#assemblies").is_displayed())
    form = next(f for f in hand.all("#assemblies form") if "Unit substation" in f.text)
    name = form.find_element(By.NAME, "name")
    name.clear()
    name.send_keys("Sludge hall", Keys.ENTER)
    hand.until(lambda: "Sludge hall" in hand.one("#extend-text").get_attribute("value"))
    hand.until(lambda: "Enter to place" in hand.one("#extend-preview").text)
    hand.changes(lambda: hand.one("#extend-text").send_keys(Keys.ENTER))
    network = hand.network(1)
    (board,) = (e for e in network.elements.values() if e.name == "Sludge hall")
    assert board.v_nominal_kv == 0.4
    hand.one("#extend-text").send_keys(Keys.ESCAPE)
    # a selection becomes one's own assembly, and goes into another project
    hand.select("W411")
    hand.one("body").send_keys("d")
    hand.until(lambda: "4 picked" in hand.one("#picked").text)
    hand.browser.execute_script("window.prompt = () => 'Dosing feeder'")
    hand.button("Keep as assembly").click()
    hand.until(lambda: "is stored" in hand.one("#notice").text)
    other = hand.begin("Other")
    hand.typed("infeed 0.4 kV 20 kA")
    hand.one("#extend-text").send_keys(Keys.ESCAPE)
    hand.find("Board 1")
    hand.one('[data-do="assemblies"]').click()
    hand.until(lambda: "Dosing feeder" in hand.one("#assemblies").text)
    hand.changes(lambda: hand.one("#assemblies .own .btn.main").click())
    made = hand.network(other)
    assert {"W411", "Dosing MCC", "Dosing", "Dosing aux"} <= {e.name for e in made.elements.values()}
    assert next(e for e in made.elements.values() if e.name == "W411").from_bus == "Board 1"


def test_copied_between_projects_with_the_keys(hand):
    hand.open("/projects/1/network")
    hand.select("Q26")
    hand.one("body").send_keys("d")
    hand.until(lambda: "picked" in hand.one("#picked").text)
    ActionChains(hand.browser).key_down(Keys.CONTROL).send_keys("c").key_up(Keys.CONTROL).perform()
    hand.until(lambda: "copied" in hand.one("#notice").text)
    other = hand.begin("Copy")
    hand.one("#extend-text").send_keys(Keys.ESCAPE)
    hand.one("body").click()
    hand.changes(lambda: hand.browser.execute_script("document.dispatchEvent(new ClipboardEvent('paste', {clipboardData: new DataTransfer(), bubbles: true}))"))
    made = hand.network(other)
    assert {"Q26", "B26", "W26", "T4", "Ozone hall", "Dosing MCC"} <= {e.name for e in made.elements.values()}
    hand.changes(lambda: ActionChains(hand.browser).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform())
    assert hand.network(other).elements == {}


def test_sheets_references_and_the_two_ways_of_removing(hand):
    hand.open("/projects/1/network")
    hand.one(".sheet-tools .menu summary").click()
    hand.changes(lambda: hand.one("#new-sheet").send_keys("Ozone", Keys.ENTER))
    hand.until(lambda: "sheet=Ozone" in hand.browser.current_url)
    hand.find("T4")
    hand.changes(lambda: hand.button("Put on sheet Ozone").click())
    flag = next(a for a in hand.all("#sheet a.away") if "Whole works" in a.get_attribute("textContent"))
    flag.find_element(By.CSS_SELECTOR, "text").click()
    hand.until(lambda: "sheet=Ozone" not in hand.browser.current_url or "Whole" in hand.browser.current_url)
    hand.select("C1")
    hand.changes(lambda: hand.button("Remove from sheet").click())
    assert not hand.all('#sheet a.el[data-element="C1"]')
    assert "C1" in hand.network(1).elements
    hand.changes(lambda: hand.button("Delete from network").click())
    assert "C1" not in hand.network(1).elements


def test_two_windows_keep_in_step_and_history_goes_back_after_a_restart(hand):
    hand.open("/projects/1/network?selected=W26")
    first = hand.browser.current_window_handle
    hand.browser.switch_to.new_window("tab")
    hand.open("/projects/1/network?selected=W26")
    hand.changes(lambda: hand.enter("500"))
    hand.browser.switch_to.window(first)
    hand.until(lambda: hand.one("#field-length_m").get_attribute("value") == "500")
    hand.application_was_away = True
    hand.application.kill()
    port = int(hand.application.address.rsplit(":", 1)[1])
    hand.application.start(port)
    hand.open("/projects/1/network?selected=W26&tab=history")
    assert "W26 length 410 → 500 m" in hand.one(".rows").text
    hand.changes(lambda: next(b for b in hand.all(".rows .btn") if b.text == "Back to here").click())
    assert hand.one("#field-length_m").get_attribute("value") == "410"
    assert "undone" in hand.one(".rows").text
    hand.changes(lambda: next(b for b in hand.all(".rows .btn") if b.text == "Redo to here").click())  # of a row that has just come
    assert hand.one("#field-length_m").get_attribute("value") == "500"


def test_projects_are_named_filed_copied_and_deleted_with_undo(hand):
    hand.begin("Harbour")
    hand.typed("infeed 33 kV 10 kA")
    hand.browser.get(hand.application.address)

    def menu(project: str, work):
        """Work in the menu of a project; begun again where its card was made anew meanwhile."""

        def tried():
            card = next(p for p in hand.all(".project") if project in p.text)
            hand.browser.execute_script("arguments[0].open = true", card.find_element(By.CSS_SELECTOR, ".menu"))
            work(card)
            return True

        hand.until(tried)

    def typed(card, n: int, text: str):
        field = card.find_elements(By.NAME, "value")[n]
        field.clear()
        field.send_keys(text, Keys.ENTER)

    def pressed(card, label: str):
        next(b for b in card.find_elements(By.CSS_SELECTOR, "button") if b.text == label).click()

    menu("Harbour", lambda card: typed(card, 0, "North quay"))
    hand.until(lambda: "North quay" in hand.one(".page").text)
    menu("North quay", lambda card: typed(card, 1, "Ports"))
    hand.until(lambda: any(h.text == "Ports" for h in hand.all("h2.folder")))
    menu("North quay", lambda card: pressed(card, "Duplicate"))
    hand.until(lambda: "North quay copy" in hand.one(".page").text)
    menu("North quay copy", lambda card: pressed(card, "Delete"))
    hand.until(lambda: "North quay copy was deleted." in hand.one(".page").text)
    assert len(hand.all(".project")) == 4  # the three examples and the one that is left
    hand.one(".note-box .btn").click()
    hand.until(lambda: len(hand.all(".project")) == 5)
    with urllib.request.urlopen(f"{hand.application.address}/projects/5/export.northfell") as answer:
        whole = northfell_zip.read(answer.read())
    assert [json.loads(c.acts)[0]["act"] for c in whole.history] == ["add"]
    menu("North quay copy", lambda card: pressed(card, "Delete"))
    hand.until(lambda: "North quay copy was deleted." in hand.one(".page").text)
    hand.browser.get(f"{hand.application.address}/?deleted=true")
    next(b for b in hand.all("button") if b.text == "Delete for good").click()  # the other button of the same form would bring it back
    hand.until(lambda: "Nothing is deleted." in hand.one("main").text)
    hand.browser.get(hand.application.address)
    assert not any("North quay copy" in p.text for p in hand.all(".project"))


SLOW_ANSWER = """
    const real = window.fetch;
    window.asked = [];
    let waits = 0;
    window.fetch = async (address, options) => {
      if (String(address).includes('/others') && waits)
        return new Response(JSON.stringify({version: 999, others: []}), {headers: {'Content-Type': 'application/json'}});
      window.asked.push(`${options?.method ?? 'GET'} ${address}`);
      if (options?.method !== 'POST') return real(address, options);
      waits += 1;
      await new Promise((go) => setTimeout(go, 4000));
      waits -= 1;
      return real(address, options);
    };
"""


def test_keeping_in_step_waits_for_the_answer_to_ones_own_edit(hand):
    hand.begin("Slow")
    ActionChains(hand.browser).send_keys(Keys.ESCAPE).perform()
    hand.one('[data-do="tray"]').click()
    hand.browser.execute_script(SLOW_ANSWER)
    hand.drop("bus", 25, 6)  # while its answer is under way, the version is known to be newer
    asked = hand.browser.execute_script("return window.asked")
    begun = next(n for n, one in enumerate(asked) if one.startswith("POST") and "/place" in one)
    assert not [one for one in asked[begun:] if one.startswith("GET") and "/network" in one]
    assert hand.all("#field-v_nominal_kv")  # what was drawn is selected
