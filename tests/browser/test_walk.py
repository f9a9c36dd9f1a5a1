"""The whole way in a real browser: from the diagram to a printed label, with real clicks and keys."""

import re
import sqlite3
from contextlib import closing

import pypdf
import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select, WebDriverWait

from northfell.formats import northfell_json


class Walk:
    """What a person does and sees."""

    def __init__(self, browser, application) -> None:
        self.browser, self.application = browser, application

    def open(self, path: str = "/projects/1/flow") -> None:
        self.browser.get(self.application.address + path)
        self.until(lambda: self.all("#sheet a"))

    def all(self, css: str):
        return self.browser.find_elements(By.CSS_SELECTOR, css)

    def one(self, css: str):
        return self.browser.find_element(By.CSS_SELECTOR, css)

    def until(self, condition, told: str = ""):
        def safe(_):
            try:
                return condition()
            except Exception:
                return None

        return WebDriverWait(self.browser, 30, poll_frequency=0.1).until(safe, told)

    def select(self, element: str, name: str = "") -> None:
        """Click the symbol on the sheet."""
        hit = self.all(f'#sheet a[data-element="{element}"] .hit') or self.all(f'#sheet a[data-element="{element}"] .band')
        ActionChains(self.browser).move_to_element(hit[0]).click().perform()
        self.until(lambda: self.title() == (name or element), f"card of {element}")

    def title(self) -> str:
        return self.one("#card h1").text

    def card(self) -> str:
        return self.one("#card").text

    def enter(self, text: str, field: str = "#field-length_m") -> None:
        """Type over what stands in a field."""
        self.one(field).send_keys(Keys.CONTROL, "a")
        self.one(field).send_keys(text, Keys.TAB)

    def figure(self, label: str) -> str:
        for row in self.all("#card .figure"):
            if row.text.startswith(label):
                return row.find_element(By.XPATH, "./span[2]").text
        raise AssertionError(f"no figure {label} in {self.card()}")

    def state(self, name: str) -> None:
        Select(self.one("#state-shown")).select_by_visible_text(name)
        self.until(
            lambda: name.replace(" ", "+") in self.browser.current_url.replace("%2C", ",") or (name == "Normal" and "state=" not in self.browser.current_url)
        )

    def classes(self, element: str) -> str:
        return self.one(f'#sheet a[data-element="{element}"]').get_attribute("class")

    def problems(self) -> list[str]:
        return [entry["message"] for entry in self.browser.get_log("browser") if entry["level"] == "SEVERE" and " 422 " not in entry["message"]]


@pytest.fixture
def walk(browser, application):
    made = Walk(browser, application)
    yield made
    assert made.problems() == []


