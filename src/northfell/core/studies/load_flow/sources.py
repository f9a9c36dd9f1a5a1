"""Infeeds and machines: who holds which voltage, within which reactive range, and who is the angle reference of each fed island."""

import math
from dataclasses import dataclass

import numpy as np

from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import Infeed, Inverter, SynchronousGenerator
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes
from northfell.core.network.impedance import feeder_impedance
from northfell.core.network.topology import Ints
from northfell.core.studies.load_flow.capability import reactive_range
from northfell.core.studies.load_flow.injections import asked_mvar, bounded_by_voltage, follows_voltage, most_mvar
from northfell.core.studies.load_flow.settings import LoadFlowSettings

STUDY = "load_flow"


@dataclass(frozen=True)
class Sources:
    """Infeeds and machines as the solution needs them. Infeeds behind an impedance hold the voltage at a node of their own."""

    infeed_node: Ints  # (infeed,) node whose voltage the infeed holds; its own for one behind impedance
    infeed_z: Complexes  # (infeed,) 0 for an ideal one
    machine_node: Ints
    held: dict[int, complex]  # node -> voltage fixed in magnitude and angle
    reference: dict[int, Infeed | SynchronousGenerator | Inverter]  # node -> who fixes it
    reference_range: dict[int, tuple[float, float]]  # the same nodes, where the reactive power of that source is bounded [p.u.]
    magnitude: dict[int, float]  # node -> voltage fixed in magnitude
    holders: dict[int, list[int]]  # node -> machines that hold its magnitude, from there or from elsewhere
    ranges: dict[int, tuple[float, float]]  # machine -> its reactive range [p.u.]
    shared: tuple["SharedSurplus", ...]
    messages: list[str]

    def range_of(self, node: int) -> tuple[float, float]:
        """Reactive range of all that hold the magnitude at a node [p.u.]."""
        if node in self.reference_range:
            return self.reference_range[node]
        each = [self.ranges[i] for i in self.holders[node]]
        return sum(a for a, _ in each), sum(b for _, b in each)

    def voltage_held(self, node: int) -> float:
        """Magnitude that is held at a node, unless a limit acts [p.u.]."""
        return abs(self.held[node]) if node in self.held else self.magnitude[node]

    def given_at(self, node: int) -> dict[int, list[int]]:
        """Where the machines that hold the magnitude of a node give their reactive power: their nodes, with the machines at each."""
        found: dict[int, list[int]] = {}
        for i in self.holders[node]:
            found.setdefault(int(self.machine_node[i]), []).append(i)
        return found

    def from_elsewhere(self, node: int) -> bool:
        """Whether the magnitude of a node is held, in part at least, by machines at other nodes."""
        return node in self.holders and any(int(self.machine_node[i]) != node for i in self.holders[node])

    def shares(self, node: int) -> dict[int, tuple[float, float]]:
        """Part of the reactive power of those that hold a node from elsewhere, and what each gives beside its part: by node of the machines.

        By the same part of each range, so that they reach their limits together; where none is bounded, equally by machine.
        """
        low, high = self.range_of(node)
        if not (math.isfinite(low) and math.isfinite(high) and high > low):
            return {at: (len(those) / len(self.holders[node]), 0.0) for at, those in self.given_at(node).items()}
        found = {}
        for at, those in self.given_at(node).items():
            least, most = (sum(self.ranges[i][k] for i in those) for k in (0, 1))
            part = (most - least) / (high - low)
            found[at] = part, least - part * low
        return found


@dataclass(frozen=True)
class SharedSurplus:
    """An island in which several sources take what set points leave over or short."""

    reference: int  # its node
    scheduled: float  # what the reference delivers before its part is added [p.u.]
    part_of_reference: float
    part_of_machine: dict[int, float]

    @property
    def parts(self) -> float:
        return self.part_of_reference + sum(self.part_of_machine.values())


Reasons = list[tuple[int, str]]  # a bus, and what stands against a solution there


