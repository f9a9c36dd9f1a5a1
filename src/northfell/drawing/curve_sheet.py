"""A sheet of time-current curves as shapes: devices as bands in tones of their own, limits as lines, gaps, marks, and handles to take hold of."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from northfell.core.quantities import figure
from northfell.drawing.metrics import width as width_of
from northfell.drawing.shapes import Circle, Line, Polygon, Rect, Shape, Style, Text
from northfell.drawing.time_current import Axes, Band, Floats, band_shapes, current_range, grid_shapes, straightened

LEFT, RIGHT, TOP, BOTTOM = 40.0, 16.0, 10.0, 32.0
TONES = 5  # devices beyond that many begin anew
LINE, NAME_H = 13.0, 15.0
BESIDE, PARTING = 8.0, 0.4  # lines nearer than that begin together; of their width, where they have parted
LED = 24.0  # from its curve a name that was moved has a line to it
HATCH = 5.0  # between the strokes of what is too short


@dataclass(frozen=True)
class Curve:
    """A device: its band, whether it is the one that is set, and where it was found."""

    band: Band
    device: str  # id of its switch
    chosen: bool = False
    as_found: Band | None = None
    ghosts: tuple[Band, ...] = ()  # others of its family, of which the slow edges are drawn
    name_at: tuple[float, float] | None = None  # where its name was put by hand, in parts of the frame


@dataclass(frozen=True)
class Limit:
    """What is withstood (damage) or must be let pass (load)."""

    name: str
    kind: str
    i_a: Floats
    t_s: Floats


@dataclass(frozen=True)
class Gap:
    """The least gap of a pair: from the slow edge below to the fast edge above, at the currents that each sees."""

    text: str
    severity: str
    lower: tuple[float, float]  # current and time
    upper: tuple[float, float]
    below: int  # which curves, by position
    above: int
    required_s: float


@dataclass(frozen=True)
class Level:
    """A current that is marked: a fault."""

    text: str
    i_a: float
    cls: str


@dataclass(frozen=True)
class Handle:
    """A setting that can be taken hold of on the sheet."""

    element: str
    field: str
    axis: str  # x: a current, y: a time
    at: tuple[float, float]
    value: float
    step: float
    unit: str
    label: str
    choices: tuple[float, ...] = ()  # where only some values can be set
    adds_s: float = 0.0  # of the time at which it stands, what is not of the setting


@dataclass(frozen=True)
class Drawn:
    """A sheet, by layers: each device is a group of its own."""

    axes: Axes
    ground: list[Shape]
    groups: list[tuple[str, str, list[Shape]]]  # device, class, shapes
    over: list[Shape]
    handles: list[tuple[float, float, Handle]]
    size: tuple[float, float]


def draw_sheet(
    curves: Sequence[Curve], limits: Sequence[Limit], gaps: Sequence[Gap], levels: Sequence[Level], handles: Sequence[Handle],
    size: tuple[float, float], unit: str,
) -> Drawn:  # fmt: skip
    """Lay a sheet out: whole decades that hold all currents, names beside their curves without running into each other."""
    w, h = size
    currents = [float(v) for c in curves for v in (c.band.i_a[0], c.band.i_a[-1])] + [one.i_a for one in levels]
    axes = Axes(LEFT, TOP, w - LEFT - RIGHT, h - TOP - BOTTOM, current_range(currents))
    ground = grid_shapes(axes, unit)
    for limit in limits:
        ground += _limit(axes, limit)
    over: list[Shape] = []
    taken: list[tuple[float, float, float, float]] = []
    for level in levels:
        over += _level(axes, level, taken)
    groups, places = [], {curve.device: k for k, curve in enumerate(curves)}
    for k, curve in sorted(enumerate(curves), key=lambda at: at[1].name_at is None):  # what was put by hand takes its room first
        shapes: list[Shape] = [line for one in curve.ghosts for line in _ghost(axes, one)]
        shapes += _as_found(axes, curve.as_found) if curve.as_found is not None else []
        shapes += band_shapes(axes, curve.band)
        shapes += _name(axes, curve, taken)
        groups.append((curve.device, f"tc tone-{k % TONES}{' chosen' if curve.chosen else ''}", shapes))
    groups.sort(key=lambda group: places[group[0]])
    for limit in limits:
        ground += _limit_name(axes, limit, taken)
    for curve in curves:
        over += _ghost_names(axes, curve, taken)
    for gap in gaps:
        ground += _too_short(axes, gap, curves[gap.below].band, curves[gap.above].band)
        over += _gap(axes, gap, taken)
    over.append(Rect(axes.x, axes.y, axes.w, axes.h, Style(cls="axis")))
    held = [(*_inside(axes, *one.at), one) for one in handles]
    return Drawn(axes, ground, groups, over, held, size)


def _inside(axes: Axes, i_a: float, t_s: float) -> tuple[float, float]:
    x, y = axes.at(max(i_a, 1e-9), min(max(t_s, 1e-9), 1e9))
    return min(max(x, axes.x), axes.x + axes.w), min(max(y, axes.y + 4), axes.y + axes.h - 4)


def _limit(axes: Axes, limit: Limit) -> list[Shape]:
    return [Line(tuple(part), Style(cls=f"tc-{limit.kind}")) for part in _parts(axes, limit)]


def _parts(axes: Axes, limit: Limit) -> list[list[tuple[float, float]]]:
    """What of its line stands inside the frame."""
    known = np.isfinite(limit.t_s) & np.isfinite(limit.i_a) & (limit.t_s > 0)
    return _clipped(axes, axes.line(limit.i_a[known], limit.t_s[known]))


def _limit_name(axes: Axes, limit: Limit, taken: list[tuple[float, float, float, float]]) -> list[Shape]:
    """The name beside the lower end of the line, above or below what stands there already."""
    parts = _parts(axes, limit)
    if not parts:
        return []
    x, y = max((p for part in parts for p in part), key=lambda p: p[1])
    w = width_of(limit.name, 10) + 2
    x = x + 4 if x + 4 + w < axes.x + axes.w else x - 4 - w
    return [Text(x, _free(taken, x, y - 4 - 9, w, LINE) + 9, limit.name, Style(cls="d"), 10)]


def _clipped(axes: Axes, points: Sequence[tuple[float, float]]) -> list[list[tuple[float, float]]]:
    """The parts of a line that stand inside the frame; where it leaves it, up to the edge."""
    parts: list[list[tuple[float, float]]] = []
    for a, b in pairwise(points):
        cut = _cut(axes, a, b)
        if cut is None:
            continue
        if parts and math.dist(parts[-1][-1], cut[0]) < 1e-6:
            parts[-1].append(cut[1])
        else:
            parts.append([cut[0], cut[1]])
    return parts


def _cut(axes: Axes, a: tuple[float, float], b: tuple[float, float]) -> tuple[tuple[float, float], tuple[float, float]] | None:
    """A stretch inside the frame (Liang–Barsky); None where all of it is outside."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    low, high = 0.0, 1.0
    for p, q in ((-dx, a[0] - axes.x), (dx, axes.x + axes.w - a[0]), (-dy, a[1] - axes.y), (dy, axes.y + axes.h - a[1])):
        if p == 0:
            if q < 0:
                return None
        elif p < 0:
            low = max(low, q / p)
        else:
            high = min(high, q / p)
    return ((a[0] + low * dx, a[1] + low * dy), (a[0] + high * dx, a[1] + high * dy)) if low <= high else None


