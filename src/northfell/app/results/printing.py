"""Jobs of labels: which, how many, in which form and language, on which stock; with a code that leads to each place, and a logo."""

import io
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from sqlite3 import Connection
from urllib.parse import urlsplit

from PIL import Image, UnidentifiedImageError
from reportlab.graphics.barcode.qrencoder import QRCode, QRErrorCorrectLevel

from northfell.app.project.projects import Project
from northfell.app.results.labels import Standing
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.documents.label_words import EDITABLE, LANGUAGES, with_own
from northfell.documents.labels import Job, Label, labels_pdf
from northfell.documents.stock import FIRST, STOCKS, Stock
from northfell.drawing.label import TEMPLATES
from northfell.drawing.metrics import unprintable
from northfell.store import label_setup, readers

MOST_COPIES, MOST_LABELS, MOST_LETTERS, MOST_STOCKS = 20, 2000, 400, 50
LOGO_BYTES, LOGO_SIDE, LOGO_KEPT = 2 * 2**20, 6000, 800  # of what is sent; points of its sides, and of what is kept
SHAPES = (0.1, 10.0)  # width over height
Modules = tuple[tuple[bool, ...], ...]


@dataclass(frozen=True)
class Asked:
    """What is asked of a job."""

    copies: Mapping[str, int]  # by key of the place
    template: str = "field"
    stock: str = ""
    language: str = "en"
    title: str = ""
    remark: str = ""
    used: int = 0
    code: bool = False
    address: str = ""  # at which readers reach the application
    logo: bool = False


def stocks_of(db: Connection, project_id: int) -> dict[str, Stock]:
    """All that labels of a project can be printed on, by name: shipped, and its own."""
    own = {name: _stock(told) for name, told in label_setup.stocks(db, project_id).items()}
    return {**STOCKS, **own}


def _stock(told: dict[str, object]) -> Stock:
    return Stock(**{k: tuple(v) if isinstance(v, list) else v for k, v in told.items()})  # type: ignore[arg-type]


def keep_stock(db: Connection, project_id: int, stock: Stock) -> None:
    """Keep a stock of a project's own.

    Raises
    ------
    NetworkRefused
        If its cells do not stand on its page, or its name is that of a shipped one.
    """
    problems = stock.problems()
    if stock.name in {*STOCKS, *(one.name for one in STOCKS.values())}:
        problems.append(InputRefused("name", stock.name, "a name that no shipped stock has", where="Labels"))
    known = label_setup.stocks(db, project_id)
    if stock.name not in known and len(known) >= MOST_STOCKS:
        problems.append(InputRefused("stocks", len(known), f"at most {MOST_STOCKS} of one's own", where="Labels"))
    if problems:
        raise NetworkRefused(problems)
    label_setup.put_stock(db, project_id, stock.name, asdict(stock))


def keep_words(db: Connection, project_id: int, language: str, told: Mapping[str, str]) -> None:
    """Keep what labels of a project say in a language; what is empty is as it is shipped.

    Raises
    ------
    NetworkRefused
        If there is no such language, or a text is too long or cannot be printed.
    """
    if language not in LANGUAGES:
        raise NetworkRefused([InputRefused("language", language, "one of " + ", ".join(LANGUAGES), where="Labels")])
    own = {field: " ".join(told.get(field, "").split()) for field in EDITABLE}
    refused = []
    for field, text in own.items():
        if len(text) > MOST_LETTERS or (lacking := unprintable(text)):
            accepted = f"at most {MOST_LETTERS} letters" if len(text) > MOST_LETTERS else f"letters that can be printed, not “{lacking}”"
            refused.append(InputRefused(EDITABLE[field], text[:100], accepted, where="Labels"))
    shipped = vars(LANGUAGES[language])
    if not refused and own["do_not_work"] and "{limit}" not in own["do_not_work"]:
        refused.append(InputRefused(EDITABLE["do_not_work"], own["do_not_work"], "words with {limit} in them, in the place of the site limit", where="Labels"))
    if refused:
        raise NetworkRefused(refused)
    label_setup.put_words(db, project_id, language, {k: v for k, v in own.items() if v and v != shipped[k]})


