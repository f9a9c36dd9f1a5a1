"""Filling a network in a real browser: a schedule pasted, typical values, the catalogue, own versions, states, documents, readers."""

import urllib.request

from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select
from tests.browser.test_walk import Walk, walk  # noqa: F401

PASTE = """
const grid = document.getElementById("grid"); grid.focus();
const data = new DataTransfer(); data.setData("text/plain", arguments[0]);
grid.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
"""
CELL = """
const row = [...document.querySelectorAll(".grid-row")].find((row) => row.querySelector(".grid-cell").innerText === arguments[0]);
return row.querySelectorAll(".grid-cell")[arguments[1]];
"""
COLUMN = 'return [...document.querySelectorAll(`.grid-cell[data-c="${arguments[0]}"]`)].map((cell) => cell.innerText.trim());'
SCHEDULE = "\n".join(
    ["Feeds\tAs\tPower [kW]\tDevice\tDevice rating [A]\tContactor\tCable\tConductor\tInsulation\tLength [m]"]
    + [f"Pump {n}\tmotor\t{'nan' if n == 5 else '7,5'}\tfuse\t{41 if n == 9 else 40}\t32\t10\tcopper\tXLPE\t{'25 kg' if n == 20 else 25}" for n in range(1, 41)]
)


class Table:
    """A grid as a person uses it."""

    def __init__(self, walk: Walk, path: str) -> None:  # noqa: F811
        self.walk = walk
        walk.browser.get(walk.application.address + path)
        walk.until(lambda: walk.all(".grid-row"))

    def paste(self, text: str) -> None:
        self.walk.browser.execute_script(PASTE, text)

    def said(self) -> str:
        return self.walk.one("#grid-said").text

    def column(self, n: int) -> list[str]:
        return self.walk.browser.execute_script(COLUMN, n)

    def cell(self, name: str, column: int):
        """Found in one step of the page, which paints its rows anew when it likes."""
        return self.walk.browser.execute_script(CELL, name, column)

    def press(self, name: str, column: int) -> None:
        self.walk.until(lambda: self.cell(name, column).click() or True, f"cell {column} of {name}")

    def keys(self, *keys: str) -> None:
        self.walk.browser.switch_to.active_element.send_keys(*keys)


def test_a_schedule_of_forty_rows_with_three_bad_cells(walk):  # noqa: F811
    table = Table(walk, "/projects/1/ways/Dosing%20MCC")
    table.paste(SCHEDULE)
    walk.until(lambda: "40 ways from a schedule" in table.said())
    assert "3 cells were refused" in table.said()
    seen = {}
    for _ in range(6):  # the rows in sight, then those below
        seen |= {cell.text: cell for cell in walk.all(".grid-cell.refused")}
        if "41" in seen and "nan" in seen:
            seen["41"].click()
            walk.until(lambda: "“41” was refused" in table.said())
            assert "“16”, “20”" in table.said()
            break
    assert walk.one("#inside").is_selected()  # so many ways are kept inside the symbol
    walk.one('[data-grid="undo"]').click()
    walk.until(lambda: "Pump 1" not in table.column(0))
    assert table.column(0)[:2] == ["Dosing", "Dosing aux"]
    walk.open("/projects/1/network?tab=history")
    assert walk.one(".rows tbody tr").text.count("undone") == 1  # one paste, one undo


def test_a_grid_is_edited_sorted_filtered_and_filled_down(walk):  # noqa: F811
    table = Table(walk, "/projects/1/table/cable")
    table.press("W26", 3)
    table.keys("0,75 km", Keys.ENTER)
    walk.until(lambda: table.cell("W26", 3).text == "750")
    table.press("W28", 3)
    table.keys("far", Keys.ENTER)
    walk.until(lambda: "1 cell was refused" in table.said())
    assert table.cell("W28", 3).text == "far"
    assert "refused" in table.cell("W28", 3).get_attribute("class")
    walk.one('[data-sort="3"]').click()
    lengths = [float(text) for text in table.column(3) if text != "far"]
    assert lengths == sorted(lengths)
    walk.one('[data-filter="3"]').send_keys(">600")
    walk.until(lambda: set(table.column(0)) == {"W25", "W26"})
    first = table.column(0)[0]
    table.press(first, 4)
    table.keys("3", Keys.ENTER)
    walk.until(lambda: table.cell(first, 4).text == "3")
    table.keys(Keys.ARROW_UP)
    table.keys(Keys.SHIFT, Keys.ARROW_DOWN)
    walk.one('[data-grid="fill"]').click()
    walk.until(lambda: table.column(4) == ["3", "3"])


