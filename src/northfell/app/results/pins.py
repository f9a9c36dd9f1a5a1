"""Pinned results: what later ones are compared with. A pin holds the network as it was, so that its results can be found again."""

from collections import OrderedDict
from dataclasses import dataclass
from secrets import token_hex
from threading import Lock

from northfell.app.results.studies import Results
from northfell.core.studies.load_flow import LoadFlow


@dataclass(frozen=True)
class Pin:
    """A state of one version of a network."""

    project_id: int
    results: Results
    state: str
    title: str

    def load_flow(self) -> LoadFlow | None:
        """Its load flow; None where there was no solution."""
        outcome = self.results.at(self.state).outcome("load_flow")
        return outcome if isinstance(outcome, LoadFlow) else None


class Pins:
    """The last pins, by token; they last as long as the application runs."""

    def __init__(self, most: int = 50) -> None:
        self._kept: OrderedDict[str, Pin] = OrderedDict()
        self._most = most
        self._lock = Lock()

    def put(self, pin: Pin) -> str:
        token = token_hex(6)
        with self._lock:
            self._kept[token] = pin
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return token

    def of(self, token: str, project_id: int) -> Pin | None:
        """A pin of that project, or None where it is not kept any more."""
        with self._lock:
            pin = self._kept.get(token)
        return pin if pin is not None and pin.project_id == project_id else None
