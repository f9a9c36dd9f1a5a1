"""Arcs at places that are not of three phases alike, or stand behind what is not: by the currents of faults by phase.

The standard covers three-phase systems. Its model, taken with the current of a fault of one phase, is expected to give more than less. Of a
place with three phases the three-phase fault counts; of others each fault that its conductors allow, the worst is told. Devices are counted on
to act by what lasts of a current, neither motors nor converters; the energy has all of it.
"""

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from northfell.core.errors import CannotRun, InputRefused, Message
from northfell.core.model.elements import Bus, Element, Inverter, SynchronousGenerator
from northfell.core.network import Compiled, compile_network
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash.result import DeviceTime, Location, Variant
from northfell.core.studies.arc_flash.seen import SAME_S, Place, board_of, enclosure_of, full_arcing_current_ka, in_range, lacking, reduction
from northfell.core.studies.arc_flash.settings import ArcFlashSettings, exposure_s
from northfell.core.studies.arc_flash.telling import ONE_PHASE, may_go_on, of_devices, taken_as_constant, warnings_of
from northfell.core.studies.phase_faults import Lasting, PhaseFaults, Poles, Which, lasting, phase_faults
from northfell.core.studies.protection import Device, Isolation, Seen, Through, Zones, devices_of

THREE_PHASES = "a–b–c"
LITTLE = "a fault to earth brings little"
WHICH: tuple[Which, Which] = ("max", "min")
Opened = frozenset[str]


@dataclass(frozen=True)
class PhaseCurrents:
    """Faults by phase of a state, and what lasts of them through its devices."""

    net: Compiled  # with all that is not alike
    faults: PhaseFaults | None
    why: tuple[str, ...] = ()  # why there are none
    _flowing: dict[tuple[str, str, str, Opened], Lasting | None] = field(default_factory=dict, repr=False, compare=False)

    def with_elements(self, elements: Mapping[str, Element]) -> "PhaseCurrents":
        """The same where devices are set otherwise."""
        net = replace(self.net, elements={i: elements.get(i, e) for i, e in self.net.elements.items()})
        net.__dict__["taking_part"] = {i: net.elements[i] for i in self.net.taking_part}
        return replace(self, net=net)

    def lacks(self, bus: str) -> tuple[str, ...]:
        """Why there is no fault at a bus; nothing where there is one."""
        if self.faults is None:
            return self.why
        if self.faults.conductors.get(bus):
            return ()
        at = self.net.topology.bus_index[bus]
        told = [reason for one in self.faults.net.held_back if at in one.buses for reason in one.reasons]
        return tuple(told) or (f"Bus {self.net.name(bus)} has no faults by phase: nothing feeds it, or it stands within a power station unit.",)

    def bolted_ka(self, bus: str, fault: str, case: Which) -> float:
        """What flows at most, or at least, without a resistance at the fault."""
        assert self.faults is not None
        return self.faults.current(bus, fault, case).ik

    def find(self, asked: Iterable[tuple[str, str]]) -> None:
        """Find what lasts of some faults, by bus and name, together: the network is gathered once."""
        for case in WHICH:
            left = [one for one in dict.fromkeys(asked) if (*one, case, frozenset[str]()) not in self._flowing]
            for (bus, fault), found in zip(left, lasting(self.net, left, case) if left else (), strict=True):
                self._flowing[bus, fault, case, frozenset()] = found

    def lasting(self, bus: str, fault: str, case: Which, opened: Opened = frozenset()) -> Lasting | None:
        """What lasts of a fault, with some switches opened; None where nothing feeds the bus then."""
        key = bus, fault, case, opened
        if key not in self._flowing:
            net = self.net
            if opened:
                elements = {i: e.model_copy(update={"closed": False}) if i in opened else e for i, e in net.elements.items()}
                net = compile_network(net.network, net.state, "arc_flash", elements=elements)
            fed = net.topology.fed_bus(net.topology.bus_index[bus])
            self._flowing[key] = lasting(net, [(bus, fault)], case)[0] if fed else None
        return self._flowing[key]


