"""What is told of a place: what the method needs and does not know, and what is worse than it looks."""

import math
from collections.abc import Mapping, Sequence

from northfell.core.errors import Message
from northfell.core.model.elements import Bus
from northfell.core.network import Compiled
from northfell.core.studies.arc_flash import by_voltage as by
from northfell.core.studies.arc_flash.by_voltage import BEYOND
from northfell.core.studies.arc_flash.result import DeviceTime, Variant
from northfell.core.studies.arc_flash.seen import Place, enclosure_of
from northfell.core.studies.arc_flash.settings import ArcFlashSettings
from northfell.core.studies.protection import Device

NO_DEVICE = "no protective device stands between this place and a source"
ONE_CASE = "the fast stage is reached in one case only: a little less current clears much slower"
NO_MAIN = "no main device is named: the line side is not assessed"
ONE_BY_ONE = "ways to the sources open one after the other"  # code: what is left drives the devices slower
MOTORS = "the current of motors is gone within cycles"  # the same, by what flows without them
SUMMED = "the energy is the sum over the intervals, each with the current that is left"
FALL = "currents of generators fall, ways to the sources open"  # the same, where that is followed too
BREAKS_TOO_MUCH = "asked to break more than it is rated for"
CONSTANT = "generator current taken as constant"
EXPOSURE = "clears in # s; exposure taken as # s"
GOES_ON = "inverters may go on"
ONE_PHASE = "taken with the model for three phases"
ON_THE_LABEL = (EXPOSURE, CONSTANT, GOES_ON, SUMMED, BEYOND, ONE_PHASE)  # what a label says beside all that is grave
NOTICED = 1.01  # times longer: less is not worth a line
SAME = 1e-9  # parts of an energy that are taken as the same


def warnings_of(net: Compiled, settings: ArcFlashSettings, place: Place, bus: Bus, found: list[Variant]) -> list[Message]:
    voc, box = bus.v_nominal_kv or math.nan, enclosure_of(bus)
    told: list[Message] = []
    for case in dict.fromkeys(v.case for v in found):
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


def of_devices(net: Compiled, devices: Mapping[str, Device], place: Place, bus: Bus, found: list[Variant], times: list[DeviceTime]) -> list[Message]:
    """What is told of the devices that a location goes by: incomers that are no main, and what is asked to break more than it can."""
    told: list[Message] = []
    if place.side == "load" and (bus.mains or bus.bus_kind != "switchboard"):
        at_it = {d.device for d in times if bus.id in net.elements[d.device].buses} - set(bus.mains.values())
        left = [d for d in sorted(at_it) if not _leads_to_a_location(net, d, bus)]
        if left:
            told.append(Message(f"{', '.join(net.name(d) for d in left)}: no main device of it, the line side is not assessed", NO_MAIN, left[0]))
    for device in dict.fromkeys(d.device for d in times):
        rated = devices[device].switch.i_breaking_ka if device in devices else None
        most = max((d.bolted_ka for d in times if d.device == device), default=0.0)
        if rated is not None and most > rated * (1 + SAME):
            line = f"{net.name(device)} is rated to break {rated:.4g} kA, a bolted fault here has {most:.4g} kA through it: that it clears is not certain"
            told.append(Message(line, BREAKS_TOO_MUCH, device, grave=True))
    return told


def _leads_to_a_location(net: Compiled, device: str, bus: Bus) -> bool:
    """Whether a device joins a board to another one, which has locations of its own."""
    others = [net.elements[b] for b in net.elements[device].buses if b != bus.id]
    return any(isinstance(o, Bus) and o.electrode_configuration is not None for o in others)


def taken_as_constant(names: Sequence[str]) -> list[Message]:
    """Generators of which it is not known how their current falls."""
    if not names:
        return []
    brings = "brings" if len(names) == 1 else "bring"
    return [Message(f"the current that {', '.join(names)} {brings} is taken as constant; it falls, and a device may be slower than told", CONSTANT)]


def may_go_on(names: Sequence[str]) -> list[Message]:
    """Inverters that follow a network which is then gone."""
    if not names:
        return []
    line = f"{', '.join(names)} may go on bringing current until stopped once the last other source is cut off: that is not counted"
    return [Message(line, GOES_ON)]
