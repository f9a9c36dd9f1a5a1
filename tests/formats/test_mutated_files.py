"""Any file of any kind is read or refused in words, with its structure changed at random: a few hundred here, more with NORTHFELL_MUTATIONS=10000."""

import io
import json
import os
import random
import zipfile
from contextlib import suppress

import pytest
from tests.formats.mutating import KINDS_OF_FILE, mutated, reading

from northfell.core.errors import NorthfellError
from northfell.core.model.network import check_network
from northfell.demo import skerrow_water
from northfell.formats import network_tables, northfell_json, workbook

COUNT = int(os.environ.get("NORTHFELL_MUTATIONS", "400"))


@pytest.mark.parametrize("kind", KINDS_OF_FILE)
def test_mutated_files_are_read_or_refused_in_words(kind):
    choose = random.Random(f"{kind} 1")
    for _ in range(COUNT // len(KINDS_OF_FILE)):
        data = mutated(kind, choose)
        try:
            found = reading(kind, data)
        except NorthfellError as error:
            found, told = None, str(error)
            assert told
        if found is not None:
            check_network(found)
            northfell_json.write(found).encode()


@pytest.mark.parametrize("value", [10**400, -(10**400), float("nan"), "9" * 400], ids=["int", "negative", "nan", "text"])
def test_one_cell_beyond_all_numbers_in_every_column(value):
    tables = network_tables.tables_of(skerrow_water())
    for name, (head, *rows) in tables.items():
        row, *rest = rows or [[None] * len(head)]
        for n in range(len(row)):
            with suppress(NorthfellError):
                check_network(network_tables.network_of({**tables, name: [head, [*row[:n], value, *row[n + 1 :]], *rest]}))


def a_zip(**members: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        for name, data in members.items():
            pack.writestr(name, data)
    return out.getvalue()


@pytest.mark.parametrize(
    ("kind", "data"),
    [
        ("zip", a_zip(**{"cable.csv": b"," * 60_000_000})),  # 59 kB that unfold to 60 million cells
        ("zip", a_zip(**{"cable.csv": b"name\n" + b"x\n" * 300_000})),
        ("northfell", a_zip(**{"project.json": b'{"a":[' + b"[]," * 20_000_000 + b"1]}"})),
        ("northfell", a_zip(**{"project.json": b"{}", **{f"documents/{n}": b"" for n in range(20_200)}})),
        ("xlsx", a_zip(**{"xl/workbook.xml": b"<a>" + b" " * 250_000_000})),
        ("json", b"[" * 200_000),
    ],
)
def test_what_unfolds_to_too_much_is_refused_before_it_does(kind, data):
    assert len(data) < 3_000_000
    with pytest.raises(NorthfellError):
        reading(kind, data)


def sheet_of(rows: str) -> bytes:
    """A workbook with a sheet of given rows, which says of itself that it is small."""
    plain = io.BytesIO(workbook.write_xlsx({"cable": [["name"]]}))
    out = io.BytesIO()
    with zipfile.ZipFile(plain) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for info in old.infolist():
            data = old.read(info)
            if info.filename == "xl/worksheets/sheet1.xml":
                start, end = data.index(b"<sheetData>") + 11, data.index(b"</sheetData>")
                data = data[:start] + rows.encode() + data[end:]
            new.writestr(info.filename, data)
    return out.getvalue()


@pytest.mark.parametrize(
    "rows",
    [
        '<row r="1048576"><c r="A1048576"><v>1</v></c></row>',
        '<row r="1"><c r="XFD1"><v>1</v></c></row>',
        "".join(f'<row r="{n}"><c r="KO{n}"><v>1</v></c></row>' for n in range(1, 400)),
    ],
)
def test_a_workbook_of_many_empty_cells_is_refused(rows):
    with pytest.raises(NorthfellError):
        workbook.read_xlsx(sheet_of(rows))


@pytest.mark.parametrize(
    ("kind", "data"),
    [
        ("tables", {"settings": [["setting", "value"], ["limits"]]}),
        ("tables", {"settings": [["setting", "value"], ["limits", "5"], ["limits.loading_close_pct", "80"]]}),
        ("tables", {"states": [["state", "element", "field", "value"], ["Night"]]}),
        ("tables", {"sheets": [["sheet", "element", "x", "y"], ["Main"], ["Main", "A"]]}),
        ("tables", {"own entries": [["name", "kind", "values"], ["x"]]}),
        ("tables", {"cable": [["name", "length_m"], ["W", __import__("datetime").datetime(2026, 1, 1)]]}),
        ("tables", {"states": [["state", "element", "field", "value"], ["N", "A", "closed", __import__("datetime").date(2026, 1, 1)]]}),
        ("tables", {"cable": [["name", "assumed", "origins"], ["W", "5", "[]"]]}),
        ("cdf", b"x" * 31 + b" 100.0\nBUS DATA FOLLOWS\n\xb2\xb3    Bus 1\n-999\nBRANCH DATA FOLLOWS\n-999\n"),
    ],
)
def test_ordinary_bad_files_are_refused_in_words(kind, data):
    with suppress(NorthfellError):
        reading(kind, data)


@pytest.mark.parametrize(
    "element",
    [
        {"output_levels": {"a": {"b": 1}}}, {"output_levels": [1]}, {"assumed": 5}, {"assumed": {"p_mw": 5}}, {"origins": []}, {"origins": {"p_mw": None}},
        {"label": "a\x00b"}, {"label": "\ud800"}, {"note": "x" * 30_000}, {"group": "a\nb"}, {"documents": [{"name": "a", "media_type": "x", "size": 1}]},
    ],
)  # fmt: skip
def test_fields_of_the_wrong_form_are_refused_with_what_is_accepted(element):
    raw = {"kind": "synchronous_generator", "name": "G", "bus": "A", **element}
    data = {"format": "northfell-network", "format_version": 1, "elements": [{"kind": "bus", "name": "A"}, raw]}
    with pytest.raises(NorthfellError, match=r"accepted is|text of up to|valid|JSON"):
        northfell_json.read(json.dumps(data))


@pytest.mark.parametrize(
    ("part", "value"),
    [
        ("sheets", [{"name": "S", "placements": {"A": {"x": 1e15, "y": 0.0}}}]), ("sheets", [{"name": "S"}, {"name": "S"}]),
        ("sheets", [{"name": "S", "placements": {"A": {"x": 0.0, "y": 0.0, "width": 1e9}}}]), ("sheets", [{"name": f"S{n}"} for n in range(1001)]),
        ("states", [{"name": f"S{n}"} for n in range(501)]),
    ],
)  # fmt: skip
def test_ranges_of_sheets_and_states(part, value):
    data = {"format": "northfell-network", "format_version": 1, "elements": [{"kind": "bus", "name": "A"}], part: value}
    with pytest.raises(NorthfellError):
        northfell_json.read(json.dumps(data))
