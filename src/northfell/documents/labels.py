"""Arc-flash labels as PDF in true size, after the form of ANSI Z535.4 and with the content NFPA 70E 130.5(H) asks for."""

import io
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from northfell.core.errors import InputRefused, NetworkRefused
from northfell.core.quantities import THIN_SPACE, figure
from northfell.documents.label_phrases import said_in
from northfell.documents.label_words import ENGLISH, Words
from northfell.documents.paint import paint
from northfell.documents.stock import Matrix, Stock, pages, turned
from northfell.drawing.label import PLAIN_DRESS, TEMPLATES, Dress, LabelText, label_shapes
from northfell.drawing.metrics import register_fonts, unprintable
from northfell.drawing.shapes import Shape, number, svg_of


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
    ibf_ka: float = math.nan  # of the case that governs, as all that follows
    i_arc_ka: float = math.nan
    cleared_by: str = ""
    exposure_s: float = math.nan
    configuration: str = ""
    gap_mm: float = math.nan

    def text(self, words: Words = ENGLISH) -> LabelText:
        """The label in words of a language."""
        in_joule = round_up(self.energy_cal_cm2 * 4.184)
        energy, unit = (in_joule, "J/cm²") if self.energy_unit == "J/cm²" else (round_up(self.energy_cal_cm2), "cal/cm²")
        if self.energy_unit == "both":
            unit = f"cal/cm² ({in_joule} J/cm²)"
        volts = f"{self.v_kv:g} kV" if self.v_kv >= 1 else f"{self.v_kv * 1000:g} V"
        restricted = "–" if self.limited_m is None else words.avoid_contact if self.restricted_m is None else f"{self.restricted_m:.1f} m"
        side, notes, warnings = said_in(words.name, self.side_told), *((said_in(words.name, t) for t in told) for told in (self.notes, self.warnings))
        place = f"{self.network} · {side}" if side else self.network
        governed = f" · {words.governed.replace('{state}', self.state)}" if self.several_states else ""
        limit = f"{self.site_limit_cal_cm2:g} cal/cm²"
        boundary = words.boundary, f"{math.ceil(self.boundary_mm / 10) / 100:.2f} m"
        return LabelText(
            signal="DANGER" if self.danger else "WARNING",
            energy=energy,
            energy_unit=unit,
            energy_at=words.energy_at.replace("{distance}", self.distance),
            instruction=(words.do_not_work if self.danger else words.protective).replace("{limit}", limit),
            rows=(
                boundary,
                (words.voltage, volts),
                (words.limited, "–" if self.limited_m is None else f"{self.limited_m:.1f} m"),
                (words.glove, self.glove_class or "–"),
                (words.restricted, restricted),
                # clothing is no answer above the site limit
                *([] if self.danger else [(words.arc_rating, f"{round_up(self.energy_cal_cm2)} cal/cm²")]),
            ),
            equipment=self.equipment,
            place=place + governed,
            small=(
                f"{self.method} · {self.made_on.isoformat()}",
                *([" · ".join(notes)] if self.notes else []),
                *(["; ".join(warnings)] if self.warnings else []),
                *([self.remark] if self.remark else []),
            ),
            signal_told=words.danger if self.danger else words.warning,
            hazard=words.hazard,
            procedure=words.procedure,
            details=(
                (words.bolted, f"{figure(self.ibf_ka, 3)} kA"),
                (words.device, self.cleared_by or "–"),
                (words.arcing, f"{figure(self.i_arc_ka, 3)} kA"),
                (words.clears, f"{figure(self.exposure_s, 3)} s"),
                (words.configuration, self.configuration or "–"),
                (words.gap, f"{self.gap_mm:g} mm"),
            ),
            boundary=boundary,
        )

    @property
    def distance(self) -> str:
        return f"{self.working_distance_mm:.0f} mm"


FORM = "Form"


def said_by(label: Label, form: str = "field") -> dict[str, str]:
    """What a label of a form says, by what it says it of: what is compared with the one that hangs there. Its date and remark are not."""
    text = label.text()
    told = {"Signal word": text.signal, "Equipment": text.equipment, "Incident energy": f"{text.energy} {text.energy_unit}", "Working distance": label.distance}
    rests = {"Place": label.side_told or label.side, "Method": label.method, "Warnings": "; ".join(label.warnings), "State": label.state}
    limit = {"Site limit": f"{label.site_limit_cal_cm2:g} cal/cm²"} if label.danger else {}
    return told | dict(text.rows) | limit | rests | (dict(text.details) if form == "detailed" else {}) | {FORM: form}


def changes_since(was: Mapping[str, str], now: Mapping[str, str]) -> list[str]:
    """What a label says otherwise than one that was printed, in words."""
    keys = [k for k in dict.fromkeys((*now, *was)) if was.get(k, "") != now.get(k, "")]
    return [f"{k} {was.get(k) or '–'} → {now.get(k) or '–'}" for k in keys]


def round_up(value: float) -> str:
    """A printed energy is never below the computed one: rounded up to one decimal, whole above 100."""
    if value >= 100:
        return f"{math.ceil(value - 1e-9):,}".replace(",", THIN_SPACE)
    return f"{math.ceil(value * 10 - 1e-9) / 10:.1f}"


def shapes_of(label: Label, template: str = "field", words: Words = ENGLISH, dress: Dress = PLAIN_DRESS) -> list[Shape]:
    """The label as shapes in millimetres, for screen and paper."""
    return label_shapes(label.text(words), template, dress)


