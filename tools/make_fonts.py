"""Make the shipped fonts from the fontsource packages: woff2 for the screen, static TTF for paper. Run once when the fonts change.

Usage: python tools/make_fonts.py PACKAGES   (a folder with the unpacked npm packages; needs fonttools and brotli)
"""

import shutil
import sys
import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont

ROOT = Path(__file__).parent.parent / "src/northfell"
SCREEN = {
    "fontsource-atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-400-normal.woff2": "next-400.woff2",
    "fontsource-atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-700-normal.woff2": "next-700.woff2",
    "fontsource-atkinson-hyperlegible-mono/files/atkinson-hyperlegible-mono-latin-400-normal.woff2": "mono-400.woff2",
    "fontsource-atkinson-hyperlegible-mono/files/atkinson-hyperlegible-mono-latin-700-normal.woff2": "mono-700.woff2",
}
PAPER = {"next-400": "NextRegular", "next-700": "NextBold", "mono-400": "MonoRegular", "mono-700": "MonoBold"}


def _paper_font(latin: Path, target: Path) -> None:
    """Latin and extended Latin as one static font: names on labels come from many countries."""
    with tempfile.TemporaryDirectory() as folder:
        parts = []
        for part in (latin, latin.with_name(latin.name.replace("-latin-", "-latin-ext-"))):
            font = TTFont(part)
            font.flavor = None
            parts.append(f"{folder}/{part.stem}.ttf")
            font.save(parts[-1])
        Merger().merge(parts).save(target)


def main(packages: Path) -> None:
    screen, paper = ROOT / "web/static/fonts", ROOT / "drawing/fonts"
    for source, target in SCREEN.items():
        shutil.copy(packages / source, screen / target)
        _paper_font(packages / source, paper / f"{PAPER[target.removesuffix('.woff2')]}.ttf")
    shutil.copy(packages / "fontsource-atkinson-hyperlegible-next/LICENSE", screen / "LICENSE-next.txt")
    shutil.copy(packages / "fontsource-atkinson-hyperlegible-mono/LICENSE", screen / "LICENSE-mono.txt")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
