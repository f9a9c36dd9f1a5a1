"""What line constants come to: matrices by pair of conductors, before and after elimination, and the sequences."""

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from northfell.core.errors import InputRefused
from northfell.core.model.line_data import Geometry
from northfell.core.network import Compiled
from northfell.core.network.lines import LineConstants
from northfell.core.network.lines.earth_return import Complexes, Floats
from northfell.core.studies.line_constants.settings import LineConstantsSettings
from northfell.core.tables import Cell, Table, build

KM, MILE = 1e3, 1609.344  # m
BEFORE, AFTER, TRANSPOSED = "before", "after", "transposed"
_Z = (
    ("state", "", "State"), ("geometry", "", "Geometry"), ("reduction", "", "Elimination"), ("row", "", "Row"), ("column", "", "Column"),
    ("r_ohm_per_km", "ohm/km", "R"), ("x_ohm_per_km", "ohm/km", "X"), ("r_ohm_per_mile", "ohm/mile", "R"), ("x_ohm_per_mile", "ohm/mile", "X"),
)  # fmt: skip
_Y = (
    ("state", "", "State"), ("geometry", "", "Geometry"), ("reduction", "", "Elimination"), ("row", "", "Row"), ("column", "", "Column"),
    ("g_us_per_km", "µS/km", "G"), ("b_us_per_km", "µS/km", "B"), ("b_us_per_mile", "µS/mile", "B"), ("c_nf_per_km", "nF/km", "C"),
    ("p_km_per_uf", "km/µF", "P"),
)  # fmt: skip
_SEQUENCE = (
    ("state", "", "State"), ("geometry", "", "Geometry"), ("circuit", "", "Circuit"), ("z1_ohm_per_km", "ohm/km", "Z1"), ("z2_ohm_per_km", "ohm/km", "Z2"),
    ("z0_ohm_per_km", "ohm/km", "Z0"), ("y1_us_per_km", "µS/km", "Y1"), ("y2_us_per_km", "µS/km", "Y2"), ("y0_us_per_km", "µS/km", "Y0"),
    ("c1_uf_per_km", "µF/km", "C1"), ("c0_uf_per_km", "µF/km", "C0"), ("z1_ohm_per_mile", "ohm/mile", "Z1"), ("z0_ohm_per_mile", "ohm/mile", "Z0"),
)  # fmt: skip
_COUPLING = (
    ("state", "", "State"), ("geometry", "", "Geometry"), ("row_circuit", "", "Circuit"), ("row", "", "Sequence"), ("column_circuit", "", "Of circuit"),
    ("column", "", "Of sequence"), ("r_ohm_per_km", "ohm/km", "R"), ("x_ohm_per_km", "ohm/km", "X"), ("b_us_per_km", "µS/km", "B"),
    ("g_us_per_km", "µS/km", "G"),
)  # fmt: skip
_PAIRS = (
    ("state", "", "State"), ("geometry", "", "Geometry"), ("row", "", "Row"), ("column", "", "Column"), ("d_m", "m", "D"), ("s_m", "m", "S"),
    ("theta_rad", "rad", "θ"), ("k", "", "k"), ("p", "", "P"), ("q", "", "Q"),
)  # fmt: skip
_SHARES = (
    ("state", "", "State"), ("geometry", "", "Geometry"), ("earthed", "", "Earthed"), ("conductor", "", "For one in"), ("re", "", "Re"), ("im", "", "Im"),
)  # fmt: skip
SEQUENCES = ("0", "1", "2")


@dataclass(frozen=True)
class ConstantsOf:
    """One geometry with its matrices."""

    name: str
    geometry: Geometry
    constants: LineConstants
    assumed: tuple[str, ...]

    @property
    def transposed(self) -> bool:
        return self.geometry.order == TRANSPOSED

    @cached_property
    def z_ohm_per_m(self) -> Complexes:
        """After elimination, and transposed where the line is."""
        z = self.constants.reduced_ohm_per_m
        return self.constants.transposed(z) if self.transposed else z

    @cached_property
    def c_f_per_m(self) -> Floats:
        """The same of the capacitance."""
        c = self.constants.reduced_c_f_per_m
        return np.asarray(self.constants.transposed(c).real) if self.transposed else c

    @property
    def circuit_names(self) -> tuple[str, ...]:
        """The ending of each three-phase circuit, "1" where it has none."""
        return tuple(self.constants.kept[a][1:] or "1" for a, _, _ in self.constants.circuits)

    def matrices(self) -> Iterator[tuple[str, tuple[str, ...], Complexes, Floats, Floats | None]]:
        """Each stage: its name, conductors, impedance [ohm/m], capacitance [F/m], and potential coefficients [m/F] of all conductors, where these have some."""
        one = self.constants
        yield BEFORE, one.names, one.z_ohm_per_m, one.c_f_per_m, _spread(one.potential_m_per_f, one.aerial_at, len(one.names))
        yield AFTER, one.kept, one.reduced_ohm_per_m, one.reduced_c_f_per_m, _inverse(one.reduced_c_f_per_m)
        if self.transposed:
            yield TRANSPOSED, one.kept, self.z_ohm_per_m, self.c_f_per_m, _inverse(self.c_f_per_m)


def _spread(potential: Floats, at: list[int], n: int) -> Floats:
    whole = np.full((n, n), math.nan)
    whole[np.ix_(at, at)] = potential
    return whole


def _inverse(c: Floats) -> Floats | None:
    """Potential coefficients of a capacitance; none where a conductor has no capacitance."""
    return None if (np.diag(c) <= 0).any() else np.asarray(np.linalg.inv(c))


