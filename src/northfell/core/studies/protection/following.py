"""What opens first, second, third for a fault: an event loop that solves the network again after every opening, until the place is cut off.

Every function of every device runs up to its operation by what flows through it: in each interval by the share of its time at that current
that has passed. What does not pick up in an interval has forgotten, unless it resets slowly. From its order a breaker takes its own time, whatever flows then.
"""

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from northfell.core.model.elements import Element, Inverter
from northfell.core.network import Compiled, compile_network
from northfell.core.studies.protection.devices import Device, Wanted, devices_of, wanted_by
from northfell.core.studies.protection.functions import Function
from northfell.core.studies.protection.through import Edge, Through, seen_by, through_devices
from northfell.core.studies.short_circuit import Flows, ShortCircuit

MOST_EVENTS = 200
TOGETHER_S = 1e-9
LEAST_KA = 1e-6  # less is nothing
NOTHING = Through(np.zeros(()), np.zeros(()))


@dataclass(frozen=True)
class Step:
    """A device that has opened."""

    t_s: float
    device: str
    reason: str
    i_a: float  # through it, when its function operated
    ordered_s: float  # when that was
    closes: bool = False  # it is a recloser that closes again


@dataclass(frozen=True)
class Interval:
    """Between two openings nothing changes."""

    from_s: float
    to_s: float  # infinite for the last one of a fault that nobody cuts off
    i_bolted_ka: float
    i_fault_ka: float  # the bolted one, or that of an arc
    of_sources: Mapping[str, float]  # what each source brings, at the voltage of the fault [kA]
    of_devices: Mapping[str, float]  # through each device that sees some of it [A]


@dataclass(frozen=True)
class TripOrder:
    """The order in which devices open."""

    steps: tuple[Step, ...]
    intervals: tuple[Interval, ...]
    cleared_s: float  # infinite if never
    told: tuple[str, ...] = ()


@dataclass
class _Running:
    """A function on its way to operate."""

    device: str
    function: Function
    passed: float = 0.0  # share of its time
    below_s: float = 0.0  # for how long it has been below its pickup
    ordered_s: float = math.inf
    i_a: float = 0.0


@dataclass(frozen=True)
class Asked:
    """Which fault is followed."""

    bus_id: str
    fault: str = "3ph"
    case: str = "max"
    current_ka: Callable[[float], float] = lambda i_bolted_ka: i_bolted_ka  # what flows of a bolted current: less of an arc
    edge: Edge = "slow"
    arc: bool = False  # the fault is known to be one
    on_failure: bool = True  # signals of breaker failure come where their time is up; not where a time must be counted on
    failed: frozenset[str] = frozenset()  # devices that do not open
    longest_s: float = 100.0
    instants_s: tuple[float, ...] = ()  # at which the currents of sources are found anew, as they have fallen; none: they are constant


Solve = Callable[[Compiled, float], ShortCircuit]  # of a network, when so much time has passed: 0 for currents that are constant


Solved = dict[tuple[frozenset[str], float], ShortCircuit]  # by the devices that are open, and the time that has passed


def follow(faults: ShortCircuit, asked: Asked, solve: Solve, devices: Mapping[str, Device] | None = None, solved: Solved | None = None) -> TripOrder:
    """Follow a fault at a bus until no source feeds it any more.

    Parameters
    ----------
    faults : ShortCircuit
        Faults of the state as it is.
    asked : Asked
        The fault, and who fails.
    solve : callable
        Faults of a network after something has opened, or so much time has passed.
    devices : mapping, optional
        By the id of their switch; those of the state where they are not given.
    solved : dict, optional
        What was solved already, for who follows several faults of a state; it is added to.
    """
    loop = _Loop(faults, asked, solve, dict(devices if devices is not None else devices_of(faults.net.elements)), {} if solved is None else solved)
    return loop.run()


