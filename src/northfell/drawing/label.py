"""The arc-flash label as shapes, in millimetres from its top left corner. Screen and PDF render the same shapes."""

from dataclasses import dataclass

from northfell.drawing.metrics import width
from northfell.drawing.shapes import Line, Polygon, Rect, Shape, Style, Text

WIDTH_MM, HEIGHT_MM = 150.0, 100.0
INK, PAPER, QUIET = "#18262B", "#FFFFFF", "#3E4C50"
SIGNAL = {"DANGER": ("#C8102E", "#FFFFFF"), "WARNING": ("#FF8200", "#000000")}  # panel and letters, close to ANSI Z535.1 (unverified)


@dataclass(frozen=True)
class LabelText:
    """What a label says, as finished text."""

    signal: str  # DANGER or WARNING
    energy: str
    energy_unit: str
    distance: str
    instruction: str
    rows: tuple[tuple[str, str], ...]
    equipment: str
    place: str
    small: tuple[str, ...]


def label_shapes(said: LabelText) -> list[Shape]:
    """Shapes of a label of 150 by 100 mm. Long names are set smaller, never cut."""
    panel, letters = SIGNAL[said.signal]
    m = 6.0
    shapes: list[Shape] = [
        Rect(0.3, 0.3, WIDTH_MM - 0.6, HEIGHT_MM - 0.6, Style(fill=PAPER, stroke=INK, width=0.6), 3),
        Rect(0.6, 0.6, WIDTH_MM - 1.2, 19, Style(fill=panel), 2.6),
        Rect(0.6, 12, WIDTH_MM - 1.2, 7.6, Style(fill=panel)),
    ]
    shapes += _alert(m, 3.4, 13.0, letters, panel)
    shapes.append(Text(m + 17, 14.6, said.signal, Style(fill=letters), 12, bold=True))
    hazard, room = "Arc flash and shock hazard", WIDTH_MM - 2 * m - 23 - width(said.signal, 12, True)
    shapes.append(Text(WIDTH_MM - m, 14.6, hazard, Style(fill=letters), _fitting(hazard, 5.2, room), "end", bold=True))
    shapes.append(Text(m, 37.5, said.energy, Style(fill=INK), 16.5, bold=True))
    x = m + width(said.energy, 16.5, True) + 3
    shapes.append(Text(x, 32.0, said.energy_unit, Style(fill=INK), 5.4, bold=True))
    shapes.append(Text(x, 37.5, f"incident energy at {said.distance}", Style(fill=INK), 4.6))
    shapes.append(Text(m, 44.5, said.instruction, Style(fill=INK), _fitting(said.instruction, 4.4, WIDTH_MM - 2 * m), bold=True))
    shapes.append(Line(((m, 47.6), (WIDTH_MM - m, 47.6)), Style(stroke=INK, width=0.35)))
    half = WIDTH_MM / 2
    for i, (name, value) in enumerate(said.rows):
        left = m if i % 2 == 0 else half + 2
        right = half - 4 if i % 2 == 0 else WIDTH_MM - m
        y = 54.2 + 7.2 * (i // 2)
        shapes.append(Text(left, y, name, Style(fill=INK), 4.2))
        shapes.append(Text(right, y, value, Style(fill=INK), 4.4, "end", bold=True))
    shapes.append(Line(((m, 72.4), (WIDTH_MM - m, 72.4)), Style(stroke=INK, width=0.35)))
    size = _fitting(said.equipment, 7.0, WIDTH_MM - 2 * m)
    shapes.append(Text(m, 80.6, said.equipment, Style(fill=INK), size, bold=True))
    shapes.append(Text(m, 86.2, said.place, Style(fill=INK), _fitting(said.place, 3.8, WIDTH_MM - 2 * m)))
    for i, line in enumerate(said.small):
        apart = {1: 4.2, 2: 4.2, 3: 3.2}.get(len(said.small), 2.5)
        shapes.append(Text(m, 90.6 + apart * i, line, Style(fill=QUIET), _fitting(line, min(3.0, 0.88 * apart), WIDTH_MM - 2 * m, False)))
    return shapes


def _alert(x: float, y: float, size: float, letters: str, panel: str) -> list[Shape]:
    """The safety alert symbol: an exclamation mark in a triangle."""
    h = size * 0.9
    cx = x + size / 2
    return [
        Polygon(((cx, y), (x + size, y + h), (x, y + h)), Style(fill=letters)),
        Polygon(((cx - 0.95, y + h * 0.34), (cx + 0.95, y + h * 0.34), (cx + 0.5, y + h * 0.7), (cx - 0.5, y + h * 0.7)), Style(fill=panel)),
        Rect(cx - 0.75, y + h * 0.77, 1.5, 1.5, Style(fill=panel), 0.75),
    ]


def _fitting(text: str, size: float, room: float, bold: bool = True) -> float:
    """The size at which a text fits the room, at most the given one."""
    taken = width(text, size, bold)
    return size if taken <= room else size * room / taken
