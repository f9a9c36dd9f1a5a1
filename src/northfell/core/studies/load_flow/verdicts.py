"""What a load flow shows to be beyond a limit: loadings, voltages, sources, power factors, what is not fed."""

import math
from collections.abc import Iterator

from northfell.core.errors import Message
from northfell.core.finding import VERDICTS, Finding, severity_of
from northfell.core.model.elements import Consumer, Inverter, SynchronousGenerator
from northfell.core.model.network import title_of
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure, fixed
from northfell.core.studies.load_flow.controls import CONTROL
from northfell.core.studies.load_flow.judging import bar_verdicts, loading_verdicts, numbered, voltage_verdicts
from northfell.core.studies.load_flow.loading import loading_limits
from northfell.core.studies.load_flow.motor_start import MotorStart
from northfell.core.studies.load_flow.result import LoadFlow

STUDY = "load_flow"


def loading(flow: LoadFlow, limits: Limits, emergency: bool = False) -> Iterator[Finding]:
    """Branches, switching devices and bars that carry more than their rating, or nearly."""
    found = {flow.net.terminals.elements[k].id: VERDICTS[v] for k, v in numbered(loading_verdicts(flow, limits, emergency))}
    bars = ((flow.net.topology.bus_ids[i], VERDICTS[v]) for i, v in numbered(bar_verdicts(flow, limits)))
    found |= {bus: verdict for bus, verdict in bars if flow.net.topology.live[bus]}
    for e in (e for e in flow.net.elements.values() if e.id in found):
        severity, one = found[e.id], flow.loading(e, emergency)
        if severity is None or one.pct is None:
            continue
        close, breach = loading_limits(limits, type(e))
        power = flow.terminal_power.get(e.id)
        shares = f", {figure(abs(power[0].real))} MW with {figure(abs(power[0].imag))} Mvar" if power else ""
        text = f"{title_of(e)} carries {fixed(one.pct, 1)} % of {one.rating:g} {one.unit}: {figure(one.carries)} {one.unit}{shares}."
        needed = (one.carries or 0) / close * 100
        help_ = f"A rating of {figure(needed, 3)} {one.unit} would carry it at {close:g} %."
        yield Finding(STUDY, flow.net.state, e.id, e.name, severity, text, one.pct, breach, "%", help_, "loading")


