"""Every word on the main pages stands out from what lies behind it, by day and by night (WCAG 2.2, 1.4.3, level AA)."""

import pytest
from tests.browser.test_walk import Walk

PAGES = (
    "/", "/projects/1/network", "/projects/1/flow?selected=T3", "/projects/1/flow?tab=findings&selected=W411", "/projects/1/faults?selected=11+kV+board+A",
    "/projects/1/arc-flash?selected=Filter+hall&side=line", "/projects/1/findings", "/projects/1/states", "/projects/1/table/cable", "/projects/1/catalogue",
    "/projects/1/missing?study=load_flow", "/projects/1/proposals", "/projects/1/why?stage=flow&selected=W411", "/reference/transformer",
    "/projects/2/network?selected=Compressor+board",
)  # fmt: skip
# Words in view whose contrast with what lies behind them is too low: 4.5, or 3 for large ones. What is disabled is exempt.
TOO_FAINT = """
const canvas = document.createElement("canvas").getContext("2d", {willReadFrequently: true});
const known = new Map();
const parsed = (text) => {
  if (!known.has(text)) { canvas.clearRect(0, 0, 1, 1); canvas.fillStyle = "#000"; canvas.fillStyle = text; canvas.fillRect(0, 0, 1, 1);
    const [r, g, b, a] = canvas.getImageData(0, 0, 1, 1).data; known.set(text, [r, g, b, a / 255]); }
  return known.get(text);
};
const over = (top, below) => [0, 1, 2].map((i) => top[i] * top[3] + below[i] * (1 - top[3])).concat(1);
const light = (c) => { const [r, g, b] = c.map((x) => { const s = x / 255; return s <= 0.04045 ? s / 12.92 : ((s + 0.055) / 1.055) ** 2.4; });
  return 0.2126 * r + 0.7152 * g + 0.0722 * b; };
const ratio = (a, b) => { const [x, y] = [light(a), light(b)].sort((p, q) => q - p); return (x + 0.05) / (y + 0.05); };
const opacity = (e) => { let o = 1; for (; e instanceof Element; e = e.parentElement) o *= +getComputedStyle(e).opacity; return o; };
const painted = (e) => { const s = getComputedStyle(e);
  if (e instanceof SVGElement && !(e instanceof SVGSVGElement)) {
    if (!(e instanceof SVGGeometryElement) || s.fill === "none" || s.fill.startsWith("url")) return [0, 0, 0, 0];
    const c = parsed(s.fill); return [c[0], c[1], c[2], c[3] * s.fillOpacity * opacity(e)]; }
  return parsed(s.backgroundColor); };
const behind = (e, x, y) => { const layers = [];
  for (const under of document.elementsFromPoint(x, y)) {
    if (under === e || e.contains(under) || under instanceof SVGTextContentElement) { if (under !== e) continue; if (e instanceof SVGElement) continue; }
    const c = painted(under); if (c[3] > 0) layers.push(c); if (c[3] >= 1) break; }
  return layers.reverse().reduce((below, top) => over(top, below), [255, 255, 255, 1]); };
const found = [], walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
for (let node = walker.nextNode(); node; node = walker.nextNode()) {
  const e = node.parentElement, words = node.data.trim();
  if (!words || ["SCRIPT", "STYLE", "OPTION"].includes(e.tagName) || e.closest(":disabled, [aria-disabled=true], .sr-only")) continue;
  const range = document.createRange(); range.selectNodeContents(node);
  const box = range.getClientRects()[0];
  if (!box || box.width < 2 || !e.checkVisibility({opacityProperty: true, visibilityProperty: true})) continue;
  const x = box.left + box.width / 2, y = box.top + box.height / 2;
  if (x < 0 || y < 0 || x >= innerWidth || y >= innerHeight) continue;
  const at = document.elementFromPoint(x, y);
  if (!at || (!(e instanceof SVGElement) && !e.contains(at) && !at.contains(e))) continue; // at the very edge, or covered
  const s = getComputedStyle(e), below = behind(e, x, y), ink = parsed(e instanceof SVGElement ? s.fill : s.color);
  const c = ratio(over([ink[0], ink[1], ink[2], ink[3] * opacity(e)], below), below), px = parseFloat(s.fontSize);
  const least = px >= 24 || (px >= 18.66 && +s.fontWeight >= 700) ? 3 : 4.5;
  if (c < least - 0.005) found.push(`${words.slice(0, 40)} | ${c.toFixed(2)} | ${e.tagName}.${e.getAttribute("class") || ""}`);
}
return found;
"""


@pytest.mark.parametrize("light", ["day", "night"])
def test_words_stand_out(browser, application, light):
    walk = Walk(browser, application)
    browser.get(application.address + "/")
    browser.execute_script("localStorage.setItem('light', arguments[0])", light)
    faint = {}
    for page in PAGES:
        browser.get(application.address + page)
        walk.until(lambda: walk.all("main, .page, #sheet"))
        assert (browser.execute_script("return document.documentElement.dataset.light") == "night") == (light == "night")
        if found := browser.execute_script(TOO_FAINT):
            faint[page] = found
    assert not faint, "\n".join(f"{page}: {one}" for page, found in faint.items() for one in found)


def test_a_faint_word_is_seen(browser, application):
    browser.get(application.address + "/")
    browser.execute_script(
        "const p = document.querySelector('main h1, .page h1'); p.textContent = 'too faint'; p.style = 'color: #999; background: #fff; font-size: 14px'"
    )
    assert [one.split(" | ")[:2] for one in browser.execute_script(TOO_FAINT)] == [["too faint", "2.85"]]
