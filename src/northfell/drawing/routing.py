"""Wires at right angles: from a terminal to its bus, past the symbols in between.

Of the ways with few bends the one is taken that crosses no symbol; among equals the shortest. A way that must cross some symbol
crosses as few as possible: a wire is never left out.
"""

import itertools
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from northfell.drawing.shapes import Point

CELL = 40.0  # of the grid in which symbols are looked up, in drawing units
CLEAR = 3.0  # kept between a wire and a symbol
BEND, CROSSING = 25.0, 400.0  # what a bend and a crossed symbol cost, in drawing units of length
DETOURS = (15.0, -15.0, 30.0, -30.0, 50.0, -50.0, 80.0, -80.0, 120.0, -120.0)

Box = tuple[float, float, float, float]  # left, top, right, bottom
Way = tuple[Point, ...]


@dataclass
class Obstacles:
    """Boxes of symbols, found by place."""

    boxes: dict[str, Box]
    _cells: dict[tuple[int, int], list[str]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for key, box in self.boxes.items():
            for cell in _cells(box):
                self._cells.setdefault(cell, []).append(key)

    def crossed(self, a: Point, b: Point, but: str) -> int:
        """How many symbols, but one, a straight piece of wire runs through."""
        piece = (min(a[0], b[0]), min(a[1], b[1]), max(a[0], b[0]), max(a[1], b[1]))
        found = {key for cell in _cells(piece) for key in self._cells.get(cell, ()) if key != but and _meet(piece, self.boxes[key])}
        return len(found)


def _cells(box: Box) -> Iterable[tuple[int, int]]:
    left, top, right, bottom = (int(v // CELL) for v in box)
    return ((x, y) for x in range(left, right + 1) for y in range(top, bottom + 1))


def _meet(piece: Box, box: Box) -> bool:
    return piece[0] < box[2] - CLEAR and piece[2] > box[0] + CLEAR and piece[1] < box[3] - CLEAR and piece[3] > box[1] + CLEAR


@dataclass(frozen=True)
class Target:
    """A bus as a wire sees it: a point, or a bar from x to x + width at y."""

    x: float
    y: float
    width: float = 0.0

    def nearest(self, x: float) -> float:
        return min(max(x, self.x), self.x + self.width)


def way_to(start: Point, outward: Point, target: Target, obstacles: Obstacles, own: str) -> Way:
    """The wire from a terminal to its bus.

    Parameters
    ----------
    start : Point
        The terminal.
    outward : Point
        Unit vector in which the terminal looks.
    target : Target
        The bus.
    obstacles : Obstacles
    own : str
        Key of the symbol that the terminal belongs to.

    Returns
    -------
    Points from the terminal to the bus; empty if the terminal stands on it.
    """
    end = (target.nearest(start[0]), target.y)
    if _same(start, end):
        return ()
    if (abs(start[0] - end[0]) < 0.01 or abs(start[1] - end[1]) < 0.01) and not obstacles.crossed(start, end, own) and _leaves(start, end, outward):
        return (start, end)
    first = list(_plain_ways(start, outward, target, end))
    best = min(first, key=lambda way: _cost(way, outward, obstacles, own))
    if not any(obstacles.crossed(a, b, own) for a, b in itertools.pairwise(best)):
        return best
    return min([*first, *_detours(start, target, end)], key=lambda way: _cost(way, outward, obstacles, own))


def _same(a: Point, b: Point) -> bool:
    return abs(a[0] - b[0]) < 0.01 and abs(a[1] - b[1]) < 0.01


def _leaves(a: Point, b: Point, outward: Point) -> bool:
    """Whether a piece does not run back into the symbol it comes from."""
    return (b[0] - a[0]) * outward[0] + (b[1] - a[1]) * outward[1] > -0.01


def _plain_ways(start: Point, outward: Point, target: Target, end: Point) -> Iterable[Way]:
    (x, y), (ex, ey) = start, end
    yield _tidy((start, (ex, y), end))
    if not target.width:
        yield _tidy((start, (x, ey), end))
    lead = (x + 10 * outward[0], y + 10 * outward[1])
    yield _tidy((start, lead, (ex, lead[1]), end))
    yield _tidy((start, (x, (y + ey) / 2), (ex, (y + ey) / 2), end))
    if not target.width:
        yield _tidy((start, lead, (lead[0], ey), end))
        yield _tidy((start, ((x + ex) / 2, y), ((x + ex) / 2, ey), end))


def _detours(start: Point, target: Target, end: Point) -> Iterable[Way]:
    (x, y), (ex, ey) = start, end
    for d in DETOURS:
        yield _tidy((start, (x, y + d), (ex, y + d), end))
        yield (
            _tidy((start, (x + d, y), (x + d, ey), end))
            if not target.width
            else _tidy((start, (x + d, y), (target.nearest(x + d), y), (target.nearest(x + d), ey)))
        )
        half = (y + ey) / 2
        yield _tidy((start, (x, half + d), (ex, half + d), end))


def _tidy(points: Way) -> Way:
    """Without points that repeat or lie on a straight line."""
    kept: list[Point] = []
    for p in points:
        if kept and _same(kept[-1], p):
            continue
        if len(kept) > 1 and _in_line(kept[-2], kept[-1], p):
            kept[-1] = p
        else:
            kept.append(p)
    return tuple(kept)


def _in_line(a: Point, b: Point, c: Point) -> bool:
    """Whether b lies between a and c on one upright or level line."""
    upright = abs(a[0] - b[0]) < 0.01 and abs(b[0] - c[0]) < 0.01 and (b[1] - a[1]) * (c[1] - b[1]) >= 0
    level = abs(a[1] - b[1]) < 0.01 and abs(b[1] - c[1]) < 0.01 and (b[0] - a[0]) * (c[0] - b[0]) >= 0
    return upright or level


def _cost(way: Way, outward: Point, obstacles: Obstacles, own: str) -> float:
    pieces = list(itertools.pairwise(way))
    length = sum(abs(b[0] - a[0]) + abs(b[1] - a[1]) for a, b in pieces)
    back = 0.0 if not pieces or _leaves(*pieces[0], outward) else CROSSING / 2
    return length + BEND * (len(pieces) - 1) + back + CROSSING * sum(obstacles.crossed(a, b, own) for a, b in pieces)


def nearest_on(ways: Mapping[tuple[str, int], Way], at: Point, within: float) -> tuple[str, int] | None:
    """The wire, by element and position of its terminal, that passes a place most closely; None where none is near enough."""
    found = [(_distance(a, b, at), key) for key, way in ways.items() for a, b in itertools.pairwise(way)]
    near = min(found, default=None)
    return near[1] if near and near[0] <= within else None


def _distance(a: Point, b: Point, p: Point) -> float:
    x, y = min(max(p[0], min(a[0], b[0])), max(a[0], b[0])), min(max(p[1], min(a[1], b[1])), max(a[1], b[1]))
    return float(((p[0] - x) ** 2 + (p[1] - y) ** 2) ** 0.5)