def voltage(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    """Boards whose voltage stands far from nominal."""
    for i, number in numbered(voltage_verdicts(flow, limits)):
        bus_id, v = flow.net.topology.bus_ids[i], abs(complex(flow.v[i]))
        bus, severity = flow.net.elements[bus_id], VERDICTS[number]
        deviation = 100 * (v - 1)
        if severity is None:
            continue
        kv = v * float(flow.net.v_nominal_kv[i])
        measured = f"{figure(kv)} kV, " if math.isfinite(kv) else ""
        word = "above" if deviation > 0 else "below"
        text = f"{title_of(bus)} stands at {measured}{fixed(v, 3)} p.u.: {fixed(abs(deviation), 1)} % {word} nominal."
        yield Finding(STUDY, flow.net.state, bus_id, bus.name, severity, text, abs(deviation), limits.voltage_breach_pct, "%", check="voltage")


def not_fed(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    """Consumers that ask for power and have no supply."""
    for e in flow.net.elements.values():
        if isinstance(e, Consumer) and e.in_service and e.runs and not flow.net.topology.live[e.id]:
            bus = flow.net.name(e.buses[0])
            text = f"{title_of(e)} is not fed: {bus} is out of service."
            yield Finding(STUDY, flow.net.state, e.id, e.name, "close", text, help=f"Put {bus} into service.", check="not fed")
    for e in (*flow.net.loads, *flow.net.motors):
        at = flow.net.topology.bus_index[e.buses[0]]
        if not flow.net.topology.fed_bus(at) and not flow.net.is_held_back(at) and getattr(e, "drawn_factor", 1.0) > 0:
            yield Finding(
                STUDY, flow.net.state, e.id, e.name, "close", f"{title_of(e)} is not fed.", help="Close a switch toward a source.", check="not fed"
            )  # fmt: skip


def reactive_limits(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    """Sources that are asked for more reactive power than they have, or hold a voltage without any bound."""
    state = flow.net.state
    for g, q, name, limit in flow.broken_limits():
        word = "more than" if name == "q_max_mvar" else "less than"
        text = f"{title_of(g)} gives {figure(q)} Mvar to hold its voltage, {word} its limit of {figure(limit)} Mvar."
        help_ = "Change the voltage it holds, or correct its limit."
        yield Finding(STUDY, state, g.id, g.name, "breach", text, q, limit, "Mvar", help_, "reactive limit")
    sources = {e.id: e for e in (*flow.net.infeeds, *flow.net.machines)}
    for source, side in flow.at_limit.items():
        g, q = sources[source], flow.delivered[source].imag
        bus = flow.bus_held(g)
        held, which = abs(flow.voltage(bus)), "its bus" if bus == g.bus else f"bus {flow.net.name(bus)}"
        text = (
            f"{title_of(g)} gives its {side} reactive power, {figure(q)} Mvar: it no longer holds {fixed(g.v_set_pu, 3)} p.u., "
            f"{which} stands at {fixed(held, 3)} p.u."
        )
        help_ = "Change the voltage it holds, or give or take reactive power elsewhere."
        yield Finding(STUDY, state, g.id, g.name, "close", text, abs(held - g.v_set_pu) * 100, None, "%", help_, "reactive limit")
    for source, (low, high) in flow.ranges.items():
        g = sources[source]
        if math.isinf(low) and math.isinf(high) and flow.net.topology.fed_bus(flow.net.topology.bus_index[g.buses[0]]):
            text = f"{title_of(g)} holds a voltage without reactive limits: it may be taken to give any reactive power."
            help_ = "Enter its least and most reactive power, or let its rating bound it."
            yield Finding(STUDY, state, g.id, g.name, "close", text, help=help_, check="no reactive limits")


def capability(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    """Machines that deliver more than their rated apparent power."""
    for g, s in zip(flow.net.machines, flow.s_machine, strict=True):
        rated = _rated_mva(g)
        if rated is None or not math.isfinite(s.real):
            continue
        mva = abs(complex(s)) * flow.net.s_base_mva
        severity = severity_of(100 * mva / rated, 100.0 + 1e-6, 100.0)
        if severity == "breach":
            text = f"{title_of(g)} delivers {figure(mva)} MVA, {fixed(100 * mva / rated, 1)} % of its rated {figure(rated)} MVA."
            help_ = "Lower its active power or the voltage it holds, or let its rating bound it."
            yield Finding(STUDY, flow.net.state, g.id, g.name, "breach", text, 100 * mva / rated, 100.0, "%", help_, "capability")


def held_down(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    """Inverters that deliver less than they could because their voltage is high."""
    for inverter, mw in flow.held_down.items():
        e = flow.net.elements[inverter]
        help_ = "Lower the voltage there: the tap of the transformer, reactive power taken, a larger conductor."
        yield Finding(STUDY, flow.net.state, e.id, e.name, "close", flow.held_down_told(inverter), mw, 0.0, "MW", help_, "held down")


def _rated_mva(g: SynchronousGenerator | Inverter) -> float | None:
    return None if g.s_rated_mva is None else g.s_rated_mva * getattr(g, "count", 1)


def power_factor(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    """Power factor of what each infeed delivers, and of each consumer, against the contract."""
    contract = limits.power_factor_contract
    if contract is None:
        return
    net, base = flow.net, flow.net.s_base_mva
    supply = [(e, complex(s) * base, "At the supply point") for e, s in zip(net.infeeds, flow.s_infeed, strict=True)]
    drawn = [(e, complex(s) * base, "Consumer") for e, s in zip((*net.loads, *net.motors), (*flow.s_load, *flow.s_motor), strict=True)]
    for e, s, where in (*supply, *drawn):
        if not math.isfinite(s.real) or abs(s) < 1e-9 or (where == "At the supply point" and s.real <= 0):
            continue
        factor = abs(s.real) / abs(s)
        severity = severity_of(-factor, -contract - limits.power_factor_margin, -contract)
        if severity is None or (severity == "close" and where == "Consumer"):
            continue
        kind = "inductive" if s.imag > 0 else "capacitive"
        target = abs(s.real) * math.tan(math.acos(contract))
        text = f"{where} {e.name}: power factor {fixed(factor, 3)} {kind}, by contract at least {contract:g}: {figure(s.real)} MW with {figure(s.imag)} Mvar."
        word = "of capacitors" if s.imag > 0 else "less of capacitors, or of a reactor,"
        help_ = f"{figure(abs(s.imag) - target, 3)} Mvar {word} would bring it to {contract:g}." if abs(s.imag) > target else ""
        grave = severity if where == "At the supply point" else "close"
        yield Finding(STUDY, net.state, e.id, e.name, grave, text, factor, contract, "", help_, "power factor", falls=True)


def start_findings(started: MotorStart, limits: Limits) -> list[Finding]:
    """The verdict on the start of a motor; empty where nothing speaks against it."""
    m, state = started.motor, started.before.net.state
    return [Finding(STUDY, state, m.id, m.name, "breach", f"{m.name} starts {started.drawn.by}: {told}", check="start") for told in started.accepted(limits)]


def taps(flow: LoadFlow, limits: Limits) -> Iterator[Finding]:
    """Controls that cannot hold what they are set to hold."""
    for note in flow.notes:
        if isinstance(note, Message) and note.code == CONTROL:
            yield Finding(STUDY, flow.net.state, note.element, flow.net.name(note.element), "close", str(note), check=CONTROL)


CHECKS = (loading, voltage, not_fed, reactive_limits, capability, held_down, power_factor, taps)
