"""The workspace: top line, stages, sheet, card and ledger of a project."""

import sqlite3
from concurrent.futures import CancelledError
from contextlib import suppress
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import JSONResponse, RedirectResponse

from northfell.app.draw.extend import bus_of_selection, plan
from northfell.app.jobs import GivenUp, Job
from northfell.app.project.projects import Project, open_project
from northfell.app.results import gathering as gathering_of
from northfell.app.results.findings import counts
from northfell.app.results.pins import Pin
from northfell.app.results.studies import Results, findings_in
from northfell.core.errors import CannotRun, NorthfellError, NotFound, code_of
from northfell.core.model.network import Network
from northfell.core.network.apart import BY_PHASE
from northfell.core.rules.completeness import assumed_count, assumed_counts
from northfell.core.rules.typical import FILLABLE
from northfell.core.shorthand.reading import EXAMPLES
from northfell.core.studies import STUDIES
from northfell.core.verdicts import Finding
from northfell.drawing.shapes import svg_of
from northfell.store import history, projects, transaction
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Db, Id, answer, is_fragment, templates
from northfell.web.shell.card import card_of, state_note
from northfell.web.shell.drawings import drawing_of, plain_drawing, whole_box
from northfell.web.shell.ledger import ledger_of
from northfell.web.shell.rows import rows_html
from northfell.web.shell.stage import FINDINGS, STAGES, Look, Stage, Tab, has_why
from northfell.web.shell.view import FIRST, Looking, View

router = APIRouter()


@router.get("/projects/{project_id}")
def project(project_id: Id) -> Response:
    return RedirectResponse(at(project_id, FIRST), 303)


def show(request: Request, db: Any, opened: Project, view: View, status: int = 200, **more: Any) -> Response:
    """Render the workspace of an opened project; edits answer with it too."""
    seen = seen_of(request, db, opened, view) | more
    view = seen["view"]
    response = answer(request, "shell/workspace.html", "shell/_workspace.html", status, **seen)
    # a look is a step that the browser can go back; an edit may change what is looked at, but is no such step
    again = request.headers.get("hx-current-url", "").endswith(view.url)
    if request.method == "GET" or not again:
        response.headers["HX-Push-Url" if request.method == "GET" and not again else "HX-Replace-Url"] = view.url
    return response


def seen_of(request: Request, db: Any, opened: Project, view: View) -> dict[str, Any]:
    """All that the workspace shows of a look; what is not there any more is looked past."""
    network = opened.network
    if view.state not in network.state_names:
        view = replace(view, state="Normal")
    if view.selected not in network.elements:
        view = replace(view, selected="")
    results = request.app.state.results.of(opened)
    stage = STAGES[view.stage]
    known = results.findings_are_known or view.shown_tab == FINDINGS
    findings = results.findings() if known else _of_the_stage(results, stage, view.state)
    sheet = network.sheet(view.sheet)
    pin = request.app.state.pins.of(view.pin, opened.id) if view.pin else None
    view = view if pin else replace(view, pin="")
    pinned = pin.result(stage.study) if pin and stage.pins and stage.study else None
    base = open_project(db, opened.id).network if opened.proposal else None
    newest = history.newest(db, opened.id)
    look = Look(network, results, view, pinned, findings if known else None, newest, opened.row.head, not is_fragment(request), base)
    drawing = drawing_of(look, sheet, request.app.state.memories)
    job = request.app.state.jobs.of(_job(look)) if _tab_of(view) else None
    running = job is not None and not job.finished and not job.given_up  # asked before the rows: what ends in between is looked at again
    ledger, card = ledger_of(look), card_of(look, findings)
    rest = (network.id_of_name, view.stage, network.settings.drawing.symbols)
    has = request.headers.get("x-has", "") if is_fragment(request) else ""
    return {
        "project": opened,
        "network": network,
        "view": view,
        "stage": stage,
        "stages": {path: one for path, one in STAGES.items() if not one.within},
        "opens": {path: one.by_phase if one.by_phase and results.at(view.state).is_uneven else path for path, one in STAGES.items()},
        "sheet": sheet,
        "drawing": drawing,
        "part": request.app.state.answers.part(view, drawing.groups, rows_html(ledger.rows, view), rest, has),
        "address": view.selecting(),
        "card": card,
        "pin": pin,
        "job": job if running else None,
        "state_note": state_note(view),
        "ledger": ledger,
        "waiting": bool(look.waiting),
        "assumed": assumed_count(network.in_state(view.state), stage.study.key) if stage.study else _most_assumed(network, view.state),
        "counts": counts(network, findings) if known else None,
        "stale": request.app.state.last_counts.get((opened.id, opened.proposal)),
        "problem": problem_of(results, view),
        "partial": is_partial(results, view),
        "offers": offers_of(network, results, view),
        "studies": [(one.study.key, one.name) for one in STAGES.values() if one.study],
        "svg_of": svg_of,
        "has_why": has_why,
        "limits": network.settings.limits,
        **stage.says(look),
    }


