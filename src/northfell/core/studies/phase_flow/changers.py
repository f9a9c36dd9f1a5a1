"""Tap changers as controls by phase: they hold the positive sequence of a voltage, or a reactive flow, or follow another."""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np

from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.elements import Element, ThreeWindingTransformer, Transformer
from northfell.core.model.elements.tap_changer import positions_of
from northfell.core.network import Compiled
from northfell.core.network.lines.constants import FORTESCUE
from northfell.core.studies.phase_flow.acting import Solved, steps
from northfell.core.studies.phase_flow.machines import measured
from northfell.core.studies.phase_flow.places import ALL
from northfell.core.studies.phase_flow.result import ByPhase

TAPS_S = 15.0  # the delay that is taken for a tap changer, which has none of its own: before regulators and banks
LEAST_EFFECT = 1e-7  # of a step on what it holds [p.u. or Mvar]; less is none
Tapped = Transformer | ThreeWindingTransformer


def led(net: Compiled, changers: Sequence[Tapped]) -> tuple[list[tuple[Tapped, list[Tapped]]], list[str]]:
    """Those that act by themselves, each with the ones that follow it; and what is told of those that do not act."""
    told: list[str] = []
    own: dict[str, tuple[Tapped, list[Tapped]]] = {}
    for e in changers:
        if positions_of(e) is None:
            told.append(f"{e.name}: its positions are not entered; its tap changer stays where it is given, {e.tap_pct:g} %.")
        elif e.tap_changer != "follows another":
            own[e.id] = e, []
    for e in changers:
        if e.tap_changer != "follows another" or positions_of(e) is None:
            continue
        if e.tap_master in own:
            own[e.tap_master][1].append(e)
        else:
            name = net.name(e.tap_master) if e.tap_master else "none"
            told.append(f"{e.name} follows {name}, which has no tap changer that acts in this state; it stays where it is given, {e.tap_pct:g} %.")
    return list(own.values()), told


