"""A running application and a real browser. In CI a missing browser is a failure, elsewhere a skip with its reason."""

import os
import re
import shutil
import signal
import subprocess
import sys
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


class Application:
    """The application as a process of its own, which can be killed and started again on the same data. At first it is not waited for."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self._launch(0)

    @cached_property
    def address(self) -> str:
        line = self.process.stdout.readline()
        found = re.search(r"http://\S+", line)
        assert found, line + self.process.stderr.read()
        return found[0].removesuffix("/projects/1")

    def start(self, port: int = 0) -> None:
        vars(self).pop("address", None)
        self._launch(port)
        assert self.address

    def _launch(self, port: int) -> None:
        command = [sys.executable, "-c", "from northfell.cli import main; main()", "demo", "--data", str(self.data), "--port", str(port), "--no-browser"]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


@pytest.fixture(scope="session")
def spare(tmp_path_factory):
    """Applications, of which the next one starts while the one before is used."""
    ready = [Application(tmp_path_factory.mktemp("application"))]

    def take() -> Application:
        ready.append(Application(tmp_path_factory.mktemp("application")))
        return ready.pop(0)

    yield take
    for one in ready:
        one.kill()


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
