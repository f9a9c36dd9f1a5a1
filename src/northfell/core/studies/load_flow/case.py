"""One state as the iteration sees it: admittances and injections by node, and what controls may change between two solutions."""

import math
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np
from scipy.sparse import coo_array, csr_array
from scipy.sparse.csgraph import breadth_first_order, connected_components

from northfell.core.errors import NoSolution
from northfell.core.model.elements import CapacitorBank, Infeed, Inverter, SynchronousGenerator
from northfell.core.model.network import title_of
from northfell.core.network import Compiled, branch_two_ports, node_admittance
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.topology import Ints
from northfell.core.studies.load_flow.injections import Following, load_draws, machine_power, motor_power, shunt_power, with_slope
from northfell.core.studies.load_flow.newton import EXPONENTS, Given, Jacobian, Linearised, Outcome, Unknown, continued, newton
from northfell.core.studies.load_flow.settings import LoadFlowSettings
from northfell.core.studies.load_flow.sources import STUDY, Sources, bus_name

SMALLEST_Z_PU = 1e-7  # below it the equations lose their digits
Side = Literal["least", "most"]


@dataclass
class Case:
    """A compiled state with the positions of its controls. Nodes of infeeds behind an impedance stand behind those of the topology."""

    net: Compiled
    settings: LoadFlowSettings
    sources: Sources
    ratio: Complexes = field(init=False)  # (branch,) at the taps as they stand
    shunt: Complexes = field(init=False)  # (shunt,) power drawn at 1 p.u. with the steps that are in
    loads_draw: Complexes = field(init=False)  # (load, exponent) power drawn at 1 p.u.
    motors_draw: Complexes = field(init=False)  # (motor, exponent)
    at_limit: dict[int, Side] = field(default_factory=dict)  # node whose machines are at a reactive limit
    iterations: int = 0
    halvings: int = 0
    continued_from_nothing: bool = False
    _pattern: tuple[frozenset[int], Jacobian, Unknown | None] | None = None
    _load: tuple[Complexes, Complexes, Complexes] | None = None  # what is drawn one by one, and by node
    _y: tuple[Complexes, Complexes, csr_array] | None = None  # ratios and steps, and what they make

    def __post_init__(self) -> None:
        self.ratio = self.net.branches.ratio.copy()
        self.shunt = shunt_power(self.net)
        self.loads_draw = load_draws(self.net)
        self.motors_draw = np.outer(motor_power(self.net), np.eye(len(EXPONENTS))[0])

    @cached_property
    def inner(self) -> Ints:
        """The infeeds that stand behind an impedance."""
        return np.flatnonzero(self.sources.infeed_z)

    @cached_property
    def n_all(self) -> int:
        return self.net.topology.n_nodes + len(self.inner)

    @cached_property
    def fed(self) -> np.ndarray:
        return np.concatenate([self.net.topology.fed_node, np.ones(len(self.inner), bool)])

    @cached_property
    def ends(self) -> tuple[Ints, Ints]:
        """Nodes at the two ends of the branches, then of the inner impedances of infeeds."""
        node = self.net.topology.node_of_bus
        f, t = node[self.net.branches.from_bus], node[self.net.branches.to_bus]
        return np.concatenate([f, self.sources.infeed_node[self.inner]]), np.concatenate([t, self.net.node_of(self.net.infeeds)[self.inner]])

    @property
    def load(self) -> Complexes:
        """Power drawn at 1 p.u. by node and exponent of voltage."""
        if self._load is None or not (np.array_equal(self._load[0], self.loads_draw) and np.array_equal(self._load[1], self.motors_draw)):
            load = np.zeros((self.n_all, len(EXPONENTS)), complex)
            np.add.at(load, self.net.node_of(self.net.loads), self.loads_draw)
            np.add.at(load, self.net.node_of(self.net.motors), self.motors_draw)
            self._load = self.loads_draw.copy(), self.motors_draw.copy(), load
        return self._load[2]

    @cached_property
    def set_points(self) -> Complexes:
        """What machines deliver by their set points, by node."""
        given = np.zeros(self.n_all, complex)
        np.add.at(given, self.net.node_of(self.net.machines), machine_power(self.net))
        return given

    def island_of(self, node: int) -> int:
        """The island of a node, also of one behind the impedance of an infeed."""
        n = self.net.topology.n_nodes
        return int(self.net.topology.island_of_node[node if node < n else self.ends[1][len(self.net.branches.ids) + node - n]])

    def holding(self, node: int) -> list[Infeed | SynchronousGenerator | Inverter]:
        """The sources that hold the voltage of a node."""
        if node in self.sources.reference:
            return [self.sources.reference[node]]
        return [self.net.machines[i] for i in self.sources.holders[node]]

    @cached_property
    def following(self) -> Following:
        return Following(self.net)

    def two_port(self) -> Complexes:
        """(branch, 2, 2) at the taps as they stand."""
        b = self.net.branches
        return branch_two_ports(b.r_flow, b.x, b.g, b.b, self.ratio)

    def generation(self) -> Complexes:
        """Known injections by node: set points, schedules of references, and machines at a reactive limit at that limit."""
        given = self.set_points.copy()
        for one in self.sources.shared:
            given[one.reference] += one.scheduled
        for target in self.sources.holders:
            if (side := self.at_limit.get(target)) is not None:
                for node, machines in self.sources.given_at(target).items():
                    given[node] += 1j * sum(self.sources.ranges[i][side == "most"] for i in machines)
            elif self.sources.from_elsewhere(target):
                for node, (_, beside) in self.sources.shares(target).items():
                    given[node] += 1j * beside
        for node, side in self.at_limit.items():
            if node in self.sources.reference_range:
                given[node] += 1j * self.sources.range_of(node)[side == "most"]
        return given

    def given(self) -> Given:
        """The power balance of the fed nodes as the controls stand."""
        y = self._admittance()
        pattern, unknown = self._pattern_of(y)
        return Given(y, self.generation()[self.fed], self.load[self.fed], pattern, self._follows if self.following else None, unknown)

    def _admittance(self) -> csr_array:
        """Of the fed nodes; made anew once a tap or a step has moved."""
        if self._y is None or not (np.array_equal(self._y[0], self.ratio) and np.array_equal(self._y[1], self.shunt)):
            z = self.sources.infeed_z[self.inner]
            none = np.zeros(len(z))
            ports = np.concatenate([self.two_port(), branch_two_ports(z.real, z.imag, none, none, np.ones(len(z), complex))])
            shunt = np.zeros(self.n_all, complex)
            np.add.at(shunt, self.net.node_of(self.net.shunts), np.conj(self.shunt))
            used, f, t = self._fed_ends
            y = node_admittance(int(self.fed.sum()), ports[used], f, t, shunt[self.fed])
            self._y = self.ratio.copy(), self.shunt.copy(), y
        return self._y[2]

    @cached_property
    def _fed_ends(self) -> tuple[np.ndarray, Ints, Ints]:
        """Which branches are fed, and their ends among the fed nodes: a branch lies wholly in a fed island or in none."""
        used = self.fed[self.ends[0]]
        return used, self.number[self.ends[0][used]], self.number[self.ends[1][used]]

    def _pattern_of(self, y: csr_array) -> tuple[Jacobian, Unknown | None]:
        """The pattern of the derivative for the unknowns as the limits stand, and the injections that are unknown."""
        limited = frozenset(self.at_limit)
        if self._pattern is None or self._pattern[0] != limited:
            sources = self.sources
            held, holds = set(sources.held), {n for n in (*sources.held, *sources.magnitude) if n not in limited}
            by_others = {n for n in holds if sources.from_elsewhere(n)}
            angle_free, magnitude_free = self._all_but(held), self._all_but(holds)
            p_rows = self._all_but(held - {one.reference for one in sources.shared})
            columns = [self._column({at: 1j * part for at, (part, _) in sources.shares(n).items()}) for n in by_others]
            for one in sources.shared:
                by_node = {one.reference: complex(one.part_of_reference / one.parts)}
                for i, part in one.part_of_machine.items():
                    node = int(sources.machine_node[i])
                    by_node[node] = by_node.get(node, 0j) + part / one.parts
                columns.append(self._column(by_node))
            unknown = Unknown.fixed(np.stack(columns, axis=1)) if columns else None
            pattern = Jacobian(y, angle_free, magnitude_free, p_rows, self._all_but(holds - by_others), unknown.at if unknown else None)
            self._pattern = limited, pattern, unknown
        return self._pattern[1], self._pattern[2]

    def _all_but(self, nodes: set[int]) -> Ints:
        """Positions of the fed nodes but some."""
        kept = np.ones(int(self.fed.sum()), bool)
        kept[self.number[np.array(sorted(nodes), np.intp)]] = False
        return np.flatnonzero(kept)

    def _column(self, by_node: dict[int, complex]) -> Complexes:
        """Parts of an unknown injection by fed node."""
        column = np.zeros(int(self.fed.sum()), complex)
        for node, part in by_node.items():
            column[self.number[node]] += part
        return column

    @cached_property
    def number(self) -> Ints:
        """Position of each node among the fed ones."""
        return np.asarray(np.cumsum(self.fed) - 1, np.intp)

    def _follows(self, v_abs: Floats) -> tuple[Complexes, Complexes]:
        """Power given by what follows the voltage by curves or exponents of its own, and its slope, by fed node."""
        s, slope = np.zeros(len(v_abs), complex), np.zeros(len(v_abs), complex)
        one = self.following
        for at, power, sign in ((one.machine_node, one.machine_power, 1), (one.load_node, one.load_power, -1)):
            on = self.fed[at]
            node = self.number[at]
            for total, part in zip((s, slope), with_slope(power, v_abs[node]), strict=True):
                np.add.at(total, node[on], sign * part[on])
        return s, slope

    def start(self) -> Complexes:
        """A flat start: 1 p.u., with the angle of the reference carried along the phase shifts of the transformers. Shape (fed node,)."""
        n = int(self.fed.sum())
        v = np.ones(n, complex)
        held = self.number[np.array(list(self.sources.held), np.intp)]
        v_held = np.array(list(self.sources.held.values()), complex)
        shift = np.concatenate([np.angle(self.ratio), np.zeros(len(self.inner))])
        if np.any(shift) or np.any(v_held.imag):
            used = self.fed[self.ends[0]]
            f, t, along = self.number[self.ends[0][used]], self.number[self.ends[1][used]], shift[used]
            angle = carried_angles(n, f, t, along, held, np.angle(v_held))
            v = np.exp(1j * angle)
        v[held] = v_held
        return self.with_held(v)

    def with_held(self, v: Complexes) -> Complexes:
        """The same start with the magnitudes that are held now."""
        v = v.copy()
        for node in (*self.sources.held, *self.sources.magnitude):
            if node not in self.at_limit:
                v[self.number[node]] *= self.sources.voltage_held(node) / abs(v[self.number[node]])
        return v

    def solved(self, warm: Complexes | None = None) -> Complexes:
        """Voltages of the fed nodes: each island by Newton's method from where it stood, from flat, and then by raising the load from nothing.

        Raises
        ------
        NoSolution
            With what was tried and the buses of the largest mismatches.
        """
        given, v = self.given(), self.start() if warm is None else self.with_held(warm)
        count, island = connected_components(_pattern(given.y), directed=False)
        if count == 1:
            return self._island(given, v, np.arange(len(v)), warm is not None)
        answer = v.copy()
        order = np.argsort(island, kind="stable")
        for nodes in np.split(order, np.flatnonzero(np.diff(island[order])) + 1):
            answer[nodes] = self._island(_part(given, nodes), v[nodes], nodes, warm is not None)
        return answer

    def _island(self, given: Given, v: Complexes, nodes: Ints, warm: bool) -> Complexes:
        tolerance, most = self.settings.tolerance_mva / self.net.s_base_mva, self.settings.max_iterations
        outcome = newton(given, v, tolerance, most)
        self._count(outcome)
        if not outcome.converged:
            flat = self.start()[nodes] if warm else v
            if warm:
                outcome = newton(given, flat, tolerance, most)
                self._count(outcome)
            if not outcome.converged:
                outcome = continued(given, flat, tolerance, most)
                self._count(outcome)
                self.continued_from_nothing = outcome.converged
        if not outcome.converged:
            raise self._no_solution(outcome, nodes)
        return outcome.v

    def _count(self, outcome: Outcome) -> None:
        self.iterations += outcome.iterations
        self.halvings += outcome.halvings

    def _no_solution(self, outcome: Outcome, nodes: Ints) -> NoSolution:
        fed = np.flatnonzero(self.fed)[nodes]
        worst = [int(i) for i in np.argsort(-outcome.mismatch, kind="stable")[:4]]
        told = [(self._bus_at(int(fed[i])), float(outcome.mismatch[i]) * self.net.s_base_mva) for i in worst if outcome.mismatch[i] > 0]
        tried = (
            "Newton's method from a flat start along the transformers' phase shifts, with steps halved where they did not help, "
            "then load and generation raised step by step from nothing"
        )
        if self.at_limit:
            tried += f", with {len(self.at_limit)} buses at a reactive limit"
        (bus, mva), *others = told or [(self._bus_at(int(fed[0])), math.nan)]
        return NoSolution(STUDY, tried, self.iterations, mva, bus, tuple(others), 100 * outcome.reached or None, self._suspect(set(fed.tolist())))

    def _suspect(self, nodes: set[int]) -> str:
        """The smallest impedance of an island, where it is too small for the arithmetic."""
        b = self.net.branches
        z = np.hypot(b.r_flow, b.x)
        own = [i for i in range(len(b.ids)) if int(self.ends[0][i]) in nodes]
        least = min(own, key=lambda i: z[i], default=-1)
        if least < 0 or z[least] > SMALLEST_Z_PU:
            return ""
        name = title_of(self.net.elements[b.ids[least]])
        return f"{name} has an impedance of {z[least]:.2g} p.u., too small to be told from none: correct it, or draw a closed switch."

    def _bus_at(self, node: int) -> str:
        n = self.net.topology.n_nodes
        return bus_name(self.net, node if node < n else int(self.ends[1][len(self.net.branches.ids) + node - n]))

    def linearised(self, v: Complexes) -> Linearised:
        """The power balance about a solution."""
        return Linearised(self.given(), v)

    def by_node(self, v: Complexes) -> Complexes:
        """Voltages of all nodes; nan where not fed."""
        v_node = np.full(self.n_all, np.nan, complex)
        v_node[self.fed] = v
        return v_node

    @cached_property
    def rows_of(self) -> dict[str, list[int]]:
        """The branches of each element."""
        rows: dict[str, list[int]] = {}
        for i, branch_id in enumerate(self.net.branches.ids):
            rows.setdefault(branch_id, []).append(i)
        return rows

    @cached_property
    def banks(self) -> dict[str, int]:
        """Position among the shunts of each capacitor bank."""
        return {e.id: i for i, e in enumerate(self.net.shunts) if isinstance(e, CapacitorBank)}


