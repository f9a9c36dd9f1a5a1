"""How a size is decided: each rule alone asks for the smallest size that satisfies it; the largest of these is taken, and the rules that asked for it decide.

The codes differ in their rules and in the sizes on offer, not in this. Nothing is clipped: what no size satisfies is refused, by the rule's name.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

from northfell.core.studies.sizing.circuit import Circuit
from northfell.core.working import Working

SLACK = 1e-9
VERIFIED, TWICE, ONCE, UNCERTAIN = "verified", "recalled twice alike", "recalled once", "uncertain"


@dataclass(frozen=True)
class Size:
    """A conductor size."""

    label: str
    area_mm2: float
    key: str = ""  # as the tables of the code name it


@dataclass(frozen=True)
class Try:
    """A size and how many in parallel, with what is set off against it."""

    size: Size
    sets: int = 1
    pe: Size | None = None
    entered: bool = False  # it stands there; else it is on offer

    @property
    def label(self) -> str:
        """The size, with how many in parallel."""
        return self.size.label if self.sets == 1 else f"{self.sets} × {self.size.label}"


@dataclass(frozen=True)
class Held:
    """What a rule finds of one try: what it comes to, and what it may be."""

    value: float
    limit: float
    unit: str
    at_most: bool = False  # the value may be at most the limit; else it must be at least

    @property
    def ok(self) -> bool:
        slack = SLACK * max(abs(self.value), abs(self.limit))
        return self.value <= self.limit + slack if self.at_most else self.value >= self.limit - slack

    @property
    def used_pct(self) -> float:
        """How much of what is allowed is used [%]: above 100 it is broken."""
        over, under = (self.value, self.limit) if self.at_most else (self.limit, self.value)
        return 100 * over / under if under else math.inf


Hold = Callable[[Circuit, Try, Working | None], Held | None]


@dataclass(frozen=True)
class Rule:
    """One rule of a code: one function that holds a try against it, and notes how, if it is given a working."""

    id: str
    clause: str
    says: str
    standing: str
    hold: Hold  # None: the tables have no such size
    idle: Callable[[Circuit], str] = lambda circuit: ""  # why it asks nothing of this circuit; empty: it does
    lacks: Callable[[Circuit], str] = lambda circuit: ""  # what it needs and has not, in words


@dataclass(frozen=True)
class Applied:
    """A rule as it was applied to a circuit."""

    rule: Rule
    idle: str = ""
    lacks: str = ""
    alone: Try | None = None  # the smallest that satisfies it
    entered: Held | None = None
    chosen: Held | None = None
    best: Held | None = None  # what it finds of the largest on offer, where none satisfies it

    @property
    def acts(self) -> bool:
        return not self.idle and not self.lacks


class Code(Protocol):
    """What the frame asks of an installation code."""

    @property
    def name(self) -> str: ...

    @property
    def minimum(self) -> tuple[str, ...]:
        """The rules that decide where the smallest size on offer satisfies all."""
        ...

    def rules(self, circuit: Circuit) -> Sequence[Rule]: ...

    def sizes(self, circuit: Circuit, sets: int) -> Sequence[Size]: ...

    def size_of(self, circuit: Circuit, area_mm2: float) -> Size: ...

    def protective(self, circuit: Circuit, size: Size, sets: int) -> Size | None: ...


@dataclass(frozen=True)
class Decision:
    """What a code asks of the conductors of a circuit."""

    applied: tuple[Applied, ...]
    required: Try | None
    deciding: tuple[str, ...]
    refused: str = ""  # why there is no size

    @property
    def lacking(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(a.lacks for a in self.applied if a.lacks))

    @property
    def broken(self) -> tuple[Applied, ...]:
        """The rules that what stands there breaks, the worst first."""
        found = [a for a in self.applied if a.entered is not None and not a.entered.ok]
        return tuple(sorted(found, key=lambda a: -(a.entered.used_pct if a.entered else 0.0)))

    def of(self, rule: str) -> Applied | None:
        return next((a for a in self.applied if a.rule.id == rule), None)


def decide(code: Code, circuit: Circuit, as_entered: Circuit | None = None) -> Decision:
    """Size the conductors of a circuit: with one set, or with as many as it takes up to the most that is allowed.

    What stands there is held against the rules as it is entered, where its device is not the one that would be chosen.
    """
    rules = code.rules(circuit)
    states = [(r, r.idle(circuit)) for r in rules]
    found = [Applied(r, idle=why, lacks="" if why else r.lacks(circuit)) for r, why in states]
    entered = entered_try(code, circuit)
    if entered:
        found = [a if a.idle else replace(a, entered=a.rule.hold(as_entered or circuit, entered, None)) for a in found]  # by hand more may be known
    if any(a.lacks for a in found) or circuit.waits:
        return Decision(tuple(found), None, ())
    last = found
    for sets in range(circuit.preferences.least_sets, circuit.preferences.most_sets + 1):
        offered = tries(code, circuit, sets)
        last = _alone(circuit, found, offered)
        if all(a.alone for a in last if a.acts) and (made := _decided(code, circuit, last, offered)):
            return made
    return Decision(tuple(last), None, (), refused=_refused(circuit, last))


def first_try(code: Code, circuit: Circuit) -> Try | None:
    """The least that satisfies the rules of which nothing is lacking, where others wait for what a size must be known for."""
    rules = [r for r in code.rules(circuit) if not r.idle(circuit) and not r.lacks(circuit)]
    for sets in range(circuit.preferences.least_sets, circuit.preferences.most_sets + 1):
        for one in tries(code, circuit, sets):
            held = [r.hold(circuit, one, None) for r in rules]
            if all(h is not None and h.ok for h in held):
                return one
    return None


def entered_try(code: Code, circuit: Circuit) -> Try | None:
    area = circuit.entered.area_mm2
    if area is None:
        return None
    size, sets = code.size_of(circuit, area), circuit.entered.sets
    pe = circuit.entered.pe_mm2
    return Try(size, sets, code.size_of(circuit, pe) if pe else code.protective(circuit, size, sets), entered=True)


def tries(code: Code, circuit: Circuit, sets: int) -> list[Try]:
    """What is on offer with so many in parallel."""
    return [Try(s, sets, code.protective(circuit, s, sets)) for s in code.sizes(circuit, sets)]


def _alone(circuit: Circuit, found: list[Applied], offered: Sequence[Try]) -> list[Applied]:
    made = []
    for a in found:
        if not a.acts:
            made.append(a)
            continue
        alone, best = None, None
        for one in offered:
            held = a.rule.hold(circuit, one, None)
            best = held or best
            if held and held.ok:
                alone = one
                break
        made.append(replace(a, alone=alone, best=None if alone else best))
    return made


def _decided(code: Code, circuit: Circuit, found: list[Applied], offered: Sequence[Try]) -> Decision | None:
    """The largest of what the rules ask for alone; should it not keep all of them together, the next that does."""
    size = max((a.alone.size for a in found if a.alone), key=lambda s: s.area_mm2)
    for one in offered[next(n for n, t in enumerate(offered) if t.size == size) :]:
        held = [replace(a, chosen=a.rule.hold(circuit, one, None)) if a.alone else a for a in found]
        if all(a.chosen is not None and a.chosen.ok for a in held if a.alone):
            deciding = [a.rule.id for a in found if a.alone and a.alone.size == size]
            if size == offered[0].size:
                deciding = [r for r in deciding if r in code.minimum] or deciding
            return Decision(tuple(held), one, tuple(deciding))
    return None


def _refused(circuit: Circuit, found: list[Applied]) -> str:
    told = [f"{a.rule.id} is not satisfied by any size{_best(circuit, a)}" for a in found if a.acts and a.alone is None]
    return f"{circuit.name}: {'; '.join(told)}. With up to {circuit.preferences.most_sets} in parallel there is no size."


def _best(circuit: Circuit, a: Applied) -> str:
    """What the largest on offer comes to."""
    if a.best is None:
        return ""
    if math.isfinite(a.best.limit):
        return f": {a.best.value:.4g} {a.best.unit} with the largest on offer, {'at most' if a.best.at_most else 'at least'} {a.best.limit:.4g}"
    ends = circuit.heat.told if circuit.heat and not math.isfinite(circuit.heat.a2s) else "a fault at its far end is not cut off within 5 s"
    return f": {ends}"
