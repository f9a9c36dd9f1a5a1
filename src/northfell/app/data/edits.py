"""Edits as a person makes them: what was typed becomes a change set with the line that history shows."""

from dataclasses import replace
from typing import Any

from pydantic import BaseModel, ValidationError

from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.changes import Change, Move, PutSetting, PutSettings, PutState, Set, Switch, settings_with
from northfell.core.model.declare.parameters import Parameter, parameter
from northfell.core.model.declare.rows import MOST_ROWS, plain
from northfell.core.model.elements import KINDS, LINK_SIZES_A, NAME_ACCEPTED, ORIGINS, Bus, Changeover, Element, Fuse, Switching
from northfell.core.model.network import NORMAL, Network, OperatingState, title_of
from northfell.core.model.own_entries import entry_parameters
from northfell.core.model.settings import study_keys
from northfell.core.model.showing import read_number, text_shown, unit_shown
from northfell.core.quantities import entry, parse_quantity
from northfell.core.rules.completeness import missing_of
from northfell.core.rules.derived import earth_fault_ohm
from northfell.core.rules.typical import Typical, typical_for_missing, typical_value, waits_for
from northfell.drawing import growing


def no_field(element: Element, field: str) -> NotFound:
    """What is said of a field that an element does not have."""
    return NotFound(f"{title_of(element)} has no field “{field}”.")


def set_field(network: Network, state: str, element_id: str, field: str, typed: str, origin: str = "") -> Change:
    """Set one parameter from typed text. What a state may hold is set in the state shown, all else for every state.

    `origin` says where the value was read, for all but what a state holds: "nameplate", "test report: 4711".
    """
    element = network.element(element_id)
    p = parameter(type(element), field)
    if p is None or p.form == "record":
        raise no_field(element, field)
    value: Any = _earthing_by_current(network, element, field, typed) or read_typed(network, p, typed, title_of(element))
    shown = network.in_state(state)[element_id]
    old = plain(getattr(shown, field))
    unit = unit_shown(p, network.settings.units)
    title = (
        f"{element.name} {p.label.lower()}: {len(value)} row{'s' if len(value) != 1 else ''}"
        if p.form == "table"
        else (f"{element.name} {p.label.lower()} {_told(network, p, old)} → {_told(network, p, value)}{' ' + unit if unit else ''}")
    )
    if p.in_state and state != NORMAL:
        return Change(f"{title} in {state}" if value != old else "", (Switch(state=state, id=element_id, values={field: value}),) if value != old else ())
    # the same value typed over an assumed or carried one makes it one's own; from a new origin, it is known better
    if value == old and field not in element.assumed and element.origins.get(field, "") == origin:
        return Change("", ())
    origins = {field: origin[:120]} if origin and value is not None and p in entry_parameters(type(element)) else {}
    bars = _bars(network, element_id) if field == "bus_kind" and value != "junction" else ()
    return Change(title, (Set(id=element_id, values={field: value, **follows(element, field, value)}, origins=origins), *bars))


def follows(element: Element, field: str, value: Any) -> dict[str, Any]:
    """What goes with a value: a planned element is out of service as drawn, and one that was planned comes into service when it exists.

    The size of a fuse goes where its new class has none of that size: it is missing then, and asked for.
    """
    if isinstance(element, Fuse) and field == "link" and element.i_rated_a not in (None, *LINK_SIZES_A.get(value, (element.i_rated_a,))):
        return {"i_rated_a": None}
    if field == "status" and value == "planned":
        return {"in_service": False}
    return {"in_service": True} if field == "status" and element.status == "planned" else {}


def _earthing_by_current(network: Network, element: Element, field: str, typed: str) -> float | None:
    """A wanted earth-fault current typed where an earthing impedance stands (`400 A`), as that impedance."""
    if not field.endswith("_ohm") or not field.startswith("neutral"):
        return None
    try:
        i_a = parse_quantity(typed, "A", field) if typed.strip(" 0123456789.,").lower() in ("a", "ka", "amp", "amps") else 0.0
    except InputRefused:
        return None
    side = field.removeprefix("neutral_").removesuffix("_ohm") if field != "neutral_ohm" else ""
    v_kv = getattr(element, f"v_{side}_kv" if side else "v_rated_kv", None) or getattr(network.elements[element.buses[0]], "v_nominal_kv", None)
    return float(f"{earth_fault_ohm(v_kv, i_a):.4g}") if i_a > 0 and v_kv else None


