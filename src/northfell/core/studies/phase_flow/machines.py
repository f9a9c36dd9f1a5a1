"""Inverters that follow a voltage by their curves, and machines that hold one, by phase: their powers are sought at which each has what it asks for."""

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np

from northfell.core.model.elements import Inverter, SynchronousGenerator
from northfell.core.network import Compiled
from northfell.core.network.lines.constants import FORTESCUE
from northfell.core.network.phases import PhaseFlow, PhaseNetwork
from northfell.core.studies.load_flow import Following, follows_voltage, most_mvar

Machine = SynchronousGenerator | Inverter
MOST_ROUNDS = 80
SETTLED, HELD = 1e-9, 1e-7  # what may be missing: of the rating of a machine by its curve, of the voltage of one that holds it
CURVE_SLOPE, HOLD_SLOPE = -1.5, 0.1  # the first guess of how what is missing changes with what is given
STEEPEST, FLATTEST = 30.0, 0.3  # bounds of it for curves, which fall with the voltage that rises with what is given
MOST_STEP = 0.5  # of the base, in one round


@dataclass(frozen=True)
class Sought:
    """Machines of a state whose power follows from a voltage, with where that is measured."""

    following: Following
    machines: tuple[Machine, ...]  # those that follow curves first, in their order, then those that hold a voltage
    held: int  # how many of them follow curves
    base_mva: float

    def __bool__(self) -> bool:
        return bool(self.machines)


def sought(net: Compiled) -> Sought:
    """What is to be sought in a state."""
    live = [g for g in net.machines if g.id in net.taking_part]
    following = Following(net)
    curves = [net.machines[i] for i in following.machines]
    holding = [g for g in live if g.mode == "voltage"]
    return Sought(following, (*curves, *holding), len(curves), net.s_base_mva)


def first_mva(net: Compiled, g: Machine) -> complex:
    """What a machine gives before its voltage is known [MVA]: by its curves at nominal voltage, or its active power alone."""
    if g.mode == "voltage":
        return complex(g.p_set_mw * net.factor_of(g))
    following = Following(net)
    at = [net.machines[i].id for i in following.machines].index(g.id)
    return complex(following.machine_power(np.ones(len(following.machines)))[at] * net.s_base_mva)


def settled(
    net: Compiled, network: PhaseNetwork, index: Mapping[tuple[str, str], int], solve: Callable[[PhaseNetwork], PhaseFlow | None]
) -> tuple[PhaseNetwork, PhaseFlow] | None:  # fmt: skip
    """The network with the powers at which all rest, and its flow; None where there is no flow, or they do not come to rest.

    Each power is moved by the slope that its last two values show: what is missing, f(U) − S of a curve and Uset − U of a voltage that is held,
    goes to nothing. A machine at its reactive limit rests there.
    """
    all_of = sought(net)
    flow = solve(network)
    ids = {one.element for one in network.loads}
    machines = [(k, g) for k, g in enumerate(all_of.machines) if g.id in ids]
    if flow is None or not machines:
        return None if flow is None else (network, flow)
    given = np.array([_given(network, g) for _, g in machines])
    before: tuple[np.ndarray, np.ndarray] | None = None
    slopes = np.array([CURVE_SLOPE if k < all_of.held else -HOLD_SLOPE / _size(g) for k, g in machines])
    slopes_p = np.full(len(machines), CURVE_SLOPE)
    for _ in range(MOST_ROUNDS):
        missing = _missing(net, all_of, machines, given, flow, index)
        if all(abs(m) <= (SETTLED * _size(g) if k < all_of.held else HELD) for m, (k, g) in zip(missing, machines, strict=True)):
            return network, flow
        if before is not None:
            for n, (k, g) in enumerate(machines):
                moved, change = given[n] - before[0][n], missing[n] - before[1][n]
                if abs(moved.imag) > 1e-9 * _size(g) and (slope := change.imag / moved.imag) != 0:
                    slopes[n] = _bounded(slope, k < all_of.held, _size(g))
                if abs(moved.real) > 1e-9 * _size(g):
                    slopes_p[n] = _bounded(change.real / moved.real, True, 1.0)
        before = given.copy(), missing.copy()
        for n, (_, g) in enumerate(machines):
            most = MOST_STEP * _size(g)
            p, q = missing[n].real / slopes_p[n], missing[n].imag / slopes[n]
            given[n] -= complex(max(-most, min(most, p)), max(-most, min(most, q)))
            if g.mode == "voltage":
                low, high = _range(g, given[n].real)
                given[n] = complex(given[n].real, max(low, min(high, given[n].imag)))
        network = _with(network, {g.id: s for (_, g), s in zip(machines, given, strict=True)})
        flow = solve(network)
        if flow is None:
            return None
    return None


