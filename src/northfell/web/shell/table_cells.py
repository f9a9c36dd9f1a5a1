"""Cells, rows and heads of the ledger, and how a table of a study becomes them."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from northfell.core.model.elements import Element
from northfell.core.model.network import Network
from northfell.core.quantities import fixed, shown_decimals
from northfell.core.tables import Table, inert_cell
from northfell.drawing.shapes import Shape
from northfell.web.shell.figures import Figure


class CellShown(NamedTuple):
    """A cell: its text, and what it is sorted by."""

    text: str
    sort: float | str = ""
    severity: str = ""
    bar: float | None = None
    number: bool = False
    over: bool = False  # of other states than the one shown: marked as not current while those are not solved
    full: float | None = None  # every digit, for who copies the table

    @property
    def seen(self) -> tuple[object, ...]:
        """What is seen of it."""
        return self[:-1]

    @property
    def copied(self) -> str:
        """As a spreadsheet takes it."""
        if self.full is not None:
            return str(self.full)
        shown = " ".join(self.text.split())
        return shown if self.number else str(inert_cell(shown))


@dataclass(frozen=True)
class RowShown:
    """A row: the element it leads to, its cells, its verdict."""

    element: str
    cells: Sequence[CellShown]
    severity: str = ""
    side: str = "load"
    state: str = ""
    over: bool = False  # its verdict is of all states
    act: str = ""  # path below the project that a button at the end of the row posts to, and what it says
    act_says: str = ""


@dataclass(frozen=True)
class Head:
    """The head of a column."""

    label: str
    unit: str = ""
    number: bool = False

    @property
    def told(self) -> str:
        """The head in one line."""
        return f"{self.label} {self.unit}".strip()


@dataclass(frozen=True)
class Ledger:
    """A table of the ledger, or why there is none."""

    tabs: list[tuple[str, str, int | None]]  # key, name, count
    heads: list[Head]
    rows: list[RowShown]
    message: list[str] = field(default_factory=list)
    empty: str = "Nothing here."
    export: str = ""  # name of the table that can be exported
    note: str = ""  # a line above the rows
    run: str = ""  # what a button begins where there are no rows yet
    spare: tuple[str, ...] = ()  # heads, told in one line, of columns that are left out first where there is not room for all
    chain: tuple[Figure, ...] = ()  # above the rows: figures that follow from each other, one after the other
    charts: tuple[tuple[str, Sequence[Shape]], ...] = ()  # above the rows, each with what it shows


def text(value: str, severity: str = "") -> CellShown:
    return CellShown(value, value.lower(), severity)


def num(value: float | None, decimals: int | None = None, severity: str = "", bar: float | None = None, otherwise: str = "–", digits: int = 4) -> CellShown:
    if value is None or not math.isfinite(value):
        return CellShown(otherwise, -math.inf, severity, None, True)
    # sorted as it is read: a row that looks the same is the same, and is not sent again
    reach = decimals if decimals is not None else shown_decimals(value, digits)
    written, sort = fixed(value, reach), round(value, reach)
    if decimals is None and not written.strip("0."):
        written = "0"
    return CellShown(written, sort, severity, None if bar is None else round(bar, 2), True, False, value)


def written(value: float | None, decimals: int | None = None, digits: int = 4) -> float | None:
    """A number as far as :func:`num` writes it: two that are the same so far look the same, and a row of such can be taken as it was made.

    Not where rows are copied: those carry every digit.
    """
    if value is None or not math.isfinite(value):
        return None
    return round(value, decimals if decimals is not None else shown_decimals(value, digits))


def over(cell: CellShown, other: bool = True) -> CellShown:
    """A cell of other states than the one shown."""
    return cell._replace(over=True) if other else cell


DECIMALS = {"v_pu": 4, "angle_deg": 1, "loading_pct": 1, "kappa": 3}  # others take four significant digits


def heads_of(table: Table, names: str) -> list[Head]:
    """Heads from the columns of a table: the same labels and units as in its files."""
    columns = {c.name: (i, c) for i, c in enumerate(table.columns)}
    return [Head(c.label, c.unit, _of_numbers(table, i)) for i, c in (columns[n] for n in names.split())]


def _of_numbers(table: Table, column: int) -> bool:
    """Whether the first value that is there is a number."""
    first = next((row[column] for row in table.rows if row[column] is not None), None)
    return isinstance(first, int | float) and not isinstance(first, bool)


def cell_of(record: dict[str, Any], name: str, severity: str = "", otherwise: str = "–") -> CellShown:
    """One cell of a table's row as the ledger shows it."""
    value = record[name]
    if isinstance(value, str):
        return text(value.replace("_", " ") if name in ("kind", "terminal") else value)
    counted = 0 if isinstance(value, int) else None
    return num(value, DECIMALS.get(name, counted), severity, otherwise=otherwise)


def shown(network: Network, table: Table, names: str, element: str, otherwise: str = "–") -> Ledger:
    """Some columns of a table as a ledger; `element` is the column that names the element of a row."""
    rows = [
        RowShown(network.id_of_name[r[element]], [cell_of(r, n, otherwise=otherwise) for n in names.split()], side=r.get("side", "load"))
        for r in table.records()
    ]
    return Ledger([], heads_of(table, names), rows, export=table.name)


def kind_name(e: Element) -> str:
    """The kind in a ledger's short words."""
    return e.kind.replace("_", " ").capitalize()
