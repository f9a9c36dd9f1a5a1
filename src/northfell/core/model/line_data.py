"""What lines are made of: wires, and the geometries in which they hang or lie. Both are kept as catalogue entries."""

from typing import ClassVar, Literal

from pydantic import BaseModel

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.declare.rows import Row, Rows
from northfell.core.model.elements.base import RECORD, Name

# Declarations read as a table.
# fmt: off

SCREENED = ("concentric neutral", "tape shield")
OF_STRANDS, OF_TAPE, OF_SCREENED = When("build", ("concentric neutral",)), When("build", ("tape shield",)), When("build", SCREENED)
USED = "line constants"


class Wire(BaseModel):
    """One conductor of a line, or one single-core cable with its screen."""

    model_config = RECORD
    TITLE: ClassVar[str] = "Wire of a line"
    build: Literal["bare", "insulated", "concentric neutral", "tape shield"] = param(
        "bare", label="Build", section="Construction", meaning="Insulated: without a screen; its insulation is left out of the capacitance.", enters=USED
    )
    material: Literal["copper", "aluminium", "aluminium alloy", "aluminium and steel", "steel"] | None = param(
        None, label="Conductor", section="Construction", meaning="Told beside its figures."
    )
    area_mm2: float | None = param(None, label="Cross-section", symbol="S", unit="mm²", gt=0, le=3000, section="Construction", meaning="Nominal.")
    d_mm: float | None = param(
        None, label="Diameter", symbol="d", unit="mm", gt=0, le=200, section="Construction", meaning="Outside diameter of the conductor itself.",
        enters="potential coefficients, skin effect; GMR where none is entered"
    )
    gmr_mm: float | None = param(
        None, label="Geometric mean radius", symbol="GMR", unit="mm", gt=0, le=100, section="Impedance",
        meaning="Empty: that of a solid round wire, e^(−1/4) of its radius, marked as assumed.", enters="Z = … ln(S/D), own distance"
    )
    r_ohm_per_km: float | None = param(
        None, label="Resistance", symbol="R′", unit="ohm/km", ge=0, le=100, section="Impedance", meaning="With alternating current at the temperature of use.",
        enters="Z, diagonal"
    )
    t_degc: float | None = param(
        None, label="Temperature of the resistance", symbol="θ", unit="degC", ge=-50, le=250, section="Impedance",
        meaning="At which the resistance is stated. Empty: it is taken as it stands where one at 20 °C is asked for.", enters="R20 = R/(1 + 0.004·(θ − 20 °C))"
    )
    r_dc_ohm_per_km: float | None = param(
        None, label="Resistance, direct current", symbol="R′dc", unit="ohm/km", gt=0, le=100, section="Impedance",
        meaning="At the temperature of use; for the internal impedance by skin effect.", enters="internal impedance, where the study asks for skin effect"
    )
    i_rated_a: float | None = param(None, label="Rated current", symbol="Ir", unit="A", gt=0, le=10000, section="Rating", meaning="That it carries for good.")
    i_emergency_a: float | None = param(
        None, label="Emergency current", symbol="Ie", unit="A", gt=0, le=10000, section="Rating", meaning="That it carries for the hours that are permitted."
    )
    strands: int | None = param(
        None, label="Strands of the neutral", symbol="k", ge=1, le=200, section="Construction", acts_when=OF_STRANDS,
        meaning="Round wires around the insulation.",
        enters="GMR = (GMRs·k·R^(k−1))^(1/k)"
    )
    d_strand_mm: float | None = param(
        None, label="Diameter of a strand", symbol="ds", unit="mm", gt=0, le=20, section="Construction", acts_when=OF_STRANDS, meaning="Of one wire.",
        enters="R = (D − ds)/2"
    )
    r_strand_ohm_per_km: float | None = param(
        None, label="Resistance of a strand", symbol="R′s", unit="ohm/km", gt=0, le=1000, section="Impedance", acts_when=OF_STRANDS, meaning="Of one wire.",
        enters="r = R′s/k"
    )
    gmr_strand_mm: float | None = param(
        None, label="GMR of a strand", symbol="GMRs", unit="mm", gt=0, le=20, section="Impedance", acts_when=OF_STRANDS,
        meaning="Empty: that of a solid round wire.", enters="GMR of the neutral"
    )
    d_outside_mm: float | None = param(
        None, label="Diameter over the strands", symbol="D", unit="mm", gt=0, le=300, section="Construction", acts_when=OF_STRANDS,
        meaning="Over the neutral, without a jacket.", enters="R = (D − ds)/2"
    )
    d_shield_mm: float | None = param(
        None, label="Diameter of the tape", symbol="ds", unit="mm", gt=0, le=300, section="Construction", acts_when=OF_TAPE, meaning="Outside.",
        enters="GMR = (ds − T)/2"
    )
    t_tape_mm: float | None = param(
        None, label="Thickness of the tape", symbol="T", unit="mm", gt=0, le=10, section="Construction", acts_when=OF_TAPE, meaning="Of one layer.",
        enters="r = ρ/(π·ds·T)"
    )
    rho_tape_ohm_m: float = param(
        2.3715e-8, label="Resistivity of the tape", symbol="ρs", unit="ohm·m", gt=0, le=1e-5, section="Impedance", acts_when=OF_TAPE,
        meaning="As printed feeders take it; annealed copper at 50 °C has 1.93e-8.", enters="r = ρ/(π·ds·T)"
    )
    eps_r: float = param(
        2.3, label="Permittivity of the insulation", symbol="εr", ge=1, le=10, section="Construction", acts_when=OF_SCREENED,
        meaning="Relative; 2.3 is usual of cross-linked polyethylene.", enters="capacitance of the core to its screen"
    )


