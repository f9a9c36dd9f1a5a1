"""What acts between two solutions: reactive limits, tap changers, switched capacitors. Each settles before the next is asked.

A position is never tried twice: where controls would hunt, they stay where they miss least, and a message says so.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from northfell.core.errors import Message, NoSolution
from northfell.core.model.elements import CapacitorBank, Element, ThreeWindingTransformer, Transformer
from northfell.core.model.elements.tap_changer import positions_of, tap_ratio
from northfell.core.model.network import title_of
from northfell.core.network.compile import Complexes, Floats
from northfell.core.network.topology import Ints
from northfell.core.studies.load_flow.carried import carried
from northfell.core.studies.load_flow.case import Case, Side
from northfell.core.studies.load_flow.result import LoadFlow
from northfell.core.studies.load_flow.sources import STUDY, bus_name

CONTROL = "control"  # code of what is told of a tap changer or a capacitor bank that cannot hold what it is set to hold
MOST_ROUNDS = 200
ALL_AT_ONCE = 12  # rounds in which every source beyond its limit is switched; afterwards only the worst
MOST_RETURNS = 4  # times a node may take up its voltage again
LEAST_EFFECT = 1e-7  # of a step on what a changer holds [p.u. or Mvar]; less is none
POWERLESS = "does not reach what it holds: a source holds it, or it stands elsewhere. It stays where it is given."
HUNTING = "finds no position at rest: its band may be narrower than a step. It stays where it misses least."


@dataclass
class Changer:
    """A tap changer on load, as arrays see it."""

    element: Transformer | ThreeWindingTransformer
    rows: Ints  # its branches whose ratio the tap is part of
    terminal: int  # the side at which it measures; -1 for a bus elsewhere
    node: int  # where it measures
    step: float  # [%]
    low: int  # lowest and highest position, in steps from the main tap
    high: int
    start: int
    position: int
    drop: complex  # line-drop compensation [p.u.]
    grade: float  # rated voltage of the high side [kV]: the higher acts first
    feeds_its_bus: bool  # measures at its low side, where no source holds the voltage
    rated: float  # power of the side that it holds [p.u.]
    followers: list["Changer"] = field(default_factory=list)  # take its position
    step_effect: float | None = None  # change of what it holds by one step; found when first asked for

    @property
    def side(self) -> str:
        """The winding with the taps."""
        return getattr(self.element, "tap_side", "high side")

    @property
    def tap_pct(self) -> float:
        return self.position * self.step

    @property
    def band(self) -> float:
        """Half of the width within which it rests: p.u. of voltage, or Mvar."""
        return self.element.tap_band_pct / 100 if self.holds_voltage else self.element.tap_q_band_mvar

    @property
    def holds_voltage(self) -> bool:
        return self.element.tap_changer == "holds voltage"

    @property
    def aim(self) -> float:
        return self.element.tap_v_set_pu if self.holds_voltage else self.element.tap_q_set_mvar


@dataclass
class Controls:
    """The controls of a case and what became of them."""

    case: Case
    changers: list[Changer] = field(default_factory=list)
    banks: list[tuple[CapacitorBank, int]] = field(default_factory=list)  # with the position among the shunts
    steps_in: dict[str, int] = field(default_factory=dict)
    hunting: set[int] = field(default_factory=set)  # changers that found no position at rest
    messages: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        settings = self.case.settings
        if settings.tap_changers == "on":
            self.changers = _changers(self.case, self.messages)
            for one in self.changers:
                _put(self.case, one, one.position)
        if settings.capacitor_steps == "on":
            under_voltage = self.case.net.taking_part
            self.banks = [
                (e, i) for e, i in ((self.case.net.shunts[i], i) for i in self.case.banks.values())
                if isinstance(e, CapacitorBank) and e.switching != "fixed" and e.id in under_voltage
            ]  # fmt: skip
            self.steps_in = {e.id: e.steps if e.steps_in is None else e.steps_in for e, _ in self.banks}

    def settled(self) -> Complexes:
        """Voltages of the fed nodes at which every control rests.

        Raises
        ------
        NoSolution
            If there is none at some position on the way.
        """
        case = self.case
        limits = ReactiveLimits(case)
        v = limits.first()
        seen_taps: dict[tuple[int, ...], float] = {}
        seen_steps: set[tuple[int, ...]] = set()
        taps_rest = not self.changers
        steps_rest = not self.banks
        for _ in range(MOST_ROUNDS):
            v = limits.kept(v)
            if not taps_rest:
                taps_rest = not self._step_taps(v, seen_taps)
            elif not steps_rest:
                steps_rest = not self._switch_steps(v, seen_steps)
                taps_rest = not self.changers or steps_rest  # taps look again at what the steps did
                if not taps_rest:
                    seen_taps.clear()
            else:
                self.messages += limits.messages
                self._tell_ends(v)
                self._tell_steps(v)
                return v
            v = case.solved(v)
        raise NoSolution(STUDY, f"controls that still move after {MOST_ROUNDS} rounds", case.iterations, math.nan, bus_name(case.net, 0))

    # ---- tap changers

    def _missed(self, v: Complexes) -> Floats:
        """By how much each changer's quantity stands above what it holds."""
        quantities = _quantities(self.case, self.changers, v)
        off: Floats = quantities - np.array([one.aim for one in self.changers])
        return off

    def _step_taps(self, v: Complexes, seen: dict[tuple[int, ...], float]) -> bool:
        """Move the taps that are beyond their bands; whether any moved.

        What is nearer to the supply acts first, as its shorter delay would have it; the others wait until it rests.
        """
        off = self._missed(v)
        beyond = np.array([abs(d) - one.band for d, one in zip(off, self.changers, strict=True)])
        here = tuple(one.position for one in self.changers)
        seen[here] = float(np.max(beyond / [one.band for one in self.changers]))
        out = [i for i in range(len(here)) if beyond[i] > 1e-9 and i not in self.hunting]
        for grade in sorted({self.changers[i].grade for i in out}, reverse=True):
            if self._act([i for i in out if self.changers[i].grade == grade], off, beyond, v, seen):
                return True
        return False

    def _act(self, acting: list[int], off: Floats, beyond: Floats, v: Complexes, seen: dict[tuple[int, ...], float]) -> bool:
        """Step some changers towards what they hold: all by what they miss, or, where that was tried before, one by one step."""
        here = tuple(one.position for one in self.changers)
        effect = {i: self._effect(i, v) for i in acting}
        idle = [i for i in acting if abs(effect[i]) < LEAST_EFFECT]
        if idle:  # a step changes nothing of what they hold: a source holds it already, or it stands elsewhere
            self.hunting.update(idle)
            self.messages += [_told(self.changers[i].element, POWERLESS) for i in idle]
            acting = [i for i in acting if i not in idle]
            if not acting:
                return False
        steps = {i: max(1, math.floor(beyond[i] / max(abs(effect[i]), 1e-12) + 1e-9)) for i in acting}
        moves = {i: int(-np.sign(off[i]) * np.sign(effect[i])) * steps[i] for i in acting}
        worst_first = sorted(acting, key=lambda i: -beyond[i] / self.changers[i].band)
        tried_before = False
        for tried in (moves, *({i: int(np.sign(moves[i]))} for i in worst_first)):
            there = tuple(min(max(p + tried.get(i, 0), one.low), one.high) for i, (p, one) in enumerate(zip(here, self.changers, strict=True)))
            if there == here:
                continue  # they stand at an end
            if there not in seen:
                self._put_all(there)
                return True
            tried_before = True
        if tried_before:
            self.hunting.update(acting)
            self.messages += [_told(self.changers[i].element, HUNTING) for i in acting]
            self._put_all(min(seen.items(), key=lambda item: item[1])[0])
        return False

    def _put_all(self, positions: Sequence[int]) -> None:
        for one, position in zip(self.changers, positions, strict=True):
            _put(self.case, one, position)

    def _effect(self, i: int, v: Complexes) -> float:
        """Change of what a changer holds by one step of it, about the voltages when it first was out of its band.

        On the low side of a transformer that feeds it, a step changes the voltage by its own part; elsewhere the linearised
        network tells.
        """
        one = self.changers[i]
        if one.step_effect is None:
            if one.holds_voltage and one.feeds_its_bus and not one.followers and not one.element.tap_circulating_pct:
                by_step = abs(v[self.case.number[one.node]]) * one.step / (100 + one.tap_pct)
                one.step_effect = by_step if one.side == "low side" else -by_step
            else:
                one.step_effect = self._by_linear(one, v)
        return one.step_effect

    def _by_linear(self, one: Changer, v: Complexes) -> float:
        linear, i = self.case.linearised(v), self.changers.index(one)
        before = _quantities(self.case, self.changers, v)[i]
        at, step = one.position, 1 if one.position < one.high else -1
        _put(self.case, one, at + step)
        after = _quantities(self.case, self.changers, linear.voltages(self.case.given().asked(v) - linear.given.asked(v)))[i]
        _put(self.case, one, at)
        return float(after - before) * step

    def _tell_ends(self, v: Complexes) -> None:
        if not self.changers:
            return
        for i, (one, d) in enumerate(zip(self.changers, self._missed(v), strict=True)):
            if i in self.hunting:
                continue  # told already
            if abs(d) > one.band + 1e-9 and one.position in (one.low, one.high):
                end = "lowest" if one.position == one.low else "highest"
                what = f"{abs(d):.2%} of nominal" if one.holds_voltage else f"{abs(d):.4g} Mvar"
                self.messages.append(
                    Message(
                        f"{title_of(one.element)}: its tap changer stands at its {end} position and misses what it holds by {what}.", CONTROL, one.element.id
                    )
                )
            for other in one.followers:
                if other.position != one.position:
                    told = f"stands at {other.tap_pct:g} %, the end of its range, and cannot follow {one.element.name} to {one.tap_pct:g} %."
                    self.messages.append(_told(other.element, told))

    # ---- capacitor steps

    def _switch_steps(self, v: Complexes, seen: set[tuple[int, ...]]) -> bool:
        """Switch one bank towards what its controller asks for; whether any was switched."""
        here = tuple(self.steps_in[e.id] for e, _ in self.banks)
        seen.add(here)
        for k, (bank, i) in enumerate(self.banks):
            wanted = min(max(self._wanted(bank, here[k], v), 0), bank.steps)
            there = (*here[:k], wanted, *here[k + 1 :])
            if wanted == here[k]:
                continue
            if there in seen:
                message = Message(
                    f"{title_of(bank)}: its controller finds no number of steps at rest; it stays at {here[k]} of {bank.steps}.", CONTROL, bank.id
                )
                if message not in self.messages:
                    self.messages.append(message)
                continue
            self.steps_in[bank.id] = wanted
            self.case.shunt[i] = bank.drawn_with(wanted) / self.case.net.s_base_mva
            return True
        return False

    def _tell_steps(self, v: Complexes) -> None:
        """Banks that have switched all they have and still miss what they hold, or cannot measure it."""
        under_voltage = self.case.net.taking_part
        for bank, _ in self.banks:
            n = self.steps_in[bank.id]
            if bank.switching != "by voltage" and bank.measured_at not in under_voltage:
                told = f"{title_of(bank)}: where it measures is not under voltage; its {n} steps stay as they are given."
                self.messages.append(Message(told, CONTROL, bank.id))
            elif bank.switching in ("by voltage", "by power factor") and ((wanted := self._wanted(bank, n, v)) > bank.steps or wanted < 0):
                which = f"all {bank.steps} steps in" if wanted > 0 else "no step in"
                self.messages.append(Message(f"{title_of(bank)}: its controller has {which} and still misses what it holds.", CONTROL, bank.id))

    def _wanted(self, bank: CapacitorBank, n: int, v: Complexes) -> int:
        at = self.case.net.topology.bus_index[bank.bus]
        u = abs(v[self.case.number[self.case.net.topology.node_of_bus[at]]])
        if bank.switching == "by voltage":
            return n + bank.steps_wanted(u)
        flow = carried(self.case, v)  # the measured element may be a closed switch
        power = flow.terminal_power.get(bank.measured_at or "")
        if power is None or not math.isfinite(power[0].real):
            return n
        s, end = (
            max(((one, k) for k, one in enumerate(power)), key=lambda both: both[0].real) if len(power) > 1 else (-power[0], 0)
        )  # where it enters; what an infeed delivers
        return n + bank.steps_wanted(u, s, self._current_a(flow, bank.measured_at or "", s, end))

    def _current_a(self, flow: LoadFlow, element_id: str, s_mva: complex, end: int) -> float:
        net = self.case.net
        at = net.topology.bus_index[net.elements[element_id].buses[end]]
        return 1000 * abs(s_mva) / (math.sqrt(3) * float(net.v_nominal_kv[at]) * abs(complex(flow.v[at])))


