"""Why a loading or a voltage is as it is, and what would cure it: each remedy solved, and kept as a proposal on request."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import RedirectResponse

from northfell.app.jobs import Job
from northfell.app.project.projects import change_project, open_project
from northfell.app.results.remedying import why
from northfell.core.errors import NotFound
from northfell.core.model.changes import proposing
from northfell.core.model.elements import Bus
from northfell.drawing.shapes import svg_of
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.edits import Version
from northfell.web.shell.naming import free_proposal_name
from northfell.web.shell.view import Looking
from northfell.web.stages.flow.path_chart import path_shapes

router = APIRouter(prefix="/projects/{project_id}")
WAIT_S = 3.0
CHART_SIZE = (560.0, 200.0)


@router.get("/why")
def why_it_is_so(request: Request, db: Db, view: Looking) -> Response:
    """The arithmetic of a loading or voltage, who brings it about, and what would cure it, each solved."""
    opened = open_project(db, view.project_id, view.proposal)
    opened.network.state(view.state)
    results = request.app.state.results.of(opened)
    place = f"why {opened.id} {view.proposal} {view.state} {view.selected}"
    key = f"{opened.version} {view.proposal} {view.state} {view.selected}"
    job: Job = request.app.state.jobs.start(place, key, lambda _: why(results, view.state, view.selected))
    try:
        found = job.future.result(timeout=WAIT_S)
    except TimeoutError:
        return answer(request, "stages/flow/why.html", "stages/flow/_why.html", why=None, view=view, project=opened, network=opened.network)
    limits = opened.network.settings.limits
    seen = {
        "why": found, "view": view, "project": opened, "network": opened.network, "is_bus": isinstance(found.element, Bus), "limits": limits,
        "svg_of": svg_of, "chart": path_shapes(found.legs, found.flow, limits, *CHART_SIZE) if found.legs else [], "size": CHART_SIZE,
    }  # fmt: skip
    return answer(request, "stages/flow/why.html", "stages/flow/_why.html", **seen)


@router.post("/why/propose")
def propose(request: Request, db: Db, view: Looking, version: Version, number: Annotated[int, Form(ge=0, le=1000)]) -> Response:
    """Keep a remedy as a proposal, or put it into the one that is worked in."""
    opened = open_project(db, view.project_id, view.proposal)
    found = why(request.app.state.results.of(opened), view.state, view.selected)
    if number >= len(found.remedies):
        raise NotFound("That remedy is not there any more.")
    remedy = found.remedies[number]
    if opened.proposal:
        change_project(db, opened.id, remedy.change, version, opened.proposal)
        return RedirectResponse(at(opened.id, "proposal", opened.proposal), 303)
    name = free_proposal_name(opened.network, remedy.title)
    note = f"Remedy for {found.element.name} in {view.state}: {remedy.title}."
    change_project(db, opened.id, lambda n: proposing.new_proposal(n, name, note, [remedy.change]), version)
    return RedirectResponse(at(opened.id, "proposal", name), 303)
