"""Take the pictures of README from the running application: python tools/screenshots.py http://127.0.0.1:8400

Needs Chromium and ChromeDriver; writes docs/screenshots.
"""

import sys
import tempfile
import time
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select, WebDriverWait

TARGET = Path(__file__).parent.parent / "docs/screenshots"
TIE = "state=Tie+closed%2C+T2+out"
VIEWS = {
    "flow": f"/projects/1/flow?selected=T3&{TIE}",
    "network": "/projects/1/network",
    "faults": "/projects/1/faults?selected=11+kV+board+A&fault=ll&tab=during",
    "phases": "/projects/3/phases?sheet=Spurs+A+to+E&selected=TD4&tab=branches",
    "pictures": "/projects/3/pictures?state=Sunny+noon&selected=VR2",
    "arc-flash": "/projects/1/arc-flash?selected=Filter+hall&side=line",
    "projects": "/",
    "states": "/projects/2/states",
    "table": "/projects/2/table/cable",
    "catalogue": "/projects/1/catalogue?for=W411",
    "why": "/projects/1/why?stage=flow&selected=W411&state=Tie+closed%2C+T2+out",
    "coordination": "/projects/1/coordination?selected=Q31&fault=lg",
    "sizing": "/projects/1/sizing?selected=W411",
}
SCHEDULE = "\n".join(
    ["Feeds\tAs\tPower [kW]\tDevice\tDevice rating\tContactor\tCable\tConductor\tInsulation\tLength"]
    + [f"Sludge pump {n}\tmotor\t{'11 kg' if n == 4 else 11}\tfuse\t{41 if n == 7 else 40}\t32\t10\tcopper\tXLPE\t{20 + 3 * n}" for n in range(1, 13)]
)
PASTE = """
const grid = document.getElementById("grid"), data = new DataTransfer();
grid.focus(); data.setData("text/plain", arguments[0]);
grid.dispatchEvent(new ClipboardEvent("paste", {clipboardData: data, bubbles: true, cancelable: true}));
"""


def browser() -> webdriver.Chrome:
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in ("--headless=new", "--disable-gpu", "--no-sandbox", "--no-first-run", f"--user-data-dir={tempfile.mkdtemp()}"):
        options.add_argument(flag)
    made = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    made.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False})
    return made


def main(address: str) -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    page = browser()
    for name, path in VIEWS.items():
        page.get(address + path)
        time.sleep(1)
        if name == "projects":  # which counts findings and draws its small pictures one after the other
            WebDriverWait(page, 120).until(lambda _: "being counted" not in page.page_source)
            page.get(address + path)
            time.sleep(6)
        page.save_screenshot(str(TARGET / f"{name}.png"))
    page.get(f"{address}/projects/1/ways/Dosing%20MCC")
    time.sleep(1)
    page.execute_script(PASTE, SCHEDULE)
    time.sleep(2)
    page.save_screenshot(str(TARGET / "schedule.png"))
    page.find_element(By.CSS_SELECTOR, '[data-grid="undo"]').click()
    time.sleep(1)
    page.get(address + VIEWS["arc-flash"])
    time.sleep(0.5)
    page.find_element(By.CSS_SELECTOR, '.worked[hx-get*="energy_cal_cm2"]').click()
    WebDriverWait(page, 20).until(lambda _: page.find_elements(By.CSS_SELECTOR, "#working .step"))
    time.sleep(0.5)
    page.save_screenshot(str(TARGET / "working.png"))
    page.get(f"{address}/projects/1/network?selected=Ozone+hall")
    time.sleep(0.5)
    page.find_element(By.CSS_SELECTOR, '[data-do="extend"]').click()
    page.find_element(By.ID, "extend-text").send_keys("breaker 400 A, cable 120 cu xlpe 45 m, mcc “Sludge MCC”")
    time.sleep(1)
    page.save_screenshot(str(TARGET / "extend.png"))
    page.get(f"{address}/projects/1/labels")
    WebDriverWait(page, 20).until(lambda _: page.find_elements(By.CSS_SELECTOR, "#sheets svg"))
    Select(page.find_element(By.ID, "stock")).select_by_value("a4-8")
    time.sleep(2)
    page.save_screenshot(str(TARGET / "labels.png"))
    page.get(address + VIEWS["why"])
    time.sleep(1.5)
    page.find_elements(By.CSS_SELECTOR, ".remedies form button")[0].click()
    time.sleep(2.5)
    page.save_screenshot(str(TARGET / "proposal.png"))
    page.execute_script("localStorage.setItem('light', 'night')")
    page.get(f"{address}/projects/1/findings")
    time.sleep(1)
    page.save_screenshot(str(TARGET / "findings.png"))
    page.quit()


if __name__ == "__main__":
    main(sys.argv[1])
