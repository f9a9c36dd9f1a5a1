"""Running studies over operating states, keeping what is current, and gathering findings."""

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property
from threading import RLock
from typing import Any, TypeVar

from northfell.app.keeping import Kept
from northfell.app.project.projects import Project
from northfell.core.errors import CannotRun, NoSolution, code_of
from northfell.core.model.elements import Element
from northfell.core.model.network import Network
from northfell.core.network import Compiled, HeldBack, Topology, compile_network, energised, recompiled, same_connections, topology_of
from northfell.core.network.apart import BY_PHASE
from northfell.core.rules.by_phase import is_uneven
from northfell.core.rules.completeness import missing
from northfell.core.studies import STUDIES, Compared, OnRequest, OverStates, Study, study_of
from northfell.core.verdicts import Finding, Severity, findings_of, missing_findings, network_findings, sorted_findings

R = TypeVar("R")


@dataclass
class StateResults:
    """The studies of one version of a network in one state; each is run when first asked for and kept."""

    network: Network
    state: str
    away: Callable[..., Any] | None = None  # does work upon this elsewhere, so that it holds up nobody
    kept: dict[str, Any] = field(default_factory=dict)
    before: "StateResults | None" = field(default=None, repr=False)  # the same state of the version before: what an edit did not touch is taken from it
    _compiled_before: Any = field(default=None, repr=False)  # of that version, where the connections are the same
    _compared: dict[str, Compared | None] = field(default_factory=dict)
    _one_at_a_time: Any = field(default_factory=RLock, repr=False)  # who asks for the same waits for it

    @cached_property
    def elements(self) -> dict[str, Element]:
        """The elements as they are in the state."""
        return self.network.in_state(self.state)

    @cached_property
    def is_uneven(self) -> bool:
        """Whether something in service is not of three phases alike."""
        return is_uneven(self.elements.values())

    @cached_property
    def topology(self) -> Topology:
        return self._connections[0]

    @cached_property
    def energised(self) -> dict[str, bool]:
        return self._connections[1]

    @cached_property
    def _connections(self) -> tuple[Topology, dict[str, bool]]:
        """Nodes, islands and what is under voltage; those of the version before, where the edit changed no connection."""
        before, self.before = self.before, None
        if before is not None and "_connections" in before.__dict__ and same_connections(before.elements, self.elements):
            self._compiled_before = before.kept.get("compiled")
            return before._connections
        topology = topology_of(self.elements)
        return topology, energised(self.elements, topology)

    def compiled(self, study: str) -> Compiled:
        made: Compiled = self._once("compiled", lambda: self._compile(study))
        return made

    def _compile(self, study: str) -> Compiled:
        topology = self.topology  # first: it finds what there was before
        before, self._compiled_before = self._compiled_before, None
        again = recompiled(before, self.network, self.elements, topology) if isinstance(before, Compiled) else None
        return again or compile_network(self.network, self.state, study, topology, self.elements)

    def result(self, study: Study[R]) -> R:
        """The result of a study.

        Raises
        ------
        CannotRun, NoSolution
            If it has none here.
        """
        found: R = self._study(study)
        return found

    def run(self, key: str) -> Any:
        """The result of a study, by its key."""
        return self.result(study_of(key))

    def outcome(self, key: str) -> Any:
        """The result, or the error that a person can act on."""
        try:
            return self.run(key)
        except (CannotRun, NoSolution) as error:
            return error

    def had(self, study: Study[R]) -> R | None:
        """The result, or None where there is none."""
        try:
            return self.result(study)
        except (CannotRun, NoSolution):
            return None

    def compared(self, study: Study[Any]) -> Compared | None:
        """The figures of a study that are looked at over all states; None where it has no result here."""
        if study.key not in self._compared:
            found = self.had(study)
            self._compared[study.key] = None if found is None else study.compared(found)
        return self._compared[study.key]

    def knows(self, study: Study[Any]) -> bool:
        """Whether a study was solved here already, or its figures came from elsewhere."""
        return study.key in self._compared or study.key in self.kept

    def know(self, compared: Mapping[str, Compared | None]) -> None:
        """Take over figures that were found elsewhere, by study."""
        for key, figures in compared.items():
            self._compared.setdefault(key, figures)

    def done(self, work: Callable[..., Any], *given: Any) -> Any:
        """Work upon this state by a function of a module: elsewhere, where the network is large."""
        return self.away(self, work, *given) if self.away and len(self.network.elements) >= LARGE else work(self, *given)

    def _study(self, study: Study[Any]) -> Any:
        def make() -> Any:
            if not self.away or len(self.network.elements) < LARGE:
                used = {key: self.had(study_of(key)) for key in study.uses}  # where one has no result, the study names what is lacking
                return study.run(self.compiled(study.key), used)
            found = self.away(self, studied, study.key)
            for key, made in found.items():
                self.kept.setdefault(key, made)
            return found[study.key]

        return self._once(study.key, make)

    def _once(self, key: str, make: Callable[[], Any]) -> Any:
        with self._one_at_a_time:
            if key not in self.kept:
                try:
                    self.kept[key] = make()
                except (CannotRun, NoSolution) as error:
                    self.kept[key] = error
        kept = self.kept[key]
        if isinstance(kept, Exception):
            raise kept
        return kept


