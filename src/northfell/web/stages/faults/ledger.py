"""The ledger's tables of the Faults stage."""

from northfell.core.studies.short_circuit import SHORT_CIRCUIT
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import Head, Ledger, RowShown, cell_of, heads_of, num, shown, text


def faults_table(look: Look) -> Ledger:
    """Maximum and minimum of a bus beside each other."""
    study, net = look.result(SHORT_CIRCUIT), look.network
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
    return Ledger([], [name, nominal, *most, *least, Head("|Z1| max", "ohm", True)], rows, export=table.name, spare=("κ", "|Z1| max ohm", "X/R", "Un kV"))


def contributions_table(look: Look) -> Ledger:
    study, net = look.result(SHORT_CIRCUIT), look.network
    at = study.net.topology.bus_index.get(look.view.selected)
    if at is None or not study.net.topology.fed_bus(at):
        return Ledger([], [], [], empty="Select a fed bus to see what each branch and source brings to its fault.")
    return shown(net, study.contributions_table([at]), "element kind terminal case i_ka angle_deg", "element")
