"""Readers: links that show a project, or one element of it, and can change nothing."""

from dataclasses import replace
from typing import Annotated, Any
from urllib.parse import quote_plus, urlencode

from fastapi import APIRouter, Form, Query, Request, Response
from fastapi.responses import RedirectResponse

from northfell.app.project import documents
from northfell.app.project.projects import Project, open_project
from northfell.core.errors import NotFound
from northfell.core.model.elements import Bus
from northfell.core.model.network import NORMAL, Network
from northfell.drawing.shapes import svg_of
from northfell.store import readers, transaction
from northfell.store.readers import ReaderLink
from northfell.web.pages.documents.routes import given_out
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Db, Id, project_page, templates
from northfell.web.shell.card import card_of
from northfell.web.shell.drawings import drawing_of
from northfell.web.shell.stage import STAGES, Look
from northfell.web.shell.view import FIRST, View
from northfell.web.shell.workspace import is_partial, problem_of
from northfell.web.stages.arc_flash.label import labels_shown

router = APIRouter()
Part = Annotated[str, Query(max_length=200)]


@router.get("/projects/{project_id}/readers")
def reader_links(request: Request, db: Db, project_id: Id) -> Response:
    """The links of a project."""
    opened = open_project(db, project_id)
    links = [(link, opened.network.elements.get(link.element_id)) for link in readers.of_project(db, project_id)]
    return project_page(request, opened, "pages/readers/readers.html", "Readers", links=links, origin=str(request.base_url).rstrip("/"))


@router.post("/projects/{project_id}/readers")
def make_link(db: Db, project_id: Id, element: Annotated[str, Form(max_length=200)] = "") -> Response:
    """A new link for the project, or for one element."""
    network = open_project(db, project_id).network
    element = network.id_of_name.get(element, element)
    if element:
        network.element(element)
    with transaction(db):
        readers.make(db, project_id, element)
    return RedirectResponse(at(project_id, "readers"), 303)


@router.post("/projects/{project_id}/readers/away")
def take_back(db: Db, project_id: Id, token: Annotated[str, Form(max_length=100)]) -> Response:
    """Take a link back: whoever holds it sees nothing from now on."""
    with transaction(db):
        readers.take_back(db, project_id, token)
    return RedirectResponse(at(project_id, "readers"), 303)


def _opened(db: Any, token: str) -> tuple[ReaderLink, Project]:
    link = readers.of_token(db, token)
    opened = open_project(db, link.project_id)
    if opened.row.deleted:
        raise NotFound("The project of this reader's link was deleted.")
    return link, opened


def may_see(link: ReaderLink, element_id: str) -> bool:
    """Whether a link shows the data of an element."""
    return link.element_id in ("", element_id)


@router.get("/read/{token}")
def read(
    request: Request, db: Db, token: str, stage: Part = FIRST, state: Part = NORMAL, sheet: Part = "", selected: Part = ""
) -> Response:  # fmt: skip
    """What a reader sees: diagram, results, notes and documents."""
    link, opened = _opened(db, token)
    network = opened.network
    if link.element_id:
        return _one(request, opened, link)
    asked = View(opened.id, stage if stage in STAGES else FIRST, state if state in network.state_names else NORMAL, sheet, selected)
    view = asked if asked.selected in network.elements else replace(asked, selected="")
    results = request.app.state.results.of(opened)
    shown_on = network.sheet(view.sheet)
    if view.selected and view.selected not in shown_on.placements and not view.sheet:
        shown_on = next((s for s in network.sheets if view.selected in s.placements), shown_on)
    look = Look(network, results, view)
    drawing = drawing_of(look, shown_on, request.app.state.memories)
    card = card_of(look, [])

    def there(**changed: str) -> str:
        pairs = {"stage": view.stage, "state": view.state, "sheet": shown_on.name, "selected": view.selected, **changed}
        return f"/read/{token}?{urlencode({k: v for k, v in pairs.items() if v})}"

    base = there(selected="")
    seen = {
        "network": network, "view": view, "sheet": shown_on, "drawing": drawing, "card": card, "stages": STAGES, "there": there, "token": token,
        "address": lambda e, s="": base + f"&selected={quote_plus(e)}",
        "problem": problem_of(results, view), "partial": is_partial(results, view), "svg_of": svg_of,
    }  # fmt: skip
    return templates.TemplateResponse(request, "pages/readers/read.html", seen)


def _one(request: Request, opened: Project, link: ReaderLink) -> Response:
    """What a link for one element shows: its data, what it is connected to by name, its figures and documents, and nothing else.

    Figures are those of Normal; the label stands for all operating states, the worst of them named.
    """
    network, results = opened.network, request.app.state.results.of(opened)
    if link.element_id not in network.elements:
        raise NotFound("What this link showed is not in the network any more.")
    looks = {one.name: Look(network, results, View(opened.id, path, NORMAL, selected=link.element_id)) for path, one in STAGES.items()}
    cards = {name: card_of(look, []) for name, look in looks.items()}
    beside = [e.name for e in network.elements.values() if e.id != link.element_id and set(e.buses) & set(network.elements[link.element_id].buses)]
    seen = {
        "title": network.name, "card": next(iter(cards.values())), "token": link.token, "svg_of": svg_of,
        "labels": labels_shown(network, results, link.element_id),
        "stages": [(name, card.figures) for name, card in cards.items() if card and card.figures],
        "connected": beside if not isinstance(network.elements[link.element_id], Bus) else _at(network, link.element_id),
        "settings": network.settings.set_name,
    }  # fmt: skip
    return templates.TemplateResponse(request, "pages/readers/read_one.html", seen)


def _at(network: Network, bus_id: str) -> list[str]:
    return [e.name for e in network.elements.values() if bus_id in e.buses]


@router.get("/read/{token}/documents/{element_id:path}/{name}")
def read_document(db: Db, token: str, element_id: str, name: str) -> Response:
    """A document, for a reader."""
    link, opened = _opened(db, token)
    if not may_see(link, element_id) or element_id not in opened.network.elements:
        raise NotFound("This link does not show that element.")
    return given_out(*documents.content_of(db, opened.id, element_id, name))
