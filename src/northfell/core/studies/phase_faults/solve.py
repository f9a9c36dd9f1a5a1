"""Faults at all buses of a state, or at some, by phase."""

from collections.abc import Iterator

import numpy as np

from northfell.core.errors import CannotRun
from northfell.core.model.elements import Bus
from northfell.core.network import Compiled
from northfell.core.network.lacking import fed
from northfell.core.network.linear import SingularMatrix
from northfell.core.network.phases import PhaseNetwork, thevenin
from northfell.core.network.phases.parts import Complexes
from northfell.core.studies.phase_faults.gathering import CASES, TURN, FaultGathering, Which
from northfell.core.studies.phase_faults.result import PhaseFaults
from northfell.core.studies.phase_faults.settings import PhaseFaultSettings
from northfell.core.studies.phase_flow import named
from northfell.core.studies.short_circuit import ShortCircuitSettings


def phase_faults(net: Compiled) -> PhaseFaults:
    """Faults at all buses of a state.

    Raises
    ------
    CannotRun
        If nothing can be taken, with each element and why.
    """
    net, gatherings = _gathered(net)
    z: dict[Which, dict[str, Complexes]] = {case: {} for case in CASES}
    e: dict[Which, dict[str, Complexes]] = {case: {} for case in CASES}
    conductors: dict[str, str] = {}
    floats: dict[str, bool] = {}
    injected: dict[str, Complexes] = {}
    told: dict[str, None] = {}
    for case, (g, network) in gatherings.items():
        if not g.known:
            raise CannotRun("phase_faults", ["No infeed and no machine is in service that feeds a fault."])
        inside = {net.topology.bus_ids[int(b)] for one in g.given.inside for b in one.buses}
        buses = [b for b in net.taking_part.values() if isinstance(b, Bus) and b.id not in inside]
        try:
            found = thevenin(network, [list(g.at(b.id).values()) for b in buses], g.injections)
        except SingularMatrix:
            raise CannotRun("phase_faults", ["The impedances of some part contradict each other: they have no inverse."]) from None
        for b, matrix, brought in zip(buses, found.z_ohm, found.injected_v, strict=True):
            nodes, c = g.at(b.id), g.c_of(g.kv(b.id), case)
            if case == "max":  # what motors alone feed is not fed in the other: no current flows from there
                conductors[b.id] = "".join(p for k, p in enumerate(nodes) if np.isfinite(matrix[k, k]))
                floats[b.id] = any(bool(found.floating[nodes[p]]) for p in conductors[b.id])
            names = list(conductors[b.id])
            live = [list(nodes).index(p) for p in names]
            if names:
                z[case][b.id] = matrix[np.ix_(live, live)]
                e[case][b.id] = np.array([c * g.base[nodes[p]] * TURN[p] for p in names])
                if case == "max":
                    injected[b.id] = brought[live]
        told |= dict.fromkeys(_told(g, inside))
    if net.network.settings.of(ShortCircuitSettings).school != "iec":
        told["By phase faults are found by IEC 60909-0, also where the project follows another school."] = None
    r_fault = net.network.settings.of(PhaseFaultSettings).r_fault_ohm
    if r_fault:
        told[f"Least currents to earth flow through {r_fault:g} ohm."] = None
    conductors = {bus: names for bus, names in conductors.items() if names}
    return PhaseFaults(net, conductors, z, e, floats, injected, r_fault, (*told, *net.held_back_told))


def _told(g: FaultGathering, inside: set[str]) -> Iterator[str]:
    """What is to be known of a case."""
    yield from g.told
    if g.cold:
        yield f"The temperature at the end of a fault is not entered: {named(g.cold)}; least currents stand at 20 °C and may be less."
    if g.as_given and g.case == "min":
        yield f"Matrices stand at the temperature for which they are given: {named(g.as_given)}; greatest currents may be more, least ones less."
    if g.uncounted:
        yield f"Not counted by phase: what {named(g.uncounted)} bring to a fault; the greatest currents may be more by that."
    if inside:
        yield f"Faults within a power station unit are not found by phase: at {named(g.net.name(b) for b in inside)} see Faults."


def _gathered(net: Compiled) -> tuple[Compiled, dict[Which, tuple[FaultGathering, PhaseNetwork]]]:
    """Both cases, without the islands in which something cannot be taken in either."""
    gatherings = {case: FaultGathering(net, case=case) for case in CASES}
    made = {case: (g, g.all().network) for case, g in gatherings.items()}
    if refused := [one for g in gatherings.values() for one in g.refused]:
        return _gathered(fed(net.holding_back(refused), "phase_faults"))
    return net, made
