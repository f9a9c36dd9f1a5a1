"""What the Arc flash stage knows of one board, as figures that open their working."""

import math
from urllib.parse import urlencode

import numpy as np

from northfell.core.catalogue.tables import glove_class, shock_boundary
from northfell.core.model.elements import Bus, Element
from northfell.core.model.network import Network
from northfell.core.quantities import figure
from northfell.core.studies.arc_flash import ARC_FLASH, ArcFlash, DirectPlace, Location, Variant, energy_severity, place_key, place_of
from northfell.core.studies.protection import devices_of
from northfell.core.studies.short_circuit import without_motors
from northfell.drawing.shapes import Shape
from northfell.drawing.time_current import Band, Mark, current_range, curve_shapes
from northfell.web.shell.figures import ENDLESS, Figure, Section, by_state
from northfell.web.shell.stage import Look

CURVE_SIZE = (264.0, 196.0)
LEAST_PART = 0.01  # of the bolted current, that is worth a word


def arc_flash_figures(look: Look, e: Element) -> list[Section]:
    """What the arc-flash study says of a board."""
    network, view = look.network, look.view
    study: ArcFlash = look.result(ARC_FLASH)
    if (direct := place_of(e, study.settings)) is not None:
        return [_direct(look, direct)]
    if not isinstance(e, Bus):
        return [Section("Arc flash", message="Select a board to see its energy, what clears it, and its label.")]
    if e.electrode_configuration is None:
        return [Section("Arc flash", message="No enclosure data: choose the electrode configuration below to make this a location.")]
    location = study.location(e.id, view.side) or study.location(e.id, "load")
    if location is None:
        return [Section("Arc flash", message="Out of service in this state."), _energy_by_state(look, e, view.side)]
    if location.worst is None:
        told = "; ".join(location.warnings) or "Not fed in this state."
        return [Section("Arc flash", message=told), _energy_by_state(look, e, location.side)]
    return [*_location(study, location, network), _energy_by_state(look, e, location.side)]


def _direct(look: Look, one: DirectPlace) -> Section:
    """The board on the direct-current side of an element, by both methods."""
    if one.lacks:
        return Section("Direct-current side", message=f"{one.told[0]}.")
    energy = one.energy_cal_cm2
    stokes = "no arc holds" if one.stokes_cal is None else f"{figure(one.stokes_cal, 3)} by the arc's resistance"
    return Section("Direct-current side", [
        Figure("Incident energy", figure(energy, 3) if math.isfinite(energy) else ENDLESS, "cal/cm²", energy_severity(look.network.settings.limits, energy),
               urlencode({"study": "arc_flash", "quantity": "energy_cal_cm2"}), f"{figure(one.power_cal, 3)} by the most power, {stokes}"),
        Figure("Boundary", figure(one.boundary_mm / 1000, 3), "m", note="at 1.2 cal/cm²"),
        Figure("Arc lasts", figure(one.t_s, 3), "s", note="; ".join(one.told[1:])),
    ], "not by IEEE 1584")  # fmt: skip


def _opened(location: Location, quantity: str, v: Variant) -> str:
    """The query of a working."""
    return urlencode({"study": "arc_flash", "side": location.side, "quantity": quantity, "variant": v.variant, "case": v.case})


def chain_of(study: ArcFlash, location: Location, network: Network) -> list[Figure]:
    """How the energy of a place comes about, each figure from the one before."""
    assert location.worst is not None
    w, limits = location.worst, network.settings.limits
    severity = energy_severity(limits, w.energy_cal_cm2)
    reduced, full = location.variant(w.case, "reduced"), location.variant(w.case, "full")
    widest, in_it = max(((v, one) for one in (location, *location.others) for v in one.variants), key=lambda found: found[0].boundary_mm)
    boundary = _opened(location, "boundary_mm", widest) + (f"&part={in_it.configuration}" if location.others else "")
    told = [f"{one.configuration} {figure(one.worst.energy_cal_cm2, 3)} cal/cm²" for one in location.others if one.worst]
    device = study.net.name(w.device) if w.device else "no device"
    opens = f"{figure(w.opens_at_s, 3)}" if math.isfinite(w.opens_at_s) else "never"
    return [
        Figure(
            "Bolted fault",
            figure(w.i_bolted_ka),
            "kA",
            note=f"{w.case}imum case" + (f", {location.fault}" if location.fault else ""),
            working=_of_fault(study, location, w),
        ),
        Figure("Arcing current", figure(full.i_arc_ka), "kA", note=f"reduced {figure(reduced.i_arc_ka)}"),
        Figure(f"Through {device}", figure(w.i_device_ka), "kA", note=f"{w.variant} current"),
        Figure(f"{device} opens", opens, "s" if opens != "never" else "", note=w.stage),
        *([Figure("Arc lasts", figure(w.arc_time_s, 3), "s", note="two-second rule")] if w.arc_time_s != w.opens_at_s else []),
        Figure("Incident energy", figure(w.energy_cal_cm2, 3), "cal/cm²", severity, _opened(location, "energy_cal_cm2", w), f"{w.variant} current governs"),
        Figure("Boundary", figure(widest.boundary_mm / 1000, 3), "m", "", boundary, "at 1.2 cal/cm²"),
        *([Figure("Electrodes", location.configuration, note="governs; " + "; ".join(told))] if told else []),
    ]


