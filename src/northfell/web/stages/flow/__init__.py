"""The Flow stage: voltages, flows and loadings, with what is asked beside them."""

from typing import Any

from northfell.app.results.studies import requested
from northfell.core.model.elements import InductionMotor, SynchronousMotor
from northfell.core.studies.load_flow import LOAD_FLOW, MAXIMUM, OUTAGES, START
from northfell.drawing.words import Tag
from northfell.web.shell.stage import Look, Stage, Tab
from northfell.web.stages.flow import causes, ledger
from northfell.web.stages.flow.card import flow_figures
from northfell.web.stages.flow.tags import QUANTITIES, USUAL, flow_tags


def _starting(look: Look) -> bool:
    """Whether the start of the selected motor is what is looked at."""
    return look.view.shown_tab == "start" and isinstance(look.network.elements.get(look.view.selected), InductionMotor | SynchronousMotor)


def _chosen(look: Look) -> tuple[str, ...]:
    """The quantities that were chosen; “none” is a choice too, and codes of other stages are not."""
    codes = look.view.tags.split(".")
    known = tuple(c for c in codes if c in QUANTITIES)
    return known if known or "none" in codes else USUAL


def _tags(look: Look) -> dict[str, Tag]:
    chosen = _chosen(look)
    flow = requested(look.results, look.view.state, START, look.view.selected).during if _starting(look) else look.result(LOAD_FLOW)
    return flow_tags(flow, look.network.settings.limits, chosen, look.view.shade or "voltage", look.pinned)


def _says(look: Look) -> dict[str, Any]:
    return {"starting": look.network.elements[look.view.selected].name if _starting(look) else "", "quantities": QUANTITIES, "tags_shown": _chosen(look)}


FLOW_STAGE = Stage(
    path="flow", name="Flow", shortcut="f", study=LOAD_FLOW,
    tabs=(
        Tab("branches", "Branches", ledger.branches), Tab("buses", "Buses", ledger.buses), Tab("sources", "Sources", ledger.sources),
        Tab("loads", "Loads", ledger.loads), Tab("controls", "Controls", ledger.controls), Tab("totals", "Totals", ledger.totals),
        Tab("areas", "Areas", ledger.areas), Tab("reactive", "Reactive", ledger.reactive), Tab("outages", "Each out", ledger.outages, OUTAGES),
        Tab("start", "Start", ledger.starts, START, lambda network, view: view.selected),
        Tab("maximum", "Maximum", ledger.maximum, MAXIMUM, ledger.raised),
    ),
    figures=flow_figures, tags=_tags, says=_says, tools="stages/flow/_tools.html", legend="stages/flow/_legend.html", acts="stages/flow/_acts.html",
    why=("loading", "voltage"), pins=True, by_phase="phases", routers=(causes.router,),
)  # fmt: skip
