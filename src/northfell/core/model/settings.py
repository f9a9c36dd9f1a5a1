"""What a project sets for its studies. Each default stands beside its reason."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from northfell.core.model.parameters import param

# Declarations read as a table.
# fmt: off


class Settings(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)


class Limits(Settings):
    """Limits of the project; findings compare results with them."""

    loading_close_pct: float = param(90.0, label="Loading, close", unit="%", gt=0, le=200, section="Limits", meaning="From here a loading is near its limit.")
    loading_breach_pct: float = param(
        100.0, label="Loading, breach", unit="%", gt=0, le=200, section="Limits", meaning="Above this a loading is beyond its limit."
    )
    voltage_close_pct: float = param(
        4.0, label="Voltage deviation, close", unit="%", gt=0, le=50, section="Limits", meaning="Deviation from nominal from which a voltage is near its limit."
    )
    voltage_breach_pct: float = param(
        6.0, label="Voltage deviation, breach", unit="%", gt=0, le=50, section="Limits",
        meaning="Deviation from nominal above which a voltage is beyond its limit."
    )
    energy_close_cal_cm2: float = param(
        8.0, label="Incident energy, close", unit="cal/cm²", gt=0, le=1000, section="Limits", meaning="A level of the site, not of a standard."
    )
    energy_breach_cal_cm2: float = param(
        40.0, label="Incident energy, breach", unit="cal/cm²", gt=0, le=1000, section="Limits",
        meaning="The site's maximum for work on live parts; not a limit of a standard."
    )


class LoadFlowSettings(Settings):
    tolerance_mva: float = param(
        1e-6, label="Tolerance", unit="MVA", gt=0, le=1, section="Load flow", meaning="Largest power mismatch at any bus when the solution is taken."
    )
    max_iterations: int = param(25, label="Most iterations", ge=1, le=200, section="Load flow", meaning="After this many Newton steps the run is given up.")


class ShortCircuitSettings(Settings):
    lv_tolerance_pct: Literal[6, 10] = param(
        10, label="Low-voltage tolerance", unit="%", section="Short circuit", source="IEC 60909-0:2016, Table 1",
        meaning="Voltage tolerance of low-voltage networks; it sets c: 1.05/0.95 for 6 %, 1.10/0.90 for 10 %."
    )


class ArcFlashSettings(Settings):
    two_second_rule: bool = param(
        True, label="Two-second rule", section="Arc flash", source="IEEE 1584-2018, 6.9",
        meaning="Exposure is taken as at most the time below, where the worker can leave. An engineering choice."
    )
    max_exposure_s: float = param(2.0, label="Longest exposure", unit="s", gt=0, le=60, section="Arc flash", meaning="Used by the two-second rule.")


class DrawingSettings(Settings):
    symbols: Literal["IEC 60617", "IEEE 315"] = param(
        "IEC 60617", label="Symbols", section="Drawing", meaning="The standard after which symbols are drawn, on every sheet."
    )


class ProjectSettings(Settings):
    """All settings of a project."""

    frequency_hz: Literal[50, 60] = param(50, label="Frequency", unit="Hz", section="Network", meaning="Nominal frequency of the network.")
    s_base_mva: float = param(100.0, label="Power base", unit="MVA", gt=0, le=1e5, section="Network", meaning="Base of per-unit values inside the calculation.")
    energy_unit: Literal["cal/cm²", "J/cm²", "both"] = param("cal/cm²", label="Energy on labels in", section="Arc flash", meaning="Screens show cal/cm².")
    limits: Limits = Field(default_factory=Limits)
    load_flow: LoadFlowSettings = Field(default_factory=LoadFlowSettings)
    short_circuit: ShortCircuitSettings = Field(default_factory=ShortCircuitSettings)
    arc_flash: ArcFlashSettings = Field(default_factory=ArcFlashSettings)
    drawing: DrawingSettings = Field(default_factory=DrawingSettings)
    name_starts: dict[str, Annotated[str, Field(max_length=20)]] = Field(default_factory=dict)  # kind -> how its default names begin, where changed
