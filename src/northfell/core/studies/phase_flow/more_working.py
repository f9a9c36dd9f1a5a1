"""How derived figures by phase came about: voltages between conductors, sequences, unbalance, loading, and what a relay sees."""

import math
from collections.abc import Mapping

import numpy as np

from northfell.core.errors import NotFound
from northfell.core.model.elements import Bus, Element, StepRegulator
from northfell.core.model.network import title_of
from northfell.core.studies.phase_flow.result import ByPhase, relay
from northfell.core.studies.phase_flow.settings import UNBALANCE, PhaseFlowSettings
from northfell.core.studies.phase_flow.wide import NEXT
from northfell.core.working import Equation, Working

NOTHING = 1e-12  # of the greatest term: what is left of terms that cancel
FOUND = "load flow by phase"
KIRCHHOFF = "Kirchhoff's laws over conductors"
ACROSS = Equation("Upq", "|Upq| / (√3·Un)", lambda u_v, base_v: abs(u_v) / (math.sqrt(3) * base_v), {"|Upq|": "u_v", "Un": "base_v"}, "p.u.")
LEGS = Equation("U12", "|U12| / (2·Un)", lambda u_v, base_v: abs(u_v) / (2 * base_v), {"|U12|": "u_v", "Un": "base_v"}, "p.u.")
SEQUENCES = {
    "0": ("(Ua + Ub + Uc) / 3", (1, 1, 1)), "1": ("(Ua + a·Ub + a²·Uc) / 3", (1, np.exp(2j * np.pi / 3), np.exp(-2j * np.pi / 3))),
    "2": ("(Ua + a²·Ub + a·Uc) / 3", (1, np.exp(-2j * np.pi / 3), np.exp(2j * np.pi / 3))),
}  # fmt: skip
OF_BASE = Equation("u", "|Us| / Un", lambda us_v, base_v: abs(us_v) / base_v, {"|Us|": "us_v", "Un": "base_v"}, "p.u.")
U2_U1 = Equation("u2", "100·|U2| / |U1|", lambda u2_v, u1_v: 100 * abs(u2_v) / abs(u1_v), {"|U2|": "u2_v", "|U1|": "u1_v"}, "%", "IEC 61000-4-30")
DEVIATION = Equation("u", "100·Δ / U mean", lambda most_v, mean_v: 100 * most_v / mean_v, {"Δ": "most_v", "U mean": "mean_v"}, "%")
LOADING = Equation("loading", "100·I / Ir", lambda i_a, rated_a: 100 * i_a / rated_a, {"I": "i_a", "Ir": "rated_a"}, "%")
OF_WINDING = Equation("loading", "100·S / Sr", lambda s_mva, rated_mva: 100 * s_mva / rated_mva, {"S": "s_mva", "Sr": "rated_mva"}, "%")
RELAY = Equation(
    "Ur", "U/PT − D·I/CT", lambda u_v, pt, drop_v, i_a, ct_a: u_v / pt - drop_v * i_a / ct_a,
    {"U": "u_v", "PT": "pt", "D": "drop_v", "I": "i_a", "CT": "ct_a"}, "V", "line-drop compensation",
)  # fmt: skip
BARE_RELAY = Equation("V relay", "|U| / PT", lambda u_v, pt: abs(u_v) / pt, {"|U|": "u_v", "PT": "pt"}, "V")


def between(made: ByPhase, bus: Bus, pair: str) -> Working:
    """The voltage between two conductors of a bus."""
    nodes = dict(made.at(bus.id))
    v = made.across(nodes[pair[0]], nodes[pair[1]]) if all(c in nodes for c in pair) else None
    if v is None or NEXT.get(pair[0]) != pair[1]:
        raise NotFound(f"{title_of(bus)} has no voltage between {pair[0]} and {pair[1:]} in this state.")
    w = Working(f"Voltage of {title_of(bus)} between {pair[0]} and {pair[1]}, state {made.net.state}")
    base = w.given("Un", "nominal voltage of a conductor to earth, the base", float(made.flow.network.v_base_v[nodes[pair[0]]]), "V", "its nominal voltage")
    one, other = (w.given(f"U{c}", f"voltage of {c}", complex(made.flow.v_v[nodes[c]]), "V", FOUND) for c in pair)
    w.step("Voltage between them", "Upq", f"U{pair[0]} − U{pair[1]}", "as above", one - other, "V", KIRCHHOFF)
    w.result, w.unit = (LEGS if pair == "12" else ACROSS).note(w, "Of nominal", u_v=one - other, base_v=base), "p.u."
    return w


def _three(w: Working, made: ByPhase, bus: Bus) -> Mapping[str, complex]:
    nodes = dict(made.at(bus.id))
    if made.sequence(bus.id) is None:
        raise NotFound(f"{title_of(bus)} has not all three phases under voltage.")
    return {c: w.given(f"U{c}", f"voltage of {c}", complex(made.flow.v_v[nodes[c]]), "V", FOUND) for c in "abc"}


def of_sequence(made: ByPhase, bus: Bus, which: str) -> Working:
    """A sequence of the voltage of a three-phase bus."""
    w = Working(f"U{which} of {title_of(bus)}, state {made.net.state}")
    v = _three(w, made, bus)
    text, turns = SEQUENCES.get(which, SEQUENCES["1"])
    found = w.step(f"U{which}", f"U{which}", text, "a = 1 ∠ 120°", _turned(turns, list(v.values())), "V", "Fortescue")
    base = w.given("Un", "nominal voltage of a conductor to earth", float(made.flow.network.v_base_v[dict(made.at(bus.id))["a"]]), "V", "its nominal voltage")
    w.result, w.unit = OF_BASE.note(w, "Of nominal", us_v=found, base_v=base), "p.u."
    return w


