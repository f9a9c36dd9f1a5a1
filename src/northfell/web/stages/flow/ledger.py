"""The ledger's tables of the Flow stage, with other states and a pinned result beside them."""

import math
from dataclasses import replace
from typing import Any

import numpy as np

from northfell.app.results.studies import kept_as, requested
from northfell.core.finding import VERDICTS
from northfell.core.model.by_element import LastMade
from northfell.core.model.elements import Bus, Consumer, Element, InductionMotor, SynchronousMotor
from northfell.core.model.network import Network
from northfell.core.quantities import MINUS, as_written, entry, figure, fixed
from northfell.core.studies.load_flow import (
    LOAD_FLOW,
    MAXIMUM,
    OUTAGES,
    START,
    LoadFlow,
    loading_severity,
    loading_verdicts,
    low_severity,
    start_severity,
    voltage_severity,
)
from northfell.core.studies.load_flow.maximum import MaximumLoading, maximum_table
from northfell.core.studies.load_flow.motor_start import MotorStart
from northfell.core.studies.load_flow.outages import outages_table
from northfell.core.tables import Table
from northfell.web.shell.figures import AWAITED
from northfell.web.shell.naming import Ends
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import CellShown, Head, Ledger, RowShown, cell_of, heads_of, kind_name, num, over, shown, text, written
from northfell.web.shell.view import View
from northfell.web.stages.flow.loading_chart import loading_shapes

SOURCES = "name bus mode p_mw q_mvar s_mva power_factor v_pu q_min_mvar q_max_mvar loading_pct"
LOADS = "name bus p_rated_mw q_rated_mvar p_mw q_mvar power_factor v_pu why"


def change(value: float | None, before: float | None, decimals: int | None = None) -> CellShown:
    """A difference to the pinned result."""
    if value is None or before is None:
        return text("" if value is None and before is None else "new" if before is None else "gone")
    d = value - before
    if abs(d) <= 1e-6 * max(abs(value), abs(before), 1e-9):
        return CellShown("", 0.0, number=True)
    told = fixed(abs(d), decimals) if decimals is not None else figure(abs(d), 3)
    return CellShown(f"{'+' if d > 0 else MINUS}{told}" if told.strip("0.") else "", d, number=True)


def _by_name(flow: LoadFlow | None, table: str, key: str = "name") -> dict[str, dict[str, Any]] | None:
    return {r[key]: r for r in flow.table(table).records()} if flow is not None else None


def branches(look: Look) -> Ledger:
    """What every branch carries, of its rating, here and in the worst state."""
    network, pinned = look.network, look.pinned
    flow, limits = look.result(LOAD_FLOW), network.settings.limits
    every, ends = look.over(LOAD_FLOW), Ends(network.elements, network.adjacency)
    unknown, worst_of = AWAITED if every.unknown else "–", every.worst("loading")
    table, before = flow.table("branches"), _by_name(pinned, "branches")
    judged, at = loading_verdicts(flow, limits).tolist(), flow.net.terminals.at
    id_of, columns = network.id_of_name, (table.column(name) for name in ("name", "rating", "rating_unit", "rating_basis"))
    rows = []
    for n, (name, *rated, writes) in enumerate(zip(*columns, _written(table), strict=True)):
        e = network.elements[id_of[name]]
        between, severity, (worst, most) = ends.of(e), VERDICTS[judged[at[e.id]]] or "", worst_of.get(e.id, ("", None))
        over_all = (severity, worst, most, loading_severity(limits, e, most))
        if look.waits or before is not None:
            rows.append(_branch(table.record(n), e, between, over_all, unknown, before))
        else:
            beside = (between, severity, worst, over_all[3], unknown, written(most, 1), writes, rated)
            rows.append(_BRANCHES.of(e, beside, lambda n, *given: _branch(table.record(n), *given), n, e, between, over_all, unknown, None))
    pins = [Head("Loading", "+/−", True), Head("P", "+/−", True), Head("Q", "+/−", True)] if before is not None else []
    heads = [
        *heads_of(table, "name kind between loading_pct p_mw q_mvar"), Head("Carries", "", True), *pins, Head("Worst", "%", True), Head("In state"),
        Head("Losses", "kW", True), Head("Drop", "%", True), Head("Circulating", "A", True), Head("Rating and its basis"),
    ]  # fmt: skip
    spare = ("Circulating A", "Kind", "Losses kW", "Rating and its basis", "Carries", "Drop %", "Q Mvar", "In state")
    return Ledger([], heads, rows, export=table.name, spare=spare)


