"""The Faults stage: what flows where something is short-circuited, what the rest of the network sees, and whether equipment stands it."""

import math
from typing import Any

from northfell.core.studies.duty import DUTY
from northfell.core.studies.short_circuit import ALONG, FAULT_WORDS, FAULTS, OPEN, SHORT_CIRCUIT, ShortCircuit
from northfell.web.shell.naming import ENDS
from northfell.web.shell.stage import Look, Stage, Tab
from northfell.web.stages.faults import ledger, remedying, through
from northfell.web.stages.faults.card import fault_figures
from northfell.web.stages.faults.tags import fault_tags


def _says(look: Look) -> dict[str, Any]:
    selected = look.network.elements.get(look.view.selected)
    return {
        "faults": [(fault, FAULT_WORDS[fault]) for fault in FAULTS],
        "faulted": selected.name if selected is not None and selected.kind == "bus" else "",
        "with_ends": look.view.ends == ENDS,
        **_extremes(look),
        "school": look.network.settings.of(SHORT_CIRCUIT.settings),
    }


def _extremes(look: Look) -> dict[str, Any]:
    """The boards with the highest and the lowest current of the fault and case looked at; none where there is no result."""
    faults = look.results.at(look.view.state).outcome(SHORT_CIRCUIT.key)
    if not isinstance(faults, ShortCircuit):
        return {"highest": None, "lowest": None}
    ik = faults.cases[look.view.case].of(look.view.fault).ik_ka
    known = [(float(ik[b]), faults.net.elements[faults.net.topology.bus_ids[b]]) for b in ledger.listed_buses(look, faults) if math.isfinite(float(ik[b]))]
    return {"highest": max(known, key=lambda one: one[0], default=None), "lowest": min(known, key=lambda one: one[0], default=None)}


FAULTS_STAGE = Stage(
    path="faults", name="Faults", shortcut="s", study=SHORT_CIRCUIT, also=(DUTY,),
    tabs=(
        Tab("faults", "Faults", ledger.faults_table), Tab("contributions", "Contributions", ledger.contributions_table),
        Tab("during", "During the fault", ledger.during_table), Tab("along", "Along", ledger.along_table, ALONG, lambda network, view: view.selected),
        Tab("open", "Open conductor", ledger.open_table, OPEN, lambda network, view: view.selected), Tab("duty", "Duty", ledger.duty_table, study=DUTY),
    ),
    listed=lambda result, view: result.listing(view.fault) if isinstance(result, ShortCircuit) else result,
    figures=fault_figures, tags=fault_tags, says=_says, tools="stages/faults/_tools.html", legend="stages/faults/_legend.html",
    acts="stages/faults/_acts.html", pins=True, by_phase="phase-faults", routers=(remedying.router, through.router),
)  # fmt: skip
