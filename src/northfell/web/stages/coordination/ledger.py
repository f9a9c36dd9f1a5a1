"""The ledger's tables of the Coordination stage."""

import math

from northfell.core.errors import CannotRun
from northfell.core.finding import ORDER
from northfell.core.model.elements import Bus
from northfell.core.studies.coordination import COORDINATION, RULES, Coordination, Pair, pair_key, settings_table, zones_table
from northfell.web.shell.figures import AWAITED
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import CellShown, Head, Ledger, RowShown, num, over, shown, text
from northfell.web.stages.coordination.card import followed_as, order_of_look, told_of
from northfell.web.stages.coordination.sheet import gap_text


def pairs_table(look: Look) -> Ledger:
    """The worst of each pair in the state shown, the gravest first, with the state in which it has least to spare."""
    found: Coordination = look.result(COORDINATION)
    every = look.over(COORDINATION)
    worst = every.worst("short_s")
    rows = []
    for key, p in found.worst_pairs.items():
        verdict = found.verdict(p)
        severity = verdict if verdict in ("breach", "close") else ""
        state, short = worst.get(pair_key(*key), ("", None))
        spare = -short if short is not None else None
        rows.append((ORDER.get(verdict, 4 if verdict == "not required" else 3), -p.short_s, RowShown(p.upstream, [
            text(found.net.name(p.upstream)), text(found.net.name(p.downstream)), text(verdict), _gap(p, severity), num(p.required_s, digits=3),
            num(p.i_ka, digits=3), text(p.fault), text(p.case), text(found.net.name(found.net.topology.bus_ids[p.bus])),
            over(num(spare, digits=3, otherwise=AWAITED if every.unknown else "–")), over(text(state)), text(p.interval.basis),
        ], severity)))  # fmt: skip
    rows.sort(key=lambda row: (row[0], -row[1] if math.isfinite(row[1]) else math.inf))
    heads = [
        Head("Above"), Head("Below"), Head("Verdict"), Head("Gap", "s", True), Head("Required", "s", True), Head("I below", "kA", True), Head("Fault"),
        Head("Case"), Head("Fault at"), Head("Least to spare", "s", True), Head("In state"), Head("By"),
    ]  # fmt: skip
    empty = "No two protective devices stand one behind the other in this state."
    return Ledger([], heads, [r for _, _, r in rows], export="pairs", empty=empty, spare=("By", "Case", "Fault", "In state", "Least to spare s", "Fault at"))


def _gap(p: Pair, severity: str) -> CellShown:
    if math.isfinite(p.margin_s):
        return num(p.margin_s, severity=severity, digits=3)
    return CellShown(gap_text(p), p.margin_s, severity, number=True)


def rules_table(look: Look) -> Ledger:
    """All rules, those that are not kept first."""
    found: Coordination = look.result(COORDINATION)
    rows = []
    for one in sorted(found.rules, key=lambda r: ORDER.get(found.verdict_of(r), 3)):
        verdict = found.verdict_of(one)
        severity = verdict if verdict in ("breach", "close") else ""
        value = "∞" if one.value is not None and math.isinf(one.value) else "–"
        of = text(found.net.name(one.of) if one.of else "")
        rows.append(RowShown(one.device, [
            text(found.net.name(one.device)), text(RULES[one.rule]), of, text(verdict), num(one.value, severity=severity, digits=3, otherwise=value),
            text(one.source), text(one.basis),
        ], severity))  # fmt: skip
    heads = [Head("Device"), Head("Rule"), Head("Of"), Head("Verdict"), Head("Value", "×", True), Head("Source"), Head("Because")]
    return Ledger([], heads, rows, export="rules", empty="No protective device is fed in this state.", spare=("Source",))


def times_table(look: Look) -> Ledger:
    """When each device opens at the greatest and the least current that it sees."""
    found: Coordination = look.result(COORDINATION)
    names = "device stage i_ka t_fast_s t_slow_s bus fault case"
    return shown(look.network, found.times_table(), names, "device", "never")


def zones_shown(look: Look) -> Ledger:
    """The protection zones that current transformers bound."""
    found: Coordination = look.result(COORDINATION)
    table = zones_table(found.net)
    rows = [
        RowShown(found.net.network.id_of_name.get(r["transformers"].split(", ")[0], ""), [
            text(r["zone"]), text(r["transformers"]), num(r["count"], digits=3), text(r["covers"])])
        for r in table.records()
    ]  # fmt: skip
    empty = "No current transformer names a protection zone: give it one on its card, and what no zone covers is told."
    return Ledger([], [Head("Zone"), Head("Current transformers"), Head("Covers", "", True), Head("Elements")], rows, export="zones", empty=empty)


def settings_shown(look: Look) -> Ledger:
    """The settings schedule, primary and secondary."""
    found: Coordination = look.result(COORDINATION)
    table = settings_table(found.net, found.devices)
    return shown(look.network, table, "device of function setting symbol value secondary unit ct assumed", "of")


def order_table(look: Look) -> Ledger:
    """What opens for a fault at the selected bus, step by step, with what flows between."""
    heads = [
        Head("Step", "", True),
        Head("Opened", "s", True),
        Head("Device"),
        Head("By"),
        Head("Through it", "kA", True),
        Head("Until then, fault", "kA", True),
    ]
    if not isinstance(look.element, Bus):
        return Ledger([], heads, [], empty="Select a bus: the fault there is followed until it is cut off.")
    try:
        orders, order = order_of_look(look, look.element)
    except CannotRun as error:
        return Ledger([], heads, [], message=list(error.reasons))
    until = {i.to_s: i.i_fault_ka for i in order.intervals}
    rows = []
    for k, s in enumerate(order.steps, 1):
        figures = num(s.i_a / 1000, digits=3), num(until.get(s.t_s), digits=3)
        rows.append(RowShown(s.device, [num(float(k), 0), num(s.t_s, digits=3), text(orders.net.name(s.device)), text(s.reason), *figures]))
    where = f"Fault at {look.element.name}: {told_of(followed_as(look, orders))}"
    ends = f"cut off after {order.cleared_s:.4g} s" if math.isfinite(order.cleared_s) else "not cut off"
    return Ledger([], heads, rows, empty="No device opens.", note=f"{where}; {ends}. {' '.join(order.told)}")
