"""Drawing by hand: a symbol dropped on the sheet, on a bus or into a wire; terminals taken to other buses; junctions joined.

Every terminal stands at a bus, so a symbol on blank paper brings its own loose junctions; joining two of them makes a wire.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from northfell.app.draw.arrange import move, snapped
from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.changes import Add, Change, Connect, Move, Remove, Set, completed
from northfell.core.model.elements import KINDS, Bus, Element
from northfell.core.model.naming import Names
from northfell.core.model.network import Network, Placement, Sheet, element_from, references_of
from northfell.core.rules.ways import Connections
from northfell.drawing.growing import beside
from northfell.drawing.routing import nearest_on
from northfell.drawing.sheet import draw
from northfell.drawing.standing import STEP, Standing
from northfell.drawing.symbols_ieee import symbol_of

NEAR_BAR, NEAR_POINT, NEAR_WIRE = 1.5, 1.2, 0.8  # steps within which a drop meets a bus or a wire
ON_BUS = 0.5  # steps within which it means the bus, though a wire passes there
BOARD = 16.0


@dataclass
class _Draft:
    """Acts being gathered for one change on one sheet."""

    network: Network
    sheet: Sheet
    names: Names
    acts: list[Any] = field(default_factory=list)

    def add(self, raw: dict[str, Any], place: Placement) -> str:
        element_id = self.names.new_id(raw["name"])
        self.acts += [Add(element={"id": element_id, **raw}), Move(sheet=self.sheet.name, id=element_id, to=place)]
        return element_id

    def junction(self, near: str, x: float, y: float, v_kv: float | None) -> str:
        name = self.names.free(f"{near} end")
        return self.add({"kind": "bus", "name": name, "bus_kind": "junction", "v_nominal_kv": v_kv}, Placement(x=snapped(x), y=snapped(y)))

    def change(self, title: str) -> Change:
        """The change, with voltages carried on to buses that had none."""
        return completed(self.network, Change(title, tuple(self.acts)))


def _draft(network: Network, sheet_name: str) -> _Draft:
    return _Draft(network, network.sheet(sheet_name), Names(network))


def place(network: Network, sheet_name: str, kind: str, x: float, y: float, bus_kind: str = "switchboard") -> tuple[Change, str]:
    """Put a new element of a kind where it was dropped; it connects to the bus or wire it meets.

    Returns
    -------
    The change, and the id of the new element.

    Raises
    ------
    NetworkRefused, NotFound
        If nothing of that kind can stand there.
    """
    if kind not in KINDS:
        raise NotFound(f"There is no kind “{kind}”. Accepted are {', '.join(KINDS)}.")
    d = _draft(network, sheet_name)
    standing = draw(network.elements, d.sheet, {}, {}).standing
    dropped_y, x, y = y, snapped(x), snapped(y)
    name = d.names.new(kind)
    cls = KINDS[kind]
    if kind == "bus":
        return _place_bus(d, standing, name, bus_kind, x, y)
    if not cls.TERMINALS:
        return _place_attached(d, standing, cls, name, x, y)
    needed = cls.ABOUT.needs
    raw: dict[str, Any] = {"kind": kind, "name": name, **needed}
    raw |= {"assumed": dict.fromkeys(needed, "a figure to begin with: replace it")} if needed else {}
    bus = bus_at(d.sheet, network.elements, x, y)
    wire = wire_at(standing, x, y)
    if bus and wire and len(cls.TERMINALS) == 2 and abs(y - d.sheet.placements[bus].y) > ON_BUS:
        bus = None  # nearer to the wire than to the bus at its end
    wire = None if bus else wire
    ends = _ends(raw, cls)
    if wire and len(cls.TERMINALS) == 2:
        return _insert(d, standing, raw, cls, wire, x, y)
    bus = bus or (_bus_of_wire(network, wire) if wire else None)
    title = f"Placed {name}"
    if bus is None:
        terminals = {t: d.junction(name, x + ex, y + ey + (1 if ey > 0 else -1), None) for t, (ex, ey) in zip(cls.TERMINALS, ends, strict=True)}
        new = d.add({**raw, **terminals}, Placement(x=x, y=y))
        return d.change(title), new
    return _hang(d, raw, cls, ends, bus, x, dropped_y)


def _ends(raw: dict[str, Any], cls: type[Element]) -> list[tuple[float, float]]:
    """Where the terminals of a new symbol are from its middle, in steps."""
    trial = element_from({"id": "new", **raw, **{t: f"b{k}" for k, t in enumerate(cls.TERMINALS)}})
    return [(x / STEP, y / STEP) for x, y in symbol_of(trial, "IEC 60617").terminals]


def _beyond_kv(d: _Draft, cls: type[Element], bus: str) -> float | None:
    """Nominal voltage beyond a new element at a bus: the same, but for a transformer, whose other side is not known yet."""
    return getattr(d.network.elements[bus], "v_nominal_kv", None) if cls.ABOUT.same_voltage else None


def _hang(d: _Draft, raw: dict[str, Any], cls: type[Element], ends: list[tuple[float, float]], bus: str, x: float, y: float) -> tuple[Change, str]:
    """A symbol below the bus on which it was dropped, or above it: infeeds, and what was dropped on its upper side."""
    at, v_kv = d.sheet.placements[bus], _beyond_kv(d, cls, bus)
    above = y < at.y - 0.1 or (raw["kind"] == "infeed" and y <= at.y + 0.5)
    sign = -1.0 if above else 1.0
    own = len(ends) - 1 if above and len(ends) == 2 else 0  # the high side of a transformer above a board looks up
    away = 4.0 if len(ends) == 1 else abs(ends[own][1]) + 1.0 + (0.5 if at.width else 0.0)
    sx, sy = (x if at.width else at.x), snapped(at.y + sign * away)
    terminals = {cls.TERMINALS[own]: bus}
    for k, (ex, ey) in enumerate(ends):
        if k != own:
            terminals[cls.TERMINALS[k]] = d.junction(raw["name"], sx + ex, sy + sign * (abs(ey) + 1), v_kv)
    new = d.add({**raw, **terminals}, Placement(x=sx, y=sy))
    _reach(d, bus, sx)
    return d.change(f"Placed {raw['name']} at {d.network.elements[bus].name}"), new


def _place_bus(d: _Draft, standing: Standing, name: str, bus_kind: str, x: float, y: float) -> tuple[Change, str]:
    """A board on blank paper, or a junction met by the drop turned into one."""
    met = bus_at(d.sheet, d.network.elements, x, y)
    wire = None if met else wire_at(standing, x, y)
    met = met or (_bus_of_wire(d.network, wire) if wire else None)
    if met is None:
        raw = {"kind": "bus", "name": name, "bus_kind": bus_kind}
        width = 0.0 if bus_kind == "junction" else BOARD
        new = d.add(raw, Placement(x=x if not width else x - width / 2, y=y, width=width))
        return d.change(f"Placed {name}"), new
    bus = d.network.elements[met]
    if getattr(bus, "bus_kind", "") != "junction" or bus_kind == "junction":
        raise NetworkRefused([InputRefused("place", bus.name, "blank paper, or a junction", "Between two boards draw a breaker or a cable.", "New bus")])
    p = d.sheet.placements[met]
    d.acts += [
        Set(id=met, values={"bus_kind": bus_kind, "name": name}),
        Move(sheet=d.sheet.name, id=met, to=p.model_copy(update={"x": p.x - 2, "width": BOARD})),
    ]
    return d.change(f"{bus.name} made {name}"), met


def _place_attached(d: _Draft, standing: Standing, cls: type[Element], name: str, x: float, y: float) -> tuple[Change, str]:
    """A relay or current transformers, at the device on which they were dropped."""
    kind = str(cls.model_fields["kind"].default)
    p = next(p for p in references_of(cls) if p.name == cls.HELD_BY)
    met = symbol_at(standing, x, y, within=4.0)
    near = d.network.elements.get(met or "")
    if near is None or near.kind not in p.refers_to:
        raise NetworkRefused([InputRefused("place", near.name if near else "blank paper", p.accepted, "Drop it on the symbol.", f"{cls.TITLE} {name}")])
    at = d.sheet.placements[near.id]
    new = d.add(
        {"kind": kind, "name": name, p.name: near.id}, beside(kind, at, sum(e.kind == kind and e.holder == near.id for e in d.network.elements.values()))
    )
    return d.change(f"Placed {name} at {near.name}"), new


def _insert(d: _Draft, standing: Standing, raw: dict[str, Any], cls: type[Element], wire: tuple[str, int], x: float, y: float) -> tuple[Change, str]:
    """A two-terminal element into the wire between a bus and a terminal of another element; what hangs beyond makes room."""
    element_id, k = wire
    e = d.network.elements[element_id]
    bus = e.buses[k]
    way = standing.ways[wire]
    terminal, end = way[0], way[-1]
    upright = abs(terminal[1] - end[1]) >= abs(terminal[0] - end[0])
    axis = 1 if upright else 0
    sign = 1.0 if terminal[axis] > end[axis] else -1.0
    half = _ends(raw, cls)[1][1]
    first = end[axis] / STEP + sign * (half + 1.0)
    middle, junction = snapped(first), snapped(first + sign * (half + 1.0))
    lacking = sign * (junction - terminal[axis] / STEP) + 1.0
    if lacking > 0:
        _make_room(d, e, bus, sign * snapped(lacking + 0.49), upright)
    line = terminal[1 - axis] / STEP
    at = (line, middle) if upright else (middle, line)
    beyond = (line, junction) if upright else (junction, line)
    joint = d.junction(raw["name"], *beyond, _beyond_kv(d, cls, bus))
    terminals = dict(zip(cls.TERMINALS, (bus, joint) if sign > 0 else (joint, bus), strict=True))
    new = d.add({**raw, **terminals}, Placement(x=snapped(at[0]), y=snapped(at[1]), turn=0 if upright else 1))
    d.acts.append(Connect(id=element_id, terminal=e.TERMINALS[k], bus=joint))
    return d.change(f"Placed {raw['name']} between {d.network.elements[bus].name} and {e.name}"), new


def _make_room(d: _Draft, e: Element, bus: str, by: float, upright: bool) -> None:
    """Shift what hangs beyond a terminal, unless it comes back to the bus by another way."""
    beyond = Connections(d.network.elements, d.network.adjacency).beyond(e.id, bus)
    if any(bus in d.network.elements[i].buses for i in beyond[1:]):
        beyond = [e.id]
    for i in beyond:
        if p := d.sheet.placements.get(i):
            update = {"y": snapped(p.y + by)} if upright else {"x": snapped(p.x + by)}
            d.acts.append(Move(sheet=d.sheet.name, id=i, to=p.model_copy(update=update)))


def connect(network: Network, sheet_name: str, element_id: str, terminal: int, x: float, y: float) -> Change:
    """Take a terminal to the bus or wire at a place, or off to a loose end of its own on blank paper."""
    e = network.element(element_id)
    if not 0 <= terminal < len(e.TERMINALS):
        raise NotFound(f"{e.name} has no terminal {terminal + 1}.")
    d = _draft(network, sheet_name)
    standing = draw(network.elements, d.sheet, {}, {}).standing
    old = e.buses[terminal]
    target = target_at(network, d.sheet, standing, x, y, but=element_id, own=old)
    if target == old:
        return Change("", ())
    field_name = e.TERMINALS[terminal]
    lonely = getattr(network.elements[old], "bus_kind", "") == "junction" and len(Connections(network.elements, network.adjacency).at[old]) == 1
    if target is None:
        if lonely:  # its own loose end goes where it was taken
            return Change(f"Moved {network.elements[old].name}", (Move(sheet=d.sheet.name, id=old, to=Placement(x=snapped(x), y=snapped(y))),))
        loose = d.junction(e.name, x, y, getattr(network.elements[old], "v_nominal_kv", None))
        d.acts.append(Connect(id=element_id, terminal=field_name, bus=loose))
        return d.change(f"{e.name} taken off {network.elements[old].name}")
    d.acts.append(Connect(id=element_id, terminal=field_name, bus=target))
    d.acts += [Remove(id=old)] if lonely else []
    _reach(d, target, snapped(x))
    return d.change(f"{e.name} connected to {network.elements[target].name}")


def join(network: Network, sheet_name: str, bus_id: str, x: float, y: float) -> Change:
    """Join a junction to the bus or wire at a place: all that stands at it stands there then. On blank paper it is only moved."""
    bus = network.element(bus_id)
    d = _draft(network, sheet_name)
    target = target_at(network, d.sheet, draw(network.elements, d.sheet, {}, {}).standing, x, y, but="", own=bus_id)
    if target is None or target == bus_id:
        old = d.sheet.placements.get(bus_id)
        return move(network, sheet_name, [bus_id], x - old.x, y - old.y) if old else Change("", ())
    gone, stays = (bus_id, target) if getattr(bus, "bus_kind", "") == "junction" else (target, bus_id)
    if getattr(network.elements[gone], "bus_kind", "") != "junction":
        told = "Two boards are joined by a breaker, a cable or a transformer: draw one between them."
        raise NetworkRefused([InputRefused("place", network.elements[target].name, "a junction", told, f"Bus {bus.name}")])
    for i in Connections(network.elements, network.adjacency).at[gone]:
        e = network.elements[i]
        d.acts += [Connect(id=i, terminal=t, bus=stays) for t, b in zip(e.TERMINALS, e.buses, strict=True) if b == gone]
    d.acts.append(Remove(id=gone))
    _reach(d, stays, snapped(x))
    return d.change(f"{network.elements[gone].name} joined to {network.elements[stays].name}")


def _reach(d: _Draft, bus: str, x: float) -> None:
    """Lengthen a board as far as a way that leaves it."""
    p = d.sheet.placements.get(bus)
    if p is None or not p.width or p.x <= x <= p.x + p.width:
        return
    left, right = min(p.x, x - 2), max(p.x + p.width, x + 2)
    d.acts.append(Move(sheet=d.sheet.name, id=bus, to=p.model_copy(update={"x": left, "width": right - left})))


# --- what stands at a place


def bus_at(sheet: Sheet, elements: Mapping[str, Element], x: float, y: float, but: str = "") -> str | None:
    """The bus at a place of the sheet."""
    found = []
    for i, p in sheet.placements.items():
        if i != but and isinstance(elements[i], Bus):
            aside = max(p.x - x, x - p.x - p.width, 0.0)
            away = abs(p.y - y)
            if (p.width and away <= NEAR_BAR and aside <= 1.0) or (not p.width and max(away, aside) <= NEAR_POINT):
                found.append((away + aside, i))
    return min(found)[1] if found else None


def wire_at(standing: Standing, x: float, y: float, but: str = "") -> tuple[str, int] | None:
    """The wire at a place, by element and position of its terminal."""
    ways = {key: way for key, way in standing.ways.items() if key[0] != but}
    return nearest_on(ways, (x * STEP, y * STEP), NEAR_WIRE * STEP)


def symbol_at(standing: Standing, x: float, y: float, within: float = 0.0, but: str = "") -> str | None:
    """The symbol at a place, or the nearest within some steps."""
    found = []
    for i, stand in standing.stands.items():
        left, top, right, bottom = (v / STEP for v in stand.box)
        away = max(left - x, x - right, top - y, y - bottom, 0.0)
        if i != but and away <= within:
            found.append((away, i))
    return min(found)[1] if found else None


def target_at(network: Network, sheet: Sheet, standing: Standing, x: float, y: float, but: str, own: str) -> str | None:
    """The bus that a terminal dropped at a place means: a bus, that of a wire, or that of the nearest terminal of a symbol."""
    if bus := bus_at(sheet, network.elements, x, y, but=own):
        return bus
    if symbol := symbol_at(standing, x, y, within=0.5, but=but):
        e, stand = network.elements[symbol], standing.stands[symbol]
        near = [(abs(px / STEP - x) + abs(py / STEP - y), bus) for ((px, py), _), bus in zip(stand.terminals, e.buses, strict=True) if bus != own]
        return min(near)[1] if near else None
    wire = wire_at(standing, x, y, but=but)
    return _bus_of_wire(network, wire) if wire else None


def _bus_of_wire(network: Network, wire: tuple[str, int]) -> str:
    return network.elements[wire[0]].buses[wire[1]]


def remove(network: Network, ids: Iterable[str]) -> Change:
    """Delete elements from the network, with what stands at them alone: relays, current transformers, bare junctions."""
    gone = dict.fromkeys(i for i in ids if network.element(i))
    known = Connections(network.elements, network.adjacency)
    for i in list(gone):
        gone.update(dict.fromkeys(known.attached.get(i, ())))
    hanging = {e for i in gone if i in known.at for e in known.at[i] if e not in gone}
    if hanging:
        what = ", ".join(network.elements[i].name for i in sorted(hanging)[:5])
        bus = next(network.elements[i].name for i in gone if i in known.at and any(e in hanging for e in known.at[i]))
        raise NetworkRefused(
            [InputRefused("selection", bus, "a bus with nothing on it", f"Still there: {what}. Delete these with it, or move them.", "Delete")]
        )
    for i in list(gone):
        for bus in network.elements[i].buses:
            bare = all(e in gone for e in known.at[bus])
            if bare and getattr(network.elements[bus], "bus_kind", "") == "junction":
                gone[bus] = None
    emptied = [
        Set(id=e.id, values=empty)
        for e in network.elements.values()
        if e.id not in gone and (empty := {p.name: None for p in references_of(type(e)) if p.optional and getattr(e, p.name) in gone})
    ]
    named = [network.elements[i].name for i in gone if getattr(network.elements[i], "bus_kind", "") != "junction"] or [network.elements[i].name for i in gone]
    title = f"Deleted {', '.join(named[:3])}" + (f" and {len(named) - 3} more" if len(named) > 3 else "")
    return Change(title, (*emptied, *(Remove(id=i) for i in gone)))
