"""Studies over all states as work for a worker: small networks are done in place, since sending them would take longer."""

from typing import Any

from northfell.app.results.studies import Results, StateResults, Told, do_request, kept_as, requested
from northfell.app.workers import STUDIES as LIMITS
from northfell.app.workers import in_worker
from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.network import Network
from northfell.core.studies import STUDIES, Compared, OnRequest
from northfell.core.verdicts import Finding

SMALL = 1000  # elements times states


def _gathered(network: Network, told: Told) -> tuple[list[Finding], dict[str, dict[str, Compared | None]]]:
    results = Results(network)
    found = results.findings(told)
    return found, {state: {study.key: results.at(state).compared(study) for study in STUDIES} for state in network.state_names}


def _asked_for(network: Network, state: str, key: str, of: str, told: Told) -> Any:
    return do_request(StateResults(network, state), key, of, lambda n, of_all: told(n, of_all, key))


def findings(results: Results, told: Told) -> list[Finding]:
    """All findings of a version, gathered once."""
    if not results.findings_are_known and not _is_small(results.network):
        results.know(*in_worker("Gathering the findings", _gathered, results.network, limits=LIMITS, told=told))
    return results.findings(told)


def asked_for(results: Results, state: str, what: OnRequest, of: str, told: Told) -> Any:
    """What is done on request, with its progress told; found once for a version."""
    key = kept_as(state, what, of)
    if key not in results.kept and not _is_small(results.network):
        try:
            results.kept[key] = in_worker(what.doing, _asked_for, results.network, state, what.key, of, limits=LIMITS, told=told)
        except (CannotRun, NoSolution) as error:
            results.kept[key] = error
    return requested(results, state, what, of)


def _is_small(network: Network) -> bool:
    return len(network.elements) * len(network.state_names) <= SMALL
