"""What a short-circuit study found: currents at every bus, what flows where for a fault at some, and the tables."""

import cmath
import math
from collections.abc import Container, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from northfell.core.model.elements import Element, InductionMotor, Inverter, StaticLoad, SynchronousGenerator, SynchronousMotor
from northfell.core.network import Compiled, Factorised, switch_currents
from northfell.core.network.compile import Complexes, Floats
from northfell.core.studies.short_circuit.settings import ShortCircuitSettings
from northfell.core.tables import Cell, Table, build

CASES = ("max", "min")
METHOD = "IEC 60909-0:2016"


@dataclass(frozen=True)
class CaseNetwork:
    """Impedances and currents of the maximum or the minimum case; nan where a bus is not fed."""

    case: str
    c: Floats  # (bus,)
    z1_ohm: Complexes  # (bus,)
    zc_ohm: Complexes  # (bus,) at the equivalent frequency
    ik_ka: Floats  # (bus,)
    i_converters_ka: Floats  # (bus,) of it, what inverters bring
    r_over_x: Floats  # (bus,) of method (c)
    kappa: Floats  # (bus,)
    ip_ka: Floats  # (bus,)
    factor: Factorised
    two_port: Complexes  # (branch, 2, 2)
    z_branch_pu: Complexes  # (branch,) corrected
    z_infeed_pu: Complexes
    z_machine_pu: Complexes
    z_motor_pu: Complexes
    machines: tuple[SynchronousGenerator | SynchronousMotor, ...]  # those that take part, as are the next two
    motors: tuple[InductionMotor | StaticLoad, ...]
    inverters: tuple[Inverter, ...]
    i_inverter_pu: Floats


@dataclass(frozen=True)
class Flows:
    """Currents during a fault at each of some buses [kA at the voltage of the terminal's bus], from the bus into the element."""

    buses: tuple[int, ...]
    ik_ka: Complexes  # (fault,)
    terminals: dict[str, Complexes]  # element id -> (terminal, fault)