@dataclass(frozen=True)
class LineConstantsResult:
    """The constants of all geometries of a project; of those that have none, why."""

    net: Compiled
    settings: LineConstantsSettings
    made: tuple[ConstantsOf, ...]
    refused: Mapping[str, tuple[InputRefused, ...]]

    @property
    def summary(self) -> Mapping[str, Any]:
        return {"geometries": len(self.made), "frequency_hz": self.settings.frequency_hz or self.net.frequency_hz, "earth": self.settings.earth}

    @property
    def messages(self) -> Iterable[str]:
        if not self.made and not self.refused:
            yield "There is no geometry among the catalogue entries of this network."
        for one in self.made:
            yield from (f"{one.name}: {told}, assumed." for told in one.assumed)
            if one.constants.method != "first terms" and any(c.y_m < 0 for c in one.constants.conductors):
                yield f"{one.name}: conductors in the ground are taken by the first terms."
            if any(c.y_m < 0 and not c.screened for c in one.constants.conductors):
                yield f"{one.name}: bare conductors in the ground have no capacitance."
        for refusals in self.refused.values():
            yield from map(str, refusals)

    def of(self, name: str) -> ConstantsOf | None:
        return next((one for one in self.made if one.name == name), None)

    def tables(self) -> list[Table]:
        return tables_of(self.made, self.net.state)


def tables_of(made: Iterable[ConstantsOf], state: str) -> list[Table]:
    """The tables of some geometries."""
    made = list(made)
    return [
        build("z_ohm_per_km", _Z, (row for one in made for row in _z_rows(one, state))),
        build("y_us_per_km", _Y, (row for one in made for row in _y_rows(one, state))),
        build("sequence", _SEQUENCE, (row for one in made for row in _sequence_rows(one, state))),
        build("coupling", _COUPLING, (row for one in made for row in _coupling_rows(one, state))),
        build("pairs", _PAIRS, (row for one in made for row in _pair_rows(one, state))),
        build("shares", _SHARES, (row for one in made for row in _share_rows(one, state))),
    ]


def _z_rows(one: ConstantsOf, state: str) -> Iterator[tuple[Cell, ...]]:
    for stage, names, z, _, _ in one.matrices():
        for i, a in enumerate(names):
            for j, b in enumerate(names):
                v = complex(z[i, j])
                yield state, one.name, stage, a, b, v.real * KM, v.imag * KM, v.real * MILE, v.imag * MILE


def _y_rows(one: ConstantsOf, state: str) -> Iterator[tuple[Cell, ...]]:
    w = 2 * math.pi * one.constants.f_hz
    for stage, names, _, c, potential in one.matrices():
        for i, a in enumerate(names):
            for j, b in enumerate(names):
                v, p = float(c[i, j]), math.nan if potential is None else float(potential[i, j])
                known = None if math.isnan(p) else p * 1e-9  # m/F -> km/µF
                yield state, one.name, stage, a, b, 0.0, w * v * KM * 1e6, w * v * MILE * 1e6, v * KM * 1e9, known


def _sequence_rows(one: ConstantsOf, state: str) -> Iterator[tuple[Cell, ...]]:
    if not one.circuit_names:
        return
    w = 2 * math.pi * one.constants.f_hz
    z, c = one.constants.in_sequences(one.z_ohm_per_m), one.constants.in_sequences(one.c_f_per_m)
    for n, name in enumerate(one.circuit_names):
        z0, z1, z2 = (complex(z[3 * n + k, 3 * n + k]) for k in range(3))
        c0, c1, c2 = (float(c[3 * n + k, 3 * n + k].real) for k in range(3))
        y1, y2, y0 = (complex(0, w * v * KM * 1e6) for v in (c1, c2, c0))
        yield (state, one.name, name, z1 * KM, z2 * KM, z0 * KM, y1, y2, y0, c1 * KM * 1e6, c0 * KM * 1e6, z1 * MILE, z0 * MILE)


def _coupling_rows(one: ConstantsOf, state: str) -> Iterator[tuple[Cell, ...]]:
    """Of all circuits and sequences with each other: what is off the diagonal is the coupling of lines that are not transposed, and of circuits."""
    names = one.circuit_names
    if not names:
        return
    w = 2 * math.pi * one.constants.f_hz
    z, c = one.constants.in_sequences(one.z_ohm_per_m), one.constants.in_sequences(one.c_f_per_m)
    for i in range(3 * len(names)):
        for j in range(3 * len(names)):
            v, y = complex(z[i, j]) * KM, 1j * w * complex(c[i, j]) * KM * 1e6
            yield state, one.name, names[i // 3], SEQUENCES[i % 3], names[j // 3], SEQUENCES[j % 3], v.real, v.imag, y.imag, y.real


def _pair_rows(one: ConstantsOf, state: str) -> Iterator[tuple[Cell, ...]]:
    c = one.constants
    for i, a in enumerate(c.names):
        for j, b in enumerate(c.names):
            yield (state, one.name, a, b, float(c.d_m[i, j]), float(c.s_m[i, j]), float(c.theta[i, j]), float(c.k[i, j]),
                   float(c.pq[i, j].real), float(c.pq[i, j].imag))  # fmt: skip


def _share_rows(one: ConstantsOf, state: str) -> Iterator[tuple[Cell, ...]]:
    c = one.constants
    for i, n in enumerate(c.earthed_at):
        for j, p in enumerate(c.kept_at):
            v = complex(c.shares[i, j])
            yield state, one.name, c.names[n], c.names[p], v.real, v.imag
