"""Load flow from 100 to 100,000 buses: time by part, as ratios to bare factorisations and solves of the same matrices in the same run.

Run with `python -m benchmarks.load_flow [most buses]`. The networks are synthetic, with tap changers on load and reactive limits.
"""

import math
import resource
import statistics
import sys
import time
from collections.abc import Callable
from typing import Any

import numpy as np
from scipy.sparse import csc_array

from benchmarks.synthetic import synthetic
from northfell.core.network import Factorised, compile_network, without_one
from northfell.core.network.linear import solve_once
from northfell.core.studies import load_flow
from northfell.core.studies.load_flow import newton, outages
from northfell.core.studies.load_flow.controls import Controls
from northfell.core.studies.load_flow.solve import case_of

SIZES = (100, 1_000, 10_000, 100_000)


def seconds(work: Callable[[], object], repeats: int) -> float:
    """Median of several runs."""
    times = []
    for _ in range(repeats):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


def bare_work(net: Any) -> tuple[list[Callable[[], None]], int]:
    """The systems that the load flow of this network solves, and nothing else, by the solver that it uses and by SuperLU; and how many they are."""
    made: list[tuple[csc_array, np.ndarray]] = []

    def recorded(matrix: csc_array, rhs: np.ndarray) -> np.ndarray:
        made.append((matrix, rhs))
        return solve_once(matrix, rhs)

    newton.solve_once = recorded
    try:
        load_flow.run(net)
    finally:
        newton.solve_once = solve_once

    def again() -> None:
        for matrix, rhs in made:
            solve_once(matrix, rhs)

    def by_superlu() -> None:
        for matrix, rhs in made:
            Factorised(matrix).solve(rhs)

    return [again, by_superlu], len(made)


def each_out_times(n: int, every: int = 37) -> None:
    """Some of the elements out in turn: the time of each beside the systems that it solves."""
    network = synthetic(n)
    base = load_flow.run(compile_network(network, "Normal"))
    those = [e for e in outages.candidates(network, "Normal") if e.id in base.net.taking_part]
    some = those[::every]
    each = seconds(lambda: [outages.outage(network, "Normal", e, base) for e in some], 3) / len(some)
    bare = sum(seconds(bare_work(without_one(base.net, e))[0][0], 3) for e in some) / len(some)
    print(f"each of {len(those)} elements out, {n} buses: {1000 * each:.1f} ms, {each / bare:.1f} times its bare solves ({1000 * bare:.1f} ms)")


def main() -> None:
    most = int(sys.argv[1]) if len(sys.argv) > 1 else SIZES[-1]
    print(" buses  compile s  make ready s  solve+controls s  tables s   bare s  by SuperLU s  solves  run/bare  (compile+run)/bare  run/SuperLU  memory MB")
    before: tuple[int, float] | None = None
    for n in (s for s in SIZES if s <= most):
        repeats = 5 if n <= 1000 else 3 if n <= 10_000 else 1
        network = synthetic(n)
        compiling = seconds(lambda network=network: compile_network(network, "Normal"), repeats)
        ready = seconds(lambda network=network: case_of(compile_network(network, "Normal")), repeats) - compiling
        net = compile_network(network, "Normal")
        solving = seconds(lambda net=net: Controls(case_of(net)).settled(), repeats)
        running = seconds(lambda network=network: load_flow.run(compile_network(network, "Normal")), repeats) - compiling
        flow = load_flow.run(net)
        tables = seconds(flow.tables, 1)
        again, count = bare_work(net)
        bare, superlu = (seconds(one, repeats) for one in again)
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        buses = len(net.topology.bus_ids)
        print(
            f"{buses:6d}  {compiling:9.3f}  {ready:12.3f}  {solving:16.3f}  {tables:8.3f}  {bare:7.4f}  {superlu:12.4f}  {count:6d}  "
            f"{running / bare:8.1f}  {(compiling + running) / bare:18.1f}  {running / superlu:11.1f}  {memory:9.0f}"
        )
        if before:
            exponent = math.log((compiling + running) / before[1]) / math.log(buses / before[0])
            print(f"        growth of compile and run: exponent {exponent:.2f}")
        before = buses, compiling + running
    each_out_times(min(most, 1000))


if __name__ == "__main__":
    main()
