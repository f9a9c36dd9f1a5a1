"""What would cure a breach: every remedy is a change of the network, and its effect is found by solving with it.

Cheap ones come first: set points, taps, fans, switching; then what costs money: capacitors, a second unit, a larger one.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from northfell.core.catalogue.entries import set_from, shipped
from northfell.core.catalogue.entry import Entry
from northfell.core.errors import NorthfellError
from northfell.core.finding import BREACH
from northfell.core.model.changes import Add, Change, Set, Switch, apply_completed
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import (  # fmt: skip
    Bus,
    Cable,
    CapacitorBank,
    Conductor,
    Element,
    Infeed,
    Inverter,
    Switching,
    SynchronousGenerator,
    Transformer,
)
from northfell.core.model.network import NORMAL, Network
from northfell.core.network import compile_network
from northfell.core.quantities import figure, fixed, signed
from northfell.core.studies.load_flow.judging import bar_verdicts, loading_verdicts, voltage_verdicts
from northfell.core.studies.load_flow.loading import loading_limits
from northfell.core.studies.load_flow.path import path_to_source
from northfell.core.studies.load_flow.result import LoadFlow
from northfell.core.studies.load_flow.solve import run

Kind = Literal["set point", "tap", "cooling", "switching", "capacitor", "second unit", "larger unit"]
R10 = (1.0, 1.25, 1.6, 2.0, 2.5, 3.15, 4.0, 5.0, 6.3, 8.0)  # IEC 60076-1:2011, 5.1.4: preferred rated powers, a row for each decade
OFF_LOAD_STEP_PCT = 2.5
MOST_STEPS = 8


@dataclass(frozen=True)
class Remedy:
    """A change with its effect on the figure that is beyond its limit."""

    kind: Kind
    title: str
    change: Change
    before: float  # loading [%], or voltage [p.u.]
    after: float
    cures: bool  # the figure is within its limit
    new_breaches: tuple[str, ...]  # elements that it takes beyond a limit in this state
    costs: bool  # needs equipment

    @property
    def rank(self) -> tuple[bool, bool, bool]:
        return (not self.cures, bool(self.new_breaches), self.costs)


def remedies(network: Network, flow: LoadFlow, element: Element) -> list[Remedy]:
    """Remedies for an overloaded branch or a bus whose voltage is off, each solved; what helps and costs nothing first."""
    found = []
    for kind, tried in _tried(network, flow, element):
        best: Remedy | None = None
        for title, change in tried:
            one = _solved(network, flow, element, kind, title, change)
            if one is None:
                break
            if best is None or one.rank < best.rank or (one.rank == best.rank and _off(one.after, element) < _off(best.after, element)):
                best = one
            if one.cures and not one.new_breaches:
                break
        if best is not None and _helps(best, element):
            found.append(best)
    return sorted(found, key=lambda one: (one.rank, _off(one.after, element)))


Attempts = Iterator[tuple[str, Change]]


def _solved(network: Network, flow: LoadFlow, element: Element, kind: Kind, title: str, change: Change) -> Remedy | None:
    try:
        after = run(compile_network(apply_completed(network, change)[0], flow.net.state))
    except NorthfellError:
        return None
    limits = network.settings.limits
    before_value, after_value = _value(flow, element), _value(after, element)
    if before_value is None or after_value is None:
        return None
    bound = limits.voltage_breach_pct / 100 if isinstance(element, Bus) else loading_limits(limits, type(element))[1]
    cures = _off(after_value, element) <= bound * (1 + 1e-9)
    new = tuple(after.net.name(i) for i in sorted(_beyond(after, network) - _beyond(flow, network)) if i != element.id)
    return Remedy(kind, title, change, before_value, after_value, cures, new, kind in ("capacitor", "second unit", "larger unit"))


def _value(flow: LoadFlow, element: Element) -> float | None:
    if isinstance(element, Bus):
        v = abs(flow.voltage(element.id)) if element.id in flow.net.topology.bus_index else math.nan
        return v if math.isfinite(v) else None
    now = flow.net.elements.get(element.id)
    return flow.loading(now).pct if now is not None else None


def _off(value: float, element: Element) -> float:
    """How bad a figure is: deviation from nominal of a voltage, a loading as it is."""
    return abs(value - 1) if isinstance(element, Bus) else value


def _helps(one: Remedy, element: Element) -> bool:
    return _off(one.after, element) < _off(one.before, element) - (5e-4 if isinstance(element, Bus) else 0.05)


def _beyond(flow: LoadFlow, network: Network) -> set[str]:
    """Elements beyond a limit of loading or voltage."""
    limits, top = network.settings.limits, flow.net.topology
    of_buses = np.maximum(voltage_verdicts(flow, limits), bar_verdicts(flow, limits))
    carrying = {flow.net.terminals.elements[k].id for k in np.flatnonzero(loading_verdicts(flow, limits) == BREACH).tolist()}
    return carrying | {top.bus_ids[i] for i in np.flatnonzero(of_buses == BREACH).tolist()}


def _tried(network: Network, flow: LoadFlow, element: Element) -> Iterator[tuple[Kind, Attempts]]:
    """What is worth trying, by kind; each yields changes of growing size."""
    bus = isinstance(element, Bus)
    low = bus and abs(flow.voltage(element.id)) < 1
    target = element.id if bus else _downstream(flow, element)
    way = [leg.element for leg in path_to_source(flow, target)] if target else []
    yield from _by_setting(network, flow, element, way, bus, low)
    if target and (not bus or low):
        yield "capacitor", _new_banks(network, flow, element, target)
    largest = element if not bus else max(_falls(flow, target), key=lambda one: one[0], default=(0.0, None))[1] if target and low else None
    if isinstance(largest, Transformer | Conductor):
        more = Change(f"{largest.name}: {largest.parallel + 1} in parallel", (Set(id=largest.id, values={"parallel": largest.parallel + 1}),))
        yield "second unit", iter([(f"{largest.parallel + 1} units of {largest.name} in parallel", more)])
    if isinstance(largest, Transformer) and largest.s_rated_mva:
        carried = flow.loading(largest).carries or 0.0
        wanted = carried / largest.parallel / (loading_limits(network.settings.limits, type(largest))[0] / 100)
        yield "larger unit", _larger(largest, wanted)
    if isinstance(largest, Cable):
        yield "larger unit", _larger_cables(largest, network.settings.frequency_hz)


def _by_setting(network: Network, flow: LoadFlow, element: Element, way: list[Element], bus: bool, low: bool) -> Iterator[tuple[Kind, Attempts]]:
    """What is there already, set or switched otherwise: set points, taps, fans, banks, switches."""
    state = flow.net.state
    for g in (*flow.net.machines, *flow.net.infeeds):
        if isinstance(g, Infeed) or g.mode in ("voltage", "reference"):
            for sign in (1, -1) if not bus else (1,) if low else (-1,):
                yield "set point", _set_points(network, state, g, sign)
    transformers = [e for e in (element, *way) if isinstance(e, Transformer)]
    for t in {e.id: e for e in transformers}.values():
        for sign in (-1, 1) if not bus else (-1,) if low else (1,):
            yield "tap", _tap_steps(network, state, t, sign)
        if t.s_forced_mva is not None and not t.fans_run and t.id == element.id:
            yield "cooling", iter([(f"Run the fans of {t.name}", _in_state(network, state, t, "fans_run", True, f"Fans of {t.name} run"))])
    for e in flow.net.elements.values():
        if isinstance(e, CapacitorBank) and flow.net.topology.live[e.id]:
            yield "switching", _bank_steps(network, state, e, up=low or not bus)
        if isinstance(e, Switching) and not e.closed and flow.net.topology.live[e.id]:
            yield "switching", iter([(f"Close {e.name}", Change(f"{e.name} closed", (Switch(id=e.id, state=state, values={"closed": True}),)))])


def _falls(flow: LoadFlow, bus_id: str) -> list[tuple[float, Element]]:
    return [(leg.drop_pct, leg.element) for leg in path_to_source(flow, bus_id)]


def _downstream(flow: LoadFlow, element: Element) -> str:
    """The bus that an element delivers to."""
    power = flow.terminal_power.get(element.id)
    if not power or len(power) < 2:
        return ""
    return element.buses[min(range(len(power)), key=lambda k: power[k].real)]


def _in_state(network: Network, state: str, element: Element, field: str, value: Any, title: str) -> Change:
    """Set a field in the state shown, as an edit there would."""
    p = parameter(type(element), field)
    if p is None or not p.in_state:
        return Change(title, (Set(id=element.id, values={field: value}),))
    where = "" if state == NORMAL else f" in {state}"
    return Change(f"{title}{where}", (Switch(state=state, id=element.id, values={field: value}),))


def _set_points(network: Network, state: str, g: SynchronousGenerator | Inverter | Infeed, sign: int) -> Attempts:
    for n in range(1, 5):
        v = round(g.v_set_pu + sign * n * 0.01, 4)
        if 0.9 <= v <= 1.1:
            yield (
                f"{g.name} holds {fixed(v, 2)} p.u. instead of {fixed(g.v_set_pu, 2)}",
                _in_state(network, state, g, "v_set_pu", v, f"{g.name} holds {v:g} p.u."),
            )


def _tap_steps(network: Network, state: str, t: Transformer, sign: int) -> Attempts:
    if t.tap_changer != "off load":
        if t.tap_changer == "holds voltage":
            for n in range(1, 5):
                v = round(t.tap_v_set_pu - sign * n * 0.01, 4)
                title = f"Tap changer of {t.name} holds {fixed(v, 2)} p.u."
                yield title, _in_state(network, state, t, "tap_v_set_pu", v, title)
        return
    step = t.tap_step_pct or OFF_LOAD_STEP_PCT
    low = t.tap_lowest_pct if t.tap_lowest_pct is not None else -2 * OFF_LOAD_STEP_PCT
    high = t.tap_highest_pct if t.tap_highest_pct is not None else 2 * OFF_LOAD_STEP_PCT
    for n in range(1, MOST_STEPS + 1):
        tap = t.tap_pct + sign * n * step
        if low - 1e-9 <= tap <= high + 1e-9:
            title = f"Tap of {t.name} at {signed(tap)} % instead of {signed(t.tap_pct)} %"
            yield title, _in_state(network, state, t, "tap_pct", tap, f"Tap of {t.name} {signed(tap)} %")


def _bank_steps(network: Network, state: str, bank: CapacitorBank, up: bool) -> Attempts:
    now = bank.steps if bank.steps_in is None else bank.steps_in
    for n in range(now + 1, bank.steps + 1) if up else range(now - 1, -1, -1):
        title = f"{n} of {bank.steps} steps of {bank.name} in"
        yield title, _in_state(network, state, bank, "steps_in", n, title)


def _new_banks(network: Network, flow: LoadFlow, element: Element, bus_id: str) -> Attempts:
    """A capacitor bank at the bus: for a loading the reactive power that flows, for a voltage in growing sizes."""
    if isinstance(element, Bus):
        level = max(
            (abs(s) for e, power in flow.terminal_power.items() for b, s in zip(flow.net.elements[e].buses, power, strict=True) if b == bus_id), default=0
        )
        sizes = [_two_digits(level * part) for part in (0.1, 0.2, 0.4, 0.6)]
    else:
        q = max(abs(s.imag) for s in flow.terminal_power[element.id])
        sizes = [_two_digits(q * part) for part in (0.5, 0.75, 1.0)]
    name = _free_name(network, "C")
    bus = network.elements[bus_id].name
    for q in dict.fromkeys(size for size in sizes if size > 0):
        bank = {"kind": "capacitor_bank", "id": name, "name": name, "bus": bus_id, "q_step_mvar": q, "steps": 1}
        yield f"A capacitor bank of {figure(q, 2)} Mvar at {bus}", Change(f"Capacitor bank {name}, {figure(q, 2)} Mvar at {bus}", (Add(element=bank),))


def _two_digits(value: float) -> float:
    return float(f"{value:.2g}")


def _free_name(network: Network, start: str) -> str:
    taken = {e.name for e in network.elements.values()} | set(network.elements)
    return next(f"{start}{n}" for n in range(1, 10**6) if f"{start}{n}" not in taken)


def _larger_cables(cable: Cable, frequency_hz: int) -> Attempts:
    """The next cross-sections of the same build among the catalogue's entries that know their capacity, as they are laid there."""
    build = ("conductor", "insulation", "cores")
    if cable.area_mm2 is None or cable.conductor is None or cable.i_rated_a is None:
        return
    cables = [one for one in shipped().values() if one.kind == "cable" and one.values.get("i_rated_a")]
    sizes = {one.found_by["sizes"] for one in cables if one.values["area_mm2"] == cable.area_mm2}  # square millimetres, or wire gauges
    known = [
        one
        for one in cables
        if one.found_by["sizes"] in sizes
        and one.values["area_mm2"] > cable.area_mm2
        and all(getattr(cable, f) is None or one.values.get(f) == getattr(cable, f) for f in build)
        and (cable.v_insulation_kv is None or one.values.get("v_insulation_kv", cable.v_insulation_kv) == cable.v_insulation_kv)
    ]
    by_area: dict[float, Entry] = {}
    for one in known:  # of several ways of laying, the one that carries least
        area = one.values["area_mm2"]
        if area not in by_area or one.values["i_rated_a"] < by_area[area].values["i_rated_a"]:
            by_area[area] = one
    for area in sorted(by_area)[:4]:
        one = by_area[area]
        if one.values["i_rated_a"] <= cable.i_rated_a:
            continue
        change = Change(f"{cable.name} of {area:g} mm²", (set_from(one, cable.id, frequency_hz),))
        yield f"{cable.name} of {area:g} mm², {one.values['i_rated_a']:g} A as in the catalogue, instead of {cable.area_mm2:g} mm²", change


def _larger(t: Transformer, wanted_mva: float) -> Attempts:
    """The next preferred rated powers, with the impedance voltage and the losses in proportion as they are."""
    rows = [row * 10.0**decade for decade in range(-3, 4) for row in R10]
    rated = t.s_rated_mva or 0.0
    for s in [row for row in rows if row > rated * 1.001 and row >= wanted_mva * 0.999][:2]:
        losses = {f: float(f"{getattr(t, f) * s / rated:.4g}") for f in ("load_loss_kw", "no_load_loss_kw") if getattr(t, f) is not None}
        forced = {f: None for f in ("s_forced_mva", "s_emergency_mva") if getattr(t, f) is not None}
        change = Change(f"{t.name} of {s:g} MVA", (Set(id=t.id, values={"s_rated_mva": float(f"{s:.4g}"), **losses, **forced}),))
        yield f"{t.name} of {s:g} MVA instead of {rated:g}", change
