"""The standards' tables that ship with Northfell, read once. Each file names its standard; `status` says how far it was verified."""

import csv
import json
from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import Any

from northfell.core.quantities import wire_size

UNVERIFIED_ELECTRODES = ("VCBB", "HCB", "VOA", "HOA")  # coefficients agree among themselves, but no worked example was reproduced


def _text(name: str) -> str:
    return resources.files("northfell.core.catalogue.data").joinpath(name).read_text(encoding="utf-8")


@cache
def rows(name: str) -> tuple[dict[str, str], ...]:
    """The rows of a table, by the names of its columns."""
    return tuple(csv.DictReader(line for line in _text(name).splitlines() if not line.startswith("#")))


@dataclass(frozen=True)
class RelayCurve:
    """Constants of t = TM·(k/(M^alpha - 1) + c), and of its reset TM·tr/(1 - M^alpha_r)."""

    id: str
    name: str
    standard: str
    k: float
    c: float
    alpha: float
    tr: float
    alpha_r: float
    status: str


@cache
def relay_curves() -> dict[str, RelayCurve]:
    """Inverse-time characteristics of IEC 60255-151, IEEE C37.112 and common practice."""
    fields = ("id", "name", "standard", "k", "c", "alpha", "tr", "alpha_r", "status")
    return {row["id"]: RelayCurve(**{f: row[f] for f in fields}) for row in json.loads(_text("relay_curves.json"))["curves"]}


@dataclass(frozen=True)
class GgGates:
    """Time-current gates and pre-arcing I²t of one size of gG fuse-link (IEC 60269-1)."""

    i_rated_a: float
    i_min_10s_a: float
    i_max_5s_a: float
    i_min_01s_a: float
    i_max_01s_a: float
    conventional_time_s: float
    nonfusing_x: float
    fusing_x: float
    i2t_min_a2s: float
    i2t_max_a2s: float
    status: str


@cache
def gg_gates() -> dict[float, GgGates]:
    """All sizes by rated current."""
    melting = {float(row["In_A"]): row for row in rows("iec60269_gG_prearcing_I2t.csv")}
    gates = {}
    for row in rows("iec60269_gG_gates.csv"):
        i = float(row["In_A"])
        gates[i] = GgGates(
            i, float(row["Imin_10s_A"]), float(row["Imax_5s_A"]), float(row["Imin_0.1s_A"]), float(row["Imax_0.1s_A"]),
            3600 * float(row["conv_time_h"]), float(row["conv_nonfusing_xIn"]), float(row["conv_fusing_xIn"]),
            float(melting[i]["min_prearcing_I2t_0.01s_A2s"]), float(melting[i]["max_prearcing_I2t_0.01s_A2s"]), melting[i]["status"],
        )  # fmt: skip
    return gates


@dataclass(frozen=True)
class EnclosureClass:
    """Typical gap, box and working distance of an equipment class (IEEE 1584-2018)."""

    name: str
    v_over_kv: float
    v_to_kv: float
    gap_mm: float
    box_height_mm: float
    box_width_mm: float
    box_depth_mm: float
    working_distance_mm: float

    def covers(self, v_kv: float) -> bool:
        """Whether the class is meant for a nominal voltage; the lower bound is exclusive, except 0.208 kV."""
        return self.v_over_kv < v_kv <= self.v_to_kv or v_kv == self.v_over_kv == 0.208


@cache
def enclosure_classes() -> dict[str, EnclosureClass]:
    """Equipment classes by name."""
    return {
        r["class"]: EnclosureClass(
            r["class"], float(r["voltage_min_kV_exclusive_unless_0.208"]), float(r["voltage_max_kV_inclusive"]), float(r["bus_gap_mm"]),
            float(r["height_mm"]), float(r["width_mm"]), float(r["depth_mm"]), float(r["working_distance_mm"]),
        )
        for r in rows("ieee1584_2018_equipment.csv")
    }  # fmt: skip


@cache
def arc_flash_coefficients() -> dict[str, Any]:
    """All coefficient tables of IEEE 1584-2018."""
    read: dict[str, Any] = json.loads(_text("ieee1584_2018_tables.json"))
    return read


@dataclass(frozen=True)
class ShockBoundary:
    """Approach boundaries of a voltage band (NFPA 70E, 130.4); `restricted_m` None means: avoid contact."""

    limited_fixed_m: float
    restricted_m: float | None
    status: str


def shock_boundary(v_kv: float) -> ShockBoundary | None:
    """Approach boundaries for a nominal voltage; None outside the table."""
    for r in rows("shock_boundaries_ac.csv"):
        if float(r["phase_to_phase_min_V"]) <= round(v_kv * 1000) <= float(r["phase_to_phase_max_V"]):
            restricted = None if r["restricted_m"] == "avoid contact" else float(r["restricted_m"])
            return ShockBoundary(float(r["limited_fixed_m"]), restricted, r["status"])
    return None


