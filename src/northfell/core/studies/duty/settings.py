"""What a project sets for equipment duty."""

from northfell.core.model.declare.parameters import param
from northfell.core.model.settings import StudySettings

# Declarations read as a table.
# fmt: off


class DutySettings(StudySettings):
    """Settings of the duty study."""

    STUDY, LABEL = "duty", "Equipment duty"

    close_pct: float = param(90.0, label="Duty, close", unit="%", gt=0, le=200, section="Equipment duty", meaning="From here a duty is near its rating.")
    breach_pct: float = param(100.0, label="Duty, breach", unit="%", gt=0, le=200, section="Equipment duty", meaning="Above this a duty is beyond its rating.")
