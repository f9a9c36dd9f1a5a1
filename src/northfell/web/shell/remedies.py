"""Remedies of any stage: looked for beside the page, each solved, and kept as a proposal on request."""

from collections.abc import Callable, Sequence
from sqlite3 import Connection
from typing import Annotated, Any, Protocol, TypeVar

from fastapi import Form, Request, Response
from fastapi.responses import RedirectResponse

from northfell.app.jobs import Job
from northfell.app.project.projects import Project, change_project
from northfell.core.errors import NotFound
from northfell.core.model.changes import Change, proposing
from northfell.web.shell.addresses import at
from northfell.web.shell.naming import free_proposal_name
from northfell.web.shell.view import View

WAIT_S = 3.0
Number = Annotated[int, Form(ge=0, le=1000)]
T = TypeVar("T")


class Remedy(Protocol):
    """What would help: its words, and the change that it is."""

    @property
    def title(self) -> str: ...
    @property
    def change(self) -> Change: ...


def looked_for(request: Request, opened: Project, view: View, what: str, find: Callable[[Any], T]) -> T | None:
    """What `find` makes of the results, once for a version; None while it is still looked for."""
    opened.network.state(view.state)
    results = request.app.state.results.of(opened)
    where = f"{view.proposal} {view.state} {view.selected}"
    job: Job = request.app.state.jobs.start(f"{what} {opened.id} {where}", f"{opened.version} {where}", lambda _: find(results))
    try:
        found: T = job.future.result(timeout=WAIT_S)
    except TimeoutError:
        return None
    return found


def keep(db: Connection, opened: Project, version: int, remedies: Sequence[Remedy], number: int, of: str) -> Response:
    """Keep a remedy as a proposal, or put it into the one that is worked in."""
    if number >= len(remedies):
        raise NotFound("That remedy is not there any more.")
    remedy = remedies[number]
    if opened.proposal:
        change_project(db, opened.id, remedy.change, version, opened.proposal)
        return RedirectResponse(at(opened.id, "proposal", opened.proposal), 303)
    name = free_proposal_name(opened.network, remedy.title)
    note = f"Remedy for {of}: {remedy.title}."
    change_project(db, opened.id, lambda n: proposing.new_proposal(n, name, note, [remedy.change]), version)
    return RedirectResponse(at(opened.id, "proposal", name), 303)