def at_limits(net: Compiled, network: PhaseNetwork) -> Iterator[str]:
    """Machines that give all they may and no longer hold their voltage."""
    ids = {one.element for one in network.loads}
    for g in net.machines:
        if g.mode == "voltage" and g.id in ids and g.id in net.taking_part:
            s = _given(network, g)
            low, high = _range(g, s.real)
            near = 1e-9 * _size(g)
            if s.imag <= low + near or s.imag >= high - near:
                yield f"{g.name} gives its {'least' if s.imag <= low + near else 'most'} reactive power and no longer holds {g.v_set_pu:g} p.u."


def _bounded(slope: float, curve: bool, size: float) -> float:
    """The slope that is gone by: what is missing falls with what is given, of a curve by its own, of a held voltage by the network's."""
    if curve:
        return -min(STEEPEST, max(FLATTEST, -slope))
    return -min(10.0, max(1e-4, -slope * size)) / size


def _size(g: Machine) -> float:
    rated = (g.s_rated_mva or 0.0) * getattr(g, "count", 1)
    return rated or max(abs(g.p_set_mw), 1e-3)


def _range(g: Machine, p_mw: float) -> tuple[float, float]:
    most = most_mvar(g, p_mw)
    low, high = (math.inf if v is None else v for v in (g.q_min_mvar, g.q_max_mvar))
    return max(-most, low if math.isfinite(low) else -most), min(most, high)


def _given(network: PhaseNetwork, g: Machine) -> complex:
    return -sum((one.s_va for one in network.loads if one.element == g.id), 0j) / 1e6


def _with(network: PhaseNetwork, powers: Mapping[str, complex]) -> PhaseNetwork:
    count = {i: sum(1 for one in network.loads if one.element == i) for i in powers}
    loads = tuple(replace(one, s_va=-1e6 * powers[one.element] / count[one.element]) if one.element in powers else one for one in network.loads)
    return replace(network, loads=loads)


def _missing(
    net: Compiled, all_of: Sought, machines: list[tuple[int, Machine]], given: np.ndarray, flow: PhaseFlow, index: Mapping[tuple[str, str], int]
) -> np.ndarray:  # fmt: skip
    """What each asks for beyond what it gives [MVA]; of one that holds a voltage, what that is short of [p.u.], as imaginary part."""
    v = np.ones(all_of.held)
    for k, g in machines:
        if k < all_of.held:
            v[k] = measured(flow, index, g.bus)
    wanted = all_of.following.machine_power(v) * all_of.base_mva if all_of.held else np.zeros(0, complex)
    found = np.zeros(len(machines), complex)
    for n, (k, g) in enumerate(machines):
        if k < all_of.held:
            found[n] = wanted[k] - given[n]
            continue
        short = g.v_set_pu - measured(flow, index, g.v_bus or g.bus)
        low, high = _range(g, given[n].real)
        rests = (given[n].imag >= high and short > 0) or (given[n].imag <= low and short < 0)
        found[n] = 0j if rests else 1j * short
    return found


def measured(flow: PhaseFlow, index: Mapping[tuple[str, str], int], bus: str, phase: str | None = None) -> float:
    """The voltage that a machine goes by [p.u.]: positive sequence of three phases, between legs, else the mean to earth or neutral.

    With a phase that the bus has, that one alone.
    """
    if phase and (bus, phase) in index:
        n = index[bus, phase]
        neutral = index.get((bus, "n"))
        return abs(complex(flow.v_v[n] - (0 if neutral is None else flow.v_v[neutral]))) / float(flow.network.v_base_v[n])
    nodes = {c: index[bus, c] for c in "abc12n" if (bus, c) in index}
    base = flow.network.v_base_v
    if all(p in nodes for p in "abc"):
        v = np.array([flow.v_v[nodes[p]] for p in "abc"]) / base[nodes["a"]]
        return abs(complex(np.linalg.solve(FORTESCUE, v)[1]))
    if "1" in nodes and "2" in nodes:
        return abs(complex(flow.v_v[nodes["1"]] - flow.v_v[nodes["2"]])) / (2 * float(base[nodes["1"]]))
    if not set(nodes) - {"n"}:
        return math.nan  # it is not under voltage
    back = flow.v_v[nodes["n"]] if "n" in nodes else 0j
    return float(np.mean([abs(flow.v_v[n] - back) / base[n] for c, n in nodes.items() if c != "n"]))


def is_sought(g: Machine) -> bool:
    """Whether the power of a machine follows from a voltage."""
    return g.mode == "voltage" or follows_voltage(g)
