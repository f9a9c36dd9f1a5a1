"""Arc-flash labels as PDF in true size, after the form of ANSI Z535.4 and with the content NFPA 70E 130.5(H) asks for."""

import io
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.quantities import THIN_SPACE
from northfell.documents.paint import paint
from northfell.drawing.label import LabelText, label_shapes
from northfell.drawing.metrics import register_fonts, unprintable
from northfell.drawing.shapes import Shape

TEMPLATES = ("field",)


@dataclass(frozen=True)
class Stock:
    """A sheet of labels: page and cells [mm] from its top left corner."""

    page_mm: tuple[float, float]
    cells: tuple[tuple[float, float], ...]


STOCKS = {"a4": Stock((210.0, 297.0), ((30.0, 30.0), (30.0, 160.0)))}  # two labels of 150 x 100 mm on a page of A4


@dataclass(frozen=True)
class Label:
    """The figures of one label. Energies are rounded up where they are printed."""

    equipment: str
    side: str
    network: str
    danger: bool
    site_limit_cal_cm2: float
    energy_cal_cm2: float
    energy_unit: str
    working_distance_mm: float
    boundary_mm: float
    v_kv: float
    limited_m: float | None
    restricted_m: float | None
    glove_class: str | None
    state: str
    several_states: bool
    method: str
    notes: tuple[str, ...]
    made_on: date
    side_told: str = ""  # which side of which main; empty where none is named
    remark: str = ""  # of the job, the same on all of its labels
    warnings: tuple[str, ...] = ()  # what the method needs and does not know

    def text(self) -> LabelText:
        """The label in words."""
        in_joule = round_up(self.energy_cal_cm2 * 4.184)
        energy, unit = (in_joule, "J/cm²") if self.energy_unit == "J/cm²" else (round_up(self.energy_cal_cm2), "cal/cm²")
        if self.energy_unit == "both":
            unit = f"cal/cm² ({in_joule} J/cm²)"
        volts = f"{self.v_kv:g} kV" if self.v_kv >= 1 else f"{self.v_kv * 1000:g} V"
        restricted = "–" if self.limited_m is None else "avoid contact" if self.restricted_m is None else f"{self.restricted_m:.1f} m"
        place = f"{self.network} · {self.side_told}" if self.side_told else self.network
        governed = f" · governed by state {self.state}" if self.several_states else ""
        instruction = (
            f"Do not work on live parts: above the site limit of {self.site_limit_cal_cm2:g} cal/cm²."
            if self.danger
            else "Appropriate personal protective equipment required."
        )
        return LabelText(
            signal="DANGER" if self.danger else "WARNING",
            energy=energy,
            energy_unit=unit,
            distance=f"{self.working_distance_mm:.0f} mm",
            instruction=instruction,
            rows=(
                ("Arc-flash boundary", f"{math.ceil(self.boundary_mm / 10) / 100:.2f} m"),
                ("Nominal voltage", volts),
                ("Limited approach", "–" if self.limited_m is None else f"{self.limited_m:.1f} m"),
                ("Glove class", self.glove_class or "–"),
                ("Restricted approach", restricted),
                # clothing is no answer above the site limit
                *([] if self.danger else [("Arc rating at least", f"{round_up(self.energy_cal_cm2)} cal/cm²")]),
            ),
            equipment=self.equipment,
            place=place + governed,
            small=(
                f"{self.method} · {self.made_on.isoformat()}",
                *([" · ".join(self.notes)] if self.notes else []),
                *(["; ".join(self.warnings)] if self.warnings else []),
                *([self.remark] if self.remark else []),
            ),
        )


def said_by(label: Label) -> dict[str, str]:
    """What a label says, by what it says it of: what is compared with the one that hangs there. Its date and remark are not."""
    text = label.text()
    told = {"Signal word": text.signal, "Equipment": text.equipment, "Incident energy": f"{text.energy} {text.energy_unit}", "Working distance": text.distance}
    rests = {"Place": label.side_told or label.side, "Method": label.method, "Warnings": "; ".join(label.warnings), "State": label.state}
    return told | dict(text.rows) | rests


def changes_since(was: Mapping[str, str], now: Mapping[str, str]) -> list[str]:
    """What a label says otherwise than one that was printed, in words."""
    keys = [k for k in dict.fromkeys((*now, *was)) if was.get(k, "") != now.get(k, "")]
    return [f"{k} {was.get(k) or '–'} → {now.get(k) or '–'}" for k in keys]


def round_up(value: float) -> str:
    """A printed energy is never below the computed one: rounded up to one decimal, whole above 100."""
    if value >= 100:
        return f"{math.ceil(value - 1e-9):,}".replace(",", THIN_SPACE)
    return f"{math.ceil(value * 10 - 1e-9) / 10:.1f}"


def shapes_of(label: Label) -> list[Shape]:
    """The label as shapes in millimetres, for screen and paper."""
    return label_shapes(label.text())


def unprintable_in(label: Label) -> list[InputRefused]:
    """Texts of a label with letters that the fonts lack."""
    texts = (("name", label.equipment), ("network", label.network), ("state", label.state), ("remark", label.remark))
    return [
        InputRefused(field, text, f"letters that can be printed, not “{lacking}”", where=f"Label {label.equipment}")
        for field, text in texts
        if (lacking := unprintable(text))
    ]


def labels_pdf(job: str, labels: Sequence[Label], stock: Stock, used: int = 0) -> bytes:
    """All labels on their stock, of whose first sheet some cells are used already; the document is titled after the job.

    Raises
    ------
    NetworkRefused
        If a name has letters that the fonts lack: a label with holes must not be printed.
    """
    if refused := [one for label in labels for one in unprintable_in(label)]:
        raise NetworkRefused(refused)
    register_fonts()
    out = io.BytesIO()
    width, height = (v * mm for v in stock.page_mm)
    canvas = Canvas(out, pagesize=(width, height) if stock.page_mm != (210.0, 297.0) else A4)
    canvas.setTitle(f"Arc-flash labels, {job}")
    canvas.setCreator("Northfell")
    for i, label in enumerate(labels):
        cell = (i + used) % len(stock.cells)
        if i and cell == 0:
            canvas.showPage()
        x, y = stock.cells[cell]
        canvas.saveState()
        canvas.translate(x * mm, height - y * mm)
        for shape in shapes_of(label):
            paint(canvas, shape, mm)
        canvas.restoreState()
    canvas.save()
    return out.getvalue()
