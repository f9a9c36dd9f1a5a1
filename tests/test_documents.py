"""A sheet as a file: what is printed has a look, what belongs to the screen is left out."""

import xml.etree.ElementTree as ET

from northfell.app.results.studies import Results
from northfell.core.studies.load_flow import LOAD_FLOW
from northfell.demo import skerrow_water
from northfell.documents.sheets import INK, LOOKS, MIST, NOT_PRINTED, Title, look_of, page_for, printed, sheet_pdf, sheet_svg
from northfell.drawing.shapes import Style
from northfell.drawing.sheet import draw
from northfell.web.stages.flow.tags import flow_tags

NETWORK = skerrow_water()
ONE = Results(NETWORK).at("Normal")
DRAWING = draw(ONE.elements, NETWORK.sheets[0], ONE.energised, flow_tags(ONE.result(LOAD_FLOW), NETWORK.settings.limits), "T3", frozenset({"T4"}))
TITLE = Title("Skerrow <Water>", "Whole & works", "Normal", "2026-01-31")


def test_every_shape_on_paper_has_a_look():
    for shape, dead in printed(DRAWING):
        look = look_of(shape.style, dead)
        assert look.fill or look.stroke, shape
    classes = {s.style.cls.split()[0] for g in DRAWING.groups for s in (*g.shapes, *g.words) if s.style.cls}
    assert classes <= set(LOOKS) | NOT_PRINTED | {"wedge"}


def test_what_is_dead_is_drawn_in_short_dashes():
    assert look_of(Style(cls="s"), "dead").dashes
    assert look_of(Style(cls="s"), "dead").stroke == MIST
    assert look_of(Style(cls="s")).stroke == INK
    assert {look_of(Style(cls=f"band {side}-{n}")).fill for side in ("low", "high") for n in (1, 2, 3, 4)}.isdisjoint({INK})


def test_the_file_stands_alone_and_escapes_its_title():
    text = sheet_svg(DRAWING, TITLE)
    root = ET.fromstring(text)
    assert "Skerrow <Water> · Whole & works" in "".join(root.itertext())
    assert root.get("viewBox").split()[2] == root.get("width")
    assert "http" not in text.replace("http://www.w3.org/2000/svg", "")


def test_the_page_holds_the_sheet():
    _, _, w, h = DRAWING.view
    _, page_w, page_h, scale = page_for(w, h)
    assert w * scale <= page_w
    assert h * scale <= page_h
    assert sheet_pdf(DRAWING, TITLE).startswith(b"%PDF")
