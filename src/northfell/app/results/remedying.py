"""Why a figure is beyond its limit, and what would cure it, kept with the results of the version."""

import cmath
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from northfell.app.results.studies import Results, StateResults
from northfell.core.errors import NorthfellError, NotFound
from northfell.core.model.elements import Bus, Element
from northfell.core.quantities import figure
from northfell.core.studies.arc_flash import ARC_FLASH, ArcFlash
from northfell.core.studies.coordination import COORDINATION, EnergyRemedy, lessen, limit_of
from northfell.core.studies.duty import DUTY, Duty
from northfell.core.studies.duty.remedies import DutyRemedy
from northfell.core.studies.duty.remedies import remedies as remedies_of_duty
from northfell.core.studies.load_flow import LOAD_FLOW, LoadFlow
from northfell.core.studies.load_flow.path import Leg, path_to_source
from northfell.core.studies.load_flow.remedies import Remedy, remedies
from northfell.core.studies.load_flow.solve import case_at
from northfell.core.studies.load_flow.why import Cause, cause_of
from northfell.core.studies.phase_flow import PHASE_FLOW
from northfell.core.studies.phase_flow.remedies import Ailing, PhaseRemedy, ailing
from northfell.core.studies.phase_flow.remedies import remedies as phase_remedies


@dataclass(frozen=True)
class Why:
    """The arithmetic of a breach with its remedies."""

    element: Element
    state: str
    flow: LoadFlow
    cause: Cause | None  # of a loading
    legs: tuple[Leg, ...]  # from the source to the bus
    remedies: tuple[Remedy, ...]


def why(results: Results, state: str, element_id: str) -> Why:
    """Why an element carries what it does, or a bus stands where it does, and what helps; found once for a version.

    Raises
    ------
    NotFound
        If the element has no loading and no voltage in that state.
    """
    key = f"why\n{state}\n{element_id}"
    if key not in results.kept:
        results.kept[key] = results.at(state).done(_why, element_id)
    found: Why = results.kept[key]
    return found


def _why(one: StateResults, element_id: str) -> Why:
    flow = one.result(LOAD_FLOW)
    element = flow.net.elements.get(element_id)
    if element is None:
        raise NotFound("There is no such element (any more).")
    if isinstance(element, Bus):
        if cmath.isnan(flow.voltage(element.id)):
            raise NotFound(f"{element.name} is not fed in {one.state}: it has no voltage.")
        cause, at = None, element.id
    else:
        cause, at = cause_of(flow, case_at(flow), element), element.buses[-1] if element.buses else ""
        if cause is None:
            raise NotFound(f"{element.name} has no loading in {one.state}.")
    legs = tuple(path_to_source(flow, at)) if at else ()
    return Why(element, one.state, flow, cause, legs, tuple(remedies(one.network, flow, element)))


@dataclass(frozen=True)
class PhaseHelp:
    """What is worst at an element by phase, with what would cure it."""

    element: Element
    state: str
    ill: Ailing
    remedies: tuple[PhaseRemedy, ...]


def phase_help(results: Results, state: str, element_id: str) -> PhaseHelp:
    """What would help an element by phase; found once for a version.

    Raises
    ------
    NotFound
        If it has no voltage and no loading in that state.
    """
    key = f"phase help\n{state}\n{element_id}"
    if key not in results.kept:
        results.kept[key] = results.at(state).done(_phase_help, element_id)
    found: PhaseHelp = results.kept[key]
    return found


def _phase_help(one: StateResults, element_id: str) -> PhaseHelp:
    made = one.result(PHASE_FLOW)
    element = made.net.elements.get(element_id)
    if element is None:
        raise NotFound("There is no such element (any more).")
    ill = ailing(made, element)
    if ill is None:
        raise NotFound(f"{element.name} has neither a voltage nor a loading by phase in {one.state}.")
    return PhaseHelp(element, one.state, ill, tuple(phase_remedies(one.network, made, element)))


@dataclass(frozen=True)
class EnergyHelp:
    """The energy at a place with what would lessen it."""

    element: Element
    side: str
    state: str
    energy_cal_cm2: float
    limit_cal_cm2: float
    opens: str
    remedies: tuple[EnergyRemedy, ...]
    without: tuple[str, ...] = ()  # states that have no result, of which nothing is known


def energy_remedies(results: Results, state: str, bus_id: str, side: str) -> EnergyHelp:
    """What would lessen the incident energy at a location; found once for a version.

    Raises
    ------
    NotFound
        If there is no energy at that place in that state.
    """
    key = f"energy\n{state}\n{bus_id}\n{side}"
    if key not in results.kept:
        others, without = list[ArcFlash](), list[str]()
        for name in results.network.state_names:
            try:
                others += [results.at(name).result(ARC_FLASH)] if name != state else []
            except NorthfellError:
                without.append(name)
        results.kept[key] = replace(results.at(state).done(_energy_remedies, bus_id, side, others), without=tuple(without))
    found: EnergyHelp = results.kept[key]
    return found


def _energy_remedies(one: StateResults, bus_id: str, side: str, others: Sequence[ArcFlash]) -> EnergyHelp:
    arc, found = one.result(ARC_FLASH), one.result(COORDINATION)
    location = arc.location(bus_id, side)
    if location is None or location.worst is None:
        raise NotFound("There is no incident energy at this place (any more).")
    try:
        flow = one.result(LOAD_FLOW)
    except NorthfellError:
        flow = None
    worst = location.worst
    device = arc.net.name(worst.device) if worst.device else "no device"
    opens = f"{device} opens in {figure(worst.opens_at_s, 3)} s" if math.isfinite(worst.opens_at_s) else "it is never cut off"
    everywhere = [w.energy_cal_cm2 for study in (arc, *others) if (at := study.location(bus_id, side)) and (w := at.worst)]
    limit = limit_of(one.network, max(everywhere))
    remedies = tuple(lessen(one.network, arc, found, flow, bus_id, side, others))
    return EnergyHelp(arc.bus(location), side, one.state, worst.energy_cal_cm2, limit, opens, remedies)


@dataclass(frozen=True)
class DutyHelp:
    """The duties of an element with their remedies."""

    element: Element
    state: str
    method: str
    rows: tuple[Duty, ...]
    remedies: tuple[DutyRemedy, ...]

    @property
    def worst(self) -> Duty | None:
        return self.rows[0] if self.rows else None


def duty_remedies(results: Results, state: str, element_id: str) -> DutyHelp:
    """What is asked of an element and what would ask for less; found once for a version.

    Raises
    ------
    NotFound
        If the element carries no fault current in that state.
    """
    key = f"duty\n{state}\n{element_id}"
    if key not in results.kept:
        results.kept[key] = results.at(state).done(_duty_remedies, element_id)
    found: DutyHelp = results.kept[key]
    return found


def _duty_remedies(one: StateResults, element_id: str) -> DutyHelp:
    duties = one.result(DUTY)
    element = duties.net.elements.get(element_id)
    if element is None or element_id not in duties.of:
        raise NotFound("This element has no duty to be judged (any more).")
    return DutyHelp(element, one.state, duties.faults.method, duties.of[element_id], tuple(remedies_of_duty(one.network, duties, element_id)))
