"""The sheets of a network: several drawings of one thing."""

from pydantic import ValidationError

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import Change, PutSheet
from northfell.core.model.elements import NAME_ACCEPTED
from northfell.core.model.network import Network, Sheet


def _named(name: str, sheet: Sheet) -> Sheet:
    try:
        return Sheet(name=name.strip(), placements=sheet.placements)
    except ValidationError:
        raise NetworkRefused([InputRefused("name", name, NAME_ACCEPTED, where="Sheet")]) from None


def add_sheet(network: Network, name: str) -> Change:
    """A new, empty sheet."""
    new = _named(name, Sheet(name="new"))
    return Change(f"Sheet {new.name} added", (PutSheet(name="", to=new),))


def rename_sheet(network: Network, old: str, name: str) -> Change:
    """Another name for a sheet."""
    sheet = _existing(network, old)
    new = _named(name, sheet)
    return Change(f"Sheet {old} → {new.name}", (PutSheet(name=old, to=new),)) if new.name != old else Change("", ())


def remove_sheet(network: Network, name: str) -> Change:
    """Take a drawing away; the network keeps every element of it."""
    _existing(network, name)
    return Change(f"Sheet {name} removed, its elements stay in the network", (PutSheet(name=name, to=None),))


def _existing(network: Network, name: str) -> Sheet:
    found = next((s for s in network.sheets if s.name == name), None)
    if found is None:
        raise NetworkRefused([InputRefused("sheet", name, "one of " + ", ".join(s.name for s in network.sheets), where="Sheets")])
    return found
