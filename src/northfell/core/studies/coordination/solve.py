"""Coordination of all devices of one state."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np

from northfell.core.network import Compiled
from northfell.core.studies import short_circuit
from northfell.core.studies.coordination.currents import FAULTS, Currents, seen
from northfell.core.studies.coordination.neighbours import Neighbours, Standing
from northfell.core.studies.coordination.pairs import pairs_of
from northfell.core.studies.coordination.result import Coordination, Time
from northfell.core.studies.coordination.rules import Held, Rules, held_against
from northfell.core.studies.coordination.settings import CoordinationSettings
from northfell.core.studies.load_flow import LoadFlow
from northfell.core.studies.protection import EDGES, Device, devices_of, lacking_of
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
    lacking = lacking_of(net, STUDY)
    devices = {d: one for d, one in every.items() if d not in lacking}
    standing = past_those_that_look_away([one for one in order.standing() if one.device in devices], order, devices)
    kinds = FAULTS if settings.fault == "all" else tuple(dict.fromkeys(("3ph", settings.fault)))
    buses = sorted({b for one in standing for b in order.buses[one.zone]})
    named = list(dict.fromkeys(d for one in standing for d in (one.device, *one.upstream) if d in devices))
    i = seen(net, faults, {d: devices[d] for d in named}, buses, kinds)
    listed = FAULTS if settings.fault == "all" else (settings.fault,)
    known = tuple(Standing(s.device, s.zone, s.behind, tuple(u for u in s.upstream if u in devices), s.in_series) for s in standing)
    waits = tuple(line for device, lines in lacking.items() if device in closed for line in lines)
    return _Held(faults, flow, order, i, settings, known, listed, waits, held_against(net, order))(devices)


def past_those_that_look_away(standing: list[Standing], order: Neighbours, devices: Mapping[str, Device]) -> list[Standing]:
    """In the place of a device above that looks away from what is below it, those that stand above that one: it sees nothing of a fault there."""
    by = {(one.device, one.zone): one for one in standing}

    def above(one: Standing, passed: tuple[str, ...] = ()) -> list[str]:
        found: list[str] = []
        for upper in one.upstream:
            beyond = by.get((upper, one.behind))
            if beyond and upper not in passed and devices[upper].looks_away(order.way(upper, one.behind)):
                found += above(beyond, (*passed, upper))
            else:
                found.append(upper)
        return list(dict.fromkeys(found))

    made = []
    for one in standing:
        upper = tuple(u for u in above(one) if u != one.device)
        made.append(one if upper == one.upstream else replace(one, upstream=upper, in_series=False))
    return made


@dataclass(frozen=True)
class _Held:
    """What does not depend on how devices are set: holds devices against it, once or again with one of them set otherwise."""

    faults: ShortCircuit
    flow: LoadFlow | None
    order: Neighbours
    i: Currents
    settings: CoordinationSettings
    standing: tuple[Standing, ...]
    kinds: tuple[str, ...]
    waits: tuple[str, ...]
    held: Held

    def __call__(self, devices: Mapping[str, Device], changed: frozenset[str] = frozenset(), before: Coordination | None = None) -> Coordination:
        """The coordination of devices; with `before`, what has nothing to do with those that changed is taken from there."""
        rules = Rules(self.faults, self.flow, self.order, devices, self.i, self.settings, self.held, self.standing)
        half_cycle_s = 0.5 / self.faults.net.frequency_hz
        kept = before or Coordination(self.faults.net, self.settings, self.faults, devices, (), (), (), ())
        again = [s for s in self.standing if before is None or not changed.isdisjoint((s.device, *s.upstream))]
        alone = [s for s in self.standing if before is None or s.device in changed]
        touched = {(above, s.device) for s in again for above in s.upstream}
        pairs = [p for p in kept.pairs if (p.upstream, p.downstream) not in touched]
        settled, anew = tuple({key: p for key, p in of.items() if key not in touched} for of in kept.worst), len(pairs)
        for one in again:
            if self._looks_away(one, devices):
                continue
            pairs += pairs_of(one, devices, self.order.buses[one.zone], self.i, self.settings, self.kinds, half_cycle_s)
        of_rules = [r for r in kept.rules if r.device not in changed] + [rule for one in alone for rule in rules.of(one)]
        times = [t for t in kept.times if t.device not in changed]
        facing = [one for one in alone if not self._looks_away(one, devices)]
        times += [t for one in facing for t in _times(one, devices[one.device], self.order.buses[one.zone], self.i, self.kinds)]
        return Coordination(
            self.faults.net, self.settings, self.faults, devices, self.standing, tuple(pairs), tuple(of_rules), tuple(times), self.waits, self,
            (settled[0], settled[1]), anew, {of: curve for of, curve in dict(kept.drawn).items() if of[0] not in changed},
        )  # fmt: skip

    def _looks_away(self, one: Standing, devices: Mapping[str, Device]) -> bool:
        """Whether faults in a zone are none of a device's own."""
        return devices[one.device].looks_away(self.order.way(one.device, one.zone))


def _times(one: Standing, device: Device, buses: list[int], i: Currents, kinds: tuple[str, ...]) -> Iterator[Time]:
    """For each fault the greatest and the least current in the zone."""
    for fault in kinds:
        for case in CASES:
            values = i.of(one.device, buses, (fault, case))
            if not np.isfinite(values.phase_a).any():
                continue
            at = int(np.nanargmax(values.phase_a) if case == "max" else np.nanargmin(values.phase_a))
            through = values.at(at)
            fast, slow = (float(device.opens_at_s(through, edge)) for edge in EDGES)
            stage = device.clearing(through).stage
            yield Time(one.device, stage, float(through.phase_a), fast, slow, buses[at], fault, case, through)
