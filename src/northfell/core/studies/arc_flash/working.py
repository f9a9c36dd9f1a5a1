"""How an incident energy came about, derived again with the study's own equations."""

import math
from dataclasses import replace

import numpy as np

from northfell.core.model.elements import Bus
from northfell.core.model.network import title_of
from northfell.core.quantities import figure as f
from northfell.core.studies.arc_flash import equations as eq
from northfell.core.studies.arc_flash.by_phase import through_poles
from northfell.core.studies.arc_flash.by_voltage import LEE, METHOD, boundary_mm, by_lee, incident_energy_j_cm2
from northfell.core.studies.arc_flash.result import ArcFlash, Location, Variant, coefficients_status
from northfell.core.studies.arc_flash.seen import enclosure_of, full_arcing_current_ka, reduction
from northfell.core.studies.arc_flash.settings import exposure_s
from northfell.core.studies.protection import LEAST_ARC_S, devices_of
from northfell.core.working import Equation, Working

REDUCED = Equation(
    "Iarc,min", "Iarc·(1 − 0.5·VarCf)", lambda i_arc_ka, var_cf: i_arc_ka * (1 - 0.5 * var_cf), {"Iarc": "i_arc_ka", "VarCf": "var_cf"}, "kA",
    f"{METHOD}, 4.5",
)  # fmt: skip
REDUCED_BY_SHARE = Equation(
    "Iarc,min", "Iarc·(1 − own variation)", lambda i_arc_ka, share: i_arc_ka * (1 - share), {"Iarc": "i_arc_ka", "own variation": "share"}, "kA"
)
THROUGH = Equation(
    "I", "Iarc·I″k(device)/Ibf", lambda i_arc_ka, through_ka, i_bolted_ka: i_arc_ka / i_bolted_ka * through_ka,
    {"Iarc": "i_arc_ka", "I″k(device)": "through_ka", "Ibf": "i_bolted_ka"}, "kA",
)  # fmt: skip
EES = Equation(
    "EES", "(H1 + W1)/2", lambda height_in, width_in: (height_in + width_in) / 2, {"H1": "height_in", "W1": "width_in"}, "in",
    f"{METHOD}, 4.8.3, Table 6", 4,
)  # fmt: skip
IN_CALORIES = Equation("E", "E / 4.184", lambda energy_j_cm2: energy_j_cm2 / eq.CAL, {"E": "energy_j_cm2"}, "cal/cm²")


def explain_energy(study: ArcFlash, location: Location, variant: Variant | None = None, quantity: str = "energy_cal_cm2") -> Working:
    """The working of energy or boundary at a location (its governing variant, unless another is asked for)."""
    one = variant or location.worst
    assert one is not None
    net, bus = study.net, study.bus(location)
    box, voc, d = enclosure_of(bus), bus.v_nominal_kv or math.nan, bus.working_distance_mm or math.nan
    what = "Incident energy" if quantity == "energy_cal_cm2" else "Arc-flash boundary"
    w = Working(f"{what} at {bus.name}, {location.side} side, state {net.state}, {one.variant} arcing current, {one.case}imum case")
    _given(w, bus)
    bolted = f"bolted current {location.fault}" if location.fault else "bolted three-phase current"
    by_phase = "by phase, without a resistance at the fault; see the fault's working" if location.fault else "see the fault's working"
    ibf = w.given("Ibf", f"{bolted}, {one.case}imum case", one.i_bolted_ka, "kA", f"IEC 60909-0:2016, {by_phase}")
    if by_lee(voc):
        i_arc = ibf
        if one.variant == "reduced":
            i_arc = REDUCED_BY_SHARE.note(w, "Current that devices see, less than bolted", "", i_arc_ka=ibf, share=1 - reduction(study.settings, bus))
        _by_lee(w, box, voc, ibf, d, _arc_time(w, study, location, one, i_arc), quantity)
        return w
    full = _arcing_current(w, box, voc, ibf)
    factor = 1.0
    if one.variant == "reduced":
        factor = reduction(study.settings, bus)
        by_standard = study.settings.variation == "by standard"
        cf = 2 * (1 - factor)
        which = "At 600 V and below only the final current is reduced." if voc <= 0.6 else "All three intermediate currents are reduced."
        if by_standard:
            w.step("Variation factor", "VarCf", "k1·V⁶ + … + k7", f"V = {f(voc)} kV, {box.configuration}", cf, "", f"{METHOD}, 4.5 (Eq. 2), Table 2")
            REDUCED.note(w, "Reduced arcing current", which, i_arc_ka=full, var_cf=cf)
        else:
            own = replace(REDUCED_BY_SHARE, source=f"study settings “{net.network.settings.set_name}”")
            own.note(w, "Reduced arcing current", which, i_arc_ka=full, share=1 - factor)
    t = _arc_time(w, study, location, one, full * factor)
    cf_box = _correction(w, box, voc)
    _energy(w, box, voc, ibf, d, t, factor, cf_box, quantity)
    return w


