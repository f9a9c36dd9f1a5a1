"""Long runs in the background: a few beside each other, with progress, and given up when something newer is asked for in their place."""

import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from threading import Lock
from typing import Any

AT_ONCE = 4  # so that one project does not wait for another's long run


class GivenUp(Exception):
    """The run was cancelled, or something newer took its place."""


@dataclass
class Job:
    """A run with what it is doing."""

    place: str  # what it is for: a newer one for the same place takes its place
    key: str  # of which version
    done: int = 0
    of: int = 0
    doing: str = ""
    given_up: bool = False
    future: Future[Any] = field(default_factory=Future)

    def told(self, done: int, of: int, doing: str = "") -> None:
        """What the run calls at each step.

        Raises
        ------
        GivenUp
            If nobody waits for it any more.
        """
        if self.given_up:
            raise GivenUp
        self.done, self.of, self.doing = done, of, doing
        time.sleep(0)  # lets an answer go first

    @property
    def finished(self) -> bool:
        return self.future.done()


class Jobs:
    """The runs of the application; at most one for each place."""

    def __init__(self, at_once: int = AT_ONCE) -> None:
        self._pool = ThreadPoolExecutor(max_workers=at_once, thread_name_prefix="job")
        self._jobs: dict[str, Job] = {}
        self._lock = Lock()

    def start(self, place: str, key: str, work: Callable[[Job], Any]) -> Job:
        """The run for a place and version: the one that is under way, or a new one."""
        with self._lock:
            job = self._jobs.get(place)
            if job is not None and job.key == key and not job.given_up:
                return job
            if job is not None:
                job.given_up = True
            job = self._jobs[place] = Job(place, key)
            while len(self._jobs) > 200:
                self._jobs.pop(next(iter(self._jobs))).given_up = True
        job.future = self._pool.submit(_run, job, work)
        return job

    def of(self, place: str) -> Job | None:
        with self._lock:
            return self._jobs.get(place)

    def cancel(self, place: str) -> None:
        """Give up the run of a place."""
        with self._lock:
            if job := self._jobs.get(place):
                job.given_up = True


def _run(job: Job, work: Callable[[Job], Any]) -> Any:
    if job.given_up:
        raise GivenUp
    return work(job)
