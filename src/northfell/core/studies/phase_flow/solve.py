"""The load flow of a state by phase."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial

from northfell.core.errors import CannotRun, InputRefused, NoSolution
from northfell.core.model.elements import StepRegulator
from northfell.core.network import Compiled
from northfell.core.network.phases import PhaseFlow, PhaseNetwork, solve
from northfell.core.network.phases.solver import MOST_NEWTON
from northfell.core.studies.phase_flow.controls import controlled
from northfell.core.studies.phase_flow.gathering import Gathered, gathered, retapped
from northfell.core.studies.phase_flow.machines import at_limits, settled
from northfell.core.studies.phase_flow.result import ByPhase


def run_by_phase(net: Compiled) -> ByPhase:
    """The load flow of a state by phase, with the controls of regulators at rest.

    Raises
    ------
    CannotRun
        With each element that cannot be taken, and why.
    NoSolution
        If no voltages are found at which currents balance.
    """
    return controlled(net, _solved)


def _solved(net: Compiled, taps: Mapping[str, Mapping[str, int]], before: ByPhase | None) -> ByPhase:
    """The load flow with regulators at some taps; an island without a solution is held back, and takes no other's away."""
    found = retapped(before.gathered, taps) if before is not None and _only_regulators(before, taps) else gathered(net, taps)
    settled_at = settled(found.net, found.network, found.index, partial(_flow, found))
    if settled_at is not None:
        network, flow = settled_at
        return ByPhase(replace(found, network=network), flow, taps, tuple(at_limits(found.net, network)))
    net, top = found.net, found.net.topology
    buses = {island: [b for b, node in enumerate(top.node_of_bus.tolist()) if node >= 0 and top.island_of_node[node] == island] for island in top.fed_islands}
    failing = [first for island, (first, *_) in buses.items() if not _solves_alone(net, taps, [b[0] for k, b in buses.items() if k != island])]
    if not failing or len(failing) == len(buses):
        raise NoSolution("phase_flow", "by phase, steps of currents and then Newton's method", MOST_NEWTON, math.nan, "")
    why = f"No voltages were found at which currents balance and machines rest: steps of currents and then Newton's method, {MOST_NEWTON} steps."
    return _solved(net.holding_back([(b, why) for b in failing], "no solution"), taps, None)


def _only_regulators(before: ByPhase, taps: Mapping[str, Mapping[str, int]]) -> bool:
    """Whether nothing has moved since but regulators, which let conductors follow and change no impedance."""
    return all(by == before.taps.get(i) or isinstance(before.net.elements[i], StepRegulator) for i, by in taps.items())


def _solves_alone(net: Compiled, taps: Mapping[str, Mapping[str, int]], others: Sequence[int]) -> bool:
    found = gathered(net.masked(others), taps)
    return settled(found.net, found.network, found.index, partial(_flow, found)) is not None


def _flow(found: Gathered, network: PhaseNetwork) -> PhaseFlow | None:
    try:
        return solve(network)
    except InputRefused as error:
        where = found.net.elements.get(error.where)
        raise CannotRun("phase_flow", [str(error.at(where.name) if where else error)]) from None
