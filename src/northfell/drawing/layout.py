"""Placing a network that comes without coordinates: away from the supplies, each bus over what it feeds, nothing on top of another.

Radial parts are trees. A branch that closes a loop hangs at its deeper bus, and its wire goes up to the other; a switch that ties two
neighbours in a row stands between them. A board with many ways hangs them on two shelves where that makes the sheet less wide: the
lines of the lower one pass between what hangs on the upper; or on several, in columns, beside which the lines run down.
Room is taken by what is drawn: symbols, names, the values of a study.
"""

import math
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from northfell.core.model.elements import DELIVERING, PROTECTION, Bus, Element, Switching
from northfell.core.model.network import Placement
from northfell.drawing.growing import DEVICE_DEPTH, beside, way_x
from northfell.drawing.metrics import width
from northfell.drawing.words import DATA_SIZE, NAME_SIZE, short_data

TOP, LEFT = 8.0, 4.0
VALUES = 7.0  # steps that the value tag of a study may take
WIDEST = 2400.0  # of a sheet, in steps: a network that takes more is parted
WIDE = 1.7  # how much wider than high a sheet is meant to be
END_HEIGHT, LOOP_HEIGHT = 9.0, 10.0
MOST_SHELVES = 8  # one below the other on one board
BETTER = 0.85  # of the size so far, which another way of hanging must stay below
GAP = 8.0  # between neighbours in a row that a switch ties


@dataclass
class _Item:
    """What hangs on a bus: an end, a branch that closes a loop, or a branch to a bus further on; with its reach to both sides."""

    element: str
    child: str = ""
    left: float = 2.0
    right: float = 2.0
    at: float = 0.0  # from the left end of the bus
    drop: float = 0.0  # by which it hangs lower, on the second shelf
    leads: bool = True  # a fork leads to two buses, but is placed once


@dataclass
class _Node:
    items: list[_Item] = field(default_factory=list)
    above: list[str] = field(default_factory=list)  # sources over a bus that starts a tree
    level: int = 0
    bar: float = 0.0  # width; 0 for a point
    anchor: float = 0.0  # where the line from above arrives, from the left end
    left: float = 1.0
    right: float = 1.0
    step: float = DEVICE_DEPTH  # down to the buses that it leads to
    height: float = 2.0


def laid_out(elements: Mapping[str, Element], room: Mapping[str, tuple[float, float]] | None = None) -> dict[str, Placement]:
    """Placements of all elements; `room` is the width and height that boards take for a schedule inside their symbol, in steps."""
    tree = _Tree(elements, room=room or {})
    return tree.placed()


def sheets_of(elements: Mapping[str, Element], widest: float = WIDEST) -> list[dict[str, Placement]]:
    """Placements of all elements on as many sheets as they need: none wider than `widest` steps, as far as a single way allows.

    What hangs on a board goes on to further sheets together, and the board stands on each of them. A branch whose other end stands elsewhere
    leads there by a reference.
    """
    tree = _Tree(elements)
    parts = tree.parts(widest)
    if len(parts) <= 1:
        return [tree.placed()]
    sheets: list[dict[str, Placement]] = []
    drawn: set[str] = set()
    for part in parts:
        there = {i: elements[i] for i in elements if i in part}  # in their order
        closed = {i: e for i, e in there.items() if all(b in there for b in e.buses) and (e.holder is None or e.holder in there)}
        places = _Tree(closed).placed()
        for n, (i, e) in enumerate((i, e) for i, e in there.items() if i not in closed and e.buses):
            at = places[next(b for b in e.buses if b in places)]
            places[i] = Placement(x=at.x + at.width + 4 + 3 * (n % 8), y=at.y + 5)
        drawn |= places.keys()
        sheets.append(places)
    return sheets


def hung(elements: Mapping[str, Element], board_id: str, ways: Iterable[Iterable[str]], places: Mapping[str, Placement]) -> dict[str, Placement]:
    """Placements for ways of a board that were not drawn: each where there is room below it, the board as long as they need."""
    made = dict(places)
    found: dict[str, Placement] = {}
    ends = {i: e.buses for i, e in elements.items()}
    holders = {i: e.holder for i, e in elements.items() if e.holder}
    for way in ways:
        part = {i: elements[i] for i in (board_id, *way)}
        tree = _Tree(part, root=board_id)
        (item,) = [one for one in tree.nodes[board_id].items if one.leads] or [_Item("")]
        x, moved = way_x(made, ends, holders, board_id, item.left, item.right)
        made |= moved
        found |= moved
        board = made[board_id]
        own = tree.placed(origin=(x - item.at, board.y))
        own.pop(board_id)
        found |= own
        made |= own
        made[board_id] = found[board_id] = board.model_copy(update={"width": max(board.width, x + 3 - board.x)})
    return found


