"""Studies of large networks in a worker: whoever asks waits, nobody else does.

Only arrays travel back. What a result holds of the network stands for the elements and the network that are here already.
"""

import io
import pickle
from collections.abc import Callable, Mapping
from typing import Any

from northfell.app.results.studies import StateResults
from northfell.app.workers import Limits, TooMuch, in_worker
from northfell.core.errors import CannotRun
from northfell.core.model.elements import Element
from northfell.core.model.network import Network
from northfell.core.model.settings import study_keys

SOLVING = Limits(seconds=900, megabytes=8192)


class _Pickler(pickle.Pickler):
    def __init__(self, file: io.BytesIO, network: Network, elements: Mapping[str, Element]) -> None:
        super().__init__(file, pickle.HIGHEST_PROTOCOL)
        self.network, self.elements = network, elements

    def persistent_id(self, obj: Any) -> tuple[str, str] | None:
        if isinstance(obj, Element) and self.elements.get(obj.id) is obj:
            return "element", obj.id
        return ("network", "") if obj is self.network else None


class _Unpickler(pickle.Unpickler):
    """Reads what a worker of this program has written, nothing else."""

    def __init__(self, data: bytes, network: Network, elements: Mapping[str, Element]) -> None:
        super().__init__(io.BytesIO(data))
        self.network, self.elements = network, elements

    def persistent_load(self, pid: Any) -> Any:
        kind, element_id = pid
        return self.network if kind == "network" else self.elements[element_id]


def _do(network: Network, state: str, work: Callable[..., Any], given: tuple[Any, ...]) -> bytes:
    one = StateResults(network, state)
    out = io.BytesIO()
    _Pickler(out, network, one.elements).dump(work(one, *given))
    return out.getvalue()


def away(one: StateResults, work: Callable[..., Any], *given: Any) -> Any:
    """Work upon a state in a worker, by a function of a module that is given the results of the state.

    Raises
    ------
    CannotRun, NoSolution
        What the work itself says, or that it takes more time or memory than it may.
    """
    try:
        data: bytes = in_worker(f"Solving {one.network.name}", _do, one.network, one.state, work, given, limits=SOLVING, belongs=one.network.name)
    except TooMuch as error:
        study: str = next((s for s in study_keys() if s in given), study_keys()[0])
        raise CannotRun(study, [str(error)]) from None
    return _Unpickler(data, one.network, one.elements).load()
