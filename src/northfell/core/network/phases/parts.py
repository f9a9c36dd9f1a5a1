"""Primitive admittances over the conductors that an element joins. Earth is the reference and no node: places that are earth hold -1."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Complexes = NDArray[np.complex128]
Ints = NDArray[np.intp]
EARTH = -1


@dataclass(frozen=True)
class Primitive:
    """I = Y·V of one element: currents into it at its places."""

    element: str
    nodes: Ints  # (places,), EARTH where a place is earth
    y_s: Complexes  # (places, places)
    side: Ints  # (places,) number of the terminal of each place
    metal: Ints  # (pairs, 2) places that are joined by metal: the ends of a conductor, or of a winding
    coupled: Ints  # (pairs, 2) places of which one feeds the other though no metal joins them: windings of a pair


NO_PAIRS = np.zeros((0, 2), np.intp)
Pairs = Sequence[tuple[int, int]]


def primitive(element: str, nodes: Sequence[int], y_s: Complexes, side: Sequence[int], metal: Pairs = (), coupled: Pairs = ()) -> Primitive:
    """From plain sequences."""
    pairs = [np.asarray(one, np.intp).reshape(-1, 2) if len(one) else NO_PAIRS for one in (metal, coupled)]
    return Primitive(element, np.asarray(nodes, np.intp), np.asarray(y_s, complex), np.asarray(side, np.intp), pairs[0], pairs[1])


def line(element: str, near: Sequence[int], far: Sequence[int], z_ohm: Complexes, y_shunt_s: Complexes | None = None) -> Primitive:
    """A line: [[Z⁻¹ + Ys/2, −Z⁻¹], [−Z⁻¹, Z⁻¹ + Ys/2]] of its whole length.

    Parameters
    ----------
    near, far
        Nodes of its conductors at both ends, in the order of the matrices.
    z_ohm, y_shunt_s
        Series impedance and shunt admittance of the whole line (conductors, conductors).
    """
    yi = np.linalg.inv(np.asarray(z_ohm, complex))
    half = np.zeros_like(yi) if y_shunt_s is None else np.asarray(y_shunt_s, complex) / 2
    return through(element, near, far, np.block([[yi + half, -yi], [-yi, yi + half]]))


def through(element: str, near: Sequence[int], far: Sequence[int], y_s: Complexes) -> Primitive:
    """What joins conductors at one end to as many at the other."""
    n = len(near)
    return primitive(element, [*near, *far], y_s, [0] * n + [1] * n, [(k, n + k) for k in range(n)])


def from_sequences(z1: complex, z0: complex) -> Complexes:
    """The matrix of a transposed line, or of anything alike in all phases: (Z0 + 2Z1)/3 on the diagonal, (Z0 − Z1)/3 beside it."""
    return np.asarray(np.full((3, 3), (z0 - z1) / 3) + np.eye(3) * z1)


# --- transformers as pairs of windings

Ends = tuple[str, str, str, str]  # high side from and to, low side from and to: conductors, "N" and "n" the star points
LIMB = {
    ("Y", "y", 0): ("A", "N", "a", "n"), ("Y", "y", 6): ("A", "N", "n", "a"), ("D", "d", 0): ("A", "B", "a", "b"), ("D", "d", 6): ("A", "B", "b", "a"),
    ("D", "y", 1): ("A", "C", "a", "n"), ("D", "y", 11): ("A", "B", "a", "n"), ("D", "y", 5): ("A", "B", "n", "a"), ("D", "y", 7): ("A", "C", "n", "a"),
    ("Y", "d", 1): ("A", "N", "a", "b"), ("Y", "d", 11): ("A", "N", "a", "c"), ("Y", "d", 5): ("A", "N", "c", "a"), ("Y", "d", 7): ("A", "N", "b", "a"),
}  # fmt: skip
NEXT = str.maketrans("ABCabc", "BCAbca")
BACK = str.maketrans("abc", "bca")  # names of the low side moved on by one: the clock falls by four hours
GROUP = re.compile(r"^(D|YN?)(d|yn?)(\d+)$")


def pairs_of(vector_group: str) -> tuple[Ends, ...] | None:
    """The winding pairs of a vector group: each secondary in phase with its primary; None of what is not made of stars and deltas of equal parity."""
    found = GROUP.match(vector_group)
    if not found:
        return None
    high, low, hour = found[1][0], found[2][0], int(found[3]) % 12
    for moved in range(3):
        limb = LIMB.get((high, low, (hour + 4 * moved) % 12))
        if limb is not None:
            ends = [limb]
            for _ in range(2):
                ends.append(tuple(e.translate(NEXT) for e in ends[-1]))  # type: ignore[arg-type]
            for _ in range(moved):
                ends = [(h1, h2, l1.translate(BACK), l2.translate(BACK)) for h1, h2, l1, l2 in ends]
            return tuple(ends)
    return None


@dataclass(frozen=True)
class Pair:
    """One pair of coupled windings between nodes, high side then low side."""

    nodes: tuple[int, int, int, int]
    v_high_v: float  # rated voltage of the winding, with its tap
    v_low_v: float
    z_ohm: complex  # at the low side
    y_magnetising_s: complex = 0j  # as at the low winding; half stands at each


def bank(element: str, pairs: Sequence[Pair], terminal: int | None = None, zero_s: Complexes | None = None) -> Primitive:
    """A transformer, or a bank of units, as its pairs: Bᵀ·(1/z)·[[1/n², −1/n], [−1/n, 1]]·B, n = Vhigh/Vlow.

    Parameters
    ----------
    pairs
        In the order of their limbs.
    terminal
        With one given, the high windings are those of that terminal, and the low ones stand at a point of its own.
    zero_s
        What three pairs on one core are to voltages that are equal on all limbs, (2, 2) between high and low winding as seen at the low one.
        None: each pair stands for itself, so that it is 1/z·[[1, −1], [−1, 1]].
    """
    b = np.array([[1, -1, 0, 0], [0, 0, 1, -1]], float)
    places = [n for pair in pairs for n in pair.nodes]
    turns = [np.array([pair.v_low_v / pair.v_high_v, 1.0]) for pair in pairs]
    limb = [np.array([[1, -1], [-1, 1]]) / pair.z_ohm + np.eye(2) * pair.y_magnetising_s / 2 for pair in pairs]
    shared = np.zeros((2, 2), complex)
    if zero_s is not None:
        shared = (zero_s - np.array([[1, -1], [-1, 1]]) / pairs[0].z_ohm) / len(pairs)
    y = np.zeros((len(places), len(places)), complex)
    for j, one in enumerate(turns):
        for k, other in enumerate(turns):
            own = (shared + limb[k] if j == k else shared) * np.outer(one, other)
            y[4 * j : 4 * j + 4, 4 * k : 4 * k + 4] = b.T @ own @ b
    starts = range(0, 4 * len(pairs), 4)
    metal = [(k + at, k + at + 1) for k in starts for at in (0, 2)]
    side = [0, 0, 1, 1] if terminal is None else [terminal] * 4
    return primitive(element, places, y, side * len(pairs), metal, [(k + a, k + b) for k in starts for a in (0, 1) for b in (2, 3)])


def limbs_of_zigzag(straight: str, hour: int) -> tuple[tuple[int, int], ...] | None:
    """From which limb to which the halves of each phase of a zigzag winding go, a first.

    Parameters
    ----------
    straight
        The other side, "Y" or "D": the voltage of its first limb is that of phase a, or from a to b.
    hour
        By how many hours the zigzag winding lags; None is returned of those that no two limbs give.
    """
    first = 0.0 if straight == "Y" else 30.0
    limb = np.exp(1j * np.radians(first + np.array([0.0, -120.0, 120.0])))
    for plus in range(3):
        for minus in range(3):
            if plus != minus and abs(np.exp(-1j * np.radians(30.0 * hour)) - (limb[plus] - limb[minus]) / np.sqrt(3)) < 1e-6:
                return tuple(((plus + k) % 3, (minus + k) % 3) for k in range(3))
    return None


def zigzag(
    element: str, straight: Sequence[tuple[int, int]], star: tuple[int, int, int, int], limbs: Sequence[tuple[int, int]], v_v: tuple[float, float],
    z_ohm: Complexes, y_straight_s: Complexes, terminals: tuple[int, int] = (0, 1),
) -> Primitive:  # fmt: skip
    r"""A transformer of which one side is in zigzag: each phase of that side has a half on two limbs, so that equal currents magnetise none.

    .. math:: I = Z^{-1}\,(e_i - e_j - (V - V_n)), \qquad e = \frac{V_r}{\sqrt3\,V_l}\,u

    Parameters
    ----------
    straight
        Nodes of the windings of the other side, from and to, limb by limb; u is the voltage across them.
    star
        Nodes a, b, c and star point of the zigzag side.
    limbs
        Of each of its phases the limbs i and j.
    v_v
        Rated voltage of a winding of the other side, Vl, and from a phase of the zigzag side to its star point, Vr.
    z_ohm
        (3, 3) at the zigzag side, with its zero sequence.
    y_straight_s
        (3, 3) of the core, across the windings of the other side.
    terminals
        Of the other side, and of the zigzag side.
    """
    ratio = v_v[1] / (np.sqrt(3) * v_v[0])
    across = np.zeros((3, 10))  # voltages across the straight windings
    fall = np.zeros((3, 10))  # what drives a current out of each phase
    for k in range(3):
        across[k, 2 * k], across[k, 2 * k + 1] = 1, -1
        fall[k, 6 + k], fall[k, 9] = -1, 1
    for k, (plus, minus) in enumerate(limbs):
        fall[k] += ratio * (across[plus] - across[minus])
    y = fall.T @ np.linalg.inv(z_ohm) @ fall + across.T @ y_straight_s @ across
    places = [n for pair in straight for n in pair] + list(star)
    metal = [(2 * k, 2 * k + 1) for k in range(3)] + [(6 + k, 9) for k in range(3)]
    coupled = [(2 * limb + at, 6 + k) for k, both in enumerate(limbs) for limb in both for at in (0, 1)]
    return primitive(element, places, y, [terminals[0]] * 6 + [terminals[1]] * 4, metal, coupled)


def centre_tapped(
    element: str,
    nodes: tuple[int, int, int, int, int],
    v_high_v: float,
    v_half_v: float,
    z_ohm: tuple[complex, complex, complex],
    y_magnetising_s: complex = 0j,
) -> Primitive:
    """A one-phase unit whose low winding has a centre tap: what leaves leg 1 and enters leg 2, by M·I = (Vp/nt)·(1, 1) − (V1 − Vn, Vn − V2).

    Parameters
    ----------
    nodes
        High winding from and to, leg 1, centre tap, leg 2.
    v_high_v, v_half_v
        Rated voltages of the high winding and of one half; nt is their ratio.
    z_ohm
        Z0 of the high winding, Z1 and Z2 of the halves, at the voltage of a half: M = [[Z0 + Z1, Z0], [Z0, Z0 + Z2]].
    y_magnetising_s
        Across the high winding.
    """
    z0, z1, z2 = z_ohm
    turns = v_half_v / v_high_v
    c = np.array([[turns, -turns, -1, 1, 0], [turns, -turns, 0, -1, 1]])
    y = c.T @ np.linalg.inv(np.array([[z0 + z1, z0], [z0, z0 + z2]])) @ c
    y[:2, :2] += y_magnetising_s * np.array([[1, -1], [-1, 1]])
    return primitive(element, nodes, y, [0, 0, 1, 1, 1], [(0, 1), (2, 3), (3, 4)], [(h, x) for h in (0, 1) for x in (2, 3, 4)])


def shunt(element: str, nodes: Sequence[int], y_s: Complexes) -> Primitive:
    """An admittance matrix from nodes to earth."""
    return primitive(element, nodes, y_s, [0] * len(nodes))


def between(element: str, ends: Sequence[tuple[int, int]], y_s: Sequence[complex]) -> Primitive:
    """Admittances between pairs of nodes, such as a capacitor by phase."""
    places = [n for pair in ends for n in pair]
    y = np.zeros((len(places), len(places)), complex)
    for k, one in enumerate(y_s):
        y[2 * k : 2 * k + 2, 2 * k : 2 * k + 2] = np.array([[one, -one], [-one, one]])
    return primitive(element, places, y, [0] * len(places), [(2 * k, 2 * k + 1) for k in range(len(y_s))])


STEP = 0.00625  # of a step-voltage regulator, 5/8 %


def regulator_ratio(tap: int, step: float = STEP) -> float:
    """Output over input voltage of a step-voltage regulator, the ideal ratio of published feeders: 1 + step·tap."""
    return 1 + step * tap
