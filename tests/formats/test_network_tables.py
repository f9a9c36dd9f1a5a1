"""Tables leave as workbook and CSV and come back equal to the last digit; what is damaged or hostile is refused in words."""

import contextlib
import hashlib
import io
import zipfile

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import BUS_A, BUS_B, CABLE, INFEED, LOAD, network_of

from northfell.app.data import workbooks
from northfell.core.errors import NetworkRefused
from northfell.core.model.changes import Change, PutAcknowledged, Set, apply_change, proposing
from northfell.core.model.kept_beside import Acknowledged
from northfell.core.model.network import OperatingState, OwnEntry
from northfell.demo import bracken_quay, skerrow_water
from northfell.formats import network_tables, northfell_json, northfell_zip, workbook
from northfell.formats.northfell_zip import WholeProject

DEMO, QUAY = skerrow_water(), northfell_json.read(bracken_quay())
WAYS = {
    "xlsx": (workbook.write_xlsx, workbook.read_xlsx),
    "csv": (workbook.write_csv_zip, workbook.read_csv_zip),
}  # fmt: skip


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("network", [DEMO, QUAY], ids=["Skerrow Water", "Bracken Quay"])
def test_whole_projects_come_back_equal(way, network):
    write, read = WAYS[way]
    back = network_tables.network_of(read(write(network_tables.tables_of(network))))
    assert northfell_json.write(back) == northfell_json.write(network)
    assert workbooks.merged(network, network_tables.read(read(write(network_tables.tables_of(network))))).acts == ()


FINITE = st.floats(1e-6, 1e5, allow_nan=False)
TEXT = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), max_size=20)
FORMULAS = st.sampled_from(["=1+1", "=HYPERLINK('x')", "+A1", "-2", "@SUM(A1)", "'=x", "''", "'", "007", "TRUE", "1e5"])


@given(length=FINITE, share=st.floats(0, 1), note=st.one_of(TEXT, FORMULAS), group=FORMULAS, factor=FINITE.filter(lambda f: f <= 100))
def test_every_digit_and_every_text_survives(length, share, note, group, factor):
    state = OperatingState(name="Night", differences={"E": {"load_factor": share}}, load_factors={"": factor, group: share})
    cable = {
        **CABLE,
        "length_m": length,
        "note": note.strip(),
        "group": group,
        "assumed": {"t_end_degc": 'limit, "quoted"'},
        "origins": {"length_m": "nameplate"},
    }
    network = network_of([BUS_A, BUS_B, INFEED, cable, {**LOAD, "demand_factor": share}], [state])
    network = network.model_copy(update={"entries": [OwnEntry(name="Own", kind="cable", values={"r_ohm_per_km": length / 1e4}, source="'=x")]})
    for write, read in WAYS.values():
        back = network_tables.network_of(read(write(network_tables.tables_of(network))))
        assert northfell_json.write(back) == northfell_json.write(network)


def test_the_whole_project_keeps_documents_entries_and_factors():
    content = b"%PDF-1.7 isolation"
    state = OperatingState(name="Night", load_factors={"": 0.5}, generation_factors={"Sun": 0.0})
    network = QUAY.model_copy(update={"states": [*QUAY.states, state]})
    for change in (
        proposing.new_proposal(network, "Longer", "a note", [Change("route", (Set(id=next(i for i, e in network.elements.items() if e.kind == "cable"),
                                                                                  values={"length_m": 10.0}),))]),
        Change("known", (PutAcknowledged(acknowledged=[Acknowledged(key="a\nb\nc", reason="known", beyond=1.1)]),)),
    ):  # fmt: skip
        network = apply_change(network, change)[0]
    digest = hashlib.sha256(content).hexdigest()
    whole = northfell_zip.read(northfell_zip.write(WholeProject(network, documents={digest: content})))
    assert whole.network == network
    assert whole.documents == {digest: content}
    packed = northfell_zip.write(WholeProject(network, documents={"0" * 64: content}))
    with pytest.raises(NetworkRefused, match="not what it was"):
        northfell_zip.read(packed)


def changed_book(edit):
    book = openpyxl.load_workbook(io.BytesIO(workbook.write_xlsx(network_tables.tables_of(DEMO))))
    edit(book)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def put(sheet, cell, value):
    return lambda book: book[sheet].__getitem__(cell).__setattr__("value", value)


def column(sheet_name, head):
    tables = network_tables.tables_of(DEMO)
    return openpyxl.utils.get_column_letter(tables[sheet_name][0].index(head) + 1)


LENGTH = column("cable", "length_m [m]")


