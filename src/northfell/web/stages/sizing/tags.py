"""What the Sizing stage shows on the sheet: how much of what the code allows each circuit uses, and the size that it asks for where that is more."""

import math

from northfell.core.studies.sizing import BREACH, MISSING, REFUSED, SIZING, Equipment, Sized, Try
from northfell.drawing.words import Tag
from northfell.web.shell.stage import Look

SEVERITY = {BREACH: "breach", REFUSED: "breach", MISSING: "missing"}


def sizing_tags(look: Look) -> dict[str, Tag]:
    """A tag for each circuit of the state shown."""
    found = look.result(SIZING)
    return {i: _tag(one) for i, one in found.of.items()} | {e.element_id: tag for e in found.equipment if (tag := _rating_tag(e))}


def _tag(one: Sized) -> Tag:
    severity = severity_of(one)
    lines = [] if math.isnan(one.used_pct) or one.entered is None else [(f"{one.used_pct:.0f}", "% used")]
    if one.chosen and (one.entered is None or (one.chosen.size, one.chosen.sets) != (one.entered.size, one.entered.sets)):
        lines.append((f"→ {size_text(one.chosen)}", ""))
    elif one.entered is None:
        lines.append(("no size", ""))
    return Tag(tuple(lines), severity)


def _rating_tag(e: Equipment) -> Tag | None:
    """How much of its rated power a transformer is asked for."""
    rated = next((p for p in e.parts if p.quantity == "rated power" and not math.isnan(p.used_pct)), None)
    return Tag(((f"{rated.used_pct:.0f}", "% asked for"),), "breach" if rated.ok is False else "") if rated else None


def severity_of(one: Sized) -> str:
    """The verdict as the screen marks it; what nobody has begun to enter is not marked as missing."""
    found = SEVERITY.get(one.verdict, "")
    return found if one.circuit.begun else ""


def size_text(t: Try | None) -> str:
    """A size with how many in parallel."""
    return t.label if t else "–"
