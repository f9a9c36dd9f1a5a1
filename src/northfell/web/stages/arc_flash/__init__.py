"""The Arc flash stage: what is dangerous, why, and the labels that say so."""

from collections import Counter
from collections.abc import Iterable
from typing import Any

from northfell.app.data.preparing import boards_without, prepare_arc_flash
from northfell.core.errors import Message, NorthfellError, code_of
from northfell.core.model.network import Network
from northfell.core.studies.arc_flash import ARC_FLASH, DIRECT, EARLIER, NO_ENCLOSURE, ArcFlash
from northfell.web.shell.stage import Look, Stage, Tab
from northfell.web.stages.arc_flash import remedying
from northfell.web.stages.arc_flash.card import arc_flash_figures, if_cleared
from northfell.web.stages.arc_flash.label import label_of
from northfell.web.stages.arc_flash.ledger import devices_table, direct_table, earlier_table, locations_table, timeline_table
from northfell.web.stages.arc_flash.tags import arc_flash_tags


def _waits(arc: ArcFlash) -> list[str]:
    """Each reason for which places of work wait, once, with how many they are."""
    reasons = Counter(reason for one in arc.locations for reason in one.waits)
    return [Message(f"{reason} {n} location{'s wait' if n > 1 else ' waits'} for it.", code_of(reason)) for reason, n in reasons.items()]


def _offers(network: Network, problem: list[str]) -> Iterable[tuple[str, str]]:
    if any(code_of(line) == NO_ENCLOSURE for line in problem) and boards_without(network):
        yield "arc-flash", "Enclosures and mains of all boards"


def _says(look: Look) -> dict[str, Any]:
    label = label_of(look.network, look.results, look.view.selected, look.view.side)
    try:
        study: ArcFlash | None = look.result(ARC_FLASH)
    except NorthfellError:
        study = None
    location = study.location(look.view.selected, label["side"]) if study and label else None
    return {"label": label, "cleared": if_cleared(study, location, look.network) if study else None}


ARC_FLASH_STAGE = Stage(
    path="arc-flash", name="Arc flash", shortcut="a", study=ARC_FLASH,
    tabs=(Tab("locations", "Locations", locations_table), Tab("devices", "Devices", devices_table), Tab("timeline", "Timeline", timeline_table),
          Tab("earlier", "Earlier edition", earlier_table, EARLIER), Tab("direct", "Direct current", direct_table, DIRECT)),
    figures=arc_flash_figures, tags=lambda look: arc_flash_tags(look.result(ARC_FLASH), look.network.settings.limits), says=_says, waits=_waits,
    offers=_offers, prepares={"arc-flash": prepare_arc_flash},
    legend="stages/arc_flash/_legend.html", card="stages/arc_flash/_label.html", acts="stages/arc_flash/_acts.html", by_side=True,
    routers=(remedying.router,),
)  # fmt: skip
