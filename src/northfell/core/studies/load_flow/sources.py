"""Infeeds and machines: who holds which voltage, within which reactive range, and who is the angle reference of each fed island."""

import math
from dataclasses import dataclass

import numpy as np

from northfell.core.model.elements import Inverter, SynchronousGenerator
from northfell.core.model.network import title_of
from northfell.core.model.parameters import Study, parameter
from northfell.core.model.settings import LoadFlowSettings
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes
from northfell.core.network.impedance import feeder_impedance
from northfell.core.network.topology import Ints
from northfell.core.studies.load_flow.capability import reactive_range
from northfell.core.studies.load_flow.injections import asked_mvar, most_mvar

STUDY: Study = "load_flow"


@dataclass(frozen=True)
class Sources:
    """Infeeds and machines as the solution needs them. Infeeds behind an impedance hold the voltage at a node of their own."""

    infeed_node: Ints  # (infeed,) node whose voltage the infeed holds; its own for one behind impedance
    infeed_z: Complexes  # (infeed,) 0 for an ideal one
    machine_node: Ints
    held: dict[int, complex]  # node -> voltage fixed in magnitude and angle
    magnitude: dict[int, float]  # node -> voltage fixed in magnitude
    holders: dict[int, list[int]]  # node -> machines that hold its magnitude
    ranges: dict[int, tuple[float, float]]  # machine -> its reactive range [p.u.]
    messages: list[str]

    def range_of(self, node: int) -> tuple[float, float]:
        """Reactive range of all machines that hold the magnitude at a node [p.u.]."""
        each = [self.ranges[i] for i in self.holders[node]]
        return sum(a for a, _ in each), sum(b for _, b in each)


def sources_of(net: Compiled, settings: LoadFlowSettings) -> tuple[Sources, list[tuple[int, str]]]:
    """Who holds which voltage, with a reference for every fed island.

    Returns
    -------
    The sources, and what stands against a solution: a bus, and why (no angle reference in its island, or two on one node).
    """
    reasons: list[tuple[int, str]] = []
    messages: list[str] = []
    infeed_node, machine_node = net.node_of(net.infeeds).copy(), net.node_of(net.machines)
    bus = net.bus_of(net.infeeds)
    z = np.zeros(len(net.infeeds), complex)
    own = net.topology.n_nodes
    held: dict[int, complex] = {}
    holder: dict[int, str] = {}
    machine_bus = net.bus_of(net.machines)
    for i, e in enumerate(net.infeeds):
        if not net.topology.fed_bus(int(bus[i])):
            continue  # kept back
        if e.flow_model == "behind impedance":
            if e.ik_max_ka is None or e.r_over_x is None or math.isnan(net.v_nominal_kv[bus[i]]):
                field = "ik_max_ka" if e.ik_max_ka is None else "r_over_x" if e.r_over_x is None else "v_nominal_kv of its bus"
                told = f"{title_of(e)}: {field} is empty; flow_model “behind impedance” needs it. Accepted too: flow_model “ideal”."
                reasons.append((int(bus[i]), told))
                continue
            v_kv = net.v_nominal_kv[bus[i]]
            z[i] = feeder_impedance(1.0, v_kv, e.ik_max_ka, e.r_over_x) * net.s_base_mva / v_kv**2
            infeed_node[i], own = own, own + 1
        node = int(infeed_node[i])
        if node in held:
            reasons.append((int(bus[i]), _two_references(title_of(e), holder[node])))
        held[node], holder[node] = e.v_set_pu * np.exp(1j * math.radians(e.angle_deg)), title_of(e)
    for g, node, at in zip(net.machines, machine_node.tolist(), machine_bus.tolist(), strict=True):
        if g.mode == "reference" and net.topology.fed_node[node]:
            if node in held:
                reasons.append((at, _two_references(title_of(g), holder[node])))
            held[node], holder[node] = complex(g.v_set_pu), title_of(g)
    magnitude: dict[int, float] = {}
    holders: dict[int, list[int]] = {}
    ranges: dict[int, tuple[float, float]] = {}
    for i, (g, node) in enumerate(zip(net.machines, machine_node.tolist(), strict=True)):
        if g.mode != "voltage" or not net.topology.fed_node[node]:
            continue  # an inverter alone forms no network
        if node in held:
            messages.append(f"{title_of(g)} does not hold the voltage: {holder[node]} does at the same bus. It is taken with 0 Mvar.")
        elif magnitude.setdefault(node, g.v_set_pu) != g.v_set_pu:
            told = f"{title_of(g)}: v_set_pu is {g.v_set_pu:g}, accepted is {magnitude[node]:g} p.u. as held by another at the same bus."
            reasons.append((int(machine_bus[i]), told))
        else:
            holders.setdefault(node, []).append(i)
            low, high = reactive_range(g, g.p_set_mw * net.factor_of(g))
            ranges[i] = low / net.s_base_mva, high / net.s_base_mva
            if g.capability == "by rating":
                lacking = [f for f in ("s_rated_mva", "power_factor_rated") if hasattr(g, "xd_pct") and g.xd_pct is not None and getattr(g, f) is None]
                lacking = lacking or (["s_rated_mva"] if g.s_rated_mva is None else [])
                if lacking:
                    told = " and ".join(parameter(type(g), f).label.lower() for f in lacking)  # type: ignore[union-attr]
                    messages.append(f"{title_of(g)}: its reactive range is not bounded by its rating: {told} is empty.")
            if low > high and settings.reactive_limits == "on":
                told = f"{title_of(g)}: q_min_mvar is {low:.4g}, accepted is at most its most reactive power, {high:.4g} Mvar."
                reasons.append((int(machine_bus[i]), told))
    for g, at in zip(net.machines, machine_bus.tolist(), strict=True):
        if g.mode == "volt-var" and g.s_rated_mva is None and net.topology.fed_bus(at):
            reasons.append((at, f"{title_of(g)}: s_rated_mva is empty; mode “volt-var” gives a part of it."))
        if g.mode in ("power", "power factor", "volt-var") and net.topology.fed_bus(at):
            messages += _within_rating(g, net.factor_of(g))
    reasons += _without_reference(net, {int(infeed_node[i]) for i in range(len(z)) if z[i] == 0} | set(held), z)
    messages += _ideal_neighbours(net, infeed_node, z, machine_node)
    return Sources(infeed_node, z, machine_node, held, magnitude, holders, ranges, messages), reasons


