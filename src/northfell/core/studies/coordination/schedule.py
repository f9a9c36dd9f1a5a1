"""The settings schedule: what is set at each device, primary and secondary, and at which currents it is tested with which times."""

from collections.abc import Iterator, Mapping
from typing import Any

from northfell.core.model.declare.parameters import parameters_of
from northfell.core.model.elements import Element, Fuse, Relay
from northfell.core.network import Compiled
from northfell.core.rules.zones import zones_of
from northfell.core.studies.protection import EDGES, Device, Function, Measured
from northfell.core.tables import Table, build

MULTIPLES = (1.5, 2.0, 5.0, 10.0)  # of pickup, at which an inverse stage is tested
AROUND = (0.9, 1.1, 2.0)  # of a definite stage: that it rests, and that it operates
_SETTINGS = (
    ("state", "", "State"), ("device", "", "Device"), ("of", "", "Set at"), ("function", "", "Function"), ("setting", "", "Setting"), ("symbol", "", "Symbol"),
    ("value", "", "Primary"), ("secondary", "", "Secondary"), ("unit", "", "Unit"), ("ct", "", "CT"), ("assumed", "", "Assumed"),
)  # fmt: skip
_TESTS = (
    ("state", "", "State"), ("device", "", "Device"), ("of", "", "Set at"), ("function", "", "Function"), ("multiple", "", "× pickup"),
    ("i_primary_a", "A", "Primary"), ("i_secondary_a", "A", "Secondary"), ("t_from_s", "s", "Operates from"), ("t_to_s", "s", "Operates by"),
)  # fmt: skip
_ZONES = (("state", "", "State"), ("zone", "", "Zone"), ("transformers", "", "Current transformers"), ("count", "", "Covers"), ("covers", "", "Elements"))
# what is set of each function: field, and whether it is a current through the current transformers
SET = {
    "51": (
        ("curve", False),
        ("i_pickup_a", True),
        ("time_multiplier", False),
        ("looks", False),
        ("voltage", False),
        ("v_release_pct", False),
        ("shots", False),
        ("fast_shots", False),
        ("fast_curve", False),
        ("fast_multiplier", False),
        ("t_dead_s", False),
    ),
    "50": (("i_high_a", True), ("t_high_s", False), ("looks", False)),
    "27": (("v_under_pct", False), ("t_under_s", False)),
    "59": (("v_over_pct", False), ("t_over_s", False)),
    "87": (("zone", False), ("i_difference_a", False), ("t_operate_s", False)),
    "AFD": (("i_pickup_a", False), ("t_operate_s", False)),
    "46": (("i_negative_a", True), ("t_negative_s", False)),
    "49": (("i_thermal_a", True), ("t_thermal_s", False)),
    "51N": (("earth_curve", False), ("i_earth_pickup_a", True), ("earth_multiplier", False), ("earth_looks", False)),
    "50N": (("i_earth_high_a", True), ("t_earth_high_s", False), ("earth_looks", False)),
    "trip L": (("trip_ir_a", False), ("trip_tr_s", False)),
    "trip S": (("trip_isd_a", False), ("trip_tsd", False), ("trip_sd_ramp", False)),
    "trip G": (("trip_ig_a", False), ("trip_tg", False)),
    "trip I": (("trip_ii_a", False),),
    "maintenance": (("i_maintenance_a", False),),
    "thermal": (("trip_ir_a", False),),
    "magnetic": (("trip_im_a", False), ("trip_class", False)),
    "trip curve": (("trip", False),),
    "fuse link": (("link", False), ("i_rated_a", False)),
}

NOT_INJECTED = ("27", "59", "AFD")  # no current makes them operate
UNUSED = {
    "shots": 1,
    "fast_shots": 0,
    "trip_sd_ramp": False,
    "looks": "both ways",
    "earth_looks": "both ways",
    "voltage": "independent",
}  # what need not be set


def settings_table(net: Compiled, devices: Mapping[str, Device]) -> Table:
    """A row for each setting."""
    return build("device_settings", _SETTINGS, [row for one in devices.values() for fn in one.functions for row in _settings(net, one, fn)])


def _settings(net: Compiled, device: Device, fn: Function) -> Iterator[tuple[Any, ...]]:
    if fn.measured_at:  # of a signal: it is set where it is measured
        return
    holder = fn.holder
    declared = {p.name: p for p in parameters_of(type(holder))}
    for field, through_ct in SET.get(fn.code, ()):
        value = getattr(holder, field)
        if value is None or value == UNUSED.get(field) or not declared[field].acts(vars(holder)):
            continue
        p, ratio = declared[field], _ratio(holder, fn.measures)
        secondary = value / ratio if through_ct and ratio and isinstance(value, float) else None
        primary = _primary(holder, fn.measures)
        ct = f"{primary:g}/{holder.ct_secondary_a:g} A" if isinstance(holder, Relay) and primary and through_ct else None
        assumed = "~" if field in holder.assumed else None
        yield net.state, device.name, holder.name, fn.called, p.label, p.symbol or None, value, secondary, p.unit or None, ct, assumed


def points_table(net: Compiled, devices: Mapping[str, Device]) -> Table:
    """Currents to inject, and between which times each function has to operate: its own, without the breaker."""
    rows = []
    for one in devices.values():
        for fn in one.functions:
            if isinstance(fn.holder, Fuse) or fn.code in NOT_INJECTED or fn.measured_at:
                continue
            for multiple in AROUND if fn.fast or fn.code in ("trip S", "46") else MULTIPLES:
                i = fn.curve.pickup_a * multiple
                fast, slow = (float(fn.curve.time_s(i, edge)) for edge in EDGES)
                ratio = _ratio(fn.holder, fn.measures)
                known = (t if t < float("inf") else None for t in (fast, slow))
                rows.append((net.state, one.name, fn.holder.name, fn.called, multiple, i, i / ratio if ratio else None, *known))
    return build("test_points", _TESTS, rows)


def zones_table(net: Compiled) -> Table:
    """The protection zones: the transformers at their edges, and what lies within."""
    rows = []
    for zone in zones_of(net.elements):
        within = [e.name for e in net.elements.values() if e.id in zone.covers]
        rows.append((net.state, zone.name, ", ".join(net.name(ct) for ct in zone.transformers), len(within), ", ".join(within)))
    return build("zones", _ZONES, rows)


def _ratio(holder: Element, measures: Measured) -> float | None:
    """Ratio of the current transformers of a relay: of the phases, or of a core-balance one."""
    primary = _primary(holder, measures)
    return primary / holder.ct_secondary_a if isinstance(holder, Relay) and primary else None


def _primary(holder: Element, measures: Measured) -> float | None:
    if not isinstance(holder, Relay):
        return None
    return (holder.earth_ct_primary_a or holder.ct_primary_a) if measures == "residual" else holder.ct_primary_a
