"""Result tables as a PDF: one table after the other, heads with units on every page, pages numbered."""

import io
import math
from collections.abc import Sequence
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib import colors
from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import LongTable, PageBreak, Paragraph, SimpleDocTemplate, Spacer, TableStyle

from northfell.core.quantities import figure
from northfell.core.tables import Table
from northfell.drawing.metrics import FONTS, register_fonts

MARGIN = 36.0
RULE, QUIET = colors.HexColor("#D9D4C7"), colors.HexColor("#5B6A6E")


def tables_pdf(title: str, tables: Sequence[Table]) -> bytes:
    """All tables on landscape pages of A4; text from users is escaped, numbers carry four digits."""
    register_fonts()
    plain, bold, mono = FONTS[False, False], FONTS[True, False], FONTS[False, True]
    small = ParagraphStyle("cell", fontName=plain, fontSize=6.5, leading=8)
    number = ParagraphStyle("number", parent=small, fontName=mono, alignment=2)
    head = ParagraphStyle("head", parent=small, textColor=QUIET)
    page = landscape(A4)
    story: list[Any] = []
    for n, table in enumerate(tables):
        if n:
            story.append(PageBreak())
        story.append(Paragraph(escape(table.name.replace("_", " ").capitalize()), ParagraphStyle("title", fontName=bold, fontSize=13, leading=16)))
        story.append(Spacer(1, 6))
        if not table.rows:
            story.append(Paragraph("No rows.", small))
            continue
        kept = [c for c in range(len(table.columns)) if any(row[c] not in (None, "") for row in table.rows)]
        heads = [Paragraph(escape(f"{table.columns[c].label or table.columns[c].name} {table.columns[c].unit}".strip()), head) for c in kept]
        rows = [[_cell(row[c], small, number) for c in kept] for row in table.rows]
        widths = _widths([[str(_plain(row[c])) for c in kept] for row in table.rows[:200]], page[0] - 2 * MARGIN)
        made = LongTable([heads, *rows], colWidths=widths, repeatRows=1)
        made.setStyle(TableStyle([
            ("LINEBELOW", (0, 0), (-1, -1), 0.4, RULE), ("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 2),
            ("RIGHTPADDING", (0, 0), (-1, -1), 4), ("TOPPADDING", (0, 0), (-1, -1), 1.5), ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5),
        ]))  # fmt: skip
        story.append(made)
    out = io.BytesIO()

    def foot(canvas: Any, document: Any) -> None:
        canvas.setFont(plain, 8)
        canvas.setFillColor(QUIET)
        canvas.drawString(MARGIN, 20, title)
        canvas.drawRightString(page[0] - MARGIN, 20, f"page {document.page}")

    document = SimpleDocTemplate(out, pagesize=page, leftMargin=MARGIN, rightMargin=MARGIN, topMargin=MARGIN, bottomMargin=MARGIN, title=title)
    document.build(story, onFirstPage=foot, onLaterPages=foot)
    return out.getvalue()


def _plain(cell: Any) -> str:
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, complex):
        return f"{figure(cell.real)} + j{figure(cell.imag)}"
    if isinstance(cell, float):
        return figure(cell) if math.isfinite(cell) else ""
    return str(cell)


def _cell(cell: Any, text: ParagraphStyle, number: ParagraphStyle) -> Paragraph:
    is_number = isinstance(cell, float | int | complex) and not isinstance(cell, bool)
    return Paragraph(escape(_plain(cell)), number if is_number else text)


def _widths(rows: list[list[str]], room: float) -> list[float]:
    """Columns by the square root of their longest text, so that a long one does not starve the others."""
    weights = [max(2.2, math.sqrt(max((len(row[c]) for row in rows), default=1))) for c in range(len(rows[0]))]
    return [room * w / sum(weights) for w in weights]
