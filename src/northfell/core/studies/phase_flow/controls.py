"""Controls by phase: one acts, the feeder is solved again, until none has to; what hunts is told and is no result."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

from northfell.core.model.elements import CapacitorBank, RegulatorUnit, StepRegulator, Transformer
from northfell.core.network import Compiled
from northfell.core.network.holding import Why
from northfell.core.network.lacking import bus_at, fed
from northfell.core.studies.load_flow import LoadFlowSettings
from northfell.core.studies.phase_flow.machines import measured
from northfell.core.studies.phase_flow.places import ALL
from northfell.core.studies.phase_flow.result import ByPhase, relay_v

MOST_MOVES = 400
SURELY = 1.3  # of the voltage of a step: more than one brings where other regulators and loads answer
RECENT = 8  # moves before a state came again, whose controls are named
BANKS_S, TAPS_S = 60.0, 15.0  # in which order kinds act, where they have no delay of their own: tap changers, regulators, banks
Positions = Mapping[str, Mapping[str, int]]
Solved = Callable[[Compiled, Positions, ByPhase | None], ByPhase]


class Control(Protocol):
    """What stands in positions, and moves them by what it sees."""

    @property
    def element(self) -> StepRegulator | Transformer | CapacitorBank: ...
    @property
    def delay_s(self) -> float: ...
    def first(self) -> dict[str, int]:
        """Where its positions stand to begin with."""

    def moves(self, made: ByPhase, at: Mapping[str, int]) -> dict[str, int]:
        """The steps that it takes now, by position; none where it rests."""

    def missed(self, made: ByPhase, at: Mapping[str, int]) -> Iterator[str]:
        """What it is to hold and does not, at the end of its range."""


def controlled(net: Compiled, solved: Solved) -> ByPhase:
    """The load flow at which every control rests.

    Those with the shortest delay act first; a state of all positions that comes again is hunting. The island in which a control lacks its
    settings, or controls hunt, is held back: no positions of it are final.

    Raises
    ------
    CannotRun
        If nothing remains.
    """
    acting = list(_controls(net))
    lacking = [(c.element, f"Step-voltage regulator {c.element.name}: pt_ratio is empty; its control needs it.")
               for c in acting if isinstance(c.element, StepRegulator) and c.element.pt_ratio is None]  # fmt: skip
    if lacking:
        return _without(net, lacking, "data", solved)
    at: dict[str, dict[str, int]] = {c.element.id: c.first() for c in acting}
    made = solved(net, dict(at), None)
    seen = {_key(at)}
    order, moved_lately = sorted(acting, key=lambda c: c.delay_s), list[Control]()
    for _ in range(MOST_MOVES):
        live = [c for c in order if c.element.id in made.net.taking_part]
        moved = next(((c, by) for c in live if (by := c.moves(made, at[c.element.id]))), None)
        if moved is None:
            missed = [told for c in live for told in c.missed(made, at[c.element.id])]
            return replace(made, told=(*made.told, *missed))
        c, by = moved
        moved_lately.append(c)
        at[c.element.id] = {p: n + by.get(p, 0) for p, n in at[c.element.id].items()}
        names = ", ".join(dict.fromkeys(x.element.name for x in moved_lately[-RECENT:]))
        if (key := _key(at)) in seen:
            told = f"The controls of {names} hunt: the same taps come again. Widen a band, or let one wait longer."
            return _without(net, [(c.element, told)], "no solution", solved)
        seen.add(key)
        made = solved(net, dict(at), made)  # a copy: what was solved keeps the positions it had
    return _without(net, [(moved_lately[-1].element, f"The controls of {names} do not come to rest in {MOST_MOVES} moves.")], "no solution", solved)


def _controls(net: Compiled) -> Iterator[Control]:
    settings = net.network.settings.of(LoadFlowSettings)
    for e in net.taking_part.values():
        if isinstance(e, StepRegulator) and e.control != "locked" and e.regulator_units:
            yield OfRegulator(e)
        elif isinstance(e, Transformer) and settings.tap_changers == "on" and OfTapChanger.acts(e):
            yield OfTapChanger(e)
        elif isinstance(e, CapacitorBank) and e.switching == "by voltage" and settings.capacitor_steps == "on":
            yield OfBank(e)


def _without(net: Compiled, reasons: Sequence[tuple[StepRegulator | Transformer | CapacitorBank, str]], why: Why, solved: Solved) -> ByPhase:
    held = net.holding_back([(bus_at(net, e) or 0, told) for e, told in reasons], why)
    return controlled(fed(held, "phase_flow"), solved)


def _key(at: Positions) -> tuple[tuple[str, str, int], ...]:
    return tuple((i, p, n) for i, by in sorted(at.items()) for p, n in sorted(by.items()))


def _steps(short: float, of_a_step: float) -> int:
    """How many steps bring it surely not beyond its band: the last one is always taken by itself."""
    return max(1, int(short / (SURELY * of_a_step)))


@dataclass(frozen=True)
class OfRegulator:
    """Units of a step-voltage regulator, each by its relay or all by one."""

    element: StepRegulator

    @property
    def delay_s(self) -> float:
        return self.element.delay_s

    def first(self) -> dict[str, int]:
        return {u.phase: u.tap for u in self.element.regulator_units}

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
        for u in self.element.regulator_units:
            if u.v_set_v is not None and self._wanted(made, u):
                yield f"{self.element.name}, phase {u.phase}: at the end of its range, its target is missed."

    def _wanted(self, made: ByPhase, u: RegulatorUnit) -> int:
        volts = relay_v(made, self.element, u)
        if volts is None or u.v_set_v is None:
            return 0
        short = abs(volts - u.v_set_v) - self.element.band_v / 2
        steps = _steps(short, volts * self.element.step_pct / 100) if short > 0 else 0
        return steps if volts < u.v_set_v else -steps


@dataclass(frozen=True)
class OfTapChanger:
    """A transformer whose tap changer holds the voltage of a bus, by its positive sequence."""

    element: Transformer
    delay_s: float = TAPS_S

    @staticmethod
    def acts(e: Transformer) -> bool:
        """Whether it is taken here: one that holds a voltage, without compensation, its positions known."""
        known = None not in (e.tap_lowest_pct, e.tap_highest_pct, e.tap_step_pct)
        return e.tap_changer == "holds voltage" and known and not (e.tap_drop_r_ohm or e.tap_drop_x_ohm or e.tap_circulating_pct)

    def first(self) -> dict[str, int]:
        return {ALL: 0}

    def moves(self, made: ByPhase, at: Mapping[str, int]) -> dict[str, int]:
        wanted = self._wanted(made)
        tap = self.element.tap_pct + at[ALL] * (self.element.tap_step_pct or 0.0)
        step = self.element.tap_step_pct or 1.0
        most = int(((self.element.tap_highest_pct or 0.0) - tap) / step + 1e-6)
        least = -int((tap - (self.element.tap_lowest_pct or 0.0)) / step + 1e-6)
        by = max(least, min(most, wanted))
        return {ALL: by} if by else {}

    def missed(self, made: ByPhase, at: Mapping[str, int]) -> Iterator[str]:
        if self._wanted(made):
            yield f"{self.element.name}: its tap changer is at the end of its range, {self.element.tap_v_set_pu:g} p.u. is missed."

    def _wanted(self, made: ByPhase) -> int:
        e = self.element
        bus = {"low side": e.lv_bus, "high side": e.hv_bus}.get(e.tap_held, e.tap_bus or e.lv_bus)
        v = measured(made.flow, made.gathered.index, bus)
        short = abs(v - e.tap_v_set_pu) - e.tap_band_pct / 100
        if not short > 0:
            return 0
        steps = _steps(short, v * (e.tap_step_pct or 1.0) / 100)
        raises = v < e.tap_v_set_pu
        lowers_by_more = (e.tap_side == "high side") != (bus == e.hv_bus)  # a higher position lowers what is held
        return -steps if raises == lowers_by_more else steps


@dataclass(frozen=True)
class OfBank:
    """A capacitor bank that its controller switches by the voltage of its bus."""

    element: CapacitorBank
    delay_s: float = BANKS_S

    def first(self) -> dict[str, int]:
        return {ALL: self.element.steps if self.element.steps_in is None else self.element.steps_in}

    def moves(self, made: ByPhase, at: Mapping[str, int]) -> dict[str, int]:
        v = measured(made.flow, made.gathered.index, self.element.bus)
        by = 1 if v < self.element.v_in_pu and at[ALL] < self.element.steps else -1 if v > self.element.v_out_pu and at[ALL] > 0 else 0
        return {ALL: by} if by else {}

    def missed(self, made: ByPhase, at: Mapping[str, int]) -> Iterator[str]:
        yield from ()
