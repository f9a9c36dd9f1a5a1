"""Faults by phase: every kind that the conductors of a bus allow, at every bus."""

from northfell.core.rules.by_phase import is_uneven
from northfell.core.studies.phase_faults.flowing import Lasting, Poles, lasting
from northfell.core.studies.phase_faults.gathering import Which
from northfell.core.studies.phase_faults.result import EARTH, KINDS, Current, PhaseFaults, kind_of
from northfell.core.studies.phase_faults.settings import PhaseFaultSettings
from northfell.core.studies.phase_faults.solve import phase_faults
from northfell.core.studies.phase_faults.working import explain
from northfell.core.studies.record import Asked, Compared, Study
from northfell.core.working import Working


def _explain(faults: PhaseFaults, asked: Asked) -> Working:
    at = asked.element_id if asked.faulted is None else faults.net.topology.bus_ids[asked.faulted]
    return explain(faults, faults.net.elements.get(at), asked.part, "min" if asked.case == "min" else "max")


def _compared(faults: PhaseFaults) -> Compared:
    """Of every bus the highest of the greatest currents and the lowest of the least [kA]."""
    highest, lowest = dict[str, float](), dict[str, float]()
    for (bus, _, case), one in faults.found.items():
        if case == "max":
            highest[bus] = max(highest.get(bus, 0.0), one.ik)
        else:
            lowest[bus] = min(lowest.get(bus, one.ik), one.ik)
    return {"highest": highest, "lowest": lowest}


PHASE_FAULTS = Study[PhaseFaults](
    key="phase_faults", label="faults by phase", settings=PhaseFaultSettings, run=lambda net, _: phase_faults(net), explain=_explain,
    quantities=("ik_phase",), uses=("short_circuit",), compared=_compared, concerns=is_uneven,
)  # fmt: skip

__all__ = [
    "Current", "EARTH", "KINDS", "PHASE_FAULTS", "PhaseFaultSettings", "PhaseFaults", "Lasting", "Poles", "Which", "kind_of", "lasting", "phase_faults",
]  # fmt: skip