class Place(Row):
    """One conductor of a geometry."""

    NAMED_BY: ClassVar[str] = "name"
    name: Name = param(
        label="Name", meaning="a, b, c of a circuit, with the same ending of a further one (a2, b2, c2); n, or any other, of neutrals and earth wires."
    )
    x_m: float = param(label="Across", symbol="x", unit="m", ge=-1000, le=1000, meaning="From the middle of the line.")
    y_m: float = param(label="Height", symbol="h", unit="m", ge=-100, le=500, meaning="Above the ground, mean of the sag; below it negative.")
    wire: Name = param(label="Wire", meaning="Name of a catalogue entry.")
    fate: Literal["kept", "earthed", "open"] = param(
        "kept", label="In the result", meaning="Earthed: at no voltage all along, and eliminated; open: it carries nothing, and is left out."
    )
    bundle: int = param(1, label="In a bundle", symbol="n", ge=1, le=12, meaning="Wires of one conductor.")
    spacing_mm: float | None = param(None, label="Spacing of the bundle", unit="mm", gt=0, le=2000, meaning="Between neighbours on the circle.")


class Geometry(BaseModel):
    """Where the wires of a line hang on its pole, or lie in the ground."""

    model_config = RECORD
    TITLE: ClassVar[str] = "Geometry of a line"
    conductors: Rows[Place] = param([], label="Conductors", section="Construction", meaning="In the order of the matrices.", enters=USED)
    screens: Literal["earthed", "kept"] = param(
        "earthed", label="Screens of cables", section="Earthing", meaning="Earthed all along and eliminated, or kept beside the conductors.", enters=USED
    )
    rho_ohm_m: float | None = param(
        None, label="Resistivity of the earth", symbol="ρ", unit="ohm·m", gt=0, le=100000, section="Earthing",
        meaning="Empty: that of the study settings.", enters="m = √(ωμ0/ρ)"
    )
    order: Literal["as it hangs", "transposed"] = param(
        "as it hangs", label="Order of the phases", section="Construction", meaning="Transposed: the conductors of each circuit change places along the way.",
        enters="means of the diagonal and of the others"
    )


# fmt: on
LINE_DATA: dict[str, type[BaseModel]] = {"wire": Wire, "geometry": Geometry}
