"""Every error a person can act on. Anything else that is raised is a defect."""

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace


class Message(str):
    """A line for people that says what it is about: who acts on it reads the code and the element, never the text."""

    code: str
    element: str  # id of what it is about; empty: nothing in particular
    grave: bool

    def __new__(cls, text: str, code: str = "", element: str = "", grave: bool = False) -> "Message":
        made = super().__new__(cls, text)
        made.code, made.element, made.grave = code, element, grave
        return made


def code_of(line: str) -> str:
    """What a line is about, if it says so."""
    return line.code if isinstance(line, Message) else ""


class NorthfellError(Exception):
    """Base of every error a person can act on."""

    @property
    def lines(self) -> list[str]:
        """Its reasons, one to a line."""
        return str(self).split("\n")


@dataclass(eq=False)
class InputRefused(NorthfellError, ValueError):
    """A value outside what is accepted. Its parts serve the card, the command line and the JSON reply alike."""

    field: str
    got: object
    accepted: str  # in words, with unit
    remedy: str = ""  # what to do, where we know it
    where: str = "Input"  # the element as the user names it, added by whoever knows it

    def __str__(self) -> str:
        place = f"{self.where}: " if self.where else ""
        return f"{place}{self.field} is {shown(self.got)}, accepted is {self.accepted}. {self.remedy}".rstrip()

    def __reduce__(self) -> tuple[object, ...]:  # so that it survives the way back from a worker process
        return type(self), (self.field, self.got, self.accepted, self.remedy, self.where)

    def at(self, where: str) -> "InputRefused":
        """The same refusal, with the place named by whoever knows it."""
        return replace(self, where=where)


class NetworkRefused(NorthfellError, ValueError):
    """A network or change set that cannot be taken, with every reason at once."""

    def __init__(self, refusals: Iterable[InputRefused]) -> None:
        self.refusals = tuple(refusals)
        super().__init__(self.refusals)

    def __str__(self) -> str:
        return "\n".join(str(one) for one in self.refusals)


class StaleVersion(NorthfellError):
    """What was to be changed has changed since the caller read it."""


class NotFound(NorthfellError, LookupError):
    """A project, element, state or sheet that is not there (any more)."""


class Unreadable(NorthfellError):
    """A project of which something kept cannot be read: what, of which name, and why."""

    def __init__(self, project_id: int, name: str, parts: Iterable[tuple[str, str, str]]) -> None:
        self.project_id = project_id
        self.name = name
        self.parts = tuple(parts)
        super().__init__(project_id, name, self.parts)

    def __str__(self) -> str:
        return "\n".join([f"Project {self.name} cannot be read as it stands.", *(f"{what} {named}: {why}" for what, named, why in self.parts[:20])])


class CannotRun(NorthfellError):
    """A study that lacks data, a supply or a reference. Each reason says where and what would help."""

    def __init__(self, study: str, reasons: Iterable[str]) -> None:
        self.study = study
        self.reasons = tuple(reasons)
        super().__init__(study, self.reasons)

    def __str__(self) -> str:
        return "\n".join(self.reasons)


@dataclass(eq=False)
class NoSolution(NorthfellError):
    """An iteration that did not converge: what was tried, and where it stood when it was given up."""

    study: str
    tried: str
    iterations: int
    mismatch_mva: float
    bus: str
    others: tuple[tuple[str, float], ...] = ()  # further buses with their mismatch [MVA], largest first
    reached_pct: float | None = None  # share of load and generation up to which there is a solution, where that is known
    suspect: str = ""  # an element whose data make the equations ill-conditioned

    def __str__(self) -> str:
        if math.isnan(self.mismatch_mva):
            return f"No solution found: {self.tried}, after {self.iterations} iterations."
        also = f" (then {', '.join(f'{bus} {mva:.4g}' for bus, mva in self.others)})" if self.others else ""
        # rounded down: “at 100 %” must not stand where there is none at 100
        part = None if self.reached_pct is None else math.floor(min(self.reached_pct, 99.99) * 100) / 100
        reached = "" if part is None else f" With all load and generation at {part:g} % there is a solution, with more there is none."
        blamed = self.suspect or "The load there may be more than the network can carry, or an impedance on the way to it may be wrong."
        return (
            f"No solution found: {self.tried}. After {self.iterations} iterations the largest mismatch is "
            f"{self.mismatch_mva:.4g} MVA at bus {self.bus}{also}.{reached} {blamed}"
        )


def shown(value: object, limit: int = 80) -> str:
    """A refused value as it can be shown in one line: bounded, with control characters made visible."""
    if value is None:
        return "empty"
    text = value if isinstance(value, str) else f"{value:.15g}" if isinstance(value, float) else str(value)
    text = text.encode("unicode_escape").decode() if any(not c.isprintable() for c in text) else text
    text = text if len(text) <= limit else text[: limit - 1] + "…"
    return f"“{text}”" if isinstance(value, str) else text