def _by_lee(w: Working, box: eq.Enclosure, voc: float, ibf: float, d: float, t: float, quantity: str) -> None:
    """Above the model: the arc is taken as the bolted fault, with the most power that it can have."""
    note = f"{voc:g} kV is above the range of {METHOD}. Theoretical, in open air; the higher the voltage, the more too much."
    if not math.isfinite(t):
        w.result, w.unit = w.step("Energy", "E", "grows without end", "no device cuts the last source off", math.inf, "cal/cm²"), "cal/cm²"
    elif quantity == "energy_cal_cm2":
        e = incident_energy_j_cm2(voc, ibf, box, d, t)
        w.step("Energy", "E", "2.142·10⁶·V·Ibf·t/D²", f"V = {f(voc)} kV, Ibf = {f(ibf)} kA, t = {f(t / 1000)} s, D = {f(d)} mm", e, "J/cm²", LEE, note)
        w.result, w.unit = IN_CALORIES.note(w, "Incident energy", energy_j_cm2=e), "cal/cm²"
    else:
        numbers = f"V = {f(voc)} kV, Ibf = {f(ibf)} kA, t = {f(t / 1000)} s"
        b = boundary_mm(voc, ibf, box, t)
        w.result, w.unit = w.step("Boundary", "AFB", "√(2.142·10⁶·V·Ibf·t/(1.2·4.184))", numbers, b, "mm", LEE, note), "mm"


def _given(w: Working, bus: Bus) -> None:
    title = title_of(bus)
    w.given("Voc", "open-circuit voltage, taken as nominal", bus.v_nominal_kv or math.nan, "kV", f"{title}, nominal voltage")
    w.given("config", "electrode configuration", bus.electrode_configuration or "", "", title)
    fields = [("G", "conductor gap", "gap_mm"), ("D", "working distance", "working_distance_mm")]
    if bus.electrode_configuration in eq.IN_BOX:
        fields += [("H", "box height", "box_height_mm"), ("W", "box width", "box_width_mm"), ("depth", "box depth", "box_depth_mm")]
    for symbol, meaning, field in fields:
        w.given(symbol, meaning, float(getattr(bus, field)), "mm", bus.assumed.get(field, title), field in bus.assumed)


