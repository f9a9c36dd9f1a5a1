"""The catalogue: found by filters, given to an element, made one's own, imported."""

from collections.abc import Callable
from typing import Annotated, Any, Literal
from urllib.parse import urlencode

from fastapi import APIRouter, File, Form, Query, Request, Response, UploadFile
from fastapi.responses import RedirectResponse

from northfell.app.data import catalogue, geometries
from northfell.app.project.projects import change_project, open_project
from northfell.app.results import results_file
from northfell.core.catalogue.entry import Entry
from northfell.core.catalogue.finding import answer_of, narrowed, questions
from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError, NotFound
from northfell.core.model.changes import Change
from northfell.core.model.elements import Element
from northfell.core.model.network import NORMAL, Network
from northfell.core.model.own_entries import ENTRY_KINDS, entry_parameters
from northfell.core.model.showing import text_shown, unit_shown
from northfell.core.rules.consistency import HIGHEST
from northfell.core.studies.line_constants import explain, tables_of
from northfell.core.working import given_text, value_text
from northfell.drawing.pole import WireMark, pole
from northfell.formats import results
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Db, Id, file_answer, project_page, slug
from northfell.web.shell.edits import Typed, Version

router = APIRouter(prefix="/projects/{project_id}")
MOST_LISTED = 100
MOST_BYTES = 4 * 1024 * 1024


@router.get("/catalogue")
def catalogue_page(request: Request, db: Db, project_id: Id, kind: Annotated[str, Query(max_length=60)] = "") -> Response:
    """Entries of a kind, narrowed by what is chosen in the address; `for` names the element that one is looked for."""
    return _page(request, db, project_id, kind)


def _page(request: Request, db: Db, project_id: Id, kind: str = "", status: int = 200, **more: Any) -> Response:
    opened = open_project(db, project_id)
    network = opened.network
    asked = {k: v[:200] for k, v in request.query_params.items()}
    element = network.elements.get(asked.get("for", ""))
    kinds = catalogue.kinds_with_entries(network)
    kind = catalogue.kind_for(element) if element else kind if kind in kinds else kinds[0]
    chosen = {k.removeprefix("f."): v for k, v in asked.items() if k.startswith("f.") and v}
    if element and not any(k.startswith(("f.", "q")) for k in asked):
        chosen = _of_element(network, element, kind)
    entries = catalogue.entries_of(network, kind)
    found = narrowed(entries, chosen, asked.get("q", ""))
    shown = [p for p in entry_parameters(ENTRY_KINDS[kind]) if any(p.name in e.values for e in found[:MOST_LISTED])]

    seen = {
        "kind": kind, "held": kinds, "questions": questions(entries, kind, chosen, asked.get("q", "")), "found": found, "most": MOST_LISTED, "shown": shown,
        "element": element, "q": asked.get("q", ""), "total": len(entries), "text_shown": text_shown, "unit_shown": unit_shown,
        "chosen": chosen,
        "entry_url": lambda name: at(project_id, "catalogue", name),
    }  # fmt: skip
    return project_page(request, opened, "pages/catalogue/catalogue.html", "Catalogue", status, **{"refused": [], "done": "", **seen, **more})


def _of_element(network: Network, element: Element, kind: str) -> dict[str, str]:
    """What is known of an element already, as far as entries answer to it."""
    known = Entry("", kind, "", {k: v for k, v in element.__dict__.items() if v is not None}, {"sizes": network.settings.units.conductors}, "")
    entries = catalogue.entries_of(network, kind)
    chosen: dict[str, str] = {}
    for question in questions(entries, kind, {}):
        answer = answer_of(known, question.key)
        if question.key == "sizes":
            answer = network.settings.units.conductors
        elif question.key == "v_insulation_kv" and not answer:
            answer = _rated_for(network, element, narrowed(entries, chosen))
        if answer and narrowed(entries, {**chosen, question.key: answer}):
            chosen[question.key] = answer
    return chosen


def _rated_for(network: Network, element: Element, entries: list[Entry]) -> str:
    """The lowest rated voltage of cables that may stand where the element does."""
    v_kv = getattr(network.elements[element.buses[0]], "v_nominal_kv", None) if element.buses else None
    rated = sorted({e.values["v_insulation_kv"] for e in entries if "v_insulation_kv" in e.values})
    enough = next((u for u in rated if v_kv is not None and v_kv <= HIGHEST * u), None)
    return f"{enough:g} kV" if enough is not None else ""


@router.post("/catalogue/import/{kind}")
def import_csv(request: Request, db: Db, project_id: Id, kind: str, version: Version, file: Annotated[UploadFile, File()]) -> Response:
    """Own entries from a CSV file: rows that can be read are taken, the others told row by row."""
    try:
        data = file.file.read(MOST_BYTES + 1)
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = ""
        if not text or len(data) > MOST_BYTES:
            raise NetworkRefused([InputRefused("file", file.filename, f"CSV text in UTF-8 of up to {MOST_BYTES // 2**20} MB", where="Catalogue import")])
        change, refused = catalogue.imported(open_project(db, project_id).network, kind, text)
        change_project(db, project_id, change, version)
    except NorthfellError as error:
        return _page(request, db, project_id, kind, 422, refused=error.lines)
    return _page(request, db, project_id, kind, refused=refused, done=f"{len(change.acts)} entries imported.")


