"""What an arc-flash study shows to be beyond a limit."""

import math
from collections.abc import Iterator
from typing import Literal

from northfell.core.finding import Finding, severity_of
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure
from northfell.core.studies.arc_flash.result import ArcFlash


def energy_severity(limits: Limits, energy_cal_cm2: float | None) -> Literal["breach", "close", ""]:
    """The verdict on an incident energy; empty within limits and where there is none."""
    return "" if energy_cal_cm2 is None else severity_of(energy_cal_cm2, limits.energy_close_cal_cm2, limits.energy_breach_cal_cm2) or ""


def energy(study: ArcFlash, limits: Limits) -> Iterator[Finding]:
    """Incident energy at each location, and what the study warns of there."""
    for one in study.locations:
        bus, worst = study.bus(one), one.worst
        if worst is None:
            for reason in one.waits:
                yield Finding("arc_flash", study.net.state, bus.id, bus.name, "missing", f"{bus.name}, {one.side} side: {reason}", check=reason)
            continue
        at = f"{bus.name}, {one.side} side"
        device = study.net.name(worst.device) if worst.device else "no device"
        severity = energy_severity(limits, worst.energy_cal_cm2)
        if severity:
            opens = (
                f"{device} opens in {figure(worst.opens_at_s, 3)} s."
                if math.isfinite(worst.opens_at_s)
                else f"{device} does not open."
                if worst.device
                else "no device opens."
            )
            known = math.isfinite(worst.energy_cal_cm2)
            text = f"{at}: the arc is never cut off, so that its energy has no bound."
            text = text if not known else f"{at}: {figure(worst.energy_cal_cm2, 3)} cal/cm² at {figure(bus.working_distance_mm)} mm; {opens}"
            limit = limits.energy_breach_cal_cm2
            yield Finding("arc_flash", study.net.state, bus.id, bus.name, severity, text, worst.energy_cal_cm2, limit, "cal/cm²", check=f"energy, {one.side}")
        for warning in one.warnings:
            check = f"{one.side} side: {warning.code}"  # the same in every state, whatever its figures
            yield Finding("arc_flash", study.net.state, bus.id, bus.name, "breach" if warning.grave else "close", f"{at}: {warning}.", check=check)