class _Tree:
    """Trees that reach every bus, from the supplies on."""

    def __init__(self, elements: Mapping[str, Element], root: str = "", room: Mapping[str, tuple[float, float]] | None = None) -> None:
        self.elements = elements
        self.room = room or {}
        self.nodes = {e.id: _Node() for e in elements.values() if isinstance(e, Bus)}
        self.order: list[str] = []  # breadth first
        self.relayed = {e.breaker for e in elements.values() if isinstance(e, PROTECTION)}
        self.reached: set[str] = set()
        self.roots: list[str] = []
        self.ties: list[str] = []
        links = self._links()
        supplies = [e.buses[0] for kind in DELIVERING for e in elements.values() if e.kind == kind]
        for start in [root] if root else [*supplies, *self.nodes]:
            self._spread(start, links)
        self._loops()
        for bus in reversed(self.order):
            self._measure(bus)

    def _links(self) -> dict[str, list[tuple[str, str]]]:
        links: dict[str, list[tuple[str, str]]] = {b: [] for b in self.nodes}
        for e in self.elements.values():
            for a in e.buses:
                links[a] += [(e.id, b) for b in e.buses if b != a]
        return links

    def _spread(self, start: str, links: Mapping[str, list[tuple[str, str]]]) -> None:
        """A tree from a bus, unless one reached it already."""
        if start in self.reached:
            return
        self.reached.add(start)
        self.roots.append(start)
        self.order.append(start)
        for at in self._growing(len(self.order) - 1):
            used: set[str] = {item.element for item in self.nodes[at].items}
            for element_id, other in links[at]:
                if other not in self.reached:
                    self.reached.add(other)
                    self.nodes[other].level = self.nodes[at].level + 1
                    self.nodes[at].items.append(_Item(element_id, other, leads=element_id not in used))
                    used.add(element_id)
                    self.order.append(other)

    def _growing(self, at: int) -> Iterable[str]:
        """The order from a position on, while it grows."""
        while at < len(self.order):
            yield self.order[at]
            at += 1

    def _loops(self) -> None:
        """What is left hangs: ends on their bus, sources over a root, branches that close a loop on their deeper end."""
        leading = {item.element for node in self.nodes.values() for item in node.items}
        for e in self.elements.values():
            if e.id in leading or not e.buses:
                continue
            deepest = max(e.buses, key=lambda b: self.nodes[b].level)
            node = self.nodes[deepest]
            levels = {self.nodes[b].level for b in e.buses}
            if len(e.buses) == 1 and deepest in self.roots and e.ABOUT.delivers:
                node.above.append(e.id)
            else:
                node.items.append(_Item(e.id))
                if isinstance(e, Switching) and len(levels) == 1:
                    self.ties.append(e.id)

    def _measure(self, bus_id: str) -> None:
        node, bus = self.nodes[bus_id], self.elements[bus_id]
        for item in node.items:
            left, right = self._reach(item.element) if item.leads else (1.0, 1.0)
            if item.child:
                left, right = max(left, self.nodes[item.child].left), max(right, self.nodes[item.child].right)
            item.left, item.right = math.ceil(left), math.ceil(right)
        self._deepen(node)
        taken = self._hang(node)
        if getattr(bus, "bus_kind", "") == "junction":
            node.anchor = node.items[0].at if node.items else 0.0
            node.left, node.right = max(node.anchor, 1.0), max(taken - node.anchor, 1.0)
            return
        wide, high = self.room.get(bus_id, (0.0, 0.0))
        if wide:  # what hangs on a board stands beside its schedule
            for item in node.items:
                item.at += math.ceil(wide)
            taken += math.ceil(wide)
        tied = any(bus_id in self.elements[tie].buses for tie in self.ties)
        named = width(bus.name, NAME_SIZE, True) / 10 + 2 + VALUES
        node.bar = math.ceil(max(taken, named, 12.0 * len(node.above)))
        node.anchor = float(round(node.bar / 2))
        node.height = max(node.height, high)
        node.left, node.right = node.anchor + 1.5, max(node.bar, wide) - node.anchor + 1.5 + (GAP if tied else 0.0)

    def _deepen(self, node: _Node) -> None:
        """How far below a bus the next ones stand: as deep as the branches that lead there, with lanes for what closes loops."""
        loops = 0
        for item in node.items:
            e = self.elements[item.element]
            if item.child:
                node.step = max(node.step, 8.0 if len(e.TERMINALS) > 2 else e.ABOUT.depth or DEVICE_DEPTH)
            elif len(e.TERMINALS) > 1:
                loops += 1
        node.step += 2.5
        if loops:
            node.step = max(node.step, END_HEIGHT) + min(4 + 0.5 * loops, 14.0)

    def _hang(self, node: _Node) -> float:
        """Put what hangs on a bus below it so that the sheet is as little wider than it is meant to be as can be; returns the width it takes."""
        taken = self._shelve(node, 1)
        further = sum(bool(item.child) for item in node.items)
        if further < 3 or taken <= WIDE * node.height:
            return taken
        best, hang, shelves = max(taken, WIDE * node.height), self._shelve, 1
        for way, many in ((self._shelve, 2), *((self._stack, k) for k in range(2, MOST_SHELVES + 1))):
            taken = way(node, many)
            if (size := max(taken, WIDE * node.height)) < BETTER * best:
                best, hang, shelves = size, way, many
        taken = hang(node, shelves)
        if hang == self._shelve:
            return taken
        for n, item in enumerate(node.items):
            if n % shelves and item.child:
                self._lean(item.child)
        return taken

    def _stack(self, node: _Node, shelves: int) -> float:
        """Put what hangs on a bus in columns of several shelves: the line of each passes to the right of what stands above it in its column."""
        reach = [self._lean_reach(item) if n % shelves else (item.left, item.right) for n, item in enumerate(node.items)]
        heights = [self._height(node, item) for item in node.items]
        rows = [max(heights[shelf::shelves], default=0.0) for shelf in range(shelves)]
        start = end = 0.0
        for n, (item, (left, right)) in enumerate(zip(node.items, reach, strict=True)):
            shelf = n % shelves
            if shelf == 0:
                start = end
            item.at, item.drop = max(start + left, end + 1 if shelf else 0.0), sum(rows[:shelf]) + shelf
            end = item.at + right
        node.height = max(item.drop + height for item, height in zip(node.items, heights, strict=True))
        return end

    def _lean_reach(self, item: _Item) -> tuple[float, float]:
        """The reach of what hangs on a bus to both sides of its line, where that comes to the right end of the board that it leads to."""
        left, right = self._reach(item.element) if item.leads else (1.0, 1.0)
        node = self.nodes.get(item.child)
        if node is None:
            return item.left, item.right
        if node.bar:
            shift = max(node.bar - 2 - node.anchor, 0.0)
            further = node.left + shift, node.right - shift
        elif len(node.items) == 1:
            further = self._lean_reach(node.items[0])
        else:
            further = node.left, node.right
        return float(math.ceil(max(left, further[0]))), float(math.ceil(max(right, further[1])))

    def _lean(self, bus_id: str) -> None:
        """Let the line from above come to the right end of a board, or of that to which a junction leads."""
        node = self.nodes[bus_id]
        if node.bar:
            shift = max(node.bar - 2 - node.anchor, 0.0)
            node.anchor, node.left, node.right = node.anchor + shift, node.left + shift, node.right - shift
        elif len(node.items) == 1:
            (item,) = node.items
            item.left, item.right = self._lean_reach(item)
            item.at = node.anchor = node.left = item.left
            node.right = item.right
            if item.child:
                self._lean(item.child)

    def _shelve(self, node: _Node, shelves: int) -> float:
        """Put what hangs on a bus side by side, on one shelf or alternately on two; returns the width it takes."""
        upper, lower, taken = 0.0, 0.0, 0.0  # right ends on each shelf, and of all
        highest = max((self._height(node, item) for item in node.items[::shelves]), default=0.0)
        for number, item in enumerate(node.items):
            below = shelves == 2 and number % 2 == 1
            if below:  # its line passes what hangs above, to the right of it
                item.at, item.drop = max(upper + 1, lower + item.left), highest + 1
                lower, upper = item.at + item.right, item.at + 1
            else:
                item.at, item.drop = upper + item.left, 0.0
                upper = item.at + item.right
            taken = max(taken, upper, lower)
        node.height = max((item.drop + self._height(node, item) for item in node.items), default=2.0)
        return taken

    def _height(self, node: _Node, item: _Item) -> float:
        if item.child:
            return node.step + self.nodes[item.child].height
        return LOOP_HEIGHT if len(self.elements[item.element].TERMINALS) > 1 else END_HEIGHT

    def _reach(self, element_id: str) -> tuple[float, float]:
        """How far a symbol with its words reaches to the left and to the right of its line."""
        e = self.elements[element_id]
        name, data = width(e.name, NAME_SIZE, True) / 10, width(short_data(e), DATA_SIZE, mono=True) / 10
        if len(e.TERMINALS) == 1:
            half = max(name + 1.5, data, VALUES - 1) / 2 + 0.7
            return half, half
        if isinstance(e, Switching):
            return 6.0 if element_id in self.relayed else 2.0, 2.0 + name
        return 3.0, 2.5 + max(name, data, VALUES)

    def parts(self, widest: float) -> list[set[str]]:
        """What stands together on each sheet: trees side by side, and where one is too wide, what is cut from it."""
        holders: dict[str, list[str]] = {}
        for e in self.elements.values():
            if e.holder:
                holders.setdefault(e.holder, []).append(e.id)
        held: dict[str, set[str]] = {}  # what is still to be drawn with a bus: itself, and what hangs on it
        wide: dict[str, float] = {}
        parted: set[str] = set()
        cut: list[set[str]] = []
        for bus in reversed(self.order):
            node = self.nodes[bus]
            own, taken = {bus, *node.above}, 0.0
            whole = not any(item.child in parted for item in node.items)
            if whole and node.left + node.right <= widest:  # as it was measured
                held[bus] = own | {item.element for item in node.items} | {i for item in node.items if item.child for i in held.pop(item.child)}
                wide[bus] = node.left + node.right
                continue
            parted.add(bus)
            shelves = 2.0 if sum(bool(item.child) for item in node.items) >= 4 else 1.0
            kept = False
            for item in node.items:
                room = item.left + item.right if not item.child else max(item.left + item.right if item.leads else 2.0, wide[item.child])
                room /= shelves
                new = {item.element, *held.get(item.child, ())}
                if taken + room > widest and taken > 0:
                    cut.append(own)
                    own, taken, kept = {bus}, 0.0, True
                own |= new
                taken += room
            if kept:
                cut.append(own)
                own, taken = {bus, *node.above}, 0.0
            held[bus], wide[bus] = own, max(taken, node.bar and 12.0, 2.0)
        sheets: list[set[str]] = []
        room = widest
        for root in self.roots:
            if room + wide[root] + 4 > widest:
                sheets.append(set())
                room = 0.0
            sheets[-1] |= held[root]
            room += wide[root] + 4
        sheets += reversed(cut)
        return [part | {h for i in part for h in holders.get(i, ())} for part in sheets if part]

    def placed(self, origin: tuple[float, float] | None = None) -> dict[str, Placement]:
        """Where everything stands; with the left end of the first bus at `origin`, if given."""
        places: dict[str, Placement] = {}
        x, y = origin if origin else (LEFT, TOP)
        for root in self.roots:
            node = self.nodes[root]
            self._place(root, x + node.anchor if origin else x + node.left, y, places)
            x += node.left + node.right + 4
        self._tie(places)
        self._attach(places)
        return places

    def _place(self, root: str, x: float, y: float, places: dict[str, Placement]) -> None:
        stack = [(root, x, y)]
        while stack:
            bus, line_x, y = stack.pop()
            node = self.nodes[bus]
            start = line_x - node.anchor
            places[bus] = Placement(x=start if node.bar else line_x, y=y, width=node.bar)
            for number, source in enumerate(node.above):
                over = start + (node.bar * (number + 1)) // (len(node.above) + 1) if node.bar else line_x + 6 * number
                places[source] = Placement(x=over, y=y - 5)
            for item in node.items:
                e, at, below = self.elements[item.element], start + item.at, y + item.drop
                if item.child:
                    stack.append((item.child, at, below + node.step))
                    if item.leads:
                        fork = len(e.TERMINALS) > 2
                        deep = 8.0 if fork else e.ABOUT.depth or DEVICE_DEPTH
                        places[e.id] = Placement(x=at + (1 if fork else 0), y=below + (1.0 if node.bar else 0.0) + deep / 2)
                else:
                    places[e.id] = Placement(x=at, y=below + (5.0 if len(e.buses) > 1 else 4.0))

    def _tie(self, places: dict[str, Placement]) -> None:
        """A switch between two neighbours of a row stands in the gap; others hang where they are."""
        for tie in self.ties:
            a, b = sorted((places[bus] for bus in self.elements[tie].buses), key=lambda p: p.x)
            between = [i for i, p in places.items() if i != tie and abs(p.y - a.y) < 3 and a.x + a.width < p.x < b.x]
            if a.y == b.y and a.width and b.width and not between and b.x - a.x - a.width >= 4:
                places[tie] = Placement(x=math.floor(a.x + a.width + min(4.0, (b.x - a.x - a.width) / 2)), y=a.y, turn=1)

    def _attach(self, places: dict[str, Placement]) -> None:
        """Protection left of its breaker, current transformers at the line below what they measure; more of a kind farther out."""
        there: Counter[tuple[str, str]] = Counter()
        for e in self.elements.values():
            if e.holder in places:
                places[e.id] = beside(e.kind, places[e.holder], there[e.kind, e.holder])
                there[e.kind, e.holder] += 1
