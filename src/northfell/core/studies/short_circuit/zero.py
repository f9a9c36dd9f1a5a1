"""The zero sequence: which windings let earth current in, through what it returns, and what is not known of it.

A part of the network of which something is not known gives no earth-fault currents, and says why; the others do.
"""

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import cast

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import (  # fmt: skip
    Conductor,
    EarthingTransformer,
    Element,
    EquivalentBranch,
    Infeed,
    SeriesReactor,
    SynchronousGenerator,
    ThreeWindingTransformer,
    Transformer,
    Trunking,
)
from northfell.core.model.elements.branches import VECTOR_GROUP
from northfell.core.model.elements.three_winding import THREE_WINDING_GROUP
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.network.compile import Floats, numbers
from northfell.core.network.sequences import INSIDE, LOOSE, Paths, SequenceNetwork, Wires, paths_of, sequence_network, wires_of
from northfell.core.network.topology import Ints
from northfell.core.studies.short_circuit.given import Given, Nodes, joined, star_legs, star_ratios

WITH_PATHS = (Transformer, ThreeWindingTransformer, EarthingTransformer, SeriesReactor, EquivalentBranch)
OPEN = complex(math.inf, 0.0)
MAGNETISING_PU = {"three-limb": 0.6, "five-limb or shell": 30.0, "three single-phase": 30.0}  # of the rating; unverified
REVERSED = (2, 6, 10)  # clock numbers whose low side has the zero sequence the other way round


@dataclass
class _Part:
    """What is gathered while the elements are gone through."""

    net: Compiled
    given: Given
    n: int
    wires: list[tuple[str, int, int, int, int, int, int, complex, complex]] = field(default_factory=list)
    paths: list[tuple[str, int, int, int, complex]] = field(default_factory=list)
    lacking: list[tuple[int, str]] = field(default_factory=list)  # node, what is not known
    uncharged: list[tuple[int, str]] = field(default_factory=list)  # node, a capacitance that is not known
    solid: set[int] = field(default_factory=set)  # nodes at which a star point is earthed solidly, or the public network is

    def bus(self, e: Element, terminal: int) -> int:
        return self.net.topology.bus_index[e.buses[terminal]]

    def node(self, bus: int) -> int:
        return int(self.net.topology.node_of_bus[bus])

    def z_base(self, bus: int) -> float:
        return float(self.net.v_nominal_kv[bus] ** 2 / self.net.s_base_mva)

    def asks(self, e: Element, field_: str, *buses: int) -> None:
        """Note that a field is not known where these buses hang together by it."""
        p = parameter(type(e), field_)
        accepted = p.accepted.removesuffix(" (or empty)") if p else "a value"
        self.lacking += [(self.node(bus), f"{title_of(e)}: {field_} is empty, accepted is {accepted}.") for bus in buses]

    def path(self, e: Element, terminal: int, z: complex) -> None:
        bus = self.bus(e, terminal)
        self.paths.append((e.id, terminal, bus, self.node(bus), z))

    def neutral(self, e: Element, terminal: int, side: str, count: int = 1) -> complex | None:
        """3·ZN at a star point [p.u.], infinite where it is isolated; None, and noted, where it is not known."""
        bus = self.bus(e, terminal)
        how, ohm = getattr(e, f"neutral{side}"), getattr(e, f"neutral{side}_ohm")
        if how is None or (how in ("resistor", "reactor", "resonant") and ohm is None):
            self.asks(e, f"neutral{side}" if how is None else f"neutral{side}_ohm", bus)
            return None
        if how == "isolated":
            return OPEN
        if how == "solid":
            self.solid.add(self.node(bus))
            return 0j
        return complex(3 * (ohm if how == "resistor" else 1j * ohm) / self.z_base(bus) / count)


@dataclass(frozen=True)
class ZeroSequence:
    """The zero sequence, factorised, with what is not known of its parts."""

    network: SequenceNetwork
    part_of_node: Ints  # (node,)
    reasons: dict[int, tuple[str, ...]]  # by part: what keeps earth faults there from being computed
    isolated: frozenset[int]  # parts that no star point ties to earth
    charged: frozenset[int]  # parts in which capacitances to earth carry the current, or a part of it

    @cached_property
    def loose(self) -> np.ndarray:
        """Nodes (node,) of parts that nothing ties to earth."""
        return np.isin(self.part_of_node, list(self.isolated - self.charged))

    def lacking_at(self, node: int) -> tuple[str, ...]:
        return self.reasons.get(int(self.part_of_node[node]), ())


