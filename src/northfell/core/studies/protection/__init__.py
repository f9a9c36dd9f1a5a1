"""Protective devices: their curves as bands, and when a device has opened for a current through it."""

from northfell.core.studies.protection.curves import gg_operating_time_s, relay_time_s
from northfell.core.studies.protection.devices import Clearing, Device, devices_of
from northfell.core.studies.protection.functions import EDGES, REGISTRY, Curve, Edge, Function, FunctionKind, Tolerance
from northfell.core.studies.protection.isolation import Isolation, Zones

__all__ = [
    "Clearing", "Curve", "Device", "EDGES", "Edge", "Function", "FunctionKind", "Isolation", "REGISTRY", "Tolerance", "Zones", "devices_of",
    "gg_operating_time_s", "relay_time_s",
]  # fmt: skip
