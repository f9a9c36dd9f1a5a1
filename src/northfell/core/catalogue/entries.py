"""The catalogue that ships with Northfell: generic equipment made from the standards' tables, under invented family names.

Shipped entries stay as they are. An entry is a set of parameter values of one kind of element, or of what lines are made of, with what it is found by.
"""

import math
from collections.abc import Iterator, Mapping
from functools import cache
from typing import Any

from northfell.core.catalogue import wires
from northfell.core.catalogue.entry import Entry
from northfell.core.catalogue.tables import KELVIN_AT_ZERO, OHM_PER_KM, rows
from northfell.core.model.changes import Set
from northfell.core.quantities import wire_size

METALS = {"Cu": "copper", "Al": "aluminium"}
LAID = {
    "B1": "single cores in conduit on a wall (B1)", "B2": "multicore in conduit on a wall (B2)", "C": "on a wall (C)", "D1": "in ducts in the ground (D1)",
    "D2": "in the ground (D2)", "E": "in free air (E)",
}  # fmt: skip

NOT_FOR = {"single": ("B2", "E"), "multicore": ("B1",)}  # reference methods of IEC 60364-5-52 are for the one or the other


@cache
def shipped() -> Mapping[str, Entry]:
    """All shipped entries by name."""
    makers = (
        _cables,
        _cables_medium_voltage,
        _cables_imperial,
        _transformers,
        _transformers_imperial,
        _motors,
        _motors_imperial,
        _fuses,
        _breakers,
        _boards,
        _relays,
        wires.bare,
        wires.concentric,
        wires.poles,
    )
    found: dict[str, Entry] = {}
    for one in (entry for maker in makers for entry in maker()):
        assert one.name not in found, one.name
        found[one.name] = one
    return found


def _cables() -> Iterator[Entry]:
    """Low-voltage cables 0.6/1 kV: resistance IEC 60228, capacity IEC 60364-5-52 with 30 degC in air, 20 degC in the ground."""
    resistance = {float(r["S_mm2"]): r for r in rows("iec60228_class2_resistance.csv")}
    reactance = {float(r["S_mm2"]): r for r in rows("lv_cable_reactance_typical.csv")}
    for r in rows("iec60364_5_52_ampacity.csv"):
        s, metal = float(r["S_mm2"]), METALS[r["conductor"]]
        ohm = resistance.get(s, {}).get(f"{r['conductor'].lower()}_ohm_per_km_20C")
        if r["method"] not in LAID or not ohm or s not in reactance:
            continue
        for cores in ("3", "4", "5", "1") if s <= 50 else ("3", "3.5", "4", "1"):
            if (cores == "3.5" and s < 25) or r["method"] in NOT_FOR["single" if cores == "1" else "multicore"]:
                continue
            column = f"X_{'single_core_trefoil' if cores == '1' else 'multicore'}_ohm_per_km_50Hz"
            family = {"PVC": "Borrow", "XLPE": "Harter"}[r["insulation"]]
            end = 250.0 if r["insulation"] == "XLPE" else 160.0 if s <= 300 else 140.0
            yield Entry(
                f"{family} {r['conductor']} {cores}×{s:g} {r['method']}", "cable", family,
                {"conductor": metal, "insulation": r["insulation"], "v_insulation_kv": 1.0, "cores": cores, "area_mm2": s, "i_rated_a": float(r["A"]),
                 "method": r["method"],                 "r_ohm_per_km": float(ohm), "x_ohm_per_km": float(reactance[s][column]), "t_end_degc": end},
                {"sizes": "mm²", "laid": LAID[r["method"]]}, "IEC 60228 class 2; IEC 60364-5-52, three loaded conductors, one circuit",
                {"x_ohm_per_km": "typical of low-voltage cables at 50 Hz (unverified)"}, 50,
            )  # fmt: skip


