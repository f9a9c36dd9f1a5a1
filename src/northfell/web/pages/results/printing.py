"""Printing labels: which of them, how many copies, a remark; what was printed is kept, and what has changed since is known."""

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Form, Request, Response

from northfell.app.project.projects import open_project
from northfell.app.results import labels
from northfell.core.errors import InputRefused, NetworkRefused
from northfell.documents.labels import STOCKS, said_by
from northfell.store import person_of, printed, transaction
from northfell.web.shell.answering import Db, file_answer, project_page, slug
from northfell.web.shell.view import Looking

router = APIRouter(prefix="/projects/{project_id}")
MOST_COPIES = 20
STOCK = "a4"


@router.get("/labels")
def to_print(request: Request, db: Db, view: Looking) -> Response:
    """All labels beside those that hang on the equipment."""
    opened = open_project(db, view.project_id, view.proposal)
    job = labels.labels_of(opened.network, request.app.state.results.of(opened))
    rows = labels.standing(opened.network, job, printed.last_of_project(db, opened.id))
    cells = range(len(STOCKS[STOCK].cells))
    return project_page(request, opened, "pages/results/printing.html", "Labels", rows=rows, left_out=job.left_out, view=view, cells=cells, most=MOST_COPIES)


@router.post("/labels")
def print_them(
    request: Request, db: Db, view: Looking, chosen: Annotated[list[str] | None, Form(max_length=2000)] = None,
    copies: Annotated[int, Form(ge=1, le=MOST_COPIES)] = 1, remark: Annotated[str, Form(max_length=120)] = "", job: Annotated[str, Form(max_length=80)] = "",
    used: Annotated[int, Form(ge=0, le=100)] = 0,
) -> Response:  # fmt: skip
    """The chosen labels as PDF; each is kept as printed, but those of a proposal, which is not installed."""
    opened = open_project(db, view.project_id, view.proposal)
    made = labels.labels_of(opened.network, request.app.state.results.of(opened))
    wanted = {"\n".join(key.splitlines()) for key in chosen or ()}  # however a browser writes the end of a line
    title = job.strip() or opened.title
    those = [one for one in labels.standing(opened.network, made, {}) if one.key in wanted]
    if not those:
        raise NetworkRefused([InputRefused("chosen", "none", "at least one label that can be printed", where="Labels")])
    line = " ".join(remark.split())
    sheets = [replace(one.label, remark=line) for one in those for _ in range(copies)]
    data = labels.pdf(title, sheets, "field", STOCK, used)
    if not view.proposal:
        with transaction(db):
            for one in those:
                printed.put(db, opened.id, one.bus, one.label.side, person_of(db), copies, title, said_by(one.label))
    return file_answer(data, "application/pdf", f"labels-{slug(title)}.pdf")