def test_from_diagram_to_printed_label(walk, tmp_path):
    # 1, 2: the demo opens on its diagram; a symbol shows its data
    walk.open("/projects/1")
    assert "Skerrow Water" in walk.browser.title
    walk.select("W25")
    before = float(walk.figure("Losses").replace("−", "-"))
    walk.enter("1,28 km")
    walk.until(lambda: walk.one("#field-length_m").get_attribute("value") == "1280")
    assert float(walk.figure("Losses").replace("−", "-")) == pytest.approx(2 * before, rel=0.02)

    # a breaker is opened; what it fed shows as not fed at once
    walk.select("Q31")
    walk.one('[data-do-key="operate"]').click()
    walk.until(lambda: "dead" in walk.classes("Filter hall"))
    assert "dead" in walk.classes("Blowers")
    assert "dead" not in walk.classes("Ozone hall")
    walk.one('[aria-label="Undo"]').click()
    walk.until(lambda: "dead" not in walk.classes("Filter hall"))
    walk.one('[aria-label="Redo"]').click()
    walk.until(lambda: "dead" in walk.classes("Filter hall"))
    ActionChains(walk.browser).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    walk.until(lambda: "dead" not in walk.classes("Filter hall"))

    # 3: flow, with the findings counted and the ledger tied to the diagram
    walk.select("T3")
    assert float(walk.figure("Carries")) > 50
    walk.one("#findings").click()
    walk.until(lambda: "findings" in walk.browser.current_url)
    assert any("Filter hall" in row.text for row in walk.all(".rows tbody tr"))
    walk.one('.ledger nav a[href*="tab=buses"]').click()
    walk.until(lambda: walk.all('#rows-flow-buses tr[data-element="Dosing MCC"]'))
    row = walk.one('#rows-flow-buses tr[data-element="Dosing MCC"] td:nth-child(4)')
    walk.browser.execute_script("arguments[0].scrollIntoView({block: 'center'})", row)
    row.click()
    walk.until(lambda: walk.title() == "Dosing MCC")
    assert "selected" in walk.classes("Dosing MCC")

    # 4: faults, by key; contributions and the working
    walk.one("body").send_keys("g", "s")
    walk.until(lambda: "/faults" in walk.browser.current_url)
    walk.select("11 kV board A")
    ik = walk.figure("Initial symmetrical")
    assert walk.figure("Sum of contributions") == ik
    walk.all("#card .worked")[0].click()
    walk.until(lambda: walk.one("#working").is_displayed())
    told = walk.one("#working").text
    assert "c·Un / (√3·|Z1|)" in told
    result = re.findall(r"I″k = (?:c·Un|I″k \+).*?\n.*?\n= ([\d.]+) kA", told)[-1]
    assert float(result) == pytest.approx(float(ik), abs=0.0005)
    assert "KT = 0.95" in told
    ActionChains(walk.browser).send_keys(Keys.ESCAPE).perform()
    walk.until(lambda: not walk.one("#working").is_displayed())

    # 5: arc flash in two states side by side
    walk.one('.stages a[data-stage="a"]').click()
    walk.until(lambda: "/arc-flash" in walk.browser.current_url)
    heads = [h.text for h in walk.all(".rows th")]
    assert any("Normal" in h for h in heads)
    assert any("Tie closed, T2 out" in h for h in heads)
    walk.select("Filter hall")
    energy = walk.figure("Incident energy")
    walk.all('#card .worked[hx-get*="energy_cal_cm2"]')[0].click()
    walk.until(lambda: walk.one("#working").is_displayed())
    assert "two-second rule in force" in walk.one("#working").text
    assert energy in walk.one("#working").text
    walk.one('#working [data-do="close-working"]').click()
    walk.state("Tie closed, T2 out")
    walk.until(lambda: "dead" in walk.classes("T2"))
    assert "governs" in walk.card()

    # 6: the label is printed; its text is the study's
    walk.all(".sides a")[1].click()
    walk.until(lambda: "side=line" in walk.browser.current_url)
    shown = "".join(t.text for t in walk.all(".label-preview text"))
    big = re.search(r"\d+\.\d", shown)[0]
    walk.one("#print-label").click()
    walk.until(lambda: len(walk.all("#sheets svg")) == 1)  # it alone is chosen
    assert big in walk.one("#sheets").text
    walk.one("#used").clear()
    walk.one("#used").send_keys("1\t")  # from the second place on
    walk.until(lambda: walk.all("#sheets svg") and "matrix(1 0 0 1 30 160)" in walk.one("#sheets svg").get_attribute("innerHTML"))
    walk.one("#printing .btn.main").click()
    folder = tmp_path / "downloads"
    walk.until(lambda: list(folder.glob("labels-*.pdf")))
    (page,) = pypdf.PdfReader(next(folder.glob("labels-*.pdf"))).pages
    text = page.extract_text()
    assert big in text
    assert "Filter hall" in text
    assert ("DANGER" in text) == (float(big) > 40)
    heights = []
    page.extract_text(visitor_text=lambda text, cm, tm, font, size: heights.append(cm[3] * tm[5] + cm[5]) if text.strip() == "Filter hall" else None)
    assert 297 - heights[0] / 72 * 25.4 == pytest.approx(160 + 80.6, abs=1.0)  # where that place is, to the millimetre
    walk.until(lambda: "as it hangs there" in walk.one("main").text)
    Select(walk.one("#stock")).select_by_value("roll-side")
    walk.until(lambda: "stock=roll-side" in walk.browser.current_url)
    walk.browser.refresh()  # what was chosen stands there again
    walk.until(lambda: walk.one("#stock").get_attribute("value") == "roll-side")
    walk.open("/projects/1/arc-flash")

    # 8: the network goes out as one file, whole
    walk.all(".top .menu.right summary")[-1].click()
    walk.one('a[href$="/export"]').click()
    walk.until(lambda: list(folder.glob("*.northfell.json")))
    network = northfell_json.read(next(folder.glob("*.northfell.json")).read_bytes())
    assert network.elements["W25"].length_m == 1280
    assert network.state_names[:2] == ["Normal", "Tie closed, T2 out"]
    assert len(network.state_names) == 5