def _written(table: Table) -> list[list[float]]:
    """The numbers of each branch as far as they are written, in the order of the table."""
    pct = table.numbers("loading_pct")
    columns = [as_written(pct, 1), as_written(pct / 100, 2), as_written(1000 * table.numbers("loss_mw")), as_written(table.numbers("drop_pct"), 2)]
    columns += [as_written(table.numbers(name)) for name in ("p_mw", "q_mvar", "carries")]
    written_all: list[list[float]] = np.stack([*columns, as_written(table.numbers("circulating_a"), digits=3)], axis=1).tolist()
    return written_all


_BRANCHES: LastMade[Element, RowShown] = LastMade()


def _branch(
    record: dict[str, Any], e: Element, between: str, over_all: tuple[str, str, float | None, str], unknown: str, before: dict[str, dict[str, Any]] | None
) -> RowShown:
    severity, worst, most, graver = over_all
    pct = record["loading_pct"]
    carries = f"{figure(record['carries'])} {record['rating_unit']}" if record["carries"] is not None else "–"
    of = f"{record['rating']:g} {record['rating_unit']}, {record['rating_basis']}" if record["rating"] is not None else "no rating"
    was = before.get(e.name, {}) if before is not None else None
    compared = [change(record[n], was.get(n), d) for n, d in (("loading_pct", 1), ("p_mw", None), ("q_mvar", None))] if was is not None else []
    return RowShown(e.id, [
        text(e.name), text(kind_name(e)), text(between), num(pct, 1, severity, pct / 100 if pct is not None else None), cell_of(record, "p_mw"),
        cell_of(record, "q_mvar"), CellShown(carries, float(f"{record['carries'] or 0:.4g}"), number=True, full=record["carries"]), *compared,
        over(num(most, 1, graver, otherwise=unknown)), over(text(worst)), num(_kilo(record["loss_mw"])), num(record["drop_pct"], 2),
        num(record["circulating_a"], digits=3), text(of),
    ], severity)  # fmt: skip


def _kilo(value: float | None) -> float | None:
    return None if value is None else 1000 * value


def buses(look: Look) -> Ledger:
    """The voltage of every bus, here and at its lowest and highest over the states."""
    network, pinned = look.network, look.pinned
    flow, limits, every = look.result(LOAD_FLOW), network.settings.limits, look.over(LOAD_FLOW)
    table, before = flow.table("buses"), _by_name(pinned, "buses")
    rows = []
    for record in table.records():
        e = network.elements[network.id_of_name[record["name"]]]
        v, kind = record["v_pu"], getattr(e, "bus_kind", "")
        deviation = 100 * (v - 1) if v is not None else None
        severity = voltage_severity(limits, e, v)
        states = [u for u in every.values("voltage", e.id).values() if u is not None]
        low, high = (over(num(of(states, default=None), 4, otherwise=AWAITED if every.unknown else "–")) for of in (min, max))
        compared = [change(v, before.get(e.name, {}).get("v_pu"), 4)] if before is not None else []
        rows.append(RowShown(e.id, [
            text(e.name), text(kind), cell_of(record, "v_nominal_kv"), cell_of(record, "v_kv", otherwise="–" if record["energised"] else "not fed"),
            cell_of(record, "v_pu", severity), *compared, num(deviation, 1, severity), num(record["angle_deg"], 2), low, high,
            num(record["i_bars_a"]), num(record["loading_pct"], 1),
        ], severity))  # fmt: skip
    pins = [Head("Voltage", "+/−", True)] if before is not None else []
    more = [Head("Deviation", "%", True), *heads_of(table, "angle_deg"), Head("Lowest state", "p.u.", True), Head("Highest state", "p.u.", True)]
    name, *voltages = heads_of(table, "name v_nominal_kv v_kv v_pu")
    bars = [Head("Brought in", "A", True), Head("Of bars", "%", True)]
    spare = ("Brought in A", "Of bars %", "Kind", "Angle deg", "Nominal kV", "Deviation %")
    return Ledger([], [name, Head("Kind"), *voltages, *pins, *more, *bars], rows, export=table.name, spare=spare)


def sources(look: Look) -> Ledger:
    """What each source delivers."""
    return _with_pinned(look, "sources", SOURCES)


def loads(look: Look) -> Ledger:
    """What each consumer draws."""
    return _with_pinned(look, "loads", LOADS, "not fed")


