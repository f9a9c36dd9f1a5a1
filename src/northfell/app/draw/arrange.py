"""Arranging a sheet: moving, turning, aligning, what stands on it and what does not. None of this touches the network itself."""

from collections.abc import Callable, Iterable
from itertools import count

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import Change, Move, PutSheet
from northfell.core.model.elements import Bus, Element
from northfell.core.model.network import FARTHEST, Network, Placement, Sheet
from northfell.core.rules.ways import Connections, ways_of
from northfell.drawing import growing
from northfell.drawing.layout import hung, laid_out, sheets_of
from northfell.drawing.schedule import schedule_size
from northfell.drawing.standing import STEP


def snapped(value: float) -> float:
    """The nearest half step of the grid, within what a sheet holds."""
    return min(max(round(2 * value) / 2, -FARTHEST), FARTHEST)


def move(network: Network, sheet_name: str, ids: Iterable[str], dx: float, dy: float) -> Change:
    """Move symbols by steps of the grid; wires follow."""
    return _each(network, sheet_name, ids, "Moved", lambda i, p: p.model_copy(update={"x": snapped(p.x + dx), "y": snapped(p.y + dy)}))


def turn(network: Network, sheet_name: str, ids: Iterable[str]) -> Change:
    """Turn symbols by a quarter, each in its place; boards stay as they are."""
    return _each(network, sheet_name, _symbols(network, ids), "Turned", lambda i, p: p.model_copy(update={"turn": (p.turn + 1) % 4}))


def flip(network: Network, sheet_name: str, ids: Iterable[str]) -> Change:
    """Put the words of symbols on the other side."""
    return _each(network, sheet_name, _symbols(network, ids), "Flipped", lambda i, p: p.model_copy(update={"flip": not p.flip}))


def _symbols(network: Network, ids: Iterable[str]) -> list[str]:
    found = [i for i in ids if not isinstance(network.element(i), Bus)]
    if not found:
        raise NetworkRefused([InputRefused("selection", "buses only", "at least one symbol that is not a bus", where="Sheet")])
    return found


def align(network: Network, sheet_name: str, ids: Iterable[str], along: str) -> Change:
    """Bring symbols into a column (one x) or a row (one y): that of the first of them."""
    wanted = list(ids)
    sheet = network.sheet(sheet_name)
    first = next((sheet.placements[i] for i in wanted if i in sheet.placements), None)
    if first is None or len(wanted) < 2:
        raise NetworkRefused([InputRefused("selection", f"{len(wanted)} symbols", "two or more symbols", where="Align")])
    name, value = ("x", first.x) if along == "column" else ("y", first.y)
    return _each(network, sheet_name, wanted, f"Aligned in a {along}:", lambda i, p: p.model_copy(update={name: value}))


def resize(network: Network, sheet_name: str, board_id: str, x: float, width: float) -> Change:
    """Give a board another length; a bar of no length is a point, which only a junction may be."""
    board = network.element(board_id)
    if not isinstance(board, Bus):
        raise NetworkRefused([InputRefused("board", board.name, "a bus", where="Sheet")])
    new = {"x": snapped(x), "width": max(snapped(width), 0.0 if board.bus_kind == "junction" else 2.0)}
    return _each(network, sheet_name, [board_id], "Changed the length of", lambda i, p: p.model_copy(update=new))


def drag_words(network: Network, sheet_name: str, element_id: str, dx: float, dy: float) -> Change:
    """Move the words of a symbol; they stay there when the symbol moves or a study fills them."""

    def moved(i: str, p: Placement) -> Placement:
        return p.model_copy(update={"tag_x": min(max(round(p.tag_x + dx, 1), -999.0), 999.0), "tag_y": min(max(round(p.tag_y + dy, 1), -999.0), 999.0)})

    return _each(network, sheet_name, [element_id], "Moved the words of", moved)


def words_home(network: Network, sheet_name: str, ids: Iterable[str]) -> Change:
    """Bring words back to where they stand by themselves."""
    return _each(network, sheet_name, ids, "Words back in place:", lambda i, p: p.model_copy(update={"tag_x": 0.0, "tag_y": 0.0}))


def _each(network: Network, sheet_name: str, ids: Iterable[str], verb: str, new: Callable[[str, Placement], Placement]) -> Change:
    sheet = network.sheet(sheet_name)
    moves, missing = [], []
    for i in dict.fromkeys(ids):
        old = sheet.placements.get(i)
        if old is None:
            missing.append(network.element(i).name)
        elif (placement := new(i, old)) != old:
            moves.append(Move(sheet=sheet.name, id=i, to=placement))
    if missing:
        raise NetworkRefused([InputRefused("selection", ", ".join(missing[:5]), f"what stands on sheet {sheet.name}", where="Sheet")])
    return Change(f"{verb} {told(network, [m.id for m in moves])}", tuple(moves)) if moves else Change("", ())


def told(network: Network, ids: list[str], most: int = 3) -> str:
    """Some elements by name, for the line that history shows; junctions are not worth a name beside others."""
    named = [network.elements[i].name for i in ids if getattr(network.elements[i], "bus_kind", "") != "junction"] or [network.elements[i].name for i in ids]
    return ", ".join(named[:most]) + (f" and {len(named) - most} more" if len(named) > most else "")


def take_off(network: Network, sheet_name: str, ids: Iterable[str]) -> Change:
    """Remove elements from a sheet; they stay in the network."""
    sheet = network.sheet(sheet_name)
    gone = [i for i in dict.fromkeys(ids) if i in sheet.placements]
    return Change(f"Removed from sheet {sheet.name}: {told(network, gone)}", tuple(Move(sheet=sheet.name, id=i, to=None) for i in gone))


