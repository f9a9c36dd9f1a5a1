"""One act sizes circuits: worked out beside the page for all states, kept as a proposal, whole or the rows that are chosen."""

from dataclasses import dataclass
from hashlib import sha256
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Form, Query, Request, Response
from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel, Field, ValidationError

from northfell.app.project.projects import Project, open_project
from northfell.app.results.sizing import sizes_for
from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.changes import Change
from northfell.core.studies.sizing import SizeProposal
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.edits import Ids, ids_of
from northfell.web.shell.remedies import keep, looked_for
from northfell.web.shell.view import Looking, View

router = APIRouter(prefix="/projects/{project_id}")
Of = Literal["this", "downstream", "all", "picked"]
Scope = Annotated[Of, Query()]
FormScope = Annotated[Of, Form()]
MOST_CIRCUITS = 20_000
PAGE, FRAGMENT = "stages/sizing/proposed.html", "stages/sizing/_proposed.html"


@router.get("/sizes")
def sizes(request: Request, db: Db, view: Looking, of: Scope = "all") -> Response:
    """Sizes that keep all rules in every state, of the selected circuit, of all downstream of the selected element, or of all."""
    opened = open_project(db, view.project_id, view.proposal)
    return _shown(request, opened, view, of, [])


@router.post("/sizes")
def sizes_of_picked(request: Request, db: Db, view: Looking, of: FormScope = "picked", ids: Ids = "") -> Response:
    """The same of several that are picked on the sheet."""
    opened = open_project(db, view.project_id, view.proposal)
    return _shown(request, opened, view, of, ids_of(ids) if ids else [view.selected])


def _shown(request: Request, opened: Project, view: View, of: Of, ids: list[str]) -> Response:
    found = _found(request, opened, view, of, ids)
    return answer(request, PAGE, FRAGMENT, found=found, view=view, project=opened, network=opened.network, of=of, ids=ids)


def _found(request: Request, opened: Project, view: View, of: Of, ids: list[str]) -> SizeProposal | None:
    key = sha256("\n".join(ids).encode()).hexdigest()[:16] if ids else ""
    return looked_for(request, opened, view, f"sizes {of} {key}", lambda results: sizes_for(results, view.state, of, ids if ids else [view.selected]))


@dataclass(frozen=True)
class _Chosen:
    """Rows of a proposal as one."""

    title: str
    change: Change


class TakenForm(BaseModel):
    """What the form of a proposal says."""

    version: int
    of: Of = "all"
    ids: str = Field("", max_length=2_000_000)
    rows: list[Annotated[int, Field(ge=0)]] = Field([], max_length=MOST_CIRCUITS)


async def taken(request: Request) -> TakenForm:
    """The form with a field for every circuit, which are more than other forms may have."""
    sent = await request.form(max_fields=MOST_CIRCUITS + 100)
    try:
        return TakenForm.model_validate({**sent, "rows": sent.getlist("rows")})
    except ValidationError as error:
        raise RequestValidationError([{**one, "loc": ("body", *one["loc"])} for one in error.errors()]) from None


@router.post("/sizes/keep")
def keep_sizes(request: Request, db: Db, view: Looking, form: Annotated[TakenForm, Depends(taken)]) -> Response:
    """Keep the rows that are chosen as a proposal, or put them into the one that is worked in."""
    opened = open_project(db, view.project_id, view.proposal)
    found = _found(request, opened, view, form.of, ids_of(form.ids) if form.ids else [])
    if found is None:
        raise NotFound("The sizes are not found yet: wait until they are shown.")
    chosen = sorted(set(form.rows))
    if not chosen:
        raise NetworkRefused([InputRefused("rows", "none", "at least one row that is ticked", where="Sizes")])
    if chosen[-1] >= len(found.rows):
        raise NotFound("That row is not there any more.")
    more = f" and {len(chosen) - 1} more" if len(chosen) > 1 else ""
    title = found.title if len(chosen) == len(found.rows) else f"{found.rows[chosen[0]].title}{more}"
    return keep(db, opened, form.version, [_Chosen(title, found.of(chosen))], 0, "the sizes of circuits in every state")