def unprintable_in(label: Label, words: Words = ENGLISH) -> list[InputRefused]:
    """Texts of a label with letters that the fonts lack."""
    texts = [("name", label.equipment), ("network", label.network), ("state", label.state), ("remark", label.remark), ("device", label.cleared_by)]
    texts += [(field.replace("_", " "), said) for field, said in vars(words).items() if words is not ENGLISH]
    return [
        InputRefused(field, text, f"letters that can be printed, not “{lacking}”", where=f"Label {label.equipment}")
        for field, text in texts
        if (lacking := unprintable(text))
    ]


@dataclass(frozen=True)
class Job:
    """Labels in one form on one stock."""

    title: str
    labels: tuple[Label, ...]
    stock: Stock
    template: str = "field"
    words: Words = ENGLISH
    logo: bytes = b""
    logo_shape: float = 1.0
    codes: Mapping[tuple[str, str], tuple[tuple[bool, ...], ...]] | None = None  # by equipment and side; those that are made when printed are lacking
    used: int = 0  # cells of the first page

    @property
    def size_mm(self) -> tuple[float, float]:
        return TEMPLATES[self.template].w_mm, TEMPLATES[self.template].h_mm

    def shapes_of(self, label: Label) -> list[Shape]:
        """A label as this job prints it."""
        code = (self.codes or {}).get((label.equipment, label.side), ())
        dress = Dress(bool(self.stock.preprinted), code, self.codes is not None and not code, self.logo, self.logo_shape)
        return shapes_of(label, self.template, self.words, dress)

    def pages(self) -> list[list[tuple[Label, int]]]:
        """Which label stands in which cell, page by page."""
        return [[(self.labels[i], cell) for i, cell in page] for page in pages(self.stock, len(self.labels), self.used)]

    def problems(self) -> list[InputRefused]:
        """Why it cannot be printed."""
        found = [*self.stock.problems(), *(one for label in self.labels for one in unprintable_in(label, self.words))]
        if not 0 <= self.used < self.stock.cells:
            found.append(InputRefused("used", self.used, f"0 to {self.stock.cells - 1} cells of the first page", where="Labels"))
        w, h = self.size_mm
        if not self.stock.holds(w, h):
            accepted = f"cells in which a label of {w:g} × {h:g} mm stands in true size, or labels scaled to fit"
            found.append(InputRefused("stock", f"{self.stock.cell_mm[0]:g} × {self.stock.cell_mm[1]:g} mm", accepted, where=f"Stock {self.stock.name}"))
        said = {"DANGER" if one.danger else "WARNING" for one in self.labels} - {self.stock.preprinted}
        if self.stock.preprinted and said:
            accepted = f"labels that say {self.stock.preprinted}, whose panel is on this stock already"
            found.append(InputRefused("labels", " and ".join(sorted(said)), accepted, where=f"Stock {self.stock.name}"))
        return found


def labels_pdf(job: Job) -> bytes:
    """All labels on their stock; the document is titled after the job.

    Raises
    ------
    NetworkRefused
        If a name has letters that the fonts lack (a label with holes must not be printed), or the stock does not take the labels.
    """
    if refused := job.problems():
        raise NetworkRefused(refused)
    register_fonts()
    out = io.BytesIO()
    width, height = (v * mm for v in job.stock.page_mm)
    canvas = Canvas(out, pagesize=(width, height))
    canvas.setTitle(f"Arc-flash labels, {job.title}")
    canvas.setCreator("Northfell")
    for page in job.pages():
        for label, cell in page:
            a, b, c, d, e, f = job.stock.placed(cell, *job.size_mm)
            canvas.saveState()
            canvas.transform(a, -b, -c, d, e * mm, height - f * mm)
            for shape in job.shapes_of(label):
                paint(canvas, shape, mm)
            canvas.restoreState()
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def page_svg(job: Job, page: Sequence[tuple[Label, int]], outlines: bool, as_read: bool) -> str:
    """A page as it prints, in millimetres; with the outlines of its cells, and turned so that its labels can be read, where that is asked for."""
    w, h = job.stock.page_mm
    turn = -(job.stock.cell_turn + job.stock.label_turn) % 360 if as_read else 0
    shown_w, shown_h = (w, h) if turn in (0, 180) else (h, w)
    parts = [f'<rect class="paper" x="0" y="0" width="{w:g}" height="{h:g}"/>']
    for label, cell in page:
        parts.append(f'<g transform="{_matrix(job.stock.placed(cell, *job.size_mm))}">{svg_of(job.shapes_of(label))}</g>')
    if outlines:
        cw, ch = job.stock.print_mm
        corners = (job.stock.corner(k) for k in range(job.stock.cells))
        parts += [f'<rect class="cell" x="{number(x)}" y="{number(y)}" width="{cw:g}" height="{ch:g}"/>' for x, y in corners]
    inside = f'<g transform="{_matrix(turned(turn, w, h))}">{"".join(parts)}</g>'
    return f'<svg viewBox="0 0 {shown_w:g} {shown_h:g}" width="{shown_w:g}mm" height="{shown_h:g}mm" role="img" aria-label="A page as it prints">{inside}</svg>'


def _matrix(m: Matrix) -> str:
    return f"matrix({' '.join(f'{v:.6g}' for v in m)})"