@dataclass
class _Loop:
    faults: ShortCircuit
    asked: Asked
    solve: Solve
    devices: dict[str, Device]
    solved: Solved
    now: float = 0.0
    steps: list[Step] = field(default_factory=list)
    intervals: list[Interval] = field(default_factory=list)
    opened: set[str] = field(default_factory=set)
    done: Counter[str] = field(default_factory=Counter)  # trips of each device
    closes: dict[str, float] = field(default_factory=dict)  # when reclosers close again
    fallen: int = 0  # how many of the instants have passed
    whole: ShortCircuit = field(init=False)
    told: list[str] = field(default_factory=list)
    flows: Flows = field(init=False)
    wanted: Wanted = field(init=False)
    bolted_ka: float = 0.0
    share: float = 1.0

    def run(self) -> TripOrder:
        self.wanted, self.whole = wanted_by(self.devices.values()), self.faults
        self.faults = self._without()
        running = [one for d in self.devices for one in self._ready(d)]
        ended = 0.0
        for _ in range(MOST_EVENTS):
            net = self.faults.net
            bus = net.topology.bus_index.get(self.asked.bus_id, -1)
            if bus < 0 or not net.topology.fed_bus(bus):
                if bus >= 0 and net.is_held_back(bus):
                    self.intervals.append(self._held_on(bus))
                    self.told.append(
                        "What is left is not solved for: inverters alone hold on, with all that they can bring, and nothing is counted on to open."
                    )
                    return self._made(math.inf)
                if not self.closes:
                    return self._made(ended)
                running = self._close(running, {})
                continue
            self.flows = self.faults.flows([bus], self.asked.case, self.asked.fault)
            self.bolted_ka = self._bolted_ka(bus)
            self.share = self.asked.current_ka(self.bolted_ka) / self.bolted_ka if self.bolted_ka > 0 else 0.0
            i_a = self._currents()
            until, opening = self._next(running, i_a)
            if self.closes and min(self.closes.values()) < min(until, self._falls_at()):
                self.intervals.append(self._interval(bus, min(self.closes.values()), i_a))
                running = self._close(running, i_a)
                continue
            if self._falls_at() < until:
                self.intervals.append(self._interval(bus, self._falls_at(), i_a))
                self._fall(running, i_a)
                continue
            self.intervals.append(self._interval(bus, until, i_a))
            if until > self.asked.longest_s:
                if math.isfinite(until):
                    self.told.append(f"The next device would open after {until:.4g} s: not followed so far.")
                return self._made(math.inf)
            self._pass(running, i_a, until)
            for one in opening:
                self.steps.append(Step(until, one.device, one.function.stage, one.i_a, one.ordered_s))
                self.opened.add(one.device)
                self._trips(one.device, until)
            ended = until
            running = [one for one in running if one.device not in self.opened]
            self._is_now(until)
        self.told.append(f"Given up after {MOST_EVENTS} openings.")
        return self._made(math.inf)

    def _held_on(self, bus: int) -> Interval:
        """From now on without end: what inverters bring into a fault, their currents added as numbers; where it is not for them, as much as before."""
        net = self.faults.net
        held = [one for one in net.held_back if bus in one.buses]
        brings: dict[str, float] = {}
        for e in net.elements.values():
            if isinstance(e, Inverter) and net.topology.live[e.id] and any(net.topology.bus_index[e.bus] in one.buses for one in held):
                brings[e.id] = (e.ik_over_ir or 0.0) * (e.s_rated_mva or 0.0) * e.count / (math.sqrt(3) * float(net.v_nominal_kv[bus]))
        i_ka = self.bolted_ka if any(one.lacking for one in held) else sum(brings.values())
        return Interval(self.now, math.inf, i_ka, self.asked.current_ka(i_ka) if i_ka > 0 else 0.0, brings, {})

    def _falls_at(self) -> float:
        """Up to when currents are taken as they are; as they will be by then, since a device is not to be credited with more."""
        return self.asked.instants_s[self.fallen] if self.fallen < len(self.asked.instants_s) else math.inf

    def _fall(self, running: list[_Running], i_a: Mapping[str, Through]) -> None:
        """Let time pass until the next instant, from which on there is less."""
        until = self._falls_at()
        self._pass(running, i_a, until)
        self._is_now(until)

    def _is_now(self, at_s: float) -> None:
        """Time has passed, and currents have fallen meanwhile."""
        self.now, self.fallen = at_s, sum(instant <= at_s for instant in self.asked.instants_s)
        self.faults = self._without()

    def _ready(self, device: str) -> list[_Running]:
        """The functions of a device in its next trip."""
        one = self.devices[device]
        acting = one.by_fast_curve if self.done[device] < one.fast_shots else one.once
        return [_Running(device, f) for f in (*acting.functions, *acting.on_failure) if self._acts(f)]

    def _trips(self, device: str, at_s: float) -> None:
        """Count a trip of a device; a recloser closes again after it, but after its last."""
        self.done[device] += 1
        relay = self.devices[device].reclosing
        if relay is not None and self.done[device] < relay.shots:
            self.closes[device] = at_s + (relay.t_dead_s or 0.0)

    def _close(self, running: list[_Running], i_a: Mapping[str, Through]) -> list[_Running]:
        """Let time pass until the next recloser closes; what runs then."""
        until = min(self.closes.values())
        self._pass(running, i_a, until)
        closing = [d for d, t in self.closes.items() if t <= until + TOGETHER_S]
        for d in closing:
            del self.closes[d]
            self.opened.discard(d)
            shots = self.devices[d].reclosing
            told = f"closes again after trip {self.done[d]} of {shots.shots if shots else 1}"
            self.steps.append(Step(until, d, told, 0.0, until, closes=True))
        self._is_now(until)
        return [*running, *(one for d in closing for one in self._ready(d))]

    def _acts(self, function: Function) -> bool:
        return not function.if_fails or self.asked.on_failure

    def _made(self, cleared_s: float) -> TripOrder:
        return TripOrder(tuple(self.steps), tuple(self.intervals), cleared_s, tuple(self.told))

    def _bolted_ka(self, bus: int) -> float:
        if self.asked.fault == "3ph":
            return abs(complex(self.flows.ik_ka[0, 0]))
        return float(self.faults.cases[self.asked.case].of(self.asked.fault).ik_ka[bus])

    def _currents(self) -> dict[str, Through]:
        """Through each device that is closed [A]."""
        closed = set(self.faults.net.topology.closed_ids)
        carry = [d for d in self.devices if d in closed and d not in self.opened]
        through = through_devices(self.flows, carry, self.wanted.more, self.wanted.elsewhere).times(self.share, self.asked.arc)
        return {d: through.at((k, 0)) for k, d in enumerate(carry)}

    def _next(self, running: list[_Running], i_a: Mapping[str, Through]) -> tuple[float, list[_Running]]:
        """When the next device has opened, and which do together; each by its first function."""
        opens: dict[str, tuple[float, _Running]] = {}
        for one in running:
            if one.device in self.asked.failed:
                continue
            t = one.ordered_s if math.isfinite(one.ordered_s) else self.now + self._left(one, i_a.get(one.device, NOTHING))
            t += one.function.adds_s
            if one.device not in opens or t < opens[one.device][0]:
                opens[one.device] = t, one
        first = min((t for t, _ in opens.values()), default=math.inf)
        return first, [one for t, one in opens.values() if t <= first + TOGETHER_S and math.isfinite(t)]

    def _left(self, one: _Running, through: Through) -> float:
        whole = float(one.function.orders_at_s(through, self.asked.edge))
        return (1 - one.passed) * whole

    def _pass(self, running: list[_Running], i_a: Mapping[str, Through], until: float) -> None:
        """Let time pass: every function gets on by its share, those that operate meanwhile give their orders."""
        for one in running:
            if math.isfinite(one.ordered_s):
                continue
            through = i_a.get(one.device, NOTHING)
            whole = float(one.function.orders_at_s(through, self.asked.edge))
            if math.isinf(whole):
                self._forget(one, through, until - self.now)
                continue
            one.below_s = 0.0
            left = (1 - one.passed) * whole
            if self.now + left <= until + TOGETHER_S:
                one.ordered_s, one.i_a, one.passed = self.now + left, float(seen_by(one.function.measures, through)), 1.0
            else:
                one.passed += (until - self.now) / whole

    def _forget(self, one: _Running, through: Through, lasts_s: float) -> None:
        """What a function that does not pick up in an interval keeps of what has passed."""
        reset = one.function.reset
        if reset is None or one.passed == 0.0:
            one.passed = 0.0
            return
        m = float(one.function.sees(through, self.asked.edge)) / one.function.curve.pickup_a
        one.passed = reset.left(one.passed, m, one.below_s, lasts_s)
        one.below_s += lasts_s

    def _interval(self, bus: int, until: float, i_a: Mapping[str, Through]) -> Interval:
        net, given = self.faults.net, self.faults.cases[self.asked.case].given
        brings = {}
        for e in (*given.sources.elements, *given.converters.elements):
            at = net.topology.bus_index[e.buses[0]]
            i = self.share * float(self.flows.largest_of(e.id)[0, 0]) * float(net.v_nominal_kv[at] / net.v_nominal_kv[bus])
            if i > LEAST_KA:
                brings[e.id] = i
        of_devices = {d: float(i.phase_a) for d, i in i_a.items() if i.phase_a > 1000 * LEAST_KA}
        return Interval(self.now, until, self.bolted_ka, self.share * self.bolted_ka, brings, of_devices)

    def _without(self) -> ShortCircuit:
        """Faults with everything open that is, and so much time passed."""
        return faults_without(self.whole, frozenset(self.opened), self._falls_at() if self.asked.instants_s else 0.0, self.solve, self.solved)


