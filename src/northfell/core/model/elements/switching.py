"""Switching devices and the protection that opens them."""

import itertools
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, ValidationInfo

from northfell.core.errors import InputRefused
from northfell.core.model.declare.parameters import When, param
from northfell.core.model.declare.rows import Row, Rows
from northfell.core.model.elements.base import AF, CO, About, Element, Reference, peak_ka, short_time_ka, short_time_s, terminal
from northfell.core.model.elements.by_phase import Conductors, OpenPoles, conductors_joined, open_poles

# Declarations read as a table.
# fmt: off

# Names of rows in the catalogue's tables, and one's own; a test holds them equal.
OWN = "own points"
InverseCurve = Literal["IEC_SI", "IEC_VI", "IEC_EI", "IEEE_MI", "IEEE_VI", "IEEE_EI", "LTI", "STI"]
RelayCurve = Literal[InverseCurve, "own points"]
GG_RATINGS_A = (16, 20, 25, 32, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250)
KT_RATINGS_A = (6, 8, 10, 12, 15, 20, 25, 30, 40, 50, 65, 80, 100, 140, 200)
E_RATINGS_A = (5, 7, 10, 13, 15, 20, 25, 30, 40, 50, 65, 80, 100, 125, 150, 200, 250, 300, 400)
LINK_SIZES_A = {"gG": GG_RATINGS_A, "aM": GG_RATINGS_A, "K": KT_RATINGS_A, "T": KT_RATINGS_A, "E": E_RATINGS_A}


class BandPoint(Row):
    """A point of a device's own curve: between which times it operates at a current."""

    i_a: float = param(label="Current", symbol="I", unit="A", gt=0, le=1e6, meaning="Prospective current, rms.")
    t_fast_s: float = param(label="Not before", symbol="tmin", unit="s", gt=0, le=1e5, meaning="Least time: of a fuse, of melting.")
    t_slow_s: float = param(label="Sure by", symbol="tmax", unit="s", gt=0, le=1e5, meaning="Greatest time, until the current has ended.")


class RelayPoint(Row):
    """A point of a relay's own curve at time multiplier 1."""

    multiple: float = param(label="Multiple of pickup", symbol="M", unit="p.u.", gt=1, le=1000, meaning="Current over pickup.")
    t_s: float = param(label="Time", symbol="t", unit="s", gt=0, le=1e5, meaning="Operating time at time multiplier 1.")


def _falling(rows: list[Any], told: ValidationInfo) -> list[Any]:
    """Points of a curve: with every more current no more time, and no edge before the other.

    Raises
    ------
    InputRefused
        With the first row that is not so.
    """
    field = told.field_name or "points"
    for row in rows:
        if isinstance(row, BandPoint) and row.t_fast_s > row.t_slow_s:
            raise InputRefused(field, f"{row.t_fast_s:g} and {row.t_slow_s:g} s at {row.i_a:g} A", "a least time no longer than the greatest")
    for before, after in itertools.pairwise(rows):
        (x, *t_before), (x_after, *t_after) = before.model_dump().values(), after.model_dump().values()
        if x_after <= x or any(b > a for a, b in zip(t_before, t_after, strict=True)):
            raise InputRefused(field, f"{x_after:g} after {x:g}", "currents that rise from row to row, with times that do not")
    return rows


BandPoints = Annotated[Rows[BandPoint], AfterValidator(_falling)]
RelayPoints = Annotated[Rows[RelayPoint], AfterValidator(_falling)]


class Switching(Element):
    """What switches, breakers, contactors and fuses share."""

    TERMINALS, LETTER = ("from_bus", "to_bus"), "Q"
    from_bus: Reference = terminal("From", "Bus at the first terminal.")
    to_bus: Reference = terminal("To", "Bus at the second terminal.")
    closed: bool = param(True, label="Closed", section="Operation", in_state=True, meaning="Position; differs between operating states.")
    conductors: Conductors | None = conductors_joined()
    open_poles: OpenPoles | None = open_poles()

    @property
    def joined(self) -> tuple[int, int] | None:
        return (0, 1) if self.closed else None


def _breaking_ka(label: str, symbol: str, meaning: str, enters: str) -> Any:
    return param(None, label=label, symbol=symbol, unit="kA", gt=0, le=500, section="Short-circuit rating", meaning=meaning, enters=enters)


