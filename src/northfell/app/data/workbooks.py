"""Tables that come back: what they say of a project becomes one change. Elements are matched by name, and nothing is removed."""

from typing import Any

from pydantic import ValidationError

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import KEPT_WHOLE, Add, Change, Move, PutCurves, PutEntry, PutSetting, PutSheet, PutState, Set
from northfell.core.model.declare.rows import plain
from northfell.core.model.elements import KINDS, Element
from northfell.core.model.kept_beside import KeptCurves
from northfell.core.model.naming import Names
from northfell.core.model.network import Network, OperatingState, OwnEntry, Placement, Sheet, references_of, refusals_from
from northfell.core.model.settings import ProjectSettings
from northfell.formats.network_tables import Read

KEPT = ("kind", "name", "assumed", "origins", "catalogue")


def merged(network: Network, found: Read) -> Change:
    """The change that takes over what tables say and a network does not: values, new elements, states, places, curves, settings, entries."""
    names = Names(network)
    ids = {**network.id_of_name, **{name: names.new_id(name) for name in found.elements if name not in network.id_of_name}}
    acts: list[Any] = []
    for name, raw in found.elements.items():
        element = network.elements.get(ids[name])
        if element is not None and element.kind != raw["kind"]:
            accepted = f"a name that no other kind has; {name} is a {element.TITLE.lower()}"
            raise NetworkRefused([InputRefused("name", name, accepted, where=f"Table {raw['kind']}")])
        acts += _element(element, _by_id(raw, ids), ids[name])
    acts.sort(key=lambda act: not (isinstance(act, Add) and act.element["kind"] == "bus"))  # what others stand at comes first
    acts += [*_entries(network, found), *_settings(network, found), *_sheets(network, found, ids), *_states(network, found, ids)]
    acts += _curves(network, found, ids)
    count = sum(isinstance(act, Set | Add) for act in acts)
    return Change(f"Tables imported: {count} element{'s' if count != 1 else ''} changed or added", tuple(acts))


def _by_id(raw: dict[str, Any], ids: dict[str, str]) -> dict[str, Any]:
    references = {p.name for p in references_of(KINDS[raw["kind"]])}
    return {key: ids.get(value, value) if key in references and value is not None else value for key, value in raw.items()}


def _element(element: Element | None, raw: dict[str, Any], element_id: str) -> list[Any]:
    if element is None:
        return [Add(element={"id": element_id, **{k: v for k, v in raw.items() if v is not None}})]
    values = {k: v for k, v in raw.items() if k not in KEPT and v != plain(getattr(element, k))}
    marks = [_marks(getattr(element, part), raw.get(part), values) for part in ("assumed", "origins")]
    entry = raw.get("catalogue", element.catalogue)
    marked = {k for new, old in zip(marks, (element.assumed, element.origins), strict=True) for k in new.keys() | old.keys() if new.get(k) != old.get(k)}
    both = {**{k: getattr(element, k) for k in marked if k in type(element).model_fields}, **values}
    if not both and entry == element.catalogue:
        return []
    assumed, origins = ({k: v for k, v in new.items() if k in both} for new in marks)
    return [Set(id=element.id, values=both, assumed=assumed, origins=origins, catalogue=entry if entry != element.catalogue else None)]


def _marks(old: dict[str, str], new: dict[str, str] | None, values: dict[str, Any]) -> dict[str, str]:
    """What is said of values: a value that was typed over is no longer what was said of the old one, unless that was typed over too."""
    return {k: v for k, v in (old if new is None else new).items() if not (k in values and old.get(k) == v)}


def _entries(network: Network, found: Read) -> list[Any]:
    old = {e.name: e for e in network.entries}
    acts: list[Any] = []
    for raw in found.entries or ():
        new = _record(OwnEntry, raw, "Own entries")
        if old.get(new.name) != new:
            acts.append(PutEntry(name=new.name if new.name in old else "", to=new))
    return acts


def _settings(network: Network, found: Read) -> list[Any]:
    if found.settings is None:
        return []
    raw = network.settings.model_dump()
    for key, value in found.settings.items():
        raw[key] = {**raw[key], **value} if isinstance(value, dict) and isinstance(raw.get(key), dict) and key not in KEPT_WHOLE else value
    new = _record(ProjectSettings, raw, "Settings")
    old = network.settings.model_dump()
    return [
        PutSetting(path=f"{key}.{inner}" if inner else key, value=v)
        for key, value in new.model_dump().items()
        for inner, v in (value.items() if isinstance(value, dict) and key not in KEPT_WHOLE else [("", value)])
        if v != (old[key][inner] if inner else old[key])
    ]


def _sheets(network: Network, found: Read, ids: dict[str, str]) -> list[Any]:
    acts: list[Any] = []
    old = {s.name: s for s in network.sheets}
    for raw in found.sheets or ():
        if raw["name"] not in old:
            acts.append(PutSheet(name="", to=_record(Sheet, {"name": raw["name"]}, "Sheets")))
        places = old[raw["name"]].placements if raw["name"] in old else {}
        for name, place in raw["placements"].items():
            element_id = _known(name, ids, f"Table sheets, {raw['name']}")
            new = _record(Placement, place, f"Table sheets, {name}")
            if places.get(element_id) != new:
                acts.append(Move(sheet=raw["name"], id=element_id, to=new))
    return acts


def _curves(network: Network, found: Read, ids: dict[str, str]) -> list[Any]:
    old = {c.name: c for c in network.curves}
    acts: list[Any] = []
    for raw in found.curves or ():
        devices = [_known(name, ids, f"Table curves, {raw['name']}") for name in raw["devices"]]
        moved = [{**m, "device": _known(m["device"], ids, f"Table curves, {raw['name']}")} for m in raw.get("moved", [])]
        new = _record(KeptCurves, {**raw, "devices": devices, "moved": moved}, "Table curves")
        if old.get(new.name) != new:
            acts.append(PutCurves(name=new.name if new.name in old else "", to=new))
    return acts


def _states(network: Network, found: Read, ids: dict[str, str]) -> list[Any]:
    if found.states is None:
        return []
    given = {raw["name"]: _record(OperatingState, {**raw, "differences": {_known(n, ids, f"State {raw['name']}"): v for n, v in raw["differences"].items()}},
                                  f"State {raw['name']}") for raw in found.states}  # fmt: skip
    old = {s.name: s for s in network.states}
    return [PutState(name=name if name in old else "", to=state) for name, state in given.items() if old.get(name) != state]


def _known(name: str, ids: dict[str, str], where: str) -> str:
    if name not in ids:
        raise NetworkRefused([InputRefused("element", name, "the name of an element of the network or of the tables", where=where)])
    return ids[name]


def _record(model: Any, raw: Any, where: str) -> Any:
    try:
        return model.model_validate(raw)
    except ValidationError as error:
        raise NetworkRefused(refusals_from(error, model, raw, where)) from None
