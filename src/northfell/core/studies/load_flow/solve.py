"""Load flow of one compiled state: who holds what, the solution, and the controls that act until all of them rest."""

from northfell.core.errors import CannotRun
from northfell.core.model.completeness import missing
from northfell.core.model.settings import LoadFlowSettings
from northfell.core.network import Compiled
from northfell.core.studies.load_flow.carried import carried
from northfell.core.studies.load_flow.case import Case
from northfell.core.studies.load_flow.controls import Controls
from northfell.core.studies.load_flow.result import LoadFlow
from northfell.core.studies.load_flow.sources import STUDY, sources_of


def run(net: Compiled, settings: LoadFlowSettings | None = None) -> LoadFlow:
    """Balanced load flow of a compiled state.

    Raises
    ------
    CannotRun
        If data, a supply or a reference is missing.
    NoSolution
        If no method finds voltages at which the power balances.
    """
    return carried_by(case_of(net, settings))


def case_of(net: Compiled, settings: LoadFlowSettings | None = None) -> Case:
    """The state made ready for the iteration.

    Raises
    ------
    CannotRun
        If data, a supply or a reference is missing.
    """
    settings = settings or net.network.settings.load_flow
    if lacking := missing(net.elements, STUDY, net.taking_part.values()):
        raise CannotRun(STUDY, [str(one) for one in lacking])
    if not net.topology.fed_node.any():
        raise CannotRun(STUDY, ["There is no supply: no infeed and no generator is in service. Put one into service, or add one."])
    return Case(net, settings, sources_of(net, settings))


def case_at(flow: LoadFlow) -> Case:
    """The case of a solved state with its controls where they were found, for questions about that solution."""
    case = case_of(flow.net, flow.settings)
    case.ratio, case.shunt = flow.ratio.copy(), flow.shunt.copy()
    case.at_limit = {int(case.sources.machine_node[i]): "most" if side == "most" else "least" for i, side in flow.at_limit.items()}
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
