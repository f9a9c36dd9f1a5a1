"""What a person waits for, measured in a real browser: a sheet of 2,000 symbols opens and pans, an edit at 200 buses is shown.

Run with `python benchmarks/browser.py`; it needs Chromium and ChromeDriver. The frame time is that of the machine's own renderer.
"""

import shutil
import statistics
import tempfile
import threading
import time
from pathlib import Path

import uvicorn
from selenium import webdriver
from selenium.webdriver.chrome.service import Service

from benchmarks.run import feeder_network
from benchmarks.sheet import with_states
from benchmarks.synthetic import synthetic
from benchmarks.tables import CABLES, cable_network
from northfell.app.project.projects import create_project
from northfell.store import connect
from northfell.web.application import create_application
from northfell.web.serve import settle_memory

PORT = 8499
PAN = """
const done = arguments[0], svg = document.getElementById('sheet'), box = svg.getBoundingClientRect(), frames = [];
const at = (n) => ({clientX: box.x + 300 + 4 * n, clientY: box.y + 200, bubbles: true, button: 0});
let n = 0, last = performance.now();
svg.dispatchEvent(new PointerEvent('pointerdown', at(0)));
function step(now) {
  frames.push(now - last); last = now;
  svg.dispatchEvent(new PointerEvent('pointermove', at(++n)));
  if (n < 40) requestAnimationFrame(step); else { svg.dispatchEvent(new PointerEvent('pointerup', at(n))); done(frames.slice(3)); }
}
requestAnimationFrame(step);
"""
EDIT = """
const [value, done] = arguments, field = document.getElementById('field-p_mw'), before = document.getElementById('desk').dataset.version;
const start = performance.now();
document.addEventListener('htmx:after:swap', function seen() {
  if (document.getElementById('desk').dataset.version === before) return;
  document.removeEventListener('htmx:after:swap', seen);
  requestAnimationFrame(() => setTimeout(() => done(performance.now() - start)));
});
field.value = value;
field.dispatchEvent(new Event('change', {bubbles: true}));
"""


EMPTY = """
const done = arguments[0], start = performance.now(), project = document.getElementById('desk').dataset.project;
fetch(`/projects/${project}/version`).then((answer) => answer.text())
  .then(() => requestAnimationFrame(() => setTimeout(() => done(performance.now() - start))));
"""
ANSWERS = """return performance.getEntriesByType('resource').filter((e) => e.name.includes('/set/')).slice(-16)
  .map((e) => [e.responseStart - e.requestStart, e.encodedBodySize])"""
STAGES = ("network", "flow", "faults", "arc-flash")
EDITS = 20


def edit_times(browser: webdriver.Chrome, name: str, project: int, load: str, stages: tuple[str, ...], looked_at_s: float = 0.5) -> None:
    """From an edit to fresh figures, beside an empty answer of the same page."""
    for stage in stages:
        browser.get(f"http://127.0.0.1:{PORT}/projects/{project}/{stage}?selected={load}")
        time.sleep(2)
        empty = statistics.median(browser.execute_async_script(EMPTY) for _ in range(EDITS))
        times = []
        for k in range(EDITS):
            times.append(browser.execute_async_script(EDIT, f"{0.06 + 0.001 * k + 0.02 * len(stage) + looked_at_s / 1000:.4f}"))
            time.sleep(looked_at_s)  # a person looks; the other states are gathered meanwhile
        some, answers = sorted(times[4:]), browser.execute_script(ANSWERS)
        middle, late, server = statistics.median(some), some[int(0.95 * (len(some) - 1))], statistics.median(a for a, _ in answers)
        kb = statistics.median(b for _, b in answers) / 1000
        print(f"{name:22s}  {stage:9s}  {empty:8.0f}  {middle:9.0f}  {late:7.0f}  {server:9.0f}  {kb:7.1f}  {middle / empty:7.1f}", flush=True)


