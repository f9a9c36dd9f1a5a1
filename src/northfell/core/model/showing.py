"""How a parameter's value is shown and typed in the units of the project: feet and wire gauges where it asks for them. Files keep SI."""

from typing import Any

from northfell.core.model.declare.parameters import Parameter
from northfell.core.model.declare.rows import plain
from northfell.core.model.settings import UnitSettings
from northfell.core.quantities import UNITS, entry, parse_quantity, wire_size

LENGTH_FIELDS = ("length_m",)
FT = UNITS["length"]["ft"]


def unit_shown(p: Parameter, units: UnitSettings) -> str:
    """The unit that stands beside the value."""
    if p.name in LENGTH_FIELDS:
        return units.lengths
    return "" if p.unit == "mm²" and units.conductors != "mm²" else p.unit


def plain_unit(p: Parameter, units: UnitSettings) -> str:
    """The unit that a typed number without one has; empty for that of the field."""
    if p.name in LENGTH_FIELDS and units.lengths != "m":
        return units.lengths
    return units.conductors if p.unit == "mm²" and units.conductors != "mm²" else ""


def number_shown(p: Parameter, value: float, units: UnitSettings) -> str:
    """A number as it stands in an entry field: exact, in the unit shown."""
    if p.name in LENGTH_FIELDS and units.lengths == "ft":
        return entry(float(f"{value / FT:.12g}"))
    return wire_size(value) if p.unit == "mm²" and units.conductors != "mm²" else entry(value)


def read_number(p: Parameter, typed: str, units: UnitSettings) -> float:
    """What was typed, in the unit of the field.

    Raises
    ------
    InputRefused
        If it is no number in a unit of that quantity.
    """
    return parse_quantity(typed, p.unit, p.name, plain_unit(p, units))


def rows_shown(p: Parameter, rows: list[Any], units: UnitSettings) -> str:
    """The rows of a table in one line, as they can be typed."""
    return "; ".join(" | ".join(text_shown(c, row.get(c.name, c.default), units) for c in p.columns) for row in plain(rows))


def text_shown(p: Parameter, value: Any, units: UnitSettings) -> str:
    """A value as it stands in an entry field; references are the caller's to name."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if p.form == "table":
        return rows_shown(p, value, units)
    return number_shown(p, value, units) if isinstance(value, float | int) else str(value)
