"""From a network in a state to the circuits that a code sizes: one for each cable within the code's voltages that is fed."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from northfell.core.catalogue.sizing_tables import disconnection_s, nec_wire, wire_area_in2
from northfell.core.model.elements import (  # fmt: skip
    OWN,
    Breaker,
    Bus,
    Cable,
    Compensation,
    Contactor,
    Element,
    Fuse,
    InductionMotor,
    Inverter,
    StaticLoad,
    SynchronousGenerator,
    SynchronousMotor,
    Transformer,
)
from northfell.core.network import Compiled
from northfell.core.rules.by_phase import PHASES, conductors_of
from northfell.core.studies.coordination import CoordinationSettings
from northfell.core.studies.duty import AT_ONCE_S, Duties
from northfell.core.studies.load_flow import LoadFlow
from northfell.core.studies.protection import Device, Through, devices_of, lacking_of, through_devices
from northfell.core.studies.short_circuit import Floats, IecCase, ShortCircuit, heat_of_direct_part, peak_factor
from northfell.core.studies.sizing.circuit import (
    Along,
    Breaking,
    Circuit,
    Entered,
    Heat,
    Laying,
    Loop,
    NecLoad,
    Preferences,
    Protective,
    Purpose,
    Serves,
    Sharing,
    Start,
    Sustained,
)
from northfell.core.studies.sizing.demands import Demand, nec_load, of_board, of_element
from northfell.core.studies.sizing.iec import MOST_HEAT_S
from northfell.core.studies.sizing.parts import cables_of_set
from northfell.core.studies.sizing.settings import SizingSettings
from northfell.core.studies.sizing.ways import Way, Ways

MOST_KV = {"IEC 60364": 1.0, "NEC 2023": 2.0}  # alternating voltage up to which the capacities of a code stand
FINAL_A = {"fixed equipment": 32.0, "lighting": 32.0, "socket outlets": 63.0}  # rating up to which a final circuit has its own time
DISTRIBUTION_S = {"TN": 5.0, "TT": 1.0, "IT": 5.0, "IT with neutral": 5.0}
TRIPS = {"electronic": 10.0, "thermal-magnetic": 20.0, "miniature": 0.0}  # tolerance of the stage that opens at once [%]
POINTS = 600
HEAT_POINTS = 240
DIRECT = ("direct",)


@dataclass(frozen=True)
class Left:
    """A cable of which nothing is said, and why."""

    element_id: str
    why: str


@dataclass(frozen=True)
class Gathered:
    """All that a code is asked for in one state."""

    circuits: tuple[Circuit, ...]
    left: tuple[Left, ...]
    ways: Mapping[str, Way]  # by the id of the cable
    settings: SizingSettings


@dataclass(frozen=True)
class Clearing:
    """What cuts the faults of a cable off: a device before it, or one across a transformer, which sees a share of their current."""

    device: Device
    told: Protective
    across: bool = False
    like: Through | None = None
    share: float = 1.0

    def opens_at_s(self, i_a: Floats, residual_a: float = 0.0) -> Floats:
        """When it has opened for currents in the cable [A]."""
        i = np.asarray(i_a, float)
        if self.across:
            return self.device.opens_at_s(self.device.along(i * self.share, self.like))
        return self.device.opens_at_s(Through(i, np.asarray(residual_a)) if residual_a else self.device.along(i))


class Gathering:
    """A state as its circuits and equipment are gathered from it."""

    def __init__(self, net: Compiled, settings: SizingSettings, flow: LoadFlow | None, faults: ShortCircuit | None, duties: Duties | None) -> None:
        self.net, self.settings, self.flow, self.faults, self.duties = net, settings, flow, faults, duties
        self.nec = settings.code == "NEC 2023"
        self.supervised = net.network.settings.of(CoordinationSettings).supervised
        self.ways = Ways(net.network, net.elements)
        self.devices = devices_of(net.elements)
        self.lacking = lacking_of(net, "coordination")
        self.preferences = Preferences(
            smallest_mm2=settings.smallest_mm2, largest_mm2=settings.largest_mm2, most_sets=settings.most_sets, spare_pct=settings.spare_pct,
            fuse_rule="in" if settings.fuse_rule == "In ≤ Iz" else "i2", pe_by=settings.pe_by, fill_pct=settings.fill_pct,
        )  # fmt: skip
        self.on_route: dict[str, list[Cable]] = {}
        for e in net.elements.values():
            if isinstance(e, Cable) and e.route:
                self.on_route.setdefault(e.route, []).append(e)

    def all(self) -> Gathered:
        circuits: list[Circuit] = []
        left: list[Left] = []
        ways: dict[str, Way] = {}
        for e in self.net.elements.values():
            if not isinstance(e, Cable):
                continue
            found = self._circuit(e, ways)
            if isinstance(found, Circuit):
                circuits.append(found)
            else:
                left.append(Left(e.id, found))
        return Gathered(tuple(circuits), tuple(left), ways, self.settings)

    def _circuit(self, e: Cable, ways: dict[str, Way]) -> Circuit | str:
        if not e.in_service:
            return "out of service in this state"
        if not conductors_of(e, self.net.elements).startswith(PHASES):
            return "it is not of three phases: such circuits are not sized yet"
        kv = self._kv(e)
        if kv is None:
            return "the nominal voltage of its buses is not known"
        most = MOST_KV[self.settings.code]
        if kv > most:
            return f"{kv:g} kV: {self.settings.code} is applied up to {most:g} kV"
        way = self.ways.of(e)
        if way is None:
            return "not fed in this state"
        if not way.end:
            return "carries nothing in this state: it ends at a device that stands open, or at nothing"
        ways[e.id] = way
        return self._made(e, way, 1000 * kv)

    # --- what equipment is held against

    def within(self, bus: Bus) -> bool:
        """Whether a board is within the voltages of the code."""
        return bus.v_nominal_kv is not None and bus.v_nominal_kv <= MOST_KV[self.settings.code]

    def bus(self, bus: str) -> int | None:
        """The number of a bus at which faults are known."""
        at = self.net.topology.bus_index.get(bus)
        if self.faults is None or at is None or not self.faults.net.topology.fed_bus(at):
            return None
        return at if math.isfinite(float(self.faults.cases["max"].of("3ph").ik_ka[at])) else None

    def carried_kva(self, e: Transformer) -> float | None:
        """What the load flow finds at its low side [kVA]."""
        s = self.flow.terminal_power.get(e.id) if self.flow else None
        found = 1000 * max(abs(one) for one in s) if s else math.nan
        return found if math.isfinite(found) else None

    def simultaneity(self, bus: str, came: Element) -> float:
        """Of the board that a way ends at."""
        end = self.net.elements.get(self.ways.ends_at(bus, came))
        return end.simultaneity if isinstance(end, Bus) else 1.0

    def device_beside(self, e: Element, bus: str) -> Protective | None:
        """The device with the lowest setting on the way from one side of an element; on the side of its supply else what feeds that."""
        chain = [d for d in self.ways.chain(bus, e) if d in self.devices and d not in self.lacking]
        if not chain and self.ways.depth.get(bus, 0) < max(self.ways.depth.get(b, 0) for b in e.buses):
            chain = [d.id for d in self.ways.feeding(bus, self.devices) if d.id in self.devices and d.id not in self.lacking][:1]
        return min((self._protective(d) for d in chain), key=lambda d: d.i_set_a, default=None)

    def feeding_devices(self, bus: str) -> list[Protective]:
        """What protects a bus: the devices through which it is fed; none where the settings of one are not known."""
        found = [d.id for d in self.ways.feeding(bus, self.devices) if d.id in self.devices]
        return [] if any(d in self.lacking for d in found) else [self._protective(d) for d in found]

    def outgoing_devices(self, bus: str) -> list[Protective] | None:
        """The devices of the ways of a board that lead away from its supply, closed in this state; None where not each has one that is known."""
        here = self.ways.depth.get(bus, 0)
        found = []
        for e in self.ways.at(bus):
            beyond = self.ways.through(e, bus)
            away = any(self.ways.depth.get(b, -1) > here for b in beyond) or len(e.buses) == 1
            if away and (e.id not in self.devices or e.id in self.lacking):
                return None
            if away:
                found.append(self._protective(e.id))
        return found

    def _kv(self, e: Cable) -> float | None:
        for bus in e.buses:
            one = self.net.elements.get(bus)
            if isinstance(one, Bus) and one.v_nominal_kv:
                return one.v_nominal_kv
        return None

    def _made(self, e: Cable, way: Way, u_v: float) -> Circuit:
        end, origin = self.net.elements[way.end], self.net.elements[way.origin]
        purpose = _purpose(end, origin, way)
        demand, nec = self._demand(way, end, origin, purpose, u_v)
        waits = [demand.lacks] if demand.lacks else []
        cosphi, i_b = demand.cosphi, demand.i_a(u_v) if not demand.lacks else None
        if i_b is not None and purpose in ("feeder", "tie") and self.flow is not None:
            carried = _carried_a(self.flow, e)
            if carried > i_b * (1 + 1e-9):
                demand = Demand(demand.s_mva, f"load flow, state {self.net.state}")
                if nec:
                    nec = replace(nec, continuous_a=nec.continuous_a + max(0.0, carried - nec.loaded_a))  # as if continuous
                i_b, cosphi = carried, _carried_cosphi(self.flow, e, cosphi)
        if nec is not None and i_b is not None and not demand.lacks:
            i_b = nec.loaded_a if purpose in ("motor way", "load way", "feeder", "tie") else i_b
        device, clearing, waits_for = self._device(way)
        waits += waits_for
        relay = self._overload_relay(way)
        serves: Serves = end.serves if isinstance(end, StaticLoad) else "fixed equipment"
        t_s = self._required_s(purpose, serves, device, u_v)
        clears = self._operates(clearing, t_s)
        limit, told = self._drop_limit(e, purpose, serves)
        found = self._seen(clearing, way)
        return Circuit(
            element_id=e.id, name=e.name, purpose=purpose, u_v=u_v, u0_v=to_earth_v(u_v), f_hz=self.net.frequency_hz, laying=self._laying(e), i_b_a=i_b,
            i_b_told=demand.told, cosphi=cosphi, serves=serves, device=device, clears=clears, relay_a=relay, h3_pct=e.harmonic_3_pct or 0.0,
            h3_assumed=e.harmonic_3_pct is None or "harmonic_3_pct" in e.assumed, neutral=e.with_neutral, drop_limit_pct=limit, drop_told=told,
            heat=self._heat(way, found), along=self._along(way, found), pe_heat=self._pe_heat(way, found), loop=self._loop(way, t_s),
            start=self._start(end, purpose), nec=nec, entered=self._entered(e), preferences=self.preferences, waits=tuple(waits), kept=e.size_kept,
            service_factor=getattr(end, "service_factor", None), primary_a=self._primary_a(origin, purpose), supply_a=self._supply_a(way, device, clearing),
            sustained=None if self.nec else self._sustained(way, clearing), supervised=self.supervised,
            breaking=self._breaking(device), begun=self._begun(e), notes=self._notes(way, end),
            motors=getattr(end, "count", 1) if purpose == "motor way" else 1,
        )  # fmt: skip

    # --- what it carries

    def _demand(self, way: Way, end: Element, origin: Element, purpose: Purpose, u_v: float) -> tuple[Demand, NecLoad | None]:
        whole: Demand | None
        if purpose == "transformer secondary":
            whole, below = of_element(origin, u_v), []
        elif isinstance(end, Bus):
            found = self.ways.below(way.end_bus, (way.after or (way.cable.id,))[-1])
            if found is None:
                whole = Demand(0j, "load flow: it joins two supplies") if self.flow else Demand(0j, "", "a load flow: it joins two supplies")
                return whole, NecLoad() if self.nec else None
            whole, below = of_board(found, u_v), found
            whole = replace(whole, s_mva=whole.s_mva * end.simultaneity)
        else:
            whole, below = of_element(end, u_v, self.nec), [end]
        if whole is None:
            return Demand(0j, "", f"{end.name}: what it draws"), None
        if not self.nec:
            return whole, None
        if purpose in ("transformer primary", "transformer secondary", "capacitor way", "generator cable"):
            factor = 1.15 if purpose == "generator cable" else 1.0  # NEC 445.13
            return whole, NecLoad(other_a=factor * whole.i_a(u_v))
        load, lacks = nec_load(below, u_v, alone=not isinstance(end, Bus))
        return (replace(whole, lacks=whole.lacks or lacks), load)

    def _notes(self, way: Way, end: Element) -> tuple[str, ...]:
        """What is not held against a circuit."""
        notes = []
        if isinstance(end, Bus) and self.ways.below(way.end_bus, (way.after or (way.cable.id,))[-1]) is None:
            notes.append("fed from both ends: the heat of faults that its other end feeds is not assessed")
        if not self.nec and self._by_generators(way) and self._sustained_a(way) is None:
            notes.append("generators alone feed it, and what they hold a fault on with is not known: disconnection goes by the initial current, which is more")
        return tuple(notes)

    def _start(self, end: Element, purpose: Purpose) -> Start | None:
        if self.nec or not isinstance(end, InductionMotor) or end.starter not in DIRECT or not end.ilr_over_ir:
            return None
        ratio = 0.42 if end.r_over_x is None else end.r_over_x
        several = (end.ilr_over_ir + end.count - 1) / end.count  # one starts while the others run
        return Start(several, ratio / math.hypot(1, ratio), self.settings.drop_start_pct, end.t_start_s)

    def _drop_limit(self, e: Cable, purpose: Purpose, serves: Serves) -> tuple[float | None, str]:
        if e.drop_limit_pct is not None:
            return e.drop_limit_pct, "entered at the cable"
        if purpose in ("feeder", "tie", "generator cable", "transformer secondary"):
            return self.settings.drop_feeder_pct, "study setting, share of a feeder"
        return None, ""  # what the feeders before it leave: told by `with_drops`

    def _primary_a(self, transformer: Element, purpose: Purpose) -> float | None:
        """The device before a transformer, as a current on its secondary side [A]."""
        if purpose != "transformer secondary" or not isinstance(transformer, Transformer) or not (transformer.v_hv_kv and transformer.v_lv_kv):
            return None
        device = self.device_beside(transformer, transformer.hv_bus)
        return device.i_set_a * transformer.v_hv_kv / transformer.v_lv_kv if device and math.isfinite(device.i_set_a) else None

    # --- what protects it

    def _supply_a(self, way: Way, device: Protective | None, clearing: "Clearing | None") -> float | None:
        """By the NEC, where what is counted on against overload stands behind it: the device at its beginning, which is set higher [A]."""
        if not self.nec or device is None or clearing is None or clearing.across or device.element_id not in way.after:
            return None
        return clearing.told.i_set_a if clearing.told.i_set_a > device.i_set_a else None

    def _device(self, way: Way) -> tuple[Protective | None, "Clearing | None", list[str]]:
        """What protects a cable against overload, and what cuts its faults off; with what of it is not known.

        Against overload the device on its way with the lowest setting, before or behind it (433.2). Faults are cut off by one before it, or
        where there is none by what feeds its origin: that must be one device, since of several none sees the whole fault.
        """
        before, after = ([d for d in some if d in self.devices] for some in (way.before, way.after))
        waits = [f"the settings of {self.net.name(d)}" for d in before if d in self.lacking]
        known = [self._protective(d) for d in (*before, *after) if d not in self.lacking]
        overload = min(known, key=lambda one: one.i_set_a, default=None)
        clearing = [self._protective(d) for d in before if d not in self.lacking]
        if clearing:
            least = min(clearing, key=lambda one: one.i_set_a)
            return overload, Clearing(self.devices[least.element_id], least), waits
        if before:
            return overload, None, waits
        feeding, across = self.ways.feeding_across(way.origin_bus, self.devices)
        others = self.ways.sources_beside(way.origin_bus, {way.cable.id, *(e.id for e in feeding)})
        if len(feeding) != 1 or others:
            together = [*(e.name for e in feeding), *others]
            told = f"a device at its beginning: {' and '.join(together)} feed its origin together" if len(together) > 1 else "a device that cuts its faults off"
            return overload, None, [told]
        one = feeding[0]
        if one.id in self.lacking:
            return overload, None, [f"the settings of {one.name}"]
        made = self._protective(one.id)
        clears = Clearing(self.devices[one.id], made, one.id in across)
        return overload or (None if clears.across else made), clears, waits

    def _protective(self, device_id: str) -> Protective:
        device = self.devices[device_id]
        s = device.switch
        if isinstance(s, Fuse):
            kind = s.link if s.link in ("gG", "aM") else "other fuse"
            rating = s.i_rated_a if s.link != OWN and s.i_rated_a else min((p.i_a for p in s.points), default=math.nan)
            return Protective(s.name, kind, rating, rating, breaking_ka=s.i_breaking_ka, element_id=s.id)
        residual_a = s.residual_ma / 1000 if s.residual_ma else None
        common = Protective(s.name, "relays", math.nan, s.i_rated_a, i_residual_a=residual_a, residual_ma=s.residual_ma, breaking_ka=s.i_breaking_ka,
                            element_id=s.id)  # fmt: skip
        if s.trip in ("electronic", "thermal-magnetic", "miniature") and s.trip_ir_a:
            magnetic = {"electronic": s.trip_ii_a, "thermal-magnetic": s.trip_im_a}.get(s.trip)
            if s.trip == "electronic" and s.trip_isd_a is not None:
                magnetic = min(s.trip_isd_a, magnetic or math.inf)
            return replace(common, kind=s.trip, i_set_a=s.trip_ir_a, i_magnetic_a=magnetic, tolerance_pct=TRIPS[s.trip], curve=s.trip_class or "")
        return replace(common, kind="own points" if s.trip == OWN else "relays", i_set_a=device.from_a("fast"))

    def _overload_relay(self, way: Way) -> float | None:
        found = [e.i_overload_a for i in (*way.before, *way.after) if isinstance(e := self.net.elements[i], Contactor) and e.i_overload_a]
        return min(found, default=None)

    def _required_s(self, purpose: Purpose, serves: Serves, device: Protective | None, u_v: float) -> float:
        system = self.settings.earthing
        final = purpose in ("motor way", "load way") and device is not None and device.i_set_a <= FINAL_A[serves]
        own = disconnection_s("TT" if system == "TT" else "TN", to_earth_v(u_v)) if final else None
        return own if own is not None else DISTRIBUTION_S[system]

    def _operates(self, clearing: "Clearing | None", t_s: float) -> Protective | None:
        """What cuts faults off, with the current from which it opens in time for certain by its own curve; nothing of it across a transformer."""
        if clearing is None or clearing.across or not math.isfinite(clearing.told.i_set_a):
            return None
        one, device = clearing.told, clearing.device
        grid = np.geomspace(max(one.i_set_a, 0.1), 1e6, POINTS)
        late = np.flatnonzero(~(device.opens_at_s(device.along(grid)) <= t_s))
        at = int(late[-1]) + 1 if late.size else 0
        return replace(one, operates_a=float(grid[at]) if at < POINTS else None, by_curve=True, i_residual_a=_residual_a(one, device, t_s))

    def _seen(self, clearing: "Clearing | None", way: Way) -> "Clearing | None":
        """Across a transformer, with what the device sees of a three-phase fault at the beginning of the cable, for each ampere there."""
        at = self.bus(way.near)
        if clearing is None or not clearing.across or at is None or self.faults is None:
            return clearing
        case = self.faults.cases["max"]
        through = through_devices(case.flows([at]), [clearing.device.switch.id]).at((0, 0))
        whole = 1000 * float(case.of("3ph").ik_ka[at])
        return replace(clearing, like=through, share=float(through.phase_a) / whole) if whole > 0 and float(through.phase_a) > 0 else None

    # --- faults

    def _heat(self, way: Way, device: "Clearing | None") -> Heat | None:
        """The greatest heat of a fault at its beginning, of the greatest and of the least current there."""
        at = self.bus(way.near)
        if at is None or device is None or self.faults is None:
            return None
        found = [self._until_cut(device, "3ph", case, at) for case in ("max", "min")]
        return max((h for h in found if h is not None), key=lambda h: h.a2s, default=None)

    def _along(self, way: Way, clearing: "Clearing | None") -> Along | None:
        """What faults between its beginning and its far end bring, by their current."""
        at = self.bus(way.near)
        if at is None or clearing is None or self.faults is None:
            return None
        device = clearing.device
        low, high = self.faults.cases["min"], float(self.faults.cases["max"].of("3ph").ik_ka[at]) * 1000
        grid = np.geomspace(max(high / 1e4, 1.0), high, HEAT_POINTS)
        t = clearing.opens_at_s(grid)
        late = ~(t <= MOST_HEAT_S)
        heat = np.where(late, math.inf if isinstance(device.switch, Fuse) else 0.0, grid**2 * np.where(late, 0.0, t))
        if device.switch.let_through_ka2s is not None:
            heat = np.where(t <= AT_ONCE_S, np.minimum(heat, 1e6 * device.switch.let_through_ka2s), heat)
        most = np.maximum.accumulate(heat[::-1])[::-1]
        return Along(complex(low.z1_ohm[at]), self.settings.loop_c, tuple(grid.tolist()), tuple(most.tolist()))

    def _until_cut(self, clearing: "Clearing", fault: str, case: str, at: int) -> Heat | None:
        assert self.faults is not None
        device = clearing.device
        one = self.faults.cases[case]
        i_a = 1000 * float(one.of(fault).ik_ka[at])
        if not math.isfinite(i_a) or i_a <= 0:
            return None
        t = float(clearing.opens_at_s(np.asarray(i_a), i_a if fault == "lg" else 0.0))
        where, words = self.net.name(self.net.topology.bus_ids[at]), {"3ph": "three-phase fault", "lg": "earth fault"}[fault]
        told = f"{'greatest' if case == 'max' else 'least'} {words} at {where}, {device.name}"
        if not math.isfinite(t) or (t > MOST_HEAT_S and case == "max"):
            return Heat(i_a=i_a, t_s=math.inf, told=f"{told} does not cut it off within {MOST_HEAT_S:g} s") if case == "max" else None
        if t > MOST_HEAT_S:
            return None
        if t <= AT_ONCE_S and device.switch.let_through_ka2s is not None:
            return Heat(i2t_a2s=1e6 * device.switch.let_through_ka2s, told=f"let-through of {device.name}")
        kappa = float(one.kappa[at]) if isinstance(one, IecCase) else float(peak_factor(1 / float(one.x_over_r("3ph")[at])))
        direct = float(heat_of_direct_part(kappa, self.net.frequency_hz, max(t, 1e-3))) if case == "max" else 0.0
        with_direct = i_a * math.sqrt(1 + direct)
        return Heat(i_a=with_direct, t_s=t, told=f"{told}, with its direct part" if direct > 1e-3 else told)

    def _pe_heat(self, way: Way, clearing: "Clearing | None") -> Heat | None:
        at = self.bus(way.near)
        known = at is not None and clearing is not None and not clearing.across and self.faults is not None
        return self._until_cut(clearing, "lg", "max", at) if known and at is not None and clearing is not None else None

    def _loop(self, way: Way, t_s: float) -> Loop | None:
        at = self.bus(way.near)
        if at is None or self.faults is None or self.nec:
            return None
        one, base = self.faults.cases["min"], self.faults.cases["min"].z_base_ohm
        system = self.settings.earthing
        if system in ("IT", "IT with neutral"):  # second fault: the loop runs through the lines, and the protective conductor that joins both
            z = complex(one.z1_unbalanced_pu[at]) * float(base[at])
        else:
            z = complex(one.z1_unbalanced_pu[at] + one.z2_pu[at] + one.z0_pu[at]) * float(base[at]) / 3
        if not (math.isfinite(z.real) and math.isfinite(z.imag)):
            return None
        told = f"Faults, least case at {self.net.name(way.near)}: {'Z1' if 'IT' in system else '(Z1 + Z2 + Z0)/3'}"
        held = self._sustained_a(way)
        if held is not None:  # what stands there now is behind its reactance at the beginning of a fault
            z1 = complex(one.z1_unbalanced_pu[at]) * float(base[at])
            more = max(self.settings.loop_c * 1000 * float(self.net.v_nominal_kv[at]) / (math.sqrt(3) * held) - abs(z1), 0.0)
            z += 1j * more if "IT" in system else 1j * more / 3
            told += ", Z1 by the current that the generator holds on"
        return Loop(system, t_s, z, self.settings.loop_c, self.settings.earth_electrode_ohm, told)

    def _by_generators(self, way: Way) -> bool:
        """Whether no public network feeds the beginning of a cable; whichever school the faults are found by."""
        top = self.net.topology
        here, of = top.bus_index[way.near], self.net.node_of(self.net.infeeds)
        return top.fed_bus(here) and top.island_of_node[top.node_of_bus[here]] not in top.island_of_node[of]

    def _sustained_a(self, way: Way) -> float | None:
        """The current that one generator alone holds a three-phase fault at its beginning on with [A]; None of a network, of several, or unknown."""
        at, one = self.bus(way.near), self.faults.cases["min"] if self.faults else None
        if at is None or not isinstance(one, IecCase) or not self._by_generators(way):
            return None
        top = one.net.topology
        if one.machine_fed.get(int(top.island_of_node[top.node_of_bus[at]])) is None:
            return None
        found = 1000 * float(one.steady_ka("3ph")[at])
        return found if math.isfinite(found) and found > 0 else None

    def _sustained(self, way: Way, clearing: "Clearing | None") -> Sustained | None:
        held = self._sustained_a(way)
        if held is None or clearing is None or clearing.across or not math.isfinite(clearing.told.i_set_a):
            return None
        by = self._operates(clearing, MOST_HEAT_S)
        told = f"least steady-state current of a three-phase fault at {self.net.name(way.near)}, which one generator feeds"
        return Sustained(held, by.operates_a if by else None, told)

    def _breaking(self, device: Protective | None) -> Breaking | None:
        """What the duties of its device say of what it breaks."""
        rows = self.duties.of.get(device.element_id, ()) if self.duties and device else ()
        one = next((d for d in rows if d.quantity == "breaking"), None)
        return Breaking(one.rating, one.value, one.basis) if one else None

    # --- as entered

    def _begun(self, e: Cable) -> bool:
        """Whether somebody has said how it is laid: before that nothing of it is a finding."""
        return e.raceway is not None if self.nec else e.method is not None

    def _laying(self, e: Cable) -> Laying:
        others = e.circuits_beside
        by_route = sum(x.parallel for x in self.on_route.get(e.route, ()) if x.id != e.id) if e.route else None
        beside = others if others is not None else by_route
        cores = 4 if e.with_neutral and (e.harmonic_3_pct or 0) > 15 else 3
        return Laying(
            e.conductor or self.settings.conductor, e.insulation or self.settings.insulation,
            e.length_m, e.method, e.cores == "1", e.ambient_degc, e.arrangement, beside or 0, e.soil_k_m_per_w,
            (4 if e.with_neutral else 3) if self.nec else cores, e.raceway, e.wire_type, 3 * (beside or 0), e.terminal_degc, beside is None,
            "ambient_degc" in e.assumed, "soil_k_m_per_w" in e.assumed, self._sharing(e), e.d_outside_mm,
        )  # fmt: skip

    def _sharing(self, e: Cable) -> Sharing | None:
        """What else is in its raceway: the cables of its route, all of which must lie in one raceway of one kind."""
        if e.raceway is None:
            return None
        if e.circuits_beside:
            return Sharing((), unknown="how much the circuits beside it take up is not known: they are counted by hand")
        others = [x for x in self.on_route.get(e.route, ()) if x.id != e.id] if e.route and e.circuits_beside is None else []
        if not others:
            return None
        names = tuple(x.name for x in others)
        several = [x.name for x in (e, *others) if x.parallel > 1]
        if several or any(x.raceway != e.raceway for x in others):
            why = f"{several[0]} has several sets, a raceway each" if several else "not all circuits of its route are in a raceway of its kind"
            return Sharing(names, unknown=why)
        areas = [(_nec_area_in2 if self.nec else _area_mm2)(x) for x in others]
        unknown = next((x.name for x, area in zip(others, areas, strict=True) if area is None), None)
        if unknown:
            return Sharing(names, unknown=f"how much {unknown} takes up of the raceway is not known")
        return Sharing(names, sum(a for a in areas if a is not None), f"{', '.join(names)}, as entered")

    def _entered(self, e: Cable) -> Entered:
        own = None if e.r_ohm_per_km is None or e.x_ohm_per_km is None else (e.r_ohm_per_km * HOT.get(e.insulation or "", 1.28), e.x_ohm_per_km)
        origin = e.origins.get("i_rated_a", "")
        by_hand = None if "i_rated_a" in e.assumed or origin.startswith(("catalogue", SIZED_ORIGIN)) else e.i_rated_a
        return Entered(e.area_mm2, e.parallel, e.neutral_mm2, e.pe_mm2, e.raceway_size or None, by_hand, own)


def _nec_area_in2(e: Cable) -> float | None:
    """Of the insulated conductors of a circuit (NEC chapter 9, table 5); a grounding conductor that is not entered as the line conductors."""
    areas = []
    for mm2, count in ((e.area_mm2, 3), (e.neutral_mm2 or e.area_mm2, int(e.with_neutral)), (e.pe_mm2 or e.area_mm2, 1)):
        wire = nec_wire(mm2) if mm2 else None
        one = wire_area_in2(e.wire_type, wire.key) if wire and e.wire_type else None
        if one is None:
            return None
        areas.append(count * one)
    return sum(areas)


def _area_mm2(e: Cable) -> float | None:
    """Of the cables of a circuit, by their outside diameter."""
    return None if e.d_outside_mm is None else cables_of_set(e.cores == "1", e.with_neutral) * math.pi * e.d_outside_mm**2 / 4


def _residual_a(one: Protective, device: Device, t_s: float) -> float | None:
    """The current of an earth fault at which a residual-current device, or an earth-fault stage that does not wait too long, opens for certain [A]."""
    found = [one.i_residual_a] if one.i_residual_a is not None else []
    s = device.switch
    if isinstance(s, Breaker) and s.trip_ig_a:
        i = np.asarray(1.1 * s.trip_ig_a * (1 + 1e-9))
        found += [float(i)] if float(device.opens_at_s(Through(i, i))) <= t_s else []
    return min(found, default=None)


TO_EARTH_V = {380.0: 220.0, 400.0: 230.0, 480.0: 277.0, 600.0: 346.0}  # as systems are named (IEC 60038, ANSI C84.1): a little less than U/√3


def to_earth_v(u_v: float) -> float:
    """Nominal voltage between line and earth."""
    return TO_EARTH_V.get(round(u_v, 3), u_v / math.sqrt(3))


SIZED_ORIGIN = "own: sized"  # of a capacity that an accepted size brought: it is no bound of its own
HOT = {"PVC": 1.2, "XLPE": 1.28, "EPR": 1.28}  # resistance at operating temperature over that at 20 degC


def _purpose(end: Element, origin: Element, way: Way) -> Purpose:
    if isinstance(origin, Transformer) and origin.lv_bus == way.origin_bus:
        return "transformer secondary"
    if isinstance(end, InductionMotor | SynchronousMotor):
        return "motor way"
    if isinstance(end, StaticLoad):
        return "load way"
    if isinstance(end, Transformer):
        return "transformer primary"
    if isinstance(end, Compensation):
        return "capacitor way"
    if isinstance(end, SynchronousGenerator | Inverter) or isinstance(origin, SynchronousGenerator):
        return "generator cable"
    return "feeder" if isinstance(end, Bus) else "tie"


def _carried_a(flow: LoadFlow, e: Cable) -> float:
    """Current that the load flow finds in a cable [A]; 0 where it is not in the result."""
    found = flow.loading(e).carries
    return found if found is not None and math.isfinite(found) else 0.0


def _carried_cosphi(flow: LoadFlow, e: Cable, otherwise: float) -> float:
    s = flow.terminal_power.get(e.id)
    return abs(s[0].real) / abs(s[0]) if s and abs(s[0]) else otherwise
