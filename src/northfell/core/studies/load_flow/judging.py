"""The limits of load flow, each applied here and nowhere else: card, ledger, tags, findings, comparisons and remedies ask."""

import math
from typing import Literal

from northfell.core.finding import severity_of
from northfell.core.model.elements import Element
from northfell.core.model.settings import Limits
from northfell.core.studies.load_flow.loading import loading_limits

Verdict = Literal["breach", "close", ""]


def loading_severity(limits: Limits, e: Element, pct: float | None) -> Verdict:
    """The verdict on a loading; empty where it is within limits or not known."""
    return "" if pct is None else severity_of(pct, *loading_limits(limits, e)) or ""


def voltage_severity(limits: Limits, bus: Element, v_pu: float | None) -> Verdict:
    """The verdict on the voltage of a bus; empty within limits, where it is not known, and for a junction, which is not judged."""
    if v_pu is None or not math.isfinite(v_pu) or getattr(bus, "bus_kind", "") == "junction":
        return ""
    return severity_of(abs(100 * (v_pu - 1)), limits.voltage_close_pct, limits.voltage_breach_pct) or ""


def low_severity(limits: Limits, v_pu: float | None) -> Verdict:
    """The verdict on how far a voltage stands below nominal; empty within limits and where it is not known."""
    return "" if v_pu is None else severity_of(100 * (1 - v_pu), limits.voltage_close_pct, limits.voltage_breach_pct) or ""


def start_severity(limits: Limits, at_motor: bool, v_during_pct: float, dip_pct: float) -> Verdict:
    """The verdict on a voltage while a motor starts: at its terminals by what is left, elsewhere by the fall; empty within limits."""
    return "breach" if (v_during_pct < limits.start_voltage_pct if at_motor else dip_pct > limits.start_dip_pct) else ""
