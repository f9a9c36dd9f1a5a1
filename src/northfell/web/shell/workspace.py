"""The workspace: top line, stages, sheet, card and ledger of a project."""

import sqlite3
from collections import Counter
from concurrent.futures import CancelledError
from contextlib import suppress
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import JSONResponse, RedirectResponse

from northfell.app.data.preparing import boards_without
from northfell.app.draw.extend import bus_of_selection, plan
from northfell.app.jobs import GivenUp, Job
from northfell.app.project.projects import Project, open_project
from northfell.app.results import gathering as gathering_of
from northfell.app.results.findings import counts
from northfell.app.results.labels import labels_of
from northfell.app.results.pins import Pin
from northfell.app.results.studies import Results, findings_in
from northfell.core.errors import NorthfellError
from northfell.core.model.elements import Bus
from northfell.core.model.network import Network
from northfell.core.rules.completeness import assumed_count
from northfell.core.shorthand.reading import EXAMPLES
from northfell.core.studies.arc_flash import ArcFlash
from northfell.core.verdicts import Finding
from northfell.documents.labels import shapes_of
from northfell.drawing.flow_overlay import QUANTITIES, USUAL
from northfell.drawing.shapes import svg_of
from northfell.store import history, projects, transaction
from northfell.web.shell.answering import Db, Id, answer, is_fragment, names_of, templates
from northfell.web.shell.card import card_of, state_note
from northfell.web.shell.drawings import drawing_of, plain_drawing, starting, whole_box
from northfell.web.shell.ledger import ledger_of
from northfell.web.shell.rows import rows_html
from northfell.web.shell.view import STAGES, STUDY_OF, Looking, View
from northfell.web.stages.flow.ledger import raised
from northfell.web.stages.network.tray import tray_of

router = APIRouter()


@router.get("/projects/{project_id}")
def project(project_id: Id) -> Response:
    return RedirectResponse(f"/projects/{project_id}/flow", 303)


def show(request: Request, db: Any, opened: Project, view: View, status: int = 200, **more: Any) -> Response:
    """Render the workspace of an opened project; edits answer with it too."""
    network = opened.network
    if view.state not in network.state_names:
        view = replace(view, state="Normal")
    if view.selected not in network.elements:
        view = replace(view, selected="")
    results = request.app.state.results.of(opened)
    known = results.findings_are_known or view.shown_tab == "findings"
    findings = results.findings() if known else _of_the_stage(results, view)
    sheet = network.sheet(view.sheet)
    pin = request.app.state.pins.of(view.pin, opened.id) if view.pin else None
    view = view if pin else replace(view, pin="")
    pinned = pin.load_flow() if pin and view.stage == "flow" else None
    drawing = drawing_of(network, results, view, sheet, request.app.state.memories, pinned)
    ledger = ledger_of(network, results, view, findings if known else None, history.newest(db, opened.id), opened.row.head, pinned)
    rest = (names_of(network), view.stage, network.settings.drawing.symbols)
    has = request.headers.get("x-has", "") if is_fragment(request) else ""
    seen = {
        "project": opened,
        "network": network,
        "view": view,
        "stages": STAGES,
        "sheet": sheet,
        "drawing": drawing,
        "part": request.app.state.answers.part(view, opened.version, drawing.groups, rows_html(ledger.rows, view), rest, has),
        "address": view.selecting(),
        "card": card_of(network, results, view, findings, pinned),
        "pin": pin,
        "starting": network.elements[view.selected].name if is_partial(results, view) and starting(results, view) else "",
        "quantities": QUANTITIES,
        "tags_shown": view.tags.split(".") if view.tags else USUAL,
        "job": request.app.state.jobs.of(_job(view)) if view.shown_tab in ("outages", "maximum") else None,
        "label": _label(network, results, view),
        "state_note": state_note(view),
        "ledger": ledger,
        "assumed": assumed_count(network.in_state(view.state), STUDY_OF[view.stage] or "arc_flash"),
        "counts": counts(network, findings) if known else None,
        "stale": request.app.state.last_counts.get((opened.id, opened.proposal)),
        "problem": problem_of(results, view),
        "partial": is_partial(results, view),
        "offers": offers_of(network, results, view),
        "svg_of": svg_of,
        "tray": tray_of(network.settings.drawing.symbols) if view.stage == "network" else (),
        "limits": network.settings.limits,
        **more,
    }
    response = answer(request, "shell/workspace.html", "shell/_workspace.html", status, **seen)
    # a look is a step that the browser can go back; an edit may change what is looked at, but is no such step
    again = request.headers.get("hx-current-url", "").endswith(view.url)
    response.headers["HX-Push-Url" if request.method == "GET" and not again else "HX-Replace-Url"] = view.url
    return response


@router.post("/projects/{project_id}/pin")
def pin_result(request: Request, db: Db, look: Looking) -> Response:
    """Pin the result that is shown: from now on tags and ledger show what differs from it."""
    opened = open_project(db, look.project_id, look.proposal)
    opened.network.state(look.state)
    inside = f", proposal {opened.proposal}" if opened.proposal else ""
    newest = opened.undo_title or "as it was begun"
    pin = Pin(opened.id, request.app.state.results.of(opened), look.state, f"{look.state}{inside}, after: {newest}")
    return show(request, db, opened, replace(look, pin=request.app.state.pins.put(pin)))


