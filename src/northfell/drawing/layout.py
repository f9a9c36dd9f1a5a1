"""Placing a network that comes without coordinates: levels away from the sources, each bus centred over what it feeds.

A plain first layout, good enough to look at and to work from; readable placing of large meshed networks is another matter.
"""

from collections.abc import Mapping

from northfell.core.model.elements import Bus, Element, Infeed, SynchronousGenerator
from northfell.core.model.network import Placement

ROW, COLUMN = 11.0, 9.0


def laid_out(elements: Mapping[str, Element]) -> dict[str, Placement]:
    """Placements of all elements but relays."""
    buses = [e.id for e in elements.values() if isinstance(e, Bus)]
    links: dict[str, list[tuple[str, str]]] = {b: [] for b in buses}
    hanging: dict[str, list[str]] = {b: [] for b in buses}
    for e in elements.values():
        if len(e.TERMINALS) == 2:
            a, b = e.buses
            links[a].append((e.id, b))
            links[b].append((e.id, a))
        elif len(e.TERMINALS) == 1:
            hanging[e.buses[0]].append(e.id)
    level, children, via = _trees(elements, buses, links)
    width: dict[str, float] = {}
    for b in sorted(buses, key=lambda b: -level[b]):
        inner = sum(width[c] for c in children[b])
        width[b] = max(COLUMN * max(1, len(hanging[b])) + inner, COLUMN)
    places: dict[str, Placement] = {}
    x = 4.0
    for root in (b for b in buses if b not in via):
        _place(root, x, level, children, via, hanging, width, places, elements)
        x += width[root] + COLUMN
    _cross_links(elements, via, places)
    return places


def _trees(
    elements: Mapping[str, Element], buses: list[str], links: dict[str, list[tuple[str, str]]]
) -> tuple[dict[str, int], dict[str, list[str]], dict[str, str]]:
    """Levels from the sources by breadth; children of each bus, and the element that leads to each."""
    starts = [e.bus for e in elements.values() if isinstance(e, Infeed)] + [e.bus for e in elements.values() if isinstance(e, SynchronousGenerator)]
    level: dict[str, int] = {}
    children: dict[str, list[str]] = {b: [] for b in buses}
    via: dict[str, str] = {}
    for start in [*starts, *buses]:
        if start in level:
            continue
        level[start], queue = 0, [start]
        for at in queue:
            for element_id, other in links[at]:
                if other not in level:
                    level[other] = level[at] + 1
                    children[at].append(other)
                    via[other] = element_id
                    queue.append(other)
    return level, children, via


def _place(
    root: str, x0: float, level: dict[str, int], children: dict[str, list[str]], via: dict[str, str], hanging: dict[str, list[str]],
    width: dict[str, float], places: dict[str, Placement], elements: Mapping[str, Element],
) -> None:  # fmt: skip
    stack = [(root, x0)]
    while stack:
        bus, x = stack.pop()
        y = 6 + ROW * level[bus]
        places[bus] = Placement(x=x, y=y, width=max(width[bus] - 2, 4))
        at = x + 3
        for element_id in hanging[bus]:
            up = isinstance(elements[element_id], Infeed | SynchronousGenerator)
            places[element_id] = Placement(x=at, y=y - 4 if up and level[bus] == 0 else y + 4)
            at += COLUMN
        for child in children[bus]:
            places[via[child]] = Placement(x=min(at, x + width[bus] - 3), y=y + ROW / 2)
            stack.append((child, at - 3))
            at += width[child]


def _cross_links(elements: Mapping[str, Element], via: dict[str, str], places: dict[str, Placement]) -> None:
    """Branches that close a loop stand between their buses."""
    leading = set(via.values())
    for e in elements.values():
        if len(e.TERMINALS) == 2 and e.id not in leading:
            a, b = (places[bus] for bus in e.buses)
            places[e.id] = Placement(x=(a.x + a.width + b.x + b.width) / 2, y=(a.y + b.y) / 2 + (ROW / 2 if a.y == b.y else 0))
