"""The gap between two devices: from the end of clearing below to the earliest order above, over all currents that both see."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from northfell.core.model.elements import Fuse
from northfell.core.studies.coordination.currents import Currents
from northfell.core.studies.coordination.neighbours import Standing
from northfell.core.studies.coordination.settings import CoordinationSettings
from northfell.core.studies.protection import EDGES, Device, Through
from northfell.core.studies.short_circuit import CASES, Floats

SHARES = 60  # currents at which a pair is compared, from where the lower device picks up to the fault current


@dataclass(frozen=True)
class Interval:
    """What a pair of devices is held to: a time, or a share of the upper one's own."""

    least_s: float
    of_upper: float  # share of the upper device's time that is to remain
    basis: str

    def required_s(self, t_upper_s: Floats) -> Floats:
        return np.asarray(self.least_s + self.of_upper * np.where(np.isfinite(t_upper_s), t_upper_s, 0.0))


@dataclass(frozen=True)
class Pair:
    """Two devices for one type of fault and case, where their gap is least against what is required."""

    upstream: str
    downstream: str
    fault: str
    case: str
    bus: int  # where the fault is
    i_ka: float  # through the lower device, where the gap is least
    i_upper_ka: float  # through the upper one then
    i_fault_ka: float  # through the lower device, of the bolted fault
    t_lower_s: float  # the lower one has opened, at the latest
    t_upper_s: float  # the upper one gives its order, at the earliest
    required_s: float
    interval: Interval
    in_series: bool
    sees: tuple[Through, Through]  # the lower and the upper one, then

    @property
    def margin_s(self) -> float:
        """The gap; infinite where the upper one sees nothing, minus infinite where the lower one never opens."""
        if math.isinf(self.t_upper_s):
            return math.inf
        return self.t_upper_s - self.t_lower_s

    @property
    def short_s(self) -> float:
        """By how much the gap is shorter than required; negative where there is more."""
        return self.required_s - self.margin_s


def kind_of(device: Device) -> str:
    """How the tables of intervals call a device."""
    if isinstance(device.switch, Fuse):
        return "fuse"
    if device.relays:
        return "electromechanical relay" if any(r.technology == "electromechanical" for r in device.relays) else "static relay"
    return "breaker with a trip of its own"


def interval_of(lower: Device, upper: Device, settings: CoordinationSettings) -> Interval:
    """The interval that a pair is held to, with its source."""
    below, above = kind_of(lower), kind_of(upper)
    if above.endswith("relay"):
        disk = above.startswith("electro")
        least = (settings.interval_disk_s if disk else settings.interval_static_s) + settings.untested_s
        return Interval(least, 0.0, f"{least:g} s from cleared below to ordered above, {above} (IEEE 242, Table 15-3)")
    if below == above == "fuse":
        return Interval(0.0, 1 - settings.fuse_share_pct / 100, f"cleared within {settings.fuse_share_pct:g} % of the melting time above (IEEE 242)")
    return Interval(0.0, 0.0, "bands clear of each other (IEEE 242)")


def pairs_of(
    one: Standing, devices: Mapping[str, Device], buses: list[int], i: Currents, settings: CoordinationSettings, kinds: tuple[str, ...], half_cycle_s: float
) -> list[Pair]:  # fmt: skip
    """A device with each that stands before it, for every fault and case that is known: of all buses of the zone the one with the least gap.

    Between two fuses their times below half a cycle stand for heat, and are compared as such; beside anything else no fuse is quicker than that.
    """
    found = []
    lower, faults = devices[one.device], [(fault, case) for fault in kinds for case in CASES]
    for above in one.upstream:
        upper = devices[above]
        interval = interval_of(lower, upper, settings)
        i_lower, i_upper = (i.of(d, buses, *faults) for d in (one.device, above))
        for at, found_at in _tightest(lower, upper, i_lower, i_upper, interval, 0.0 if interval.of_upper else half_cycle_s, len(buses)):
            (fault, case), bus = faults[at // len(buses)], buses[at % len(buses)]
            found.append(Pair(above, one.device, fault, case, bus, **found_at, interval=interval, in_series=one.in_series))
    return found


def _tightest(
    lower: Device, upper: Device, i_lower: Through, i_upper: Through, interval: Interval, least_s: float, buses: int
) -> Iterator[tuple[int, dict[str, Any]]]:  # fmt: skip
    """For each fault and case, of so many buses each: the place and current at which the gap falls shortest of what is required.

    Nothing where neither device sees anything.

    Below the bolted current both devices are compared at the same share of theirs, down to where the lower one is sure to operate: a fault
    through a resistance or an arc. Where at the bolted current the lower one does not operate, but the upper one may, there is no gap.
    """
    known = np.flatnonzero(np.isfinite(i_lower.phase_a) & np.isfinite(i_upper.phase_a) & (i_lower.phase_a > 0))
    if not len(known):
        return
    down, up = i_lower.at(known), i_upper.at(known)
    least = _sure_from(lower, down)
    shares = least[:, None] ** np.linspace(1.0, 0.0, SHARES)[None, :]
    shares = np.concatenate([shares, _steps(lower, down), _steps(upper, up)], axis=1)
    shares = np.where((shares >= least[:, None]) & (shares <= 1), shares, 1.0)
    t_lower = np.maximum(lower.opens_at_s(down.at((slice(None), None)).times(shares)), least_s)
    t_upper = orders_above(upper, lower, up.at((slice(None), None)).times(shares))
    required = interval.required_s(t_upper)
    with np.errstate(invalid="ignore"):
        short = np.where(np.isfinite(t_upper), required - (t_upper - t_lower), -np.inf)
    along, most = short.argmax(axis=1), short.max(axis=1)
    ends = np.flatnonzero(np.diff(known // buses, append=-1)) + 1
    for start, end in zip([0, *ends[:-1]], ends, strict=True):
        bus = start + int(most[start:end].argmax())
        at = SHARES - 1 if np.isneginf(most[bus]) else int(along[bus])  # the bolted fault, where the upper one sees nothing of any
        share = float(shares[bus, at])
        yield (
            int(known[bus]),
            {
                "i_ka": float(down.phase_a[bus]) * share / 1000,
                "i_upper_ka": float(up.phase_a[bus]) * share / 1000,
                "sees": (down.at(bus).times(share), up.at(bus).times(share)),
                "i_fault_ka": float(down.phase_a[bus]) / 1000,
                "t_lower_s": float(t_lower[bus, at]),
                "t_upper_s": float(t_upper[bus, at]),
                "required_s": float(required[bus, at]),
            },
        )


def orders_above(upper: Device, lower: Device, i: Through) -> Floats:
    """When the upper device gives its order at the earliest; the fast trips of a recloser before a fuse are meant to save it, and close again."""
    t = upper.once.orders_at_s(i, "fast")
    if upper.fast_shots and not isinstance(lower.switch, Fuse):
        t = np.minimum(t, upper.by_fast_curve.orders_at_s(i, "fast"))
    return t


def _sure_from(device: Device, i: Through) -> Floats:
    """The least share of currents (bus,) at which a device is sure to operate, by any stage; at most 1."""
    return np.asarray(np.clip(np.min([fn.begins_at(i, "slow") for fn in device.functions], axis=0) * (1 + 1e-9), 1e-6, 1.0))


def _steps(device: Device, i: Through) -> Floats:
    """Shares of currents (bus, step) just below and just above each place where a stage begins: there the gap may jump."""
    around = [fn.begins_at(i, edge) * side for fn in device.functions for edge in EDGES for side in (1 - 1e-9, 1 + 1e-9)]
    return np.stack(around, axis=1)
