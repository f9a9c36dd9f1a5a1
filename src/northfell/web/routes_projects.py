"""The list of projects, and import, which always makes a new one."""

from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, File, Form, Query, Request, Response, UploadFile
from fastapi.responses import RedirectResponse
from pydantic import ValidationError

from northfell.app import installation
from northfell.app import projects as use_cases
from northfell.app.findings import counts as counts_of
from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError, NotFound
from northfell.core.model import shorthand
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.network import Network
from northfell.formats import common_data_format, network_tables, northfell_json, northfell_zip, workbook
from northfell.store import projects, transaction
from northfell.web.drawings import thumbnail
from northfell.web.pages import MOST_ID, Db, Id, templates

router = APIRouter()


@router.get("/")
def all_projects(
    request: Request, db: Db, archived: bool = False, deleted: bool = False, undo: Annotated[int, Query(ge=0, le=MOST_ID)] = 0,
    what: Annotated[str, Query(max_length=400)] = "",
) -> Response:  # fmt: skip
    """The list: by folder, the archive and what was deleted on request; what was just done can be taken back."""
    if deleted:
        days = installation.KEEP_DELETED.days
        return templates.TemplateResponse(request, "deleted.html", {"rows": projects.deleted_projects(db), "days": days})
    return _list(request, db, archived=archived, undo=undo, what=what)


@router.post("/projects/{project_id}/erase")
def erase(db: Db, project_id: Id) -> Response:
    """Take a deleted project away for good, and give its room back."""
    with transaction(db):
        projects.erase(db, project_id)
    installation.tidy(db)
    return RedirectResponse("/?deleted=true", 303)


def _list(request: Request, db: Any, status: int = 200, refused: list[str] | None = None, file_name: str = "", **more: Any) -> Response:
    counts = projects.element_counts(db)
    folders: dict[str, list[dict[str, Any]]] = {}
    rows = projects.all_projects(db)
    for row in rows:
        if bool(row.archived) == bool(more.get("archived")):
            folders.setdefault(row.folder, []).append(_listed(request, db, row, counts.get(row.id, 0)))
    seen = {
        "folders": sorted(folders.items()),
        "folder_names": sorted({row.folder for row in rows if row.folder}),
        "archive": sum(row.archived for row in rows),
        "gone": len(projects.deleted_projects(db)),
        "refused": refused or [],
        "file_name": file_name,
        **more,
    }
    return templates.TemplateResponse(request, "projects.html", seen, status_code=status)


def _listed(request: Request, db: Any, row: projects.ProjectRow, elements: int) -> dict[str, Any]:
    """One project with its picture and its open findings; those of a large one are counted once it is opened."""
    opened = use_cases.open_project(db, row.id)
    results = request.app.state.results.of(opened)
    found = results.findings() if elements <= 500 or results.findings_are_known else None
    counted = counts_of(opened.network, found) if found is not None else None
    return {"row": row, "elements": elements, "picture": thumbnail(row.id, opened.network, request.app.state.memories), "findings": counted}


@router.post("/projects/{project_id}/aside/{act}")
def put_aside(request: Request, db: Db, project_id: Id, act: str, value: Annotated[str, Form(max_length=200)] = "") -> Response:
    """Rename a project, put it into a folder or the archive, delete it, or bring it back."""
    given: dict[str, dict[str, str | bool]] = {
        "rename": {"name": value.strip()}, "folder": {"folder": value.strip()}, "archive": {"archived": True}, "unarchive": {"archived": False},
        "delete": {"deleted": True}, "restore": {"deleted": False},
    }  # fmt: skip
    if act not in given:
        raise NotFound(f"There is no act “{act}”. Accepted are {', '.join(given)}.")
    try:
        old = use_cases.put_aside(db, project_id, **given[act])
    except NetworkRefused as error:
        return _list(request, db, 422, error.lines, value)
    told = {"delete": "deleted", "archive": "put into the archive"}.get(act)
    query = urlencode({"undo": project_id, "what": f"{old.name} was {told}."} if told else {})
    return RedirectResponse(f"/?{query}" if query else "/", 303)


@router.post("/projects/{project_id}/duplicate")
def duplicate(db: Db, project_id: Id) -> Response:
    """A copy with its history, beside the original."""
    use_cases.duplicate(db, project_id)
    return RedirectResponse("/", 303)


@router.post("/projects/new")
def new_project(request: Request, db: Db, name: Annotated[str, Form(max_length=200)] = "") -> Response:
    """An empty project; the sheet then says how to begin."""
    try:
        network = Network(name=name.strip())
    except ValidationError:
        return _list(request, db, 422, [str(InputRefused("name", name, NAME_ACCEPTED, where="New project"))], name)
    return RedirectResponse(f"/projects/{use_cases.create_project(db, network)}/network", 303)


@router.post("/projects/import")
def import_project(request: Request, db: Db, file: Annotated[UploadFile, File()]) -> Response:
    """A network file becomes a new project; a refused one changes nothing and says why."""
    name = file.filename or ""
    try:
        whole = name.lower().endswith(".northfell")
        most = northfell_zip.MOST_BYTES if whole else northfell_json.MOST_BYTES
        data = file.file.read(most + 1)
        if len(data) > most:
            raise NetworkRefused([InputRefused("size", f"{(file.size or len(data)) / 1e6:.0f} MB", f"at most {most / 1e6:.0f} MB", where="File")])
        if whole:
            return RedirectResponse(f"/projects/{use_cases.create_whole(db, northfell_zip.read(data))}/network", 303)
        if name.lower().endswith(".cdf"):
            network, _ = common_data_format.read(data.decode("latin-1"))
        elif name.lower().endswith(".xlsx"):
            network = network_tables.network_of(workbook.read_xlsx(data))
        elif name.lower().endswith(".json"):
            network = northfell_json.read(data)
        else:
            raise NetworkRefused([InputRefused("file", name, "a name that ends in .northfell, .northfell.json, .xlsx or .cdf", where="File")])
    except NetworkRefused as error:
        return _list(request, db, 422, error.lines, name)
    except NorthfellError as error:
        return _list(request, db, 422, [str(error)], name)
    project_id = use_cases.create_project(db, network)
    return RedirectResponse(f"/projects/{project_id}/network", 303)


@router.get("/shorthand")
def shorthand_page(request: Request) -> Response:
    """What Extend reads, from the tables that read it."""
    return templates.TemplateResponse(request, "shorthand.html", {"rows": shorthand.grammar()})
