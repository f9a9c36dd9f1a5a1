"""Coordination of 550 devices, as a ratio to the faults at all buses of the same network in the same run; and one step of a dragged setting.

Run with `python -m benchmarks.coordination`.
"""

import tempfile
from pathlib import Path

from fastapi.testclient import TestClient

from benchmarks.arc_flash import plant
from benchmarks.load_flow import seconds
from benchmarks.run import milliseconds
from northfell.app.project.projects import create_project
from northfell.core.network import compile_network
from northfell.core.studies import short_circuit
from northfell.core.studies.coordination import run as coordinate
from northfell.core.studies.protection import Device
from northfell.demo import skerrow_water
from northfell.store import connect
from northfell.web.application import create_application
from northfell.web.stages.coordination.sheet import shown_of


def answers() -> None:
    """A step as the page asks for it, beside the smallest answer of the application."""
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "bench.sqlite3"
        with TestClient(create_application(database), base_url="http://127.0.0.1") as client:
            for network, device, field in ((skerrow_water(), "Q31", "trip_ii_a"), (plant(10, 9), "QL0", "trip_isd_a"), (plant(50, 9), "QL0", "trip_isd_a")):
                project = create_project(connect(database), network)
                client.get(f"/projects/{project}/coordination?selected={device}")
                smallest = milliseconds(lambda project=project: client.get(f"/projects/{project}/version"))  # type: ignore[misc]
                address = f"/projects/{project}/curves/try?selected={device}&element={device}&field={field}&value="
                values = iter(range(20000, 90000, 100))
                step = milliseconds(lambda address=address, values=values: client.get(f"{address}{next(values)}"))  # type: ignore[misc]
                print(f"{network.name:16s}  {smallest:11.1f}  {step:12.1f}  {step - smallest:10.1f}", flush=True)


def main() -> None:
    print("devices  pairs  faults at all buses s  coordination s  coordination/faults  drag step ms, of it gaps and rules")
    for boards, panels in ((10, 9), (50, 9)):
        net = compile_network(plant(boards, panels), "Normal", "short_circuit")
        faults = short_circuit.run(net)
        alone = seconds(lambda net=net: [(case.ik_ka, case.ip_ka) for case in short_circuit.run(net).cases.values()], 3)  # type: ignore[misc]
        whole = seconds(lambda net=net, faults=faults: coordinate(net, faults=faults), 1)  # type: ignore[misc]
        found = coordinate(net, faults=faults)
        q = found.devices["QL0"]
        slower = Device(q.switch.model_copy(update={"trip_tsd": "0.3"}), q.relays)
        shown_of(found, "QL0")  # as it stands before it is dragged
        gaps = 1000 * seconds(lambda found=found, slower=slower: found.with_device(slower), 5)  # type: ignore[misc]
        step = 1000 * seconds(lambda found=found, slower=slower: shown_of(found.with_device(slower), "QL0"), 5)  # type: ignore[misc]
        print(
            f"{len(found.devices):7d}  {len(found.worst_pairs):5d}  {alone:21.3f}  {whole:14.2f}  {whole / alone:19.0f}  {step:12.1f}  {gaps:12.1f}", flush=True
        )
    print("network           smallest ms  whole step ms  difference")
    answers()


if __name__ == "__main__":
    main()
