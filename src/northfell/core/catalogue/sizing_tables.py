"""Tables by which an installation code sizes equipment: capacities and their corrections, standard rows, protective conductors, raceways.

Between two rows the one on the safe side is taken; beyond a table there is None. Each file names its clause and how far it was verified.
"""

import itertools
import math
import re
from dataclasses import dataclass
from functools import cache

from northfell.core.catalogue.tables import KELVIN_AT_ZERO, gg_gates, rows, wire_row
from northfell.core.quantities import wire_size

METAL = {"copper": "Cu", "aluminium": "Al"}
GROUND = ("D1", "D2")  # reference methods in the ground
INSULATION_COLUMN = {"PVC": "PVC", "XLPE": "XLPE", "EPR": "XLPE"}
TEMPERATURE_DEGC = {"PVC": 70.0, "XLPE": 90.0, "EPR": 90.0}  # of a conductor that carries its capacity, IEC 60364-5-52
IN_AIR = ("bunched in air or enclosed", "single layer on wall or unperforated tray", "single layer on perforated tray", "single layer on ladder or cleats")
MOST_IN_LAYER = 9  # circuits, from which on the factor of a single layer stays (recalled, unverified)


# --- IEC 60364


@cache
def iec_capacities(conductor: str, insulation: str, method: str) -> dict[float, float]:
    """Current-carrying capacity by cross-section [mm² -> A], three loaded conductors, 30 degC in air, 20 degC in the ground at 2.5 K·m/W."""
    file, named = ("iec60364_5_52_ampacity_single_core.csv", "F trefoil") if method == "F" else ("iec60364_5_52_ampacity.csv", method)
    of = (METAL[conductor], INSULATION_COLUMN[insulation], named)
    return {float(r["S_mm2"]): float(r["A"]) for r in rows(file) if (r["conductor"], r["insulation"], r["method"]) == of}


@cache
def iec_sizes(conductor: str) -> tuple[float, ...]:
    """Cross-sections on offer [mm²]: those of IEC 60228 from 1.5 mm² on, of aluminium from 10 mm² on."""
    column = f"{METAL[conductor].lower()}_ohm_per_km_20C"
    return tuple(float(r["S_mm2"]) for r in rows("iec60228_class2_resistance.csv") if r[column] and float(r["S_mm2"]) >= 1.5)


@cache
def iec_ambient_factor(method: str, insulation: str, ambient_degc: float) -> float | None:
    """Factor of the ambient temperature (IEC 60364-5-52, B.52.14, B.52.15): that of the next hotter row."""
    place = "ground" if method in GROUND else "air"
    of = [r for r in rows("iec60364_5_52_ambient.csv") if (r["placement"], r["insulation"]) == (place, INSULATION_COLUMN[insulation])]
    return next((float(r["factor"]) for r in of if float(r["ambient_C"]) >= ambient_degc), None)


@cache
def iec_soil_factor(method: str, soil_k_m_per_w: float) -> float | None:
    """Factor of the thermal resistivity of the soil (B.52.16): that of the next drier row."""
    column = "in_duct_D1" if method == "D1" else "direct_D2"
    return next((float(r[column]) for r in rows("iec60364_5_52_soil.csv") if float(r["soil_Km_per_W"]) >= soil_k_m_per_w), None)


@cache
def arrangements(method: str | None = None) -> tuple[str, ...]:
    """Ways in which circuits lie beside each other, of a method or of all."""
    in_ground = tuple(dict.fromkeys(r["arrangement"] for r in rows("iec60364_5_52_grouping_ground.csv")))
    if method is None:
        return (*IN_AIR, *in_ground)
    return tuple(a for a in in_ground if method in a) if method in GROUND else IN_AIR


@cache
def iec_grouping_factor(arrangement: str, circuits: int) -> float | None:
    """Factor of circuits that lie together (B.52.17 to B.52.19): that of the next larger count."""
    if circuits <= 1:
        return 1.0
    in_air = arrangement in IN_AIR
    of = [r for r in rows(f"iec60364_5_52_grouping{'' if in_air else '_ground'}.csv") if r["arrangement"] == arrangement]
    if in_air and arrangement != IN_AIR[0]:
        circuits = min(circuits, MOST_IN_LAYER)
    return next((float(r["factor"]) for r in sorted(of, key=lambda r: int(r["circuits"])) if int(r["circuits"]) >= circuits), None)


