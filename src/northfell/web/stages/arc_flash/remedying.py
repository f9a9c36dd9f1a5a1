"""What would bring the incident energy at a place down: each computed, and kept as a proposal on request."""

from fastapi import APIRouter, Request, Response

from northfell.app.project.projects import open_project
from northfell.app.results.remedying import energy_remedies
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.edits import Version
from northfell.web.shell.remedies import Number, keep, looked_for
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")


@router.get("/energy-remedies")
def what_would_help(request: Request, db: Db, view: Looking) -> Response:
    """What to change for less energy at the selected location, each computed, with the selectivity that it costs."""
    opened = open_project(db, view.project_id, view.proposal)
    found = looked_for(request, opened, view, f"energy {view.side}", lambda results: energy_remedies(results, view.state, view.selected, view.side))
    page, fragment = "stages/arc_flash/remedies.html", "stages/arc_flash/_remedies.html"
    return answer(request, page, fragment, found=found, view=view, project=opened, network=opened.network)


@router.post("/energy-remedies/propose")
def propose(request: Request, db: Db, view: Looking, version: Version, number: Number) -> Response:
    """Keep a remedy as a proposal, or put it into the one that is worked in."""
    opened = open_project(db, view.project_id, view.proposal)
    found = energy_remedies(request.app.state.results.of(opened), view.state, view.selected, view.side)
    return keep(db, opened, version, found.remedies, number, f"the incident energy at {found.element.name}, {found.side} side, in {view.state}")
