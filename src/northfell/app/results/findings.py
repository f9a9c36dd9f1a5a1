"""Findings as one list: those of all states gathered by what they are about, and those that were acknowledged put aside."""

from collections.abc import Iterable
from dataclasses import dataclass

from northfell.core.finding import ORDER
from northfell.core.model.kept_beside import Acknowledged
from northfell.core.model.network import Network
from northfell.core.verdicts import Finding
from northfell.core.verdicts.acknowledging import still_holds, worst_of


@dataclass(frozen=True)
class Gathered:
    """One finding over all states in which it stands."""

    worst: Finding
    states: tuple[Finding, ...]  # in the order of the states
    acknowledged: Acknowledged | None = None  # covers what is found now
    grown: Acknowledged | None = None  # was acknowledged, but the figure has grown since


def gathered(network: Network, findings: Iterable[Finding]) -> list[Gathered]:
    """Findings by what they are about, gravest first."""
    by_key: dict[str, list[Finding]] = {}
    for f in findings:
        by_key.setdefault(f.key, []).append(f)
    known = {a.key: a for a in network.acknowledged}
    found = []
    for key, those in by_key.items():
        worst, one = worst_of(those), known.get(key)
        holds = one is not None and still_holds(one, worst)
        found.append(Gathered(worst, tuple(those), one if holds else None, None if holds else one))
    return sorted(found, key=lambda g: (ORDER[g.worst.severity], -g.worst.beyond, g.worst.study))


def counts(network: Network, findings: Iterable[Finding]) -> dict[str, int]:
    """How many things stand beyond a limit, near one, or lack data, those acknowledged left out."""
    found = [g for g in gathered(network, findings) if g.acknowledged is None]
    return {severity: sum(g.worst.severity == severity for g in found) for severity in ORDER}
