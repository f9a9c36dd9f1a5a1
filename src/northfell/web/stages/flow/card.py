"""What the Flow stage knows of one element, as figures that open their working."""

import cmath
import math
from urllib.parse import urlencode

from northfell.core.model.elements import Bus, CapacitorBank, Element, Relay, Switching
from northfell.core.model.network import Network
from northfell.core.quantities import figure, fixed
from northfell.core.studies.load_flow import LOAD_FLOW, LoadFlow, loading_severity, stages_of, voltage_severity
from northfell.core.studies.load_flow.path import path_to_source
from northfell.core.studies.load_flow.totals import steps_in, taps
from northfell.web.shell.figures import AWAITED, Figure, Section, by_state
from northfell.web.shell.stage import Look
from northfell.web.stages.flow.path_chart import path_shapes
from northfell.web.stages.flow.tags import QUANTITIES, Quantities

FLOW = urlencode({"study": "load_flow", "quantity": "flow"})
WAY_SIZE = (264.0, 150.0)


def flow_figures(look: Look, e: Element) -> list[Section]:
    """What the load flow says of an element."""
    network, pinned = look.network, look.pinned
    flow: LoadFlow = look.result(LOAD_FLOW)
    found: list[Figure] = []
    if isinstance(e, Bus):
        found = _bus_voltage(flow, e, network)
    elif e.id in flow.terminal_power and not math.isnan(flow.terminal_power[e.id][0].real):
        found = _terminal_figures(flow, e, network)
    sections = [Section("Flow", found, "working")] if found else [Section("Flow", message=_no_flow(flow, e))]
    if pinned is not None and found:
        sections.append(_against_pinned(flow, pinned, e))
    if found and (isinstance(e, Bus) or len(e.TERMINALS) == 1):
        sections += _on_the_way(flow, e, network)
    if len(e.TERMINALS) == 2 and len(network.state_names) > 1:
        sections.append(Section("In every state", _loading_by_state(look, e), "loading"))
    elif isinstance(e, Bus) and len(network.state_names) > 1:
        sections.append(Section("In every state", _voltage_by_state(look, e), "voltage"))
    return sections


def _no_flow(flow: LoadFlow, e: Element) -> str:
    if isinstance(e, Relay):
        return "A relay carries no power of its own; see its breaker."
    if not e.in_service:
        return "Out of service in this state."
    if isinstance(e, Switching) and not e.closed:
        return "Open in this state."
    return "Not fed in this state."


def _bus_voltage(flow: LoadFlow, e: Bus, network: Network) -> list[Figure]:
    at = flow.net.topology.bus_index[e.id]
    v = complex(flow.v[at])
    if cmath.isnan(v):
        return []
    limits = network.settings.limits
    deviation = 100 * (abs(v) - 1)
    severity = voltage_severity(limits, e, abs(v))
    kv = abs(v) * float(flow.net.v_nominal_kv[at])
    balance = urlencode({"study": "load_flow", "quantity": "v_pu"})
    found = [Figure("Voltage", figure(kv), "kV", severity, balance)] if math.isfinite(kv) else []
    found += [
        Figure("Voltage, per unit", fixed(abs(v), 4), "p.u.", severity, balance),
        Figure("Deviation from nominal", fixed(deviation, 1), "%", severity, balance),
        Figure("Angle", fixed(math.degrees(cmath.phase(v)), 2), "deg", working=balance),
    ]
    bars = flow.loading(e)
    if bars.carries is not None:
        note = f"of {bars.rating:g} A, {bars.basis}" if bars.rating is not None else "no rating of the bars is given"
        found.append(Figure("Brought in", figure(bars.carries), "A", note=note))
        if bars.pct is not None:
            over = loading_severity(limits, e, bars.pct)
            found.append(Figure("Bars carry", fixed(bars.pct, 1), "%", over))
    return found


def _controlled(flow: LoadFlow, e: Element) -> list[Figure]:
    """Where controls came to rest: the tap, the steps that are in, the reactive range of a machine."""
    if getattr(e, "tap_changer", "off load") != "off load" and (tap := taps(flow).get(e.id)) is not None:
        return [Figure("Tap found", fixed(tap, 2), "%", note=f"given {getattr(e, 'tap_pct', 0.0):g} %, {getattr(e, 'tap_changer', '')}")]
    if isinstance(e, CapacitorBank) and (steps := steps_in(flow).get(e.id)) is not None:
        return [Figure("Steps in", str(steps), note=f"of {getattr(e, 'steps', steps)}, switching {getattr(e, 'switching', 'fixed')}")]
    if e.id in flow.ranges:
        low, high = flow.ranges[e.id]
        told = " to ".join(figure(q) if math.isfinite(q) else "no limit" for q in (low, high))
        held = f"gives its {flow.at_limit[e.id]}, no longer holds {getattr(e, 'v_set_pu', 1.0):g} p.u." if e.id in flow.at_limit else "holds its voltage"
        return [Figure("Reactive range", told, "Mvar", "close" if e.id in flow.at_limit else "", note=held)]
    return []


