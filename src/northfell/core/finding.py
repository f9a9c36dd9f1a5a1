"""What a finding is."""

import math
from dataclasses import asdict, dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

Severity = Literal["breach", "close", "missing"]
ORDER: dict[str, int] = {"breach": 0, "close": 1, "missing": 2}


@dataclass(frozen=True)
class Finding:
    """What, where, by how much, in which state, why, and what would help where that is known."""

    study: str
    state: str
    element_id: str
    element: str
    severity: Severity
    text: str
    value: float | None = None
    limit: float | None = None
    unit: str = ""
    help: str = ""
    check: str = ""  # which check found it: with the element and the study it is the same finding in every state
    falls: bool = False  # the smaller the value, the worse

    @property
    def key(self) -> str:
        """What stays the same while the figure and the state change."""
        return "\n".join((self.study, self.element_id, self.check or self.text[:300]))

    @property
    def beyond(self) -> float:
        """How far the value stands toward or beyond its limit: more is worse, 1 is the limit."""
        if self.value is None or not self.limit or math.isnan(self.value):
            return 0.0
        if self.falls:
            return self.limit / self.value if self.value else math.inf  # nothing at all of what there should be
        return self.value / self.limit

    def to_json(self) -> dict[str, Any]:
        """As the command line prints it, by element name."""
        told = {k: v for k, v in asdict(self).items() if k not in ("element_id", "falls")}
        return {k: None if isinstance(v, float) and not math.isfinite(v) else v for k, v in told.items()}  # JSON knows no infinity


BREACH = 2
VERDICTS: tuple[Literal["breach", "close"] | None, ...] = (None, "close", "breach")  # by number


def verdicts_of(values: ArrayLike, close: ArrayLike, breach: ArrayLike) -> NDArray[np.int8]:
    """Where values stand: 0 within limits (or not known, nan), 1 near the limit, 2 beyond it. Compared before any rounding; equal is within."""
    v, limit = np.asarray(values, float), np.asarray(breach, float)
    with np.errstate(invalid="ignore"):
        more = np.abs(v - limit) > 1e-9 * np.maximum(np.abs(v), np.abs(limit))  # 1.06 p.u. is 6 %, not a hair more
    beyond = (v > limit) & (more | np.isinf(v))
    return np.where(beyond, 2, v >= np.asarray(close, float)).astype(np.int8)


def severity_of(value: float, close: float, breach: float) -> Literal["breach", "close"] | None:
    """The verdict on one value: the same rule, which arrays are too slow for one by one."""
    beyond = value > breach and not math.isclose(value, breach, rel_tol=1e-9)
    return "breach" if beyond else "close" if value >= close else None
