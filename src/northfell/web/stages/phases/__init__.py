"""Flow by phase: every conductor by itself, beside the balanced flow and within the same place."""

from typing import Any

from northfell.core.studies.phase_flow import PHASE_FLOW, settings_of
from northfell.drawing.words import Tag
from northfell.web.shell.stage import Look, Stage, Tab
from northfell.web.stages.phases import ledger, remedying
from northfell.web.stages.phases.card import phase_figures
from northfell.web.stages.phases.tags import QUANTITIES, USUAL, phase_tags


def _chosen(look: Look) -> tuple[str, ...]:
    codes = look.view.tags.split(".")
    known = tuple(c for c in codes if c in QUANTITIES)
    return known if known or "none" in codes else USUAL


def _tags(look: Look) -> dict[str, Tag]:
    return phase_tags(look.result(PHASE_FLOW), look.network.settings.limits, _chosen(look))


def _says(look: Look) -> dict[str, Any]:
    made = look.results.at(look.view.state).had(PHASE_FLOW)
    names = settings_of(made).phase_names if made is not None else ""
    return {"quantities": QUANTITIES, "tags_shown": _chosen(look), "phase_names": names}


PHASES_STAGE = Stage(
    path="phases", name="Flow by phase", shortcut="p", study=PHASE_FLOW, within="flow",
    tabs=(
        Tab("buses", "Buses", ledger.buses), Tab("branches", "Branches", ledger.branches), Tab("terminals", "Terminals", ledger.terminals),
        Tab("sequence", "Sequence", ledger.sequence), Tab("residuals", "Earth", ledger.residuals), Tab("loads", "Loads", ledger.loads),
        Tab("sources", "Sources", ledger.sources), Tab("regulators", "Regulators", ledger.regulators), Tab("loops", "Loops", ledger.loops_closed),
        Tab("totals", "Totals", ledger.totals),
    ),
    figures=phase_figures, tags=_tags, says=_says, tools="stages/phases/_tools.html", legend="stages/phases/_legend.html",
    acts="stages/phases/_acts.html", routers=(remedying.router,),
)  # fmt: skip