def _cables_medium_voltage() -> Iterator[Entry]:
    """Medium-voltage cables: resistance IEC 60228. How much they carry depends on the maker and the route: it is left to the engineer."""
    for r in rows("iec60228_class2_resistance.csv"):
        s = float(r["S_mm2"])
        for short, metal in METALS.items() if 35 <= s <= 630 else ():
            for u in (6.0, 10.0, 11.0, 15.0, 20.0, 30.0, 33.0):
                for cores in ("3", "1"):
                    for insulation in ("XLPE", "EPR"):
                        family = {"XLPE": "Harter MV", "EPR": "Corrie MV"}[insulation]
                        yield Entry(
                            f"{family} {short} {cores}×{s:g} {u:g} kV", "cable", family,
                            {"conductor": metal, "insulation": insulation, "v_insulation_kv": u, "cores": cores, "area_mm2": s,
                             "r_ohm_per_km": float(r[f"{short.lower()}_ohm_per_km_20C"]), "x_ohm_per_km": 0.11 if cores == "3" else 0.12, "t_end_degc": 250.0},
                            {"sizes": "mm²", "laid": "not stated"}, "IEC 60228 class 2",
                            {"x_ohm_per_km": "usual of medium-voltage cables at 50 Hz, 0.09 to 0.13 (unverified)"}, 50,
                        )  # fmt: skip


def _cables_imperial() -> Iterator[Entry]:
    """Single conductors in conduit, 600 V: impedance NEC chapter 9 table 9 at 75 degC and 60 Hz taken to 20 degC, capacity NEC 310.16."""
    capacity = {r["size"]: r for r in rows("nec_310_16_ampacity.csv")}
    area = {r["size"]: float(r["area_mm2"]) for r in rows("nec_ch9_table8_dc_resistance.csv")}
    conduits = {
        "PVC conduit": ("pvc", "XL_pvc_or_al_conduit", "PVC40"),
        "aluminium conduit": ("al_conduit", "XL_pvc_or_al_conduit", "aluminium conduit"),
        "steel conduit": ("steel", "XL_steel", "RMC"),
    }
    for r in rows("nec_ch9_table9_impedance.csv"):
        size = r["size"]
        for short, metal in METALS.items():
            to_20 = (KELVIN_AT_ZERO[metal] + 20) / (KELVIN_AT_ZERO[metal] + 75)
            for laid, (column, reactance, raceway) in conduits.items():
                for insulation, column_a, t_end, family in (("PVC", "75C", 150.0, "Borrow 75"), ("XLPE", "90C", 250.0, "Harter 90")):
                    ohm, amperes = r[f"R{short.lower()}_{column}"], capacity.get(size, {}).get(f"{short.lower()}_{column_a}_A")
                    if not ohm or not amperes:
                        continue
                    yield Entry(
                        f"{family} {short} {wire_size(area[size])} {laid}", "cable", family,
                        {"conductor": metal, "insulation": insulation, "v_insulation_kv": 0.6, "cores": "1", "area_mm2": area[size],
                         "raceway": raceway,
                         **({"wire_type": "XHHW-2"} if insulation == "XLPE" else {}), "i_rated_a": float(amperes),
                         "r_ohm_per_km": _rounded(float(ohm) * OHM_PER_KM * to_20),
                         "x_ohm_per_km": _rounded(float(r[reactance]) * OHM_PER_KM), "t_end_degc": t_end},
                        {"sizes": "AWG and kcmil", "laid": laid},
                        f"NEC chapter 9 table 9, 75 °C and 60 Hz, taken to 20 °C; NEC 310.16, {column_a.removesuffix('C')} °C column, 30 °C",
                        x_at_hz=60,
                    )  # fmt: skip


def _rounded(value: float) -> float:
    return float(f"{value:.4g}")


