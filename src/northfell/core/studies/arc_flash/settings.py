"""What a project sets for arc flash. Each default stands beside its reason."""

from typing import Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.settings import StudySettings

# Declarations read as a table.
# fmt: off


class ArcFlashSettings(StudySettings):
    """Settings of the arc-flash study."""

    STUDY, LABEL = "arc_flash", "Arc flash"

    standard: Literal["IEEE 1584-2018"] = param("IEEE 1584-2018", label="Standard", section="Arc flash", meaning="After which energies are computed.")
    variation: Literal["by standard", "own share"] = param(
        "by standard", label="Variation of arcing current", section="Arc flash", source="IEEE 1584-2018",
        meaning="The reduced arcing current, which may clear slower, follows from the standard's variation, or is reduced by a share of your own."
    )
    variation_pct: float = param(
        15.0, label="Own variation", unit="%", ge=0, le=50, section="Arc flash", acts_when=When("variation", ("own share",)),
        meaning="The reduced arcing current is this much below the full one.", enters="Iarc,min = Iarc·(1 − share/100)"
    )
    beyond: Literal["Lee", "no result"] = param(
        "Lee", label="Above 15 kV", section="Arc flash", source="R. H. Lee",
        meaning="Lee's equation for an arc in open air, theoretical and marked as such, or no result: the model ends at 15 kV."
    )
    changing: Literal["worse of both", "intervals"] = param(
        "worse of both", label="Where sources open one after the other", section="Arc flash", source="IEEE 1584-2018, 6.9",
        meaning="The energy is the sum over the intervals, each with the current that is left, and no less than with the first current until the "
        "last source is cut off; or it is that sum alone, as the standard has it."
    )
    two_second_rule: bool = param(
        True, label="Two-second rule", section="Arc flash", source="IEEE 1584-2018, 6.9",
        meaning="Exposure is taken as at most the time below, where the worker can leave. An engineering choice."
    )
    max_exposure_s: float = param(
        2.0, label="Longest exposure", unit="s", gt=0, le=60, section="Arc flash", acts_when=When("two_second_rule", (True,)),
        meaning="Used by the two-second rule."
    )


def exposure_s(settings: ArcFlashSettings, t_s: float) -> float:
    """Arc duration: the time until the last source is cut off, at most the longest exposure where that rule is in force."""
    return min(t_s, settings.max_exposure_s) if settings.two_second_rule else t_s
