"""A board's outgoing ways as a schedule inside its symbol: a line for each, with device, conductor and what it feeds."""

from collections.abc import Sequence

from northfell.core.model.elements import Bus, Conductor, Element, Switching
from northfell.core.model.settings import UnitSettings
from northfell.drawing.metrics import width
from northfell.drawing.shapes import Line, Rect, Shape, Style, Text
from northfell.drawing.words import SI, short_data

ROW, SIZE, GAP = 16.0, 12.0, 12.0
EMPTY = ("No outgoing way is kept here", "", "")
TEXT, DATA = Style(cls="n"), Style(cls="d")


def schedule_size(ways: Sequence[Sequence[Element]], units: UnitSettings = SI) -> tuple[float, float]:
    """Width and height that a schedule takes."""
    rows = [_row(way, units) for way in ways] or [EMPTY]
    return sum(max(width(row[k], SIZE, k == 0) for row in rows) for k in range(3)) + 2 * GAP + 16, ROW * len(rows) + 12


def schedule_box(x: float, y: float, ways: Sequence[Sequence[Element]], units: UnitSettings = SI) -> list[Shape]:
    """The schedule below a board's bar, with a frame; an empty one says so."""
    rows = [_row(way, units) for way in ways] or [EMPTY]
    columns = [max(width(row[k], SIZE, k == 0) for row in rows) for k in range(3)]
    taken = schedule_size(ways, units)[0]
    shapes: list[Shape] = [Rect(x, y + 6, taken, ROW * len(rows) + 6, Style(cls="schedule"), 2)]
    for number, row in enumerate(rows):
        at, line = x + 8, y + 6 + ROW * (number + 1) - 3
        for k, text in enumerate(row):
            shapes.append(Text(at, line, text, TEXT if k == 0 else DATA, SIZE, bold=k == 0))
            at += columns[k] + GAP
        if number:
            shapes.append(Line(((x + 8, line - ROW + 4), (x + taken - 8, line - ROW + 4)), Style(cls="rule")))
    return shapes


def _row(way: Sequence[Element], units: UnitSettings) -> tuple[str, str, str]:
    """Device, conductor, and what is fed: name and data of each."""
    devices = [e for e in way if isinstance(e, Switching)]
    conductors = [e for e in way if isinstance(e, Conductor)]
    ends = [e for e in way if len(e.TERMINALS) == 1]
    device = " ".join(e.name + ("" if e.closed else " (open)") for e in devices) or "direct"
    boards = ", ".join(e.name for e in way if isinstance(e, Bus) and e.bus_kind != "junction")
    fed = ", ".join(f"{e.name} {short_data(e, units)}".strip() for e in ends) or boards
    return device, ", ".join(f"{e.name} {short_data(e, units)}".strip() for e in conductors), fed or "spare"