def _with_pinned(look: Look, name: str, columns: str, otherwise: str = "–") -> Ledger:
    """A table with the difference of active and reactive power to the pinned result."""
    flow: LoadFlow = look.result(LOAD_FLOW)
    made = replace(shown(look.network, flow.table(name), columns, "name", otherwise), spare=("Mode", "Bus", "S MVA", "Voltage p.u.", "cos φ"))
    before = _by_name(look.pinned, name)
    if before is None:
        return made
    rows = [
        replace(row, cells=[*row.cells, *(change(record[n], before.get(record["name"], {}).get(n)) for n in ("p_mw", "q_mvar"))])
        for row, record in zip(made.rows, flow.table(name).records(), strict=True)
    ]
    return replace(made, heads=[*made.heads, Head("P", "+/−", True), Head("Q", "+/−", True)], rows=rows)


def totals(look: Look) -> Ledger:
    """The sums of each state beside each other."""
    network, pinned = look.network, look.pinned
    every = look.over(LOAD_FLOW)
    told = {"generation": "Generation", "load": "Load", "losses": "Losses in branches", "shunt": "Drawn by shunts"}
    rows = []
    for key, label in told.items():
        for unit, suffix in (("MW", "mw"), ("Mvar", "mvar")):
            sums = every.values("totals", f"{key}_{suffix}").items()
            cells = [over(num(v, otherwise=AWAITED if s in every.unknown else "no result"), s != look.view.state) for s, v in sums]
            rows.append(RowShown("", [text(label), text(unit), *cells, *([num(pinned.totals[f"{key}_{suffix}"])] if pinned else [])]))
    pins = [Head("Pinned", "", True)] if pinned else []
    return Ledger([], [Head("Total"), Head("Unit"), *(Head(s, "", True) for s in network.state_names), *pins], rows, export="totals")


def areas(look: Look) -> Ledger:
    """Totals of the network, of areas and of voltage levels, with installed capacity and reserve."""
    table = look.result(LOAD_FLOW).table("totals")
    names = "scope name generation_mw generation_mvar load_mw load_mvar shunt_mvar losses_mw losses_mvar installed_mw reserve_mw"
    rows = [RowShown("", [cell_of(r, n, otherwise="") for n in names.split()]) for r in table.records()]
    return Ledger([], heads_of(table, names), rows, export=table.name, spare=("Shunts Mvar", "Losses Mvar", "Installed MW", "Reserve MW"))


def reactive(look: Look) -> Ledger:
    """Reactive power told apart."""
    table = look.result(LOAD_FLOW).table("reactive")
    return Ledger([], heads_of(table, "part q_mvar"), [RowShown("", [cell_of(r, n) for n in ("part", "q_mvar")]) for r in table.records()], export=table.name)


def controls(look: Look) -> Ledger:
    """Positions that were found for taps, capacitor steps and sources at a limit."""
    table = look.result(LOAD_FLOW).table("controls")
    rows = []
    for record in table.records():
        given, found = (CellShown("" if v is None else entry(round(v, 4)), v if v is not None else "", number=True) for v in (record["given"], record["found"]))
        cells = [text(record["name"]), text(record["control"]), text(record["how"]), given, found, text(record["unit"])]
        rows.append(RowShown(look.network.id_of_name[record["name"]], cells))
    heads = heads_of(table, "name control how given found unit")
    return Ledger([], heads, rows, empty="No tap changers, capacitor banks, or sources at a limit.", export="controls")


def outages(look: Look) -> Ledger:
    """Each element out in turn, worst first; run on request."""
    network, view = look.network, look.view
    found = look.results.kept.get(kept_as(view.state, OUTAGES))
    if isinstance(found, Exception):
        raise found
    if found is None:
        return Ledger([], [], [], empty=f"Takes each branch and each source out in turn, in {view.state}, and says what is worst then.", run="outages")
    limits, table = network.settings.limits, outages_table(view.state, found)
    rows = []
    for record in table.records():
        pct, low = record["loading_pct"], record["v_lowest_pu"]
        loaded = network.elements.get(network.id_of_name.get(record["loaded"], ""))
        severity = "breach" if record["outcome"] else loading_severity(limits, loaded, pct) if loaded else ""
        off = low_severity(limits, low)
        cells = [
            text(record["element"]), text(record["kind"].replace("_", " ")),
            num(pct, 1, severity), text(record["loaded"]), num(low, 4, off), text(record["lowest"]),
            num(record["lost_mw"] or None, digits=3, otherwise=""), text(record["lost"]), text(record["outcome"] or record["rating_basis"]),
        ]  # fmt: skip
        rows.append(RowShown(network.id_of_name[record["element"]], cells, severity or off))
    rank = {"breach": 0, "close": 1, "": 2}
    rows.sort(key=lambda row: (rank[row.severity], -float(row.cells[2].sort) if row.cells[2].sort != -math.inf else 0.0))
    heads = [
        Head("Out"), Head("Kind"), Head("Loaded most", "%", True), Head("Which"), Head("Lowest voltage", "p.u.", True), Head("Where"),
        Head("Load lost", "MW", True), Head("Consumers lost"), Head("Basis, or why there is no result"),
    ]  # fmt: skip
    return Ledger([], heads, rows, export="outages")


