"""A circuit to be sized: what it feeds, how it is protected, how it is laid, what a fault brings. It knows no network, so that it can be set up by hand."""

import bisect
from dataclasses import dataclass, field, replace
from typing import Literal

Purpose = Literal["motor way", "load way", "feeder", "transformer primary", "transformer secondary", "capacitor way", "generator cable", "tie"]
DeviceKind = Literal["gG", "aM", "miniature", "thermal-magnetic", "electronic", "relays", "other fuse", "own points"]
Serves = Literal["fixed equipment", "socket outlets", "lighting"]
System = Literal["TN", "TT", "IT", "IT with neutral"]


@dataclass(frozen=True)
class Laying:
    """How a conductor is made and laid. What is None is not known."""

    conductor: str | None  # "copper", "aluminium"
    insulation: str | None  # "PVC", "XLPE", "EPR"
    length_m: float | None
    method: str | None = None  # reference method of IEC 60364-5-52
    single_core: bool = False
    ambient_degc: float | None = None
    arrangement: str | None = None
    others: int = 0  # other circuits that lie beside it
    soil_k_m_per_w: float | None = None
    loaded_cores: int = 3
    raceway: str | None = None
    wire_type: str | None = None
    carrying_others: int = 0  # current-carrying conductors of other circuits in the same raceway
    terminal_degc: int | None = None  # column of the terminals, where it is marked
    alone_assumed: bool = False  # nothing is said of what lies beside it
    temperature_assumed: bool = False
    soil_assumed: bool = False
    sharing: "Sharing | None" = None  # what else fills its raceway
    outside_mm: float | None = None  # outside diameter of one cable


@dataclass(frozen=True)
class Sharing:
    """What the other circuits of a raceway take up of it, as they are entered; or why that is not known."""

    names: tuple[str, ...]
    area: float = 0.0  # in² by the NEC, mm² by IEC
    told: str = ""
    unknown: str = ""


@dataclass(frozen=True)
class Sustained:
    """Where generators alone feed: the current that they hold a three-phase fault on with, at the beginning of a circuit."""

    i_a: float
    trips_a: float | None  # at which its device opens for certain within 5 s
    told: str


@dataclass(frozen=True)
class Protective:
    """The device that protects a conductor."""

    name: str
    kind: DeviceKind
    i_set_a: float  # rated current of a fuse or miniature breaker, setting of a trip, lowest pickup of relays
    i_frame_a: float | None = None
    i_magnetic_a: float | None = None  # setting of the stage that opens at once
    tolerance_pct: float = 0.0  # of that stage
    curve: str = ""  # class of a miniature breaker
    operates_a: float | None = None  # for certain within the time asked for, by its own curve, where no rule of a table says it
    by_curve: bool = False  # whether its own curve was looked at
    i_residual_a: float | None = None  # earth-fault stage, or residual-current device, for certain
    residual_ma: float | None = None  # of a residual-current device
    breaking_ka: float | None = None
    element_id: str = ""

    @property
    def fuse(self) -> bool:
        return self.kind in ("gG", "aM", "other fuse")

    @property
    def adjustable(self) -> bool:
        return self.kind in ("electronic", "relays")


@dataclass(frozen=True)
class Breaking:
    """What a device may have to break, against what it can."""

    rated_ka: float | None
    asked_ka: float | None
    told: str


@dataclass(frozen=True)
class Heat:
    """What a conductor takes up until a fault is cut off: either what a device lets through, or a current for a time."""

    i2t_a2s: float | None = None
    i_a: float | None = None
    t_s: float | None = None
    told: str = ""

    @property
    def a2s(self) -> float:
        """Heat [A²s]."""
        return self.i2t_a2s if self.i2t_a2s is not None else (self.i_a or 0.0) ** 2 * (self.t_s or 0.0)


@dataclass(frozen=True)
class Along:
    """What a fault anywhere along a conductor brings: the heat until its device has opened, by its current."""

    z_source_ohm: complex  # positive sequence, least case
    c: float
    i_a: tuple[float, ...]  # rising
    a2s: tuple[float, ...]  # the most from that current on; infinite where a fuse takes longer than the adiabatic equation holds

    def worst_a2s(self, i_far_a: float) -> float:
        """The most heat of a fault between the far end and the beginning [A²s]: from the next lower current that is known on."""
        at = bisect.bisect_right(self.i_a, i_far_a) - 1
        return self.a2s[max(at, 0)]


