"""The tray: a symbol of every kind, to be dragged onto the sheet."""

from dataclasses import dataclass
from functools import cache

from northfell.core.model.elements import KINDS
from northfell.core.model.network import element_from
from northfell.drawing.shapes import Line, Style, number, svg_of
from northfell.drawing.symbols_ieee import symbol_of

GROUPS = ("Boards", "Supply", "Transformers", "Conductors", "Switching", "Measuring", "Loads", "Reactive")


@dataclass(frozen=True)
class TrayItem:
    """A symbol of the tray."""

    kind: str  # as it is posted; a bus with its kind behind a colon
    title: str
    short: str
    svg: str
    box: str


@cache
def tray_of(standard: str) -> tuple[tuple[str, tuple[TrayItem, ...]], ...]:
    """The symbols of the tray by group, after a standard."""
    kinds = {title: [kind for kind, cls in KINDS.items() if cls.ABOUT.group == title] for title in GROUPS}
    every = {title: [one for kind in there for one in (kind, *(f"{kind}:{v}" for v in KINDS[kind].ABOUT.variants))] for title, there in kinds.items()}
    return tuple((title, tuple(_item(kind, standard) for kind in there)) for title, there in every.items())


def _item(kind: str, standard: str) -> TrayItem:
    name, _, bus_kind = kind.partition(":")
    cls = KINDS[name]
    short = cls.ABOUT.variants.get(bus_kind) or cls.ABOUT.short or cls.TITLE
    if name == "bus":
        title = bus_kind.replace("_", " ").capitalize() or "Switchboard"
        shape = Line(((-3, 0), (3, 0)), Style(cls="bar")) if bus_kind == "junction" else Line(((-20, 0), (20, 0)), Style(cls="bar"))
        return TrayItem(kind.replace("_", " "), title, short, svg_of([shape]), "-26 -22 52 44")
    given = {**cls.ABOUT.needs, **dict.fromkeys((cls.HELD_BY, *cls.TERMINALS), "A")}
    element = element_from({"kind": name, "id": "x", "name": "x", **{k: v for k, v in given.items() if k in cls.model_fields}})
    symbol = symbol_of(element, standard)
    middle, high = (symbol.top + symbol.bottom) / 2, max(symbol.bottom - symbol.top, 30.0) + 6
    box = (-1.2 * high / 2, middle - high / 2, 1.2 * high, high)
    return TrayItem(kind, cls.TITLE, short, svg_of(symbol.shapes), " ".join(map(number, box)))
