"""From a bus back to what feeds it, along the branches that bring it most power."""

from dataclasses import dataclass

from northfell.core.model.elements import Element
from northfell.core.studies.load_flow.solved import Solved


@dataclass(frozen=True)
class Leg:
    """One element on the way: power enters at `from_bus` and leaves at `to_bus`."""

    element: Element
    from_bus: str
    to_bus: str
    v_from_pu: float
    v_to_pu: float

    @property
    def drop_pct(self) -> float:
        """Fall of the voltage along it, of nominal."""
        return 100 * (self.v_from_pu - self.v_to_pu)


def path_to_source(flow: Solved, bus_id: str) -> list[Leg]:
    """The legs from the source to a bus, in the direction of power; empty where the bus is not fed or feeds itself."""
    bringing: dict[str, list[tuple[float, Element, int]]] = {}
    for element_id, power in flow.terminal_power.items():
        element = flow.net.elements[element_id]
        for terminal, (at, s) in enumerate(zip(element.buses, power, strict=True)):
            if s.real < 0:
                bringing.setdefault(at, []).append((-s.real, element, terminal))
    legs: list[Leg] = []
    seen = {bus_id}
    at = bus_id
    while at in bringing:
        _, element, terminal = max(bringing[at], key=lambda one: one[0])
        if len(element.buses) == 1:
            break  # a source at this bus
        power = flow.terminal_power[element.id]
        enters = max((k for k in range(len(power)) if k != terminal), key=lambda k: power[k].real)
        before = element.buses[enters]
        if before in seen:
            break
        legs.append(Leg(element, before, at, abs(flow.voltage(before)), abs(flow.voltage(at))))
        seen.add(before)
        at = before
    return legs[::-1]