def _let_through() -> Any:
    return param(
        None, label="Let-through I²t", unit="kA²s", gt=0, le=1e5, section="Short-circuit rating",
        meaning="Of a current-limiting device, up to its breaking current; from the maker. Empty: by current and time.", source="IEC 60947-2, IEC 60269-1",
        enters="duty of cables: heat where it opens at once, instead of I²t by its curve"
    )


class Switch(Switching):
    """A disconnector or load switch: no protection of its own."""

    TITLE = "Switch"
    ABOUT = About(
        group="Switching", words={"switch": {}, "disconnector": {}}, example="switch open", typed={"current": "i_rated_a"}, same_voltage=True
    )
    kind: Literal["switch"] = "switch"
    function: Literal["disconnector", "load switch", "switch-disconnector"] = param(
        "disconnector", label="Function", meaning="A disconnector must not break current; a load switch may break load current.", source="IEC 60947-1",
        enters="the symbol shows it"
    )
    i_rated_a: float | None = param(
        None, label="Rated current", symbol="Ir", unit="A", gt=0, le=20000, meaning="Empty: loading is not judged.", enters="loading = I/Ir"
    )


    i_short_time_ka: float | None = short_time_ka("the switch")
    t_short_time_s: float = short_time_s()
    i_making_ka: float | None = peak_ka(
        "Making and peak current", "Crest that it makes and withstands. Empty: not assessed.", "duty: ip against it"
    )


TRIPPED = When("trip", ("electronic", "thermal-magnetic", "miniature"))
POINTS = "Straight lines in log-log between the points. Below the first nothing is known: it is taken not to operate."
ELECTRONIC = When("trip", ("electronic",))
OF_IEC = ("IEC 62271-100", "IEC 60947-2")
SYMMETRICAL, TOTAL = "IEEE symmetrical", "IEEE total current"
OF_IEEE_MV = (SYMMETRICAL, TOTAL)
OF_IEEE_LV = ("IEEE power breaker", "IEEE fused power breaker", "moulded case")


