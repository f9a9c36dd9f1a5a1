"""A line whose neutral is earthed along its way: pieces of line and electrodes one after another, as one admittance between its ends."""

from collections.abc import Sequence

import numpy as np

from northfell.core.network.phases.parts import Complexes

AT_AN_END = 1e-9  # of the length: nearer to an end an electrode stands at it


def earthed_along(z_ohm_per_km: Complexes, y_s_per_km: Complexes, from_km: float, to_km: float, at_km: Sequence[float], earth_s: Complexes) -> Complexes:
    """Admittance between the ends of a piece of a line along which electrodes stand at equal distances.

    Parameters
    ----------
    z_ohm_per_km, y_s_per_km
        (conductors, conductors) series impedance and shunt admittance.
    from_km, to_km
        Where the piece begins and ends.
    at_km
        Where the electrodes stand within it, ascending.
    earth_s
        (conductors, conductors) one electrode, at its neutral.

    Returns
    -------
    (2·conductors, 2·conductors), near end then far end. What lies between is eliminated, piece by piece: nothing is approximated but the piece as a π.
    """

    def piece(km: float) -> Complexes:
        yi, half = np.linalg.inv(z_ohm_per_km * km), y_s_per_km * km / 2
        return np.asarray(np.block([[yi + half, -yi], [-yi, yi + half]]))

    if not at_km:
        return piece(to_km - from_km)
    n, length = len(z_ohm_per_km), to_km - from_km
    lead, tail = at_km[0] - from_km, to_km - at_km[-1]
    if lead < AT_AN_END * length or tail < AT_AN_END * length:  # one at an end stands beside the rest
        first = lead < AT_AN_END * length
        rest = np.array(earthed_along(z_ohm_per_km, y_s_per_km, from_km, to_km, at_km[1:] if first else at_km[:-1], earth_s))
        at = slice(0, n) if first else slice(n, 2 * n)
        rest[at, at] += earth_s
        return rest

    def with_electrode(km: float) -> Complexes:
        made = piece(km)
        made[:n, :n] += earth_s
        return made

    made = in_line(piece(lead), with_electrode(tail))
    if len(at_km) > 1:
        between = repeated(with_electrode(at_km[1] - at_km[0]), len(at_km) - 1)
        made = in_line(in_line(piece(lead), between), with_electrode(tail))
    return made


def in_line(first: Complexes, second: Complexes) -> Complexes:
    """Two pieces one after another, the place between them eliminated."""
    n = len(first) // 2
    a11, a12, a21, a22 = first[:n, :n], first[:n, n:], first[n:, :n], first[n:, n:]
    b11, b12, b21, b22 = second[:n, :n], second[:n, n:], second[n:, :n], second[n:, n:]
    middle = np.linalg.inv(a22 + b11)
    return np.asarray(np.block([[a11 - a12 @ middle @ a21, -a12 @ middle @ b12], [-b21 @ middle @ a21, b22 - b21 @ middle @ b12]]))


def repeated(one: Complexes, times: int) -> Complexes:
    """A piece so many times after itself, by doubling."""
    made: Complexes | None = None
    while times:
        if times & 1:
            made = one if made is None else in_line(made, one)
        times >>= 1
        one = in_line(one, one) if times else one
    assert made is not None
    return made


def electrodes_at(length_km: float, every_km: float) -> list[float]:
    """Where electrodes stand along a line: as many as the distance gives, the outermost half of it from the ends."""
    count = round(length_km / every_km)
    return [(k + 0.5) * length_km / count for k in range(count)]
