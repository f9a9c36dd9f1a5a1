"""What load flow by phase finds: voltages of every conductor, currents at both ends, sequences of three-phase places, losses."""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from northfell.core.model.elements import (
    Bus,
    CapacitorBank,
    Conductor,
    Consumer,
    Element,
    Infeed,
    RegulatorUnit,
    StepRegulator,
    ThreeWindingTransformer,
    Transformer,
)
from northfell.core.network import Compiled
from northfell.core.network.lines.constants import FORTESCUE
from northfell.core.network.phases import EARTH, Follows, PhaseFlow, Primitive
from northfell.core.studies.load_flow import rating_of
from northfell.core.studies.phase_flow.gathering import Gathered, conductors_at
from northfell.core.studies.phase_flow.places import ALL
from northfell.core.studies.phase_flow.sensing import Relay, relay_of
from northfell.core.studies.phase_flow.wide import NEXT, currents, voltages
from northfell.core.studies.record import Compared
from northfell.core.tables import Cell, Table, build

_BUSES = (
    ("state", "", "State"), ("name", "", "Bus"), ("phase", "", "Conductor"), ("v_pu", "p.u.", "U"), ("angle_deg", "deg", "Angle"), ("v_kv", "kV", "U"),
    ("v_ln_pu", "p.u.", "U to neutral"), ("v_ll_pu", "p.u.", "U to the next phase"), ("energised", "", "Under voltage"),
)  # fmt: skip
_SEQUENCE = (
    ("state", "", "State"), ("bus", "", "Bus"), ("v1_pu", "p.u.", "U1"), ("v2_pu", "p.u.", "U2"), ("v0_pu", "p.u.", "U0"),
    ("v2_over_v1_pct", "%", "U2/U1"), ("v0_over_v1_pct", "%", "U0/U1"), ("unbalance_mean_deviation_pct", "%", "Deviation from the mean"),
    ("u_3v0_kv", "kV", "3U0"),
)  # fmt: skip
_TERMINALS = (
    ("state", "", "State"), ("element", "", "Element"), ("kind", "", "Kind"), ("terminal", "", "Terminal"), ("bus", "", "Bus"), ("phase", "", "Conductor"),
    ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("s_mva", "MVA", "S"), ("i_a", "A", "I"), ("i_angle_deg", "deg", "Angle"),
    ("i_re_a", "A", "Re I"), ("i_im_a", "A", "Im I"),
)  # fmt: skip
_RESIDUALS = (
    ("state", "", "State"), ("element", "", "Element"), ("terminal", "", "Terminal"), ("bus", "", "Bus"), ("i_3i0_a", "A", "3I0"),
    ("i_neutral_a", "A", "Neutral"), ("i_earth_a", "A", "Earth"),
)  # fmt: skip
_BRANCHES = (
    ("state", "", "State"), ("name", "", "Branch"), ("kind", "", "Kind"), ("loading_pct", "%", "Loading"),
    ("rating", "", "Rating"), ("rating_unit", "", "Unit"),
    ("governing_terminal", "", "At"), ("governing_phase", "", "Conductor"), ("loss_mw", "MW", "Losses"), ("loss_mvar", "Mvar", "Reactive losses"),
    ("rating_basis", "", "Basis"), ("emergency_pct", "%", "Of emergency rating"), ("emergency_rating", "", "Emergency rating"),
)  # fmt: skip
_LOADS = (
    ("state", "", "State"), ("name", "", "Load"), ("bus", "", "Bus"), ("between", "", "Between"),
    ("p_rated_mw", "MW", "P at Un"), ("q_rated_mvar", "Mvar", "Q at Un"),
    ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("i_a", "A", "I"),
)  # fmt: skip
_SOURCES = (
    ("state", "", "State"), ("name", "", "Source"), ("bus", "", "Bus"), ("phase", "", "Conductor"), ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"),
    ("i_a", "A", "I"), ("i_angle_deg", "deg", "Angle"),
)  # fmt: skip


