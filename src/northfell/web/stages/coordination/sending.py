"""Settings sent to relays: what each was sent last, what differs since, and sending anew with what is read back."""

from dataclasses import dataclass
from sqlite3 import Connection
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from northfell.app import relays
from northfell.app.project.projects import Project, open_project
from northfell.core.errors import NotFound
from northfell.core.network import Compiled, compile_network
from northfell.core.studies.coordination import devices_that_are_set, differing, to_send
from northfell.core.studies.protection import Device
from northfell.store import person_of, sent, transaction
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.view import Looking, View

router = APIRouter(prefix="/projects/{project_id}")


@dataclass(frozen=True)
class Row:
    """A device, and how what it was sent stands to what is set."""

    device: str
    name: str
    when: str  # empty for never
    who: str
    differs: list[str]
    told: str = ""  # of what was sent just now


@router.get("/settings-sent")
def shown(request: Request, db: Db, view: Looking) -> Response:
    """The devices that are set, with what each was sent last and what differs since."""
    return _answer(request, db, view, {})


@router.post("/settings-sent")
def send(request: Request, db: Db, view: Looking, device: Annotated[str, Form(max_length=200)] = "") -> Response:
    """Send one device its settings, or all that differ; what it holds is read back and kept, and told where it is otherwise."""
    address: str = request.app.state.relays
    if not address:
        raise NotFound("No relays are connected: start the application with --relays and an address.")
    if view.proposal:
        raise NotFound("What a proposal sets is not installed: settings are sent from the network itself.")
    opened = open_project(db, view.project_id)
    net = _compiled(opened, view)
    last, told = sent.of_project(db, opened.id), dict[str, str]()
    for one in devices_that_are_set(net.elements):
        now, key = to_send(net, one), one.switch.id
        if key != device and (device or (key in last and not differing(now, last[key].told))):
            continue
        told[key] = _sent(db, opened, address, one, now)
    return _answer(request, db, view, told)


def _sent(db: Connection, opened: Project, address: str, one: Device, now: relays.Told) -> str:
    """Send a device what is set, and keep what it holds; in words what came of it."""
    try:
        held = relays.send(address, one.name, now)
    except relays.NotSent as error:
        return str(error)
    with transaction(db):
        sent.put(db, opened.id, one.switch.id, person_of(db), held)
    return "sent, and read back" if not differing(now, held) else "sent; it holds other values"


def _compiled(opened: Project, view: View) -> Compiled:
    return compile_network(opened.network, view.state, "coordination")


def _answer(request: Request, db: Connection, view: View, told: dict[str, str]) -> Response:
    opened = open_project(db, view.project_id, view.proposal)
    opened.network.state(view.state)
    net, last, rows = _compiled(opened, view), sent.of_project(db, opened.id), []
    for one in devices_that_are_set(net.elements):
        before = last.get(one.switch.id)
        differs = differing(to_send(net, one), before.told) if before else []
        when, who = (before.sent_at.replace("T", " ").removesuffix("+00:00"), before.sent_by) if before else ("", "")
        rows.append(Row(one.switch.id, one.name, when, who, differs, told.get(one.switch.id, "")))
    rows.sort(key=lambda r: (not r.told, not r.differs, bool(r.when)))
    return answer(
        request, "stages/coordination/sent.html", "stages/coordination/_sent.html", rows=rows, view=view, project=opened, network=opened.network,
        connected=bool(request.app.state.relays),
    )  # fmt: skip
