"""Which conductors a bus has, and what elements join of them: for networks that are not of three phases alike."""

from typing import Any, ClassVar, Literal

from northfell.core.model.declare.parameters import param
from northfell.core.model.declare.rows import Row

# Declarations read as a table.
# fmt: off

Conductors = Literal["abc", "abcn", "ab", "abn", "bc", "bcn", "ac", "acn", "a", "an", "b", "bn", "c", "cn"]
Between = Literal["a", "b", "c", "ab", "bc", "ca"]
BY_PHASE = "load flow by phase"


class PhasePower(Row):
    """A part of a load, between two conductors or from one to the neutral."""

    NAMED_BY: ClassVar[str] = "between"
    between: Between = param(label="Between", meaning="One phase: to the neutral, where the bus has one, else to earth. Two: between them.")
    p_mw: float = param(label="Active power", symbol="P", unit="MW", ge=-1e4, le=1e4, meaning="Drawn at nominal voltage.")
    q_mvar: float = param(label="Reactive power", symbol="Q", unit="Mvar", ge=-1e4, le=1e4, meaning="Drawn at nominal voltage, inductive positive.")


class PhaseReactive(Row):
    """A part of a capacitor bank."""

    NAMED_BY: ClassVar[str] = "between"
    between: Between = param(label="Between", meaning="One phase: to the neutral, where the bus has one, else to earth. Two: between them.")
    q_mvar: float = param(label="Reactive power of a step", symbol="Q1", unit="Mvar", ge=0, le=1e4, meaning="Delivered at nominal voltage.")


class MatrixCell(Row):
    """A pair of conductors of a line."""

    row: Literal["a", "b", "c", "n"] = param(label="Row", meaning="Conductor.")
    column: Literal["a", "b", "c", "n"] = param(label="Column", meaning="Conductor; the matrix is symmetrical, so that one of both triangles will do.")
    r_ohm_per_km: float = param(label="Resistance", symbol="R′", unit="ohm/km", ge=-100, le=100, meaning="Of one line, at the temperature of use.")
    x_ohm_per_km: float = param(label="Reactance", symbol="X′", unit="ohm/km", ge=-100, le=100, meaning="Of one line, at the frequency of the network.")
    b_us_per_km: float = param(0.0, label="Susceptance", symbol="B′", unit="µS/km", ge=-1e5, le=1e5, meaning="Of one line, at the frequency of the network.")


def conductors_of_a_bus() -> Any:
    return param(
        "abc", label="Conductors", section="By phase", meaning="Phases that it has, and whether a neutral is carried.",
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


OpenPoles = Literal["a", "b", "c", "ab", "bc", "ac"]