def _pattern(y: csr_array) -> csr_array:
    return csr_array((np.ones(len(y.indices)), y.indices, y.indptr), shape=y.shape)


def _part(given: Given, nodes: Ints) -> Given:
    """The power balance of one island."""
    at = np.full(given.y.shape[0], -1)
    at[nodes] = np.arange(len(nodes))
    whole = given.pattern
    y = csr_array(given.y[nodes][:, nodes])
    y.sort_indices()
    unknown = given.unknown.of(nodes) if given.unknown else None
    own = [np.asarray(at[free][at[free] >= 0], np.intp) for free in (whole.angle_free, whole.magnitude_free, whole.p_rows, whole.q_rows)]
    pattern = Jacobian(y, own[0], own[1], own[2], own[3], unknown.at if unknown else None)
    follows = None
    if of_all := given.follows:

        def follows(v_abs: Floats) -> tuple[Complexes, Complexes]:
            all_v = np.ones(given.y.shape[0])
            all_v[nodes] = v_abs
            s, slope = of_all(all_v)
            return s[nodes], slope[nodes]

    return Given(y, given.generation[nodes], given.load[nodes], pattern, follows, unknown)


def carried_angles(n: int, f: Ints, t: Ints, shift: Floats, roots: Ints, angles: Floats) -> Floats:
    """Angle of each node by the phase shifts on the way from the next root, level by level."""
    graph = coo_array((np.ones(2 * len(f)), (np.concatenate([f, t]), np.concatenate([t, f]))), shape=(n, n)).tocsr()
    lead = coo_array((np.concatenate([-shift, shift]), (np.concatenate([f, t]), np.concatenate([t, f]))), shape=(n, n)).tocsr()
    several = coo_array((np.ones(2 * len(f)), (np.concatenate([f, t]), np.concatenate([t, f]))), shape=(n, n)).tocsr()
    lead.data = lead.data / several.data  # of parallel branches the mean counts
    answer, reached = np.zeros(n), np.zeros(n, bool)
    for root, angle in zip(roots, angles, strict=True):
        if reached[root]:
            continue
        order, before = breadth_first_order(graph, root, directed=False)
        answer[root] = angle
        steps = np.asarray(lead[before[order[1:]], order[1:]]).ravel() if len(order) > 1 else np.zeros(0)
        for node, step in zip(order[1:].tolist(), steps.tolist(), strict=True):
            answer[node] = answer[before[node]] + step
        reached[order] = True
    return answer
