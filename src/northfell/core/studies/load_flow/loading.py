"""How much of its rating each element carries: which rating, on what basis, and at which terminal."""

import cmath
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from northfell.core.model.elements import (
    Bus,
    Changeover,
    Conductor,
    Element,
    EquivalentBranch,
    SeriesReactor,
    Switching,
    ThreeWindingTransformer,
    Transformer,
)  # fmt: skip
from northfell.core.model.settings import Limits


@dataclass(frozen=True)
class Rating:
    """What an element may carry."""

    value: float | None
    unit: str  # A or MVA
    basis: str


@dataclass(frozen=True)
class Loading:
    """How much of its rating an element carries."""

    pct: float | None
    carries: float | None
    rating: float | None
    unit: str
    basis: str
    terminal: str  # the one that governs
    by_current: bool = False  # a transformer judged by its current: `carries` is √3·Ur·I


def loading_limits(limits: Limits, e: Element) -> tuple[float, float]:
    """From where a loading is close, and above what it is a breach [%]: of the kind of equipment where it has its own, else of everything."""
    if isinstance(e, Transformer | ThreeWindingTransformer):
        close, breach = limits.transformer_close_pct, limits.transformer_breach_pct
    elif isinstance(e, Conductor):
        close, breach = limits.conductor_close_pct, limits.conductor_breach_pct
    elif isinstance(e, Switching | Changeover):
        close, breach = limits.switching_close_pct, limits.switching_breach_pct
    else:
        close = breach = None
    breach = limits.loading_breach_pct if breach is None else breach
    return min(limits.loading_close_pct if close is None else close, breach), breach


LEAST_TURNS = 0.95  # of a winding, below which its current is not taken to rise further
FORCED = {"ONAN/ONAF": "ONAF", "KNAN/KNAF": "KNAF", "AN/AF": "AF"}


def rating_of(e: Element, emergency: bool = False) -> Rating | None:
    """The rating a loading is of; None for what carries no current from one place to another.

    With `emergency`, the rating for the time of an emergency where there is one, else the continuous one.
    """
    if isinstance(e, Transformer):
        return _transformer_rating(e, emergency)
    if isinstance(e, ThreeWindingTransformer):
        return Rating(e.s_hv_mva, "MVA", "rated power of the winding")
    if isinstance(e, Conductor):
        own = emergency and e.i_emergency_a is not None
        one = e.i_emergency_a if own else e.i_rated_a
        return Rating(_times(one, e.parallel), "A", ("emergency capacity" if own else "current-carrying capacity") + _in_parallel(e.parallel))
    if isinstance(e, EquivalentBranch):
        return Rating(e.s_rated_mva, "MVA", "rated power")
    if isinstance(e, SeriesReactor | Switching | Changeover):
        return Rating(getattr(e, "i_rated_a", None), "A", "rated current")
    if isinstance(e, Bus):
        return Rating(e.i_rated_a, "A", "rated current of the bars")
    return None


def _transformer_rating(e: Transformer, emergency: bool) -> Rating:
    if emergency and e.s_emergency_mva is not None:
        return Rating(e.s_emergency_mva * e.parallel, "MVA", "emergency rating" + _in_parallel(e.parallel))
    stage = FORCED.get(e.cooling or "")
    if stage and e.fans_run and e.s_forced_mva is not None:
        return Rating(e.s_forced_mva * e.parallel, "MVA", f"rated power with fans, {stage}" + _in_parallel(e.parallel))
    natural = f", {(e.cooling or '').split('/')[0]}" if e.cooling else ""
    return Rating(_times(e.s_rated_mva, e.parallel), "MVA", f"rated power{natural}" + _in_parallel(e.parallel))


