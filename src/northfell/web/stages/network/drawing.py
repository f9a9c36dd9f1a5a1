"""Drawing: what is dropped, dragged, turned, copied and pasted on a sheet. Each act is one change set."""

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request, Response
from fastapi.responses import JSONResponse

from northfell.app.draw import arrange, clips, connect, sheets
from northfell.app.draw.extend import bus_of_selection
from northfell.app.project.projects import open_project
from northfell.app.results.studies import LARGE
from northfell.app.workers import in_worker
from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.assemblies import ASSEMBLIES, assembly
from northfell.core.model.changes import Change
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.network import Network, Sheet
from northfell.core.rules.ways import downstream
from northfell.store import assemblies as stored
from northfell.store import transaction
from northfell.web.shell.answering import Db, Id, templates
from northfell.web.shell.edits import Ids, Typed, Version, change_shown, ids_of
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")
Steps = Annotated[float, Form(ge=-9999, le=9999, allow_inf_nan=False)]

ACTS: dict[str, Callable[[Network, str, list[str], dict[str, Any]], Change]] = {
    "move": lambda n, s, ids, more: arrange.move(n, s, ids, more["dx"], more["dy"]),
    "turn": lambda n, s, ids, more: arrange.turn(n, s, ids),
    "flip": lambda n, s, ids, more: arrange.flip(n, s, ids),
    "column": lambda n, s, ids, more: arrange.align(n, s, ids, "column"),
    "row": lambda n, s, ids, more: arrange.align(n, s, ids, "row"),
    "words": lambda n, s, ids, more: arrange.drag_words(n, s, ids[0], more["dx"], more["dy"]),
    "words-home": lambda n, s, ids, more: arrange.words_home(n, s, ids),
    "off": lambda n, s, ids, more: arrange.take_off(n, s, ids),
    "on": lambda n, s, ids, more: arrange.put_on(n, s, ids),
    "fold": lambda n, s, ids, more: arrange.fold(n, s, ids[0]),
    "unfold": lambda n, s, ids, more: arrange.unfold(n, s, ids[0]),
    "remove": lambda n, s, ids, more: connect.remove(n, ids),
    "resize": lambda n, s, ids, more: arrange.resize(n, s, ids[0], more["x"], more["dx"]),
}


@router.post("/sheet/layout")
def lay_out(request: Request, db: Db, view: Looking, version: Version) -> Response:
    """Lay the sheet shown out anew."""

    def laid_out(network: Network) -> Change:
        if len(network.sheet(view.sheet).placements) < LARGE:
            return arrange.lay_out(network, view.sheet)
        made: Change = in_worker("Laying the sheet out", arrange.lay_out, network, view.sheet)
        return made

    return change_shown(request, db, view, version, laid_out)


@router.post("/sheet/{act}")
def arrange_some(
    request: Request, db: Db, view: Looking, act: str, version: Version, ids: Ids, dx: Steps = 0.0, dy: Steps = 0.0, x: Steps = 0.0
) -> Response:  # fmt: skip
    """Do one thing with a selection on the sheet shown."""
    if act not in ACTS:
        raise NotFound(f"There is no act “{act}”. Accepted are {', '.join(ACTS)}.")
    more = {"dx": dx, "dy": dy, "x": x}
    return change_shown(request, db, view, version, lambda network: ACTS[act](network, view.sheet, ids_of(ids), more))


@router.post("/place")
def place(request: Request, db: Db, view: Looking, version: Version, kind: Annotated[str, Form(max_length=60)], x: Steps, y: Steps) -> Response:
    """A symbol from the tray, dropped on the sheet; `bus:panel` is a bus of that kind."""
    opened = open_project(db, view.project_id, view.proposal)
    name, _, bus_kind = kind.partition(":")
    made: list[str] = []

    def change(network: Network) -> Change:
        done, new = connect.place(network, view.sheet, name, x, y, bus_kind or "switchboard")
        made.append(new)
        return done

    try:
        change(opened.network)
    except NetworkRefused:
        made.append(view.selected)  # the refusal is told by the answer below
    return change_shown(request, db, view.to(selected=made[0]), version, change)


@router.post("/connect")
def connect_terminal(
    request: Request, db: Db, view: Looking, version: Version, element: Typed, terminal: Annotated[int, Form(ge=0, le=9)], x: Steps, y: Steps
) -> Response:  # fmt: skip
    """Take a terminal to the bus or wire where it was dropped, or off to a loose end."""
    return change_shown(request, db, view, version, lambda network: connect.connect(network, view.sheet, element, terminal, x, y))


