"""What draws power: motors, loads, rectifiers."""

from typing import Any, Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.declare.rows import Rows
from northfell.core.model.elements.base import AF, IEC, LF, SC, About, Element, Reference, terminal
from northfell.core.model.elements.by_phase import PhasePower, connection, loads_by_phase, lower_voltage, spread_along
from northfell.core.model.elements.direct import DirectSide

# Declarations read as a table.
# fmt: off


def _shaft_power() -> Any:
    return param(
        None, label="Rated power", symbol="PrM", unit="kW", gt=0, le=100000, needed_for=(LF, SC, AF), meaning="Rated shaft power of one motor.",
        enters="P = PrM·count·load factor/η; ZM = UrM²/SrM/(ILR/IrM)"
    )


def _motor_voltage() -> Any:
    return param(
        None, label="Rated voltage", symbol="UrM", unit="kV", gt=0, le=100, needed_for=(SC, AF), meaning="Rated line-to-line voltage.",
        enters="ZM = UrM²/SrM/(ILR/IrM)"
    )


def _identical() -> Any:
    return param(
        1, label="Count", ge=1, le=1000, meaning="Identical motors that this symbol stands for.",
        enters="multiplies the power drawn and the current brought into a fault"
    )


def _shaft_load() -> Any:
    return param(
        1.0, label="Load factor", ge=0, le=2, section="Operation", in_state=True, meaning="Shaft power in use, of the rated power, times those running.",
        enters="P = rated power · load factor · demand factor / diversity factor"
    )


def _start_time() -> Any:
    return param(
        None, label="Starting time", symbol="tst", unit="s", gt=0, le=300, section="Operation", meaning="From standstill to speed. Empty: not checked.",
        enters="coordination: no device may open before it at the starting current"
    )


def _stall_time() -> Any:
    return param(
        None, label="Stall time, hot", symbol="tE", unit="s", gt=0, le=300, section="Operation",
        meaning="That the warm motor withstands at its locked-rotor current. Empty: not checked.",
        enters="coordination: a device must open within it at the locked-rotor current"
    )


DIRECT_ON = When("starter", ("direct", "star-delta", "autotransformer", "soft starter"))


class Consumer(Element):
    """What motors and loads share: their place in the load list."""

    duty: Literal["continuous", "intermittent", "standby", "unused way"] = param(
        "continuous", label="Duty", section="Operation", in_state=True,
        meaning="What stands by, and an unused way, draws nothing and brings nothing into a fault.", enters="standby, unused way: P = 0"
    )
    demand_factor: float = param(
        1.0, label="Demand factor", ge=0, le=1, section="Operation", meaning="Highest demand of the consumer, of its rated power.",
        enters="P = rated power · load factor · demand factor / diversity factor"
    )
    diversity_factor: float = param(
        1.0, label="Diversity factor", ge=1, le=20, section="Operation",
        meaning="Sum of the highest demands of its group over the highest demand of them together.",
        enters="P = rated power · load factor · demand factor / diversity factor"
    )
    priority: Literal["essential", "normal", "sheddable"] = param(
        "normal", label="Priority", section="Operation", meaning="For the load list: what must be kept, and what may be dropped first.",
        enters="the load list shows it"
    )

    @property
    def runs(self) -> bool:
        return self.duty not in ("standby", "unused way")

    @property
    def drawn_factor(self) -> float:
        """Part of the rated power that is drawn."""
        return getattr(self, "load_factor") * self.demand_factor / self.diversity_factor if self.runs else 0.0  # noqa: B009  declared by each kind