@dataclass(frozen=True)
class OfTapChanger:
    """A transformer whose tap changer acts; positions are counted in steps from the main tap."""

    element: Tapped
    solved: Solved
    followers: tuple[Tapped, ...] = ()

    @property
    def order(self) -> tuple[float, float]:
        return TAPS_S, -(self.element.v_hv_kv or 0.0)

    @property
    def _range(self) -> tuple[int, int, int]:
        found = positions_of(self.element)
        assert found is not None  # asked for before
        return found

    def first(self) -> dict[str, int]:
        return {ALL: self._range[1]}

    def put(self, at: dict[str, int]) -> dict[str, dict[str, int]]:
        found = {self.element.id: at}
        for other in self.followers:
            low, _, high = cast(tuple[int, int, int], positions_of(other))
            found[other.id] = {ALL: max(low, min(high, at[ALL]))}
        return found

    def moves(self, made: ByPhase, at: Mapping[str, int]) -> dict[str, int]:
        off, band = self._off(made)
        if not abs(off) > band + 1e-9:
            return {}
        effect = self._effect(made, at)
        if abs(effect) < LEAST_EFFECT:
            return {}
        low, _, high = self._range
        by = steps(abs(off) - band, abs(effect)) * (-1 if (off > 0) == (effect > 0) else 1)
        by = max(low, min(high, at[ALL] + by)) - at[ALL]
        return {ALL: by} if by else {}

    def missed(self, made: ByPhase, at: Mapping[str, int]) -> Iterator[str]:
        e, (low, start, high) = self.element, self._range
        if abs(start * (e.tap_step_pct or 0.0) - e.tap_pct) > 1e-6:
            yield f"{e.name}: the tap given, {e.tap_pct:g} %, is no position of it; its tap changer starts from {start * (e.tap_step_pct or 0.0):g} %."
        off, band = self._off(made)
        if not math.isfinite(off):
            yield f"{e.name}: what it is to hold has no voltage in this state; its tap changer stays where it is given."
        if abs(off) > band + 1e-9:
            end = {low: "lowest", high: "highest"}.get(at[ALL])
            by = f"{abs(off):.2%} of nominal" if e.tap_changer == "holds voltage" else f"{abs(off):.4g} Mvar"
            where = f"stands at its {end} position and misses" if end else "does not reach"
            yield f"{e.name}: its tap changer {where} what it holds, by {by}."
        for other in self.followers:
            position = self.put(dict(at))[other.id][ALL]
            if position != at[ALL]:
                yield f"{other.name} stands at the end of its range and cannot follow {e.name}."

    def _effect(self, made: ByPhase, at: Mapping[str, int]) -> float:
        """What one step changes of what it holds, by solving with it, up or else down; nothing where neither has a solution."""
        low, _, high = self._range
        for step in (1, -1):
            if low <= at[ALL] + step <= high:
                try:
                    tried = self.solved(made.net, {**made.taps, **self.put({ALL: at[ALL] + step})}, made)
                except (NoSolution, CannotRun):
                    continue
                if self.element.id in tried.net.taking_part and math.isfinite(off := self._off(tried)[0]):
                    return step * (off - self._off(made)[0])
        return 0.0

    def _off(self, made: ByPhase) -> tuple[float, float]:
        """By how much what it holds stands above its aim, and the half of its band: p.u. of voltage, or Mvar."""
        e = self.element
        if e.tap_changer == "holds reactive flow":
            q = sum(s.imag for (k, _), (_, s) in made.currents_of(e).items() if k == 0) / 1e6
            return q - e.tap_q_set_mvar, e.tap_q_band_mvar
        return self._voltage(made) - e.tap_v_set_pu, e.tap_band_pct / 100

    def _voltage(self, made: ByPhase) -> float:
        e, terminal = self.element, held_terminal(self.element)
        if terminal is None:
            return measured(made.flow, made.gathered.index, e.tap_bus or e.buses[-1])
        v, i = _positive(made, e, terminal)
        base = _base_v(made, e, terminal)
        return abs(v - complex(e.tap_drop_r_ohm, e.tap_drop_x_ohm) * i) / base + self._beside(made, terminal)

    def _beside(self, made: ByPhase, terminal: int) -> float:
        """What it reads beside the voltage for the reactive current that it gives beside its share [p.u.]."""
        e, net = self.element, made.net
        if not e.tap_circulating_pct:
            return 0.0
        node = net.topology.node_of_bus[net.topology.bus_index[e.buses[terminal]]]
        group = [(other, t) for other in net.taking_part.values() if isinstance(other, Transformer | ThreeWindingTransformer)
                 and other.tap_changer == "holds voltage" and other.tap_circulating_pct > 0 and (t := held_terminal(other)) is not None
                 and net.topology.node_of_bus[net.topology.bus_index[other.buses[t]]] == node]  # fmt: skip
        given = {other.id: _reactive_pu(made, other, t) for other, t in group}
        rated = {other.id: _rated_mva(other, t) for other, t in group}
        beside = given[e.id] - rated[e.id] / sum(rated.values()) * sum(given.values())
        return e.tap_circulating_pct / 100 * beside / rated[e.id]


def held_terminal(e: Tapped) -> int | None:
    """The terminal at which it measures; None of a bus elsewhere."""
    sides = ("high side", "low side") if isinstance(e, Transformer) else ("high side", "medium side", "low side")
    return sides.index(e.tap_held) if e.tap_held in sides else None


def _positive(made: ByPhase, e: Element, terminal: int) -> tuple[complex, complex]:
    """Positive sequence of the voltage to earth [V] and of the current out of a terminal [A]."""
    currents, index = made.currents_of(e), made.gathered.index
    nodes = [index[e.buses[terminal], p] for p in "abc"]
    v = np.array([made.flow.v_v[n] for n in nodes])
    i = -np.array([currents.get((terminal, p), (0j, 0j))[0] for p in "abc"])
    return complex(np.linalg.solve(FORTESCUE, v)[1]), complex(np.linalg.solve(FORTESCUE, i)[1])


def _base_v(made: ByPhase, e: Element, terminal: int) -> float:
    return float(made.flow.network.v_base_v[made.gathered.index[e.buses[terminal], "a"]])


def _reactive_pu(made: ByPhase, e: Tapped, terminal: int) -> float:
    """The reactive current that it gives, lagging positive, as power at nominal voltage [MVA]."""
    v, i = _positive(made, e, terminal)
    return 3 * _base_v(made, e, terminal) * float((v / abs(v) * np.conj(i)).imag) / 1e6


def _rated_mva(e: Tapped, terminal: int) -> float:
    if isinstance(e, Transformer):
        return (e.s_rated_mva or math.nan) * e.parallel
    return (e.s_hv_mva, e.s_mv_mva, e.s_lv_mva)[terminal] or math.nan