@router.get("/catalogue/{name:path}")
def entry(request: Request, db: Db, project_id: Id, name: str) -> Response:
    """One entry, with what follows it."""
    return _entry(request, db, project_id, name)


def _entry(request: Request, db: Db, project_id: Id, name: str, status: int = 200, refused: list[str] | None = None) -> Response:
    opened = open_project(db, project_id)
    one = catalogue.entry_named(opened.network, name)
    seen = {
        **(_geometry(opened.network, one, request.query_params.get("of", "")) if one.kind == "geometry" else {"geometry": None}),
        "one": one, "parameters": entry_parameters(ENTRY_KINDS[one.kind]), "followers": catalogue.followers(opened.network, name), "refused": refused or [],
        "text_shown": text_shown, "unit_shown": unit_shown, "element": opened.network.elements.get(request.query_params.get("for", "")),
    }  # fmt: skip
    return project_page(request, opened, "pages/catalogue/entry.html", one.name, status, **seen)


def _geometry(network: Network, one: Entry, of: str) -> dict[str, Any]:
    """What the page of a geometry shows beside its data: its picture, its matrices, and how one figure came about."""
    found = geometries.shown(network, one)
    picture = pole([WireMark(c.name, c.x_m, c.y_m, c.fate) for c in found.geometry.conductors])
    working = None
    if found.constants and of:
        row, column, stage = [*of[:300].split("|"), "", ""][:3]
        working = explain(found.constants, row, column, stage)
    matrices = geometries.matrices(found.constants) if found.constants else []
    return {"geometry": found, "picture": picture, "working": working, "matrix_tables": matrices, "value_text": value_text, "given_text": given_text}


@router.get("/constants/{name:path}.{form}")
def constants(db: Db, project_id: Id, name: str, form: Literal["csv", "xlsx"]) -> Response:
    """All matrices of a geometry as a file."""
    opened = open_project(db, project_id)
    found = geometries.shown(opened.network, catalogue.entry_named(opened.network, name)).constants
    if found is None:
        raise NotFound(f"The geometry “{name}” has no constants.")
    tables = tables_of([found], NORMAL)
    file = f"{slug(opened.title)}-{slug(name)}"
    if form == "csv":
        return file_answer(results.to_csv(tables).encode("utf-8-sig"), "text/csv; charset=utf-8", f"{file}.csv")
    return file_answer(results.to_workbook(tables), results_file.MEDIA_TYPES["xlsx"], f"{file}.xlsx")


def _then(request: Request, db: Any, project_id: Id, version: int, name: str, make: Callable[[Network], Change], to: str) -> Response:
    try:
        change_project(db, project_id, make, version)
    except NorthfellError as error:
        return _entry(request, db, project_id, name, 422, error.lines)
    return RedirectResponse(to, 303)


@router.post("/catalogue/{name:path}/use")
def use(request: Request, db: Db, project_id: Id, name: str, version: Version, element: Typed) -> Response:
    """Give an element the values of an entry, and show it."""
    to = f"{at(project_id, 'network')}?{urlencode({'selected': element})}"
    return _then(request, db, project_id, version, name, lambda n: catalogue.use(n, element, name), to)


@router.post("/catalogue/{name:path}/own")
def own(request: Request, db: Db, project_id: Id, name: str, version: Version, value: Typed = "") -> Response:
    """Make a version of one's own."""
    to = at(project_id, "catalogue", value.strip())
    return _then(request, db, project_id, version, name, lambda n: catalogue.make_own(n, name, value), to)


@router.post("/catalogue/{name:path}/set/{field}")
def set_value(
    request: Request, db: Db, project_id: Id, name: str, field: str, version: Version, value: Typed = "", follow: Annotated[str, Form(max_length=5)] = ""
) -> Response:  # fmt: skip
    """Change a value of an own entry, and of the elements that follow it if that is asked."""
    to = at(project_id, "catalogue", name)
    return _then(request, db, project_id, version, name, lambda n: catalogue.change_own(n, name, field, value, follow == "yes"), to)


@router.post("/catalogue/{name:path}/away")
def away(request: Request, db: Db, project_id: Id, name: str, version: Version) -> Response:
    """Take an own entry away."""
    return _then(request, db, project_id, version, name, lambda n: catalogue.remove_own(n, name), at(project_id, "catalogue"))


@router.post("/catalogue")
def keep(request: Request, db: Db, project_id: Id, version: Version, element: Typed, value: Typed = "") -> Response:
    """Keep the data of an element as an entry of one's own."""
    try:
        change_project(db, project_id, lambda n: catalogue.keep_element(n, element, value), version)
    except NorthfellError as error:
        return _page(request, db, project_id, "", 422, refused=error.lines)
    return RedirectResponse(at(project_id, "catalogue", value.strip()), 303)
