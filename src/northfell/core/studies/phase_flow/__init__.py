"""Load flow by phase: every conductor of a feeder by itself."""

from northfell.core.errors import NotFound
from northfell.core.rules.by_phase import is_uneven
from northfell.core.studies.phase_flow.bands import Band, Class, band_of
from northfell.core.studies.phase_flow.gathering import Gathered, Gathering
from northfell.core.studies.phase_flow.loops import Loop, loops
from northfell.core.studies.phase_flow.places import known, named
from northfell.core.studies.phase_flow.result import ByPhase, PhaseLoading, Voltage, compared
from northfell.core.studies.phase_flow.settings import UNBALANCE, PhaseFlowSettings
from northfell.core.studies.phase_flow.solve import run_by_phase
from northfell.core.studies.phase_flow.verdicts import CHECKS, band_at, is_judged, judged, settings_of
from northfell.core.studies.phase_flow.wide import NEXT
from northfell.core.studies.phase_flow.working import QUANTITIES, explain
from northfell.core.studies.record import Asked, Study
from northfell.core.working import Working


def _explain(made: ByPhase, asked: Asked) -> Working:
    element = made.net.elements.get(asked.element_id)
    if element is None:
        raise NotFound("There is no such element (any more).")
    return explain(made, element, asked)


PHASE_FLOW = Study[ByPhase](
    key="phase_flow", label="load flow by phase", settings=PhaseFlowSettings, run=lambda net, _: run_by_phase(net), explain=_explain,
    quantities=QUANTITIES, checks=CHECKS, compared=compared, concerns=is_uneven,
)  # fmt: skip

__all__ = [
    "Band", "ByPhase", "Class", "Gathered", "Gathering", "Loop", "NEXT", "PHASE_FLOW", "PhaseFlowSettings", "PhaseLoading",
    "UNBALANCE", "Voltage", "band_at", "band_of", "is_judged", "judged", "known", "loops", "named", "run_by_phase", "settings_of",
]  # fmt: skip
