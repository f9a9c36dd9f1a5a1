"""Sheets of curves that are kept: made of the path that is shown, named, ordered, and devices put on them."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from northfell.app.draw import curves
from northfell.app.project.projects import open_project
from northfell.core.errors import NorthfellError
from northfell.core.model.elements import Breaker, Fuse, Relay
from northfell.core.model.network import Network
from northfell.core.studies.coordination import COORDINATION, path_of
from northfell.web.shell.answering import Db
from northfell.web.shell.edits import Typed, Version, change_shown
from northfell.web.shell.view import Looking
from northfell.web.stages.coordination.sheet import device_of

router = APIRouter(prefix="/projects/{project_id}/curves/kept")
Name = Annotated[str, Form(max_length=200)]


@router.post("/keep")
def keep(request: Request, db: Db, view: Looking, version: Version, value: Typed = "") -> Response:
    """Keep the path that is shown under a name; an empty sheet where none is."""
    opened = open_project(db, view.project_id, view.proposal)
    devices: list[str] = []
    try:
        found = request.app.state.results.of(opened).at(view.state).result(COORDINATION)
        device = device_of(found, opened.network.elements.get(view.selected))
        devices = path_of(found, device) if device else []
    except NorthfellError:  # no faults, no path: the sheet begins empty
        pass
    there = view.to(curves=value.strip())
    return change_shown(request, db, there, version, lambda network: curves.keep(network, value, devices or _alone(network, view.selected), view.fault))


def _alone(network: Network, selected: str) -> list[str]:
    """The selected device, which is on no path."""
    e = network.elements.get(selected)
    return [e.breaker if isinstance(e, Relay) else e.id] if isinstance(e, Breaker | Fuse | Relay) else []


@router.post("/rename")
def rename(request: Request, db: Db, view: Looking, version: Version, value: Typed = "") -> Response:
    """Another name for the sheet that is open."""
    return change_shown(
        request, db, view, version, lambda network: curves.rename(network, view.curves, value), after=lambda seen: seen.to(curves=value.strip())
    )


@router.post("/remove")
def remove(request: Request, db: Db, view: Looking, version: Version) -> Response:
    """Take the sheet that is open away."""
    return change_shown(request, db, view, version, lambda network: curves.remove(network, view.curves), after=lambda seen: seen.to(curves=""))


@router.post("/show")
def show(request: Request, db: Db, view: Looking, version: Version, faults: Name = "3ph", axis: Name = "one", v_ref: Name = "") -> Response:
    """What the sheet that is open is drawn over."""
    return change_shown(request, db, view, version, lambda network: curves.show(network, view.curves, faults, axis, v_ref))


@router.post("/shift")
def shift(request: Request, db: Db, view: Looking, version: Version, by: Annotated[int, Form(ge=-1, le=1)] = -1) -> Response:
    """The sheet that is open, one place earlier or later."""
    return change_shown(request, db, view, version, lambda network: curves.shift(network, view.curves, by))


@router.post("/stand/{device:path}")
def stand(request: Request, db: Db, view: Looking, device: str, version: Version, on: Annotated[list[str] | None, Form(max_length=1000)] = None) -> Response:
    """Put a device on the sheets that were chosen, and on no others."""
    return change_shown(request, db, view, version, lambda network: curves.stand(network, device, on or []))
