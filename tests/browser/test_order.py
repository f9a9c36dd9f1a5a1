"""What is asked for while another answer is still on its way: nothing is lost, nothing chosen is taken back."""

from selenium.webdriver.support.ui import Select
from tests.browser.test_walk import walk  # noqa: F401

# the first request whose method and address fit is answered late; `late` says whether it still is
SLOW = """
window.real ??= window.fetch;
window.late = 0;
window.asked = [];
window.fetch = async (address, asked = {}) => {
  if (!String(address).includes("/others")) window.asked.push(`${asked.method} ${address}`);
  if (window.late === 0 && asked.method === arguments_[0] && String(address).includes(arguments_[1])) {
    window.late = 1;
    const answer = await window.real(address, asked);
    await new Promise((resolve, refuse) => { setTimeout(resolve, 1200); asked.signal.addEventListener('abort', () => refuse(asked.signal.reason)); });
    window.late = 2;
    return answer;
  }
  return window.real(address, asked);
};
"""


def slow(walk, method: str, address: str) -> None:  # noqa: F811
    walk.browser.execute_script(f"const arguments_ = [...arguments];{SLOW}", method, address)


def late(walk) -> int:  # noqa: F811
    return walk.browser.execute_script("return window.late")


def posts(walk) -> int:  # noqa: F811
    return sum(one.startswith("POST") for one in walk.browser.execute_script("return window.asked"))


def click(walk, element: str) -> None:  # noqa: F811
    walk.browser.execute_script(
        "arguments[0].dispatchEvent(new MouseEvent('click', {bubbles: true, cancelable: true}))", walk.one(f'#sheet a[data-element="{element}"]')
    )


def test_another_symbol_chosen_while_an_edit_is_saved_stays_chosen(walk):  # noqa: F811
    walk.open()
    walk.select("W25")
    slow(walk, "POST", "/elements/")
    walk.enter("1,28 km")
    walk.until(lambda: late(walk) == 1)
    click(walk, "T3")
    walk.until(lambda: walk.title() == "T3")
    assert late(walk) == 2
    walk.select("W25")
    assert walk.one("#field-length_m").get_attribute("value") == "1280"
    assert posts(walk) == 1


def test_the_last_of_many_symbols_is_shown_and_two_edits_are_both_kept(walk):  # noqa: F811
    walk.open()
    slow(walk, "GET", "selected=")
    for element in ("T4", "W25", "Q41", "Ozone hall", "T3"):
        click(walk, element)
    walk.until(lambda: walk.title() == "T3")
    assert late(walk) == 1  # the first was given up, not waited for
    walk.select("Q41")
    slow(walk, "POST", "operate")
    for _ in range(3):  # open, close, open: each upon the one before
        walk.one('[data-do-key="operate"]').click()
    walk.until(lambda: posts(walk) == 3)
    walk.until(lambda: "dead" in walk.classes("Ozone hall") and late(walk) == 2)
    assert not walk.all('[role="alert"] p')


def test_a_look_that_the_page_takes_by_itself_gives_way(walk):  # noqa: F811
    walk.open()
    other = Select(walk.one("#state-shown")).options[1].text
    walk.state(other)
    slow(walk, "GET", "/flow?state=" + other.split()[0])
    walk.browser.execute_script("document.getElementById('desk').dataset.waiting = 'yes'; document.dispatchEvent(new Event('states-known'))")
    walk.until(lambda: late(walk) == 1)
    Select(walk.one("#state-shown")).select_by_visible_text("Normal")
    walk.until(lambda: "state=" not in walk.browser.current_url)
    walk.browser.execute_async_script("setTimeout(arguments[0], 1500)")  # until the late answer would have come
    assert "state=" not in walk.browser.current_url
    assert Select(walk.one("#state-shown")).first_selected_option.text == "Normal"


def test_a_dialog_opens_with_its_own_answer_whatever_comes_before(walk):  # noqa: F811
    """What is being counted meanwhile is put in place first; the dialog that was asked for is still wanted."""
    walk.open("/projects/1/faults?selected=11+kV+board+A")
    slow(walk, "GET", "/working")
    walk.one("#card .worked").click()
    walk.until(lambda: late(walk) == 1)
    walk.browser.execute_script("document.dispatchEvent(new CustomEvent('htmx:after:swap', {detail: {ctx: {target: document.getElementById('card')}}}))")
    walk.until(lambda: walk.one("#working").get_attribute("open") is not None)
    assert late(walk) == 2
