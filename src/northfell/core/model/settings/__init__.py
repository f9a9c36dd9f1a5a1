"""What a project sets for its studies. Each default stands beside its reason."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from northfell.core.model.declare.parameters import When, param

# Declarations read as a table.
# fmt: off


class Settings(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)


def _own_margin(what: str, verdict: str) -> Any:
    return param(
        None, label=f"{what}, {verdict}", unit="%", gt=0, le=200, section="Limits", meaning=f"Loading of {what.lower()}, {verdict}. Empty: as of all else.",
        enters="loading held against it instead of the general one"
    )


class Limits(Settings):
    """Limits of the project; findings compare results with them."""

    loading_close_pct: float = param(90.0, label="Loading, close", unit="%", gt=0, le=200, section="Limits", meaning="From here a loading is near its limit.")
    loading_breach_pct: float = param(
        100.0, label="Loading, breach", unit="%", gt=0, le=200, section="Limits", meaning="Above this a loading is beyond its limit."
    )
    transformer_close_pct: float | None = _own_margin("Transformers", "close")
    transformer_breach_pct: float | None = _own_margin("Transformers", "breach")
    conductor_close_pct: float | None = _own_margin("Cables and lines", "close")
    conductor_breach_pct: float | None = _own_margin("Cables and lines", "breach")
    switching_close_pct: float | None = _own_margin("Switching devices", "close")
    switching_breach_pct: float | None = _own_margin("Switching devices", "breach")
    voltage_close_pct: float = param(
        4.0, label="Voltage deviation, close", unit="%", gt=0, le=50, section="Limits", meaning="Deviation from nominal from which a voltage is near its limit."
    )
    voltage_breach_pct: float = param(
        6.0, label="Voltage deviation, breach", unit="%", gt=0, le=50, section="Limits",
        meaning="Deviation from nominal above which a voltage is beyond its limit."
    )
    start_voltage_pct: float = param(
        85.0, label="Voltage while a motor starts, least", unit="%", gt=30, le=100, section="Limits",
        meaning="Of nominal, at the terminals of the motor that starts; below it the start is a breach.", enters="static motor start"
    )
    start_dip_pct: float = param(
        10.0, label="Dip while a motor starts, most", unit="%", gt=0, le=60, section="Limits",
        meaning="Fall of the voltage of any other bus while a motor starts, of nominal.", enters="static motor start"
    )
    power_factor_contract: float | None = param(
        None, label="Power factor by contract", symbol="cosφ", gt=0.1, le=1, section="Limits",
        meaning="Least power factor of what is taken at each infeed, and by each consumer. Empty: not judged.", enters="cosφ = P/S, held against it"
    )
    power_factor_margin: float = param(
        0.02, label="Power factor, close within", ge=0, le=0.5, section="Limits", acts_when=When("power_factor_contract"),
        meaning="This much above the contract a power factor is near its limit.", enters="close below contract + margin"
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
    load_level_pct: float = param(
        100.0, label="Load level", unit="%", ge=0, le=500, section="Load flow", meaning="Scales every load and motor, in all operating states.",
        enters="P, Q of each consumer · level / 100"
    )
    transformer_loading: Literal["by current", "by apparent power"] = param(
        "by current", label="Loading of transformers", section="Load flow",
        meaning="By current: of the rated current at the tap in use, which is what heats the windings. By apparent power: of the rated power.",
        enters="loading = √3·Ur·I/Sr, or S/Sr"
    )
    reactive_limits: Literal["on", "off"] = param(
        "on", label="Reactive limits", section="Load flow", meaning="On: a source at its limit no longer holds its voltage. Off: limits are only reported.",
        enters="whether Qmin ≤ Q ≤ Qmax is enforced"
    )
    surplus: Literal["to the reference", "shared"] = param(
        "to the reference", label="Surplus", section="Load flow",
        meaning="What set points leave over or short of load and losses in an island: to the reference alone, or shared among its sources by their parts.",
        enters="P = P set + part/Σ parts · surplus, where shared"
    )
    tap_changers: Literal["on", "off"] = param(
        "on", label="Tap changers", section="Load flow", meaning="On: tap changers on load step to hold what they hold. Off: every tap stays as it is given.",
        enters="whether taps are stepped"
    )
    capacitor_steps: Literal["on", "off"] = param(
        "on", label="Switched capacitors", section="Load flow", meaning="On: controllers of capacitor banks switch steps. Off: the steps given are in.",
        enters="whether steps are switched"
    )


class ShortCircuitSettings(Settings):
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


class ArcFlashSettings(Settings):
    standard: Literal["IEEE 1584-2018"] = param("IEEE 1584-2018", label="Standard", section="Arc flash", meaning="After which energies are computed.")
    variation: Literal["by standard", "own share"] = param(
        "by standard", label="Variation of arcing current", section="Arc flash", source="IEEE 1584-2018",
        meaning="The reduced arcing current, which may clear slower, follows from the standard's variation, or is reduced by a share of your own."
    )
    variation_pct: float = param(
        15.0, label="Own variation", unit="%", ge=0, le=50, section="Arc flash", acts_when=When("variation", ("own share",)),
        meaning="The reduced arcing current is this much below the full one.", enters="Iarc,min = Iarc·(1 − share/100)"
    )
    two_second_rule: bool = param(
        True, label="Two-second rule", section="Arc flash", source="IEEE 1584-2018, 6.9",
        meaning="Exposure is taken as at most the time below, where the worker can leave. An engineering choice."
    )
    max_exposure_s: float = param(
        2.0, label="Longest exposure", unit="s", gt=0, le=60, section="Arc flash", acts_when=When("two_second_rule", (True,)),
        meaning="Used by the two-second rule."
    )


class DrawingSettings(Settings):
    symbols: Literal["IEC 60617", "IEEE 315"] = param(
        "IEC 60617", label="Symbols", section="Drawing", meaning="The standard after which symbols are drawn, on every sheet."
    )


class UnitSettings(Settings):
    lengths: Literal["m", "ft"] = param("m", label="Lengths in", section="Units", meaning="Route lengths on cards and in tables; files keep metres.")
    conductors: Literal["mm²", "AWG and kcmil"] = param(
        "mm²", label="Conductor sizes in", section="Units", meaning="Cross-sections on cards and in tables; files keep square millimetres."
    )


class StudySet(Settings):
    """A named set of study settings that is kept aside while another is in use."""

    limits: Limits = Field(default_factory=Limits)
    load_flow: LoadFlowSettings = Field(default_factory=LoadFlowSettings)
    short_circuit: ShortCircuitSettings = Field(default_factory=ShortCircuitSettings)
    arc_flash: ArcFlashSettings = Field(default_factory=ArcFlashSettings)


SetName = Annotated[str, Field(min_length=1, max_length=80)]


class ProjectSettings(Settings):
    """All settings of a project. Limits and the studies' settings are those of the set in use; other sets are kept aside."""

    frequency_hz: Literal[50, 60] = param(50, label="Frequency", unit="Hz", section="Network", meaning="Nominal frequency of the network.")
    s_base_mva: float = param(100.0, label="Power base", unit="MVA", gt=0, le=1e5, section="Network", meaning="Base of per-unit values inside the calculation.")
    energy_unit: Literal["cal/cm²", "J/cm²", "both"] = param("cal/cm²", label="Energy on labels in", section="Arc flash", meaning="Screens show cal/cm².")
    limits: Limits = Field(default_factory=Limits)
    load_flow: LoadFlowSettings = Field(default_factory=LoadFlowSettings)
    short_circuit: ShortCircuitSettings = Field(default_factory=ShortCircuitSettings)
    arc_flash: ArcFlashSettings = Field(default_factory=ArcFlashSettings)
    drawing: DrawingSettings = Field(default_factory=DrawingSettings)
    units: UnitSettings = Field(default_factory=UnitSettings)
    set_name: SetName = "Standard"  # of the study settings in use; every result names it
    sets_aside: dict[SetName, StudySet] = Field(default_factory=dict)
    name_starts: dict[str, Annotated[str, Field(max_length=20)]] = Field(default_factory=dict)  # kind -> how its default names begin, where changed

    @property
    def set_names(self) -> list[str]:
        """The sets of study settings, that in use first."""
        return [self.set_name, *self.sets_aside]

    @property
    def in_use(self) -> StudySet:
        """The study settings in use."""
        return StudySet(limits=self.limits, load_flow=self.load_flow, short_circuit=self.short_circuit, arc_flash=self.arc_flash)

    def using(self, name: str) -> "ProjectSettings":
        """With another set in use, and this one kept aside under its name."""
        chosen = self.sets_aside[name]
        aside = {n: s for n, s in {self.set_name: self.in_use, **self.sets_aside}.items() if n != name}
        parts = {part: getattr(chosen, part) for part in StudySet.model_fields}
        return self.model_copy(update={**parts, "set_name": name, "sets_aside": aside})


# the groups of settings under the heads that they stand under
GROUPS: dict[str, type[Settings]] = {
    "Project": ProjectSettings, "Drawing": DrawingSettings, "Units": UnitSettings, "Limits": Limits, "Load flow": LoadFlowSettings,
    "Short circuit": ShortCircuitSettings, "Arc flash": ArcFlashSettings,
}  # fmt: skip