LARGE = 15_000  # elements: fewer are solved before they could be sent elsewhere


def studied(one: StateResults, study: str) -> dict[str, Any]:
    """A study, with those that it rests on, by their names."""
    one.run(study)
    return {key: made for key, made in one.kept.items() if key in {known.key for known in STUDIES}}


Told = Callable[[int, int, str], None]  # steps done, of how many, and what is being done


@dataclass
class Results:
    """All states of one version of a network."""

    network: Network
    away: Callable[..., Any] | None = None
    states: dict[str, StateResults] = field(default_factory=dict)
    before: "Results | None" = field(default=None, repr=False)  # of the version before
    earlier: Mapping[str, Mapping[str, Compared]] = field(default_factory=dict, repr=False)  # by study and state, of versions before
    _findings: list[Finding] | None = None
    kept: dict[str, Any] = field(default_factory=dict)  # what was computed on request: outages, motor starts, remedies

    def at(self, state: str) -> StateResults:
        if state not in self.states:
            self.network.state(state)  # refuses an unknown one
            self.states[state] = StateResults(self.network, state, self.away, before=self.before.states.get(state) if self.before else None)
        return self.states[state]

    def over(self, study: Study[Any], wait: bool = True) -> OverStates:
        """A study in all operating states; those in which it has no result are among the names only. Without `wait`, nothing is solved for it."""
        every = {state: self.at(state) for state in self.network.state_names}
        known = {state: one.compared(study) for state, one in every.items() if wait or one.knows(study)}
        waiting = frozenset(every) - frozenset(known)
        before = {state: found for state, found in self.earlier.get(study.key, {}).items() if state in waiting}
        return OverStates(tuple(every), before | {state: found for state, found in known.items() if found is not None}, waiting)

    def last_known(self) -> dict[str, dict[str, Compared]]:
        """By study and state the newest figures that are known, of this version or of one before: nothing is solved for them."""
        found: dict[str, dict[str, Compared]] = {}
        solved = dict(self.states)  # as they are now: others may be added meanwhile
        for study in STUDIES:
            known = {state: one.compared(study) for state, one in solved.items() if one.knows(study)}
            kept = {state: figures for state, figures in self.earlier.get(study.key, {}).items() if state not in known}
            found[study.key] = kept | {state: figures for state, figures in known.items() if figures is not None}
        return found

    @property
    def findings_are_known(self) -> bool:
        """Whether the findings of this version were gathered already; gathering runs every study in every state."""
        return self._findings is not None

    def know(self, found: list[Finding], compared: Mapping[str, Mapping[str, Compared | None]]) -> None:
        """Take over what was gathered elsewhere: the findings, and by state and study the figures that are looked at over all states."""
        for state, figures in compared.items():
            self.at(state).know(figures)
        self._findings = found

    def findings(self, told: Told | None = None) -> list[Finding]:
        """Over all studies and all operating states, gravest first. `told` hears of each step and may stop the run by raising."""
        if self._findings is None:
            self._findings = together(self.findings_in(self.network.state_names, told))
        return self._findings

    def findings_in(self, states: Sequence[str], told: Told | None = None) -> list[Finding]:
        """Those of some states, one after the other."""
        found: list[Finding] = []
        steps = [(state, study) for state in states for study in STUDIES if study.concerns(self.at(state).elements.values())]
        for n, (state, study) in enumerate(steps):
            if told:
                told(n, len(steps), f"{study.label} in {state}")
            if study is STUDIES[0]:
                found += network_findings(self.at(state).elements, state)
            found += findings_in(self.at(state), study.key)
        return found