ALPHA_PER_K = {"copper": 0.00393, "aluminium": 0.00403}


@cache
def iec_ohm_per_km(conductor: str, insulation: str, area_mm2: float, single: bool) -> tuple[float, float] | None:
    """Resistance at operating temperature, and reactance at 50 Hz, of one core [ohm/km]; None for a size that the tables lack.

    R = R20·(1 + α·(θ − 20)), R20 by IEC 60228 class 2; the reactance is typical (unverified).
    """
    r20 = next((r for r in rows("iec60228_class2_resistance.csv") if float(r["S_mm2"]) == area_mm2), None)
    x = next((r for r in rows("lv_cable_reactance_typical.csv") if float(r["S_mm2"]) == area_mm2), None)
    ohm = r20[f"{METAL[conductor].lower()}_ohm_per_km_20C"] if r20 else ""
    if not ohm or x is None:
        return None
    hot = 1 + ALPHA_PER_K[conductor] * (TEMPERATURE_DEGC[insulation] - 20)
    return float(ohm) * hot, float(x[f"X_{'single_core_trefoil' if single else 'multicore'}_ohm_per_km_50Hz"])


@cache
def disconnection_s(system: str, u0_v: float) -> float | None:
    """Greatest disconnection time of a final circuit with alternating current [s] (IEC 60364-4-41, table 41.1); None up to 50 V."""
    column = "TT_ac_s" if system == "TT" else "TN_ac_s"
    steps = (120.0, 230.0, 400.0, math.inf)
    at = next(k for k, most in enumerate(steps) if u0_v <= most)
    return None if u0_v <= 50 else float(rows("iec60364_4_41_table_41_1.csv")[at][column])


@cache
def iec_rows(kind: str) -> tuple[float, ...]:
    """Standard rated currents of a kind of device [A]: "gG", "aM", "miniature", "thermal-magnetic", "frame"."""
    named = {"gG": "gG fuse In (60269-1)", "aM": "aM fuse In", "miniature": "MCB In (60898-1)", "thermal-magnetic": "MCCB In (thermal-magnetic, usual)"}
    if kind == "frame":
        found = {float(r["value"]) for r in rows("device_ratings.csv") if r["kind"] in ("MCCB frame", "air circuit-breaker frame")}
    else:
        found = {float(r["value"]) for r in rows("device_ratings.csv") if (r["school"], r["kind"]) == ("IEC", named[kind])}
    if kind in ("gG", "aM"):  # those whose times are known
        found &= set(gg_gates())
    return tuple(sorted(found))


@cache
def gg_operates_a(i_rated_a: float, t_s: float) -> float:
    """Current at which a gG fuse-link has operated within a time between 0.1 and 5 s [A]: chord of the latest gates in log-log (IEC 60269-1)."""
    gates = gg_gates()[i_rated_a]
    return _chord(((0.1, gates.i_max_01s_a), (5.0, gates.i_max_5s_a)), t_s)


@cache
def am_operates_a(i_rated_a: float, t_s: float) -> float:
    """The same of an aM fuse-link, by its greatest gates at 60, 0.5 and 0.1 s (IEC 60269-2)."""
    late = [(float(r["time_s"]), float(r["I_over_In"]) * i_rated_a) for r in rows("iec60269_aM_gates.csv") if r["kind"] == "must have melted by"]
    return _chord(tuple(sorted(late)), t_s)


@cache
def am_holds_s(i_rated_a: float, i_a: float) -> float:
    """Time for which an aM fuse-link holds a current for certain [s], by its least gates; infinite below them, 0 beyond."""
    early = [(float(r["time_s"]), float(r["I_over_In"]) * i_rated_a) for r in rows("iec60269_aM_gates.csv") if r["kind"] == "must not melt before"]
    return _holds(early, i_a)


def gg_holds_s(i_rated_a: float, i_a: float) -> float:
    """Time for which a gG fuse-link holds a current for certain [s], by its gates at 10 and 0.1 s; infinite below its conventional non-fusing current."""
    gates = gg_gates()[i_rated_a]
    early = [(10.0, gates.i_min_10s_a), (0.1, gates.i_min_01s_a)]
    return math.inf if i_a <= gates.nonfusing_x * i_rated_a else 10.0 if i_a <= gates.i_min_10s_a else _holds(early, i_a)


