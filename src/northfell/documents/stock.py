"""What labels are printed on: sheets and rolls, and where on them a label stands, whichever way it is turned."""

from collections.abc import Iterator
from dataclasses import dataclass

from northfell.core.errors import InputRefused

TURNS = (0, 90, 180, 270)  # clockwise
LEAST_MM, MOST_MM, MOST_CELLS = 5.0, 1500.0, 400
CLOSE_MM = 1e-6

Matrix = tuple[float, float, float, float, float, float]  # x' = a x + c y + e, y' = b x + d y + f; y runs downward


@dataclass(frozen=True)
class Stock:
    """A page of cells, or one piece of a roll. Cells are told as their labels are read; the page as it is printed [mm]."""

    name: str
    page_mm: tuple[float, float]
    cell_mm: tuple[float, float]
    columns: int = 1
    rows: int = 1
    margin_mm: tuple[float, float] = (0.0, 0.0)  # to the first cell on the page, from the left and the top
    pitch_mm: tuple[float, float] = (0.0, 0.0)  # from one cell to the next
    cell_turn: int = 0  # of the cell on the page
    label_turn: int = 0  # of the label in its cell
    fit: bool = True  # scaled to its cell; else in true size
    centred: bool = True  # else from the corner of its cell
    preprinted: str = ""  # the signal word whose panel is on it already

    @property
    def cells(self) -> int:
        return self.columns * self.rows

    @property
    def print_mm(self) -> tuple[float, float]:
        """What a cell takes of the page."""
        return _turned_size(self.cell_mm, self.cell_turn)

    def corner(self, k: int) -> tuple[float, float]:
        """The top left corner on the page of a cell, counted along the rows."""
        return self.margin_mm[0] + (k % self.columns) * self.pitch_mm[0], self.margin_mm[1] + (k // self.columns) * self.pitch_mm[1]

    def problems(self) -> list[InputRefused]:
        """Why it is none."""
        found: list[InputRefused] = []

        def refuse(field: str, value: object, accepted: str) -> None:
            found.append(InputRefused(field, value, accepted, where=f"Stock {self.name}"))

        if not 1 <= len(self.name.strip()) <= 60 or not self.name.isprintable():
            refuse("name", self.name[:80], "a name of 1 to 60 letters")
        for field, value in (
            ("page width", self.page_mm[0]),
            ("page height", self.page_mm[1]),
            ("cell width", self.cell_mm[0]),
            ("cell height", self.cell_mm[1]),
        ):
            if not LEAST_MM <= value <= MOST_MM:
                refuse(field, value, f"{LEAST_MM:g} to {MOST_MM:g} mm")
        if not (self.columns >= 1 and self.rows >= 1 and self.cells <= MOST_CELLS):
            refuse("columns and rows", f"{self.columns} × {self.rows}", f"1 to {MOST_CELLS} cells")
        if self.cell_turn not in TURNS or self.label_turn not in TURNS:
            refuse("turn", f"{self.cell_turn}, {self.label_turn}", "0, 90, 180 or 270")
        if self.preprinted not in ("", "DANGER", "WARNING"):
            refuse("preprinted", self.preprinted, "nothing, DANGER or WARNING")
        if found:
            return found
        for axis, way, many in ((0, "across", self.columns), (1, "down", self.rows)):
            taken, pitch = self.print_mm[axis], self.pitch_mm[axis]
            if many > 1 and not pitch >= taken - CLOSE_MM:
                refuse(f"pitch {way}", pitch, f"at least the {taken:g} mm that a cell takes")
            if not (self.margin_mm[axis] >= 0 and self.margin_mm[axis] + (many - 1) * pitch + taken <= self.page_mm[axis] + CLOSE_MM):
                refuse(f"cells {way}", f"{self.margin_mm[axis]:g} + {many - 1} × {pitch:g} + {taken:g} mm", f"within the page of {self.page_mm[axis]:g} mm")
        return found

    def holds(self, w_mm: float, h_mm: float) -> bool:
        """Whether a label goes into a cell."""
        w, h = _turned_size((w_mm, h_mm), self.label_turn)
        return self.fit or (w <= self.cell_mm[0] + CLOSE_MM and h <= self.cell_mm[1] + CLOSE_MM)

    def scale(self, w_mm: float, h_mm: float) -> float:
        """By how much a label is made smaller or larger."""
        w, h = _turned_size((w_mm, h_mm), self.label_turn)
        return min(self.cell_mm[0] / w, self.cell_mm[1] / h) if self.fit else 1.0

    def placed(self, k: int, w_mm: float, h_mm: float) -> Matrix:
        """Where on the page the label of a cell stands."""
        s = self.scale(w_mm, h_mm)
        w, h = (s * v for v in _turned_size((w_mm, h_mm), self.label_turn))
        dx, dy = ((self.cell_mm[0] - w) / 2, (self.cell_mm[1] - h) / 2) if self.centred else (0.0, 0.0)
        in_cell = then((s, 0, 0, s, 0, 0), then(turned(self.label_turn, s * w_mm, s * h_mm), (1, 0, 0, 1, dx, dy)))
        x, y = self.corner(k)
        return then(in_cell, then(turned(self.cell_turn, *self.cell_mm), (1, 0, 0, 1, x, y)))


def turned(turn: int, w: float, h: float) -> Matrix:
    """A box turned clockwise, so that its corner is at the origin again."""
    return {0: (1.0, 0.0, 0.0, 1.0, 0.0, 0.0), 90: (0.0, 1.0, -1.0, 0.0, h, 0.0), 180: (-1.0, 0.0, 0.0, -1.0, w, h), 270: (0.0, -1.0, 1.0, 0.0, 0.0, w)}[turn]


def then(first: Matrix, second: Matrix) -> Matrix:
    """One after the other."""
    a, b, c, d, e, f = first
    p, q, r, s, u, v = second
    return a * p + b * r, a * q + b * s, c * p + d * r, c * q + d * s, e * p + f * r + u, e * q + f * s + v


def _turned_size(size: tuple[float, float], turn: int) -> tuple[float, float]:
    return size if turn in (0, 180) else (size[1], size[0])


def pages(stock: Stock, many: int, used: int) -> Iterator[list[tuple[int, int]]]:
    """The pages of a job: of each, which label stands in which cell; some cells of the first are used already."""
    page: list[tuple[int, int]] = []
    for i in range(many):
        page.append((i, (i + used) % stock.cells))
        if (i + used + 1) % stock.cells == 0:
            yield page
            page = []
    if page:
        yield page


STOCKS = {
    "a4": Stock("A4, two of 150 × 100 mm", (210.0, 297.0), (150.0, 100.0), 1, 2, (30.0, 30.0), (0.0, 130.0)),
    "a4-8": Stock("A4, eight of 99 × 67 mm", (210.0, 297.0), (99.0, 67.0), 2, 4, (5.0, 12.0), (101.0, 69.0)),
    "a4-4-side": Stock("A4, four of 120 × 90 mm, read from the side", (210.0, 297.0), (120.0, 90.0), 2, 2, (12.0, 25.0), (96.0, 126.0), cell_turn=90),
    "roll": Stock("Roll, 150 × 100 mm", (150.0, 100.0), (150.0, 100.0)),
    "roll-side": Stock("Roll 104 mm wide, 150 × 100 mm read from the side", (104.0, 153.0), (150.0, 100.0), margin_mm=(2.0, 1.5), cell_turn=90),
    "roll-small": Stock("Roll, 100 × 60 mm", (100.0, 60.0), (100.0, 60.0)),
    "roll-warning": Stock("Roll, 150 × 100 mm, panel WARNING printed on it", (150.0, 100.0), (150.0, 100.0), preprinted="WARNING"),
}  # names and sizes of our own
FIRST = "a4"
