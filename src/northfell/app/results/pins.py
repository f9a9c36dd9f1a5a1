"""Pinned results: what later ones are compared with. A pin holds the network as it was, so that its results can be found again."""

from dataclasses import dataclass
from secrets import token_hex
from typing import TypeVar

from northfell.app.keeping import Kept
from northfell.app.results.studies import Results
from northfell.core.studies import Study

R = TypeVar("R")


@dataclass(frozen=True)
class Pin:
    """A state of one version of a network."""

    project_id: int
    results: Results
    state: str
    title: str

    def result(self, study: Study[R]) -> R | None:
        """What a study found there; None where it found nothing."""
        return self.results.at(self.state).had(study)


class Pins:
    """The last pins, by token; they last as long as the application runs."""

    def __init__(self, most: int = 50) -> None:
        self._kept: Kept[str, Pin] = Kept(most)

    def put(self, pin: Pin) -> str:
        """Keep a pin; the token by which it is found."""
        token = token_hex(6)
        self._kept.put(token, pin)
        return token

    def of(self, token: str, project_id: int) -> Pin | None:
        """A pin of that project, or None where it is not kept any more."""
        pin = self._kept.get(token)
        return pin if pin is not None and pin.project_id == project_id else None
