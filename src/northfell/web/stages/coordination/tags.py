"""What the Coordination stage shows on the sheet: the least gap at each device, or the order of opening for the fault that is followed."""

import math

from northfell.core.errors import CannotRun
from northfell.core.model.elements import Bus
from northfell.core.quantities import figure
from northfell.core.studies.coordination import COORDINATION, Coordination
from northfell.core.studies.protection import order_of
from northfell.drawing.words import Tag
from northfell.web.shell.stage import Look
from northfell.web.stages.coordination.card import order_of_look

RANK = {"breach": 0, "close": 1, "missing": 2, "": 3}


def coordination_tags(look: Look) -> dict[str, Tag]:
    """With a bus selected numbers in the order of opening, else the worst of each device."""
    if isinstance(look.element, Bus):
        try:
            _, order = order_of_look(look, look.element)
        except CannotRun:
            return {}
        numbers = order_of(order.steps)
        return {s.device: Tag(((f"{numbers[s.device]}.", f"{figure(s.t_s, 3)} s"),)) for s in order.steps}
    return device_tags(look.result(COORDINATION))


def device_tags(found: Coordination) -> dict[str, Tag]:
    """The least gap above each device, with the worst verdict of its gaps and rules."""
    tags: dict[str, Tag] = {}
    for device in dict.fromkeys(s.device for s in found.standing):
        pairs = found.pairs_with(device)
        verdicts = [found.verdict(p) for p in pairs if p.upstream == device] + [found.verdict_of(r) for r in found.rules_of(device)]
        severity = min((v if v in ("breach", "close") else "" for v in verdicts), key=lambda v: RANK[v], default="")
        asked = [p for p in pairs if p.upstream == device and found.verdict(p) != "not required" and math.isfinite(p.margin_s)]
        worst = max(asked, key=lambda p: p.short_s, default=None)
        lines = ((figure(worst.margin_s, 2), "s"),) if worst is not None else ()
        if lines or severity:
            tags[device] = Tag(lines, severity)
    return tags
