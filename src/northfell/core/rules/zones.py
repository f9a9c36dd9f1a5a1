"""Protection zones: what lies between the current transformers that bound a zone, what no zone covers, and where two do not overlap."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from northfell.core.model.elements import Bus, CurrentTransformer, Element, Infeed, Switching

FIRST, SECOND = "first terminal", "second terminal"


@dataclass(frozen=True)
class Zone:
    """A zone under its name, with the transformers at its edge and all that lies within."""

    name: str
    transformers: tuple[str, ...]
    covers: frozenset[str]


def zones_of(elements: Mapping[str, Element]) -> list[Zone]:
    """The zones that current transformers name, in the order in which they are named first.

    A transformer stands on the lead at one terminal of what it measures, and its zone lies toward one of the two: toward the far one the
    device itself is within. From there on all is within, up to the next transformer of the same zone.
    """
    bounding: dict[str, list[CurrentTransformer]] = {}
    for e in elements.values():
        if isinstance(e, CurrentTransformer) and e.in_service and e.zone and _bounds(elements, e):
            bounding.setdefault(e.zone, []).append(e)
    if not bounding:
        return []
    at: dict[str, list[Element]] = {}
    for e in elements.values():
        for bus in e.buses:
            at.setdefault(bus, []).append(e)
    return [Zone(name, tuple(ct.id for ct in cts), frozenset(_within(elements, at, cts))) for name, cts in bounding.items()]


def _bounds(elements: Mapping[str, Element], ct: CurrentTransformer) -> bool:
    """Whether a transformer can be at the edge of a zone: in all three phases, on a lead of what has two ends."""
    return ct.units == "set of three" and ct.mounted in (FIRST, SECOND) and len(elements[ct.measures].buses) == 2


def _within(elements: Mapping[str, Element], at: Mapping[str, list[Element]], edge: list[CurrentTransformer]) -> set[str]:
    mounted: dict[str, set[int]] = {}  # which terminals of a device have a transformer of this zone on their lead
    for ct in edge:
        mounted.setdefault(ct.measures, set()).add(_terminal(ct.mounted))
    covers, open_ = set[str](), list[str]()
    for ct in edge:
        device, toward = elements[ct.measures], _terminal(ct.zone_lies)
        if toward == _terminal(ct.mounted):
            open_.append(device.buses[toward])
        else:
            covers.add(device.id)
            if toward not in mounted[device.id]:
                open_.append(device.buses[toward])
    while open_:
        bus = open_.pop()
        if bus in covers:
            continue
        covers.add(bus)
        for e in at.get(bus, ()):
            here = [k for k, b in enumerate(e.buses) if b == bus]
            if all(k in mounted.get(e.id, ()) for k in here):
                continue  # beyond a transformer
            covers.add(e.id)
            open_ += [b for k, b in enumerate(e.buses) if b != bus and k not in mounted.get(e.id, ())]
    return covers


def _terminal(told: str) -> int:
    return 0 if told == FIRST else 1


def bounded(elements: Mapping[str, Element], zone: Zone) -> bool:
    """Whether a zone can be one: none reaches a supply of the public network, behind which nobody measures."""
    return not any(isinstance(elements[i], Infeed) for i in zone.covers if i in elements)


def uncovered(elements: Mapping[str, Element], zones: list[Zone]) -> list[Element]:
    """What is in service and in no zone, but for supplies and places that are no board; nothing where there are no zones."""
    if not zones:
        return []
    covered = frozenset[str]().union(*(zone.covers for zone in zones))
    those = (e for e in elements.values() if e.in_service and e.id not in covered and not isinstance(e, Infeed))
    return [e for e in those if (e.bus_kind != "junction" if isinstance(e, Bus) else e.TERMINALS)]


def gaps(elements: Mapping[str, Element], zones: list[Zone]) -> Iterator[tuple[Switching, str, str]]:
    """Switches with a zone on either side that are in none: the transformers of the two do not overlap at them."""
    for e in uncovered(elements, zones):
        if isinstance(e, Switching):
            sides = [next((zone.name for zone in zones if bus in zone.covers), "") for bus in e.buses]
            if all(sides):
                yield e, sides[0], sides[1]
