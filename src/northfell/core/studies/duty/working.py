"""How a duty came about."""

from northfell.core.errors import NotFound
from northfell.core.studies.duty.result import Duties, Duty
from northfell.core.working import Working


def explain(duties: Duties, element_id: str, quantity: str = "") -> Working:
    """The working of one duty of an element; without its name, of the worst."""
    rows = [one for one in duties.of.get(element_id, ()) if quantity in ("", one.quantity)]
    one: Duty | None = rows[0] if rows else None
    if one is None or one.value is None or one.rating is None or one.pct is None:
        raise NotFound(f"There is no duty to show{': ' + one.basis if one else ''}.")
    net = duties.net
    name = net.name(element_id)
    w = Working(f"{one.quantity[0].upper()}{one.quantity[1:]} duty of {name}, state {net.state}")
    w.given("f", "nominal frequency", float(net.frequency_hz), "Hz", "project setting")
    for title, symbol, equation, value, unit, source in one.steps:
        w.step(title, symbol, equation, "", value, unit, source)
    asked = w.step("Asked for, in the terms of the rating", "value", one.basis, "", one.value, one.unit, one.rated_by)
    rating = w.given("rating", f"what {name} is rated for, by {one.rated_by}", one.rating, one.unit, name)
    w.result, w.unit = w.step("Part of its rating", "pct", "100·value/rating", f"100·{asked:.5g}/{rating:.5g}", one.pct, "%", one.rated_by), "%"
    return w
