"""Branches: two-winding and auto-transformers, conductors, series reactors, and branches given in per unit."""

import re
from typing import Annotated, Literal

from pydantic import AfterValidator

from northfell.core.model.declare.parameters import When, param
from northfell.core.model.declare.rows import Row, Rows
from northfell.core.model.elements import by_phase
from northfell.core.model.elements import tap_changer as tap
from northfell.core.model.elements.base import AF, IEC, LF, SC, About, Element, Neutral, Phrase, Reference, neutral, neutral_ohm, terminal

# Declarations read as a table.
# fmt: off

OPEN_GROUPS = tuple(f"{hv}{lv}{clock}" for hv in ("Y", "YN") for lv in ("y", "yn") for clock in (0, 2, 4, 6, 8, 10))  # no winding in delta
IN_CODE, NEC = "IEC 60364-5-52", "NEC 2023"
Arrangement = Literal[  # as the tables of grouping name them; a test holds them equal
    "bunched in air or enclosed",
    "single layer on wall or unperforated tray",
    "single layer on perforated tray",
    "single layer on ladder or cleats",
    "direct in ground D2, touching",
    "direct in ground D2, one cable diameter apart",
    "direct in ground D2, 0.125 m apart",
    "direct in ground D2, 0.25 m apart",
    "direct in ground D2, 0.5 m apart",
    "single-way ducts D1, touching",
    "single-way ducts D1, 0.25 m apart",
    "single-way ducts D1, 0.5 m apart",
    "single-way ducts D1, 1.0 m apart",
]
IN_GROUND = When("method", ("D1", "D2"))
VECTOR_GROUP = re.compile(r"^(D|YN?|ZN?)(d|yn?|zn?)(0|1|2|3|4|5|6|7|8|9|10|11)$")


def _vector_group(text: str) -> str:
    if not VECTOR_GROUP.match(text):
        raise ValueError("a vector group such as Dyn11, YNd5 or Yyn0")
    return text


class HarmonicCurrent(Row):
    """One harmonic of what a transformer feeds."""

    order: int = param(label="Order", symbol="h", ge=2, le=100, meaning="Of the fundamental frequency.")
    pct: float = param(label="Current", symbol="Ih/I1", unit="%", ge=0, le=100, meaning="Of the fundamental current.")