def _level(axes: Axes, level: Level, taken: list[tuple[float, float, float, float]]) -> list[Shape]:
    x, _ = axes.at(level.i_a, 1.0)
    y = axes.y + axes.h
    left = x + 5 + width_of(level.text, 10) > axes.x + axes.w
    place = _free(taken, x - 5 - width_of(level.text, 10) if left else x + 5, axes.y + 3, width_of(level.text, 10), LINE)
    return [
        Line(((x, axes.y), (x, y)), Style(cls=f"tc-level {level.cls}")),
        Polygon(((x, y - 8), (x - 4, y), (x + 4, y)), Style(cls=f"tc-foot {level.cls}")),
        Text(x - 5 if left else x + 5, place + 10, level.text, Style(cls=f"tc-words {level.cls}"), 10, "end" if left else "start"),
    ]


def arc_marks(axes: Axes, currents_a: Sequence[float]) -> list[Shape]:
    """Arcing currents at the foot of the sheet: open triangles on stems."""
    found: list[Shape] = []
    for i_a in currents_a:
        x, y = axes.at(i_a, 1.0)[0], axes.y + axes.h
        if axes.x <= x <= axes.x + axes.w:
            found += [Line(((x, y - 22), (x, y - 8)), Style(cls="tc-arc")), Polygon(((x, y - 8), (x - 4, y), (x + 4, y)), Style(cls="tc-arc"))]
    return found


