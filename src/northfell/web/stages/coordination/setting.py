"""Settings tried by hand on the sheet of curves: what a value would make of curves and gaps, before it is kept; and the sheet as a file."""

from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from pydantic import ValidationError

from northfell.app.project.projects import open_project
from northfell.core.errors import NotFound
from northfell.core.model.elements import Breaker, Element, Fuse, Relay
from northfell.core.studies.coordination import COORDINATION, Coordination
from northfell.core.studies.protection import Device
from northfell.web.shell.answering import Db, file_answer, slug, templates
from northfell.web.shell.view import Looking
from northfell.web.stages.coordination.sheet import Shown, device_of, shown_of

router = APIRouter(prefix="/projects/{project_id}")
Name = Annotated[str, Query(max_length=200)]


@router.get("/curves/try")
def try_setting(request: Request, db: Db, view: Looking, element: Name, field: Name, value: Annotated[float, Query(gt=0, le=1e7)]) -> Response:
    """The sheet as it would be with one setting changed; nothing is kept."""
    opened = open_project(db, view.project_id, view.proposal)
    found: Coordination = request.app.state.results.of(opened).at(view.state).result(COORDINATION)
    e = found.net.elements.get(element)
    device = device_of(found, e)
    if e is None or not device:
        raise NotFound(f"There is no device “{element}” to set.")
    tried = found.with_device(_set(found.devices[device], e, field, value))
    return templates.TemplateResponse(request, "stages/coordination/_sheet_of_curves.html", {"curves": shown_of(tried, device, fault=view.fault), "view": view})


def _set(device: Device, holder: Element, field: str, value: float) -> Device:
    """A device with one setting changed, checked as an entry would be."""
    if field not in type(holder).model_fields:
        raise NotFound(f"{holder.name} has no setting “{field}”.")
    entered = str(value) if field == "trip_tsd" else value
    try:
        changed = type(holder).model_validate({**holder.model_dump(), field: entered})
    except ValidationError as error:
        raise NotFound(f"{holder.name}: {field} is {value:g}, which cannot be set.") from error
    if isinstance(changed, Relay):
        return Device(device.switch, tuple(changed if r.id == changed.id else r for r in device.relays))
    assert isinstance(changed, Breaker | Fuse)
    return Device(changed, device.relays)


@router.get("/curves.svg")
def as_svg(request: Request, db: Db, view: Looking) -> Response:
    """The sheet of the selected device as a drawing of its own."""
    opened = open_project(db, view.project_id, view.proposal)
    found: Coordination = request.app.state.results.of(opened).at(view.state).result(COORDINATION)
    device = device_of(found, opened.network.elements.get(view.selected))
    shown: Shown | None = shown_of(found, device, fault=view.fault) if device else None
    if shown is None:
        raise NotFound("There is no device selected.")
    text = templates.get_template("stages/coordination/_file.html").render(curves=shown, network=opened.network, view=view)
    return file_answer(text.encode(), "image/svg+xml", f"{slug(opened.network.elements[view.selected].name)}-curves.svg")
