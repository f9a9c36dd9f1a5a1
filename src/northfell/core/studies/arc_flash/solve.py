"""Arc flash at every location of one state: currents, what opens when, energy with full and reduced current, maximum and minimum case."""

import math
from dataclasses import dataclass

from northfell.core.errors import CannotRun
from northfell.core.model.completeness import missing
from northfell.core.model.elements import Breaker, Bus, Fuse
from northfell.core.model.network import title_of
from northfell.core.model.parameters import Study
from northfell.core.model.settings import ArcFlashSettings
from northfell.core.network import Compiled
from northfell.core.studies import short_circuit
from northfell.core.studies.arc_flash import equations as eq
from northfell.core.studies.arc_flash.result import ArcFlash, DeviceTime, Location, Variant
from northfell.core.studies.protection import Device, devices_of, isolate
from northfell.core.studies.short_circuit import CASES, Flows, ShortCircuit

STUDY: Study = "arc_flash"
V_RANGE_KV = (0.208, 15.0)


@dataclass(frozen=True)
class Place:
    """A location before it is computed: the bus with the enclosure, and the bus that is electrically faulted."""

    bus: int  # whose enclosure, name and label it is
    faulted: int  # the far side of the main for the line side
    side: str


def run(net: Compiled, settings: ArcFlashSettings | None = None, faults: ShortCircuit | None = None) -> ArcFlash:
    """Arc flash at every bus with enclosure data, load side and (where its main is named) line side.

    Raises
    ------
    CannotRun
        If data or a supply is missing, or no bus has enclosure data.
    """
    settings = settings or net.network.settings.arc_flash
    if lacking := missing(net.elements, STUDY, net.live()):
        raise CannotRun(STUDY, [str(one) for one in lacking])
    faults = faults or short_circuit.run(net)
    places = places_of(net)
    if not places:
        raise CannotRun(STUDY, ["No bus has enclosure data: set electrode_configuration of the buses at which people work."])
    devices = devices_of(net.elements)
    fed = [p for p in places if net.topology.fed_bus(p.faulted)]
    flows = {case: faults.flows([p.faulted for p in fed], case) for case in CASES}
    located: dict[Place, Location] = {}
    for k, place in enumerate(fed):
        located[place] = _location(net, settings, faults, devices, place, flows, k)
    locations = tuple(located.get(p) or _not_fed(net, p) for p in places)
    return ArcFlash(net, settings, faults, locations)


def places_of(net: Compiled) -> list[Place]:
    """All locations in the order of the network."""
    places = []
    for i, bus_id in enumerate(net.topology.bus_ids):
        bus = net.elements[bus_id]
        if not isinstance(bus, Bus) or bus.electrode_configuration is None or not bus.in_service:
            continue
        places.append(Place(i, i, "load"))
        if bus.main is not None:
            main = net.elements[bus.main]
            assert isinstance(main, Breaker | Fuse)
            if bus_id not in main.buses:
                told = f"{title_of(bus)}: main is “{main.name}”, accepted is a breaker or fuse with a terminal at {bus.name}."
                raise CannotRun(STUDY, [told])
            far = main.buses[0] if main.buses[1] == bus_id else main.buses[1]
            places.append(Place(i, net.topology.bus_index[far], "line"))
    return places


def enclosure_of(bus: Bus) -> eq.Enclosure:
    """The enclosure data of a bus as the equations take them."""
    sizes = [math.nan if v is None else v for v in (bus.box_height_mm, bus.box_width_mm, bus.box_depth_mm)]
    return eq.Enclosure(bus.electrode_configuration or "", bus.gap_mm or math.nan, *sizes)


def exposure_s(settings: ArcFlashSettings, t_s: float) -> float:
    """Arc duration: the time until the last source is cut off, at most the longest exposure where that rule is in force."""
    return min(t_s, settings.max_exposure_s) if settings.two_second_rule else t_s


def _not_fed(net: Compiled, place: Place) -> Location:
    return Location(net.topology.bus_ids[place.bus], place.faulted, place.side, False, (), (), ())


