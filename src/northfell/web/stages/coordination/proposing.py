"""Proposed settings: looked for beside the page, and kept as a proposal, whole or one device alone."""

from typing import Annotated, NamedTuple

from fastapi import APIRouter, Form, Query, Request, Response

from northfell.app.project.projects import open_project
from northfell.app.results.studies import Results
from northfell.core.errors import NorthfellError
from northfell.core.studies.arc_flash import ARC_FLASH
from northfell.core.studies.coordination import COORDINATION, Arcs, Proposal, arcs_of, propose
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.edits import Version
from northfell.web.shell.remedies import Number, Remedy, keep, looked_for
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")
Weight = Annotated[float, Query(ge=0, le=100, allow_inf_nan=False)]


@router.get("/settings-proposed")
def proposed(request: Request, db: Db, view: Looking, weight: Weight = 0.0) -> Response:
    """Settings that would keep all gaps and rules in every state, each with the rule that decided."""
    opened = open_project(db, view.project_id, view.proposal)
    found = looked_for(request, opened, view, f"settings {weight:g}", lambda results: _everywhere(results, view.state, weight))
    return answer(
        request, "stages/coordination/proposed.html", "stages/coordination/_proposed.html", found=found, view=view, project=opened, network=opened.network,
        weight=weight,
    )  # fmt: skip


@router.post("/settings-proposed/keep")
def keep_proposed(request: Request, db: Db, view: Looking, version: Version, number: Number, weight: Annotated[float, Form(ge=0, le=100)] = 0.0) -> Response:
    """Keep them as a proposal, or put them into the one that is worked in: 0 for all of them, else one device alone."""
    opened = open_project(db, view.project_id, view.proposal)
    found = looked_for(request, opened, view, f"settings {weight:g}", lambda results: _everywhere(results, view.state, weight))
    remedies: list[Remedy] = [] if found is None else [found.proposal, *found.proposal.devices]
    return keep(db, opened, version, remedies, number, "coordination in every state")


class Everywhere(NamedTuple):
    """A proposal that holds in every state that has a result, and why others have none."""

    proposal: Proposal
    without: list[str]


def _everywhere(results: Results, state: str, weight_s: float) -> Everywhere:
    """Settings for all states, the one shown first: what it alone lacks is told as its own."""
    found, without = [results.at(state).result(COORDINATION)], list[str]()
    arcs: list[Arcs] = []
    for other in results.network.state_names:
        if other == state:
            continue
        try:
            found.append(results.at(other).result(COORDINATION))
        except NorthfellError as error:
            without.append(f"{other} is not looked at: {error}")
    for one in found if weight_s else ():
        try:
            arcs.append(arcs_of(results.at(one.net.state).result(ARC_FLASH)))
        except NorthfellError as error:
            arcs.append({})
            without.append(f"Of {one.net.state} no incident energy counts: {error}")
    return Everywhere(propose(*found, arcs=arcs, weight_s=weight_s), without)
