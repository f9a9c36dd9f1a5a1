"""Controls of step-voltage regulators: one acts, the feeder is solved again, until none has to; what hunts is told and is no result."""

from collections.abc import Callable, Mapping
from dataclasses import replace

from northfell.core.errors import CannotRun
from northfell.core.model.elements import RegulatorUnit, StepRegulator
from northfell.core.network import Compiled
from northfell.core.studies.load_flow.by_phase.result import ByPhase, relay_v

MOST_MOVES = 400
Taps = Mapping[str, Mapping[str, int]]


def controlled(net: Compiled, solved: Callable[[Compiled, Taps], ByPhase]) -> ByPhase:
    """The load flow at which every control rests.

    Those with the shortest delay act first, one tap in each phase that is out of its band; a state of all taps that comes again is hunting.

    Raises
    ------
    CannotRun
        If a control lacks its settings, or controls hunt: then no taps are final.
    """
    acting = [e for e in net.taking_part.values() if isinstance(e, StepRegulator) and e.control != "locked" and e.regulator_units]
    lacking = [f"Step-voltage regulator {e.name}: pt_ratio is empty; its control needs it." for e in acting if e.pt_ratio is None]
    if lacking:
        raise CannotRun("load_flow", lacking)
    taps: dict[str, dict[str, int]] = {e.id: {u.phase: u.tap for u in e.regulator_units} for e in acting}
    made = solved(net, taps)
    seen = {_key(taps)}
    order = sorted(acting, key=lambda e: e.delay_s)
    for _ in range(MOST_MOVES):
        moved = next(((e, by) for e in order if (by := _moves(made, e, taps[e.id]))), None)
        if moved is None:
            missed = [f"{e.name}, phase {u.phase}: at the end of its range, its target is missed." for e in acting for u in e.regulator_units
                      if u.v_set_v is not None and _wanted(made, e, u)]  # fmt: skip
            return replace(made, told=tuple(missed)) if missed else made
        e, by = moved
        taps[e.id] = {p: t + by.get(p, 0) for p, t in taps[e.id].items()}
        if (key := _key(taps)) in seen:
            names = ", ".join(x.name for x in acting)
            raise CannotRun("load_flow", [f"The controls of {names} hunt: the same taps come again. Widen a band, or let one wait longer."])
        seen.add(key)
        made = solved(net, taps)
    raise CannotRun("load_flow", [f"The controls of {', '.join(x.name for x in acting)} do not come to rest in {MOST_MOVES} moves."])


def _key(taps: Taps) -> tuple[tuple[str, str, int], ...]:
    return tuple((i, p, t) for i, by in sorted(taps.items()) for p, t in sorted(by.items()))


def _wanted(made: ByPhase, e: StepRegulator, u: RegulatorUnit) -> int:
    """Which way a unit wants to move."""
    volts = relay_v(made, e, u)
    if volts is None or u.v_set_v is None:
        return 0
    return 1 if volts < u.v_set_v - e.band_v / 2 else -1 if volts > u.v_set_v + e.band_v / 2 else 0


def _moves(made: ByPhase, e: StepRegulator, taps: Mapping[str, int]) -> dict[str, int]:
    """By phase, the step that each unit takes now; those at the end of their range take none."""
    if e.control == "ganged":
        sensed = next((u for u in e.regulator_units if u.phase == e.sensed), None)
        way = _wanted(made, e, sensed) if sensed else 0
        found = {u.phase: way for u in e.regulator_units}
    else:
        found = {u.phase: _wanted(made, e, u) for u in e.regulator_units}
    return {p: way for p, way in found.items() if way and abs(taps[p] + way) <= e.most_taps}
