"""The Coordination stage: curves of a path, the gaps between devices, the rules of each, and what opens first."""

from typing import Any

from northfell.core.model.elements import PROTECTION
from northfell.core.studies.coordination import COORDINATION
from northfell.core.studies.protection import family_of
from northfell.core.studies.trip_order import TRIP_ORDER
from northfell.web.shell.stage import Look, Stage, Tab
from northfell.web.stages.coordination import kept, ledger, proposing, ratios, sending, setting
from northfell.web.stages.coordination.card import coordination_figures, opening
from northfell.web.stages.coordination.sheet import sheet_shown, toggled
from northfell.web.stages.coordination.tags import coordination_tags


def _says(look: Look) -> dict[str, Any]:
    switch = look.element.breaker if isinstance(look.element, PROTECTION) else look.view.selected
    stands_on = [one.name for one in look.network.curves if switch in one.devices]
    shown = sheet_shown(look)
    drawn = shown.sheet.at.get(switch) if shown and shown.sheet else None
    family = toggled(look.view) if drawn and look.element and family_of(drawn.device, look.element) else None
    return {"curves": shown, "opening": opening(look), "switch": switch, "stands_on": stands_on, "family": family}


COORDINATION_STAGE = Stage(
    path="coordination", name="Coordination", shortcut="c", study=COORDINATION, also=(TRIP_ORDER,),
    tabs=(
        Tab("pairs", "Pairs", ledger.pairs_table), Tab("rules", "Rules", ledger.rules_table), Tab("times", "Times", ledger.times_table),
        Tab("settings", "Settings", ledger.settings_shown), Tab("zones", "Zones", ledger.zones_shown),
        Tab("order", "Trip order", ledger.order_table, study=TRIP_ORDER),
    ),
    figures=coordination_figures, tags=coordination_tags, says=_says, waits=lambda found: list(found.waits),
    routers=(setting.router, proposing.router, sending.router, ratios.router, kept.router),
    tools="stages/coordination/_tools.html", beside="stages/coordination/_curves.html",
    legend="stages/coordination/_legend.html", acts="stages/coordination/_acts.html",
)  # fmt: skip