class Breaker(Switching):
    """A circuit breaker, tripped by its own electronic trip or by relays that name it."""

    TITLE = "Breaker"
    ABOUT = About(
        group="Switching", words={"breaker": {}, "cb": {}}, example="breaker 630 A", typed={"current": "i_rated_a"}, same_voltage=True
    )
    kind: Literal["breaker"] = "breaker"
    design: Literal["fixed", "withdrawable"] = param(
        "fixed", label="Design", meaning="Withdrawable breakers isolate by being moved; the symbol shows it.", enters="the symbol shows it"
    )
    i_rated_a: float | None = param(
        None, label="Rated current", symbol="Ir", unit="A", gt=0, le=20000, meaning="Empty: loading is not judged.", enters="loading = I/Ir"
    )
    t_break_s: float | None = param(
        None, label="Interrupting time", symbol="tb", unit="s", gt=0, le=5, section="Protection", typical="breaker_interrupting_time",
        needed_for=(AF, CO), when_ordered=True, meaning="Opening plus arcing time, from the relay's order to the current's end.",
        enters="opens at t(relay) + tb"
    )
    rated_by: Literal[
        "IEC 62271-100", "IEC 60947-2", "IEEE symmetrical", "IEEE total current", "IEEE power breaker", "IEEE fused power breaker", "moulded case"
    ] | None = param(
        None, label="Rated by", section="Short-circuit rating",
        meaning="The standard in whose terms its ratings are told: IEC breakers; medium-voltage breakers rated by symmetrical (C37.04) or, of old, by total "
        "current; low-voltage power breakers (C37.13); moulded-case breakers. Empty: not assessed.",
        enters="duty: which quantity of the network is held against which rating"
    )
    i_breaking_ka: float | None = _breaking_ka(
        "Breaking current", "Isc, Icu",
        "Rms symmetrical current that it breaks at its rated voltage; of the total-current rating, the total. Empty: not assessed.",
        "duty: Ib, or the first-cycle or interrupting current with its factor, against it"
    )
    let_through_ka2s: float | None = _let_through()
    dc_part_pct: float | None = param(
        None, label="Direct part at opening", unit="%", ge=0, le=150, section="Short-circuit rating", acts_when=When("rated_by", ("IEC 62271-100",)),
        meaning="Of the rating, when the contacts part, of the crest of the symmetrical current. Empty: by the standard's time constant of 45 ms.",
        source="IEC 62271-100", enters="duty: idc at the least time delay against p·√2·Isc"
    )
    i_making_ka: float | None = peak_ka(
        "Making current", "Crest that it makes and withstands; of old ratings the crest or, by total current, the rms. Empty: by the standard's factor.",
        "duty: ip, or the first-cycle crest, against it"
    )
    i_short_time_ka: float | None = short_time_ka("the breaker")
    t_short_time_s: float = short_time_s()
    v_rated_max_kv: float | None = param(
        None, label="Rated maximum voltage", symbol="Umax", unit="kV", gt=0, le=1200, section="Short-circuit rating", acts_when=When("rated_by", OF_IEEE_MV),
        meaning="Voltage at which the breaking current is rated.", source="IEEE C37.04", enters="duty: I·Umax/U, not above K·I"
    )
    k_factor: float = param(
        1.0, label="Voltage range factor", symbol="K", ge=1, le=2, section="Short-circuit rating", acts_when=When("rated_by", OF_IEEE_MV),
        meaning="Of older ratings, whose breaking current grows as the voltage falls.", source="IEEE C37.06",
        enters="duty: symmetrical capability I·Umax/U up to K·I"
    )
    i_series_ka: float | None = param(
        None, label="Rating with the device before it", unit="kA", gt=0, le=500, section="Short-circuit rating",
        meaning="Breaking current of the two together, as their maker has tested them. It counts while that device is closed and carries the fault.",
        source="IEC 60947-2, back-up protection; series ratings", enters="duty: stands in the place of the breaking current, and is told"
    )
    series_with: Reference | None = param(
        None, label="Device before it", section="Short-circuit rating", refers_to=("breaker", "fuse"), acts_when=When("i_series_ka"),
        meaning="The breaker or fuse with which it is rated together.", enters="duty: it must be closed and carry the fault current"
    )
    setting_group: int = param(
        1, label="Setting group", ge=1, le=8, section="Protection", in_state=True,
        meaning="In force in this state: relays that belong to another group rest. Differs between operating states.", enters="which relays act"
    )
    maintenance: bool = param(
        False, label="Maintenance switch", section="Protection", in_state=True, acts_when=When("i_maintenance_a"),
        meaning="On: an instantaneous stage acts beside all others while people work downstream. Differs between operating states.",
        enters="opens at once from its pickup on"
    )
    i_maintenance_a: float | None = param(
        None, label="Maintenance pickup", symbol="Im,s", unit="A", gt=0, le=200000, section="Protection", acts_when=When("trip", ("none", "electronic")),
        meaning="Of the stage that the maintenance switch puts in force. Tolerance ±10 %. Empty: there is none.",
        enters="opens at once from 1.1 times it for certain, while the switch is on"
    )
    trip: Literal["none", "electronic", "thermal-magnetic", "miniature", "own points"] = param(
        "none", label="Own trip", section="Protection", source="IEC 60947-2, IEC 60898-1",
        meaning="Electronic: long-time, short-time and instantaneous stage. Thermal-magnetic: as of moulded cases. Miniature: class B, C or D. All as bands "
        "that include the breaker's own time. Own points: as its maker's table has it. None: opens only on the order of a relay.",
        enters="which device opens the breaker"
    )
    trip_points: BandPoints = param(
        [], label="Own points", section="Protection", needed_for=(AF, CO), acts_when=When("trip", (OWN,)),
        meaning=f"Of its trip, its own time included; pasted from a spreadsheet if you like. {POINTS}", enters="the band of its time over current"
    )

    trip_ir_a: float | None = param(
        None, label="Long-time pickup", symbol="Ir", unit="A", gt=0, le=20000, section="Protection", needed_for=(AF, CO), acts_when=TRIPPED, typical="trip_ir",
        meaning="Setting in amperes, of a miniature breaker its rated current. Timing starts from 1.05 to 1.20 times this (electronic), 1.05 to 1.30 "
        "(thermal-magnetic), 1.13 to 1.45 (miniature).",
        enters="electronic: t = tr·36/(I/Ir)²; else t = τ·ln(m²/(m² − p²)), m = I/Ir"
    )
    trip_tr_s: float | None = param(
        None, label="Long-time delay at 6 × Ir", symbol="tr", unit="s", gt=0, le=100, section="Protection", needed_for=(AF, CO), acts_when=ELECTRONIC,
        typical="trip_tr",
        meaning="I²t law through this point.",
        enters="t = tr·36/(I/Ir)²"
    )
    trip_isd_a: float | None = param(
        None, label="Short-time pickup", symbol="Isd", unit="A", gt=0, le=200000, section="Protection", acts_when=ELECTRONIC,
        meaning="Empty: no short-time stage. Tolerance ±10 %.",
        enters="opens within the short-time band from 1.1·Isd for certain"
    )
    trip_tsd: Literal["0.1", "0.2", "0.3", "0.4"] | None = param(
        None, label="Short-time band", symbol="tsd", section="Protection", needed_for=(AF, CO), acts_when=When("trip_isd_a"),
        meaning="Delay band, named by its nominal seconds.",
        enters="the band's slow edge is taken"
    )
    trip_sd_ramp: bool = param(
        False, label="Short-time by I²t", section="Protection", acts_when=When("trip_isd_a"),
        meaning="In: below ten times Ir the short-time band falls with I²t through its setting there. Out: it is flat.",
        enters="t = band·(10/(I/Ir))² below 10·Ir, never below the flat band"
    )
    residual_ma: float | None = param(
        None, label="Residual current", symbol="IΔn", unit="mA", gt=0, le=30000, section="Earth-fault protection", source="IEC 60947-2, annex B; IEC 61008",
        meaning="Of its residual-current device. Empty: none.", enters="sizing: current at which an earth fault is cut off"
    )
    trip_ig_a: float | None = param(
        None, label="Earth pickup", symbol="Ig", unit="A", gt=0, le=50000, section="Earth-fault protection", acts_when=ELECTRONIC,
        meaning="Of the residual current 3·I0, measured by its own transformers. Empty: no earth-fault stage. Tolerance ±10 %. At most 1200 A by NEC 230.95.",
        enters="opens within the earth band from 1.1·Ig for certain"
    )
    trip_tg: Literal["0.1", "0.2", "0.3", "0.4"] | None = param(
        None, label="Earth band", symbol="tg", section="Earth-fault protection", needed_for=(CO,), acts_when=When("trip_ig_a"),
        meaning="Delay band, named by its nominal seconds.", enters="the band's slow edge is taken"
    )
    trip_im_a: float | None = param(
        None, label="Magnetic pickup", symbol="Im", unit="A", gt=0, le=200000, section="Protection", needed_for=(AF, CO),
        acts_when=When("trip", ("thermal-magnetic",)), meaning="Setting of the magnetic stage. Tolerance ±20 %.", source="IEC 60947-2",
        enters="opens at once from 1.2·Im for certain"
    )
    trip_class: Literal["B", "C", "D"] | None = param(
        None, label="Class", section="Protection", needed_for=(AF, CO), acts_when=When("trip", ("miniature",)), source="IEC 60898-1",
        meaning="Opens at once from 3 to 5 (B), 5 to 10 (C), 10 to 20 (D) times the rated current.",
        enters="opens within 0.1 s from the upper multiple for certain"
    )
    trip_ii_a: float | None = param(
        None, label="Instantaneous pickup", symbol="Ii", unit="A", gt=0, le=200000, section="Protection", acts_when=ELECTRONIC,
        meaning="Empty: no instantaneous stage. Tolerance ±10 %.",
        enters="opens at once from 1.1·Ii for certain"
    )


