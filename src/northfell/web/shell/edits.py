"""Edits: each is a change set, kept before it is answered with the workspace as it then stands."""

import json
from collections.abc import Callable
from contextlib import suppress
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, Response

from northfell.app.data import edits, rows
from northfell.app.draw.extend import NotUnderstood, Plan, bus_of_selection, plan
from northfell.app.project import projects
from northfell.app.project.projects import NothingToUndo, Project
from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError, StaleVersion
from northfell.core.model.changes import Change, apply_change
from northfell.core.model.network import Network
from northfell.web.shell.answering import MOST_ID, Db, Id, templates
from northfell.web.shell.card import derived_of_card
from northfell.web.shell.view import Looking, View
from northfell.web.shell.workspace import findings_place, show

router = APIRouter(prefix="/projects/{project_id}")
Version = Annotated[int, Form(ge=0, le=MOST_ID)]
Typed = Annotated[str, Form(max_length=10_000)]
Shown = Annotated[str, Query(max_length=200)]
Ids = Annotated[str, Form(max_length=2_000_000)]  # a JSON list: a selection may be large


@router.post("/elements/{element_id:path}/set/{field}")
def set_field(request: Request, db: Db, view: Looking, element_id: str, field: str, version: Version, value: Typed = "", origin: Typed = "") -> Response:
    """Set one parameter; what is refused stays in its field with the reason."""
    typed = {"field": field, "value": value}
    return change_shown(request, db, view, version, lambda network: edits.set_field(network, view.state, element_id, field, value, origin), typed)


@router.post("/elements/{element_id:path}/rows/{field}/{at}/{column}")
def set_cell(request: Request, db: Db, view: Looking, element_id: str, field: str, at: int, column: str, version: Version, value: Typed = "") -> Response:
    """Set one cell of a table of an element; what is refused stays in its cell with the reason."""
    typed = {"field": f"{field}.{at}.{column}", "value": value}
    return change_shown(request, db, view, version, lambda network: rows.set_cell(network, element_id, field, at, column, value), typed)


@router.post("/elements/{element_id:path}/rows/{field}/{at}")
def remove_row(request: Request, db: Db, view: Looking, element_id: str, field: str, at: int, version: Version) -> Response:
    """Take a row of a table of an element away."""
    return change_shown(request, db, view, version, lambda network: rows.remove_row(network, element_id, field, at))


@router.post("/elements/{element_id:path}/rows/{field}")
def add_rows(request: Request, db: Db, view: Looking, element_id: str, field: str, version: Version, value: Typed = "") -> Response:
    """Put rows, typed or pasted, below those of a table of an element; what is refused stays with the reason."""
    typed = {"field": f"{field}.new", "value": value}
    return change_shown(request, db, view, version, lambda network: rows.add_rows(network, element_id, field, value), typed)


@router.post("/elements/{element_id:path}/origin/{field}")
def set_origin(request: Request, db: Db, view: Looking, element_id: str, field: str, version: Version, value: Typed = "") -> Response:
    """Say where a value was read."""
    return change_shown(request, db, view, version, lambda network: edits.set_origin(network, element_id, field, value))


@router.post("/elements/{element_id:path}/typical/{field}")
def one_typical(request: Request, db: Db, view: Looking, element_id: str, field: str, version: Version) -> Response:
    """Fill one field with its typical value."""
    return change_shown(request, db, view, version, lambda network: edits.fill_one_typical(network, element_id, field))


@router.get("/elements/{element_id:path}/derived/{field}")
def derived(request: Request, db: Db, view: Looking, element_id: str, field: str, value: Shown = "") -> Response:
    """What would follow from a value while it is typed; what stands, where it cannot be read yet."""
    network = projects.open_project(db, view.project_id, view.proposal).network
    element = network.in_state(view.state).get(element_id) or network.element(element_id)
    with suppress(NorthfellError):
        after, _ = apply_change(network, edits.set_field(network, view.state, element_id, field, value))
        element = after.in_state(view.state)[element_id]
    return templates.TemplateResponse(request, "shell/_derived.html", {"derived": derived_of_card(network, element)})


@router.post("/elements/{element_id:path}/operate")
def operate(request: Request, db: Db, view: Looking, element_id: str, version: Version) -> Response:
    """Open or close a switching device in the state shown."""
    return change_shown(request, db, view, version, lambda network: edits.operate(network, view.state, element_id))


