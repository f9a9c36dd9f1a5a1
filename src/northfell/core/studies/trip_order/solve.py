"""The trip orders of one state: each is followed when it is asked for."""

from northfell.core.network import Compiled
from northfell.core.studies import short_circuit
from northfell.core.studies.short_circuit import ShortCircuit
from northfell.core.studies.trip_order.result import TripOrders
from northfell.core.studies.trip_order.settings import TripOrderSettings


def run(net: Compiled, settings: TripOrderSettings | None = None, faults: ShortCircuit | None = None) -> TripOrders:
    """Make ready to follow faults of a state.

    Raises
    ------
    CannotRun
        If there are no fault currents.
    """
    faults = faults or short_circuit.run(net)
    return TripOrders(faults.net, settings or net.network.settings.of(TripOrderSettings), faults)
