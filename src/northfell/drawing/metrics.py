"""Widths of text in the shipped fonts, so that geometry can be told before anything is painted."""

from functools import cache, lru_cache
from importlib import resources

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont

FONTS = {(False, False): "NextRegular", (True, False): "NextBold", (False, True): "MonoRegular", (True, True): "MonoBold"}  # bold, mono


@cache
def register_fonts() -> None:
    """Make the fonts known to the PDF library, once."""
    folder = resources.files("northfell.drawing") / "fonts"
    for name in FONTS.values():
        with resources.as_file(folder / f"{name}.ttf") as path:
            pdfmetrics.registerFont(TTFont(name, str(path)))


@cache
def _advances(bold: bool, mono: bool) -> tuple[dict[int, float], float]:
    register_fonts()
    face = pdfmetrics.getFont(FONTS[bold, mono]).face
    return face.charWidths, face.defaultWidth


@lru_cache(maxsize=50_000)
def width(text: str, size: float, bold: bool = False, mono: bool = False) -> float:
    """Width of a line of text in the unit of its size."""
    advances, default = _advances(bold, mono)
    return sum(advances.get(ord(c), default) for c in text) * size / 1000


def unprintable(text: str) -> str:
    """The characters of a text that the fonts lack."""
    advances, _ = _advances(True, False)
    return "".join(dict.fromkeys(c for c in text if ord(c) not in advances))
