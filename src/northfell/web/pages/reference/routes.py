"""Reference pages: every element and setting with its parameters, made from their declarations."""

from fastapi import APIRouter, Request, Response

from northfell.core.errors import NotFound
from northfell.core.model.declare.parameters import SECTIONS, Parameter, parameters_of
from northfell.core.model.elements import KINDS
from northfell.core.model.settings import groups
from northfell.core.rules.typical import rule_text
from northfell.web.shell.answering import templates

router = APIRouter(prefix="/reference")


@router.get("")
def reference(request: Request) -> Response:
    """All kinds and groups of settings."""
    return templates.TemplateResponse(request, "pages/reference/reference.html", {"elements": KINDS, "groups": groups()})


@router.get("/{subject}")
def subject(request: Request, subject: str) -> Response:
    """One kind of element, or one group of settings."""
    cls = KINDS.get(subject) or next((group for title, group in groups().items() if title.lower().replace(" ", "-") == subject), None)
    if cls is None:
        raise NotFound(f"There is no reference page “{subject}”.")
    sections: dict[str, list[Parameter]] = {}
    for p in parameters_of(cls):
        if p.form != "record":
            sections.setdefault(p.section, []).append(p)
    if subject in KINDS:  # nameplate first, as in tables
        sections = dict(sorted(sections.items(), key=lambda one: (one[0] == "Connection", SECTIONS.index(one[0]))))
    title = KINDS[subject].TITLE if subject in KINDS else next(t for t, group in groups().items() if group is cls)
    labels = {p.name: p.label for p in parameters_of(cls)}
    seen = {
        "title": title,
        "about": (cls.__doc__ or "").strip(),
        "sections": sections,
        "kind": subject,
        "labels": labels,
        "rule_text": rule_text,
        "elements": KINDS,
    }
    return templates.TemplateResponse(request, "pages/reference/subject.html", seen)
