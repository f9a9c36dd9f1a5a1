"""Operating states as a matrix, sets of study settings, and what is missing for which study."""

from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import RedirectResponse

from northfell.app.data import edits, states
from northfell.app.project.projects import change_project, open_project
from northfell.core.errors import NorthfellError, NotFound, code_of
from northfell.core.model.changes import Change
from northfell.core.model.declare.parameters import parameters_of
from northfell.core.model.network import NORMAL, Network
from northfell.core.model.settings import study_keys
from northfell.core.model.showing import text_shown, unit_shown
from northfell.core.rules.completeness import missing_of
from northfell.core.rules.typical import FILLABLE, help_for
from northfell.web.shell.answering import Db, Id, project_page
from northfell.web.shell.edits import Typed, Version, change_shown
from northfell.web.shell.stage import STAGES, name_of_study
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")


@router.get("/states")
def matrix(request: Request, db: Db, project_id: Id, of: Annotated[str, Query(max_length=200)] = "") -> Response:
    """What differs between the states; with `of`, all that a state may hold of one element."""
    return _page(request, db, project_id, of)


def _page(request: Request, db: Db, project_id: Id, of: str = "", status: int = 200, refused: list[str] | None = None) -> Response:
    opened = open_project(db, project_id)
    network = opened.network
    element = network.elements.get(network.id_of_name.get(of, of))
    rows = states.matrix(network)
    if element is not None:
        known = {row.p.name: row for row in rows if row.element.id == element.id}
        by_state = {name: network.in_state(name)[element.id] for name in network.state_names}
        rows = [
            known.get(p.name) or states.MatrixRow(element, p, {name: getattr(e, p.name) for name, e in by_state.items()}, frozenset())
            for p in parameters_of(type(element))
            if p.in_state
        ]
    factors = [(of_what, group, {s.name: getattr(s, field).get(group) for s in network.states}) for of_what, field in states.KINDS_OF_FACTOR.items()
               for group in states.groups(network, of_what)]  # fmt: skip
    planned = [
        (e, [name for name in network.state_names if network.in_state(name)[e.id].in_service]) for e in network.elements.values() if e.status != "existing"
    ]
    seen = {"rows": rows, "element": element, "of": of, "factors": factors, "planned": planned, "text_shown": text_shown, "unit_shown": unit_shown}
    return project_page(request, opened, "pages/states/states.html", "States", status, refused=refused or [], **seen)


def _changed(request: Request, db: Db, project_id: Id, version: int, of: str, make: Callable[[Network], Change]) -> Response:
    try:
        change_project(db, project_id, make, version)
    except NorthfellError as error:
        return _page(request, db, project_id, of, 422, error.lines)
    return RedirectResponse(str(request.url_for("matrix", project_id=project_id).include_query_params(**({"of": of} if of else {}))), 303)


@router.post("/states/set")
def set_in_state(
    request: Request, db: Db, project_id: Id, version: Version, element: Typed, field: Typed, state: Typed, value: Typed = "", of: Typed = ""
) -> Response:  # fmt: skip
    """Set one cell of the matrix; empty takes the difference back."""
    return _changed(request, db, project_id, version, of, lambda n: states.set_in_state(n, state, element, field, value))


@router.post("/states/factor")
def set_factor(request: Request, db: Db, project_id: Id, version: Version, kind: Typed, state: Typed, group: Typed = "", value: Typed = "") -> Response:
    """Set a factor on load or generation."""
    return _changed(request, db, project_id, version, "", lambda n: states.set_factor(n, state, kind, group, value))


@router.post("/states/copy")
def copy(request: Request, db: Db, project_id: Id, version: Version, state: Typed, value: Typed = "") -> Response:
    """A state made by copying one."""
    return _changed(request, db, project_id, version, "", lambda n: edits.copy_state(n, state, value))


@router.post("/states/rename")
def rename(request: Request, db: Db, project_id: Id, version: Version, state: Typed, value: Typed = "") -> Response:
    """Another name for a state."""
    return _changed(request, db, project_id, version, "", lambda n: states.rename(n, state, value))


@router.post("/states/away")
def away(request: Request, db: Db, project_id: Id, version: Version, state: Typed) -> Response:
    """Take a state away."""
    return _changed(request, db, project_id, version, "", lambda n: edits.remove_state(n, state))


@router.post("/states/planned")
def planned(request: Request, db: Db, project_id: Id, version: Version, state: Typed) -> Response:
    """Include all that is planned in a state, and leave out what is to be removed."""
    return _changed(request, db, project_id, version, "", lambda n: states.include_planned(n, state))


@router.post("/sets/{act}")
def sets(request: Request, db: Db, view: Looking, act: str, version: Version, value: Typed = "") -> Response:
    """Sets of study settings: use another, keep the present ones under a new name, rename, or take one away."""
    return change_shown(request, db, view, version, lambda n: edits.change_sets(n, act, value), {"field": f"sets.{act}", "value": value})


@router.get("/missing")
def missing_data(request: Request, db: Db, project_id: Id) -> Response:
    """What is missing, for which study, element by element, each leading to its field."""
    return _missing(request, db, project_id)


def _missing(request: Request, db: Db, project_id: Id, status: int = 200, refused: list[str] | None = None) -> Response:
    opened = open_project(db, project_id)
    network, elements = opened.network, opened.network.elements
    by_state = {name: network.in_state(name) for name in network.state_names}
    rows = []
    for e in elements.values():
        fields: dict[str, set[str]] = {}
        found = {}
        where = [NORMAL, *(s.name for s in network.states if e.id in s.differences)]  # elsewhere it is as in Normal
        for study in study_keys():
            for m in (m for name in where for m in missing_of(by_state[name], by_state[name][e.id], study)):
                fields.setdefault(m.key, set()).add(study)
                found[m.key] = m
        rows += [(e, found[key], studies, help_for(by_state[NORMAL], e, key, network.settings.frequency_hz)) for key, studies in fields.items()]
    assumed = sum(len(e.assumed) for e in elements.values())
    fillable = any(code_of(row[3]) == FILLABLE for row in rows)
    seen = {"rows": rows, "studies": study_keys(), "stage_of": name_of_study, "fillable": fillable, "assumed": assumed, "refused": refused or []}
    return project_page(request, opened, "pages/states/missing.html", "Missing data", status, **seen)


@router.post("/prepare/{what}")
def prepare(request: Request, db: Db, view: Looking, what: str, version: Version) -> Response:
    """What the stage that is shown needs before it can show anything, in one act."""
    acts = {"typical": edits.fill_all_typical} | {path: act for stage in STAGES.values() for path, act in stage.prepares.items()}
    if what not in acts:
        raise NotFound(f"There is nothing to prepare for “{what[:40]}”.")
    return change_shown(request, db, view, version, acts[what])


@router.post("/missing/typical")
def fill_all(request: Request, db: Db, project_id: Id, version: Version) -> Response:
    """Typical values for all that is missing in the network."""
    try:
        change_project(db, project_id, edits.fill_all_typical, version)
    except NorthfellError as error:
        return _missing(request, db, project_id, 422, error.lines)
    return RedirectResponse(str(request.url_for("missing_data", project_id=project_id)), 303)
