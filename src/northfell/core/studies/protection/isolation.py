"""When a faulted place is cut off from its last source, and by which device.

Each device opens at its own time. The place stays fed as long as some path to a source has no open device on it: of every path the
first device to open counts, of all paths the one that stays longest. This serves boards with one supply, with several, and places on
the line side of their own main, without a special case.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from northfell.core.network import Compiled
from northfell.core.studies.protection.devices import Device


@dataclass(frozen=True)
class Isolation:
    """Time at which the last source is cut off [s], infinite if never; the deciding device and those first met from the place."""

    t_s: float
    device: str | None  # id of the switch that decides
    first_met: tuple[str, ...]  # devices first met on the ways to the sources


class _Groups:
    """Buses joined so far (union-find)."""

    def __init__(self, n: int) -> None:
        self.parent = list(range(n))

    def find(self, a: int) -> int:
        while self.parent[a] != a:
            self.parent[a] = self.parent[self.parent[a]]
            a = self.parent[a]
        return a

    def join(self, a: int, b: int) -> None:
        self.parent[self.find(a)] = self.find(b)


def isolate(net: Compiled, devices: Mapping[str, Device], bus: int, opens_at_s: Mapping[str, float]) -> Isolation:
    """Cut a bus off from its sources by devices that open at given times.

    Parameters
    ----------
    net : Compiled
    devices : mapping of switch id to Device
    bus : int
        Where the fault is.
    opens_at_s : mapping of switch id to float
        When each device has opened for this fault; infinite for never.
    """
    top = net.topology
    groups = _Groups(len(top.bus_ids))
    for a, b in zip(net.branches.from_bus.tolist(), net.branches.to_bus.tolist(), strict=True):
        groups.join(a, b)
    protected: list[tuple[float, str, int, int]] = []
    for closed_id, a, b in zip(top.closed_ids, top.closed_from.tolist(), top.closed_to.tolist(), strict=True):
        if closed_id in devices:
            protected.append((opens_at_s.get(closed_id, math.inf), closed_id, a, b))
        else:
            groups.join(a, b)
    sources = [top.bus_index[e.buses[0]] for e in (*net.infeeds, *net.generators)]
    first_met = _first_met(groups, protected, bus, sources)
    if any(groups.find(bus) == groups.find(s) for s in sources):
        return Isolation(math.inf, None, first_met)
    # join in the order in which devices would be the last to open: what completes the first path decides
    for t, device, a, b in sorted(protected, key=lambda p: -p[0]):
        groups.join(a, b)
        if any(groups.find(bus) == groups.find(s) for s in sources):
            return Isolation(t, device, first_met)
    return Isolation(0.0, None, first_met)


def _first_met(groups: _Groups, protected: list[tuple[float, str, int, int]], bus: int, sources: list[int]) -> tuple[str, ...]:
    """Devices at the edge of the faulted zone with a source somewhere beyond them."""
    zone = groups.find(bus)
    edge = [(d, groups.find(a), groups.find(b)) for _, d, a, b in protected if (groups.find(a) == zone) != (groups.find(b) == zone)]
    # zones as a small graph without the faulted one
    links: dict[int, set[int]] = {}
    for _, _, a, b in protected:
        za, zb = groups.find(a), groups.find(b)
        if zone not in (za, zb) and za != zb:
            links.setdefault(za, set()).add(zb)
            links.setdefault(zb, set()).add(za)
    fed = {groups.find(s) for s in sources} - {zone}
    reach, stack = set(fed), list(fed)
    while stack:
        for other in links.get(stack.pop(), ()):
            if other not in reach:
                reach.add(other)
                stack.append(other)
    return tuple(d for d, za, zb in edge if (za if zb == zone else zb) in reach)
