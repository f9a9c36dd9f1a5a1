"""Findings: gaps that are too short, and rules that a device does not keep."""

import math
from collections.abc import Iterator

from northfell.core.finding import Finding, Severity
from northfell.core.model.network import title_of
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure, fixed
from northfell.core.studies.coordination.pairs import Pair
from northfell.core.studies.coordination.result import Coordination
from northfell.core.studies.coordination.rule import RULES

STUDY = "coordination"


def gaps(found: Coordination, limits: Limits) -> Iterator[Finding]:
    """The worst gap of each pair, where it is too short or nearly."""
    net = found.net
    for one in found.worst_pairs.values():
        verdict = found.verdict(one)
        if verdict not in ("breach", "close"):
            continue
        above, below = net.elements[one.upstream], net.elements[one.downstream]
        at = f"at {figure(one.i_ka)} kA through {below.name} ({one.fault}, {one.case}imum case)"
        if math.isinf(one.t_lower_s):
            text = f"{above.name} may open before {below.name}, which does not operate {at}: {above.name} gives its order after {figure(one.t_upper_s, 3)} s."
        else:
            text = (
                f"{above.name} above {below.name}: gap {seconds(one.margin_s)}, {_required(one)}, {at}; {below.name} has opened "
                f"after {figure(one.t_lower_s, 3)} s, {above.name} orders after {figure(one.t_upper_s, 3)} s."
            )
        value = one.margin_s if math.isfinite(one.margin_s) else None
        help_ = f"{title_of(above)} slower, or {title_of(below)} quicker; {one.interval.basis}."
        severity: Severity = "breach" if verdict == "breach" else "close"
        yield Finding(
            STUDY, net.state, above.id, above.name, severity, text, value, one.required_s, "s", help_, f"gap above {below.name}", falls=True
        )  # fmt: skip


def rules(found: Coordination, limits: Limits) -> Iterator[Finding]:
    """Rules that are not kept, or nearly not."""
    net = found.net
    for one in found.rules:
        verdict = found.verdict_of(one)
        if verdict not in ("breach", "close") or one.value is None:
            continue
        e = net.elements[one.device]
        of = f" ({net.name(one.of)})" if one.of else ""
        text = f"{e.name} {_said(RULES[one.rule], one.value < one.limit)}{of}: {figure(one.value, 3)} {one.unit}; {one.basis}."
        severity: Severity = "breach" if verdict == "breach" else "close"
        yield Finding(
            STUDY, net.state, e.id, e.name, severity, text, one.value, one.limit, one.unit, f"Rule after {one.source}.", f"{one.rule} {one.of or one.bus}",
            falls=True,
        )  # fmt: skip


def seconds(value: float) -> str:
    """A gap as it is told: to the millisecond where it is short."""
    return f"{fixed(value, 3) if abs(value) < 1 else figure(value, 3)} s"


def _required(one: Pair) -> str:
    return f"required {seconds(one.required_s)}" if one.required_s else "the bands are to be clear of each other"


def _said(rule: str, broken: bool) -> str:
    """A rule as it follows a name: "is not above …", "is only just so set that it lets … pass", "does not have …"."""
    if rule.startswith("has "):
        return f"does not have {rule[4:]}" if broken else f"only just {rule}"
    is_ = "is not" if broken else "is only just"
    return f"{is_} {rule}" if rule.startswith(("above", "below", "within")) else f"{is_} so set that it {rule}"
