"""The ledger's tables of the Sizing stage."""

import math
from dataclasses import replace

from northfell.core.quantities import figure
from northfell.core.studies.sizing import SIZING, TOTAL, Part, Sizing, Try, verdict_of_part
from northfell.core.studies.sizing import cables_table as cables
from northfell.core.studies.sizing import loads_table as loads
from northfell.core.studies.sizing import panels_table as panels
from northfell.core.studies.sizing import raceways_table as raceways
from northfell.core.tables import Table
from northfell.web.shell.figures import AWAITED
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import CellShown, Head, Ledger, RowShown, heads_of, num, over, shown, text
from northfell.web.stages.sizing.tags import severity_of, size_text

NO_CIRCUIT = "No circuit is within the voltages of the code in this state: see Left out."


def circuits_table(look: Look) -> Ledger:
    """The circuits of the state shown, the gravest first, with the state in which each uses most of what it may."""
    found: Sizing = look.result(SIZING)
    every = look.over(SIZING)
    worst = every.worst("used_pct")
    rows = []
    for one in found.worst_first():
        severity = severity_of(one)
        state, most = worst.get(one.circuit.element_id, ("", None))
        device = one.circuit.device
        decided = ", ".join(one.decision.deciding) or ("–" if not one.decision.broken else one.decision.broken[0].rule.id)
        told = "lacks data: see its card" if one.lacking else one.parts[0].note or "; ".join(f"{p.quantity}: {p.demand}" for p in one.beside if p.ok is False)
        rows.append(RowShown(one.circuit.element_id, [
            text(one.circuit.name), text(one.circuit.purpose), num(one.circuit.i_b_a), text(device.name if device else "–"),
            num(device.i_set_a if device else None), _size(one.entered), _size(one.decision.required), _size(one.chosen), text(decided),
            num(one.used_pct, 0, severity), over(num(most, 0, otherwise=AWAITED if every.unknown else "–")), over(text(state)), text(one.verdict, severity),
            text(told),
        ], severity))  # fmt: skip
    heads = [
        Head("Circuit"), Head("Of"), Head("Ib", "A", True), Head("Device"), Head("In", "A", True), Head("As entered"), Head("Code asks"), Head("Would be"),
        Head("Decided by"), Head("Used", "%", True), Head("Most", "%", True), Head("In state"), Head("Verdict"), Head("Told"),
    ]  # fmt: skip
    spare = ("Told", "In state", "Most %", "Would be", "Device", "Of")
    return Ledger([], heads, rows, export="circuits", empty=NO_CIRCUIT, spare=spare, note=f"By {found.settings.code}; each figure opens on the card.")


def _size(t: Try | None) -> CellShown:
    return CellShown(size_text(t), t.size.area_mm2 * t.sets if t else -1.0)


def beside_table(look: Look) -> Ledger:
    """Device ratings, overload settings, neutrals, protective conductors, raceways; transformers and boards."""
    found: Sizing = look.result(SIZING)
    rows = [
        RowShown(one.circuit.element_id, [
            text(one.circuit.name), text(p.quantity), _amount(p, p.entered), _amount(p, p.required), _amount(p, p.chosen), text(p.rule), text(p.clause),
            text(one.verdict_of(p), "breach" if p.ok is False else ""), text(p.demand), text(p.note),
        ], "breach" if p.ok is False else "")
        for one in found.worst_first() for p in one.beside
    ]  # fmt: skip
    rows += [
        RowShown(piece.element_id, [
            text(piece.name), text(p.quantity), _amount(p, p.entered), _amount(p, p.required), _amount(p, p.chosen), text(p.rule), text(p.clause),
            text(verdict_of_part(p), "breach" if p.ok is False else ""), text(p.demand), text(p.note),
        ], "breach" if p.ok is False else "")
        for piece in found.equipment for p in piece.parts
    ]  # fmt: skip
    rows.sort(key=lambda r: r.severity != "breach")
    heads = [Head(h) for h in ("Of", "Quantity", "As entered", "Code asks", "Would be", "Rule", "Clause", "Verdict", "Demand", "Told")]
    return Ledger([], heads, rows, export="circuits", empty=NO_CIRCUIT, spare=("Told", "Clause", "Demand", "Would be"))


