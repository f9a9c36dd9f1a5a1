"""How a gap came about."""

import math

from northfell.core.errors import NotFound
from northfell.core.quantities import figure as f
from northfell.core.studies.coordination.pairs import Pair
from northfell.core.studies.coordination.result import Coordination
from northfell.core.working import Working


def explain(found: Coordination, element_id: str, part: str) -> Working:
    """The working of the gap of a device to another: `part` is the id of the lower one, and where it is empty the worst of its pairs is shown."""
    pairs = [p for p in found.worst_pairs.values() if element_id in (p.upstream, p.downstream) and part in ("", p.downstream)]
    one: Pair | None = max(pairs, key=lambda p: p.short_s, default=None)
    if one is None:
        raise NotFound("There is no pair of devices to show.")
    net = found.net
    above, below = found.devices[one.upstream], found.devices[one.downstream]
    w = Working(f"Gap of {above.name} above {below.name}, {one.fault}, {one.case}imum case, state {net.state}")
    at = net.name(net.topology.bus_ids[one.bus])
    w.given("I″", f"bolted fault at {at}, through {below.name}", one.i_fault_ka, "kA", found.faults.method)
    share = one.i_ka / one.i_fault_ka
    w.step("Current at which the gap is least", "I", "share of the bolted current, of both alike", f"{f(100 * share)} %", one.i_ka, "kA")
    w.step(f"Current through {above.name}", "Iu", "by superposition, the same share", "", one.i_upper_ka, "kA", found.faults.method)
    lower_sees, upper_sees = one.sees
    below.clearing(lower_sees, w)
    lower = w.step(f"{below.name} has opened", "tl", "slow edge of its band, with the time of the switch", "", one.t_lower_s, "s")
    deciding = min(above.functions, key=lambda fn: float(fn.orders_at_s(upper_sees, "fast")))
    upper = w.step(f"{above.name} gives its order", "tu", "fast edge of its band", f"{deciding.stage} at {f(1000 * one.i_upper_ka)} A", one.t_upper_s, "s")
    w.given("required", one.interval.basis, one.required_s, "s", "project setting")
    told = f"{f(float(upper))} − {f(float(lower))}" if math.isfinite(one.margin_s) else "one of them does not operate"
    w.result, w.unit = w.step("Gap", "gap", "tu − tl", told, one.margin_s, "s"), "s"
    return w