def _arcing_current(w: Working, box: eq.Enclosure, voc: float, ibf: float) -> float:
    status = coefficients_status(box.configuration)
    levels = []
    for v in eq.LEVELS_V if voc > 0.6 else (600,):
        i = eq.intermediate_current_ka(box.configuration, v, ibf, box.gap_mm)
        levels.append(i)
        w.step(
            f"Intermediate arcing current, {v} V", f"Iarc,{v}", "10^(k1 + k2·lg Ibf + k3·lg G)·(k4·Ibf⁶ + … + k10)",
            f"Ibf = {f(ibf, 5)} kA, G = {f(box.gap_mm)} mm, {box.configuration}", i, "kA", f"{METHOD}, 4.4 (Eq. 1), Table 1", f"Coefficients {status}.",
        )  # fmt: skip
    full = eq.arcing_current_ka(voc, ibf, box)
    if voc <= 0.6:
        w.step(
            "Arcing current",
            "Iarc",
            "1/√{(0.6/V)²·[1/I600² − (0.6² − V²)/(0.6²·Ibf²)]}",
            f"V = {f(voc)} kV, I600 = {f(levels[0], 5)} kA, Ibf = {f(ibf, 5)} kA",
            full,
            "kA",
            f"{METHOD}, 4.10 (Eq. 25)",
        )
    else:
        w.step(
            "Arcing current", "Iarc", "interpolation between the levels at V", f"V = {f(voc)} kV from {', '.join(f(i, 5) for i in levels)} kA", full, "kA",
            f"{METHOD}, 4.9 (Eq. 16 to 18)",
        )  # fmt: skip
    return full


def _arc_time(w: Working, study: ArcFlash, location: Location, one: Variant, i_arc: float) -> float:
    """Clearing of the deciding device, with its curve's own working, and the two-second rule. Returns ms."""
    net = study.net
    if one.followed:
        return _arc_time_by_intervals(w, study, location, one)
    if one.device is not None:
        _through_device(w, study, location, one, i_arc)
    others = [d for d in location.devices if (d.case, d.variant) == (one.case, one.variant) and d.device != one.device]
    for d in others:
        w.given(f"t({net.name(d.device)})", f"{net.name(d.device)} opens, {f(d.i_device_ka)} kA through it", d.opens_at_s, "s", d.stage)
    note = "The full current is held until the last source is cut off." if others else ""
    if one.opens_at_s == LEAST_ARC_S:
        note = f"{note} No less than half a cycle, {LEAST_ARC_S:g} s, is credited here: a shorter time stands for heat alone.".strip()
    if one.by_first_s is not None:
        note = f"{note} By what flows without motors; with their current it would be {f(one.by_first_s)} s.".strip()
    if one.falls:
        note = f"{note} At the latest: with what is left once the currents of generators have fallen.".strip()
    w.step(
        "Last source cut off",
        "tc",
        "longest path to a source, first device to open on each",
        net.name(one.device) if one.device else "no device",
        one.opens_at_s,
        "s",
        "",
        note,
    )
    t = exposure_s(study.settings, one.opens_at_s)
    if study.settings.two_second_rule:
        rule = study.settings.max_exposure_s
        w.step("Arc duration", "T", f"min(tc, {f(rule)} s)", f"min({f(one.opens_at_s)}, {f(rule)})", t * 1000, "ms", f"{METHOD}, 6.9: two-second rule in force")
    else:
        w.step("Arc duration", "T", "tc", f(one.opens_at_s), t * 1000, "ms", "two-second rule not in force")
    return t * 1000


