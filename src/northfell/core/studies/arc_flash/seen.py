"""What devices see of the arcs at all places of work, and when they open by that: by the first currents, and by what is left of them."""

import cmath
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import cast

import numpy as np

from northfell.core.errors import InputRefused
from northfell.core.model.by_element import ByElement
from northfell.core.model.elements import Bus, Element, Inverter, SynchronousGenerator
from northfell.core.network import Compiled
from northfell.core.network.lacking import told as lacking_told
from northfell.core.rules.completeness import missing
from northfell.core.studies import short_circuit
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash import equations as eq
from northfell.core.studies.arc_flash.settings import ArcFlashSettings
from northfell.core.studies.protection import (
    Asked,
    Device,
    Isolation,
    Solved,
    Through,
    TripOrder,
    Zones,
    beside,
    follow,
    lacking_of,
    through_devices,
    wanted_by,
)
from northfell.core.studies.short_circuit import CASES, Flows, ShortCircuit, falls, left_of, most_left, without_motors

INSTANTS_S = (0.02, 0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.6, 0.8, 1.0, 1.5, 2.0, 3.0, 5.0)  # up to which currents of generators are those at the end
WORTH_TELLING = 0.05  # of a fault
SAME_S = 1e-6  # times that are taken as the same

At = tuple[int, int, int]  # place, case, variant


@dataclass(frozen=True)
class Place:
    """A location before it is computed: the bus with the enclosure, and the bus that is electrically faulted."""

    bus: int  # whose enclosure, name and label it is
    faulted: int  # the far side of the main for the line side
    side: str  # load, or line of the first main, line 2 and 3 of further ones
    waits: tuple[str, ...] = ()  # what keeps it back, and it alone
    configuration: str = ""  # one of several that are found in it; empty: its first


def enclosure_of(bus: Bus) -> eq.Enclosure:
    """The enclosure data of a bus as the equations take them."""
    return _ENCLOSURES.of(bus)


def _enclosure(bus: Bus) -> eq.Enclosure:
    sizes = [math.nan if v is None else v for v in (bus.box_height_mm, bus.box_width_mm, bus.box_depth_mm)]
    return eq.Enclosure(bus.electrode_configuration or "", bus.gap_mm or math.nan, *sizes)


_ENCLOSURES: ByElement[Bus, eq.Enclosure] = ByElement(_enclosure)  # asked for with each current


def board_of(net: Compiled, place: Place) -> Bus:
    """The board of a place, with the electrodes that are meant."""
    bus = cast(Bus, net.elements[net.topology.bus_ids[place.bus]])
    return bus.with_configuration(place.configuration)


def in_range(bus: Bus, settings: ArcFlashSettings) -> bool:
    """Whether a method covers the voltage of a bus."""
    v = bus.v_nominal_kv or math.nan
    return by.V_RANGE_KV[0] <= v and (v <= by.V_RANGE_KV[1] or settings.beyond == "Lee")


def lacking(net: Compiled) -> tuple[dict[str, list[str]], dict[str, list[str]]]:
    """What this study lacks beyond the fault currents: of enclosures, by bus; of devices, by the switch that opens."""
    of_places: dict[str, list[str]] = {}
    for one in missing(net.elements, "arc_flash", net.taking_part.values()):
        if isinstance(one.element, Bus):
            of_places.setdefault(one.element.id, []).append(lacking_told(net, one))
    return of_places, lacking_of(net, "arc_flash")


def reduction(settings: ArcFlashSettings, bus: Bus) -> float:
    """Factor of the reduced arcing current at a bus: by the standard's variation, or the engineer's own share; beyond the model, by that share."""
    if settings.variation == "own share" or by.by_lee(bus.v_nominal_kv or math.nan):
        return 1 - settings.variation_pct / 100
    return 1 - 0.5 * eq.variation_factor(bus.electrode_configuration or "", bus.v_nominal_kv or math.nan)


def full_arcing_current_ka(bus: Bus, ibf_ka: float) -> float:
    """Full arcing current; nan where the model gives none."""
    try:
        return by.arcing_current_ka(bus.v_nominal_kv or math.nan, ibf_ka, enclosure_of(bus))
    except InputRefused:
        return math.nan


