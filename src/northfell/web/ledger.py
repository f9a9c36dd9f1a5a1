"""The ledger along the bottom: the stage's table, a row for each element, with the other operating states as columns."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field

from northfell.app.studies import Results
from northfell.core.errors import CannotRun, NorthfellError, NoSolution
from northfell.core.findings import Finding, severity_of
from northfell.core.model.completeness import missing_of
from northfell.core.model.elements import Element
from northfell.core.model.network import Network
from northfell.core.model.parameters import STUDIES, parameter
from northfell.core.quantities import entry, figure, fixed
from northfell.core.studies.arc_flash import ArcFlash
from northfell.core.studies.load_flow import LoadFlow
from northfell.drawing.sheet import short_data
from northfell.store.history import ChangeRow
from northfell.web.naming import Ends
from northfell.web.view import STAGES, View


@dataclass(frozen=True)
class CellShown:
    text: str
    sort: float | str = ""
    severity: str = ""
    bar: float | None = None
    number: bool = False


@dataclass(frozen=True)
class RowShown:
    element: str
    cells: list[CellShown]
    severity: str = ""
    side: str = "load"
    state: str = ""
    tab: str = ""


@dataclass(frozen=True)
class Head:
    label: str
    unit: str = ""
    number: bool = False


@dataclass(frozen=True)
class Ledger:
    tabs: list[tuple[str, str, int | None]]  # key, name, count
    heads: list[Head]
    rows: list[RowShown]
    message: list[str] = field(default_factory=list)
    empty: str = "Nothing here."
    export: str = ""  # name of the table that can be exported


NAMES = {
    "elements": "Elements", "assumed": "Assumed values", "history": "History", "findings": "Findings", "branches": "Branches", "buses": "Buses",
    "sources": "Sources", "loads": "Loads", "totals": "Totals", "faults": "Faults", "contributions": "Contributions", "locations": "Locations",
    "devices": "Devices",
}  # fmt: skip


def ledger_of(network: Network, results: Results, view: View, findings: list[Finding] | None, history: list[ChangeRow], head: int) -> Ledger:
    """The ledger of the tab shown. A study that cannot run gives its reasons and no rows."""
    tab = view.shown_tab
    tabs = [(t, NAMES[t], len(findings) if t == "findings" and findings is not None else None) for t in STAGES[view.stage][2]]
    makers: dict[str, Callable[[], Ledger]] = {
        "elements": lambda: _elements(network, view),
        "assumed": lambda: _assumed(network),
        "history": lambda: _history(history, head),
        "findings": lambda: _findings(findings or []),
        "branches": lambda: _branches(network, results, view),
        "buses": lambda: _buses(network, results, view),
        "sources": lambda: _sources(results, view),
        "loads": lambda: _loads(results, view),
        "totals": lambda: _totals(results, network),
        "faults": lambda: _faults(results, view),
        "contributions": lambda: _contributions(results, view),
        "locations": lambda: _locations(network, results, view),
        "devices": lambda: _devices(results, view),
    }
    try:
        made = makers[tab]()
    except CannotRun as error:
        made = Ledger([], [], [], list(error.reasons))
    except (NoSolution, NorthfellError) as error:
        made = Ledger([], [], [], [str(error)])
    return Ledger(tabs, made.heads, made.rows, made.message, made.empty, made.export)


def text(value: str, severity: str = "") -> CellShown:
    return CellShown(value, value.lower(), severity)


def num(value: float | None, decimals: int | None = None, severity: str = "", bar: float | None = None, otherwise: str = "–", digits: int = 4) -> CellShown:
    if value is None or not math.isfinite(value):
        return CellShown(otherwise, -math.inf, severity, None, True)
    return CellShown(fixed(value, decimals) if decimals is not None else figure(value, digits), value, severity, bar, True)


def kind_name(e: Element) -> str:
    """The kind in a ledger's short words."""
    return e.kind.replace("_", " ").capitalize()


