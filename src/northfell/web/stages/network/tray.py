"""The tray: a symbol of every kind, to be dragged onto the sheet."""

from dataclasses import dataclass
from functools import cache

from northfell.core.model.elements import KINDS
from northfell.core.model.network import element_from
from northfell.drawing.shapes import Line, Style, number, svg_of
from northfell.drawing.symbols_ieee import symbol_of

GROUPS = (
    ("Boards", "bus bus:panel bus:motor_control_centre bus:junction"),
    ("Supply", "infeed synchronous_generator inverter"),
    ("Transformers", "transformer three_winding_transformer autotransformer earthing_transformer"),
    ("Conductors", "cable line trunking series_reactor"),
    ("Switching", "breaker switch fuse contactor changeover"),
    ("Measuring", "current_transformer voltage_transformer relay"),
    ("Loads", "induction_motor synchronous_motor load rectifier"),
    ("Reactive", "capacitor_bank shunt_reactor"),
)
SHORT = {  # where the title is too long for the tray
    "bus": "Board", "bus:panel": "Panel", "bus:motor_control_centre": "MCC", "bus:junction": "Junction", "synchronous_generator": "Generator",
    "inverter": "Inverter", "transformer": "Two-wind.", "three_winding_transformer": "Three-w.", "autotransformer": "Auto", "earthing_transformer": "Earthing",
    "line": "Line", "trunking": "Trunking", "series_reactor": "Reactor", "changeover": "Changeover", "current_transformer": "Current",
    "voltage_transformer": "Voltage", "relay": "Relay", "induction_motor": "Induction", "synchronous_motor": "Synchron.", "capacitor_bank": "Capacitor",
    "shunt_reactor": "Reactor",
}  # fmt: skip


@dataclass(frozen=True)
class TrayItem:
    kind: str  # as it is posted; a bus with its kind behind a colon
    title: str
    short: str
    svg: str
    box: str


@cache
def tray_of(standard: str) -> tuple[tuple[str, tuple[TrayItem, ...]], ...]:
    """The symbols of the tray by group, after a standard."""
    return tuple((title, tuple(_item(kind, standard) for kind in kinds.split())) for title, kinds in GROUPS)


def _item(kind: str, standard: str) -> TrayItem:
    name, _, bus_kind = kind.partition(":")
    cls = KINDS[name]
    short = SHORT.get(kind, cls.TITLE)
    if name == "bus":
        title = bus_kind.replace("_", " ").capitalize() or "Switchboard"
        shape = Line(((-3, 0), (3, 0)), Style(cls="bar")) if bus_kind == "junction" else Line(((-20, 0), (20, 0)), Style(cls="bar"))
        return TrayItem(kind.replace("_", " "), title, short, svg_of([shape]), "-26 -22 52 44")
    given = {"q_mvar": 1.0, "q_step_mvar": 0.1, "breaker": "Q", "measures": "Q", **dict.fromkeys(cls.TERMINALS, "A")}
    element = element_from({"kind": name, "id": "x", "name": "x", **{k: v for k, v in given.items() if k in cls.model_fields}})
    symbol = symbol_of(element, standard)
    middle, high = (symbol.top + symbol.bottom) / 2, max(symbol.bottom - symbol.top, 30.0) + 6
    box = (-1.2 * high / 2, middle - high / 2, 1.2 * high, high)
    return TrayItem(kind, cls.TITLE, short, svg_of(symbol.shapes), " ".join(map(number, box)))
