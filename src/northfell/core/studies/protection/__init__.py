"""Protective devices: their curves as bands, and when a device has opened for a current through it."""

from northfell.core.studies.protection.curves import link_time_s, relay_time_s
from northfell.core.studies.protection.devices import LEAST_ARC_S, Clearing, Device, Link, Wanted, devices_of, exchanged, is_complete, lacking_of, wanted_by
from northfell.core.studies.protection.family import family_of
from northfell.core.studies.protection.following import Asked, Interval, Solved, Step, TripOrder, follow, opened_by, order_of
from northfell.core.studies.protection.functions import REGISTRY, Curve, Function, FunctionKind, Guard, Tolerance
from northfell.core.studies.protection.isolation import Isolation, Zones
from northfell.core.studies.protection.steps import setting_steps
from northfell.core.studies.protection.through import EDGES, Amperes, Edge, Measured, Seen, Through, beside, seen_by, through_devices

__all__ = [
    "Amperes", "Asked", "Clearing", "Curve", "Device", "EDGES", "Edge", "Function", "FunctionKind", "Interval", "Isolation", "LEAST_ARC_S", "Measured",
    "REGISTRY", "Solved",
    "Step", "Through", "Tolerance", "TripOrder", "Zones", "beside", "devices_of", "exchanged", "family_of", "follow", "is_complete",
    "Guard", "Link", "Wanted", "lacking_of", "wanted_by", "Seen", "link_time_s", "opened_by", "order_of", "relay_time_s", "seen_by",
    "setting_steps", "through_devices",
]  # fmt: skip
