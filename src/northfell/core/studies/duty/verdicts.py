"""Findings: what is asked for more than it is rated for, or nearly."""

from collections.abc import Iterator

from northfell.core.finding import Finding
from northfell.core.model.network import title_of
from northfell.core.model.settings import Limits
from northfell.core.quantities import figure, fixed
from northfell.core.studies.duty.result import Duties

STUDY = "duty"


def duty(duties: Duties, limits: Limits) -> Iterator[Finding]:
    """The worst duty of each element that is near its rating or beyond it."""
    net = duties.net
    for element_id, rows in duties.of.items():
        one, e = rows[0], net.elements[element_id]
        verdict = duties.verdict(one)
        if verdict not in ("breach", "close") or one.pct is None or one.value is None or one.rating is None:
            continue
        at = net.name(net.topology.bus_ids[one.bus])
        text = (
            f"{title_of(e)}: {one.quantity} asks for {fixed(one.pct, 1)} % of its rating, {figure(one.value)} of {figure(one.rating)} {one.unit}, "
            f"with a fault at {at} ({one.basis})."
        )
        help_ = f"A rating of {figure(one.value / duties.settings.close_pct * 100, 3)} {one.unit} would do, or less current: see its remedies."
        yield Finding(
            STUDY, net.state, e.id, e.name, "breach" if verdict == "breach" else "close", text, one.pct, duties.settings.breach_pct, "%", help_, "duty"
        )
