"""Controls of step-voltage regulators: one acts, the feeder is solved again, until none has to; what hunts is told and is no result."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from northfell.core.model.elements import RegulatorUnit, StepRegulator
from northfell.core.network import Compiled
from northfell.core.network.holding import Why
from northfell.core.network.lacking import bus_at, fed
from northfell.core.studies.phase_flow.result import ByPhase, relay_v

MOST_MOVES = 400
SURELY = 1.3  # of the voltage of a step: more than one brings where other regulators and loads answer
RECENT = 8  # moves before a state came again, whose regulators are named
Taps = Mapping[str, Mapping[str, int]]
Solved = Callable[[Compiled, Taps, ByPhase | None], ByPhase]


def controlled(net: Compiled, solved: Solved) -> ByPhase:
    """The load flow at which every control rests.

    Those with the shortest delay act first, one tap in each phase that is out of its band; a state of all taps that comes again is hunting.
    The island in which a control lacks its settings, or controls hunt, is held back: no taps of it are final.

    Raises
    ------
    CannotRun
        If nothing remains.
    """
    acting = [e for e in net.taking_part.values() if isinstance(e, StepRegulator) and e.control != "locked" and e.regulator_units]
    lacking = [(e, f"Step-voltage regulator {e.name}: pt_ratio is empty; its control needs it.") for e in acting if e.pt_ratio is None]
    if lacking:
        return _without(net, lacking, "data", solved)
    taps: dict[str, dict[str, int]] = {e.id: {u.phase: u.tap for u in e.regulator_units} for e in acting}
    made = solved(net, taps, None)
    seen = {_key(taps)}
    order, moves = sorted(acting, key=lambda e: e.delay_s), list[StepRegulator]()
    for _ in range(MOST_MOVES):
        moved = next(((e, by) for e in order if e.id in made.net.taking_part and (by := _moves(made, e, taps[e.id]))), None)
        if moved is None:
            return replace(made, told=(*made.told, *_missed(made, acting)))
        e, by = moved
        moves.append(e)
        taps[e.id] = {p: t + by.get(p, 0) for p, t in taps[e.id].items()}
        if (key := _key(taps)) in seen:
            names = ", ".join(dict.fromkeys(x.name for x in moves[-RECENT:]))
            return _without(net, [(e, f"The controls of {names} hunt: the same taps come again. Widen a band, or let one wait longer.")], "no solution", solved)
        seen.add(key)
        made = solved(net, taps, made)
    names = ", ".join(dict.fromkeys(x.name for x in moves[-RECENT:]))
    return _without(net, [(moves[-1], f"The controls of {names} do not come to rest in {MOST_MOVES} moves.")], "no solution", solved)


def _without(net: Compiled, reasons: Sequence[tuple[StepRegulator, str]], why: Why, solved: Solved) -> ByPhase:
    held = net.holding_back([(bus_at(net, e) or 0, told) for e, told in reasons], why)
    return controlled(fed(held, "phase_flow"), solved)


def _missed(made: ByPhase, acting: Sequence[StepRegulator]) -> list[str]:
    return [f"{e.name}, phase {u.phase}: at the end of its range, its target is missed."
            for e in acting if e.id in made.net.taking_part for u in e.regulator_units if u.v_set_v is not None and _wanted(made, e, u)]  # fmt: skip


def _key(taps: Taps) -> tuple[tuple[str, str, int], ...]:
    return tuple((i, p, t) for i, by in sorted(taps.items()) for p, t in sorted(by.items()))


def _wanted(made: ByPhase, e: StepRegulator, u: RegulatorUnit) -> int:
    """Which way a unit wants to move, and by how many steps as far as it is surely out of its band: the last one is always taken by itself."""
    volts = relay_v(made, e, u)
    if volts is None or u.v_set_v is None:
        return 0
    short = abs(volts - u.v_set_v) - e.band_v / 2
    if short <= 0:
        return 0
    steps = max(1, int(short / (SURELY * volts * e.step_pct / 100)))
    return steps if volts < u.v_set_v else -steps


def _moves(made: ByPhase, e: StepRegulator, taps: Mapping[str, int]) -> dict[str, int]:
    """By phase, the steps that each unit takes now, at most to the end of its range."""
    if e.control == "ganged":
        sensed = next((u for u in e.regulator_units if u.phase == e.sensed), None)
        way = _wanted(made, e, sensed) if sensed else 0
        found = {u.phase: way for u in e.regulator_units}
    else:
        found = {u.phase: _wanted(made, e, u) for u in e.regulator_units}
    bounded = {p: max(-e.most_taps, min(e.most_taps, taps[p] + way)) - taps[p] for p, way in found.items()}
    return {p: way for p, way in bounded.items() if way}
