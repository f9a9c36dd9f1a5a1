"""Studies over all states as work for a worker: small networks are done in place, since sending them would take longer."""

from northfell.app.results.studies import Results, Told, each_out_of, maximum_of
from northfell.app.workers import STUDIES, in_worker
from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.network import Network
from northfell.core.studies.load_flow.maximum import MaximumLoading
from northfell.core.studies.load_flow.outages import Outage
from northfell.core.verdicts import Finding

SMALL = 1000  # elements times states


def _findings(network: Network, told: Told) -> list[Finding]:
    return Results(network).findings(told)


def _outages(network: Network, state: str, told: Told) -> list[Outage]:
    return each_out_of(Results(network), state, told)


def _maximum(network: Network, state: str, of: str, told: Told) -> list[MaximumLoading]:
    return maximum_of(Results(network), state, of)


def findings(results: Results, told: Told) -> list[Finding]:
    """All findings of a version, gathered once."""
    if not results.findings_are_known and not _is_small(results.network):
        results.know_findings(in_worker("Gathering the findings", _findings, results.network, limits=STUDIES, told=told))
    return results.findings(told)


def outages(results: Results, state: str, told: Told) -> list[Outage]:
    """Every element out in turn, found once for a version."""
    key = f"outages\n{state}"
    if key not in results.kept and not _is_small(results.network):
        results.kept[key] = in_worker("Taking each element out", _outages, results.network, state, limits=STUDIES, told=told)
    return each_out_of(results, state, told)


def maximum(results: Results, state: str, of: str, told: Told) -> list[MaximumLoading]:
    """How far the load can be raised, found once for a version."""
    key = f"maximum\n{state}\n{of}"
    if key not in results.kept and not _is_small(results.network):
        try:
            results.kept[key] = in_worker("Raising the load", _maximum, results.network, state, of, limits=STUDIES, told=told)
        except (CannotRun, NoSolution) as error:
            results.kept[key] = error
    return maximum_of(results, state, of)


def _is_small(network: Network) -> bool:
    return len(network.elements) * len(network.state_names) <= SMALL
