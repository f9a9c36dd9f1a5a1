"""Labels: the governing state, figures rounded up, and what must not be printed."""

import io
import math
import re
from dataclasses import replace
from datetime import date

import numpy as np
import pypdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import double_fed

from northfell.app.results.labels import labels_of
from northfell.app.results.printing import modules_of
from northfell.app.results.studies import Results
from northfell.core.errors import CannotRun, NetworkRefused
from northfell.core.model.changes import Change, Set, Switch, apply_change, settings_with
from northfell.core.studies.arc_flash import ARC_FLASH
from northfell.demo import skerrow_water
from northfell.documents.label_phrases import said_in
from northfell.documents.label_words import ENGLISH, LANGUAGES
from northfell.documents.labels import Job, labels_pdf, page_svg, round_up, shapes_of
from northfell.documents.stock import STOCKS, TURNS, Stock, then
from northfell.drawing.label import PLAIN_DRESS, TEMPLATES, Dress
from northfell.drawing.metrics import width
from northfell.drawing.shapes import Picture, Rect, Text

LABELS = labels_of(skerrow_water(), made_on=date(2026, 1, 31)).labels


def label(equipment, side="load"):
    return next(one for one in LABELS if (one.equipment, one.side) == (equipment, side))


def test_a_label_for_every_location_with_the_state_that_governs():
    results = Results(skerrow_water())
    assert len(LABELS) == 11
    for one in LABELS:
        energies = {}
        for state in skerrow_water().state_names:
            study = results.at(state).result(ARC_FLASH)
            location = study.location(one.equipment, one.side)
            if location.worst:
                energies[state] = location.worst.energy_cal_cm2
                assert one.boundary_mm >= location.boundary_mm
        assert one.energy_cal_cm2 == max(energies.values())
        assert energies[one.state] == one.energy_cal_cm2


def test_a_board_that_is_out_of_service_in_normal_keeps_its_label():
    network = skerrow_water()
    off, _ = apply_change(network, Change("", (
        Set(id="Filter hall", values={"in_service": False}), Switch(state="Tie closed, T2 out", id="Filter hall", values={"in_service": True}),
    )))  # fmt: skip
    made = labels_of(off).labels
    assert [(one.equipment, one.side) for one in made] == [(one.equipment, one.side) for one in LABELS]
    assert next(one for one in made if one.equipment == "Filter hall").state == "Tie closed, T2 out"


@given(st.floats(0.001, 5000))
def test_printed_energy_is_never_below_the_computed_one(energy):
    printed = float(round_up(energy).replace("\u2009", ""))
    assert energy - 1e-8 <= printed <= energy * 1.001 + 0.1 + (1 if energy >= 100 else 0)


def test_signal_word_and_instruction_go_by_the_site_limit():
    assert label("Filter hall", "line").danger
    assert label("Filter hall", "line").text().signal == "DANGER"
    assert "site limit of 40 cal/cm²" in label("Filter hall", "line").text().instruction
    assert not any("Arc rating" in name for name, _ in label("Filter hall", "line").text().rows)
    below = label("11 kV board B").text()
    assert (below.signal, dict(below.rows)["Arc rating at least"]) == ("WARNING", f"{below.energy} cal/cm²")


def test_shock_distances_gloves_and_voltage():
    low, high = dict(label("Filter hall").text().rows), dict(label("11 kV board A").text().rows)
    assert (low["Nominal voltage"], low["Limited approach"], low["Restricted approach"], low["Glove class"]) == ("400 V", "1.0 m", "0.3 m", "00")
    assert (high["Nominal voltage"], high["Limited approach"], high["Restricted approach"], high["Glove class"]) == ("11 kV", "1.5 m", "0.7 m", "2")


def test_what_is_unverified_or_assumed_is_said():
    small = " ".join(label("Blower MCC").text().small)
    assert "coefficients for VCBB not verified by a published example" in small
    assert "rests on" in small
    assert "2026-01-31" in small
    assert "not verified" not in " ".join(label("Filter hall").text().small)


@pytest.mark.parametrize(("unit", "shown"), [("J/cm²", "J/cm²"), ("both", "cal/cm² (")])
def test_energy_unit_is_the_projects(unit, shown):
    network = skerrow_water()
    network = network.model_copy(update={"settings": settings_with(network.settings, "energy_unit", unit)})
    said = labels_of(network).labels[0].text()
    assert said.energy_unit.startswith(shown)


FULL = Dress(code=modules_of("https://northfell.example:8400/read/" + "x" * 43), logo=b"-", logo_shape=2.5)


