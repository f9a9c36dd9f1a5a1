"""The catalogue in use: an entry given to an element, entries of one's own made, changed, imported, and who follows them."""

from collections.abc import Sequence
from typing import Any

from northfell.app.data import geometries
from northfell.app.data.columns import cells_of, head_of, read_cell
from northfell.app.data.edits import read_typed
from northfell.core.catalogue.entries import set_from, shipped
from northfell.core.catalogue.entry import Entry
from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.changes import Change, PutEntry, Set
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.declare.rows import plain
from northfell.core.model.elements import Element, Line
from northfell.core.model.network import Network, OwnEntry, title_of
from northfell.core.model.own_entries import ENTRY_KINDS, entry_breaches, entry_parameters
from northfell.core.quantities import wire_size

MOST_IMPORTED = 5000


def entries_of(network: Network, kind: str) -> list[Entry]:
    """All entries of a kind: one's own first, then those that ship."""
    own = [_as_entry(one) for one in network.entries if one.kind == kind]
    return [*own, *(e for e in shipped().values() if e.kind == kind)]


def kinds_with_entries(network: Network) -> list[str]:
    """The kinds that the catalogue holds, in the order of the kinds."""
    held = {e.kind for e in shipped().values()} | {one.kind for one in network.entries}
    return [kind for kind in ENTRY_KINDS if kind in held]


def kind_for(element: Element) -> str:
    """The kind of entry that an element takes its data from: of an overhead line its geometry."""
    return "geometry" if isinstance(element, Line) else element.kind


def entry_named(network: Network, name: str) -> Entry:
    own = next((one for one in network.entries if one.name == name), None)
    if own is not None:
        return _as_entry(own)
    found = shipped().get(name)
    if found is None:
        raise NotFound(f"There is no catalogue entry “{name}” (any more).")
    return found


def _as_entry(one: OwnEntry) -> Entry:
    base = shipped().get(one.made_from)
    found_by = dict(base.found_by) if base else {}
    if "sizes" in found_by and one.values.get("area_mm2"):
        found_by["sizes"] = "mm²" if wire_size(one.values["area_mm2"]).endswith("mm²") else "AWG and kcmil"
    kept = {k: v for k, v in base.assumed.items() if one.values.get(k) == base.values.get(k)} if base else {}
    same_x = base and one.values.get("x_ohm_per_km") == base.values.get("x_ohm_per_km")
    return Entry(one.name, one.kind, one.family, one.values, found_by, one.source, kept, base.x_at_hz if base and same_x else None, True)


def followers(network: Network, name: str) -> list[Element]:
    """The elements whose data follow an entry."""
    return [e for e in network.elements.values() if e.catalogue == name]


def use(network: Network, element_id: str, name: str) -> Change:
    """Give an element the values of an entry; each says that it is from there, and what is only typical stays marked."""
    element, one = network.element(element_id), entry_named(network, name)
    if isinstance(element, Line) and one.kind == "geometry":
        return geometries.used(network, element, one)
    if element.kind != one.kind:
        accepted = f"an entry for a {element.TITLE.lower()}"
        raise NetworkRefused([InputRefused("catalogue", one.name, accepted, f"It is one for a {ENTRY_KINDS[one.kind].TITLE.lower()}.", title_of(element))])
    return Change(f"{element.name} from the catalogue: {one.name}", (set_from(one, element.id, network.settings.frequency_hz),))


def make_own(network: Network, name: str, new_name: str) -> Change:
    """A version of one's own of an entry, which can be changed."""
    one = entry_named(network, name)
    made_from = name if not one.own else next(e.made_from for e in network.entries if e.name == name)
    new = _entry(new_name.strip(), one.kind, one.family, dict(one.values), f"own version of {one.name}"[:200], made_from)
    _free(network, new.name)
    return Change(f"Catalogue: {new.name} made from {one.name}", (PutEntry(name="", to=new),))


def keep_element(network: Network, element_id: str, new_name: str) -> Change:
    """An entry of one's own from the data of an element, which follows it from then on."""
    element = network.element(element_id)
    values = {p.name: plain(v) for p in entry_parameters(type(element)) if (v := getattr(element, p.name)) is not None and v not in (p.default, [])}
    new = _entry(new_name.strip(), element.kind, "", values, f"kept from {element.name}"[:200], "")
    _free(network, new.name)
    return Change(f"Catalogue: {new.name} kept from {element.name}", (PutEntry(name="", to=new), Set(id=element_id, values={}, catalogue=new.name)))


def _entry(name: str, kind: str, family: str, values: dict[str, Any], source: str, made_from: str) -> OwnEntry:
    try:
        return OwnEntry(name=name, kind=kind, family=family, values=values, source=source, made_from=made_from)
    except ValueError:
        raise NetworkRefused([InputRefused("name", name, "1 to 80 characters on one line", where="Catalogue")]) from None


def _free(network: Network, name: str) -> None:
    if name in shipped() or any(one.name == name for one in network.entries):
        raise NetworkRefused([InputRefused("name", name, "a name that no other entry has", where="Catalogue")])


