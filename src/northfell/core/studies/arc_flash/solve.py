"""Arc flash at every location of one state: currents, what opens when, energy with full and reduced current, maximum and minimum case."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import cast

import numpy as np

from northfell.core.errors import CannotRun, InputRefused, Message
from northfell.core.model.elements import Breaker, Bus, Fuse, SynchronousGenerator
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.network.lacking import told as lacking_told
from northfell.core.rules.completeness import missing
from northfell.core.studies import short_circuit
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash import equations as eq
from northfell.core.studies.arc_flash.by_voltage import BEYOND, V_RANGE_KV
from northfell.core.studies.arc_flash.result import ArcFlash, DeviceTime, Followed, Location, Variant
from northfell.core.studies.arc_flash.settings import ArcFlashSettings
from northfell.core.studies.protection import (
    Asked,
    Device,
    Interval,
    Solved,
    Through,
    TripOrder,
    Zones,
    beside,
    devices_of,
    follow,
    lacking_of,
    through_devices,
    wanted_by,
)
from northfell.core.studies.short_circuit import CASES, ShortCircuit, falls, left_of

STUDY = "arc_flash"
NO_DEVICE = "no protective device stands between this place and a source"
ONE_CASE = "the fast stage is reached in one case only: a little less current clears much slower"
NO_MAIN = "no main device is named: the line side is not assessed"
NO_ENCLOSURE = "no enclosure"  # code of the reason that there is no place to work at
ONE_BY_ONE = "ways to the sources open one after the other"  # code: what is left drives the devices slower
FALL = "currents of generators fall, ways to the sources open"  # the same, where that is followed too
INSTANTS_S = (0.02, 0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.6, 0.8, 1.0, 1.5, 2.0, 3.0, 5.0)  # up to which their currents are those at the end
BREAKS_TOO_MUCH = "asked to break more than it is rated for"
CONSTANT = "generator current taken as constant"
EXPOSURE = "clears in # s; exposure taken as # s"
ON_THE_LABEL = (EXPOSURE, CONSTANT, BEYOND)  # what a label says beside all that is grave
WORTH_TELLING = 0.05  # of a fault
SAME_S, SAME = 1e-6, 1e-9  # times, and parts of an energy, that are taken as the same


@dataclass(frozen=True)
class Place:
    """A location before it is computed: the bus with the enclosure, and the bus that is electrically faulted."""

    bus: int  # whose enclosure, name and label it is
    faulted: int  # the far side of the main for the line side
    side: str  # load, or line of the first main, line 2 and 3 of further ones
    waits: tuple[str, ...] = ()  # what keeps it back, and it alone
    configuration: str = ""  # one of several that are found in it; empty: its first


def run(
    net: Compiled, settings: ArcFlashSettings | None = None, faults: ShortCircuit | None = None, only: tuple[str, str] | None = None
) -> ArcFlash:  # fmt: skip
    """Arc flash at every bus with enclosure data, load side and (where its main is named) line side.

    What is lacking of an enclosure keeps back that place; of a device, the places on whose ways to a source it stands; what the fault
    currents lack keeps back the island. The rest has its results. With `only`, a bus id and a side, that place alone is looked at.

    Raises
    ------
    CannotRun
        If data or a supply is missing everywhere, or no bus has enclosure data.
    """
    settings = settings or net.network.settings.of(ArcFlashSettings)
    faults = faults or short_circuit.run(net)
    net = faults.net
    devices = devices_of(net.elements)
    places = places_of(net)
    if not places:
        raise CannotRun(STUDY, [Message("No bus has enclosure data: set the electrode configuration of the buses at which people work.", NO_ENCLOSURE)])
    if only is not None:
        places = [p for p in places if (net.topology.bus_ids[p.bus], p.side) == only]
    of_places, of_devices = _lacking(net)
    zones = Zones(net, devices)
    places = [replace(p, waits=(*p.waits, *of_places.get(net.topology.bus_ids[p.bus], ()))) for p in places]
    places = [replace(p, waits=(*p.waits, *_of_the_way(net, zones, p, of_devices))) for p in places]
    fed = [p for p in places if not p.waits and net.topology.fed_bus(p.faulted) and in_range(_bus(net, p), settings)]
    known = {d: one for d, one in devices.items() if d in net.taking_part and d not in of_devices}  # what is not fed was not asked for its data
    each = [replace(p, configuration=one) for p in fed for one in _bus(net, p).configurations]
    tried = _Tried(net, settings, faults, known, zones, each)
    of_each = [_location(net, settings, tried, place, k) for k, place in enumerate(each)]
    located = {p: _worst_of([one for place, one in zip(each, of_each, strict=True) if (place.bus, place.side) == (p.bus, p.side)]) for p in fed}
    return ArcFlash(net, settings, faults, tuple(located.get(p) or _not_computed(net, p) for p in places))


def with_device(arc: ArcFlash, device: Device) -> ArcFlash:
    """The same with a device set otherwise: the currents are as they were, what clears when is found anew."""
    net = arc.faults.net
    changed = replace(net, elements={**net.elements, **{e.id: e for e in (device.switch, *device.relays)}})
    return run(changed, arc.settings, replace(arc.faults, net=changed))


def _lacking(net: Compiled) -> tuple[dict[str, list[str]], dict[str, list[str]]]:
    """What this study lacks beyond the fault currents: of enclosures, by bus; of devices, by the switch that opens."""
    of_places: dict[str, list[str]] = {}
    for one in missing(net.elements, STUDY, net.taking_part.values()):
        if isinstance(one.element, Bus):
            of_places.setdefault(one.element.id, []).append(lacking_told(net, one))
    return of_places, lacking_of(net, STUDY)


def _of_the_way(net: Compiled, zones: Zones, place: Place, of_devices: Mapping[str, list[str]]) -> list[str]:
    if not net.topology.fed_bus(place.faulted):
        return []
    return [line for device, lines in of_devices.items() if zones.on_a_way(place.faulted, device) for line in lines]


class _Tried:
    """Currents and opening times of all places at once: (place, case, variant), by device where a device is meant."""

    def __init__(
        self, net: Compiled, settings: ArcFlashSettings, faults: ShortCircuit, devices: dict[str, Device], zones: Zones, fed: list[Place],
        fallen: bool = False,
    ) -> None:  # fmt: skip
        self.devices, self.zones = devices, zones
        self.fallen: _Tried | None = None  # the same once the currents of generators have fallen, where it is known how they do
        if not fallen and (left := left_of(net.taking_part.values(), math.inf)):
            self.fallen = _Tried(net, settings, short_circuit.run(net, faults.settings, left), devices, zones, fed, fallen=True)
        flows = self.flows = [faults.flows([p.faulted for p in fed], case) for case in CASES]
        self.ibf_ka = np.stack([np.abs(f.ik_ka[:, 0]) for f in flows], axis=1) if fed else np.zeros((0, len(CASES)))
        buses = [_bus(net, p) for p in fed]
        self.factor = [reduction(settings, bus) for bus in buses]
        i_arc = [[_arcing_current_ka(bus, i) for i in row] for bus, row in zip(buses, self.ibf_ka, strict=True)]
        factors = np.array([[1.0, f] for f in self.factor]).reshape(len(fed), 1, 2)
        self.i_arc_ka = np.array(i_arc).reshape(len(fed), len(CASES), 1) * factors
        share = self.i_arc_ka / self.ibf_ka[:, :, None]
        closed = set(net.topology.closed_ids)
        carried = [d for d in devices if d in closed]
        wanted = wanted_by(devices.values())
        seen = beside([through_devices(f, carried, wanted.more, wanted.elsewhere).at((..., None)) for f in flows], (len(carried), 0, 0))
        self.through = {d: seen.at((k, ..., None)).times(share, arc=True) for k, d in enumerate(carried)}
        self.i_device_ka = {d: i.phase_a / 1000 for d, i in self.through.items()}
        self.opens_at_s = {d: devices[d].interrupts_at_s(i) for d, i in self.through.items()}
        self.first_at = {d: devices[d].first_at(i) for d, i in self.through.items() if not devices[d].reclosing}
        self.faults, self._solved = faults, Solved()

    def generators(self, k: int) -> list[str]:
        """The generators that bring a part of the fault at a place worth telling, and of which it is not known how it falls."""
        return [name for name, tells in self._brings.items() if tells[k]]

    @cached_property
    def _brings(self) -> dict[str, np.ndarray]:
        """At which places each generator brings a part of the fault worth telling."""
        net, found = self.faults.net, {}
        for g in (e for e in net.taking_part.values() if isinstance(e, SynchronousGenerator) and not falls(e)):
            at = net.topology.bus_index[g.buses[0]]
            parts = (
                flows.largest_of(g.id)[0] * net.v_nominal_kv[at] / net.v_nominal_kv[np.asarray(flows.buses)] > WORTH_TELLING * np.abs(flows.ik_ka[:, 0])
                for flows in self.flows
            )
            found[g.name] = np.logical_or.reduce(list(parts))
        return found

    def stage(self, device: str, at: tuple[int, int, int], sees: Through) -> tuple[str, bool]:
        """By which stage a device opens, and whether that acts without waiting."""
        if device not in self.first_at:
            clearing = self.devices[device].clearing(sees)
            return clearing.stage, clearing.fast
        first = self.devices[device].functions[self.first_at[device][at]]
        return (first.stage_at(sees), first.fast) if math.isfinite(self.opens_at_s[device][at]) else (first.rests, False)

    def one_after_the_other(self, place: Place, at: tuple[int, int, int], until_s: float) -> bool:
        """Whether something on the ways to the sources opens before a place is cut off: what the devices left see is another current then."""
        interest = self.zones.devices_of_interest(place.faulted)
        return any(float(self.opens_at_s[d][at]) < until_s - SAME_S for d in interest if d in self.opens_at_s)

    def once_fallen_s(self, place: Place, at: tuple[int, int, int]) -> float:
        """When a place would be cut off by what flows once the currents of generators have fallen; 0 where it is not known that they do."""
        if self.fallen is None:
            return 0.0
        interest = self.zones.devices_of_interest(place.faulted)
        return self.zones.isolate(place.faulted, {d: float(self.fallen.opens_at_s[d][at]) for d in interest if d in self.fallen.opens_at_s}).t_s

    @property
    def instants_s(self) -> tuple[float, ...]:
        """When the currents of generators are found anew."""
        return INSTANTS_S if self.fallen else ()

    def followed(self, place: Place, bus: Bus, case: str, factor: float) -> TripOrder:
        """What opens one after the other for an arc at a place, each device by what is left, also of the currents of generators."""

        def arc_ka(ibf_ka: float) -> float:
            i_arc_ka = _arcing_current_ka(bus, ibf_ka)
            return factor * (ibf_ka if math.isnan(i_arc_ka) else i_arc_ka)  # too little for the model: taken as bolted

        def solve(net: Compiled, passed_s: float) -> ShortCircuit:
            return short_circuit.run(net, self.faults.settings, left_of(net.taking_part.values(), passed_s) if passed_s else None)

        asked = Asked(
            self.faults.net.topology.bus_ids[place.faulted], "3ph", case, arc_ka, arc=True, on_failure=False, instants_s=self.instants_s
        )  # fmt: skip
        return follow(self.faults, asked, solve, self.devices, self._solved)


def places_of(net: Compiled) -> list[Place]:
    """All locations in the order of the network."""
    places = []
    for i, bus_id in enumerate(net.topology.bus_ids):
        bus = net.elements[bus_id]
        if not isinstance(bus, Bus) or bus.electrode_configuration is None or not bus.in_service:
            continue
        places.append(Place(i, i, "load"))
        load = len(places) - 1
        for side, device in bus.mains.items():
            main = net.elements[device]
            assert isinstance(main, Breaker | Fuse)
            if bus_id not in main.buses:
                told = f"{title_of(bus)}: main is “{main.name}”, accepted is a breaker or fuse with a terminal at {bus.name}."
                places[load] = replace(places[load], waits=(*places[load].waits, told))
                continue
            far = main.buses[0] if main.buses[1] == bus_id else main.buses[1]
            places.append(Place(i, net.topology.bus_index[far], side))
    return places


def enclosure_of(bus: Bus) -> eq.Enclosure:
    """The enclosure data of a bus as the equations take them."""
    sizes = [math.nan if v is None else v for v in (bus.box_height_mm, bus.box_width_mm, bus.box_depth_mm)]
    return eq.Enclosure(bus.electrode_configuration or "", bus.gap_mm or math.nan, *sizes)


def exposure_s(settings: ArcFlashSettings, t_s: float) -> float:
    """Arc duration: the time until the last source is cut off, at most the longest exposure where that rule is in force."""
    return min(t_s, settings.max_exposure_s) if settings.two_second_rule else t_s


def in_range(bus: Bus, settings: ArcFlashSettings) -> bool:
    """Whether a method covers the voltage of a bus."""
    v = bus.v_nominal_kv or math.nan
    return V_RANGE_KV[0] <= v and (v <= V_RANGE_KV[1] or settings.beyond == "Lee")


def reduction(settings: ArcFlashSettings, bus: Bus) -> float:
    """Factor of the reduced arcing current at a bus: by the standard's variation, or the engineer's own share; beyond the model, by that share."""
    if settings.variation == "own share" or by.by_lee(bus.v_nominal_kv or math.nan):
        return 1 - settings.variation_pct / 100
    return 1 - 0.5 * eq.variation_factor(bus.electrode_configuration or "", bus.v_nominal_kv or math.nan)


def _bus(net: Compiled, place: Place) -> Bus:
    bus = cast(Bus, net.elements[net.topology.bus_ids[place.bus]])
    return bus.with_configuration(place.configuration)


def _worst_of(those: list[Location]) -> Location:
    """A place by the configuration with the most energy; where one of them gives no result there is none, since it might be the worst."""
    lacking = next((one for one in those if one.worst is None), None)
    if lacking is not None or len(those) == 1:
        return lacking or those[0]
    governs = max(those, key=lambda one: one.worst.energy_j_cm2 if one.worst else 0.0)
    others = tuple(one for one in those if one is not governs)
    warnings = {str(told): told for one in (governs, *others) for told in one.warnings}
    return replace(governs, others=others, warnings=tuple(warnings.values()))


def _arcing_current_ka(bus: Bus, ibf_ka: float) -> float:
    """Full arcing current; nan where the model gives none."""
    try:
        return by.arcing_current_ka(bus.v_nominal_kv or math.nan, ibf_ka, enclosure_of(bus))
    except InputRefused:
        return math.nan


def _not_computed(net: Compiled, place: Place) -> Location:
    """A place that is not fed, or whose voltage the method does not cover."""
    bus, fed = _bus(net, place), net.topology.fed_bus(place.faulted)
    if net.is_held_back(place.faulted):
        reasons = [reason for one in net.held_back if place.faulted in one.buses for reason in one.reasons]
        return Location(bus.id, place.faulted, place.side, True, (), (), (Message(f"no result: {reasons[0]}"),), tuple(reasons))
    if fed and place.waits:
        return Location(bus.id, place.faulted, place.side, True, (), (), (Message(f"waits for data: {place.waits[0]}"),), place.waits)
    told = f"outside the method's range: {bus.v_nominal_kv or math.nan:g} kV is not between {V_RANGE_KV[0]:g} and {V_RANGE_KV[1]:g} kV"
    return Location(bus.id, place.faulted, place.side, fed, (), (), (Message(told),) if fed else ())


def _beyond_model(bus: Bus, place: Place, ibf_ka: float) -> Location:
    """A place where the model gives no meaningful current or energy: no figures, and the reason."""
    told = [Message(f"the model gives no result for a bolted current of {ibf_ka:.4g} kA across a gap of {bus.gap_mm:g} mm ({bus.electrode_configuration})")]
    told += by.out_of_range(bus.v_nominal_kv or math.nan, ibf_ka, enclosure_of(bus), bus.working_distance_mm or math.nan)
    return Location(bus.id, place.faulted, place.side, True, (), (), tuple(told))


def _location(net: Compiled, settings: ArcFlashSettings, tried: _Tried, place: Place, k: int) -> Location:
    bus = _bus(net, place)
    found: list[Variant] = []
    times: list[DeviceTime] = []
    if np.isnan(tried.i_arc_ka[k]).any():
        return _beyond_model(bus, place, float(tried.ibf_ka[k].max()))
    for c, case in enumerate(CASES):
        for v, variant in enumerate(("full", "reduced")):
            try:
                one, device_times = _variant(settings, tried, place, bus, (k, c, v), case, variant)
            except InputRefused:
                return _beyond_model(bus, place, float(tried.ibf_ka[k, c]))
            found.append(one)
            times += device_times
    warnings = [*_warnings(net, settings, place, bus, found), *_of_devices(tried, place, bus, found, times), *_of_generators(tried, k)]
    worst = max(found, key=lambda v: (v.energy_j_cm2, v.variant == "full"))
    found.sort(key=lambda v: v is not worst)
    return Location(bus.id, place.faulted, place.side, True, tuple(found), tuple(times), tuple(warnings), configuration=place.configuration)


def _variant(
    settings: ArcFlashSettings, tried: _Tried, place: Place, bus: Bus, at: tuple[int, int, int], case: str, variant: str
) -> tuple[Variant, list[DeviceTime]]:
    """One of the four: full or reduced current, maximum or minimum case. The current is held until the last source is cut off.

    Where ways to the sources open one after the other, the devices left are followed with what they then see; the worse of both counts.
    """
    voc, box, distance = bus.v_nominal_kv or math.nan, enclosure_of(bus), bus.working_distance_mm or math.nan
    ibf, factor = float(tried.ibf_ka[at[0], at[1]]), 1.0 if variant == "full" else tried.factor[at[0]]
    interest = tried.zones.devices_of_interest(place.faulted)
    isolation = tried.zones.isolate(place.faulted, {d: float(tried.opens_at_s[d][at]) for d in interest if d in tried.opens_at_s})
    t = exposure_s(settings, isolation.t_s)
    decides = isolation.device

    def opening(device: str) -> DeviceTime:
        i_ka, opens_at_s, sees = float(tried.i_device_ka[device][at]), float(tried.opens_at_s[device][at]), tried.through[device].at(at)
        return DeviceTime(case, variant, device, i_ka, opens_at_s, *tried.stage(device, at, sees), sees)

    energy = by.incident_energy_j_cm2(voc, ibf, box, distance, t * 1000, factor) if math.isfinite(t) else math.inf
    fallen_s = tried.once_fallen_s(place, at)
    changes = tried.one_after_the_other(place, at, isolation.t_s) or fallen_s > isolation.t_s + SAME_S
    if math.isfinite(t) and t == isolation.t_s and changes:
        order = tried.followed(place, bus, case, factor)
        if (worse := _worse(settings, order, (voc, ibf, box, distance, factor), energy, isolation.t_s, tried.instants_s)) is not None:
            return _by_what_is_left(tried, at, order, worse, case, variant, (voc, ibf, box, distance, factor), isolation.first_met)
    listed = [*isolation.first_met, *([decides] if decides and decides not in isolation.first_met else [])]
    times = [opening(d) for d in listed if d in tried.i_device_ka]
    deciding = next((d for d in times if d.device == decides), None)
    falls_later = t != isolation.t_s and fallen_s > isolation.t_s + SAME_S  # beyond the longest exposure: told at the latest
    one = Variant(
        case=case,
        variant=variant,
        i_bolted_ka=ibf,
        i_arc_ka=float(tried.i_arc_ka[at]),
        factor=factor,
        opens_at_s=max(isolation.t_s, fallen_s) if falls_later else isolation.t_s,
        arc_time_s=t,
        device=decides,
        stage=deciding.stage if deciding else "",
        fast=deciding.fast if deciding else False,
        i_device_ka=deciding.i_device_ka if deciding else math.nan,
        energy_j_cm2=energy,
        boundary_mm=by.boundary_mm(voc, ibf, box, t * 1000, factor) if math.isfinite(t) else math.inf,
        falls=falls_later,
    )
    return one, times


Arc = tuple[float, float, eq.Enclosure, float, float]  # voltage [kV], bolted current [kA], enclosure, working distance [mm], factor of the arcing current


def _worse(settings: ArcFlashSettings, order: TripOrder, arc: Arc, energy: float, t_s: float, instants_s: tuple[float, ...]) -> Followed | None:
    r"""The arc interval by interval, where it then brings more energy, or lasts longer, than with every device at the current that it sees first.

    .. math:: E = \sum_k e(I_k)\,\Delta t_k, \qquad t_{counts} = E / e(I_1)

    Where currents fall, devices see that of the end of an interval, and the energy is by that of its beginning: neither is less than it is.
    """
    voc, ibf, box, distance, factor = arc
    end = exposure_s(settings, order.cleared_s)
    if math.isinf(end):
        return Followed(order.intervals, math.inf, t_s, (math.nan,) * len(order.intervals), bool(instants_s))
    first = by.incident_energy_j_cm2(voc, ibf, box, distance, 1000.0, factor)
    kept, energies, before_ka = list[Interval](), list[float](), ibf
    for one in order.intervals:
        lasts = min(one.to_s, end) - one.from_s
        if lasts <= 0:
            break
        kept.append(replace(one, to_s=one.from_s + lasts))
        fell = bool(instants_s) and (one.from_s == 0 or one.from_s in instants_s)
        energies.append(lasts * _rate(arc, max(before_ka, one.i_bolted_ka) if fell else one.i_bolted_ka, first))
        before_ka = one.i_bolted_ka
    total = sum(energies)
    if total <= energy * (1 + SAME) and end <= exposure_s(settings, t_s) + SAME_S:
        return None
    return Followed(tuple(kept), float(max(total, energy) / first), t_s, tuple(energies), bool(instants_s))


def _rate(arc: Arc, ibf_ka: float, first: float) -> float:
    """Energy in a second with a bolted current [J/cm²]; where the model gives none for so little, that of the first current."""
    voc, _, box, distance, factor = arc
    try:
        found = by.incident_energy_j_cm2(voc, ibf_ka, box, distance, 1000.0, factor)
    except InputRefused:
        return first
    return found if math.isfinite(found) else first


def _by_what_is_left(
    tried: _Tried, at: tuple[int, int, int], order: TripOrder, worse: Followed, case: str, variant: str, arc: Arc, first_met: tuple[str, ...]
) -> tuple[Variant, list[DeviceTime]]:
    """The variant whose ways to the sources open one after the other; the last to open decides."""
    voc, ibf, box, distance, factor = arc
    opened = [DeviceTime(case, variant, s.device, s.i_a / 1000, s.t_s, s.reason, fast=False) for s in order.steps if not s.closes]
    stay = [d for d in first_met if d in tried.i_device_ka and d not in {s.device for s in order.steps}]
    opened += [DeviceTime(case, variant, d, float(tried.i_device_ka[d][at]), math.inf, "", fast=False) for d in stay]
    last = opened[-1] if stay and math.isinf(order.cleared_s) else next((d for d in reversed(opened) if math.isfinite(d.opens_at_s)), None)
    ended = math.isfinite(worse.counts_s)
    one = Variant(
        case=case, variant=variant, i_bolted_ka=ibf, i_arc_ka=float(tried.i_arc_ka[at]), factor=factor, opens_at_s=order.cleared_s,
        arc_time_s=worse.intervals[-1].to_s if ended else math.inf, device=last.device if last else None, stage=last.stage if last else "", fast=False,
        i_device_ka=last.i_device_ka if last else math.nan,
        energy_j_cm2=by.incident_energy_j_cm2(voc, ibf, box, distance, worse.counts_s * 1000, factor) if ended else math.inf,
        boundary_mm=by.boundary_mm(voc, ibf, box, worse.counts_s * 1000, factor) if ended else math.inf, followed=worse,
    )  # fmt: skip
    return one, opened


def _warnings(net: Compiled, settings: ArcFlashSettings, place: Place, bus: Bus, found: list[Variant]) -> list[Message]:
    voc, box = bus.v_nominal_kv or math.nan, enclosure_of(bus)
    told: list[Message] = []
    for case in CASES:
        ibf = next(v.i_bolted_ka for v in found if v.case == case)
        told += [t for t in by.out_of_range(voc, ibf, box, bus.working_distance_mm or math.nan) if t not in told]
    slow = max(found, key=lambda v: v.opens_at_s)
    if slow.device is None and math.isinf(slow.opens_at_s):
        told.append(Message(NO_DEVICE, NO_DEVICE, grave=True))
    elif math.isinf(slow.opens_at_s):
        line = f"{net.name(slow.device or '')} does not operate at the {slow.variant} arcing current of the {slow.case}imum case"
        line += " once the currents of generators have fallen" if slow.falls else " once other ways have opened" if slow.followed else ""
        told.append(Message(line, "does not operate", slow.device or "", grave=True))
    elif settings.two_second_rule and slow.opens_at_s > settings.max_exposure_s:
        told.append(Message(f"clears in {slow.opens_at_s:.3g} s; exposure taken as {settings.max_exposure_s:g} s", EXPOSURE))
    if len({v.device for v in found}) == 1 and any(v.fast for v in found) and len({v.stage for v in found if v.device}) > 1:
        told.append(Message(ONE_CASE, ONE_CASE))
    for v in found:
        if v.followed and v.device and math.isfinite(v.opens_at_s):
            by_first = f"{v.followed.by_the_first_s:.3g} s by the current it sees first"
            opens = f"{net.name(v.device)} opens at {v.opens_at_s:.3g} s, {by_first}"
            line = f"{FALL if v.followed.falls else ONE_BY_ONE}: {opens} ({v.variant} current, {v.case}imum case)"
            told.append(Message(line, ONE_BY_ONE, v.device))
            break
    if not bus.mains and place.side == "load" and bus.bus_kind == "switchboard":
        told.append(Message(NO_MAIN, NO_MAIN))
    return told


def _of_devices(tried: _Tried, place: Place, bus: Bus, found: list[Variant], times: list[DeviceTime]) -> list[Message]:
    """What is told of the devices that a location goes by: incomers that are no main, and what is asked to break more than it can."""
    net, told = tried.faults.net, []
    if place.side == "load" and (bus.mains or bus.bus_kind != "switchboard"):
        at_it = {d.device for d in times if bus.id in net.elements[d.device].buses} - set(bus.mains.values())
        left = [d for d in sorted(at_it) if not _leads_to_a_location(net, d, bus)]
        if left:
            told.append(Message(f"{', '.join(net.name(d) for d in left)}: no main device of it, the line side is not assessed", NO_MAIN, left[0]))
    parts = {(v.case, v.variant): v.i_arc_ka / v.i_bolted_ka for v in found}
    for device in dict.fromkeys(d.device for d in times):
        rated = tried.devices[device].switch.i_breaking_ka if device in tried.devices else None
        most = max((d.i_device_ka / parts[d.case, d.variant] for d in times if d.device == device), default=0.0)
        if rated is not None and most > rated * (1 + SAME):
            line = f"{net.name(device)} is rated to break {rated:.4g} kA, a bolted fault here has {most:.4g} kA through it: that it clears is not certain"
            told.append(Message(line, BREAKS_TOO_MUCH, device, grave=True))
    return told


def _leads_to_a_location(net: Compiled, device: str, bus: Bus) -> bool:
    """Whether a device joins a board to another one, which has locations of its own."""
    others = [net.elements[b] for b in net.elements[device].buses if b != bus.id]
    return any(isinstance(o, Bus) and o.electrode_configuration is not None for o in others)


def _of_generators(tried: _Tried, k: int) -> list[Message]:
    if not (names := tried.generators(k)):
        return []
    brings = "brings" if len(names) == 1 else "bring"
    line = f"the current that {', '.join(names)} {brings} is taken as constant; it falls, and a device may be slower than told"
    return [Message(line, CONSTANT)]
