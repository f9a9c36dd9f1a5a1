"""The studies: one folder each, with its record, and one line here."""

from typing import Any

from northfell.core.model.settings import enter
from northfell.core.studies.arc_flash import ARC_FLASH
from northfell.core.studies.coordination import COORDINATION
from northfell.core.studies.duty import DUTY
from northfell.core.studies.line_constants import LINE_CONSTANTS
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.core.studies.over_states import OverStates
from northfell.core.studies.phase_faults import PHASE_FAULTS
from northfell.core.studies.phase_flow import PHASE_FLOW
from northfell.core.studies.record import Asked, Compared, OnRequest, Study
from northfell.core.studies.short_circuit import SHORT_CIRCUIT
from northfell.core.studies.sizing import SIZING
from northfell.core.studies.trip_order import TRIP_ORDER

STUDIES: tuple[Study[Any], ...] = (LOAD_FLOW, SHORT_CIRCUIT, DUTY, COORDINATION, ARC_FLASH, TRIP_ORDER, SIZING, LINE_CONSTANTS, PHASE_FLOW, PHASE_FAULTS)
for _study in STUDIES:
    enter(_study.settings)


def study_of(key: str) -> Study[Any]:
    """A study by its key."""
    return next(study for study in STUDIES if study.key == key)


__all__ = ["Asked", "Compared", "OnRequest", "OverStates", "STUDIES", "Study", "study_of"]
