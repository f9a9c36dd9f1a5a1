"""Findings: results held against the limits of the project, in plain words. One mechanism for every study.

A study joins by a module of checks: functions of its result and the limits that yield findings.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

from northfell.core.model.elements import Element
from northfell.core.model.settings import Limits
from northfell.core.rules.completeness import Missing
from northfell.core.rules.consistency import contradictions
from northfell.core.studies.arc_flash import ArcFlash
from northfell.core.studies.load_flow import LoadFlow
from northfell.core.verdicts import arc_flash, load_flow
from northfell.core.verdicts.finding import ORDER, Finding, Severity, severity_of
from northfell.core.verdicts.load_flow import loading_severity, start_findings, voltage_severity

CHECKS: dict[type, tuple[Callable[..., Iterator[Finding]], ...]] = {LoadFlow: load_flow.CHECKS, ArcFlash: (arc_flash.energy,)}


def findings_of(result: Any, limits: Limits) -> list[Finding]:
    """The findings of one study's result in one state."""
    checks = next((c for kind, c in CHECKS.items() if isinstance(result, kind)), ())
    return [finding for check in checks for finding in check(result, limits)]


def missing_findings(lacking: Iterable[Missing], study: str, state: str) -> list[Finding]:
    """Data that a study lacks, as findings that lead to the field."""
    return [Finding(study, state, m.element.id, m.element.name, "missing", str(m), check=m.parameter.name) for m in lacking]


def network_findings(elements: Mapping[str, Element], state: str) -> list[Finding]:
    """What contradicts itself in the data, before any study."""
    return [Finding("network", state, c.element.id, c.element.name, "breach" if c.grave else "close", c.text, help=c.help) for c in contradictions(elements)]


def sorted_findings(findings: Iterable[Finding]) -> list[Finding]:
    """Gravest first, then by study; otherwise in the order found."""
    return sorted(findings, key=lambda f: (ORDER[f.severity], f.study))


__all__ = [
    "Finding", "Severity", "findings_of", "loading_severity", "missing_findings", "network_findings", "severity_of", "sorted_findings", "start_findings",
    "voltage_severity",
]  # fmt: skip