class InductionMotor(Consumer):
    """An induction motor, or a group of identical ones on one bus."""

    TITLE, TERMINALS, LETTER = "Induction motor", ("bus",), "M"
    ABOUT = About(
        group="Loads", short="Induction", words={"motor": {}}, example="motor 900 kW", typed={"active power": "p_rated_kw", "voltage": "v_rated_kv"},
        count="count", data=(("p_rated_kw", "kW"),)
    )
    kind: Literal["induction_motor"] = "induction_motor"
    bus: Reference = terminal("Bus", "Where the motor is connected.")
    p_rated_kw: float | None = _shaft_power()
    v_rated_kv: float | None = _motor_voltage()
    efficiency_pct: float | None = param(
        None, label="Efficiency", symbol="η", unit="%", gt=10, le=100, needed_for=(LF, SC, AF), typical="motor_efficiency", meaning="At rated power.",
        enters="P = PrM/η; IrM = PrM/(√3·UrM·η·cosφrM)"
    )
    power_factor: float | None = param(
        None, label="Power factor", symbol="cosφrM", gt=0.1, le=1, needed_for=(LF, SC, AF), typical="motor_power_factor", meaning="At rated power.",
        enters="Q = P·tan(arccos cosφ); SrM = PrM/(η·cosφrM)"
    )
    count: int = _identical()
    load_factor: float = _shaft_load()
    t_start_s: float | None = _start_time()
    t_stall_s: float | None = _stall_time()
    ilr_over_ir: float | None = param(
        None, label="Locked-rotor current", symbol="ILR/IrM", unit="p.u.", gt=1, le=15, section="Impedance", needed_for=(SC, AF), typical="motor_ilr",
        acts_when=DIRECT_ON, meaning="Of the rated current.", source=IEC,
        enters="ZM = UrM²/SrM/(ILR/IrM)"
    )
    r_over_x: float | None = param(
        None, label="R/X", symbol="RM/XM", ge=0, le=5, section="Impedance", needed_for=(SC, AF), typical="motor_r_over_x",
        acts_when=DIRECT_ON, meaning="Ratio of resistance to reactance at locked rotor.", source=IEC,
        enters="Z = R + jX with R = (R/X)·X"
    )
    service_factor: float | None = param(
        None, label="Service factor", symbol="SF", ge=1, le=2, section="Circuit", source="NEC 430.32",
        meaning="From 1.15 on the overload relay may be set to 125 % of the nameplate current. Empty: 115 %.", enters="sizing by NEC: overload setting"
    )
    pole_pairs: int | None = param(
        None, label="Pole pairs", symbol="p", ge=1, le=50, section="Impedance", typical="motor_pole_pairs",
        meaning="Finds the typical R/X of medium-voltage motors.",
        enters="R/X of medium-voltage motors, where it is filled in: by PrM/p"
    )
    starter: Literal["direct", "star-delta", "autotransformer", "soft starter", "drive", "regenerative drive"] = param(
        "direct", label="Starter", section="Operation", source=IEC,
        meaning="Through a drive the motor brings no current into a fault; a regenerative drive is taken with ILR/IrM 3 and RM/XM 0.10.",
        enters="through a drive: no ZM in faults; regenerative: ILR/IrM 3, RM/XM 0.10"
    )
    start_tap_pct: float = param(
        65.0, label="Tap of the starter", unit="%", gt=10, le=100, section="Operation", acts_when=When("starter", ("autotransformer",)),
        meaning="Voltage at the motor while it starts, of that at its bus.", enters="I = (tap/100)²·ILR from the network at the start"
    )
    start_current: float = param(
        3.0, label="Current held by the starter", unit="p.u.", gt=0.5, le=10, section="Operation", acts_when=When("starter", ("soft starter",)),
        meaning="Current that the soft starter allows, of the rated current.", enters="I = k·IrM at the start"
    )


class SynchronousMotor(Consumer):
    """A synchronous motor, or a group of identical ones on one bus."""

    TITLE, TERMINALS, LETTER = "Synchronous motor", ("bus",), "M"
    ABOUT = About(
        group="Loads", short="Synchron.", words={"synchronous": {}}, example="synchronous motor 2 MW pf 0.9",
        typed={"active power": "p_rated_kw", "voltage": "v_rated_kv", "ratio": "xd2_pct"}, count="count", data=(("p_rated_kw", "kW"),)
    )
    kind: Literal["synchronous_motor"] = "synchronous_motor"
    bus: Reference = terminal("Bus", "Where the motor is connected.")
    p_rated_kw: float | None = _shaft_power()
    v_rated_kv: float | None = _motor_voltage()
    efficiency_pct: float | None = param(
        None, label="Efficiency", symbol="η", unit="%", gt=10, le=100, needed_for=(LF, SC, AF), typical="synchronous_motor_efficiency",
        meaning="At rated power.",
        enters="P = PrM/η; IrM = PrM/(√3·UrM·η·cosφrM)"
    )
    power_factor: float | None = param(
        None, label="Power factor", symbol="cosφrM", gt=0.1, le=1, needed_for=(LF, SC, AF), typical="synchronous_motor_power_factor", meaning="At rated power.",
        enters="Q = P·tan(arccos cosφ); SrM = PrM/(η·cosφrM)"
    )
    excitation: Literal["overexcited", "underexcited"] = param(
        "overexcited", label="Excitation", section="Operation", in_state=True, meaning="Overexcited, it delivers reactive power.",
        enters="sign of Q = P·tan(arccos cosφrM)"
    )
    count: int = _identical()
    load_factor: float = _shaft_load()
    t_start_s: float | None = _start_time()
    t_stall_s: float | None = _stall_time()
    xd2_pct: float | None = param(
        None, label="Subtransient reactance", symbol="x″d", unit="%", gt=0, le=200, section="Impedance", needed_for=(SC, AF),
        typical="synchronous_motor_xd2", meaning="Direct-axis subtransient reactance, saturated, on the rating of one motor.", source=IEC,
        enters="X″d = x″d/100·UrG²/SrG"
    )
    r_stator_ohm: float | None = param(
        None, label="Stator resistance", symbol="RM", unit="ohm", ge=0, le=100, section="Impedance", needed_for=(SC, AF),
        meaning="Resistance of the stator winding of one motor.", typical="generator_resistance", source=IEC,
        enters="ZG = RG + jX″d"
    )