def keep_logo(db: Connection, project_id: int, content: bytes) -> None:
    """Keep a picture as the logo of a project's labels, as PNG of a bounded size.

    Raises
    ------
    NetworkRefused
        If it is no PNG or JPEG picture, or too large.
    """

    def refused(value: str, accepted: str) -> NetworkRefused:
        return NetworkRefused([InputRefused("logo", value, accepted, where="Labels")])

    if not 0 < len(content) <= LOGO_BYTES:
        raise refused(f"{len(content)} bytes", f"1 byte to {LOGO_BYTES // 2**20} MB")
    try:
        with Image.open(io.BytesIO(content), formats=("PNG", "JPEG")) as picture:
            w, h = picture.size
            if max(w, h) > LOGO_SIDE or not SHAPES[0] <= w / max(h, 1) <= SHAPES[1]:
                raise refused(f"{w} × {h} points", f"at most {LOGO_SIDE} points a side, and no side more than {SHAPES[1]:g} times the other")
            kept = picture.convert("RGBA")
            kept.thumbnail((LOGO_KEPT, LOGO_KEPT))
            out = io.BytesIO()
            kept.save(out, "PNG")
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        raise refused("this file", "a picture as PNG or JPEG") from None
    label_setup.put_logo(db, project_id, out.getvalue(), w / h)


def job_of(db: Connection, opened: Project, standing: Sequence[Standing], asked: Asked, make_codes: bool = False) -> tuple[Job, list[Standing]]:
    """A job, and the places whose labels are in it. Links for codes that nobody has yet are made where that is asked for.

    Raises
    ------
    NetworkRefused
        If what is asked is unknown, or none of the places is among those that can be printed.
    """
    stocks = stocks_of(db, opened.id)
    refused = _unknown(asked.template, asked.stock, asked.language, stocks)
    those = [one for one in standing if asked.copies.get(one.key, 0) > 0]
    many = sum(asked.copies[one.key] for one in those)
    if not those:
        refused.append(InputRefused("chosen", "none", "at least one label that can be printed", where="Labels"))
    if many > MOST_LABELS or any(asked.copies[one.key] > MOST_COPIES for one in those):
        refused.append(InputRefused("copies", many, f"at most {MOST_COPIES} of a label and {MOST_LABELS} in all", where="Labels"))
    address = urlsplit(asked.address)
    if asked.code and (address.scheme not in ("http", "https") or not address.netloc or len(asked.address) > 200):
        refused.append(InputRefused("address", asked.address[:200], "where readers reach Northfell, such as https://northfell.example:8400", where="Labels"))
    if refused:
        raise NetworkRefused(refused)
    line = " ".join(asked.remark.split())
    labels = tuple(replace(one.label, remark=line) for one in those for _ in range(asked.copies[one.key]))
    words = with_own(LANGUAGES[asked.language], label_setup.words(db, opened.id).get(asked.language, {}))
    logo, shape = (label_setup.logo(db, opened.id) if asked.logo else None) or (b"", 1.0)
    codes = codes_of(db, opened.id, those, asked.address.rstrip("/"), make_codes) if asked.code else None
    return Job(asked.title, labels, stocks[asked.stock], asked.template, words, logo, shape, codes, asked.used), those


def _unknown(template: str, stock: str, language: str, stocks: Mapping[str, Stock]) -> list[InputRefused]:
    return [
        InputRefused(field, value, "one of " + ", ".join(known), where="Labels")
        for field, value, known in (("template", template, TEMPLATES), ("stock", stock, stocks), ("language", language, LANGUAGES))
        if value not in known
    ]


def plain_pdf(title: str, labels: Sequence[Label], template: str = "field", stock: str = FIRST, language: str = "en") -> bytes:
    """Labels as PDF on a stock that is shipped, one of each.

    Raises
    ------
    NetworkRefused
        If there is no such form, stock or language, or nothing to print.
    """
    refused = _unknown(template, stock, language, STOCKS)
    if not labels:
        refused.append(InputRefused("locations", 0, "at least one fed location with enclosure data", where="Labels"))
    if refused:
        raise NetworkRefused(refused)
    return labels_pdf(Job(title, tuple(labels), STOCKS[stock], template, LANGUAGES[language]))


def codes_of(db: Connection, project_id: int, those: Sequence[Standing], address: str, make: bool) -> dict[tuple[str, str], Modules]:
    """A code for each place, that leads to the readers' page of its board; of those without a link only where they are made."""
    tokens = {link.element_id: link.token for link in readers.of_project(db, project_id) if link.element_id}
    codes: dict[tuple[str, str], Modules] = {}
    for one in those:
        if one.bus not in tokens and make:
            tokens[one.bus] = readers.make(db, project_id, one.bus).token
        if one.bus in tokens:
            codes[one.label.equipment, one.label.side] = modules_of(f"{address}/read/{tokens[one.bus]}")
    return codes


def modules_of(text: str) -> Modules:
    """A text as a QR code (ISO/IEC 18004), of which a seventh may be damaged."""
    code = QRCode(None, QRErrorCorrectLevel.M)
    code.addData(text)
    code.make()
    n = code.getModuleCount()
    return tuple(tuple(bool(code.isDark(row, column)) for column in range(n)) for row in range(n))
