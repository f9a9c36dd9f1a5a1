"""What stands on a sheet of curves: the devices of a path from below to the source, or those that were chosen, with what they must clear and stay below."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from northfell.core.model.elements import Cable, Element, InductionMotor, SynchronousGenerator, SynchronousMotor, Transformer
from northfell.core.model.elements.consumers import motor_mva
from northfell.core.model.kept_beside import KeptCurves
from northfell.core.network import Compiled
from northfell.core.quantities import figure
from northfell.core.studies.coordination.limits import STATOR_FROM_S, STATOR_K, STATOR_TO_S, conductor_s, through_fault_s
from northfell.core.studies.coordination.pairs import Pair
from northfell.core.studies.coordination.result import Coordination
from northfell.core.studies.coordination.rules import through_z
from northfell.core.studies.coordination.solve import STUDY
from northfell.core.studies.load_flow import drawn_at_start
from northfell.core.studies.protection import EDGES, Device, Through, devices_of, is_complete
from northfell.core.studies.short_circuit import Floats, decrement_pu

SQRT3 = math.sqrt(3)
POINTS = 120
LEAST_A = 1e-3
MOST_BELOW = 4  # devices below the chosen one that are shown with it


@dataclass(frozen=True, eq=False)
class DeviceCurve:
    """A device on the sheet: its band at the sheet's voltage, up to the greatest current that it sees."""

    device: Device
    factor: float  # from its own amperes to the sheet's
    i_a: Floats  # at the sheet's voltage
    fast_s: Floats
    slow_s: Floats
    to_a: float  # greatest current it sees, at the sheet's voltage
    least_a: float  # least fault it sees
    sees: Through | None = None  # the greatest fault; None where it sees none
    own: bool = False  # in its own amperes, since its voltage is not known


@dataclass(frozen=True)
class LimitCurve:
    """What equipment withstands, or what it must be left to carry."""

    name: str
    kind: str  # damage, load
    i_a: Floats
    t_s: Floats


@dataclass(frozen=True)
class CurveSheet:
    """The devices of a path with their neighbours."""

    net: Compiled
    found: Coordination | None  # None where there are no faults
    chosen: str  # empty where none of them is
    v_ref_kv: float  # nan: each in its own amperes
    devices: tuple[DeviceCurve, ...]  # from below to the source
    limits: tuple[LimitCurve, ...] = ()
    pairs: tuple[Pair, ...] = field(default=())

    @cached_property
    def at(self) -> dict[str, DeviceCurve]:
        return {one.device.switch.id: one for one in self.devices}


def path_of(found: Coordination, device: str) -> list[str]:
    """The devices of a path: some below a device, itself, and those above it, each with the way that is worst."""
    below = [p.downstream for p in sorted(found.worst_pairs.values(), key=lambda p: -p.short_s) if p.upstream == device]
    chain = [device]
    while True:
        above = [p for p in found.worst_pairs.values() if p.downstream == chain[-1] and p.upstream not in chain]
        if not above:
            break
        chain.append(max(above, key=lambda p: p.short_s).upstream)
    return [*dict.fromkeys(d for d in below[:MOST_BELOW] if d not in chain), *chain]


def curve_sheet(found: Coordination, device: str, fault: str = "3ph") -> CurveSheet | None:
    """The sheet of a device; None where it does not stand on any way of a fault.

    For a fault to earth each device is drawn over its phase current, with the residual current that goes with it at the greatest such fault.
    """
    if device not in {s.device for s in found.standing}:
        return None
    v_ref = found.v_kv(device)
    names = path_of(found, device)
    curves = tuple(_kept_curve(found, d, v_ref, fault) for d in names)
    return CurveSheet(found.net, found, device, v_ref, curves, tuple(_limits(found, device, v_ref)), _among(found, names, fault))


