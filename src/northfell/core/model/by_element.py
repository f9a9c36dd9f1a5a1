"""What was worked out of an element, kept while it stands: an edit makes a new element of what it changes, and leaves all others as they are."""

from collections.abc import Callable, Iterable
from typing import Any, Generic, TypeVar
from weakref import ref

T = TypeVar("T")
V = TypeVar("V")


class _Held(ref[Any]):
    """The object that something was worked out of, as long as anybody else holds it, and its number."""

    __slots__ = ("number",)
    number: int


class ByElement(Generic[T, V]):
    """Values by the object they were worked out of, which is known by its identity: equal ones are worked out again. They go with it."""

    def __init__(self, make: Callable[[T], V]) -> None:
        self._make = make
        self._kept: dict[int, tuple[_Held, V]] = {}

    def of(self, one: T) -> V:
        """The value of an object, made if it is not known."""
        known = self._kept.get(id(one))
        if known is not None and known[0]() is one:
            return known[1]
        made = self._make(one)
        held = _Held(one, self._forget)
        held.number = id(one)
        self._kept[held.number] = (held, made)
        return made

    def each(self, those: Iterable[T]) -> list[V]:
        """The values of many objects, of which most are known."""
        kept = self._kept
        return [known[1] if (known := kept.get(id(one))) is not None and known[0]() is one else self.of(one) for one in those]

    def _forget(self, gone: _Held) -> None:
        known = self._kept.get(gone.number)
        if known is not None and known[0] is gone:  # else its number is another's by now
            del self._kept[gone.number]


class LastMade(Generic[T, V]):
    """What was made last of an object and of what stood beside it; made again where that is another now."""

    def __init__(self) -> None:
        self._last: ByElement[T, list[tuple[object, V]]] = ByElement(lambda one: [])

    def of(self, one: T, beside: object, make: Callable[..., V], *given: Any) -> V:
        """The last thing made where it was made beside the same, else what `make` makes of what is given."""
        last = self._last.of(one)
        found = last[0] if last else None
        if found is None or found[0] != beside:
            found = (beside, make(*given))
            last[:] = [found]  # both at once: requests run side by side
        return found[1]
