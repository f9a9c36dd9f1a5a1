"""Sources: the public network at its connection point, synchronous generators, and inverters."""

from typing import Any, Literal

from pydantic import ValidationInfo, field_validator

from northfell.core.errors import InputRefused
from northfell.core.model.declare.parameters import When, param
from northfell.core.model.declare.rows import Row, Rows
from northfell.core.model.elements.base import AF, IEC, LF, SC, About, Element, Label, Neutral, Phrase, Reference, neutral, neutral_ohm, terminal
from northfell.core.model.elements.direct import DirectSide

# Declarations read as a table.
# fmt: off


def _infeed_limit(which: str, symbol: str, sign: str) -> Any:
    return param(
        None, label=f"{which} reactive power", symbol=symbol, unit="Mvar", ge=-1e5, le=1e5, section="Operation", acts_when=When("flow_model", ("ideal",)),
        meaning=f"Reactive limit at the connection point, {sign}. Beyond it the infeed gives this power and no longer holds its voltage. Empty: none.",
        enters="Qmin ≤ Q ≤ Qmax; at a limit Q is fixed and |U| is free"
    )


def _participation(empty: str, acts_when: Any = ()) -> Any:
    return param(
        None, label="Part in the surplus", ge=0, le=1e6, section="Operation", in_state=True, acts_when=acts_when,
        meaning="Where the project shares what set points leave over or short: the part of this source, a number beside those of the others. "
        f"Empty: {empty}.",
        enters="P = P set + part/Σ parts · surplus of the island"
    )


def _scheduled(acts_when: Any = ()) -> Any:
    return param(
        0.0, label="Scheduled power", symbol="P", unit="MW", ge=-1e5, le=1e5, section="Operation", in_state=True, acts_when=acts_when,
        meaning="Where the project shares the surplus among sources: what the reference delivers before its part is added. Else it takes what is left over.",
        enters="P of the reference = scheduled power + part/Σ parts · surplus"
    )


