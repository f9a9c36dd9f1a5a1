"""What a stage says of itself: one record. The shell shows whatever stage is registered and knows none by name."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from fastapi import APIRouter

from northfell.app.results.studies import Results
from northfell.core.model.changes import Change
from northfell.core.model.elements import Element
from northfell.core.model.network import Network
from northfell.core.studies import OnRequest, OverStates, Study
from northfell.core.verdicts import Finding
from northfell.drawing.words import Tag
from northfell.store.history import Line
from northfell.web.shell.figures import Section
from northfell.web.shell.table_cells import Ledger
from northfell.web.shell.view import View, join


@dataclass(frozen=True)
class Look:
    """What is looked at, and what a stage may make its parts of."""

    network: Network
    results: Results
    view: View
    pinned: Any = None  # the pinned result of the stage's study that is compared with
    findings: list[Finding] | None = None  # None while they are gathered
    history: list[Line] | None = None
    head: int = 0
    waits: bool = True  # whether what is not solved yet is waited for, else it is told and follows
    as_found: Network | None = None  # the network itself, where a proposal is worked in
    waiting: list[str] = field(default_factory=list)  # studies of which some state was not there when it was asked for

    @property
    def element(self) -> Element | None:
        """The selected element, as it is in the state shown."""
        return self.results.at(self.view.state).elements.get(self.view.selected)

    def result(self, study: Study[Any]) -> Any:
        """The result of a study in the state shown."""
        return self.results.at(self.view.state).result(study)

    def over(self, study: Study[Any]) -> OverStates:
        """The figures of a study over all states; that of the state shown at least. What was not gathered with the others is solved after that."""
        self.results.at(self.view.state).compared(study)
        found = self.results.over(study, self.waits or self.results.findings_are_known)
        if found.waiting:
            self.waiting.append(study.key)
        return found


@dataclass(frozen=True)
class Tab:
    """A table of the stage's ledger; one that is filled on request says by what, and to which element it is done."""

    key: str
    name: str
    make: Callable[[Look], Ledger]
    request: OnRequest | None = None
    to: Callable[[Network, View], str] = lambda network, view: ""
    study: Study[Any] | None = None  # where it is not the stage's


@dataclass(frozen=True)
class Stage:
    """One stage."""

    path: str
    name: str
    shortcut: str
    tabs: tuple[Tab, ...]
    study: Study[Any] | None = None
    also: tuple[Study[Any], ...] = ()  # further studies that it shows
    figures: Callable[[Look, Element], list[Section]] = lambda look, element: []
    tags: Callable[[Look], dict[str, Tag]] = lambda look: {}
    routers: tuple[APIRouter, ...] = ()
    listed: Callable[[Any, View], Any] = lambda result, view: result  # a result as its tables list it in a look
    says: Callable[[Look], dict[str, Any]] = lambda look: {}  # what its templates are given beside what all are
    waits: Callable[[Any], list[str]] = lambda result: []  # why parts of a result wait, in words
    offers: Callable[[Network, list[str]], Iterable[tuple[str, str]]] = lambda network, problem: ()  # acts that supply what it lacks: path, words
    prepares: Mapping[str, Callable[[Network], Change]] = field(default_factory=dict)  # what those acts do, by their paths
    # templates, each in the stage's folder
    tools: str = ""  # above the sheet
    beside: str = ""  # what lies over the sheet
    legend: str = ""
    acts: str = ""  # of the card
    card: str = ""  # of the card, above the figures
    why: tuple[str, ...] = ()  # the checks whose causes can be opened
    pins: bool = False  # its result can be pinned, and later ones compared with it
    by_side: bool = False  # a row stands for one side of a board
    within: str = ""  # path of the stage in whose place it stands
    by_phase: str = ""  # the stage within it that is opened where something is not of three phases alike

    def study_of(self, view: View) -> Study[Any] | None:
        """The study whose tables stand in the tab that is looked at."""
        return next((tab.study for tab in self.tabs if tab.key == view.shown_tab and tab.study), self.study)

    @property
    def studies(self) -> tuple[str, ...]:
        """The keys of the studies that it shows."""
        return tuple(study.key for study in ((self.study,) if self.study else ()) + self.also)


FINDINGS = "findings"  # the tab that every stage has
STAGES: dict[str, Stage] = {}


def enter(stage: Stage) -> None:
    """Register a stage: from now on it is among those that are shown."""
    STAGES[stage.path] = stage
    join(stage.path, (*(tab.key for tab in stage.tabs), FINDINGS))


def of_study(study: str) -> Stage:
    """The stage that shows a study; the first one for what belongs to none."""
    return next((stage for stage in STAGES.values() if study in stage.studies), next(iter(STAGES.values())))


def has_why(finding: Finding) -> bool:
    """Whether the arithmetic of its cause can be opened."""
    return finding.check in of_study(finding.study).why


def stages_by_study() -> dict[str, str]:
    """The names of the stages by what their findings are listed under."""
    first = next(iter(STAGES.values()))
    return {first.path: first.name} | {key: stage.name for stage in STAGES.values() for key in stage.studies}


def name_of_study(study: str) -> str:
    """The name of the stage that shows a study."""
    return of_study(study).name
