"""What a project sets for faults by phase."""

from northfell.core.model.declare.parameters import param
from northfell.core.model.settings import StudySettings

# fmt: off


class PhaseFaultSettings(StudySettings):
    """Settings of faults by phase."""

    STUDY, LABEL = "phase_faults", "Faults by phase"

    r_fault_ohm: float = param(
        0.0, label="Resistance at a fault to earth", symbol="Rf", unit="ohm", ge=0, le=1000, section="Faults by phase",
        meaning="Through which the least currents flow to earth: a conductor that lies on the ground, a tree. The greatest currents have none.",
        enters="Z + Rf, least currents to earth"
    )