def test_killing_the_application_loses_nothing_acknowledged(walk):
    walk.open()
    walk.select("W25")
    for length in (701, 702, 703):
        walk.enter(str(length))
        walk.until(
            lambda length=length: (
                walk.one("#field-length_m").get_attribute("value") == str(length) and f"→ {length} m" in walk.one('[aria-label="Undo"]').get_attribute("title")
            )
        )
    walk.application.kill()
    walk.application.start()
    walk.browser.get("about:blank")
    walk.browser.get_log("browser")  # what the page asked for meanwhile was refused, as it must be
    walk.open("/projects/1/network?tab=history&selected=W25")
    assert walk.one("#field-length_m").get_attribute("value") == "703"
    for length in (702, 701, 640):
        walk.one('[aria-label="Undo"]').click()
        walk.until(lambda length=length: walk.one("#field-length_m").get_attribute("value") == str(length))


def test_a_form_beside_the_stages_keeps_what_was_typed_when_it_fails(walk):
    walk.browser.get(walk.application.address + "/projects/1/states")
    port = int(walk.application.address.rsplit(":", 1)[1])
    copy = lambda: walk.one("#copy-name").send_keys(Keys.ENTER)  # noqa: E731
    walk.one("#copy-name").send_keys("Winter")
    walk.application.kill()
    copy()
    walk.until(lambda: walk.all("#notice") and "did not answer" in walk.one("#notice").text)
    assert walk.one("#copy-name").get_attribute("value") == "Winter"
    walk.application.start(port)
    with closing(sqlite3.connect(walk.application.data / "northfell.sqlite3")) as other:
        other.execute("BEGIN EXCLUSIVE")
        copy()
        walk.until(lambda: "Another program holds the database" in walk.one("#notice").text)
        assert walk.one("#copy-name").get_attribute("value") == "Winter"
        other.execute("ROLLBACK")
    copy()
    walk.until(lambda: "Winter" in [e.get_attribute("value") for e in walk.all(".matrix thead input")])
    walk.one("#copy-name").send_keys("Winter", Keys.ENTER)
    walk.until(lambda: walk.all('[role="alert"]'))
    assert "“Winter”" in walk.one('[role="alert"]').text
    walk.browser.get_log("browser")


def test_what_is_refused_stays_in_its_field(walk):
    walk.open("/projects/1/flow?selected=W25")
    walk.enter("45 A")
    walk.until(lambda: "length is “45 A”" in walk.card())
    assert walk.one("#field-length_m").get_attribute("value") == "45 A"
    assert walk.one('[aria-label="Undo"]').get_attribute("disabled")
    # two windows: an edit on what the other has changed is refused with both values
    first = walk.browser.current_window_handle
    walk.browser.switch_to.new_window("tab")
    walk.open("/projects/1/flow?selected=W25")
    walk.enter("555")
    walk.until(lambda: "555" in walk.one('[aria-label="Undo"]').get_attribute("title"))
    walk.browser.switch_to.window(first)
    walk.enter("650")
    walk.until(lambda: "was changed meanwhile" in walk.card())
    assert "length 640 → 555 m" in walk.card(), walk.card()
    assert walk.one("#field-length_m").get_attribute("value") == "650"
    walk.browser.get_log("browser")  # the refusals above are told by their status


