"""Shipped wires of lines: bare overhead conductors, cables with a concentric neutral, and two poles on which they hang."""

from collections.abc import Iterator

from northfell.core.catalogue.entry import Entry
from northfell.core.catalogue.tables import rows

KM_PER_MILE, MM_PER_FT, MM_PER_IN = 1.609344, 304.8, 25.4
METALS = {"Cu": "copper", "AAC": "aluminium", "ACSR": "aluminium and steel"}
FAMILY = {"Cu": "Gill", "AAC": "Fell", "ACSR": "Crag"}
CURRENT = "usual of still summer air (recalled twice, conditions inferred)"
RECALLED = "recalled twice alike, not checked against geometry (unverified)"


def bare() -> Iterator[Entry]:
    """Bare overhead conductors; GMR and resistance follow from strands and area, but of single-layer ACSR, where they are effective ones."""
    for r in rows("overhead_conductors.csv"):
        assumed = {"i_rated_a": CURRENT}
        if r["standing"] != "V":
            assumed |= {"gmr_mm": RECALLED, "r_ohm_per_km": RECALLED}
        yield Entry(
            f"{FAMILY[r['material']]} {r['material']} {_size(r)} {r['stranding']}", "wire", FAMILY[r["material"]],
            {"build": "bare", "material": METALS[r["material"]], "area_mm2": float(r["area_mm2"]), "d_mm": float(r["diameter_mm"]),
             "gmr_mm": float(r["gmr_mm"]), "r_ohm_per_km": float(r["r50_ohm_per_km"]), "t_degc": 50.0,
             "i_rated_a": float(r["ampacity_A"])},
            {"strands": r["stranding"]}, "usual printed tables, 60 Hz, 50 °C", assumed,
        )  # fmt: skip


def concentric() -> Iterator[Entry]:
    """Single-core 15 kV cables with a concentric neutral of copper strands."""
    for r in rows("concentric_neutral_cables.csv"):
        gmr, d_strand = float(r["conductor_gmr_ft"]) * MM_PER_FT, float(r["strand_diameter_in"]) * MM_PER_IN
        yield Entry(
            f"Tarn Al {_size(r)} {r['neutral']} neutral", "wire", "Tarn",
            {"build": "concentric neutral", "material": "aluminium", "d_mm": _rounded(float(r["conductor_diameter_in"]) * MM_PER_IN), "gmr_mm": _rounded(gmr),
             "r_ohm_per_km": _rounded(float(r["conductor_r50_ohm_per_mile"]) / KM_PER_MILE), "t_degc": 50.0, "strands": int(r["neutral_strands"]),
             "d_strand_mm": _rounded(d_strand), "r_strand_ohm_per_km": _rounded(float(r["strand_r_ohm_per_mile"]) / KM_PER_MILE),
             "gmr_strand_mm": _rounded(float(r["strand_gmr_ft"]) * MM_PER_FT), "d_outside_mm": _rounded(float(r["outside_diameter_in"]) * MM_PER_IN),
             "eps_r": 2.3, "i_rated_a": float(r["ampacity_A"])},
            {"neutral": r["neutral"]}, "usual printed tables, 15 kV, cross-linked polyethylene, 60 Hz, 50 °C",
            {"i_rated_a": "recalled once (unverified)", "eps_r": "usual of cross-linked polyethylene, 2.3 to 2.4 (unverified)"},
        )  # fmt: skip


def poles() -> Iterator[Entry]:
    """Two invented poles, to begin with."""
    source = "invented, to begin one's own with"
    three = (("a", -1.1, 10.4), ("b", 0.2, 10.9), ("c", 1.1, 10.4))
    yield Entry(
        "Pole with a cross-arm, four wires", "geometry", "Poles",
        {"conductors": [*({"name": n, "x_m": x, "y_m": y, "wire": "Fell AAC 4/0 AWG 7"} for n, x, y in three),
                        {"name": "n", "x_m": 0.3, "y_m": 8.7, "wire": "Fell AAC 1/0 AWG 7", "fate": "earthed"}]},
        {}, source,
    )  # fmt: skip
    yield Entry(
        "Pole with one wire and its neutral", "geometry", "Poles",
        {"conductors": [{"name": "a", "x_m": 0.0, "y_m": 9.6, "wire": "Fell AAC 1/0 AWG 7"},
                        {"name": "n", "x_m": 0.1, "y_m": 8.0, "wire": "Fell AAC 1/0 AWG 7", "fate": "earthed"}]},
        {}, source,
    )  # fmt: skip


def _size(r: dict[str, str]) -> str:
    if r["size_unit"] == "cmil":
        return f"{float(r['size']) / 1000:g} kcmil"
    return f"{r['size']} {r['size_unit']}"


def _rounded(value: float) -> float:
    return float(f"{value:.6g}")
