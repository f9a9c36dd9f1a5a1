"""In test mode: every fragment of the workspace in all its states, on one page, from the same templates and the project that is named."""

from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any

from fastapi import APIRouter, Request, Response

from northfell.app.project.projects import Project, open_project
from northfell.core.errors import NotFound
from northfell.drawing.shapes import svg_of
from northfell.web.shell.answering import Db, Id, templates
from northfell.web.shell.stage import FINDINGS, STAGES
from northfell.web.shell.table_cells import Ledger
from northfell.web.shell.view import View
from northfell.web.shell.workspace import seen_of

router = APIRouter()
Fragment = tuple[str, str, dict[str, Any]]  # template, in which state, what it is given


@router.get("/projects/{project_id}/fragments")
def fragments(request: Request, db: Db, project_id: Id) -> Response:
    """The page; there is none outside test mode."""
    if not request.app.state.test_mode:
        raise NotFound("There is no such page.")
    opened = open_project(db, project_id)
    made = [(template, state, _drawn(request, template, given)) for template, state, given in _every(request, db, opened)]
    return templates.TemplateResponse(request, "pages/fragments/fragments.html", {"made": made, "network": opened.network})


def _drawn(request: Request, template: str, given: dict[str, Any]) -> str:
    marks = templates.env.get_template("shell/_marks.html").module
    return templates.env.get_template(template).render({"request": request, "marks": marks, "svg_of": svg_of, **given})


def _every(request: Request, db: Any, opened: Project) -> Iterator[Fragment]:
    """Each fragment with what makes its states differ."""
    network = opened.network
    plain = seen_of(request, db, opened, View(opened.id))
    yield "shell/_notice.html", "two lines", {"lines": ["The first line says what is wrong.", "The second says what would be accepted."]}
    for state, counts, stale in (
        ("known", {"breach": 3, "close": 12, "missing": 1}, None), ("not known", None, None), ("of before", None, {"breach": 2, "close": 8, "missing": 0}),
    ):  # fmt: skip
        yield "shell/_counts.html", state, {**plain, "counts": counts, "stale": stale, "job": None}
    yield "shell/_card.html", "nothing selected", plain
    one_of_each = {e.kind: e for e in reversed(network.elements.values())}
    for path, stage in STAGES.items():
        for kind, e in one_of_each.items():
            yield "shell/_card.html", f"{stage.name}, {kind.replace('_', ' ')}", seen_of(request, db, opened, View(opened.id, path, selected=e.id))
        for tab in (*(tab.key for tab in stage.tabs), FINDINGS):
            yield "shell/_ledger.html", f"{stage.name}, {tab}", seen_of(request, db, opened, View(opened.id, path, tab=tab))
    e = next(iter(network.elements.values()))
    seen = seen_of(request, db, opened, View(opened.id, "network", selected=e.id))
    refused = {"refused": ["Name is “”, accepted is 1 to 80 characters on one line."], "typed": {"field": "name", "value": ""}}
    yield "shell/_card.html", "an entry refused", seen | refused
    yield "shell/_card.html", "not fed, out of service, locked", seen | {"card": _without(seen["card"])}
    for state, ledger in (
        ("no result", Ledger([], [], [], ["Cable W1: its length is empty.", "A typical value can be filled in."])),
        ("empty", Ledger([], [], [], empty="Nothing here.")),
        ("to be run", Ledger([], [], [], empty="Takes each element out in turn.", run="outages")),
    ):  # fmt: skip
        yield "shell/_ledger.html", state, {**plain, "ledger": ledger, "job": None}
    running = SimpleNamespace(finished=False, given_up=False, of=65, done=12, doing="elements out")
    yield "shell/_ledger.html", "running", {**plain, "ledger": Ledger([], [], [], run="outages"), "job": running}


def _without(card: Any) -> Any:
    """The card of the same element as it is when nothing feeds it."""
    off = card.element.model_copy(update={"in_service": False, "locked": True, "status": "to be removed"})
    return SimpleNamespace(**{**card.__dict__, "element": off, "energised": False})
