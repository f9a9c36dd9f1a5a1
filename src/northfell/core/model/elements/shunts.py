"""What stands between a bus and earth: capacitor banks, shunt reactors, shunts from data files, earthing transformers."""

import math
from typing import Literal

from pydantic import ValidationInfo, field_validator

from northfell.core.errors import InputRefused
from northfell.core.model.declare.parameters import When, param
from northfell.core.model.declare.rows import Rows
from northfell.core.model.elements.base import LF, SC, About, Element, Neutral, Reference, neutral, neutral_ohm, terminal
from northfell.core.model.elements.by_phase import BY_PHASE, PhaseReactive, reactive_by_phase

# Declarations read as a table.
# fmt: off


class Compensation(Element):
    """What capacitor banks, shunt reactors and plain shunts share: constant admittance."""

    TERMINALS, LETTER = ("bus",), "C"
    bus: Reference = terminal("Bus", "Where it is connected.")

    @property
    def s_drawn_mva(self) -> complex:
        """Power drawn at nominal voltage."""
        raise NotImplementedError


class Shunt(Compensation):
    """A shunt as system data files hold it."""

    TITLE = "Shunt"
    ABOUT = About(
        words={"shunt": {}}, example="shunt 0.5 Mvar", typed={"reactive power": "q_mvar"}, data=(("q_mvar", "Mvar"),), needs={"q_mvar": 0.1}
    )
    kind: Literal["shunt"] = "shunt"
    q_mvar: float = param(
        label="Reactive power", symbol="Q", unit="Mvar", ge=-1e5, le=1e5, meaning="Delivered at nominal voltage: capacitors positive, reactors negative.",
        enters="Q at its bus in load flow"
    )
    p_mw: float = param(
        0.0, label="Losses", symbol="P", unit="MW", ge=-1e5, le=1e5, meaning="Active power drawn at nominal voltage.", enters="P at its bus in load flow"
    )

    @property
    def s_drawn_mva(self) -> complex:
        return complex(self.p_mw, -self.q_mvar)


BY_VOLTAGE, BY_POWER_FACTOR = When("switching", ("by voltage",)), When("switching", ("by power factor",))
BY_FLOW = When("switching", ("by power factor", "by reactive power", "by current"))
SWITCHED = When("switching", ("by voltage", "by power factor", "by reactive power", "by current"))


