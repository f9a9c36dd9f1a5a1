"""What the Sizing stage shows on the sheet: how much of what the code allows each circuit uses, and the size that it asks for where that is more."""

import math

from northfell.core.studies.sizing import BREACH, MISSING, REFUSED, SIZING, Sized, Try
from northfell.drawing.words import Tag
from northfell.web.shell.stage import Look

SEVERITY = {BREACH: "breach", REFUSED: "breach", MISSING: "missing"}


def sizing_tags(look: Look) -> dict[str, Tag]:
    """A tag for each circuit of the state shown."""
    return {i: _tag(one) for i, one in look.result(SIZING).of.items()}


def _tag(one: Sized) -> Tag:
    severity = severity_of(one)
    lines = [] if math.isnan(one.used_pct) else [(f"{one.used_pct:.0f}", "% used")]
    if one.chosen and (one.entered is None or (one.chosen.size, one.chosen.sets) != (one.entered.size, one.entered.sets)):
        lines.append((f"→ {size_text(one.chosen)}", ""))
    elif one.entered is None:
        lines.append(("no size", ""))
    return Tag(tuple(lines), severity)


def severity_of(one: Sized) -> str:
    """The verdict as the screen marks it; what nobody has begun to enter is not marked as missing."""
    found = SEVERITY.get(one.verdict, "")
    return found if one.circuit.begun else ""


def size_text(t: Try | None) -> str:
    """A size with how many in parallel."""
    return t.label if t else "–"
