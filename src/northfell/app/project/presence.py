"""Who else has a project open, and what they have picked. Known as long as their windows keep asking."""

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from threading import Lock

GONE_S = 6.0  # a window that has not asked for so long is taken to be shut
MOST = 1000


@dataclass
class Presence:
    """The windows that are open, by project."""

    now: Callable[[], float] = time.monotonic
    _windows: dict[tuple[int, str], tuple[str, str, float]] = field(default_factory=dict)
    _lock: Lock = field(default_factory=Lock)

    def seen(self, project_id: int, window: str, name: str, picked: str) -> list[tuple[str, str]]:
        """Note a window; returns the others of this project by name, each with what was picked in it."""
        with self._lock:
            self._windows[project_id, window] = name, picked, self.now()
            self._windows = {key: one for key, one in self._windows.items() if self.now() - one[2] < GONE_S}
            while len(self._windows) > MOST:
                self._windows.pop(next(iter(self._windows)))
            others = {(n, p) for (project, _), (n, p, _) in self._windows.items() if project == project_id and n != name}
        return sorted(others)
