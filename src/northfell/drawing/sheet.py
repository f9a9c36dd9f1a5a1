"""A sheet of the network as shapes: buses, symbols, wires, names, and the value tags that a study hands in."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from northfell.core.model.elements import Bus, Element, Relay, Switching
from northfell.core.model.network import Placement, Sheet
from northfell.core.quantities import figure
from northfell.drawing.metrics import width
from northfell.drawing.shapes import Circle, Group, Line, Point, Polygon, Rect, Shape, Style, Text, extent
from northfell.drawing.symbols import Symbol, Transform, moved, symbol_of

STEP = 10.0  # drawing units for one step of the grid
WIRE = Style(cls="w")
BAR = Style(cls="bar")
NAME = Style(cls="n")
DATA = Style(cls="d")
VALUE = Style(cls="v")
NAME_SIZE, DATA_SIZE, VALUE_SIZE = 14.0, 12.0, 13.0


@dataclass(frozen=True)
class Tag:
    """What a study shows at an element: lines of value and unit, a verdict, how full a bar is (1 is the limit), and a board's shade."""

    lines: tuple[tuple[str, str], ...] = ()
    severity: str = ""  # breach, close, missing or nothing
    bar: float | None = None
    shade: str = ""  # class of the band behind a board


@dataclass
class Drawing:
    """Groups in the order in which they are painted, and what holds them all."""

    groups: list[Group] = field(default_factory=list)
    view: tuple[float, float, float, float] = (0, 0, 100, 100)


