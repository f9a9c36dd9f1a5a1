"""Tables that are edited in place: all elements of a kind, and the outgoing ways of a board."""

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, File, Request, Response, UploadFile
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field

from northfell.app.data import tabling, way_table, workbooks
from northfell.app.data.columns import Head
from northfell.app.data.tabling import Tabled
from northfell.app.project.importing import tables_read
from northfell.app.project.projects import Project, change_project, open_project
from northfell.app.workers import in_worker
from northfell.core.errors import NorthfellError, NotFound, StaleVersion
from northfell.core.model.declare.parameters import Parameter, parameter
from northfell.core.model.elements import KINDS, Bus
from northfell.core.model.network import Network
from northfell.core.model.showing import unit_shown
from northfell.core.rules.ways import Connections, ways_of
from northfell.formats import network_tables, workbook
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Db, Id, file_answer, project_page, slug
from northfell.web.shell.edits import Version
from northfell.web.shell.wording import worded

router = APIRouter(prefix="/projects/{project_id}")
MOST_CELLS = 100_000
Text = Annotated[str, Field(max_length=10_000)]
Many = Annotated[list[Text], Field(max_length=20_000)]


class Cells(BaseModel):
    """Cells that were typed or filled down: row, column, text."""

    version: int
    cells: Annotated[list[tuple[Text, Text, Text]], Field(max_length=MOST_CELLS)]


class Pasted(BaseModel):
    """A block of text at a cell: the rows from there down and the columns from there to the right."""

    version: int
    text: Annotated[str, Field(max_length=8_000_000)]
    rows: Many
    columns: Annotated[list[Text], Field(max_length=200)]
    boards: Annotated[list[Text], Field(max_length=50)] = []
    inside: bool = False


@router.get("/tables")
def tables(request: Request, db: Db, project_id: Id) -> Response:
    """The kinds with how many elements each has, and the boards with their ways."""
    opened = open_project(db, project_id)
    counts = {kind: sum(e.kind == kind for e in opened.network.elements.values()) for kind in KINDS}
    return project_page(request, opened, "pages/tables/tables.html", "Tables", counts=counts, boards=_boards(opened.network))


def _boards(network: Network) -> list[tuple[Bus, int]]:
    known = Connections(network.elements, network.adjacency)
    boards = [e for e in network.elements.values() if isinstance(e, Bus) and e.bus_kind != "junction"]
    return [(board, len(ways_of(network.elements, board.id, known))) for board in boards]


@router.get("/tables.xlsx")
def workbook_out(db: Db, project_id: Id) -> Response:
    """All tables as one workbook."""
    network = open_project(db, project_id).network
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    return file_answer(workbook.write_xlsx(network_tables.tables_of(network)), kind, f"{slug(network.name)}-tables.xlsx")


@router.get("/tables.zip")
def csv_out(db: Db, project_id: Id) -> Response:
    """All tables as CSV files in a zip."""
    network = open_project(db, project_id).network
    return file_answer(workbook.write_csv_zip(network_tables.tables_of(network)), "application/zip", f"{slug(network.name)}-tables.zip")


@router.post("/tables/import")
def tables_in(request: Request, db: Db, project_id: Id, version: Version, file: Annotated[UploadFile, File()]) -> Response:
    """Tables that come back, as one change."""
    opened = open_project(db, project_id)
    seen: dict[str, Any] = {}
    try:
        found = in_worker("Reading the tables", tables_read, file.filename or "", file.file.read(workbook.MOST_BYTES + 1))
        change = workbooks.merged(opened.network, found)
        opened = change_project(db, project_id, lambda network: workbooks.merged(network, found), version)
        seen["done"] = f"{change.title}." if change.acts else "The tables say nothing new: nothing was changed."
    except NorthfellError as error:
        seen["refused"] = error.lines[:60]
    counts = {kind: sum(e.kind == kind for e in opened.network.elements.values()) for kind in KINDS}
    return project_page(
        request, opened, "pages/tables/tables.html", "Tables", 422 if "refused" in seen else 200, counts=counts, boards=_boards(opened.network), **seen
    )


