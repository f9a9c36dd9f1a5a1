"""Why a figure is beyond its limit, and what would cure it, kept with the results of the version."""

import cmath
from dataclasses import dataclass

from northfell.app.results.studies import Results, StateResults
from northfell.core.errors import NotFound
from northfell.core.model.elements import Bus, Element
from northfell.core.studies.load_flow import LOAD_FLOW, LoadFlow
from northfell.core.studies.load_flow.path import Leg, path_to_source
from northfell.core.studies.load_flow.remedies import Remedy, remedies
from northfell.core.studies.load_flow.solve import case_at
from northfell.core.studies.load_flow.why import Cause, cause_of


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
