"""Documents at elements, and how they are given out: never run, never sniffed, in a sandbox where they are shown."""

from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, File, Form, Request, Response, UploadFile

from northfell.app.project import documents
from northfell.app.project.projects import open_project
from northfell.core.errors import NorthfellError, StaleVersion
from northfell.core.model.elements import Document
from northfell.web.shell.answering import Db, Id
from northfell.web.shell.edits import Version
from northfell.web.shell.view import Looking, View
from northfell.web.shell.workspace import show

router = APIRouter(prefix="/projects/{project_id}")
VIEWED = "frame-ancestors 'none'"  # a browser's own viewer shows no PDF out of a sandbox
SANDBOX = "default-src 'none'; style-src 'unsafe-inline'; img-src 'self' data:; object-src 'self'; sandbox"


@router.post("/elements/{element_id:path}/documents")
def attach(request: Request, db: Db, view: Looking, element_id: str, version: Version, file: Annotated[UploadFile, File()]) -> Response:
    """Attach a document."""
    content = file.file.read(documents.MOST_BYTES + 1)
    name = (file.filename or "").replace("\\", "/").rpartition("/")[2]
    return _shown(request, db, view, lambda: documents.attach(db, view.project_id, element_id, name, content, version))


@router.post("/elements/{element_id:path}/documents/away")
def detach(request: Request, db: Db, view: Looking, element_id: str, version: Version, name: Annotated[str, Form(max_length=100)]) -> Response:
    """Take a document away."""
    return _shown(request, db, view, lambda: documents.detach(db, view.project_id, element_id, name, version))


def _shown(request: Request, db: Any, view: View, act: Any) -> Response:
    try:
        return show(request, db, act(), view)
    except NorthfellError as error:
        status = 409 if isinstance(error, StaleVersion) else 422
        return show(request, db, open_project(db, view.project_id, view.proposal), view, status, refused=error.lines)


@router.get("/elements/{element_id:path}/documents/{name}")
def document(db: Db, project_id: Id, element_id: str, name: str) -> Response:
    """A document as it was attached."""
    return given_out(*documents.content_of(db, project_id, element_id, name))


def given_out(about: Document, content: bytes) -> Response:
    """The answer that holds a document: shown where a browser may show it, else saved."""
    how = "inline" if about.media_type in documents.SHOWN else "attachment"
    policy = VIEWED if about.media_type == "application/pdf" else SANDBOX
    headers = {"Content-Disposition": f"{how}; filename*=UTF-8''{quote(about.name)}", "X-Content-Type-Options": "nosniff", "Content-Security-Policy": policy}
    return Response(content, media_type=about.media_type, headers=headers)
