"""The web application: routes by subject, security headers, and errors in words."""

import logging
import sqlite3
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import PlainTextResponse
from fastapi.staticfiles import StaticFiles
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from northfell import __version__
from northfell.app.jobs import Jobs
from northfell.app.project.presence import Presence
from northfell.app.results.pins import Pins
from northfell.app.results.solving import away
from northfell.app.results.studies import ResultsCache
from northfell.core.errors import NorthfellError, NotFound, StaleVersion, Unreadable
from northfell.store import Connections, connect
from northfell.store.database import migrate
from northfell.web.pages import PAGES
from northfell.web.shell import edits, workspace
from northfell.web.shell.access import Access, refused
from northfell.web.shell.answering import error_page, is_fragment, templates
from northfell.web.shell.drawings import SheetMemories
from northfell.web.shell.parts import Answers
from northfell.web.shell.stage import STAGES

HERE = Path(__file__).parent
MOST_BODY_BYTES = 33 * 1024 * 1024
MOST_PROJECT_BYTES = 257 * 1024 * 1024  # a whole project with its documents
HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' data:; style-src 'self'; script-src 'self'; object-src 'none'; base-uri 'none'; "
    "frame-ancestors 'none'; form-action 'self'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cache-Control": "no-store",
}


def create_application(database: Path, access: Access | None = None, test_mode: bool = False, relays: str = "", printer: str = "") -> FastAPI:
    """The application on one database file, brought to the newest schema first; without `access`, for this machine alone.

    In test mode one more page shows every fragment in all its states.
    """
    db = connect(database)
    migrate(db)
    db.close()
    application = FastAPI(title="Northfell", version=__version__, docs_url=None, redoc_url=None, openapi_url=None, lifespan=_while_it_runs)
    application.state.database = database
    application.state.connections = Connections(database)
    application.state.access = access or Access()
    application.state.test_mode = test_mode
    application.state.relays = relays  # where relays are reached that take settings; empty for none
    application.state.printer = printer  # where a label printer is reached; empty for none
    application.state.presence = Presence()
    application.state.results = ResultsCache(away=away)
    application.state.memories = SheetMemories()
    application.state.answers = Answers()
    application.state.jobs = Jobs()
    application.state.listing = Jobs(1)  # what the list of projects waits for never holds up what someone works at
    application.state.pins = Pins()
    application.state.last_counts = {}
    application.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    staged = [router for stage in STAGES.values() for router in stage.routers]
    for router in (*PAGES, *staged, edits.router, workspace.router):  # the workspace last: it answers every stage's path
        application.include_router(router)
    application.middleware("http")(_guard)
    application.add_middleware(GZipMiddleware, minimum_size=2000, compresslevel=2)  # quickly rather than to the last byte
    application.add_exception_handler(NorthfellError, _told)  # type: ignore[arg-type]
    application.add_exception_handler(RequestValidationError, _bad_request)  # type: ignore[arg-type]
    application.add_exception_handler(HTTPException, _http_error)  # type: ignore[arg-type]
    return application


@asynccontextmanager
async def _while_it_runs(application: FastAPI) -> AsyncIterator[None]:
    yield
    application.state.connections.close()


async def _guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
    """Bound what is sent, answer only whoever may be, tell what failed in words, and set the headers of every answer."""
    if request.method not in ("GET", "HEAD"):
        length = "" if "transfer-encoding" in request.headers else request.headers.get("content-length", "0")
        most = MOST_PROJECT_BYTES if request.url.path == "/projects/import" else MOST_BODY_BYTES
        if not (length.isascii() and length.isdigit()):
            return PlainTextResponse("How long it is was not said: accepted is a request with Content-Length.", 411, HEADERS)
        if len(length) > 12 or int(length) > most:
            return PlainTextResponse(f"What was sent is too large: accepted is at most {most // 1_000_000} MB.", 413, HEADERS)
    try:
        response = await run_in_threadpool(refused, request, request.app.state.access) or await call_next(request)
    except Exception as error:  # what nobody foresaw is told in words too, and never in the place of the page
        response = _failed(request, error)
    for name, value in HEADERS.items():
        if not (name == "Cache-Control" and request.url.path.startswith("/static/")):
            response.headers.setdefault(name, value)
    if request.app.state.access.secure and request.app.state.access.sign_in:  # never for this machine's own name, which others use too
        response.headers.setdefault("Strict-Transport-Security", "max-age=31536000")
    return response


log = logging.getLogger("northfell")


def _failed(request: Request, error: Exception) -> Response:
    """A defect, or a database that cannot be written: nothing was changed."""
    told = str(error).lower() if isinstance(error, sqlite3.Error) else ""
    if "full" in told:
        status, line = 507, "The disk is full: nothing was changed. Make room on it, then repeat; what you typed is still in its field."
    elif "readonly" in told or "read-only" in told:
        status, line = 503, "The folder of the projects can only be read: nothing was changed. Whoever runs this application can give it the right to write."
    elif "locked" in told or "busy" in told:
        status, line = 503, "Another program holds the database: nothing was changed. Repeat it in a moment; what you typed is still in its field."
    else:
        log.exception("%s %s failed", request.method, request.url.path, exc_info=error)
        status, line = 500, "This failed by a fault of Northfell's, not of yours. Nothing was changed, and what you typed is still in its field."
    return error_page(request, status, [line])


def _status(error: NorthfellError) -> int:
    return 404 if isinstance(error, NotFound) else 409 if isinstance(error, StaleVersion) else 422


def _told(request: Request, error: NorthfellError) -> Response:
    if isinstance(error, Unreadable) and not is_fragment(request):
        return templates.TemplateResponse(request, "shell/unreadable.html", {"error": error}, status_code=422)
    return error_page(request, _status(error), error.lines)


def _bad_request(request: Request, error: RequestValidationError) -> Response:
    lines = [f"{'.'.join(str(p) for p in one['loc'][1:])}: {one['msg'].lower()}" for one in error.errors()]
    return error_page(request, 422, lines)


def _http_error(request: Request, error: HTTPException) -> Response:
    return error_page(request, error.status_code, [str(error.detail)])
