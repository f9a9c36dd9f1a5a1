"""Which conductors a bus has, and what elements join of them: for networks that are not of three phases alike."""

from typing import Any, ClassVar, Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.declare.rows import Row

# Declarations read as a table.
# fmt: off

Conductors = Literal["abc", "abcn", "ab", "abn", "bc", "bcn", "ac", "acn", "a", "an", "b", "bn", "c", "cn", "12n", "12"]
Between = Literal["a", "b", "c", "ab", "bc", "ca", "1", "2", "12"]
BETWEEN_MEANING = "One: to the neutral, where the bus has one, else to earth. Two: between them. 1 and 2 are the legs behind a centre tap."
BY_PHASE = "load flow by phase"


class PhasePower(Row):
    """A part of a load, between two conductors or from one to the neutral."""

    NAMED_BY: ClassVar[str] = "between"
    between: Between = param(label="Between", meaning=BETWEEN_MEANING)
    p_mw: float = param(label="Active power", symbol="P", unit="MW", ge=-1e4, le=1e4, meaning="Drawn at nominal voltage.")
    q_mvar: float = param(label="Reactive power", symbol="Q", unit="Mvar", ge=-1e4, le=1e4, meaning="Drawn at nominal voltage, inductive positive.")


class PhaseReactive(Row):
    """A part of a capacitor bank."""

    NAMED_BY: ClassVar[str] = "between"
    between: Between = param(label="Between", meaning=BETWEEN_MEANING)
    q_mvar: float = param(label="Reactive power of a step", symbol="Q1", unit="Mvar", ge=0, le=1e4, meaning="Delivered at nominal voltage.")


class MatrixCell(Row):
    """A pair of conductors of a line."""

    row: Literal["a", "b", "c", "1", "2", "n"] = param(label="Row", meaning="Conductor.")
    column: Literal["a", "b", "c", "1", "2", "n"] = param(label="Column", meaning="Conductor; the matrix is symmetrical: one triangle will do.")
    r_ohm_per_km: float = param(label="Resistance", symbol="R′", unit="ohm/km", ge=-100, le=100, meaning="Of one line, at the temperature of use.")
    x_ohm_per_km: float = param(label="Reactance", symbol="X′", unit="ohm/km", ge=-100, le=100, meaning="Of one line, at the frequency of the network.")
    b_us_per_km: float = param(0.0, label="Susceptance", symbol="B′", unit="µS/km", ge=-1e5, le=1e5, meaning="Of one line, at the frequency of the network.")


class TransformerUnit(Row):
    """A one-phase unit of a bank, or one alone."""

    high: Literal["a", "b", "c", "ab", "bc", "ca", "ba", "cb", "ac"] = param(
        label="High side", meaning="One phase: to the star point. Two: from the first to the second."
    )
    low: Literal["a", "b", "c", "ab", "bc", "ca", "ba", "cb", "ac", "12", "1n2"] = param(
        label="Low side", meaning="In phase with the high side. 12: two legs. 1n2: two legs about a centre tap, which stands at the neutral of the bus."
    )
    s_rated_mva: float = param(label="Rated power", symbol="Sr", unit="MVA", gt=0, le=1000, meaning="Of this unit.")
    v_high_kv: float = param(label="Winding, high side", symbol="Ur", unit="kV", gt=0, le=1200, meaning="Rated voltage across the winding.")
    v_low_kv: float = param(label="Winding, low side", symbol="Ur", unit="kV", gt=0, le=1200, meaning="Across the whole winding: twice a half of 1n2.")
    uk_pct: float = param(label="Impedance voltage", symbol="ukr", unit="%", gt=0, le=100, meaning="Of its own rating; of 1n2 with both halves in series.")
    ur_pct: float = param(label="Resistive part", symbol="uRr", unit="%", ge=0, le=100, meaning="Of its own rating.")
    no_load_loss_kw: float = param(0.0, label="No-load losses", symbol="P0", unit="kW", ge=0, le=1000, meaning="0: left out.")
    no_load_current_pct: float = param(0.0, label="No-load current", symbol="i0", unit="%", ge=0, le=50, meaning="0: left out.")
    halves: Literal["interlaced", "not interlaced"] = param(
        "interlaced", label="Halves", meaning="Of 1n2: how its impedance is parted (as recalled; not interlaced unverified)."
    )


