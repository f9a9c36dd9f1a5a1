"""How much of its rating each element carries: which rating, on what basis, and at which terminal."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from northfell.core.model.by_element import ByElement
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
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.terminals import Terminals
from northfell.core.network.topology import Ints

Bools = NDArray[np.bool_]


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


def loading_limits(limits: Limits, kind: type[Element]) -> tuple[float, float]:
    """From where a loading is close, and above what it is a breach [%]: of the kind of equipment where it has its own, else of everything."""
    if issubclass(kind, Transformer | ThreeWindingTransformer):
        close, breach = limits.transformer_close_pct, limits.transformer_breach_pct
    elif issubclass(kind, Conductor):
        close, breach = limits.conductor_close_pct, limits.conductor_breach_pct
    elif issubclass(kind, Switching | Changeover):
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
    return _RATINGS[emergency].of(e)


def _rating_of(e: Element, emergency: bool) -> Rating | None:
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


_RATINGS: dict[bool, ByElement[Element, Rating | None]] = {
    False: ByElement(lambda e: _rating_of(e, emergency=False)), True: ByElement(lambda e: _rating_of(e, emergency=True)),
}  # fmt: skip


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


@dataclass(frozen=True)
class Ratings:
    """What may be carried, as arrays over the terminals and elements of a state; nan where it is not known."""

    of_terminal: Floats  # (terminal,) of three windings each its own
    unit_mva: Bools  # (element,) MVA, else A
    transformer: Bools  # (element,) judged by current where that is known
    windings: Bools  # (element,) with three windings, each of its own rating
    rated_kv: Floats  # (terminal,) of a transformer's windings
    on_high: Bools  # (terminal,) the side whose turns a tap on the high side changes
    on_low: Bools
    taps_low: Bools  # (element,) the taps are on the low side
    told: list[Rating | None]  # by element, None for what has none


def ratings_of(terminals: Terminals, emergency: bool = False) -> Ratings:
    """The ratings of all elements, in the order of their terminals."""
    n, ends = len(terminals.elements), len(terminals.bus)
    every = _RATINGS[emergency].each(terminals.elements)
    told: list[Rating | None] = [one if len(e.TERMINALS) > 1 else None for e, one in zip(terminals.elements, every, strict=True)]
    value = np.array([None if r is None else r.value for r in told], float)  # an empty one is None, of which NumPy makes nan
    of_terminal = np.repeat(value, terminals.count)
    unit_mva = np.array([r is not None and r.unit == "MVA" for r in told], bool)
    rated_kv, on_high, on_low = np.full(ends, math.nan), np.zeros(ends, bool), np.zeros(ends, bool)
    transformer, windings, taps_low = (np.zeros(n, bool) for _ in range(3))
    for k in np.flatnonzero(unit_mva).tolist():
        e, first = terminals.elements[k], int(terminals.first[k])
        if isinstance(e, Transformer | ThreeWindingTransformer):
            transformer[k], taps_low[k] = True, getattr(e, "tap_side", "high side") == "low side"
            for t, terminal in enumerate(e.TERMINALS, first):
                kv = getattr(e, f"v_{terminal.removesuffix('_bus')}_kv")
                rated_kv[t] = math.nan if kv is None else kv
                on_high[t], on_low[t] = terminal == "hv_bus", terminal == "lv_bus"
        if isinstance(e, ThreeWindingTransformer):
            windings[k] = True
            of_terminal[first : first + 3] = [math.nan if s is None else s for s in (e.s_hv_mva, e.s_mv_mva, e.s_lv_mva)]
    return Ratings(of_terminal, unit_mva, transformer, windings, rated_kv, on_high, on_low, taps_low, told)


def at_rated_voltage_mva(ratings: Ratings, terminals: Terminals, i_a: Floats, by_tap: Floats) -> Floats:
    r"""What the currents of transformers are of their rated power: a winding is heated by its current, whatever the voltage.

    .. math:: S = \sqrt{3}\,U_r\,I

    Parameters
    ----------
    ratings : Ratings
    terminals : Terminals
    i_a : array_like (terminal,)
        Current [A].
    by_tap : array_like (element,)
        What the tap in use makes of the ratio; it changes the rated voltage of the side with the taps. A winding with fewer turns in use is
        not given more than 1/0.95 of its rated current, unless its maker says so.

    Returns
    -------
    ndarray (terminal,)
        [MVA], nan for what is no transformer.
    """
    of = terminals.element
    low = ratings.taps_low[of]
    turns = np.where(ratings.on_high & ~low, np.maximum(by_tap[of], LEAST_TURNS), np.where(ratings.on_low & low, np.maximum(1 / by_tap[of], LEAST_TURNS), 1.0))
    found: Floats = math.sqrt(3) * ratings.rated_kv * turns * i_a / 1000
    return found


@dataclass(frozen=True)
class Loadings:
    """How much of its rating everything carries, as arrays over elements; nan where that is not known."""

    pct: Floats
    carries: Floats
    rating: Floats
    terminal: Ints  # number of the terminal that governs; -1 for none
    by_current: Bools  # a transformer judged by its current: `carries` is √3·Ur·I


def loadings_of(terminals: Terminals, ratings: Ratings, s_mva: Complexes, i_a: Floats, by_tap: Floats | None) -> Loadings:
    """The terminal of each element that carries most of its rating: `s_mva` and `i_a` by terminal, nan where there is no result.

    Transformers are judged by their currents at the tap in use, or with `by_tap` None by their apparent power.
    Of terminals that carry the same the first governs.
    """
    of, first = terminals.element, terminals.first
    if not len(first):
        nothing = np.zeros(0)
        return Loadings(nothing, nothing, nothing, np.zeros(0, np.intp), np.zeros(0, bool))
    known = np.logical_and.reduceat(np.isfinite(s_mva), first)
    carried = np.where(ratings.unit_mva[of], np.abs(s_mva), i_a)
    by_current = np.zeros(len(first), bool)
    if by_tap is not None:
        heating = at_rated_voltage_mva(ratings, terminals, i_a, by_tap)
        by_current = ratings.transformer & np.logical_and.reduceat(np.isfinite(heating), first)
        carried = np.where(by_current[of], heating, carried)
    pct = 100 * carried / ratings.of_terminal
    three = ratings.windings[of]
    judged = np.where(three, np.where(np.isnan(pct), -np.inf, pct), np.where(np.isfinite(carried), carried, -np.inf))
    judged[~known[of]] = -np.inf
    most = np.maximum.reduceat(judged, first)
    nearly = most - 1e-9 * np.where(np.isfinite(most), np.abs(most), 0)  # which of two governs that are equal is no matter of rounding
    governs = np.minimum.reduceat(np.where((judged >= nearly[of]) & (judged > -np.inf), np.arange(len(of)), len(of)), first)
    there = governs < len(of)
    governs[~there] = -1
    return Loadings(
        pct=np.where(there, pct[governs], math.nan),
        carries=np.where(there, carried[governs], math.nan),
        rating=np.where(there | ~ratings.windings, ratings.of_terminal[np.where(there, governs, first)], math.nan),
        terminal=governs,
        by_current=by_current,
    )


def _times(value: float | None, n: int) -> float | None:
    return None if value is None else value * n


def _in_parallel(n: int) -> str:
    return f", {n} in parallel" if n > 1 else ""