def kept_sheet(net: Compiled, found: Coordination | None, kept: KeptCurves, device: str = "") -> CurveSheet | None:
    """A sheet of devices that were chosen, one of which may be selected; None where none of them can be drawn.

    A device that is not fed, or is connected to nothing, is drawn whole: no fault says where its curve ends. So are all where there is
    no result.
    """
    apart = {d: one for d, one in devices_of(net.elements).items() if is_complete(net.elements, one, STUDY)}
    every = {**apart, **(found.devices if found else {})}
    names = [d for d in kept.devices if d in every]
    if not names:
        return None
    known = [v for d in reversed(names) if not math.isnan(v := _v_kv(net, every[d]))]
    v_ref = math.nan if kept.own_amperes else kept.v_ref_kv or next(iter(known), math.nan)
    curves = tuple(_curve(found or net, every[d], v_ref, kept.fault) for d in names)
    if found is None:
        return CurveSheet(net, None, "", v_ref, curves)
    limits = {one.name: one for d in names for one in _limits(found, d, _v_kv(net, every[d]) if math.isnan(v_ref) else v_ref)}
    return CurveSheet(net, found, device if device in names else "", v_ref, curves, tuple(limits.values()), _among(found, names, kept.fault))


def _among(found: Coordination, devices: Sequence[str], fault: str) -> tuple[Pair, ...]:
    shown = set(devices)
    return tuple(p for p in found.worst_of(fault).values() if {p.upstream, p.downstream} <= shown)


def _v_kv(net: Compiled, device: Device) -> float:
    """Nominal voltage where a device stands [kV]; nan where that is not known."""
    return float(net.v_nominal_kv[net.topology.bus_index[device.switch.buses[0]]])


def _kept_curve(found: Coordination, device: str, v_ref_kv: float, fault: str) -> DeviceCurve:
    """The curve of a device, made once: where another is set otherwise it stays as it is."""
    of = device, v_ref_kv, fault
    if of not in found.drawn:
        found.drawn[of] = _curve(found, found.devices[device], v_ref_kv, fault)
    made: DeviceCurve = found.drawn[of]
    return made


def _curve(of: Coordination | Compiled, one: Device, v_ref_kv: float, fault: str) -> DeviceCurve:
    net, times = (of.net, of.times) if isinstance(of, Coordination) else (of, ())
    factor = _v_kv(net, one) / v_ref_kv
    own = math.isnan(factor)
    factor = 1.0 if own else factor
    seen = [t for t in times if t.device == one.switch.id and (t.fault == "lg") == (fault == "lg")]
    greatest = max((t for t in seen if t.case == "max"), key=lambda t: t.i_a, default=None)
    sees = greatest.sees if greatest and greatest.i_a > LEAST_A else None  # what sees nothing is drawn whole
    starts = starts_of(one, sees)
    top = float(sees.phase_a) if sees else 100 * min(starts, default=one.from_a("fast"))
    least = min((t.i_a for t in seen if t.case == "min"), default=math.nan)
    amperes = amperes_of(starts, top, POINTS)
    fast, slow = (one.once.opens_at_s(one.along(amperes, sees), edge) for edge in EDGES)
    return DeviceCurve(one, factor, amperes * factor, fast, slow, top * factor, least * factor, sees, own and not math.isnan(v_ref_kv))


def starts_of(device: Device, sees: Through | None) -> list[float]:
    """Phase currents from which stages operate [A], as parts of a fault that is seen."""
    if sees is None:
        return [a for fn in device.functions for edge in EDGES if fn.measures == "phase" and not math.isnan(a := fn.curve.from_a(edge))]
    found = (float(fn.begins_at(sees, edge)) * float(sees.phase_a) for fn in device.functions for edge in EDGES)
    return [a for a in found if math.isfinite(a)]


def amperes_of(starts: list[float], top_a: float, points: int) -> Floats:
    """Currents at which a band is drawn: from the first stage up to the greatest, with both sides of each step [A]."""
    start = min(min(starts, default=top_a), top_a)
    jumps = [a for start_a in starts for a in (start_a * (1 - 1e-6), start_a) if start <= a <= top_a]
    return np.unique(np.concatenate([np.geomspace(start, top_a, points), jumps, [top_a]]))


DECREMENT_S = np.geomspace(0.01, 100.0, 60)