def test_pan_zoom_and_what_stays(walk):
    walk.open()
    box = lambda: [float(v) for v in walk.one("#sheet").get_dom_attribute("viewBox").split()]  # noqa: E731
    whole = box()
    walk.one('[data-do="in"]').click()
    near = box()
    assert near[2] < whole[2]
    ActionChains(walk.browser, duration=20).move_to_element(walk.one("#sheet")).move_by_offset(150, 150).click_and_hold().move_by_offset(
        -60, -30
    ).move_by_offset(-60, -30).release().perform()
    panned = box()
    assert panned[0] > near[0]
    assert panned[2] == pytest.approx(near[2])
    walk.one('.stages a[data-stage="s"]').click()
    walk.until(lambda: "/faults" in walk.browser.current_url)
    assert box() == panned  # the place looked at stays when the stage changes
    walk.one('[data-do="fit"]').click()
    assert box()[2] > panned[2]


def test_a_symbol_is_dragged_on_the_grid_unless_the_drawing_is_locked(walk):
    walk.open("/projects/1/network")
    place = lambda: [float(v) for v in walk.one('#sheet a[data-element="C1"] .hit').get_dom_attribute("x").split()]  # noqa: E731

    def drag() -> None:
        hit = walk.one('#sheet a[data-element="C1"] .hit')
        ActionChains(walk.browser, duration=20).move_to_element(hit).click_and_hold().move_by_offset(20, 5).move_by_offset(20, 10).release().perform()

    before = place()
    drag()
    walk.until(lambda: "Moved C1" in walk.one('[aria-label="Undo"]').get_attribute("title"))
    assert place()[0] > before[0]
    assert (place()[0] - before[0]) % 5 == 0  # half steps of ten units
    walk.one('[aria-label="Undo"]').click()
    walk.until(lambda: place() == before)
    walk.one('[data-do="lock"]').click()
    drag()
    assert walk.one('[aria-label="Undo"]').get_attribute("title") == "Undo"


def test_ledger_sorts_by_full_values_and_filters(walk):
    walk.open("/projects/1/flow?tab=branches")
    loading = lambda: [c.get_attribute("data-sort") for c in walk.all(".rows tbody tr:not([hidden]) td:nth-child(5)")]  # noqa: E731
    walk.all(".rows th")[4].click()
    values = [float(v.replace("inf", "1e9")) if v != "-inf" else -1e9 for v in loading()]
    assert values == sorted(values, reverse=True)
    walk.one("[data-filter]").send_keys("fuse")
    assert len(loading()) == 1
    walk.one('.stages a[data-stage="s"]').click()
    walk.until(lambda: "/faults" in walk.browser.current_url)
    assert walk.one("[data-filter]").get_attribute("value") == ""


def test_keyboard_alone_reaches_find_and_a_symbol(walk):
    walk.open()
    walk.one("body").send_keys("/")
    find = walk.browser.switch_to.active_element
    find.send_keys("T4", Keys.ENTER)
    walk.until(lambda: walk.title() == "T4")
    symbol = walk.one('#sheet a[data-element="T3"]')
    walk.browser.execute_script("arguments[0].focus()", symbol)
    symbol.send_keys(Keys.ENTER)
    walk.until(lambda: walk.title() == "T3")
    walk.one("body").send_keys(Keys.ESCAPE)
    walk.until(lambda: walk.title() == "Skerrow Water")
    walk.select("T3")
    ActionChains(walk.browser).move_to_element_with_offset(walk.one("#sheet"), -400, 200).click().perform()
    walk.until(lambda: walk.title() == "Skerrow Water")
    # a state is made by copying; what is operated in it stays in it
    walk.one("#new-state").send_keys("Night", Keys.ENTER)
    walk.until(lambda: "state=Night" in walk.browser.current_url)
    walk.select("Q41")
    walk.one('[data-do-key="operate"]').click()
    walk.until(lambda: "dead" in walk.classes("Ozone hall"))
    walk.state("Normal")
    walk.until(lambda: "dead" not in walk.classes("Ozone hall"))


