"""The element kinds of a network. Every parameter is declared here and nowhere else.

Terms after IEC 60050 and CIM; symbols after IEC 60909-0 where it has one. A *terminal* is a field that names a bus. Switches,
breakers and fuses join two buses; closed, they make one electrical node of them.
"""

import re
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, TypeAdapter

from northfell.core.model.parameters import When, param

LF, SC, AF = "load_flow", "short_circuit", "arc_flash"
NAME_ACCEPTED = "1 to 80 characters on one line"
IEC = "IEC 60909-0:2016"


def _one_line(name: str) -> str:
    if not 1 <= len(name) <= 80 or not name.isprintable() or name != name.strip():
        raise ValueError(NAME_ACCEPTED)
    return name


Name = Annotated[str, AfterValidator(_one_line)]
Reference = Annotated[str, Field(min_length=1, max_length=200)]
# Names of rows in the catalogue's tables; a test holds them equal.
EquipmentClass = Literal[
    "15 kV switchgear",
    "15 kV MCC",
    "5 kV switchgear (small box)",
    "5 kV switchgear (large box)",
    "5 kV MCC",
    "LV switchgear",
    "Shallow LV MCC / panelboard",
    "Deep LV MCC / panelboard",
    "Cable junction box",
]
RelayCurve = Literal["IEC_SI", "IEC_VI", "IEC_EI", "IEEE_MI", "IEEE_VI", "IEEE_EI", "LTI", "STI"]
GG_RATINGS_A = (16, 20, 25, 32, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250)
VECTOR_GROUP = re.compile(r"^(D|YN?|ZN?)(d|yn?|zn?)(0|1|2|4|5|6|7|8|10|11)$")