def sources_of(net: Compiled, settings: LoadFlowSettings) -> tuple[Sources, Reasons]:
    """Who holds which voltage, with a reference for every fed island.

    Returns
    -------
    The sources, and what stands against a solution: a bus, and why (no angle reference in its island, or two on one node).
    """
    reasons: Reasons = []
    messages: list[str] = []
    machine_node, machine_bus = net.node_of(net.machines), net.bus_of(net.machines)
    infeed_node, z, reference = _references(net, reasons)
    held = {node: _voltage_of(e) for node, e in reference.items()}
    reference_range = {node: r for node, e in reference.items() if (r := _range_of_reference(e, net.s_base_mva)) and node < net.topology.n_nodes}
    magnitude: dict[int, float] = {}
    holders: dict[int, list[int]] = {}
    ranges: dict[int, tuple[float, float]] = {}
    for i, (g, node) in enumerate(zip(net.machines, machine_node.tolist(), strict=True)):
        if g.mode != "voltage" or not net.topology.fed_node[node]:
            continue  # an inverter alone forms no network
        at = _bus_held(net, g, node, messages)
        if at in held:
            where = "the same bus" if at == node else f"bus {bus_name(net, at)}"
            messages.append(f"{title_of(g)} does not hold the voltage: {title_of(reference[at])} does at {where}. It is taken with 0 Mvar.")
        elif magnitude.setdefault(at, g.v_set_pu) != g.v_set_pu:
            told = f"{title_of(g)}: v_set_pu is {g.v_set_pu:g}, accepted is {magnitude[at]:g} p.u. as held by another at the same bus."
            reasons.append((int(machine_bus[i]), told))
        else:
            holders.setdefault(at, []).append(i)
            ranges[i] = _range_of(net, settings, g, int(machine_bus[i]), reasons, messages)
    for g, bus in zip(net.machines, machine_bus.tolist(), strict=True):
        if not net.topology.fed_bus(bus) or g.mode in ("reference", "voltage"):
            continue
        by_curve = g.mode if g.mode in ("volt-var", "power factor by power") else "volt-watt" if bounded_by_voltage(g) else ""
        if by_curve and g.s_rated_mva is None:
            reasons.append((bus, f"{title_of(g)}: s_rated_mva is empty; “{by_curve}” goes by a part of it."))
        else:
            messages += _within_rating(g, net.factor_of(g))
    reasons += _without_reference(net, {int(infeed_node[i]) for i in range(len(z)) if z[i] == 0} | set(held), z)
    messages += _ideal_neighbours(net, infeed_node, z, machine_node)
    shared = _shared(net, infeed_node, reference, messages) if settings.surplus == "shared" else ()
    sources = Sources(infeed_node, z, machine_node, held, reference, reference_range, magnitude, holders, ranges, shared, messages)
    reasons += _held_from_elsewhere(net, sources)
    return sources, reasons


def _references(net: Compiled, reasons: Reasons) -> tuple[Ints, Complexes, dict[int, Infeed | SynchronousGenerator | Inverter]]:
    """Nodes at which infeeds hold their voltage, the impedance before them, and who fixes magnitude and angle where."""
    infeed_node, bus = net.node_of(net.infeeds).copy(), net.bus_of(net.infeeds)
    z = np.zeros(len(net.infeeds), complex)
    own = net.topology.n_nodes
    reference: dict[int, Infeed | SynchronousGenerator | Inverter] = {}
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
        if node in reference:
            reasons.append((int(bus[i]), _two_references(title_of(e), title_of(reference[node]))))
        reference[node] = e
    for g, node, at in zip(net.machines, net.node_of(net.machines).tolist(), net.bus_of(net.machines).tolist(), strict=True):
        if g.mode == "reference" and net.topology.fed_node[node]:
            if node in reference:
                reasons.append((at, _two_references(title_of(g), title_of(reference[node]))))
            reference[node] = g
    return infeed_node, z, reference


def _voltage_of(e: Infeed | SynchronousGenerator | Inverter) -> complex:
    return complex(e.v_set_pu * np.exp(1j * math.radians(e.angle_deg if isinstance(e, Infeed) else 0.0)))


def _range_of_reference(e: Infeed | SynchronousGenerator | Inverter, s_base_mva: float) -> tuple[float, float] | None:
    """Reactive range of a reference by its limits as they are given [p.u.]; None where it has none.

    Its active power follows from the solution, so that its rating bounds nothing here.
    """
    if e.q_min_mvar is None and e.q_max_mvar is None:
        return None
    low, high = -math.inf if e.q_min_mvar is None else e.q_min_mvar, math.inf if e.q_max_mvar is None else e.q_max_mvar
    return low / s_base_mva, high / s_base_mva


def _bus_held(net: Compiled, g: SynchronousGenerator | Inverter, node: int, messages: list[str]) -> int:
    """The node whose voltage a machine holds: its own where that of another bus cannot be held from there."""
    if g.v_bus is None:
        return node
    top = net.topology
    at = int(top.node_of_bus[top.bus_index[g.v_bus]])
    if at < 0 or not top.fed_node[at] or top.island_of_node[at] != top.island_of_node[node]:
        messages.append(f"{title_of(g)}: bus {net.name(g.v_bus)} has no voltage in its island in this state; it holds {g.v_set_pu:g} p.u. at its own bus.")
        return node
    return at