def _holds(gates: list[tuple[float, float]], i_a: float) -> float:
    """Time on the chord of gates (time, current), longest first; infinite below the first, 0 beyond the last."""
    by_current = sorted(gates, key=lambda g: g[1])
    if i_a < by_current[0][1]:
        return math.inf
    for (t0, i0), (t1, i1) in itertools.pairwise(by_current):
        if i_a <= i1:
            return math.exp(math.log(t0) + (math.log(t1) - math.log(t0)) * math.log(i_a / i0) / math.log(i1 / i0))
    return 0.0


def _chord(gates: tuple[tuple[float, float], ...], t_s: float) -> float:
    """Current at a time between gates (time, current) that rise in time; the nearest gate beyond them."""
    for (t0, i0), (t1, i1) in itertools.pairwise(gates):
        if t0 <= t_s <= t1:
            return math.exp(math.log(i0) + (math.log(i1) - math.log(i0)) * math.log(t_s / t0) / math.log(t1 / t0))
    return gates[0][1] if t_s < gates[0][0] else gates[-1][1]


# --- NEC


@dataclass(frozen=True)
class Wire:
    """A size of NEC chapter 9, table 8."""

    key: str  # as the tables name it: "4", "2/0", "350"
    label: str  # "4 AWG", "350 kcmil"
    area_mm2: float
    area_cmil: float


@cache
def nec_sizes() -> tuple[Wire, ...]:
    """Sizes of NEC 310.16, 14 AWG to 2000 kcmil."""
    listed = {r["size"] for r in rows("nec_310_16_ampacity.csv")}
    return tuple(
        Wire(
            r["size"], wire_size(float(r["area_mm2"])), float(r["area_mm2"]), float(r["area_cmil"] or 0) or 1000 * float(r["size"]),
        )
        for r in rows("nec_ch9_table8_dc_resistance.csv") if r["size"] in listed
    )  # fmt: skip


@cache
def nec_wire(area_mm2: float) -> Wire | None:
    """The size that a cross-section is, or None."""
    label = wire_size(area_mm2)
    return next((w for w in nec_sizes() if w.label == label), None)


@cache
def nec_wire_by_key(key: str) -> Wire:
    return next(w for w in nec_sizes() if w.key == key)


@cache
def nec_capacities(conductor: str, column_degc: int) -> dict[str, float]:
    """Ampacity by size of a temperature column (NEC 310.16), 30 degC, up to three current-carrying conductors."""
    column = f"{METAL[conductor].lower()}_{column_degc}C_A"
    return {r["size"]: float(r[column]) for r in rows("nec_310_16_ampacity.csv") if r[column]}


@cache
def nec_ambient_factor(column_degc: int, ambient_degc: float) -> float | None:
    """Factor of the ambient temperature (NEC 310.15(B)(1)); None where that insulation is not for it."""
    row = next((r for r in rows("nec_ambient_correction_30C.csv") if ambient_degc <= float(r["ambient_to_C"])), None)
    return float(row[f"rated_{column_degc}C"]) if row and row[f"rated_{column_degc}C"] else None


@cache
def nec_bundling_factor(carrying: int) -> float:
    """Factor of the current-carrying conductors in one raceway (NEC 310.15(C)(1))."""
    row = next(r for r in rows("nec_bundling_adjustment.csv") if not r["current_carrying_to"] or carrying <= int(r["current_carrying_to"]))
    return float(row["factor"])


RACEWAY_COLUMN = {
    "EMT": "steel", "RMC": "steel", "IMC": "steel", "FMC": "steel", "LFMC": "steel", "PVC40": "pvc", "PVC80": "pvc", "aluminium conduit": "al_conduit",
}  # fmt: skip


@cache
def nec_ohm_per_kft(conductor: str, area_mm2: float, raceway: str) -> tuple[float, float] | None:
    """Resistance at 75 degC and reactance at 60 Hz to neutral [ohm/1000 ft] (NEC chapter 9, table 9); None for a size without a row."""
    row, column = wire_row("nec_ch9_table9_impedance.csv", area_mm2), RACEWAY_COLUMN.get(raceway)
    ohm = row[f"R{METAL[conductor].lower()}_{column}"] if row and column else ""
    return (float(ohm), float(row["XL_steel" if column == "steel" else "XL_pvc_or_al_conduit"])) if row and ohm else None