class Infeed(Element):
    """The public network at the connection point."""

    TITLE, TERMINALS, LETTER = "Infeed", ("bus",), "G"
    ABOUT = About(
        group="Supply", words={"infeed": {}, "supply": {}, "grid": {}}, example="infeed 33 kV 10 kA", typed={"current": "ik_max_ka"},
        data=(("ik_max_ka", "kA"),), delivers=True, begins=True
    )
    kind: Literal["infeed"] = "infeed"
    bus: Reference = terminal("Bus", "The connection point Q.")
    ik_max_ka: float | None = param(
        None, label="Fault level, maximum", symbol="I″kQmax", unit="kA", gt=0, le=500, section="Impedance", needed_for=(SC, AF),
        meaning="Initial symmetrical three-phase short-circuit current at the connection point, highest.", source=IEC,
        enters="ZQ = c·UnQ/(√3·I″kQ), maximum case and load flow behind impedance"
    )
    ik_min_ka: float | None = param(
        None, label="Fault level, minimum", symbol="I″kQmin", unit="kA", gt=0, le=500, section="Impedance", needed_for=(SC, AF), typical="infeed_ik_min",
        meaning="The same, lowest: for minimum currents, which may clear slowest.", source=IEC,
        enters="ZQ = c·UnQ/(√3·I″kQ), minimum case"
    )
    r_over_x: float | None = param(
        None, label="R/X", symbol="RQ/XQ", ge=0, le=10, section="Impedance", needed_for=(SC, AF), typical="infeed_r_over_x",
        meaning="Ratio of resistance to reactance of the infeed.", source=IEC,
        enters="Z = R + jX with R = (R/X)·X"
    )
    neutral: Literal["solid", "isolated"] | None = param(
        None, label="Earthing of the infeed", section="Earthing", in_state=True, wanted_for=(SC,), typical="infeed_neutral",
        meaning="Solid: it brings earth current, by the ratios below, which hold its earthing impedances. Isolated: it brings none.",
        enters="zero sequence of earth faults: ZQ0, or open"
    )
    x0_over_x1: float | None = param(
        None, label="X0/X1", symbol="XQ0/XQ1", ge=0, le=100, section="Earthing", wanted_for=(SC,), typical="infeed_x0", acts_when=When("neutral", ("solid",)),
        meaning="Reactance in the zero sequence over that in the positive one.", source=IEC, enters="XQ0 = (X0/X1)·XQ in earth faults"
    )
    r0_over_x0: float | None = param(
        None, label="R0/X0", symbol="RQ0/XQ0", ge=0, le=100, section="Earthing", wanted_for=(SC,), typical="infeed_r0", acts_when=When("neutral", ("solid",)),
        meaning="Resistance over reactance in the zero sequence.", source=IEC, enters="RQ0 = (R0/X0)·XQ0 in earth faults"
    )
    flow_model: Literal["ideal", "behind impedance"] = param(
        "ideal", label="In load flow", section="Operation",
        meaning="Ideal: holds the voltage at its bus. Behind impedance: holds it behind the impedance of its fault level.",
        enters="ideal: the bus holds U; behind impedance: U stands behind ZQ"
    )
    v_set_pu: float = param(
        1.0, label="Voltage held", symbol="U", unit="p.u.", gt=0.5, lt=1.5, section="Operation", in_state=True,
        meaning="Source voltage in load flow, of the nominal voltage of the bus.",
        enters="|U| = v·Un at its bus, in load flow"
    )
    angle_deg: float = param(
        0.0, label="Voltage angle", symbol="δ", unit="deg", ge=-360, le=360, section="Operation", meaning="Angle of the source voltage in load flow.",
        enters="U = |U|·e^(jδ) at the source, in load flow"
    )

    q_min_mvar: float | None = _infeed_limit("Least", "Qmin", "negative: taken")
    q_max_mvar: float | None = _infeed_limit("Most", "Qmax", "given to the network")
    participation: float | None = _participation("an infeed has none")
    p_scheduled_mw: float = _scheduled()

    @property
    def feeds(self) -> bool:
        return True


SET_POINTS = ("voltage", "power", "power factor", "power factor by power", "volt-var")  # modes with a fixed active power
BY_VALUE = When("output_level", ("",))
REFERENCE = When("mode", ("reference",))
REFERENCE_OR_VOLTAGE = When("mode", ("reference", "voltage"))


def _voltage_held() -> Any:
    return param(
        1.0, label="Voltage held", symbol="U", unit="p.u.", gt=0.5, lt=1.5, section="Operation", in_state=True, acts_when=REFERENCE_OR_VOLTAGE,
        meaning="Voltage held at the bus, of its nominal voltage.",
        enters="|U| = v·Un at its bus, in load flow"
    )


def _power_factor_held() -> Any:
    return param(
        1.0, label="Power factor held", symbol="cosφ", gt=0, le=1, section="Operation", in_state=True, acts_when=When("mode", ("power factor",)),
        meaning="Power factor of the power delivered, or drawn by a battery that is charged.",
        enters="|Q| = |P|·tan(arccos cosφ)"
    )


def _excitation() -> Any:
    return param(
        "overexcited", label="Excitation", section="Operation", in_state=True, acts_when=When("mode", ("power factor",)),
        meaning="Overexcited: reactive power is given. Underexcited: it is taken.", enters="sign of Q at a power factor"
    )


def _bus_held() -> Any:
    return param(
        None, label="Bus held", section="Operation", refers_to=("bus",), acts_when=When("mode", ("voltage",)),
        meaning="A bus elsewhere whose voltage is held by the reactive power given here. Empty: its own.", enters="the bus whose |U| is held"
    )