def unbalance(made: ByPhase, bus: Bus, by: str) -> Working:
    """Unbalance of a three-phase bus by a definition."""
    by = by or made.net.network.settings.of(PhaseFlowSettings).unbalance
    if by not in UNBALANCE:
        raise NotFound("There is no such definition of unbalance.")
    w = Working(f"Unbalance of {title_of(bus)}, {by}, state {made.net.state}")
    v = np.array(list(_three(w, made, bus).values()))
    if by == "U2/U1":
        u1, u2 = (w.step(f"U{k}", f"U{k}", SEQUENCES[k][0], "a = 1 ∠ 120°", _turned(SEQUENCES[k][1], v.tolist()), "V", "Fortescue") for k in "12")
        w.result, w.unit = U2_U1.note(w, "Unbalance", u2_v=u2, u1_v=u1), "%"
        return w
    if by == "deviation between phases":
        v = v - np.roll(v, -1)
    elif made.floats(bus.id):
        raise NotFound("Nothing ties this part to earth: it has no unbalance to earth.")
    size = np.abs(v)
    names = ("Uab", "Ubc", "Uca") if by == "deviation between phases" else ("Ua", "Ub", "Uc")
    for name, u in zip(names, size.tolist(), strict=True):
        w.step("Magnitude", f"|{name}|", f"|{name}|", "of the voltages above", u, "V")
    mean = w.step("Mean", "U mean", "sum / 3", "as above", float(size.mean()), "V")
    spread = by == "spread to earth"
    most = float(size.max() - size.min()) if spread else float(np.max(np.abs(size - mean)))
    w.step(
        "Greatest less least" if spread else "Greatest deviation from the mean",
        "Δ",
        "greatest − least" if spread else "max |U − U mean|",
        "as above",
        most,
        "V",
    )
    w.result, w.unit = DEVIATION.note(w, "Unbalance", UNBALANCE[by], most_v=most, mean_v=mean), "%"
    return w


def loading(made: ByPhase, e: Element) -> Working:
    """How much of its rating an element carries."""
    one = made.loading(e)
    if one.pct is None or one.carries is None or one.rating is None:
        raise NotFound(f"{title_of(e)} has no loading in this state: it has no rating, or carries nothing.")
    at = "" if one.terminal is None else f" at {made.net.name(e.buses[one.terminal])}"
    w = Working(f"Loading of {title_of(e)}, state {made.net.state}")
    if one.unit == "MVA":
        w.given("S", f"of winding {one.phase}{at}, its current times its rated voltage", one.carries, "MVA", FOUND)
        w.given("Sr", f"of that winding, {one.basis}", one.rating, "MVA", title_of(e))
        w.result, w.unit = OF_WINDING.note(w, "Of its rating, the winding that carries most", s_mva=one.carries, rated_mva=one.rating), "%"
    else:
        w.given("I", f"in {one.phase}{at}, of all conductors the one that carries most", one.carries, "A", FOUND)
        w.given("Ir", one.basis, one.rating, "A", title_of(e))
        w.result, w.unit = LOADING.note(w, "Of its rating", i_a=one.carries, rated_a=one.rating), "%"
    return w


def at_relay(made: ByPhase, e: StepRegulator, phase: str) -> Working:
    """The voltage at the relay of a unit."""
    unit = next((u for u in e.regulator_units if u.phase == phase), None) or next(iter(e.regulator_units), None)
    seen = relay(made, e, unit) if unit else None
    if unit is None or seen is None:
        raise NotFound(f"{title_of(e)} has no relay that sees a voltage here: its voltage transformer is not entered, or nothing feeds it.")
    way = "power flows back" if seen.back else "power flows forward"
    w = Working(f"Voltage at the relay of {title_of(e)}, unit {unit.phase}, state {made.net.state}")
    u = w.given("U", f"across the {'source' if seen.regulates == 'source side' else 'load'} side, which the unit stands across; {way}", seen.v_v, "V", FOUND)
    pt = w.given("PT", "ratio of the voltage transformer", seen.pt_ratio, "", title_of(e))
    if seen.ct_primary_a:
        told = "" if e.connection == "wye" else ", turned by the 30° between the current and the voltage of the unit"
        drop = w.given("D", f"R + jX of the compensator{told}", seen.drop_v, "V", title_of(e))
        i = w.given("I", "leaving that side", seen.i_a, "A", FOUND)
        ct = w.given("CT", "primary of the current transformer", seen.ct_primary_a, "A", title_of(e))
        at_it = RELAY.note(w, "At the relay", u_v=u, pt=pt, drop_v=drop, i_a=i, ct_a=ct)
        w.result = w.step("What it goes by", "V relay", "|Ur|", "as above", float(abs(at_it)), "V")
    else:
        w.result = BARE_RELAY.note(w, "At the relay", u_v=u, pt=pt)
    w.unit = "V"
    return w


def _turned(turns: tuple[complex, ...], v: list[complex]) -> complex:
    found = sum((t * u for t, u in zip(turns, v, strict=True)), 0j) / 3
    return found if abs(found) > NOTHING * max(abs(u) for u in v) else 0j
