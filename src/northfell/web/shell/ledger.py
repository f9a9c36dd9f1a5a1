"""The ledger along the bottom: the stage's table, a row for each element, with the other operating states as columns."""

from collections.abc import Callable
from dataclasses import replace

from northfell.app.results.findings import counts, gathered
from northfell.app.results.studies import Results
from northfell.core.errors import CannotRun, NorthfellError, NoSolution
from northfell.core.model.declare.parameters import STUDIES, parameter
from northfell.core.model.network import Network
from northfell.core.quantities import entry
from northfell.core.rules.completeness import missing_of
from northfell.core.studies.arc_flash import ArcFlash
from northfell.core.studies.load_flow import LoadFlow
from northfell.core.verdicts import Finding, severity_of
from northfell.drawing.words import short_data
from northfell.store.history import Line
from northfell.web.shell.naming import Ends
from northfell.web.shell.table_cells import CellShown, Head, Ledger, RowShown, cell_of, heads_of, kind_name, num, shown, text
from northfell.web.shell.view import STAGES, View
from northfell.web.shell.wording import worded
from northfell.web.stages.flow import ledger as flow_ledger

NAMES = {
    "elements": "Elements", "assumed": "Assumed values", "history": "History", "findings": "Findings", "branches": "Branches", "buses": "Buses",
    "sources": "Sources", "loads": "Loads", "controls": "Controls", "totals": "Totals", "areas": "Areas", "reactive": "Reactive",
    "outages": "Each out", "start": "Start", "maximum": "Maximum", "faults": "Faults", "contributions": "Contributions", "locations": "Locations",
    "devices": "Devices",
}  # fmt: skip


def ledger_of(
    network: Network, results: Results, view: View, findings: list[Finding] | None, history: list[Line], head: int,
    pinned: LoadFlow | None = None,
) -> Ledger:  # fmt: skip
    """The ledger of the tab shown. A study that cannot run gives its reasons and no rows."""
    tab = view.shown_tab
    tabs = [(t, NAMES[t], sum(counts(network, findings).values()) if t == "findings" and findings is not None else None) for t in STAGES[view.stage][2]]
    makers: dict[str, Callable[[], Ledger]] = {
        "elements": lambda: _elements(network, view),
        "assumed": lambda: _assumed(network),
        "history": lambda: _history(history, head),
        "findings": lambda: _findings(network, findings or []),
        "branches": lambda: flow_ledger.branches(network, results, view, pinned),
        "buses": lambda: flow_ledger.buses(network, results, view, pinned),
        "sources": lambda: flow_ledger.with_pinned(network, results.at(view.state).load_flow(), pinned, "sources", flow_ledger.SOURCES),
        "loads": lambda: flow_ledger.with_pinned(network, results.at(view.state).load_flow(), pinned, "loads", flow_ledger.LOADS, "not fed"),
        "controls": lambda: flow_ledger.controls(network, results, view),
        "totals": lambda: flow_ledger.totals(network, results, pinned),
        "areas": lambda: flow_ledger.areas(results, view),
        "reactive": lambda: flow_ledger.reactive(results, view),
        "outages": lambda: flow_ledger.outages(network, results, view),
        "start": lambda: flow_ledger.starts(network, results, view),
        "maximum": lambda: flow_ledger.maximum(network, results, view),
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
    return replace(made, tabs=tabs)


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
            text(short_data(e, network.settings.units)),
            text(status),
            num(len(e.assumed) or None, 0, otherwise=""),
            text(", ".join(lacking)),
        ]
        rows.append(RowShown(e.id, cells, "missing" if lacking else ""))
    heads = [Head("Name"), Head("Kind"), Head("Between"), Head("Data"), Head("Status"), Head("Assumed", number=True), Head("Lacks data for")]
    return Ledger([], heads, rows, empty="The network is empty. Press e and type its supply, such as “infeed 33 kV 10 kA”.")


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


def _history(history: list[Line], head: int) -> Ledger:
    rows = []
    for c in history:
        cells = [num(c.seq, 0), text(c.title), text(c.made_by), text(c.made_at[:19].replace("T", " ")), text("undone" if c.seq > head else "")]
        back = "" if c.seq == head else "Back to here" if c.seq < head else "Redo to here"
        rows.append(RowShown("", cells, act=f"history/{c.seq}" if back else "", act_says=back))
    if rows and head:
        rows.append(RowShown("", [num(0, 0), text("As it was begun"), text(""), text(""), text("")], act="history/0", act_says="Back to here"))
    heads = [Head("No.", number=True), Head("Change"), Head("By"), Head("Made (UTC)"), Head("")]
    return Ledger([], heads, rows, empty="No changes yet. Every edit is kept here and can be undone.")


STUDY_STAGE = {"network": "Network", "load_flow": "Flow", "short_circuit": "Faults", "arc_flash": "Arc flash"}