def _of_generator(g: SynchronousGenerator, v_ref_kv: float) -> list[LimitCurve]:
    """What its stator withstands, and how its own current falls: its field as at no load, and at its highest."""
    i_rated = 1000 * (g.s_rated_mva or math.nan) / (SQRT3 * v_ref_kv)
    t = np.array([STATOR_TO_S, 60.0, 30.0, STATOR_FROM_S])
    made = [LimitCurve(f"{g.name} stator", "damage", i_rated * np.sqrt(1 + STATOR_K / t), t)]
    if g.xd2_pct and g.xd1_pct and g.xd_pct and g.td2_s and g.td1_s:
        fields = [("current, field as at no load", 1.0)]
        if g.power_factor_rated:
            fields.append(("current, highest field", g.field_ceiling * _field_at_rated(g.xd_pct / 100, g.power_factor_rated)))
        for told, field_pu in fields:
            i = i_rated * decrement_pu(DECREMENT_S, g.xd2_pct / 100, g.xd1_pct / 100, g.xd_pct / 100, g.td2_s, g.td1_s, field_pu)
            made.append(LimitCurve(f"{g.name} {told}", "load", i, DECREMENT_S))
    return made


def _field_at_rated(xd_pu: float, power_factor: float) -> float:
    """Field at rated load, of that at no load: the voltage behind the synchronous reactance [p.u.]."""
    return abs(1 + 1j * xd_pu * complex(power_factor, -math.sqrt(1 - power_factor**2)))


def _limits(found: Coordination, device: str, v_ref_kv: float) -> list[LimitCurve]:
    """What a device protects and lets pass, in the zones that it feeds."""
    made: dict[str, LimitCurve] = {}
    for rule in found.rules_of(device):
        if rule.of is None or rule.of in made:
            continue
        e = found.net.elements[rule.of]
        if isinstance(e, SynchronousGenerator):
            made |= {one.name: one for one in _of_generator(e, v_ref_kv)}
            continue
        curve = _of(found, e, v_ref_kv)
        if curve:
            made[rule.of] = curve
    return list(made.values())


def _of(found: Coordination, e: Element, v_ref_kv: float) -> LimitCurve | None:
    if isinstance(e, Transformer) and e.s_rated_mva and e.uk_pct:
        z = through_z(found.faults, e)
        m = np.geomspace(2.0, max(1 / z, 2.1), 60)
        i = m * 1000 * e.s_rated_mva * e.parallel / (SQRT3 * v_ref_kv)
        frequent = found.settings.through_faults == "frequent"
        return LimitCurve(f"{e.name} through-fault", "damage", i, through_fault_s(m, z, 1000 * e.s_rated_mva, frequent, e.cooling in ("AN", "AN/AF")))
    if isinstance(e, Cable):
        rule = next((r for r in found.rules if r.of == e.id and r.rule == "cable" and r.value is not None), None)
        one_second = found.one_second_ka(e)
        if rule is None or one_second is None:
            return None
        factor = float(found.net.v_nominal_kv[found.net.topology.bus_index[e.buses[0]]]) / v_ref_kv
        t = np.geomspace(0.01, 5.0, 40)[::-1]
        i = 1000 * one_second * e.parallel / np.sqrt(t)
        return LimitCurve(f"{e.name}, {figure(one_second * e.parallel, 3)} kA 1 s", "damage", i * factor, conductor_s(i / 1000, one_second * e.parallel))
    if (
        isinstance(e, InductionMotor | SynchronousMotor)
        and e.t_start_s
        and any(r.of == e.id and r.rule == "start" and r.value is not None for r in found.rules)
    ):
        i_start, running = (1000 * mva / (SQRT3 * v_ref_kv) for mva in (abs(drawn_at_start(e).s_mva), motor_mva(e) or math.nan))
        first = found.settings.first_cycles * i_start
        points = [(running, 1000.0), (running, e.t_start_s), (i_start, e.t_start_s), (i_start, 0.1), (first, 0.1), (first, 0.01)]
        return LimitCurve(f"{e.name} start", "load", np.array([p[0] for p in points]), np.array([p[1] for p in points]))
    return None