def put_on(network: Network, sheet_name: str, ids: Iterable[str]) -> Change:
    """Put elements that are in the network onto a sheet, with their buses, laid out to the right of what stands there."""
    sheet = network.sheet(sheet_name)
    new = dict.fromkeys(i for i in ids if i not in sheet.placements)
    for i in list(new):
        new.update(dict.fromkeys(b for b in network.element(i).buses if b not in sheet.placements))
    if not new:
        return Change("", ())
    there = {i: network.elements[i] for i in network.elements if i in new}
    closed = {i: e for i, e in there.items() if all(b in there for b in e.buses)}
    places = laid_out(closed)
    places |= {i: _near(e.buses, sheet, places) for i, e in there.items() if i not in places}
    right = max((p.x + p.width for p in sheet.placements.values()), default=-6.0) + 12
    moves = [Move(sheet=sheet.name, id=i, to=p.model_copy(update={"x": p.x + right} if i in closed else {})) for i, p in places.items()]
    return Change(f"Put on sheet {sheet.name}: {told(network, list(places))}", tuple(moves))


def _near(buses: tuple[str, ...], sheet: Sheet, others: dict[str, Placement]) -> Placement:
    at = next((sheet.placements[b] for b in buses if b in sheet.placements), None)
    return Placement(x=at.x + at.width + 4, y=at.y + 5) if at else Placement(x=4, y=8 + 6 * len(others))


def fold(network: Network, sheet_name: str, board_id: str) -> Change:
    """Keep a board's outgoing ways as a schedule inside its symbol."""
    sheet, board = network.sheet(sheet_name), network.element(board_id)
    place = _board_place(sheet, network, board_id)
    gone = [i for way in ways_of(network.elements, board_id) for i in way.elements if i in sheet.placements]
    moves = [Move(sheet=sheet.name, id=i, to=None) for i in gone]
    left = [p.x for i, p in sheet.placements.items() if i not in gone and board_id in network.elements[i].buses]
    kept = max(min(place.width, growing.BOARD), *(x + 3 - place.x for x in left), 0.0)  # no longer than what still hangs on it needs
    folded = place.model_copy(update={"schedule": True, "width": min(place.width, kept)})
    return Change(f"{board.name}: ways kept as a schedule", (*moves, Move(sheet=sheet.name, id=board_id, to=folded)))


def unfold(network: Network, sheet_name: str, board_id: str) -> Change:
    """Draw the ways of a board out of its schedule."""
    sheet, board = network.sheet(sheet_name), network.element(board_id)
    place = _board_place(sheet, network, board_id).model_copy(update={"schedule": False})
    ways = [
        way.elements
        for way in ways_of(network.elements, board_id, Connections(network.elements, network.adjacency))
        if not any(i in sheet.placements for i in way.elements)
    ]
    found = hung(network.elements, board_id, ways, {**sheet.placements, board_id: place})
    moves = [Move(sheet=sheet.name, id=i, to=p) for i, p in {board_id: place, **found}.items()]
    return Change(f"{board.name}: ways drawn out", tuple(moves))


def _board_place(sheet: Sheet, network: Network, board_id: str) -> Placement:
    place = sheet.placements.get(board_id)
    if place is None or not isinstance(network.elements[board_id], Bus) or not place.width:
        raise NetworkRefused([InputRefused("board", network.elements[board_id].name, f"a board that stands on sheet {sheet.name}", where="Schedule")])
    return place


def lay_out(network: Network, sheet_name: str) -> Change:
    """Lay a whole sheet out anew; what becomes too wide for one goes on to further sheets, the boards that are parted on each of them."""
    sheet = network.sheet(sheet_name)
    on_it = {i: e for i, e in network.elements.items() if i in sheet.placements}
    closed = {i: e for i, e in on_it.items() if all(b in on_it for b in e.buses)}
    if not any(p.schedule for p in sheet.placements.values()) and len(parts := sheets_of(closed)) > 1:
        return _parted(network, sheet, on_it, parts)
    known = Connections(network.elements, network.adjacency)
    folded = {i: ways_of(network.elements, i, known) for i, p in sheet.placements.items() if p.schedule and i in closed}
    sizes = {i: schedule_size([[network.elements[e] for e in way.elements] for way in ways], network.settings.units) for i, ways in folded.items()}
    places = laid_out(closed, {i: (wide / STEP, high / STEP) for i, (wide, high) in sizes.items()})
    moves = [Move(sheet=sheet.name, id=i, to=p.model_copy(update={"schedule": sheet.placements[i].schedule})) for i, p in places.items()]
    return Change(f"Laid sheet {sheet.name} out anew", tuple(m for m in moves if m.to != sheet.placements[m.id]))


def _parted(network: Network, sheet: Sheet, on_it: dict[str, Element], parts: list[dict[str, Placement]]) -> Change:
    """A sheet as several, the first under its own name. What leads to another sheet stands beside its bus."""
    for i, e in on_it.items():
        if not any(i in part for part in parts):
            beside = next(((part, b) for b in e.buses for part in parts if b in part), None)
            part, bus = beside if beside else (parts[0], "")
            board = part.get(bus)
            part[i] = Placement(x=board.x + board.width + 4, y=board.y + 5) if board else sheet.placements[i]
    taken = {s.name for s in network.sheets}
    free = (name for n in count(2) if (name := f"{sheet.name[:70]} {n}") not in taken)
    first, *others = parts
    acts = [PutSheet(name=sheet.name, to=Sheet(name=sheet.name, placements=first))]
    acts += [PutSheet(name="", to=Sheet(name=name, placements=part)) for name, part in zip(free, others, strict=False)]
    return Change(f"Laid sheet {sheet.name} out anew, on {len(parts)} sheets", tuple(acts))
