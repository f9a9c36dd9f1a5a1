"""What each stage shows on the sheet: results become tags. Limits come from the project's settings."""

import math

from northfell.core.findings import severity_of
from northfell.core.model.elements import Bus, Compensation, InductionMotor, StaticLoad, Switching, SynchronousMotor
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure, fixed
from northfell.core.studies.arc_flash import ArcFlash
from northfell.core.studies.load_flow import LoadFlow
from northfell.core.studies.short_circuit import ShortCircuit
from northfell.drawing.words import Tag

SHADES = 4  # steps of the voltage scale on each side of nominal


def flow_tags(flow: LoadFlow, limits: Limits) -> dict[str, Tag]:
    """Voltages on boards with their shade, power and loading on branches, power on what draws it."""
    tags: dict[str, Tag] = {}
    for e in flow.net.elements.values():
        if isinstance(e, Bus):
            if e.bus_kind != "junction" and (tag := _voltage_tag(flow, e, limits)):
                tags[e.id] = tag
        elif e.id in flow.terminal_power:
            s = flow.terminal_power[e.id][0]
            if math.isnan(s.real):
                continue
            if len(e.TERMINALS) == 1:
                value = (figure(abs(s.imag), 3), "Mvar") if isinstance(e, Compensation) else (figure(abs(s.real), 3), "MW")
                extra = () if isinstance(e, Compensation | InductionMotor | SynchronousMotor | StaticLoad) else ((figure(-s.imag, 3), "Mvar"),)
                tags[e.id] = Tag((value, *extra))
                continue
            one = flow.loading(e)
            severity = severity_of(one.pct, limits.loading_close_pct, limits.loading_breach_pct) or "" if one.pct is not None else ""
            if isinstance(e, Switching):
                if severity:
                    tags[e.id] = Tag(((fixed(one.pct, 0), "%"),), severity)
                continue
            lines = [(figure(abs(s.real), 3), "MW")]
            if one.pct is not None:
                lines.append((fixed(one.pct, 1), "%"))
            tags[e.id] = Tag(tuple(lines), severity, one.pct / 100 if one.pct is not None else None)
    return tags


def _voltage_tag(flow: LoadFlow, bus: Bus, limits: Limits) -> Tag | None:
    at = flow.net.topology.bus_index[bus.id]
    v = abs(complex(flow.v[at]))
    if math.isnan(v):
        return None
    deviation = 100 * (v - 1)
    severity = severity_of(abs(deviation), limits.voltage_close_pct, limits.voltage_breach_pct) or ""
    kv = v * float(flow.net.v_nominal_kv[at])
    lines = ((figure(kv), "kV"),) if math.isfinite(kv) else ()
    return Tag((*lines, (fixed(v, 3), "p.u.")), severity, shade=voltage_shade(deviation, limits))


def voltage_shade(deviation_pct: float, limits: Limits) -> str:
    """Class of a board's band: steps toward the low or the high end of the scale."""
    step = min(SHADES, round(SHADES * abs(deviation_pct) / limits.voltage_breach_pct))
    return "" if step == 0 else f"{'high' if deviation_pct > 0 else 'low'}-{step}"


def fault_tags(faults: ShortCircuit, selected: str) -> dict[str, Tag]:
    """Currents at boards; for a selected bus, what each branch and source brings."""
    tags: dict[str, Tag] = {}
    net, top = faults.net, faults.net.topology
    for i in faults.fed_buses():
        bus = net.elements[top.bus_ids[i]]
        if isinstance(bus, Bus) and bus.bus_kind != "junction":
            one = faults.cases["max"]
            tags[bus.id] = Tag(((figure(float(one.ik_ka[i]), 3), "kA"), (figure(float(one.ip_ka[i]), 3), "peak")))
    at = top.bus_index.get(selected)
    if at is not None and top.fed_bus(at):
        flows = faults.flows([at], "max")
        for element_id, currents in flows.terminals.items():
            e = net.elements[element_id]
            largest = float(max(abs(currents[:, 0])))
            if largest > 0.0005 * float(faults.cases["max"].ik_ka[at]) and not isinstance(e, Switching):
                tags[element_id] = Tag(tuple((figure(abs(complex(c)), 3), "kA") for c in currents[:, 0]))
    return tags


def arc_flash_tags(study: ArcFlash, limits: Limits) -> dict[str, Tag]:
    """The worst energy of each board's sides in the state shown."""
    tags: dict[str, Tag] = {}
    for one in study.locations:
        if one.worst is None or not math.isfinite(one.worst.energy_cal_cm2):
            continue
        energy = one.worst.energy_cal_cm2
        severity = severity_of(energy, limits.energy_close_cal_cm2, limits.energy_breach_cal_cm2) or ""
        before = tags.get(one.bus_id)
        line = (figure(energy, 3), f"{one.side} cal/cm²" if study.bus(one).main else "cal/cm²")
        worse = severity if before is None or severity == "breach" or (severity and not before.severity) else before.severity
        earlier = tuple((text, unit.removesuffix(" cal/cm²")) for text, unit in before.lines) if before else ()  # the unit once is enough
        tags[one.bus_id] = Tag((*earlier, line), worse)
    return tags