@router.get("/table/{kind}")
def table(request: Request, db: Db, project_id: Id, kind: str) -> Response:
    """The table of one kind."""
    opened = open_project(db, project_id)
    tabling.columns_of(kind)
    counts = {k: n for k in KINDS if (n := sum(e.kind == k for e in opened.network.elements.values()))}
    return project_page(request, opened, "pages/tables/table.html", KINDS[kind].TITLE, kind=kind, counts=counts, base=at(project_id, "table", kind), boards=[])


@router.get("/table/{kind}/data")
def table_data(db: Db, project_id: Id, kind: str) -> Response:
    """All rows of the table."""
    opened = open_project(db, project_id)
    network, columns = opened.network, tabling.columns_of(kind)
    rows = [tabling.row_of(network, e, columns) for e in network.elements.values() if e.kind == kind]
    lists = {k: [e.name for e in network.elements.values() if e.kind == k] for p in columns for k in p.refers_to}
    return JSONResponse({"version": opened.version, "columns": [_column(network, p) for p in columns], "rows": rows, "lists": lists})


def _column(network: Network, p: Parameter) -> dict[str, Any]:
    choices = ["yes", "no"] if p.form == "yes or no" else [str(c) for c in p.choices]
    return {
        "key": p.name, "label": p.label, "unit": unit_shown(p, network.settings.units), "number": p.form in ("number", "whole number"), "choices": choices,
        "list": list(p.refers_to), "meaning": p.meaning, "idle": "does not act beside its other values",
    }  # fmt: skip


@router.post("/table/{kind}/cells")
def table_cells(db: Db, project_id: Id, kind: str, sent: Cells) -> Response:
    """Set cells that were typed."""

    def make(network: Network) -> Tabled:
        cells = []
        for row, key, text in sent.cells:
            p = parameter(KINDS[kind], key) if kind in KINDS else None
            if p is None or row not in network.elements:
                raise NotFound("This element or column is no longer there. Load the table again.")
            cells.append((row, Head(p), text))
        rows = len({row for row, _, _ in sent.cells})
        return tabling.set_cells(network, kind, cells, f"{KINDS[kind].TITLE} table: {len(cells)} cell{'s' if len(cells) != 1 else ''} in {rows} rows")

    return _answer(db, project_id, kind, sent.version, make)


@router.post("/table/{kind}/paste")
def table_paste(db: Db, project_id: Id, kind: str, sent: Pasted) -> Response:
    """Set a pasted block; one paste is one change."""
    return _answer(db, project_id, kind, sent.version, lambda network: tabling.pasted(network, kind, sent.text, sent.rows, sent.columns))


def _answer(db: Any, project_id: Id, kind: str, version: int, make: Callable[[Network], Tabled]) -> Response:
    """Keep what could be read, and tell what could not, cell by cell; only rows that differ are sent."""
    columns = tabling.columns_of(kind)
    before = open_project(db, project_id).network

    def rows(opened: Project, made: Tabled) -> dict[str, Any]:
        told = {row for row, _ in made.errors}
        changed = [e for e in opened.network.elements.values() if e.kind == kind and (before.elements.get(e.id) is not e or e.id in told)]
        return {"rows": [tabling.row_of(opened.network, e, columns) for e in changed]}

    return _kept(db, project_id, version, make, rows)


def _kept(db: Any, project_id: Id, version: int, make: Callable[[Network], Tabled], more: Callable[[Project, Tabled], dict[str, Any]]) -> Response:
    opened = open_project(db, project_id)
    try:
        made = make(opened.network)
        opened = change_project(db, project_id, made.change, version)
    except NorthfellError as error:
        stale = isinstance(error, StaleVersion)
        return JSONResponse({"version": opened.version, "messages": [worded(line) for line in error.lines], "stale": stale}, 409 if stale else 422)
    cells = [{"id": row, "key": key, "why": worded(why), "text": made.typed.get((row, key), "")} for (row, key), why in made.errors.items()]
    return JSONResponse({"version": opened.version, "cells": cells, "messages": made.messages, "done": made.change.title, **more(opened, made)})


