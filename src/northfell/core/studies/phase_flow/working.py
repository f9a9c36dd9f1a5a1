"""How a figure by phase came about: Kirchhoff's sum at a conductor, the current of an element by its own admittances."""

import math
from collections.abc import Callable, Mapping

import numpy as np

from northfell.core.errors import NotFound
from northfell.core.model.elements import Bus, Element, StepRegulator
from northfell.core.model.network import title_of
from northfell.core.network.phases import EARTH
from northfell.core.quantities import figure
from northfell.core.studies.phase_flow.more_working import NOTHING, at_relay, between, loading, of_sequence, unbalance
from northfell.core.studies.phase_flow.result import ByPhase
from northfell.core.studies.record import Asked
from northfell.core.working import Equation, Working

QUANTITIES = ("v_phase", "i_phase", "sequence", "unbalance", "loading_phase", "v_relay")
SOURCE = "Kirchhoff's current law over conductors"
PER_UNIT = Equation("u", "|U| / Ub", lambda u_v, base_v: abs(u_v) / base_v, {"|U|": "u_v", "Ub": "base_v"}, "p.u.")
POWER = Equation("S", "U·Ī / 10^6", lambda u_v, i_conj_a: u_v * i_conj_a / 10**6, {"U": "u_v", "Ī": "i_conj_a"}, "MVA", "Ī: the conjugate of I")


def explain(made: ByPhase, element: Element, asked: Asked) -> Working:
    """The working of a figure of an element; its part is the conductor, the terminal and conductor, as "0 a", the unit, or the fault; else the first.

    Raises
    ------
    NotFound
        If there is no such figure.
    """
    quantity, part = asked.quantity, asked.part
    if isinstance(element, Bus):
        of_bus: Mapping[str, Callable[[], Working]] = {
            "v_phase": lambda: between(made, element, part) if len(part) == 2 else _voltage(made, element, part or next(iter(made.voltages(element.id)), "")),
            "sequence": lambda: of_sequence(made, element, part or "1"),
            "unbalance": lambda: unbalance(made, element, part),
        }
        if quantity in of_bus:
            return of_bus[quantity]()
    if quantity == "loading_phase" and len(element.buses) > 1:
        return loading(made, element)
    if quantity == "v_relay" and isinstance(element, StepRegulator):
        return at_relay(made, element, part)
    first = next((f"{k} {c}" for k, c in made.currents_of(element)), "")
    terminal, _, conductor = (part or first).partition(" ")
    if quantity != "i_phase" or not terminal.isdigit():
        raise NotFound(f"{title_of(element)} has no figure “{part}” by phase.")
    return _current(made, element, int(terminal), conductor)


def _voltage(made: ByPhase, bus: Bus, conductor: str) -> Working:
    node = made.gathered.index.get((bus.id, conductor))
    if node is None or not made.flow.fed[node]:
        raise NotFound(f"{title_of(bus)} has no conductor {conductor} under voltage in this state.")
    w = Working(f"Voltage of {title_of(bus)}, conductor {conductor}, state {made.net.state}")
    base, v = float(made.flow.network.v_base_v[node]), complex(made.flow.v_v[node])
    w.given("Ub", "nominal voltage of the conductor to earth, the base", base, "V", f"{title_of(bus)}, nominal voltage")
    total = 0j
    for name, i in at_conductor(made, node):
        total += w.given("I", f"into {name}", i, "A", "its own admittances at the voltages found")
    w.step("Sum at the conductor", "Σ I", "sum of the currents into all elements", "as above", _clean(total), "A", SOURCE, "Zero within the tolerance.")
    steps = f"{made.flow.method}, {made.flow.steps} steps; {made.flow.missing_pct:.1e} % of the greatest current missing"
    if made.flow.floating[node]:
        note = "Nothing ties this part to earth: of its voltages only those between conductors are determined; this one is to the middle of the part."
        w.step("Voltage found", "U", "the value at which every conductor balances", steps, v, "V", SOURCE, note)
        return w
    w.step("Voltage found", "U", "the value at which every conductor balances", steps, v, "V", SOURCE)
    w.result, w.unit = PER_UNIT.note(w, "Of nominal", u_v=v, base_v=base), "p.u."
    return w


def at_conductor(made: ByPhase, node: int) -> list[tuple[str, complex]]:
    """What each element takes at a conductor [A], sources with the negative of what they give: their sum is nothing."""
    found: list[tuple[str, complex]] = []
    for one in made.flow.network.primitives:
        if np.any(one.nodes == node):
            found.append((title_of(made.net.elements[one.element]), complex(made.flow.currents(one)[one.nodes == node].sum())))
    for load, i in zip(made.flow.loads.parts, made.flow.load_currents, strict=True):
        for end, sign in ((load.p, 1), (load.q, -1)):
            if end == node and end != EARTH:
                found.append((title_of(made.net.elements[load.element]), sign * complex(i)))
    for e in made.net.elements.values():
        if (i := made.through(e).get(node)) is not None:
            found.append((title_of(e), i))
    if node in made.flow.sources:
        found.append(("the source that holds it", -made.flow.sources[node]))
    return found


def _current(made: ByPhase, element: Element, terminal: int, conductor: str) -> Working:
    there = made.currents_of(element).get((terminal, conductor))
    if there is None:
        raise NotFound(f"{title_of(element)} carries nothing in conductor {conductor} in this state.")
    bus = element.buses[terminal]
    node = made.gathered.index[bus, conductor]
    w = Working(f"Current of {title_of(element)} at {made.net.name(bus)}, conductor {conductor}, state {made.net.state}")
    total, greatest = 0j, 0.0
    for one in made.part_of.get(element.id, []):
        for place in np.flatnonzero((one.nodes == node) & ((one.side == terminal) | (len(element.buses) == 1))).tolist():
            for k, n in enumerate(one.nodes.tolist()):
                y = complex(one.y_s[place, k])
                if n == EARTH or y == 0:
                    continue
                v, name = complex(made.flow.solved_v[n]), made.told_of(n)
                term = y * v
                total, greatest = total + term, max(greatest, abs(term))
                w.step(f"By the voltage of {name}", "Y·U", "Y·U", f"({_rect(y)} S) · ({_rect(v)} V)", term, "A", "primitive admittance of the element")
    for n, i in made.through(element).items():
        if n == node:
            total += w.given("I", "what stands behind it asks for, through metal", i, "A", SOURCE)
    total = 0j if abs(total) < NOTHING * greatest else total
    w.step("Current into the element", "I", "sum of the terms", "as above", total, "A", SOURCE)
    v = complex(made.flow.v_v[node])
    POWER.note(w, "Power at this conductor", u_v=v, i_conj_a=np.conj(total))
    w.result, w.unit = abs(total), "A"
    return w


def _rect(value: complex) -> str:
    return f"{figure(value.real, 5)} {'−' if value.imag < 0 else '+'} j{figure(abs(value.imag), 5)}"


def _clean(total: complex) -> complex:
    return complex(round(total.real, 6) + 0.0, round(total.imag, 6) + 0.0) if math.isfinite(abs(total)) else total
