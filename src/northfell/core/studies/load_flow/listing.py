"""The tables of a load flow: buses, terminals, branches, sources, loads, controls, totals."""

import cmath
import math
from collections.abc import Callable

from northfell.core.model.elements import Changeover, Infeed, Inverter, Load, StaticLoad, Switching, SynchronousGenerator
from northfell.core.quantities import fixed
from northfell.core.studies.load_flow.injections import load_power, motor_power
from northfell.core.studies.load_flow.solved import Solved
from northfell.core.studies.load_flow.totals import circulating_currents, reactive_power, steps_in, sums, taps
from northfell.core.tables import Cell, Table, build

ABSENT = complex(math.nan, math.nan)


def buses_table(flow: Solved) -> Table:
    top, net = flow.net.topology, flow.net
    rows: list[tuple[Cell, ...]] = []
    for i, bus_id in enumerate(top.bus_ids):
        v, bus = complex(flow.v[i]), net.elements[bus_id]
        fed = top.fed_bus(i)
        under_voltage = fed or net.is_held_back(i)
        kv, nominal = _finite(abs(v) * float(net.v_nominal_kv[i])), _finite(float(net.v_nominal_kv[i]))
        angle = math.degrees(cmath.phase(v)) if fed else None
        one = flow.loading(bus)
        rows.append(
            (net.state, bus.name, bus.label, _finite(abs(v)), angle, kv, under_voltage, nominal, getattr(bus, "area", ""), one.carries, one.rating, one.pct)
        )
    columns = (
        ("state", "", "State"), ("name", "", "Bus"), ("label", "", "Text name"), ("v_pu", "p.u.", "Voltage"), ("angle_deg", "deg", "Angle"),
        ("v_kv", "kV", "Voltage"), ("energised", "", "Fed"), ("v_nominal_kv", "kV", "Nominal"), ("area", "", "Area"), ("i_bars_a", "A", "Brought in"),
        ("i_rated_a", "A", "Rating of bars"), ("loading_pct", "%", "Loading"),
    )  # fmt: skip
    return build("buses", columns, rows)


def terminals_table(flow: Solved) -> Table:
    rows: list[tuple[Cell, ...]] = []
    for e in flow.net.elements.values():
        power = flow.terminal_power.get(e.id)
        if power is None:
            continue
        for terminal, bus_id, s, i in zip(e.TERMINALS, e.buses, power, flow.current_a(e), strict=True):
            p, q = _finite(s.real), _finite(s.imag)
            rows.append((flow.net.state, e.name, e.kind, terminal, flow.net.name(bus_id), p, q, _finite(abs(s)), i, _factor(s)))
    columns = (
        ("state", "", "State"), ("element", "", "Element"), ("kind", "", "Kind"), ("terminal", "", "Terminal"), ("bus", "", "Bus"),
        ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("s_mva", "MVA", "S"), ("i_a", "A", "I"), ("power_factor", "", "cos φ"),
    )  # fmt: skip
    return build("terminals", columns, rows)


def branches_table(flow: Solved) -> Table:
    rows: list[tuple[Cell, ...]] = []
    around = {c.element_id: c.i_a for c in circulating_currents(flow)}
    for e in flow.net.elements.values():
        if len(e.TERMINALS) < 2 or not flow.net.topology.live[e.id]:
            continue
        power = flow.terminal_power.get(e.id)
        loss = sum(power) if power and not isinstance(e, Switching | Changeover) else 0j if power else ABSENT
        first = power[0] if power else ABSENT
        one, emergency = flow.loading(e), flow.loading(e, emergency=True)
        drop = _drop_pct(flow, e.buses) if power else None
        rows.append((
            flow.net.state, e.name, e.kind, " → ".join(flow.net.name(b) for b in e.buses), one.pct, _finite(first.real), _finite(first.imag), one.carries,
            one.rating, one.unit, one.basis, one.terminal, _finite(loss.real), _finite(loss.imag), drop, emergency.pct, emergency.basis, around.get(e.id),
        ))  # fmt: skip
    columns = (
        ("state", "", "State"), ("name", "", "Name"), ("kind", "", "Kind"), ("between", "", "Between"), ("loading_pct", "%", "Loading"),
        ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("carries", "", "Carries"), ("rating", "", "Rating"), ("rating_unit", "", "Unit"),
        ("rating_basis", "", "Basis"), ("governing_terminal", "", "Governing terminal"), ("loss_mw", "MW", "Losses"), ("loss_mvar", "Mvar", "Losses"),
        ("drop_pct", "%", "Voltage drop"), ("emergency_pct", "%", "Of emergency rating"), ("emergency_basis", "", "Its basis"),
        ("circulating_a", "A", "Circulating"),
    )  # fmt: skip
    return build("branches", columns, rows)