class ReactiveLimits:
    """Sources give up their voltage at a reactive limit, and take it up again where less is asked of them.

    The last that holds a voltage in its island keeps it, beyond its limit, which is then told as a breach: without any the voltages would
    follow from the limits alone.
    """

    def __init__(self, case: Case) -> None:
        self.case = case
        holds = (*case.sources.reference_range, *case.sources.magnitude)
        self.bounded = {n: case.sources.range_of(n) for n in holds} if case.settings.reactive_limits == "on" else {}
        self.bounded = {n: r for n, r in self.bounded.items() if math.isfinite(r[0]) or math.isfinite(r[1])}
        self.returns: dict[int, int] = {}
        self.rounds = 0
        self.slack = case.settings.tolerance_mva / case.net.s_base_mva
        self.messages: list[str] = []

    def first(self) -> Complexes:
        """A first solution: with all voltages held, or where there is none, with every bounded source at a limit, to take up what it can."""
        try:
            return self.case.solved()
        except NoSolution:
            if not self.bounded:
                raise
        for node, (_, high) in self.bounded.items():
            if node in self.case.sources.magnitude:  # references hold what they can
                self.case.at_limit[node] = "most" if math.isfinite(high) else "least"
        return self.case.solved()

    def from_where_it_stood(self, v: Complexes) -> Complexes:
        """Voltages after something changed: from those before, with the limits that then act.

        Raises
        ------
        NoSolution
            If there are none, also with every bounded source at its limit.
        """
        before = dict(self.case.at_limit)
        try:
            return self.kept(self.case.solved(v))
        except NoSolution:
            self.case.at_limit.clear()
            self.case.at_limit.update(before)
        return self.kept(self.first())

    def kept(self, v: Complexes) -> Complexes:
        """Voltages at which every source is within its range, or at a limit with its voltage on the side where that limit holds it."""
        while self.bounded:
            breaking, returning = self._asked(v)
            if not breaking and not returning:
                break
            self.rounds += 1
            if self.rounds > MOST_ROUNDS:
                raise NoSolution(STUDY, "reactive limits that do not settle", self.case.iterations, math.nan, bus_name(self.case.net, next(iter(self.bounded))))
            v = self._switched(v, breaking, returning)
        return v

    def _switched(self, v: Complexes, breaking: dict[int, tuple[float, Side]], returning: dict[int, float]) -> Complexes:
        """Solve with the limits switched: all of them, or from some round on, or where that has no solution, the worst one only."""
        before = dict(self.case.at_limit)
        if self.rounds <= ALL_AT_ONCE:
            for node, (_, side) in breaking.items():
                self.case.at_limit[node] = side
            for node in returning:
                self._release(node)
            self._hold_somewhere()
            try:
                return self.case.solved(v)
            except NoSolution:
                if len(breaking) + len(returning) == 1:
                    raise
                self.case.at_limit.clear()
                self.case.at_limit.update(before)
        if breaking:
            worst = max(breaking, key=lambda n: breaking[n][0])
            self.case.at_limit[worst] = breaking[worst][1]
            self._hold_somewhere()
            return self.case.solved(v)
        most = max(returning, key=lambda n: returning[n])
        self._release(most)
        try:
            return self.case.solved(v)
        except NoSolution:  # it stays where there is one
            self.case.at_limit.clear()
            self.case.at_limit.update(before)
            self.returns[most] = MOST_RETURNS
            return v

    def _hold_somewhere(self) -> None:
        """An island in which none holds a voltage any more: its reference takes it up again."""
        for node in self.case.sources.reference_range:
            if node in self.case.at_limit and not self._others_hold(node):
                del self.case.at_limit[node]

    def _beside(self, node: int) -> list[int]:
        """The other nodes of its island whose voltage is held, or would be but for a limit."""
        island = self.case.island_of(node)
        return [n for n in (*self.case.sources.held, *self.case.sources.magnitude) if n != node and self.case.island_of(n) == island]

    def _others_hold(self, node: int) -> bool:
        return any(n not in self.case.at_limit for n in self._beside(node))

    def _taken_up(self, node: int, side: Side) -> dict[int, float]:
        """Who can take the voltage up where the last that holds one meets its limit: those at the opposite limit, by what they have in hand."""
        found = {}
        for n in self._beside(node):
            if self.case.at_limit.get(n, side) != side and self.returns.get(n, 0) < MOST_RETURNS:
                low, high = self.case.sources.range_of(n)
                found[n] = high - low
        return found

    def switch(self, v: Complexes) -> bool:
        """Switch all that ask for it at these voltages; whether any did."""
        breaking, returning = self._asked(v) if self.bounded else ({}, {})
        self.case.at_limit.update({node: side for node, (_, side) in breaking.items()})
        for node in returning:
            self._release(node)
        self._hold_somewhere()
        return bool(breaking or returning)

    def last_beyond(self, v: Complexes) -> str:
        """The source that holds the last voltage of its island though more is asked of it than it has, in words; empty where there is none."""
        for node in self.case.sources.reference_range if self.bounded else ():
            if node in self.bounded and node not in self.case.at_limit and not self._others_hold(node):
                beyond, side = self._beyond(node, self._delivered(v))
                if beyond > self.slack and not self._taken_up(node, side):
                    return ", ".join(title_of(e) for e in self.case.holding(node))
        return ""

    def _release(self, node: int) -> None:
        del self.case.at_limit[node]
        self.returns[node] = self.returns.get(node, 0) + 1

    def _asked(self, v: Complexes) -> tuple[dict[int, tuple[float, Side]], dict[int, float]]:
        """Nodes whose sources are beyond a limit, by how much and which; and those that could hold their voltage again."""
        case = self.case
        s = self._delivered(v)
        breaking: dict[int, tuple[float, Side]] = {}
        returning: dict[int, float] = {}
        for node in self.bounded:
            at = case.number[node]
            if not case.fed[node]:
                continue
            if (side := case.at_limit.get(node)) is not None:
                above = abs(v[at]) - case.sources.voltage_held(node)
                gone_by = above if side == "most" else -above
                if gone_by > 1e-9:
                    if self.returns.get(node, 0) < MOST_RETURNS:
                        returning[node] = gone_by
                    elif (message := self._stays(node, side)) not in self.messages:
                        self.messages.append(message)
                continue
            beyond, side = self._beyond(node, s)
            if beyond <= self.slack:
                continue
            if node in case.sources.held and not self._others_hold(node):
                if not (taken_up := self._taken_up(node, side)):
                    continue
                returning |= taken_up
            breaking[node] = beyond, side
        return breaking, returning

    def _delivered(self, v: Complexes) -> Complexes:
        """What all sources at each fed node deliver, but for what follows the voltage."""
        given = self.case.given()
        return np.asarray(given.asked(v) + given.generation)

    def _beyond(self, node: int, delivered: Complexes) -> tuple[float, Side]:
        """By how much those that hold a node are beyond their range, and on which side; less than 0 within it."""
        case, (low, high) = self.case, self.bounded[node]
        gives = list(case.sources.given_at(node)) if node in case.sources.holders else [node]
        q = sum(float(delivered[case.number[n]].imag - case.set_points[n].imag) for n in gives)
        return (q - high, "most") if q - high > low - q else (low - q, "least")

    def _stays(self, node: int, side: Side) -> str:
        names = ", ".join(title_of(e) for e in self.case.holding(node))
        return f"{names}: went to and from its limit {MOST_RETURNS} times and was left giving its {side} reactive power."