@dataclass(frozen=True)
class Loop:
    """What limits the current of an earth fault at the far end."""

    system: System
    t_s: float  # within which it must be cut off
    z_source_ohm: complex  # of the loop up to the beginning of the circuit
    c: float = 0.95
    ra_ohm: float | None = None  # TT: resistance of the earth electrode
    told: str = ""


@dataclass(frozen=True)
class Start:
    """Starting of a motor."""

    multiple: float  # of the design current
    cosphi: float
    limit_pct: float
    time_s: float | None = None


@dataclass(frozen=True)
class NecLoad:
    """The load of a circuit as the NEC counts it [A]."""

    continuous_a: float = 0.0
    other_a: float = 0.0
    motor_a: float = 0.0  # greatest motor, or the only one: full-load current of the table
    other_motors_a: float = 0.0
    nameplate_a: float | None = None

    @property
    def loaded_a(self) -> float:
        """C + N, motors as they are."""
        return self.continuous_a + self.other_a + self.motor_a + self.other_motors_a

    @property
    def sized_a(self) -> float:
        """1.25·C + N, the greatest motor at 1.25 (215.2, 430.24)."""
        return 1.25 * (self.continuous_a + self.motor_a) + self.other_a + self.other_motors_a


@dataclass(frozen=True)
class Entered:
    """What stands there now."""

    area_mm2: float | None = None
    sets: int = 1
    neutral_mm2: float | None = None
    pe_mm2: float | None = None
    raceway_size: str | None = None
    capacity_a: float | None = None  # of one, as installed, entered by hand
    ohm_per_km: tuple[float, float] | None = None  # of a size that no table has


@dataclass(frozen=True)
class Preferences:
    """What a project prefers."""

    smallest_mm2: float = 0.0
    largest_mm2: float = 1e9  # before another set is laid
    most_sets: int = 6
    least_sets: int = 1
    spare_pct: float = 0.0
    fuse_rule: Literal["i2", "in"] = "i2"
    pe_by: Literal["table", "calculation"] = "table"
    fill_pct: float = 40.0  # of the inside of a raceway, by IEC


@dataclass(frozen=True)
class Circuit:
    """One circuit, in one operating state."""

    element_id: str
    name: str
    purpose: Purpose
    u_v: float
    u0_v: float
    f_hz: float
    laying: Laying
    i_b_a: float | None = None
    i_b_told: str = ""
    cosphi: float | None = None
    serves: Serves = "fixed equipment"
    device: Protective | None = None
    relay_a: float | None = None  # setting of a motor's overload relay
    h3_pct: float = 0.0
    h3_assumed: bool = False
    neutral: bool = False  # it has one
    drop_limit_pct: float | None = None
    drop_told: str = ""
    heat: Heat | None = None
    along: Along | None = None
    sustained: Sustained | None = None
    pe_heat: Heat | None = None
    loop: Loop | None = None
    start: Start | None = None
    nec: NecLoad | None = None
    entered: Entered = field(default_factory=Entered)
    preferences: Preferences = field(default_factory=Preferences)
    waits: tuple[str, ...] = ()  # what is not known beside what the rules ask for themselves
    kept: bool = False  # the size is the engineer's own choice
    service_factor: float | None = None
    primary_a: float | None = None  # device before its transformer, as a current on this side
    supply_a: float | None = None  # device at its beginning, where a lower one behind it is counted on against overload
    supervised: bool = False  # qualified people alone service the place
    breaking: Breaking | None = None  # of its device, where it stands
    motors: int = 1  # that it feeds, of a motor way
    notes: tuple[str, ...] = ()  # what is not held against it
    begun: bool = True  # how it is laid has been entered: what it lacks, or breaks, is a finding
    clears: Protective | None = None  # what cuts its faults off, where that is another device than what protects it against overload

    @property
    def demand_a(self) -> float | None:
        """Design current with the spare capacity that is asked for [A]."""
        return None if self.i_b_a is None else self.i_b_a * (1 + self.preferences.spare_pct / 100)

    def set_to(self, i_set_a: float) -> "Circuit":
        """The same with its device set otherwise."""
        return self if self.device is None else replace(self, device=replace(self.device, i_set_a=i_set_a))