@router.post("/projects/{project_id}/pin")
def pin_result(request: Request, db: Db, look: Looking) -> Response:
    """Pin the result that is shown: from now on tags and ledger show what differs from it."""
    opened = open_project(db, look.project_id, look.proposal)
    opened.network.state(look.state)
    inside = f", proposal {opened.proposal}" if opened.proposal else ""
    newest = opened.undo_title or "as it was begun"
    pin = Pin(opened.id, request.app.state.results.of(opened), look.state, f"{look.state}{inside}, after: {newest}")
    return show(request, db, opened, replace(look, pin=request.app.state.pins.put(pin)))


@router.post("/projects/{project_id}/run/{what}")
def run_on_request(request: Request, db: Db, look: Looking, what: str) -> Response:
    """Begin what fills a tab on request; the ledger shows how far it is."""
    opened = open_project(db, look.project_id, look.proposal)
    opened.network.state(look.state)
    results = request.app.state.results.of(opened)
    look = look.to(tab=what)
    filled = _tab_of(look)
    if filled is None or filled.request is None:
        raise NotFound(f"There is nothing to run for “{what}” in this stage.")
    does, of = filled.request, filled.to(opened.network, look)
    request.app.state.jobs.start(
        _job(Look(opened.network, results, look)), f"{opened.version} {of}", lambda job: gathering_of.asked_for(results, look.state, does, of, job.told)
    )
    return show(request, db, opened, look)


@router.post("/projects/{project_id}/run/{what}/cancel")
def cancel_run(request: Request, db: Db, look: Looking, what: str) -> Response:
    """Give the run up; what was found before stays."""
    opened = open_project(db, look.project_id, look.proposal)
    look = look.to(tab=what)
    request.app.state.jobs.cancel(_job(Look(opened.network, request.app.state.results.of(opened), look)))
    return show(request, db, opened, look)


def _tab_of(view: View) -> Tab | None:
    """The tab looked at, if it is filled on request."""
    return next((tab for tab in STAGES[view.stage].tabs if tab.key == view.shown_tab and tab.request), None)


def _job(look: Look) -> str:
    """The name of the run that fills the tab looked at."""
    tab = _tab_of(look.view)
    return f"{look.view.shown_tab} {look.view.project_id} {look.view.proposal} {look.view.state} {tab.to(look.network, look.view) if tab else ''}"


@router.get("/projects/{project_id}/version")
def version(db: Db, project_id: Id) -> Response:
    """The version of a project, for windows that keep in step."""
    return Response(str(projects.project(db, project_id).version), media_type="text/plain")


@router.get("/projects/{project_id}/ledger.tsv")
def copied(request: Request, db: Db, look: Looking) -> Response:
    """The ledger's rows with every digit, in the order in which they are sent: what is copied is taken of these."""
    opened = open_project(db, look.project_id, look.proposal)
    ledger = seen_of(request, db, opened, look)["ledger"]
    heads = [f"{h.label} [{h.unit}]" if h.unit else h.label for h in ledger.heads]
    lines = ["\t".join(cells) for cells in (heads, *([cell.copied for cell in row.cells] for row in ledger.rows))]
    return Response("\n".join(lines), media_type="text/tab-separated-values", headers={"X-Version": str(opened.version)})


@router.get("/projects/{project_id}/others")
def others(
    request: Request, db: Db, project_id: Id, window: Annotated[str, Query(max_length=40)] = "", picked: Annotated[str, Query(max_length=200)] = ""
) -> Response:  # fmt: skip
    """The version of a project, and who else has it open, each with what they have picked: for windows that keep in step."""
    there = request.app.state.presence.seen(project_id, window, request.state.person.name, picked)
    return JSONResponse({"version": projects.project(db, project_id).version, "others": [{"name": name, "picked": p} for name, p in there]})


@router.get("/projects/{project_id}/findings/counts")
def findings_counts(request: Request, db: Db, look: Looking) -> Response:
    """How many findings there are over all states: gathered in the background after the answer to an edit, with progress until they are."""
    opened = open_project(db, look.project_id, look.proposal)
    job = gathering(request, opened, frozenset(STAGES[look.stage].studies))
    with suppress(TimeoutError, GivenUp, CancelledError):
        job.future.result(timeout=WAIT_S)  # most networks are done by then
    results = request.app.state.results.of(opened)
    last = request.app.state.last_counts
    if results.findings_are_known:
        last[opened.id, opened.proposal] = counts(opened.network, results.findings())
        if not opened.proposal:
            with suppress(sqlite3.OperationalError), transaction(db):  # another time, where nothing can be written now
                projects.keep_counts(db, opened.id, opened.version, last[opened.id, opened.proposal])
    found = last[opened.id, opened.proposal] if results.findings_are_known else None
    seen = {"project": opened, "view": look, "counts": found, "stale": last.get((opened.id, opened.proposal)), "job": job}
    answered = templates.TemplateResponse(request, "shell/_counts.html", seen)
    if results.findings_are_known:
        answered.headers["HX-Trigger"] = "states-known"  # what was shown without the figures of some states is looked at again
    return answered


