"""Proposals: changes kept beside the network, compared with it, worked in, accepted or dropped."""

from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, Response
from fastapi.responses import RedirectResponse

from northfell.app.jobs import Job
from northfell.app.project.projects import Project, change_project, open_project
from northfell.app.results.comparing import NETWORK, Comparison, compare
from northfell.core.errors import NorthfellError, NotFound
from northfell.core.model.changes import Change, proposing
from northfell.core.model.network import Network
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Db, Id, project_page, templates
from northfell.web.shell.edits import Version
from northfell.web.shell.stage import stages_by_study
from northfell.web.shell.view import View

router = APIRouter(prefix="/projects/{project_id}")
Typed = Annotated[str, Form(max_length=2500)]
Numbers = Annotated[list[int], Form()]
With = Annotated[list[str], Query(max_length=20)]
WAIT_S = 1.5


@router.get("/proposals")
def proposals(request: Request, db: Db, project_id: Id, chosen: With = [], watch: With = []) -> Response:  # noqa: B006  FastAPI copies it
    """All proposals, and those chosen beside the network."""
    return _list(request, open_project(db, project_id), chosen, watch=watch)


def _list(
    request: Request, opened: Project, chosen: list[str] | None = None, status: int = 200, refused: list[str] | None = None, watch: list[str] | None = None
) -> Response:  # fmt: skip
    there = [p for p in opened.network.proposals if p.name in (chosen or [])]
    conflicts = {p.name: len(proposing.inside(opened.network, p.name).conflicts) for p in opened.network.proposals}
    comparison, job = _compared(request, opened, [p.name for p in there], _chosen(opened, watch)) if there else (None, None)
    return project_page(
        request, opened, "pages/proposals/proposals.html", "Proposals", status, conflicts=conflicts, chosen=[p.name for p in there],
        comparison=comparison, job=job, refused=refused or [], work_in=_work_in(opened), address=address_of(opened), first=NETWORK, stages=stages_by_study(),
        watched=_names(opened, watch),
    )  # fmt: skip


def _chosen(opened: Project, watch: list[str] | None) -> list[str]:
    """The ids of elements chosen by their names, each once; what is no element is left out."""
    ids = [opened.network.id_of_name.get(name.strip(), "") for name in watch or []]
    return [i for i in dict.fromkeys(ids) if i]


def _names(opened: Project, watch: list[str] | None) -> list[str]:
    return [opened.network.elements[i].name for i in _chosen(opened, watch)]


def _work_in(opened: Project) -> Callable[[str], str]:
    return lambda name: View(opened.id, "flow", proposal=name).url


def address_of(opened: Project) -> Callable[[str], str]:
    """Address of the page of a proposal."""
    return lambda name: at(opened.id, "proposal", name)


def _compared(request: Request, opened: Project, names: list[str], watch: list[str]) -> tuple[Comparison | None, Job]:
    """The comparison if it is there soon enough, else the run that makes it."""
    cache = request.app.state.results
    variants = {NETWORK: cache.of(opened)}
    for name in names:
        network = proposing.inside(opened.network, name).network
        variants[name] = cache.of(Project(opened.row, network, None, None, proposal=name))
    key = f"{opened.version} {names} {watch}"
    job = request.app.state.jobs.start(f"comparison {opened.id} {names}", key, lambda job: compare(variants, job.told, watch))
    try:
        return job.future.result(timeout=WAIT_S), job
    except TimeoutError:
        return None, job


@router.post("/proposals")
def make(request: Request, db: Db, project_id: Id, version: Version, name: Typed = "", note: Typed = "") -> Response:
    """A new proposal, to be worked in."""
    opened = open_project(db, project_id)
    try:
        change_project(db, project_id, lambda n: proposing.new_proposal(n, name, note), version)
    except NorthfellError as error:
        return _list(request, opened, None, 422, error.lines)
    return RedirectResponse(_work_in(opened)(name.strip()), 303)


@router.get("/proposals/progress")
def progress(request: Request, db: Db, project_id: Id, chosen: With = [], watch: With = []) -> Response:  # noqa: B006
    """How far a comparison is; once it is done, the page is shown anew."""
    opened = open_project(db, project_id)
    comparison, job = _compared(request, opened, [p.name for p in opened.network.proposals if p.name in chosen], _chosen(opened, watch))
    if comparison is not None:
        return Response(headers={"HX-Refresh": "true"})
    return templates.TemplateResponse(request, "pages/proposals/_comparing.html", {"job": job, "project": opened, "chosen": chosen, "watched": watch})


@router.get("/proposal/{name:path}", name="proposal")
def one(request: Request, db: Db, project_id: Id, name: str, watch: With = []) -> Response:  # noqa: B006
    """A proposal: its changes, conflicts, and what it makes of findings, key results and chosen elements."""
    return _one(request, open_project(db, project_id), name, watch=watch)


def _one(
    request: Request, opened: Project, name: str, status: int = 200, refused: list[str] | None = None, watch: list[str] | None = None
) -> Response:  # fmt: skip
    proposal = proposing.proposal_of(opened.network, name)
    conflicts = proposing.inside(opened.network, name).conflicts
    comparison, job = _compared(request, opened, [name], _chosen(opened, watch))
    return project_page(
        request, opened, "pages/proposals/proposal.html", f"Proposal {name}", status, proposal=proposal, conflicts=conflicts, comparison=comparison, job=job,
        chosen=[name], refused=refused or [], work_in=_work_in(opened), here=address_of(opened)(name), first=NETWORK, stages=stages_by_study(),
        watched=_names(opened, watch),
    )  # fmt: skip


@router.post("/proposal/{name:path}")
def change(
    request: Request, db: Db, project_id: Id, name: str, version: Version, act: Typed, number: Numbers = [], value: Typed = "", note: Typed = ""  # noqa: B006
) -> Response:  # fmt: skip
    """Accept a proposal whole or in part, take changes out of it, rebase, rename or drop it."""
    acts: dict[str, Callable[[Network], Change]] = {
        "accept": lambda n: proposing.accepted(n, name),
        "accept chosen": lambda n: proposing.accepted(n, name, number),
        "take out": lambda n: proposing.without(n, name, number),
        "rebase": lambda n: proposing.rebased(n, name),
        "rename": lambda n: proposing.renamed(n, name, value, note),
        "drop": lambda n: proposing.dropped(n, name),
    }
    if act not in acts:
        raise NotFound(f"Nothing is called “{act[:40]}” here. Accepted are {', '.join(acts)}.")
    opened = open_project(db, project_id)
    try:
        change_project(db, project_id, acts[act], version)
    except NorthfellError as error:
        return _one(request, opened, name, 422, ["Nothing was changed.", *error.lines])
    opened = open_project(db, project_id)
    shown = value.strip() if act == "rename" else name
    there = address_of(opened)(shown) if any(p.name == shown for p in opened.network.proposals) else at(project_id, "proposals")
    return RedirectResponse(there, 303)
