"""Controls by phase: one acts, the feeder is solved again, until none has to; what hunts is told and is no result."""

from collections.abc import Sequence
from dataclasses import replace

from northfell.core.model.elements import CapacitorBank, Element, StepRegulator, ThreeWindingTransformer, Transformer
from northfell.core.network import Compiled
from northfell.core.network.holding import Why
from northfell.core.network.lacking import bus_at, fed
from northfell.core.studies.load_flow import LoadFlowSettings
from northfell.core.studies.phase_flow.acting import Control, OfBank, OfRegulator, Positions, Solved
from northfell.core.studies.phase_flow.changers import OfTapChanger, led
from northfell.core.studies.phase_flow.result import ByPhase

MOST_MOVES = 400
RECENT = 8  # moves before a state came again, whose controls are named


def controlled(net: Compiled, solved: Solved) -> ByPhase:
    """The load flow at which every control rests.

    Those with the shortest delay act first; a state of all positions that comes again is hunting. The island in which a control lacks its
    settings, or controls hunt, is held back: no positions of it are final.

    Raises
    ------
    CannotRun
        If nothing remains.
    """
    acting, told = _controls(net, solved)
    lacking = [(c.element, f"Step-voltage regulator {c.element.name}: {field} is empty; its control needs it.")
               for c in acting if isinstance(c, OfRegulator) for field in c.lacks()]  # fmt: skip
    if lacking:
        return _without(net, lacking, "data", solved)
    at: dict[str, dict[str, int]] = {}
    for c in acting:
        at |= c.put(c.first())
    made = solved(net, dict(at), None)
    seen = {_key(at)}
    order, moved_lately = sorted(acting, key=lambda c: c.order), list[Control]()
    for _ in range(MOST_MOVES):
        live = [c for c in order if c.element.id in made.net.taking_part]
        moved = next(((c, by) for c in live if (by := c.moves(made, at[c.element.id]))), None)
        if moved is None:
            missed = [one for c in live for one in c.missed(made, at[c.element.id])]
            return replace(made, told=(*made.told, *told, *missed))
        c, by = moved
        moved_lately.append(c)
        at |= c.put({p: n + by.get(p, 0) for p, n in at[c.element.id].items()})
        names = ", ".join(dict.fromkeys(x.element.name for x in moved_lately[-RECENT:]))
        if (key := _key(at)) in seen:
            why = f"The controls of {names} hunt: the same taps come again. Widen a band, or let one wait longer."
            return _without(net, [(c.element, why)], "no solution", solved)
        seen.add(key)
        made = solved(net, dict(at), made)  # a copy: what was solved keeps the positions it had
    return _without(net, [(moved_lately[-1].element, f"The controls of {names} do not come to rest in {MOST_MOVES} moves.")], "no solution", solved)


def _controls(net: Compiled, solved: Solved) -> tuple[list[Control], list[str]]:
    """Those that act in this state, and what is told of those that cannot."""
    settings = net.network.settings.of(LoadFlowSettings)
    part = list(net.taking_part.values())
    found: list[Control] = [OfRegulator(e) for e in part if isinstance(e, StepRegulator) and e.control != "locked" and e.regulator_units]
    told: list[str] = []
    if settings.tap_changers == "on":
        changers, told = led(net, [e for e in part if isinstance(e, Transformer | ThreeWindingTransformer) and e.tap_changer != "off load"])
        found += [OfTapChanger(e, solved, tuple(followers)) for e, followers in changers]
    if settings.capacitor_steps == "on":
        found += [OfBank(e) for e in part if isinstance(e, CapacitorBank) and e.switching != "fixed"]
    return found, told


def _without(net: Compiled, reasons: Sequence[tuple[Element, str]], why: Why, solved: Solved) -> ByPhase:
    held = net.holding_back([(bus_at(net, e) or 0, told) for e, told in reasons], why)
    return controlled(fed(held, "phase_flow"), solved)


def _key(at: Positions) -> tuple[tuple[str, str, int], ...]:
    return tuple((i, p, n) for i, by in sorted(at.items()) for p, n in sorted(by.items()))
