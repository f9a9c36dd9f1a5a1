"""The constants of every geometry of a project's own."""

from collections.abc import Mapping
from functools import cache

from northfell.core.catalogue.entries import shipped
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.line_data import Geometry, Wire
from northfell.core.model.network import Network
from northfell.core.network import Compiled
from northfell.core.network.lines import built, constants_of
from northfell.core.studies.line_constants.result import ConstantsOf, LineConstantsResult
from northfell.core.studies.line_constants.settings import LineConstantsSettings


def run(net: Compiled) -> LineConstantsResult:
    """Matrices of the geometries among the catalogue entries of a project. One that lacks something takes no other's away."""
    network = net.network
    settings = network.settings.of(LineConstantsSettings)
    wires = wires_of(network)
    made: list[ConstantsOf] = []
    refused: dict[str, tuple[InputRefused, ...]] = {}
    for entry in network.entries:
        if entry.kind == "geometry":
            try:
                made.append(of_geometry(entry.name, Geometry.model_validate(entry.values), wires, settings, net.frequency_hz))
            except NetworkRefused as error:
                refused[entry.name] = error.refusals
    return LineConstantsResult(net, settings, tuple(made), refused)


def of_geometry(name: str, geometry: Geometry, wires: Mapping[str, Wire], settings: LineConstantsSettings, frequency_hz: float) -> ConstantsOf:
    """The constants of one geometry, at the frequency of the settings or else of the network [Hz].

    Raises
    ------
    NetworkRefused
        If something of it or of its wires is lacking, or conductors would touch.
    """
    f_hz = settings.frequency_hz or frequency_hz
    found = built(name, geometry, wires, f_hz, settings.internal == "skin effect")
    rho = geometry.rho_ohm_m or settings.rho_ohm_m
    try:
        constants = constants_of(found.conductors, f_hz, rho, settings.earth)
    except InputRefused as error:
        raise NetworkRefused([error.at(f"Geometry {name}")]) from None
    return ConstantsOf(name, geometry, constants, found.assumed)


def geometry_named(network: Network, name: str) -> Geometry | None:
    """A geometry that a network may use: its own before one that ships; None where there is none of that name."""
    own = next((one.values for one in network.entries if one.name == name and one.kind == "geometry"), None)
    entry = shipped().get(name)
    values = own if own is not None else entry.values if entry and entry.kind == "geometry" else None
    return None if values is None else Geometry.model_validate(dict(values))


def wires_of(network: Network) -> dict[str, Wire]:
    """All wires that a network may use: those that ship, and its own."""
    own = {e.name: Wire.model_validate(e.values) for e in network.entries if e.kind == "wire"}
    return {**_shipped_wires(), **own}


@cache
def _shipped_wires() -> dict[str, Wire]:
    return {name: Wire.model_validate(dict(e.values)) for name, e in shipped().items() if e.kind == "wire"}