def _reactive_limit(which: str, symbol: str, excitation: str) -> Any:
    return param(
        None, label=f"{which} reactive power", symbol=symbol, unit="Mvar", ge=-1e5, le=1e5, section="Operation", acts_when=REFERENCE_OR_VOLTAGE,
        meaning=f"Reactive limit, {excitation}. Beyond it the source gives this power and no longer holds its voltage.",
        enters="Qmin ≤ Q ≤ Qmax; at a limit Q is fixed and |U| is free"
    )


def _capability(acts_when: When) -> Any:
    return param(
        "limits as given", label="Reactive range", section="Operation", acts_when=acts_when,
        meaning="By rating: besides limits that are given, the apparent power stays within the rated one, and a synchronous machine with a given "
        "synchronous reactance within the field current of its rated point.",
        enters="|Q| ≤ √(Sr² − P²); Q ≤ √((E·U/Xd)² − P²) − U²/Xd"
    )


class OutputLevel(Row):
    """An active power with a name."""

    NAMED_BY = "name"
    name: Label = param(label="Name", meaning="By which operating states choose it.")
    p_mw: float = param(
        label="Active power", symbol="P", unit="MW", ge=-1e5, le=1e5, meaning="Active power delivered at this level.", enters="P at its bus in load flow"
    )


class Dispatched(Element):
    """What generators and inverters share: named output levels, one of which an operating state may choose."""

    output_levels: Rows[OutputLevel] = param(
        [], label="Output levels", section="Operation", acts_when=When("mode", SET_POINTS),
        meaning="Active powers with names, so that operating states choose one by its name.", enters="P = the level chosen below"
    )
    output_level: Phrase = param(
        "", label="Output level", section="Operation", in_state=True, acts_when=When("mode", SET_POINTS), row_of="output_levels",
        meaning="The name of one of the levels above. Empty: the active power below."
    )

    @field_validator("output_levels", mode="before")
    @classmethod
    def _as_rows(cls, told: Any) -> Any:
        """Levels as older files and histories hold them: powers by name."""
        return [{"name": name, "p_mw": p_mw} for name, p_mw in told.items()] if isinstance(told, dict) else told

    @field_validator("output_level")
    @classmethod
    def _one_that_is_there(cls, name: str, info: ValidationInfo) -> str:
        if "output_levels" not in info.data:  # refused already
            return name
        levels = [row.name for row in info.data["output_levels"]]
        if name and name not in levels:
            raise InputRefused("output_level", name, f"one of {', '.join(levels)} (or empty)" if levels else "empty: there are no output levels")
        return name

    @property
    def p_set_mw(self) -> float:
        """Active power by the level chosen, or as given."""
        if self.output_level:
            return {row.name: row.p_mw for row in self.output_levels}[self.output_level]
        return getattr(self, "p_mw") or 0.0  # noqa: B009  declared by each kind