WAIT_S = 0.25


def gathering(request: Request, opened: Project, looked_at: frozenset[str] = frozenset()) -> Job:
    """The run that gathers the findings of a version of a project, begun if it is not under way; with figures of studies that are looked at."""
    results = request.app.state.results.of(opened)
    key = f"{opened.version} {opened.proposal}"
    begun: Job = request.app.state.jobs.start(findings_place(opened), key, lambda job: gathering_of.findings(results, job.told, looked_at))
    return begun


def findings_place(opened: Project) -> str:
    """The place of that run among the jobs: one for each project and proposal."""
    return f"findings of {opened.id} {opened.proposal}"


@router.get("/projects/{project_id}/extend/preview")
def preview(request: Request, db: Db, look: Looking, text: Annotated[str, Query(max_length=2000)] = "") -> Response:
    """What a line of shorthand would place: understood, assumed, lacking, and its ghost on the sheet."""
    opened = open_project(db, look.project_id, look.proposal)
    at = bus_of_selection(opened.network, look.selected)
    made = plan(opened.network, look.sheet, at, text, look.selected)
    ghost, box = [], None
    if made.network is not None:
        sheet = made.network.sheet(look.sheet)
        near = {b for i in made.placed for b in made.network.elements[i].buses}
        part = {i: p for i, p in sheet.placements.items() if i in near or i in made.placed or p != opened.network.sheet(look.sheet).placements.get(i)}
        drawing = plain_drawing(made.network, sheet.model_copy(update={"placements": part}), look.state)
        ghost = [g for g in drawing.groups if g.element in made.placed and g.cls != "away"]
        box = whole_box(sheet)
    seen = {
        "plan": made,
        "marked": marked(text, made.unread),
        "ghost": ghost,
        "box": box,
        "svg_of": svg_of,
        "has_why": has_why,
        "examples": list(EXAMPLES.values()),
        "at": opened.network.elements[at].name if at else "",
    }
    return templates.TemplateResponse(request, "stages/network/_extend_preview.html", seen)


def marked(text: str, unread: list[str]) -> list[tuple[str, bool]]:
    """A line parted into what was understood and, marked, what was not: each word where it stands first after the one before."""
    parts: list[tuple[str, bool]] = []
    at = 0
    for word in unread:
        found = text.lower().find(word.lower(), at)
        if found >= 0:
            parts += [(text[at:found], False), (text[found : found + len(word)], True)]
            at = found + len(word)
    return [part for part in [*parts, (text[at:], False)] if part[0]] if parts else []


def _of_the_stage(results: Results, stage: Stage, state: str) -> list[Finding]:
    """What the stage shown finds in the state shown: enough for the card, at once."""
    return findings_in(results.at(state), stage.study.key) if stage.study else []


def _most_assumed(network: Network, state: str) -> int:
    """On how many assumed values the study rests that rests on most."""
    return max(assumed_counts(network.in_state(state), [study.key for study in STUDIES]))


def problem_of(results: Results, view: View) -> list[str]:
    """Why the stage has no result in the state shown."""
    stage = STAGES[view.stage]
    outcome = results.at(view.state).outcome(stage.study.key) if stage.study else None
    if not isinstance(outcome, NorthfellError):
        by_itself = stage.study is not None and stage.study.unlike == "by itself"
        held = [line for one in outcome.net.held_back if not (by_itself and one.why == BY_PHASE) for line in one.told] if outcome else []
        return [*held, *stage.waits(outcome)] if outcome else []
    return [*outcome.reasons] if isinstance(outcome, CannotRun) else [str(outcome)]


def offers_of(network: Network, results: Results, view: View) -> list[tuple[str, str]]:
    """Acts that supply what the stage lacks: their addresses, and their words."""
    lines = problem_of(results, view)
    filled = [("typical", "Fill typical values")] if any(code_of(line) == FILLABLE for line in lines) else []
    return [*filled, *STAGES[view.stage].offers(network, lines)]


def is_partial(results: Results, view: View) -> bool:
    """Whether the stage has a result of a part of the network."""
    study = STAGES[view.stage].study
    return study is not None and not isinstance(results.at(view.state).outcome(study.key), NorthfellError)


@router.get("/projects/{project_id}/{place}")
def workspace(request: Request, db: Db, look: Looking, place: str) -> Response:
    """The workspace in a stage."""
    if place not in STAGES:
        return RedirectResponse(at(look.project_id, FIRST), 303)
    view = replace(look, stage=place, tab=look.tab or request.query_params.get("tab", ""))
    view = view.to()
    return show(request, db, open_project(db, view.project_id, view.proposal), view)