def _through_device(w: Working, study: ArcFlash, location: Location, one: Variant, i_arc: float) -> None:
    """What the deciding device sees, and the time of its curve; without motors where that is later."""
    net, faults, i_bolted = study.net, study.faults, one.i_bolted_ka
    assert one.device is not None
    name, without = net.name(one.device), ""
    if one.by_first_s is not None:
        assert study.bare is not None
        faults, without = study.bare, " without motors"
        i_bolted = float(faults.cases[one.case].ik_ka[location.faulted])
        w.given("Ibf,0", "bolted current without motors", i_bolted, "kA", "their part is gone within cycles")
        i_full = full_arcing_current_ka(study.bus(location), i_bolted)
        numbers, note = f"{f(i_full, 5)} kA·{f(one.factor, 5)}", "By the same equations: no device is counted on to act by the current of motors."
        i_arc = w.step("Arcing current without motors", "Iarc,0", "Iarc(Ibf,0)·factor", numbers, i_full * one.factor, "kA", "", note)
    if location.fault:
        without, lasts_ka, through = " of what lasts, without motors and converters", *_lasting_ka(study, location, one)
        if not lasts_ka:
            w.given("Ibf,0", "bolted current that lasts: none by which a device could act", 0.0, "kA", "motors and converters are not counted on")
            return
        by_less_ka = full_arcing_current_ka(study.bus(location), lasts_ka) * one.factor
        if by_less_ka / lasts_ka < i_arc / i_bolted:
            i_bolted, i_arc = w.given("Ibf,0", "bolted current that lasts", lasts_ka, "kA", "the same faults"), by_less_ka
            w.step(
                "Arcing current of it", "Iarc,0", "Iarc(Ibf,0)·factor", f"{f(lasts_ka, 5)} kA", i_arc, "kA", "", "Of both the one of which devices see less."
            )
    else:
        through = abs(complex(faults.flows([location.faulted], one.case).of(one.device)[0, 0, 0]))
    w.given(f"I″k({name})", f"bolted current through {name}{without}", through, "kA", "IEC 60909-0:2016, contributions of the fault")
    divides = "Arcing current divides like the bolted current; at the voltage of the device."
    of_device = replace(THROUGH, symbol=f"I({name})")
    i_device = of_device.note(w, f"Arcing current through {name}", divides, i_arc_ka=i_arc, through_ka=through, i_bolted_ka=i_bolted)
    sees = next((d.sees for d in location.devices if (d.case, d.variant, d.device) == (one.case, one.variant, one.device)), None)
    device = devices_of(net.elements)[one.device]
    device.clearing(device.along(np.asarray(i_device * 1000), sees), w)


def _lasting_ka(study: ArcFlash, location: Location, one: Variant) -> tuple[float, float]:
    """What lasts of a fault by phase, and of it through the device that decides, in the conductor that carries most [kA]."""
    assert study.phases is not None
    faulted = study.net.topology.bus_ids[location.faulted]
    flowing = study.phases.lasting(faulted, location.fault, "min" if one.case == "min" else "max")
    if flowing is None:
        return 0.0, 0.0
    return flowing.ik_ka, float(through_poles(flowing.through.get(one.device or "", {}), faulted).phase_a) / 1000


def _arc_time_by_intervals(w: Working, study: ArcFlash, location: Location, one: Variant) -> float:
    """Ways to the sources that open one after the other: what flows in each interval, and how long the first current would do for its energy. Returns ms."""
    net, followed = study.net, one.followed
    assert followed is not None
    solved = "network solved anew after each opening" + (", devices by what flows without motors" if study.bare else "")
    solved += " and by what is left of generators" if followed.falls else ""
    for k, i in enumerate(followed.intervals, 1):
        w.given(f"I{k}", f"arcing current from {f(i.from_s)} to {f(i.to_s)} s, of {f(i.i_bolted_ka)} kA bolted", i.i_fault_ka, "kA", solved)
    for d in location.devices:
        if (d.case, d.variant) == (one.case, one.variant):
            w.given(f"t({net.name(d.device)})", f"{net.name(d.device)} opens, by {f(d.i_device_ka)} kA through it", d.opens_at_s, "s", d.stage)
    note = f"With every device at the current it sees first it would be {f(followed.by_the_first_s)} s."
    name = net.name(one.device) if one.device else "no device"
    w.step("Last source cut off", "tc", "event by event, each device by what it sees", name, one.opens_at_s, "s", "", note)
    rule = "two-second rule in force" if study.settings.two_second_rule else "two-second rule not in force"
    w.step("Arc duration", "T", "the end of the last interval", rule, one.arc_time_s * 1000, "ms", f"{METHOD}, 6.9")
    of = "e(I): energy in a second with a current, by the equations below"
    return w.step(
        "Duration that counts", "T1", "Σ e(Ik)·Δtk / e(I1)", of + (", with the most that may be left of generators at its beginning" if followed.falls else ""),
        one.counts_s * 1000, "ms", "", "The first current brings the same energy in this time: energy grows evenly with time.",
    )  # fmt: skip


