"""The tables of a load flow: buses, terminals, branches, sources, loads, controls, totals."""

import cmath
import math
from collections.abc import Callable

import numpy as np

from northfell.core.model.elements import Changeover, Consumer, Infeed, Inverter, Load, StaticLoad, Switching, SynchronousGenerator
from northfell.core.network.compile import Complexes, Floats, numbers
from northfell.core.quantities import fixed
from northfell.core.studies.load_flow.injections import load_power, motor_power
from northfell.core.studies.load_flow.solved import ROUNDING_MVA, Solved
from northfell.core.studies.load_flow.totals import circulating_currents, reactive_power, steps_in, sums, taps
from northfell.core.tables import Cell, Table, build, by_columns, cells_of

FACTORS = (("load_factor", "load factor"), ("demand_factor", "demand factor"), ("diversity_factor", "1 / diversity factor"))


def buses_table(flow: Solved) -> Table:
    top, net = flow.net.topology, flow.net
    buses = [net.elements[b] for b in top.bus_ids]
    fed = [top.fed_bus(i) for i in range(len(buses))]
    v = np.abs(flow.v)
    angle = np.where(fed, np.degrees(np.angle(flow.v)), math.nan)
    under_voltage = [up or net.is_held_back(i) for i, up in enumerate(fed)] if net.held_back else fed
    cells = (
        [net.state] * len(buses), [e.name for e in buses], [e.label for e in buses], cells_of(v), cells_of(angle), cells_of(flow.u_kv), under_voltage,
        cells_of(net.v_nominal_kv), [getattr(e, "area", "") for e in buses], cells_of(flow.bar_current_a), cells_of(numbers(buses, "i_rated_a")),
        cells_of(flow.bar_loading_pct),
    )  # fmt: skip
    columns = (
        ("state", "", "State"), ("name", "", "Bus"), ("label", "", "Text name"), ("v_pu", "p.u.", "Voltage"), ("angle_deg", "deg", "Angle"),
        ("v_kv", "kV", "Voltage"), ("energised", "", "Fed"), ("v_nominal_kv", "kV", "Nominal"), ("area", "", "Area"), ("i_bars_a", "A", "Brought in"),
        ("i_rated_a", "A", "Rating of bars"), ("loading_pct", "%", "Loading"),
    )  # fmt: skip
    return by_columns("buses", columns, cells)


def terminals_table(flow: Solved) -> Table:
    net, at = flow.net, flow.net.terminals
    listed = np.array([e.id in flow.terminal_power for e in at.elements], bool)
    of = np.flatnonzero(listed[at.element]) if len(listed) else np.zeros(0, np.intp)
    s, elements = flow.s_terminal[of], [at.elements[k] for k in at.element[of].tolist()]
    names = [net.name(b) for b in net.topology.bus_ids]
    cells = (
        [net.state] * len(of), [e.name for e in elements], [e.kind for e in elements],
        [e.TERMINALS[t] for e, t in zip(elements, (of - at.first[at.element[of]]).tolist(), strict=True)], [names[i] for i in at.bus[of].tolist()],
        cells_of(s.real), cells_of(s.imag), cells_of(np.abs(s)), cells_of(flow.i_terminal_a[of]), cells_of(_factors(s)),
    )  # fmt: skip
    columns = (
        ("state", "", "State"), ("element", "", "Element"), ("kind", "", "Kind"), ("terminal", "", "Terminal"), ("bus", "", "Bus"),
        ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("s_mva", "MVA", "S"), ("i_a", "A", "I"), ("power_factor", "", "cos φ"),
    )  # fmt: skip
    return by_columns("terminals", columns, cells)


