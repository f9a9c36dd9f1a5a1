"""What the application stands: many writers at once, kills between and during edits, files with their structure changed at random.

`python -m benchmarks.attack [writers kills files]` prints what docs/security.md holds. It needs the tests beside it, which know how to change files.
"""

import random
import re
import resource
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from urllib.parse import quote

import httpx

from northfell.app.project import installation
from northfell.core.errors import NorthfellError
from northfell.core.model.network import Network
from northfell.demo import skerrow_water
from northfell.store import projects

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.formats.mutating import KINDS_OF_FILE, mutated, reading

EDITS = 40
VERSION = re.compile(r'data-version="([0-9]{1,9})"')
PART = {"hx-request": "true"}


class Running:
    """The application as a process on a folder."""

    def __init__(self, folder: Path) -> None:
        command = [sys.executable, "-c", "from northfell.cli import main; main()", "demo", "--data", str(folder), "--port", "0", "--no-browser"]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        line = self.process.stdout.readline() if self.process.stdout else ""
        self.address = line.split(" at ")[1].split("/projects/")[0]

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


def edit(client: httpx.Client, element: str, field: str, value: str, version: int) -> httpx.Response:
    path = f"/projects/1/elements/{quote(element)}/set/{field}?stage=network"
    return client.post(path, data={"value": value, "version": version}, headers=PART)


def kept_in(folder: Path) -> Network:
    db = installation.opened(folder)
    network = projects.network_of(db, 1)
    db.close()
    return network


def writers(count: int) -> None:
    """Each writer edits the note of an element of its own, on the version that the last answer showed it."""
    elements = list(skerrow_water().elements)
    with tempfile.TemporaryDirectory() as place:
        app = Running(Path(place))
        took: list[float] = []
        told: Counter[int] = Counter()
        last: dict[str, str] = {}
        lock = threading.Lock()

        def work(n: int) -> None:
            with httpx.Client(base_url=app.address, timeout=120) as client:
                version = int(client.get("/projects/1/version").text)
                for k in range(EDITS):
                    value = f"writer {n} edit {k}"
                    start = time.perf_counter()
                    answer = edit(client, elements[n], "note", value, version)
                    with lock:
                        took.append(time.perf_counter() - start)
                        told[answer.status_code] += 1
                        if answer.status_code == 200:
                            last[elements[n]] = value
                    shown = VERSION.search(answer.text)  # as a window does: what the answer shows has been seen
                    if shown is None:
                        print(f"odd answer: {answer.status_code} {answer.text[:200]}")
                        version = int(client.get("/projects/1/version").text)
                    else:
                        version = int(shown[1])

        with ThreadPoolExecutor(count) as pool:
            list(pool.map(work, range(count)))
        app.kill()
        network = kept_in(Path(place))
    lost = sum(network.elements[element].note != value for element, value in last.items())
    p95 = statistics.quantiles(took, n=20)[18]
    refused, other = told[409], sum(told.values()) - told[200] - told[409]
    print(f"{count} writers × {EDITS} edits: accepted {told[200]}, refused {refused}, other {other}, lost {lost},", end=" ")
    print(f"median {1000 * statistics.median(took):.0f} ms, 95 % {1000 * p95:.0f} ms")


def kills(count: int) -> None:
    """Kill the application at random moments while edits come in; what was acknowledged must be there."""
    choose = random.Random(1)
    lost = edits = 0
    with tempfile.TemporaryDirectory() as place:
        acknowledged: float | None = None
        sent: set[float] = set()
        for n in range(count):
            app = Running(Path(place))
            threading.Timer(choose.uniform(0.2, 2.0), app.kill).start()
            with httpx.Client(base_url=app.address, timeout=20) as client:
                try:
                    version = int(client.get("/projects/1/version").text)
                    for k in range(1000):
                        value = round(100.0 + n + k / 1000, 3)
                        sent.add(value)
                        answer = edit(client, "W25", "length_m", f"{value:.6g}", version)
                        if answer.status_code == 200:
                            acknowledged, edits = value, edits + 1
                            version = int(VERSION.search(answer.text)[1])  # type: ignore[index]
                            sent.clear()
                except httpx.HTTPError:
                    pass
            app.process.wait()
            kept = kept_in(Path(place)).elements["W25"].length_m
            if acknowledged is not None and kept != acknowledged and kept not in sent:  # one that was under way may have been kept unheard
                lost += 1
            acknowledged = kept if acknowledged is not None else None
            sent.clear()
    print(f"{count} kills: {edits} acknowledged edits, lost {lost}, database whole every time")


def files(count: int) -> None:
    """Changed files of all kinds: crashes, the longest, and the most memory that this process ever took."""
    choose = random.Random(2)
    crashes, longest, worst, read = 0, 0.0, "", Counter[str]()
    for n in range(count):
        kind = KINDS_OF_FILE[n % len(KINDS_OF_FILE)]
        data = mutated(kind, choose)
        start = time.perf_counter()
        try:
            reading(kind, data)
            read["read"] += 1
        except NorthfellError:
            read["refused"] += 1
        except Exception as error:  # what an attack looks for
            crashes += 1
            print(f"crash: {kind} {type(error).__name__} {str(error)[:100]}")
        took = time.perf_counter() - start
        if took > longest:
            longest, worst = took, kind
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"{count} changed files: read {read['read']}, refused {read['refused']}, crashes {crashes},", end=" ")
    print(f"longest {longest:.2f} s ({worst}), most memory {most:.0f} MB")


def main(numbers: list[int]) -> None:
    how_many = dict(zip(("writers", "kills", "files"), numbers, strict=False))
    writers(how_many.get("writers", 20))
    kills(how_many.get("kills", 60))
    files(how_many.get("files", 10_000))


if __name__ == "__main__":
    main([int(n) for n in sys.argv[1:]])