def motor_mva(m: InductionMotor | SynchronousMotor) -> float | None:
    """Rated apparent power of one motor [MVA], SrM = PrM/(η·cosφrM); None where something of it is not given. IEC 60909-0:2016, 6.10."""
    if not m.p_rated_kw or not m.efficiency_pct or not m.power_factor:
        return None
    return m.p_rated_kw / 1000 / (m.efficiency_pct / 100) / m.power_factor


class StaticLoad(Consumer):
    """What loads and rectifiers share."""

    TERMINALS, LETTER = ("bus",), "E"
    bus: Reference = terminal("Bus", "Where the load is connected.")
    p_mw: float | None = param(
        None, label="Active power", symbol="P", unit="MW", ge=-1e5, le=1e5, needed_for=(LF,), replaced_by="by_phase", meaning="Drawn at nominal voltage.",
        enters="P at its bus in load flow"
    )
    q_mvar: float | None = param(
        None, label="Reactive power", symbol="Q", unit="Mvar", ge=-1e5, le=1e5, needed_for=(LF,), replaced_by="by_phase", typical="load_q",
        meaning="Drawn at nominal voltage, inductive positive.",
        enters="Q at its bus in load flow"
    )
    serves: Literal["fixed equipment", "socket outlets", "lighting"] = param(
        "fixed equipment", label="Serves", section="Circuit", source="IEC 60364-4-41, 411.3.2; NEC 240.4(B)",
        meaning="What a circuit that ends here feeds. Socket outlets must be cut off sooner up to 63 A; lighting is given less voltage drop.",
        enters="sizing: disconnection time, limit of the voltage drop, next standard device by NEC"
    )
    continuous_pct: float | None = param(
        None, label="Continuous", unit="%", ge=0, le=100, section="Circuit", source="NEC 100",
        meaning="Part of its power that is drawn for three hours or more. Empty: all of it, marked as assumed.", enters="sizing by NEC: 1.25·C + N"
    )
    load_factor: float = param(
        1.0, label="Load factor", ge=0, le=10, section="Operation", in_state=True, meaning="Part of the load that is drawn.",
        enters="P, Q = rated power · load factor · demand factor / diversity factor"
    )
    by_phase: Rows[PhasePower] = loads_by_phase()
    connection: Literal["wye", "delta"] | None = connection()
    v_impedance_pu: float | None = lower_voltage()
    along: Reference | None = spread_along()

    @property
    def shares(self) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
        """Parts of the active and of the reactive power with constant power, current and impedance; a share of motors draws constant power."""
        return (1.0, 0.0, 0.0), (1.0, 0.0, 0.0)


MIXED = When("characteristic", ("mixed",))
BY_EXPONENTS = When("characteristic", ("by exponents",))


def _share(constant: str, k: str) -> Any:
    return param(
        0.0, label=f"Constant {constant}", unit="%", ge=0, le=100, section="Operation", acts_when=MIXED,
        meaning=f"Part of the static load with constant {constant}; what the shares leave is constant impedance.",
        enters=f"this part of P0 and Q0 stands with (U/Un)^{k}"
    )


def _reactive_share(constant: str, k: str) -> Any:
    return param(
        None, label=f"Constant {constant}, reactive", unit="%", ge=0, le=100, section="Operation", acts_when=MIXED,
        meaning="The same for the reactive power, where it differs. Empty: as above.", enters=f"this part of Q0 stands with (U/Un)^{k}"
    )


