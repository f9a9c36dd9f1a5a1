"""One rule of a device, and what rules there are."""

import math
from dataclasses import dataclass

RULES = {
    "load": "above the load it carries",
    "start": "lets a motor start",
    "first cycles": "lets a motor's first cycles pass",
    "stall": "within a motor's stall time",
    "inrush": "lets a transformer's inrush pass",
    "through-fault": "below a transformer's limit",
    "earth through-fault": "below a transformer's limit, line to earth",
    "cable": "below a cable's limit",
    "code, transformer": "within what the code allows for a transformer",
    "code, motor": "within what the code allows for a motor",
    "stator": "below what a generator's stator withstands",
    "negative sequence": "below what a generator's rotor withstands",
    "held on": "sees what a generator alone holds on with",
    "transformer ratio": "has the ratio of its current transformers",
    "transformer accuracy": "has current transformers that stay accurate",
    "transformer saturation": "has current transformers that no direct part saturates",
    "undervoltage": "opens below the voltage of the load flow alone",
    "overvoltage": "opens above the voltage of the load flow alone",
    "fuse saved": "opens by its fast trips before a fuse below melts",
    "breaker failure": "waits until the breaker it watches has opened",
    "least fault": "sees the least fault",
    "backup": "sees the least fault beyond the device below",
    "least earth fault": "sees the least earth fault",
}
PRACTICE = "usual practice (unverified)"


@dataclass(frozen=True)
class Rule:
    """One rule of a device: a value that must be no less than its limit."""

    device: str
    rule: str  # of RULES
    of: str | None  # what is carried or protected
    value: float | None  # None: it is not assessed, and `basis` says why
    limit: float
    close: float  # from which down it is near the limit
    unit: str
    source: str
    basis: str
    bus: int = -1
    at_a: float = math.nan  # current through the device at which the value is least
    grave: bool = True  # a value below its limit is a breach, not a thing to look at