def _within_rating(g: SynchronousGenerator | Inverter, scale: float) -> list[str]:
    """What is told of an inverter whose reactive power by set points or curve is more than its rated power leaves."""
    if isinstance(g, Inverter) and g.capability == "by rating" and g.s_rated_mva is None:
        return [f"{title_of(g)}: its reactive range is not bounded by its rating: rated power is empty."]
    asked = (g.s_rated_mva or 0.0) * g.count * g.vv_q_pct / 100 if isinstance(g, Inverter) and g.mode == "volt-var" else abs(asked_mvar(g, scale))
    most = most_mvar(g, g.p_set_mw * scale)
    if asked <= most * (1 + 1e-9):
        return []
    what = "by voltage up to " if g.mode == "volt-var" else ""
    return [f"{title_of(g)}: its rated power leaves {most:.4g} Mvar beside its active power; {what}{asked:.4g} Mvar is asked for, and {most:.4g} Mvar taken."]


def bus_name(net: Compiled, node: int) -> str:
    """The name of a bus of a node."""
    bus = int(np.flatnonzero(net.topology.node_of_bus == node)[0])
    return net.name(net.topology.bus_ids[bus])


def _two_references(one: str, other: str) -> str:
    return (
        f"Two ideal references: {one} and {other} stand on one bus or are joined without impedance. Accepted is one ideal reference: "
        "set flow_model of the other to “behind impedance” (an infeed) or its mode to “power” or “voltage” (a generator), or open the switch between them."
    )


def _without_reference(net: Compiled, held: set[int], z: Complexes) -> list[tuple[int, str]]:
    island = net.topology.island_of_node
    with_reference = {int(island[node]) for node in held if node < net.topology.n_nodes}
    with_reference |= {int(island[node]) for node, zi in zip(net.node_of(net.infeeds), z, strict=True) if zi != 0}
    reasons = []
    for number in np.unique(island[net.topology.fed_node]):
        if int(number) not in with_reference:
            could = [title_of(g) for g, node in zip(net.machines, net.node_of(net.machines), strict=True) if island[node] == number]
            node = int(np.flatnonzero(island == number)[0])
            told = f"No angle reference in the island of bus {bus_name(net, node)}: accepted is mode “reference” on one of {', '.join(could)}, or an infeed."
            if could:
                reasons.append((int(np.flatnonzero(net.topology.node_of_bus == node)[0]), told))
    return reasons


def _ideal_neighbours(net: Compiled, infeed_node: Ints, z: Complexes, machine_node: Ints) -> list[str]:
    """Several ideal references in one island are solved, each holding its voltage, but named."""
    island = net.topology.island_of_node
    ideal: dict[int, list[str]] = {}
    for e, node, zi in zip(net.infeeds, infeed_node, z, strict=True):
        if zi == 0:
            ideal.setdefault(int(island[node]), []).append(title_of(e))
    for g, node in zip(net.machines, machine_node, strict=True):
        if g.mode == "reference":
            ideal.setdefault(int(island[node]), []).append(title_of(g))
    return [
        f"{len(names)} ideal references in one island: {', '.join(names)}. Each holds its voltage and angle, so that power may circulate between "
        "them. Accepted for all but one: flow_model “behind impedance” (an infeed), or mode “voltage” or “power” (a generator)."
        for names in ideal.values()
        if len(names) > 1
    ]
