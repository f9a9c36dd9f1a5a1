"""A sheet of the network as shapes: buses, symbols, wires, words, and references to what stands on other sheets."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from northfell.core.model.adjacency import Adjacency
from northfell.core.model.elements import Bus, Changeover, Element, StaticLoad, Switching
from northfell.core.model.network import Placement, Sheet
from northfell.core.model.settings import UnitSettings
from northfell.core.rules.ways import Connections, ways_of
from northfell.drawing.metrics import width
from northfell.drawing.schedule import schedule_box
from northfell.drawing.shapes import Circle, Group, Line, Point, Polygon, Rect, Shape, Style, Text
from northfell.drawing.standing import STEP, Painted, SheetMemory, Stand, Standing, standing_of
from northfell.drawing.symbols import Transform, moved
from northfell.drawing.words import DATA, DATA_SIZE, NAME, NAME_SIZE, NO_TAG, SI, VALUE, VALUE_SIZE, Tag, wedge, words_of

WIRE = Style(cls="w")
BAR = Style(cls="bar")
MARGIN, LEGEND = 18.0, 40.0  # room below for the legend
NAMES_PART, LEGEND_PART = 0.03, 0.075  # of the height of a sheet, above and below it, since neither is written smaller on a large one
SMALLEST = (640.0, 360.0)


@dataclass
class Drawing:
    """Groups in the order in which they are painted, and what holds them all."""

    groups: list[Group] = field(default_factory=list)
    view: tuple[float, float, float, float] = (0, 0, 600, 400)
    standing: Standing = field(default_factory=Standing)


def draw(
    elements: Mapping[str, Element],
    sheet: Sheet,
    energised: Mapping[str, bool],
    tags: Mapping[str, Tag],
    selected: str = "",
    missing: frozenset[str] = frozenset(),
    *,
    standard: str = "IEC 60617",
    memory: SheetMemory | None = None,
    others: Sequence[Sheet] = (),
    units: UnitSettings = SI,
    adjacency: Adjacency | None = None,
) -> Drawing:
    """The elements placed on a sheet, in one state.

    Parameters
    ----------
    elements, sheet
        In the state to be shown, and where they stand.
    energised : mapping of element id to bool
        What is not fed is drawn so.
    tags : mapping of element id to Tag
        Values of the current stage.
    selected : str
        Id of the element with the halo.
    missing : set of element ids
        Those that lack data for the current stage.
    standard : str
        After which symbols are drawn.
    memory : SheetMemory, optional
        What earlier drawings of the same sheet worked out; what still holds is taken from it.
    others : sequence of Sheet
        The other sheets, to which references lead.
    units : UnitSettings
        For lengths and conductor sizes.
    adjacency : Adjacency, optional
        Of the elements, where it is known.
    """
    memory = memory if memory is not None else SheetMemory()
    placed = {i: p for i, p in sheet.placements.items() if i in elements}
    painter = _Painter(elements, placed, standing_of(elements, placed, standard, memory), Connections(elements, adjacency), others)
    standing, painted, groups = painter.standing, memory.painted, []
    for i in memory.in_order(sheet, len(placed), lambda: _in_order(elements, placed)):
        look = (energised.get(i, True), tags.get(i, NO_TAG), i == selected, i in missing, units)
        e, known, stand = elements[i], painted.get(i), standing.stands.get(i)
        # what stands as it stood, among wires and neighbours that are as they were, takes nothing else from these
        place, around = placed[i], () if stand else tuple(painter.connections.at[i])
        as_it_was = known is not None and known.standing is standing and known.stand is stand and known.around == around and not place.schedule
        seen = known.seen if known is not None and as_it_was else painter.seen(e)
        if known is None or known.element is not e or known.look != look or (known.place is not place and known.place != place) or known.seen != seen:
            known = painted[i] = Painted(e, place, look, seen, painter.group(e, _Look(*look), seen))
        known.stand, known.standing, known.around = stand, standing, around
        groups.append(known.group)
    groups += painter.references()
    for gone in memory.painted.keys() - placed.keys():
        del memory.painted[gone]
    return Drawing(groups, memory.view(groups, _view), painter.standing)


def _in_order(elements: Mapping[str, Element], placed: Mapping[str, Placement]) -> list[str]:
    """Boards below, points within reach of the pointer above all."""
    below: tuple[list[str], ...] = ([], [], [])
    for i, p in placed.items():
        below[0 if p.width else 2 if isinstance(elements[i], Bus) else 1].append(i)
    return [*below[0], *below[1], *below[2]]


def _view(groups: list[Group]) -> tuple[float, float, float, float]:
    """What holds all groups, with a margin, and room for the legend below; of a large sheet also above, for names that are written larger from afar."""
    if not groups:
        return (0, 0, 600, 400 + LEGEND)
    lefts, tops, rights, bottoms = zip(*[g.extent for g in groups], strict=True)
    left, top, right, bottom = min(lefts) - MARGIN, min(tops), max(rights) + MARGIN, max(bottoms)
    top, bottom = top - max(MARGIN, NAMES_PART * (bottom - top)), bottom + max(MARGIN, LEGEND_PART * (bottom - top) - LEGEND)
    wider, higher = max(SMALLEST[0] - right + left, 0.0), max(SMALLEST[1] - bottom + top, 0.0)  # a few symbols are not blown up
    return (left - wider / 2, top - higher / 2, right - left + wider, bottom - top + higher + LEGEND)


def _pointer(stand: Stand, toward: int) -> Polygon:
    """The direction of power, on the wire at the first terminal."""
    (x, y), (dx, dy) = stand.terminals[0]
    far = math.hypot(dx, dy) or 1.0
    dx, dy = -toward * dx / far, -toward * dy / far  # a terminal looks away from its symbol
    tip, back = (x + 5 * dx, y + 5 * dy), (x - 4 * dx, y - 4 * dy)
    side = (-3.4 * dy, 3.4 * dx)
    return Polygon((tip, (back[0] + side[0], back[1] + side[1]), (back[0] - side[0], back[1] - side[1])), Style(cls="pointer"))


def _hatch(box: tuple[float, float, float, float]) -> list[Shape]:
    """Crossed strokes over what is to be removed."""
    left, top, right, bottom = box
    x, y, half = (left + right) / 2, (top + bottom) / 2, 7.0
    strokes = [((x - half + d, y + half), (x + half + d, y - half)) for d in (-4.0, 4.0)]
    return [Line(line, Style(cls="s hatch")) for a, b in strokes for line in ((a, b), ((a[0], b[1]), (b[0], a[1])))]


@dataclass(frozen=True)
class _Look:
    """What the look of an element depends on beside itself and its place."""

    fed: bool
    tag: Tag
    selected: bool
    missing: bool
    units: UnitSettings


@dataclass
class _Painter:
    elements: Mapping[str, Element]
    placed: Mapping[str, Placement]
    standing: Standing
    connections: Connections
    others: Sequence[Sheet]

    def seen(self, e: Element) -> tuple[object, ...]:
        """What the group of an element takes from its neighbours, so that it is painted anew when they change."""
        if isinstance(e, Bus):
            p = self.placed[e.id]
            around = tuple(i for i in self.connections.at[e.id] if i in self.placed)
            crossing = self._wires_above(e, around) if p.width else ()
            ways = tuple(self.elements[i] for way in self._folded(e) for i in way)
            return (len(around), crossing, ways)
        holder = e.holder
        stand = self.standing.stands[e.id]
        return (stand, tuple(self.standing.ways.get((e.id, k)) for k in range(len(e.TERMINALS))), self.placed.get(holder) if holder else None)

    def group(self, e: Element, look: _Look, seen: tuple[object, ...]) -> Group:
        classes = ["el", e.kind]
        classes += ["dead"] if not look.fed else []
        classes += ["selected"] if look.selected else []
        classes += ["lacking"] if look.missing else []
        classes += [look.tag.tone] if look.tag.tone else []
        classes += ["shaded"] if look.tag.shade else []
        classes += [e.status.replace(" ", "-")] if e.status != "existing" else []
        state = "" if look.fed else ", not fed"
        state += f", {e.status}" if e.status != "existing" else ""
        if isinstance(e, Switching):
            state += ", closed" if e.closed else ", open"
        elif isinstance(e, Changeover):
            state += f", position {e.position}"
        g = Group(cls=" ".join(classes), element=e.id, title=f"{e.TITLE} {e.name}{state}")
        if not isinstance(e, Bus):
            self._symbol(g, e, look)
        elif self.placed[e.id].width:
            self._board(g, e, look)
        else:
            self._point(g, e, look)
        return g

    def point(self, i: str) -> Point:
        p = self.placed[i]
        return p.x * STEP, p.y * STEP

    def _board(self, g: Group, e: Bus, look: _Look) -> None:
        """A bus as a bar, with a band behind it that takes the shade of its voltage, and its schedule below where it keeps one."""
        (x, y), w, tag = self.point(e.id), self.placed[e.id].width * STEP, look.tag
        g.add(Rect(x - 8, y - 23, w + 16, 35, Style(cls=f"band {tag.shade}".strip()), 2))
        if look.selected:
            g.add(Rect(x - 8, y - 23, w + 16, 35, Style(cls="halo"), 2))
        g.add(Line(((x, y), (x + w, y)), BAR))
        g.bar = (x, y, w)
        p = self.placed[e.id]
        crossing = self._wires_above(e, [i for i in self.connections.at[e.id] if i in self.placed])
        shift_x, shift_y = p.tag_x * STEP, p.tag_y * STEP
        name_width = width(e.name, NAME_SIZE, True)
        at = _clear(x, name_width, crossing) + shift_x
        g.words.append(Text(at, y - 8 + shift_y, e.name, NAME, NAME_SIZE, bold=True))
        at += name_width + 12
        for text, unit in tag.lines:
            text_width, unit_width = width(text, VALUE_SIZE, True, True), width(unit, DATA_SIZE)
            at = _clear(at, text_width + unit_width + 4, crossing)
            if at + text_width + unit_width > x + w + 4 and text != tag.lines[0][0]:
                break  # a narrow board shows its first value; the ledger has them all
            g.words += [
                Text(at, y - 8 + shift_y, text, VALUE, VALUE_SIZE, bold=True, mono=True),
                Text(at + text_width + 4, y - 8 + shift_y, unit, DATA, DATA_SIZE),
            ]
            at += text_width + unit_width + 14
        g.words += wedge(at, y - 17 + shift_y, tag.severity)
        if look.missing:
            g.words.append(Circle(at + 6, y - 12 + shift_y, 3.5, Style(cls="ring")))
        if p.schedule:
            g.add(*schedule_box(x, y, [[self.elements[i] for i in way] for way in self._folded(e)], look.units))

    def _folded(self, board: Bus) -> list[list[str]]:
        """The ways that a board keeps in its schedule: those of which nothing is drawn on this sheet."""
        if not self.placed[board.id].schedule:
            return []
        ways = ways_of(self.elements, board.id, self.connections)
        return [list(way.elements) for way in ways if not any(i in self.placed for i in way.elements)]

    def _wires_above(self, board: Element, around: Sequence[str]) -> tuple[float, ...]:
        """Where wires come down onto a board from above."""
        y = self.placed[board.id].y * STEP
        ways = (self.standing.ways.get((i, k), ()) for i in around for k, bus in enumerate(self.elements[i].buses) if bus == board.id)
        return tuple(sorted({way[-1][0] for way in ways if len(way) > 1 and way[-2][1] < y - 1}))

    def _point(self, g: Group, e: Bus, look: _Look) -> None:
        x, y = self.point(e.id)
        g.bar = (x, y, 0.0)
        if look.selected:
            g.add(Circle(x, y, 8, Style(cls="halo")))
        around = sum(i in self.placed for i in self.connections.at[e.id])
        loose = around < 2 and len(self.connections.at[e.id]) < 2
        g.add(Circle(x, y, 3.2, Style(cls="s p")) if loose else Circle(x, y, 2.6 if around > 2 else 1.4, Style(cls="f")))
        g.add(Rect(x - 6, y - 6, 12, 12, Style(cls="hit")))

    def _symbol(self, g: Group, e: Element, look: _Look) -> None:
        stand = self.standing.stands[e.id]
        left, top, right, bottom = stand.box
        box = (left - 5, top, right - left + 10, bottom - top) if not stand.across else (left, top - 5, right - left, bottom - top + 10)
        if look.selected:
            g.add(Rect(*box, Style(cls="halo"), 4))
        for k in range(len(e.TERMINALS)):
            if way := self.standing.ways.get((e.id, k)):
                g.add(Line(way, WIRE))
        if e.holder:
            self._order(g, e)
        g.add(*(_drawn(shape, stand) for shape in stand.symbol.shapes))
        if e.status == "to be removed":
            g.add(*_hatch(stand.box))
        if look.tag.toward and stand.terminals and not isinstance(e, StaticLoad):
            g.add(_pointer(stand, look.tag.toward))
        g.add(Rect(*box, Style(cls="hit")))
        g.words += words_of(e, self.placed[e.id], stand, look.tag, look.missing, look.units)
        g.terminals = tuple(at for at, _ in stand.terminals)

    def _order(self, g: Group, e: Element) -> None:
        """The dotted line from a relay to its breaker, and from current transformers to what they measure."""
        holder = e.holder
        if holder is not None and holder in self.placed:
            (x, y), (bx, by) = self.point(e.id), self.point(holder)
            side = 10 if bx > x else -10
            g.add(Line(((x + side, y), (bx - 0.7 * side, by)), Style(cls="order")))

    def references(self) -> list[Group]:
        """Flags where the network goes on elsewhere: at terminals whose bus is not on this sheet, and at buses with more than is drawn here."""
        found: list[Group] = []
        if len(self.placed) == len(self.elements):
            return found  # all of it is here
        for i, p in self.placed.items():
            e = self.elements[i]
            if isinstance(e, Bus):
                folded = {inner for way in self._folded(e) for inner in way}
                away = [o for o in self.connections.at[i] if o not in self.placed and o not in folded]
                if away:
                    sheet = self._sheet_with(away)
                    told = f"{len(away)} more on {sheet}" if sheet else f"{len(away)} not drawn"
                    y = p.y * STEP + (0 if p.width else -9)
                    found.append(self._flag((p.x + p.width) * STEP + 6, y, told, away[0], sheet, e))
            else:
                for k, bus in enumerate(e.buses):
                    if bus not in self.placed:
                        sheet = self._sheet_with([bus])
                        (x, y), _ = self.standing.stands[i].terminals[k]
                        named = self.elements[bus].name
                        found.append(self._flag(x + 2, y, f"{named} on {sheet}" if sheet else f"{named}, not drawn", bus, sheet, e))
        return found

    def _sheet_with(self, ids: list[str]) -> str:
        return next((s.name for i in ids for s in self.others if i in s.placements), "")

    def _flag(self, x: float, y: float, told: str, leads_to: str, sheet: str, at: Element) -> Group:
        taken = width(told, DATA_SIZE - 1) + 10
        outline = ((x, y - 7), (x + taken, y - 7), (x + taken + 6, y), (x + taken, y + 7), (x, y + 7))
        shapes: list[Shape] = [Polygon(outline, Style(cls="flag")), Text(x + 5, y + 4, told, DATA, DATA_SIZE - 1)]
        return Group(shapes, cls="away", element=leads_to, sheet=sheet, title=f"From {at.name}: {told}")


def _clear(at: float, taken: float, crossing: Sequence[float]) -> float:
    """The first place from `at` where a text of a width meets no wire."""
    for x in crossing:
        if at - 4 < x < at + taken + 4:
            at = x + 7
    return at


def _drawn(shape: Shape, stand: Stand) -> Shape:
    """A shape of a symbol in place; letters and waves stay upright whatever the symbol's turn."""
    to = stand.to
    if isinstance(shape, Text) or (isinstance(shape, Line) and len(shape.points) > 6):
        middle = _middle(shape)
        x, y = to(middle)
        return moved(shape, Transform(x - middle[0], y - middle[1]))
    return moved(shape, to)


def _middle(shape: Text | Line) -> Point:
    if isinstance(shape, Text):
        return shape.x, shape.y - 0.35 * shape.size
    return sum(p[0] for p in shape.points) / len(shape.points), sum(p[1] for p in shape.points) / len(shape.points)
