"""Ratios of current transformers against a list that is pasted."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from northfell.app.project.projects import open_project
from northfell.core.studies.coordination import held_against
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")
MOST_TEXT = 100_000


@router.get("/ratios")
def shown(request: Request, db: Db, view: Looking) -> Response:
    """Where the list is pasted."""
    return _answer(request, db, view, "")


@router.post("/ratios")
def held(request: Request, db: Db, view: Looking, listed: Annotated[str, Form(max_length=MOST_TEXT)] = "") -> Response:
    """Each line of the list against what the network has."""
    return _answer(request, db, view, listed)


def _answer(request: Request, db: Db, view: Looking, listed: str) -> Response:
    opened = open_project(db, view.project_id, view.proposal)
    rows = held_against(opened.network.in_state(view.state), listed) if listed.strip() else []
    page, fragment = "stages/coordination/ratios.html", "stages/coordination/_ratios.html"
    return answer(request, page, fragment, rows=rows, listed=listed, view=view, project=opened, network=opened.network)
