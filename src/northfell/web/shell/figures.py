"""What the current stage knows of one element, as figures that open their working."""

import cmath
import math
from dataclasses import dataclass, field
from urllib.parse import urlencode

import numpy as np

from northfell.app.results.studies import Results
from northfell.core.errors import NorthfellError
from northfell.core.model.elements import Bus, Element, Relay, Switching
from northfell.core.model.network import Network
from northfell.core.quantities import figure, fixed
from northfell.core.studies.arc_flash import ArcFlash, Location
from northfell.core.studies.load_flow import LoadFlow, stages_of
from northfell.core.studies.load_flow.path import path_to_source
from northfell.core.studies.load_flow.totals import steps_in, taps
from northfell.core.studies.protection import devices_of
from northfell.core.studies.short_circuit import ShortCircuit
from northfell.core.verdicts import loading_severity, severity_of, voltage_severity
from northfell.drawing.flow_overlay import QUANTITIES, bus_value, value_of
from northfell.drawing.path_chart import path_shapes
from northfell.drawing.shapes import Shape
from northfell.drawing.time_current import Band, Mark, current_range, curve_shapes
from northfell.web.shell.view import View


@dataclass(frozen=True)
class Figure:
    label: str
    text: str
    unit: str = ""
    severity: str = ""
    working: str = ""  # query of its working, where it has one
    note: str = ""


@dataclass(frozen=True)
class Section:
    """Figures under a head, perhaps with a picture."""

    title: str
    figures: list[Figure] = field(default_factory=list)
    aside: str = ""
    message: str = ""
    picture: list[Shape] = field(default_factory=list)
    size: tuple[float, float] = (264.0, 196.0)  # of the picture


def figures_of(network: Network, results: Results, view: View, element: Element, pinned: LoadFlow | None = None) -> list[Section]:
    """Sections for the stage shown; a study that cannot run says why instead."""
    try:
        if view.stage == "flow":
            return _flow(network, results, view, element, pinned)
        if view.stage == "faults":
            return _faults(results.at(view.state).short_circuit(), view, element)
        if view.stage == "arc-flash":
            return _arc_flash(network, results, view, element)
    except NorthfellError as error:
        return [Section("No result in this state", message=str(error).splitlines()[0])]
    return []


def _flow(network: Network, results: Results, view: View, e: Element, pinned: LoadFlow | None) -> list[Section]:
    flow = results.at(view.state).load_flow()
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
        sections.append(Section("In every state", _loading_by_state(network, results, e), "loading"))
    elif isinstance(e, Bus) and len(network.state_names) > 1:
        sections.append(Section("In every state", _voltage_by_state(network, results, e), "voltage"))
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
    if (tap := taps(flow).get(e.id)) is not None and getattr(e, "tap_changer", "off load") != "off load":
        return [Figure("Tap found", fixed(tap, 2), "%", note=f"given {getattr(e, 'tap_pct', 0.0):g} %, {getattr(e, 'tap_changer', '')}")]
    if (steps := steps_in(flow).get(e.id)) is not None:
        return [Figure("Steps in", str(steps), note=f"of {getattr(e, 'steps', steps)}, switching {getattr(e, 'switching', 'fixed')}")]
    if e.id in flow.ranges:
        low, high = flow.ranges[e.id]
        told = " to ".join(figure(q) if math.isfinite(q) else "no limit" for q in (low, high))
        held = f"gives its {flow.at_limit[e.id]}, no longer holds {getattr(e, 'v_set_pu', 1.0):g} p.u." if e.id in flow.at_limit else "holds its voltage"
        return [Figure("Reactive range", told, "Mvar", "close" if e.id in flow.at_limit else "", note=held)]
    return []


FLOW = urlencode({"study": "load_flow", "quantity": "flow"})


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
    sign = -1 if e.kind in ("infeed", "synchronous_generator", "inverter") else 1
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
    figures = []
    for code in codes:
        one, was = ((bus_value(f, e, code) if isinstance(e, Bus) else value_of(f, e, code)) for f in (flow, pinned))
        if one is not None:
            change = one.beside(was.number) if was is not None else ""
            word = QUANTITIES[code][0].split(" in ")[0].capitalize()
            figures.append(
                Figure(word, change or ("as pinned" if was is not None else "not there"), one.unit if change else "", note=f"pinned: {was.text}" if was else "")
            )
    return Section("Against the pinned result", figures, "difference")


