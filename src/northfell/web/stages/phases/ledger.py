"""The ledger's tables of flow by phase: a row for each conductor, branch, terminal, load, source and regulator."""

from dataclasses import replace
from typing import Any

from northfell.core.model.elements import Bus
from northfell.core.quantities import figure, fixed
from northfell.core.studies.load_flow import loading_severity
from northfell.core.studies.phase_flow import PHASE_FLOW, UNBALANCE, ByPhase, PhaseFlowSettings, band_at, is_judged, judged, loops, settings_of
from northfell.core.tables import Table
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import CellShown, Head, Ledger, RowShown, cell_of, heads_of, kind_name, num, text

PHASE = Head("Phase")


def _made(look: Look) -> ByPhase:
    made: ByPhase = look.result(PHASE_FLOW)
    return made


def _named(look: Look) -> dict[str, str]:
    return look.network.settings.of(PhaseFlowSettings).named


def _phase(look: Look, phase: str | None) -> CellShown:
    named = _named(look)
    return text("" if phase is None else named.get(phase) or (phase if "/" in phase else "–".join(named.get(c, c) for c in phase)))


def buses(look: Look) -> Ledger:
    """Voltages of every conductor; the one that is judged carries the verdict."""
    made, limits = _made(look), look.network.settings.limits
    settings, rows = settings_of(made), []
    unbalance = {e.id: made.unbalance_pct(e.id, settings.unbalance) for e in made.net.elements.values() if isinstance(e, Bus)}
    for r in made.table("buses").records():
        bus = look.network.elements[look.network.id_of_name[r["name"]]]
        assert isinstance(bus, Bus)
        band = band_at(made, limits, bus.id)
        found, c = judged(made, settings, bus.id), r["phase"]
        pair = next((p for p in found if len(p) == 2 and p[0] == c), "")
        v_ln, v_ll = found.get(c), found.get(pair)
        ln, ll = (band.severity(v) if v is not None and is_judged(made, bus) else "" for v in (v_ln, v_ll))
        worst, v = max(((ln, v_ln), (ll, v_ll)), key=lambda one: -1.0 if one[1] is None else abs(one[1] - 1))
        first = r["phase"] == "a"
        cells = [
            text(r["name"]), _phase(look, r["phase"]), num(r["v_ln_pu"], 4, ln), num(r["v_ll_pu"], 4, ll),
            num(r["angle_deg"], 2), num(r["v_kv"], 4), text(band.class_of(v) if v is not None else ""),
            num(unbalance[bus.id] if first else None, 2, otherwise=""), text("" if r["energised"] else "not under voltage"),
        ]  # fmt: skip
        rows.append(RowShown(bus.id, cells, worst))
    heads = [Head("Bus"), PHASE, Head("To neutral", "p.u.", True), Head("To the next phase", "p.u.", True), Head("Angle", "deg", True),
             Head("To earth", "kV", True), Head("Class"), Head("Unbalance", "%", True), Head("")]  # fmt: skip
    told = " ".join(made.messages)
    note = f"Bands: {settings.bands}. Unbalance: {UNBALANCE[settings.unbalance]}. {told}"
    return Ledger([], heads, rows, export="buses", note=note.strip(), spare=("", "To earth kV", "Angle deg", "Class"))


def branches(look: Look) -> Ledger:
    """What every branch carries of its rating, with the conductor that governs, and what it loses."""
    made, limits, rows = _made(look), look.network.settings.limits, []
    for r in made.table("branches").records():
        e = look.network.elements[look.network.id_of_name[r["name"]]]
        severity = loading_severity(limits, e, r["loading_pct"])
        pct, at = r["loading_pct"], r["governing_terminal"]
        of = f"{r['rating']:g} {r['rating_unit']}, {r['rating_basis']}" if r["rating"] is not None else "no rating"
        cells = [
            text(r["name"]), text(kind_name(e)), num(pct, 1, severity, pct / 100 if pct is not None else None), _phase(look, r["governing_phase"]),
            text(made.net.name(e.buses[at]) if at is not None else ""), num(r["emergency_pct"], 1), num(_kilo(r["loss_mw"])), num(_kilo(r["loss_mvar"])),
            text(of),
        ]  # fmt: skip
        rows.append(RowShown(e.id, cells, severity))
    heads = [Head("Branch"), Head("Kind"), Head("Loading", "%", True), Head("In"), Head("At"), Head("Of emergency rating", "%", True),
             Head("Losses", "kW", True), Head("Reactive losses", "kvar", True), Head("Rating and its basis")]  # fmt: skip
    return Ledger([], heads, rows, export="branches", spare=("Reactive losses kvar", "Kind", "At", "Rating and its basis"))


def _kilo(value: float | None) -> float | None:
    return None if value is None else 1000 * value


def _listed(look: Look, table: Table, names: str, key: str = "name", phase: str = "phase", empty: str = "", spare: tuple[str, ...] = ()) -> Ledger:
    """A table as it is, phases by the project's names."""
    rows = []
    for r in table.records():
        cells = [_phase(look, r[n]) if n == phase else cell_of(r, n) for n in names.split()]
        rows.append(RowShown(look.network.id_of_name.get(r[key], ""), cells))
    heads = [PHASE if h.label in ("Conductor", "Phase", "Between") else h for h in heads_of(table, names)]
    return Ledger([], heads, rows, export=table.name, empty=empty, spare=spare)


