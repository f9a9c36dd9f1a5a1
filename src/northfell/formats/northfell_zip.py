"""The whole project as one file: `.northfell`, a zip with the network as it is kept, its history, and the network for people to read.

Reading takes only the parts it knows, by their names, into memory, and refuses what is too large before it is unpacked.
"""

import io
import json
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from hashlib import sha256
from typing import Any

from pydantic import ValidationError

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import ACTS, acts_of
from northfell.core.model.kept_beside import Acknowledged, KeptCurves, Proposal
from northfell.core.model.network import MOST_ELEMENTS, MOST_SHEETS, Network, OperatingState, OwnEntry, Sheet, check_network, element_from
from northfell.core.model.own_entries import entry_breaches
from northfell.core.model.settings import ProjectSettings
from northfell.formats import northfell_json
from northfell.formats.workbook import swollen

FORMAT, FORMAT_VERSION = "northfell-project", 1
PROJECT, HISTORY, READABLE = "project.json", "history.json", "network.northfell.json"
DOCUMENTS = "documents/"
MOST_BYTES = 256 * 1024 * 1024
MOST_UNPACKED = 128 * 1024 * 1024
MOST_CHANGES = 200_000
MOST_DOCUMENTS = 20_000


@dataclass(frozen=True)
class KeptChange:
    """One change of the history, as text."""

    title: str
    made_at: str
    acts: str
    inverse: str
    made_by: str = ""


@dataclass(frozen=True)
class WholeProject:
    """A network with its history; `head` of its changes are in force, the others can be redone."""

    network: Network
    head: int = 0
    history: tuple[KeptChange, ...] = ()
    documents: Mapping[str, bytes] = field(default_factory=dict)  # contents by digest


