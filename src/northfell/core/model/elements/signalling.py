"""Protection that acts on places instead of a current through its own breaker, and what protection tells other breakers."""

from typing import Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.elements.base import AF, CO, About, Element, Phrase, Reference

# Declarations read as a table.
# fmt: off

DIFFERENTIAL, LIGHT = When("function", ("differential",)), When("function", ("arc light",))
TRIPS, ON_FAILURE, RESTRAINS = "trips", "trips on failure", "restrains"


class ZoneRelay(Element):
    """A relay that acts on faults in its zone alone, at once: by the difference of the currents at its edge, or by the light of an arc."""

    TITLE, LETTER, HELD_BY, ORDERS = "Zone relay", "B", "breaker", "breaker"
    ABOUT = About(
        group="Measuring", short="Zone", words={"zonerelay": {}, "arclight": {"function": "arc light"}, "differential": {}}, example="arclight 1200 A",
        typed={"current": "i_pickup_a"}
    )
    kind: Literal["zone_relay"] = "zone_relay"
    breaker: Reference = param(
        label="Trips", meaning="The breaker it opens. Where several open, each has a zone relay, or a protection signal from one that has.",
        section="Connection", refers_to=("breaker",)
    )
    function: Literal["differential", "arc light"] = param(
        "differential", label="Function", section="Protection", source="IEEE C37.2, 87 and AFD",
        meaning="Differential: the current transformers that name the zone find what flows in and not out. Arc light: sensors see an arc at a bus.",
        enters="for which faults it operates"
    )
    zone: Phrase = param(
        "", label="Zone", section="Protection", acts_when=DIFFERENTIAL, meaning="Name of the protection zone, as its current transformers bound it.",
        enters="87: faults at the buses within"
    )
    bus: Reference | None = param(
        None, label="Sensors at", section="Connection", refers_to=("bus",), acts_when=LIGHT, needed_for=(AF, CO),
        meaning="Where its sensors see an arc. The line side of a main is the bus before it: it needs sensors of its own, which trip what stands before it.",
        enters="AFD: arcs at this bus"
    )
    i_difference_a: float | None = param(
        None, label="Difference, primary", symbol="Id", unit="A", gt=0, le=50000, section="Protection", acts_when=DIFFERENTIAL, needed_for=(AF, CO),
        meaning="Least difference from which it operates, at the voltage of the breaker; of a fault within it is all that flows into it.",
        enters="87: current of the fault against it"
    )
    i_pickup_a: float | None = param(
        None, label="Current check, primary", symbol="I>", unit="A", gt=0, le=50000, section="Protection", acts_when=LIGHT,
        meaning="Least current through the breaker for it to believe the light. Empty: by light alone.", enters="AFD: current through the breaker against it"
    )
    t_operate_s: float | None = param(
        None, label="Operating time", symbol="to", unit="s", gt=0, le=5, section="Protection", needed_for=(AF, CO), typical="zone_relay_time",
        meaning="Longest time until its order; the breaker takes its own time after that.", enters="opens at to + tb"
    )
    pickup_tolerance_pct: float = param(
        5.0, label="Pickup tolerance", unit="%", ge=0, le=30, section="Protection", source="usual value (unverified)",
        meaning="By which its current may be off.", enters="slow edge from the setting·(1 + tolerance/100)"
    )


class ProtectionSignal(Element):
    """What the protection of one breaker tells another: to open as well, to open where the first has failed to, or to wait."""

    TITLE, LETTER, HELD_BY, ORDERS = "Protection signal", "K", "breaker", "breaker"
    ABOUT = About(group="Measuring", short="Signal", words={"signal": {}}, example="signal")
    kind: Literal["protection_signal"] = "protection_signal"
    breaker: Reference = param(label="Acts on", meaning="The breaker that receives it.", section="Connection", refers_to=("breaker",))
    sender: Reference | None = param(
        None, label="Sent by", section="Connection", refers_to=("breaker",), needed_for=(AF, CO), meaning="The breaker whose protection sends it.",
        enters="which currents decide"
    )
    does: Literal["trips", "trips on failure", "restrains"] = param(
        "restrains", label="Does", section="Protection",
        meaning="Trips: opens with the sender's relays. Trips on failure: opens where the sender still carries current so long after the order of its relays. "
        "Restrains: zone interlocking; the short-time stage of the receiver, or its relays' high stages, wait as set while the sender sees the fault, and "
        "not else.",
        source="IEEE C37.2, IEEE C37.119", enters="when the receiver opens"
    )
    t_signal_s: float | None = param(
        None, label="Signal time", unit="s", ge=0, le=1, section="Protection", needed_for=(AF, CO), typical="signal_time",
        acts_when=When("does", ("trips", "trips on failure")),
        meaning="From the sender's order to the receiver's, auxiliary relays included.", enters="order of the receiver = order of the sender + signal time"
    )
    t_failure_s: float | None = param(
        None, label="Failure delay", unit="s", gt=0, le=5, section="Protection", needed_for=(AF, CO), acts_when=When("does", ("trips on failure",)),
        meaning="So long after its relays' order the sender is taken as failed if it still carries current.", source="IEEE C37.119",
        enters="trip order with a breaker that fails; coordination: longer than the sender takes to open"
    )
    t_free_s: float | None = param(
        None, label="Delay when not restrained", unit="s", gt=0, le=5, section="Protection", acts_when=When("does", ("restrains",)),
        meaning="Of the high stages of the receiver's relays; a trip of its own has its lowest band then. Empty: they stay as set.",
        enters="the stage operates so soon where no sender sees the fault"
    )

    @property
    def orders(self) -> str | None:
        """The receiver, unless it is only told to wait."""
        return None if self.does == RESTRAINS else self.breaker
