"""The ledger's tables of the Faults stage."""

from typing import Any

from northfell.core.model.by_element import LastMade
from northfell.core.model.elements import Element
from northfell.core.studies.short_circuit import SHORT_CIRCUIT
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import DECIMALS, Head, Ledger, RowShown, cell_of, heads_of, num, shown, text, written

NAMES, AGAIN = ("v_nominal_kv", "ik_ka", "ip_ka", "x_over_r", "kappa"), ("ik_ka", "ip_ka")


def faults_table(look: Look) -> Ledger:
    """Maximum and minimum of a bus beside each other."""
    study, net = look.result(SHORT_CIRCUIT), look.network
    table = study.faults_table()
    high, low = ({r["bus"]: r for r in table.records() if r["case"] == case} for case in ("max", "min"))
    rows = []
    for bus, record in high.items():
        e, least = net.elements[net.id_of_name[bus]], low[bus]
        if look.waits:
            rows.append(_row(e, record, least))
            continue
        writes = (*(written(record[n], DECIMALS.get(n)) for n in NAMES), *(written(least[n]) for n in AGAIN), written(abs(record["z1_ohm"])))
        rows.append(_ROWS.of(e, writes, _row, e, record, least))
    name, nominal, *rest = heads_of(table, " ".join(["bus", *NAMES]))
    lowest = [Head(f"{h.label} min", h.unit, True) for h in heads_of(table, " ".join(AGAIN))]
    most = [Head(f"{h.label} max" if h.unit else h.label, h.unit, True) for h in rest]
    return Ledger([], [name, nominal, *most, *lowest, Head("|Z1| max", "ohm", True)], rows, export=table.name, spare=("κ", "|Z1| max ohm", "X/R", "Un kV"))


_ROWS: LastMade[Element, RowShown] = LastMade()


def _row(e: Element, high: dict[str, Any], low: dict[str, Any]) -> RowShown:
    return RowShown(e.id, [text(e.name), *(cell_of(high, n) for n in NAMES), *(cell_of(low, n) for n in AGAIN), num(abs(high["z1_ohm"]))])


def contributions_table(look: Look) -> Ledger:
    study, net = look.result(SHORT_CIRCUIT), look.network
    at = study.net.topology.bus_index.get(look.view.selected)
    if at is None or not study.net.topology.fed_bus(at):
        return Ledger([], [], [], empty="Select a fed bus to see what each branch and source brings to its fault.")
    return shown(net, study.contributions_table([at]), "element kind terminal case i_ka angle_deg", "element")