@router.post("/join")
def join(request: Request, db: Db, view: Looking, version: Version, bus: Typed, x: Steps, y: Steps) -> Response:
    """Join a junction to the bus or wire on which it was dropped."""
    return change_shown(request, db, view, version, lambda network: connect.join(network, view.sheet, bus, x, y))


@router.post("/clip")
def clip(db: Db, view: Looking, ids: Ids) -> Response:
    """A selection as text, for the clipboard."""
    return Response(clips.clip_of(open_project(db, view.project_id, view.proposal).network, view.sheet, ids_of(ids)), media_type="application/json")


@router.post("/paste")
def paste(
    request: Request, db: Db, view: Looking, version: Version, text: Annotated[str, Form(max_length=clips.MOST_BYTES)], onto: bool = Form(False)
) -> Response:  # fmt: skip
    """What was copied from this or another project; onto the selected bus if one end of it was cut."""
    opened = open_project(db, view.project_id, view.proposal)
    bus = bus_of_selection(opened.network, view.selected) if onto else ""
    return change_shown(request, db, view, version, lambda network: clips.paste(network, view.sheet, text, bus_id=bus)[0])


@router.get("/downstream")
def everything_downstream(request: Request, db: Db, view: Looking) -> Response:
    """The ids of everything that would be dead without the selected element, in the state shown."""
    opened = open_project(db, view.project_id, view.proposal)
    opened.network.element(view.selected)
    elements = request.app.state.results.of(opened).at(view.state).elements
    return JSONResponse(downstream(elements, view.selected))


@router.post("/sheets")
def change_sheets(
    request: Request, db: Db, view: Looking, version: Version, act: Annotated[str, Form(pattern="^(add|rename|remove)$")], value: Typed = ""
) -> Response:  # fmt: skip
    """Add a sheet, or rename or remove the one that is shown."""
    shown = open_project(db, view.project_id, view.proposal).network.sheet(view.sheet).name
    if act == "add":
        return change_shown(request, db, view.to(sheet=value.strip(), selected=""), version, lambda network: sheets.add_sheet(network, value))
    if act == "rename":
        return change_shown(request, db, view.to(sheet=value.strip()), version, lambda network: sheets.rename_sheet(network, shown, value))
    return change_shown(request, db, view.to(sheet=""), version, lambda network: sheets.remove_sheet(network, shown))


# --- assemblies


@router.get("/assemblies")
def list_assemblies(request: Request, db: Db, view: Looking) -> Response:
    """Shipped assemblies with their blanks, and those that engineers stored."""
    opened = open_project(db, view.project_id, view.proposal)
    at = bus_of_selection(opened.network, view.selected)
    seen = {"shipped": ASSEMBLIES, "own": stored.all_assemblies(db), "at": opened.network.elements[at].name if at else "", "project": opened, "view": view}
    return templates.TemplateResponse(request, "stages/network/_assemblies.html", seen)


@router.get("/assemblies/{key}/line")
def assembly_line(request: Request, key: str) -> Response:
    """The line of shorthand that an assembly writes with its blanks filled."""
    return Response(assembly(key).written(dict(request.query_params)), media_type="text/plain; charset=utf-8")


@router.post("/assemblies")
def store_assembly(db: Db, view: Looking, ids: Ids, name: Typed = "") -> Response:
    """Store a selection as an assembly of one's own, for all projects."""
    opened = open_project(db, view.project_id, view.proposal)
    try:
        Sheet(name=name.strip())  # the same rule as for every name
    except ValueError:
        raise NetworkRefused([InputRefused("name", name, NAME_ACCEPTED, where="New assembly")]) from None
    text = clips.clip_of(opened.network, view.sheet, ids_of(ids))
    with transaction(db):
        stored.put_assembly(db, name.strip(), text)
    return Response(f"Assembly “{name.strip()}” is stored: it stands under Assemblies in every project.", media_type="text/plain; charset=utf-8")


@router.post("/assemblies/{assembly_id}/place")
def place_assembly(request: Request, db: Db, view: Looking, assembly_id: Id, version: Version) -> Response:
    """Put an assembly of one's own onto the sheet; on the selected bus, if one end of it was cut."""
    row = stored.assembly(db, assembly_id)
    bus = bus_of_selection(open_project(db, view.project_id, view.proposal).network, view.selected)
    return change_shown(request, db, view, version, lambda network: clips.paste(network, view.sheet, row.body, bus_id=bus)[0])


@router.post("/assemblies/{assembly_id}/remove")
def remove_assembly(db: Db, assembly_id: Id) -> Response:
    """Take an assembly of one's own off the list; what was placed with it stays."""
    with transaction(db):
        stored.remove_assembly(db, assembly_id)
    return Response("Assembly removed.", media_type="text/plain; charset=utf-8")