def _free(taken: list[tuple[float, float, float, float]], x: float, y: float, w: float, h: float) -> float:
    """The next height, from y down, at which a text of a size runs into no other; it is taken from then on."""
    while _meets(taken, x, y, w, h):
        y += 4
    taken.append((x, y, w, h))
    return y


def _meets(taken: list[tuple[float, float, float, float]], x: float, y: float, w: float, h: float) -> bool:
    return any(x < tx + tw + 3 and tx < x + w + 3 and y < ty + th and ty < y + h for tx, ty, tw, th in taken)


def _name(axes: Axes, curve: Curve, taken: list[tuple[float, float, float, float]]) -> list[Shape]:
    """The name on a small plate, at the upper end of the slow edge or where there is room below."""
    right, bottom = axes.x + axes.w, axes.y + axes.h
    inside = [(x, y) for x, y in axes.line(curve.band.i_a, curve.band.slow_s) if axes.x <= x <= right and axes.y <= y <= bottom]
    if not inside:
        return []
    w = width_of(curve.band.name, 11) + 10
    x, y = inside[0]
    if curve.name_at is not None:
        x, y = axes.x + curve.name_at[0] * (axes.w - w), axes.y + curve.name_at[1] * (axes.h - NAME_H)
        taken.append((x, y, w, NAME_H))
        met = min(inside, key=lambda p: math.dist(p, (x + w / 2, y + NAME_H / 2)))
        near = min(max(met[0], x), x + w), min(max(met[1], y), y + NAME_H)
        leader = [Line((near, met), Style(cls="tc-leader"))] if math.dist(near, met) > LED else []
        return [*leader, *_plate(curve, x, y, w)]
    x = min(x + 5, axes.x + axes.w - w - 2)
    return _plate(curve, x, _free(taken, x, min(max(y, axes.y + 18), axes.y + axes.h - 24), w, NAME_H), w)


def _plate(curve: Curve, x: float, y: float, w: float) -> list[Shape]:
    return [Rect(x, y, w, NAME_H, Style(cls="tc-plate"), 3), Text(x + 5, y + 11, curve.band.name, Style(cls="tc-name"), 11)]


def _as_found(axes: Axes, band: Band) -> list[Shape]:
    return [Line(one.points, Style(cls="tc-found")) for one in band_shapes(axes, band) if isinstance(one, Line)]


def _ghost(axes: Axes, band: Band) -> list[Shape]:
    """The slow edge of another of the family."""
    known = np.isfinite(band.slow_s)
    points = axes.line(band.i_a[known], np.maximum(band.slow_s[known], 1e-9))
    return [Line(tuple(part), Style(cls="tc-ghost")) for part in _clipped(axes, straightened(points))]


