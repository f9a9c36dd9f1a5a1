"""What is kept for the next time: the last few things made, by what they were made of. One form for all of them, safe for requests side by side."""

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

from cachetools import LRUCache

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Kept(Generic[K, V]):
    """The last `most` values that were asked for, by key; what was asked for longest ago goes first."""

    def __init__(self, most: int) -> None:
        self._kept: LRUCache[K, V] = LRUCache(most)
        self._lock = Lock()

    def get(self, key: K) -> V | None:
        """What is kept under a key, or None."""
        with self._lock:
            return self._kept.get(key)

    def put(self, key: K, value: V) -> V:
        """Keep a value under a key."""
        with self._lock:
            self._kept[key] = value
        return value

    def of(self, key: K, make: Callable[[], V]) -> V:
        """What is kept under a key, made if there is nothing; made once, so `make` must be quick."""
        with self._lock:
            if key not in self._kept:
                self._kept[key] = make()
            return self._kept[key]
