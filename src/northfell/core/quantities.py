"""Units a person may type, and figures as they are shown.

A field keeps its value in the unit it declares. What is typed may carry any unit of the same quantity ("45 kW" into a field
in MW) and a decimal comma; another quantity is refused with the units that would be accepted.
"""

import math
import re

import numpy as np
from numpy.typing import NDArray

from northfell.core.errors import InputRefused

THIN_SPACE = "\u2009"
MINUS = "\u2212"
SPACES = dict.fromkeys(map(ord, " \u2009\u202f"))

# quantity -> unit -> factor to the quantity's base unit
UNITS: dict[str, dict[str, float]] = {
    "voltage": {"V": 1.0, "kV": 1e3},
    "current": {"A": 1.0, "kA": 1e3, "mA": 1e-3},
    "active power": {"W": 1.0, "kW": 1e3, "MW": 1e6, "hp": 745.7},
    "reactive power": {"var": 1.0, "kvar": 1e3, "Mvar": 1e6},
    "apparent power": {"VA": 1.0, "kVA": 1e3, "MVA": 1e6},
    "length": {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "km": 1e3, "in": 0.0254, "ft": 0.3048, "mi": 1609.344},
    "resistance": {"ohm": 1.0, "mohm": 1e-3},
    "impedance per length": {"ohm/km": 1.0, "mohm/m": 1.0, "ohm/m": 1e3, "mohm/km": 1e-3, "ohm/kft": 3.280839895, "ohm/mi": 0.621371192},
    "capacitance per length": {"µF/km": 1.0, "nF/km": 1e-3, "nF/m": 1.0},
    "susceptance per length": {"µS/km": 1.0, "nS/km": 1e-3, "µS/mi": 0.621371192},
    "time": {"s": 1.0, "ms": 1e-3},
    "area": {"mm²": 1.0, "kcmil": 0.506707},
    "angle": {"deg": 1.0},
    "ratio": {"%": 1.0},
    "per unit": {"p.u.": 1.0},
    "temperature": {"degC": 1.0},
    "frequency": {"Hz": 1.0},
    "energy": {"cal/cm²": 1.0, "J/cm²": 1 / 4.184},
    "let-through": {"kA²s": 1.0, "A²s": 1e-6},
    "thermal resistivity": {"K·m/W": 1.0, "K·cm/W": 0.01},
    "resistivity": {"ohm·m": 1.0, "ohm·cm": 0.01},
}
# what people type for the same unit
ALIASES = {
    "mm2": "mm²",
    "mcm": "kcmil",
    "ohm/1000ft": "ohm/kft",
    "feet": "ft",
    "foot": "ft",
    "amp": "A",
    "amps": "A",
    "°c": "degC",
    "c": "degC",
    "°": "deg",
    "pu": "p.u.",
    "uf/km": "µF/km",
    "mvar": "Mvar",
    "ω": "ohm",
    "ω/km": "ohm/km",
}
QUANTITY_OF = {unit: quantity for quantity, units in UNITS.items() for unit in units}
# letter case tells milli from mega nowhere here except in these, which are kept exact
WIRE = re.compile(r"(?:#[ ]{0,3}([0-9]{1,2})|([0-9]{1,2})[ ]{0,3}awg|([1-4])/0(?:[ ]{0,3}awg)?)", re.IGNORECASE)
AWG = (*range(20, 0, -1), 0, -1, -2, -3)  # gauges, n/0 as 1 − n
KCMIL = (250, 300, 350, 400, 500, 600, 700, 750, 800, 900, 1000, 1250, 1500, 1750, 2000)
LONGEST = 60  # characters of a number with its unit; a longer text is none
TYPED = re.compile(r"([+\-\u2212]?(?:[0-9][0-9 \u2009\u202f]{0,40}(?:[.,][0-9]{0,40})?|[.,][0-9]{1,40}))((?:[eE][+\-]?[0-9]{1,4})?)(?:\s{0,3}(\S.{0,30}))?")


def units_like(unit: str) -> list[str]:
    """All units that a field in `unit` accepts."""
    return list(UNITS[QUANTITY_OF[unit]]) if unit in QUANTITY_OF else ([unit] if unit else [])


def canonical_unit(typed: str) -> str | None:
    """The unit a person means by what was typed, or None."""
    if typed in QUANTITY_OF:
        return typed
    low = typed.lower()
    if low in ALIASES:
        return ALIASES[low]
    found = [unit for unit in QUANTITY_OF if unit.lower() == low]
    return found[0] if len(found) == 1 else None


def awg_mm2(gauge: int) -> float:
    """Cross-section of a wire gauge [mm²], to four digits: d = 0.127 mm · 92^((36 − n)/39) (ASTM B258); n/0 is gauge 1 − n."""
    diameter_mm = 0.127 * 92 ** ((36 - gauge) / 39)
    return float(f"{math.pi / 4 * diameter_mm**2:.4g}")


