"""Sources: the public network at its connection point, synchronous generators, and inverters."""

import math
from typing import Any, Literal

from pydantic import ValidationInfo, field_validator

from northfell.core.errors import InputRefused
from northfell.core.model.elements.base import AF, IEC, LF, SC, Element, Phrase, Reference, neutral, neutral_ohm, terminal
from northfell.core.model.parameters import When, param

# Declarations read as a table.
# fmt: off


class Infeed(Element):
    """The public network at the connection point."""

    TITLE, TERMINALS, LETTER = "Infeed", ("bus",), "G"
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

    @property
    def feeds(self) -> bool:
        return True


SET_POINTS = ("voltage", "power", "power factor", "volt-var")  # modes with a fixed active power
BY_VALUE = When("output_level", ("",))
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


class Dispatched(Element):
    """What generators and inverters share: named output levels, one of which an operating state may choose."""

    output_levels: dict[Phrase, float] = param(
        {}, label="Output levels", symbol="P", unit="MW", section="Operation", acts_when=When("mode", SET_POINTS),
        meaning="Active powers with names, so that operating states choose one by its name.", enters="P = the level chosen below"
    )
    output_level: Phrase = param(
        "", label="Output level", section="Operation", in_state=True, acts_when=When("mode", SET_POINTS),
        meaning="The name of one of the levels above. Empty: the active power below."
    )

    @field_validator("output_level")
    @classmethod
    def _one_that_is_there(cls, name: str, info: ValidationInfo) -> str:
        levels = info.data.get("output_levels", {})
        if name and name not in levels:
            raise InputRefused("output_level", name, f"one of {', '.join(levels)} (or empty)" if levels else "empty: there are no output levels")
        return name

    @property
    def p_set_mw(self) -> float:
        """Active power by the level chosen, or as given."""
        return self.output_levels[self.output_level] if self.output_level else getattr(self, "p_mw") or 0.0  # noqa: B009  declared by each kind


class SynchronousGenerator(Dispatched):
    """A synchronous generator connected without a unit transformer."""

    TITLE, TERMINALS, LETTER = "Synchronous generator", ("bus",), "G"
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
    neutral: Literal["isolated", "solid", "resistor", "reactor"] | None = neutral("Star point", "How the star point is earthed.")
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
        None, label="Synchronous reactance", symbol="xd", unit="%", gt=0, le=400, section="Impedance", acts_when=When("capability", ("by rating",)),
        meaning="Direct-axis synchronous reactance, on the rating; it bounds the field current. Empty: only the apparent power bounds.",
        enters="Q ≤ √((E·U/Xd)² − P²) − U²/Xd, E at the rated point"
    )

    @property
    def feeds(self) -> bool:
        return True


VOLT_VAR = When("mode", ("volt-var",))


def _volt_var(default: float, label: str, symbol: str) -> Any:
    return param(
        default, label=label, symbol=symbol, unit="p.u.", gt=0.5, lt=1.5, section="Volt-var", acts_when=VOLT_VAR,
        meaning="Corner of the curve, of the nominal voltage: most given at V1 and below, none from V2 to V3, most taken from V4 on.",
        enters="Q by straight lines between the corners"
    )


class Inverter(Dispatched):
    """A source behind a full converter: solar, battery."""

    TITLE, TERMINALS, LETTER = "Inverter source", ("bus",), "G"
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
    mode: Literal["reference", "voltage", "power", "power factor", "volt-var"] = param(
        "power factor", label="Mode", section="Operation", in_state=True,
        meaning="Power factor, power: follows the network. Volt-var: reactive power by the voltage. Voltage: fixed active power, holds the voltage. "
        "Reference: forms the network by itself.",
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

    @field_validator("vv_v4_pu")
    @classmethod
    def _rising(cls, v4: float, info: ValidationInfo) -> float:
        points = [info.data.get(f"vv_v{i}_pu", math.nan) for i in (1, 2, 3)] + [v4]
        if not points[0] < points[1] <= points[2] < points[3] and not any(map(math.isnan, points)):
            raise InputRefused("vv_v4_pu", v4, "V1 < V2 ≤ V3 < V4")
        return v4

    @property
    def feeds(self) -> bool:
        return self.mode == "reference"  # the others follow a voltage that is there already
