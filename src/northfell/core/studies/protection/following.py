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
from northfell.core.network import Compiled, compile_network, with_open
from northfell.core.studies.protection.curves import Floats
from northfell.core.studies.protection.devices import Device, Wanted, devices_of, wanted_by
from northfell.core.studies.protection.functions import Function
from northfell.core.studies.protection.through import Edge, Through, seen_by, through_devices
from northfell.core.studies.short_circuit import Flows, ShortCircuit

MOST_EVENTS = 200
TOGETHER_S = 1e-9
LEAST_KA = 1e-6  # less is nothing
MOST_KEPT = 32  # faults
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


class Carried:
    """What devices see in an interval: looked at closer for those alone that it may move."""

    def __init__(self, devices: Sequence[str], through: Through) -> None:
        self._at = {d: k for k, d in enumerate(devices)}
        self._through, self._made = through, dict[str, Through]()
        self._phase_a: list[float] = through.phase_a[:, 0].tolist()
        self._most_a: list[float] = np.maximum(through.phase_a, through.residual_a)[:, 0].tolist()

    def most_a(self, device: str) -> float:
        """The larger of phase and residual current."""
        k = self._at.get(device, -1)
        return self._most_a[k] if k >= 0 else 0.0

    def by(self, device: str) -> Through:
        """All that a device sees."""
        if device not in self._made:
            self._made[device] = self._through.at((self._at[device], 0)) if device in self._at else NOTHING
        return self._made[device]

    @property
    def phase_a(self) -> dict[str, float]:
        """Of each device that carries something."""
        return {d: self._phase_a[k] for d, k in self._at.items() if self._phase_a[k] > 1000 * LEAST_KA}


NO_DEVICES = Through(np.zeros((0, 1)), np.zeros((0, 1)))


@dataclass
class _Running:
    """A function on its way to operate."""

    device: str
    function: Function
    rests_below_a: float = 0.0
    at: "Carried | None" = None  # what was looked at last
    whole_s: float = math.inf  # and its time at that
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


@dataclass
class Solved:
    """What was looked at already of a state, for who follows several faults of it."""

    nets: dict[frozenset[str], Compiled] = field(default_factory=dict)  # by the devices that are open
    faults: dict[tuple[frozenset[str], float], ShortCircuit] = field(default_factory=dict)  # by those, and the time that has passed
    flowing: dict[tuple[object, ...], "_Flowing"] = field(default_factory=dict)  # the last few, also by the fault: arcs at a place are asked about in turn
    known: "_Known | None" = None  # of the devices asked about last

    def net(self, whole: Compiled, opened: frozenset[str]) -> Compiled:
        """The network with some devices open."""
        if not opened:
            return whole
        if opened not in self.nets:
            closed = opened & set(whole.topology.closed_ids)
            self.nets[opened] = with_open(whole, closed) or _compiled_with_open(whole, opened)
        return self.nets[opened]

    def without(self, whole: ShortCircuit, opened: frozenset[str], passed_s: float, solve: Solve) -> ShortCircuit:
        """Faults with some devices open and so much time passed."""
        if not opened and not passed_s:
            return whole
        key = opened, passed_s
        if key not in self.faults:
            self.faults[key] = solve(self.net(whole.net, opened), passed_s)
        return self.faults[key]

    def of_devices(self, devices: Mapping[str, Device]) -> "_Known":
        """What is asked of devices once."""
        if self.known is None or self.known.devices is not devices:
            self.known = _Known.of(devices)
            self.flowing.clear()
        return self.known

    def flows(self, key: tuple[object, ...], made: Callable[[], "_Flowing"]) -> "_Flowing":
        """What flows for a fault, found once."""
        if key not in self.flowing:
            while len(self.flowing) >= MOST_KEPT:
                self.flowing.pop(next(iter(self.flowing)))
            self.flowing[key] = made()
        return self.flowing[key]


@dataclass(frozen=True)
class _Flowing:
    """A bolted fault: what flows, and through which devices."""

    flows: Flows
    devices: tuple[str, ...]  # that carry some of it, or may act where they carry nothing
    through: Through  # (device, 1)
    carries_a: Floats  # (device,)
    rests_below_a: Floats  # (device,)

    def may_act(self, share: float) -> list[str]:
        """The devices that such a share of it may move."""
        return [self.devices[k] for k in np.flatnonzero(self.carries_a * share >= self.rests_below_a)]


