"""Printing labels: which of them, how many, in which form, on which stock; what was printed is kept, and what has changed since is known."""

from dataclasses import dataclass
from sqlite3 import Connection
from typing import Annotated, Any
from urllib.parse import quote_plus

from fastapi import APIRouter, Depends, File, Form, Query, Request, Response, UploadFile
from fastapi.exceptions import RequestValidationError
from fastapi.responses import RedirectResponse
from pydantic import BaseModel, Field, ValidationError

from northfell.app import printer
from northfell.app.project.projects import Project, open_project
from northfell.app.results import labels, printing
from northfell.app.results.printing import Asked
from northfell.core.errors import InputRefused, NetworkRefused, NorthfellError, NotFound
from northfell.documents.label_words import EDITABLE, LANGUAGES
from northfell.documents.labels import Job, labels_pdf, page_svg, said_by
from northfell.documents.stock import FIRST, STOCKS, TURNS, Stock
from northfell.drawing.label import TEMPLATES
from northfell.store import label_setup, person_of, printed, transaction
from northfell.web.shell.addresses import at
from northfell.web.shell.answering import Db, file_answer, project_page, slug, templates
from northfell.web.shell.view import Looking, View

router = APIRouter(prefix="/projects/{project_id}")
MOST_PAGES = 4  # that are shown of a job
MOST_PLACES = 20_000  # that a form tells of, most of them with no copy
Name = Annotated[str, Form(max_length=60)]
Length = Annotated[float, Form(ge=0, le=2000)]


@dataclass(frozen=True)
class Filled:
    """The form as it was filled in."""

    asked: Asked
    outlines: bool
    as_read: bool


class JobForm(BaseModel):
    """The form of a job, as it is sent."""

    key: list[str] = Field([], max_length=MOST_PLACES)
    copies: list[Annotated[int, Field(ge=0)]] = Field([], max_length=MOST_PLACES)
    template: str = Field("field", max_length=60)
    stock: str = Field(FIRST, max_length=60)
    language: str = Field("en", max_length=60)
    job: str = Field("", max_length=80)
    remark: str = Field("", max_length=120)
    used: int = Field(0, ge=0, le=1000)
    code: bool = False
    address: str = Field("", max_length=200)
    logo: bool = False
    outlines: bool = False
    as_read: bool = False


async def filled(request: Request) -> Filled:
    """What the form of a job says; it tells of every place, which are more fields than other forms may have."""
    sent = await request.form(max_fields=2 * MOST_PLACES + 100)
    lists = {"key": sent.getlist("key"), "copies": sent.getlist("copies")}
    try:
        form = JobForm.model_validate({**sent, **lists})
    except ValidationError as error:
        raise RequestValidationError([{**one, "loc": ("body", *one["loc"])} for one in error.errors()]) from None
    if len(form.key) != len(form.copies):
        raise NetworkRefused([InputRefused("copies", len(form.copies), "a number of copies, 0 or more, for each label", where="Labels")])
    wanted = {"\n".join(k.splitlines()): n for k, n in zip(form.key, form.copies, strict=True)}  # however a browser writes the end of a line
    asked = Asked(
        wanted, form.template, form.stock, form.language, form.job.strip(), form.remark, form.used, form.code, form.address.strip(), form.logo
    )  # fmt: skip
    return Filled(asked, form.outlines, form.as_read)


Form_ = Annotated[Filled, Depends(filled)]


@router.get("/labels")
def to_print(
    request: Request, db: Db, view: Looking, stock: Annotated[str, Query(max_length=60)] = FIRST, language: Annotated[str, Query(max_length=10)] = "en",
    template: Annotated[str, Query(max_length=20)] = "field", alone: bool = False,
) -> Response:  # fmt: skip
    """All labels beside those that hang on the equipment."""
    return _page(request, db, view, stock=stock, language=language, form=template, alone=alone)


def _page(request: Request, db: Connection, view: View, **seen: Any) -> Response:
    opened = open_project(db, view.project_id, view.proposal)
    job = labels.labels_of(opened.network, request.app.state.results.of(opened))
    rows = labels.standing(opened.network, job, printed.last_of_project(db, opened.id))
    alone = seen.pop("alone", False)
    chosen = {one.key: int(one.bus == view.selected and one.label.side == view.side if alone else one.due) for one in rows}
    own = label_setup.words(db, opened.id)
    told = {"stock": FIRST, "language": "en", "form": "field", "done": "", **seen}
    return project_page(
        request, opened, "pages/results/printing.html", "Labels", rows=rows, left_out=job.left_out, view=view, chosen=chosen, most=printing.MOST_COPIES,
        stocks=printing.stocks_of(db, opened.id), shipped=STOCKS, forms=TEMPLATES, languages=LANGUAGES, own=own, editable=EDITABLE, turns=TURNS,
        has_logo=label_setup.logo(db, opened.id) is not None, origin=str(request.base_url).rstrip("/"), printer=request.app.state.printer, **told,
    )  # fmt: skip


@router.post("/labels/preview")
def preview(request: Request, db: Db, view: Looking, form: Form_) -> Response:
    """The pages as they will print, or why they cannot."""
    opened = open_project(db, view.project_id, view.proposal)
    seen: dict[str, Any] = {"pages": [], "many": 0, "refused": ""}
    try:
        job, _ = _job(db, opened, _standing(request, opened), form)
        if problems := job.problems():
            raise NetworkRefused(problems)
        pages = job.pages()
        seen |= {"pages": [page_svg(job, page, form.outlines, form.as_read) for page in pages[:MOST_PAGES]], "many": len(pages), "job": job}
    except NorthfellError as error:
        seen["refused"] = str(error)
    return templates.TemplateResponse(request, "pages/results/_sheets.html", seen)


