"""The resistance at a fault that leaves a wanted current."""

from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response

from northfell.app.project.projects import open_project
from northfell.core.errors import InputRefused, NotFound
from northfell.core.model.elements import Bus
from northfell.core.quantities import parse_quantity
from northfell.core.studies.short_circuit import FAULT_WORDS, FAULTS, SHORT_CIRCUIT, TO_EARTH, ShortCircuit, resistance_for
from northfell.web.shell.answering import Db, answer
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")
PLACED = {"3ph": "in each line", "ll": "between the two lines", "llg": "in each of the two lines", "lg": "between the line and earth"}


@dataclass(frozen=True)
class Through:
    """One fault through a resistance."""

    fault: str
    placed: str  # where the resistance stands
    r_ohm: float | None = None
    refused: str = ""  # why there is none


@router.get("/through")
def through_a_resistance(request: Request, db: Db, view: Looking, wanted: Annotated[str, Query(max_length=40)] = "") -> Response:
    """What resistance leaves the current that is wanted at the selected bus, for every fault in the case looked at."""
    opened = open_project(db, view.project_id, view.proposal)
    opened.network.state(view.state)
    e = opened.network.elements.get(view.selected)
    if not isinstance(e, Bus):
        raise NotFound("Select a bus to see what leaves a wanted current there.")
    study: ShortCircuit = request.app.state.results.of(opened).at(view.state).result(SHORT_CIRCUIT)
    bus = study.net.topology.bus_index[e.id]
    refused, lines = "", []
    if not study.net.topology.fed_bus(bus):
        refused = "Not fed in this state: no fault current."
    elif wanted:
        try:
            wanted_ka = parse_quantity(wanted, "kA", "wanted current")
            lines = [_through(study, bus, wanted_ka, fault, view.case) for fault in FAULTS]
        except InputRefused as error:
            refused = str(error.at(""))
    page: dict[str, Any] = {"e": e, "wanted": wanted, "refused": refused, "lines": lines, "case": view.case}
    page |= {"view": view, "project": opened, "network": opened.network}
    return answer(request, "stages/faults/through.html", "stages/faults/_through.html", **page)


def _through(study: ShortCircuit, bus: int, wanted_ka: float, fault: str, case: str) -> Through:
    if fault in TO_EARTH and (lacking := study.earth_faults_lack(bus)):
        return Through(FAULT_WORDS[fault], PLACED[fault], refused=f"No earth-fault current here. {lacking[0]}")
    try:
        return Through(FAULT_WORDS[fault], PLACED[fault], resistance_for(study, bus, wanted_ka, fault, case))
    except InputRefused as error:
        return Through(FAULT_WORDS[fault], PLACED[fault], refused=f"Accepted is {error.accepted}.")
