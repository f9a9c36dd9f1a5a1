"""The Sizing stage: what the installation code asks of every circuit, which rule decides, and whether what stands there keeps it."""

from typing import Any

from northfell.core.model.elements import Cable
from northfell.core.rules.ways import downstream
from northfell.core.studies.sizing import SIZING, SizingSettings
from northfell.web.shell.stage import Look, Stage, Tab
from northfell.web.stages.sizing import ledger, proposing
from northfell.web.stages.sizing.card import sizing_figures
from northfell.web.stages.sizing.tags import sizing_tags


def _says(look: Look) -> dict[str, Any]:
    """How many cables hang on the selected element, and the code that is applied."""
    below = downstream(look.results.at(look.view.state).elements, look.view.selected) if look.element else []
    cables = [i for i in below if isinstance(look.network.elements.get(i), Cable)]
    return {"cables_below": len(cables), "code": look.network.settings.of(SizingSettings).code}


SIZING_STAGE = Stage(
    path="sizing", name="Sizing", shortcut="z", study=SIZING,
    tabs=(
        Tab("circuits", "Circuits", ledger.circuits_table), Tab("beside", "Devices and beside", ledger.beside_table), Tab("rules", "Rules", ledger.rules_table),
        Tab("cables", "Cables", ledger.cables_table), Tab("raceways", "Raceways", ledger.raceways_table), Tab("loads", "Loads", ledger.loads_table),
        Tab("panels", "Panels", ledger.panels_table), Tab("left", "Left out", ledger.left_table),
    ),
    figures=sizing_figures, tags=sizing_tags, says=_says, routers=(proposing.router,),
    tools="stages/sizing/_tools.html", legend="stages/sizing/_legend.html", acts="stages/sizing/_acts.html",
)  # fmt: skip