@pytest.mark.parametrize(
    ("edit", "told"),
    [
        (put("cable", f"{LENGTH}2", "=1+1"), "Table cable, row 2: cell is “=1+1”, accepted is a value"),
        (put("cable", f"{LENGTH}2", "1e400"), "length_m is “1e400”"),
        (put("cable", f"{LENGTH}2", "nan"), "Table cable, row 2: length_m is “nan”, accepted is a number"),
        (put("cable", f"{LENGTH}2", "3 kV"), "length_m is “3 kV”"),
        (put("cable", f"{LENGTH}1", "length_m [kV]"), "length_m is “[kV]”, accepted is [m] or another unit of the same quantity"),
        (put("cable", f"{LENGTH}1", "girth"), "column is “girth”"),
        (put("cable", "B2", None), "name is “”, accepted is a name"),
        (put("cable", "B3", "W25"), "a name that no other element has"),
        (put("settings", "B2", "fifty"), "accepted is JSON text"),
        (lambda book: book.create_sheet("Virus"), "table is “Virus”"),
    ],
)  # fmt: skip
def test_hostile_cells_are_refused_with_table_row_and_column(edit, told):
    with pytest.raises(NetworkRefused) as refused:
        network_tables.read(workbook.read_xlsx(changed_book(edit)))
    assert told in str(refused.value)


def test_units_in_heads_and_cells_are_converted():
    def edit(book):
        book["cable"][f"{LENGTH}1"] = "length_m [km]"
        book["cable"][f"{LENGTH}2"] = 0.25
        book["cable"][f"{LENGTH}3"] = 0.5
        book["cable"].delete_cols(3, 3)  # a column that is not there says nothing of its parameter

    change = workbooks.merged(DEMO, network_tables.read(workbook.read_xlsx(changed_book(edit))))
    changed, inverse = apply_change(DEMO, change)
    assert (changed.elements["W25"].length_m, changed.elements["W311"].length_m) == (250.0, 500.0)
    assert apply_change(changed, inverse)[0] == DEMO


def test_a_value_typed_over_in_a_workbook_is_no_longer_typical():
    tables = network_tables.tables_of(DEMO)
    head, first = tables["cable"][0], tables["cable"][1]
    first[head.index("r_ohm_per_km [ohm/km]")] = 0.3
    changed, inverse = apply_change(DEMO, workbooks.merged(DEMO, network_tables.read(tables)))
    assert DEMO.elements["W25"].assumed.keys() - changed.elements["W25"].assumed.keys() == {"r_ohm_per_km"}
    assert apply_change(changed, inverse)[0] == DEMO
    first[head.index("assumed")] = '{"t_end_degc": "another table"}'
    first[head.index("origins")] = '{"length_m": "test report: 3"}'
    again, _ = apply_change(DEMO, workbooks.merged(DEMO, network_tables.read(tables)))
    assert again.elements["W25"].assumed == {"t_end_degc": "another table"}
    assert again.elements["W25"].origins == {"length_m": "test report: 3"}


def test_merging_adds_what_is_new_and_removes_nothing():
    tables = network_tables.tables_of(DEMO)
    load = dict(zip(tables["load"][0], tables["load"][1], strict=True))
    small = {"load": [list(load), [*{**load, "name": "New load"}.values()]], "own entries": [["name", "kind", "values"], ["Mine", "cable", '{"area_mm2": 95}']]}
    change = workbooks.merged(DEMO, network_tables.read(small))
    changed, _ = apply_change(DEMO, change)
    assert len(changed.elements) == len(DEMO.elements) + 1
    assert changed.entries[0].values == {"area_mm2": 95}
    with pytest.raises(NetworkRefused, match="a name that no other kind has"):
        workbooks.merged(DEMO, network_tables.read({"cable": [["name"], ["T1"]]}))
    with pytest.raises(NetworkRefused, match="the name of an element"):
        workbooks.merged(DEMO, network_tables.read({"states": [list(network_tables.STATE_HEAD), ["Night", "nobody", "closed", "true"]]}))


def bomb() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        pack.writestr("cable.csv", b"0" * (workbook.MOST_UNPACKED + 1))
    return out.getvalue()


@pytest.mark.parametrize(
    "data", [b"", b"PK\x03\x04 broken", workbook.write_xlsx(network_tables.tables_of(DEMO))[:-200], bomb()], ids=["none", "broken", "cut", "bomb"]
)
def test_damaged_files_are_refused(data):
    for _, read in WAYS.values():
        with pytest.raises(NetworkRefused):
            read(data)


@given(at=st.integers(0, 10**6), byte=st.integers(0, 255))
def test_one_wrong_byte_is_refused_or_read_never_a_crash(at, byte):
    data = bytearray(BOOK)
    data[at % len(data)] = byte
    with contextlib.suppress(NetworkRefused):
        network_tables.network_of(workbook.read_xlsx(bytes(data)))


BOOK = workbook.write_xlsx(network_tables.tables_of(network_of([BUS_A, BUS_B, INFEED, CABLE, LOAD])))


def test_xml_that_blows_up_is_refused():
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(BOOK)) as source, zipfile.ZipFile(out, "w") as pack:
        for name in source.namelist():
            text = source.read(name)
            if name.endswith("sheet1.xml"):
                laughs = b'<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>'
                text = text.replace(b"<worksheet", laughs + b"<worksheet", 1)
            pack.writestr(name, text)
    with pytest.raises(NetworkRefused):
        workbook.read_xlsx(out.getvalue())
