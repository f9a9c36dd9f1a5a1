"""What load flow by phase finds: voltages of every conductor, currents at both ends, sequences of three-phase places, losses."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from northfell.core.model.elements import Bus, Conductor, Consumer, Element, RegulatorUnit, StepRegulator, ThreeWindingTransformer, Transformer
from northfell.core.network import Compiled
from northfell.core.network.lines.constants import FORTESCUE
from northfell.core.network.phases import EARTH, Follows, PhaseFlow, Primitive
from northfell.core.studies.load_flow.by_phase.gathering import Gathered, conductors_at
from northfell.core.tables import Cell, Table, build

NEXT = {"a": "b", "b": "c", "c": "a", "1": "2"}
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
)  # fmt: skip
_RESIDUALS = (
    ("state", "", "State"), ("element", "", "Element"), ("terminal", "", "Terminal"), ("bus", "", "Bus"), ("i_3i0_a", "A", "3I0"),
    ("i_neutral_a", "A", "Neutral"), ("i_earth_a", "A", "Earth"),
)  # fmt: skip
_BRANCHES = (
    ("state", "", "State"), ("name", "", "Branch"), ("kind", "", "Kind"), ("loading_pct", "%", "Loading"),
    ("rating", "", "Rating"), ("rating_unit", "", "Unit"),
    ("governing_terminal", "", "At"), ("governing_phase", "", "Conductor"), ("loss_mw", "MW", "Losses"), ("loss_mvar", "Mvar", "Reactive losses"),
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
)  # fmt: skip


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
        return (*self.gathered.messages, *self.told)

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
        return [
            build("buses", _BUSES, self._buses()), build("sequence", _SEQUENCE, self._sequence()), build("terminals", _TERMINALS, self._terminals()),
            build("residuals", _RESIDUALS, self._residuals()), build("branches", _BRANCHES, self._branches()), build("loads", _LOADS, self._loads()),
            build("sources", _SOURCES, self._sources()), build("regulators", _REGULATORS, self._regulators()),
        ]  # fmt: skip

    def of_element(self, e: Element) -> list[dict[str, Any]]:
        """The rows of the tables that are of one element: voltages of a bus, else currents at its terminals and taps."""
        wanted = {"buses": "name"} if isinstance(e, Bus) else {"regulators": "name", "terminals": "element"}
        return [r for t in self.tables() if t.name in wanted for r in t.records() if r[wanted[t.name]] == e.name]

    def _buses(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            if not isinstance(e, Bus):
                continue
            nodes = dict(self.at(e.id))
            for c in e.conductors:
                n = nodes.get(c)
                if n is None or not self.flow.fed[n]:
                    yield self.net.state, e.name, c, None, None, None, None, None, False
                    continue
                base = float(self.flow.network.v_base_v[n])
                v = self.v(n)
                ln = self.across(n, nodes["n"]) if "n" in nodes and c != "n" else v if c != "n" else None
                following = nodes.get(NEXT.get(c, ""))
                ll = self.across(n, following) if following is not None else None
                yield (self.net.state, e.name, c, *_pu(v, base), None if v is None else abs(v) / 1000, None if ln is None else abs(ln) / base,
                       None if ll is None else abs(ll) / (base * (2 if c == "1" else math.sqrt(3))), True)  # fmt: skip

    def _sequence(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            nodes = dict(self.at(e.id)) if isinstance(e, Bus) else {}
            if not all(p in nodes and self.flow.fed[nodes[p]] for p in "abc"):
                continue
            v = np.array([self.flow.v_v[nodes[p]] for p in "abc"])
            base = float(self.flow.network.v_base_v[nodes["a"]])
            v0, v1, v2 = np.abs(np.linalg.solve(FORTESCUE, v)) / base
            between = np.abs(v - np.roll(v, -1))
            deviation = 100 * float(np.max(np.abs(between - between.mean())) / between.mean())
            floats = bool(self.flow.floating[nodes["a"]])
            yield (self.net.state, e.name, float(v1), float(v2), None if floats else float(v0), 100 * float(v2 / v1),
                   None if floats else 100 * float(v0 / v1), deviation, None if floats else 3 * float(v0) * base / 1000)  # fmt: skip

    def ends(self, e: Element) -> Iterator[tuple[int, str, dict[str, tuple[complex, complex]]]]:
        """Terminal, bus, and by conductor the current into the element [A] with its power [VA]; of transformers the sum of its windings there."""
        parts = self.part_of.get(e.id, [])
        names = list(self.gathered.index)
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

    def _terminals(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            if isinstance(e, Bus):
                continue
            for k, bus, found in self.ends(e):
                for c, (i, s) in found.items():
                    known = bool(np.isfinite(i))
                    yield (self.net.state, e.name, e.kind, k, self.net.name(bus), c, *(_power(s) if known else (None,) * 3),
                           *(_polar(i) if known else (None, None)))  # fmt: skip
            yield from self._switched(e)

    def _switched(self, e: Element) -> Iterator[tuple[Cell, ...]]:
        names = list(self.gathered.index)
        found: dict[int, complex] = {}
        for f in self._follows_of.get(e.id, ()):
            found[f.node] = found.get(f.node, 0j) - self.flow.through[f.node]
            for n, factor in f.of:
                found[n] = found.get(n, 0j) + factor * self.flow.through[f.node]
        for k, bus in enumerate(e.buses):
            for n, current in found.items():
                if names[n][0] == bus and self.flow.fed[n]:
                    s = complex(self.flow.v_v[n] * np.conj(current))
                    yield (self.net.state, e.name, e.kind, k, self.net.name(bus), names[n][1], *_power(s), *_polar(current))

    @cached_property
    def _follows_of(self) -> Mapping[str, list[Follows]]:
        """What an element lets follow, by its id."""
        made: dict[str, list[Follows]] = {}
        for f in self.flow.dependence.order:
            made.setdefault(f.element, []).append(f)
        return made

    def _regulators(self) -> Iterator[tuple[Cell, ...]]:
        for e in self.net.elements.values():
            if isinstance(e, StepRegulator):
                for u in e.regulator_units:
                    n = self.gathered.index.get((e.to_bus, u.phase))
                    if n is None or not self.flow.fed[n]:
                        continue
                    tap, volts = self.taps.get(e.id, {}).get(u.phase, u.tap), relay_v(self, e, u)
                    v = self.v(n)
                    told = "" if e.control == "locked" or u.v_set_v is None or volts is None else "held" if abs(volts - u.v_set_v) <= e.band_v / 2 else "missed"
                    yield (self.net.state, e.name, u.phase, tap, None if v is None else abs(v) / float(self.flow.network.v_base_v[n]), volts, u.v_set_v,
                           e.control, told)  # fmt: skip

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
            if not isinstance(e, Conductor | Transformer | ThreeWindingTransformer) or e.id not in self.part_of:
                continue
            lost = sum(complex(np.nansum(self.flow.power(one))) for one in self.part_of[e.id]) / 1e6
            yield (self.net.state, e.name, e.kind, *self._loading(e), lost.real, lost.imag)

    def _loading(self, e: Conductor | Transformer | ThreeWindingTransformer) -> tuple[Cell, ...]:
        """Loading in percent, rating with unit, terminal and conductor that govern: of a transformer by the current of its windings."""
        if isinstance(e, Transformer | ThreeWindingTransformer):
            return self._windings(e)
        rating = e.i_rated_a * e.parallel if e.i_rated_a else None
        worst = max(((abs(i), k, c) for k, _, found in self.ends(e) for c, (i, _) in found.items() if np.isfinite(i)), default=None)
        if rating is None or worst is None:
            return None, rating, "A" if rating else None, None, None
        return 100 * worst[0] / rating, rating, "A", worst[1], worst[2]

    def _windings(self, e: Transformer | ThreeWindingTransformer) -> tuple[Cell, ...]:
        found = []
        for w in self.gathered.windings[e.id]:
            i = abs(self.flow.currents(self.flow.network.primitives[w.part])[w.place])
            if np.isfinite(i):
                found.append((i / w.i_rated_a, w))
        if not found:
            return None, None, None, None, None
        share, w = max(found, key=lambda one: one[0])
        return 100 * float(share), w.s_rated_mva, "MVA", w.terminal, w.name

    def _loads(self) -> Iterator[tuple[Cell, ...]]:
        names = list(self.gathered.index)
        for one, i, s in zip(self.flow.loads.parts, self.flow.load_currents, self.flow.load_power, strict=True):
            if not isinstance(self.net.elements[one.element], Consumer):
                continue
            where = names[one.p][1] + ("" if one.q == EARTH or names[one.q][1] == "n" else names[one.q][1])
            rated = one.s_va / 1e6
            bus = self.net.name(self.net.elements[one.element].buses[0])
            drawn = float(s.real) / 1e6, float(s.imag) / 1e6
            yield self.net.state, self.net.name(one.element), bus, where, rated.real, rated.imag, *drawn, float(abs(i))

    def _sources(self) -> Iterator[tuple[Cell, ...]]:
        names = list(self.gathered.index)
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


def relay_v(made: ByPhase, e: StepRegulator, u: RegulatorUnit) -> float | None:
    """Voltage at the relay of a unit: |V/PT − (R + jX)·I/CT|, I leaving; None where its transformers are not entered.

    In delta V stands between two phases and I is that of the first, so that the compensator is turned by the 30° between them.
    """
    index = made.gathered.index
    n = index.get((e.to_bus, u.phase))
    if n is None or e.pt_ratio is None or not made.flow.fed[n]:
        return None
    other = index.get((e.to_bus, "n" if e.connection == "wye" else "b" if e.connection == "open delta" else NEXT[u.phase]))
    v = complex(made.flow.v_v[n]) - (complex(made.flow.v_v[other]) if other is not None else 0)
    turn = 0.0 if e.connection == "wye" else -30.0 if e.connection == "open delta" and u.phase == "c" else 30.0
    dropped = complex(u.drop_r_v, u.drop_x_v) * np.exp(1j * math.radians(turn)) * made.flow.through[n] / e.ct_primary_a if e.ct_primary_a else 0
    return float(abs(v / e.pt_ratio - dropped))


def _pu(v: complex | None, base: float) -> tuple[Cell, Cell]:
    return (None, None) if v is None else (abs(v) / base, math.degrees(np.angle(v)))


def _power(s: complex) -> tuple[float, float, float]:
    return s.real / 1e6, s.imag / 1e6, abs(s) / 1e6


def _polar(i: complex) -> tuple[float, float]:
    return abs(i), math.degrees(np.angle(i))
