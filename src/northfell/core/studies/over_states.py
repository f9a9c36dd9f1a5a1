"""Figures of a study over operating states: one run over all is the general case, one state the special one."""

from collections.abc import Mapping
from dataclasses import dataclass

from northfell.core.studies.record import Compared


@dataclass(frozen=True)
class OverStates:
    """What a study found in each operating state; states in which it found nothing are among the names, and have no figures.

    Of states that wait to be solved there are the figures that were found before, if any: they are shown as not current.
    """

    states: tuple[str, ...]
    by_state: Mapping[str, Compared]
    waiting: frozenset[str] = frozenset()  # states that are not solved yet

    @property
    def unknown(self) -> frozenset[str]:
        """States that are not solved yet, and of which nothing was found before."""
        return self.waiting - self.by_state.keys()

    def values(self, what: str, of: str) -> dict[str, float | None]:
        """A figure in every state; None where there is none."""
        return {state: self.by_state.get(state, {}).get(what, {}).get(of) for state in self.states}

    def worst(self, what: str) -> dict[str, tuple[str, float]]:
        """Of all that has such a figure, the state in which it is largest, the first of several, with the figure."""
        found: dict[str, tuple[str, float]] = {}
        for state in self.states:
            for of, value in self.by_state.get(state, {}).get(what, {}).items():
                if of not in found or value > found[of][1]:
                    found[of] = (state, value)
        return found
