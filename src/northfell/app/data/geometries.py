"""Geometries of lines: their constants as a catalogue page shows them, and the data that a line takes from one."""

from dataclasses import dataclass
from typing import Any

from northfell.core.catalogue.entry import Entry
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.changes import Change, Set
from northfell.core.model.elements import Line
from northfell.core.model.line_data import Geometry, Wire
from northfell.core.model.network import Network, title_of
from northfell.core.quantities import MINUS
from northfell.core.studies.line_constants import ConstantsOf, LineConstantsSettings, of_geometry, wires_of
from northfell.core.studies.line_constants.result import AFTER, BEFORE, KM, SEQUENCES, TRANSPOSED

ALPHA_PER_K = 0.004  # as for all conductors of the network


@dataclass(frozen=True)
class Shown:
    """A geometry with its constants, or why it has none."""

    geometry: Geometry
    constants: ConstantsOf | None
    refused: tuple[str, ...] = ()


def shown(network: Network, entry: Entry) -> Shown:
    """The constants of a geometry, as the settings of the project have them."""
    geometry = Geometry.model_validate(dict(entry.values))
    try:
        settings = network.settings.of(LineConstantsSettings)
        return Shown(geometry, of_geometry(entry.name, geometry, wires_of(network), settings, network.settings.frequency_hz))
    except NetworkRefused as error:
        return Shown(geometry, None, tuple(map(str, error.refusals)))


def used(network: Network, line: Line, entry: Entry) -> Change:
    """Give a line the sequence values of a geometry at the network's frequency, with its resistance at 20 °C.

    Raises
    ------
    NetworkRefused
        If the geometry has no constants, or not just one three-phase circuit.
    """
    settings = network.settings.of(LineConstantsSettings).model_copy(update={"frequency_hz": None})
    geometry = Geometry.model_validate(dict(entry.values))
    one = of_geometry(entry.name, geometry, _at_20(wires_of(network)), settings, network.settings.frequency_hz)
    if len(one.constants.circuits) != 1 or len(one.constants.kept) != 3:
        got = f"with {', '.join(one.constants.kept)}"
        raise NetworkRefused([InputRefused("catalogue", got, "a geometry of the three conductors a, b, c after elimination", where=title_of(line))])
    z, c = one.constants.in_sequences(one.z_ohm_per_m) * KM, one.constants.in_sequences(one.c_f_per_m) * KM * 1e6
    values: dict[str, Any] = {
        "r_ohm_per_km": z[1, 1].real, "x_ohm_per_km": z[1, 1].imag, "r0_ohm_per_km": z[0, 0].real, "x0_ohm_per_km": z[0, 0].imag,
        "c_uf_per_km": c[1, 1].real, "c0_uf_per_km": c[0, 0].real,
    }  # fmt: skip
    values = {field: float(f"{value:.6g}") for field, value in values.items()}
    wires = wires_of(network)
    carried = [(p, wires[p.wire].i_rated_a) for p in geometry.conductors if p.fate == "kept"]
    if all(i_a is not None for _, i_a in carried):
        values["i_rated_a"] = min(i_a * p.bundle for p, i_a in carried if i_a is not None)
    origin = f"catalogue: {entry.name}, ρ {one.constants.rho_ohm_m:g} ohm·m, {settings.earth}"
    return Change(f"{line.name} from the geometry {entry.name}", (Set(id=line.id, values=values, origins=dict.fromkeys(values, origin), catalogue=entry.name),))


def _at_20(wires: dict[str, Wire]) -> dict[str, Wire]:
    """The same with their resistances at 20 °C, where it is known at which temperature they are stated."""
    return {name: _cold(wire) for name, wire in wires.items()}


def _cold(wire: Wire) -> Wire:
    if wire.t_degc is None or wire.r_ohm_per_km is None:
        return wire
    return wire.model_copy(update={"r_ohm_per_km": wire.r_ohm_per_km / (1 + ALPHA_PER_K * (wire.t_degc - 20))})


@dataclass(frozen=True)
class Cell:
    """One figure of a matrix, and how its working is asked for."""

    text: str
    of: str = ""


@dataclass(frozen=True)
class MatrixRow:
    """One row of it."""

    name: str
    cells: tuple[Cell, ...]


@dataclass(frozen=True)
class Matrix:
    """A matrix as a page shows it."""

    title: str
    unit: str
    names: tuple[str, ...]
    rows: tuple[MatrixRow, ...]


TITLES = {BEFORE: "Series impedance of all conductors", AFTER: "After elimination", TRANSPOSED: "Transposed"}


def matrices(one: ConstantsOf) -> list[Matrix]:
    """Impedance at each stage, capacitance after elimination, and the sequences of a three-phase line with their coupling."""
    shown_z = [
        _matrix(TITLES[stage], "ohm/km", names, names, z * KM, "" if stage == TRANSPOSED else stage)
        for stage, names, z, _, _ in one.matrices()
        if stage != AFTER or len(names) < len(one.constants.names)
    ]
    found = [*shown_z, _matrix("Capacitance after elimination", "nF/km", one.constants.kept, one.constants.kept, one.c_f_per_m * KM * 1e9)]
    if one.circuit_names:
        several = len(one.circuit_names) > 1
        names = tuple(f"{n} of {c}" if several else n for c in one.circuit_names for n in SEQUENCES)
        found.append(_matrix("In sequences", "ohm/km", names, names, one.constants.in_sequences(one.z_ohm_per_m) * KM))
        found.append(_matrix("Capacitance in sequences", "nF/km", names, names, one.constants.in_sequences(one.c_f_per_m) * KM * 1e9))
    return found


def _matrix(title: str, unit: str, names: tuple[str, ...], of: tuple[str, ...], values: Any, stage: str = "") -> Matrix:
    rows = tuple(MatrixRow(a, tuple(Cell(_shown(values[i, j]), f"{a}|{b}|{stage}" if stage else "") for j, b in enumerate(names))) for i, a in enumerate(of))
    return Matrix(title, unit, names, rows)


def _shown(value: complex) -> str:
    """A figure with four digits behind the point, which is what lines are known to."""
    if abs(value.imag) < 5e-5 * max(abs(value.real), 1e-3):
        return f"{value.real:.4f}".replace("-", MINUS)
    sign = MINUS if value.imag < 0 else "+"
    return f"{value.real:.4f}".replace("-", MINUS) + f" {sign} j{abs(value.imag):.4f}"