@router.post("/projects/{project_id}/outages")
def run_outages(request: Request, db: Db, look: Looking) -> Response:
    """Begin to take each element out in turn; the ledger shows how far it is."""
    opened = open_project(db, look.project_id, look.proposal)
    opened.network.state(look.state)
    results = request.app.state.results.of(opened)
    look = look.to(tab="outages")
    request.app.state.jobs.start(_job(look), f"{opened.version}", lambda job: gathering_of.outages(results, look.state, job.told))
    return show(request, db, opened, look)


@router.post("/projects/{project_id}/maximum")
def run_maximum(request: Request, db: Db, look: Looking) -> Response:
    """Begin to raise the load until there is no solution any more: all of it, or what draws at the selected element."""
    opened = open_project(db, look.project_id, look.proposal)
    opened.network.state(look.state)
    results = request.app.state.results.of(opened)
    look = look.to(tab="maximum")
    of = raised(opened.network, look)
    request.app.state.jobs.start(_job(look), f"{opened.version} {of}", lambda job: gathering_of.maximum(results, look.state, of, job.told))
    return show(request, db, opened, look)


@router.post("/projects/{project_id}/outages/cancel")
@router.post("/projects/{project_id}/maximum/cancel")
def cancel_run(request: Request, db: Db, look: Looking) -> Response:
    """Give the run up; what was found before stays."""
    request.app.state.jobs.cancel(_job(look))
    return show(request, db, open_project(db, look.project_id, look.proposal), look)


def _job(look: View) -> str:
    """The name of the run that fills the tab looked at."""
    of = f" {look.selected}" if look.shown_tab == "maximum" else ""
    return f"{look.shown_tab} {look.project_id} {look.proposal} {look.state}{of}"


@router.get("/projects/{project_id}/version")
def version(db: Db, project_id: Id) -> Response:
    """The version of a project, for windows that keep in step."""
    return Response(str(projects.project(db, project_id).version), media_type="text/plain")


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
    job = gathering(request, opened)
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
    return templates.TemplateResponse(request, "shell/_counts.html", seen)


WAIT_S = 0.25


def gathering(request: Request, opened: Project) -> Job:
    """The run that gathers the findings of a version of a project, begun if it is not under way."""
    results = request.app.state.results.of(opened)
    key = f"{opened.version} {opened.proposal}"
    return request.app.state.jobs.start(findings_place(opened), key, lambda job: gathering_of.findings(results, job.told))


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


def _of_the_stage(results: Results, view: View) -> list[Finding]:
    """What the stage shown finds in the state shown: enough for the card, at once."""
    study = STUDY_OF[view.stage]
    return findings_in(results.at(view.state), study) if study else []


def problem_of(results: Results, view: View) -> list[str]:
    """Why the stage has no result in the state shown."""
    study = STUDY_OF[view.stage]
    outcome = results.at(view.state).outcome(study) if study else None
    if not isinstance(outcome, NorthfellError):
        return [*outcome.net.held_back_told, *_waiting(outcome)] if outcome else []
    return [str(r) for r in getattr(outcome, "reasons", None) or [outcome]]


def _waiting(outcome: object) -> list[str]:
    """Each reason for which places of work wait, once, with how many they are."""
    if not isinstance(outcome, ArcFlash):
        return []
    reasons = Counter(reason for one in outcome.locations for reason in one.waits)
    return [f"{reason} {n} location{'s wait' if n > 1 else ' waits'} for it." for reason, n in reasons.items()]


def offers_of(network: Network, results: Results, view: View) -> list[tuple[str, str]]:
    """Acts that supply what the stage lacks: their addresses, and their words."""
    lines = problem_of(results, view)
    offers = []
    if any("can be filled" in line for line in lines):
        offers.append(("typical", "Fill typical values"))
    if view.stage == "arc-flash" and any("No bus has enclosure data" in line for line in lines) and boards_without(network):
        offers.append(("arc-flash", "Enclosures and mains of all boards"))
    return offers


def is_partial(results: Results, view: View) -> bool:
    """Whether the stage has a result of a part of the network."""
    study = STUDY_OF[view.stage]
    return study is not None and not isinstance(results.at(view.state).outcome(study), NorthfellError)


def shown_labels(network: Network, results: Results, bus_id: str) -> list[dict[str, Any]]:
    """The labels of a location, of both sides where it has a main."""
    e = network.elements.get(bus_id)
    sides = ("load", "line") if isinstance(e, Bus) and e.main else ("load",)
    found = (_label(network, results, View(0, "arc-flash", selected=bus_id, side=side)) for side in sides)
    return [label for label in found if label]


def _label(network: Network, results: Results, view: View) -> dict[str, Any] | None:
    """The label of the selected location as it would print, or why it cannot."""
    e = network.elements.get(view.selected)
    if view.stage != "arc-flash" or not isinstance(e, Bus) or e.electrode_configuration is None:
        return None
    side = view.side if e.main or view.side == "load" else "load"
    try:
        (label,) = labels_of(network, results, (e.id, side)).labels
    except NorthfellError as error:
        return {"message": str(error).splitlines()[0], "side": side, "has_line_side": e.main is not None}
    return {"svg": svg_of(shapes_of(label)), "side": side, "has_line_side": e.main is not None, "state": label.state}


@router.get("/projects/{project_id}/{place}")
def workspace(request: Request, db: Db, look: Looking, place: str) -> Response:
    """The workspace in a stage."""
    if place not in STAGES:
        return RedirectResponse(f"/projects/{look.project_id}/flow", 303)
    view = replace(look, stage=place, tab=look.tab or request.query_params.get("tab", ""))
    view = view.to()
    return show(request, db, open_project(db, view.project_id, view.proposal), view)