class Transformer(Element):
    """A two-winding transformer."""

    TITLE, TERMINALS, LETTER = "Two-winding transformer", ("hv_bus", "lv_bus"), "T"
    ABOUT = About(
        group="Transformers", short="Two-wind.", words={"tx": {}, "transformer": {}}, example="tx 33/11 10 MVA 10% Dyn11",
        typed={"apparent power": "s_rated_mva", "ratio": "uk_pct", "resistance": "neutral_lv_ohm"}, count="parallel",
        data=(("s_rated_mva", "MVA"), ("vector_group", "")), depth=8.0
    )
    kind: Literal["transformer"] = "transformer"
    hv_bus: Reference = terminal("High-voltage side", "Bus at the high-voltage terminals.")
    lv_bus: Reference = terminal("Low-voltage side", "Bus at the low-voltage terminals.")
    s_rated_mva: float | None = param(
        None, label="Rated power", symbol="SrT", unit="MVA", gt=0, le=5000, needed_for=(LF, SC, AF), replaced_by="bank_units",
        meaning="Rated apparent power of one unit.",
        enters="ZT = ukr·UrT²/SrT; loading = S/(n·SrT)"
    )
    v_hv_kv: float | None = param(
        None, label="Rated voltage, high side", symbol="UrTHV", unit="kV", gt=0, le=1200, needed_for=(LF, SC, AF), replaced_by="bank_units",
        meaning="Rated line-to-line voltage at the main tap.",
        enters="ZT = ukr·UrT²/SrT; ratio UrTHV/UrTLV"
    )
    v_lv_kv: float | None = param(
        None, label="Rated voltage, low side", symbol="UrTLV", unit="kV", gt=0, le=1200, needed_for=(LF, SC, AF), replaced_by="bank_units",
        meaning="Rated line-to-line voltage.",
        enters="ZT = ukr·UrT²/SrT; ratio UrTHV/UrTLV"
    )
    vector_group: Annotated[str, AfterValidator(_vector_group)] | None = param(
        None, label="Vector group", section="Rating", needed_for=(LF, SC, AF), replaced_by="bank_units", typical="transformer_vector_group",
        meaning="Connection and clock number; the low side lags by 30 degrees times the clock number.", source="IEC 60076-1",
        enters="phase shift e^(j·30°·clock) in load flow"
    )
    parallel: int = param(
        1, label="Units in parallel", symbol="n", ge=1, le=50, meaning="Count of identical units that this symbol stands for.",
        enters="Z = Z of one / n; ratings times n"
    )
    uk_pct: float | None = param(
        None, label="Impedance voltage", symbol="ukr", unit="%", gt=0, le=100, section="Impedance", needed_for=(LF, SC, AF), replaced_by="bank_units",
        typical="transformer_uk",
        meaning="Short-circuit voltage at rated current, main tap.", source=IEC,
        enters="|ZT| = ukr/100·UrT²/SrT"
    )
    load_loss_kw: float | None = param(
        None, label="Load losses", symbol="PkrT", unit="kW", ge=0, le=50000, section="Impedance",
        meaning="At rated current, one unit. Gives the resistive part of the impedance; goes before the field below.", source=IEC,
        enters="uRr = PkrT/SrT; uXr = √(ukr² − uRr²)"
    )
    ur_pct: float | None = param(
        None, label="Resistive part", symbol="uRr", unit="%", ge=0, le=100, section="Impedance", needed_for=(LF, SC, AF), replaced_by="load_loss_kw bank_units",
        typical="transformer_ur", meaning="Resistive part of the impedance voltage.", source=IEC,
        enters="RT = uRr/100·UrT²/SrT"
    )
    cooling: Literal["ONAN", "ONAN/ONAF", "KNAN", "KNAN/KNAF", "AN", "AN/AF"] | None = param(
        None, label="Cooling", meaning="Natural cooling, and forced cooling behind the stroke where there are fans.", source="IEC 60076-2, IEC 60076-11",
        enters="the forced-cooled rating follows from it where the nameplate gives none"
    )
    rise: Literal["55 K", "65 K", "55/65 K"] | None = param(
        None, label="Temperature rise", meaning="Average winding rise of the rated power; with two, the rated power is that of the lower one.",
        enters="55/65 K: 1.12 times the rated power at 65 K (unverified)"
    )
    s_forced_mva: float | None = param(
        None, label="Rated power with fans", symbol="SrT,f", unit="MVA", gt=0, le=5000, acts_when=When("cooling", ("ONAN/ONAF", "KNAN/KNAF", "AN/AF")),
        meaning="As on the nameplate. Empty: see the derived value.", enters="loading = S/(n·SrT,f) while the fans run"
    )
    fans_run: bool = param(
        False, label="Fans run", section="Operation", in_state=True, acts_when=When("cooling", ("ONAN/ONAF", "KNAN/KNAF", "AN/AF")),
        meaning="With the fans running, loading is judged against the rated power with fans.", enters="which rated power a loading is of"
    )
    s_emergency_mva: float | None = param(
        None, label="Emergency rating", symbol="SrT,e", unit="MVA", gt=0, le=5000,
        meaning="What one unit may carry for the time of an emergency. Empty: the continuous rating counts there too.",
        enters="loading with an element out is held against n·SrT,e"
    )
    harmonics: Rows[HarmonicCurrent] = param(
        [], label="Harmonics of its load", section="Circuit", source="EN 50464-3; IEEE C57.110",
        meaning="Currents of what it feeds. Empty: none are counted.", enters="sizing: K by EN 50464-3, FHL and what is left of the rating by IEEE C57.110"
    )
    eddy_pct: float = param(
        10.0, label="Eddy losses", symbol="e", unit="%", ge=0, le=100, section="Circuit", source="EN 50464-3 (0.1 usual); IEEE C57.110",
        meaning="At rated current and frequency, of the ohmic losses; by IEEE those at the hottest place.", enters="sizing: K and what is left of the rating"
    )
    lv_winding: Literal["wire", "foil"] = param(
        "wire", label="Low-voltage winding", section="Circuit", source="EN 50464-3 (uncertain)", meaning="Round or rectangular wire, or foil.",
        enters="sizing: exponent q of K, 1.7 or 1.5"
    )
    no_load_loss_kw: float | None = param(
        None, label="No-load losses", symbol="P0", unit="kW", ge=0, le=5000, section="Impedance",
        meaning="Losses in the core, one unit. Empty: left out of load flow.",
        enters="magnetising branch: G = P0/UrT²"
    )
    no_load_current_pct: float | None = param(
        None, label="No-load current", symbol="i0", unit="%", ge=0, le=50, section="Impedance",
        meaning="Magnetising current in percent of the rated current. Empty: left out of load flow.",
        enters="magnetising branch: B = −√(i0² − g²)·SrT/UrT²"
    )
    tap_pct: float = tap.tap_pct()
    tap_side: Literal["high side", "low side"] = tap.tap_side()
    tap_changer: Literal["off load", "holds voltage", "holds reactive flow", "follows another"] = tap.tap_changer()
    tap_lowest_pct: float | None = tap.tap_lowest_pct()
    tap_highest_pct: float | None = tap.tap_highest_pct()
    tap_step_pct: float | None = tap.tap_step_pct()
    tap_held: Literal["low side", "high side", "another bus"] = tap.tap_held()
    tap_bus: Reference | None = tap.tap_bus()
    tap_v_set_pu: float = tap.tap_v_set_pu()
    tap_band_pct: float = tap.tap_band_pct()
    tap_drop_r_ohm: float = tap.tap_drop_ohm("resistance", "R")
    tap_drop_x_ohm: float = tap.tap_drop_ohm("reactance", "X")
    tap_circulating_pct: float = tap.tap_circulating_pct()
    tap_q_set_mvar: float = tap.tap_q_set_mvar()
    tap_q_band_mvar: float = tap.tap_q_band_mvar()
    tap_master: Reference | None = tap.tap_master()
    z0_over_z1: float | None = param(
        None, label="Zero over positive sequence", symbol="Z0/Z1", gt=0, le=20, section="Earthing", wanted_for=(SC,), typical="transformer_z0", source=IEC,
        meaning="Impedance in the zero sequence between a winding that lets earth current in and the rest, of the impedance in the positive one.",
        enters="Z0T = (Z0/Z1)·ZT·KT in earth faults"
    )
    core: Literal["three-limb", "five-limb or shell", "three single-phase"] | None = param(
        None, label="Core", section="Earthing", wanted_for=(SC,), typical="transformer_core", acts_when=When("vector_group", OPEN_GROUPS),
        meaning="Where no winding is in delta, the core decides how much zero-sequence flux has a way back.", source="IEC 60076-8 (values unverified)",
        enters="magnetising impedance of the zero sequence: 60 % of the rating with three limbs, else 3000 % (unverified)"
    )
    p_t_pct: float = param(
        0.0, label="Tap in permanent use", symbol="pT", unit="%", ge=0, le=20, section="Impedance", acts_when=When("tap_changer", ("off load",)),
        meaning="Of the transformer of a power station unit without on-load tap changer, where a tap off the main one is used for good.", source=IEC,
        enters="KSO: factor 1 − pT, the highest current"
    )
    neutral_hv: Neutral | None = neutral("Star point, high side", "How the high-side star point is earthed.")
    neutral_hv_ohm: float | None = neutral_ohm("Earthing impedance, high side", "neutral_hv")
    neutral_lv: Neutral | None = neutral("Star point, low side", "How the low-side star point is earthed.")
    neutral_lv_ohm: float | None = neutral_ohm("Earthing impedance, low side", "neutral_lv")
    bank_units: Rows[by_phase.TransformerUnit] = by_phase.units_of_a_bank()