@dataclass(frozen=True)
class Conductors:
    """Cables, lines and trunking that are fed, as columns: the same in every case."""

    elements: tuple[Conductor, ...]
    ids: tuple[str, ...]
    rows: Ints  # among the branches
    r0: Floats  # ohm per km; nan where not given
    x0: Floats
    c0: Floats  # µF per km; nan where not given, 0 of trunking
    km: Floats
    parallel: Floats

    @classmethod
    def of(cls, net: Compiled) -> "Conductors":
        b, nodes, fed = net.branches, net.topology.node_of_bus, net.topology.fed_node
        alive = (fed[nodes[b.from_bus]] if len(b.ids) else np.zeros(0, bool)).tolist()
        all_of_them = [net.elements[i] for i in b.ids]
        conducts = of_types(all_of_them, Conductor)
        rows = [k for k, there in enumerate(alive) if there and conducts[k]]
        those = tuple(cast(Conductor, all_of_them[k]) for k in rows)
        c0 = numbers(those, "c0_uf_per_km")
        none = np.array(of_types(those, Trunking), bool)
        return cls(
            those, tuple(e.id for e in those), np.array(rows, np.intp),
            numbers(those, "r0_ohm_per_km"), numbers(those, "x0_ohm_per_km"), np.where(none & np.isnan(c0), 0.0, c0),
            numbers(those, "length_m") / 1000, numbers(those, "parallel"),
        )  # fmt: skip


def of_types(elements: Sequence[Element], *wanted: type[Element]) -> list[bool]:
    """Which elements are of some types; each type that occurs is asked once, as thousands of elements are of few."""
    found = {t: issubclass(t, wanted) for t in set(map(type, elements))}
    return [found[type(e)] for e in elements]


def with_paths(net: Compiled) -> list[Element]:
    """What carries the zero sequence otherwise than a conductor does, where it is fed: the same in every case."""
    elements = net.terminals.elements
    those = [e for e, there in zip(elements, of_types(elements, *WITH_PATHS), strict=True) if there]
    return [e for e in those if any(net.topology.fed_bus(net.topology.bus_index[b]) for b in e.buses)]


def zero_sequence(net: Compiled, given: Given, conductors: Conductors, others: Sequence[Element]) -> ZeroSequence:
    """The zero sequence of a network in one case, of its conductors and of what else carries it.

    Source
    ------
    IEC 60909-0:2016, zero-sequence impedances; vector groups by IEC 60076-1.
    """
    nodes = Nodes.of(net)
    part = _Part(net, given, nodes.n)
    rows = {b: i for i, b in enumerate(net.branches.ids)}
    star = {net.branches.ids[w.rows[0]]: k for k, w in enumerate(net.windings)}
    for e in others:
        if isinstance(e, Transformer):
            _two_windings(part, e, rows[e.id])
        elif isinstance(e, ThreeWindingTransformer):
            _three_windings(part, e, star[e.id])
        elif isinstance(e, EarthingTransformer):
            _earthing(part, e)
        elif isinstance(e, (SeriesReactor, EquivalentBranch)):
            _in_line(part, e, rows[e.id])
    _sources(part)
    return _factorised(part, nodes, *_conductors(part, conductors))


