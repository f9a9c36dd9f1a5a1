"""What the Arc flash stage shows on the sheet. Limits come from the project's settings."""

import math

from northfell.core.model.settings import Limits
from northfell.core.quantities import figure
from northfell.core.studies.arc_flash import ArcFlash, energy_severity
from northfell.drawing.words import Tag


def arc_flash_tags(study: ArcFlash, limits: Limits) -> dict[str, Tag]:
    """The worst energy of each board's sides in the state shown."""
    tags: dict[str, Tag] = {}
    for one in study.locations:
        if one.worst is None:
            continue
        energy = one.worst.energy_cal_cm2
        severity = energy_severity(limits, energy)
        before = tags.get(one.bus_id)
        told = figure(energy, 3) if math.isfinite(energy) else "∞"  # never cut off
        line = (told, f"{one.side} cal/cm²" if study.bus(one).mains else "cal/cm²")
        worse = severity if before is None or severity == "breach" or (severity and not before.severity) else before.severity
        earlier = tuple((text, unit.removesuffix(" cal/cm²")) for text, unit in before.lines) if before else ()  # the unit once is enough
        tags[one.bus_id] = Tag((*earlier, line), worse)
    return tags