def _range_of(
    net: Compiled, settings: LoadFlowSettings, g: SynchronousGenerator | Inverter, bus: int, reasons: Reasons, messages: list[str]
) -> tuple[float, float]:
    """Reactive range of a machine that holds a voltage [p.u.], and what is to be said of it."""
    low, high = reactive_range(g, g.p_set_mw * net.factor_of(g))
    if g.capability == "by rating":
        lacking = [f for f in ("s_rated_mva", "power_factor_rated") if hasattr(g, "xd_pct") and g.xd_pct is not None and getattr(g, f) is None]
        lacking = lacking or (["s_rated_mva"] if g.s_rated_mva is None else [])
        if lacking:
            told = " and ".join(parameter(type(g), f).label.lower() for f in lacking)  # type: ignore[union-attr]
            messages.append(f"{title_of(g)}: its reactive range is not bounded by its rating: {told} is empty.")
    if low > high and settings.reactive_limits == "on":
        reasons.append((bus, f"{title_of(g)}: q_min_mvar is {low:.4g}, accepted is at most its most reactive power, {high:.4g} Mvar."))
    return low / net.s_base_mva, high / net.s_base_mva


def _held_from_elsewhere(net: Compiled, sources: Sources) -> Reasons:
    """What stands against holding the voltage of a bus from others."""
    reasons: Reasons = []
    holds: dict[int, int] = {}
    for target, machines in sources.holders.items():
        for i in machines:
            node, g = int(sources.machine_node[i]), net.machines[i]
            if holds.setdefault(node, target) != target:
                told = f"{title_of(g)} and another machine at its bus hold the voltages of different buses: accepted is one bus for both."
                reasons.append((int(net.bus_of(net.machines)[i]), told))
            elif node in sources.held and node != target:
                told = f"{title_of(g)}: {title_of(sources.reference[node])} holds the voltage of its own bus, so that it cannot hold another."
                reasons.append((int(net.bus_of(net.machines)[i]), told))
        bounded = {i for i in machines for q in sources.ranges[i] if math.isfinite(q)}
        whole = all(math.isfinite(q) for i in bounded for q in sources.ranges[i])
        if len(sources.given_at(target)) > 1 and bounded and (len(bounded) < len(machines) or not whole):
            names = ", ".join(title_of(net.machines[i]) for i in machines)
            told = f"{names} hold the voltage of bus {bus_name(net, target)} together: accepted is a least and a most reactive power for each, or for none."
            reasons.append((int(net.bus_of(net.machines)[machines[0]]), told))
    return reasons


def _shared(net: Compiled, infeed_node: Ints, reference: dict[int, Infeed | SynchronousGenerator | Inverter], messages: list[str]) -> tuple[SharedSurplus, ...]:
    """The islands in which the surplus is shared, with the parts of their sources; where it is not, that is told."""
    top = net.topology
    node_of_infeed = {int(at): int(node) for at, node in zip(infeed_node, net.node_of(net.infeeds), strict=True)}
    in_island: dict[int, list[int]] = {}
    for at in reference:
        in_island.setdefault(int(top.island_of_node[node_of_infeed.get(at, at)]), []).append(at)
    found = []
    for island, nodes in in_island.items():
        if len(nodes) > 1:
            names = ", ".join(title_of(reference[at]) for at in nodes)
            messages.append(f"The surplus is not shared between {names} and the machines beside them: each of them fixes an angle, and takes what comes.")
            continue
        e = reference[nodes[0]]
        part_of_machine = {
            i: part
            for i, (g, node) in enumerate(zip(net.machines, net.node_of(net.machines).tolist(), strict=True))
            if g.mode != "reference" and node >= 0 and top.fed_node[node] and top.island_of_node[node] == island and (part := _part(g)) > 0
        }
        one = SharedSurplus(nodes[0], e.p_scheduled_mw / net.s_base_mva, _part(e), part_of_machine)
        alone = not any(top.island_of_node[node] == island for node in net.node_of(net.machines) if node >= 0)
        if one.parts <= 0 and alone:
            continue  # there is nobody to share it with
        if one.parts <= 0:
            messages.append(f"The surplus in the island of {title_of(e)} is not shared: no source there has a part in it.")
            continue
        found.append(one)
    return tuple(found)


def _part(e: Infeed | SynchronousGenerator | Inverter) -> float:
    """The part of a source in the surplus: as given, or a generator's rated power."""
    if isinstance(e, Inverter) and (follows_voltage(e) or e.mode == "power factor by power"):
        return 0.0  # its active power is what its source and the voltage leave
    if e.participation is not None:
        return e.participation
    return (e.s_rated_mva or 0.0) if isinstance(e, SynchronousGenerator) else 0.0


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