def _factorised(part: _Part, nodes: Nodes, of_conductors: Wires, charging: Paths) -> ZeroSequence:
    n = part.n
    wires = joined(of_conductors, wires_of(part.wires))
    _, of_node = connected_components(coo_array((np.ones(len(wires.z)), (wires.nodes[:, 0], wires.nodes[:, 1])), shape=(n, n)), directed=False)
    tied = {int(of_node[node]) for _, _, _, node, z in part.paths if np.isfinite(z)}
    solid = {int(of_node[node]) for node in part.solid if int(of_node[node]) in tied}
    charging = charging.where(~np.isin(of_node[charging.nodes], list(solid)))
    reasons: dict[int, list[str]] = defaultdict(list)
    for node, told in part.lacking:
        reasons[int(of_node[node])].append(told)
    for node, told in part.uncharged:
        if int(of_node[node]) not in solid:
            reasons[int(of_node[node])].append(told)
    charged = {int(p) for p in np.unique(of_node[charging.nodes])}
    alive = np.concatenate([nodes.alive, np.ones(n - len(nodes.alive), bool)])
    parts = set(np.unique(of_node[alive]).tolist())
    first = {int(p): int(k) for k, p in reversed(list(enumerate(of_node.tolist()))) if alive[k]} if parts - tied - charged else {}
    loose = [first[p] for p in sorted(parts - tied - charged)]
    paths = paths_of([*part.paths, *(("", INSIDE, INSIDE, node, 1 / LOOSE) for node in loose)]).with_more(charging)
    network = sequence_network(n, wires, paths, alive)
    found = {p: tuple(dict.fromkeys(told)) for p, told in reasons.items()}
    return ZeroSequence(network, of_node.astype(np.intp), found, frozenset(parts - tied), frozenset(charged))


def _conductors(part: _Part, c: Conductors) -> tuple[Wires, Paths]:
    """Their series elements, and their capacitances to earth, half at each end."""
    net, b, rows = part.net, part.net.branches, c.rows
    ends = np.stack([b.from_bus, b.to_bus], axis=1)[rows]
    nodes = net.topology.node_of_bus[ends]
    base = net.v_nominal_kv[ends[:, 0]] ** 2 / net.s_base_mva
    with np.errstate(invalid="ignore", divide="ignore"):
        heat = np.where(b.r_cold[rows] > 0, b.r_hot[rows] / b.r_cold[rows], 1.0) if part.given.hot else np.ones(len(rows))
    z = (c.r0 * heat + 1j * c.x0) * c.km / c.parallel / base
    unknown = np.isnan(c.r0) | np.isnan(c.x0)
    z = np.where(unknown, b.r_cold[rows] + 1j * b.x[rows], np.where(z == 0, 1e-9j, z))
    for k in np.flatnonzero(unknown):
        part.asks(c.elements[k], "r0_ohm_per_km" if np.isnan(c.r0[k]) else "x0_ohm_per_km", *(int(e) for e in ends[k]))
    for k in np.flatnonzero(np.isnan(c.c0)):
        e = c.elements[k]
        p = parameter(type(e), "c0_uf_per_km")
        accepted = p.accepted.removesuffix(" (or empty)") if p else ""
        told = f"{title_of(e)}: c0_uf_per_km is empty, accepted is {accepted}; no star point here is earthed solidly."
        part.uncharged += [(int(node), told) for node in nodes[k]]
    terminals = np.tile(np.array([0, 1], np.intp), (len(rows), 1))
    wires = Wires(c.ids, terminals, ends, nodes, np.asarray(z, complex), np.ones(len(rows), complex))
    b0 = 2 * math.pi * net.frequency_hz * np.nan_to_num(c.c0) * 1e-6 * c.km * c.parallel * base
    charged = np.flatnonzero(b0)
    both = np.concatenate([charged, charged])
    side = np.repeat(np.array([0, 1], np.intp), len(charged))
    charging = Paths(tuple(np.array(c.ids, object)[both].tolist()), side, ends[both, side], nodes[both, side], np.asarray(2 / (1j * b0[both]), complex))
    return wires, charging


