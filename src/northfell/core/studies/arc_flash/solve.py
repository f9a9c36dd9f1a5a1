"""Arc flash at every location of one state: currents, what opens when, energy with full and reduced current, maximum and minimum case."""

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from northfell.core.errors import CannotRun, InputRefused, Message
from northfell.core.model.elements import Breaker, Bus, Fuse
from northfell.core.model.network import title_of
from northfell.core.network import Compiled
from northfell.core.network.lacking import told as lacking_told
from northfell.core.rules.completeness import missing
from northfell.core.studies import short_circuit
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash.by_voltage import BEYOND, V_RANGE_KV
from northfell.core.studies.arc_flash.result import ArcFlash, DeviceTime, Followed, Location, Variant
from northfell.core.studies.arc_flash.seen import SAME_S, At, ByCurrents, Place, Places, Tried, board_of, enclosure_of, full_arcing_current_ka
from northfell.core.studies.arc_flash.settings import ArcFlashSettings
from northfell.core.studies.protection import Device, Interval, TripOrder, Zones, devices_of, lacking_of, opened_by
from northfell.core.studies.short_circuit import CASES, ShortCircuit, without_motors

STUDY = "arc_flash"
NO_DEVICE = "no protective device stands between this place and a source"
ONE_CASE = "the fast stage is reached in one case only: a little less current clears much slower"
NO_MAIN = "no main device is named: the line side is not assessed"
NO_ENCLOSURE = "no enclosure"  # code of the reason that there is no place to work at
ONE_BY_ONE = "ways to the sources open one after the other"  # code: what is left drives the devices slower
MOTORS = "the current of motors is gone within cycles"  # the same, by what flows without them
SUMMED = "the energy is the sum over the intervals, each with the current that is left"
FALL = "currents of generators fall, ways to the sources open"  # the same, where that is followed too
BREAKS_TOO_MUCH = "asked to break more than it is rated for"
CONSTANT = "generator current taken as constant"
EXPOSURE = "clears in # s; exposure taken as # s"
GOES_ON = "inverters may go on"
ON_THE_LABEL = (EXPOSURE, CONSTANT, GOES_ON, SUMMED, BEYOND)  # what a label says beside all that is grave
NOTICED = 1.01  # times longer: less is not worth a line
SAME = 1e-9  # parts of an energy that are taken as the same