class SynchronousGenerator(Dispatched):
    """A synchronous generator connected without a unit transformer."""

    TITLE, TERMINALS, LETTER = "Synchronous generator", ("bus",), "G"
    ABOUT = About(
        group="Supply", short="Generator", words={"generator": {}, "gen": {}}, example="generator 2.5 MVA 11 kV",
        typed={"apparent power": "s_rated_mva", "active power": "p_mw", "ratio": "xd2_pct", "voltage": "v_rated_kv", "resistance": "neutral_ohm"},
        data=(("s_rated_mva", "MVA"),), delivers=True, begins=True
    )
    kind: Literal["synchronous_generator"] = "synchronous_generator"
    bus: Reference = terminal("Bus", "Where the generator is connected.")
    s_rated_mva: float | None = param(
        None, label="Rated power", symbol="SrG", unit="MVA", gt=0, le=5000, needed_for=(SC, AF), meaning="Rated apparent power.", enters="XG = x″d·UrG²/SrG"
    )
    v_rated_kv: float | None = param(
        None, label="Rated voltage", symbol="UrG", unit="kV", gt=0, le=100, needed_for=(SC, AF), meaning="Rated line-to-line voltage.",
        enters="XG = x″d·UrG²/SrG"
    )
    power_factor_rated: float | None = param(
        None, label="Rated power factor", symbol="cosφrG", gt=0, le=1, needed_for=(SC, AF), meaning="Rated power factor, overexcited.",
        typical="generator_power_factor",
        enters="KG = Un/UrG·cmax/(1 + x″d·sinφrG)"
    )
    xd2_pct: float | None = param(
        None, label="Subtransient reactance", symbol="x″d", unit="%", gt=0, le=200, section="Impedance", needed_for=(SC, AF), typical="generator_xd2",
        meaning="Direct-axis subtransient reactance, saturated, on the rating.", source=IEC,
        enters="X″d = x″d/100·UrG²/SrG"
    )
    r_stator_ohm: float | None = param(
        None, label="Stator resistance", symbol="RG", unit="ohm", ge=0, le=100, section="Impedance", needed_for=(SC, AF),
        meaning="Resistance of the stator winding.", typical="generator_resistance", source=IEC,
        enters="ZG = RG + jX″d"
    )
    x2_pct: float | None = param(
        None, label="Negative-sequence reactance", symbol="x2", unit="%", gt=0, le=200, section="Impedance",
        meaning="On the rating. Empty: as the subtransient one.", source=IEC, enters="Z2G = KG·(RG + jX2G) in unbalanced faults"
    )
    x0_pct: float | None = param(
        None, label="Zero-sequence reactance", symbol="x0", unit="%", gt=0, le=200, section="Earthing", wanted_for=(SC,), typical="generator_x0",
        acts_when=When("neutral", ("solid", "resistor", "reactor", "resonant")), meaning="On the rating.", source=IEC,
        enters="Z0G = KG·(RG + jX0G) + 3·ZN in earth faults"
    )
    unit_connection: Literal["as recognised", "power station unit", "by itself"] = param(
        "as recognised", label="With its transformer", section="Impedance", source=IEC,
        meaning="Recognised as one power station unit: alone at the low side of one transformer of 0.7 to 1.5 times its power, with no other source there.",
        enters="KS or KSO of generator and transformer instead of KG and KT"
    )
    p_g_pct: float = param(
        0.0, label="Range of its voltage", symbol="pG", unit="%", ge=0, le=20, section="Impedance", source=IEC,
        meaning="By how much its voltage may stand above the rated one for good.", enters="KSO with UrG·(1 + pG); KG with UG = UrG·(1 + pG)"
    )
    rotor: Literal["turbine", "salient pole", "salient pole, no damper"] = param(
        "turbine", label="Rotor", section="Impedance",
        meaning="Decides on the field that excitation can reach, and on the reactance that counts in the first cycle.",
        source="IEC 60909-0:2016; IEEE C37.010", enters="steady-state current; 0.75·x′d without damper (IEEE)"
    )
    excitation: Literal["rotating", "static from terminals"] = param(
        "rotating", label="Excitation", section="Impedance", source=IEC,
        meaning="A static exciter that is fed from the terminals loses its voltage with a close fault.",
        enters="steady-state current: least field where it collapses"
    )
    field_ceiling: float = param(
        1.3, label="Highest field", symbol="uf,max", unit="p.u.", ge=1, le=4, section="Impedance", source=IEC,
        meaning="Highest excitation voltage of that at rated load: 1.3 and 1.6 (turbine and salient pole) in series 1, 1.6 and 2.0 in series 2.",
        enters="steady-state current with highest excitation"
    )
    xd1_pct: float | None = param(
        None, label="Transient reactance", symbol="x′d", unit="%", gt=0, le=300, section="Impedance",
        meaning="Direct axis, on the rating. Empty: 1.5 times the subtransient one where a rule asks for it.", source="IEEE C37.010",
        enters="30-cycle network (IEEE); first cycle without damper"
    )
    td2_s: float | None = param(
        None, label="Subtransient time constant", symbol="T″d", unit="s", gt=0, le=2, section="Impedance", source="IEC 60034-4",
        meaning="Short-circuit time constant, direct axis. Empty: its current over time is not drawn, and arc flash takes it as constant.",
        enters="how its fault current falls: on curve sheets, and while an arc burns"
    )
    td1_s: float | None = param(
        None, label="Transient time constant", symbol="T′d", unit="s", gt=0, le=20, section="Impedance", source="IEC 60034-4",
        meaning="Short-circuit time constant, direct axis. Empty: its current over time is not drawn, and arc flash takes it as constant.",
        enters="how its fault current falls: on curve sheets, and while an arc burns"
    )
    i2_squared_t_s: float | None = param(
        None, label="Negative-sequence heating", symbol="K", unit="s", gt=0, le=200, section="Impedance", source="IEEE C50.13",
        meaning="What it withstands of I2²·t, on its rated current; 40 of salient poles, 30 of indirectly cooled, 10 of directly cooled rotors are usual.",
        enters="coordination: K/(I2/IrG)² against its negative-sequence stage"
    )
    neutral: Neutral | None = neutral("Star point", "How the star point is earthed.")
    neutral_ohm: float | None = neutral_ohm("Earthing impedance", "neutral")
    mode: Literal["reference", "voltage", "power", "power factor"] = param(
        "voltage", label="Mode", section="Operation", in_state=True,
        meaning="Reference: holds voltage and angle, takes what is left over. Voltage: fixed active power, holds the voltage. Power: fixed active "
        "and reactive power. Power factor: fixed active power and power factor.",
        enters="which of P, Q, U and angle are fixed at its bus in load flow"
    )
    p_mw: float = param(
        0.0, label="Active power", symbol="P", unit="MW", ge=-1e5, le=1e5, section="Operation", in_state=True,
        acts_when=(When("mode", SET_POINTS), BY_VALUE), meaning="Active power delivered.",
        enters="P at its bus in load flow"
    )
    v_set_pu: float = _voltage_held()
    q_mvar: float = param(
        0.0, label="Reactive power", symbol="Q", unit="Mvar", ge=-1e5, le=1e5, section="Operation", in_state=True,
        acts_when=When("mode", ("power",)), meaning="Reactive power delivered, overexcited positive.",
        enters="Q at its bus in load flow"
    )
    power_factor_set: float = _power_factor_held()
    excitation_set: Literal["overexcited", "underexcited"] = _excitation()
    q_min_mvar: float | None = _reactive_limit("Least", "Qmin", "underexcited")
    q_max_mvar: float | None = _reactive_limit("Most", "Qmax", "overexcited")
    capability: Literal["limits as given", "by rating"] = _capability(REFERENCE_OR_VOLTAGE)
    xd_pct: float | None = param(
        None, label="Synchronous reactance", symbol="xd", unit="%", gt=0, le=400, section="Impedance",
        meaning="Direct-axis synchronous reactance, saturated, on the rating. Empty: only the apparent power bounds, and no steady-state current is found.",
        enters="Q ≤ √((E·U/Xd)² − P²) − U²/Xd, E at the rated point; steady-state short-circuit current"
    )

    v_bus: Reference | None = _bus_held()
    participation: float | None = _participation("its rated power")
    p_scheduled_mw: float = _scheduled(REFERENCE)

    @property
    def feeds(self) -> bool:
        return True