def _drop_pct(flow: Solved, buses: tuple[str, ...]) -> float | None:
    """Fall of the voltage from the first to the second terminal, of nominal."""
    return _finite(100 * (abs(flow.voltage(buses[0])) - abs(flow.voltage(buses[1]))))


def sources_table(flow: Solved) -> Table:
    rows: list[tuple[Cell, ...]] = []
    net = flow.net
    for e in net.elements.values():
        if not isinstance(e, Infeed | SynchronousGenerator | Inverter) or e.id not in flow.delivered:
            continue
        s, bus = flow.delivered[e.id], flow.bus_held(e)
        mode = getattr(e, "mode", None) or f"infeed, {getattr(e, 'flow_model', '')}"
        held = f", holds {net.name(bus)}" if bus != e.bus and mode == "voltage" else ""
        held += f", at its {flow.at_limit[e.id]} reactive power" if e.id in flow.at_limit else ""
        held += f", {flow.held_down[e.id]:.4g} MW held down by its voltage" if e.id in flow.held_down else ""
        low, high = flow.ranges.get(e.id, (math.nan, math.nan))
        rated = (getattr(e, "s_rated_mva", None) or math.nan) * getattr(e, "count", 1)
        pct = _finite(100 * abs(s) / rated)
        rows.append((
            net.state, e.name, net.name(e.buses[0]), _finite(s.real), _finite(s.imag), mode + held, _finite(abs(s)), _factor(s), _finite(low), _finite(high),
            _finite(abs(flow.voltage(e.buses[0]))), _finite(rated), pct,
        ))  # fmt: skip
    columns = (
        ("state", "", "State"), ("name", "", "Source"), ("bus", "", "Bus"), ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("mode", "", "Mode"),
        ("s_mva", "MVA", "S"), ("power_factor", "", "cos φ"), ("q_min_mvar", "Mvar", "Least Q"), ("q_max_mvar", "Mvar", "Most Q"),
        ("v_pu", "p.u.", "Voltage"), ("s_rated_mva", "MVA", "Rated"), ("loading_pct", "%", "Of rated"),
    )  # fmt: skip
    return build("sources", columns, rows)


def loads_table(flow: Solved) -> Table:
    net, base = flow.net, flow.net.s_base_mva
    groups = (net.loads, load_power(net), flow.s_load), (net.motors, motor_power(net), flow.s_motor)
    both = {e.id: (complex(a) * base, complex(b) * base) for elements, r, d in groups for e, a, b in zip(elements, r, d, strict=True)}
    rows: list[tuple[Cell, ...]] = []
    for e in net.elements.values():
        if e.id in both:
            asked, drawn = both[e.id]
            v = abs(flow.voltage(e.buses[0]))
            rows.append((
                net.state, e.name, net.name(e.buses[0]), asked.real, asked.imag, _finite(drawn.real), _finite(drawn.imag), _factor(drawn), _finite(v),
                _why(flow, e, asked, drawn),
            ))  # fmt: skip
    columns = (
        ("state", "", "State"), ("name", "", "Load"), ("bus", "", "Bus"), ("p_rated_mw", "MW", "P asked for"), ("q_rated_mvar", "Mvar", "Q asked for"),
        ("p_mw", "MW", "P drawn"), ("q_mvar", "Mvar", "Q drawn"), ("power_factor", "", "cos φ"), ("v_pu", "p.u.", "Voltage"), ("why", "", "Why they differ"),
    )  # fmt: skip
    return build("loads", columns, rows)


