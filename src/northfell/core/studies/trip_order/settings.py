"""What a project sets for the trip order."""

from typing import Literal

from northfell.core.model.declare.parameters import param
from northfell.core.model.elements.base import Phrase
from northfell.core.model.settings import StudySettings

# Declarations read as a table.
# fmt: off


class TripOrderSettings(StudySettings):
    """Settings of the trip order."""

    STUDY, LABEL = "trip_order", "Trip order"

    fault: Literal["3ph", "ll", "llg", "lg"] = param("3ph", label="Fault", section="Trip order", meaning="Which fault is followed until it is cut off.")
    case: Literal["max", "min"] = param("max", label="Currents", section="Trip order", meaning="Highest or least currents of the fault.")
    current: Literal["bolted", "arcing", "reduced arcing"] = param(
        "bolted", label="Current", section="Trip order", source="IEEE 1584-2018",
        meaning="Bolted, or the lower current of an arc in the enclosure of the board, as the arc-flash study has it; a three-phase fault."
    )
    edge: Literal["slow", "fast"] = param(
        "slow", label="Devices act", section="Trip order", meaning="At the slow edge of their bands, the latest, or at the fast edge, the earliest."
    )
    failed: Phrase = param("", label="Breaker that fails", section="Trip order", meaning="Name of a device that does not open.")
    longest_s: float = param(
        100.0, label="Followed for", unit="s", gt=0, le=3600, section="Trip order", meaning="What has not been cut off by then is told as not cut off."
    )