def _of_its_link(value: float, others: ValidationInfo) -> float:
    """A size must be one of the class of the link."""
    sizes = LINK_SIZES_A.get(others.data.get("link", "gG"), ())
    if sizes and value not in sizes:
        raise InputRefused("i_rated_a", value, f"a size of a {others.data['link']} link: {', '.join(map(str, sizes))} A")
    return value


class Fuse(Switching):
    """A fuse with a link of a class."""

    TITLE, LETTER = "Fuse", "F"
    ABOUT = About(
        group="Switching", words={"fuse": {}}, example="fuse 250", typed={"current": "i_rated_a"}, data=(("i_rated_a", "A"), ("link", "")),
        same_voltage=True
    )
    kind: Literal["fuse"] = "fuse"
    link: Literal["gG", "aM", "K", "T", "E", "own points"] = param(
        "gG", label="Class of link", section="Protection", source="IEC 60269-1, IEC 60269-2, IEEE C37.42, IEEE C37.46",
        meaning="gG: full range, general purpose. aM: motor circuits, for short circuits alone, not below four times its rated current. "
        "K and T: expulsion links of distribution cutouts, fast and slow. E: power fuses above 1 kV. "
        "Own points: as its maker's table has it.",
        enters="the band of its time over current"
    )
    i_rated_a: Annotated[float, AfterValidator(_of_its_link)] | None = param(
        None, label="Rated current", symbol="In", unit="A", choices=tuple(sorted({*GG_RATINGS_A, *KT_RATINGS_A, *E_RATINGS_A})), section="Protection",
        needed_for=(AF, CO), acts_when=When("link", tuple(LINK_SIZES_A)), source="IEC 60269-1, IEEE C37.42, IEEE C37.46",
        meaning="Standard size of a link of its class; its times follow from it.",
        enters="band of the fuse-link; loading = I/In"
    )
    points: BandPoints = param(
        [], label="Own points", section="Protection", needed_for=(AF, CO), acts_when=When("link", (OWN,)),
        meaning=f"Least melting and greatest clearing time over current; pasted from a spreadsheet if you like. {POINTS}",
        enters="the band of its time over current"
    )

    v_rated_kv: float | None = param(
        None, label="Rated voltage", symbol="Ur", unit="kV", gt=0, le=200, section="Protection", source="IEC 60269-1, IEC 60282-1, IEEE C37.46",
        meaning="Highest voltage at which it breaks; up to 1 kV a tenth more. Above it the fuse is not counted as a protective device. Empty: not assessed.",
        enters="above it no study credits the fuse with breaking anything"
    )
    rated_by: Literal["IEC 60269-1", "IEC 60282-1", "IEEE low-voltage fuse", "IEEE medium-voltage fuse"] | None = param(
        None, label="Rated by", section="Short-circuit rating", meaning="The standard in whose terms it is rated. Empty: not assessed.",
        enters="duty: which quantity of the network is held against its rating"
    )
    i_breaking_ka: float | None = _breaking_ka(
        "Breaking capacity", "I1", "Rms symmetrical current that it breaks. Empty: not assessed.",
        "duty: I″k, or the first-cycle current with its factor, against it"
    )
    let_through_ka2s: float | None = _let_through()


