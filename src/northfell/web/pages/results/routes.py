"""Figures and files: working, tables, labels, and the network itself."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query, Request, Response

from northfell.app.project.projects import Project, open_project, whole_project
from northfell.app.results import labels, results_file
from northfell.app.results.printing import plain_pdf
from northfell.app.results.studies import Results, had
from northfell.core.errors import NotFound
from northfell.core.studies import STUDIES, Asked, Study
from northfell.core.tables import Table
from northfell.core.working import given_text, value_text
from northfell.documents import sheets
from northfell.documents.labels import Label
from northfell.drawing.sheet import Drawing
from northfell.formats import northfell_json, northfell_zip
from northfell.web.shell.answering import Db, answer, file_answer, project_page, slug
from northfell.web.shell.drawings import drawing_of
from northfell.web.shell.stage import STAGES, Look
from northfell.web.shell.view import Looking, View

router = APIRouter(prefix="/projects/{project_id}")


@router.get("/working")
def working(
    request: Request,
    db: Db,
    view: Looking,
    study: Annotated[str, Query(max_length=40)],
    quantity: Annotated[str, Query(max_length=40)],
    case: Literal["max", "min"] = "max",
    variant: Literal["full", "reduced"] = "full",
    faulted: Annotated[int | None, Query(ge=0)] = None,
    part: Annotated[str, Query(max_length=60)] = "",
) -> Response:
    """How a figure came about."""
    opened = open_project(db, view.project_id, view.proposal)
    one = next((s for s in STUDIES if s.key == study and quantity in s.quantities), None)
    if one is None:
        raise NotFound("There is no working of such a figure.")
    result = request.app.state.results.of(opened).at(view.state).result(one)
    made = one.explain(result, Asked(view.selected, quantity, case, variant, view.side, faulted, view.fault, part))
    seen: dict[str, Any] = {"working": made, "value_text": value_text, "given_text": given_text, "view": view, "project": opened}
    return answer(request, "pages/results/working.html", "pages/results/_working.html", **seen)


@router.get("/results.{form}")
def all_tables(request: Request, db: Db, view: Looking, form: Literal["zip", "xlsx", "pdf", "json"], over: Literal["one", "all"] = "one") -> Response:
    """All tables of the stage's study, in the state shown or over all, as a folder of CSV files, a workbook, a PDF, or JSON."""
    opened = open_project(db, view.project_id, view.proposal)
    study = STAGES[view.stage].study_of(view)
    if study is None:
        raise NotFound("This stage has no result tables.")
    results = request.app.state.results.of(opened)
    states = opened.network.state_names if over == "all" else [view.state]
    made = results_file.of([results.at(state) for state in states], study.key, opened.proposal)
    return file_answer(made.data(form), results_file.MEDIA_TYPES[form], f"{made.name}.{form}")


@router.get("/tables/{table}.csv")
def table(request: Request, db: Db, view: Looking, table: str) -> Response:
    """One table of the stage's study in the state shown, with full values."""
    opened = open_project(db, view.project_id, view.proposal)
    study = STAGES[view.stage].study_of(view)
    if study is None:
        raise NotFound("This stage has no result tables.")
    results = request.app.state.results.of(opened)
    found = _on_request(results, view, table, of=view.shown_tab)
    if found is None:
        result = STAGES[view.stage].listed(results.at(view.state).result(study), view)
        found = next((t for t in _tables(result, study, view) if t.name == table), None) or _on_request(results, view, table)
    if found is None:
        raise NotFound(f"There is no table “{table}”.")
    return file_answer(found.to_csv().encode("utf-8-sig"), "text/csv; charset=utf-8", _table_name(opened, view, table))


def _tables(result: Any, study: Study[Any], view: View) -> list[Table]:
    """The tables of a study; where it can tell more of the selected bus, of that one."""
    at = result.net.topology.bus_index.get(view.selected)
    return (
        study.tables_at(result, [at])
        if study.tables_at and at is not None and result.net.topology.fed_bus(at) and view.shown_tab != "faults"
        else result.tables()
    )


