"""What draws power: induction motors, static loads, shunts."""

from typing import Literal

from northfell.core.model.elements.base import AF, IEC, LF, SC, Element, Reference, terminal
from northfell.core.model.parameters import param

# Declarations read as a table.
# fmt: off


class InductionMotor(Element):
    """An induction motor, or a group of identical ones on one bus."""

    TITLE, TERMINALS = "Induction motor", ("bus",)
    kind: Literal["induction_motor"] = "induction_motor"
    bus: Reference = terminal("Bus", "Where the motor is connected.")
    p_rated_kw: float | None = param(
        None, label="Rated power", symbol="PrM", unit="kW", gt=0, le=100000, needed_for=(LF, SC, AF), meaning="Rated shaft power of one motor."
    )
    v_rated_kv: float | None = param(
        None, label="Rated voltage", symbol="UrM", unit="kV", gt=0, le=100, needed_for=(SC, AF), meaning="Rated line-to-line voltage."
    )
    efficiency_pct: float | None = param(
        None, label="Efficiency", symbol="η", unit="%", gt=10, le=100, needed_for=(LF, SC, AF), typical="motor_efficiency", meaning="At rated power."
    )
    power_factor: float | None = param(
        None, label="Power factor", symbol="cosφrM", gt=0.1, le=1, needed_for=(LF, SC, AF), typical="motor_power_factor", meaning="At rated power."
    )
    count: int = param(1, label="Count", ge=1, le=1000, meaning="Identical motors that this symbol stands for.")
    load_factor: float = param(
        1.0, label="Load factor", ge=0, le=2, section="Operation", in_state=True, meaning="Shaft power in use, of the rated power, times those running."
    )
    ilr_over_ir: float | None = param(
        None, label="Locked-rotor current", symbol="ILR/IrM", unit="p.u.", gt=1, le=15, section="Impedance", needed_for=(SC, AF), typical="motor_ilr",
        meaning="Of the rated current.", source=IEC
    )
    r_over_x: float | None = param(
        None, label="R/X", symbol="RM/XM", ge=0, le=5, section="Impedance", needed_for=(SC, AF), typical="motor_r_over_x",
        meaning="Ratio of resistance to reactance at locked rotor.", source=IEC
    )
    pole_pairs: int | None = param(
        None, label="Pole pairs", symbol="p", ge=1, le=50, section="Impedance", meaning="Finds the typical R/X of medium-voltage motors."
    )


class Load(Element):
    """A static load."""

    TITLE, TERMINALS = "Static load", ("bus",)
    kind: Literal["load"] = "load"
    bus: Reference = terminal("Bus", "Where the load is connected.")
    p_mw: float | None = param(None, label="Active power", symbol="P", unit="MW", ge=-1e5, le=1e5, needed_for=(LF,), meaning="Drawn at nominal voltage.")
    q_mvar: float | None = param(
        None, label="Reactive power", symbol="Q", unit="Mvar", ge=-1e5, le=1e5, needed_for=(LF,), meaning="Drawn at nominal voltage, inductive positive."
    )
    characteristic: Literal["power", "current", "impedance"] = param(
        "power", label="Constant", section="Operation", meaning="What stays constant when the voltage changes."
    )
    load_factor: float = param(1.0, label="Load factor", ge=0, le=10, section="Operation", in_state=True, meaning="Part of the load that is drawn.")


class Shunt(Element):
    """A shunt capacitor bank or reactor."""

    TITLE, TERMINALS = "Shunt", ("bus",)
    kind: Literal["shunt"] = "shunt"
    bus: Reference = terminal("Bus", "Where the shunt is connected.")
    q_mvar: float = param(
        label="Reactive power", symbol="Q", unit="Mvar", ge=-1e5, le=1e5, meaning="Delivered at nominal voltage: capacitors positive, reactors negative."
    )
    p_mw: float = param(0.0, label="Losses", symbol="P", unit="MW", ge=-1e5, le=1e5, meaning="Active power drawn at nominal voltage.")
