"""The arc-flash label as shapes, in millimetres from its top left corner. Screen and PDF render the same shapes."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from northfell.drawing.metrics import width
from northfell.drawing.shapes import Line, Picture, Polygon, Rect, Shape, Style, Text

INK, PAPER, QUIET = "#18262B", "#FFFFFF", "#3E4C50"
SIGNAL = {"DANGER": ("#C8102E", "#FFFFFF"), "WARNING": ("#FF8200", "#000000")}  # panel and letters, close to ANSI Z535.1 (unverified)
M = 6.0  # margin inside a label
LEAST, LEAST_PLACE = 1.7, 2.3  # letters smaller than that are not read: such a line is broken in two instead
SEEN = 0.2  # of the height of the signal panel, likewise of the hazard in it


@dataclass(frozen=True)
class LabelText:
    """What a label says, as finished text."""

    signal: str  # DANGER or WARNING
    energy: str
    energy_unit: str
    energy_at: str  # where that energy is
    instruction: str
    rows: tuple[tuple[str, str], ...]
    equipment: str
    place: str
    small: tuple[str, ...]
    signal_told: str = ""  # in the language of the label
    hazard: str = ""
    procedure: str = ""  # what is asked for in the place of figures
    details: tuple[tuple[str, str], ...] = ()  # how the energy comes about
    boundary: tuple[str, str] = ("", "")


@dataclass(frozen=True)
class Dress:
    """What a job puts on its labels beside what they say."""

    preprinted: bool = False  # the signal panel is on the stock already
    code: tuple[tuple[bool, ...], ...] = ()  # modules of a matrix code; none: no code
    code_waits: bool = False  # room for a code that is made when it is printed
    logo: bytes = b""  # PNG
    logo_shape: float = 1.0  # width over height


PLAIN_DRESS = Dress()


@dataclass(frozen=True)
class Template:
    """A form of label: its size, and how it is drawn."""

    name: str
    w_mm: float
    h_mm: float
    draw: Callable[[LabelText, Dress], list[Shape]]


def label_shapes(said: LabelText, template: str = "field", dress: Dress = PLAIN_DRESS) -> list[Shape]:
    """Shapes of a label. Long names are set smaller, never cut."""
    return TEMPLATES[template].draw(said, dress)


def _field(said: LabelText, dress: Dress) -> list[Shape]:
    w, h = 150.0, 100.0
    shapes = [*_frame(w, h), *_signal(said, w, 19.0, dress)]
    shapes += _energy(said, M, 37.5, 16.5)
    shapes.append(_line_of(said.instruction, M, 44.5, 4.4, w - 2 * M, bold=True))
    shapes += [_rule(47.6, w), *_rows(said.rows, 54.2, 7.2, w), _rule(72.4, w)]
    return shapes + _foot(said, dress, 72.4, w, h)


def _detailed(said: LabelText, dress: Dress) -> list[Shape]:
    w, h = 150.0, 120.0
    shapes = [*_frame(w, h), *_signal(said, w, 19.0, dress)]
    shapes += _energy(said, M, 37.5, 16.5)
    shapes.append(_line_of(said.instruction, M, 44.5, 4.4, w - 2 * M, bold=True))
    shapes += [_rule(47.6, w), *_rows(said.rows, 54.2, 7.2, w), _rule(72.4, w), *_rows(said.details, 77.8, 5.6, w, 3.6), _rule(92.4, w)]
    return shapes + _foot(said, dress, 92.4, w, h)


def _compact(said: LabelText, dress: Dress) -> list[Shape]:
    w, h = 100.0, 60.0
    shapes = [*_frame(w, h), *_signal(said, w, 11.0, dress)]
    shapes += _energy(said, M, 23.0, 10.0)
    shapes += _rows((said.boundary, *said.rows[1:2]), 28.6, 4.8, w, 3.2)
    shapes += [_line_of(said.instruction, M, 33.6, 3.0, w - 2 * M, bold=True), _rule(35.6, w)]
    return shapes + _foot(said, dress, 35.6, w, h, 4.6, 2.6)


def _procedure(said: LabelText, dress: Dress) -> list[Shape]:
    w, h = 150.0, 70.0
    shapes = [*_frame(w, h), *_signal(said, w, 19.0, dress)]
    shapes += _paragraph(said.procedure, M, 27.0, 5.0, w - 2 * M, 3)
    shapes.append(_rule(42.4, w))
    return shapes + _foot(said, dress, 42.4, w, h)


TEMPLATES = {
    "field": Template("danger or warning", 150.0, 100.0, _field),
    "detailed": Template("detailed: how the energy comes about", 150.0, 120.0, _detailed),
    "compact": Template("compact", 100.0, 60.0, _compact),
    "procedure": Template("procedure only, without figures", 150.0, 70.0, _procedure),
}


def _frame(w: float, h: float) -> list[Shape]:
    return [Rect(0.3, 0.3, w - 0.6, h - 0.6, Style(fill=PAPER, stroke=INK, width=0.6), 3)]


def _signal(said: LabelText, w: float, h: float, dress: Dress) -> list[Shape]:
    """The panel with the signal word; nothing where it is on the stock already."""
    if dress.preprinted:
        return []
    panel, letters = SIGNAL[said.signal]
    told, size = said.signal_told or said.signal, 0.62 * h
    lines, beside = [said.hazard], 0.27 * h

    def room() -> float:
        return w - 2 * M - 0.9 * h - 5 - width(told, size, True)

    if width(said.hazard, SEEN * h, True) > room():  # in two lines beside a smaller word
        lines, size = _halved(said.hazard), 0.5 * h
        beside = 0.22 * h
    beside = min(_fitting(line, beside, room()) for line in lines)
    return [
        Rect(0.6, 0.6, w - 1.2, h, Style(fill=panel), 2.6),
        Rect(0.6, 0.6 + 0.6 * h, w - 1.2, 0.4 * h, Style(fill=panel)),
        *_alert(M, 0.18 * h, 0.68 * h, letters, panel),
        Text(M + 0.9 * h, 0.76 * h, told, Style(fill=letters), size, bold=True),
        *(Text(w - M, 0.76 * h - 1.25 * beside * (len(lines) - 1 - i), line, Style(fill=letters), beside, "end", bold=True) for i, line in enumerate(lines)),
    ]


def _halved(text: str) -> list[str]:
    """Words in two lines of about the same length."""
    words = text.split()
    ways = [[" ".join(words[:k]), " ".join(words[k:])] for k in range(1, len(words))]
    return min(ways, key=lambda way: max(len(line) for line in way), default=[text])


def _energy(said: LabelText, x: float, y: float, size: float) -> list[Shape]:
    beside = x + width(said.energy, size, True) + 3
    return [
        Text(x, y, said.energy, Style(fill=INK), size, bold=True),
        Text(beside, y - size / 3, said.energy_unit, Style(fill=INK), size / 3.05, bold=True),
        Text(beside, y, said.energy_at, Style(fill=INK), size / 3.6),
    ]


def _rows(rows: Sequence[tuple[str, str]], y: float, apart: float, w: float, size: float = 4.2) -> list[Shape]:
    """Names with their values, two beside each other."""
    shapes: list[Shape] = []
    half = w / 2
    for i, (name, value) in enumerate(rows):
        left, right = (M, half - 4) if i % 2 == 0 else (half + 2, w - M)
        room = right - left - 2
        told = width(name, size) + width(value, size + 0.2, True)
        part = min(1.0, room / told)
        at = y + apart * (i // 2)
        shapes += [Text(left, at, name, Style(fill=INK), part * size), Text(right, at, value, Style(fill=INK), part * (size + 0.2), "end", bold=True)]
    return shapes


def _foot(said: LabelText, dress: Dress, top: float, w: float, h: float, name_size: float = 7.0, place_size: float = 3.8) -> list[Shape]:
    """Which equipment and where, and what else must be said; beside it a code and a logo."""
    beside, shapes = w - M, list[Shape]()
    room = h - top - 3.0
    if dress.code or dress.code_waits:
        beside -= room
        shapes += _code(dress, beside, top + 1.5, room)
        beside -= 3
    if dress.logo:
        tall = min(0.6 * room, 0.2 * w / dress.logo_shape)
        beside -= tall * dress.logo_shape
        shapes.append(Picture(beside, top + 1.5, tall * dress.logo_shape, tall, dress.logo))
        beside -= 3
    y, part = top + 0.1, 1.0
    while True:
        lines = _lines(said, beside - M, part * name_size, part * place_size, part)
        if sum(apart for *_, apart in lines) <= h - 2.2 - y or part < 0.1:
            break
        part *= 0.93
    for text, size, name, apart in lines:
        y += apart
        shapes.append(_line_of(text, M, y, size, beside - M, bold=name, quiet=not name))
    return shapes


def _lines(said: LabelText, room: float, name_size: float, place_size: float, part: float) -> list[tuple[str, float, bool, float]]:
    """Names and small print as lines: each with its size, whether it is a name, and how far it stands below the one before."""
    found = []
    for text, size, least, apart in ((said.equipment, name_size, 0.5 * name_size, 1.15), (said.place, place_size, part * LEAST_PLACE, 1.4)):
        broken = _broken(text, room, least, bold=True)
        size = min(_fitting(line, size, room) for line in broken)
        found += [(line, size, True, apart * size) for line in broken]
    for text in said.small:
        broken = _broken(text, room, part * LEAST)
        size = min(_fitting(line, part * 3.0, room, False) for line in broken)
        found += [(line, size, False, 1.2 * max(size, part * LEAST)) for line in broken]
    return found


def _broken(line: str, room: float, least: float, bold: bool = False) -> list[str]:
    """A line that would be too small to be read on one, on several."""
    taken = width(line, least, bold)
    if taken <= room:
        return [line]
    room = min(room, 1.15 * taken / math.ceil(taken / room))  # about the same length each
    return _filled(line, least, room, bold)


def _filled(text: str, size: float, room: float, bold: bool) -> list[str]:
    """Words in lines that are as full as they can be."""
    lines = [""]
    for word in text.split():
        longer = f"{lines[-1]} {word}".strip()
        if lines[-1] and width(longer, size, bold) > room:
            lines.append(word)
        else:
            lines[-1] = longer
    return lines


def _paragraph(text: str, x: float, y: float, size: float, room: float, most: int) -> list[Shape]:
    """Words in so many lines at most, set smaller until they fit."""
    while len(lines := _filled(text, size, room, bold=True)) > most and size > 1:
        size *= 0.95
    return [_line_of(line, x, y + 1.2 * size * i, size, room, bold=True) for i, line in enumerate(lines)]


def _code(dress: Dress, x: float, y: float, size: float) -> list[Shape]:
    """A matrix code in its quiet zone of four modules; while it waits, an empty frame."""
    if not dress.code:
        told = "made when printed"
        middle = Text(x + size / 2, y + size / 2, told, Style(fill=QUIET), _fitting(told, 2.4, size - 2, False), "middle")
        return [Rect(x, y, size, size, Style(fill=PAPER, stroke=QUIET, width=0.2)), middle]
    n = len(dress.code)
    one = size / (n + 8)
    shapes: list[Shape] = [Rect(x, y, size, size, Style(fill=PAPER))]
    for row, modules in enumerate(dress.code):
        start = None
        for column, dark in enumerate((*modules, False)):
            if dark and start is None:
                start = column
            elif not dark and start is not None:
                shapes.append(Rect(x + (4 + start) * one, y + (4 + row) * one, (column - start) * one, one, Style(fill="#000000")))
                start = None
    return shapes


def _alert(x: float, y: float, size: float, letters: str, panel: str) -> list[Shape]:
    """The safety alert symbol: an exclamation mark in a triangle."""
    h = size * 0.9
    cx, part = x + size / 2, size / 13.0
    return [
        Polygon(((cx, y), (x + size, y + h), (x, y + h)), Style(fill=letters)),
        Polygon(
            ((cx - 0.95 * part, y + h * 0.34), (cx + 0.95 * part, y + h * 0.34), (cx + 0.5 * part, y + h * 0.7), (cx - 0.5 * part, y + h * 0.7)),
            Style(fill=panel),
        ),
        Rect(cx - 0.75 * part, y + h * 0.77, 1.5 * part, 1.5 * part, Style(fill=panel), 0.75 * part),
    ]


def _rule(y: float, w: float) -> Shape:
    return Line(((M, y), (w - M, y)), Style(stroke=INK, width=0.35))


def _line_of(text: str, x: float, y: float, size: float, room: float, bold: bool = False, quiet: bool = False) -> Text:
    return Text(x, y, text, Style(fill=QUIET if quiet else INK), _fitting(text, size, room, bold), bold=bold)


def _fitting(text: str, size: float, room: float, bold: bool = True) -> float:
    """The size at which a text fits the room, at most the given one."""
    taken = width(text, size, bold)
    return size if taken <= room else size * room / taken
