"""Findings: results held against the limits of the project, in plain words. One mechanism for every study, which brings its own checks."""

from collections.abc import Iterable, Mapping
from typing import Any

from northfell.core.finding import ORDER, Finding, Severity, severity_of
from northfell.core.model.elements import Element
from northfell.core.model.settings import Limits
from northfell.core.rules.completeness import Missing
from northfell.core.rules.consistency import contradictions
from northfell.core.studies import study_of


def findings_of(study: str, result: Any, limits: Limits) -> list[Finding]:
    """The findings of one study's result in one state."""
    return [finding for check in study_of(study).checks for finding in check(result, limits)]


def missing_findings(lacking: Iterable[Missing], study: str, state: str) -> list[Finding]:
    """Data that a study lacks, as findings that lead to the field."""
    return [Finding(study, state, m.element.id, m.element.name, "missing", str(m), check=m.key) for m in lacking]


def network_findings(elements: Mapping[str, Element], state: str) -> list[Finding]:
    """What contradicts itself in the data, before any study."""
    return [Finding("network", state, c.element.id, c.element.name, "breach" if c.grave else "close", c.text, help=c.help) for c in contradictions(elements)]


def sorted_findings(findings: Iterable[Finding]) -> list[Finding]:
    """Gravest first, then by study; otherwise in the order found."""
    return sorted(findings, key=lambda f: (ORDER[f.severity], f.study))


__all__ = ["Finding", "Severity", "findings_of", "missing_findings", "network_findings", "severity_of", "sorted_findings"]
