"""Signing in and out, where the application is served to others."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse

from northfell.app.project.people import SESSION, NotSignedIn, sign_in, sign_out
from northfell.web.shell.access import Access
from northfell.web.shell.answering import Db, templates

router = APIRouter()
Where = Annotated[str, Form(max_length=4000)]


def _local(where: str) -> str:
    """An address of our own to go on to; the list of projects for any other."""
    return where if where.startswith("/") and not where.startswith(("//", "/\\", "/sign-")) and where.isprintable() else "/"


@router.get("/sign-in")
def ask(request: Request, next: str = "/") -> Response:
    """The page on which one signs in."""
    if not request.app.state.access.sign_in:
        return RedirectResponse("/", 303)
    return templates.TemplateResponse(request, "pages/sign_in/sign_in.html", {"next": _local(next[:4000]), "refused": "", "name": ""})


@router.post("/sign-in")
def enter(
    request: Request, db: Db, name: Annotated[str, Form(max_length=200)] = "", password: Annotated[str, Form(max_length=1000)] = "", next: Where = "/"
) -> Response:  # fmt: skip
    """Sign in with name and password."""
    access: Access = request.app.state.access
    try:
        session = sign_in(db, access.attempts, name.strip(), password, request.client.host if request.client else "")
    except NotSignedIn as error:
        status = 429 if "Too many" in str(error) else 401
        seen = {"next": _local(next), "refused": str(error), "name": name}
        return templates.TemplateResponse(request, "pages/sign_in/sign_in.html", seen, status_code=status)
    answer = RedirectResponse(_local(next), 303)
    answer.set_cookie(access.cookie, session, max_age=int(SESSION.total_seconds()), httponly=True, samesite="strict", secure=access.secure, path="/")
    return answer


@router.post("/sign-out")
def leave(request: Request, db: Db) -> Response:
    """End this session."""
    access: Access = request.app.state.access
    sign_out(db, request.cookies.get(access.cookie, ""))
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(access.cookie, path="/", secure=access.secure, httponly=True, samesite="strict")
    return answer