def own_entry(network: Network, name: str) -> OwnEntry:
    found = next((one for one in network.entries if one.name == name), None)
    if found is None:
        told = "A shipped entry stays as it is: make your own version of it, and change that." if name in shipped() else "It is gone."
        raise NetworkRefused([InputRefused("entry", name, "an entry of your own", told, "Catalogue")])
    return found


def change_own(network: Network, name: str, field: str, typed: str, follow: bool) -> Change:
    """Change a value of an own entry; with `follow`, the elements that follow it get the value too."""
    one = own_entry(network, name)
    p = parameter(ENTRY_KINDS[one.kind], field)
    if p is None or p not in entry_parameters(ENTRY_KINDS[one.kind]):
        raise NotFound(f"An entry of this kind has no field “{field}”.")
    value = read_typed(network, p, typed, f"Catalogue entry {name}")
    if value == one.values.get(field):
        return Change("", ())
    values = {k: v for k, v in one.values.items() if k != field} | ({field: value} if value is not None else {})
    changed_entry = one.model_copy(update={"values": values})
    acts: list[Any] = [PutEntry(name=name, to=changed_entry)]
    for e in followers(network, name) if follow else ():
        if isinstance(e, Line):
            acts += _of_geometry(network, e, changed_entry)
        else:
            acts.append(Set(id=e.id, values={field: value}, origins={field: f"catalogue: {name}"} if value is not None else {}))
    changed = len(acts) - 1
    told = f", and {changed} element{'s' if changed != 1 else ''} that follow{'s' if changed == 1 else ''} it" if changed else ""
    return Change(f"Catalogue: {name}, {p.label.lower()} changed{told}", tuple(acts))


def _of_geometry(network: Network, line: Line, one: OwnEntry) -> tuple[Any, ...]:
    """What a line takes anew from its geometry, which must be one first."""
    if breaches := entry_breaches(one):
        raise NetworkRefused(breaches)
    return geometries.used(network, line, _as_entry(one)).acts


def remove_own(network: Network, name: str) -> Change:
    """Take an own entry away; elements keep their data and follow nothing then."""
    own_entry(network, name)
    left = [Set(id=e.id, values={}, catalogue="") for e in followers(network, name)]
    return Change(f"Catalogue: {name} removed", (PutEntry(name=name, to=None), *left))


def imported(network: Network, kind: str, text: str) -> tuple[Change, list[str]]:
    """Own entries from a CSV table with a row of heads: Name, and parameters by name or label with their units.

    Returns
    -------
    The change with every row that could be read, and for each other row why it was refused.
    """
    if kind not in ENTRY_KINDS:
        raise NotFound(f"There is no kind “{kind}”.")
    try:
        block = cells_of(text)
    except InputRefused as error:
        raise NetworkRefused([error]) from None
    allowed = entry_parameters(ENTRY_KINDS[kind])
    refused: list[str] = []
    heads = []
    for cell in block[0] if block else ():
        try:
            heads.append(head_of(cell, allowed) or cell.strip().casefold())
        except InputRefused as error:
            raise NetworkRefused([error]) from None
    if "name" not in heads or len(block) > MOST_IMPORTED:
        accepted = f"a row of heads with Name and parameters, and at most {MOST_IMPORTED} rows"
        raise NetworkRefused([InputRefused("table", f"{len(block)} rows", accepted, where="Catalogue import")])
    refused += [f"Column {h}: not known, left out." for h in heads if isinstance(h, str) and h not in ("name", "family", "source", "")]
    taken = {one.name for one in network.entries} | set(shipped())
    acts = []
    for n, line in enumerate(block[1:], 2):
        told, one = _row(network, kind, heads, line)
        if one is not None and one.name in taken:
            told = [f"name “{one.name}” is taken already"]
        if one is None or told:
            refused.append(f"Row {n}: {'; '.join(told)}.")
            continue
        taken.add(one.name)
        acts.append(PutEntry(name="", to=one))
    return Change(f"Catalogue: {len(acts)} entries imported", tuple(acts)), refused


def _row(network: Network, kind: str, heads: Sequence[Any], line: Sequence[str]) -> tuple[list[str], OwnEntry | None]:
    told: list[str] = []
    about = {"name": "", "family": "", "source": "imported"}
    values: dict[str, Any] = {}
    for head, cell in zip(heads, line, strict=False):
        if isinstance(head, str):
            if head in about and cell.strip():
                about[head] = cell.strip().removeprefix("'")
        elif cell.strip():
            try:
                values[head.p.name] = read_cell(network, head, cell, "")
            except NetworkRefused as error:
                told += [str(r.at("")) for r in error.refusals]
    try:
        one = OwnEntry(name=about["name"], kind=kind, family=about["family"], values=values, source=about["source"])
    except ValueError:
        return [*told, f"name “{about['name'][:60]}” is none, accepted is 1 to 80 characters on one line"], None
    return told + [str(r.at("")) for r in entry_breaches(one)], one
