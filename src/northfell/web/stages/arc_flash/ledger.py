"""The ledger's tables of the Arc flash stage."""

import math
from dataclasses import replace

from northfell.app.results.studies import requested
from northfell.core.studies.arc_flash import ARC_FLASH, DIRECT, EARLIER, EDITION, ArcFlash, Direct, Earlier, energy_severity, place_key
from northfell.core.studies.arc_flash.direct import STATUS
from northfell.web.shell.figures import AWAITED, ENDLESS
from northfell.web.shell.stage import Look
from northfell.web.shell.table_cells import CellShown, Head, Ledger, RowShown, cell_of, heads_of, num, over, shown, text
from northfell.web.stages.arc_flash.card import chain_of, sources_of


def locations_table(look: Look) -> Ledger:
    """The state shown, with the energy of every operating state beside it and the worst named."""
    network = look.network
    study, limits, every = look.result(ARC_FLASH), network.settings.limits, look.over(ARC_FLASH)

    def energy(value: float | None, otherwise: str = "–") -> CellShown:
        severity = energy_severity(limits, value)
        if value is not None and math.isinf(value):  # nothing ever cuts it off, and no longest exposure is in force
            return CellShown(ENDLESS, value, severity, number=True)
        return num(value, severity=severity, otherwise=otherwise, digits=3)

    first = "bus side configuration device i_bolted_ka i_arc_ka"
    table, worst_of = study.locations_table(), every.worst("energy")
    rows = []
    for record in table.records():
        key = place_key(network.id_of_name[record["bus"]], record["side"])
        values = every.values("energy", key).items()
        cells = [over(energy(e, AWAITED if s in every.unknown else "not fed"), s != look.view.state) for s, e in values]
        worst, most = worst_of.get(key, ("", None))
        highest = over(energy(most, AWAITED if every.unknown else "–"))
        opens = num(record["clearing_time_s"], otherwise="never" if record["energy_cal_cm2"] else "–", digits=3)
        boundary = num(record["boundary_mm"] / 1000 if record["boundary_mm"] is not None else None, digits=3)
        rows.append(RowShown(network.id_of_name[record["bus"]], [
            *(cell_of(record, n) for n in first.split()), opens, boundary, *cells, highest, over(text(worst)),
            text(record["warnings"] or ""),
        ], highest.severity, record["side"], over=True))  # fmt: skip
    by_state = [Head(s, "cal/cm²", True) for s in (*network.state_names, "Worst")]
    heads = [*heads_of(table, f"{first} clearing_time_s"), Head("Boundary", "m", True), *by_state, Head("In state"), Head("Told")]
    others = (f"{state} cal/cm²" for state in reversed(network.state_names) if state != look.view.state)
    return Ledger([], heads, rows, export=table.name, spare=("Told", "Electrodes", "Arcing kA", "Bolted kA", "Boundary m", *others))


def devices_table(look: Look) -> Ledger:
    study: ArcFlash = look.result(ARC_FLASH)
    made = shown(look.network, study.devices_table(), "bus side device case variant i_device_ka opens_at_s stage", "bus", "never")
    return _of_the_selected(look, study, made)


def timeline_table(look: Look) -> Ledger:
    """What flows until what opens, of the case that governs: of the selected location, or of all."""
    study: ArcFlash = look.result(ARC_FLASH)
    names = "bus side interval from_s to_s i_bolted_ka i_arc_ka energy_cal_cm2 ends"
    made = _of_the_selected(look, study, shown(look.network, study.timeline_table(), names, "bus", "never"))
    location = study.location(look.view.selected, look.view.side) or study.location(look.view.selected, "load")
    if location is None or location.worst is None:
        return made
    bolted, *rest = chain_of(study, location, look.network)
    if study.bus(location).mains:
        bolted = replace(bolted, label=f"Bolted, {location.side} side")
    sources = () if location.fault else (sources_of(study, location),)  # by phase what each brings is not told
    return replace(made, chain=(*sources, bolted, *rest))


def earlier_table(look: Look) -> Ledger:
    """Every place by the earlier edition beside the one in force."""
    made: Earlier = requested(look.results, look.view.state, EARLIER)
    limits, table = look.network.settings.limits, made.table()
    names = "bus side energy_cal_cm2 energy_2002_cal_cm2 i_arc_ka part case opens_at_s boundary_mm earthing exponent told"
    rows = []
    for record in table.records():
        energies = [num(record[n], severity=energy_severity(limits, record[n]), otherwise=ENDLESS, digits=3) for n in names.split()[2:4]]
        first, rest = (cell_of(record, n) for n in ("bus", "side")), names.split()[4:]
        cells = [*first, *energies, *(cell_of(record, n) if record[n] is not None else text("never") for n in rest)]
        rows.append(RowShown(look.network.id_of_name[record["bus"]], cells, "", record["side"]))
    note = f"{EDITION} is superseded: for comparison alone, its equations are not verified by a worked example, and no label goes by them."
    note += " Currents are held as they are at first."
    if left := len(made.arc.locations) - len(made.places):
        note += f" {left} place{'s' if left > 1 else ''} without a result, or beyond its range, {'are' if left > 1 else 'is'} not listed."
    return Ledger([], heads_of(table, names), rows, note=note, export=table.name, spare=("Told", "x", "Of it", "Case", "Earthing"))


def direct_table(look: Look) -> Ledger:
    """Boards on direct-current sides, by both methods."""
    made: Direct = requested(look.results, look.view.state, DIRECT)
    limits, table, names = look.network.settings.limits, made.table(), "name board v_dc_v ik_dc_ka arc_time_s power_cal_cm2 stokes_cal_cm2"
    rows = []
    for record in table.records():
        energy = num(record["energy_cal_cm2"], severity=energy_severity(limits, record["energy_cal_cm2"]), otherwise="–", digits=3)
        boundary = num(record["boundary_mm"] / 1000 if record["boundary_mm"] is not None else None, digits=3)
        cells = [*(cell_of(record, n) for n in names.split()), energy, cell_of(record, "governs"), boundary, text(record["told"])]
        rows.append(RowShown(look.network.id_of_name[record["name"]], cells, energy.severity))
    heads = [*heads_of(table, f"{names} energy_cal_cm2 governs"), Head("Boundary", "m", True), Head("Told")]
    empty = "No board on a direct-current side: choose one on the card of a rectifier or an inverter, section Direct current."
    note = f"{STATUS[0].upper()}{STATUS[1:]}. No label is made of them."
    return Ledger([], heads, rows, empty=empty, note=note, export=table.name, spare=("Told", "Governs", "Bolted kA", "Voltage V"))


def _of_the_selected(look: Look, study: ArcFlash, made: Ledger) -> Ledger:
    """Of the selected location, or of all."""
    if look.view.selected in {one.bus_id for one in study.locations}:
        return replace(made, rows=[row for row in made.rows if row.element == look.view.selected])
    return made