def _changers(case: Case, messages: list[str]) -> list[Changer]:
    net = case.net
    found = []
    for e in (e for e in net.elements.values() if isinstance(e, Transformer | ThreeWindingTransformer) and e.tap_changer != "off load"):
        if e.id not in net.taking_part:
            continue
        found_positions = positions_of(e)
        assert found_positions is not None  # asked for as missing data
        assert e.tap_step_pct is not None
        low, start, high = found_positions
        rows = np.array([i for i in case.rows_of[e.id] if net.branches.terminals[i, 0] == 0], np.intp)
        sides = ("high side", "low side") if isinstance(e, Transformer) else ("high side", "medium side", "low side")
        terminal = sides.index(e.tap_held) if e.tap_held in sides else -1
        bus = net.topology.bus_index[e.buses[terminal] if terminal >= 0 else e.tap_bus or e.buses[-1]]
        node = int(net.topology.node_of_bus[bus])
        follows = e.tap_changer == "follows another"
        if not follows and (node < 0 or not case.fed[node]):
            held = net.name(e.tap_bus) if terminal < 0 and e.tap_bus else "the side that it holds"
            messages.append(
                Message(f"{title_of(e)}: {held} has no voltage in this state; its tap changer stays where it is given, {e.tap_pct:g} %.", CONTROL, e.id)
            )
            continue
        if not follows and abs(start * e.tap_step_pct - e.tap_pct) > 1e-6:
            told = f"{e.tap_pct:g} % is no position of it" if low <= round(e.tap_pct / e.tap_step_pct) <= high else f"{e.tap_pct:g} % is beyond its positions"
            messages.append(Message(f"{title_of(e)}: the tap given, {told}; its tap changer starts from {start * e.tap_step_pct:g} %.", CONTROL, e.id))
        if not follows and terminal < 0 and (e.tap_drop_r_ohm or e.tap_drop_x_ohm):
            messages.append(Message(f"{title_of(e)}: line-drop compensation does not act while it holds the voltage of another bus.", CONTROL, e.id))
        z_base = net.v_nominal_kv[bus] ** 2 / net.s_base_mva
        drop = complex(e.tap_drop_r_ohm, e.tap_drop_x_ohm) / z_base if terminal >= 0 and math.isfinite(z_base) else 0j
        feeds = terminal > 0 and drop == 0 and node not in case.sources.held and node not in case.sources.magnitude
        grade = e.v_hv_kv or 0.0
        rated = _rated_mva(e, terminal) / net.s_base_mva
        found.append(Changer(e, rows, terminal, node, e.tap_step_pct, low, high, start, start, drop, grade, feeds, rated))
    return _led(found, net.elements, messages)