def set_origin(network: Network, element_id: str, field: str, origin: str) -> Change:
    """Say where a value that stands already was read; it is assumed no more then."""
    element = network.element(element_id)
    p = parameter(type(element), field)
    if p is None or origin.split(":")[0] not in ("", *ORIGINS):
        raise NetworkRefused([InputRefused("origin", origin, "one of " + ", ".join(ORIGINS), where=title_of(element))])
    value = getattr(element, field)
    if value is None:
        raise NetworkRefused([InputRefused(field, "empty", "a value before its origin", where=title_of(element))])
    origins = {field: origin[:120]} if origin else {}
    return Change(f"{element.name} {p.label.lower()} from {origin or 'an entry of your own'}", (Set(id=element_id, values={field: value}, origins=origins),))


def _bars(network: Network, bus_id: str) -> list[Move]:
    """A point that becomes a board is drawn as a bar, on every sheet."""
    drawn = ((s.name, s.placements[bus_id]) for s in network.sheets if bus_id in s.placements)
    return [Move(sheet=name, id=bus_id, to=p.model_copy(update={"x": p.x - 2, "width": growing.BOARD})) for name, p in drawn if not p.width]


def read_typed(network: Network, p: Parameter, typed: str, where: str) -> Any:
    """What was typed as the value of a parameter.

    Raises
    ------
    NetworkRefused
        With what is accepted; ranges are checked by the model itself.
    """
    text = typed.strip()
    if p.optional and text == "":
        return None
    refused = NetworkRefused([InputRefused(p.name, typed, p.accepted, where=where)])
    if p.form == "text":
        return typed if p.name == "note" else text
    if p.form == "table":
        return _rows(network, p, text, refused, where)
    if p.form in ("yes or no", "choice", "reference"):
        return _one_of(network, p, text, refused)
    try:
        value = read_number(p, text, network.settings.units)
    except InputRefused as error:
        raise NetworkRefused([error.at(where)]) from None
    if p.form == "whole number":
        if not value.is_integer():
            raise refused
        return int(value)
    return value


def _one_of(network: Network, p: Parameter, text: str, refused: NetworkRefused) -> Any:
    """What is chosen of several: yes or no, a choice, an element by its name."""
    if p.form == "yes or no":
        found: Any = {"true": True, "false": False}.get(text)
    elif p.form == "reference":
        found = network.id_of_name.get(text)
    else:
        found = next((c for c in p.choices if text == (entry(c) if isinstance(c, float | int) else c)), None)
        found = float(found) if isinstance(found, int) and not isinstance(found, bool) and p.unit else found
    if found is None:
        raise refused
    return found


def _rows(network: Network, p: Parameter, text: str, refused: NetworkRefused, where: str) -> list[Any]:
    """Rows as typed or pasted: `full | 2; night | 0,8 MW`; with two columns also `full 2; night 0,8 MW`."""
    rows = []
    for n, line in enumerate(one for one in text.replace(";", "\n").splitlines() if one.strip()):
        mark = "\t" if "\t" in line else "|"
        cells = [one.strip() for one in line.split(mark)] if mark in line else [*_two(line.strip())] if len(p.columns) == 2 else [line.strip()]
        if len(cells) != len(p.columns) or n >= MOST_ROWS:
            raise refused
        try:
            rows.append({c.name: read_typed(network, c, cell, where) for c, cell in zip(p.columns, cells, strict=True)})
        except NetworkRefused as error:
            raise NetworkRefused([replace(one, remedy=f"It stands in row {n + 1} of what was typed.") for one in error.refusals]) from None
    return rows


def _two(part: str) -> tuple[str, str]:
    """Name and value: `night 0,8 MW`, `full = 2`."""
    for mark in ("=", ":"):
        if mark in part:
            name, _, value = part.rpartition(mark)
            return name.strip(), value.strip()
    words = part.split()
    at = len(words) - 2 if len(words) > 2 and not any(c.isdigit() for c in words[-1]) else len(words) - 1  # its unit may stand apart
    return " ".join(words[:at]), " ".join(words[at:])