def _terminal_figures(flow: LoadFlow, e: Element, network: Network) -> list[Figure]:
    limits = network.settings.limits
    power, currents = flow.terminal_power[e.id], flow.current_a(e)
    found: list[Figure] = []
    if len(e.TERMINALS) == 2:
        one = flow.loading(e)
        if one.pct is not None:
            severity = loading_severity(limits, e, one.pct)
            opened = urlencode({"study": "load_flow", "quantity": "loading_pct"})
            found.append(Figure("Carries", fixed(one.pct, 1), "%", severity, opened, f"of {one.rating:g} {one.unit}, {one.basis}"))
            found += [
                Figure("of " + stage.basis, fixed(100 * one.carries / stage.value, 1), "%", note=f"{stage.value:g} {stage.unit}")
                for stage in stages_of(e)[1:]
                if one.carries is not None and stage.value and stage.unit == one.unit
            ]
    sign = -1 if e.ABOUT.delivers else 1
    s = sign * power[0]
    sides = ["first side", "second side"] if e.TERMINALS[0] == "from_bus" else ["high side", "low side"]
    where = f", {sides[0]}" if len(e.TERMINALS) == 2 else ""
    word = "delivered" if sign < 0 else ""
    found += [
        Figure(f"Active power {word}".strip() + where, figure(s.real), "MW", working=FLOW),
        Figure(f"Reactive power {word}".strip() + where, figure(s.imag), "Mvar", working=FLOW),
        Figure("Apparent power", figure(abs(s)), "MVA", working=FLOW),
    ]
    found += [
        Figure(f"Current, {side}" if len(e.TERMINALS) == 2 else "Current", figure(i), "A") for side, i in zip(sides, currents, strict=False) if i is not None
    ]
    if abs(s) > 0:
        found.append(Figure("Power factor", fixed(abs(s.real) / abs(s), 3), working=FLOW))
    found += _controlled(flow, e)
    if len(e.TERMINALS) == 2 and not isinstance(e, Switching):
        loss = sum(power)
        found += [Figure("Losses", figure(loss.real * 1000), "kW", working=FLOW), Figure("Reactive losses", figure(loss.imag * 1000), "kvar", working=FLOW)]
    return found


def _against_pinned(flow: LoadFlow, pinned: LoadFlow, e: Element) -> Section:
    """The chosen quantities now, in the pinned result, and their difference."""
    codes = ("kv", "pu", "ang") if isinstance(e, Bus) else ("p", "q", "i", "load", "loss")
    figures, both = [], (Quantities(flow), Quantities(pinned))
    for code in codes:
        one, was = (q.of_bus(e.id, code) if isinstance(e, Bus) else q.of(e.id, code) for q in both)
        if one is not None:
            change = one.beside(was.number) if was is not None else ""
            word = QUANTITIES[code][0].split(" in ")[0].capitalize()
            figures.append(
                Figure(word, change or ("as pinned" if was is not None else "not there"), one.unit if change else "", note=f"pinned: {was.text}" if was else "")
            )
    return Section("Against the pinned result", figures, "difference")


def _on_the_way(flow: LoadFlow, e: Element, network: Network) -> list[Section]:
    """The fall of the voltage from the source that holds it, element by element."""
    legs = path_to_source(flow, e.id if isinstance(e, Bus) else e.buses[0])
    if not legs:
        return []
    falls = [
        Figure(leg.element.name, fixed(leg.drop_pct, 2), "%", note=f"to {flow.net.name(leg.to_bus)}")
        for leg in legs
        if not isinstance(leg.element, Switching) and abs(leg.drop_pct) >= 0.005
    ]
    total = Figure("Together", fixed(sum(leg.drop_pct for leg in legs), 2), "%", note=f"from {flow.net.name(legs[0].from_bus)}")
    return [Section("Voltage on the way here", [*falls, total], "fall", picture=path_shapes(legs, flow, network.settings.limits, *WAY_SIZE), size=WAY_SIZE)]


def _loading_by_state(look: Look, e: Element) -> list[Figure]:
    limits = look.network.settings.limits
    return by_state(look.over(LOAD_FLOW), "loading", e.id, "%", lambda v: loading_severity(limits, e, v), 1)


def _voltage_by_state(look: Look, e: Element) -> list[Figure]:
    limits, every = look.network.settings.limits, look.over(LOAD_FLOW)
    found = []
    for state, v in every.values("voltage", e.id).items():
        told = fixed(v, 3) if v is not None else AWAITED if state in every.unknown else "not fed"
        found.append(Figure(state, told, "p.u." if v is not None else "", voltage_severity(limits, e, v), stale=v is not None and state in every.waiting))
    return found
