"""What would bring a duty within its rating: each remedy solved, and kept as a proposal on request."""

from fastapi import APIRouter, Request, Response

from northfell.app.project.projects import open_project
from northfell.app.results.remedying import duty_remedies
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.edits import Version
from northfell.web.shell.remedies import Number, keep, looked_for
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")


@router.get("/duty")
def what_would_help(request: Request, db: Db, view: Looking) -> Response:
    """The duties of an element with what would cure the worst, each solved."""
    opened = open_project(db, view.project_id, view.proposal)
    found = looked_for(request, opened, view, "duty", lambda results: duty_remedies(results, view.state, view.selected))
    return answer(request, "stages/faults/remedies.html", "stages/faults/_remedies.html", found=found, view=view, project=opened, network=opened.network)


@router.post("/duty/propose")
def propose(request: Request, db: Db, view: Looking, version: Version, number: Number) -> Response:
    """Keep a remedy as a proposal, or put it into the one that is worked in."""
    opened = open_project(db, view.project_id, view.proposal)
    found = duty_remedies(request.app.state.results.of(opened), view.state, view.selected)
    return keep(db, opened, version, found.remedies, number, f"the duty of {found.element.name} in {view.state}")
