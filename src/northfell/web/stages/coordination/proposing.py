"""Proposed settings: looked for beside the page, and kept as a proposal, whole or one device alone."""

from fastapi import APIRouter, Request, Response

from northfell.app.project.projects import open_project
from northfell.core.studies.coordination import COORDINATION, propose
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.edits import Version
from northfell.web.shell.remedies import Number, Remedy, keep, looked_for
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")


@router.get("/settings-proposed")
def proposed(request: Request, db: Db, view: Looking) -> Response:
    """Settings that would keep all gaps and rules of the state shown, each with the rule that decided."""
    opened = open_project(db, view.project_id, view.proposal)
    found = looked_for(request, opened, view, "settings", lambda results: propose(results.at(view.state).result(COORDINATION)))
    return answer(
        request, "stages/coordination/proposed.html", "stages/coordination/_proposed.html", found=found, view=view, project=opened, network=opened.network
    )  # fmt: skip


@router.post("/settings-proposed/keep")
def keep_proposed(request: Request, db: Db, view: Looking, version: Version, number: Number) -> Response:
    """Keep them as a proposal, or put them into the one that is worked in: 0 for all of them, else one device alone."""
    opened = open_project(db, view.project_id, view.proposal)
    found = looked_for(request, opened, view, "settings", lambda results: propose(results.at(view.state).result(COORDINATION)))
    remedies: list[Remedy] = [] if found is None else [found, *found.devices]
    return keep(db, opened, version, remedies, number, f"coordination in {view.state}")
