"""Faults by phase: every kind that the conductors of a bus allow, beside the solution by sequences and within the same place."""

from typing import Any

from northfell.core.studies.phase_faults import KINDS, PHASE_FAULTS
from northfell.web.shell.stage import Look, Stage, Tab
from northfell.web.stages.phase_faults import ledger
from northfell.web.stages.phase_faults.card import fault_figures
from northfell.web.stages.phase_faults.tags import fault_tags


def _says(look: Look) -> dict[str, Any]:
    return {"kinds": KINDS, "extremes": ledger.extremes(look)}


PHASE_FAULTS_STAGE = Stage(
    path="phase-faults", name="Faults by phase", shortcut="h", study=PHASE_FAULTS, within="faults",
    tabs=(
        Tab("boards", "Faults", ledger.boards), Tab("all", "Every kind", ledger.every_kind), Tab("impedances", "Impedances", ledger.impedances),
        Tab("states", "Over states", ledger.over_states),
    ),
    figures=fault_figures, tags=fault_tags, says=_says, tools="stages/phase_faults/_tools.html", legend="stages/phase_faults/_legend.html",
)  # fmt: skip