class Places:
    """All places of a state that are computed, with the devices that may cut them off."""

    def __init__(self, net: Compiled, settings: ArcFlashSettings, devices: Mapping[str, Device], zones: Zones, places: list[Place]) -> None:
        self.net, self.devices, self.zones, self.all = net, devices, zones, places
        self.boards = [board_of(net, p) for p in places]
        self.factor = [reduction(settings, bus) for bus in self.boards]
        self.interest = [
            list(dict.fromkeys((*zones.devices_of_interest(p.faulted), *zones.met_first(zones.zone_of_bus[p.faulted])))) for p in places
        ]  # fmt: skip
        closed = set(net.topology.closed_ids)
        self.of_device: dict[str, list[int]] = {d: [] for d in devices if d in closed}  # the places that a device is asked about
        for k in range(len(places)):
            for d in self.interest[k]:
                if d in self.of_device:
                    self.of_device[d].append(k)


class Currents:
    """Arcing currents at all places, what devices see of them and when they open, by some sets of flows: (place, set, variant)."""

    def __init__(self, places: Places, flows: Sequence[Flows]) -> None:
        self.places, self.flows = places, flows
        n = len(places.all)
        self.ibf_ka = np.stack([np.abs(f.ik_ka[:, 0]) for f in flows], axis=1) if n else np.zeros((0, len(flows)))
        i_arc = [[full_arcing_current_ka(bus, i) for i in row] for bus, row in zip(places.boards, self.ibf_ka.tolist(), strict=True)]
        factors = np.array([[1.0, f] for f in places.factor]).reshape(n, 1, 2)
        self.i_arc_ka = np.array(i_arc).reshape(n, len(flows), 1) * factors
        share = np.nan_to_num(self.i_arc_ka / self.ibf_ka[:, :, None])  # of which the model gives nothing no device is to be counted on
        wanted = wanted_by(places.devices.values())
        carried = list(places.of_device)
        seen = beside([through_devices(f, carried, wanted.more, wanted.elsewhere).at((..., None)) for f in flows], (len(carried), 0, 0))
        self.row_at: dict[str, dict[int, int]] = {}  # of a device: where a place stands in the following
        self.through: dict[str, Through] = {}
        self.opens_at_s: dict[str, np.ndarray] = {}
        self.first_at: dict[str, np.ndarray] = {}
        self._times: dict[str, list[list[float]]] = {}  # when each opens, by place, set and variant one after the other
        for row, (d, asked) in enumerate(places.of_device.items()):
            if asked:
                self.row_at[d] = {k: at for at, k in enumerate(asked)}
                through = self.through[d] = seen.at((row, asked, slice(None), None)).times(share[asked], arc=True)
                self.opens_at_s[d], self.first_at[d] = places.devices[d].interrupts(through)
                self._times[d] = self.opens_at_s[d].reshape(len(asked), -1).tolist()
        self._isolated: dict[int, tuple[list[Isolation], list[float]]] = {}

    def isolated(self, k: int) -> tuple[list[Isolation], list[float]]:
        """When a place is cut off, and when the first device on its ways opens, by set and variant, one after the other."""
        if k not in self._isolated:
            times = {d: self._times[d][self.row_at[d][k]] for d in self.places.interest[k] if d in self.row_at}
            cut_off = self.places.zones.isolate_each(self.places.all[k].faulted, times, 2 * len(self.flows))
            self._isolated[k] = cut_off, [min(each) for each in zip(*times.values(), strict=True)] or [math.inf] * len(cut_off)
        return self._isolated[k]