@pytest.mark.parametrize("language", LANGUAGES)
@pytest.mark.parametrize("template", TEMPLATES)
@pytest.mark.parametrize("name", ["A", "Low-voltage switchboard of the eastern filter hall, ground floor, panel 4 of 7", "W" * 80])
def test_nothing_leaves_the_label_or_runs_into_another_however_long_the_name(name, template, language):
    """With a code and a logo or without, every form in every language."""
    form = TEMPLATES[template]
    for dress in (PLAIN_DRESS, FULL):
        for danger in (True, False):
            long = replace(label("Filter hall", "line"), equipment=name, network=name, state=name, danger=danger, remark="Spring outage")
            boxes = []
            for shape in shapes_of(long, template, LANGUAGES[language], dress):
                if isinstance(shape, Text):
                    taken = width(shape.text, shape.size, shape.bold, shape.mono)
                    left = shape.x - (taken if shape.anchor == "end" else 0)
                    boxes.append((left, shape.y - 0.7 * shape.size, left + taken, shape.y, shape.text))
                elif isinstance(shape, Picture) or (isinstance(shape, Rect) and dress.code and shape.w == shape.h and shape.w > 10):
                    boxes.append((shape.x, shape.y, shape.x + shape.w, shape.y + shape.h, "picture or code"))
            for left, top, right, bottom, text in boxes:
                assert left >= 3, text
                assert right <= form.w_mm - 3 + 1e-9, text
                assert top >= 1.5, text
                assert bottom <= form.h_mm - 1.2, text
            for i, (left, top, right, bottom, text) in enumerate(boxes):
                for left_2, top_2, right_2, bottom_2, other in boxes[:i]:
                    apart = left >= right_2 - 1e-6 or left_2 >= right - 1e-6 or top >= bottom_2 - 1e-6 or top_2 >= bottom - 1e-6
                    assert apart, (text, other)


FIGURE = re.compile(r"\d+(?:\.\d+)?")
SAID = [
    "load side of the mains", "line side of Q 31 of 3", "worst of HCB, VCB", "inverters may go on for a while: not counted",
    "not three-phase: by the model for three phases, outside the standard",
    "energy summed over the intervals in which sources open", "above the range of IEEE 1584-2018, theoretical",
    "cleared later than 2 s, which is taken as the exposure",
    "no protective device stands between this place and a source",
    "Q25 is rated to break 20 kA, a bolted fault here has 31.5 kA through it: that it clears is not certain",
    *(f"Q25 does not operate at the {v} arcing current of the {c}imum case{tail}" for v in ("full", "reduced") for c in ("max", "min")
      for tail in ("", " once other ways have opened", " once the currents of generators have fallen", " without the current of motors",
                   " once other ways have opened without the current of motors")),
]  # fmt: skip


@pytest.mark.parametrize("language", [w.name for key, w in LANGUAGES.items() if key != "en"])
def test_what_studies_say_stands_in_the_language_of_the_label_with_every_figure_and_name(language):
    """All that the example's labels say, and what else one can: nothing is left out, and what has no words stays as it is."""
    said = {t for one in LABELS for t in (*one.notes, *one.warnings, *([one.side_told] if one.side_told else []))} | set(SAID)
    for text in said:
        other = said_in(language, text)
        assert other != text
        assert FIGURE.findall(other) == FIGURE.findall(text)
        assert ("Q25" in other) == ("Q25" in text)
    assert said_in(language, "settings <b>#</b> · 7") != "settings <b>#</b> · 7"
    assert "<b>#</b> · 7" in said_in(language, "settings <b>#</b> · 7")
    assert said_in(language, "of which nothing is known") == "of which nothing is known"
    assert said_in("English", SAID[0]) == SAID[0]


def test_a_language_changes_the_words_and_no_figure():
    one = label("Filter hall", "line")
    for words in LANGUAGES.values():
        said = one.text(words)
        assert (said.energy, [value for _, value in said.rows][:2]) == (one.text().energy, [value for _, value in one.text().rows][:2])
        assert "40 cal/cm²" in said.instruction
        assert "610 mm" in said.energy_at
        assert one.state in said.place
        assert not any("{" in line for line in (said.instruction, said.energy_at, said.place))
    assert len({one.text(words).signal_told for words in LANGUAGES.values()} | {ENGLISH.warning}) > 3
    detailed = dict(one.text().details)
    location = Results(skerrow_water()).at("Normal").result(ARC_FLASH).location("Filter hall", "line")
    assert float(detailed["Arcing current"].split()[0]) == pytest.approx(location.worst.i_arc_ka, rel=0.005)
    assert float(detailed["Exposure"].split()[0]) == pytest.approx(location.worst.arc_time_s, rel=0.005)
    assert (detailed["Cleared by"], detailed["Electrodes"], detailed["Gap"]) == ("Q25", "VCB", "32 mm")


