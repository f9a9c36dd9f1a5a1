"""What faults by phase know of a bus, as figures that open their working."""

from urllib.parse import urlencode

from northfell.core.model.elements import Bus, Element
from northfell.core.quantities import figure
from northfell.core.studies.phase_faults import PHASE_FAULTS, PhaseFaults
from northfell.web.shell.figures import Figure, Section
from northfell.web.shell.stage import Look
from northfell.web.stages.phase_faults.tags import told


def fault_figures(look: Look, e: Element) -> list[Section]:
    """The greatest and the least current of every fault that its conductors allow."""
    faults: PhaseFaults = look.result(PHASE_FAULTS)
    if not isinstance(e, Bus) or e.id not in faults.conductors:
        return []
    greatest, least = list[Figure](), list[Figure]()
    for fault in faults.faults(e.id):
        high, low = faults.current(e.id, fault, "max"), faults.current(e.id, fault, "min")
        peak = "" if high.ip is None else f"peak {figure(high.ip)} kA"
        earth = "" if high.earth is None else f", to earth {figure(high.earth)} kA"
        greatest.append(Figure(told(look, fault), figure(high.ik), "kA", working=_opens(fault, "max"), note=peak + earth))
        least.append(Figure(told(look, fault), figure(low.ik), "kA", working=_opens(fault, "min")))
    return [Section("Greatest currents", greatest), Section("Least currents", least)]


def _opens(fault: str, case: str) -> str:
    return urlencode({"study": "phase_faults", "quantity": "ik_phase", "part": fault, "case": case})
