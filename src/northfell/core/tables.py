"""Typed tables with units: the one form in which results leave the core. Screen, CSV, workbook and JSON render the same tables."""

import cmath
import csv
import io
import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

Cell = Any  # str, bool, int, float, complex or None; None is an absent value, never zero


@dataclass(frozen=True)
class Column:
    """One column: its stable name for scripts, its unit, and what it means in words for the head of a ledger."""

    name: str
    unit: str = ""
    label: str = ""


@dataclass(frozen=True)
class Table:
    """Rows in the order of the network file; every row as long as the columns."""

    name: str
    columns: tuple[Column, ...]
    rows: list[tuple[Cell, ...]] = field(default_factory=list)

    def __post_init__(self) -> None:
        for row in self.rows:
            if len(row) != len(self.columns):
                raise ValueError(f"table {self.name}: a row of {len(row)} cells under {len(self.columns)} columns")

    def index(self, column: str) -> int:
        """Position of a column by its name."""
        return next(i for i, c in enumerate(self.columns) if c.name == column)

    def column(self, name: str) -> list[Cell]:
        """All cells of one column."""
        at = self.index(name)
        return [row[at] for row in self.rows]

    def numbers(self, name: str) -> NDArray[np.float64]:
        """A column of numbers as an array; nan where one is absent."""
        return np.array(self.column(name), float)

    def record(self, n: int) -> dict[str, Cell]:
        """A row as a dictionary by column name."""
        return dict(zip([c.name for c in self.columns], self.rows[n], strict=True))

    def records(self) -> Iterator[dict[str, Cell]]:
        """The rows as dictionaries by column name."""
        names = [c.name for c in self.columns]
        for row in self.rows:
            yield dict(zip(names, row, strict=True))

    def to_json(self) -> dict[str, Any]:
        """The table as JSON holds it: complex values as [re, im], absent and non-finite ones as null."""
        rows = [[cell if cell.__class__ in _AS_IT_IS else json_cell(cell) for cell in row] for row in self.rows]
        return {"columns": [{"name": c.name, "unit": c.unit} for c in self.columns], "rows": rows}

    def to_csv(self) -> str:
        """The table as CSV with units in the head; text that a spreadsheet would run as a formula is made inert."""
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\r\n")
        writer.writerow([f"{c.name} [{c.unit}]" if c.unit else c.name for c in self.columns])
        for row in self.rows:
            writer.writerow([inert_cell(json_cell(cell)) for cell in row])
        return out.getvalue()


def joined(tables: Sequence[Table]) -> Table:
    """Several tables of the same columns (one per operating state) as one."""
    first = tables[0]
    return Table(first.name, first.columns, [row for table in tables for row in table.rows])


def build(name: str, columns: Iterable[tuple[str, str, str]], rows: Iterable[tuple[Cell, ...]]) -> Table:
    """A table from (name, unit, label) triples and rows."""
    return Table(name, tuple(Column(*c) for c in columns), list(rows))


def by_columns(name: str, columns: Iterable[tuple[str, str, str]], cells: Sequence[Sequence[Cell]]) -> Table:
    """A table from its columns, each of as many cells as the others."""
    heads = tuple(Column(*c) for c in columns)
    if len(heads) != len(cells):
        raise ValueError(f"table {name}: {len(cells)} columns under {len(heads)} heads")
    made = Table(name, heads)
    made.rows.extend(zip(*cells, strict=True))
    return made


def cells_of(values: NDArray[np.float64]) -> list[Cell]:
    """Numbers as cells: what is not finite is absent."""
    listed: list[Cell] = values.tolist()
    for i in np.flatnonzero(~np.isfinite(values)).tolist():
        listed[i] = None
    return listed


_AS_IT_IS = frozenset({str, int, bool, type(None)})


def json_cell(cell: Cell) -> Any:
    """One cell as JSON holds it."""
    if isinstance(cell, complex):
        return [cell.real, cell.imag] if cmath.isfinite(cell) else None
    if isinstance(cell, float):
        return cell if math.isfinite(cell) else None
    return cell


def inert_cell(cell: Any) -> Any:
    """Text that starts like a formula gets a leading apostrophe, so that no spreadsheet runs it."""
    if isinstance(cell, str) and cell[:1] in ("=", "+", "-", "@", "\t", "\r"):
        return "'" + cell
    return cell
