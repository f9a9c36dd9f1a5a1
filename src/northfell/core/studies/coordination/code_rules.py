"""Rules of an installation code: what the device of a transformer, on either side, or of a motor may be set to."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from northfell.core.model.elements import Element, Fuse, InductionMotor, SynchronousMotor, Transformer
from northfell.core.model.elements.consumers import motor_mva
from northfell.core.quantities import figure as f
from northfell.core.studies.coordination.code_limits import NEC_430_52, NEC_450_3, CodeLimit, motor_limit, transformer_limit
from northfell.core.studies.coordination.neighbours import Standing
from northfell.core.studies.coordination.rule import Rule
from northfell.core.studies.protection import Device

if TYPE_CHECKING:
    from northfell.core.studies.coordination.rules import Rules

SQRT3 = math.sqrt(3)
MOST_SECONDARY = 6  # devices that may stand for one on the secondary side, by the sum of their ratings


@dataclass(frozen=True)
class Rated:
    """What of a device a code limits."""

    i_a: float
    in_sizes: bool  # it comes in standard sizes
    fuse: bool


def rating_of(device: Device) -> Rated | None:
    """The rating of a fuse, the long-time pickup of a trip, the lowest pickup of relays; None where nothing of it is known."""
    switch = device.switch
    if isinstance(switch, Fuse):
        return Rated(switch.i_rated_a, in_sizes=True, fuse=True) if switch.i_rated_a else None
    if switch.trip in ("electronic", "thermal-magnetic", "miniature") and switch.trip_ir_a:
        return Rated(switch.trip_ir_a, in_sizes=switch.trip != "electronic", fuse=False)
    pickups = [r.i_pickup_a for r in device.relays if r.i_pickup_a]
    return Rated(min(pickups), in_sizes=False, fuse=False) if pickups else None


def code_rules(of: "Rules", one: Standing) -> Iterator[Rule]:
    """Those of a device for what stands in the zone that it feeds, and for a transformer behind it; none where the project asks for no code."""
    if of.settings.code == "none" or (rated := rating_of(of.devices[one.device])) is None:
        return
    for e in of.inside.get(one.zone, ()):
        if isinstance(e, Transformer) and of.from_high_side(one, e):
            yield from _of_transformer(of, one, e, "primary", rated)
        elif isinstance(e, InductionMotor | SynchronousMotor):
            yield from _of_motor(of, one, e, rated)
    for e in of.inside.get(one.behind, ()):
        if isinstance(e, Transformer) and _at_low_side(of, one.device, e):
            yield from _of_transformer(of, one, e, "secondary", rated)


def _of_motor(of: "Rules", one: Standing, m: InductionMotor | SynchronousMotor, rated: Rated) -> Iterator[Rule]:
    v, mva = m.v_rated_kv, motor_mva(m)
    if v and v <= 1.0 and mva:
        limit = motor_limit(isinstance(m, SynchronousMotor), rated.fuse)
        yield _allowed(one, "code, motor", m, limit, 1000 * mva / (SQRT3 * v) * of.at_device(one, v), rated, NEC_430_52)


def _of_transformer(of: "Rules", one: Standing, t: Transformer, side: str, rated: Rated) -> Iterator[Rule]:
    if not t.s_rated_mva or not t.v_hv_kv or not t.v_lv_kv or not t.uk_pct:
        return
    v_side = t.v_hv_kv if side == "primary" else t.v_lv_kv
    i_rated = 1000 * t.s_rated_mva * t.parallel / (SQRT3 * v_side)
    zone = of.order.zones.zone_of_bus[of.net.topology.bus_index[t.lv_bus]]
    behind = [d for d in dict.fromkeys(of.order.gates[k][0] for k in of.order.at.get(zone, ())) if _at_low_side(of, d, t)]
    both = bool(behind)
    limit = transformer_limit(side, t.v_hv_kv, v_side, t.uk_pct, i_rated, rated.fuse, both, of.settings.supervised)
    if limit is None:
        told = f"{side} side: the code has no limit for this case: it asks for a device on the other side, or its impedance is beyond the table"
        yield Rule(one.device, "code, transformer", t.id, None, 1.0, 1.0, "×", NEC_450_3, told)
        return
    where = f"{side} side, "
    if side == "secondary" and len(behind) > 1:
        ratings = [rating_of(of.devices[d]) if d in of.devices else None for d in behind]
        known = [r for r in ratings if r is not None]
        if len(known) < len(ratings) or len(behind) > MOST_SECONDARY:
            told = f"{side} side: {len(behind)} devices together, of which the code allows {MOST_SECONDARY} and asks for all ratings"
            yield Rule(one.device, "code, transformer", t.id, None, 1.0, 1.0, "×", NEC_450_3, told)
            return
        rated, where = Rated(sum(r.i_a for r in known), in_sizes=False, fuse=rated.fuse), f"{side} side, {len(behind)} devices together, "
    yield _allowed(one, "code, transformer", t, limit, i_rated, rated, NEC_450_3, where)


def _at_low_side(of: "Rules", device: str, t: Transformer) -> bool:
    """Whether a device stands at the nominal voltage of a transformer's low side, where that is another than of its high side."""
    v = of.net.v_nominal_kv
    at, low, high = (float(v[of.net.topology.bus_index[bus]]) for bus in (of.net.elements[device].buses[0], t.lv_bus, t.hv_bus))
    return math.isclose(at, low) and not math.isclose(low, high)


def _allowed(one: Standing, rule: str, e: Element, limit: CodeLimit, i_rated: float, rated: Rated, source: str, where: str = "") -> Rule:
    most = limit.most_a(i_rated, rated.in_sizes)
    basis = f"{where}{limit.told}: {f(limit.percent)} % of {f(i_rated)} A allows {f(most)} A, it is set to {f(rated.i_a)} A"
    return Rule(one.device, rule, e.id, most / rated.i_a, 1.0, 1.0, "×", source, basis, at_a=rated.i_a)