@dataclass(frozen=True)
class ShortCircuit:
    """Three-phase faults at all buses of one state."""

    net: Compiled
    settings: ShortCircuitSettings
    cases: dict[str, CaseNetwork]

    def flows(self, buses: Sequence[int], case: str, of: Container[str] | None = None) -> Flows:
        """Currents everywhere, or through the elements `of` some ids, for faults at the given buses, by superposition of the source at the fault point."""
        asked = (lambda element_id: True) if of is None else of.__contains__
        net, one = self.net, self.cases[case]
        nodes = net.topology.node_of_bus
        at = np.array(buses, np.intp)
        n, k = net.topology.n_nodes, len(at)
        rhs = np.zeros((n, k), complex)
        rhs[nodes[at], np.arange(k)] = 1
        columns = one.factor.solve(rhs) if k else rhs
        i_fault = one.c[at] / columns[nodes[at], np.arange(k)]  # p.u.
        v = -columns * i_fault  # change of voltage at the nodes
        i_inverter = self._inverter_currents(one, at, columns, i_fault)  # (inverter, fault), in phase with the fault current
        if len(one.inverters):
            unit = np.zeros((n, len(one.inverters)), complex)
            unit[net.node_of(one.inverters), np.arange(len(one.inverters))] = 1
            from_inverters = one.factor.solve(unit)
            extra = from_inverters[nodes[at]] / columns[nodes[at], np.arange(k)][:, None]  # (fault, inverter)
            i_added = np.einsum("fj,jf->f", extra, i_inverter)
            v += from_inverters @ i_inverter - columns * i_added
            i_fault = i_fault + i_added
        v[~net.topology.fed_node] = 0
        v_bus = np.where(nodes[:, None] >= 0, v[nodes], 0)
        i_base = net.i_base_ka()

        into_bus = np.zeros((len(nodes), k), complex)
        terminals: dict[str, Complexes] = {}
        ends = np.stack([net.branches.from_bus, net.branches.to_bus], axis=1)
        i_branch = np.einsum("bij,bjf->bif", one.two_port, v_bus[ends]) if len(ends) else np.zeros((0, 2, k), complex)
        for side in (0, 1):
            np.add.at(into_bus, ends[:, side], -i_branch[:, side])
        for i, (branch_id, (a, b)) in enumerate(zip(net.branches.ids, net.branches.terminals.tolist(), strict=True)):
            if not asked(branch_id):
                continue
            at_terminals = terminals.setdefault(branch_id, np.zeros((len(net.elements[branch_id].TERMINALS), k), complex))
            at_terminals[a] += i_branch[i, 0] * i_base[ends[i, 0]]
            at_terminals[b] += i_branch[i, 1] * i_base[ends[i, 1]]
        groups = (net.infeeds, one.z_infeed_pu), (one.machines, one.z_machine_pu), (one.motors, one.z_motor_pu)
        for elements, z in groups:
            bus = net.bus_of(elements)
            i_source = v_bus[bus] / z[:, None]
            np.add.at(into_bus, bus, -i_source)
            for i, e in enumerate(elements):
                if not asked(e.id):
                    continue
                terminals[e.id] = (i_source[i] * i_base[bus[i]])[None, :]
        inverter_bus = net.bus_of(one.inverters)
        np.add.at(into_bus, inverter_bus, i_inverter)
        for inverter, b, currents in zip(one.inverters, inverter_bus, i_inverter, strict=True):
            terminals[inverter.id] = (-currents * i_base[b])[None, :]
        into_bus[at, np.arange(k)] -= i_fault
        into_bus[~np.isin(nodes, np.flatnonzero(net.topology.fed_node))] = 0
        i_switch = switch_currents(net.topology, into_bus)
        for i, closed_id in enumerate(net.topology.closed_ids):
            if not asked(closed_id):
                continue
            i_ka = i_switch[i] * i_base[net.topology.closed_from[i]]
            terminals[closed_id] = np.zeros((len(net.elements[closed_id].TERMINALS), k), complex)
            first, second = net.topology.closed_terminals[i].tolist()
            terminals[closed_id][first], terminals[closed_id][second] = i_ka, -i_ka
        return Flows(tuple(int(b) for b in at), i_fault * i_base[at], terminals)

    def _inverter_currents(self, one: CaseNetwork, at: NDArray[np.intp], columns: Complexes, i_fault: Complexes) -> Complexes:
        """Currents of inverters for each fault [p.u.], shape (inverter, fault): each as it adds most; none where it cannot reach the fault."""
        k = len(at)
        if not one.inverters:
            return np.zeros((0, k), complex)
        net = self.net
        nodes, own = net.topology.node_of_bus, net.node_of(one.inverters)
        unit = np.zeros((net.topology.n_nodes, len(own)), complex)
        unit[own, np.arange(len(own))] = 1
        z_kj = one.factor.solve(unit)[nodes[at]].T  # (inverter, fault)
        reach = z_kj / columns[nodes[at], np.arange(k)]
        turn = np.where(np.abs(reach) > 1e-12, np.exp(1j * (np.angle(i_fault) - np.angle(reach))), 0)
        return np.asarray(one.i_inverter_pu[:, None] * turn, complex)

    def contributions(self, bus: int, case: str) -> list[tuple[Element, str, complex]]:
        """What each element at a bus brings into a fault there: element, terminal, current [kA]. They sum to the fault current."""
        flows = self.flows([bus], case)
        return self._contributions(flows, 0)

    def _contributions(self, flows: Flows, fault: int) -> list[tuple[Element, str, complex]]:
        found = []
        bus_id = self.net.topology.bus_ids[flows.buses[fault]]
        for e in (self.net.elements[i] for i in self.net.network.adjacency.at[bus_id] if i in flows.terminals):
            at = e.buses.index(bus_id)
            found.append((e, e.TERMINALS[at], -complex(flows.terminals[e.id][at, fault])))
        return found

    def fed_buses(self) -> list[int]:
        return [i for i in range(len(self.net.topology.bus_ids)) if self.net.topology.fed_bus(i)]

    @property
    def messages(self) -> tuple[str, ...]:
        """What was kept back, and why."""
        return tuple(self.net.held_back_told)

    @property
    def summary(self) -> dict[str, float | int | str | None]:
        fed = self.fed_buses()
        highest = max(fed, key=lambda i: float(self.cases["max"].ik_ka[i]))
        lowest = min(fed, key=lambda i: float(self.cases["min"].ik_ka[i]))
        ids = self.net.topology.bus_ids
        return {
            "buses": len(fed),
            "highest_ik_ka": float(self.cases["max"].ik_ka[highest]), "highest_at": self.net.name(ids[highest]),
            "lowest_ik_ka": float(self.cases["min"].ik_ka[lowest]), "lowest_at": self.net.name(ids[lowest]),
        }  # fmt: skip

    def tables(self) -> list[Table]:
        return [self.faults_table(), self.contributions_table(self.fed_buses())]

    def faults_table(self) -> Table:
        """A row for each fed bus and case; what this version does not compute is absent."""
        rows: list[tuple[Cell, ...]] = []
        top = self.net.topology
        for i in self.fed_buses():
            for case in CASES:
                one = self.cases[case]
                z = complex(one.z1_ohm[i])
                x_over_r = z.imag / z.real if z.real else None
                rows.append((
                    self.net.state, self.net.name(top.bus_ids[i]), "3ph", case, METHOD, float(one.ik_ka[i]), None, -math.degrees(cmath.phase(z)),
                    float(one.ip_ka[i]), None, None, None, x_over_r, z, None, None, float(one.c[i]), float(one.r_over_x[i]), float(one.kappa[i]),
                    float(self.net.v_nominal_kv[i]),
                ))  # fmt: skip
        columns = (
            ("state", "", "State"), ("bus", "", "Bus"), ("fault", "", "Fault"), ("case", "", "Case"), ("method", "", "Method"), ("ik_ka", "kA", "I″k"),
            ("i_earth_ka", "kA", "Earth"), ("angle_deg", "deg", "Angle"), ("ip_ka", "kA", "ip"), ("ib_ka", "kA", "Ib"), ("ik_steady_ka", "kA", "Ik"),
            ("ith_ka", "kA", "Ith"), ("x_over_r", "", "X/R"), ("z1_ohm", "ohm", "Z1"), ("z2_ohm", "ohm", "Z2"), ("z0_ohm", "ohm", "Z0"), ("c", "", "c"),
            ("r_over_x_peak", "", "R/X for ip"), ("kappa", "", "κ"), ("v_nominal_kv", "kV", "Un"),
        )  # fmt: skip
        return build("faults", columns, rows)

    def contributions_table(self, buses: Sequence[int]) -> Table:
        rows: list[tuple[Cell, ...]] = []
        flows = {case: self.flows(buses, case) for case in CASES}
        for k, bus in enumerate(buses):
            bus_name = self.net.name(self.net.topology.bus_ids[bus])
            for case in CASES:
                for e, terminal, i in self._contributions(flows[case], k):
                    rows.append((self.net.state, bus_name, "3ph", case, e.name, terminal, "1", abs(i), math.degrees(cmath.phase(i)), e.kind))
        columns = (
            ("state", "", "State"), ("bus", "", "Bus"), ("fault", "", "Fault"), ("case", "", "Case"), ("element", "", "Element"),
            ("terminal", "", "Terminal"), ("component", "", "Component"), ("i_ka", "kA", "I"), ("angle_deg", "deg", "Angle"), ("kind", "", "Kind"),
        )  # fmt: skip
        return build("contributions", columns, rows)
