"""Every breaker, fuse, switch, contactor, board and cable of a state against its ratings."""

from collections.abc import Iterator

from northfell.core.model.elements import Breaker, Bus, Cable, Contactor, EarthingTransformer, Element, Fuse, Switch
from northfell.core.network import Compiled
from northfell.core.studies import short_circuit
from northfell.core.studies.duty.cables import heats, of_cable
from northfell.core.studies.duty.currents import Currents
from northfell.core.studies.duty.result import Duties, Duty
from northfell.core.studies.duty.rules import Rules, empty
from northfell.core.studies.duty.settings import DutySettings
from northfell.core.studies.short_circuit import ShortCircuit

JUDGED = (Breaker, Fuse, Switch, Contactor, Bus, Cable, EarthingTransformer)  # what has duties


def run(net: Compiled, settings: DutySettings | None = None, faults: ShortCircuit | None = None) -> Duties:
    """Hold every element that carries fault currents against what it is rated for.

    Raises
    ------
    CannotRun
        If there are no fault currents.
    """
    settings = settings or net.network.settings.of(DutySettings)
    faults = faults or short_circuit.run(net)
    net = faults.net
    switching: list[Element] = [e for e in net.elements.values() if isinstance(e, Breaker | Fuse | Switch | Contactor) and net.topology.live.get(e.id, False)]
    return Duties(net, settings, faults, tuple(_rows(Currents(faults, switching))))


def _rows(currents: Currents) -> Iterator[Duty]:
    rules, net = Rules(currents), currents.net
    of_cables = heats(currents)
    for e in net.elements.values():
        if not e.in_service or (e.TERMINALS and not net.topology.live.get(e.id, False)):
            continue
        if isinstance(e, Breaker | Fuse | Switch | Contactor):
            yield from rules.of_device(e)
        elif isinstance(e, Bus) and (e.bus_kind != "junction" or e.rated_by is not None):
            yield from rules.of_board(e)
        elif isinstance(e, Cable):
            yield of_cable(currents, e, of_cables.get(e.id, []))
        elif isinstance(e, EarthingTransformer):
            yield _earthing(currents, e)


def _earthing(currents: Currents, e: EarthingTransformer) -> Duty:
    """Earth current through the star point of an earthing transformer."""
    bus = currents.net.topology.bus_index[e.bus]
    if e.i_earth_a is None:
        return empty(e, "earth current", "i_earth_a", "")
    if bus not in currents.fed or "lg" not in currents.known[bus]:
        return Duty(e.id, "earth current", basis="no earth-fault current is known here")
    i = 3000 * abs(complex(currents.case.flows([bus], "lg").of(e.id)[0, 0, 2]))
    for_ = f"for {e.t_rated_s:g} s" if e.t_rated_s else "its time is not given"
    return Duty(e.id, "earth current", e.i_earth_a, i, "A", bus, "lg", "IEEE C57.32", f"3·I0 through its star point, rated {for_}")
