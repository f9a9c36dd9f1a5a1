"""Copy and paste: a part of a network as text, which keeps its data and goes into the same or another project.

A clip is checked whole like a network file. Pasted elements get the next free names; where one terminal was cut off, it can be
connected to a bus as it is pasted.
"""

import json
from collections.abc import Iterable
from typing import Any

from pydantic import ValidationError

from northfell.app.draw.arrange import snapped, told
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import Add, Change, Move
from northfell.core.model.naming import Names
from northfell.core.model.network import Network, Placement, element_from, references_of
from northfell.core.rules.ways import Connections

FORMAT = "northfell-clip"
MOST_ELEMENTS = 5000
MOST_BYTES = 8_000_000


def clip_of(network: Network, sheet_name: str, ids: Iterable[str]) -> str:
    """The elements of a selection with their places, as text; relays come with their breakers, junctions with what ends on them."""
    sheet = network.sheet(sheet_name)
    wanted = dict.fromkeys(i for i in ids if network.element(i))
    known = Connections(network.elements, network.adjacency)
    for i in list(wanted):
        wanted.update(dict.fromkeys(known.attached.get(i, ())))
    cut: dict[str, dict[str, Any]] = {}  # buses that stay behind: a junction of the clip stands for each
    for i in list(wanted):
        for bus in network.elements[i].buses:
            if bus in wanted or bus in cut:
                continue
            e = network.elements[bus]
            if getattr(e, "bus_kind", "") == "junction" and all(other in wanted for other in known.at[bus]):
                wanted[bus] = None
            else:
                cut[bus] = {"kind": "bus", "id": bus, "name": f"{e.name} cut", "bus_kind": "junction", "v_nominal_kv": getattr(e, "v_nominal_kv", None)}
    if not wanted:
        raise NetworkRefused([InputRefused("selection", "nothing", "at least one symbol", where="Copy")])
    elements = [_kept(network, i, wanted, cut) for i in wanted]
    if not any(elements):
        got = ", ".join(network.elements[i].name for i in wanted)
        raise NetworkRefused([InputRefused("selection", got, "something beside relays whose breakers are not picked", where="Copy")])
    places = {i: p.model_dump(exclude_defaults=True) for i, p in sheet.placements.items() if i in wanted}
    for bus in cut:
        at = sheet.placements.get(bus)
        near = next((sheet.placements[i] for i in wanted if bus in network.elements[i].buses and i in sheet.placements), None)
        if near:
            places[bus] = {"x": near.x, "y": at.y if at and at.width else near.y - 3 if at is None or at.y < near.y else near.y + 3}
    clip = {"format": FORMAT, "elements": [*cut.values(), *(e for e in elements if e)], "cut": list(cut), "placements": places}
    return json.dumps(clip, ensure_ascii=False, allow_nan=False)


def _kept(network: Network, element_id: str, wanted: dict[str, None], cut: dict[str, Any]) -> dict[str, Any] | None:
    """An element without references to what is not in the clip; None for one that makes no sense without it."""
    e = network.elements[element_id]
    raw = e.model_dump(exclude_defaults=True, exclude={"documents"}) | {"kind": e.kind, "id": e.id}  # documents belong to the one equipment
    for p in references_of(type(e)):
        target = raw.get(p.name)
        if target is not None and target not in wanted and target not in cut:
            if not p.optional:
                return None
            raw[p.name] = None
    return raw