@cache
def nec_egc(device_a: float, conductor: str) -> Wire | None:
    """Least equipment grounding conductor by the rating of the device (NEC 250.122(A)); None above the table."""
    row = next((r for r in rows("nec_250_122_egc.csv") if device_a <= float(r["ocpd_A_to"])), None)
    return nec_wire_by_key(row["cu" if conductor == "copper" else "al"]) if row else None


@cache
def nec_bonding(area_mm2: float, conductor: str) -> tuple[str, bool]:
    """Least copper bonding jumper or electrode conductor by the area of the supply conductors (NEC 250.66, 250.102(C)).

    With it, whether the supply is beyond the table: there the electrode conductor stays, and a jumper takes an eighth of the area.
    """
    short = "cu" if conductor == "copper" else "al"
    for r in rows("nec_250_66_250_102.csv"):
        most = r[f"supply_{short}_to"]
        if most and area_mm2 <= nec_wire_by_key(most).area_mm2 * 1.001:
            return r["cu"], False
    return "3/0", True


@cache
def raceway_sizes_in2(kind: str) -> tuple[tuple[str, float], ...]:
    """Trade sizes of a raceway with their inside area as printed [in²] (NEC chapter 9, table 4)."""
    named = "RMC" if kind == "aluminium conduit" else kind
    return tuple((r["trade_size"], float(r["area_in2"])) for r in rows("conduit_inside_area.csv") if r["kind"] == named)


IEC_RACEWAYS = ("plastic conduit", "trunking")
TRUNKING = re.compile(r"^(\d{1,4}(?:[.,]\d{1,2})?) ?[x×] ?(\d{1,4}(?:[.,]\d{1,2})?)$")


@cache
def iec_raceway_sizes_mm2(kind: str, entered: str) -> tuple[tuple[str, float], ...]:
    """Sizes of a conduit by outside diameter [mm], with inside area [mm²] (IEC 60423; bores of usual ones, uncertain); of a trunking the one entered."""
    if kind == "trunking":
        sides = TRUNKING.match(entered)
        return ((entered, math.prod(float(s.replace(",", ".")) for s in sides.groups())),) if sides else ()
    return tuple((r["metric_designator"], float(r["area_mm2"])) for r in rows("conduit_inside_area.csv") if r["kind"] == "IEC_plastic_medium_typical")


@cache
def wire_area_in2(wire_type: str, key: str) -> float | None:
    """Area of an insulated conductor [in²] (NEC chapter 9, table 5)."""
    found = (r for r in rows("nec_ch9_table5_conductor_area.csv") if (r["insulation"], r["size"]) == (wire_type, key))
    return next((float(r["area_in2"]) for r in found), None)


@cache
def nec_motor_amperes() -> tuple[tuple[float, dict[int, float]], ...]:
    """Full-load current of three-phase motors by rated power [hp] and voltage [V -> A] (NEC 430.250)."""
    found = []
    for r in rows("nec_430_250_motor_flc.csv"):
        found.append((float(r["hp"]), {int(k[2:-1]): float(v) for k, v in r.items() if k.startswith("A_") and v}))
    return tuple(found)


@cache
def nec_standard_a() -> tuple[float, ...]:
    """Standard ratings of fuses and inverse-time breakers [A] (NEC 240.6(A))."""
    return tuple(sorted(float(r["A"]) for r in rows("nec_240_6_standard_ratings.csv") if "breaker" in r["kind"]))


@cache
def transformer_rows(school: str) -> tuple[float, ...]:
    """Rated powers of three-phase transformers [kVA]: IEC 60076-1 R10, or North-American practice."""
    return tuple(sorted({float(r["kVA"]) for r in rows("transformer_kva_rows.csv") if r["school"] == school and r["phases"] == "3"}))


def resistance_ratio(conductor: str, t_degc: float, t_from_degc: float) -> float:
    """Resistance at one temperature over that at another."""
    t_zero = KELVIN_AT_ZERO[conductor]
    return (t_zero + t_degc) / (t_zero + t_from_degc)
