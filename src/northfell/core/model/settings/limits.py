"""Limits of the project, against which verdicts are given."""

from typing import Any

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.settings.base import Settings

# Declarations read as a table.
# fmt: off


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