def _elements(network: Network, view: View) -> Ledger:
    elements = network.in_state(view.state)
    rows, ends = [], Ends(elements)
    for e in elements.values():
        lacking = sorted({study.replace("_", " ") for study in STUDIES if missing_of(elements, e, study)})
        between = ends.of(e)
        status = "out of service" if not e.in_service else "open" if getattr(e, "closed", True) is False else ""
        cells = [
            text(e.name),
            text(kind_name(e)),
            text(between),
            text(short_data(e)),
            text(status),
            num(len(e.assumed) or None, 0, otherwise=""),
            text(", ".join(lacking)),
        ]
        rows.append(RowShown(e.id, cells, "missing" if lacking else ""))
    heads = [Head("Name"), Head("Kind"), Head("Between"), Head("Data"), Head("Status"), Head("Assumed", number=True), Head("Lacks data for")]
    return Ledger([], heads, rows, empty="The network is empty. Import a network file on the projects page.")


def _assumed(network: Network) -> Ledger:
    rows = []
    for e in network.elements.values():
        for name, source in e.assumed.items():
            p = parameter(type(e), name)
            value = getattr(e, name)
            told = entry(value) if isinstance(value, float | int) else str(value)
            rows.append(RowShown(e.id, [text(e.name), text(p.label if p else name), text(f"{told}~ {p.unit if p else ''}".strip()), text(source)]))
    heads = [Head("Element"), Head("Parameter"), Head("Value"), Head("Source of the typical value")]
    return Ledger([], heads, rows, empty="No assumed values: every figure rests on what was entered.")


def _history(history: list[ChangeRow], head: int) -> Ledger:
    rows = []
    for c in history:
        cells = [num(c.seq, 0), text(c.title), text(c.made_at[:19].replace("T", " ")), text("undone" if c.seq > head else "")]
        rows.append(RowShown("", cells))
    heads = [Head("No.", number=True), Head("Change"), Head("Made (UTC)"), Head("")]
    return Ledger([], heads, rows, empty="No changes yet. Every edit is kept here and can be undone.")


STUDY_STAGE = {"load_flow": "Flow", "short_circuit": "Faults", "arc_flash": "Arc flash"}


def _findings(findings: list[Finding]) -> Ledger:
    rows = [
        RowShown(
            f.element_id,
            [text(f.element), CellShown(f.text + (f" {f.help}" if f.help else ""), f.text), text(STUDY_STAGE[f.study]), text(f.state)],
            f.severity,
            state=f.state,
        )
        for f in findings
    ]
    return Ledger(
        [],
        [Head("Where"), Head("What"), Head("Stage"), Head("In state")],
        rows,
        empty="No findings: all results are within the project's limits in every state.",
    )


def _flows(results: Results, network: Network) -> dict[str, LoadFlow]:
    return {s: o for s in network.state_names if isinstance(o := results.at(s).outcome("load_flow"), LoadFlow)}


def _branches(network: Network, results: Results, view: View) -> Ledger:
    flow, limits = results.at(view.state).load_flow(), network.settings.limits
    every, ends = _flows(results, network), Ends(network.elements)
    rows = []
    for record in flow.branches_table().records():
        e = network.elements[network.id_of_name[record["name"]]]
        pct = record["loading_pct"]
        by_state = {s: p for s, other in every.items() if (p := other.loading(other.net.elements[e.id]).pct) is not None}
        worst = max(by_state, key=lambda s: by_state[s], default="")
        severity = severity_of(pct, limits.loading_close_pct, limits.loading_breach_pct) or "" if pct is not None else ""
        worst_severity = severity_of(by_state[worst], limits.loading_close_pct, limits.loading_breach_pct) or "" if worst else ""
        carries = f"{figure(record['carries'])} {record['rating_unit']}" if record["carries"] is not None else "–"
        rows.append(RowShown(e.id, [
            text(record["name"]), text(kind_name(e)), text(ends.of(e)), num(pct, 1, severity, pct / 100 if pct is not None else None),
            num(record["p_mw"]), num(record["q_mvar"]), CellShown(carries, record["carries"] or 0, number=True), num(by_state.get(worst), 1, worst_severity),
            text(worst),
        ], severity))  # fmt: skip
    heads = [
        Head("Name"), Head("Kind"), Head("Between"), Head("Loading", "%", True), Head("P", "MW", True), Head("Q", "Mvar", True), Head("Carries", "", True),
        Head("Worst", "%", True), Head("In state"),
    ]  # fmt: skip
    return Ledger([], heads, rows, export="branches")


