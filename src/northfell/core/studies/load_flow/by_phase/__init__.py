"""Load flow by phase: every conductor of a feeder by itself."""

import math
from collections.abc import Mapping

from northfell.core.errors import CannotRun, InputRefused, NoSolution
from northfell.core.network import Compiled
from northfell.core.network.phases import solve
from northfell.core.network.phases.solver import MOST_NEWTON
from northfell.core.studies.load_flow.by_phase.controls import controlled
from northfell.core.studies.load_flow.by_phase.gathering import Gathered, gathered
from northfell.core.studies.load_flow.by_phase.result import ByPhase


def run_by_phase(net: Compiled) -> ByPhase:
    """The load flow of a state by phase.

    Raises
    ------
    CannotRun
        With each element that cannot be taken, and why.
    NoSolution
        If no voltages are found at which currents balance.
    """
    return controlled(net, _solved)


def _solved(net: Compiled, taps: Mapping[str, Mapping[str, int]]) -> ByPhase:
    """The load flow with regulators at some taps."""
    found = gathered(net, taps)
    try:
        flow = solve(found.network)
    except InputRefused as error:
        where = net.elements.get(error.where)
        raise CannotRun("load_flow", [str(error.at(where.name) if where else error)]) from None
    if flow is None:
        raise NoSolution("load_flow", "by phase, steps of currents and then Newton's method", MOST_NEWTON, math.nan, "")
    return ByPhase(found, flow, taps)


__all__ = ["ByPhase", "Gathered", "gathered", "run_by_phase"]