VOLT_VAR = When("mode", ("volt-var",))
BY_POWER = When("mode", ("power factor by power",))
VOLT_WATT = (When("volt_watt", ("on",)), When("mode", ("power", "power factor", "power factor by power", "volt-var")))


def _by_power(default: float, label: str, symbol: str) -> Any:
    return param(
        default, label=label, symbol=symbol, unit="%", ge=0, le=100, section="Power factor by power", acts_when=BY_POWER,
        meaning="Active power, of the rated power of all units, at this corner of the curve; beyond the corners the power factor stays as it is there.",
        enters="cosφ by straight lines between the corners"
    )


def _factor_there(default: float, label: str, symbol: str) -> Any:
    return param(
        default, label=label, symbol=symbol, gt=0.1, le=1, section="Power factor by power", acts_when=BY_POWER, meaning="Power factor at that corner.",
        enters="cosφ by straight lines between the corners"
    )


def _excitation_there(default: str, label: str) -> Any:
    return param(
        default, label=label, section="Power factor by power", acts_when=BY_POWER,
        meaning="Overexcited: reactive power is given there. Underexcited: it is taken. Between corners of different sign the curve passes through 1.",
        enters="sign of Q at that corner"
    )


def _volt_watt(default: float, label: str, symbol: str) -> Any:
    return param(
        default, label=label, symbol=symbol, unit="p.u.", gt=0.5, lt=1.5, section="Volt-watt", acts_when=VOLT_WATT,
        meaning="Voltage at this corner of the limit, of the nominal voltage.", source="IEEE 1547-2018, 5.4.2 (its default setting)",
        enters="P ≤ the limit, by a straight line between the corners"
    )


