"""Load flow of one compiled state: who holds what, the solution, and the controls that act until all of them rest."""

from dataclasses import replace

from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.network import title_of
from northfell.core.network import Compiled, fed, with_data
from northfell.core.studies.load_flow.carried import carried
from northfell.core.studies.load_flow.case import Case
from northfell.core.studies.load_flow.controls import Controls
from northfell.core.studies.load_flow.result import LoadFlow
from northfell.core.studies.load_flow.settings import LoadFlowSettings
from northfell.core.studies.load_flow.sources import STUDY, sources_of


def run(net: Compiled, settings: LoadFlowSettings | None = None) -> LoadFlow:
    """Balanced load flow of a compiled state. Each island stands for itself: one that lacks something, or has no solution, is kept back and told.

    Raises
    ------
    CannotRun
        If data, a supply or a reference is missing.
    NoSolution
        If no method finds voltages at which the power balances.
    """
    case = case_of(net, settings)
    try:
        return carried_by(case)
    except NoSolution as error:
        if len(case.net.topology.fed_islands) == 1:
            raise _explained(error, case) from None
    return carried_by(_without_those_that_fail(case))


def _explained(error: NoSolution, case: Case) -> NoSolution:
    """The same, with what reactive limits have to do with it: what sources would have to give if they did not act."""
    if case.settings.reactive_limits == "off" or not (case.sources.magnitude or case.sources.reference_range):
        return error
    try:
        flow = carried_by(case_of(case.net, case.settings.model_copy(update={"reactive_limits": "off"})))
    except (CannotRun, NoSolution):
        return error
    asked = [f"{title_of(g)} would give {q:.4g} Mvar, its limit is {limit:g}" for g, q, _, limit in flow.broken_limits()]
    return replace(error, suspect=f"Without reactive limits there is a solution: {'; '.join(asked)}.") if asked else error


def _without_those_that_fail(case: Case) -> Case:
    """The case with the islands kept back that have no solution by themselves.

    Raises
    ------
    NoSolution
        If none has one.
    """
    net, top = case.net, case.net.topology
    buses = {island: [i for i, node in enumerate(top.node_of_bus) if node >= 0 and top.island_of_node[node] == island] for island in top.fed_islands}
    failed: list[tuple[int, str]] = []
    first: NoSolution | None = None
    for island, own in buses.items():
        others = [b for other, those in buses.items() if other != island for b in those[:1]]
        alone = case_of(net.masked(others), case.settings)
        try:
            carried_by(alone)
        except NoSolution as found:
            error = _explained(found, alone)
            failed.append((own[0], str(error)))
            first = first or error
    if first is not None and len(failed) == len(buses):
        raise first
    return case_of(net.holding_back(failed, "no solution"), case.settings)


def case_of(net: Compiled, settings: LoadFlowSettings | None = None) -> Case:
    """The state made ready for the iteration.

    Raises
    ------
    CannotRun
        If data, a supply or a reference is missing.
    """
    settings = settings or net.network.settings.of(LoadFlowSettings)
    net = with_data(net, STUDY)
    while True:
        sources, faults = sources_of(net, settings)
        if not faults:
            return Case(net, settings, sources)
        net = fed(net.holding_back(faults), STUDY)


def case_at(flow: LoadFlow) -> Case:
    """The case of a solved state with its controls where they were found, for questions about that solution."""
    case = case_of(flow.net, flow.settings)
    case.ratio, case.shunt = flow.ratio.copy(), flow.shunt.copy()
    for node in (*case.sources.reference, *case.sources.holders):
        if (side := next((flow.at_limit[e.id] for e in case.holding(node) if e.id in flow.at_limit), None)) is not None:
            case.at_limit[node] = "most" if side == "most" else "least"
    return case


def carried_by(case: Case) -> LoadFlow:
    """The solution of a case, and what each element then carries."""
    controls = Controls(case)
    v = controls.settled()
    messages = [*case.sources.messages, *controls.messages]
    if case.halvings:
        messages.append(f"{case.halvings} Newton steps had to be shortened.")
    if case.continued_from_nothing:
        messages.append("Newton's method alone did not converge: load and generation were raised step by step from nothing.")
    return carried(case, v, tuple(messages))
