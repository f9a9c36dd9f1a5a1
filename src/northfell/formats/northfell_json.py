"""The network file for people and scripts: `.northfell.json`. Elements refer to each other by name.

Reading never takes half a file: what it refuses, it refuses whole, with every reason.
"""

import json
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.declare.parameters import parameters_of
from northfell.core.model.elements import KINDS, Element
from northfell.core.model.kept_beside import KeptCurves
from northfell.core.model.network import (  # fmt: skip
    MOST_ELEMENTS,
    MOST_ENTRIES,
    Network,
    OperatingState,
    OwnEntry,
    Sheet,
    check_network,
    element_from,
    references_of,
    refusals_from,
)
from northfell.core.model.own_entries import entry_breaches
from northfell.core.model.settings import ProjectSettings

FORMAT = "northfell-network"
FORMAT_VERSION = 1
MOST_BYTES = 32 * 1024 * 1024
PARTS = ("format", "format_version", "name", "settings", "elements", "states", "sheets", "catalogue", "curves")


def write(network: Network) -> str:
    """A network as text; values that stand at their default are left out."""
    names = {element_id: e.name for element_id, e in network.elements.items()}
    data = {
        "format": FORMAT,
        "format_version": FORMAT_VERSION,
        "name": network.name,
        "settings": network.settings.model_dump(),
        "elements": [_element_out(e, names) for e in network.elements.values()],
        "states": [_state_out(s, names) for s in network.states],
        "sheets": [{"name": s.name, "placements": {names[i]: p.model_dump(exclude_defaults=True) for i, p in s.placements.items()}} for s in network.sheets],
        **({"catalogue": [e.model_dump() for e in network.entries]} if network.entries else {}),
        **({"curves": [_curves_out(c, names) for c in network.curves]} if network.curves else {}),
    }
    return json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def _curves_out(kept: KeptCurves, names: dict[str, str]) -> dict[str, Any]:
    raw = {**kept.model_dump(exclude_defaults=True), "devices": [names[d] for d in kept.devices]}
    moved = [{**m.model_dump(), "device": names[m.device]} for m in kept.moved if m.device in kept.devices]
    return {**raw, "moved": moved} if moved else {k: v for k, v in raw.items() if k != "moved"}


def _state_out(state: OperatingState, names: dict[str, str]) -> dict[str, Any]:
    factors = {part: value for part in ("load_factors", "generation_factors") if (value := getattr(state, part))}
    return {"name": state.name, "differences": {names[i]: v for i, v in state.differences.items()}, **factors}


def _element_out(element: Element, names: dict[str, str]) -> dict[str, Any]:
    raw = {"kind": element.kind, **element.model_dump(exclude_defaults=True, exclude={"id", "kind", "documents"})}  # documents leave with the whole project
    for p in references_of(type(element)):
        if raw.get(p.name) is not None:
            raw[p.name] = names[raw[p.name]]
    return raw


def read_file(path: Path) -> Network:
    """Read a network file, its size checked first."""
    return read(bytes_of(path))


def bytes_of(path: Path, most: int = MOST_BYTES) -> bytes:
    """What a file holds, its size checked first.

    Raises
    ------
    NetworkRefused
        If it cannot be read, or is too large.
    """
    try:
        if (size := path.stat().st_size) > most:
            raise NetworkRefused([too_large(size)])
        with path.open("rb") as file:
            data = file.read(most + 1)  # a pipe or a device has no size
    except OSError as error:
        raise NetworkRefused([InputRefused("file", str(path), "a file that can be read", error.strerror or "", "File")]) from None
    if len(data) > most:
        raise NetworkRefused([too_large(len(data))])
    return data


def too_large(size: int) -> InputRefused:
    return InputRefused("size", f"{size / 1e6:.0f} MB", f"at most {MOST_BYTES / 1e6:.0f} MB", where="File")


def read(text: str | bytes) -> Network:
    """A network from the text of a file.

    Raises
    ------
    NetworkRefused
        With every reason, each with element, field, value and what is accepted.
    """
    if len(text) > MOST_BYTES:
        raise NetworkRefused([too_large(len(text))])
    data = _parsed(text)
    refused: list[InputRefused] = [InputRefused("field", key, "one of " + ", ".join(PARTS), where="File") for key in data if key not in PARTS]
    name = data.get("name", "Unnamed network")
    elements, found = _elements(data.get("elements", []))
    refused += found
    settings, found = _settings(data.get("settings", {}))
    refused += found
    states, found = _states(data.get("states", []), elements)
    refused += found
    sheets, found = _records(data.get("sheets", []), Sheet, "sheets")
    refused += found
    entries, found = _records(data.get("catalogue", []), OwnEntry, "catalogue")
    refused += found + [breach for one in entries for breach in entry_breaches(one)]
    curves, found = _records(data.get("curves", []), KeptCurves, "curves")
    refused += found
    if refused:
        raise NetworkRefused(refused)
    try:
        network = Network(name=name)
    except ValidationError as error:
        raise NetworkRefused(refusals_from(error, Network, data, "File")) from None
    network = network.model_copy(update={"elements": elements, "settings": settings, "states": states, "sheets": sheets, "entries": entries, "curves": curves})
    check_network(network)
    return network


