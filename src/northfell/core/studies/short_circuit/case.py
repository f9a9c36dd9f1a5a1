"""One case solved: the sequence networks that a school's impedances make, faults of every type at every bus, and what flows for some of them."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from northfell.core.model.elements import Element
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.selected import BLOCK, diagonal
from northfell.core.network.sequences import SequenceNetwork, Wires, as_phases, no_load_voltages, sequence_network
from northfell.core.network.topology import Ints
from northfell.core.studies.short_circuit import equations as eq
from northfell.core.studies.short_circuit.flowing import Flowing, Flows
from northfell.core.studies.short_circuit.given import Given, Nodes, positive_wires
from northfell.core.studies.short_circuit.settings import ShortCircuitSettings
from northfell.core.studies.short_circuit.zero import Conductors, ZeroSequence, with_paths, zero_sequence

FAULTS = ("3ph", "ll", "llg", "lg")
TO_EARTH = ("llg", "lg")
NEGATIVE_ADDS = {"3ph": 0.0, "lg": 1.0, "ll": -1.0, "llg": -1.0}  # with which sign a negative-sequence source adds to the current
FIRST_OF_EQUALS = np.array([1 + 2e-9, 1 + 1e-9, 1.0])  # of phases that carry the same, the first
PHASES, SEQUENCES = ("a", "b", "c"), ("1", "2", "0")


@dataclass(frozen=True)
class OfType:
    """Faults of one type at all buses; nan where there is no result."""

    sequences_pu: Complexes  # (bus, 3) currents of phase a by sequence 1, 2, 0
    raw_pu: Complexes  # the same, with what little flows through the admittance that stands for no tie to earth: it fixes the voltages
    ik_ka: Floats  # (bus,) of the phase that carries most
    i_earth_ka: Floats  # (bus,) |3·I0|
    angle_deg: Floats  # (bus,) of that phase, to the driving voltage of phase a


@dataclass
class Shared:
    """What the cases of a state have in common: what the zero sequence is made of."""

    net: Compiled

    @cached_property
    def conductors(self) -> Conductors:
        return Conductors.of(self.net)

    @cached_property
    def others(self) -> list[Element]:
        return with_paths(self.net)


@dataclass
class Case:
    """The networks of one case, made as they are asked for."""

    net: Compiled
    settings: ShortCircuitSettings
    given: Given
    shared: Shared
    _inner: dict[int, "Case"] = field(default_factory=dict)
    _types: dict[str, OfType] = field(default_factory=dict)

    @property
    def case(self) -> str:
        return self.given.case

    @property
    def c(self) -> Floats:
        """Driving voltage at each bus, of its nominal one: the voltage factor."""
        return self.e_pu

    @cached_property
    def nodes(self) -> Nodes:
        return Nodes.of(self.net)

    @cached_property
    def wires(self) -> Wires:
        return positive_wires(self.net, self.given.factors, self.given.hot)

    def network_of(self, z: Complexes, wires: Wires | None = None) -> SequenceNetwork:
        """A network with some impedances of the sources, and perhaps other ones of the branches."""
        return sequence_network(self.nodes.n, self.wires if wires is None else wires, self.given.sources.paths(self.net, z), self.nodes.alive)

    @cached_property
    def positive(self) -> SequenceNetwork:
        return self.network_of(self.given.sources.z)

    @cached_property
    def unbalanced_positive(self) -> SequenceNetwork:
        """The positive sequence of unbalanced faults: without what takes part in three-phase faults alone."""
        s = self.given.sources
        return self.network_of(without(s.z, s.balanced_only)) if s.balanced_only.any() else self.positive

    @cached_property
    def negative(self) -> SequenceNetwork:
        s = self.given.sources
        z2 = without(s.z2, s.balanced_only)
        same = np.array_equal(z2, without(s.z, s.balanced_only))
        return self.unbalanced_positive.mirrored() if same else self.network_of(z2, self.wires.mirrored())

    @cached_property
    def zero(self) -> ZeroSequence:
        return zero_sequence(self.net, self.given, self.shared.conductors, self.shared.others)

    def at_bus(self, of_node: Complexes) -> Complexes:
        nodes = self.net.topology.node_of_bus
        return np.where(nodes >= 0, of_node[nodes], np.nan)

    @cached_property
    def fed(self) -> Ints:
        """Nodes of buses that are fed."""
        return np.flatnonzero(self.net.topology.fed_node)

    def diagonal(self, network: SequenceNetwork) -> Complexes:
        """Impedance of a network at every bus [p.u.]."""
        return self.at_bus(diagonal(network.factor, network.n, self.fed))

    @cached_property
    def z1_pu(self) -> Complexes:
        return self._with_inside(self.diagonal(self.positive), "z1_pu")

    @cached_property
    def z1_unbalanced_pu(self) -> Complexes:
        return self.z1_pu if self.unbalanced_positive is self.positive else self._with_inside(self.diagonal(self.unbalanced_positive), "z1_unbalanced_pu")

    @cached_property
    def z2_pu(self) -> Complexes:
        same = self.negative.factor is self.unbalanced_positive.factor  # the transpose has the same diagonal
        return self.z1_unbalanced_pu if same else self._with_inside(self.diagonal(self.negative), "z2_pu")

    @cached_property
    def z0_pu(self) -> Complexes:
        """Not known where something is not known of the zero sequence, and very large where nothing ties a part to earth."""
        z = self._with_inside(self.diagonal(self.zero.network), "z0_pu")
        return np.where(self.lacking_zero, np.nan, z)

    @cached_property
    def lacking_zero(self) -> np.ndarray:
        """Buses (bus,) at which something of the zero sequence is not known."""
        nodes = self.net.topology.node_of_bus
        lacks = np.isin(self.zero.part_of_node, list(self.zero.reasons))
        return (nodes >= 0) & lacks[nodes]

    @cached_property
    def loose(self) -> np.ndarray:
        """Buses (bus,) of parts that nothing ties to earth: no current flows there in an earth fault."""
        nodes = self.net.topology.node_of_bus
        return np.asarray((nodes >= 0) & self.zero.loose[nodes] & ~self.lacking_zero)

    @cached_property
    def z_base_ohm(self) -> Floats:
        return self.net.v_nominal_kv**2 / self.net.s_base_mva

    @cached_property
    def e_pu(self) -> Floats:
        e = self.given.e_pu.copy()
        for k, inside in enumerate(self.given.inside):
            e[inside.buses] = self.inner(k).e_pu[inside.buses]
        return e

    def inner(self, k: int) -> "Case":
        """The case as it stands for buses inside the k-th power station unit."""
        if k not in self._inner:
            self._inner[k] = type(self)(self.net, self.settings, self.given.at(self.given.inside[k]), self.shared)
        return self._inner[k]

    def _with_inside(self, of_bus: Floats | Complexes, name: str) -> Complexes:
        """Values of all buses, those of buses inside power station units by their own networks."""
        for k, inside in enumerate(self.given.inside):
            of_bus = of_bus.copy()
            of_bus[inside.buses] = getattr(self.inner(k), name)[inside.buses]
        return np.asarray(of_bus)

    @cached_property
    def converters_pu(self) -> tuple[Floats, Floats]:
        """What converters add to the driving voltage at each bus, in the positive and in the negative sequence [p.u.]: Σ |Zkj|·Ij."""
        c = self.given.converters
        added = np.zeros((2, self.nodes.n))
        at = self.net.topology.node_of_bus[c.bus]
        for start in range(0, len(at), BLOCK):
            some = slice(start, start + BLOCK)
            columns = np.abs(self.positive.columns(at[some]))
            added[0] += columns @ c.i1[some]
            if c.i2.any():
                added[1] += np.abs(self.negative.columns(at[some])) @ c.i2[some]
        first, second = (np.real(self.at_bus(v.astype(complex))) for v in added)
        return first, second

    def of(self, fault: str) -> OfType:
        """Faults of one type at all buses."""
        if fault not in self._types:
            self._types[fault] = self._of(fault)
        return self._types[fault]

    @property
    def ik_ka(self) -> Floats:
        """Initial three-phase current at every bus."""
        return self.of("3ph").ik_ka

    @property
    def ip_ka(self) -> Floats:
        """Peak three-phase current at every bus."""
        return self.peak_ka("3ph")

    def peak_ka(self, fault: str = "3ph") -> Floats:
        """Peak current at every bus: a school's own."""
        raise NotImplementedError

    def x_over_r(self, fault: str = "3ph") -> Floats:
        """X/R at every bus: a school's own."""
        raise NotImplementedError

    @cached_property
    def z1_ohm(self) -> Complexes:
        return self.z1_pu * self.z_base_ohm

    def _of(self, fault: str) -> OfType:
        e1, e2 = self.converters_pu
        z0 = self.z0_pu if fault in TO_EARTH else np.zeros_like(self.z1_pu)
        z1, z2 = (self.z1_pu, self.z1_pu) if fault == "3ph" else (self.z1_unbalanced_pu, self.z2_pu)
        with np.errstate(invalid="ignore", divide="ignore"):  # where something is not known there is no result
            i = eq.sequence_currents(fault, self.e_pu + e1, NEGATIVE_ADDS[fault] * e2, z1, z2, z0, self.fault_pu, self.earth_pu)
        raw = i
        if fault in TO_EARTH:
            i = np.where(self.loose[:, None] & (np.arange(3) == 2)[None, :] | (self.loose[:, None] & (fault == "lg")), 0, raw)
        i_base = self.net.i_base_ka()
        phases = as_phases(i)
        with np.errstate(invalid="ignore"):
            most = np.argmax(np.nan_to_num(np.abs(phases)) * FIRST_OF_EQUALS, axis=1)
        largest = phases[np.arange(len(most)), most]
        return OfType(i, raw, np.abs(largest) * i_base, 3 * np.abs(i[:, 2]) * i_base, np.degrees(np.angle(largest)))

    @cached_property
    def fault_pu(self) -> Complexes:
        return np.asarray(complex(self.settings.fault_r_ohm, self.settings.fault_x_ohm) / self.z_base_ohm, complex)

    @cached_property
    def earth_pu(self) -> Complexes:
        return np.asarray(self.settings.earth_r_ohm / self.z_base_ohm, complex)

    # --- what flows

    def flows(self, buses: Sequence[int], fault: str = "3ph") -> Flows:
        """Currents and voltages everywhere for faults at the given buses, by superposition of the source at the fault point."""
        groups = self._groups(buses)
        if len(groups) == 1:
            return groups[0][0]._flows(buses, fault)
        return Flows.together([(case._flows([buses[k] for k in where], fault), where) for case, where in groups])

    def _groups(self, buses: Sequence[int]) -> list[tuple["Case", list[int]]]:
        """Positions of the buses by the case whose networks hold for them."""
        inside_of = {int(b): k for k, inside in enumerate(self.given.inside) for b in inside.buses}
        by: dict[int, list[int]] = {}
        for position, bus in enumerate(buses):
            by.setdefault(inside_of.get(int(bus), -1), []).append(position)
        return [(self if k < 0 else self.inner(k), where) for k, where in by.items()] or [(self, [])]

    @cached_property
    def no_load_pu(self) -> Complexes:
        """Voltages with nothing connected, by node, relative within each island."""
        return no_load_voltages(self.net, self.wires, self.nodes.n)

    def _flows(self, buses: Sequence[int], fault: str) -> Flows:
        at = np.array(buses, np.intp)
        known, raw = (replace_nan(values[at]) for values in (self.of(fault).sequences_pu, self.of(fault).raw_pu))
        sequences = 1 if fault == "3ph" else 3
        nodes = self.net.topology.node_of_bus
        networks = (self.positive,) if fault == "3ph" else (self.unbalanced_positive, self.negative, self.zero.network)[:sequences]
        k, changed, made = len(at), list[Complexes](), Flowing(self.net, at)
        for s, network in enumerate(networks):
            v = -network.columns(nodes[at]) * (raw if s == 2 else known)[:, s]
            i_units, v_units = self._from_converters(network, at, s, fault)
            v += v_units
            v[: len(self.net.topology.fed_node)][~self.net.topology.fed_node] = 0
            made.network(network, np.where(self.zero.loose[:, None], 0, v) if s == 2 else v, s)
            made.converters(self.given.converters.elements, i_units, s)
            changed.append(v)
        made.i_fault = known[:, :sequences]
        ik = np.zeros((k, 3), complex)
        ik[:, :sequences] = made.i_fault * self.net.i_base_ka()[at][:, None]
        return Flows(tuple(int(b) for b in at), fault, ik, self.net, made, lambda: self._voltages(at, changed))

    def _voltages(self, at: Ints, changed: Sequence[Complexes]) -> tuple[Complexes, Complexes]:
        """What is left at every bus, and the positive sequence before, from what faults change at every node, by sequence (node, fault)."""
        nodes = self.net.topology.node_of_bus
        u = np.where(np.append(self.net.topology.fed_node, False)[nodes], self.no_load_pu[nodes], 0)
        with np.errstate(invalid="ignore", divide="ignore"):
            before = np.where(self._same_island(at), self.e_pu[at][None, :] * u[:, None] / u[at][None, :], 0)
        left = np.zeros((len(nodes), len(at), 3), complex)
        for s, v in enumerate(changed):
            left[:, :, s] = np.where(nodes[:, None] >= 0, v[nodes], 0)
        left[:, :, 0] += before
        return left, np.asarray(before, complex)

    def _same_island(self, at: Ints) -> np.ndarray:
        top = self.net.topology
        island = np.where(top.node_of_bus >= 0, top.island_of_node[top.node_of_bus], -1)
        return np.asarray(island[:, None] == island[at][None, :])

    def _from_converters(self, network: SequenceNetwork, at: Ints, s: int, fault: str) -> tuple[Complexes, Complexes]:
        """Currents of converters into the network in one sequence (unit, fault), as they add most, and the voltages they make (node, fault)."""
        c = self.given.converters
        strength = c.i1 if s == 0 else c.i2 if s == 1 else np.zeros(len(c.i1))
        if not strength.any():
            return np.zeros((len(c.i1), len(at)), complex), np.zeros((network.n, len(at)), complex)
        columns = network.columns(self.net.topology.node_of_bus[c.bus])
        reach = columns[self.net.topology.node_of_bus[at]].T  # (unit, fault)
        sign = 1.0 if s == 0 else NEGATIVE_ADDS[fault]
        turn = np.where(np.abs(reach) > 1e-12, np.exp(-1j * np.angle(reach)), 0)
        currents = np.asarray(sign * strength[:, None] * turn, complex)
        return currents, np.asarray(columns @ currents, complex)


def without(z: Complexes, out: np.ndarray) -> Complexes:
    """Impedances with some of them opened."""
    return np.where(out, complex(np.inf, 0.0), z) if out.any() else z


def replace_nan(values: Complexes) -> Complexes:
    """Where there is no result nothing flows."""
    return np.where(np.isfinite(values), values, 0)