class ByCurrents:
    """The same by one study of faults, of which each case is one of the sets: (place, case, variant)."""

    def __init__(self, every: Currents, faults: ShortCircuit, sets: Sequence[int]) -> None:
        self.every, self.places, self.faults, self.sets = every, every.places, faults, sets
        self.flows = [every.flows[k] for k in sets]
        self.ibf_ka, self.i_arc_ka = every.ibf_ka[:, sets], every.i_arc_ka[:, sets]

    def sees(self, device: str, at: At) -> bool:
        """Whether a device carries anything that is to be asked about at a place."""
        return device in self.every.row_at and at[0] in self.every.row_at[device]

    def _row(self, device: str, at: At) -> At:
        return self.every.row_at[device][at[0]], self.sets[at[1]], at[2]

    def among(self, device: str, at: At) -> tuple[Through, At]:
        """What a device sees at all places that it is asked about, and where this one stands."""
        return self.every.through[device], self._row(device, at)

    def i_device_ka(self, device: str, at: At) -> float:
        return float(self.every.through[device].phase_a[self._row(device, at)]) / 1000

    def opens_at_s(self, device: str, at: At) -> float:
        return float(self.every.opens_at_s[device][self._row(device, at)])

    def opens(self, device: str, k: int) -> bool:
        """Whether it opens for every arc at a place."""
        return bool(np.all(np.isfinite(self.every.opens_at_s[device][self.every.row_at[device][k]][self.sets])))

    def stage(self, device: str, at: At) -> tuple[str, bool]:
        """By which stage a device opens, and whether that acts without waiting."""
        one, row = self.places.devices[device], self._row(device, at)
        first = one.functions[self.every.first_at[device][row]]
        if one.reclosing:
            clearing = one.clearing(self.every.through[device].at(row))
            return clearing.stage, clearing.fast
        if not math.isfinite(self.opens_at_s(device, at)):
            return first.rests, False
        return first.stage_at(self.every.through[device].at(row)) if first.restraint else first.stage, first.fast

    def _among(self, at: At) -> int:
        return 2 * self.sets[at[1]] + at[2]

    def isolation(self, at: At) -> Isolation:
        """When a place is cut off, and by which device."""
        return self.every.isolated(at[0])[0][self._among(at)]

    def one_after_the_other(self, at: At, until_s: float) -> bool:
        """Whether something on the ways to the sources opens before a place is cut off: what the devices left see is another current then."""
        return self.every.isolated(at[0])[1][self._among(at)] < until_s - SAME_S


def by_currents(places: Places, studies: Sequence[ShortCircuit]) -> list[ByCurrents]:
    """Of several studies of faults; a case that two of them share is looked at once."""
    cases = [[one.cases[case] for case in CASES] for one in studies]
    distinct = {id(case): case for of in cases for case in of}
    at = {key: k for k, key in enumerate(distinct)}
    every = Currents(places, [case.flows([p.faulted for p in places.all]) for case in distinct.values()])
    return [ByCurrents(every, one, [at[id(case)] for case in of]) for one, of in zip(studies, cases, strict=True)]


