"""Coordination of 550 devices, as a ratio to the faults at all buses of the same network in the same run; and one step of a dragged setting.

Run with `python -m benchmarks.coordination`.
"""

from benchmarks.arc_flash import plant
from benchmarks.load_flow import seconds
from northfell.core.network import compile_network
from northfell.core.studies import short_circuit
from northfell.core.studies.coordination import run as coordinate
from northfell.core.studies.protection import Device
from northfell.web.stages.coordination.sheet import shown_of


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
        gaps = 1000 * seconds(lambda found=found, slower=slower: found.with_device(slower), 5)  # type: ignore[misc]
        step = 1000 * seconds(lambda found=found, slower=slower: shown_of(found.with_device(slower), "QL0"), 5)  # type: ignore[misc]
        print(
            f"{len(found.devices):7d}  {len(found.worst_pairs):5d}  {alone:21.3f}  {whole:14.2f}  {whole / alone:19.0f}  {step:12.1f}  {gaps:12.1f}", flush=True
        )


if __name__ == "__main__":
    main()