def _told(network: Network, p: Parameter, value: Any) -> str:
    if value is None:
        return "empty"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if p.form == "reference":
        return network.elements[value].name if value in network.elements else str(value)
    if isinstance(value, float | dict):
        return text_shown(p, value, network.settings.units)
    text = str(value)
    return text if len(text) <= 40 else text[:39] + "…"


def operate(network: Network, state: str, element_id: str) -> Change:
    """Open a closed switching device, or close an open one, in the state shown."""
    element = network.in_state(state).get(element_id) or network.element(element_id)
    if isinstance(element, Changeover):
        to = "second" if element.position == "first" else "first"
        return Change(f"{element.name} changed over to its {to} side in {state}", (Switch(state=state, id=element_id, values={"position": to}),))
    if not isinstance(element, Switching):
        raise NotFound(f"{title_of(element)} cannot be opened or closed.")
    verb = "opened" if element.closed else "closed"
    return Change(f"{element.name} {verb} in {state}", (Switch(state=state, id=element_id, values={"closed": not element.closed}),))


def copy_state(network: Network, state: str, name: str) -> Change:
    """A new operating state that starts as a copy of the one shown."""
    try:
        new = OperatingState.model_validate({**network.state(state).model_dump(), "name": name.strip()})
    except ValidationError:
        raise NetworkRefused([InputRefused("name", name, NAME_ACCEPTED, where="New operating state")]) from None
    return Change(f"State {new.name} made from {state}", (PutState(name="", to=new),))


def remove_state(network: Network, state: str) -> Change:
    """Take an operating state away; Normal is the network as drawn and stays."""
    network.state(state)
    if state == NORMAL:
        raise NetworkRefused([InputRefused("state", state, "a state other than Normal", "Normal is the network as drawn.", "Operating states")])
    return Change(f"State {state} removed", (PutState(name=state, to=None),))


def fill_typical(network: Network, element_id: str) -> Change:
    """Fill what an element lacks with typical values, marked as assumed.

    Raises
    ------
    NetworkRefused
        If nothing that is missing has a typical value.
    """
    element = network.element(element_id)
    found = _typical_in_any_state(network).get(element_id)
    if not found:
        raise NetworkRefused([InputRefused("typical values", "none", "a typical value for what is missing", _no_typical(network, element), title_of(element))])
    values = {field: one.value for field, one in found.items()}
    sources = {field: one.source for field, one in found.items()}
    return Change(f"{element.name} typical values for {len(values)} fields", (Set(id=element_id, values=values, assumed=sources),))


def _typical_in_any_state(network: Network) -> dict[str, dict[str, Typical]]:
    """Typical values for what each element lacks in Normal or, with the mode it has there, in another state."""
    found: dict[str, dict[str, Typical]] = {}
    for state in network.state_names:
        elements = network.in_state(state)
        for element_id in network.elements if state == NORMAL else network.state(state).differences:
            one = typical_for_missing(elements, elements[element_id], network.settings.frequency_hz)
            if one:
                found.setdefault(element_id, {}).update(one)
    return found


def fill_one_typical(network: Network, element_id: str, field: str) -> Change:
    """Fill one field with its typical value, marked as assumed, also where a value stands."""
    element = network.element(element_id)
    p, found = parameter(type(element), field), typical_value(network.elements, element, field, network.settings.frequency_hz)
    if p is None or found is None:
        told = _no_typical(network, element)
        raise NetworkRefused([InputRefused(field, "none", "a typical value where a rule gives one", told, title_of(element))])
    return Change(f"{element.name} {p.label.lower()} typical", (Set(id=element_id, values={field: found.value}, assumed={field: found.source}),))


def fill_all_typical(network: Network) -> Change:
    """Fill all that the network lacks with typical values, marked as assumed.

    Raises
    ------
    NetworkRefused
        If nothing that is missing has a typical value.
    """
    acts = []
    for element_id, found in _typical_in_any_state(network).items():
        element = network.elements[element_id]
        if not element.locked:
            values = {field: one.value for field, one in found.items()}
            acts.append(Set(id=element.id, values=values, assumed={field: one.source for field, one in found.items()}))
    if not acts:
        raise NetworkRefused([InputRefused("typical values", "none", "a typical value for what is missing", _waits_told(network), network.name)])
    fields = sum(len(act.values) for act in acts)
    return Change(f"Typical values for {fields} fields of {len(acts)} elements", tuple(acts))