def _two_windings(part: _Part, e: Transformer, row: int) -> None:
    b = part.net.branches
    hv, lv = part.bus(e, 0), part.bus(e, 1)
    ratio = complex(abs(b.ratio_main[row]))
    group = VECTOR_GROUP.match(e.vector_group or "")
    if e.z0_over_z1 is None:
        part.asks(e, "z0_over_z1", hv, lv)
        return
    z0 = complex(b.r_cold[row], b.x[row]) * part.given.factors.of(row) * e.z0_over_z1  # at the low side
    if group is None:
        _auto(part, e, z0, ratio)
        return
    high, low, clock = group[1], group[2], int(group[3])
    zn_hv = part.neutral(e, 0, "_hv", e.parallel) if high.endswith("N") else OPEN
    zn_lv = part.neutral(e, 1, "_lv", e.parallel) if low.endswith("n") else OPEN
    if zn_hv is None or zn_lv is None:
        return
    t2 = abs(ratio) ** 2
    if low.startswith("z"):  # a zig-zag winding balances itself; the other side sees the core alone
        part.path(e, 1, z0 + zn_lv)
        _through_core(part, e, row, 0, z0, zn_hv, t2, has_delta=high == "D")
    elif high.startswith("Z"):
        part.path(e, 0, z0 * t2 + zn_hv)
        _through_core(part, e, row, 1, z0, zn_lv, t2, has_delta=low == "d")
    elif low == "d":
        part.path(e, 0, z0 * t2 + zn_hv)
    elif high == "D":
        part.path(e, 1, z0 + zn_lv)
    elif np.isfinite(zn_hv) and np.isfinite(zn_lv):
        core = _core(part, e, row, hv, lv)
        if core is not None:
            star = part.n
            part.n += 1
            sign = -1.0 if clock in REVERSED else 1.0
            part.wires.append((e.id, 0, INSIDE, hv, INSIDE, part.node(hv), star, z0 / 2 + zn_hv / t2, sign * ratio))
            part.wires.append((e.id, 1, INSIDE, lv, INSIDE, part.node(lv), star, z0 / 2 + zn_lv, 1.0))
            part.paths.append((e.id, INSIDE, INSIDE, star, core))
    else:
        _through_core(part, e, row, 0, z0, zn_hv, t2, has_delta=False)
        _through_core(part, e, row, 1, z0, zn_lv, t2, has_delta=False)


def _through_core(part: _Part, e: Transformer, row: int, terminal: int, z0: complex, zn: complex, t2: float, has_delta: bool) -> None:
    """A winding with an earthed star point whose ampere-turns nothing balances: what flows magnetises the core; with a delta, that balances it."""
    if not np.isfinite(zn):
        return
    bus = part.bus(e, terminal)
    referred = t2 if terminal == 0 else 1.0
    if has_delta:
        part.path(e, terminal, z0 * referred + zn)
        return
    core = _core(part, e, row, bus)
    if core is not None:
        part.path(e, terminal, (z0 / 2 + core) * referred + zn)


def _core(part: _Part, e: Transformer, row: int, *buses: int) -> complex | None:
    """Magnetising impedance of the zero sequence at the low side [p.u.]; None, and noted, where the core is not known."""
    if e.core is None:
        part.asks(e, "core", *buses)
        return None
    b = part.net.branches
    of_rating = float(b.x[row] / b.x_rated[row]) if b.x_rated[row] else math.nan  # one per unit of the rating, at the low side on the power base
    return complex(0.0, MAGNETISING_PU[e.core] * of_rating)


def _auto(part: _Part, e: Transformer, z0: complex, ratio: complex) -> None:
    r"""A transformer with a common winding: its ampere-turns fix what passes, and the star point carries the rest.

    With n the ratio, :math:`V_H - n V_L = 3 Z_N (n-1)^2 I_H` beside its leakage; with an isolated star point nothing passes.
    """
    if e.vector_group is None:
        part.asks(e, "vector_group", part.bus(e, 0), part.bus(e, 1))
        return
    if "N" not in e.vector_group:
        return
    side = "_lv" if e.neutral_lv is not None else "_hv"
    zn = part.neutral(e, 1 if side == "_lv" else 0, side, e.parallel)
    if zn is None or not np.isfinite(zn):
        return
    hv, lv = part.bus(e, 0), part.bus(e, 1)
    n = (e.v_hv_kv or math.nan) / (e.v_lv_kv or math.nan)
    at_high = zn * part.z_base(lv if side == "_lv" else hv) / part.z_base(hv)
    part.wires.append((e.id, 0, 1, hv, lv, part.node(hv), part.node(lv), z0 + at_high * (n - 1) ** 2 / abs(ratio) ** 2, ratio))
    if at_high == 0:
        part.solid |= {part.node(hv), part.node(lv)}


