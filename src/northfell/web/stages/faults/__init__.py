"""The Faults stage: what flows where something is short-circuited, what the rest of the network sees, and whether equipment stands it."""

from typing import Any

from northfell.core.studies.duty import DUTY
from northfell.core.studies.short_circuit import FAULT_WORDS, FAULTS, SHORT_CIRCUIT
from northfell.web.shell.stage import Look, Stage, Tab
from northfell.web.stages.faults import ledger, remedying
from northfell.web.stages.faults.card import fault_figures
from northfell.web.stages.faults.tags import fault_tags


def _says(look: Look) -> dict[str, Any]:
    selected = look.network.elements.get(look.view.selected)
    return {
        "faults": [(fault, FAULT_WORDS[fault]) for fault in FAULTS],
        "faulted": selected.name if selected is not None and selected.kind == "bus" else "",
        "with_ends": look.view.ends == ledger.ENDS,
        "school": look.network.settings.of(SHORT_CIRCUIT.settings),
    }


FAULTS_STAGE = Stage(
    path="faults", name="Faults", shortcut="s", study=SHORT_CIRCUIT, also=(DUTY,),
    tabs=(
        Tab("faults", "Faults", ledger.faults_table), Tab("contributions", "Contributions", ledger.contributions_table),
        Tab("during", "During the fault", ledger.during_table), Tab("duty", "Duty", ledger.duty_table, study=DUTY),
    ),
    figures=fault_figures, tags=fault_tags, says=_says, tools="stages/faults/_tools.html", legend="stages/faults/_legend.html",
    acts="stages/faults/_acts.html", pins=True, routers=(remedying.router,),
)  # fmt: skip