def write(project: WholeProject) -> bytes:
    """The project as a zip."""
    n = project.network
    kept = {
        "format": FORMAT, "format_version": FORMAT_VERSION, "name": n.name, "head": project.head, "settings": n.settings.model_dump(),
        "elements": [e.model_dump(exclude_defaults=True) | {"kind": e.kind} for e in n.elements.values()], "states": [s.model_dump() for s in n.states],
        "sheets": [{"name": s.name, "placements": {i: p.model_dump(exclude_defaults=True) for i, p in s.placements.items()}} for s in n.sheets],
        "entries": [e.model_dump() for e in n.entries], "proposals": [p.model_dump() for p in n.proposals],
        "acknowledged": [a.model_dump() for a in n.acknowledged], "curves": [c.model_dump() for c in n.curves],
    }  # fmt: skip
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
        for name, text in (
            (PROJECT, json.dumps(kept, ensure_ascii=False, allow_nan=False)),
            (HISTORY, json.dumps([asdict(c) for c in project.history], ensure_ascii=False)),
            (READABLE, northfell_json.write(n)),
        ):
            pack.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), text, zipfile.ZIP_DEFLATED)
        for digest, content in sorted(project.documents.items()):
            pack.writestr(zipfile.ZipInfo(f"{DOCUMENTS}{digest}", (1980, 1, 1, 0, 0, 0)), content, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def read(data: bytes) -> WholeProject:
    """A project from the bytes of a file.

    Raises
    ------
    NetworkRefused
        With the reasons; nothing of a refused file is taken.
    """
    if len(data) > MOST_BYTES:
        raise NetworkRefused([InputRefused("size", f"{len(data) / 1e6:.0f} MB", f"at most {MOST_BYTES / 1e6:.0f} MB", where="Project file")])
    try:
        kept, changes, documents = _parts(data)
    except NetworkRefused:
        raise
    except (zipfile.BadZipFile, zlib.error, ValueError, RecursionError, OSError, NotImplementedError, RuntimeError, EOFError):
        raise _refused("damaged or foreign", "a project file that Northfell wrote") from None
    if not isinstance(kept, dict) or kept.get("format") != FORMAT:
        raise _refused("another format", f"format “{FORMAT}”")
    version = kept.get("format_version")
    if not isinstance(version, int) or not 1 <= version <= FORMAT_VERSION:
        raise _refused(f"format_version {version}", f"up to {FORMAT_VERSION}: it was written by a later version of Northfell")
    try:
        return replace(_whole(kept, changes), documents=documents)
    except (ValidationError, KeyError, TypeError, AttributeError) as error:
        reason = error.errors()[0]["msg"] if isinstance(error, ValidationError) else repr(error)
        raise _refused(f"contents that do not fit ({reason[:120]})", "a project file that Northfell wrote") from None


def _parts(data: bytes) -> tuple[Any, Any, dict[str, bytes]]:
    """The project, its history and its documents out of the zip, their sizes checked first."""
    with zipfile.ZipFile(io.BytesIO(data)) as pack:
        sizes = {i.filename: i.file_size for i in pack.infolist()}
        if swollen(i for i in pack.infolist() if not i.filename.startswith(DOCUMENTS)) or len(sizes) > MOST_DOCUMENTS + 100:
            raise _refused("parts that unpack to far more than they are", "a project file that Northfell wrote")
        if PROJECT not in sizes or sum(sizes.get(name, 0) for name in (PROJECT, HISTORY)) > MOST_UNPACKED:
            raise _refused("its parts", f"{PROJECT} and {HISTORY}, up to {MOST_UNPACKED // 1_000_000} MB unpacked")
        inside = {name: size for name, size in sizes.items() if name.startswith(DOCUMENTS)}
        if sum(inside.values()) > MOST_UNPACKED or len(inside) > MOST_DOCUMENTS:
            raise _refused("its documents", f"up to {MOST_DOCUMENTS} documents, {MOST_UNPACKED // 1_000_000} MB unpacked")
        documents = {name.removeprefix(DOCUMENTS): _part(pack, name) for name in inside}
        if any(sha256(content).hexdigest() != digest for digest, content in documents.items()):
            raise _refused("a document that is not what it was", "documents by the digests of their contents")
        return json.loads(_part(pack, PROJECT)), json.loads(_part(pack, HISTORY)) if HISTORY in sizes else [], documents


def _part(pack: zipfile.ZipFile, name: str) -> bytes:
    """One part, never more than was promised by its size."""
    with pack.open(name) as part:
        data = part.read(MOST_UNPACKED + 1)
    if len(data) > MOST_UNPACKED:
        raise ValueError("too large")
    return data


def _whole(kept: dict[str, Any], changes: Any) -> WholeProject:
    if not isinstance(kept["elements"], list) or len(kept["elements"]) > MOST_ELEMENTS or not isinstance(changes, list) or len(changes) > MOST_CHANGES:
        raise _refused("elements", f"a list of up to {MOST_ELEMENTS} elements")
    elements = [element_from(raw) for raw in kept["elements"]]
    if not isinstance(kept["sheets"], list) or len(kept["sheets"]) > MOST_SHEETS:
        raise _refused("sheets", f"a list of up to {MOST_SHEETS} sheets")
    sheets = [Sheet.model_validate({"name": s["name"], "placements": {i: _floats(p) for i, p in s["placements"].items()}}) for s in kept["sheets"]]
    network = Network(
        name=kept["name"], states=[OperatingState.model_validate(s) for s in kept["states"]], sheets=sheets or [Sheet(name="Sheet 1")],
        settings=ProjectSettings.model_validate(kept["settings"]), entries=[OwnEntry.model_validate(e) for e in kept.get("entries", [])],
        proposals=[Proposal.model_validate(p) for p in kept.get("proposals", [])],
        acknowledged=[Acknowledged.model_validate(a) for a in kept.get("acknowledged", [])],
        curves=[KeptCurves.model_validate(c) for c in kept.get("curves", [])],
    ).model_copy(update={"elements": {e.id: e for e in elements}})  # fmt: skip
    if len(network.elements) < len(elements):
        raise _refused("elements", "ids that differ")
    check_network(network)
    if breaches := [breach for one in network.entries for breach in entry_breaches(one)]:
        raise NetworkRefused(breaches)
    for proposed in (c for p in network.proposals for c in p.changes):
        acts_of(proposed.acts)
        acts_of(proposed.found)
    history = tuple(KeptChange(str(c["title"]), str(c["made_at"]), str(c["acts"]), str(c["inverse"]), str(c.get("made_by", ""))[:80]) for c in changes)
    if any(not (c.title + c.made_at + c.made_by).isprintable() for c in history):
        raise _refused("its history", "titles that can be shown")
    for change in history:
        ACTS.validate_json(change.acts)
        ACTS.validate_json(change.inverse)
    head = kept["head"]
    if not isinstance(head, int) or isinstance(head, bool) or not 0 <= head <= len(history):
        raise _refused(f"head {head}", "a position in its history")
    return WholeProject(network, head, history)


def _floats(p: dict[str, Any]) -> dict[str, Any]:
    """Places as numbers, also where a person wrote them whole."""
    return {k: float(v) if isinstance(v, int) and not isinstance(v, bool) and k != "turn" and abs(v) < 10**300 else v for k, v in p.items()}


def _refused(got: str, accepted: str) -> NetworkRefused:
    return NetworkRefused([InputRefused("file", got, accepted, where="Project file")])
