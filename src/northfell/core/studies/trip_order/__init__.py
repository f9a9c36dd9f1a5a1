"""Trip order: which device opens first, second, third for a fault at a bus, and what flows meanwhile."""

from northfell.core.errors import NotFound
from northfell.core.studies.record import Asked, Study
from northfell.core.studies.trip_order.result import TripOrders
from northfell.core.studies.trip_order.settings import TripOrderSettings
from northfell.core.studies.trip_order.solve import run
from northfell.core.working import Working


def _explain(orders: TripOrders, asked: Asked) -> Working:
    raise NotFound("A trip order has no working of its own: its currents have theirs in Faults, its times at each device.")


TRIP_ORDER = Study[TripOrders](
    key="trip_order", label="trip order", settings=TripOrderSettings, run=lambda net, used: run(net, faults=used["short_circuit"]), explain=_explain,
    quantities=(), uses=("short_circuit",), tables_at=lambda orders, buses: orders.tables_at(buses),
)  # fmt: skip

__all__ = ["TRIP_ORDER", "TripOrderSettings", "TripOrders", "run"]
