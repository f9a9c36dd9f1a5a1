"""Findings that someone has taken note of: put aside with a reason, and back as soon as the figure grows or the verdict is graver."""

from collections.abc import Iterable

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.finding import ORDER, Finding
from northfell.core.model.changes import Acknowledge, Change
from northfell.core.model.kept_beside import Acknowledged
from northfell.core.model.network import Network

GROWN = 1.001  # a figure this much farther on has grown; less is rounding


def worst_of(findings: Iterable[Finding]) -> Finding:
    """The gravest of findings of one key, over the states."""
    return min(findings, key=lambda f: (ORDER[f.severity], -f.beyond))


def still_holds(one: Acknowledged, worst: Finding) -> bool:
    """Whether an acknowledgement still covers what is found now."""
    return ORDER[worst.severity] >= ORDER.get(one.severity, 0) and worst.beyond <= max(one.beyond * GROWN, one.beyond + 1e-9)


def acknowledge(network: Network, worst: Finding, reason: str) -> Change:
    """Put a finding aside with a reason.

    Raises
    ------
    NetworkRefused
        If no reason is given.
    """
    text = reason.strip()
    if not text or len(text) > 500:
        accepted = "why it is accepted, in 1 to 500 characters"
        raise NetworkRefused([InputRefused("reason", reason[:80], accepted, where=f"Finding at {worst.element or worst.study}")])
    new = Acknowledged(key=worst.key, reason=text, beyond=worst.beyond, severity=worst.severity, told=worst.text[:400])
    return Change(f"Finding at {worst.element or worst.study} acknowledged: {text}"[:200], (Acknowledge(key=worst.key, to=new),))


def take_back(network: Network, key: str) -> Change:
    """Let a finding stand again."""
    name = next((network.elements[part].name for part in key.split("\n") if part in network.elements), "the project")
    return Change(f"Finding at {name} no longer acknowledged", (Acknowledge(key=key, to=None),))