class Autotransformer(Transformer):
    """A transformer whose two sides share a winding."""

    TITLE, TERMINALS, LETTER = "Autotransformer", ("hv_bus", "lv_bus"), "T"
    ABOUT = About(
        group="Transformers", short="Auto", words={"autotx": {}, "autotransformer": {}}, example="autotx 132/66 40 MVA 8%",
        typed={"apparent power": "s_rated_mva", "ratio": "uk_pct", "resistance": "neutral_lv_ohm"}, count="parallel",
        data=(("s_rated_mva", "MVA"), ("vector_group", "")), depth=8.0
    )
    kind: Literal["autotransformer"] = "autotransformer"  # type: ignore[assignment]
    vector_group: Literal["YNa0", "Ya0"] | None = param(
        None, label="Vector group", section="Rating", needed_for=(LF, SC, AF), typical="auto_vector_group",
        meaning="Both sides are in phase; N where the common star point is brought out.", source="IEC 60076-1",
        enters="phase shift e^(j·30°·clock) in load flow"
    )


class Conductor(Element):
    """What cables, overhead lines and busbar trunking share."""

    TERMINALS, LETTER = ("from_bus", "to_bus"), "W"
    from_bus: Reference = terminal("From", "Bus at the first end.")
    to_bus: Reference = terminal("To", "Bus at the second end.")
    length_m: float | None = param(
        None, label="Length", symbol="l", unit="m", gt=0, le=1e6, needed_for=(LF, SC, AF), meaning="Route length.", enters="Z = Z′·l/n; B = B′·l·n"
    )
    parallel: int = param(
        1, label="Parallel per phase", symbol="n", ge=1, le=50, meaning="Identical cables or lines in parallel.", enters="Z = Z of one / n; ratings times n"
    )
    i_rated_a: float | None = param(
        None, label="Current-carrying capacity", symbol="Iz", unit="A", gt=0, le=20000, typical="conductor_capacity", wanted_for=(LF,),
        meaning="Of one cable or line as installed, all factors applied. Empty: loading is not judged.",
        enters="loading = I/(n·Iz)"
    )
    i_emergency_a: float | None = param(
        None, label="Emergency capacity", symbol="Ie", unit="A", gt=0, le=20000,
        meaning="What one cable or line may carry for the time of an emergency. Empty: the continuous capacity counts there too.",
        enters="loading with an element out is held against n·Ie"
    )
    i_short_time_ka: float | None = param(
        None, label="Short-time current, 1 s", symbol="Ith,1s", unit="kA", gt=0, le=1000, section="Short-circuit rating",
        meaning="Of one cable or line, for one second. Empty: by material, insulation and cross-section.", source="IEC 60364-4-43, IEC 60949",
        enters="duty: Ith²·t against (n·Ith,1s)²·1 s; empty: (n·k·S)²"
    )
    r_ohm_per_km: float | None = param(
        None, label="Resistance at 20 °C", symbol="R′L", unit="ohm/km", ge=0, le=100, section="Impedance", needed_for=(LF, SC, AF),
        replaced_by="matrix geometry",
        typical="conductor_r", meaning="Positive sequence, per conductor at 20 °C.",
        enters="RL = R′·l/n·(1 + α·(θ − 20 °C)), α = 0.004/K"
    )
    x_ohm_per_km: float | None = param(
        None, label="Reactance", symbol="X′L", unit="ohm/km", ge=0, le=10, section="Impedance", needed_for=(LF, SC, AF),
        replaced_by="matrix geometry", typical="conductor_x",
        meaning="Positive sequence, at the frequency of the network.",
        enters="XL = X′·l/n"
    )
    r0_ohm_per_km: float | None = param(
        None, label="Resistance, zero sequence", symbol="R′(0)", unit="ohm/km", ge=0, le=100, section="Earthing", typical="conductor_r0", wanted_for=(SC,),
        replaced_by="matrix geometry",
        meaning="At 20 °C, with the way back through earth, sheath and earth wires.", source=IEC, enters="Z0 = (R′(0) + jX′(0))·l/n in earth faults"
    )
    x0_ohm_per_km: float | None = param(
        None, label="Reactance, zero sequence", symbol="X′(0)", unit="ohm/km", ge=0, le=50, section="Earthing", typical="conductor_x0", wanted_for=(SC,),
        replaced_by="matrix geometry",
        meaning="At the frequency of the network, with the way back through earth, sheath and earth wires.", source=IEC,
        enters="Z0 = (R′(0) + jX′(0))·l/n in earth faults"
    )
    c0_uf_per_km: float | None = param(
        None, label="Capacitance to earth", symbol="C′(0)", unit="µF/km", ge=0, le=10, section="Earthing", typical="conductor_c0", wanted_for=(SC,),
        replaced_by="matrix geometry",
        meaning="Of one conductor to earth. It carries the fault current where no star point is earthed solidly.", source=IEC,
        enters="B0 = 2πf·C′(0)·l·n in earth faults, where no star point of the part is earthed solidly"
    )
    c_uf_per_km: float | None = param(
        None, label="Capacitance", symbol="C′", unit="µF/km", ge=0, le=10, section="Impedance",
        meaning="Positive sequence. Empty: charging is left out of load flow.",
        enters="charging B = 2πf·C′·l·n, half at each end, in load flow"
    )
    t_operating_degc: float | None = param(
        None, label="Operating temperature", symbol="θ", unit="degC", ge=-50, le=250, section="Impedance",
        meaning="Conductor temperature for load flow. Empty: the resistance at 20 °C is used as it stands.",
        enters="R = R20·(1 + α·(θ − 20 °C)), load flow"
    )
    t_end_degc: float | None = param(
        None, label="Temperature at end of fault", symbol="θe", unit="degC", ge=20, le=400, section="Impedance", needed_for=(SC, AF),
        typical="conductor_end_temperature", meaning="Conductor temperature at the end of the short circuit, for minimum currents.", source=IEC,
        enters="R = R20·(1 + α·(θe − 20 °C)), minimum case"
    )
    conductor: Literal["copper", "aluminium"] | None = param(
        None, label="Conductor", section="Construction", typical="conductor_material", meaning="Material; finds typical resistance.",
        enters="R′ by IEC 60228, where it is filled in"
    )
    area_mm2: float | None = param(
        None, label="Cross-section", symbol="S", unit="mm²", gt=0, le=3000, section="Construction",
        meaning="Nominal cross-section; finds typical resistance and reactance.",
        enters="R′ by IEC 60228 and typical reactance, where they are filled in"
    )
    conductors: by_phase.Conductors | None = by_phase.conductors_joined()
    matrix: Rows[by_phase.MatrixCell] = by_phase.matrix_of_a_line()
    geometry: Phrase = param(
        "", label="Geometry", section="Impedance", meaning="Name of a geometry of the catalogue.", enters="load flow by phase: Z and B of its conductors"
    )
    electrode_ohm: float | None = by_phase.electrode_ohm()
    electrode_every_m: float | None = by_phase.electrode_every_m()


