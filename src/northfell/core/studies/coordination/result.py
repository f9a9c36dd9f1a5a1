"""What coordination found in one state: the gaps of all pairs, the rules of all devices, and their times."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from northfell.core.finding import ORDER
from northfell.core.model.elements import Cable
from northfell.core.network import Compiled
from northfell.core.studies.coordination.neighbours import Standing
from northfell.core.studies.coordination.pairs import Pair
from northfell.core.studies.coordination.rule import RULES, Rule
from northfell.core.studies.coordination.schedule import points_table, settings_table, zones_table
from northfell.core.studies.coordination.settings import CoordinationSettings
from northfell.core.studies.duty import withstands_ka
from northfell.core.studies.protection import Device, Through, exchanged
from northfell.core.studies.short_circuit import ShortCircuit
from northfell.core.tables import Table, build

WITHIN, NOT_ASSESSED, NOT_REQUIRED = "within", "not assessed", "not required"
IN_SERIES = "; in series: whichever opens, the same loses its supply"
_PAIRS = (
    ("state", "", "State"), ("upstream", "", "Above"), ("downstream", "", "Below"), ("fault", "", "Fault"), ("case", "", "Case"), ("i_ka", "kA", "I below"),
    ("margin_s", "s", "Gap"), ("required_s", "s", "Required"), ("verdict", "", "Verdict"), ("bus", "", "Fault at"), ("i_upstream_ka", "kA", "I above"),
    ("i_fault_ka", "kA", "Bolted"), ("t_downstream_s", "s", "Below opened"), ("t_upstream_s", "s", "Above orders"), ("basis", "", "By"),
)  # fmt: skip
_RULES = (
    ("state", "", "State"), ("element", "", "Device"), ("rule", "", "Rule"), ("value", "", "Value"), ("limit", "", "At least"), ("unit", "", "Unit"),
    ("source", "", "Source"), ("verdict", "", "Verdict"), ("of", "", "Of"), ("i_a", "A", "At"), ("basis", "", "Because"),
)  # fmt: skip
_TIMES = (
    ("state", "", "State"), ("device", "", "Device"), ("stage", "", "Stage"), ("i_ka", "kA", "I"), ("t_fast_s", "s", "Opens from"),
    ("t_slow_s", "s", "Opened by"), ("bus", "", "Fault at"), ("fault", "", "Fault"), ("case", "", "Case"), ("i_residual_ka", "kA", "3·I0"),
)  # fmt: skip


Key = tuple[str, str]  # the device above, and the one below


@dataclass(frozen=True)
class Time:
    """When a device opens for a fault in a zone that it feeds."""

    device: str
    stage: str
    i_a: float
    t_fast_s: float
    t_slow_s: float
    bus: int
    fault: str
    case: str
    sees: Through  # with all that it measures

    @property
    def residual_a(self) -> float:
        """3·I0 through it [A]."""
        return float(self.sees.residual_a)


@dataclass(frozen=True)
class Coordination:
    """The coordination of one state."""

    net: Compiled
    settings: CoordinationSettings
    faults: ShortCircuit
    devices: Mapping[str, Device]
    standing: tuple[Standing, ...]
    pairs: tuple[Pair, ...]
    rules: tuple[Rule, ...]
    times: tuple[Time, ...]
    waits: tuple[str, ...] = ()  # what is not known of devices, and keeps them back
    again: Callable[..., "Coordination"] | None = field(default=None, repr=False, compare=False)
    settled: tuple[Mapping[Key, Pair], Mapping[Key, Pair]] = field(default=({}, {}), repr=False, compare=False)  # as `worst`, of pairs that were held before
    anew: int = 0  # from which pair on they are held anew
    drawn: dict[Any, Any] = field(default_factory=dict, repr=False, compare=False)  # curves that were made of it, by device and what they are over

    def with_device(self, changed: Device) -> "Coordination":
        """The same with a device set otherwise: what flows is as it was, gaps and rules are held anew."""
        assert self.again is not None
        return self.again(*exchanged(self.devices, changed), self)

    def v_kv(self, device: str) -> float:
        """Nominal voltage at a device [kV]."""
        return float(self.net.v_nominal_kv[self.net.topology.bus_index[self.devices[device].switch.buses[0]]])

    @staticmethod
    def one_second_ka(cable: Cable) -> float | None:
        """Short-time current of one cable for one second [kA]."""
        return withstands_ka(cable)

    def verdict(self, one: Pair) -> str:
        """breach, close, within; not required of two in series, where the project says so."""
        if one.in_series and self.settings.in_series == "not required":
            return NOT_REQUIRED
        slack = 1e-9 * max(1.0, abs(one.required_s))
        if one.short_s > slack or (one.required_s == 0 and one.margin_s <= 0):  # bands that touch are not clear of each other
            return "breach"
        near = min(self.settings.near_s, 0.1 * one.t_upper_s)  # of what takes milliseconds a fixed time would be much
        return "close" if one.short_s > -near else WITHIN

    def verdict_of(self, one: Rule) -> str:
        if one.value is None:
            return NOT_ASSESSED
        if one.value < one.limit * (1 - 1e-9) and one.grave:
            return "breach"
        return "close" if one.value < one.close else WITHIN

    @cached_property
    def worst_pairs(self) -> dict[Key, Pair]:
        """The worst of each pair (above, below) over faults and cases."""
        found, to_earth = (dict(of) for of in self.worst)
        for key, one in to_earth.items():
            if key not in found or self._grave(one) < self._grave(found[key]):
                found[key] = one
        return found

    def worst_of(self, fault: str) -> Mapping[Key, Pair]:
        """The same among faults to earth alone, or among all others."""
        return self.worst[fault == "lg"]

    @cached_property
    def worst(self) -> tuple[Mapping[Key, Pair], Mapping[Key, Pair]]:
        """The worst of each pair among faults between phases, and among those to earth."""
        found = tuple(dict(of) for of in self.settled)
        for one in self.pairs[self.anew :]:
            of, key = found[one.fault == "lg"], (one.upstream, one.downstream)
            if key not in of or self._grave(one) < self._grave(of[key]):
                of[key] = one
        return found[0], found[1]

    def _grave(self, one: Pair) -> tuple[int, float]:
        verdict = self.verdict(one)
        return 4 if verdict == NOT_REQUIRED else ORDER.get(verdict, 3), -round(one.short_s, 9)

    def pairs_with(self, device: str) -> list[Pair]:
        """The worst of each pair in which a device stands, as the lower one first."""
        return sorted((p for key, p in self.worst_pairs.items() if device in key), key=lambda p: p.upstream == device)

    def rules_of(self, device: str) -> list[Rule]:
        return [one for one in self.rules if one.device == device]

    @property
    def messages(self) -> tuple[str, ...]:
        return (*self.faults.messages, *self.waits)

    @property
    def summary(self) -> dict[str, Any]:
        of_pairs, of_rules = [self.verdict(p) for p in self.worst_pairs.values()], [self.verdict_of(r) for r in self.rules]
        return {
            "method": self.faults.method, "devices": len(self.devices), "pairs": len(of_pairs),
            **{f"pairs_{v.replace(' ', '_')}": of_pairs.count(v) for v in ("breach", "close", WITHIN, NOT_REQUIRED)},
            **{f"rules_{v.replace(' ', '_')}": of_rules.count(v) for v in ("breach", "close", WITHIN, NOT_ASSESSED)},
        }  # fmt: skip

    def tables(self) -> list[Table]:
        return [
            self.pairs_table(), self.rules_table(), self.times_table(), settings_table(self.net, self.devices), points_table(self.net, self.devices),
            zones_table(self.net),
        ]  # fmt: skip

    def pairs_table(self, worst: bool = False) -> Table:
        """Every pair for every fault and case, the gravest first; with `worst` the worst of each pair alone."""
        rows = []
        for one in sorted(self.worst_pairs.values() if worst else self.pairs, key=self._grave):
            basis = f"{one.interval.basis}{IN_SERIES if one.in_series else ''}"
            rows.append((
                self.net.state, self.net.name(one.upstream), self.net.name(one.downstream), one.fault, one.case, one.i_ka, _known(one.margin_s), one.required_s,
                self.verdict(one), self._bus(one.bus), one.i_upper_ka, one.i_fault_ka, _known(one.t_lower_s), _known(one.t_upper_s), basis,
            ))  # fmt: skip
        return build("pairs", _PAIRS, rows)

    def rules_table(self) -> Table:
        rows = []
        for one in sorted(self.rules, key=lambda r: ORDER.get(self.verdict_of(r), 3)):
            of = self.net.name(one.of) if one.of else None
            value = _known(one.value) if one.value is not None else None
            rows.append((
                self.net.state, self.net.name(one.device), RULES[one.rule], value, one.limit, one.unit, one.source, self.verdict_of(one), of,
                _known(one.at_a), one.basis,
            ))  # fmt: skip
        return build("rules", _RULES, rows)

    def times_table(self) -> Table:
        rows = []
        for t in self.times:
            fast, slow, residual = _known(t.t_fast_s), _known(t.t_slow_s), t.residual_a / 1000
            rows.append((self.net.state, self.net.name(t.device), t.stage, t.i_a / 1000, fast, slow, self._bus(t.bus), t.fault, t.case, residual))
        return build("times", _TIMES, rows)

    def _bus(self, bus: int) -> str | None:
        return self.net.name(self.net.topology.bus_ids[bus]) if bus >= 0 else None


def _known(value: float) -> float | None:
    """A time or ratio that is a number; what never happens is absent."""
    return value if math.isfinite(value) else None
