"""What was worked out of an element, kept while it stands: an edit makes a new element of what it changes, and leaves all others as they are."""

from collections.abc import Callable
from typing import Any, Generic, TypeVar

T = TypeVar("T")
V = TypeVar("V")
MOST = 60_000


class ByElement(Generic[T, V]):
    """Values by the object they were worked out of, which is known by its identity: equal ones are worked out again."""

    def __init__(self, make: Callable[[T], V], most: int = MOST) -> None:
        self._make, self._most = make, most
        self._kept: dict[int, tuple[T, V]] = {}

    def of(self, one: T) -> V:
        """The value of an object, made if it is not known."""
        known = self._kept.get(id(one))
        if known is not None and known[0] is one:  # held, so its number is nobody else's
            return known[1]
        if len(self._kept) >= self._most:
            self._kept.clear()
        made = self._make(one)
        self._kept[id(one)] = (one, made)
        return made


class LastMade(Generic[T, V]):
    """What was made last of an object and of what stood beside it; made again where that is another now."""

    def __init__(self, most: int = MOST) -> None:
        self._last: ByElement[T, list[tuple[object, V]]] = ByElement(lambda one: [], most)

    def of(self, one: T, beside: object, make: Callable[..., V], *given: Any) -> V:
        """The last thing made where it was made beside the same, else what `make` makes of what is given."""
        last = self._last.of(one)
        found = last[0] if last else None
        if found is None or found[0] != beside:
            found = (beside, make(*given))
            last[:] = [found]  # both at once: requests run side by side
        return found[1]
