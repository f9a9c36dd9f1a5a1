"""Tables of an element (output levels and the like) as a person edits them: a cell, a row more or less, or rows as text."""

from typing import Any

from northfell.app.data.edits import no_field, read_typed
from northfell.core.errors import InputRefused, NetworkRefused, NotFound
from northfell.core.model.changes import Change, Differ, PutRow, Set
from northfell.core.model.declare.parameters import Parameter, parameter, parameters_of
from northfell.core.model.declare.rows import MOST_ROWS, Row, plain
from northfell.core.model.elements import Element
from northfell.core.model.network import Network, title_of
from northfell.core.model.showing import text_shown


def set_cell(network: Network, element_id: str, field: str, at: int, column: str, typed: str) -> Change:
    """Set one cell of a row; what chose the row by its name follows a new one.

    Raises
    ------
    NotFound, NetworkRefused
        If there is no such cell, or it does not take what was typed.
    """
    element, p, row = _row(network, element_id, field, at)
    c = next((one for one in p.columns if one.name == column), None)
    if c is None:
        raise no_field(element, f"{field}, {column}")
    value = read_typed(network, c, typed, _where(element, p, at))
    old = getattr(row, column)
    if value == old:
        return Change("", ())
    units = network.settings.units
    unit = f" {c.unit}" if c.unit else ""
    named = f" {row.name_shown}" if row.name_shown else f" {at + 1}"
    title = f"{element.name} {p.label.lower()},{named}: {c.label.lower()} {text_shown(c, old, units)} → {text_shown(c, value, units)}{unit}"
    new = {**row.model_dump(), column: value}
    if column == row.NAMED_BY and (acts := _renamed(network, element, p, at, new, old)):
        return Change(title, tuple(acts))
    return Change(title, (PutRow(id=element_id, field=field, at=at, to=new),))


def add_rows(network: Network, element_id: str, field: str, text: str) -> Change:
    """Put rows below those that stand, as typed or pasted: `full | 2`, or cells from a spreadsheet.

    Raises
    ------
    NotFound, NetworkRefused
        If it is no table, or a column does not take what was typed.
    """
    element, p = _table(network, element_id, field)
    new = read_typed(network, p, text, title_of(element))
    first = len(getattr(element, field))
    if first + len(new) > MOST_ROWS:
        raise NetworkRefused([InputRefused(field, f"{first + len(new)} rows", f"at most {MOST_ROWS} rows", where=title_of(element))])
    acts = tuple(PutRow(id=element_id, field=field, at=first + n, to=row, new=True) for n, row in enumerate(new))
    told = " ".join(text.split())
    return Change(f"{element.name} {p.label.lower()}: {told if len(told) <= 80 else f'{len(new)} rows'} added" if acts else "", acts)


def remove_row(network: Network, element_id: str, field: str, at: int) -> Change:
    """Take a row away."""
    element, p, row = _row(network, element_id, field, at)
    return Change(f"{element.name} {p.label.lower()}: {row.name_shown or at + 1} taken away", (PutRow(id=element_id, field=field, at=at, to=None),))


def _renamed(network: Network, element: Element, p: Parameter, at: int, new: dict[str, Any], old: Any) -> list[Any]:
    """The acts of a row that gets another name, where something chose it by the old one; none where nothing did."""
    choosing = [one.name for one in parameters_of(type(element)) if one.row_of == p.name]
    here = {name: new[_named_by(p)] for name in choosing if getattr(element, name) == old}
    acts: list[Any] = []
    for state in network.states:
        held = state.differences.get(element.id, {})
        there = {name: new[_named_by(p)] for name in choosing if held.get(name) == old}
        if there:
            acts.append(Differ(state=state.name, id=element.id, values={**held, **there}))
    if not here and not acts:
        return []
    rows = plain(getattr(element, p.name))
    rows[at] = new
    return [Set(id=element.id, values={p.name: rows, **here}), *acts]


def _named_by(p: Parameter) -> str:
    return p.row.NAMED_BY if p.row else ""


def _table(network: Network, element_id: str, field: str) -> tuple[Element, Parameter]:
    element = network.element(element_id)
    p = parameter(type(element), field)
    if p is None or p.form != "table":
        raise no_field(element, field)
    return element, p


def _row(network: Network, element_id: str, field: str, at: int) -> tuple[Element, Parameter, Row]:
    element, p = _table(network, element_id, field)
    rows: list[Row] = getattr(element, field)
    if not 0 <= at < len(rows):
        raise NotFound(f"{title_of(element)} has no row {at + 1} of {p.label.lower()} (any more).")
    return element, p, rows[at]


def _where(element: Element, p: Parameter, at: int) -> str:
    return f"{title_of(element)}, {p.label.lower()}, row {at + 1}"
