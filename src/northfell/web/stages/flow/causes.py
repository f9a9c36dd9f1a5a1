"""Why a loading or a voltage is as it is, and what would cure it: each remedy solved, and kept as a proposal on request."""

from typing import Any

from fastapi import APIRouter, Request, Response

from northfell.app.project.projects import open_project
from northfell.app.results.remedying import why
from northfell.core.model.elements import Bus
from northfell.drawing.shapes import svg_of
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.edits import Version
from northfell.web.shell.remedies import Number, keep, looked_for
from northfell.web.shell.view import Looking
from northfell.web.stages.flow.path_chart import path_shapes

router = APIRouter(prefix="/projects/{project_id}")
CHART_SIZE = (560.0, 200.0)


@router.get("/why")
def why_it_is_so(request: Request, db: Db, view: Looking) -> Response:
    """The arithmetic of a loading or voltage, who brings it about, and what would cure it, each solved."""
    opened = open_project(db, view.project_id, view.proposal)
    found = looked_for(request, opened, view, "why", lambda results: why(results, view.state, view.selected))
    if found is None:
        return answer(request, "stages/flow/why.html", "stages/flow/_why.html", why=None, view=view, project=opened, network=opened.network)
    limits = opened.network.settings.limits
    seen: dict[str, Any] = {
        "why": found, "view": view, "project": opened, "network": opened.network, "is_bus": isinstance(found.element, Bus), "limits": limits,
        "svg_of": svg_of, "chart": path_shapes(found.legs, found.flow, limits, *CHART_SIZE) if found.legs else [], "size": CHART_SIZE,
    }  # fmt: skip
    return answer(request, "stages/flow/why.html", "stages/flow/_why.html", **seen)


@router.post("/why/propose")
def propose(request: Request, db: Db, view: Looking, version: Version, number: Number) -> Response:
    """Keep a remedy as a proposal, or put it into the one that is worked in."""
    opened = open_project(db, view.project_id, view.proposal)
    found = why(request.app.state.results.of(opened), view.state, view.selected)
    return keep(db, opened, version, found.remedies, number, f"{found.element.name} in {view.state}")
