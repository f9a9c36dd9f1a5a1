"""A running application and a real browser. In CI a missing browser is a failure, elsewhere a skip with its reason."""

import json
import os
import re
import shutil
import signal
import subprocess
import sys
import time
from functools import cached_property
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.webdriver.chrome.service import Service

FLAGS = [
    "--headless=new",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
]


def pytest_collection_modifyitems(items):
    for item in items:
        if Path(__file__).parent in item.path.parents:
            item.add_marker("browser")


NURSERY = """
import json, os, signal, sys
from northfell.cli import main
import northfell.web.serve
signal.signal(signal.SIGCHLD, signal.SIG_IGN)
for line in sys.stdin:
    said, arguments = json.loads(line)
    if (child := os.fork()) == 0:
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        at = os.open(said, os.O_WRONLY | os.O_CREAT)
        for stream in (1, 2):
            os.dup2(at, stream)
        os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
        sys.stdout.reconfigure(line_buffering=True)
        os._exit(main(arguments) or 0)
    print(child, flush=True)
"""  # has imported all, and parts a process off for each application: quicker than a new one


class Nursery:
    """Where applications come from: all of them with the demo's data as they are when it is started for the first time."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.n = folder, 0
        self.process = subprocess.Popen([sys.executable, "-c", NURSERY], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        first = Application(self, folder / "demo")
        assert first.address
        first.stop()

    def parted(self, data: Path, port: int) -> tuple[int, Path]:
        """The process of an application, and where it says its address."""
        self.n += 1
        said = self.folder / f"said-{self.n}"
        self.process.stdin.write(json.dumps([str(said), ["demo", "--data", str(data), "--port", str(port), "--no-browser"]]) + "\n")
        self.process.stdin.flush()
        return int(self.process.stdout.readline()), said

    def application(self) -> "Application":
        """A new one; it is not waited for."""
        data = self.folder / f"data-{self.n + 1}"
        shutil.copytree(self.folder / "demo", data)
        return Application(self, data)


class Application:
    """The application as a process of its own, which can be killed and started again on the same data."""

    def __init__(self, nursery: Nursery, data: Path) -> None:
        self.nursery, self.data = nursery, data
        self.pid, self.said = nursery.parted(data, 0)

    @cached_property
    def address(self) -> str:
        end = time.monotonic() + 60
        while time.monotonic() < end and self._is_there():
            if found := re.search(r"(http://\S+?)(/projects/1)?\s", self.said.read_text() if self.said.exists() else ""):
                return found[1]
            time.sleep(0.02)
        raise AssertionError(f"the application did not start: {self.said.read_text() if self.said.exists() else ''}")

    def start(self, port: int = 0) -> None:
        vars(self).pop("address", None)
        self.pid, self.said = self.nursery.parted(self.data, port)
        assert self.address

    def stop(self, by: signal.Signals = signal.SIGTERM) -> None:
        os.kill(self.pid, by)
        while self._is_there():
            time.sleep(0.01)

    def kill(self) -> None:
        self.stop(signal.SIGKILL)

    def _is_there(self) -> bool:
        try:
            os.kill(self.pid, 0)
        except ProcessLookupError:
            return False
        return True


@pytest.fixture(scope="session")
def spare(tmp_path_factory):
    """Applications, of which the next one starts while the one before is used."""
    nursery = Nursery(tmp_path_factory.mktemp("applications"))
    ready = [nursery.application()]

    def take() -> Application:
        ready.append(nursery.application())
        return ready.pop(0)

    yield take
    for one in ready:
        one.kill()
    nursery.process.stdin.close()
    nursery.process.wait()


@pytest.fixture
def application(spare):
    running = spare()
    assert running.address
    yield running
    running.kill()


@pytest.fixture
def browser(tmp_path):
    chromium, driver = shutil.which("chromium"), shutil.which("chromedriver")
    if not chromium or not driver:
        told = "Chromium and ChromeDriver are needed: apt-get install chromium chromium-driver"
        (pytest.fail if os.environ.get("CI") else pytest.skip)(told)
    options = webdriver.ChromeOptions()
    options.binary_location = chromium
    for flag in [*FLAGS, f"--user-data-dir={tmp_path / 'profile'}", *(["--no-sandbox"] if os.getuid() == 0 else [])]:
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    (tmp_path / "downloads").mkdir()
    options.add_experimental_option("prefs", {"download.default_directory": str(tmp_path / "downloads"), "download.prompt_for_download": False})
    running = webdriver.Chrome(options=options, service=Service(driver))
    running.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False})
    yield running
    running.quit()
