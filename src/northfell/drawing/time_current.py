"""Time-current curves as shapes: double-logarithmic axes, devices as bands, currents as marks."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from northfell.drawing.shapes import Circle, Line, Polygon, Rect, Shape, Style, Text

Floats = NDArray[np.float64]
TIMES_S = (0.01, 1000.0)
STRAIGHT, UPRIGHT = 0.02, 1e-3  # what is not seen of a line; points nearer than that stand above each other
AXIS, GRID, BAND, EDGE = Style(cls="axis"), Style(cls="grid"), Style(cls="tc-band"), Style(cls="tc-edge")


@dataclass(frozen=True, eq=False)
class Band:
    """A device: fast and slow edge over current; infinite where it does not operate."""

    name: str
    i_a: Floats
    fast_s: Floats
    slow_s: Floats


@dataclass(frozen=True)
class Mark:
    """A current, and the time at which the device opens for it."""

    text: str
    i_a: float
    t_s: float
    cls: str  # tc-full, tc-reduced
    governs: bool = False


@dataclass(frozen=True)
class Axes:
    """Where a current and a time stand in a frame of a size."""

    x: float
    y: float
    w: float
    h: float
    i_a: tuple[float, float]

    def at(self, i_a: float, t_s: float) -> tuple[float, float]:
        right = math.log10(i_a / self.i_a[0]) / math.log10(self.i_a[1] / self.i_a[0])
        down = math.log10(TIMES_S[1] / t_s) / math.log10(TIMES_S[1] / TIMES_S[0])
        return self.x + self.w * right, self.y + self.h * down

    def line(self, i_a: Floats, t_s: Floats) -> list[tuple[float, float]]:
        """Where many stand; infinite where a time is."""
        with np.errstate(divide="ignore"):
            right = np.log10(i_a / self.i_a[0]) / math.log10(self.i_a[1] / self.i_a[0])
            down = np.log10(TIMES_S[1] / t_s) / math.log10(TIMES_S[1] / TIMES_S[0])
        return list(zip((self.x + self.w * right).tolist(), (self.y + self.h * down).tolist(), strict=True))


def straightened(points: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """A line from left to right with as few of its points as keep it within a fiftieth of a unit; upright steps stand."""
    if not points:
        return []
    kept, last, low, high = [points[0]], points[0], -math.inf, math.inf  # the slopes that keep all since the last that is kept
    for point in points[1:]:
        (x, y), (from_x, from_y) = point, kept[-1]
        upright = x - last[0] < UPRIGHT
        if last != kept[-1] and not low <= (y - from_y) / (x - from_x) <= high:
            kept.append(last)
            (from_x, from_y), low, high = last, -math.inf, math.inf
        if upright:
            kept.append(point)
            low, high = -math.inf, math.inf
        else:
            slope, room = (y - from_y) / (x - from_x), STRAIGHT / (x - from_x)
            low, high = max(low, slope - room), min(high, slope + room)
        last = point
    return kept if last == kept[-1] else [*kept, last]


def current_range(currents: Sequence[float]) -> tuple[float, float]:
    """Whole decades that hold all currents."""
    low, high = min(currents), max(currents)
    return 10 ** math.floor(math.log10(low * 0.9)), 10 ** math.ceil(math.log10(high * 1.1))


def curve_shapes(bands: Sequence[Band], marks: Sequence[Mark], width: float, height: float) -> list[Shape]:
    """A frame with decade lines, the bands inside it, and the marks; sizes in the unit of the drawing."""
    axes = Axes(34, 8, width - 52, height - 36, current_range([float(b.i_a[0]) for b in bands] + [m.i_a for m in marks]))
    shapes = grid_shapes(axes, "A through the device")
    for band in bands:
        shapes += band_shapes(axes, band)
    for mark in marks:
        x, _ = axes.at(mark.i_a, 1.0)
        shapes.append(Line(((x, axes.y), (x, axes.y + axes.h)), Style(cls=mark.cls)))
    for k, mark in enumerate(sorted(marks, key=lambda m: -m.i_a)):
        x, _ = axes.at(mark.i_a, 1.0)
        right = k == 0 and x < axes.x + axes.w * 0.7
        shapes.append(Text(x + (4 if right else -4), axes.y + 11 + 12 * k, mark.text, Style(cls=f"{mark.cls}-text"), 10, "start" if right else "end"))
        if mark.governs and TIMES_S[0] <= mark.t_s <= TIMES_S[1]:
            shapes.append(Circle(*axes.at(mark.i_a, mark.t_s), 3.5, Style(cls="tc-point")))
    shapes.append(Rect(axes.x, axes.y, axes.w, axes.h, AXIS))
    return shapes


def grid_shapes(axes: Axes, unit: str) -> list[Shape]:
    """Lines at whole decades with their figures, and in whose unit a current is told."""
    shapes: list[Shape] = []
    for k in range(round(math.log10(TIMES_S[0])), round(math.log10(TIMES_S[1])) + 1):
        _, y = axes.at(axes.i_a[0], 10.0**k)
        shapes += [Line(((axes.x, y), (axes.x + axes.w, y)), GRID), Text(axes.x - 5, y + 3.5, f"{10.0**k:g}", Style(cls="d"), 10, "end", mono=True)]
    for k in range(round(math.log10(axes.i_a[0])), round(math.log10(axes.i_a[1])) + 1):
        x, _ = axes.at(10.0**k, 1.0)
        told = f"{10.0**k:g}" if k < 3 else f"{10.0 ** (k - 3):g} k"
        last = x > axes.x + axes.w - 10  # its figure ends with the frame
        figure_at = Text(x, axes.y + axes.h + 13, told, Style(cls="d"), 10, "end" if last else "middle", mono=True)
        shapes += [Line(((x, axes.y), (x, axes.y + axes.h)), GRID), figure_at]
    shapes.append(Text(axes.x - 5, axes.y + axes.h + 26, "s", Style(cls="d"), 10, "end"))
    shapes.append(Text(axes.x + axes.w, axes.y + axes.h + 26, unit, Style(cls="d"), 10, "end"))
    return shapes


@lru_cache(maxsize=500)
def band_shapes(axes: Axes, band: Band) -> tuple[Shape, ...]:
    """The area between the edges, and both edges; cut where they leave the frame."""

    def edge(t: Floats) -> list[tuple[float, float]]:
        inside = np.isfinite(t) & (band.i_a >= axes.i_a[0]) & (band.i_a <= axes.i_a[1])
        points = straightened(axes.line(band.i_a[inside], np.clip(t[inside], *TIMES_S)))
        return [(points[0][0], axes.y), *points] if points else []  # the curve begins at the top

    fast, slow = edge(band.fast_s), edge(band.slow_s)
    if not fast or not slow:
        return ()
    return Polygon((*fast, *reversed(slow)), BAND), Line(tuple(fast), EDGE), Line(tuple(slow), EDGE)
