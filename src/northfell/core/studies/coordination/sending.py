"""What a device is sent: the settings of all its relays, of every setting group, or of its trip, as they are set there; and how two of such sets differ."""

import math
from collections.abc import Mapping

from northfell.core.model.elements import Breaker, Element, Relay
from northfell.core.network import Compiled
from northfell.core.studies.coordination.schedule import settings_table
from northfell.core.studies.protection import Device

Told = dict[str, float | str]
SAME = 1e-6  # of a setting, that is taken as the same


def devices_that_are_set(elements: Mapping[str, Element]) -> list[Device]:
    """Breakers with relays or an electronic trip, each with its relays of all setting groups: what can be sent settings."""
    relays: dict[str, list[Relay]] = {}
    for e in elements.values():
        if isinstance(e, Relay) and e.in_service:
            relays.setdefault(e.breaker, []).append(e)
    breakers = (e for e in elements.values() if isinstance(e, Breaker) and e.in_service)
    return [Device(b, tuple(relays.get(b.id, ()))) for b in breakers if b.id in relays or b.trip == "electronic"]


def to_send(net: Compiled, device: Device) -> Told:
    """The settings of a device by relay, function and name: secondary where they go through current transformers."""
    told: Told = {}
    for r in settings_table(net, {device.switch.id: device}).records():
        through = r["secondary"] is not None
        value = r["secondary"] if through else r["value"]
        named = f"{r['setting'].removesuffix(', primary')}{', secondary' if through else ''}{f' [{unit}]' if (unit := r['unit']) else ''}"
        told[f"{r['of']}, {r['function']}: {named}"] = float(value) if isinstance(value, int | float) else str(value)
    return told


def differing(now: Told, then: Told) -> list[str]:
    """What is set otherwise than it was, in words."""
    found = []
    for key in dict.fromkeys((*now, *then)):
        a, b = then.get(key), now.get(key)
        if isinstance(a, float | int) and isinstance(b, float | int):
            if math.isclose(a, b, rel_tol=SAME):
                continue
        elif a == b:
            continue
        found.append(f"{key} {_written(a)} → {_written(b)}")
    return found


def _written(value: float | str | None) -> str:
    return "none" if value is None else f"{value:.6g}" if isinstance(value, float | int) else value
