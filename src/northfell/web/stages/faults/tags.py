"""What the Faults stage shows on the sheet: currents at boards and through what feeds a fault, the voltage left while it lasts, and duties."""

import math

import numpy as np

from northfell.core.model.elements import Bus, Element, Switching
from northfell.core.quantities import figure, fixed
from northfell.core.studies.duty import DUTY, Duties
from northfell.core.studies.short_circuit import SHORT_CIRCUIT, TO_EARTH, Flows, ShortCircuit, as_phases
from northfell.drawing.words import Tag
from northfell.web.shell.stage import Look

SEEN = 0.0005  # part of the fault current that something must carry to have a tag
SHADES = 4
IN_KA = 0.1  # from this current on it is told in kA


def fault_tags(look: Look) -> dict[str, Tag]:
    """By the tab that is open: duties, or currents and, where a bus is selected, what flows and what voltage is left."""
    if look.view.shown_tab == "duty":
        return duty_tags(look.result(DUTY))
    faults: ShortCircuit = look.result(SHORT_CIRCUIT)
    at = faults.net.topology.bus_index.get(look.view.selected)
    fault = look.view.fault
    faulted = at is not None and faults.net.topology.fed_bus(at) and not (fault in TO_EARTH and faults.earth_faults_lack(at))
    if not faulted or at is None:
        return board_tags(faults, fault, look.view.case)
    flows = faults.flows([at], look.view.case, fault)
    during = look.view.shown_tab == "during"
    tags = during_tags(faults, flows, at) if during else board_tags(faults, fault, look.view.case)
    return tags | brought_tags(faults, flows, at, fault)


def board_tags(faults: ShortCircuit, fault: str, case: str) -> dict[str, Tag]:
    """The current and the peak at every board."""
    ik, ip = faults.figures("ik_ka", fault, case), faults.figures("ip_ka", fault, case)
    tags: dict[str, Tag] = {}
    for b in faults.fed_buses():
        e = faults.net.elements[faults.net.topology.bus_ids[b]]
        if isinstance(e, Bus) and e.bus_kind != "junction" and ik is not None and ip is not None and math.isfinite(float(ik[b])):
            tags[e.id] = Tag(((figure(float(ik[b]), 3), "kA"), (figure(float(ip[b]), 3), "peak")))
    return tags


def brought_tags(faults: ShortCircuit, flows: Flows, at: int, fault: str) -> dict[str, Tag]:
    """What every branch and source carries, with the way it flows: toward the fault."""
    net, tags = faults.net, dict[str, Tag]()
    least = SEEN * abs(complex(flows.ik_ka[0, 0])) * float(net.v_nominal_kv[at])
    for e in net.terminals.elements:
        if isinstance(e, Bus):
            continue
        currents = flows.largest_of(e.id)[:, 0]
        powers = [float(i) * float(net.v_nominal_kv[net.topology.bus_index[b]]) for i, b in zip(currents, e.buses, strict=True)]
        if max(powers, default=0.0) <= least:
            continue
        toward = _toward(net.topology.bus_index[e.buses[0]], e, flows)
        if isinstance(e, Switching):
            tags[e.id] = Tag(toward=toward)
        else:
            tags[e.id] = Tag(_unlike(currents), toward=toward)
    return tags


def _unlike(currents: np.ndarray) -> tuple[tuple[str, str], ...]:
    """Currents at the terminals, one where they are the same."""
    told = tuple((figure(float(c), 3), "kA") if c >= IN_KA else (figure(1000 * float(c), 3), "A") for c in currents)
    return told[:1] if len(set(told)) == 1 else told


def _toward(bus: int, e: Element, flows: Flows) -> int:
    """1 where the current flows into the first terminal: fault currents carry reactive power from the sources."""
    s = flows.before_pu[bus, 0] * np.conj(flows.of(e.id)[0, 0, 0])
    return 0 if abs(s.imag) < 1e-12 else 1 if s.imag > 0 else -1


def during_tags(faults: ShortCircuit, flows: Flows, at: int) -> dict[str, Tag]:
    """The voltage left at every board, shaded by it; in phases where they differ."""
    net, tags = faults.net, dict[str, Tag]()
    for b in faults.fed_buses():
        e = net.elements[net.topology.bus_ids[b]]
        if not isinstance(e, Bus) or (e.bus_kind == "junction" and b != at):
            continue
        phases = left_of(flows, b)
        least = float(phases.min())
        told = fixed(100 * least, 0) if flows.fault == "3ph" else "·".join(fixed(100 * float(p), 0) for p in phases)
        lines = ((told, "% left" if flows.fault == "3ph" else "% a·b·c"),)
        tags[e.id] = Tag(lines, shade=left_shade(least))
    return tags


def left_of(flows: Flows, bus: int) -> np.ndarray:
    """Voltage left in each phase to earth, of that before the fault."""
    before = abs(flows.before_pu[bus, 0])
    return np.asarray(np.abs(as_phases(flows.voltages_pu[bus, 0])) / before if before else np.zeros(3))


def left_shade(left_pu: float) -> str:
    """Class of a board's band: the less is left, the further toward low."""
    step = min(SHADES, math.ceil(SHADES * max(0.0, 1 - left_pu) - 0.2))
    return f"low-{step}" if step > 0 else ""


def duty_tags(duties: Duties) -> dict[str, Tag]:
    """The worst duty of each element, of its rating; what is not assessed says so."""
    tags: dict[str, Tag] = {}
    for element_id, rows in duties.of.items():
        one, e = rows[0], duties.net.elements[element_id]
        verdict = duties.verdict(one)
        severity = verdict if verdict in ("breach", "close") else ""
        small = isinstance(e, Switching)  # there is room for those alone that are near their rating or beyond it
        if one.pct is not None and (severity or not small):
            tags[element_id] = Tag(((fixed(one.pct, 0), "%"),), severity, bar=None if small else round(one.pct / 100, 2))
        elif one.pct is None and one.rating is None and "empty" in one.basis and not small:
            tags[element_id] = Tag((), "missing")
    return tags