def _why(flow: Solved, e: object, asked: complex, drawn: complex) -> str:
    """Why a consumer draws other than its rating: the factors upon it, and the voltage at its bus."""
    told = []
    duty = getattr(e, "duty", "continuous")
    if not getattr(e, "runs", True):
        return f"{duty}: draws nothing"
    for field, word in (("load_factor", "load factor"), ("demand_factor", "demand factor"), ("diversity_factor", "1 / diversity factor")):
        value = getattr(e, field)
        if value != 1:
            told.append(f"{word} {value:g}")
    factor = flow.net.factor_of(e)  # type: ignore[arg-type]
    if factor != 1:
        told.append(f"factor of the state and load level {factor:g}")
    if isinstance(e, StaticLoad) and math.isfinite(drawn.real) and abs(drawn - asked) > 1e-9 * abs(asked):
        kind = e.characteristic if isinstance(e, Load) else "power"
        how = f"exponents {e.exponent_p:g} and {e.exponent_q:g}" if isinstance(e, Load) and kind == "by exponents" else f"constant {kind}"
        told.append(f"{how} at {fixed(abs(flow.voltage(e.buses[0])), 3)} p.u.")
    if not math.isfinite(drawn.real):
        return "no result" if flow.net.is_held_back(flow.net.topology.bus_index[e.buses[0]]) else "not fed"  # type: ignore[attr-defined]
    return "; ".join(told)


def controls_table(flow: Solved) -> Table:
    """Positions that were found for tap changers and switched capacitors, and limits that sources stand at."""
    net = flow.net
    rows: list[tuple[Cell, ...]] = []
    tap, steps = taps(flow), steps_in(flow)
    for e in net.elements.values():
        if e.id in tap and net.topology.live[e.id]:
            rows.append((net.state, e.name, "tap", getattr(e, "tap_changer", ""), getattr(e, "tap_pct", None), tap[e.id], "%"))
        elif e.id in steps:
            given = getattr(e, "steps", 0) if getattr(e, "steps_in", None) is None else getattr(e, "steps_in", 0)
            rows.append((net.state, e.name, "steps in", getattr(e, "switching", ""), given, steps[e.id], ""))
        elif e.id in flow.at_limit:
            rows.append((net.state, e.name, "reactive limit", f"gives its {flow.at_limit[e.id]}", None, flow.delivered[e.id].imag, "Mvar"))
    columns = (
        ("state", "", "State"), ("name", "", "Name"), ("control", "", "Control"), ("how", "", "How"), ("given", "", "Given"), ("found", "", "Found"),
        ("unit", "", "Unit"),
    )  # fmt: skip
    return build("controls", columns, rows)


def totals_table(flow: Solved) -> Table:
    rows: list[tuple[Cell, ...]] = [
        (
            flow.net.state, one.scope, one.name, one.generation.real, one.generation.imag, one.load.real, one.load.imag, one.shunts.real, one.shunts.imag,
            one.losses.real, one.losses.imag, None if one.without_rating else one.installed_mw, one.reserve_mw,
        )
        for one in sums(flow)
    ]  # fmt: skip
    columns = (
        ("state", "", "State"), ("scope", "", "Of"), ("name", "", "Name"), ("generation_mw", "MW", "Generation"), ("generation_mvar", "Mvar", "Generation"),
        ("load_mw", "MW", "Load"), ("load_mvar", "Mvar", "Load"), ("shunt_mw", "MW", "Shunts"), ("shunt_mvar", "Mvar", "Shunts"), ("losses_mw", "MW", "Losses"),
        ("losses_mvar", "Mvar", "Losses"), ("installed_mw", "MW", "Installed"), ("reserve_mw", "MW", "Reserve"),
    )  # fmt: skip
    return build("totals", columns, rows)


def reactive_table(flow: Solved) -> Table:
    """Reactive power told apart: given + charging + capacitors = taken back + loads + reactors + series + magnetising."""
    r = reactive_power(flow)
    parts = (
        ("given by sources", r.given), ("charging of lines and cables", r.charging), ("capacitors", r.capacitors), ("drawn by loads and motors", r.loads),
        ("reactors", r.reactors), ("in series reactances", r.series), ("magnetising", r.magnetising), ("taken back by sources", r.taken_back),
        ("circulating: given by sources because others take it", r.circulating),
    )  # fmt: skip
    return build("reactive", (("state", "", "State"), ("part", "", "Part"), ("q_mvar", "Mvar", "Q")), [(flow.net.state, what, q) for what, q in parts])


def _factor(s: complex) -> float | None:
    return abs(s.real) / abs(s) if cmath.isfinite(s) and abs(s) > 0 else None


def _finite(value: float) -> float | None:
    value = float(value)
    return value if math.isfinite(value) else None


TABLES: dict[str, Callable[[Solved], Table]] = {  # in the order in which they are read
    "buses": buses_table, "terminals": terminals_table, "branches": branches_table, "sources": sources_table, "loads": loads_table,
    "controls": controls_table, "totals": totals_table, "reactive": reactive_table,
}  # fmt: skip
