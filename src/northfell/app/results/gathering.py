"""Studies over all states as work for a worker: small networks are done in place, since sending them would take longer."""

import math
from typing import Any

from northfell.app.apart import each, parts_for
from northfell.app.results.studies import Results, StateResults, Told, do_request, kept_as, requested, together
from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.network import Network
from northfell.core.studies import STUDIES, Compared, OnRequest
from northfell.core.verdicts import Finding

SMALL = 1000  # elements times states
BATCHES = 64  # at most so many parts of one run: more would cost more to send than they save


def _gathered(network: Network, states: list[str], looked_at: frozenset[str], told: Told) -> tuple[list[Finding], dict[str, dict[str, Compared | None]]]:
    results = Results(network)
    found, figures = results.findings_in(states, told), dict[str, dict[str, Compared | None]]()
    for one in (results.at(state) for state in states):
        those = [study for study in STUDIES if study.key in looked_at or study.concerns(one.elements.values())]
        figures[one.state] = {study.key: one.compared(study) for study in those}
    return found, figures


def _asked_for(network: Network, state: str, key: str, of: str, part: int, parts: int, told: Told) -> Any:
    return do_request(StateResults(network, state), key, of, lambda n, of_all: told(n, of_all, key), part, parts)


def findings(results: Results, told: Told, looked_at: frozenset[str] = frozenset()) -> list[Finding]:
    """All findings of a version, gathered once; with the figures of the studies that concern it, and of those that are looked at, by their keys."""
    if not results.findings_are_known and not _is_small(results.network):
        states = results.network.state_names
        size = math.ceil(len(states) / parts_for(len(states)))
        batches = [(results.network, states[k : k + size], looked_at) for k in range(0, len(states), size)]
        made = each("Gathering the findings", _gathered, batches, told, results.network.name)
        results.know(together([f for found, _ in made for f in found]), {state: figures for _, compared in made for state, figures in compared.items()})
    return results.findings(told)


def asked_for(results: Results, state: str, what: OnRequest, of: str, told: Told) -> Any:
    """What is done on request, with its progress told; found once for a version."""
    key = kept_as(state, what, of)
    if key not in results.kept and not _is_small(results.network):
        try:
            parts = parts_for(BATCHES) if what.share else 1
            made = each(what.doing, _asked_for, [(results.network, state, what.key, of, part, parts) for part in range(parts)], told, results.network.name)
            results.kept[key] = by_turns(made) if parts > 1 else made[0]
        except (CannotRun, NoSolution) as error:
            results.kept[key] = error
    return requested(results, state, what, of)


def by_turns(parts: list[list[Any]]) -> list[Any]:
    """The first of each part, then the second of each, and so on: the order in which they were dealt out."""
    return [parts[n % len(parts)][n // len(parts)] for n in range(sum(map(len, parts)))]


def _is_small(network: Network) -> bool:
    return len(network.elements) * len(network.state_names) <= SMALL
