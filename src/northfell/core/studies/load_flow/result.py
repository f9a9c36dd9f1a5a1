"""What a load flow found, and the tables every output renders."""

import cmath
import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from northfell.core.model.elements import Changeover, Element, Inverter, Switching, SynchronousGenerator, ThreeWindingTransformer
from northfell.core.model.network import title_of
from northfell.core.model.settings import LoadFlowSettings
from northfell.core.network import Compiled
from northfell.core.network.compile import Complexes
from northfell.core.studies.load_flow.injections import load_power, motor_power
from northfell.core.tables import Cell, Table, build

LIMIT_SLACK_MVAR = 1e-6  # the iteration stops within this


@dataclass(frozen=True)
class Loading:
    """How much of its rating an element carries."""

    pct: float | None
    carries: float | None
    rating: float | None
    unit: str
    basis: str
    terminal: str


@dataclass(frozen=True)
class LoadFlow:
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

    def broken_limits(self) -> list[tuple[SynchronousGenerator | Inverter, float, str, float]]:
        """Generators and inverters that hold a voltage beyond a reactive limit: generator, power given [Mvar], the limit's field and value."""
        broken = []
        for g, s in zip(self.net.machines, self.s_machine, strict=True):
            q = float(s.imag) * self.net.s_base_mva
            if g.mode in ("reference", "voltage"):
                if g.q_max_mvar is not None and q > g.q_max_mvar + LIMIT_SLACK_MVAR:
                    broken.append((g, q, "q_max_mvar", g.q_max_mvar))
                if g.q_min_mvar is not None and q < g.q_min_mvar - LIMIT_SLACK_MVAR:
                    broken.append((g, q, "q_min_mvar", g.q_min_mvar))
        return broken

    @property
    def messages(self) -> tuple[str, ...]:
        """What is worth knowing beside the tables."""
        told = [f"{title_of(g)} would have to give {q:.4g} Mvar to hold its voltage; {name} is {limit:g}." for g, q, name, limit in self.broken_limits()]
        return (*self.notes, *told)

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

    def loading(self, element: Element) -> Loading:
        """Loading of a branch or switching device, with the basis of its rating and the terminal that governs."""
        if element.id not in self._loadings:
            self._loadings[element.id] = self._loading(element)
        return self._loadings[element.id]

    @cached_property
    def _loadings(self) -> dict[str, Loading]:
        return {}

    def _loading(self, element: Element) -> Loading:
        power = self.terminal_power.get(element.id)
        if isinstance(element, ThreeWindingTransformer):
            return _winding_loading(element, power)
        if isinstance(element, Switching | Changeover):
            rating, unit, basis = getattr(element, "i_rated_a", None), "A", "rated current"
        else:
            at = self._branch_index.get(element.id, None)
            rating = _finite(float(self.net.branches.rating[at])) if at is not None else None
            in_a = bool(self.net.branches.rating_is_a[at]) if at is not None else False
            unit, basis = ("A", "current-carrying capacity") if in_a else ("MVA", "rated power")
            parallel = getattr(element, "parallel", 1)
            basis += f", {parallel} in parallel" if parallel > 1 else ""
        if power is None or not all(map(cmath.isfinite, power)):
            return Loading(None, None, rating, unit, basis, "")
        carried = [abs(s) for s in power] if unit == "MVA" else self.current_a(element)
        known = [(c, terminal) for c, terminal in zip(carried, element.TERMINALS, strict=True) if c is not None]
        if not known:
            return Loading(None, None, rating, unit, basis, "")
        carries, terminal = max(known)
        return Loading(100 * carries / rating if rating else None, carries, rating, unit, basis, terminal)

    @cached_property
    def _branch_index(self) -> dict[str, int]:
        return {branch_id: i for i, branch_id in enumerate(self.net.branches.ids)}

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
            "shunt_mw": float(shunt.real), "shunt_mvar": float(shunt.imag),
        }  # fmt: skip

    @property
    def summary(self) -> dict[str, float | int]:
        return {**self.totals, "iterations": self.iterations, "mismatch_mva": self.mismatch_mva}

    def tables(self) -> list[Table]:
        return [self.buses_table(), self.terminals_table(), self.branches_table(), self.sources_table(), self.loads_table()]

    def buses_table(self) -> Table:
        top, net = self.net.topology, self.net
        rows: list[tuple[Cell, ...]] = []
        for i, bus_id in enumerate(top.bus_ids):
            v = complex(self.v[i])
            fed = top.fed_bus(i)
            kv = _finite(abs(v) * float(net.v_nominal_kv[i]))
            angle = math.degrees(cmath.phase(v)) if fed else None
            bus = net.elements[bus_id]
            rows.append((net.state, bus.name, bus.label, _finite(abs(v)), angle, kv, fed, _finite(float(net.v_nominal_kv[i]))))
        columns = (
            ("state", "", "State"), ("name", "", "Bus"), ("label", "", "Text name"), ("v_pu", "p.u.", "Voltage"), ("angle_deg", "deg", "Angle"),
            ("v_kv", "kV", "Voltage"), ("energised", "", "Fed"), ("v_nominal_kv", "kV", "Nominal"),
        )  # fmt: skip
        return build("buses", columns, rows)

    def terminals_table(self) -> Table:
        rows: list[tuple[Cell, ...]] = []
        for e in self.net.elements.values():
            power = self.terminal_power.get(e.id)
            if power is None:
                continue
            for terminal, bus_id, s, i in zip(e.TERMINALS, e.buses, power, self.current_a(e), strict=True):
                p, q = _finite(s.real), _finite(s.imag)
                factor = abs(s.real) / abs(s) if p is not None and abs(s) > 0 else None
                rows.append((self.net.state, e.name, e.kind, terminal, self.net.name(bus_id), p, q, _finite(abs(s)), i, factor))
        columns = (
            ("state", "", "State"), ("element", "", "Element"), ("kind", "", "Kind"), ("terminal", "", "Terminal"), ("bus", "", "Bus"),
            ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("s_mva", "MVA", "S"), ("i_a", "A", "I"), ("power_factor", "", "cos φ"),
        )  # fmt: skip
        return build("terminals", columns, rows)

    def branches_table(self) -> Table:
        rows: list[tuple[Cell, ...]] = []
        for e in self.net.elements.values():
            if len(e.TERMINALS) < 2 or not self.net.topology.live[e.id]:
                continue
            power = self.terminal_power.get(e.id)
            loss = sum(power) if power and not isinstance(e, Switching | Changeover) else 0j if power else complex(math.nan, math.nan)
            first = power[0] if power else complex(math.nan, math.nan)
            one = self.loading(e)
            rows.append((
                self.net.state, e.name, e.kind, " → ".join(self.net.name(b) for b in e.buses), one.pct, _finite(first.real), _finite(first.imag), one.carries,
                one.rating, one.unit, one.basis, one.terminal, _finite(loss.real), _finite(loss.imag),
            ))  # fmt: skip
        columns = (
            ("state", "", "State"), ("name", "", "Name"), ("kind", "", "Kind"), ("between", "", "Between"), ("loading_pct", "%", "Loading"),
            ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("carries", "", "Carries"), ("rating", "", "Rating"), ("rating_unit", "", "Unit"),
            ("rating_basis", "", "Basis"), ("governing_terminal", "", "Governing terminal"), ("loss_mw", "MW", "Losses"), ("loss_mvar", "Mvar", "Losses"),
        )  # fmt: skip
        return build("branches", columns, rows)

    def sources_table(self) -> Table:
        rows: list[tuple[Cell, ...]] = []
        base = self.net.s_base_mva
        delivered = {e.id: s for e, s in zip((*self.net.infeeds, *self.net.machines), (*self.s_infeed, *self.s_machine), strict=True)}
        for e in self.net.elements.values():
            if e.id in delivered:
                s = complex(delivered[e.id]) * base
                mode = getattr(e, "mode", None) or f"infeed, {getattr(e, 'flow_model', '')}"
                rows.append((self.net.state, e.name, self.net.name(e.buses[0]), _finite(s.real), _finite(s.imag), mode))
        columns = (
            ("state", "", "State"), ("name", "", "Source"), ("bus", "", "Bus"), ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("mode", "", "Mode"),
        )  # fmt: skip
        return build("sources", columns, rows)

    def loads_table(self) -> Table:
        net, base = self.net, self.net.s_base_mva
        groups = (net.loads, load_power(net), self.s_load), (net.motors, motor_power(net), self.s_motor)
        both = {e.id: (complex(a) * base, complex(b) * base) for elements, r, d in groups for e, a, b in zip(elements, r, d, strict=True)}
        rows: list[tuple[Cell, ...]] = []
        for e in net.elements.values():
            if e.id in both:
                rated, drawn = both[e.id]
                rows.append((
                    net.state, e.name, net.name(e.buses[0]), rated.real, rated.imag, _finite(drawn.real), _finite(drawn.imag),
                ))  # fmt: skip
        columns = (
            ("state", "", "State"), ("name", "", "Load"), ("bus", "", "Bus"), ("p_rated_mw", "MW", "P entered"), ("q_rated_mvar", "Mvar", "Q entered"),
            ("p_mw", "MW", "P drawn"), ("q_mvar", "Mvar", "Q drawn"),
        )  # fmt: skip
        return build("loads", columns, rows)


def _winding_loading(e: ThreeWindingTransformer, power: list[complex] | None) -> Loading:
    """The winding that carries most of its own rating."""
    ratings = (e.s_hv_mva, e.s_mv_mva, e.s_lv_mva)
    if power is None or not all(map(cmath.isfinite, power)):
        return Loading(None, None, e.s_hv_mva, "MVA", "rated power of the winding", "")
    pct, s, rating, terminal = max((100 * abs(s) / (r or math.inf), abs(s), r, t) for s, r, t in zip(power, ratings, e.TERMINALS, strict=True))
    return Loading(pct, s, rating, "MVA", "rated power of the winding", terminal)


def _finite(value: float) -> float | None:
    value = float(value)
    return value if math.isfinite(value) else None
