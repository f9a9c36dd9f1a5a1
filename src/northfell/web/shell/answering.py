"""What every route shares: the connection, the templates, and answering a person or a fragment request."""

import pathlib
from collections.abc import Iterator
from functools import lru_cache
from html import escape
from typing import Annotated, Any

from fastapi import Depends, Path, Request, Response
from fastapi.templating import Jinja2Templates
from markupsafe import Markup
from pydantic import BaseModel

from northfell.app.project.projects import Project
from northfell.core.model.declare.parameters import Parameter, parameters_of
from northfell.core.model.elements import KINDS
from northfell.core.model.network import Network
from northfell.core.model.own_entries import ENTRY_KINDS
from northfell.core.quantities import entry, figure, fixed
from northfell.web.shell.addresses import at
from northfell.web.shell.wording import worded


def settings_parameters(group: BaseModel) -> tuple[Parameter, ...]:
    """The declarations of a group of settings."""
    return parameters_of(type(group))


def names_of(network: Network) -> Markup:
    """The names by which an element is found, as options; written once for each version of the elements."""
    return _options(tuple((e.name, e.id, e.TITLE) for e in network.elements.values()))


@lru_cache(maxsize=16)
def _options(names: tuple[tuple[str, str, str], ...]) -> Markup:
    made = [f'<option value="{escape(name)}" data-id="{escape(element_id)}">{escape(title)}</option>' for name, element_id, title in names]
    return Markup("".join(made))


templates = Jinja2Templates(directory=pathlib.Path(__file__).parent.parent)  # each beside its routes: shell/, stages/<stage>/, pages/<page>/
templates.env.filters["figure"] = figure
templates.env.filters["fixed"] = fixed
templates.env.filters["entry"] = entry
templates.env.filters["worded"] = worded
templates.env.filters["at"] = at
templates.env.globals["settings_parameters"] = settings_parameters
templates.env.globals["kinds"] = KINDS
templates.env.globals["entry_kinds"] = ENTRY_KINDS
templates.env.globals["names_of"] = names_of
templates.env.auto_reload = False  # they come with the application
templates.env.trim_blocks = templates.env.lstrip_blocks = True


def _database(request: Request) -> Iterator[Any]:
    with request.app.state.connections.lent(request.state.person.name) as db:
        yield db


Db = Annotated[Any, Depends(_database)]
MOST_ID = 2**63 - 1  # of a row: more is no number for the database
Id = Annotated[int, Path(ge=0, le=MOST_ID)]


def is_fragment(request: Request) -> bool:
    """Whether a part of the page asked, not the browser for a whole one."""
    return request.headers.get("hx-request") == "true" and request.headers.get("hx-history-restore-request") != "true"


def answer(request: Request, page: str, fragment: str, status_code: int = 200, **seen: Any) -> Response:
    """The fragment for a part of the page, the page that includes it for everyone else."""
    return templates.TemplateResponse(request, fragment if is_fragment(request) else page, seen, status_code=status_code)


def project_page(request: Request, opened: Project, template: str, title: str, status_code: int = 200, **seen: Any) -> Response:
    """A page beside the stages of a project."""
    page = {"project": opened, "network": opened.network, "title": title, **seen}
    return templates.TemplateResponse(request, template, page, status_code=status_code)


def error_page(request: Request, status: int, lines: list[str]) -> Response:
    """An error in words, as a notice beside what is shown, or as a page of its own."""
    response = answer(request, "shell/error.html", "shell/_notice.html", status, lines=[worded(line) for line in lines], status=status)
    if is_fragment(request):
        response.headers["HX-Retarget"] = "#notice"
        response.headers["HX-Reswap"] = "innerHTML"
        response.headers["HX-Push-Url"] = "false"
    return response


def file_answer(data: bytes, kind: str, name: str) -> Response:
    """A file to save."""
    return Response(data, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def slug(text: str) -> str:
    """A file name of plain letters, digits and dashes."""
    kept = "".join(c if c.isascii() and c.isalnum() else "-" for c in text.lower())
    return "-".join(part for part in kept.split("-") if part)[:60] or "network"