class Cable(Conductor):
    """A cable."""

    TITLE = "Cable"
    ABOUT = About(
        group="Conductors", words={"cable": {}}, example="cable 240 al xlpe 350 m", typed={"length": "length_m", "area": "area_mm2", "current": "i_rated_a"},
        count="parallel", data=(("area_mm2", "mm²"), ("length_m", "m")), depth=7.0, same_voltage=True
    )
    kind: Literal["cable"] = "cable"
    cores: Literal["3", "3.5", "4", "5", "1"] | None = param(
        None, label="Cores", section="Construction", meaning="Cores of one cable; 1: three single-core cables make one circuit.",
        enters="finds entries of the catalogue"
    )
    v_insulation_kv: float | None = param(
        None, label="Rated voltage", symbol="U", unit="kV", gt=0, le=500, section="Construction", meaning="Line-to-line voltage for which the cable is built.",
        enters="held against the nominal voltage of the network"
    )
    insulation: Literal["PVC", "XLPE", "EPR"] | None = param(
        None, label="Insulation", section="Construction", typical="cable_insulation", meaning="Finds the typical temperature at the end of a fault.",
        enters="the temperature at the end of a fault, where it is filled in"
    )
    wire_type: Literal["THHN/THWN-2", "XHHW-2", "RHH/RHW-2 without cover"] | None = param(
        None, label="Type by NEC", section="Construction", source=NEC,
        meaning="Of single conductors in a raceway; all three are for 90 °C. Empty: 75 °C with PVC, 90 °C with XLPE or EPR.",
        enters="sizing: temperature column of NEC 310.16; areas of chapter 9, table 5"
    )
    method: Literal["A1", "A2", "B1", "B2", "C", "D1", "D2", "E", "F"] | None = param(
        None, label="Reference method", section="Laying", source=f"{IN_CODE}, table B.52.1",
        meaning="A1, A2: in conduit in an insulating wall; B1, B2: in conduit on a wall; C: on a wall; D1: in ducts in the ground; D2: in the ground; "
        "E: in free air or on a tray; F: single cores in trefoil in free air. 1: single cores, 2: one cable.",
        enters="sizing: table of capacities It"
    )
    arrangement: Arrangement | None = param(
        None, label="Beside others", section="Laying", source=f"{IN_CODE}, B.52.17 to B.52.19",
        meaning="How the circuits that share its route lie beside each other.", enters="sizing: factor of grouping Cg"
    )
    route: Phrase = param(
        "", label="Route", section="Laying", meaning="Name of the tray, trench or raceway. Cables of one route are grouped: each set counts as a circuit.",
        enters="sizing: count of circuits for the factor of grouping"
    )
    circuits_beside: int | None = param(
        None, label="Other circuits beside it", section="Laying", ge=0, le=60,
        meaning="On the worst section of its way, those that carry little left out. Empty: counted by its route.",
        enters="sizing: count of circuits for the factor of grouping; by NEC three conductors each"
    )
    ambient_degc: float | None = param(
        None, label="Ambient temperature", symbol="θa", unit="degC", ge=-20, le=80, section="Laying", typical="cable_ambient",
        source=f"{IN_CODE}, B.52.14, B.52.15",
        meaning="Of the air, or of the ground, where it is hottest. Empty: 30 °C in air, 20 °C in the ground, marked as assumed.",
        enters="sizing: factor of temperature Ca"
    )
    soil_k_m_per_w: float | None = param(
        None, label="Thermal resistivity of the soil", symbol="ρ", unit="K·m/W", gt=0, le=3, section="Laying", typical="cable_soil",
        acts_when=IN_GROUND, source=f"{IN_CODE}, B.52.16", meaning="Empty: 2.5 K·m/W, for which the table stands, marked as assumed.",
        enters="sizing: factor of the soil Cs"
    )
    raceway: Literal["EMT", "IMC", "RMC", "FMC", "LFMC", "PVC40", "PVC80", "aluminium conduit", "plastic conduit", "trunking"] | None = param(
        None, label="Raceway", section="Laying", source=f"{NEC}, chapter 9, table 4; IEC 60423",
        meaning="Electrical metallic tubing, intermediate and rigid metal conduit, flexible and liquid-tight metal conduit, PVC of schedule 40 and 80; "
        "the last two by IEC. Circuits of one route whose raceway is of one kind share it.",
        enters="sizing by NEC: impedance of table 9; fill"
    )
    raceway_size: Phrase = param(
        "", label="Size of the raceway", section="Laying", source=f"{NEC}, chapter 9, table 4; IEC 60423",
        meaning="Trade size such as 1-1/4; outside diameter of a conduit by IEC such as 50; inside of a trunking such as 100x60, in mm. One for each set. "
        "Empty: not judged.",
        enters="sizing: fill"
    )
    d_outside_mm: float | None = param(
        None, label="Outside diameter", symbol="D", unit="mm", gt=0, le=300, section="Construction", meaning="Of one cable, as its maker gives it.",
        enters="sizing by IEC: fill of its raceway"
    )
    terminal_degc: Literal[60, 75, 90] | None = param(
        None, label="Terminals marked for", unit="degC", section="Laying", source=f"{NEC}, 110.14(C)",
        meaning="Lowest of the run. Empty: 60 °C up to 100 A, of motors and above it 75 °C.", enters="sizing by NEC: temperature column of the terminals"
    )
    pe_mm2: float | None = param(
        None, label="Protective conductor", symbol="SPE", unit="mm²", gt=0, le=3000, section="Circuit",
        meaning="Of the same metal, one for each set. Empty: taken as what the code asks for beside the line conductors.",
        source="IEC 60364-5-54, 543; NEC 250.122", enters="sizing: loop of an earth fault; held against the table"
    )
    neutral_mm2: float | None = param(
        None, label="Neutral conductor", symbol="SN", unit="mm²", gt=0, le=3000, section="Circuit", acts_when=When("with_neutral", (True,)),
        meaning="Empty: as the line conductors.", source="IEC 60364-5-52, 524.2; NEC 220.61", enters="sizing: held against what harmonics and the code ask for"
    )
    with_neutral: bool = param(
        False, label="With a neutral", section="Circuit", meaning="The circuit has a neutral conductor that carries current.",
        enters="sizing: harmonics of order three on the neutral; with NEC a fourth current-carrying conductor where loads are not linear"
    )
    harmonic_3_pct: float | None = param(
        None, label="Third harmonic", symbol="h3", unit="%", ge=0, le=100, section="Circuit",
        acts_when=When("with_neutral", (True,)), source=f"{IN_CODE}, annex E",
        meaning="Of the line current. Empty: none, marked as assumed.", enters="sizing: IN = 3·h3/100·Ib; factor 0.86"
    )
    drop_limit_pct: float | None = param(
        None, label="Voltage drop, most", unit="%", gt=0, le=50, section="Circuit",
        meaning="Of this circuit alone. Empty: as the study settings share the drop out.", enters="sizing: limit of the voltage drop"
    )
    size_kept: bool = param(
        False, label="Size is kept", section="Circuit", meaning="The engineer's own choice: sizing leaves it as it is, and says whether it keeps the rules.",
        enters="sizing: nothing is proposed for it"
    )


