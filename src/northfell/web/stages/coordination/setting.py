"""Settings tried by hand on the sheet of curves: what a value would make of curves and gaps, before it is kept; and the sheet as a file."""

from dataclasses import replace
from datetime import date
from typing import Annotated, NamedTuple

from fastapi import APIRouter, Query, Request, Response
from pydantic import ValidationError

from northfell.app.project.projects import open_project
from northfell.core.errors import NorthfellError, NotFound
from northfell.core.model.elements import Element
from northfell.core.quantities import figure
from northfell.core.studies.arc_flash import ARC_FLASH, ArcFlash, Location, Variant, energy_severity, with_device
from northfell.core.studies.coordination import COORDINATION, Coordination, CurveSheet, settings_table
from northfell.core.studies.protection import Device
from northfell.documents.curves import curves_pdf, curves_svg
from northfell.documents.sheets import Title
from northfell.drawing.curve_sheet import Drawn, arc_marks
from northfell.web.shell.answering import Db, file_answer, slug, templates
from northfell.web.shell.stage import Look
from northfell.web.shell.view import Looking, View
from northfell.web.stages.coordination.sheet import device_of, ghosts_shown, kept_named, kept_shown, sheet_shown, shown_of

router = APIRouter(prefix="/projects/{project_id}")
MOST_PLACES = 6  # at which energies are told beside a sheet


class Printed(NamedTuple):
    """A sheet of which there is something to print."""

    drawn: Drawn
    sheet: CurveSheet
    gaps: list[tuple[str, str, str, str]]
    told: list[str]


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
    tried, kept = found.with_device(_set(found.devices[device], e, field, value)), kept_named(opened.network, view.curves)
    ghosts = e if ghosts_shown(view) else None
    shown = kept_shown(tried.net, tried, kept, device, ghosts=ghosts) if kept else shown_of(tried, device, fault=view.fault, ghosts=ghosts)
    return templates.TemplateResponse(request, "stages/coordination/_sheet_of_curves.html", {"curves": shown, "view": view})


@router.get("/curves/energy")
def energies(
    request: Request, db: Db, view: Looking, element: Name = "", field: Name = "", value: Annotated[float, Query(gt=0, le=1e7)] = 1.0
) -> Response:  # fmt: skip
    """Incident energy where the selected device has a part in clearing, with the arcing currents through it; also with a setting that is tried."""
    opened = open_project(db, view.project_id, view.proposal)
    at = request.app.state.results.of(opened).at(view.state)
    found: Coordination = at.result(COORDINATION)
    arc: ArcFlash = at.result(ARC_FLASH)
    device = device_of(found, found.net.elements.get(view.selected))
    tried = None
    if device and field:
        e = found.net.elements.get(element)
        if e is None or device_of(found, e) != device:
            raise NotFound(f"There is no device “{element}” to set.")
        tried = with_device(arc, _set(found.devices[device], e, field, value))
    limits = opened.network.settings.limits
    rows = []
    for one, worst in _where_it_clears(arc, device):
        after = tried.location(one.bus_id, one.side) if tried else None
        now = after.worst if after and after.worst else worst
        before, becomes = (figure(v.energy_cal_cm2, 3) for v in (worst, now))
        rows.append((arc.bus(one).name, one.side, before, becomes, energy_severity(limits, now.energy_cal_cm2), _through_ka(one, device)))
    return templates.TemplateResponse(request, "stages/coordination/_energies.html", {"rows": rows, "tried": tried is not None})


def _where_it_clears(arc: ArcFlash, device: str) -> list[tuple[Location, Variant]]:
    """The places in whose clearing a device has a part, each with its worst variant; not more than one reads."""
    those = ((one, one.worst) for one in arc.locations if one.worst is not None)
    return [(one, worst) for one, worst in those if device in {d.device for d in one.devices} | {worst.device}][:MOST_PLACES]


def _through_ka(one: Location, device: str) -> list[float]:
    """The least and the greatest arcing current through a device, of full and reduced current in both cases."""
    through_ka = sorted({d.i_device_ka for d in one.devices if d.device == device})
    return through_ka[:: len(through_ka) - 1 or 1]


def _set(device: Device, holder: Element, field: str, value: float) -> Device:
    """A device with one setting changed, checked as an entry would be."""
    if field not in type(holder).model_fields:
        raise NotFound(f"{holder.name} has no setting “{field}”.")
    entered = str(value) if field in ("trip_tsd", "trip_tg") else value
    try:
        changed = type(holder).model_validate({**holder.model_dump(), field: entered})
    except ValidationError as error:
        raise NotFound(f"{holder.name}: {field} is {value:g}, which cannot be set.") from error
    return device.with_holder(changed)


@router.get("/curves.svg")
def as_svg(request: Request, db: Db, view: Looking) -> Response:
    """The sheet of the selected device as a drawing of its own."""
    shown, title = _printed(request, db, view)
    return file_answer(curves_svg(shown.drawn, title).encode(), "image/svg+xml", f"{slug(title.sheet)}.svg")


@router.get("/curves.pdf")
def as_pdf(request: Request, db: Db, view: Looking) -> Response:
    """The same on a page, with the settings of its devices."""
    shown, title = _printed(request, db, view)
    listed = settings_table(shown.sheet.net, {one.device.switch.id: one.device for one in shown.sheet.devices})
    lines = [
        (r["device"], r["setting"], f"{_written(r['value'])} {r['unit'] or ''}".strip(), f"{_written(r['secondary'])} A" if r["secondary"] is not None else "")
        for r in listed.records()
    ]  # fmt: skip
    gaps = [f"{above} above {below}: {gap}" for above, below, gap, _ in shown.gaps]
    return file_answer(curves_pdf(shown.drawn, title, lines, [*gaps, *shown.told]), "application/pdf", f"{slug(title.sheet)}.pdf")


def _arcs(look: Look, sheet: CurveSheet) -> tuple[list[float], list[str]]:
    """Arcing currents through the selected device [A, of the sheet], and what is said of each place; nothing where there is no such result."""
    if sheet.chosen not in sheet.at:
        return [], []
    try:
        arc: ArcFlash = look.result(ARC_FLASH)
    except NorthfellError:
        return [], []
    factor = sheet.at[sheet.chosen].factor
    marks, told = [], []
    for one, worst in _where_it_clears(arc, sheet.chosen):
        through = _through_ka(one, sheet.chosen)
        marks += [1000 * ka * factor for ka in through]
        side = f", {one.side} side" if one.side != "load" else ""
        arcs = f", arc {' to '.join(figure(ka, 3) for ka in through)} kA" if through else ""
        told.append(f"{arc.bus(one).name}{side}: {figure(worst.energy_cal_cm2, 3)} cal/cm²{arcs}")
    return marks, told


def _written(value: object) -> str:
    return figure(value) if isinstance(value, int | float) else str(value)


def _printed(request: Request, db: Db, view: View) -> tuple[Printed, Title]:
    opened = open_project(db, view.project_id, view.proposal)
    opened.network.state(view.state)
    look = Look(opened.network, request.app.state.results.of(opened), view)
    shown = sheet_shown(look)
    if shown is None or shown.drawn is None or shown.sheet is None:
        raise NotFound("There is no device selected, or nothing of it can be drawn." if shown is None else " ".join(shown.told))
    marks, told = _arcs(look, shown.sheet)
    printed = Printed(replace(shown.drawn, over=[*shown.drawn.over, *arc_marks(shown.drawn.axes, marks)]), shown.sheet, shown.gaps, [*shown.told, *told])
    return printed, Title(opened.title, shown.title, view.state, date.today().isoformat(), opened.network.settings.set_name)
