"""Results of a study over operating states: one run over all is the general case, one state the special one."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Generic, TypeVar

R = TypeVar("R")
V = TypeVar("V", int, float)


@dataclass(frozen=True)
class OverStates(Generic[R]):
    """What a study found in each operating state; states in which it found nothing are among the names, and have no result."""

    states: tuple[str, ...]
    by_state: Mapping[str, R]

    def values(self, of: Callable[[R], V | None]) -> dict[str, V | None]:
        """A figure in every state; None where there is none."""
        return {state: of(self.by_state[state]) if state in self.by_state else None for state in self.states}

    def worst(self, of: Callable[[R], V | None]) -> tuple[str, V] | None:
        """The state in which a figure is largest, the first of several, with the figure; None where no state has one."""
        known = [(state, value) for state, value in self.values(of).items() if value is not None]
        return max(known, key=lambda one: one[1], default=None)
