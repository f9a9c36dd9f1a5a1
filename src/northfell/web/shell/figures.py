"""Figures as the card shows them, which open their working."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field

from northfell.core.quantities import figure, fixed
from northfell.core.studies import OverStates
from northfell.drawing.shapes import Shape


@dataclass(frozen=True)
class Figure:
    """A result with its unit, its verdict and its working."""

    label: str
    text: str
    unit: str = ""
    severity: str = ""
    working: str = ""  # query of its working, where it has one
    note: str = ""
    stale: bool = False  # of a version before, until it is solved anew


@dataclass(frozen=True)
class Section:
    """Figures under a head, perhaps with a picture."""

    title: str
    figures: list[Figure] = field(default_factory=list)
    aside: str = ""
    message: str = ""
    picture: list[Shape] = field(default_factory=list)
    size: tuple[float, float] = (264.0, 196.0)  # of the picture
    look: str = "curve"  # class of the picture


ENDLESS = "∞"  # of an energy that nothing ends
AWAITED = "…"  # a figure of a state that is not solved yet; it follows by itself


def by_state(every: OverStates, what: str, of: str, unit: str, severity: Callable[[float], str], digits: int | None = None) -> list[Figure]:
    """A figure for each state, with the worst marked once all are there."""
    values = every.values(what, of)
    worst = None if every.waiting else max((v for v in values.values() if v is not None), default=None)
    return [
        Figure(
            state,
            _written(v, digits, state in every.unknown),
            unit if v is not None else "",
            severity(v) if v is not None else "",
            note="worst" if v is not None and v == worst and len(values) > 1 else "",
            stale=v is not None and state in every.waiting,
        )
        for state, v in values.items()
    ]


def _written(v: float | None, digits: int | None, awaited: bool) -> str:
    if v is None:
        return AWAITED if awaited else "–"
    if math.isinf(v):
        return ENDLESS
    return fixed(v, digits) if digits is not None else figure(v, 3)
