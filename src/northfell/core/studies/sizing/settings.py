"""What a project sets for sizing. Each default stands beside its reason."""

from typing import Literal

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.settings import StudySettings

# Declarations read as a table.
# fmt: off

BY_IEC, BY_NEC = When("code", ("IEC 60364",)), When("code", ("NEC 2023",))


class SizingSettings(StudySettings):
    """Settings of the sizing study."""

    STUDY, LABEL = "sizing", "Sizing"

    code: Literal["IEC 60364", "NEC 2023"] = param(
        "IEC 60364", label="Installation code", section="Sizing", meaning="By which equipment is sized and checked: the IEC 60364 family, or NEC 2023.",
        enters="which rules are applied"
    )
    earthing: Literal["TN", "TT", "IT", "IT with neutral"] = param(
        "TN", label="Earthing system", section="Sizing", acts_when=BY_IEC, source="IEC 60364-1, 312.2", meaning="Of the low-voltage installation.",
        enters="condition under which an earth fault must be cut off"
    )
    earth_electrode_ohm: float | None = param(
        None, label="Earth electrode", symbol="RA", unit="ohm", gt=0, le=10000, section="Sizing", acts_when=When("earthing", ("TT",)),
        meaning="Resistance of the electrode of the exposed parts.", source="IEC 60364-4-41, 411.5.3", enters="RA·IΔn ≤ 50 V"
    )
    loop_c: float = param(
        0.95, label="Voltage factor of the loop", symbol="c", unit="p.u.", gt=0.5, le=1.1, section="Sizing", acts_when=BY_IEC,
        source="IEC 60909-0; the clause itself has 1", meaning="Of the least current of an earth fault.", enters="Zs ≤ c·U0/Ia"
    )
    drop_feeder_pct: float = param(
        2.0, label="Voltage drop of a feeder", unit="%", gt=0, le=20, section="Sizing", meaning="Of each circuit that feeds a board: its share of the whole.",
        enters="limit of the voltage drop of feeders"
    )
    drop_total_pct: float = param(
        5.0, label="Voltage drop in all", unit="%", gt=0, le=20, section="Sizing", source="IEC 60364-5-52, 525, annex G; NEC 215.2(A), notes",
        meaning="From the transformer or the supply to what is fed. 5 % with a public supply, 8 % with one's own substation; NEC advises 5 %.",
        enters="limit of the last circuit: what the feeders before it leave"
    )
    drop_lighting_pct: float = param(
        3.0, label="The same for lighting", unit="%", gt=0, le=20, section="Sizing", source="IEC 60364-5-52, annex G",
        meaning="3 % with a public supply, 6 % with one's own substation.", enters="limit of the last circuit, where it serves lighting"
    )
    drop_branch_pct: float = param(
        3.0, label="Voltage drop of a branch circuit", unit="%", gt=0, le=20, section="Sizing", acts_when=BY_NEC, source="NEC 210.19(A), notes",
        meaning="Advised for the circuit alone.", enters="limit of the last circuit"
    )
    drop_start_pct: float = param(
        15.0, label="Voltage drop while a motor starts", unit="%", gt=0, le=50, section="Sizing", acts_when=BY_IEC,
        source="usual practice, 5 to 15 % (uncertain)", meaning="Of its own circuit.", enters="iec.start"
    )
    growth_pct: float = param(
        0.0, label="Growth", unit="%", ge=0, le=300, section="Sizing", meaning="Of the load of transformers, that is to come.", enters="xfmr.rating"
    )
    dip_pct: float = param(
        10.0, label="Dip while a motor starts", unit="%", gt=0, le=50, section="Sizing", source="usual practice, 10 to 15 % (uncertain)",
        meaning="At the board behind a transformer, while the largest motor starts that is started directly.", enters="xfmr.start"
    )
    spare_pct: float = param(
        0.0, label="Spare capacity", unit="%", ge=0, le=200, section="Sizing", meaning="That is kept in hand above the current of each circuit.",
        enters="device rating and ampacity: Ib·(1 + spare)"
    )
    conductor: Literal["copper", "aluminium"] | None = param(
        None, label="Conductors of", section="Sizing", meaning="For cables on whose card no material stands. Empty: those are named, not sized.",
        enters="material of cables without one"
    )
    insulation: Literal["PVC", "XLPE", "EPR"] | None = param(
        None, label="Insulation of", section="Sizing", meaning="For cables on whose card no insulation stands. Empty: those are named, not sized.",
        enters="insulation of cables without one"
    )
    smallest_mm2: float = param(
        0.0, label="Smallest cross-section", unit="mm²", ge=0, le=240, section="Sizing", meaning="That the project lays; 0: the code's own least one.",
        enters="iec.minimum, nec.minimum"
    )
    largest_mm2: float = param(
        300.0, label="Largest cross-section", unit="mm²", gt=1, le=1100, section="Sizing", meaning="Beyond it another set is laid in parallel.",
        enters="sizes on offer"
    )
    most_sets: int = param(6, label="Sets in parallel, most", ge=1, le=20, section="Sizing", meaning="More is refused.", enters="sets on offer")
    fuse_rule: Literal["I2 ≤ 1.45·Iz", "In ≤ Iz"] = param(
        "I2 ≤ 1.45·Iz", label="Overload by gG fuses", section="Sizing", acts_when=BY_IEC, source="IEC 60364-4-43, 433.1",
        meaning="Some national codes take the rated current of gG fuses alone.", enters="iec.1_45"
    )
    fill_pct: float = param(
        40.0, label="Fill of a raceway", unit="%", gt=0, le=100, section="Sizing", acts_when=BY_IEC,
        source="usual practice, 33 to 45 % (uncertain); 60364-5-52 has no figure", meaning="Of its inside, by the cables in it.", enters="iec.fill"
    )
    pe_by: Literal["table", "calculation"] = param(
        "table", label="Protective conductors by", section="Sizing", acts_when=BY_IEC, source="IEC 60364-5-54, 543.1",
        meaning="Table 54.2, or the heat of the fault, which may give less.", enters="iec.pe"
    )
