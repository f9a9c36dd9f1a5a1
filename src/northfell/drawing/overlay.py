"""What each stage shows on the sheet: results become tags. Limits come from the project's settings."""

import math

from northfell.core.model.elements import Bus, Switching
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure
from northfell.core.studies.arc_flash import ArcFlash
from northfell.core.studies.short_circuit import ShortCircuit
from northfell.core.verdicts import severity_of
from northfell.drawing.words import Tag


def fault_tags(faults: ShortCircuit, selected: str) -> dict[str, Tag]:
    """Currents at boards; for a selected bus, what each branch and source brings."""
    tags: dict[str, Tag] = {}
    net, top = faults.net, faults.net.topology
    for i in faults.fed_buses():
        bus = net.elements[top.bus_ids[i]]
        if isinstance(bus, Bus) and bus.bus_kind != "junction":
            one = faults.cases["max"]
            tags[bus.id] = Tag(((figure(float(one.ik_ka[i]), 3), "kA"), (figure(float(one.ip_ka[i]), 3), "peak")))
    at = top.bus_index.get(selected)
    if at is not None and top.fed_bus(at):
        flows = faults.flows([at], "max")
        for element_id, currents in flows.terminals.items():
            e = net.elements[element_id]
            largest = float(max(abs(currents[:, 0])))
            if largest > 0.0005 * float(faults.cases["max"].ik_ka[at]) and not isinstance(e, Switching):
                tags[element_id] = Tag(tuple((figure(abs(complex(c)), 3), "kA") for c in currents[:, 0]))
    return tags


def arc_flash_tags(study: ArcFlash, limits: Limits) -> dict[str, Tag]:
    """The worst energy of each board's sides in the state shown."""
    tags: dict[str, Tag] = {}
    for one in study.locations:
        if one.worst is None or not math.isfinite(one.worst.energy_cal_cm2):
            continue
        energy = one.worst.energy_cal_cm2
        severity = severity_of(energy, limits.energy_close_cal_cm2, limits.energy_breach_cal_cm2) or ""
        before = tags.get(one.bus_id)
        line = (figure(energy, 3), f"{one.side} cal/cm²" if study.bus(one).main else "cal/cm²")
        worse = severity if before is None or severity == "breach" or (severity and not before.severity) else before.severity
        earlier = tuple((text, unit.removesuffix(" cal/cm²")) for text, unit in before.lines) if before else ()  # the unit once is enough
        tags[one.bus_id] = Tag((*earlier, line), worse)
    return tags