def _correction(w: Working, box: eq.Enclosure, voc: float) -> float:
    if not box.in_box:
        return w.step("Enclosure correction", "CF", "1 in open air", box.configuration, 1.0, "", f"{METHOD}, 4.8")
    height, width, shallow = eq.equivalent_box_in(box, voc)
    unverified = "" if box.configuration == "VCB" else " Constants of Eq. 11 and 12 unverified for this configuration."
    ees = EES.note(w, "Equivalent box", f"A {'shallow' if shallow else 'typical'} box.{unverified}", height_in=height, width_in=width)
    cf = eq.correction_of(box, voc)
    equation = "1/(b1·EES² + b2·EES + b3)" if shallow else "b1·EES² + b2·EES + b3"
    return w.step("Enclosure correction", "CF", equation, f"EES = {f(ees)} in, {box.configuration}", cf, "", f"{METHOD}, 4.8.4, Table 7")


def _energy(w: Working, box: eq.Enclosure, voc: float, ibf: float, d: float, t: float, factor: float, cf: float, quantity: str) -> None:
    if not math.isfinite(t):
        w.step("Energy", "E", "grows without end", "no device cuts the last source off", math.inf, "cal/cm²")
        w.result, w.unit = math.inf, "cal/cm²"
        return
    numbers = f"Ibf = {f(ibf, 5)} kA, G = {f(box.gap_mm)} mm, T = {f(t)} ms, CF = {f(cf)}"
    levels = eq.levels(voc, ibf, box, factor) if t > 0 else []
    if quantity == "energy_cal_cm2":
        for v, i3, i13 in levels:
            e = eq.level_energy_j_cm2(box.configuration, v, ibf, box.gap_mm, d, t, i3, i13, cf)
            w.step(
                f"Energy, {v} V level", f"E{v}", "(12.552/50)·T·10^(k1 + k2·lg G + k3·Iarc/P(Ibf) + k11·lg Ibf + k12·lg D + k13·lg Iarc + lg(1/CF))",
                f"{numbers}, D = {f(d)} mm, Iarc = {f(i13, 5)} kA" + (f", I600 = {f(i3, 5)} kA" if voc <= 0.6 else ""), e, "J/cm²",
                f"{METHOD}, 4.6, Tables 3 to 5",
            )  # fmt: skip
        e = eq.incident_energy_j_cm2(voc, ibf, box, d, t, factor)
        if voc > 0.6:
            w.step("Energy at the voltage", "E", "interpolation between the levels at V", f"V = {f(voc)} kV", e, "J/cm²", f"{METHOD}, 4.9 (Eq. 19 to 21)")
        w.result = IN_CALORIES.note(w, "Incident energy", energy_j_cm2=e)
        w.unit = "cal/cm²"
        return
    for v, i3, i13 in levels:
        b = eq.level_boundary_mm(box.configuration, v, ibf, box.gap_mm, t, i3, i13, cf)
        w.step(
            f"Boundary, {v} V level",
            f"AFB{v}",
            "10^([k1 + k2·lg G + k3·Iarc/P(Ibf) + k11·lg Ibf + k13·lg Iarc + lg(1/CF) − lg(20/T)]/(−k12))",
            numbers,
            b,
            "mm",
            f"{METHOD}, 4.7",
        )
    b = eq.boundary_mm(voc, ibf, box, t, factor)
    w.result = w.step("Boundary", "AFB", "at 1.2 cal/cm²" + (", interpolated at V" if voc > 0.6 else ""), f"V = {f(voc)} kV", b, "mm", f"{METHOD}, 4.7")
    w.unit = "mm"
