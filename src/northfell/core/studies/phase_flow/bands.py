"""Continuous and emergency bands of voltage, and the class in which a voltage stands."""

from dataclasses import dataclass
from typing import Literal

from northfell.core.finding import severity_of
from northfell.core.model.settings import Limits
from northfell.core.studies.phase_flow.settings import PhaseFlowSettings

Class = Literal["", "low", "high", "very low", "very high"]
A_LV, B_LV = {"service": (0.95, 1.05), "utilisation": (0.90, 1.05)}, {"service": (110 / 120, 127 / 120), "utilisation": (104 / 120, 127 / 120)}
A_MV, B_MV = {"service": (0.975, 1.05), "utilisation": (0.90, 1.05)}, {"service": (0.95, 127 / 120), "utilisation": (104 / 120, 127 / 120)}


@dataclass(frozen=True)
class Band:
    """Limits of voltage [p.u.]."""

    low: float  # continuous
    high: float
    low_emergency: float
    high_emergency: float
    name: str
    strict: bool = False  # a steady voltage beyond the continuous band is a breach already

    def class_of(self, v_pu: float) -> Class:
        """Where a voltage stands: within, beyond the continuous band, or beyond that of emergencies."""
        if _beyond(v_pu, self.high):
            return "very high" if _beyond(v_pu, self.high_emergency) else "high"
        if _beyond(-v_pu, -self.low):
            return "very low" if _beyond(-v_pu, -self.low_emergency) else "low"
        return ""

    def severity(self, v_pu: float) -> Literal["breach", "close", ""]:
        """The verdict on a steady voltage."""
        found = self.class_of(v_pu)
        return "" if not found else "breach" if self.strict or found.startswith("very") else "close"

    def limit(self, v_pu: float) -> float:
        """The limit beyond which a voltage on this side of nominal is a breach."""
        if v_pu > 1:
            return self.high if self.strict else self.high_emergency
        return self.low if self.strict else self.low_emergency


def _beyond(value: float, limit: float) -> bool:
    return severity_of(value, limit, limit) == "breach"


def band_of(settings: PhaseFlowSettings, limits: Limits, un_kv: float) -> Band:
    """The band of a nominal voltage.

    ANSI C84.1, ranges A and B (120 to 600 V, 2.4 to 34.5 kV); EN 50160, 10 % for most of a week and −15 % or, above 1 kV, ±15 % for all of it. Both
    as recalled: no copy was at hand.
    """
    if settings.bands == "ANSI C84.1" and (un_kv <= 0.6 or 2.4 <= un_kv <= 34.5):
        a, b = (A_LV, B_LV) if un_kv <= 0.6 else (A_MV, B_MV)
        return Band(*a[settings.place], *b[settings.place], f"ANSI C84.1, {settings.place}")
    if settings.bands == "EN 50160" and un_kv <= 36:
        return Band(0.9, 1.1, 0.85, 1.1 if un_kv <= 1 else 1.15, "EN 50160", strict=True)
    close, breach = limits.voltage_close_pct / 100, limits.voltage_breach_pct / 100
    return Band(1 - close, 1 + close, 1 - breach, 1 + breach, "limits of the project")
