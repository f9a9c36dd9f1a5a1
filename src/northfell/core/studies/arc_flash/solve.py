"""Arc flash at every location of one state: currents, what opens when, energy with full and reduced current, maximum and minimum case."""

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from northfell.core.errors import CannotRun, InputRefused, Message
from northfell.core.model.elements import Breaker, Bus, Fuse
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.studies import short_circuit
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash.by_phase import ArcsByPhase, PhaseCurrents, currents_by_phase, is_left_out
from northfell.core.studies.arc_flash.by_voltage import V_RANGE_KV
from northfell.core.studies.arc_flash.result import ArcFlash, DeviceTime, Followed, Location, Variant
from northfell.core.studies.arc_flash.seen import (
    SAME_S,
    At,
    ByCurrents,
    Place,
    Places,
    Tried,
    board_of,
    enclosure_of,
    full_arcing_current_ka,
    in_range,
    lacking,
)
from northfell.core.studies.arc_flash.settings import ArcFlashSettings, exposure_s
from northfell.core.studies.arc_flash.telling import SAME, may_go_on, of_devices, taken_as_constant, warnings_of
from northfell.core.studies.protection import Device, Interval, TripOrder, Zones, devices_of, opened_by
from northfell.core.studies.short_circuit import CASES, ShortCircuit, without_motors

STUDY = "arc_flash"
NO_ENCLOSURE = "no enclosure"  # code of the reason that there is no place to work at


