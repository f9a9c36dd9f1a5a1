"""Load flow by phase of long feeders, as a ratio to one factorisation of the same matrix and as many of its solves as the run took.

Run with `python -m benchmarks.by_phase`.
"""

import numpy as np
import scipy.sparse as sp
from scipy.sparse.linalg import splu

from benchmarks.load_flow import seconds
from northfell.core.network.phases import EARTH, IMPEDANCE, POWER, Load, PhaseNetwork, from_sequences, line, solve
from northfell.core.network.phases.solver import assembled

LN = 7200.0


def feeder(buses: int) -> PhaseNetwork:
    """A tree of three-phase buses, ten metres apart and five deep on average, with a small load in each phase of every bus."""
    rng = np.random.default_rng(7)
    z = from_sequences(0.3 + 0.4j, 0.6 + 1.2j) * 0.01
    names = [(f"{b}", p) for b in range(buses) for p in "abc"]
    parts, loads = [], []
    for b in range(1, buses):
        up = int(rng.integers(max(0, b - 40), b))
        parts.append(line(f"L{b}", [3 * up, 3 * up + 1, 3 * up + 2], [3 * b, 3 * b + 1, 3 * b + 2], z))
        va = rng.uniform(0.2, 1.8, 3) * 4e6 / buses * (1 + 0.3j)
        loads += [Load(f"E{b}", 3 * b + k, EARTH, complex(va[k]), LN, POWER if k else IMPEDANCE, POWER if k else IMPEDANCE) for k in range(3)]
    known = {k: LN * np.exp(-2j * np.pi / 3 * k) for k in range(3)}
    return PhaseNetwork(tuple(names), np.full(3 * buses, LN), tuple(parts), tuple(loads), (), known)


def main() -> None:
    print("  nodes  steps  run s  factorisation and solves s  ratio")
    for buses in (334, 3334, 16667):
        network = feeder(buses)
        flow = solve(network)
        assert flow is not None
        n = len(network.names)
        y = sp.csc_matrix(assembled(network.primitives, n))[3:, 3:]
        steps, b = flow.steps, np.ones(n - 3, complex)

        def bare(y: object = y, steps: int = steps, b: object = b) -> None:
            factor = splu(y)
            for _ in range(steps + 1):
                factor.solve(b)

        base, run = seconds(bare, 3), seconds(lambda network=network: solve(network), 3)  # type: ignore[misc]
        print(f"{n:7d}  {steps:5d}  {run:5.2f}  {base:26.3f}  {run / base:5.1f}", flush=True)


if __name__ == "__main__":
    main()
