"""What opens when, as tables."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from northfell.core.errors import CannotRun, InputRefused
from northfell.core.model.elements import Bus, Fuse, SynchronousGenerator
from northfell.core.network import Compiled
from northfell.core.studies import short_circuit
from northfell.core.studies.arc_flash import ArcFlashSettings, arcing_current_ka, enclosure_of, reduction
from northfell.core.studies.protection import LEAST_ARC_S, Asked, TripOrder, devices_of, follow, lacking_of
from northfell.core.studies.short_circuit import TO_EARTH, ShortCircuit
from northfell.core.studies.trip_order.settings import TripOrderSettings
from northfell.core.tables import Table, build

STUDY = "trip_order"
_STEPS = (
    ("state", "", "State"), ("step", "", "Step"), ("t_s", "s", "Opened"), ("device", "", "Device"), ("reason", "", "By"), ("i_device_ka", "kA", "Through it"),
    ("ordered_s", "s", "Operated"), ("bus", "", "Fault at"), ("fault", "", "Fault"), ("current", "", "Current"),
)  # fmt: skip
_INTERVALS = (
    ("state", "", "State"), ("from_s", "s", "From"), ("to_s", "s", "To"), ("source", "", "Source"), ("i_ka", "kA", "Brings"),
    ("i_fault_ka", "kA", "Fault"), ("bus", "", "Fault at"),
)  # fmt: skip


@dataclass(frozen=True)
class TripOrders:
    """The trip orders of one state, by bus, as they were asked for."""

    net: Compiled
    settings: TripOrderSettings
    faults: ShortCircuit
    _made: dict[tuple[str, TripOrderSettings], TripOrder] = field(default_factory=dict, repr=False, compare=False)

    @property
    def messages(self) -> tuple[str, ...]:
        unasked = () if self._made else ("A trip order is that of one fault: name its bus (--bus NAME).",)
        return (*self.faults.messages, *unasked, *(f"{self.net.name(bus)}: {line}" for (bus, _), one in self._made.items() for line in one.told))

    @property
    def summary(self) -> dict[str, Any]:
        told: dict[str, Any] = {"method": self.faults.method, "fault": self.settings.fault, "current": self.settings.current, "edge": self.settings.edge}
        for (bus, _), one in self._made.items():
            told |= {"bus": self.net.name(bus), "cleared": math.isfinite(one.cleared_s), "cleared_s": one.cleared_s if math.isfinite(one.cleared_s) else None}
        return told

    def tables(self) -> list[Table]:
        """Without a bus nothing is followed."""
        return [build("steps", _STEPS, []), build("intervals", _INTERVALS, [])]

    def at(self, bus: int, settings: TripOrderSettings | None = None) -> TripOrder:
        """The order in which devices open for a fault at a bus.

        Raises
        ------
        CannotRun
            If the bus is not fed, a current through an arc is asked for where there is no enclosure, or a device is named that is none.
        """
        settings = settings or self.settings
        bus_id = self.net.topology.bus_ids[bus]
        key = bus_id, settings
        if key not in self._made:
            self._made[key] = self._follow(bus, settings)
        return self._made[key]

    def _follow(self, bus: int, settings: TripOrderSettings) -> TripOrder:
        net = self.net
        bus_id = net.topology.bus_ids[bus]
        if not net.topology.fed_bus(bus):
            raise CannotRun(STUDY, [f"{net.name(bus_id)} is not fed in {net.state}: there is no fault to follow."])
        if settings.fault in TO_EARTH and (lacking := self.faults.earth_faults_lack(bus)):
            raise CannotRun(STUDY, [f"There are no earth-fault currents at {net.name(bus_id)}: {lacking[0]}"])
        devices = devices_of(net.elements)
        not_set = lacking_of(net, "coordination")
        known = {d: one for d, one in devices.items() if d not in not_set}
        failed = {d for d in devices if devices[d].name == settings.failed}
        if settings.failed and not failed:
            raise CannotRun(STUDY, [f"failed is “{settings.failed}”, accepted is the name of a breaker with a trip or relay, or of a fuse."])
        asked = Asked(
            bus_id, settings.fault, settings.case, self._current(bus_id, settings), settings.edge, arc=settings.current != "bolted",
            failed=frozenset(failed), longest_s=settings.longest_s,
        )  # fmt: skip
        followed = follow(self.faults, asked, lambda changed, _: short_circuit.run(changed, self.faults.settings), known)
        quick = [net.name(s.device) for s in followed.steps if isinstance(known[s.device].switch, Fuse) and s.t_s < LEAST_ARC_S]
        if quick:
            followed = replace(
                followed, told=(*followed.told, f"{', '.join(quick)}: less than half a cycle stands for heat, and orders fuses; no arc is out before.")
            )
        brings = dict.fromkeys(source for i in followed.intervals for source in i.of_sources)
        if generators := [net.name(g) for g in brings if isinstance(net.elements[g], SynchronousGenerator)]:
            told = f"The current of {', '.join(generators)} is taken as constant; it falls, and a device may be slower."
            followed = replace(followed, told=(*followed.told, told))
        if not short_circuit.without_motors(self.faults).keys().isdisjoint(brings):
            told = "The current of motors is taken as constant; it is gone within cycles, and a device may be slower."
            followed = replace(followed, told=(*followed.told, told))
        at = net.elements[bus_id]
        if asked.arc and isinstance(at, Bus) and len(at.configurations) > 1:
            followed = replace(followed, told=(*followed.told, f"The arc is that of {at.configurations[0]}, the first of {', '.join(at.configurations)}."))
        return replace(followed, told=(*followed.told, *(f"Taken as never opening: {line}" for lines in not_set.values() for line in lines)))

    def _current(self, bus_id: str, settings: TripOrderSettings) -> Callable[[float], float]:
        """What flows of a bolted current: of an arc in the enclosure of the bus as the arc-flash method has it."""
        if settings.current == "bolted":
            return lambda i_bolted_ka: i_bolted_ka
        bus = self.net.elements[bus_id]
        if not isinstance(bus, Bus) or bus.electrode_configuration is None or settings.fault != "3ph":
            raise CannotRun(STUDY, [f"{bus.name}: an arcing current needs a three-phase fault at a bus with an electrode configuration."])
        factor = reduction(self.net.network.settings.of(ArcFlashSettings), bus) if settings.current == "reduced arcing" else 1.0

        def arcing(i_bolted_ka: float) -> float:
            try:
                return factor * arcing_current_ka(bus.v_nominal_kv or math.nan, i_bolted_ka, enclosure_of(bus))
            except InputRefused as error:
                raise CannotRun(STUDY, [f"{bus.name}: the arc-flash method gives no current here: {error}"]) from error

        return arcing

    def tables_at(self, buses: Sequence[int]) -> list[Table]:
        """Steps and intervals of faults at some buses."""
        steps: list[tuple[Any, ...]] = []
        intervals: list[tuple[Any, ...]] = []
        net, current = self.net, f"{self.settings.current}, {self.settings.case}imum"
        for bus in buses:
            one, name = self.at(bus), net.name(net.topology.bus_ids[bus])
            for k, s in enumerate(one.steps, 1):
                steps.append((net.state, k, s.t_s, net.name(s.device), s.reason, s.i_a / 1000, s.ordered_s, name, self.settings.fault, current))
            for i in one.intervals:
                to_s = i.to_s if math.isfinite(i.to_s) else None
                intervals += [(net.state, i.from_s, to_s, net.name(source), ka, i.i_fault_ka, name) for source, ka in i.of_sources.items()]
        return [build("steps", _STEPS, steps), build("intervals", _INTERVALS, intervals)]
