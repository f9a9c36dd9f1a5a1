"""Which islands lack data for a study: they are kept back, the others are computed."""

from northfell.core.errors import CannotRun, Message, code_of
from northfell.core.model.elements import Element
from northfell.core.network.apart import BY_PHASE, Uneven, not_alike, without_what_is_apart
from northfell.core.network.compile import Compiled
from northfell.core.rules.by_phase import only_by_phase
from northfell.core.rules.completeness import Missing, missing
from northfell.core.rules.typical import help_for

NO_SUPPLY = "There is no supply: no infeed and no generator is in service. Put one into service, or add one."


def with_data(net: Compiled, study: str, of_faults: bool = False) -> Compiled:
    """The network with the islands kept back that lack data for a study; of faults, without what changes none.

    Raises
    ------
    CannotRun
        If nothing remains, with every reason; or there is no supply at all.
    """
    alone: Uneven = {e.id: why for e, why in only_by_phase(net.taking_part.values())}
    if alone and of_faults:
        net, alone = without_what_is_apart(net, alone, study)
    uneven: dict[int, list[tuple[Element, str]]] = {}
    for e, why in ((net.elements[i], why) for i, why in alone.items()):
        if (bus := bus_at(net, e)) is not None:
            uneven.setdefault(int(net.topology.island_of_node[net.topology.node_of_bus[bus]]), []).append((e, why))
    if uneven:  # what these lack besides is asked for by the load flow by phase
        net = net.holding_back([(bus_at(net, found[0][0]) or 0, not_alike(found)) for found in uneven.values()], BY_PHASE)
    lacking = missing(net.elements, study, net.taking_part.values())
    reasons = {told(net, one): (bus, one) for one in lacking if (bus := _bus_of(net, one)) is not None}
    if reasons:
        net = net.holding_back([(bus, line) for line, (bus, _) in reasons.items()], lacking={line: one for line, (_, one) in reasons.items()})
    return fed(net, study)


def told(net: Compiled, one: Missing) -> str:
    """What is missing, and whether a typical value can be filled in, or what that waits for."""
    helps = help_for(net.elements, one.element, one.key, int(net.frequency_hz))
    return Message(f"{one} {helps}".rstrip(), code_of(helps), one.element.id)


def fed(net: Compiled, study: str) -> Compiled:
    """The network, if something of it is fed and not kept back.

    Raises
    ------
    CannotRun
        With the reasons of all that was kept back, or that there is no supply.
    """
    if not net.topology.fed_node.any():
        raise CannotRun(study, list(dict.fromkeys(reason for one in net.held_back for reason in one.reasons)) or [NO_SUPPLY])
    return net


def _bus_of(net: Compiled, one: Missing) -> int | None:
    """A fed bus at which an element stands: its own, or that of what it stands at."""
    return bus_at(net, one.element)


def bus_at(net: Compiled, at: Element) -> int | None:
    """The first fed bus of an element, or of what it stands at."""
    e: Element | None = at
    while e is not None and e.holder is not None:
        e = net.elements.get(e.holder)
    buses = [net.topology.bus_index[b] for b in (() if e is None else (e.id,) if e.kind == "bus" else e.buses)]
    return next((b for b in buses if net.topology.fed_bus(b)), None)
