"""Why an element carries what it carries: active and reactive share, and who brings the reactive power."""

import math
from dataclasses import dataclass

import numpy as np

from northfell.core.model.elements import Element
from northfell.core.network import branch_two_ports
from northfell.core.network.compile import Floats
from northfell.core.studies.load_flow.case import Case
from northfell.core.studies.load_flow.newton import Linearised
from northfell.core.studies.load_flow.solved import Solved


@dataclass(frozen=True)
class Bringer:
    """What one element contributes to a reactive flow."""

    element: Element
    q_mvar: float


@dataclass(frozen=True)
class Cause:
    """The arithmetic of a loading: S² = P² + Q², and the parts of Q."""

    element: Element
    terminal: str
    p_mw: float
    q_mvar: float
    rating_pct: float
    without_q_pct: float  # what it would carry with the same active power alone
    bringers: tuple[Bringer, ...]  # largest first
    rest_mvar: float  # losses on the way, set points of voltage, and what active powers bring along

    @property
    def main_bringers(self) -> tuple[Bringer, ...]:
        """Those worth a line of their own: a hundredth of the reactive power or more, at most eight."""
        return tuple(b for b in self.bringers if abs(b.q_mvar) >= 0.01 * abs(self.q_mvar))[:8]


def cause_of(flow: Solved, case: Case, element: Element) -> Cause | None:
    """The cause of the loading of a branch or switching device; None where its loading is not known.

    The parts of Q follow from the sensitivity of the flow to each reactive injection about the solution, times that injection: one
    solution of the transposed Jacobian for all of them.
    """
    one = flow.loading(element)
    power = flow.terminal_power.get(element.id)
    if one.pct is None or power is None or one.terminal not in element.TERMINALS:
        return None
    terminal = element.TERMINALS.index(one.terminal)
    s = power[terminal]
    p, q = (s.real, s.imag) if s.real >= 0 else (-s.real, -s.imag)
    without = one.pct * abs(p) / abs(s) if abs(s) else 0.0
    bringers = _bringers(flow, case, element, terminal, -1.0 if s.real < 0 else 1.0)
    rest = q - sum(b.q_mvar for b in bringers)
    return Cause(element, one.terminal, p, q, one.pct, without, tuple(bringers), rest)


def _bringers(flow: Solved, case: Case, element: Element, terminal: int, sign: float) -> list[Bringer]:
    rows = case.rows_of.get(element.id, [])
    if not rows:
        return []  # a switch has no impedance of its own: its flow is what remains of its bus
    v = np.concatenate([_by_node(flow, case)[case.fed]])
    linear = Linearised(case.given(), v)
    by_angle, by_magnitude = _derivatives(flow, case, rows, terminal, v)
    _, weight = linear.weights(by_angle, by_magnitude)
    net, base = flow.net, flow.net.s_base_mva
    found = []
    groups = (
        (net.loads, -flow.s_load), (net.motors, -flow.s_motor), (net.shunts, -flow.s_shunt),
        (net.machines, np.array([0j if g.mode in ("reference", "voltage") and g.id not in flow.at_limit else s
                                 for g, s in zip(net.machines, flow.s_machine, strict=True)], complex)),
    )  # fmt: skip
    for elements, injected in groups:
        for e, s in zip(elements, injected, strict=True):
            node = int(net.topology.node_of_bus[net.topology.bus_index[e.buses[0]]])
            if node >= 0 and case.fed[node] and math.isfinite(s.imag):
                found.append(Bringer(e, sign * float(weight[case.number[node]] * s.imag) * base))
    return sorted((b for b in found if abs(b.q_mvar) > 1e-9), key=lambda b: -abs(b.q_mvar))


def _by_node(flow: Solved, case: Case) -> np.ndarray:
    """Voltages by node; those of infeeds behind an impedance are what they hold."""
    v = np.full(case.n_all, np.nan, complex)
    node = flow.net.topology.node_of_bus
    v[node[node >= 0]] = flow.v[node >= 0]
    for at, held in case.sources.held.items():
        if at >= flow.net.topology.n_nodes:
            v[at] = held
    return v


def _derivatives(flow: Solved, case: Case, rows: list[int], terminal: int, v: np.ndarray) -> tuple[Floats, Floats]:
    """Derivatives of the reactive flow into a terminal by the angles and magnitudes of the fed nodes."""
    b = flow.net.branches
    by_angle, by_magnitude = np.zeros(len(v)), np.zeros(len(v))
    for row in rows:
        ports = branch_two_ports(b.r_flow[[row]], b.x[[row]], b.g[[row]], b.b[[row]], flow.ratio[[row]])[0]
        nodes = [int(case.number[case.ends[k][row]]) for k in (0, 1)]
        for end in (0, 1):
            if int(b.terminals[row, end]) != terminal:
                continue
            a, c = nodes[end], nodes[1 - end]
            y_aa, y_ac = complex(ports[end, end]), complex(ports[end, 1 - end])
            i = y_aa * v[a] + y_ac * v[c]
            by_angle[a] += (1j * v[a] * np.conj(i) - 1j * v[a] * np.conj(y_aa * v[a])).imag
            by_angle[c] += (-1j * v[a] * np.conj(y_ac * v[c])).imag
            by_magnitude[a] += (v[a] / abs(v[a]) * np.conj(i) + v[a] * np.conj(y_aa * v[a] / abs(v[a]))).imag
            by_magnitude[c] += (v[a] * np.conj(y_ac * v[c] / abs(v[c]))).imag
    return by_angle, by_magnitude
