"""The form "table" of a parameter: rows of declared columns, such as the output levels of a generator.

A row is a record whose fields are declared like those of an element. A class of rows may say which of its columns names a row; names are
then unique in a table, and another parameter may choose a row by its name (:func:`param`, `row_of`).
"""

from collections.abc import Iterable
from typing import Annotated, Any, ClassVar, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict

from northfell.core.errors import InputRefused

MOST_ROWS = 200


class Row(BaseModel):
    """One row; its columns are declared with :func:`param`."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)
    NAMED_BY: ClassVar[str] = ""  # the column that names a row; empty where rows have only their place

    @property
    def name_shown(self) -> str:
        """The name of the row, empty where it has none."""
        return str(getattr(self, self.NAMED_BY)) if self.NAMED_BY else ""


R = TypeVar("R", bound=Row)


def _whole(rows: list[R]) -> list[R]:
    """Rows in number and with names of their own.

    Raises
    ------
    InputRefused
        With the name that stands twice.
    """
    if len(rows) > MOST_ROWS:
        raise InputRefused("rows", len(rows), f"at most {MOST_ROWS} rows")
    seen: set[str] = set()
    for row in rows:
        if row.NAMED_BY and row.name_shown in seen:
            raise InputRefused(row.NAMED_BY, row.name_shown, "a name that no other row of the table has")
        seen.add(row.name_shown)
    return rows


Rows = Annotated[list[R], AfterValidator(_whole)]


def plain(value: Any) -> Any:
    """A value as files hold it: rows as records, all else as it is."""
    return [row.model_dump() if isinstance(row, Row) else row for row in value] if isinstance(value, list) else value


def with_row(rows: list[Any], at: int, to: dict[str, Any] | None, new: bool) -> list[Any]:
    """The rows with another one at a place (or before it, if `new`), or without that one.

    Raises
    ------
    IndexError
        If there is no such place.
    """
    if at > len(rows) - (not new):
        raise IndexError(at)
    return [*rows[:at], *([] if to is None else [to]), *rows[at + (not new) :]]


def at(rows: Iterable[Any], n: int) -> Any:
    """The row of a place, as a record; None where there is none."""
    held = plain(list(rows))
    return held[n] if 0 <= n < len(held) else None
