"""Where new symbols stand: below the bus from which one extends, clear of what is there already."""

import math
from collections.abc import Container, Mapping, Sequence

from northfell.core.model.elements import KINDS
from northfell.core.model.network import Placement

BOARD = 16.0  # width of a new board
DEVICE_DEPTH = 5.0


def first_place() -> Placement:
    """The first board on an empty sheet."""
    return Placement(x=10, y=8, width=BOARD)


def reach_of(kinds: Sequence[str]) -> tuple[float, float]:
    """Room to the left and to the right of a way for what hangs on it: the kinds that follow in the line, until its bracket closes."""
    left, right, depth = 2.0, 5.0, 0
    for kind in kinds:
        depth += {"(": 1, ")": -1}.get(kind, 0)
        if depth < 0:
            break
        if kind in KINDS and KINDS[kind].HELD_BY:
            left = max(left, 5.5)
        if kind in KINDS and (KINDS[kind].ABOUT.depth or len(KINDS[kind].TERMINALS) > 2):
            right = max(right, 11.0)
        if kind == "bus":
            left, right = max(left, 4.0), max(right, BOARD - 1)
    return left, right


def feeder_x(places: Mapping[str, Placement], at: str, left: float, right: float, branches: Container[str] | None = None) -> float:
    """Where a feeder leaves a board: the first place that is clear below it.

    Parameters
    ----------
    places : mapping of element id to Placement
    at : str
        The board.
    left, right : float
        Room that the way needs to both sides.
    branches : ids, optional
        Elements with long words to their right; all others take as much room on both sides. None: any may have.
    """
    bus = places[at]

    def taken(i: str, p: Placement) -> tuple[float, float]:
        if p.width:
            return p.x - 1, p.x + p.width + 1
        return (p.x - 2, p.x + 11) if branches is None or i in branches else (p.x - 4, p.x + 4)

    end = bus.x + bus.width  # beside the board also what stands a little higher, for its words
    spans = [taken(i, p) for i, p in places.items() if i != at and p.y > bus.y - (7 if p.x > end else 1)]
    x = bus.x + 3
    for a, b in sorted(spans):  # by their left ends: what was passed is passed
        if b <= x - left:
            continue
        if a >= x + right:
            break
        x = bus.x + 3 + math.ceil(2 * (b + left - bus.x - 3)) / 2
    return math.ceil(x)


def way_x(
    places: Mapping[str, Placement], ends: Mapping[str, tuple[str, ...]], holders: Mapping[str, str], at: str, left: float, right: float,
    branches: Container[str] | None = None,
) -> tuple[float, dict[str, Placement]]:  # fmt: skip
    """Where a new way leaves a board, and what has to move for it: neighbours in line with the board make room.

    Parameters
    ----------
    places : mapping of element id to Placement
    ends : mapping of element id to the buses at its terminals
    holders : mapping of relays and current transformers to what they stand at
    at, left, right, branches
        As in :func:`feeder_x`.
    """
    board = places[at]
    edge = board.x + board.width
    if not any(p.width and i != at and abs(p.y - board.y) < 4 and p.x >= edge - 0.5 for i, p in places.items()):
        return feeder_x(places, at, left, right, branches), {}
    own = _hanging(places, ends, holders, at)
    x = feeder_x({i: p for i, p in places.items() if i in own}, at, left, right, branches)
    beyond = {i for i, p in places.items() if i not in own and places.get(holders.get(i, i), p).x >= edge - 0.01}
    by = math.ceil(x + right + 2 - min((places[i].x - 2 for i in beyond), default=math.inf)) if beyond else 0
    if by <= 0:
        return x, {}
    moved = {i: places[i].model_copy(update={"x": places[i].x + by}) for i in beyond}
    across = {i: p for i, p in places.items() if i not in own and i not in beyond and p.x < edge < p.x + p.width}
    return x, moved | {i: p.model_copy(update={"width": p.width + by}) for i, p in across.items()}


def _hanging(places: Mapping[str, Placement], ends: Mapping[str, tuple[str, ...]], holders: Mapping[str, str], at: str) -> set[str]:
    """A board and all that hangs below it."""
    below = {i for i, p in places.items() if p.y > places[at].y + 0.5}
    at_bus: dict[str, list[str]] = {}
    for i in below:
        for bus in ends.get(i, ()):
            at_bus.setdefault(bus, []).append(i)
    found, queue = {at}, [at]
    while queue:
        for i in at_bus.get(queue.pop(), ()):
            new = ({i} | (set(ends[i]) & below)) - found
            found |= new
            queue += new
    return found | {i for i in below if holders.get(i) in found}


def widened(board: Placement, x: float) -> Placement:
    """The board, long enough to reach a feeder."""
    return board if board.width == 0 or x <= board.x + board.width - 1 else board.model_copy(update={"width": x + 3 - board.x})


def branch_places(kind: str, bus: Placement, x: float) -> tuple[Placement, Placement]:
    """A two-terminal element below a bus, and the point at its far end."""
    depth = KINDS[kind].ABOUT.depth or DEVICE_DEPTH
    lead = 1.0 if bus.width else 0.0  # a board needs room for its band
    return Placement(x=x, y=bus.y + lead + depth / 2), Placement(x=x, y=bus.y + lead + depth)


def fork_places(kind: str, bus: Placement, x: float) -> tuple[Placement, Placement, Placement]:
    """A changeover switch or three-winding transformer below a bus, the point where the line goes on, and that of its third terminal."""
    lead = 1.0 if bus.width else 0.0
    if kind == "changeover":
        return Placement(x=x + 1, y=bus.y + lead + 3.5), Placement(x=x + 1, y=bus.y + lead + 6), Placement(x=x + 6, y=bus.y + lead + 1)
    return Placement(x=x, y=bus.y + lead + 4), Placement(x=x - 1, y=bus.y + lead + 8), Placement(x=x + 7, y=bus.y + lead + 8)


def end_place(bus: Placement, x: float, above: bool) -> Placement:
    """What ends a branch: below its bus, or above it."""
    return Placement(x=x, y=bus.y - 5 if above else bus.y + (4.0 if bus.width else 3.5))


def between(a: Placement, b: Placement) -> Placement:
    """An element that joins two buses which stand already: across the gap between boards side by side, else halfway."""
    left, right = (a, b) if a.x <= b.x else (b, a)
    if abs(a.y - b.y) < 4 and left.x + left.width < right.x:
        return Placement(x=(left.x + left.width + right.x) / 2, y=left.y, turn=1)
    x = min(max(a.x, b.x) + 2, a.x + a.width if a.width else a.x)
    return Placement(x=x, y=(a.y + b.y) / 2 if abs(a.y - b.y) >= 4 else max(a.y, b.y) + 4)


BESIDE = {"relay": (-4, 0), "zone_relay": (-7, 0), "protection_signal": (-4, -3)}


def beside(kind: str, device: Placement, others: int = 0) -> Placement:
    """Protection left of its breaker, each kind in its row; current transformers at the line below their device. `others` of it are there."""
    left, down = BESIDE.get(kind, (0, 2))
    return Placement(x=device.x + (1 + others) * left, y=device.y + down)


def board_at(point: Placement) -> Placement:
    """A point that becomes a board."""
    return Placement(x=point.x - 2, y=point.y + 1, width=BOARD)