def test_hostile_file_is_imported_as_text_and_a_bad_one_is_told(walk, tmp_path):
    walk.open("/projects/1/network")
    bad = tmp_path / "bad.northfell.json"
    bad.write_text(
        '{"format": "northfell-network", "format_version": 1, "elements": [{"kind": "bus", "name": "<img src=x onerror=alert(1)>", "v_nominal_kv": -1}]}'
    )
    walk.browser.get(walk.application.address)
    walk.one("#file").send_keys(str(bad))
    walk.one("form[enctype] button").click()
    walk.until(lambda: walk.all('[role="alert"]'))
    assert "nominal voltage is -1, accepted is a number, above 0 kV" in walk.one('[role="alert"]').text
    good = tmp_path / "good.northfell.json"
    good.write_text(bad.read_text().replace("-1", "11"))
    walk.one("#file").send_keys(str(good))
    walk.one("form[enctype] button").click()
    walk.until(lambda: "/projects/4/network" in walk.browser.current_url)
    assert "<img src=x onerror=alert(1)>" in walk.one(".rows").text
    assert walk.all("img") == []
    walk.browser.get_log("browser")


def test_a_network_from_nothing_by_extend_alone(walk):
    walk.browser.get(walk.application.address)
    walk.one("#name").send_keys("Harbour works")
    walk.all("form.import button")[0].click()
    walk.until(lambda: "/projects/4/network" in walk.browser.current_url)
    assert walk.one("#extend-text").is_displayed()  # an empty sheet says how to begin
    lines = ["infeed 33 kV 10 kA", "breaker, tx 33/11 10 MVA 10% Dyn11, breaker, bus “Main board”", "breaker, motor 900 kW"]
    for line, done in zip(lines, ["G1", "Main board", "M1"], strict=True):
        walk.one("#extend-text").send_keys(line)
        walk.until(lambda: walk.all("#ghost g"), "ghost")
        assert "Enter to place" in walk.one("#extend-preview").text
        walk.one("#extend-text").send_keys(Keys.ENTER)
        walk.until(lambda done=done: any(a.text.startswith(done) or done in a.text for a in walk.all("#sheet > a")), done)
        walk.until(lambda: walk.one("#extend-text").get_attribute("value") == "")
    assert walk.one("#extend [data-from]").text.startswith("from")
    walk.one("#extend-text").send_keys("breaker 10 MVA")
    walk.until(lambda: "Not understood behind breaker: 10MVA" in walk.one("#extend-preview").text)
    walk.one("#extend-text").send_keys(Keys.ESCAPE)
    assert not walk.one("#extend-text").is_displayed()
    walk.one("body").send_keys("g", "f")
    walk.until(lambda: "/flow" in walk.browser.current_url)
    walk.select("T1")
    assert float(walk.figure("Carries")) > 5
    walk.one('[aria-label="Undo"]').click()
    walk.until(lambda: not any("M1" in a.text for a in walk.all("#sheet > a")))
    walk.select("Q2 end", "Main board")
    walk.one("body").send_keys("g", "n")
    walk.until(lambda: "/network" in walk.browser.current_url)
    walk.one("body").send_keys(Keys.DELETE)
    walk.until(lambda: "was" not in walk.one("#notice").text and "Still there: Q2" in walk.one("#notice").text)  # what hangs on it is named
