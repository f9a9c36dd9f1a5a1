"""Work in parts beside each other: in processes of this machine, or on a Dask scheduler and its workers where one is named."""

import os
from collections.abc import Callable, Sequence
from concurrent.futures import FIRST_EXCEPTION, ThreadPoolExecutor, wait
from threading import Lock
from typing import Any

from northfell.app.cluster import Scheduler
from northfell.app.workers import STUDIES, Told, TooMuch, in_worker

_elsewhere: list[Scheduler] = []  # at most one


def use(scheduler: Scheduler | None) -> None:
    """Do such work on a scheduler from now on; with None, on this machine."""
    _elsewhere[:] = [scheduler] if scheduler else []


def parts_for(most: int) -> int:
    """Into how many parts it pays to split work that has at most so many."""
    return max(1, min(most, _elsewhere[0].workers() if _elsewhere else os.cpu_count() or 1))


def each(
    what: str, work: Callable[..., Any], parts: Sequence[tuple[Any, ...]], told: Told | None = None, belongs: str = "", each_by_itself: bool = False
) -> list[Any]:
    """Do work once for each part, beside each other, and give the results in the order of the parts.

    Parameters
    ----------
    what : str
        What is done, for messages.
    work : callable
        A function of a module, called with the data of a part and, last, with a function that hears of each step of it.
    told : callable, optional
        Hears of the steps of all; what it raises ends the work.
    belongs : str
        To which project: those that wait for a processor take turns by that.
    each_by_itself : bool
        A part that takes too much takes no other's result away: what it says stands in its place.

    Raises
    ------
    NorthfellError
        What a part refuses, or that the scheduler is lost or takes too much.
    """
    if _elsewhere:
        return _elsewhere[0].each(what, work, parts, told, each_by_itself)
    sums = _Sums(len(parts), told)

    def one(k: int) -> Any:
        try:
            return in_worker(what, work, *parts[k], limits=STUDIES, told=sums.of(k), belongs=belongs)
        except TooMuch as error:
            if each_by_itself:
                return error
            raise

    if len(parts) == 1:
        return [one(0)]
    with ThreadPoolExecutor(len(parts)) as beside:
        begun = [beside.submit(one, k) for k in range(len(parts))]
        ended, _ = wait(begun, return_when=FIRST_EXCEPTION)
        failed = next((error for part in ended if (error := part.exception()) is not None), None)
        if failed is not None:
            sums.given_up = True
            raise failed
        return [part.result() for part in begun]


class _Sums:
    """The steps of several parts as those of one."""

    def __init__(self, parts: int, told: Told | None) -> None:
        self._at, self._told, self._lock, self.given_up = [(0, 0)] * parts, told, Lock(), False

    def of(self, part: int) -> Told:
        def step(done: int, of: int, doing: str = "") -> None:
            if self.given_up:
                raise InterruptedError  # another part has failed: nobody waits for this one
            with self._lock:  # who hears of the steps hears one after the other
                self._at[part] = (done, of)
                if self._told:
                    self._told(sum(n for n, _ in self._at), sum(n for _, n in self._at), doing)

        return step
