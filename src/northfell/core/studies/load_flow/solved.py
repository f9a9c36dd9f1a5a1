"""Arrays of one solved state, and what follows for each element."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from northfell.core.model.elements import Bus, Consumer, Element, Infeed, Inverter, SynchronousGenerator, ThreeWindingTransformer, Transformer
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes, Floats, numbers
from northfell.core.studies.load_flow.injections import asked_mw
from northfell.core.studies.load_flow.loading import Bools, Loading, Loadings, Rating, Ratings, loadings_of, rating_of, ratings_of
from northfell.core.studies.load_flow.settings import LoadFlowSettings

Source = Infeed | SynchronousGenerator | Inverter
LIMIT_SLACK_MVAR = 1e-6  # the iteration stops within this
ROUNDING_MVA = 1e-8  # a power below it is what rounding left: it has no power factor, and nothing is brought by it


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
    def s_terminal(self) -> Complexes:
        """Complex power from the bus into each element (terminal,) [MVA]; nan where not fed, and where nothing is in the result."""
        net, base, at = self.net, self.net.s_base_mva, self.net.terminals
        s = np.full(len(at.bus), complex(math.nan, math.nan))
        rows = at.first[at.positions(net.branches.ids)]
        s[(rows[:, None] + net.branches.terminals).ravel()] = 0
        np.add.at(s, (rows[:, None] + net.branches.terminals).ravel(), self.s_branch.ravel() * base)
        for elements, drawn in self._of_one_terminal():
            s[at.first[at.positions(tuple(e.id for e in elements))]] = drawn * base
        top = net.topology
        rows = at.first[at.positions(top.closed_ids)]
        through = self.v[top.closed_from] * np.conj(self.i_switch) * base
        for row, count in zip(rows.tolist(), at.count[at.element[rows]].tolist(), strict=True):
            s[row : row + count] = 0
        s[rows + top.closed_terminals[:, 0]] = through
        s[rows + top.closed_terminals[:, 1]] = -through
        return s

    def _of_one_terminal(self) -> tuple[tuple[Sequence[Element], Complexes], ...]:
        """What each group of elements with one terminal draws [p.u.]."""
        net = self.net
        return (
            (net.loads, self.s_load), (net.motors, self.s_motor), (net.shunts, self.s_shunt), (net.infeeds, -self.s_infeed), (net.machines, -self.s_machine),
        )  # fmt: skip

    @cached_property
    def terminal_power(self) -> dict[str, list[complex]]:
        """Complex power from the bus into each element, by element id and terminal [MVA]; nan where not fed."""
        net, at, s = self.net, self.net.terminals, self.s_terminal.tolist()
        ids = dict.fromkeys((*net.branches.ids, *(e.id for elements, _ in self._of_one_terminal() for e in elements), *net.topology.closed_ids))
        first, last = at.first.tolist(), (at.first + at.count).tolist()
        return {i: s[first[k] : last[k]] if (k := at.at.get(i, -1)) >= 0 else [] for i in ids}

    @property
    def junctions(self) -> Bools:
        """Which buses are junctions (bus,): no boards, and so not judged by their voltage."""
        return np.array([getattr(self.net.elements[b], "bus_kind", "") == "junction" for b in self.net.topology.bus_ids], bool)

    @cached_property
    def u_kv(self) -> Floats:
        """Voltage of each bus (bus,) [kV]; nan where not fed or its nominal voltage is not known."""
        u: Floats = np.abs(self.v) * self.net.v_nominal_kv
        return u

    @cached_property
    def i_terminal_a(self) -> Floats:
        """Current at each terminal (terminal,) [A]; nan where the voltage is not known or the element carries none."""
        u = self.u_kv[self.net.terminals.bus]
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(u > 0, np.abs(self.s_terminal) / (math.sqrt(3) * u) * 1000, math.nan)

    def current_a(self, element: Element) -> list[float | None]:
        """Current at each terminal [A]; None where the voltage is unknown or the element carries none."""
        if element.id not in self.terminal_power:
            return []
        return [_finite(i) for i in self.i_terminal_a[self.net.terminals.of(element.id)].tolist()]

    def loadings(self, emergency: bool = False) -> Loadings:
        """Loading of all that has terminals, in their order."""
        return self._loadings_in_emergency if emergency else self._loadings

    @cached_property
    def _ratings(self) -> Ratings:
        return ratings_of(self.net.terminals)

    @cached_property
    def _ratings_in_emergency(self) -> Ratings:
        return ratings_of(self.net.terminals, emergency=True)

    @cached_property
    def _loadings(self) -> Loadings:
        return self._loadings_by(self._ratings)

    @cached_property
    def _loadings_in_emergency(self) -> Loadings:
        return self._loadings_by(self._ratings_in_emergency)

    def _loadings_by(self, ratings: Ratings) -> Loadings:
        by_tap = self.by_tap if self.settings.transformer_loading == "by current" else None
        return loadings_of(self.net.terminals, ratings, self.s_terminal, self.i_terminal_a, by_tap)

    @cached_property
    def bar_loading_pct(self) -> Floats:
        """What is brought into each bus, of the rating of its bars (bus,) [%]; nan where that is not known."""
        rated = numbers([self.net.elements[b] for b in self.net.topology.bus_ids], "i_rated_a")
        return 100 * self.bar_current_a / rated

    def loading(self, element: Element, emergency: bool = False) -> Loading:
        """Loading of an element that has a rating, with the basis of that rating and the terminal that governs."""
        rating = rating_of(element, emergency) or Rating(None, "", "")
        if isinstance(element, Bus):
            at = self.net.topology.bus_index[element.id]
            return Loading(_finite(self.bar_loading_pct[at]), _finite(self.bar_current_a[at]), rating.value, rating.unit, rating.basis, "")
        k = self.net.terminals.at.get(element.id)
        if k is None:
            return Loading(None, None, rating.value, rating.unit, rating.basis, "")
        every = self.loadings(emergency)
        terminal = int(every.terminal[k]) - int(self.net.terminals.first[k])
        return Loading(
            _finite(every.pct[k]), _finite(every.carries[k]), _finite(every.rating[k]), rating.unit, self.basis(element, k, emergency).basis,
            element.TERMINALS[terminal] if terminal >= 0 else "", bool(every.by_current[k]),
        )  # fmt: skip

    def most_loaded(self, emergency: bool = False) -> Element | None:
        """What carries most of its rating, of all that has terminals and the bars of the buses; the first in the network of those that carry the same."""
        net, top = self.net, self.net.topology
        live = np.array([top.live[b] for b in top.bus_ids], bool)
        found = []
        for pct, those in ((self.loadings(emergency).pct, net.terminals.elements), (np.where(live, self.bar_loading_pct, math.nan), top.bus_ids)):
            if len(pct) and not np.isnan(pct).all():
                k = int(np.nanargmax(pct))
                found.append((float(pct[k]), those[k]))
        best = max(found, key=lambda one: one[0], default=None)
        return None if best is None else net.elements[best[1]] if isinstance(best[1], str) else best[1]

    def basis(self, element: Element, k: int, emergency: bool = False) -> Rating:
        """The rating that a loading is of, and how it is judged, of the element at a position among the terminals."""
        rating = (self._ratings_in_emergency if emergency else self._ratings).told[k] or rating_of(element, emergency) or Rating(None, "", "")
        every = self.loadings(emergency)
        if every.terminal[k] < 0 or not isinstance(element, Transformer | ThreeWindingTransformer):
            return rating
        return replace(rating, basis=f"{rating.basis}, by {'current' if every.by_current[k] else 'apparent power'}")

    def bases(self, emergency: bool = False) -> list[Rating]:
        """The same of every element, in the order of their terminals."""
        ratings = self._ratings_in_emergency if emergency else self._ratings
        none = Rating(None, "", "")
        found = [r or rating_of(e, emergency) or none for r, e in zip(ratings.told, self.net.terminals.elements, strict=True)]
        for k in np.flatnonzero(ratings.transformer).tolist():
            found[k] = self.basis(self.net.terminals.elements[k], k, emergency)
        return found

    @cached_property
    def by_tap(self) -> Floats:
        """What the tap in use makes of the ratio of each transformer (element,); 1 for all else."""
        b, at = self.net.branches, self.net.terminals
        factors = np.ones(len(at.first))
        first = b.terminals[:, 0] == 0
        factors[at.positions(b.ids)[first]] = np.abs(self.ratio / b.ratio_main)[first]
        return factors

    @cached_property
    def bar_current_a(self) -> Floats:
        """What is brought into each bus by the elements that deliver to it (bus,) [A], nan for none: the largest current its bars may have to carry.

        What delivers reactive power alone counts where it makes the current larger.
        """
        at, s = self.net.terminals, self.s_terminal
        idle = np.abs(s.real) <= 1e-9 * np.abs(s)
        brings, also = (s.real < 0) & ~idle, idle & (s.imag < 0)
        active, both = np.zeros(len(self.v), complex), np.zeros(len(self.v), complex)
        np.add.at(active, at.bus[brings], -s[brings])
        np.add.at(both, at.bus[brings | also], -s[brings | also])
        brought = np.maximum(np.abs(active), np.abs(both))
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where((brought > ROUNDING_MVA) & (self.u_kv > 0), brought / (math.sqrt(3) * self.u_kv) * 1000, math.nan)

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