def _amount(p: Part, value: float | str | None) -> CellShown:
    if value is None:
        return text("–")
    if isinstance(value, str):
        return text(value)
    return CellShown(f"{figure(value)} {p.unit}".strip(), value, full=value)


def rules_table(look: Look) -> Ledger:
    """Every rule of every circuit: of the selected one, or of all."""
    found: Sizing = look.result(SIZING)
    table = found.rules_table()
    names = "element rule clause demand decides verdict offered limit held_in used_pct standing note"
    rows = []
    for r in table.records():
        i = look.network.id_of_name[r["element"]]
        if look.view.selected in found.of and i != look.view.selected:
            continue
        severity = "breach" if r["verdict"] == "breach" else ""
        cells = [
            text(r["element"]),
            text(r["rule"]),
            text(r["clause"]),
            text(r["demand"]),
            text("decides" if r["decides"] else ""),
            text(r["verdict"], severity),
        ]
        cells += [text(v) if isinstance(v, str) else num(v) for v in (r["offered"], r["limit"])]
        cells += [text(r["held_in"]), num(r["used_pct"], 0), text(r["standing"]), text(r["note"])]
        rows.append(RowShown(i, cells, severity))
    heads = heads_of(table, names)
    spare = ("Note", "Standing", "Clause", "In")
    return Ledger([], heads, rows, export="rules", empty=NO_CIRCUIT, spare=spare)


def cables_table(look: Look) -> Ledger:
    """The list of cables, with what to order."""
    names = "element from_bus to_bus conductor insulation cores size sets pe_mm2 laid route length_m order_m catalogue"
    made = shown(look.network, cables(look.result(SIZING).net), names, "element")
    return replace(made, empty="There is no cable.", spare=("Catalogue", "From", "To", "Cores", "Protective mm²", "Insulation"))


def raceways_table(look: Look) -> Ledger:
    """Raceways with the trade size that their fill asks for."""
    found: Sizing = look.result(SIZING)
    made = shown(look.network, raceways(found.net, found.of), "element raceway count as_entered required length_m order_m fill", "element")
    return replace(made, empty="No circuit has a raceway: choose one on the card of a cable, under Laying.", spare=("Fill",))


def loads_table(look: Look) -> Ledger:
    """Loads with what they are sized by, and the sum."""
    found: Sizing = look.result(SIZING)
    table = loads(found.net)
    total = next(r for r in table.records() if r["element"] == TOTAL)
    listed = Table(table.name, table.columns, table.rows[:-1])
    made = shown(look.network, listed, "element bus kind duty priority installed_kw demand_factor diversity_factor p_kw q_kvar i_a", "element")
    p, q = total["p_kw"], total["q_kvar"]
    note = f"Of what runs: {figure(p)} kW, {figure(q)} kvar, {figure(math.hypot(p, q))} kVA, each with its demand and diversity factor."
    return replace(made, note=note, empty="There is no load.", spare=("Kind", "Priority"))


def panels_table(look: Look) -> Ledger:
    """The ways of the selected board, or of all boards, by phase."""
    found: Sizing = look.result(SIZING)
    made = shown(look.network, panels(found.net, found.of), "board way feeds device device_a conductors il1_a il2_a il3_a", "board")
    boards = {row.element for row in made.rows}
    if look.view.selected in boards:
        made = replace(made, rows=[row for row in made.rows if row.element == look.view.selected])
    return replace(made, note="All ways are of three phases, each with the same current.", empty="No board has ways.")


def left_table(look: Look) -> Ledger:
    return shown(look.network, look.result(SIZING).left_table(), "element why", "element")
