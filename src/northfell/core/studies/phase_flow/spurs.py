"""Spurs of one phase: what hangs on a place of three by a single phase, with the services behind it."""

from collections.abc import Mapping
from dataclasses import dataclass

from northfell.core.model.elements import Bus, Element
from northfell.core.network import Compiled
from northfell.core.rules.by_phase import PHASES


@dataclass(frozen=True)
class Spur:
    """All of a spur: its buses, what joins them, and what stands at them."""

    phase: str
    at: str  # the bus of more phases on which it hangs
    first: str  # name of what leads into it
    elements: tuple[str, ...]


def spurs(net: Compiled) -> list[Spur]:
    """The spurs that hang on one place by one phase, as drawn: what stands open within them belongs to them; what joins two of them is left out."""
    single = {e.id: e.conductors for e in net.elements.values() if isinstance(e, Bus) and _is_single(e)}
    at, elements = net.network.adjacency.at, net.elements
    seen: set[str] = set()
    found = []
    for start in single:
        if start in seen or not _phase(single[start]):
            continue
        buses, entering, inside = _component(start, single, at, elements)
        seen |= buses
        phases = {p for b in buses if (p := _phase(single[b]))}
        if len(phases) == 1 and len(entering) == 1:
            by, outside = next(iter(entering.items()))
            found.append(Spur(phases.pop(), outside, elements[by].name, tuple(sorted(buses | inside | {by}))))
    return found


def _is_single(bus: Bus) -> bool:
    return sum(c in PHASES for c in bus.conductors) <= 1


def _phase(conductors: str) -> str:
    return next((c for c in conductors if c in PHASES), "")


def _component(start: str, single: Mapping[str, str], at: dict[str, list[str]], elements: Mapping[str, Element]) -> tuple[set[str], dict[str, str], set[str]]:
    """Buses of one part, what leads into it by id with the bus outside, and all that stands within."""
    buses, front = {start}, [start]
    entering: dict[str, str] = {}
    inside: set[str] = set()
    while front:
        bus = front.pop()
        for i in at[bus]:
            e = elements[i]
            others = [b for b in e.buses if b != bus]
            outside = [b for b in others if b not in single]
            if outside:
                entering[i] = outside[0]
                continue
            inside.add(i)
            for b in others:
                if b not in buses:
                    buses.add(b)
                    front.append(b)
    return buses, entering, inside