def _location(
    net: Compiled, settings: ArcFlashSettings, faults: ShortCircuit, devices: dict[str, Device], place: Place, flows: dict[str, Flows], k: int
) -> Location:
    bus = net.elements[net.topology.bus_ids[place.bus]]
    assert isinstance(bus, Bus)
    voc, box = bus.v_nominal_kv or math.nan, enclosure_of(bus)
    if not V_RANGE_KV[0] <= voc <= V_RANGE_KV[1]:
        told = f"outside the method's range: {voc:g} kV is not between {V_RANGE_KV[0]:g} and {V_RANGE_KV[1]:g} kV"
        return Location(bus.id, place.faulted, place.side, True, (), (), (told,))
    found: list[Variant] = []
    times: list[DeviceTime] = []
    for case, flow in flows.items():
        ibf = abs(complex(flow.ik_ka[k]))
        i_arc = eq.arcing_current_ka(voc, ibf, box)
        reduced = 1 - 0.5 * eq.variation_factor(box.configuration, voc)
        for variant, factor in (("full", 1.0), ("reduced", reduced)):
            one, device_times = _variant(net, settings, devices, place, flow, k, bus, ibf, i_arc, factor, case, variant)
            found.append(one)
            times += device_times
    warnings = _warnings(net, settings, place, bus, found)
    worst = max(found, key=lambda v: (v.energy_j_cm2, v.variant == "full"))
    found.sort(key=lambda v: v is not worst)
    return Location(bus.id, place.faulted, place.side, True, tuple(found), tuple(times), tuple(warnings))


def _variant(
    net: Compiled, settings: ArcFlashSettings, devices: dict[str, Device], place: Place, flow: Flows, k: int, bus: Bus, ibf: float,
    i_arc: float, factor: float, case: str, variant: str,
) -> tuple[Variant, list[DeviceTime]]:  # fmt: skip
    """One of the four: full or reduced current, maximum or minimum case. The current is held until the last source is cut off."""
    voc, box = bus.v_nominal_kv or math.nan, enclosure_of(bus)
    share_of = factor * i_arc / ibf
    currents = {d: share_of * abs(complex(flow.terminals[d][0, k])) for d in devices if d in flow.terminals}
    clearings = {d: devices[d].clearing(i * 1000) for d, i in currents.items()}
    isolation = isolate(net, devices, place.faulted, {d: c.t_s for d, c in clearings.items()})
    t = exposure_s(settings, isolation.t_s)
    decides = isolation.device
    energy = eq.incident_energy_j_cm2(voc, ibf, box, bus.working_distance_mm or math.nan, t * 1000, factor) if math.isfinite(t) else math.inf
    afb = eq.boundary_mm(voc, ibf, box, t * 1000, factor) if math.isfinite(t) else math.inf
    one = Variant(
        case=case, variant=variant, i_bolted_ka=ibf, i_arc_ka=i_arc * factor, factor=factor, opens_at_s=isolation.t_s, arc_time_s=t, device=decides,
        stage=clearings[decides].stage if decides else "", i_device_ka=currents.get(decides or "", math.nan), energy_j_cm2=energy, boundary_mm=afb,
    )  # fmt: skip
    listed = [*isolation.first_met, *([decides] if decides and decides not in isolation.first_met else [])]
    return one, [DeviceTime(case, variant, d, currents[d], clearings[d].t_s, clearings[d].stage) for d in listed if d in currents]


def _warnings(net: Compiled, settings: ArcFlashSettings, place: Place, bus: Bus, found: list[Variant]) -> list[str]:
    voc, box = bus.v_nominal_kv or math.nan, enclosure_of(bus)
    told: list[str] = []
    for case in CASES:
        ibf = next(v.i_bolted_ka for v in found if v.case == case)
        told += [t for t in eq.out_of_range(voc, ibf, box, bus.working_distance_mm or math.nan) if t not in told]
    slow = max(found, key=lambda v: v.opens_at_s)
    if slow.device is None and math.isinf(slow.opens_at_s):
        told.append("no protective device stands between this place and a source")
    elif math.isinf(slow.opens_at_s):
        told.append(f"{net.name(slow.device or '')} does not operate at the {slow.variant} arcing current of the {slow.case}imum case")
    elif settings.two_second_rule and slow.opens_at_s > settings.max_exposure_s:
        told.append(f"clears in {slow.opens_at_s:.3g} s; exposure taken as {settings.max_exposure_s:g} s")
    stages = {v.stage for v in found if v.device}
    if len({v.device for v in found}) == 1 and any("instantaneous" in s or "high stage" in s for s in stages) and len(stages) > 1:
        told.append("the fast stage is reached in one case only: a little less current clears much slower")
    if bus.main is None and place.side == "load" and bus.bus_kind == "switchboard":
        told.append("no main device is named: the line side is not assessed")
    return told