def requested(results: Results, state: str, what: OnRequest, of: str = "") -> Any:
    """What is done on request, to the element of that id, found once for a version.

    Raises
    ------
    CannotRun, NoSolution
        If it cannot be done.
    """
    key = kept_as(state, what, of)
    if key not in results.kept:
        try:
            results.kept[key] = results.at(state).done(do_request, what.key, of)
        except (CannotRun, NoSolution) as error:
            results.kept[key] = error
    if isinstance(found := results.kept[key], Exception):
        raise found
    return found


def had(results: Results, state: str, what: OnRequest, of: str = "") -> Any:
    """What was found on request, or is quickly; None where it was not asked for, or failed."""
    found = results.kept.get(kept_as(state, what, of))
    if found is None and what.at_once and of:
        with suppress(CannotRun, NoSolution):
            found = requested(results, state, what, of)
    return None if isinstance(found, Exception) else found


def kept_as(state: str, what: OnRequest, of: str = "") -> str:
    """Under what it is kept with the results of a version."""
    return f"{what.key}\n{state}\n{of}"


def do_request(one: StateResults, key: str, of: str, told: Callable[[int, int], None] | None = None, part: int = 0, parts: int = 1) -> Any:
    """Do in a state what is done on request, by its key: all of it, or one of several parts."""
    study, what = next((study, what) for study in STUDIES for what in study.on_request if what.key == key)
    if parts > 1 and what.share:
        return what.share(one.compiled(study.key), of, told, part, parts)
    return what.run(one.compiled(study.key), of, told)


def findings_in(results: StateResults, study: str) -> list[Finding]:
    """Findings of one study in one state; what it lacks if it cannot run."""
    if not results.network.elements:
        return []  # nothing is drawn yet: there is nothing to find
    outcome = results.outcome(study)
    if isinstance(outcome, NoSolution):
        return [Finding(study, results.state, "", "", "breach", str(outcome), check="no solution")]
    if isinstance(outcome, CannotRun):
        if all(code_of(reason) == BY_PHASE for reason in outcome.reasons):
            return [] if study_of(study).unlike == "by another" else [Finding(study, results.state, "", "", "missing", reason) for reason in outcome.reasons]
        fed = [e for e in results.elements.values() if results.energised.get(e.id, False)]
        lacking = missing_findings(missing(results.elements, study, fed), study, results.state)
        return lacking or [Finding(study, results.state, "", "", "missing", reason) for reason in outcome.reasons]
    unlike = bool(study_of(study).unlike)  # what a balanced study leaves to that by phase has its findings there
    held = [one for one in outcome.net.held_back if not (unlike and one.why == BY_PHASE)]
    return [*_held_back(held, study, results.state), *findings_of(study, outcome, results.network.settings.limits)]


def _held_back(held: Sequence[HeldBack], study: str, state: str) -> list[Finding]:
    """Parts of the network without a result, as findings: fields that are empty lead to them."""
    found: list[Finding] = []
    for one in held:
        fields = {str(m) for m in one.lacking}
        found += missing_findings(one.lacking, study, state)
        verdict: Severity = "breach" if one.why == "no solution" else "missing"
        found += [Finding(study, state, "", one.bus, verdict, f"At {one.bus}: {r}", check=f"{one.why} {r}") for r in one.reasons if r not in fields]
    return found


def together(found: list[Finding]) -> list[Finding]:
    """The findings of all states as they are listed."""
    return sorted_findings(_once_each(found))


def _once_each(found: list[Finding]) -> list[Finding]:
    """Missing data, and what contradicts itself, do so in every state and for several studies: one line is enough."""
    seen: set[tuple[str, str]] = set()
    kept = []
    for f in found:
        key = (f.element_id, f.text)
        if (f.severity != "missing" and f.study != "network") or key not in seen:
            kept.append(f)
        seen.add(key)
    return kept


class ResultsCache:
    """Results of the last few network versions, by project, version and proposal."""

    def __init__(self, most: int = 12, away: Callable[..., Any] | None = None) -> None:
        self._away = away
        self._newest: Kept[tuple[int, str], Results] = Kept(most)
        self._kept: Kept[tuple[int, int, str], Results] = Kept(most)

    def of(self, project: Project) -> Results:
        """The results of a version; each study is run when it is first asked for."""
        return self._kept.of((project.id, project.version, project.proposal), lambda: self._made(project))

    def _made(self, project: Project) -> Results:
        before = self._newest.get((project.id, project.proposal))
        if before is not None:
            before.before = None  # one version back is enough
        earlier = before.last_known() if before is not None else {}
        return self._newest.put((project.id, project.proposal), Results(project.network, self._away, before=before, earlier=earlier))
