"""Closed loops of a network, phase by phase: each branch that closes one, with the way round through the others."""

from collections.abc import Iterator
from dataclasses import dataclass

from northfell.core.model.elements import CurrentTransformer, Element, VoltageTransformer
from northfell.core.network import Compiled
from northfell.core.rules.by_phase import PHASES, conductors_of


@dataclass(frozen=True)
class Loop:
    """A loop, with the elements all round it."""

    phases: str
    elements: tuple[str, ...]  # ids; the first is the one that closes it


def loops(net: Compiled) -> list[Loop]:
    """The loops that branches in service and closed devices make: those with the same elements in several phases once."""
    found: dict[frozenset[str], tuple[str, tuple[str, ...]]] = {}
    joining = [(e, conductors_of(e, net.elements), ends) for e in net.taking_part.values() for ends in _ends(e)]
    for p in PHASES:
        for way in _closed(joining, p):
            key = frozenset(way)
            found[key] = (found[key][0] + p if key in found else p, way)
    return [Loop(phases, way) for phases, way in found.values()]


def _ends(e: Element) -> Iterator[tuple[str, str]]:
    if isinstance(e, CurrentTransformer | VoltageTransformer) or len(e.buses) < 2:
        return
    if e.joined is not None:
        yield e.buses[e.joined[0]], e.buses[e.joined[1]]
    elif not hasattr(e, "closed") and len(e.buses) == 2:
        yield e.buses[0], e.buses[1]


def _closed(joining: list[tuple[Element, str, tuple[str, str]]], phase: str) -> Iterator[tuple[str, ...]]:
    """The ways round in one phase, by a forest that grows branch by branch."""
    parent: dict[str, str] = {}
    tree: dict[str, list[tuple[str, str]]] = {}

    def root(bus: str) -> str:
        while parent.setdefault(bus, bus) != bus:
            parent[bus] = parent[parent[bus]]
            bus = parent[bus]
        return bus

    for e, conductors, (a, b) in joining:
        if phase not in conductors or phase in (getattr(e, "open_poles", None) or ""):
            continue
        if root(a) == root(b):
            yield (e.id, *_way(tree, a, b))
            continue
        parent[root(a)] = root(b)
        tree.setdefault(a, []).append((b, e.id))
        tree.setdefault(b, []).append((a, e.id))


def _way(tree: dict[str, list[tuple[str, str]]], a: str, b: str) -> list[str]:
    """The elements from one bus to another through the forest."""
    came: dict[str, tuple[str, str]] = {a: ("", "")}
    front = [a]
    while front and b not in came:
        front_next = []
        for bus in front:
            for other, by in tree.get(bus, ()):
                if other not in came:
                    came[other] = (bus, by)
                    front_next.append(other)
        front = front_next
    way = []
    while b != a:
        b, by = came[b]
        way.append(by)
    return way
