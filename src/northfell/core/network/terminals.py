"""Every terminal of what takes part, numbered through, so that results at terminals are plain arrays."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from northfell.core.model.elements import Element
from northfell.core.network.topology import Ints, Topology


@dataclass(frozen=True)
class Terminals:
    """The terminals of the elements in service, element by element in the order of the network."""

    elements: tuple[Element, ...]
    at: Mapping[str, int]  # id of an element -> its position among them
    first: Ints  # (element,) number of its first terminal
    count: Ints  # (element,)
    bus: Ints  # (terminal,)
    element: Ints  # (terminal,) position of its element

    @cached_property
    def start(self) -> dict[str, int]:
        """Number of each element's first terminal."""
        return dict(zip(self.at, self.first.tolist(), strict=True))

    def of(self, element_id: str) -> slice:
        """The numbers of an element's terminals; none where it does not take part."""
        k = self.at.get(element_id, -1)
        return slice(int(self.first[k]), int(self.first[k] + self.count[k])) if k >= 0 else slice(0)

    def positions(self, ids: tuple[str, ...]) -> Ints:
        """Positions of elements, by their ids."""
        return np.array([self.at[i] for i in ids], np.intp)


def terminals_of(elements: Mapping[str, Element], topology: Topology) -> Terminals:
    """Number the terminals of what is in service."""
    those = tuple(e for e in elements.values() if e.TERMINALS and topology.live[e.id])
    count = np.array([len(e.TERMINALS) for e in those], np.intp)
    return Terminals(
        elements=those,
        at={e.id: k for k, e in enumerate(those)},
        first=np.cumsum(count) - count,
        count=count,
        bus=np.array([topology.bus_index[b] for e in those for b in e.buses], np.intp),
        element=np.repeat(np.arange(len(those)), count),
    )
