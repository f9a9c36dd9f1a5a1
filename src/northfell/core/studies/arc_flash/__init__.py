"""Incident energy and arc-flash boundary after IEEE 1584-2018, at every bus with enclosure data."""

from northfell.core.errors import NotFound
from northfell.core.studies.arc_flash.by_voltage import arcing_current_ka, incident_energy_j_cm2, method_at
from northfell.core.studies.arc_flash.direct import Direct, DirectPlace, explain_direct, findings_of, place_of, study_direct
from northfell.core.studies.arc_flash.earlier import EDITION, Earlier, compare
from northfell.core.studies.arc_flash.equations import Enclosure
from northfell.core.studies.arc_flash.result import ArcFlash, Location, Variant, place_key
from northfell.core.studies.arc_flash.seen import enclosure_of, reduction
from northfell.core.studies.arc_flash.settings import ArcFlashSettings
from northfell.core.studies.arc_flash.solve import NO_ENCLOSURE, again, run, with_device
from northfell.core.studies.arc_flash.verdicts import energy, energy_severity
from northfell.core.studies.arc_flash.working import explain_energy
from northfell.core.studies.record import Asked, OnRequest, Study
from northfell.core.working import Working


def _explain(arc: ArcFlash, asked: Asked) -> Working:
    if (element := arc.net.elements.get(asked.element_id)) is not None and (direct := place_of(element, arc.settings)) is not None and not direct.lacks:
        return explain_direct(arc.net.state, direct)
    location = arc.location(asked.element_id, asked.side)
    if location is None or location.worst is None:
        raise NotFound("There is no energy at this location in this state.")
    location = location.of_configuration(asked.part)
    return explain_energy(arc, location, location.variant(asked.case, asked.variant), asked.quantity)


EARLIER = OnRequest(
    key="earlier", flag="--earlier", of="", needs="nothing", help=f"every place by {EDITION}, for comparison", doing="Computing by the earlier edition",
    run=lambda net, _, told: compare(run(net)), tables=lambda state, made: [made.table()], at_once=True,
)  # fmt: skip
DIRECT = OnRequest(
    key="direct", flag="--direct", of="", needs="nothing", help="boards on direct-current sides, by two methods, the worse counts",
    doing="Computing direct-current arcs", run=lambda net, _, told: study_direct(net), tables=lambda state, made: [made.table()], at_once=True,
)  # fmt: skip
ARC_FLASH = Study[ArcFlash](
    key="arc_flash", label="arc flash", settings=ArcFlashSettings, run=lambda net, used: run(net, faults=used["short_circuit"]), explain=_explain,
    quantities=("energy_cal_cm2", "boundary_mm"), uses=("short_circuit",), unlike="by itself",
    checks=(energy, lambda arc, limits: findings_of(study_direct(arc.net), limits)),
    compared=lambda arc: {"energy": {place_key(one.bus_id, one.side): one.worst.energy_cal_cm2 for one in arc.locations if one.worst}},
    waits=lambda arc: any(place.waits for place in arc.locations), on_request=(EARLIER, DIRECT),
)  # fmt: skip

__all__ = [
    "ARC_FLASH",
    "ArcFlash",
    "ArcFlashSettings",
    "DIRECT",
    "Direct",
    "DirectPlace",
    "EARLIER",
    "EDITION",
    "Earlier",
    "Enclosure",
    "Location",
    "NO_ENCLOSURE",
    "Variant",
    "again",
    "arcing_current_ka",
    "enclosure_of",
    "energy",
    "energy_severity",
    "explain_energy",
    "incident_energy_j_cm2",
    "method_at",
    "place_of",
    "place_key",
    "reduction",
    "run",
    "with_device",
]
