"""Rules of one device: above what it must carry, below what it protects withstands, and sure to see the least fault."""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import cast

import numpy as np

from northfell.core.errors import CannotRun
from northfell.core.model.elements import Breaker, Cable, CurrentTransformer, Element, Fuse, InductionMotor, SynchronousGenerator, SynchronousMotor, Transformer
from northfell.core.model.elements.consumers import motor_mva
from northfell.core.model.elements.signalling import ON_FAILURE
from northfell.core.network import Compiled
from northfell.core.quantities import figure as f
from northfell.core.rules.zones import FIRST, SECOND
from northfell.core.studies.coordination.code_rules import code_rules
from northfell.core.studies.coordination.current_transformers import accuracy_limit, saturates_after_s
from northfell.core.studies.coordination.currents import Currents
from northfell.core.studies.coordination.limits import STATOR_FROM_S, STATOR_K, STATOR_TO_S, category_of, conductor_s, stator_s, through_fault_s
from northfell.core.studies.coordination.neighbours import Neighbours, Standing
from northfell.core.studies.coordination.rule import PRACTICE, Rule
from northfell.core.studies.coordination.settings import CoordinationSettings
from northfell.core.studies.duty import AT_ONCE_S, withstands_ka
from northfell.core.studies.load_flow import LoadFlow, drawn_at_start
from northfell.core.studies.protection import Device, Measured, Seen, Through, seen_by
from northfell.core.studies.short_circuit import ShortCircuit

SQRT3 = math.sqrt(3)
POINTS = 80  # currents at which a device is held against a limit
FIRST_CYCLES_S = 0.1
FAILURE_MARGIN_S = 0.05  # reset of the current detector, and a margin
SOLIDLY = 0.5  # of the least fault between phases: an earth fault of as much is one that phase devices are meant for


@dataclass(frozen=True)
class Held:
    """What devices are held against, however they are set."""

    inside: Mapping[int, list[Element]]  # by the zone in which it begins
    transformers: Mapping[str, list[CurrentTransformer]]  # by the device that they measure for


def held_against(net: Compiled, order: Neighbours) -> Held:
    """What the rules go by of a network."""
    inside: dict[int, list[Element]] = {}
    for e in net.taking_part.values():
        if isinstance(e, Cable | Transformer | InductionMotor | SynchronousMotor):
            inside.setdefault(order.zones.zone_of_bus[net.topology.bus_index[e.buses[0]]], []).append(e)
    transformers: dict[str, list[CurrentTransformer]] = {}
    for e in net.elements.values():
        if isinstance(e, CurrentTransformer) and e.in_service:
            transformers.setdefault(e.measures, []).append(e)
    return Held(inside, transformers)


