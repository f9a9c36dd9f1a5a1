"""The Faults stage: what flows where something is short-circuited."""

from northfell.core.studies.short_circuit import SHORT_CIRCUIT
from northfell.web.shell.stage import Stage, Tab
from northfell.web.stages.faults.card import fault_figures
from northfell.web.stages.faults.ledger import contributions_table, faults_table
from northfell.web.stages.faults.tags import fault_tags

FAULTS_STAGE = Stage(
    path="faults", name="Faults", shortcut="s", study=SHORT_CIRCUIT,
    tabs=(Tab("faults", "Faults", faults_table), Tab("contributions", "Contributions", contributions_table)),
    figures=fault_figures, tags=lambda look: fault_tags(look.result(SHORT_CIRCUIT), look.view.selected), legend="stages/faults/_legend.html",
)  # fmt: skip