class CapacitorBank(Compensation):
    """A capacitor bank, switched in equal steps."""

    TITLE = "Capacitor bank"
    ABOUT = About(
        group="Reactive", short="Capacitor", words={"capacitor": {}}, example="capacitor 4x 150 kvar", typed={"reactive power": "q_step_mvar"},
        count="steps", needs={"q_step_mvar": 0.1}
    )
    kind: Literal["capacitor_bank"] = "capacitor_bank"
    q_step_mvar: float = param(
        label="Reactive power of a step", symbol="Q1", unit="Mvar", gt=0, le=1e4, meaning="Delivered by one step at nominal voltage.",
        enters="B = steps in·Q1/Un²"
    )
    step_by_phase: Rows[PhaseReactive] = reactive_by_phase()
    steps: int = param(1, label="Steps", symbol="n", ge=1, le=100, meaning="Equal steps of the bank.", enters="Q = n·Q1 where all are in")
    steps_in: int | None = param(
        None, label="Steps switched in", section="Operation", ge=0, le=100, in_state=True, meaning="Differs between operating states. Empty: all of them.",
        enters="Q = steps in·Q1"
    )
    loss_pct: float = param(0.0, label="Losses", unit="%", ge=0, le=10, meaning="Active losses, of the reactive power.", enters="P = Q·loss/100")
    switching: Literal["fixed", "by voltage", "by power factor", "by reactive power", "by current"] = param(
        "fixed", label="Switching", section="Operation", in_state=True,
        meaning="Fixed: the steps given are in. Otherwise a controller switches them, starting from the steps given.", enters="whether load flow switches steps"
    )
    v_in_pu: float = param(
        0.98, label="Switches in below", symbol="U", unit="p.u.", gt=0.5, lt=1.5, section="Operation", acts_when=SWITCHED,
        meaning="Voltage of its bus below which a step is switched in; by other quantities only where voltage goes first.",
        enters="a step goes in while U is below"
    )
    v_out_pu: float = param(
        1.02, label="Switches out above", symbol="U", unit="p.u.", gt=0.5, lt=1.5, section="Operation", acts_when=SWITCHED,
        meaning="Voltage of its bus above which a step is switched out; by other quantities only where voltage goes first.",
        enters="a step goes out while U is above"
    )
    voltage_first: bool = param(
        False, label="Voltage goes first", section="Operation", acts_when=BY_FLOW,
        meaning="Beyond the two voltages it switches by these, whatever else it measures.", enters="steps by U beyond its limits"
    )
    power_factor_target: float = param(
        0.95, label="Power factor held", symbol="cosφ", gt=0.1, le=1, section="Operation", acts_when=BY_POWER_FACTOR,
        meaning="Least power factor where it is measured, inductive.", enters="as few steps as keep Q ≤ P·tan(arccos cosφ) where it is measured"
    )
    q_in_mvar: float | None = param(
        None, label="Switches in above", symbol="Q", unit="Mvar", ge=-1e4, le=1e4, section="Operation", acts_when=When("switching", ("by reactive power",)),
        needed_for=(LF,), meaning="Reactive power where it is measured above which a step is switched in.", enters="a step goes in while Q is above"
    )
    q_out_mvar: float | None = param(
        None, label="Switches out below", symbol="Q", unit="Mvar", ge=-1e4, le=1e4, section="Operation", acts_when=When("switching", ("by reactive power",)),
        needed_for=(LF,), meaning="Reactive power below which a step is switched out; a step further down than the other at least, or it hunts.",
        enters="a step goes out while Q is below"
    )
    i_in_a: float | None = param(
        None, label="Switches in above", symbol="I", unit="A", ge=0, le=1e5, section="Operation", acts_when=When("switching", ("by current",)),
        needed_for=(LF,), meaning="Current where it is measured above which a step is switched in.", enters="a step goes in while I is above"
    )
    i_out_a: float | None = param(
        None, label="Switches out below", symbol="I", unit="A", ge=0, le=1e5, section="Operation", acts_when=When("switching", ("by current",)),
        needed_for=(LF,), meaning="Current below which a step is switched out.", enters="a step goes out while I is below"
    )
    measured_at: Reference | None = param(
        None, label="Measured at", section="Operation", acts_when=BY_FLOW, needed_for=(LF,),
        refers_to=("transformer", "cable", "line", "trunking", "breaker", "switch", "infeed"),
        meaning="The incomer whose power or current is measured.", enters="P, Q and I by which steps are switched"
    )
    sensed_phase: Literal["a", "b", "c"] | None = param(
        None, label="Phase measured", section="Operation", acts_when=SWITCHED,
        meaning="By phase, one to which its transformers are connected. Empty: voltage as positive sequence, power of all phases, the greatest current.",
        enters=f"{BY_PHASE}: U, I, and that phase's power times the number of phases"
    )
    switching_delay_s: float = param(
        60.0, label="Delay", unit="s", ge=0, le=3600, section="Operation", acts_when=SWITCHED,
        meaning="Before it switches: controls that wait less act first.", enters=f"{BY_PHASE}: which acts first"
    )

    @field_validator("steps_in")
    @classmethod
    def _no_more_than_there_are(cls, steps_in: int | None, info: ValidationInfo) -> int | None:
        if steps_in is not None and steps_in > info.data.get("steps", steps_in):
            raise InputRefused("steps_in", steps_in, f"at most its {info.data['steps']} steps (or empty)")
        return steps_in

    def steps_wanted(self, v_pu: float, s_mva: complex = 0j, i_a: float = 0.0) -> int:
        """How many more steps its controller asks for, of none that it has too; fewer where negative.

        Parameters
        ----------
        v_pu
            Voltage of its bus.
        s_mva, i_a
            Power and current where it measures, toward what it compensates.
        """
        if self.switching == "by voltage" or self.voltage_first:
            by_voltage = 1 if v_pu < self.v_in_pu else -1 if v_pu > self.v_out_pu else 0
            if by_voltage or self.switching == "by voltage":
                return by_voltage
        if self.switching == "by power factor":
            surplus = s_mva.imag - abs(s_mva.real) * math.tan(math.acos(self.power_factor_target))
            return math.ceil(surplus / (self.q_step_mvar * v_pu**2) - 1e-6)
        found, most, least = (s_mva.imag, self.q_in_mvar, self.q_out_mvar) if self.switching == "by reactive power" else (i_a, self.i_in_a, self.i_out_a)
        return 1 if most is not None and found > most else -1 if least is not None and found < least else 0

    @property
    def s_drawn_mva(self) -> complex:
        return self.drawn_with(self.steps if self.steps_in is None else self.steps_in)

    def drawn_with(self, steps: int) -> complex:
        """Power drawn at nominal voltage with so many steps in."""
        q = self.q_step_mvar * steps
        return complex(q * self.loss_pct / 100, -q)


