"""What is measured, not asserted: faults at all buses as a ratio to one load flow of the same network, in one run.

Run with `./nf bench`. The networks are made up: 11 kV feeders of cables with a load at every bus and some rings.
"""

import statistics
import time
from collections.abc import Callable

from northfell.core.model.elements import ELEMENT
from northfell.core.model.network import Network
from northfell.core.network import compile_network
from northfell.core.studies import load_flow, short_circuit

REPEATS = 7


def feeder_network(n: int) -> Network:
    """n buses: feeders of twenty, each off the source bus, every fifth closed to a ring."""
    raw: list[dict] = [{"kind": "bus", "name": f"B{i}", "v_nominal_kv": 11.0} for i in range(n)]
    raw.append({"kind": "infeed", "name": "G", "bus": "B0", "ik_max_ka": 20.0, "ik_min_ka": 15.0, "r_over_x": 0.1})

    def cable(a: int, b: int) -> dict:
        given = {"length_m": 200.0, "r_ohm_per_km": 0.2, "x_ohm_per_km": 0.1, "c_uf_per_km": 0.3, "t_end_degc": 250.0}
        return {"kind": "cable", "name": f"W{a}-{b}", "from_bus": f"B{a}", "to_bus": f"B{b}", **given}

    for i in range(1, n):
        raw.append(cable(0 if i % 20 == 1 else i - 1, i))
        if i % 100 == 0:
            raw.append(cable(0, i))
        raw.append({"kind": "load", "name": f"E{i}", "bus": f"B{i}", "p_mw": 0.05, "q_mvar": 0.02})
    elements = {r["name"]: ELEMENT.validate_python({**r, "id": r["name"]}) for r in raw}
    return Network(name=f"{n} buses").model_copy(update={"elements": elements})


def milliseconds(work: Callable[[], object]) -> float:
    """Median of several runs."""
    times = []
    for _ in range(REPEATS):
        start = time.perf_counter()
        work()
        times.append(1000 * (time.perf_counter() - start))
    return statistics.median(times)


def main() -> None:
    print("buses  all faults ms  faults/load flow")
    for n in (100, 1000):
        net = compile_network(feeder_network(n), "Normal")
        flow = milliseconds(lambda net=net: load_flow.run(net))
        faults = milliseconds(lambda net=net: short_circuit.run(net))
        print(f"{n:5d}  {faults:13.1f}  {faults / flow:16.1f}")


if __name__ == "__main__":
    main()