def test_typical_values_are_filled_marked_and_replaced(walk):  # noqa: F811
    walk.open("/projects/1/network?selected=W25")
    walk.enter(Keys.DELETE, "#field-t_end_degc")
    walk.until(lambda: "lacking" in walk.one(".field:has(#field-t_end_degc)").get_attribute("class"))
    Select(walk.one("#lack")).select_by_value("short_circuit")
    walk.until(lambda: "lacking" in walk.classes("W25"))
    walk.until(lambda: [b for b in walk.all("#card .btn") if b.text == "Fill typical values"])[0].click()
    walk.until(lambda: walk.one("#field-t_end_degc").get_attribute("value") == "250")
    assert "limit of XLPE insulation" in walk.one(".field:has(#field-t_end_degc)").text
    Select(walk.one("#entry-origin")).select_by_visible_text("test report")
    walk.enter("240", "#field-t_end_degc")
    walk.until(lambda: "limit of XLPE" not in walk.one(".field:has(#field-t_end_degc)").text)
    assert walk.one("#field-t_end_degc + .unit i").get_attribute("title") == "test report"


def test_what_follows_from_a_value_is_shown_while_it_is_typed(walk):  # noqa: F811
    walk.open("/projects/1/network?selected=T1")
    assert walk.figure("Rated current, high side") == "175.0"
    walk.one("#field-s_rated_mva").send_keys(Keys.CONTROL, "a")
    walk.one("#field-s_rated_mva").send_keys("20 MVA")
    walk.until(lambda: walk.figure("Rated current, high side") == "349.9")
    walk.one("#field-s_rated_mva").send_keys(" and more")
    walk.until(lambda: walk.figure("Rated current, high side") == "175.0")  # what cannot be read changes nothing
    with urllib.request.urlopen(walk.application.address + "/projects/1/version") as answer:
        assert answer.read() == b"1"  # and nothing was kept


def test_a_cable_is_found_by_filters_and_an_own_version_made(walk):  # noqa: F811
    walk.open("/projects/1/network?selected=W411")
    walk.one("#from-catalogue").click()
    walk.until(lambda: walk.all("#left"))
    assert Select(walk.one("#ask-cores")).first_selected_option.get_attribute("value") == "4"  # as entered on the card
    left = int(walk.one("#left").text)
    Select(walk.one("#ask-laid")).select_by_value("on a wall (C)")
    walk.until(lambda: int(walk.one("#left").text) < left)
    assert walk.one("#left").text == "1"
    walk.one(".listed button").click()
    walk.until(lambda: walk.all("#sheet a") and walk.title() == "W411")
    assert "Follows Harter Cu 4×50 C" in walk.card()
    assert walk.one("#field-i_rated_a").get_attribute("value") == "179"
    assert "~" in walk.one("#field-x_ohm_per_km + .unit").text  # what the catalogue only assumes stays assumed
    walk.one('.entered a[href*="catalogue"]').click()
    walk.until(lambda: "A shipped entry stays as it is" in walk.one("main").text)
    walk.one("#own").send_keys("Works cable 50", Keys.ENTER)
    walk.until(lambda: walk.all("#value-i_rated_a"))
    assert "No elements follow this entry" in walk.one("main").text
    walk.one("#value-i_rated_a").clear()
    walk.one("#value-i_rated_a").send_keys("160", Keys.ENTER)
    walk.until(lambda: walk.one("#value-i_rated_a").get_attribute("value") == "160")


def test_a_state_is_made_by_copying_and_results_follow_its_tie(walk):  # noqa: F811
    walk.browser.get(walk.application.address + "/projects/1/states")
    walk.until(lambda: walk.all("#copy-name"))
    walk.one("#copy-name").send_keys("Tie closed", Keys.ENTER)
    walk.until(lambda: walk.all('[aria-label="Name of Tie closed"]'))
    walk.open("/projects/1/flow?state=Tie+closed&selected=11+kV+board+B")
    before = walk.figure("Voltage")
    walk.select("Q10")
    walk.one('[data-do-key="operate"]').click()
    walk.until(lambda: "Q10 closed" in walk.one('[aria-label="Undo"]').get_attribute("title"))
    walk.select("11 kV board B")
    assert walk.figure("Voltage") != before
    walk.state("Normal")
    walk.until(lambda: walk.figure("Voltage") == before)
    walk.browser.get(walk.application.address + "/projects/1/states")
    cell = walk.until(lambda: walk.one('[aria-label="Q10 Closed in Tie closed"]'))
    assert Select(cell).first_selected_option.text == "yes"
    Select(cell).select_by_visible_text("no")
    walk.until(lambda: not walk.all('[aria-label="Q10 Closed as in Normal in Tie closed"]'))


