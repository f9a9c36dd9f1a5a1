"""The outgoing ways of a board: what hangs on it alone, from the first device down to the load."""

from collections.abc import Mapping
from dataclasses import dataclass

from northfell.core.model.adjacency import Adjacency
from northfell.core.model.elements import Bus, Changeover, Element, Switching


@dataclass(frozen=True)
class Way:
    """One outgoing way: its first element at the board, and all that hangs on it, in the order in which it is met."""

    first: str
    elements: tuple[str, ...]


class Connections:
    """What is met from an element along the drawing."""

    def __init__(self, elements: Mapping[str, Element], adjacency: Adjacency | None = None) -> None:
        self.elements = elements
        adjacency = adjacency or Adjacency(elements)
        self.at, self.attached = adjacency.at, adjacency.attached

    def beyond(self, element_id: str, bus_id: str) -> list[str]:
        """All that is met from an element away from one of its buses, whatever stands open; the element first, that bus not."""
        found: dict[str, None] = {element_id: None}
        queue = [element_id]
        for at in queue:
            e = self.elements[at]
            nexts = self.at[at] if isinstance(e, Bus) else [*e.buses, *self.attached.get(at, ())]
            for other in nexts:
                if other != bus_id and other not in found:
                    found[other] = None
                    queue.append(other)
        return list(found)


def ways_of(elements: Mapping[str, Element], board_id: str, connections: Connections | None = None) -> list[Way]:
    """The outgoing ways of a board: no source and no other board hangs on them."""
    known = connections or Connections(elements)
    ways: list[Way] = []
    taken: set[str] = set()
    for first in known.at.get(board_id, ()):
        if first in taken:
            continue
        reached = known.beyond(first, board_id)
        taken.update(reached)
        inner = [elements[i] for i in reached]
        boards = any(isinstance(e, Bus) and e.bus_kind != "junction" for e in inner)
        loose = any(board_id in e.buses for e in inner[1:])  # it comes back to the board: a ring, or a second connection
        if not boards and not loose and not any(e.feeds for e in inner):
            ways.append(Way(first, tuple(reached)))
    return ways


def downstream(elements: Mapping[str, Element], element_id: str) -> list[str]:
    """What would be dead without an element, switches as they stand: the element first. One that is not fed has what it meets beyond its first bus."""
    known = Connections(elements)
    start = elements[element_id]
    before, after = _fed_buses(known, ""), _fed_buses(known, element_id)
    dead = [b for b in known.at if b in before and b not in after and b != element_id]
    found = dict.fromkeys([element_id, *known.attached.get(element_id, ()), *dead])
    if not dead and not any(b in before for b in (element_id, *start.buses)):
        return known.beyond(element_id, start.buses[0]) if start.buses else [*found]
    for e in elements.values():
        carries = [e.buses[k] for k in e.joined] if e.joined else e.buses
        if e.buses and all(b in found for b in carries) and (e.joined or not any(b in after for b in e.buses)):
            found.update(dict.fromkeys((e.id, *known.attached.get(e.id, ()))))
    return list(found)


def _fed_buses(known: Connections, without: str) -> set[str]:
    """The buses that sources reach, with one element out of service."""

    def lives(e: Element) -> bool:
        """In service, as are all its buses: a bus takes what stands at it with it."""
        return all(known.elements[i].in_service and i != without for i in (e.id, *e.buses))

    fed: set[str] = set()
    queue = [e.buses[0] for e in known.elements.values() if e.feeds and lives(e)]
    while queue:
        bus = queue.pop()
        if bus not in fed:
            fed.add(bus)
            queue += [b for i in known.at[bus] if lives(known.elements[i]) for b in _through(known.elements[i], bus)]
    return fed


def _through(e: Element, bus: str) -> tuple[str, ...]:
    """The buses that are reached through an element from one of its buses."""
    if isinstance(e, Switching | Changeover):
        pair = [e.buses[k] for k in e.joined or ()]
        return tuple(b for b in pair if b != bus) if bus in pair else ()
    return tuple(b for b in e.buses if b != bus)