def job(*labels, stock="a4", **more):
    return Job("Skerrow Water", labels, stock if isinstance(stock, Stock) else STOCKS[stock], **more)


SIDE = st.floats(20, 120)


@given(st.tuples(SIDE, SIDE), st.sampled_from(TURNS), st.sampled_from(TURNS), st.booleans(), st.booleans(), st.integers(1, 3), st.integers(1, 3),
       st.sampled_from(list(TEMPLATES)))  # fmt: skip
def test_a_label_stands_in_its_cell_and_cells_on_the_page_whichever_way_they_are_turned(cell, cell_turn, label_turn, fit, centred, columns, rows, template):
    w, h = cell if cell_turn in (0, 180) else cell[::-1]
    page = 7 + columns * (w + 3), 5 + rows * (h + 2)
    stock = Stock("x", page, cell, columns, rows, (7.0, 5.0), (w + 3, h + 2), cell_turn, label_turn, fit, centred)
    assert stock.problems() == []
    size = TEMPLATES[template].w_mm, TEMPLATES[template].h_mm
    if not stock.holds(*size):
        assert not fit
        return
    taken = []
    for k in range(stock.cells):
        a, b, c, d, e, f = m = stock.placed(k, *size)
        assert a * d - b * c == pytest.approx(stock.scale(*size) ** 2)  # turned and scaled, never mirrored
        right, down = (a, b), (c, d)
        quarter = (cell_turn + label_turn) // 90 % 4
        assert np.allclose(np.array(right) / stock.scale(*size), [(1, 0), (0, 1), (-1, 0), (0, -1)][quarter])
        corners = [(a * x + c * y + e, b * x + d * y + f) for x in (0, size[0]) for y in (0, size[1])]
        xs, ys = zip(*corners, strict=True)
        left, top = stock.corner(k)
        assert left - 1e-6 <= min(xs)
        assert max(xs) <= left + w + 1e-6 <= page[0] + 2e-6
        assert top - 1e-6 <= min(ys)
        assert max(ys) <= top + h + 1e-6 <= page[1] + 2e-6
        if centred:
            assert (min(xs) + max(xs)) / 2 == pytest.approx(left + w / 2)
            assert (min(ys) + max(ys)) / 2 == pytest.approx(top + h / 2)
        if fit:
            assert max((max(xs) - min(xs)) / w, (max(ys) - min(ys)) / h) == pytest.approx(1)
        taken.append((left, top))
        assert then(m, (1, 0, 0, 1, 0, 0)) == pytest.approx(m)
        assert down != right
    assert len(set(taken)) == columns * rows


def test_cells_that_do_not_stand_on_their_page_are_refused():
    for wrong, told in (
        ({"columns": 2}, "pitch across"), ({"margin_mm": (70.0, 30.0)}, "cells across"), ({"pitch_mm": (0.0, 180.0)}, "cells down"),
        ({"cell_turn": 45}, "turn"), ({"page_mm": (math.nan, 297.0)}, "page width"), ({"rows": 0}, "columns and rows"), ({"name": "\n"}, "name"),
        ({"preprinted": "NOTICE"}, "preprinted"),
    ):  # fmt: skip
        assert told in str(replace(STOCKS["a4"], **wrong).problems()[0]), wrong
    assert all(not one.problems() for one in STOCKS.values())


def test_paper_and_preview_are_the_same_to_the_millimetre():
    """Where the name of the equipment stands, turned by a right angle, in the second cell."""
    made = job(label("Blower MCC"), label("Filter hall"), stock="a4-4-side")
    (page,) = pypdf.PdfReader(io.BytesIO(labels_pdf(made))).pages
    found = []

    def seen(text, cm, tm, font, size):
        if text.strip() == "Filter hall":
            x, y = tm[4], tm[5]
            found.append((cm[0] * x + cm[2] * y + cm[4], cm[1] * x + cm[3] * y + cm[5]))

    page.extract_text(visitor_text=seen)
    ((x, y),) = found
    svg = page_svg(made, made.pages()[0], outlines=True, as_read=False)
    second = svg.split("<g transform")[3]
    a, b, c, d, e, f = (float(v) for v in re.search(r"matrix\(([^)]*)\)", second)[1].split())
    tx, ty = (float(v) for v in re.search(r'<text x="([\d.]+)" y="([\d.]+)"[^>]*>Filter hall<', second).groups())
    assert (x / 72 * 25.4, 297 - y / 72 * 25.4) == pytest.approx((a * tx + c * ty + e, b * tx + d * ty + f), abs=0.01)
    assert svg.count('class="cell"') == 4
    assert 'width="210mm" height="297mm"' in svg
    read = page_svg(made, made.pages()[0], outlines=False, as_read=True)
    assert 'width="297mm" height="210mm"' in read
    outer = [float(v) for v in re.search(r"matrix\(([^)]*)\)", read)[1].split()]
    inner = [float(v) for v in re.findall(r"matrix\(([^)]*)\)", read)[1].split()]
    assert then(tuple(inner), tuple(outer))[:4] == pytest.approx((0.8, 0, 0, 0.8), abs=1e-6)  # upright