class Contactor(Switching):
    """A contactor: switches in operation, has no protection of its own."""

    TITLE = "Contactor"
    ABOUT = About(
        group="Switching", words={"contactor": {}}, example="contactor 200 A", typed={"current": "i_rated_a"}, same_voltage=True
    )
    kind: Literal["contactor"] = "contactor"
    i_rated_a: float | None = param(
        None, label="Rated operational current", symbol="Ie", unit="A", gt=0, le=5000, meaning="Empty: loading is not judged.", enters="loading = I/Ir"
    )
    i_overload_a: float | None = param(
        None, label="Overload relay", symbol="Ir", unit="A", gt=0, le=5000, section="Protection", source="IEC 60947-4-1; NEC 430.32",
        meaning="Setting of the overload relay of the starter. Empty: none, or not known.",
        enters="sizing: what protects the motor and its cable against overload"
    )
    i_conditional_ka: float | None = _breaking_ka(
        "Conditional short-circuit current", "Iq", "That it withstands behind the device it was tested with. Empty: not assessed.", "duty: I″k against it"
    )


class Changeover(Element):
    """A changeover switch: joins its common bus to one of two others, or to neither."""

    TITLE, TERMINALS, LETTER = "Changeover switch", ("bus", "first_bus", "second_bus"), "Q"
    ABOUT = About(
        group="Switching", short="Changeover", words={"changeover": {}}, example="changeover 400 A (generator 500 kVA)", typed={"current": "i_rated_a"},
        same_voltage=True
    )
    kind: Literal["changeover"] = "changeover"
    bus: Reference = terminal("Common", "Bus that is fed from the one or the other side.")
    first_bus: Reference = terminal("First side", "Bus that it is joined to in position first.")
    second_bus: Reference = terminal("Second side", "Bus that it is joined to in position second.")
    position: Literal["first", "second", "off"] = param(
        "first", label="Position", section="Operation", in_state=True, meaning="Differs between operating states.",
        enters="which of its sides is joined to the common bus"
    )
    i_rated_a: float | None = param(
        None, label="Rated current", symbol="Ir", unit="A", gt=0, le=20000, meaning="Empty: loading is not judged.", enters="loading = I/Ir"
    )

    @property
    def joined(self) -> tuple[int, int] | None:
        return {"first": (0, 1), "second": (0, 2)}.get(self.position)


EARTH_STAGE = When("i_earth_pickup_a")