def terminals(look: Look) -> Ledger:
    """Power and current of every conductor at both ends, polar and rectangular."""
    table, rows = _made(look).table("terminals"), []
    for r in table.records():
        e = look.network.elements[look.network.id_of_name[r["element"]]]
        cells = [text(r["element"]), text(kind_name(e)), text(r["bus"]), _phase(look, r["phase"]), num(_kilo(r["p_mw"])), num(_kilo(r["q_mvar"])),
                 num(_kilo(r["s_mva"])), num(r["i_a"]), num(r["i_angle_deg"], 2), num(r["i_re_a"]), num(r["i_im_a"])]  # fmt: skip
        rows.append(RowShown(e.id, cells))
    heads = [Head("Element"), Head("Kind"), Head("At"), PHASE, Head("P", "kW", True), Head("Q", "kvar", True), Head("S", "kVA", True), Head("I", "A", True),
             Head("Angle", "deg", True), Head("Re I", "A", True), Head("Im I", "A", True)]  # fmt: skip
    return Ledger([], heads, rows, export="terminals", spare=("Kind", "Re I A", "Im I A", "S kVA"))


def sequence(look: Look) -> Ledger:
    """Sequence values of three-phase buses, with their unbalance by every definition."""
    made, rows = _made(look), []
    for r in made.table("sequence").records():
        bus = look.network.id_of_name[r["bus"]]
        cells = [text(r["bus"]), *(num(r[n], 4) for n in ("v1_pu", "v2_pu", "v0_pu")), *(num(made.unbalance_pct(bus, by), 3) for by in UNBALANCE),
                 num(r["v0_over_v1_pct"], 3), num(r["u_3v0_kv"])]  # fmt: skip
        rows.append(RowShown(bus, cells))
    heads = [Head("Bus"), Head("U1", "p.u.", True), Head("U2", "p.u.", True), Head("U0", "p.u.", True), *(Head(by, "%", True) for by in UNBALANCE),
             Head("U0/U1", "%", True), Head("3U0", "kV", True)]  # fmt: skip
    return Ledger([], heads, rows, export="sequence", empty="No bus has all three phases under voltage.")


def residuals(look: Look) -> Ledger:
    """What returns by the neutral, and through earth."""
    return _listed(look, _made(look).table("residuals"), "element bus i_3i0_a i_neutral_a i_earth_a", "element")


def loads(look: Look) -> Ledger:
    """What each part of a consumer draws."""
    return _listed(look, _made(look).table("loads"), "name bus between p_rated_mw q_rated_mvar p_mw q_mvar i_a", phase="between")


def sources(look: Look) -> Ledger:
    """What each source delivers, by phase."""
    return _listed(look, _made(look).table("sources"), "name bus phase p_mw q_mvar i_a i_angle_deg")


def regulators(look: Look) -> Ledger:
    """Taps found, and what the relays see."""
    table = _made(look).table("regulators")
    names = "name phase tap v_regulated_pu v_relay_v v_set_v control target power regulates"
    others = [f"{r['name']}: {r['control']} {r['found']:g}{' ' + r['unit'] if r['unit'] else ''}, given {r['given']:g}"
              for r in _made(look).table("controls").records()]  # fmt: skip
    made = _listed(look, table, names, empty="No step-voltage regulators.")
    return replace(made, note="; ".join(others)) if others else made


def loops_closed(look: Look) -> Ledger:
    """Closed loops, each with the way round."""
    made, rows = _made(look), []
    for n, one in enumerate(loops(made.net), 1):
        phases = ", ".join(_named(look)[p] for p in one.phases)
        for k, i in enumerate(one.elements):
            cells = [text(f"Loop {n}"), text(phases), text(made.net.name(i)), text(kind_name(made.net.elements[i])), text("" if k else "closes it")]
            rows.append(RowShown(i, cells))
    heads = [Head("Loop"), Head("In phases"), Head("Element"), Head("Kind"), Head("")]
    return Ledger([], heads, rows, empty="No loop is closed: every place has one way to its source.")


def totals(look: Look) -> Ledger:
    """Sums of the state, and how it was solved."""
    made = _made(look)
    s = made.summary
    told: list[tuple[str, Any, str]] = [
        ("Generation", figure(s["generation_mw"]), "MW"), ("Generation", figure(s["generation_mvar"]), "Mvar"), ("Load", figure(s["load_mw"]), "MW"),
        ("Load", figure(s["load_mvar"]), "Mvar"), ("Losses", figure(1000 * s["losses_mw"]), "kW"), ("Reactive losses", figure(1000 * s["losses_mvar"]), "kvar"),
        ("Solved by", s["method"], ""), ("Steps", str(s["iterations"]), ""), ("Greatest current missing", fixed(s["mismatch_pct"], 7), "% of the greatest"),
    ]  # fmt: skip
    losses = made.losses_by_phase()
    told += [(f"Losses in {_named(look)[p]}", figure(v / 1e3), "kW") for p, v in losses.items()]
    rows = [RowShown("", [text(a), text(str(b)), text(c)]) for a, b, c in told]
    return Ledger([], [Head("Total"), Head("", "", True), Head("Unit")], rows)