class Line(Conductor):
    """An overhead line."""

    TITLE = "Overhead line"
    ABOUT = About(
        group="Conductors", short="Line", words={"line": {}}, example="line 2,5 km 120 al",
        typed={"length": "length_m", "area": "area_mm2", "current": "i_rated_a"}, count="parallel", data=(("area_mm2", "mm²"), ("length_m", "m")), depth=7.0,
        same_voltage=True
    )
    kind: Literal["line"] = "line"


class Trunking(Conductor):
    """Busbar trunking, or a bus duct."""

    TITLE = "Busbar trunking"
    ABOUT = About(
        group="Conductors", short="Trunking", words={"trunking": {}, "duct": {}}, example="trunking 1600 A 25 m",
        typed={"length": "length_m", "current": "i_rated_a"}, count="parallel", data=(("i_rated_a", "A"), ("length_m", "m")), depth=7.0, same_voltage=True
    )
    kind: Literal["trunking"] = "trunking"


class SeriesReactor(Element):
    """A series reactor that limits fault currents."""

    TITLE, TERMINALS, LETTER = "Series reactor", ("from_bus", "to_bus"), "R"
    ABOUT = About(
        group="Conductors", short="Reactor", example="reactor 630 A 6%", typed={"current": "i_rated_a", "ratio": "uk_pct"},
        data=(("i_rated_a", "A"), ("uk_pct", "%")), depth=6.0, same_voltage=True
    )
    kind: Literal["series_reactor"] = "series_reactor"
    from_bus: Reference = terminal("From", "Bus at the first end.")
    to_bus: Reference = terminal("To", "Bus at the second end.")
    i_rated_a: float | None = param(
        None, label="Rated current", symbol="IrR", unit="A", gt=0, le=50000, needed_for=(LF, SC, AF), meaning="Rated current; the base of the reactance.",
        enters="XR = ukR·Un/(√3·IrR); loading = I/IrR"
    )
    uk_pct: float | None = param(
        None, label="Rated voltage drop", symbol="ukR", unit="%", gt=0, le=100, section="Impedance", needed_for=(LF, SC, AF),
        meaning="Voltage drop at rated current, of the phase voltage of its bus: XR = ukR·Un/(√3·IrR).", source=IEC,
        enters="XR = ukR·Un/(√3·IrR)"
    )
    r_over_x: float | None = param(
        None, label="R/X", symbol="RR/XR", ge=0, le=1, section="Impedance", needed_for=(LF, SC, AF), typical="reactor_r_over_x",
        meaning="Ratio of resistance to reactance.",
        enters="Z = R + jX with R = (R/X)·X"
    )


