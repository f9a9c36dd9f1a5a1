"""The list of projects, and import, which always makes a new one."""

import json
from contextlib import closing
from pathlib import Path
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, File, Form, Query, Request, Response, UploadFile
from fastapi.responses import RedirectResponse
from pydantic import ValidationError

from northfell.app.jobs import Job
from northfell.app.project import installation, repairing
from northfell.app.project import projects as use_cases
from northfell.app.project.importing import Imported, imported, most_bytes
from northfell.app.results import gathering
from northfell.app.results.findings import counts as counts_of
from northfell.app.workers import in_worker
from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError, NotFound
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.network import Network
from northfell.core.shorthand import reading as shorthand
from northfell.store import connect, projects, transaction
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import MOST_ID, Db, Id, file_answer, slug, templates
from northfell.web.shell.drawings import plain_drawing

router = APIRouter()


@router.get("/")
def all_projects(
    request: Request, db: Db, archived: bool = False, deleted: bool = False, undo: Annotated[int, Query(ge=0, le=MOST_ID)] = 0,
    what: Annotated[str, Query(max_length=400)] = "",
) -> Response:  # fmt: skip
    """The list: by folder, the archive and what was deleted on request; what was just done can be taken back."""
    if deleted:
        days = installation.KEEP_DELETED.days
        return templates.TemplateResponse(request, "pages/projects/deleted.html", {"rows": projects.deleted_projects(db), "days": days})
    return _list(request, db, archived=archived, undo=undo, what=what)


@router.post("/projects/{project_id}/erase")
def erase(db: Db, project_id: Id) -> Response:
    """Take a deleted project away for good, and give its room back."""
    with transaction(db):
        projects.erase(db, project_id)
    installation.tidy(db)
    return RedirectResponse("/?deleted=true", 303)


def _list(request: Request, db: Any, status: int = 200, refused: list[str] | None = None, file_name: str = "", **more: Any) -> Response:
    elements, kept = projects.element_counts(db), projects.listed(db)
    folders: dict[str, list[dict[str, Any]]] = {}
    rows = projects.all_projects(db)
    for row in rows:
        if bool(row.archived) == bool(more.get("archived")):
            folders.setdefault(row.folder, []).append(_listed(row, elements.get(row.id, 0), kept.get(row.id)))
    seen = {
        "folders": sorted(folders.items()),
        "folder_names": sorted({row.folder for row in rows if row.folder}),
        "archive": sum(row.archived for row in rows),
        "gone": len(projects.deleted_projects(db)),
        "refused": refused or [],
        "file_name": file_name,
        **more,
    }
    return templates.TemplateResponse(request, "pages/projects/projects.html", seen, status_code=status)


LARGE = 2000  # elements: the findings of a larger project are counted once it is opened


def _listed(row: projects.ProjectRow, elements: int, kept: projects.Listed | None, job: Job | None = None, problem: str = "") -> dict[str, Any]:
    """One project as the list shows it: what is kept of it, and whether that is of the version that stands."""
    kept = kept or projects.Listed()
    counted = kept.version == row.version or elements > LARGE
    return {
        "row": row, "elements": elements, "picture": kept.picture, "findings": kept.counts, "current": kept.version == row.version, "problem": problem,
        "waits": not problem and not (counted and kept.picture_version == row.version), "job": job,
    }  # fmt: skip


@router.get("/projects/{project_id}/listed")
def listed(request: Request, db: Db, project_id: Id) -> Response:
    """One project of the list; what is not kept of its version yet is worked out in the background."""
    row = projects.project(db, project_id)
    path, state = request.app.state.database, request.app.state
    job = state.listing.start(f"listed {project_id}", f"{row.version} {row.changed_at}", lambda job: _worked_out(path, state.results, row, job))
    problem = ""
    try:
        job.future.result(timeout=0.5)
    except TimeoutError:
        pass
    except NorthfellError as error:
        problem = error.lines[0]
    seen = _listed(row, projects.element_counts(db).get(project_id, 0), projects.listed(db).get(project_id), job, problem)
    return templates.TemplateResponse(request, "pages/projects/_project.html", {"p": seen, "only_seen": True})


def _worked_out(path: Path, cache: Any, row: projects.ProjectRow, job: Job) -> None:
    """Picture and counts of a version of a project, kept with it."""
    with closing(connect(path)) as db:
        kept = projects.listed(db).get(row.id) or projects.Listed()
        opened = use_cases.open_project(db, row.id)
        if kept.picture_version != opened.version:
            drawn = plain_drawing(opened.network, opened.network.sheets[0])
            picture = {"view": drawn.view, "groups": [{"cls": g.cls, "svg": g.svg} for g in drawn.groups]}
            with transaction(db):
                projects.keep_picture(db, row.id, opened.version, picture)
        if kept.version != opened.version and len(opened.network.elements) <= LARGE:
            found = gathering.findings(cache.of(opened), job.told)
            with transaction(db):
                projects.keep_counts(db, row.id, opened.version, counts_of(opened.network, found))


@router.post("/projects/{project_id}/repair")
def repair(request: Request, db: Db, project_id: Id) -> Response:
    """A copy that can be read, beside the original."""
    made = repairing.repair(db, project_id)
    return _list(request, db, notes=list(made.told[:60]), new=made.project_id, new_name=projects.project(db, made.project_id).name)


@router.get("/projects/{project_id}/as-it-stands.json")
def as_it_stands(db: Db, project_id: Id) -> Response:
    """Everything kept of a project, unread."""
    name = slug(projects.project(db, project_id).name)
    return file_answer(json.dumps(projects.as_it_stands(db, project_id), ensure_ascii=True).encode(), "application/json", f"{name}-as-it-stands.json")


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
    return RedirectResponse(at(use_cases.create_project(db, network), "network"), 303)


@router.post("/projects/import")
def import_project(request: Request, db: Db, file: Annotated[UploadFile, File()]) -> Response:
    """A network file becomes a new project; a refused one changes nothing and says why."""
    name = file.filename or ""
    try:
        data = file.file.read(most_bytes(name) + 1)
        found: Imported = in_worker("Reading the file", imported, name, data)
    except NorthfellError as error:
        return _list(request, db, 422, error.lines[:60], name)
    project_id = use_cases.create_whole(db, found.whole) if found.whole else use_cases.create_project(db, found.network)
    if found.messages:
        return _list(request, db, notes=found.messages[:60], new=project_id, new_name=found.network.name)
    return RedirectResponse(at(project_id, "network"), 303)


@router.get("/shorthand")
def shorthand_page(request: Request) -> Response:
    """What Extend reads, from the tables that read it."""
    return templates.TemplateResponse(request, "pages/reference/shorthand.html", {"rows": shorthand.grammar()})