def _told(e: Element, what: str) -> Message:
    return Message(f"{title_of(e)}: its tap changer {what}", CONTROL, e.id)


def _led(found: list[Changer], elements: Mapping[str, Element], messages: list[str]) -> list[Changer]:
    """Those that act by themselves, each with the ones that follow it."""
    own = {one.element.id: one for one in found if one.element.tap_changer != "follows another"}
    for one in found:
        if one.element.id in own:
            continue
        if (master := own.get(one.element.tap_master or "")) is not None:
            master.followers.append(one)
        else:
            name = elements[one.element.tap_master].name if one.element.tap_master else "none"
            told = f"follows {name}, which has no tap changer that acts in this state; it stays where it is given, {one.element.tap_pct:g} %."
            messages.append(_told(one.element, told))
    return list(own.values())


def _rated_mva(e: Transformer | ThreeWindingTransformer, terminal: int) -> float:
    """Rated power of all units, or of the winding at a terminal."""
    if isinstance(e, Transformer):
        return (e.s_rated_mva or math.nan) * e.parallel
    return (e.s_hv_mva, e.s_mv_mva, e.s_lv_mva)[max(terminal, 0)] or math.nan


def _put(case: Case, one: Changer, position: int) -> None:
    one.position = position
    case.ratio[one.rows] = case.net.branches.ratio_main[one.rows] * tap_ratio(one.side, one.tap_pct)
    for other in one.followers:
        _put(case, other, min(max(position, other.low), other.high))


