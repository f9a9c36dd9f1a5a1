"""Coordination of all devices of one state."""

from collections.abc import Iterator

import numpy as np

from northfell.core.model.elements import Relay
from northfell.core.network import Compiled
from northfell.core.network.lacking import told
from northfell.core.rules.completeness import missing
from northfell.core.studies import short_circuit
from northfell.core.studies.coordination.currents import FAULTS, Seen, seen
from northfell.core.studies.coordination.neighbours import Neighbours, Standing
from northfell.core.studies.coordination.pairs import pairs_of
from northfell.core.studies.coordination.result import Coordination, Time
from northfell.core.studies.coordination.rules import Rules
from northfell.core.studies.coordination.settings import CoordinationSettings
from northfell.core.studies.load_flow import LoadFlow
from northfell.core.studies.protection import Device, devices_of
from northfell.core.studies.short_circuit import CASES, ShortCircuit

STUDY = "coordination"


def run(net: Compiled, settings: CoordinationSettings | None = None, faults: ShortCircuit | None = None, flow: LoadFlow | None = None) -> Coordination:
    """Hold every protective device that is fed against its neighbours, and against what it carries and protects.

    A device whose settings are not complete still parts the network, but nothing is said of it, and that is told.

    Raises
    ------
    CannotRun
        If there are no fault currents.
    """
    settings = settings or net.network.settings.of(CoordinationSettings)
    faults = faults or short_circuit.run(net)
    net = faults.net
    closed = set(net.topology.closed_ids)
    every = {d: one for d, one in devices_of(net.elements).items() if d in closed}
    order = Neighbours(net, every)
    lacking = _lacking(net)
    devices = {d: one for d, one in every.items() if d not in lacking and one.is_set}
    standing = [one for one in order.standing() if one.device in devices]
    kinds = FAULTS if settings.fault == "all" else tuple(dict.fromkeys(("3ph", settings.fault)))
    buses = sorted({b for one in standing for b in order.buses[one.zone]})
    named = list(dict.fromkeys(d for one in standing for d in (one.device, *one.upstream) if d in devices))
    i = seen(net, faults, named, buses, kinds)
    listed = FAULTS if settings.fault == "all" else (settings.fault,)
    known = [Standing(s.device, s.zone, s.behind, tuple(u for u in s.upstream if u in devices), s.in_series) for s in standing]
    pairs = [pair for one in known for pair in pairs_of(one, devices, order.buses[one.zone], i, settings, listed, 0.5 / net.frequency_hz)]
    of = Rules(faults, flow, order, devices, i, settings)
    rules = [rule for one in known for rule in of.of(one)]
    times = [t for one in known for t in _times(one, devices[one.device], order.buses[one.zone], i, listed)]
    waits = tuple(line for device, lines in lacking.items() if device in closed for line in lines)
    return Coordination(net, settings, faults, devices, tuple(known), tuple(pairs), tuple(rules), tuple(times), waits)


def _lacking(net: Compiled) -> dict[str, list[str]]:
    """What devices lack, by the switch that opens."""
    found: dict[str, list[str]] = {}
    for one in missing(net.elements, STUDY, net.taking_part.values()):
        e = one.element
        found.setdefault(e.breaker if isinstance(e, Relay) else e.id, []).append(told(net, one))
    return found


def _times(one: Standing, device: Device, buses: list[int], i: Seen, kinds: tuple[str, ...]) -> Iterator[Time]:
    """For each fault the greatest and the least current in the zone."""
    for fault in kinds:
        for case in CASES:
            values = i.of(one.device, buses, fault, case)
            if not np.isfinite(values).any():
                continue
            at = int(np.nanargmax(values) if case == "max" else np.nanargmin(values))
            a = float(values[at])
            fast, slow = (float(device.opens_at_s(a, edge)) for edge in ("fast", "slow"))
            yield Time(one.device, device.clearing(a).stage, a, fast, slow, buses[at], fault, case)
