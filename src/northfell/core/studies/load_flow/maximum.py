"""Maximum loading: consumers raised together until they draw no more, and the voltages there.

The curve of voltage over load is followed past its turning point: one unknown of the power balance, the one that changes most, is given
instead of the load, which then follows. Newton's method stays regular there, so that load and voltage of the turning point are exact. What
counts is the power that is drawn: of loads that follow the voltage it turns before there is no solution any more.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import minimize_scalar

from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.elements import Bus, Consumer
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats
from northfell.core.studies.load_flow.case import Case, Side
from northfell.core.studies.load_flow.controls import Controls, ReactiveLimits
from northfell.core.studies.load_flow.injections import asked_mw, by_exponents, with_slope
from northfell.core.studies.load_flow.newton import EXPONENTS, Given, Jacobian, Unknown, newton, power_drawn
from northfell.core.studies.load_flow.solve import case_of
from northfell.core.studies.load_flow.sources import STUDY
from northfell.core.tables import Cell, Table, build

MOST_PART = 1000.0  # times the load of today, at which the search is given up
FIRST_STEP, LEAST_STEP = 0.05, 1e-5  # of the raised load, or of the unknown that is given in its place
LARGEST_STEP = 0.03  # p.u. or rad: the curve is drawn through the points
MOST_POINTS = 400
MOST_SWITCHINGS = 40  # of reactive limits at one point of the curve


@dataclass(frozen=True)
class Point:
    """A point of the curve."""

    part: float  # of the raised consumers' load
    v: Complexes  # (fed node,)
    drawn: float  # by the raised consumers [p.u.]
    at_limit: dict[int, Side]


@dataclass(frozen=True)
class MaximumLoading:
    """How far the load of an island can be raised."""

    net: Compiled
    source: str  # the reference of the island, which names it
    raised: str  # whose load is raised, in words
    asked_mw: float  # by the raised consumers at nominal voltage, today
    drawn_now_mw: float  # by them at the voltages of today; what they ask for where there is no solution today
    part: float  # of what they ask for today, where they draw most; inf where no most was found
    drawn_mw: float  # by them there: the most
    load_mw: float  # of the whole island there
    ended: str  # why there is no more, in words
    weakest: str  # id of the bus whose voltage falls fastest there
    v_weakest_pu: float
    v_weakest_now_pu: float
    lowest: str  # id of the bus of the lowest voltage there
    v_lowest_pu: float
    limited: tuple[str, ...]  # sources that come to a reactive limit on the way, in words
    curve: tuple[tuple[float, float, float], ...]  # part of the load, power drawn [MW], voltage of the weakest bus [p.u.]

    @property
    def margin_mw(self) -> float:
        """What can be drawn beyond today; negative where there is no solution today."""
        return self.drawn_mw - self.drawn_now_mw


def maximum_loading(net: Compiled, of: str = "") -> list[MaximumLoading]:
    """Raise the consumers of each island (or those `of` one element: a consumer, or all at a bus) at constant power factor, to the most.

    Generation stays at its set points, the surplus is taken as the settings have it, reactive limits act, taps and capacitor steps stay
    where load flow finds them: they are too slow for the end. Where load flow has no solution, the search starts from
    no load; an island that has none then either can carry nothing of it, and says why.

    Raises
    ------
    CannotRun
        If there is nothing to raise, or data are lacking.
    """
    case = case_of(net)
    chosen = _chosen(case.net, of)
    buses: dict[int, int] = {}
    for i, node in enumerate(case.net.topology.node_of_bus.tolist()):
        if node >= 0 and case.net.topology.fed_node[node]:
            buses.setdefault(int(case.net.topology.island_of_node[node]), i)
    found = []
    for island, _ in buses.items():
        own = case if len(buses) == 1 else case_of(case.net.masked([bus for other, bus in buses.items() if other != island]), case.settings)
        if any(e.id in chosen and e.id in own.net.taking_part for e in (*own.net.loads, *own.net.motors)):
            found.append(_Search(own, chosen, _told(case.net, of)).run())
    if not found:
        raise CannotRun(STUDY, [f"{_told(case.net, of)}: nothing is drawn that could be raised."])
    return found


def _chosen(net: Compiled, of: str) -> set[str]:
    """The consumers whose load is raised."""
    e = net.elements.get(of) if of else None
    if of and not isinstance(e, Consumer | Bus):
        what = title_of(e) if e else of
        raise CannotRun(STUDY, [f"{what} draws nothing that could be raised; accepted is a load, a motor, or a bus for all that stands at it."])
    those = [one for one in (*net.loads, *net.motors) if not of or of in (one.id, one.bus)]
    return {one.id for one in those if asked_mw(one) * net.factor_of(one) > 0}


def _told(net: Compiled, of: str) -> str:
    if not of:
        return "all loads and motors"
    e = net.elements[of]
    return f"what stands at {e.name}" if isinstance(e, Bus) else title_of(e)


TURNED = "with more load less is drawn: the voltages fall faster than the load rises"


class _Beyond(Exception):
    """No point of the curve here: none was found, or the last source that holds a voltage would have to give more than it can."""

    def __init__(self, source: str = "") -> None:
        self.source = source  # in words; empty where no solution was found
        told = f"{source} alone holds a voltage and would have to give more reactive power than it can" if source else "no solution was found with more"
        super().__init__(told)


class _Search:
    """The search in one island."""

    def __init__(self, case: Case, chosen: set[str], raised: str) -> None:
        self.case, self.net, self.raised = case, case.net, raised
        self.loads = np.array([e.id in chosen for e in case.net.loads], bool)
        self.motors = np.array([e.id in chosen for e in case.net.motors], bool)
        self.whole = case.loads_draw.copy(), case.motors_draw.copy(), case.following.load_draws.copy()
        self.asked = sum(asked_mw(e) * case.net.factor_of(e) for e in (*case.net.loads, *case.net.motors) if e.id in chosen and e.id in case.net.taking_part)
        self.fed = np.flatnonzero(case.fed)
        self.targets = {int(case.number[n]) for n in (*case.sources.magnitude, *case.sources.reference_range)}
        self.drawn = self._direction()
        self.limits = ReactiveLimits(case)

    # ---- the network with the raised load at a part of itself

    def _raise_to(self, part: float) -> None:
        loads, motors, following = self.whole
        raised = self.loads[self.case.following.loads] if len(self.loads) else np.zeros(0, bool)
        self.case.loads_draw = loads * np.where(self.loads, part, 1.0)[:, None]
        self.case.motors_draw = motors * np.where(self.motors, part, 1.0)[:, None]
        self.case.following.load_draws = following * np.where(raised, part, 1.0)

    def _direction(self) -> Callable[[Floats], tuple[Complexes, Complexes]]:
        """What the raised consumers draw at voltages of the fed nodes, and its slope, by node."""
        self._raise_to(0.0)
        none, none_following = self.case.load[self.case.fed], self.case.following.load_draws
        self._raise_to(1.0)
        load, one = self.case.load[self.case.fed] - none, self.case.following
        following = one.load_draws - none_following
        on = self.case.fed[one.load_node]
        node, exponents = self.case.number[one.load_node][on], one.exponents[on]
        draws = following[on]

        def drawn(v_abs: Floats) -> tuple[Complexes, Complexes]:
            s = power_drawn(v_abs, load)
            slope = (load[:, 1:] * EXPONENTS[1:] * v_abs[:, None] ** (EXPONENTS[1:] - 1)).sum(axis=1)
            for total, part in zip((s, slope), with_slope(lambda v: by_exponents(draws, exponents, v), v_abs[node]), strict=True):
                np.add.at(total, node, part)
            return s, slope

        return drawn

    # ---- points of the curve

    def _at_part(self, part: float, near: Point) -> Point:
        """The point at a part of the load."""

        def solved(v: Complexes, _: float) -> tuple[Complexes, float]:
            self._raise_to(part)
            return self._newton(self.case.given(), v, None)[0], part

        return self._settled(near, solved)

    def _at_value(self, k: int, value: float, near: Point) -> Point:
        """The point at which an unknown has a value."""

        def solved(v: Complexes, part: float) -> tuple[Complexes, float]:
            n, i = len(self.fed), k % len(self.fed)
            v[i] = abs(v[i]) * np.exp(1j * value) if k < n else value * np.exp(1j * np.angle(v[i]))
            given = self._given(k)
            sizes = np.zeros(given.pattern.size - len(given.angle_free) - len(given.magnitude_free))
            sizes[-1] = part
            v, sizes = self._newton(given, v, sizes)
            return v, float(sizes[-1])

        return self._settled(near, solved)

    def _newton(self, given: Given, v: Complexes, sizes: Floats | None) -> tuple[Complexes, Floats]:
        settings = self.case.settings
        outcome = newton(given, v, settings.tolerance_mva / self.net.s_base_mva, settings.max_iterations, sizes)
        if not outcome.converged:
            raise _Beyond
        return outcome.v, outcome.sizes

    def _settled(self, near: Point, solved: Callable[[Complexes, float], tuple[Complexes, float]]) -> Point:
        """A point at which every source rests within its range, or at a limit."""
        case, v, part = self.case, near.v, near.part
        self._stand(near)
        self.limits.returns.clear()
        for _ in range(MOST_SWITCHINGS):
            v, part = solved(case.with_held(v), part)
            self._raise_to(part)
            if not self.limits.switch(v):
                return self._within(self._point(part, v))
        raise _Beyond

    def _point(self, part: float, v: Complexes) -> Point:
        s, _ = self.drawn(np.abs(v))
        return Point(part, v, part * float(s.real.sum()), dict(self.case.at_limit))

    def _stand(self, point: Point) -> None:
        """The limits as they stand at a point."""
        self.case.at_limit.clear()
        self.case.at_limit.update(point.at_limit)

    def _given(self, k: int) -> Given:
        """The power balance with unknown `k` given and the size of the raised load unknown; angles count first, then magnitudes."""
        self._raise_to(0.0)
        given = self.case.given()
        n, pattern, before = len(self.fed), given.pattern, given.unknown

        def weights(v_abs: Floats) -> tuple[Complexes, Complexes]:
            s, slope = self.drawn(v_abs)
            if before is None:
                return -s[:, None], -slope[:, None]
            w, w_slope = before.weights(v_abs)
            return np.column_stack([w, -s]), np.column_stack([w_slope, -slope])

        s, _ = self.drawn(np.ones(n))
        at = (s != 0)[:, None] if before is None else np.column_stack([before.at, s != 0])
        angle_free = pattern.angle_free[pattern.angle_free != k]
        magnitude_free = pattern.magnitude_free[pattern.magnitude_free != k - n]
        unknown = Unknown(at, weights)
        return replace(given, unknown=unknown, pattern=Jacobian(given.y, angle_free, magnitude_free, pattern.p_rows, pattern.q_rows, at))

    def _within(self, point: Point) -> Point:
        """The point, unless a source that keeps its voltage alone gives more there than it can."""
        if last := self.limits.last_beyond(point.v):
            raise _Beyond(last)
        return point

    # ---- the search

    def run(self) -> MaximumLoading:
        try:
            start = self._start()
        except (NoSolution, _Beyond) as error:  # this island has none; the others keep theirs
            return self._none(f"also with nothing of it: {error}")
        points = [start]
        try:
            points.append(self._upward(start))
            ended = self._follow(points)
        except _Beyond as error:
            ended = str(error)
        return self._answer(points, ended)

    def _start(self) -> Point:
        """Load flow as it is; without a solution within the ranges of the sources, with nothing of the raised load."""
        for part in (1.0, 0.0):
            self._raise_to(part)
            self.case.at_limit.clear()
            try:
                start = self._point(part, Controls(self.case).settled())
                return start if part == 0 else self._within(start)
            except (NoSolution, _Beyond):
                if part == 0:
                    raise
        raise AssertionError

    def _upward(self, start: Point) -> Point:
        """A second point, by a step of the load."""
        step, last = FIRST_STEP, _Beyond()
        while step > LEAST_STEP:
            try:
                return self._at_part(start.part + step, start)
            except _Beyond as error:
                step, last = step / 4, error
        raise last

    def _unknowns(self, point: Point) -> Floats:
        return np.concatenate([np.angle(point.v), np.abs(point.v)])

    def _follow(self, points: list[Point]) -> str:
        """Follow the curve until less is drawn again, then find the most between the last points. Why it ended, in words; empty where it did not."""
        size = 1.0
        while len(points) < MOST_POINTS and points[-1].part < MOST_PART:
            last, before = points[-1], points[-2]
            change = self._unknowns(last) - self._unknowns(before)
            change[: len(self.fed)] = np.angle(np.exp(1j * change[: len(self.fed)]))
            k = self._given_instead(change, last)
            if k < 0 and last.part - before.part < LEAST_STEP:
                return str(_Beyond())  # nothing moves any more
            if k < 0:
                try:  # no voltage moves, as all are held: by the load itself
                    points.append(self._at_part(last.part + 2 * (last.part - before.part), last))
                    continue
                except _Beyond as error:
                    return str(error)
            value, step = float(self._unknowns(last)[k]), float(change[k])
            size = min(size, LARGEST_STEP / abs(step))
            try:
                ahead = self._at_value(k, value + step * size, last)
            except _Beyond as error:
                size /= 2
                if abs(step * size) < LEAST_STEP:
                    return str(error)
                continue
            points.append(ahead)
            size = min(1.3, 2 * size)
            if ahead.drawn < last.drawn:
                self._refine(points, k)
                return TURNED
        return "" if points[-1].part >= MOST_PART else str(_Beyond())

    def _given_instead(self, change: Floats, last: Point) -> int:
        """The free unknown that changed most; no voltage that a source at its limit would take up again. -1 where none changed."""
        self._stand(last)
        given = self.case.given()
        free = np.concatenate([given.pattern.angle_free, len(self.fed) + np.array([i for i in given.pattern.magnitude_free if i not in self.targets], int)])
        if not len(free):
            return -1
        k = int(free[np.argmax(np.abs(change[free]))])
        return k if abs(change[k]) > 1e-9 else -1

    def _refine(self, points: list[Point], k: int) -> None:
        """The point at which most is drawn, put between those about it."""
        ahead, middle, before = points[-1], points[-2], points[-3] if len(points) > 2 else points[-2]
        one, other = float(self._unknowns(before)[k]), float(self._unknowns(ahead)[k])
        ends = min(one, other), max(one, other)
        best = middle

        def less(value: float) -> float:
            nonlocal best
            near = min((before, middle, ahead), key=lambda p: abs(float(self._unknowns(p)[k]) - value))
            try:
                point = self._at_value(k, value, near)
            except _Beyond:
                return 0.0
            best = max(best, point, key=lambda p: p.drawn)
            return -point.drawn

        minimize_scalar(less, bounds=ends, method="bounded", options={"xatol": 1e-7 * max(abs(ends[1] - ends[0]), 1e-6)})
        if best is not middle:
            at = [float(self._unknowns(p)[k]) for p in (middle, best)]
            passed = (at[1] - at[0]) * (other - one) > 0  # along the curve
            points.insert(len(points) - (1 if passed else 2), best)

    # ---- what was found

    def _none(self, why: str) -> MaximumLoading:
        """There is no solution without the raised load either."""
        top, v = self.net.topology, math.nan
        bus = next(bus for i, bus in enumerate(top.bus_ids) if top.fed_bus(i))
        of = ", ".join(e.name for e in self.case.sources.reference.values())
        return MaximumLoading(self.net, of, self.raised, self.asked, self.asked, 0.0, 0.0, math.nan, why, bus, v, v, bus, v, (), ())

    def _answer(self, points: list[Point], ended: str) -> MaximumLoading:
        most = max(points, key=lambda p: p.drawn)
        at = points.index(most)
        other = points[at - 1] if at else points[min(1, len(points) - 1)]
        top = self.net.topology
        judged = [i for i, bus in enumerate(top.bus_ids) if top.fed_bus(i) and getattr(self.net.elements[bus], "bus_kind", "") != "junction"]
        places = self.case.number[top.node_of_bus[judged]]
        v = np.abs(most.v)[places]
        fall = (np.abs(other.v)[places] - v) if at else np.abs(np.abs(other.v)[places] - v)
        weakest, lowest = int(np.argmax(fall)), int(np.argmin(v))
        self._raise_to(most.part)
        drawn_all = power_drawn(np.abs(most.v), self.case.load[self.case.fed]).sum() + self._followers(np.abs(most.v))
        base, ids = self.net.s_base_mva, top.bus_ids
        limited = []
        for node in most.at_limit:
            since = next(p.part for p in points if node in p.at_limit)
            limited += [f"{e.name} ({'from the start' if since <= points[0].part else f'by {since:.0%}'})" for e in self.case.holding(node)]
        told = ended or f"none was found up to {most.part:.3g} times the load"
        return MaximumLoading(
            net=self.net,
            source=", ".join(e.name for e in self.case.sources.reference.values()),
            raised=self.raised,
            asked_mw=self.asked,
            drawn_now_mw=points[0].drawn * base if points[0].part > 0 else self.asked,
            part=most.part if ended else math.inf,
            drawn_mw=most.drawn * base,
            load_mw=float(drawn_all.real) * base,
            ended=told,
            weakest=ids[judged[weakest]],
            v_weakest_pu=float(v[weakest]),
            v_weakest_now_pu=float(np.abs(points[0].v)[places][weakest]),
            lowest=ids[judged[lowest]],
            v_lowest_pu=float(v[lowest]),
            limited=tuple(limited),
            curve=tuple((p.part, p.drawn * base, float(np.abs(p.v)[places][weakest])) for p in points),
        )

    def _followers(self, v_abs: Floats) -> complex:
        one = self.case.following
        on = self.case.fed[one.load_node]
        return complex(one.load_power(v_abs[self.case.number[one.load_node]])[on].sum()) if len(one.loads) else 0j


def maximum_table(state: str, found: list[MaximumLoading]) -> Table:
    """One row for each island."""
    rows: list[tuple[Cell, ...]] = [
        (
            state, m.source, m.raised, m.asked_mw, m.drawn_now_mw,
            *((m.part, m.drawn_mw, m.margin_mw) if math.isfinite(m.part) else (None, None, None)),
            _finite(m.load_mw), m.net.name(m.weakest), _finite(m.v_weakest_pu), _finite(m.v_weakest_now_pu),
            m.net.name(m.lowest), _finite(m.v_lowest_pu), m.ended, ", ".join(m.limited),
        )
        for m in found
    ]  # fmt: skip
    columns = (
        ("state", "", "State"), ("source", "", "Island of"), ("raised", "", "Raised"), ("asked_mw", "MW", "Asks for"), ("drawn_now_mw", "MW", "Draws today"),
        ("part", "", "At times"), ("p_max_mw", "MW", "At most"), ("margin_mw", "MW", "Margin"), ("load_mw", "MW", "Load of the island there"),
        ("weakest", "", "Weakest bus"), ("v_weakest_pu", "p.u.", "Voltage there"), ("v_now_pu", "p.u.", "Today"), ("lowest", "", "Lowest bus"),
        ("v_lowest_pu", "p.u.", "Lowest"), ("ended", "", "Why no more"), ("limited", "", "At a reactive limit"),
    )  # fmt: skip
    return build("maximum", columns, rows)


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None


def curve_table(state: str, found: list[MaximumLoading]) -> Table:
    """The voltage of the weakest bus over the load."""
    rows: list[tuple[Cell, ...]] = [
        (state, m.source, m.net.name(m.weakest), part, mw, v) for m in found for part, mw, v in m.curve
    ]  # fmt: skip
    columns = (
        ("state", "", "State"), ("source", "", "Island of"), ("bus", "", "Bus"), ("part", "", "Times"), ("drawn_mw", "MW", "Drawn"),
        ("v_pu", "p.u.", "Voltage"),
    )  # fmt: skip
    return build("loading_curve", columns, rows)
