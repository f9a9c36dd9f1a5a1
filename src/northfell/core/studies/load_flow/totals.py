"""Sums over a solved state: by area and voltage level, installed capacity and reserve, and reactive power told apart."""

import math
from dataclasses import dataclass, field
from typing import cast

import numpy as np

from northfell.core.model.elements import Bus, CapacitorBank, Inverter, SynchronousGenerator
from northfell.core.network.compile import Complexes
from northfell.core.network.topology import Ints
from northfell.core.quantities import figure
from northfell.core.studies.load_flow.solved import Solved


@dataclass
class Sum:
    """What one part of the network generates, draws, loses and could generate."""

    scope: str  # network, area or voltage level
    name: str
    generation: complex = 0j  # MVA throughout
    load: complex = 0j
    shunts: complex = 0j
    losses: complex = 0j
    installed_mw: float = 0.0  # rated active power of the machines in service
    without_rating: list[str] = field(default_factory=list)  # machines whose rating is not known

    @property
    def reserve_mw(self) -> float | None:
        """What the machines that run could deliver beyond what they do; None where a rating is missing or none runs."""
        return None if self.without_rating or not self.installed_mw else self.installed_mw - self.own_mw

    own_mw: float = 0.0  # delivered by those machines


def sums(flow: Solved) -> list[Sum]:
    """The whole network, then each area, then each voltage level from the highest down.

    The losses of a branch between two areas or levels stand where its first terminal is.
    """
    buses = [cast(Bus, flow.net.elements[b]) for b in flow.net.topology.bus_ids]
    nominal = [bus.v_nominal_kv or 0.0 for bus in buses]
    named = {v: f"{figure(v)} kV" if v else "" for v in set(nominal)}
    highest = {name: v for v, name in sorted(named.items())}
    whole = _by(flow, "network", [flow.net.network.name] * len(buses))
    areas = _by(flow, "area", [bus.area for bus in buses])
    levels = _by(flow, "voltage level", [named[v] for v in nominal])
    return [*whole, *areas, *sorted(levels, key=lambda one: -highest[one.name])]


def _by(flow: Solved, scope: str, names: list[str]) -> list[Sum]:
    """The sums over the parts of the network that the buses are named by; buses without a name are in none."""
    net, base = flow.net, flow.net.s_base_mva
    numbers = {name: k for k, name in enumerate(dict.fromkeys(names))}
    part = np.array([numbers[name] for name in names], np.intp)
    found = [Sum(scope, name) for name in numbers]
    some = np.zeros(len(numbers), bool)

    def summed(buses: Ints, s: Complexes) -> list[complex]:
        there = np.isfinite(s)
        some[part[buses[there]]] = True
        total = np.zeros(len(numbers), complex)
        np.add.at(total, part[buses[there]], s[there] * base)
        listed: list[complex] = total.tolist()
        return listed

    infeeds, machines = summed(net.bus_of(net.infeeds), flow.s_infeed), summed(net.bus_of(net.machines), flow.s_machine)
    loads, motors = summed(net.bus_of(net.loads), flow.s_load), summed(net.bus_of(net.motors), flow.s_motor)
    shunts, losses = summed(net.bus_of(net.shunts), flow.s_shunt), summed(net.branches.first_bus, flow.s_branch.sum(axis=1))
    for k, one in enumerate(found):
        one.generation, one.load, one.shunts, one.losses = infeeds[k] + machines[k], loads[k] + motors[k], shunts[k], losses[k]
    for g, at, s in zip(net.machines, net.bus_of(net.machines).tolist(), flow.s_machine, strict=True):
        if math.isfinite(s.real):
            found[part[at]].own_mw += float(s.real) * base
            _install(found[part[at]], g)
    return [one for k, one in enumerate(found) if one.name and some[k]]


def _install(one: Sum, e: SynchronousGenerator | Inverter) -> None:
    if e.s_rated_mva is None:
        one.without_rating.append(e.name)
    else:
        factor = getattr(e, "power_factor_rated", None) or 1.0
        one.installed_mw += e.s_rated_mva * getattr(e, "count", 1) * factor


