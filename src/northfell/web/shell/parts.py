"""What of an answer a window has already: an edit sends the symbols, rows and parts of the page that it changed, not all of them.

A window says with each request what it shows, by a token that it was given with it, which no other answer has. If that is still known
here, only what differs is sent; otherwise everything is.
"""

from dataclasses import dataclass, field, replace
from secrets import token_hex

from northfell.app.keeping import Kept
from northfell.drawing.shapes import Group
from northfell.web.shell.view import View


@dataclass(frozen=True)
class Shown:
    """What one answer showed: the groups of the sheet and the rows of the ledger."""

    groups: tuple[Group, ...]
    rows: tuple[str, ...]
    base: str  # the address to which each symbol adds itself
    table: tuple[str, str]  # stage and tab
    rest: tuple[object, ...]  # what the list of names and the tray depend on
    blocks: dict[str, object] = field(default_factory=dict)  # blocks of the page by their names, as they are written or what they are written of


@dataclass(frozen=True)
class Part:
    """What is sent, with the position of each group and row, and whether it is only some of them."""

    token: str
    groups: list[tuple[int, Group]]
    rows: list[tuple[int, str]]
    some_groups: bool = False
    some_rows: bool = False
    same_rest: bool = False
    blocks: dict[str, object] = field(default_factory=dict)  # of this answer, noted while it is written
    had: dict[str, object] = field(default_factory=dict)  # of what the window shows
    base: str = ""  # the token of that; empty where all is sent

    def has(self, name: str, written: object) -> bool:
        """Whether the window has a block as it is written now; it is noted for the answer after this."""
        self.blocks[name] = written
        return self.had.get(name) == written


@dataclass
class Answers:
    """The last answers, by token."""

    _kept: Kept[str, Shown] = field(default_factory=lambda: Kept(64))

    def part(self, view: View, groups: list[Group], rows: list[str], rest: tuple[object, ...], has: str) -> Part:
        """What to send to a window that shows `has` (empty: nothing)."""
        token, blocks = token_hex(12), dict[str, object]()
        base, table = replace(view, selected="").url, (view.stage, view.shown_tab)
        before = self._kept.get(has)
        self._kept.put(token, Shown(tuple(groups), tuple(rows), base, table, rest, blocks))
        if before is None:
            return Part(token, list(enumerate(groups)), list(enumerate(rows)), blocks=blocks)
        same_sheet = before.base == base and [g.element for g in before.groups] == [g.element for g in groups]
        same_rows = bool(rows) and before.table == table and len(before.rows) == len(rows)
        return Part(
            token,
            [(n, g) for n, g in enumerate(groups) if not same_sheet or g is not before.groups[n]],
            [(n, row) for n, row in enumerate(rows) if not same_rows or row != before.rows[n]],
            same_sheet,
            same_rows,
            rest == before.rest,
            blocks,
            before.blocks,
            has,
        )