def paste(network: Network, sheet_name: str, text: str, at: tuple[float, float] | None = None, bus_id: str = "") -> tuple[Change, list[str]]:
    """Add a clip to a sheet: at a place, aside of where it was, or on a bus of the same voltage if one end of it was cut.

    Returns
    -------
    The change, and the ids of what was pasted.

    Raises
    ------
    NetworkRefused
        If the text is no clip, or it does not fit.
    """
    raw, cut, places = _read(text)
    names = Names(network)
    sheet = network.sheet(sheet_name)
    joined: dict[str, str] = {}
    if bus_id and len(cut) == 1 and _one_voltage(network, bus_id, next(one for one in raw if one["id"] == cut[0])):
        joined[cut[0]] = bus_id
    ids: dict[str, str] = {}
    for one in raw:
        if one["id"] in joined:
            continue
        name = _next_name(names, one["name"].removesuffix(" cut") + (" end" if one["id"] in cut else ""))
        ids[one["id"]] = names.new_id(name)
        one["name"] = name
    acts: list[Any] = []
    target = {**ids, **joined}
    for one in raw:
        if one["id"] in ids:
            element = element_from({**one, "id": ids[one["id"]]})
            update = {p.name: target.get(getattr(element, p.name), getattr(element, p.name)) for p in references_of(type(element)) if getattr(element, p.name)}
            acts.append(Add(element=element.model_copy(update=update).model_dump()))
    dx, dy = _shift(places, sheet.placements, at, sheet.placements.get(bus_id), places.get(cut[0]) if joined else None)
    for old, p in places.items():
        if old in ids:
            acts.append(Move(sheet=sheet.name, id=ids[old], to=p.model_copy(update={"x": snapped(p.x + dx), "y": snapped(p.y + dy)})))
    after = Network.model_construct(name="", elements={ids[o["id"]]: element_from({**o, "id": ids[o["id"]]}) for o in raw if o["id"] in ids})
    return Change(f"Pasted {told(after, list(ids.values()))}", tuple(acts)), list(ids.values())


def _one_voltage(network: Network, bus_id: str, cut: dict[str, Any]) -> bool:
    """Whether the bus and the end that was cut can be one: both of one nominal voltage, or one of them not known."""
    here, there = getattr(network.element(bus_id), "v_nominal_kv", None), cut.get("v_nominal_kv")
    return here is None or there is None or abs(here - there) <= 1e-9


def _read(text: str) -> tuple[list[dict[str, Any]], list[str], dict[str, Placement]]:
    refused = NetworkRefused([InputRefused("text", text[:40], "what was copied from a sheet of Northfell", where="Paste")])
    if len(text) > MOST_BYTES:
        raise refused
    try:
        clip = json.loads(text)
        if not isinstance(clip, dict) or clip.get("format") != FORMAT or not isinstance(clip["elements"], list) or len(clip["elements"]) > MOST_ELEMENTS:
            raise refused
        raw = [{**one, "name": str(one["name"])} for one in clip["elements"]]
        cut = [str(i) for i in clip["cut"]]
        places = {str(i): Placement.model_validate({**p, "x": float(p["x"]), "y": float(p["y"])}) for i, p in clip["placements"].items()}
        ids = {str(one["id"]) for one in raw}
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError, ValidationError):
        raise refused from None
    for one in raw:
        element_from(one)  # refuses in words what is not one
    if not ids.issuperset(cut) or len(ids) < len(raw):
        raise refused
    return raw, cut, places


def _next_name(names: Names, name: str) -> str:
    """The next free name that begins alike: W12 goes on as W13, “Pump house” as “Pump house 2”."""
    if name not in names.taken:
        return names.take(name)
    start = name.rstrip("0123456789")
    if start == name or len(name) - len(start) > 12:
        return names.free(name)
    number = int(name[len(start) :]) + 1
    while f"{start}{number}" in names.taken:
        number += 1
    return names.take(f"{start}{number}")


def _shift(
    places: dict[str, Placement], taken: dict[str, Placement], at: tuple[float, float] | None, bus: Placement | None, cut: Placement | None
) -> tuple[float, float]:  # fmt: skip
    """How far a clip is moved: to the place pointed at, under the bus it is joined to, or aside until nothing stands under it."""
    if not places:
        return 0.0, 0.0
    if at is not None:
        return at[0] - min(p.x for p in places.values()), at[1] - min(p.y for p in places.values())
    dx, dy = (0.0, bus.y - cut.y) if bus and cut else (4.0, 4.0)
    if bus and cut and not bus.width:
        return bus.x - cut.x, dy
    step = 2.0
    occupied = [(p.x - 2, p.x + max(p.width, 7.0), p.y) for p in taken.values() if not p.width]
    for _ in range(400):
        if not any(left < p.x + dx < right and abs(y - p.y - dy) < 3 for p in places.values() if not p.width for left, right, y in occupied):
            break
        dx += step
    return dx, dy
