"""Units a person may type, and figures as they are shown.

A field keeps its value in the unit it declares. What is typed may carry any unit of the same quantity ("45 kW" into a field
in MW) and a decimal comma; another quantity is refused with the units that would be accepted.
"""

import math
import re

from northfell.core.errors import InputRefused

THIN_SPACE = "\u2009"
MINUS = "\u2212"

# quantity -> unit -> factor to the quantity's base unit
UNITS: dict[str, dict[str, float]] = {
    "voltage": {"V": 1.0, "kV": 1e3},
    "current": {"A": 1.0, "kA": 1e3, "mA": 1e-3},
    "active power": {"W": 1.0, "kW": 1e3, "MW": 1e6},
    "reactive power": {"var": 1.0, "kvar": 1e3, "Mvar": 1e6},
    "apparent power": {"VA": 1.0, "kVA": 1e3, "MVA": 1e6},
    "length": {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "km": 1e3, "in": 0.0254, "ft": 0.3048, "mi": 1609.344},
    "resistance": {"ohm": 1.0, "mohm": 1e-3},
    "impedance per length": {"ohm/km": 1.0, "mohm/m": 1.0, "ohm/m": 1e3, "mohm/km": 1e-3},
    "capacitance per length": {"µF/km": 1.0, "nF/km": 1e-3, "nF/m": 1.0},
    "time": {"s": 1.0, "ms": 1e-3},
    "area": {"mm²": 1.0},
    "angle": {"deg": 1.0},
    "ratio": {"%": 1.0},
    "per unit": {"p.u.": 1.0},
    "temperature": {"degC": 1.0},
    "frequency": {"Hz": 1.0},
    "energy": {"cal/cm²": 1.0, "J/cm²": 1 / 4.184},
}
# what people type for the same unit
ALIASES = {"mm2": "mm²", "°c": "degC", "c": "degC", "°": "deg", "pu": "p.u.", "uf/km": "µF/km", "mvar": "Mvar", "ω": "ohm", "ω/km": "ohm/km"}
QUANTITY_OF = {unit: quantity for quantity, units in UNITS.items() for unit in units}
# letter case tells milli from mega nowhere here except in these, which are kept exact
TYPED = re.compile(r"^\s*([+\-\u2212]?[0-9][0-9 \u2009\u202f]*(?:[.,][0-9]*)?|[+\-\u2212]?[.,][0-9]+)((?:[eE][+\-]?[0-9]+)?)\s*(.*?)\s*$")


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


def parse_quantity(text: str, unit: str, field: str) -> float:
    """Read a typed number with an optional unit into the declared unit.

    Parameters
    ----------
    text : str
        Such as ``350``, ``0,35 km`` or ``45 kW``.
    unit : str
        The unit the field declares; empty for a plain number.
    field : str
        Name for the message.

    Raises
    ------
    InputRefused
        If there is no number, or the unit is of another quantity.
    """
    accepted = "a number" + (f" in {', '.join(units_like(unit))}" if unit else " without a unit")
    match = TYPED.match(text)
    if not match:
        raise InputRefused(field, text, accepted)
    digits = re.sub(r"[ \u2009\u202f]", "", match[1]).replace(MINUS, "-").replace(",", ".")
    value = float(digits + match[2])
    if match[3]:
        typed = canonical_unit(match[3])
        if typed is None or not unit or QUANTITY_OF.get(typed) != QUANTITY_OF.get(unit):
            raise InputRefused(field, text, accepted)
        if typed != unit:
            quantity = UNITS[QUANTITY_OF[unit]]
            value = value * quantity[typed] / quantity[unit]
            value = float(f"{value:.15g}")  # 0.35 km is 350 m, not 350.00000000000006 m
    if not math.isfinite(value):
        raise InputRefused(field, text, accepted)
    return value


def figure(value: float | None, digits: int = 4) -> str:
    """A number to `digits` significant digits with thin spaces by thousands and a true minus; a dash when absent."""
    if value is None or not math.isfinite(value):
        return "–"
    if value == 0:
        return "0"
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    text = fixed(value, min(decimals, 8))
    return text if any(c in "123456789" for c in text) else "0"


def fixed(value: float | None, decimals: int) -> str:
    """A number with a fixed count of decimals, grouped and with a true minus; a dash when absent."""
    if value is None or not math.isfinite(value):
        return "–"
    text = f"{value:,.{decimals}f}".replace(",", THIN_SPACE)
    if float(text.replace(THIN_SPACE, "")) == 0:
        text = text.replace("-", "")
    return text.replace("-", MINUS)


def entry(value: float) -> str:
    """A number as it stands in an input field: exact, without needless zeros."""
    return f"{value:.15g}"
