"""A sheet of the network as a file: SVG that stands alone, and PDF on the smallest page that keeps it readable."""

import io
from dataclasses import dataclass
from functools import partial

from reportlab.pdfgen.canvas import Canvas

from northfell.documents.paint import Look, paint
from northfell.drawing.metrics import register_fonts
from northfell.drawing.shapes import Shape, Style, Text, number, svg_of
from northfell.drawing.sheet import Drawing

INK, QUIET, MIST, RULE, BOARD, PAPER = "#18262B", "#5B6A6E", "#A9B3B3", "#D9D4C7", "#F3F0E6", "#FFFFFF"
MADDER, OCHRE = "#A3263F", "#94590A"
LOOKS = {  # by class, as the application shows them on paper
    "s": Look("", INK, 1.4), "w": Look("", INK, 1.4), "f": Look(INK), "bar": Look("", INK, 4.5), "band": Look(BOARD), "n": Look(INK), "v": Look(INK),
    "g": Look(INK), "d": Look(QUIET), "order": Look("", QUIET, 1.0, (1.5, 2.5)), "ring": Look("", QUIET, 1.3), "bar-back": Look(RULE), "bar-fill": Look(QUIET),
    "flag": Look(PAPER, QUIET, 0.8), "schedule": Look(PAPER, RULE, 1.0), "rule": Look("", RULE, 0.7),
    "pointer": Look("#1E5F5A"),
}  # fmt: skip
TARN, HEATHER, SHADES = "#2B6C94", "#74508C", (0.14, 0.28, 0.42, 0.58)  # of boards below and above nominal, as on the screen
NOT_PRINTED = {"hit", "halo"}
MM = 72 / 25.4
PAGES_MM = (("A4", 297.0, 210.0), ("A3", 420.0, 297.0), ("A2", 594.0, 420.0), ("A1", 841.0, 594.0), ("A0", 1189.0, 841.0))
MARGIN_MM, FOOT_MM = 10.0, 12.0
SMALLEST_TEXT_MM = 1.8  # of names on the page


@dataclass(frozen=True)
class Title:
    """What stands at the foot: whose sheet, in which state, and when."""

    network: str
    sheet: str
    state: str
    made: str
    settings: str = "Standard"  # the set of study settings

    def __str__(self) -> str:
        return f"{self.network} · {self.sheet} · {self.state} · settings {self.settings} · {self.made} · Northfell"


def mixed(base: str, other: str, part: float) -> str:
    """A colour between two."""
    pairs = ((int(base[k : k + 2], 16), int(other[k : k + 2], 16)) for k in (1, 3, 5))
    return "#" + "".join(f"{round(a + (b - a) * part):02X}" for a, b in pairs)


def _shade(name: str) -> str:
    """The fill of a board's band from the class of its voltage, such as low-3."""
    side, _, step = name.partition("-")
    return mixed(BOARD, TARN if side == "low" else HEATHER, SHADES[int(step) - 1])


SHADE_RULES = [f".{side}-{n}{{fill:{_shade(f'{side}-{n}')}}}" for side in ("low", "high") for n in (1, 2, 3, 4)]


def look_of(style: Style, state: str = "") -> Look:
    """The look of a style by its classes; what is not fed ("dead") is drawn in short dashes, what is planned in long ones."""
    classes = style.cls.split()
    if "wedge" in classes:
        return Look(MADDER, MADDER, 1.0) if "breach" in classes else Look(PAPER, OCHRE, 1.4)
    look = LOOKS.get(classes[0] if classes else "", Look())
    if classes[:1] == ["band"] and len(classes) > 1:
        return Look(_shade(classes[1]))
    if "p" in classes:
        look = Look(PAPER, look.stroke, look.width)
    elif classes[:1] == ["s"] and "f" in classes:
        look = Look(INK, look.stroke, look.width)
    elif classes[:1] == ["bar-fill"]:
        look = Look({"breach": MADDER, "close": OCHRE}.get(classes[-1], QUIET))
    if state in TONE_NAMES and look.stroke and classes[0] in ("s", "w"):
        colour, stroke = _tone(state)
        return Look(look.fill, colour, stroke)
    if state == "planned" and look.stroke:
        return Look(look.fill, look.stroke, look.width, LONG_DASHES)
    if state == "dead":
        return Look(MIST if look.fill == INK else look.fill, MIST if look.stroke else "", look.width, (3.0, 3.0) if look.stroke else ())
    return look


