"""Shapes on a page of a PDF: their y runs downward in the drawing's unit, the page's upward in points."""

import io
from collections.abc import Callable
from dataclasses import dataclass

from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from northfell.drawing.metrics import FONTS
from northfell.drawing.shapes import Arc, Circle, Line, Picture, Polygon, Rect, Shape, Style, Text


@dataclass(frozen=True)
class Look:
    """How a style is painted: colours (empty for none), width of line in the drawing's unit, dashes."""

    fill: str = ""
    stroke: str = ""
    width: float = 1.0
    dashes: tuple[float, ...] = ()


def own_look(style: Style) -> Look:
    """The colours that a style carries itself."""
    return Look(style.fill, style.stroke, style.width)


def paint(canvas: Canvas, shape: Shape, unit: float, look_of: Callable[[Style], Look] = own_look) -> None:
    """One shape; `unit` is the size of the drawing's unit in points."""
    if isinstance(shape, Picture):
        canvas.drawImage(ImageReader(io.BytesIO(shape.png)), shape.x * unit, -(shape.y + shape.h) * unit, shape.w * unit, shape.h * unit, mask="auto")
        return
    look = look_of(shape.style)
    if look.fill:
        canvas.setFillColor(look.fill)
    if look.stroke:
        canvas.setStrokeColor(look.stroke)
        canvas.setLineWidth(look.width * unit)
        canvas.setDash([d * unit for d in look.dashes])
    fill, stroke = int(bool(look.fill)), int(bool(look.stroke))
    if isinstance(shape, Text):
        canvas.setFont(FONTS[shape.bold, shape.mono], shape.size * unit)
        draw = {"start": canvas.drawString, "middle": canvas.drawCentredString, "end": canvas.drawRightString}[shape.anchor]
        draw(shape.x * unit, -shape.y * unit, shape.text)
    elif not fill and not stroke:
        return
    elif isinstance(shape, Rect):
        canvas.roundRect(shape.x * unit, -(shape.y + shape.h) * unit, shape.w * unit, shape.h * unit, shape.corner * unit, stroke, fill)
    elif isinstance(shape, Circle):
        canvas.circle(shape.x * unit, -shape.y * unit, shape.r * unit, stroke, fill)
    elif isinstance(shape, Arc):
        path = canvas.beginPath()
        (x, y), *rest = shape.curve()
        path.moveTo(x * unit, -y * unit)
        for a, b, c in zip(rest[0::3], rest[1::3], rest[2::3], strict=True):
            path.curveTo(*(v for px, py in (a, b, c) for v in (px * unit, -py * unit)))
        canvas.drawPath(path, stroke, 0)
    else:
        path = canvas.beginPath()
        (x, y), *rest = shape.points
        path.moveTo(x * unit, -y * unit)
        for px, py in rest:
            path.lineTo(px * unit, -py * unit)
        if isinstance(shape, Polygon):
            path.close()
        canvas.drawPath(path, stroke, fill if not isinstance(shape, Line) else 0)