class Tried:
    """The arcs by the currents of the first cycle, and by what is left of them.

    The current of motors is gone within cycles, that of generators falls, where it is known how it does: devices are held against the least
    that may be left, the energy against the most.
    """

    def __init__(self, places: Places, faults: ShortCircuit, bare: ShortCircuit | None) -> None:
        self.places = places
        left = left_of(faults.net.taking_part.values(), math.inf)
        fallen = short_circuit.run(faults.net, faults.settings, {**without_motors(faults), **left}) if left else None
        found = iter(by_currents(places, [one for one in (faults, bare, fallen) if one is not None]))
        self.first = next(found)
        self.less = next(found) if bare else None
        self.fallen = next(found) if fallen else None
        self._solved = Solved()  # without motors
        self._whole = Solved(self._solved.nets)  # with all that flows at first
        self._flows: dict[tuple[int, str, frozenset[str]], Flows | None] = {}

    @property
    def elements(self) -> Iterable[Element]:
        return self.first.faults.net.taking_part.values()

    def counted(self, at: At) -> tuple[ByCurrents, Isolation, Isolation]:
        """By which currents a place is cut off: by those without motors, where that is later; and when by the first ones."""
        by_first = self.first.isolation(at)
        if self.less is not None and (later := self.less.isolation(at)).t_s > by_first.t_s + SAME_S:
            return self.less, later, by_first
        return self.first, by_first, by_first

    def _motors_ka(self, at: At) -> float:
        """What motors bring at a place."""
        if self.less is None:
            return 0.0
        first, less = (complex(one.flows[at[1]].ik_ka[at[0], 0]) for one in (self.first, self.less))
        return abs(first - less)

    def once_fallen_s(self, at: At) -> float:
        """When a place would be cut off by what flows once the currents of generators have fallen; 0 where it is not known that they do."""
        return self.fallen.isolation(at).t_s if self.fallen else 0.0

    @property
    def instants_s(self) -> tuple[float, ...]:
        """When the currents of generators are found anew."""
        return INSTANTS_S if self.fallen else ()

    def followed(self, at: At, case: str, factor: float) -> TripOrder:
        """What opens one after the other for an arc at a place, each device by what is left, also of the currents of generators; without motors."""
        bus = self.places.boards[at[0]]

        def arc_ka(ibf_ka: float) -> float:
            i_arc_ka = full_arcing_current_ka(bus, ibf_ka)
            return factor * (ibf_ka if math.isnan(i_arc_ka) else i_arc_ka)  # too little for the model: taken as bolted

        place = self.places.all[at[0]]
        asked = Asked(self._bare.net.topology.bus_ids[place.faulted], "3ph", case, arc_ka, arc=True, on_failure=False, instants_s=self.instants_s)
        return follow(self._bare, asked, self._solve, self.places.devices, self._solved)

    @property
    def _bare(self) -> ShortCircuit:
        return (self.less or self.first).faults

    def _solve(self, net: Compiled, passed_s: float) -> ShortCircuit:
        left = left_of(net.taking_part.values(), passed_s) if passed_s else {}
        return short_circuit.run(net, self.first.faults.settings, {**without_motors(self.first.faults), **left})

    def counted_ka(self, at: At, case: str, opened: frozenset[str], from_s: float, seen_ka: float) -> float:
        """The bolted current that the energy has from a time on, with some devices open: never less than it is.

        All that motors bring at first, once those devices are open; of generators what is left where it falls least, behind the impedance that
        each has before it, as phasors at the place.
        """
        if self.less is None and self.fallen is None:
            return seen_ka
        flows = self._flows_with(at[0], case, opened)
        if flows is None:  # inverters alone hold on: their sum, with what motors brought
            return seen_ka + self._motors_ka(at)
        net, gone = flows.net, 0j
        v_kv = float(net.v_nominal_kv[flows.buses[0]])
        for g in (e for e in net.taking_part.values() if isinstance(e, SynchronousGenerator) and falls(e)):
            bus = net.topology.bus_index[g.buses[0]]
            i_ka = complex(flows.of(g.id)[0, 0, 0])
            rated_ka = (g.s_rated_mva or math.nan) / (math.sqrt(3) * (g.v_rated_kv or float(net.v_nominal_kv[bus])))
            turned = cmath.exp(-1j * cmath.phase(complex(flows.before_pu[bus, 0]))) if flows.before_pu[bus, 0] else 0.0
            gone -= i_ka * turned * float(net.v_nominal_kv[bus]) / v_kv * (1 - most_left(g, abs(i_ka) / rated_ka, from_s))
        return max(seen_ka, abs(complex(flows.ik_ka[0, 0]) - gone))

    def _flows_with(self, k: int, case: str, opened: frozenset[str]) -> Flows | None:
        """What flows to a place at first with some devices open; None where that is not solved for."""
        key = k, case, opened
        if key not in self._flows:
            whole = self.first.faults
            found = self._whole.without(whole, opened, 0.0, lambda net, _: short_circuit.run(net, whole.settings))
            bus = found.net.topology.bus_index[whole.net.topology.bus_ids[self.places.all[k].faulted]]
            self._flows[key] = found.flows([bus], case) if found.net.topology.fed_bus(bus) else None
        return self._flows[key]

    def generators(self, k: int) -> list[str]:
        """The generators that bring a part of the fault at a place worth telling, and of which it is not known how it falls."""
        return [self.first.faults.net.name(e) for e, tells in self._generators.items() if tells[k]]

    def followers(self, k: int) -> list[str]:
        """The inverters that bring such a part, follow a network that is then gone, and are still joined to the place once it is cut off from that."""
        telling = {e: tells for e, tells in self._followers.items() if tells[k]}
        if not telling:
            return []
        zones, seen = self.places.zones, self.less or self.first
        opened = {d for d in self.places.interest[k] if seen.sees(d, (k, 0, 0)) and seen.opens(d, k)}
        left = zones.left_at(self.places.all[k].faulted, opened)
        net = self.first.faults.net
        return [net.name(e) for e in telling if zones.zone_of_bus[net.topology.bus_index[net.elements[e].buses[0]]] in left]

    @cached_property
    def _generators(self) -> dict[str, np.ndarray]:
        return self._bring(e for e in self.elements if isinstance(e, SynchronousGenerator) and not falls(e))

    @cached_property
    def _followers(self) -> dict[str, np.ndarray]:
        return self._bring(e for e in self.elements if isinstance(e, Inverter) and not e.feeds)

    def _bring(self, those: Iterable[Element]) -> dict[str, np.ndarray]:
        """At which places each of some sources brings a part of the fault worth telling."""
        net, found = self.first.faults.net, {}
        for e in those:
            at = net.topology.bus_index[e.buses[0]]
            parts = (
                flows.largest_of(e.id)[0] * net.v_nominal_kv[at] / net.v_nominal_kv[np.asarray(flows.buses)] > WORTH_TELLING * np.abs(flows.ik_ka[:, 0])
                for flows in self.first.flows
            )
            found[e.id] = np.logical_or.reduce(list(parts))
        return found
