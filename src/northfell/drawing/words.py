"""The words beside a symbol: name, short data, and the value tag that a study hands in."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import PROTECTION, CurrentTransformer, Element, Switching
from northfell.core.model.network import Placement
from northfell.core.model.settings import UnitSettings
from northfell.core.quantities import UNITS, entry, wire_size
from northfell.drawing.metrics import width
from northfell.drawing.shapes import Circle, Line, Polygon, Rect, Shape, Style, Text
from northfell.drawing.standing import STEP, Stand
from northfell.drawing.symbols import shifted

NAME, DATA, VALUE = Style(cls="n"), Style(cls="d"), Style(cls="v")
NAME_SIZE, DATA_SIZE, VALUE_SIZE = 14.0, 12.0, 13.0
LINE = 13.0  # from one line of words to the next


class Tag(NamedTuple):
    """What a study shows at an element: lines of value and unit, a verdict, how full a bar is (1 is the limit), and a board's shade."""

    lines: tuple[tuple[str, str], ...] = ()
    severity: str = ""  # breach, close, missing or nothing
    bar: float | None = None
    shade: str = ""  # class of the band behind a board
    tone: str = ""  # class of the symbol's strokes
    toward: int = 0  # direction of power: 1 into the first terminal, -1 out of it


NO_TAG = Tag()


class OfPhase(NamedTuple):
    """A figure of one phase, of two of them, or of a leg."""

    quantity: str
    of: str  # as the project names it; empty where it is of all three
    figure: str
    unit: str


def one_under_another(told: Sequence[OfPhase]) -> tuple[tuple[str, str], ...]:
    """The lines of a tag: a figure for each phase with its name, but one without a name for all three where they are written alike."""
    lines, written = list[tuple[str, str]](), set[str]()
    for one in told:
        same = [t for t in told if t.quantity == one.quantity]
        alike = len(same) == 3 and len({t.figure for t in same}) == 1
        if not alike or one.quantity not in written:
            lines.append((one.figure if alike or not one.of else f"{one.of} {one.figure}", one.unit))
        written.add(one.quantity)
    return tuple(lines)


SI = UnitSettings()


@dataclass(frozen=True)
class Piece:
    """A run of text in one style."""

    text: str
    style: Style
    size: float
    bold: bool = False
    mono: bool = False

    @property
    def width(self) -> float:
        return width(self.text, self.size, self.bold, self.mono)


def words_of(e: Element, p: Placement, stand: Stand, tag: Tag, missing: bool, units: UnitSettings = SI) -> list[Shape]:
    """All words of an element in place, moved by as much as they were dragged."""
    shapes: list[Shape]
    if isinstance(e, CurrentTransformer):
        shapes = [Text(stand.box[2] + 3, (stand.box[1] + stand.box[3]) / 2 + 4, e.name, DATA, DATA_SIZE)]
    elif isinstance(e, PROTECTION):
        lines = [[Piece(e.name, DATA, DATA_SIZE)]]
        shapes = _centred(lines, p.x * STEP, stand.box[1] - 4, tag, missing)
    elif len(e.TERMINALS) == 1 and not stand.across and not stand.to.flip and not p.flip:
        shapes = _centred(_lines(e, tag, units), p.x * STEP, stand.box[3] + 13, tag, missing)
    else:
        shapes = _beside(e, p, stand, tag, missing, units)
    return list(shifted(shapes, p.tag_x * STEP, p.tag_y * STEP)) if p.tag_x or p.tag_y else shapes


def _lines(e: Element, tag: Tag, units: UnitSettings) -> list[list[Piece]]:
    """Name, then data, then values, a line each; what a load draws says more than what was entered."""
    lines = [[Piece(e.name, NAME, NAME_SIZE, bold=True)]]
    data = short_data(e, units)
    if data and not (e.kind in ("load", "rectifier") and tag.lines):
        lines.append([Piece(data, DATA, DATA_SIZE, mono=True)])
    return lines + [[Piece(f"{text} {unit}".strip(), VALUE, VALUE_SIZE, bold=True, mono=True)] for text, unit in tag.lines]


def _centred(lines: list[list[Piece]], x: float, y: float, tag: Tag, missing: bool) -> list[Shape]:
    shapes: list[Shape] = []
    for number, (piece,) in enumerate(lines):
        shapes.append(Text(x, y + LINE * number, piece.text, piece.style, piece.size, "middle", piece.bold, piece.mono))
    end = x + lines[0][0].width / 2 + 4
    shapes += wedge(end, y - 10, tag.severity)
    if missing:
        shapes.append(Circle(end + 4, y - 4, 3.5, Style(cls="ring")))
    return shapes


