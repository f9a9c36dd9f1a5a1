"""What is not of three phases alike and brings nothing into a fault, set apart: no fault elsewhere is changed by that.

A part hangs at one node by elements of fewer phases, or of phases that are not alike. Without a source, a motor or a way to earth inside
no current flows into it in a fault outside: what is left has the same faults with it and without it.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Final

from northfell.core.errors import Message
from northfell.core.model.elements import (
    Autotransformer,
    Bus,
    CapacitorBank,
    Changeover,
    EarthingTransformer,
    Element,
    InductionMotor,
    Infeed,
    Inverter,
    StaticLoad,
    Switching,
    SynchronousGenerator,
    SynchronousMotor,
    ThreeWindingTransformer,
    Transformer,
)
from northfell.core.model.network import title_of
from northfell.core.network.compile import Compiled, compile_network
from northfell.core.network.holding import HeldBack
from northfell.core.network.topology import topology_of

BY_PHASE: Final = "by phase"  # the code of what is left to the studies by phase
ALIKE = "this study takes networks of three phases alike; Flow and Faults take it by phase."
TO_EARTH, THROUGH = "to earth", "through"
BRINGS = (Infeed, SynchronousGenerator, Inverter, InductionMotor, SynchronousMotor)
Uneven = Mapping[str, str]  # element id -> why a balanced study cannot take it


def without_what_is_apart(net: Compiled, uneven: Uneven, study: str) -> tuple[Compiled, Uneven]:
    """The network as faults of three phases see it, and what of the uneven elements still stands in it.

    Loads and capacitors that are given by phase carry nothing in a fault; parts that hang at one node and bring nothing are left to the
    studies by phase. Where a part cannot be taken off, what is uneven of it is left, and keeps its island back.
    """
    parts = _Parts(net, {i: why for i, why in uneven.items() if not _draws_only(net.elements[i])})
    cut, held = parts.cut
    left = {i: why for i, why in parts.uneven.items() if not parts.is_cut(i)}
    if not cut:
        return net, left
    topology = topology_of(net.elements, cut)
    made = compile_network(net.network, net.state, study, topology, net.elements)
    return replace(made, held_back=(*made.held_back, *held)), left


def _draws_only(e: Element) -> bool:
    return isinstance(e, CapacitorBank) or (isinstance(e, StaticLoad) and not motors_in(e))


def motors_in(e: Element) -> bool:
    """Whether a load has a share of motors."""
    return bool(getattr(e, "motor_part", 0))


def brings(e: Element) -> bool:
    """Whether an element gives a fault current, or lets one through to earth."""
    return isinstance(e, (*BRINGS, EarthingTransformer)) or motors_in(e)


@dataclass
class _Sets:
    """Which things belong together."""

    parent: dict[str, str] = field(default_factory=dict)

    def of(self, one: str) -> str:
        parent = self.parent
        while (up := parent.get(one, one)) != one:
            parent[one] = one = parent.get(up, up)  # on the way the path is halved
        return one

    def join(self, those: Sequence[str]) -> None:
        for other in those[1:]:
            self.parent[self.of(those[0])] = self.of(other)


Joins = tuple[Element, tuple[str, ...]]  # an element with the buses that it joins


@dataclass
class _Parts:
    net: Compiled
    uneven: Uneven

    @cached_property
    def joining(self) -> list[Joins]:
        """All that joins buses, in service and under voltage."""
        found: list[Joins] = []
        for e in self.net.taking_part.values():
            if e.joined:
                found.append((e, (e.buses[e.joined[0]], e.buses[e.joined[1]])))
            elif len(e.buses) > 1 and not isinstance(e, Switching | Changeover):
                found.append((e, e.buses))
        return found

    @cached_property
    def even(self) -> _Sets:
        """Buses that elements of three phases alike join."""
        return self._joined_by(lambda e: True)

    @cached_property
    def nodes(self) -> _Sets:
        """Buses that closed switches of three poles make one node."""
        return self._joined_by(lambda e: e.joined is not None)

    def _joined_by(self, those: Callable[[Element], bool]) -> _Sets:
        found = _Sets()
        for e, buses in self.joining:
            if those(e) and not self._bars(e):
                found.join(buses)
        return found

    @cached_property
    def active(self) -> set[str]:
        """The parts of three phases in which something brings a current."""
        return {self.even.of(e.buses[0]) for e in self.net.taking_part.values() if e.buses and brings(e)}

    @cached_property
    def parts(self) -> _Sets:
        """What may be set apart together."""
        found = _Sets()
        for e, buses in self.joining:
            if self._bars(e):
                found.join([self.even.of(b) for b in buses if not self._is_active(b)])
        return found

    def _bars(self, e: Element) -> bool:
        return e.id in self.uneven or any(b in self.uneven for b in e.buses)

    def _is_active(self, bus: str) -> bool:
        return self.even.of(bus) in self.active

    def _part(self, bus: str) -> str:
        return self.parts.of(self.even.of(bus))

    @cached_property
    def cut(self) -> tuple[frozenset[str], tuple[HeldBack, ...]]:
        """The elements that join parts which are set apart to the rest, and what is told of those parts."""
        between = [(e, buses) for e, buses in self.joining if self._bars(e)]
        roots: dict[str, set[str]] = {}
        for _, buses in between:
            for inside in (b for b in buses if not self._is_active(b)):
                roots.setdefault(self._part(inside), set()).update(self.nodes.of(b) for b in buses if self._is_active(b))
        able: dict[str, list[str]] = {}
        for k, bus in enumerate(self.net.topology.bus_ids):
            if self.net.topology.fed_bus(k) and not self._is_active(bus) and len(roots.get(self._part(bus), ())) == 1:
                able.setdefault(self._part(bus), []).append(bus)
        able = {p: buses for p, buses in able.items() if not self._ties_to_earth(p)}
        gone = [e.id for e, buses in between if any(self._part(b) in able for b in buses if not self._is_active(b))]
        return frozenset(gone), tuple(self._told(buses) for buses in able.values())

    def is_cut(self, element_id: str) -> bool:
        """Whether an uneven element stands in a part that is set apart, or joins one."""
        cut, held = self.cut
        e = self.net.elements[element_id]
        apart = {b for one in held for b in one.buses}
        at = [element_id] if isinstance(e, Bus) else e.buses
        return element_id in cut or all(self.net.topology.bus_index[b] in apart for b in at)

    def _ties_to_earth(self, part: str) -> bool:
        """Whether a current to earth may flow into a part: from where it hangs, through all that does not bar the zero sequence."""
        left = [(e, buses) for e, buses in self.joining if any(not self._is_active(b) and self._part(b) == part for b in buses)]
        if closes_a_ring(e for e, _ in left):
            return True
        reached = {b for _, buses in left for b in buses if self._is_active(b)}
        while going := [(e, buses) for e, buses in left if any(b in reached for b in buses)]:
            met = {e.id for e, _ in going}
            left = [(e, buses) for e, buses in left if e.id not in met]
            for e, buses in going:
                through = passes(e, e.buses.index(next(b for b in buses if b in reached)))
                if through == TO_EARTH:
                    return True
                reached |= set(buses) if through else set()
        return False

    def _told(self, buses: Sequence[str]) -> HeldBack:
        at = set(buses)
        why = [(self.net.elements[i], w) for i, w in self.uneven.items() if i in at or any(b in at for b in self.net.elements[i].buses)]
        return HeldBack(self.net.name(buses[0]), frozenset(self.net.topology.bus_index[b] for b in buses), (not_alike(why),), BY_PHASE)


def passes(e: Element, near: int) -> str:
    """What an element makes of the zero sequence from one of its terminals on: empty where nothing comes through, else through it, or to earth."""
    if isinstance(e, ThreeWindingTransformer | Autotransformer):
        return TO_EARTH
    if not isinstance(e, Transformer):
        return THROUGH
    if e.bank_units:
        return THROUGH  # to earth where they close a ring
    group = (e.vector_group or "YN").rstrip("0123456789")
    at = next((k for k, letter in enumerate(group) if letter.islower()), len(group))
    own, neutral = (group[:at], e.neutral_hv) if near == 0 else (group[at:], e.neutral_lv)
    earthed = "n" in own.lower() and neutral != "isolated"
    return TO_EARTH if earthed and own[:1].lower() != "d" else ""


def closes_a_ring(those: Iterable[Element]) -> bool:
    """Whether windings between phases, of one-phase units of which the others stand in star, are three at a bus: equal currents flow in them."""
    at = Counter[str]()
    for e in (e for e in those if isinstance(e, Transformer)):
        for u in e.bank_units:
            at.update(bus for own, other, bus in ((u.high, u.low, e.lv_bus), (u.low, u.high, e.hv_bus)) if len(own) == 1 and len(other) == 2)
    return any(n > 2 for n in at.values())


def not_alike(found: Sequence[tuple[Element, str]]) -> str:
    """Why a part is left to the studies by phase: one element of it, and how many more."""
    (first, why), more = found[0], len(found) - 1
    also = f", and so are {more} more elements" if more > 1 else ", and so is another element" if more else ""
    return Message(f"{title_of(first)}: {why}{also}; {ALIKE}", BY_PHASE, first.id)
