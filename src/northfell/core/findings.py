"""Findings: results held against the limits of the project, in plain words. One mechanism for every study."""

import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass
from typing import Any, Literal

from northfell.core.model.completeness import Missing
from northfell.core.model.consistency import contradictions
from northfell.core.model.elements import Element
from northfell.core.model.network import title_of
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure, fixed
from northfell.core.studies.arc_flash import ArcFlash
from northfell.core.studies.load_flow import LoadFlow

Severity = Literal["breach", "close", "missing"]


@dataclass(frozen=True)
class Finding:
    """What, where, by how much, in which state, why, and what would help where that is known."""

    study: str
    state: str
    element_id: str
    element: str
    severity: Severity
    text: str
    value: float | None = None
    limit: float | None = None
    unit: str = ""
    help: str = ""

    def to_json(self) -> dict[str, Any]:
        """As the command line prints it, by element name."""
        return {k: v for k, v in asdict(self).items() if k != "element_id"}


def findings_of(result: Any, limits: Limits) -> list[Finding]:
    """The findings of one study's result in one state."""
    checks = next((c for kind, c in _CHECKS.items() if isinstance(result, kind)), ())
    return [finding for check in checks for finding in check(result, limits)]


def severity_of(value: float, close: float, breach: float) -> Severity | None:
    """Where a value stands: within limits, near the limit, or beyond it. Compared before any rounding; equal is within."""
    beyond = value > breach and not math.isclose(value, breach, rel_tol=1e-9)  # 1.06 p.u. is 6 %, not a hair more
    return "breach" if beyond else "close" if value >= close else None


def missing_findings(lacking: Iterable[Missing], study: str, state: str) -> list[Finding]:
    """Data that a study lacks, as findings that lead to the field."""
    return [Finding(study, state, m.element.id, m.element.name, "missing", str(m)) for m in lacking]


def network_findings(elements: Mapping[str, Element], state: str) -> list[Finding]:
    """What contradicts itself in the data, before any study."""
    return [Finding("network", state, c.element.id, c.element.name, "breach" if c.grave else "close", c.text, help=c.help) for c in contradictions(elements)]


def _loading(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    for e in flow.net.elements.values():
        if len(e.TERMINALS) < 2 or not flow.net.topology.live[e.id]:
            continue
        one = flow.loading(e)
        if one.pct is None or one.rating is None:
            continue
        severity = severity_of(one.pct, limits.loading_close_pct, limits.loading_breach_pct)
        if severity is None:
            continue
        s = flow.terminal_power[e.id][0]
        text = (
            f"{title_of(e)} carries {fixed(one.pct, 1)} % of {one.rating:g} {one.unit}: {figure(one.carries)} {one.unit}, "
            f"{figure(abs(s.real))} MW with {figure(abs(s.imag))} Mvar."
        )
        limit = limits.loading_breach_pct
        needed = (one.carries or 0) / limits.loading_close_pct * 100
        help_ = f"A rating of {figure(needed, 3)} {one.unit} would carry it at {limits.loading_close_pct:g} %."
        yield Finding("load_flow", flow.net.state, e.id, e.name, severity, text, one.pct, limit, "%", help_)


def _voltage(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    for i, bus_id in enumerate(flow.net.topology.bus_ids):
        v = abs(complex(flow.v[i]))
        bus = flow.net.elements[bus_id]
        if math.isnan(v) or getattr(bus, "bus_kind", "") == "junction":
            continue
        deviation = 100 * (v - 1)
        severity = severity_of(abs(deviation), limits.voltage_close_pct, limits.voltage_breach_pct)
        if severity is None:
            continue
        kv = v * float(flow.net.v_nominal_kv[i])
        measured = f"{figure(kv)} kV, " if math.isfinite(kv) else ""
        word = "above" if deviation > 0 else "below"
        text = f"{title_of(bus)} stands at {measured}{fixed(v, 3)} p.u.: {fixed(abs(deviation), 1)} % {word} nominal."
        yield Finding("load_flow", flow.net.state, bus_id, bus.name, severity, text, abs(deviation), limits.voltage_breach_pct, "%")


def _not_fed(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    for e in (*flow.net.loads, *flow.net.motors):
        if not flow.net.topology.fed_bus(flow.net.topology.bus_index[e.buses[0]]) and _asks(e):
            yield Finding("load_flow", flow.net.state, e.id, e.name, "close", f"{title_of(e)} is not fed.", help="Close a switch toward a source.")


def _asks(e: Element) -> bool:
    return getattr(e, "drawn_factor", 1.0) > 0


def _reactive_limits(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    for g, q, name, limit in flow.broken_limits():
        word = "more than" if name == "q_max_mvar" else "less than"
        text = f"{title_of(g)} gives {figure(q)} Mvar to hold its voltage, {word} its limit of {figure(limit)} Mvar."
        yield Finding("load_flow", flow.net.state, g.id, g.name, "breach", text, q, limit, "Mvar", "Change the voltage it holds, or correct its limit.")


def _energy(study: ArcFlash, limits: Limits) -> Iterator[Finding]:
    for one in study.locations:
        bus, worst = study.bus(one), one.worst
        if worst is None:
            continue
        at = f"{bus.name}, {one.side} side"
        device = study.net.name(worst.device) if worst.device else "no device"
        severity = severity_of(worst.energy_cal_cm2, limits.energy_close_cal_cm2, limits.energy_breach_cal_cm2)
        if severity:
            opens = f"{device} opens in {figure(worst.opens_at_s, 3)} s." if math.isfinite(worst.opens_at_s) else f"{device} opens."
            text = f"{at}: {figure(worst.energy_cal_cm2, 3)} cal/cm² at {figure(bus.working_distance_mm)} mm; {opens}"
            yield Finding("arc_flash", study.net.state, bus.id, bus.name, severity, text, worst.energy_cal_cm2, limits.energy_breach_cal_cm2, "cal/cm²")
        for warning in one.warnings:
            grave = "no protective device" in warning or "does not operate" in warning
            yield Finding("arc_flash", study.net.state, bus.id, bus.name, "breach" if grave else "close", f"{at}: {warning}.")


_CHECKS: dict[type, tuple[Callable[..., Iterator[Finding]], ...]] = {LoadFlow: (_loading, _voltage, _not_fed, _reactive_limits), ArcFlash: (_energy,)}
ORDER = {"breach": 0, "close": 1, "missing": 2}


def sorted_findings(findings: Iterable[Finding]) -> list[Finding]:
    """Gravest first, then by study; otherwise in the order found."""
    return sorted(findings, key=lambda f: (ORDER[f.severity], f.study))