def raised(network: Network, view: View) -> str:
    """The element whose load is raised: the selected consumer or bus; empty for all."""
    return view.selected if isinstance(network.elements.get(view.selected), Consumer | Bus) else ""


def maximum(look: Look) -> Ledger:
    """How far the load can be raised; run on request."""
    network, view = look.network, look.view
    of = raised(network, view)
    found: list[MaximumLoading] | Exception | None = look.results.kept.get(kept_as(view.state, MAXIMUM, of))
    if isinstance(found, Exception):
        raise found
    which = network.elements[of].name if of else ""
    if found is None:
        what = f"what {which} draws" if which and not isinstance(network.elements[of], Bus) else f"what stands at {which}" if which else "all loads and motors"
        more = "" if which else " Select a load, a motor or a bus to raise that alone."
        empty = f"Raises {what} until no more is drawn, in {view.state}; reactive limits act, taps and capacitor steps stay.{more}"
        return Ledger([], [], [], empty=empty, run="maximum")
    table = maximum_table(view.state, found)
    rows = []
    for record, m in zip(table.records(), found, strict=True):
        severity = "breach" if m.part < 1 else "close" if m.part < CLOSE_PART else ""
        cells = [
            text(record["source"]), text(record["raised"]), num(record["drawn_now_mw"]), num(record["p_max_mw"], otherwise="none found"),
            num(record["margin_mw"], None, severity, otherwise="–"), num(record["part"], 3, otherwise="–"), text(record["weakest"]),
            num(record["v_now_pu"], 4), num(record["v_weakest_pu"], 4), text(record["lowest"]), num(record["v_lowest_pu"], 4), text(record["ended"]),
            text(record["limited"]),
        ]  # fmt: skip
        rows.append(RowShown(m.weakest, cells, severity))
    drawn = [m for m in found if len(m.curve) > 2][:MOST_CHARTS]
    charts = tuple((f"{m.net.name(m.weakest)}, island of {m.source}", loading_shapes(m, network.settings.limits, *LOADING_CHART)) for m in drawn)
    names = "source raised drawn_now_mw p_max_mw margin_mw part weakest v_now_pu v_weakest_pu lowest v_lowest_pu ended limited"
    note = "More cannot be drawn; the limits of voltage and loading are left long before. Taps and capacitor steps stay where load flow finds them."
    return Ledger([], heads_of(table, names), rows, note=note, export="maximum", charts=charts)


MOST_CHARTS, LOADING_CHART = 3, (440.0, 190.0)
CLOSE_PART = 1.1  # of the load of today: with less in hand the row is marked


def starts(look: Look) -> Ledger:
    """Voltages before and while the selected motor starts."""
    network, view = look.network, look.view
    motor = network.elements.get(view.selected)
    if not isinstance(motor, InductionMotor | SynchronousMotor):
        return Ledger([], [], [], empty="Select a motor: the voltage everywhere while it starts is shown here and on the sheet.")
    one: MotorStart = requested(look.results, view.state, START, motor.id)
    against = one.accepted(network.settings.limits)
    limits = network.settings.limits
    rows = []
    for record in one.table().records():
        at_motor = network.id_of_name[record["bus"]] == motor.bus
        severity = start_severity(limits, at_motor, 100 * record["v_during_pu"], record["dip_pct"])
        cells = [text(record["bus"]), text("its terminals" if at_motor else ""), num(record["v_before_pu"], 4), num(record["v_during_pu"], 4, severity),
                 num(record["dip_pct"], 2, severity)]  # fmt: skip
        rows.append(RowShown(network.id_of_name[record["bus"]], cells, severity))
    told = " ".join(against) or "Within the limits of the project."
    s = one.drawn.s_mva
    heads = [Head("Bus"), Head(""), Head("Before", "p.u.", True), Head("While it starts", "p.u.", True), Head("Fall", "%", True)]
    note = f"{motor.name} starts {one.drawn.by}: {figure(abs(s))} MVA at cosφ {fixed(s.real / abs(s), 2)} at rated voltage. {told}"
    return Ledger([], heads, rows, note=note, export="start")
