"""Step-voltage regulators and switched banks as controls by phase: where they stand, and which way they move by what they see."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from northfell.core.model.elements import CapacitorBank, Element, Infeed, RegulatorUnit, StepRegulator
from northfell.core.network import Compiled
from northfell.core.studies.phase_flow.machines import measured
from northfell.core.studies.phase_flow.places import ALL
from northfell.core.studies.phase_flow.result import ByPhase, relay

SURELY = 1.3  # of the voltage of a step: more than one brings where other regulators and loads answer
Positions = Mapping[str, Mapping[str, int]]
Solved = Callable[[Compiled, Positions, ByPhase | None], ByPhase]


class Control(Protocol):
    """What stands in positions, and moves them by what it sees."""

    @property
    def element(self) -> Element: ...
    @property
    def order(self) -> tuple[float, float]:
        """Delay [s] and rank: the lower acts first."""

    def first(self) -> dict[str, int]:
        """Where its positions stand to begin with."""

    def put(self, at: dict[str, int]) -> dict[str, dict[str, int]]:
        """The positions of all that it moves, by element."""

    def moves(self, made: ByPhase, at: Mapping[str, int]) -> dict[str, int]:
        """The steps that it takes now, by position; none where it rests."""

    def missed(self, made: ByPhase, at: Mapping[str, int]) -> Iterator[str]:
        """What it is to hold and does not, at the end of its range."""


def steps(short: float, of_a_step: float) -> int:
    """How many steps bring it surely not beyond its band: the last one is always taken by itself."""
    return max(1, int(short / (SURELY * of_a_step)))


@dataclass(frozen=True)
class OfRegulator:
    """Units of a step-voltage regulator, each by its relay or all by one."""

    element: StepRegulator

    @property
    def order(self) -> tuple[float, float]:
        return self.element.delay_s, 0.0

    def lacks(self) -> Iterator[str]:
        """Fields that its control needs and that are empty."""
        if self.element.pt_ratio is None:
            yield "pt_ratio"
        if self.element.reverse == "other side":
            yield from (f"v_set_reverse_v of phase {u.phase}" for u in self.element.regulator_units if u.v_set_v is not None and u.v_set_reverse_v is None)

    def first(self) -> dict[str, int]:
        return {u.phase: u.tap for u in self.element.regulator_units}

    def put(self, at: dict[str, int]) -> dict[str, dict[str, int]]:
        return {self.element.id: at}

    def moves(self, made: ByPhase, at: Mapping[str, int]) -> dict[str, int]:
        e = self.element
        if e.control == "ganged":
            sensed = next((u for u in e.regulator_units if u.phase == e.sensed), None)
            way = self._wanted(made, sensed) if sensed else 0
            found = {u.phase: way for u in e.regulator_units}
        else:
            found = {u.phase: self._wanted(made, u) for u in e.regulator_units}
        bounded = {p: max(-e.most_taps, min(e.most_taps, at[p] + way)) - at[p] for p, way in found.items()}
        return {p: way for p, way in bounded.items() if way}

    def missed(self, made: ByPhase, at: Mapping[str, int]) -> Iterator[str]:
        e = self.element
        for u in e.regulator_units:
            seen = relay(made, e, u)
            if self._wanted(made, u):
                yield f"{e.name}, phase {u.phase}: at the end of its range, its target is missed."
            if seen and seen.back and e.reverse == "as forward":
                yield f"{e.name}, phase {u.phase}: power flows back through it, which its control does not see."
            elif seen and seen.back and seen.regulates == "locked":
                yield f"{e.name}, phase {u.phase}: power flows back through it; its tap stays at {at[u.phase]:+d}."

    def _wanted(self, made: ByPhase, u: RegulatorUnit) -> int:
        seen = relay(made, self.element, u)
        if seen is None or seen.short_v is None:
            return 0
        beyond = abs(seen.short_v) - self.element.band_v / 2
        by = steps(beyond, seen.volts * self.element.step_pct / 100) if beyond > 0 else 0
        raises = (seen.short_v > 0) == (seen.regulates == "load side")  # a higher tap lowers the source side against the load side
        return by if raises else -by


@dataclass(frozen=True)
class OfBank:
    """A capacitor bank that its controller switches by what it measures."""

    element: CapacitorBank

    @property
    def order(self) -> tuple[float, float]:
        return self.element.switching_delay_s, 0.0

    def first(self) -> dict[str, int]:
        return {ALL: self.element.steps if self.element.steps_in is None else self.element.steps_in}

    def put(self, at: dict[str, int]) -> dict[str, dict[str, int]]:
        return {self.element.id: at}

    def moves(self, made: ByPhase, at: Mapping[str, int]) -> dict[str, int]:
        by = max(0, min(self.element.steps, at[ALL] + self._wanted(made))) - at[ALL]
        return {ALL: by} if by else {}

    def missed(self, made: ByPhase, at: Mapping[str, int]) -> Iterator[str]:
        e = self.element
        if e.switching != "by voltage" and e.measured_at not in made.net.taking_part:
            yield f"{e.name}: where it measures is not under voltage; its {at[ALL]} steps stay as they are given."
        elif self._sees(made) is None:
            yield f"{e.name}: a phase that its controller measures is dead; its {at[ALL]} steps stay as they are given."
        elif (wanted := self._wanted(made)) and e.switching in ("by voltage", "by power factor"):
            yield f"{e.name}: its controller has {'all steps' if wanted > 0 else 'no step'} in and still misses what it holds."

    def _wanted(self, made: ByPhase) -> int:
        seen = self._sees(made)
        return 0 if seen is None else self.element.steps_wanted(*seen)

    def _sees(self, made: ByPhase) -> tuple[float, complex, float] | None:
        """Voltage [p.u.], power [MVA] and current [A]; None where one of them is not there."""
        e = self.element
        v = measured(made.flow, made.gathered.index, e.bus, e.sensed_phase)
        through = (0j, 0.0) if e.switching == "by voltage" else self._measured(made)
        return (v, *through) if through is not None and np.isfinite([v, *through]).all() else None

    def _measured(self, made: ByPhase) -> tuple[complex, float] | None:
        """Power [MVA] of all phases and current [A] where it measures, by one phase where one is chosen; None where there is nothing."""
        e = made.net.elements.get(self.element.measured_at or "")
        if e is None or e.id not in made.net.taking_part:
            return None
        end = made.given_by(e) if isinstance(e, Infeed) else _entering(made, e)
        if not end:
            return None
        sensed = self.element.sensed_phase
        if sensed in end:
            i, s = end[sensed]
            return s * len(end) / 1e6, abs(i)
        return sum(s for _, s in end.values()) / 1e6, max(abs(i) for i, _ in end.values())


def _entering(made: ByPhase, e: Element) -> dict[str, tuple[complex, complex]]:
    """Current [A] and power [VA] by phase at the end of an element where power enters it."""
    by_end: dict[int, dict[str, tuple[complex, complex]]] = {}
    for (k, c), both in made.currents_of(e).items():
        if c != "n":
            by_end.setdefault(k, {})[c] = both
    return max(by_end.values(), key=lambda one: sum(s.real for _, s in one.values()), default={})