@dataclass(frozen=True)
class _Known:
    """What is asked of devices once for all faults."""

    devices: Mapping[str, Device]
    order: Mapping[str, int]  # theirs, by id
    wanted: Wanted
    rests_below_a: dict[str, float]

    @classmethod
    def of(cls, devices: Mapping[str, Device]) -> "_Known":
        order = {d: k for k, d in enumerate(devices)}
        return cls(devices, order, wanted_by(devices.values()), {d: one.rests_below_a for d, one in devices.items()})


def _compiled_with_open(net: Compiled, opened: frozenset[str]) -> Compiled:
    elements: dict[str, Element] = {i: e.model_copy(update={"closed": False}) if i in opened else e for i, e in net.elements.items()}
    return compile_network(net.network, net.state, "short_circuit", elements=elements)


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
    solved : Solved, optional
        What was looked at already, for who follows several faults of a state; it is added to.
    """
    loop = _Loop(faults, asked, solve, devices_of(faults.net.elements) if devices is None else devices, Solved() if solved is None else solved)
    return loop.run()


@dataclass
class _Loop:
    faults: ShortCircuit
    asked: Asked
    solve: Solve
    devices: Mapping[str, Device]
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
    known: _Known = field(init=False)
    begun: set[str] = field(default_factory=set)  # devices whose functions run, or have run
    bolted_ka: float = 0.0
    share: float = 1.0

    def run(self) -> TripOrder:
        self.known, self.whole = self.solved.of_devices(self.devices), self.faults
        running, ended = list[_Running](), 0.0
        for _ in range(MOST_EVENTS):
            net = self.solved.net(self.whole.net, frozenset(self.opened))
            bus = net.topology.bus_index.get(self.asked.bus_id, -1)
            if bus >= 0 and net.topology.fed_bus(bus):  # what is cut off need not be solved
                self.faults = self._without()
                net = self.faults.net
            if bus < 0 or not net.topology.fed_bus(bus):
                if bus >= 0 and net.is_held_back(bus):
                    self.faults = self._without()
                    self.intervals.append(self._held_on(bus))
                    self.told.append(
                        "What is left is not solved for: inverters alone hold on, with all that they can bring, and nothing is counted on to open."
                    )
                    return self._made(math.inf)
                if not self.closes:
                    return self._made(ended)
                running = self._close(running, Carried((), NO_DEVICES))
                continue
            flowing = self.solved.flows(self._key(bus), lambda bus=bus: self._flowing(bus))  # type: ignore[misc]
            self.flows = flowing.flows
            self.bolted_ka = self._bolted_ka(bus)
            self.share = self.asked.current_ka(self.bolted_ka) / self.bolted_ka if self.bolted_ka > 0 else 0.0
            carried = Carried(flowing.devices, flowing.through.times(self.share, self.asked.arc))
            running = self._with_those_that_begin(running, flowing.may_act(self.share))
            until, opening = self._next(running, carried)
            if self.closes and min(self.closes.values()) < min(until, self._falls_at()):
                self.intervals.append(self._interval(bus, min(self.closes.values()), carried))
                running = self._close(running, carried)
                continue
            if self._falls_at() < until:
                self.intervals.append(self._interval(bus, self._falls_at(), carried))
                self._fall(running, carried)
                continue
            self.intervals.append(self._interval(bus, until, carried))
            if until > self.asked.longest_s:
                if math.isfinite(until):
                    self.told.append(f"The next device would open after {until:.4g} s: not followed so far.")
                return self._made(math.inf)
            self._pass(running, carried, until)
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

    def _fall(self, running: list[_Running], carried: Carried) -> None:
        """Let time pass until the next instant, from which on there is less."""
        until = self._falls_at()
        self._pass(running, carried, until)
        self._is_now(until)

    def _is_now(self, at_s: float) -> None:
        """Time has passed, and currents have fallen meanwhile."""
        self.now, self.fallen = at_s, sum(instant <= at_s for instant in self.asked.instants_s)

    def _with_those_that_begin(self, running: list[_Running], may_act: Sequence[str]) -> list[_Running]:
        """What runs already, with the functions of devices that nothing has moved so far."""
        new = [d for d in may_act if d not in self.begun]
        if not new:
            return running
        self.begun.update(new)
        return sorted([*running, *(one for d in new for one in self._ready(d))], key=lambda one: self.known.order[one.device])

    def _ready(self, device: str) -> list[_Running]:
        """The functions of a device in its next trip."""
        one = self.devices[device]
        acting = one.by_fast_curve if self.done[device] < one.fast_shots else one.once
        return [_Running(device, f, f.rests_below_a(self.asked.edge)) for f in (*acting.functions, *acting.on_failure) if self._acts(f)]

    def _trips(self, device: str, at_s: float) -> None:
        """Count a trip of a device; a recloser closes again after it, but after its last."""
        self.done[device] += 1
        relay = self.devices[device].reclosing
        if relay is not None and self.done[device] < relay.shots:
            self.closes[device] = at_s + (relay.t_dead_s or 0.0)

    def _close(self, running: list[_Running], carried: Carried) -> list[_Running]:
        """Let time pass until the next recloser closes; what runs then."""
        until = min(self.closes.values())
        self._pass(running, carried, until)
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

    def _key(self, bus: int) -> tuple[object, ...]:
        return frozenset(self.opened), self._falls_at() if self.asked.instants_s else 0.0, bus, self.asked.case, self.asked.fault

    def _flowing(self, bus: int) -> _Flowing:
        """What flows, and through which of the devices that are closed."""
        those = [d for d in self.faults.net.topology.closed_ids if d in self.devices and d not in self.opened]
        flows = self.faults.flows([bus], self.asked.case, self.asked.fault)
        through = through_devices(flows, those, self.known.wanted.more, self.known.wanted.elsewhere)
        least = np.array([self.known.rests_below_a[d] for d in those])
        carries_a = np.maximum(through.phase_a, through.residual_a)[:, 0]
        seen = np.flatnonzero(carries_a >= np.minimum(least, 1000 * LEAST_KA))
        return _Flowing(flows, tuple(those[k] for k in seen), through.at((seen,)), carries_a[seen], least[seen])

    def _next(self, running: list[_Running], carried: Carried) -> tuple[float, list[_Running]]:
        """When the next device has opened, and which do together; each by its first function."""
        opens: dict[str, tuple[float, _Running]] = {}
        for one in running:
            if one.device in self.asked.failed:
                continue
            t = one.ordered_s if math.isfinite(one.ordered_s) else self.now + (1 - one.passed) * self._whole_s(one, carried)
            t += one.function.adds_s
            if one.device not in opens or t < opens[one.device][0]:
                opens[one.device] = t, one
        first = min((t for t, _ in opens.values()), default=math.inf)
        return first, [one for t, one in opens.values() if t <= first + TOGETHER_S and math.isfinite(t)]

    def _whole_s(self, one: _Running, carried: Carried) -> float:
        """How long a function takes at what its device sees in an interval; infinite where that is nothing, and nothing else is gone by."""
        if carried.most_a(one.device) < one.rests_below_a:
            return math.inf
        if carried is not one.at:
            one.at, one.whole_s = carried, float(one.function.orders_at_s(carried.by(one.device), self.asked.edge))
        return one.whole_s

    def _pass(self, running: list[_Running], carried: Carried, until: float) -> None:
        """Let time pass: every function gets on by its share, those that operate meanwhile give their orders."""
        for one in running:
            if math.isfinite(one.ordered_s):
                continue
            whole = self._whole_s(one, carried)
            if math.isinf(whole):
                self._forget(one, carried, until - self.now)
                continue
            one.below_s = 0.0
            left = (1 - one.passed) * whole
            if self.now + left <= until + TOGETHER_S:
                one.ordered_s, one.i_a, one.passed = self.now + left, float(seen_by(one.function.measures, carried.by(one.device))), 1.0
            else:
                one.passed += (until - self.now) / whole

    def _forget(self, one: _Running, carried: Carried, lasts_s: float) -> None:
        """What a function that does not pick up in an interval keeps of what has passed."""
        reset = one.function.reset
        if reset is None or one.passed == 0.0:
            one.passed = 0.0
            return
        m = float(one.function.sees(carried.by(one.device), self.asked.edge)) / one.function.curve.pickup_a
        one.passed = reset.left(one.passed, m, one.below_s, lasts_s)
        one.below_s += lasts_s

    def _interval(self, bus: int, until: float, carried: Carried) -> Interval:
        net, given = self.faults.net, self.faults.cases[self.asked.case].given
        brings, s = {}, given.sources
        sources = [*(s.elements[k] for k in np.flatnonzero(np.isfinite(s.z))), *given.converters.elements]
        for e, i_ka in zip(sources, self.flows.largest_of_units(sources)[:, 0].tolist(), strict=True):
            at = net.topology.bus_index[e.buses[0]]
            i = self.share * i_ka * float(net.v_nominal_kv[at] / net.v_nominal_kv[bus])
            if i > LEAST_KA:
                brings[e.id] = i
        return Interval(self.now, until, self.bolted_ka, self.share * self.bolted_ka, brings, carried.phase_a)

    def _without(self) -> ShortCircuit:
        """Faults with everything open that is, and so much time passed."""
        return self.solved.without(self.whole, frozenset(self.opened), self._falls_at() if self.asked.instants_s else 0.0, self.solve)


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
