"""The sheet of curves of the selected device, or one that is kept: what is drawn, and what can be taken hold of."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from dataclasses import field as dataclass_field
from functools import lru_cache

from northfell.core.errors import NorthfellError
from northfell.core.model.declare.parameters import parameter
from northfell.core.model.elements import PROTECTION, Element
from northfell.core.model.kept_beside import KeptCurves
from northfell.core.model.network import NORMAL, Network
from northfell.core.network import Compiled
from northfell.core.quantities import figure
from northfell.core.studies.coordination import (
    COORDINATION,
    NOT_REQUIRED,
    Coordination,
    CurveSheet,
    DeviceCurve,
    Pair,
    amperes_of,
    curve_sheet,
    kept_sheet,
    seconds,
    starts_of,
)
from northfell.core.studies.protection import Device, Function, devices_of, family_of, is_complete, seen_by, setting_steps
from northfell.drawing.curve_sheet import Curve, Drawn, Gap, Handle, Level, Limit, draw_sheet, note
from northfell.drawing.shapes import svg_of
from northfell.drawing.time_current import Band
from northfell.web.shell.stage import Look
from northfell.web.shell.view import View

SIZE = (500.0, 410.0)
LEAST_A = 1e-3  # less is no fault that is seen
GHOSTS = "ghosts"  # code in the address: all of the family of the selected device are drawn faintly


@dataclass(frozen=True)
class Shown:
    """A sheet as the page takes it."""

    drawn: Drawn | None  # None for a sheet that is kept and of which nothing can be drawn
    sheet: CurveSheet | None
    title: str
    gaps: list[tuple[str, str, str, str]] = dataclass_field(default_factory=list)  # above, below, gap, severity
    kept: KeptCurves | None = None
    told: list[str] = dataclass_field(default_factory=list)  # what of a kept sheet is not drawn, and why

    @property
    def ground(self) -> str:
        return svg_of(self.drawn.ground) if self.drawn else ""

    @property
    def groups(self) -> list[tuple[str, str, str]]:
        return [(device, cls, svg_of(shapes)) for device, cls, shapes in self.drawn.groups] if self.drawn else []

    @property
    def over(self) -> str:
        return svg_of(self.drawn.over) if self.drawn else ""


def device_of(found: Coordination, element: Element | None) -> str:
    """The switch whose curves are looked at: that of the selected device, or of the selected relay."""
    if isinstance(element, PROTECTION):
        return element.breaker if element.breaker in found.devices else ""
    return element.id if element is not None and element.id in found.devices else ""


def sheet_shown(look: Look) -> Shown | None:
    """The sheet that is kept under the name looked at, else that of what is selected; None where that is no device, or there is no result."""
    try:
        found: Coordination | None = look.result(COORDINATION)
    except NorthfellError:
        found = None
    device = device_of(found, look.element) if found else ""
    kept = kept_named(look.network, look.view.curves)
    ghosts = look.element if ghosts_shown(look.view) else None
    if kept is None:
        return shown_of(found, device, _as_found(look, device), look.view.fault, ghosts) if found and device else None
    try:
        net = found.net if found else look.results.at(look.view.state).compiled(COORDINATION.key)
    except NorthfellError as error:
        return Shown(None, None, kept.name, kept=kept, told=[str(error)])
    return kept_shown(net, found, kept, device, _as_found(look, device) if device in kept.devices else None, ghosts)


def ghosts_shown(view: View) -> bool:
    """Whether the others of the family of the selected device stand on the sheet."""
    return GHOSTS in view.tags.split(".")


def toggled(view: View) -> str:
    """The codes in the address with the family shown, or not any more; those of other stages stay."""
    codes = [code for code in view.tags.split(".") if code and code != GHOSTS]
    return ".".join(codes if ghosts_shown(view) else [*codes, GHOSTS])


def kept_named(network: Network, name: str) -> KeptCurves | None:
    """The sheet that is kept under a name; None where there is none."""
    return next((one for one in network.curves if one.name == name), None)


def kept_shown(
    net: Compiled, found: Coordination | None, kept: KeptCurves, device: str = "", before: Device | None = None, ghosts: Element | None = None
) -> Shown:  # fmt: skip
    """Draw a sheet that is kept."""
    sheet = kept_sheet(net, found, kept, device)
    drawn = [] if sheet is None else [one.device.switch.id for one in sheet.devices]
    told = [f"{net.name(d)} is not drawn: its settings are not complete, or it does not act in this state." for d in kept.devices if d not in drawn]
    if sheet is None:
        told = told or ["Nothing stands on this sheet yet. Select a breaker or a fuse, and put it on."]
        return Shown(None, None, kept.name, kept=kept, told=told)
    if found is None:
        told.append("There are no fault currents in this state: curves are drawn whole, and no gap is told.")
    told += [f"{one.device.name} is drawn in its own amperes: its voltage is not known." for one in sheet.devices if one.own]
    return _shown(sheet, before, kept.fault, kept.name, kept, told, ghosts)


def _as_found(look: Look, device: str) -> Device | None:
    """The device as it is installed, where a proposal sets it otherwise."""
    base = look.as_found
    if base is None:
        return None
    elements = base.in_state(look.view.state if look.view.state in base.state_names else NORMAL)
    before = devices_of(elements).get(device)
    return before if before is not None and is_complete(elements, before, COORDINATION.key) else None


def shown_of(found: Coordination, device: str, before: Device | None = None, fault: str = "3ph", ghosts: Element | None = None) -> Shown | None:
    """Draw the sheet of a device."""
    sheet = curve_sheet(found, device, fault)
    if sheet is None:
        return None
    names = [one.device.name for one in sheet.devices]
    earth = ", line to earth" if fault == "lg" else ""
    title = f"Curves from {names[0]} to {names[-1]}{earth}" if len(names) > 1 else f"Curves of {names[0]}{earth}"
    return _shown(sheet, before, fault, title, ghosts=ghosts)


def _shown(
    sheet: CurveSheet, before: Device | None, fault: str, title: str, kept: KeptCurves | None = None, told: Sequence[str] = (), ghosts: Element | None = None
) -> Shown:  # fmt: skip
    """Draw what stands on a sheet; the selected device with its handles and currents, if it is one of them, and the others of its family."""
    device, found = sheet.chosen, sheet.found
    names = {m.device: (m.x, m.y) for m in kept.moved} if kept else {}
    curves = [Curve(_band(one), d, d == device, name_at=names.get(d)) for one in sheet.devices for d in [one.device.switch.id]]
    if before is not None:
        curves = [_with_found(c, before, sheet) if c.chosen else c for c in curves]
    if ghosts is not None and device:
        others = tuple(_band_of(other, told, sheet.at[device]) for told, other in family_of(sheet.at[device].device, ghosts))
        curves = [replace(c, ghosts=others) if c.chosen else c for c in curves]
    curves = [_with_fast_trips(c, sheet.at[c.device]) for c in curves]
    position = {c.device: k for k, c in enumerate(curves)}
    gaps = [
        _gap(found, sheet, p, position)
        for p in sheet.pairs
        if found and (not device or device in (p.upstream, p.downstream)) and found.verdict(p) != NOT_REQUIRED and not math.isnan(sheet.v_ref_kv)
    ]
    limits = [Limit(one.name, one.kind, one.i_a, one.t_s) for one in sheet.limits]
    chosen = sheet.at.get(device)
    levels = [
        Level(f"{note(a)} {what}", a, cls)
        for what, a, cls in (("greatest", chosen.to_a, "most"), ("least", chosen.least_a, "least"))
        if math.isfinite(a) and a > LEAST_A
    ] if chosen else []  # fmt: skip
    unit = "A, of each device" if math.isnan(sheet.v_ref_kv) else f"A at {figure(sheet.v_ref_kv)} kV"
    drawn = draw_sheet(curves, limits, gaps, levels, handles_of(chosen) if chosen else [], SIZE, unit)
    return Shown(drawn, sheet, title, _gaps_told(sheet, found, fault) if found else [], kept, [*told, *_measures_told(sheet)])


def _measures_told(sheet: CurveSheet) -> list[str]:
    """What else devices go by than the current that the sheet is over."""
    told = []
    for name, functions in ((one.device.name, one.device.functions) for one in sheet.devices):
        if any(fn.released for fn in functions):
            told.append(f"{name} goes by voltage: drawn with what a fault of so much leaves, through a resistance (slow edge) or not.")
        for fn in functions:
            if fn.restraint:
                senders = ", ".join(sheet.net.name(d) for d, _ in fn.restraint.by)
                told.append(f"{fn.stage} waits while {senders} may see the fault, and else has its shortest delay.")
        told += [f"{name} is opened by {fn.stage}." for fn in functions if fn.measured_at]
        told += [f"{name}: {fn.stage} sees faults in its zone alone ({fn.called})." for fn in functions if fn.guards is not None and not fn.measured_at]
        told += [f"{one.device.name} closes again: gaps above it count its {r.shots} trips, of which {one.device.fast_shots} by its fast curve."
                 for one in sheet.devices if one.device.name == name and (r := one.device.reclosing)]  # fmt: skip
        ways = {"forward" if fn.looks > 0 else "reverse" for fn in functions if fn.looks}
        told += [f"{name} looks {way} (67)." for way in sorted(ways)]
    return told


def _gaps_told(sheet: CurveSheet, found: Coordination, fault: str) -> list[tuple[str, str, str, str]]:
    told = []
    for p in sorted(sheet.pairs, key=lambda p: sheet.chosen not in (p.upstream, p.downstream)):
        verdict = found.verdict(p)
        said = gap_text(p) + (" (in series)" if verdict == NOT_REQUIRED else "")
        worst = found.worst_pairs[p.upstream, p.downstream]
        if worst.fault != p.fault and (worst.fault == "lg") != (fault == "lg"):  # the other kind of fault is worse: it is told here too
            verdict = found.verdict(worst)
            said += f", {'to earth' if worst.fault == 'lg' else 'between phases'} {gap_text(worst)}"
        told.append((found.net.name(p.upstream), found.net.name(p.downstream), said, verdict if verdict in ("breach", "close") else ""))
    return told


def gap_text(p: Pair) -> str:
    """A gap in words."""
    if math.isinf(p.margin_s):
        return "sees nothing" if p.margin_s > 0 else "does not operate"
    return seconds(p.margin_s)


@lru_cache(maxsize=500)
def _band(one: DeviceCurve) -> Band:
    return Band(one.device.name + (" (own A)" if one.own else ""), one.i_a, one.fast_s, one.slow_s)


def _with_fast_trips(curve: Curve, one: DeviceCurve) -> Curve:
    """Beside a recloser the curve of its fast trips."""
    n = one.device.fast_shots
    return replace(curve, ghosts=(*curve.ghosts, _band_of(one.device.by_fast_curve, f"fast trip{'s' if n > 1 else ''}", one))) if n else curve


def _with_found(curve: Curve, before: Device, sheet: CurveSheet) -> Curve:
    one = sheet.at[curve.device]
    if before == one.device:
        return curve
    return replace(curve, as_found=_band_of(before, before.name, one))


def _band_of(device: Device, name: str, one: DeviceCurve) -> Band:
    """The band of a device in the place of one that stands on the sheet."""
    i = amperes_of(starts_of(device, one.sees), one.to_a / one.factor, 200)
    through = device.along(i, one.sees)
    return Band(name, i * one.factor, device.once.opens_at_s(through, "fast"), device.once.opens_at_s(through))


def _gap(found: Coordination, sheet: CurveSheet, p: Pair, position: dict[str, int]) -> Gap:
    verdict = found.verdict(p)
    lower, upper = sheet.at[p.downstream], sheet.at[p.upstream]
    return Gap(
        gap_text(p), verdict if verdict in ("breach", "close") else "", (1000 * p.i_ka * lower.factor, p.t_lower_s),
        (1000 * p.i_upper_ka * upper.factor, p.t_upper_s), position[p.downstream], position[p.upstream], p.required_s,
    )  # fmt: skip


def handles_of(one: DeviceCurve) -> list[Handle]:
    """What of a device can be set by hand on the sheet: each pickup by its current, each delay by its time."""
    made: list[Handle] = []
    for fn in one.device.functions:
        made += _handles(one, fn)
    return made


def _handles(one: DeviceCurve, fn: Function) -> list[Handle]:
    """A stage that follows the voltage is no place on the sheet: it is set in the table."""
    if fn.measured_at:
        return []
    part = 1.0 if fn.measures == "phase" else float(seen_by(fn.measures, one.sees) / one.sees.phase_a) if one.sees else 0.0
    if part <= 0:
        return []
    e, f = fn.holder, one.factor / part
    found = []
    for field, (axis, at_multiple) in HOLDS.get(fn.code, {}).items():
        value = getattr(e, field)
        declared = parameter(type(e), field)
        if value is None or (isinstance(value, str) and not value) or fn.released or not (declared and declared.acts(e.__dict__)):
            continue
        i_a = fn.curve.pickup_a * at_multiple
        own = fn.curve.time_s(i_a if axis == "y" else fn.curve.from_a("slow") * 1.02) + fn.adds_s
        t_s = float(own)
        if axis == "x":
            i_a, t_s = fn.curve.pickup_a, min(max(t_s, 0.02), 600.0)
        step, choices = setting_steps(e, field)
        unit = "A" if axis == "x" else "" if field.endswith("multiplier") else "s"
        where = i_a * f, t_s if math.isfinite(t_s) else 100.0
        found.append(Handle(e.id, field, axis, where, float(value), step, unit, _label(e, field), choices, fn.adds_s if axis == "y" else 0.0))
    return found


def _label(e: Element, field: str) -> str:
    declared = parameter(type(e), field)
    return declared.label if declared else field


# code of a function -> field that can be held: axis, multiple of pickup at which the handle stands
HOLDS: dict[str, dict[str, tuple[str, float]]] = {
    "51": {"i_pickup_a": ("x", 1.0), "time_multiplier": ("y", 3.0)},
    "50": {"i_high_a": ("x", 1.0), "t_high_s": ("y", 1.5)},
    "51N": {"i_earth_pickup_a": ("x", 1.0), "earth_multiplier": ("y", 3.0)},
    "50N": {"i_earth_high_a": ("x", 1.0), "t_earth_high_s": ("y", 1.5)},
    "trip L": {"trip_ir_a": ("x", 1.0), "trip_tr_s": ("y", 2.0)},
    "trip S": {"trip_isd_a": ("x", 1.0), "trip_tsd": ("y", 1.5)},
    "trip G": {"trip_ig_a": ("x", 1.0), "trip_tg": ("y", 1.5)},
    "trip I": {"trip_ii_a": ("x", 1.0)},
    "thermal": {"trip_ir_a": ("x", 1.0)},
    "magnetic": {"trip_im_a": ("x", 1.0)},
    "fuse link": {"i_rated_a": ("x", 1.0)},
}