def glove_class(v_kv: float) -> str | None:
    """Lowest glove class whose maximum use voltage covers the nominal voltage (ASTM D120); None above the table."""
    return next((r["class"] for r in rows("glove_classes.csv") if float(r["max_use_V_ac"]) >= round(v_kv * 1000)), None)


def conductor_resistance(conductor: str, area_mm2: float) -> float | None:
    """Resistance at 20 degC [ohm/km] (IEC 60228, class 2), or None for a size the table lacks."""
    column = {"copper": "cu_ohm_per_km_20C", "aluminium": "al_ohm_per_km_20C"}[conductor]
    row = next((r for r in rows("iec60228_class2_resistance.csv") if float(r["S_mm2"]) == area_mm2), None)
    return float(row[column]) if row and row[column] else None


KELVIN_AT_ZERO = {"copper": 234.5, "aluminium": 228.0}  # degrees below 0 degC at which the line of resistance meets zero
OHM_PER_KM = 3.280839895  # of one ohm per thousand feet


def wire_row(name: str, area_mm2: float) -> dict[str, str] | None:
    """The row of a table by AWG or kcmil that is for a cross-section, or None if it is none of their sizes."""
    size = wire_size(area_mm2).removesuffix(" AWG").removesuffix(" kcmil")
    return next((r for r in rows(name) if r["size"] == size), None)


def wire_resistance(conductor: str, area_mm2: float) -> float | None:
    """Resistance at 20 degC [ohm/km] of a wire gauge: NEC chapter 9 table 8 (uncoated, 75 degC) taken to 20 degC; None for another size."""
    row = wire_row("nec_ch9_table8_dc_resistance.csv", area_mm2)
    ohm = row[{"copper": "cu_uncoated_ohm_per_kft_75C", "aluminium": "al_ohm_per_kft_75C"}[conductor]] if row else ""
    t_zero = KELVIN_AT_ZERO[conductor]
    return float(f"{float(ohm) * OHM_PER_KM * (t_zero + 20) / (t_zero + 75):.4g}") if ohm else None


def wire_reactance(area_mm2: float) -> float | None:
    """Reactance [ohm/km] at 60 Hz of single conductors of a wire gauge in PVC conduit (NEC chapter 9 table 9); None for another size."""
    row = wire_row("nec_ch9_table9_impedance.csv", area_mm2)
    return float(f"{float(row['XL_pvc_or_al_conduit']) * OHM_PER_KM:.4g}") if row else None


def lv_cable_reactance(area_mm2: float) -> float | None:
    """Reactance of a multicore low-voltage cable at 50 Hz [ohm/km], or None for a size the table lacks."""
    row = next((r for r in rows("lv_cable_reactance_typical.csv") if float(r["S_mm2"]) == area_mm2), None)
    return float(row["X_multicore_ohm_per_km_50Hz"]) if row else None


def _next_up(name: str, key: str, column: str, value: float) -> float | None:
    row = next((r for r in rows(name) if float(r[key]) >= value), None)
    return float(row[column]) if row else None


def mv_capacity(conductor: str, area_mm2: float) -> float | None:
    """Least current-carrying capacity of a medium-voltage cable among the usual ways of laying [A] (IEC 60502-2:2014, annex B)."""
    found = [float(r["ampacity_a"]) for r in rows("iec60502_2_mv_ampacity.csv") if r["conductor"] == conductor and float(r["area_mm2"]) == area_mm2]
    return min(found, default=None)


LOADED = ("C", "E")  # clipped to a wall, and on a tray: multicore


def lv_capacity(conductor: str, insulation: str, area_mm2: float) -> float | None:
    """Current-carrying capacity of a multicore low-voltage cable, the least of clipped and on a tray [A] (IEC 60364-5-52)."""
    metal = {"copper": "Cu", "aluminium": "Al"}[conductor]
    kind = "PVC" if insulation == "PVC" else "XLPE"
    found = [
        float(r["A"]) for r in rows("iec60364_5_52_ampacity.csv")
        if (r["conductor"], r["insulation"]) == (metal, kind) and r["method"] in LOADED and float(r["S_mm2"]) == area_mm2
    ]  # fmt: skip
    return min(found, default=None)


def motor_efficiency_pct(p_kw: float) -> float | None:
    """Efficiency of class IE3, 4 poles, 50 Hz, at the next size up (IEC 60034-30-1); None above the table."""
    return _next_up("iec60034_30_1_efficiency_4pole_50Hz.csv", "kW", "IE3_pct", p_kw)


def transformer_typical(s_kva: float) -> tuple[float, float] | None:
    """Typical impedance voltage [%] and X/R of a liquid-filled transformer at the next size up; None above the table."""
    z = _next_up("transformer_typical_60Hz.csv", "kVA_3ph", "Z_pct", s_kva)
    ratio = _next_up("transformer_typical_60Hz.csv", "kVA_3ph", "X_over_R", s_kva)
    return (z, ratio) if z is not None and ratio is not None else None