_REGULATORS = (
    ("state", "", "State"), ("name", "", "Regulator"), ("phase", "", "Phase"), ("tap", "", "Tap"), ("v_regulated_pu", "p.u.", "U"),
    ("v_relay_v", "V", "At the relay"), ("v_set_v", "V", "Set"), ("control", "", "Control"), ("target", "", "Target"),
    ("power", "", "Power"), ("regulates", "", "Regulates"),
)  # fmt: skip


_CONTROLS = (
    ("state", "", "State"), ("name", "", "Element"), ("control", "", "Control"), ("given", "", "Given"), ("found", "", "Found"), ("unit", "", "Unit"),
)  # fmt: skip


@dataclass(frozen=True)
class PhaseLoading:
    """How much of its rating an element carries by phase."""

    pct: float | None
    rating: float | None
    unit: str
    basis: str
    terminal: int | None  # that governs
    phase: str  # conductor or winding that governs
    carries: float | None = None
    emergency_pct: float | None = None
    emergency_rating: float | None = None


@dataclass(frozen=True)
class Voltage:
    """The voltage of a conductor: to earth [V], None where nothing ties it to earth; to the neutral and to the next phase [p.u.]."""

    v: complex | None
    ln_pu: float | None
    ll_pu: float | None
    base_v: float