@router.get("/ways/{board:path}/data")
def ways_data(db: Db, project_id: Id, board: str) -> Response:
    """The ways of a board."""
    opened = open_project(db, project_id)
    return JSONResponse({"version": opened.version, **_ways(opened.network, board)})


def _ways(network: Network, board: str) -> dict[str, Any]:
    rows = []
    for row in way_table.rows_of(network, board):
        shown = [way_table.cell_shown(network, row, column) for column in way_table.COLUMNS]
        rows.append({"id": row.id, "cells": [text for text, _ in shown], "marks": "".join(mark for _, mark in shown), "locked": False})
    return {"columns": [_way_column(network, c) for c in way_table.COLUMNS], "rows": rows, "lists": {}}


def _way_column(network: Network, column: way_table.WayColumn) -> dict[str, Any]:
    kind, name = next(iter(column.fields.items()), ("", ""))
    p = parameter(KINDS[kind], name) if kind else None
    choices = {"kind": ["motor", "load", "spare"], "device": ["breaker", "fuse"]}.get(column.key, [])
    choices = choices or [c for c in (p.choices if p else ()) if isinstance(c, str)]
    meaning = p.meaning if p else {"kind": "What the way feeds.", "device": "What protects the way."}[column.key]
    number = p is not None and p.form in ("number", "whole number")
    return {
        "key": column.key, "label": column.label, "unit": way_table.column_unit(network, column), "number": number, "choices": choices, "list": [],
        "meaning": meaning, "idle": "there is nothing of this kind in this way",
    }  # fmt: skip


@router.get("/ways/{board:path}")
def ways(request: Request, db: Db, project_id: Id, board: str) -> Response:
    """The schedule of a board as a table."""
    opened = open_project(db, project_id)
    board = board if board in opened.network.elements else opened.network.id_of_name.get(board, board)
    element = opened.network.element(board)
    if not isinstance(element, Bus):
        raise NotFound(f"{element.name} is no board.")
    boards = [(b, n) for b, n in _boards(opened.network) if b.id != board]
    sheet = next((s.name for s in opened.network.sheets if board in s.placements), "")
    folded = bool(sheet and opened.network.sheet(sheet).placements[board].schedule)
    seen: dict[str, Any] = {
        "kind": "",
        "counts": {},
        "base": at(project_id, "ways", board),
        "board": element,
        "boards": boards,
        "sheet": sheet,
        "folded": folded,
    }
    return project_page(request, opened, "pages/tables/table.html", f"Ways of {element.name}", **seen)


@router.post("/ways/{board:path}/cells")
def way_cells(db: Db, project_id: Id, board: str, sent: Cells) -> Response:
    """Set cells of ways that stand."""
    cells = [(row, key, text, "") for row, key, text in sent.cells]
    return _kept(db, project_id, sent.version, lambda network: way_table.set_ways(network, board, cells), lambda opened, made: _ways(opened.network, board))


@router.post("/ways/{board:path}/paste")
def way_paste(db: Db, project_id: Id, board: str, sent: Pasted) -> Response:
    """A pasted block: rows of ways that stand set their elements, further rows become ways, on the other chosen boards too."""
    pasted: list[way_table.PastedWays] = []

    def make(network: Network) -> Tabled:
        sheet = next((s.name for s in network.sheets if board in s.placements), "")
        pasted.append(way_table.pasted(network, sheet, [board, *sent.boards], sent.text, sent.rows, sent.columns, sent.inside))
        return pasted[0].made

    def after(opened: Project, made: Tabled) -> dict[str, Any]:
        data = _ways(opened.network, board)
        new = pasted[0].new_ways
        fresh = [row["id"] for row in data["rows"]][-len(new) :] if new else []
        return {**data, "made": dict(zip(new, fresh, strict=False))}

    return _kept(db, project_id, sent.version, make, after)