def _transformers() -> Iterator[Entry]:
    """Liquid-filled distribution transformers: losses EU 548/2014; impedance voltage as usual."""
    for r in rows("eu_oil_transformer_losses.csv"):
        kva = float(r["kVA"])
        for tier in ("1", "2"):
            for hv, lv in ((11.0, 0.42), (10.0, 0.4), (20.0, 0.4), (6.6, 0.42), (22.0, 0.42)):
                yield Entry(
                    f"Birk {kva:g} kVA {hv:g}/{lv:g} tier {tier}", "transformer", "Birk",
                    {"s_rated_mva": kva / 1000, "v_hv_kv": hv, "v_lv_kv": lv, "vector_group": "Dyn11", "uk_pct": 4.0 if kva <= 630 else 6.0,
                     "load_loss_kw": float(r[f"load_W_tier{tier}"]) / 1000, "no_load_loss_kw": float(r[f"no_load_W_tier{tier}"]) / 1000, "cooling": "ONAN"},
                    {"losses": f"EU 548/2014 tier {tier}"}, f"EU regulation 548/2014, tier {tier}, losses at 75 °C",
                    {"uk_pct": "usual of distribution transformers, 4 or 6 % (unverified)", "vector_group": "usual of distribution transformers (unverified)"},
                )  # fmt: skip


def _transformers_imperial() -> Iterator[Entry]:
    """Transformers of 60 Hz practice: typical impedance and X/R."""
    liquid = ((12.47, 0.48), (13.8, 0.48), (4.16, 0.48), (12.47, 4.16), (13.8, 4.16), (34.5, 12.47), (34.5, 13.8), (69.0, 12.47), (69.0, 13.8))
    for family, file, cooling, ratios in (
        ("Lyth", "transformer_typical_60Hz.csv", "ONAN", liquid), ("Seat", "transformer_typical_dry_lv_60Hz.csv", "AN", ((0.48, 0.208),)),
    ):  # fmt: skip
        for r in rows(file):
            kva, uk, x_over_r = float(r["kVA_3ph"]), float(r["Z_pct"]), float(r["X_over_R"])
            for hv, lv in ratios:
                if not (lv <= 0.48 and kva > 3750) and not (hv >= 30 and kva < 3750) and not (4 <= lv < 30 and hv < 30 and kva < 750):
                    source = f"typical of {'liquid-filled' if cooling == 'ONAN' else 'dry low-voltage'} transformers, 60 Hz (unverified)"
                    yield Entry(
                        f"{family} {kva:g} kVA {hv:g}/{lv:g}", "transformer", family,
                        {"s_rated_mva": kva / 1000, "v_hv_kv": hv, "v_lv_kv": lv, "vector_group": "Dyn1", "uk_pct": uk,
                         "ur_pct": _rounded(uk / math.hypot(1, x_over_r)), "cooling": cooling},
                        {"losses": "not stated"}, source, {"uk_pct": source, "ur_pct": source, "vector_group": "usual of 60 Hz practice (unverified)"},
                    )  # fmt: skip


TYPICAL_PF = "usual of four-pole motors at full load (unverified)"


def _motors() -> Iterator[Entry]:
    """Four-pole motors, 50 Hz: efficiency classes of IEC 60034-30-1."""
    for r in rows("iec60034_30_1_efficiency_4pole_50Hz.csv"):
        for cls in ("IE1", "IE2", "IE3"):
            for kv in (0.4, 0.69):
                kw = float(r["kW"])
                yield Entry(
                    f"Wether {cls} {kw:g} kW {1000 * kv:g} V", "induction_motor", "Wether",
                    {"p_rated_kw": kw, "v_rated_kv": kv, "efficiency_pct": float(r[f"{cls}_pct"]), "power_factor": 0.86, "pole_pairs": 2, "ilr_over_ir": 7.0},
                    {"efficiency class": cls, "frequency": "50 Hz"}, f"IEC 60034-30-1, {cls}, four poles, 50 Hz",
                    {"power_factor": TYPICAL_PF, "ilr_over_ir": "usual of motors of high efficiency, 6 to 8 (unverified)"},
                )  # fmt: skip