def main() -> None:
    folder = tempfile.mkdtemp()
    database = Path(folder) / "bench.sqlite3"
    server = uvicorn.Server(uvicorn.Config(create_application(database), port=PORT, log_level="error"))
    large, small = (create_project(connect(database), n) for n in (with_states(feeder_network(700), 1), with_states(feeder_network(200), 5)))
    wide = create_project(connect(database), with_states(synthetic(2000), 1))
    load = next(e.id for e in synthetic(2000).elements.values() if e.kind == "load")
    settle_memory()
    cables = create_project(connect(database), cable_network())
    threading.Thread(target=server.run, daemon=True).start()
    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or ""
    for flag in ("--headless=new", "--disable-gpu", "--no-sandbox", f"--user-data-dir={folder}/profile"):
        options.add_argument(flag)
    browser = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False})
    browser.set_script_timeout(120)
    browser.get(f"http://127.0.0.1:{PORT}/projects/{large}/network")
    opened = browser.execute_script("const t = performance.getEntriesByType('navigation')[0]; return t.loadEventEnd - t.startTime")
    symbols = browser.execute_script("return document.querySelectorAll('#sheet a.el').length")
    frames = browser.execute_async_script(PAN)
    print(f"{symbols} symbols: opened in {opened:.0f} ms, frame while panning {statistics.median(frames):.0f} ms (median)")
    print("network                 stage      empty ms  median ms  95 % ms  server ms  sent kB  /empty")
    edit_times(browser, "200 buses, 5 states", small, "E5", STAGES)
    edit_times(browser, "while states gather", small, "E5", STAGES[:3], 0.15)  # the next edit comes while those of the last are gathered
    edit_times(browser, "2,000 buses, 1 state", wide, load, STAGES[:2])
    table_times(browser, cables)
    browser.quit()


OPEN_TABLE = """
const done = arguments[0];
(function look() { document.querySelector('.grid-row') ? requestAnimationFrame(() => done(performance.now())) : setTimeout(look, 5); })();
"""
SORT = """
const [n, done] = arguments, start = performance.now();
document.querySelector(`[data-sort="${n}"]`).click();
requestAnimationFrame(() => setTimeout(() => done(performance.now() - start)));
"""
SCROLL = """
const done = arguments[0], grid = document.getElementById('grid'), frames = [];
let n = 0, last = performance.now();
requestAnimationFrame(function step(now) {
  frames.push(now - last); last = now; grid.scrollTop = 900 * ++n;
  n < 40 ? requestAnimationFrame(step) : done(frames.slice(3));
});
"""
PASTE = """
const [text, done] = arguments, grid = document.getElementById('grid'), said = document.getElementById('grid-said'), start = performance.now();
grid.focus();
const data = new DataTransfer();
data.setData('text/plain', text);
const told = () => requestAnimationFrame(() => setTimeout(() => done(performance.now() - start)));
new MutationObserver((_, seen) => { seen.disconnect(); told(); }).observe(said, {childList: true});
grid.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}));
"""


def table_times(browser: webdriver.Chrome, project: int) -> None:
    """A table of 5,000 cables: opened, sorted, scrolled, two columns pasted over all rows by name."""
    browser.get(f"http://127.0.0.1:{PORT}/projects/{project}/table/cable")
    opened = browser.execute_async_script(OPEN_TABLE)
    sort = statistics.median(browser.execute_async_script(SORT, n) for n in (3, 3, 0, 5, 3))
    frame = statistics.median(browser.execute_async_script(SCROLL))
    text = "\n".join(["Name\tLength\tParallel per phase", *(f"W{k}\t{40 + k % 90}\t2" for k in range(CABLES))])
    paste = browser.execute_async_script(PASTE, text)
    print(f"{CABLES} cables: table opened in {opened:.0f} ms, sorted in {sort:.0f} ms, frame while scrolling {frame:.0f} ms, pasted in {paste:.0f} ms")


if __name__ == "__main__":
    main()
