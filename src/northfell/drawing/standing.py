"""How a sheet's symbols stand: which way each looks, where its terminals are, and the wires from there to the buses."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from northfell.core.model.elements import Bus, Element
from northfell.core.model.network import Placement
from northfell.drawing.routing import Box, Obstacles, Target, Way, way_to
from northfell.drawing.shapes import Group, Point
from northfell.drawing.symbols import Symbol, Transform
from northfell.drawing.symbols_ieee import symbol_of

STEP = 10.0  # drawing units for one step of the grid


@dataclass(frozen=True)
class Stand:
    """A symbol in its place: how it is turned, its box, and its terminals with the direction in which each looks."""

    symbol: Symbol
    to: Transform
    across: bool
    box: Box
    terminals: tuple[tuple[Point, Point], ...]


@dataclass
class Standing:
    """All symbols of a sheet in place, and all wires; wires to buses on other sheets are absent."""

    stands: dict[str, Stand] = field(default_factory=dict)
    ways: dict[tuple[str, int], Way] = field(default_factory=dict)  # (element, position of the terminal)


@dataclass(slots=True)
class Painted:
    """A group with all that it was painted of."""

    element: Element
    place: Placement
    look: tuple[object, ...]
    seen: tuple[object, ...]  # of its neighbours
    group: Group
    stand: Stand | None = None
    standing: Standing | None = None
    around: tuple[str, ...] = ()  # what stands at a bus


@dataclass
class SheetMemory:
    """What was worked out for a sheet and still holds: kept from one drawing to the next, so that an edit draws only what it touches."""

    symbols: dict[str, tuple[Element, str, Symbol]] = field(default_factory=dict)
    key: tuple[object, ...] = ()
    placements: Mapping[str, Placement] | None = None  # of the sheet, and the elements that stood there, as the key was made of them
    elements: dict[str, Element] = field(default_factory=dict)
    standard: str = ""
    standing: Standing = field(default_factory=Standing)
    painted: dict[str, Painted] = field(default_factory=dict)
    _ordered: tuple[object, int, list[str]] = (None, 0, [])  # of which sheet, how many of it there are, and in which order they are painted
    _seen: tuple[list[Group], Box] = field(default_factory=lambda: ([], (0.0, 0.0, 0.0, 0.0)))  # groups, and what holds them all

    def in_order(self, sheet: object, placed: int, made: Callable[[], list[str]]) -> list[str]:
        """The order in which a sheet is painted, while nothing is put on it or taken off."""
        if self._ordered[0] is not sheet or self._ordered[1] != placed:
            self._ordered = sheet, placed, made()
        return self._ordered[2]

    def view(self, groups: list[Group], made: Callable[[list[Group]], Box]) -> Box:
        """What holds all groups, found anew where one of them takes other room."""
        before = self._seen[0]
        if not groups or len(before) != len(groups) or any(a is not b and a.extent != b.extent for a, b in zip(before, groups, strict=True)):
            self._seen = groups, made(groups)
        else:
            self._seen = groups, self._seen[1]
        return self._seen[1]

    def symbol(self, e: Element, standard: str) -> Symbol:
        known = self.symbols.get(e.id)
        if known is None or known[0] is not e or known[1] != standard:
            known = self.symbols[e.id] = (e, standard, symbol_of(e, standard))
        return known[2]


def standing_of(elements: Mapping[str, Element], placed: Mapping[str, Placement], standard: str, memory: SheetMemory) -> Standing:
    """The symbols and wires of a sheet; found anew only where something moved, was added or was connected otherwise."""
    if _only_looks_changed(elements, placed, standard, memory):
        return memory.standing
    symbols = {i: memory.symbol(elements[i], standard) for i in placed if not isinstance(elements[i], Bus)}
    reach = ((s.terminals, s.half_width, s.top, s.bottom) for s in symbols.values())
    key = (tuple(placed.items()), tuple(zip(symbols, reach, (elements[i].buses for i in symbols), strict=True)))
    if key != memory.key:
        memory.key, memory.standing = key, _found(elements, placed, symbols)
    elif any(memory.standing.stands[i].symbol is not s for i, s in symbols.items()):
        for i, s in symbols.items():
            old = memory.standing.stands[i]
            if old.symbol is not s:
                memory.standing.stands[i] = Stand(s, old.to, old.across, old.box, old.terminals)
    memory.placements, memory.elements, memory.standard = placed, {i: elements[i] for i in placed}, standard
    return memory.standing


def _only_looks_changed(elements: Mapping[str, Element], placed: Mapping[str, Placement], standard: str, memory: SheetMemory) -> bool:
    """Whether all stands where it stood and is connected as it was: then only the symbols of what was edited are put in the place of the old ones."""
    before, was = memory.placements, memory.elements
    if before is None or memory.standard != standard or before.keys() != placed.keys() or any(before[i] is not p for i, p in placed.items()):
        return False
    edited = [i for i in placed if elements[i] is not was[i]]
    stands = memory.standing.stands
    made = {}
    for i in edited:
        e = elements[i]
        if type(e) is not type(was[i]) or e.buses != was[i].buses:
            return False
        if isinstance(e, Bus):
            continue
        old, new = stands[i].symbol, memory.symbol(e, standard)
        if (old.terminals, old.half_width, old.top, old.bottom) != (new.terminals, new.half_width, new.top, new.bottom):
            return False
        made[i] = new
    for i, symbol in made.items():
        old_stand = stands[i]
        if old_stand.symbol is not symbol:
            stands[i] = Stand(symbol, old_stand.to, old_stand.across, old_stand.box, old_stand.terminals)
    for i in edited:
        was[i] = elements[i]
    return True


def _found(elements: Mapping[str, Element], placed: Mapping[str, Placement], symbols: Mapping[str, Symbol]) -> Standing:
    targets = {i: Target(p.x * STEP, p.y * STEP, p.width * STEP) for i, p in placed.items() if isinstance(elements[i], Bus)}
    stands = {i: _stand(elements[i], placed[i], symbol, targets) for i, symbol in symbols.items()}
    obstacles = Obstacles({i: stand.box for i, stand in stands.items()})
    standing = Standing(stands)
    for i, stand in stands.items():
        for k, (bus, (at, outward)) in enumerate(zip(elements[i].buses, stand.terminals, strict=True)):
            if bus in targets:
                standing.ways[i, k] = way_to(at, outward, targets[bus], obstacles, i)
    return standing


def _stand(e: Element, p: Placement, symbol: Symbol, targets: Mapping[str, Target]) -> Stand:
    """Of the ways in which it may be mirrored, the one that brings its terminals nearest to their buses; turned half round, the opposite."""
    x, y, across = p.x * STEP, p.y * STEP, bool(p.turn % 2)
    known = [(k, targets[bus]) for k, bus in enumerate(e.buses) if bus in targets]
    ups, sides = (False, True), (False, True) if len(e.TERMINALS) > 2 else (False,)
    choices = [Transform(x, y, 3 if across else 0, up, side) for up in ups for side in sides]

    def distance(to: Transform) -> float:
        ends = [(to(symbol.terminals[k]), target) for k, target in known]
        return sum(abs(target.nearest(a[0]) - a[0]) + abs(target.y - a[1]) for a, target in ends)

    to = min(choices, key=distance) if known else choices[0]
    if p.turn >= 2:
        to = Transform(x, y, to.turn, not to.flip, to.mirror)
    corners = [to((side * symbol.half_width, end)) for side in (-1, 1) for end in (symbol.top, symbol.bottom)]
    box = (min(c[0] for c in corners), min(c[1] for c in corners), max(c[0] for c in corners), max(c[1] for c in corners))
    terminals = tuple((to(t), _outward(to, t)) for t in symbol.terminals)
    return Stand(symbol, to, across, box, terminals)


def _outward(to: Transform, terminal: Point) -> Point:
    """The direction in which a terminal looks: away from the middle along the symbol's line."""
    (ax, ay), (bx, by) = to((0, 0)), to((0, 1 if terminal[1] > 0 else -1))
    return bx - ax, by - ay
