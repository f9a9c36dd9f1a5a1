"""Sizes looked for in every state, kept with the results of the version."""

from collections.abc import Sequence

from northfell.app.results.studies import Results
from northfell.core.errors import NotFound
from northfell.core.model.elements import Cable
from northfell.core.rules.ways import downstream
from northfell.core.studies.sizing import SizeProposal, propose


def cables_of(results: Results, state: str, of: str, ids: Sequence[str]) -> list[str]:
    """The cables that are asked for: those named, all that hang on some elements, or all of the network.

    Raises
    ------
    NotFound
        If there is none among them.
    """
    network = results.network
    if of == "all":
        among = list(network.elements)
    elif of == "downstream":
        elements = results.at(state).elements
        among = [i for start in ids if start in elements for i in downstream(elements, start)]
    else:
        among = list(ids)
    found = [i for i in dict.fromkeys(among) if isinstance(network.elements.get(i), Cable)]
    if not found:
        raise NotFound("There is no cable among what is chosen.")
    return found


def sizes_for(results: Results, state: str, of: str, ids: Sequence[str]) -> SizeProposal:
    """Sizes that keep the rules of the code in every state; found once for a version."""
    cables = cables_of(results, state, of, ids)
    key = "sizes\n" + "\n".join(cables)
    if key not in results.kept:
        results.kept[key] = propose(results.network, cables)
    found: SizeProposal = results.kept[key]
    return found