def _quantities(case: Case, changers: list[Changer], v: Complexes) -> Floats:
    """What each changer measures at these voltages: p.u. of voltage, or Mvar into its high side."""
    v_node = case.by_node(v)
    two_port = case.two_port()
    f, t = case.ends
    found = []
    given_beside = _given_beside(case, changers, v_node, two_port)
    for i, one in enumerate(changers):
        if one.holds_voltage and one.drop == 0:
            found.append(abs(v_node[one.node]) + given_beside[i])
            continue
        into = _current_into(case, one.element, max(one.terminal, 0) if one.holds_voltage else 0, v_node, two_port, f, t)
        if one.holds_voltage:
            found.append(abs(v_node[one.node] - one.drop * -into) + given_beside[i])
        else:
            s = v_node[case.net.topology.node_of_bus[case.net.topology.bus_index[one.element.buses[0]]]] * np.conj(into)
            found.append(float(s.imag) * case.net.s_base_mva)
    return np.array(found, float)


def _given_beside(case: Case, changers: list[Changer], v_node: Complexes, two_port: Complexes) -> list[float]:
    r"""What each changer reads beside the voltage for the reactive current that its transformer gives beside its share [p.u.].

    .. math:: k\,(I_i - s_i \sum_j I_j)/I_r, \qquad s_i = S_{r,i}/\sum_j S_{r,j}
    """
    read = [0.0] * len(changers)
    groups: dict[int, list[int]] = {}
    for i, one in enumerate(changers):
        if one.holds_voltage and one.terminal >= 0 and one.element.tap_circulating_pct > 0:
            groups.setdefault(one.node, []).append(i)
    f, t = case.ends
    for node, those in groups.items():
        u = v_node[node]
        given = [-(u / abs(u) * np.conj(_current_into(case, changers[i].element, changers[i].terminal, v_node, two_port, f, t))).imag for i in those]
        rated = sum(changers[i].rated for i in those)
        for i, current in zip(those, given, strict=True):
            beside = current - changers[i].rated / rated * sum(given)
            read[i] = changers[i].element.tap_circulating_pct / 100 * float(beside) / changers[i].rated
    return read


def _current_into(case: Case, e: Element, terminal: int, v_node: Complexes, two_port: Complexes, f: Ints, t: Ints) -> complex:
    """Current from the bus into a terminal of a transformer [p.u.]."""
    total = 0j
    for row in case.rows_of[e.id]:
        for end in (0, 1):
            if case.net.branches.terminals[row, end] == terminal:
                total += complex(two_port[row, end] @ np.array([v_node[f[row]], v_node[t[row]]]))
    return total
