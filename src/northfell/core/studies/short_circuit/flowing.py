"""What flows during faults at some buses: found when it is asked for, at all terminals or through some switches alone."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol

import numpy as np
from scipy.sparse import csr_array

from northfell.core.model.elements import Element
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.sequences import SequenceNetwork, as_phases
from northfell.core.network.switches import switch_shares
from northfell.core.network.topology import Ints


class Currents(Protocol):
    """Currents [kA], from the bus into the element, each at the voltage of its bus."""

    @property
    def terminals(self) -> Complexes:
        """(terminal, fault, sequence)."""
        ...

    def through(self, switches: Sequence[str]) -> Complexes:
        """(switch, fault, sequence), at the first terminal; nothing through those that are not closed."""
        ...

    def units(self, elements: Sequence[Element]) -> Complexes:
        """(element, fault, sequence), of elements in service that have one terminal."""
        ...


@dataclass(frozen=True)
class Flows:
    """Currents during faults at some buses, at every terminal, by sequence [kA at the voltage of its bus], from the bus into the element."""

    buses: tuple[int, ...]
    fault: str
    ik_ka: Complexes  # (fault, sequence) at the fault
    net: Compiled
    currents: Currents
    _voltages: Callable[[], tuple[Complexes, Complexes]] = field(repr=False, compare=False)  # large, and not always asked for

    @classmethod
    def together(cls, parts: Sequence[tuple["Flows", Sequence[int]]]) -> "Flows":
        """Faults of several groups, each with their places among all."""
        order = np.argsort(np.concatenate([where for _, where in parts]))
        flows = [one for one, _ in parts]

        def voltages() -> tuple[Complexes, Complexes]:
            left, before = (np.concatenate(those, axis=1)[:, order] for those in zip(*(one._voltages() for one in flows), strict=True))
            return left, before

        buses = np.concatenate([one.buses for one in flows])[order]
        ik_ka = np.concatenate([one.ik_ka for one in flows])[order]
        return cls(tuple(int(b) for b in buses), flows[0].fault, ik_ka, flows[0].net, _Beside([one.currents for one in flows], order), voltages)

    @property
    def terminals(self) -> Complexes:
        """(terminal, fault, sequence)."""
        return self.currents.terminals

    @cached_property
    def _left_and_before(self) -> tuple[Complexes, Complexes]:
        return self._voltages()

    @property
    def voltages_pu(self) -> Complexes:
        """What is left at every bus (bus, fault, sequence)."""
        return self._left_and_before[0]

    @property
    def before_pu(self) -> Complexes:
        """The positive sequence before the fault (bus, fault)."""
        return self._left_and_before[1]

    def of(self, element_id: str) -> Complexes:
        """Currents at the terminals of one element, (terminal, fault, sequence); none where it does not take part."""
        return np.asarray(self.terminals[self.net.terminals.of(element_id)])

    def phases_of(self, element_id: str) -> Complexes:
        """The same in phases a, b, c along the last axis."""
        return as_phases(self.of(element_id))

    def largest_of(self, element_id: str) -> Floats:
        """Current of the phase that carries most, (terminal, fault) [kA]."""
        return self._largest(self.of(element_id))

    def largest_of_units(self, elements: Sequence[Element]) -> Floats:
        """The same of elements in service that have one terminal, (element, fault): without finding what flows at all others."""
        return self._largest(self.currents.units(elements))

    def _largest(self, sequences: Complexes) -> Floats:
        if self.fault == "3ph":
            return np.asarray(np.abs(sequences[..., 0]))
        return np.asarray(np.abs(as_phases(sequences)).max(axis=-1))


@dataclass
class _Beside:
    """Currents of several groups of faults, in the order of all."""

    parts: Sequence[Currents]
    order: Ints

    @cached_property
    def terminals(self) -> Complexes:
        return np.concatenate([one.terminals for one in self.parts], axis=1)[:, self.order]

    def through(self, switches: Sequence[str]) -> Complexes:
        return np.concatenate([one.through(switches) for one in self.parts], axis=1)[:, self.order]

    def units(self, elements: Sequence[Element]) -> Complexes:
        return np.concatenate([one.units(elements) for one in self.parts], axis=1)[:, self.order]


def numbers_of(net: Compiled, ids: Sequence[str], terminal: Ints) -> Ints:
    """Numbers of terminals, by element and position."""
    start = net.terminals.start
    return np.array([start.get(i, -1) for i in ids], np.intp) + np.asarray(terminal, np.intp)


def _those(ids: Sequence[str], kept: np.ndarray) -> Sequence[str]:
    return ids if kept.all() else [i for i, stays in zip(ids, kept.tolist(), strict=True) if stays]


@dataclass
class Flowing:
    """Currents of some faults, put together part by part from the voltages of each sequence."""

    net: Compiled
    at: Ints  # (fault,) bus
    i_fault: Complexes = field(default_factory=lambda: np.zeros((0, 1), complex))  # (fault, sequence) [p.u.]
    _parts: list[tuple[csr_array, Complexes, int]] = field(default_factory=list)  # what terminals draw of voltages or currents, and of which sequence

    def network(self, network: SequenceNetwork, v: Complexes, s: int) -> None:
        """Currents of its wires and paths, of voltages (node, fault)."""
        w, p = network.wires, network.paths
        y, rows, columns = list[Complexes](), list[Ints](), list[Ints]()
        for side in (0, 1):
            outside = w.buses[:, side] >= 0
            numbers = numbers_of(self.net, _those(w.ids, outside), w.terminals[outside, side])
            y += [w.two_ports[outside, side, other] for other in (0, 1)]
            rows += [numbers, numbers]
            columns += [w.nodes[outside, other] for other in (0, 1)]
        outside = p.buses >= 0
        y.append(p.y[outside])
        rows.append(numbers_of(self.net, _those(p.ids, outside), p.terminals[outside]))
        columns.append(p.nodes[outside])
        entries = np.concatenate(y), (np.concatenate(rows), np.concatenate(columns))
        self._parts.append((csr_array(entries, shape=(len(self.net.terminals.bus), len(v))), v, s))

    def converters(self, elements: Sequence[Element], i: Complexes, s: int) -> None:
        """What converters bring (unit, fault) [p.u.]."""
        if elements:
            numbers = numbers_of(self.net, [e.id for e in elements], np.zeros(len(elements), np.intp))
            drawn = csr_array((-np.ones(len(i)), (numbers, np.arange(len(i)))), shape=(len(self.net.terminals.bus), len(i)))
            self._parts.append((drawn, i, s))

    @cached_property
    def _through(self) -> Complexes:
        """Currents through closed switches, from what all else brings into the buses and what the fault draws [kA]."""
        top, into = self.net.topology, _into_switches(self.net)
        shares, fed = switch_shares(top), np.append(top.fed_node, False)[top.node_of_bus[self.at]]
        faults = shares[:, self.at].tocoo()
        drawn_there = (faults.data * fed[faults.col])[:, None] * self.i_fault[faults.col]
        found = []
        for sequence in range(self.i_fault.shape[1]):
            i = np.zeros((len(top.closed_ids), len(self.at)), complex)
            for drawn, v, s in self._parts:
                if s == sequence:
                    i += (into @ drawn) @ v
            i[faults.row, faults.col] -= drawn_there[:, sequence]
            found.append(i)
        return np.asarray(np.stack(found, axis=-1) * self.net.i_base_ka()[top.closed_from][:, None, None])

    @cached_property
    def terminals(self) -> Complexes:
        """Currents at all terminals."""
        top, i_base = self.net.topology, self.net.i_base_ka()[self.net.terminals.bus][:, None]
        made = np.zeros((len(self.net.terminals.bus), *self.i_fault.shape), complex)
        for drawn, v, s in self._parts:
            made[:, :, s] += (drawn @ v) * i_base
        if top.closed_ids:
            first, second = (numbers_of(self.net, top.closed_ids, top.closed_terminals[:, side]) for side in (0, 1))
            made[first], made[second] = self._through, -self._through
        return made

    def units(self, elements: Sequence[Element]) -> Complexes:
        """At the terminal of elements that have one, (element, fault, sequence)."""
        numbers = numbers_of(self.net, [e.id for e in elements], np.zeros(len(elements), np.intp))
        made = np.zeros((len(numbers), *self.i_fault.shape), complex)
        for drawn, v, s in self._parts:
            made[:, :, s] += drawn[numbers] @ v
        return np.asarray(made * self.net.i_base_ka()[self.net.terminals.bus[numbers]][:, None, None])

    def through(self, switches: Sequence[str]) -> Complexes:
        """Through switches, at the first terminal."""
        at = {i: k for k, i in enumerate(self.net.topology.closed_ids)}
        rows = np.array([at.get(i, -1) for i in switches], np.intp)
        made = np.zeros((len(switches), *self.i_fault.shape), complex)
        made[rows >= 0] = self._through[rows[rows >= 0]]
        return made


def _into_switches(net: Compiled) -> csr_array:
    """What flows through each closed switch of what each terminal draws (closed switch, terminal); kept with the network."""
    known: csr_array | None = net.__dict__.get("_into_switches")
    if known is None:
        top, terminals = net.topology, net.terminals.bus
        fed = np.append(top.fed_node, False)[top.node_of_bus[terminals]]
        brings = csr_array((-fed.astype(float), (terminals, np.arange(len(terminals)))), shape=(len(top.bus_ids), len(terminals)))
        known = net.__dict__["_into_switches"] = csr_array(switch_shares(top) @ brings)
    return known
