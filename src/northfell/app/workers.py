"""Work that may take long or much, in a process of its own with limits: what one asks for never holds up another's answer.

A worker is forked from a small server that has the program loaded already. It is given plain data and sends back a result, an error that a
person can act on, or steps of progress; one that takes too much is ended, and says what was too much. One that something else has ended
is begun once more.
"""

import multiprocessing
import os
import resource
import signal
import sys
from collections import OrderedDict, deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection
from threading import Event, Lock
from typing import Any

from northfell.core.errors import NorthfellError

Told = Callable[[int, int, str], None]
_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload(
    ["northfell.app.project.importing", "northfell.app.results.gathering", "northfell.app.results.solving", "northfell.app.draw.arrange"]
)
_starting = Lock()


class Turns:
    """So many at a time; who waits is let in by turns of what it belongs to, so that many parts of one project do not hold up another's."""

    def __init__(self, places: int) -> None:
        self._free, self._waiting, self._lock = places, OrderedDict[str, deque[Event]](), Lock()

    @contextmanager
    def turn(self, belongs: str) -> Iterator[None]:
        """Wait for a place, and give it on afterwards."""
        with self._lock:
            let_in = Event()
            if self._free and not self._waiting:
                self._free -= 1
                let_in.set()
            else:
                self._waiting.setdefault(belongs, deque()).append(let_in)
        let_in.wait()
        try:
            yield
        finally:
            with self._lock:
                self._next()

    def _next(self) -> None:
        if not self._waiting:
            self._free += 1
            return
        belongs, queue = self._waiting.popitem(last=False)
        queue.popleft().set()
        if queue:
            self._waiting[belongs] = queue  # behind all others


_room = Turns(max(2, os.cpu_count() or 2))


class TooMuch(NorthfellError):
    """What was asked for took more time or memory than it may."""


@dataclass(frozen=True)
class Limits:
    """What a worker may take."""

    seconds: int = 180  # of computing
    megabytes: int = 2048  # beyond what the program itself takes


BEHIND = 5  # by how much a worker lets an answer, and the page that shows it, go first (of 19): a quarter of a processor that is asked for by both
TRIES = 2  # a worker that was ended by something else is begun once more
ENDED_BY_LIMIT = (-signal.SIGXCPU,)
READING = Limits()
STUDIES = Limits(seconds=3600, megabytes=8192)


def in_worker(what: str, work: Callable[..., Any], *given: Any, limits: Limits = READING, told: Told | None = None, belongs: str = "") -> Any:
    """Do work in a process of its own; waits for it.

    Parameters
    ----------
    what : str
        What is done, for the message: “Reading the file”.
    work : callable
        A function of a module, with data that can be sent to another process. With `told`, it gets that as its last argument.
    told : callable, optional
        Hears of each step; what it raises ends the work.
    belongs : str
        To which project: those that wait take turns by that.

    Raises
    ------
    TooMuch
        If it takes more than it may.
    NorthfellError
        What the work itself refuses.
    """
    with _room.turn(belongs):
        for _ in range(TRIES):
            ours, theirs = _context.Pipe(duplex=True)
            process = _context.Process(target=_worker, args=(theirs, work, given, limits, told is not None), daemon=True)
            with _without_main():
                process.start()
            theirs.close()
            try:
                return _result(ours, what, limits, told)
            except _Lost:
                process.join()
                if process.exitcode in ENDED_BY_LIMIT:
                    raise TooMuch(f"{what} took more than {limits.seconds} s of computing: it was given up, and nothing was changed.") from None
            finally:
                ours.close()
                process.kill()
                process.join()
        raise TooMuch(f"{what} was ended by the machine, {TRIES} times: perhaps it needs more memory than there is. Nothing was changed.")


class _Lost(Exception):
    """The worker ended without an answer."""


@contextmanager
def _without_main() -> Iterator[None]:
    """A worker needs nothing of the script that was started, which would be run in it again."""
    main = sys.modules["__main__"].__dict__
    with _starting:
        held: dict[str, Any] = {name: main.pop(name) for name in ("__file__", "__spec__") if name in main}
        main["__spec__"] = None
        try:
            yield
        finally:
            main.update(held)


def _result(ours: Connection, what: str, limits: Limits, told: Told | None) -> Any:
    while True:
        try:
            kind, value = ours.recv()
        except (EOFError, ConnectionResetError):  # ended by a limit, or by the machine
            raise _Lost from None
        if kind == "step":
            if told:
                told(*value)
        elif kind == "too much":
            raise TooMuch(f"{what} takes more than {limits.megabytes} MB: it was given up, and nothing was changed.")
        elif kind == "error":
            raise value
        else:
            return value


def _worker(theirs: Connection, work: Callable[..., Any], given: tuple[Any, ...], limits: Limits, tells: bool) -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # ended by whoever waits for it
    os.nice(BEHIND)
    sys.setrecursionlimit(1000)
    with suppress(ValueError, OSError):
        with open("/proc/self/statm", encoding="ascii") as statm:
            taken = int(statm.read().split()[0]) * resource.getpagesize()
        resource.setrlimit(resource.RLIMIT_AS, (taken + limits.megabytes * 2**20,) * 2)
        resource.setrlimit(resource.RLIMIT_CPU, (limits.seconds, limits.seconds + 1))

    def told(done: int, of: int, doing: str = "") -> None:
        theirs.send(("step", (done, of, doing)))

    try:
        answer = "done", work(*given, *([told] if tells else []))
    except MemoryError:
        answer = "too much", None
    except Exception as error:  # of ours in words; a defect comes out where it was asked for
        answer = "error", error
    with suppress(BrokenPipeError, MemoryError):
        theirs.send(answer)
