"""A study run over operating states: one run over all of them is the general case, one state the special one."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from northfell.app.apart import each
from northfell.app.results.studies import StateResults, do_request, findings_in
from northfell.app.workers import Told, TooMuch
from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.network import Network
from northfell.core.studies import OnRequest, study_of
from northfell.core.tables import Table, build, joined
from northfell.core.verdicts import Finding, network_findings

Lacks = Literal["data", "solution"]
_FINDING = (("state", "", "State"), ("severity", "", "Verdict"), ("element", "", "Where"), ("text", "", "What"), ("value", "", "Figure"),
            ("limit", "", "Limit"), ("unit", "", "Unit"), ("help", "", "What helps"))  # fmt: skip
_MESSAGE = (("state", "", "State"), ("message", "", "What is told"))


@dataclass
class StudyRun:
    """What a study found in some operating states; a state, or a part of one, that has no result takes no other's away."""

    study: str
    states: tuple[str, ...]
    parts: dict[str, list[Table]] = field(default_factory=dict)  # by the table's name, one of each state that has a result
    summaries: dict[str, Mapping[str, Any]] = field(default_factory=dict)  # by state
    findings: list[Finding] = field(default_factory=list)
    told: list[tuple[str, str]] = field(default_factory=list)  # state, and what is to be known of its result
    lacking: list[Lacks] = field(default_factory=list)  # why some state, or a part of it, has no result

    @property
    def tables(self) -> list[Table]:
        """The tables over all states; a column says of which a row is. Of several states those come first that sum them up."""
        tables = [joined(group) for group in self.parts.values()]
        return [*study_of(self.study).over_states(tables), *tables] if len(self.states) > 1 else tables

    @property
    def messages(self) -> list[str]:
        """What is to be known of the results, in words."""
        return [f"{state}: {text}" if len(self.states) > 1 else text for state, text in self.told]

    @property
    def listed(self) -> list[Table]:
        """Findings and messages as tables."""
        found = [(f.state, f.severity, f.element, f.text, f.value, f.limit, f.unit, f.help) for f in self.findings]
        return [build("findings", _FINDING, found), build("messages", _MESSAGE, self.told)]

    def answer(self, settings: Mapping[str, Any]) -> dict[str, Any]:
        """All of it as JSON holds it: of one state by itself, of several by their names."""
        several = len(self.states) > 1
        return {
            "study": self.study,
            "state": list(self.states) if several else self.states[0],
            "settings": settings,
            "converged": not self.lacking,
            "summary": self.summaries if several else next(iter(self.summaries.values()), {}),
            "tables": {table.name: table.to_json() for table in self.tables},
            "findings": [f.to_json() for f in self.findings],
            "messages": self.messages,
        }

    def take(self, other: "StudyRun") -> None:
        """Put what was found in other states behind what is here."""
        for name, tables in other.parts.items():
            self.parts.setdefault(name, []).extend(tables)
        self.summaries |= other.summaries
        self.findings += other.findings
        self.told += other.told
        self.lacking += other.lacking

    def _add(self, tables: Sequence[Table]) -> None:
        for table in tables:
            self.parts.setdefault(table.name, []).append(table)

    def _lacks(self, state: str, error: CannotRun | NoSolution, doing: str = "") -> None:
        reasons = error.reasons if isinstance(error, CannotRun) else [f"{doing}: {error}" if doing else str(error)]
        self.told += [(state, reason) for reason in reasons]
        self.lacking.append("data" if isinstance(error, CannotRun) else "solution")


def run_over(study: str, states: Sequence[StateResults], requests: Mapping[str, str] | None = None, buses: Sequence[str] = ()) -> StudyRun:
    """Run a study in each state, with what is asked for beside it: keys of :class:`OnRequest` and the names they are done to, or "".

    With `buses`, by name, of a study that can tell more of some of them, its tables are of those.
    """
    run = StudyRun(study, tuple(one.state for one in states))
    for one in states:
        run.findings += network_findings(one.elements, one.state)
        _run_in(run, one, requests or {}, buses)
    return run


def run_apart(
    study: str, network: Network, states: Sequence[str], requests: Mapping[str, str] | None = None, buses: Sequence[str] = ()
) -> StudyRun:  # fmt: skip
    """As :func:`run_over`, each state beside the others: in processes, or on the scheduler that is in use."""
    parts = [(study, network, state, dict(requests or {}), tuple(buses)) for state in states]
    made: list[StudyRun | TooMuch] = each(f"Running {study_of(study).label}", _run_one, parts, each_by_itself=True)
    whole = StudyRun(study, tuple(states))
    for state, one in zip(states, made, strict=True):
        if isinstance(one, TooMuch):
            whole.told.append((state, str(one)))
            whole.lacking.append("data")
        else:
            whole.take(one)
    return whole


def _run_one(study: str, network: Network, state: str, requests: Mapping[str, str], buses: Sequence[str], told: Told) -> StudyRun:
    return run_over(study, [StateResults(network, state)], requests, buses)


def _run_in(run: StudyRun, one: StateResults, requests: Mapping[str, str], buses: Sequence[str]) -> None:
    study = study_of(run.study)
    try:
        result = one.result(study)
    except (CannotRun, NoSolution) as error:
        run._lacks(one.state, error)
        run.findings += findings_in(one, study.key)
        return
    if buses and study.tables_at is not None:
        index = result.net.topology.bus_index
        at = [index[one.network.id_of_name[name]] for name in buses]
        run._add(study.tables_at(result, [b for b in at if result.net.topology.fed_bus(b)]))
        run.told += [(one.state, f"Bus {name} has no result in this state.") for name, b in zip(buses, at, strict=True) if not result.net.topology.fed_bus(b)]
    else:
        run._add(result.tables())
    run.told += [(one.state, message) for message in result.messages]
    if result.net.held_back or study.waits(result):
        run.lacking.append("solution" if result.net.held_back and all(part.why == "no solution" for part in result.net.held_back) else "data")
    for what in study.on_request:
        if what.key in requests:
            _request(run, one, what, requests[what.key])
    run.summaries[one.state] = result.summary
    run.findings += findings_in(one, study.key)


def _request(run: StudyRun, one: StateResults, what: OnRequest, name: str) -> None:
    network: Network = one.network
    try:
        made = do_request(one, what.key, network.id_of_name.get(name, ""))
    except (CannotRun, NoSolution) as error:
        run._lacks(one.state, error, f"{what.doing}, {name}" if name else what.doing)
        return
    run._add(what.tables(one.state, made))
    run.findings += what.findings(made, network.settings.limits)