def wire_size(area_mm2: float) -> str:
    """A cross-section as AWG or kcmil where it is one of their sizes, else in mm²."""
    for gauge in AWG:
        if abs(awg_mm2(gauge) / area_mm2 - 1) < 0.012:
            return f"{gauge} AWG" if gauge > 0 else f"{1 - gauge}/0 AWG"
    for size in KCMIL:
        if abs(size * UNITS["area"]["kcmil"] / area_mm2 - 1) < 0.012:
            return f"{size} kcmil"
    return f"{entry(area_mm2)} mm²"


def parse_wire_size(text: str) -> float | None:
    """The cross-section of a typed gauge (`4/0`, `#12`, `12 AWG`) [mm²]; None if it is none."""
    match = WIRE.fullmatch(text.strip()) if len(text) <= LONGEST else None
    if not match:
        return None
    gauge = 1 - int(match[3]) if match[3] else int(match[1] or match[2])
    return awg_mm2(gauge) if gauge in AWG else None


def parse_quantity(text: str, unit: str, field: str, plain: str = "") -> float:
    """Read a typed number with an optional unit into the declared unit.

    Parameters
    ----------
    text : str
        Such as ``350``, ``0,35 km`` or ``45 kW``.
    unit : str
        The unit the field declares; empty for a plain number.
    plain : str
        The unit of a number without one, where it is not that of the field; “AWG and kcmil” takes a number up to 20 as a gauge.
    field : str
        Name for the message.

    Raises
    ------
    InputRefused
        If there is no number, or the unit is of another quantity.
    """
    if unit == "mm²" and (area := parse_wire_size(text)) is not None:
        return area
    if plain == "AWG and kcmil":
        if re.fullmatch(r"[0-9]{1,2}", text.strip()) and (area := parse_wire_size(f"{text} AWG")) is not None:
            return area
        plain = "kcmil"
    accepted = "a number" + (f" in {', '.join(units_like(unit))}" if unit else " without a unit")
    text = text.strip()
    match = TYPED.fullmatch(text) if len(text) <= LONGEST else None
    if not match:
        raise InputRefused(field, text, accepted)
    digits = match[1].translate(SPACES).replace(MINUS, "-").replace(",", ".")
    value = float(digits + match[2])
    if match[3] or plain:
        typed = canonical_unit(match[3] or plain)
        if typed is None or not unit or QUANTITY_OF.get(typed) != QUANTITY_OF.get(unit):
            raise InputRefused(field, text, accepted)
        if typed != unit:
            quantity = UNITS[QUANTITY_OF[unit]]
            value = value * quantity[typed] / quantity[unit]
            value = float(f"{value:.15g}")  # 0.35 km is 350 m, not 350.00000000000006 m
    if not math.isfinite(value):
        raise InputRefused(field, text, accepted)
    return value


def significant(value: float, digits: int) -> int:
    """The decimals to which `digits` significant digits reach; negative where they end before the point."""
    return digits - 1 - math.floor(math.log10(abs(value))) if value else 0


def shown_decimals(value: float, digits: int) -> int:
    """The decimals with which :func:`figure` writes a number: the digits before the point are all written, and none are beyond the eighth decimal."""
    return min(max(0, significant(value, digits)), 8)


def figure(value: float | None, digits: int = 4) -> str:
    """A number to `digits` significant digits with thin spaces by thousands and a true minus; a dash when absent."""
    if value is None or not math.isfinite(value):
        return "–"
    if value == 0:
        return "0"
    text = fixed(value, shown_decimals(value, digits))
    return text if text.strip("0.") else "0"


def as_written(values: NDArray[np.float64], decimals: int | None = None, digits: int = 4) -> NDArray[np.float64]:
    """Numbers as far as :func:`fixed` or :func:`figure` write them, so that what is written the same compares as the same; what is absent too."""
    there = np.isfinite(values)
    if decimals is None:
        with np.errstate(divide="ignore", invalid="ignore"):
            to = digits - 1 - np.floor(np.log10(np.abs(values)))
        scale = 10.0 ** np.clip(np.where(there & (values != 0), to, 0), 0, 8)
    else:
        scale = np.array(10.0**decimals)
    return np.where(there, np.rint(np.where(there, values, 0) * scale) / scale, np.inf)


def fixed(value: float | None, decimals: int) -> str:
    """A number with a fixed count of decimals, grouped and with a true minus; a dash when absent."""
    if value is None or not math.isfinite(value):
        return "–"
    text = f"{value:,.{decimals}f}"
    if text[0] == "-":
        text = MINUS + text[1:] if text.strip("-0.") else text[1:]  # what is written as zero has no sign
    return text.replace(",", THIN_SPACE) if len(text) > 4 else text


def signed(value: float) -> str:
    """A position with its sign: +3, −3, 0."""
    return "0" if value == 0 else f"{value:+g}".replace("-", MINUS)


def entry(value: float | None) -> str:
    """A number as it stands in an input field: exact, without needless zeros; nothing where it is empty."""
    return "" if value is None else f"{value:.15g}"