def test_stock_on_which_the_panel_is_printed_takes_labels_of_that_word_alone():
    below = replace(label("Blower MCC"), equipment="Blower")
    text = pypdf.PdfReader(io.BytesIO(labels_pdf(job(below, stock="roll-warning")))).pages[0].extract_text()
    assert "WARNING" not in text
    assert "7.6" in text
    with pytest.raises(NetworkRefused, match="labels that say WARNING"):
        labels_pdf(job(below, label("Filter hall"), stock="roll-warning"))
    with pytest.raises(NetworkRefused, match="in true size"):
        labels_pdf(job(below, stock=replace(STOCKS["a4-8"], fit=False)))


def test_pdf_is_titled_true_to_size_and_one_cell_beside_the_other():
    reader = pypdf.PdfReader(io.BytesIO(labels_pdf(job(*LABELS))))
    assert reader.metadata.title == "Arc-flash labels, Skerrow Water"
    assert len(reader.pages) == 6
    for page in reader.pages:
        assert [float(v) for v in page.mediabox] == pytest.approx([0, 0, 595.2756, 841.8898], abs=0.01)
    assert STOCKS["a4"].scale(150, 100) == 1  # in true size


def test_letters_the_fonts_lack_stop_the_print():
    renamed, _ = apply_change(skerrow_water(), Change("", (Set(id="Filter hall", values={"name": "変電 7"}),)))
    made = labels_of(renamed)
    assert [line for line in made.left_out if "letters that can be printed, not “変電”" in line]
    assert len(made.labels) == len(LABELS) - len(made.left_out)
    with pytest.raises(NetworkRefused, match="letters that can be printed, not “変電”"):
        labels_pdf(job(replace(LABELS[0], equipment="変電 7")))


def test_a_label_stands_for_all_states_or_is_not_printed():
    bare, _ = apply_change(skerrow_water(), Change("", (Set(id="Filter hall", values={"gap_mm": None}),)))
    job = labels_of(bare)
    assert len(job.labels) == len(LABELS) - 2  # both sides of its main
    assert "Filter hall, load side: there is no energy to print in Normal: waits for data" in job.left_out[0]
    with pytest.raises(CannotRun, match="waits for data"):
        labels_of(bare, only=("Filter hall", "load"))


def test_of_several_configurations_the_label_says_which_there_are_and_that_the_worst_counts():
    several, _ = apply_change(skerrow_water(), Change("", (Set(id="Filter hall", values={"electrode_configuration_2": "HCB"}),)))
    made = next(one for one in labels_of(several).labels if (one.equipment, one.side) == ("Filter hall", "load"))
    assert made.energy_cal_cm2 > label("Filter hall").energy_cal_cm2
    assert made.configuration == "HCB"
    small = " ".join(made.text().small)
    assert "worst of HCB, VCB" in small
    assert "coefficients for HCB not verified" in small


def test_what_the_method_does_not_know_stands_on_the_label_and_each_line_side_names_its_main():
    made = {(one.equipment, one.side): one for one in labels_of(network_of(double_fed(main_2="QM2"))).labels}
    assert [key[1] for key in made] == ["load", "line", "line 2"]
    assert "line side of QM2" in made["B", "line 2"].text().place
    assert "load side of the mains" in made["B", "load"].text().place
    assert made["B", "load"].warnings == ()
    weak = labels_of(network_of([{**e, "i_breaking_ka": 20.0} if e["name"] == "QM1" else e for e in double_fed()])).labels
    assert "QM1 is rated to break 20 kA" in " ".join(weak[0].text().small)
    long = next(one for one in LABELS if one.warnings)
    assert "taken as constant" in " ".join(long.text().small)
