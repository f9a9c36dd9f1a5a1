"""What the Faults stage shows on the sheet."""

from northfell.core.model.elements import Bus, Switching
from northfell.core.quantities import figure
from northfell.core.studies.short_circuit import ShortCircuit
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
