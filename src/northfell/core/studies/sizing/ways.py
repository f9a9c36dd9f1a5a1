"""Where each cable stands in a state: which end is fed, what protects it, what hangs on it.

It goes by the drawing, so that a cable without data has a place too.
"""

from collections.abc import Container, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from northfell.core.model.elements import Bus, Cable, Changeover, Conductor, Element, Infeed, Switching, ThreeWindingTransformer, Transformer
from northfell.core.model.network import Network

ENDS_NOWHERE = 10**9


@dataclass(frozen=True)
class Way:
    """A chain without branches, of which a cable is a part: from where it is fed to what it ends at."""

    cable: Cable
    near: str  # bus of the cable toward the supply
    far: str
    before: tuple[str, ...]  # switching devices and conductors between its origin and the cable, next to the cable first
    after: tuple[str, ...]
    origin: str  # id of what the chain begins at: a bus, a transformer, a source
    end: str  # id of what it ends at: a bus, a consumer, a transformer, a source; empty: at nothing
    origin_bus: str
    end_bus: str


@dataclass
class Ways:
    """The ways of a state; switches as they stand."""

    network: Network
    elements: Mapping[str, Element]
    _below: dict[str, list[str]] = field(default_factory=dict)

    @cached_property
    def depth(self) -> dict[str, int]:
        """Steps of each bus from the nearest infeed; of what no infeed reaches, from the nearest other source. What is not there is not fed."""
        feeding = [e for e in self.elements.values() if e.feeds and self.lives(e)]
        infeeds = [e for e in feeding if isinstance(e, Infeed)]
        found: dict[str, int] = {}
        for sources in (infeeds, [e for e in feeding if not isinstance(e, Infeed)]):
            queue = [e.buses[0] for e in sources if e.buses[0] not in found]
            found.update(dict.fromkeys(queue, 0))
            for bus in queue:
                for e in self.at(bus):
                    for other in self.through(e, bus):
                        if other not in found:
                            found[other] = found[bus] + 1
                            queue.append(other)
        return found

    def lives(self, e: Element) -> bool:
        return all(self.elements[i].in_service for i in (e.id, *e.buses) if i in self.elements)

    def at(self, bus: str) -> list[Element]:
        """What is in service at a bus."""
        return [e for i in self.network.adjacency.at.get(bus, ()) if (e := self.elements.get(i)) is not None and self.lives(e)]

    def through(self, e: Element, bus: str) -> tuple[str, ...]:
        """The buses that an element joins to one of its buses."""
        if isinstance(e, Switching | Changeover):
            pair = [e.buses[k] for k in e.joined or ()]
            return tuple(b for b in pair if b != bus) if bus in pair else ()
        return tuple(b for b in e.buses if b != bus)

    def of(self, cable: Cable) -> Way | None:
        """The way of a cable; None where neither end is fed."""
        a, b = cable.buses
        steps = [self.depth.get(bus, ENDS_NOWHERE) for bus in (a, b)]
        if min(steps) == ENDS_NOWHERE or not self.lives(cable):
            return None
        near, far = (a, b) if steps[0] <= steps[1] else (b, a)
        before, origin, origin_bus = self._along(near, cable)
        after, end, end_bus = self._along(far, cable)
        return Way(cable, near, far, before, after, origin, end, origin_bus, end_bus)

    def _along(self, bus: str, came: Element) -> tuple[tuple[str, ...], str, str]:
        """From a bus on, away from an element, through what has no branches: what is met, what it ends at, and the last bus."""
        met: list[str] = []
        while True:
            here = self.elements[bus]
            others = [e for e in self.at(bus) if e.id != came.id]
            if (isinstance(here, Bus) and here.bus_kind != "junction") or len(others) > 1:
                return tuple(met), bus, bus
            if not others:
                return tuple(met), "", bus
            one = others[0]
            beyond = self.through(one, bus)
            if not isinstance(one, Switching | Conductor | Changeover):
                return tuple(met), one.id, bus
            if not beyond:  # it stands open
                return tuple(met), "", bus
            met.append(one.id)
            came, bus = one, beyond[0]
            if one.id in met[:-1]:
                return tuple(met), bus, bus

    def chain(self, bus: str, came: Element) -> tuple[str, ...]:
        """What stands on a way without branches from a bus, away from an element."""
        return self._along(bus, came)[0]

    def ends_at(self, bus: str, came: Element) -> str:
        """What such a way ends at."""
        return self._along(bus, came)[1]

    def feeding(self, bus: str, devices: Container[str]) -> list[Element]:
        """The protective devices through which a bus is fed, next to it on the ways to its supply."""
        return self.feeding_across(bus, devices)[0]

    def feeding_across(self, bus: str, devices: Container[str]) -> tuple[list[Element], frozenset[str]]:
        """The same, and which of them stand beyond a transformer."""
        found: dict[str, Element] = {}
        across: set[str] = set()
        seen, queue = {bus}, [(bus, False)]
        while queue:
            at, beyond = queue.pop()
            for e in self.at(at):
                for other in self.through(e, at):
                    if self.depth.get(other, ENDS_NOWHERE) >= self.depth.get(at, ENDS_NOWHERE) or other in seen:
                        continue
                    if e.id in devices:
                        found[e.id] = e
                        if beyond:
                            across.add(e.id)
                    else:
                        seen.add(other)
                        queue.append((other, beyond or isinstance(e, Transformer | ThreeWindingTransformer)))
        return list(found.values()), frozenset(across)

    def sources_beside(self, bus: str, barred: Container[str]) -> list[str]:
        """The names of sources that reach a bus otherwise than through some elements."""
        found: dict[str, None] = {}
        seen, queue = {bus}, [bus]
        for at in queue:
            for e in self.at(at):
                if e.id in barred:
                    continue
                if e.feeds:
                    found[e.name] = None
                for other in self.through(e, at):
                    if other not in seen:
                        seen.add(other)
                        queue.append(other)
        return list(found)

    def below(self, bus: str, came_from: str) -> list[Element] | None:
        """All that a bus feeds, away from an element; None where another supply is met there too."""
        found: dict[str, Element] = {}
        seen, queue = {bus}, [bus]
        for at in queue:
            for e in self.at(at):
                if e.id == came_from:
                    continue
                if e.feeds:
                    return None
                found[e.id] = e
                for other in self.through(e, at):
                    if other not in seen:
                        if self.depth.get(other, ENDS_NOWHERE) < self.depth.get(bus, ENDS_NOWHERE):
                            return None
                        seen.add(other)
                        queue.append(other)
        return list(found.values())