class Rules:
    """The rules of the devices of a state."""

    def __init__(
        self, faults: ShortCircuit, flow: LoadFlow | None, order: Neighbours, devices: Mapping[str, Device], i: Currents, settings: CoordinationSettings,
        held: "Held", standing: Sequence[Standing],
    ) -> None:  # fmt: skip
        self.inside, self.transformers, self.standing = held.inside, held.transformers, standing
        self.net, self.faults, self.flow, self.order, self.devices, self.i, self.settings = faults.net, faults, flow, order, devices, i, settings

    def of(self, one: Standing) -> Iterator[Rule]:
        """All rules of a device for a zone that it feeds; of one that looks the other way, only that."""
        if self.devices[one.device].looks_away(self.order.way(one.device, one.zone)):
            others = ", ".join(self.net.name(d) for d in one.upstream) or "nothing else"
            why = "it acts on its zone alone" if self.devices[one.device].acts_on_its_zone_alone else "it looks the other way"
            basis = f"{why}: faults here are left to {others}"
            yield Rule(one.device, "least fault", None, None, 1.0, self.settings.sensitivity, "×", PRACTICE, basis)
            return
        yield from self._load(one)
        yield from self._inrush(one)
        for e in self.inside.get(one.zone, ()):
            if isinstance(e, Transformer):
                yield from self._transformer(one, e)
            elif isinstance(e, Cable):
                yield self._cable(one, e)
            else:
                yield from self._motor(one, cast(InductionMotor | SynchronousMotor, e))
        yield from self._generator(one)
        yield from code_rules(self, one)
        yield from self._voltage(one)
        yield from self._failure(one)
        yield from self._saves(one)
        yield from self._measured(one)
        yield from self._least(one)
        if self.settings.backup == "assessed":
            yield from self._backup(one)

    # --- what it must carry

    def _load(self, one: Standing) -> Iterator[Rule]:
        device = self.devices[one.device]
        if self.flow is None:
            yield Rule(one.device, "load", None, None, 1.0, self.settings.carried, "×", PRACTICE, "there is no load flow in this state")
            return
        i = self._carries(one)
        if i > 1e-6:
            over = float(device.over(Through(np.asarray(i), np.zeros(()), Seen(way=self._carried_way(one))), "fast"))
            starts = i / over if over > 0 else math.inf
            basis = f"may operate from {f(starts)} A, carries {f(i)} A" if over > 0 else f"carries {f(i)} A, which it does not measure"
            yield Rule(one.device, "load", None, starts / i, 1.0, self.settings.carried, "×", PRACTICE, basis, at_a=i)

    def _carried_way(self, one: Standing) -> float:
        """Which way it carries power by the load flow."""
        s = self.flow.terminal_power[one.device][0] if self.flow and one.device in self.flow.terminal_power else 0
        return float(np.sign(s.real)) if s else math.nan

    def _toward(self, one: Standing, i_a: np.ndarray | float, of_fault: bool) -> Through:
        """Currents through the device into the zone [A]; of a fault with the voltage that one of as much leaves, else at full voltage."""
        i = np.asarray(i_a, float)
        way = float(self.order.way(one.device, one.zone))
        values = self.i.of(one.device, self.order.buses[one.zone], ("3ph", "max"))
        if not of_fault or not np.isfinite(values.phase_a).any():
            return Through(i, np.zeros(i.shape), Seen(way=way))
        most = values.at(int(np.nanargmax(values.phase_a)))
        share = i / max(float(most.phase_a), 1e-9)
        left, dip = (float(most.seen.v_bolted_pu), float(most.seen.dip_pu)) if most.seen else (math.nan, math.nan)
        return Through(i, np.zeros(i.shape), Seen(way=way, v_bolted_pu=left, dip_pu=dip, share=share))

    def at_device(self, one: Standing, v_kv: float) -> float:
        """By what a current at a voltage is multiplied to stand at the device's side of a transformer between them."""
        gate = next(k for k in self.order.at[one.zone] if self.order.gates[k][0] == one.device)
        bus = self.net.topology.bus_index[self.net.elements[self.order.gates[gate][0]].buses[0]]
        return v_kv / float(self.net.v_nominal_kv[bus])

    def _holds(self, one: Standing, rule: str, of: Element, i_a: float, for_s: float, told: str, source: str = PRACTICE) -> Rule:
        """Whether a device lets a current pass for a time: its fast edge over that time."""
        device = self.devices[one.device]
        t = float(device.orders_at_s(self._toward(one, i_a, of_fault=False), "fast"))
        if any(fn.released for fn in device.functions):
            told += ", at full voltage"
        may = f"it may operate after {f(t, 3)} s" if math.isfinite(t) else "it does not operate"
        basis = f"{told}: {f(i_a)} A at the device for {f(for_s)} s; {may}"
        return Rule(one.device, rule, of.id, t / for_s, 1.0, 1.1, "×", source, basis, at_a=i_a)

    def _carries(self, one: Standing) -> float:
        """What the device carries by the load flow [A]; nothing where there is none."""
        if self.flow is None or one.device not in self.flow.net.terminals.at:
            return 0.0
        return next((a for a in self.flow.current_a(self.net.elements[one.device]) if a is not None), 0.0)

    def _beside(self, one: Standing, m: InductionMotor | SynchronousMotor) -> float:
        """What it carries beside one motor [A], by the difference of their powers: what has yet to start carries nothing."""
        i = self._carries(one)
        if self.flow is None or i <= 1e-6 or m.id not in self.flow.terminal_power:
            return i
        s, s_motor = self.flow.terminal_power[one.device][0], self.flow.terminal_power[m.id][0] / m.count
        toward = s if (s * s_motor.conjugate()).real >= 0 else -s
        return i * abs(toward - s_motor) / abs(s)

    def _inrush(self, one: Standing) -> Iterator[Rule]:
        """All transformers that it switches on, together."""
        fed = [t for t in self.inside.get(one.zone, ()) if isinstance(t, Transformer) and t.s_rated_mva and t.v_hv_kv and self.from_high_side(one, t)]
        if fed:
            rated = sum(self._rated(one, t) for t in fed)
            s = self.settings
            told = f"{f(s.inrush_multiple)} × {f(rated)} A of {', '.join(t.name for t in fed)}"
            yield self._holds(one, "inrush", fed[0], rated * s.inrush_multiple, s.inrush_s, told)

    def _rated(self, one: Standing, t: Transformer) -> float:
        """Rated current of a transformer at the device [A]."""
        v = t.v_hv_kv or math.nan
        return 1000 * (t.s_rated_mva or math.nan) * t.parallel / (SQRT3 * v) * self.at_device(one, v)

    def _motor(self, one: Standing, m: InductionMotor | SynchronousMotor) -> Iterator[Rule]:
        """One motor that starts, while the device carries all else that it does."""
        if isinstance(m, InductionMotor) and m.starter in ("drive", "regenerative drive"):
            return
        try:
            drawn = drawn_at_start(m)
        except CannotRun as error:
            yield Rule(one.device, "start", m.id, None, 1.0, 1.1, "×", PRACTICE, error.reasons[0])
            return
        v = m.v_rated_kv or math.nan
        of_mva = 1000 / (SQRT3 * v) * self.at_device(one, v)
        i_start, i_running = abs(drawn.s_mva) * of_mva, (motor_mva(m) or math.nan) * of_mva
        other = self._beside(one, m)
        beside = f", beside {f(other)} A" if other > 1e-6 else "" if self.flow else ", without other load: there is no load flow"
        first = f"{f(self.settings.first_cycles)} × starting current{beside}"
        yield self._holds(one, "first cycles", m, other + i_start * self.settings.first_cycles, FIRST_CYCLES_S, first)
        if m.t_start_s is None:
            yield Rule(one.device, "start", m.id, None, 1.0, 1.1, "×", PRACTICE, "its starting time is empty")
        else:
            yield self._holds(one, "start", m, other + i_start, m.t_start_s, f"{drawn.by}{beside}")
        if m.t_stall_s is not None:
            yield self._stall(one, m, i_start, i_running)

    def _stall(self, one: Standing, m: InductionMotor | SynchronousMotor, i_start: float, i_running: float) -> Rule:
        """Its stall time is of the direct current: at less the same heat lasts longer."""
        if m.t_start_s is not None and m.t_start_s >= (m.t_stall_s or 0.0):
            told = "it starts for as long as it may stall: a device by current alone cannot tell them apart"
            return Rule(one.device, "stall", m.id, None, 1.0, 1.1, "×", "motor data", told)
        direct = i_running * m.ilr_over_ir if isinstance(m, InductionMotor) and m.ilr_over_ir else i_start
        withstands = (m.t_stall_s or math.nan) * (direct / i_start) ** 2
        t = float(self.devices[one.device].opens_at_s(self._toward(one, i_start, of_fault=False)))
        basis = f"opens {f'within {f(t, 3)} s' if math.isfinite(t) else 'never'} at {f(i_start)} A, withstood hot for {f(withstands, 3)} s"
        return Rule(one.device, "stall", m.id, withstands / t if t else math.inf, 1.0, 1.1, "×", "motor data", basis, at_a=i_start)

    # --- what it protects

    def _transformer(self, one: Standing, t: Transformer) -> Iterator[Rule]:
        if not t.s_rated_mva or not t.v_hv_kv or not t.uk_pct:
            yield Rule(one.device, "through-fault", t.id, None, 1.0, 1.1, "×", "IEEE C57.109", "its rating is not complete")
            return
        i_rated, s = self._rated(one, t), self.settings
        z = through_z(self.faults, t)
        top = 1 / z
        multiples = np.geomspace(2.0, top, POINTS) if top > 2 else np.array([top])
        dry = t.cooling in ("AN", "AN/AF")
        withstands = through_fault_s(multiples, z, 1000 * t.s_rated_mva, s.through_faults == "frequent", dry)
        told = f"category {category_of(1000 * t.s_rated_mva)}, {s.through_faults} through-faults, z {f(100 * z, 3)} %"
        source = "IEEE C57.12.59 (unverified)" if dry else "IEEE C57.109"
        yield self._below(one, "through-fault", t, multiples * i_rated, withstands, source, told)
        if self.from_high_side(one, t) and (t.vector_group or "").startswith("D") and "yn" in (t.vector_group or ""):
            high = multiples >= 0.5 * top  # below it the devices of the low side are at hand
            seen_a = multiples[high] * i_rated / SQRT3
            yield self._below(one, "earth through-fault", t, seen_a, withstands[high], source, f"{told}; behind delta-star it sees 1/√3 of it")

    def from_high_side(self, one: Standing, t: Transformer) -> bool:
        """Whether the device feeds the transformer at its high side: at the same voltage."""
        return math.isclose(self.at_device(one, float(self.net.v_nominal_kv[self.net.topology.bus_index[t.hv_bus]])), 1.0, rel_tol=1e-6)

    def _cable(self, one: Standing, c: Cable) -> Rule:
        one_second = withstands_ka(c)
        source = "IEC 60364-4-43"
        if one_second is None:
            return Rule(one.device, "cable", c.id, None, 1.0, 1.1, "×", source, "conductor, insulation and area, or its short-time current, are empty")
        i = self._greatest(one)
        if not math.isfinite(i):
            return Rule(one.device, "cable", c.id, None, 1.0, 1.1, "×", source, "no fault current is known here")
        starts = [fn.begins_at(self._toward(one, i, of_fault=True), "slow") for fn in self.devices[one.device].functions]
        amperes = np.geomspace(min(float(min(starts)), 1.0) * i * (1 + 1e-12), i, POINTS)
        factor = self.at_device(one, float(self.net.v_nominal_kv[self.net.topology.bus_index[c.buses[0]]]))
        withstands = conductor_s(amperes / 1000 / factor, one_second * c.parallel)
        told = f"k·S·n = {f(one_second * c.parallel)} kA for 1 s"
        limited = self.devices[one.device].switch.let_through_ka2s
        if limited is None:
            return self._below(one, "cable", c, amperes, withstands, source, told)
        at_once = self.devices[one.device].opens_at_s(self._toward(one, amperes, of_fault=True)) <= AT_ONCE_S
        over_time = np.where(at_once, np.inf, withstands)  # where it opens at once, what it lets through counts
        rule = self._below(one, "cable", c, amperes, over_time, source, told)
        heat = (one_second * c.parallel) ** 2 / limited
        if not at_once.any() or (rule.value is not None and rule.value <= heat):
            return rule
        return replace(rule, value=heat, basis=f"{told}; {self.net.name(one.device)} lets through {f(limited)} kA²s where it opens at once", at_a=float(i))

    def _greatest(self, one: Standing) -> float:
        """Greatest current through the device for a fault in the zone [A]."""
        values = self.i.of(one.device, self.order.buses[one.zone], ("3ph", "max")).phase_a
        return float(np.nanmax(values)) if np.isfinite(values).any() else math.nan

    def _below(self, one: Standing, rule: str, of: Element, i_a: np.ndarray, withstands_s: np.ndarray, source: str, told: str) -> Rule:
        """How much longer than the device takes something is withstood, where the device operates; at least at the greatest current it must."""
        device = self.devices[one.device]
        sees = self._toward(one, i_a, of_fault=True)
        t = device.opens_at_s(sees)
        counted = (device.over(sees, "slow") >= 1) & np.isfinite(withstands_s)
        counted[-1] = np.isfinite(withstands_s[-1])
        if not counted.any():
            return Rule(one.device, rule, of.id, math.inf, 1.0, 1.1, "×", source, f"{told}; it is not endangered by what flows here")
        ratio = np.where(counted, withstands_s / np.maximum(t, 1e-9), math.inf)
        at = int(np.argmin(ratio))
        opens = f"{f(float(t[at]), 3)} s" if math.isfinite(float(t[at])) else "never"
        basis = f"{told}; at {f(float(i_a[at]))} A withstood for {f(float(withstands_s[at]), 3)} s, opened in {opens}"
        return Rule(one.device, rule, of.id, float(ratio[at]), 1.0, 1.1, "×", source, basis, at_a=float(i_a[at]))

    # --- what it stands behind

    def _generator(self, one: Standing) -> Iterator[Rule]:
        """Of a generator that alone feeds through the device: its stator and rotor, and whether its current is still seen when it has fallen."""
        if one.upstream or (g := self._alone_behind.get(one.behind)) is None or not g.s_rated_mva or not g.v_rated_kv:
            return
        i_rated = 1000 * g.s_rated_mva / (SQRT3 * g.v_rated_kv) * self.at_device(one, g.v_rated_kv)
        m = np.geomspace(math.sqrt(1 + STATOR_K / STATOR_TO_S), math.sqrt(1 + STATOR_K / STATOR_FROM_S), POINTS)
        told = f"(m² − 1)·t = {f(STATOR_K)} s of {f(i_rated)} A, from {f(STATOR_FROM_S)} to {f(STATOR_TO_S)} s"
        yield self._below(one, "stator", g, m * i_rated, stator_s(m), "IEEE C50.13-2005", told)
        yield from self._rotor(one, g, i_rated)
        if g.xd_pct is None:
            yield Rule(one.device, "held on", g.id, None, 1.0, self.settings.sensitivity, "×", PRACTICE, "its synchronous reactance is empty")
            return
        i = i_rated * 100 / g.xd_pct
        least = self.i.of(one.device, self.order.buses[one.zone], ("3ph", "min"))
        v = float(np.nanmax(least.seen.v_bolted_pu)) if least.seen and np.isfinite(least.phase_a).any() else math.nan
        way = float(self.order.way(one.device, one.zone))
        over = float(self.devices[one.device].over(Through(np.asarray(i), np.zeros(()), Seen(way=way, v_bolted_pu=v)), "slow", of_faults=True))
        basis = f"{f(i_rated)} A/{f(g.xd_pct / 100)} p.u. = {f(i)} A, its field as at no load; "
        basis += f"operates for certain from {f(i / over)} A" if over > 0 else "it does not see it"
        yield Rule(one.device, "held on", g.id, over, 1.0, self.settings.sensitivity, "×", PRACTICE, basis, at_a=i)

    def _rotor(self, one: Standing, g: SynchronousGenerator, i_rated: float) -> Iterator[Rule]:
        stages = [fn for fn in self.devices[one.device].functions if fn.measures == "negative"]
        if g.i2_squared_t_s is None or not stages:
            return
        i2 = np.geomspace(min(fn.curve.from_a("slow") for fn in stages), max(3 * i_rated, *(fn.curve.from_a("slow") for fn in stages)), POINTS)
        way = float(self.order.way(one.device, one.zone))
        opens = np.min([fn.opens_at_s(Through(i2, 0 * i2, Seen(negative_a=i2, way=way))) for fn in stages], axis=0)
        withstands = g.i2_squared_t_s / (i2 / i_rated) ** 2
        at = int(np.argmin(withstands / opens))
        basis = f"I2²·t = {f(g.i2_squared_t_s)} s of {f(i_rated)} A; at {f(float(i2[at]))} A withstood for {f(float(withstands[at]), 3)} s, "
        basis += f"opened in {f(float(opens[at]), 3)} s"
        ratio = float(withstands[at] / opens[at])
        yield Rule(one.device, "negative sequence", g.id, ratio, 1.0, 1.1, "×", "IEEE C50.13", basis, at_a=float(i2[at]))

    @cached_property
    def _alone_behind(self) -> dict[int, SynchronousGenerator]:
        """The generators that are the only source of their zone, by zone."""
        top, zone_of = self.net.topology, self.order.zones.zone_of_bus
        by: dict[int, list[Element]] = {}
        for e in self.net.taking_part.values():
            if e.feeds:
                by.setdefault(zone_of[top.bus_index[e.buses[0]]], []).append(e)
        return {zone: g for zone, (g, *others) in by.items() if not others and isinstance(g, SynchronousGenerator)}

    # --- what it goes by beside currents

    def _voltage(self, one: Standing) -> Iterator[Rule]:
        """Its undervoltage and overvoltage stages, at the edges of their bands, against the voltage that the load flow finds at it."""
        at = self.net.elements[one.device].buses[0]
        for fn in self.devices[one.device].functions:
            rule = {"27": "undervoltage", "59": "overvoltage"}.get(fn.code)
            if rule is None or fn.measured_at:
                continue
            if self.flow is None or at not in self.flow.net.topology.bus_index:
                yield Rule(one.device, rule, None, None, 1.0, 1.02, "×", PRACTICE, "there is no load flow in this state")
                continue
            v = abs(complex(self.flow.v[self.flow.net.topology.bus_index[at]]))
            start = 1 - fn.curve.from_a("fast") if rule == "undervoltage" else fn.curve.from_a("fast")
            basis = f"may operate {'below' if rule == 'undervoltage' else 'above'} {f(100 * start)} %, the load flow finds {f(100 * v)} %"
            yield Rule(one.device, rule, None, v / start if rule == "undervoltage" else start / v, 1.0, 1.02, "×", PRACTICE, basis)

    def _failure(self, one: Standing) -> Iterator[Rule]:
        """Of a signal on failure that it receives: whether it waits until the sender has opened, and its current detector has seen that."""
        for link in self.devices[one.device].links:
            if link.signal.does != ON_FAILURE or not isinstance(link.sender.switch, Breaker) or not link.sender.switch.t_break_s:
                continue
            opens, waits = link.sender.switch.t_break_s, link.signal.t_failure_s or 0.0
            basis = f"{link.signal.name} waits {f(waits)} s; {link.sender.name} takes {f(opens)} s, reset and margin {f(FAILURE_MARGIN_S)} s"
            source, value = "IEEE C37.119 (margin unverified)", waits / (opens + FAILURE_MARGIN_S)
            yield Rule(one.device, "breaker failure", link.sender.switch.id, value, 1.0, 1.1, "×", source, basis)

    def _saves(self, one: Standing) -> Iterator[Rule]:
        """Of a recloser, up to which part of the greatest fault its fast trips spare the fuses below: their heat together against the least melting time."""
        device = self.devices[one.device]
        if not device.fast_shots:
            return
        for zone, lower in self._beyond.get((one.device, one.zone), ()):
            if not isinstance(self.devices[lower].switch if lower in self.devices else None, Fuse):
                continue
            buses = self.order.buses[zone]
            below, above = (self.i.of(d, buses, ("3ph", "max")) for d in (lower, one.device))
            if not np.isfinite(below.phase_a).any():
                continue
            at, shares = int(np.nanargmax(below.phase_a)), np.geomspace(1e-3, 1.0, 4 * POINTS)
            melts = self.devices[lower].opens_at_s(below.at(at).times(shares), "fast")
            trips = device.fast_shots * device.by_fast_curve.opens_at_s(above.at(at).times(shares))
            saved = np.isfinite(trips) & (trips <= self.settings.fuse_share_pct / 100 * melts)
            most, i = float(shares[saved].max()) if saved.any() else 0.0, float(below.phase_a[at])
            share = f(self.settings.fuse_share_pct)
            basis = f"up to {f(most * i)} of {f(i)} A: {device.fast_shots} fast trips within {share} % of the least melting time; above it the fuse may melt"
            yield Rule(one.device, "fuse saved", lower, most, 1.0, 1.0, "×", "IEEE C37.48", basis, buses[at], most * i, grave=False)

    # --- what it measures with

    def _measured(self, one: Standing) -> Iterator[Rule]:
        """Its current transformers, where they are drawn: the ratio that its relays are told, and the greatest fault within their accuracy limit."""
        for ct in self.transformers.get(one.device, ()):
            of_phases = ct.mounted in (FIRST, SECOND)
            for relay in self.devices[one.device].relays:
                primary = relay.ct_primary_a if of_phases else relay.earth_ct_primary_a
                if ct.i_primary_a and primary:
                    told, real = primary / relay.ct_secondary_a, ct.i_primary_a / ct.i_secondary_a
                    basis = f"{relay.name} is told {f(primary)}/{f(relay.ct_secondary_a)} A, {ct.name} has {f(ct.i_primary_a)}/{f(ct.i_secondary_a)} A"
                    yield Rule(one.device, "transformer ratio", ct.id, min(told / real, real / told), 1.0, 1.0, "×", "data of both", basis)
            if not of_phases:
                continue
            limit, i = accuracy_limit(ct), self._greatest(one)
            if limit is None or not ct.i_primary_a or not math.isfinite(i):
                basis = "a class such as 5P20 or, of 5 A, C200, and its primary current are needed"
                yield Rule(one.device, "transformer accuracy", ct.id, None, 1.0, 1.25, "×", "IEC 61869-2", basis)
                continue
            k_s = limit.multiple * ct.i_primary_a / i
            basis = f"{f(limit.multiple)} × {f(ct.i_primary_a)} A against {f(i)} A; {limit.told}"
            yield Rule(one.device, "transformer accuracy", ct.id, k_s, 1.0, 1.25, "×", limit.source, basis, at_a=i)
            yield from self._offset(one, ct, k_s, i)

    def _offset(self, one: Standing, ct: CurrentTransformer, k_s: float, i: float) -> Iterator[Rule]:
        """Whether the direct part of the greatest fault leaves a transformer true; one that saturates late may still serve a quick stage."""
        values = self.i.of(one.device, self.order.buses[one.zone], ("3ph", "max")).phase_a
        bus = self.order.buses[one.zone][int(np.nanargmax(values))]
        x_over_r = float(self.faults.cases["max"].x_over_r()[bus])
        if not math.isfinite(x_over_r) or x_over_r < 0:
            return
        left = 1 - self.settings.remanence_pct / 100
        k_s *= left
        after = saturates_after_s(k_s, x_over_r, self.net.frequency_hz)
        when = "never saturates" if math.isinf(after) else f"saturates after {f(1000 * after, 3)} ms" if after else "saturates by the symmetrical part"
        basis = f"fully offset fault of X/R {f(x_over_r, 3)}: it {when}, {f'with {self.settings.remanence_pct:g} %' if left < 1 else 'without'} remanence"
        yield Rule(one.device, "transformer saturation", ct.id, k_s / (1 + x_over_r), 1.0, 1.0, "×", "IEEE C37.110", basis, bus, i, grave=False)

    # --- what it sees

    def _least(self, one: Standing) -> Iterator[Rule]:
        device, buses = self.devices[one.device], self.order.buses[one.zone]
        found = []
        for fault in ("3ph", "ll"):
            if (fault, "min") in self.i.faults:
                through = self.i.of(one.device, buses, (fault, "min"))
                found += [
                    (o, i, b, fault) for i, o, b in zip(through.phase_a, device.over(through, "slow", of_faults=True), buses, strict=True) if math.isfinite(i)
                ]
        if not found:
            return
        over, i, bus, fault = min(found)
        least = float(i)
        at = self.net.name(self.net.topology.bus_ids[bus])
        basis = f"{fault} at {at}: {f(least)} A; {f'operates for certain from {f(least / over)} A' if over > 0 else 'it does not see it'}"
        yield Rule(one.device, "least fault", None, float(over), 1.0, self.settings.sensitivity, "×", PRACTICE, basis, bus, least)
        yield from self._least_earth(one, least)

    def _backup(self, one: Standing) -> Iterator[Rule]:
        """Whether it sees the least fault beyond each device below it."""
        device = self.devices[one.device]
        for zone, lower in self._beyond.get((one.device, one.zone), ()):
            found = []
            for fault in ("3ph", "ll"):
                if (fault, "min") in self.i.faults:
                    through = self.i.of(one.device, self.order.buses[zone], (fault, "min"))
                    over = device.over(through, "slow", of_faults=True)
                    found += [(o, i, b, fault) for i, o, b in zip(through.phase_a, over, self.order.buses[zone], strict=True) if math.isfinite(i)]
            if found:
                over_least, i, bus, fault = min(found)
                sure = f"operates for certain from {f(float(i) / over_least)} A" if over_least > 0 else "it does not see it"
                basis = f"{fault} at {self.net.name(self.net.topology.bus_ids[bus])}: {f(float(i))} A; {sure}"
                yield Rule(one.device, "backup", lower, float(over_least), 1.0, 1.0, "×", PRACTICE, basis, bus, float(i), grave=False)

    @cached_property
    def _beyond(self) -> dict[tuple[str, str | int], list[tuple[int, str]]]:
        """The zones beyond the devices next below a device, by it and the zone between."""
        found: dict[tuple[str, str | int], list[tuple[int, str]]] = {}
        for s in self.standing:
            for upper in s.upstream:
                found.setdefault((upper, s.behind), []).append((s.zone, s.device))
        return found

    def _least_earth(self, one: Standing, least_a: float) -> Iterator[Rule]:
        """By the residual current where the device measures it; by the phase where earth faults are nearly as strong as others."""
        device, buses = self.devices[one.device], self.order.buses[one.zone]
        if ("lg", "min") not in self.i.faults:
            return
        through = self.i.of(one.device, buses, ("lg", "min"))
        known = np.flatnonzero(np.isfinite(through.phase_a))
        residual = device.from_a("slow", "residual")
        measures: Measured = "phase" if math.isnan(residual) else "residual"
        currents = seen_by(measures, through)[known]
        if not len(known) or (measures == "phase" and float(currents.min()) < SOLIDLY * least_a):
            return
        if measures == "residual" and float(currents.max()) < 1e-3:
            return  # what feeds the zone brings no residual current: behind delta
        over = device.over(through, "slow", measures, of_faults=True)[known]
        at = int(np.lexsort((currents, over))[0])
        least, times = float(currents[at]), float(over[at])
        name = self.net.name(self.net.topology.bus_ids[buses[int(known[at])]])
        sure = f"operates for certain from {f(least / times)} A" if times > 0 else "it does not see it"
        basis = f"lg at {name}: {f(least)} A {'residual' if measures == 'residual' else 'in the phase'}; {sure}"
        yield Rule(one.device, "least earth fault", None, times, 1.0, self.settings.sensitivity, "×", PRACTICE, basis, buses[int(known[at])], least)


def through_z(faults: ShortCircuit, t: Transformer) -> float:
    """Impedance by which a through-fault is limited, per unit on one unit's rating: of large transformers with that of the network before it."""
    z = (t.uk_pct or math.nan) / 100
    if category_of(1000 * (t.s_rated_mva or math.nan)) in ("III", "IV"):
        before = complex(faults.cases["max"].z1_pu[faults.net.topology.bus_index[t.hv_bus]])
        z += abs(before) * (t.s_rated_mva or math.nan) * t.parallel / faults.net.s_base_mva
    return z
