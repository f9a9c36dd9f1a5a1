"""A Dask scheduler as the place where long work is done, with the optional extra `cluster`: many machines, the same results.

Scheduler and workers are trusted: what is sent to them and comes back is read as Python objects. All run the same version of Northfell.
"""

import time
from collections.abc import Callable, Sequence
from threading import Lock
from typing import Any

from northfell import __version__
from northfell.app.workers import Told, TooMuch
from northfell.core.errors import NorthfellError

ANSWERS_S, LOOK_S = 20.0, 0.05
LOST = 3  # workers that one part may lose before it is given up


class ClusterLost(NorthfellError):
    """The scheduler cannot be reached, has no workers, or lost them."""


class Scheduler:
    """A scheduler by its address; joined when it is first needed."""

    def __init__(self, address: str) -> None:
        self.address = address
        self._client: Any = None
        self._joining = Lock()

    def join(self) -> Any:
        """The connection, made anew where it was lost.

        Raises
        ------
        ClusterLost
            If there is none, no worker answers, or a worker runs another version.
        """
        with self._joining:
            if self._client is None or self._client.status != "running":
                self._client = self._joined()
            return self._client

    def _joined(self) -> Any:
        try:
            import distributed
        except ImportError:
            raise ClusterLost("A scheduler needs the optional extra: pip install 'northfell[cluster]'.") from None
        try:
            client = distributed.Client(self.address, timeout=ANSWERS_S, set_as_default=False)
        except (OSError, ValueError, TimeoutError) as error:
            accepted = "the address of a running Dask scheduler, such as tcp://192.0.2.7:8786"
            raise ClusterLost(f"The scheduler at {self.address} does not answer: {error}. Accepted is {accepted}.") from None
        try:
            there = client.submit(_version, pure=False).result(timeout=ANSWERS_S)
        except distributed.CancelledError:
            client.close()
            raise ClusterLost(f"The scheduler at {self.address} was lost while it was asked for its version. Begin it again once it runs.") from None
        except TimeoutError:
            client.close()
            raise ClusterLost(f"The scheduler at {self.address} has no worker that answers within {ANSWERS_S:g} s.") from None
        except ImportError as error:
            client.close()
            raise ClusterLost(f"The workers of {self.address} do not have Northfell: {error}.") from None
        if there != __version__:
            client.close()
            raise ClusterLost(f"The workers of {self.address} run Northfell {there}, this is {__version__}: accepted is the same version.")
        return client

    def workers(self) -> int:
        """How many threads of workers there are."""
        return max(1, int(sum(self.join().nthreads().values())))

    def each(self, what: str, work: Callable[..., Any], parts: Sequence[tuple[Any, ...]], told: Told | None, each_by_itself: bool = False) -> list[Any]:
        """As :func:`northfell.app.apart.each`. A part whose worker is lost is done again by another."""
        client = self.join()
        begun = [client.submit(_done, work, part, pure=False, retries=LOST) for part in parts]
        try:
            return [self._answer(what, one, each_by_itself) for one in self._awaited(what, client, begun, told)]
        finally:
            if client.status == "running":
                client.cancel([one for one in begun if not one.done()])

    def _awaited(self, what: str, client: Any, begun: list[Any], told: Told | None) -> list[Any]:
        while waiting := [one for one in begun if not one.done()]:
            if told:
                told(len(begun) - len(waiting), len(begun), what)
            if client.status != "running":
                raise self._lost(what)
            time.sleep(LOOK_S)
        return begun

    def _lost(self, what: str) -> ClusterLost:
        return ClusterLost(f"{what}: the scheduler at {self.address} was lost. Nothing was changed; begin it again once it runs.")

    def _answer(self, what: str, one: Any, by_itself: bool) -> Any:
        import distributed

        try:
            kind, value = one.result(timeout=ANSWERS_S)
        except distributed.KilledWorker:
            error = TooMuch(f"{what}: it ended {LOST + 1} workers of {self.address}, perhaps for want of memory; it was given up.")
            if by_itself:
                return error
            raise error from None
        except (TimeoutError, distributed.CancelledError):
            raise self._lost(what) from None
        if kind == "error":
            raise value
        return value


def _version() -> str:
    return __version__


def _done(work: Callable[..., Any], part: tuple[Any, ...]) -> tuple[str, Any]:
    try:
        return "done", work(*part, lambda done, of, doing="": None)
    except NorthfellError as error:
        return "error", error
