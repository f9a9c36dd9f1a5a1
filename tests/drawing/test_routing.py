"""Wires: at right angles, out of the terminal they come from, past symbols where there is a way, and found by place."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northfell.drawing.routing import CLEAR, Obstacles, Target, nearest_on, way_to

NOTHING = Obstacles({})
PLACE = st.integers(-40, 40).map(lambda v: 5.0 * v)


def crossed(way, obstacles, own=""):
    return [obstacles.crossed(a, b, own) for a, b in itertools.pairwise(way)]


@pytest.mark.parametrize(
    ("start", "outward", "target", "way"),
    [
        ((50, 20), (0, 1), Target(0, 60, 100), ((50, 20), (50, 60))),  # straight down onto a bar
        ((50, 60), (0, 1), Target(0, 60, 100), ()),  # it stands on it
        ((120, 20), (-1, 0), Target(0, 60, 100), ((120, 20), (100, 20), (100, 60))),  # beside the bar: across, then onto its end
        ((50, 20), (0, 1), Target(80, 60), ((50, 20), (50, 60), (80, 60))),  # to a point
    ],
)
def test_plain_ways(start, outward, target, way):
    found = way_to(start, outward, target, NOTHING, "")
    assert len(found) == len(way)
    assert found[:1] == way[:1]
    assert found[-1:] == way[-1:]


def test_a_wire_goes_round_a_symbol_in_its_way():
    symbol = Obstacles({"x": (40.0, 30.0, 60.0, 50.0)})
    way = way_to((50, 20), (0, 1), Target(50, 90), symbol, "")
    assert sum(crossed(way, symbol)) == 0
    assert len(way) > 2
    assert sum(crossed(((50, 20), (50, 90)), symbol)) == 1
    assert sum(crossed(((50, 20), (50, 90)), symbol, "x")) == 0  # its own symbol is no obstacle
    assert symbol.crossed((40 + CLEAR, 20), (40 + CLEAR, 90), "") == 0  # along the edge


def test_a_wire_that_must_cross_is_drawn_all_the_same():
    wall = Obstacles({f"{n}": (-900.0 + 40 * n, 30.0, -850.0 + 40 * n, 50.0) for n in range(60)})
    way = way_to((50, 20), (0, 1), Target(50, 90), wall, "")
    assert way[0] == (50, 20)
    assert way[-1] == (50, 90)


@given(PLACE, PLACE, PLACE, PLACE, st.sampled_from([0.0, 40.0, 200.0]), st.sampled_from([(0, 1), (0, -1), (1, 0), (-1, 0)]))
def test_every_wire_is_at_right_angles_and_ends_on_its_bus(x, y, tx, ty, width, outward):
    obstacles = Obstacles({"a": (x + 20, y - 10, x + 40, y + 10), "b": (tx - 30, ty - 40, tx - 5, ty - 10)})
    target = Target(tx, ty, width)
    way = way_to((x, y), outward, target, obstacles, "")
    if not way:
        assert (target.nearest(x), target.y) == (x, y)
        return
    assert way[0] == (x, y)
    assert way[-1][1] == ty
    assert tx <= way[-1][0] <= tx + width
    for a, b in itertools.pairwise(way):
        assert a[0] == b[0] or a[1] == b[1]
        assert a != b


def test_the_wire_nearest_to_a_place():
    ways = {("a", 0): ((0.0, 0.0), (0.0, 100.0)), ("b", 1): ((30.0, 0.0), (30.0, 50.0), (90.0, 50.0))}
    assert nearest_on(ways, (4, 50), 8) == ("a", 0)
    assert nearest_on(ways, (60, 46), 8) == ("b", 1)
    assert nearest_on(ways, (15, 20), 8) is None
    assert nearest_on({}, (0, 0), 8) is None