LONG_DASHES = (9.0, 4.0)
TONES = {f"tone-{n}": (part, 2.2) for n, part in ((1, 0.0), (2, 0.25), (3, 0.5), (4, 0.75), (5, 1.0))}  # of loaded elements: part of ink in mist, width


def _tone(name: str) -> tuple[str, float]:
    """Colour and width of the strokes of a loaded element, as on the screen."""
    if name in TONES:
        part, stroke = TONES[name]
        return mixed(MIST, INK, part), stroke
    return (MADDER, 3.2) if name == "tone-breach" else (OCHRE, 2.8)


TONE_NAMES = (*TONES, "tone-close", "tone-breach")


def printed(drawing: Drawing) -> list[tuple[Shape, str]]:
    """All shapes that go on paper, each with whether it is dead or planned, or how loaded."""
    return [
        (s, next((state for state in ("dead", "planned", *TONE_NAMES) if state in g.cls.split()), ""))
        for g in drawing.groups
        for s in (*g.shapes, *g.words)
        if s.style.cls.split()[:1] and s.style.cls.split()[0] not in NOT_PRINTED
    ]


def sheet_svg(drawing: Drawing, title: Title) -> str:
    """The sheet as an SVG file of its own; text is escaped by the shapes."""
    x, y, w, h = drawing.view
    rules = []
    for name, look in LOOKS.items():
        text = f"fill:{look.fill or 'none'};stroke:{look.stroke or 'none'};stroke-width:{number(look.width)}"
        rules.append(f".{name}{{{text}{';stroke-dasharray:' + ' '.join(map(number, look.dashes)) if look.dashes else ''}}}")
    rules += [
        f".p{{fill:{PAPER}}}",
        f".s.f{{fill:{INK}}}",
        f".wedge.breach{{fill:{MADDER}}}",
        f".wedge.close{{fill:{PAPER};stroke:{OCHRE}}}",
        ".hit,.halo{display:none}",
    ]
    rules += SHADE_RULES
    rules += [f".{name} .s,.{name} .w{{stroke:{colour};stroke-width:{stroke:g}}}" for name in TONE_NAMES for colour, stroke in (_tone(name),)]
    rules += [".planned .s,.planned .w,.planned .bar{stroke-dasharray:9 4}"]
    rules += [f".dead .s,.dead .w,.dead .bar{{stroke:{MIST};stroke-dasharray:3 3}}", "text{font-family:'Atkinson Hyperlegible Next',sans-serif;stroke:none}"]
    rules += ["text.m{font-family:'Atkinson Hyperlegible Mono',monospace}"]
    groups = "".join(f'<g class="{g.cls}">{g.svg}</g>' for g in drawing.groups)
    foot = svg_of([Text(x + 8, y + h - 12, str(title), Style(cls="d"), 12)])
    box = " ".join(map(number, (x, y, w, h)))
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" viewBox="{box}" width="{number(w)}" height="{number(h)}">'
        f'<style>{"".join(rules)}</style><rect x="{number(x)}" y="{number(y)}" width="{number(w)}" height="{number(h)}" fill="{PAPER}"/>'
        f"{groups}{foot}</svg>\n"
    )


def page_for(width: float, height: float) -> tuple[str, float, float, float]:
    """The smallest page on which names stay readable, and the scale: name, width and height in mm, mm for each drawing unit."""
    for name, page_w, page_h in PAGES_MM:
        scale = min((page_w - 2 * MARGIN_MM) / width, (page_h - 2 * MARGIN_MM - FOOT_MM) / height)
        if scale * 14 >= SMALLEST_TEXT_MM or name == PAGES_MM[-1][0]:
            return name, page_w, page_h, min(scale, 0.28)
    raise AssertionError


def sheet_pdf(drawing: Drawing, title: Title) -> bytes:
    """The sheet on one page, with its title at the foot."""
    register_fonts()
    x, y, w, h = drawing.view
    _, page_w, page_h, scale = page_for(w, h)
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(page_w * MM, page_h * MM))
    canvas.setTitle(f"{title.network}, {title.sheet}")
    canvas.setCreator("Northfell")
    canvas.saveState()
    across = (page_w - w * scale) / 2
    canvas.translate((across - x * scale) * MM, (page_h - MARGIN_MM + y * scale) * MM)
    for shape, state in printed(drawing):
        paint(canvas, shape, scale * MM, partial(look_of, state=state))
    canvas.restoreState()
    paint(canvas, Text(MARGIN_MM, -MARGIN_MM + 2, str(title), Style(fill=QUIET), 3.2), MM)
    canvas.save()
    return out.getvalue()