def run(
    net: Compiled, settings: ArcFlashSettings | None = None, faults: ShortCircuit | None = None, only: tuple[str, str] | None = None,
    bare: ShortCircuit | None = None,
) -> ArcFlash:  # fmt: skip
    """Arc flash at every bus with enclosure data, load side and (where its main is named) line side.

    What is lacking of an enclosure keeps back that place; of a device, the places on whose ways to a source it stands; what the fault
    currents lack keeps back the island. The rest has its results. With `only`, a bus id and a side, that place alone is looked at. The faults
    without motors are found where they are not given.

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
    fed = [p for p in places if not p.waits and net.topology.fed_bus(p.faulted) and in_range(board_of(net, p), settings)]
    known = {d: one for d, one in devices.items() if d in net.taking_part and d not in of_devices}  # what is not fed was not asked for its data
    each = [replace(p, configuration=one) for p in fed for one in board_of(net, p).configurations]
    bare = bare or _without_motors(faults)
    tried = Tried(Places(net, settings, known, zones, each), faults, bare)
    of: dict[Place, list[Location]] = {}
    for k, place in enumerate(each):
        of.setdefault(replace(place, configuration=""), []).append(_location(settings, tried, place, k))
    return ArcFlash(net, settings, faults, bare, tuple(_worst_of(of[p]) if p in of else _not_computed(net, p) for p in places))


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
    return run(net, arc.settings, replace(arc.faults, net=net), only, replace(arc.bare, net=net) if arc.bare else None)


def with_device(arc: ArcFlash, device: Device) -> ArcFlash:
    """The same with one device set otherwise."""
    net = arc.faults.net
    return again(arc, replace(net, elements={**net.elements, **{e.id: e for e in (device.switch, *device.relays)}}))


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


def exposure_s(settings: ArcFlashSettings, t_s: float) -> float:
    """Arc duration: the time until the last source is cut off, at most the longest exposure where that rule is in force."""
    return min(t_s, settings.max_exposure_s) if settings.two_second_rule else t_s


def in_range(bus: Bus, settings: ArcFlashSettings) -> bool:
    """Whether a method covers the voltage of a bus."""
    v = bus.v_nominal_kv or math.nan
    return V_RANGE_KV[0] <= v and (v <= V_RANGE_KV[1] or settings.beyond == "Lee")


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
    told = f"outside the method's range: {bus.v_nominal_kv or math.nan:g} kV is not between {V_RANGE_KV[0]:g} and {V_RANGE_KV[1]:g} kV"
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
    warnings = [*_warnings(first.faults.net, settings, place, bus, found), *_of_devices(tried, place, bus, found, times), *_of_sources(tried, k)]
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
    return DeviceTime(
        case, variant, device, seen.i_device_ka(device, at), seen.opens_at_s(device, at), *seen.stage(device, at), bolted_ka, seen.through(device, at)
    )  # fmt: skip


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


def _warnings(net: Compiled, settings: ArcFlashSettings, place: Place, bus: Bus, found: list[Variant]) -> list[Message]:
    voc, box = bus.v_nominal_kv or math.nan, enclosure_of(bus)
    told: list[Message] = []
    for case in CASES:
        ibf = next(v.i_bolted_ka for v in found if v.case == case)
        told += [t for t in by.out_of_range(voc, ibf, box, bus.working_distance_mm or math.nan) if t not in told]
    if settings.changing == "intervals" and any(v.followed for v in found):
        for left in (i.i_bolted_ka for v in found if v.followed for i in v.followed.intervals[1:]):
            told += [t for t in by.out_of_range(voc, left, box, bus.working_distance_mm or math.nan) if t.code not in [one.code for one in told]]
        told.append(Message(SUMMED, SUMMED))
    slow = max(found, key=lambda v: v.opens_at_s)
    if slow.device is None and math.isinf(slow.opens_at_s):
        told.append(Message(NO_DEVICE, NO_DEVICE, grave=True))
    elif math.isinf(slow.opens_at_s):
        line = f"{net.name(slow.device or '')} does not operate at the {slow.variant} arcing current of the {slow.case}imum case"
        line += " once the currents of generators have fallen" if slow.falls else " once other ways have opened" if slow.followed else ""
        line += " without the current of motors" if slow.by_first_s is not None and math.isfinite(slow.by_first_s) else ""
        told.append(Message(line, "does not operate", slow.device or "", grave=True))
    elif settings.two_second_rule and slow.opens_at_s > settings.max_exposure_s:
        told.append(Message(f"clears in {slow.opens_at_s:.3g} s; exposure taken as {settings.max_exposure_s:g} s", EXPOSURE))
    if len({v.device for v in found}) == 1 and any(v.fast for v in found) and len({v.stage for v in found if v.device}) > 1:
        told.append(Message(ONE_CASE, ONE_CASE))
    told += _later_than_by_the_first(net, found)
    if not bus.mains and place.side == "load" and bus.bus_kind == "switchboard":
        told.append(Message(NO_MAIN, NO_MAIN))
    return told


def _later_than_by_the_first(net: Compiled, found: list[Variant]) -> list[Message]:
    """Which device opens later than by the current that it sees first, by what is left of it."""
    told = []
    for v in found:
        if v.followed and v.device and math.isfinite(v.opens_at_s) and abs(v.opens_at_s - v.followed.by_the_first_s) > (NOTICED - 1) * v.opens_at_s:
            opens = f"{net.name(v.device)} opens at {v.opens_at_s:.3g} s, {v.followed.by_the_first_s:.3g} s by the current it sees first"
            line = f"{FALL if v.followed.falls else ONE_BY_ONE}: {opens} ({v.variant} current, {v.case}imum case)"
            told.append(Message(line, ONE_BY_ONE, v.device))
            break
    for v in found:
        if v.by_first_s is not None and v.device and v.by_first_s * NOTICED < v.opens_at_s < math.inf:
            opens = f"{net.name(v.device)} opens at {v.opens_at_s:.3g} s, with it at {v.by_first_s:.3g} s"
            told.append(Message(f"{MOTORS}: {opens} ({v.variant} current, {v.case}imum case)", MOTORS, v.device))
            break
    return told


def _of_devices(tried: Tried, place: Place, bus: Bus, found: list[Variant], times: list[DeviceTime]) -> list[Message]:
    """What is told of the devices that a location goes by: incomers that are no main, and what is asked to break more than it can."""
    net, told = tried.first.faults.net, []
    if place.side == "load" and (bus.mains or bus.bus_kind != "switchboard"):
        at_it = {d.device for d in times if bus.id in net.elements[d.device].buses} - set(bus.mains.values())
        left = [d for d in sorted(at_it) if not _leads_to_a_location(net, d, bus)]
        if left:
            told.append(Message(f"{', '.join(net.name(d) for d in left)}: no main device of it, the line side is not assessed", NO_MAIN, left[0]))
    for device in dict.fromkeys(d.device for d in times):
        rated = tried.places.devices[device].switch.i_breaking_ka if device in tried.places.devices else None
        most = max((d.bolted_ka for d in times if d.device == device), default=0.0)
        if rated is not None and most > rated * (1 + SAME):
            line = f"{net.name(device)} is rated to break {rated:.4g} kA, a bolted fault here has {most:.4g} kA through it: that it clears is not certain"
            told.append(Message(line, BREAKS_TOO_MUCH, device, grave=True))
    return told


def _leads_to_a_location(net: Compiled, device: str, bus: Bus) -> bool:
    """Whether a device joins a board to another one, which has locations of its own."""
    others = [net.elements[b] for b in net.elements[device].buses if b != bus.id]
    return any(isinstance(o, Bus) and o.electrode_configuration is not None for o in others)


def _of_sources(tried: Tried, k: int) -> list[Message]:
    """What is not known of the sources that bring a part worth telling."""
    told = []
    if names := tried.generators(k):
        brings = "brings" if len(names) == 1 else "bring"
        line = f"the current that {', '.join(names)} {brings} is taken as constant; it falls, and a device may be slower than told"
        told.append(Message(line, CONSTANT))
    if names := tried.followers(k):
        line = f"{', '.join(names)} may go on bringing current until stopped once the last other source is cut off: that is not counted"
        told.append(Message(line, GOES_ON))
    return told
