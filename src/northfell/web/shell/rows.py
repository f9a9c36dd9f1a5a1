"""Rows of the ledger as text. A ledger may have thousands, of which an edit changes a few: what was written once is kept."""

from html import escape

from northfell.app.keeping import Kept
from northfell.core.model.by_element import LastMade
from northfell.core.quantities import fixed
from northfell.web.shell.addresses import at
from northfell.web.shell.stage import STAGES
from northfell.web.shell.table_cells import CellShown, RowShown
from northfell.web.shell.view import View

ORDER = {"breach": 0, "close": 1, "missing": 2}
MARKS = {  # as the macro of the templates draws them
    "breach": '<svg class="wedge-mark" viewBox="0 0 10 10" role="img" aria-label="beyond a limit"><path class="wedge breach" d="M1 1V9H9Z"/></svg>',
    "close": '<svg class="wedge-mark" viewBox="0 0 10 10" role="img" aria-label="near a limit"><path class="wedge close" d="M1 1V9H9Z"/></svg>',
    "missing": '<svg class="wedge-mark" viewBox="0 0 10 10" role="img" aria-label="data missing"><circle class="ring" cx="5" cy="5" r="3.6"/></svg>',
}
_kept: Kept[tuple[object, ...], str] = Kept(20_000)


_LAST: LastMade[RowShown, str] = LastMade()


def rows_html(rows: list[RowShown], view: View) -> list[str]:
    """The rows of a ledger; every part of them is escaped here."""
    base = view.to(selected="", side="load").url
    made = []
    for row in rows:
        selected = bool(row.element) and row.element == view.selected and (row.side == view.side or not STAGES[view.stage].by_side)
        made.append(_LAST.of(row, (base, selected), _written, row, base, view, selected))
    return made


def _written(row: RowShown, base: str, view: View, selected: bool) -> str:
    """A row that was not there before; one that looks the same was written already."""
    key = (base, row.element, row.severity, row.side, row.state, row.over, row.act, selected, *[cell.seen for cell in row.cells])
    html = _kept.get(key)
    return _kept.put(key, _row(row, view, selected)) if html is None else html


def _row(row: RowShown, view: View, selected: bool) -> str:
    there = escape(view.to(selected=row.element, side=row.side, state=row.state or view.state).url)
    marks = f' data-element="{escape(row.element)}"' + (' aria-selected="true"' if selected else "") if row.element else ""
    first = f'<td class="mark-cell{" over" if row.over else ""}" data-sort="{ORDER.get(row.severity, 3)}">{MARKS.get(row.severity, "")}</td>'
    cells = "".join(_cell(cell, there if n == 0 and row.element else "") for n, cell in enumerate(row.cells))
    if row.act:
        path = escape(f"{at(view.project_id)}/{row.act}?{view.query}")
        cells += f'<td><button class="btn" hx-post="{path}">{escape(row.act_says)}</button></td>'
    return f"<tr{marks}>{first}{cells}</tr>"


def _cell(cell: CellShown, link: str) -> str:
    verdict = (f" {cell.severity}-text" if cell.severity in ("breach", "close") else "") + (" over" if cell.over else "")
    cls = ("num" if cell.number else "") + verdict + (" long" if not cell.number and len(cell.text) > 60 else "")
    bar = ""
    if cell.bar is not None:
        bar = (
            '<svg class="bar-cell" viewBox="0 0 60 4" preserveAspectRatio="none" aria-hidden="true"><rect class="bar-back" width="60" height="4"/>'
            f'<rect class="bar-fill {cell.severity}" width="{fixed(min(cell.bar * 60, 60), 1)}" height="4"/></svg>'
        )
    shown = f'<a href="{link}" tabindex="0">{escape(cell.text)}</a>' if link else escape(cell.text)
    return f'<td class="{cls.strip()}" data-sort="{escape(str(cell.sort))}">{bar}{shown}</td>'