def _parsed(text: str | bytes) -> dict[str, Any]:
    try:
        data = json.loads(text)
        if "\\ud" in (text if isinstance(text, str) else "") or (isinstance(text, bytes) and b"\\ud" in text.lower()):
            json.dumps(data, ensure_ascii=False).encode()  # halves of characters are none
    except (ValueError, RecursionError) as error:
        told = "nested too deeply" if isinstance(error, RecursionError) else str(error)
        raise NetworkRefused([InputRefused("content", told, "JSON text of a network", where="File")]) from None
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        got = data.get("format") if isinstance(data, dict) else type(data).__name__
        raise NetworkRefused([InputRefused("format", got, f"“{FORMAT}”", "This is not a Northfell network file.", "File")])
    version = data.get("format_version")
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= FORMAT_VERSION:
        remedy = "The file comes from a later version of Northfell." if isinstance(version, int) and version > FORMAT_VERSION else ""
        raise NetworkRefused([InputRefused("format_version", version, f"1 to {FORMAT_VERSION}", remedy, "File")])
    return data


def _elements(raw: Any) -> tuple[dict[str, Element], list[InputRefused]]:
    if not isinstance(raw, list) or len(raw) > MOST_ELEMENTS:
        return {}, [InputRefused("elements", type(raw).__name__, f"a list of at most {MOST_ELEMENTS} elements", where="File")]
    elements: dict[str, Element] = {}
    refused: list[InputRefused] = []
    for at, one in enumerate(raw, 1):
        if len(refused) >= 100:
            refused.append(InputRefused("elements", "more faults", "none", "Only the first hundred are listed.", "File"))
            break
        where = f"Element {at}"
        if isinstance(one, dict):
            one = {**{k: v for k, v in one.items() if k != "id"}, "id": one.get("name", "")}
        try:
            element = element_from(_whole(one), where)
        except NetworkRefused as error:
            refused += [r for r in error.refusals if r.field != "id"] or list(error.refusals)
            continue
        if element.name in elements:
            refused.append(InputRefused("name", element.name, "a name that no other element has", where=f"Element {at}"))
        elements[element.name] = element
    return elements, refused


def _whole(raw: Any) -> Any:
    """Whole numbers written with a decimal point (2.0) stand for counts too."""
    if isinstance(raw, dict) and isinstance(raw.get("kind"), str) and raw["kind"] in KINDS:
        for p in parameters_of(KINDS[raw["kind"]]):
            value = raw.get(p.name)
            if p.form == "whole number" and isinstance(value, float) and value.is_integer():
                raw = {**raw, p.name: int(value)}
    return raw


def _settings(raw: Any) -> tuple[ProjectSettings, list[InputRefused]]:
    try:
        return ProjectSettings.model_validate(raw), []
    except ValidationError as error:
        return ProjectSettings(), refusals_from(error, ProjectSettings, raw, "Settings")


def _states(raw: Any, elements: dict[str, Element]) -> tuple[list[OperatingState], list[InputRefused]]:
    return _records(raw, OperatingState, "states")


def _records(raw: Any, model: type[Any], field: str) -> tuple[list[Any], list[InputRefused]]:
    if not isinstance(raw, list) or len(raw) > MOST_ENTRIES:
        return [], [InputRefused(field, type(raw).__name__, f"a list of at most {MOST_ENTRIES}", where="File")]
    records, refused = [], []
    for at, one in enumerate(raw, 1):
        try:
            records.append(model.model_validate(one))
        except ValidationError as error:
            for fault in error.errors(include_url=False, include_context=False):
                where = f"{field.capitalize()} {at}"
                refused.append(InputRefused(".".join(map(str, fault["loc"])) or field, fault["input"], fault["msg"].lower(), where=where))
            if len(refused) >= 100:
                break
    return records, refused


def schema() -> dict[str, Any]:
    """The JSON schema of the network file, with units and meanings from the declarations."""
    definitions: dict[str, Any] = {}
    for kind, model in KINDS.items():
        one = model.model_json_schema(ref_template="#/$defs/{model}")
        definitions.update(one.pop("$defs", {}))
        one["properties"].pop("id", None)
        one["properties"].pop("documents", None)
        one["required"] = [r for r in one.get("required", []) if r != "id"] + ["kind"]
        one["properties"]["kind"] = {"const": kind}
        definitions[model.__name__] = one
    settings = ProjectSettings.model_json_schema(ref_template="#/$defs/{model}")
    definitions.update(settings.pop("$defs", {}))
    definitions["ProjectSettings"] = settings
    for record in (OperatingState, Sheet, OwnEntry, KeptCurves):
        one = record.model_json_schema(ref_template="#/$defs/{model}")
        definitions.update(one.pop("$defs", {}))
        definitions[record.__name__] = one
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Northfell network file (.northfell.json)",
        "description": "Elements refer to each other by name. The network as listed is the state Normal; a state lists its differences by element name. "
        "x-unit is the unit of a number; x-needed-for names the studies that cannot run without it; x-typical says that a typical value can be filled in.",
        "type": "object",
        "required": ["format", "format_version", "elements"],
        "additionalProperties": False,
        "properties": {
            "format": {"const": FORMAT},
            "format_version": {"type": "integer", "minimum": 1, "maximum": FORMAT_VERSION},
            "name": {"type": "string"},
            "settings": {"$ref": "#/$defs/ProjectSettings"},
            "elements": {"type": "array", "items": {"oneOf": [{"$ref": f"#/$defs/{m.__name__}"} for m in KINDS.values()]}},
            "states": {"type": "array", "items": {"$ref": "#/$defs/OperatingState"}},
            "sheets": {"type": "array", "items": {"$ref": "#/$defs/Sheet"}},
            "catalogue": {"type": "array", "items": {"$ref": "#/$defs/OwnEntry"}},
            "curves": {"type": "array", "items": {"$ref": "#/$defs/KeptCurves"}},
        },
        "$defs": definitions,
    }
