"""Arrays of one solved state, and what follows for each element."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from northfell.core.model.elements import Bus, Consumer, Element, Infeed, Inverter, SynchronousGenerator
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes
from northfell.core.studies.load_flow.injections import asked_mw
from northfell.core.studies.load_flow.loading import Loading, Rating, loading_of, rating_of
from northfell.core.studies.load_flow.settings import LoadFlowSettings

Source = Infeed | SynchronousGenerator | Inverter
LIMIT_SLACK_MVAR = 1e-6  # the iteration stops within this


@dataclass(frozen=True)
class Solved:
    """Arrays of one solved state. Voltages in p.u. of nominal; powers flow from the bus into the element, in p.u."""

    net: Compiled
    settings: LoadFlowSettings
    iterations: int
    mismatch_mva: float
    notes: tuple[str, ...]  # on sources and the iteration
    v: Complexes  # (bus,) nan where not fed
    s_branch: Complexes  # (branch, end)
    s_load: Complexes  # (load,)
    s_motor: Complexes  # (motor,)
    s_shunt: Complexes  # (shunt,)
    s_infeed: Complexes  # (infeed,) delivered
    s_machine: Complexes  # (machine,) delivered: generators, then inverters
    i_switch: Complexes  # (closed switch,) from the first terminal to the second
    ratio: Complexes  # (branch,) at the taps that were found
    shunt: Complexes  # (shunt,) power drawn at 1 p.u., with the steps that were found
    at_limit: Mapping[str, str]  # id of a source -> which reactive limit it gives, and so does not hold its voltage
    held_down: Mapping[str, float]  # id of an inverter -> active power that the voltage of its bus keeps it from delivering [MW]
    ranges: Mapping[str, tuple[float, float]]  # id of a source that holds a voltage -> its reactive range [Mvar], where it may have one

    @cached_property
    def delivered(self) -> dict[str, complex]:
        """What each infeed and machine delivers, by id [MVA]; nan where not fed."""
        sources, s = (*self.net.infeeds, *self.net.machines), (*self.s_infeed, *self.s_machine)
        return {e.id: complex(one) * self.net.s_base_mva for e, one in zip(sources, s, strict=True)}

    def broken_limits(self) -> list[tuple[Source, float, str, float]]:
        """Sources that hold a voltage beyond a reactive limit: source, power given [Mvar], the limit's field and value."""
        broken: list[tuple[Source, float, str, float]] = []
        for g in (*self.net.infeeds, *self.net.machines):
            if g.id in self.at_limit:
                continue
            q = self.delivered[g.id].imag
            if g.flow_model == "ideal" if isinstance(g, Infeed) else g.mode in ("reference", "voltage"):
                if g.q_max_mvar is not None and q > g.q_max_mvar + LIMIT_SLACK_MVAR:
                    broken.append((g, q, "q_max_mvar", g.q_max_mvar))
                if g.q_min_mvar is not None and q < g.q_min_mvar - LIMIT_SLACK_MVAR:
                    broken.append((g, q, "q_min_mvar", g.q_min_mvar))
        return broken

    @property
    def messages(self) -> tuple[str, ...]:
        """What is worth knowing beside the tables."""
        told = [f"{title_of(g)} would have to give {q:.4g} Mvar to hold its voltage; {name} is {limit:g}." for g, q, name, limit in self.broken_limits()]
        limited = [self._at_limit_told(source, side) for source, side in self.at_limit.items()]
        held_down = [self.held_down_told(inverter) for inverter in self.held_down]
        return (*self.net.held_back_told, *self.notes, *told, *limited, *held_down)

    def held_down_told(self, inverter: str) -> str:
        """What the voltage keeps an inverter from delivering, in words."""
        e, p = self.net.elements[inverter], self.delivered[inverter].real
        v = abs(self.voltage(e.buses[0]))
        return f"{title_of(e)} delivers {p:.4g} MW, {self.held_down[inverter]:.4g} MW less than it could: its bus stands at {v:.4f} p.u. (volt-watt)."

    def bus_held(self, source: Source) -> str:
        """The bus whose voltage a source holds, or would hold: its own, or another of its island."""
        other = getattr(source, "v_bus", None)
        top = self.net.topology
        own, there = top.node_of_bus[top.bus_index[source.bus]], top.node_of_bus[top.bus_index[other or source.bus]]
        return other if other and there >= 0 and top.fed_node[there] and top.island_of_node[own] == top.island_of_node[there] else source.bus

    def _at_limit_told(self, source: str, side: str) -> str:
        g = self.net.elements[source]
        assert isinstance(g, Source)
        bus = self.bus_held(g)
        where = "" if bus == g.bus else f" at {self.net.name(bus)}"
        v, q = abs(self.voltage(bus)), self.delivered[source].imag
        return f"{title_of(g)} gives its {side} reactive power, {q:.4g} Mvar, and holds {v:.4f} p.u.{where} instead of {g.v_set_pu:g}."

    @cached_property
    def terminal_power(self) -> dict[str, list[complex]]:
        """Complex power from the bus into each element, by element id and terminal [MVA]; nan where not fed."""
        net, base = self.net, self.net.s_base_mva
        power: dict[str, list[complex]] = {}
        for branch_id, ends, s_ends in zip(net.branches.ids, net.branches.terminals.tolist(), self.s_branch, strict=True):
            at = power.setdefault(branch_id, [0j] * len(net.elements[branch_id].TERMINALS))
            for end, s in zip(ends, s_ends, strict=True):
                at[end] += complex(s) * base
        groups = (
            (net.loads, self.s_load),
            (net.motors, self.s_motor),
            (net.shunts, self.s_shunt),
            (net.infeeds, -self.s_infeed),
            (net.machines, -self.s_machine),
        )
        for elements, s in groups:
            for e, value in zip(elements, s, strict=True):
                power[e.id] = [complex(value) * base]
        top = net.topology
        for i, closed_id in enumerate(top.closed_ids):
            s = self.v[top.closed_from[i]] * np.conj(self.i_switch[i]) * base
            power[closed_id] = [0j] * len(net.elements[closed_id].TERMINALS)
            first, second = top.closed_terminals[i].tolist()
            power[closed_id][first], power[closed_id][second] = complex(s), complex(-s)
        return power

    def current_a(self, element: Element) -> list[float | None]:
        """Current at each terminal [A]; None where the voltage is unknown or the element carries none."""
        currents: list[float | None] = []
        for bus_id, s in zip(element.buses, self.terminal_power.get(element.id, ()), strict=False):
            bus = self.net.topology.bus_index[bus_id]
            u = abs(self.v[bus]) * self.net.v_nominal_kv[bus]
            currents.append(_finite(abs(s) / (math.sqrt(3) * u) * 1000) if u > 0 else None)
        return currents

    def loading(self, element: Element, emergency: bool = False) -> Loading:
        """Loading of an element that has a rating, with the basis of that rating and the terminal that governs."""
        key = element.id, emergency
        if key not in self._loadings:
            rating = rating_of(element, emergency) or Rating(None, "", "")
            if isinstance(element, Bus):
                self._loadings[key] = loading_of(element, rating, [0j], [self.bar_current_a.get(element.id)])
            else:
                by_tap = self.by_tap.get(element.id, 1.0) if self.settings.transformer_loading == "by current" else None
                self._loadings[key] = loading_of(element, rating, self.terminal_power.get(element.id), self.current_a(element), by_tap)
        return self._loadings[key]

    @cached_property
    def by_tap(self) -> dict[str, float]:
        """What the tap in use makes of the ratio of each transformer."""
        b = self.net.branches
        factors = np.abs(self.ratio / b.ratio_main)
        return {branch_id: float(factors[i]) for i, branch_id in enumerate(b.ids) if b.terminals[i, 0] == 0}

    @cached_property
    def _loadings(self) -> dict[tuple[str, bool], Loading]:
        return {}

    @cached_property
    def bar_current_a(self) -> dict[str, float]:
        """What is brought into each bus by the elements that deliver to it [A]: the largest current its bars may have to carry."""
        brought: dict[str, complex] = {}
        for element_id, power in self.terminal_power.items():
            for bus_id, s in zip(self.net.elements[element_id].buses, power, strict=True):
                if s.real < 0:
                    brought[bus_id] = brought.get(bus_id, 0j) - s
        found = {}
        for bus_id, s in brought.items():
            at = self.net.topology.bus_index[bus_id]
            u = abs(self.v[at]) * self.net.v_nominal_kv[at]
            if u > 0:
                found[bus_id] = float(abs(s) / (math.sqrt(3) * u) * 1000)
        return found

    def voltage(self, bus_id: str) -> complex:
        """Voltage of a bus [p.u.]; nan where not fed."""
        return complex(self.v[self.net.topology.bus_index[bus_id]])

    def source_power(self, element_id: str) -> complex:
        """What a source delivers [MVA]; nan where it is not in the result."""
        return -self.terminal_power.get(element_id, [complex(math.nan, math.nan)])[0]

    def _unserved_mw(self) -> float:
        """What consumers ask for that are not fed, those at buses out of service included [MW]; not what was kept back."""
        net = self.net
        total = 0.0
        for e in net.elements.values():
            if not isinstance(e, Consumer) or not e.in_service or not e.runs:
                continue
            bus = net.topology.bus_index[e.buses[0]]
            if not (net.topology.live[e.id] and (net.topology.fed_bus(bus) or net.is_held_back(bus))):
                total += asked_mw(e) * net.factor_of(e)
        return total

    @cached_property
    def totals(self) -> dict[str, float]:
        """Generation, load, losses and what shunts draw or give [MW, Mvar]: generation = load + losses + shunts."""
        base = self.net.s_base_mva
        generation = (np.nansum(self.s_infeed) + np.nansum(self.s_machine)) * base
        load = (np.nansum(self.s_load) + np.nansum(self.s_motor)) * base
        losses = np.nansum(self.s_branch) * base
        shunt = np.nansum(self.s_shunt) * base
        return {
            "generation_mw": float(generation.real), "generation_mvar": float(generation.imag),
            "load_mw": float(load.real), "load_mvar": float(load.imag),
            "losses_mw": float(losses.real), "losses_mvar": float(losses.imag),
            "shunt_mw": float(shunt.real), "shunt_mvar": float(shunt.imag), "unserved_mw": self._unserved_mw(),
        }  # fmt: skip


def _finite(value: float) -> float | None:
    value = float(value)
    return value if math.isfinite(value) else None