def _volt_var(default: float, label: str, symbol: str) -> Any:
    return param(
        default, label=label, symbol=symbol, unit="p.u.", gt=0.5, lt=1.5, section="Volt-var", acts_when=VOLT_VAR,
        meaning="Corner of the curve, of the nominal voltage: most given at V1 and below, none from V2 to V3, most taken from V4 on.",
        enters="Q by straight lines between the corners"
    )


class Inverter(Dispatched, DirectSide):
    """A source behind a full converter: solar, battery."""

    TITLE, TERMINALS, LETTER = "Inverter source", ("bus",), "G"
    ABOUT = About(
        group="Supply", short="Inverter",
        words={"solar": {"source": "solar"}, "pv": {"source": "solar"}, "battery": {"source": "battery"}, "inverter": {"source": "other"}},
        example="solar 1.2 MW 1.3 MVA", typed={"apparent power": "s_rated_mva", "active power": "p_mw"}, count="count", data=(("s_rated_mva", "MVA"),),
        delivers=True
    )
    kind: Literal["inverter"] = "inverter"
    bus: Reference = terminal("Bus", "Where the inverter is connected.")
    source: Literal["solar", "battery", "other"] = param(
        "solar", label="Behind it", meaning="What feeds the inverter; the symbol shows it.", enters="the symbol shows it"
    )
    s_rated_mva: float | None = param(
        None, label="Rated power", symbol="Sr", unit="MVA", gt=0, le=5000, needed_for=(SC, AF), typical="inverter_rating",
        meaning="Rated apparent power of one unit.",
        enters="Ir = Sr/(√3·Un), base of its short-circuit current"
    )
    count: int = param(
        1, label="Count", ge=1, le=10000, meaning="Identical units that this symbol stands for.",
        enters="multiplies the power drawn or delivered and the current brought into a fault"
    )
    ik_over_ir: float | None = param(
        None, label="Short-circuit current", symbol="IskPF/Ir", unit="p.u.", ge=0, le=5, section="Impedance", needed_for=(SC, AF), typical="inverter_ik",
        meaning="What the unit feeds into a three-phase fault at its terminals, of its rated current; from the maker.", source=IEC,
        enters="I″kPF = (IskPF/Ir)·Ir·count, maximum case"
    )
    i2_over_ir: float = param(
        0.0, label="Negative-sequence current", symbol="I2/Ir", unit="p.u.", ge=0, le=5, section="Impedance",
        meaning="What the unit's control feeds in the negative sequence of an unbalanced fault, of its rated current; from the maker.", source=IEC,
        enters="current source of the negative sequence, maximum case"
    )
    mode: Literal["reference", "voltage", "power", "power factor", "power factor by power", "volt-var"] = param(
        "power factor", label="Mode", section="Operation", in_state=True,
        meaning="Power factor, power: follows the network. Power factor by power: by a curve. Volt-var: reactive power by the voltage. Voltage: fixed "
        "active power, holds the voltage. Reference: forms the network by itself.",
        enters="which of P, Q, U and angle are fixed at its bus in load flow"
    )
    p_mw: float | None = param(
        None, label="Active power", symbol="P", unit="MW", ge=-1e5, le=1e5, section="Operation", in_state=True, needed_for=(LF,),
        acts_when=(When("mode", SET_POINTS), BY_VALUE), meaning="Active power delivered by all units; a battery that is charged draws it.",
        enters="P at its bus in load flow"
    )
    q_mvar: float = param(
        0.0, label="Reactive power", symbol="Q", unit="Mvar", ge=-1e5, le=1e5, section="Operation", in_state=True,
        acts_when=When("mode", ("power",)), meaning="Reactive power delivered by all units.",
        enters="Q at its bus in load flow"
    )
    power_factor_set: float = _power_factor_held()
    excitation_set: Literal["overexcited", "underexcited"] = _excitation()
    v_set_pu: float = _voltage_held()
    q_min_mvar: float | None = _reactive_limit("Least", "Qmin", "underexcited")
    q_max_mvar: float | None = _reactive_limit("Most", "Qmax", "overexcited")
    capability: Literal["limits as given", "by rating"] = _capability(When("mode", ("reference", *SET_POINTS)))
    vv_v1_pu: float = _volt_var(0.92, "Gives most at", "V1")
    vv_v2_pu: float = _volt_var(0.98, "Gives up to", "V2")
    vv_v3_pu: float = _volt_var(1.02, "Takes from", "V3")
    vv_v4_pu: float = _volt_var(1.08, "Takes most at", "V4")
    vv_q_pct: float = param(
        44.0, label="Most reactive power", unit="%", gt=0, le=100, section="Volt-var", acts_when=VOLT_VAR,
        meaning="Given and taken at the ends of the curve, of the rated power of all units.", enters="Q = ±q·Sr·count at the ends of the curve"
    )

    pfp_p1_pct: float = _by_power(50.0, "First corner", "P1")
    pfp_factor_1: float = _factor_there(1.0, "Power factor up to it", "cosφ1")
    pfp_excitation_1: Literal["overexcited", "underexcited"] = _excitation_there("underexcited", "Excitation up to it")
    pfp_p2_pct: float = _by_power(100.0, "Second corner", "P2")
    pfp_factor_2: float = _factor_there(0.95, "Power factor from it on", "cosφ2")
    pfp_excitation_2: Literal["overexcited", "underexcited"] = _excitation_there("underexcited", "Excitation from it on")
    volt_watt: Literal["off", "on"] = param(
        "off", label="Volt-watt", section="Volt-watt", acts_when=When("mode", ("power", "power factor", "power factor by power", "volt-var")),
        meaning="On: a high voltage bounds the active power delivered, by a straight line between two corners. The defaults of the corners are to be "
        "checked against the maker's settings.",
        enters="P ≤ the limit at the voltage of its bus"
    )
    vw_v1_pu: float = _volt_watt(1.06, "Rated power up to", "V1")
    vw_v2_pu: float = _volt_watt(1.10, "Least from", "V2")
    vw_p_pct: float = param(
        20.0, label="Least that the limit leaves", unit="%", ge=0, le=100, section="Volt-watt", acts_when=VOLT_WATT,
        meaning="Active power that may still be delivered from the second corner on, of the rated power of all units.",
        enters="P ≤ this part of Sr·count from V2 on"
    )
    v_bus: Reference | None = _bus_held()
    participation: float | None = _participation("an inverter has none", When("mode", ("reference", "voltage", "power", "power factor")))
    p_scheduled_mw: float = _scheduled(REFERENCE)

    @property
    def feeds(self) -> bool:
        return self.mode == "reference"  # the others follow a voltage that is there already