def currents_by_phase(net: Compiled) -> PhaseCurrents:
    """Faults by phase of the state of a network of which the faults of three phases leave something out."""
    try:
        faults = replace(phase_faults(compile_network(net.network, net.state, "arc_flash", elements=net.elements)), r_fault_ohm=0.0)
    except CannotRun as error:
        return PhaseCurrents(net, None, tuple(str(reason) for reason in error.reasons))
    return PhaseCurrents(faults.net, faults)


def is_left_out(net: Compiled, bus: int) -> bool:
    """Whether a bus is left to the studies by phase."""
    return any(bus in one.buses for one in net.held_back if one.why == "by phase")


@dataclass
class ArcsByPhase:
    """The arcs at places that the faults of three phases leave out."""

    currents: PhaseCurrents
    settings: ArcFlashSettings

    def __post_init__(self) -> None:
        net = self.net = self.currents.net
        self.of_enclosures, self.of_devices = lacking(net)
        every = devices_of(net.elements)
        self.zones = Zones(net, every)
        self.devices: dict[str, Device] = {d: one for d, one in every.items() if d in net.taking_part and d not in self.of_devices}

    def of_places(self, places: Iterable[Place]) -> dict[Place, list[Location]]:
        """Each place with each of its configurations; one without a result where something is missing."""
        found = {place: self._kept_back(place) for place in places}
        able = {place: self.net.topology.bus_ids[place.faulted] for place, none in found.items() if none is None}
        self.currents.find((bus, fault) for place, bus in able.items() for fault in self._counted(place, bus))
        return {place: [none] if none is not None else self._of_place(place, able[place]) for place, none in found.items()}

    def _kept_back(self, place: Place) -> Location | None:
        """A place without a result, with the reason; None where there is one."""
        bus = board_of(self.net, place)
        data = (*place.waits, *self.of_enclosures.get(bus.id, ()), *self._devices_lack(place))
        if waits := data or self.currents.lacks(self.net.topology.bus_ids[place.faulted]):
            line = f"{'waits for data' if data else 'no result by phase'}: {waits[0]}"
        elif not in_range(bus, self.settings):
            line = by.outside(bus.v_nominal_kv or math.nan, *by.V_RANGE_KV)
        else:
            return None
        return Location(bus.id, place.faulted, place.side, True, (), (), (Message(line),), waits)

    def _of_place(self, place: Place, faulted: str) -> list[Location]:
        found = []
        for one in board_of(self.net, place).configurations:
            at = replace(place, configuration=one)
            found.append(self._worst([self._location(at, fault) for fault in self._counted(at, faulted)], faulted))
        return found

    def _devices_lack(self, place: Place) -> Iterator[str]:
        for device, lines in self.of_devices.items():
            if self.zones.on_a_way(place.faulted, device):
                yield from lines

    def _faults(self, faulted: str) -> list[str]:
        assert self.currents.faults is not None
        every = self.currents.faults.faults(faulted)
        return [THREE_PHASES] if THREE_PHASES in every else every

    def _counted(self, place: Place, faulted: str) -> list[str]:
        """Faults that are taken for an arc: of several those that the model was tested for, the greatest else."""
        every, voc = self._faults(faulted), board_of(self.net, place).v_nominal_kv or math.nan
        most = {fault: self.currents.bolted_ka(faulted, fault, "max") for fault in every}
        tested = [fault for fault in every if most[fault] >= by.least_tested_ka(voc)]
        return tested or [max(every, key=lambda fault: most[fault])]

    def _worst(self, those: list[Location], faulted: str) -> Location:
        none = next((one for one in those if one.worst is None), None)
        if none is not None:
            return none
        governs = max(those, key=lambda one: one.worst.energy_j_cm2 if one.worst else 0.0)
        left = [fault for fault in self._faults(faulted) if fault not in {one.fault for one in those}]
        told = list(governs.warnings)
        if governs.fault != THREE_PHASES:
            told.append(Message(
                f"{governs.fault} bolted governs: the standard covers three-phase systems, its model is expected to give more than less here", ONE_PHASE
            ))  # fmt: skip
        for fault in left:
            little = self.currents.bolted_ka(faulted, fault, "max")
            told.append(Message(f"{fault} brings {little:.4g} kA at most, less than the model was tested for: not taken for an arc", LITTLE))
        return replace(governs, warnings=tuple(told))

    def _location(self, place: Place, fault: str) -> Location:
        bus, found, times = board_of(self.net, place), list[Variant](), list[DeviceTime]()
        for case in (one for one in WHICH if self.currents.bolted_ka(self.net.topology.bus_ids[place.faulted], fault, one) > 0):
            for variant in ("full", "reduced"):
                try:
                    one, listed = self._variant(place, bus, fault, case, variant)
                except InputRefused:
                    line = f"the model gives no result for {fault} bolted across a gap of {bus.gap_mm:g} mm ({bus.electrode_configuration})"
                    return Location(bus.id, place.faulted, place.side, True, (), (), (Message(line),), configuration=place.configuration, fault=fault)
                found.append(one)
                times += listed
        told = [*warnings_of(self.net, self.settings, place, bus, found), *of_devices(self.net, self.devices, place, bus, found, times)]
        told += self._of_sources(place)
        worst = max(found, key=lambda v: (v.energy_j_cm2, v.variant == "full"))
        found.sort(key=lambda v: v is not worst)
        return Location(
            bus.id, place.faulted, place.side, True, tuple(found), tuple(times), tuple(told), configuration=place.configuration, fault=fault
        )  # fmt: skip

    def _variant(self, place: Place, bus: Bus, fault: str, case: Which, variant: str) -> tuple[Variant, list[DeviceTime]]:
        """Full or reduced current of the greatest or the least fault, held until the last source is cut off."""
        faulted, voc, box = self.net.topology.bus_ids[place.faulted], bus.v_nominal_kv or math.nan, enclosure_of(bus)
        distance, factor = bus.working_distance_mm or math.nan, 1.0 if variant == "full" else reduction(self.settings, bus)
        ibf = self.currents.bolted_ka(faulted, fault, case)
        i_arc = full_arcing_current_ka(bus, ibf) * factor
        if not math.isfinite(i_arc):
            raise InputRefused("i_bolted_ka", ibf, "a value for which the model gives a positive current")
        flowing = self.currents.lasting(faulted, fault, case) or Lasting(0.0, {})  # nothing, where motors alone feed it
        share = divided(bus, ibf, flowing.ik_ka, factor)
        isolation, opens = self._isolated(place, faulted, fault, case, share)
        t = exposure_s(self.settings, isolation.t_s)
        listed = [d for d in (*isolation.first_met, *([isolation.device] if isolation.device else [])) if d in opens]
        passing = ibf / flowing.ik_ka if flowing.ik_ka else 1.0  # with what motors and converters bring, as much more through every device
        seen = {d: through_poles(flowing.through[d], faulted) for d in listed}
        times = [self._device_time(d, opens[d], share, one, passing, (case, variant)) for d, one in seen.items()]
        deciding = next((d for d in times if d.device == isolation.device), None)
        return Variant(
            case=case, variant=variant, i_bolted_ka=ibf, i_arc_ka=i_arc, factor=factor, opens_at_s=isolation.t_s, arc_time_s=t, device=isolation.device,
            stage=deciding.stage if deciding else "", fast=deciding.fast if deciding else False, i_device_ka=deciding.i_device_ka if deciding else math.nan,
            energy_j_cm2=by.incident_energy_j_cm2(voc, ibf, box, distance, t * 1000, factor) if math.isfinite(t) else math.inf,
            boundary_mm=by.boundary_mm(voc, ibf, box, t * 1000, factor) if math.isfinite(t) else math.inf,
        ), times  # fmt: skip

    def _device_time(self, device: str, opens_at_s: float, share: float, through: Through, passing: float, of: tuple[str, str]) -> DeviceTime:
        one, seen = self.devices[device], through.times(share, arc=True)
        clearing = one.clearing(seen)
        return DeviceTime(
            *of, device, float(seen.phase_a) / 1000, opens_at_s, clearing.stage, clearing.fast, passing * float(through.phase_a) / 1000, (seen, ())
        )  # fmt: skip

    def _isolated(self, place: Place, faulted: str, fault: str, case: Which, share: float) -> tuple[Isolation, dict[str, float]]:
        """When a place is cut off, and when each device opens.

        Where one opens before that, the others begin anew with what they then see: never sooner than they do.
        """
        asked = dict.fromkeys((*self.zones.devices_of_interest(place.faulted), *self.zones.met_first(self.zones.zone_of_bus[place.faulted])))
        first = self._opening(asked, faulted, self.currents.lasting(faulted, fault, case), share, 0.0)
        isolation = self.zones.isolate(place.faulted, first)
        if not any(t < isolation.t_s - SAME_S for t in first.values()):
            return isolation, first
        opened: dict[str, float] = {}
        now, last = 0.0, Isolation(math.inf, isolation.device, isolation.first_met)
        while len(opened) < len(asked):
            flowing = self.currents.lasting(faulted, fault, case, frozenset(opened))
            if flowing is None:
                return Isolation(now, last.device, isolation.first_met), {**first, **opened}
            times = self._opening([d for d in asked if d not in opened], faulted, flowing, share, now)
            device, now = min(times.items(), key=lambda one: one[1], default=("", math.inf))
            if not math.isfinite(now):
                break
            opened[device] = now
            last = self.zones.isolate(place.faulted, opened)
            if math.isfinite(last.t_s):
                return Isolation(now, device, isolation.first_met), {**first, **opened}
            last = replace(last, device=device)
        return Isolation(math.inf, isolation.device, isolation.first_met), {**dict.fromkeys(first, math.inf), **opened}

    def _opening(self, asked: Iterable[str], faulted: str, flowing: Lasting | None, share: float, from_s: float) -> dict[str, float]:
        made = {}
        for d in asked:
            if d in self.devices and flowing and d in flowing.through:
                made[d] = from_s + float(self.devices[d].interrupts_at_s(through_poles(flowing.through[d], faulted).times(share, arc=True)))
        return made

    def _of_sources(self, place: Place) -> list[Message]:
        """What is not known of the sources of the part of the network in which a place stands."""
        top = self.net.topology
        island = top.island_of_node[top.node_of_bus[place.faulted]]
        here = [e for e in self.net.taking_part.values() if e.buses and top.island_of_node[top.node_of_bus[top.bus_index[e.buses[0]]]] == island]
        turning = [e.name for e in here if isinstance(e, SynchronousGenerator)]
        following = [e.name for e in here if isinstance(e, Inverter) and not e.feeds]
        return [*taken_as_constant(turning), *may_go_on(following)]


def divided(bus: Bus, ibf_ka: float, lasting_ka: float, factor: float) -> float:
    """The least share of a bolted current that devices may see of an arc: by all that flows, or by what lasts."""
    shares = [full_arcing_current_ka(bus, i) * factor / i for i in (ibf_ka, lasting_ka) if i > 0]
    return min(s for s in shares if math.isfinite(s))


def through_poles(poles: Poles, bus: str) -> Through:
    """What a device measures of a fault at a bus: its greatest current; of three phases the sum of all its conductors. More is not known of it."""
    phases = [abs(i) for conductor, i in poles.items() if conductor != "n"]
    residual = abs(sum(poles.values())) if len(phases) == 3 else 0.0
    return Through(np.asarray(max(phases, default=0.0)), np.asarray(residual), Seen(place=bus))
