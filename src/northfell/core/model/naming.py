"""Default names: the letters of IEC 81346-2 with the next free number, or what the project sets instead."""

from northfell.core.model.elements import KINDS
from northfell.core.model.network import Network


class Names:
    """Names and ids that are taken, and new ones that are not."""

    def __init__(self, network: Network) -> None:
        self.taken = {e.name for e in network.elements.values()}
        self.ids = set(network.elements)
        self._starts = network.settings.name_starts
        self._next: dict[str, int] = {}

    def start_of(self, kind: str) -> str:
        """How the default names of a kind begin."""
        return self._starts.get(kind, KINDS[kind].LETTER)

    def new(self, kind: str, start: str | None = None) -> str:
        """The next default name of a kind; it is taken from now on."""
        start = self.start_of(kind) if start is None else start
        number = self._next.get(start, 1)
        while f"{start}{number}" in self.taken:
            number += 1
        self._next[start] = number + 1
        return self.take(f"{start}{number}")

    def free(self, name: str) -> str:
        """The name itself, or with a number behind it where it is taken."""
        if name in self.taken:
            name = next(f"{name[:70]} {n}" for n in range(2, 10**6) if f"{name[:70]} {n}" not in self.taken)
        return self.take(name)

    def take(self, name: str) -> str:
        self.taken.add(name)
        return name

    def new_id(self, name: str) -> str:
        """An id for an element of that name: the name, or with a number where that id is in use."""
        new = name if name not in self.ids else next(f"{name} {n}" for n in range(2, 10**6) if f"{name} {n}" not in self.ids)
        self.ids.add(new)
        return new