def _findings(network: Network, findings: list[Finding]) -> Ledger:
    """One row for each thing found, in the state where it is worst; what was acknowledged stands on the page of findings."""
    rows = []
    for g in gathered(network, findings):
        f = g.worst
        also = f"{f.state}, and {len(g.states) - 1} more" if len(g.states) > 1 else f.state
        if g.acknowledged is None:
            cells = [text(f.element), CellShown(worded(f.text + (f" {f.help}" if f.help else "")), worded(f.text)), text(STUDY_STAGE[f.study]), text(also)]
            rows.append(RowShown(f.element_id, cells, f.severity, state=f.state))
    heads = [Head("Where"), Head("What"), Head("Stage"), Head("Worst in")]
    return Ledger([], heads, rows, empty="No findings: all results are within the project's limits in every state.")


def _faults(results: Results, view: View) -> Ledger:
    """Maximum and minimum of a bus beside each other."""
    study, net = results.at(view.state).short_circuit(), results.network
    table = study.faults_table()
    high, low = ({r["bus"]: r for r in table.records() if r["case"] == case} for case in ("max", "min"))
    names, again = ["v_nominal_kv", "ik_ka", "ip_ka", "x_over_r", "kappa"], ["ik_ka", "ip_ka"]
    rows = [
        RowShown(net.id_of_name[bus], [text(bus), *(cell_of(record, n) for n in names), *(cell_of(low[bus], n) for n in again), num(abs(record["z1_ohm"]))])
        for bus, record in high.items()
    ]
    name, nominal, *rest = heads_of(table, " ".join(["bus", *names]))
    least = [Head(f"{h.label} min", h.unit, True) for h in heads_of(table, " ".join(again))]
    most = [Head(f"{h.label} max" if h.unit else h.label, h.unit, True) for h in rest]
    return Ledger([], [name, nominal, *most, *least, Head("|Z1| max", "ohm", True)], rows, export=table.name)


def _contributions(results: Results, view: View) -> Ledger:
    study, net = results.at(view.state).short_circuit(), results.network
    at = study.net.topology.bus_index.get(view.selected)
    if at is None or not study.net.topology.fed_bus(at):
        return Ledger([], [], [], empty="Select a fed bus to see what each branch and source brings to its fault.")
    return shown(net, study.contributions_table([at]), "element kind terminal case i_ka angle_deg", "element")


def _locations(network: Network, results: Results, view: View) -> Ledger:
    """The state shown, with the energy of every operating state beside it and the worst named."""
    study, limits = results.at(view.state).arc_flash(), network.settings.limits
    every = {s: o for s in network.state_names if isinstance(o := results.at(s).outcome("arc_flash"), ArcFlash)}
    energies = {s: {(r["bus"], r["side"]): r["energy_cal_cm2"] for r in o.locations_table().records()} for s, o in every.items()}

    def energy(value: float | None, otherwise: str = "–") -> CellShown:
        severity = severity_of(value, limits.energy_close_cal_cm2, limits.energy_breach_cal_cm2) or "" if value is not None else ""
        return num(value, severity=severity, otherwise=otherwise, digits=3)

    table = study.locations_table()
    rows = []
    for record in table.records():
        key = (record["bus"], record["side"])
        known = {s: e for s in energies if (e := energies[s].get(key)) is not None}
        worst = max(known, key=lambda s: known[s], default="")
        cells = [energy(known.get(s), "not fed") for s in network.state_names]
        opens = num(record["clearing_time_s"], otherwise="never" if record["energy_cal_cm2"] else "–", digits=3)
        boundary = num(record["boundary_mm"] / 1000 if record["boundary_mm"] is not None else None, digits=3)
        rows.append(RowShown(network.id_of_name[record["bus"]], [
            *(cell_of(record, n) for n in ("bus", "side", "device", "i_bolted_ka", "i_arc_ka")), opens, boundary, *cells, energy(known.get(worst)), text(worst),
        ], energy(known.get(worst)).severity, record["side"]))  # fmt: skip
    by_state = [Head(s, "cal/cm²", True) for s in (*network.state_names, "Worst")]
    heads = [*heads_of(table, "bus side device i_bolted_ka i_arc_ka clearing_time_s"), Head("Boundary", "m", True), *by_state, Head("In state")]
    return Ledger([], heads, rows, export=table.name)


def _devices(results: Results, view: View) -> Ledger:
    """Of the selected location, or of all."""
    study = results.at(view.state).arc_flash()
    made = shown(results.network, study.devices_table(), "bus side device case variant i_device_ka opens_at_s stage", "bus", "never")
    if view.selected in {one.bus_id for one in study.locations}:
        return replace(made, rows=[row for row in made.rows if row.element == view.selected])
    return made