def _of_fault(study: ArcFlash, location: Location, w: Variant) -> str:
    """The query of the working of the bolted fault."""
    if not location.fault:
        return urlencode({"study": "short_circuit", "quantity": "ik_ka", "case": w.case, "faulted": location.faulted})
    return urlencode({"study": "phase_faults", "quantity": "ik_phase", "faulted": location.faulted, "part": location.fault, "case": w.case})


def sources_of(study: ArcFlash, location: Location) -> Figure:
    """What brings the bolted current of the case that governs, at the voltage of the place; motors together."""
    assert location.worst is not None
    faults, case = study.faults, location.worst.case
    net, given = faults.net, faults.cases[case].given
    flows = faults.flows([location.faulted], case)
    brings: dict[str, float] = {}
    for e in (*given.sources.elements, *given.converters.elements):
        at = net.topology.bus_index[e.buses[0]]
        name = "motors" if e.id in without_motors(faults) else e.name
        i_ka = float(flows.largest_of(e.id)[0, 0] * net.v_nominal_kv[at] / net.v_nominal_kv[location.faulted])
        brings[name] = brings.get(name, 0.0) + i_ka
    most = sorted(((i, name) for name, i in brings.items() if i >= LEAST_PART * location.worst.i_bolted_ka), reverse=True)
    first, rest = most[0], ", ".join(f"{name} {figure(i, 3)}" for i, name in most[1:4])
    return Figure(first[1], figure(first[0]), "kA", note=rest or "alone")


def _location(study: ArcFlash, location: Location, network: Network) -> list[Section]:
    w, chain = location.worst, chain_of(study, location, network)
    assert w is not None
    four = [
        Figure(
            f"{v.case}imum, {v.variant}",
            figure(v.energy_cal_cm2, 3),
            "cal/cm²",
            working=_opened(location, "energy_cal_cm2", v),
            note=f"{figure(v.arc_time_s, 3)} s",
        )
        for v in sorted(location.variants, key=lambda v: (v.case, v.variant))
    ]
    curve = [Section(f"Curve of {study.net.name(w.device)}", picture=_curve(study, location))] if w.device else []
    return [Section(f"Arc flash, {location.side} side", chain, "working"), *curve, Section("Cases", four, "working"), _shock(study.bus(location))]


def _shock(bus: Bus) -> Section:
    """How near to live parts one may come, and with which gloves, by the nominal voltage."""
    v_kv = bus.v_nominal_kv or math.nan
    found, gloves = shock_boundary(v_kv), glove_class(v_kv)
    if found is None:
        return Section("Shock", message=f"NFPA 70E has no approach distances for {figure(v_kv)} kV.")
    near = "avoid contact" if found.restricted_m is None else f"{found.restricted_m:.1f}"
    return Section("Shock", [
        Figure("Limited approach", f"{found.limited_fixed_m:.1f}", "m", note=f"NFPA 70E 130.4, fixed parts ({found.status})"),
        Figure("Restricted approach", near, "" if found.restricted_m is None else "m"),
        Figure("Gloves, class", gloves or "–", note="ASTM D120" if gloves else "above all classes"),
    ])  # fmt: skip


def if_cleared(study: ArcFlash, location: Location | None, network: Network) -> dict[str, float] | None:
    """What a slider needs to tell the energy for another time of clearing: it grows evenly with time, the current being held."""
    worst = location.worst if location else None
    if worst is None or not 0 < worst.counts_s < math.inf:
        return None
    limits = network.settings.limits
    return {
        "rate": worst.energy_cal_cm2 / worst.counts_s, "at": worst.counts_s, "close": limits.energy_close_cal_cm2, "breach": limits.energy_breach_cal_cm2,
        "longest": max(2.0, worst.counts_s),
    }  # fmt: skip


def _curve(study: ArcFlash, location: Location) -> list[Shape]:
    """The deciding device's band with the arcing currents through it, of the case that governs."""
    worst = location.worst
    assert worst is not None
    device = devices_of(study.net.elements)[worst.device or ""]
    both = [location.variant(worst.case, variant) for variant in ("full", "reduced")]
    marks = []
    for v in both:
        one = next((d for d in location.devices if (d.case, d.variant, d.device) == (v.case, v.variant, worst.device)), None)
        if one:
            told = f"{v.variant} {figure(one.i_device_ka, 3)} kA"
            marks.append(Mark(told, 1000 * one.i_device_ka, one.opens_at_s, f"tc-{v.variant}", v is worst))
    low, high = current_range([device.from_a("fast"), *(m.i_a for m in marks)])
    i_a = np.geomspace(max(low, device.from_a("fast")), high, 400)
    sees = next((d.sees for d in location.devices if (d.case, d.variant, d.device) == (worst.case, worst.variant, worst.device)), None)
    through = device.along(i_a, sees)
    band = Band(device.name, i_a, device.opens_at_s(through, "fast"), device.opens_at_s(through))
    return curve_shapes([band], marks, *CURVE_SIZE)


def _energy_by_state(look: Look, e: Bus, side: str) -> Section:
    limits = look.network.settings.limits
    figures = by_state(look.over(ARC_FLASH), "energy", place_key(e.id, side), "cal/cm²", lambda v: energy_severity(limits, v))
    return Section("In every state", figures, "energy")
