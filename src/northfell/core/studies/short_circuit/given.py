"""What a school of short-circuit calculation puts into the networks of one case. Solving takes it from here and knows no school."""

from dataclasses import dataclass, field, replace

import numpy as np

from northfell.core.model.elements import Element, Inverter
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.sequences import Paths, Wires, wires_of
from northfell.core.network.topology import Ints


@dataclass(frozen=True)
class Sources:
    """Feeders, machines and motors, each behind an impedance to the source point of the sequence. Per unit; infinite where it brings nothing."""

    elements: tuple[Element, ...]
    bus: Ints
    z: Complexes  # positive sequence
    z2: Complexes  # negative sequence
    z_peak: Complexes  # positive sequence, where the peak is found with other resistances
    balanced_only: np.ndarray  # (source,) takes part in three-phase faults alone

    def paths(self, net: Compiled, z: Complexes) -> Paths:
        """As paths of a network, with some of their impedances."""
        return Paths(tuple(e.id for e in self.elements), np.zeros(len(self.bus), np.intp), self.bus, net.topology.node_of_bus[self.bus], z)


@dataclass(frozen=True)
class Converters:
    """Units behind a full converter: current sources, at the angle at which they add most. Per unit, by sequence."""

    elements: tuple[Inverter, ...]
    bus: Ints
    i1: Floats
    i2: Floats


@dataclass(frozen=True)
class Factors:
    """What the school multiplies the impedances of transformers by."""

    branch: Floats  # (branch,) 1 where there is none
    windings: tuple[tuple[float, float, float], ...]  # by pair AB, AC, BC of each three-winding transformer

    def of(self, row: int) -> float:
        return float(self.branch[row])


@dataclass(frozen=True)
class Inside:
    """Buses inside a power station unit, at which other factors hold, with the driving voltage there."""

    buses: Ints
    e_pu: Floats
    factors: Factors
    sources: Sources


@dataclass(frozen=True)
class Given:
    """One case, maximum or minimum, of one school at one instant."""

    case: str
    e_pu: Floats  # (bus,) driving voltage at a fault, of the nominal voltage
    factors: Factors
    sources: Sources
    converters: Converters
    hot: bool  # conductors at the end of the fault
    inside: tuple[Inside, ...] = ()
    told: tuple[str, ...] = ()  # what was recognised or taken

    def at(self, inside: Inside) -> "Given":
        """The same as it stands for buses inside a unit."""
        return replace(self, e_pu=inside.e_pu, factors=inside.factors, sources=inside.sources, inside=())


@dataclass(frozen=True)
class Nodes:
    """Nodes of the sequence networks: those of the topology, then a star point for each three-winding transformer."""

    n: int
    alive: np.ndarray = field(repr=False)

    @classmethod
    def of(cls, net: Compiled) -> "Nodes":
        nodes, fed = net.topology.node_of_bus, net.topology.fed_node
        stars = [bool(fed[nodes[net.branches.from_bus[w.rows[0]]]]) for w in net.windings]
        return cls(net.topology.n_nodes + len(stars), np.concatenate([fed, np.array(stars, bool)]))


def star_ratios(net: Compiled, w: int) -> tuple[complex, complex, complex]:
    """Ratios at the terminals of a three-winding transformer toward its star point: rated over nominal voltage, with the phase shift."""
    rows, scale = net.windings[w].rows, net.windings[w].scale
    main = net.branches.ratio_main[list(rows)]
    mv, lv = np.sqrt(scale[0]), np.sqrt(scale[1])
    return complex(abs(main[0]) * mv), complex(mv * np.exp(-1j * np.angle(main[0]))), complex(lv * np.exp(-1j * np.angle(main[1])))


def star_legs(pairs: tuple[complex, complex, complex], k: tuple[float, float, float]) -> tuple[complex, complex, complex]:
    r"""Legs of the star of a three-winding transformer, from its pairs with their factors.

    .. math:: Z_A = \tfrac12 (K_{AB} Z_{AB} + K_{AC} Z_{AC} - K_{BC} Z_{BC})

    and so on; a leg may be negative. One of nothing at all is given a billionth of the pairs, so that it can stand in a matrix.

    Source
    ------
    IEC 60909-0:2016, three-winding transformers.
    """
    ab, ac, bc = (k_i * z for k_i, z in zip(k, pairs, strict=True))
    least = 1e-9 * max(abs(ab), abs(ac), abs(bc))
    legs = [(ab + ac - bc) / 2, (ab + bc - ac) / 2, (ac + bc - ab) / 2]
    a, b, c = (leg if abs(leg) > least else complex(0.0, least) for leg in legs)
    return a, b, c


def positive_wires(net: Compiled, factors: Factors, hot: bool) -> Wires:
    """The series elements of the positive sequence: branches between their buses, three-winding transformers as stars."""
    b, nodes = net.branches, net.topology.node_of_bus
    plain = np.ones(len(b.ids), bool)
    for w in net.windings:
        plain[list(w.rows)] = False
    rows = np.flatnonzero(plain)
    ends = np.stack([b.from_bus, b.to_bus], axis=1)[rows]
    z = np.asarray(((b.r_hot if hot else b.r_cold) + 1j * b.x) * factors.branch, complex)
    direct = Wires(tuple(b.ids[r] for r in rows), b.terminals.reshape(-1, 2)[rows], ends, nodes[ends], z[rows], b.ratio_main[rows])
    made = []
    for k, w in enumerate(net.windings):
        ab, ac, _ = w.rows
        buses = (int(b.from_bus[ab]), int(b.to_bus[ab]), int(b.to_bus[ac]))
        legs = star_legs(w.pairs, factors.windings[k])
        made += [
            (b.ids[ab], t, -1, bus, -1, int(nodes[bus]), net.topology.n_nodes + k, leg, ratio)
            for t, (bus, leg, ratio) in enumerate(zip(buses, legs, star_ratios(net, k), strict=True))
        ]
    return joined(direct, wires_of(made))


def joined(a: Wires, b: Wires) -> Wires:
    """Two lots of wires as one."""
    if not len(b.z):
        return a
    terminals, buses, nodes = (np.concatenate(p).astype(np.intp) for p in ((a.terminals, b.terminals), (a.buses, b.buses), (a.nodes, b.nodes)))
    return Wires(a.ids + b.ids, terminals, buses, nodes, np.concatenate([a.z, b.z]), np.concatenate([a.ratio, b.ratio]))