@router.post("/labels")
def print_them(request: Request, db: Db, view: Looking, form: Form_) -> Response:
    """The chosen labels as PDF; each is kept as printed, but those of a proposal, which is not installed."""
    opened = open_project(db, view.project_id, view.proposal)
    job, those = _with_links(request, db, opened, form)
    data = labels_pdf(job)
    with transaction(db):
        _keep(db, opened, view, job, those, form)
    return file_answer(data, "application/pdf", f"labels-{slug(job.title)}.pdf")


@router.post("/labels/send")
def send(request: Request, db: Db, view: Looking, form: Form_) -> Response:
    """The chosen labels to the label printer; they are kept as printed once it has taken them."""
    address: str = request.app.state.printer
    if not address:
        raise NotFound("No label printer is connected: start the application with --printer and an address.")
    opened = open_project(db, view.project_id, view.proposal)
    job, those = _with_links(request, db, opened, form)
    printer.print_job(address, f"Arc-flash labels, {job.title}", person_of(db), labels_pdf(job))
    with transaction(db):
        _keep(db, opened, view, job, those, form)
    done = f"The label printer has taken {len(job.labels)} label{'s' if len(job.labels) != 1 else ''} on {len(job.pages())} pages."
    return _page(request, db, view, stock=form.asked.stock, language=form.asked.language, form=form.asked.template, done=done)


def _standing(request: Request, opened: Project) -> list[labels.Standing]:
    return labels.standing(opened.network, labels.labels_of(opened.network, request.app.state.results.of(opened)), {})


def _with_links(request: Request, db: Connection, opened: Project, form: Filled) -> tuple[Job, list[labels.Standing]]:
    """A job that can be printed, with the links that its codes need; what takes long is computed before anything is written."""
    standing = _standing(request, opened)
    with transaction(db):
        job, those = _job(db, opened, standing, form, make=True)
        if problems := job.problems():
            raise NetworkRefused(problems)
    return job, those


def _job(db: Connection, opened: Project, standing: list[labels.Standing], form: Filled, make: bool = False) -> tuple[Job, list[labels.Standing]]:
    job, those = printing.job_of(db, opened, standing, form.asked, make)
    return (job if job.title else Job(**{**vars(job), "title": opened.title})), those


def _keep(db: Connection, opened: Project, view: View, job: Job, those: list[labels.Standing], form: Filled) -> None:
    if not view.proposal:
        for one in those:
            printed.put(db, opened.id, one.bus, one.label.side, person_of(db), form.asked.copies[one.key], job.title, said_by(one.label, job.template))


@router.post("/labels/stock")
def keep_stock(
    db: Db, view: Looking, name: Name, page_w: Length, page_h: Length, cell_w: Length, cell_h: Length, columns: Annotated[int, Form(ge=1, le=100)] = 1,
    rows: Annotated[int, Form(ge=1, le=100)] = 1, margin_x: Length = 0.0, margin_y: Length = 0.0, pitch_x: Length = 0.0, pitch_y: Length = 0.0,
    cell_turn: Annotated[int, Form()] = 0, label_turn: Annotated[int, Form()] = 0, fit: Annotated[bool, Form()] = False,
    centred: Annotated[bool, Form()] = False, preprinted: Annotated[str, Form(max_length=10)] = "",
) -> Response:  # fmt: skip
    """Keep a stock of one's own."""
    open_project(db, view.project_id)
    one = Stock(
        " ".join(name.split()), (page_w, page_h), (cell_w, cell_h), columns, rows, (margin_x, margin_y), (pitch_x, pitch_y), cell_turn, label_turn, fit,
        centred, preprinted,
    )  # fmt: skip
    with transaction(db):
        printing.keep_stock(db, view.project_id, one)
    return _back(view, stock=one.name)


@router.post("/labels/stock/away")
def remove_stock(db: Db, view: Looking, name: Name) -> Response:
    """Take a stock of one's own away."""
    with transaction(db):
        label_setup.remove_stock(db, view.project_id, name)
    return _back(view)


Words_ = Annotated[str, Form(max_length=printing.MOST_LETTERS)]


@router.post("/labels/words")
def keep_words(
    db: Db, view: Looking, language: Name = "en", hazard: Words_ = "", do_not_work: Words_ = "", protective: Words_ = "", procedure: Words_ = ""
) -> Response:  # fmt: skip
    """What labels of this project say in a language otherwise than is shipped."""
    open_project(db, view.project_id)
    with transaction(db):
        printing.keep_words(db, view.project_id, language, {"hazard": hazard, "do_not_work": do_not_work, "protective": protective, "procedure": procedure})
    return _back(view, language=language)


@router.post("/labels/logo")
def keep_logo(db: Db, view: Looking, file: Annotated[UploadFile, File()]) -> Response:
    """The picture that stands on the labels of this project."""
    open_project(db, view.project_id)
    with transaction(db):
        printing.keep_logo(db, view.project_id, file.file.read(printing.LOGO_BYTES + 1))
    return _back(view)


@router.post("/labels/logo/away")
def remove_logo(db: Db, view: Looking) -> Response:
    """Take the picture away."""
    with transaction(db):
        label_setup.remove_logo(db, view.project_id)
    return _back(view)


def _back(view: View, **more: str) -> Response:
    query = "&".join([view.query, *(f"{k}={quote_plus(v)}" for k, v in more.items())])
    return RedirectResponse(f"{at(view.project_id, 'labels')}?{query}", 303)
