"""What a large sheet costs, measured: laying out, drawing it anew and drawing it after an edit, and what an edit sends.

Run with `./nf bench`. The last columns are ratios within the run: after an edit over anew, bytes sent over bytes of the whole answer.
"""

import re
import statistics
import tempfile
import time
from pathlib import Path

from fastapi.testclient import TestClient

from benchmarks.run import feeder_network, milliseconds
from northfell.app.project.projects import create_project
from northfell.core.model.network import Sheet
from northfell.core.network import energised, topology_of
from northfell.drawing.layout import laid_out
from northfell.drawing.sheet import draw
from northfell.drawing.standing import SheetMemory
from northfell.store import connect
from northfell.web.application import create_application

EDITS = 15


def drawing_times(n: int) -> None:
    """A sheet of about three symbols for each bus."""
    network = feeder_network(n)
    start = time.perf_counter()
    sheet = Sheet(name="s", placements=laid_out(network.elements))
    layout = 1000 * (time.perf_counter() - start)
    fed = energised(network.elements, topology_of(network.elements))
    memory = SheetMemory()
    anew = milliseconds(lambda: [g.svg for g in draw(network.elements, sheet, fed, {}).groups])
    draw(network.elements, sheet, fed, {}, memory=memory)
    again = milliseconds(lambda: [g.svg for g in draw(network.elements, sheet, fed, {}, memory=memory).groups])
    moved = sheet.model_copy(update={"placements": {**sheet.placements, "E5": sheet.placements["E5"].model_copy(update={"x": 0.5})}})
    turns = [moved, sheet]

    def move() -> None:
        turns.reverse()
        draw(network.elements, turns[0], fed, {}, memory=memory)

    after_move = milliseconds(move)
    symbols = len(sheet.placements)
    print(f"{symbols:7d}  {layout:9.0f}  {anew:7.1f}  {again:13.1f}  {after_move:13.1f}  {again / anew:10.2f}")


def edit_times(n: int) -> None:
    """An edit of a load in a stage, answered by the application."""
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "bench.sqlite3"
        application = create_application(database)
        with TestClient(application, base_url="http://127.0.0.1") as client:
            project = create_project(connect(database), feeder_network(n))
            for stage in ("network", "flow", "faults"):
                times, has, sizes = [], "", []
                for k in range(EDITS):
                    version = client.get(f"/projects/{project}/version").text
                    values = {"value": f"{0.05 + 0.001 * (k + 1) + 0.02 * len(stage)}", "version": version}
                    start = time.perf_counter()
                    path, look = f"/projects/{project}/elements/E5/set/p_mw", {"stage": stage, "selected": "E5"}
                    answer = client.post(path, params=look, data=values, headers={"hx-request": "true", "x-has": has})
                    times.append(1000 * (time.perf_counter() - start))
                    sizes.append(len(answer.content))
                    has = re.search(r'data-has="(\w+)"', answer.text)[1]
                print(f"{n:5d}  {stage:8s}  {statistics.median(times[2:]):9.0f}  {sizes[0] / 1000:8.0f}  {sizes[-1] / 1000:7.0f}  {sizes[-1] / sizes[0]:10.2f}")


def main() -> None:
    print("symbols  layout ms  anew ms  after edit ms  after move ms  edit/anew")
    for n in (200, 700):
        drawing_times(n)
    print("buses  stage     answer ms  whole kB  part kB  part/whole")
    edit_times(200)


if __name__ == "__main__":
    main()