WAY_SIZE = (264.0, 150.0)


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


def _loading_by_state(network: Network, results: Results, e: Element) -> list[Figure]:
    limits = network.settings.limits
    values = {}
    for state in network.state_names:
        outcome = results.at(state).outcome("load_flow")
        values[state] = outcome.loading(outcome.net.elements[e.id]).pct if isinstance(outcome, LoadFlow) else None
    return _by_state(values, "%", lambda v: loading_severity(limits, e, v), 1)


def _voltage_by_state(network: Network, results: Results, e: Element) -> list[Figure]:
    limits = network.settings.limits
    found = []
    for state in network.state_names:
        outcome = results.at(state).outcome("load_flow")
        v = abs(complex(outcome.v[outcome.net.topology.bus_index[e.id]])) if isinstance(outcome, LoadFlow) else math.nan
        severity = voltage_severity(limits, e, v)
        found.append(Figure(state, fixed(v, 3) if math.isfinite(v) else "not fed", "p.u." if math.isfinite(v) else "", severity))
    return found


def _by_state(values: dict[str, float | None], unit: str, severity, digits: int | None = None) -> list[Figure]:  # type: ignore[no-untyped-def]
    worst = max((v for v in values.values() if v is not None), default=None)
    return [
        Figure(
            state,
            "–" if v is None else fixed(v, digits) if digits is not None else figure(v, 3),
            unit if v is not None else "",
            severity(v) if v is not None else "",
            note="worst" if v is not None and v == worst and len(values) > 1 else "",
        )
        for state, v in values.items()
    ]


def _faults(faults: ShortCircuit, view: View, e: Element) -> list[Section]:
    if not isinstance(e, Bus):
        return [Section("Faults", message="Select a bus to see its fault currents and what each branch brings.")]
    at = faults.net.topology.bus_index[e.id]
    if not faults.net.topology.fed_bus(at):
        return [Section("Faults", message="Not fed in this state: no fault current.")]
    sections = []
    for case, title in (("max", "Three-phase, maximum, motors in"), ("min", "Three-phase, minimum, motors out")):
        one = faults.cases[case]
        z = complex(one.z1_ohm[at])
        query = {"study": "short_circuit", "case": case}
        sections.append(Section(title, [
            Figure("Initial symmetrical I″k", figure(float(one.ik_ka[at])), "kA", working=urlencode({**query, "quantity": "ik_ka"})),
            Figure("Peak ip", figure(float(one.ip_ka[at])), "kA", working=urlencode({**query, "quantity": "ip_ka"})),
            Figure("Peak factor κ", fixed(float(one.kappa[at]), 3)),
            Figure("X/R at the fault", figure(z.imag / z.real) if z.real else "–"),
            Figure("Impedance |Z1|", figure(abs(z)), "ohm"),
        ], "working"))  # fmt: skip
    contributions = faults.contributions(at, "max")
    largest = [c for c in contributions if abs(c[2]) > 1e-6]
    listed = [
        Figure(el.name, figure(abs(i)), "kA", note=f"∠ {fixed(math.degrees(cmath.phase(i)), 1)}°") for el, _, i in sorted(largest, key=lambda c: -abs(c[2]))
    ]
    total = sum((i for _, _, i in contributions), 0j)
    listed.append(Figure("Sum of contributions", figure(abs(total)), "kA", note=f"∠ {fixed(math.degrees(cmath.phase(total)), 1)}°"))
    sections.append(Section("What each brings, maximum", listed))
    return sections


def _arc_flash(network: Network, results: Results, view: View, e: Element) -> list[Section]:
    study = results.at(view.state).arc_flash()
    if not isinstance(e, Bus):
        return [Section("Arc flash", message="Select a board to see its energy, what clears it, and its label.")]
    if e.electrode_configuration is None:
        return [Section("Arc flash", message="No enclosure data: choose the electrode configuration below to make this a location.")]
    location = study.location(e.id, view.side) or study.location(e.id, "load")
    if location is None:
        return [Section("Arc flash", message="Out of service in this state."), _energy_by_state(network, results, e, view.side)]
    if location.worst is None:
        told = "; ".join(location.warnings) or "Not fed in this state."
        return [Section("Arc flash", message=told), _energy_by_state(network, results, e, location.side)]
    return [*_location(study, location, network), _energy_by_state(network, results, e, location.side)]


