"""One or two open conductors of a cable or line: what load flow brings through it is interrupted in one or two phases, and runs on in the others."""

from dataclasses import dataclass, replace

import numpy as np

from northfell.core.errors import CannotRun
from northfell.core.model.elements import Conductor, Consumer, Infeed, SynchronousGenerator
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes
from northfell.core.network.sequences import LOOSE, Paths, SequenceNetwork, Wires, paths_of, sequence_network
from northfell.core.studies import load_flow
from northfell.core.studies.short_circuit.case import Case
from northfell.core.studies.short_circuit.result import COMPONENTS, by_component
from northfell.core.tables import Cell, Table, build

_CURRENTS = (
    ("state", "", "State"), ("element", "", "Element"), ("open", "", "Open conductors"), ("component", "", "Component"), ("i_before_a", "A", "Before"),
    ("i_a", "A", "Through it"),
)  # fmt: skip
_VOLTAGES = (
    ("state", "", "State"), ("element", "", "Open in"), ("open", "", "Open conductors"), ("bus", "", "Bus"), ("component", "", "Component"),
    ("v_kv", "kV", "U to earth"), ("v_pu", "p.u.", "Of nominal"), ("v2_over_v1_pct", "%", "U2/U1"),
)  # fmt: skip


@dataclass(frozen=True)
class OpenConductors:
    """With one and with two conductors open: currents through the rest, and voltages at every bus, by sequence."""

    net: Compiled
    conductor: Conductor
    i_before_a: float
    i_a: dict[int, Complexes]  # by how many are open: (sequence,)
    v_pu: dict[int, Complexes]  # (bus, sequence)

    def tables(self) -> list[Table]:
        currents: list[tuple[Cell, ...]] = []
        voltages: list[tuple[Cell, ...]] = []
        net = self.net
        for n in (1, 2):
            for component, i in by_component(self.i_a[n], COMPONENTS, "open"):
                currents.append((net.state, self.conductor.name, n, component, self.i_before_a, abs(i)))
            for b, bus_id in enumerate(net.topology.bus_ids):
                if not net.topology.fed_bus(b):
                    continue
                v, kv = self.v_pu[n][b], float(net.v_nominal_kv[b]) / np.sqrt(3)
                unbalance = 100 * abs(v[1]) / abs(v[0]) if abs(v[0]) else None
                for component, u in by_component(v, COMPONENTS, "open"):
                    voltages.append((net.state, self.conductor.name, n, net.name(bus_id), component, abs(u) * float(kv), abs(u), unbalance))
        return [build("open_currents", _CURRENTS, currents), build("open_voltages", _VOLTAGES, voltages)]


def open_conductors(one: Case, element_id: str) -> OpenConductors:
    r"""Open one, then two conductors at the first end of a cable or line that carries what load flow finds.

    With the sequences seen from the two sides of the break, and the current I before it:

    .. math:: I_1 Z_1 + \Delta V = I Z_1, \quad \Delta V = \frac{I}{1/Z_1 + 1/Z_2 + 1/Z_0} \; \mathrm{(one)}, \qquad
        I_1 = I_2 = I_0 = \frac{I Z_1}{Z_1 + Z_2 + Z_0} \; \mathrm{(two)}

    What is drawn stands as an impedance in the positive and negative sequence, motors in the negative one with that of their starting current;
    loads let no zero sequence through.

    Raises
    ------
    CannotRun
        If it is no conductor that is fed, if load flow has no solution, or if something of the zero sequence is not known.

    Source
    ------
    Symmetrical components: series faults, by the substitution of the break by its voltages.
    """
    net = one.net
    e = net.elements.get(element_id)
    if not isinstance(e, Conductor) or not net.topology.live.get(e.id, False) or not net.topology.fed_bus(net.topology.bus_index[e.from_bus]):
        raise CannotRun("short_circuit", ["Conductors are opened in a cable, line or trunking that is in service and fed."])
    ends = [net.topology.bus_index[b] for b in e.buses]
    lacking = [reason for b in ends for reason in one.zero.lacking_at(int(net.topology.node_of_bus[b]))]
    if lacking:
        raise CannotRun("short_circuit", list(dict.fromkeys(lacking)))
    flow = load_flow.run(net)
    if not np.isfinite(flow.v[ends[0]]):
        raise CannotRun("short_circuit", [f"{e.name} stands where load flow has no solution."])
    terminal = net.terminals.of(e.id).start
    before = np.conj(complex(flow.s_terminal[terminal]) / net.s_base_mva / complex(flow.v[ends[0]]))  # p.u., into the conductor
    networks = _networks(one, flow, e)
    node = int(net.topology.node_of_bus[ends[0]])
    columns, z = [], []
    for network in networks:
        made = network.columns(np.array([node, network.n - 1], np.intp))
        across = made[:, 0] - made[:, 1]  # voltages for one per unit into the bus and out of the conductor's end
        columns.append(np.asarray(across, complex))
        z.append(across[node] - across[network.n - 1])
    i: dict[int, Complexes] = {}
    v: dict[int, Complexes] = {}
    y = np.array([0 if abs(x) > 0.1 / LOOSE else 1 / x for x in z], complex)  # where nothing leads on, nothing flows
    for n in (1, 2):
        if n == 1:
            through = np.array([before, 0, 0]) - before / y.sum() * y
        else:
            through = np.full(3, before * z[0] / (z[0] + z[1] + z[2]) if y.all() else 0, complex)
        i[n] = through * float(net.i_base_ka()[ends[0]]) * 1000
        v[n] = _voltages(net, flow, columns, through - np.array([before, 0, 0]))
    return OpenConductors(net, e, abs(before) * float(net.i_base_ka()[ends[0]]) * 1000, i, v)