def _ghost_names(axes: Axes, curve: Curve, taken: list[tuple[float, float, float, float]]) -> list[Shape]:
    """What is different of each, beside its line where that is another than the device's own, at the first place where there is room.

    From above, or where all begin together, from where they part.
    """
    if not curve.ghosts:
        return []
    own = {x: y for line in _ghost(axes, curve.band) if isinstance(line, Line) for x, y in line.points}
    xs, ys = np.array(sorted(own)), np.array([own[x] for x in sorted(own)])

    def apart(x: float, y: float) -> bool:
        return not len(xs) or not xs[0] <= x <= xs[-1] or abs(float(np.interp(x, xs, ys)) - y) > BESIDE

    ways = [[point for line in _ghost(axes, one) if isinstance(line, Line) for point in line.points if apart(*point)] for one in curve.ghosts]
    tops = {round(way[0][0] / BESIDE) for way in ways if way}
    together = len(tops) <= len(ways) / 2
    named: list[Shape] = []
    for ghost, way in zip(curve.ghosts, ways, strict=True):
        if together and way:
            part = way[0][0] + PARTING * (way[-1][0] - way[0][0])
            way.sort(key=lambda point: abs(point[0] - part))
        w = width_of(ghost.name, 9) + 2
        for x, y in way:
            box = (x + 3, max(y - 5, axes.y + 2), w, 11.0)
            if box[0] + w < axes.x + axes.w and box[1] + 11 < axes.y + axes.h and not _meets(taken, *box):
                taken.append(box)
                named.append(Text(box[0], box[1] + 9, ghost.name, Style(cls="tc-other"), 9))
                break
    return named


def _gap(axes: Axes, gap: Gap, taken: list[tuple[float, float, float, float]]) -> list[Shape]:
    """The least gap as a measure between the two edges, with its figure."""
    ends = [end for end in (gap.lower, gap.upper) if all(math.isfinite(v) and v > 0 for v in end)]
    if len(ends) < 2:
        return []
    a, b = (_inside(axes, *end) for end in ends)
    w = width_of(gap.text, 11) + 8
    x = a[0] - w - 8
    y = _free(taken, x, (a[1] + b[1]) / 2 - 8, w, NAME_H)
    cls = gap.severity or "kept-gap"
    return [
        Line((a, b), Style(cls=f"tc-measure {cls}")), Circle(*a, 2.4, Style(cls=f"tc-foot {cls}")), Circle(*b, 2.4, Style(cls=f"tc-foot {cls}")),
        Rect(x, y, w, NAME_H, Style(cls="tc-plate"), 3), Text(x + 4, y + 11, gap.text, Style(cls=f"tc-words {cls}"), 11, mono=True),
    ]  # fmt: skip


def _too_short(axes: Axes, gap: Gap, lower: Band, upper: Band) -> list[Shape]:
    """Strokes between the two bands, over the currents at which there is less than required."""
    if gap.severity != "breach":
        return []
    low, high = max(lower.i_a[0], upper.i_a[0], axes.i_a[0]), min(lower.i_a[-1], upper.i_a[-1], axes.i_a[1])
    if not low < high:
        return []
    left, right = axes.at(float(low), 1.0)[0], axes.at(float(high), 1.0)[0]
    xs = np.append(np.arange(math.ceil(left / HATCH) * HATCH, right, HATCH), right - 1e-6)
    i = axes.i_a[0] * (axes.i_a[1] / axes.i_a[0]) ** ((xs - axes.x) / axes.w)
    shapes: list[Shape] = []
    for x, below, above in zip(xs, _at(lower, i, lower.slow_s), _at(upper, i, upper.fast_s), strict=True):
        if not (math.isfinite(above) and above - below < gap.required_s + 1e-9):
            continue
        ends = [_inside(axes, float(axes.i_a[0]), float(t))[1] for t in (min(below, 1e6), above)]
        if abs(ends[0] - ends[1]) > 1:
            shapes.append(Line(((float(x), ends[0]), (float(x) + 3, ends[1])), Style(cls="tc-short")))
    return shapes


def _at(band: Band, i_a: Floats, t_s: Floats) -> Floats:
    """An edge at some currents: of the points before, where it is a step."""
    at = np.clip(np.searchsorted(band.i_a, i_a, side="right") - 1, 0, len(band.i_a) - 1)
    return np.asarray(t_s[at])


def note(i_a: float, unit: str = "A") -> str:
    """A current as the sheet writes it."""
    return f"{figure(i_a / 1000, 3)} kA" if i_a >= 1000 else f"{figure(i_a, 3)} {unit}"