def branches_table(flow: Solved) -> Table:
    net, at = flow.net, flow.net.terminals
    of = np.flatnonzero(at.count > 1)
    branches, first, last = [at.elements[k] for k in of.tolist()], at.first[of], at.first[of] + 1
    around = {c.element_id: c.i_a for c in circulating_currents(flow)}
    s, through = flow.s_terminal, np.array([isinstance(e, Switching | Changeover) for e in branches], bool)
    loss = np.add.reduceat(s, at.first)[of] if len(of) else np.zeros(0, complex)
    loss[through & np.isfinite(loss)] = 0
    v, names = np.abs(flow.v), [net.name(b) for b in net.topology.bus_ids]
    one, emergency = flow.loadings(), flow.loadings(emergency=True)
    solved = {*net.branches.ids, *net.topology.closed_ids}  # not what stands open
    told, other, bus = flow.bases(), flow.bases(emergency=True), at.bus.tolist()
    governs = (one.terminal[of] - first).tolist()
    cells = (
        [net.state] * len(of), [e.name for e in branches], [e.kind for e in branches],
        [" → ".join([names[i] for i in bus[n : n + count]]) for n, count in zip(first.tolist(), at.count[of].tolist(), strict=True)], cells_of(one.pct[of]),
        cells_of(s[first].real), cells_of(s[first].imag), cells_of(one.carries[of]), cells_of(one.rating[of]), [told[k].unit for k in of.tolist()],
        [told[k].basis for k in of.tolist()], [e.TERMINALS[t] if t >= 0 else "" for e, t in zip(branches, governs, strict=True)], cells_of(loss.real),
        cells_of(loss.imag), cells_of(np.where([e.id in solved for e in branches], 100 * (v[at.bus[first]] - v[at.bus[last]]), math.nan)),
        cells_of(emergency.pct[of]), [other[k].basis for k in of.tolist()], [around.get(e.id) for e in branches],
    )  # fmt: skip
    columns = (
        ("state", "", "State"), ("name", "", "Name"), ("kind", "", "Kind"), ("between", "", "Between"), ("loading_pct", "%", "Loading"),
        ("p_mw", "MW", "P"), ("q_mvar", "Mvar", "Q"), ("carries", "", "Carries"), ("rating", "", "Rating"), ("rating_unit", "", "Unit"),
        ("rating_basis", "", "Basis"), ("governing_terminal", "", "Governing terminal"), ("loss_mw", "MW", "Losses"), ("loss_mvar", "Mvar", "Losses"),
        ("drop_pct", "%", "Voltage drop"), ("emergency_pct", "%", "Of emergency rating"), ("emergency_basis", "", "Its basis"),
        ("circulating_a", "A", "Circulating"),
    )  # fmt: skip
    return by_columns("branches", columns, cells)


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
    those: tuple[Consumer, ...] = (*net.loads, *net.motors)
    order = np.argsort(net.terminals.positions(tuple(e.id for e in those)))  # as in the network
    consumers = [those[k] for k in order.tolist()]
    asked = np.concatenate([load_power(net), motor_power(net)])[order] * base
    drawn = np.asarray(np.concatenate([flow.s_load, flow.s_motor])[order] * base, complex)
    v = np.abs(flow.v)[np.concatenate([net.bus_of(net.loads), net.bus_of(net.motors)])[order]]
    cells = (
        [net.state] * len(order), [e.name for e in consumers], [net.name(e.buses[0]) for e in consumers], asked.real.tolist(), asked.imag.tolist(),
        cells_of(drawn.real), cells_of(drawn.imag), cells_of(_factors(drawn)), cells_of(v),
        [_why(flow, *one) for one in zip(consumers, asked.tolist(), drawn.tolist(), v.tolist(), strict=True)],
    )  # fmt: skip
    columns = (
        ("state", "", "State"), ("name", "", "Load"), ("bus", "", "Bus"), ("p_rated_mw", "MW", "P asked for"), ("q_rated_mvar", "Mvar", "Q asked for"),
        ("p_mw", "MW", "P drawn"), ("q_mvar", "Mvar", "Q drawn"), ("power_factor", "", "cos φ"), ("v_pu", "p.u.", "Voltage"), ("why", "", "Why they differ"),
    )  # fmt: skip
    return by_columns("loads", columns, cells)


def _why(flow: Solved, e: Consumer, asked: complex, drawn: complex, v: float) -> str:
    """Why a consumer draws other than its rating: the factors upon it, and the voltage at its bus."""
    if not e.runs:
        return f"{e.duty}: draws nothing"
    if not math.isfinite(drawn.real):
        return "no result" if flow.net.is_held_back(flow.net.topology.bus_index[e.buses[0]]) else "not fed"
    told = [f"{word} {value:g}" for field, word in FACTORS if (value := getattr(e, field)) != 1]
    factor = flow.net.factor_of(e)
    if factor != 1:
        told.append(f"factor of the state and load level {factor:g}")
    if isinstance(e, StaticLoad) and abs(drawn - asked) > 1e-9 * abs(asked):
        kind = e.characteristic if isinstance(e, Load) else "power"
        how = f"exponents {e.exponent_p:g} and {e.exponent_q:g}" if isinstance(e, Load) and kind == "by exponents" else f"constant {kind}"
        told.append(f"{how} at {fixed(v, 3)} p.u.")
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


def _factors(s: Complexes) -> Floats:
    """Power factors; nan where there is no power or no result."""
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(np.abs(s) > ROUNDING_MVA, np.abs(s.real) / np.abs(s), math.nan)


def _factor(s: complex) -> float | None:
    return abs(s.real) / abs(s) if cmath.isfinite(s) and abs(s) > ROUNDING_MVA else None


def _finite(value: float) -> float | None:
    value = float(value)
    return value if math.isfinite(value) else None


TABLES: dict[str, Callable[[Solved], Table]] = {  # in the order in which they are read
    "buses": buses_table, "terminals": terminals_table, "branches": branches_table, "sources": sources_table, "loads": loads_table,
    "controls": controls_table, "totals": totals_table, "reactive": reactive_table,
}  # fmt: skip