def _buses(network: Network, results: Results, view: View) -> Ledger:
    flow, limits = results.at(view.state).load_flow(), network.settings.limits
    every = {s: {r["name"]: r["v_pu"] for r in f.buses_table().records()} for s, f in _flows(results, network).items()}
    rows = []
    for record in flow.buses_table().records():
        e = network.elements[network.id_of_name[record["name"]]]
        deviation = 100 * (record["v_pu"] - 1) if record["v_pu"] is not None else None
        severity = severity_of(abs(deviation), limits.voltage_close_pct, limits.voltage_breach_pct) or "" if deviation is not None else ""
        other = [v for s in every for v in [every[s][record["name"]]] if v is not None]
        rows.append(
            RowShown(
                e.id,
                [
                    text(record["name"]),
                    text(getattr(e, "bus_kind", "")),
                    num(record["v_nominal_kv"]),
                    num(record["v_kv"], otherwise="–" if record["energised"] else "not fed"),
                    num(record["v_pu"], 4, severity),
                    num(deviation, 1, severity),
                    num(record["angle_deg"], 2),
                    num(min(other, default=None), 4),
                    num(max(other, default=None), 4),
                ],
                severity if getattr(e, "bus_kind", "") != "junction" else "",
            )
        )
    heads = [
        Head("Bus"), Head("Kind"), Head("Nominal", "kV", True), Head("Voltage", "kV", True), Head("Voltage", "p.u.", True), Head("Deviation", "%", True),
        Head("Angle", "deg", True), Head("Lowest state", "p.u.", True), Head("Highest state", "p.u.", True),
    ]  # fmt: skip
    return Ledger([], heads, rows, export="buses")


def _sources(results: Results, view: View) -> Ledger:
    net = results.network
    rows = [
        RowShown(net.id_of_name[r["name"]], [text(r["name"]), text(r["bus"]), num(r["p_mw"]), num(r["q_mvar"]), text(r["mode"])])
        for r in results.at(view.state).load_flow().sources_table().records()
    ]
    return Ledger([], [Head("Source"), Head("Bus"), Head("P", "MW", True), Head("Q", "Mvar", True), Head("Mode")], rows, export="sources")


def _loads(results: Results, view: View) -> Ledger:
    net = results.network
    rows = [
        RowShown(
            net.id_of_name[r["name"]],
            [
                text(r["name"]),
                text(r["bus"]),
                num(r["p_rated_mw"]),
                num(r["q_rated_mvar"]),
                num(r["p_mw"], otherwise="not fed"),
                num(r["q_mvar"], otherwise="not fed"),
            ],
        )
        for r in results.at(view.state).load_flow().loads_table().records()
    ]
    heads = [Head("Load"), Head("Bus"), Head("P asked", "MW", True), Head("Q asked", "Mvar", True), Head("P drawn", "MW", True), Head("Q drawn", "Mvar", True)]
    return Ledger([], heads, rows, export="loads")


def _totals(results: Results, network: Network) -> Ledger:
    flows = _flows(results, network)
    told = {
        "generation": "Generation", "load": "Load", "losses": "Losses in branches", "shunt": "Drawn by shunts",
    }  # fmt: skip
    rows = []
    for key, label in told.items():
        for unit, suffix in (("MW", "mw"), ("Mvar", "mvar")):
            cells = [num(flows[s].totals[f"{key}_{suffix}"]) if s in flows else text("no result") for s in network.state_names]
            rows.append(RowShown("", [text(label), text(unit), *cells]))
    return Ledger([], [Head("Total"), Head("Unit"), *(Head(s, "", True) for s in network.state_names)], rows)


def _faults(results: Results, view: View) -> Ledger:
    study, net = results.at(view.state).short_circuit(), results.network
    rows = []
    for i in study.fed_buses():
        bus = net.elements[study.net.topology.bus_ids[i]]
        high, low = study.cases["max"], study.cases["min"]
        z = complex(high.z1_ohm[i])
        rows.append(RowShown(bus.id, [
            text(bus.name), text(getattr(bus, "bus_kind", "")), num(float(study.net.v_nominal_kv[i])), num(float(high.ik_ka[i])), num(float(high.ip_ka[i])),
            num(z.imag / z.real if z.real else None), num(float(high.kappa[i]), 3), num(float(low.ik_ka[i])), num(float(low.ip_ka[i])), num(abs(z)),
        ]))  # fmt: skip
    heads = [
        Head("Bus"),
        Head("Kind"),
        Head("Nominal", "kV", True),
        Head("I″k max", "kA", True),
        Head("ip max", "kA", True),
        Head("X/R", "", True),
        Head("κ", "", True),
        Head("I″k min", "kA", True),
        Head("ip min", "kA", True),
        Head("|Z1| max", "ohm", True),
    ]
    return Ledger([], heads, rows, export="faults")


