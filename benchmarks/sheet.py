"""What a large sheet costs, measured: laying out, drawing it anew and drawing it after an edit, and what an edit sends.

Run with `./nf bench`. Ratios are within the run: after an edit over anew, and an edit's answer over the application's smallest one.
"""

import re
import statistics
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

from fastapi.testclient import TestClient

from benchmarks.run import feeder_network, milliseconds
from benchmarks.synthetic import synthetic
from northfell.app.project.projects import create_project
from northfell.core.model.network import Network, OperatingState, Sheet
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


def edit_times(name: str, network: Network, stages: Sequence[str]) -> None:
    """Edits of a load in a stage, answered by the application; beside them the time of its smallest answer, as a yardstick."""
    load = next(e.id for e in network.elements.values() if e.kind == "load")
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "bench.sqlite3"
        application = create_application(database)
        with TestClient(application, base_url="http://127.0.0.1") as client:
            project = create_project(connect(database), network)
            yardstick = milliseconds(lambda: client.get(f"/projects/{project}/version"))
            for stage in stages:
                times, has, sizes = [], "", []
                for k in range(EDITS):
                    version = client.get(f"/projects/{project}/version").text
                    values = {"value": f"{0.05 + 0.001 * (k + 1) + 0.02 * len(stage)}", "version": version}
                    start = time.perf_counter()
                    path, look = f"/projects/{project}/elements/{load}/set/p_mw", {"stage": stage, "selected": load}
                    answer = client.post(path, params=look, data=values, headers={"hx-request": "true", "x-has": has})
                    times.append(1000 * (time.perf_counter() - start))
                    sizes.append(len(answer.content))
                    has = re.search(r'data-has="(\w+)"', answer.text)[1]
                some = sorted(times[2:])
                late, middle = some[int(0.95 * (len(some) - 1))], statistics.median(some)
                kb = f"{sizes[0] / 1000:8.0f}  {sizes[-1] / 1000:7.0f}"
                print(f"{name:24s}  {stage:9s}  {yardstick:7.1f}  {middle:6.0f}  {late:5.0f}  {middle / yardstick:9.0f}  {kb}", flush=True)


def with_states(network: Network, states: int) -> Network:
    """A network with a sheet and operating states."""
    sheet = Sheet(name="s", placements=laid_out(network.elements))
    return network.model_copy(update={"sheets": [sheet], "states": [OperatingState(name=f"S{k}") for k in range(1, states)]})


def main() -> None:
    print("symbols  layout ms  anew ms  after edit ms  after move ms  edit/anew")
    for n in (200, 700):
        drawing_times(n)
    print("network                   stage      empty ms  median ms  95 % ms  /empty  whole kB  part kB")
    edit_times("200 buses, 5 states", with_states(feeder_network(200), 5), ("network", "flow", "faults", "arc-flash"))
    edit_times("2,000 buses, 1 state", with_states(synthetic(2000), 1), ("network", "flow"))


if __name__ == "__main__":
    main()
