"""The outgoing ways of a board: what hangs on it alone, from the first device down to the load."""

from collections.abc import Mapping
from dataclasses import dataclass

from northfell.core.model.elements import Bus, Changeover, Element, Switching


@dataclass(frozen=True)
class Way:
    """One outgoing way: its first element at the board, and all that hangs on it, in the order in which it is met."""

    first: str
    elements: tuple[str, ...]


class Connections:
    """Which elements stand at which bus."""

    def __init__(self, elements: Mapping[str, Element]) -> None:
        self.elements = elements
        self.at: dict[str, list[str]] = {e.id: [] for e in elements.values() if isinstance(e, Bus)}
        self.attached: dict[str, list[str]] = {}  # relays and current transformers, by what they stand at
        for e in elements.values():
            for bus in e.buses:
                self.at[bus].append(e.id)
            if e.holder is not None:
                self.attached.setdefault(e.holder, []).append(e.id)

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
    """Everything on the far side of an element as seen from the supplies: what would be dead without it. The element itself comes first.

    Open switches count as they are drawn: what is fed another way is not downstream.
    """
    start = elements[element_id]
    known = Connections(elements)

    def passes(e: Element, bus: str) -> tuple[str, ...]:
        """The buses that are reached through an element from one of its buses."""
        if isinstance(e, Switching | Changeover) and e.joined is None:
            return ()
        if e.joined:
            pair = {e.buses[e.joined[0]], e.buses[e.joined[1]]}
            return tuple(pair - {bus}) if bus in pair else ()
        return tuple(b for b in e.buses if b != bus)

    fed: set[str] = set()
    queue = [b for e in elements.values() if e.feeds and e.in_service and e.id != element_id for b in e.buses if b != element_id]
    while queue:
        bus = queue.pop()
        if bus in fed or bus == element_id:
            continue
        fed.add(bus)
        for other in known.at[bus]:
            if other != element_id and elements[other].in_service:
                queue += passes(elements[other], bus)
    found: dict[str, None] = {element_id: None, **dict.fromkeys(known.attached.get(element_id, ()))}
    first = [element_id] if isinstance(start, Bus) else [b for b in start.buses if b not in fed]
    for bus in first:
        found[bus] = None
    for bus in first:
        _spread(bus, known, fed, found)
    return list(found)


def _spread(bus: str, known: Connections, fed: set[str], found: dict[str, None]) -> None:
    queue = [bus]
    while queue:
        at = queue.pop(0)
        for i in known.at[at]:
            e = known.elements[i]
            if any(b in fed for b in e.buses):
                continue  # it stands at what is fed without this one
            for new in (i, *known.attached.get(i, ()), *e.buses):
                if new not in found:
                    found[new] = None
                    if new in known.at:
                        queue.append(new)
