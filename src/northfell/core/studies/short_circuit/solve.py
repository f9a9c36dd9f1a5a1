"""Faults at every bus: which islands have a result, and the cases of the school that is chosen."""

from collections.abc import Mapping

from northfell.core.network import Compiled, fed, with_data
from northfell.core.studies.short_circuit import iec, ieee
from northfell.core.studies.short_circuit.case import Shared
from northfell.core.studies.short_circuit.decay import aged
from northfell.core.studies.short_circuit.iec_case import IecCase
from northfell.core.studies.short_circuit.ieee import IeeeCase
from northfell.core.studies.short_circuit.result import CASES, ShortCircuit
from northfell.core.studies.short_circuit.settings import ShortCircuitSettings

STUDY = "short_circuit"


def run(net: Compiled, settings: ShortCircuitSettings | None = None, left: Mapping[str, float] | None = None) -> ShortCircuit:
    """Faults at every fed bus of a compiled state, maximum and minimum; with `left`, when so much is left of the current of some sources.

    Raises
    ------
    CannotRun
        If data or a supply is missing.
    """
    settings = settings or net.network.settings.of(ShortCircuitSettings)
    net = with_data(net, STUDY, of_faults=True)
    alone = _fed_by_inverters_alone(net)
    if alone:
        told = "is fed by inverters alone: {} needs a source with an impedance of its own in the island."
        net = fed(net.holding_back((bus, f"Bus {net.name(net.topology.bus_ids[bus])} {told.format(settings.method)}") for bus in alone), STUDY)
    shared = Shared(net)
    made: dict[str, IecCase | IeeeCase] = {}
    for case in CASES:
        if settings.school == "iec":
            made[case] = IecCase(net, settings, aged(iec.given(net, settings, case), left or {}), shared)
        else:
            made[case] = IeeeCase(net, settings, aged(ieee.given(net, settings, case, "first-cycle"), left or {}), shared)
    return ShortCircuit(net, settings, made)


def _fed_by_inverters_alone(net: Compiled) -> list[int]:
    """A bus of each island that no source with an impedance feeds."""
    island, supplied = net.topology.island_of_node, net.topology.fed_node
    with_impedance = {int(i) for group in (net.infeeds, net.generators) for i in island[net.node_of(group)]}
    alone: dict[int, int] = {}
    for bus, node in enumerate(net.topology.node_of_bus):
        if node >= 0 and supplied[node] and int(island[node]) not in with_impedance:
            alone.setdefault(int(island[node]), bus)
    return list(alone.values())
