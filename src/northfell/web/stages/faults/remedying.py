"""What would bring a duty within its rating: each remedy solved, and kept as a proposal on request."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse

from northfell.app.jobs import Job
from northfell.app.project.projects import change_project, open_project
from northfell.app.results.remedying import duty_remedies
from northfell.core.errors import NotFound
from northfell.core.model.changes import proposing
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.edits import Version
from northfell.web.shell.naming import free_proposal_name
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")
WAIT_S = 3.0


@router.get("/duty")
def what_would_help(request: Request, db: Db, view: Looking) -> Response:
    """The duties of an element with what would cure the worst, each solved."""
    opened = open_project(db, view.project_id, view.proposal)
    opened.network.state(view.state)
    results = request.app.state.results.of(opened)
    place = f"duty {opened.id} {view.proposal} {view.state} {view.selected}"
    key = f"{opened.version} {view.proposal} {view.state} {view.selected}"
    job: Job = request.app.state.jobs.start(place, key, lambda _: duty_remedies(results, view.state, view.selected))
    try:
        found = job.future.result(timeout=WAIT_S)
    except TimeoutError:
        found = None
    return answer(request, "stages/faults/remedies.html", "stages/faults/_remedies.html", found=found, view=view, project=opened, network=opened.network)


@router.post("/duty/propose")
def propose(request: Request, db: Db, view: Looking, version: Version, number: Annotated[int, Form(ge=0, le=1000)]) -> Response:
    """Keep a remedy as a proposal, or put it into the one that is worked in."""
    opened = open_project(db, view.project_id, view.proposal)
    found = duty_remedies(request.app.state.results.of(opened), view.state, view.selected)
    if number >= len(found.remedies):
        raise NotFound("That remedy is not there any more.")
    remedy = found.remedies[number]
    if opened.proposal:
        change_project(db, opened.id, remedy.change, version, opened.proposal)
        return RedirectResponse(at(opened.id, "proposal", opened.proposal), 303)
    name = free_proposal_name(opened.network, remedy.title)
    note = f"Remedy for the duty of {found.element.name} in {view.state}: {remedy.title}."
    change_project(db, opened.id, lambda n: proposing.new_proposal(n, name, note, [remedy.change]), version)
    return RedirectResponse(at(opened.id, "proposal", name), 303)