def _on_request(results: Results, view: View, table: str, of: str = "") -> Table | None:
    """A table of what was run on request for a tab of the stage, or for one of them."""
    for tab in STAGES[view.stage].tabs:
        if tab.request and (not of or tab.key == of) and (made := had(results, view.state, tab.request, tab.to(results.network, view))) is not None:
            found = next((t for t in tab.request.tables(view.state, made) if t.name == table), None)
            if found is not None:
                return found
    return None


def _table_name(opened: Project, view: View, table: str) -> str:
    """A file name that says of which project, state and study settings a table is."""
    return f"{'-'.join(slug(part) for part in (opened.title, table, view.state, opened.network.settings.set_name))}.csv"


@router.get("/label.pdf")
def label(request: Request, db: Db, view: Looking) -> Response:
    """The label of one location."""
    opened = open_project(db, view.project_id, view.proposal)
    results = request.app.state.results.of(opened)
    made = labels.labels_of(opened.network, results, (view.selected, view.side)).labels
    return _pdf(opened.title, made, f"label-{slug(made[0].equipment)}-{view.side}.pdf")


@router.get("/labels.pdf")
def all_labels(request: Request, db: Db, view: Looking, part: bool = False) -> Response:
    """The labels of all locations; where some cannot be printed, only once that has been read."""
    opened = open_project(db, view.project_id, view.proposal)
    job = labels.labels_of(opened.network, request.app.state.results.of(opened))
    if job.left_out and not part:
        return project_page(request, opened, "pages/results/labels.html", "Labels", 422, job=job, view=view)
    return _pdf(opened.title, job.labels, f"labels-{slug(opened.title)}{'-part' if job.left_out else ''}.pdf")


def _pdf(job: str, made: Sequence[Label], name: str) -> Response:
    return file_answer(plain_pdf(job, made), "application/pdf", name)


@router.get("/export")
def export(db: Db, view: Looking) -> Response:
    """The network with its states as a file; works at any time and is always whole."""
    opened = open_project(db, view.project_id, view.proposal)
    network = opened.network.model_copy(update={"name": opened.title[:80].strip()})
    return file_answer(northfell_json.write(network).encode(), "application/json", f"{slug(opened.title)}.northfell.json")


@router.get("/export.northfell")
def export_whole(db: Db, view: Looking) -> Response:
    """The whole project with its history as one file."""
    whole = whole_project(db, view.project_id)
    return file_answer(northfell_zip.write(whole), "application/zip", f"{slug(whole.network.name)}.northfell")


@router.get("/sheet.svg")
def sheet_as_svg(request: Request, db: Db, view: Looking) -> Response:
    """The sheet as it is shown, as a file of its own."""
    drawing, title = _sheet_shown(request, db, view)
    return file_answer(sheets.sheet_svg(drawing, title).encode(), "image/svg+xml", f"{slug(title.network)}-{slug(title.sheet)}.svg")


@router.get("/sheet.pdf")
def sheet_as_pdf(request: Request, db: Db, view: Looking) -> Response:
    """The sheet as it is shown, on one page."""
    drawing, title = _sheet_shown(request, db, view)
    return file_answer(sheets.sheet_pdf(drawing, title), "application/pdf", f"{slug(title.network)}-{slug(title.sheet)}.pdf")


def _sheet_shown(request: Request, db: Db, view: View) -> tuple[Drawing, sheets.Title]:
    opened = open_project(db, view.project_id, view.proposal)
    opened.network.state(view.state)
    results = request.app.state.results.of(opened)
    sheet = opened.network.sheet(view.sheet)
    drawing = drawing_of(Look(opened.network, results, replace(view, selected="")), sheet, request.app.state.memories)
    return drawing, sheets.Title(opened.title, sheet.name, view.state, date.today().isoformat(), opened.network.settings.set_name)
