"""A sheet of time-current curves as a file: SVG that stands alone, and PDF with the settings of its devices beside it."""

import io
from collections.abc import Iterator, Sequence
from functools import partial

from reportlab.pdfgen.canvas import Canvas

from northfell.documents.paint import Look, paint
from northfell.documents.sheets import INK, MADDER, MM, OCHRE, PAPER, QUIET, RULE, Title, mixed
from northfell.drawing.curve_sheet import Drawn
from northfell.drawing.metrics import register_fonts
from northfell.drawing.shapes import Shape, Style, Text, number, svg_of

TONES = ("#1E5F5A", "#74508C", "#5A7028", "#2B6C94", "#5B6A6E")  # as on the screen
VERDICTS = {"breach": MADDER, "close": OCHRE}
PAGE_MM = (297.0, 210.0)
MARGIN_MM, TABLE_MM, LINE_MM = 12.0, 82.0, 4.6
MOST_LINES = 36

Line = tuple[str, str, str, str]  # device, setting, primary, secondary


def _looks(tone: str = INK, chosen: bool = False) -> dict[str, Look]:
    """By class; what belongs to a device in its tone."""
    return {
        "grid": Look("", RULE, 0.5), "axis": Look("", QUIET, 0.9), "d": Look(QUIET), "tc-band": Look(mixed(PAPER, tone, 0.24 if chosen else 0.14)),
        "tc-edge": Look("", tone, 2.0 if chosen else 1.1), "tc-found": Look("", tone, 1.0, (3.0, 3.0)), "tc-ghost": Look("", mixed(PAPER, tone, 0.5), 0.6),
        "tc-other": Look(tone), "tc-name": Look(tone), "tc-plate": Look(PAPER),
        "tc-damage": Look("", INK, 1.4), "tc-load": Look("", QUIET, 1.1, (5.0, 3.0)), "tc-level": Look("", QUIET, 0.8, (2.0, 3.0)), "tc-foot": Look(INK),
        "tc-words": Look(INK), "tc-measure": Look("", INK, 1.4), "tc-short": Look("", MADDER, 0.8),
        "tc-arc": Look("", OCHRE, 1.4),
    }  # fmt: skip


def _look(style: Style, tone: str, chosen: bool) -> Look:
    classes = style.cls.split()
    look = _looks(tone, chosen).get(classes[0] if classes else "", Look(INK))
    colour = next((VERDICTS[c] for c in classes[1:] if c in VERDICTS), "")
    return Look(colour if look.fill and colour else look.fill, colour if look.stroke and colour else look.stroke, look.width, look.dashes)


def _toned(drawn: Drawn) -> Iterator[tuple[Shape, str, bool]]:
    """All shapes in the order in which they are drawn, each with the tone of its device."""
    for shape in drawn.ground:
        yield shape, INK, False
    for _, cls, shapes in drawn.groups:
        tone = next((TONES[int(c.removeprefix("tone-"))] for c in cls.split() if c.startswith("tone-")), INK)
        for shape in shapes:
            yield shape, tone, "chosen" in cls.split()
    for shape in drawn.over:
        yield shape, INK, False


def curves_svg(drawn: Drawn, title: Title) -> str:
    """The sheet as an SVG file of its own; text is escaped by the shapes."""
    w, h = drawn.size

    def rule(name: str, look: Look) -> str:
        dashes = f";stroke-dasharray:{' '.join(map(number, look.dashes))}" if look.dashes else ""
        return f"{name}{{fill:{look.fill or 'none'};stroke:{look.stroke or 'none'};stroke-width:{number(look.width)}{dashes}}}"

    rules = [rule(f".{name}", look) for name, look in _looks().items()]
    for k, tone in enumerate(TONES):
        own = {name: look for name, look in _looks(tone).items() if name in ("tc-band", "tc-edge", "tc-found", "tc-ghost", "tc-name", "tc-other")}
        rules += [rule(f".tone-{k} .{name}", look) for name, look in own.items()] + [f".tone-{k}.chosen .tc-edge{{stroke-width:2}}"]
    rules += [
        f".{verdict}.tc-{part}{{{what}:{colour}}}"
        for verdict, colour in VERDICTS.items()
        for part, what in (("words", "fill"), ("foot", "fill"), ("measure", "stroke"))
    ]
    rules += ["text{font-family:'Atkinson Hyperlegible Next',sans-serif;stroke:none}", "text.m{font-family:'Atkinson Hyperlegible Mono',monospace}"]
    groups = "".join(f'<g class="{cls}">{svg_of(shapes)}</g>' for _, cls, shapes in drawn.groups)
    head = svg_of([Text(40, -8, str(title), Style(cls="d"), 10)])
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 -24 {number(w)} {number(h + 24)}" '
        f'width="{number(1.6 * w)}" height="{number(1.6 * (h + 24))}"><style>{"".join(rules)}</style>'
        f'<rect x="0" y="-24" width="{number(w)}" height="{number(h + 24)}" fill="{PAPER}"/>{head}{svg_of(drawn.ground)}{groups}{svg_of(drawn.over)}</svg>\n'
    )


def curves_pdf(drawn: Drawn, title: Title, settings: Sequence[Line], gaps: Sequence[str]) -> bytes:
    """The sheet on a page of A4, with the settings of its devices and the gaps of its pairs beside it; what does not fit there goes on."""
    register_fonts()
    out = io.BytesIO()
    page_w, page_h = PAGE_MM
    canvas = Canvas(out, pagesize=(page_w * MM, page_h * MM))
    canvas.setTitle(f"{title.network}, {title.sheet}")
    canvas.setCreator("Northfell")
    w, h = drawn.size
    room = page_w - 2 * MARGIN_MM - TABLE_MM
    scale = min(room / w, (page_h - 2 * MARGIN_MM - 8) / h)
    canvas.saveState()
    canvas.translate(MARGIN_MM * MM, (page_h - MARGIN_MM) * MM)
    for shape, tone, chosen in _toned(drawn):
        paint(canvas, shape, scale * MM, partial(_look, tone=tone, chosen=chosen))
    canvas.restoreState()
    lines = [*settings, *(("", "", "", ""),) * bool(gaps), *((one, "", "", "") for one in gaps)]
    for start in range(0, max(len(lines), 1), MOST_LINES):
        if start:
            canvas.showPage()
        left = page_w - MARGIN_MM - TABLE_MM if not start else MARGIN_MM
        _beside(canvas, left, lines[start : start + MOST_LINES])
        paint(canvas, Text(MARGIN_MM, -MARGIN_MM + 4, str(title), Style(fill=QUIET), 3.0), MM)
    canvas.save()
    return out.getvalue()


def _beside(canvas: Canvas, left: float, lines: Sequence[Line]) -> None:
    columns = (0.0, 15.0, TABLE_MM - 20.0, TABLE_MM)
    heads = (("Device", "start"), ("Setting", "start"), ("Primary", "end"), ("Secondary", "end"))
    top = -(PAGE_MM[1] - MARGIN_MM - 6)
    for x, (head, anchor) in zip(columns, heads, strict=True):
        paint(canvas, Text(left + x, top, head, Style(fill=QUIET), 2.8, anchor), MM)
    for n, line in enumerate(lines, 1):
        for x, (_, anchor), words in zip(columns, heads, line, strict=True):
            if words:
                paint(canvas, Text(left + x, top + n * LINE_MM, words, Style(fill=INK), 2.8, anchor), MM)