def _contributions(results: Results, view: View) -> Ledger:
    study, net = results.at(view.state).short_circuit(), results.network
    at = study.net.topology.bus_index.get(view.selected)
    if at is None or not study.net.topology.fed_bus(at):
        return Ledger([], [], [], empty="Select a fed bus to see what each branch and source brings to its fault.")
    rows = []
    for case in ("max", "min"):
        for r in study.contributions_table([at]).records():
            if r["case"] == case:
                rows.append(
                    RowShown(
                        net.id_of_name[r["element"]],
                        [text(r["element"]), text(r["terminal"].replace("_", " ")), text(f"{case}imum"), num(r["i_ka"]), num(r["angle_deg"], 1)],
                    )
                )
    return Ledger([], [Head("Element"), Head("Terminal"), Head("Case"), Head("Current", "kA", True), Head("Angle", "deg", True)], rows, export="contributions")


def _locations(network: Network, results: Results, view: View) -> Ledger:
    study, limits = results.at(view.state).arc_flash(), network.settings.limits
    every = {s: o for s in network.state_names if isinstance(o := results.at(s).outcome("arc_flash"), ArcFlash)}
    rows = []
    for one in study.locations:
        energies: dict[str, float | None] = {}
        for state in network.state_names:
            other = every[state].location(one.bus_id, one.side) if state in every else None
            energies[state] = other.worst.energy_cal_cm2 if other and other.worst else None
        known = {s: e for s, e in energies.items() if e is not None}
        worst = max(known, key=lambda s: known[s], default="")

        def severity(e: float | None) -> str:
            return severity_of(e, limits.energy_close_cal_cm2, limits.energy_breach_cal_cm2) or "" if e is not None else ""

        shown = one.worst
        device = study.net.name(shown.device) if shown and shown.device else "–"
        rows.append(RowShown(one.bus_id, [
            text(study.bus(one).name), text(one.side), text(device), num(shown.i_bolted_ka if shown else None), num(shown.i_arc_ka if shown else None),
            num(shown.opens_at_s if shown else None, otherwise="never" if shown else "–", digits=3), num(one.boundary_mm / 1000 if shown else None, digits=3),
            *(num(energies[s], severity=severity(energies[s]), otherwise="not fed", digits=3) for s in network.state_names),
            num(known.get(worst), severity=severity(known.get(worst)), digits=3), text(worst),
        ], severity(known.get(worst)), one.side))  # fmt: skip
    heads = [
        Head("Location"), Head("Side"), Head("Cleared by"), Head("Bolted", "kA", True), Head("Arcing", "kA", True), Head("Opens at", "s", True),
        Head("Boundary", "m", True), *(Head(s, "cal/cm²", True) for s in network.state_names), Head("Worst", "cal/cm²", True), Head("In state"),
    ]  # fmt: skip
    return Ledger([], heads, rows, export="locations")


def _devices(results: Results, view: View) -> Ledger:
    study, net = results.at(view.state).arc_flash(), results.network
    rows = []
    for r in study.devices_table().records():
        bus_id = net.id_of_name[r["bus"]]
        if view.selected in ("", bus_id) or view.selected not in {one.bus_id for one in study.locations}:
            rows.append(RowShown(bus_id, [
                text(r["bus"]), text(r["side"]), text(r["device"]), text(f"{r['case']}imum, {r['variant']}"), num(r["i_device_ka"]),
                num(r["opens_at_s"], otherwise="never", digits=3), text(r["stage"]),
            ], side=r["side"]))  # fmt: skip
    heads = [Head("Location"), Head("Side"), Head("Device"), Head("Case"), Head("Through it", "kA", True), Head("Opens at", "s", True), Head("Stage")]
    return Ledger([], heads, rows, export="devices")