def test_a_document_is_attached_opened_and_read_through_a_link(walk, tmp_path):  # noqa: F811
    paper = tmp_path / "isolation.txt"
    paper.write_text("Open Q1 and Q11, prove dead.")
    walk.open("/projects/1/network?selected=T1")
    walk.one("#attach-file").send_keys(str(paper))
    link = walk.until(lambda: walk.one(".documents a"))
    walk.browser.get(link.get_attribute("href"))
    walk.until(lambda: "prove dead" in walk.one("body").text)
    walk.browser.get(walk.application.address + "/projects/1/readers")
    walk.until(lambda: walk.one("#whole-link")).click()
    address = walk.until(lambda: walk.one('.listed a[href*="/read/"]')).get_attribute("href")
    walk.browser.get(address)
    walk.until(lambda: walk.all("#sheet a"))
    walk.browser.execute_script("arguments[0].dispatchEvent(new MouseEvent('click', {bubbles: true}))", walk.one('#sheet a[data-element="T1"]'))
    walk.until(lambda: walk.one(".card h1").text == "T1")
    assert walk.one(".documents a").text == "isolation.txt"
    whole = walk.one("#sheet").get_dom_attribute("viewBox")
    walk.one('[data-do="in"]').click()
    nearer = walk.one("#sheet").get_dom_attribute("viewBox")
    assert float(nearer.split()[2]) < float(whole.split()[2])
    hand = ActionChains(walk.browser, duration=20).move_to_element_with_offset(walk.one("#sheet"), 200, 250).click_and_hold()
    hand.move_by_offset(40, 0).move_by_offset(40, 0).release().perform()
    assert walk.one("#sheet").get_dom_attribute("viewBox") != nearer
    assert walk.one(".card h1").text == "T1"  # moving the sheet chooses nothing
    assert not walk.all("[hx-post], form[method=post]")


def test_rows_pasted_by_heads_go_to_their_elements_and_a_locked_one_is_refused(walk):  # noqa: F811
    walk.open("/projects/1/network?selected=W28")
    Select(walk.one("#field-locked")).select_by_visible_text("yes")
    walk.until(lambda: "data locked" in walk.card())
    assert walk.one("#field-length_m").get_attribute("readonly")
    table = Table(walk, "/projects/1/table/cable")
    table.paste("Length [km]\tName\tColour\n1,5\tW25\tred\n0.2\tW28\tblue\n0,05\tW26\t")
    walk.until(lambda: "3 rows pasted" in table.said())
    assert "Not a column of this table: Colour." in table.said()
    assert "unlock them first" in table.said()
    assert [table.cell(name, 3).text for name in ("W25", "W26", "W28")] == ["1500", "50", "0.2"]
    assert "refused" in table.cell("W28", 3).get_attribute("class")
    walk.one('[data-grid="undo"]').click()
    walk.until(lambda: [table.cell(name, 3).text for name in ("W25", "W26", "W28")] == ["640", "410", "280"])


def test_the_second_example_shows_feet_gauges_and_what_is_planned(walk):  # noqa: F811
    walk.open("/projects/2/flow?selected=C1")
    assert walk.one("#field-length_m").get_attribute("value") == "820"
    assert "ft" in walk.one("#field-length_m + .unit").text
    assert walk.one("#field-area_mm2").get_attribute("value") == "4/0 AWG"
    assert "planned" in walk.classes("Ammonia compressor 3")
    assert "dead" in walk.classes("Ammonia compressor 3")
    before = walk.figure("Carries")
    walk.state("Third compressor")
    walk.until(lambda: "dead" not in walk.classes("Ammonia compressor 3"))
    assert walk.figure("Carries") != before
    walk.enter("250 m")
    walk.until(lambda: walk.one("#field-length_m").get_attribute("value").startswith("820.2"))


def test_undo_in_a_table_says_when_there_is_nothing_to_take_back(walk):  # noqa: F811
    table = Table(walk, "/projects/1/table/cable")
    walk.one('[data-grid="undo"]').click()
    walk.until(lambda: "There is nothing to undo." in table.said())


def test_a_table_on_the_card_is_edited_by_cell_and_row(walk):  # noqa: F811
    """Output levels: a row pasted, a cell set with a unit, one that is refused keeps its text, a row taken away; the ledger stays whole."""
    walk.open("/projects/1/network?selected=Standby+set")
    assert walk.title() == "Standby set"
    lines = len(walk.all("#ledger .rows tbody tr"))
    walk.enter("full | 1.2 MW; low | 0.3", '[id="field-output_levels.new"]')
    walk.until(lambda: len(walk.all("#field-output_levels tbody tr")) == 2)
    walk.enter("450 kW", '[id="field-output_levels.1.p_mw"]')
    walk.until(lambda: walk.one('[id="field-output_levels.1.p_mw"]').get_attribute("value") == "0.45")
    walk.enter("full", '[id="field-output_levels.1.name"]')
    walk.until(lambda: walk.one('[id="field-output_levels.1.name"]').get_attribute("aria-invalid"))
    assert walk.one('[id="field-output_levels.1.name"]').get_attribute("value") == "full"
    assert "no other row of the table has" in walk.card()
    assert len(walk.all("#ledger .rows tbody tr")) == lines  # the card's table is not taken for the ledger's
    walk.enter("half", '[id="field-output_levels.1.name"]')
    walk.until(lambda: [o.text for o in Select(walk.one("#field-output_level")).options] == ["–", "full", "half"])
    walk.one('[aria-label="Take row 1 of output levels away"]').click()
    walk.until(lambda: len(walk.all("#field-output_levels tbody tr")) == 1)
    walk.one('[aria-label="Undo"]').click()
    walk.until(lambda: len(walk.all("#field-output_levels tbody tr")) == 2)
