"""The geometry of a line on its card: a small picture, true to scale."""

from northfell.core.model.elements import Conductor, Element
from northfell.core.model.network import Network
from northfell.core.studies.line_constants import geometry_named
from northfell.drawing.pole import WireMark, pole_shapes
from northfell.web.shell.figures import Section

SIDE, WIDTH = 170.0, 264.0


def geometry_section(network: Network, e: Element) -> list[Section]:
    """Where its wires hang, of a line that takes its data from a geometry."""
    geometry = geometry_named(network, e.geometry) if isinstance(e, Conductor) and e.geometry else None
    if geometry is None or not isinstance(e, Conductor):
        return []
    shapes, (wide, high) = pole_shapes([WireMark(c.name, c.x_m, c.y_m, c.fate) for c in geometry.conductors], SIDE, above=True)
    return [Section("Geometry", message=f"{e.geometry}, to scale.", picture=shapes, size=(max(wide, WIDTH), high), look="pole-to-scale")]
