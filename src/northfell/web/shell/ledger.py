"""The ledger along the bottom: the tables of the stage shown, and the findings that every stage lists."""

from dataclasses import replace

from northfell.app.results.findings import counts, gathered
from northfell.core.errors import CannotRun, NorthfellError
from northfell.core.model.network import Network
from northfell.core.verdicts import Finding
from northfell.web.shell.stage import FINDINGS, STAGES, Look, name_of_study
from northfell.web.shell.table_cells import CellShown, Head, Ledger, RowShown, text
from northfell.web.shell.wording import worded


def ledger_of(look: Look) -> Ledger:
    """The ledger of the tab shown. A study that cannot run gives its reasons and no rows."""
    stage, found = STAGES[look.view.stage], look.findings
    count = sum(counts(look.network, found).values()) if found is not None else None
    tabs = [*((tab.key, tab.name, None) for tab in stage.tabs), (FINDINGS, "Findings", count)]
    tab = next((tab for tab in stage.tabs if tab.key == look.view.shown_tab), None)
    try:
        made = tab.make(look) if tab else _findings(look.network, found or [])
    except CannotRun as error:
        made = Ledger([], [], [], list(error.reasons))
    except NorthfellError as error:
        made = Ledger([], [], [], [str(error)])
    return replace(made, tabs=tabs)


def _findings(network: Network, findings: list[Finding]) -> Ledger:
    """One row for each thing found, in the state where it is worst; what was acknowledged stands on the page of findings."""
    rows = []
    for g in gathered(network, findings):
        f = g.worst
        also = f"{f.state}, and {len(g.states) - 1} more" if len(g.states) > 1 else f.state
        if g.acknowledged is None:
            cells = [text(f.element), CellShown(worded(f.text + (f" {f.help}" if f.help else "")), worded(f.text)), text(name_of_study(f.study)), text(also)]
            rows.append(RowShown(f.element_id, cells, f.severity, state=f.state))
    heads = [Head("Where"), Head("What"), Head("Stage"), Head("Worst in")]
    return Ledger([], heads, rows, empty="No findings: all results are within the project's limits in every state.")
