"""What a project sets for short circuit. Each default stands beside its reason."""

from typing import Any, Literal

from pydantic import model_validator

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.settings import StudySettings

# Declarations read as a table.
# fmt: off

BY_IEC, BY_IEEE = When("school", ("iec",)), When("school", ("ieee",))
SCHOOLS = {"iec": "IEC 60909-0:2016", "ieee": "IEEE 551, C37.010 and C37.13"}


class ShortCircuitSettings(StudySettings):
    """Settings of the short-circuit study."""

    STUDY, LABEL = "short_circuit", "Short circuit"

    school: Literal["iec", "ieee"] = param(
        "iec", label="School", section="Short circuit", source="IEC 60909-0:2016; IEEE 551, IEEE C37.010, IEEE C37.13",
        meaning="After which faults are computed. iec: equivalent source with voltage factors and correction factors. ieee: first-cycle, interrupting and "
        "30-cycle networks with multipliers of machines, separate reductions of R and X."
    )
    prefault: Literal["by table", "own factors"] = param(
        "by table", label="Pre-fault voltage", section="Short circuit", source="IEC 60909-0:2016, Table 1",
        meaning="The equivalent voltage source is c times the nominal voltage: by the standard's table (ieee: the nominal voltage), or by factors of your own."
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
        10, label="Low-voltage tolerance", unit="%", section="Short circuit", source="IEC 60909-0:2016, Table 1",
        acts_when=(When("prefault", ("by table",)), BY_IEC),
        meaning="Voltage tolerance of low-voltage networks; it sets c: 1.05/0.95 for 6 %, 1.10/0.90 for 10 %."
    )
    fault: Literal["3ph", "lg", "ll", "llg", "all"] = param(
        "3ph", label="Faults in tables", section="Short circuit",
        meaning="Which faults the tables list: three-phase, line to earth, line to line, two lines to earth, or all of them. All are computed."
    )
    fault_r_ohm: float = param(
        0.0, label="Fault resistance", symbol="RF", unit="ohm", ge=0, le=1e5, section="Short circuit",
        meaning="In each faulted line; line to earth: between line and earth; line to line: between the lines. Minimum and maximum alike.",
        enters="ZF in the equations of each fault"
    )
    fault_x_ohm: float = param(
        0.0, label="Fault reactance", symbol="XF", unit="ohm", ge=0, le=1e5, section="Short circuit", meaning="The same, its reactance.",
        enters="ZF in the equations of each fault"
    )
    earth_r_ohm: float = param(
        0.0, label="Resistance to earth", symbol="RE", unit="ohm", ge=0, le=1e5, section="Short circuit",
        meaning="From two joined lines to earth, in faults of two lines to earth.", enters="3·RE with Z0, two lines to earth"
    )
    peak: Literal["c", "b", "a"] = param(
        "c", label="Peak by method", section="Short circuit", source="IEC 60909-0:2016, peak current in meshed networks", acts_when=BY_IEC,
        meaning="c: equivalent frequency, the most exact. b: ratio at the fault, with the factor 1.15. a: least R/X of what carries it, an upper limit.",
        enters="κ = 1.02 + 0.98·e^(−3·R/X)"
    )
    t_min_s: float = param(
        0.1, label="Least time delay", symbol="tmin", unit="s", ge=0.02, le=1, section="Short circuit", source="IEC 60909-0:2016", acts_when=BY_IEC,
        meaning="From the fault to the parting of the contacts: least relay time and opening time. Breaking currents are of this time.",
        enters="μ, q and the direct-current part"
    )
    t_k_s: float = param(
        1.0, label="Duration", symbol="Tk", unit="s", ge=0.02, le=10, section="Short circuit", source="IEC 60909-0:2016, Joule integral", acts_when=BY_IEC,
        meaning="Of the short circuit, for the thermal equivalent current.", enters="m and n in Ith = I″k·√(m + n)"
    )
    current: Literal["E/Z", "E/X"] = param(
        "E/Z", label="Current from", section="Short circuit", source="IEEE C37.010", acts_when=BY_IEEE,
        meaning="The impedance of the whole network, or its reactance alone, which gives a little more.", enters="I = E/Z or E/X"
    )
    @model_validator(mode="before")
    @classmethod
    def _as_older_files_hold_it(cls, told: Any) -> Any:
        """Older files name the one standard there was."""
        return {key: value for key, value in told.items() if key != "standard"} if isinstance(told, dict) else told

    @property
    def method(self) -> str:
        """How results name the school."""
        return SCHOOLS[self.school]
