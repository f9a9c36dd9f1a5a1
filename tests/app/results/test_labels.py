"""Labels: the governing state, figures rounded up, and what must not be printed."""

import io
from dataclasses import replace
from datetime import date

import pypdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import network_of
from tests.core.studies.arc_flash.test_arc_flash import double_fed

from northfell.app.results.labels import labels_of, pdf
from northfell.app.results.studies import Results
from northfell.core.errors import CannotRun, NetworkRefused
from northfell.core.model.changes import Change, Set, Switch, apply_change, settings_with
from northfell.core.studies.arc_flash import ARC_FLASH
from northfell.demo import skerrow_water
from northfell.documents.labels import STOCKS, labels_pdf, round_up, shapes_of
from northfell.drawing.label import HEIGHT_MM, WIDTH_MM
from northfell.drawing.metrics import width
from northfell.drawing.shapes import Text

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


@pytest.mark.parametrize("name", ["A", "Low-voltage switchboard of the eastern filter hall, ground floor, panel 4 of 7", "W" * 80])
def test_nothing_leaves_the_label_however_long_the_name(name):
    long = replace(label("Filter hall", "line"), equipment=name, network=name, state=name)
    for shape in shapes_of(long):
        if isinstance(shape, Text):
            taken = width(shape.text, shape.size, shape.bold, shape.mono)
            left = shape.x - (taken if shape.anchor == "end" else 0)
            assert left >= 3
            assert left + taken <= WIDTH_MM - 3
            assert 5 <= shape.y <= HEIGHT_MM - 2


def test_pdf_is_titled_true_to_size_and_one_cell_beside_the_other():
    reader = pypdf.PdfReader(io.BytesIO(pdf("Skerrow Water", LABELS, "field", "a4")))
    assert reader.metadata.title == "Arc-flash labels, Skerrow Water"
    assert len(reader.pages) == 6
    for page in reader.pages:
        assert [float(v) for v in page.mediabox] == pytest.approx([0, 0, 595.2756, 841.8898], abs=0.01)
    w, h = STOCKS["a4"].page_mm
    for x, y in STOCKS["a4"].cells:
        assert x + WIDTH_MM <= w
        assert y + HEIGHT_MM <= h
    first, second = STOCKS["a4"].cells
    assert second[1] - first[1] > HEIGHT_MM


def test_letters_the_fonts_lack_stop_the_print():
    renamed, _ = apply_change(skerrow_water(), Change("", (Set(id="Filter hall", values={"name": "変電 7"}),)))
    job = labels_of(renamed)
    assert [line for line in job.left_out if "letters that can be printed, not “変電”" in line]
    assert len(job.labels) == len(LABELS) - len(job.left_out)
    with pytest.raises(NetworkRefused, match="letters that can be printed, not “変電”"):
        labels_pdf("job", [replace(LABELS[0], equipment="変電 7")], STOCKS["a4"])


def test_a_label_stands_for_all_states_or_is_not_printed():
    bare, _ = apply_change(skerrow_water(), Change("", (Set(id="Filter hall", values={"gap_mm": None}),)))
    job = labels_of(bare)
    assert len(job.labels) == len(LABELS) - 2  # both sides of its main
    assert "Filter hall, load side: there is no energy to print in Normal: waits for data" in job.left_out[0]
    with pytest.raises(CannotRun, match="waits for data"):
        labels_of(bare, only=("Filter hall", "load"))


def test_unknown_template_stock_or_nothing_to_print():
    for arguments, told in [
        ((LABELS, "x", "a4"), "template is “x”"),
        ((LABELS, "field", "roll"), "stock is “roll”"),
        (([], "field", "a4"), "at least one fed location"),
    ]:
        with pytest.raises(NetworkRefused, match=told):
            pdf("job", *arguments)


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