def _motors_imperial() -> Iterator[Entry]:
    """Four-pole motors, 60 Hz: premium efficiency NEMA MG 1 table 12-12; full-load and locked-rotor current NEC 430.250, 430.251(B)."""
    flc = {r["hp"]: r for r in rows("nec_430_250_motor_flc.csv")}
    locked = {r["hp"]: float(r["A_460V_design_BCD"]) for r in rows("nec_430_251B_locked_rotor.csv")}
    for r in rows("nema_premium_efficiency_4pole_enclosed_60Hz.csv"):
        hp, eff = r["hp"], float(r["nominal_eff_pct"])
        for volts in ("230", "460", "575"):
            amperes = flc.get(hp, {}).get(f"A_{volts}V")
            if not amperes or hp not in locked:
                continue
            kw, v, i = 0.7457 * float(hp), float(volts), float(amperes)
            pf = 1000 * kw / (math.sqrt(3) * v * i * eff / 100)
            if pf > 0.95:
                continue  # the table's current is below what the efficiency asks for
            yield Entry(
                f"Bell {hp} hp {volts} V", "induction_motor", "Bell",
                {"p_rated_kw": _rounded(kw), "v_rated_kv": v / 1000, "efficiency_pct": eff, "power_factor": float(f"{pf:.3g}"), "pole_pairs": 2,
                 "ilr_over_ir": float(f"{locked[hp] * 460 / v / i:.3g}")},
                {"efficiency class": "premium", "frequency": "60 Hz"},
                "NEMA MG 1 table 12-12, four poles, enclosed; currents NEC 430.250 and 430.251(B); power factor from them",
            )  # fmt: skip


PREFERRED = "preferred value of the standard, to be replaced by the nameplate's (unverified)"


def _fuses() -> Iterator[Entry]:
    for r in rows("iec60269_gG_gates.csv"):
        i = float(r["In_A"])
        yield Entry(
            f"Swirl gG {i:g} A", "fuse", "Swirl", {"i_rated_a": i, "rated_by": "IEC 60269-1", "i_breaking_ka": 100.0}, {"class": "gG"},
            "IEC 60269-1, gates of gG fuse-links", {"i_breaking_ka": PREFERRED},
        )  # fmt: skip


def _breakers() -> Iterator[Entry]:
    """Low-voltage breakers by size and trip, medium-voltage breakers by rated current and interrupting time; breaking currents are preferred values."""
    for i in (63, 100, 125, 160, 250, 400, 630, 800, 1000, 1250, 1600, 2000, 2500, 3200, 4000, 5000, 6300):
        design = "fixed" if i <= 630 else "withdrawable"
        for trip in ("electronic", "none"):
            told = "electronic trip" if trip == "electronic" else "relay"
            yield Entry(
                f"Grise LV {i} A {'E' if trip == 'electronic' else 'R'}", "breaker", "Grise LV",
                {"i_rated_a": float(i), "trip": trip, "design": design, "rated_by": "IEC 60947-2",
                 "i_breaking_ka": 36.0 if i <= 250 else 50.0 if i <= 1600 else 65.0},
                {"voltage": "low voltage", "tripped by": told, "rated by": "IEC"}, "usual sizes; bands of electronic trips generic (unverified)",
                {"i_breaking_ka": PREFERRED},
            )  # fmt: skip
    for i in (100, 125, 225, 250, 400, 600, 800, 1200, 1600, 2000, 3200, 4000):
        power = i >= 1600
        yield Entry(
            f"Grise NA {i} A", "breaker", "Grise NA",
            {"i_rated_a": float(i), "trip": "electronic", "design": "withdrawable" if power else "fixed",
             "rated_by": "IEEE power breaker" if power else "moulded case", "i_breaking_ka": 65.0 if power else 35.0},
            {"voltage": "low voltage", "tripped by": "electronic trip", "rated by": "IEEE"}, "usual sizes; bands of electronic trips generic (unverified)",
            {"i_breaking_ka": PREFERRED},
        )  # fmt: skip
    for i in (630, 1250, 2000, 2500, 3150):
        for cycles, hz in ((3, 50), (5, 50), (3, 60), (5, 60)):
            rated = {"rated_by": "IEC 62271-100"} if hz == 50 else {"rated_by": "IEEE symmetrical", "v_rated_max_kv": 15.0}
            yield Entry(
                f"Grise MV {i} A {cycles} cycles {hz} Hz", "breaker", "Grise MV",
                {"i_rated_a": float(i), "trip": "none", "design": "withdrawable", "t_break_s": float(f"{cycles / hz:.3g}"), **rated, "i_breaking_ka": 25.0,
                 **({"i_short_time_ka": 25.0, "t_short_time_s": 3.0} if hz == 50 else {})},
                {"voltage": "medium voltage", "tripped by": "relay", "rated by": "IEC" if hz == 50 else "IEEE"}, "rated interrupting cycles over frequency",
                {"i_breaking_ka": PREFERRED, **({"i_short_time_ka": PREFERRED} if hz == 50 else {})},
            )  # fmt: skip