def _location(study: ArcFlash, location: Location, network: Network) -> list[Section]:
    assert location.worst is not None
    w, limits = location.worst, network.settings.limits
    severity = severity_of(w.energy_cal_cm2, limits.energy_close_cal_cm2, limits.energy_breach_cal_cm2) or ""
    reduced, full = location.variant(w.case, "reduced"), location.variant(w.case, "full")
    widest = max(location.variants, key=lambda v: v.boundary_mm)
    query = {"study": "arc_flash", "side": location.side}

    def opened(quantity: str, variant: str, case: str) -> str:
        return urlencode({**query, "quantity": quantity, "variant": variant, "case": case})

    device = study.net.name(w.device) if w.device else "no device"
    opens = f"{figure(w.opens_at_s, 3)}" if math.isfinite(w.opens_at_s) else "never"
    chain = [
        Figure(
            "Bolted fault",
            figure(w.i_bolted_ka),
            "kA",
            note=f"{w.case}imum case",
            working=urlencode({"study": "short_circuit", "quantity": "ik_ka", "case": w.case, "faulted": location.faulted}),
        ),
        Figure("Arcing current", figure(full.i_arc_ka), "kA", note=f"reduced {figure(reduced.i_arc_ka)}"),
        Figure(f"Through {device}", figure(w.i_device_ka), "kA", note=f"{w.variant} current"),
        Figure(f"{device} opens", opens, "s" if opens != "never" else "", note=w.stage),
        *([Figure("Arc lasts", figure(w.arc_time_s, 3), "s", note="two-second rule")] if w.arc_time_s != w.opens_at_s else []),
        Figure(
            "Incident energy", figure(w.energy_cal_cm2, 3), "cal/cm²", severity, opened("energy_cal_cm2", w.variant, w.case), f"{w.variant} current governs"
        ),
        Figure("Boundary", figure(widest.boundary_mm / 1000, 3), "m", "", opened("boundary_mm", widest.variant, widest.case), "at 1.2 cal/cm²"),
    ]
    four = [
        Figure(
            f"{v.case}imum, {v.variant}",
            figure(v.energy_cal_cm2, 3),
            "cal/cm²",
            working=opened("energy_cal_cm2", v.variant, v.case),
            note=f"{figure(v.arc_time_s, 3)} s",
        )
        for v in sorted(location.variants, key=lambda v: (v.case, v.variant))
    ]
    curve = [Section(f"Curve of {device}", picture=_curve(study, location))] if w.device else []
    return [Section(f"Arc flash, {location.side} side", chain, "working"), *curve, Section("Cases", four, "working")]


CURVE_SIZE = (264.0, 196.0)


def _curve(study: ArcFlash, location: Location) -> list[Shape]:
    """The deciding device's band with the arcing currents through it, of the case that governs."""
    worst = location.worst
    assert worst is not None
    device = devices_of(study.net.elements)[worst.device or ""]
    both = [location.variant(worst.case, variant) for variant in ("full", "reduced")]
    marks = []
    for v in both:
        one = next((d for d in location.devices if (d.case, d.variant, d.device) == (v.case, v.variant, worst.device)), None)
        if one:
            told = f"{v.variant} {figure(one.i_device_ka, 3)} kA"
            marks.append(Mark(told, 1000 * one.i_device_ka, one.opens_at_s, f"tc-{v.variant}", v is worst))
    low, high = current_range([device.picks_up_at_a, *(m.i_a for m in marks)])
    i_a = np.geomspace(max(low, device.picks_up_at_a), high, 400)
    band = Band(device.name, i_a, device.opens_at_s(i_a, "fast"), device.opens_at_s(i_a))
    return curve_shapes([band], marks, *CURVE_SIZE)


def _energy_by_state(network: Network, results: Results, e: Bus, side: str) -> Section:
    limits = network.settings.limits
    values: dict[str, float | None] = {}
    for state in network.state_names:
        outcome = results.at(state).outcome("arc_flash")
        one = outcome.location(e.id, side) if isinstance(outcome, ArcFlash) else None
        values[state] = one.worst.energy_cal_cm2 if one and one.worst else None
    figures = _by_state(values, "cal/cm²", lambda v: severity_of(v, limits.energy_close_cal_cm2, limits.energy_breach_cal_cm2) or "")
    return Section("In every state", figures, "energy")