def _three_windings(part: _Part, e: ThreeWindingTransformer, k: int) -> None:
    group = THREE_WINDING_GROUP.match(e.vector_group or "")
    buses = [part.bus(e, t) for t in range(3)]
    if group is None:
        part.asks(e, "vector_group", *buses)
        return
    star = part.net.topology.n_nodes + k
    w = part.net.windings[k]
    legs = star_legs(zero_pairs(e, w.pairs), part.given.factors.windings[k])
    clocks = (0, *e.clocks)
    kinds = (group[1], group[2].upper(), group[4].upper())
    if "D" not in kinds:
        told = f"{title_of(e)}: without a winding in delta its zero sequence is not computed; accepted is a vector group with one."
        part.lacking += [(part.node(bus), told) for bus in buses]
        return
    for t, (side, kind, bus, leg, ratio) in enumerate(zip(("_hv", "_mv", "_lv"), kinds, buses, legs, star_ratios(part.net, k), strict=True)):
        if kind == "D":
            part.paths.append((e.id, INSIDE, INSIDE, star, leg))
            continue
        zn = part.neutral(e, t, side) if kind.endswith("N") else OPEN
        if zn is None or not np.isfinite(zn):
            continue
        sign = -1.0 if clocks[t] in REVERSED else 1.0
        part.wires.append((e.id, t, INSIDE, bus, INSIDE, part.node(bus), star, leg + zn / abs(ratio) ** 2, sign * abs(ratio)))


def zero_pairs(e: ThreeWindingTransformer, pairs: tuple[complex, complex, complex]) -> tuple[complex, complex, complex]:
    """Impedances of the pairs in the zero sequence: as given, else those of the positive one."""
    found = []
    for name, z in zip(("hv_mv", "hv_lv", "mv_lv"), pairs, strict=True):
        uk, ur = getattr(e, f"uk_{name}_pct"), getattr(e, f"ur_{name}_pct")
        uk0, ur0 = getattr(e, f"uk0_{name}_pct"), getattr(e, f"ur0_{name}_pct")
        u, r = (uk if uk0 is None else uk0), (ur if ur0 is None else ur0)
        base = abs(z) / (uk / 100)  # one per unit of the pair's power
        found.append(complex(min(r, u), math.sqrt(max(u**2 - r**2, 0.0))) / 100 * base)
    return found[0], found[1], found[2]


def _in_line(part: _Part, e: SeriesReactor | EquivalentBranch, row: int) -> None:
    b = part.net.branches
    at = part.bus(e, 0), part.bus(e, 1)
    z, ratio = complex(b.r_cold[row], b.x[row]), complex(abs(b.ratio_main[row]))
    if isinstance(e, EquivalentBranch):
        if e.r0_pu is None or e.x0_pu is None:
            part.asks(e, "r0_pu" if e.r0_pu is None else "x0_pu", *at)
        else:
            z = complex(e.r0_pu, e.x0_pu) * part.net.s_base_mva / e.s_base_mva or 1e-9j
    part.wires.append((e.id, 0, 1, *at, part.node(at[0]), part.node(at[1]), z, ratio))


def _earthing(part: _Part, e: EarthingTransformer) -> None:
    if e.z0_ohm is None:
        part.asks(e, "z0_ohm", part.bus(e, 0))
        return
    zn = part.neutral(e, 0, "")
    if zn is not None:
        part.path(e, 0, 1j * e.z0_ohm / part.z_base(part.bus(e, 0)) + zn)


def _sources(part: _Part) -> None:
    sources = part.given.sources
    for e, z in zip(sources.elements, sources.z.tolist(), strict=True):
        if isinstance(e, Infeed):
            _infeed(part, e, z)
        elif isinstance(e, SynchronousGenerator):
            zn = part.neutral(e, 0, "")
            if zn is not None and np.isfinite(zn):
                if e.x0_pct is None:
                    part.asks(e, "x0_pct", part.bus(e, 0))
                else:
                    part.path(e, 0, complex(z.real, z.imag * e.x0_pct / (e.xd2_pct or math.nan)) + zn)


def _infeed(part: _Part, e: Infeed, z: complex) -> None:
    if e.neutral == "isolated":
        return
    empty = next((f for f in ("neutral", "x0_over_x1", "r0_over_x0") if getattr(e, f) is None), None)
    if empty:
        part.asks(e, empty, part.bus(e, 0))
        return
    x0 = (e.x0_over_x1 or 0.0) * z.imag
    part.path(e, 0, complex((e.r0_over_x0 or 0.0) * x0, x0) or 1e-9j)
    part.solid.add(part.node(part.bus(e, 0)))