def _voltages(net: Compiled, flow: load_flow.LoadFlow, columns: list[Complexes], change: Complexes) -> Complexes:
    """Voltages at every bus by sequence [p.u.]: those before, and what the change of the current through the break makes of them."""
    nodes = net.topology.node_of_bus
    v = np.zeros((len(nodes), 3), complex)
    v[:, 0] = np.nan_to_num(flow.v)
    for s in range(3):
        v[:, s] += np.where(nodes >= 0, -columns[s][nodes] * change[s], 0)
    return v


def _networks(one: Case, flow: load_flow.LoadFlow, e: Conductor) -> tuple[SequenceNetwork, SequenceNetwork, SequenceNetwork]:
    """The three sequences with the conductor's first end on a node of its own, the last."""
    net, s = one.net, one.given.sources
    steady = np.array([isinstance(x, Infeed | SynchronousGenerator) for x in s.elements], bool)
    at, y = _drawn(net, flow)
    machines, standing = s.paths(net, np.where(steady, s.z, complex(np.inf, 0))), s.paths(net, s.z2)
    static = np.array([not isinstance(net.elements[i], Consumer) or not hasattr(net.elements[i], "p_rated_kw") for i in at.ids], bool)
    loads = Paths(at.ids, at.terminals, at.buses, at.nodes, 1 / y)
    first = _broken(one.nodes.n, one.wires, machines.with_more(loads), one.nodes.alive, e.id)
    second = _broken(one.nodes.n, one.wires.mirrored(), standing.with_more(loads.where(static)), one.nodes.alive, e.id)
    zero = one.zero.network
    alive = np.concatenate([one.nodes.alive, np.ones(zero.n - len(one.nodes.alive), bool)])
    return first, second, _broken(zero.n, zero.wires, zero.paths, alive, e.id)


def _drawn(net: Compiled, flow: load_flow.LoadFlow) -> tuple[Paths, Complexes]:
    """What is drawn at every bus, as admittances [p.u.]."""
    rows, y = [], []
    for x in (*net.loads, *net.induction_motors, *net.synchronous_motors):
        bus = net.topology.bus_index[x.buses[0]]
        v, part = complex(flow.v[bus]), net.terminals.of(x.id)
        if not net.topology.fed_bus(bus) or not np.isfinite(v) or part.start == part.stop:
            continue
        drawn = np.conj(complex(flow.s_terminal[part.start])) / net.s_base_mva / abs(v) ** 2
        if drawn:
            rows.append((x.id, 0, bus, int(net.topology.node_of_bus[bus]), 0j))
            y.append(drawn)
    return paths_of(rows), np.array(y, complex)


def _broken(n: int, wires: Wires, paths: Paths, alive: np.ndarray, element_id: str) -> SequenceNetwork:
    nodes = wires.nodes.copy()
    nodes[wires.ids.index(element_id), 0] = n
    held = paths_of([("", -1, -1, n, 1 / LOOSE)])
    return sequence_network(n + 1, replace(wires, nodes=nodes), paths.with_more(held), np.append(alive, True))