@dataclass(frozen=True)
class ReactivePower:
    """Where reactive power comes from and where it goes [Mvar]: given + charging + capacitors = loads + reactors + series + magnetising."""

    given: float  # by sources that give
    taken_back: float  # by sources that take: what voltage set points drive round
    loads: float
    capacitors: float
    reactors: float
    charging: float
    series: float
    magnetising: float

    @property
    def circulating(self) -> float:
        """What some sources give only because others take it back."""
        return min(self.given, self.taken_back)


def reactive_power(flow: Solved) -> ReactivePower:
    """Reactive power told apart. Charging, series and magnetising parts follow from the π-equivalents at the solved voltages."""
    net, base = flow.net, flow.net.s_base_mva
    b = net.branches
    ends = np.stack([b.from_bus, b.to_bus], axis=1)
    v = flow.v[ends]
    inner = np.abs(v[:, 0] / flow.ratio) ** 2 + np.abs(v[:, 1]) ** 2  # behind the ratio, and at the second end
    shunt = -b.b / 2 * inner  # drawn by the two halves of the shunt branch
    series = flow.s_branch.sum(axis=1).imag - shunt
    sources = np.concatenate([flow.s_infeed.imag, flow.s_machine.imag])
    drawn = np.concatenate([flow.s_load.imag, flow.s_motor.imag])
    shunts = flow.s_shunt.imag

    def total(values: np.ndarray) -> float:
        return float(np.nansum(values)) * base

    return ReactivePower(
        given=total(sources[sources > 0]),
        taken_back=-total(sources[sources < 0]),
        loads=total(drawn),
        capacitors=-total(shunts[shunts < 0]),
        reactors=total(shunts[shunts > 0]),
        charging=-total(shunt[shunt < 0]),
        series=total(series),
        magnetising=total(shunt[shunt > 0]),
    )


def steps_in(flow: Solved) -> dict[str, int]:
    """Steps of each capacitor bank that are in, as they were found."""
    base = flow.net.s_base_mva
    return {e.id: round(-float(s.imag) * base / e.q_step_mvar) for e, s in zip(flow.net.shunts, flow.shunt, strict=True) if isinstance(e, CapacitorBank)}


def taps(flow: Solved) -> dict[str, float]:
    """Tap of each transformer [%], as it was found."""
    found: dict[str, float] = {}
    for e, by_tap in zip(flow.net.terminals.elements, flow.by_tap.tolist(), strict=True):
        if "tap_pct" in type(e).model_fields:
            low = getattr(e, "tap_side", "high side") == "low side"
            found[e.id] = 100 * ((1 / by_tap if low else by_tap) - 1)
    return found


@dataclass(frozen=True)
class Circulating:
    """What drives a current round two or more transformers in parallel."""

    element_id: str
    i_a: float  # circulating part at its first terminal
    with_: tuple[str, ...]  # the others


def circulating_currents(flow: Solved) -> list[Circulating]:
    """Circulating part of the current of transformers between the same two nodes.

    Each would carry its share of the sum by its admittance at the tap in use; what it carries beside that goes round.
    """
    net, b = flow.net, flow.net.branches
    node = net.topology.node_of_bus
    groups: dict[tuple[int, int], list[int]] = {}
    for i, branch_id in enumerate(b.ids):
        if "tap_pct" in type(net.elements[branch_id]).model_fields and len(net.elements[branch_id].TERMINALS) == 2:
            groups.setdefault((int(node[b.from_bus[i]]), int(node[b.to_bus[i]])), []).append(i)
    found = []
    for rows in groups.values():
        if len(rows) < 2 or np.isnan(flow.v[b.from_bus[rows[0]]]):
            continue
        v = flow.v[b.from_bus[rows[0]]]
        i_hv = np.conj(flow.s_branch[rows, 0] / v)
        y = 1 / (b.r_flow[rows] + 1j * b.x[rows]) / np.abs(flow.ratio[rows]) ** 2
        around = i_hv - i_hv.sum() * y / y.sum()
        i_base = net.i_base_ka()[b.from_bus[rows[0]]] * 1000
        for k, i in enumerate(rows):
            others = tuple(net.name(b.ids[j]) for j in rows if j != i)
            found.append(Circulating(b.ids[i], float(abs(around[k])) * float(i_base), others))
    return found
