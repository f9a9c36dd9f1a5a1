"""Where new symbols stand: below the bus from which one extends, clear of what is there already."""

from collections.abc import Mapping

from northfell.core.model.network import Placement

SLOT = 9.0  # between feeders
BOARD = 16.0  # width of a new board
DEPTH = {"transformer": 8.0, "cable": 7.0, "line": 7.0, "equivalent_branch": 7.0}  # from bus to bus; devices take less
DEVICE_DEPTH = 5.0


def first_place() -> Placement:
    """The first board on an empty sheet."""
    return Placement(x=10, y=8, width=BOARD)


def feeder_x(places: Mapping[str, Placement], at: str, broad: bool) -> float:
    """Where a feeder leaves a bus: straight on from a point, else the first slot that is clear below the board.

    Parameters
    ----------
    places : mapping of element id to Placement
    at : str
        The bus.
    broad : bool
        Whether a board will hang on the feeder, which needs more room.
    """
    bus = places[at]
    if bus.width == 0:
        return bus.x
    need = BOARD - 2 if broad else 5.0
    taken = [(p.x - (0 if p.width else 4), p.x + (p.width or 6)) for i, p in places.items() if p.y > bus.y - 1 and i != at]
    x = bus.x + 3
    while any(left < x + need and x - 3 < right for left, right in taken):
        x += 1
    return x


def widened(board: Placement, x: float) -> Placement:
    """The board, long enough to reach a feeder."""
    return board if board.width == 0 or x <= board.x + board.width - 1 else board.model_copy(update={"width": x + 3 - board.x})


def branch_places(kind: str, bus: Placement, x: float) -> tuple[Placement, Placement]:
    """A two-terminal element below a bus, and the point at its far end."""
    depth = DEPTH.get(kind, DEVICE_DEPTH)
    lead = 1.0 if bus.width else 0.0  # a board needs room for its band
    return Placement(x=x, y=bus.y + lead + depth / 2), Placement(x=x, y=bus.y + lead + depth)


def end_place(kind: str, bus: Placement, x: float) -> Placement:
    """What ends a branch: below its bus; an infeed above."""
    return Placement(x=x, y=bus.y - 5 if kind == "infeed" else bus.y + (4.0 if bus.width else 3.5))


def between(a: Placement, b: Placement) -> Placement:
    """An element that joins two buses which stand already: across the gap between boards side by side, else halfway."""
    left, right = (a, b) if a.x <= b.x else (b, a)
    if abs(a.y - b.y) < 4 and left.x + left.width < right.x:
        return Placement(x=(left.x + left.width + right.x) / 2, y=left.y, turn=1)
    x = min(max(a.x, b.x) + 2, a.x + a.width if a.width else a.x)
    return Placement(x=x, y=(a.y + b.y) / 2 if abs(a.y - b.y) >= 4 else max(a.y, b.y) + 4)


def beside(breaker: Placement) -> Placement:
    """A relay, left of its breaker."""
    return Placement(x=breaker.x - 4, y=breaker.y)


def board_at(point: Placement) -> Placement:
    """A point that becomes a board."""
    return Placement(x=point.x - 2, y=point.y + 1, width=BOARD)