def units_of_a_bank() -> Any:
    return param(
        [], label="One-phase units", section="By phase",
        meaning="A row for each: one alone, or a bank of two or three, open or of unlike units. They go before the rating and vector group of the whole.",
        enters=f"{BY_PHASE}: pairs of windings; other studies leave such banks out, and say so"
    )


def conductors_of_a_bus() -> Any:
    return param(
        "abc", label="Conductors", section="By phase",
        meaning="Phases that it has, or the legs 1 and 2 behind a centre tap, and whether a neutral is carried. Legs: the nominal voltage is between both.",
        enters=f"{BY_PHASE}: a conductor that is not there has no voltage; other studies leave such parts out, and say so"
    )


def conductors_joined() -> Any:
    return param(
        None, label="Conductors joined", section="By phase", meaning="Empty: all that both its buses have.", enters=f"{BY_PHASE}: its matrix, or its poles"
    )


def matrix_of_a_line() -> Any:
    return param(
        [], label="Matrix by phase", section="Impedance", meaning="By pairs of conductors; it counts before a geometry, and that before sequence values.",
        enters=f"{BY_PHASE}: Z and B by pair of conductors"
    )


def electrode_ohm() -> Any:
    return param(
        None, label="Earth electrode of its neutral", symbol="Re", unit="ohm", gt=0, le=1e5, section="Earthing",
        meaning="Resistance of each electrode along the neutral that it carries. Empty: that neutral is not earthed along its way.",
        enters=f"{BY_PHASE}: 1/Re at the neutral, electrode by electrode"
    )


def electrode_every_m() -> Any:
    return param(
        None, label="Distance between electrodes", unit="m", gt=0, le=1e5, section="Earthing", acts_when=When("electrode_ohm"),
        meaning="The outermost stand half of it from the ends.", enters=f"{BY_PHASE}: how many electrodes there are"
    )


def loads_by_phase() -> Any:
    return param(
        [], label="By phase", section="By phase", meaning="Its parts between conductors. Empty: its power in equal parts on all phases of its bus.",
        enters=f"{BY_PHASE}: P and Q of each part"
    )


def reactive_by_phase() -> Any:
    return param(
        [], label="By phase", section="By phase", meaning="One step, by phase. Empty: the step in equal parts on all phases of its bus.",
        enters=f"{BY_PHASE}: B of each part"
    )


def connection() -> Any:
    return param(
        None, label="Connected in", section="By phase",
        meaning="Of a load on three phases without parts by phase. Empty: to the neutral, where its bus carries one, else between phases.",
        enters=f"{BY_PHASE}: between phases and neutral, or between phases"
    )


def lower_voltage() -> Any:
    return param(
        None, label="Impedance below", symbol="U", unit="p.u.", gt=0, lt=1, section="Operation",
        meaning="Voltage across a part of the load below which it is taken as an impedance. Empty: at no voltage.", enters=f"{BY_PHASE}: S = S(U)·(U/U low)²"
    )


def open_poles() -> Any:
    return param(
        None, label="Open poles", section="Operation", in_state=True, meaning="Poles that stand open while the others are closed. Empty: none.",
        enters=f"{BY_PHASE}: which conductors it joins; other studies leave such parts out, and say so"
    )


OpenPoles = Literal["a", "b", "c", "ab", "bc", "ac", "n", "1", "2"]


def spread_along() -> Any:
    return param(
        None, label="Spread along", refers_to=("line", "cable"), section="By phase",
        meaning="A line that ends at its bus, along all of which it is drawn evenly. Empty: all of it at the bus.",
        enters=f"{BY_PHASE}: half at a sixth of the length from either end, which keeps fall of voltage and losses; other studies leave it out, and say so"
    )