def stages_of(e: Element) -> list[Rating]:
    """Every rating an element has: continuous, with fans, for emergencies."""
    found = [rating_of(e), rating_of(e, emergency=True)]
    if isinstance(e, Transformer) and e.cooling in FORCED and e.s_forced_mva is not None:
        found.insert(1, rating_of(e.model_copy(update={"fans_run": not e.fans_run})))
    return list(dict.fromkeys(r for r in found if r is not None and r.value is not None))


def at_rated_voltage(e: Transformer | ThreeWindingTransformer, currents: Sequence[float | None], by_tap: float) -> list[float | None]:
    r"""What the currents of a transformer are of its rated power: a winding is heated by its current, whatever the voltage.

    .. math:: S = \sqrt{3}\,U_r\,I

    Parameters
    ----------
    e : Transformer or ThreeWindingTransformer
    currents : sequence of float or None
        At each terminal [A].
    by_tap : float
        What the tap in use makes of the ratio; it changes the rated voltage of the side with the taps. A winding with fewer turns in use is
        not given more than 1/0.95 of its rated current, unless its maker says so.

    Returns
    -------
    list of float or None
        [MVA], by terminal.
    """
    low = getattr(e, "tap_side", "high side") == "low side"
    on_high, on_low = (1.0, max(1 / by_tap, LEAST_TURNS)) if low else (max(by_tap, LEAST_TURNS), 1.0)
    found: list[float | None] = []
    for terminal, i in zip(e.TERMINALS, currents, strict=True):
        rated = getattr(e, f"v_{terminal.removesuffix('_bus')}_kv")
        factor = {"hv_bus": on_high, "lv_bus": on_low}.get(terminal, 1.0)
        found.append(None if rated is None or i is None else math.sqrt(3) * rated * factor * i / 1000)
    return found


def loading_of(e: Element, rating: Rating, power: Sequence[complex] | None, currents: Sequence[float | None], by_tap: float | None = None) -> Loading:
    """The terminal that carries most of the rating: `power` [MVA] and `currents` [A] by terminal.

    Transformers are judged by their currents at the tap in use, or with `by_tap` None by their apparent power.
    """
    if power is None or not all(map(cmath.isfinite, power)):
        return Loading(None, None, rating.value, rating.unit, rating.basis, "")
    known = False
    carried: list[float | None] = [abs(s) for s in power] if rating.unit == "MVA" else list(currents)
    if isinstance(e, Transformer | ThreeWindingTransformer):
        by_current: list[float | None] = at_rated_voltage(e, currents, by_tap) if by_tap is not None else [None]
        known = all(c is not None for c in by_current)
        carried = by_current if known else carried
        rating = replace(rating, basis=f"{rating.basis}, by {'current' if known else 'apparent power'}")
    if isinstance(e, ThreeWindingTransformer):
        return _winding_loading(e, rating, [c or 0.0 for c in carried], known)
    each = [(c, terminal) for c, terminal in zip(carried, e.TERMINALS or ("",), strict=True) if c is not None]
    if not each:
        return Loading(None, None, rating.value, rating.unit, rating.basis, "")
    carries, terminal = max(each)
    pct = 100 * carries / rating.value if rating.value else None
    return Loading(pct, carries, rating.value, rating.unit, rating.basis, terminal, known)


def _winding_loading(e: ThreeWindingTransformer, rating: Rating, carried: Sequence[float], by_current: bool) -> Loading:
    """The winding that carries most of its own rating."""
    ratings = (e.s_hv_mva, e.s_mv_mva, e.s_lv_mva)
    each = [(100 * s / r, s, r, t) for s, r, t in zip(carried, ratings, e.TERMINALS, strict=True) if r]
    if not each:
        return Loading(None, None, None, rating.unit, rating.basis, "")
    pct, s, r, terminal = max(each)
    return Loading(pct, s, r, "MVA", rating.basis, terminal, by_current)


def _times(value: float | None, n: int) -> float | None:
    return None if value is None else value * n


def _in_parallel(n: int) -> str:
    return f", {n} in parallel" if n > 1 else ""
