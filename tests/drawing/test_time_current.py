"""Curves: inside their frame, the point on the slow edge, marks where their current stands."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.core.studies.protection import devices_of
from northfell.demo import skerrow_water
from northfell.drawing.shapes import Circle, Line, Polygon, Rect, Text
from northfell.drawing.time_current import STRAIGHT, Band, Mark, current_range, curve_shapes, straightened

DEVICES = devices_of(skerrow_water().elements)
SIZE = (264.0, 196.0)


@given(st.lists(st.floats(0.5, 2e5), min_size=1, max_size=5))
def test_range_is_whole_decades_that_hold_all_currents(currents):
    low, high = current_range(currents)
    assert low < min(currents)
    assert max(currents) < high
    assert math.log10(low) == pytest.approx(round(math.log10(low)))
    assert math.log10(high) == pytest.approx(round(math.log10(high)))


@pytest.mark.parametrize("name", DEVICES)
def test_band_stands_in_its_frame_and_the_point_on_its_slow_edge(name):
    device = DEVICES[name]
    i = 3 * device.from_a("fast")
    i_a = np.geomspace(device.from_a("fast"), 20 * device.from_a("fast"), 400)
    band = Band(name, i_a, device.opens_at_s(i_a, "fast"), device.opens_at_s(i_a))
    assert np.all(band.fast_s <= band.slow_s)
    t = float(device.opens_at_s(np.array([i]))[0])
    shapes = curve_shapes([band], [Mark("full", i, t, "tc-full", True)], *SIZE)
    frame = next(s for s in shapes if isinstance(s, Rect))
    (area,) = (s for s in shapes if isinstance(s, Polygon))
    for x, y in area.points:
        assert frame.x - 0.01 <= x <= frame.x + frame.w + 0.01
        assert frame.y - 0.01 <= y <= frame.y + frame.h + 0.01
    (point,) = (s for s in shapes if isinstance(s, Circle))
    (mark,) = (s for s in shapes if isinstance(s, Line) and s.style.cls == "tc-full")
    assert point.x == mark.points[0][0]
    slow = [s for s in shapes if isinstance(s, Line) and s.style.cls == "tc-edge"][1]
    xs, ys = zip(*slow.points, strict=True)
    assert np.interp(point.x, xs, ys) == pytest.approx(point.y, abs=0.5)
    assert any(isinstance(s, Text) and s.text == "full" for s in shapes)


STEPS = st.tuples(st.sampled_from([0.0, 0.1, 1.0, 7.0]), st.floats(-50, 50) | st.sampled_from([0.0, 0.5]))


@given(st.lists(STEPS, max_size=40), st.floats(-3, 3))
def test_a_line_of_fewer_points_passes_where_it_passed(steps, slope):
    x, y = (np.cumsum([0.0, *(step[k] for step in steps)]) for k in (0, 1))
    points = list(zip(x.tolist(), (y + slope * x).tolist(), strict=True))
    kept = straightened(points)
    assert (kept[0], kept[-1]) == (points[0], points[-1])
    assert set(kept) <= set(points)
    for at in points:  # near a stretch that goes by above or below, or is upright
        assert any(
            a[0] <= at[0] <= b[0] and (min(a[1], b[1]) - STRAIGHT <= at[1] <= max(a[1], b[1]) + STRAIGHT if a[0] == b[0]
                                       else abs(a[1] + (b[1] - a[1]) * (at[0] - a[0]) / (b[0] - a[0]) - at[1]) <= STRAIGHT + 1e-9)
            for a, b in zip(kept, kept[1:] or kept, strict=False)
        )  # fmt: skip
    assert straightened([(0.0, 0.0), (1.0, 1.0), (2.0, 2.0), (3.0, 3.5)]) == [(0.0, 0.0), (2.0, 2.0), (3.0, 3.5)]
    assert straightened([]) == []


def test_a_slow_bend_is_kept():
    x = np.arange(0, 200, 0.5)
    y = 1e-3 * x**2
    kept = straightened(list(zip(x.tolist(), y.tolist(), strict=True)))
    assert len(kept) < len(x) / 5
    assert np.abs(np.interp(x, *zip(*kept, strict=True)) - y).max() < STRAIGHT + 1e-9


def test_a_device_that_never_operates_has_no_band():
    i_a = np.geomspace(1, 10, 5)
    never = np.full(5, math.inf)
    assert not any(isinstance(s, Polygon) for s in curve_shapes([Band("x", i_a, never, never)], [], *SIZE))