def _beside(e: Element, p: Placement, stand: Stand, tag: Tag, missing: bool, units: UnitSettings) -> list[Shape]:
    """To the right of the symbol, or to the left of one that is flipped; below one that lies across the sheet."""
    left, top, right, bottom = stand.box
    device = isinstance(e, Switching)
    name = Piece(e.name, DATA if device else NAME, DATA_SIZE + 1 if device else NAME_SIZE, bold=not device)
    data = Piece(short_data(e, units), DATA, DATA_SIZE, mono=True)
    values = [Piece(f"{text} {unit}".strip(), VALUE, VALUE_SIZE, bold=True, mono=True) for text, unit in tag.lines]
    lines = [[name, *values[:1]], *([v] for v in values[1:])] if device else [[name], *([[data]] if data.text else []), *([v] for v in values)]
    middle = (top + bottom) / 2
    x = left if stand.across else right + (4 if device else 7)
    y = bottom + 12 if stand.across else middle + 4 if device else middle + 10 - 6.5 * (len(lines) - (1 if tag.bar is None else 0))
    if stand.across and p.flip:
        y = top - 4 - LINE * (len(lines) - 1)
    elif not stand.across and len(e.TERMINALS) == 1 and stand.terminals[0][1][1] > 0:  # it stands on its bus: the words grow away from that
        y = min(y, bottom + 2 - (LINE + 1) * (len(lines) - 1) - (9 if tag.bar is not None else 0))
    shapes: list[Shape] = []
    end = x
    for number, line in enumerate(lines):
        taken = sum(piece.width for piece in line) + 6 * (len(line) - 1)
        at = left - (4 if device else 7) - taken if p.flip and not stand.across else x
        for piece in line:
            shapes.append(Text(at, y + (LINE + 1) * number, piece.text, piece.style, piece.size, bold=piece.bold, mono=piece.mono))
            at += piece.width + 6
        end = at
    start = min((s.x for s in shapes if isinstance(s, Text)), default=x)
    if tag.bar is not None:
        shapes += _bar(start, y + (LINE + 1) * (len(lines) - 1) + 5, tag)
    shapes += wedge(end, y + (LINE + 1) * (len(lines) - 1) - 9, tag.severity)
    if missing:
        first = sum(piece.width for piece in lines[0]) + 6 * (len(lines[0]) - 1)
        shapes.append(Circle(start + first + 7, y - 4, 3.5, Style(cls="ring")))
    return shapes


def _bar(x: float, y: float, tag: Tag) -> list[Shape]:
    """A loading bar: 60 units are the rating, what is beyond stands past a mark."""
    full = tag.bar or 0.0
    shapes: list[Shape] = [Rect(x, y, 60, 3, Style(cls="bar-back")), Rect(x, y, 60 * min(full, 1.3), 3, Style(cls=f"bar-fill {tag.severity}".strip()))]
    return [*shapes, Line(((x + 60, y - 2), (x + 60, y + 5)), Style(cls="s"))] if full > 1 else shapes


def wedge(x: float, y: float, severity: str) -> list[Shape]:
    """The mark of a verdict: solid beyond a limit, outlined near it."""
    return [Polygon(((x, y), (x, y + 9), (x + 9, y + 9)), Style(cls=f"wedge {severity}"))] if severity in ("breach", "close") else []


def short_data(e: Element, units: UnitSettings = SI) -> str:
    """One or two nameplate values that tell what an element is."""
    if e.kind == "capacitor_bank":
        steps, q = getattr(e, "steps", 1), getattr(e, "q_step_mvar", 0.0)
        return (f"{steps} × " if steps > 1 else "") + f"{entry(q)} Mvar"
    values = [(getattr(e, name, None), unit) for name, unit in e.ABOUT.data if not _as_usual(e, name)]
    told = [_in_units(v, unit, units) for v, unit in values if v is not None]
    count: int = getattr(e, "count", None) or getattr(e, "parallel", None) or 1
    glue = " · " if e.ABOUT.same_voltage else " "  # a fuse has one value
    return (f"{count} × " if count > 1 and told else "") + glue.join(told)


def _as_usual(e: Element, name: str) -> bool:
    """Whether a word of its data is the usual one, which is not told."""
    value, declared = getattr(e, name, None), parameter(type(e), name)
    return isinstance(value, str) and declared is not None and value == declared.default


def _in_units(value: float | str, unit: str, units: UnitSettings) -> str:
    if unit == "m" and units.lengths == "ft" and not isinstance(value, str):
        return f"{_plain(value / UNITS['length']['ft'])} ft"
    if unit == "mm²" and units.conductors != "mm²" and not isinstance(value, str):
        return wire_size(value)
    return f"{_plain(value)} {unit}".strip()


def _plain(value: float | str) -> str:
    return value if isinstance(value, str) else f"{value:.4g}" if abs(value) < 1e4 else f"{value:.0f}"