def _boards() -> Iterator[Entry]:
    """Boards by their short-time current: preferred values, with the peak that belongs to them."""
    for ka in (16.0, 25.0, 35.0, 50.0, 65.0, 80.0, 100.0):
        n = 2.0 if ka <= 20 else 2.1 if ka <= 50 else 2.2
        yield Entry(
            f"Keld LV {ka:g} kA", "bus", "Keld LV", {"rated_by": "IEC", "i_short_time_ka": ka, "t_short_time_s": 1.0, "i_peak_ka": _rounded(n * ka)},
            {"voltage": "low voltage", "rated by": "IEC"}, "IEC 61439-1, peak by the factor n of the short-time current",
            {"i_short_time_ka": PREFERRED, "i_peak_ka": PREFERRED},
        )  # fmt: skip
        yield Entry(
            f"Keld NA {ka:g} kA", "bus", "Keld NA", {"rated_by": "IEEE low voltage", "i_short_time_ka": ka}, {"voltage": "low voltage", "rated by": "IEEE"},
            "rms symmetrical bracing at the test power factor", {"i_short_time_ka": PREFERRED},
        )  # fmt: skip
    for ka in (12.5, 16.0, 20.0, 25.0, 31.5, 40.0):
        yield Entry(
            f"Keld MV {ka:g} kA", "bus", "Keld MV", {"rated_by": "IEC", "i_short_time_ka": ka, "t_short_time_s": 3.0, "i_peak_ka": _rounded(2.5 * ka)},
            {"voltage": "medium voltage", "rated by": "IEC"}, "IEC 62271-200, preferred values", {"i_short_time_ka": PREFERRED, "i_peak_ka": PREFERRED},
        )  # fmt: skip


CURVES = {
    "IEC": ("IEC_SI", "IEC_VI", "IEC_EI", "LTI", "STI"), "IEEE": ("IEEE_MI", "IEEE_VI", "IEEE_EI"),
}  # fmt: skip


def _relays() -> Iterator[Entry]:
    for standard, curves in CURVES.items():
        for curve in curves:
            for secondary in (1.0, 5.0):
                yield Entry(
                    f"Yewdale {curve.replace('_', ' ')} {secondary:g} A", "relay", "Yewdale",
                    {"curve": curve, "ct_secondary_a": secondary, "time_tolerance_pct": 5.0, "m_start": 1.05},
                    {"curves": standard}, "IEC 60255-151, IEEE C37.112", {"time_tolerance_pct": "usual assigned error of numerical relays (unverified)"},
                )  # fmt: skip


def set_from(one: Entry, element_id: str, frequency_hz: int) -> Set:
    """The act that gives an element the values of an entry, with their origin."""
    values, assumed, origin = values_for(one, frequency_hz)
    return Set(id=element_id, values=values, assumed=assumed, origins={field: origin for field in values if field not in assumed}, catalogue=one.name)


def values_for(one: Entry, frequency_hz: int) -> tuple[dict[str, Any], dict[str, str], str]:
    """An entry's values in a network of a frequency, those that are only typical with their source, and where they are from."""
    values = dict(one.values)
    origin = f"catalogue: {one.name}"
    if one.x_at_hz and one.x_at_hz != frequency_hz and values.get("x_ohm_per_km"):
        values["x_ohm_per_km"] = _rounded(values["x_ohm_per_km"] * frequency_hz / one.x_at_hz)
        origin += f", reactance taken from {one.x_at_hz} to {frequency_hz} Hz"
    return values, dict(one.assumed), origin
