"""Heat of cables until a fault is cut off."""

import math
from dataclasses import dataclass

from northfell.core.model.elements import Cable
from northfell.core.studies.duty import equations as eq
from northfell.core.studies.duty.currents import Currents
from northfell.core.studies.duty.result import Duty
from northfell.core.studies.duty.rules import empty
from northfell.core.studies.protection import Device, Zones, devices_of, through_devices, wanted_by
from northfell.core.studies.short_circuit import CASES, Case, IecCase, at_own_buses, heat_of_direct_part, peak_factor

BY = "IEC 60364-4-43"
BLOCK = 128  # faults at a time
AT_ONCE_S = 0.05  # up to which a device opens without delay


@dataclass(frozen=True)
class Heat:
    """What a cable takes up in one fault."""

    i2t_ka2s: float
    bus: int
    i_ka: float
    t_s: float
    ends: str  # what ends it


def withstands_ka(e: Cable) -> float | None:
    """Short-time current of one cable for one second [kA]: as given, or by its make."""
    return e.i_short_time_ka or eq.cable_one_second_ka(e.conductor, e.insulation, e.area_mm2)


def heats(currents: Currents) -> dict[str, list[Heat]]:
    """Heat of each cable for three-phase faults at its ends, of the highest and of the least current, which may last longer."""
    net = currents.net
    at: dict[int, list[Cable]] = {}
    for e in net.elements.values():
        if isinstance(e, Cable) and net.topology.live.get(e.id, False) and withstands_ka(e) is not None:
            for b in (net.topology.bus_index[bus] for bus in e.buses):
                if b in currents.fed:
                    at.setdefault(b, []).append(e)
    devices = devices_of(net.elements)
    zones, wanted = Zones(net, devices), wanted_by(devices.values())
    found: dict[str, list[Heat]] = {}
    buses = list(at)
    for case in CASES if buses else ():
        at_own = at_own_buses(currents.faults.cases[case], buses)
        for start in range(0, len(buses), BLOCK):
            some = buses[start : start + BLOCK]
            flows = currents.faults.cases[case].flows(some)
            interest = [[d for d in zones.devices_of_interest(bus) if d in currents.closed] for bus in some]
            every = list(dict.fromkeys(d for of in interest for d in of))
            through = through_devices(flows, every, wanted.more, wanted.elsewhere)
            opens_at_s = {d: devices[d].opens_at_s(through.at((n,))).tolist() for n, d in enumerate(every)}
            for k, bus in enumerate(some):
                opens = {d: opens_at_s[d][k] for d in interest[k]}
                isolation = zones.isolate(bus, opens)
                t_k = 1.0 if currents.ieee else currents.faults.settings.t_k_s
                t, ends = t_k, f"{t_k:g} s: no device cuts it off"
                if isolation.device and math.isfinite(isolation.t_s):
                    t, ends = isolation.t_s, f"{net.name(isolation.device)} opens"
                limited = _let_through(devices.get(isolation.device or ""), opens.get(isolation.device or "", math.inf))
                for e in at[bus]:
                    own = at_own[net.terminals.of(e.id).start + e.buses.index(net.topology.bus_ids[bus]), 0]
                    i = abs(complex(flows.ik_ka[k, 0] + own))
                    heat = _squared(currents.faults.cases[case], bus, i, t)
                    limits = limited is not None and limited < heat
                    ends_so = f"{ends}, which lets through {limited:g} kA²s" if limits else ends
                    found.setdefault(e.id, []).append(Heat(min(heat, limited) if limited is not None else heat, bus, i, t, ends_so))
    return found


def _let_through(device: Device | None, t_s: float) -> float | None:
    """What a current-limiting device lets through where it opens at once [kA²s]."""
    return device.switch.let_through_ka2s if device is not None and t_s <= AT_ONCE_S else None


def _squared(one: Case, bus: int, i: float, t: float) -> float:
    """Heat with the direct-current part [kA²s]."""
    kappa = float(one.kappa[bus]) if isinstance(one, IecCase) else float(peak_factor(1 / float(one.x_over_r("3ph")[bus])))
    return i**2 * (float(heat_of_direct_part(kappa, one.net.frequency_hz, max(t, 1e-3))) + 1) * t


def of_cable(currents: Currents, e: Cable, heats_of_it: list[Heat]) -> Duty:
    """The worst heat against what the cable withstands."""
    one_second = withstands_ka(e)
    if one_second is None:
        field = "conductor" if e.conductor is None else "insulation" if e.insulation is None else "area_mm2"
        return empty(e, "heat", field, BY)
    if not heats_of_it:
        return Duty(e.id, "heat", basis="not fed in this state")
    worst = max(heats_of_it, key=lambda h: h.i2t_ka2s)
    rated = "as given" if e.i_short_time_ka else f"k·S, {e.conductor}, {e.insulation}"
    steps = (
        ("Current through it, all but its own part", "I", "by superposition", worst.i_ka, "kA", currents.faults.method),
        ("Duration", "t", worst.ends, worst.t_s, "s", "protection"),
    )
    basis = f"I²t until {worst.ends}, against ({rated})²·1 s"
    return Duty(e.id, "heat", (one_second * e.parallel) ** 2, worst.i2t_ka2s, "kA²s", worst.bus, "3ph", BY, basis, steps)
