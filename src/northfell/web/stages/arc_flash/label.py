"""The label of a location as the card shows it."""

from typing import Any

from northfell.app.results.labels import labels_of
from northfell.app.results.studies import Results
from northfell.core.errors import NorthfellError
from northfell.core.model.elements import Bus
from northfell.core.model.network import Network
from northfell.documents.labels import shapes_of
from northfell.drawing.shapes import svg_of


def label_of(network: Network, results: Results, bus_id: str, side: str) -> dict[str, Any] | None:
    """The label of a location as it would print, or why it cannot; None where there is none to print."""
    e = network.elements.get(bus_id)
    if not isinstance(e, Bus) or e.electrode_configuration is None:
        return None
    side = side if side in e.mains else "load"
    sides = ("load", *e.mains)
    try:
        (label,) = labels_of(network, results, (e.id, side)).labels
    except NorthfellError as error:
        return {"message": str(error).splitlines()[0], "side": side, "sides": sides}
    return {"svg": svg_of(shapes_of(label)), "side": side, "sides": sides, "state": label.state}


def labels_shown(network: Network, results: Results, bus_id: str) -> list[dict[str, Any]]:
    """The labels of a location, of all sides that it has."""
    e = network.elements.get(bus_id)
    sides = ("load", *e.mains) if isinstance(e, Bus) else ("load",)
    found = (label_of(network, results, bus_id, side) for side in sides)
    return [label for label in found if label]
