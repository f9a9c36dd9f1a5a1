"""Step-voltage regulators of distribution feeders: one-phase units in wye, open or closed delta."""

from typing import ClassVar, Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.declare.rows import Row, Rows
from northfell.core.model.elements.base import About, Element, Reference, terminal
from northfell.core.model.elements.by_phase import BY_PHASE, Conductors, conductors_joined

# Declarations read as a table.
# fmt: off

ACTS = When("control", ("each phase", "ganged"))


class RegulatorUnit(Row):
    """One unit, with the settings of its control."""

    NAMED_BY: ClassVar[str] = "phase"
    phase: Literal["a", "b", "c"] = param(
        label="Phase", meaning="In wye the phase itself; in open delta a and c, which stand between a and b, c and b; in closed delta the first of its two."
    )
    tap: int = param(0, label="Tap", symbol="t", ge=-32, le=32, meaning="Position, or the one that its control starts from; raising positive.")
    v_set_v: float | None = param(None, label="Set voltage", symbol="Uset", unit="V", gt=50, le=300, meaning="At the relay. Empty: it is locked.")
    drop_r_v: float = param(0.0, label="Compensator, R", symbol="R", unit="V", ge=-50, le=50, meaning="Drop at the rated primary current of its transformer.")
    drop_x_v: float = param(0.0, label="Compensator, X", symbol="X", unit="V", ge=-50, le=50, meaning="The same, reactive.")
    v_set_reverse_v: float | None = param(
        None, label="Set voltage, power back", symbol="Uset", unit="V", gt=50, le=300, meaning="At the relay of the source side, while power flows back."
    )
    drop_r_reverse_v: float = param(0.0, label="Compensator, R, power back", symbol="R", unit="V", ge=-50, le=50, meaning="While power flows back.")
    drop_x_reverse_v: float = param(0.0, label="Compensator, X, power back", symbol="X", unit="V", ge=-50, le=50, meaning="The same, reactive.")


class StepRegulator(Element):
    """A step-voltage regulator, or a bank of them."""

    TITLE, TERMINALS, LETTER = "Step-voltage regulator", ("from_bus", "to_bus"), "T"
    ABOUT = About(
        group="Transformers", short="Regulator", words={"regulator": {}}, example="regulator 200 A", typed={"current": "i_rated_a"}, same_voltage=True
    )
    kind: Literal["step_regulator"] = "step_regulator"
    from_bus: Reference = terminal("Source side", "Bus at the source side.")
    to_bus: Reference = terminal("Load side", "Bus at the side that it regulates.")
    conductors: Conductors | None = conductors_joined()
    connection: Literal["wye", "open delta", "closed delta"] = param(
        "wye", label="Connected in", section="Connection", meaning="Of its units.", enters=f"{BY_PHASE}: V of each output by those of the inputs"
    )
    regulator_units: Rows[RegulatorUnit] = param(
        [], label="Units", section="Tap changer", meaning="A row for each; a phase without one passes as it is.", enters=f"{BY_PHASE}: ratio of each phase"
    )
    step_pct: float = param(
        0.625, label="Step", unit="%", gt=0, le=5, section="Tap changer", source="IEEE C57.15", meaning="Of rated voltage.", enters="m = 1 + step·t"
    )
    most_taps: int = param(16, label="Steps each way", ge=1, le=32, section="Tap changer", meaning="Ends of the range.", enters=f"{BY_PHASE}: |t| ≤ steps")
    design: Literal["A", "B"] = param(
        "A", label="Type", section="Tap changer", source="IEEE C57.15",
        meaning="A: m = 1 + step·t, which published feeders take. B: m = 1/(1 − step·t), the exciting winding on the load side.", enters="m of a unit"
    )
    control: Literal["locked", "each phase", "ganged"] = param(
        "locked", label="Control", section="Tap changer", in_state=True,
        meaning="Locked: taps as entered. Each phase by itself; ganged: all by the phase that is sensed.",
        enters=f"{BY_PHASE}: which taps move"
    )
    sensed: Literal["a", "b", "c"] = param(
        "a", label="Sensed phase", section="Tap changer", acts_when=When("control", ("ganged",)), meaning="By which ganged units move.",
        enters=f"{BY_PHASE}: the relay voltage that decides"
    )
    reverse: Literal["as forward", "locked", "other side", "co-generation"] = param(
        "as forward", label="When power flows back", section="Tap changer", acts_when=ACTS,
        meaning="As forward: it does not see that. Locked: taps stay. Other side: it regulates the source side, right where the feed has changed over and "
        "wrong where a generator behind it feeds back into a stiff network. Co-generation: the load side still, with the compensator of that way.",
        enters=f"{BY_PHASE}: which side a relay sees, by which settings"
    )
    band_v: float = param(
        2.0, label="Bandwidth", unit="V", gt=0, le=20, section="Tap changer", acts_when=ACTS, meaning="Whole width about the set voltage.",
        enters="|V relay − V set| ≤ bandwidth/2"
    )
    pt_ratio: float | None = param(
        None, label="Ratio of the voltage transformer", symbol="PT", gt=0, le=10000, section="Tap changer", acts_when=ACTS,
        meaning="Voltage of the regulated side, to neutral in wye, between phases in delta, over that of the relay.", enters="V relay = |V/PT − (R + jX)·I/CT|"
    )
    ct_primary_a: float | None = param(
        None, label="Primary of the current transformer", symbol="CT", unit="A", gt=0, le=10000, section="Tap changer", acts_when=ACTS,
        meaning="Rated; at it the compensator drops its R and X. Empty: there is no compensator.", enters="V relay = |V/PT − (R + jX)·I/CT|"
    )
    delay_s: float = param(
        30.0, label="Delay", unit="s", ge=0, le=600, section="Tap changer", acts_when=ACTS,
        meaning="Before its first step: those that wait less act first, upstream ones before those behind them.", enters=f"{BY_PHASE}: which acts first"
    )
    i_rated_a: float | None = param(
        None, label="Rated current", symbol="Ir", unit="A", gt=0, le=5000, meaning="Empty: loading is not judged.", enters="loading = I/Ir"
    )