def run(
    net: Compiled, settings: ArcFlashSettings | None = None, faults: ShortCircuit | None = None, only: tuple[str, str] | None = None,
    bare: ShortCircuit | None = None, phases: PhaseCurrents | None = None,
) -> ArcFlash:  # fmt: skip
    """Arc flash at every bus with enclosure data, load side and (where its main is named) line side.

    What is lacking of an enclosure keeps back that place; of a device, the places on whose ways to a source it stands; what the fault
    currents lack keeps back the island. The rest has its results. With `only`, a bus id and a side, that place alone is looked at. The faults
    without motors, and those by phase of places that are not of three phases alike, are found where they are not given.

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
    of_places, of_devices = lacking(net)
    zones = Zones(net, devices)
    places = [replace(p, waits=(*p.waits, *of_places.get(net.topology.bus_ids[p.bus], ()))) for p in places]
    places = [replace(p, waits=(*p.waits, *_of_the_way(net, zones, p, of_devices))) for p in places]
    fed = [p for p in places if not p.waits and net.topology.fed_bus(p.faulted) and in_range(board_of(net, p), settings)]
    known = {d: one for d, one in devices.items() if d in net.taking_part and d not in of_devices}  # what is not fed was not asked for its data
    each = [replace(p, configuration=one) for p in fed for one in board_of(net, p).configurations]
    bare = bare or _without_motors(faults)
    tried = Tried(Places(net, settings, known, zones, each), faults, bare)
    of: dict[Place, list[Location]] = {}
    if apart := [p for p in places if is_left_out(net, p.faulted)]:
        phases = phases or currents_by_phase(net)
        of |= ArcsByPhase(phases, settings).of_places(apart)
    for k, place in enumerate(each):
        of.setdefault(replace(place, configuration=""), []).append(_location(settings, tried, place, k))
    return ArcFlash(net, settings, faults, bare, tuple(_worst_of(of[p]) if p in of else _not_computed(net, p) for p in places), phases)


def _without_motors(faults: ShortCircuit) -> ShortCircuit | None:
    """The same faults with nothing of motors; none where there is none."""
    gone = without_motors(faults)
    if not gone:
        return None
    bare = short_circuit.run(faults.net, faults.settings, gone)
    have = {case for case in CASES if any(e.id in gone for e in faults.cases[case].given.sources.elements)}
    return replace(bare, cases={case: (bare if case in have else faults).cases[case] for case in CASES})


def again(arc: ArcFlash, net: Compiled, only: tuple[str, str] | None = None) -> ArcFlash:
    """The same with devices set otherwise: the currents are as they were, what clears when is found anew."""
    phases = arc.phases.with_elements(net.elements) if arc.phases else None
    return run(net, arc.settings, replace(arc.faults, net=net), only, replace(arc.bare, net=net) if arc.bare else None, phases)


def with_device(arc: ArcFlash, device: Device) -> ArcFlash:
    """The same with one device set otherwise."""
    net = arc.faults.net
    return again(arc, replace(net, elements={**net.elements, **{e.id: e for e in (device.switch, *device.relays)}}))


def _of_the_way(net: Compiled, zones: Zones, place: Place, of_devices: Mapping[str, list[str]]) -> list[str]:
    if not net.topology.fed_bus(place.faulted):
        return []
    return [line for device, lines in of_devices.items() if zones.on_a_way(place.faulted, device) for line in lines]


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


def _worst_of(those: list[Location]) -> Location:
    """A place by the configuration with the most energy; where one of them gives no result there is none, since it might be the worst."""
    lacking = next((one for one in those if one.worst is None), None)
    if lacking is not None or len(those) == 1:
        return lacking or those[0]
    governs = max(those, key=lambda one: one.worst.energy_j_cm2 if one.worst else 0.0)
    others = tuple(one for one in those if one is not governs)
    warnings = {str(told): told for one in (governs, *others) for told in one.warnings}
    return replace(governs, others=others, warnings=tuple(warnings.values()))


def _not_computed(net: Compiled, place: Place) -> Location:
    """A place that is not fed, or whose voltage the method does not cover."""
    bus, fed = board_of(net, place), net.topology.fed_bus(place.faulted)
    if net.is_held_back(place.faulted):
        reasons = [reason for one in net.held_back if place.faulted in one.buses for reason in one.reasons]
        return Location(bus.id, place.faulted, place.side, True, (), (), (Message(f"no result: {reasons[0]}"),), tuple(reasons))
    if fed and place.waits:
        return Location(bus.id, place.faulted, place.side, True, (), (), (Message(f"waits for data: {place.waits[0]}"),), place.waits)
    told = by.outside(bus.v_nominal_kv or math.nan, *V_RANGE_KV)
    return Location(bus.id, place.faulted, place.side, fed, (), (), (Message(told),) if fed else ())


def _beyond_model(bus: Bus, place: Place, ibf_ka: float) -> Location:
    """A place where the model gives no meaningful current or energy: no figures, and the reason."""
    told = [Message(f"the model gives no result for a bolted current of {ibf_ka:.4g} kA across a gap of {bus.gap_mm:g} mm ({bus.electrode_configuration})")]
    told += by.out_of_range(bus.v_nominal_kv or math.nan, ibf_ka, enclosure_of(bus), bus.working_distance_mm or math.nan)
    return Location(bus.id, place.faulted, place.side, True, (), (), tuple(told))


def _location(settings: ArcFlashSettings, tried: Tried, place: Place, k: int) -> Location:
    bus, first = tried.places.boards[k], tried.first
    found: list[Variant] = []
    times: list[DeviceTime] = []
    if np.isnan(first.i_arc_ka[k]).any():
        return _beyond_model(bus, place, float(first.ibf_ka[k].max()))
    for c, case in enumerate(CASES):
        for v, variant in enumerate(("full", "reduced")):
            try:
                one, device_times = _variant(settings, tried, bus, (k, c, v), case, variant)
            except InputRefused:
                return _beyond_model(bus, place, float(first.ibf_ka[k, c]))
            found.append(one)
            times += device_times
    warnings = [
        *warnings_of(first.faults.net, settings, place, bus, found),
        *of_devices(first.faults.net, tried.places.devices, place, bus, found, times),
        *taken_as_constant(tried.generators(k)),
        *may_go_on(tried.followers(k)),
    ]
    worst = max(found, key=lambda v: (v.energy_j_cm2, v.variant == "full"))
    found.sort(key=lambda v: v is not worst)
    return Location(bus.id, place.faulted, place.side, True, tuple(found), tuple(times), tuple(warnings), configuration=place.configuration)


def _variant(settings: ArcFlashSettings, tried: Tried, bus: Bus, at: At, case: str, variant: str) -> tuple[Variant, list[DeviceTime]]:
    """One of the four: full or reduced current, maximum or minimum case. The current is held until the last source is cut off.

    When that is goes by what devices see without motors, where it is later so. Where ways to the sources open one after the other, the
    devices left are followed with what they then see; the worse of both counts, or the sum over the intervals where the project asks for that.
    """
    voc, box, distance = bus.v_nominal_kv or math.nan, enclosure_of(bus), bus.working_distance_mm or math.nan
    ibf, factor = float(tried.first.ibf_ka[at[0], at[1]]), 1.0 if variant == "full" else tried.places.factor[at[0]]
    seen, isolation, by_first = tried.counted(at)
    t = exposure_s(settings, isolation.t_s)
    energy = by.incident_energy_j_cm2(voc, ibf, box, distance, t * 1000, factor) if math.isfinite(t) else math.inf
    fallen_s = tried.once_fallen_s(at)
    changes = seen.one_after_the_other(at, isolation.t_s) or fallen_s > isolation.t_s + SAME_S
    summed = settings.changing == "intervals" and (changes or tried.fallen is not None)
    if (math.isfinite(t) and t == isolation.t_s and changes) or summed:
        order = tried.followed(at, case, factor)
        arc = (bus, ibf, distance, factor)
        if (found := _followed(settings, tried, at, case, order, arc, energy, (isolation.t_s, by_first.t_s))) is not None:
            return _by_what_is_left(tried, at, order, found, case, variant, arc, isolation.first_met)
    decides = isolation.device
    listed = [*isolation.first_met, *([decides] if decides and decides not in isolation.first_met else [])]
    times = [_device_time(tried.first, seen, d, at, case, variant) for d in listed if seen.sees(d, at)]
    deciding = next((d for d in times if d.device == decides), None)
    falls_later = t != isolation.t_s and fallen_s > isolation.t_s + SAME_S  # beyond the longest exposure: told at the latest
    one = Variant(
        case=case,
        variant=variant,
        i_bolted_ka=ibf,
        i_arc_ka=float(tried.first.i_arc_ka[at]),
        factor=factor,
        opens_at_s=max(isolation.t_s, fallen_s) if falls_later else isolation.t_s,
        arc_time_s=t,
        device=decides,
        stage=deciding.stage if deciding else "",
        fast=deciding.fast if deciding else False,
        i_device_ka=deciding.i_device_ka if deciding else math.nan,
        energy_j_cm2=energy,
        boundary_mm=by.boundary_mm(voc, ibf, box, t * 1000, factor) if math.isfinite(t) else math.inf,
        by_first_s=by_first.t_s if seen is not tried.first else None,
        falls=falls_later,
    )
    return one, times


def _device_time(first: ByCurrents, seen: ByCurrents, device: str, at: At, case: str, variant: str) -> DeviceTime:
    bolted_ka = first.i_device_ka(device, at) * float(first.ibf_ka[at[:2]] / first.i_arc_ka[at])
    i_ka, opens_at_s = seen.i_device_ka(device, at), seen.opens_at_s(device, at)
    return DeviceTime(case, variant, device, i_ka, opens_at_s, *seen.stage(device, at), bolted_ka, seen.among(device, at))


Arc = tuple[Bus, float, float, float]  # board, bolted current [kA], working distance [mm], factor of the arcing current


def _followed(
    settings: ArcFlashSettings, tried: Tried, at: At, case: str, order: TripOrder, arc: Arc, energy: float, times_s: tuple[float, float]
) -> Followed | None:  # fmt: skip
    r"""The arc interval by interval, where it then brings more energy, or lasts longer, than with every device at the current that it sees first.

    Where the project asks for the sum over the intervals, always.

    .. math:: E = \sum_k e(I_k)\,\Delta t_k, \qquad t_{counts} = E / e(I_1)

    Where currents fall, devices see that of the end of an interval; of motors they see nothing. The energy has the most that may be left of both.

    Parameters
    ----------
    times_s : tuple
        When the place is cut off with every device at the current that it sees first: as it is counted, and with motors.
    """
    end, falls = exposure_s(settings, order.cleared_s), bool(tried.instants_s)
    if math.isinf(end):
        return Followed(order.intervals, math.inf, times_s[1], (math.nan,) * len(order.intervals), falls)
    first = _in_a_second(arc, arc[1])
    kept, energies = list[Interval](), list[float]()
    for one in order.intervals:
        lasts = min(one.to_s, end) - one.from_s
        if lasts <= 0:
            break
        counted_ka = tried.counted_ka(at, case, opened_by(order.steps, one.from_s), one.from_s, one.i_bolted_ka)
        kept.append(_with_more(replace(one, to_s=one.from_s + lasts), arc, counted_ka))
        energies.append(lasts * _rate(arc, counted_ka, first))
    total = sum(energies)
    if settings.changing == "intervals":
        return Followed(tuple(kept), float(total / first), times_s[1], tuple(energies), falls)
    if total <= energy * (1 + SAME) and end <= exposure_s(settings, times_s[0]) + SAME_S:
        return None
    return Followed(tuple(kept), float(max(total, energy) / first), times_s[1], tuple(energies), falls)


def _with_more(one: Interval, arc: Arc, i_ka: float) -> Interval:
    """An interval with what its energy has: devices see less."""
    if i_ka == one.i_bolted_ka:
        return one
    i_arc_ka = full_arcing_current_ka(arc[0], i_ka)
    return replace(one, i_bolted_ka=i_ka, i_fault_ka=arc[3] * (i_ka if math.isnan(i_arc_ka) else i_arc_ka))


def _in_a_second(arc: Arc, ibf_ka: float) -> float:
    bus, _, distance, factor = arc
    return by.incident_energy_j_cm2(bus.v_nominal_kv or math.nan, ibf_ka, enclosure_of(bus), distance, 1000.0, factor)


def _rate(arc: Arc, ibf_ka: float, first: float) -> float:
    """Energy in a second with a bolted current [J/cm²]; where the model gives none for so little, that of the first current."""
    if ibf_ka <= 0:
        return 0.0
    try:
        found = _in_a_second(arc, ibf_ka)
    except InputRefused:
        return first
    return found if math.isfinite(found) else first


def _by_what_is_left(
    tried: Tried, at: At, order: TripOrder, worse: Followed, case: str, variant: str, arc: Arc, first_met: tuple[str, ...]
) -> tuple[Variant, list[DeviceTime]]:
    """The variant whose ways to the sources open one after the other; the last to open decides."""
    bus, ibf, distance, factor = arc
    voc, box, first = bus.v_nominal_kv or math.nan, enclosure_of(bus), tried.first
    bolted = float(first.ibf_ka[at[:2]] / first.i_arc_ka[at])

    def opening(device: str, i_ka: float, t_s: float, by_what: str) -> DeviceTime:
        at_first = first.i_device_ka(device, at) if first.sees(device, at) else 0.0
        return DeviceTime(case, variant, device, i_ka, t_s, by_what, fast=False, bolted_ka=bolted * max(at_first, i_ka))

    opened = [opening(s.device, s.i_a / 1000, s.t_s, s.reason) for s in order.steps if not s.closes]
    ways = dict.fromkeys((*first_met, *(tried.places.interest[at[0]] if math.isinf(order.cleared_s) else ())))
    stay = [d for d in ways if first.sees(d, at) and d not in {s.device for s in order.steps}]
    opened += [opening(d, (tried.less or first).i_device_ka(d, at), math.inf, "") for d in stay]
    last = next((d for d in reversed(opened) if math.isfinite(d.opens_at_s) != math.isinf(order.cleared_s)), None)
    ended = math.isfinite(worse.counts_s)
    one = Variant(
        case=case, variant=variant, i_bolted_ka=ibf, i_arc_ka=float(first.i_arc_ka[at]), factor=factor, opens_at_s=order.cleared_s,
        arc_time_s=worse.intervals[-1].to_s if ended else math.inf, device=last.device if last else None, stage=last.stage if last else "", fast=False,
        i_device_ka=last.i_device_ka if last else math.nan,
        energy_j_cm2=by.incident_energy_j_cm2(voc, ibf, box, distance, worse.counts_s * 1000, factor) if ended else math.inf,
        boundary_mm=by.boundary_mm(voc, ibf, box, worse.counts_s * 1000, factor) if ended else math.inf, followed=worse,
    )  # fmt: skip
    return one, opened