def _waits_told(network: Network) -> str:
    """What the rules wait for, over the whole network, in the words of the fields."""
    waits: dict[str, None] = {}
    for e in network.elements.values():
        for m in (m for study in study_keys() for m in missing_of(network.elements, e, study)):
            waits |= dict.fromkeys(f"{e.name}: {w}" for w in waits_for(network.elements, e, m.key) or [m.label.lower()])
    first = list(waits)[:6]
    return f"Enter first: {'; '.join(first)}{f' and {len(waits) - 6} more' if len(waits) > 6 else ''}." if first else "Nothing is missing."


def change_sets(network: Network, act: str, value: str) -> Change:
    """Sets of study settings: `use` another, `keep` the present ones under a new name, `rename` that in use, take one `away`."""
    old, name = network.settings, value.strip()
    refused = NetworkRefused([InputRefused("name", value, "a name of up to 80 characters that no other set has", where="Study settings")])
    if act in ("keep", "rename") and (not 1 <= len(name) <= 80 or not name.isprintable() or name in old.set_names):
        raise refused
    if act in ("use", "away") and name not in old.sets_aside:
        raise NetworkRefused([InputRefused("set", value, f"one of {', '.join(old.sets_aside) or 'none: there are no others'}", where="Study settings")])
    if act == "use":
        title, new = f"Study settings “{name}” in use", old.using(name)
    elif act == "keep":
        new = old.model_copy(update={"set_name": name, "sets_aside": {old.set_name: old.in_use, **old.sets_aside}})
        title = f"Study settings “{name}” made from “{old.set_name}”"
    elif act == "rename":
        title, new = f"Study settings “{old.set_name}” renamed “{name}”", old.model_copy(update={"set_name": name})
    elif act == "away":
        title, new = f"Study settings “{name}” removed", old.model_copy(update={"sets_aside": {n: s for n, s in old.sets_aside.items() if n != name}})
    else:
        raise NotFound(f"There is no act “{act}” on study settings.")
    return Change(title, (PutSettings(settings=new),))


def _no_typical(network: Network, element: Element) -> str:
    if not any(missing_of(network.elements, element, study) for study in study_keys()):
        return "Nothing is missing here."
    if isinstance(element, Bus) and element.equipment_class is not None:
        return f"The class {element.equipment_class} is not meant for {element.v_nominal_kv or 0:g} kV: choose another."
    waits = [w for study in study_keys() for m in missing_of(network.elements, element, study) for w in waits_for(network.elements, element, m.key)]
    return f"Enter first: {', '.join(dict.fromkeys(waits))}." if waits else "No rule gives a value here: enter it from the nameplate."


def set_setting(network: Network, path: str, typed: str) -> Change:
    """Change one setting of the project from typed text."""
    old = network.settings
    *group, field = path.split(".")
    holder = getattr(old, group[0], None) if group else old
    p = parameter(type(holder), field) if isinstance(holder, BaseModel) else None
    if p is None:
        raise NotFound(f"There is no setting “{path}”.")
    value = read_typed(network, p, typed, "Settings")
    value = int(value) if p.form == "choice" and isinstance(value, float) else value
    settings_with(old, path, value)  # refuses what the setting does not take
    before = getattr(getattr(old, group[0]) if group else old, field)
    return Change(f"{p.label} {_told(network, p, before)} → {_told(network, p, value)} {p.unit}".rstrip(), (PutSetting(path=path, value=value),))


def set_name_start(network: Network, kind: str, typed: str) -> Change:
    """How the default names of a kind begin in this project; empty brings back the letter of IEC 81346-2."""
    if kind not in KINDS:
        raise NotFound(f"There is no kind “{kind}”. Accepted are {', '.join(KINDS)}.")
    start = typed.strip(" ") if typed.strip() else ""
    if len(start) > 20 or not start.isprintable():
        raise NetworkRefused([InputRefused("start of names", typed, "up to 20 characters on one line", where=KINDS[kind].TITLE)])
    act = PutSetting(path=f"name_starts.{kind}", value=start if start and start != KINDS[kind].LETTER else None)
    return Change(f"Names of {KINDS[kind].TITLE.lower()} begin with {start or KINDS[kind].LETTER}", (act,))
