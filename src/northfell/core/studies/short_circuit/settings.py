"""What a project sets for short circuit. Each default stands beside its reason."""

from typing import Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.settings import StudySettings

# Declarations read as a table.
# fmt: off


class ShortCircuitSettings(StudySettings):
    """Settings of the short-circuit study."""

    STUDY, LABEL = "short_circuit", "Short circuit"

    standard: Literal["IEC 60909-0:2016"] = param("IEC 60909-0:2016", label="Standard", section="Short circuit", meaning="After which faults are computed.")
    prefault: Literal["by table", "own factors"] = param(
        "by table", label="Pre-fault voltage", section="Short circuit", source="IEC 60909-0:2016, Table 1",
        meaning="The equivalent voltage source is c times the nominal voltage: by the standard's table, or by factors of your own."
    )
    c_max: float = param(
        1.1, label="c for maximum", symbol="cmax", gt=0.5, le=1.5, section="Short circuit", acts_when=When("prefault", ("own factors",)),
        meaning="Own voltage factor of maximum currents, at every voltage level.", enters="I″k = c·Un/(√3·Zk)"
    )
    c_min: float = param(
        1.0, label="c for minimum", symbol="cmin", gt=0.5, le=1.5, section="Short circuit", acts_when=When("prefault", ("own factors",)),
        meaning="Own voltage factor of minimum currents, at every voltage level.", enters="I″k = c·Un/(√3·Zk)"
    )
    lv_tolerance_pct: Literal[6, 10] = param(
        10, label="Low-voltage tolerance", unit="%", section="Short circuit", source="IEC 60909-0:2016, Table 1", acts_when=When("prefault", ("by table",)),
        meaning="Voltage tolerance of low-voltage networks; it sets c: 1.05/0.95 for 6 %, 1.10/0.90 for 10 %."
    )
