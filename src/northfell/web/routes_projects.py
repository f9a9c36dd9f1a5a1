"""The list of projects, and import, which always makes a new one."""

from typing import Annotated, Any

from fastapi import APIRouter, File, Form, Request, Response, UploadFile
from fastapi.responses import RedirectResponse
from pydantic import ValidationError

from northfell.app import projects as use_cases
from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.network import Network
from northfell.formats import common_data_format, northfell_json
from northfell.store import projects
from northfell.web.drawings import plain_drawing
from northfell.web.pages import Db, templates

router = APIRouter()


@router.get("/")
def all_projects(request: Request, db: Db) -> Response:
    return _list(request, db)


def _list(request: Request, db: Any, status: int = 200, refused: list[str] | None = None, file_name: str = "") -> Response:
    counts = projects.element_counts(db)
    listed = []
    for row in projects.all_projects(db):
        opened = use_cases.open_project(db, row.id)
        findings = request.app.state.results.of(row.id, row.version, opened.network).findings() if counts.get(row.id, 0) <= 500 else []
        open_ones = {s: sum(f.severity == s for f in findings) for s in ("breach", "close", "missing")}
        listed.append({"row": row, "elements": counts.get(row.id, 0), "picture": plain_drawing(opened.network, opened.network.sheets[0]), "findings": open_ones})
    seen = {"projects": listed, "refused": refused or [], "file_name": file_name}
    return templates.TemplateResponse(request, "projects.html", seen, status_code=status)


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
        data = file.file.read(northfell_json.MOST_BYTES + 1)
        if len(data) > northfell_json.MOST_BYTES:
            raise NetworkRefused([northfell_json.too_large(file.size or len(data))])
        if name.lower().endswith(".cdf"):
            network, _ = common_data_format.read(data.decode("latin-1"))
        elif name.lower().endswith(".json"):
            network = northfell_json.read(data)
        else:
            raise NetworkRefused([InputRefused("file", name, "a name that ends in .northfell.json or .cdf", where="File")])
    except NetworkRefused as error:
        return _list(request, db, 422, [str(r) for r in error.refusals], name)
    except NorthfellError as error:
        return _list(request, db, 422, [str(error)], name)
    project_id = use_cases.create_project(db, network)
    return RedirectResponse(f"/projects/{project_id}/network", 303)
