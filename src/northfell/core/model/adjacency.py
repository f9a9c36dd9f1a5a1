"""Which elements stand at which bus, and what stands at which device: found once for a version of a network."""

from collections.abc import Mapping

from northfell.core.model.elements import Bus, Element


class Adjacency:
    """Neighbours as drawn, whatever stands open. Connections are the same in every operating state."""

    def __init__(self, elements: Mapping[str, Element]) -> None:
        self.at: dict[str, list[str]] = {e.id: [] for e in elements.values() if isinstance(e, Bus)}  # ids in the order of the network
        self.attached: dict[str, list[str]] = {}  # relays and current transformers, by what they stand at
        for e in elements.values():
            for bus in e.buses:
                self.at[bus].append(e.id)
            if e.holder is not None:
                self.attached.setdefault(e.holder, []).append(e.id)