def draw(
    elements: Mapping[str, Element],
    sheet: Sheet,
    energised: Mapping[str, bool],
    tags: Mapping[str, Tag],
    selected: str = "",
    missing: frozenset[str] = frozenset(),
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
    """
    placed = {i: p for i, p in sheet.placements.items() if i in elements}
    painter = _Painter(elements, placed, energised, tags, selected, missing)
    boards = [e for i in placed if isinstance(e := elements[i], Bus) and placed[i].width]
    others = [e for i in placed if not (isinstance(e := elements[i], Bus) and placed[i].width)]
    groups = [painter.board(e) for e in boards] + [painter.element(e) for e in others]
    points = [p for g in groups for s in g.shapes for p in _points(s)] or [(0.0, 0.0), (600.0, 400.0)]
    x, y, w, h = extent(points, 18)
    return Drawing(groups, (x, y, w, h + 40))  # the legend stands below


def _points(shape: object) -> list[Point]:
    if isinstance(shape, Line | Polygon):
        return list(shape.points)
    if isinstance(shape, Rect):
        return [(shape.x, shape.y), (shape.x + shape.w, shape.y + shape.h)]
    if isinstance(shape, Text):
        taken = width(shape.text, shape.size, shape.bold, shape.mono)
        start = {"start": 0.0, "middle": -taken / 2, "end": -taken}[shape.anchor]
        return [(shape.x + start, shape.y - 9), (shape.x + start + taken, shape.y)]
    return []


@dataclass
class _Painter:
    elements: Mapping[str, Element]
    placed: Mapping[str, Placement]
    energised: Mapping[str, bool]
    tags: Mapping[str, Tag]
    selected: str
    missing: frozenset[str]

    def __post_init__(self) -> None:
        self.at_bus: dict[str, list[str]] = {}  # ids of the placed elements at each bus
        for i in self.placed:
            for b in self.elements[i].buses:
                self.at_bus.setdefault(b, []).append(i)

    def group(self, e: Element) -> Group:
        classes = ["el", e.kind]
        if not self.energised.get(e.id, True):
            classes.append("dead")
        if e.id == self.selected:
            classes.append("selected")
        if e.id in self.missing:
            classes.append("lacking")
        state = "" if self.energised.get(e.id, True) else ", not fed"
        if isinstance(e, Switching):
            state += ", closed" if e.closed else ", open"
        return Group(cls=" ".join(classes), element=e.id, title=f"{e.TITLE} {e.name}{state}")

    def point(self, i: str) -> Point:
        p = self.placed[i]
        return p.x * STEP, p.y * STEP

    def board(self, e: Element) -> Group:
        """A bus as a bar, with a band behind it that takes the shade of its voltage."""
        g, tag = self.group(e), self.tags.get(e.id, Tag())
        (x, y), w = self.point(e.id), self.placed[e.id].width * STEP
        g.add(Rect(x - 8, y - 23, w + 16, 35, Style(cls=f"band {tag.shade}".strip()), 2))
        if e.id == self.selected:
            g.add(Rect(x - 8, y - 23, w + 16, 35, Style(cls="halo"), 2))
        g.add(Line(((x, y), (x + w, y)), BAR))
        crossing = self._wires_above(e, x, y, w)
        name_width = width(e.name, NAME_SIZE, True)
        at = _clear(x, name_width, crossing)
        g.add(Text(at, y - 8, e.name, NAME, NAME_SIZE, bold=True))
        at += name_width + 12
        for text, unit in tag.lines:
            text_width, unit_width = width(text, VALUE_SIZE, True, True), width(unit, DATA_SIZE)
            at = _clear(at, text_width + unit_width + 4, crossing)
            if at + text_width + unit_width > x + w + 4 and text != tag.lines[0][0]:
                break  # a narrow board shows its first value; the ledger has them all
            g.add(Text(at, y - 8, text, VALUE, VALUE_SIZE, bold=True, mono=True))
            g.add(Text(at + text_width + 4, y - 8, unit, DATA, DATA_SIZE))
            at += text_width + unit_width + 14
        _wedge(g, at, y - 17, tag.severity)
        if e.id in self.missing:
            g.add(Circle(at + 6, y - 12, 3.5, Style(cls="ring")))
        return g

    def _wires_above(self, board: Element, x: float, y: float, w: float) -> list[float]:
        """Where wires come down onto a board from above."""
        above = (self.point(i) for i in self.at_bus.get(board.id, ()))
        return sorted({min(max(px, x), x + w) for px, py in above if py < y - 1})

    def element(self, e: Element) -> Group:
        g = self.group(e)
        x, y = self.point(e.id)
        if isinstance(e, Bus):
            if e.id == self.selected:
                g.add(Circle(x, y, 8, Style(cls="halo")))
            g.add(Circle(x, y, 2.6 if len(self.at_bus.get(e.id, ())) > 2 else 1.4, Style(cls="f")))
            g.add(Rect(x - 6, y - 6, 12, 12, Style(cls="hit")))
            return g
        symbol = symbol_of(e)
        to, ends = self._stand(e, symbol, x, y)
        half = symbol.half_width + 5
        box = Rect(x - half, y + min(symbol.top, -symbol.half_width), 2 * half, max(symbol.bottom, symbol.half_width) - min(symbol.top, -symbol.half_width))
        if to.turn % 2:
            box = Rect(x - box.h / 2, y - half, box.h, 2 * half)
        if e.id == self.selected:
            g.add(Rect(box.x, box.y, box.w, box.h, Style(cls="halo"), 4))
        for bus_id, end in ends:
            g.add(*self._wire(bus_id, end))
        if isinstance(e, Relay) and e.breaker in self.placed:
            bx, by = self.point(e.breaker)
            g.add(Line(((x + (10 if bx > x else -10), y), (bx + (-7 if bx > x else 7), by)), Style(cls="order")))
        g.add(*(_drawn(shape, to) for shape in symbol.shapes))
        g.add(Rect(box.x, box.y, box.w, box.h, Style(cls="hit")))
        self._words(g, e, symbol, x, y, to)
        return g

    def _stand(self, e: Element, symbol: Symbol, x: float, y: float) -> tuple[Transform, list[tuple[str, Point]]]:
        """How the symbol is turned so that its terminals face their buses, and where they are."""
        p = self.placed[e.id]
        buses = [b for b in e.buses if b in self.placed]
        across = p.turn % 2
        if len(e.TERMINALS) == 2:
            a, b = (self._bus_at(bus, x, y) for bus in e.buses)
            backward = (a[0] > b[0]) if across else (a[1] > b[1])
            to = Transform(x, y, 3 if across else 0, backward)
            return to, [(bus, to((0, at))) for bus, at in zip(e.buses, (symbol.top, symbol.bottom), strict=True) if bus in self.placed]
        upside = bool(buses) and self._bus_at(buses[0], x, y)[1] > y
        to = Transform(x, y, 0, upside)
        return to, [(bus, to((0, symbol.top))) for bus in buses]

    def _bus_at(self, bus_id: str, x: float, y: float) -> Point:
        """The point of a bus nearest to a place."""
        if bus_id not in self.placed:
            return x, y
        bx, by = self.point(bus_id)
        w = self.placed[bus_id].width * STEP
        return (min(max(x, bx), bx + w) if w else bx), by

    def _wire(self, bus_id: str, end: Point) -> list[Line]:
        """From a terminal to its bus, at right angles."""
        bx, by = self._bus_at(bus_id, *end)
        x, y = end
        if abs(bx - x) < 0.01 or abs(by - y) < 0.01:
            return [Line((end, (bx, by)), WIRE)] if (abs(bx - x) + abs(by - y)) > 0.01 else []
        corner = (bx, y) if self.placed[bus_id].width else (x, by)
        return [Line((end, corner, (bx, by)), WIRE)]

    def _words(self, g: Group, e: Element, symbol: Symbol, x: float, y: float, to: Transform) -> None:
        """Name, short data and value tag beside the symbol; below it for what ends a branch."""
        tag = self.tags.get(e.id, Tag())
        if isinstance(e, Relay):
            g.add(Text(x, y - 10, e.name, DATA, DATA_SIZE, "middle"))
        elif len(e.TERMINALS) == 1 and not to.flip:
            self._words_below(g, e, symbol, x, y, tag)
        else:
            self._words_beside(g, e, symbol, x, y, bool(to.turn % 2), tag)

    def _words_below(self, g: Group, e: Element, symbol: Symbol, x: float, y: float, tag: Tag) -> None:
        at = y + (symbol.half_width if e.kind != "shunt" else 22) + 14
        g.add(Text(x, at, e.name, NAME, NAME_SIZE, "middle", bold=True))
        end = x + width(e.name, NAME_SIZE, True) / 2 + 4
        _wedge(g, end, at - 10, tag.severity)
        if e.id in self.missing:
            g.add(Circle(end + 4, at - 4, 3.5, Style(cls="ring")))
        if not (e.kind == "load" and tag.lines):  # what it draws says more than what was entered
            at += 13
            g.add(Text(x, at, short_data(e), DATA, DATA_SIZE, "middle", mono=True))
        for text, unit in tag.lines:
            at += 13
            g.add(Text(x, at, f"{text} {unit}".strip(), VALUE, VALUE_SIZE, "middle", mono=True))

    def _words_beside(self, g: Group, e: Element, symbol: Symbol, x: float, y: float, across: bool, tag: Tag) -> None:
        left = x - 12 if across else x + symbol.half_width + 9
        if isinstance(e, Switching):
            line_y = y + 24 if across else y + 4
            left -= 0 if across else 3
            g.add(Text(left, line_y, e.name, DATA, DATA_SIZE + 1))
            at = left + width(e.name, DATA_SIZE + 1) + 7
        else:
            g.add(Text(left, y - 6, e.name, NAME, NAME_SIZE, bold=True))
            g.add(Text(left + width(e.name, NAME_SIZE, True) + 6, y - 6, short_data(e), DATA, DATA_SIZE, mono=True))
            at, line_y = left, y + 8
        end, first = at, line_y
        for text, unit in tag.lines:
            told = f"{text} {unit}".strip()
            g.add(Text(at, line_y, told, VALUE, VALUE_SIZE, mono=True))
            end = max(end, at + width(told, VALUE_SIZE, True, True))
            line_y += 13
        if tag.bar is not None:
            _bar(g, left, line_y - 8, tag)
        _wedge(g, end + 6, max(first, line_y - 13) - 9, tag.severity)
        if e.id in self.missing:
            g.add(Circle(left - 10, y - 14, 3.5, Style(cls="ring")))


def _clear(at: float, taken: float, crossing: list[float]) -> float:
    """The first place from `at` where a text of a width meets no wire."""
    for x in crossing:
        if at - 4 < x < at + taken + 4:
            at = x + 7
    return at


def _drawn(shape: Shape, to: Transform) -> Shape:
    """A shape in place; letters stay upright whatever the symbol's turn."""
    return moved(shape, Transform(to.x, to.y) if isinstance(shape, Text) or (to.flip and _is_wave(shape)) else to)


def _is_wave(shape: Shape) -> bool:
    return isinstance(shape, Line) and len(shape.points) > 4


def _bar(g: Group, x: float, y: float, tag: Tag) -> None:
    """A loading bar: 60 units are the rating, what is beyond stands past a mark."""
    full = tag.bar or 0.0
    g.add(Rect(x, y, 60, 3, Style(cls="bar-back")))
    g.add(Rect(x, y, 60 * min(full, 1.3), 3, Style(cls=f"bar-fill {tag.severity}".strip())))
    if full > 1:
        g.add(Line(((x + 60, y - 2), (x + 60, y + 5)), Style(cls="s")))


def _wedge(g: Group, x: float, y: float, severity: str) -> None:
    """The mark of a verdict: solid beyond a limit, outlined near it."""
    if severity in ("breach", "close"):
        g.add(Polygon(((x, y), (x, y + 9), (x + 9, y + 9)), Style(cls=f"wedge {severity}")))


def short_data(e: Element) -> str:
    """One or two nameplate values that tell what an element is."""

    def told(field_name: str, unit: str) -> str:
        value = getattr(e, field_name, None)
        return f"{figure(value)} {unit}" if value is not None else ""

    count = getattr(e, "count", 1)
    parts = {
        "infeed": lambda: told("ik_max_ka", "kA"),
        "synchronous_generator": lambda: told("s_rated_mva", "MVA"),
        "transformer": lambda: f"{told('s_rated_mva', 'MVA')} {getattr(e, 'vector_group', None) or ''}".strip(),
        "cable": lambda: f"{told('area_mm2', 'mm²')} · {told('length_m', 'm')}" if getattr(e, "area_mm2", None) else told("length_m", "m"),
        "line": lambda: told("length_m", "m"),
        "induction_motor": lambda: (f"{count} × " if count > 1 else "") + told("p_rated_kw", "kW"),
        "load": lambda: told("p_mw", "MW"),
        "shunt": lambda: told("q_mvar", "Mvar"),
    }
    return _short(parts[e.kind]()) if e.kind in parts else ""


def _short(text: str) -> str:
    """Trailing zeros off: nameplate values are shown as they were meant."""
    words = [w.rstrip("0").rstrip(".") if "." in w and w.replace(".", "").isdigit() else w for w in text.split(" ")]
    return " ".join(words)
