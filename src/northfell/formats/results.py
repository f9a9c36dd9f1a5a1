"""Result tables as JSON, CSV and workbook: the same tables everywhere."""

import io
import json
from typing import Any

import xlsxwriter

from northfell.core.tables import Table, json_cell


def to_json(answer: dict[str, Any]) -> str:
    """As JSON that people read too: a key, and a row of a table, to a line."""
    return _lines(answer, "\n") + "\n"


def _lines(value: Any, line: str) -> str:
    """What is in keys and lists, deeper by one; a row in one line, which the library writes much faster."""
    inner = line + " "
    if isinstance(value, dict) and value:
        return "{" + inner + ("," + inner).join(f"{_plain(str(key))}: {_lines(one, inner)}" for key, one in value.items()) + line + "}"
    if isinstance(value, list | tuple) and value:
        rows = all(isinstance(one, list | tuple) for one in value)
        return "[" + inner + ("," + inner).join(_plain(one) if rows else _lines(one, inner) for one in value) + line + "]"
    return _plain(value)


_plain = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode


def to_csv(tables: list[Table]) -> str:
    """All tables one below the other, each under its name."""
    return "\r\n".join(f"# {table.name}\r\n{table.to_csv()}" for table in tables)


def to_workbook(tables: list[Table]) -> bytes:
    """A workbook with a sheet for each table; text is written as text, so that no cell runs as a formula."""
    out = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
    with xlsxwriter.Workbook(out, options) as book:
        bold = book.add_format({"bold": True})
        for table in tables:
            sheet = book.add_worksheet(table.name[:31])
            sheet.freeze_panes(1, 0)
            for c, column in enumerate(table.columns):
                sheet.write_string(0, c, f"{column.name} [{column.unit}]" if column.unit else column.name, bold)
            for r, row in enumerate(table.rows, 1):
                for c, cell in enumerate(row):
                    _write(sheet, r, c, json_cell(cell))
    return out.getvalue()


def _write(sheet: Any, r: int, c: int, cell: Any) -> None:
    if cell is None:
        return
    if isinstance(cell, bool):
        sheet.write_boolean(r, c, cell)
    elif isinstance(cell, int | float):
        sheet.write_number(r, c, cell)
    else:
        sheet.write_string(r, c, json.dumps(cell) if isinstance(cell, list) else str(cell))
