"""What the Coordination stage knows of one element: of a device its gaps and rules, of a bus what opens first for a fault there."""

import math
from urllib.parse import urlencode

from northfell.core.errors import CannotRun, NoSolution
from northfell.core.model.elements import Bus, Element
from northfell.core.quantities import figure
from northfell.core.studies.coordination import COORDINATION, NOT_REQUIRED, RULES, Coordination, Rule, seconds
from northfell.core.studies.protection import TripOrder
from northfell.core.studies.trip_order import TRIP_ORDER, TripOrders, TripOrderSettings
from northfell.web.shell.figures import Figure, Section
from northfell.web.shell.stage import Look
from northfell.web.stages.coordination.sheet import device_of, gap_text

MOST_ASKED = 3  # devices of which a card asks what happens if they do not open
NEITHER = "Select a breaker, fuse or relay to see its curves and rules, or a bus to see what opens first for a fault there."


def coordination_figures(look: Look, e: Element) -> list[Section]:
    """The sections of the card."""
    found: Coordination = look.result(COORDINATION)
    if isinstance(e, Bus):
        return [order_section(look, e)]
    device = device_of(found, e)
    if not device:
        return [Section("Coordination", message=NEITHER)]
    return [_gaps(found, device), _rules(found, device)]


def _gaps(found: Coordination, device: str) -> Section:
    figures = []
    for p in found.pairs_with(device):
        verdict = found.verdict(p)
        other = f"above {found.net.name(p.downstream)}" if p.upstream == device else f"below {found.net.name(p.upstream)}"
        unit = "s" if math.isfinite(p.margin_s) else ""
        held = f"required {seconds(p.required_s)}" if p.required_s else "bands to be clear of each other"
        required = "in series: not required" if verdict == NOT_REQUIRED else held
        note = f"{required}, at {figure(p.i_ka, 3)} kA, {p.fault}, {p.case}imum"
        working = urlencode({"study": "coordination", "quantity": "gap_s", "part": p.downstream})
        figures.append(Figure(other, gap_text(p).removesuffix(" s"), unit, verdict if verdict in ("breach", "close") else "", working, note))
    return Section("Gaps, the least over all faults", figures, "working", message="" if figures else "No other device stands above or below it.")


def _rules(found: Coordination, device: str) -> Section:
    return Section("Rules", [_rule(found, one) for one in found.rules_of(device)], "at least 1 ×")


def _rule(found: Coordination, one: Rule) -> Figure:
    verdict = found.verdict_of(one)
    of = f": {found.net.name(one.of)}" if one.of else ""
    label = RULES[one.rule][0].upper() + RULES[one.rule][1:]
    if one.value is None:
        return Figure(f"{label}{of}", "–", "", "missing", note=one.basis)
    text = figure(one.value, 3) if math.isfinite(one.value) else "∞"
    return Figure(f"{label}{of}", text, one.unit, verdict if verdict in ("breach", "close") else "", note=one.basis)


def order_of_look(look: Look, e: Bus) -> tuple[TripOrders, TripOrder]:
    """The trip order of a bus, for the fault and case that are looked at.

    Raises
    ------
    CannotRun
        If there is no fault to follow.
    """
    orders: TripOrders = look.result(TRIP_ORDER)
    at = orders.net.topology.bus_index[e.id]
    return orders, orders.at(at, followed_as(look, orders))


def followed_as(look: Look, orders: TripOrders) -> TripOrderSettings:
    """How the fault that is looked at is followed: the settings of the project, with its type, its currents, and who is taken to fail."""
    chosen = {"fault": look.view.fault, "case": look.view.case}
    failing = look.network.elements.get(look.view.failed)
    return orders.settings.model_copy(update=chosen | ({"failed": failing.name} if failing else {}))


def told_of(settings: TripOrderSettings) -> str:
    """The same in words."""
    failing = f", {settings.failed} does not open" if settings.failed else ""
    return f"{settings.fault}, {settings.case}imum currents, {settings.current}, {settings.edge} edges{failing}"


def opening(look: Look) -> list[Element]:
    """The devices that open for the fault at the selected bus: who may be asked what happens if one of them does not."""
    try:
        orders, order = order_of_look(look, look.element) if isinstance(look.element, Bus) else (None, None)
    except (CannotRun, NoSolution):
        return []
    return [orders.net.elements[s.device] for s in order.steps[:MOST_ASKED]] if orders and order else []


def order_section(look: Look, e: Bus) -> Section:
    """What opens first, second, third."""
    try:
        orders, order = order_of_look(look, e)
    except CannotRun as error:
        return Section("What opens first", message=error.reasons[0])
    net = orders.net
    figures = [
        Figure(f"{k}. {net.name(s.device)}", figure(s.t_s, 3), "s", note=f"{s.reason}, {figure(s.i_a / 1000, 3)} kA through it")
        for k, s in enumerate(order.steps, 1)
    ]
    cleared = math.isfinite(order.cleared_s)
    figures.append(Figure("Cut off", figure(order.cleared_s, 3) if cleared else "never", "s" if cleared else "", "" if cleared else "breach"))
    message = " ".join(order.told)
    return Section(f"What opens first: {told_of(followed_as(look, orders))}", figures, message=message)
