"""Tables in a workbook (XLSX) and in CSV files: written inert, read with bounds. What they hold is said by `network_tables`."""

import csv
import io
import zipfile
import zlib
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import openpyxl
import xlsxwriter
from openpyxl.utils.exceptions import InvalidFileException

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.tables import inert_cell
from northfell.formats.network_tables import Cells

MOST_BYTES = 32 * 1024 * 1024
MOST_UNPACKED = 256 * 1024 * 1024
MOST_CELLS = 4_000_000  # that hold something
MOST_COLUMNS, MOST_ROWS = 300, 250_000
# what a damaged zip may raise
UNREADABLE = (zipfile.BadZipFile, zlib.error, ValueError, OSError, RuntimeError, EOFError, LookupError, NotImplementedError)
MOST_SWELLING = 200  # times its packed size
TEXT_ONLY = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}


def write_xlsx(tables: Mapping[str, Cells]) -> bytes:
    """A workbook with a sheet for each table. Text stays text; a number that a workbook would round is written as text with all digits."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, TEXT_ONLY) as book:
        bold = book.add_format({"bold": True})
        for title, rows in tables.items():
            sheet = book.add_worksheet(title[:31])
            sheet.freeze_panes(1, 0)
            for r, row in enumerate(rows):
                for c, cell in enumerate(row):
                    _write(sheet, r, c, cell, bold if r == 0 else None)
    return out.getvalue()


def _write(sheet: Any, r: int, c: int, cell: Any, style: Any) -> None:
    if cell is None or cell == "":
        return
    if isinstance(cell, bool):
        sheet.write_boolean(r, c, cell)
    elif isinstance(cell, int | float) and float(f"{cell:.16G}") == cell:
        sheet.write_number(r, c, cell)
    else:
        sheet.write_string(r, c, repr(cell) if isinstance(cell, float) else str(cell), style)


def read_xlsx(data: bytes) -> dict[str, list[list[Any]]]:
    """The tables of a workbook by sheet.

    Raises
    ------
    NetworkRefused
        If it is too large, damaged, or a cell holds a formula.
    """
    _bounded(data)
    try:
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=False)
        tables: dict[str, list[list[Any]]] = {}
        taken = 0
        for sheet in book.worksheets:
            sheet.reset_dimensions()  # what it says of its own size is not believed
            rows: list[list[Any]] = []
            for n, row in enumerate(sheet.iter_rows(), 1):
                if n > MOST_ROWS or len(row) > MOST_COLUMNS:
                    raise _too_many(f"row {n}, column {len(row)}", f"at most {MOST_ROWS} rows and {MOST_COLUMNS} columns in a table")
                cells = []
                for cell in row:
                    if cell.data_type == "f" or (cell.data_type == "e"):
                        accepted = "a value; paste the values of a formula in its place"
                        raise NetworkRefused([InputRefused("cell", str(cell.value)[:40], accepted, where=f"Table {sheet.title}, row {n}")])
                    cells.append(cell.value)
                taken += sum(cell is not None for cell in cells)
                if taken > MOST_CELLS:
                    raise _too_many(f"more than {MOST_CELLS} cells", f"at most {MOST_CELLS}")
                if cells:
                    rows.append(cells)
            tables[sheet.title] = rows
        return tables
    except NetworkRefused:
        raise
    except (InvalidFileException, SyntaxError, TypeError, AttributeError, OverflowError, *UNREADABLE):
        raise _refused("damaged or foreign") from None


def _too_many(got: str, accepted: str) -> NetworkRefused:
    return NetworkRefused([InputRefused("table", got, accepted, where="Workbook")])


def _refused(got: str) -> NetworkRefused:
    return NetworkRefused([InputRefused("file", got, "a workbook (.xlsx) or a zip of CSV files with tables of a network", where="Workbook")])


def _bounded(data: bytes) -> None:
    """Refuse what is too large before it is unpacked."""
    if len(data) > MOST_BYTES:
        raise NetworkRefused([InputRefused("size", f"{len(data) / 1e6:.0f} MB", f"at most {MOST_BYTES / 1e6:.0f} MB", where="Workbook")])
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as pack:
            infos = pack.infolist()
    except UNREADABLE:
        raise _refused("damaged or foreign") from None
    if sum(i.file_size for i in infos) > MOST_UNPACKED or len(infos) > 1000 or swollen(infos):
        raise _refused(f"{sum(i.file_size for i in infos) / 1e6:.0f} MB unpacked")


def swollen(infos: Iterable[zipfile.ZipInfo]) -> bool:
    """Whether a part unpacks to far more than text ever does: a file made to fill the memory of whoever opens it."""
    return any(i.file_size > 4_000_000 and i.file_size > MOST_SWELLING * i.compress_size for i in infos)


def csv_files(tables: Mapping[str, Cells]) -> dict[str, bytes]:
    """The tables as CSV files by name; text that a spreadsheet would run as a formula is made inert."""
    files = {}
    for title, rows in tables.items():
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\r\n")
        for row in rows:
            writer.writerow([_csv_cell(cell) for cell in row])
        files[f"{title}.csv"] = out.getvalue().encode("utf-8-sig")
    return files


def _csv_cell(cell: Any) -> Any:
    if isinstance(cell, bool):
        return "true" if cell else "false"
    if isinstance(cell, str) and cell.startswith("'"):
        return "'" + cell
    return repr(cell) if isinstance(cell, float) else inert_cell(cell)


def _read_cell(cell: str) -> str:
    """A cell as it was before it was made inert."""
    return cell[1:] if cell.startswith("'") and cell[1:2] in ("=", "+", "-", "@", "\t", "\r", "'") else cell


def read_csv_files(files: Mapping[str, bytes]) -> dict[str, list[list[Any]]]:
    """The tables of CSV files by their names.

    Raises
    ------
    NetworkRefused
        If one is no text in UTF-8 or no table.
    """
    tables: dict[str, list[list[Any]]] = {}
    taken = 0
    for name, data in files.items():
        try:
            text = data.decode("utf-8-sig")
            if "\x00" in text:
                raise ValueError
            rows: list[list[Any]] = []
            for row in csv.reader(io.StringIO(text, newline="")):
                taken += len(row)
                if taken > MOST_CELLS or len(rows) > MOST_ROWS or len(row) > MOST_COLUMNS:
                    raise _too_many(f"row {len(rows) + 1} of {name[:80]}", f"at most {MOST_ROWS} rows, {MOST_COLUMNS} columns and {MOST_CELLS} cells in all")
                rows.append([_read_cell(cell) for cell in row])
            tables[name.removesuffix(".csv")] = rows
        except NetworkRefused:
            raise
        except (UnicodeDecodeError, csv.Error, ValueError):
            raise NetworkRefused([InputRefused("file", name[:80], "a CSV table in UTF-8", where="CSV files")]) from None
    return tables


def write_csv_zip(tables: Mapping[str, Cells]) -> bytes:
    """The CSV files in one zip."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        for name, data in csv_files(tables).items():
            pack.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def read_csv_zip(data: bytes) -> dict[str, list[list[Any]]]:
    """The tables of CSV files in a zip; only files at its top, by name, never written anywhere."""
    _bounded(data)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as pack:
            names = [i.filename for i in pack.infolist() if i.filename.endswith(".csv") and "/" not in i.filename and "\\" not in i.filename]
            files = {}
            for name in names:
                with pack.open(name) as part:
                    files[name] = part.read(MOST_UNPACKED)  # never more than its size said
    except UNREADABLE:
        raise _refused("damaged or foreign") from None
    if not files:
        raise _refused("no CSV files")
    return read_csv_files(files)


def read_csv_folder(folder: Path) -> dict[str, list[list[Any]]]:
    """The tables of the CSV files in a folder, for the command line."""
    try:
        found = sorted(f for f in folder.glob("*.csv") if f.is_file())
        if not found or sum(f.stat().st_size for f in found) > MOST_UNPACKED:
            raise NetworkRefused([InputRefused("folder", folder.name, "CSV files with tables of a network, up to 256 MB", where="CSV files")])
        return read_csv_files({f.name: f.read_bytes() for f in found})
    except OSError as error:
        raise NetworkRefused([InputRefused("folder", str(folder), "CSV files that can be read", error.strerror or "", "CSV files")]) from None
