"""Heads and cells of tables that people paste and import: a parameter by its name, label or symbol, with a unit in the head."""

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from northfell.app.data.edits import read_typed
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.model.declare.parameters import Parameter
from northfell.core.model.network import Network
from northfell.core.quantities import QUANTITY_OF, canonical_unit, parse_wire_size

MOST_CELLS = 200_000
BARE_NUMBER = re.compile(r"[-+\u2212]?[0-9., \u2009\u202f]{1,60}(?:[eE][-+]?[0-9]{1,4})?")
SAID_YES_NO = {"yes": "true", "y": "true", "true": "true", "1": "true", "no": "false", "n": "false", "false": "false", "0": "false"}


@dataclass(frozen=True)
class Head:
    """A column: its parameter, and the unit that its head names (empty: that of the project)."""

    p: Parameter
    unit: str = ""


def head_of(text: str, parameters: Sequence[Parameter]) -> Head | None:
    """The column that a head names; None if it names none.

    Raises
    ------
    InputRefused
        If the unit in the head is of another quantity than the parameter.
    """
    bare, unit = text.strip(), ""
    if len(bare) > 200:
        return None
    if bare.endswith(("]", ")")):  # `Length [m]`, `Length (m)`
        start = max(bare.rfind("["), bare.rfind("("))
        bare, unit = (bare[:start].strip(), bare[start + 1 : -1].strip()) if start >= 0 else (bare, "")
    p = _named(bare, parameters)
    if p is None and " " in bare:  # `Length m`
        bare, _, unit = bare.rpartition(" ")
        p = _named(bare, parameters) if canonical_unit(unit) or unit.upper() == "AWG" else None
    if p is None:
        return None
    if not unit or (unit.upper() == "AWG" and p.unit == "mm²"):
        return Head(p, unit.upper())
    known = canonical_unit(unit)
    if known is None or QUANTITY_OF.get(known) != QUANTITY_OF.get(p.unit):
        raise InputRefused("unit", unit, f"a unit like {p.unit}" if p.unit else "no unit", where=f"Column {text.strip()[:60]}")
    return Head(p, known)


def _named(text: str, parameters: Sequence[Parameter]) -> Parameter | None:
    low = text.strip().casefold()
    for attribute in ("name", "label", "symbol"):
        found = [p for p in parameters if low and getattr(p, attribute).casefold() == low]
        if found:
            return found[0]
    return None


def read_cell(network: Network, head: Head, text: str, where: str) -> Any:
    """The value of one cell.

    Raises
    ------
    NetworkRefused
        With what is accepted; the range is for the model to check.
    """
    p, typed = head.p, text.strip().removeprefix("'") if text.startswith("'") else text.strip()
    if p.form == "yes or no":
        typed = SAID_YES_NO.get(typed.lower(), typed)
    elif p.form == "choice":
        typed = next((str(c) for c in p.choices if str(c).casefold() == typed.casefold()), typed)
    elif head.unit and BARE_NUMBER.fullmatch(typed):
        typed = f"{typed} {head.unit}"
    elif head.unit == "AWG" and parse_wire_size(typed) is None and parse_wire_size(f"{typed} AWG") is not None:
        typed = f"{typed} AWG"
    if typed == "" and not p.optional and p.form not in ("text", "table"):
        raise NetworkRefused([InputRefused(p.name, "empty", p.accepted, where=where)])
    return read_typed(network, p, typed, where)


def cells_of(text: str) -> list[list[str]]:
    """The cells of text from a spreadsheet or a CSV file: parted by tabs, else by semicolons, else by commas.

    Raises
    ------
    InputRefused
        If there are too many, or it is no table.
    """
    if "\x00" in text:
        raise InputRefused("table", "unreadable text", "rows of cells", where="Table")
    first = text.lstrip("\ufeff").split("\n", 1)[0]
    mark = "\t" if "\t" in text else ";" if first.count(";") > 0 else ","
    try:
        rows, taken = [], 0
        for row in csv.reader(io.StringIO(text.lstrip("\ufeff"), newline=""), delimiter=mark):
            taken += len(row)
            if taken > MOST_CELLS:
                raise InputRefused("table", f"more than {MOST_CELLS} cells", f"at most {MOST_CELLS}", where="Table")
            if any(cell.strip() for cell in row):
                rows.append(row)
    except csv.Error:
        raise InputRefused("table", "text that is no table", "rows of cells", where="Table") from None
    return rows