@dataclass(frozen=True)
class ByPhase:
    """A load flow by phase."""

    gathered: Gathered
    flow: PhaseFlow
    taps: Mapping[str, Mapping[str, int]] = field(default_factory=dict)  # of regulators whose controls moved them
    told: tuple[str, ...] = ()

    @property
    def net(self) -> Compiled:
        return self.gathered.net

    @cached_property
    def part_of(self) -> Mapping[str, list[Primitive]]:
        """Primitives by element; the earthing of a star point is one of its own."""
        made: dict[str, list[Primitive]] = {}
        for one in self.flow.network.primitives:
            made.setdefault(one.element, []).append(one)
        return made

    def at(self, bus: str) -> list[tuple[str, int]]:
        return list(conductors_at(self.gathered.index, bus))

    def v(self, node: int) -> complex | None:
        """Voltage to earth [V]; None where nothing feeds it or it has none."""
        if not self.flow.fed[node] or self.flow.floating[node]:
            return None
        return complex(self.flow.v_v[node])

    def across(self, p: int, q: int) -> complex | None:
        """Voltage between two conductors [V]."""
        return complex(self.flow.v_v[p] - self.flow.v_v[q]) if self.flow.fed[p] and self.flow.fed[q] else None

    @property
    def messages(self) -> tuple[str, ...]:
        return (*self.gathered.messages, *self.told, *self.net.held_back_told)

    @property
    def summary(self) -> Mapping[str, Any]:
        lost = sum(complex(self.flow.power(one).sum()) for one in self.flow.network.primitives) / 1e6
        machines = np.array([not isinstance(self.net.elements[one.element], Consumer) for one in self.flow.loads.parts], bool)
        drawn = complex(self.flow.load_power[~machines].sum()) / 1e6
        given = sum(self._source_power.values()) / 1e6 - complex(self.flow.load_power[machines].sum()) / 1e6
        return {
            "phases": "abc", "generation_mw": given.real, "generation_mvar": given.imag, "load_mw": drawn.real, "load_mvar": drawn.imag,
            "losses_mw": lost.real, "losses_mvar": lost.imag, "method": self.flow.method, "iterations": self.flow.steps,
            "mismatch_pct": self.flow.missing_pct,
        }  # fmt: skip

    @cached_property
    def _source_power(self) -> Mapping[int, complex]:
        return {n: complex(self.flow.v_v[n] * np.conj(i)) for n, i in self.flow.sources.items()}

    def tables(self) -> list[Table]:
        return [*(self.table(name) for name in _MADE), voltages(self.net, self.table("buses")), currents(self.net, self.table("terminals"))]

    def table(self, name: str) -> Table:
        """One of them."""
        if name not in self._tables:
            columns, rows = _MADE[name]
            self._tables[name] = build(name, columns, rows(self))
        return self._tables[name]

    @cached_property
    def _tables(self) -> dict[str, Table]:
        return {}

    def voltages(self, bus: str) -> dict[str, Voltage]:
        """The voltages of the conductors of a bus that are under voltage."""
        nodes = dict(self.at(bus))
        found = {}
        for c, n in nodes.items():
            if self.flow.fed[n]:
                base, v = float(self.flow.network.v_base_v[n]), self.v(n)
                ln = self.across(n, nodes["n"]) if "n" in nodes and c != "n" else v if c != "n" else None
                following = nodes.get(NEXT.get(c, ""))
                ll = self.across(n, following) if following is not None else None
                found[c] = Voltage(v, None if ln is None else abs(ln) / base, None if ll is None else abs(ll) / base / (2 if c == "1" else math.sqrt(3)), base)
        return found

    def sequence(self, bus: str) -> tuple[complex, complex, complex] | None:
        """U0, U1, U2 of a three-phase bus [p.u.]; None of others, and where a phase is dead."""
        nodes = dict(self.at(bus))
        if not all(p in nodes and self.flow.fed[nodes[p]] for p in "abc"):
            return None
        v = np.array([self.flow.v_v[nodes[p]] for p in "abc"]) / float(self.flow.network.v_base_v[nodes["a"]])
        v0, v1, v2 = np.linalg.solve(FORTESCUE, v)
        return complex(v0), complex(v1), complex(v2)

    def floats(self, bus: str) -> bool:
        """Whether nothing ties the voltages of a bus to earth."""
        return any(bool(self.flow.floating[n]) for _, n in self.at(bus))

    def unbalance_pct(self, bus: str, by: str) -> float | None:
        """Unbalance of a three-phase bus by one of the definitions of :data:`UNBALANCE`; None where it has none."""
        found = self.sequence(bus)
        if found is None:
            return None
        if by == "U2/U1":
            return 100 * abs(found[2]) / abs(found[1])
        v = np.array([self.flow.v_v[n] for c, n in self.at(bus) if c in "abc"])
        if by == "deviation between phases":
            v = v - np.roll(v, -1)
        elif self.floats(bus):
            return None
        size = np.abs(v)
        most = float(size.max() - size.min()) if by == "spread to earth" else float(np.max(np.abs(size - size.mean())))
        return 100 * most / float(size.mean())

    def _buses(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            if not isinstance(e, Bus):
                continue
            there = self.voltages(e.id)
            for c in e.conductors:
                one = there.get(c)
                if one is None:
                    yield self.net.state, e.name, c, None, None, None, None, None, False
                else:
                    yield (self.net.state, e.name, c, *_pu(one.v, one.base_v), None if one.v is None else abs(one.v) / 1000, one.ln_pu, one.ll_pu, True)

    def _sequence(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            found = self.sequence(e.id) if isinstance(e, Bus) else None
            if found is None:
                continue
            v0, v1, v2 = (abs(one) for one in found)
            floats, base_kv = self.floats(e.id), float(self.flow.network.v_base_v[self.at(e.id)[0][1]]) / 1000
            yield (self.net.state, e.name, v1, v2, None if floats else v0, 100 * v2 / v1, None if floats else 100 * v0 / v1,
                   self.unbalance_pct(e.id, "deviation between phases"), None if floats else 3 * v0 * base_kv)  # fmt: skip

    def ends(self, e: Element) -> Iterator[tuple[int, str, dict[str, tuple[complex, complex]]]]:
        """Terminal, bus, and by conductor the current into the element [A] with its power [VA]; of transformers the sum of its windings there."""
        parts = self.part_of.get(e.id, [])
        names = self._names
        for k, bus in enumerate(e.buses):
            found: dict[str, tuple[complex, complex]] = {}
            for one in parts:
                i, s = self.flow.currents(one), self.flow.power(one)
                for place, n in enumerate(one.nodes.tolist()):
                    if n != EARTH and self.flow.fed[n] and names[n][0] == bus and (len(e.buses) == 1 or one.side[place] == k):
                        c = names[n][1]
                        had = found.get(c, (0j, 0j))
                        found[c] = had[0] + complex(i[place]), had[1] + complex(s[place])
            if found:
                yield k, bus, dict(sorted(found.items()))

    def currents_of(self, e: Element) -> dict[tuple[int, str], tuple[complex, complex]]:
        """By terminal and conductor the current into an element [A] with its power [VA]; found once."""
        if e.id not in self._currents:
            self._currents[e.id] = self._currents_of(e)
        return self._currents[e.id]

    @cached_property
    def _currents(self) -> dict[str, dict[tuple[int, str], tuple[complex, complex]]]:
        return {}

    def _currents_of(self, e: Element) -> dict[tuple[int, str], tuple[complex, complex]]:
        found = {(k, c): both for k, _, by in self.ends(e) for c, both in by.items()}
        names = self._names
        for n, current in self.through(e).items():
            if self.flow.fed[n] and names[n][0] in e.buses:
                found[e.buses.index(names[n][0]), names[n][1]] = (current, complex(self.flow.v_v[n] * np.conj(current)))
        return dict(sorted(found.items()))

    @cached_property
    def _names(self) -> list[tuple[str, str]]:
        return list(self.gathered.index)

    def _terminals(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            if isinstance(e, Bus):
                continue
            for (k, c), (i, s) in self.currents_of(e).items():
                known = bool(np.isfinite(i))
                yield (self.net.state, e.name, e.kind, k, self.net.name(e.buses[k]), c, *(_power(s) if known else (None,) * 3),
                       *((*_polar(i), i.real, i.imag) if known else (None,) * 4))  # fmt: skip

    def told_of(self, node: int) -> str:
        """A node in words."""
        owner, c = self._names[node]
        e = self.net.elements.get(owner)
        return f"{e.name} {c}" if e else f"a place along {self.net.name(owner.rpartition(' at ')[0])}, {c}"

    @cached_property
    def with_consumers(self) -> frozenset[str]:
        """Buses at which consumers stand."""
        return frozenset(e.buses[0] for e in self.net.taking_part.values() if isinstance(e, Consumer))

    def losses_by_phase(self) -> dict[str, float]:
        """Active power lost in lines, by conductor [W]: what flows into each less what flows out of it."""
        found: dict[str, float] = {}
        for one in self.flow.network.primitives:
            if isinstance(self.net.elements[one.element], Conductor):
                for n, s in zip(one.nodes.tolist(), self.flow.power(one).real.tolist(), strict=True):
                    c = self._names[n][1]
                    found[c] = found.get(c, 0.0) + (s if math.isfinite(s) else 0.0)
        return dict(sorted(found.items()))

    def through(self, e: Element) -> dict[int, complex]:
        """Currents into a switch or an ideal regulator, by node."""
        found: dict[int, complex] = {}
        for f in self._follows_of.get(e.id, ()):
            found[f.node] = found.get(f.node, 0j) - self.flow.through[f.node]
            for n, factor in f.of:
                found[n] = found.get(n, 0j) + factor * self.flow.through[f.node]
        return found

    @cached_property
    def _follows_of(self) -> Mapping[str, list[Follows]]:
        """What an element lets follow, by its id."""
        made: dict[str, list[Follows]] = {}
        for f in self.flow.dependence.order:
            made.setdefault(f.element, []).append(f)
        return made

    @cached_property
    def parts_drawn(self) -> Mapping[str, list[tuple[float, float]]]:
        """Of each part of what draws or gives power: its current [A] and its nominal voltage [V], by element."""
        found: dict[str, list[tuple[float, float]]] = {}
        for one, i in zip(self.flow.loads.parts, np.abs(self.flow.load_currents).tolist(), strict=True):
            found.setdefault(one.element, []).append((i, one.v_nominal_v))
        return found

    def given_by(self, e: Infeed) -> dict[str, tuple[complex, complex]]:
        """By phase the current that an infeed gives [A] with its power [VA]."""
        own = {c: (-i, -s) for (_, c), (i, s) in self.currents_of(e).items() if c != "n"}
        if own:
            return own
        return {c: (complex(i), self._source_power[n]) for c, n in self.at(e.bus) if (i := self.flow.sources.get(n)) is not None}

    def _regulators(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            if isinstance(e, StepRegulator):
                for u in e.regulator_units:
                    n = self.gathered.index.get((e.to_bus, u.phase))
                    if n is None or not self.flow.fed[n]:
                        continue
                    tap, seen, v = self.taps.get(e.id, {}).get(u.phase, u.tap), relay(self, e, u), self.v(n)
                    short = seen.short_v if seen and e.control != "locked" else None
                    told = "" if short is None else "held" if abs(short) <= e.band_v / 2 else "missed"
                    yield (self.net.state, e.name, u.phase, tap, None if v is None else abs(v) / float(self.flow.network.v_base_v[n]),
                           seen.volts if seen else None, seen.v_set_v if seen else u.v_set_v, e.control, told,
                           ("back" if seen.back else "forward") if seen else None, seen.regulates if seen and short is not None else "locked")  # fmt: skip

    def _positions(self) -> Iterator[tuple[Cell, ...]]:
        for i, by in self.taps.items():
            e = self.net.elements[i]
            if ALL not in by or i not in self.net.taking_part:
                continue
            if isinstance(e, Transformer | ThreeWindingTransformer):
                yield self.net.state, e.name, "tap changer", e.tap_pct, by[ALL] * (e.tap_step_pct or 0.0), "%"
            elif isinstance(e, CapacitorBank):
                yield self.net.state, e.name, "steps in", float(e.steps if e.steps_in is None else e.steps_in), float(by[ALL]), ""

    def _residuals(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            if not isinstance(e, Conductor | Transformer | ThreeWindingTransformer):
                continue
            for k, bus, found in self.ends(e):
                phases = [found[p][0] for p in "abc" if p in found]
                neutral = found["n"][0] if "n" in found else None
                if not all(np.isfinite(phases)):
                    continue
                residual = abs(sum(phases)) if len(phases) == 3 else None
                earth = abs(sum(phases) + (neutral or 0j))
                yield self.net.state, e.name, k, self.net.name(bus), residual, None if neutral is None else abs(neutral), earth

    def _branches(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            if len(e.buses) < 2 or not self.carries(e):
                continue
            one, parts = self.loading(e), self.part_of.get(e.id, [])
            lost = sum((complex(np.nansum(self.flow.power(part))) for part in parts), 0j) / 1e6 if parts else None
            yield (self.net.state, e.name, e.kind, one.pct, one.rating, one.unit or None, one.terminal, one.phase or None,
                   None if lost is None else lost.real, None if lost is None else lost.imag, one.basis, one.emergency_pct, one.emergency_rating)  # fmt: skip

    def carries(self, e: Element) -> bool:
        """Whether currents of it are known here."""
        return e.id in self.part_of or any(self.flow.fed[f.node] for f in self._follows_of.get(e.id, ()))

    def loading(self, e: Element) -> PhaseLoading:
        """How much of its rating an element carries, with the terminal and conductor that govern: of a transformer by the current of its windings."""
        if isinstance(e, Transformer | ThreeWindingTransformer):
            return self._windings(e)
        rating, found = rating_of(e), self.currents_of(e)
        value = getattr(e, "i_rated_a", None) if rating is None else rating.value
        worst = max(((abs(i), -k, c) for (k, c), (i, _) in found.items() if np.isfinite(i)), default=None)
        basis = rating.basis if rating else "rated current"
        if not value or worst is None:
            return PhaseLoading(None, value, "A" if value else "", basis, None, "")
        emergency = rating_of(e, emergency=True)
        most = emergency.value if emergency and emergency.value else value
        return PhaseLoading(100 * worst[0] / value, value, "A", basis, -worst[1], worst[2], worst[0], 100 * worst[0] / most, most)

    def _windings(self, e: Transformer | ThreeWindingTransformer) -> PhaseLoading:
        found = []
        for w in self.gathered.windings.get(e.id, ()):
            i = abs(self.flow.currents(self.flow.network.primitives[w.part])[w.place])
            if np.isfinite(i):
                found.append((i / w.i_rated_a, w))
        if not found:
            return PhaseLoading(None, None, "", "", None, "")
        share, w = max(found, key=lambda one: one[0])
        pct, most = 100 * float(share), getattr(e, "s_emergency_mva", None)
        rated = getattr(e, "s_rated_mva", None)
        more = most / rated if most and rated else 1.0
        carries = float(share) * w.s_rated_mva
        return PhaseLoading(pct, w.s_rated_mva, "MVA", "winding, by its current", w.terminal, w.name, carries, pct / more, w.s_rated_mva * more)

    def _loads(self) -> Iterator[tuple[Cell, ...]]:
        names = self._names
        for one, i, s in zip(self.flow.loads.parts, self.flow.load_currents, self.flow.load_power, strict=True):
            if not isinstance(self.net.elements[one.element], Consumer):
                continue
            where = names[one.p][1] + ("" if one.q == EARTH or names[one.q][1] == "n" else names[one.q][1])
            rated = one.s_va / 1e6
            bus = self.net.name(self.net.elements[one.element].buses[0])
            drawn = float(s.real) / 1e6, float(s.imag) / 1e6
            yield self.net.state, self.net.name(one.element), bus, where, rated.real, rated.imag, *drawn, float(abs(i))

    def _sources(self) -> Iterator[tuple[Cell, ...]]:
        names = self._names
        for n, i in self.flow.sources.items():
            owner, c = names[n]
            s = self._source_power[n] / 1e6
            e = self.net.elements[owner]
            name = next((x.name for x in self.net.elements.values() if x.feeds and x.buses and x.buses[0] == owner), e.name)
            bus = e.name if isinstance(e, Bus) else self.net.name(e.buses[0])
            yield self.net.state, name, bus, c, s.real, s.imag, *_polar(i)
        for one, i, s in zip(self.flow.loads.parts, self.flow.load_currents, self.flow.load_power, strict=True):
            if not isinstance(self.net.elements[one.element], Consumer):
                bus, c = names[one.p]
                yield self.net.state, self.net.name(one.element), self.net.name(bus), c, -float(s.real) / 1e6, -float(s.imag) / 1e6, *_polar(-complex(i))


_MADE: Mapping[str, tuple[Sequence[tuple[str, str, str]], Callable[[ByPhase], Iterator[tuple[Cell, ...]]]]] = {
    "buses": (_BUSES, ByPhase._buses), "sequence": (_SEQUENCE, ByPhase._sequence), "terminals": (_TERMINALS, ByPhase._terminals),
    "residuals": (_RESIDUALS, ByPhase._residuals), "branches": (_BRANCHES, ByPhase._branches), "loads": (_LOADS, ByPhase._loads),
    "sources": (_SOURCES, ByPhase._sources), "regulators": (_REGULATORS, ByPhase._regulators), "controls": (_CONTROLS, ByPhase._positions),
}  # fmt: skip


def compared(made: ByPhase) -> Compared:
    """What is looked at over all states: loading [%], and of every bus the voltages farthest down and up [p.u.]."""
    loading = {e.id: one.pct for e in made.net.elements.values() if len(e.buses) > 1 and made.carries(e) and (one := made.loading(e)).pct is not None}
    lowest, highest = {}, {}
    for e in made.net.elements.values():
        found = [v for one in made.voltages(e.id).values() if (v := one.ll_pu if one.ln_pu is None else one.ln_pu) is not None] if isinstance(e, Bus) else []
        if found:
            lowest[e.id], highest[e.id] = min(found), max(found)
    return {"loading": loading, "lowest": lowest, "highest": highest}


def relay(made: ByPhase, e: StepRegulator, u: RegulatorUnit) -> Relay | None:
    """What the control of a unit sees."""
    return relay_of(made.flow, made.gathered.index, e, u)


def _pu(v: complex | None, base: float) -> tuple[Cell, Cell]:
    return (None, None) if v is None else (abs(v) / base, math.degrees(np.angle(v)))


def _power(s: complex) -> tuple[float, float, float]:
    return s.real / 1e6, s.imag / 1e6, abs(s) / 1e6


def _polar(i: complex) -> tuple[float, float]:
    return abs(i), math.degrees(np.angle(i))
