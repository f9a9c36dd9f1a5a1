"""What would help an element by phase: each remedy solved, and kept as a proposal on request."""

from fastapi import APIRouter, Request, Response

from northfell.app.project.projects import open_project
from northfell.app.results.remedying import phase_help
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.edits import Version
from northfell.web.shell.remedies import Number, keep, looked_for
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")


@router.get("/phase-help")
def what_would_help(request: Request, db: Db, view: Looking) -> Response:
    """The worst of an element by phase with what would cure it, each solved."""
    opened = open_project(db, view.project_id, view.proposal)
    found = looked_for(request, opened, view, "phase help", lambda results: phase_help(results, view.state, view.selected))
    return answer(request, "stages/phases/remedies.html", "stages/phases/_remedies.html", found=found, view=view, project=opened, network=opened.network)


@router.post("/phase-help/propose")
def propose(request: Request, db: Db, view: Looking, version: Version, number: Number) -> Response:
    """Keep a remedy as a proposal, or put it into the one that is worked in."""
    opened = open_project(db, view.project_id, view.proposal)
    found = phase_help(request.app.state.results.of(opened), view.state, view.selected)
    return keep(db, opened, version, found.remedies, number, f"{found.element.name} in {view.state}")
