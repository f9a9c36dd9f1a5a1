"""Results with a row for each bus or terminal and the conductor in the name of each column; none of what no bus has."""

from collections.abc import Sequence

from northfell.core.model.elements import Bus
from northfell.core.network import Compiled
from northfell.core.rules.by_phase import CONDUCTORS
from northfell.core.tables import Cell, Column, Table

NEXT = {"a": "b", "b": "c", "c": "a", "1": "2"}


def conductors_of_all(net: Compiled) -> str:
    """Every conductor that some bus has, the same in all states."""
    there = {c for e in net.elements.values() if isinstance(e, Bus) for c in e.conductors}
    return "".join(c for c in CONDUCTORS if c in there)


def voltages(net: Compiled, buses: Table) -> Table:
    """By bus, from the table by conductor."""
    return _turned(net, "voltages", buses, ("state", "name"), ("v_pu", "angle_deg", "v_ln_pu", "v_ll_pu"))


def currents(net: Compiled, terminals: Table) -> Table:
    """By terminal, from the table by conductor."""
    keys = ("state", "element", "kind", "terminal", "bus")
    return _turned(net, "currents", terminals, keys, ("p_mw", "q_mvar", "i_a", "i_angle_deg", "i_re_a", "i_im_a"))


def _turned(net: Compiled, name: str, table: Table, keys: Sequence[str], values: Sequence[str]) -> Table:
    conductors = conductors_of_all(net)
    heads = {(value, c): head for value in values for c in conductors if (head := _head(table.columns[table.index(value)], c))}
    found: dict[tuple[Cell, ...], dict[tuple[str, str], Cell]] = {}
    key_at, phase_at, value_at = [table.index(k) for k in keys], table.index("phase"), [(v, table.index(v)) for v in values]
    for row in table.rows:
        cells = found.setdefault(tuple(row[k] for k in key_at), {})
        cells.update({(value, row[phase_at]): row[k] for value, k in value_at})
    columns = (*(table.columns[k] for k in key_at), *heads.values())
    return Table(name, columns, [(*key, *(cells.get(head) for head in heads)) for key, cells in found.items()])


def _head(column: Column, conductor: str) -> Column | None:
    """``v_pu`` of a is ``v_a_pu``; between phases ``v_ll_ab_pu``; None of what a conductor never has."""
    start, _, unit = column.name.rpartition("_")
    between = column.name.startswith("v_ll")
    if (between and conductor not in NEXT) or (column.name.startswith("v_ln") and conductor == "n"):
        return None
    which = conductor + (NEXT[conductor] if between else "")
    return Column(f"{start}_{which}_{unit}", column.unit, f"{column.label} {which}")
