"""What one island lacks keeps back that island: the others stand for themselves, and what was kept back is told with its reasons."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from northfell.core.errors import Message, code_of
from northfell.core.network.topology import Topology
from northfell.core.rules.completeness import Missing

Why = Literal["data", "no solution", "by phase"]


@dataclass(frozen=True)
class HeldBack:
    """An island of which a study gives nothing."""

    bus: str  # the name of one of its buses
    buses: frozenset[int]
    reasons: tuple[str, ...]
    why: Why = "data"
    lacking: tuple[Missing, ...] = ()  # fields that are empty, where that is the reason

    @property
    def told(self) -> list[str]:
        """The reasons, one to a line, as they stand beside the results of the others."""
        return [Message(f"The part of the network at {self.bus} has no result. {reason}", code_of(reason)) for reason in self.reasons]


def held(topology: Topology, names: Mapping[int, str], reasons: Iterable[tuple[int, str]], why: Why, lacking: Mapping[str, Missing]) -> tuple[HeldBack, ...]:
    """The islands in which something stands against a result.

    Parameters
    ----------
    topology : Topology
    names : mapping of bus index to name
    reasons : pairs of a bus index and what is wrong there
    lacking : mapping of a reason to the field that is empty
    """
    by_island: dict[int, list[str]] = {}
    for bus, reason in reasons:
        by_island.setdefault(int(topology.island_of_node[topology.node_of_bus[bus]]), []).append(reason)
    island_of_bus = np.where(topology.node_of_bus >= 0, topology.island_of_node[topology.node_of_bus], -1)
    found = []
    for island, told in by_island.items():
        buses = np.flatnonzero(island_of_bus == island).tolist()
        once = tuple(dict.fromkeys(told))
        found.append(HeldBack(names[buses[0]], frozenset(buses), once, why, tuple(lacking[r] for r in once if r in lacking)))
    return tuple(found)