class Relay(Element):
    """An overcurrent relay on current transformers at a breaker, with an inverse-time and a high stage, for phases and for earth faults."""

    TITLE, LETTER, HELD_BY, ORDERS = "Overcurrent relay", "B", "breaker", "breaker"
    ABOUT = About(
        group="Measuring", short="Relay", words={"relay": {}}, example="relay si 240 A tm 0.25 ct 300/1", typed={"current": "i_pickup_a"}
    )
    kind: Literal["relay"] = "relay"
    breaker: Reference = param(
        label="Trips", meaning="The breaker it opens; its current transformers measure the current of that breaker.", section="Connection",
        refers_to=("breaker",)
    )
    setting_group: int | None = param(
        None, label="In setting group", ge=1, le=8, section="Protection",
        meaning="It acts in states in which its breaker has this setting group in force. Empty: in all of them. Other settings of the same relay are another "
        "relay at the breaker, with its own group.",
        enters="which relays act"
    )
    ct_primary_a: float | None = param(
        None, label="CT primary", symbol="Ipn", unit="A", gt=0, le=50000, section="Protection", needed_for=(AF, CO), typical="relay_ct",
        meaning="Rated primary current of the current transformers.",
        enters="secondary settings = primary settings · Isn/Ipn"
    )
    ct_secondary_a: float = param(
        1.0, label="CT secondary", symbol="Isn", unit="A", gt=0, le=10, section="Protection", meaning="Rated secondary current.",
        enters="secondary settings = primary settings · Isn/Ipn"
    )
    curve: RelayCurve | None = param(
        None, label="Curve", section="Protection", needed_for=(AF, CO), typical="relay_curve", meaning="Inverse-time characteristic.", source="IEC 60255-151",
        enters="t = TM·(A/((I/I>)^p − 1) + B), constants by the curve"
    )
    curve_points: RelayPoints = param(
        [], label="Own points", section="Protection", needed_for=(AF, CO), acts_when=When("curve", (OWN,)),
        meaning=f"Of the curve at time multiplier 1; pasted from a spreadsheet if you like. {POINTS}", enters="t = TM·t(M)"
    )

    i_pickup_a: float | None = param(
        None, label="Pickup, primary", symbol="I>", unit="A", gt=0, le=50000, section="Protection", needed_for=(AF, CO), typical="relay_pickup",
        meaning="Setting of the inverse stage in primary amperes.",
        enters="M = I/I> in the curve's equation"
    )
    time_multiplier: float | None = param(
        None, label="Time multiplier", symbol="TM", gt=0, le=20, section="Protection", needed_for=(AF, CO), typical="relay_multiplier",
        meaning="Multiplies the curve's time.",
        enters="t = TM·(A/((I/I>)^p − 1) + B)"
    )
    i_high_a: float | None = param(
        None, label="High stage, primary", symbol="I≫", unit="A", gt=0, le=500000, section="Protection", meaning="Empty: no high stage.",
        enters="the high stage operates from this current on"
    )
    t_high_s: float | None = param(
        None, label="High stage delay", symbol="t≫", unit="s", ge=0, le=10, section="Protection", needed_for=(AF, CO), acts_when=When("i_high_a"),
        meaning="Definite time of the high stage, its own operating time included.",
        enters="the high stage operates after this time"
    )
    reset: Literal["at once", "after a time", "by its curve"] = param(
        "at once", label="Reset", section="Protection", source="IEEE C37.112, IEC 60255-151",
        meaning="What its inverse stages keep when the current has fallen below pickup. By its curve: like a disk that turns back (of own "
        "points none is known: at once). Reset constants of IEC curves are common practice, unverified.",
        enters="trip order and arc flash: what has passed when a current comes back"
    )
    t_reset_s: float | None = param(
        None, label="Reset time", symbol="tr", unit="s", ge=0, le=1000, section="Protection", needed_for=(AF, CO), acts_when=When("reset", ("after a time",)),
        meaning="For which all is kept; then nothing is.", enters="trip order and arc flash: what has passed when a current comes back"
    )
    shots: int = param(
        1, label="Trips until it stays open", ge=1, le=4, section="Protection", source="IEEE C37.60",
        meaning="1: it opens once. More: a recloser, whose breaker closes again after each trip but the last.",
        enters="arc flash and heat of cables: an arc burns through all trips; trip order: closings"
    )
    fast_shots: int = param(
        0, label="Fast trips", ge=0, le=3, section="Protection", acts_when=When("shots", (2, 3, 4)),
        meaning="How many of the trips, the first ones, go by the fast curve: quick enough to save a fuse below. Fewer than all.",
        enters="the first trips by the fast curve, the others by its own"
    )
    fast_curve: InverseCurve | None = param(
        None, label="Fast curve", section="Protection", needed_for=(AF, CO), acts_when=(When("shots", (2, 3, 4)), When("fast_shots", (1, 2, 3))),
        meaning="Inverse-time characteristic of the fast trips, with the same pickup.", enters="t of the fast trips"
    )
    fast_multiplier: float | None = param(
        None, label="Fast multiplier", symbol="TMf", gt=0, le=20, section="Protection", needed_for=(AF, CO),
        acts_when=(When("shots", (2, 3, 4)), When("fast_shots", (1, 2, 3))), meaning="Time multiplier of the fast curve.", enters="t of the fast trips"
    )
    t_dead_s: float | None = param(
        None, label="Open between trips", symbol="td", unit="s", gt=0, le=300, section="Protection", needed_for=(CO,), acts_when=When("shots", (2, 3, 4)),
        meaning="For which the breaker is open before it closes again.", enters="trip order: when it closes again"
    )
    looks: Literal["both ways", "forward", "reverse"] = param(
        "both ways", label="Looks", section="Protection", source="IEEE C37.2, 67",
        meaning="Which way the current of a fault must flow. Forward: from the first terminal of the breaker to its second. Told by what the fault changes "
        "of the voltage, so that it holds where no voltage is left; it needs voltage transformers.",
        enters="67: the phase stages see what flows that way alone"
    )
    voltage: Literal["independent", "restrained", "controlled"] = param(
        "independent", label="By voltage", section="Protection", source="IEEE C37.2, 51V",
        meaning="Of the inverse stage. Restrained: its pickup falls with the least voltage between phases, down to a quarter. Controlled: it acts below a "
        "voltage alone, so that its pickup may be below the load.",
        enters="51V: I> times the voltage left by the fault, from 0.25 to 1; or nothing at all above the release"
    )
    v_release_pct: float = param(
        80.0, label="Released below", symbol="U<", unit="%", gt=0, le=100, section="Protection", acts_when=When("voltage", ("controlled",)),
        meaning="Least voltage between phases, of the nominal one, below which the inverse stage acts; 75 to 80 % is usual.",
        enters="51V: voltage during the fault"
    )
    i_negative_a: float | None = param(
        None, label="Negative-sequence pickup", symbol="I2>", unit="A", gt=0, le=50000, section="Protection", source="IEEE C37.2, 46",
        meaning="Of the negative-sequence current, in primary amperes. Empty: no such stage.", enters="46: operates from this current on"
    )
    t_negative_s: float | None = param(
        None, label="Negative-sequence delay", symbol="t2>", unit="s", ge=0, le=100, section="Protection", needed_for=(CO,), acts_when=When("i_negative_a"),
        meaning="Definite time of that stage, its own operating time included.", enters="46: operates after this time"
    )
    v_under_pct: float | None = param(
        None, label="Undervoltage", symbol="U<", unit="%", gt=0, lt=100, section="Protection", source="IEEE C37.2, 27",
        meaning="Stage that opens where the least voltage between two phases is below this part of the nominal one. Empty: no such stage.",
        enters="27: operates below this voltage"
    )
    t_under_s: float | None = param(
        None, label="Undervoltage delay", symbol="tU<", unit="s", ge=0, le=1000, section="Protection", needed_for=(AF, CO), acts_when=When("v_under_pct"),
        meaning="Definite time of that stage, its own operating time included.", enters="27: operates after this time"
    )
    v_over_pct: float | None = param(
        None, label="Overvoltage", symbol="U>", unit="%", gt=100, le=200, section="Protection", source="IEEE C37.2, 59",
        meaning="Stage that opens above this part of the nominal voltage. It is held against the voltages of the load flow; faults do not drive it. Empty: "
        "no such stage.", enters="59: coordination, above the voltage that the load flow finds"
    )
    t_over_s: float | None = param(
        None, label="Overvoltage delay", symbol="tU>", unit="s", ge=0, le=1000, section="Protection", needed_for=(CO,), acts_when=When("v_over_pct"),
        meaning="Definite time of that stage.", enters="59: told on the settings schedule"
    )
    i_thermal_a: float | None = param(
        None, label="Thermal current", symbol="k·Ib", unit="A", gt=0, le=50000, section="Protection", source="IEC 60255-149",
        meaning="Current that the thermal stage carries for ever, primary. Empty: no such stage.", enters="49: t = τ·ln((I² − Ip²)/(I² − (k·Ib)²))"
    )
    t_thermal_s: float | None = param(
        None, label="Thermal time constant", symbol="τ", unit="s", gt=0, le=50000, section="Protection", needed_for=(AF, CO),
        acts_when=When("i_thermal_a"), source="IEC 60255-149", meaning="Of what is protected.", enters="49: t = τ·ln((I² − Ip²)/(I² − (k·Ib)²))"
    )
    thermal_before_pct: float = param(
        95.0, label="Load before", symbol="Ip", unit="%", ge=0, le=100, section="Protection", acts_when=When("i_thermal_a"),
        meaning="Greatest load before, of the thermal current: the fast edge begins warm from there, the slow edge cold. 95 is the rated current with k 1.05.",
        enters="49: Ip at the fast edge; 0 at the slow edge"
    )
    i_earth_pickup_a: float | None = param(
        None, label="Earth pickup, primary", symbol="I0>", unit="A", gt=0, le=50000, section="Earth-fault protection",
        meaning="Setting of the inverse earth-fault stage in primary amperes of the residual current 3·I0. Empty: no such stage.",
        enters="M = 3·I0/I0> in the curve's equation"
    )
    earth_curve: InverseCurve | None = param(
        None, label="Earth curve", section="Earth-fault protection", needed_for=(CO,), acts_when=EARTH_STAGE, source="IEC 60255-151",
        meaning="Inverse-time characteristic of the earth-fault stage.", enters="t = TM·(A/((3·I0/I0>)^p − 1) + B), constants by the curve"
    )
    earth_multiplier: float | None = param(
        None, label="Earth time multiplier", symbol="TM0", gt=0, le=20, section="Earth-fault protection", needed_for=(CO,), acts_when=EARTH_STAGE,
        meaning="Multiplies the time of its curve.", enters="t = TM0·(A/((3·I0/I0>)^p − 1) + B)"
    )
    i_earth_high_a: float | None = param(
        None, label="Earth high stage, primary", symbol="I0≫", unit="A", gt=0, le=500000, section="Earth-fault protection",
        meaning="Of the residual current 3·I0. Empty: no such stage.", enters="the high earth-fault stage operates from this current on"
    )
    t_earth_high_s: float | None = param(
        None, label="Earth high stage delay", symbol="t0≫", unit="s", ge=0, le=10, section="Earth-fault protection", needed_for=(CO,),
        acts_when=When("i_earth_high_a"), meaning="Definite time of that stage, its own operating time included.",
        enters="the high earth-fault stage operates after this time"
    )
    earth_looks: Literal["both ways", "forward", "reverse"] = param(
        "both ways", label="Earth stages look", section="Earth-fault protection", source="IEEE C37.2, 67N",
        meaning="Which way the residual current must flow. Forward: from the first terminal of the breaker to its second.",
        enters="67N: the earth stages see what flows that way alone"
    )
    earth_ct_primary_a: float | None = param(
        None, label="Core-balance CT primary", symbol="I0pn", unit="A", gt=0, le=50000, section="Earth-fault protection",
        meaning="Of a core-balance transformer, or one in the neutral, that measures 3·I0. Empty: the sum of the phase current transformers.",
        enters="secondary settings = primary settings · Isn/I0pn"
    )
    time_tolerance_pct: float | None = param(
        None, label="Time tolerance", unit="%", ge=0, le=50, section="Protection", needed_for=(AF, CO), typical="relay_tolerance",
        meaning="The slow edge of the band is this much above the curve.",
        enters="slow edge t·(1 + tolerance/100)"
    )
    pickup_tolerance_pct: float = param(
        5.0, label="Pickup tolerance", unit="%", ge=0, le=30, section="Protection",
        meaning="The high stage may operate from this much below its setting, and does for certain from this much above; 5 % is usual.",
        source="IEC 60255-151, assigned error (usual value, unverified)", enters="fast edge from I≫·(1 − tolerance/100), slow edge from I≫·(1 + tolerance/100)"
    )
    technology: Literal["static", "electromechanical"] = param(
        "static", label="Technology", section="Protection", meaning="Static: numerical or electronic. Electromechanical: with a disk, which runs on a little.",
        source="IEEE 242, Table 15-3", enters="coordination: the interval that is asked for below this relay"
    )
    m_start: float = param(
        1.05, label="Operates from", unit="p.u.", ge=1.0, le=1.3, section="Protection",
        meaning="Multiple of pickup from which the relay operates for certain; makers state 1.0 to 1.3.", source="IEC 60255-151",
        enters="below this multiple the relay is taken not to operate"
    )
    m_hold: float = param(
        20.0, label="Time constant above", unit="p.u.", ge=5, le=50, section="Protection",
        meaning="Multiple of pickup above which the time no longer falls.", source="IEC 60255-151",
        enters="above this multiple M is held in the curve's equation"
    )