class EquivalentBranch(Element):
    """A branch given in per unit, as system data files hold it: line, or transformer with ratio and phase shift at the first end."""

    TITLE, TERMINALS, LETTER = "Equivalent branch", ("from_bus", "to_bus"), "W"
    ABOUT = About(
        needs={"r_pu": 0.0, "x_pu": 0.1}, depth=7.0
    )
    kind: Literal["equivalent_branch"] = "equivalent_branch"
    from_bus: Reference = terminal("From", "Bus at the first end, where ratio and phase shift act.")
    to_bus: Reference = terminal("To", "Bus at the second end.")
    r_pu: float = param(
        label="Resistance", symbol="r", unit="p.u.", section="Impedance", ge=-1e4, le=1e4, meaning="Series resistance on the power base.",
        enters="Z = r + jx on its power base"
    )
    x_pu: float = param(
        label="Reactance", symbol="x", unit="p.u.", section="Impedance", ge=-1e4, le=1e4, meaning="Series reactance on the power base.",
        enters="Z = r + jx on its power base"
    )
    r0_pu: float | None = param(
        None, label="Resistance, zero sequence", symbol="r0", unit="p.u.", section="Earthing", ge=-1e4, le=1e4, meaning="On the power base.",
        enters="Z0 = r0 + jx0 in earth faults"
    )
    x0_pu: float | None = param(
        None, label="Reactance, zero sequence", symbol="x0", unit="p.u.", section="Earthing", ge=-1e4, le=1e4, meaning="On the power base.",
        enters="Z0 = r0 + jx0 in earth faults"
    )
    b_pu: float = param(
        0.0, label="Charging susceptance", symbol="b", unit="p.u.", section="Impedance", ge=-1e4, le=1e4,
        meaning="Of the whole line, on the power base; half stands at each end.",
        enters="π-equivalent: Y = 1/(r + jx), jb/2 at each end"
    )
    ratio_pu: float = param(
        1.0, label="Ratio", symbol="t", unit="p.u.", gt=0.1, lt=10, section="Impedance", meaning="Off-nominal ratio at the first end.",
        enters="t at the first end of the π-equivalent"
    )
    shift_deg: float = param(
        0.0, label="Phase shift", symbol="φ", unit="deg", ge=-360, le=360, section="Impedance", meaning="The voltage at the first end leads by this angle.",
        enters="e^(jφ) at the first end of the π-equivalent"
    )
    s_base_mva: float = param(
        100.0, label="Power base", symbol="SB", unit="MVA", gt=0, le=1e5, section="Impedance", meaning="Base of the values above.",
        enters="z in ohm = z·Un²/SB"
    )
    s_rated_mva: float | None = param(
        None, label="Rating", symbol="Sr", unit="MVA", gt=0, le=1e5, meaning="Apparent power it may carry. Empty: loading is not judged.",
        enters="loading = S/Sr"
    )