def _exponent(power: str, symbol: str, letter: str) -> Any:
    return param(
        None, label=f"Exponent of {power} power", symbol=symbol, ge=-2, le=8, section="Operation", needed_for=(LF,), acts_when=BY_EXPONENTS,
        meaning=f"Of the voltage, by which the {power} power of the static part follows it; 0, 1, 2: constant power, current, impedance.",
        enters=f"{letter} = {letter}0·(U/Un)^{symbol}"
    )


class Load(StaticLoad):
    """A load: static, or with a share of motors."""

    TITLE = "Load"
    ABOUT = About(
        group="Loads", words={"load": {}}, example="load 0.4 MW 0.2 Mvar",
        typed={"active power": "p_mw", "reactive power": "q_mvar", "ratio": "motor_share_pct"}, data=(("p_mw", "MW"),)
    )
    kind: Literal["load"] = "load"
    characteristic: Literal["power", "current", "impedance", "mixed", "by exponents"] = param(
        "power", label="Constant", section="Operation",
        meaning="What stays constant in the static part when the voltage changes; mixed: by the shares below; by exponents: by the exponents below.",
        enters="P = P0·(U/Un)^k with k = 0, 1, 2 for power, current, impedance"
    )
    share_power_pct: float = _share("power", "0")
    share_current_pct: float = _share("current", "1")
    share_q_power_pct: float | None = _reactive_share("power", "0")
    share_q_current_pct: float | None = _reactive_share("current", "1")
    exponent_p: float | None = _exponent("active", "np", "P")
    exponent_q: float | None = _exponent("reactive", "nq", "Q")
    motor_share_pct: float | None = param(
        None, label="Share of motors", unit="%", gt=0, le=100, section="Operation",
        meaning="This part draws constant power and brings current into faults, as a group of motors. Empty: a static load.",
        enters="this part draws constant power, and ZM of a group of motors stands in the maximum case"
    )
    ilr_over_ir: float = param(
        5.0, label="Locked-rotor current of that share", symbol="ILR/IrM", unit="p.u.", gt=1, le=15, section="Impedance",
        acts_when=When("motor_share_pct"), meaning="Of the rated current; 5 where unknown.", source=IEC,
        enters="ZM = UrM²/SrM/(ILR/IrM)"
    )
    r_over_x: float = param(
        0.42, label="R/X of that share", symbol="RM/XM", ge=0, le=5, section="Impedance", acts_when=When("motor_share_pct"),
        meaning="Ratio at locked rotor; 0.42 for groups of low-voltage motors with their cables.", source=IEC,
        enters="Z = R + jX with R = (R/X)·X"
    )

    @property
    def shares(self) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
        whole = {"power": (1.0, 0.0, 0.0), "current": (0.0, 1.0, 0.0), "impedance": (0.0, 0.0, 1.0), "by exponents": (0.0, 0.0, 0.0)}
        m = self.motor_part
        static = [whole.get(self.characteristic, (a / 100, b / 100, 1 - (a + b) / 100)) for a, b in self.shares_given]
        (p0, p1, p2), (q0, q1, q2) = static
        return (m + (1 - m) * p0, (1 - m) * p1, (1 - m) * p2), (m + (1 - m) * q0, (1 - m) * q1, (1 - m) * q2)

    @property
    def shares_given(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Shares of constant power and current of the active, and of the reactive power [%]."""
        p, i, q_p, q_i = self.share_power_pct, self.share_current_pct, self.share_q_power_pct, self.share_q_current_pct
        return (p, i), (p if q_p is None else q_p, i if q_i is None else q_i)

    @property
    def motor_part(self) -> float:
        """The part of the load that is motors."""
        return (self.motor_share_pct or 0.0) / 100


class Rectifier(StaticLoad, DirectSide):
    """A rectifier or a drive taken as a source of harmonics; it brings no current into faults."""

    TITLE, LETTER = "Rectifier", "T"
    ABOUT = About(
        group="Loads", words={"rectifier": {}}, example="rectifier 250 kW 60 kvar 12 pulses", typed={"active power": "p_mw", "reactive power": "q_mvar"},
        data=(("p_mw", "MW"),)
    )
    kind: Literal["rectifier"] = "rectifier"
    pulses: Literal[6, 12, 18, 24] = param(
        6, label="Pulses", symbol="p", meaning="Pulses of direct voltage for each period; harmonics follow from it.",
        enters="not used by today's studies; harmonics will follow from it"
    )