class Element(BaseModel):
    """What every element has."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)
    TERMINALS: ClassVar[tuple[str, ...]] = ()
    TITLE: ClassVar[str]
    PREFIX: ClassVar[str]  # default name by IEC 81346-2 letter

    kind: str
    id: Reference
    name: Name = param(label="Name", meaning="Unique in the network; results, labels and files use it.", section="Identity")
    label: str = param(
        "", label="Text name", meaning="A second, free name, such as the text name in an imported file.", section="Identity"
    )
    in_service: bool = param(
        True,
        label="In service",
        meaning="Out of service, the element takes no part in any study.",
        section="Operation",
        in_state=True,
    )
    note: str = param("", label="Note", meaning="Free text for whoever stands at the equipment.", section="Notes")
    assumed: dict[str, str] = Field(default_factory=dict)  # field -> source of the typical value it holds

    @property
    def buses(self) -> tuple[str, ...]:
        """The ids of the buses at its terminals, in terminal order."""
        return tuple(getattr(self, terminal) for terminal in self.TERMINALS)


def terminal(label: str, meaning: str) -> Any:
    return param(label=label, meaning=meaning, section="Connection", refers_to=("bus",))


IN_BOX = When("electrode_configuration", ("VCB", "VCBB", "HCB"))
ENCLOSED = When("electrode_configuration")


class Bus(Element):
    """A bus: switchboard, panel, motor control centre or junction, with enclosure data where work is done on it."""

    TITLE, PREFIX = "Bus", "W"
    kind: Literal["bus"] = "bus"
    v_nominal_kv: float | None = param(
        None,
        label="Nominal voltage",
        symbol="Un",
        unit="kV",
        gt=0,
        le=1200,
        needed_for=(SC, AF),
        meaning="Line-to-line. It is the per-unit base of the bus and enters c·Un. Empty means unknown: load flow then runs in per unit.",
    )
    bus_kind: Literal["switchboard", "panel", "motor control centre", "junction"] = param(
        "switchboard", label="Kind of bus", meaning="A junction is a point where elements meet, without a board of its own."
    )
    equipment_class: EquipmentClass | None = param(
        None,
        label="Equipment class",
        section="Enclosure",
        acts_when=ENCLOSED,
        meaning="Finds typical gap, box and working distance; it does not itself enter the equations.",
        source="IEEE 1584-2018",
    )
    electrode_configuration: Literal["VCB", "VCBB", "HCB", "VOA", "HOA"] | None = param(
        None,
        label="Electrode configuration",
        section="Enclosure",
        source="IEEE 1584-2018",
        meaning="VCB: vertical conductors in a box. VCBB: vertical, ending on a barrier, in a box. HCB: horizontal in a box, pointing at "
        "the worker. VOA, HOA: vertical or horizontal in open air. Empty: no arc-flash location here.",
    )
    gap_mm: float | None = param(
        None,
        label="Conductor gap",
        symbol="G",
        unit="mm",
        gt=0,
        le=1000,
        section="Enclosure",
        needed_for=(AF,),
        acts_when=ENCLOSED,
        meaning="Distance between the conductors across which the arc burns.",
        typical="enclosure",
        source="IEEE 1584-2018",
    )
    box_height_mm: float | None = param(
        None,
        label="Box height",
        unit="mm",
        gt=0,
        le=10000,
        section="Enclosure",
        needed_for=(AF,),
        acts_when=IN_BOX,
        meaning="Opening of the enclosure, height.",
        typical="enclosure",
        source="IEEE 1584-2018",
    )
    box_width_mm: float | None = param(
        None,
        label="Box width",
        unit="mm",
        gt=0,
        le=10000,
        section="Enclosure",
        needed_for=(AF,),
        acts_when=IN_BOX,
        meaning="Opening of the enclosure, width.",
        typical="enclosure",
        source="IEEE 1584-2018",
    )
    box_depth_mm: float | None = param(
        None,
        label="Box depth",
        unit="mm",
        gt=0,
        le=10000,
        section="Enclosure",
        needed_for=(AF,),
        acts_when=IN_BOX,
        meaning="Depth of the enclosure; it tells shallow from typical boxes below 600 V.",
        typical="enclosure",
        source="IEEE 1584-2018",
    )
    working_distance_mm: float | None = param(
        None,
        label="Working distance",
        symbol="D",
        unit="mm",
        gt=0,
        le=10000,
        section="Enclosure",
        needed_for=(AF,),
        acts_when=ENCLOSED,
        meaning="From the arc to the worker's face and chest.",
        typical="enclosure",
        source="IEEE 1584-2018",
    )
    main: Reference | None = param(
        None,
        label="Main device",
        section="Enclosure",
        refers_to=("breaker", "fuse"),
        acts_when=ENCLOSED,
        meaning="The incoming breaker or fuse in the same enclosure. With it, the line side is a location of its own, cleared by the "
        "next device up. Empty: only the load side is assessed.",
    )


class Infeed(Element):
    """The public network at the connection point."""

    TITLE, PREFIX, TERMINALS = "Infeed", "G", ("bus",)
    kind: Literal["infeed"] = "infeed"
    bus: Reference = terminal("Bus", "The connection point Q.")
    ik_max_ka: float | None = param(
        None,
        label="Fault level, maximum",
        symbol="I″kQmax",
        unit="kA",
        gt=0,
        le=500,
        section="Impedance",
        needed_for=(SC, AF),
        meaning="Initial symmetrical three-phase short-circuit current at the connection point, highest.",
        source=IEC,
    )
    ik_min_ka: float | None = param(
        None,
        label="Fault level, minimum",
        symbol="I″kQmin",
        unit="kA",
        gt=0,
        le=500,
        section="Impedance",
        needed_for=(SC, AF),
        meaning="The same, lowest: for minimum currents, which may clear slowest.",
        source=IEC,
    )
    r_over_x: float | None = param(
        None,
        label="R/X",
        symbol="RQ/XQ",
        ge=0,
        le=10,
        section="Impedance",
        needed_for=(SC, AF),
        typical="infeed_r_over_x",
        meaning="Ratio of resistance to reactance of the infeed.",
        source=IEC,
    )
    flow_model: Literal["ideal", "behind impedance"] = param(
        "ideal",
        label="In load flow",
        section="Operation",
        meaning="Ideal: holds the voltage at its bus. Behind impedance: holds it behind the impedance of its fault level.",
    )
    v_set_pu: float = param(
        1.0,
        label="Voltage held",
        symbol="U",
        unit="p.u.",
        gt=0.5,
        lt=1.5,
        section="Operation",
        in_state=True,
        meaning="Source voltage in load flow, of the nominal voltage of the bus.",
    )
    angle_deg: float = param(
        0.0,
        label="Voltage angle",
        symbol="δ",
        unit="deg",
        ge=-360,
        le=360,
        section="Operation",
        meaning="Angle of the source voltage in load flow.",
    )


REFERENCE_OR_VOLTAGE = When("mode", ("reference", "voltage"))


class SynchronousGenerator(Element):
    """A synchronous generator connected without a unit transformer."""

    TITLE, PREFIX, TERMINALS = "Synchronous generator", "G", ("bus",)
    kind: Literal["synchronous_generator"] = "synchronous_generator"
    bus: Reference = terminal("Bus", "Where the generator is connected.")
    s_rated_mva: float | None = param(
        None, label="Rated power", symbol="SrG", unit="MVA", gt=0, le=5000, needed_for=(SC, AF), meaning="Rated apparent power."
    )
    v_rated_kv: float | None = param(
        None,
        label="Rated voltage",
        symbol="UrG",
        unit="kV",
        gt=0,
        le=100,
        needed_for=(SC, AF),
        meaning="Rated line-to-line voltage.",
    )
    power_factor_rated: float | None = param(
        None,
        label="Rated power factor",
        symbol="cosφrG",
        gt=0,
        le=1,
        needed_for=(SC, AF),
        meaning="Rated power factor, overexcited.",
        typical="generator_power_factor",
    )
    xd2_pct: float | None = param(
        None,
        label="Subtransient reactance",
        symbol="x″d",
        unit="%",
        gt=0,
        le=200,
        section="Impedance",
        needed_for=(SC, AF),
        meaning="Direct-axis subtransient reactance, saturated, on the rating.",
        source=IEC,
    )
    r_stator_ohm: float | None = param(
        None,
        label="Stator resistance",
        symbol="RG",
        unit="ohm",
        ge=0,
        le=100,
        section="Impedance",
        needed_for=(SC, AF),
        meaning="Resistance of the stator winding.",
        typical="generator_resistance",
        source=IEC,
    )
    mode: Literal["reference", "voltage", "power", "power factor"] = param(
        "voltage",
        label="Mode",
        section="Operation",
        in_state=True,
        meaning="Reference: holds voltage and angle, takes what is left over. Voltage: fixed active power, holds the voltage. "
        "Power: fixed active and reactive power. Power factor: fixed active power and power factor.",
    )
    p_mw: float = param(
        0.0,
        label="Active power",
        symbol="P",
        unit="MW",
        ge=-5000,
        le=5000,
        section="Operation",
        in_state=True,
        acts_when=When("mode", ("voltage", "power", "power factor")),
        meaning="Active power delivered.",
    )
    v_set_pu: float = param(
        1.0,
        label="Voltage held",
        symbol="U",
        unit="p.u.",
        gt=0.5,
        lt=1.5,
        section="Operation",
        in_state=True,
        acts_when=REFERENCE_OR_VOLTAGE,
        meaning="Voltage held at the bus, of its nominal voltage.",
    )
    q_mvar: float = param(
        0.0,
        label="Reactive power",
        symbol="Q",
        unit="Mvar",
        ge=-5000,
        le=5000,
        section="Operation",
        in_state=True,
        acts_when=When("mode", ("power",)),
        meaning="Reactive power delivered, overexcited positive.",
    )
    power_factor_set: float = param(
        1.0,
        label="Power factor held",
        symbol="cosφ",
        gt=0,
        le=1,
        section="Operation",
        in_state=True,
        acts_when=When("mode", ("power factor",)),
        meaning="Power factor of the delivered power, overexcited.",
    )
    q_min_mvar: float | None = param(
        None,
        label="Least reactive power",
        symbol="Qmin",
        unit="Mvar",
        ge=-5000,
        le=5000,
        section="Operation",
        acts_when=REFERENCE_OR_VOLTAGE,
        meaning="Reactive limit, underexcited. Load flow reports where it is broken.",
    )
    q_max_mvar: float | None = param(
        None,
        label="Most reactive power",
        symbol="Qmax",
        unit="Mvar",
        ge=-5000,
        le=5000,
        section="Operation",
        acts_when=REFERENCE_OR_VOLTAGE,
        meaning="Reactive limit, overexcited. Load flow reports where it is broken.",
    )


def _vector_group(text: str) -> str:
    if not VECTOR_GROUP.match(text):
        raise ValueError("a vector group such as Dyn11, YNd5 or Yyn0")
    return text


class Transformer(Element):
    """A two-winding transformer."""

    TITLE, PREFIX, TERMINALS = "Two-winding transformer", "T", ("hv_bus", "lv_bus")
    kind: Literal["transformer"] = "transformer"
    hv_bus: Reference = terminal("High-voltage side", "Bus at the high-voltage terminals.")
    lv_bus: Reference = terminal("Low-voltage side", "Bus at the low-voltage terminals.")
    s_rated_mva: float | None = param(
        None,
        label="Rated power",
        symbol="SrT",
        unit="MVA",
        gt=0,
        le=5000,
        needed_for=(LF, SC, AF),
        meaning="Rated apparent power of one unit.",
    )
    v_hv_kv: float | None = param(
        None,
        label="Rated voltage, high side",
        symbol="UrTHV",
        unit="kV",
        gt=0,
        le=1200,
        needed_for=(LF, SC, AF),
        meaning="Rated line-to-line voltage at the main tap.",
    )
    v_lv_kv: float | None = param(
        None,
        label="Rated voltage, low side",
        symbol="UrTLV",
        unit="kV",
        gt=0,
        le=1200,
        needed_for=(LF, SC, AF),
        meaning="Rated line-to-line voltage.",
    )
    vector_group: Annotated[str, AfterValidator(_vector_group)] | None = param(
        None,
        label="Vector group",
        section="Rating",
        needed_for=(LF, SC, AF),
        typical="transformer_vector_group",
        meaning="Connection and clock number; the low side lags by 30 degrees times the clock number.",
        source="IEC 60076-1",
    )
    parallel: int = param(
        1, label="Units in parallel", symbol="n", ge=1, le=50, meaning="Count of identical units that this symbol stands for."
    )
    uk_pct: float | None = param(
        None,
        label="Impedance voltage",
        symbol="ukr",
        unit="%",
        gt=0,
        le=100,
        section="Impedance",
        needed_for=(LF, SC, AF),
        typical="transformer_uk",
        meaning="Short-circuit voltage at rated current, main tap.",
        source=IEC,
    )
    load_loss_kw: float | None = param(
        None,
        label="Load losses",
        symbol="PkrT",
        unit="kW",
        ge=0,
        le=50000,
        section="Impedance",
        meaning="At rated current, one unit. Gives the resistive part of the impedance; goes before the field below.",
        source=IEC,
    )
    ur_pct: float | None = param(
        None,
        label="Resistive part",
        symbol="uRr",
        unit="%",
        ge=0,
        le=100,
        section="Impedance",
        needed_for=(LF, SC, AF),
        replaced_by="load_loss_kw",
        typical="transformer_ur",
        meaning="Resistive part of the impedance voltage.",
        source=IEC,
    )
    no_load_loss_kw: float | None = param(
        None,
        label="No-load losses",
        symbol="P0",
        unit="kW",
        ge=0,
        le=5000,
        section="Impedance",
        meaning="Losses in the core, one unit. Empty: left out of load flow.",
    )
    no_load_current_pct: float | None = param(
        None,
        label="No-load current",
        symbol="i0",
        unit="%",
        ge=0,
        le=50,
        section="Impedance",
        meaning="Magnetising current in percent of the rated current. Empty: left out of load flow.",
    )
    tap_pct: float = param(
        0.0,
        label="Tap",
        unit="%",
        ge=-30,
        le=30,
        section="Operation",
        in_state=True,
        meaning="Change of the high-side voltage at the tap in use. Load flow uses it; faults take the main tap.",
    )


class Conductor(Element):
    """What cables and overhead lines share."""

    TERMINALS = ("from_bus", "to_bus")
    from_bus: Reference = terminal("From", "Bus at the first end.")
    to_bus: Reference = terminal("To", "Bus at the second end.")
    length_m: float | None = param(
        None, label="Length", symbol="l", unit="m", gt=0, le=1e6, needed_for=(LF, SC, AF), meaning="Route length."
    )
    parallel: int = param(1, label="Parallel per phase", symbol="n", ge=1, le=50, meaning="Identical cables or lines in parallel.")
    i_rated_a: float | None = param(
        None,
        label="Current-carrying capacity",
        symbol="Iz",
        unit="A",
        gt=0,
        le=20000,
        meaning="Of one cable or line as installed, all factors applied. Empty: loading is not judged.",
    )
    r_ohm_per_km: float | None = param(
        None,
        label="Resistance at 20 °C",
        symbol="R′L",
        unit="ohm/km",
        ge=0,
        le=100,
        section="Impedance",
        needed_for=(LF, SC, AF),
        typical="conductor_r",
        meaning="Positive sequence, per conductor at 20 °C.",
    )
    x_ohm_per_km: float | None = param(
        None,
        label="Reactance",
        symbol="X′L",
        unit="ohm/km",
        ge=0,
        le=10,
        section="Impedance",
        needed_for=(LF, SC, AF),
        typical="conductor_x",
        meaning="Positive sequence, at the frequency of the network.",
    )
    c_uf_per_km: float | None = param(
        None,
        label="Capacitance",
        symbol="C′",
        unit="µF/km",
        ge=0,
        le=10,
        section="Impedance",
        meaning="Positive sequence. Empty: charging is left out of load flow.",
    )
    t_operating_degc: float | None = param(
        None,
        label="Operating temperature",
        symbol="θ",
        unit="degC",
        ge=-50,
        le=250,
        section="Impedance",
        meaning="Conductor temperature for load flow. Empty: the resistance at 20 °C is used as it stands.",
    )
    t_end_degc: float | None = param(
        None,
        label="Temperature at end of fault",
        symbol="θe",
        unit="degC",
        ge=20,
        le=400,
        section="Impedance",
        needed_for=(SC, AF),
        typical="conductor_end_temperature",
        meaning="Conductor temperature at the end of the short circuit, for minimum currents.",
        source=IEC,
    )
    conductor: Literal["copper", "aluminium"] | None = param(
        None, label="Conductor", section="Construction", meaning="Material; finds typical resistance."
    )
    area_mm2: float | None = param(
        None,
        label="Cross-section",
        symbol="S",
        unit="mm²",
        gt=0,
        le=3000,
        section="Construction",
        meaning="Nominal cross-section; finds typical resistance and reactance.",
    )


class Cable(Conductor):
    """A cable."""

    TITLE, PREFIX = "Cable", "W"
    kind: Literal["cable"] = "cable"
    insulation: Literal["PVC", "XLPE", "EPR"] | None = param(
        None, label="Insulation", section="Construction", meaning="Finds the typical temperature at the end of a fault."
    )


class Line(Conductor):
    """An overhead line."""

    TITLE, PREFIX = "Overhead line", "W"
    kind: Literal["line"] = "line"


class EquivalentBranch(Element):
    """A branch given in per unit, as system data files hold it: line, or transformer with ratio and phase shift at the first end."""

    TITLE, PREFIX, TERMINALS = "Equivalent branch", "W", ("from_bus", "to_bus")
    kind: Literal["equivalent_branch"] = "equivalent_branch"
    from_bus: Reference = terminal("From", "Bus at the first end, where ratio and phase shift act.")
    to_bus: Reference = terminal("To", "Bus at the second end.")
    r_pu: float = param(
        label="Resistance",
        symbol="r",
        unit="p.u.",
        section="Impedance",
        ge=-1e4,
        le=1e4,
        meaning="Series resistance on the power base.",
    )
    x_pu: float = param(
        label="Reactance",
        symbol="x",
        unit="p.u.",
        section="Impedance",
        ge=-1e4,
        le=1e4,
        meaning="Series reactance on the power base.",
    )
    b_pu: float = param(
        0.0,
        label="Charging susceptance",
        symbol="b",
        unit="p.u.",
        section="Impedance",
        ge=-1e4,
        le=1e4,
        meaning="Of the whole line, on the power base; half stands at each end.",
    )
    ratio_pu: float = param(
        1.0,
        label="Ratio",
        symbol="t",
        unit="p.u.",
        gt=0.1,
        lt=10,
        section="Impedance",
        meaning="Off-nominal ratio at the first end.",
    )
    shift_deg: float = param(
        0.0,
        label="Phase shift",
        symbol="φ",
        unit="deg",
        ge=-360,
        le=360,
        section="Impedance",
        meaning="The voltage at the first end leads by this angle.",
    )
    s_base_mva: float = param(
        100.0, label="Power base", symbol="SB", unit="MVA", gt=0, le=1e5, section="Impedance", meaning="Base of the values above."
    )
    s_rated_mva: float | None = param(
        None,
        label="Rating",
        symbol="Sr",
        unit="MVA",
        gt=0,
        le=1e5,
        meaning="Apparent power it may carry. Empty: loading is not judged.",
    )


class Switching(Element):
    """What switches, breakers and fuses share."""

    TERMINALS = ("from_bus", "to_bus")
    from_bus: Reference = terminal("From", "Bus at the first terminal.")
    to_bus: Reference = terminal("To", "Bus at the second terminal.")
    closed: bool = param(
        True, label="Closed", section="Operation", in_state=True, meaning="Position; differs between operating states."
    )


class Switch(Switching):
    """A disconnector or load switch: no protection of its own."""

    TITLE, PREFIX = "Switch", "Q"
    kind: Literal["switch"] = "switch"
    i_rated_a: float | None = param(
        None, label="Rated current", symbol="Ir", unit="A", gt=0, le=20000, meaning="Empty: loading is not judged."
    )


TRIPPED = When("trip", ("electronic",))


class Breaker(Switching):
    """A circuit breaker, tripped by its own electronic trip or by relays that name it."""

    TITLE, PREFIX = "Breaker", "Q"
    kind: Literal["breaker"] = "breaker"
    i_rated_a: float | None = param(
        None, label="Rated current", symbol="Ir", unit="A", gt=0, le=20000, meaning="Empty: loading is not judged."
    )
    t_break_s: float | None = param(
        None,
        label="Interrupting time",
        symbol="tb",
        unit="s",
        gt=0,
        le=5,
        section="Protection",
        typical="breaker_interrupting_time",
        needed_for=(AF,),
        named_by="relay",
        meaning="Opening plus arcing time, from the relay's order to the current's end.",
    )
    trip: Literal["none", "electronic"] = param(
        "none",
        label="Own trip",
        section="Protection",
        meaning="Electronic: long-time, short-time and instantaneous stage as bands that include the breaker's own time. "
        "None: opens only on the order of a relay.",
    )
    trip_ir_a: float | None = param(
        None,
        label="Long-time pickup",
        symbol="Ir",
        unit="A",
        gt=0,
        le=20000,
        section="Protection",
        needed_for=(AF,),
        acts_when=TRIPPED,
        meaning="Setting in amperes; timing starts between 1.05 and 1.20 times this.",
    )
    trip_tr_s: float | None = param(
        None,
        label="Long-time delay at 6 × Ir",
        symbol="tr",
        unit="s",
        gt=0,
        le=100,
        section="Protection",
        needed_for=(AF,),
        acts_when=TRIPPED,
        meaning="I²t law through this point.",
    )
    trip_isd_a: float | None = param(
        None,
        label="Short-time pickup",
        symbol="Isd",
        unit="A",
        gt=0,
        le=200000,
        section="Protection",
        acts_when=TRIPPED,
        meaning="Empty: no short-time stage. Tolerance ±10 %.",
    )
    trip_tsd: Literal["0.1", "0.2", "0.3", "0.4"] | None = param(
        None,
        label="Short-time band",
        symbol="tsd",
        section="Protection",
        needed_for=(AF,),
        acts_when=When("trip_isd_a"),
        meaning="Delay band, named by its nominal seconds.",
    )
    trip_ii_a: float | None = param(
        None,
        label="Instantaneous pickup",
        symbol="Ii",
        unit="A",
        gt=0,
        le=200000,
        section="Protection",
        acts_when=TRIPPED,
        meaning="Empty: no instantaneous stage. Tolerance ±10 %.",
    )


def _gg_rating(value: float) -> float:
    if value not in GG_RATINGS_A:
        raise ValueError("a standard gG size")
    return value


class Fuse(Switching):
    """A gG fuse."""

    TITLE, PREFIX = "Fuse", "F"
    kind: Literal["fuse"] = "fuse"
    i_rated_a: Annotated[float, AfterValidator(_gg_rating)] | None = param(
        None,
        label="Rated current",
        symbol="In",
        unit="A",
        choices=GG_RATINGS_A,
        section="Protection",
        needed_for=(AF,),
        meaning="Standard size of a gG fuse-link; its time gates follow from it.",
        source="IEC 60269-1",
    )


class Relay(Element):
    """An overcurrent relay on current transformers at a breaker, with an inverse-time and a high stage."""

    TITLE, PREFIX = "Overcurrent relay", "B"
    kind: Literal["relay"] = "relay"
    breaker: Reference = param(
        label="Trips",
        meaning="The breaker it opens; its current transformers measure the current of that breaker.",
        section="Connection",
        refers_to=("breaker",),
    )
    ct_primary_a: float | None = param(
        None,
        label="CT primary",
        symbol="Ipn",
        unit="A",
        gt=0,
        le=50000,
        section="Protection",
        needed_for=(AF,),
        meaning="Rated primary current of the current transformers.",
    )
    ct_secondary_a: float = param(
        1.0, label="CT secondary", symbol="Isn", unit="A", gt=0, le=10, section="Protection", meaning="Rated secondary current."
    )
    curve: RelayCurve | None = param(
        None,
        label="Curve",
        section="Protection",
        needed_for=(AF,),
        meaning="Inverse-time characteristic.",
        source="IEC 60255-151",
    )
    i_pickup_a: float | None = param(
        None,
        label="Pickup, primary",
        symbol="I>",
        unit="A",
        gt=0,
        le=50000,
        section="Protection",
        needed_for=(AF,),
        meaning="Setting of the inverse stage in primary amperes.",
    )
    time_multiplier: float | None = param(
        None,
        label="Time multiplier",
        symbol="TM",
        gt=0,
        le=20,
        section="Protection",
        needed_for=(AF,),
        meaning="Multiplies the curve's time.",
    )
    i_high_a: float | None = param(
        None,
        label="High stage, primary",
        symbol="I≫",
        unit="A",
        gt=0,
        le=500000,
        section="Protection",
        meaning="Empty: no high stage.",
    )
    t_high_s: float | None = param(
        None,
        label="High stage delay",
        symbol="t≫",
        unit="s",
        ge=0,
        le=10,
        section="Protection",
        needed_for=(AF,),
        acts_when=When("i_high_a"),
        meaning="Definite time of the high stage, its own operating time included.",
    )
    time_tolerance_pct: float | None = param(
        None,
        label="Time tolerance",
        unit="%",
        ge=0,
        le=50,
        section="Protection",
        needed_for=(AF,),
        typical="relay_tolerance",
        meaning="The slow edge of the band is this much above the curve.",
    )
    m_start: float = param(
        1.05,
        label="Operates from",
        unit="p.u.",
        ge=1.0,
        le=1.3,
        section="Protection",
        meaning="Multiple of pickup from which the relay operates for certain; makers state 1.0 to 1.3.",
        source="IEC 60255-151",
    )
    m_hold: float = param(
        20.0,
        label="Time constant above",
        unit="p.u.",
        ge=5,
        le=50,
        section="Protection",
        meaning="Multiple of pickup above which the time no longer falls.",
        source="IEC 60255-151",
    )


class InductionMotor(Element):
    """An induction motor, or a group of identical ones on one bus."""

    TITLE, PREFIX, TERMINALS = "Induction motor", "M", ("bus",)
    kind: Literal["induction_motor"] = "induction_motor"
    bus: Reference = terminal("Bus", "Where the motor is connected.")
    p_rated_kw: float | None = param(
        None,
        label="Rated power",
        symbol="PrM",
        unit="kW",
        gt=0,
        le=100000,
        needed_for=(LF, SC, AF),
        meaning="Rated shaft power of one motor.",
    )
    v_rated_kv: float | None = param(
        None,
        label="Rated voltage",
        symbol="UrM",
        unit="kV",
        gt=0,
        le=100,
        needed_for=(SC, AF),
        meaning="Rated line-to-line voltage.",
    )
    efficiency_pct: float | None = param(
        None,
        label="Efficiency",
        symbol="η",
        unit="%",
        gt=10,
        le=100,
        needed_for=(LF, SC, AF),
        typical="motor_efficiency",
        meaning="At rated power.",
    )
    power_factor: float | None = param(
        None,
        label="Power factor",
        symbol="cosφrM",
        gt=0.1,
        le=1,
        needed_for=(LF, SC, AF),
        typical="motor_power_factor",
        meaning="At rated power.",
    )
    count: int = param(1, label="Count", ge=1, le=1000, meaning="Identical motors that this symbol stands for.")
    load_factor: float = param(
        1.0,
        label="Load factor",
        ge=0,
        le=2,
        section="Operation",
        in_state=True,
        meaning="Shaft power in use, of the rated power, times those running.",
    )
    ilr_over_ir: float | None = param(
        None,
        label="Locked-rotor current",
        symbol="ILR/IrM",
        unit="p.u.",
        gt=1,
        le=15,
        section="Impedance",
        needed_for=(SC, AF),
        typical="motor_ilr",
        meaning="Of the rated current.",
        source=IEC,
    )
    r_over_x: float | None = param(
        None,
        label="R/X",
        symbol="RM/XM",
        ge=0,
        le=5,
        section="Impedance",
        needed_for=(SC, AF),
        typical="motor_r_over_x",
        meaning="Ratio of resistance to reactance at locked rotor.",
        source=IEC,
    )
    pole_pairs: int | None = param(
        None,
        label="Pole pairs",
        symbol="p",
        ge=1,
        le=50,
        section="Impedance",
        meaning="Finds the typical R/X of medium-voltage motors.",
    )


class Load(Element):
    """A static load."""

    TITLE, PREFIX, TERMINALS = "Static load", "E", ("bus",)
    kind: Literal["load"] = "load"
    bus: Reference = terminal("Bus", "Where the load is connected.")
    p_mw: float | None = param(
        None, label="Active power", symbol="P", unit="MW", ge=-1e5, le=1e5, needed_for=(LF,), meaning="Drawn at nominal voltage."
    )
    q_mvar: float | None = param(
        None,
        label="Reactive power",
        symbol="Q",
        unit="Mvar",
        ge=-1e5,
        le=1e5,
        needed_for=(LF,),
        meaning="Drawn at nominal voltage, inductive positive.",
    )
    characteristic: Literal["power", "current", "impedance"] = param(
        "power", label="Constant", section="Operation", meaning="What stays constant when the voltage changes."
    )
    load_factor: float = param(
        1.0, label="Load factor", ge=0, le=10, section="Operation", in_state=True, meaning="Part of the load that is drawn."
    )


class Shunt(Element):
    """A shunt capacitor bank or reactor."""

    TITLE, PREFIX, TERMINALS = "Shunt", "C", ("bus",)
    kind: Literal["shunt"] = "shunt"
    bus: Reference = terminal("Bus", "Where the shunt is connected.")
    q_mvar: float = param(
        label="Reactive power",
        symbol="Q",
        unit="Mvar",
        ge=-1e5,
        le=1e5,
        meaning="Delivered at nominal voltage: capacitors positive, reactors negative.",
    )
    p_mw: float = param(
        0.0, label="Losses", symbol="P", unit="MW", ge=-1e5, le=1e5, meaning="Active power drawn at nominal voltage."
    )


AnyElement = Annotated[
    Bus
    | Infeed
    | SynchronousGenerator
    | Transformer
    | Cable
    | Line
    | EquivalentBranch
    | Switch
    | Breaker
    | Fuse
    | Relay
    | InductionMotor
    | Load
    | Shunt,
    Field(discriminator="kind"),
]
KINDS: dict[str, type[Element]] = {
    cls.model_fields["kind"].default: cls
    for cls in (
        Bus, Infeed, SynchronousGenerator, Transformer, Cable, Line, EquivalentBranch, Switch, Breaker, Fuse, Relay, InductionMotor, Load, Shunt,
    )
}  # fmt: skip
ELEMENT: TypeAdapter[Any] = TypeAdapter(AnyElement)
