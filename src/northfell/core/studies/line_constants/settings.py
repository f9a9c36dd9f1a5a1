"""What a project sets for line constants."""

from typing import Literal

from northfell.core.model.declare.parameters import param
from northfell.core.model.settings import StudySettings

# fmt: off


class LineConstantsSettings(StudySettings):
    """Settings of the study of line constants."""

    STUDY, LABEL = "line_constants", "Line constants"

    earth: Literal["series", "first terms", "complex depth"] = param(
        "series", label="Earth return", section="Line constants", source="J. R. Carson, 1926",
        meaning="Carson's series to its digits; the first term of each part, as printed feeders take it; or a mirror at a complex depth. "
        "Conductors in the ground have the first terms.", enters="P + jQ of Z"
    )
    rho_ohm_m: float = param(
        100.0, label="Resistivity of the earth", symbol="ρ", unit="ohm·m", gt=0, le=100000, section="Line constants",
        meaning="Of geometries that have none of their own.", enters="m = √(ωμ0/ρ)"
    )
    internal: Literal["GMR", "skin effect"] = param(
        "GMR", label="Inside the conductor", section="Line constants", meaning="By the geometric mean radius and the resistance of the wire; "
        "or by the skin effect of a solid conductor of its direct-current resistance.", enters="diagonal of Z"
    )
    frequency_hz: float | None = param(
        None, label="Frequency of the constants", symbol="f", unit="Hz", gt=0, le=1e6, section="Line constants", meaning="Empty: that of the network.",
        enters="ω = 2πf"
    )