class ShuntReactor(Compensation):
    """A shunt reactor."""

    TITLE, LETTER = "Shunt reactor", "R"
    ABOUT = About(
        group="Reactive", short="Reactor", words={"reactor": {}}, example="reactor 2 Mvar", typed={"reactive power": "q_mvar"}, data=(("q_mvar", "Mvar"),),
        needs={"q_mvar": 0.1}
    )
    kind: Literal["shunt_reactor"] = "shunt_reactor"
    q_mvar: float = param(
        label="Reactive power", symbol="Q", unit="Mvar", gt=0, le=1e5, meaning="Drawn at nominal voltage.", enters="Q at its bus in load flow"
    )
    loss_pct: float = param(0.0, label="Losses", unit="%", ge=0, le=10, meaning="Active losses, of the reactive power.", enters="P = Q·loss/100")

    @property
    def s_drawn_mva(self) -> complex:
        return complex(self.q_mvar * self.loss_pct / 100, self.q_mvar)


class EarthingTransformer(Element):
    """An earthing transformer, which gives a network a star point; it carries the zero sequence alone."""

    TITLE, TERMINALS, LETTER = "Earthing transformer", ("bus",), "T"
    ABOUT = About(
        group="Transformers", short="Earthing", words={"earthing": {}}, example="earthing 400 A resistor 16 ohm",
        typed={"current": "i_earth_a", "resistance": "neutral_ohm", "time": "t_rated_s"}, data=(("i_earth_a", "A"),)
    )
    kind: Literal["earthing_transformer"] = "earthing_transformer"
    bus: Reference = terminal("Bus", "Where it is connected.")
    z0_ohm: float | None = param(
        None, label="Zero-sequence reactance", symbol="X0", unit="ohm", gt=0, le=1e5, section="Impedance", wanted_for=(SC,), typical="earthing_x0",
        meaning="Of the zig-zag winding, per phase.", source="IEC 60909-0:2016", enters="Z0 + 3·ZN to earth in earth faults"
    )
    i_earth_a: float | None = param(
        None, label="Rated earth-fault current", symbol="IE", unit="A", gt=0, le=50000, meaning="Current through the star point for the rated time.",
        enters="duty: earth current through its star point against it"
    )
    t_rated_s: float | None = param(
        None, label="Rated time", unit="s", gt=0, le=100000, meaning="For which it carries that current.",
        enters="told beside its duty"
    )
    neutral: Neutral | None = neutral("Star point", "How the star point is earthed.")
    neutral_ohm: float | None = neutral_ohm("Earthing impedance", "neutral")
