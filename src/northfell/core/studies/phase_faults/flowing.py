"""What flows through switching devices during faults by phase."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from northfell.core.network import Compiled
from northfell.core.network.phases.thevenin import Short, shorted
from northfell.core.studies.phase_faults.gathering import TURN, FaultGathering, Which
from northfell.core.studies.phase_faults.result import EARTH

Poles = Mapping[str, complex]  # by conductor [A]


@dataclass(frozen=True)
class Lasting:
    """What lasts of the current of a fault."""

    ik_ka: float  # in the conductor that carries most
    through: Mapping[str, Poles]  # closed switches, by id


def lasting(net: Compiled, asked: Sequence[tuple[str, str]], case: Which) -> list[Lasting | None]:
    """Faults, each by its bus and its name, with neither motors nor converters, and what flows through closed switches.

    Of switches beside each other nothing is told: which of them carries how much is not known. None where nothing feeds a fault; where inverters
    alone hold its island on, nothing lasts that is counted on.
    """
    g = FaultGathering(net, case=case, lasting=True)
    network = g.all().network
    shorts = []
    for bus, fault in asked:
        names, at, c = [end for end in fault.split("–") if end != EARTH], g.at(bus), g.c_of(g.kv(bus), case)
        e_v = np.array([c * g.base[at[p]] * TURN[p] for p in names])
        shorts.append(Short([at[p] for p in names], e_v, fault.endswith(EARTH)))
    top = net.topology
    held = {int(top.island_of_node[node]) for node in net.node_of([e for e in net.inverters if e.feeds])}
    found: list[Lasting | None] = []
    for (bus, _), one in zip(asked, shorted(network, shorts), strict=True):
        if one is None:
            holds_on = int(top.island_of_node[top.node_of_bus[top.bus_index[bus]]]) in held
            found.append(Lasting(0.0, {}) if holds_on else None)
            continue
        through = {d: {network.names[n][1]: i for n, i in poles.items()} for d, poles in one.through.items()}
        found.append(Lasting(float(np.abs(one.i_a).max()) / 1000, through))
    return found
