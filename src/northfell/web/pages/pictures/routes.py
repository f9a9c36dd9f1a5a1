"""The pictures of a feeder: shown, asked about by a click, and as files."""

from dataclasses import dataclass
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Query, Request, Response

from northfell.app.project.projects import Project, open_project
from northfell.core.errors import CannotRun, NorthfellError, NotFound
from northfell.core.studies.phase_flow import PHASE_FLOW
from northfell.web.pages.pictures.gathering import KINDS, WIDTHS, Asked, pictures
from northfell.web.shell.answering import Db, Id, file_answer, project_page, slug, templates
from northfell.web.shell.figures import Section
from northfell.web.shell.stage import Look
from northfell.web.shell.view import View
from northfell.web.stages.phases.card import phase_figures

router = APIRouter(prefix="/projects/{project_id}/pictures")
Name = Annotated[str, Query(max_length=200)]


@dataclass(frozen=True)
class Choice:
    """What a reader chose, as it was typed."""

    asked: Asked
    most: str = ""
    told: str = ""  # what was not taken

    @property
    def query(self) -> str:
        """The same for addresses."""
        flags = (("between", "yes" if self.asked.between else ""), ("behind", "yes" if self.asked.behind else ""), ("chosen", "yes"))
        return urlencode([("width", self.asked.width), ("most", self.most), *(("kinds", k) for k in self.asked.kinds), *flags])


def _choice(
    width: Annotated[str, Query(max_length=20)] = "power",
    most: Annotated[str, Query(max_length=20)] = "",
    kinds: Annotated[list[str] | None, Query(max_length=10)] = None,
    between: Annotated[str, Query(max_length=3)] = "",
    behind: Annotated[str, Query(max_length=3)] = "",
    chosen: Annotated[str, Query(max_length=3)] = "",
) -> Choice:
    number, told = _number(most)
    listed = tuple(k for k in kinds or () if k in KINDS) if chosen or kinds else Asked().kinds  # a form that was sent says which, even if none
    return Choice(Asked(width if width in WIDTHS else "power", number, listed, between == "yes", behind == "yes"), most, told)


def _number(text: str) -> tuple[float, str]:
    """A typed scale, and what is wrong with it."""
    if not text.strip():
        return 0.0, ""
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        value = 0.0
    if 0 < value <= 1e9:
        return value, ""
    return 0.0, f"“{text}” is not taken as the greatest width: accepted is a number above 0 and at most 10⁹. The scale is found instead."


Chosen = Annotated[Choice, Depends(_choice)]


def _look(request: Request, db: Any, project_id: int, state: str, selected: str, proposal: str) -> tuple[Project, Look]:
    opened = open_project(db, project_id, proposal)
    network = opened.network
    there, element = state if state in network.state_names else "Normal", selected if selected in network.elements else ""
    return opened, Look(network, request.app.state.results.of(opened), View(project_id, "phases", there, selected=element, proposal=proposal))


@router.get("")
def shown(request: Request, db: Db, project_id: Id, choice: Chosen, state: Name = "Normal", selected: Name = "", proposal: Name = "") -> Response:
    """Both pictures above each other, with what can be chosen."""
    opened, look = _look(request, db, project_id, state, selected, proposal)
    found, problem = None, list[str]()
    try:
        found = pictures(look.result(PHASE_FLOW), opened.network.settings.limits, choice.asked)
    except CannotRun as error:
        problem = list(error.reasons)
    except NorthfellError as error:
        problem = [str(error)]
    seen: dict[str, Any] = {"view": look.view, "choice": choice, "widths": WIDTHS, "kinds_marked": KINDS, "found": found, "problem": problem, "of": _of(look)}
    return project_page(request, opened, "pages/pictures/pictures.html", "Pictures", **seen)


@router.get("/of")
def of(request: Request, db: Db, project_id: Id, selected: Name, state: Name = "Normal", proposal: Name = "") -> Response:
    """Name and numbers of what was clicked in either picture."""
    _, look = _look(request, db, project_id, state, selected, proposal)
    return templates.TemplateResponse(request, "pages/pictures/_of.html", {"of": _of(look), "view": look.view})


def _of(look: Look) -> tuple[str, str, list[Section]] | None:
    """Name, kind, and figures of the selected element."""
    e = look.element
    if e is None:
        return None
    try:
        return e.name, e.TITLE, phase_figures(look, e)
    except NorthfellError:
        return e.name, e.TITLE, []


@router.get("/{which}.svg")
def file(request: Request, db: Db, project_id: Id, which: str, choice: Chosen, state: Name = "Normal", proposal: Name = "") -> Response:
    """A picture as a file."""
    if which not in ("plan", "profile"):
        raise NotFound(f"There is no picture “{which}”.")
    opened, look = _look(request, db, project_id, state, "", proposal)
    found = pictures(look.result(PHASE_FLOW), opened.network.settings.limits, choice.asked)
    svg = (found[0] if which == "plan" else found[1]).svg(which, styled=True)
    return file_answer(svg.encode(), "image/svg+xml", f"{slug(opened.title)}-{which}-{slug(look.view.state)}.svg")
