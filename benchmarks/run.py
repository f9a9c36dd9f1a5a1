"""What is measured, not asserted: faults of every type at all buses, and equipment duty, as ratios to one factorisation of the same matrices, in one run.

Run with `./nf bench`. The networks are made up: 11 kV feeders of cables with a load at every bus and some rings.
"""

import gc
import statistics
import time
from collections.abc import Callable

from northfell.core.model.elements import ELEMENT
from northfell.core.model.network import Network
from northfell.core.network import compile_network
from northfell.core.studies import duty, short_circuit

REPEATS = 7


def feeder_network(n: int) -> Network:
    """n buses: feeders of twenty, each off the source bus, every fifth closed to a ring."""
    raw: list[dict] = [{"kind": "bus", "name": f"B{i}", "v_nominal_kv": 11.0} for i in range(n)]
    raw.append({"kind": "infeed", "name": "G", "bus": "B0", "ik_max_ka": 20.0, "ik_min_ka": 15.0, "r_over_x": 0.1,
                "neutral": "solid", "x0_over_x1": 1.0, "r0_over_x0": 0.1})  # fmt: skip

    def cable(a: int, b: int) -> dict:
        given = {"length_m": 200.0, "r_ohm_per_km": 0.2, "x_ohm_per_km": 0.1, "c_uf_per_km": 0.3, "t_end_degc": 250.0,
                 "r0_ohm_per_km": 0.8, "x0_ohm_per_km": 0.4, "c0_uf_per_km": 0.3}  # fmt: skip
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


def fault_times(n: int) -> None:
    """Each part alone, both cases: three-phase with its peak; what each further fault adds; everything that the tables tell; duty."""
    net = compile_network(feeder_network(n), "Normal", "short_circuit")
    gc.collect()
    gc.freeze()  # the elements stay; a collection that goes through them all falls on whichever figure it meets
    one = short_circuit.run(net).cases["max"]
    factorise = milliseconds(lambda: one.network_of(one.given.sources.z))
    study = short_circuit.run(net)

    def timed(work: Callable[[short_circuit.ShortCircuit], object], *before: str) -> float:
        times = []
        for _ in range(3):
            fresh = short_circuit.run(net)
            for fault in ("3ph", *before):
                for case in fresh.cases.values():
                    case.of(fault), case.ip_ka
            start = time.perf_counter()
            work(fresh)
            times.append(1000 * (time.perf_counter() - start))
        return statistics.median(times)

    def first() -> None:
        for case in short_circuit.run(net).cases.values():
            case.of("3ph"), case.ip_ka

    three = milliseconds(first)
    more = [timed(lambda s, f=f: [c.of(f) for c in s.cases.values()]) for f in ("ll", "lg")] + [timed(lambda s: [c.of("llg") for c in s.cases.values()], "lg")]
    rest = timed(lambda s: [(c.breaking_ka(), c.dc_ka(), c.steady_ka(), c.thermal_ka()) for c in s.cases.values()])
    judged = milliseconds(lambda: duty.run(net, faults=study)) if n <= 2000 else float("nan")
    print(f"{n:5d} {factorise:12.2f} {three:8.1f} " + " ".join(f"{m:7.1f}" for m in (*more, rest, judged)) + f" {three / factorise:16.1f}"
          f" {(three + sum(more)) / factorise:14.1f}")  # fmt: skip


def main() -> None:
    print("buses  factorise ms      3ph      ll      lg     llg    rest    duty  3ph/factorising  all types/it")
    for n in (200, 2000, 10000):
        fault_times(n)


if __name__ == "__main__":
    main()
