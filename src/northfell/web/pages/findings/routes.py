"""The page of findings over all studies and states."""

from collections.abc import Callable
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Form, Query, Request, Response
from fastapi.responses import RedirectResponse

from northfell.app.project.projects import Project, change_project, open_project
from northfell.app.results.findings import Gathered, gathered
from northfell.core.errors import NorthfellError, NotFound
from northfell.core.tables import build
from northfell.core.verdicts.acknowledging import acknowledge, take_back
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Db, Id, file_answer, project_page, slug, templates
from northfell.web.shell.edits import Version
from northfell.web.shell.stage import STAGES, has_why, name_of_study, of_study, stages_by_study
from northfell.web.shell.view import View
from northfell.web.shell.workspace import gathering

router = APIRouter(prefix="/projects/{project_id}")
Chosen = Annotated[str, Query(max_length=200)]
Said = Annotated[str, Form(max_length=1000)]
ORDERS: dict[str, Callable[[Gathered], Any]] = {
    "gravity": lambda g: 0,  # as gathered
    "where": lambda g: g.worst.element.lower(),
    "stage": lambda g: list(STAGES).index(of_study(g.worst.study).path),
    "figure": lambda g: -g.worst.beyond,
}


@router.get("/findings")
def findings(
    request: Request, db: Db, project_id: Id, proposal: Chosen = "", severity: Chosen = "", study: Chosen = "", state: Chosen = "", q: Chosen = "",
    order: Chosen = "gravity", known: Chosen = "",
) -> Response:  # fmt: skip
    """One list over all studies and all operating states; while it is gathered, how far it is."""
    asked = {"severity": severity, "study": study, "state": state, "q": q, "order": order if order in ORDERS else "gravity", "known": known}
    return _page(request, open_project(db, project_id, proposal), asked)


def _page(request: Request, opened: Project, asked: dict[str, str], status: int = 200, refused: list[str] | None = None) -> Response:
    results = request.app.state.results.of(opened)
    job = None if results.findings_are_known else gathering(request, opened)
    found = gathered(opened.network, results.findings()) if results.findings_are_known else None
    shown = [g for g in found or [] if _asked_for(g, asked)]
    if asked["order"] != "gravity":
        shown.sort(key=ORDERS[asked["order"]])

    def there(**changed: str) -> str:
        pairs = {**asked, "proposal": opened.proposal, **changed}
        return at(opened.id, "findings") + "?" + urlencode({k: v for k, v in pairs.items() if v and (k, v) != ("order", "gravity")})

    def follow(g: Gathered) -> str:
        view = View(opened.id, of_study(g.worst.study).path, g.worst.state, selected=g.worst.element_id, proposal=opened.proposal)
        return view.url

    def why_at(g: Gathered) -> str:
        view = View(opened.id, of_study(g.worst.study).path, g.worst.state, selected=g.worst.element_id, proposal=opened.proposal)
        return f"{at(opened.id, 'why')}?{view.query}"

    seen = {
        "found": found, "shown": shown, "asked": asked, "job": job, "there": there, "follow": follow, "why_at": why_at, "stages": stages_by_study(),
        "with_why": lambda g: has_why(g.worst), "refused": refused or [], "states": opened.network.state_names,
    }  # fmt: skip
    return project_page(request, opened, "pages/findings/findings.html", "Findings", status, **seen)


def _asked_for(g: Gathered, asked: dict[str, str]) -> bool:
    words = f"{g.worst.element} {g.worst.text} {g.worst.help}".lower()
    return (
        (not asked["severity"] or g.worst.severity == asked["severity"])
        and (not asked["study"] or g.worst.study == asked["study"])
        and (not asked["state"] or any(f.state == asked["state"] for f in g.states))
        and all(word in words for word in asked["q"].lower().split())
        and {"": g.acknowledged is None, "acknowledged": g.acknowledged is not None, "all": True}.get(asked["known"], True)
    )


@router.get("/findings.csv")
def as_csv(request: Request, db: Db, project_id: Id, proposal: Chosen = "") -> Response:
    """All findings, also those acknowledged, for a spreadsheet."""
    opened = open_project(db, project_id, proposal)
    found = gathered(opened.network, request.app.state.results.of(opened).findings())
    columns = [("severity", "", ""), ("element", "", ""), ("text", "", ""), ("value", "", ""), ("limit", "", ""), ("unit", "", ""), ("stage", "", ""),
               ("worst_in", "", ""), ("states", "", ""), ("help", "", ""), ("acknowledged", "", "")]  # fmt: skip
    rows = [
        (
            g.worst.severity, g.worst.element, g.worst.text, g.worst.value, g.worst.limit, g.worst.unit, name_of_study(g.worst.study), g.worst.state,
            ", ".join(f.state for f in g.states), g.worst.help, g.acknowledged.reason if g.acknowledged else "",
        )
        for g in found
    ]  # fmt: skip
    name = f"{'-'.join(slug(part) for part in (opened.network.name, proposal, 'findings') if part)}.csv"
    return file_answer(build("findings", columns, rows).to_csv().encode("utf-8-sig"), "text/csv; charset=utf-8", name)


@router.get("/findings/progress")
def progress(request: Request, db: Db, project_id: Id, proposal: Chosen = "") -> Response:
    """How far the gathering is; once it is done, the page is shown anew."""
    opened = open_project(db, project_id, proposal)
    if request.app.state.results.of(opened).findings_are_known:
        return Response(headers={"HX-Refresh": "true"})
    return templates.TemplateResponse(request, "pages/findings/_gathering.html", {"job": gathering(request, opened), "project": opened})


@router.post("/findings/acknowledge")
def acknowledge_one(request: Request, db: Db, project_id: Id, version: Version, key: Said, reason: Said = "") -> Response:
    """Put a finding aside with a reason."""
    opened = open_project(db, project_id)
    results = request.app.state.results.of(opened)
    try:
        found = next((g for g in gathered(opened.network, results.findings()) if g.worst.key == key.replace("\r\n", "\n")), None)
        if found is None:
            raise NotFound("That finding does not stand any more.")
        worst = found.worst
        change_project(db, project_id, lambda n: acknowledge(n, worst, reason), version)
    except NorthfellError as error:
        asked = {"severity": "", "study": "", "state": "", "q": "", "order": "gravity", "known": ""}
        return _page(request, opened, asked, 422, error.lines)
    return RedirectResponse(at(project_id, "findings"), 303)


@router.post("/findings/take-back")
def take_back_one(db: Db, project_id: Id, version: Version, key: Said) -> Response:
    """Let an acknowledged finding stand again."""
    change_project(db, project_id, lambda n: take_back(n, key.replace("\r\n", "\n")), version)
    return RedirectResponse(at(project_id, "findings"), 303)