def faults_without(whole: ShortCircuit, opened: frozenset[str], passed_s: float, solve: Solve, solved: Solved) -> ShortCircuit:
    """Faults with some devices open and so much time passed, kept once they are solved."""
    if not opened and not passed_s:
        return whole
    key, net = (opened, passed_s), whole.net
    if (known := solved.get(key)) is not None:
        return known
    if opened:
        elements: dict[str, Element] = {i: e.model_copy(update={"closed": False}) if i in opened else e for i, e in net.elements.items()}
        net = compile_network(net.network, net.state, "short_circuit", elements=elements)
    found = solved[key] = solve(net, passed_s)
    return found


def opened_by(steps: Sequence[Step], t_s: float) -> frozenset[str]:
    """The devices that are open at a time."""
    found: set[str] = set()
    for s in steps:
        if s.t_s <= t_s + TOGETHER_S:
            (found.discard if s.closes else found.add)(s.device)
    return frozenset(found)


def order_of(steps: Sequence[Step]) -> dict[str, int]:
    """The number under which each device opens; those that open together have the same."""
    found: dict[str, int] = {}
    opening = [s for s in steps if not s.closes]
    times = sorted({round(s.t_s, 9) for s in opening})
    for s in reversed(opening):  # of a recloser the first counts
        found[s.device] = times.index(round(s.t_s, 9)) + 1
    return found
