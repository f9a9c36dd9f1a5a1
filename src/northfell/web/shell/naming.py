"""How things are called: between which boards an element stands, with junctions that only join two elements looked through; names that are free."""

from collections.abc import Mapping

from northfell.core.model.adjacency import Adjacency
from northfell.core.model.by_element import LastMade
from northfell.core.model.elements import Bus, Element
from northfell.core.model.network import Network

ENDS = "ends"  # code in the address: junctions are listed too


def is_end(e: Element) -> bool:
    """Whether it is a junction, which is no row of its own unless that is asked for."""
    return isinstance(e, Bus) and e.bus_kind == "junction"


class Ends:
    """Names of the boards at the ends of elements."""

    def __init__(self, elements: Mapping[str, Element], adjacency: Adjacency) -> None:
        self._elements, self._at = elements, adjacency.at
        called = [e.name for e in elements.values()], [is_end(elements[bus]) for bus in adjacency.at]
        self._told = _TOLD.of(adjacency, called, dict)

    def of(self, e: Element) -> str:
        """Such as “33 kV intake → 11 kV board A”."""
        told = self._told.get(e.id)
        if told is None:
            told = self._told[e.id] = " → ".join([self._name(bus_id, e) for bus_id in e.buses])
        return told

    def _name(self, bus_id: str, coming_from: Element) -> str:
        seen: set[str] = set()
        while bus_id not in seen:
            seen.add(bus_id)
            bus, there = self._elements[bus_id], self._at.get(bus_id, ())
            if not isinstance(bus, Bus) or bus.bus_kind != "junction" or len(there) > 2:
                break
            others = [e for i in there if (e := self._elements[i]).id != coming_from.id]
            if len(others) != 1:
                break
            (coming_from,) = others
            if len(coming_from.TERMINALS) != 2:
                return coming_from.name
            bus_id = next(b for b in coming_from.buses if b != bus_id)
        return self._elements[bus_id].name


_TOLD: LastMade[Adjacency, dict[str, str]] = LastMade()  # by element, while nothing is connected or called otherwise


def free_proposal_name(network: Network, title: str) -> str:
    """A name for a proposal that is not taken yet."""
    base = title[:70].strip()
    taken = {p.name for p in network.proposals}
    return next(n for n in (base, *(f"{base} ({k})" for k in range(2, 1000))) if n not in taken)