@router.post("/extend")
def extend(request: Request, db: Db, view: Looking, version: Version, text: Typed = "") -> Response:
    """Place what was typed at the selection; the bus to extend from next is selected then."""
    made: list[Plan] = []

    def make(network: Network) -> Change:
        made.append(plan(network, view.sheet, bus_of_selection(network, view.selected), text, view.selected))
        if made[-1].change is None:
            raise NotUnderstood(made[-1].problems or ["Type what to place, such as “breaker, cable 240 al xlpe 350 m”."])
        return made[-1].change

    return change_shown(request, db, view, version, make, after=lambda seen: seen.to(selected=made[-1].at))


@router.post("/elements/{element_id:path}/typical")
def typical(request: Request, db: Db, view: Looking, element_id: str, version: Version) -> Response:
    """Fill what is missing with typical values."""
    return change_shown(request, db, view, version, lambda network: edits.fill_typical(network, element_id))


@router.post("/settings/{path}")
def setting(request: Request, db: Db, view: Looking, path: str, version: Version, value: Typed = "") -> Response:
    """Change one setting of the project."""
    return change_shown(request, db, view, version, lambda network: edits.set_setting(network, path, value), {"field": path, "value": value})


@router.post("/states")
def copy_state(request: Request, db: Db, view: Looking, version: Version, value: Typed = "") -> Response:
    """Make an operating state by copying the one shown, and show it."""
    after = view.to(state=value.strip() or view.state)
    return change_shown(request, db, after, version, lambda network: edits.copy_state(network, view.state, value), {"field": "states", "value": value})


@router.post("/states/remove")
def remove_state(request: Request, db: Db, view: Looking, version: Version, name: Typed = "") -> Response:
    """Take an operating state away."""
    return change_shown(request, db, view, version, lambda network: edits.remove_state(network, name))


@router.post("/undo")
def undo(request: Request, db: Db, view: Looking, version: Version) -> Response:
    """Take the newest change back, if it has been seen."""
    return _step(request, db, view, lambda: projects.undo(db, view.project_id, version))


@router.post("/redo")
def redo(request: Request, db: Db, view: Looking, version: Version) -> Response:
    """Apply again what was undone last."""
    return _step(request, db, view, lambda: projects.redo(db, view.project_id, version))


def _step(request: Request, db: Db, view: View, act: Callable[[], Project]) -> Response:
    try:
        act()
    except (NothingToUndo, StaleVersion) as error:
        status = 409 if isinstance(error, StaleVersion) else 200
        return show(request, db, projects.open_project(db, view.project_id, view.proposal), view, status, notice=[str(error)])
    return show(request, db, projects.open_project(db, view.project_id, view.proposal), view)


@router.post("/history/{seq}")
def go_back(request: Request, db: Db, view: Looking, seq: Id, version: Version) -> Response:
    """Undo or redo until a change of the history is the newest in force."""
    return _step(request, db, view, lambda: projects.go_back(db, view.project_id, seq, version))


@router.post("/names/{kind}")
def name_start(request: Request, db: Db, view: Looking, kind: str, version: Version, value: Typed = "") -> Response:
    """How default names of a kind begin in this project."""
    typed = {"field": f"names.{kind}", "value": value}
    return change_shown(request, db, view, version, lambda network: edits.set_name_start(network, kind, value), typed)


def ids_of(text: str) -> list[str]:
    """The elements that are picked."""
    try:
        ids = json.loads(text)
    except (ValueError, RecursionError):
        ids = None
    if not isinstance(ids, list) or not ids or not all(isinstance(i, str) for i in ids):
        raise NetworkRefused([InputRefused("selection", text[:40], "at least one element", where="Sheet")])
    return ids


def change_shown(
    request: Request, db: Db, view: View, version: int, make: Callable[[Network], Change], typed: dict[str, str] | None = None,
    after: Callable[[View], View] = lambda seen: seen,
) -> Response:  # fmt: skip
    """Make a change of the network as it stands, keep it, and answer with the workspace; what is refused is told there."""
    opened = projects.open_project(db, view.project_id, view.proposal)
    request.app.state.jobs.cancel(findings_place(opened))  # what it gathers is about to be old, and the answer comes first
    try:
        opened = projects.change_project(db, view.project_id, make, version, view.proposal)
    except NetworkRefused as error:
        return show(request, db, opened, view, 422, refused=error.lines, typed=typed)
    except StaleVersion as error:
        now = projects.open_project(db, view.project_id, view.proposal)
        return show(request, db, now, view, 409, refused=[str(error)], typed=typed)
    except NorthfellError as error:
        return show(request, db, opened, view, 422, notice=error.lines, typed=typed)
    return show(request, db, opened, after(view))
