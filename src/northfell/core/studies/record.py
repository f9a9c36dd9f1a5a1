"""What a study says of itself: one record, from which command line, settings, missing data, exports, findings and jobs are derived."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Generic, Literal, Protocol, TypeVar

from northfell.core.finding import Finding
from northfell.core.model.elements import Element
from northfell.core.model.settings import Limits, StudySettings
from northfell.core.network import Compiled
from northfell.core.tables import Table
from northfell.core.working import Working


class Result(Protocol):
    """What every result offers."""

    @property
    def net(self) -> Compiled: ...

    @property
    def summary(self) -> Mapping[str, Any]: ...

    @property
    def messages(self) -> Iterable[str]: ...

    def tables(self) -> list[Table]: ...


R = TypeVar("R")


@dataclass(frozen=True)
class Asked:
    """A figure whose working is asked for: of which element, and where an element has several, of which of them."""

    element_id: str
    quantity: str
    case: str = "max"
    variant: str = "full"
    side: str = "load"
    faulted: int | None = None  # index of the faulted bus, where that is another place than the element
    fault: str = "3ph"  # type of the fault
    part: str = ""  # which of several figures of the same quantity


Compared = Mapping[str, Mapping[str, float]]  # what -> id of that of which it is -> figure; what is not known is not there
Told = Callable[[int, int], None]  # steps done, of how many; may stop the run by raising


@dataclass(frozen=True)
class OnRequest:
    """What a study does only when asked for it, because it takes long or needs to be told of what."""

    key: str  # under which it is kept
    flag: str  # on the command line
    of: str  # what it is done to, in words: "a motor"; empty where it needs nothing
    needs: Literal["nothing", "a name", "a name or nothing"]
    help: str
    doing: str  # what is said while it runs
    run: Callable[[Compiled, str, Told | None], Any]  # of the compiled network, with the id of an element or ""
    tables: Callable[[str, Any], list[Table]]  # of the state's name and what `run` gave
    findings: Callable[[Any, Limits], list[Finding]] = lambda made, limits: []
    share: Callable[[Compiled, str, Told | None, int, int], list[Any]] | None = None  # as `run`: one part of so many, which join by turns
    at_once: bool = False  # quick enough to be done when it is looked at


@dataclass(frozen=True)
class Study(Generic[R]):
    """One study."""

    key: str  # as files and the command line call it
    label: str  # as a sentence calls it
    settings: type[StudySettings]
    run: Callable[[Compiled, Mapping[str, Any]], R]  # of the compiled network and the results of what it uses, None where those have none
    explain: Callable[[R, Asked], Working]
    quantities: tuple[str, ...]  # of which the working can be asked for
    uses: tuple[str, ...] = ()  # keys of other studies, on whose settings it rests too
    checks: tuple[Callable[[R, Limits], Iterator[Finding]], ...] = ()
    on_request: tuple[OnRequest, ...] = ()
    compared: Callable[[R], Compared] = lambda result: {}  # the figures that are looked at over all states
    concerns: Callable[[Iterable[Element]], bool] = lambda elements: True  # whether findings of it are looked for, by the elements of a state
    unlike: Literal["", "by another", "by itself"] = ""  # what finds the results of parts that are not of three phases alike, where something does
    waits: Callable[[R], bool] = lambda result: False  # whether a part of the result waits for data
    over_states: Callable[[Sequence[Table]], list[Table]] = lambda tables: []  # of its tables over several states: what sums them up
    tables_at: Callable[[R, Sequence[int]], list[Table]] | None = None  # of some buses, by index, and more than is told of all
