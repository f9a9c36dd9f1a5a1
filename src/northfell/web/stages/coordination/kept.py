"""Sheets of curves that are kept: made of the path that is shown, named, ordered, and devices put on them."""

from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from northfell.app.draw import curves
from northfell.app.project.projects import open_project
from northfell.core.errors import NorthfellError
from northfell.core.model.changes import Change
from northfell.core.model.elements import PROTECTION, Breaker, Fuse
from northfell.core.model.network import Network
from northfell.core.studies.coordination import COORDINATION, Coordination, path_of
from northfell.web.shell.answering import Db
from northfell.web.shell.edits import Ids, Typed, Version, change_shown, ids_of
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}/curves/kept")
Name = Annotated[str, Form(max_length=200)]


@router.post("/keep")
def keep(request: Request, db: Db, view: Looking, version: Version, value: Typed = "", ids: Ids = "") -> Response:
    """Keep the devices that are picked, or the path that is shown, under a name; an empty sheet where there are none."""
    opened = open_project(db, view.project_id, view.proposal)
    try:
        found: Coordination | None = request.app.state.results.of(opened).at(view.state).result(COORDINATION)
    except NorthfellError:  # no faults, no path
        found = None

    def change(network: Network) -> Change:
        devices = _switches(network, ids_of(ids) if ids else [view.selected])
        if found and ids:
            devices.sort(key=lambda d: -_above(found, d))
        elif found and devices and devices[0] in found.devices:
            devices = path_of(found, devices[0])
        return curves.keep(network, value, devices, view.fault)

    return change_shown(request, db, view.to(curves=value.strip()), version, change)


def _switches(network: Network, ids: list[str]) -> list[str]:
    """The devices among some elements, each once; a relay stands for its breaker."""
    found = (network.elements.get(i) for i in ids)
    return list(dict.fromkeys(e.id if isinstance(e, Breaker | Fuse) else e.breaker for e in found if isinstance(e, (Breaker, Fuse, *PROTECTION))))


def _above(found: Coordination, device: str) -> int:
    """How many stand above a device on its path: the more, the farther it is from the source."""
    path = path_of(found, device)
    return len(path) - path.index(device)


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


@router.post("/name")
def move_name(
    request: Request, db: Db, view: Looking, version: Version, device: Name = "", x: Annotated[float | None, Form()] = None,
    y: Annotated[float | None, Form()] = None,
) -> Response:  # fmt: skip
    """The name of a device elsewhere on the sheet that is open."""
    return change_shown(request, db, view, version, lambda network: curves.move_name(network, view.curves, device, x, y))


@router.post("/stand/{device:path}")
def stand(request: Request, db: Db, view: Looking, device: str, version: Version, on: Annotated[list[str] | None, Form(max_length=1000)] = None) -> Response:
    """Put a device on the sheets that were chosen, and on no others."""
    return change_shown(request, db, view, version, lambda network: curves.stand(network, device, on or []))
